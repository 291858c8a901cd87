//! OBJ against a file of PyPI `trimesh` (`reference/trimesh_samples.py`), against one written by
//! hand by the format's rules, and against itself there and back.

use glam::Vec3;
use speckle_formats::{
    Format, FormatError, Groups, Import, MeshFile, Place, ReadOptions, Shipment, WriteOptions,
    write,
};
use speckle_mesh::Placement;

use crate::common::{into_parts, read};

const BY_HAND: &[u8] = include_bytes!("../reference/colors.obj");

fn by_hand(groups: Option<Groups>, with_materials: bool) -> Import {
    let beside = |name: &str| {
        (with_materials && name == "colors.mtl")
            .then(|| include_bytes!("../reference/colors.mtl").to_vec())
    };
    let file = MeshFile { name: "boat.obj", bytes: BY_HAND, beside: &beside };
    speckle_formats::read(&file, &ReadOptions { groups, ..ReadOptions::default() }).unwrap()
}

/// Six numbers on a `v` line (common practice, no source; trimesh writes them).
#[test]
fn a_file_of_trimesh_has_its_shape_and_its_colors() {
    let import = read("wedge.obj", include_bytes!("../reference/trimesh_wedge.obj")).unwrap();
    let parts = into_parts(import.parts);
    assert!(import.repairs.is_empty() && import.notes.is_empty());
    let measures = parts[0].geometry.measures();
    assert!((measures.area - 9.0).abs() < 1e-6 && (measures.volume - 1.5).abs() < 1e-6);
    assert!(parts[0].geometry.topology().is_watertight());
    let set = &parts[0].sets[0];
    assert_eq!(set.placement, Placement::Vertex);
    for (value, bytes) in set.values.iter().zip([[255, 0, 0], [0, 128, 0], [0, 0, 64]]) {
        assert!(value.iter().zip(bytes).all(|(v, b)| (v * 255.0 - b as f32).abs() < 1e-4));
    }
}

#[test]
fn objects_become_parts_and_groups_what_the_user_says() {
    let names = |import: &Import| -> Vec<(String, usize, Vec<String>)> {
        let selections = |part: &speckle_model::NewPart| {
            part.selections.iter().map(|s| s.name.clone()).collect()
        };
        let parts = import.parts.iter();
        parts.map(|p| (p.name.clone(), p.mesh.face_count(), selections(p))).collect()
    };
    let none = Vec::<String>::new;
    let usual = names(&by_hand(None, true));
    assert_eq!(
        usual,
        [("deck".into(), 1, none()), ("rail".into(), 1, none()), ("mast".into(), 1, none())]
    );
    let kept = by_hand(Some(Groups::Selections), true);
    let expected =
        [("hull".into(), 2, vec!["deck".into(), "rail".into()]), ("mast".into(), 1, none())];
    assert_eq!(names(&kept), expected);
    assert_eq!(kept.parts[0].selections[1].faces, [1]);
}

#[test]
fn polygons_relative_numbers_colors_uvs_and_materials_are_read() {
    let import = by_hand(Some(Groups::Selections), true);
    let (hull, mast) = (&import.parts[0], &import.parts[1]);
    assert_eq!(hull.mesh.face_vertices(0), [0, 1, 2, 3], "a quad over two lines of text");
    assert_eq!(hull.mesh.face_vertices(1), [0, 2, 3], "counted backwards");
    assert_eq!(hull.mesh.uv_sets()[0].uvs[2].to_array(), [1.0, 1.0]);
    let color = &hull.sets[0];
    assert_eq!(color.values, [[1., 0., 0., 1.], [0., 1., 0., 1.], [0., 0., 1., 1.], [1.; 4]]);
    let material = &hull.sets[1];
    assert_eq!((material.name.as_str(), material.placement), ("Material", Placement::Face));
    assert_eq!(material.values, [[0.8, 0.6, 0.4, 1.0], [0.5, 0.2, 0.1, 0.5]]);
    assert_eq!(mast.mesh.vertex_count(), 3, "a part takes the vertices it uses");
    assert_eq!(mast.mesh.positions()[2], Vec3::new(0.5, 0.5, 3.0));
    assert_eq!(import.notes, ["lines and points are not kept"]);
    // Without the MTL the shape still comes in, and the report says what is missing.
    let bare = by_hand(None, false);
    assert!(bare.parts.iter().all(|part| part.sets.len() == 1));
    assert!(bare.notes.iter().any(|note| note.contains("colors.mtl")), "{:?}", bare.notes);
}

#[test]
fn what_is_written_is_read_again() {
    let parts = into_parts(by_hand(None, true).parts);
    let export = write(Format::Obj, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    assert!(
        export.losses.is_empty()
            || export.losses.iter().all(|loss| !loss.text.contains("left out"))
    );
    let back = read("boat.obj", &export.bytes).unwrap();
    assert_eq!(back.parts.len(), parts.len());
    for (ours, theirs) in back.parts.iter().zip(&parts) {
        assert_eq!((&ours.name, &ours.mesh), (&theirs.traits.name, theirs.geometry.mesh()));
        assert_eq!(ours.sets[0].values, *theirs.sets[0].values);
    }
}

#[test]
fn damage_is_told_with_its_line_and_what_to_do() {
    let refused = |text: &str| -> FormatError { read("x.obj", text.as_bytes()).unwrap_err() };
    let triangle = "v 0 0 0\nv 1 0 0\nv 0 1 0\n";
    for (text, line, cause) in [
        ("v 0 0\n", 1, "2 numbers stand where 3 are needed"),
        ("v 0 zero 0\n", 1, "\"zero\" is no number"),
        (&format!("{triangle}f 1 2 4\n"), 4, "vertex 4, but there are only 3"),
        (&format!("{triangle}# so far\nf 1 2 0\n"), 5, "\"0\" names no vertex"),
        (&format!("{triangle}f 1 2 -4\n"), 4, "names no vertex"),
        (&format!("{triangle}f 1 2 x\n"), 4, "names no vertex"),
        (&format!("{triangle}f 1/1 2/1 3/1\n"), 4, "UV 1, but there are only 0"),
    ] {
        let error = refused(text);
        assert_eq!(error.place, Place::Line(line), "{text}: {error}");
        assert!(error.cause.contains(cause) && !error.remedy.is_empty(), "{error}");
    }
    assert!(refused(triangle).cause.contains("no faces"));
}

#[test]
fn colors_that_count_to_255_are_brought_to_one() {
    let text = "v 0 0 0 255 0 0\nv 1 0 0 0 127.5 0\nv 0 1 0 0 0 51\nf 1 2 3\n";
    let import = read("x.obj", text.as_bytes()).unwrap();
    assert_eq!(import.parts[0].sets[0].values[1], [0.0, 0.5, 0.0, 1.0]);
    assert!(import.notes[0].contains("255") && import.repairs.is_empty());
}
