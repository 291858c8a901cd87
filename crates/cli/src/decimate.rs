//! Fewer triangles for files, with their colors.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, anyhow, bail};
use clap::{ArgGroup, Args};
use serde::Serialize;
use speckle_core::ReplaceEdit;
use speckle_formats::Format;
use speckle_tools::{
    bake::watch::Watch,
    decimate::{DecimationReport, Goal, Rules, decimate},
};

use crate::{convert::write_document, reading::ReadArgs};

/// `speckle decimate`
#[derive(Args)]
#[command(group = ArgGroup::new("goal").required(true))]
pub struct DecimateArgs {
    /// The files to read
    #[arg(required = true)]
    files: Vec<PathBuf>,
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
    /// The file to write, for one file; its extension tells the format
    #[arg(long, conflicts_with = "into", required_unless_present = "into")]
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

/// What was done to a part.
#[derive(Serialize)]
struct Done {
    file: PathBuf,
    part: String,
    report: DecimationReport,
}

/// Gives every part of each file fewer triangles and writes it.
pub fn run(args: &DecimateArgs) -> Result<()> {
    if args.to.is_some() && args.files.len() > 1 {
        bail!("--to names one file, but there are {}: use --into", args.files.len());
    }
    if let Some(folder) = &args.into {
        fs::create_dir_all(folder)
            .with_context(|| format!("the folder {} cannot be made", folder.display()))?;
    }
    let goal = match (args.triangles, args.share, args.error) {
        (Some(triangles), ..) => Goal::Count { triangles },
        (_, Some(share), _) => Goal::Share { share },
        (.., Some(within)) => Goal::Error { within },
        (None, None, None) => bail!("--triangles, --share or --error says how far"),
    };
    let rules = Rules {
        goal,
        colors: args.colors,
        creases: args.creases,
        groups: args.group_borders,
        keep_rims: args.keep_rims,
        even: args.even,
    };
    let mut done = Vec::new();
    for file in &args.files {
        let output = match (&args.to, &args.into) {
            (Some(to), _) => to.clone(),
            (None, Some(folder)) => folder.join(file.file_name().context("a file needs a name")?),
            (None, None) => bail!("--to or --into says where to write"),
        };
        lighten(args, &rules, file, &output, &mut done)?;
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&done)?);
    }
    Ok(())
}

fn lighten(
    args: &DecimateArgs,
    rules: &Rules,
    file: &Path,
    output: &Path,
    done: &mut Vec<Done>,
) -> Result<()> {
    // Before anything is computed: a name that says no format is told at once.
    Format::of_name(&output.to_string_lossy()).with_context(|| output.display().to_string())?;
    let (mut document, import) = args.reading.bring_in(file)?;
    for part in document.parts().to_vec() {
        let name = part.traits.name.clone();
        let (shape, report) = decimate(&part, rules, &Watch::default())
            .map_err(|error| anyhow!("{}: {name}: {error}", file.display()))?;
        let (part, shape) = (part.id, Box::new(shape));
        document.apply(ReplaceEdit::Decimate { part, shape, beside: false })?;
        if !args.json {
            say(&name, &report);
        }
        done.push(Done { file: output.to_owned(), part: name, report });
    }
    write_document(output, &document, args.reading.meaning(&import))
}

fn say(name: &str, report: &DecimationReport) {
    let [before, after] = report.triangles;
    crate::say!(
        "{name}: {before} triangles to {after}, {} off at most, {} in the mean",
        report.max_distance,
        report.mean_distance
    );
    if !report.reached {
        crate::say!("  it could not go as far as was asked: borders and seams hold it");
    }
    for set in &report.sets {
        crate::say!("  {}: {} off in the mean, {} at most", set.name, set.mean, set.most);
    }
}
