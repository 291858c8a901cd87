//! How what wears a look moves, and the wind it sways in.

use serde::{Deserialize, Serialize};

use super::Factor;
use crate::ids::PartId;

/// How what wears a look moves: each in its own way, one after another. Lengths are in the part's unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookMotion))]
#[serde(deny_unknown_fields)]
pub struct Motion {
    /// How it sways in the wind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sway: Option<Sway>,
    /// How it is pushed along its normals.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub push: Option<Push>,
    /// How it is disturbed by noise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub disturb: Option<Disturb>,
}

/// Sway: downwind by `weight · far · strength · swing`, where the swing is
/// `½ + ½ · sin(2π(speed · t + phase)) · (1 − gusts · (½ + ½ · sin(2π(0.37 · speed · t + phase))))`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookSway))]
#[serde(deny_unknown_fields)]
pub struct Sway {
    /// The weight.
    pub by: Factor,
    /// How far a weight of 1 goes in a wind of strength 1.
    pub far: f32,
    /// What sets its swing off: 0–1 for a whole swing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub phase: Option<Factor>,
}

/// A push along the normals.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookPush))]
#[serde(deny_unknown_fields)]
pub struct Push {
    /// The weight.
    pub by: Factor,
    /// How far a weight of 1 goes; inwards below 0.
    pub far: f32,
    /// Whether the weight is signed about 0.5: 0 goes as far inwards as 1 outwards.
    #[serde(default)]
    pub signed: bool,
}

/// A disturbance: by `weight · far` times noise in space, three numbers from −1 to 1, which drifts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookDisturb))]
#[serde(deny_unknown_fields)]
pub struct Disturb {
    /// The weight.
    pub by: Factor,
    /// How far at most.
    pub far: f32,
    /// How wide the noise's waves are.
    pub width: f32,
    /// How many of them pass in a second.
    pub speed: f32,
}

/// A wind.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ProofWind))]
#[serde(deny_unknown_fields)]
pub struct Wind {
    /// How strong, 0–2.
    pub strength: f32,
    /// How many swings in a second.
    pub speed: f32,
    /// Where it blows to, degrees about the way up: 0 towards the front of the model, 90 to the right.
    pub direction: f32,
    /// How much its gusts let the swing falter, 0–1.
    pub gusts: f32,
}

impl Default for Wind {
    fn default() -> Self {
        Self { strength: 1.0, speed: 0.5, direction: 90.0, gusts: 0.4 }
    }
}

/// What moves a part otherwise than the others.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = StirredPart))]
#[serde(deny_unknown_fields)]
pub struct Stirred {
    /// The part.
    pub part: PartId,
    /// Its own wind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wind: Option<Wind>,
    /// What it is tied to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tied: Option<Tie>,
}

/// A vertex of another part that a part follows as a whole.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PartTie))]
#[serde(deny_unknown_fields)]
pub struct Tie {
    /// The part.
    pub to: PartId,
    /// Its vertex.
    pub vertex: u32,
}

impl Wind {
    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let is_sound = (0.0..=2.0).contains(&self.strength)
            && (0.0..=20.0).contains(&self.speed)
            && self.direction.abs() <= 3600.0
            && (0.0..=1.0).contains(&self.gusts);
        (!is_sound).then_some(
            "a wind is strong from 0 to 2, swings up to 20 times a second, and has gusts from 0 to 1",
        )
    }
}

impl Motion {
    /// The channels that it takes.
    fn factors(&self) -> impl Iterator<Item = &Factor> {
        let sway = self.sway.iter().flat_map(|own| [Some(&own.by), own.phase.as_ref()]);
        let push = self.push.iter().map(|own| Some(&own.by));
        let disturb = self.disturb.iter().map(|own| Some(&own.by));
        sway.chain(push).chain(disturb).flatten()
    }

    /// The same, to be changed.
    pub(super) fn factors_mut(&mut self) -> impl Iterator<Item = &mut Factor> {
        let Self { sway, push, disturb } = self;
        let sway = sway.iter_mut().flat_map(|own| [Some(&mut own.by), own.phase.as_mut()]);
        let push = push.iter_mut().map(|own| Some(&mut own.by));
        let disturb = disturb.iter_mut().map(|own| Some(&mut own.by));
        sway.chain(push).chain(disturb).flatten()
    }

    /// The sets that it takes, as often as it asks for them.
    pub fn sets(&self) -> impl Iterator<Item = &str> {
        self.factors().map(|factor| factor.set.as_str())
    }

    pub(super) fn problem(&self) -> Option<&'static str> {
        let far = [
            self.sway.as_ref().map(|own| own.far),
            self.push.as_ref().map(|own| own.far),
            self.disturb.as_ref().map(|own| own.far),
        ];
        if far.into_iter().flatten().any(|far| !far.is_finite()) {
            return Some("what moves goes a finite way");
        }
        let is_sound = |own: &Disturb| {
            own.width > 0.0 && own.width.is_finite() && (0.0..=20.0).contains(&own.speed)
        };
        if !self.disturb.as_ref().is_none_or(is_sound) {
            return Some(
                "noise has waves wider than nothing, and up to 20 of them pass in a second",
            );
        }
        self.factors().find_map(Factor::problem)
    }
}
