//! The files of images that a project keeps.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

/// An image as it came in: its file under a name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ImageRecord {
    /// What recipes call it.
    pub name: String,
    /// The file as it is.
    #[serde(with = "speckle_mesh::arrays")]
    pub file: Arc<Vec<u8>>,
}
