//! Other shapes for files by the command line: finer, mended, moved, smoothed and trimmed.

use std::{fs, path::Path, process::Command};

use serde_json::Value;
use speckle_store::Store;

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

/// A square tower of three bands in two colors, closed.
fn tower() -> String {
    let mut text = String::from("ply\nformat ascii 1.0\nelement vertex 16\n");
    text.push_str("property float x\nproperty float y\nproperty float z\nelement face 14\n");
    text.push_str("property list uchar int vertex_indices\n");
    text.push_str("property uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n");
    for level in 0..4 {
        for [x, y] in [[0, 0], [20, 0], [20, 20], [0, 20]] {
            text.push_str(&format!("{x} {y} {}\n", 10 * level));
        }
    }
    text.push_str("4 3 2 1 0 230 220 200\n4 12 13 14 15 230 220 200\n");
    for level in 0..3 {
        for i in 0..4 {
            let [a, b] = [4 * level + i, 4 * level + (i + 1) % 4];
            let color = if level == 1 { "200 40 30" } else { "230 220 200" };
            text.push_str(&format!("4 {a} {b} {} {} {color}\n", b + 4, a + 4));
        }
    }
    text
}

#[test]
fn layers_are_told_with_what_each_choice_within_costs() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("tower.ply"), tower()).unwrap();
    let args = ["layers", "tower.ply", "--up", "z", "--json", "--svg", "chart.svg"];
    let told = &done(folder.path(), &args)[0];
    assert_eq!(told["layers"], 150);
    assert_eq!(told["insides"][0], serde_json::json!({ "inside": null, "changes": 2 }));
    assert_eq!(told["changes"], 50, "the best of the two within");
    assert_eq!(told["purged_mm3"], 50.0 * 140.0);
    let volume: f64 =
        told["swatches"].as_array().unwrap().iter().map(|s| s["mm3"].as_f64().unwrap()).sum();
    assert!((volume - 12_000.0).abs() < 1.0, "{volume}");
    assert!(told["plan"]["layers"][75]["swatches"].as_array().is_some_and(|own| own.len() == 2));
    let chart = fs::read_to_string(at("chart.svg")).unwrap();
    assert!(chart.starts_with("<svg") && chart.matches("#c8281e").count() == 50, "{chart}");
    let paper = [
        "layers",
        "tower.ply",
        "--up",
        "z",
        "--through",
        "--swaps",
        "s.txt",
        "--page",
        "p.html",
        "--json",
    ];
    done(folder.path(), &paper);
    let swaps = fs::read_to_string(at("s.txt")).unwrap();
    assert_eq!(swaps.lines().count(), 4, "a head, what is loaded first, two changes: {swaps}");
    assert!(swaps.contains("\n10.00\t51\t"), "{swaps}");
    assert!(fs::read_to_string(at("p.html")).unwrap().contains("2 changes of spool"));
    let through = ["layers", "tower.ply", "--up", "z", "--through", "--layer", "0.1", "--json"];
    assert_eq!(done(folder.path(), &through)[0]["changes"], 2);
    let words = speckle(folder.path(), &["layers", "tower.ply", "--up", "z"]);
    let words = String::from_utf8_lossy(&words.stdout).into_owned();
    assert!(words.contains("150 layers, 50 changes of spool"), "{words}");
    assert!(words.contains("paint right through: 2 changes"), "{words}");
    for (more, said) in [
        (["--base", "9"], "has swatches 1 to 2, and no 9"),
        (["--swatches", "0"], "between 1 and 64"),
        (["--layer", "0"], "are numbers above 0"),
        (["--layer", "0.0001"], "more than the 20000"),
    ] {
        let args = [["layers", "tower.ply", "--up"].as_slice(), &["z"], &more].concat();
        let error = refused(folder.path(), &args);
        assert!(error.contains(said), "{more:?}: {error}");
    }
    fs::write(at("flat.ply"), sheet(3, true)).unwrap();
    assert!(
        refused(folder.path(), &["layers", "flat.ply", "--up", "z"]).contains("nothing to print")
    );
}

/// The tower's red band is 40 × 20, 800 mm² and 10 wide: told, swept up, and written with one spool less.
#[test]
fn swatches_are_made_of_files_and_specks_are_told_and_swept() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("tower.ply"), tower()).unwrap();
    fs::write(at("spools.txt"), "230 220 200 Chalk\n200 40 30 Tile red\n0 0 255 Unused\n").unwrap();
    let args =
        ["swatches", "tower.ply", "--up", "z", "--palette", "spools.txt", "-o", "out", "--json"];
    let told = &done(folder.path(), &args)[0];
    let swatches = told["swatches"].as_array().unwrap();
    assert_eq!(swatches.len(), 2, "{told}");
    assert_eq!((&swatches[0]["name"], &swatches[1]["name"]), (&"Chalk".into(), &"Tile red".into()));
    assert_eq!(swatches[0]["faces"].as_u64().unwrap() + swatches[1]["faces"].as_u64().unwrap(), 14);
    // What was written is read again, each face in its color.
    let out = done(folder.path(), &["layers", "out/tower.3mf", "--json"]);
    assert_eq!(out[0]["changes"], 50);
    let args = ["sweep", "tower.ply", "--up", "z", "--area", "900", "-o", "swept", "--json"];
    let told = &done(folder.path(), &args)[0];
    let specks = told["specks"].as_array().unwrap();
    assert_eq!(specks.len(), 1, "{told}");
    assert!((specks[0]["mm2"].as_f64().unwrap() - 800.0).abs() < 0.1);
    assert!((specks[0]["mm_wide"].as_f64().unwrap() - 11.715).abs() < 0.01, "{told}");
    assert_eq!(done(folder.path(), &["layers", "swept/tower.3mf", "--json"])[0]["changes"], 0);
    let words = speckle(folder.path(), &["sweep", "tower.ply", "--up", "z"]);
    assert!(String::from_utf8_lossy(&words.stdout).contains("tower.ply: 0 specks"));
    for (more, said) in [
        (["--most", "17"], "between 1 and 16"),
        (["--dither", "0"], "wider than 0"),
        (["--palette", "none.txt"], "cannot be read"),
    ] {
        let args = [["swatches", "tower.ply"].as_slice(), &more].concat();
        let error = refused(folder.path(), &args);
        assert!(error.contains(said), "{more:?}: {error}");
    }
}

/// A tower of 12 cm³ in a box as large: so much for each, and no less than the minimum.
#[test]
fn files_are_quoted_as_bodies_with_what_is_wrong() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("tower.ply"), tower()).unwrap();
    fs::write(at("flat.ply"), sheet(3, true)).unwrap();
    let args = [
        "quote",
        "tower.ply",
        "--up",
        "z",
        "--material",
        "white_powder",
        "--quantity",
        "3",
        "--json",
    ];
    let told = &done(folder.path(), &args)[0];
    assert_eq!(
        (&told["checks"]["watertight"], &told["prices"][0]["each"]),
        (&true.into(), &6.24.into())
    );
    assert_eq!(told["prices"][0]["price"], 18.72);
    assert!((told["checks"]["thinnest"].as_f64().unwrap() - 20.0).abs() < 1e-3);
    let large = ["quote", "tower.ply", "--up", "z", "--scale", "20"];
    let words = String::from_utf8_lossy(&speckle(folder.path(), &large).stdout).into_owned();
    assert!(words.contains("400.0 × 400.0 × 600.0 mm"), "{words}");
    assert_eq!(words.matches("too large").count(), 3, "{words}");
    let words = speckle(folder.path(), &["quote", "flat.ply", "--up", "z"]);
    assert!(String::from_utf8_lossy(&words.stdout).contains("not closed"));
    let error = refused(folder.path(), &["quote", "tower.ply", "--material", "gold"]);
    assert!(error.contains("one of full_color_stone"), "{error}");
    assert!(refused(folder.path(), &["quote", "tower.ply", "--scale", "0"]).contains("--scale"));
}

/// Pipelines go by the exit code: 0 where nothing is found, 2 where something is, 1 where a file cannot be read.
#[test]
fn files_are_checked_for_whoever_receives_them() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("tower.ply"), tower()).unwrap();
    fs::write(at("flat.ply"), sheet(3, true)).unwrap();
    let check = |args: &[&str]| {
        let output = speckle(folder.path(), &[&["check"], args].concat());
        (output.status.code(), String::from_utf8_lossy(&output.stdout).into_owned())
    };
    let (code, words) = check(&["tower.ply", "--up", "z", "--for", "full-color"]);
    assert_eq!(code, Some(0), "{words}");
    assert!(words.contains("tower.ply: 0 found"), "{words}");
    let (code, words) = check(&["tower.ply", "flat.ply", "--up", "z", "--for", "spools"]);
    assert_eq!(code, Some(2), "{words}");
    assert!(words.contains("flat has 1 hole (at "), "{words}");
    let (code, json) = check(&["flat.ply", "--for", "spools", "--json"]);
    let told: Value = serde_json::from_str(&json).unwrap();
    assert_eq!((code, &told[0]["findings"][0]["check"]), (Some(2), &"hole".into()));
    assert_eq!(check(&["missing.ply"]).0, Some(1));
}

#[test]
fn files_are_laid_out_and_take_colors_and_shapes_from_images() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("a.ply"), sheet(8, true)).unwrap();
    fs::write(at("bare.ply"), sheet(5, false)).unwrap();
    let laid =
        done(folder.path(), &["layout", "a.ply", "--side", "512", "--to", "laid.obj", "--json"]);
    let notes = laid[0]["report"]["notes"].to_string();
    assert!(notes.contains("1 chart.") && notes.contains("512 × 512"), "{notes}");
    let text = fs::read_to_string(at("laid.obj")).unwrap();
    assert!(text.lines().filter(|line| line.starts_with("vt ")).count() >= 81);
    // An image that is half red, half blue, as PNG.
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, 2, 1);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&[255, 0, 0, 0, 0, 255]).unwrap();
    writer.finish().unwrap();
    fs::write(at("two.png"), file).unwrap();
    let carried = done(
        folder.path(),
        &[
            "transfer", "--from", "laid.obj", "--image", "two.png", "bare.ply", "--to", "out.ply",
            "--json",
        ],
    );
    assert_eq!(carried[0]["report"]["sets"][0]["name"], "two");
    assert_eq!(carried[0]["report"]["lost"], 0);
    let moved = done(
        folder.path(),
        &[
            "displace",
            "laid.obj",
            "--image",
            "two.png",
            "--channel",
            "r",
            "--amount",
            "0.1",
            "--to",
            "m.obj",
            "--json",
        ],
    );
    let far = moved[0]["report"]["max_distance"].as_f64().unwrap();
    // One of nine columns of vertices lies within a ninth of a pixel of the red one's middle.
    assert!((0.088..0.1001).contains(&far), "{far}");
    for (args, said) in [
        (["displace", "a.ply", "--image", "two.png"].as_slice(), "lay it out for images first"),
        (&["displace", "laid.obj", "--image", "none.png"], "none.png cannot be read"),
        (
            &["transfer", "--from", "a.ply", "--image", "two.png", "bare.ply"],
            "has texture coordinates",
        ),
    ] {
        let more: &[&str] = if args[0] == "displace" { &["--amount", "1"] } else { &[] };
        let args = [args, more, &["--to", "x.ply"]].concat();
        let error = refused(folder.path(), &args);
        assert!(error.contains(said), "{args:?}: {error}");
    }
}

/// A report is one page, named after the file where nothing is said, and holds what was checked.
#[test]
fn a_file_is_reported_in_one_page() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("tower.ply"), tower()).unwrap();
    let output = speckle(folder.path(), &["report", "tower.ply", "--up", "z", "--for", "spools"]);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let page = fs::read_to_string(folder.path().join("tower-report.html")).unwrap();
    assert!(page.contains("<title>tower: what it carries</title>"));
    assert!(page.contains("Checked for a printer with several spools"));
    assert!(page.contains("data:image/png;base64,"));
    let error = refused(folder.path(), &["report", "gone.ply"]);
    assert!(error.contains("gone.ply"), "{error}");
}

/// What a recipient wants of a project is written into a folder, also while the app may be running on it; a project or
/// recipient that is not there is named.
#[test]
fn a_folder_is_kept_up_to_date_without_a_browser() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("toys")).unwrap();
    let (document, change) =
        speckle_demo::piece("token").unwrap().project(speckle_demo::Detail::Usual);
    store.create_with("Harbour token", &change, "Puffin", 0, &document).unwrap();
    let watch = |name: &str, recipient: &str| {
        let args = [
            "watch",
            name,
            "--recipient",
            recipient,
            "--into",
            "out/token",
            "--data",
            "toys",
            "--once",
        ];
        speckle(folder.path(), &args)
    };
    let output = watch("Harbour token", "Archive");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let words = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(words.starts_with("revision 1: "), "{words}");
    let there = fs::read_dir(folder.path().join("out/token")).unwrap();
    let names: Vec<String> =
        there.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    assert!(
        !names.is_empty() && names.iter().all(|name| words.contains(name)),
        "{names:?} {words}"
    );
    let gone = watch("Gone", "Archive");
    assert!(String::from_utf8_lossy(&gone.stderr).contains("there are Harbour token"));
    let nobody = watch("Harbour token", "nobody");
    assert!(String::from_utf8_lossy(&nobody.stderr).contains("no recipient nobody"));
}
