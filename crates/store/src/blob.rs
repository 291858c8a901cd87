//! How values become blobs: MessagePack with field names, so that later versions can add fields,
//! then LZ4, since patches and flooded sets repeat themselves.

use serde::{Serialize, de::DeserializeOwned};

use crate::StoreError;

pub fn pack(value: &impl Serialize) -> Result<Vec<u8>, StoreError> {
    let bytes =
        rmp_serde::to_vec_named(value).map_err(|error| StoreError::Damaged(error.to_string()))?;
    Ok(lz4_flex::compress_prepend_size(&bytes))
}

/// LZ4 makes at most 255 bytes of one; a blob that promises more would only ask for memory.
const MOST_GROWTH: usize = 255;

pub fn unpack<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, StoreError> {
    let promised = bytes.get(..4).map_or(0, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]));
    if promised as usize > bytes.len().saturating_mul(MOST_GROWTH) {
        return Err(StoreError::Damaged("a blob promises more than it can hold".to_owned()));
    }
    let bytes = lz4_flex::decompress_size_prepended(bytes)
        .map_err(|error| StoreError::Damaged(error.to_string()))?;
    rmp_serde::from_slice(&bytes).map_err(|error| StoreError::Damaged(error.to_string()))
}
