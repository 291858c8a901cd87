//! Bakes where surfaces meet: in creases, at edges that a file split, on sheets folded back, far from
//! the origin. Against what view factors say there (Howell, A Catalog of Radiation Heat Transfer
//! Configuration Factors), and split against welded.

use std::sync::Arc;

use glam::Vec3;
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{Materials, Selection};
use speckle_tools::bake::{
    Inputs,
    image::{Image, Mapping, Picture, Projected, sampled},
};

use crate::{
    bake::{inputs_of, made, mesh},
    common::{arrays_of, materials, polygons, sheet},
};

const MANY: &str = r#"{"kind":"occlusion","rays":4096}"#;

/// A mesh whose faces share no vertex any more.
fn torn(welded: &Mesh) -> Mesh {
    let MeshArrays { positions, face_starts, corner_vertices, .. } = arrays_of(welded);
    let positions = corner_vertices.iter().map(|&v| positions[v as usize]).collect();
    let corner_vertices = (0..corner_vertices.len() as u32).collect();
    mesh(MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() })
}

fn moved(still: &Mesh, by: Vec3) -> Mesh {
    let mut arrays = arrays_of(still);
    arrays.positions.iter_mut().for_each(|p| *p += by);
    mesh(arrays)
}

/// A box from 0 to `size`, seen from outside.
fn cube(size: Vec3) -> Mesh {
    let at = |i: u32| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32) * size;
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    polygons((0..8).map(at).collect(), &faces.map(|face| face.to_vec()))
}

/// A trough along x, open by an angle (degrees), its sides a unit long; vertex 4 stands in the
/// middle of its bottom line.
fn trough(degrees: f32) -> Mesh {
    let (sin, cos) = (degrees / 2.0).to_radians().sin_cos();
    let mut positions = Vec::new();
    for x in [-500.0, 0.0, 500.0] {
        positions.extend([Vec3::new(x, -sin, cos), Vec3::new(x, 0.0, 0.0), Vec3::new(x, sin, cos)]);
    }
    let faces = [[0, 3, 4, 1], [1, 4, 5, 2], [3, 6, 7, 4], [4, 7, 8, 5]];
    polygons(positions, &faces.map(|face| face.to_vec()))
}

/// The sky that the bottom of a trough sees is what lies within half its angle of the bisector:
/// the sine of that, weighted by the cosine.
#[test]
fn the_bottom_of_a_crease_sees_what_lies_between_its_sides() {
    for degrees in [10.0_f32, 30.0, 60.0, 90.0, 140.0] {
        let inputs = inputs_of(vec![trough(degrees)], Placement::Vertex);
        let open = made(MANY, &inputs)[4];
        let expected = (degrees / 2.0).to_radians().sin();
        assert!((open - expected).abs() < 0.02, "{degrees}°: {open}, not {expected}");
    }
    // In the corner of three walls, of an eighth of all ways: 3 / √3 × ¼.
    let room = cube(Vec3::splat(100.0)).turned_over().0;
    let kept = arrays_of(&room);
    let walls: Vec<Vec<u32>> =
        [0, 2, 4].map(|face| kept.corner_vertices[4 * face..4 * face + 4].to_vec()).to_vec();
    let corner = inputs_of(vec![polygons(kept.positions, &walls)], Placement::Vertex);
    let open = made(MANY, &corner)[0];
    assert!((open - 0.433).abs() < 0.02, "{open}");
}

/// At the foot of a wall with vertices of its own, the floor sees half of the sky, and so does the
/// wall; where they share theirs, it is what lies between them.
#[test]
fn a_split_edge_hides_as_much_as_its_faces_do() {
    let far = 400.0;
    let fold = polygons(
        [(-far, 0.0), (far, 0.0)]
            .into_iter()
            .flat_map(|(x, _)| {
                [Vec3::new(x, far, 0.0), Vec3::new(x, 0.0, 0.0), Vec3::new(x, 0.0, far)]
            })
            .chain([Vec3::new(0.0, far, 0.0), Vec3::ZERO, Vec3::new(0.0, 0.0, far)])
            .collect(),
        &[vec![0, 1, 7, 6], vec![1, 2, 8, 7], vec![6, 7, 4, 3], vec![7, 8, 5, 4]],
    );
    let fold = if fold.face_area_vector(0).z > 0.0 { fold } else { fold.turned_over().0 };
    let inputs = inputs_of(vec![torn(&fold)], Placement::Vertex);
    let at_foot = |positions: &[Vec3]| -> Vec<usize> {
        (0..positions.len()).filter(|&v| positions[v] == Vec3::ZERO).collect()
    };
    let foot = at_foot(inputs.body.geometry.mesh().positions());
    assert_eq!(foot.len(), 4);
    let open = made(MANY, &inputs);
    for v in foot {
        assert!((open[v] - 0.5).abs() < 0.02, "{}", open[v]);
    }
    let welded = inputs_of(vec![fold], Placement::Vertex);
    let open = made(MANY, &welded)[7];
    assert!((open - 45_f32.to_radians().sin()).abs() < 0.02, "{open}");
}

/// Nothing comes into a closed room, split or not, from any placement.
#[test]
fn a_closed_room_is_dark_up_to_its_edges() {
    let room = cube(Vec3::new(4.0, 3.0, 2.5)).turned_over().0;
    for (name, room) in [("welded", room.clone()), ("split", torn(&room))] {
        for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
            let inputs = inputs_of(vec![room.clone()], placement);
            for source in [
                r#"{"kind":"occlusion","rays":1024}"#,
                r#"{"kind":"occlusion","rays":256,"both_sides":false,"seed":9}"#,
                r#"{"kind":"openness","light":"up","rays":256}"#,
                r#"{"kind":"openness","light":{"to":[1,2,3]},"spread":40,"rays":256}"#,
            ] {
                let most = made(source, &inputs).into_iter().fold(0.0, f32::max);
                assert!(most < 0.01, "{name}, {placement:?}, {source}: {most}");
            }
        }
    }
}

/// By symmetry all corners of all sides of a split cube are as thick, whichever side it is; and no
/// ray from a side leaves through the one beside it at once.
#[test]
fn thickness_at_split_edges_is_one_number() {
    let inputs = inputs_of(vec![torn(&cube(Vec3::ONE))], Placement::Vertex);
    let thick = made(r#"{"kind":"thickness","rays":2048,"reach":10}"#, &inputs);
    let (low, high) = thick.iter().fold((1.0_f32, 0.0_f32), |(l, h), &x| (l.min(x), h.max(x)));
    assert!(high - low < 0.004 && low > 0.01, "{low} to {high}");
}

/// Curvature belongs to the surface, not to how a file cut it up.
#[test]
fn a_split_mesh_bends_as_its_welded_twin() {
    let ball = crate::bake::sphere(1.0, 12, 18);
    for welded in [cube(Vec3::ONE), trough(80.0), ball] {
        let split = torn(&welded);
        for source in [
            r#"{"kind":"ridges"}"#,
            r#"{"kind":"hollows"}"#,
            r#"{"kind":"edges","angle":20}"#,
            r#"{"kind":"distance","from":{"kind":"end","towards":"down"}}"#,
        ] {
            let [one, other] = [&welded, &split]
                .map(|mesh| made(source, &inputs_of(vec![mesh.clone()], Placement::Vertex)));
            for (corner, &v) in welded.corner_vertices().iter().enumerate() {
                let (a, b) = (one[v as usize], other[corner]);
                assert!((a - b).abs() < 1e-4, "{source} at {corner}: {a} {b}");
            }
        }
        // What is held at corners and faces knows nothing of vertices.
        for placement in [Placement::Corner, Placement::Face] {
            for source in [r#"{"kind":"occlusion","rays":64}"#, r#"{"kind":"thickness"}"#] {
                let [one, other] = [&welded, &split]
                    .map(|mesh| made(source, &inputs_of(vec![mesh.clone()], placement)));
                assert_eq!(one, other, "{source}, {placement:?}");
            }
        }
    }
}

/// A leaf of two faces back to back that share their vertices lies in the open on both sides.
#[test]
fn a_sheet_folded_back_on_itself_has_no_black_specks() {
    let MeshArrays { positions, face_starts, mut corner_vertices, .. } = sheet(3, 0.0);
    let faces: Vec<Vec<u32>> = (0..face_starts.len() - 1)
        .map(|f| corner_vertices[face_starts[f] as usize..face_starts[f + 1] as usize].to_vec())
        .collect();
    corner_vertices.clear();
    let back = faces.iter().map(|face| face.iter().rev().copied().collect());
    let both: Vec<Vec<u32>> = faces.iter().cloned().chain(back).collect();
    // A little bent, so that the normals cancel but for rounding.
    let bent = positions.iter().map(|p| Vec3::new(p.x, p.y, 0.001 * (p.x * 7.0).sin())).collect();
    let inputs = inputs_of(vec![polygons(bent, &both)], Placement::Vertex);
    let open = made(MANY, &inputs);
    assert!(open.iter().all(|&open| open > 0.97), "{open:?}");
}

/// A vertex of a slab's top that was pulled over the faces around it, as decimation leaves them: half of its
/// faces look down, by their angles exactly as many as look up. It lies in the open, whichever face is first.
#[test]
fn a_vertex_whose_faces_were_turned_over_is_looked_at_from_outside() {
    let n = 6;
    let MeshArrays { positions, face_starts, corner_vertices, .. } = sheet(n, 0.0);
    let top: Vec<Vec<u32>> = face_starts
        .windows(2)
        .flat_map(|range| {
            let quad = &corner_vertices[range[0] as usize..range[1] as usize];
            [vec![quad[0], quad[1], quad[2]], vec![quad[0], quad[2], quad[3]]]
        })
        .collect();
    let count = positions.len() as u32;
    let below = positions.iter().map(|&p| p - 0.4 * Vec3::Z);
    let mut places: Vec<Vec3> = positions.iter().copied().chain(below).collect();
    let bottom = top.iter().map(|face| face.iter().rev().map(|v| v + count).collect());
    let mut faces: Vec<Vec<u32>> = top.iter().cloned().chain(bottom).collect();
    let side = n + 1;
    for i in 0..n {
        for [a, b] in [
            [i, i + 1],
            [i * side + n, (i + 1) * side + n],
            [n * side + i + 1, n * side + i],
            [(i + 1) * side, i * side],
        ] {
            faces.push(vec![a, a + count, b + count, b]);
        }
    }
    let middle = (n / 2 * side + n / 2) as usize;
    places[middle] += Vec3::new(0.52, 0.23, 0.0);
    for _ in 0..faces.len() / 12 {
        faces.rotate_left(12);
        let inputs = inputs_of(vec![polygons(places.clone(), &faces)], Placement::Vertex);
        let open = made(MANY, &inputs)[middle];
        assert!(open > 0.97, "{open}");
    }
}

/// What a part looks like does not depend on where its numbers lie.
#[test]
fn far_from_the_origin_it_is_the_same() {
    let still = crate::bake::sphere(1.0, 12, 18);
    // A box without its lid, seen from within.
    let kept = arrays_of(&cube(Vec3::ONE).turned_over().0);
    let walls = kept.corner_vertices.chunks(4).take(5).map(<[u32]>::to_vec);
    let pit = polygons(kept.positions.clone(), &walls.collect::<Vec<_>>());
    for mesh in [pit, cube(Vec3::ONE), still] {
        let size = 2.0;
        for far in [30.0, 300.0, 1000.0] {
            let away = moved(&mesh, Vec3::new(far, -0.7 * far, 0.4 * far) * size);
            for source in
                [r#"{"kind":"occlusion","rays":512}"#, r#"{"kind":"thickness","rays":512}"#]
            {
                let values =
                    |mesh: &Mesh| made(source, &inputs_of(vec![mesh.clone()], Placement::Face));
                let pairs = values(&mesh).into_iter().zip(values(&away));
                let off = pairs.map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
                assert!(off < 0.03, "{source}, {far} times its size away: {off}");
            }
        }
    }
}

/// The inputs of a sheet of 8 × 8 quads whose left half is a group.
fn half_selected(placement: Placement) -> Inputs {
    let inputs = inputs_of(vec![mesh(sheet(8, 0.0))], placement);
    let mut parts = inputs.parts.to_vec();
    let faces = (0..64).filter(|face| face % 8 < 4).collect();
    parts[0].traits.selections = Arc::new(vec![Selection { name: "Left".to_owned(), faces }]);
    Inputs { parts: Arc::new(parts), ..inputs }
}

#[test]
fn a_trail_begins_where_its_selection_ends() {
    let inputs = half_selected(Placement::Vertex);
    let source = r#"{"kind":"trail","root":{"kind":"selection","name":"Left"},"reach":2}"#;
    let trail = made(source, &inputs);
    for (p, value) in inputs.body.geometry.mesh().positions().iter().zip(trail) {
        assert!((value - p.x.max(0.0) / 2.0).abs() < 1e-3, "{p}: {value}");
    }
}

/// Images of sides that are no powers of two: the mean over all of one is the mean of its pixels.
#[test]
fn an_image_of_any_size_is_averaged_whole() {
    for (width, height) in [(3, 3), (5, 2), (7, 11), (33, 31), (129, 65)] {
        let bytes: Vec<u8> = (0..4 * width * height)
            .map(|i| if i % 4 == 3 { 255 } else { ((i / 4 * 89 + i % 4 * 31) % 251) as u8 })
            .collect();
        let image = Image::from_rgba(width, height, &bytes).unwrap();
        let face = MeshArrays {
            positions: vec![Vec3::ZERO, Vec3::X, Vec3::new(1.0, 1.0, 0.0), Vec3::Y],
            face_starts: vec![0, 4],
            corner_vertices: vec![0, 1, 2, 3],
            ..MeshArrays::default()
        };
        let uvs: Vec<_> = face.positions.iter().map(|p| p.truncate()).collect();
        let square = inputs_of(vec![mesh(face)], Placement::Face);
        let picture = Picture {
            image: Some(&image),
            projected: Projected::Uv(&uvs),
            tint: speckle_color::Linear([1.0; 4]),
        };
        let mapping = Mapping { encoding: speckle_color::Encoding::Data, ..Mapping::default() };
        let geometry = &square.body.geometry;
        let [value] = sampled(&[picture], &[], &mapping, geometry, Placement::Face)[..] else {
            panic!("one face")
        };
        let count = (width * height) as f32;
        for k in 0..3 {
            let mean = bytes.chunks(4).map(|p| f32::from(p[k])).sum::<f32>() / 255.0 / count;
            assert!((value[k] - mean).abs() < 0.02, "{width} × {height}: {} {mean}", value[k]);
        }
    }
}

/// Faces of different materials meet, whether the file named them as groups or gave each face its
/// material alone.
#[test]
fn materials_are_told_apart_by_groups_or_by_faces() {
    let inputs = half_selected(Placement::Face);
    let by_groups = |source: &str| made(source, &inputs);
    let mut parts = inputs.parts.to_vec();
    parts[0].traits.selections = Arc::default();
    let both = materials(&[([1.0; 4], None), ([0.5; 4], None)], 64);
    let of_faces = (0..64).map(|face| u32::from(face % 8 < 4)).collect();
    parts[0].materials = Arc::new(Materials { of_faces, ..both });
    let given = Inputs { parts: Arc::new(parts), ..inputs.clone() };
    for source in [
        r#"{"kind":"joint","between":"materials","width":0.5}"#,
        r#"{"kind":"per_piece","by":"materials"}"#,
    ] {
        let (ours, theirs) = (by_groups(source), made(source, &given));
        // What is random comes from their names, and so is another; what is told apart is the same.
        for a in 0..64 {
            for b in 0..a {
                let same = |values: &[f32]| values[a] == values[b];
                assert_eq!(same(&ours), same(&theirs), "{source}: {a} and {b}");
            }
        }
    }
    // With one material for all, or none, there is nothing to be told apart.
    let mut plain = given.parts.to_vec();
    plain[0].materials = Arc::default();
    let plain = Inputs { parts: Arc::new(plain), ..inputs.clone() };
    let none = made(r#"{"kind":"joint","between":"materials","width":0.5}"#, &plain);
    assert!(none.iter().all(|&near| near == 0.0));
    let joint = made(r#"{"kind":"joint","between":"materials","width":0.5}"#, &given);
    assert!(joint[3] > 0.7 && joint[4] > 0.7 && joint[0] == 0.0 && joint[7] == 0.0, "{joint:?}");
}

/// A sheet folded at a right angle along its middle, n × n quads.
fn fold(n: u32) -> Mesh {
    let mut arrays = sheet(n, 0.0);
    arrays.positions.iter_mut().for_each(|p| {
        if p.x > 0.0 {
            (p.x, p.z) = (0.0, -p.x);
        }
    });
    mesh(arrays)
}

/// Normals differ by 2 sin φ/2 over an edge, half of which is mean curvature; heat of four steps of
/// implicit Euler has a peak of 5/16 √8 ÷ radius (∫ dk/2π (1 + k² t/4)⁻⁴ with t = r²/8, by hand): 0.625
/// for a right angle, however fine the mesh. It went from 0.46 to 0.90 before.
#[test]
fn the_curvature_of_an_edge_at_a_scale_does_not_depend_on_the_mesh() {
    let scale = 0.5;
    let at_edge = |n: u32| {
        let inputs = inputs_of(vec![fold(n)], Placement::Vertex);
        let ridges = made(&format!(r#"{{"kind":"ridges","scale":{scale}}}"#), &inputs);
        crate::bake::at(&ridges, &inputs, Vec3::ZERO)
    };
    for (n, most) in [(16, 0.05), (32, 0.02), (64, 0.02), (96, 0.02)] {
        let found = at_edge(n);
        assert!((found - 0.625).abs() < most, "{n} × {n}: {found}");
    }
}

/// Hollow and out as one number: what ridges and hollows say apart, about a half.
#[test]
fn relief_is_ridges_and_hollows_in_one() {
    for folded in [fold(24), fold(24).turned_over().0] {
        let inputs = inputs_of(vec![folded], Placement::Vertex);
        let scaled = |kind: &str| made(&format!(r#"{{"kind":"{kind}","scale":0.3}}"#), &inputs);
        let (ridges, hollows) = (scaled("ridges"), scaled("hollows"));
        let relief = made(r#"{"kind":"relief","scales":[{"scale":0.3}]}"#, &inputs);
        for ((r, h), relief) in ridges.iter().zip(&hollows).zip(&relief) {
            assert!((0.5 + 0.5 * (r - h) - relief).abs() < 1e-5);
        }
        // Two scales by their weights.
        let fine = made(r#"{"kind":"relief"}"#, &inputs);
        let both =
            made(r#"{"kind":"relief","scales":[{"scale":0.3,"weight":3},{"scale":0}]}"#, &inputs);
        for ((a, b), both) in relief.iter().zip(&fine).zip(&both) {
            assert!((0.75 * a + 0.25 * b - both).abs() < 1e-4, "{a} {b} {both}");
        }
    }
    let nothing: speckle_model::recipe::Source =
        serde_json::from_str(r#"{"kind":"relief","scales":[{"scale":1,"weight":0}]}"#).unwrap();
    assert!(nothing.problem().is_some());
}

/// Edges where more than two faces meet: three walls of a T have one; a leaf with its back to itself,
/// vertices shared or not, has none within it.
#[test]
fn edges_are_found_where_sheets_meet_and_not_where_they_lie_back_to_back() {
    let edge = r#"{"kind":"edges","angle":30,"width":0.2}"#;
    let p = |x: f32, y: f32, z: f32| Vec3::new(x, y, z);
    let tee = polygons(
        vec![
            p(-1.0, 0.0, 0.0),
            p(-1.0, 2.0, 0.0),
            p(0.0, 0.0, 0.0),
            p(0.0, 2.0, 0.0),
            p(1.0, 0.0, 0.0),
            p(1.0, 2.0, 0.0),
            p(0.0, 0.0, 1.0),
            p(0.0, 2.0, 1.0),
        ],
        &[vec![0, 2, 3, 1], vec![2, 4, 5, 3], vec![2, 6, 7, 3]],
    );
    for tee in [tee.clone(), torn(&tee)] {
        let inputs = inputs_of(vec![tee], Placement::Vertex);
        let near = made(edge, &inputs);
        for (p, near) in inputs.body.geometry.mesh().positions().iter().zip(near) {
            assert_eq!(near, if p.x == 0.0 && p.z == 0.0 { 1.0 } else { 0.0 }, "{p}");
        }
    }
    let front = sheet(3, 0.0);
    let back = arrays_of(&mesh(front.clone()).turned_over().0);
    let apart = mesh(crate::common::beside(front.clone(), back.clone()));
    let mut shared = crate::common::beside(front, back);
    let half = shared.positions.len() as u32 / 2;
    shared.corner_vertices.iter_mut().for_each(|v| *v %= half);
    shared.positions.truncate(half as usize);
    for (name, leaf) in [("apart", apart), ("shared", mesh(shared))] {
        let inputs = inputs_of(vec![leaf], Placement::Vertex);
        let near = made(r#"{"kind":"edges","angle":30,"width":0.1}"#, &inputs);
        for (p, near) in inputs.body.geometry.mesh().positions().iter().zip(near) {
            let is_inner = p.x.abs() < 0.9 && p.y.abs() < 0.9;
            assert!(!is_inner || near == 0.0, "{name}, {p}: {near}");
        }
    }
}

/// A stray vertex far off, which no face uses, squeezes no ramp and moves no length.
#[test]
fn a_stray_vertex_changes_nothing() {
    let ball = crate::bake::sphere(1.0, 8, 12);
    let mut arrays = arrays_of(&ball);
    arrays.positions.push(Vec3::splat(1e4));
    let strayed = mesh(arrays);
    for source in crate::needs::SOURCES.iter().filter(|source| {
        ["occlusion", "height", "position", "distance", "noise", "thickness", "trail", "ridges"]
            .iter()
            .any(|kind| source.contains(&format!(r#""kind":"{kind}"#)))
            && !["selection", "part", "uv", "open_edge"].iter().any(|word| source.contains(word))
    }) {
        let values = |mesh: &Mesh| made(source, &inputs_of(vec![mesh.clone()], Placement::Face));
        assert_eq!(values(&ball), values(&strayed), "{source}");
    }
}
