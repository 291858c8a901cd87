//! Other shapes for files, made from their own: fewer or finer faces, mended, moved, smoothed, trimmed.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, anyhow, bail};
use clap::{ArgGroup, Args, ValueEnum};
use serde::Serialize;
use speckle_core::ReplaceEdit;
use speckle_formats::Format;
use speckle_model::{Part, SetId};
use speckle_tools::{
    bake::watch::Watch,
    decimate::{self, Goal},
    layout,
    reform::{
        Given, Reform, ReformReport, displace, mend, numbers::By, reform, smooth, subdivide, trim,
    },
};

use crate::{
    convert::write_document,
    reading::{ReadArgs, image_of},
};

/// Which files, and where to.
#[derive(Args)]
pub struct FileArgs {
    /// The files to read
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The file to write, for one file; its extension tells the format
    #[arg(long, conflicts_with = "into")]
    to: Option<PathBuf>,
    /// The folder to write to, under the files' own names
    #[arg(long)]
    into: Option<PathBuf>,
    /// Print what was done as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// `speckle decimate`
#[derive(Args)]
#[command(group = ArgGroup::new("goal").required(true))]
pub struct DecimateArgs {
    #[command(flatten)]
    files: FileArgs,
    /// To so many triangles, each part
    #[arg(long, group = "goal")]
    triangles: Option<usize>,
    /// To a share of the triangles, above 0 and below 1
    #[arg(long, group = "goal")]
    share: Option<f32>,
    /// As far as the surface stays within a distance of what it was, in the file's unit
    #[arg(long, group = "goal")]
    error: Option<f32>,
    /// How much borders of color weigh beside the shape, 0 to 1
    #[arg(long, default_value_t = 0.5)]
    colors: f32,
    /// How much creases weigh, 0 to 1
    #[arg(long, default_value_t = 0.5)]
    creases: f32,
    /// How much the borders of groups and selections weigh, 0 to 1
    #[arg(long, default_value_t = 0.5)]
    group_borders: f32,
    /// Leave open edges as they are
    #[arg(long)]
    keep_rims: bool,
    /// Make triangles even in size and shape
    #[arg(long)]
    even: bool,
    /// Only the faces of a group
    #[arg(long)]
    only: Option<String>,
}

/// `speckle subdivide`
#[derive(Args)]
pub struct SubdivideArgs {
    #[command(flatten)]
    files: FileArgs,
    /// How new points are placed
    #[arg(long, value_enum, default_value_t = SchemeArg::Flat)]
    scheme: SchemeArg,
    /// Flat: by how many points each edge is cut; smoothed: how many times
    #[arg(long, default_value_t = 1)]
    times: u32,
    /// Keep edges sharp that bend by so many degrees or more, when smoothed
    #[arg(long)]
    sharp: Option<f32>,
    /// Only the faces of a group
    #[arg(long)]
    only: Option<String>,
}

/// `speckle refine`
#[derive(Args)]
pub struct RefineArgs {
    #[command(flatten)]
    files: FileArgs,
    /// How long edges may be, in the file's unit
    #[arg(long)]
    edges: f32,
    /// Only the faces of a group
    #[arg(long)]
    only: Option<String>,
}

/// How new points are placed.
#[derive(Clone, Copy, ValueEnum)]
enum SchemeArg {
    /// On the faces
    Flat,
    /// Smoothed, for triangles (Loop 1987)
    Loop,
    /// Smoothed, all faces become quads (Catmull and Clark 1978)
    CatmullClark,
}

/// `speckle mend`
#[derive(Args)]
pub struct MendArgs {
    #[command(flatten)]
    files: FileArgs,
    /// Only tell what is wrong; nothing is written
    #[arg(long, conflicts_with_all = ["to", "into"])]
    look: bool,
    /// Join vertices within this of each other, in the file's unit; 0 joins those at one place
    #[arg(long)]
    join: Option<f32>,
    /// Drop faces without area, and those that stand there twice
    #[arg(long)]
    degenerate: bool,
    /// Drop faces that lie back to back with another
    #[arg(long)]
    double_walls: bool,
    /// Drop vertices that no face uses
    #[arg(long)]
    loose: bool,
    /// Have the faces of each piece look the same way, and outwards
    #[arg(long)]
    winding: bool,
    /// Close holes of up to so many edges
    #[arg(long)]
    holes: Option<u32>,
    /// Have lids go on as what is around them does, and not flat
    #[arg(long, requires = "holes")]
    smooth_lids: bool,
    /// Join vertices of open rims within this of each other, in the file's unit
    #[arg(long)]
    stitch: Option<f32>,
    /// Forget the normals that the file says
    #[arg(long)]
    forget_normals: bool,
    /// Make normals that are sharp at edges which bend by more than so many degrees
    #[arg(long, conflicts_with = "forget_normals")]
    hard_edges: Option<f32>,
}

/// `speckle displace`
#[derive(Args)]
pub struct DisplaceArgs {
    #[command(flatten)]
    files: FileArgs,
    /// How far a point goes where the number is 1 above the midpoint, in the file's unit
    #[arg(long, allow_negative_numbers = true)]
    amount: f32,
    /// The set that says how far; all points go the same way when left out
    #[arg(long)]
    set: Option<String>,
    /// An image that says how far, by texture coordinates: one of the file's materials, or a file
    #[arg(long, conflicts_with = "set")]
    image: Option<String>,
    /// The channel of either; the luminance of its colors when left out
    #[arg(long, value_enum)]
    channel: Option<ChannelArg>,
    /// The number that moves nothing, 0 to 1
    #[arg(long, default_value_t = 0.0)]
    midpoint: f32,
    /// How steep numbers count about the midpoint
    #[arg(long, default_value_t = 1.0, allow_negative_numbers = true)]
    contrast: f32,
    /// In a direction, x,y,z, and not along the normals
    #[arg(long, value_delimiter = ',', allow_negative_numbers = true)]
    toward: Option<Vec<f32>>,
    /// Fade to nothing within this of open rims, in the file's unit
    #[arg(long, default_value_t = 0.0)]
    fade: f32,
    /// Let faces fold over
    #[arg(long)]
    may_fold: bool,
    /// Only the points of a group
    #[arg(long)]
    only: Option<String>,
}

/// `speckle smooth`
#[derive(Args)]
pub struct SmoothArgs {
    #[command(flatten)]
    files: FileArgs,
    /// How many rounds
    #[arg(long, default_value_t = 10)]
    rounds: u32,
    /// Let it shrink
    #[arg(long)]
    shrink: bool,
    /// Smooth open rims along themselves
    #[arg(long)]
    move_rims: bool,
    /// Only the points of a group
    #[arg(long)]
    only: Option<String>,
}

/// `speckle trim`
#[derive(Args)]
pub struct TrimArgs {
    #[command(flatten)]
    files: FileArgs,
    /// The set whose numbers say where to cut
    #[arg(long, required_unless_present = "image")]
    set: Option<String>,
    /// An image whose numbers say so, by texture coordinates: one of the file's materials, or a file
    #[arg(long, conflicts_with = "set")]
    image: Option<String>,
    /// The channel of either
    #[arg(long, value_enum, default_value_t = ChannelArg::R)]
    channel: ChannelArg,
    /// The number at the cut
    #[arg(long, default_value_t = 0.5)]
    threshold: f32,
    /// Keep what lies above, and not what lies below
    #[arg(long)]
    keep_above: bool,
    /// Keep what is cut off as a part of its own
    #[arg(long)]
    keep_both: bool,
}

/// `speckle layout`
#[derive(Args)]
pub struct LayoutArgs {
    #[command(flatten)]
    files: FileArgs,
    /// By how many degrees a face may look another way than its chart, 10 to 75
    #[arg(long, default_value_t = 50.0)]
    angle: f32,
    /// How many pixels charts stay apart
    #[arg(long, default_value_t = 8)]
    margin: u32,
    /// How many pixels the map has on each side
    #[arg(long, default_value_t = 2048)]
    side: u32,
    /// Keep texture coordinates that are there, and put these behind them
    #[arg(long)]
    behind: bool,
}

/// A channel.
#[derive(Clone, Copy, ValueEnum)]
enum ChannelArg {
    R,
    G,
    B,
    A,
}

/// What was done to a part.
#[derive(Serialize)]
struct Done {
    file: PathBuf,
    part: String,
    report: ReformReport,
}

/// Gives every part of each file fewer triangles.
pub fn decimate(args: &DecimateArgs) -> Result<()> {
    let goal = match (args.triangles, args.share, args.error) {
        (Some(triangles), ..) => Goal::Count { triangles },
        (_, Some(share), _) => Goal::Share { share },
        (.., Some(within)) => Goal::Error { within },
        (None, None, None) => bail!("--triangles, --share or --error says how far"),
    };
    let rules = decimate::Rules {
        goal,
        colors: args.colors,
        creases: args.creases,
        groups: args.group_borders,
        keep_rims: args.keep_rims,
        even: args.even,
    };
    remade(&args.files, |_| Ok(Reform::Decimate { rules: rules.clone(), only: args.only.clone() }))
}

/// Makes the faces of each file finer.
pub fn subdivide(args: &SubdivideArgs) -> Result<()> {
    let scheme = match args.scheme {
        SchemeArg::Flat => subdivide::Scheme::Flat,
        SchemeArg::Loop => subdivide::Scheme::Loop,
        SchemeArg::CatmullClark => subdivide::Scheme::CatmullClark,
    };
    let rules = subdivide::Rules { scheme, times: args.times, creases: args.sharp };
    remade(&args.files, |_| Ok(Reform::Subdivide { rules: rules.clone(), only: args.only.clone() }))
}

/// Splits the longer edges of each file.
pub fn refine(args: &RefineArgs) -> Result<()> {
    let RefineArgs { edges: length, only, .. } = args;
    remade(&args.files, |_| Ok(Reform::Refine { length: *length, only: only.clone() }))
}

/// Mends each file, or tells what is wrong.
pub fn mend(args: &MendArgs) -> Result<()> {
    if args.look {
        return look_over(&args.files);
    }
    let normals = match (args.forget_normals, args.hard_edges) {
        (true, _) => mend::Normals::Forget,
        (false, Some(degrees)) => mend::Normals::HardEdges { degrees },
        (false, None) => mend::Normals::Keep,
    };
    let lids = if args.smooth_lids { mend::Lids::Smooth } else { mend::Lids::Flat };
    let rules = mend::Rules {
        stitch: args.stitch,
        lids,
        weld: args.join,
        degenerate: args.degenerate,
        double_walls: args.double_walls,
        loose: args.loose,
        winding: args.winding,
        holes: args.holes,
        normals,
    };
    remade(&args.files, |_| Ok(Reform::Mend { rules: rules.clone() }))
}

/// Moves the points of each file.
pub fn displace(args: &DisplaceArgs) -> Result<()> {
    let way = match args.toward.as_deref() {
        None => displace::Way::Normal,
        Some(&[x, y, z]) => displace::Way::Direction { to: [x, y, z] },
        Some(_) => bail!("--toward takes three numbers, as in 0,0,1"),
    };
    remade_by(&args.files, args.image.as_deref(), |part, image| {
        let by = by(part, args.set.as_deref(), image, args.channel)?;
        let rules = displace::Rules {
            by,
            way,
            amount: args.amount,
            midpoint: args.midpoint,
            contrast: args.contrast,
            fade: args.fade,
            may_fold: args.may_fold,
        };
        Ok(Reform::Displace { rules, only: args.only.clone() })
    })
}

/// Smooths bumps of each file away.
pub fn smooth(args: &SmoothArgs) -> Result<()> {
    let rules = smooth::Rules {
        rounds: args.rounds,
        keep_volume: !args.shrink,
        keep_rims: !args.move_rims,
    };
    remade(&args.files, |_| Ok(Reform::Smooth { rules: rules.clone(), only: args.only.clone() }))
}

/// Cuts each file in two.
pub fn trim(args: &TrimArgs) -> Result<()> {
    remade_by(&args.files, args.image.as_deref(), |part, image| {
        let rules = trim::Rules {
            by: by(part, args.set.as_deref(), image, Some(args.channel))?,
            threshold: args.threshold,
            keep_above: args.keep_above,
            keep_both: args.keep_both,
        };
        Ok(Reform::Trim { rules })
    })
}

/// Lays each file out for images.
pub fn layout(args: &LayoutArgs) -> Result<()> {
    let rules = layout::Rules {
        angle_degrees: args.angle,
        margin: args.margin,
        side: args.side,
        replace: !args.behind,
    };
    remade(&args.files, |_| Ok(Reform::Layout { rules: rules.clone() }))
}

/// What numbers are read from: a set, an image, or nothing.
fn by(
    part: &Part,
    set: Option<&str>,
    image: Option<&str>,
    channel: Option<ChannelArg>,
) -> Result<By> {
    let channel = channel.map(|channel| channel as u8);
    Ok(match (set, image) {
        (Some(name), _) => By::Channel { set: set_of(part, name)?, channel },
        (None, Some(image)) => By::Image { image: image.to_owned(), uv_set: 0, channel },
        (None, None) => By::Evenly,
    })
}

fn set_of(part: &Part, name: &str) -> Result<SetId> {
    let set = part.products().find(|set| set.name == name);
    let names = || part.products().map(|set| set.name.as_str()).collect::<Vec<_>>().join(", ");
    let part = &part.traits.name;
    set.map(|set| set.id).ok_or_else(|| anyhow!("{part} has no set {name}; it has: {}", names()))
}

/// Gives every part of each file another shape and writes it.
fn remade(args: &FileArgs, what: impl Fn(&Part) -> Result<Reform>) -> Result<()> {
    remade_by(args, None, |part, _| what(part))
}

/// The same with an image, whose name is said each time.
fn remade_by(
    args: &FileArgs,
    image: Option<&str>,
    what: impl Fn(&Part, Option<&str>) -> Result<Reform>,
) -> Result<()> {
    if args.to.is_some() && args.files.len() > 1 {
        bail!("--to names one file, but there are {}: use --into", args.files.len());
    }
    if let Some(folder) = &args.into {
        fs::create_dir_all(folder)
            .with_context(|| format!("the folder {} cannot be made", folder.display()))?;
    }
    let mut done = Vec::new();
    for file in &args.files {
        let output = match (&args.to, &args.into) {
            (Some(to), _) => to.clone(),
            (None, Some(folder)) => folder.join(file.file_name().context("a file needs a name")?),
            (None, None) => bail!("--to or --into says where to write"),
        };
        remake((args, image), &what, file, &output, &mut done)?;
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&done)?);
    }
    Ok(())
}

fn remake(
    (args, image): (&FileArgs, Option<&str>),
    what: impl Fn(&Part, Option<&str>) -> Result<Reform>,
    file: &Path,
    output: &Path,
    done: &mut Vec<Done>,
) -> Result<()> {
    // Before anything is computed: a name that says no format is told at once.
    Format::of_name(&output.to_string_lossy()).with_context(|| output.display().to_string())?;
    let (mut document, import) = args.reading.bring_in(file)?;
    let mut images = document.image_files().to_vec();
    let image = image.map(|name| image_of(name, &images)).transpose()?;
    images.extend(image.clone());
    let image = image.as_ref().map(|image| image.name.as_str());
    for part in document.parts().to_vec() {
        let name = part.traits.name.clone();
        let given = Given { images: &images, parts: document.parts() };
        let asked = what(&part, image).with_context(|| file.display().to_string())?;
        let reformed = reform(&part, &asked, given, &Watch::default())
            .map_err(|error| anyhow!("{}: {name}: {error}", file.display()))?;
        let report = reformed.report.clone();
        let (part, reformed) = (part.id, Box::new(reformed));
        document.apply(ReplaceEdit::Reform { part, reformed, beside: false })?;
        if !args.json {
            say(&name, &report);
        }
        done.push(Done { file: output.to_owned(), part: name, report });
    }
    write_document(output, &document, args.reading.meaning(&import))
}

fn say(name: &str, report: &ReformReport) {
    let [before, after] = report.triangles;
    crate::say!("{name}: {before} triangles to {after}");
    match (report.mean_distance, report.max_distance) {
        (Some(mean), Some(most)) => crate::say!("  {most} off at most, {mean} in the mean"),
        (None, Some(most)) => crate::say!("  points go {most} at most"),
        _ => {}
    }
    if !report.reached {
        crate::say!("  it could not go as far as was asked: borders and seams hold it");
    }
    for note in &report.notes {
        crate::say!("  {note}");
    }
    for set in &report.sets {
        crate::say!("  {}: {} off in the mean, {} at most", set.name, set.mean, set.most);
    }
}

/// What is wrong with a part.
#[derive(Serialize)]
struct Looked<'a> {
    file: &'a Path,
    part: &'a str,
    faults: Vec<mend::Finding>,
}

fn look_over(args: &FileArgs) -> Result<()> {
    for file in &args.files {
        let (document, _) = args.reading.bring_in(file)?;
        for part in document.parts() {
            let faults = mend::look_over(part, &Watch::default())
                .map_err(|_| anyhow!("{}: it was given up", file.display()))?;
            let part = part.traits.name.as_str();
            if args.json {
                crate::say!("{}", serde_json::to_string(&Looked { file, part, faults })?);
                continue;
            }
            crate::say!("{}: {part}", file.display());
            if faults.is_empty() {
                crate::say!("  nothing is wrong");
            }
            for mend::Finding { fault, count, largest, .. } in faults {
                let word = serde_json::to_value(fault)?;
                let word = word.as_str().unwrap_or_default().replace('_', " ");
                let more = largest.map(|edges| format!(", the largest of {edges} edges"));
                crate::say!("  {word}: {count}{}", more.unwrap_or_default());
            }
        }
    }
    Ok(())
}
