//! What a circle covers as seen from somewhere.

use glam::Vec3;

use super::View;

/// The circle of one dab, as seen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Circle {
    /// Where the user looks from.
    pub view: View,
    /// Where it lies.
    pub middle: Vec3,
    depth: f32,
    /// Its radius at the depth of its middle.
    pub radius: f32,
}

impl Circle {
    /// One about a point.
    #[must_use]
    pub fn new(view: View, middle: Vec3, radius: f32) -> Self {
        Self { view, middle, depth: view.depth(middle), radius }
    }

    /// Where a point is seen, relative to the middle, in the plane through the middle that faces
    /// the camera; `None` for what is behind the eye.
    #[must_use]
    pub fn seen(&self, point: Vec3) -> Option<Vec3> {
        match self.view {
            View::Perspective { eye, forward } => {
                let sight = point - eye;
                let depth = sight.dot(forward);
                (depth > 0.0).then(|| sight * (self.depth / depth) - (self.middle - eye))
            }
            View::Parallel { forward } => {
                let offset = point - self.middle;
                Some(offset - forward * offset.dot(forward))
            }
        }
    }

    /// Distance of a point from the middle as seen, in radii, when inside.
    pub(super) fn inside(&self, point: Vec3) -> Option<f32> {
        let square = self.seen(point)?.length_squared();
        (square <= self.radius * self.radius).then(|| square.sqrt() / self.radius)
    }

    /// Whether anything within a distance of a point may come into the circle.
    pub(super) fn may_meet(&self, point: Vec3, around: f32) -> bool {
        match self.view {
            View::Perspective { eye, forward } => {
                let nearest = (point - eye).dot(forward) - around;
                let Some(seen) = self.seen(point).filter(|_| nearest > 0.0) else { return true };
                // What is nearer to the eye looks larger.
                seen.length() <= self.radius + around * self.depth / nearest * 2.0
            }
            View::Parallel { .. } => {
                self.seen(point).is_some_and(|seen| seen.length() <= self.radius + around)
            }
        }
    }

    /// Whether an edge, of which both ends are given as seen, comes into the circle.
    pub(super) fn meets_edge(&self, a: Option<Vec3>, b: Option<Vec3>) -> bool {
        let (Some(a), Some(b)) = (a, b) else { return false };
        let reach = self.radius * self.radius;
        if a.length_squared() <= reach || b.length_squared() <= reach {
            return true;
        }
        let along = b - a;
        let t = (-a.dot(along) / along.length_squared()).clamp(0.0, 1.0);
        let nearest = if t.is_finite() { a + along * t } else { a };
        nearest.length_squared() <= reach
    }
}
