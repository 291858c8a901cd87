//! Zips of files, and packages made to do harm.

use std::io::{Cursor, Write};

use speckle_formats::{Limits, MeshFile, ReadOptions};
use speckle_mesh::Unit;
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

use crate::common::read;

fn packed(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let how = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    for (name, bytes) in files {
        zip.start_file(*name, how).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

const OBJ: &[u8] = b"mtllib ../stuff/tar.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl Tar\nf 1 2 3\n";
const MTL: &[u8] = b"newmtl Tar\nKd 0.5 0.25 0\n";
const OFF: &[u8] = b"OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";

#[test]
fn all_meshes_of_a_zip_come_in_with_what_lies_beside_them() {
    let zip = packed(&[
        ("quay/meshes/post.obj", OBJ),
        ("quay/stuff/tar.mtl", MTL),
        ("quay/sail.off", OFF),
        ("quay/read me.txt", b"hello"),
    ]);
    let import = read("quay.zip", &zip).unwrap();
    let names: Vec<&str> = import.parts.iter().map(|part| part.name.as_str()).collect();
    assert_eq!(names, ["post", "sail"]);
    assert_eq!(import.parts[0].sets[0].values, [[0.5, 0.25, 0.0, 1.0]]);
    assert_eq!(import.traits.unit, Unit::Millimetre);
    let reason = &import.reasons.unit;
    assert!(reason.starts_with("as files of OBJ"), "{reason}");
    assert!(reason.contains("; quay/sail.off: as files of OFF"), "{reason}");

    let error = read("words.zip", &packed(&[("a.txt", b"x")])).unwrap_err();
    assert!(error.cause.contains("no mesh") && error.remedy.contains(".glb"), "{error}");
    let broken = packed(&[("sail.off", b"OFF\n3 1 0\n0 0 0\n")]);
    let error = read("quay.zip", &broken).unwrap_err();
    assert!(error.cause.starts_with("sail.off in it: "), "{error}");
    for end in [3, zip.len() / 2, zip.len() - 1] {
        assert!(read("quay.zip", &zip[..end]).is_err(), "cut at {end}");
    }
}

/// 64 MiB of blanks in a few kilobytes: refused by what the package says of itself, unread.
#[test]
fn bombs_are_refused_before_they_are_unpacked() {
    let blanks = vec![b' '; 64 << 20];
    let begun = std::time::Instant::now();
    let zip = packed(&[("bomb.off", &blanks)]);
    assert!(zip.len() < 200_000);
    let packing = begun.elapsed();
    let begun = std::time::Instant::now();
    let error = read("bomb.zip", &zip).unwrap_err();
    assert!(error.cause.contains("would unpack to 67108864 bytes"), "{error}");
    let model = packed(&[("3D/3dmodel.model", &blanks)]);
    let repacking = begun.elapsed();
    assert!(read("bomb.3mf", &model).unwrap_err().cause.contains("would unpack to"));
    assert!(repacking < 4 * packing + std::time::Duration::from_secs(1));

    let limits = Limits { bytes: 100, ..Limits::default() };
    let zip = packed(&[("sail.off", OFF), ("more.off", &OFF.repeat(3))]);
    let file = MeshFile::alone("quay.zip", &zip);
    let options = ReadOptions { limits, ..ReadOptions::default() };
    assert!(speckle_formats::read(&file, &options).unwrap_err().cause.contains("would unpack"));
}

/// Entities that name entities would grow to gigabytes; ours are the five of the standard alone.
#[test]
fn xml_knows_no_entities_of_a_file_s_own_and_reaches_nowhere() {
    let laughs = r#"<?xml version="1.0"?><!DOCTYPE X3D [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]>
        <X3D><Scene><Shape><IndexedFaceSet coordIndex='0 1 2'><Coordinate point='&b;'/></IndexedFaceSet></Shape></Scene></X3D>"#;
    let outside = r#"<?xml version="1.0"?><!DOCTYPE COLLADA [<!ENTITY f SYSTEM "file:///etc/hostname">]>
        <COLLADA><library_geometries><geometry><mesh>&f;</mesh></geometry></library_geometries></COLLADA>"#;
    for (name, text) in [("x.x3d", laughs), ("x.dae", outside)] {
        let error = read(name, text.as_bytes()).unwrap_err();
        assert!(error.cause.contains("entity") || error.cause.contains("XML"), "{error}");
    }
    let deep = format!("<X3D>{}", "<Group>".repeat(100_000));
    assert!(read("x.x3d", deep.as_bytes()).unwrap_err().cause.contains("too deep"));
    let deep = format!("#VRML V2.0 utf8\n{}", "Group { children [ ".repeat(100_000));
    assert!(read("x.wrl", deep.as_bytes()).unwrap_err().cause.contains("too deep"));
    let deep = format!("#usda 1.0\n{}", "def \"a\" { ".repeat(100_000));
    assert!(read("x.usda", deep.as_bytes()).unwrap_err().cause.contains("too deep"));
}

/// Nodes that hold themselves end with an error, not with the stack.
#[test]
fn what_holds_itself_is_refused() {
    let x3d = "<X3D><Scene><Group DEF='a'><Group USE='a'/></Group></Scene></X3D>";
    assert!(read("x.x3d", x3d.as_bytes()).unwrap_err().cause.contains("hold themselves"));
    let dae = "<COLLADA><library_visual_scenes><visual_scene id='s'><node id='n'><instance_node url='#n'/></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url='#s'/></scene></COLLADA>";
    assert!(read("x.dae", dae.as_bytes()).unwrap_err().cause.contains("hold themselves"));
    let model = "<model unit='millimeter'><resources><object id='1'><components><component objectid='1'/></components></object></resources><build><item objectid='1'/></build></model>";
    let zip = packed(&[("3D/3dmodel.model", model.as_bytes())]);
    assert!(read("x.3mf", &zip).unwrap_err().cause.contains("holds itself"));
}

/// 3MF Production Extension 1.1: components and items may name objects of other files of the package
/// by `p:path`; each file counts its objects for itself.
#[test]
fn objects_in_other_files_of_a_package_are_found_and_not_taken_for_others() {
    let model = |resources: &str, build: &str| {
        format!(
            "<model unit=\"inch\" xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\" \
             xmlns:p=\"http://schemas.microsoft.com/3dmanufacturing/production/2015/06\" \
             requiredextensions=\"p\"><resources>{resources}</resources><build>{build}</build></model>"
        )
    };
    let object = |id: u32, name: &str, x: f32| {
        format!(
            "<object id=\"{id}\" name=\"{name}\"><mesh><vertices><vertex x=\"{x}\" y=\"0\" z=\"0\"/>\
             <vertex x=\"9\" y=\"0\" z=\"0\"/><vertex x=\"0\" y=\"9\" z=\"0\"/></vertices><triangles>\
             <triangle v1=\"0\" v2=\"1\" v3=\"2\"/></triangles></mesh></object>"
        )
    };
    let root = model(
        &format!(
            "{}<object id=\"2\" name=\"Crate\"><components>\
             <component objectid=\"1\" p:path=\"/3D/Objects/post.model\"/></components></object>",
            object(1, "Wrong", 1.0)
        ),
        "<item objectid=\"2\"/><item objectid=\"1\" p:path=\"/3D/Objects/rope.model\"/>",
    );
    let files = [
        ("3D/3dmodel.model", root.as_str()),
        ("3D/Objects/post.model", &model(&object(1, "Post", 2.0), "<item objectid=\"1\"/>")),
        ("3D/Objects/rope.model", &model(&object(1, "Rope", 3.0), "")),
    ];
    let bytes = files.map(|(name, text)| (name, text.as_bytes()));
    let import = read("quay.3mf", &packed(&bytes)).unwrap();
    let found: Vec<(&str, f32)> =
        import.parts.iter().map(|part| (part.name.as_str(), part.mesh.positions()[0].x)).collect();
    assert_eq!(found, [("Post", 2.0), ("Rope", 3.0)]);
    assert_eq!((import.traits.unit, import.notes.len()), (Unit::Inch, 0), "{:?}", import.notes);

    // What is named and not there is told by its file.
    let error = read("quay.3mf", &packed(&bytes[..2])).unwrap_err();
    assert!(error.cause.contains("3D/Objects/rope.model"), "{error}");
}
