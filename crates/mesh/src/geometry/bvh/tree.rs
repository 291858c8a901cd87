//! One tree over some triangles.

use glam::{UVec2, Vec3A};
use obvhs::{
    BvhBuildParams,
    aabb::Aabb,
    bvh2::{Bvh2, reinsertion::ReinsertionOptimizer},
    cwbvh::{CwBvh, bvh2_to_cwbvh::bvh2_to_cwbvh},
    ploc::PlocBuilder,
    ray::Ray,
    triangle::Triangle,
};
use rayon::prelude::*;
use smallvec::{SmallVec, smallvec};
use std::ops::ControlFlow;

use super::GONE;

#[derive(Clone)]
pub(super) struct Tree {
    /// Eight boxes to a node, their sides in steps of a 255th of the node's (Ylitie, Karras and
    /// Laine 2017).
    pub(super) nodes: CwBvh,
    /// In the order the tree meets them, and its scale.
    pub(super) triangles: Vec<Triangle>,
    /// The face of each of `triangles`, or [`GONE`].
    pub(super) faces: Vec<u32>,
    /// The number of each of `triangles`.
    pub(super) numbers: Vec<u32>,
    /// How many of them are there.
    pub(super) alive: usize,
}

/// The most a box is widened, as a share of its size: see [`widened`].
pub(super) const WIDENING: f32 = 1e-3;

/// A box smaller than this in the tree is as good as a point: it is made wider by up to 1.
pub(super) const TINY: f32 = 0.01;

/// Boxes of this mean surface, as a share of that of all of them, are a crowd: see [`are_a_crowd`].
const CROWDED: f64 = 0.02;

/// Fewer boxes are put in better places in no time, however crowded they are.
const LARGE_CROWD: usize = 2_000;

/// The most triangles in a leaf: the tree's format has room for three.
pub(super) const LEAF: u32 = 3;

/// The diagonal of the scene in the tree, about: rays leave out their first 0.0001 there, which
/// must be next to nothing.
pub(super) const DIAGONAL: f32 = 16_384.0;

/// The box of a triangle, a little wider than needed, and each by another amount. The builder
/// joins nearest neighbours; among many equal boxes none would be nearest, and the tree would be
/// a chain as long as their number.
pub(super) fn widened(triangle: &Triangle, index: usize) -> Aabb {
    let (low, high) = (
        triangle.v0.min(triangle.v1).min(triangle.v2),
        triangle.v0.max(triangle.v1).max(triangle.v2),
    );
    // Multiplicative hashing (Knuth, The Art of Computer Programming 3, 6.4).
    let share = (index as u32).wrapping_mul(2_654_435_769) as f32 / u32::MAX as f32;
    let size = high - low;
    let mut more = size * (share * WIDENING);
    if size.max_element() < TINY {
        // A share of nothing is nothing, and next to large numbers a little is nothing either.
        more += Vec3A::splat(share * high.abs().max(low.abs()).max_element().mul_add(1e-4, 1.0));
    }
    Aabb::new(low - more, high + more)
}

impl Tree {
    pub(super) fn new(
        triangles: &[Triangle],
        numbers: &[u32],
        settings: &BvhBuildParams,
        face_of: impl Fn(usize) -> u32,
    ) -> Self {
        let nodes = tree_over(triangles, settings);
        let order = &nodes.primitive_indices;
        Self {
            triangles: order.iter().map(|&t| triangles[t as usize]).collect(),
            faces: order.iter().map(|&t| face_of(t as usize)).collect(),
            numbers: order.iter().map(|&t| numbers[t as usize]).collect(),
            alive: triangles.len(),
            nodes,
        }
    }

    /// Nothing stands in a slot any more.
    #[inline]
    pub(super) fn let_go(&mut self, slot: u32) {
        self.faces[slot as usize] = GONE;
        self.alive -= 1;
    }

    /// Whether a triangle lies within the box of what stood in a slot last.
    #[inline]
    pub(super) fn takes(&self, slot: u32, triangle: &Triangle) -> bool {
        let bounds = |t: &Triangle| [t.v0.min(t.v1).min(t.v2), t.v0.max(t.v1).max(t.v2)];
        let ([low, high], [min, max]) = (bounds(&self.triangles[slot as usize]), bounds(triangle));
        low.cmple(min).all() && high.cmpge(max).all()
    }

    #[inline]
    pub(super) fn put(&mut self, slot: u32, triangle: Triangle, number: u32, face: u32) {
        let slot = slot as usize;
        (self.triangles[slot], self.numbers[slot], self.faces[slot]) = (triangle, number, face);
        self.alive += 1;
    }

    /// Visits the triangles (by slot) in boxes that may count.
    #[inline]
    pub(super) fn visit_where(&self, may: impl Fn(&Aabb) -> bool, mut visit: impl FnMut(usize)) {
        let mut open: SmallVec<[u32; 64]> = smallvec![0];
        while let Some(index) = open.pop() {
            let Some(node) = self.nodes.nodes.get(index as usize) else { continue };
            for child in (0..8).filter(|&child| !node.is_child_empty(child)) {
                if !may(&node.child_aabb(child)) {
                    continue;
                }
                if !node.is_leaf(child) {
                    open.push(node.child_node_index(child));
                    continue;
                }
                let (first, count) = node.child_primitives(child);
                (first as usize..(first + count) as usize).for_each(&mut visit);
            }
        }
    }

    /// Visits the triangles (by slot) whose boxes a ray meets, nearer boxes first on the whole, until
    /// told to stop. `visit` may shorten the ray.
    #[inline]
    pub(super) fn traverse(
        &self,
        ray: &mut Ray,
        mut visit: impl FnMut(&mut Ray, usize) -> ControlFlow<()>,
    ) -> ControlFlow<()> {
        if self.nodes.nodes.is_empty() {
            return ControlFlow::Continue(());
        }
        // The octant decides the order in which the children of a node come.
        let octant = self.nodes.new_traversal(ray.direction).oct_inv4;
        // A group: where the children of a node start; which were met, in the high byte, and which
        // are nodes, in the low one.
        let mut open: SmallVec<[UVec2; 24]> = smallvec![UVec2::new(0, 0x8000_0000)];
        while let Some(group) = open.last_mut() {
            let bit = 31 - group.y.leading_zeros();
            group.y &= !(1 << bit);
            let slot = (bit - 24) ^ (octant & 0xff);
            let before = (group.y & !(u32::MAX << slot) & 0xff).count_ones();
            let index = group.x + before;
            if group.y & 0xff00_0000 == 0 {
                open.pop();
            }
            let node = &self.nodes.nodes[index as usize];
            let met = node.intersect_ray(ray, octant);
            let mut leaves = met & 0x00ff_ffff;
            while leaves != 0 {
                let bit = 31 - leaves.leading_zeros();
                leaves &= !(1 << bit);
                let slot = (node.primitive_base_idx + bit) as usize;
                if self.faces[slot] != GONE {
                    visit(ray, slot)?;
                }
            }
            if met & 0xff00_0000 != 0 {
                open.push(UVec2::new(
                    node.child_base_idx,
                    met & 0xff00_0000 | u32::from(node.imask),
                ));
            }
        }
        ControlFlow::Continue(())
    }
}

/// A tree of pairs of boxes, which those for rays are made from.
pub(in crate::geometry) fn binary_tree(triangles: &[Triangle], settings: &BvhBuildParams) -> Bvh2 {
    let boxes: Vec<Aabb> = triangles.par_iter().enumerate().map(|(i, t)| widened(t, i)).collect();
    let joined = |boxes: &[Aabb]| {
        PlocBuilder::with_capacity(boxes.len()).build(
            settings.ploc_search_distance,
            boxes,
            (0..boxes.len() as u32).collect(),
            settings.sort_precision,
            settings.search_depth_threshold,
        )
    };
    if are_a_crowd(&boxes) {
        // Joined by where their middles lie, and given their true boxes after.
        let middle = |(i, b): (usize, &Aabb)| {
            let v0 = (b.min + b.max) * 0.5;
            widened(&Triangle { v0, v1: v0, v2: v0 }, i)
        };
        let mut tree = joined(&boxes.par_iter().enumerate().map(middle).collect::<Vec<_>>());
        for node in tree.nodes.iter_mut().filter(|node| node.is_leaf()) {
            node.set_aabb(boxes[tree.primitive_indices[node.first_index as usize] as usize]);
        }
        tree.refit_all();
        return tree;
    }
    let mut tree = joined(&boxes);
    ReinsertionOptimizer::default().run(&mut tree, settings.reinsertion_batch_ratio, None);
    tree
}

/// Whether boxes are on the whole so large that most of them meet whatever meets any, as those of
/// faces around one long edge do. The builder joins the box whose union with another is smallest,
/// which among boxes within boxes is one pair at a time, and looks through all of a tree for better
/// places: both take quadratic time, and part nothing.
fn are_a_crowd(boxes: &[Aabb]) -> bool {
    let all = boxes.iter().fold(Aabb::empty(), |all, b| all.union(b));
    let sum: f64 = boxes.iter().map(|b| f64::from(b.half_area())).sum();
    boxes.len() > LARGE_CROWD && sum > CROWDED * boxes.len() as f64 * f64::from(all.half_area())
}

#[inline]
pub(super) fn tree_over(triangles: &[Triangle], settings: &BvhBuildParams) -> CwBvh {
    if triangles.is_empty() {
        return CwBvh::default();
    }
    let binary = binary_tree(triangles, settings);
    bvh2_to_cwbvh(&binary, LEAF, true, false)
}

/// How far past its edges a triangle is still met, in barycentric coordinates: rays that run
/// exactly through an edge, as symmetric models have them, must not slip between two triangles.
pub(super) const EDGE_TOLERANCE: f32 = 1e-5;

/// Distance along the ray to the triangle, infinite for a miss (Möller and Trumbore 1997).
pub(super) fn meet(triangle: &Triangle, ray: &Ray) -> f32 {
    let (e1, e2) = (triangle.v1 - triangle.v0, triangle.v2 - triangle.v0);
    let p = ray.direction.cross(e2);
    let inverse = 1.0 / e1.dot(p);
    let from = ray.origin - triangle.v0;
    let u = from.dot(p) * inverse;
    let q = from.cross(e1);
    let v = ray.direction.dot(q) * inverse;
    let t = e2.dot(q) * inverse;
    // A triangle without area gives NaN or infinity, and no comparison holds.
    let inside = u >= -EDGE_TOLERANCE && v >= -EDGE_TOLERANCE && u + v <= 1.0 + EDGE_TOLERANCE;
    if inside && t >= ray.tmin && t <= ray.tmax { t } else { f32::INFINITY }
}

/// A triangle of less area than this share of what its sides allow is looked at as its sides.
const FLAT: f32 = 1e-10;

/// The point of a triangle nearest to `p` (Ericson, Real-Time Collision Detection, 5.1.5).
#[inline]
pub(in crate::geometry) fn nearest_on_triangle(p: Vec3A, triangle: &Triangle) -> Vec3A {
    let (a, b, c) = (triangle.v0, triangle.v1, triangle.v2);
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    // Sides without length have no places between their ends.
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 && d1 > d3 {
        return a + ab * (d1 / (d1 - d3));
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 && d2 > d6 {
        return a + ac * (d2 / (d2 - d6));
    }
    let va = d3 * d6 - d5 * d4;
    let (from_b, from_c) = (d4 - d3, d5 - d6);
    if va <= 0.0 && from_b >= 0.0 && from_c >= 0.0 && from_b + from_c > 0.0 {
        return b + (c - b) * (from_b / (from_b + from_c));
    }
    let total = va + vb + vc;
    if total > FLAT * ab.length_squared() * ac.length_squared() {
        return a + ab * (vb / total) + ac * (vc / total);
    }
    // Rounding alone tells where it lies.
    let on = |from: Vec3A, side: Vec3A| {
        let square = side.length_squared();
        let share = if square > 0.0 { (side.dot(p - from) / square).clamp(0.0, 1.0) } else { 0.0 };
        from + side * share
    };
    let sides = [on(a, ab), on(a, ac), on(b, c - b)];
    let far = |on: &Vec3A| on.distance_squared(p);
    sides.into_iter().min_by(|one, other| far(one).total_cmp(&far(other))).unwrap_or(a)
}
