//! What a mesh carries at its corners beside values: texture coordinates, and normals of its own.

use glam::{Vec2, Vec3};
use smallvec::SmallVec;

use crate::mesh::MeshArrays;

/// What lies at one corner.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct CornerData {
    /// In each UV set.
    uvs: SmallVec<[Vec2; 2]>,
    /// Where the mesh has normals of its own.
    normal: Option<Vec3>,
}

impl CornerData {
    pub(super) fn at(arrays: &MeshArrays, corner: usize) -> Self {
        let uvs = arrays.uv_sets.iter().map(|set| set.uvs[corner]).collect();
        Self { uvs, normal: arrays.normals.get(corner).copied() }
    }

    /// What lies so far on the way to another one.
    pub(super) fn lerp(&self, other: &Self, along: f32) -> Self {
        let uvs = self.uvs.iter().zip(&other.uvs).map(|(a, &b)| a.lerp(b, along)).collect();
        let turned =
            |(a, b): (Vec3, Vec3)| a.normalize_or_zero().lerp(b.normalize_or_zero(), along);
        let normal = self.normal.zip(other.normal).map(|ends| turned(ends).normalize_or_zero());
        Self { uvs, normal }
    }

    pub(super) fn put(&self, arrays: &mut MeshArrays, corner: usize) {
        for (set, &uv) in arrays.uv_sets.iter_mut().zip(&self.uvs) {
            set.uvs[corner] = uv;
        }
        if let Some(normal) = self.normal {
            arrays.normals[corner] = normal;
        }
    }

    /// Puts it behind the others, for a corner that comes.
    pub(super) fn push(&self, arrays: &mut MeshArrays) {
        for (set, &uv) in arrays.uv_sets.iter_mut().zip(&self.uvs) {
            set.uvs.push(uv);
        }
        arrays.normals.extend(self.normal);
    }
}
