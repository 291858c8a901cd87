//! Carrying colors from files to others, by where they lie.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, anyhow, bail};
use clap::{Args, ValueEnum};
use serde::Serialize;
use speckle_core::ReplaceEdit;
use speckle_formats::Format;
use speckle_mesh::Conversion;
use speckle_tools::{
    bake::watch::Watch,
    transfer::{Along, Rules, Source, TransferReport, WhatIsLost, transfer},
};

use crate::{
    convert::write_document,
    reading::{ReadArgs, image_of, says_units},
};

/// `speckle transfer`
#[derive(Args)]
pub struct TransferArgs {
    /// The files that colors go to
    #[arg(required = true)]
    targets: Vec<PathBuf>,
    /// The files that they come from; where several lie at one place, the nearest counts
    #[arg(long, required = true, num_args = 1)]
    from: Vec<PathBuf>,
    /// The file to write, for one target; its extension tells the format
    #[arg(long, conflicts_with = "into", required_unless_present = "into")]
    to: Option<PathBuf>,
    /// The folder to write to, under the targets' own names
    #[arg(long)]
    into: Option<PathBuf>,
    /// An image to carry instead of sets, by the sources' texture coordinates; one of a source's
    /// materials by its name, or a file
    #[arg(long)]
    image: Option<String>,
    /// How a place on the source is found
    #[arg(long, value_enum, default_value = "nearest")]
    along: AlongArg,
    /// How far the surfaces may lie apart, in the target's unit; measured when left out
    #[arg(long)]
    within: Option<f32>,
    /// By how many degrees the surfaces may look different ways
    #[arg(long, default_value_t = 90.0)]
    angle: f32,
    /// Blend several sources by how near they are
    #[arg(long)]
    blend: bool,
    /// Fill in what finds no source from around it
    #[arg(long)]
    fill: bool,
    /// Nothing changes but in this group of faces
    #[arg(long)]
    only: Option<String>,
    /// Print what was done as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum AlongArg {
    /// The nearest point of the surface
    Nearest,
    /// The nearest one along the normal, either way
    Normal,
    /// The outermost one along it
    Outermost,
}

/// What was done to a part.
#[derive(Serialize)]
struct Done {
    file: PathBuf,
    part: String,
    report: TransferReport,
}

/// Carries colors to each of the targets and writes it.
pub fn run(args: &TransferArgs) -> Result<()> {
    if args.to.is_some() && args.targets.len() > 1 {
        bail!("--to names one file, but there are {} targets: use --into", args.targets.len());
    }
    if let Some(folder) = &args.into {
        fs::create_dir_all(folder)
            .with_context(|| format!("the folder {} cannot be made", folder.display()))?;
    }
    let mut done = Vec::new();
    for target in &args.targets {
        let output = match (&args.to, &args.into) {
            (Some(to), _) => to.clone(),
            (None, Some(folder)) => {
                let name = target.file_name().context("a target needs a name")?;
                folder.join(name)
            }
            (None, None) => bail!("--to or --into says where to write"),
        };
        carry(args, target, &output, &mut done)?;
    }
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&done)?);
    }
    Ok(())
}

fn rules(args: &TransferArgs) -> Rules {
    Rules {
        along: match args.along {
            AlongArg::Nearest => Along::Nearest,
            AlongArg::Normal => Along::Normal,
            AlongArg::Outermost => Along::Outermost,
        },
        within: args.within,
        angle_degrees: args.angle,
        blend: args.blend,
        lost: if args.fill { WhatIsLost::IsFilled } else { WhatIsLost::Stays },
        only: args.only.clone(),
        ..Rules::default()
    }
}

fn carry(args: &TransferArgs, target: &Path, output: &Path, done: &mut Vec<Done>) -> Result<()> {
    // Before anything is computed: a name that says no format is told at once.
    Format::of_name(&output.to_string_lossy()).with_context(|| output.display().to_string())?;
    let (mut document, import) = args.reading.bring_in(target)?;
    let goal = (import.traits.unit, import.traits.up);
    let mut sources = Vec::new();
    for file in &args.from {
        // Where one of the two says nothing of units, its numbers count as they stand.
        let both_say = says_units(file) && says_units(target);
        let (from, _) = args.reading.bring_in_converted(file, |own| match both_say {
            true => (Conversion::between((own.traits.unit, own.traits.up), goal), None),
            false => (Conversion::NONE, None),
        })?;
        let parts = from.parts().iter();
        match &args.image {
            None => {
                let able = parts.filter(|part| part.products().next().is_some());
                sources.extend(able.map(Source::of));
            }
            Some(name) => {
                let image = image_of(name, from.image_files())?;
                let shown = parts.map(|part| Source {
                    sets: Vec::new(),
                    ..Source::of(part).showing(&part.materials, std::slice::from_ref(&image))
                });
                sources.extend(shown.filter(|source| !source.images.is_empty()));
            }
        }
    }
    if sources.is_empty() {
        let files: Vec<String> = args.from.iter().map(|f| f.display().to_string()).collect();
        let lacks = match &args.image {
            None => "carries colors",
            Some(_) => "has texture coordinates, by which an image could show",
        };
        bail!("no part of {} {lacks}", files.join(", "));
    }
    let from = match args.from.as_slice() {
        [one] => one.display().to_string(),
        several => format!("{} files", several.len()),
    };
    for part in document.parts().to_vec() {
        let name = part.traits.name.clone();
        let found = transfer(&part, &sources, &rules(args), &Watch::default())
            .map_err(|error| anyhow!("{}: {name}: {error}", target.display()))?;
        let (part, from, colors) = (part.id, from.clone(), found.colors);
        document.apply(ReplaceEdit::TransferColors { part, from, colors, lost: None })?;
        if !args.json {
            say(&name, &found.report);
        }
        done.push(Done { file: output.to_owned(), part: name, report: found.report });
    }
    write_document(output, &document, args.reading.meaning(&import))
}

fn say(name: &str, report: &TransferReport) {
    let TransferReport { vertices, lost, within, averaged, sets, .. } = report;
    let found = vertices - lost;
    crate::say!("{name}: {found} of {vertices} vertices found their place within {within}");
    if *averaged > 0 {
        crate::say!("  {averaged} take the mean of their area: the source is finer there");
    }
    for set in sets {
        let from = if set.from == set.name { String::new() } else { format!(" from {}", set.from) };
        if set.is_new {
            crate::say!("  {}{from}: new", set.name);
        } else {
            crate::say!(
                "  {}{from}: {} of {} change, by {} in the mean, {} at most",
                set.name,
                set.changed,
                set.of,
                set.mean,
                set.most
            );
        }
    }
}
