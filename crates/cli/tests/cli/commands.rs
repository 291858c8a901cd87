//! The command line as scripts use it.

use std::{
    fs,
    path::Path,
    process::{Command, Output},
};

use serde_json::{Value, json};

pub fn speckle(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_speckle")).args(args).current_dir(folder).output().unwrap()
}

/// A closed unit cube of quads with a color per vertex: area 6, volume 1.
pub const CUBE: &str = "ply
format ascii 1.0
element vertex 8
property float x
property float y
property float z
property uchar red
property uchar green
property uchar blue
element face 6
property list uchar int vertex_indices
end_header
0 0 0 0 0 0
1 0 0 255 0 0
1 1 0 255 51 0
0 1 0 0 51 0
0 0 1 0 0 255
1 0 1 255 0 255
1 1 1 255 51 255
0 1 1 0 51 255
4 0 3 2 1
4 4 5 6 7
4 0 1 5 4
4 1 2 6 5
4 2 3 7 6
4 3 0 4 7
";

#[test]
fn inspect_tells_counts_sizes_and_figures_of_each_channel() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("cube.ply"), CUBE).unwrap();
    let output = speckle(folder.path(), &["inspect", "cube.ply", "--json"]);
    assert!(output.status.success());
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    let channel = |min: f64, max: f64, mean: f64| json!({ "min": min, "max": max, "mean": mean });
    let mut part = report["parts"][0].clone();
    let green = part["sets"][0]["channels"][1].take();
    assert!((green["max"].as_f64().unwrap() - 0.2).abs() < 1e-6);
    assert!((green["mean"].as_f64().unwrap() - 0.1).abs() < 1e-6);
    assert_eq!(
        part,
        json!({
            "name": "cube", "vertices": 8, "faces": 6, "corners": 24, "triangles": 12,
            "bounds": { "min": [0.0, 0.0, 0.0], "max": [1.0, 1.0, 1.0] },
            "area": 6.0, "volume": 1.0, "pieces": 1, "watertight": true,
            "sets": [{
                "name": "Color", "placement": "vertex", "encoding": "color",
                "channels": [channel(0.0, 1.0, 0.5), null, channel(0.0, 1.0, 0.5), channel(1.0, 1.0, 1.0)],
            }],
        })
    );
    assert_eq!(report["repairs"], json!([]));
}

#[test]
fn convert_goes_by_the_extensions_and_keeps_the_figures() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("cube.ply"), CUBE).unwrap();
    assert!(speckle(folder.path(), &["convert", "cube.ply", "cube.glb"]).status.success());
    let back = speckle(
        folder.path(),
        &["convert", "cube.glb", "again.ply", "--ply-body", "ascii", "--no-alpha"],
    );
    assert!(back.status.success());
    let text = fs::read_to_string(folder.path().join("again.ply")).unwrap();
    for row in CUBE.lines().skip(12).take(8) {
        assert!(text.contains(row), "{row} is not in {text}");
    }

    // Asked for as light, told, and read again for what it is.
    let args = [
        "convert",
        "cube.ply",
        "light.ply",
        "--light",
        "linear",
        "--depth",
        "float",
        "--body",
        "ascii",
    ];
    let output = speckle(folder.path(), &args);
    assert!(output.status.success());
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(told.contains("colors are written in linear light"), "{told}");
    let light = fs::read_to_string(folder.path().join("light.ply")).unwrap();
    // IEC 61966-2-1: ((0.2 + 0.055) / 1.055) ^ 2.4 = 0.0331048.
    assert!(
        light.contains("0.0331") && light.contains("comment color_set vertex linear"),
        "{light}"
    );
    let args = ["convert", "light.ply", "once-more.ply", "--ply-body", "ascii", "--no-alpha"];
    assert!(speckle(folder.path(), &args).status.success());
    let back = fs::read_to_string(folder.path().join("once-more.ply")).unwrap();
    assert!(CUBE.lines().skip(12).take(8).all(|row| back.contains(row)), "{back}");
}

#[test]
fn trouble_ends_with_a_sentence_a_code_and_no_file() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("torn.ply"), &CUBE[..CUBE.len() - 12]).unwrap();
    for (args, said) in [
        (vec!["convert", "torn.ply", "out.glb"], "line 25"),
        (vec!["convert", "missing.ply", "out.glb"], "cannot be read"),
        (vec!["convert", "torn.ply", "out.png"], "files ending in .png are not known"),
        (vec!["inspect", "torn.ply", "--max-elements", "2"], "raise the limit"),
    ] {
        let output = speckle(folder.path(), &args);
        let told = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(1), "{told}");
        assert!(told.contains(said), "{told}");
    }
    assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
}

#[test]
fn many_files_are_converted_at_once_scaled_and_turned_and_trouble_with_one_is_told() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["a.ply", "b.ply"] {
        fs::write(folder.path().join(name), CUBE).unwrap();
    }
    fs::write(folder.path().join("torn.ply"), &CUBE[..200]).unwrap();
    let args = ["convert", "a.ply", "b.ply", "torn.ply", "--to", "obj", "--into", "out", "--json"];
    let turned = ["--scale", "25.4", "--from-up", "y", "--to-up", "z"];
    let output = speckle(folder.path(), &[&args[..], &turned[..]].concat());
    assert_eq!(output.status.code(), Some(1), "one of them failed");
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(said.contains("torn.ply") && said.contains("1 of 3 files"), "{said}");
    let written: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(written.as_array().unwrap().len(), 2);

    let output = speckle(folder.path(), &["inspect", "out/a.obj", "out/b.obj", "--json"]);
    let reports: Value = serde_json::from_slice(&output.stdout).unwrap();
    let part = &reports[1]["parts"][0];
    // What was up along Y is up along Z: the box from 0 to 1 in Z becomes one from −1 to 0 in Y.
    let corner = |which: &str| -> Vec<f64> {
        let numbers = part["bounds"][which].as_array().unwrap();
        numbers.iter().map(|n| (n.as_f64().unwrap() / 25.4 * 1e4).round() / 1e4).collect()
    };
    assert_eq!((corner("min"), corner("max")), (vec![0., -1., 0.], vec![1., 0., 1.]));
    assert_eq!(part["watertight"], json!(true));
    let volume = part["volume"].as_f64().unwrap();
    assert!((volume / 25.4_f64.powi(3) - 1.0).abs() < 1e-5, "{volume}");

    // Nothing is overwritten by guessing.
    let output = speckle(folder.path(), &["convert", "a.ply", "b.ply", "--to", "ply"]);
    assert!(!output.status.success());
    assert!(String::from_utf8_lossy(&output.stderr).contains("overwrite itself"));
}

#[test]
fn shells_are_told_the_words_of_the_command() {
    let folder = tempfile::tempdir().unwrap();
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let output = speckle(folder.path(), &["completions", shell]);
        let said = String::from_utf8_lossy(&output.stdout).into_owned();
        assert!(output.status.success() && said.contains("convert"), "{shell}");
    }
}

#[test]
fn files_beside_an_obj_are_found_but_never_outside_its_folder() {
    let folder = tempfile::tempdir().unwrap();
    let inner = folder.path().join("inner");
    fs::create_dir(&inner).unwrap();
    let red = "newmtl red\nKd 1 0 0\n";
    fs::write(inner.join("near.mtl"), red).unwrap();
    fs::write(folder.path().join("far.mtl"), red).unwrap();
    let sets = |library: &str| -> usize {
        let text = format!("mtllib {library}\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n");
        fs::write(inner.join("flag.obj"), text).unwrap();
        let output = speckle(folder.path(), &["inspect", "inner/flag.obj", "--json"]);
        let report: Value = serde_json::from_slice(&output.stdout).unwrap();
        report["parts"][0]["sets"].as_array().unwrap().len()
    };
    assert_eq!(sets("near.mtl"), 1);
    assert_eq!(sets("../far.mtl"), 0);
    let absolute = folder.path().join("far.mtl");
    assert_eq!(sets(&absolute.to_string_lossy()), 0);
}

#[test]
fn a_recipe_makes_the_same_bytes_from_the_same_seed_whatever_the_cores() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    fs::write(at.join("cube.ply"), CUBE).unwrap();
    let recipe = r#"{"set":"Shade","placement":"vertex","encoding":"data","recipes":[{"channels":"R","steps":[{"source":{"kind":"occlusion","rays":64}}]}]}"#;
    fs::write(at.join("shade.json"), recipe).unwrap();
    let bake = |cores: &str, output: &str, more: &[&str]| {
        let mut args = vec!["bake", "cube.ply", output, "--recipe", "shade.json"];
        args.extend(more);
        let output = Command::new(env!("CARGO_BIN_EXE_speckle"))
            .args(args)
            .env("RAYON_NUM_THREADS", cores)
            .current_dir(at)
            .output()
            .unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    };
    bake("1", "one.glb", &[]);
    bake("3", "three.glb", &[]);
    assert_eq!(fs::read(at.join("one.glb")).unwrap(), fs::read(at.join("three.glb")).unwrap());
    bake("2", "other.glb", &["--seed", "7", "--samples", "16", "--set", "Light"]);
    assert_ne!(fs::read(at.join("one.glb")).unwrap(), fs::read(at.join("other.glb")).unwrap());
    let report = speckle(at, &["inspect", "other.glb", "--json"]);
    let report: Value = serde_json::from_slice(&report.stdout).unwrap();
    let sets = report["parts"][0]["sets"].as_array().unwrap();
    let light = sets.iter().find(|set| set["name"] == "Light").expect("the set has the name given");
    // A set that is there already is made anew, not painted over by what it was.
    bake("2", "over.ply", &["--set", "Color"]);
    let report = speckle(at, &["inspect", "over.ply", "--json"]);
    let report: Value = serde_json::from_slice(&report.stdout).unwrap();
    let red = &report["parts"][0]["sets"][0]["channels"][0];
    assert!(red["min"].as_f64().unwrap() > 0.2, "{report}");
    // From a corner of a cube an eighth of all rays looks into it, and a part of the hemisphere.
    assert!(light["channels"][0]["mean"].as_f64().unwrap() > 0.4);
}

#[test]
fn recipes_are_listed_shown_and_described_and_nonsense_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    fs::write(at.join("cube.ply"), CUBE).unwrap();
    let said = |args: &[&str]| {
        let output = speckle(at, args);
        (
            output.status.success(),
            String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned(),
        )
    };
    let (_, list) = said(&["recipe", "list"]);
    let names: Vec<&str> = list.lines().filter(|line| !line.starts_with(' ')).collect();
    assert_eq!(names.len(), 9, "every starter is read");
    for name in names {
        let (is_fine, shown) = said(&["recipe", "show", name]);
        assert!(is_fine && serde_json::from_str::<Value>(&shown).unwrap()["recipes"].is_array());
        let (is_fine, message) =
            said(&["bake", "cube.ply", "out.glb", "--recipe", name, "--samples", "8"]);
        assert!(is_fine, "{name}: {message}");
    }
    let (_, schema) = said(&["recipe", "schema"]);
    let schema: Value = serde_json::from_str(&schema).unwrap();
    assert!(schema["$defs"]["RecipeSource"].is_object() && schema["$ref"] == "#/$defs/RecipeFile");
    let recipe = |name: &str, json: &str| fs::write(at.join(name), json).unwrap();
    recipe("newer.json", r#"{"version":3,"set":"Shade","glow":true,"recipes":[]}"#);
    recipe(
        "wrong.json",
        r#"{"set":"Shade","recipes":[{"channels":"R","steps":[{"source":{"kind":"sparkle"}}]}]}"#,
    );
    recipe(
        "uvs.json",
        r#"{"set":"Shade","recipes":[{"channels":"R","steps":[{"source":{"kind":"noise","space":{"uv":0}}}]}]}"#,
    );
    recipe(
        "image.json",
        r#"{"set":"Shade","recipes":[{"channels":"RGB","steps":[{"source":{"kind":"image","image":"gone.png"}}]}]}"#,
    );
    recipe(
        "unread.json",
        r#"{"set":"Shade","recipes":[{"channels":"RGB","steps":[{"source":{"kind":"image","image":"cube.ply"}}]}]}"#,
    );
    recipe(
        "root.json",
        r#"{"set":"Sway","recipes":[{"channels":"A","steps":[{"source":{"kind":"trail","root":{"kind":"selection","name":"Foot"}}}]}]}"#,
    );
    for (file, words) in [
        ("newer.json", "get a newer app"),
        ("wrong.json", "unknown variant `sparkle`"),
        ("uvs.json", "has no UV set 1"),
        ("image.json", "gone.png cannot be read"),
        ("unread.json", "choose a PNG"),
        ("root.json", "no selection Foot"),
        ("Polish", "Soft shade"),
    ] {
        let (is_fine, message) = said(&["bake", "cube.ply", "never.glb", "--recipe", file]);
        assert!(!is_fine && message.contains(words), "{file}: {message}");
    }
    assert!(!at.join("never.glb").exists());
}

#[test]
fn files_are_delivered_to_a_recipient_and_compared() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("cube.ply"), CUBE).unwrap();
    let output = speckle(folder.path(), &["recipients"]);
    let mut starters: Vec<Value> = serde_json::from_slice(&output.stdout).unwrap();
    assert!(starters.iter().any(|own| own["name"] == "Full-color printer"));

    // By the name of one to begin with.
    let args = ["deliver", "cube.ply", "--recipient", "full-color printer", "-o", "out", "--json"];
    let output = speckle(folder.path(), &args);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    let text = report[0]["losses"][0]["text"].as_str().unwrap();
    assert_eq!(text, "polygons were cut, 6 faces into 12 triangles");
    assert!(folder.path().join("out/cube.3mf").is_file());
    let note = fs::read_to_string(folder.path().join("out/cube-channels.md")).unwrap();
    assert!(note.contains("## cube · Color"), "{note}");

    // By a file of one's own.
    let mut own = starters.remove(0);
    own["format"] = json!("wrl");
    fs::write(folder.path().join("own.json"), own.to_string()).unwrap();
    let args = ["deliver", "cube.ply", "--recipient", "own.json", "-o", "out"];
    assert!(speckle(folder.path(), &args).status.success());

    // 8 bits hold the colors exactly; VRML's text says the same numbers, in metres.
    for (file, far) in [("out/cube.3mf", 2.0), ("out/cube.wrl", 1.73)] {
        let output = speckle(folder.path(), &["compare", "cube.ply", file, "--json"]);
        let report: Value = serde_json::from_slice(&output.stdout).unwrap();
        let part = &report["parts"][0];
        assert_eq!(part["name"], "cube");
        let set = &part["sets"][0];
        assert!(set["max_difference"].as_f64().unwrap() < 1e-6, "{file}: {report}");
        assert!(
            set["mean_difference"].as_f64().unwrap() <= set["max_difference"].as_f64().unwrap()
        );
        // Points are compared as they stand: 3MF counts upwards along z, so (1, 1, 1) is found at
        // (1, −1, 1); 1 mm is a thousandth in VRML, √3 (1 − 0.001) away.
        assert!((part["max_distance"].as_f64().unwrap() - far).abs() < 0.05, "{file}: {report}");
    }

    // Both of these say their unit and axis: they are the same cube.
    let output = speckle(folder.path(), &["compare", "out/cube.3mf", "out/cube.wrl", "--json"]);
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    let far = report["parts"][0]["max_distance"].as_f64().unwrap();
    assert!(far < 1e-4, "{report}");

    // A file for each swatch of a print in two spools: together all twelve triangles.
    own["format"] = json!("stl");
    own["spools"] = json!(2);
    fs::write(folder.path().join("print.json"), own.to_string()).unwrap();
    let args = ["deliver", "cube.ply", "--recipient", "print.json", "-o", "print", "--json"];
    let output = speckle(folder.path(), &args);
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    let files: Vec<&str> =
        report[0]["files"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
    let bodies: Vec<&&str> = files.iter().filter(|file| file.ends_with(".stl")).collect();
    assert_eq!(bodies.len(), 2, "{report}");
    // STL: 84 bytes and 50 for each triangle.
    let size = |file: &&&str| fs::metadata(folder.path().join(**file)).unwrap().len() - 84;
    assert_eq!(bodies.iter().map(size).sum::<u64>(), 12 * 50);
    let note = fs::read_to_string(folder.path().join("print/cube-channels.md")).unwrap();
    assert!(note.contains("## Spools"), "{note}");
    own["spools"] = json!(65);
    fs::write(folder.path().join("print.json"), own.to_string()).unwrap();
    let refused = speckle(folder.path(), &["deliver", "cube.ply", "--recipient", "print.json"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("64 spools are the most"));

    // What fails is told, and what can be is done all the same.
    let args = ["deliver", "cube.ply", "gone.ply", "--recipient", "Archive", "-o", "more"];
    let output = speckle(folder.path(), &args);
    assert!(!output.status.success());
    assert!(String::from_utf8_lossy(&output.stderr).contains("1 of 2 could not be delivered"));
    assert!(folder.path().join("more/cube.x3d").is_file());
    let output = speckle(folder.path(), &["deliver", "cube.ply", "--recipient", "nobody"]);
    assert!(String::from_utf8_lossy(&output.stderr).contains("there are Real-time shader"));
}

#[test]
fn channels_are_rendered_into_images_and_listed_in_tables() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("cube.ply"), CUBE).unwrap();
    // Seen from the front, +Z is nearest: its corners are blue below, and so on upwards.
    let args = [
        "render-map",
        "cube.ply",
        "front.png",
        "--along",
        "minus-z",
        "--size",
        "8x4",
        "--r",
        "Color.B",
        "--g",
        "1-Color.B",
        "--b",
        "0.2",
        "--padding",
        "0",
        "--bits",
        "16",
    ];
    let output = speckle(folder.path(), &args);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    // Read by the crate png, which did not write it.
    let file = fs::File::open(folder.path().join("front.png")).unwrap();
    let mut reader = png::Decoder::new(std::io::BufReader::new(file)).read_info().unwrap();
    assert_eq!((reader.info().width, reader.info().height), (8, 4));
    assert_eq!(reader.info().bit_depth, png::BitDepth::Sixteen);
    let mut bytes = vec![0; reader.output_buffer_size().unwrap()];
    reader.next_frame(&mut bytes).unwrap();
    let pixel = |x: usize, y: usize| -> Vec<u16> {
        let at = 8 * (8 * y + x);
        bytes[at..at + 8].chunks(2).map(|b| u16::from_be_bytes([b[0], b[1]])).collect()
    };
    // A square of 4 × 4 pixels in the middle of 8 × 4; beside it nothing is drawn.
    assert_eq!(pixel(3, 2), [65_535, 0, 13_107, 65_535]);
    assert_eq!(pixel(0, 0), [0, 0, 13_107, 65_535]);

    let output = speckle(folder.path(), &["render-map", "cube.ply", "x.png", "--set", "Color"]);
    assert!(String::from_utf8_lossy(&output.stderr).contains("no part has a UV set 1"));
    let args = ["render-map", "cube.ply", "x.exr", "--along", "y", "--r", "Color.Q"];
    assert!(
        String::from_utf8_lossy(&speckle(folder.path(), &args).stderr).contains("is none of SET.R")
    );

    let output = speckle(folder.path(), &["table", "cube.ply"]);
    let text = String::from_utf8(output.stdout).unwrap();
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(lines[0], "vertex,x,y,z,Color.r,Color.g,Color.b,Color.a");
    assert_eq!(lines[3], "2,1,1,0,1,0.2,0,1");
    assert_eq!(lines.len(), 9);
    let output = speckle(folder.path(), &["table", "cube.ply", "--of", "corner", "--json"]);
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(report["columns"], json!(["face", "corner", "vertex"]));
    assert_eq!(report["rows"][5], json!([1, 1, 5]));
}
