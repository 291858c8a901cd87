//! What baking takes, beside Embree.

use std::{path::Path, process::Command, time::Instant};

use anyhow::{Context, Result};
use serde_json::Value;
use speckle_core::{
    Geometry, Placement,
    bake::{
        occlusion::{Blockers, Casting, Cone, openness},
        samples::Samples,
        watch::Watch,
    },
    scene::Body,
    stroke::footprint::Placed,
    transform::Transform,
};

use crate::read;

/// How many rays an element gets in the figures.
const RAYS: u32 = 64;

fn body(path: &Path) -> Result<Body> {
    let part = read(path)?.into_iter().next().context("a part")?;
    let geometry = std::sync::Arc::new(Geometry::new(part.mesh));
    Ok(Body { geometry, placed: Placed::new(&Transform::IDENTITY) })
}

fn cast(body: &Body, samples: &Samples, rays: u32, seed: u32) -> Result<Vec<f32>> {
    let blockers = Blockers::new(body, &[], None);
    let offset = blockers.hair();
    let casting = Casting { rays, reach: 0.0, offset, cone: Cone::Cosine, seed };
    openness(samples, &blockers, &casting, &Watch::default()).ok().context("nobody gave it up")
}

fn ms(since: Instant) -> f64 {
    since.elapsed().as_secs_f64() * 1e3
}

/// All of it, on the dragon.
pub fn all(path: &Path) -> Result<()> {
    println!("\nOcclusion of the dragon, {RAYS} rays a vertex:\n");
    let body = body(path)?;
    let samples = Samples::of(&body.geometry, Placement::Vertex);
    let begun = Instant::now();
    let _ = body.geometry.packets();
    let built = ms(begun);
    let begun = Instant::now();
    let _ = cast(&body, &samples, RAYS, 1)?;
    let rays = ms(begun);
    let per_second = |ms: f64| (samples.points.len() as u32 * RAYS) as f64 / ms / 1e3;
    println!(
        "ours: tree {built:.0} ms, rays {rays:.0} ms, {:.2} M rays/s with the tree",
        per_second(built + rays)
    );
    // Each 100th vertex, so that many rays can be cast.
    let some = |v: &[glam::Vec3]| v.iter().step_by(100).copied().collect();
    let few =
        Samples { points: some(&samples.points), normals: some(&samples.normals), per_element: 1 };
    let exact = cast(&body, &few, 4096, 7)?;
    let mut ours = Vec::new();
    for rays in [8, 16, 24, 32, 48, 64, 128, 256] {
        let found = cast(&body, &few, rays, 3)?;
        let square: f32 = found.iter().zip(&exact).map(|(a, b)| (a - b).powi(2)).sum();
        ours.push((rays, (square / exact.len() as f32).sqrt()));
    }
    println!("ours, RMS errors: {ours:?}");
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("occlusion.py");
        return Ok(());
    }
    let output = Command::new("python3").arg(script).arg(path).arg(RAYS.to_string()).output()?;
    let theirs: Value = serde_json::from_slice(&output.stdout).unwrap_or(Value::Null);
    println!("Embree: {theirs}");
    Ok(())
}
