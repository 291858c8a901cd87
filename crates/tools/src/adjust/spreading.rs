//! Numbers that spread over the surface: the greatest, or the least, of all that is around.

use rayon::prelude::*;
use speckle_color::{Channels, Rgba};
use speckle_mesh::{Geometry, Placement};
use speckle_model::{ColorSet, recipe::shaping::Around};

use super::chosen;
use crate::bake::{
    diffusion,
    trail::{self, Seed, Start},
    watch::Watch,
};

/// Which number spreads.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Spreading {
    /// The greatest.
    Greatest,
    /// The least.
    Least,
}

impl Spreading {
    fn pick(self, a: f32, b: f32) -> f32 {
        match self {
            Self::Greatest => a.max(b),
            Self::Least => a.min(b),
        }
    }

    /// The number as one of which the greatest spreads; the same way back.
    fn upright(self, x: f32) -> f32 {
        match self {
            Self::Greatest => x,
            Self::Least => 1.0 - x,
        }
    }
}

pub(super) fn spread(
    set: &ColorSet,
    channels: Channels,
    geometry: &Geometry,
    around: Around,
    spreading: Spreading,
) -> Vec<Rgba> {
    match around {
        Around::Rounds(rounds) => by_rounds(set, channels, geometry, rounds, spreading),
        Around::Length(length) => by_length(set, channels, geometry, length, spreading),
    }
}

/// Of each element and its neighbours, so often.
fn by_rounds(
    set: &ColorSet,
    channels: Channels,
    geometry: &Geometry,
    rounds: u32,
    spreading: Spreading,
) -> Vec<Rgba> {
    let neighbours = geometry.neighbours(set.placement);
    let mut now = set.values.to_vec();
    for _ in 0..rounds {
        let next = now.par_iter().enumerate().map(|(element, &value)| {
            let around = neighbours.of(element).iter().map(|&other| now[other as usize]);
            let best = |best: Rgba, theirs: Rgba| {
                std::array::from_fn(|i| spreading.pick(best[i], theirs[i]))
            };
            chosen(channels, value, around.fold(value, best))
        });
        let next: Vec<Rgba> = next.collect();
        if next == now {
            break;
        }
        now = next;
    }
    now
}

/// How many numbers are told apart at most when they spread by a length.
const LEVELS: usize = 16;

/// Of all that is no further along the surface than a length. Each of some levels spreads by itself:
/// all numbers there are, or some of them spread over all.
fn by_length(
    set: &ColorSet,
    channels: Channels,
    geometry: &Geometry,
    length: f32,
    spreading: Spreading,
) -> Vec<Rgba> {
    let mut after = set.values.to_vec();
    for channel in (0..4).filter(|&channel| channels.0[channel]) {
        let own: Vec<f32> =
            set.values.par_iter().map(|value| spreading.upright(value[channel])).collect();
        let mut best = own.clone();
        for level in levels(&own) {
            let far = distances(geometry, set.placement, length, |element| own[element] >= level);
            best.par_iter_mut().zip(far).for_each(|(best, far)| {
                if far <= length {
                    *best = best.max(level);
                }
            });
        }
        after.par_iter_mut().zip(best).zip(&own).for_each(|((value, best), own)| {
            // What did not change stays, to the bit.
            if best != *own {
                value[channel] = spreading.upright(best);
            }
        });
    }
    after
}

/// All numbers but the least, or so many of them that lie evenly among all.
fn levels(numbers: &[f32]) -> Vec<f32> {
    let mut all = numbers.to_vec();
    all.par_sort_unstable_by(f32::total_cmp);
    all.dedup();
    let all = all.get(1..).unwrap_or_default();
    if all.len() <= LEVELS {
        return all.to_vec();
    }
    (1..=LEVELS).map(|nth| all[nth * all.len() / LEVELS - 1]).collect()
}

/// How far each element is from those that count, along the surface; infinite from a length on.
fn distances(
    geometry: &Geometry,
    placement: Placement,
    within: f32,
    counts: impl Fn(usize) -> bool,
) -> Vec<f32> {
    let mesh = geometry.mesh();
    let is_counted = |corner: &usize| counts(geometry.element_at(placement, *corner));
    let mut vertices: Vec<u32> = (0..mesh.corner_count())
        .filter(is_counted)
        .map(|corner| mesh.corner_vertices()[corner])
        .collect();
    vertices.sort_unstable();
    vertices.dedup();
    let seeds = vertices.into_iter().map(|vertex| Seed::at(vertex, 0.0)).collect();
    let start = Start { seeds, is_about_a_point: false };
    // Nobody gives it up.
    let far = trail::distances_within(geometry, &start, within, &Watch::default());
    diffusion::placed(geometry, placement, far.unwrap_or_default())
}
