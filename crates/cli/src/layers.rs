//! What a printer with several spools would do with files: layers, swatches, changes.

use std::path::PathBuf;

use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use serde::Serialize;
use speckle_color::byte_from_unit;
use speckle_mesh::Unit;
use speckle_model::swatches::Swatch;
use speckle_tools::{
    bake::watch::Watch,
    layers::{
        Body, Inside, Pace, Plan, Range, Rules, chart, count, estimate, height_of, page, scale,
        swap_list, to_plate,
    },
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
    /// How deep paint goes into a layer, mm
    #[arg(long, default_value_t = 0.9)]
    depth: f64,
    /// Have paint go right through, however deep that is
    #[arg(long, conflicts_with = "base")]
    through: bool,
    /// How many swatches at most; those of the file's palette, or of its colors
    #[arg(long, default_value_t = 4)]
    swatches: u8,
    /// What lies deeper than paint goes: the number of a swatch, from 1; the one with the fewest changes when
    /// left out
    #[arg(long)]
    base: Option<u8>,
    /// How high the print is, mm; as high as the model when left out
    #[arg(long)]
    height: Option<f64>,
    /// What is purged at each change, mm³
    #[arg(long, default_value_t = 140.0)]
    purge: f64,
    /// What stands for a unit of a file that says none
    #[arg(long, value_enum, default_value_t = UnitArg::Mm)]
    unit: UnitArg,
    /// Write a chart of the heights to this file, as SVG; for one file
    #[arg(long)]
    svg: Option<PathBuf>,
    /// Between two heights above the plate, layers of another height, in mm: FROM:TO:HEIGHT; again for more
    #[arg(long, value_name = "FROM:TO:HEIGHT", value_parser = range)]
    range: Vec<Range>,
    /// Write when to load which swatch to this file, as text: height, layer, swatch; for one file
    #[arg(long)]
    swaps: Option<PathBuf>,
    /// Write the plan to this file, as one page of HTML; for one file
    #[arg(long)]
    page: Option<PathBuf>,
    /// Print everything as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

fn range(text: &str) -> Result<Range, String> {
    let numbers: Vec<f64> =
        text.split(':').filter_map(|number| number.trim().parse().ok()).collect();
    match numbers[..] {
        [from, to, layer] if text.split(':').count() == 3 => Ok(Range { from, to, layer }),
        _ => {
            Err("say from which height to which, and how high layers are there: 10:14.5:0.1"
                .to_owned())
        }
    }
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
    /// What each choice of what lies within comes to.
    insides: Vec<InsideTold>,
    plan: Plan,
}

/// What a choice of what lies within comes to.
#[derive(Serialize)]
struct InsideTold {
    /// The number of a swatch, from 1; nothing where paint goes right through.
    inside: Option<usize>,
    changes: usize,
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
    let named = [("--svg", &args.svg), ("--swaps", &args.swaps), ("--page", &args.page)];
    if let Some((flag, _)) = named.iter().find(|(_, path)| path.is_some() && args.files.len() > 1) {
        bail!("{flag} names one file, but there are {}", args.files.len());
    }
    if !(1..=MOST_SPOOLS).contains(&args.swatches) {
        bail!("between 1 and {MOST_SPOOLS} swatches can be asked for, not {}", args.swatches);
    }
    let rules = Rules {
        layer: args.layer,
        first: args.first,
        line: args.line,
        depth: args.depth,
        ranges: args.range.clone(),
    };
    let mut all = Vec::new();
    for file in &args.files {
        let (told, swatches) = tell(args, &rules, file)?;
        if let Some(svg) = &args.svg {
            write_whole(svg, chart(&told.plan, &swatches).as_bytes())?;
        }
        if let Some(swaps) = &args.swaps {
            write_whole(swaps, swap_list(&told.plan, &swatches).as_bytes())?;
        }
        if let Some(path) = &args.page {
            let pace = Pace { purge: args.purge, ..Pace::default() };
            let estimate = estimate(&told.plan, &pace, &swatches);
            let html = page(&crate::convert::stem(file), &told.plan, &estimate, &swatches);
            write_whole(path, html.as_bytes())?;
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

fn tell(args: &LayersArgs, rules: &Rules, file: &std::path::Path) -> Result<(Told, Vec<Swatch>)> {
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
    let to_plate = to_plate(unit, import.traits.up);
    let parts = document.parts();
    let separated = separate(parts, document.swatches(), args.swatches);
    let mut bodies: Vec<Body> = parts
        .iter()
        .zip(&separated.of_faces)
        .map(|(part, of_faces)| Body {
            geometry: &part.geometry,
            to_plate: to_plate * part.traits.transform.to_project(),
            of_faces,
        })
        .collect();
    if let Some(height) = args.height {
        let stands = height_of(&bodies);
        if !(height.is_finite() && height > 0.0) || stands <= 0.0 {
            bail!("{shown} cannot be printed {height} mm high");
        }
        scale(&mut bodies, height / stands);
    }
    let counted = count(&bodies, rules, &Watch::default()).with_context(|| shown.to_string())?;
    let swatches = separated.swatches.len();
    let with_base = |base: usize| counted.plan(Inside::Swatch { swatch: base as u8 });
    let mut insides =
        vec![InsideTold { inside: None, changes: counted.plan(Inside::Nearest).changes }];
    insides.extend(
        (0..swatches)
            .map(|base| InsideTold { inside: Some(base + 1), changes: with_base(base).changes }),
    );
    let plan = match args.base {
        _ if args.through => counted.plan(Inside::Nearest),
        Some(base) if (1..=swatches).contains(&usize::from(base)) => {
            with_base(usize::from(base) - 1)
        }
        Some(base) => {
            bail!("{shown} has swatches 1 to {swatches}, and no {base}: --base says one of them")
        }
        None => {
            let least = insides[1..].iter().enumerate().min_by_key(|(_, told)| told.changes);
            with_base(least.map_or(0, |(base, _)| base))
        }
    };
    let volumes = plan.volumes();
    let volume = |i: usize| volumes.iter().find(|(own, _)| usize::from(*own) == i);
    let swatches = separated.swatches.iter().enumerate().map(|(i, swatch)| SwatchTold {
        name: swatch.name.clone(),
        color: hex(swatch),
        mm3: volume(i).map_or(0.0, |(_, volume)| *volume),
    });
    let told = Told {
        file: file.to_owned(),
        swatches: swatches.collect(),
        changes: plan.changes,
        purged_mm3: plan.changes as f64 * args.purge,
        layers: plan.layers.len(),
        insides,
        plan,
    };
    Ok((told, separated.swatches))
}

fn hex(swatch: &Swatch) -> String {
    let [r, g, b] = swatch.color.map(byte_from_unit);
    format!("#{r:02x}{g:02x}{b:02x}")
}

fn say(told: &Told, args: &LayersArgs) {
    let Told { file, swatches, changes, purged_mm3, layers, insides, plan } = told;
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
    for InsideTold { inside, changes } in insides {
        match inside {
            None => crate::say!("  paint right through: {changes} changes"),
            Some(base) => crate::say!("  swatch {base} within: {changes} changes"),
        }
    }
    if plan.open > 0 {
        crate::say!("  in {} layers an outline does not close: mend holes first", plan.open);
    }
    if plan.overlapping > 0 {
        crate::say!("  in {} layers shells lie within each other", plan.overlapping);
    }
}
