//! Images that come to the surface from several sides at once.

use glam::Vec3;

/// How sharply the sides give way to each other.
const POWER: i32 = 4;

/// How much of what comes along an axis counts where the surface has a normal, both of unit length:
/// the same from either end.
#[inline]
#[must_use]
pub fn weight(normal: Vec3, axis: Vec3) -> f32 {
    normal.dot(axis).powi(POWER)
}
