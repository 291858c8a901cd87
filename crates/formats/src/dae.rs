//! COLLADA 1.4.1 (Khronos): geometries with inputs of any meaning, placed by a tree of nodes.
//!
//! Each set is an input `COLOR` with its number as `set`. Encoded as shown (common practice, no
//! source). Our own files name a set by its source's `name` and tell its encoding in a `technique`
//! of its own, which other readers pass over.

pub mod read;
pub mod write;

/// The profile of what only we read.
const PROFILE: &str = "jaunty_speckle";
