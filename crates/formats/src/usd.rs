//! USD as text (`.usda`), binary (`.usdc`), either (`.usd`) and packed (`.usdz`): prims with typed
//! attributes. Text and packages are written; all four are read, by the crate `openusd`, with
//! references, payloads, sublayers, variants and instances.
//!
//! `primvars:displayColor` and `displayOpacity` hold the first color set, in linear light; further
//! sets are primvars of their own names, each with the interpolation that fits its placement:
//! `vertex`, `faceVarying` (corners) or `uniform` (faces). Our own files say in `customData` what a
//! set is called and how it is encoded; other readers pass over it.

mod files;
pub mod primvars;
pub mod read;
pub mod write;

use crate::{FormatError, Place};

fn broken(cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::File, cause, "the file is damaged: export it again")
}
