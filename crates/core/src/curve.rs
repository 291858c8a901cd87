//! A curve drawn by hand through five points.

use serde::{Deserialize, Serialize};

/// Heights (0–1) above 0, ¼, ½, ¾ and 1; between them it never goes beyond its points (monotone
/// cubic interpolation; Fritsch and Carlson, Monotone Piecewise Cubic Interpolation, 1980).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct Curve(pub [f32; 5]);

impl Curve {
    /// From 0 straight to 1.
    pub const STRAIGHT: Self = Self([0.0, 0.25, 0.5, 0.75, 1.0]);

    /// Whether all of its heights lie between 0 and 1.
    #[must_use]
    pub fn is_valid(&self) -> bool {
        self.0.iter().all(|y| (0.0..=1.0).contains(y))
    }

    /// Its height above a place (0–1; beyond the ends it goes on level).
    #[must_use]
    pub fn at(&self, x: f32) -> f32 {
        let y = self.0;
        let scaled = x.clamp(0.0, 1.0) * 4.0;
        let i = (scaled as usize).min(3);
        let t = scaled - i as f32;
        let rise = |i: usize| y[i + 1] - y[i];
        let slope = |i: usize| -> f32 {
            let (before, after) = match i {
                0 => (rise(0), rise(0)),
                4 => (rise(3), rise(3)),
                _ => (rise(i - 1), rise(i)),
            };
            // Level at a peak; elsewhere the harmonic mean, which never overshoots.
            if before * after <= 0.0 { 0.0 } else { 2.0 * before * after / (before + after) }
        };
        let (t2, t3) = (t * t, t * t * t);
        let height = (2.0 * t3 - 3.0 * t2 + 1.0) * y[i]
            + (t3 - 2.0 * t2 + t) * slope(i)
            + (3.0 * t2 - 2.0 * t3) * y[i + 1]
            + (t3 - t2) * slope(i + 1);
        height.clamp(0.0, 1.0)
    }
}
