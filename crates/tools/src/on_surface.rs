//! Places on a surface, by the corners of a triangle.

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::Mesh;

/// How far corners are drawn towards the middle of their face, so that a seam is not crossed.
pub(crate) const DRAWN_IN: f32 = 0.02;

/// The corners of a mesh, each drawn a little towards the middle of its face.
pub(crate) fn drawn_in(mesh: &Mesh) -> Vec<Vec3> {
    let corners = (0..mesh.face_count()).into_par_iter().flat_map_iter(|face| {
        let middle = mesh.face_centroid(face);
        mesh.face_corners(face).map(move |c| mesh.corner_position(c).lerp(middle, DRAWN_IN))
    });
    corners.collect()
}

/// A place on a surface: three corners of a face, and how much each counts.
#[derive(Clone, Copy)]
pub(crate) struct On {
    pub(crate) corners: [u32; 3],
    pub(crate) weights: [f32; 3],
}

impl On {
    pub(crate) fn point(&self, mesh: &Mesh) -> Vec3 {
        let corners = self.corners.map(|corner| mesh.corner_position(corner as usize));
        corners.into_iter().zip(self.weights).map(|(point, weight)| point * weight).sum()
    }
}

/// Barycentric coordinates of a point of a triangle, none below 0 (Ericson, Real-Time Collision
/// Detection, 2005, 3.4).
pub(crate) fn weights(p: Vec3, a: Vec3, b: Vec3, c: Vec3) -> [f32; 3] {
    let (v0, v1, v2) = (b - a, c - a, p - a);
    let (d00, d01, d11) = (v0.dot(v0), v0.dot(v1), v1.dot(v1));
    let (d20, d21) = (v2.dot(v0), v2.dot(v1));
    let whole = d00 * d11 - d01 * d01;
    let (v, w) = ((d11 * d20 - d01 * d21) / whole, (d00 * d21 - d01 * d20) / whole);
    if !(v.is_finite() && w.is_finite()) {
        // Without area: the nearest corner.
        let far = [a, b, c].map(|corner| corner.distance_squared(p));
        let nearest = (0..3).min_by(|&i, &j| far[i].total_cmp(&far[j])).unwrap_or(0);
        return std::array::from_fn(|i| f32::from(u8::from(i == nearest)));
    }
    let clamped = [1.0 - v - w, v, w].map(|x| x.clamp(0.0, 1.0));
    let sum: f32 = clamped.iter().sum();
    clamped.map(|x| x / sum)
}

/// The middles of the triangles that a triangle is cut into by so many lines from each side.
pub(crate) fn middles(across: usize) -> impl Iterator<Item = [f32; 3]> {
    let n = across as f32;
    let weights = move |i: f32, j: f32| [1.0 - (i + j) / n, i / n, j / n];
    (0..across).flat_map(move |i| {
        (0..across - i).flat_map(move |j| {
            let (x, y) = (i as f32, j as f32);
            let third = 1.0 / 3.0;
            let up = weights(x + third, y + third);
            let down = (i + j + 1 < across).then(|| weights(x + 2.0 * third, y + 2.0 * third));
            [Some(up), down].into_iter().flatten()
        })
    })
}
