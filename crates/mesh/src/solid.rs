//! Solids that are known by a formula.

use glam::{Vec2, Vec3};
use serde::{Deserialize, Serialize};

/// A solid that reaches from −1 to 1 along each axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Solid {
    /// A cube.
    Box,
    /// Around Y.
    Cylinder,
    /// A ball.
    Sphere,
    /// Around Y, its tip at the top.
    Cone,
}

impl Solid {
    /// How far out a point lies, given in the solid's own space: 0 in the middle, 1 on its surface.
    #[must_use]
    #[inline]
    pub fn outwards(self, point: Vec3) -> f32 {
        let around = Vec2::new(point.x, point.z).length();
        match self {
            Self::Box => point.abs().max_element(),
            Self::Cylinder => around.max(point.y.abs()),
            Self::Sphere => point.length(),
            Self::Cone => (2.0 * around + point.y).max(-point.y),
        }
    }
}
