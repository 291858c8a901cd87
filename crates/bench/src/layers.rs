//! The dragon cut into layers, beside `trimesh`.

use std::{path::Path, process::Command};

use anyhow::{Context, Result};
use glam::Affine3A;
use serde_json::Value;
use speckle_mesh::{Geometry, slice::Slicer};
use speckle_tools::{
    bake::watch::Watch,
    layers::{Body, Cut, Inside, Rules, count},
};

use super::{median_ms, read};

/// Outlines alone, and everything that is told of a print.
pub fn all(dragon: &Path) -> Result<()> {
    let part = read(dragon)?.remove(0);
    let geometry = Geometry::new(part.mesh);
    // Asked for before: they are there once a part is on the stage.
    let _ = (geometry.topology(), geometry.triangulation());
    let here = Affine3A::IDENTITY;
    let many = 100;
    let (low, high) = Slicer::new(&geometry, &here).range().context("no surface")?;
    let heights: Vec<f64> =
        (0..many).map(|i| low + (f64::from(i) + 0.5) * (high - low) / f64::from(many)).collect();
    let ours = median_ms(3, || Slicer::new(&geometry, &here).cut(&heights).len());
    let cut = Slicer::new(&geometry, &here).cut(&heights);
    println!("\n{many} layers of the dragon, outlines alone: {ours:.0} ms.");
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("slices.py");
    let told = Command::new("python3").arg(script).arg(dragon).arg(many.to_string()).output().ok();
    let told = told.and_then(|told| serde_json::from_slice::<Value>(&told.stdout).ok());
    match told {
        Some(told) => {
            let theirs = 1e3 * told["seconds"].as_f64().unwrap_or_default();
            let lengths = told["lengths"].as_array().cloned().unwrap_or_default();
            let off = cut.iter().zip(&lengths).map(|(outlines, theirs)| {
                let ours: f64 = outlines.iter().map(|outline| outline.length()).sum();
                (ours / theirs.as_f64().unwrap_or_default() - 1.0).abs()
            });
            println!(
                "trimesh, stretches alone: {theirs:.0} ms, {:.1} times as long; its outlines are as long within {:.1e}.",
                theirs / ours,
                off.fold(0.0, f64::max)
            );
        }
        None => println!("trimesh is not installed."),
    }
    // As a toy of twenty centimetres, in four swatches by height.
    let scale = 200.0 / (high - low);
    let to_plate = Affine3A::from_scale(glam::Vec3::splat(scale as f32));
    let mesh = geometry.mesh();
    let swatch = |face: usize| {
        let z = f64::from(mesh.face_centroid(face).z);
        ((z - low) / (high - low) * 12.0) as u8 % 4
    };
    let of_faces: Vec<u8> = (0..mesh.face_count()).map(swatch).collect();
    let rules = Rules { layer: 0.2, first: 0.2, line: 0.45, depth: 0.9, ranges: Vec::new() };
    let body = || Body { geometry: &geometry, to_plate, of_faces: &of_faces };
    let took = median_ms(1, || {
        let counted = count(&[body()], &rules, &Watch::default());
        counted.map(|counted| counted.plan(Inside::Nearest).changes).ok()
    });
    let counted = count(&[body()], &rules, &Watch::default())?;
    let changes =
        [Inside::Nearest, Inside::Swatch { swatch: 0 }].map(|inside| counted.plan(inside).changes);
    println!(
        "{} layers with areas and changes: {took:.0} ms; {} changes right through, {} with one swatch within.",
        counted.len(),
        changes[0],
        changes[1]
    );
    // A patch as large as a stroke paints, in another swatch.
    let watch = Watch::default();
    let cut = Cut::of(&[body()], &rules, &watch)?;
    let middle = mesh.face_centroid(0);
    let reach = (high - low) as f32 / 20.0;
    let mut repainted = of_faces.clone();
    for (face, own) in repainted.iter_mut().enumerate() {
        if mesh.face_centroid(face).distance(middle) < reach {
            *own = (*own + 1) % 4;
        }
    }
    let touched = of_faces.iter().zip(&repainted).filter(|(before, now)| before != now).count();
    let again = median_ms(3, || {
        cut.recount(&counted, &[&of_faces], &[&repainted], &watch).map(|counted| counted.len()).ok()
    });
    println!("{touched} of its faces repainted, counted again: {again:.0} ms.");
    Ok(())
}
