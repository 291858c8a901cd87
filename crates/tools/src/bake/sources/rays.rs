//! What rays find: occlusion, openness to a light, thickness.

use glam::Vec3;
use speckle_model::recipe::source::{Direction, Space};

use super::or;
use crate::bake::{
    field::Field,
    look::{Look, Plan},
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
    look: &mut Look<'a>,
    rays: Rays,
    offset: f32,
    both_sides: bool,
    shade: Shade,
) -> Plan<'a> {
    let (samples, placement) = (look.samples(Space::Part), look.placement());
    let (own, others) = look.around(shade.other_parts);
    let up = shade.ground.then(|| look.height_axis(Direction::Up, Space::Part));
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
        let samples = samples().for_rays(&own.geometry, placement);
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
    look: &mut Look<'a>,
    rays: Rays,
    light: Direction,
    spread: f32,
    other_parts: bool,
) -> Plan<'a> {
    let (samples, placement) = (look.samples(Space::Part), look.placement());
    let (own, others) = look.around(other_parts);
    let towards: Vec3 = look.direction(light, Space::Part);
    Box::new(move |watch| {
        let blockers = Blockers::new(own, &others, None);
        let casting = Casting {
            rays: rays.count,
            reach: rays.reach,
            offset: blockers.hair(),
            cone: Cone::Light { towards, spread: spread.to_radians().sin() },
            seed: rays.seed,
        };
        Ok(Field::one(occlusion::openness(
            &samples().for_rays(&own.geometry, placement),
            &blockers,
            &casting,
            watch,
        )?))
    })
}

pub(super) fn thickness<'a>(look: &mut Look<'a>, rays: Rays) -> Plan<'a> {
    let (samples, geometry) = (look.samples(Space::Part), look.geometry());
    let placement = look.placement();
    Box::new(move |watch| {
        let reach = or(rays.reach, super::diagonal(geometry) / 4.0);
        let Rays { count, seed, .. } = rays;
        let samples = samples().for_rays(geometry, placement);
        Ok(Field::one(occlusion::thickness(&samples, geometry, count, reach, seed, watch)?))
    })
}
