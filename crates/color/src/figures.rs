//! What a channel holds, in numbers: extremes, mean and histogram.

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::numbers::Rgba;

/// Bins of a channel's histogram, equal steps over 0–1.
pub const BINS: usize = 64;

/// One channel of a set in numbers, as stored (color sets: sRGB-encoded).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ChannelFigures {
    /// Smallest value.
    pub min: f32,
    /// Largest value.
    pub max: f32,
    /// Arithmetic mean over the elements.
    pub mean: f64,
    /// How many elements fall into each of [`BINS`] equal steps of 0–1; what lies outside counts
    /// into the first or last.
    pub bins: Vec<u32>,
}

#[derive(Clone)]
struct Tally {
    min: Rgba,
    max: Rgba,
    sum: [f64; 4],
    bins: [[u32; BINS]; 4],
}

impl Tally {
    fn new() -> Self {
        Self {
            min: [f32::INFINITY; 4],
            max: [f32::NEG_INFINITY; 4],
            sum: [0.0; 4],
            bins: [[0; BINS]; 4],
        }
    }

    fn add(mut self, value: &Rgba) -> Self {
        for (channel, &v) in value.iter().enumerate() {
            self.min[channel] = self.min[channel].min(v);
            self.max[channel] = self.max[channel].max(v);
            self.sum[channel] += f64::from(v);
            self.bins[channel][((v * BINS as f32) as usize).min(BINS - 1)] += 1;
        }
        self
    }

    fn join(mut self, other: &Self) -> Self {
        for channel in 0..4 {
            self.min[channel] = self.min[channel].min(other.min[channel]);
            self.max[channel] = self.max[channel].max(other.max[channel]);
            self.sum[channel] += other.sum[channel];
            for (mine, theirs) in self.bins[channel].iter_mut().zip(other.bins[channel]) {
                *mine += theirs;
            }
        }
        self
    }
}

/// Figures of R, G, B and A. An empty set has zeros throughout.
#[must_use]
pub fn of_channels(values: &[Rgba]) -> [ChannelFigures; 4] {
    let tally = values
        .par_chunks(16_384)
        .map(|chunk| chunk.iter().fold(Tally::new(), Tally::add))
        // Chunks are joined in order, so that the same values always give the same mean.
        .collect::<Vec<_>>()
        .iter()
        .fold(Tally::new(), Tally::join);
    let count = values.len().max(1) as f64;
    std::array::from_fn(|channel| ChannelFigures {
        min: if values.is_empty() { 0.0 } else { tally.min[channel] },
        max: if values.is_empty() { 0.0 } else { tally.max[channel] },
        mean: tally.sum[channel] / count,
        bins: tally.bins[channel].to_vec(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_count_every_element_once() {
        let values: Vec<Rgba> =
            (0..50_000).map(|i| [(i % 101) as f32 / 100.0, 0.0, 1.0, 0.5]).collect();
        let [r, g, b, a] = of_channels(&values);
        for channel in [&r, &g, &b, &a] {
            assert_eq!(channel.bins.iter().sum::<u32>(), 50_000);
        }
        assert_eq!((r.min, r.max), (0.0, 1.0));
        assert!(
            (r.mean - values.iter().map(|v| f64::from(v[0])).sum::<f64>() / 50_000.0).abs() < 1e-9
        );
        assert_eq!((g.bins[0], b.bins[BINS - 1], a.bins[BINS / 2]), (50_000, 50_000, 50_000));
    }
}
