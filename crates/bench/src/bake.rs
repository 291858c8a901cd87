//! What baking takes, beside Embree.

use std::{collections::HashMap, path::Path, process::Command, sync::Arc, time::Instant};

use anyhow::{Context, Result};
use serde_json::Value;
use speckle_color::Encoding;
use speckle_core::{Document, Edit, RecipeEdit};
use speckle_mesh::{
    Geometry, Mesh, Placement, Transform, UpAxis,
    body::{Body, Placed},
    geometry::normals,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::recipe::{Recipe, RecipeFile, Source, Target};
use speckle_tools::{
    bake::{
        Inputs, Pantry, made_by,
        occlusion::{Blockers, Casting, openness},
        samples::Samples,
        watch::Watch,
    },
    image_file::ImageFile,
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
    let blockers = Blockers::new(body, true, &[], None);
    let casting = Casting::plain(rays, blockers.hair(), seed);
    openness(samples, &blockers, &casting, &Watch::default()).ok().context("nobody gave it up")
}

fn ms_of(since: Instant) -> f64 {
    since.elapsed().as_secs_f64() * 1e3
}

/// All of it, on the dragon.
pub fn all(path: &Path) -> Result<()> {
    println!("\nOcclusion of the dragon, {RAYS} rays a vertex:\n");
    let body = body(path)?;
    let samples = Samples::of(&body.geometry, Placement::Vertex);
    let begun = Instant::now();
    let _ = body.geometry.rays();
    let built = ms_of(begun);
    let begun = Instant::now();
    let _ = cast(&body, &samples, RAYS, 1)?;
    let rays = ms_of(begun);
    let per_second = |ms: f64| (samples.points.len() as u32 * RAYS) as f64 / ms / 1e3;
    println!(
        "ours: tree {built:.0} ms, rays {rays:.0} ms, {:.2} M rays/s with the tree",
        per_second(built + rays)
    );
    // Each 100th vertex, so that many rays can be cast.
    let some = |v: &[glam::Vec3]| v.iter().step_by(100).copied().collect();
    let few = Samples::at(some(&samples.points), some(&samples.normals));
    let exact = cast(&body, &few, 4096, 7)?;
    let mut ours = Vec::new();
    for rays in [8, 16, 24, 32, 48, 64, 128, 256] {
        let found = cast(&body, &few, rays, 3)?;
        let square: f32 = found.iter().zip(&exact).map(|(a, b)| (a - b).powi(2)).sum();
        ours.push((rays, (square / exact.len() as f32).sqrt()));
    }
    println!("ours, RMS errors: {ours:?}");
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("occlusion.py");
    let output = Command::new("python3").arg(script).arg(path).arg(RAYS.to_string()).output()?;
    let theirs: Value = serde_json::from_slice(&output.stdout).unwrap_or(Value::Null);
    println!("Embree: {theirs}");
    others(path)?;
    waits(path, &path.with_file_name("bunny.ply"))?;
    growth()
}

/// What other sources take on the dragon.
pub fn others(path: &Path) -> Result<()> {
    let mut parts = read(path)?;
    let part = parts.first_mut().context("a part")?;
    let positions = part.mesh.positions();
    let uvs = part.mesh.corner_vertices().iter().map(|&v| positions[v as usize].truncate() * 10.0);
    let uvs = UvSet { name: "From in front".into(), uvs: uvs.collect() };
    let mut arrays = MeshArrays::from(part.mesh.clone());
    arrays.uv_sets = vec![uvs];
    part.mesh = Mesh::new(arrays)?;
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts))?;
    let pixels: Vec<u8> =
        (0..2048_u32 * 2048 * 4).map(|i| (i.wrapping_mul(2_654_435_769) >> 24) as u8).collect();
    let mut file = std::io::Cursor::new(Vec::new());
    let image = image::RgbaImage::from_raw(2048, 2048, pixels).context("an image")?;
    image.write_to(&mut file, image::ImageFormat::Bmp)?;
    let image = ImageFile::new(Arc::new(file.into_inner())).map_err(anyhow::Error::msg)?;
    let parts = Arc::new(document.parts().to_vec());
    let geometry = parts[0].geometry.clone();
    let images = Arc::new(HashMap::from([("Grain".to_owned(), image)]));
    let set = (Placement::Vertex, Encoding::Color, [1.0; 4]);
    let inputs =
        Inputs::new(parts.clone(), parts[0].id, set, UpAxis::Y, images).context("inputs")?;
    // What any look at the part asks for is there already.
    let _ = (geometry.vertex_normals(), geometry.bvh(), geometry.measures());
    let _ = geometry.neighbours(Placement::Vertex);
    println!("\nOther sources on the dragon, per vertex:\n\n| source | ms |\n|---|---|");
    for (title, json) in [
        ("ridges, smallest scale", r#"{"kind":"ridges"}"#),
        ("ridges, 20 edges", r#"{"kind":"ridges","scale":0.01}"#),
        ("trail from the foot", r#"{"kind":"trail","root":{"kind":"end","towards":"down"}}"#),
        ("gradient noise, 3 octaves", r#"{"kind":"noise"}"#),
        ("cellular noise, 1 octave", r#"{"kind":"noise","noise":"cellular","octaves":1}"#),
        ("image of 2048 × 2048 by UV", r#"{"kind":"image","image":"Grain"}"#),
        ("thickness, 32 rays", r#"{"kind":"thickness"}"#),
        ("edges", r#"{"kind":"edges"}"#),
        ("relief, two scales", r#"{"kind":"relief","scales":[{"scale":0.002},{"scale":0.01}]}"#),
        ("streaks", r#"{"kind":"streaks","stray":0.3}"#),
        ("dust, 32 rays twice", r#"{"kind":"dust"}"#),
        ("waterline", r#"{"kind":"waterline"}"#),
        ("wear", r#"{"kind":"wear"}"#),
        ("a lamp, 32 rays", r#"{"kind":"light"}"#),
        ("a lamp and its bounce, 32 rays", r#"{"kind":"light","bounce":0.5}"#),
        ("line", r#"{"kind":"line","points":[[-0.05,0.1,0],[0.05,0.15,0]]}"#),
        ("bricks", r#"{"kind":"pattern","shows":"bricks"}"#),
        ("noise along the surface", r#"{"kind":"noise","stretch":6,"on_surface":true}"#),
        ("normals by UV", r#"{"kind":"normal","space":"tangent"}"#),
        ("pivots", r#"{"kind":"pivot"}"#),
    ] {
        let source: Source = serde_json::from_str(json)?;
        let ms = crate::median_ms(3, || {
            Pantry::default()
                .source(&source, &inputs, &Watch::default())
                .is_ok_and(|field| !field.is_empty())
        });
        println!("| {title} | {ms:.0} |");
    }
    folded(&inputs)?;
    let recipe: Recipe = serde_json::from_str(
        r#"{"channels":"R","steps":[{"source":{"kind":"occlusion","rays":4},"shaping":[{"kind":"levels","from":0.1}]},{"source":{"kind":"height_ramp"}}]}"#,
    )?;
    let pantry = Pantry::default();
    let there = vec![[0.0; 4]; positions_of(&inputs)];
    let make = || made_by(&recipe, &there, &inputs, &pantry, &Watch::default()).is_ok();
    make();
    println!("| a knob of shaping, its source kept | {:.0} |", crate::median_ms(5, make));
    let mut length = 0.002;
    let soften = || {
        // Each turn of the knob is another length.
        length += 0.0001;
        let soft: Recipe = serde_json::from_str(&format!(
            r#"{{"channels":"R","steps":[{{"source":{{"kind":"occlusion","rays":4}},"shaping":[{{"kind":"soften","length":{length}}}]}}]}}"#
        ))
        .ok()?;
        made_by(&soft, &there, &inputs, &pantry, &Watch::default()).ok()
    };
    println!("| the knob of a softening by length | {:.0} |", crate::median_ms(5, soften));
    Ok(())
}

/// How many vertices of a scan have faces that fold back on each other, and how far occlusion there is
/// from that of their neighbours, beside the same over all: black specks would stand out.
fn folded(inputs: &Inputs) -> Result<()> {
    let geometry = &inputs.body.geometry;
    let source: Source = serde_json::from_str(r#"{"kind":"occlusion","rays":64}"#)?;
    let open = Pantry::default().source(&source, inputs, &Watch::default())?;
    let neighbours = geometry.neighbours(Placement::Vertex);
    let off = |vertex: usize| {
        let around = neighbours.of(vertex);
        let mean = around.iter().map(|&v| open.at(v as usize)[0]).sum::<f32>();
        (open.at(vertex)[0] - mean / around.len().max(1) as f32).abs()
    };
    let all = 0..geometry.mesh().vertex_count();
    let folded: Vec<usize> =
        all.clone().filter(|&v| normals::sides_of_fold(geometry, v).is_some()).collect();
    let mean = |vertices: &mut dyn Iterator<Item = usize>| {
        let (sum, count) = vertices.fold((0.0, 0.0_f32), |(sum, n), v| (sum + off(v), n + 1.0));
        sum / count.max(1.0)
    };
    println!(
        "\n{} vertices fold back; occlusion is {:.3} from their neighbours' there, {:.3} over all\n",
        folded.len(),
        mean(&mut folded.iter().copied()),
        mean(&mut all.clone())
    );
    Ok(())
}

/// What the app waits for: the first look after a knob, and the end of what was given up.
pub fn waits(path: &Path, bunny: &Path) -> Result<()> {
    println!("\n| waiting | ms |\n|---|---|");
    for (title, path) in [("bunny", bunny), ("dragon", path)] {
        let mut document = Document::default();
        document.apply(Edit::bring_in(read(path)?))?;
        let file = |rays: u32| {
            RecipeFile::read(&format!(
                r#"{{"set":"Shade","recipes":[{{"channels":"R","steps":[{{"source":{{"kind":"occlusion","rays":{rays}}}}}]}}]}}"#
            ))
            .map_err(anyhow::Error::msg)
        };
        let part = document.parts()[0].id;
        document.apply(RecipeEdit::TakeRecipes { part, set: None, file: file(64)? })?;
        let set = document.parts()[0].products().last().context("a set")?.id;
        let geometry = document.parts()[0].geometry.clone();
        let _ = (geometry.vertex_normals(), geometry.rays());
        // Each time another number of rays, as a knob gives them: nothing is kept of those before.
        let mut seed = 0;
        let ms = crate::median_ms(5, || {
            seed += 1;
            let mut order = document.order(part, set, Target::R).ok()?;
            order.recipe.steps[0].source = order.recipe.steps[0].source.with_seed(seed);
            let pantry = Pantry::default();
            order.draft(&pantry)?.values(&pantry, &Watch::default()).ok()
        });
        println!("| first look at the {title} after a knob of its rays | {ms:.0} |");
        for (what, source) in [
            ("occlusion", serde_json::from_str(r#"{"kind":"occlusion","rays":4096,"seed":1}"#)?),
            ("ridges at 20 edges", Source::Ridges { scale: 0.01 }),
            (
                "trail",
                serde_json::from_str(r#"{"kind":"trail","root":{"kind":"end","towards":"down"}}"#)?,
            ),
        ] {
            let mut order = document.order(part, set, Target::R)?;
            order.recipe.steps[0].source = source;
            let watch = Arc::new(Watch::default());
            let pantry = Arc::new(Pantry::default());
            let (looked_at, kept) = (watch.clone(), pantry.clone());
            let thread = std::thread::spawn(move || order.make(&kept, &looked_at).is_err());
            std::thread::sleep(std::time::Duration::from_millis(60));
            let begun = Instant::now();
            watch.give_up();
            let given_up = thread.join().unwrap_or(false);
            let how = if given_up { "given up" } else { "done before" };
            println!("| {what} of the {title} until it ends, {how} | {:.0} |", ms_of(begun));
        }
    }
    Ok(())
}

/// How occlusion grows with the mesh: bumpy balls of more and more triangles.
pub fn growth() -> Result<()> {
    println!(
        "\n| triangles | tree, ms | 16 rays a vertex, ms | M rays/s with the tree |\n|---|---|---|---|"
    );
    for rows in [70_usize, 224, 707, 1414] {
        let around = rows;
        let mut positions = Vec::new();
        for row in 0..=rows {
            for step in 0..around {
                let (up, turn) = (
                    row as f32 / rows as f32 * std::f32::consts::PI,
                    step as f32 / around as f32 * std::f32::consts::TAU,
                );
                let way = glam::Vec3::new(up.sin() * turn.cos(), up.cos(), up.sin() * turn.sin());
                let bump = (way.x * 17.0).sin() * (way.y * 19.0).sin() * (way.z * 23.0).sin();
                positions.push(way * (1.0 + 0.15 * bump));
            }
        }
        let mut corner_vertices = Vec::new();
        let at = |row: usize, step: usize| (row * around + step % around) as u32;
        for row in 0..rows {
            for step in 0..around {
                let [a, b, c, d] =
                    [at(row, step), at(row, step + 1), at(row + 1, step + 1), at(row + 1, step)];
                corner_vertices.extend([a, b, c, a, c, d]);
            }
        }
        let face_starts = (0..=corner_vertices.len() as u32).step_by(3).collect();
        let mesh = Mesh::new(MeshArrays {
            positions,
            face_starts,
            corner_vertices,
            ..MeshArrays::default()
        })?;
        let triangles = mesh.triangle_count();
        let body = Body {
            geometry: Arc::new(Geometry::new(mesh)),
            placed: Placed::new(&Transform::IDENTITY),
        };
        let samples = Samples::of(&body.geometry, Placement::Vertex);
        let begun = Instant::now();
        let _ = body.geometry.rays();
        let built = ms_of(begun);
        let begun = Instant::now();
        let _ = cast(&body, &samples, 16, 1)?;
        let rays = ms_of(begun);
        let per_second = (samples.points.len() * 16) as f64 / (built + rays) / 1e3;
        println!("| {triangles} | {built:.0} | {rays:.0} | {per_second:.2} |");
    }
    Ok(())
}

fn positions_of(inputs: &Inputs) -> usize {
    inputs.placement.count(inputs.body.geometry.mesh())
}
