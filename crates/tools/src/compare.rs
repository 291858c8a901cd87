//! How far two collections of parts are from each other, point by point: what went out against what
//! came in again.
//!
//! Points are the corners of faces. Where two parts have the same faces, corners are matched by
//! their order; where only the triangles are as many, by the triangles'; anything else by the
//! nearest place on the surface, looked for from both sides. So it is where the order says that they
//! lie apart: faces may stand in another one.

use glam::Vec3;
use rayon::prelude::*;
use serde::Serialize;
use speckle_color::Rgba;
use speckle_mesh::{Geometry, geometry::near::Near};
use speckle_model::{ColorSet, Part, partners::partners};

use crate::on_surface::drawn_in;

/// How two sets of one name differ.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetDifference {
    /// The set's name.
    pub name: String,
    /// The largest difference of a number, 0–1, as encoded; none where the other side lacks it.
    pub max_difference: Option<f32>,
    /// The mean over all points of the largest difference of a number at each.
    pub mean_difference: Option<f32>,
}

/// How two parts differ.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PartDifference {
    /// The part's name on the first side.
    pub name: String,
    /// Its sets, in their order; then those that only the other side has.
    pub sets: Vec<SetDifference>,
    /// The largest distance between points, in the scene's units; none where the other side lacks
    /// the part.
    pub max_distance: Option<f32>,
}

/// How two collections of parts differ.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Comparison {
    /// Each part of the first side; then those that only the other side has.
    pub parts: Vec<PartDifference>,
}

impl Comparison {
    /// The largest difference of any number; `None` where something is missing on one side.
    #[must_use]
    pub fn max_difference(&self) -> Option<f32> {
        let sets = self.parts.iter().flat_map(|part| &part.sets);
        let parts = self.parts.iter().map(|part| part.max_distance.map(|_| 0.0));
        sets.map(|set| set.max_difference)
            .chain(parts)
            .try_fold(0.0_f32, |most, next| Some(most.max(next?)))
    }
}

/// The corners of a part in a row: where they are, in the project's space, and which corner of the
/// mesh each is.
struct Row<'a> {
    part: &'a Part,
    corners: Vec<u32>,
    points: Vec<Vec3>,
}

impl<'a> Row<'a> {
    fn new(part: &'a Part, triangles: bool) -> Self {
        let mesh = part.geometry.mesh();
        let corners: Vec<u32> = if triangles {
            part.geometry.triangulation().corners().iter().flatten().copied().collect()
        } else {
            (0..mesh.corner_count() as u32).collect()
        };
        let to_project = part.traits.transform.to_project();
        let point =
            |&corner: &u32| to_project.transform_point3(mesh.corner_position(corner as usize));
        let points = corners.iter().map(point).collect();
        Self { part, corners, points }
    }
}

fn value_at(geometry: &Geometry, set: &ColorSet, corner: usize) -> Rgba {
    set.values[geometry.element_at(set.placement, corner)]
}

/// Compares the parts of two sides: by name, or all in a row where the other side joined them.
#[must_use]
pub fn compare(ours: &[Part], theirs: &[Part]) -> Comparison {
    let mut parts = Vec::new();
    let joined = ours.len() > 1 && theirs.len() == 1;
    if joined && let Some(parts) = in_a_row(ours, &theirs[0]) {
        return Comparison { parts };
    }
    let mut taken = vec![false; theirs.len()];
    for (number, own) in ours.iter().enumerate() {
        let by_name = theirs.iter().position(|part| part.traits.name == own.traits.name);
        // A single part may be called after its file.
        let found = by_name.filter(|&i| !taken[i]).or_else(|| {
            Some(number).filter(|&i| i < theirs.len() && ours.len() == theirs.len() && !taken[i])
        });
        parts.push(match found {
            Some(i) => {
                taken[i] = true;
                pair(own, &theirs[i])
            }
            None => missing(own),
        });
    }
    let only_there = theirs.iter().zip(&taken).filter(|(_, taken)| !**taken);
    parts.extend(only_there.map(|(part, _)| missing(part)));
    Comparison { parts }
}

fn missing(part: &Part) -> PartDifference {
    let set = |set: &ColorSet| SetDifference {
        name: set.name.clone(),
        max_difference: None,
        mean_difference: None,
    };
    PartDifference {
        name: part.traits.name.clone(),
        sets: part.products().map(set).collect(),
        max_distance: None,
    }
}

/// Several parts against one that they were joined into, in their order.
fn in_a_row(ours: &[Part], theirs: &Part) -> Option<Vec<PartDifference>> {
    for triangles in [false, true] {
        let other = Row::new(theirs, triangles);
        let rows: Vec<Row> = ours.iter().map(|part| Row::new(part, triangles)).collect();
        if rows.iter().map(|row| row.corners.len()).sum::<usize>() != other.corners.len() {
            continue;
        }
        let mut first = 0;
        let differences = rows.iter().map(|row| {
            let there = first..first + row.corners.len();
            first = there.end;
            let there = Row {
                part: theirs,
                corners: other.corners[there.clone()].to_vec(),
                points: other.points[there].to_vec(),
            };
            let difference = by_order(row, &there, false);
            if triangles {
                unless_cut_otherwise(row.part, theirs, difference, false)
            } else {
                difference
            }
        });
        return Some(differences.collect());
    }
    None
}

fn pair(ours: &Part, theirs: &Part) -> PartDifference {
    let (a, b) = (ours.geometry.mesh(), theirs.geometry.mesh());
    if a.face_starts() == b.face_starts() {
        let difference = by_order(&Row::new(ours, false), &Row::new(theirs, false), true);
        return unless_cut_otherwise(ours, theirs, difference, true);
    }
    if a.triangle_count() == b.triangle_count() {
        let difference = by_order(&Row::new(ours, true), &Row::new(theirs, true), true);
        return unless_cut_otherwise(ours, theirs, difference, true);
    }
    by_place(ours, theirs, true)
}

/// What faces or triangles say by their order; by their place where that alone fits: they may stand
/// in another order, and of two diagonals as long a part that was moved before it was cut may take
/// the other one.
fn unless_cut_otherwise(
    ours: &Part,
    theirs: &Part,
    by_order: PartDifference,
    whole: bool,
) -> PartDifference {
    let size = ours.geometry.measures().diagonal() * ours.traits.transform.mean_scale();
    let fits = |difference: &PartDifference| {
        difference.max_distance.is_some_and(|far| far <= SAME_PLACE * size)
    };
    if fits(&by_order) {
        return by_order;
    }
    let by_place = by_place(ours, theirs, whole);
    if fits(&by_place) { by_place } else { by_order }
}

/// Surfaces no further apart than this share of their size lie at one place.
const SAME_PLACE: f32 = 1e-3;

fn sets_of(
    ours: &Part,
    theirs: &Part,
    whole: bool,
    difference: impl Fn(&ColorSet, &ColorSet) -> (f32, f32),
) -> Vec<SetDifference> {
    let mut compared = Vec::new();
    let mut sets: Vec<SetDifference> = ours
        .products()
        .zip(partners(&ours.known_sets(), &theirs.known_sets()))
        .map(|(set, other)| {
            let other = other.and_then(|nth| theirs.products().nth(nth));
            compared.extend(other.map(|other| other.id));
            let found = other.map(|other| difference(set, other));
            SetDifference {
                name: set.name.clone(),
                max_difference: found.map(|(most, _)| most),
                mean_difference: found.map(|(_, mean)| mean),
            }
        })
        .collect();
    let only_there = theirs.products().filter(|set| whole && !compared.contains(&set.id));
    sets.extend(only_there.map(|set| SetDifference {
        name: set.name.clone(),
        max_difference: None,
        mean_difference: None,
    }));
    sets
}

fn by_order(ours: &Row, theirs: &Row, whole: bool) -> PartDifference {
    let apart = ours.points.par_iter().zip(&theirs.points).map(|(a, b)| a.distance(*b));
    let max_distance = apart.reduce(|| 0.0, f32::max);
    // Asked for before work is shared out: see `Geometry`.
    let _ = (ours.part.geometry.topology(), theirs.part.geometry.topology());
    let sets = sets_of(ours.part, theirs.part, whole, |set, other| {
        let pairs = ours.corners.par_iter().zip(&theirs.corners);
        figures(pairs.map(|(&a, &b)| {
            let a = value_at(&ours.part.geometry, set, a as usize);
            most(a, value_at(&theirs.part.geometry, other, b as usize))
        }))
    });
    PartDifference { name: ours.part.traits.name.clone(), sets, max_distance: Some(max_distance) }
}

fn most(a: Rgba, b: Rgba) -> f32 {
    (0..4).map(|i| (a[i] - b[i]).abs()).fold(0.0, f32::max)
}

/// The largest and the mean, with the sum taken in runs of a fixed length.
fn figures(differences: impl IndexedParallelIterator<Item = f32>) -> (f32, f32) {
    let all: Vec<f32> = differences.collect();
    let most = all.iter().fold(0.0_f32, |most, &x| most.max(x));
    let sum: f64 = all.iter().map(|&x| f64::from(x)).sum();
    (most, (sum / all.len().max(1) as f64) as f32)
}

/// For every corner of a part, drawn a little into its face, the nearest place of another: the face,
/// where on it, and how far away in the project's space.
fn nearest(ours: &Part, theirs: &Part) -> Vec<Option<(u32, Vec3, f32)>> {
    let [own_to_project, to_project] =
        [ours, theirs].map(|part| part.traits.transform.to_project());
    let back = to_project.inverse();
    let points: Vec<Vec3> = drawn_in(ours.geometry.mesh())
        .into_par_iter()
        .map(|point| own_to_project.transform_point3(point))
        .collect();
    let there: Vec<Vec3> = points.par_iter().map(|&point| back.transform_point3(point)).collect();
    let triangulation = theirs.geometry.triangulation();
    let found = theirs.geometry.near().nearest_to_each(&there).into_par_iter().zip(points);
    let place = |(near, point): (Option<Near>, Vec3)| {
        let (triangle, on, _) = near?;
        let far = to_project.transform_point3(on).distance(point);
        Some((triangulation.face_of(triangle as usize) as u32, on, far))
    };
    found.map(place).collect()
}

/// Every corner of each part against the nearest place of the other; colors by those of the first.
fn by_place(ours: &Part, theirs: &Part, whole: bool) -> PartDifference {
    let row = Row::new(ours, false);
    let there = theirs.geometry.mesh();
    let found = nearest(ours, theirs);
    let farthest = |found: &[Option<(u32, Vec3, f32)>]| {
        found.iter().flatten().map(|(.., far)| *far).fold(0.0, f32::max)
    };
    // What only the other side has is no nearer to anything than it is: but a part that others were
    // joined into has theirs as well.
    let back = if whole { farthest(&nearest(theirs, ours)) } else { 0.0 };
    let max_distance = farthest(&found).max(back);
    let value_on = |set: &ColorSet, face: u32, on: Vec3| -> Rgba {
        // The nearest corner's: exact where colors are flat, close where they blend.
        let corners = there.face_corners(face as usize);
        let away = |c: &usize| there.corner_position(*c).distance_squared(on);
        let corner = corners.min_by(|a, b| away(a).total_cmp(&away(b))).unwrap_or_default();
        value_at(&theirs.geometry, set, corner)
    };
    let sets = sets_of(ours, theirs, whole, |set, other| {
        let pairs = row.corners.par_iter().zip(&found);
        figures(pairs.map(|(&corner, found)| {
            let own = value_at(&ours.geometry, set, corner as usize);
            found.map_or(1.0, |(face, on, _)| most(own, value_on(other, face, on)))
        }))
    });
    PartDifference { name: ours.traits.name.clone(), sets, max_distance: Some(max_distance) }
}
