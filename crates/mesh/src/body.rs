//! A part's shape where it stands.

use std::sync::Arc;

use glam::{Affine3A, Mat3A, Vec3};

use crate::{
    geometry::{Geometry, bvh::Hit},
    placement::Placement,
    sight::View,
    transform::Transform,
};

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
    #[inline]
    pub fn to_project(&self, point: Vec3) -> Vec3 {
        if self.is_identity { point } else { self.to_project.transform_point3(point) }
    }

    /// A point of the project's space, in the part's.
    #[must_use]
    #[inline]
    pub fn to_part(&self, point: Vec3) -> Vec3 {
        if self.is_identity { point } else { self.to_part.transform_point3(point) }
    }

    /// A direction of the project's space, in the part's; its length changes with the part's scale.
    #[must_use]
    #[inline]
    pub fn direction_to_part(&self, direction: Vec3) -> Vec3 {
        self.to_part.transform_vector3(direction)
    }

    /// A direction of the part's space, in the project's; its length changes with the part's scale.
    #[must_use]
    #[inline]
    pub fn direction_to_project(&self, direction: Vec3) -> Vec3 {
        self.to_project.transform_vector3(direction)
    }

    /// The normal of a plane of the project's space, in the part's, unit length. It is not where the
    /// normal itself points to, where the part is scaled unevenly.
    #[must_use]
    #[inline]
    pub fn plane_to_part(&self, normal: Vec3) -> Vec3 {
        let turned = self.to_project.matrix3.transpose() * glam::Vec3A::from(normal);
        Vec3::from(turned).normalize_or_zero()
    }

    /// A normal of the part's surface, in the project's space, unit length.
    #[must_use]
    #[inline]
    pub fn normal_to_project(&self, normal: Vec3) -> Vec3 {
        // Normals turn with the inverse's transpose.
        let turned = self.to_part.matrix3.transpose() * glam::Vec3A::from(normal);
        Vec3::from(turned).normalize_or_zero()
    }

    /// Where a line of sight of the project's space meets a part that stands here.
    #[must_use]
    #[inline]
    pub fn cast(&self, geometry: &Geometry, origin: Vec3, direction: Vec3) -> Option<Hit> {
        let direction = self.to_part.transform_vector3(direction);
        geometry.bvh().cast(self.to_part.transform_point3(origin), direction)
    }

    /// The way from another part's space into this one's.
    #[must_use]
    #[inline]
    pub fn part_to_other(&self, from: &Self) -> Affine3A {
        self.to_part * from.to_project
    }

    /// The same view, from within the part's space.
    #[inline]
    pub fn view_in_part(&self, view: &View) -> View {
        let forward = self.to_part.transform_vector3(view.forward()).normalize();
        match *view {
            View::Perspective { eye, .. } => {
                View::Perspective { eye: self.to_part.transform_point3(eye), forward }
            }
            View::Parallel { .. } => View::Parallel { forward },
        }
    }

    /// The most a length of the part can be in the project's space, whatever its direction.
    #[inline]
    pub fn longest_in_project(&self, length: f32) -> f32 {
        let axes = self.to_project.matrix3;
        let squares = [axes.x_axis, axes.y_axis, axes.z_axis].map(|axis| axis.length_squared());
        length * squares.into_iter().fold(0.0, f32::max).sqrt()
    }

    /// The most a length of the project can be in the part's space, whatever its direction.
    #[inline]
    pub fn longest_in_part(&self, length: f32) -> f32 {
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

/// A part's shape where it stands.
#[derive(Clone)]
pub struct Body {
    /// Its shape.
    pub geometry: Arc<Geometry>,
    /// Where it stands.
    pub placed: Placed,
}

impl Body {
    /// Its box in the project's space, a hair wider than it is.
    pub(crate) fn bounds(&self) -> [Vec3; 2] {
        let extent = self.geometry.extent();
        let ends = [extent.min, extent.max];
        let corners = (0..8).map(|i| {
            let end = |axis: usize| ends[i >> axis & 1][axis];
            self.placed.to_project(Vec3::new(end(0), end(1), end(2)))
        });
        let none = [Vec3::INFINITY, Vec3::NEG_INFINITY];
        let [low, high] = corners.fold(none, |[low, high], p| [low.min(p), high.max(p)]);
        // What is rounded on the way must not stand out of it.
        let hair = 1e-5 * low.abs().max(high.abs()).max_element();
        [low - hair, high + hair]
    }
}

impl PartialEq for Body {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.geometry, &other.geometry) && self.placed == other.placed
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
