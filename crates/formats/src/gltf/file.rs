//! The arrays of a file that is written: bytes, views of them, and accessors to those.

use serde_json::{Value, json};

use super::component;

/// What a view holds, by its number in the standard: indices.
const ELEMENT_ARRAY_BUFFER: u32 = 34963;
/// Likewise: attributes of vertices.
const ARRAY_BUFFER: u32 = 34962;

/// The arrays of a file.
#[derive(Default)]
pub struct File {
    pub bin: Vec<u8>,
    pub views: Vec<Value>,
    pub accessors: Vec<Value>,
}

impl File {
    /// Adds bytes that are no accessor's: an image's.
    pub fn plain(&mut self, bytes: &[u8]) -> usize {
        self.views.push(json!({
            "buffer": 0,
            "byteOffset": self.bin.len(),
            "byteLength": bytes.len(),
        }));
        self.bin.extend_from_slice(bytes);
        self.bin.resize(self.bin.len().next_multiple_of(4), 0);
        self.views.len() - 1
    }

    /// Adds rows of floats.
    pub fn floats<T: bytemuck::Pod>(&mut self, rows: &[T], shape: &str) -> usize {
        self.array(bytemuck::cast_slice(rows), rows.len(), component::F32, shape, false, None)
    }

    /// Adds an array with its view and accessor; returns the accessor's index.
    pub fn array(
        &mut self,
        bytes: &[u8],
        count: usize,
        kind: u32,
        shape: &str,
        normalized: bool,
        stride: Option<usize>,
    ) -> usize {
        let target = if shape == "SCALAR" { ELEMENT_ARRAY_BUFFER } else { ARRAY_BUFFER };
        let mut view = json!({
            "buffer": 0,
            "byteOffset": self.bin.len(),
            "byteLength": bytes.len(),
            "target": target,
        });
        if let Some(stride) = stride {
            view["byteStride"] = json!(stride);
        }
        let mut accessor = json!({
            "bufferView": self.views.len(),
            "componentType": kind,
            "count": count,
            "type": shape,
        });
        if normalized {
            accessor["normalized"] = json!(true);
        }
        self.views.push(view);
        self.accessors.push(accessor);
        self.bin.extend_from_slice(bytes);
        self.bin.resize(self.bin.len().next_multiple_of(4), 0);
        self.accessors.len() - 1
    }
}
