//! What is said of parts and of the project, beside shapes and colors.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::transform::{Transform, Unit, UpAxis};

/// What is said of a part: small, and changed as a whole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PartTraits {
    /// What the user calls it; no two parts of a project are called the same.
    pub name: String,
    /// Whether it is seen on the stage.
    #[serde(default = "yes")]
    pub visible: bool,
    /// Whether nothing about it may change.
    #[serde(default)]
    pub locked: bool,
    /// Where it stands.
    #[serde(default)]
    pub transform: Transform,
    /// Named groups of its faces.
    #[serde(default)]
    pub selections: Arc<Vec<Selection>>,
    /// The groups it stands in, by name, the outermost first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub path: Vec<String>,
}

fn yes() -> bool {
    true
}

impl PartTraits {
    /// Those of a part that just came in.
    #[must_use]
    pub fn new(name: String, selections: Vec<Selection>) -> Self {
        let transform = Transform::IDENTITY;
        let selections = Arc::new(selections);
        Self { name, visible: true, locked: false, transform, selections, path: Vec::new() }
    }
}

/// A named group of faces.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Selection {
    /// What the file or the user calls it.
    pub name: String,
    /// The faces, ascending.
    #[serde(with = "crate::arrays")]
    pub faces: Vec<u32>,
}

/// What the project's numbers mean.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ProjectTraits {
    /// What one step of every length is.
    pub unit: Unit,
    /// The axis that points up.
    pub up: UpAxis,
}
