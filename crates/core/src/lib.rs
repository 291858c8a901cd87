//! The job itself: meshes, color sets, strokes, and the document that holds them.
//!
//! No I/O, no async, no clock and no global state live here. Everything a user can do is an
//! [`Edit`]; the only way to change a project is [`Document::apply`] (and its sliced form for a
//! stroke that is still under the hand), and every change comes back as a reversible [`Change`].

pub mod adjust;
pub mod arrays;
pub mod bake;
pub mod blend;
pub mod color;
pub mod color_set;
pub mod compare;
pub mod curve;
pub mod difference;
pub mod document;
pub mod figures;
pub mod geometry;
pub mod image_file;
pub mod json;
pub mod map;
pub mod materials;
pub mod mesh;
pub mod names;
pub mod partners;
pub mod picture;
pub mod pixels;
pub mod ramp;
pub mod recipe;
pub mod region;
pub mod replacing;
pub mod scene;
pub mod screen;
pub mod separation;
pub mod stencil;
pub mod stroke;
pub mod swatches;
pub mod transform;
pub mod views;

pub use color_set::{Channels, ColorSet, Encoding, Placement, SetId};
pub use document::{
    Change, Document, Edit, EditError, HandId, Part, PartId, PartTraits, Patch, ProjectTraits,
    Selection, Step,
};
pub use geometry::{ContentId, Geometry};
pub use materials::{Material, Materials};
pub use mesh::{Mesh, MeshError};
pub use names::LONGEST_NAME;
pub use transform::{Conversion, Transform, Unit, UpAxis};
