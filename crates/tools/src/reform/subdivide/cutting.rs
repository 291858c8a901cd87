//! The faces that become of each face when it is cut.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use speckle_mesh::{Mesh, geometry::triangulate::first_triangle};

use super::{
    super::build::{Builder, Mix, between, mean, only},
    Scheme, Step,
};

/// The new mesh on its way.
pub(super) struct Cutting<'a> {
    pub(super) step: &'a Step<'a>,
    pub(super) pieces: usize,
    pub(super) out: Builder<'a>,
    /// The first of the vertices on the edge between two, counted from the one of the lower number.
    pub(super) on_edges: FxHashMap<[u32; 2], u32>,
}

/// A corner of a new face: its vertex, and the old corners that it is a mix of.
type Corner = (u32, Mix);

impl Cutting<'_> {
    pub(super) fn face(&mut self, face: usize) {
        let (step, mesh) = (self.step, self.step.mesh);
        let corners = mesh.face_corners(face);
        if !step.is_in(face) {
            return self.rim(face);
        }
        let quads = mesh.face_corners(face).len() == 4 && is_convex(mesh, face);
        match step.scheme {
            Scheme::CatmullClark => self.around_middle(face),
            Scheme::Flat if quads => self.quad_grid(face, [0, 1, 2, 3].map(|i| corners.start + i)),
            Scheme::Flat | Scheme::Loop => {
                let first = first_triangle(mesh, face);
                for triangle in 0..corners.len() - 2 {
                    let own = step.geometry.triangulation().corners()[first + triangle];
                    self.triangle_grid(face, own.map(|c| c as usize));
                }
            }
        }
    }

    /// The corner so many pieces on from one old corner of a face to another, which an edge or a
    /// diagonal joins.
    pub(super) fn on_edge(&mut self, from: usize, to: usize, piece: usize) -> Corner {
        let (step, pieces) = (self.step, self.pieces);
        let along = piece as f32 / pieces as f32;
        let vertex = |corner: usize| step.mesh.corner_vertices()[corner];
        if piece == 0 || piece == pieces {
            let corner = if piece == 0 { from } else { to };
            return (vertex(corner), only(corner));
        }
        let [a, b] = [from, to].map(vertex);
        let (low, high) = if a < b { (from, to) } else { (to, from) };
        let first = match self.on_edges.get(&[vertex(low), vertex(high)]) {
            Some(&first) => first,
            None => {
                let first = self.put_on_edge(low, high);
                self.on_edges.insert([vertex(low), vertex(high)], first);
                first
            }
        };
        let nth = if low == from { piece } else { pieces - piece };
        (first + nth as u32 - 1, between(from, to, along))
    }

    pub(super) fn put_on_edge(&mut self, low: usize, high: usize) -> u32 {
        let (step, pieces) = (self.step, self.pieces);
        let [a, b] = [low, high].map(|c| step.mesh.corner_vertices()[c] as usize);
        // From the lower point, so that copies of an edge are cut at the same places to the bit.
        let [p, q] = [low, high].map(|c| step.point(c));
        let edge = if step.next(low) == high {
            Some(low)
        } else if step.next(high) == low {
            Some(high)
        } else {
            None
        };
        let mut first = 0;
        for piece in 1..pieces {
            let along = piece as f32 / pieces as f32;
            let at = match edge {
                Some(edge) if step.scheme != Scheme::Flat => step.edge_point(edge),
                _ if p <= q => step.at(low) + (step.at(high) - step.at(low)) * along,
                _ => {
                    let back = (pieces - piece) as f32 / pieces as f32;
                    step.at(high) + (step.at(low) - step.at(high)) * back
                }
            };
            let vertex = self.out.vertex(at, &between(a, b, along));
            if piece == 1 {
                first = vertex;
            }
        }
        first
    }

    /// A triangle in rows of smaller ones.
    pub(super) fn triangle_grid(&mut self, face: usize, [a, b, c]: [usize; 3]) {
        let n = self.pieces;
        let mut rows: Vec<Vec<Corner>> = Vec::with_capacity(n + 1);
        for i in 0..=n {
            // From the edge a–b to the edge a–c, i pieces away from a.
            let row = (0..=i).map(|j| match (i, j) {
                (0, _) => self.on_edge(a, b, 0),
                (i, 0) => self.on_edge(a, b, i),
                (i, j) if i == j => self.on_edge(a, c, i),
                (i, j) if i == n => self.on_edge(b, c, j),
                (i, j) => {
                    let [i, j] = [i, j].map(|x| x as f32 / n as f32);
                    self.within(&[(a, 1.0 - i), (b, i - j), (c, j)])
                }
            });
            rows.push(row.collect());
        }
        for i in 0..n {
            for j in 0..=i {
                let [own, beside] = [rows[i][j].clone(), rows[i + 1][j + 1].clone()];
                self.out.face(face, &[own.clone(), rows[i + 1][j].clone(), beside.clone()]);
                if j < i {
                    self.out.face(face, &[own, beside, rows[i][j + 1].clone()]);
                }
            }
        }
    }

    pub(super) fn quad_grid(&mut self, face: usize, [a, b, c, d]: [usize; 4]) {
        let n = self.pieces;
        let mut rows: Vec<Vec<Corner>> = Vec::with_capacity(n + 1);
        for i in 0..=n {
            let row = (0..=n).map(|j| match (i, j) {
                (0, j) => self.on_edge(a, b, j),
                (i, j) if i == n => self.on_edge(d, c, j),
                (i, 0) => self.on_edge(a, d, i),
                (i, j) if j == n => self.on_edge(b, c, i),
                (i, j) => {
                    let [v, u] = [i, j].map(|x| x as f32 / n as f32);
                    let (w, z) = (1.0 - u, 1.0 - v);
                    self.within(&[(a, w * z), (b, u * z), (c, u * v), (d, w * v)])
                }
            });
            rows.push(row.collect());
        }
        for i in 0..n {
            for j in 0..n {
                let quad = [(i, j), (i, j + 1), (i + 1, j + 1), (i + 1, j)];
                self.out.face(face, &quad.map(|(i, j)| rows[i][j].clone()));
            }
        }
    }

    /// A new corner within a face: a mix of old ones.
    pub(super) fn within(&mut self, mix: &[(usize, f32)]) -> Corner {
        let step = self.step;
        let at = mix.iter().map(|&(corner, weight)| step.at(corner) * weight).sum();
        let vertex =
            |&(corner, weight): &(usize, f32)| (step.mesh.corner_vertices()[corner], weight);
        let vertices: Mix = mix.iter().map(vertex).collect();
        let corners = mix.iter().map(|&(corner, weight)| (corner as u32, weight)).collect();
        (self.out.vertex(at, &vertices), corners)
    }

    /// The corners of a face with those on its cut edges between them.
    pub(super) fn outline(&mut self, face: usize) -> Vec<Corner> {
        let step = self.step;
        let mut all = Vec::new();
        for corner in step.mesh.face_corners(face) {
            all.push(self.on_edge(corner, corner, 0));
            if step.is_cut(corner) {
                for piece in 1..self.pieces {
                    all.push(self.on_edge(corner, step.next(corner), piece));
                }
            }
        }
        all
    }

    pub(super) fn middle(&mut self, face: usize) -> Corner {
        let (mesh, corners) = (self.step.mesh, self.step.mesh.face_corners(face));
        let vertices = mesh.face_vertices(face).iter().map(|&v| v as usize);
        let vertex = self.out.vertex(mesh.face_centroid(face), &mean(vertices));
        (vertex, mean(corners))
    }

    /// A quad for each corner of a face, with the face's middle.
    pub(super) fn around_middle(&mut self, face: usize) {
        let step = self.step;
        let middle = self.middle(face);
        for corner in step.mesh.face_corners(face) {
            let [next, previous] = [step.next(corner), step.previous(corner)];
            let quad = [
                self.on_edge(corner, corner, 0),
                self.on_edge(corner, next, 1),
                middle.clone(),
                self.on_edge(previous, corner, 1),
            ];
            self.out.face(face, &quad);
        }
    }

    /// A face that is not chosen, and takes up what its edges got.
    pub(super) fn rim(&mut self, face: usize) {
        let (step, mesh) = (self.step, self.step.mesh);
        let corners = mesh.face_corners(face);
        let cut: SmallVec<[usize; 4]> =
            corners.clone().filter(|&corner| step.is_cut(corner)).collect();
        let outline = self.outline(face);
        if cut.is_empty() || corners.len() > 3 {
            // Polygons take points on their edges as corners.
            return self.out.face(face, &outline);
        }
        if let [one] = cut.as_slice() {
            let apex = step.previous(*one);
            let top = self.on_edge(apex, apex, 0);
            for piece in 0..self.pieces {
                let [a, b] =
                    [piece, piece + 1].map(|piece| self.on_edge(*one, step.next(*one), piece));
                self.out.face(face, &[top.clone(), a, b]);
            }
            return;
        }
        let middle = self.middle(face);
        for (i, own) in outline.iter().enumerate() {
            let next = outline[(i + 1) % outline.len()].clone();
            self.out.face(face, &[middle.clone(), own.clone(), next]);
        }
    }
}

/// Whether a face turns the same way at each of its corners.
pub(super) fn is_convex(mesh: &Mesh, face: usize) -> bool {
    let normal = mesh.face_area_vector(face);
    let corners = mesh.face_corners(face);
    let count = corners.len();
    let at = |i: usize| mesh.corner_position(corners.start + i % count);
    (0..count).all(|i| {
        let [a, b, c] = [at(i), at(i + 1), at(i + 2)];
        (b - a).cross(c - b).dot(normal) > 0.0
    })
}
