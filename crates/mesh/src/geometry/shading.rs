//! Which way a surface looks for light: by the normals that a mesh says itself, where it says any.

use glam::Vec3;
use rayon::prelude::*;

use super::{
    Geometry,
    fans::{self, Fans},
    normals::{self, corner_angle},
    topology::Topology,
};
use crate::{mesh::Mesh, placement::Placement};

/// Unit normals by the mesh's own, where it has such; see [`own_of`].
#[must_use]
pub fn own_at(geometry: &Geometry, placement: Placement) -> Option<Vec<Vec3>> {
    geometry.mesh().normals()?;
    // Asked for before work is shared out: see `Geometry`.
    let _ = (geometry.topology(), geometry.face_normals(), geometry.vertex_normals());
    let elements = (0..placement.count(geometry.mesh())).into_par_iter();
    Some(elements.map(|element| own_of(geometry, placement, element)).collect())
}

/// The unit normal of an element by the mesh's own, where it has such: of a corner as it stands there, of
/// vertices and faces the mean of their corners', by angle. Where nothing is said, what the faces say.
#[must_use]
pub fn own_of(geometry: &Geometry, placement: Placement, element: usize) -> Vec3 {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let said = |corner: usize| match mesh.normals() {
        Some(own) => own[corner].normalize_or_zero(),
        None => Vec3::ZERO,
    };
    let by_angle = |corner: usize| said(corner) * corner_angle(mesh, topology, corner);
    let (sum, otherwise): (Vec3, Vec3) = match placement {
        Placement::Vertex => (
            topology.own_corners(mesh, element).map(by_angle).sum(),
            geometry.vertex_normals()[element],
        ),
        Placement::Corner => {
            (said(element), geometry.vertex_normals()[mesh.corner_vertices()[element] as usize])
        }
        Placement::Face => {
            (mesh.face_corners(element).map(by_angle).sum(), geometry.face_normals()[element])
        }
    };
    sum.try_normalize().unwrap_or(otherwise)
}

/// Whether the mesh has normals of its own that differ among the corners of a vertex: then they are
/// sharp there, and no vertex can carry them.
#[must_use]
pub fn differ_at_vertices(mesh: &Mesh) -> bool {
    let Some(own) = mesh.normals() else { return false };
    let mut first: Vec<u32> = vec![u32::MAX; mesh.vertex_count()];
    mesh.corner_vertices().iter().zip(0_u32..).any(|(&vertex, corner)| {
        let first = &mut first[vertex as usize];
        if *first == u32::MAX {
            *first = corner;
        }
        own[*first as usize] != own[corner as usize]
    })
}

/// The mesh without normals of its own where they only say what its faces say.
#[must_use]
pub fn kept_where_they_differ(mesh: Mesh) -> Mesh {
    let Some(own) = mesh.normals() else { return mesh };
    let topology = Topology::new(&mesh);
    let of_faces = normals::of_faces(&mesh);
    let of_vertices = normals::of_vertices(&mesh, &topology, &of_faces);
    let differs = |corner: usize| {
        let said = own[corner].normalize_or_zero();
        let ours = of_vertices[mesh.corner_vertices()[corner] as usize];
        said != Vec3::ZERO && said.dot(ours) < SAME_UP_TO_DEGREES.to_radians().cos()
    };
    if (0..mesh.corner_count()).into_par_iter().any(differs) {
        return mesh;
    }
    mesh.with_normals(Vec::new()).unwrap_or(mesh)
}

/// Normals of a file that are nowhere further than this from those of the faces around say nothing
/// new: a tenth of what is seen of a turn, and more than 8 bits per axis round away.
const SAME_UP_TO_DEGREES: f32 = 1.0;

/// Normals for the corners, each the mean (by angle) of the faces around its point as far as they meet
/// at edges there that bend by less than an angle in degrees; of its own face alone where it is 0.
#[must_use]
pub fn with_hard_edges(geometry: &Geometry, degrees: f32) -> Vec<Vec3> {
    let fans = Fans::bending(geometry, degrees);
    let of_fan = |fan| fans::normal_of(geometry, &fans.corners(geometry, fan));
    let normals: Vec<Vec3> = (0..fans.count()).into_par_iter().map(of_fan).collect();
    fans.of_corners.iter().map(|&fan| normals[fan as usize]).collect()
}
