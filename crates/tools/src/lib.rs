//! What is done to parts: baking, strokes, fills, adjustments, replacing, transfer, comparing, pictures.
//!
//! Everything takes parts and values and gives values; nothing here knows of documents or undo.

pub mod adjust;
pub mod align;
mod axes;
pub mod bake;
pub mod base;
mod bilinear;
pub mod compare;
pub mod decimate;
pub mod finer;
pub mod hollows;
pub mod image_file;
pub mod layers;
pub mod layout;
pub mod lit;
pub mod map;
pub mod mix;
pub mod motion;
mod on_surface;
pub mod picture;
pub mod raster;
pub mod reform;
pub mod region;
pub mod replacing;
pub mod separation;
pub mod softening;
pub mod solid;
pub mod spools;
pub mod stencil;
pub mod stroke;
pub mod swatching;
pub mod sweep;
pub mod transfer;
mod triangle;
pub mod volumes;
