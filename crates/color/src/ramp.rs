//! Color ramps: from a number to a color.

use serde::{Deserialize, Serialize};

use crate::{channels::Encoding, numbers::Rgba};

/// The most stops a ramp has.
pub const MOST_STOPS: usize = 32;

/// A color at a place of a ramp.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Stop {
    /// Where it is, 0–1.
    pub at: f32,
    /// The color, sRGB-encoded.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
    pub color: Rgba,
}

/// What makes a ramp impossible, said for the user.
#[must_use]
pub fn problem(ramp: &[Stop]) -> Option<&'static str> {
    let unit = |x: &f32| (0.0..=1.0).contains(x);
    if ramp.is_empty() || ramp.len() > MOST_STOPS {
        Some("a ramp needs 1 to 32 colors")
    } else if !ramp.iter().all(|stop| unit(&stop.at) && stop.color.iter().all(unit)) {
        Some("a ramp's places and colors must lie between 0 and 1")
    } else if !ramp.is_sorted_by(|a, b| a.at <= b.at) {
        Some("a ramp's places must ascend")
    } else {
        None
    }
}

/// The color at a number; between two stops they are mixed as the numbers count: the light of colors,
/// so that a ramp from black shades a color as light would; data as it is, so that one from 0 to 1
/// changes nothing.
#[must_use]
pub fn at(ramp: &[Stop], number: f32, encoding: Encoding) -> Rgba {
    let after = ramp.partition_point(|stop| stop.at <= number);
    match (after.checked_sub(1).map(|i| ramp[i]), ramp.get(after)) {
        (Some(low), Some(high)) => {
            let share = (number - low.at) / (high.at - low.at);
            let light = |stop: Stop| encoding.linear(stop.color);
            encoding.stored(light(low).towards(light(*high), share))
        }
        (Some(only), None) => only.color,
        (None, Some(only)) => only.color,
        (None, None) => [0.0; 4],
    }
}
