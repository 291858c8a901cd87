//! Edits of values here and there: fills, adjustments, whole strokes.

use serde::Deserialize;
use speckle_tools::{
    region::Region,
    stroke::{Sample, StrokeStart},
};
use strum::VariantNames;

use super::{
    Adjustment, Document, EditError, Fill, HandId,
    planned::{Family, Planned, Shares},
};

/// What changes values here and there.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum PaintEdit {
    /// A pour or a span: a whole region at once.
    Fill {
        /// What it is made with.
        fill: Fill,
    },
    /// Changes the values of a whole set, or of what is chosen.
    Adjust {
        /// What it is made with.
        adjustment: Adjustment,
    },
    /// A whole stroke.
    Stroke {
        /// What it is made with.
        start: StrokeStart,
        /// Where the pointer went.
        samples: Vec<Sample>,
    },
}

impl Family for PaintEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        match self {
            Self::Fill { fill } if fill.crisp => Ok(Planned::Done(document.fill_crisply(fill)?)),
            Self::Fill { fill } => {
                let mut shares = Shares::default();
                let change = document.change_filling(&fill, &mut shares)?;
                let change = document.with_recolored(change, &fill.coat, fill.afresh);
                Ok(Planned::Painting(change, shares))
            }
            Self::Adjust { adjustment } => Ok(document.change_adjusting(&adjustment)?.into()),
            Self::Stroke { start, samples } => {
                // Hands are named by clients, counting up from zero.
                let hand = HandId(u64::MAX);
                document.begin_stroke(hand, start)?;
                let change = document.whole_stroke(hand, &samples);
                document.forget_hand(hand);
                Ok(Planned::Done(change?))
            }
        }
    }

    fn why_nothing(&self) -> Option<&'static str> {
        match self {
            Self::Fill { fill } if matches!(fill.region, Region::Chosen { .. }) => {
                Some("nothing is selected, or it looks so already")
            }
            Self::Fill { .. } => {
                Some("nothing lies there, it looks so already, or the mask protects it")
            }
            Self::Adjust { .. } => {
                Some("these numbers leave everything as it is, or the mask protects it")
            }
            Self::Stroke { .. } => None,
        }
    }
}
