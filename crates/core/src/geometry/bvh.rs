//! Rays and sphere ranges against the triangles of a mesh, over one tree.

use std::time::Duration;

use glam::{Vec3, Vec3A};
use obvhs::{
    BvhBuildParams,
    bvh2::{Bvh2, builder::build_bvh2_from_tris},
    ray::{Ray, RayHit},
    triangle::Triangle,
};
use rayon::prelude::*;

use super::triangulate::Triangulation;
use crate::mesh::Mesh;

/// Where a ray meets the surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hit {
    /// Index of the triangle.
    pub triangle: u32,
    /// Index of the face it was cut from.
    pub face: u32,
    /// Multiples of the ray's direction from its origin.
    pub distance: f32,
    /// The point itself.
    pub point: Vec3,
}

/// Bounding volume tree over the triangles of a mesh, both sides of each counting.
pub struct Bvh {
    tree: Bvh2,
    /// In the order the tree meets them.
    triangles: Vec<Triangle>,
    /// The face of each of `triangles`.
    faces: Vec<u32>,
}

impl Bvh {
    /// Builds the tree.
    #[must_use]
    pub fn new(mesh: &Mesh, triangulation: &Triangulation) -> Self {
        let at = |corner: u32| Vec3A::from(mesh.corner_position(corner as usize));
        let triangles: Vec<Triangle> = triangulation
            .corners()
            .par_iter()
            .map(|&[a, b, c]| Triangle { v0: at(a), v1: at(b), v2: at(c) })
            .collect();
        let mut build_time = Duration::ZERO;
        let tree =
            build_bvh2_from_tris(&triangles, BvhBuildParams::medium_build(), &mut build_time);
        let order = &tree.primitive_indices;
        Self {
            triangles: order.iter().map(|&t| triangles[t as usize]).collect(),
            faces: order.iter().map(|&t| triangulation.face_of(t as usize) as u32).collect(),
            tree,
        }
    }

    /// The nearest point where the ray meets the surface; `None` for a miss or a ray that is none.
    #[must_use]
    pub fn cast(&self, origin: Vec3, direction: Vec3) -> Option<Hit> {
        if !origin.is_finite() || !direction.is_finite() || direction == Vec3::ZERO {
            return None;
        }
        let ray = Ray::new_inf(origin.into(), direction.into());
        let mut hit = RayHit::none();
        self.tree.ray_traverse(ray, &mut hit, |ray, i| meet(&self.triangles[i], ray));
        let slot = hit.primitive_id as usize;
        (hit.t.is_finite() && slot < self.faces.len()).then(|| Hit {
            triangle: self.tree.primitive_indices[slot],
            face: self.faces[slot],
            distance: hit.t,
            point: origin + direction * hit.t,
        })
    }

    /// True when nothing lies on the segment from `from + skip × (to − from)` to `to`.
    #[must_use]
    pub fn is_clear(&self, from: Vec3, to: Vec3, skip: f32) -> bool {
        let ray = Ray::new(from.into(), (to - from).into(), skip, 1.0);
        self.tree.ray_traverse_miss(ray, |ray, i| meet(&self.triangles[i], ray))
    }

    /// The faces that come within `radius` of `center`, each once, ascending.
    #[must_use]
    pub fn faces_within(&self, center: Vec3, radius: f32) -> Vec<u32> {
        let mut faces = Vec::new();
        self.visit_within(center, radius, |face| faces.push(face));
        faces.sort_unstable();
        faces.dedup();
        faces
    }

    /// Calls `visit` for every triangle that comes within `radius` of `center`, with its face: a
    /// face of several triangles may come several times.
    pub fn visit_within(&self, center: Vec3, radius: f32, mut visit: impl FnMut(u32)) {
        let center = Vec3A::from(center);
        let reach = radius * radius;
        let mut open = vec![0_u32];
        while let Some(index) = open.pop() {
            let Some(node) = self.tree.nodes.get(index as usize) else { continue };
            let nearest = center.clamp(node.aabb.min, node.aabb.max);
            if nearest.distance_squared(center) > reach {
                continue;
            }
            if node.prim_count == 0 {
                open.extend([node.first_index, node.first_index + 1]);
                continue;
            }
            for slot in node.first_index as usize..(node.first_index + node.prim_count) as usize {
                let nearest = nearest_on_triangle(center, &self.triangles[slot]);
                if nearest.distance_squared(center) <= reach {
                    visit(self.faces[slot]);
                }
            }
        }
    }
}

/// How far past its edges a triangle is still met, in barycentric coordinates: rays that run
/// exactly through an edge, as symmetric models have them, must not slip between two triangles.
const EDGE_TOLERANCE: f32 = 1e-5;

/// Distance along the ray to the triangle, infinite for a miss (Möller and Trumbore 1997).
fn meet(triangle: &Triangle, ray: &Ray) -> f32 {
    let (e1, e2) = (triangle.v1 - triangle.v0, triangle.v2 - triangle.v0);
    let p = ray.direction.cross(e2);
    let inverse = 1.0 / e1.dot(p);
    let from = ray.origin - triangle.v0;
    let u = from.dot(p) * inverse;
    let q = from.cross(e1);
    let v = ray.direction.dot(q) * inverse;
    let t = e2.dot(q) * inverse;
    // A triangle without area gives NaN or infinity, and no comparison holds.
    let inside = u >= -EDGE_TOLERANCE && v >= -EDGE_TOLERANCE && u + v <= 1.0 + EDGE_TOLERANCE;
    if inside && t >= ray.tmin && t <= ray.tmax { t } else { f32::INFINITY }
}

/// The point of a triangle nearest to `p` (Ericson, Real-Time Collision Detection, 5.1.5).
fn nearest_on_triangle(p: Vec3A, triangle: &Triangle) -> Vec3A {
    let (a, b, c) = (triangle.v0, triangle.v1, triangle.v2);
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        return a + ab * (d1 / (d1 - d3));
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        return a + ac * (d2 / (d2 - d6));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    }
    let total = va + vb + vc;
    a + ab * (vb / total) + ac * (vc / total)
}
