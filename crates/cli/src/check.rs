//! `speckle check`: what is wrong, or will be, with files and projects for whoever receives them.

use std::{path::PathBuf, process::ExitCode};

use anyhow::Result;
use clap::{Args, ValueEnum};
use serde::Serialize;
use speckle_core::checks::{Finding, Subject, Target, check};
use speckle_server::report::takers;
use speckle_tools::bake::{Pantry, watch::Watch};

use crate::{reading::ReadArgs, source::Source};

/// `speckle check`
#[derive(Args)]
pub struct CheckArgs {
    /// What to check: mesh files, projects as files (.speckle), or names of projects in --data
    #[arg(required = true)]
    sources: Vec<String>,
    /// Whom they are for
    #[arg(long = "for", value_enum, default_value = "shader")]
    target: TargetArg,
    /// The folder that keeps the projects [default: speckle.projects]
    #[arg(long)]
    data: Option<PathBuf>,
    /// Print everything as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

#[derive(Clone, Copy, ValueEnum)]
pub enum TargetArg {
    /// A shader that reads sets
    Shader,
    /// A printer with several spools
    Spools,
    /// A printer in full color
    FullColor,
    /// A place where it is kept
    Archive,
}

impl From<TargetArg> for Target {
    fn from(target: TargetArg) -> Self {
        match target {
            TargetArg::Shader => Self::Shader,
            TargetArg::Spools => Self::Spools,
            TargetArg::FullColor => Self::FullColor,
            TargetArg::Archive => Self::Archive,
        }
    }
}

/// What was found in a file.
#[derive(Serialize)]
struct Told {
    file: PathBuf,
    findings: Vec<Finding>,
}

/// The exit code where something was found that is not silenced; a file that cannot be read is an error, 1.
const FOUND: u8 = 2;

/// Tells what is found in each file.
pub fn run(args: &CheckArgs) -> Result<ExitCode> {
    let target = args.target.into();
    let mut told = Vec::new();
    for source in &args.sources {
        let opened = Source::open(source, args.data.as_deref(), &args.reading)?;
        let stale = opened.document.stale(&Pantry::default());
        let takers = takers(&opened.kept, &opened.goods());
        let subject = Subject::of(&opened.document, &stale, &takers);
        let findings = check(&subject, target, &Watch::default());
        let findings = findings.map_err(|_| anyhow::anyhow!("it was given up"))?;
        told.push(Told { file: source.into(), findings });
    }
    let is_told = |finding: &&Finding| finding.silenced.is_none();
    let count: usize = told.iter().map(|own| own.findings.iter().filter(is_told).count()).sum();
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&told)?);
    } else {
        for Told { file, findings } in &told {
            let own = findings.iter().filter(is_told).count();
            crate::say!("{}: {own} found", file.display());
            for finding in findings {
                let place = finding
                    .place
                    .map_or_else(String::new, |[x, y, z]| format!(" (at {x:.3} {y:.3} {z:.3})"));
                match &finding.silenced {
                    Some(reason) => crate::say!("  left: {}: {reason}", finding.says),
                    None => crate::say!("  {}{place}: {}", finding.says, finding.why),
                }
            }
        }
    }
    Ok(if count == 0 { ExitCode::SUCCESS } else { ExitCode::from(FOUND) })
}
