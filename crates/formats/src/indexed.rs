//! Sets and normals as lists that corners choose from, for formats that index them by corner; and the
//! plainest placement of values that came by corner.

use std::hash::Hash;

use rustc_hash::FxHashMap;
use speckle_color::Rgba;
use speckle_mesh::{Placement, geometry::shading, mesh::MeshArrays};
use speckle_model::{ColorSet, Part};

use crate::{RawSet, numbers::Numbers};

/// Each color, or each normal, once, and which of them each corner of the mesh has.
pub struct Indexed<T> {
    /// What there is, in the order it is met.
    pub values: Vec<T>,
    /// The number of each corner's.
    pub of_corners: Vec<u32>,
}

/// Each value once, and the number of each of the given ones.
fn numbered<T: Copy + Eq + Hash>(all: impl Iterator<Item = T>) -> (Vec<T>, Vec<u32>) {
    let mut number_of: FxHashMap<T, u32> = FxHashMap::default();
    let mut values = Vec::new();
    let numbers = all.map(|value| {
        *number_of.entry(value).or_insert_with(|| {
            values.push(value);
            values.len() as u32 - 1
        })
    });
    let numbers = numbers.collect();
    (values, numbers)
}

impl Indexed<[u32; 3]> {
    /// The unit normals of a mesh that has its own, as their bits.
    pub fn of_normals(part: &Part) -> Option<Self> {
        let own = shading::own_at(&part.geometry, Placement::Corner)?;
        let bits = own.iter().map(|normal| normal.to_array().map(f32::to_bits));
        let (values, of_corners) = numbered(bits);
        Some(Self { values, of_corners })
    }
}

impl<T: Copy + Eq + Hash> Indexed<T> {
    /// The colors of a set, as they are stored.
    pub fn new(part: &Part, set: &ColorSet, stored: impl Fn(Rgba) -> T) -> Self {
        let (values, numbers) = numbered(set.values.iter().map(|&value| stored(value)));
        let mesh = part.geometry.mesh();
        let of_corners = match set.placement {
            Placement::Corner => numbers,
            Placement::Vertex => {
                mesh.corner_vertices().iter().map(|&v| numbers[v as usize]).collect()
            }
            Placement::Face => (0..mesh.face_count())
                .flat_map(|face| mesh.face_corners(face).map(move |_| face))
                .map(|face| numbers[face])
                .collect(),
        };
        Self { values, of_corners }
    }
}

/// A set of values by corner: at the vertices where all corners of each agree, at the faces where
/// those of each face do, or at the corners.
pub fn plainest(name: String, numbers: Numbers, values: Vec<Rgba>, arrays: &MeshArrays) -> RawSet {
    let of_vertices = || {
        let mut at: Vec<Option<Rgba>> = vec![None; arrays.positions.len()];
        for (&vertex, value) in arrays.corner_vertices.iter().zip(&values) {
            // A vertex that does not exist is for the gate to find.
            let slot = at.get_mut(vertex as usize)?;
            match slot {
                Some(other) if *other != *value => return None,
                _ => *slot = Some(*value),
            }
        }
        Some(at.into_iter().map(|value| value.unwrap_or([1.0; 4])).collect::<Vec<_>>())
    };
    let of_faces = || {
        let mut at = Vec::with_capacity(arrays.face_starts.len().saturating_sub(1));
        for bounds in arrays.face_starts.windows(2) {
            let own = values.get(bounds[0] as usize..bounds[1] as usize)?;
            let first = own.first().copied().unwrap_or([1.0; 4]);
            if own.iter().any(|value| *value != first) {
                return None;
            }
            at.push(first);
        }
        Some(at)
    };
    let (placement, values) = if let Some(values) = of_vertices() {
        (Placement::Vertex, values)
    } else if let Some(values) = of_faces() {
        (Placement::Face, values)
    } else {
        (Placement::Corner, values)
    };
    RawSet { name, placement, numbers, values }
}
