//! Rays from the surface: occlusion, openness to a light, and thickness.
//!
//! Samples are taken in the order of a curve that fills space, so that those of a packet lie near
//! each other. All of them look along the points of one lattice, each turned and shifted a little
//! by its own random numbers: the directions of a packet stay close together, while what is wrong
//! at one sample has nothing to do with its neighbour.

use std::f32::consts::TAU;

use glam::{Affine3A, Vec3};
use pulp::{Arch, Simd, WithSimd};
use rayon::prelude::*;
use speckle_mesh::{
    Geometry,
    body::Body,
    geometry::{
        lanes::{Lanes, MOST_LANES, dot},
        rays::{RayTree, Rays},
    },
    morton::{along_a_curve, in_place},
};

use speckle_model::recipe::source::Spread;

pub use super::lattice::Fading;
use super::{
    lattice::{LatticeRay, lattice, random_pair},
    samples::Samples,
    watch::{GivenUp, Watch},
};

/// How samples are shared out: about so many rays are cast between two looks at the watch.
const RUN_RAYS: usize = 1 << 15;

/// How many samples that are, whole packets of them.
fn run(rays: u32) -> usize {
    (RUN_RAYS / rays.max(1) as usize).next_multiple_of(MOST_LANES).clamp(MOST_LANES, 512)
}

/// What rays may meet, each where it stands.
pub struct Blockers<'a> {
    bodies: Vec<(&'a RayTree, Option<Affine3A>)>,
    /// The height of the ground along an axis, everything below it being solid.
    ground: Option<(Vec3, f32)>,
    hair: f32,
}

impl<'a> Blockers<'a> {
    /// The part's own shape first, where it counts, then others; all in the part's space.
    #[must_use]
    pub fn new(
        own: &'a Body,
        own_counts: bool,
        others: &'a [Body],
        ground: Option<(Vec3, f32)>,
    ) -> Self {
        let mut bodies = Vec::new();
        if own_counts {
            bodies.push((own.geometry.rays(), None));
        }
        for other in others {
            let to_other = other.placed.part_to_other(&own.placed);
            bodies.push((other.geometry.rays(), Some(to_other)));
        }
        Self { bodies, ground, hair: hair(&own.geometry) }
    }

    /// A distance that is next to nothing here.
    #[must_use]
    pub fn hair(&self) -> f32 {
        self.hair
    }
}

/// How far off the surface rays start by themselves: next to nothing, yet more than is lost where
/// the numbers of places are large.
pub(super) fn hair(geometry: &Geometry) -> f32 {
    let measures = geometry.measures();
    let largest = measures.min.abs().max(measures.max.abs()).max_element();
    (measures.diagonal() * 1e-5).max(largest * 16.0 * f32::EPSILON)
}

/// Which way rays go from a sample.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Cone {
    /// About the normal.
    Outward(Spread),
    /// The same on the other side.
    Inward(Spread),
    /// Within an angle (the sine of it) about a direction (the part's space).
    Light {
        /// Towards the light.
        towards: Vec3,
        /// The sine of the angle between its middle and its rim.
        spread: f32,
    },
}

/// How rays are cast.
#[derive(Clone, Debug, PartialEq)]
pub struct Casting {
    /// How many from each sample.
    pub rays: u32,
    /// How far they go, in the part's unit; 0 for endlessly.
    pub reach: f32,
    /// How far off the surface they start.
    pub offset: f32,
    /// Which way.
    pub cone: Cone,
    /// How much what they meet counts by its distance; as a share of the reach.
    pub fading: Fading,
    /// Where rays count most (unit length), those the other way not at all; all alike without.
    pub sky: Option<Vec3>,
    /// What all that is random comes from.
    pub seed: u32,
}

impl Casting {
    /// So many that start at a distance from the surface, spread as a matt surface gathers light;
    /// endless, and with all counting alike.
    #[must_use]
    pub fn plain(rays: u32, offset: f32, seed: u32) -> Self {
        Self {
            rays,
            reach: 0.0,
            offset,
            cone: Cone::Outward(Spread::Cosine),
            fading: Fading::None,
            sky: None,
            seed,
        }
    }
}

/// The share of rays that meet nothing, for each element: of a face, all its samples share them.
///
/// # Errors
/// When it was given up.
pub fn openness(
    samples: &Samples,
    blockers: &Blockers,
    casting: &Casting,
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let found = found(samples, blockers, casting, watch)?;
    Ok(samples.gathered(found.into_par_iter().map(|found| found.open).collect()))
}

/// The mean way of the rays that meet nothing, for each element, unit length; the surface's own where
/// all do.
///
/// # Errors
/// When it was given up.
pub fn open_way(
    samples: &Samples,
    blockers: &Blockers,
    casting: &Casting,
    watch: &Watch,
) -> Result<Vec<Vec3>, GivenUp> {
    let found = found(samples, blockers, casting, watch)?;
    let ways = found.par_iter().map(|found| found.way).collect();
    Ok(samples
        .sums(ways)
        .into_par_iter()
        .zip(samples.sums(samples.normals.clone()))
        .map(|(way, normal)| way.try_normalize().unwrap_or(normal.normalize_or_zero()))
        .collect())
}

/// What rays find at each sample.
fn found(
    samples: &Samples,
    blockers: &Blockers,
    casting: &Casting,
    watch: &Watch,
) -> Result<Vec<Found>, GivenUp> {
    let per_sample = casting.rays.div_ceil(samples.per_element as u32).max(1);
    let casting = Casting { rays: per_sample, ..casting.clone() };
    let order = along_a_curve(&samples.points);
    watch.expect(order.len() as u64);
    let lattice = lattice(per_sample, &casting.fading);
    let arch = Arch::new();
    let runs: Vec<Vec<Found>> = order
        .par_chunks(run(per_sample))
        .map(|run| {
            watch.check()?;
            let open =
                arch.dispatch(Run { samples, blockers, casting: &casting, lattice: &lattice, run });
            watch.advance(run.len() as u64);
            Ok(open)
        })
        .collect::<Result<_, GivenUp>>()?;
    Ok(in_place(&order, &runs, Found { open: 1.0, way: Vec3::ZERO }))
}

/// What the rays of a sample find.
#[derive(Clone, Copy)]
struct Found {
    /// How much of what counts meets nothing, 0–1.
    open: f32,
    /// The mean of the ways that meet nothing, in the part's space.
    way: Vec3,
}

/// How many samples share the turn of their directions, whatever vector unit there is.
const TOGETHER: usize = 8;

/// Some samples in a row.
struct Run<'a> {
    samples: &'a Samples,
    blockers: &'a Blockers<'a>,
    casting: &'a Casting,
    lattice: &'a [LatticeRay],
    run: &'a [u32],
}

impl WithSimd for Run<'_> {
    type Output = Vec<Found>;

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) -> Vec<Found> {
        let mut found = Vec::with_capacity(self.run.len());
        for packet in self.run.chunks(S::F32_LANES) {
            self.packet(simd, packet, &mut found);
        }
        found
    }
}

impl Run<'_> {
    #[inline(always)]
    fn packet<S: Simd>(&self, simd: S, packet: &[u32], found: &mut Vec<Found>) {
        let Self { samples, blockers, casting, lattice, .. } = self;
        let lanes = S::F32_LANES;
        // x, y and z of the origins, of the two axes across and the one along the cone, and of the
        // side that is looked from; then the shifts of the lattice: of the height, and the cosine
        // and sine of the turn.
        let mut columns = [[0.0_f32; MOST_LANES]; 18];
        let spacing = (casting.rays as f32).sqrt().recip();
        for (lane, &sample) in packet.iter().enumerate() {
            let (point, normal) =
                (samples.points[sample as usize], samples.normals[sample as usize]);
            let outward = match casting.cone {
                Cone::Outward(_) | Cone::Light { .. } => normal,
                Cone::Inward(_) => -normal,
            };
            let axis = match casting.cone {
                Cone::Light { towards, .. } => towards,
                _ => outward,
            };
            let origin = point + outward * casting.offset;
            let (across, up) = axis.try_normalize().unwrap_or(Vec3::Z).any_orthonormal_pair();
            // Any shift of a lattice is as good, and one within a cell of it is all there is. Those
            // of eight samples turn it alike, so that their rays stay together.
            let [high, _] = random_pair(casting.seed, sample);
            let [_, turn] =
                random_pair(casting.seed, packet[lane / TOGETHER * TOGETHER] ^ 0x5bd1_e995);
            let (sin, cos) = (turn * spacing * TAU).sin_cos();
            let shifts = Vec3::new(high / casting.rays as f32, cos, sin);
            let numbers = [origin, across, up, axis, outward, shifts];
            for (i, v) in numbers.into_iter().enumerate() {
                for (k, x) in v.to_array().into_iter().enumerate() {
                    columns[3 * i + k][lane] = x;
                }
            }
        }
        let origin = triple(simd, &columns, 0);
        let across = triple(simd, &columns, 3);
        let up = triple(simd, &columns, 6);
        let axis = triple(simd, &columns, 9);
        let outward = triple(simd, &columns, 12);
        let [shift, cos, sin] = triple(simd, &columns, 15);
        let (zero, one) = (simd.splat_f32s(0.0), simd.splat_f32s(1.0));
        let half = simd.splat_f32s(0.5);
        let reach = if casting.reach > 0.0 { casting.reach } else { f32::MAX };
        let used = simd.less_than_f32s(
            simd.partial_load_f32s(&NUMBERS[..lanes]),
            simd.splat_f32s(packet.len() as f32),
        );
        let (mut sum, mut whole) = (zero, zero);
        let mut way = [zero; 3];
        for &LatticeRay { out, cos: c, sin: s, far } in *lattice {
            let out = simd.add_f32s(simd.splat_f32s(out), shift);
            // The square of the sine of the angle to the axis.
            let square = match casting.cone {
                Cone::Outward(Spread::Cosine) | Cone::Inward(Spread::Cosine) => out,
                // Heights over a hemisphere are spread evenly (Archimedes).
                Cone::Outward(Spread::Even) | Cone::Inward(Spread::Even) => {
                    simd.mul_f32s(out, simd.sub_f32s(simd.splat_f32s(2.0), out))
                }
                Cone::Light { spread, .. } => simd.mul_f32s(out, simd.splat_f32s(spread * spread)),
            };
            let radius = simd.sqrt_f32s(square);
            let along = simd.sqrt_f32s(simd.max_f32s(zero, simd.sub_f32s(one, square)));
            let (c, s) = (simd.splat_f32s(c), simd.splat_f32s(s));
            let x = simd.negate_mul_add_e_f32s(s, sin, simd.mul_f32s(c, cos));
            let y = simd.mul_add_e_f32s(s, cos, simd.mul_f32s(c, sin));
            let (x, y) = (simd.mul_f32s(x, radius), simd.mul_f32s(y, radius));
            let x_part = simd.mul_add_e_f32s(across[0], x, simd.mul_f32s(up[0], y));
            let y_part = simd.mul_add_e_f32s(across[1], x, simd.mul_f32s(up[1], y));
            let z_part = simd.mul_add_e_f32s(across[2], x, simd.mul_f32s(up[2], y));
            let direction = [
                simd.mul_add_e_f32s(axis[0], along, x_part),
                simd.mul_add_e_f32s(axis[1], along, y_part),
                simd.mul_add_e_f32s(axis[2], along, z_part),
            ];
            let mut open = used;
            if let Cone::Light { .. } = casting.cone {
                // The surface itself hides what of the light is below its horizon.
                let above = dot(simd, &direction, &outward);
                open = simd.and_m32s(open, simd.greater_than_f32s(above, zero));
            }
            let rays = Rays {
                origin,
                direction,
                // They start off the surface: what lies before them there counts, as in a crease.
                from: zero,
                to: simd.splat_f32s(reach * far),
            };
            let open = blockers.still_open(simd, &rays, open);
            let counts = match casting.sky {
                None => one,
                Some(sky) => {
                    let sky =
                        [simd.splat_f32s(sky.x), simd.splat_f32s(sky.y), simd.splat_f32s(sky.z)];
                    simd.mul_add_e_f32s(dot(simd, &direction, &sky), half, half)
                }
            };
            whole = simd.add_f32s(whole, counts);
            let counts = simd.select_f32s(open, counts, zero);
            sum = simd.add_f32s(sum, counts);
            way = [
                simd.mul_add_e_f32s(direction[0], counts, way[0]),
                simd.mul_add_e_f32s(direction[1], counts, way[1]),
                simd.mul_add_e_f32s(direction[2], counts, way[2]),
            ];
        }
        let mut sums = [[0.0_f32; MOST_LANES]; 5];
        for (column, lane) in sums.iter_mut().zip([sum, whole, way[0], way[1], way[2]]) {
            simd.partial_store_f32s(&mut column[..lanes], lane);
        }
        for (lane, &sample) in packet.iter().enumerate() {
            let normal = samples.normals[sample as usize];
            let [open, whole, x, y, z] = sums.map(|column| column[lane]);
            // What has no side is in the open.
            let is_open = normal == Vec3::ZERO || whole <= 0.0;
            found.push(Found {
                open: if is_open { 1.0 } else { open / whole },
                way: Vec3::new(x, y, z) / casting.rays as f32,
            });
        }
    }
}

/// The numbers of the lanes.
const NUMBERS: [f32; MOST_LANES] =
    [0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 9.0, 10.0, 11.0, 12.0, 13.0, 14.0, 15.0];

impl Blockers<'_> {
    #[inline(always)]
    fn still_open<S: Simd>(&self, simd: S, rays: &Rays<S>, mut open: S::m32s) -> S::m32s {
        if let Some((up, height)) = self.ground {
            let up = [simd.splat_f32s(up.x), simd.splat_f32s(up.y), simd.splat_f32s(up.z)];
            let above = simd.sub_f32s(dot(simd, &rays.origin, &up), simd.splat_f32s(height));
            let end = simd.mul_add_e_f32s(dot(simd, &rays.direction, &up), rays.to, above);
            open = simd.and_m32s(open, simd.greater_than_or_equal_f32s(end, simd.splat_f32s(0.0)));
        }
        for (tree, to_other) in &self.bodies {
            open = match to_other {
                None => tree.still_open(simd, rays, open),
                Some(to_other) => tree.still_open(simd, &moved(simd, rays, to_other), open),
            };
        }
        open
    }
}

/// Rays in the space of another part. Directions keep the length that the way there gives them, so
/// that distances along them stay what they are.
#[inline(always)]
fn moved<S: Simd>(simd: S, rays: &Rays<S>, to: &Affine3A) -> Rays<S> {
    Rays {
        origin: turned(simd, &rays.origin, to, to.translation.into()),
        direction: turned(simd, &rays.direction, to, Vec3::ZERO),
        ..*rays
    }
}

#[inline(always)]
fn turned<S: Simd>(simd: S, v: &Lanes<S>, to: &Affine3A, start: Vec3) -> Lanes<S> {
    let (x, y, z) = (to.matrix3.x_axis, to.matrix3.y_axis, to.matrix3.z_axis);
    [
        row(simd, v, [x.x, y.x, z.x], start.x),
        row(simd, v, [x.y, y.y, z.y], start.y),
        row(simd, v, [x.z, y.z, z.z], start.z),
    ]
}

#[inline(always)]
fn row<S: Simd>(simd: S, v: &Lanes<S>, [x, y, z]: [f32; 3], start: f32) -> S::f32s {
    let first = simd.mul_add_e_f32s(simd.splat_f32s(x), v[0], simd.splat_f32s(start));
    let second = simd.mul_add_e_f32s(simd.splat_f32s(y), v[1], first);
    simd.mul_add_e_f32s(simd.splat_f32s(z), v[2], second)
}

/// Three columns from one on, lane by lane.
#[inline(always)]
fn triple<S: Simd>(simd: S, columns: &[[f32; MOST_LANES]], first: usize) -> Lanes<S> {
    [
        simd.partial_load_f32s(&columns[first][..S::F32_LANES]),
        simd.partial_load_f32s(&columns[first + 1][..S::F32_LANES]),
        simd.partial_load_f32s(&columns[first + 2][..S::F32_LANES]),
    ]
}

/// How thick the body is at each element: the mean length of rays inwards, in the part's unit, as a
/// share of a reach; 1 where they meet nothing.
///
/// # Errors
/// When it was given up.
pub fn thickness(
    samples: &Samples,
    geometry: &Geometry,
    rays: u32,
    reach: f32,
    seed: u32,
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let (tree, hair) = (geometry.rays(), hair(geometry));
    let lattice = lattice(rays.max(1), &Fading::None);
    let order = along_a_curve(&samples.points);
    watch.expect(order.len() as u64);
    let arch = Arch::new();
    let runs: Vec<Vec<f32>> = order
        .par_chunks(run(rays))
        .map(|run| {
            watch.check()?;
            let depths = Depths { samples, tree, hair, lattice: &lattice, reach, seed, run };
            let found = arch.dispatch(depths);
            watch.advance(run.len() as u64);
            Ok(found)
        })
        .collect::<Result<_, GivenUp>>()?;
    Ok(samples.gathered(in_place(&order, &runs, 1.0)))
}

/// Some samples in a row that are looked inwards from.
struct Depths<'a> {
    samples: &'a Samples,
    tree: &'a RayTree,
    hair: f32,
    lattice: &'a [LatticeRay],
    reach: f32,
    seed: u32,
    run: &'a [u32],
}

impl WithSimd for Depths<'_> {
    type Output = Vec<f32>;

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) -> Vec<f32> {
        let mut found = Vec::with_capacity(self.run.len());
        for &sample in self.run {
            found.push(self.depth(simd, sample));
        }
        found
    }
}

impl Depths<'_> {
    #[inline(always)]
    fn depth<S: Simd>(&self, simd: S, sample: u32) -> f32 {
        let Self { samples, tree, hair, lattice, reach, seed, .. } = *self;
        let (point, normal) = (samples.points[sample as usize], samples.normals[sample as usize]);
        if normal == Vec3::ZERO {
            return 1.0;
        }
        let (across, up) = normal.any_orthonormal_pair();
        let [high, turn] = random_pair(seed, sample);
        let (sin, cos) = (turn * TAU).sin_cos();
        let mut sum = 0.0;
        for ray in lattice {
            let square = ray.out + high / lattice.len() as f32;
            let x = ray.cos * cos - ray.sin * sin;
            let y = ray.sin * cos + ray.cos * sin;
            let flat = (across * x + up * y) * square.sqrt();
            let way = flat - normal * (1.0 - square).max(0.0).sqrt();
            sum += tree.first(simd, point - normal * hair, way, reach).unwrap_or(reach);
        }
        sum / lattice.len() as f32 / reach
    }
}
