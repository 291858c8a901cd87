//! Why nothing can be transferred.

use speckle_mesh::MeshError;

use crate::bake::watch::GivenUp;

/// Why nothing can be transferred.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum TransferError {
    /// There is nothing to take colors from.
    #[error("{0} carries no colors: choose another source, or give it a set first")]
    NoSets(String),
    /// An image cannot be unpacked.
    #[error("the image {name} {cause}")]
    UnreadImage {
        /// Its name.
        name: String,
        /// Why.
        cause: String,
    },
    /// No source was chosen.
    #[error("nothing is chosen to take colors from")]
    NoSource,
    /// No row says what goes where.
    #[error("no set is chosen to go anywhere")]
    NoRows,
    /// A row names a set that no source has.
    #[error("no source has a set {0}")]
    NoSuchSet(String),
    /// A row names a set of the part that is gone.
    #[error("{part} has no set of the number {set} any more: look at the table again")]
    NoTarget {
        /// The part.
        part: String,
        /// The set.
        set: u32,
    },
    /// Numbers of swatches do not go into colors, nor colors into them.
    #[error(
        "{from} and {to} cannot go into each other: one holds swatches; choose another set for it"
    )]
    Unlike {
        /// What would come.
        from: String,
        /// Where it would go.
        to: String,
    },
    /// A row names a channel that there is not.
    #[error("channels are numbered 0 to 3, and there is no {0}")]
    NoChannel(u8),
    /// Two rows want one set.
    #[error("two rows of the table go into {0}: put one of them elsewhere")]
    Twice(String),
    /// A part takes no more sets.
    #[error(
        "{new} sets would be new on {part}, which has room for {room}: let some go into sets that are there, or leave some out"
    )]
    NoRoom {
        /// The part.
        part: String,
        /// How many would be new.
        new: usize,
        /// How many it takes.
        room: usize,
    },
    /// There is no such selection.
    #[error("{part} has no selection or group called {name}")]
    NoSelection {
        /// The part.
        part: String,
        /// Its name.
        name: String,
    },
    /// The surfaces do not meet.
    #[error(
        "nothing of the source lies within {within} of {part}: the nearest point is {nearest} away. Let it reach further, or put the two where they belong"
    )]
    Apart {
        /// The part.
        part: String,
        /// How far was looked, with its unit left to the reader.
        within: f32,
        /// The least distance.
        nearest: f32,
    },
    /// All that is near looks another way.
    #[error(
        "the source lies at {part}, but looks another way everywhere: turn one of them inside out, or let the two look further apart"
    )]
    OtherWay {
        /// The part.
        part: String,
    },
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// The points cannot be brought to where the part stands.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// Someone gave it up.
    #[error("given up")]
    GivenUp,
}

impl From<GivenUp> for TransferError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}
