//! A triangle that is looked at while it is cut: points of it, by how much each corner counts.

use glam::{Vec2, Vec3};

/// A triangle of a mesh that is being cut, in the project's space.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Triangle {
    pub(crate) at: [Vec3; 3],
    /// Its texture coordinates, where something goes by them.
    pub(crate) uvs: [Vec2; 3],
}

impl Triangle {
    /// The point where its corners count so much; together they count 1.
    pub(crate) fn point(&self, weights: Vec3) -> Vec3 {
        self.at[0] * weights.x + self.at[1] * weights.y + self.at[2] * weights.z
    }

    /// The texture coordinates there.
    pub(crate) fn uv(&self, weights: Vec3) -> Vec2 {
        self.uvs[0] * weights.x + self.uvs[1] * weights.y + self.uvs[2] * weights.z
    }

    /// Across it; nothing where it has no area.
    pub(crate) fn normal(&self) -> Vec3 {
        let [a, b, c] = self.at;
        (b - a).cross(c - a).normalize_or_zero()
    }

    pub(crate) fn area(&self) -> f32 {
        let [a, b, c] = self.at;
        (b - a).cross(c - a).length() / 2.0
    }

    /// How much each corner counts at a point of its plane.
    pub(crate) fn weights(&self, p: Vec3) -> Vec3 {
        let [a, b, c] = self.at;
        let across = (b - a).cross(c - a);
        let whole = across.length_squared().max(f32::MIN_POSITIVE);
        let of = |from: Vec3, to: Vec3| (to - from).cross(p - from).dot(across) / whole;
        Vec3::new(of(b, c), of(c, a), of(a, b))
    }

    /// Its longest edge.
    pub(crate) fn longest(&self) -> f32 {
        (0..3).map(|i| self.at[i].distance(self.at[(i + 1) % 3])).fold(0.0, f32::max)
    }
}
