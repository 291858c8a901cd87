//! Replacing the colors and the shape of the dragon, beside the nearest points of `trimesh`.

use std::{path::Path, process::Command, time::Instant};

use anyhow::Result;
use serde_json::Value;
use speckle_color::Encoding;
use speckle_mesh::Placement;
use speckle_model::{NewPart, NewSet};
use speckle_tools::replacing::{Matching, colors, shape};

use crate::{document_of, read};

/// A part of a file with a ramp in one set.
fn ramped(path: &Path, placement: Placement) -> Result<NewPart> {
    let mut part = read(path)?.remove(0);
    let count = placement.count(&part.mesh);
    let value = |i: usize| [i as f32 / count as f32, 0.5, 1.0 - i as f32 / count as f32, 1.0];
    part.sets = vec![NewSet {
        name: "Coat".into(),
        placement,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values: (0..count).map(value).collect(),
    }];
    Ok(part)
}

/// Prints how long it takes to replace the colors of the dragon by order and by place, and its shape
/// by that of a coarser one and back.
pub fn all(dragon: &Path, coarse: &Path) -> Result<()> {
    println!(
        "\nReplacing the dragon's colors and shape:\n\n| what | matched | took |\n|---|---|---|"
    );
    let document = document_of(vec![ramped(dragon, Placement::Corner)?])?;
    let full = &document.parts()[0];
    let timed = |what: &str, matched: &str, work: &dyn Fn() -> usize| {
        let begun = Instant::now();
        std::hint::black_box(work());
        let took = begun.elapsed().as_secs_f64();
        println!("| {what} | {matched} | {:.0} ms |", 1e3 * took);
        took
    };
    for (placement, words) in [(Placement::Vertex, "vertices"), (Placement::Corner, "corners")] {
        let theirs = ramped(dragon, placement)?;
        for (matching, matched) in [(Matching::Index, "by order"), (Matching::Nearest, "by place")]
        {
            timed(&format!("colors of {words}"), matched, &|| {
                colors(full, &theirs, Some(matching)).map_or(0, |(plan, _)| plan.len())
            });
        }
    }
    let finer = ramped(dragon, Placement::Vertex)?;
    let less = document_of(vec![ramped(coarse, Placement::Vertex)?])?;
    let took = timed("a shape of 871 414 triangles for one of 202 434", "by place", &|| {
        shape(&less.parts()[0], finer.clone(), None).map_or(0, |(plan, _)| plan.sets.len())
    });
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("nearest.py");
    let told = Command::new("python3").arg(script).arg(dragon).output().ok();
    let told = told.and_then(|told| serde_json::from_slice::<Value>(&told.stdout).ok());
    match told.and_then(|told| told["microseconds"].as_f64()) {
        Some(theirs) => {
            let ours = 1e6 * took / finer.mesh.vertex_count() as f64;
            println!(
                "\nA vertex by place, everything told: {ours:.1} µs; trimesh's nearest point alone {theirs:.1} µs, {:.0} times as long.",
                theirs / ours
            );
        }
        None => println!("\ntrimesh (with rtree) is not installed."),
    }
    Ok(())
}
