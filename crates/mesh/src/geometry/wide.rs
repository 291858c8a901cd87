//! Trees of sixteen boxes to a node and sixteen triangles to a leaf, all of them looked at side by side for one
//! ray or point at a time (Wald, Benthin and Boulos, Getting Rid of Packets, 2008). Rays that begin near each other and go
//! about the same way part soon: of sixteen that are followed together, hardly four meet the same box, and
//! between one and two the same triangle, whereas here every lane has work.

use glam::{Vec3, Vec3A};
use obvhs::triangle::Triangle;
use smallvec::{SmallVec, smallvec};

use super::lanes::MOST_LANES;

/// How many boxes a node has, and how many triangles a leaf.
pub(super) const WIDTH: usize = MOST_LANES;

/// Numbers, one to each box or triangle.
pub(super) type Row = [f32; WIDTH];

/// Up to sixteen boxes.
#[derive(Clone)]
#[repr(C, align(64))]
pub(super) struct Node {
    /// The least and the largest coordinates on each axis; what is no box holds nothing.
    pub(super) ends: [[Row; 3]; 2],
    /// The node or leaf behind each.
    pub(super) behind: [u32; WIDTH],
    /// A bit for each that a leaf is behind, and for each that a node is. What is no box has neither.
    pub(super) leaves: u32,
    pub(super) inner: u32,
}

/// Up to sixteen triangles: a point of each and two edges from it. What is no triangle is a point of the first one.
#[derive(Clone)]
#[repr(C, align(64))]
pub(super) struct Leaf {
    pub(super) v0: [Row; 3],
    pub(super) e1: [Row; 3],
    pub(super) e2: [Row; 3],
}

const EMPTY: Node = Node {
    ends: [[[f32::INFINITY; WIDTH]; 3], [[f32::NEG_INFINITY; WIDTH]; 3]],
    behind: [0; WIDTH],
    leaves: 0,
    inner: 0,
};

/// A tree of pairs of boxes, which a wide one is made of. Nodes are numbered, the root is 0.
pub(super) trait Pairs {
    /// The least and the largest coordinates.
    fn ends(&self, node: u32) -> [Vec3; 2];
    /// The first of the two below a node, the other comes after it; none where a leaf takes all that lies there.
    fn below(&self, node: u32) -> Option<u32>;
    /// The number of the leaf that takes it.
    fn leaf(&mut self, node: u32) -> u32;
}

/// The nodes of a wide tree with the boxes of one of pairs.
pub(super) fn nodes_of(pairs: &mut impl Pairs) -> Vec<Node> {
    let mut nodes = vec![EMPTY];
    let mut open = vec![(0_u32, 0)];
    while let Some((root, own)) = open.pop() {
        for (slot, pair) in opened(pairs, root).into_iter().enumerate() {
            let [min, max] = pairs.ends(pair);
            for axis in 0..3 {
                nodes[own].ends[0][axis][slot] = min[axis];
                nodes[own].ends[1][axis][slot] = max[axis];
            }
            if pairs.below(pair).is_none() {
                nodes[own].behind[slot] = pairs.leaf(pair);
                nodes[own].leaves |= 1 << slot;
            } else {
                nodes[own].behind[slot] = nodes.len() as u32;
                nodes[own].inner |= 1 << slot;
                open.push((pair, nodes.len()));
                nodes.push(EMPTY);
            }
        }
    }
    nodes
}

/// The nodes below one that become the boxes of a wide one: the largest is opened as long as there is room.
fn opened(pairs: &impl Pairs, root: u32) -> SmallVec<[u32; WIDTH]> {
    let area = |node: u32| {
        let [min, max] = pairs.ends(node);
        let Vec3 { x, y, z } = max - min;
        x * y + y * z + z * x
    };
    let mut all: SmallVec<[u32; WIDTH]> = smallvec![root];
    let mut areas: SmallVec<[f32; WIDTH]> = smallvec![area(root)];
    while all.len() < WIDTH {
        let open = (0..all.len()).filter_map(|slot| Some((slot, pairs.below(all[slot])?)));
        let largest = open.max_by(|(a, _), (b, _)| areas[*a].total_cmp(&areas[*b]));
        let Some((slot, first)) = largest else { break };
        (all[slot], areas[slot]) = (first, area(first));
        all.push(first + 1);
        areas.push(area(first + 1));
    }
    all
}

impl Leaf {
    /// That of some triangles, no more than a leaf takes.
    pub(super) fn of(triangles: impl Iterator<Item = Triangle>) -> Self {
        let none = [[0.0; WIDTH]; 3];
        let mut triangles = triangles.peekable();
        let first = triangles.peek().map_or(Vec3A::ZERO, |triangle| triangle.v0);
        let v0 = first.to_array().map(|x| [x; WIDTH]);
        let mut leaf = Self { v0, e1: none, e2: none };
        for (slot, Triangle { v0, v1, v2 }) in triangles.take(WIDTH).enumerate() {
            let (e1, e2) = (v1 - v0, v2 - v0);
            for axis in 0..3 {
                leaf.v0[axis][slot] = v0[axis];
                leaf.e1[axis][slot] = e1[axis];
                leaf.e2[axis][slot] = e2[axis];
            }
        }
        leaf
    }

    /// Of points or edges, that of one triangle.
    #[inline(always)]
    pub(super) fn at(rows: &[Row; 3], slot: usize) -> [f32; 3] {
        [rows[0][slot], rows[1][slot], rows[2][slot]]
    }

    /// One of its triangles.
    #[inline]
    pub(super) fn triangle(&self, slot: usize) -> Triangle {
        let point = |rows| Vec3A::from_array(Self::at(rows, slot));
        let v0 = point(&self.v0);
        Triangle { v0, v1: v0 + point(&self.e1), v2: v0 + point(&self.e2) }
    }
}
