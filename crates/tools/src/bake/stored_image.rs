//! Images of the project that recipes look at.

use std::sync::Arc;

use super::{error::BakeError, image::Image};
use crate::image_file::ImageFile;

/// The number of a tile in a name, and what stands before and after it: the last four digits in a row
/// from 1001 on.
pub(super) fn tile_of(name: &str) -> Option<(&str, u32, &str)> {
    let is_digit = |at: usize| name.as_bytes().get(at).is_some_and(u8::is_ascii_digit);
    let is_four = |&at: &usize| {
        (at..at + 4).all(is_digit) && !is_digit(at + 4) && (at == 0 || !is_digit(at - 1))
    };
    let at = (0..name.len().saturating_sub(3)).rev().find(is_four)?;
    let number = name[at..at + 4].parse().ok().filter(|number| *number > 1000)?;
    Some((&name[..at], number, &name[at + 4..]))
}

/// An image of the project.
#[derive(Clone, Copy)]
pub(super) struct StoredImage<'a> {
    pub(super) name: &'a str,
    pub(super) file: &'a ImageFile,
}

impl StoredImage<'_> {
    /// Its pixels.
    pub(super) fn unpacked(&self) -> Result<Arc<Image>, BakeError> {
        let unread = |cause| BakeError::UnreadImage { name: self.name.to_owned(), cause };
        self.file.image().map_err(unread)
    }
}
