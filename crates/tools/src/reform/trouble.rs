//! Why a shape cannot be changed.

use speckle_mesh::MeshError;

use super::{detail, displace, drape, mend, parting, smooth, subdivide, trim};
use crate::{decimate::DecimationError, layout};

/// Why a shape stays as it is.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ReformError {
    /// There is no such selection.
    #[error(
        "{part} has no selection or group called {name}: choose another, or take the whole part"
    )]
    NoSelection {
        /// The part.
        part: String,
        /// What was asked for.
        name: String,
    },
    /// A length makes no sense.
    #[error("the length that edges are split to is a number above 0")]
    Length,
    /// It already is what it would become.
    #[error("nothing would change: {0}")]
    Nothing(&'static str),
    /// Fewer triangles cannot be made.
    #[error(transparent)]
    Decimation(#[from] DecimationError),
    /// Finer faces cannot.
    #[error(transparent)]
    Subdivision(#[from] subdivide::SubdivisionError),
    /// Nothing can be mended.
    #[error(transparent)]
    Mending(#[from] mend::MendingError),
    /// Points cannot be moved.
    #[error(transparent)]
    Displacement(#[from] displace::DisplacementError),
    /// Nothing can be smoothed.
    #[error(transparent)]
    Smoothing(#[from] smooth::SmoothingError),
    /// Nothing can be cut.
    #[error(transparent)]
    Trimming(#[from] trim::TrimmingError),
    /// No sheet can be laid over it.
    #[error(transparent)]
    Draping(#[from] drape::DrapeError),
    /// It is not split or joined.
    #[error(transparent)]
    Parting(#[from] parting::PartingError),
    /// It does not become finer.
    #[error(transparent)]
    Detail(#[from] detail::DetailError),
    /// It cannot be laid out.
    #[error(transparent)]
    Layout(#[from] layout::LayoutError),
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}
