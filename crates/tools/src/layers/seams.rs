//! Where each layer begins, and so leaves a seam: where it is wanted, else where the part itself hides it,
//! else in a corner.
//!
//! Of every layer the largest outline is looked at, at places evenly along it and at its sharpest corners.
//! A place that is wanted goes before all others, one to be avoided after all others; among equals the one
//! nearest to where the layer below begins, so that seams lie over one another.

use glam::{Affine3A, DVec2, DVec3, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{
    Placement, Transform,
    body::{Body, Placed},
    slice::Outline,
};
use speckle_model::Part;

use super::Cut;
use crate::bake::{
    chosen::Chosen,
    occlusion::{Blockers, Casting, openness},
    samples::Samples,
    watch::{GivenUp, Watch},
};

/// Where seams are wanted, and where not: selections of the parts, by name.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default, deny_unknown_fields)]
pub struct SeamMarks {
    /// Where they are wanted.
    pub prefer: Option<String>,
    /// Where they are not.
    pub avoid: Option<String>,
}

/// Why a layer begins where it does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum SeamReason {
    /// It is wanted there.
    Wanted,
    /// The part itself hides it there.
    Hidden,
    /// A hollow corner.
    Hollow,
    /// A corner that stands out.
    Corner,
    /// Nothing but what lies nearest to the layer below.
    Nearest,
}

/// Where a layer begins.
#[derive(Clone, Debug, PartialEq)]
pub struct Seam {
    /// The layer, from 0; one without outlines has none.
    pub layer: usize,
    /// On the plate, mm.
    pub at: DVec3,
    /// Why there.
    pub reason: SeamReason,
    /// Whether that is where it was to be avoided: there is no other place.
    pub avoided: bool,
}

/// How many places of an outline are looked at, evenly, and how many corners.
const PLACES: usize = 48;
const CORNERS: usize = 8;

/// How many rays look out from each.
const RAYS: u32 = 24;

/// What is no more open than this is hidden.
const HIDDEN: f32 = 0.3;

/// Corners are sharp from this turn on, radians; and as good as the sharpest from this share of it.
const SHARP: f64 = 0.35;
const AS_SHARP: f64 = 0.8;

/// A place where a layer could begin.
struct Candidate {
    at: DVec2,
    /// How the outline turns there: above 0 to the inside, below 0 a hollow corner.
    turn: f64,
    /// How far the places are apart.
    apart: f64,
    is_wanted: bool,
    is_avoided: bool,
    /// From where rays look, in the part's space: a point and a normal.
    sight: (Vec3, Vec3),
    part: usize,
    open: f32,
}

impl Cut {
    /// Where each layer begins. `parts` are those that were cut, `to_plate` where each of them stands on the
    /// plate, in mm.
    ///
    /// # Errors
    /// When it is given up.
    pub fn seams(
        &self,
        parts: &[Part],
        to_plate: &[Affine3A],
        marks: &SeamMarks,
        watch: &Watch,
    ) -> Result<Vec<Seam>, GivenUp> {
        let marked = |name: &Option<String>| -> Vec<Option<Vec<f32>>> {
            let of = |part| {
                let name = name.as_deref()?;
                Some(Chosen::named(part, name)?.shares(Placement::Face))
            };
            parts.iter().map(of).collect()
        };
        let (wanted, avoided) = (marked(&marks.prefer), marked(&marks.avoid));
        let is_in = |marked: &[Option<Vec<f32>>], part: usize, face: u32| {
            marked[part].as_ref().is_some_and(|shares| shares[face as usize] >= 0.5)
        };
        let inward: Vec<Affine3A> = to_plate.iter().map(Affine3A::inverse).collect();
        let mut layers: Vec<Vec<Candidate>> = (0..self.len())
            .into_par_iter()
            .map(|layer| {
                let outlines = self.outlines.iter().enumerate();
                let all =
                    outlines.flat_map(|(part, cut)| cut[layer].iter().map(move |o| (part, o)));
                let largest = all.max_by(|(_, a), (_, b)| a.area().total_cmp(&b.area()));
                let Some((part, outline)) = largest else { return Vec::new() };
                let z = self.lowest + self.stack.middle(layer);
                let geometry = &parts[part].geometry;
                let candidate = |Place { at, look, turn, face }: Place| {
                    let point = inward[part].transform_point3(look.extend(z).as_vec3());
                    Candidate {
                        at,
                        turn,
                        apart: outline.length() / PLACES as f64,
                        is_wanted: is_in(&wanted, part, face),
                        is_avoided: is_in(&avoided, part, face),
                        sight: (point, geometry.face_normals()[face as usize]),
                        part,
                        open: 1.0,
                    }
                };
                places(&outline.points, &outline.faces).into_iter().map(candidate).collect()
            })
            .collect();
        watch.check()?;
        for (number, part) in parts.iter().enumerate() {
            let mut own: Vec<&mut Candidate> =
                layers.iter_mut().flatten().filter(|own| own.part == number).collect();
            let (points, normals) = own.iter().map(|own| own.sight).unzip();
            let placed = Placed::new(&Transform::IDENTITY);
            let body = Body { geometry: part.geometry.clone(), placed };
            let blockers = Blockers::new(&body, true, &[], None);
            let casting = Casting::plain(RAYS, blockers.hair(), 0);
            let open = openness(&Samples::at(points, normals), &blockers, &casting, watch)?;
            own.iter_mut().zip(open).for_each(|(own, open)| own.open = open);
        }
        let mut seams: Vec<Seam> = Vec::new();
        for (layer, candidates) in layers.iter().enumerate() {
            let last = seams.last().map(|seam| seam.at.truncate());
            let Some((best, reason)) = chosen(candidates, last) else { continue };
            let is_corner = matches!(reason, SeamReason::Hollow | SeamReason::Corner);
            // Right above the last one, where that is as good: else the seam would waver.
            let above = last.filter(|_| !is_corner).and_then(|last| {
                let cut = &self.outlines[best.part][layer];
                let (at, face) = nearest_on(cut, last)?;
                let is_as_good = is_in(&wanted, best.part, face) == best.is_wanted
                    && is_in(&avoided, best.part, face) == best.is_avoided;
                (is_as_good && at.distance(best.at) <= best.apart).then_some(at)
            });
            let at = above.unwrap_or(best.at).extend(self.lowest + self.stack.middle(layer));
            seams.push(Seam { layer, at, reason, avoided: best.is_avoided && !best.is_wanted });
        }
        Ok(seams)
    }
}

/// A place on an outline.
struct Place {
    at: DVec2,
    /// From where it is looked whether it is hidden: a little way along, since corners lie in two walls.
    look: DVec2,
    /// How the outline turns there, and on which face it goes on.
    turn: f64,
    face: u32,
}

/// Places evenly along an outline that closes, and its sharpest corners.
fn places(points: &[DVec2], faces: &[u32]) -> Vec<Place> {
    let count = points.len();
    if count < 3 || faces.is_empty() {
        return Vec::new();
    }
    let face = |i: usize| faces[i.min(faces.len() - 1)];
    let way = |i: usize| points[(i + 1) % count] - points[i];
    // Turns within a hundredth of the outline are one: fine meshes round their corners.
    let length: f64 = (0..count).map(|i| way(i).length()).sum();
    let reach = length / 100.0;
    let turn_at = |i: usize| {
        let far = |step: usize| {
            let (mut at, mut gone) = (i, 0.0);
            while gone < reach {
                let next = (at + step) % count;
                gone += points[at].distance(points[next]).max(length * 1e-9);
                at = next;
            }
            points[at]
        };
        let (before, after) = (points[i] - far(count - 1), far(1) - points[i]);
        before.perp_dot(after).atan2(before.dot(after))
    };
    let mut found = Vec::with_capacity(PLACES + CORNERS);
    let mut sharp: Vec<(f64, usize)> = (0..count).map(|i| (turn_at(i), i)).collect();
    sharp.sort_by(|a, b| b.0.abs().total_cmp(&a.0.abs()).then(a.1.cmp(&b.1)));
    // Hollow corners first: they hide a seam better.
    let hollow = sharp.iter().filter(|(turn, _)| *turn < -SHARP).take(CORNERS / 2);
    let others = sharp.iter().filter(|(turn, _)| *turn > SHARP).take(CORNERS / 2);
    let place = |i: usize, share: f64, turn: f64| Place {
        at: points[i] + way(i) * share,
        look: points[i] + way(i) * share.clamp(0.05, 0.95),
        turn,
        face: face(i),
    };
    found.extend(hollow.chain(others).map(|&(turn, i)| place(i, 0.0, turn)));
    let (mut along, mut next) = (0.0, 0);
    for i in 0..count {
        let step = way(i).length();
        while next < PLACES && next as f64 * length / PLACES as f64 <= along + step {
            let share =
                (next as f64 * length / PLACES as f64 - along) / step.max(f64::MIN_POSITIVE);
            found.push(place(i, share.clamp(0.0, 1.0), 0.0));
            next += 1;
        }
        along += step;
    }
    found
}

/// The point of outlines that is nearest to another, and the face that it lies on.
fn nearest_on(outlines: &[Outline], to: DVec2) -> Option<(DVec2, u32)> {
    let stretches = outlines.iter().flat_map(|outline| {
        let points = &outline.points;
        let count = points.len();
        (0..count.min(outline.faces.len()))
            .map(move |i| (points[i], points[(i + 1) % count], outline.faces[i]))
    });
    let nearest = stretches.map(|(from, end, face)| {
        let way = end - from;
        let along = (to - from).dot(way) / way.length_squared().max(f64::MIN_POSITIVE);
        (from + way * along.clamp(0.0, 1.0), face)
    });
    nearest.min_by(|(a, _), (b, _)| a.distance_squared(to).total_cmp(&b.distance_squared(to)))
}

/// Where a layer begins, and why.
fn chosen(candidates: &[Candidate], last: Option<DVec2>) -> Option<(&Candidate, SeamReason)> {
    let away = |own: &Candidate| last.map_or(0.0, |last| own.at.distance_squared(last));
    // Without a layer below, the least open one.
    let nearest = |which: &dyn Fn(&Candidate) -> bool| {
        candidates
            .iter()
            .filter(|own| which(own))
            .min_by(|a, b| away(a).total_cmp(&away(b)).then(a.open.total_cmp(&b.open)))
    };
    let nowhere_else = candidates.iter().all(|own| own.is_avoided);
    let is_free = |own: &Candidate| nowhere_else || !own.is_avoided;
    let sharpest = |sign: f64| {
        let free = candidates.iter().filter(|own| is_free(own));
        free.map(|own| sign * own.turn).fold(SHARP, f64::max)
    };
    let corner = |sign: f64| {
        let least = (AS_SHARP * sharpest(sign)).max(SHARP);
        nearest(&|own| is_free(own) && sign * own.turn >= least)
    };
    let ways: [(SeamReason, Option<&Candidate>); 5] = [
        (SeamReason::Wanted, nearest(&|own| own.is_wanted)),
        (SeamReason::Hidden, nearest(&|own| is_free(own) && own.open <= HIDDEN)),
        (SeamReason::Hollow, corner(-1.0)),
        (SeamReason::Corner, corner(1.0)),
        (SeamReason::Nearest, nearest(&is_free)),
    ];
    ways.into_iter().find_map(|(reason, found)| Some((found?, reason)))
}
