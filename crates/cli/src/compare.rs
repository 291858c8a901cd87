//! How far two files are from each other, point by point.

use std::path::PathBuf;

use anyhow::Result;
use clap::Args;
use speckle_core::compare::compare;

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

/// Compares the numbers of two files as they stand: no unit is converted.
pub fn run(args: &CompareArgs) -> Result<()> {
    let (first, _) = args.reading.bring_in(&args.first)?;
    let (second, _) = args.reading.bring_in(&args.second)?;
    let comparison = compare(first.parts(), second.parts());
    if args.json {
        println!("{}", serde_json::to_string_pretty(&comparison)?);
        return Ok(());
    }
    for part in &comparison.parts {
        match part.max_distance {
            Some(far) => println!("{}: points at most {far} apart", part.name),
            None => println!("{}: only in one of the files", part.name),
        }
        for set in &part.sets {
            match (set.max_difference, set.mean_difference) {
                (Some(most), Some(mean)) => {
                    println!("  {}: largest difference {most}, mean {mean}", set.name);
                }
                _ => println!("  {}: only in one of the files", set.name),
            }
        }
    }
    Ok(())
}
