//! Directions that are spread evenly.

use std::f32::consts::TAU;

use glam::Vec3;
use speckle_color::curve::{self, Point};
use speckle_color::noise;
use speckle_model::recipe::source::Falloff;

/// A ray of the lattice: where it goes in a cone, and how far.
#[derive(Clone, Copy)]
pub(super) struct LatticeRay {
    /// Its place between the axis, 0, and the rim, 1.
    pub(super) out: f32,
    /// Of the angle about the axis.
    pub(super) cos: f32,
    pub(super) sin: f32,
    /// How far it goes, as a share of the reach.
    pub(super) far: f32,
}

/// How much what a ray meets counts by its distance, as a share of the reach.
#[derive(Clone, Debug, PartialEq)]
pub enum Fading {
    /// As much at any distance.
    None,
    /// Less by the distance.
    Linear,
    /// Less by its square.
    Quadratic,
    /// By a curve that falls.
    Curve(Vec<Point>),
}

impl From<&Falloff> for Fading {
    fn from(falloff: &Falloff) -> Self {
        match falloff {
            Falloff::None => Self::None,
            Falloff::Linear => Self::Linear,
            Falloff::Quadratic => Self::Quadratic,
            Falloff::Curve(points) => Self::Curve(points.clone()),
        }
    }
}

impl Fading {
    /// The distance up to which what is met counts for at least a share: the inverse of the curve.
    fn up_to(&self, share: f32) -> f32 {
        match self {
            Self::None => 1.0,
            Self::Linear => share,
            Self::Quadratic => 1.0 - share.sqrt(),
            Self::Curve(points) => {
                let (mut low, mut high) = (0.0, 1.0);
                if curve::through(points, high) >= share {
                    return high;
                }
                for _ in 0..24 {
                    let middle = (low + high) / 2.0;
                    let counts = curve::through(points, middle) >= share;
                    if counts { low = middle } else { high = middle }
                }
                low
            }
        }
    }
}

/// Points of the unit square on which any number of rays is spread evenly: rank-1, by the golden
/// ratio (Niederreiter, Random Number Generation and Quasi-Monte Carlo Methods, 1992, 5).
///
/// By the falloff, each goes so far that what lies at a distance is met by as many of them as it is
/// to count: so nothing has to know how far what it met was.
pub(super) fn lattice(count: u32, fading: &Fading) -> Vec<LatticeRay> {
    let share = |i: u32, step: f64| (f64::from(i) * step).fract() as f32;
    (0..count)
        .map(|i| {
            let about = share(i, 0.618_033_988_749_894_9) * TAU;
            let even = (share(i, std::f64::consts::SQRT_2) + 0.5).fract();
            let far = fading.up_to(even);
            LatticeRay { out: i as f32 / count as f32, cos: about.cos(), sin: about.sin(), far }
        })
        .collect()
}

/// Directions spread evenly over the half sphere about an axis: heights at even steps, each turned on by
/// the golden angle (the sunflower's spiral; Vogel 1979).
pub(crate) fn over_half_sphere(axis: Vec3, count: usize) -> impl Iterator<Item = Vec3> {
    const GOLDEN_ANGLE: f32 = 2.399_963_2;
    let along = axis.any_orthonormal_vector();
    let across = axis.cross(along);
    (0..count).map(move |nth| {
        let height = (nth as f32 + 0.5) / count as f32;
        let (sin, cos) = (GOLDEN_ANGLE * nth as f32).sin_cos();
        let flat = (1.0 - height * height).sqrt();
        axis * height + (along * cos + across * sin) * flat
    })
}

/// Two numbers in 0–1 from a seed and an index (the mixing of Wellons' `lowbias32`).
pub(super) fn random_pair(seed: u32, index: u32) -> [f32; 2] {
    let a = noise::mix(noise::mix(seed ^ 0x9e37_79b9) ^ index);
    let b = noise::mix(a ^ 0x85eb_ca6b);
    [a, b].map(noise::unit)
}
