//! A change of a mesh's points and triangles that can be taken back and laid on again, and costs
//! what it changed: nothing in it grows with the mesh.
//!
//! Elements keep their numbers, but for the last ones, which fill the places of those that are taken
//! away; new ones stand at the end. So a face that is changed, moved, removed or added is always a
//! triangle; polygons stay where they are.

use bytemuck::Pod;
use glam::Vec3;
use serde::{Deserialize, Serialize};

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
    pub fn what_is_new(&self, direction: Direction) -> (&[u32], &[T]) {
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
        let (at, new) = self.what_is_new(direction);
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
    /// Where a mesh has normals of its own, those of the corners, by face.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub normals: Option<Rewrite<[[f32; 3]; 3]>>,
}

/// Why a change cannot be laid on a mesh.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct Misfit(pub &'static str);

impl Reshape {
    /// Whether nothing changes.
    #[must_use]
    pub fn is_none(&self) -> bool {
        self.points.is_none()
            && self.triangles.is_none()
            && self.uvs.iter().all(Rewrite::is_none)
            && self.normals.iter().all(Rewrite::is_none)
    }
}
