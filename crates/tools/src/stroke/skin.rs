//! The *skin* footprint: the connected, visible surface under a circle as seen.
//!
//! From the face under the pointer the dab spreads over every edge that the circle meets, as long
//! as the faces look the same way; what lies behind, beside a gap, or is hidden by something in
//! front stays. A brush may go *through* to what is hidden or looks away, and take in what lies
//! *apart* from the surface under the pointer.

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::{
    Geometry, Placement,
    body::{Placed, Surface},
    placement::point_of,
    scene::{Scene, SightLines},
};

use super::{
    View,
    circle::Circle,
    elements::{DabElement, DabPlace, Elements, ReachRules},
};

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
    way: ReachRules,
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

impl Skin {
    /// A footprint among `count` elements of a part that stands somewhere, seen in a scene.
    #[must_use]
    pub fn new(
        way: ReachRules,
        geometry: &Geometry,
        count: usize,
        placed: &Placed,
        scene: &Scene,
    ) -> Self {
        Self {
            way,
            view: scene.view,
            view_in_part: placed.view_in_part(&scene.view),
            face_seen: vec![0; geometry.mesh().face_count()],
            sight: vec![Sight::Unknown; count],
            dab: 0,
            open: Vec::new(),
            around: Vec::new(),
        }
    }

    /// Looks from somewhere else: what can be seen has to be found out anew.
    pub fn look_at(&mut self, placed: &Placed, scene: &Scene) {
        self.view = scene.view;
        self.view_in_part = placed.view_in_part(&scene.view);
        self.sight.fill(Sight::Unknown);
    }

    /// Goes on on a surface that is where it was, of which some faces have changed or come.
    pub fn follow(&mut self, surface: &Surface, changed: &[u32]) {
        let Surface { body, placement } = surface;
        let mesh = body.geometry.mesh();
        self.face_seen.resize(mesh.face_count(), 0);
        self.sight.resize(placement.count(mesh), Sight::Unknown);
        // A vertex is where it was; where a face or a corner is looked at has moved with the face.
        for &face in changed {
            match placement {
                Placement::Vertex => {}
                Placement::Corner => {
                    self.sight[mesh.face_corners(face as usize)].fill(Sight::Unknown)
                }
                Placement::Face => self.sight[face as usize] = Sight::Unknown,
            }
        }
    }

    /// Covers what a dab covers, with the distance as seen.
    pub fn cover(
        &mut self,
        elements: &mut Elements,
        geometry: &Geometry,
        scene: &Scene,
        touch: &DabPlace,
        radius: f32,
    ) {
        self.dab += 1;
        let middle = touch.middle;
        let circle = Circle::new(self.view, middle, radius);
        // The side the pointer met counts as the outside, so an open shell paints within as well.
        let side = touch.face.map_or(-1.0, |face| {
            let sight = self.view_in_part.sight(elements.placed.to_part(middle));
            geometry.face_normals()[face as usize].dot(sight).signum()
        });
        match touch.face {
            _ if self.way.apart => self.gather_all(elements, geometry, &circle, touch, side),
            Some(face) => self.gather_connected(elements, geometry, &circle, face, side),
            None => {}
        }
        if !self.way.through {
            self.drop_hidden(elements, geometry, scene);
        }
    }

    /// Whether a face looks the way the touched one does; `at` is a point on it, in the part.
    fn looks_alike(&self, normal: Vec3, at: Vec3, side: f32) -> bool {
        // A face without area hangs between its neighbours and lets the dab pass.
        self.way.through
            || normal == Vec3::ZERO
            || normal.dot(self.view_in_part.sight(at)) * side > 0.0
    }

    fn gather_connected(
        &mut self,
        elements: &mut Elements,
        geometry: &Geometry,
        circle: &Circle,
        start: u32,
        side: f32,
    ) {
        let (mesh, topology, normals) =
            (geometry.mesh(), geometry.topology(), geometry.face_normals());
        let placed = elements.placed;
        self.face_seen[start as usize] = self.dab;
        // First come, first served: a face's data are long on their way when its turn comes.
        self.open.clear();
        self.open.push(start);
        let mut next = 0;
        while let Some(&face) = self.open.get(next) {
            next += 1;
            let corners = mesh.face_corners(face as usize);
            self.around.clear();
            let seen = |corner| circle.seen(placed.to_project(mesh.corner_position(corner)));
            self.around.extend(corners.clone().map(seen));
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
                        let at = mesh.corner_position(other);
                        if self.looks_alike(normals[neighbour], at, side) {
                            self.open.push(neighbour as u32);
                        }
                    }
                    other = topology.across(other);
                }
            }
        }
        // In the order they are stored, everything after this goes through memory one way: looking,
        // laying on, and what is told of corners and faces needs no sorting any more.
        self.open.sort_unstable();
        elements.gather_faces(mesh, &self.open, Some(start), |point| circle.inside(point));
    }

    /// Everything in the circle, wherever it hangs together.
    fn gather_all(
        &mut self,
        elements: &mut Elements,
        geometry: &Geometry,
        circle: &Circle,
        touch: &DabPlace,
        side: f32,
    ) {
        let (mesh, normals) = (geometry.mesh(), geometry.face_normals());
        let placed = elements.placed;
        let may_meet = |center: Vec3, around: f32| {
            circle.may_meet(placed.to_project(center), placed.longest_in_project(around))
        };
        geometry.bvh().visit_where(may_meet, |face| {
            let at = mesh.corner_position(mesh.face_corners(face as usize).start);
            if std::mem::replace(&mut self.face_seen[face as usize], self.dab) != self.dab
                && self.looks_alike(normals[face as usize], at, side)
            {
                elements.gather(mesh, face as usize, touch.face, |point| circle.inside(point));
            }
        });
    }

    /// Takes out what something in front hides.
    fn drop_hidden(&mut self, elements: &mut Elements, geometry: &Geometry, scene: &Scene) {
        let unknown: Vec<u32> = elements
            .covered
            .iter()
            .map(|covered| covered.element)
            .filter(|&element| self.sight[element as usize] == Sight::Unknown)
            .collect();
        if !unknown.is_empty() {
            let sights = SightLines::new(geometry, &elements.placed, scene);
            let placement = elements.placement();
            let (mesh, topology) = (geometry.mesh(), geometry.topology());
            let is_clear = |&element: &u32| {
                sights.is_clear(point_of(mesh, topology, placement, element as usize))
            };
            let clear = unknown.par_iter().with_min_len(LEAST_SHARE).map(is_clear);
            let clear: Vec<bool> = clear.collect();
            for (&element, clear) in unknown.iter().zip(clear) {
                self.sight[element as usize] = if clear { Sight::Clear } else { Sight::Hidden };
            }
        }
        let clear = |covered: &DabElement| self.sight[covered.element as usize] == Sight::Clear;
        elements.covered.retain(clear);
    }
}
