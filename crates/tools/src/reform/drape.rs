//! A sheet laid over a part: a grid that falls on it from above, and comes to lie like cloth.

use std::sync::Arc;

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::noise::{Kind, Noise};
use speckle_mesh::{Geometry, Mesh, MeshError, body::Placed, mesh::MeshArrays, mesh::UvSet};
use speckle_model::{Materials, Part};

use crate::{
    bake::watch::{GivenUp, Watch},
    replacing::{SetTo, ShapeTo},
    transfer::{self, Source, TransferError},
};

/// How a sheet is laid. Lengths are in the project's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DrapeRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// How long its sides are.
    pub sides: [f32; 2],
    /// How far its points lie apart.
    pub step: f32,
    /// How far it is turned about the way it falls, degrees.
    #[serde(default)]
    pub turn: f32,
    /// Which way it falls; of any length above 0.
    pub falls: [f32; 3],
    /// How far above the part it comes to lie.
    #[serde(default)]
    pub offset: f32,
    /// How stiff it is: how often its points are drawn up to the middle of those around them.
    #[serde(default)]
    pub stiffness: u32,
    /// Within how far of its edges it comes down flat on the ground.
    #[serde(default)]
    pub flat_edge: f32,
    /// How far its points are out of line, so that it shows no grid.
    #[serde(default)]
    pub warp: f32,
    /// What that comes from.
    #[serde(default)]
    pub seed: u32,
}

/// The most points of a sheet.
pub const MOST_POINTS: usize = 4_000_000;

/// The most rounds that a sheet is drawn up.
pub const MOST_STIFF: u32 = 500;

/// What is this many steps higher than what is a step away is a wall.
const WALL: f32 = 2.5;

/// Why no sheet can be laid.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum DrapeError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// It would have too many points.
    #[error(
        "the sheet would have {0} points, more than the {MOST_POINTS} that one may have: take a wider step"
    )]
    TooFine(usize),
    /// It falls past the part.
    #[error("the sheet falls past {0}: let it fall the other way, or make it larger")]
    Past(String),
    /// Colors cannot be carried to it.
    #[error(transparent)]
    Colors(#[from] TransferError),
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
}

impl From<GivenUp> for DrapeError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// Lays a sheet over a part; it takes the colors of what it lies on.
pub(super) fn drape(part: &Part, rules: &Rules, watch: &Watch) -> Result<ShapeTo, DrapeError> {
    let mesh = sheet(part, rules, watch)?;
    let geometry = Arc::new(Geometry::new(mesh.clone()));
    let laid = Part { geometry, ..part.clone() };
    let size = part.geometry.measures().diagonal() * part.traits.transform.mean_scale();
    let how = transfer::Rules { within: Some(2.0 * size.max(1e-30)), ..Default::default() };
    watch.expect(part.sets.len() as u64);
    let sets = part.sets.iter().map(|set| {
        watch.step()?;
        let source = Source::of_set(part, set);
        let found = transfer::followed(&laid, &source, (&set.name, set.placement), &how, watch)?;
        let values = found.into_iter().map(|value| value.unwrap_or(set.ground)).collect();
        Ok(SetTo { id: set.id, placement: set.placement, values })
    });
    let sets = sets.collect::<Result<_, DrapeError>>()?;
    Ok(ShapeTo { mesh, selections: Vec::new(), materials: Materials::default(), sets })
}

fn check(rules: &Rules) -> Result<[usize; 2], DrapeError> {
    let Rules { sides, step, turn, falls, offset, flat_edge, warp, .. } = rules;
    let are_numbers = [turn, offset, flat_edge, warp].into_iter().all(|x| x.is_finite());
    let are_lengths = [sides[0], sides[1], *step].into_iter().all(|x| x.is_finite() && x > 0.0);
    if !are_numbers || !are_lengths || *flat_edge < 0.0 || *warp < 0.0 {
        return Err(DrapeError::Unsound("the sides and the step of a sheet are lengths above 0"));
    }
    let falls = Vec3::from(*falls);
    if !falls.is_finite() || falls.length() < 1e-12 {
        return Err(DrapeError::Unsound("the way it falls needs a length"));
    }
    if rules.stiffness > MOST_STIFF {
        return Err(DrapeError::Unsound("a sheet is drawn up 500 times at most"));
    }
    let counts = sides.map(|side| ((side / step).round().min(1e7) as usize).max(1) + 1);
    let points = counts[0] * counts[1];
    if points > MOST_POINTS {
        return Err(DrapeError::TooFine(points));
    }
    Ok(counts)
}

/// The sheet, in the part's space.
fn sheet(part: &Part, rules: &Rules, watch: &Watch) -> Result<Mesh, DrapeError> {
    let [wide, high] = check(rules)?;
    let placed = Placed::new(&part.traits.transform);
    let geometry = &part.geometry;
    let points = geometry.shown_points();
    let down = Vec3::from(rules.falls).normalize();
    let turn = Vec2::from_angle(rules.turn.to_radians());
    let first = across(down);
    let second = -down.cross(first);
    let [right, up] = [first * turn.x + second * turn.y, second * turn.x - first * turn.y];
    let (mut least, mut most) = (Vec3::MAX, Vec3::MIN);
    for &p in points {
        let p = placed.to_project(p);
        let p = Vec3::new(p.dot(right), p.dot(up), -p.dot(down));
        (least, most) = (least.min(p), most.max(p));
    }
    let (middle, floor) = ((least + most) / 2.0, least.z + rules.offset);
    let lift = (most.z - least.z).max(1e-3 * (most - least).length()) * 0.01;
    let noise = Noise::new(Kind::Gradient, 2, rules.seed);
    let grain = (rules.step * 6.0).max(f32::MIN_POSITIVE);
    // What falls past the part lies on the ground.
    let fallen = |i: usize| -> (Vec2, Option<f32>) {
        let share =
            Vec2::new((i % wide) as f32 / (wide - 1) as f32, (i / wide) as f32 / (high - 1) as f32);
        let flat = (share - 0.5) * Vec2::from(rules.sides);
        let out = |z: f32| 2.0 * noise.at(Vec3::new(flat.x / grain, flat.y / grain, z)) - 1.0;
        let at = middle.truncate() + flat + rules.warp * Vec2::new(out(0.3), out(7.7));
        let from = right * at.x + up * at.y - down * (most.z + lift);
        let hit = geometry.bvh().cast(placed.to_part(from), placed.direction_to_part(down));
        let height = hit.map(|hit| -placed.to_project(hit.point).dot(down) + rules.offset);
        (at, height)
    };
    let _ = geometry.bvh();
    let fallen: Vec<(Vec2, Option<f32>)> =
        (0..wide * high).into_par_iter().with_min_len(256).map(fallen).collect();
    if fallen.iter().all(|(_, height)| height.is_none()) {
        return Err(DrapeError::Past(part.traits.name.clone()));
    }
    let fell: Vec<f32> = fallen.iter().map(|(_, height)| height.unwrap_or(floor)).collect();
    // Beside a wall it hangs a step away from it, and does not cut through.
    let lowest: Vec<f32> = (0..fell.len())
        .into_par_iter()
        .map(|i| {
            let (x, y) = (i % wide, i / wide);
            let around = (y.saturating_sub(1)..=(y + 1).min(high - 1)).flat_map(|y| {
                (x.saturating_sub(1)..=(x + 1).min(wide - 1)).map(move |x| y * wide + x)
            });
            let top = around.map(|other| fell[other]).fold(fell[i], f32::max);
            if top - fell[i] > WALL * rules.step { top } else { fell[i] }
        })
        .collect();
    let mut heights = lowest.clone();
    for _ in 0..rules.stiffness {
        watch.check()?;
        let drawn = |i: usize| {
            let (x, y) = (i % wide, i / wide);
            let beside = [
                (x > 0).then(|| i - 1),
                (x + 1 < wide).then_some(i + 1),
                (y > 0).then(|| i - wide),
                (y + 1 < high).then_some(i + wide),
            ];
            let (sum, count) = beside
                .into_iter()
                .flatten()
                .fold((0.0, 0), |(sum, count), other| (sum + heights[other], count + 1));
            lowest[i].max(sum / count.max(1) as f32)
        };
        heights = (0..heights.len()).into_par_iter().with_min_len(1024).map(drawn).collect();
    }
    let place = |i: usize| {
        let (at, _) = fallen[i];
        let share =
            Vec2::new((i % wide) as f32 / (wide - 1) as f32, (i / wide) as f32 / (high - 1) as f32);
        let inner = (share.min(1.0 - share) * Vec2::from(rules.sides)).min_element();
        let x = if rules.flat_edge > 0.0 { (inner / rules.flat_edge).min(1.0) } else { 1.0 };
        let height = floor + (heights[i] - floor) * x * x * (3.0 - 2.0 * x);
        placed.to_part(right * at.x + up * at.y - down * height)
    };
    let positions = (0..wide * high).into_par_iter().map(place).collect();
    let quads = (0..high - 1).flat_map(|y| (0..wide - 1).map(move |x| y * wide + x));
    let mirrors = part.traits.transform.mirrors();
    let corners: Vec<u32> = quads
        .flat_map(|i| {
            let quad = [i, i + 1, i + wide + 1, i + wide].map(|i| i as u32);
            if mirrors { [quad[3], quad[2], quad[1], quad[0]] } else { quad }
        })
        .collect();
    let uv = |&i: &u32| {
        let (x, y) = (i as usize % wide, i as usize / wide);
        Vec2::new(x as f32 / (wide - 1) as f32, y as f32 / (high - 1) as f32)
    };
    let uvs = corners.iter().map(uv).collect();
    Ok(Mesh::new(MeshArrays {
        positions,
        face_starts: (0..=corners.len() as u32 / 4).map(|face| 4 * face).collect(),
        uv_sets: vec![UvSet { name: "Layout".to_owned(), uvs }],
        corner_vertices: corners,
        ..MeshArrays::default()
    })?)
}

/// A direction across another: along an axis as far as it can be.
fn across(down: Vec3) -> Vec3 {
    let axis = if down.x.abs() < 0.9 { Vec3::X } else { Vec3::Y };
    (axis - down * axis.dot(down)).normalize()
}
