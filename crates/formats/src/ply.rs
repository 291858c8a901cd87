//! PLY, the Polygon File Format (Greg Turk, 1994): text or binary, elements with named properties.
//!
//! Colors are taken for sRGB-encoded (common practice, no source), 8-bit or float, per vertex or
//! per face. Our own files name their sets in comments of the form
//! `comment color_set vertex data Wear`, which other readers pass over.

pub mod header;
pub mod read;
pub mod write;
