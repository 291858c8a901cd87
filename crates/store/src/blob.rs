//! How values become blobs: MessagePack with field names, so that later versions can add fields,
//! then LZ4, since patches and flooded sets repeat themselves.

use serde::{Serialize, de::DeserializeOwned};

use crate::StoreError;

pub fn pack(value: &impl Serialize) -> Result<Vec<u8>, StoreError> {
    let bytes =
        rmp_serde::to_vec_named(value).map_err(|error| StoreError::Damaged(error.to_string()))?;
    Ok(lz4_flex::compress_prepend_size(&bytes))
}

pub fn unpack<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, StoreError> {
    let bytes = lz4_flex::decompress_size_prepended(bytes)
        .map_err(|error| StoreError::Damaged(error.to_string()))?;
    rmp_serde::from_slice(&bytes).map_err(|error| StoreError::Damaged(error.to_string()))
}
