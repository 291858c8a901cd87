//! Images for stencils and recipes: PNG, JPEG, WebP, GIF, BMP, TIFF and OpenEXR.

use std::{fmt::Display, io::Cursor};

use ::image::{ImageEncoder as _, ImageFormat, ImageReader};
use rayon::prelude::*;

use crate::numbers::{Linear, bytes_from_rgba};

/// The longest side an image may have, pixels.
const LONGEST_SIDE: u32 = 16_384;

/// The most memory reading one may take, bytes.
const MOST_UNPACKED: u64 = 1 << 30;

/// An image as it was read.
#[derive(Clone, Debug, PartialEq)]
pub struct Pixels {
    /// In pixels.
    pub width: usize,
    /// In pixels.
    pub height: usize,
    /// R, G, B and A of each, row by row from the top, encoded as sRGB.
    pub rgba: Vec<u8>,
    /// The same in linear light, of files that hold that (OpenEXR does, by its own documents), as
    /// far as it lies between 0 and 1.
    pub light: Option<Vec<Linear>>,
    /// The same as `rgba` in steps of 1/65535, of files that hold finer steps than bytes.
    pub deep: Option<Vec<[u16; 4]>>,
}

impl Pixels {
    /// An image of 8 bits: R, G, B and A of each pixel, row by row from the top.
    #[must_use]
    pub const fn of_bytes([width, height]: [usize; 2], rgba: Vec<u8>) -> Self {
        Self { width, height, rgba, light: None, deep: None }
    }

    /// The same as a PNG file, of 8 bits.
    ///
    /// # Errors
    /// What is wrong, said to follow its name.
    pub fn png(&self) -> Result<Vec<u8>, String> {
        let mut file = Vec::new();
        let encoder = ::image::codecs::png::PngEncoder::new(&mut file);
        let size = [self.width, self.height].map(|side| u32::try_from(side).unwrap_or(u32::MAX));
        encoder
            .write_image(&self.rgba, size[0], size[1], ::image::ExtendedColorType::Rgba8)
            .map_err(|cause| format!("cannot be written: {cause}"))?;
        Ok(file)
    }
}

fn said(cause: impl Display) -> String {
    format!("cannot be read: {cause}; choose a PNG, JPEG, WebP, GIF, BMP, TIFF or OpenEXR image")
}

fn reader(bytes: &[u8]) -> Result<ImageReader<Cursor<&[u8]>>, String> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(said)?;
    let mut limits = ::image::Limits::default();
    limits.max_image_width = Some(LONGEST_SIDE);
    limits.max_image_height = Some(LONGEST_SIDE);
    limits.max_alloc = Some(MOST_UNPACKED);
    reader.limits(limits);
    Ok(reader)
}

/// The width and height of an image in pixels, as its head says.
///
/// # Errors
/// What is wrong with it, and what can be read, said for the user.
pub fn size(bytes: &[u8]) -> Result<[usize; 2], String> {
    let (width, height) = reader(bytes)?.into_dimensions().map_err(said)?;
    match (width, height) {
        (0, _) | (_, 0) => Err(said("it has no pixels")),
        (width, height) if width.max(height) > LONGEST_SIDE => {
            Err(said(format!("it is longer than {LONGEST_SIDE} pixels")))
        }
        (width, height) => Ok([width as usize, height as usize]),
    }
}

/// Reads an image.
///
/// # Errors
/// What is wrong with it, and what can be read, said for the user.
pub fn read(bytes: &[u8]) -> Result<Pixels, String> {
    let reader = reader(bytes)?;
    let is_linear = reader.format() == Some(ImageFormat::OpenExr);
    let image = reader.decode().map_err(said)?;
    if is_linear {
        let image = image.into_rgba32f();
        let (width, height) = (image.width() as usize, image.height() as usize);
        // No number counts as none.
        let within = |x: &f32| if x.is_nan() { 0.0 } else { x.clamp(0.0, 1.0) };
        let value = |p: &[f32]| Linear(std::array::from_fn(|i| within(&p[i])));
        let light: Vec<Linear> = image.as_raw().par_chunks_exact(4).map(value).collect();
        let rgba = light.par_iter().flat_map_iter(|&value| bytes_from_rgba(value.encoded()));
        let rgba = rgba.collect();
        return Ok(Pixels { width, height, rgba, light: Some(light), deep: None });
    }
    let (width, height) = (image.width() as usize, image.height() as usize);
    if width == 0 || height == 0 {
        return Err(said("it has no pixels"));
    }
    let color = image.color();
    if color.bytes_per_pixel() == color.channel_count() {
        let rgba = image.into_rgba8().into_raw();
        return Ok(Pixels::of_bytes([width, height], rgba));
    }
    let deep: Vec<[u16; 4]> = image
        .into_rgba16()
        .into_raw()
        .par_chunks_exact(4)
        .map(|p| [p[0], p[1], p[2], p[3]])
        .collect();
    let byte = |x: u16| ((u32::from(x) * 255 + 32_767) / 65_535) as u8;
    let rgba = deep.par_iter().flat_map_iter(|pixel| pixel.map(byte)).collect();
    Ok(Pixels { width, height, rgba, light: None, deep: Some(deep) })
}
