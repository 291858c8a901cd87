//! Files as bodies to be printed whole, in full color: what is looked at, and what they cost.

use std::path::PathBuf;

use anyhow::{Context, Result, bail};
use clap::Args;
use serde::Serialize;
use speckle_standins::bureau::{Item, Priced, materials, priced};
use speckle_tools::{
    bake::watch::Watch,
    solid::{SolidTold, Wanted, measured},
};

use crate::reading::ReadArgs;

/// `speckle quote`
#[derive(Args)]
pub struct QuoteArgs {
    /// The files to read
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The key of a material; all of them when left out
    #[arg(long)]
    material: Option<String>,
    /// How many of each
    #[arg(long, default_value_t = 1)]
    quantity: u32,
    /// How much larger than the model it is printed
    #[arg(long, default_value_t = 1.0)]
    scale: f64,
    /// Tell where walls are thinner than this, mm
    #[arg(long, default_value_t = 1.0)]
    wall: f64,
    /// Tell of hollows whose widest way out is narrower than this, mm
    #[arg(long, default_value_t = 2.0)]
    drain: f64,
    /// Print everything as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// What a part of a file comes to.
#[derive(Serialize)]
struct Told {
    file: PathBuf,
    part: String,
    checks: SolidTold,
    prices: Vec<Offer>,
}

/// What it costs in a material.
#[derive(Serialize)]
struct Offer {
    material: String,
    #[serde(flatten)]
    priced: Priced,
}

/// Tells what each part of files comes to.
pub fn run(args: &QuoteArgs) -> Result<()> {
    if !(args.scale.is_finite() && args.scale > 0.0) {
        bail!("a print is larger than nothing: --scale {}", args.scale);
    }
    let all = materials();
    let wanted: Vec<&str> = match &args.material {
        None => all.iter().map(|material| material.key.as_str()).collect(),
        Some(key) if all.iter().any(|material| material.key == *key) => vec![key],
        Some(key) => {
            let keys: Vec<&str> = all.iter().map(|material| material.key.as_str()).collect();
            bail!("there is no material {key}: --material says one of {}", keys.join(", "))
        }
    };
    let mut told = Vec::new();
    for file in &args.files {
        let (document, import) = args.reading.bring_in(file)?;
        let mm = import.traits.unit.metres() * 1e3 * args.scale;
        for part in document.parts() {
            let shown = || file.display().to_string();
            let least = Wanted { wall: args.wall, drain: args.drain };
            let checks = measured(part, mm, &least, &Watch::default()).with_context(shown)?;
            let checks = checks.map_err(|_| anyhow::anyhow!("it was given up"))?;
            let item = |material: &str| Item {
                name: part.traits.name.clone(),
                material: material.to_owned(),
                quantity: args.quantity,
                volume: checks.volume / 1e3,
                size: checks.size,
                thinnest: checks.thinnest,
            };
            let offer = |material: &&str| Offer {
                material: (*material).to_owned(),
                priced: priced(&item(material)),
            };
            let prices = wanted.iter().map(offer).collect();
            let part = part.traits.name.clone();
            told.push(Told { file: file.clone(), part, checks, prices });
        }
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&told)?);
        return Ok(());
    }
    for Told { file, part, checks, prices } in &told {
        let [x, y, z] = checks.size;
        crate::say!("{}, {part}: {x:.1} × {y:.1} × {z:.1} mm", file.display());
        let closed = if checks.watertight { "closed" } else { "not closed: it cannot be printed" };
        crate::say!("  {closed}, {:.2} cm³, {:.1} cm²", checks.volume / 1e3, checks.area / 1e2);
        if let Some(narrowest) = checks.narrowest {
            crate::say!("  gaps from {narrowest:.2} mm on");
        }
        if let Some(thinnest) = checks.thinnest {
            let thin = 100.0 * checks.thin;
            crate::say!("  walls from {thinnest:.2} mm on; {thin:.1} % under {} mm", args.wall);
        }
        if checks.trapped > 0 {
            let volume = checks.trapped_volume / 1e3;
            crate::say!("  {} shells within, {volume:.2} cm³ trapped", checks.trapped);
        }
        for hollow in &checks.hollows {
            let volume = hollow.volume / 1e3;
            match hollow.way_out {
                Some(way) => {
                    crate::say!("  a hollow of {volume:.2} cm³ drains through {way:.2} mm")
                }
                None => crate::say!("  a hollow of {volume:.2} cm³ has no way out"),
            }
        }
        for Offer { material, priced } in prices {
            match &priced.refusal {
                Some(why) => crate::say!("  {material}: {why}"),
                None => crate::say!("  {material}: {:.2}, each {:.2}", priced.price, priced.each),
            }
        }
    }
    Ok(())
}
