//! The elements that a dab is laid on, and how it reaches them.

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::{
    Mesh, Placement,
    body::{Body, Placed, Surface},
    placement::CORNER_INWARD,
};

use super::{Brush, Reach};

/// The fewest faces worth giving to another core.
const LEAST_SHARE: usize = 256;

/// An element under the dab.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DabElement {
    /// Vertex, corner or face, by the set's placement.
    pub element: u32,
    /// Distance from the middle, in radii: 0–1; as seen, or in space for the deep reach.
    pub distance: f32,
}

/// The elements of one set, and which of them the dab under way has met.
pub struct Elements {
    placement: Placement,
    pub(super) placed: Placed,
    /// The dab that covered each element last.
    seen: Vec<u32>,
    dab: u32,
    pub(super) covered: Vec<DabElement>,
}

impl Elements {
    /// Those of a placement on a part that stands somewhere, none of them met.
    pub(super) fn new(surface: &Surface) -> Self {
        let Surface { body: Body { geometry, placed }, placement } = surface;
        let seen = vec![0; placement.count(geometry.mesh())];
        Self { placement: *placement, placed: *placed, seen, dab: 0, covered: Vec::new() }
    }

    /// The same of a surface on which others have come.
    pub(super) fn follow(&mut self, surface: &Surface) {
        self.seen.resize(surface.placement.count(surface.body.geometry.mesh()), 0);
    }

    /// Begins the next dab, which has met none of them.
    pub(super) fn begin_dab(&mut self) {
        self.dab += 1;
        self.covered.clear();
    }

    pub(super) fn count(&self) -> usize {
        self.seen.len()
    }

    /// Considers the elements of a face. `inside` gives, for a point of the project's space, its
    /// distance from the middle in radii.
    pub(super) fn gather(
        &mut self,
        mesh: &Mesh,
        face: usize,
        face_under_pointer: Option<u32>,
        inside: impl Fn(Vec3) -> Option<f32>,
    ) {
        let placed = self.placed;
        match self.placement {
            Placement::Vertex => {
                for &vertex in mesh.face_vertices(face) {
                    let point = mesh.positions()[vertex as usize];
                    self.consider(vertex, || inside(placed.to_project(point)));
                }
            }
            Placement::Corner => {
                let centroid = mesh.face_centroid(face);
                for corner in mesh.face_corners(face) {
                    let point = mesh.corner_position(corner).lerp(centroid, CORNER_INWARD);
                    self.consider(corner as u32, || inside(placed.to_project(point)));
                }
            }
            Placement::Face => self.consider(face as u32, || {
                let under_pointer = (Some(face as u32) == face_under_pointer).then_some(0.0);
                under_pointer.or_else(|| inside(placed.to_project(mesh.face_centroid(face))))
            }),
        }
    }

    /// Considers the elements of many faces, each of which comes once: those that no other face
    /// has are looked at by all cores.
    pub(super) fn gather_faces(
        &mut self,
        mesh: &Mesh,
        faces: &[u32],
        face_under_pointer: Option<u32>,
        inside: impl Fn(Vec3) -> Option<f32> + Sync,
    ) {
        let placed = self.placed;
        let of_corners = |&face: &u32| {
            let centroid = mesh.face_centroid(face as usize);
            let inside = &inside;
            mesh.face_corners(face as usize).filter_map(move |corner| {
                let point = mesh.corner_position(corner).lerp(centroid, CORNER_INWARD);
                let distance = inside(placed.to_project(point))?;
                Some(DabElement { element: corner as u32, distance })
            })
        };
        let of_face = |&face: &u32| {
            let under_pointer = (Some(face) == face_under_pointer).then_some(0.0);
            let middle = || placed.to_project(mesh.face_centroid(face as usize));
            let distance = under_pointer.or_else(|| inside(middle()))?;
            Some(DabElement { element: face, distance })
        };
        match self.placement {
            Placement::Vertex => {
                for &face in faces {
                    self.gather(mesh, face as usize, face_under_pointer, &inside);
                }
            }
            Placement::Corner => {
                let shared = faces.par_iter().with_min_len(LEAST_SHARE);
                self.covered.par_extend(shared.flat_map_iter(of_corners));
            }
            Placement::Face => {
                let shared = faces.par_iter().with_min_len(LEAST_SHARE);
                self.covered.par_extend(shared.filter_map(of_face));
            }
        }
    }

    pub(super) fn consider(&mut self, element: u32, inside: impl FnOnce() -> Option<f32>) {
        let seen = &mut self.seen[element as usize];
        if *seen == self.dab {
            return;
        }
        *seen = self.dab;
        if let Some(distance) = inside() {
            self.covered.push(DabElement { element, distance });
        }
    }

    /// What carries a value of its own.
    pub(super) fn placement(&self) -> Placement {
        self.placement
    }
}

/// How a footprint is found, whatever its size.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ReachRules {
    /// What a dab covers.
    pub reach: Reach,
    /// Whether the skin reach goes through to what is hidden or looks away.
    pub through: bool,
    /// Whether it takes in what is not connected.
    pub apart: bool,
}

impl From<Reach> for ReachRules {
    fn from(reach: Reach) -> Self {
        Self { reach, through: false, apart: false }
    }
}

impl From<&Brush> for ReachRules {
    fn from(brush: &Brush) -> Self {
        let is_skin = brush.reach == Reach::Skin;
        Self {
            reach: brush.reach,
            through: is_skin && brush.through,
            apart: is_skin && brush.apart,
        }
    }
}

/// Where a dab is laid.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DabPlace {
    /// Its middle, in the project's space.
    pub middle: Vec3,
    /// The face under the pointer; none when that is another part's.
    pub face: Option<u32>,
}
