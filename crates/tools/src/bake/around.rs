//! What one ray meets: the part itself and others, where they stand.

use glam::{Affine3A, Vec3};
use speckle_mesh::{Geometry, body::Body};

/// A part and others about it, all in its own space.
pub(super) struct Around<'a> {
    own: &'a Geometry,
    others: Vec<(&'a Geometry, Affine3A)>,
    hair: f32,
}

/// What a ray meets.
#[derive(Clone, Copy, Debug)]
pub(super) struct Met {
    /// How far it is.
    pub(super) distance: f32,
    /// Which way the face looks there, unit length, on the side the ray comes from.
    pub(super) normal: Vec3,
    /// The triangle, where it is of the part itself.
    pub(super) own_triangle: Option<u32>,
}

impl<'a> Around<'a> {
    pub(super) fn new(own: &'a Body, others: &'a [Body]) -> Self {
        // Asked for before work is shared out: see `Geometry`.
        let ready = |geometry: &Geometry| {
            let _ = (geometry.bvh(), geometry.face_normals());
        };
        ready(&own.geometry);
        others.iter().for_each(|other| ready(&other.geometry));
        let to_other =
            |other: &'a Body| (other.geometry.as_ref(), other.placed.part_to_other(&own.placed));
        Self {
            own: &own.geometry,
            others: others.iter().map(to_other).collect(),
            hair: super::occlusion::hair(&own.geometry),
        }
    }

    /// A distance that is next to nothing here.
    pub(super) fn hair(&self) -> f32 {
        self.hair
    }

    /// What a ray of unit length meets first, no further than a distance.
    pub(super) fn cast(&self, origin: Vec3, way: Vec3, within: f32) -> Option<Met> {
        let own = self.own.bvh().cast_within(origin, way, within).map(|hit| Met {
            distance: hit.distance,
            normal: self.own.face_normals()[hit.face as usize],
            own_triangle: Some(hit.triangle),
        });
        let others = self.others.iter().filter_map(|(other, to)| {
            let there = to.transform_vector3(way);
            let within = within * there.length();
            let hit = other.bvh().cast_within(to.transform_point3(origin), there, within)?;
            // Planes come back by the transpose of what leads there.
            let normal = to.matrix3.transpose() * other.face_normals()[hit.face as usize];
            let normal = normal.normalize_or_zero();
            Some(Met { distance: hit.distance, normal, own_triangle: None })
        });
        let first = own.into_iter().chain(others).min_by(|a, b| a.distance.total_cmp(&b.distance));
        first.map(|met| {
            let normal = if met.normal.dot(way) > 0.0 { -met.normal } else { met.normal };
            Met { normal, ..met }
        })
    }

    /// Whether a ray of unit length meets nothing.
    pub(super) fn is_open(&self, origin: Vec3, way: Vec3) -> bool {
        self.cast(origin, way, f32::MAX).is_none()
    }
}
