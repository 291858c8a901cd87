//! Where a file's arrays lie: in its binary chunk, embedded in its text, or in files beside it.

use std::borrow::Cow;

use base64::prelude::{BASE64_STANDARD, Engine as _};
use percent_encoding::percent_decode_str;
use serde::Deserialize;

use crate::{FormatError, Limits, MeshFile, Place};

/// A buffer as the JSON names it.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct BufferEntry {
    uri: Option<String>,
    byte_length: usize,
}

/// A buffer with its bytes.
pub struct Buffer<'a> {
    pub bytes: Cow<'a, [u8]>,
    /// For messages.
    pub name: String,
    /// Where its bytes begin in the file they are in.
    pub start: usize,
}

/// Finds the bytes of all buffers.
pub fn load<'a>(
    entries: &[BufferEntry],
    mut chunk: Option<Buffer<'a>>,
    file: &MeshFile,
    limits: Limits,
) -> Result<Vec<Buffer<'a>>, FormatError> {
    let mut buffers = Vec::with_capacity(entries.len());
    let mut total = 0_usize;
    for (index, entry) in entries.iter().enumerate() {
        let buffer = match &entry.uri {
            None => chunk.take().filter(|_| index == 0).ok_or_else(|| {
                FormatError::new(
                    Place::File,
                    format!("buffer {index} has neither bytes nor a place to find them"),
                    "the file is damaged: export it again",
                )
            })?,
            Some(uri) => {
                let (bytes, name) = fetch(uri, file)?;
                Buffer { bytes: bytes.into(), name, start: 0 }
            }
        };
        total = total.saturating_add(buffer.bytes.len());
        if total > limits.bytes {
            return Err(FormatError::too_many_bytes(limits));
        }
        if buffer.bytes.len() < entry.byte_length {
            return Err(FormatError::new(
                Place::File,
                format!(
                    "{} holds {} bytes where {} are promised",
                    buffer.name,
                    buffer.bytes.len(),
                    entry.byte_length
                ),
                "it was cut short, or belongs to another model: copy or export both again",
            ));
        }
        buffers.push(buffer);
    }
    Ok(buffers)
}

/// A name as it is written in an address, in plain letters.
pub fn plain(name: &str) -> String {
    percent_decode_str(name).decode_utf8_lossy().into_owned()
}

/// The bytes an address leads to: embedded in it, or of a file beside; and their name.
///
/// # Errors
/// When they are damaged, or the file is not there.
pub fn fetch(uri: &str, file: &MeshFile) -> Result<(Vec<u8>, String), FormatError> {
    if let Some(data) = uri.strip_prefix("data:") {
        let encoded = data.split_once(";base64,").map(|(_, encoded)| encoded);
        let bytes = encoded.and_then(|encoded| BASE64_STANDARD.decode(encoded).ok());
        let bytes = bytes.ok_or_else(|| {
            FormatError::new(
                Place::File,
                "an embedded buffer is not valid base64",
                "the file is damaged: export it again",
            )
        })?;
        return Ok((bytes, "an embedded buffer".to_owned()));
    }
    let name = plain(uri);
    file.beside(&name).map(|bytes| (bytes, name))
}
