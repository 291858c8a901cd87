//! Normals of faces and vertices.

use glam::Vec3;
use rayon::prelude::*;

use super::topology::{CROWD, Topology};
use crate::mesh::Mesh;

/// Vertices that a file split at one point are shaded as one surface when their faces bend by less
/// than this; by more, the split was meant as a hard edge.
const SMOOTH_BELOW_DEGREES: f32 = 45.0;

/// Unit normals of the faces; zero where a face has no area.
#[must_use]
pub fn of_faces(mesh: &Mesh) -> Vec<Vec3> {
    (0..mesh.face_count()).into_par_iter().map(|face| of_face(mesh, face)).collect()
}

/// That of one of them.
#[must_use]
pub fn of_face(mesh: &Mesh, face: usize) -> Vec3 {
    mesh.face_area_vector(face).normalize_or_zero()
}

/// Unit normals of the vertices: the mean of the faces around, weighted by the angle each has at
/// the vertex (Thürmer and Wüthrich 1998), so that the cut into faces does not show.
///
/// Where a file split a vertex, the copies' faces join in as long as they bend by less than 45°, and
/// are no crowd.
/// A vertex without faces gets +Z.
#[must_use]
pub fn of_vertices(mesh: &Mesh, topology: &Topology, face_normals: &[Vec3]) -> Vec<Vec3> {
    let of = |vertex| of_vertex(mesh, topology, face_normals, vertex);
    (0..mesh.vertex_count()).into_par_iter().map(of).collect()
}

/// That of one of them.
#[must_use]
pub fn of_vertex(mesh: &Mesh, topology: &Topology, face_normals: &[Vec3], vertex: usize) -> Vec3 {
    let smooth = SMOOTH_BELOW_DEGREES.to_radians().cos();
    let corners = topology.corners_at(vertex);
    let weighted = |corner: u32| {
        face_normals[topology.face_of(corner as usize)]
            * corner_angle(mesh, topology, corner as usize)
    };
    let own: Vec3 = topology.own_corners(mesh, vertex).map(|corner| weighted(corner as u32)).sum();
    if corners.len() > CROWD {
        // So many copies are no seam of a smooth surface.
        return own.try_normalize().unwrap_or(Vec3::Z);
    }
    let is_own = |corner: &&u32| mesh.corner_vertices()[**corner as usize] as usize == vertex;
    let direction = own.normalize_or_zero();
    let neighbours: Vec3 = corners
        .iter()
        .filter(|c| !is_own(c))
        .filter(|&&c| face_normals[topology.face_of(c as usize)].dot(direction) >= smooth)
        .map(|&c| weighted(c))
        .sum();
    (own + neighbours).try_normalize().unwrap_or(Vec3::Z)
}

/// The angle between a corner's two edges, in radians.
fn corner_angle(mesh: &Mesh, topology: &Topology, corner: usize) -> f32 {
    let range = mesh.face_corners(topology.face_of(corner));
    let previous = if corner == range.start { range.end - 1 } else { corner - 1 };
    let next = if corner + 1 == range.end { range.start } else { corner + 1 };
    let at = mesh.corner_position(corner);
    let (a, b) = (mesh.corner_position(previous) - at, mesh.corner_position(next) - at);
    let angle = a.cross(b).length().atan2(a.dot(b));
    if angle.is_finite() { angle } else { 0.0 }
}
