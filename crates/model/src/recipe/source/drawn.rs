//! What follows lines on the surface: one that was drawn, the rim of a selection; and patterns.

use serde::{Deserialize, Serialize};

use super::{
    Direction, NoiseSpace, Triple, is_default,
    sound::{DIRECTION, LENGTHS, all_sound, is_length, is_share, is_way, said},
    upwards,
};

/// A line on the surface through points, with what is told of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LineSource))]
#[serde(deny_unknown_fields)]
pub struct Line {
    /// The points, of the part's space: between two the line goes straight, on the surface.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<[f32; 3]>))]
    pub points: Vec<Triple>,
    /// Whether it goes back to its first point.
    #[serde(default, skip_serializing_if = "is_default")]
    pub closed: bool,
    /// What is told.
    #[serde(default)]
    pub tells: LineTells,
    /// The distance along the surface at which it ends; 0 for everywhere.
    #[serde(default)]
    pub reach: f32,
}

/// What is told of a line.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LineTells {
    /// The distance to it along the surface: 0 on it, 1 at the reach and beyond.
    #[default]
    Distance,
    /// How far along it its nearest point is: 0 at its start, 1 at its end.
    Progress,
}

/// The most points of a line.
pub const MOST_LINE_POINTS: usize = 1000;

impl Line {
    pub(super) fn problem(&self) -> Option<String> {
        let Self { points, reach, .. } = self;
        said(is_length(*reach), LENGTHS)
            .or_else(|| {
                let is_sound = points.iter().flatten().all(|x| x.is_finite());
                said(is_sound, "each point of the line needs three numbers")
            })
            .or_else(|| {
                let words = format!("a line has {MOST_LINE_POINTS} points at most");
                said(points.len() <= MOST_LINE_POINTS, &words)
            })
    }
}

/// How far it is to the rim of a selection, along the surface: ½ on the rim, more within, 1 and 0 at
/// the reach and beyond.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RimSource))]
#[serde(deny_unknown_fields)]
pub struct Rim {
    /// The selection or group, by its name; what the part's mask protects when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<String>,
    /// The distance of 0 and of 1; 0 for a tenth of the part's diagonal.
    #[serde(default)]
    pub reach: f32,
}

impl Rim {
    pub(super) fn problem(&self) -> Option<String> {
        said(is_length(self.reach), LENGTHS)
    }
}

/// A pattern that comes again and again.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PatternSource))]
#[serde(deny_unknown_fields)]
pub struct Pattern {
    /// What it shows.
    #[serde(default)]
    pub shows: PatternKind,
    /// After which length it comes again; 0 for a tenth of the part's diagonal, or of the image in UV.
    #[serde(default)]
    pub size: f32,
    /// How high a brick is beside its length.
    #[serde(default = "half")]
    pub flat: f32,
    /// How far each course of bricks is moved beside the one below, in bricks.
    #[serde(default = "half")]
    pub bond: f32,
    /// How much of the size stripes or joints between bricks take up, 0–1; by itself ½ and 0.1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub share: Option<f32>,
    /// How much of the size it takes to go from 0 to 1, 0–1.
    #[serde(default)]
    pub softness: f32,
    /// Which way it comes again; upwards for bricks and checks.
    #[serde(default = "upwards")]
    pub along: Direction,
    /// Where it is looked up.
    #[serde(default)]
    pub space: NoiseSpace,
    /// Whether every check or brick has a number of its own, by chance.
    #[serde(default, skip_serializing_if = "is_default")]
    pub each: bool,
    /// What those come from.
    #[serde(default)]
    pub seed: u32,
}

/// What a pattern shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum PatternKind {
    /// Up and down, as a sine.
    #[default]
    Waves,
    /// 1 in stripes, 0 between them.
    Stripes,
    /// 0 and 1 by turns in squares.
    Checks,
    /// 1 on bricks, 0 in the joints.
    Bricks,
}

impl Pattern {
    /// How much of the size stripes or joints take up.
    #[must_use]
    pub fn share(&self) -> f32 {
        self.share.unwrap_or(if self.shows == PatternKind::Bricks { 0.1 } else { 0.5 })
    }

    pub(super) fn problem(&self) -> Option<String> {
        let Self { size, flat, bond, softness, along, .. } = self;
        said(is_length(*size), LENGTHS)
            .or_else(|| said(is_way(along), DIRECTION))
            .or_else(|| {
                let is_sound = (0.01..=100.0).contains(flat);
                said(is_sound, "bricks are 0.01 to 100 times as high as long")
            })
            .or_else(|| {
                let is_sound = all_sound([*bond, *softness, self.share()], is_share);
                said(is_sound, "bond, share and softness must lie between 0 and 1")
            })
    }
}

fn half() -> f32 {
    0.5
}
