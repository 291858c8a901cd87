//! A project in memory: everything a user can do to it, and how to take it back.
//!
//! No I/O, no async, no clock and no global state live here. Everything a user can do is an
//! [`Edit`]; the only way to change a project is [`Document::apply`] (and its sliced form for a
//! stroke that is still under the hand), and every change comes back as a reversible [`Change`].

pub mod checks;
pub mod document;

pub use document::{
    Change, ChangeStep, ChannelEdit, Document, Edit, EditError, HandId, HelperEdit, ImageEdit,
    PaintEdit, PartEdit, Patch, ProjectEdit, ProofEdit, RecipeEdit, ReplaceEdit, SetEdit,
    SwatchEdit, VolumeEdit,
};
