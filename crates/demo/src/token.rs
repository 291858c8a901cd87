//! A harbour token: a coin with an anchor in raised relief, in millimetres. The relief is painted brass by hand,
//! with a few specks of it where the brush slipped.

use glam::{Vec2, Vec3};
use speckle_core::{Change, Document, EditError};
use speckle_mesh::Geometry;
use speckle_model::{NewPart, swatches::Swatch};

use crate::{
    Detail,
    lathe::{Turned, in_steps},
    spools::{paint_faces, spool},
};

const SLATE: u8 = 1;
const BRASS: u8 = 2;

/// How large it is, how thick, and how far the relief stands out.
const RADIUS: f32 = 19.0;
const THICK: f32 = 3.2;
const RELIEF: f32 = 0.9;
/// How far the relief slopes, from its foot to its top.
const SLOPE: f32 = 0.8;
/// Where the rim begins.
const RIM: f32 = 16.6;
/// Where the brush slipped.
const SLIPS: [Vec2; 4] =
    [Vec2::new(9.5, 8.0), Vec2::new(-11.0, 4.5), Vec2::new(7.0, -11.5), Vec2::new(-4.5, -8.0)];

/// How far a point is from a line between two others.
fn from_line(p: Vec2, a: Vec2, b: Vec2) -> f32 {
    let along = ((p - a).dot(b - a) / (b - a).length_squared()).clamp(0.0, 1.0);
    p.distance(a.lerp(b, along))
}

/// How far a point of the face lies outside of what stands out; below 0 within.
fn outside(p: Vec2) -> f32 {
    let rim = RIM - p.length();
    let ring = (p.distance(Vec2::new(0.0, 11.0)) - 2.4).abs() - 0.9;
    let shank = from_line(p, Vec2::new(0.0, 8.6), Vec2::new(0.0, -10.0)) - 1.2;
    let stock = from_line(p, Vec2::new(-5.6, 5.4), Vec2::new(5.6, 5.4)) - 1.0;
    // The arms are part of a circle about a place above them, and end in flukes.
    let middle = Vec2::new(0.0, -1.5);
    let arms = if p.y < -3.4 { (p.distance(middle) - 8.6).abs() - 1.2 } else { f32::MAX };
    let fluke =
        |side: f32| from_line(p, Vec2::new(side * 8.4, -4.0), Vec2::new(side * 9.2, -1.6)) - 1.5;
    [rim, ring, shank, stock, arms, fluke(1.0), fluke(-1.0)].into_iter().fold(f32::MAX, f32::min)
}

/// How far the relief stands out there.
fn relief(p: Vec2) -> f32 {
    let share = ((SLOPE / 2.0 - outside(p)) / SLOPE).clamp(0.0, 1.0);
    RELIEF * share * share * (3.0 - 2.0 * share)
}

/// One watertight body: over its underside, around its edge and over its face.
pub fn make(detail: Detail) -> Vec<NewPart> {
    let bevel = 0.5;
    let corners = [
        Vec2::ZERO,
        Vec2::new(RADIUS - bevel, 0.0),
        Vec2::new(RADIUS, bevel),
        Vec2::new(RADIUS, THICK + RELIEF - bevel),
        Vec2::new(RADIUS - bevel, THICK + RELIEF),
        Vec2::new(RIM + SLOPE, THICK + RELIEF),
    ];
    let (step, around) = match detail {
        Detail::Light | Detail::Usual => (0.2, 360),
        Detail::Dense => (0.07, 900),
    };
    let mut line = in_steps(&corners, step);
    // From here on the relief says how high it is.
    let face = in_steps(&[Vec2::new(RIM + SLOPE, THICK), Vec2::new(0.0, THICK)], step);
    line.extend(&face[1..]);
    let mut turned = Turned::default();
    turned.spin(&line, around, |point| {
        let own = Vec2::new(point.x, -point.z);
        let is_face = (point.y - THICK).abs() < 1e-3 && own.length() < RIM + SLOPE + 1e-3;
        if is_face { Vec3::new(point.x, THICK + relief(own), point.z) } else { point }
    });
    vec![NewPart::new("Token", turned.mesh(), Vec::new())]
}

/// What a face is painted in; 0 where slate was left.
fn painted(geometry: &Geometry, face: usize) -> u8 {
    let at = geometry.mesh().face_centroid(face);
    let own = Vec2::new(at.x, -at.z);
    let is_relief = outside(own) < 0.0 && at.y > THICK - 0.01;
    let is_slip = at.y > THICK - 0.01 && SLIPS.iter().any(|slip| slip.distance(own) < 0.28);
    if is_relief || is_slip { BRASS } else { 0 }
}

/// Paints it.
pub fn dress(document: &mut Document) -> Result<Vec<Change>, EditError> {
    let palette: Vec<Swatch> = vec![
        spool(SLATE, "Slate", [0.16, 0.18, 0.21], 22.0),
        spool(BRASS, "Brass", [0.72, 0.55, 0.25], 31.0),
    ];
    paint_faces(document, palette, SLATE, painted)
}
