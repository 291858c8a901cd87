//! What each source makes of a part.

mod apart;
mod form;
mod from_part;
mod images;
mod light;
mod lines;
mod numbered;
mod pattern;
mod random;
mod rays;
mod tangents;
mod weather;

use std::sync::Arc;

use glam::Vec2;
use speckle_color::{Channels, noise::Noise};
use speckle_mesh::Geometry;
use speckle_model::recipe::{Source, Target};

use self::{
    random::Grain,
    rays::{Rays, Shade},
};
use super::{
    BakeError,
    field::Field,
    image::Mapping,
    lookup::{Lookup, Plan},
    trail::Laying,
};

/// The set that holds the colors of materials where a part itself knows of none.
pub const MATERIAL_SET: &str = "Material";

/// A length, or where it is 0 what it is by itself.
fn or(length: f32, by_itself: f32) -> f32 {
    if length > 0.0 { length } else { by_itself }
}

fn diagonal(geometry: &Geometry) -> f32 {
    geometry.measures().diagonal().max(f32::MIN_POSITIVE)
}

/// Looks up all that a source takes; what is left to be done comes back. To look things up costs
/// next to nothing however large the mesh is.
///
/// # Errors
/// When something it needs is missing.
pub(super) fn planned<'a>(
    source: &'a Source,
    lookup: &mut Lookup<'a>,
) -> Result<Plan<'a>, BakeError> {
    if let Some(missing) = source.missing() {
        return Err(BakeError::Recipe(missing.to_owned()));
    }
    let all = lookup.placement().count(lookup.geometry().mesh());
    Ok(match source {
        &Source::Occlusion {
            rays,
            reach,
            offset,
            both_sides,
            other_parts,
            ground,
            own_shape,
            ref falloff,
            spread,
            sky,
            seed,
        } => {
            let fading = falloff.into();
            let shade =
                Shade { own_shape, other_parts, ground, offset, both_sides, fading, spread, sky };
            rays::occlusion(lookup, Rays { count: rays, reach, seed }, shade)
        }
        &Source::OpenWay { rays, reach, space, other_parts, seed } => {
            rays::open_way(lookup, Rays { count: rays, reach, seed }, space, other_parts)?
        }
        &Source::Openness { light, spread, rays, other_parts, seed } => {
            let rays = Rays { count: rays, reach: 0.0, seed };
            rays::openness(lookup, rays, light, spread, other_parts)
        }
        &Source::Thickness { rays, reach, seed } => {
            rays::thickness(lookup, Rays { count: rays, reach, seed })
        }
        &Source::Hollows { scale } => form::bent(lookup, scale, -1.0),
        &Source::Ridges { scale } => form::bent(lookup, scale, 1.0),
        Source::Relief { scales } => form::relief(lookup, scales),
        &Source::Edges { angle, width, bends } => form::edges(lookup, angle, width, bends),
        &Source::Facing { direction, space, half_angle, softness } => {
            form::facing(lookup, (direction, space), half_angle, softness)
        }
        &Source::HeightRamp { direction, space, from, to } => {
            form::height_ramp(lookup, (direction, space), from, to)
        }
        &Source::Between { from, to, space } => form::between(lookup, from, to, space),
        &Source::Normal { space } => form::normal(lookup, space)?,
        &Source::Position { space, within } => form::position(lookup, space, within),
        Source::Light(light) => light::light(lookup, light),
        Source::Streaks(streaks) => weather::streaks(lookup, streaks)?,
        Source::Dust(dust) => weather::dust(lookup, dust),
        Source::Waterline(water) => weather::waterline(lookup, water),
        Source::Wear(wear) => weather::wear(lookup, wear),
        Source::Line(line) => lines::line(lookup, line),
        Source::Rim(rim) => lines::rim(lookup, rim)?,
        Source::Pattern(pattern) => pattern::pattern(lookup, pattern)?,
        Source::Pivot(pivot) => numbered::pivot(lookup, pivot)?,
        Source::PieceNumber(number) => numbered::piece_number(lookup, number)?,
        Source::FromPart(from) => from_part::from_part(lookup, from)?,
        Source::Distance { from, reach } => apart::distance(lookup, from, *reach)?,
        Source::Trail { root, reach, joined, touch } => {
            let laying = Laying { reach: *reach, joined: *joined, touch: *touch };
            apart::trail(lookup, root, laying)?
        }
        &Source::Joint { between, width, offset } => apart::joint(lookup, between, width, offset)?,
        &Source::PerPiece { by, colors, seed } => random::per_piece(lookup, by, colors, seed)?,
        &Source::PerPieceShift { by, amounts, seed } => {
            random::per_piece_shift(lookup, by, amounts, seed)?
        }
        &Source::Noise {
            noise: kind,
            size,
            octaves,
            warp,
            lacunarity,
            gain,
            contrast,
            stretch,
            along,
            on_surface,
            tiles,
            ref space,
            seed,
        } => {
            let noise = Noise { warp, lacunarity, gain, ..Noise::new(kind, octaves, seed) };
            let grain = Grain { noise, size, contrast, stretch, along, on_surface, tiles };
            random::noise(lookup, grain, space)?
        }
        Source::Image { image, lay, repeat, offset, turn, wrap, tiles, hard_pixels, averaged } => {
            let mapping = Mapping {
                repeat: Vec2::from(*repeat),
                offset: Vec2::from(*offset),
                turn: turn.to_radians(),
                wrap: *wrap,
                hard_pixels: *hard_pixels,
                averaged: *averaged,
                ..Mapping::default()
            };
            images::of_image(lookup, image, (lay, *tiles), mapping)?
        }
        Source::Material => images::of_materials(lookup)?,
        &Source::Constant { value } => Box::new(move |_| Ok(Field::one(vec![value; all]))),
        &Source::Color { color } => Box::new(move |_| Ok(Field::three(vec![color; all]))),
        Source::Channel { set, channel, part } => {
            let field = lookup.set(part.as_deref(), set, *channel)?;
            Box::new(move |_| Ok(field()))
        }
        &Source::Volumes { over } => {
            lookup.volumes(over)?;
            // Laid on on its own, too.
            Box::new(move |_| Ok(Field::One(Arc::new(vec![0.0; all]))))
        }
        Source::HandPaint { paint } => {
            lookup.paint(*paint);
            // Merged on its own: see `super::made_by`.
            Box::new(move |_| Ok(Field::One(Arc::new(vec![0.0; all]))))
        }
    })
}

/// Which channels a field goes into: of three numbers R, G and B, and alpha where it knows it; all
/// when it is one.
#[must_use]
pub fn channels_of(target: Target, field: &Field) -> Channels {
    match (target, field) {
        (Target::Rgba, Field::Three(_)) => Channels::RGB,
        _ => target.channels(),
    }
}
