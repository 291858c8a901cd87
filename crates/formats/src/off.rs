//! OFF, the Object File Format (Geomview): points and faces as plain text.
//!
//! Vertex colors follow the coordinates where the first word has a C in front (`COFF`), and follow
//! them in many files that say nothing; face colors end a face's line. Whole numbers count to 255,
//! others to 1. Encoded as shown (common practice, no source).

pub mod read;
pub mod write;
