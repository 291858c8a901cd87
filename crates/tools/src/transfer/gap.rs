//! How far two surfaces lie apart.

use rayon::prelude::*;
use serde::Serialize;

use super::{ground::Ground, search::Near};

/// How far the vertices of a part lie from the sources.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = TransferGap))]
pub struct Gap {
    /// How many vertices lie how far away: bins of one width, the last one with all beyond.
    pub bins: Vec<u32>,
    /// How wide one is, in the project's unit.
    pub width: f32,
    /// A reach that takes in what lies on the part, and leaves out what does not.
    pub suggested: f32,
    /// The least distance.
    pub least: f32,
    /// Half lie no further away.
    pub median: f32,
    /// The largest distance.
    pub largest: f32,
}

/// How many bins there are.
const BINS: usize = 40;

/// How many times further away than most of the part something may be and still lie on it: two meshes
/// of one surface bulge apart between their vertices.
const TIMES: f32 = 6.0;

/// The least reach, as a share of the part's size.
const LEAST: f32 = 1e-3;

impl Gap {
    /// Measures how far vertices that faces use lie from the nearest of the sources.
    pub(super) fn measure(target: &Ground, sources: &[Near], vertices: &[u32]) -> Self {
        let far = |&vertex: &u32| {
            let distances = sources.iter().map(|near| near.distance(vertex as usize));
            distances.fold(f32::INFINITY, f32::min)
        };
        let mut distances: Vec<f32> = vertices.par_iter().with_min_len(1024).map(far).collect();
        distances.par_sort_unstable_by(f32::total_cmp);
        let at = |share: f64| {
            let nth = ((distances.len().max(1) - 1) as f64 * share).round() as usize;
            distances.get(nth).copied().unwrap_or(0.0)
        };
        let (median, largest) = (at(0.5), at(1.0));
        let least = LEAST * target.size();
        // What most lie within, unless they are of two kinds: near, and far.
        let suggested = at(0.95).min(TIMES * median).mul_add(1.5, least);
        let shown = (2.0 * suggested).max(f32::MIN_POSITIVE);
        let width = shown / BINS as f32;
        let mut bins = vec![0; BINS];
        for far in &distances {
            bins[((far / width) as usize).min(BINS - 1)] += 1;
        }
        Self { bins, width, suggested, least: at(0.0), median, largest }
    }
}
