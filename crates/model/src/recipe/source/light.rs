//! Light that falls on a surface.

use serde::{Deserialize, Serialize};

use super::{
    Direction, Triple, is_default, some_rays,
    sound::{DIRECTION, LENGTHS, is_length, is_share, is_way, said},
    upwards, yes,
};

/// The light that a matt surface gathers from lamps far away, from the sky, from what they light
/// around it, and through itself where it is thin. A lamp of strength 1 straight above gives 1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LightSource))]
#[serde(deny_unknown_fields)]
pub struct Light {
    /// The lamps; one straight above if none are said.
    #[serde(default = "one_lamp")]
    pub lamps: Vec<Lamp>,
    /// The color of an even sky above the horizon, sRGB-encoded.
    #[serde(default, skip_serializing_if = "is_default")]
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub sky: Triple,
    /// How much of the light that falls on them other places give on, 0–1.
    #[serde(default, skip_serializing_if = "is_default")]
    pub bounce: f32,
    /// How far light goes through the part until about a third of it (1/e) is left; 0 for not at all.
    #[serde(default, skip_serializing_if = "is_default")]
    pub through: f32,
    /// Whether it comes to one number: the luminance of the light, without its color.
    #[serde(default, skip_serializing_if = "is_default")]
    pub intensity: bool,
    /// Whether other visible parts shade and give light on.
    #[serde(default = "yes")]
    pub other_parts: bool,
    /// How many rays from each element to each lamp, to the sky and around.
    #[serde(default = "some_rays")]
    pub rays: u32,
    /// What all that is random comes from.
    #[serde(default)]
    pub seed: u32,
}

/// A lamp so far away that its light comes from one side.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Lamp {
    /// Towards it.
    #[serde(default = "upwards")]
    pub towards: Direction,
    /// Its color, sRGB-encoded.
    #[serde(default = "white")]
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub color: Triple,
    /// How strong it is.
    #[serde(default = "one")]
    pub strength: f32,
    /// Half of the angle it takes up, degrees: the more, the softer its shadows.
    #[serde(default = "five")]
    pub spread: f32,
}

/// The most lamps of a source.
pub const MOST_LAMPS: usize = 8;

impl Default for Lamp {
    fn default() -> Self {
        Self { towards: upwards(), color: white(), strength: one(), spread: five() }
    }
}

impl Light {
    pub(super) fn problem(&self) -> Option<String> {
        let Self { lamps, sky, bounce, through, .. } = self;
        let is_color = |color: &Triple| color.iter().all(|x| is_share(*x));
        said(is_length(*through), LENGTHS)
            .or_else(|| said(lamps.iter().all(|lamp| is_way(&lamp.towards)), DIRECTION))
            .or_else(|| {
                let is_sound = |l: &Lamp| {
                    (0.0..=100.0).contains(&l.strength) && (0.0..=90.0).contains(&l.spread)
                };
                said(
                    lamps.iter().all(is_sound),
                    "lamps are 0 to 100 strong and take up an angle between 0 and 90°",
                )
            })
            .or_else(|| {
                let is_sound = is_color(sky) && lamps.iter().all(|lamp| is_color(&lamp.color));
                said(is_sound, "the numbers of colors must lie between 0 and 1")
            })
            .or_else(|| said(is_share(*bounce), "what is given on is a share between 0 and 1"))
            .or_else(|| {
                let words = format!("there are {MOST_LAMPS} lamps at most");
                said(lamps.len() <= MOST_LAMPS, &words)
            })
            .or_else(|| {
                let is_lit = !lamps.is_empty() || *sky != [0.0; 3];
                said(is_lit, "there is no light at all: add a lamp, or give the sky a color")
            })
    }
}

fn one_lamp() -> Vec<Lamp> {
    vec![Lamp::default()]
}
fn white() -> Triple {
    [1.0; 3]
}
fn one() -> f32 {
    1.0
}
fn five() -> f32 {
    5.0
}
