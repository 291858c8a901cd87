//! Comparing what went out with what came in: differences are those that were put there.

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{Mesh, Placement, Transform, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Part};
use speckle_tools::compare::compare;

use crate::common::{arrays_of, sheet};

fn values(mesh: &Mesh, placement: Placement) -> Vec<[f32; 4]> {
    (0..placement.count(mesh)).map(|i| [i % 7, i % 5, i % 3, 4].map(|x| x as f32 / 8.0)).collect()
}

fn part(name: &str, mesh: &Mesh, placements: &[(&str, Placement)]) -> NewPart {
    let sets = placements.iter().map(|&(name, placement)| NewSet {
        name: name.to_owned(),
        placement,
        encoding: Encoding::Data,
        ground: [1.0; 4],
        values: values(mesh, placement),
    });
    NewPart::new(name, mesh.clone(), sets.collect())
}

fn parts(new: Vec<NewPart>) -> Vec<Part> {
    let mut document = Document::default();
    document.apply(Edit::bring_in(new)).unwrap();
    document.parts().to_vec()
}

fn plain() -> Mesh {
    Mesh::new(sheet(4, 0.5)).unwrap()
}

const ALL: [(&str, Placement); 3] =
    [("Coat", Placement::Corner), ("Wear", Placement::Vertex), ("Panels", Placement::Face)];

#[test]
fn the_same_parts_differ_in_nothing_however_their_faces_are_cut() {
    let ours = parts(vec![part("Sheet", &plain(), &ALL)]);
    let cut: Vec<Part> = ours.iter().map(Part::triangulated).collect();
    for theirs in [&ours, &cut] {
        let comparison = compare(&ours, theirs);
        assert_eq!(comparison.max_difference(), Some(0.0), "{comparison:?}");
        assert_eq!(comparison.parts[0].max_distance, Some(0.0));
        assert_eq!(comparison.parts[0].sets.len(), 3);
    }
}

#[test]
fn parts_joined_in_one_are_compared_in_their_order() {
    let ours = parts(vec![part("Left", &plain(), &ALL[1..2]), part("Right", &plain(), &ALL[1..2])]);
    let arrays = arrays_of(&plain());
    let count = arrays.positions.len() as u32;
    let corners = arrays.corner_vertices.len() as u32;
    let joined = Mesh::new(MeshArrays {
        positions: [arrays.positions.clone(), arrays.positions.clone()].concat(),
        face_starts: arrays
            .face_starts
            .iter()
            .copied()
            .chain(arrays.face_starts[1..].iter().map(|s| s + corners))
            .collect(),
        corner_vertices: arrays
            .corner_vertices
            .iter()
            .copied()
            .chain(arrays.corner_vertices.iter().map(|v| v + count))
            .collect(),
        ..MeshArrays::default()
    })
    .unwrap();
    let mut one = part("Both", &joined, &[("Wear", Placement::Vertex)]);
    one.sets[0].values =
        [values(&plain(), Placement::Vertex), values(&plain(), Placement::Vertex)].concat();
    one.sets[0].values[count as usize + 3][1] += 0.25;
    let comparison = compare(&ours, &parts(vec![one]));
    let told: Vec<(&str, Option<f32>)> = comparison
        .parts
        .iter()
        .map(|part| (part.name.as_str(), part.sets[0].max_difference))
        .collect();
    assert_eq!(told, [("Left", Some(0.0)), ("Right", Some(0.25))]);
}

#[test]
fn what_is_missing_on_either_side_is_told_as_missing() {
    let ours = parts(vec![part("Sheet", &plain(), &ALL), part("Other", &plain(), &[])]);
    let theirs = parts(vec![part(
        "Sheet",
        &plain(),
        &[("Coat", Placement::Corner), ("New", Placement::Face)],
    )]);
    let mut two = theirs.clone();
    two.extend(parts(vec![part("Third", &plain(), &[])]));
    let comparison = compare(&ours, &two);
    assert_eq!(comparison.max_difference(), None);
    let sheet = &comparison.parts[0];
    let told: Vec<(&str, bool)> =
        sheet.sets.iter().map(|set| (set.name.as_str(), set.max_difference.is_some())).collect();
    assert_eq!(told, [("Coat", true), ("Wear", false), ("Panels", false), ("New", false)]);
    // As many parts on both sides: the second is taken for the second, whatever it is called.
    assert_eq!(
        (comparison.parts[1].name.as_str(), comparison.parts[1].max_distance),
        ("Other", Some(0.0))
    );
}

#[test]
fn other_faces_are_compared_by_the_nearest_place() {
    let ramp = |mesh: &Mesh| {
        let values = mesh.positions().iter().map(|p| [(p.x + 1.0) / 2.0, 0.0, 0.0, 1.0]).collect();
        NewSet {
            name: "Ramp".into(),
            placement: Placement::Vertex,
            encoding: Encoding::Data,
            ground: [1.0; 4],
            values,
        }
    };
    let (coarse, fine) = (plain(), Mesh::new(sheet(8, 0.5)).unwrap());
    let ours = parts(vec![NewPart::new("Sheet", coarse.clone(), vec![ramp(&coarse)])]);
    let mut theirs = parts(vec![NewPart::new("Sheet", fine.clone(), vec![ramp(&fine)])]);
    let comparison = compare(&ours, &theirs);
    // Every corner of the coarse sheet is one of the fine one's, with the same number.
    assert_eq!(comparison.parts[0].sets[0].max_difference, Some(0.0));
    assert!(comparison.parts[0].max_distance.unwrap() < 1e-6);
    theirs[0].traits.transform = Transform { translation: Vec3::Z * 0.125, ..Transform::IDENTITY };
    let moved = compare(&ours, &theirs);
    assert!((moved.parts[0].max_distance.unwrap() - 0.125).abs() < 1e-6);
}

proptest! {
    /// One number changed anywhere is found, as large as it is, and the mean is its share.
    #[test]
    fn a_single_difference_is_found(which in 0..3_usize, at in any::<prop::sample::Index>(), channel in 0..4_usize, by in 0.01_f32..0.1) {
        let ours = parts(vec![part("Sheet", &plain(), &ALL)]);
        let mut new = part("Sheet", &plain(), &ALL);
        let at = at.index(new.sets[which].values.len());
        new.sets[which].values[at][channel] += by;
        let (name, placement) = ALL[which];
        let comparison = compare(&ours, &parts(vec![new]));
        for set in &comparison.parts[0].sets {
            let (most, mean) = (set.max_difference.unwrap(), set.mean_difference.unwrap());
            if set.name != name {
                prop_assert_eq!((most, mean), (0.0, 0.0));
                continue;
            }
            prop_assert!((most - by).abs() < 1e-6);
            let mesh = plain();
            let touched = match placement {
                Placement::Corner => 1,
                Placement::Face => mesh.face_vertices(at).len(),
                Placement::Vertex => mesh.corner_vertices().iter().filter(|&&v| v as usize == at).count(),
            };
            let wanted = by * touched as f32 / mesh.corner_count() as f32;
            prop_assert!((mean - wanted).abs() < 1e-6, "{} {}", mean, wanted);
        }
    }
}

/// The same surface with its faces in another order is the same surface.
#[test]
fn faces_in_another_order_are_found_by_their_place() {
    let arrays = arrays_of(&plain());
    let faces: Vec<Vec<u32>> =
        (0..plain().face_count()).rev().map(|face| plain().face_vertices(face).to_vec()).collect();
    let turned = Mesh::new(MeshArrays { corner_vertices: faces.concat(), ..arrays }).unwrap();
    let [ours, theirs] =
        [plain(), turned].map(|mesh| parts(vec![part("Sheet", &mesh, &ALL[1..2])]));
    let difference = &compare(&ours, &theirs).parts[0];
    assert!(difference.max_distance.unwrap() < 1e-5, "{difference:?}");
    assert_eq!(difference.sets[0].max_difference, Some(0.0));
}

/// What only one side has is seen from either.
#[test]
fn a_face_far_away_is_seen_from_both_sides() {
    let mut arrays = arrays_of(&plain());
    let first = arrays.positions.len() as u32;
    arrays.positions.extend([[0., 0., 48.], [1., 0., 48.], [0., 1., 48.]].map(Vec3::from));
    arrays.corner_vertices.extend([first, first + 1, first + 2]);
    arrays.face_starts.push(arrays.corner_vertices.len() as u32);
    let more = Mesh::new(arrays).unwrap();
    let [ours, theirs] = [plain(), more].map(|mesh| parts(vec![part("Sheet", &mesh, &[])]));
    for (a, b) in [(&ours, &theirs), (&theirs, &ours)] {
        let far = compare(a, b).parts[0].max_distance.unwrap();
        assert!((far - 48.0).abs() < 2.0, "{far}");
    }
}
