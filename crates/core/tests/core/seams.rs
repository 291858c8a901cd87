//! Where layers begin: where it is wanted, else hidden, else in a corner; one over the other.

use glam::{Affine3A, DVec2, Vec3};
use speckle_core::{Document, Edit};
use speckle_mesh::Mesh;
use speckle_model::{NewPart, Part, Selection};
use speckle_tools::{
    bake::watch::Watch,
    layers::{Body, Cut, Rules, Seam, SeamMarks, SeamReason},
};

use crate::{common::polygons, layers::turned};

/// An outline, counted to the left, drawn up: its sides are the first faces, one for each stretch.
fn prism(outline: &[(f32, f32)], high: f32) -> Mesh {
    let count = outline.len() as u32;
    let at = |z: f32| outline.iter().map(move |&(x, y)| Vec3::new(x, y, z));
    let positions = at(0.0).chain(at(high)).collect();
    let mut faces: Vec<Vec<u32>> = (0..count)
        .map(|i| {
            let next = (i + 1) % count;
            vec![i, next, next + count, i + count]
        })
        .collect();
    faces.push((0..count).rev().collect());
    faces.push((count..2 * count).collect());
    polygons(positions, &faces)
}

fn part(mesh: Mesh, groups: &[(&str, &[u32])]) -> Part {
    let selections = groups
        .iter()
        .map(|(name, faces)| Selection { name: (*name).to_owned(), faces: faces.to_vec() });
    let part =
        NewPart { selections: selections.collect(), ..NewPart::new("Bollard", mesh, Vec::new()) };
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document.parts()[0].clone()
}

fn seams(part: &Part, prefer: Option<&str>, avoid: Option<&str>) -> Vec<Seam> {
    let rules = Rules { layer: 0.5, first: 0.5, line: 0.4, depth: 1.0, ranges: Vec::new() };
    let of_faces = vec![0; part.geometry.mesh().face_count()];
    let to_plate = Affine3A::IDENTITY;
    let body = Body { geometry: &part.geometry, to_plate, of_faces: &of_faces };
    let cut = Cut::of(&[body], &rules, &Watch::default()).unwrap();
    let marks = SeamMarks { prefer: prefer.map(str::to_owned), avoid: avoid.map(str::to_owned) };
    let parts = std::slice::from_ref(part);
    let seams = cut.seams(parts, &[to_plate], &marks, &Watch::default()).unwrap();
    assert_eq!(seams.len(), cut.len());
    // One over the other: the walls are upright.
    for pair in seams.windows(2) {
        assert!(pair[0].at.truncate().distance(pair[1].at.truncate()) < 1e-3, "{pair:?}");
    }
    seams
}

/// An L: its hollow corner is at 4, 4.
const ELL: [(f32, f32); 6] =
    [(0.0, 0.0), (10.0, 0.0), (10.0, 4.0), (4.0, 4.0), (4.0, 10.0), (0.0, 10.0)];

#[test]
fn a_hollow_corner_takes_the_seam_unless_it_is_to_be_avoided() {
    // The faces at the hollow corner are the third and the fourth.
    let ell = part(prism(&ELL, 6.0), &[("Front", &[0]), ("Nook", &[2, 3])]);
    for seam in seams(&ell, None, None) {
        assert_eq!(seam.reason, SeamReason::Hollow);
        assert!(seam.at.truncate().distance(DVec2::splat(4.0)) < 1e-4);
    }
    for seam in seams(&ell, None, Some("Nook")) {
        assert!(seam.at.truncate().distance(DVec2::splat(4.0)) > 1.0, "{seam:?}");
        assert_eq!(seam.reason, SeamReason::Corner);
        assert!(!seam.avoided);
    }
    for seam in seams(&ell, Some("Front"), None) {
        assert_eq!(seam.reason, SeamReason::Wanted);
        assert!(seam.at.y.abs() < 1e-4, "{seam:?}");
    }
    // Wanted goes before avoided; and where there is no other place, that is said.
    assert!(seams(&ell, Some("Front"), Some("Front")).iter().all(|seam| !seam.avoided));
    let all = part(prism(&ELL, 6.0), &[("All", &[0, 1, 2, 3, 4, 5])]);
    assert!(seams(&all, None, Some("All")).iter().all(|seam| seam.avoided));
    // A name that no part knows marks nothing.
    assert_eq!(seams(&ell, Some("Nowhere"), None)[0].reason, SeamReason::Hollow);
}

#[test]
fn a_slot_hides_the_seam() {
    // A block with a slot, 1 wide and 7 deep, from the side of 10, 5.
    let slotted = [
        (0.0, 0.0),
        (10.0, 0.0),
        (10.0, 4.5),
        (3.0, 4.5),
        (3.0, 5.5),
        (10.0, 5.5),
        (10.0, 10.0),
        (0.0, 10.0),
    ];
    for seam in seams(&part(prism(&slotted, 20.0), &[]), None, None).iter().skip(8).take(20) {
        assert_eq!(seam.reason, SeamReason::Hidden, "{seam:?}");
        assert!((2.9..9.9).contains(&seam.at.x) && (4.4..5.6).contains(&seam.at.y), "{seam:?}");
    }
}

/// A round tower has no corner, and hides nothing: the seam goes straight up all the same.
#[test]
fn a_round_tower_has_a_straight_seam() {
    let tower = part(turned(4, 90, |t| (8.0, 20.0 * t)), &[]);
    assert!(seams(&tower, None, None).iter().all(|seam| seam.reason == SeamReason::Nearest));
}
