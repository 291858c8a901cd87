//! Color computed from the shape.

pub mod noise;
pub mod occlusion;
pub mod samples;
pub mod watch;
