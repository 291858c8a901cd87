//! Where a part stands in the project, and what the project's numbers mean.

use glam::{Affine3A, DVec3, EulerRot, Mat4, Quat, Vec3};
use serde::{Deserialize, Serialize};

use crate::mesh::{Mesh, MeshError};

/// Scale, then turn, then move: from the part's own space to the project's.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Transform {
    /// Where the part's origin lies, in the project's unit.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub translation: Vec3,
    /// Turns about the project's X, then its Y, then its Z axis. Kept as typed, since many triples
    /// mean the same turn.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub rotation_degrees: Vec3,
    /// Factors along the part's own axes; a negative one mirrors, zero is refused.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub scale: Vec3,
}

impl Default for Transform {
    fn default() -> Self {
        Self::IDENTITY
    }
}

impl Transform {
    /// Leaves everything where it is.
    pub const IDENTITY: Self =
        Self { translation: Vec3::ZERO, rotation_degrees: Vec3::ZERO, scale: Vec3::ONE };

    /// The turn alone.
    #[must_use]
    #[inline]
    pub fn rotation(&self) -> Quat {
        let [x, y, z] = self.rotation_degrees.to_array().map(f32::to_radians);
        // Turns about fixed axes in the order x, y, z are turns about moving ones in reverse.
        Quat::from_euler(EulerRot::ZYX, z, y, x)
    }

    /// From the part's space to the project's.
    #[must_use]
    #[inline]
    pub fn to_project(&self) -> Affine3A {
        Affine3A::from_scale_rotation_translation(self.scale, self.rotation(), self.translation)
    }

    /// This, and then a turn about the project's origin and a shift.
    #[must_use]
    pub fn then_moved(&self, turn: Quat, shift: Vec3) -> Self {
        // As `rotation` has them.
        let (z, y, x) = (turn * self.rotation()).to_euler(EulerRot::ZYX);
        Self {
            translation: turn * self.translation + shift,
            rotation_degrees: Vec3::new(x, y, z).map(f32::to_degrees),
            scale: self.scale,
        }
    }

    /// The same as a 4 × 4 matrix, column by column.
    #[must_use]
    #[inline]
    pub fn matrix(&self) -> [f32; 16] {
        Mat4::from(self.to_project()).to_cols_array()
    }

    /// What makes it unusable, said for the user; `None` when all is well.
    #[must_use]
    #[inline]
    pub fn problem(&self) -> Option<&'static str> {
        let finite = self.translation.is_finite() && self.rotation_degrees.is_finite();
        let scale = self.scale.abs();
        if !finite || !self.scale.is_finite() {
            Some("a transform needs finite numbers")
        } else if scale.min_element() < 1e-9 || scale.max_element() > 1e9 {
            Some("a scale must lie between 0.000000001 and 1000000000, or its negative")
        } else {
            None
        }
    }

    /// What lengths grow by, on the whole: the geometric mean of the three factors.
    #[must_use]
    #[inline]
    pub fn mean_scale(&self) -> f32 {
        self.scale.abs().element_product().cbrt()
    }

    /// The area of a piece of a plane in the project's space, from its normal times its area in the
    /// part's: areas go by the cofactors of the matrix.
    #[must_use]
    #[inline]
    pub fn area_in_project(&self, normal_times_area: Vec3) -> f64 {
        let own = self.to_project().matrix3;
        let [x, y, z] = [own.x_axis, own.y_axis, own.z_axis].map(|axis| axis.as_dvec3());
        let n = normal_times_area.as_dvec3();
        (y.cross(z) * n.x + z.cross(x) * n.y + x.cross(y) * n.z).length()
    }

    /// True when the part is turned inside out: an odd number of negative factors.
    #[must_use]
    #[inline]
    pub fn mirrors(&self) -> bool {
        self.scale.x * self.scale.y * self.scale.z < 0.0
    }
}

/// What one step of the project's numbers is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Unit {
    /// 0.001 m; what print formats without a unit mean (common practice, no source).
    #[default]
    Millimetre,
    /// 0.01 m.
    Centimetre,
    /// What glTF is written in.
    Metre,
    /// 0.0254 m exactly (international yard and pound agreement, 1959).
    Inch,
    /// 0.3048 m exactly (likewise).
    Foot,
}

impl Unit {
    /// All of them.
    pub const ALL: [Self; 5] =
        [Self::Millimetre, Self::Centimetre, Self::Metre, Self::Inch, Self::Foot];

    /// How many metres one is.
    #[must_use]
    #[inline]
    pub fn metres(self) -> f64 {
        match self {
            Self::Millimetre => 0.001,
            Self::Centimetre => 0.01,
            Self::Metre => 1.0,
            Self::Inch => 0.0254,
            Self::Foot => 0.3048,
        }
    }

    /// The symbol behind a number.
    #[must_use]
    #[inline]
    pub fn symbol(self) -> &'static str {
        match self {
            Self::Millimetre => "mm",
            Self::Centimetre => "cm",
            Self::Metre => "m",
            Self::Inch => "in",
            Self::Foot => "ft",
        }
    }
}

/// The axis that points up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum UpAxis {
    /// As glTF has it.
    #[default]
    Y,
    /// As most print and engineering software has it (common practice, no source).
    Z,
}

/// How the numbers of one space become those of another: a factor, and a quarter turn about X where
/// the up axes differ.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Conversion {
    /// The factor; 1 leaves lengths alone.
    pub scale: f64,
    /// The up axis before.
    pub from: UpAxis,
    /// The up axis after.
    pub to: UpAxis,
}

impl Conversion {
    /// Changes nothing.
    pub const NONE: Self = Self { scale: 1.0, from: UpAxis::Y, to: UpAxis::Y };

    /// Between two units and up axes.
    #[must_use]
    #[inline]
    pub fn between(from: (Unit, UpAxis), to: (Unit, UpAxis)) -> Self {
        let scale = if from.0 == to.0 { 1.0 } else { from.0.metres() / to.0.metres() };
        Self { scale, from: from.1, to: to.1 }
    }

    /// What brings points right that came into a space whose up axis is `here`, but were read as
    /// `taken` where `meant` was meant.
    #[must_use]
    #[inline]
    pub fn of_misreading(taken: (Unit, UpAxis), meant: (Unit, UpAxis), here: UpAxis) -> Self {
        let scale = Self::between(meant, taken).scale;
        // Back to the file's axes, and from there as it was meant: one of the two turns is none.
        let (from, to) = match (taken.1 == meant.1, taken.1 == here) {
            (true, _) => (here, here),
            (false, true) => (meant.1, here),
            (false, false) => (here, taken.1),
        };
        Self { scale, from, to }
    }

    /// True when every number stays as it is.
    #[must_use]
    #[inline]
    pub fn is_none(&self) -> bool {
        self.scale == 1.0 && self.from == self.to
    }

    /// Converts a direction, of the same length as before.
    #[must_use]
    #[inline]
    pub fn direction(&self, d: Vec3) -> Vec3 {
        match (self.from, self.to) {
            (UpAxis::Y, UpAxis::Z) => Vec3::new(d.x, -d.z, d.y),
            (UpAxis::Z, UpAxis::Y) => Vec3::new(d.x, d.z, -d.y),
            _ => d,
        }
    }

    /// A mesh converted.
    ///
    /// # Errors
    /// When a number grows beyond what 32-bit floats hold.
    pub fn mesh(&self, mesh: &Mesh) -> Result<Mesh, MeshError> {
        mesh.moved(|p| self.point(p), |normal| self.direction(normal))
    }

    /// Converts a point; without rounding when only axes change.
    #[must_use]
    #[inline]
    pub fn point(&self, p: Vec3) -> Vec3 {
        let turned = self.direction(p);
        if self.scale == 1.0 { turned } else { (DVec3::from(turned) * self.scale).as_vec3() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn turns_follow_the_fixed_axes_in_the_order_x_y_z() {
        // By hand: X by 90° takes +Y to +Z; then Y by 90° takes +Z to +X; then Z by 90° takes +X
        // to +Y.
        let turn =
            |x, y, z| Transform { rotation_degrees: Vec3::new(x, y, z), ..Transform::IDENTITY };
        let at = |t: Transform, p: Vec3| t.to_project().transform_point3(p);
        assert!(at(turn(90.0, 0.0, 0.0), Vec3::Y).distance(Vec3::Z) < 1e-6);
        assert!(at(turn(90.0, 90.0, 0.0), Vec3::Y).distance(Vec3::X) < 1e-6);
        assert!(at(turn(90.0, 90.0, 90.0), Vec3::Y).distance(Vec3::Y) < 1e-6);
    }

    #[test]
    fn a_motion_after_a_transform_moves_what_it_placed() {
        let own = Transform {
            translation: Vec3::new(3.0, -2.0, 0.5),
            rotation_degrees: Vec3::new(20.0, -35.0, 70.0),
            scale: Vec3::new(3.0, -0.5, 1.25),
        };
        let (turn, shift) = (Quat::from_rotation_y(0.7), Vec3::new(1.0, 2.0, 3.0));
        for p in [Vec3::ZERO, Vec3::X, Vec3::new(-1.0, 4.0, 0.3)] {
            let moved = turn * own.to_project().transform_point3(p) + shift;
            let found = own.then_moved(turn, shift).to_project().transform_point3(p);
            assert!(found.distance(moved) < 1e-5, "{found} {moved}");
        }
    }

    #[test]
    fn areas_grow_as_triangles_do() {
        let own = Transform {
            rotation_degrees: Vec3::new(20.0, -35.0, 70.0),
            scale: Vec3::new(3.0, -0.5, 1.25),
            ..Transform::IDENTITY
        };
        let [a, b, c] =
            [Vec3::new(0.2, 1.0, -3.0), Vec3::new(2.0, 0.5, 1.0), Vec3::new(-1.0, 4.0, 0.3)];
        let moved = [a, b, c].map(|p| own.to_project().transform_point3(p));
        let area = |[a, b, c]: [Vec3; 3]| (b - a).cross(c - a) / 2.0;
        let told = own.area_in_project(area([a, b, c]));
        let measured = f64::from(area(moved).length());
        assert!((told - measured).abs() < 1e-4 * measured, "{told} {measured}");
    }

    #[test]
    fn what_was_misread_comes_to_where_it_would_have_come_read_right() {
        let readings = [Unit::Metre, Unit::Inch]
            .into_iter()
            .flat_map(|unit| [UpAxis::Y, UpAxis::Z].map(|up| (unit, up)));
        let p = Vec3::new(1.0, 2.0, 3.0);
        for here in [(Unit::Millimetre, UpAxis::Y), (Unit::Millimetre, UpAxis::Z)] {
            for (taken, meant) in
                readings.clone().flat_map(|taken| readings.clone().map(move |meant| (taken, meant)))
            {
                let mended = Conversion::of_misreading(taken, meant, here.1)
                    .point(Conversion::between(taken, here).point(p));
                let right = Conversion::between(meant, here).point(p);
                assert!(mended.distance(right) < 1e-2, "{taken:?} {meant:?}: {mended} {right}");
            }
        }
    }

    #[test]
    fn an_inch_is_25_4_mm_and_up_stays_up() {
        let from = (Unit::Inch, UpAxis::Z);
        let conversion = Conversion::between(from, (Unit::Millimetre, UpAxis::Y));
        assert!(conversion.point(Vec3::Z).distance(Vec3::Y * 25.4) < 1e-5);
        // Right-handed before, right-handed after.
        let [x, y, z] = [Vec3::X, Vec3::Y, Vec3::Z].map(|p| conversion.point(p) / 25.4);
        assert!(x.cross(y).distance(z) < 1e-6);
        let back = Conversion::between((Unit::Millimetre, UpAxis::Y), from);
        let point = Vec3::new(1.5, -2.25, 3.125);
        assert!(back.point(conversion.point(point)).distance(point) < 1e-6);
    }
}
