//! What the surface itself has: how it bends, which way it looks, where it is.

use glam::Vec3;
use rayon::prelude::*;
use speckle_model::recipe::source::{
    Bends, Direction, NormalSpace, Space, SpaceBox, Triple, WeighedScale,
};

use super::{numbered, or, tangents};
use crate::bake::{
    BakeError, curvature, diffusion,
    field::Field,
    lookup::{Lookup, Plan},
};

/// Where it is hollow (−1) or stands out (1).
pub(super) fn bent<'a>(lookup: &mut Lookup<'a>, scale: f32, sign: f32) -> Plan<'a> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    Box::new(move |watch| {
        let mean = curvature::mean(geometry, scale, watch)?;
        let scale = or(scale, geometry.measures().median_edge);
        let value = |h: f32| (sign * h * scale).clamp(0.0, 1.0);
        let values = mean.into_par_iter().map(value).collect();
        Ok(Field::one(diffusion::placed(geometry, placement, values)))
    })
}

/// Hollow or out at several scales, as 0.5 ± half of it.
pub(super) fn relief<'a>(lookup: &mut Lookup<'a>, scales: &'a [WeighedScale]) -> Plan<'a> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    Box::new(move |watch| {
        let mut scales: Vec<_> = scales.iter().map(|s| (s.scale, s.weight)).collect();
        if scales.is_empty() {
            scales.push((0.0, 1.0));
        }
        let bent = curvature::at_scales(geometry, &scales, watch)?;
        let value = |h: f32| 0.5 + 0.5 * h.clamp(-1.0, 1.0);
        let values = bent.into_par_iter().map(value).collect();
        Ok(Field::one(diffusion::placed(geometry, placement, values)))
    })
}

pub(super) fn edges<'a>(lookup: &mut Lookup<'a>, angle: f32, width: f32, bends: Bends) -> Plan<'a> {
    let (samples, geometry) = (lookup.samples(Space::Part), lookup.geometry());
    Box::new(move |_| {
        let width = or(width, geometry.measures().median_edge).max(f32::MIN_POSITIVE);
        let edges = curvature::edges(geometry, angle, bends);
        Ok(Field::one(samples().mean(|p, _| {
            edges.nearest(p, width, |_| true).map_or(0.0, |(.., far)| 1.0 - far / width)
        })))
    })
}

pub(super) fn facing<'a>(
    lookup: &mut Lookup<'a>,
    (direction, space): (Direction, Space),
    half_angle: f32,
    softness: f32,
) -> Plan<'a> {
    let samples = lookup.shaded_samples(space);
    let towards = lookup.direction(direction, space);
    Box::new(move |_| {
        let none = half_angle.to_radians().cos();
        let all = (half_angle * (1.0 - softness)).to_radians().cos();
        Ok(Field::one(samples().mean(|_, n| {
            let facing = n.dot(towards);
            if all - none <= f32::EPSILON {
                f32::from(u8::from(facing >= none))
            } else {
                ((facing - none) / (all - none)).clamp(0.0, 1.0)
            }
        })))
    })
}

pub(super) fn height_ramp<'a>(
    lookup: &mut Lookup<'a>,
    (direction, space): (Direction, Space),
    from: Option<f32>,
    to: Option<f32>,
) -> Plan<'a> {
    let (samples, geometry, placed) =
        (lookup.samples(space), lookup.geometry(), lookup.placed(space));
    let along = lookup.height_axis(direction, space);
    Box::new(move |_| {
        let heights = || {
            let points = geometry.shown_points().iter();
            let points =
                points.map(|&p| placed.map_or(p, |placed| placed.to_project(p)).dot(along));
            points.fold((f32::MAX, f32::MIN), |(low, high), h| (low.min(h), high.max(h)))
        };
        let own = if from.is_none() || to.is_none() { heights() } else { (0.0, 0.0) };
        let (low, high) = (from.unwrap_or(own.0), to.unwrap_or(own.1));
        Ok(Field::one(samples().mean(|p, _| ramp(p.dot(along), low, high))))
    })
}

fn ramp(height: f32, low: f32, high: f32) -> f32 {
    let whole = high - low;
    if whole.abs() <= f32::MIN_POSITIVE {
        return f32::from(u8::from(height >= high));
    }
    ((height - low) / whole).clamp(0.0, 1.0)
}

pub(super) fn between<'a>(
    lookup: &mut Lookup<'a>,
    from: Triple,
    to: Triple,
    space: Space,
) -> Plan<'a> {
    let samples = lookup.samples(space);
    let (from, to) = (Vec3::from(from), Vec3::from(to));
    Box::new(move |_| {
        let along = to - from;
        let whole = along.length_squared().max(f32::MIN_POSITIVE);
        let share = |p: Vec3| ((p - from).dot(along) / whole).clamp(0.0, 1.0);
        Ok(Field::one(samples().mean(|p, _| share(p))))
    })
}

pub(super) fn normal<'a>(
    lookup: &mut Lookup<'a>,
    space: NormalSpace,
) -> Result<Plan<'a>, BakeError> {
    let space = match space {
        NormalSpace::World => Space::World,
        NormalSpace::Part => Space::Part,
        NormalSpace::Tangent => {
            let (samples, frames) = (lookup.shaded_samples(Space::Part), tangents::frames(lookup)?);
            return Ok(Box::new(move |_| {
                let normals = samples().each(|_, normals| normals.iter().sum::<Vec3>());
                Ok(Field::three(tangents::in_frames(&normals, &frames())))
            }));
        }
    };
    let samples = lookup.shaded_samples(space);
    Ok(Box::new(move |_| {
        let shares = |n: &[Vec3]| (n.iter().sum::<Vec3>() / n.len() as f32 * 0.5 + 0.5).to_array();
        Ok(Field::three(samples().each(|_, normals| shares(normals))))
    }))
}

pub(super) fn position<'a>(
    lookup: &mut Lookup<'a>,
    space: Space,
    within: Option<SpaceBox>,
) -> Plan<'a> {
    let (samples, geometry, placed) =
        (lookup.samples(space), lookup.geometry(), lookup.placed(space));
    Box::new(move |_| {
        let whole = numbered::corners_of(within, || {
            let points = geometry.shown_points().iter();
            let places = points.map(|&p| placed.map_or(p, |placed| placed.to_project(p)));
            let none = [Vec3::INFINITY, Vec3::NEG_INFINITY];
            places.fold(none, |[low, high], p| [low.min(p), high.max(p)])
        });
        let mean = |p: &[Vec3]| p.iter().sum::<Vec3>() / p.len() as f32;
        let share = |points: &[Vec3], _: &[Vec3]| numbered::share_of(whole, mean(points));
        Ok(Field::three(samples().each(share)))
    })
}
