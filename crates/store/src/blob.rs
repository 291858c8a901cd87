//! How values become blobs: MessagePack with field names, so that later versions can add fields,
//! then LZ4, since patches and flooded sets repeat themselves.

use serde::{Serialize, de::DeserializeOwned};

use crate::StoreError;

/// The most bytes a blob may unpack to: its length stands in front of it in 32 bits.
const MOST_UNPACKED: usize = u32::MAX as usize;

/// LZ4 makes at most 255 bytes of one; a blob that promises more would only ask for memory.
const MOST_GROWTH: usize = 255;

pub fn pack(value: &impl Serialize) -> Result<Vec<u8>, StoreError> {
    let bytes =
        rmp_serde::to_vec_named(value).map_err(|error| StoreError::Damaged(error.to_string()))?;
    if bytes.len() > MOST_UNPACKED {
        let cause = format!("{} bytes at once are more than a row can hold", bytes.len());
        return Err(StoreError::Damaged(cause));
    }
    Ok(lz4_flex::compress_prepend_size(&bytes))
}

/// How many bytes a blob says it unpacks to.
pub fn promised(bytes: &[u8]) -> usize {
    bytes.get(..4).map_or(0, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]])) as usize
}

pub fn unpack<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, StoreError> {
    if promised(bytes) > bytes.len().saturating_mul(MOST_GROWTH) {
        return Err(StoreError::Damaged("a blob promises more than it can hold".to_owned()));
    }
    let bytes = lz4_flex::decompress_size_prepended(bytes)
        .map_err(|error| StoreError::Damaged(error.to_string()))?;
    rmp_serde::from_slice(&bytes).map_err(|error| StoreError::Damaged(error.to_string()))
}

/// Tells whether bytes are as they were written.
pub type Digest = [u8; 16];

/// The digest of what stands in a row (BLAKE3, its first 128 bits).
pub fn digest(fields: &[&[u8]]) -> Digest {
    let mut hasher = blake3::Hasher::new();
    for field in fields {
        hasher.update(&(field.len() as u64).to_le_bytes());
        hasher.update(field);
    }
    let mut digest = [0; 16];
    digest.copy_from_slice(&hasher.finalize().as_bytes()[..16]);
    digest
}
