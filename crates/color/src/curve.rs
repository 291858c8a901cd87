//! Curves drawn by hand.

use serde::{Deserialize, Serialize};

/// A point of a drawn curve.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = CurvePoint))]
#[serde(deny_unknown_fields)]
pub struct Point {
    /// The number, 0–1.
    pub x: f32,
    /// What it becomes, 0–1.
    pub y: f32,
    /// Whether the curve breaks there, instead of going on smoothly.
    #[serde(default)]
    pub corner: bool,
}

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
        let point = |i: usize| Point { x: i as f32 / 4.0, y: self.0[i], corner: false };
        through(&std::array::from_fn::<_, 5, _>(point), x)
    }
}

/// The height of a curve above a place. Between smooth points it is a monotone cubic, which never
/// goes beyond them (Fritsch and Carlson 1980); at a corner it ends and begins anew.
#[must_use]
pub fn through(points: &[Point], x: f32) -> f32 {
    let (Some(first), Some(last)) = (points.first(), points.last()) else { return x };
    // What is no number lies before the first.
    if x.is_nan() || x <= first.x {
        return first.y;
    }
    if x >= last.x {
        return last.y;
    }
    let i = points.partition_point(|p| p.x <= x) - 1;
    let rise = |i: usize| (points[i + 1].y - points[i].y) / (points[i + 1].x - points[i].x);
    // The slope at a point as seen from the stretch on one side of it.
    let slope = |i: usize, stretch: usize| {
        if points[i].corner || i == 0 || i + 1 == points.len() {
            return rise(stretch);
        }
        let (before, after) = (rise(i - 1), rise(i));
        if before * after <= 0.0 { 0.0 } else { 2.0 * before * after / (before + after) }
    };
    let (a, b) = (points[i], points[i + 1]);
    let width = b.x - a.x;
    let t = (x - a.x) / width;
    let (t2, t3) = (t * t, t * t * t);
    // No steeper than three times the straight way, or it would go beyond.
    let limit = 3.0 * rise(i).abs();
    let within = |s: f32| s.clamp(-limit, limit);
    let height = (2.0 * t3 - 3.0 * t2 + 1.0) * a.y
        + (t3 - 2.0 * t2 + t) * width * within(slope(i, i))
        + (3.0 * t2 - 2.0 * t3) * b.y
        + (t3 - t2) * width * within(slope(i + 1, i));
    height.clamp(a.y.min(b.y), a.y.max(b.y))
}
