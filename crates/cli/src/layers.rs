//! What a printer with several spools would do with files: layers, swatches, changes.

use std::{fmt::Write, path::PathBuf};

use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use glam::{Affine3A, Mat3, Vec3};
use serde::Serialize;
use speckle_color::byte_from_unit;
use speckle_mesh::{Unit, UpAxis};
use speckle_model::swatches::Swatch;
use speckle_tools::{
    bake::watch::Watch,
    layers::{Body, Depth, Plan, Rules, plan},
    separation::{MOST_SPOOLS, separate},
};

use crate::{convert::write_whole, reading::ReadArgs};

/// `speckle layers`
#[derive(Args)]
pub struct LayersArgs {
    /// The files to read
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// How high layers are, mm
    #[arg(long, default_value_t = 0.2)]
    layer: f64,
    /// How high the first one is, mm
    #[arg(long, default_value_t = 0.2)]
    first: f64,
    /// How wide a line is, mm
    #[arg(long, default_value_t = 0.45)]
    line: f64,
    /// How deep paint goes into a layer, mm; right through when left out
    #[arg(long)]
    depth: Option<f64>,
    /// How many swatches at most; those of the file's palette, or of its colors
    #[arg(long, default_value_t = 4)]
    swatches: u8,
    /// What lies deeper than paint goes: the number of a swatch, from 1; that of the largest area when left out
    #[arg(long)]
    base: Option<u8>,
    /// What is purged at each change, mm³
    #[arg(long, default_value_t = 140.0)]
    purge: f64,
    /// What stands for a unit of a file that says none
    #[arg(long, value_enum, default_value_t = UnitArg::Mm)]
    unit: UnitArg,
    /// Write a chart of the heights to this file, as SVG; for one file
    #[arg(long)]
    svg: Option<PathBuf>,
    /// Print everything as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum UnitArg {
    Mm,
    Cm,
    M,
    In,
}

/// What a file comes to.
#[derive(Serialize)]
struct Told {
    file: PathBuf,
    swatches: Vec<SwatchTold>,
    changes: usize,
    purged_mm3: f64,
    layers: usize,
    plan: Plan,
}

/// A swatch of it.
#[derive(Serialize)]
struct SwatchTold {
    name: String,
    color: String,
    mm3: f64,
}

/// Tells what each file's layers come to.
pub fn run(args: &LayersArgs) -> Result<()> {
    if args.svg.is_some() && args.files.len() > 1 {
        bail!("--svg names one file, but there are {}", args.files.len());
    }
    if !(1..=MOST_SPOOLS).contains(&args.swatches) {
        bail!("between 1 and {MOST_SPOOLS} swatches can be asked for, not {}", args.swatches);
    }
    let depth = match args.depth {
        None => Depth::Through,
        Some(distance) => Depth::Within { distance },
    };
    let rules = Rules { layer: args.layer, first: args.first, line: args.line, depth };
    let mut all = Vec::new();
    for file in &args.files {
        let told = tell(args, &rules, file)?;
        if let Some(svg) = &args.svg {
            write_whole(svg, chart(&told).as_bytes())?;
        }
        if !args.json {
            say(&told, args);
        }
        all.push(told);
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&all)?);
    }
    Ok(())
}

fn tell(args: &LayersArgs, rules: &Rules, file: &std::path::Path) -> Result<Told> {
    let shown = file.display();
    let (document, import) = args.reading.bring_in(file)?;
    let says_unit = crate::reading::says_units(file);
    let unit = match args.unit {
        _ if says_unit => import.traits.unit,
        UnitArg::Mm => Unit::Millimetre,
        UnitArg::Cm => Unit::Centimetre,
        UnitArg::M => Unit::Metre,
        UnitArg::In => Unit::Inch,
    };
    let scale = unit.metres() as f32 * 1e3;
    let turn = match import.traits.up {
        UpAxis::Z => Mat3::IDENTITY,
        UpAxis::Y => Mat3::from_cols(Vec3::X, Vec3::Z, Vec3::NEG_Y),
    };
    let to_plate = Affine3A::from_mat3(turn * scale);
    let parts = document.parts();
    let separated = separate(parts, document.swatches(), args.swatches);
    let largest = separated.areas.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1));
    let base = match args.base {
        None => largest.map_or(0, |(i, _)| i as u8),
        Some(base) if (1..=separated.swatches.len()).contains(&usize::from(base)) => base - 1,
        Some(base) => bail!(
            "{shown} has swatches 1 to {}, and no {base}: --base says one of them",
            separated.swatches.len()
        ),
    };
    let bodies: Vec<Body> = parts
        .iter()
        .zip(&separated.of_faces)
        .map(|(part, of_faces)| Body {
            geometry: &part.geometry,
            to_plate: to_plate * part.traits.transform.to_project(),
            of_faces,
            base,
        })
        .collect();
    let plan = plan(&bodies, rules, &Watch::default()).with_context(|| shown.to_string())?;
    let volumes = plan.volumes();
    let volume = |i: usize| volumes.iter().find(|(own, _)| usize::from(*own) == i);
    let swatches = separated.swatches.iter().enumerate().map(|(i, swatch)| SwatchTold {
        name: swatch.name.clone(),
        color: hex(swatch),
        mm3: volume(i).map_or(0.0, |(_, volume)| *volume),
    });
    Ok(Told {
        file: file.to_owned(),
        swatches: swatches.collect(),
        changes: plan.changes,
        purged_mm3: plan.changes as f64 * args.purge,
        layers: plan.layers.len(),
        plan,
    })
}

fn hex(swatch: &Swatch) -> String {
    let [r, g, b] = swatch.color.map(byte_from_unit);
    format!("#{r:02x}{g:02x}{b:02x}")
}

fn say(told: &Told, args: &LayersArgs) {
    let Told { file, swatches, changes, purged_mm3, layers, plan } = told;
    crate::say!("{}: {layers} layers, {changes} changes of spool", file.display());
    crate::say!("  {:.1} cm³ purged, at {} mm³ a change", purged_mm3 / 1e3, args.purge);
    for (i, swatch) in swatches.iter().enumerate() {
        let layers = plan.layers.iter();
        let there =
            layers.filter(|layer| layer.swatches.iter().any(|(own, _)| usize::from(*own) == i));
        let (number, count) = (i + 1, there.count());
        crate::say!(
            "  {number} {} {}: {:.2} cm³, in {count} layers",
            swatch.color,
            swatch.name,
            swatch.mm3 / 1e3
        );
    }
    if plan.open > 0 {
        crate::say!("  in {} layers an outline does not close: mend holes first", plan.open);
    }
    if plan.overlapping > 0 {
        crate::say!("  in {} layers shells lie within each other", plan.overlapping);
    }
}

/// A column for each layer, its swatches from the bottom by their share, and a tick above each layer in which
/// the spool changes.
fn chart(told: &Told) -> String {
    let layers = &told.plan.layers;
    let (wide, high) = (layers.len().max(1), 100.0);
    let most = layers.iter().map(|layer| layer.area).fold(1e-12, f64::max);
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 -8 {wide} 108\" preserveAspectRatio=\"none\">\n"
    );
    let mut last = None;
    for (x, layer) in layers.iter().enumerate() {
        let mut top = high;
        for &(swatch, area) in &layer.swatches {
            let tall = high * area / most;
            top -= tall;
            let color = &told.swatches[usize::from(swatch)].color;
            let _ = writeln!(
                svg,
                "<rect x=\"{x}\" y=\"{top:.3}\" width=\"1\" height=\"{tall:.3}\" fill=\"{color}\"/>"
            );
        }
        let changes = layer.order.iter().any(|&swatch| {
            let changes = last.is_some_and(|last| last != swatch);
            last = Some(swatch);
            changes
        });
        if changes {
            let _ =
                writeln!(svg, "<rect x=\"{x}\" y=\"-6\" width=\"1\" height=\"4\" fill=\"#333\"/>");
        }
    }
    svg.push_str("</svg>\n");
    svg
}
