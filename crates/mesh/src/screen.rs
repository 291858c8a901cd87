//! The plane of the screen: where points are seen, whoever looks from where.

use glam::{Vec2, Vec3};
use serde::{Deserialize, Serialize};

use crate::sight::View;

/// A view with its right and its up. Places on it are tangents of angles from the middle for lines
/// of sight that meet in the eye, and lengths of the project for parallel ones.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Screen {
    /// Where the user looks from.
    pub view: View,
    /// What points to the right, unit length.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub right: Vec3,
    /// What points up, unit length.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub up: Vec3,
}

impl Screen {
    /// Where a point of the project's space is seen; `None` for what is behind the eye.
    #[must_use]
    #[inline]
    pub fn place(&self, point: Vec3) -> Option<Vec2> {
        match self.view {
            View::Perspective { eye, forward } => {
                let sight = point - eye;
                let depth = sight.dot(forward);
                let seen = Vec2::new(sight.dot(self.right), sight.dot(self.up)) / depth;
                (depth > 0.0).then_some(seen)
            }
            View::Parallel { .. } => Some(Vec2::new(point.dot(self.right), point.dot(self.up))),
        }
    }

    /// Whether its directions make sense.
    #[must_use]
    #[inline]
    pub fn is_valid(&self) -> bool {
        let is_unit = |v: Vec3| (v.length() - 1.0).abs() < 1e-2;
        self.view.is_valid() && is_unit(self.right) && is_unit(self.up)
    }
}

/// Whether a point is inside an outline, which closes itself and may cross itself (even–odd rule).
#[must_use]
#[inline]
pub fn is_inside(outline: &[Vec2], point: Vec2) -> bool {
    let mut is_in = false;
    let Some(&last) = outline.last() else { return false };
    let mut before = last;
    for &corner in outline {
        if (corner.y > point.y) != (before.y > point.y) {
            let along = (point.y - corner.y) / (before.y - corner.y);
            is_in ^= point.x < corner.x + along * (before.x - corner.x);
        }
        before = corner;
    }
    is_in
}
