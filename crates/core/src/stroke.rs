//! Painting by hand: a brush carried along pointer samples, dab after dab.
//!
//! [`spacing`] turns samples into evenly spaced dabs, [`skin`] says which elements a dab covers,
//! and [`StrokeUnderHand`] lays the paint on. Nothing here knows of documents or undo.

pub mod skin;
pub mod spacing;

use glam::Vec3;
use serde::{Deserialize, Serialize};

use crate::{
    color::Rgba,
    color_set::SetId,
    color_set::{Channels, Placement},
    document::PartId,
    geometry::Geometry,
};
use skin::Skin;
use spacing::DabPath;

/// How far each dab of a brush is from the next, in radii: the rim of a hard stroke then waves by
/// half a percent of the radius.
pub const SPACING: f32 = 0.2;

/// How much of the opacity one dab lays on when the brush builds up.
const BUILD_UP_PER_DAB: f32 = 0.2;

/// The brush.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Brush {
    /// Radius in the part's units.
    pub radius: f32,
    /// How much of the paint the stroke lays on at most, 0–1.
    pub opacity: f32,
    /// The inner share of the radius that gets all of it, 0–1; from there it falls off smoothly.
    pub hardness: f32,
    /// Whether dabs add up within a stroke, also while the pointer is held still. Otherwise a
    /// stroke covers each place once, however often it crosses.
    pub build_up: bool,
}

impl Brush {
    /// Coverage at a distance from the middle, in radii (0–1), opacity not counted.
    ///
    /// One up to the hardness, then a smooth step down to zero at the rim.
    #[must_use]
    pub fn falloff(&self, distance: f32) -> f32 {
        if distance <= self.hardness {
            1.0
        } else if distance >= 1.0 {
            0.0
        } else {
            let t = (1.0 - distance) / (1.0 - self.hardness);
            t * t * (3.0 - 2.0 * t)
        }
    }
}

/// Where the user looks from; what a circle covers depends on it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "kind")]
pub enum View {
    /// Lines of sight meet in the eye.
    Perspective {
        /// The eye, in the part's space.
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

    fn is_valid(&self) -> bool {
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
    /// Start of the pointer's line of sight, in the part's space.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub origin: Vec3,
    /// Its direction.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub direction: Vec3,
    /// True when the pointer has rested since the sample before; a brush that builds up lays on
    /// one more dab for each such sample, any other ignores it.
    #[serde(default)]
    pub held: bool,
}

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
    /// The paint, in the set's own encoding.
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
            Some("no channel is chosen: choose R, G, B or A on the channel board")
        } else if !self.view.is_valid() {
            Some("the view's direction must be of unit length")
        } else {
            None
        }
    }
}

/// A stroke whose pointer is still down.
pub struct StrokeUnderHand {
    start: StrokeStart,
    path: DabPath,
    skin: Skin,
    /// How much of the paint lies on each element already, 0–1.
    coverage: Vec<f32>,
    /// Elements in the order they were first touched.
    touched: Vec<u32>,
}

impl StrokeUnderHand {
    /// Puts the pointer down; nothing is painted before the first sample.
    #[must_use]
    pub fn new(start: StrokeStart, geometry: &Geometry, placement: Placement) -> Self {
        Self {
            path: DabPath::new(start.view, start.brush.radius * SPACING, geometry),
            skin: Skin::new(geometry, placement, start.view, start.brush.radius),
            coverage: vec![0.0; placement.count(geometry.mesh())],
            touched: Vec::new(),
            start,
        }
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

    /// Moves the pointer along samples and paints into `values`; returns the elements that
    /// changed, each once.
    pub fn extend(
        &mut self,
        samples: &[Sample],
        geometry: &Geometry,
        values: &mut [Rgba],
    ) -> Vec<u32> {
        let Self { start, path, skin, coverage, touched } = self;
        let brush = start.brush;
        let mut changed = Vec::new();
        for sample in samples {
            path.advance(sample, brush.build_up, geometry.bvh(), |hit| {
                for covered in skin.cover(geometry, hit) {
                    let element = covered.element as usize;
                    let laid = brush.opacity * brush.falloff(covered.distance);
                    let before = coverage[element];
                    let after = if brush.build_up {
                        1.0 - (1.0 - before) * (1.0 - laid * BUILD_UP_PER_DAB)
                    } else {
                        laid.max(before)
                    };
                    if after <= before {
                        continue;
                    }
                    if before == 0.0 {
                        touched.push(covered.element);
                    }
                    coverage[element] = after;
                    changed.push(covered.element);
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
            });
        }
        changed.sort_unstable();
        changed.dedup();
        changed
    }
}
