//! What each format carries along: UVs, several parts, sets of each placement, names.

use glam::{Vec2, Vec3};
use speckle_color::Encoding;
use speckle_formats::{Body, Format, Shipment, WriteOptions, write};
use speckle_mesh::{
    Mesh, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet};

use crate::common::{into_parts, read};

/// Two triangles that share an edge, folded along it, with a UV seam there.
fn tent(name: &str, sets: Vec<NewSet>) -> NewPart {
    let uvs = [[0., 0.], [1., 0.], [0., 1.], [0.5, 0.25], [0.75, 0.5], [1., 1.]].map(Vec2::from);
    let mesh = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::new(1.0, 1.0, 0.5)],
        face_starts: vec![0, 3, 6],
        corner_vertices: vec![0, 1, 2, 1, 3, 2],
        uv_sets: vec![UvSet { name: "UV".into(), uvs: uvs.to_vec() }],
        ..MeshArrays::default()
    })
    .unwrap();
    NewPart::new(name, mesh, sets)
}

fn set(name: &str, placement: Placement, encoding: Encoding, values: &[[f32; 4]]) -> NewSet {
    NewSet { name: name.into(), placement, encoding, ground: [1.0; 4], values: values.to_vec() }
}

const RED: [f32; 4] = [1.0, 0.0, 0.0, 1.0];
const BLUE: [f32; 4] = [0.0, 0.0, 1.0, 1.0];

/// Position and UV of each corner, in order: what a picture of the mesh depends on.
fn corners(mesh: &Mesh) -> Vec<(Vec3, Vec2)> {
    (0..mesh.corner_count()).map(|c| (mesh.corner_position(c), mesh.uv_sets()[0].uvs[c])).collect()
}

#[test]
fn uvs_survive_in_both_formats_and_split_vertices_only_at_the_seam() {
    let parts = into_parts(vec![tent("Tent", vec![])]);
    let options = WriteOptions { body: Body::Ascii, ..WriteOptions::default() };
    for format in [Format::Ply, Format::Glb] {
        let export = write(format, &Shipment::of(&parts), options).unwrap();
        let name = format!("tent.{}", format.extension());
        let back = read(&name, &export.bytes).unwrap();
        let mesh = &back.parts[0].mesh;
        // PLY keeps UVs at corners; a glTF vertex carries one UV, so both seam vertices are split in
        // the file, and one again when it is read.
        assert_eq!(mesh.vertex_count(), 4, "{format:?}");
        for (ours, theirs) in corners(mesh).iter().zip(corners(parts[0].geometry.mesh())) {
            assert_eq!(ours.0, theirs.0);
            assert!(ours.1.distance(theirs.1) < 1e-6, "{format:?}: {ours:?} {theirs:?}");
        }
    }
}

#[test]
fn faces_of_their_own_color_stay_flat_in_a_glb() {
    let faces = set("Panels", Placement::Face, Encoding::Color, &[RED, BLUE]);
    let parts = into_parts(vec![tent("Tent", vec![faces])]);
    let export = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let back = read("t.glb", &export.bytes).unwrap();
    let part = &back.parts[0];
    assert_eq!(part.sets[0].name, "Panels");
    for (face, color) in [(0, RED), (1, BLUE)] {
        for &vertex in part.mesh.face_vertices(face) {
            assert_eq!(part.sets[0].values[vertex as usize], color);
        }
    }
}

#[test]
fn several_parts_stay_apart_in_a_glb_and_are_joined_in_a_ply() {
    let coat = |color| set("Coat", Placement::Vertex, Encoding::Color, &[color; 4]);
    let parts = into_parts(vec![
        tent("Red tent", vec![coat(RED)]),
        tent("Bare tent", vec![]),
        tent(
            "Blue tent",
            vec![coat(BLUE), set("Wear", Placement::Vertex, Encoding::Data, &[[0.5; 4]; 4])],
        ),
    ]);
    let glb = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let back = read("camp.glb", &glb.bytes).unwrap();
    let told: Vec<(&str, usize)> =
        back.parts.iter().map(|p| (p.name.as_str(), p.sets.len())).collect();
    assert_eq!(told, [("Red tent", 1), ("Bare tent", 0), ("Blue tent", 2)]);
    assert_eq!(back.parts[2].sets[1].encoding, Encoding::Data);
    assert_eq!(back.parts[2].sets[1].values[0], [0.5; 4], "a neutral of 0.5 stays 0.5");

    let ply = write(Format::Ply, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    assert!(
        ply.losses.iter().any(|note| note.text.contains("3 parts are joined")),
        "{:?}",
        ply.losses
    );
    let back = read("camp.ply", &ply.bytes).unwrap();
    let mesh = &back.parts[0].mesh;
    assert_eq!((mesh.vertex_count(), mesh.face_count()), (12, 6));
    let values = &back.parts[0].sets[0].values;
    // A part without the set is white in it, the usual start.
    assert_eq!((values[0], values[4], values[8]), (RED, [1.0; 4], BLUE));
    // A second set has numbers of its own.
    let wear = &back.parts[0].sets[1];
    assert_eq!((wear.name.as_str(), wear.encoding), ("Wear", Encoding::Data));
    assert_eq!((wear.values[0], wear.values[8]), ([1.0; 4], [128.0 / 255.0; 4]));
}

#[test]
fn data_sets_and_their_names_travel_in_a_ply() {
    let wear = set("Rope wear", Placement::Vertex, Encoding::Data, &[[0.5, 0.0, 1.0, 0.25]; 4]);
    let parts = into_parts(vec![tent("Tent", vec![wear])]);
    let options = WriteOptions { depth: speckle_formats::Depth::Float, ..WriteOptions::default() };
    let export = write(Format::Ply, &Shipment::of(&parts), options).unwrap();
    let back = read("t.ply", &export.bytes).unwrap();
    let set = &back.parts[0].sets[0];
    assert_eq!((set.name.as_str(), set.encoding), ("Rope wear", Encoding::Data));
    assert_eq!(set.values[0], [0.5, 0.0, 1.0, 0.25]);
}

#[test]
fn a_polygon_of_many_corners_goes_out_as_it_came_and_is_cut_for_a_glb() {
    let n = 300;
    let positions: Vec<Vec3> = (0..n)
        .map(|i| {
            let (sin, cos) = (i as f32 / n as f32 * std::f32::consts::TAU).sin_cos();
            // A star: every second point lies further in, so it is concave all round.
            Vec3::new(cos, sin, 0.0) * if i % 2 == 0 { 1.0 } else { 0.9 }
        })
        .collect();
    let mesh = Mesh::new(MeshArrays {
        positions,
        face_starts: vec![0, n],
        corner_vertices: (0..n).collect(),
        ..MeshArrays::default()
    })
    .unwrap();
    let parts = into_parts(vec![NewPart::new("Star", mesh, vec![])]);
    for body in [Body::Ascii, Body::Little, Body::Big] {
        let options = WriteOptions { body, ..WriteOptions::default() };
        let export = write(Format::Ply, &Shipment::of(&parts), options).unwrap();
        let back = read("star.ply", &export.bytes).unwrap();
        assert_eq!(&back.parts[0].mesh, parts[0].geometry.mesh(), "{body:?}");
    }
    let glb = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    assert!(glb.losses[0].line().contains("1 faces into 298 triangles"), "{:?}", glb.losses);
    let back = read("star.glb", &glb.bytes).unwrap();
    let cut = speckle_mesh::Geometry::new(back.parts[0].mesh.clone());
    let whole = parts[0].geometry.measures().area;
    assert!((cut.measures().area - whole).abs() < 1e-5);
}

#[test]
fn formats_are_told_by_the_end_of_the_name() {
    assert_eq!(Format::of_name("a.b.PLY").unwrap(), Format::Ply);
    assert_eq!(Format::of_name("/some.where/x.glb").unwrap(), Format::Glb);
    for (name, cause) in [("x.obj2", ".obj2 are not known"), ("noname", "no extension")] {
        let error = Format::of_name(name).unwrap_err();
        assert!(
            error.cause.contains(cause) && error.remedy.contains(".glb, .gltf, .ply"),
            "{error}"
        );
    }
    assert!(write(Format::Ply, &Shipment::of(&[]), WriteOptions::default()).is_err());
}
