//! Pours: covering a whole region at once, from the face under the pointer on.

use glam::Vec3;
use serde::{Deserialize, Serialize};

use crate::{
    color::Rgba,
    color_set::{Channels, Placement},
    geometry::{Geometry, bends},
};

/// How far a pour reaches.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Pour {
    /// The whole part.
    All,
    /// Over edges that bend by no more than an angle.
    Crease {
        /// Degrees; at 0 only coplanar faces are reached.
        degrees: f32,
    },
    /// The connected region that has the same value in the chosen channels.
    Patch {
        /// How far a number may be off, 0–1.
        tolerance: f32,
    },
    /// The connected piece.
    Piece,
}

/// Rounding of normals must not decide whether an edge bends too much, degrees.
const ANGLE_ROUNDING: f32 = 0.01;

impl Pour {
    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        match *self {
            Self::Crease { degrees } if !(0.0..=180.0).contains(&degrees) => {
                Some("the angle must lie between 0 and 180°")
            }
            Self::Patch { tolerance } if !(0.0..=1.0).contains(&tolerance) => {
                Some("the tolerance must lie between 0 and 100 %")
            }
            _ => None,
        }
    }

    /// What the change is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match self {
            Self::All => "Pour over all",
            Self::Crease { .. } => "Crease pour",
            Self::Patch { .. } => "Patch pour",
            Self::Piece => "Piece pour",
        }
    }
}

/// The elements a pour covers, ascending, from a face and a point on it (the part's space).
#[must_use]
pub fn covered(
    pour: Pour,
    geometry: &Geometry,
    placement: Placement,
    values: &[Rgba],
    channels: Channels,
    (face, point): (u32, Vec3),
) -> Vec<u32> {
    let mesh = geometry.mesh();
    match pour {
        Pour::All => (0..placement.count(mesh) as u32).collect(),
        Pour::Crease { degrees } => {
            elements_of(geometry, placement, &within_creases(geometry, face, degrees))
        }
        Pour::Piece => {
            let topology = geometry.topology();
            let piece = topology.piece_of(face as usize);
            let is_in: Vec<bool> =
                (0..mesh.face_count()).map(|f| topology.piece_of(f) == piece).collect();
            elements_of(geometry, placement, &is_in)
        }
        Pour::Patch { tolerance } => {
            let start = placement.nearest(mesh, face as usize, point);
            same_values(geometry, placement, values, channels, start, tolerance)
        }
    }
}

/// All elements of the marked faces; a vertex belongs to every face around it.
fn elements_of(geometry: &Geometry, placement: Placement, faces: &[bool]) -> Vec<u32> {
    let mesh = geometry.mesh();
    let marked = (0..faces.len()).filter(|&face| faces[face]);
    match placement {
        Placement::Face => marked.map(|face| face as u32).collect(),
        Placement::Corner => {
            marked.flat_map(|face| mesh.face_corners(face)).map(|corner| corner as u32).collect()
        }
        Placement::Vertex => {
            let mut is_in = vec![false; mesh.vertex_count()];
            for face in marked {
                mesh.face_vertices(face).iter().for_each(|&v| is_in[v as usize] = true);
            }
            (0..is_in.len() as u32).filter(|&v| is_in[v as usize]).collect()
        }
    }
}

/// Which faces are reached from one over edges that bend by no more than an angle.
fn within_creases(geometry: &Geometry, start: u32, degrees: f32) -> Vec<bool> {
    let (mesh, topology, normals) = (geometry.mesh(), geometry.topology(), geometry.face_normals());
    // Of 180° it would be endless; there, everything is within reach.
    let half_tangent = match degrees + ANGLE_ROUNDING {
        most if most < 180.0 => (most / 2.0).to_radians().tan(),
        _ => f32::INFINITY,
    };
    let mut is_in = vec![false; mesh.face_count()];
    is_in[start as usize] = true;
    // A face without area has no side: it is entered from anywhere, and left as from before it.
    let mut open = vec![(start, normals[start as usize])];
    while let Some((face, normal)) = open.pop() {
        for corner in mesh.face_corners(face as usize) {
            let mut other = topology.across(corner);
            while other != corner {
                let neighbour = topology.face_of(other);
                if !is_in[neighbour] {
                    let theirs = normals[neighbour];
                    if bends::is_within(normal, theirs, half_tangent) {
                        is_in[neighbour] = true;
                        let normal = if theirs == Vec3::ZERO { normal } else { theirs };
                        open.push((neighbour as u32, normal));
                    }
                }
                other = topology.across(other);
            }
        }
    }
    is_in
}

/// The connected elements whose values are those of one of them. Elements are connected within a
/// face, and with those at the same point or beyond the same edge.
fn same_values(
    geometry: &Geometry,
    placement: Placement,
    values: &[Rgba],
    channels: Channels,
    start: u32,
    tolerance: f32,
) -> Vec<u32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let wanted = values[start as usize];
    let is_same = |element: u32| {
        let value = values[element as usize];
        (0..4).all(|i| !channels.0[i] || (value[i] - wanted[i]).abs() <= tolerance)
    };
    let mut is_in = vec![false; values.len()];
    is_in[start as usize] = true;
    let mut open = vec![start];
    while let Some(element) = open.pop() {
        let element = element as usize;
        let mut meet = |other: u32| {
            if !is_in[other as usize] && is_same(other) {
                is_in[other as usize] = true;
                open.push(other);
            }
        };
        match placement {
            Placement::Face => {
                for corner in mesh.face_corners(element) {
                    let mut other = topology.across(corner);
                    while other != corner {
                        meet(topology.face_of(other) as u32);
                        other = topology.across(other);
                    }
                }
            }
            Placement::Corner => {
                let vertex = mesh.corner_vertices()[element] as usize;
                mesh.face_corners(topology.face_of(element)).for_each(|c| meet(c as u32));
                topology.corners_at(vertex).iter().for_each(|&c| meet(c));
            }
            Placement::Vertex => {
                for &corner in topology.corners_at(element) {
                    let face = topology.face_of(corner as usize);
                    mesh.face_vertices(face).iter().for_each(|&v| meet(v));
                }
            }
        }
    }
    (0..is_in.len() as u32).filter(|&element| is_in[element as usize]).collect()
}
