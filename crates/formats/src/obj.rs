//! Wavefront OBJ: polygons as text, with colors behind the coordinates of a vertex.
//!
//! Six or seven numbers on a `v` line are a place and a color (common practice, no source); the
//! numbers are taken as they are shown, sRGB-encoded. The diffuse colors (`Kd`) of the MTL file
//! beside it become a color for each face.

mod materials;
pub mod read;
pub mod write;
