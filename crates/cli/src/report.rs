//! `speckle report`: a file or project as one page for whoever receives it.

use std::path::PathBuf;

use anyhow::{Result, anyhow};
use clap::Args;
use speckle_core::checks::Subject;
use speckle_formats::recipient::file_stem;
use speckle_server::report::{Reported, page, takers};
use speckle_tools::bake::{Pantry, watch::Watch};

use crate::{check::TargetArg, convert::write_whole, reading::ReadArgs, source::Source};

/// `speckle report`
#[derive(Args)]
pub struct ReportArgs {
    /// A mesh file, a project as a file (.speckle), or the name of a project in --data
    source: String,
    /// Where the page goes [default: what it is called, with -report.html]
    #[arg(short = 'o', long)]
    out: Option<PathBuf>,
    /// Whom it is for
    #[arg(long = "for", value_enum, default_value = "shader")]
    target: TargetArg,
    /// The folder that keeps the projects [default: speckle.projects]
    #[arg(long)]
    data: Option<PathBuf>,
    #[command(flatten)]
    reading: ReadArgs,
}

/// Writes the page.
pub fn run(args: &ReportArgs) -> Result<()> {
    let source = Source::open(&args.source, args.data.as_deref(), &args.reading)?;
    let stale = source.document.stale(&Pantry::default());
    let takers = takers(&source.kept, &source.goods());
    let name = &source.name;
    let reported = Reported {
        subject: Subject::of(&source.document, &stale, &takers),
        images: source.document.image_files(),
        origin: source.origin.clone(),
        name,
        target: args.target.into(),
    };
    let text = page(&reported, &Watch::default()).map_err(|_| anyhow!("it was given up"))?;
    let out = args
        .out
        .clone()
        .unwrap_or_else(|| PathBuf::from(format!("{}-report.html", file_stem(name))));
    write_whole(&out, text.as_bytes())?;
    crate::say!("{}", out.display());
    Ok(())
}
