//! How a surface conducts heat: what means over a surrounding are worked out by.

use rayon::prelude::*;

use super::{topology::Topology, triangulate::Triangulation};
use crate::mesh::Mesh;

/// The area around each point, and how well each edge conducts (cotangents; Pinkall and Polthier 1993;
/// none below 0, so that no point ends up beyond what is around it). Vertices at one point are one,
/// however a file split them.
#[derive(Clone, Debug, PartialEq)]
pub struct Conduction {
    areas: Vec<f32>,
    /// Of each point, where those it is joined to begin, and one past the last.
    starts: Vec<u32>,
    /// A point it is joined to, and how well the edge to it conducts.
    edges: Vec<(u32, f32)>,
}

impl Conduction {
    /// Works it out.
    #[must_use]
    pub fn new(mesh: &Mesh, topology: &Topology, triangulation: &Triangulation) -> Self {
        let positions = mesh.positions();
        let corners = |t: &[u32; 3]| {
            t.map(|c| topology.point_of(mesh.corner_vertices()[c as usize] as usize))
        };
        let triangles = triangulation.corners();
        let mut areas = vec![0.0_f32; positions.len()];
        for t in triangles {
            let v = corners(t);
            let p = v.map(|v| positions[v]);
            let double = (p[1] - p[0]).cross(p[2] - p[0]).length();
            v.into_iter().for_each(|v| areas[v] += double / 6.0);
        }
        // Each side of each triangle, from either end.
        let mut sides: Vec<(u64, f32)> = triangles
            .par_iter()
            .with_min_len(1024)
            .flat_map_iter(|t| {
                let v = corners(t);
                let p = v.map(|v| positions[v]);
                let double = (p[1] - p[0]).cross(p[2] - p[0]).length();
                [(0, 1, 2), (1, 2, 0), (2, 0, 1)].into_iter().flat_map(move |(a, b, c)| {
                    let cotangent = (p[a] - p[c]).dot(p[b] - p[c]) / double;
                    let conducts = if cotangent.is_finite() { cotangent / 2.0 } else { 0.0 };
                    let key = |from: usize, to: usize| (v[from] as u64) << 32 | v[to] as u64;
                    [(key(a, b), conducts), (key(b, a), conducts)]
                })
            })
            .collect();
        // Those of one edge in the order of what they are, so that sums are the same.
        sides.par_sort_unstable_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        let mut starts = vec![0_u32; positions.len() + 1];
        let mut edges = Vec::with_capacity(sides.len() / 2);
        for edge in sides.chunk_by(|a, b| a.0 == b.0) {
            let (from, to) = ((edge[0].0 >> 32) as usize, edge[0].0 as u32);
            if from != to as usize {
                let conducts: f32 = edge.iter().map(|(_, conducts)| conducts).sum();
                edges.push((to, conducts.clamp(0.0, 1e3)));
                starts[from + 1] += 1;
            }
        }
        (0..positions.len()).for_each(|i| starts[i + 1] += starts[i]);
        Self { areas, starts, edges }
    }

    /// The area around each point, a third of each triangle there; by its first vertex.
    #[must_use]
    pub fn areas(&self) -> &[f32] {
        &self.areas
    }

    /// What a point is joined to, and how well.
    #[must_use]
    #[inline]
    pub fn edges(&self, point: usize) -> &[(u32, f32)] {
        &self.edges[self.starts[point] as usize..self.starts[point + 1] as usize]
    }

    /// The same with nothing conducted between points that are apart.
    #[must_use]
    pub fn cut(mut self, are_apart: impl Fn(usize, usize) -> bool) -> Self {
        for point in 0..self.areas.len() {
            for (other, conducts) in
                &mut self.edges[self.starts[point] as usize..self.starts[point + 1] as usize]
            {
                if are_apart(point, *other as usize) {
                    *conducts = 0.0;
                }
            }
        }
        self
    }
}
