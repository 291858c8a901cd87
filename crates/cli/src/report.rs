//! `speckle report`: a file as one page for whoever receives it.

use std::path::PathBuf;

use anyhow::{Result, anyhow};
use clap::Args;
use speckle_core::checks::Subject;
use speckle_formats::note::Origin;
use speckle_server::report::{Reported, page};
use speckle_tools::bake::{Pantry, watch::Watch};

use crate::{
    check::{TargetArg, opened},
    convert::{stem, write_whole},
    deliver::today,
    reading::ReadArgs,
};

/// `speckle report`
#[derive(Args)]
pub struct ReportArgs {
    /// The file: a mesh, or a project (.speckle)
    file: PathBuf,
    /// Where the page goes [default: the file's name, with -report.html]
    #[arg(short = 'o', long)]
    out: Option<PathBuf>,
    /// Whom it is for
    #[arg(long = "for", value_enum, default_value = "shader")]
    target: TargetArg,
    #[command(flatten)]
    reading: ReadArgs,
}

/// Writes the page.
pub fn run(args: &ReportArgs) -> Result<()> {
    let document = opened(&args.file, &args.reading)?;
    let name = stem(&args.file);
    let stale = document.stale(&Pantry::default());
    let reported = Reported {
        subject: Subject::of(&document, &stale, &[]),
        images: document.image_files(),
        origin: Origin { date: today(), ..Origin::default() },
        name: &name,
        target: args.target.into(),
    };
    let text = page(&reported, &Watch::default()).map_err(|_| anyhow!("it was given up"))?;
    let out = args.out.clone().unwrap_or_else(|| PathBuf::from(format!("{name}-report.html")));
    write_whole(&out, text.as_bytes())?;
    crate::say!("{}", out.display());
    Ok(())
}
