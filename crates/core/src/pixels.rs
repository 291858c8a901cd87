//! Images for stencils and recipes: PNG, JPEG, WebP, GIF, BMP and TIFF.

use std::io::Cursor;

/// The longest side an image may have, pixels.
const LONGEST_SIDE: u32 = 16_384;

/// The most memory reading one may take, bytes.
const MOST_UNPACKED: u64 = 1 << 30;

/// An image as it was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pixels {
    /// In pixels.
    pub width: usize,
    /// In pixels.
    pub height: usize,
    /// R, G, B and A of each, row by row from the top.
    pub rgba: Vec<u8>,
}

/// Reads an image.
///
/// # Errors
/// What is wrong with it, and what can be read, said for the user.
pub fn read(bytes: &[u8]) -> Result<Pixels, String> {
    let said = |cause: String| {
        format!("cannot be read: {cause}; choose a PNG, JPEG, WebP, GIF, BMP or TIFF image")
    };
    let mut reader = ::image::ImageReader::new(Cursor::new(bytes))
        .with_guessed_format()
        .map_err(|error| said(error.to_string()))?;
    let mut limits = ::image::Limits::default();
    limits.max_image_width = Some(LONGEST_SIDE);
    limits.max_image_height = Some(LONGEST_SIDE);
    limits.max_alloc = Some(MOST_UNPACKED);
    reader.limits(limits);
    let image = reader.decode().map_err(|error| said(error.to_string()))?.into_rgba8();
    let (width, height) = image.dimensions();
    if width == 0 || height == 0 {
        return Err(said("it has no pixels".to_owned()));
    }
    Ok(Pixels { width: width as usize, height: height as usize, rgba: image.into_raw() })
}
