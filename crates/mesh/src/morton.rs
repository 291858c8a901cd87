//! Points in an order in which those near each other follow each other (Morton 1966).

use glam::Vec3;
use rayon::prelude::*;

/// Bits of each axis where only neighbours matter, and where all of them do: as many as there is room for.
const COARSE: u32 = 10;
const FINE: u32 = 21;

/// The indices of points along Morton's curve, so that those near each other follow each other.
#[must_use]
pub fn along_a_curve(points: &[Vec3]) -> Vec<u32> {
    let curve = Curve::through(points, COARSE);
    // Where a point is and its index have room in one number: half as much to move while it is sorted.
    let at = |(i, &point): (usize, &Vec3)| curve.at(point) << u32::BITS | i as u64;
    let mut order: Vec<u64> = points.par_iter().enumerate().map(at).collect();
    order.par_sort_unstable();
    order.into_par_iter().map(|at| at as u32).collect()
}

/// A curve through a cube.
#[derive(Clone, Copy)]
pub(crate) struct Curve {
    min: Vec3,
    size: f32,
    bits: u32,
}

impl Curve {
    /// Through the cube about some points, as finely as can be told.
    pub(crate) fn finely(points: &[Vec3]) -> Self {
        Self::through(points, FINE)
    }

    fn through(points: &[Vec3], bits: u32) -> Self {
        let none = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        let (min, max) = points.iter().fold(none, |(min, max), &p| (p.min(min), p.max(max)));
        Self { min, size: (max - min).max_element().max(f32::MIN_POSITIVE), bits }
    }

    /// Where a point is along it; one outside is where the cube is nearest, about.
    #[inline]
    pub(crate) fn at(&self, point: Vec3) -> u64 {
        let steps = ((1_u32 << self.bits) - 1) as f32;
        let step = |x: f32| spread((x.clamp(0.0, 1.0) * steps) as u64);
        let at = (point - self.min) / self.size;
        step(at.x) | step(at.y) << 1 | step(at.z) << 2
    }

    /// Points along it: where each is, and its index.
    pub(crate) fn order(&self, points: &[Vec3]) -> Vec<(u64, u32)> {
        let at = |(i, &point): (usize, &Vec3)| (self.at(point), i as u32);
        let mut order: Vec<(u64, u32)> = points.par_iter().enumerate().map(at).collect();
        order.par_sort_unstable();
        order
    }
}

/// The lowest 21 bits, each to every third.
fn spread(x: u64) -> u64 {
    let x = (x | x << 32) & 0x001f_0000_0000_ffff;
    let x = (x | x << 16) & 0x001f_0000_ff00_00ff;
    let x = (x | x << 8) & 0x100f_00f0_0f00_f00f;
    let x = (x | x << 4) & 0x10c3_0c30_c30c_30c3;
    (x | x << 2) & 0x1249_2492_4924_9249
}

/// What was found in an order, back where it belongs.
#[must_use]
pub fn in_place<T: Copy + Send + Sync>(order: &[u32], runs: &[Vec<T>], none: T) -> Vec<T> {
    let mut found = vec![none; order.len()];
    // Each core goes through all of them, and puts those in place that belong to its own stretch.
    let stretch = order.len().div_ceil(rayon::current_num_threads()).max(1);
    found.par_chunks_mut(stretch).enumerate().for_each(|(nth, found)| {
        let first = nth * stretch;
        for (&sample, &value) in order.iter().zip(runs.iter().flatten()) {
            if let Some(own) = found.get_mut((sample as usize).wrapping_sub(first)) {
                *own = value;
            }
        }
    });
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bits_of_the_axes_take_turns() {
        let at = |x: u32, y: u32, z: u32| {
            spread(x.into()) | spread(y.into()) << 1 | spread(z.into()) << 2
        };
        for bit in 0..21 {
            let one = 1 << bit;
            let expected = [1_u64, 2, 4].map(|axis| axis << (3 * bit));
            assert_eq!([at(one, 0, 0), at(0, one, 0), at(0, 0, one)], expected);
        }
        let corners =
            (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32));
        let corners: Vec<Vec3> = corners.collect();
        let turned: Vec<Vec3> = corners.iter().rev().copied().collect();
        assert_eq!(along_a_curve(&corners), [0, 1, 2, 3, 4, 5, 6, 7]);
        assert_eq!(along_a_curve(&turned), [7, 6, 5, 4, 3, 2, 1, 0]);
    }
}
