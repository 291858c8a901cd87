//! What proofs are lit by.

use serde::{Deserialize, Serialize};

use super::are_colors;

/// The most lamps of a proof.
pub const MOST_LAMPS: usize = 6;

/// What a proof is lit by.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ProofLights))]
#[serde(deny_unknown_fields)]
pub struct Lights {
    /// Lamps on a ring about the model, which stands still.
    pub lamps: Vec<Lamp>,
    /// Light from behind at the edge of what is seen, 0 for none.
    pub rim: f32,
    /// Even light from everywhere: what a white matt surface in it alone shows, in linear light.
    pub even: f32,
    /// How many stops brighter all of it is seen.
    pub exposure: f32,
    /// The neutral ground behind it all, an encoded grey of 0–1; the stage's own when left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ground: Option<f32>,
}

/// A lamp.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ProofLamp))]
#[serde(deny_unknown_fields)]
pub struct Lamp {
    /// Where on the ring, degrees: 0 in front of the model, to the right from there.
    pub turn: f32,
    /// How high above it, degrees.
    pub height: f32,
    /// What a white matt surface that faces it shows, in linear light.
    pub strength: f32,
    /// Its color, sRGB-encoded.
    pub color: [f32; 3],
}

impl Default for Lights {
    fn default() -> Self {
        let lamp = |turn, height, strength, color| Lamp { turn, height, strength, color };
        Self {
            lamps: vec![
                lamp(-38.0, 42.0, 0.85, [1.0, 0.97, 0.92]),
                lamp(70.0, 12.0, 0.2, [0.87, 0.93, 1.0]),
            ],
            rim: 0.25,
            even: 0.3,
            exposure: 0.0,
            ground: None,
        }
    }
}

impl Lights {
    /// What makes them impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<String> {
        if self.lamps.len() > MOST_LAMPS {
            return Some(format!("there are {MOST_LAMPS} lamps at most"));
        }
        let is_light = |x: f32| (0.0..=100.0).contains(&x);
        let is_sound = |lamp: &Lamp| {
            lamp.turn.is_finite()
                && lamp.height.abs() <= 90.0
                && is_light(lamp.strength)
                && are_colors(&[lamp.color])
        };
        let all = self.lamps.iter().all(is_sound) && is_light(self.rim) && is_light(self.even);
        let is_grey = self.ground.is_none_or(|grey| (0.0..=1.0).contains(&grey));
        (!(all && self.exposure.abs() <= 20.0 && is_grey)).then(|| {
            "lamps are up to 90° high, lights from 0 to 100, stops from −20 to 20, grounds from 0 to 1"
                .to_owned()
        })
    }
}
