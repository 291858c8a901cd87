//! In which numbers a set stands in a file, and the word by which our own files say so.

use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Linear, Rgba};
use speckle_model::ColorSet;

/// In which numbers colors are stored.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Light {
    /// sRGB-encoded (IEC 61966-2-1), as the picker shows them.
    Encoded,
    /// Linear light; data sets as they are.
    Linear,
}

impl Light {
    /// "sRGB-encoded".
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Encoded => "sRGB-encoded",
            Self::Linear => "in linear light",
        }
    }
}

/// What the numbers of a set are in a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Numbers {
    /// Colors.
    Color(Light),
    /// Numbers that no format bends.
    Data,
}

impl Numbers {
    /// Those of a set in a file whose colors are stored so.
    pub fn of(set: &ColorSet, light: Light) -> Self {
        match set.encoding {
            Encoding::Color => Self::Color(light),
            Encoding::Data | Encoding::Swatch => Self::Data,
        }
    }

    /// What they are once they are read.
    pub fn encoding(self) -> Encoding {
        match self {
            Self::Color(_) => Encoding::Color,
            Self::Data => Encoding::Data,
        }
    }

    /// The word for them in a format that usually stores colors as `usual`.
    pub fn word(self, usual: Light) -> &'static str {
        match self {
            Self::Data => "data",
            Self::Color(light) if light == usual => "color",
            Self::Color(Light::Encoded) => "encoded",
            Self::Color(Light::Linear) => "linear",
        }
    }

    /// What a word of [`Self::word`] says; colors as usual when it says something else.
    pub fn of_word(word: &str, usual: Light) -> Self {
        match word {
            "data" => Self::Data,
            "encoded" => Self::Color(Light::Encoded),
            "linear" => Self::Color(Light::Linear),
            _ => Self::Color(usual),
        }
    }

    /// A value of a set as the file has it.
    pub fn stored(self, value: Rgba) -> Rgba {
        match self {
            Self::Color(Light::Linear) => Linear::of(value).0,
            _ => value,
        }
    }

    /// A value of a file as a set has it.
    pub fn read(self, value: Rgba) -> Rgba {
        match self {
            Self::Color(Light::Linear) => Linear(value).encoded(),
            _ => value,
        }
    }
}
