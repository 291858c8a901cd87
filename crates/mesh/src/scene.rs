//! What is looked at, and what stands in the way.

use std::{ops::ControlFlow, sync::Arc};

use glam::{Affine3A, Vec3};

use crate::{
    body::{Body, Placed},
    geometry::{
        Geometry,
        bvh::{Bvh, Hit},
    },
    sight::{Cutaway, View},
};

/// Parts that are seen, under one tree: what looks along a line need not ask each of them.
pub struct Stage {
    bodies: Vec<Body>,
    /// Over their boxes in the project's space, from the least to the greatest corner.
    tree: Bvh,
    /// The middle of them all, and how far it is from there to the furthest corner of a box.
    about: (Vec3, f32),
}

impl Stage {
    /// Puts parts up.
    #[must_use]
    pub fn new(bodies: Vec<Body>) -> Self {
        let boxes: Vec<[Vec3; 2]> = bodies.iter().map(Body::bounds).collect();
        let none = [Vec3::INFINITY, Vec3::NEG_INFINITY];
        let join = |[low, high]: [Vec3; 2], own: &[Vec3; 2]| [low.min(own[0]), high.max(own[1])];
        let [low, high] = boxes.iter().fold(none, join);
        let about = match bodies.is_empty() {
            true => (Vec3::ZERO, 0.0),
            false => (low.midpoint(high), low.distance(high) / 2.0),
        };
        Self { tree: Bvh::over_segments(&boxes), bodies, about }
    }

    /// The parts, as they were put up.
    #[must_use]
    #[inline]
    pub fn bodies(&self) -> &[Body] {
        &self.bodies
    }
}

/// What may hide a part: all that is on a stage, without itself.
#[derive(Clone)]
pub struct Others {
    stage: Arc<Stage>,
    own: Option<usize>,
}

impl Others {
    /// All on a stage but one, if that is on it.
    #[must_use]
    #[inline]
    pub fn on(stage: Arc<Stage>, own: Option<usize>) -> Self {
        Self { stage, own }
    }

    /// None at all.
    #[must_use]
    #[inline]
    pub fn none() -> Self {
        Self::on(Arc::new(Stage::new(Vec::new())), None)
    }

    fn is_empty(&self) -> bool {
        self.stage.bodies.len() == usize::from(self.own.is_some())
    }

    /// Whether one of them, whose box is met on the first bit of a line (in multiples of the
    /// direction), is such.
    fn any_along(
        &self,
        origin: Vec3,
        direction: Vec3,
        within: f32,
        is_such: impl Fn(&Body) -> bool,
    ) -> bool {
        let met = |index: u32| match &self.stage.bodies[index as usize] {
            body if Some(index as usize) != self.own && is_such(body) => ControlFlow::Break(()),
            _ => ControlFlow::Continue(()),
        };
        !self.is_empty() && self.stage.tree.visit_along(origin, direction, within, met).is_break()
    }
}

impl PartialEq for Others {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.stage, &other.stage) && self.own == other.own
    }
}

/// Where the user looks from, and what may hide what is painted on.
#[derive(Clone, PartialEq)]
pub struct Scene {
    /// Where the user looks from.
    pub view: View,
    /// The plane that hides what is in front of it.
    pub cutaway: Option<Cutaway>,
    /// The other parts that are seen.
    pub others: Others,
}

impl Scene {
    /// One with nothing in the way.
    #[must_use]
    #[inline]
    pub fn open(view: View) -> Self {
        Self { view, cutaway: None, others: Others::none() }
    }

    /// The same in a mirror. What stands in the way stays where it is.
    #[must_use]
    #[inline]
    pub fn mirrored(&self, image: &Affine3A) -> Self {
        let direction = |v: Vec3| image.transform_vector3(v).normalize_or(v);
        let view = match self.view {
            View::Perspective { eye, forward } => {
                View::Perspective { eye: image.transform_point3(eye), forward: direction(forward) }
            }
            View::Parallel { forward } => View::Parallel { forward: direction(forward) },
        };
        let cutaway = self.cutaway.map(|cutaway| cutaway.mirrored(image));
        Self { view, cutaway, others: self.others.clone() }
    }

    /// Where a line of sight (the project's space) meets a body, beyond what the cutaway hides;
    /// with the distance in multiples of the direction.
    #[must_use]
    #[inline]
    pub fn cast(&self, body: &Body, origin: Vec3, direction: Vec3) -> Option<(Hit, f32)> {
        let (from, to) = match &self.cutaway {
            None => (0.0, f32::INFINITY),
            Some(cutaway) => cutaway.seen_of(origin, direction)?,
        };
        let start = if from > 0.0 { origin + direction * from } else { origin };
        let hit = body.placed.cast(&body.geometry, start, direction)?;
        let distance = from + hit.distance;
        (distance <= to).then_some((hit, distance))
    }

    /// Whether another part is met before a distance (multiples of the direction).
    #[must_use]
    #[inline]
    pub fn is_behind_others(&self, origin: Vec3, direction: Vec3, distance: f32) -> bool {
        // Parts that touch must not hide each other by a rounding.
        let nearer = distance * (1.0 - 1e-5);
        self.others.any_along(origin, direction, nearer, |body| {
            self.cast(body, origin, direction).is_some_and(|(_, at)| at < nearer)
        })
    }

    /// The end of the sight line from a point (the project's space) to the eye, or to where the
    /// cutaway ends; `None` when the point itself is hidden by it.
    #[must_use]
    #[inline]
    pub fn sight_end(&self, point: Vec3, eye: Vec3) -> Option<Vec3> {
        let Some(cutaway) = &self.cutaway else { return Some(eye) };
        let (_, to) = cutaway.seen_of(point, eye - point)?;
        if cutaway.depth(point) > 0.0 {
            return None;
        }
        Some(if to < 1.0 { point + (eye - point) * to } else { eye })
    }

    /// Whether no other part lies on the segment between two points of the project's space, its
    /// first bit left out.
    #[must_use]
    #[inline]
    pub fn is_clear_of_others(&self, from: Vec3, to: Vec3, skip: f32) -> bool {
        !self.others.any_along(from, to - from, 1.0, |body| {
            let [from, to] = [from, to].map(|p| body.placed.to_part(p));
            !body.geometry.bvh().is_clear(from, to, skip)
        })
    }
}

/// The first bit of the way to the eye, in edge lengths, that is not looked at: a point must not
/// be hidden by the rounding of its own faces.
const SIGHT_SKIP_EDGES: f32 = 0.05;

/// Sight lines from points of a part. Made before work is shared out among cores: a task that
/// waits for what is computed by sharing out may wait for itself.
pub struct SightLines<'a> {
    bvh: &'a Bvh,
    placed: Placed,
    scene: &'a Scene,
    /// From the part's space, when only the part itself can be in the way.
    alone: Option<View>,
    /// How far away everything is passed, in the part's space if it is alone, else in the project's.
    away: f32,
    /// Likewise, how much of the way is not looked at.
    skip: f32,
}

impl<'a> SightLines<'a> {
    /// Sight lines from a part that stands somewhere.
    #[must_use]
    pub fn new(geometry: &'a Geometry, placed: &Placed, scene: &'a Scene) -> Self {
        let extent = geometry.extent();
        let is_alone = scene.others.is_empty() && scene.cutaway.is_none();
        let (mut away, mut skip) = (2.0 * extent.diagonal(), SIGHT_SKIP_EDGES * extent.median_edge);
        if !is_alone {
            (away, skip) = (placed.longest_in_project(away), placed.longest_in_project(skip));
            let center = placed.to_project(extent.center());
            let (middle, around) = scene.others.stage.about;
            away = away.max(2.0 * (center.distance(middle) + around));
        }
        Self {
            bvh: geometry.bvh(),
            placed: *placed,
            scene,
            alone: is_alone.then(|| placed.view_in_part(&scene.view)),
            away,
            skip,
        }
    }

    /// Whether nothing lies between a point of the surface (the part's space) and the eye.
    #[must_use]
    #[inline]
    pub fn is_clear(&self, point: Vec3) -> bool {
        let end = |from: Vec3, view: &View| match *view {
            View::Perspective { eye, .. } => eye,
            View::Parallel { forward } => from - forward * self.away,
        };
        let skip = |from: Vec3, to: Vec3| (self.skip / from.distance(to)).clamp(1e-6, 1e-3);
        if let Some(view) = &self.alone {
            let eye = end(point, view);
            return self.bvh.is_clear(point, eye, skip(point, eye));
        }
        let from = self.placed.to_project(point);
        let Some(to) = self.scene.sight_end(from, end(from, &self.scene.view)) else {
            return false;
        };
        let skip = skip(from, to);
        self.bvh.is_clear(point, self.placed.to_part(to), skip)
            && self.scene.is_clear_of_others(from, to, skip)
    }
}
