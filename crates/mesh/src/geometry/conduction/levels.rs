//! A graph that heat goes over, laid out for that, beside coarser and coarser ones of the same surface.

use glam::Vec3;
use rayon::prelude::*;

use super::{super::lists::grouped, Edges, Graph, sum_up};
use crate::morton::along_a_curve;

/// How many nodes lie side by side.
pub const SIDE_BY_SIDE: usize = 8;

/// A graph laid out to be gone through whole: eight nodes side by side, one edge of each at a time (sliced
/// ELLPACK; Monakov, Lokhmotov and Avetisyan 2010), and the coarser graph that helps it along.
///
/// What is spread far need not go from point to point with coarser graphs (algebraic multigrid by aggregation;
/// Vaněk, Mandel and Brezina 1996, without smoothing).
#[derive(Clone, Debug, PartialEq)]
pub struct Level {
    /// Of each node, the area it stands for.
    areas: Vec<f32>,
    /// Of each node, what all of its edges conduct.
    conducted: Vec<f32>,
    /// Of each row of nodes, where its edges begin, and one past the last.
    starts: Vec<u32>,
    /// One edge of each node of a row, to which other, and how well it conducts; those that have fewer than
    /// others go to themselves, and conduct nothing.
    edges: Vec<([u32; SIDE_BY_SIDE], [f32; SIDE_BY_SIDE])>,
    /// Which nodes are one on the next level; nothing on the coarsest.
    together: Option<Together>,
}

impl Level {
    fn of(graph: &Graph, together: Option<Together>) -> Self {
        let count = graph.areas().len();
        let row = |row: usize| (row * SIDE_BY_SIDE..count).take(SIDE_BY_SIDE);
        let mut starts = vec![0_u32];
        for nth in 0..count.div_ceil(SIDE_BY_SIDE) {
            let length = row(nth).map(|node| graph.edges(node).len()).max().unwrap_or(0);
            starts.push(starts[nth] + length as u32);
        }
        let none = ([0; SIDE_BY_SIDE], [0.0; SIDE_BY_SIDE]);
        let mut edges = vec![none; starts[starts.len() - 1] as usize];
        for nth in 0..starts.len() - 1 {
            let own = &mut edges[starts[nth] as usize..starts[nth + 1] as usize];
            for (side, node) in row(nth).enumerate() {
                own.iter_mut().for_each(|(others, _)| others[side] = node as u32);
                for ((others, conduct), &edge) in own.iter_mut().zip(graph.edges(node)) {
                    (others[side], conduct[side]) = edge;
                }
            }
        }
        let conducted = |node: usize| graph.edges(node).iter().map(|(_, w)| w).sum();
        let conducted = (0..count).into_par_iter().with_min_len(1024).map(conducted).collect();
        Self { areas: graph.areas().to_vec(), conducted, starts, edges, together }
    }

    /// Of each node, the area it stands for.
    #[must_use]
    pub fn areas(&self) -> &[f32] {
        &self.areas
    }

    /// Of each node, what all of its edges conduct.
    #[must_use]
    pub fn conducted(&self) -> &[f32] {
        &self.conducted
    }

    /// One edge of each node of a row at a time: to which other, and how well it conducts.
    #[must_use]
    #[inline]
    pub fn row(&self, row: usize) -> &[([u32; SIDE_BY_SIDE], [f32; SIDE_BY_SIDE])] {
        &self.edges[self.starts[row] as usize..self.starts[row + 1] as usize]
    }

    /// Which nodes are one on the next level; nothing on the coarsest.
    #[must_use]
    pub fn together(&self) -> Option<&Together> {
        self.together.as_ref()
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

/// A graph of so few nodes is not made coarser.
const FEW: usize = 1_000;

/// How well an edge has to conduct beside the best of a node to count as strong.
const STRONG: f32 = 0.2;

/// Of so many nodes that follow each other, those with as many edges lie side by side.
const WINDOW: usize = 512;

/// The points that heat can leave, so that those near each other follow each other, and those beside each
/// other have about as many edges.
pub(super) fn in_order(graph: &Graph, positions: &[Vec3]) -> Vec<u32> {
    let degree = |point: u32| {
        let edges = graph.edges(point as usize);
        edges.iter().filter(|(_, conducts)| *conducts > 0.0).count()
    };
    let mut points = along_a_curve(positions);
    points.retain(|&point| degree(point) > 0);
    points.par_chunks_mut(WINDOW).for_each(|window| window.sort_by_key(|&point| degree(point)));
    points
}

/// The graph over some of its points, and coarser and coarser ones.
pub(super) fn coarser_and_coarser(finest: &Graph, points: &[u32]) -> Vec<Level> {
    let mut node_of = vec![ALONE; finest.areas().len()];
    points.iter().zip(0..).for_each(|(&point, node)| node_of[point as usize] = node);
    let mut graph = Graph::of(points.len(), |node| {
        let point = points[node] as usize;
        let edges = finest.edges(point).iter().filter(|(_, conducts)| *conducts > 0.0);
        let edges = edges.map(|&(other, conducts)| (node_of[other as usize], conducts));
        (finest.areas()[point], edges.collect())
    });
    let mut levels = Vec::new();
    loop {
        let joined = (0..graph.areas().len()).filter(|&node| !graph.edges(node).is_empty()).count();
        let together = (joined > FEW).then(|| together(&graph));
        let Some(together) = together.filter(|new| new.count() * 3 <= joined * 2) else {
            levels.push(Level::of(&graph, None));
            return levels;
        };
        let coarser = put_together(&graph, &together, joined);
        levels.push(Level::of(&graph, Some(together)));
        graph = coarser;
    }
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
    let whole = |node: usize| Some(of[node]).filter(|&own| own != ALONE).map(|own| own as usize);
    let (starts, members) = grouped(new as usize, count, whole);
    Together { of, starts, members }
}

/// The graph of nodes that were put together. Sums of what edges conduct are as if each new node were
/// of one heat up to its rim: by so much too stiff as it is wide. The root of that is taken back: with all of
/// it, what several levels add overshoots, and more steps are needed.
fn put_together(graph: &Graph, together: &Together, joined: usize) -> Graph {
    let count = together.count();
    let softer = (count as f32 / joined as f32).sqrt().sqrt();
    let node = |own: usize| {
        let members = together.members(own);
        let area: f32 = members.iter().map(|&member| graph.areas[member as usize]).sum();
        let edges = members.iter().flat_map(|&member| graph.edges(member as usize));
        let others = edges.map(|&(other, conducts)| (together.of[other as usize], conducts));
        let mut sums: Edges =
            others.filter(|(other, _)| *other != own as u32 && *other != ALONE).collect();
        sum_up(&mut sums);
        sums.iter_mut().for_each(|(_, sum)| *sum *= softer);
        (area, sums)
    };
    Graph::of(count, node)
}
