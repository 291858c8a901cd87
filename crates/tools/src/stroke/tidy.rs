//! Tidying under a brush: *soften* and *smear* move what is there instead of laying paint on.

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::{Channels, Encoding, Linear, Rgba};
use speckle_mesh::geometry::neighbours::Neighbours;

/// An element under the dab, and how much of the tool's strength it gets, 0–1.
pub type Share = (u32, f32);

/// What is tidied, and how it is reckoned with.
#[derive(Clone, Copy)]
pub struct Tidying<'a> {
    /// Which elements lie next to which.
    pub neighbours: &'a Neighbours,
    /// Colors are reckoned with in linear light.
    pub encoding: Encoding,
    /// The channels that may change.
    pub channels: Channels,
}

/// The fewest elements worth giving to another core.
const LEAST_SHARE: usize = 512;

/// The most steps a smear takes in one dab.
const MOST_STEPS: usize = 32;

impl Tidying<'_> {
    /// Brings each element nearer to the mean of its neighbours.
    pub fn soften(&self, values: &mut [Rgba], covered: &[Share]) {
        self.mix_towards(values, covered, |_, _| 1.0, 1.0);
    }

    /// Carries what is there along a way (the project's space), which is walked in steps of an
    /// edge: each element takes on what lies against the way. `point` tells where an element is.
    pub fn smear(
        &self,
        values: &mut [Rgba],
        covered: &[Share],
        way: Vec3,
        point: impl Fn(usize) -> Vec3 + Sync,
    ) {
        let Some(ahead) = way.try_normalize() else { return };
        // The mean distance to neighbours, as a sample of the covered tells it.
        let (mut sum, mut count) = (0.0, 0);
        for &(element, _) in covered.iter().step_by(covered.len() / 64 + 1) {
            for &other in self.neighbours.of(element as usize) {
                sum += point(element as usize).distance(point(other as usize));
                count += 1;
            }
        }
        let edge = sum / count.max(1) as f32;
        let edges = way.length() / edge;
        if !(edges > 0.0 && edges.is_finite()) {
            return;
        }
        let steps = (edges.ceil() as usize).clamp(1, MOST_STEPS);
        let step = (edges / steps as f32).min(1.0);
        let behind = |element: usize, other: usize| {
            (point(element) - point(other)).normalize_or_zero().dot(ahead).max(0.0)
        };
        for _ in 0..steps {
            self.mix_towards(values, covered, behind, step);
        }
    }

    /// Mixes each covered element, all at once, with the weighted mean of its neighbours.
    fn mix_towards(
        &self,
        values: &mut [Rgba],
        covered: &[Share],
        weight: impl Fn(usize, usize) -> f32 + Sync,
        strength: f32,
    ) {
        let before = &*values;
        let light = |element: usize| self.encoding.linear(before[element]);
        let mixed = |&(element, share): &Share| {
            let element = element as usize;
            let (mut mean, mut total) = ([0.0; 4], 0.0);
            let mut is_same = true;
            for &other in self.neighbours.of(element) {
                let weight = weight(element, other as usize);
                if weight > 0.0 {
                    is_same &= before[other as usize] == before[element];
                    let Linear(theirs) = light(other as usize);
                    mean.iter_mut().zip(theirs).for_each(|(sum, x)| *sum += weight * x);
                    total += weight;
                }
            }
            // What is even stays what it is, to the bit.
            if is_same || total <= 0.0 {
                return before[element];
            }
            let mean = Linear(mean.map(|sum| sum / total));
            self.encoding.stored(light(element).towards(mean, share * strength))
        };
        let new: Vec<Rgba> = covered.par_iter().with_min_len(LEAST_SHARE).map(mixed).collect();
        for (&(element, _), new) in covered.iter().zip(new) {
            let value = &mut values[element as usize];
            for i in (0..4).filter(|&i| self.channels.0[i]) {
                value[i] = new[i];
            }
        }
    }
}
