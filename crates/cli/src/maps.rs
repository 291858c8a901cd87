//! Channels as images, and as tables.

use std::{
    collections::HashMap,
    fs,
    path::{Path, PathBuf},
    sync::Arc,
};

use anyhow::{Context, Result, anyhow, bail};
use clap::{Args, ValueEnum};
use speckle_formats::{
    map_file::MapFile,
    tables::{TableFile, table},
};
use speckle_mesh::Placement;
use speckle_model::Part;
use speckle_tools::{
    bake::image::Image,
    image_file::ImageFile,
    map::{MapChannel, MapPlan, MapProjection, render},
};

use crate::{convert::write_whole, reading::ReadArgs};

/// `speckle render-map`
#[derive(Args)]
pub struct MapArgs {
    /// The file to read
    input: PathBuf,
    /// The image to write (.png or .exr)
    output: PathBuf,
    /// The set whose R, G, B and A are written
    #[arg(long, conflicts_with_all = ["r", "g", "b"])]
    set: Option<String>,
    /// What R holds: a channel (Wear.R), turned over (1-Wear.R), a number (0.5), `covered`, or a
    /// channel of an image (keep:FILE:R)
    #[arg(long)]
    r: Option<String>,
    /// What G holds; as R where nothing is said
    #[arg(long)]
    g: Option<String>,
    /// What B holds; likewise
    #[arg(long)]
    b: Option<String>,
    /// What A holds; 1 where nothing is said
    #[arg(long)]
    a: Option<String>,
    /// Pixels across and down: 1024, or 1024x512
    #[arg(long, default_value = "1024")]
    size: String,
    /// The UV set, from 1
    #[arg(long, default_value_t = 1, conflicts_with = "along")]
    uv: usize,
    /// Look along an axis instead of by UVs
    #[arg(long, value_enum)]
    along: Option<Axis>,
    /// How far colors are drawn out over the seams, pixels
    #[arg(long, default_value_t = 8)]
    padding: usize,
    /// Samples along each side of a pixel
    #[arg(long, default_value_t = 2)]
    samples: usize,
    /// Bits of each channel of a PNG
    #[arg(long, value_enum, default_value = "8")]
    bits: Bits,
    #[command(flatten)]
    reading: ReadArgs,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Bits {
    #[value(name = "8")]
    Eight,
    #[value(name = "16")]
    Sixteen,
}

/// Where the eye looks.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Axis {
    /// From the right
    MinusX,
    /// From the left
    X,
    /// From above, where y is up
    MinusY,
    /// From below, likewise
    Y,
    /// From the front
    MinusZ,
    /// From behind
    Z,
}

impl Axis {
    fn lay(self) -> MapProjection {
        let (direction, up) = match self {
            Self::X => ([1.0, 0.0, 0.0], [0.0, 1.0, 0.0]),
            Self::MinusX => ([-1.0, 0.0, 0.0], [0.0, 1.0, 0.0]),
            Self::Y => ([0.0, 1.0, 0.0], [0.0, 0.0, 1.0]),
            Self::MinusY => ([0.0, -1.0, 0.0], [0.0, 0.0, -1.0]),
            Self::Z => ([0.0, 0.0, 1.0], [0.0, 1.0, 0.0]),
            Self::MinusZ => ([0.0, 0.0, -1.0], [0.0, 1.0, 0.0]),
        };
        MapProjection::Along { direction, up }
    }
}

const LETTERS: [&str; 4] = ["R", "G", "B", "A"];

fn letter(text: &str) -> Option<usize> {
    LETTERS.iter().position(|letter| letter.eq_ignore_ascii_case(text))
}

/// What a channel of the map holds, as it is written on the command line.
fn channel(text: &str, images: &mut HashMap<String, Arc<Image>>) -> Result<MapChannel> {
    let what =
        || format!("{text} is none of SET.R, 1-SET.R, a number from 0 to 1, covered, keep:FILE:R");
    if text == "covered" {
        return Ok(MapChannel::Covered);
    }
    if let Ok(value) = text.parse::<f32>() {
        return Ok(MapChannel::Constant { value });
    }
    if let Some(rest) = text.strip_prefix("keep:") {
        let (file, from) = rest.rsplit_once(':').with_context(what)?;
        let channel = letter(from).with_context(what)?;
        let bytes = fs::read(file).with_context(|| format!("{file} cannot be read"))?;
        let image = ImageFile::new(Arc::new(bytes)).and_then(|image| image.image());
        images.insert(file.to_owned(), image.map_err(|cause| anyhow!("{file} {cause}"))?);
        return Ok(MapChannel::Kept { image: file.to_owned(), channel });
    }
    let (text, invert) = text.strip_prefix("1-").map_or((text, false), |rest| (rest, true));
    let (set, from) = text.rsplit_once('.').with_context(what)?;
    Ok(MapChannel::Set { set: set.to_owned(), channel: letter(from).with_context(what)?, invert })
}

/// Renders channels of a file into an image.
pub fn render_map(args: &MapArgs) -> Result<()> {
    let end = args.output.extension().map(|end| end.to_string_lossy().to_ascii_lowercase());
    let file = match (end.as_deref(), args.bits) {
        (Some("png"), Bits::Eight) => MapFile::Png8,
        (Some("png"), Bits::Sixteen) => MapFile::Png16,
        (Some("exr"), _) => MapFile::Exr,
        _ => bail!("{} is neither .png nor .exr", args.output.display()),
    };
    let (document, _) = args.reading.bring_in(&args.input)?;
    let mut images = HashMap::new();
    let channels = match (&args.set, &args.r) {
        (Some(set), _) => {
            let own = |channel| MapChannel::Set { set: set.clone(), channel, invert: false };
            let alpha = match &args.a {
                Some(text) => channel(text, &mut images)?,
                None => own(3),
            };
            [own(0), own(1), own(2), alpha]
        }
        (None, Some(red)) => {
            let red = channel(red, &mut images)?;
            let mut or = |text: &Option<String>, usual: &MapChannel| match text {
                Some(text) => channel(text, &mut images),
                None => Ok(usual.clone()),
            };
            let (green, blue) = (or(&args.g, &red)?, or(&args.b, &red)?);
            let alpha = or(&args.a, &MapChannel::Constant { value: 1.0 })?;
            [red, green, blue, alpha]
        }
        (None, None) => bail!("say what goes in: --set NAME, or --r SET.R with --g, --b and --a"),
    };
    let number = |text: &str| {
        text.trim()
            .parse::<usize>()
            .map_err(|_| anyhow!("--size {}: give 1024, or 1024x512", args.size))
    };
    let (width, height) = match args.size.split_once('x') {
        Some((width, height)) => (number(width)?, number(height)?),
        None => (number(&args.size)?, number(&args.size)?),
    };
    let lay = match args.along {
        Some(axis) => axis.lay(),
        None if args.uv == 0 => bail!("--uv counts from 1"),
        None => MapProjection::Uv { uv_set: args.uv - 1 },
    };
    let plan =
        MapPlan { width, height, lay, channels, padding: args.padding, samples: args.samples };
    let map = render(document.parts(), &plan, |name| images.get(name).cloned())?;
    write_whole(&args.output, &file.write(&map)?)
}

/// `speckle table`
#[derive(Args)]
pub struct TableArgs {
    /// The file to read
    input: PathBuf,
    /// What has a row
    #[arg(long, value_enum, default_value = "vertex")]
    of: Of,
    /// The file to write (.csv or .json); a number is added for each part when there are several.
    /// Printed when left out
    #[arg(short = 'o', long)]
    output: Option<PathBuf>,
    /// Print JSON instead of CSV
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum Of {
    /// Every vertex
    Vertex,
    /// Every corner of every face
    Corner,
    /// Every face
    Face,
}

/// Writes the numbers of a file as a table.
pub fn tables(args: &TableArgs) -> Result<()> {
    let (document, _) = args.reading.bring_in(&args.input)?;
    let placement = match args.of {
        Of::Vertex => Placement::Vertex,
        Of::Corner => Placement::Corner,
        Of::Face => Placement::Face,
    };
    let ends_in_json =
        args.output.as_deref().and_then(Path::extension).is_some_and(|end| end == "json");
    let file = if args.json || ends_in_json { TableFile::Json } else { TableFile::Csv };
    let parts: &[Part] = document.parts();
    for (number, part) in parts.iter().enumerate() {
        let text = table(part, placement, file);
        match &args.output {
            None => crate::say!("{}", text.trim_end()),
            Some(path) if parts.len() == 1 => write_whole(path, text.as_bytes())?,
            Some(path) => {
                let end = path.extension().map_or("csv".into(), |end| end.to_string_lossy());
                let stem = path.file_stem().unwrap_or_default().to_string_lossy();
                let own = path.with_file_name(format!("{stem}-{}.{end}", number + 1));
                write_whole(&own, text.as_bytes())?;
            }
        }
    }
    Ok(())
}
