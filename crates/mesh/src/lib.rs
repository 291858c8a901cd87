//! Meshes and where they are seen from: points and faces, what is derived from them, where parts
//! stand, and what lies along a line of sight.
//!
//! Nothing here knows of colors.

pub mod arrays;
pub mod body;
pub mod carry;
pub mod geometry;
pub mod mesh;
pub mod morton;
pub mod placement;
pub mod remap;
pub mod reshape;
pub mod scene;
pub mod screen;
pub mod sight;
pub mod slice;
pub mod solid;
pub mod transform;

pub use geometry::{ContentId, Geometry};
pub use mesh::{Mesh, MeshError};
pub use placement::Placement;
pub use transform::{Conversion, Transform, Unit, UpAxis};
