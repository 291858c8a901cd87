//! What comes over a surface with time: water that runs down, dust that settles, a line of water.

use serde::{Deserialize, Serialize};

use super::{
    is_default, some_rays,
    sound::{LENGTHS, all_sound, is_length, said},
    yes,
};

/// Where water runs down: 1 along a run, less towards its end and its sides. It comes down from above
/// on what lies open, goes the steepest way, falls from what overhangs and stays in hollows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Streaks {
    /// The selection it comes out of, by its name; where the sky is seen straight above when not
    /// given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// How far apart runs begin; 0 for a twentieth of the part's diagonal.
    #[serde(default)]
    pub apart: f32,
    /// How far the longest runs; 0 for a third of the diagonal.
    #[serde(default)]
    pub length: f32,
    /// How wide a run is; 0 for a hundredth of the diagonal.
    #[serde(default)]
    pub width: f32,
    /// How far runs stray from the steepest way, 0–1.
    #[serde(default, skip_serializing_if = "is_default")]
    pub stray: f32,
    /// Whether other visible parts keep the water off.
    #[serde(default = "yes")]
    pub other_parts: bool,
    /// What all that is random comes from.
    #[serde(default)]
    pub seed: u32,
}

impl Streaks {
    pub(super) fn problem(&self) -> Option<String> {
        let Self { apart, length, width, stray, .. } = self;
        said(all_sound([*apart, *length, *width], is_length), LENGTHS)
            .or_else(|| said((0.0..=1.0).contains(stray), "runs stray by a share between 0 and 1"))
    }
}

/// How much dust lies: it comes down from above, slides from what is steep and is blown from what
/// lies open.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Dust {
    /// The slope on which nothing stays, degrees.
    #[serde(default = "sixty")]
    pub slope: f32,
    /// From how far to the side it drifts in on its way down, degrees.
    #[serde(default = "thirty")]
    pub drift: f32,
    /// How much the wind takes where it gets at everything, 0–1.
    #[serde(default = "half")]
    pub wind: f32,
    /// How far what keeps off the wind may be; 0 for a tenth of the part's diagonal.
    #[serde(default)]
    pub shelter: f32,
    /// Whether other visible parts keep off dust and wind.
    #[serde(default = "yes")]
    pub other_parts: bool,
    /// How many rays from each element.
    #[serde(default = "some_rays")]
    pub rays: u32,
    /// What all that is random comes from.
    #[serde(default)]
    pub seed: u32,
}

impl Dust {
    pub(super) fn problem(&self) -> Option<String> {
        let Self { slope, drift, wind, shelter, .. } = self;
        said(is_length(*shelter), LENGTHS)
            .or_else(|| {
                let is_sound = *slope > 0.0 && *slope <= 90.0 && (0.0..=90.0).contains(drift);
                said(
                    is_sound,
                    "the slope must lie above 0 and up to 90°, the drift between 0 and 90°",
                )
            })
            .or_else(|| said((0.0..=1.0).contains(wind), "the wind takes a share between 0 and 1"))
    }
}

/// What stood in water: 1 below a height, with a ragged rim that splashed higher here and there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Waterline {
    /// The height of the water in the project; a third of the way up the part when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub height: Option<f32>,
    /// How high it splashes at most; 0 for a twentieth of the part's diagonal.
    #[serde(default)]
    pub splash: f32,
    /// How wide a splash is; 0 for as wide as it is high.
    #[serde(default)]
    pub width: f32,
    /// How deep below the line the mark of the water goes, as where it dried; 0 for all the way down.
    #[serde(default, skip_serializing_if = "is_default")]
    pub band: f32,
    /// What all that is random comes from.
    #[serde(default)]
    pub seed: u32,
}

impl Waterline {
    pub(super) fn problem(&self) -> Option<String> {
        let Self { height, splash, width, band, .. } = self;
        said(all_sound([*splash, *width, *band], is_length), LENGTHS).or_else(|| {
            said(height.is_none_or(f32::is_finite), "the height of the water must be a number")
        })
    }
}

/// How much edges and ridges are worn: 1 along a square edge that a ball can roll over, 0 in the flat
/// and where it does not get.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Wear {
    /// How wide what is worn off is, as a radius; 0 for a hundredth of the part's diagonal.
    #[serde(default)]
    pub width: f32,
    /// The radius of what rubs: a smaller ball gets deeper into corners; 0 for three times the width.
    #[serde(default)]
    pub ball: f32,
    /// How far the wear is broken up, 0–1: where it is weak it comes and goes.
    #[serde(default = "half")]
    pub broken: f32,
    /// How long the stretches are; 0 for three times the width.
    #[serde(default)]
    pub grain: f32,
    /// Whether other visible parts keep the ball off.
    #[serde(default = "yes")]
    pub other_parts: bool,
    /// What all that is random comes from.
    #[serde(default)]
    pub seed: u32,
}

impl Wear {
    pub(super) fn problem(&self) -> Option<String> {
        let Self { width, ball, broken, grain, .. } = self;
        said(all_sound([*width, *ball, *grain], is_length), LENGTHS).or_else(|| {
            said((0.0..=1.0).contains(broken), "the wear is broken up by a share between 0 and 1")
        })
    }
}

fn half() -> f32 {
    0.5
}
fn thirty() -> f32 {
    30.0
}
fn sixty() -> f32 {
    60.0
}
