//! Other shapes for files by the command line: finer, mended, moved, smoothed and trimmed.

use std::{fs, path::Path, process::Command};

use serde_json::Value;

use crate::transfer::{sheet, speckle};

fn done(folder: &Path, args: &[&str]) -> Value {
    let output = speckle(folder, args);
    assert!(output.status.success(), "{args:?}: {}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).unwrap_or(Value::Null)
}

fn refused(folder: &Path, args: &[&str]) -> String {
    let output = speckle(folder, args);
    assert!(!output.status.success(), "{args:?}");
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn sheets_become_finer_on_any_number_of_cores() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("a.ply"), sheet(8, true)).unwrap();
    fs::write(at("b.ply"), sheet(5, true)).unwrap();
    let args = ["subdivide", "a.ply", "b.ply", "--times", "3", "--into", "fine", "--json"];
    let report = done(folder.path(), &args);
    assert_eq!(report[0]["report"]["triangles"], serde_json::json!([128, 128 * 16]));
    assert_eq!(report[1]["report"]["triangles"], serde_json::json!([50, 50 * 16]));
    let many = fs::read(at("fine/a.ply")).unwrap();
    let one = Command::new(env!("CARGO_BIN_EXE_speckle"))
        .args(["subdivide", "a.ply", "--times", "3", "--to", "one.ply"])
        .current_dir(folder.path())
        .env("RAYON_NUM_THREADS", "1")
        .output()
        .unwrap();
    assert!(one.status.success());
    assert_eq!(fs::read(at("one.ply")).unwrap(), many);
    // The red that runs along x still does.
    done(
        folder.path(),
        &["compare", "fine/a.ply", "a.ply", "--within", "1e-5", "--color-within", "0.2"],
    );
    let rounded =
        ["subdivide", "a.ply", "--scheme", "catmull-clark", "--to", "round.ply", "--json"];
    assert_eq!(done(folder.path(), &rounded)[0]["report"]["triangles"][1], 512);
    let refined = ["refine", "a.ply", "--edges", "0.05", "--to", "short.ply", "--json"];
    let count = done(folder.path(), &refined)[0]["report"]["triangles"][1].as_u64();
    assert!(count.is_some_and(|count| count > 1500), "{count:?}");
    let error = refused(folder.path(), &["subdivide", "a.ply", "--times", "99", "--to", "x.ply"]);
    assert!(error.contains("between 1 and 64"), "{error}");
    assert!(!at("x.ply").exists());
}

#[test]
fn what_is_wrong_is_told_and_mended() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let cube = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\nv 5 5 5\n\
                f 4 3 2 1\nf 1 2 6 5\nf 7 6 2 3\nf 3 4 8 7\nf 8 5 1 4\n";
    fs::write(at("box.obj"), cube).unwrap();
    let looked = speckle(folder.path(), &["mend", "box.obj", "--look"]);
    let said = String::from_utf8_lossy(&looked.stdout).into_owned();
    for line in ["hole: 1, the largest of 4 edges", "winding:", "loose: 1"] {
        assert!(said.contains(line), "{line} in {said}");
    }
    let looked = speckle(folder.path(), &["mend", "box.obj", "--look", "--json"]);
    let faults: Value = serde_json::from_slice(&looked.stdout).unwrap();
    assert!(faults["faults"].as_array().is_some_and(|all| all.len() >= 3));
    let args = [
        "mend",
        "box.obj",
        "--winding",
        "--holes",
        "8",
        "--loose",
        "--hard-edges",
        "30",
        "--to",
        "whole.obj",
        "--json",
    ];
    let report = done(folder.path(), &args);
    let notes = report[0]["report"]["notes"].to_string();
    for note in ["1 face is turned over", "1 hole is closed", "1 loose vertex goes"] {
        assert!(notes.contains(note), "{notes}");
    }
    let looked = speckle(folder.path(), &["mend", "whole.obj", "--look"]);
    assert!(String::from_utf8_lossy(&looked.stdout).contains("nothing is wrong"));
    let written = fs::read_to_string(at("whole.obj")).unwrap();
    assert_eq!(written.lines().filter(|line| line.starts_with("vn ")).count(), 6, "{written}");
    let error = refused(folder.path(), &["mend", "whole.obj", "--loose", "--to", "x.obj"]);
    assert!(error.contains("nothing would change"), "{error}");
    let error = refused(folder.path(), &["mend", "box.obj", "--loose"]);
    assert!(error.contains("--to or --into"), "{error}");
}

#[test]
fn points_are_moved_smoothed_and_cut_by_a_channel() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("flat.ply"), sheet(20, true)).unwrap();
    let args = [
        "displace",
        "flat.ply",
        "--set",
        "Color",
        "--channel",
        "r",
        "--amount",
        "0.5",
        "--to",
        "ramp.ply",
        "--json",
    ];
    let report = done(folder.path(), &args);
    assert!(
        report[0]["report"]["max_distance"].as_f64().is_some_and(|far| (far - 0.5).abs() < 1e-4)
    );
    let args = ["smooth", "ramp.ply", "--rounds", "5", "--to", "smooth.ply", "--json"];
    assert_eq!(done(folder.path(), &args)[0]["report"]["triangles"][1], 800);
    let args = [
        "trim",
        "flat.ply",
        "--set",
        "Color",
        "--threshold",
        "0.33",
        "--keep-both",
        "--to",
        "two.obj",
    ];
    done(folder.path(), &args);
    let two = fs::read_to_string(at("two.obj")).unwrap();
    assert_eq!(two.lines().filter(|line| line.starts_with("o ")).count(), 2);
    let error = refused(folder.path(), &["trim", "flat.ply", "--set", "Rust", "--to", "x.ply"]);
    assert!(error.contains("has no set Rust; it has: Color"), "{error}");
    let error = refused(
        folder.path(),
        &["displace", "flat.ply", "--amount", "1", "--toward", "1,2", "--to", "x.ply"],
    );
    assert!(error.contains("three numbers"), "{error}");
    let error = refused(
        folder.path(),
        &["displace", "flat.ply", "--amount", "1", "--only", "Rim", "--to", "x.ply"],
    );
    assert!(error.contains("no selection or group called Rim"), "{error}");
}
