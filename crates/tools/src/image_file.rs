//! Images of a project: files whose pixels are unpacked when they are needed.
//!
//! A file of some kilobytes can hold millions of pixels, so nothing is unpacked where others would
//! wait for it, and what was unpacked is kept only as far as there is room.

use std::{
    collections::VecDeque,
    sync::{Arc, Mutex, PoisonError},
};

use speckle_color::pixels;

use crate::bake::image::Image;

/// The most memory that unpacked images may stay in when nobody uses them, bytes.
const MOST_KEPT: usize = 256 << 20;

/// Images that were unpacked last, the newest first.
static KEPT: Mutex<VecDeque<([u8; 32], Arc<Image>)>> = Mutex::new(VecDeque::new());

/// An image's file, and what its head says.
#[derive(Clone, Debug)]
pub struct ImageFile {
    file: Arc<Vec<u8>>,
    size: [usize; 2],
    digest: [u8; 32],
}

impl ImageFile {
    /// Reads the head of a file.
    ///
    /// # Errors
    /// What is wrong with it, said to follow its name.
    pub fn new(file: Arc<Vec<u8>>) -> Result<Self, String> {
        let size = pixels::size(&file)?;
        if size[0].saturating_mul(size[1]) > crate::bake::image::MOST_PIXELS {
            return Err("has more pixels than can be laid on a surface".to_owned());
        }
        let digest = *blake3::hash(&file).as_bytes();
        Ok(Self { file, size, digest })
    }

    /// Width and height in pixels.
    #[must_use]
    pub fn size(&self) -> [usize; 2] {
        self.size
    }

    /// A digest of the file.
    #[must_use]
    pub fn digest(&self) -> [u8; 32] {
        self.digest
    }

    /// Unpacks its pixels, unless they are at hand. Takes as long as the image is large.
    ///
    /// # Errors
    /// What is wrong with it, said to follow its name.
    pub fn image(&self) -> Result<Arc<Image>, String> {
        if let Some(at_hand) = self.at_hand() {
            return Ok(at_hand);
        }
        // Not under the lock: unpacking is shared out among cores, and a core that waits for the
        // others may take up other work, which asks for an image as well.
        let read = pixels::read(&self.file)?;
        let image = Image::from_pixels(&read)
            .map(Arc::new)
            .ok_or("has more pixels than can be laid on a surface")?;
        let mut kept = KEPT.lock().unwrap_or_else(PoisonError::into_inner);
        kept.push_front((self.digest, image.clone()));
        let mut bytes = 0;
        kept.retain(|(_, image)| {
            bytes += image.bytes();
            bytes <= MOST_KEPT
        });
        Ok(image)
    }

    fn at_hand(&self) -> Option<Arc<Image>> {
        let mut kept = KEPT.lock().unwrap_or_else(PoisonError::into_inner);
        let at = kept.iter().position(|(digest, _)| *digest == self.digest)?;
        let found = kept.remove(at)?;
        let image = found.1.clone();
        kept.push_front(found);
        Some(image)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn png(width: u32, height: u32) -> Arc<Vec<u8>> {
        let mut file = Vec::new();
        let image = ::image::RgbaImage::new(width, height);
        let mut cursor = std::io::Cursor::new(&mut file);
        image.write_to(&mut cursor, ::image::ImageFormat::Png).unwrap();
        Arc::new(file)
    }

    #[test]
    fn the_head_alone_tells_the_size_and_what_is_broken_below_it_is_told_when_it_is_needed() {
        let whole = png(300, 20);
        let image = ImageFile::new(whole.clone()).unwrap();
        assert_eq!(image.size(), [300, 20]);
        let unpacked = image.image().unwrap();
        assert_eq!(unpacked.size(), [300, 20]);
        assert!(Arc::ptr_eq(&unpacked, &image.image().unwrap()), "unpacked once");

        let cut = ImageFile::new(Arc::new(whole[..60].to_vec())).unwrap();
        assert_eq!(cut.size(), [300, 20]);
        assert!(cut.image().unwrap_err().contains("cannot be read"));
        assert!(ImageFile::new(Arc::new(b"no image".to_vec())).is_err());
    }

    #[test]
    fn what_takes_much_room_does_not_stay() {
        // 3 600² pixels take 16 bytes each, and a third more for their smaller copies.
        let large = ImageFile::new(png(3_600, 3_600)).unwrap();
        let unpacked = large.image().unwrap();
        assert!(unpacked.bytes() > MOST_KEPT);
        assert_eq!(Arc::strong_count(&unpacked), 1);
    }
}
