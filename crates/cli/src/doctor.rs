//! `speckle doctor`: what is wrong with project files, and what can be had of them.

use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use clap::Args;
use speckle_store::{diagnose, rescue_to};

/// `speckle doctor`
#[derive(Args)]
pub struct DoctorArgs {
    /// Project files (.speckle), or folders of them
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Write what can be had of a damaged file into this new one
    #[arg(long)]
    rescue: Option<PathBuf>,
}

/// Looks at each file; fails when one is damaged. Nothing is changed.
pub fn run(args: &DoctorArgs) -> Result<()> {
    let mut files = Vec::new();
    for path in &args.files {
        match path.is_dir() {
            true => files.extend(projects_in(path)?),
            false => files.push(path.clone()),
        }
    }
    if let Some(goal) = &args.rescue {
        return rescue(&files, goal);
    }
    let mut damaged = 0;
    for file in &files {
        match diagnose(file) {
            Ok(diagnosis) => {
                damaged += usize::from(!diagnosis.is_sound());
                crate::say!("{}: {diagnosis}", file.display());
            }
            Err(error) => {
                damaged += 1;
                crate::say!("{}: {error}", file.display());
            }
        }
    }
    if damaged > 0 {
        bail!(
            "{damaged} of {} damaged; --rescue FILE saves what can be had of one, and the app opens \
             as much by itself",
            files.len()
        );
    }
    Ok(())
}

fn rescue(files: &[PathBuf], goal: &Path) -> Result<()> {
    let [file] = files else { bail!("name one file to be rescued") };
    if goal.exists() {
        bail!("{} is there already: name a new file", goal.display());
    }
    let (reach, wanted) =
        rescue_to(file, goal).with_context(|| format!("{} is lost", file.display()))?;
    let lost = wanted - reach;
    crate::say!("{} holds it as of change {reach} of {wanted}; {lost} are lost", goal.display());
    Ok(())
}

fn projects_in(folder: &Path) -> Result<Vec<PathBuf>> {
    let entries = std::fs::read_dir(folder)
        .with_context(|| format!("{} cannot be read", folder.display()))?
        .flatten();
    let is_project = |path: &PathBuf| path.extension().is_some_and(|ending| ending == "speckle");
    let mut found: Vec<PathBuf> = entries.map(|entry| entry.path()).filter(is_project).collect();
    found.sort();
    Ok(found)
}
