//! A mesh and its twin whose vertices a file split: the surface is the same, and so is what every
//! source makes of it.

use std::{collections::HashMap, sync::Arc};

use glam::{Vec2, Vec3};
use proptest::{collection::vec, prelude::*};
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{
    Mesh, Placement, UpAxis,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet, Selection, recipe::Source};
use speckle_tools::bake::{BakeError, Inputs, Pantry, watch::Watch};

use crate::{
    bake::{image_of, mesh},
    common::{arrays_of, materials, sheet},
    needs::SOURCES,
};

const N: u32 = 5;

/// A hilly sheet, as steep as is asked, with UVs.
fn hills(heights: &[f32], steep: f32) -> Mesh {
    let mut arrays = sheet(N, 0.0);
    for (p, height) in arrays.positions.iter_mut().zip(heights) {
        p.z = steep * height;
    }
    let uvs = arrays.corner_vertices.iter().map(|&v| {
        let p = arrays.positions[v as usize];
        Vec2::new(p.x, p.y) / 2.0 + 0.5
    });
    arrays.uv_sets = vec![UvSet { name: "UV".to_owned(), uvs: uvs.collect() }];
    mesh(arrays)
}

/// The same with a vertex of its own for every corner that is chosen. Faces and corners keep their
/// numbers.
fn split(welded: &Mesh, chosen: &[bool]) -> Mesh {
    let mut arrays = arrays_of(welded);
    let MeshArrays { positions, corner_vertices, .. } = &mut arrays;
    for (vertex, _) in corner_vertices.iter_mut().zip(chosen).filter(|(_, chosen)| **chosen) {
        positions.push(positions[*vertex as usize]);
        *vertex = positions.len() as u32 - 1;
    }
    mesh(arrays)
}

/// The inputs for a part of a mesh under a lid, with all that sources look at held where a split
/// changes nothing: at faces.
fn inputs(own: &Mesh, placement: Placement) -> Inputs {
    inputs_in(1.0, own, placement)
}

/// The same in another unit, in which the mesh is given.
fn inputs_in(unit: f32, own: &Mesh, placement: Placement) -> Inputs {
    let part = |name: &str, own: &Mesh| {
        let wear = NewSet {
            name: "Wear".to_owned(),
            placement: Placement::Face,
            encoding: Encoding::Data,
            ground: [0.0; 4],
            values: (0..own.face_count()).map(|f| [f as f32 / 32.0, 0.4, 0.2, 1.0]).collect(),
        };
        let mut part = NewPart::new(name, own.clone(), vec![wear]);
        part.selections = ["Group", "Marked"]
            .map(|name| Selection { name: name.to_owned(), faces: vec![0, 1, 2, 9, 17] })
            .into();
        let list = [([0.2, 0.3, 0.4, 1.0], None), ([1.0; 4], Some("Grit"))];
        part.materials = materials(&list, N * N);
        part
    };
    let mut lid = arrays_of(own);
    lid.positions.iter_mut().for_each(|p| *p += unit * Vec3::new(0.3, 0.1, 2.0));
    let mut document = Document::default();
    let parts = vec![part("Tray", own), part("Lid", &mesh(lid))];
    document.apply(Edit::bring_in(parts)).unwrap();
    let parts = Arc::new(document.parts().to_vec());
    let pixels: Vec<u8> = (0..64).map(|i: u8| i.wrapping_mul(37) | 3).collect();
    let images = Arc::new(HashMap::from([("Grit".to_owned(), image_of(4, 4, &pixels))]));
    let first = parts[0].id;
    Inputs::new(parts, first, (placement, Encoding::Data, [0.0; 4]), UpAxis::Z, images).unwrap()
}

/// What a source makes: three numbers for each element. None where it finds nothing at all, as on
/// spikes whose normals all miss the lid.
fn values(source: &str, inputs: &Inputs) -> Option<Vec<[f32; 3]>> {
    let source: Source = serde_json::from_str(source).unwrap();
    match Pantry::default().source(&source, inputs, &Watch::default()) {
        Ok(field) => Some((0..field.len()).map(|i| field.at(i)).collect()),
        Err(BakeError::FarApart { .. }) => None,
        Err(error) => panic!("{error}"),
    }
}

fn apart(a: [f32; 3], b: [f32; 3]) -> f32 {
    a.into_iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max)
}

/// Numbers drawn by chance, from rays: by another element's number they are others.
fn is_by_chance(source: &str) -> bool {
    ["occlusion", "open_way", "openness", "thickness", "light", "dust"]
        .iter()
        .any(|kind| source.contains(kind))
}

/// What a source tells apart by faces, or draws by chance where a surface ends.
fn is_of_faces(source: &str) -> bool {
    ["Wear", "piece", "pivot", "pattern", "material", "Group", "Marked", "joint"]
        .iter()
        .any(|w| source.contains(w))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Where the surface is smooth, all corners at a point are one: no facets show.
    #[test]
    fn all_corners_at_a_point_of_a_smooth_surface_are_one(
        heights in vec(0.0_f32..1.0, ((N + 1) * (N + 1)) as usize),
    ) {
        let smooth = hills(&heights, 0.12);
        let inputs = inputs(&smooth, Placement::Corner);
        for source in SOURCES.iter().filter(|source| !is_of_faces(source)) {
            let made = values(source, &inputs).expect("a lid above");
            let mut first = HashMap::new();
            for (corner, &vertex) in smooth.corner_vertices().iter().enumerate() {
                let one = *first.entry(vertex).or_insert(made[corner]);
                prop_assert_eq!(one, made[corner], "{} at {}", source, vertex);
            }
        }
    }

    /// What belongs to corners and faces knows nothing of vertices: the same to the last bits,
    /// however steep the surface and wherever it was split.
    #[test]
    fn at_corners_and_faces_they_are_one(
        heights in vec(0.0_f32..1.0, ((N + 1) * (N + 1)) as usize),
        steep in 0.1_f32..3.0,
        chosen in vec(any::<bool>(), (4 * N * N) as usize),
    ) {
        let welded = hills(&heights, steep);
        let torn = split(&welded, &chosen);
        for placement in [Placement::Corner, Placement::Face] {
            let both = [&welded, &torn].map(|mesh| inputs(mesh, placement));
            for source in SOURCES {
                let [one, other] = both.each_ref().map(|inputs| values(source, inputs));
                prop_assert_eq!(one.is_some(), other.is_some(), "{} at {:?}", source, placement);
                let (Some(one), Some(other)) = (one, other) else { continue };
                for (i, (a, b)) in one.into_iter().zip(other).enumerate() {
                    let most = match source {
                        // What lands on a face's area is told from other sheets by what its vertices
                        // found, each by its own normal: on spikes copies look other ways.
                        _ if source.contains("from_part") => 0.05,
                        _ => 1e-4,
                    };
                    prop_assert!(apart(a, b) < most, "{source}, {placement:?} {i}: {a:?} {b:?}");
                }
            }
        }
    }

    /// What a part is measured in is nothing to what is told no length: the same, in shares of its size.
    #[test]
    fn in_every_unit_they_are_one(
        heights in vec(0.0_f32..1.0, ((N + 1) * (N + 1)) as usize),
        steep in 0.1_f32..1.0,
        power in prop::sample::select(vec![-24, -14, 14, 24]),
    ) {
        let own = hills(&heights, steep);
        // By powers of two, so that nothing is rounded otherwise.
        let unit = 2.0_f32.powi(power);
        let other = own.moved(|p| unit * p, |n| n).unwrap();
        let both = [inputs(&own, Placement::Vertex), inputs_in(unit, &other, Placement::Vertex)];
        // What has a length of its own, or numbers drawn from where things lie.
        let others = [
            "reach", "width", "scale", "apart", "size", "points", "between", "within", "per_piece",
            "bounce",
        ];
        for source in SOURCES.iter().filter(|s| !others.iter().any(|word| s.contains(word))) {
            let [one, other] = both.each_ref().map(|inputs| values(source, inputs));
            prop_assert_eq!(one.is_some(), other.is_some(), "{}", source);
            let (Some(one), Some(other)) = (one, other) else { continue };
            for (i, (a, b)) in one.into_iter().zip(other).enumerate() {
                prop_assert!(apart(a, b) < 1e-4, "{source} at {i}, {unit}: {a:?} {b:?}");
            }
        }
    }

    /// Where the surface is smooth (it bends by less than 45°), a split vertex is what it was; rays
    /// tell the same within their noise.
    #[test]
    fn at_vertices_of_a_smooth_surface_they_are_one(
        heights in vec(0.0_f32..1.0, ((N + 1) * (N + 1)) as usize),
    ) {
        let welded = hills(&heights, 0.12);
        // All corners: what is held at a vertex is then that of its face.
        let torn = split(&welded, &[true; (4 * N * N) as usize]);
        let both = [&welded, &torn].map(|mesh| inputs(mesh, Placement::Vertex));
        for source in SOURCES {
            // What a face has, a vertex of its own has alone, and a shared one in part.
            let is_of_faces = ["Wear", "per_piece", "material", "image", "Group", "Marked"];
            // A light that only grazes the surface is seen or not by a hair.
            let is_grazing = source.contains(r#""light":"x""#);
            if is_grazing || is_of_faces.iter().any(|word| source.contains(word)) {
                continue;
            }
            let source = &*source.replace(r#""rays":16"#, r#""rays":512"#);
            let both = both.each_ref().map(|inputs| values(source, inputs));
            let [one, other] = both.map(|made| made.expect("a lid above"));
            let most = match source {
                _ if is_by_chance(source) => 0.1,
                _ => 2e-3,
            };
            for (corner, &vertex) in welded.corner_vertices().iter().enumerate() {
                let new = torn.corner_vertices()[corner] as usize;
                let (a, b) = (one[vertex as usize], other[new]);
                prop_assert!(apart(a, b) < most, "{source} at corner {corner}: {a:?} {b:?}");
            }
        }
    }
}
