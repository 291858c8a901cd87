//! Keeping a folder up to date with a project, without a browser.

use std::{
    path::PathBuf,
    thread::sleep,
    time::{Duration, Instant},
};

use anyhow::{Result, anyhow};
use clap::Args;
use speckle_formats::folder::keep_up;

use crate::{
    deliver::find,
    source::{Source, kept_project},
};

/// How often the project is looked at.
const EVERY: Duration = Duration::from_millis(300);

/// `speckle watch`
#[derive(Args)]
pub struct WatchArgs {
    /// The name of a project in --data
    project: String,
    /// A recipient by its name, or a file that describes one (JSON)
    #[arg(long)]
    recipient: String,
    /// The folder that is kept up to date
    #[arg(long)]
    into: PathBuf,
    /// The folder that keeps the projects [default: speckle.projects]
    #[arg(long)]
    data: Option<PathBuf>,
    /// How long the project must have been left alone before it is written, seconds
    #[arg(long, default_value_t = 1.5)]
    rest: f64,
    /// Write once, and end
    #[arg(long)]
    once: bool,
}

/// Writes what the recipient wants now, and then whenever the project rests after a change, until it is stopped.
pub fn run(args: &WatchArgs) -> Result<()> {
    let rest = Duration::try_from_secs_f64(args.rest)
        .map_err(|_| anyhow!("--rest is a number of seconds from 0 on"))?;
    let (store, project) = kept_project(&args.project, args.data.as_deref())?;
    let mut files = Vec::new();
    let mut written = None;
    let (mut seen, mut since) = (project.revision, Instant::now().checked_sub(rest));
    loop {
        let revision = store.listed(project.id)?.revision;
        if revision != seen {
            (seen, since) = (revision, Some(Instant::now()));
        }
        let rests = since.is_none_or(|since| since.elapsed() >= rest);
        if rests && written != Some(revision) {
            let source = Source::kept(&store, project.id)?;
            let recipient = find(&args.recipient, &source.kept)?;
            let packed = source.packed(&recipient)?;
            match keep_up(&args.into, &packed, &files) {
                Ok(now) => {
                    files = now;
                    crate::say!("revision {}: {}", source.origin.revision, files.join(", "));
                }
                // A disk that is full now may have room at the next change.
                Err(trouble) if written.is_some() => eprintln!("speckle: {trouble}"),
                Err(trouble) => return Err(anyhow!(trouble)),
            }
            written = Some(source.origin.revision);
        }
        if args.once {
            return Ok(());
        }
        sleep(EVERY);
    }
}
