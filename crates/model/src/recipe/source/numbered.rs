//! What programs are told of pieces: where each is moored, and its number.

use serde::{Deserialize, Serialize};

use super::{
    Among, Direction, Triple,
    sound::{DIRECTION, is_way, said},
    words::SpaceBox,
};

/// Where each piece is moored: x, y and z within a box as 0 to 1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PivotSource))]
#[serde(deny_unknown_fields)]
pub struct Pivot {
    /// What is told apart.
    #[serde(default)]
    pub by: Among,
    /// Towards which end of it; its middle when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub end: Option<Direction>,
    /// The box, of the part's space; the part's own when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<SpaceBox>,
}

impl Pivot {
    pub(super) fn problem(&self) -> Option<String> {
        said(self.end.as_ref().is_none_or(is_way), DIRECTION)
            .or_else(|| self.within.as_ref().and_then(SpaceBox::problem))
    }
}

/// The number of each piece, from 0, as a share of the largest that so many bits hold.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PieceNumberSource))]
#[serde(deny_unknown_fields)]
pub struct PieceNumber {
    /// What is told apart.
    #[serde(default)]
    pub by: Among,
    /// 8 or 16: of the latter a *byte* shaping takes each half.
    #[serde(default = "eight")]
    pub bits: u32,
}

impl PieceNumber {
    pub(super) fn problem(&self) -> Option<String> {
        said(matches!(self.bits, 8 | 16), "a number has 8 or 16 bits")
    }

    /// The largest number.
    #[must_use]
    pub fn most(&self) -> u32 {
        (1 << self.bits) - 1
    }
}

fn eight() -> u32 {
    8
}

impl SpaceBox {
    pub(super) fn problem(&self) -> Option<String> {
        let is_finite = |v: &Triple| v.iter().all(|x| x.is_finite());
        let is_sound = is_finite(&self.low) && is_finite(&self.high);
        let has_sides = (0..3).all(|k| self.low[k] < self.high[k]);
        said(is_sound && has_sides, "the box needs two corners, the second beyond the first")
    }
}
