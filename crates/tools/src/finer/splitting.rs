//! Edges split where they are too long and where a rim crosses them.

use glam::{Affine3A, Vec2, Vec3};
use smallvec::SmallVec;
use speckle_mesh::geometry::local::LocalEdit;

use super::{MOST_NEW, ON_RIM, Rim};
use crate::{
    bake::watch::Watch,
    stencil::{LyingImage, contour::Contour},
    triangle::Triangle,
};

/// A mesh that is made finer, and how far it may be.
pub(super) struct Work<'a, 'b> {
    pub(super) edit: &'a mut LocalEdit<'b>,
    to_project: &'a Affine3A,
    /// How many faces there may be.
    most: usize,
    /// The texture coordinates that something goes by.
    uv_set: Option<usize>,
}

impl<'a, 'b> Work<'a, 'b> {
    pub(super) fn new(edit: &'a mut LocalEdit<'b>, to_project: &'a Affine3A) -> Self {
        Self::bounded(edit, to_project, MOST_NEW)
    }

    /// Where no more than so many faces may come.
    pub(super) fn bounded(
        edit: &'a mut LocalEdit<'b>,
        to_project: &'a Affine3A,
        most: usize,
    ) -> Self {
        let most = edit.mesh().face_count() + most;
        Self { edit, to_project, most, uv_set: None }
    }

    pub(super) fn place(&self, corner: usize) -> Vec3 {
        self.to_project.transform_point3(self.edit.mesh().corner_position(corner))
    }

    /// The corners of a face where it is a triangle.
    pub(super) fn corners(&self, face: u32) -> Option<[usize; 3]> {
        let range = self.edit.mesh().face_corners(face as usize);
        (range.len() == 3).then(|| [0, 1, 2].map(|i| range.start + i))
    }

    fn triangle(&self, corners: [usize; 3]) -> Triangle {
        let uvs = self.uv_set.map(|set| &self.edit.mesh().uv_sets()[set].uvs);
        Triangle {
            at: corners.map(|corner| self.place(corner)),
            uvs: corners.map(|corner| uvs.map_or(Vec2::ZERO, |uvs| uvs[corner])),
        }
    }

    /// The longest edge of a face: the corner it begins at, and its length.
    pub(super) fn longest(&self, corners: [usize; 3]) -> (usize, f32) {
        let at = corners.map(|corner| self.place(corner));
        let length = |i: usize| at[i].distance(at[(i + 1) % 3]);
        let i = (1..3).fold(0, |best, i| if length(i) > length(best) { i } else { best });
        (corners[i], length(i))
    }

    /// Of a face, the longest edge, or a longer one that is to go first: the corner it begins at.
    pub(super) fn first_to_split(&self, corners: [usize; 3]) -> usize {
        let topology = self.edit.geometry().topology();
        let (mut edge, mut length) = self.longest(corners);
        loop {
            let beyond = topology.around(edge).skip(1).filter_map(|other| {
                let own = self.corners(topology.face_of(other) as u32)?;
                Some(self.longest(own))
            });
            // A little longer is as long: else rounding sends it round in circles.
            let longer = beyond.filter(|(_, other)| *other > length * (1.0 + 1e-5));
            match longer.max_by(|(_, a), (_, b)| a.total_cmp(b)) {
                Some(next) => (edge, length) = next,
                None => return edge,
            }
        }
    }

    /// Splits edges of faces as long as something says that they are too long; gives back all those faces
    /// and what has become of them.
    pub(super) fn refine(
        &mut self,
        faces: Vec<u32>,
        most: impl Fn([Vec3; 3]) -> Option<f32>,
    ) -> Vec<u32> {
        self.refine_by(faces, |triangle| {
            most(triangle.at).is_some_and(|most| triangle.longest() > most)
        })
    }

    /// Splits the longest edges of faces as long as something says that they are too coarse.
    fn refine_by(&mut self, faces: Vec<u32>, is_coarse: impl Fn(&Triangle) -> bool) -> Vec<u32> {
        let mut all = faces.clone();
        let mut waiting = faces;
        while let Some(face) = waiting.pop() {
            while let Some(corners) = self.corners(face) {
                if !is_coarse(&self.triangle(corners)) {
                    break;
                }
                let edge = self.first_to_split(corners);
                let Some(come) = self.split(edge, 0.5) else { break };
                all.extend(&come);
                waiting.extend(come);
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    pub(super) fn refine_chosen(
        &mut self,
        faces: Vec<u32>,
        mut is_in: Vec<bool>,
        length: f32,
        watch: &Watch,
    ) {
        // A face becomes about as many as triangles of that length have room in it.
        let room = |work: &Self, face: u32| {
            let area = work.corners(face).map_or(0.0, |corners| work.triangle(corners).area());
            1 + (area / (length * length)).min(MOST_NEW as f32) as u64
        };
        let rooms: Vec<_> = faces.iter().map(|&face| (face, room(self, face))).collect();
        watch.expect(rooms.iter().map(|(_, room)| room).sum());
        let mut at_first = rooms.into_iter().rev().peekable();
        let mut waiting = faces;
        while let Some(face) = waiting.pop() {
            if watch.is_given_up() {
                return;
            }
            // What has come of a face is split before the next of those that were there.
            if let Some((_, room)) = at_first.next_if(|(own, _)| *own == face) {
                watch.advance(room);
            }
            while let Some(corners) = self.corners(face) {
                if self.longest(corners).1 <= length {
                    break;
                }
                let edge = self.first_to_split(corners);
                let topology = self.edit.geometry().topology();
                let ring: SmallVec<[bool; 4]> =
                    topology.around(edge).map(|c| is_in[topology.face_of(c)]).collect();
                let Some(come) = self.split(edge, 0.5) else { break };
                // What comes is in where what it comes from is.
                is_in.extend(&ring);
                waiting.extend(come.into_iter().filter(|&face| is_in[face as usize]));
            }
        }
    }

    /// Splits an edge; the faces that come, in the order of those around it.
    pub(super) fn split(&mut self, edge: usize, along: f32) -> Option<Vec<u32>> {
        let before = self.edit.mesh().face_count() as u32;
        if before as usize >= self.most {
            return None;
        }
        let count = self.edit.split(edge, along)? as u32;
        Some((before..before + count).collect())
    }

    /// Splits the edges on which a height above something passes 0, there; gives back the faces and what
    /// has become of them.
    pub(super) fn cut(
        &mut self,
        faces: Vec<u32>,
        at_end: f32,
        height: impl Fn(Vec3) -> f32,
    ) -> Vec<u32> {
        self.cut_by(faces, |_, _| at_end, |triangle, weights| height(triangle.point(weights)))
    }

    /// Cuts faces along the border of what a stencil lets through, where something says that it counts.
    pub(super) fn cut_by_stencil(
        &mut self,
        faces: Vec<u32>,
        stencil: &LyingImage,
        rim: Rim,
        counts: impl Fn([Vec3; 3]) -> bool,
    ) -> Vec<u32> {
        self.uv_set = stencil.uv_set();
        let middle = Contour::new(stencil, 0.5);
        let mut faces =
            self.refine_by(faces, |triangle| counts(triangle.at) && middle.is_coarse(triangle));
        for &level in rim.shares() {
            let contour = Contour::new(stencil, level);
            faces = self.cut_by(
                faces,
                |triangle, edge| contour.at_end(triangle, edge),
                |triangle, weights| contour.height(triangle, weights),
            );
        }
        faces
    }

    /// The same by a height at places of triangles.
    fn cut_by(
        &mut self,
        faces: Vec<u32>,
        at_end: impl Fn(&Triangle, usize) -> f32,
        height: impl Fn(&Triangle, Vec3) -> f32,
    ) -> Vec<u32> {
        let mut all = faces.clone();
        let mut waiting = faces;
        while let Some(face) = waiting.pop() {
            let Some(corners) = self.corners(face) else { continue };
            let triangle = self.triangle(corners);
            for (i, corner) in corners.into_iter().enumerate() {
                let [from, to] = [Vec3::AXES[i], Vec3::AXES[(i + 1) % 3]];
                let height = |along: f32| height(&triangle, from.lerp(to, along));
                let Some(along) = passed(height) else { continue };
                let at_end = at_end(&triangle, i);
                if !(at_end..=1.0 - at_end).contains(&along) {
                    continue;
                }
                // The others of this face are looked at again as what it has become.
                if let Some(come) = self.split(corner, along) {
                    let topology = self.edit.geometry().topology();
                    let ring = topology.around(corner).map(|c| topology.face_of(c) as u32);
                    let ring: SmallVec<[u32; 4]> = ring.collect();
                    all.extend(&come);
                    waiting.extend(come);
                    waiting.extend(ring);
                    break;
                }
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// How far along an edge a height passes 0, where it does between its ends.
fn passed(height: impl Fn(f32) -> f32) -> Option<f32> {
    let (start, end) = (height(0.0), height(1.0));
    // What lies on it is not passed: along an edge that runs with the rim, rounding would find it
    // again and again.
    if start * end >= 0.0 || start.abs().min(end.abs()) < ON_RIM {
        return None;
    }
    let (mut low, mut high) = (0.0_f32, 1.0_f32);
    for _ in 0..24 {
        let middle = 0.5 * (low + high);
        if (height(middle) > 0.0) == (start > 0.0) { low = middle } else { high = middle }
    }
    Some(0.5 * (low + high))
}
