//! What a channel's numbers stand for where a recipe packed them: so that what reads a file can take
//! them out again.

use serde::{Deserialize, Serialize};
use speckle_model::{
    Part,
    recipe::{
        Recipe, Shaping, Source,
        shaping::Half,
        source::{Pivot, Space, SpaceBox},
    },
};

/// What the numbers of a channel stand for, beside themselves.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ChannelHolds))]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Holds {
    /// A number between two.
    Number {
        /// What 0 stands for.
        low: f32,
        /// What 1 stands for.
        high: f32,
    },
    /// The higher half of a number of 16 bits between two; the lower half is in the next channel that
    /// holds one.
    HighByte {
        /// What 0 stands for.
        low: f32,
        /// What 65 535 stands for.
        high: f32,
    },
    /// The lower half of one.
    LowByte,
    /// The first of two numbers that a direction was folded into.
    FoldedAcross,
    /// The second.
    FoldedUp,
}

impl Holds {
    /// What a recipe puts into a channel (0–3) of a part, where it is more than plain numbers. The
    /// last step that counts is what is there, if nothing of those above it is left.
    #[must_use]
    pub fn of(recipe: &Recipe, channel: usize, part: &Part) -> Option<Self> {
        let encoding = speckle_color::Encoding::Data;
        let (nth, (_, step, merge, _)) = recipe.counting(encoding).enumerate().last()?;
        if nth > 0 && !step.covers_all(merge) {
            return None;
        }
        let stands_for = || {
            let is_moved = step.shaping.iter().any(|s| !matches!(s, Shaping::Byte { .. }));
            let axis = match step.take {
                None => channel,
                Some(speckle_model::recipe::Take::R) => 0,
                Some(speckle_model::recipe::Take::G) => 1,
                Some(speckle_model::recipe::Take::B) => 2,
                Some(_) => return None,
            };
            if is_moved { None } else { range_of(&step.source, axis, part) }
        };
        match step.shaping.last() {
            Some(Shaping::Byte { half: Half::Low }) => Some(Self::LowByte),
            Some(Shaping::Byte { half: Half::High }) => {
                let [low, high] = stands_for().unwrap_or([0.0, 1.0]);
                Some(Self::HighByte { low, high })
            }
            Some(Shaping::Fold) if !recipe.channels.is_single() => match channel {
                0 => Some(Self::FoldedAcross),
                1 => Some(Self::FoldedUp),
                _ => None,
            },
            _ => stands_for().map(|[low, high]| Self::Number { low, high }),
        }
    }

    /// How it is turned into what it stands for, for people; `letter` is its channel's.
    #[must_use]
    pub fn words(self, letter: &str) -> String {
        match self {
            Self::Number { low, high } => format!("value = {low} + {letter} × {}", high - low),
            Self::HighByte { low, high } => format!(
                "high byte: value = {low} + (256 × high + low byte, each 0–255) ÷ 65535 × {}",
                high - low
            ),
            Self::LowByte => "low byte of the channel before".to_owned(),
            Self::FoldedAcross | Self::FoldedUp => {
                "direction folded into two: an octahedron laid flat".to_owned()
            }
        }
    }
}

/// Between which numbers a source lies.
fn range_of(source: &Source, axis: usize, part: &Part) -> Option<[f32; 2]> {
    let within = match source {
        Source::PieceNumber(number) => return Some([0.0, number.most() as f32]),
        Source::Position { within: Some(within), .. }
        | Source::Pivot(Pivot { within: Some(within), .. }) => *within,
        // Its own box, which the file has as well, if parts are not moved on the way.
        Source::Position { space: Space::Part, .. } | Source::Pivot(_) => {
            let measures = part.geometry.measures();
            SpaceBox { low: measures.min.to_array(), high: measures.max.to_array() }
        }
        _ => return None,
    };
    (axis < 3).then(|| [within.low[axis], within.high[axis]])
}
