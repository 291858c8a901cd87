//! Painting by hand: a brush carried along pointer samples, dab after dab.
//!
//! [`spacing`] turns samples into evenly spaced dabs, [`footprint`] says which elements a dab
//! covers, and [`StrokeUnderHand`] lays the paint on. Nothing here knows of documents or undo.
//!
//! Lengths, points and lines of sight are the project's; a part that is turned, scaled or mirrored
//! is covered as it is seen.

mod deep;
pub mod footprint;
mod skin;
pub mod spacing;
pub mod trail;

use glam::Vec3;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

use crate::{
    blend::{Base, Blend},
    color::Rgba,
    color_set::Channels,
    color_set::SetId,
    document::PartId,
};
use footprint::{Footprint, Surface};
use spacing::DabPath;
use trail::Trail;

/// How far each dab of a brush is from the next, in radii: the rim of a hard stroke then waves by
/// half a percent of the radius.
pub const SPACING: f32 = 0.2;

/// How much of the opacity one dab lays on when the brush builds up.
const BUILD_UP_PER_DAB: f32 = 0.2;

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
    /// Whether dabs add up within a stroke, also while the pointer is held still. Otherwise a
    /// stroke covers each place once, however often it crosses.
    pub build_up: bool,
    /// Whether the pen's pressure scales the radius.
    #[serde(default)]
    pub pressure_radius: bool,
    /// Whether the pen's pressure scales the opacity.
    #[serde(default)]
    pub pressure_opacity: bool,
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
            build_up: false,
            pressure_radius: false,
            pressure_opacity: false,
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
        if self.pressure_radius { radius * pressure } else { radius }
    }
}

/// Where the user looks from; what a circle covers depends on it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "kind")]
pub enum View {
    /// Lines of sight meet in the eye.
    Perspective {
        /// The eye, in the project's space.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        eye: Vec3,
        /// Where the camera points, unit length.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        forward: Vec3,
    },
    /// All lines of sight run alike.
    Parallel {
        /// Where the camera points, unit length.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        forward: Vec3,
    },
}

impl View {
    /// How far a point is from the eye, measured along the view.
    #[must_use]
    pub fn depth(&self, point: Vec3) -> f32 {
        self.sight(point).dot(self.forward())
    }

    fn forward(&self) -> Vec3 {
        let (Self::Perspective { forward, .. } | Self::Parallel { forward }) = *self;
        forward
    }

    /// From the eye to a point.
    fn sight(&self, point: Vec3) -> Vec3 {
        match *self {
            Self::Perspective { eye, .. } => point - eye,
            Self::Parallel { forward } => forward,
        }
    }

    pub(crate) fn is_valid(&self) -> bool {
        let finite = match *self {
            Self::Perspective { eye, forward } => eye.is_finite() && forward.is_finite(),
            Self::Parallel { forward } => forward.is_finite(),
        };
        finite && (self.forward().length() - 1.0).abs() < 1e-2
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
pub(crate) const NO_CHANNEL: &str =
    "no channel is chosen: choose R, G, B or A on the channel board";

/// What a stroke is made with, fixed when the pointer goes down.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StrokeStart {
    /// The part painted on.
    pub part: PartId,
    /// The set painted into.
    pub set: SetId,
    /// The channels painted; others stay bit-identical.
    pub channels: Channels,
    /// What it does.
    #[serde(default)]
    pub action: Action,
    /// How the paint meets what is there; erasing lays the ground color on as it is.
    #[serde(default)]
    pub blend: Blend,
    /// The paint, in the set's own encoding; erasing takes the set's ground color instead.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
    pub paint: Rgba,
    /// The brush.
    pub brush: Brush,
    /// Where the user looks from.
    pub view: View,
}

impl StrokeStart {
    /// What makes a stroke impossible, said for the user; `None` when all is well.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let unit = |x: f32| (0.0..=1.0).contains(&x);
        if !(self.brush.radius > 0.0 && self.brush.radius.is_finite()) {
            Some("the radius must be a number above 0")
        } else if !unit(self.brush.opacity) || !unit(self.brush.hardness) {
            Some("opacity and hardness must lie between 0 and 100 %")
        } else if !self.paint.into_iter().all(unit) {
            Some("the paint's numbers must lie between 0 and 1")
        } else if self.channels.is_empty() {
            Some(NO_CHANNEL)
        } else if !self.view.is_valid() {
            Some("the view's direction must be of unit length")
        } else {
            None
        }
    }
}

impl StrokeStart {
    /// What the change is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match (self.action, self.brush.reach) {
            (Action::Paint, Reach::Skin) => "Skin stroke",
            (Action::Paint, Reach::Deep) => "Deep stroke",
            (Action::Paint, Reach::Facet) => "Facet stroke",
            (Action::Paint, Reach::Corner) => "Corner stroke",
            (Action::Erase, Reach::Facet) => "Facet erase",
            (Action::Erase, Reach::Corner) => "Corner erase",
            (Action::Erase, Reach::Skin) => "Skin erase",
            (Action::Erase, Reach::Deep) => "Deep erase",
        }
    }
}

/// By element, the values that strokes under way have painted over.
pub type Kept = FxHashMap<u32, Rgba>;

/// A stroke whose pointer is still down.
pub struct StrokeUnderHand {
    start: StrokeStart,
    path: DabPath,
    /// Instead of dabs, for what covers by the face.
    trail: Trail,
    footprint: Footprint,
    /// How much of the paint lies on each element already, 0–1.
    coverage: Vec<f32>,
    /// Elements in the order they were first touched.
    touched: Vec<u32>,
    base: Base,
    /// What the stroke met at each element it touched, for blends that look at it.
    met: Kept,
}

impl StrokeUnderHand {
    /// Puts the pointer down; nothing is painted before the first sample. The footprint is one
    /// for the start's reach and view; erasing paints the ground.
    #[must_use]
    pub fn new(mut start: StrokeStart, footprint: Footprint, base: Base) -> Self {
        if start.action == Action::Erase {
            (start.paint, start.blend) = (base.ground, Blend::Normal);
        }
        let Surface { geometry, placed, placement } = footprint.surface();
        Self {
            path: DabPath::new(start.view, placed.to_project(geometry.measures().center())),
            trail: Trail::new(
                start.view,
                placed.longest_in_project(geometry.measures().diagonal()),
            ),
            coverage: vec![0.0; placement.count(geometry.mesh())],
            touched: Vec::new(),
            met: Kept::default(),
            base,
            footprint,
            start,
        }
    }

    /// Lifts the pointer: what is left is what it learned of the surface.
    #[must_use]
    pub fn into_footprint(self) -> Footprint {
        self.footprint
    }

    /// What it was started with.
    #[must_use]
    pub fn start(&self) -> &StrokeStart {
        &self.start
    }

    /// All elements it has touched so far, each once.
    #[must_use]
    pub fn touched(&self) -> &[u32] {
        &self.touched
    }

    /// Moves the pointer along samples and paints into `values`, of which `kept` gets what it
    /// has not yet; returns the elements that changed, each once.
    pub fn extend(&mut self, samples: &[Sample], values: &mut [Rgba], kept: &mut Kept) -> Vec<u32> {
        let Self { start, path, trail, footprint, coverage, touched, base, met } = self;
        let (brush, view) = (start.brush, start.view);
        // A face is looked at as often as it takes to miss none, which must not count as holding.
        let builds_up = brush.build_up && matches!(brush.reach, Reach::Skin | Reach::Deep);
        let mut changed = Vec::new();
        for sample in samples {
            let mut touch = |origin, direction, pressure| {
                let (hit, depth) = footprint.cast(origin, direction)?;
                let radius = brush.radius_at(&view, depth, pressure);
                let opacity = if brush.pressure_opacity { pressure } else { 1.0 } * brush.opacity;
                for covered in footprint.cover(&hit, radius) {
                    let element = covered.element as usize;
                    let laid = opacity * brush.falloff(covered.distance);
                    let before = coverage[element];
                    let after = if builds_up {
                        1.0 - (1.0 - before) * (1.0 - laid * BUILD_UP_PER_DAB)
                    } else {
                        laid.max(before)
                    };
                    if after <= before {
                        continue;
                    }
                    if before == 0.0 {
                        touched.push(covered.element);
                        kept.entry(covered.element).or_insert(values[element]);
                    }
                    coverage[element] = after;
                    changed.push(covered.element);
                    if start.blend != Blend::Normal {
                        // Blended with what the stroke met, however often it passes.
                        let under = *met.entry(covered.element).or_insert(values[element]);
                        let full = start.blend.of(*base, under, start.paint);
                        for i in (0..4).filter(|&i| start.channels.0[i]) {
                            values[element][i] = under[i] + (full[i] - under[i]) * after;
                        }
                        continue;
                    }
                    // From `before` to `after` in one step, so that no copy of the ground under
                    // the stroke is needed and strokes of several users mix in the order they come.
                    let share = (after - before) / (1.0 - before);
                    let chosen = start.channels.0.into_iter().zip(start.paint);
                    for (value, (is_chosen, paint)) in values[element].iter_mut().zip(chosen) {
                        if is_chosen {
                            *value = if share >= 1.0 {
                                paint
                            } else {
                                *value + (paint - *value) * share
                            };
                        }
                    }
                }
                Some((hit.face, depth))
            };
            match brush.reach {
                Reach::Skin | Reach::Deep => {
                    let spacing = |depth: f32| SPACING * brush.radius_at(&view, depth, 1.0);
                    path.advance(sample, brush.build_up, spacing, |origin, direction, pressure| {
                        touch(origin, direction, pressure).map(|(_, depth)| depth)
                    });
                }
                Reach::Facet | Reach::Corner => {
                    let pressure = sample.pressure.clamp(0.0, 1.0);
                    trail.advance(sample, |origin, direction| {
                        touch(origin, direction, pressure).map(|(face, _)| face)
                    });
                }
            }
        }
        changed.sort_unstable();
        changed.dedup();
        changed
    }
}
