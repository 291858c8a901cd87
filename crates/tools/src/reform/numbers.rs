//! What says how far or where, as a number for each vertex: a channel of a set, or of an image.

use glam::Vec2;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Linear, Rgba};
use speckle_mesh::Placement;
use speckle_model::{ImageRecord, Part, SetId, color_set::convert};

use crate::{
    bake::image::{Mapping, Picture, Projected, sampled},
    image_file::ImageFile,
};

/// What numbers are read from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = NumbersBy))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum By {
    /// 1 everywhere.
    Evenly,
    /// A channel of a set.
    Channel {
        /// The set.
        set: SetId,
        /// Its channel, 0–3; the luminance of its colors where none is said.
        #[serde(default)]
        channel: Option<u8>,
    },
    /// A channel of an image of the project, by texture coordinates.
    Image {
        /// The image, by its name.
        image: String,
        /// The set of texture coordinates, from 0.
        #[serde(default)]
        uv_set: usize,
        /// Its channel, 0–3; the luminance of its colors where none is said.
        #[serde(default)]
        channel: Option<u8>,
    },
}

/// Why there are no numbers.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum NumbersError {
    /// There is no such set.
    #[error("the set that says how far is not there any more: choose another")]
    NoSet,
    /// There is no such channel.
    #[error("channels are numbered 0 to 3")]
    NoChannel,
    /// There is no such image.
    #[error("the image {0} is not in the project: bring it in first, or choose another")]
    NoImage(String),
    /// An image cannot be unpacked.
    #[error("the image {name} {cause}")]
    UnreadImage {
        /// Its name.
        name: String,
        /// Why.
        cause: String,
    },
    /// The part has no such texture coordinates.
    #[error(
        "{part} has no texture coordinates by which an image could lie: lay it out for images first"
    )]
    NoUvs {
        /// The part.
        part: String,
    },
}

impl By {
    /// A number for each vertex of a part.
    ///
    /// # Errors
    /// See [`NumbersError`].
    pub(super) fn numbers(
        &self,
        part: &Part,
        images: &[ImageRecord],
    ) -> Result<Vec<f32>, NumbersError> {
        let geometry = &part.geometry;
        let (values, channel) = match self {
            Self::Evenly => return Ok(vec![1.0; geometry.mesh().vertex_count()]),
            Self::Channel { set, channel } => {
                let set = part.sets.iter().find(|own| own.id == *set);
                let set = set.ok_or(NumbersError::NoSet)?;
                (convert::values_at(set, Placement::Vertex, geometry), channel)
            }
            Self::Image { image, uv_set, channel } => {
                let uvs = geometry.mesh().uv_sets().get(*uv_set);
                let uvs = uvs.ok_or(NumbersError::NoUvs { part: part.traits.name.clone() })?;
                (shown(part, image, &uvs.uvs, images)?, channel)
            }
        };
        if channel.is_some_and(|channel| channel > 3) {
            return Err(NumbersError::NoChannel);
        }
        let number = |value: &Rgba| match channel {
            Some(channel) => value[usize::from(*channel)],
            None => Linear::of(*value).luminance(),
        };
        Ok(values.par_iter().map(number).collect())
    }
}

/// What an image shows at each vertex.
fn shown(
    part: &Part,
    name: &str,
    uvs: &[Vec2],
    images: &[ImageRecord],
) -> Result<Vec<Rgba>, NumbersError> {
    let found = images.iter().find(|image| image.name == name);
    let found = found.ok_or_else(|| NumbersError::NoImage(name.to_owned()))?;
    let unread = |cause| NumbersError::UnreadImage { name: name.to_owned(), cause };
    let image = ImageFile::new(found.file.clone()).and_then(|file| file.image()).map_err(unread)?;
    let mapping = Mapping { encoding: Encoding::Data, ..Mapping::default() };
    let tint = Linear([1.0; 4]);
    let picture = Picture { image: Some(&image), projected: Projected::Uv(uvs), tint };
    Ok(sampled(&[picture], &[], &mapping, &part.geometry, Placement::Vertex))
}
