//! Why an edit is not made.

use speckle_mesh::ContentId;
use speckle_model::{MOST_HELPERS, MOST_SETS, names::NameError};

/// Why an edit was not made; the document is as it was.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// The part is gone or never was.
    #[error("there is no such part in this project any more")]
    NoSuchPart,
    /// The set is gone or never was.
    #[error("the part {part} has no such set any more")]
    NoSuchSet {
        /// The part's name.
        part: String,
    },
    /// A set's values do not fit its part.
    #[error("the set {set} has {got} values where its part needs {needed}")]
    WrongLength {
        /// The set's name.
        set: String,
        /// How many came.
        got: usize,
        /// How many it takes.
        needed: usize,
    },
    /// A part takes no more than [`MOST_SETS`].
    #[error("the part {part} carries {MOST_SETS} sets already, the most there can be")]
    TooManySets {
        /// The part's name.
        part: String,
    },
    /// A part takes no more than [`MOST_HELPERS`].
    #[error(
        "the part {part} keeps {MOST_HELPERS} selections and snapshots, the most there can be: \
         delete some first"
    )]
    TooManyHelpers {
        /// The part's name.
        part: String,
    },
    /// Two sets of one part would be called the same.
    #[error("the part {part} has a set called {name} already: choose another name")]
    NameTaken {
        /// The part's name.
        part: String,
        /// The name both would have.
        name: String,
    },
    /// Two parts would be called the same.
    #[error("there is a part called {0} already: choose another name")]
    PartNameTaken(String),
    /// The part may not change.
    #[error("the part {0} is locked: unlock it in Gather first")]
    Locked(String),
    /// The part cannot be seen, so it is not painted either.
    #[error("the part {0} is hidden: show it in Gather first")]
    Hidden(String),
    /// The transform makes no sense.
    #[error("{0}")]
    Transform(&'static str),
    /// A name that cannot be kept.
    #[error(transparent)]
    Name(#[from] NameError),
    /// Two snapshots would be called the same.
    #[error("there is a snapshot called {0} already: choose another name")]
    SnapshotTaken(String),
    /// The snapshot is gone or never was.
    #[error("there is no snapshot called {0} any more")]
    NoSuchSnapshot(String),
    /// The palette or the views make no sense.
    #[error("{0}")]
    Shelved(String),
    /// The stencil's image was let go.
    #[error("the stencil's image is not at hand any more: choose the file again")]
    NoSuchStencil,
    /// There are channels 0 to 3.
    #[error("a set has the channels R, G, B and A only")]
    NoSuchChannel,
    /// What is said of a channel makes no sense.
    #[error("{0}")]
    Channel(&'static str),
    /// No tool may change the channel.
    #[error("{0} is locked: unlock it on the channel board first")]
    LockedChannel(String),
    /// Numbers cannot go from one mesh to another one by one.
    #[error("{from} and {to} have different meshes: numbers go between sets of the same mesh only")]
    OtherMesh {
        /// The part they come from.
        from: String,
        /// The part they would go to.
        to: String,
    },
    /// Paint and coverage of a recipe are no sets of their own.
    #[error("this is the hand paint of a recipe: paint on the channel, or change the recipe")]
    Layer,
    /// The stroke makes no sense.
    #[error("{0}")]
    Stroke(&'static str),
    /// The recipe is gone or never was.
    #[error("there is no such recipe any more")]
    NoSuchRecipe,
    /// Points would grow beyond what 32-bit floats hold.
    #[error("the points of {0} would lie where no number leads")]
    TooFar(String),
    /// A change names a mesh that was not supplied.
    #[error("the mesh {0:?} is missing from the project")]
    MissingMesh(ContentId),
    /// A change does not fit the document it is laid on.
    #[error("this change does not fit the project as it is: {0}")]
    DoesNotFit(&'static str),
}
