//! Reading accessors: typed views into the file's buffers, every bound checked.

use serde::Deserialize;

use super::{buffers::Buffer, component};
use crate::{Budget, FormatError, Place};

/// A stretch of a buffer.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct BufferView {
    buffer: usize,
    #[serde(default)]
    byte_offset: usize,
    byte_length: usize,
    byte_stride: Option<usize>,
}

impl BufferView {
    /// Its bytes; `None` when it reaches out of its buffer.
    pub fn bytes<'a>(&self, buffers: &'a [Buffer]) -> Option<&'a [u8]> {
        let end = self.byte_offset.checked_add(self.byte_length)?;
        buffers.get(self.buffer)?.bytes.get(self.byte_offset..end)
    }
}

/// How a stretch is read.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Accessor {
    buffer_view: Option<usize>,
    #[serde(default)]
    byte_offset: usize,
    component_type: u32,
    #[serde(default)]
    normalized: bool,
    count: usize,
    #[serde(rename = "type")]
    shape: String,
    sparse: Option<Sparse>,
}

#[derive(Debug, Deserialize)]
struct Sparse {
    count: usize,
    indices: SparseArray,
    values: SparseArray,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
struct SparseArray {
    buffer_view: usize,
    #[serde(default)]
    byte_offset: usize,
    component_type: Option<u32>,
}

/// Rows of numbers, `width` each.
pub struct Rows {
    pub width: usize,
    pub values: Vec<f32>,
}

impl Rows {
    pub fn len(&self) -> usize {
        self.values.len() / self.width
    }

    pub fn row(&self, i: usize) -> &[f32] {
        &self.values[i * self.width..(i + 1) * self.width]
    }
}

/// The arrays of a file.
pub struct Arrays<'a> {
    pub accessors: &'a [Accessor],
    pub views: &'a [BufferView],
    pub buffers: &'a [Buffer<'a>],
    pub budget: &'a Budget,
}

/// The most rows an accessor may have without any bytes behind it.
const MOST_EMPTY_ROWS: usize = 4_000_000;

fn broken(cause: String) -> FormatError {
    FormatError::new(Place::File, cause, "the file is damaged: export it again")
}

impl Arrays<'_> {
    /// Reads an accessor as floats; normalized integers become 0–1 or −1–1 by the standard's rule.
    pub fn floats(&self, index: usize) -> Result<Rows, FormatError> {
        let accessor = self.accessor(index)?;
        let width = match accessor.shape.as_str() {
            "SCALAR" => 1,
            "VEC2" => 2,
            "VEC3" => 3,
            "VEC4" => 4,
            other => {
                return Err(broken(format!(
                    "accessor {index} has the type {other}, which no vertex has"
                )));
            }
        };
        let convert = match (accessor.component_type, accessor.normalized) {
            (component::F32, _) => |v: f64| v as f32,
            (component::U8, true) => |v: f64| v as f32 / 255.0,
            (component::U16, true) => |v: f64| v as f32 / 65_535.0,
            (component::I8, true) => |v: f64| (v as f32 / 127.0).max(-1.0),
            (component::I16, true) => |v: f64| (v as f32 / 32_767.0).max(-1.0),
            _ => |v: f64| v as f32,
        };
        self.budget.memory(accessor.count.saturating_mul(4 * width))?;
        let mut values = Vec::new();
        match self.tight(accessor, component::F32, width) {
            Some(bytes) => values = bytemuck::pod_collect_to_vec(bytes),
            None => {
                self.each_number(index, accessor, width, |v| values.push(convert(v)))?;
            }
        }
        if let Some(sparse) = &accessor.sparse {
            let (rows, replacing) = self.sparse(index, accessor, sparse, width)?;
            for (row, new) in rows.iter().zip(replacing.chunks_exact(width)) {
                let Some(old) = values.get_mut(row * width..(row + 1) * width) else {
                    return Err(broken(format!(
                        "accessor {index} replaces row {row}, which it has not"
                    )));
                };
                old.iter_mut().zip(new).for_each(|(old, new)| *old = convert(*new));
            }
        }
        Ok(Rows { width, values })
    }

    /// Reads an accessor of indices.
    pub fn indices(&self, index: usize) -> Result<Vec<u32>, FormatError> {
        let accessor = self.accessor(index)?;
        let whole =
            matches!(accessor.component_type, component::U8 | component::U16 | component::U32);
        if accessor.shape != "SCALAR" || !whole {
            return Err(broken(format!("accessor {index} cannot be read as indices")));
        }
        self.budget.memory(accessor.count.saturating_mul(4))?;
        if let Some(bytes) = self.tight(accessor, component::U32, 1) {
            return Ok(bytemuck::pod_collect_to_vec(bytes));
        }
        let mut values = Vec::new();
        self.each_number(index, accessor, 1, |v| values.push(v as u32))?;
        Ok(values)
    }

    /// The bytes of an accessor of 32-bit numbers that follow each other without gaps, as most do;
    /// `None` for any other, also where something is wrong with it. (The supported targets are all
    /// little-endian, as glTF is.)
    fn tight(&self, accessor: &Accessor, kind: u32, width: usize) -> Option<&[u8]> {
        let view = self.views.get(accessor.buffer_view?)?;
        let row = 4 * width;
        if accessor.component_type != kind || view.byte_stride.is_some_and(|s| s != row) {
            return None;
        }
        let end = view.byte_offset.checked_add(view.byte_length)?;
        let bytes = self.buffers.get(view.buffer)?.bytes.get(view.byte_offset..end)?;
        let first = accessor.byte_offset;
        bytes.get(first..first.checked_add(accessor.count.checked_mul(row)?)?)
    }

    fn accessor(&self, index: usize) -> Result<&Accessor, FormatError> {
        let accessor = self
            .accessors
            .get(index)
            .ok_or_else(|| broken(format!("accessor {index} is used but not there")))?;
        if accessor.count > self.budget.limits().elements {
            return Err(FormatError::too_many(self.budget.limits()));
        }
        Ok(accessor)
    }

    fn sparse(
        &self,
        index: usize,
        accessor: &Accessor,
        sparse: &Sparse,
        width: usize,
    ) -> Result<(Vec<usize>, Vec<f64>), FormatError> {
        if sparse.count > accessor.count {
            return Err(broken(format!("accessor {index} replaces more rows than it has")));
        }
        self.budget.memory(sparse.count.saturating_mul(8 * (1 + width)))?;
        let kind = sparse.indices.component_type.unwrap_or(component::U32);
        let (mut rows, mut values) = (Vec::new(), Vec::new());
        self.each_in_view(index, &sparse.indices, kind, 1, sparse.count, |v| {
            rows.push(v as usize)
        })?;
        let kind = accessor.component_type;
        self.each_in_view(index, &sparse.values, kind, width, sparse.count, |v| values.push(v))?;
        Ok((rows, values))
    }

    fn each_number(
        &self,
        index: usize,
        accessor: &Accessor,
        width: usize,
        mut each: impl FnMut(f64),
    ) -> Result<(), FormatError> {
        let Some(view) = accessor.buffer_view else {
            // By the standard an accessor without a view is all zeros. No bytes stand behind it, so
            // its size is bounded more tightly than what a file has to bring along.
            if accessor.count > MOST_EMPTY_ROWS {
                return Err(FormatError::too_many(self.budget.limits()));
            }
            (0..accessor.count * width).for_each(|_| each(0.0));
            return Ok(());
        };
        let array = SparseArray {
            buffer_view: view,
            byte_offset: accessor.byte_offset,
            component_type: None,
        };
        self.each_in_view(index, &array, accessor.component_type, width, accessor.count, each)
    }

    fn each_in_view(
        &self,
        index: usize,
        array: &SparseArray,
        kind: u32,
        width: usize,
        count: usize,
        mut each: impl FnMut(f64),
    ) -> Result<(), FormatError> {
        let view = self.views.get(array.buffer_view).ok_or_else(|| {
            broken(format!(
                "accessor {index} is in buffer view {}, which is not there",
                array.buffer_view
            ))
        })?;
        let buffer = self.buffers.get(view.buffer).ok_or_else(|| {
            broken(format!("accessor {index} is in buffer {}, which is not there", view.buffer))
        })?;
        let bytes = view
            .byte_offset
            .checked_add(view.byte_length)
            .and_then(|end| buffer.bytes.get(view.byte_offset..end))
            .ok_or_else(|| too_short(buffer, view.byte_offset, index))?;
        let read: fn(&[u8]) -> f64 = match kind {
            component::I8 => |b| f64::from(b[0] as i8),
            component::U8 => |b| f64::from(b[0]),
            component::I16 => |b| f64::from(i16::from_le_bytes([b[0], b[1]])),
            component::U16 => |b| f64::from(u16::from_le_bytes([b[0], b[1]])),
            component::U32 => |b| f64::from(u32::from_le_bytes([b[0], b[1], b[2], b[3]])),
            component::F32 => |b| f64::from(f32::from_le_bytes([b[0], b[1], b[2], b[3]])),
            other => {
                return Err(broken(format!(
                    "accessor {index} has the unknown component type {other}"
                )));
            }
        };
        let size = match kind {
            component::I8 | component::U8 => 1,
            component::I16 | component::U16 => 2,
            _ => 4,
        };
        let stride = view.byte_stride.unwrap_or(size * width);
        if stride < size * width {
            return Err(broken(format!("the rows of accessor {index} overlap")));
        }
        for row in 0..count {
            let start = row.checked_mul(stride).and_then(|at| at.checked_add(array.byte_offset));
            let row = start.and_then(|at| bytes.get(at..at.checked_add(size * width)?));
            let row = row.ok_or_else(|| too_short(buffer, view.byte_offset, index))?;
            row.chunks_exact(size).for_each(|number| each(read(number)));
        }
        Ok(())
    }
}

fn too_short(buffer: &Buffer, offset: usize, index: usize) -> FormatError {
    FormatError::new(
        Place::Byte(buffer.start.saturating_add(offset)),
        format!("accessor {index} begins here and reaches past the end of {}", buffer.name),
        "the file was cut short: copy or export it again",
    )
}
