//! Where it is looked from, and what is cut away to look inside.

use glam::{Affine3A, Vec3};
use serde::{Deserialize, Serialize};

/// Where the user looks from; what a circle covers depends on it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", tag = "kind")]
pub enum View {
    /// Lines of sight meet in the eye.
    Perspective {
        /// The eye, in the project's space.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        eye: Vec3,
        /// Where the camera points, unit length.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        forward: Vec3,
    },
    /// All lines of sight run alike.
    Parallel {
        /// Where the camera points, unit length.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
        forward: Vec3,
    },
}

impl View {
    /// How far a point is from the eye, measured along the view.
    #[must_use]
    #[inline]
    pub fn depth(&self, point: Vec3) -> f32 {
        self.sight(point).dot(self.forward())
    }

    /// Where the camera points.
    #[must_use]
    #[inline]
    pub fn forward(&self) -> Vec3 {
        let (Self::Perspective { forward, .. } | Self::Parallel { forward }) = *self;
        forward
    }

    /// From the eye to a point.
    #[inline]
    pub fn sight(&self, point: Vec3) -> Vec3 {
        match *self {
            Self::Perspective { eye, .. } => point - eye,
            Self::Parallel { forward } => forward,
        }
    }

    /// Whether its direction is of unit length and its numbers are numbers.
    #[must_use]
    #[inline]
    pub fn is_valid(&self) -> bool {
        let finite = match *self {
            Self::Perspective { eye, forward } => eye.is_finite() && forward.is_finite(),
            Self::Parallel { forward } => forward.is_finite(),
        };
        finite && (self.forward().length() - 1.0).abs() < 1e-2
    }
}

/// The plane that hides what is in front of it, so that insides can be reached.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Cutaway {
    /// Points into what is hidden, unit length, in the project's space.
    #[cfg_attr(feature = "schema", schema(value_type = [f32; 3]))]
    pub normal: Vec3,
    /// The plane's distance from the origin along the normal.
    pub offset: f32,
    /// Whether tools cover what it hides all the same, where they do not go by sight.
    #[serde(default)]
    pub covers_hidden: bool,
}

impl Cutaway {
    /// How far a point is in what is hidden; negative on the side that is seen.
    #[must_use]
    #[inline]
    pub fn depth(&self, point: Vec3) -> f32 {
        self.normal.dot(point) - self.offset
    }

    /// Whether no tool covers a point.
    #[must_use]
    #[inline]
    pub fn spares(&self, point: Vec3) -> bool {
        !self.covers_hidden && self.depth(point) > 0.0
    }

    /// What makes it impossible, said for the user.
    #[must_use]
    #[inline]
    pub fn problem(&self) -> Option<&'static str> {
        let is_unit = (self.normal.length() - 1.0).abs() < 1e-2;
        (!is_unit || !self.offset.is_finite())
            .then_some("the cutaway needs a direction of unit length and a place")
    }

    /// The same plane in a mirror.
    #[must_use]
    #[inline]
    pub fn mirrored(&self, image: &Affine3A) -> Self {
        let on_plane = image.transform_point3(self.normal * self.offset);
        // Reflections turn normals as they turn directions when they keep lengths; others are
        // close enough for a plane that was set by eye.
        let normal = image.transform_vector3(self.normal).normalize_or(self.normal);
        Self { normal, offset: normal.dot(on_plane), ..*self }
    }

    /// The part of a line of sight that is not hidden: from where to where along the direction.
    #[inline]
    pub(crate) fn seen_of(&self, origin: Vec3, direction: Vec3) -> Option<(f32, f32)> {
        let (depth, along) = (self.depth(origin), self.normal.dot(direction));
        match (depth > 0.0, along) {
            (true, along) if along >= 0.0 => None,
            (true, along) => Some((depth / -along, f32::INFINITY)),
            (false, along) if along > 0.0 => Some((0.0, -depth / along)),
            (false, _) => Some((0.0, f32::INFINITY)),
        }
    }
}
