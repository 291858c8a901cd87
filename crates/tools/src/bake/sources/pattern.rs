//! Patterns that come again and again: waves, stripes, checks, bricks.

use std::f32::consts::TAU;

use glam::{Vec2, Vec3};
use speckle_color::noise;
use speckle_model::recipe::source::{Direction, NoiseSpace, Pattern, PatternKind, Space, Vector};

use super::{or, random::from_corners};
use crate::bake::{
    BakeError,
    field::Field,
    lookup::{Lookup, Plan},
};

pub(super) fn pattern<'a>(
    lookup: &mut Lookup<'a>,
    pattern: &'a Pattern,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let space = match &pattern.space {
        NoiseSpace::Uv(uv_set) => {
            let uvs = lookup.uvs(*uv_set)?;
            return Ok(Box::new(move |_| {
                let size = or(pattern.size, 0.1);
                let along = in_image(pattern.along);
                let at = |corner: usize| {
                    let uv = uvs[corner] / size;
                    number(pattern, Vec2::new(uv.dot(-along.perp()), uv.dot(along)))
                };
                Ok(Field::one(from_corners(geometry, placement, at)))
            }));
        }
        NoiseSpace::Part => Space::Part,
        NoiseSpace::World => Space::World,
    };
    let samples = lookup.samples(space);
    let along = lookup.direction(pattern.along, space);
    Ok(Box::new(move |_| {
        let size = or(pattern.size, super::diagonal(geometry) / 10.0);
        // The axis that is nearest to x or y lies across, so that patterns stand square in a part.
        let across = [Vec3::X, Vec3::Y, Vec3::Z]
            .into_iter()
            .min_by(|a, b| a.dot(along).abs().total_cmp(&b.dot(along).abs()))
            .unwrap_or(Vec3::X);
        let across = across.reject_from_normalized(along).normalize_or(Vec3::X);
        let axes = [across, along, across.cross(along)];
        Ok(Field::one(samples().mean(|p, n| {
            let p = axes.map(|axis| p.dot(axis) / size);
            if matches!(pattern.shows, PatternKind::Waves | PatternKind::Stripes) {
                return number(pattern, Vec2::new(p[0], p[1]));
            }
            // On the plane of the two axes that the surface faces least.
            let faces = axes.map(|axis| n.dot(axis).abs());
            let plane = match () {
                () if faces[2] >= faces[0] && faces[2] >= faces[1] => Vec2::new(p[0], p[1]),
                () if faces[0] >= faces[1] => Vec2::new(p[2], p[1]),
                () => Vec2::new(p[0], p[2]),
            };
            number(pattern, plane)
        })))
    }))
}

/// A direction in the plane of an image: x is across and up is up.
fn in_image(along: Direction) -> Vec2 {
    let way = match along {
        Direction::X => Vec2::X,
        Direction::MinusX => Vec2::NEG_X,
        Direction::Down | Direction::MinusY => Vec2::NEG_Y,
        Direction::To(Vector([x, y, _])) => Vec2::new(x, y),
        Direction::Up | Direction::Y | Direction::Z | Direction::MinusZ => Vec2::Y,
    };
    way.normalize_or(Vec2::Y)
}

/// The number of a pattern at a place in its plane, counted in its size: across and along it.
fn number(pattern: &Pattern, place: Vec2) -> f32 {
    let share = pattern.share();
    // How far inside it is, in sizes, to how much it is inside.
    let inside = |deep: f32| {
        if pattern.softness > 0.0 {
            (0.5 + deep / pattern.softness).clamp(0.0, 1.0)
        } else {
            f32::from(u8::from(deep >= 0.0))
        }
    };
    let to_line = |x: f32| (x - x.round()).abs();
    match pattern.shows {
        PatternKind::Waves => 0.5 + 0.5 * (TAU * place.y.fract()).cos(),
        PatternKind::Stripes => {
            let from_middle = (place.y - share / 2.0 + 0.5).rem_euclid(1.0) - 0.5;
            inside(share / 2.0 - from_middle.abs())
        }
        PatternKind::Checks => {
            let square = place * 2.0;
            let cell = square.floor();
            if pattern.each {
                return chance(pattern.seed, cell);
            }
            let is_odd = (cell.x + cell.y).rem_euclid(2.0) >= 1.0;
            let deep = to_line(square.x).min(to_line(square.y)) / 2.0;
            inside(if is_odd { deep.max(f32::MIN_POSITIVE) } else { -deep.max(f32::MIN_POSITIVE) })
        }
        PatternKind::Bricks => {
            let high = place.y / pattern.flat;
            let course = high.floor();
            let long = place.x - pattern.bond * course;
            let from_joint = to_line(long).min(to_line(high) * pattern.flat);
            let own = if pattern.each {
                chance(pattern.seed, Vec2::new(long.floor(), course))
            } else {
                1.0
            };
            own * inside(from_joint - share / 2.0)
        }
    }
}

/// The number of a cell, by chance.
fn chance(seed: u32, cell: Vec2) -> f32 {
    let [x, y] = cell.clamp(Vec2::splat(-1e9), Vec2::splat(1e9)).as_ivec2().to_array();
    noise::unit(noise::mix(noise::mix(noise::mix(seed ^ 0x1b56_c4e9) ^ x as u32) ^ y as u32))
}
