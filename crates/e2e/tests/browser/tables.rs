//! What the page draws under a moving pointer by itself, against what the core reckons with.

use std::{
    io::Write,
    process::{Command, Stdio},
};

use anyhow::{Context, Result, ensure};
use serde_json::{Value, json};
use speckle_color::{
    Encoding,
    curve::{Curve, Point, through},
    ramp::{self, Stop},
};
use speckle_e2e::web_folder;
use speckle_tools::stroke::{Brush, Falloff};

/// Runs the page's own curves, in Node, on what is asked of them.
const PAGE: &str = r#"
    import { readFileSync } from "node:fs";
    import ts from "typescript";
    const source = readFileSync("src/model/curves.ts", "utf8");
    const { outputText } = ts.transpileModule(source, { compilerOptions: { module: "esnext", target: "es2022" } });
    const { curveAt, falloffs, mixed, through } = await import("data:text/javascript," + encodeURIComponent(outputText));
    const asked = JSON.parse(readFileSync(0, "utf8"));
    const told = {
        falloffs: Object.fromEntries(Object.entries(falloffs).map(([key, at]) => [key, asked.places.map(at)])),
        curves: asked.curves.map((curve) => asked.places.map((x) => curveAt(curve, x))),
        ramps: asked.ramps.map(([low, high]) => asked.places.map((x) => mixed(low, high, x))),
        through: asked.through.map((points) => asked.places.map((x) => through(points, x))),
    };
    console.log(JSON.stringify(told));
"#;

fn ask_page(asked: &Value) -> Result<Value> {
    let mut node = Command::new("node")
        .args(["--input-type=module", "--eval", PAGE])
        .current_dir(web_folder())
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .context("node runs the page's curves")?;
    node.stdin.take().context("it listens")?.write_all(asked.to_string().as_bytes())?;
    let told = node.wait_with_output()?;
    ensure!(told.status.success(), "node gave up");
    Ok(serde_json::from_slice(&told.stdout)?)
}

#[test]
fn the_page_draws_curves_and_falloffs_as_the_core_reckons_them() -> Result<()> {
    let places: Vec<f32> = (0..=200).map(|i| i as f32 / 200.0).collect();
    let curves = [
        [0.0, 0.25, 0.5, 0.75, 1.0],
        [1.0, 0.1, 0.9, 0.9, 0.0],
        [0.3, 0.3, 0.8, 0.2, 0.21],
        [0.0, 1.0, 0.0, 1.0, 0.0],
    ];
    let point = |(x, y, corner)| Point { x, y, corner };
    let drawn: Vec<Vec<Point>> = [
        vec![(0.0, 0.0, false), (1.0, 1.0, false)],
        vec![(0.1, 0.9, false), (0.15, 0.2, true), (0.6, 0.25, false), (0.95, 1.0, false)],
        vec![
            (0.0, 0.5, false),
            (0.3, 0.5, false),
            (0.31, 1.0, false),
            (0.8, 0.0, true),
            (1.0, 1.0, false),
        ],
        vec![(0.0, 0.2, true), (0.5, 0.9, true), (0.505, 0.1, false), (1.0, 0.1, false)],
    ]
    .into_iter()
    .map(|points| points.into_iter().map(point).collect())
    .collect();
    let ramps =
        [[[0.0, 0.0, 0.0, 1.0], [1.0; 4]], [[0.85, 0.32, 0.17, 1.0], [0.02, 0.5, 0.9, 1.0]]];
    let asked = json!({ "places": places, "curves": curves, "through": drawn, "ramps": ramps });
    let told = ask_page(&asked)?;
    let agrees = |told: &Value, of: &dyn Fn(f32) -> f32, what: &str| {
        let told: Vec<f32> = serde_json::from_value(told.clone()).unwrap();
        assert_eq!(told.len(), places.len(), "{what}");
        for (&x, told) in places.iter().zip(told) {
            assert!((told - of(x)).abs() < 2e-5, "{what} at {x}: {told}, and not {}", of(x));
        }
    };
    for (curve, told) in curves.into_iter().zip(told["curves"].as_array().context("curves")?) {
        agrees(told, &|x| Curve(curve).at(x), "a curve of five");
    }
    for (points, told) in drawn.iter().zip(told["through"].as_array().context("drawn")?) {
        agrees(told, &|x| through(points, x), "a drawn curve");
    }
    for ([low, high], told) in ramps.into_iter().zip(told["ramps"].as_array().context("ramps")?) {
        let ramp = [Stop { at: 0.0, color: low }, Stop { at: 1.0, color: high }];
        let told: Vec<[f32; 3]> = serde_json::from_value(told.clone())?;
        for (&x, told) in places.iter().zip(told) {
            let wanted = ramp::at(&ramp, x, Encoding::Color);
            assert!((0..3).all(|i| (told[i] - wanted[i]).abs() < 2e-5), "{told:?}, not {wanted:?}");
        }
    }
    for falloff in [Falloff::Soft, Falloff::Straight, Falloff::Dome, Falloff::Spike] {
        // From the rim of a dab of radius 1 to the middle.
        let brush = Brush { radius: 1.0, opacity: 1.0, hardness: 0.0, falloff, ..Brush::default() };
        let key = serde_json::to_value(falloff)?;
        let told = &told["falloffs"][key.as_str().context("it has a name")?];
        agrees(told, &|t| brush.falloff(1.0 - t), "a falloff");
    }
    Ok(())
}

/// Limits that the page's shaders are written with are the core's.
#[test]
fn limits_of_the_page_are_the_cores() -> Result<()> {
    let number_in = |file: &str, name: &str| -> Result<usize> {
        let text = std::fs::read_to_string(web_folder().join("src").join(file))?;
        let start = format!("export const {name} = ");
        let line = text.lines().find_map(|line| line.strip_prefix(&start));
        let line = line.with_context(|| format!("{file} says no {name}"))?;
        Ok(line.trim_end_matches(';').parse()?)
    };
    for (file, name, ours) in [
        ("stage/lookMaterial.ts", "MOST_LOOK_SETS", speckle_model::proof::MOST_LOOK_SETS),
        ("stage/lookMaterial.ts", "MOST_LAMPS", speckle_model::proof::MOST_LAMPS),
        ("model/swatches.ts", "MOST_PAINTED", usize::from(speckle_color::MOST_PAINTED)),
    ] {
        assert_eq!(number_in(file, name)?, ours, "{name} of {file}");
    }
    Ok(())
}
