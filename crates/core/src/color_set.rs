//! A color set: four channels of values at the vertices, corners or faces of one part.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::{color::Rgba, mesh::Mesh};

/// Names a set within its project; never used again after the set is gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct SetId(pub u32);

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
    pub fn count(self, mesh: &Mesh) -> usize {
        match self {
            Self::Vertex => mesh.vertex_count(),
            Self::Corner => mesh.corner_count(),
            Self::Face => mesh.face_count(),
        }
    }
}

/// What the numbers of a set mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Encoding {
    /// sRGB-encoded color, the numbers a picker shows; alpha is a plain number.
    Color,
    /// Plain numbers, which no format may bend.
    Data,
}

/// Which of R, G, B, A a tool writes to; the others stay bit-identical.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct Channels(pub [bool; 4]);

impl Channels {
    /// R, G and B, but not alpha.
    pub const RGB: Self = Self([true, true, true, false]);
    /// All four.
    pub const RGBA: Self = Self([true; 4]);

    /// True when no channel is chosen.
    #[must_use]
    pub fn is_empty(self) -> bool {
        self.0 == [false; 4]
    }
}

/// Four channels of values over one part. The big array is shared and copied on write.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ColorSet {
    /// Names the set within the project.
    pub id: SetId,
    /// What the user calls it.
    pub name: String,
    /// What each value belongs to.
    pub placement: Placement,
    /// Whether the numbers are colors or plain data.
    pub encoding: Encoding,
    /// What the set was flooded with at its start: the *ground color*.
    pub ground: Rgba,
    /// One value per element of `placement`, as stored: color sets hold sRGB-encoded numbers.
    #[serde(with = "crate::arrays")]
    pub values: Arc<Vec<Rgba>>,
}
