//! Colors carried from file to file by the command line, and files with fewer triangles.

use std::{
    fmt::Write,
    fs,
    path::Path,
    process::{Command, Output},
};

use serde_json::Value;

pub fn speckle(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_speckle")).args(args).current_dir(folder).output().unwrap()
}

/// A square of n × n quads from 0 to 1, its red running along x, as PLY; without colors where they
/// are not wanted.
pub fn sheet(n: usize, is_colored: bool) -> String {
    let mut text = format!("ply\nformat ascii 1.0\nelement vertex {}\n", (n + 1) * (n + 1));
    text.push_str("property float x\nproperty float y\nproperty float z\n");
    if is_colored {
        text.push_str("property uchar red\nproperty uchar green\nproperty uchar blue\n");
    }
    writeln!(text, "element face {}", n * n).unwrap();
    text.push_str("property list uchar int vertex_indices\nend_header\n");
    for i in 0..(n + 1) * (n + 1) {
        let [x, y] = [i % (n + 1), i / (n + 1)].map(|k| k as f32 / n as f32);
        write!(text, "{x} {y} 0").unwrap();
        let red = (255.0 * x).round();
        text.push_str(&if is_colored { format!(" {red} 0 0\n") } else { "\n".to_owned() });
    }
    for i in 0..n * n {
        let v = i / n * (n + 1) + i % n;
        writeln!(text, "4 {v} {} {} {}", v + 1, v + n + 2, v + n + 1).unwrap();
    }
    text
}

#[test]
fn colors_go_from_file_to_files_and_the_number_of_cores_makes_no_difference() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("dense.ply"), sheet(60, true)).unwrap();
    fs::write(at("light.ply"), sheet(5, false)).unwrap();
    fs::write(at("other.ply"), sheet(7, false)).unwrap();
    let args = ["transfer", "--from", "dense.ply", "light.ply", "other.ply"];
    let whole = [&args[..], &["--into", "out", "--json"]].concat();
    let output = speckle(folder.path(), &whole);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let done: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(done.as_array().map(Vec::len), Some(2));
    assert_eq!(done[0]["report"]["vertices"], 36);
    assert_eq!(done[0]["report"]["lost"], 0);
    assert_eq!(done[0]["report"]["sets"][0]["is_new"], true);
    let light = fs::read(at("out/light.ply")).unwrap();
    let one = Command::new(env!("CARGO_BIN_EXE_speckle"))
        .args([&args[..], &["--into", "again"]].concat())
        .current_dir(folder.path())
        .env("RAYON_NUM_THREADS", "1")
        .output()
        .unwrap();
    assert!(one.status.success());
    assert!(String::from_utf8_lossy(&one.stdout).contains("36 of 36 vertices found their place"));
    assert!(light == fs::read(at("again/light.ply")).unwrap(), "the same bytes");
    // At the rim the mean of an area leans inwards.
    let compared = ["compare", "out/light.ply", "dense.ply", "--color-within", "0.2"];
    let output = speckle(folder.path(), &compared);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
}

#[test]
fn what_cannot_be_carried_is_said_and_nothing_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("bare.ply"), sheet(4, false)).unwrap();
    fs::write(at("light.ply"), sheet(3, false)).unwrap();
    let said = |args: &[&str]| {
        let output = speckle(folder.path(), args);
        assert!(!output.status.success(), "{args:?}");
        String::from_utf8_lossy(&output.stderr).into_owned()
    };
    let error = said(&["transfer", "--from", "bare.ply", "light.ply", "--to", "out.ply"]);
    assert!(error.contains("no part of bare.ply carries colors"), "{error}");
    let error =
        said(&["transfer", "--from", "bare.ply", "light.ply", "bare.ply", "--to", "out.ply"]);
    assert!(error.contains("use --into"), "{error}");
    assert!(!at("out.ply").exists());
}

#[test]
fn files_get_fewer_triangles_with_their_colors() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("dense.ply"), sheet(40, true)).unwrap();
    let args = ["decimate", "dense.ply", "--triangles", "200", "--to", "light.ply", "--json"];
    let output = speckle(folder.path(), &args);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let done: Value = serde_json::from_slice(&output.stdout).unwrap();
    let report = &done[0]["report"];
    assert_eq!(report["triangles"][0], 3200);
    assert!(report["triangles"][1].as_u64().is_some_and(|count| (150..=200).contains(&count)));
    assert!(report["max_distance"].as_f64().is_some_and(|far| far < 1e-4), "{report}");
    assert!(report["sets"][0]["mean"].as_f64().is_some_and(|mean| mean < 3.0), "{report}");
    let compared =
        ["compare", "light.ply", "dense.ply", "--within", "0.001", "--color-within", "0.2"];
    let output = speckle(folder.path(), &compared);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    for (args, wanted) in [
        (
            &["decimate", "dense.ply", "--share", "1.5", "--to", "x.ply"][..],
            "the share lies between",
        ),
        (&["decimate", "dense.ply", "--triangles", "9000", "--to", "x.ply"], "ask for fewer"),
        (&["decimate", "dense.ply", "--to", "x.ply"], "--triangles"),
        (&["decimate", "dense.ply", "--share", "0.5", "--to", "x.txt"], "x.txt"),
    ] {
        let output = speckle(folder.path(), args);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(wanted), "{args:?}: {said}");
        assert!(!at("x.ply").exists());
    }
}
