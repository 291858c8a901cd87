//! What the tests of all formats share.

use speckle_core::{Document, Edit};
use speckle_formats::{FormatError, Import, MeshFile, ReadOptions};
use speckle_model::{NewPart, Part};

/// Reads a file that stands alone, as it usually is.
pub fn read(name: &str, bytes: &[u8]) -> Result<Import, FormatError> {
    speckle_formats::read(&MeshFile::alone(name, bytes), &ReadOptions::default())
}

/// Brings parts into a document, which writers take them from.
pub fn into_parts(parts: Vec<NewPart>) -> Vec<Part> {
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts)).unwrap();
    document.parts().to_vec()
}
