//! Trees of sixteen boxes to a node and sixteen triangles to a leaf, all of them looked at side by side for one
//! ray or point at a time (Wald, Benthin and Boulos, Getting Rid of Packets, 2008). Rays that begin near each other and go
//! about the same way part soon: of sixteen that are followed together, hardly four meet the same box, and
//! between one and two the same triangle, whereas here every lane has work.

use obvhs::{bvh2::Bvh2, triangle::Triangle};
use rayon::prelude::*;

use super::lanes::MOST_LANES;

/// How many boxes a node has, and how many triangles a leaf.
const WIDTH: usize = MOST_LANES;

/// Numbers, one to each box or triangle.
type Row = [f32; WIDTH];

/// Up to sixteen boxes.
#[derive(Clone)]
#[repr(C, align(64))]
pub(super) struct Node {
    /// The least and the largest coordinates on each axis; what is no box holds nothing.
    pub(super) ends: [[Row; 3]; 2],
    /// The node or leaf behind each.
    pub(super) behind: [u32; WIDTH],
    /// A bit for each that a leaf is behind.
    pub(super) leaves: u32,
}

/// Up to sixteen triangles: a point of each and two edges from it. What is no triangle is a point.
#[derive(Clone)]
#[repr(C, align(64))]
pub(super) struct Leaf {
    pub(super) v0: [Row; 3],
    pub(super) e1: [Row; 3],
    pub(super) e2: [Row; 3],
}

/// A tree of them.
#[derive(Clone, Default)]
pub(super) struct WideTree {
    pub(super) nodes: Vec<Node>,
    pub(super) leaves: Vec<Leaf>,
}

const EMPTY: Node = Node {
    ends: [[[f32::INFINITY; WIDTH]; 3], [[f32::NEG_INFINITY; WIDTH]; 3]],
    behind: [0; WIDTH],
    leaves: 0,
};

impl WideTree {
    /// That with the boxes of a tree of pairs which has a triangle to a leaf.
    pub(super) fn of(pairs: &Bvh2, triangles: &[Triangle]) -> Self {
        if triangles.is_empty() {
            return Self::default();
        }
        let sizes = sizes(pairs);
        let mut nodes = vec![EMPTY];
        let mut members: Vec<[u32; WIDTH]> = Vec::new();
        let mut open = vec![(0_u32, 0)];
        while let Some((root, own)) = open.pop() {
            for (slot, pair) in opened(pairs, &sizes, root).into_iter().enumerate() {
                let bounds = &pairs.nodes[pair as usize].aabb;
                for axis in 0..3 {
                    nodes[own].ends[0][axis][slot] = bounds.min[axis];
                    nodes[own].ends[1][axis][slot] = bounds.max[axis];
                }
                if sizes[pair as usize] as usize <= WIDTH {
                    nodes[own].behind[slot] = members.len() as u32;
                    nodes[own].leaves |= 1 << slot;
                    members.push(members_of(pairs, pair));
                } else {
                    nodes[own].behind[slot] = nodes.len() as u32;
                    open.push((pair, nodes.len()));
                    nodes.push(EMPTY);
                }
            }
        }
        let leaves = members.par_iter().map(|members| Leaf::of(members, triangles)).collect();
        Self { nodes, leaves }
    }
}

/// No triangle.
const NONE: u32 = u32::MAX;

/// How many triangles lie below each node.
fn sizes(pairs: &Bvh2) -> Vec<u32> {
    let mut order = Vec::with_capacity(pairs.nodes.len());
    order.push(0_u32);
    let mut next = 0;
    while let Some(&node) = order.get(next) {
        let node = &pairs.nodes[node as usize];
        if !node.is_leaf() {
            order.extend([node.first_index, node.first_index + 1]);
        }
        next += 1;
    }
    let mut sizes = vec![0; pairs.nodes.len()];
    for &at in order.iter().rev() {
        let node = &pairs.nodes[at as usize];
        let below = node.first_index as usize;
        let inside = || sizes[below] + sizes[below + 1];
        sizes[at as usize] = if node.is_leaf() { node.prim_count } else { inside() };
    }
    sizes
}

/// The nodes below one that become the boxes of a wide one: the largest is opened as long as there is room.
fn opened(pairs: &Bvh2, sizes: &[u32], root: u32) -> Vec<u32> {
    let area = |at: u32| pairs.nodes[at as usize].aabb.half_area();
    let mut all = vec![root];
    while all.len() < WIDTH {
        let large = (0..all.len()).filter(|&slot| sizes[all[slot] as usize] as usize > WIDTH);
        let largest = large.max_by(|&a, &b| area(all[a]).total_cmp(&area(all[b])));
        let Some(slot) = largest else { break };
        let first = pairs.nodes[all[slot] as usize].first_index;
        all[slot] = first;
        all.push(first + 1);
    }
    all
}

/// The triangles below a node that has no more than a leaf takes.
fn members_of(pairs: &Bvh2, root: u32) -> [u32; WIDTH] {
    let mut all = [NONE; WIDTH];
    let (mut count, mut open) = (0, vec![root]);
    while let Some(at) = open.pop() {
        let node = &pairs.nodes[at as usize];
        let first = node.first_index;
        if !node.is_leaf() {
            open.extend([first + 1, first]);
            continue;
        }
        let own = first as usize..(first + node.prim_count) as usize;
        for &triangle in &pairs.primitive_indices[own] {
            all[count] = triangle;
            count += 1;
        }
    }
    all
}

impl Leaf {
    fn of(members: &[u32; WIDTH], triangles: &[Triangle]) -> Self {
        let none = [[0.0; WIDTH]; 3];
        let mut leaf = Self { v0: none, e1: none, e2: none };
        let members = members.iter().take_while(|&&member| member != NONE);
        for (slot, &member) in members.enumerate() {
            let Triangle { v0, v1, v2 } = triangles[member as usize];
            let (e1, e2) = (v1 - v0, v2 - v0);
            for axis in 0..3 {
                leaf.v0[axis][slot] = v0[axis];
                leaf.e1[axis][slot] = e1[axis];
                leaf.e2[axis][slot] = e2[axis];
            }
        }
        leaf
    }
}
