//! STL, text and binary (3D Systems 1989, by its common description): triangles one by one, which
//! are welded to a mesh on the way in. It carries no color.

pub mod read;
mod weld;
pub mod write;

/// Bytes before the triangle count of a binary file.
const HEADER: usize = 80;
/// Bytes of a binary triangle: normal, three points, attribute.
const TRIANGLE: usize = 50;
