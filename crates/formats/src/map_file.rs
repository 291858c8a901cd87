//! Maps as image files.

use std::io::Cursor;

use image::{ImageBuffer, ImageFormat, Rgba, Rgba32FImage};
use serde::{Deserialize, Serialize};
use speckle_color::linear_from_srgb;
use speckle_tools::map::Map;

/// The kinds of files a map is written as.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum MapFile {
    /// PNG of 8 bits a channel.
    #[default]
    Png8,
    /// PNG of 16 bits a channel.
    Png16,
    /// OpenEXR of 32-bit floats: colors in linear light, data as it is.
    Exr,
}

impl MapFile {
    /// The file name extension, without a dot.
    #[must_use]
    pub fn extension(self) -> &'static str {
        if self == Self::Exr { "exr" } else { "png" }
    }

    /// The registered media type, or the common one.
    #[must_use]
    pub fn media_type(self) -> &'static str {
        if self == Self::Exr { "image/x-exr" } else { "image/png" }
    }

    /// Writes a map.
    ///
    /// # Errors
    /// When the encoder refuses it.
    pub fn write(self, map: &Map) -> Result<Vec<u8>, image::ImageError> {
        let (width, height) = (map.width as u32, map.height as u32);
        let mut out = Cursor::new(Vec::new());
        // The buffer is as long as the pixels are many.
        let short = || {
            image::ImageError::Parameter(image::error::ParameterError::from_kind(
                image::error::ParameterErrorKind::DimensionMismatch,
            ))
        };
        match self {
            Self::Png8 => {
                let step = |x: f32| (x.clamp(0.0, 1.0) * 255.0).round() as u8;
                let numbers = map.pixels.iter().flat_map(|pixel| pixel.map(step)).collect();
                let image: ImageBuffer<Rgba<u8>, Vec<u8>> =
                    ImageBuffer::from_raw(width, height, numbers).ok_or_else(short)?;
                image.write_to(&mut out, ImageFormat::Png)?;
            }
            Self::Png16 => {
                let step = |x: f32| (x.clamp(0.0, 1.0) * 65_535.0).round() as u16;
                let numbers = map.pixels.iter().flat_map(|pixel| pixel.map(step)).collect();
                let image: ImageBuffer<Rgba<u16>, Vec<u16>> =
                    ImageBuffer::from_raw(width, height, numbers).ok_or_else(short)?;
                image.write_to(&mut out, ImageFormat::Png)?;
            }
            Self::Exr => {
                let light = |pixel: &[f32; 4]| -> [f32; 4] {
                    std::array::from_fn(|i| {
                        if map.is_color[i] { linear_from_srgb(pixel[i]) } else { pixel[i] }
                    })
                };
                let numbers = map.pixels.iter().flat_map(light).collect();
                let image = Rgba32FImage::from_raw(width, height, numbers).ok_or_else(short)?;
                image.write_to(&mut out, ImageFormat::OpenExr)?;
            }
        }
        Ok(out.into_inner())
    }
}
