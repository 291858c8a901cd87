//! What a dab covers, whichever way it reaches.

use glam::{Affine3A, Mat3A, Vec3};
use rayon::prelude::*;

use super::{Brush, Reach, View, deep, skin::Skin};
use crate::{
    color_set::Placement,
    geometry::{Geometry, bvh::Hit, topology::Topology},
    mesh::Mesh,
    scene::{Body, Scene},
    transform::Transform,
};

/// How far a corner's point is drawn towards its face's centroid.
const CORNER_INWARD: f32 = 0.25;

/// The fewest faces worth giving to another core.
const LEAST_SHARE: usize = 256;

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

    /// A point of the project's space, in the part's.
    #[must_use]
    pub fn to_part(&self, point: Vec3) -> Vec3 {
        if self.is_identity { point } else { self.to_part.transform_point3(point) }
    }

    /// A direction of the project's space, in the part's; its length changes with the part's scale.
    #[must_use]
    pub fn direction_to_part(&self, direction: Vec3) -> Vec3 {
        self.to_part.transform_vector3(direction)
    }

    /// The normal of a plane of the project's space, in the part's, unit length. It is not where the
    /// normal itself points to, where the part is scaled unevenly.
    #[must_use]
    pub fn plane_to_part(&self, normal: Vec3) -> Vec3 {
        let turned = self.to_project.matrix3.transpose() * glam::Vec3A::from(normal);
        Vec3::from(turned).normalize_or_zero()
    }

    /// A normal of the part's surface, in the project's space, unit length.
    #[must_use]
    pub fn normal_to_project(&self, normal: Vec3) -> Vec3 {
        // Normals turn with the inverse's transpose.
        let turned = self.to_part.matrix3.transpose() * glam::Vec3A::from(normal);
        Vec3::from(turned).normalize_or_zero()
    }

    /// Where a line of sight of the project's space meets a part that stands here.
    #[must_use]
    pub fn cast(&self, geometry: &Geometry, origin: Vec3, direction: Vec3) -> Option<Hit> {
        let direction = self.to_part.transform_vector3(direction);
        geometry.bvh().cast(self.to_part.transform_point3(origin), direction)
    }

    /// The way from another part's space into this one's.
    #[must_use]
    pub fn part_to_other(&self, from: &Self) -> Affine3A {
        self.to_part * from.to_project
    }

    /// The same view, from within the part's space.
    pub(crate) fn view_in_part(&self, view: &View) -> View {
        let forward = self.to_part.transform_vector3(view.forward()).normalize();
        match *view {
            View::Perspective { eye, .. } => {
                View::Perspective { eye: self.to_part.transform_point3(eye), forward }
            }
            View::Parallel { .. } => View::Parallel { forward },
        }
    }

    /// The most a length of the part can be in the project's space, whatever its direction.
    pub(crate) fn longest_in_project(&self, length: f32) -> f32 {
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
#[derive(Clone, PartialEq)]
pub struct Surface {
    /// The part's shape where it stands.
    pub body: Body,
    /// What carries a value of its own.
    pub placement: Placement,
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
                Some(Covered { element: corner as u32, distance })
            })
        };
        let of_face = |&face: &u32| {
            let under_pointer = (Some(face) == face_under_pointer).then_some(0.0);
            let middle = || placed.to_project(mesh.face_centroid(face as usize));
            let distance = under_pointer.or_else(|| inside(middle()))?;
            Some(Covered { element: face, distance })
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

    /// What carries a value of its own.
    pub(super) fn placement(&self) -> Placement {
        self.placement
    }
}

/// The point of an element, in the part's space.
pub(crate) fn point_of(
    mesh: &Mesh,
    topology: &Topology,
    placement: Placement,
    element: usize,
) -> Vec3 {
    match placement {
        Placement::Vertex => mesh.positions()[element],
        Placement::Face => mesh.face_centroid(element),
        Placement::Corner => {
            let centroid = mesh.face_centroid(topology.face_of(element));
            mesh.corner_position(element).lerp(centroid, CORNER_INWARD)
        }
    }
}

/// How a footprint is found, whatever its size.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Way {
    /// What a dab covers.
    pub reach: Reach,
    /// Whether the skin reach goes through to what is hidden or looks away.
    pub through: bool,
    /// Whether it takes in what is not connected.
    pub apart: bool,
}

impl From<Reach> for Way {
    fn from(reach: Reach) -> Self {
        Self { reach, through: false, apart: false }
    }
}

impl From<&Brush> for Way {
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
pub struct Touch {
    /// Its middle, in the project's space.
    pub middle: Vec3,
    /// The face under the pointer; none when that is another part's.
    pub face: Option<u32>,
}

/// Finds what each dab of a stroke covers.
pub struct Footprint {
    surface: Surface,
    scene: Scene,
    elements: Elements,
    way: Way,
    /// What the skin reach knows.
    skin: Option<Skin>,
}

impl Footprint {
    /// A footprint on a surface, as seen in a scene.
    #[must_use]
    pub fn new(way: impl Into<Way>, surface: Surface, scene: Scene) -> Self {
        let way = way.into();
        let Surface { body: Body { geometry, placed }, placement } = &surface;
        let (placed, placement) = (*placed, *placement);
        let seen = vec![0; placement.count(geometry.mesh())];
        let elements = Elements { placement, placed, seen, dab: 0, covered: Vec::new() };
        let skin = (way.reach == Reach::Skin)
            .then(|| Skin::new(way, geometry, elements.count(), &placed, &scene));
        Self { surface, scene, elements, way, skin }
    }

    /// Whether it was made for this.
    #[must_use]
    pub fn is_for(&self, way: Way, surface: &Surface) -> bool {
        (self.way, &self.surface) == (way, surface)
    }

    /// What it was seen in.
    #[must_use]
    pub fn scene(&self) -> &Scene {
        &self.scene
    }

    /// Looks from somewhere; what was learned from elsewhere is forgotten.
    pub fn look_at(&mut self, scene: Scene) {
        if self.scene == scene {
            return;
        }
        if let Some(skin) = &mut self.skin {
            skin.look_at(&self.surface.body.placed, &scene);
        }
        self.scene = scene;
    }

    /// What it is found on.
    #[must_use]
    pub fn surface(&self) -> &Surface {
        &self.surface
    }

    /// Where a line of sight of the project's space meets the surface, and how far along it.
    #[must_use]
    pub fn cast(&self, origin: Vec3, direction: Vec3) -> Option<(Hit, f32)> {
        self.scene.cast(&self.surface.body, origin, direction)
    }

    /// Whether another part hides what is met at a distance along a line of sight; a brush that
    /// goes through does not mind.
    #[must_use]
    pub fn is_hidden(&self, origin: Vec3, direction: Vec3, distance: f32) -> bool {
        !self.way.through && self.scene.is_behind_others(origin, direction, distance)
    }

    /// The elements covered by a dab of a radius (the project's unit), each once.
    pub fn cover(&mut self, touch: &Touch, radius: f32) -> &[Covered] {
        let Self { surface, scene, elements, way, skin } = self;
        elements.dab += 1;
        elements.covered.clear();
        let geometry = &surface.body.geometry;
        match (way.reach, skin, touch.face) {
            (Reach::Skin, Some(skin), _) => skin.cover(elements, geometry, scene, touch, radius),
            (Reach::Deep, ..) => deep::cover(elements, geometry, touch, radius),
            (Reach::Facet, _, Some(face)) => {
                elements.gather(geometry.mesh(), face as usize, touch.face, |_| Some(0.0));
            }
            (Reach::Corner, _, Some(face)) => {
                let point = surface.body.placed.to_part(touch.middle);
                let element = surface.placement.nearest(geometry.mesh(), face as usize, point);
                elements.consider(element, || Some(0.0));
            }
            _ => {}
        }
        if let Some(cutaway) = scene.cutaway.filter(|cutaway| !cutaway.covers_hidden) {
            let (mesh, topology) = (geometry.mesh(), geometry.topology());
            let (placed, placement) = (surface.body.placed, surface.placement);
            elements.covered.retain(|covered| {
                let point = point_of(mesh, topology, placement, covered.element as usize);
                !cutaway.spares(placed.to_project(point))
            });
        }
        &elements.covered
    }
}
