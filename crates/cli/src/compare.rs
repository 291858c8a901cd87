//! How far two files are from each other, point by point.

use std::path::PathBuf;

use anyhow::{Result, bail};
use clap::Args;
use speckle_core::Document;
use speckle_mesh::Conversion;
use speckle_model::Part;
use speckle_tools::compare::{Comparison, PartDifference, SetDifference, compare};

use crate::reading::{ReadArgs, says_units};

/// `speckle compare`
#[derive(Args)]
pub struct CompareArgs {
    /// The file that is right
    first: PathBuf,
    /// The file that is measured against it
    second: PathBuf,
    /// How far apart points may be, in the unit of the first file; by default a ten thousandth of
    /// its size
    #[arg(long)]
    within: Option<f32>,
    /// By how much numbers of colors and data may differ, 0 to 1; by default one step of 8 bits
    #[arg(long, default_value_t = 1.01 / 255.0)]
    color_within: f32,
    /// Print JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    reading: ReadArgs,
}

/// Compares two files, and fails where they differ by more than they may; in the unit and with the up axis of the first. Where one of them says nothing
/// of units, its numbers count as they stand.
pub fn run(args: &CompareArgs) -> Result<()> {
    let (first, import) = args.reading.bring_in(&args.first)?;
    let goal = (import.traits.unit, import.traits.up);
    let both_say = says_units(&args.first) && says_units(&args.second);
    let (second, _) = args.reading.bring_in_converted(&args.second, |own| match both_say {
        true => (Conversion::between((own.traits.unit, own.traits.up), goal), None),
        false => (Conversion::NONE, None),
    })?;
    let comparison = compare(first.parts(), second.parts());
    if args.json {
        crate::say!("{}", serde_json::to_string_pretty(&comparison)?);
        return verdict(args, &comparison, &first);
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
    verdict(args, &comparison, &first)
}

/// Fails where the files differ by more than they may.
fn verdict(args: &CompareArgs, comparison: &Comparison, first: &Document) -> Result<()> {
    let size =
        |part: &Part| part.geometry.measures().diagonal() * part.traits.transform.mean_scale();
    let size = first.parts().iter().map(size).fold(0.0, f32::max);
    let far = args.within.unwrap_or(size * SAME_PLACE);
    let is_far = |part: &PartDifference| part.max_distance.is_none_or(|distance| distance > far);
    let differs =
        |set: &SetDifference| set.max_difference.is_none_or(|most| most > args.color_within);
    let apart = comparison.parts.iter().filter(|part| is_far(part)).count();
    let other = comparison.parts.iter().flat_map(|part| &part.sets).filter(|s| differs(s)).count();
    if apart + other > 0 {
        bail!(
            "the files differ: {apart} parts are further apart than {far}, {other} sets by more than \
             {}, or missing on one side",
            args.color_within
        );
    }
    Ok(())
}

/// How far apart points may be by default, as a share of the size.
const SAME_PLACE: f32 = 1e-4;
