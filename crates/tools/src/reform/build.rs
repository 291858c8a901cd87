//! A mesh put together from the elements of another one.

use glam::Vec3;
use smallvec::SmallVec;
use speckle_mesh::{
    Mesh, MeshError,
    carry::{Carry, Mixes},
    mesh::MeshArrays,
    remap::Remap,
};

/// Old elements with weights that sum to 1.
pub(super) type Mix = SmallVec<[(u32, f32); 4]>;

/// One old element.
pub(super) fn only(element: usize) -> Mix {
    SmallVec::from_slice(&[(element as u32, 1.0)])
}

/// What lies so far on the way from one element to another.
pub(super) fn between(from: usize, to: usize, along: f32) -> Mix {
    SmallVec::from_slice(&[(from as u32, 1.0 - along), (to as u32, along)])
}

/// The mean of some elements.
pub(super) fn mean(elements: impl ExactSizeIterator<Item = usize>) -> Mix {
    let weight = 1.0 / elements.len() as f32;
    elements.map(|element| (element as u32, weight)).collect()
}

/// The mesh so far: each element with what it is a mix of.
pub(super) struct Builder<'a> {
    from: &'a Mesh,
    positions: Vec<Vec3>,
    face_starts: Vec<u32>,
    corner_vertices: Vec<u32>,
    vertices: Mixes,
    corners: Mixes,
    faces: Vec<u32>,
}

impl<'a> Builder<'a> {
    pub(super) fn new(from: &'a Mesh) -> Self {
        Self {
            from,
            positions: Vec::new(),
            face_starts: vec![0],
            corner_vertices: Vec::new(),
            vertices: Mixes::default(),
            corners: Mixes::default(),
            faces: Vec::new(),
        }
    }

    /// Adds a vertex; says its number.
    pub(super) fn vertex(&mut self, at: Vec3, mix: &[(u32, f32)]) -> u32 {
        self.positions.push(at);
        self.vertices.push(mix);
        self.positions.len() as u32 - 1
    }

    /// Adds a face, each corner by its vertex and what it is a mix of.
    pub(super) fn face(&mut self, from: usize, corners: &[(u32, Mix)]) {
        for (vertex, mix) in corners {
            self.corner_vertices.push(*vertex);
            self.corners.push(mix);
        }
        self.face_starts.push(self.corner_vertices.len() as u32);
        self.faces.push(from as u32);
    }

    pub(super) fn face_count(&self) -> usize {
        self.faces.len()
    }

    /// The mesh, and where its elements come from. Vertices that no face uses are left out where
    /// `drop_loose` says so.
    pub(super) fn done(self, drop_loose: bool) -> Result<(Mesh, Remap), MeshError> {
        let Self { from, positions, face_starts, corner_vertices, vertices, corners, faces } = self;
        let corners = Carry::Mixes(corners);
        let mut arrays =
            MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
        let mut vertices = Carry::Mixes(vertices);
        if drop_loose {
            let kept = used(&mut arrays);
            vertices = vertices.then(&Carry::Copies(kept));
        }
        let mesh = Mesh::new(arrays.with_corner_data(from.arrays(), &corners))?;
        Ok((mesh, Remap { vertices, corners, faces: Carry::Copies(faces) }))
    }
}

/// Leaves vertices out that no face uses; says which stay.
pub(super) fn used(arrays: &mut MeshArrays) -> Vec<u32> {
    let mut number = vec![u32::MAX; arrays.positions.len()];
    arrays.corner_vertices.iter().for_each(|&vertex| number[vertex as usize] = 0);
    let kept: Vec<u32> =
        (0..number.len() as u32).filter(|&vertex| number[vertex as usize] == 0).collect();
    for (new, &old) in (0_u32..).zip(&kept) {
        number[old as usize] = new;
    }
    arrays.positions = kept.iter().map(|&vertex| arrays.positions[vertex as usize]).collect();
    arrays.corner_vertices.iter_mut().for_each(|vertex| *vertex = number[*vertex as usize]);
    kept
}
