//! What programs are told of pieces: where each is moored, and its number.

use glam::Vec3;
use speckle_mesh::Geometry;
use speckle_model::recipe::source::{PieceNumber, Pivot, Space, SpaceBox};

use crate::bake::{
    BakeError,
    field::Field,
    lookup::{Lookup, Plan},
    pieces,
};

/// The corners of a box, or of what is there.
pub(super) fn corners_of(within: Option<SpaceBox>, own: impl FnOnce() -> [Vec3; 2]) -> [Vec3; 2] {
    within.map_or_else(own, |SpaceBox { low, high }| [low.into(), high.into()])
}

/// A place within a box, as shares of 0–1.
pub(super) fn share_of([low, high]: [Vec3; 2], place: Vec3) -> [f32; 3] {
    let size = (high - low).max(Vec3::splat(f32::MIN_POSITIVE));
    ((place - low) / size).clamp(Vec3::ZERO, Vec3::ONE).to_array()
}

pub(super) fn pivot<'a>(lookup: &mut Lookup<'a>, pivot: &Pivot) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let (units, _) = lookup.units(pivot.by)?;
    let end = pivot.end.map(|end| lookup.height_axis(end, Space::Part));
    let within = pivot.within;
    Ok(Box::new(move |_| {
        let of = units.of_faces(geometry);
        let bounds = bounds_of(geometry, &of, end);
        let measures = geometry.measures();
        let whole = corners_of(within, || [measures.min, measures.max]);
        let moored = bounds.into_iter().map(|Bounds { low, high, furthest }| {
            let middle = (low + high) / 2.0;
            let at = match end {
                Some(end) if low.cmple(high).all() => middle + end * (furthest - middle.dot(end)),
                _ => middle,
            };
            share_of(whole, at)
        });
        let moored: Vec<[f32; 3]> = moored.collect();
        let value = |face: usize| moored[of[face] as usize];
        Ok(Field::three(pieces::by_face(geometry, placement, value, [0.0; 3])))
    }))
}

/// How far something reaches: along the axes, and in one direction.
#[derive(Clone, Copy)]
struct Bounds {
    low: Vec3,
    high: Vec3,
    furthest: f32,
}

fn bounds_of(geometry: &Geometry, of: &[u32], towards: Option<Vec3>) -> Vec<Bounds> {
    let mesh = geometry.mesh();
    let count = of.iter().max().map_or(0, |&most| most as usize + 1);
    let none = Bounds { low: Vec3::INFINITY, high: Vec3::NEG_INFINITY, furthest: f32::MIN };
    let mut bounds = vec![none; count];
    for (face, &own) in of.iter().enumerate() {
        let own = &mut bounds[own as usize];
        for &vertex in mesh.face_vertices(face) {
            let p = mesh.positions()[vertex as usize];
            (own.low, own.high) = (own.low.min(p), own.high.max(p));
            if let Some(towards) = towards {
                own.furthest = own.furthest.max(p.dot(towards));
            }
        }
    }
    bounds
}

pub(super) fn piece_number<'a>(
    lookup: &mut Lookup<'a>,
    number: &PieceNumber,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let (units, _) = lookup.units(number.by)?;
    let (most, bits) = (number.most(), number.bits);
    Ok(Box::new(move |_| {
        let of = units.of_faces(geometry);
        let last = of.iter().max().copied().unwrap_or(0);
        if last > most {
            let instead = if bits == 8 { "16 bits" } else { "larger pieces" };
            return Err(BakeError::Recipe(format!(
                "there are {} of them, and {bits} bits number {} at most: choose {instead}",
                last + 1,
                most + 1
            )));
        }
        let value = |face: usize| of[face] as f32 / most as f32;
        Ok(Field::one(pieces::by_face(geometry, placement, value, 0.0)))
    }))
}
