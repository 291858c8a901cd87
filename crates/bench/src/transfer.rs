//! Colors of the dragon on lighter copies of it.

use std::{path::Path, process::Command, sync::Arc};

use anyhow::{Context, Result};
use glam::Vec3;
use serde_json::Value;
use speckle_color::{Encoding, Rgba, difference::ciede2000};
use speckle_core::Document;
use speckle_formats::{Format, Shipment, WriteOptions};
use speckle_mesh::{Geometry, Placement};
use speckle_model::{NewPart, NewSet, Part};
use speckle_tools::{
    bake::watch::Watch,
    decimate::{self, Goal, collapsed, decimate},
    transfer::{Rules, Source, WhatIsLost, transfer},
};

use super::{document_of, median_ms, read};

/// A part with a set of colors that are made of where its vertices are.
fn painted(path: &Path, color: impl Fn(usize, Vec3) -> Rgba) -> Result<Document> {
    let mut part = read(path)?.remove(0);
    let points = part.mesh.positions().iter().enumerate();
    let values = points.map(|(vertex, &point)| color(vertex, point)).collect();
    let (placement, encoding) = (Placement::Vertex, Encoding::Color);
    part.sets = vec![NewSet { name: "Coat".into(), placement, encoding, ground: [1.0; 4], values }];
    document_of(vec![part])
}

/// Waves a quarter of the dragon long.
fn smooth(_: usize, point: Vec3) -> Rgba {
    let wave = |x: f32| 0.5 + 0.4 * (x * std::f32::consts::TAU / 0.05).sin();
    [wave(point.x), wave(point.y), wave(point.z), 1.0]
}

fn first(document: &Document) -> Result<&Part> {
    document.parts().first().context("no part")
}

/// Transfers to two lighter copies.
pub fn all(folder: &Path) -> Result<()> {
    println!("Four channels per vertex of the dragon (871 k triangles), carried to its copies:\n");
    println!("| to | index and transfer, ms | transfer alone, ms | ΔE00 mean | lost |");
    println!("|---|---|---|---|---|");
    let dense = painted(&folder.join("dragon_vrip.ply"), smooth)?;
    let dense = first(&dense)?;
    for name in ["dragon_vrip_res2.ply", "dragon_vrip_res3.ply"] {
        let light = painted(&folder.join(name), |_, _| [1.0; 4])?;
        let light = first(&light)?;
        let afresh = |part: &Part| Part {
            geometry: Arc::new(Geometry::new(part.geometry.mesh().clone())),
            ..part.clone()
        };
        let rules = Rules::default();
        let run = |source: &Part, target: &Part| {
            transfer(target, &[Source::of(source)], &rules, &Watch::default())
        };
        let parts: Vec<(Part, Part)> = (0..3).map(|_| (afresh(dense), afresh(light))).collect();
        let mut each = parts.iter();
        let whole = median_ms(3, || each.next().map(|(source, target)| run(source, target)));
        let alone = median_ms(3, || run(&parts[0].0, &parts[0].1));
        let done = run(&parts[0].0, &parts[0].1)?;
        let (_, new) = &done.colors[0];
        let points = light.geometry.mesh().positions();
        let off = new.values.iter().zip(points).map(|(&c, &p)| ciede2000(c, smooth(0, p)));
        let mean = off.map(f64::from).sum::<f64>() / points.len() as f64;
        let triangles = light.geometry.mesh().triangle_count() / 1000;
        let lost = done.report.lost;
        println!("| {triangles} k | {whole:.0} | {alone:.0} | {mean:.2} | {lost} |");
    }
    decimated(dense)?;
    beside_open3d(folder, dense)?;
    harmonic(folder)
}

/// A script beside this one and what it tells; nothing where what it needs is not installed.
fn told_by(script: &str, args: &[&Path]) -> Option<Value> {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join(script);
    let told = Command::new("python3").arg(script).args(args).output().ok()?;
    serde_json::from_slice(&told.stdout).ok()
}

/// The nearest points of the dragon to the vertices of a light copy, and how far the two surfaces are from
/// each other, beside open3d.
fn beside_open3d(folder: &Path, dense: &Part) -> Result<()> {
    let goal = Goal::Count { triangles: 100_000 };
    let rules = decimate::Rules {
        goal,
        colors: 0.5,
        creases: 0.5,
        groups: 0.5,
        keep_rims: false,
        even: false,
    };
    let (shape, report) = decimate(dense, None, &rules, &Watch::default())?;
    let file = folder.join("dragon_light.ply");
    let light = document_of(vec![NewPart::new("Light", shape.mesh, vec![])])?;
    let export =
        speckle_formats::write(Format::Ply, &Shipment::of(light.parts()), WriteOptions::default())?;
    std::fs::write(&file, export.bytes)?;
    let points = first(&light)?.geometry.mesh().positions();
    let tree = dense.geometry.near();
    let took = median_ms(3, || tree.nearest_to_each(points));
    let ours = 1e3 * took / points.len() as f64;
    println!(
        "\nNearest points of the dragon to {} vertices of a light copy: {ours:.2} µs each.",
        points.len()
    );
    let far = report.max_distance;
    println!("The two lie {far:.6} apart where most, as we tell.");
    match told_by("closest.py", &[&folder.join("dragon_vrip.ply"), &file]) {
        Some(told) => {
            let number = |name: &str| told[name].as_f64().unwrap_or_default();
            let (theirs, far) = (number("microseconds"), number("there").max(number("back")));
            println!(
                "open3d: {theirs:.2} µs each, {:.1} times as long; {far:.6} apart.",
                theirs / ours
            );
        }
        None => println!("open3d is not installed."),
    }
    Ok(())
}

/// What is filled in, beside SciPy's direct solution.
fn harmonic(folder: &Path) -> Result<()> {
    let whole = painted(&folder.join("dragon_vrip_res3.ply"), smooth)?;
    let whole = first(&whole)?;
    let mesh = whole.geometry.mesh();
    let middle = whole.geometry.extent().center().x;
    let stays: Vec<u32> = (0..mesh.face_count() as u32)
        .filter(|&face| mesh.face_centroid(face as usize).x < middle)
        .collect();
    let half = whole.of_faces(&stays).context("half of the dragon")?;
    let rules = Rules { within: Some(1e-6), lost: WhatIsLost::IsFilled, ..Rules::default() };
    let done = transfer(whole, &[Source::of(&half)], &rules, &Watch::default())?;
    let triangles: Vec<u32> = whole
        .geometry
        .triangulation()
        .corners()
        .iter()
        .flatten()
        .map(|&corner| {
            whole.geometry.topology().point_of(mesh.corner_vertices()[corner as usize] as usize)
                as u32
        })
        .collect();
    let known: Vec<u8> = done.lost.iter().map(|&lost| u8::from(!lost)).collect();
    let into = folder.join("harmonic");
    std::fs::create_dir_all(&into)?;
    std::fs::write(into.join("positions.bin"), bytemuck::cast_slice::<Vec3, u8>(mesh.positions()))?;
    std::fs::write(into.join("triangles.bin"), bytemuck::cast_slice::<u32, u8>(&triangles))?;
    std::fs::write(into.join("known.bin"), known)?;
    let values = &done.colors[0].1.values;
    std::fs::write(into.join("values.bin"), bytemuck::cast_slice::<Rgba, u8>(values))?;
    match told_by("harmonic.py", &[&into]) {
        Some(told) => println!(
            "\nFilled in: {} vertices, {:.1e} off SciPy's direct solution where most.",
            told["free"],
            told["off"].as_f64().unwrap_or_default()
        ),
        None => println!("\nSciPy is not installed."),
    }
    Ok(())
}

/// Fewer triangles for the dragon, colors and creases weighed in, beside collapses that look at the shape alone.
fn decimated(dense: &Part) -> Result<()> {
    let mesh = dense.geometry.mesh();
    let places: Vec<[f32; 3]> = mesh.positions().iter().map(|p| p.to_array()).collect();
    let vertices = meshopt::VertexDataAdapter::new(bytemuck::cast_slice(&places), 12, 0)?;
    println!("\nFewer triangles, beside `meshopt` by itself:\n");
    println!(
        "| to | ours, ms | bare, ms | ours, with colors and figures, ms | ΔE00 mean | largest distance, % |"
    );
    println!("|---|---|---|---|---|---|");
    for triangles in [100_000, 35_000] {
        let goal = Goal::Count { triangles };
        let rules = decimate::Rules {
            goal,
            colors: 0.5,
            creases: 0.5,
            groups: 0.5,
            keep_rims: false,
            even: false,
        };
        let shape = median_ms(3, || collapsed(dense, None, &rules, &Watch::default()).is_ok());
        let ours = median_ms(3, || decimate(dense, None, &rules, &Watch::default()).is_ok());
        let none = meshopt::SimplifyOptions::None;
        let bare = median_ms(3, || {
            let indices = mesh.corner_vertices();
            meshopt::simplify(indices, &vertices, 3 * triangles, f32::MAX, none, None).len()
        });
        let (_, report) = decimate(dense, None, &rules, &Watch::default())?;
        let mean = report.sets.first().map_or(0.0, |set| set.mean);
        let far = 100.0 * report.max_distance / report.size;
        println!("| {triangles} | {shape:.0} | {bare:.0} | {ours:.0} | {mean:.2} | {far:.2} |");
    }
    Ok(())
}
