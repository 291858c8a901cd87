//! glTF 2.0 (Khronos), as `.gltf` with its arrays embedded or beside it, and as GLB, its binary
//! form: a JSON chunk and one chunk of arrays.
//!
//! `COLOR_n` is linear by the standard: color sets are converted on the way in and out, data sets
//! are left as they are. Our own files name their sets and tell their encoding in the mesh's
//! `extras.color_sets`; other readers pass over it.

mod accessor;
mod buffers;
mod file;
mod material_lists;
mod materials;
pub mod read;
pub mod write;

/// `glTF`, little-endian.
const MAGIC: u32 = 0x4654_6C67;
/// `JSON`.
const CHUNK_JSON: u32 = 0x4E4F_534A;
/// `BIN\0`.
const CHUNK_BIN: u32 = 0x004E_4942;
/// Bytes of the file header: magic, version, length.
const HEADER: usize = 12;
/// Bytes before each chunk's content: length, kind.
const CHUNK_HEADER: usize = 8;

/// Component types by their numbers in the standard.
mod component {
    pub const I8: u32 = 5120;
    pub const U8: u32 = 5121;
    pub const I16: u32 = 5122;
    pub const U16: u32 = 5123;
    pub const U32: u32 = 5125;
    pub const F32: u32 = 5126;
}

/// The node above all others that says unit and up axis.
const ABOVE_ALL: &str = "Units and up axis";

/// How an embedded buffer begins.
const EMBEDDED: &str = "data:application/octet-stream;base64,";
