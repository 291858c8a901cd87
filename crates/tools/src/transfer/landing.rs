//! What of a source lands on the area that each element of the target stands for.
//!
//! Every vertex, corner or face of the source stands for some of its surface. Brought to the nearest
//! place on the target, it counts there by the hats of the triangle's corners: 1 at a corner, falling
//! to 0 at the other two. An element takes the mean of what counts for it, each by its area, as far as
//! several do; a single one says nothing that the place itself does not.

use std::sync::{Arc, OnceLock};

use glam::{Vec3, Vec4};
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_color::{Encoding, Rgba};
use speckle_mesh::{Placement, geometry::fans::Fans};

use super::{
    Along, Met, SourceSet,
    ground::{Facing, Found},
    search::Search,
    votes::for_each_four,
};
use crate::on_surface::{DRAWN_IN, middles};

/// What of a source lands where.
pub(super) struct Landing<'a> {
    search: &'a Search<'a>,
    /// Of vertices, corners and faces of the source, on fans, corners and faces of the target.
    lists: [[OnceLock<Lists>; 3]; 3],
}

/// What things land on.
#[derive(Clone, Copy)]
enum On<'a> {
    /// All corners at a point that look the same way.
    Fans(&'a Fans),
    /// Each corner by itself: the source may have an edge there.
    Corners,
    Faces,
}

/// What each of some places gets: elements of the source with weights.
#[derive(Default)]
struct Lists {
    starts: Vec<u32>,
    entries: Vec<(u32, f32)>,
}

impl Lists {
    /// Sorted by place; what comes to one keeps its order.
    fn new(count: usize, landed: &[Landed]) -> Self {
        let mut starts = vec![0_u32; count + 1];
        landed.iter().for_each(|one| starts[one.place as usize + 1] += 1);
        (0..count).for_each(|i| starts[i + 1] += starts[i]);
        let mut next = starts.clone();
        let mut entries = vec![(0, 0.0); landed.len()];
        for &Landed { place, element, weight } in landed {
            entries[next[place as usize] as usize] = (element, weight);
            next[place as usize] += 1;
        }
        Self { starts, entries }
    }

    fn of(&self, place: usize) -> &[(u32, f32)] {
        &self.entries[self.starts[place] as usize..self.starts[place + 1] as usize]
    }
}

struct Landed {
    place: u32,
    element: u32,
    weight: f32,
}

/// What an element of the target gets.
struct Mean {
    sum: Vec4,
    weight: f32,
    /// How many count, each as much as it weighs: (Σ w)² / Σ w² (Kish, Survey Sampling, 1965).
    count: f32,
    same: Option<Rgba>,
}

/// From how many on a mean counts at all, and from how many on alone.
const SOME: f32 = 2.0;
const MANY: f32 = 6.0;

/// As many times the faces' corners are as their vertices, about.
const CORNERS: f32 = 4.0;

/// How much the mean of so many elements of a source counts, beside what lies at the place itself.
pub(super) fn share_of_mean(count: f32, of: Placement) -> f32 {
    let times = if of == Placement::Corner { CORNERS } else { 1.0 };
    let x = ((count / times - SOME) / (MANY - SOME)).clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}

/// How much further off than the place that a triangle's corners found something may be to land on it,
/// and what it may bulge beside that, as a share of its size: what lies deeper is another sheet.
const TIMES: f32 = 2.0;
const BULGE: f32 = 0.12;

/// The least cosine between the way to what lands and the normal where it does: beyond the rim of a
/// sheet everything is nearest to the rim.
const UPRIGHT: f32 = 0.5;

/// A source is taken for finer than the target when it has so many triangles for one of the target's.
const FINER: f64 = 1.5;

/// The most places on the way across a triangle that are looked at along its normal.
const MOST_ACROSS: usize = 8;

type Places = SmallVec<[u32; 4]>;

impl<'a> Landing<'a> {
    pub(super) fn new(search: &'a Search<'a>) -> Self {
        Self { search, lists: Default::default() }
    }

    /// What a set of the source lands on, for a placement of the target.
    fn on(&self, of: Placement, placement: Placement) -> On<'_> {
        match (of, placement) {
            (_, Placement::Face) => On::Faces,
            (Placement::Corner | Placement::Face, Placement::Corner) => On::Corners,
            _ => On::Fans(self.search.fans()),
        }
    }

    /// Whether vertices take the mean of what lands there, for the most part, of a source whose values
    /// belong to a placement.
    pub(super) fn are_averaged(&self, placement: Placement) -> impl Fn(usize) -> bool + Sync + '_ {
        // Worked out before work is shared out: see `Geometry`.
        let is_one = self.search.is_one_mesh();
        let lists = (!is_one).then(|| self.lists(placement, self.on(placement, Placement::Vertex)));
        move |vertex| {
            let Some(lists) = lists.filter(|_| self.search.distance(vertex).is_some()) else {
                return false;
            };
            let fans = self.fans_at(vertex);
            let weights = fans.iter().flat_map(|&fan| lists.of(fan as usize)).map(|(_, w)| *w);
            let (sum, squares) = weights.fold((0.0, 0.0), |(s, q), w| (s + w, q + w * w));
            squares > 0.0 && share_of_mean(sum * sum / squares, placement) > 0.5
        }
    }

    /// The fans that a vertex's own corners lie in.
    fn fans_at(&self, vertex: usize) -> Places {
        let geometry = &self.search.target().geometry;
        let fans = self.search.fans();
        let mut places = Places::new();
        for corner in geometry.topology().own_corners(geometry.mesh(), vertex) {
            let fan = fans.of_corners[corner];
            if !places.contains(&fan) {
                places.push(fan);
            }
        }
        places
    }

    /// What each element of a placement of the target gets of a set of the source. Of swatches it is the
    /// one that it has most of: each is carried by itself, as a share.
    pub(super) fn values(&self, set: &SourceSet, placement: Placement) -> Vec<Option<Met>> {
        if set.encoding != Encoding::Swatch {
            return self.mixed(set, placement);
        }
        let mut most: Vec<(f32, Option<Met>)> = Vec::new();
        for_each_four(set.values.iter().copied(), |numbers| {
            let shares = set.values.iter().map(|&value| numbers.shares(value)).collect();
            let shares =
                SourceSet { encoding: Encoding::Data, values: Arc::new(shares), ..set.clone() };
            let found = self.mixed(&shares, placement);
            most.resize(found.len(), (-1.0, None));
            for (most, met) in most.iter_mut().zip(found) {
                let Some(met) = met else { continue };
                let shares = met.exact.unwrap_or(met.linear.to_array());
                if let Some((share, value)) = numbers.most(shares)
                    && share > most.0
                {
                    let linear = Vec4::from_array(value);
                    *most = (share, Some(Met { linear, exact: Some(value), ..met }));
                }
            }
        });
        most.into_iter().map(|(_, met)| met).collect()
    }

    fn mixed(&self, set: &SourceSet, placement: Placement) -> Vec<Option<Met>> {
        let has_edges = set.placement != Placement::Vertex;
        let found = self.search.of(placement, has_edges);
        let linear = set.linear();
        let lists = (!self.search.is_one_mesh())
            .then(|| self.lists(set.placement, self.on(set.placement, placement)));
        let source = &self.search.source().geometry;
        let triangles = source.triangulation().corners();
        // A corner that looks a little within its face means the source's corner where it is.
        let is_within = has_edges && placement == Placement::Corner;
        let alone = 1.0 - if is_within { 1.01 * DRAWN_IN } else { 1e-6 };
        let is_by_fan = lists.is_some() && !has_edges && placement == Placement::Corner;
        let fans = is_by_fan.then(|| self.search.fans());
        let at = |element: usize| {
            let place = found.at(element)?;
            let distance = place.distance;
            let corners = triangles[place.triangle as usize];
            let elements = corners.map(|c| source.element_at(set.placement, c as usize));
            let between = || -> Met {
                let values = elements.map(|e| set.values[e]);
                let alone = (0..3).find(|&i| place.weights[i] > alone);
                let is_flat = values[0] == values[1] && values[1] == values[2];
                let exact = alone.or(is_flat.then_some(0)).map(|i| values[i]);
                let parts = elements.iter().zip(place.weights).map(|(&e, w)| linear[e] * w);
                Met { linear: parts.sum(), exact, distance }
            };
            let Some(lists) = lists else { return Some(between()) };
            let places: Places = match (placement, fans) {
                (Placement::Vertex, _) => self.fans_at(element),
                (_, Some(fans)) => Places::from_slice(&[fans.of_corners[element]]),
                _ => Places::from_slice(&[element as u32]),
            };
            let entries = places.iter().flat_map(|&place| lists.of(place as usize));
            let Some(mean) = mean(entries, &linear, &set.values) else { return Some(between()) };
            let share = share_of_mean(mean.count, set.placement);
            let averaged = mean.sum / mean.weight;
            Some(match share {
                0.0 => between(),
                1.0 => Met { linear: averaged, exact: mean.same, distance },
                _ => {
                    let between = between();
                    let exact = between.exact.filter(|_| between.exact == mean.same);
                    Met { linear: between.linear.lerp(averaged, share), exact, distance }
                }
            })
        };
        let count = placement.count(self.search.target().geometry.mesh());
        (0..count).into_par_iter().with_min_len(256).map(at).collect()
    }

    fn lists(&self, of: Placement, on: On) -> &Lists {
        let mesh = self.search.target().geometry.mesh();
        let (nth, count) = match on {
            On::Fans(fans) => (0, fans.count()),
            On::Corners => (1, mesh.corner_count()),
            On::Faces => (2, mesh.face_count()),
        };
        self.lists[of as usize][nth].get_or_init(|| {
            self.search.target().make_ready(Along::Nearest);
            let landed = match self.search.along() {
                Along::Nearest => self.brought(of, on),
                Along::Normal | Along::Outermost => self.looked_at(of, on),
            };
            Lists::new(count, &landed)
        })
    }

    /// Every element of the source with the area it stands for, brought to the target.
    fn brought(&self, of: Placement, on: On) -> Vec<Landed> {
        let (target, source) = (self.search.target(), self.search.source());
        let (geometry, mesh) = (&source.geometry, source.geometry.mesh());
        let areas = (0..mesh.face_count()).into_par_iter().map(|face| mesh.face_area_vector(face));
        let areas: Vec<Vec3> = areas.collect();
        // What each vertex has of the faces that use it: which way they look, and how large they are.
        let mut around = Vec::new();
        if of == Placement::Vertex {
            around = vec![(Vec3::ZERO, 0.0); mesh.vertex_count()];
            // Each core goes through all faces, and adds up what belongs to its own stretch of vertices.
            let stretch = around.len().div_ceil(rayon::current_num_threads()).max(1);
            around.par_chunks_mut(stretch).enumerate().for_each(|(nth, around)| {
                for (face, &area) in areas.iter().enumerate() {
                    let vertices = mesh.face_vertices(face);
                    let share = area.length() / vertices.len() as f32;
                    for &vertex in vertices {
                        let own = (vertex as usize).wrapping_sub(nth * stretch);
                        if let Some((looks, whole)) = around.get_mut(own) {
                            *looks += area;
                            *whole += share;
                        }
                    }
                }
            });
        }
        let sample = |element: usize| -> (Vec3, Vec3, f32) {
            match of {
                Placement::Vertex => {
                    let (looks, whole) = around[element];
                    (mesh.positions()[element], looks.normalize_or_zero(), whole)
                }
                Placement::Corner => {
                    let face = geometry.topology().face_of(element);
                    let corners = mesh.face_corners(face).len() as f32;
                    // Into the middle of its share of a triangle, about.
                    let point = mesh.corner_position(element).lerp(mesh.face_centroid(face), IN);
                    (point, areas[face].normalize_or_zero(), areas[face].length() / corners)
                }
                Placement::Face => {
                    let area = areas[element];
                    (mesh.face_centroid(element), area.normalize_or_zero(), area.length())
                }
            }
        };
        let samples = (0..of.count(mesh)).into_par_iter().map(sample);
        let samples: Vec<_> = samples
            .map(|(at, looks, area)| (source.to_project(at), source.normal_to_project(looks), area))
            .collect();
        let points: Vec<Vec3> = samples.par_iter().map(|(point, ..)| *point).collect();
        let least = self.search.least();
        let found = target.near_each(&points, |i| Facing { normal: samples[i].1, least });
        let triangles = target.geometry.triangulation().corners();
        let land = |(element, ((found, _), (point, _, area))): (usize, _)| {
            let here = |found: &Found| area > 0.0 && self.is_here(point, found);
            let landed = Option::filter(found, here).map(|at: Found| {
                let corners = triangles[at.triangle as usize];
                self.hats(corners, at.weights, on, element as u32, area)
            });
            landed.unwrap_or_default()
        };
        let all = found.into_par_iter().zip(samples).enumerate().with_min_len(RUN);
        all.flat_map_iter(land).collect()
    }

    /// Whether something lies on the triangle of the target it is nearest to, and not beyond its rim or
    /// in a sheet below.
    fn is_here(&self, point: Vec3, found: &Found) -> bool {
        let target = self.search.target();
        if found.distance > self.search.within() {
            return false;
        }
        let mesh = target.geometry.mesh();
        let corners = target.geometry.triangulation().corners()[found.triangle as usize];
        let [a, b, c] = target.triangle(found.triangle);
        let across = (b - a).cross(c - a);
        let size = across.length().sqrt();
        let off =
            corners.map(|c| self.search.distance(mesh.corner_vertices()[c as usize] as usize));
        let off = off.into_iter().flatten().fold(0.0, f32::max);
        if found.distance > TIMES * off + BULGE * size {
            return false;
        }
        let on = a * found.weights[0] + b * found.weights[1] + c * found.weights[2];
        let away = point - on;
        away.length() <= 1e-3 * size
            || away.dot(across).abs() >= UPRIGHT * away.length() * across.length()
    }

    /// Places spread over every triangle of the target, each with what it sees of the source.
    fn looked_at(&self, of: Placement, on: On) -> Vec<Landed> {
        let (target, source) = (self.search.target(), self.search.source());
        let ratio = target.mean_area() / source.mean_area().max(f64::MIN_POSITIVE);
        if ratio < FINER {
            return Vec::new();
        }
        let across = (ratio.sqrt().ceil() as usize).clamp(2, MOST_ACROSS);
        let own = target.geometry.triangulation().corners();
        let theirs = source.geometry.triangulation().corners();
        let weights: Vec<[f32; 3]> = middles(across).collect();
        let landed = self.search.spread(across, |triangle, found| {
            let [a, b, c] = target.triangle(triangle as u32);
            let area = (b - a).cross(c - a).length() / (across * across) as f32;
            let mut landed = Vec::new();
            for (&weights, found) in weights.iter().zip(found) {
                let Some(found) = found else { continue };
                for (corner, weight) in
                    theirs[found.triangle as usize].into_iter().zip(found.weights)
                {
                    if weight > 0.0 {
                        let element = source.geometry.element_at(of, corner as usize) as u32;
                        landed.extend(self.hats(
                            own[triangle],
                            weights,
                            on,
                            element,
                            area * weight,
                        ));
                    }
                }
            }
            landed
        });
        landed.into_iter().flatten().collect()
    }

    /// What something counts for at the corners of a triangle, or for its face.
    fn hats(
        &self,
        corners: [u32; 3],
        weights: [f32; 3],
        on: On,
        element: u32,
        area: f32,
    ) -> SmallVec<[Landed; 3]> {
        if let On::Faces = on {
            let face = self.search.target().geometry.topology().face_of(corners[0] as usize);
            return SmallVec::from_iter([Landed { place: face as u32, element, weight: area }]);
        }
        let at = |(corner, weight): (u32, f32)| {
            let place = match on {
                On::Fans(fans) => fans.of_corners[corner as usize],
                On::Corners | On::Faces => corner,
            };
            Landed { place, element, weight: area * weight }
        };
        corners.into_iter().zip(weights).filter(|(_, weight)| *weight > 0.0).map(at).collect()
    }
}

/// How far the share of a face that a corner stands for lies within it.
const IN: f32 = 0.4;

/// How many elements one thread brings at least.
const RUN: usize = 1024;

fn mean<'a>(
    entries: impl Iterator<Item = &'a (u32, f32)>,
    linear: &[Vec4],
    values: &[Rgba],
) -> Option<Mean> {
    let (mut sum, mut weight, mut squares) = (Vec4::ZERO, 0.0_f32, 0.0_f32);
    let mut same: Option<Option<Rgba>> = None;
    for &(element, own) in entries {
        sum += linear[element as usize] * own;
        weight += own;
        squares += own * own;
        let value = values[element as usize];
        same = Some(same.map_or(Some(value), |same| same.filter(|same| *same == value)));
    }
    (squares > 0.0 && weight > 0.0).then(|| Mean {
        sum,
        weight,
        count: weight * weight / squares,
        same: same.flatten(),
    })
}
