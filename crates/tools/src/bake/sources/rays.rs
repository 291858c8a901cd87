//! What rays find: occlusion, openness to a light, thickness.

use glam::Vec3;
use speckle_model::recipe::source::{Direction, Space};

use super::or;
use crate::bake::{
    field::Field,
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

/// What shades a part.
#[derive(Clone, Copy)]
pub(super) struct Shade {
    /// Whether other visible parts do.
    pub(super) other_parts: bool,
    /// Whether a ground does on which it stands.
    pub(super) ground: bool,
}

pub(super) fn occlusion<'a>(
    lookup: &mut Lookup<'a>,
    rays: Rays,
    offset: f32,
    both_sides: bool,
    shade: Shade,
) -> Plan<'a> {
    let samples = lookup.ray_samples();
    let (own, others) = lookup.around(shade.other_parts);
    let up = shade.ground.then(|| lookup.height_axis(Direction::Up, Space::Part));
    Box::new(move |watch| {
        let ground = up.map(|up| {
            let heights = own.geometry.shown_points().iter().map(|p| p.dot(up));
            (up, heights.fold(f32::MAX, f32::min))
        });
        let blockers = Blockers::new(own, &others, ground);
        let casting = Casting {
            rays: rays.count,
            reach: rays.reach,
            offset: or(offset, blockers.hair()),
            cone: Cone::Cosine,
            seed: rays.seed,
        };
        let samples = samples();
        let open = occlusion::openness(&samples, &blockers, &casting, watch)?;
        if !both_sides {
            return Ok(Field::one(open));
        }
        let inward = Casting { cone: Cone::Inward, ..casting };
        let other = occlusion::openness(&samples, &blockers, &inward, watch)?;
        Ok(Field::one(open.iter().zip(other).map(|(a, b)| a.max(b)).collect()))
    })
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
        let blockers = Blockers::new(own, &others, None);
        let casting = Casting {
            rays: rays.count,
            reach: rays.reach,
            offset: blockers.hair(),
            cone: Cone::Light { towards, spread: spread.to_radians().sin() },
            seed: rays.seed,
        };
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
