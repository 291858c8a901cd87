//! What is wrong with a file, where, and what to do about it.

use std::fmt;

use serde::{Deserialize, Serialize};
use speckle_mesh::MeshError;

use crate::Limits;

/// Where in a file something is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Place {
    /// The file as a whole.
    File,
    /// A line of text, from 1.
    Line(usize),
    /// A byte, from 0.
    Byte(usize),
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::File => write!(f, "the file"),
            Self::Line(line) => write!(f, "line {line}"),
            Self::Byte(byte) => write!(f, "byte {byte}"),
        }
    }
}

/// What is wrong with a file, where, and what to do about it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, thiserror::Error)]
#[error("{place}: {cause}; {remedy}")]
pub struct FormatError {
    /// Where.
    pub place: Place,
    /// What is wrong.
    pub cause: String,
    /// What to do.
    pub remedy: String,
}

impl FormatError {
    pub(crate) fn new(place: Place, cause: impl Into<String>, remedy: impl Into<String>) -> Self {
        Self { place, cause: cause.into(), remedy: remedy.into() }
    }

    pub(crate) fn of_mesh(part: &str, error: &MeshError) -> Self {
        let remedy = match error {
            MeshError::VertexOutOfRange { .. } => {
                "the file is damaged or was cut short: export it again"
            }
            MeshError::NoFaces => "export the model as a surface, with its faces",
            _ => "export it again, or as another format",
        };
        Self::new(Place::File, format!("{part}: {error}"), remedy)
    }

    pub(crate) fn too_many_bytes(limits: Limits) -> Self {
        Self::new(
            Place::File,
            format!("the files with it have more than {} bytes, the limit set", limits.bytes),
            "raise the limit (--max-upload-mb), or reduce the mesh",
        )
    }

    pub(crate) fn too_many(limits: Limits) -> Self {
        Self::new(
            Place::File,
            format!("it holds more than {} elements, the limit set for imports", limits.elements),
            "raise the limit (--max-elements), or reduce the mesh",
        )
    }
}
