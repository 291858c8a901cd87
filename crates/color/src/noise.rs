//! Noise: random numbers that hang together in space.

use glam::{IVec3, UVec3, Vec3};
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

fn hash(cell: IVec3, from: From) -> u32 {
    let cell = from.repeated(cell);
    mix(cell.x ^ cell.y ^ cell.z ^ from.seed)
}

/// Those of the eight corners of a cell: along x first, then along y.
fn hashes(cell: IVec3, from: From) -> [u32; 8] {
    let [low, high] = [cell, cell + IVec3::ONE].map(|corner| from.repeated(corner));
    let [xs, ys, zs] = [[low.x, high.x], [low.y, high.y], [low.z, high.z]];
    std::array::from_fn(|i| mix(xs[i & 1] ^ ys[i >> 1 & 1] ^ zs[i >> 2] ^ from.seed))
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
    /// How much further the second nearest of them is than the nearest: 0 along the borders of cells.
    CellEdges,
    /// Gradient noise folded at its middle, crests up (Musgrave 1994).
    Ridged,
    /// The same, crests down: like heaps of clouds.
    Billowed,
}

/// What the random numbers of a grid come from.
#[derive(Clone, Copy)]
struct From {
    seed: u32,
    /// After how many cells they come again along x and y; 0 for never.
    period: i32,
}

/// What a noise is like.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Noise {
    /// How it hangs together.
    pub kind: Kind,
    /// How many octaves are summed, each smaller and lower than the one before.
    pub octaves: u32,
    /// How many times as fine each is as the one before.
    pub lacunarity: f32,
    /// How high each is beside the one before.
    pub gain: f32,
    /// After how many sizes it comes again along x and y, so that it can be laid side by side with
    /// itself; 0 for never. Each octave then fits as often as comes near to what it should.
    pub period: u32,
    /// How far places are moved by another noise before, in sizes.
    pub warp: f32,
    /// What it all comes from.
    pub seed: u32,
}

impl From {
    /// What a cell's three coordinates bring to its hash.
    fn repeated(self, cell: IVec3) -> UVec3 {
        let IVec3 { x, y, z } = match self.period {
            0 => cell,
            period => IVec3::new(cell.x.rem_euclid(period), cell.y.rem_euclid(period), cell.z),
        };
        let x = (x as u32).wrapping_mul(0x9e37_79b1);
        let y = (y as u32).wrapping_mul(0x85eb_ca77);
        let z = (z as u32).wrapping_mul(0xc2b2_ae3d);
        UVec3::new(x, y.rotate_left(11), z.rotate_left(22))
    }
}

impl Noise {
    /// A noise of octaves that are half as large and half as high each, without an end.
    #[must_use]
    pub fn new(kind: Kind, octaves: u32, seed: u32) -> Self {
        Self { kind, octaves, lacunarity: 2.0, gain: 0.5, period: 0, warp: 0.0, seed }
    }

    /// The number at a place counted in sizes, 0–1.
    #[must_use]
    pub fn at(&self, place: Vec3) -> f32 {
        let grid = |seed: u32, period: u32| From { seed, period: period as i32 };
        let place = if self.warp == 0.0 {
            place
        } else {
            let from = |i: u32| grid(self.seed.wrapping_add(101 + i), self.period);
            let by = |i: u32| 2.0 * gradient(place, from(i)) - 1.0;
            place + Vec3::new(by(0), by(1), by(2)) * self.warp
        };
        let one = |place: Vec3, from: From| match self.kind {
            Kind::Value => value(place, from),
            Kind::Gradient => gradient(place, from),
            Kind::Simplex => simplex(place, from),
            Kind::Cellular => nearest_two(place, from)[0].min(1.0),
            Kind::CellEdges => {
                let [first, second] = nearest_two(place, from);
                (second - first).min(1.0)
            }
            Kind::Ridged => 1.0 - (2.0 * gradient(place, from) - 1.0).abs(),
            Kind::Billowed => (2.0 * gradient(place, from) - 1.0).abs(),
        };
        let (mut sum, mut heights, mut height, mut scale) = (0.0, 0.0, 1.0, 1.0);
        for octave in 0..self.octaves.max(1) {
            // What comes again does so in each octave: by whole cells.
            let period = (self.period as f32 * scale).round() as u32;
            let fine = if self.period > 0 { period as f32 / self.period as f32 } else { scale };
            // Octaves start elsewhere, so that their grids do not meet in one point.
            let apart = Vec3::splat(octave as f32 * 17.17);
            let from = grid(self.seed.wrapping_add(octave), period);
            sum += height * one(place * fine + apart, from);
            heights += height;
            height *= self.gain;
            scale *= self.lacunarity;
        }
        (sum / heights).clamp(0.0, 1.0)
    }

    /// Between which numbers nearly all of it lies: all but half a hundredth on either side, by what
    /// it is at some thousand places.
    #[must_use]
    pub fn range(&self) -> [f32; 2] {
        range_of(|place| self.at(place))
    }
}

/// Between which numbers nearly all of something lies that is like a noise: see [`Noise::range`].
#[must_use]
pub fn range_of(at: impl Fn(Vec3) -> f32) -> [f32; 2] {
    // Places that are spread evenly (R3, by the generalised golden ratio; Roberts 2018).
    let step = Vec3::new(0.819_172_5, 0.671_043_6, 0.549_700_5);
    let mut found: Vec<f32> = (0..PLACES).map(|i| at((step * i as f32).fract() * 64.0)).collect();
    found.sort_unstable_by(f32::total_cmp);
    [found[PLACES / 200], found[PLACES - 1 - PLACES / 200]]
}

/// At how many places a noise is looked at to say how far it goes.
const PLACES: usize = 4000;

/// The cell of a place and where it is in it.
fn cell_of(place: Vec3) -> (IVec3, Vec3) {
    // Beyond this there are no fractions left to tell cells apart.
    let place = place.clamp(Vec3::splat(-1e9), Vec3::splat(1e9));
    // By way of whole numbers, which any processor does at once; towards nothing, so one less where that is up.
    let towards_nothing = place.as_ivec3();
    let is_above = towards_nothing.as_vec3().cmpgt(place);
    let cell = towards_nothing - IVec3::select(is_above, IVec3::ONE, IVec3::ZERO);
    (cell, place - cell.as_vec3())
}

fn fade(t: Vec3) -> Vec3 {
    t * t * t * (t * (t * 6.0 - 15.0) + 10.0)
}

/// Blends what is at the eight corners of a cell: along x first, then along y.
fn blended(within: Vec3, corners: [f32; 8]) -> f32 {
    let t = fade(within);
    let lines: [f32; 4] = std::array::from_fn(|i| {
        let (a, b) = (corners[2 * i], corners[2 * i + 1]);
        a + (b - a) * t.x
    });
    let [a, b] = [0, 2].map(|i| lines[i] + (lines[i + 1] - lines[i]) * t.y);
    a + (b - a) * t.z
}

fn value(place: Vec3, from: From) -> f32 {
    let (cell, within) = cell_of(place);
    blended(within, hashes(cell, from).map(unit))
}

/// The slopes of a grid: along the twelve edges of a cube, four of them twice (Perlin 2002). By number and not by
/// questions, whose answers nothing foretells.
const SLOPES: [Vec3; 16] = {
    const fn slope(x: i8, y: i8, z: i8) -> Vec3 {
        Vec3::new(x as f32, y as f32, z as f32)
    }
    [
        slope(1, 1, 0),
        slope(-1, 1, 0),
        slope(1, -1, 0),
        slope(-1, -1, 0),
        slope(1, 0, 1),
        slope(-1, 0, 1),
        slope(1, 0, -1),
        slope(-1, 0, -1),
        slope(0, 1, 1),
        slope(0, -1, 1),
        slope(0, 1, -1),
        slope(0, -1, -1),
        slope(1, 1, 0),
        slope(0, -1, 1),
        slope(-1, 1, 0),
        slope(0, -1, -1),
    ]
};

/// The height above a corner along one of the slopes.
fn slope(bits: u32, v: Vec3) -> f32 {
    SLOPES[(bits >> 28) as usize].dot(v)
}

fn gradient(place: Vec3, from: From) -> f32 {
    let (cell, within) = cell_of(place);
    let hashes = hashes(cell, from);
    let [low, high] = [within, within - Vec3::ONE].map(|v| v.to_array());
    let heights = std::array::from_fn(|i| {
        let at = |axis: usize| if i >> axis & 1 == 0 { low[axis] } else { high[axis] };
        slope(hashes[i], Vec3::new(at(0), at(1), at(2)))
    });
    // It hardly ever leaves this.
    (0.5 + 0.5 * blended(within, heights)).clamp(0.0, 1.0)
}

fn simplex(place: Vec3, from: From) -> f32 {
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
            if t <= 0.0 { 0.0 } else { t * t * t * t * slope(hash(cell + corner, from), v) }
        })
        .sum();
    (0.5 + 16.0 * sum).clamp(0.0, 1.0)
}

/// How far the nearest and the second nearest of points strewn about are, one in each cell.
fn nearest_two(place: Vec3, from: From) -> [f32; 2] {
    let (cell, within) = cell_of(place);
    let mut nearest = [f32::INFINITY; 2];
    let around = [-1, 0, 1].map(|by| from.repeated(cell + IVec3::splat(by)));
    let part = |by: i32| around[(by + 1) as usize];
    for z in -1..=1 {
        for y in -1..=1 {
            for x in -1..=1 {
                let corner = IVec3::new(x, y, z);
                // No point of the cell is nearer than its wall.
                let wall = (corner.as_vec3() - within).max(within - corner.as_vec3() - Vec3::ONE);
                if wall.max(Vec3::ZERO).length_squared() >= nearest[1] {
                    continue;
                }
                let bits = mix(part(x).x ^ part(y).y ^ part(z).z ^ from.seed);
                let point = Vec3::new(unit(bits), unit(mix(bits ^ 1)), unit(mix(bits ^ 2)));
                let far = (corner.as_vec3() + point - within).length_squared();
                if far < nearest[0] {
                    nearest = [far, nearest[0]];
                } else if far < nearest[1] {
                    nearest[1] = far;
                }
            }
        }
    }
    nearest.map(f32::sqrt)
}
