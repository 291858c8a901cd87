//! Splitting vertices where the corners around them differ, for formats whose vertices carry
//! everything: a corner's color or UV needs a vertex of its own there.

use std::collections::HashMap;

use speckle_core::{ColorSet, Part, Placement, color::Rgba};

/// The vertices of a file, each taken from a vertex and one of its corners.
pub struct SplitVertices {
    /// The mesh's vertex behind each vertex of the file.
    pub vertices: Vec<u32>,
    /// A corner at that vertex that has the same values; unused vertices have none.
    corners: Vec<Option<u32>>,
    /// The file's vertex of each corner of the mesh.
    pub of_corner: Vec<u32>,
}

impl SplitVertices {
    /// Splits as far as the sets given, and the UVs if asked, differ around a vertex; no further.
    pub fn new(part: &Part, sets: &[&ColorSet], with_uvs: bool) -> Self {
        let mesh = part.geometry.mesh();
        let uv_sets = if with_uvs { mesh.uv_sets() } else { &[] };
        let splitting: Vec<&&ColorSet> =
            sets.iter().filter(|set| set.placement != Placement::Vertex).collect();
        let mut corners: Vec<Option<u32>> = vec![None; mesh.vertex_count()];
        if splitting.is_empty() && uv_sets.is_empty() {
            for (corner, &vertex) in mesh.corner_vertices().iter().enumerate() {
                corners[vertex as usize] = Some(corner as u32);
            }
            let vertices = (0..mesh.vertex_count() as u32).collect();
            return Self { vertices, corners, of_corner: mesh.corner_vertices().to_vec() };
        }

        let topology = part.geometry.topology();
        let key = |corner: usize| -> Vec<u32> {
            let uvs = uv_sets.iter().flat_map(|set| set.uvs[corner].to_array());
            let colors = splitting.iter().flat_map(|set| match set.placement {
                Placement::Face => set.values[topology.face_of(corner)],
                _ => set.values[corner],
            });
            uvs.chain(colors).map(f32::to_bits).collect()
        };
        let mut vertices = Vec::with_capacity(mesh.vertex_count());
        let mut split: HashMap<(u32, Vec<u32>), u32> = HashMap::with_capacity(mesh.vertex_count());
        corners.clear();
        let of_corner = mesh
            .corner_vertices()
            .iter()
            .enumerate()
            .map(|(corner, &vertex)| {
                *split.entry((vertex, key(corner))).or_insert_with(|| {
                    vertices.push(vertex);
                    corners.push(Some(corner as u32));
                    vertices.len() as u32 - 1
                })
            })
            .collect();
        Self { vertices, corners, of_corner }
    }

    /// The values of a set at the file's vertices.
    pub fn values<'a>(
        &'a self,
        part: &'a Part,
        set: &'a ColorSet,
    ) -> impl Iterator<Item = Rgba> + 'a {
        let topology = part.geometry.topology();
        self.vertices.iter().zip(&self.corners).map(move |(&vertex, &corner)| {
            match (set.placement, corner) {
                (Placement::Vertex, _) => set.values[vertex as usize],
                (Placement::Corner, Some(corner)) => set.values[corner as usize],
                (Placement::Face, Some(corner)) => set.values[topology.face_of(corner as usize)],
                (_, None) => set.ground,
            }
        })
    }

    /// A per-corner array at the file's vertices.
    pub fn of_corners<'a, T: Copy + Default>(
        &'a self,
        array: &'a [T],
    ) -> impl Iterator<Item = T> + 'a {
        self.corners.iter().map(|corner| corner.map_or_else(T::default, |c| array[c as usize]))
    }
}
