//! Other shapes for files, made from their own: fewer or finer faces, mended, moved, smoothed, trimmed.

mod args;

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, anyhow, bail};
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

use crate::{convert::write_document, reading::image_of};
pub use args::*;

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
