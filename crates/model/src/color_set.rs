//! A color set: four channels of values at the vertices, corners or faces of one part.

pub mod convert;

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use speckle_color::{Channels, Encoding, Rgba};
use speckle_mesh::Placement;

use crate::{
    digest::Digest,
    ids::SetId,
    recipe::{Recipe, Target},
};

/// What a set is there for. Helpers serve the work, are not counted among a part's sets and stay
/// at home when it is delivered.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// It is what is made, and is delivered.
    #[default]
    Product,
    /// Its R says how much each place is protected from every tool, 0–1.
    Mask,
    /// Its R is 1 where elements are chosen.
    Selection,
    /// What a set was like once.
    Snapshot {
        /// The set.
        of: SetId,
    },
    /// What was painted by hand in a step of a recipe.
    Paint {
        /// The step's number within the project.
        step: u32,
    },
    /// How much of each channel that paint covers.
    Coverage {
        /// The step's number within the project.
        step: u32,
    },
    /// Its R is the luminance of what each element of a set was recolored with last: what its shading
    /// is read against.
    Recolored {
        /// The set.
        of: SetId,
    },
}

impl Role {
    /// Whether it lies behind a set and is never seen by itself: hand paint of a recipe, which is
    /// seen through what the recipe makes, or what shading is read against.
    #[must_use]
    pub fn is_layer(self) -> bool {
        matches!(self, Self::Paint { .. } | Self::Coverage { .. } | Self::Recolored { .. })
    }

    /// As it is said: "set", "mask".
    #[must_use]
    pub fn noun(self) -> &'static str {
        match self {
            Self::Product => "set",
            Self::Mask => "mask",
            Self::Selection => "selection",
            Self::Snapshot { .. } => "snapshot",
            Self::Paint { .. } => "hand paint",
            Self::Coverage { .. } => "coverage",
            Self::Recolored { .. } => "recoloring",
        }
    }
}

/// What a channel holds, for people and for what reads it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct ChannelTraits {
    /// What it holds: "occlusion", "sway"; empty while nobody said.
    pub meaning: String,
    /// What 0 says: "clean".
    pub low: String,
    /// What 1 says: "dirty".
    pub high: String,
    /// For values that go both ways.
    pub signed: Option<Signed>,
    /// Whether no tool may change it.
    pub locked: bool,
}

/// How a channel holds values that go both ways: value = (number − neutral) × amount.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Signed {
    /// The number that stands for nothing, 0–1.
    pub neutral: f32,
    /// What a step of 1 stands for.
    pub amount: f32,
}

/// The longest a channel's words may be, letters.
const LONGEST_WORDS: usize = 80;

impl ChannelTraits {
    /// What is wrong with it, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let words = [&self.meaning, &self.low, &self.high];
        if words.iter().any(|words| words.chars().count() > LONGEST_WORDS) {
            return Some("a channel's words may have 80 letters at most");
        }
        let Signed { neutral, amount } = self.signed?;
        if !(0.0..=1.0).contains(&neutral) {
            Some("the neutral number must lie between 0 and 1")
        } else if !amount.is_finite() || amount == 0.0 {
            Some("the amount must be a number other than 0")
        } else {
            None
        }
    }
}

/// What is said of a set: small, and changed as a whole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetTraits {
    /// What the user calls it.
    pub name: String,
    /// What its channels hold.
    pub channels: [ChannelTraits; 4],
    /// How its channels are made, where they are.
    #[serde(default)]
    pub recipes: Vec<ChannelRecipe>,
}

/// A recipe with what it made last.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ChannelRecipe {
    /// What it says.
    pub recipe: Recipe,
    /// Names all that the channels were made from; none before the first time.
    #[serde(default)]
    pub made: Option<Digest>,
    /// By which rules that was: they are counted up when sources come to other, truer values.
    #[serde(default, skip_serializing_if = "is_first")]
    pub rules: u32,
}

/// The first rules of all are not written: files of before have none either.
#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_first(rules: &u32) -> bool {
    *rules == 0
}

/// The rules that sources go by now. 1: corners share what is found where the surface goes on
/// smoothly; faces are looked at in their middle; pieces hang together by edges and have numbers of
/// their own; curvature at a scale does not depend on the mesh; lights set bit by bit; trails are laid
/// flat through obtuse angles; images move down when they are told to, and hold back where they are
/// transparent; ramps mix data as it is. 2: what is held at corners or faces counts at a vertex by the
/// angles there.
pub const RULES: u32 = 2;

/// The last of them that bear on what any recipe may make. What came since bears on some only, which
/// is written among what those look at: the others are not made anew.
pub const RULES_OF_ALL: u32 = 1;

impl ChannelRecipe {
    /// Whether what was made last was made by rules that have been bettered since.
    #[must_use]
    pub fn is_by_older_rules(&self) -> bool {
        self.made.is_some() && self.rules < RULES
    }
}

impl SetTraits {
    /// A channel as it is said: "R of Coat", or "R sway of Coat".
    #[must_use]
    pub fn channel_name(&self, channel: usize) -> String {
        let letter = ["R", "G", "B", "A"].get(channel).unwrap_or(&"?");
        match self.channels.get(channel).map(|traits| traits.meaning.as_str()) {
            None | Some("") => format!("{letter} of {}", self.name),
            Some(meaning) => format!("{letter} {meaning} of {}", self.name),
        }
    }
}

/// Four channels of values over one part. The big array is shared and copied on write.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ColorSet {
    /// Names the set within the project.
    pub id: SetId,
    /// What the user calls it.
    pub name: String,
    /// What each value belongs to.
    pub placement: Placement,
    /// Whether the numbers are colors or plain data.
    pub encoding: Encoding,
    /// What the set was flooded with at its start: the *ground color*.
    pub ground: Rgba,
    /// What its channels hold.
    #[serde(default)]
    pub channels: [ChannelTraits; 4],
    /// How its channels are made, where they are.
    #[serde(default)]
    pub recipes: Vec<ChannelRecipe>,
    /// What it is there for.
    #[serde(default)]
    pub role: Role,
    /// One value per element of `placement`, as stored: color sets hold sRGB-encoded numbers.
    #[serde(with = "speckle_mesh::arrays")]
    pub values: Arc<Vec<Rgba>>,
}

impl ColorSet {
    /// What is said of it.
    #[must_use]
    pub fn traits(&self) -> SetTraits {
        SetTraits {
            name: self.name.clone(),
            channels: self.channels.clone(),
            recipes: self.recipes.clone(),
        }
    }

    /// A channel as it is said; see [`SetTraits::channel_name`].
    #[must_use]
    pub fn channel_name(&self, channel: usize) -> String {
        self.traits().channel_name(channel)
    }

    /// What a recipe of it makes, as it is said: "RGB of Coat".
    #[must_use]
    pub fn target_name(&self, target: Target) -> String {
        let single = (0..4).find(|&i| Target::channel(i) == Some(target));
        single.map_or_else(
            || format!("{} of {}", target.letters(), self.name),
            |i| self.channel_name(i),
        )
    }

    /// Whether another set of its part is behind this one, by its role: what it was like once, and
    /// its layers.
    #[must_use]
    pub fn owns(&self, role: Role) -> bool {
        match role {
            Role::Snapshot { of } | Role::Recolored { of } => of == self.id,
            Role::Paint { step } | Role::Coverage { step } => {
                self.paints().any(|paint| paint == step)
            }
            Role::Product | Role::Mask | Role::Selection => false,
        }
    }

    /// The numbers of all layers of hand paint of its recipes.
    pub fn paints(&self) -> impl Iterator<Item = u32> {
        self.recipes.iter().flat_map(|own| own.recipe.paints())
    }

    /// Its name with what it is, unless that is its name already: "set Coat", "Selection 2".
    #[must_use]
    pub fn called(&self) -> String {
        let noun = self.role.noun();
        let says_it = self.name.to_lowercase().starts_with(noun);
        if says_it { self.name.clone() } else { format!("{noun} {}", self.name) }
    }

    /// Whether it is delivered.
    #[must_use]
    pub fn is_product(&self) -> bool {
        self.role == Role::Product
    }

    /// The channels that tools may change.
    #[must_use]
    pub fn unlocked(&self, chosen: Channels) -> Channels {
        Channels(std::array::from_fn(|i| chosen.0[i] && !self.channels[i].locked))
    }
}
