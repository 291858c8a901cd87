//! STL against files of PyPI `trimesh` (`reference/trimesh_samples.py`) and against itself.

use glam::Vec3;
use speckle_formats::{
    Body, Format, Import, MeshFile, Place, ReadOptions, RepairKind, Shipment, WriteOptions, write,
};
use speckle_mesh::{Geometry, Transform};

use crate::common::{into_parts, read};

fn kinds(import: &Import) -> Vec<(RepairKind, usize)> {
    import.repairs.iter().map(|r| (r.kind, r.count)).collect()
}

#[test]
fn both_kinds_of_trimesh_are_welded_to_the_same_closed_wedge() {
    let binary: &[u8] = include_bytes!("../reference/trimesh_wedge.stl");
    let text: &[u8] = include_bytes!("../reference/trimesh_wedge_text.stl");
    for bytes in [binary, text] {
        let import = read("wedge.stl", bytes).unwrap();
        assert_eq!(kinds(&import), [(RepairKind::Welded, 24 - 6)]);
        let geometry = Geometry::new(import.parts[0].mesh.clone());
        assert_eq!((geometry.mesh().vertex_count(), geometry.mesh().face_count()), (6, 8));
        assert!(geometry.topology().is_watertight());
        let measures = geometry.measures();
        assert!((measures.area - 9.0).abs() < 1e-6 && (measures.volume - 1.5).abs() < 1e-6);
    }
}

#[test]
fn corners_within_the_tolerance_are_one_vertex() {
    // Two triangles along an edge, one of them off by 0.01, as rounded text has it.
    let text = "solid a
        facet normal 0 0 0\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet
        facet normal 0 0 -1\nouter loop\nvertex 1.01 0 0\nvertex 1 1 0\nvertex 0 1.01 0\nendloop\nendfacet
        endsolid a";
    let vertices = |weld: f32| {
        let file = MeshFile::alone("a.stl", text.as_bytes());
        let import = speckle_formats::read(&file, &ReadOptions { weld, ..ReadOptions::default() });
        import.unwrap()
    };
    assert_eq!(vertices(0.0).parts[0].mesh.vertex_count(), 6);
    assert_eq!(vertices(0.02).parts[0].mesh.vertex_count(), 4);
    // The second facet's normal points against its corners' order.
    let told = vertices(0.02);
    let bad = told.repairs.iter().find(|r| r.kind == RepairKind::BadNormal).unwrap();
    assert_eq!((bad.count, bad.places.as_slice()), (1, &[Vec3::new(1.01, 0.0, 0.0)][..]));
}

#[test]
fn solids_of_a_text_file_come_back_as_parts_where_they_stood() {
    let mut parts =
        into_parts(speckle_demo::piece("bollard").unwrap().make(speckle_demo::Detail::Usual));
    let mut second = parts[0].clone();
    second.traits.name = "Second bollard".into();
    // Mirrored: the faces must still look outwards in the file.
    second.traits.transform = Transform {
        translation: Vec3::new(400.0, 0.0, 0.0),
        rotation_degrees: Vec3::new(0.0, 30.0, 0.0),
        scale: Vec3::new(-1.0, 1.0, 1.0),
    };
    parts.push(second);
    let options = WriteOptions { body: Body::Ascii, ..WriteOptions::default() };
    let export = write(Format::Stl, &Shipment::of(&parts), options).unwrap();
    assert!(export.losses[0].text.contains("was left out, STL has no room"), "{:?}", export.losses);
    let back = read("quay.stl", &export.bytes).unwrap();
    let names: Vec<&str> = back.parts.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["Bollard", "Second bollard"]);
    let [first, second] = [0, 1].map(|i| Geometry::new(back.parts[i].mesh.clone()));
    let volume = parts[0].geometry.measures().volume;
    for geometry in [&first, &second] {
        assert!(geometry.topology().is_watertight());
        assert!((geometry.measures().volume / volume - 1.0).abs() < 1e-4);
    }
    assert!((second.measures().center().x - 400.0).abs() < 1.0);

    let binary = write(Format::Stl, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let joined = read("quay.stl", &binary.bytes).unwrap();
    let faces = joined.parts[0].mesh.face_count();
    assert_eq!(faces, 2 * parts[0].geometry.mesh().triangle_count());
}

#[test]
fn a_file_cut_short_is_told_so() {
    let binary: &[u8] = include_bytes!("../reference/trimesh_wedge.stl");
    let error = read("w.stl", &binary[..300]).unwrap_err();
    assert_eq!(error.place, Place::Byte(300));
    assert!(error.cause.contains("8 triangles are promised"), "{error}");
    let text: &[u8] = include_bytes!("../reference/trimesh_wedge_text.stl");
    let end = String::from_utf8_lossy(text).rfind("endloop").unwrap();
    let error = read("w.stl", &text[..end]).unwrap_err();
    assert!(error.cause.contains("middle of a facet"), "{error}");
    let broken = String::from_utf8_lossy(text).replacen("vertex 2.0", "vertex two", 1);
    let error = read("w.stl", broken.as_bytes()).unwrap_err();
    assert_eq!(error.place, Place::Line(5));
}
