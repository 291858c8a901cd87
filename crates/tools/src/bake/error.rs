//! Why a recipe makes nothing.

use super::watch::GivenUp;

/// Why a recipe makes nothing; what was there stays.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BakeError {
    /// Someone gave it up.
    #[error("given up: what was there stays")]
    GivenUp,
    /// A step makes no sense.
    #[error("{0}")]
    Recipe(String),
    /// A recipe looks at what it makes.
    #[error(
        "{0} looks at what it makes itself, by way of others: choose another channel in one of them"
    )]
    Circle(String),
    /// The part has no such UV set.
    #[error(
        "the part {part} has no UV set {wanted}: it has {there}. Choose another, or lay the image \
         along an axis, which needs no UVs"
    )]
    NoUvs {
        /// The part's name.
        part: String,
        /// Its number, from 1.
        wanted: usize,
        /// How many there are.
        there: usize,
    },
    /// There is no such image.
    #[error("the image {0} is not in the project: add it to the step, or choose another")]
    NoImage(String),
    /// An image has no number of a tile.
    #[error("the image {0} is no tile: its name has no number from 1001 on, as in Skin.1001.png")]
    NoTile(String),
    /// An image cannot be unpacked.
    #[error("the image {name} {cause}")]
    UnreadImage {
        /// Its name.
        name: String,
        /// Why.
        cause: String,
    },
    /// The part brought no colors of its materials.
    #[error(
        "the part {0} brought no colors of materials: its file had none, or its material file was \
         not chosen together with it"
    )]
    NoMaterial(String),
    /// There is no such set.
    #[error("the part {part} has no set {set}: choose another in the step")]
    NoSet {
        /// The part's name.
        part: String,
        /// The set's name.
        set: String,
    },
    /// There is no such part.
    #[error("there is no part {0}: choose another in the step")]
    NoPart(String),
    /// Numbers cannot go from one mesh to another one by one.
    #[error("the part {0} has another mesh: numbers go between sets of the same mesh only")]
    OtherMesh(String),
    /// There is no such selection.
    #[error("the part {part} has no selection {name}: make one in Paint, or choose another")]
    NoSelection {
        /// The part's name.
        part: String,
        /// The selection's name.
        name: String,
    },
    /// Nothing is selected.
    #[error("the selection {0} is empty: select something in Paint first, or choose another root")]
    EmptySelection(String),
    /// The surface is closed.
    #[error("the part {0} has no open edge: its surface is closed. Choose another root")]
    NoOpenEdge(String),
    /// Two parts do not touch.
    #[error(
        "the parts {part} and {other} touch nowhere: move them together, or let more count as \
         touching"
    )]
    Apart {
        /// The part's name.
        part: String,
        /// The other's.
        other: String,
    },
    /// Two parts lie nowhere together.
    #[error(
        "nothing of {other} lies near enough to {part} and looks the same way: put the two where \
         they belong, or let them lie further apart"
    )]
    FarApart {
        /// The part's name.
        part: String,
        /// The other's.
        other: String,
    },
    /// There is no mask.
    #[error("the part {0} has no mask: make one in Paint, or choose a selection")]
    NoMask(String),
    /// There is nothing to measure on.
    #[error("the part has no surface to start from")]
    NoSurface,
}

impl From<GivenUp> for BakeError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}
