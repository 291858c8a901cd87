//! How far two files are from each other, point by point.

use std::path::{Path, PathBuf};

use anyhow::Result;
use clap::Args;
use speckle_core::{Conversion, compare::compare};
use speckle_formats::{Format, abilities::Says};

use crate::reading::ReadArgs;

/// `speckle compare`
#[derive(Args)]
pub struct CompareArgs {
    /// The file that is right
    first: PathBuf,
    /// The file that is measured against it
    second: PathBuf,
    /// Print JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// Compares two files in the unit and with the up axis of the first. Where one of them says nothing
/// of units, its numbers count as they stand.
pub fn run(args: &CompareArgs) -> Result<()> {
    let (first, import) = args.reading.bring_in(&args.first)?;
    let goal = (import.traits.unit, import.traits.up);
    let says = |file: &Path| {
        Format::of_name(&file.to_string_lossy())
            .is_ok_and(|format| format.abilities().units != Says::Nothing)
    };
    let both_say = says(&args.first) && says(&args.second);
    let (second, _) = args.reading.bring_in_converted(&args.second, |own| match both_say {
        true => Conversion::between((own.unit, own.up), goal),
        false => Conversion::NONE,
    })?;
    let comparison = compare(first.parts(), second.parts());
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&comparison)?);
        return Ok(());
    }
    for part in &comparison.parts {
        match part.max_distance {
            Some(far) => crate::say!("{}: points at most {far} apart", part.name),
            None => crate::say!("{}: only in one of the files", part.name),
        }
        for set in &part.sets {
            match (set.max_difference, set.mean_difference) {
                (Some(most), Some(mean)) => {
                    crate::say!("  {}: largest difference {most}, mean {mean}", set.name);
                }
                _ => crate::say!("  {}: only in one of the files", set.name),
            }
        }
    }
    Ok(())
}
