//! Noise: random numbers that hang together in space.

use glam::{IVec3, Vec3};
use serde::{Deserialize, Serialize};

/// Mixes the bits of a number (Wellons, Prospecting for Hash Functions, 2018: `lowbias32`).
#[must_use]
pub fn mix(mut x: u32) -> u32 {
    x = (x ^ x >> 16).wrapping_mul(0x7feb_352d);
    x = (x ^ x >> 15).wrapping_mul(0x846c_a68b);
    x ^ x >> 16
}

/// A number of 0–1, less than 1, from mixed bits.
#[must_use]
pub fn unit(bits: u32) -> f32 {
    (bits >> 8) as f32 / 16_777_216.0
}

fn hash(cell: IVec3, seed: u32) -> u32 {
    let IVec3 { x, y, z } = cell;
    let x = (x as u32).wrapping_mul(0x9e37_79b1);
    let y = (y as u32).wrapping_mul(0x85eb_ca77);
    let z = (z as u32).wrapping_mul(0xc2b2_ae3d);
    mix(x ^ y.rotate_left(11) ^ z.rotate_left(22) ^ seed)
}

/// How the random numbers hang together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = NoiseKind))]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// A random number at each point of a grid.
    Value,
    /// A random slope at each point of a grid (Perlin, Improving Noise, 2002).
    #[default]
    Gradient,
    /// Random slopes at the points of a grid of tetrahedra (Perlin 2001; Gustavson, Simplex Noise
    /// Demystified, 2005).
    Simplex,
    /// The distance to the nearest of points strewn about (Worley 1996).
    Cellular,
}

/// What a noise is like.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Noise {
    /// How it hangs together.
    pub kind: Kind,
    /// How many octaves are summed, each of half the size and half the height of the one before.
    pub octaves: u32,
    /// How far places are moved by another noise before, in sizes.
    pub warp: f32,
    /// What it all comes from.
    pub seed: u32,
}

impl Noise {
    /// The number at a place counted in sizes, 0–1.
    #[must_use]
    pub fn at(&self, place: Vec3) -> f32 {
        let place = if self.warp == 0.0 {
            place
        } else {
            let by = |i: u32| 2.0 * gradient(place, self.seed.wrapping_add(101 + i)) - 1.0;
            place + Vec3::new(by(0), by(1), by(2)) * self.warp
        };
        let one = |place: Vec3, seed: u32| match self.kind {
            Kind::Value => value(place, seed),
            Kind::Gradient => gradient(place, seed),
            Kind::Simplex => simplex(place, seed),
            Kind::Cellular => cellular(place, seed),
        };
        let (mut sum, mut heights, mut height, mut scale) = (0.0, 0.0, 1.0, 1.0);
        for octave in 0..self.octaves.max(1) {
            // Octaves start elsewhere, so that their grids do not meet in one point.
            let apart = Vec3::splat(octave as f32 * 17.17);
            sum += height * one(place * scale + apart, self.seed.wrapping_add(octave));
            heights += height;
            height *= 0.5;
            scale *= 2.0;
        }
        (sum / heights).clamp(0.0, 1.0)
    }
}

/// The cell of a place and where it is in it.
fn cell_of(place: Vec3) -> (IVec3, Vec3) {
    // Beyond this there are no fractions left to tell cells apart.
    let place = place.clamp(Vec3::splat(-1e9), Vec3::splat(1e9));
    let floor = place.floor();
    (floor.as_ivec3(), place - floor)
}

fn fade(t: Vec3) -> Vec3 {
    t * t * t * (t * (t * 6.0 - 15.0) + 10.0)
}

/// Blends what is at the eight corners of a cell.
fn blended(within: Vec3, corner: impl Fn(IVec3) -> f32) -> f32 {
    let t = fade(within);
    let line = |y: i32, z: i32| {
        let (a, b) = (corner(IVec3::new(0, y, z)), corner(IVec3::new(1, y, z)));
        a + (b - a) * t.x
    };
    let flat = |z: i32| {
        let (a, b) = (line(0, z), line(1, z));
        a + (b - a) * t.y
    };
    let (a, b) = (flat(0), flat(1));
    a + (b - a) * t.z
}

fn value(place: Vec3, seed: u32) -> f32 {
    let (cell, within) = cell_of(place);
    blended(within, |corner| unit(hash(cell + corner, seed)))
}

/// The height above a corner along one of twelve slopes (Perlin 2002).
fn slope(bits: u32, v: Vec3) -> f32 {
    let h = bits >> 28;
    let a = if h < 8 { v.x } else { v.y };
    let b = if h < 4 {
        v.y
    } else if h == 12 || h == 14 {
        v.x
    } else {
        v.z
    };
    (if h & 1 == 0 { a } else { -a }) + (if h & 2 == 0 { b } else { -b })
}

fn gradient(place: Vec3, seed: u32) -> f32 {
    let (cell, within) = cell_of(place);
    let height =
        blended(within, |corner| slope(hash(cell + corner, seed), within - corner.as_vec3()));
    // It hardly ever leaves this.
    (0.5 + 0.5 * height).clamp(0.0, 1.0)
}

fn simplex(place: Vec3, seed: u32) -> f32 {
    let place = place.clamp(Vec3::splat(-1e9), Vec3::splat(1e9));
    let skewed = (place + Vec3::splat(place.element_sum() / 3.0)).floor();
    let cell = skewed.as_ivec3();
    let first = place - (skewed - Vec3::splat(skewed.element_sum() / 6.0));
    // The tetrahedron of the six in the cell: along the longest way first.
    let order = |a: f32, b: f32| i32::from(a >= b);
    let (xy, xz, yz) = (order(first.x, first.y), order(first.x, first.z), order(first.y, first.z));
    let rank = IVec3::new(xy + xz, 1 - xy + yz, 2 - xz - yz);
    let corner = |least: i32| {
        IVec3::new(
            i32::from(rank.x >= least),
            i32::from(rank.y >= least),
            i32::from(rank.z >= least),
        )
    };
    let corners = [IVec3::ZERO, corner(2), corner(1), IVec3::ONE];
    let sum: f32 = corners
        .into_iter()
        .zip(0..4)
        .map(|(corner, i)| {
            let v = first - corner.as_vec3() + Vec3::splat(i as f32 / 6.0);
            let t = 0.6 - v.length_squared();
            if t <= 0.0 { 0.0 } else { t * t * t * t * slope(hash(cell + corner, seed), v) }
        })
        .sum();
    (0.5 + 16.0 * sum).clamp(0.0, 1.0)
}

fn cellular(place: Vec3, seed: u32) -> f32 {
    let (cell, within) = cell_of(place);
    let mut nearest = f32::INFINITY;
    for z in -1..=1 {
        for y in -1..=1 {
            for x in -1..=1 {
                let corner = IVec3::new(x, y, z);
                // No point of the cell is nearer than its wall.
                let wall = (corner.as_vec3() - within).max(within - corner.as_vec3() - Vec3::ONE);
                if wall.max(Vec3::ZERO).length_squared() >= nearest {
                    continue;
                }
                let bits = hash(cell + corner, seed);
                let point = Vec3::new(unit(bits), unit(mix(bits ^ 1)), unit(mix(bits ^ 2)));
                nearest = nearest.min((corner.as_vec3() + point - within).length_squared());
            }
        }
    }
    nearest.sqrt().min(1.0)
}
