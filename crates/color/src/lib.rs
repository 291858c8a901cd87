//! What numbers mean as colors: encodings, differences, blends, curves, ramps, noise, images.
//!
//! Nothing here knows of meshes, sets or projects.

pub mod blend;
pub mod channels;
pub mod curve;
pub mod difference;
pub mod figures;
pub mod mean;
pub mod noise;
pub mod numbers;
pub mod pixels;
pub mod ramp;
pub mod tone;

pub use channels::{Channels, Encoding, MOST_PAINTED, Measure, swatch_of, swatch_value};
pub use numbers::{
    Linear, Rgba, byte_from_unit, bytes_from_rgba, linear_from_srgb, rgba_from_bytes,
    srgb_from_linear,
};
