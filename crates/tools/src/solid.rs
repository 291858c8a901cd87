//! What a printer of whole bodies asks of a model: whether it is closed, how much there is of it, how large it
//! is, how thin its walls and how narrow its gaps are, and whether something is trapped in it.

use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{Geometry, MeshError};
use speckle_model::Part;

use crate::{
    bake::watch::{GivenUp, Watch},
    hollows::{Hollow, hollows},
};

/// Walls thinner than is wanted are looked for on at most so many faces of a part, evenly through the list; how thick
/// others are is measured on fewer, since the middle of what is round is as near to all of it.
const MOST_MEASURED: usize = 20_000;
const MOST_THICK: usize = 1_500;

/// Surfaces lie opposite each other where their normals are turned by 120° or more: what is nearer around an
/// edge is no wall.
const OPPOSITE: f32 = -0.5;

/// The share of a surface that may be thinner than its walls are said to be.
const SPARED: f64 = 0.01;

/// How often a ball is made smaller, and by how much at least.
const ROUNDS: usize = 24;
const LEAST: f32 = 1e-4;

/// What is known of a body. Lengths are in millimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SolidTold {
    /// Whether every edge joins two faces.
    pub watertight: bool,
    /// What is enclosed, mm³; below 0 where it is inside out.
    pub volume: f64,
    /// mm².
    pub area: f64,
    /// How large it is along each axis.
    pub size: [f64; 3],
    /// How thin its walls are: all but a hundredth of its surface has more behind it, since every edge that is
    /// sharp runs out to nothing. None where nothing lies opposite.
    pub thinnest: Option<f64>,
    /// Where, in the project's space.
    pub place: [f32; 3],
    /// The share of its surface behind which it is thinner than was asked for.
    pub thin: f64,
    /// How narrow the gaps are that it leaves open: all but a hundredth of the surface that has something opposite
    /// outside has more room before it. None where nothing lies opposite. With its walls this is how small its
    /// features are.
    pub narrowest: Option<f64>,
    /// Shells that lie within others, and what they enclose, mm³: what is in them cannot get out.
    pub trapped: usize,
    /// mm³.
    pub trapped_volume: f64,
    /// Hollows from which a ball as wide as a drain cannot get out, those that are enclosed among them. Nothing
    /// is known of what is not watertight.
    pub hollows: Vec<Hollow>,
}

/// What is wanted of a body, mm.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Wanted {
    /// The thinnest wall.
    pub wall: f64,
    /// How wide a way out of every hollow is.
    pub drain: f64,
}

/// Measures a part as it prints: `mm` is how long a step of the project's unit is.
///
/// # Errors
/// When its points lie beyond what numbers hold, or it is given up.
pub fn measured(
    part: &Part,
    mm: f64,
    wanted: &Wanted,
    watch: &Watch,
) -> Result<Result<SolidTold, GivenUp>, MeshError> {
    let baked = part.baked()?;
    let geometry = &baked.geometry;
    let mesh = geometry.mesh();
    let measures = geometry.measures();
    let size = (measures.max - measures.min).to_array().map(|x| f64::from(x) * mm);
    let volumes = piece_volumes(geometry);
    let cubic = mm * mm * mm;
    let volume = volumes.iter().sum::<f64>() * cubic;
    let is_within = |own: &&f64| volume > 0.0 && **own < 0.0;
    let trapped = volumes.iter().filter(is_within).count();
    let trapped_volume = -volumes.iter().filter(is_within).sum::<f64>() * cubic;
    let areas = baked.face_areas();
    let faces: Vec<usize> = (0..mesh.face_count())
        .filter(|&face| is_among(face, MOST_MEASURED, mesh.face_count()))
        .collect();
    let covered = covered(geometry);
    let faces: Vec<usize> = faces.into_iter().filter(|&face| !covered.holds(face)).collect();
    watch.expect(faces.len() as u64);
    let thin = wanted.wall / mm;
    let is_thick = |at: usize| is_among(at, MOST_THICK, faces.len());
    let measured: Result<Vec<[Option<f32>; 2]>, GivenUp> = faces
        .par_iter()
        .with_min_len(256)
        .enumerate()
        .map(|(at, &face)| {
            watch.step()?;
            Ok([Side::Within, Side::Outside].map(|side| {
                let most = if is_thick(at) { f32::INFINITY } else { thin as f32 };
                room(geometry, &covered, face, side, most)
            }))
        })
        .collect();
    let measured = match measured {
        Ok(measured) => measured,
        Err(given_up) => return Ok(Err(given_up)),
    };
    let (mut thin_area, mut whole) = (0.0, 0.0);
    for (&face, [wall, _]) in faces.iter().zip(&measured) {
        whole += areas[face];
        if wall.is_some_and(|wall| f64::from(wall) * mm < wanted.wall) {
            thin_area += areas[face];
        }
    }
    let told = |side: usize| {
        let of = |counts: &dyn Fn(usize) -> bool| {
            let own = faces.iter().zip(&measured).enumerate().filter(|(at, _)| counts(*at));
            let found: Vec<(f32, usize)> =
                own.filter_map(|(_, (&face, own))| Some((own[side]?, face))).collect();
            let area: f64 = found.iter().map(|(_, face)| areas[*face]).sum();
            all_but_spared(found, &areas, area)
        };
        // Beyond twice what is wanted only some faces know more than that.
        of(&|_| true).filter(|(room, _)| f64::from(*room) < 1.99 * thin).or_else(|| of(&is_thick))
    };
    let [thinnest, narrowest] = [0, 1].map(told);
    let hollows = match hollows(geometry, mm, wanted.drain, watch) {
        Ok(hollows) => hollows,
        Err(given_up) => return Ok(Err(given_up)),
    };
    Ok(Ok(SolidTold {
        watertight: geometry.topology().is_watertight(),
        volume,
        area: areas.iter().sum::<f64>() * mm * mm,
        size,
        thinnest: thinnest.map(|(wall, _)| f64::from(wall) * mm),
        place: thinnest.map_or(Vec3::ZERO, |(_, face)| mesh.face_centroid(face)).to_array(),
        thin: if whole > 0.0 { thin_area / whole } else { 0.0 },
        narrowest: narrowest.map(|(gap, _)| f64::from(gap) * mm),
        trapped,
        trapped_volume,
        hollows,
    }))
}

/// Whether one of many is among so many of them that are looked at, spread evenly through the list and in step with no
/// order in it (the additive recurrence of the golden ratio).
fn is_among(at: usize, most: usize, all: usize) -> bool {
    const GOLDEN: f64 = 0.618_033_988_749_895;
    (at as f64 * GOLDEN).fract() * (all as f64) < most as f64
}

/// What each piece of a mesh encloses, in its own numbers; below 0 where it is inside out.
#[must_use]
pub fn piece_volumes(geometry: &Geometry) -> Vec<f64> {
    let (mesh, pieces) = (geometry.mesh(), geometry.pieces());
    let mut volumes = vec![0.0; pieces.count()];
    for (triangle, corners) in geometry.triangulation().corners().iter().enumerate() {
        let [a, b, c] = corners.map(|corner| mesh.corner_position(corner as usize).as_dvec3());
        let face = geometry.triangulation().face_of(triangle);
        // The tetrahedron to the origin (divergence theorem).
        volumes[pieces.of(face)] += a.dot(b.cross(c)) / 6.0;
    }
    volumes
}

/// The least of what was measured at faces once a hundredth of a surface is spared, with the face.
fn all_but_spared(mut found: Vec<(f32, usize)>, areas: &[f64], whole: f64) -> Option<(f32, usize)> {
    found.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let mut left = SPARED * whole;
    let least = found.iter().copied().find(|&(_, face)| {
        left -= areas[face];
        left <= 0.0
    });
    // What is left after all is on the last of them.
    least.or(found.last().copied())
}

/// Which faces lie within another piece of the same mesh: they are no surface of what is printed.
struct Covered(Vec<bool>);

impl Covered {
    fn holds(&self, face: usize) -> bool {
        self.0.get(face).is_some_and(|covered| *covered)
    }
}

/// At most so many walls are looked through.
const MOST_CROSSED: usize = 256;

/// A direction in which no face lies that was made with care, about along (1, 2, 3).
const ASKEW: Vec3 = Vec3::new(0.267_953, 0.533_218, 0.802_427);

fn covered(geometry: &Geometry) -> Covered {
    let pieces = geometry.pieces();
    let mesh = geometry.mesh();
    if pieces.count() < 2 {
        return Covered(Vec::new());
    }
    let none = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    let mut boxes = vec![none; pieces.count()];
    for face in 0..mesh.face_count() {
        let own = &mut boxes[pieces.of(face)];
        for corner in mesh.face_corners(face) {
            let point = mesh.corner_position(corner);
            *own = (own.0.min(point), own.1.max(point));
        }
    }
    // By their least x, those that begin before one ends may meet it.
    let mut order: Vec<usize> = (0..boxes.len()).collect();
    order.sort_by(|a, b| boxes[*a].0.x.total_cmp(&boxes[*b].0.x));
    let mut may_be = vec![false; boxes.len()];
    for (i, &a) in order.iter().enumerate() {
        for &b in order[i + 1..].iter().take_while(|&&b| boxes[b].0.x <= boxes[a].1.x) {
            let meet = boxes[a].0.cmple(boxes[b].1).all() && boxes[b].0.cmple(boxes[a].1).all();
            may_be[a] |= meet;
            may_be[b] |= meet;
        }
    }
    let hair = 1e-5 * geometry.measures().diagonal();
    // How often what lies around goes around a point: a ray leaves each body that it began in.
    let is_within = |face: usize| {
        let out = mesh.face_area_vector(face).normalize_or_zero();
        let mut from = mesh.face_centroid(face) + out * hair;
        let mut around = 0;
        for _ in 0..MOST_CROSSED {
            let Some(hit) = geometry.bvh().cast(from, ASKEW) else { break };
            let leaves = mesh.face_area_vector(hit.face as usize).dot(ASKEW) > 0.0;
            around += if leaves { 1 } else { -1 };
            from = hit.point + ASKEW * hair;
        }
        around > 0
    };
    let faces = (0..mesh.face_count()).into_par_iter().with_min_len(256);
    Covered(faces.map(|face| may_be[pieces.of(face)] && is_within(face)).collect())
}

/// On which side of a surface room is measured.
#[derive(Clone, Copy)]
enum Side {
    Within,
    Outside,
}

/// How much room there is at the middle of a face, behind it within the body or before it outside: the largest
/// ball that touches it there and no surface opposite (the shrinking ball; Ma, Bae and Choi 2012).
fn room(geometry: &Geometry, covered: &Covered, face: usize, side: Side, most: f32) -> Option<f32> {
    let mesh = geometry.mesh();
    let normal = |face: usize| mesh.face_area_vector(face).normalize_or_zero();
    // Away from the ball, whichever side that is on.
    let turned = match side {
        Side::Within => 1.0,
        Side::Outside => -1.0,
    };
    let normal = |face: usize| normal(face) * turned;
    let (point, out) = (mesh.face_centroid(face), normal(face));
    if out == Vec3::ZERO {
        return None;
    }
    let size = geometry.measures().diagonal();
    let mut from = point - out * (1e-5 * size);
    let mut hit = geometry.bvh().cast(from, -out)?;
    for _ in 0..MOST_CROSSED {
        // The middle of a face that is not flat may lie before it.
        if hit.face as usize != face && !covered.holds(hit.face as usize) {
            break;
        }
        from = hit.point - out * (1e-5 * size);
        hit = geometry.bvh().cast(from, -out)?;
    }
    let opposite = |other: u32| {
        other as usize != face
            && !covered.holds(other as usize)
            && normal(other as usize).dot(out) < OPPOSITE
    };
    let mut radius = (hit.point.distance(point) / 2.0).min(most);
    for _ in 0..ROUNDS {
        let middle = point - out * radius;
        let within = radius * (1.0 - LEAST);
        let Some((_, met, _)) = geometry.bvh().nearest(middle, within, opposite) else { break };
        let way = point - met;
        let ahead = out.dot(way);
        if ahead <= 0.0 {
            break;
        }
        let next = way.length_squared() / (2.0 * ahead);
        if next >= radius * (1.0 - LEAST) {
            break;
        }
        radius = next;
    }
    Some(2.0 * radius)
}
