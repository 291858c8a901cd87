//! Color volumes: shapes that color the faces they meet, for as long as they stand there.
//!
//! A volume is no part: it is neither printed nor delivered nor looked at by bakes, so nothing has to
//! leave it out. One of any shape takes the mesh of a part.

use serde::{Deserialize, Serialize};
use speckle_color::MOST_PAINTED;
use speckle_mesh::{Transform, solid::Solid};

use crate::{ids::PartId, names};

/// The most volumes of a project.
pub const MOST_VOLUMES: usize = 256;

/// A shape that colors what it meets.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ColorVolume))]
#[serde(deny_unknown_fields)]
pub struct Volume {
    /// Names it within the project; 0 for one that is new.
    #[serde(default)]
    pub id: u32,
    /// What the user calls it.
    pub name: String,
    /// What it is.
    pub shape: Shape,
    /// Where it stands in the project, its middle at its origin.
    pub transform: Transform,
    /// The number of the swatch it colors in; 0 for none.
    pub swatch: u8,
    /// Whether it colors painted faces too, and not unpainted ones alone.
    #[serde(default)]
    pub over: bool,
    /// Whether it colors nothing for now.
    #[serde(default)]
    pub off: bool,
}

/// What a volume is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = VolumeShape))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Shape {
    /// A solid that reaches from −1 to 1 along each axis.
    Solid {
        /// Which.
        solid: Solid,
    },
    /// What a part encloses, in that part's own numbers.
    Part {
        /// The part.
        part: PartId,
    },
}

/// What makes volumes impossible, said for the user.
#[must_use]
pub fn problem(volumes: &[Volume]) -> Option<String> {
    if volumes.len() > MOST_VOLUMES {
        return Some(format!("a project holds {MOST_VOLUMES} volumes at most: freeze some first"));
    }
    volumes.iter().enumerate().find_map(|(i, volume)| {
        let name = volume.name.trim();
        if let Err(error) = names::proper(name) {
            return Some(format!("a volume: {error}"));
        }
        if let Some(problem) = volume.transform.problem() {
            return Some(format!("the volume {name}: {problem}"));
        }
        if volume.swatch > MOST_PAINTED {
            return Some(format!(
                "the volume {name}: choose one of the palette's first {MOST_PAINTED} swatches"
            ));
        }
        let is_twice = volume.id > 0 && volumes[..i].iter().any(|other| other.id == volume.id);
        is_twice.then(|| format!("the volume {name} is there twice"))
    })
}
