//! How a project is proofed: looks, which are small materials driven by channels, what wears them, and the light.
//!
//! A look is a list of layers from bottom to top. Each lays a coat on where a mask says, which is a product of
//! channels or of their complements; sets are meant by name, as every part has its own of that name. What sways,
//! pushes and disturbs moves what wears the look.

mod image;
mod lights;
mod motion;

use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, blend::Blend};

use crate::{ids::PartId, names};

pub use image::{Laid, Lay, NormalMap};
pub use lights::{Lamp, Lights, MOST_LAMPS};
pub use motion::{Disturb, Motion, Push, Stirred, Sway, Tie, Wind};

/// The most looks of a project, layers of a look, factors of a mask.
pub const MOST_LOOKS: usize = 64;
/// Likewise.
pub const MOST_LAYERS: usize = 16;
/// Likewise.
pub const MOST_FACTORS: usize = 4;

/// The most sets that a look takes: as many as every graphics card takes beside what the stage needs itself.
pub const MOST_LOOK_SETS: usize = 8;

/// The most images that a look takes, likewise.
pub const MOST_LOOK_IMAGES: usize = 8;

/// All that is kept for proofing a project.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Proof {
    /// Its looks, in order.
    #[serde(default)]
    pub looks: Vec<Look>,
    /// The number of the look that parts wear of which nothing else is said.
    #[serde(default)]
    pub everywhere: Option<u32>,
    /// What single parts wear.
    #[serde(default)]
    pub worn: Vec<Worn>,
    /// What they are lit by.
    #[serde(default)]
    pub lights: Lights,
    /// The wind that all parts sway in.
    #[serde(default, skip_serializing_if = "is_default")]
    pub wind: Wind,
    /// What moves single parts otherwise.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub stirred: Vec<Stirred>,
    /// Findings that are meant to be so.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub silenced: Vec<Silenced>,
}

/// A finding that is not told any more.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = SilencedCheck))]
#[serde(deny_unknown_fields)]
pub struct Silenced {
    /// Names it.
    pub key: String,
    /// Why it is meant to be so.
    pub reason: String,
}

/// The most of them, and the longest words.
pub const MOST_SILENCED: usize = 1000;
/// Likewise, bytes.
pub const LONGEST_REASON: usize = 400;

impl Proof {
    /// The look of a number.
    #[must_use]
    pub fn look(&self, id: u32) -> Option<&Look> {
        self.looks.iter().find(|look| look.id == id)
    }

    /// What a part wears.
    #[must_use]
    pub fn worn_by(&self, part: PartId) -> Option<&Look> {
        let own = self.worn.iter().find(|worn| worn.part == part).map(|worn| worn.look);
        own.or(self.everywhere).and_then(|id| self.look(id))
    }

    /// The same with looks that ask for a set by another name, layers that are left out for now among them.
    #[must_use]
    pub fn with_set_renamed(&self, from: &str, to: &str) -> Self {
        let mut proof = self.clone();
        proof.looks.iter_mut().for_each(|look| look.rename_set(from, to));
        proof
    }

    /// The wind that a part sways in.
    #[must_use]
    pub fn wind_of(&self, part: PartId) -> Wind {
        let own = self.stirred.iter().find(|own| own.part == part);
        own.and_then(|own| own.wind).unwrap_or(self.wind)
    }

    /// What a part is tied to.
    #[must_use]
    pub fn tied(&self, part: PartId) -> Option<Tie> {
        self.stirred.iter().find(|own| own.part == part).and_then(|own| own.tied)
    }
}

/// What a part wears.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Worn {
    /// The part.
    pub part: PartId,
    /// The number of the look.
    pub look: u32,
}

/// A look: a small material.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ProofLook))]
#[serde(deny_unknown_fields)]
pub struct Look {
    /// Names it within the project; 0 for one that is new.
    #[serde(default)]
    pub id: u32,
    /// What the user calls it.
    pub name: String,
    /// From bottom to top. Under them all lies a grey of 0.72, rough 0.6, no metal.
    pub layers: Vec<Layer>,
    /// Whether faces are seen from their front alone.
    #[serde(default, skip_serializing_if = "is_default")]
    pub one_sided: bool,
    /// How what wears it moves.
    #[serde(default, skip_serializing_if = "is_default")]
    pub motion: Motion,
}

/// A layer of a look.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookLayer))]
#[serde(deny_unknown_fields)]
pub struct Layer {
    /// What the user calls it.
    pub name: String,
    /// Whether it is left out for now.
    #[serde(default)]
    pub off: bool,
    /// What is laid on.
    pub coat: Coat,
    /// How it is laid on what lies below. A plain mix is made in linear light, as renderers mix materials; the
    /// others in encoded numbers, as W3C Compositing and Blending has them.
    #[serde(default)]
    pub blend: Blend,
    /// Where.
    #[serde(default)]
    pub drive: Drive,
    /// How much of it, 0–1.
    pub strength: f32,
    /// How rough it is, 0–1; as what lies below when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rough: Option<f32>,
    /// How much of a metal it is, 0–1; likewise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub metal: Option<f32>,
    /// How strongly it gives light of its own, in its color; likewise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub glow: Option<f32>,
    /// How much light comes through it from behind, 0–1; likewise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub through: Option<f32>,
    /// How far light bends around it, as it does in skin, 0–1; likewise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub soft: Option<f32>,
    /// What bends its normals; likewise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub normals: Option<NormalMap>,
}

/// What a layer lays on. Colors are sRGB-encoded, 0–1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookCoat))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Coat {
    /// One color.
    Color {
        /// It.
        color: [f32; 3],
    },
    /// The colors of an image, where it is opaque.
    Image {
        /// It, and how it lies.
        laid: Laid,
    },
    /// The R, G and B of a set, as they are stored.
    Set {
        /// By name.
        set: String,
    },
    /// Colors by a channel, evenly along it and mixed as they are encoded.
    Ramp {
        /// Two or three.
        stops: Vec<[f32; 3]>,
        /// The channel.
        by: Factor,
    },
    /// The color below, shifted in OKLab by three channels that are signed about 0.5: R by lightness, G and B along
    /// a and b.
    Shift {
        /// By name.
        set: String,
        /// How far a channel's end is from its neutral, in each of the three.
        amounts: [f32; 3],
    },
}

/// The mask of a layer: the product of its factors, 1 where there are none.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookDrive))]
#[serde(deny_unknown_fields)]
pub struct Drive {
    /// The channels.
    #[serde(default)]
    pub factors: Vec<Factor>,
    /// How much steeper than it is, about 0.5.
    #[serde(default = "one")]
    pub contrast: f32,
    /// What is added then, before it is held between 0 and 1.
    #[serde(default)]
    pub offset: f32,
    /// Whether it is turned about at last.
    #[serde(default)]
    pub inverted: bool,
}

fn one() -> f32 {
    1.0
}

fn is_default<T: Default + PartialEq>(x: &T) -> bool {
    *x == T::default()
}

impl Default for Drive {
    fn default() -> Self {
        Self { factors: Vec::new(), contrast: 1.0, offset: 0.0, inverted: false }
    }
}

/// A channel of a set.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookFactor))]
#[serde(deny_unknown_fields)]
pub struct Factor {
    /// By name.
    pub set: String,
    /// 0–3 for R, G, B, A.
    pub channel: u8,
    /// Whether its complement is meant.
    #[serde(default)]
    pub complement: bool,
}

fn is_share(x: f32) -> bool {
    (0.0..=1.0).contains(&x)
}

fn are_colors(colors: &[[f32; 3]]) -> bool {
    colors.iter().flatten().all(|x| is_share(*x))
}

/// Blends that a look can have: those that take number by number, as shading languages can.
pub const LOOK_BLENDS: &[Blend] = &[
    Blend::Normal,
    Blend::Multiply,
    Blend::Screen,
    Blend::Overlay,
    Blend::SoftLight,
    Blend::HardLight,
    Blend::Darken,
    Blend::Lighten,
    Blend::Difference,
    Blend::Add,
    Blend::Subtract,
];

impl Factor {
    fn problem(&self) -> Option<&'static str> {
        (self.channel > 3 || self.set.is_empty())
            .then_some("a mask is driven by a channel, R, G, B or A, of a set")
    }
}

impl Layer {
    /// A layer of one color, everywhere.
    #[must_use]
    pub fn of_color(name: &str, color: [f32; 3]) -> Self {
        Self {
            name: name.to_owned(),
            off: false,
            coat: Coat::Color { color },
            blend: Blend::Normal,
            drive: Drive::default(),
            strength: 1.0,
            rough: None,
            metal: None,
            glow: None,
            through: None,
            soft: None,
            normals: None,
        }
    }

    fn problem(&self) -> Option<&'static str> {
        let Self { coat, blend, drive, strength, rough, metal, glow, through, soft, .. } = self;
        let shares = [Some(*strength), *rough, *metal, *through, *soft];
        if !shares.into_iter().flatten().all(is_share) {
            return Some(
                "strength, roughness, metal, what comes through and softness are from 0 to 1",
            );
        }
        if let Some(problem) = self.normals.as_ref().and_then(NormalMap::problem) {
            return Some(problem);
        }
        if !glow.is_none_or(|glow| (0.0..=100.0).contains(&glow)) {
            return Some("it glows with a strength from 0 to 100");
        }
        if !LOOK_BLENDS.contains(blend) {
            return Some(
                "in a look numbers are blended one by one: choose another way of blending",
            );
        }
        if drive.factors.len() > MOST_FACTORS {
            return Some("a mask is a product of 4 channels at most");
        }
        if !(drive.contrast.abs() <= 1000.0 && drive.offset.abs() <= 1000.0) {
            return Some("the contrast and the offset of a mask are numbers");
        }
        if let Some(problem) = drive.factors.iter().find_map(Factor::problem) {
            return Some(problem);
        }
        match coat {
            Coat::Color { color } => (!are_colors(&[*color])).then_some("colors are from 0 to 1"),
            Coat::Image { laid } => laid.problem(),
            Coat::Set { set } => set.is_empty().then_some("choose a set"),
            Coat::Ramp { stops, by } => {
                let is_sound = (2..=3).contains(&stops.len()) && are_colors(stops);
                (!is_sound).then_some("a ramp has two or three colors").or_else(|| by.problem())
            }
            Coat::Shift { set, amounts } => {
                let is_sound = !set.is_empty() && amounts.iter().all(|x| x.abs() <= 10.0);
                (!is_sound).then_some("a shift takes a set, and amounts from −10 to 10")
            }
        }
    }
}

impl Look {
    /// A new look, whose number the project gives.
    #[must_use]
    pub fn new(name: &str, layers: Vec<Layer>) -> Self {
        Self { id: 0, name: name.to_owned(), layers, one_sided: false, motion: Motion::default() }
    }

    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        if let Err(error) = names::proper(&self.name) {
            return Some(format!("a look: {error}"));
        }
        if self.layers.len() > MOST_LAYERS {
            return Some(format!("a look has {MOST_LAYERS} layers at most"));
        }
        if self.sets().len() > MOST_LOOK_SETS {
            return Some(format!("a look takes {MOST_LOOK_SETS} sets at most"));
        }
        if self.images().len() > MOST_LOOK_IMAGES {
            return Some(format!("a look takes {MOST_LOOK_IMAGES} images at most"));
        }
        if let Some(problem) = self.motion.problem() {
            return Some(problem.to_owned());
        }
        let of_layer = |layer: &Layer| {
            if let Err(error) = names::proper(&layer.name) {
                return Some(format!("a layer: {error}"));
            }
            layer.problem().map(|problem| format!("the layer {}: {problem}", layer.name))
        };
        self.layers.iter().find_map(of_layer)
    }

    /// Asks for a set by another name.
    fn rename_set(&mut self, from: &str, to: &str) {
        let follow = |set: &mut String| {
            if set == from {
                to.clone_into(set);
            }
        };
        for layer in &mut self.layers {
            layer.drive.factors.iter_mut().for_each(|factor| follow(&mut factor.set));
            match &mut layer.coat {
                Coat::Color { .. } | Coat::Image { .. } => {}
                Coat::Set { set } | Coat::Shift { set, .. } => follow(set),
                Coat::Ramp { by, .. } => follow(&mut by.set),
            }
        }
        self.motion.factors_mut().for_each(|factor| follow(&mut factor.set));
    }

    /// Its layers that are not left out, each with where it stands.
    pub fn shown(&self) -> impl Iterator<Item = (usize, &Layer)> {
        self.layers.iter().enumerate().filter(|(_, layer)| !layer.off)
    }

    /// The sets that its material takes, each once, in the order in which its layers ask for them.
    #[must_use]
    pub fn material_sets(&self) -> Vec<&str> {
        each_once(self.shown().flat_map(|(_, layer)| {
            let of_coat = match &layer.coat {
                Coat::Color { .. } | Coat::Image { .. } => None,
                Coat::Set { set } | Coat::Shift { set, .. } => Some(set),
                Coat::Ramp { by, .. } => Some(&by.set),
            };
            layer.drive.factors.iter().map(|factor| &factor.set).chain(of_coat).map(String::as_str)
        }))
    }

    /// All sets that it takes, each once: those of its material first.
    #[must_use]
    pub fn sets(&self) -> Vec<&str> {
        each_once(self.material_sets().into_iter().chain(self.motion.sets()))
    }

    /// What it lays of images, with whether their numbers are colors, in the order in which its layers ask for them.
    pub fn laid(&self) -> impl Iterator<Item = (&Laid, Encoding)> {
        self.shown().flat_map(|(_, layer)| {
            let of_coat = match &layer.coat {
                Coat::Image { laid } => Some((laid, Encoding::Color)),
                _ => None,
            };
            let of_normals = layer.normals.as_ref().map(|own| (&own.laid, Encoding::Data));
            of_coat.into_iter().chain(of_normals)
        })
    }

    /// The images that it takes, each once for colors and once for data.
    #[must_use]
    pub fn images(&self) -> Vec<(&str, Encoding)> {
        each_once(self.laid().map(|(laid, encoding)| (laid.image.as_str(), encoding)))
    }
}

fn each_once<T: PartialEq>(all: impl Iterator<Item = T>) -> Vec<T> {
    let mut kept = Vec::new();
    for one in all {
        if !kept.contains(&one) {
            kept.push(one);
        }
    }
    kept
}
