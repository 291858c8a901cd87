//! Spans: cut out of space, or out of the screen.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_mesh::{
    placement::point_of,
    scene::SightLines,
    screen::{Screen, is_inside},
};

use super::{Covered, Ground, Solid, above_nothing};

/// Rounding must not decide whether what lies on a border is inside, as a share of the distance.
const ROUNDING: f32 = 1e-5;

/// Covers each element by the share its point (the project's space) has.
pub fn by_point(ground: &Ground, share: impl Fn(Vec3) -> f32 + Sync) -> Vec<Covered> {
    let (body, placement) = (&ground.surface.body, ground.surface.placement);
    let (mesh, topology) = (body.geometry.mesh(), body.geometry.topology());
    let count = placement.count(mesh);
    let share = |element: usize| {
        share(body.placed.to_project(point_of(mesh, topology, placement, element)))
    };
    above_nothing((0..count).into_par_iter().map(share).collect())
}

/// The share of what lies at a height of a band.
pub fn of_band(height: f32, (from, to): (f32, f32), soft: f32) -> f32 {
    let rounding = ROUNDING * (1.0 + height.abs().max(from.abs()).max(to.abs()));
    if soft <= rounding {
        let is_in = height >= from - rounding && height <= to + rounding;
        return f32::from(u8::from(is_in));
    }
    let inside = (height - from).min(to - height);
    (inside / soft + 0.5).clamp(0.0, 1.0)
}

/// The share of a point, given in the solid's own space.
pub fn of_solid(solid: Solid, point: Vec3, soft: f32) -> f32 {
    let inside = 1.0 - solid.outwards(point) + ROUNDING;
    if soft <= ROUNDING {
        f32::from(u8::from(inside >= 0.0))
    } else {
        (inside / soft).clamp(0.0, 1.0)
    }
}

/// Covers what is seen inside an outline on the screen, or all that lies in it.
pub fn in_outline(
    ground: &Ground,
    screen: &Screen,
    outline: &[Vec2],
    through: bool,
) -> Vec<Covered> {
    let (min, max) =
        outline.iter().fold((Vec2::MAX, Vec2::MIN), |(min, max), &p| (min.min(p), max.max(p)));
    let inside = by_point(ground, |point| {
        let place = screen.place(point).filter(|p| p.cmpge(min).all() && p.cmple(max).all());
        f32::from(u8::from(place.is_some_and(|place| is_inside(outline, place))))
    });
    if through {
        return inside;
    }
    let (body, placement) = (&ground.surface.body, ground.surface.placement);
    let (mesh, topology) = (body.geometry.mesh(), body.geometry.topology());
    let sights = SightLines::new(&body.geometry, &body.placed, ground.scene);
    let is_open = |covered: &Covered| {
        sights.is_clear(point_of(mesh, topology, placement, covered.element as usize))
    };
    inside.into_par_iter().filter(is_open).collect()
}
