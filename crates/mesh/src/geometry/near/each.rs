//! What is nearest to each of many points.
//!
//! Many points are taken along the curve, as many at a time as the vector unit has lanes: those near each
//! other meet the same boxes and the same triangles. What is found for a point does not hang on which
//! others come with it: of triangles that are equally near it is the first, and no product is rounded in
//! one go with a sum, so that every machine finds the same.

use glam::{Vec3, Vec3A};
use pulp::{Arch, Simd, WithSimd};
use rayon::prelude::*;
use smallvec::SmallVec;

use super::{Flat, LEAF, Near, NearTree, Node, SLACK};
use crate::{
    geometry::{
        bvh::tree::nearest_on_triangle,
        lanes::{Lanes, MOST_LANES, any, minus, splat},
    },
    morton::{along_a_curve, in_place},
};

/// How many points are looked for in a row.
const RUN: usize = 1024;

/// By which share something is nearer than a distance to be so however it is rounded.
const SURELY: f32 = 1e-4;

/// No slot.
const NONE: u32 = u32::MAX;

impl NearTree {
    /// What is nearest to each of some points; `None` where there is nothing, or a point is nowhere.
    #[must_use]
    pub fn nearest_to_each(&self, points: &[Vec3]) -> Vec<Option<Near>> {
        self.looked_for(points, f32::INFINITY, 0.0)
    }

    /// How much room there is about each of some points: how far off the nearest is, but neither less than one
    /// distance nor more than another. Nothing is looked for once something is nearer than that, nor beyond.
    #[must_use]
    pub fn room_about_each(&self, points: &[Vec3], [least, most]: [f32; 2]) -> Vec<f32> {
        let found = self.looked_for(points, most, least * (1.0 - SURELY)).into_par_iter();
        found.map(|near| near.map_or(most, |(.., far)| far.clamp(least, most))).collect()
    }

    /// What is nearest to each of some points within a distance, or anything that is near enough.
    fn looked_for(&self, points: &[Vec3], within: f32, enough: f32) -> Vec<Option<Near>> {
        if self.nodes.is_empty() {
            return vec![None; points.len()];
        }
        let order = along_a_curve(points);
        let arch = Arch::new();
        let [within, enough] =
            [within, enough].map(|far| (far * self.space.scale).powi(2).min(f32::MAX));
        let run = |run| arch.dispatch(Run { tree: self, points, run, within, enough });
        let found = order.par_chunks(RUN).map(run).collect();
        in_place(&order, found, None)
    }

    /// The square of a distance within which something is near a point, in the tree's space: how far
    /// some triangles are that lie near it along the curve.
    #[inline(always)]
    fn bound(&self, point: Vec3, inside: Vec3) -> f32 {
        let at = self.curve.at(point);
        let leaf = self.leaves.partition_point(|&first| first <= at).saturating_sub(1);
        let first = leaf * LEAF;
        let mut least = f32::MAX;
        for triangle in &self.triangles[first..self.triangles.len().min(first + LEAF)] {
            let square = Vec3::from_array(triangle.v0).distance_squared(inside);
            least = if square < least { square } else { least };
        }
        (least * SLACK).min(f32::MAX)
    }

    /// The slots of the triangles nearest to each lane, of those within a distance; of those that have one that is
    /// near enough, any of these. Both by their squares.
    #[inline(always)]
    fn slots<S: Simd>(&self, simd: S, points: &Lanes<S>, within: S::f32s, enough: f32) -> S::u32s {
        let (enough, done) = (simd.splat_f32s(enough), simd.splat_f32s(-1.0));
        let none = simd.splat_u32s(NONE);
        let mut best = Best { square: within, slot: none, limit: within };
        let mut stack: SmallVec<[u32; 64]> = SmallVec::new();
        let mut at = 0_u32;
        loop {
            let node = &self.nodes[at as usize];
            let mut next = None;
            if node.count > 0 {
                for slot in node.first..node.first + node.count {
                    best = nearer(simd, points, &self.triangles[slot as usize], slot, best);
                }
                let is_found = simd.less_than_u32s(best.slot, none);
                let is_enough = simd.and_m32s(is_found, simd.less_than_f32s(best.square, enough));
                best.limit = simd.select_f32s(is_enough, done, best.limit);
            } else {
                let (a, b) = (node.first, node.first + 1);
                let to_a = away(simd, points, &self.nodes[a as usize]);
                let to_b = away(simd, points, &self.nodes[b as usize]);
                let meets_a = any(simd, simd.less_than_or_equal_f32s(to_a, best.limit));
                let meets_b = any(simd, simd.less_than_or_equal_f32s(to_b, best.limit));
                next = match (meets_a, meets_b) {
                    (true, true) => {
                        let is_first = simd.reduce_sum_f32s(to_a) <= simd.reduce_sum_f32s(to_b);
                        let (near, far) = if is_first { (a, b) } else { (b, a) };
                        stack.push(far);
                        Some(near)
                    }
                    (true, false) => Some(a),
                    (false, true) => Some(b),
                    (false, false) => None,
                };
            }
            while next.is_none() {
                let Some(last) = stack.pop() else { return best.slot };
                // Something nearer may have been found meanwhile.
                let away = away(simd, points, &self.nodes[last as usize]);
                if any(simd, simd.less_than_or_equal_f32s(away, best.limit)) {
                    next = Some(last);
                }
            }
            at = next.unwrap_or_default();
        }
    }
}

/// Some points in a row.
struct Run<'a> {
    tree: &'a NearTree,
    points: &'a [Vec3],
    run: &'a [u32],
    /// The squares of how far off something may be, and of what is near enough, in the tree's space.
    within: f32,
    enough: f32,
}

impl WithSimd for Run<'_> {
    type Output = Vec<Option<Near>>;

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) -> Self::Output {
        let Self { tree, points, run, within, enough } = self;
        let mut all = Vec::with_capacity(run.len());
        for group in run.chunks(S::F32_LANES) {
            let mut columns = [[0.0_f32; MOST_LANES]; 4];
            for lane in 0..S::F32_LANES {
                // What is left over does as the last one.
                let point = points[group[lane.min(group.len() - 1)] as usize];
                let at = tree.space.inside(point);
                (columns[0][lane], columns[1][lane], columns[2][lane]) = (at.x, at.y, at.z);
                columns[3][lane] = tree.bound(point, at).min(within);
            }
            let x = simd.partial_load_f32s(&columns[0][..S::F32_LANES]);
            let y = simd.partial_load_f32s(&columns[1][..S::F32_LANES]);
            let z = simd.partial_load_f32s(&columns[2][..S::F32_LANES]);
            let bounds = simd.partial_load_f32s(&columns[3][..S::F32_LANES]);
            let found = tree.slots(simd, &[x, y, z], bounds, enough);
            let mut slots = [NONE; MOST_LANES];
            simd.partial_store_u32s(&mut slots[..S::F32_LANES], found);
            for (lane, &index) in group.iter().enumerate() {
                let Some(triangle) = tree.triangles.get(slots[lane] as usize) else {
                    all.push(None);
                    continue;
                };
                let at = Vec3A::new(columns[0][lane], columns[1][lane], columns[2][lane]);
                let nearest = nearest_on_triangle(at, &triangle.triangle());
                all.push(Some(tree.near(points[index as usize], slots[lane] as usize, nearest)));
            }
        }
        all
    }
}

/// What was found for each lane.
#[derive(Clone, Copy)]
struct Best<S: Simd> {
    /// The square of how far it is away.
    square: S::f32s,
    slot: S::u32s,
    /// The square of how far away something may be to be looked at.
    limit: S::f32s,
}

/// The squares of how far the lanes are from a box.
#[inline(always)]
fn away<S: Simd>(simd: S, points: &Lanes<S>, node: &Node) -> S::f32s {
    let zero = simd.splat_f32s(0.0);
    let mut sum = zero;
    for (axis, &point) in points.iter().enumerate() {
        let below = simd.sub_f32s(simd.splat_f32s(node.min[axis]), point);
        let above = simd.sub_f32s(point, simd.splat_f32s(node.max[axis]));
        let outside = simd.max_f32s(simd.max_f32s(below, above), zero);
        sum = simd.add_f32s(sum, simd.mul_f32s(outside, outside));
    }
    sum
}

/// The better of what was found and a triangle: the nearest of a place on each of its edges and, where
/// that is on the triangle, the foot of the perpendicular.
#[inline(always)]
fn nearer<S: Simd>(
    simd: S,
    points: &Lanes<S>,
    triangle: &Flat,
    slot: u32,
    best: Best<S>,
) -> Best<S> {
    let [a, b] = [Vec3::from_array(triangle.e1), Vec3::from_array(triangle.e2)];
    let (c, a_a, b_b, a_b) = (b - a, a.dot(a), b.dot(b), a.dot(b));
    let from = minus(simd, points, &splat(simd, triangle.v0));
    let (edge_a, edge_b) = (splat(simd, triangle.e1), splat(simd, triangle.e2));
    let edge_c = splat(simd, c.to_array());
    let from_b = minus(simd, &from, &edge_a);
    let (along_a, along_b) = (dot(simd, &from, &edge_a), dot(simd, &from, &edge_b));
    let along_c = dot(simd, &from_b, &edge_c);

    let to_a = without(simd, &from, &edge_a, share(simd, along_a, a_a));
    let to_b = without(simd, &from, &edge_b, share(simd, along_b, b_b));
    let to_c = without(simd, &from_b, &edge_c, share(simd, along_c, c.dot(c)));
    let (to_a, to_b) = (dot(simd, &to_a, &to_a), dot(simd, &to_b, &to_b));
    let edges = simd.min_f32s(simd.min_f32s(to_a, to_b), dot(simd, &to_c, &to_c));

    // Without area it is infinite or no number, and no comparison holds.
    let inverse = simd.splat_f32s((a_a * b_b - a_b * a_b).recip());
    let (a_a, b_b, a_b) = (simd.splat_f32s(a_a), simd.splat_f32s(b_b), simd.splat_f32s(a_b));
    let u = simd.sub_f32s(simd.mul_f32s(b_b, along_a), simd.mul_f32s(a_b, along_b));
    let v = simd.sub_f32s(simd.mul_f32s(a_a, along_b), simd.mul_f32s(a_b, along_a));
    let (u, v) = (simd.mul_f32s(u, inverse), simd.mul_f32s(v, inverse));
    let (zero, one) = (simd.splat_f32s(0.0), simd.splat_f32s(1.0));
    let is_after = simd.and_m32s(
        simd.greater_than_or_equal_f32s(u, zero),
        simd.greater_than_or_equal_f32s(v, zero),
    );
    let is_before = simd.less_than_or_equal_f32s(simd.add_f32s(u, v), one);
    let to_foot = without(simd, &from, &edge_a, u);
    let to_foot = without(simd, &to_foot, &edge_b, v);
    let foot = simd.min_f32s(dot(simd, &to_foot, &to_foot), edges);
    let square = simd.select_f32s(simd.and_m32s(is_after, is_before), foot, edges);

    let slots = simd.splat_u32s(slot);
    let is_nearer = simd.less_than_f32s(square, best.square);
    let is_as_near = simd.less_than_or_equal_f32s(square, best.square);
    let comes_first = simd.less_than_u32s(slots, best.slot);
    let is_better = simd.or_m32s(is_nearer, simd.and_m32s(is_as_near, comes_first));
    let square = simd.select_f32s(is_better, square, best.square);
    Best {
        square,
        slot: simd.select_u32s(is_better, slots, best.slot),
        limit: simd.mul_f32s(square, simd.splat_f32s(SLACK)),
    }
}

/// How far along an edge the place nearest to the lanes is, 0–1; an edge without length is a point.
#[inline(always)]
fn share<S: Simd>(simd: S, along: S::f32s, square: f32) -> S::f32s {
    let inverse = if square > 0.0 { square.recip().min(f32::MAX) } else { 0.0 };
    let share = simd.mul_f32s(along, simd.splat_f32s(inverse));
    simd.min_f32s(simd.max_f32s(share, simd.splat_f32s(0.0)), simd.splat_f32s(1.0))
}

/// What is left of a way without a share of an edge.
#[inline(always)]
fn without<S: Simd>(simd: S, way: &Lanes<S>, edge: &Lanes<S>, share: S::f32s) -> Lanes<S> {
    let x = simd.mul_f32s(edge[0], share);
    let y = simd.mul_f32s(edge[1], share);
    let z = simd.mul_f32s(edge[2], share);
    minus(simd, way, &[x, y, z])
}

/// The dot products of the lanes, rounded at each step.
#[inline(always)]
fn dot<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> S::f32s {
    let (x, y) = (simd.mul_f32s(a[0], b[0]), simd.mul_f32s(a[1], b[1]));
    simd.add_f32s(simd.add_f32s(x, y), simd.mul_f32s(a[2], b[2]))
}
