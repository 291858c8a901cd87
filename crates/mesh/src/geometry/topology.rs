//! What hangs together: coincident vertices, edges, the corners around a vertex, pieces.
//!
//! Files split a vertex where its normal or its UV differs. The surface does not end there, so all
//! connectivity counts vertices at exactly the same point as one.

use std::ops::Range;

use rayon::prelude::*;

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
    /// The edge from each corner to the next one of its face.
    corner_edge: Vec<u32>,
    /// For each corner, the next one around the same edge.
    across: Vec<u32>,
    /// E + 1 offsets into `edge_corners`.
    edge_starts: Vec<u32>,
    /// The corners whose edge it is: two on a closed surface.
    edge_corners: Vec<u32>,
    /// V + 1 offsets into `point_corners`; only first vertices have corners.
    point_starts: Vec<u32>,
    /// The corners at each point, ascending; in a crowd by their vertices first.
    point_corners: Vec<u32>,
    /// The piece of each face.
    face_piece: Vec<u32>,
    pieces: u32,
    points: u32,
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
        let (corner_edge, edge_starts, edge_corners) = edges(mesh, &point);
        let across = around_edges(&edge_starts, &edge_corners);
        let (point_starts, point_corners) = corners_by_point(mesh, &point);
        let points = point_starts.windows(2).filter(|w| w[1] > w[0]).count() as u32;
        let (face_piece, pieces) = pieces(mesh, &point);
        Self {
            point,
            faces: mesh.face_count(),
            corner_face,
            corner_edge,
            across,
            edge_starts,
            edge_corners,
            point_starts,
            point_corners,
            face_piece,
            pieces,
            points,
        }
    }

    /// The first vertex at the same point as this one.
    #[must_use]
    pub fn point_of(&self, vertex: usize) -> usize {
        self.point[vertex] as usize
    }

    /// The face a corner belongs to.
    #[must_use]
    pub fn face_of(&self, corner: usize) -> usize {
        if self.corner_face.is_empty() { corner / 3 } else { self.corner_face[corner] as usize }
    }

    /// The edge from a corner to the next corner of its face.
    #[must_use]
    pub fn edge_of(&self, corner: usize) -> usize {
        self.corner_edge[corner] as usize
    }

    /// The corners an edge starts from, in any face.
    #[must_use]
    pub fn corners_of_edge(&self, edge: usize) -> &[u32] {
        &self.edge_corners[range(&self.edge_starts, edge)]
    }

    /// The next corner around the same edge: the one in the face beyond, or the corner itself where
    /// the surface ends. From each on to the next, one comes back to the first; around an edge with
    /// a crowd of faces, after some of them.
    #[must_use]
    pub fn across(&self, corner: usize) -> usize {
        self.across[corner] as usize
    }

    /// The corners of all faces at the point of a vertex.
    #[must_use]
    pub fn corners_at(&self, vertex: usize) -> &[u32] {
        &self.point_corners[range(&self.point_starts, self.point_of(vertex))]
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
    pub fn edge_count(&self) -> usize {
        self.edge_starts.len() - 1
    }

    /// How many different points faces use.
    #[must_use]
    pub fn point_count(&self) -> usize {
        self.points as usize
    }

    /// How many pieces hang together, at least by a point.
    #[must_use]
    pub fn piece_count(&self) -> usize {
        self.pieces as usize
    }

    /// The piece of a face, numbered by the order of their first faces.
    #[must_use]
    pub fn piece_of(&self, face: usize) -> usize {
        self.face_piece[face] as usize
    }

    /// True when every edge joins exactly two faces.
    #[must_use]
    pub fn is_watertight(&self) -> bool {
        self.edge_starts.windows(2).all(|w| w[1] - w[0] == 2)
    }

    /// Points − edges + faces: 2 for a closed surface without handles.
    #[must_use]
    pub fn euler_number(&self) -> i64 {
        i64::from(self.points) - self.edge_count() as i64 + self.faces as i64
    }
}

fn range(starts: &[u32], i: usize) -> Range<usize> {
    starts[i] as usize..starts[i + 1] as usize
}

fn first_at_same_point(mesh: &Mesh) -> Vec<u32> {
    // Adding 0 turns −0 into +0, which is the same place.
    let key = |v: u32| mesh.positions()[v as usize].to_array().map(|x| (x + 0.0).to_bits());
    let mut order: Vec<u32> = (0..mesh.vertex_count() as u32).collect();
    order.par_sort_unstable_by_key(|&v| (key(v), v));
    let mut first = vec![0; order.len()];
    let mut current = 0;
    for (i, &v) in order.iter().enumerate() {
        if i == 0 || key(v) != key(order[i - 1]) {
            current = v;
        }
        first[v as usize] = current;
    }
    first
}

fn edges(mesh: &Mesh, point: &[u32]) -> (Vec<u32>, Vec<u32>, Vec<u32>) {
    let mut keyed: Vec<(u64, u32)> = Vec::with_capacity(mesh.corner_count());
    for face in 0..mesh.face_count() {
        let corners = mesh.face_corners(face);
        let vertices = mesh.face_vertices(face);
        for (i, corner) in corners.enumerate() {
            let a = point[vertices[i] as usize];
            let b = point[vertices[(i + 1) % vertices.len()] as usize];
            keyed.push((u64::from(a.min(b)) << 32 | u64::from(a.max(b)), corner as u32));
        }
    }
    keyed.par_sort_unstable();
    let mut corner_edge = vec![0; keyed.len()];
    let mut edge_starts = Vec::with_capacity(keyed.len() / 2 + 2);
    for (i, &(key, corner)) in keyed.iter().enumerate() {
        if i == 0 || key != keyed[i - 1].0 {
            edge_starts.push(i as u32);
        }
        corner_edge[corner as usize] = edge_starts.len() as u32 - 1;
    }
    edge_starts.push(keyed.len() as u32);
    (corner_edge, edge_starts, keyed.into_iter().map(|(_, corner)| corner).collect())
}

/// Links the corners of each edge in a ring.
fn around_edges(starts: &[u32], corners: &[u32]) -> Vec<u32> {
    let mut across = vec![0; corners.len()];
    for edge in 0..starts.len() - 1 {
        for ring in corners[range(starts, edge)].chunks(CROWD) {
            for (i, &corner) in ring.iter().enumerate() {
                across[corner as usize] = ring[(i + 1) % ring.len()];
            }
        }
    }
    across
}

fn corners_by_point(mesh: &Mesh, point: &[u32]) -> (Vec<u32>, Vec<u32>) {
    let mut starts = vec![0_u32; mesh.vertex_count() + 1];
    for &v in mesh.corner_vertices() {
        starts[point[v as usize] as usize + 1] += 1;
    }
    for i in 1..starts.len() {
        starts[i] += starts[i - 1];
    }
    let mut next = starts.clone();
    let mut corners = vec![0; mesh.corner_count()];
    for (corner, &v) in mesh.corner_vertices().iter().enumerate() {
        let slot = &mut next[point[v as usize] as usize];
        corners[*slot as usize] = corner as u32;
        *slot += 1;
    }
    for i in 0..mesh.vertex_count() {
        let own = &mut corners[range(&starts, i)];
        if own.len() > CROWD {
            own.sort_by_key(|&corner| mesh.corner_vertices()[corner as usize]);
        }
    }
    (starts, corners)
}

/// Union–find over points, with path halving.
fn pieces(mesh: &Mesh, point: &[u32]) -> (Vec<u32>, u32) {
    let mut parent: Vec<u32> = (0..mesh.vertex_count() as u32).collect();
    let find = |parent: &mut [u32], mut v: u32| {
        while parent[v as usize] != v {
            parent[v as usize] = parent[parent[v as usize] as usize];
            v = parent[v as usize];
        }
        v
    };
    for face in 0..mesh.face_count() {
        let vertices = mesh.face_vertices(face);
        let root = find(&mut parent, point[vertices[0] as usize]);
        for &v in &vertices[1..] {
            let other = find(&mut parent, point[v as usize]);
            parent[other as usize] = root;
        }
    }
    let mut number = vec![u32::MAX; mesh.vertex_count()];
    let mut count = 0;
    let face_piece = (0..mesh.face_count())
        .map(|face| {
            let root = find(&mut parent, point[mesh.face_vertices(face)[0] as usize]) as usize;
            if number[root] == u32::MAX {
                number[root] = count;
                count += 1;
            }
            number[root]
        })
        .collect();
    (face_piece, count)
}
