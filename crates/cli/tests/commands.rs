//! The command line as scripts use it.

use std::{
    fs,
    path::Path,
    process::{Command, Output},
};

use serde_json::{Value, json};

fn speckle(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_speckle")).args(args).current_dir(folder).output().unwrap()
}

/// A closed unit cube of quads with a color per vertex: area 6, volume 1.
const CUBE: &str = "ply
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
