//! Sending a project or a file to a recipient.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, anyhow, bail};
use clap::Args;
use serde_json::json;
use speckle_formats::{
    Loss,
    recipient::{Recipient, starters},
};

use crate::{
    convert::write_whole,
    reading::{ReadArgs, progress},
    source::Source,
};

/// `speckle deliver`
#[derive(Args)]
pub struct DeliverArgs {
    /// Mesh files, projects as files (.speckle), or names of projects in --data
    #[arg(required = true)]
    sources: Vec<String>,
    /// A recipient by its name, or a file that describes one (JSON)
    #[arg(long)]
    recipient: String,
    /// The folder to write to
    #[arg(short = 'o', long, default_value = ".")]
    out: PathBuf,
    /// The folder that keeps the projects [default: speckle.projects]
    #[arg(long)]
    data: Option<PathBuf>,
    /// Print what was written, and what is lost, as JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// Delivers each source; goes on after one that cannot be, and fails at the end.
pub fn run(args: &DeliverArgs) -> Result<()> {
    fs::create_dir_all(&args.out)
        .with_context(|| format!("{} cannot be made", args.out.display()))?;
    let bar = progress(args.sources.len());
    let (mut done, mut failed) = (Vec::new(), 0);
    for source in &args.sources {
        bar.set_message(source.clone());
        match one(args, source) {
            Ok((files, losses)) => {
                if !args.json {
                    for loss in &losses {
                        bar.suspend(|| eprintln!("{source}: {}", loss.line()));
                    }
                    for file in &files {
                        bar.suspend(|| crate::say!("{}", file.display()));
                    }
                }
                done.push(json!({ "source": source, "files": files, "losses": losses }));
            }
            Err(error) if args.sources.len() == 1 => return Err(error),
            Err(error) => {
                bar.suspend(|| eprintln!("speckle: {source}: {error:#}"));
                failed += 1;
            }
        }
        bar.inc(1);
    }
    bar.finish_and_clear();
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&done)?);
    }
    if failed > 0 {
        bail!("{failed} of {} could not be delivered", args.sources.len());
    }
    Ok(())
}

fn one(args: &DeliverArgs, source: &str) -> Result<(Vec<PathBuf>, Vec<Loss>)> {
    let source = Source::open(source, args.data.as_deref(), &args.reading)?;
    let recipient = find(&args.recipient, &source.kept)?;
    let packed = source.packed(&recipient)?;
    let mut files = Vec::new();
    for file in packed.files() {
        let path = args.out.join(&file.name);
        write_whole(&path, &file.bytes)?;
        files.push(path);
    }
    Ok((files, packed.losses))
}

pub fn find(name: &str, kept: &[Recipient]) -> Result<Recipient> {
    let path = Path::new(name);
    if path.is_file() {
        let text = fs::read_to_string(path).with_context(|| format!("{name} cannot be read"))?;
        return serde_json::from_str(&text).with_context(|| {
            format!("{name} describes no recipient (`speckle recipients` shows some)")
        });
    }
    let starters: Vec<Recipient> = starters().into_iter().map(|(own, _)| own).collect();
    kept.iter()
        .chain(&starters)
        .find(|own| own.name.eq_ignore_ascii_case(name))
        .cloned()
        .ok_or_else(|| {
            let names: Vec<&str> =
                kept.iter().chain(&starters).map(|own| own.name.as_str()).collect();
            anyhow!(
                "there is no recipient {name}, nor a file of that name; there are {}",
                names.join(", ")
            )
        })
}

/// Shows the recipients to begin with, as files for `--recipient`.
pub fn recipients() -> Result<()> {
    let all: Vec<Recipient> = starters().into_iter().map(|(own, _)| own).collect();
    crate::say!("{}", serde_json::to_string_pretty(&all)?);
    Ok(())
}
