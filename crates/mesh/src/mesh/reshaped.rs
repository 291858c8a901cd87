//! A mesh that a [`Reshape`] is laid on.

use glam::{Vec2, Vec3};

use super::{Mesh, MeshArrays};
use crate::reshape::{Direction, Misfit, Reshape};

impl Mesh {
    /// Whether a change leads from this mesh to a well-formed one, as far as that can be told without
    /// asking who uses a vertex that goes.
    ///
    /// # Errors
    /// When it does not.
    pub fn check_reshape(&self, reshape: &Reshape, direction: Direction) -> Result<(), Misfit> {
        let need = |holds: bool, what| if holds { Ok(()) } else { Err(Misfit(what)) };
        let Reshape { points, triangles, uvs, normals } = reshape;
        let (vertices, faces) = (self.vertex_count(), self.face_count());
        need(points.fits(vertices, direction), "it is of other points")?;
        need(triangles.fits(faces, direction), "it is of other faces")?;
        let is_triangle = |&face: &u32| self.face_corners(face as usize).len() == 3;
        need(triangles.old(direction).iter().all(is_triangle), "it cuts through a polygon")?;
        // Each by face, as the triangles are.
        let is_alike = |counts: [u32; 2], fits: bool, old: &[u32]| {
            counts == triangles.counts && fits && old.iter().all(is_triangle)
        };
        let are_of_triangles = uvs
            .iter()
            .all(|uvs| is_alike(uvs.counts, uvs.fits(faces, direction), uvs.old(direction)));
        need(uvs.len() == self.uv_sets().len() && are_of_triangles, "it is of other UVs")?;
        let are_of_triangles = normals
            .iter()
            .all(|own| is_alike(own.counts, own.fits(faces, direction), own.old(direction)));
        let has_normals = self.normals().is_some();
        need(normals.is_some() == has_normals && are_of_triangles, "it is of other normals")?;
        let is_direction = |normal: &[f32; 3]| normal.iter().all(|x| x.is_finite());
        let are_sound = normals
            .iter()
            .flat_map(|own| own.what_is_new(direction).1)
            .all(|corners| corners.iter().all(is_direction));
        need(are_sound, "a normal leads nowhere")?;
        let [_, least_faces] = triangles.counts(direction);
        need(least_faces > 0, "it leaves no face")?;
        let places = points.what_is_new(direction).1;
        need(places.iter().all(|point| point.is_finite()), "a point lies nowhere")?;
        let [_, count] = points.counts(direction);
        let is_sound = |&[a, b, c]: &[u32; 3]| {
            a != b && b != c && c != a && [a, b, c].into_iter().all(|v| (v as usize) < count)
        };
        need(triangles.what_is_new(direction).1.iter().all(is_sound), "a face is degenerate")
    }

    /// Lays a change on.
    ///
    /// # Errors
    /// When it does not fit; the mesh is then as it was. Whether a vertex that goes is still used is
    /// for the caller to see to, who knows who uses what.
    pub(crate) fn reshape(
        &mut self,
        reshape: &Reshape,
        direction: Direction,
    ) -> Result<(), Misfit> {
        self.check_reshape(reshape, direction)?;
        let MeshArrays { positions, face_starts, corner_vertices, uv_sets, normals } = &mut self.0;
        reshape.points.lay_on(positions, direction);
        let [from, to] = reshape.triangles.counts(direction);
        face_starts.truncate(to + 1);
        let last = face_starts[face_starts.len() - 1];
        face_starts.extend((1..=to.saturating_sub(from) as u32).map(|face| last + 3 * face));
        let corners = face_starts[to] as usize;
        corner_vertices.resize(corners, 0);
        let (at, triangles) = reshape.triangles.what_is_new(direction);
        for (&face, triangle) in at.iter().zip(triangles) {
            let start = face_starts[face as usize] as usize;
            corner_vertices[start..start + 3].copy_from_slice(triangle);
        }
        for (set, rewrite) in uv_sets.iter_mut().zip(&reshape.uvs) {
            set.uvs.resize(corners, Vec2::ZERO);
            let (at, uvs) = rewrite.what_is_new(direction);
            for (&face, uvs) in at.iter().zip(uvs) {
                let start = face_starts[face as usize] as usize;
                set.uvs[start..start + 3].copy_from_slice(&uvs.map(Vec2::from_array));
            }
        }
        if let Some(rewrite) = &reshape.normals {
            normals.resize(corners, Vec3::ZERO);
            let (at, new) = rewrite.what_is_new(direction);
            for (&face, own) in at.iter().zip(new) {
                let start = face_starts[face as usize] as usize;
                normals[start..start + 3].copy_from_slice(&own.map(Vec3::from_array));
            }
        }
        Ok(())
    }

    /// The arrays, for changes that are known to leave a well-formed mesh.
    pub(crate) fn arrays_mut(&mut self) -> &mut MeshArrays {
        &mut self.0
    }
}
