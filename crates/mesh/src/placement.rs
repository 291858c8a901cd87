//! What values belong to: the vertices, corners or faces of a mesh.

use glam::Vec3;
use serde::{Deserialize, Serialize};

use crate::{geometry::topology::Topology, mesh::Mesh};

/// What each value of a set belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Placement {
    /// One value per vertex; values blend along edges.
    Vertex,
    /// One value per corner of each face; borders may be sharp or blended.
    Corner,
    /// One value per face; each face is flat.
    Face,
}

impl Placement {
    /// How many values a set of this placement has on the mesh.
    #[must_use]
    #[inline]
    pub fn count(self, mesh: &Mesh) -> usize {
        match self {
            Self::Vertex => mesh.vertex_count(),
            Self::Corner => mesh.corner_count(),
            Self::Face => mesh.face_count(),
        }
    }

    /// The element of a face that is nearest to a point on it.
    #[must_use]
    #[inline]
    pub fn nearest(self, mesh: &Mesh, face: usize, point: Vec3) -> u32 {
        let away = |&corner: &usize| mesh.corner_position(corner).distance_squared(point);
        let corner = mesh.face_corners(face).min_by(|a, b| away(a).total_cmp(&away(b)));
        match self {
            Self::Face => face as u32,
            Self::Corner => corner.unwrap_or_default() as u32,
            Self::Vertex => corner.map_or(0, |corner| mesh.corner_vertices()[corner]),
        }
    }

    /// As it is said: "per vertex".
    #[must_use]
    #[inline]
    pub fn words(self) -> &'static str {
        match self {
            Self::Vertex => "per vertex",
            Self::Corner => "per corner",
            Self::Face => "per face",
        }
    }
}

/// How far a corner's point is drawn towards its face's centroid.
pub const CORNER_INWARD: f32 = 0.25;

/// The point of an element, in the part's space.
#[must_use]
#[inline]
pub fn point_of(mesh: &Mesh, topology: &Topology, placement: Placement, element: usize) -> Vec3 {
    match placement {
        Placement::Vertex => mesh.positions()[element],
        Placement::Face => mesh.face_centroid(element),
        Placement::Corner => {
            let centroid = mesh.face_centroid(topology.face_of(element));
            mesh.corner_position(element).lerp(centroid, CORNER_INWARD)
        }
    }
}
