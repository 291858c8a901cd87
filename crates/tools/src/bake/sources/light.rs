//! The light that falls on a part: from lamps, from the sky, from what they light, and through it.

use std::f32::consts::TAU;

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::{Encoding, Linear, Measure};
use speckle_mesh::morton::{along_a_curve, in_place};
use speckle_model::recipe::source::{Direction, Light, Space, Triple};

use crate::bake::{
    around::Around,
    field::Field,
    lattice::{self, Fading},
    lookup::{Lookup, Plan},
    occlusion::{self, Blockers, Casting, Cone},
    samples::Samples,
    watch::{GivenUp, Watch},
};

/// A lamp as it is counted.
#[derive(Clone, Copy)]
struct Shining {
    towards: Vec3,
    /// In linear light, times its strength.
    light: Vec3,
    /// The sine of half of the angle it takes up.
    spread: f32,
}

fn linear(color: Triple) -> Vec3 {
    let Linear([r, g, b, _]) = Encoding::Color.linear([color[0], color[1], color[2], 1.0]);
    Vec3::new(r, g, b)
}

pub(super) fn light<'a>(lookup: &mut Lookup<'a>, light: &'a Light) -> Plan<'a> {
    let (starts, encoding) = (lookup.ray_samples(), lookup.encoding());
    let (own, others) = lookup.around(light.other_parts);
    let up = lookup.direction(Direction::Up, Space::Part);
    let lamps = light.lamps.iter().map(|lamp| Shining {
        towards: lookup.direction(lamp.towards, Space::Part),
        light: linear(lamp.color) * lamp.strength,
        spread: lamp.spread.to_radians().sin(),
    });
    let lamps: Vec<Shining> = lamps.collect();
    let sky = linear(light.sky);
    Box::new(move |watch| {
        let blockers = Blockers::new(own, true, &others, None);
        let plain = Casting::plain(light.rays, blockers.hair(), light.seed);
        let samples = starts();
        let mut sum = vec![Vec3::ZERO; samples.elements()];
        for lamp in &lamps {
            let cone = Cone::Light { towards: lamp.towards, spread: lamp.spread };
            let casting = Casting { cone, ..plain.clone() };
            let seen = occlusion::openness(&samples, &blockers, &casting, watch)?;
            let faces = samples.mean(|_, n| n.dot(lamp.towards).max(0.0));
            add(&mut sum, &seen, &faces, lamp.light);
        }
        if sky != Vec3::ZERO {
            // Rays that go down end at the horizon: a ground below all there is.
            let points = own.geometry.shown_points().iter();
            let lowest = points.map(|p| p.dot(up)).fold(f32::MAX, f32::min);
            let ground = lowest - super::diagonal(&own.geometry);
            let horizon = Blockers::new(own, true, &others, Some((up, ground)));
            let seen = occlusion::openness(&samples, &horizon, &plain, watch)?;
            add(&mut sum, &seen, &vec![1.0; seen.len()], sky);
        }
        if light.bounce > 0.0 || light.through > 0.0 {
            let around = Around::new(own, &others);
            let gathering = Gathering { light, lamps: &lamps, sky, up, around: &around };
            let found = gathering.gathered(&samples, watch)?;
            sum.par_iter_mut().zip(found).for_each(|(sum, found)| *sum += found);
        }
        let stored = |sum: &Vec3| encoding.stored(Linear([sum.x, sum.y, sum.z, 1.0]));
        if light.intensity {
            let grey = |sum: &Vec3| {
                let luminance = Measure::Luminance.of([sum.x, sum.y, sum.z, 1.0], Encoding::Data);
                stored(&Vec3::splat(luminance))[0]
            };
            return Ok(Field::one(sum.par_iter().map(grey).collect()));
        }
        let three = |sum: &Vec3| {
            let [r, g, b, _] = stored(sum);
            [r, g, b]
        };
        Ok(Field::three(sum.par_iter().map(three).collect()))
    })
}

fn add(sum: &mut [Vec3], seen: &[f32], faces: &[f32], light: Vec3) {
    let own = seen.par_iter().zip(faces);
    sum.par_iter_mut().zip(own).for_each(|(sum, (seen, faces))| *sum += light * (seen * faces));
}

/// What is gathered ray by ray.
struct Gathering<'a> {
    light: &'a Light,
    lamps: &'a [Shining],
    sky: Vec3,
    up: Vec3,
    around: &'a Around<'a>,
}

impl Gathering<'_> {
    /// What comes to each element from other places and through the part.
    fn gathered(&self, samples: &Samples, watch: &Watch) -> Result<Vec<Vec3>, GivenUp> {
        let per_sample = self.light.rays.div_ceil(samples.per_element as u32).max(1);
        let lattice = lattice::lattice(per_sample, &Fading::None);
        let order = along_a_curve(&samples.points);
        watch.expect(order.len() as u64);
        let runs: Vec<Vec<Vec3>> = order
            .par_chunks(256)
            .map(|run| {
                watch.check()?;
                let found = run.iter().map(|&sample| self.at(samples, sample, &lattice)).collect();
                watch.advance(run.len() as u64);
                Ok(found)
            })
            .collect::<Result<_, GivenUp>>()?;
        let found = in_place(&order, &runs, Vec3::ZERO);
        let count = samples.per_element as f32;
        Ok(samples.sums(found).into_par_iter().map(|sum| sum / count).collect())
    }

    fn at(&self, samples: &Samples, sample: u32, lattice: &[lattice::LatticeRay]) -> Vec3 {
        let (point, normal) = (samples.points[sample as usize], samples.normals[sample as usize]);
        if normal == Vec3::ZERO {
            return Vec3::ZERO;
        }
        let mut sum = Vec3::ZERO;
        if self.light.through > 0.0 {
            sum += self.lamps.iter().map(|lamp| self.through(point, normal, lamp)).sum::<Vec3>();
        }
        if self.light.bounce <= 0.0 {
            return sum;
        }
        let (across, up) = normal.any_orthonormal_pair();
        let [high, turn] = lattice::random_pair(self.light.seed, sample);
        let (sin, cos) = (turn * TAU).sin_cos();
        let origin = point + normal * self.around.hair();
        let given_on = lattice.iter().map(|ray| {
            let square = ray.out + high / lattice.len() as f32;
            let (x, y) = (ray.cos * cos - ray.sin * sin, ray.sin * cos + ray.cos * sin);
            let flat = (across * x + up * y) * square.sqrt();
            let way = flat + normal * (1.0 - square).max(0.0).sqrt();
            let Some(met) = self.around.cast(origin, way, f32::MAX) else { return Vec3::ZERO };
            let place = origin + way * met.distance + met.normal * self.around.hair();
            self.falls_on(place, met.normal, sample)
        });
        sum + given_on.sum::<Vec3>() * (self.light.bounce / lattice.len() as f32)
    }

    /// The light of lamps and sky on some other place: one ray to each lamp, and the sky as it is
    /// without anything before it (Liu and Jordan 1963: half of 1 and the cosine of the tilt).
    fn falls_on(&self, place: Vec3, normal: Vec3, sample: u32) -> Vec3 {
        let mut sum = self.sky * (0.5 + 0.5 * normal.dot(self.up));
        for (nth, lamp) in self.lamps.iter().enumerate() {
            let faces = normal.dot(lamp.towards);
            if faces <= 0.0 {
                continue;
            }
            let seed = place
                .to_array()
                .iter()
                .fold(sample, |seed, x| speckle_color::noise::mix(seed ^ x.to_bits()));
            let [out, turn] = lattice::random_pair(seed, nth as u32);
            let (across, up) = lamp.towards.any_orthonormal_pair();
            let (sin, cos) = (turn * TAU).sin_cos();
            let aside = (across * cos + up * sin) * (lamp.spread * out.sqrt());
            let way = (lamp.towards + aside).normalize_or(lamp.towards);
            if self.around.is_open(place, way) {
                sum += lamp.light * faces;
            }
        }
        sum
    }

    /// What of a lamp on the other side comes through: it fades by the way it has within the part
    /// (Beer and Lambert's law).
    fn through(&self, point: Vec3, normal: Vec3, lamp: &Shining) -> Vec3 {
        let faces = -normal.dot(lamp.towards);
        if faces <= 0.0 {
            return Vec3::ZERO;
        }
        let hair = self.around.hair();
        let inside = point - normal * hair;
        let Some(met) = self.around.cast(inside, lamp.towards, f32::MAX) else {
            // Nothing of the part lies between: a sheet.
            return lamp.light * faces;
        };
        let out = inside + lamp.towards * (met.distance + 2.0 * hair);
        if met.own_triangle.is_none() || !self.around.is_open(out, lamp.towards) {
            return Vec3::ZERO;
        }
        lamp.light * (faces * (-met.distance / self.light.through).exp())
    }
}
