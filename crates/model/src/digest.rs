//! Names by content.

use serde::{Deserialize, Serialize};

/// Names all that something depends on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// Of anything that can be written down.
    #[must_use]
    pub fn of(what: &impl Serialize) -> Self {
        let mut hasher = blake3::Hasher::new();
        // Numbers as their bits: what differs in the least is something else.
        let bytes = rmp_serde::to_vec(what).unwrap_or_default();
        hasher.update(&bytes);
        Self(*hasher.finalize().as_bytes())
    }
}
