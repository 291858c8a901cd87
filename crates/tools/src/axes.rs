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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_side_counts_by_how_it_faces_from_either_end() {
        for normal in [Vec3::X, Vec3::NEG_X] {
            let weights = Vec3::AXES.map(|axis| weight(normal, axis));
            assert_eq!(weights, [1.0, 0.0, 0.0]);
        }
        // At 45° two sides count alike, and a side at 60° a ninth of one at 30°: (½ / ½√3)⁴.
        let between = Vec3::new(1.0, 1.0, 0.0).normalize();
        assert!((weight(between, Vec3::X) - weight(between, Vec3::Y)).abs() < 1e-6);
        let (sin, cos) = 30_f32.to_radians().sin_cos();
        let tilted = Vec3::new(cos, sin, 0.0);
        assert!((weight(tilted, Vec3::Y) * 9.0 - weight(tilted, Vec3::X)).abs() < 1e-5);
    }
}
