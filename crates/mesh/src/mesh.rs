//! The polygon mesh: flat arrays, faces kept as they came.
//!
//! Invariants, checked once at the gate ([`gate::admit`]): face starts ascend and every face has
//! three or more corners with distinct vertices; every index is in range; every position is
//! finite; every UV set has one entry per corner, and so have normals, where a mesh has its own.

pub mod gate;
mod reshaped;

use std::ops::Range;

use glam::{Affine3A, Mat3, Vec2, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::carry::Carry;

/// One set of texture coordinates, an entry per corner.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct UvSet {
    /// What the file called it, or a plain number.
    pub name: String,
    /// One coordinate per corner; v grows upwards.
    #[serde(with = "crate::arrays")]
    pub uvs: Vec<Vec2>,
}

/// A well-formed polygon mesh. V vertices, F faces, C corners (a corner is one face's use of one
/// vertex; the corners of a face follow each other, counter-clockwise seen from outside).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "MeshArrays", into = "MeshArrays")]
pub struct Mesh(MeshArrays);

/// The arrays of a mesh, not yet vouched for.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct MeshArrays {
    /// V points, in the part's own units.
    #[serde(with = "crate::arrays")]
    pub positions: Vec<Vec3>,
    /// F + 1 ascending offsets into `corner_vertices`.
    #[serde(with = "crate::arrays")]
    pub face_starts: Vec<u32>,
    /// C vertex indices.
    #[serde(with = "crate::arrays")]
    pub corner_vertices: Vec<u32>,
    /// Texture coordinates, if any.
    pub uv_sets: Vec<UvSet>,
    /// Which way the surface is to look where that is not what its faces say: a direction per corner,
    /// of any length; zero says nothing. Empty where nothing was said.
    #[serde(default, skip_serializing_if = "Vec::is_empty", with = "crate::arrays")]
    pub normals: Vec<Vec3>,
}

impl MeshArrays {
    /// The same with what lies on the corners of another mesh, for corners that come from those.
    #[must_use]
    #[inline]
    pub fn with_corner_data(self, of: &Self, corners: &Carry) -> Self {
        let at = |set: &UvSet| UvSet { name: set.name.clone(), uvs: corners.mixed(&set.uvs) };
        let uv_sets = of.uv_sets.iter().map(at).collect();
        let normals = if of.normals.is_empty() { Vec::new() } else { corners.mixed(&of.normals) };
        Self { uv_sets, normals, ..self }
    }
}

/// Why arrays are no mesh.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MeshError {
    /// A face refers to a vertex that does not exist.
    #[error("face {face} uses vertex {vertex}, but there are only {vertices} vertices")]
    VertexOutOfRange {
        /// Which face, from 0.
        face: usize,
        /// The index it asks for.
        vertex: u32,
        /// How many vertices there are.
        vertices: usize,
    },
    /// A face has fewer than three corners, or uses a vertex twice.
    #[error("face {0} is degenerate: it needs three or more corners at different vertices")]
    DegenerateFace(usize),
    /// A coordinate is NaN or infinite.
    #[error("vertex {0} has a coordinate that is not a finite number")]
    NotFinite(usize),
    /// There is nothing to paint.
    #[error("there are no faces: a point cloud or an empty file has no surface to paint")]
    NoFaces,
    /// Array lengths contradict each other.
    #[error("the mesh arrays contradict each other: {0}")]
    Inconsistent(&'static str),
    /// More elements than 32-bit indices can name.
    #[error("the mesh has more than {} elements, the most this app can index", u32::MAX)]
    TooLarge,
}

impl Mesh {
    /// Vouches for the arrays, or says what is wrong with them.
    ///
    /// # Errors
    /// See [`MeshError`].
    pub fn new(arrays: MeshArrays) -> Result<Self, MeshError> {
        Self::check(&arrays)?;
        Ok(Self(arrays))
    }

    fn check(arrays: &MeshArrays) -> Result<(), MeshError> {
        let MeshArrays { positions, face_starts, corner_vertices, uv_sets, normals } = arrays;
        if positions.len() >= u32::MAX as usize || corner_vertices.len() >= u32::MAX as usize {
            return Err(MeshError::TooLarge);
        }
        if face_starts.len() < 2 {
            return Err(MeshError::NoFaces);
        }
        if face_starts[0] != 0
            || face_starts[face_starts.len() - 1] as usize != corner_vertices.len()
        {
            return Err(MeshError::Inconsistent("face starts do not span the corners"));
        }
        if uv_sets.iter().any(|set| set.uvs.len() != corner_vertices.len()) {
            return Err(MeshError::Inconsistent("a UV set needs one entry per corner"));
        }
        if !normals.is_empty() && normals.len() != corner_vertices.len() {
            return Err(MeshError::Inconsistent("normals need one entry per corner"));
        }
        if !normals.par_iter().all(|normal| normal.is_finite()) {
            return Err(MeshError::Inconsistent("a normal is not a finite direction"));
        }
        if let Some(bad) = positions.par_iter().position_first(|p| !p.is_finite()) {
            return Err(MeshError::NotFinite(bad));
        }
        // All at once first; only where something is wrong it is looked for in order.
        let is_sound = |bounds: &[u32]| {
            let corners = corner_vertices.get(bounds[0] as usize..bounds[1] as usize);
            corners.is_some_and(|corners| {
                corners.len() >= 3
                    && corners.iter().all(|&v| (v as usize) < positions.len())
                    && !gate::repeats_a_vertex(corners)
            })
        };
        if face_starts.par_windows(2).all(is_sound) {
            return Ok(());
        }
        for (face, bounds) in face_starts.windows(2).enumerate() {
            if bounds[1] < bounds[0] || bounds[1] as usize > corner_vertices.len() {
                return Err(MeshError::Inconsistent("face starts must ascend"));
            }
            let corners = &corner_vertices[bounds[0] as usize..bounds[1] as usize];
            if let Some(&vertex) = corners.iter().find(|&&v| v as usize >= positions.len()) {
                return Err(MeshError::VertexOutOfRange {
                    face,
                    vertex,
                    vertices: positions.len(),
                });
            }
            if corners.len() < 3 || gate::repeats_a_vertex(corners) {
                return Err(MeshError::DegenerateFace(face));
            }
        }
        Ok(())
    }

    /// V points, in the part's own units.
    #[must_use]
    #[inline]
    pub fn positions(&self) -> &[Vec3] {
        &self.0.positions
    }

    /// F + 1 offsets into [`Mesh::corner_vertices`].
    #[must_use]
    #[inline]
    pub fn face_starts(&self) -> &[u32] {
        &self.0.face_starts
    }

    /// The vertex of each of the C corners.
    #[must_use]
    #[inline]
    pub fn corner_vertices(&self) -> &[u32] {
        &self.0.corner_vertices
    }

    /// Texture coordinates, an entry per corner.
    #[must_use]
    #[inline]
    pub fn uv_sets(&self) -> &[UvSet] {
        &self.0.uv_sets
    }

    /// Its own normals, where it has such: see [`MeshArrays::normals`].
    #[must_use]
    #[inline]
    pub fn normals(&self) -> Option<&[Vec3]> {
        (!self.0.normals.is_empty()).then_some(&self.0.normals)
    }

    /// The same mesh with other normals of its own; with an empty list, with none.
    ///
    /// # Errors
    /// When there is not one for each corner, or one leads nowhere.
    pub fn with_normals(&self, normals: Vec<Vec3>) -> Result<Self, MeshError> {
        Self::new(MeshArrays { normals, ..self.0.clone() })
    }

    /// The arrays.
    #[must_use]
    #[inline]
    pub fn arrays(&self) -> &MeshArrays {
        &self.0
    }

    /// V.
    #[must_use]
    #[inline]
    pub fn vertex_count(&self) -> usize {
        self.0.positions.len()
    }

    /// F.
    #[must_use]
    #[inline]
    pub fn face_count(&self) -> usize {
        self.0.face_starts.len() - 1
    }

    /// C.
    #[must_use]
    #[inline]
    pub fn corner_count(&self) -> usize {
        self.0.corner_vertices.len()
    }

    /// How many triangles the faces are cut into: n − 2 for each face of n corners.
    #[must_use]
    #[inline]
    pub fn triangle_count(&self) -> usize {
        self.corner_count() - 2 * self.face_count()
    }

    /// The same mesh with each point moved, and its own normals turned, where it has any.
    ///
    /// # Errors
    /// When a point or a normal is moved to where no number leads.
    #[inline]
    pub fn moved(
        &self,
        to: impl Fn(Vec3) -> Vec3,
        turned: impl Fn(Vec3) -> Vec3,
    ) -> Result<Self, MeshError> {
        let positions: Vec<Vec3> = self.0.positions.iter().map(|&p| to(p)).collect();
        let normals: Vec<Vec3> = self.0.normals.iter().map(|&normal| turned(normal)).collect();
        if let Some(bad) = positions.iter().position(|p| !p.is_finite()) {
            return Err(MeshError::NotFinite(bad));
        }
        if normals.iter().any(|normal| !normal.is_finite()) {
            return Err(MeshError::Inconsistent("a normal is not a finite direction"));
        }
        Ok(Self(MeshArrays { positions, normals, ..self.0.clone() }))
    }

    /// The same mesh under an affine map. Its own normals stay on the side that its faces look to, so
    /// that after a mirror image [`Mesh::turned_over`] sets both right.
    ///
    /// # Errors
    /// When a point is moved to where no number leads.
    pub fn transformed(&self, by: &Affine3A) -> Result<Self, MeshError> {
        let [x, y, z] = [by.matrix3.x_axis, by.matrix3.y_axis, by.matrix3.z_axis].map(Vec3::from);
        // The cofactor matrix, which areas go by.
        let cofactors = Mat3::from_cols(y.cross(z), z.cross(x), x.cross(y));
        let turned = |normal: Vec3| (cofactors * normal.normalize_or_zero()).normalize_or_zero();
        self.moved(|p| by.transform_point3(p), turned)
    }

    /// The same vertices with triangles in the place of the faces, each of three of the old corners.
    #[must_use]
    #[inline]
    pub fn cut(&self, corners: &[u32]) -> Self {
        let carry = Carry::Copies(corners.to_vec());
        Self(
            MeshArrays {
                positions: self.0.positions.clone(),
                face_starts: (0..=corners.len() as u32 / 3).map(|face| 3 * face).collect(),
                corner_vertices: carry.copies(&self.0.corner_vertices),
                ..MeshArrays::default()
            }
            .with_corner_data(&self.0, &carry),
        )
    }

    /// The same mesh with every face turned over, and where its corners come from: a face's first
    /// corner stays the first. Its own normals turn with the faces.
    #[must_use]
    #[inline]
    pub fn turned_over(&self) -> (Self, Carry) {
        let mut old: Vec<u32> = (0..self.corner_count() as u32).collect();
        for face in 0..self.face_count() {
            let corners = self.face_corners(face);
            old[corners.start + 1..corners.end].reverse();
        }
        let carry = Carry::Copies(old);
        let arrays = MeshArrays {
            positions: self.0.positions.clone(),
            face_starts: self.0.face_starts.clone(),
            corner_vertices: carry.copies(&self.0.corner_vertices),
            ..MeshArrays::default()
        };
        let mut arrays = arrays.with_corner_data(&self.0, &carry);
        arrays.normals.iter_mut().for_each(|normal| *normal = -*normal);
        (Self(arrays), carry)
    }

    /// True when every face is a triangle.
    #[must_use]
    #[inline]
    pub fn all_triangles(&self) -> bool {
        // No face has fewer than three corners, so the sum tells.
        self.corner_count() == 3 * self.face_count()
    }

    /// The corners of a face.
    #[must_use]
    #[inline]
    pub fn face_corners(&self, face: usize) -> Range<usize> {
        self.0.face_starts[face] as usize..self.0.face_starts[face + 1] as usize
    }

    /// The vertices of a face, in order.
    #[must_use]
    #[inline]
    pub fn face_vertices(&self, face: usize) -> &[u32] {
        &self.0.corner_vertices[self.face_corners(face)]
    }

    /// Where a corner's vertex is.
    #[must_use]
    #[inline]
    pub fn corner_position(&self, corner: usize) -> Vec3 {
        self.0.positions[self.0.corner_vertices[corner] as usize]
    }

    /// The mean of a face's points.
    #[must_use]
    #[inline]
    pub fn face_centroid(&self, face: usize) -> Vec3 {
        let vertices = self.face_vertices(face);
        let sum: Vec3 = vertices.iter().map(|&v| self.0.positions[v as usize]).sum();
        sum / vertices.len() as f32
    }

    /// Normal times twice the area of a face (Newell's method, right for concave and bent faces).
    #[must_use]
    pub fn face_area_vector(&self, face: usize) -> Vec3 {
        let vertices = self.face_vertices(face);
        // Relative to the first point: far from the origin, the products would cancel badly.
        let origin = self.0.positions[vertices[0] as usize];
        let mut sum = Vec3::ZERO;
        let mut previous = self.0.positions[vertices[vertices.len() - 1] as usize] - origin;
        for &v in vertices {
            let point = self.0.positions[v as usize] - origin;
            sum += previous.cross(point);
            previous = point;
        }
        sum
    }
}

impl TryFrom<MeshArrays> for Mesh {
    type Error = MeshError;

    fn try_from(arrays: MeshArrays) -> Result<Self, MeshError> {
        Self::new(arrays)
    }
}

impl From<Mesh> for MeshArrays {
    fn from(mesh: Mesh) -> Self {
        mesh.0
    }
}
