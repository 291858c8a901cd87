//! Units and the axis that points up, as files state them.

use std::fs;

use crate::commands::{CUBE, speckle};

/// What a file states of its numbers is kept, in every format that can state it.
#[test]
fn units_and_the_axis_that_a_file_states_are_kept_by_convert() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path();
    fs::write(path.join("cube.ply"), CUBE).unwrap();
    let done = |args: &[&str]| {
        let output = speckle(path, args);
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    };
    // Told once, in inches with Z up; then from format to format, without a word.
    let told = ["--from-unit", "in", "--from-up", "z", "--to-up", "z"];
    done(&[&["convert", "cube.ply", "a.3mf"][..], &told[..]].concat());
    for (from, to) in
        [("a.3mf", "b.dae"), ("b.dae", "c.usda"), ("c.usda", "d.3mf"), ("d.3mf", "e.3mf")]
    {
        done(&["convert", from, to]);
    }
    let model = |name: &str| {
        let mut zip = zip::ZipArchive::new(fs::File::open(path.join(name)).unwrap()).unwrap();
        let mut text = String::new();
        std::io::Read::read_to_string(&mut zip.by_name("3D/3dmodel.model").unwrap(), &mut text)
            .unwrap();
        text
    };
    for name in ["a.3mf", "d.3mf", "e.3mf"] {
        assert!(model(name).contains("unit=\"inch\""), "{name}: {:.300}", model(name));
    }
    let usda = fs::read_to_string(path.join("c.usda")).unwrap();
    assert!(
        usda.contains("upAxis = \"Z\"") && usda.contains("metersPerUnit = 0.0254"),
        "{usda:.400}"
    );
    // The standard of glTF fixes metres: an inch is 0.0254 of them (exactly, since 1959).
    done(&["convert", "c.usda", "f.glb"]);
    done(&["compare", "f.glb", "a.3mf"]);
    // Another unit on request: the same size in other numbers.
    done(&["convert", "a.3mf", "g.3mf", "--to-unit", "mm"]);
    assert!(model("g.3mf").contains("unit=\"millimeter\""));
    done(&["compare", "a.3mf", "g.3mf"]);

    // Comparing fails where files differ.
    done(&["convert", "a.3mf", "h.3mf", "--scale", "1.01"]);
    let output = speckle(path, &["compare", "a.3mf", "h.3mf"]);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.code() == Some(1) && said.contains("the files differ"), "{said}");
    done(&["compare", "a.3mf", "h.3mf", "--within", "1"]);
}

/// What faces up does so along the axis that the file states.
#[test]
fn a_bake_follows_the_axis_that_the_file_states() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path();
    fs::write(path.join("cube.ply"), CUBE).unwrap();
    let recipe = r#"{"name":"Up","set":"Up","placement":"face","encoding":"data","recipes":[
        {"channels":"R","steps":[{"source":{"kind":"facing","half_angle":45,"softness":0}}]}]}"#;
    fs::write(path.join("up.json"), recipe).unwrap();
    for (axis, up) in [("y", 1), ("z", 2)] {
        let file = format!("{axis}.usda");
        let told = ["--from-unit", "m", "--from-up", axis, "--to-up", axis];
        assert!(
            speckle(path, &[&["convert", "cube.ply", &file][..], &told[..]].concat())
                .status
                .success()
        );
        // What the file says; and of one that says nothing, what the user does.
        for asked in [&[file.as_str()][..], &["cube.ply", "--up", axis]] {
            let out = format!("{axis}.out.usda");
            let args = [&["bake", asked[0], &out, "--recipe", "up.json"], &asked[1..]].concat();
            let output = speckle(path, &args);
            assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
            assert_faces_up(&fs::read_to_string(path.join(&out)).unwrap(), axis, up);
        }
    }
}

/// Whether a file says which axis is up, and what faces that way is marked.
fn assert_faces_up(written: &str, axis: &str, up: usize) {
    assert!(written.contains(&format!("upAxis = \"{}\"", axis.to_uppercase())));
    let options = speckle_formats::ReadOptions::default();
    let file = speckle_formats::MeshFile::alone("x.usda", written.as_bytes());
    let part = speckle_formats::read(&file, &options).unwrap().parts.remove(0);
    let set = part.sets.iter().find(|set| set.name == "Up").unwrap();
    for face in 0..part.mesh.face_count() {
        let normal = part.mesh.face_area_vector(face).normalize();
        let corner = part.mesh.face_corners(face).start;
        let element = match set.placement {
            speckle_mesh::Placement::Face => face,
            speckle_mesh::Placement::Corner => corner,
            speckle_mesh::Placement::Vertex => panic!("faces need no vertices"),
        };
        assert_eq!(set.values[element][0] > 0.5, normal[up] > 0.9, "{axis}, face {face}");
    }
}
