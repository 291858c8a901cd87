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
    /// The mean of them.
    #[serde(skip)]
    pub(crate) mean: f32,
}

/// How many bins there are.
const BINS: usize = 40;

/// How many times further away than half of the part something may be and still lie on it: two meshes
/// of one surface bulge apart between their vertices. Where most vertices are the source's own that
/// says nothing, but that they bulge apart by less than their edges are long does.
const TIMES: f32 = 18.0;
const OF_EDGE: f32 = 0.5;

/// How many times further away than nearly all of it.
const OF_MOST: f32 = 3.0;

/// The farthest reach that is suggested, as a share of the part's size.
const FARTHEST: f32 = 0.25;

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
        let sum: f64 = distances.iter().map(|&far| f64::from(far)).sum();
        let mean = (sum / distances.len().max(1) as f64) as f32;
        let least = LEAST * target.size();
        let edges = sources.iter().map(|near| near.source.edge()).fold(target.edge(), f32::max);
        // What most lie within, unless they are of two kinds: near, and far.
        let bound = (TIMES * median).max(OF_EDGE * edges);
        // What lies further away is another thing, or was not put where it belongs.
        let suggested = (OF_MOST * at(0.95)).min(bound).min(FARTHEST * target.size()) + least;
        let shown = (2.0 * suggested).max(f32::MIN_POSITIVE);
        let width = shown / BINS as f32;
        let mut bins = vec![0; BINS];
        for far in &distances {
            bins[((far / width) as usize).min(BINS - 1)] += 1;
        }
        Self { bins, width, suggested, least: at(0.0), median, largest, mean }
    }
}
