//! A surface where it stands, and the places on it near to others.

use std::sync::Arc;

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::{Geometry, MeshError, body::Placed, geometry::near::Near, transform::Transform};

use super::Along;
use crate::on_surface::weights;

/// A surface in the project's space.
pub(super) struct Ground {
    pub(super) geometry: Arc<Geometry>,
    placed: Placed,
    /// How long a step of the part is in the project.
    scale: f32,
    /// −1 where its faces look inwards, since it was mirrored.
    side: f32,
}

/// A place that was found on a surface.
#[derive(Clone, Copy, Debug)]
pub(super) struct Found {
    /// Which triangle of the triangulation.
    pub(super) triangle: u32,
    /// How much each of its corners counts.
    pub(super) weights: [f32; 3],
    /// How far away it is, in the project's unit.
    pub(super) distance: f32,
}

/// What counts of a surface, for something that looks along a normal.
#[derive(Clone, Copy)]
pub(super) struct Facing {
    /// Unit length, in the project's space; zero looks every way.
    pub(super) normal: Vec3,
    /// The least cosine between the two.
    pub(super) least: f32,
}

/// How many points one thread takes at least.
const RUN: usize = 1024;

/// How much further than the nearest point one is looked for that looks the right way: so many times
/// as far, and a share of the surface's size. Beyond that lies another side of it.
const TIMES: f32 = 4.0;
const SHARE: f32 = 0.05;

/// How far two factors of a scale may be from each other to be the same.
const EVEN: f32 = 1e-6;

impl Ground {
    /// A part's shape where it stands. One that is scaled unevenly is brought to the project's space,
    /// since what is nearest there is not what is nearest in its own.
    pub(super) fn new(geometry: &Arc<Geometry>, transform: &Transform) -> Result<Self, MeshError> {
        let scale = transform.scale.abs();
        if scale.max_element() - scale.min_element() <= EVEN * scale.max_element() {
            return Ok(Self {
                geometry: geometry.clone(),
                placed: Placed::new(transform),
                scale: scale.x,
                side: 1.0,
            });
        }
        let to_project = transform.to_project();
        let moved = geometry.mesh().transformed(&to_project)?;
        Ok(Self {
            geometry: Arc::new(Geometry::new(moved)),
            placed: Placed::new(&Transform::IDENTITY),
            scale: 1.0,
            side: if transform.mirrors() { -1.0 } else { 1.0 },
        })
    }

    /// Whether another is the same shape in the same place.
    pub(super) fn is(&self, other: &Self) -> bool {
        let is_one = || self.geometry.id() == other.geometry.id();
        let is_there = self.placed == other.placed && self.side.to_bits() == other.side.to_bits();
        is_there && (Arc::ptr_eq(&self.geometry, &other.geometry) || is_one())
    }

    /// Works out what searches ask for, before work is shared out: see [`Geometry`].
    pub(super) fn make_ready(&self, along: Along) {
        if along != Along::Nearest {
            let _ = self.geometry.bvh();
        }
        super::make_ready(&self.geometry);
    }

    pub(super) fn to_project(&self, point: Vec3) -> Vec3 {
        self.placed.to_project(point)
    }

    pub(super) fn normal_to_project(&self, normal: Vec3) -> Vec3 {
        self.side * self.placed.normal_to_project(normal)
    }

    /// Where a corner is.
    pub(super) fn corner(&self, corner: usize) -> Vec3 {
        self.to_project(self.geometry.mesh().corner_position(corner))
    }

    /// The corners of a triangle.
    pub(super) fn triangle(&self, triangle: u32) -> [Vec3; 3] {
        let corners = self.geometry.triangulation().corners()[triangle as usize];
        corners.map(|corner| self.corner(corner as usize))
    }

    /// The diagonal of its box, in the project's unit.
    pub(super) fn size(&self) -> f32 {
        self.geometry.extent().diagonal() * self.scale
    }

    /// How long its edges are on the whole, likewise.
    pub(super) fn edge(&self) -> f32 {
        self.geometry.extent().median_edge * self.scale
    }

    /// How large its triangles are on the whole, in the project's unit squared.
    pub(super) fn mean_area(&self) -> f64 {
        let triangles = self.geometry.triangulation().corners().len();
        let scale = f64::from(self.scale);
        self.geometry.measures().area * scale * scale / triangles.max(1) as f64
    }

    /// The nearest point of the surface that looks the right way, and how far the nearest one of all is.
    pub(super) fn near(&self, point: Vec3, facing: Facing) -> (Option<Found>, f32) {
        let own = self.placed.to_part(point);
        self.facing(own, self.geometry.near().nearest(own, f32::MAX, |_| true), facing)
    }

    /// The same for many points, of which each has a way to look.
    pub(super) fn near_each(
        &self,
        points: &[Vec3],
        facing: impl Fn(usize) -> Facing + Sync,
    ) -> Vec<(Option<Found>, f32)> {
        let own: Vec<Vec3> = points.par_iter().map(|&p| self.placed.to_part(p)).collect();
        let any = self.geometry.near().nearest_to_each(&own).into_par_iter();
        let found = any.zip(own).enumerate().with_min_len(RUN);
        found.map(|(i, (any, own))| self.facing(own, any, facing(i))).collect()
    }

    /// By the nearest point of all to one in the part's space: the nearest that looks the right way.
    fn facing(&self, own: Vec3, any: Option<Near>, facing: Facing) -> (Option<Found>, f32) {
        let Some(any) = any else { return (None, f32::INFINITY) };
        let far = any.2 * self.scale;
        if facing.normal == Vec3::ZERO || facing.least <= -1.0 {
            return (Some(self.found(any)), far);
        }
        let (normals, triangulation) =
            (self.geometry.face_normals(), self.geometry.triangulation());
        let way = self.side * self.placed.direction_to_part(facing.normal).normalize_or_zero();
        let looks_right = |triangle: u32| {
            normals[triangulation.face_of(triangle as usize)].dot(way) >= facing.least
        };
        if looks_right(any.0) {
            return (Some(self.found(any)), far);
        }
        let most = TIMES * any.2 + SHARE * self.geometry.extent().diagonal();
        let right = self.geometry.near().nearest(own, most, looks_right);
        (right.map(|near| self.found(near)), far)
    }

    /// The nearest point along a normal, either way; or the outermost one.
    pub(super) fn along(
        &self,
        point: Vec3,
        facing: Facing,
        within: f32,
        outermost: bool,
    ) -> Option<Found> {
        let Facing { normal, .. } = facing;
        if normal == Vec3::ZERO {
            return None;
        }
        // From a hair behind, so that a surface just here is met.
        let hair = 1e-5 * within.max(self.size());
        if outermost {
            return self.cast(point + normal * within, -normal, 2.0 * within, point, facing);
        }
        let one = self.cast(point - normal * hair, normal, within + hair, point, facing);
        let other = self.cast(point + normal * hair, -normal, within + hair, point, facing);
        [one, other].into_iter().flatten().min_by(|a, b| a.distance.total_cmp(&b.distance))
    }

    /// The first point along a ray that looks the right way.
    fn cast(
        &self,
        from: Vec3,
        way: Vec3,
        length: f32,
        about: Vec3,
        facing: Facing,
    ) -> Option<Found> {
        let normals = self.geometry.face_normals();
        let (mut origin, mut left) = (from, length);
        for _ in 0..MOST_PASSED {
            let own = self.placed.to_part(origin);
            let direction = self.placed.direction_to_part(way).normalize_or_zero();
            let hit = self.geometry.bvh().cast_within(own, direction, left / self.scale)?;
            let looks = self.side * self.placed.normal_to_project(normals[hit.face as usize]);
            if looks.dot(facing.normal) >= facing.least {
                let far = self.to_project(hit.point).distance(about);
                let found = self.found((hit.triangle, hit.point, hit.distance));
                return Some(Found { distance: far, ..found });
            }
            let past = hit.distance * self.scale + 1e-5 * self.size();
            origin += way * past;
            left -= past;
            if left <= 0.0 {
                return None;
            }
        }
        None
    }

    /// A place on a triangle, by its number, so far away in the part's space.
    fn found(&self, (triangle, at, far): Near) -> Found {
        let mesh = self.geometry.mesh();
        let corners = self.geometry.triangulation().corners()[triangle as usize];
        let [a, b, c] = corners.map(|corner| mesh.corner_position(corner as usize));
        Found { triangle, weights: weights(at, a, b, c), distance: far * self.scale }
    }
}

/// How many surfaces that look another way a ray goes through before it is given up.
const MOST_PASSED: usize = 32;
