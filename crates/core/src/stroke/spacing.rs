//! From pointer samples to dabs at even distances.
//!
//! The distance is measured as seen, at the depth of the surface under the pointer: a fast pointer
//! sends few samples and a slow one many, yet the same path gives the same dabs.

use glam::Vec3;

use super::{Sample, View};
use crate::geometry::{
    Geometry,
    bvh::{Bvh, Hit},
};

/// The most dabs between two samples; a longer way is walked in longer steps.
const MOST_DABS_PER_SAMPLE: f32 = 4_000.0;

/// The pointer's way so far.
pub struct DabPath {
    view: View,
    /// Distance from dab to dab, in the part's units.
    spacing: f32,
    /// The last sample or dab as a line of sight: its origin and direction.
    last: Option<(Vec3, Vec3)>,
    /// Depth of the surface last met, along the view.
    depth: f32,
    /// Way walked since the last dab.
    walked: f32,
}

impl DabPath {
    /// A path with no sample yet.
    #[must_use]
    pub fn new(view: View, spacing: f32, geometry: &Geometry) -> Self {
        let center = geometry.measures().center();
        let depth = view.sight(center).dot(view.forward()).max(spacing);
        Self { view, spacing, last: None, depth, walked: 0.0 }
    }

    /// Walks to the next sample and calls `dab` wherever the brush touches the surface.
    pub fn advance(
        &mut self,
        sample: &Sample,
        hold_counts: bool,
        bvh: &Bvh,
        mut dab: impl FnMut(&Hit),
    ) {
        let (origin, direction) = (sample.origin, sample.direction.normalize_or_zero());
        let faces_away = direction.dot(self.view.forward()) <= 1e-4;
        if !origin.is_finite() || !direction.is_finite() || faces_away {
            return;
        }
        let Some(mut from) = self.last else {
            self.last = Some((origin, direction));
            self.touch(origin, direction, bvh, &mut dab);
            return;
        };
        if sample.held {
            if hold_counts {
                self.touch(origin, direction, bvh, &mut dab);
            }
            return;
        }
        let whole = self.at_depth((origin, direction)).distance(self.at_depth(from));
        let spacing = self.spacing.max(whole / MOST_DABS_PER_SAMPLE);
        for _ in 0..2 * MOST_DABS_PER_SAMPLE as usize {
            let (here, goal) = (self.at_depth(from), self.at_depth((origin, direction)));
            let way = here.distance(goal);
            if self.walked + way < spacing {
                self.walked += way;
                break;
            }
            let next = here.lerp(goal, ((spacing - self.walked) / way).clamp(0.0, 1.0));
            from = match self.view {
                View::Perspective { eye, .. } => (eye, (next - eye).normalize()),
                View::Parallel { forward } => (next - forward * self.depth, forward),
            };
            self.walked = 0.0;
            self.touch(from.0, from.1, bvh, &mut dab);
        }
        self.last = Some((origin, direction));
    }

    fn touch(&mut self, origin: Vec3, direction: Vec3, bvh: &Bvh, dab: &mut impl FnMut(&Hit)) {
        if let Some(hit) = bvh.cast(origin, direction) {
            self.depth = match self.view {
                View::Perspective { .. } => self.view.sight(hit.point).dot(self.view.forward()),
                // Any depth will do: a parallel view shows all of them in one size.
                View::Parallel { .. } => self.depth,
            };
            dab(&hit);
        }
    }

    /// Where a line of sight passes the depth of the surface.
    fn at_depth(&self, (origin, direction): (Vec3, Vec3)) -> Vec3 {
        match self.view {
            View::Perspective { eye, forward } => {
                eye + direction * (self.depth / direction.dot(forward))
            }
            View::Parallel { forward } => {
                origin - forward * origin.dot(forward) + forward * self.depth
            }
        }
    }
}
