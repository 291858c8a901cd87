//! What the page would otherwise have to know a second time: limits, and what is meant where nothing
//! is said.

use serde::Serialize;
use serde_json::json;
use speckle_color::{Encoding, ramp::MOST_STOPS};
use speckle_core::document::MOST_IMAGES;
use speckle_model::{
    MOST_HELPERS, MOST_SETS,
    recipe::{
        MOST_STEPS, Merge, Source, Step,
        shaping::MOST_POINTS,
        source::{MOST_LAMPS, MOST_LINE_POINTS, MOST_SCALES},
    },
    swatches::MOST_SWATCHES,
    views::MOST_VIEWS,
};
use speckle_tools::{layers::MOST_RANGES, separation::MOST_SPOOLS};
use strum::VariantNames;
use utoipa::ToSchema;

/// Told when a connection begins.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Facts {
    /// The most there may be.
    pub limits: Limits,
    /// How steps of recipes meet what is above them where they do not say so.
    pub merges: Merges,
    /// Sources of recipes as they are where nothing more is said of them; those of which more must be
    /// said are not among them.
    pub sources: Vec<Source>,
}

/// The most there may be.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Limits {
    /// Sets of a part.
    pub sets: usize,
    /// Masks, selections and snapshots of a part.
    pub helpers: usize,
    /// Swatches of the palette.
    pub swatches: usize,
    /// Saved views.
    pub views: usize,
    /// Ranges of layers of another height.
    pub layer_ranges: usize,
    /// Images of a project.
    pub images: usize,
    /// Steps of a recipe.
    pub steps: usize,
    /// Points of a curve.
    pub curve_points: usize,
    /// Colors of a ramp.
    pub ramp_stops: usize,
    /// Scales of a source.
    pub scales: usize,
    /// Lamps of a source.
    pub lamps: usize,
    /// Points of a line.
    pub line_points: usize,
    /// Spools that a delivery is printed with.
    pub spools: u8,
}

/// How steps meet what is above them, and how much of them counts.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Merges {
    /// The first step that counts.
    pub first: Merge,
    /// Hand paint.
    pub hand_paint: Merge,
    /// Any other step of a set of data.
    pub data: Merge,
    /// Any other step of a set of colors.
    pub color: Merge,
    /// How much of a step counts that is mixed in, 0–1.
    pub mix_strength: f32,
    /// How much of any other, 0–1.
    pub strength: f32,
}

impl Facts {
    /// As the core has them.
    #[must_use]
    pub fn told() -> Self {
        let step = Step::new(Source::Constant { value: 0.0 });
        let paint = Step::new(Source::HandPaint { paint: None });
        let merges = Merges {
            first: step.merge(true, Encoding::Data),
            hand_paint: paint.merge(false, Encoding::Data),
            data: step.merge(false, Encoding::Data),
            color: step.merge(false, Encoding::Color),
            mix_strength: step.strength(Merge::Mix),
            strength: step.strength(Merge::Replace),
        };
        let limits = Limits {
            sets: MOST_SETS,
            helpers: MOST_HELPERS,
            swatches: MOST_SWATCHES,
            views: MOST_VIEWS,
            layer_ranges: MOST_RANGES,
            images: MOST_IMAGES,
            steps: MOST_STEPS,
            curve_points: MOST_POINTS,
            ramp_stops: MOST_STOPS,
            scales: MOST_SCALES,
            lamps: MOST_LAMPS,
            line_points: MOST_LINE_POINTS,
            spools: MOST_SPOOLS,
        };
        let bare = |kind: &&str| serde_json::from_value(json!({ "kind": kind })).ok();
        let sources = Source::VARIANTS.iter().filter_map(bare).collect();
        Self { limits, merges, sources }
    }
}
