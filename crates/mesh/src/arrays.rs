//! How big arrays are serialized: as raw little-endian bytes, so that a million values are one
//! copy and not a million calls. Use with `#[serde(with = "crate::arrays")]` on `Vec<T>` or
//! `Arc<Vec<T>>` fields whose `T` is plain data.

use bytemuck::Pod;
use serde::{Deserialize, Deserializer, Serializer, de::Error as _};

/// Writes the array's bytes. The supported targets are all little-endian.
///
/// # Errors
/// What the serializer itself reports.
pub fn serialize<S, A, T>(array: &A, serializer: S) -> Result<S::Ok, S::Error>
where
    S: Serializer,
    A: AsRef<Vec<T>>,
    T: Pod,
{
    serializer.serialize_bytes(bytemuck::cast_slice(array.as_ref().as_slice()))
}

/// Reads the array back, whatever the alignment of the bytes.
///
/// # Errors
/// When the length is no multiple of the element's size.
pub fn deserialize<'de, D, A, T>(deserializer: D) -> Result<A, D::Error>
where
    D: Deserializer<'de>,
    A: From<Vec<T>>,
    T: Pod,
{
    let bytes = serde_bytes::ByteBuf::deserialize(deserializer)?;
    if !bytes.len().is_multiple_of(size_of::<T>()) {
        return Err(D::Error::custom(format!(
            "{} bytes are no whole number of {}-byte elements",
            bytes.len(),
            size_of::<T>()
        )));
    }
    Ok(A::from(bytemuck::pod_collect_to_vec(&bytes)))
}
