//! The *skin* footprint: the connected, visible surface under a circle as seen.
//!
//! From the face under the pointer the dab spreads over every edge that the circle meets, as long
//! as the faces look the same way; what lies behind, beside a gap, or is hidden by something in
//! front stays.

use glam::Vec3;
use rayon::prelude::*;

use super::View;
use crate::{
    color_set::Placement,
    geometry::{Geometry, bvh::Hit},
};

/// How far a corner's point is drawn towards its face's centroid.
const CORNER_INWARD: f32 = 0.25;

/// The first bit of the way to the eye, in edge lengths, that is not looked at: a point must not
/// be hidden by the rounding of its own faces.
const SIGHT_SKIP_EDGES: f32 = 0.05;

/// How much of the surface a step may cover before sight lines are shared out among threads.
const PARALLEL_FROM: usize = 256;

/// An element under the dab.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Covered {
    /// Vertex, corner or face, by the set's placement.
    pub element: u32,
    /// Distance from the middle as seen, in radii: 0–1.
    pub distance: f32,
}

#[derive(Clone, Copy, PartialEq)]
enum Sight {
    Unknown,
    Clear,
    Hidden,
}

/// Finds covered elements; keeps what it learns for the next dab of the same stroke.
pub struct Skin {
    placement: Placement,
    view: View,
    radius: f32,
    /// The dab that saw each face last.
    face_seen: Vec<u32>,
    /// The dab that covered each element last.
    element_seen: Vec<u32>,
    /// Whether each element can be seen from where the user looks.
    sight: Vec<Sight>,
    dab: u32,
    open: Vec<u32>,
    covered: Vec<Covered>,
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

    fn meets_edge(&self, a: Vec3, b: Vec3) -> bool {
        let (Some(a), Some(b)) = (self.seen(a), self.seen(b)) else { return false };
        let along = b - a;
        let t = (-a.dot(along) / along.length_squared()).clamp(0.0, 1.0);
        let nearest = if t.is_finite() { a + along * t } else { a };
        nearest.length_squared() <= self.radius * self.radius
    }
}

impl Skin {
    /// A footprint of a radius, in the part's units, for elements of one placement.
    #[must_use]
    pub fn new(geometry: &Geometry, placement: Placement, view: View, radius: f32) -> Self {
        let elements = placement.count(geometry.mesh());
        Self {
            placement,
            view,
            radius,
            face_seen: vec![0; geometry.mesh().face_count()],
            element_seen: vec![0; elements],
            sight: vec![Sight::Unknown; elements],
            dab: 0,
            open: Vec::new(),
            covered: Vec::new(),
        }
    }

    /// The elements covered by a dab at a hit, each once, with their distance as seen.
    pub fn cover(&mut self, geometry: &Geometry, hit: &Hit) -> &[Covered] {
        self.dab += 1;
        self.covered.clear();
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let sight = self.view.sight(hit.point);
        let circle = Circle {
            view: self.view,
            middle: hit.point,
            depth: sight.dot(self.view.forward()),
            radius: self.radius,
        };
        // The side the pointer met counts as the outside, so an open shell paints within as well.
        let side = geometry.face_normals()[hit.face as usize].dot(sight).signum();

        self.face_seen[hit.face as usize] = self.dab;
        self.open.push(hit.face);
        while let Some(face) = self.open.pop() {
            self.gather(geometry, &circle, hit, face as usize);
            for corner in mesh.face_corners(face as usize) {
                let edge = topology.corners_of_edge(topology.edge_of(corner));
                // The way over an edge is only looked at where some neighbour is new.
                let is_new = |&c: &u32| self.face_seen[topology.face_of(c as usize)] != self.dab;
                if !edge.iter().any(is_new) {
                    continue;
                }
                let range = mesh.face_corners(face as usize);
                let next = if corner + 1 == range.end { range.start } else { corner + 1 };
                if !circle.meets_edge(mesh.corner_position(corner), mesh.corner_position(next)) {
                    continue;
                }
                for &other in edge {
                    let neighbour = topology.face_of(other as usize);
                    if self.face_seen[neighbour] == self.dab {
                        continue;
                    }
                    self.face_seen[neighbour] = self.dab;
                    let at = mesh.corner_position(other as usize);
                    let facing = geometry.face_normals()[neighbour].dot(self.view.sight(at));
                    // A face without area hangs between its neighbours and lets the dab pass.
                    if facing * side > 0.0 || geometry.face_normals()[neighbour] == Vec3::ZERO {
                        self.open.push(neighbour as u32);
                    }
                }
            }
        }
        self.drop_hidden(geometry);
        &self.covered
    }

    fn gather(&mut self, geometry: &Geometry, circle: &Circle, hit: &Hit, face: usize) {
        let mesh = geometry.mesh();
        match self.placement {
            Placement::Vertex => {
                for &vertex in mesh.face_vertices(face) {
                    self.consider(vertex, circle.inside(mesh.positions()[vertex as usize]));
                }
            }
            Placement::Corner => {
                let centroid = mesh.face_centroid(face);
                for corner in mesh.face_corners(face) {
                    let point = mesh.corner_position(corner).lerp(centroid, CORNER_INWARD);
                    self.consider(corner as u32, circle.inside(point));
                }
            }
            Placement::Face => {
                let under_pointer = (face == hit.face as usize).then_some(0.0);
                let inside = under_pointer.or_else(|| circle.inside(mesh.face_centroid(face)));
                self.consider(face as u32, inside);
            }
        }
    }

    fn consider(&mut self, element: u32, inside: Option<f32>) {
        let seen = &mut self.element_seen[element as usize];
        if let Some(distance) = inside.filter(|_| *seen != self.dab) {
            *seen = self.dab;
            self.covered.push(Covered { element, distance });
        }
    }

    /// Takes out what something in front hides.
    fn drop_hidden(&mut self, geometry: &Geometry) {
        let unknown: Vec<u32> = self
            .covered
            .iter()
            .map(|covered| covered.element)
            .filter(|&element| self.sight[element as usize] == Sight::Unknown)
            .collect();
        let look = |&element: &u32| {
            let point = self.point_of(geometry, element as usize);
            let eye = match self.view {
                View::Perspective { eye, .. } => eye,
                View::Parallel { forward } => {
                    point - forward * (2.0 * geometry.measures().diagonal())
                }
            };
            let skip = SIGHT_SKIP_EDGES * geometry.measures().median_edge / point.distance(eye);
            if geometry.bvh().is_clear(point, eye, skip.clamp(1e-6, 1e-3)) {
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
        self.covered.retain(|covered| self.sight[covered.element as usize] == Sight::Clear);
    }

    fn point_of(&self, geometry: &Geometry, element: usize) -> Vec3 {
        let mesh = geometry.mesh();
        match self.placement {
            Placement::Vertex => mesh.positions()[element],
            Placement::Face => mesh.face_centroid(element),
            Placement::Corner => {
                let face = geometry.topology().face_of(element);
                mesh.corner_position(element).lerp(mesh.face_centroid(face), CORNER_INWARD)
            }
        }
    }
}
