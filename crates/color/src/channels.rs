//! What the four numbers of a value stand for, and which of them are meant.

use serde::{Deserialize, Serialize};

use crate::numbers::{Linear, Rgba, srgb_from_linear};

/// What the numbers of a set mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Encoding {
    /// sRGB-encoded color, the numbers a picker shows; alpha is a plain number.
    Color,
    /// Plain numbers, which no format may bend.
    Data,
    /// The number of a swatch, the same in all four channels: see [`swatch_value`]. Nothing lies
    /// between two of them.
    Swatch,
}

/// The most swatches that faces may be painted in.
pub const MOST_PAINTED: u8 = 16;

/// How the number of a swatch is stored; 0 is unpainted.
#[must_use]
#[inline]
pub fn swatch_value(number: u8) -> Rgba {
    [f32::from(number) / 255.0; 4]
}

/// The swatch that a stored value names; 0 is unpainted.
#[must_use]
#[inline]
pub fn swatch_of(value: Rgba) -> u8 {
    crate::byte_from_unit(value[0])
}

impl Encoding {
    /// What may be added up of a stored value: the light of a color, data as it is.
    #[must_use]
    #[inline]
    pub fn linear(self, value: Rgba) -> Linear {
        match self {
            Self::Color => Linear::of(value),
            Self::Data | Self::Swatch => Linear(value),
        }
    }

    /// A sum or a mean of such, as it is stored.
    #[must_use]
    #[inline]
    pub fn stored(self, linear: Linear) -> Rgba {
        match self {
            Self::Color => linear.encoded(),
            Self::Data | Self::Swatch => linear.0,
        }
    }

    /// So much of the way from a stored value to another, as paint is laid on: by stored numbers. A
    /// swatch is laid on whole, from half on, or not at all.
    #[must_use]
    #[inline]
    pub fn between(self, from: Rgba, to: Rgba, share: f32) -> Rgba {
        match self {
            Self::Color | Self::Data if share < 1.0 => {
                std::array::from_fn(|i| from[i] + (to[i] - from[i]) * share)
            }
            Self::Swatch if share < 0.5 => from,
            _ => to,
        }
    }
}

/// Which of R, G, B, A a tool writes to; the others stay bit-identical.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct Channels(pub [bool; 4]);

impl Channels {
    /// R alone: where masks and selections have their number.
    pub const R: Self = Self([true, false, false, false]);
    /// R, G and B, but not alpha.
    pub const RGB: Self = Self([true, true, true, false]);
    /// All four.
    pub const RGBA: Self = Self([true; 4]);

    /// True when no channel is chosen.
    #[must_use]
    #[inline]
    pub fn is_empty(self) -> bool {
        self.0 == [false; 4]
    }
}

/// A number read of a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// The first channel.
    R,
    /// The second.
    G,
    /// The third.
    B,
    /// Alpha.
    A,
    /// The relative luminance of the color (ITU-R BT.709 weights on linear light), encoded again
    /// as sRGB encodes grey, so that half of it looks half as light.
    Luminance,
}

impl Measure {
    /// The number of a value, 0–1.
    #[must_use]
    pub fn of(self, value: Rgba, encoding: Encoding) -> f32 {
        match self {
            Self::R => value[0],
            Self::G => value[1],
            Self::B => value[2],
            Self::A => value[3],
            Self::Luminance => {
                let luminance = encoding.linear(value).luminance();
                match encoding {
                    Encoding::Color => srgb_from_linear(luminance),
                    Encoding::Data | Encoding::Swatch => luminance,
                }
            }
        }
    }
}
