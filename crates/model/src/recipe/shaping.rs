//! What becomes of a source's numbers.

use serde::{Deserialize, Serialize};
use speckle_color::{
    curve::{self, Point},
    ramp::{self, Stop},
    tone::{Levels, posterised},
};

/// What becomes of a source's numbers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Shaping {
    /// By a curve through points, ascending; beyond its ends it goes on level.
    Curve {
        /// Two or more.
        points: Vec<Point>,
    },
    /// Spreads the numbers between two over 0–1, bends them, and brings them between two others.
    Levels {
        /// What becomes the least.
        #[serde(default)]
        from: f32,
        /// What becomes the greatest.
        #[serde(default = "one")]
        to: f32,
        /// 1 bends nothing; more lightens what is in the middle.
        #[serde(default = "one")]
        gamma: f32,
        /// The least it becomes.
        #[serde(default)]
        least: f32,
        /// The greatest.
        #[serde(default = "one")]
        greatest: f32,
    },
    /// Multiplied, then something added.
    Gain {
        /// Multiplied with this.
        #[serde(default = "one")]
        by: f32,
        /// Then added.
        #[serde(default)]
        plus: f32,
    },
    /// No less than one number and no more than another.
    Clamp {
        /// No less.
        #[serde(default)]
        low: f32,
        /// No more.
        #[serde(default = "one")]
        high: f32,
    },
    /// 1 less the number.
    Invert,
    /// More lightens what is in the middle, less darkens it.
    Gamma {
        /// 1 changes nothing.
        gamma: f32,
    },
    /// Mixed with what lies around: over a length, or so often with the next elements.
    Soften {
        /// Over a disc of this radius, in the part's unit; 0 to go by rounds.
        #[serde(default, skip_serializing_if = "is_nothing")]
        length: f32,
        /// How often, where no length is said.
        #[serde(default)]
        rounds: u32,
        /// The difference beyond which neighbours do not mix; all do when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        keep_edges: Option<f32>,
    },
    /// Away from what lies around.
    Sharpen {
        /// How far around is looked, as a radius in the part's unit; 0 to go by rounds.
        #[serde(default, skip_serializing_if = "is_nothing")]
        length: f32,
        /// The same in elements, where no length is said.
        #[serde(default)]
        rounds: u32,
        /// How much of the difference is added.
        #[serde(default = "one")]
        amount: f32,
    },
    /// The nearest of so many even steps.
    Posterise {
        /// 2 or more.
        steps: u32,
    },
    /// 0 below a number and 1 above it.
    Threshold {
        /// The number.
        at: f32,
        /// How far it takes from 0 to 1.
        #[serde(default)]
        softness: f32,
    },
    /// Half of a number of 16 bits, as 8 bits hold it: two channels together then hold it whole.
    Byte {
        /// Which half.
        #[serde(default)]
        half: Half,
    },
    /// A direction (−1 to 1 as 0 to 1) folded into two numbers, the third being 0: the octahedron it
    /// points through, laid flat (Cigolle et al., A Survey of Efficient Representations for
    /// Independent Unit Vectors, 2014).
    Fold,
    /// From the number to a color.
    Ramp {
        /// Its colors, sRGB-encoded.
        stops: Vec<Stop>,
    },
}

/// Half of 16 bits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ByteHalf))]
#[serde(rename_all = "snake_case")]
pub enum Half {
    /// The one that counts 256s.
    #[default]
    High,
    /// The one that counts what is left.
    Low,
}

impl Half {
    /// It, of a number of 0–1 in 65 535 steps, in 255 steps.
    #[must_use]
    pub fn of(self, x: f32) -> f32 {
        let whole = (x.clamp(0.0, 1.0) * 65_535.0).round() as u32;
        let half = match self {
            Self::High => whole >> 8,
            Self::Low => whole & 0xff,
        };
        half as f32 / 255.0
    }
}

/// A direction as 0–1 folded into two numbers of 0–1; see [`Shaping::Fold`].
#[must_use]
pub fn folded(direction: [f32; 3]) -> [f32; 3] {
    let [x, y, z] = direction.map(|x| 2.0 * x - 1.0);
    let whole = x.abs() + y.abs() + z.abs();
    if whole <= f32::MIN_POSITIVE {
        return [0.5, 0.5, 0.0];
    }
    let (x, y) = (x / whole, y / whole);
    let sign = |x: f32| if x < 0.0 { -1.0 } else { 1.0 };
    let [u, v] =
        if z < 0.0 { [(1.0 - y.abs()) * sign(x), (1.0 - x.abs()) * sign(y)] } else { [x, y] };
    [0.5 + 0.5 * u, 0.5 + 0.5 * v, 0.0]
}

fn one() -> f32 {
    1.0
}

fn is_nothing(length: &f32) -> bool {
    *length == 0.0
}

/// How far around is looked.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Around {
    /// Over a disc of a radius, in the part's unit.
    Length(f32),
    /// At the next elements, so often.
    Rounds(u32),
}

impl Around {
    /// By a length, or where it is 0 by rounds.
    #[must_use]
    pub fn of(length: f32, rounds: u32) -> Self {
        if length > 0.0 { Self::Length(length) } else { Self::Rounds(rounds) }
    }

    /// Whether it is a length that can be looked over, or rounds that come to an end.
    #[must_use]
    pub fn is_sound(self) -> bool {
        match self {
            Self::Length(length) => length.is_finite(),
            Self::Rounds(rounds) => (1..=MOST_ROUNDS).contains(&rounds),
        }
    }
}

/// The most rounds of softening.
const MOST_ROUNDS: u32 = 1000;

/// The most points of a curve.
pub const MOST_POINTS: usize = 64;

impl Shaping {
    /// What it is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match self {
            Self::Curve { .. } => "Curve",
            Self::Levels { .. } => "Levels",
            Self::Gain { .. } => "Gain",
            Self::Clamp { .. } => "Clamp",
            Self::Invert => "Invert",
            Self::Gamma { .. } => "Gamma",
            Self::Soften { .. } => "Soften",
            Self::Sharpen { .. } => "Sharpen",
            Self::Posterise { .. } => "Posterise",
            Self::Threshold { .. } => "Threshold",
            Self::Byte { .. } => "Byte",
            Self::Fold => "Fold",
            Self::Ramp { .. } => "Color ramp",
        }
    }

    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        let unit = |x: f32| (0.0..=1.0).contains(&x);
        let words = match self {
            Self::Curve { points } => {
                let is_sound = (2..=MOST_POINTS).contains(&points.len())
                    && points.iter().all(|p| unit(p.x) && unit(p.y))
                    && points.windows(2).all(|w| w[0].x < w[1].x);
                (!is_sound).then_some(
                    "a curve needs 2 to 64 points from left to right, all between 0 and 1",
                )
            }
            Self::Levels { from, to, gamma, least, greatest } => {
                let is_sound = [*from, *to, *least, *greatest].into_iter().all(unit)
                    && from < to
                    && (0.01..=100.0).contains(gamma);
                (!is_sound).then_some(
                    "the levels must lie between 0 and 1, the lower below the upper, and gamma \
                     between 0.01 and 100",
                )
            }
            Self::Gain { by, plus } => {
                let is_sound = by.abs() <= 1000.0 && plus.abs() <= 1000.0;
                (!is_sound).then_some("the gain must lie between −1000 and 1000")
            }
            Self::Clamp { low, high } => (!(unit(*low) && unit(*high) && low <= high))
                .then_some("the two ends must lie between 0 and 1, the lower one first"),
            Self::Gamma { gamma } => {
                (!(0.01..=100.0).contains(gamma)).then_some("gamma must lie between 0.01 and 100")
            }
            Self::Soften { length, rounds, keep_edges } => {
                let is_sound = *length >= 0.0
                    && Around::of(*length, *rounds).is_sound()
                    && keep_edges.is_none_or(|k| k.is_finite() && k >= 0.0);
                (!is_sound).then_some("say a length of more than 0, or 1 to 1000 rounds")
            }
            Self::Sharpen { length, rounds, amount } => {
                let is_sound = *length >= 0.0
                    && Around::of(*length, *rounds).is_sound()
                    && (0.0..=10.0).contains(amount);
                (!is_sound).then_some(
                    "say a length of more than 0, or 1 to 1000 rounds; and an amount between 0 and 10",
                )
            }
            Self::Posterise { steps } => {
                (!(2..=256).contains(steps)).then_some("posterise needs 2 to 256 steps")
            }
            Self::Threshold { at, softness } => (!(unit(*at) && unit(*softness)))
                .then_some("the threshold and its softness must lie between 0 and 1"),
            Self::Ramp { stops } => ramp::problem(stops),
            Self::Invert | Self::Byte { .. } | Self::Fold => None,
        };
        words.map(str::to_owned)
    }

    /// What a number becomes, for shaping that looks at nothing around and makes no color.
    #[must_use]
    pub fn of(&self, x: f32) -> Option<f32> {
        Some(match self {
            Self::Curve { points } => curve::through(points, x),
            &Self::Levels { from, to, gamma, least, greatest } => {
                Levels { from, to, gamma, least, greatest }.of(x)
            }
            Self::Gain { by, plus } => x * by + plus,
            Self::Clamp { low, high } => x.clamp(*low, *high),
            Self::Invert => 1.0 - x,
            Self::Gamma { gamma } => x.clamp(0.0, 1.0).powf(1.0 / gamma),
            Self::Posterise { steps } => posterised(x, *steps),
            Self::Threshold { at, softness } if *softness > 0.0 => {
                let t = ((x - at) / softness + 0.5).clamp(0.0, 1.0);
                t * t * (3.0 - 2.0 * t)
            }
            Self::Threshold { at, .. } => f32::from(u8::from(x >= *at)),
            Self::Byte { half } => half.of(x),
            Self::Soften { .. } | Self::Sharpen { .. } | Self::Ramp { .. } | Self::Fold => {
                return None;
            }
        })
    }
}
