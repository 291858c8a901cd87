//! What hangs together: coincident vertices, edges, the corners around a vertex.
//!
//! Files split a vertex where its normal or its UV differs. The surface does not end there, so all
//! connectivity counts vertices at exactly the same point as one.

pub(crate) mod upkeep;

use std::{hash::BuildHasher, ops::Range};

use rayon::prelude::*;
use rustc_hash::FxBuildHasher;

use super::lists::{Lists, grouped};
use crate::mesh::Mesh;

/// So many corners at a point, or faces around an edge, are a crowd: where all of it would be looked
/// at from each of them, only some of it is, so that no mesh takes quadratic time.
pub const CROWD: usize = 256;

/// Connectivity of a mesh.
#[derive(Clone, Debug)]
pub struct Topology {
    /// For each vertex, the first vertex at the same point.
    point: Vec<u32>,
    faces: usize,
    /// The face of each corner; empty when all faces are triangles, since it is plain then.
    corner_face: Vec<u32>,
    /// For each corner, the next one around the same edge.
    across: Vec<u32>,
    /// The corners at each point, ascending; in a crowd by their vertices first. Only first vertices
    /// have corners.
    at_point: Lists,
    /// How many different edges there are, and how many of them do not join exactly two faces.
    edges: [usize; 2],
    /// How many different points faces use.
    points: usize,
    /// What is needed beside to keep it up while the mesh is changed.
    upkeep: Option<upkeep::Places>,
}

impl Topology {
    /// Works all of it out.
    #[must_use]
    pub fn new(mesh: &Mesh) -> Self {
        let point = first_at_same_point(mesh);
        let is_all_triangles = mesh.face_starts().iter().zip(0..).all(|(&start, f)| start == 3 * f);
        let mut corner_face = vec![0; if is_all_triangles { 0 } else { mesh.corner_count() }];
        for face in (0..mesh.face_count()).filter(|_| !is_all_triangles) {
            corner_face[mesh.face_corners(face)].fill(face as u32);
        }
        let (point_starts, point_corners) = corners_by_point(mesh, &point);
        let face_of =
            |corner: usize| corner_face.get(corner).map_or(corner / 3, |&face| face as usize);
        let at_point = (point_starts.as_slice(), point_corners.as_slice());
        let (across, edges) = around_edges(mesh, &point, face_of, at_point);
        let points = point_starts.windows(2).filter(|w| w[1] > w[0]).count();
        let at_point = Lists::new(&point_starts, point_corners);
        let faces = mesh.face_count();
        Self { point, faces, corner_face, across, at_point, edges, points, upkeep: None }
    }

    /// The first vertex at the same point as this one.
    #[must_use]
    #[inline]
    pub fn point_of(&self, vertex: usize) -> usize {
        self.point[vertex] as usize
    }

    /// The face a corner belongs to.
    #[must_use]
    #[inline]
    pub fn face_of(&self, corner: usize) -> usize {
        if self.corner_face.is_empty() { corner / 3 } else { self.corner_face[corner] as usize }
    }

    /// The next corner around the same edge, the one from a corner to the next of its face: the one
    /// in the face beyond, or the corner itself where the surface ends. From each on to the next, one
    /// comes back to the first; around an edge with a crowd of faces, after some of them.
    #[must_use]
    #[inline]
    pub fn across(&self, corner: usize) -> usize {
        self.across[corner] as usize
    }

    /// The corners around the same edge, from this one on: two on a closed surface.
    #[inline]
    pub fn around(&self, corner: usize) -> impl Iterator<Item = usize> + '_ {
        let others = std::iter::successors(Some(self.across(corner)), |&c| Some(self.across(c)));
        std::iter::once(corner).chain(others.take_while(move |&other| other != corner))
    }

    /// The one other corner around the same edge, where there is exactly one.
    #[must_use]
    #[inline]
    pub fn only_other(&self, corner: usize) -> Option<usize> {
        let other = self.across(corner);
        (other != corner && self.across(other) == corner).then_some(other)
    }

    /// The edges, each by the first of the corners around it; one with a crowd of faces comes several
    /// times.
    #[inline]
    pub fn edges(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.across.len()).filter(|&corner| self.around(corner).all(|other| other >= corner))
    }

    /// The corners of all faces at the point of a vertex.
    #[must_use]
    #[inline]
    pub fn corners_at(&self, vertex: usize) -> &[u32] {
        self.at_point.of(self.point_of(vertex))
    }

    /// The corners of all faces at a vertex itself, without those of others at its point; ascending.
    pub fn own_corners<'a>(
        &'a self,
        mesh: &'a Mesh,
        vertex: usize,
    ) -> impl Iterator<Item = usize> + 'a {
        let vertex_of = |corner: u32| mesh.corner_vertices()[corner as usize] as usize;
        let mut corners = self.corners_at(vertex);
        if corners.len() > CROWD {
            let first = corners.partition_point(|&corner| vertex_of(corner) < vertex);
            let count = corners[first..].partition_point(|&corner| vertex_of(corner) == vertex);
            corners = &corners[first..first + count];
        }
        corners.iter().filter(move |c| vertex_of(**c) == vertex).map(|&corner| corner as usize)
    }

    /// How many different edges there are.
    #[must_use]
    #[inline]
    pub fn edge_count(&self) -> usize {
        self.edges[0]
    }

    /// How many different points faces use.
    #[must_use]
    #[inline]
    pub fn point_count(&self) -> usize {
        self.points
    }

    /// True when every edge joins exactly two faces.
    #[must_use]
    #[inline]
    pub fn is_watertight(&self) -> bool {
        self.edges[1] == 0
    }

    /// Points − edges + faces: 2 for a closed surface without handles.
    #[must_use]
    #[inline]
    pub fn euler_number(&self) -> i64 {
        self.points as i64 - self.edge_count() as i64 + self.faces as i64
    }
}

fn range(starts: &[u32], i: usize) -> Range<usize> {
    starts[i] as usize..starts[i + 1] as usize
}

fn first_at_same_point(mesh: &Mesh) -> Vec<u32> {
    // Adding 0 turns −0 into +0, which is the same place.
    let key = |v: u32| mesh.positions()[v as usize].to_array().map(|x| (x + 0.0).to_bits());
    let vertices = 0..mesh.vertex_count() as u32;
    // Half a hash, and the vertex below it.
    let hashed = |v: u32| FxBuildHasher.hash_one(key(v)) << 32 | u64::from(v);
    let mut hashed: Vec<u64> = vertices.clone().into_par_iter().map(hashed).collect();
    hashed.par_sort_unstable();
    let mut first: Vec<u32> = vertices.collect();
    for alike in hashed.chunk_by(|a, b| a >> 32 == b >> 32).filter(|alike| alike.len() > 1) {
        let mut alike: Vec<u32> = alike.iter().map(|&hashed| hashed as u32).collect();
        if alike.iter().any(|&v| key(v) != key(alike[0])) {
            // Ascending at each place still.
            alike.sort_by_key(|&v| key(v));
        }
        for same in alike.chunk_by(|&a, &b| key(a) == key(b)) {
            same.iter().for_each(|&v| first[v as usize] = same[0]);
        }
    }
    first
}

/// A corner, and the next one around its edge.
type Link = (u32, u32);

/// How many points one core links the edges of in a row.
const RUN: usize = 4096;

/// Links the corners of each edge in a ring, ascending; and how many edges there are, and how many
/// of them do not join two faces. Takes what corners are at each point.
fn around_edges(
    mesh: &Mesh,
    point: &[u32],
    face_of: impl Fn(usize) -> usize + Sync,
    (starts, corners): (&[u32], &[u32]),
) -> (Vec<u32>, [usize; 2]) {
    let point_of = |corner: usize| point[mesh.corner_vertices()[corner] as usize];
    // The edges that lead from a point to itself or to later ones: what lies at their other ends, and the corners.
    let edges_of = |at: u32, found: &mut Vec<(u32, u32)>| {
        found.clear();
        for &corner in &corners[range(starts, at as usize)] {
            let corner = corner as usize;
            let own = mesh.face_corners(face_of(corner));
            let next = if corner + 1 == own.end { own.start } else { corner + 1 };
            let before = if corner == own.start { own.end - 1 } else { corner - 1 };
            let ends = [next, before].map(point_of);
            if ends[0] >= at {
                found.push((ends[0], corner as u32));
            }
            if ends[1] > at {
                found.push((ends[1], before as u32));
            }
        }
        found.sort_unstable();
    };
    let runs = (0..mesh.vertex_count().div_ceil(RUN)).into_par_iter().map(|nth| {
        let (mut linked, mut edges, mut found) = (Vec::with_capacity(6 * RUN), [0, 0], Vec::new());
        for at in RUN * nth..(RUN * (nth + 1)).min(mesh.vertex_count()) {
            edges_of(at as u32, &mut found);
            for edge in found.chunk_by(|a, b| a.0 == b.0) {
                edges[0] += 1;
                edges[1] += usize::from(edge.len() != 2);
                let corners = edge.iter().map(|(_, corner)| *corner);
                link(corners, edge.len(), |corner, next| linked.push((corner, next)));
            }
        }
        (linked, edges)
    });
    let (linked, counts): (Vec<Vec<Link>>, Vec<[usize; 2]>) = runs.unzip();
    let (mut across, mut edges) = (vec![0; mesh.corner_count()], [0, 0]);
    for (linked, [all, odd]) in linked.into_iter().zip(counts) {
        edges = [edges[0] + all, edges[1] + odd];
        linked.into_iter().for_each(|(corner, next)| across[corner as usize] = next);
    }
    (across, edges)
}

/// Links so many corners in a ring; a crowd in several of about the same length. Tells of each the next one.
fn link(corners: impl Iterator<Item = u32> + Clone, count: usize, mut tell: impl FnMut(u32, u32)) {
    let length = count.div_ceil(count.div_ceil(CROWD));
    let mut first = 0;
    for (i, (corner, next)) in
        corners.clone().zip(corners.skip(1).map(Some).chain([None])).enumerate()
    {
        if i % length == 0 {
            first = corner;
        }
        let is_last = (i + 1) % length == 0;
        tell(corner, next.filter(|_| !is_last).unwrap_or(first));
    }
}

fn corners_by_point(mesh: &Mesh, point: &[u32]) -> (Vec<u32>, Vec<u32>) {
    let point_of = |corner: usize| point[mesh.corner_vertices()[corner] as usize] as usize;
    let (starts, mut corners) =
        grouped(mesh.vertex_count(), mesh.corner_count(), |corner| Some(point_of(corner)));
    for i in 0..mesh.vertex_count() {
        let own = &mut corners[range(&starts, i)];
        if own.len() > CROWD {
            own.sort_by_key(|&corner| mesh.corner_vertices()[corner as usize]);
        }
    }
    (starts, corners)
}
