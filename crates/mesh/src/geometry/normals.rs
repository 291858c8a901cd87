//! Normals of faces and vertices.

use glam::Vec3;
use rayon::prelude::*;

use super::{
    Geometry,
    topology::{CROWD, Topology},
};
use crate::mesh::Mesh;

/// Vertices that a file split at one point are shaded as one surface when their faces bend by less
/// than this; by more, the split was meant as a hard edge.
pub(crate) const SMOOTH_BELOW_DEGREES: f32 = 45.0;

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
    // Face by face their corners lie at hand, which around a vertex they do not.
    let corners = (0..mesh.corner_count()).into_par_iter();
    let angles: Vec<f32> = corners.map(|corner| corner_angle(mesh, topology, corner)).collect();
    let of = |vertex| mean_about(mesh, topology, face_normals, |corner| angles[corner], vertex);
    (0..mesh.vertex_count()).into_par_iter().map(of).collect()
}

/// That of one of them.
#[must_use]
pub fn of_vertex(mesh: &Mesh, topology: &Topology, face_normals: &[Vec3], vertex: usize) -> Vec3 {
    let angle = |corner| corner_angle(mesh, topology, corner);
    mean_about(mesh, topology, face_normals, angle, vertex)
}

fn mean_about(
    mesh: &Mesh,
    topology: &Topology,
    face_normals: &[Vec3],
    angle: impl Fn(usize) -> f32,
    vertex: usize,
) -> Vec3 {
    let smooth = SMOOTH_BELOW_DEGREES.to_radians().cos();
    let corners = topology.corners_at(vertex);
    let weighted =
        |corner: u32| face_normals[topology.face_of(corner as usize)] * angle(corner as usize);
    let (mut own, mut count) = (Vec3::ZERO, 0);
    for corner in topology.own_corners(mesh, vertex) {
        own += weighted(corner as u32);
        count += 1;
    }
    // Most vertices have no copies; where there is a crowd of them, they are no seam of a smooth surface.
    if count == corners.len() || corners.len() > CROWD {
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

/// Unit normals of the points where vertices stand, at each vertex: what all faces there have, however
/// a file split it. A vertex without faces gets +Z.
#[must_use]
pub fn of_points(mesh: &Mesh, topology: &Topology, face_normals: &[Vec3]) -> Vec<Vec3> {
    let of_point = |vertex: usize| {
        // Copies take what the first of them found: a crowd would ask again and again.
        if topology.point_of(vertex) != vertex {
            return Vec3::ZERO;
        }
        let corners = topology.corners_at(vertex).iter().map(|&corner| corner as usize);
        let weighted =
            |corner| face_normals[topology.face_of(corner)] * corner_angle(mesh, topology, corner);
        corners.map(weighted).sum::<Vec3>().try_normalize().unwrap_or(Vec3::Z)
    };
    let firsts: Vec<Vec3> = (0..mesh.vertex_count()).into_par_iter().map(of_point).collect();
    (0..mesh.vertex_count()).into_par_iter().map(|v| firsts[topology.point_of(v)]).collect()
}

/// The two ways that the faces of a vertex look where sheets fold back on themselves, so that the mean
/// of them would be rounding noise: first the one that more of them look (by their angles). None where
/// the mean says it well.
#[must_use]
pub fn sides_of_fold(geometry: &Geometry, vertex: usize) -> Option<[Vec3; 2]> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let face_normals = geometry.face_normals();
    // Most look the way all of their faces do.
    let mean = geometry.vertex_normals()[vertex];
    let looks_along = |corner: usize| face_normals[topology.face_of(corner)].dot(mean) > 0.0;
    if topology.own_corners(mesh, vertex).all(looks_along) {
        return None;
    }
    let weighted = |corner: usize| {
        let normal = face_normals[topology.face_of(corner)];
        (normal, corner_angle(mesh, topology, corner))
    };
    let own = || topology.own_corners(mesh, vertex).map(weighted);
    let (sum, whole) = own().fold((Vec3::ZERO, 0.0), |(sum, whole), (normal, angle)| {
        (sum + normal * angle, whole + normal.length() * angle)
    });
    if whole <= 0.0 || sum.length() > CANCELLED * whole {
        return None;
    }
    let (first, _) = own().find(|(normal, _)| *normal != Vec3::ZERO)?;
    let (mut sides, mut weights) = ([Vec3::ZERO; 2], [0.0; 2]);
    for (normal, angle) in own() {
        let side = usize::from(normal.dot(first) < 0.0);
        sides[side] += normal * angle;
        weights[side] += angle;
    }
    // By far the larger one, or the one of the first face.
    if weights[1] > 1.0001 * weights[0] {
        sides.swap(0, 1);
    }
    Some([sides[0].try_normalize()?, sides[1].try_normalize()?])
}

/// A mean of normals shorter than this, as a share of what it is the mean of, says nothing.
const CANCELLED: f32 = 0.02;

/// The angle between a corner's two edges, in radians.
#[must_use]
pub fn corner_angle(mesh: &Mesh, topology: &Topology, corner: usize) -> f32 {
    let range = mesh.face_corners(topology.face_of(corner));
    let previous = if corner == range.start { range.end - 1 } else { corner - 1 };
    let next = if corner + 1 == range.end { range.start } else { corner + 1 };
    let at = mesh.corner_position(corner);
    let (a, b) = (mesh.corner_position(previous) - at, mesh.corner_position(next) - at);
    let angle = a.cross(b).length().atan2(a.dot(b));
    if angle.is_finite() { angle } else { 0.0 }
}
