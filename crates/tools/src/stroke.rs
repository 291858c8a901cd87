//! Painting by hand: a brush carried along pointer samples, dab after dab.
//!
//! [`spacing`] turns samples into evenly spaced dabs, [`footprint`] says which elements a dab
//! covers, and [`under_hand`] lays the paint on, or has [`tidy`] move what is there. Nothing here
//! knows of documents or undo.
//!
//! Lengths, points and lines of sight are the project's; a part that is turned, scaled or mirrored
//! is covered as it is seen.

pub mod circle;
mod deep;
pub mod elements;
pub mod footprint;
pub mod kept;
mod skin;
pub mod spacing;
pub mod tidy;
pub mod trail;
pub mod under_hand;

use glam::{Affine3A, Vec3};
use serde::{Deserialize, Serialize};
use speckle_color::{Channels, Rgba, blend::Blend, curve::Curve};
use speckle_mesh::{
    Transform,
    sight::{Cutaway, View},
};
use speckle_model::{PartId, SetId};

use crate::{finer::MOST_NEW, stencil::StencilUse};

/// How far each dab of a brush is from the next, in radii, unless told otherwise: the rim of a
/// hard stroke then waves by half a percent of the radius.
pub const SPACING: f32 = 0.2;

/// How much of the opacity one dab lays on when the brush builds up, unless told otherwise.
pub const FLOW: f32 = 0.2;

/// What a dab covers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Reach {
    /// The connected, visible surface under a circle as seen.
    #[default]
    Skin,
    /// Everything within the radius in space, hidden faces too.
    Deep,
    /// Every face the pointer crosses, whole, however fast; the radius does not count.
    Facet,
    /// The one corner (vertex, face) nearest to the pointer on each face it crosses, likewise.
    Corner,
}

/// How a dab fades from its hard middle to its rim.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Falloff {
    /// Gently out of the middle and gently into the rim.
    #[default]
    Soft,
    /// In a straight line.
    Straight,
    /// Full for long, then steeply: a quarter circle.
    Dome,
    /// Steeply, then thin for long: the quarter circle turned over.
    Spike,
}

/// What a stroke does.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Action {
    /// Lays the paint on.
    #[default]
    Paint,
    /// Brings the set's ground color back.
    Erase,
    /// Brings each element nearer to the mean of those around it; colors in linear light.
    Soften,
    /// Carries what is there along with the pointer.
    Smear,
}

impl Action {
    /// Whether it moves what is there instead of laying something on.
    #[must_use]
    pub fn tidies(self) -> bool {
        matches!(self, Self::Soften | Self::Smear)
    }
}

/// Whether dabs of one stroke add up where they meet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum BuildUp {
    /// A stroke covers each place once, however often it crosses.
    #[default]
    Stroke,
    /// Every dab lays on some more.
    Dab,
    /// So it does, also while the pointer is held still.
    Held,
}

/// The brush.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Brush {
    /// What a dab covers.
    #[serde(default)]
    pub reach: Reach,
    /// Radius in the project's unit, or see `on_screen`.
    pub radius: f32,
    /// Whether the circle keeps its size on the screen: the radius is then a share of the distance
    /// from the eye, measured along the view. A parallel view shows every distance in one size, so
    /// that nothing differs there.
    #[serde(default)]
    pub on_screen: bool,
    /// How much of the paint the stroke lays on at most, 0–1.
    pub opacity: f32,
    /// The inner share of the radius that gets all of it, 0–1; from there it falls off.
    pub hardness: f32,
    /// How it falls off.
    #[serde(default)]
    pub falloff: Falloff,
    /// Drawn by hand, it takes the place of `falloff`: coverage from the rim (0) to the hard
    /// middle (1).
    #[serde(default)]
    pub falloff_curve: Option<Curve>,
    /// Whether the skin reach goes through to what is hidden or looks away.
    #[serde(default)]
    pub through: bool,
    /// Whether the skin reach takes in surface that is not connected with that under the pointer.
    #[serde(default)]
    pub apart: bool,
    /// Whether dabs add up within a stroke.
    #[serde(default)]
    pub build_up: BuildUp,
    /// How much of the opacity each dab lays on when they add up, 0–1.
    #[serde(default = "flow")]
    pub flow: f32,
    /// From one dab to the next, in radii.
    #[serde(default = "spacing")]
    pub spacing: f32,
    /// How long edges under it may be at most, in the project's unit: longer ones are split before the
    /// paint goes on.
    #[serde(default)]
    pub finer: Option<f32>,
    /// Whether faces are cut along the rim of what it covers, so that a hard one is crisp on any mesh.
    #[serde(default)]
    pub crisp: bool,
    /// What the pen's pressure scales the radius by, when it does.
    #[serde(default)]
    pub pressure_radius: Option<Curve>,
    /// Likewise the opacity.
    #[serde(default)]
    pub pressure_opacity: Option<Curve>,
    /// Likewise the hardness.
    #[serde(default)]
    pub pressure_hardness: Option<Curve>,
}

fn flow() -> f32 {
    FLOW
}

fn spacing() -> f32 {
    SPACING
}

impl Default for Brush {
    fn default() -> Self {
        Self {
            reach: Reach::Skin,
            radius: 1.0,
            on_screen: false,
            opacity: 1.0,
            hardness: 0.5,
            falloff: Falloff::Soft,
            falloff_curve: None,
            through: false,
            apart: false,
            build_up: BuildUp::Stroke,
            flow: FLOW,
            spacing: SPACING,
            finer: None,
            crisp: false,
            pressure_radius: None,
            pressure_opacity: None,
            pressure_hardness: None,
        }
    }
}

impl Brush {
    /// Coverage at a distance from the middle, in radii (0–1), opacity not counted: one up to the
    /// hardness, zero at the rim.
    #[must_use]
    pub fn falloff(&self, distance: f32) -> f32 {
        if distance <= self.hardness {
            return 1.0;
        }
        if distance >= 1.0 {
            return 0.0;
        }
        let t = (1.0 - distance) / (1.0 - self.hardness);
        if let Some(curve) = self.falloff_curve {
            return curve.at(t);
        }
        match self.falloff {
            Falloff::Soft => t * t * (3.0 - 2.0 * t),
            Falloff::Straight => t,
            Falloff::Dome => (t * (2.0 - t)).sqrt(),
            Falloff::Spike => 1.0 - (1.0 - t * t).sqrt(),
        }
    }

    /// Radius of a dab, in the project's unit, at a depth along the view and a pen's pressure.
    #[must_use]
    pub fn radius_at(&self, view: &View, depth: f32, pressure: f32) -> f32 {
        let radius = match view {
            View::Perspective { .. } if self.on_screen => self.radius * depth,
            _ => self.radius,
        };
        radius * self.pressure_radius.map_or(1.0, |curve| curve.at(pressure))
    }

    /// The brush as a pen's pressure makes it, radius left out.
    #[must_use]
    pub fn pressed(&self, pressure: f32) -> Self {
        let scaled =
            |value: f32, curve: Option<Curve>| curve.map_or(value, |c| value * c.at(pressure));
        Self {
            opacity: scaled(self.opacity, self.pressure_opacity),
            hardness: scaled(self.hardness, self.pressure_hardness),
            ..*self
        }
    }

    /// Whether a dab covers what lies in a circle or a ball; others go by the face.
    #[must_use]
    pub fn is_round(&self) -> bool {
        matches!(self.reach, Reach::Skin | Reach::Deep)
    }

    /// Whether it changes the mesh beneath it.
    #[must_use]
    pub fn reshapes(&self) -> bool {
        self.is_round() && (self.finer.is_some() || self.crisp)
    }

    fn problem(&self) -> Option<&'static str> {
        let unit = |x: f32| (0.0..=1.0).contains(&x);
        let curves = [
            self.falloff_curve,
            self.pressure_radius,
            self.pressure_opacity,
            self.pressure_hardness,
        ];
        if !(self.radius > 0.0 && self.radius.is_finite()) {
            Some("the radius must be a number above 0")
        } else if ![self.opacity, self.hardness, self.flow].into_iter().all(unit) {
            Some("opacity, hardness and flow must lie between 0 and 100 %")
        } else if !(0.01..=10.0).contains(&self.spacing) {
            Some("the spacing of dabs must lie between 1 and 1000 % of the radius")
        } else if self.finer.is_some_and(|length| !(length > 0.0 && length.is_finite())) {
            Some("the length that edges are split to must be a number above 0")
        } else if !curves.iter().flatten().all(Curve::is_valid) {
            Some("a curve's heights must lie between 0 and 100 %")
        } else {
            None
        }
    }
}

/// Where the pointer was.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Sample {
    /// Start of the pointer's line of sight, in the project's space.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub origin: Vec3,
    /// Its direction.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub direction: Vec3,
    /// True when the pointer has rested since the sample before; a brush that builds up lays on
    /// one more dab for each such sample, any other ignores it.
    #[serde(default)]
    pub held: bool,
    /// How hard the pen is pressed, 0–1; 1 for a pointer that cannot tell.
    #[serde(default = "full")]
    pub pressure: f32,
}

fn full() -> f32 {
    1.0
}

/// Said when nothing is chosen to paint into.
pub const NO_CHANNEL: &str = "no channel is chosen: choose R, G, B or A on the channel board";

/// What is laid on, and where: shared by strokes and fills.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Coat {
    /// The part painted on.
    pub part: PartId,
    /// The set painted into.
    pub set: SetId,
    /// The channels painted; others stay bit-identical.
    pub channels: Channels,
    /// What is done.
    #[serde(default)]
    pub action: Action,
    /// How the paint meets what is there; erasing lays the ground color on as it is.
    #[serde(default)]
    pub blend: Blend,
    /// The paint, in the set's own encoding; erasing takes the set's ground color instead.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
    pub paint: Rgba,
    /// Whether all other visible parts with a set of the same name are painted as well.
    #[serde(default)]
    pub all_parts: bool,
    /// The image that it is painted through.
    #[serde(default)]
    pub stencil: Option<StencilUse>,
    /// The plane that hides what is in front of it.
    #[serde(default)]
    pub cutaway: Option<Cutaway>,
}

impl Coat {
    /// Plain paint on one set.
    #[must_use]
    pub fn new(part: PartId, set: SetId, channels: Channels, paint: Rgba) -> Self {
        let (action, blend) = Default::default();
        let (all_parts, stencil, cutaway) = Default::default();
        Self { part, set, channels, action, blend, paint, all_parts, stencil, cutaway }
    }

    /// What makes it impossible, said for the user; `None` when all is well.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        if !self.paint.into_iter().all(|x| (0.0..=1.0).contains(&x)) {
            Some("the paint's numbers must lie between 0 and 1")
        } else if self.channels.is_empty() {
            Some(NO_CHANNEL)
        } else {
            self.cutaway.and_then(|cutaway| cutaway.problem())
        }
    }
}

/// Where a stroke is repeated as in a mirror.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Mirror {
    /// Across the planes through the origin that X, Y and Z stand on.
    pub axes: [bool; 3],
    /// Whether the axes are the project's; otherwise they are those of the part painted on.
    #[serde(default)]
    pub of_project: bool,
}

impl Mirror {
    /// The reflections beside the stroke itself, in the project's space: one for one axis, three
    /// for two, seven for three.
    #[must_use]
    pub fn images(&self, part: &Transform) -> Vec<Affine3A> {
        let to_project = if self.of_project { Affine3A::IDENTITY } else { part.to_project() };
        (1_usize..8)
            .filter(|bits| (0..3).all(|i| bits >> i & 1 == 0 || self.axes[i]))
            .map(|bits| {
                let sign = |i: usize| if bits >> i & 1 == 1 { -1.0 } else { 1.0 };
                let flip = Affine3A::from_scale(Vec3::new(sign(0), sign(1), sign(2)));
                to_project * flip * to_project.inverse()
            })
            .collect()
    }
}

/// What a stroke is made with, fixed when the pointer goes down.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StrokeStart {
    /// What is laid on, and where.
    #[serde(flatten)]
    pub coat: Coat,
    /// The brush.
    pub brush: Brush,
    /// Where the user looks from.
    pub view: View,
    /// Where it is repeated.
    #[serde(default)]
    pub mirror: Mirror,
    /// How many faces it may make, where its brush makes the mesh finer: beyond them it goes over the mesh as it is.
    /// As many as there may be at all when not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_new: Option<u32>,
}

impl StrokeStart {
    /// A stroke without a mirror.
    #[must_use]
    pub fn new(coat: Coat, brush: Brush, view: View) -> Self {
        Self { coat, brush, view, mirror: Mirror::default(), most_new: None }
    }

    /// How many faces it may make.
    #[must_use]
    pub fn most_new(&self) -> usize {
        self.most_new.map_or(MOST_NEW, |most| MOST_NEW.min(most as usize))
    }

    /// What makes a stroke impossible, said for the user; `None` when all is well.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        if let Some(problem) = self.brush.problem().or_else(|| self.coat.problem()) {
            return Some(problem);
        }
        if !self.view.is_valid() {
            Some("the view's direction must be of unit length")
        } else if self.coat.action.tidies() && !self.brush.is_round() {
            Some("soften and smear reach by skin or deep: choose one of them")
        } else {
            None
        }
    }

    /// What the change is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match (self.coat.action, self.brush.reach) {
            (Action::Paint, Reach::Skin) => "Skin stroke",
            (Action::Paint, Reach::Deep) => "Deep stroke",
            (Action::Paint, Reach::Facet) => "Facet stroke",
            (Action::Paint, Reach::Corner) => "Corner stroke",
            (Action::Erase, Reach::Facet) => "Facet erase",
            (Action::Erase, Reach::Corner) => "Corner erase",
            (Action::Erase, Reach::Skin) => "Skin erase",
            (Action::Erase, Reach::Deep) => "Deep erase",
            (Action::Soften, _) => "Soften",
            (Action::Smear, _) => "Smear",
        }
    }
}
