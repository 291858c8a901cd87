//! What another part has where the two lie together.

use serde::{Deserialize, Serialize};

use super::{
    is_default, is_ninety, ninety,
    sound::{LENGTHS, is_length, said},
};
use crate::recipe::Target;

/// How a place on one surface is found for an element of another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Along {
    /// The nearest point of the surface.
    #[default]
    Nearest,
    /// The nearest one along the element's normal, either way.
    Normal,
    /// The outermost one along it: what a cage around the source meets first.
    Outermost,
}

/// What a channel of another part has where that lies: a light copy follows its dense original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct FromPart {
    /// The part, by its name.
    pub part: String,
    /// Its set, by its name.
    pub set: String,
    /// R, G, B, A, or RGB for all three.
    pub channel: Target,
    /// How places are found.
    #[serde(default, skip_serializing_if = "is_default")]
    pub along: Along,
    /// How far the two surfaces may lie apart, in the project's unit; 0 for as far as they do.
    #[serde(default, skip_serializing_if = "is_default")]
    pub within: f32,
    /// By how much the two surfaces may look different ways, degrees, 0–180.
    #[serde(default = "ninety", skip_serializing_if = "is_ninety")]
    pub angle: f32,
}

impl FromPart {
    pub(super) fn problem(&self) -> Option<String> {
        said(is_length(self.within), LENGTHS).or_else(|| {
            let is_angle = (0.0..=180.0).contains(&self.angle);
            said(is_angle, "the angle must lie between 0 and 180°")
        })
    }

    pub(super) fn is_three(&self) -> bool {
        matches!(self.channel, Target::Rgb | Target::Rgba)
    }
}
