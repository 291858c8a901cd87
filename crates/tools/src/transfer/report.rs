//! What a transfer does, said for the user.

use rayon::prelude::*;
use serde::Serialize;
use speckle_color::{Encoding, difference::delta_e};
use speckle_mesh::Placement;
use speckle_model::{ColorSet, NewSet};

use super::{Gap, Row};

/// What becomes of a set.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetTransferred {
    /// What it is called here.
    pub name: String,
    /// What it is called on the source.
    pub from: String,
    /// Whether the part has had no such set.
    pub is_new: bool,
    /// What each value belongs to.
    pub placement: Placement,
    /// What its numbers mean.
    pub encoding: Encoding,
    /// How many elements change.
    pub changed: usize,
    /// Of how many.
    pub of: usize,
    /// The mean of how far they change: CIEDE2000 of colors, of data hundredths of the range.
    pub mean: f32,
    /// What 95 % of them change by at most.
    pub most_of_them: f32,
    /// The most any changes by.
    pub most: f32,
}

/// What a transfer does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TransferReport {
    /// How far the surfaces lie apart.
    pub gap: Gap,
    /// How far was looked, in the project's unit.
    pub within: f32,
    /// How many vertices the part has.
    pub vertices: usize,
    /// How many of them found no source.
    pub lost: usize,
    /// How many take the mean of an area, since the source is finer there.
    pub averaged: usize,
    /// Which sets go where.
    pub rows: Vec<Row>,
    /// What becomes of them.
    pub sets: Vec<SetTransferred>,
}

impl SetTransferred {
    pub(super) fn of(own: Option<&ColorSet>, row: &Row, new: &NewSet) -> Self {
        let of = new.values.len();
        let (mut changed, mut differences) = (of, Vec::new());
        if let Some(own) = own {
            let pairs = own.values.par_iter().zip(&new.values);
            changed = pairs.filter(|(before, after)| before != after).count();
            differences = delta_e(own.encoding, &own.values, &new.values);
        }
        let sum: f64 = differences.iter().map(|&x| f64::from(x)).sum();
        let mean = (sum / differences.len().max(1) as f64) as f32;
        let mut at = |share: f64| {
            let nth = ((differences.len().max(1) - 1) as f64 * share).round() as usize;
            match differences.is_empty() {
                true => 0.0,
                false => *differences.select_nth_unstable_by(nth, f32::total_cmp).1,
            }
        };
        let (most_of_them, most) = (at(0.95), at(1.0));
        Self {
            name: new.name.clone(),
            from: row.from.clone(),
            is_new: own.is_none(),
            placement: new.placement,
            encoding: new.encoding,
            changed,
            of,
            mean,
            most_of_them,
            most,
        }
    }
}
