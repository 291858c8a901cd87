//! Turning files of one format into another.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use serde::Serialize;
use speckle_core::Document;
use speckle_formats::{Body, Depth, Export, Format, Import, Light, Loss, Shipment, WriteOptions};
use speckle_mesh::{Conversion, Unit, UpAxis};
use speckle_model::ProjectTraits;

use crate::reading::{ReadArgs, UnitArg, UpArg, progress};

/// `speckle convert`
#[derive(Args)]
pub struct ConvertArgs {
    /// The file to read and the file to write; with --to, any number of files to read
    #[arg(required = true, num_args = 1..)]
    files: Vec<PathBuf>,
    /// Write every file in this format, under its own name (glb, gltf, ply, 3mf, usda, usdz, obj,
    /// x3d, wrl, dae, off, stl)
    #[arg(long)]
    to: Option<String>,
    /// The folder to write to; by default beside each file
    #[arg(long, requires = "to")]
    into: Option<PathBuf>,
    /// Multiply all lengths, for example by 0.001 from millimetres to metres
    #[arg(long, default_value_t = 1.0)]
    scale: f64,
    /// The axis that points up in the files read; what they say themselves when left out, Y where
    /// they say nothing
    #[arg(long, value_enum)]
    from_up: Option<UpArg>,
    /// The axis that shall point up in the files written; as in those read when left out
    #[arg(long, value_enum)]
    to_up: Option<UpArg>,
    /// The unit of the files read; what they say themselves when left out
    #[arg(long, value_enum)]
    from_unit: Option<UnitArg>,
    /// The unit of the files written; as in those read when left out
    #[arg(long, value_enum)]
    to_unit: Option<UnitArg>,
    /// How precisely colors are stored
    #[arg(long, value_enum, default_value = "usual")]
    depth: DepthArg,
    /// Store colors in other numbers than the format's readers take them for
    #[arg(long, value_enum, default_value = "usual")]
    light: LightArg,
    /// Leave alpha out
    #[arg(long)]
    no_alpha: bool,
    /// How the numbers of a PLY or STL file are written
    #[arg(long, alias = "ply-body", value_enum, default_value = "little")]
    body: BodyArg,
    /// Print what was written as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum DepthArg {
    /// 8 bits in PLY, floats elsewhere
    Usual,
    /// 8 bits
    #[value(name = "8")]
    Bits8,
    /// 16 bits (glTF; PLY takes floats)
    #[value(name = "16")]
    Bits16,
    /// 32-bit floats
    Float,
}

#[derive(Clone, Copy, ValueEnum)]
enum LightArg {
    /// As the format's readers take them
    Usual,
    /// sRGB-encoded, as they are shown
    Encoded,
    /// In linear light
    Linear,
}

#[derive(Clone, Copy, ValueEnum)]
enum BodyArg {
    /// Binary, little-endian
    Little,
    /// Binary, big-endian (PLY)
    Big,
    /// Text
    Ascii,
}

#[derive(Serialize)]
struct Written {
    input: PathBuf,
    output: PathBuf,
    bytes: usize,
    notes: Vec<String>,
}

/// Converts files; goes on after one that cannot be read, and fails at the end.
pub fn run(args: &ConvertArgs) -> Result<()> {
    if !(args.scale.is_finite() && args.scale > 0.0) {
        bail!("--scale {} makes no sense: give a number above 0", args.scale);
    }
    let jobs = jobs(args)?;
    let bar = progress(jobs.len());
    let (mut written, mut failed) = (Vec::new(), 0);
    for (input, output) in &jobs {
        bar.set_message(input.display().to_string());
        match one(args, input, output) {
            Ok(done) => {
                for note in done.notes.iter().filter(|_| !args.json) {
                    bar.suspend(|| eprintln!("{}: {note}", input.display()));
                }
                written.push(done);
            }
            Err(error) if jobs.len() == 1 => return Err(error),
            Err(error) => {
                bar.suspend(|| eprintln!("speckle: {error:#}"));
                failed += 1;
            }
        }
        bar.inc(1);
    }
    bar.finish_and_clear();
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&written)?);
    }
    if failed > 0 {
        bail!("{failed} of {} files could not be converted", jobs.len());
    }
    Ok(())
}

/// What is read and what is written.
fn jobs(args: &ConvertArgs) -> Result<Vec<(PathBuf, PathBuf)>> {
    let Some(to) = &args.to else {
        return match args.files.as_slice() {
            [input, output] => Ok(vec![(input.clone(), output.clone())]),
            [_] => bail!("name the file to write as well, or a format with --to"),
            _ => bail!("several files need --to FORMAT, which says what to write"),
        };
    };
    let format = Format::of_name(&format!("x.{}", to.trim_start_matches('.')))
        .with_context(|| format!("--to {to}"))?;
    let mut jobs: Vec<(PathBuf, PathBuf)> = Vec::with_capacity(args.files.len());
    for input in &args.files {
        let mut output = input.with_extension(format.extension());
        if let (Some(folder), Some(name)) = (&args.into, output.file_name()) {
            output = folder.join(name);
        }
        if output == *input {
            bail!("{} would overwrite itself: give another folder with --into", input.display());
        }
        if let Some((other, _)) = jobs.iter().find(|(_, taken)| *taken == output) {
            let (a, b, c) = (other.display(), input.display(), output.display());
            bail!("{a} and {b} would both be written to {c}: convert them one by one");
        }
        jobs.push((input.clone(), output));
    }
    if let Some(folder) = &args.into {
        fs::create_dir_all(folder)
            .with_context(|| format!("{} cannot be made", folder.display()))?;
    }
    Ok(jobs)
}

fn one(args: &ConvertArgs, input: &Path, output: &Path) -> Result<Written> {
    let format =
        Format::of_name(&output.to_string_lossy()).with_context(|| output.display().to_string())?;
    let mut said = None;
    let (document, import) = args.reading.bring_in_converted(input, |import| {
        let (conversion, traits) = meant(args, import, format);
        said = traits;
        (conversion, traits)
    })?;
    let options = WriteOptions {
        depth: match args.depth {
            DepthArg::Usual => Depth::Usual,
            DepthArg::Bits8 => Depth::Bits8,
            DepthArg::Bits16 => Depth::Bits16,
            DepthArg::Float => Depth::Float,
        },
        light: match args.light {
            LightArg::Usual => None,
            LightArg::Encoded => Some(Light::Encoded),
            LightArg::Linear => Some(Light::Linear),
        },
        alpha: !args.no_alpha,
        body: match args.body {
            BodyArg::Little => Body::Little,
            BodyArg::Big => Body::Big,
            BodyArg::Ascii => Body::Ascii,
        },
        ..WriteOptions::default()
    };
    let name = stem(output);
    let shipment = Shipment {
        name: &name,
        images: document.image_files(),
        traits: said,
        ..Shipment::of(document.parts())
    };
    let export = speckle_formats::write(format, &shipment, options)?;
    let repairs = import.repairs.iter().map(|repair| repair.message.clone());
    let losses = export.losses.iter().map(Loss::line);
    let notes = repairs.chain(import.notes).chain(losses).collect();
    write_export(output, &export)?;
    Ok(Written {
        input: input.to_owned(),
        output: output.to_owned(),
        bytes: export.bytes.len(),
        notes,
    })
}

/// How points are converted, and what their numbers mean then: where the file says it, or the user.
/// A format that fixes another unit or axis says so by what stands above the parts.
fn meant(
    args: &ConvertArgs,
    import: &Import,
    format: Format,
) -> (Conversion, Option<ProjectTraits>) {
    let said = args.reading.meaning(import).map_or(UpAxis::Y, |traits| traits.up);
    let from_up = args.from_up.map_or(said, UpAxis::from);
    let from_unit = args.from_unit.map(Unit::from).or(import.states.then_some(import.traits.unit));
    let to_up = args.to_up.map_or(if import.states { from_up } else { UpAxis::Y }, UpAxis::from);
    let to_unit = args.to_unit.map(Unit::from).or(from_unit);
    let units = match (from_unit, to_unit) {
        (Some(from), Some(to)) => from.metres() / to.metres(),
        _ => 1.0,
    };
    let is_said = import.states || args.to_up.is_some() || to_unit.is_some();
    let unit = to_unit.unwrap_or(format.usual_traits().unit);
    let traits = is_said.then_some(ProjectTraits { unit, up: to_up });
    (Conversion { scale: args.scale * units, from: from_up, to: to_up }, traits)
}

/// The name of a file without folders and extension.
pub fn stem(path: &Path) -> String {
    path.file_stem().map_or_else(|| "model".to_owned(), |stem| stem.to_string_lossy().into_owned())
}

/// Writes a document as a file, telling what is lost.
pub fn write_document(
    path: &Path,
    document: &Document,
    traits: Option<ProjectTraits>,
) -> Result<()> {
    let format =
        Format::of_name(&path.to_string_lossy()).with_context(|| path.display().to_string())?;
    let name = stem(path);
    let shipment = Shipment {
        name: &name,
        images: document.image_files(),
        traits,
        ..Shipment::of(document.parts())
    };
    let export = speckle_formats::write(format, &shipment, WriteOptions::default())?;
    for loss in &export.losses {
        eprintln!("{}: {}", path.display(), loss.line());
    }
    write_export(path, &export)
}

/// Writes a file with those that belong beside it.
pub fn write_export(path: &Path, export: &Export) -> Result<()> {
    for (name, bytes) in &export.beside {
        write_whole(&path.with_file_name(name), bytes)?;
    }
    write_whole(path, &export.bytes)
}

/// Writes beside the goal first, so that a full disk leaves no half a file under its name.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<()> {
    speckle_formats::folder::write_whole(path, bytes)
        .map_err(|error| anyhow::anyhow!("{} cannot be written: {error}", path.display()))
}
