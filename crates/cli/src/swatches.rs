//! Files in swatches: made of their colors, swept of specks, written for printers with several spools.

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, anyhow, bail};
use clap::Args;
use serde::Serialize;
use speckle_core::{Document, ProjectEdit, SwatchEdit, document::PartPainted};
use speckle_formats::{
    Format,
    note::Origin,
    recipient::{Goods, Recipient},
};
use speckle_model::swatches::{self, Swatch};
use speckle_tools::{
    layers::to_plate,
    separation::separate,
    swatching::{Making, made},
    sweep::{Limits, Regions},
};

use crate::{
    convert::{stem, write_whole},
    reading::ReadArgs,
};

/// `speckle swatches`
#[derive(Args)]
pub struct SwatchesArgs {
    /// The files to read
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The folder to write 3MF files to
    #[arg(short = 'o', long, default_value = ".")]
    out: PathBuf,
    /// How many swatches at most
    #[arg(long, default_value_t = 4)]
    most: u8,
    /// A palette to choose from: lines of "r g b name", or JSON
    #[arg(long)]
    palette: Option<PathBuf>,
    /// Regions smaller than this go to what lies beside them, in square steps of the file's unit
    #[arg(long, default_value_t = 0.0)]
    smallest: f64,
    /// How often borders are smoothed
    #[arg(long, default_value_t = 0)]
    smooth: u8,
    /// Mix colors between two swatches by a pattern with cells so wide, in the file's unit
    #[arg(long)]
    dither: Option<f32>,
    /// Print what was made as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// `speckle sweep`
#[derive(Args)]
pub struct SweepArgs {
    /// The files to read
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The folder to write swept 3MF files to; without it specks are only told
    #[arg(short = 'o', long)]
    out: Option<PathBuf>,
    /// How many swatches at most; those of the file's palette, or of its colors
    #[arg(long, default_value_t = 4)]
    swatches: u8,
    /// Regions smaller than this are specks, mm²
    #[arg(long, default_value_t = 0.81)]
    area: f64,
    /// Regions narrower than this are specks, mm
    #[arg(long, default_value_t = 0.45)]
    width: f64,
    /// Print the specks as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// A swatch of a file.
#[derive(Serialize)]
struct SwatchTold {
    name: String,
    color: String,
    faces: usize,
}

/// What became of a file.
#[derive(Serialize)]
struct Made {
    file: PathBuf,
    swatches: Vec<SwatchTold>,
    written: PathBuf,
}

/// A speck of a file.
#[derive(Serialize)]
struct Speck {
    part: String,
    swatch: String,
    beside: Option<String>,
    faces: usize,
    mm2: f64,
    mm_wide: f64,
    /// In the file's space.
    place: [f32; 3],
}

/// What was swept of a file.
#[derive(Serialize)]
struct Swept {
    file: PathBuf,
    specks: Vec<Speck>,
    written: Option<PathBuf>,
}

/// Makes swatches of the colors of files.
pub fn run(args: &SwatchesArgs) -> Result<()> {
    let (most, smallest, smooth, dither) = (args.most, args.smallest, args.smooth, args.dither);
    let making = Making { most, smallest, smooth, dither };
    if let Some(problem) = making.problem() {
        bail!("{problem}");
    }
    let palette = args.palette.as_deref().map(palette_of).transpose()?.unwrap_or_default();
    let mut all = Vec::new();
    for file in &args.files {
        let (mut document, import) = args.reading.bring_in(file)?;
        let (found, of_faces) = made(document.parts(), &palette, &making);
        let found = swatches::numbered(&[], found);
        let faces = |place: usize| {
            of_faces.iter().flatten().filter(|own| usize::from(**own) == place).count()
        };
        let told = found.iter().enumerate().map(|(place, swatch)| SwatchTold {
            name: swatch.called(),
            color: swatch.hex(),
            faces: faces(place),
        });
        let told = told.collect();
        paint(&mut document, found, &of_faces)?;
        let written = write(&document, import.traits, &args.out, file)?;
        all.push(Made { file: file.clone(), swatches: told, written });
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&all)?);
        return Ok(());
    }
    for Made { swatches, written, .. } in &all {
        crate::say!("{}", written.display());
        for (i, swatch) in swatches.iter().enumerate() {
            let SwatchTold { name, color, faces } = swatch;
            crate::say!("  {} {color} {name}: {faces} faces", i + 1);
        }
    }
    Ok(())
}

/// Tells specks of files, or sweeps them up.
pub fn sweep(args: &SweepArgs) -> Result<()> {
    let limits = Limits { area: args.area, width: args.width };
    if let Some(problem) = limits.problem() {
        bail!("{problem}");
    }
    let mut all = Vec::new();
    for file in &args.files {
        let (mut document, import) = args.reading.bring_in(file)?;
        let separated = separate(document.parts(), document.swatches(), args.swatches);
        let to_print = to_plate(import.traits.unit, import.traits.up);
        let mut specks = Vec::new();
        let mut of_faces = Vec::new();
        for (part, faces) in document.parts().iter().zip(&separated.of_faces) {
            let to_project = part.traits.transform.to_project();
            let regions = Regions::of(&part.geometry, faces, &(to_print * to_project));
            let found = regions.specks(&limits);
            let name = |place: u8| separated.swatches[usize::from(place)].called();
            specks.extend(found.iter().map(|&number| {
                let own = &regions.list[number as usize];
                let place = to_project.transform_point3(own.place);
                Speck {
                    part: part.traits.name.clone(),
                    swatch: name(own.swatch),
                    beside: own.beside.map(name),
                    faces: own.faces,
                    mm2: own.area,
                    mm_wide: own.width,
                    place: place.to_array(),
                }
            }));
            of_faces.push(regions.absorbed(&found));
        }
        let mut written = None;
        if let Some(out) = &args.out {
            let palette = swatches::numbered(&[], separated.swatches.clone());
            paint(&mut document, palette, &of_faces)?;
            written = Some(write(&document, import.traits, out, file)?);
        }
        all.push(Swept { file: file.clone(), specks, written });
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&all)?);
        return Ok(());
    }
    for Swept { file, specks, written } in &all {
        crate::say!("{}: {} specks", file.display(), specks.len());
        for speck in specks {
            let Speck { part, swatch, beside, mm2, mm_wide, place: [x, y, z], .. } = speck;
            let beside = beside.as_deref().unwrap_or("nothing");
            crate::say!(
                "  {mm2:.3} mm², {mm_wide:.2} mm wide, {swatch} in {beside}, on {part} at {x:.2} {y:.2} {z:.2}"
            );
        }
        if let Some(written) = written {
            crate::say!("  {}", written.display());
        }
    }
    Ok(())
}

fn palette_of(path: &Path) -> Result<Vec<Swatch>> {
    let shown = path.display();
    let text = std::fs::read_to_string(path).with_context(|| format!("{shown} cannot be read"))?;
    let palette = if text.trim_start().starts_with('[') {
        serde_json::from_str(&text).with_context(|| format!("{shown} is no palette"))?
    } else {
        swatches::from_text(&text).with_context(|| format!("{shown} is no palette"))?
    };
    match swatches::problem(&palette) {
        None => Ok(palette),
        Some(problem) => Err(anyhow!("{shown}: {problem}")),
    }
}

fn paint(document: &mut Document, palette: Vec<Swatch>, of_faces: &[Vec<u8>]) -> Result<()> {
    let parts = document.parts().iter().zip(of_faces).map(|(part, faces)| PartPainted {
        part: part.id,
        mesh: part.geometry.id(),
        numbers: faces.iter().map(|&place| palette[usize::from(place)].number).collect(),
        base: None,
    });
    let (label, parts) = ("Paint in swatches".to_owned(), parts.collect());
    document.apply(ProjectEdit::SetPalette { swatches: palette })?;
    document.apply(SwatchEdit::PaintFaces { label, palette: None, parts })?;
    Ok(())
}

/// Writes a 3MF file with base materials, one for each swatch.
fn write(
    document: &Document,
    traits: speckle_model::ProjectTraits,
    out: &Path,
    file: &Path,
) -> Result<PathBuf> {
    std::fs::create_dir_all(out).with_context(|| format!("{} cannot be made", out.display()))?;
    let name = stem(file);
    let recipient = Recipient {
        name: "Spools".to_owned(),
        format: Format::ThreeMf,
        spools: 16,
        materials: false,
        ..Recipient::default()
    };
    let goods = Goods {
        name: &name,
        parts: document.parts(),
        images: document.image_files(),
        palette: document.swatches(),
        looks: &[],
        traits,
    };
    let origin = Origin { project: name.clone(), ..Origin::default() };
    let packed = recipient.pack(&goods, origin)?;
    let model = packed.into_files().into_iter().next().context("nothing was packed")?;
    let path = out.join(&model.name);
    if path.exists() && std::fs::canonicalize(&path)? == std::fs::canonicalize(file)? {
        bail!("{} would be written over: choose another folder with -o", file.display());
    }
    write_whole(&path, &model.bytes)?;
    Ok(path)
}
