//! A change of a mesh's points and triangles that can be taken back and laid on again, and costs
//! what it changed: nothing in it grows with the mesh.
//!
//! Elements keep their numbers, but for the last ones, which fill the places of those that are taken
//! away; new ones stand at the end. So a face that is changed, moved, removed or added is always a
//! triangle; polygons stay where they are.

use bytemuck::Pod;
use glam::{Vec2, Vec3};
use serde::{Deserialize, Serialize};

use crate::mesh::{Mesh, MeshArrays};

/// Which way a change is laid on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// As it was made; redo.
    Forward,
    /// Taken back; undo.
    Backward,
}

impl Direction {
    /// The other one.
    #[must_use]
    pub fn opposite(self) -> Self {
        match self {
            Self::Forward => Self::Backward,
            Self::Backward => Self::Forward,
        }
    }
}

/// A change of some entries of an array, and of its length.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(bound(serialize = "T: Pod", deserialize = "T: Pod"))]
pub struct Rewrite<T> {
    /// How many entries there were, and are from then on.
    pub counts: [u32; 2],
    /// Which entries changed, ascending; all that came or went are among them.
    #[serde(with = "crate::arrays")]
    pub at: Vec<u32>,
    /// What stood there until then, as far as there was such an entry.
    #[serde(with = "crate::arrays")]
    pub before: Vec<T>,
    /// What stands there from then on, as far as there is such an entry.
    #[serde(with = "crate::arrays")]
    pub after: Vec<T>,
}

impl<T: Copy> Rewrite<T> {
    /// None, of so many entries.
    #[must_use]
    pub fn none(count: usize) -> Self {
        Self { counts: [count as u32; 2], at: Vec::new(), before: Vec::new(), after: Vec::new() }
    }

    /// Whether nothing changes.
    #[must_use]
    pub fn is_none(&self) -> bool {
        self.at.is_empty()
    }

    /// How many entries there are on either side of a step, from and to.
    #[must_use]
    pub fn counts(&self, direction: Direction) -> [usize; 2] {
        let [before, after] = self.counts.map(|count| count as usize);
        match direction {
            Direction::Forward => [before, after],
            Direction::Backward => [after, before],
        }
    }

    /// The entries that are changed or go: their numbers.
    #[must_use]
    pub fn old(&self, direction: Direction) -> &[u32] {
        let [from, _] = self.counts(direction);
        &self.at[..self.at.partition_point(|&at| (at as usize) < from)]
    }

    /// The entries that are changed or come: their numbers, and what stands there.
    #[must_use]
    pub fn new(&self, direction: Direction) -> (&[u32], &[T]) {
        let [_, to] = self.counts(direction);
        let count = self.at.partition_point(|&at| (at as usize) < to);
        let values = if direction == Direction::Forward { &self.after } else { &self.before };
        (&self.at[..count], values)
    }

    /// Whether it can be laid on so many entries.
    #[must_use]
    pub fn fits(&self, count: usize, direction: Direction) -> bool {
        let [from, to] = self.counts(direction);
        let ends = [&self.before, &self.after];
        let is_long_enough =
            |(end, count): (&Vec<T>, u32)| end.len() == self.at.partition_point(|&at| at < count);
        let least = self.counts[0].min(self.counts[1]);
        let beyond = self.at.len() - self.at.partition_point(|&at| at < least);
        from == count
            && self.at.is_sorted_by(|a, b| a < b)
            && self.at.last().is_none_or(|&last| (last as usize) < from.max(to))
            && beyond == from.abs_diff(to)
            && ends.into_iter().zip(self.counts).all(is_long_enough)
    }

    /// Lays it on entries that it fits.
    pub fn lay_on(&self, values: &mut Vec<T>, direction: Direction) {
        let [from, to] = self.counts(direction);
        let (at, new) = self.new(direction);
        values.truncate(to);
        // What comes stands at the end, in order.
        let split = at.partition_point(|&at| (at as usize) < from);
        for (&at, &value) in at[..split].iter().zip(new) {
            values[at as usize] = value;
        }
        values.extend_from_slice(&new[split..]);
    }
}

/// A change of a mesh.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Reshape {
    /// Where the vertices are.
    pub points: Rewrite<Vec3>,
    /// Between which vertices the faces are, by face.
    pub triangles: Rewrite<[u32; 3]>,
    /// For each UV set, the coordinates of the corners, by face.
    pub uvs: Vec<Rewrite<[[f32; 2]; 3]>>,
}

/// Why a change cannot be laid on a mesh.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct Misfit(pub &'static str);

impl Reshape {
    /// Whether nothing changes.
    #[must_use]
    pub fn is_none(&self) -> bool {
        self.points.is_none() && self.triangles.is_none() && self.uvs.iter().all(Rewrite::is_none)
    }

    /// Whether it leads from a mesh to a well-formed one, as far as that can be told without asking
    /// who uses a vertex that goes.
    ///
    /// # Errors
    /// When it does not.
    pub fn check(&self, mesh: &Mesh, direction: Direction) -> Result<(), Misfit> {
        let need = |holds: bool, what| if holds { Ok(()) } else { Err(Misfit(what)) };
        let (vertices, faces) = (mesh.vertex_count(), mesh.face_count());
        need(self.points.fits(vertices, direction), "it is of other points")?;
        need(self.triangles.fits(faces, direction), "it is of other faces")?;
        let is_triangle = |&face: &u32| mesh.face_corners(face as usize).len() == 3;
        need(self.triangles.old(direction).iter().all(is_triangle), "it cuts through a polygon")?;
        let uvs = self.uvs.iter().all(|uvs| {
            uvs.fits(faces, direction) && {
                let [from, _] = uvs.counts(direction);
                uvs.at.iter().all(|face| *face as usize >= from || is_triangle(face))
            }
        });
        need(self.uvs.len() == mesh.uv_sets().len() && uvs, "it is of other UVs")?;
        let [_, least_faces] = self.triangles.counts(direction);
        need(least_faces > 0, "it leaves no face")?;
        let points = self.points.new(direction).1;
        need(points.iter().all(|point| point.is_finite()), "a point lies nowhere")?;
        let [_, count] = self.points.counts(direction);
        let is_sound = |&[a, b, c]: &[u32; 3]| {
            a != b && b != c && c != a && [a, b, c].into_iter().all(|v| (v as usize) < count)
        };
        need(self.triangles.new(direction).1.iter().all(is_sound), "a face is degenerate")
    }

    /// Lays it on the arrays of a mesh that it was [checked](Self::check) against.
    pub(crate) fn lay_on(&self, arrays: &mut MeshArrays, direction: Direction) {
        self.points.lay_on(&mut arrays.positions, direction);
        let [from, to] = self.triangles.counts(direction);
        let starts = &mut arrays.face_starts;
        starts.truncate(to + 1);
        let last = starts[starts.len() - 1];
        starts.extend((1..=to.saturating_sub(from) as u32).map(|face| last + 3 * face));
        let corners = starts[to] as usize;
        arrays.corner_vertices.resize(corners, 0);
        let (at, triangles) = self.triangles.new(direction);
        for (&face, triangle) in at.iter().zip(triangles) {
            let start = starts[face as usize] as usize;
            arrays.corner_vertices[start..start + 3].copy_from_slice(triangle);
        }
        for (set, rewrite) in arrays.uv_sets.iter_mut().zip(&self.uvs) {
            set.uvs.resize(corners, Vec2::ZERO);
            let (at, uvs) = rewrite.new(direction);
            for (&face, uvs) in at.iter().zip(uvs) {
                let start = starts[face as usize] as usize;
                set.uvs[start..start + 3].copy_from_slice(&uvs.map(Vec2::from_array));
            }
        }
    }
}
