//! What a mesh falls apart into.

use std::cmp::Reverse;

use smallvec::SmallVec;

use super::topology::Topology;
use crate::mesh::Mesh;

/// The pieces of a mesh: what hangs together by edges, as the file has them.
///
/// Faces that share the vertices of an edge are one piece. Where a file gave them vertices of their
/// own, as at hard edges and seams, what is meant has to be told by the surface: two faces alone at an
/// edge go on into each other; of more, as where bricks stand flush in a wall, each goes on into the
/// next one beyond the inside of its solid (the radial order of faces; Weiler, The Radial Edge
/// Structure, 1988). Touching at a point joins nothing.
#[derive(Clone, Debug)]
pub struct Pieces {
    of_faces: Vec<u32>,
    count: u32,
}

impl Pieces {
    /// Works them out.
    #[must_use]
    pub fn by_edges(mesh: &Mesh, topology: &Topology) -> Self {
        let mut sets = Sets::new(mesh.face_count());
        let mut around: SmallVec<[usize; 8]> = SmallVec::new();
        for edge in topology.edges() {
            around.clear();
            around.extend(topology.around(edge));
            match around[..] {
                [_] => {}
                [a, b] => sets.join(topology.face_of(a), topology.face_of(b)),
                _ => join_around(mesh, topology, &around, &mut sets),
            }
        }
        sets.numbered()
    }

    /// The same where touching at a point is enough.
    #[must_use]
    pub fn by_points(mesh: &Mesh, topology: &Topology) -> Self {
        let mut sets = Sets::new(mesh.face_count());
        for vertex in (0..mesh.vertex_count()).filter(|&v| topology.point_of(v) == v) {
            if let Some((&first, others)) = topology.corners_at(vertex).split_first() {
                let first = topology.face_of(first as usize);
                others.iter().for_each(|&c| sets.join(first, topology.face_of(c as usize)));
            }
        }
        sets.numbered()
    }

    /// What hangs together in the image plane: faces that meet at an edge with the same texture
    /// coordinates on both sides.
    #[must_use]
    pub fn by_uvs(mesh: &Mesh, topology: &Topology, uvs: &[glam::Vec2]) -> Self {
        let mut sets = Sets::new(mesh.face_count());
        let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
        for edge in topology.edges() {
            let own = ends(mesh, topology, edge);
            for other in topology.around(edge).skip(1) {
                let mut theirs = ends(mesh, topology, other);
                if point(theirs[0]) != point(own[0]) {
                    theirs.reverse();
                }
                if own.iter().zip(theirs).all(|(&a, b)| uvs[a] == uvs[b]) {
                    sets.join(topology.face_of(edge), topology.face_of(other));
                }
            }
        }
        sets.numbered()
    }

    /// How many there are.
    #[must_use]
    #[inline]
    pub fn count(&self) -> usize {
        self.count as usize
    }

    /// The piece of a face, numbered by the order of their first faces.
    #[must_use]
    #[inline]
    pub fn of(&self, face: usize) -> usize {
        self.of_faces[face] as usize
    }

    /// The piece of each face.
    #[must_use]
    #[inline]
    pub fn of_faces(&self) -> &[u32] {
        &self.of_faces
    }
}

/// The corners at both ends of an edge, in the face that it is the edge of.
fn ends(mesh: &Mesh, topology: &Topology, edge: usize) -> [usize; 2] {
    let range = mesh.face_corners(topology.face_of(edge));
    [edge, if edge + 1 == range.end { range.start } else { edge + 1 }]
}

/// How near faces around an edge lie to be said to lie at the same angle, in steps of a whole turn.
const STEPS: f32 = 10_000.0;

/// Joins what goes on into each other around an edge of more than two faces.
fn join_around(mesh: &Mesh, topology: &Topology, around: &[usize], sets: &mut Sets) {
    let vertices = |edge: usize| {
        let mut ends = ends(mesh, topology, edge).map(|c| mesh.corner_vertices()[c]);
        ends.sort_unstable();
        ends
    };
    let mut by_vertices: SmallVec<[([u32; 2], usize); 8]> =
        around.iter().map(|&edge| (vertices(edge), edge)).collect();
    by_vertices.sort_unstable();
    let mut alone: SmallVec<[usize; 8]> = SmallVec::new();
    for same in by_vertices.chunk_by(|a, b| a.0 == b.0) {
        let first = topology.face_of(same[0].1);
        same[1..].iter().for_each(|(_, edge)| sets.join(first, topology.face_of(*edge)));
        if same.len() == 1 {
            alone.push(same[0].1);
        }
    }
    // What no face shares: opened at a face that goes against the edge, closed at the next along it.
    let Some(&first) = alone.first() else { return };
    let [from, to] = ends(mesh, topology, first).map(|corner| mesh.corner_position(corner));
    let Some(axis) = (to - from).try_normalize() else { return };
    let across = axis.any_orthonormal_pair();
    let is_along = |edge: usize| mesh.corner_position(edge) == from;
    let angle = |edge: usize| {
        let inward = mesh.face_centroid(topology.face_of(edge)) - from;
        inward.dot(across.1).atan2(inward.dot(across.0)) / std::f32::consts::TAU
    };
    let mut turns: SmallVec<[(i32, Reverse<bool>, usize); 8]> = alone
        .iter()
        .map(|&edge| {
            let step = (angle(edge) * STEPS).round() as i32;
            (step.rem_euclid(STEPS as i32), Reverse(is_along(edge)), edge)
        })
        .collect();
    turns.sort_unstable();
    let mut open: SmallVec<[usize; 8]> = SmallVec::new();
    let mut is_closed: SmallVec<[bool; 8]> = SmallVec::from_elem(false, turns.len());
    // Twice around: what is opened late is closed by the first ones.
    for (i, &(_, Reverse(is_along), edge)) in
        turns.iter().enumerate().chain(turns.iter().enumerate())
    {
        if is_closed[i] {
            continue;
        }
        if !is_along {
            if !open.contains(&i) {
                open.push(i);
            }
        } else if let Some(opened) = open.pop() {
            sets.join(topology.face_of(turns[opened].2), topology.face_of(edge));
            (is_closed[opened], is_closed[i]) = (true, true);
        }
    }
}

/// Faces that are joined into sets: union–find with path halving.
struct Sets(Vec<u32>);

impl Sets {
    fn new(faces: usize) -> Self {
        Self((0..faces as u32).collect())
    }

    fn first(&mut self, mut face: u32) -> u32 {
        let Self(parent) = self;
        while parent[face as usize] != face {
            parent[face as usize] = parent[parent[face as usize] as usize];
            face = parent[face as usize];
        }
        face
    }

    fn join(&mut self, a: usize, b: usize) {
        let (a, b) = (self.first(a as u32), self.first(b as u32));
        // The earlier one leads, so that each piece is led by its first face.
        self.0[a.max(b) as usize] = a.min(b);
    }

    fn numbered(mut self) -> Pieces {
        let (mut of_faces, mut count) = (vec![0; self.0.len()], 0);
        for face in 0..of_faces.len() {
            let first = self.first(face as u32) as usize;
            of_faces[face] = if first == face {
                count += 1;
                count - 1
            } else {
                of_faces[first]
            };
        }
        Pieces { of_faces, count }
    }
}
