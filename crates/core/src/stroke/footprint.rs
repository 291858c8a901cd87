//! What a dab covers, whichever way it reaches.

use std::sync::Arc;

use glam::{Affine3A, Mat3A, Vec3};

use super::{Reach, View, deep, skin::Skin};
use crate::{
    color_set::Placement,
    geometry::{Geometry, bvh::Hit},
    mesh::Mesh,
    transform::Transform,
};

/// How far a corner's point is drawn towards its face's centroid.
const CORNER_INWARD: f32 = 0.25;

/// An element under the dab.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Covered {
    /// Vertex, corner or face, by the set's placement.
    pub element: u32,
    /// Distance from the middle, in radii: 0–1; as seen, or in space for the deep reach.
    pub distance: f32,
}

/// The way between a part's space and the project's.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placed {
    to_project: Affine3A,
    to_part: Affine3A,
    /// Most parts stand where they were modelled: nothing has to be converted then.
    is_identity: bool,
}

impl Placed {
    /// A part that stands where the transform says.
    #[must_use]
    pub fn new(transform: &Transform) -> Self {
        let to_project = transform.to_project();
        let is_identity = *transform == Transform::IDENTITY;
        Self { to_project, to_part: to_project.inverse(), is_identity }
    }

    /// A point of the part, in the project's space.
    #[must_use]
    pub fn to_project(&self, point: Vec3) -> Vec3 {
        if self.is_identity { point } else { self.to_project.transform_point3(point) }
    }

    /// Where a line of sight of the project's space meets a part that stands here.
    #[must_use]
    pub fn cast(&self, geometry: &Geometry, origin: Vec3, direction: Vec3) -> Option<Hit> {
        let direction = self.to_part.transform_vector3(direction);
        geometry.bvh().cast(self.to_part.transform_point3(origin), direction)
    }

    /// The same view, from within the part's space.
    pub(super) fn view_in_part(&self, view: &View) -> View {
        let forward = self.to_part.transform_vector3(view.forward()).normalize();
        match *view {
            View::Perspective { eye, .. } => {
                View::Perspective { eye: self.to_part.transform_point3(eye), forward }
            }
            View::Parallel { .. } => View::Parallel { forward },
        }
    }

    /// The most a length of the part can be in the project's space, whatever its direction.
    pub(super) fn longest_in_project(&self, length: f32) -> f32 {
        let axes = self.to_project.matrix3;
        let squares = [axes.x_axis, axes.y_axis, axes.z_axis].map(|axis| axis.length_squared());
        length * squares.into_iter().fold(0.0, f32::max).sqrt()
    }

    /// The most a length of the project can be in the part's space, whatever its direction.
    pub(super) fn longest_in_part(&self, length: f32) -> f32 {
        let Mat3A { x_axis, y_axis, z_axis } = self.to_part.matrix3;
        // The Frobenius norm bounds the greatest stretch from above.
        let squares = x_axis.length_squared() + y_axis.length_squared() + z_axis.length_squared();
        let uniform = x_axis.length();
        let is_uniform =
            [y_axis, z_axis].iter().all(|a| (a.length() - uniform).abs() < 1e-5 * uniform)
                && x_axis.dot(y_axis).abs() + y_axis.dot(z_axis).abs() + z_axis.dot(x_axis).abs()
                    < 1e-5 * uniform * uniform;
        length * if is_uniform { uniform * 1.0001 } else { squares.sqrt() }
    }
}

/// What is painted on: the elements of a placement on a part that stands somewhere.
#[derive(Clone)]
pub struct Surface {
    /// The part's shape.
    pub geometry: Arc<Geometry>,
    /// Where it stands.
    pub placed: Placed,
    /// What carries a value of its own.
    pub placement: Placement,
}

impl PartialEq for Surface {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.geometry, &other.geometry)
            && (self.placed, self.placement) == (other.placed, other.placement)
    }
}

/// The elements of one set, and which of them the dab under way has met.
pub struct Elements {
    placement: Placement,
    pub(super) placed: Placed,
    /// The dab that covered each element last.
    seen: Vec<u32>,
    dab: u32,
    pub(super) covered: Vec<Covered>,
}

impl Elements {
    pub(super) fn count(&self) -> usize {
        self.seen.len()
    }

    /// Considers the elements of a face. `inside` gives, for a point of the project's space, its
    /// distance from the middle in radii.
    pub(super) fn gather(
        &mut self,
        mesh: &Mesh,
        face: usize,
        face_under_pointer: u32,
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
                let under_pointer = (face == face_under_pointer as usize).then_some(0.0);
                under_pointer.or_else(|| inside(placed.to_project(mesh.face_centroid(face))))
            }),
        }
    }

    fn consider(&mut self, element: u32, inside: impl FnOnce() -> Option<f32>) {
        let seen = &mut self.seen[element as usize];
        if *seen == self.dab {
            return;
        }
        *seen = self.dab;
        if let Some(distance) = inside() {
            self.covered.push(Covered { element, distance });
        }
    }

    /// The point of an element, in the part's space.
    pub(super) fn point_of(&self, geometry: &Geometry, element: usize) -> Vec3 {
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

/// Finds what each dab of a stroke covers.
pub struct Footprint {
    surface: Surface,
    view: View,
    elements: Elements,
    reach: Reach,
    /// What the skin reach knows.
    skin: Option<Skin>,
}

impl Footprint {
    /// A footprint on a surface, as seen from somewhere.
    #[must_use]
    pub fn new(reach: Reach, surface: Surface, view: View) -> Self {
        let Surface { geometry, placed, placement } = &surface;
        let (placed, placement) = (*placed, *placement);
        let seen = vec![0; placement.count(geometry.mesh())];
        let elements = Elements { placement, placed, seen, dab: 0, covered: Vec::new() };
        let skin = (reach == Reach::Skin).then(|| Skin::new(geometry, &elements, view));
        Self { surface, view, elements, reach, skin }
    }

    /// Whether it was made for this.
    #[must_use]
    pub fn is_for(&self, reach: Reach, surface: &Surface) -> bool {
        (self.reach, &self.surface) == (reach, surface)
    }

    /// Looks from somewhere; what was learned from elsewhere is forgotten.
    pub fn look_from(&mut self, view: View) {
        if self.view == view {
            return;
        }
        self.view = view;
        if let Some(skin) = &mut self.skin {
            skin.look_from(view, &self.surface.placed);
        }
    }

    /// What it is found on.
    #[must_use]
    pub fn surface(&self) -> &Surface {
        &self.surface
    }

    /// Where a line of sight of the project's space meets the surface, and how deep in the view.
    #[must_use]
    pub fn cast(&self, origin: Vec3, direction: Vec3) -> Option<(Hit, f32)> {
        let Surface { geometry, placed, .. } = &self.surface;
        let hit = placed.cast(geometry, origin, direction)?;
        let depth = self.view.depth(placed.to_project(hit.point));
        Some((hit, depth))
    }

    /// The elements covered by a dab of a radius (the project's unit) at a hit, each once.
    pub fn cover(&mut self, hit: &Hit, radius: f32) -> &[Covered] {
        self.elements.dab += 1;
        self.elements.covered.clear();
        let geometry = &self.surface.geometry;
        match &mut self.skin {
            Some(skin) => skin.cover(&mut self.elements, geometry, hit, radius),
            None if self.reach == Reach::Deep => {
                deep::cover(&mut self.elements, geometry, hit, radius);
            }
            None if self.reach == Reach::Facet => {
                self.elements.gather(geometry.mesh(), hit.face as usize, hit.face, |_| Some(0.0));
            }
            None => {
                let element =
                    self.surface.placement.nearest(geometry.mesh(), hit.face as usize, hit.point);
                self.elements.consider(element, || Some(0.0));
            }
        }
        &self.elements.covered
    }
}
