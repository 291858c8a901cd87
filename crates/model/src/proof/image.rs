//! Images in looks.

use serde::{Deserialize, Serialize};

/// An image of the project, and how it lies on a surface: turned about its middle, then repeated, then moved to the
/// right and down, as images of recipes are.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookImage))]
#[serde(deny_unknown_fields)]
pub struct Laid {
    /// By name.
    pub image: String,
    /// By what it lies.
    #[serde(default)]
    pub lay: Lay,
    /// How often it comes across and down.
    #[serde(default = "once")]
    pub repeat: [f32; 2],
    /// How far it is moved across and down, in images.
    #[serde(default)]
    pub offset: [f32; 2],
    /// How far it is turned, degrees.
    #[serde(default)]
    pub turn: f32,
}

fn once() -> [f32; 2] {
    [1.0; 2]
}

/// By what an image of a look lies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookImageLay))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Lay {
    /// By the first texture coordinates.
    #[default]
    Uv,
    /// From the three axes, each where the surface faces it.
    ThreeAxes {
        /// How wide the image is, in the part's unit.
        width: f32,
    },
}

/// A normal map: x, y and z from −1 to 1 as 0 to 1, y towards the top of the image.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LookNormalMap))]
#[serde(deny_unknown_fields)]
pub struct NormalMap {
    /// It, laid by texture coordinates.
    pub laid: Laid,
    /// How many times as steep as it says.
    pub strength: f32,
}

impl Laid {
    pub(super) fn problem(&self) -> Option<&'static str> {
        let Self { image, lay, repeat, offset, turn } = self;
        if image.trim().is_empty() {
            return Some("choose an image");
        }
        if matches!(lay, Lay::ThreeAxes { width } if !(*width > 0.0 && width.is_finite())) {
            return Some("an image from three axes is wider than nothing");
        }
        let is_sound = |x: &f32| x.abs() <= 10_000.0;
        if repeat.contains(&0.0) || !repeat.iter().chain(offset).chain([turn]).all(is_sound) {
            return Some("an image comes at least once, and is moved and turned by numbers");
        }
        None
    }
}

impl NormalMap {
    pub(super) fn problem(&self) -> Option<&'static str> {
        if self.laid.lay != Lay::Uv {
            return Some("normal maps lie by texture coordinates");
        }
        if !(-10.0..=10.0).contains(&self.strength) {
            return Some("normals are bent by −10 to 10 times what the map says");
        }
        self.laid.problem()
    }
}
