//! A part in another form: for files that cannot say where it stands, hold triangles alone, or want
//! its vertices split or joined.

use std::{collections::HashMap, sync::Arc};

use speckle_mesh::{
    Mesh, MeshError, Placement, Transform,
    carry::Carry,
    mesh::{MeshArrays, gate},
    remap::Remap,
};

use crate::part::{Part, PartTraits};

impl Part {
    /// The same part with its transform in its points.
    ///
    /// # Errors
    /// When a point is moved to where no number leads.
    pub fn baked(&self) -> Result<Self, MeshError> {
        let transform = self.traits.transform;
        if transform == Transform::IDENTITY {
            return Ok(self.clone());
        }
        let to_project = transform.to_project();
        let mut mesh = self.geometry.mesh().transformed(&to_project)?;
        let mut remap = Remap::default();
        if transform.mirrors() {
            // Faces stay outside out.
            let (turned, old) = mesh.turned_over();
            (mesh, remap.corners) = (turned, old);
        }
        let mut part = self.remapped(mesh, &remap);
        part.traits = PartTraits { transform: Transform::IDENTITY, ..part.traits };
        Ok(part)
    }

    /// The same part with its faces cut into triangles.
    #[must_use]
    pub fn triangulated(&self) -> Self {
        let mesh = self.geometry.mesh();
        if mesh.all_triangles() {
            return self.clone();
        }
        let corners = self.geometry.triangulation().corners();
        let old: Vec<u32> = corners.iter().flatten().copied().collect();
        let of_faces = (0..mesh.face_count() as u32)
            .flat_map(|face| std::iter::repeat_n(face, mesh.face_corners(face as usize).len() - 2));
        let mesh = mesh.cut(&old);
        let faces = Carry::Copies(of_faces.collect());
        self.remapped(mesh, &Remap { faces, corners: old.into(), ..Remap::default() })
    }

    /// Some of its faces, which ascend, with the vertices they use; `None` when there are none.
    #[must_use]
    pub fn of_faces(&self, faces: &[u32]) -> Option<Self> {
        let mesh = self.geometry.mesh();
        let mut number_of = vec![u32::MAX; mesh.vertex_count()];
        let (mut vertices, mut corners) = (Vec::new(), Vec::new());
        let mut arrays = MeshArrays { face_starts: vec![0], ..MeshArrays::default() };
        for &face in faces {
            for corner in mesh.face_corners(face as usize) {
                let vertex = mesh.corner_vertices()[corner];
                let number = &mut number_of[vertex as usize];
                if *number == u32::MAX {
                    *number = vertices.len() as u32;
                    vertices.push(vertex);
                    arrays.positions.push(mesh.positions()[vertex as usize]);
                }
                arrays.corner_vertices.push(*number);
                corners.push(corner as u32);
            }
            arrays.face_starts.push(corners.len() as u32);
        }
        let corners = Carry::Copies(corners);
        let mesh = Mesh::new(arrays.with_corner_data(mesh.arrays(), &corners)).ok()?;
        let remap = Remap { vertices: vertices.into(), corners, faces: faces.to_vec().into() };
        let materials = Arc::new(self.materials.subset(faces));
        Some(Self { materials, ..self.remapped(mesh, &remap) })
    }

    /// The same part with a vertex of its own for every corner.
    #[must_use]
    pub fn split(&self) -> Self {
        let mesh = self.geometry.mesh();
        let vertices = mesh.corner_vertices().to_vec();
        let arrays = MeshArrays {
            positions: vertices.iter().map(|&v| mesh.positions()[v as usize]).collect(),
            corner_vertices: (0..vertices.len() as u32).collect(),
            ..mesh.arrays().clone()
        };
        // What was sound stays sound.
        let Ok(mesh) = Mesh::new(arrays) else { return self.clone() };
        self.remapped(mesh, &Remap { vertices: vertices.into(), ..Remap::default() })
    }

    /// The same part with vertices at exactly one place joined. Sets per vertex that differ there
    /// become sets per corner, so that no color is lost; a face that would lose a corner keeps its
    /// vertices.
    #[must_use]
    pub fn joined(&self) -> Self {
        let mesh = self.geometry.mesh();
        let mut number_at: HashMap<[u32; 3], u32> = HashMap::new();
        let mut vertices: Vec<u32> = Vec::new();
        let mut number_of: Vec<u32> = Vec::with_capacity(mesh.vertex_count());
        for (vertex, &p) in mesh.positions().iter().enumerate() {
            // Negative zero is zero.
            let place = (p + glam::Vec3::ZERO).to_array().map(f32::to_bits);
            number_of.push(*number_at.entry(place).or_insert_with(|| {
                vertices.push(vertex as u32);
                vertices.len() as u32 - 1
            }));
        }
        // Two corners of a face at one place: they would become one.
        for face in 0..mesh.face_count() {
            let own = mesh.face_vertices(face);
            let joined: Vec<u32> = own.iter().map(|&v| number_of[v as usize]).collect();
            if gate::repeats_a_vertex(&joined) {
                for &vertex in own {
                    if vertices[number_of[vertex as usize] as usize] != vertex {
                        number_of[vertex as usize] = vertices.len() as u32;
                        vertices.push(vertex);
                    }
                }
            }
        }
        if vertices.len() == mesh.vertex_count() {
            return self.clone();
        }
        let mut part = self.clone();
        for set in part.sets.iter_mut().filter(|set| set.placement == Placement::Vertex) {
            let value = |vertex: usize| set.values[vertex].map(f32::to_bits);
            let differs = (0..mesh.vertex_count())
                .any(|v| value(v) != value(vertices[number_of[v] as usize] as usize));
            if differs {
                let at = |&v: &u32| set.values[v as usize];
                set.values = Arc::new(mesh.corner_vertices().iter().map(at).collect());
                set.placement = Placement::Corner;
            }
        }
        let arrays = MeshArrays {
            positions: vertices.iter().map(|&v| mesh.positions()[v as usize]).collect(),
            corner_vertices: mesh
                .corner_vertices()
                .iter()
                .map(|&v| number_of[v as usize])
                .collect(),
            ..mesh.arrays().clone()
        };
        let Ok(mesh) = Mesh::new(arrays) else { return self.clone() };
        part.remapped(mesh, &Remap { vertices: vertices.into(), ..Remap::default() })
    }
}
