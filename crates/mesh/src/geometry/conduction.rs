//! How a surface conducts heat: what means over a surrounding are worked out by.

mod levels;

use rayon::prelude::*;
use smallvec::SmallVec;

pub use levels::{ALONE, Level, SIDE_BY_SIDE, Together};

use super::{lists::grouped, topology::Topology, triangulate::Triangulation};
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
    /// Of so many nodes, each with its area and its edges.
    fn of(count: usize, node: impl Fn(usize) -> (f32, Edges) + Sync) -> Self {
        // Runs, since edges of all nodes by themselves would take several times their room.
        let run = |first: usize| {
            let (mut areas, mut lengths, mut edges) = (Vec::new(), Vec::new(), Vec::new());
            for (area, own) in (first..count.min(first + RUN)).map(&node) {
                areas.push(area);
                lengths.push(own.len() as u32);
                edges.extend(own);
            }
            (areas, lengths, edges)
        };
        let runs: Vec<_> = (0..count).into_par_iter().step_by(RUN).map(run).collect();
        let (mut areas, mut starts, mut edges) = (Vec::new(), vec![0_u32], Vec::new());
        for (own_areas, lengths, own_edges) in runs {
            areas.extend(own_areas);
            starts.extend(lengths.iter().scan(edges.len() as u32, |end, length| {
                *end += length;
                Some(*end)
            }));
            edges.extend(own_edges);
        }
        Self { areas, starts, edges }
    }

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

/// A surface as heat meets it: the area around each point, and how well each edge conducts
/// (cotangents; Pinkall and Polthier 1993; none below 0, so that no point ends up beyond what is
/// around it). Vertices at one point are one, however a file split them: its first vertex.
///
/// It is laid out for what goes over all of it, too, beside coarser and coarser graphs of the same surface:
/// see [`Level`].
#[derive(Clone, Debug, PartialEq)]
pub struct Conduction {
    finest: Graph,
    /// The point of each node of the levels.
    points: Vec<u32>,
    levels: Vec<Level>,
}

/// What a node is joined to, and how well.
type Edges = SmallVec<[(u32, f32); 16]>;

/// How well an edge conducts at most; those of even triangles have 0.58. Short sides of slivers have
/// hundreds, which makes no difference to where heat comes, but to how long it takes to work out.
const MOST_CONDUCTED: f32 = 16.0;

/// How many nodes one core works out in a row.
const RUN: usize = 4096;

impl Conduction {
    /// Works it out.
    #[must_use]
    pub fn new(mesh: &Mesh, topology: &Topology, triangulation: &Triangulation) -> Self {
        let finest = of_surface(mesh, topology, triangulation);
        let points = levels::in_order(&finest, mesh.positions());
        Self::of(finest, points)
    }

    fn of(finest: Graph, points: Vec<u32>) -> Self {
        let levels = levels::coarser_and_coarser(&finest, &points);
        Self { finest, points, levels }
    }

    /// Every point by itself: a vertex that is not the first at its point has neither area nor edges.
    #[must_use]
    pub fn finest(&self) -> &Graph {
        &self.finest
    }

    /// The point of each node of the first level: those that heat can leave.
    #[must_use]
    pub fn points(&self) -> &[u32] {
        &self.points
    }

    /// The same, and coarser and coarser.
    #[must_use]
    pub fn levels(&self) -> &[Level] {
        &self.levels
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
        Self::of(finest, self.points.clone())
    }
}

fn of_surface(mesh: &Mesh, topology: &Topology, triangulation: &Triangulation) -> Graph {
    let positions = mesh.positions();
    let triangles = triangulation.corners();
    let point_of =
        |corner: u32| topology.point_of(mesh.corner_vertices()[corner as usize] as usize);
    let side = |side: usize| Some(point_of(triangles[side / 3][side % 3]));
    let (firsts, sides_at) = grouped(positions.len(), 3 * triangles.len(), side);
    // Of a point, its area and its edges.
    let of_point = |point: usize| {
        let (mut area, mut edges) = (0.0, Edges::new());
        let own = &sides_at[firsts[point] as usize..firsts[point + 1] as usize];
        for (triangle, a) in own.iter().map(|&side| (side as usize / 3, side as usize % 3)) {
            let v = triangles[triangle].map(point_of);
            let p = v.map(|v| positions[v]);
            let double = (p[1] - p[0]).cross(p[2] - p[0]).length();
            area += double / 6.0;
            let (b, c) = ((a + 1) % 3, (a + 2) % 3);
            edges.extend([(b, c), (c, b)].map(|(to, past)| {
                let cotangent = (p[a] - p[past]).dot(p[to] - p[past]) / double;
                (v[to] as u32, if cotangent.is_finite() { cotangent / 2.0 } else { 0.0 })
            }));
        }
        edges.retain(|(to, _)| *to as usize != point);
        sum_up(&mut edges);
        edges.iter_mut().for_each(|(_, conducts)| *conducts = conducts.clamp(0.0, MOST_CONDUCTED));
        (area, edges)
    };
    Graph::of(positions.len(), of_point)
}

/// Makes one edge of those to the same node: in the order of what they conduct, so that sums are the same.
fn sum_up(edges: &mut Edges) {
    edges.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    edges.dedup_by(|later, first| {
        let is_same = later.0 == first.0;
        if is_same {
            first.1 += later.1;
        }
        is_same
    });
}
