//! The *skin* footprint: the connected, visible surface under a circle as seen.
//!
//! From the face under the pointer the dab spreads over every edge that the circle meets, as long
//! as the faces look the same way; what lies behind, beside a gap, or is hidden by something in
//! front stays.

use glam::Vec3;
use rayon::prelude::*;

use super::{
    View,
    footprint::{Covered, Elements, Placed},
};
use crate::geometry::{Geometry, bvh::Hit};

/// The first bit of the way to the eye, in edge lengths, that is not looked at: a point must not
/// be hidden by the rounding of its own faces.
const SIGHT_SKIP_EDGES: f32 = 0.05;

/// The fewest sight lines worth giving to another core.
const LEAST_SHARE: usize = 128;

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
    /// The points of the face in hand, as seen.
    around: Vec<Option<Vec3>>,
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

    /// Whether an edge, of which both ends are given as seen, comes into the circle.
    fn meets_edge(&self, a: Option<Vec3>, b: Option<Vec3>) -> bool {
        let (Some(a), Some(b)) = (a, b) else { return false };
        let reach = self.radius * self.radius;
        if a.length_squared() <= reach || b.length_squared() <= reach {
            return true;
        }
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
            around: Vec::new(),
        }
    }

    /// Looks from somewhere else: what can be seen has to be found out anew.
    pub fn look_from(&mut self, view: View, placed: &Placed) {
        self.view = view;
        self.view_in_part = placed.view_in_part(&view);
        self.sight.fill(Sight::Unknown);
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
        // First come, first served: a face's data are long on their way when its turn comes.
        self.open.clear();
        self.open.push(hit.face);
        let mut next = 0;
        while let Some(&face) = self.open.get(next) {
            next += 1;
            let corners = mesh.face_corners(face as usize);
            self.around.clear();
            let seen = |corner| circle.seen(placed.to_project(mesh.corner_position(corner)));
            self.around.extend(corners.clone().map(seen));
            elements.gather(mesh, face as usize, hit.face, |point| circle.inside(point));
            for (i, corner) in corners.enumerate() {
                let end = self.around.get(i + 1).unwrap_or(&self.around[0]);
                if !circle.meets_edge(self.around[i], *end) {
                    continue;
                }
                let mut other = topology.across(corner);
                while other != corner {
                    let neighbour = topology.face_of(other);
                    if self.face_seen[neighbour] != self.dab {
                        self.face_seen[neighbour] = self.dab;
                        let sight = self.view_in_part.sight(mesh.corner_position(other));
                        // A face without area hangs between its neighbours and lets the dab pass.
                        let normal = normals[neighbour];
                        if normal.dot(sight) * side > 0.0 || normal == Vec3::ZERO {
                            self.open.push(neighbour as u32);
                        }
                    }
                    other = topology.across(other);
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
        let away = 2.0 * measures.diagonal();
        let is_clear = |&element: &u32| {
            let point = elements.point_of(geometry, element as usize);
            let eye = match self.view_in_part {
                View::Perspective { eye, .. } => eye,
                View::Parallel { forward } => point - forward * away,
            };
            let skip = SIGHT_SKIP_EDGES * measures.median_edge / point.distance(eye);
            bvh.is_clear(point, eye, skip.clamp(1e-6, 1e-3))
        };
        let clear: Vec<bool> = unknown.par_iter().with_min_len(LEAST_SHARE).map(is_clear).collect();
        for (&element, clear) in unknown.iter().zip(clear) {
            self.sight[element as usize] = if clear { Sight::Clear } else { Sight::Hidden };
        }
        let clear = |covered: &Covered| self.sight[covered.element as usize] == Sight::Clear;
        elements.covered.retain(clear);
    }
}
