//! What comes over a surface with time: streaks of water, dust, a line of water, wear.

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::noise::{Kind, Noise};
use speckle_mesh::body::Body;
use speckle_model::recipe::source::{
    Direction, Dust, Falloff, Space, Spread, Streaks, Waterline, Wear,
};

use super::{apart::Near, or, random::filled};
use crate::bake::{
    BakeError,
    around::Around,
    curvature,
    diffusion::{self, Diffusion},
    field::Field,
    flow::{self, Rain, Runs},
    lookup::{Lookup, Plan},
    occlusion::{self, Blockers, Casting, Cone},
};

/// How many standard deviations of its profile a run is wide.
const WIDE: f32 = 4.0;

/// How far off what it clings to below a ledge may be, in widths of a run.
const CLINGS: f32 = 1.5;

pub(super) fn streaks<'a>(
    lookup: &mut Lookup<'a>,
    streaks: &'a Streaks,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let down = lookup.direction(Direction::Down, Space::Part);
    let chosen = streaks.from.as_deref().map(|name| lookup.selection(name)).transpose()?;
    let (own, others) = lookup.around(streaks.other_parts);
    Ok(Box::new(move |watch| {
        let diagonal = super::diagonal(geometry);
        let width = or(streaks.width, diagonal / 100.0);
        let runs = Runs {
            down,
            apart: or(streaks.apart, diagonal / 20.0),
            length: or(streaks.length, diagonal / 3.0),
            stray: streaks.stray,
            grain: 6.0 * width,
            cling: CLINGS * width,
            seed: streaks.seed,
        };
        let faces = chosen.map(|chosen| chosen.elements(speckle_mesh::Placement::Face));
        let faces = faces.transpose()?;
        let rain = faces.as_deref().map_or(Rain::FromAbove, Rain::OutOf);
        let around = Around::new(own, &others);
        let left = flow::left_behind(geometry, &around, rain, &runs, watch)?;
        // A run leaves its strength on each length of it. Spread over a bell as wide as it is, and
        // multiplied with what that is high, that is the strength itself in its middle.
        let diffusion = Diffusion::new(geometry, watch)?;
        let mut values = diffusion.densities(&left);
        let deviation = width / WIDE;
        diffusion.about(&mut values, 2.0 * deviation, watch)?;
        let peak = std::f32::consts::TAU.sqrt() * deviation / diffusion::PEAK;
        values.par_iter_mut().for_each(|value| *value = (*value * peak).min(1.0));
        Ok(Field::one(diffusion::placed(geometry, placement, values)))
    }))
}

pub(super) fn dust<'a>(lookup: &mut Lookup<'a>, dust: &'a Dust) -> Plan<'a> {
    let (ray_samples, samples) = (lookup.ray_samples(), lookup.samples(Space::Part));
    let (geometry, up) = (lookup.geometry(), lookup.direction(Direction::Up, Space::Part));
    let (own, others) = lookup.around(dust.other_parts);
    Box::new(move |watch| {
        let blockers = Blockers::new(own, true, &others, None);
        let plain = Casting::plain(dust.rays, blockers.hair(), dust.seed);
        let starts = ray_samples();
        let cone = Cone::Light { towards: up, spread: dust.drift.to_radians().sin() };
        let above =
            occlusion::openness(&starts, &blockers, &Casting { cone, ..plain.clone() }, watch)?;
        let shelter = or(dust.shelter, super::diagonal(geometry) / 10.0);
        let windy = if dust.wind > 0.0 {
            let casting = Casting {
                reach: shelter,
                cone: Cone::Outward(Spread::Even),
                fading: (&Falloff::Linear).into(),
                ..plain
            };
            occlusion::openness(&starts, &blockers, &casting, watch)?
        } else {
            vec![0.0; above.len()]
        };
        let steepest = dust.slope.to_radians().cos();
        let stays = samples().mean(|_, n| ((n.dot(up) - steepest) / (1.0 - steepest)).max(0.0));
        let lies = |((&above, &windy), stays): ((&f32, &f32), f32)| {
            above * stays * (1.0 - dust.wind * windy)
        };
        Ok(Field::one(above.par_iter().zip(&windy).zip(stays).map(lies).collect()))
    })
}

pub(super) fn waterline<'a>(lookup: &mut Lookup<'a>, water: &'a Waterline) -> Plan<'a> {
    let samples = lookup.samples(Space::World);
    let (geometry, placed) = (lookup.geometry(), lookup.placed(Space::World));
    let up = lookup.height_axis(Direction::Up, Space::World);
    Box::new(move |_| {
        let place = |p: Vec3| placed.map_or(p, |placed| placed.to_project(p));
        let bounds = geometry.shown_points().iter().map(|&p| place(p));
        let none = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        let (low, high) = bounds.clone().fold(none, |(low, high), p| (low.min(p), high.max(p)));
        let heights = bounds.map(|p| p.dot(up));
        let (least, most) =
            heights.fold((f32::MAX, f32::MIN), |(low, high), h| (low.min(h), high.max(h)));
        let line = water.height.unwrap_or(least + (most - least) / 3.0);
        let splash = or(water.splash, low.distance(high) / 20.0).max(f32::MIN_POSITIVE);
        let noise = filled(Noise::new(Kind::Gradient, 3, water.seed), or(water.width, splash));
        Ok(Field::one(samples().mean(|p, _| {
            let over = p.dot(up) - line;
            if over <= 0.0 {
                return if water.band > 0.0 { (1.0 + over / water.band).max(0.0) } else { 1.0 };
            }
            // The noise of the place on the line below: a splash goes straight up.
            let rim = splash * noise(p - up * over);
            if over < rim { 1.0 - over / rim } else { 0.0 }
        })))
    })
}

/// What the curvature of a square edge comes to at its own scale: see [`curvature::mean`].
const SQUARE_EDGE: f32 = 0.88 * std::f32::consts::FRAC_1_SQRT_2;

/// How deep a ball may reach into what lies around, as a share of its radius, until it does not get
/// to a place at all.
const PRESSED: f32 = 0.25;

pub(super) fn wear<'a>(lookup: &mut Lookup<'a>, wear: &'a Wear) -> Plan<'a> {
    let (samples, geometry, placement) =
        (lookup.samples(Space::Part), lookup.geometry(), lookup.placement());
    let (own, others) = lookup.around(wear.other_parts);
    Box::new(move |watch| {
        let width = or(wear.width, super::diagonal(geometry) / 100.0);
        let ball = or(wear.ball, 3.0 * width);
        let mean = curvature::mean(geometry, width, watch)?;
        let bent = mean.into_par_iter().map(|h| (h * width / SQUARE_EDGE).clamp(0.0, 1.0));
        let bent = diffusion::placed(geometry, placement, bent.collect());
        watch.check()?;
        let samples = samples();
        let gathered = |asked: &[u32], found: &[f32]| {
            let mut all = vec![0.0; samples.points.len()];
            asked.iter().zip(found).for_each(|(&sample, &found)| all[sample as usize] = found);
            samples.gathered(all)
        };
        let broken = wear.broken;
        let noise = filled(Noise::new(Kind::Gradient, 3, wear.seed), or(wear.grain, 3.0 * width));
        let out = samples.of_those(|element| bent[element] > 0.0);
        let grain: Vec<f32> =
            out.par_iter().map(|&sample| noise(samples.points[sample as usize])).collect();
        let grain = gathered(&out, &grain);
        // Where nothing stands out, or no further than grains take away, nothing is worn: nobody asks there what
        // touches it.
        let asked =
            samples.of_those(|element| bent[element] * (1.0 + broken) > broken * grain[element]);
        let middle = |sample: usize| samples.points[sample] + samples.normals[sample] * ball;
        let middles: Vec<Vec3> = asked.par_iter().map(|&sample| middle(sample as usize)).collect();
        // What it reaches into deeper than it may does not matter.
        let room = geometry.near().room_about_each(&middles, [(1.0 - PRESSED) * ball, ball]);
        watch.check()?;
        let near = nears(own, &others);
        let touched = |(&middle, &room): (&Vec3, &f32)| {
            let others = near.iter().filter_map(|other| other.within(middle, ball));
            let free = others.fold(room, f32::min);
            (1.0 - (ball - free) / (PRESSED * ball)).clamp(0.0, 1.0)
        };
        let touched: Vec<f32> = middles.par_iter().zip(&room).map(touched).collect();
        watch.check()?;
        let touched = gathered(&asked, &touched);
        let worn = |((bent, touched), grain): ((f32, f32), f32)| {
            let worn = bent * touched;
            // Where it is full it stays so; where it is weak, grains take it away.
            (worn - broken * (grain - worn).max(0.0)).max(0.0)
        };
        Ok(Field::one(bent.into_par_iter().zip(touched).zip(grain).map(worn).collect()))
    })
}

fn nears(own: &Body, others: &[Body]) -> Vec<Near> {
    others.iter().map(|other| Near::new(own, other)).collect()
}
