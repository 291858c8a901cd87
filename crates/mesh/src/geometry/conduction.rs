//! How a surface conducts heat: what means over a surrounding are worked out by.

use rayon::prelude::*;
use smallvec::SmallVec;

use super::{topology::Topology, triangulate::Triangulation};
use crate::mesh::Mesh;

/// Nodes that heat is in, joined by edges that conduct it.
#[derive(Clone, Debug, PartialEq)]
pub struct Graph {
    areas: Vec<f32>,
    /// Of each node, where those it is joined to begin, and one past the last.
    starts: Vec<u32>,
    /// A node it is joined to, and how well the edge to it conducts.
    edges: Vec<(u32, f32)>,
}

impl Graph {
    /// The area that each node stands for.
    #[must_use]
    pub fn areas(&self) -> &[f32] {
        &self.areas
    }

    /// What a node is joined to, and how well.
    #[must_use]
    #[inline]
    pub fn edges(&self, node: usize) -> &[(u32, f32)] {
        &self.edges[self.starts[node] as usize..self.starts[node + 1] as usize]
    }
}

/// Nodes that were put together, some to one.
#[derive(Clone, Debug, PartialEq)]
pub struct Together {
    /// Which one each went into; [`ALONE`] for those joined to nothing.
    of: Vec<u32>,
    /// Of each of the new ones, where its members begin, and one past the last.
    starts: Vec<u32>,
    members: Vec<u32>,
}

/// A node that is joined to nothing, and went nowhere.
pub const ALONE: u32 = u32::MAX;

impl Together {
    /// Which one each node went into.
    #[must_use]
    pub fn of(&self) -> &[u32] {
        &self.of
    }

    /// The nodes that went into one.
    #[must_use]
    #[inline]
    pub fn members(&self, node: usize) -> &[u32] {
        &self.members[self.starts[node] as usize..self.starts[node + 1] as usize]
    }

    fn count(&self) -> usize {
        self.starts.len() - 1
    }
}

/// A surface as heat meets it: the area around each point, and how well each edge conducts
/// (cotangents; Pinkall and Polthier 1993; none below 0, so that no point ends up beyond what is
/// around it). Vertices at one point are one, however a file split them: its first vertex.
///
/// Coarser and coarser graphs stand for the same surface, so that what is spread far need not go from
/// point to point (algebraic multigrid by aggregation; Vaněk, Mandel and Brezina 1996, without
/// smoothing).
#[derive(Clone, Debug, PartialEq)]
pub struct Conduction {
    finest: Graph,
    coarser: Vec<(Together, Graph)>,
}

/// What a node is joined to, and how well.
type Edges = SmallVec<[(u32, f32); 16]>;

/// How well an edge conducts at most; those of even triangles have 0.58. Short sides of slivers have
/// hundreds, which makes no difference to where heat comes, but to how long it takes to work out.
const MOST_CONDUCTED: f32 = 16.0;

/// A graph of so few nodes is not made coarser.
const FEW: usize = 1_000;

/// How well an edge has to conduct beside the best of a node to count as strong.
const STRONG: f32 = 0.2;

impl Conduction {
    /// Works it out.
    #[must_use]
    pub fn new(mesh: &Mesh, topology: &Topology, triangulation: &Triangulation) -> Self {
        Self::of(of_surface(mesh, topology, triangulation))
    }

    fn of(finest: Graph) -> Self {
        let mut coarser: Vec<(Together, Graph)> = Vec::new();
        loop {
            let last = coarser.last().map_or(&finest, |(_, graph)| graph);
            let joined = (0..last.areas.len()).filter(|&node| !last.edges(node).is_empty()).count();
            if joined <= FEW {
                break;
            }
            let together = together(last);
            if together.count() * 3 > joined * 2 {
                break;
            }
            let graph = put_together(last, &together, joined);
            coarser.push((together, graph));
        }
        Self { finest, coarser }
    }

    /// Every point by itself.
    #[must_use]
    pub fn finest(&self) -> &Graph {
        &self.finest
    }

    /// Coarser and coarser, each with how it came of the one before.
    #[must_use]
    pub fn coarser(&self) -> &[(Together, Graph)] {
        &self.coarser
    }

    /// The same with nothing conducted between points that are apart.
    #[must_use]
    pub fn cut(&self, are_apart: impl Fn(usize, usize) -> bool) -> Self {
        let mut finest = self.finest.clone();
        for point in 0..finest.areas.len() {
            let range = finest.starts[point] as usize..finest.starts[point + 1] as usize;
            for (other, conducts) in &mut finest.edges[range] {
                if are_apart(point, *other as usize) {
                    *conducts = 0.0;
                }
            }
        }
        Self::of(finest)
    }
}

fn of_surface(mesh: &Mesh, topology: &Topology, triangulation: &Triangulation) -> Graph {
    let positions = mesh.positions();
    let corners =
        |t: &[u32; 3]| t.map(|c| topology.point_of(mesh.corner_vertices()[c as usize] as usize));
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
            edges.push((to, conducts.clamp(0.0, MOST_CONDUCTED)));
            starts[from + 1] += 1;
        }
    }
    (0..positions.len()).for_each(|i| starts[i + 1] += starts[i]);
    Graph { areas, starts, edges }
}

/// Puts each node together with all that it is strongly joined to, as long as none of them has gone
/// elsewhere; those left over go where they are joined best.
fn together(graph: &Graph) -> Together {
    let count = graph.areas.len();
    let mut of = vec![ALONE; count];
    let mut new = 0_u32;
    for node in 0..count {
        let edges = graph.edges(node);
        let best = edges.iter().map(|(_, conducts)| *conducts).fold(0.0, f32::max);
        let is_strong = |(_, conducts): &&(u32, f32)| *conducts >= STRONG * best;
        if of[node] != ALONE || best <= 0.0 {
            continue;
        }
        if edges.iter().filter(is_strong).all(|(other, _)| of[*other as usize] == ALONE) {
            of[node] = new;
            edges.iter().filter(is_strong).for_each(|(other, _)| of[*other as usize] = new);
            new += 1;
        }
    }
    let first = of.clone();
    for node in (0..count).filter(|&node| first[node] == ALONE) {
        let taken = graph.edges(node).iter().filter(|(other, _)| first[*other as usize] != ALONE);
        let best = taken.max_by(|a, b| a.1.total_cmp(&b.1)).filter(|(_, conducts)| *conducts > 0.0);
        if let Some((other, _)) = best {
            of[node] = first[*other as usize];
        } else if graph.edges(node).iter().any(|(_, conducts)| *conducts > 0.0) {
            of[node] = new;
            new += 1;
        }
    }
    let mut starts = vec![0_u32; new as usize + 1];
    of.iter().filter(|&&own| own != ALONE).for_each(|&own| starts[own as usize + 1] += 1);
    (0..new as usize).for_each(|i| starts[i + 1] += starts[i]);
    let mut next = starts.clone();
    let mut members = vec![0_u32; starts[new as usize] as usize];
    for (node, &own) in of.iter().enumerate().filter(|(_, own)| **own != ALONE) {
        members[next[own as usize] as usize] = node as u32;
        next[own as usize] += 1;
    }
    Together { of, starts, members }
}

/// The graph of nodes that were put together. Sums of what edges conduct are as if each new node were
/// of one heat up to its rim: by so much too stiff as it is wide.
fn put_together(graph: &Graph, together: &Together, joined: usize) -> Graph {
    let count = together.count();
    let softer = (count as f32 / joined as f32).sqrt();
    let node = |own: usize| {
        let members = together.members(own);
        let area: f32 = members.iter().map(|&member| graph.areas[member as usize]).sum();
        let edges = members.iter().flat_map(|&member| graph.edges(member as usize));
        let others = edges.map(|&(other, conducts)| (together.of[other as usize], conducts));
        let mut sums: Edges =
            others.filter(|(other, _)| *other != own as u32 && *other != ALONE).collect();
        // Those to one in the order of what they are, so that sums are the same.
        sums.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        sums.dedup_by(|later, first| {
            let is_same = later.0 == first.0;
            if is_same {
                first.1 += later.1;
            }
            is_same
        });
        sums.iter_mut().for_each(|(_, sum)| *sum *= softer);
        (area, sums)
    };
    let nodes: Vec<(f32, Edges)> = (0..count).into_par_iter().with_min_len(256).map(node).collect();
    let mut starts = vec![0_u32; count + 1];
    nodes.iter().enumerate().for_each(|(i, (_, e))| starts[i + 1] = starts[i] + e.len() as u32);
    let areas = nodes.iter().map(|(area, _)| *area).collect();
    Graph { areas, starts, edges: nodes.into_iter().flat_map(|(_, edges)| edges).collect() }
}
