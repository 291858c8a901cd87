//! What a session can be asked, and by whom.

use std::sync::{Arc, mpsc::Sender};

use speckle_core::{
    Edit,
    document::{Made, RecipeId},
};
use speckle_mesh::Geometry;
use speckle_model::{
    Digest, ImageRecord, Part, PartId, ProjectTraits, proof::Proof, swatches::Swatch,
    volumes::Volume,
};
use speckle_store::StoreError;
use speckle_tools::{
    bake::BakeError,
    layers::PrintSetup,
    stencil::{Stencil, StencilId},
};
use tokio::sync::{OwnedSemaphorePermit, oneshot};

use crate::{
    outbox::Outbox,
    tasted::Tasted,
    wire::{ClientMessage, HeldMesh},
};

/// Counts what was handed over to be written.
pub type Serial = u64;

/// Names a connection.
pub type ClientId = u32;

/// What a session can be asked.
pub enum Command {
    /// A client connects; it is told everything but the meshes it holds.
    Join(ClientId, Hand, Vec<HeldMesh>),
    /// A client is gone; its stroke ends and is kept.
    Leave(ClientId),
    /// A client says something; it may say more when the permit is let go.
    Say(ClientId, ClientMessage, OwnedSemaphorePermit),
    /// Everything up to a serial number is on disk.
    Kept(Serial),
    /// Something could not be written, nor anything after it.
    NotKept(Serial, StoreError),
    /// The server stops: strokes end and are kept. The sender is let go when that is done.
    Close(Sender<()>),
    /// An edit from elsewhere, with who made it; answered with whether anything changed.
    Edit(Edit, String, oneshot::Sender<Result<bool, String>>),
    /// The parts as they are, sharing their arrays.
    Parts(oneshot::Sender<Now>),
    /// An image that paint may be laid on through; answered with its name.
    Stencil(Arc<Stencil>, oneshot::Sender<StencilId>),
    /// A recipe was made, or could not be.
    Made(RecipeId, Digest, Result<Box<Made>, BakeError>),
    /// A draft of a recipe that is being made.
    Drafted(RecipeId, Digest, Box<Tasted>),
    /// A recipe that a client asked to try, or why it cannot be made.
    Tried(ClientId, u32, RecipeId, Result<Box<Tasted>, BakeError>),
    /// How many triangles what a client asked about will add.
    FoundAhead(ClientId, u32, usize),
    /// A tree was grown over a mesh that is called so.
    Grown(PartId, String, Box<Geometry>),
    /// The project has another name.
    Renamed(String),
    /// The project is gone.
    Gone,
}

/// A client: its name, and the way to it.
pub struct Hand {
    /// Under which its changes are kept.
    pub name: String,
    /// Takes messages for it.
    pub outbox: Outbox,
}

/// A project as it is now.
#[derive(Clone)]
pub struct Now {
    /// Its name.
    pub name: String,
    /// What its numbers mean.
    pub traits: ProjectTraits,
    /// Counts every change, undo and redo.
    pub revision: i64,
    /// Its parts.
    pub parts: Vec<Part>,
    /// Its palette.
    pub swatches: Vec<Swatch>,
    /// Its volumes, those that lie over others first.
    pub volumes: Vec<Volume>,
    /// How it is printed, where that was said.
    pub print: Option<PrintSetup>,
    /// How it is proofed.
    pub proof: Proof,
    /// The recipes that would make something else by now.
    pub stale: Vec<RecipeId>,
    /// Its images.
    pub images: Vec<ImageRecord>,
}
