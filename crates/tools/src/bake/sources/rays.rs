//! What rays find: occlusion, openness to a light, thickness.

use glam::Vec3;
use rayon::prelude::*;
use speckle_model::recipe::source::{Direction, NormalSpace, Space, Spread};

use super::{or, tangents};
use crate::bake::{
    BakeError,
    field::Field,
    lattice::Fading,
    lookup::{Lookup, Plan},
    occlusion::{self, Blockers, Casting, Cone},
};

/// The rays of a source.
#[derive(Clone, Copy)]
pub(super) struct Rays {
    /// How many from each element.
    pub(super) count: u32,
    /// How far they go.
    pub(super) reach: f32,
    /// What all that is random comes from.
    pub(super) seed: u32,
}

/// What shades a part, and how.
pub(super) struct Shade {
    /// Whether it shades itself.
    pub(super) own_shape: bool,
    /// Whether other visible parts do.
    pub(super) other_parts: bool,
    /// Whether a ground does on which it stands.
    pub(super) ground: bool,
    /// How far off the surface rays start; 0 for a hair.
    pub(super) offset: f32,
    /// Whether the lighter of both sides counts.
    pub(super) both_sides: bool,
    /// How much what they meet counts by its distance.
    pub(super) fading: Fading,
    /// How they are spread.
    pub(super) spread: Spread,
    /// Where more of the light comes from.
    pub(super) sky: Option<Direction>,
}

pub(super) fn occlusion<'a>(lookup: &mut Lookup<'a>, rays: Rays, shade: Shade) -> Plan<'a> {
    let samples = lookup.ray_samples();
    let (own, others) = lookup.around(shade.other_parts);
    let up = shade.ground.then(|| lookup.height_axis(Direction::Up, Space::Part));
    let sky = shade.sky.map(|sky| lookup.direction(sky, Space::Part));
    Box::new(move |watch| {
        let ground = up.map(|up| {
            let heights = own.geometry.shown_points().iter().map(|p| p.dot(up));
            (up, heights.fold(f32::MAX, f32::min))
        });
        let blockers = Blockers::new(own, shade.own_shape, &others, ground);
        let casting = Casting {
            reach: rays.reach,
            cone: Cone::Outward(shade.spread),
            fading: shade.fading.clone(),
            sky,
            ..Casting::plain(rays.count, or(shade.offset, blockers.hair()), rays.seed)
        };
        let samples = samples();
        let open = occlusion::openness(&samples, &blockers, &casting, watch)?;
        if !shade.both_sides {
            return Ok(Field::one(open));
        }
        let inward = Casting { cone: Cone::Inward(shade.spread), ..casting.clone() };
        let other = occlusion::openness(&samples, &blockers, &inward, watch)?;
        Ok(Field::one(open.iter().zip(other).map(|(a, b)| a.max(b)).collect()))
    })
}

/// The mean of the ways that are open, as shares of 0–1.
pub(super) fn open_way<'a>(
    lookup: &mut Lookup<'a>,
    rays: Rays,
    space: NormalSpace,
    other_parts: bool,
) -> Result<Plan<'a>, BakeError> {
    let samples = lookup.ray_samples();
    let (own, others) = lookup.around(other_parts);
    let placed =
        lookup.placed(if space == NormalSpace::World { Space::World } else { Space::Part });
    let frames = (space == NormalSpace::Tangent).then(|| tangents::frames(lookup)).transpose()?;
    Ok(Box::new(move |watch| {
        let blockers = Blockers::new(own, true, &others, None);
        let plain = Casting::plain(rays.count, blockers.hair(), rays.seed);
        let casting = Casting { reach: rays.reach, ..plain };
        let ways = occlusion::open_way(&samples(), &blockers, &casting, watch)?;
        if let Some(frames) = frames {
            return Ok(Field::three(tangents::in_frames(&ways, &frames())));
        }
        let share = |way: Vec3| {
            let way = placed.map_or(way, |placed| placed.direction_to_project(way));
            (way.normalize_or_zero() * 0.5 + 0.5).to_array()
        };
        Ok(Field::three(ways.into_par_iter().map(share).collect()))
    }))
}

pub(super) fn openness<'a>(
    lookup: &mut Lookup<'a>,
    rays: Rays,
    light: Direction,
    spread: f32,
    other_parts: bool,
) -> Plan<'a> {
    let samples = lookup.ray_samples();
    let (own, others) = lookup.around(other_parts);
    let towards: Vec3 = lookup.direction(light, Space::Part);
    Box::new(move |watch| {
        let blockers = Blockers::new(own, true, &others, None);
        let cone = Cone::Light { towards, spread: spread.to_radians().sin() };
        let casting = Casting { cone, ..Casting::plain(rays.count, blockers.hair(), rays.seed) };
        Ok(Field::one(occlusion::openness(&samples(), &blockers, &casting, watch)?))
    })
}

pub(super) fn thickness<'a>(lookup: &mut Lookup<'a>, rays: Rays) -> Plan<'a> {
    let (samples, geometry) = (lookup.ray_samples(), lookup.geometry());
    Box::new(move |watch| {
        let reach = or(rays.reach, super::diagonal(geometry) / 4.0);
        let Rays { count, seed, .. } = rays;
        Ok(Field::one(occlusion::thickness(&samples(), geometry, count, reach, seed, watch)?))
    })
}
