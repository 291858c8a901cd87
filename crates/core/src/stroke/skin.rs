//! The *skin* footprint: the connected, visible surface under a circle as seen.
//!
//! From the face under the pointer the dab spreads over every edge that the circle meets, as long
//! as the faces look the same way; what lies behind, beside a gap, or is hidden by something in
//! front stays.

use glam::Vec3;
use rayon::prelude::*;

use super::{
    View,
    footprint::{Covered, Elements},
};
use crate::geometry::{Geometry, bvh::Hit};

/// The first bit of the way to the eye, in edge lengths, that is not looked at: a point must not
/// be hidden by the rounding of its own faces.
const SIGHT_SKIP_EDGES: f32 = 0.05;

/// How much of the surface a step may cover before sight lines are shared out among threads.
const PARALLEL_FROM: usize = 256;

#[derive(Clone, Copy, PartialEq)]
enum Sight {
    Unknown,
    Clear,
    Hidden,
}

/// Finds covered elements; keeps what it learns for the next dab of the same stroke.
pub struct Skin {
    /// Where the user looks from, in the project's space: circles are drawn there.
    view: View,
    /// The same in the part's space, where sides and sight lines are looked at: which side of a
    /// face the eye is on, and what is in the way, is the same in both.
    view_in_part: View,
    /// The dab that saw each face last.
    face_seen: Vec<u32>,
    /// Whether each element can be seen from where the user looks.
    sight: Vec<Sight>,
    dab: u32,
    open: Vec<u32>,
}

/// The circle of one dab.
struct Circle {
    view: View,
    middle: Vec3,
    depth: f32,
    radius: f32,
}

impl Circle {
    /// Where a point is seen, relative to the middle, in the plane through the middle that faces
    /// the camera; `None` for what is behind the eye.
    fn seen(&self, point: Vec3) -> Option<Vec3> {
        match self.view {
            View::Perspective { eye, forward } => {
                let sight = point - eye;
                let depth = sight.dot(forward);
                (depth > 0.0).then(|| sight * (self.depth / depth) - (self.middle - eye))
            }
            View::Parallel { forward } => {
                let offset = point - self.middle;
                Some(offset - forward * offset.dot(forward))
            }
        }
    }

    /// Distance of a point from the middle as seen, in radii, when inside.
    fn inside(&self, point: Vec3) -> Option<f32> {
        let distance = self.seen(point)?.length() / self.radius;
        (distance <= 1.0).then_some(distance)
    }

    /// Whether an edge comes into the circle; most do so at their first end.
    fn meets_edge(&self, a: Vec3, b: impl FnOnce() -> Vec3) -> bool {
        let reach = self.radius * self.radius;
        let Some(a) = self.seen(a) else { return false };
        if a.length_squared() <= reach {
            return true;
        }
        let Some(b) = self.seen(b()) else { return false };
        let along = b - a;
        let t = (-a.dot(along) / along.length_squared()).clamp(0.0, 1.0);
        let nearest = if t.is_finite() { a + along * t } else { a };
        nearest.length_squared() <= reach
    }
}

impl Skin {
    /// A footprint as seen from somewhere.
    #[must_use]
    pub fn new(geometry: &Geometry, elements: &Elements, view: View) -> Self {
        Self {
            view,
            view_in_part: elements.placed.view_in_part(&view),
            face_seen: vec![0; geometry.mesh().face_count()],
            sight: vec![Sight::Unknown; elements.count()],
            dab: 0,
            open: Vec::new(),
        }
    }

    /// Covers what a dab at a hit covers, with the distance as seen.
    pub fn cover(&mut self, elements: &mut Elements, geometry: &Geometry, hit: &Hit, radius: f32) {
        self.dab += 1;
        let (mesh, topology, normals) =
            (geometry.mesh(), geometry.topology(), geometry.face_normals());
        let placed = elements.placed;
        let middle = placed.to_project(hit.point);
        let circle = Circle { view: self.view, middle, depth: self.view.depth(middle), radius };
        // The side the pointer met counts as the outside, so an open shell paints within as well.
        let sight = self.view_in_part.sight(hit.point);
        let side = normals[hit.face as usize].dot(sight).signum();

        self.face_seen[hit.face as usize] = self.dab;
        self.open.push(hit.face);
        while let Some(face) = self.open.pop() {
            elements.gather(mesh, face as usize, hit.face, |point| circle.inside(point));
            for corner in mesh.face_corners(face as usize) {
                let edge = topology.corners_of_edge(topology.edge_of(corner));
                // The way over an edge is only looked at where some neighbour is new.
                let is_new = |&c: &u32| self.face_seen[topology.face_of(c as usize)] != self.dab;
                if !edge.iter().any(is_new) {
                    continue;
                }
                let range = mesh.face_corners(face as usize);
                let next = if corner + 1 == range.end { range.start } else { corner + 1 };
                let at = |corner: usize| placed.to_project(mesh.corner_position(corner));
                if !circle.meets_edge(at(corner), || at(next)) {
                    continue;
                }
                for &other in edge {
                    let neighbour = topology.face_of(other as usize);
                    if self.face_seen[neighbour] == self.dab {
                        continue;
                    }
                    self.face_seen[neighbour] = self.dab;
                    let at = mesh.corner_position(other as usize);
                    let facing = normals[neighbour].dot(self.view_in_part.sight(at));
                    // A face without area hangs between its neighbours and lets the dab pass.
                    if facing * side > 0.0 || normals[neighbour] == Vec3::ZERO {
                        self.open.push(neighbour as u32);
                    }
                }
            }
        }
        self.drop_hidden(elements, geometry);
    }

    /// Takes out what something in front hides.
    fn drop_hidden(&mut self, elements: &mut Elements, geometry: &Geometry) {
        let unknown: Vec<u32> = elements
            .covered
            .iter()
            .map(|covered| covered.element)
            .filter(|&element| self.sight[element as usize] == Sight::Unknown)
            .collect();
        // Asked for here, since a shared-out task that waits for what is computed by sharing out
        // may wait for itself.
        let (bvh, measures) = (geometry.bvh(), geometry.measures());
        let look = |&element: &u32| {
            let point = elements.point_of(geometry, element as usize);
            let eye = match self.view_in_part {
                View::Perspective { eye, .. } => eye,
                View::Parallel { forward } => {
                    point - forward * (2.0 * measures.diagonal())
                }
            };
            let skip = SIGHT_SKIP_EDGES * measures.median_edge / point.distance(eye);
            if bvh.is_clear(point, eye, skip.clamp(1e-6, 1e-3)) {
                Sight::Clear
            } else {
                Sight::Hidden
            }
        };
        let sights: Vec<Sight> = if unknown.len() < PARALLEL_FROM {
            unknown.iter().map(look).collect()
        } else {
            unknown.par_iter().map(look).collect()
        };
        for (&element, sight) in unknown.iter().zip(sights) {
            self.sight[element as usize] = sight;
        }
        let clear = |covered: &Covered| self.sight[covered.element as usize] == Sight::Clear;
        elements.covered.retain(clear);
    }
}
