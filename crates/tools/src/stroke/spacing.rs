//! From pointer samples to dabs at even distances.
//!
//! The distance is measured as seen, at the depth of the surface under the pointer: a fast pointer
//! sends few samples and a slow one many, yet the same path gives the same dabs.

use glam::Vec3;

use super::{Sample, View};

/// The most dabs between two samples; a longer way is walked in longer steps.
const MOST_DABS_PER_SAMPLE: f32 = 4_000.0;

/// A line of sight and how hard the pen is pressed there.
#[derive(Clone, Copy)]
struct Sighting {
    origin: Vec3,
    direction: Vec3,
    pressure: f32,
}

/// The pointer's way so far, in the project's space.
#[derive(Clone)]
pub struct DabPath {
    view: View,
    /// The last sample or dab.
    last: Option<Sighting>,
    /// Depth of the surface last met, along the view.
    depth: f32,
    /// Length walked since the last dab.
    walked: f32,
}

impl DabPath {
    /// A path with no sample yet; before the first meeting, `about` tells how far the surface is.
    #[must_use]
    pub fn new(view: View, about: Vec3) -> Self {
        Self { view, last: None, depth: view.depth(about).max(1e-6), walked: 0.0 }
    }

    /// Walks to the next sample. `spacing` gives the distance from dab to dab at a depth; `dab`
    /// lays one along a line of sight (origin, direction, pressure) and returns the depth of the
    /// surface it met there.
    pub fn advance(
        &mut self,
        sample: &Sample,
        hold_counts: bool,
        spacing: impl Fn(f32) -> f32,
        mut dab: impl FnMut(Vec3, Vec3, f32) -> Option<f32>,
    ) {
        let (origin, direction) = (sample.origin, sample.direction.normalize_or_zero());
        let faces_away = direction.dot(self.view.forward()) <= 1e-4;
        if !origin.is_finite() || !direction.is_finite() || faces_away {
            return;
        }
        let pressure =
            if sample.pressure.is_finite() { sample.pressure.clamp(0.0, 1.0) } else { 1.0 };
        let goal = Sighting { origin, direction, pressure };
        let Some(mut from) = self.last else {
            self.last = Some(goal);
            self.touch(goal, &mut dab);
            return;
        };
        if sample.held {
            if hold_counts {
                self.touch(goal, &mut dab);
            }
            return;
        }
        let whole = self.at_depth(goal).distance(self.at_depth(from));
        let least = whole / MOST_DABS_PER_SAMPLE;
        for _ in 0..2 * MOST_DABS_PER_SAMPLE as usize {
            let (here, there) = (self.at_depth(from), self.at_depth(goal));
            let way = here.distance(there);
            let step = spacing(self.depth).max(least);
            if self.walked + way < step || !way.is_finite() {
                self.walked += if way.is_finite() { way } else { 0.0 };
                break;
            }
            let share = ((step - self.walked) / way).clamp(0.0, 1.0);
            let next = here.lerp(there, share);
            let (origin, direction) = match self.view {
                View::Perspective { eye, .. } => (eye, (next - eye).normalize()),
                // Lines of sight start where those of the samples do: in front of everything.
                View::Parallel { forward } => (from.origin.lerp(goal.origin, share), forward),
            };
            let pressure = from.pressure + (goal.pressure - from.pressure) * share;
            from = Sighting { origin, direction, pressure };
            self.walked = 0.0;
            self.touch(from, &mut dab);
        }
        self.last = Some(goal);
    }

    fn touch(&mut self, at: Sighting, dab: &mut impl FnMut(Vec3, Vec3, f32) -> Option<f32>) {
        if let Some(depth) = dab(at.origin, at.direction, at.pressure) {
            self.depth = match self.view {
                View::Perspective { .. } => depth,
                // Any depth will do: a parallel view shows all of them in one size.
                View::Parallel { .. } => self.depth,
            };
        }
    }

    /// Where a line of sight passes the depth of the surface.
    fn at_depth(&self, at: Sighting) -> Vec3 {
        match self.view {
            View::Perspective { eye, forward } => {
                eye + at.direction * (self.depth / at.direction.dot(forward))
            }
            View::Parallel { forward } => {
                at.origin - forward * at.origin.dot(forward) + forward * self.depth
            }
        }
    }
}
