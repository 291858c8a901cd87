//! What is nearest to each of many points, or to one.
//!
//! Many points are taken along the curve, so that what one meets lies at hand for the next. What is found for a
//! point does not hang on which others come with it, nor on the vector unit: of triangles that are equally
//! near it is the first, and no product is rounded in one go with a sum, so that every machine finds the same.

use glam::Vec3;
use pulp::{Arch, Simd, WithSimd};
use rayon::prelude::*;

use super::{
    Near, NearTree, SLACK,
    squares::{bound, dot, ends_of, row, square_between, within_reach},
};
use crate::{
    geometry::{
        bvh::tree::nearest_on_triangle,
        lanes::{Lanes, bits, load, minus, splat},
        wide::{Leaf, Row, WIDTH},
    },
    morton::{along_a_curve, in_place},
};

/// How many points are looked for in a row.
const RUN: usize = 1024;

/// By which share something is nearer than a distance to be so however it is rounded.
const SURELY: f32 = 1e-4;

/// More than is lost of a place where the ends of an edge are added up, in the tree's space.
const ROUNDING: f32 = 0.01;

/// How far apart points lie that are looked for together, as a share of how large a leaf is there, by the squares (that
/// took least time over scans of several densities).
const APART: f32 = 0.7;

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

    /// The triangle nearest to a point within a distance, of those that count.
    #[must_use]
    pub fn nearest(&self, point: Vec3, within: f32, counts: impl Fn(u32) -> bool) -> Option<Near> {
        let (at, within) = (self.space.inside(point), self.square(within));
        let look = Look { tree: self, at, within, enough: 0.0, counts };
        self.found(point, Arch::new().dispatch(look))
    }

    /// What is nearest to each of some points within a distance, or anything that is near enough.
    fn looked_for(&self, points: &[Vec3], within: f32, enough: f32) -> Vec<Option<Near>> {
        let order = along_a_curve(points);
        let arch = Arch::new();
        let [within, enough] = [within, enough].map(|far| self.square(far));
        let run = |run| arch.dispatch(Run { tree: self, points, run, within, enough });
        let found: Vec<_> = order.par_chunks(RUN).map(run).collect();
        in_place(&order, &found, None)
    }

    /// The square of a distance in the tree's space.
    fn square(&self, far: f32) -> f32 {
        (far * self.space.scale).powi(2).min(f32::MAX)
    }

    /// What was found about a point, by its slot.
    fn found(&self, point: Vec3, slot: u32) -> Option<Near> {
        let slot = slot as usize;
        let number = *self.numbers.get(slot)?;
        let triangle = self.leaves[slot / WIDTH].triangle(slot % WIDTH);
        let nearest = nearest_on_triangle(self.space.inside(point).into(), &triangle);
        let nearest = self.space.outside(nearest.into());
        Some((number, nearest, nearest.distance(point)))
    }

    /// The leaf that lies about where a point does along the curve.
    fn leaf_at(&self, point: Vec3) -> usize {
        let at = self.curve.at(point);
        self.beginnings.partition_point(|&first| first <= at).saturating_sub(1)
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
        let mut open = Open::with_capacity(64);
        if tree.nodes.is_empty() {
            return vec![None; run.len()];
        }
        for group in run.chunks(S::F32_LANES) {
            let group_of = Group::of(simd, tree, points, group);
            let slots = match group_of.is_dense(simd) {
                true => group_of.together(simd, [within, enough], &mut open),
                false => group_of.one_by_one(simd, [within, enough], &mut open),
            };
            for (lane, &index) in group.iter().enumerate() {
                all.push(tree.found(points[index as usize], slots[lane]));
            }
        }
        all
    }
}

/// Nodes that are still to be looked at, and the squares of how far they are.
type Open = Vec<(u32, f32)>;

/// Some points that lie near each other on the whole, one to a lane; all in the tree's space.
struct Group<'a, S: Simd> {
    tree: &'a NearTree,
    /// As the mesh has them; what is left over does as the last one.
    places: [Vec3; WIDTH],
    points: Lanes<S>,
    /// The ends of the box about them, and the square of how large that is.
    ends: [Lanes<S>; 2],
    diagonal: f32,
    /// Whether none of them is nowhere.
    are_somewhere: bool,
    /// The leaf that lies about there along the curve.
    leaf: &'a Leaf,
}

impl<'a, S: Simd> Group<'a, S> {
    #[inline(always)]
    fn of(simd: S, tree: &'a NearTree, points: &[Vec3], group: &[u32]) -> Self {
        let mut places = [Vec3::ZERO; WIDTH];
        let mut columns = [[0.0; WIDTH]; 3];
        let (mut low, mut high, mut sum) = (Vec3::INFINITY, Vec3::NEG_INFINITY, Vec3::ZERO);
        for lane in 0..S::F32_LANES {
            places[lane] = points[group[lane.min(group.len() - 1)] as usize];
            let at = tree.space.inside(places[lane]);
            for (column, x) in columns.iter_mut().zip(at.to_array()) {
                column[lane] = x;
            }
            (low, high, sum) = (low.min(at), high.max(at), sum + at);
        }
        Self {
            tree,
            places,
            points: row::<S>(&columns, 0),
            ends: [splat(simd, low.to_array()), splat(simd, high.to_array())],
            diagonal: (high - low).length_squared(),
            // Ends are numbers where one point is none; the sum is not.
            are_somewhere: sum.is_finite(),
            leaf: &tree.leaves[tree.leaf_at(places[0])],
        }
    }

    /// Whether they lie no further apart than a leaf of these triangles is large, by a point of each: then they meet the
    /// same ones, and take less time together.
    #[inline(always)]
    fn is_dense(&self, simd: S) -> bool {
        let mut square = 0.0;
        for row in &self.leaf.v0 {
            let (mut low, mut high) = (f32::MAX, f32::MIN);
            let mut at = 0;
            while at < WIDTH {
                let lanes = load::<S>(row, at);
                low = low.min(simd.reduce_min_f32s(lanes));
                high = high.max(simd.reduce_max_f32s(lanes));
                at += S::F32_LANES;
            }
            square += (high - low) * (high - low);
        }
        self.are_somewhere && self.diagonal <= APART * square
    }

    /// The slots of what is nearest to each, or [`NONE`]; within a distance, or anything that is near enough (by their
    /// squares).
    #[inline(always)]
    fn one_by_one(&self, simd: S, [within, enough]: [f32; 2], open: &mut Open) -> [u32; WIDTH] {
        let tree = self.tree;
        let mut slots = [NONE; WIDTH];
        for (slot, &place) in slots.iter_mut().zip(&self.places).take(S::F32_LANES) {
            let at = tree.space.inside(place);
            let within = within.min(bound(simd, at, &tree.leaves[tree.leaf_at(place)]));
            *slot = Look { tree, at, within, enough, counts: |_| true }.slot(simd, open);
        }
        slots
    }

    /// The same for all of them at a time.
    #[inline(always)]
    fn together(&self, simd: S, [within, enough]: [f32; 2], open: &mut Open) -> [u32; WIDTH] {
        let tree = self.tree;
        let none = simd.splat_u32s(NONE);
        let (enough, done) = (simd.splat_f32s(enough), simd.splat_f32s(-1.0));
        let mut limit = simd.splat_f32s(f32::MAX);
        for slot in 0..WIDTH {
            let way = minus(simd, &splat(simd, Leaf::at(&self.leaf.v0, slot)), &self.points);
            limit = simd.min_f32s(dot(simd, &way, &way), limit);
        }
        let limit = simd.mul_f32s(limit, simd.splat_f32s(SLACK));
        let limit = simd.min_f32s(limit, simd.splat_f32s(within));
        let mut best = Bests { square: limit, slot: none, limit };
        let mut most = simd.reduce_max_f32s(limit);
        open.clear();
        open.push((0, 0.0));
        while let Some((next, square)) = open.pop() {
            if square > most {
                continue;
            }
            let node = &tree.nodes[next as usize];
            let mut squares = [0.0; WIDTH];
            let boxes = within_reach(simd, &self.ends, &node.ends, 0.0, most, &mut squares);
            let mut leaves = boxes & node.leaves;
            while leaves != 0 {
                let slot = nearest_of(leaves, &squares);
                leaves &= !(1 << slot);
                if squares[slot] <= most {
                    self.in_leaf(simd, node.behind[slot] as usize, most, &mut best);
                    let is_found = simd.less_than_u32s(best.slot, none);
                    let is_near = simd.less_than_f32s(best.square, enough);
                    let is_enough = simd.and_m32s(is_found, is_near);
                    best.limit = simd.select_f32s(is_enough, done, best.limit);
                    most = simd.reduce_max_f32s(best.limit);
                }
            }
            wait(boxes & node.inner, &node.behind, &squares, open);
        }
        let mut slots = [NONE; WIDTH];
        simd.partial_store_u32s(&mut slots[..S::F32_LANES], best.slot);
        slots
    }

    /// Looks at the triangles of a leaf that are near enough.
    #[inline(always)]
    fn in_leaf(&self, simd: S, leaf: usize, most: f32, best: &mut Bests<S>) {
        let first = leaf * WIDTH;
        let count = (self.tree.numbers.len() - first).min(WIDTH);
        let leaf = &self.tree.leaves[leaf];
        let mut squares = [0.0; WIDTH];
        let near =
            within_reach(simd, &self.ends, &ends_of(simd, leaf), ROUNDING, most, &mut squares);
        let mut left = near & ((1 << count) - 1);
        while left != 0 {
            let slot = left.trailing_zeros() as usize;
            left &= left - 1;
            let v0 = splat(simd, Leaf::at(&leaf.v0, slot));
            let (a, b) =
                (splat(simd, Leaf::at(&leaf.e1, slot)), splat(simd, Leaf::at(&leaf.e2, slot)));
            let square = square_between(simd, &self.points, &v0, &a, &b);
            let slots = simd.splat_u32s((first + slot) as u32);
            let is_nearer = simd.less_than_f32s(square, best.square);
            let is_as_near = simd.less_than_or_equal_f32s(square, best.square);
            let comes_first = simd.less_than_u32s(slots, best.slot);
            let is_better = simd.or_m32s(is_nearer, simd.and_m32s(is_as_near, comes_first));
            best.square = simd.select_f32s(is_better, square, best.square);
            best.slot = simd.select_u32s(is_better, slots, best.slot);
            let limit = simd.mul_f32s(square, simd.splat_f32s(SLACK));
            best.limit = simd.select_f32s(is_better, limit, best.limit);
        }
    }
}

/// What was found for each lane.
struct Bests<S: Simd> {
    /// The square of how far it is away.
    square: S::f32s,
    slot: S::u32s,
    /// The square of how far away something may be to be looked at.
    limit: S::f32s,
}

/// What is looked for about a point, all in the tree's space.
struct Look<'a, F> {
    tree: &'a NearTree,
    at: Vec3,
    /// The squares of how far off something may be, and of what is near enough to be taken at once.
    within: f32,
    enough: f32,
    /// Whether a triangle counts, by its number.
    counts: F,
}

/// What was found for a point.
struct Best {
    square: f32,
    slot: u32,
    limit: f32,
}

impl<F: Fn(u32) -> bool> WithSimd for Look<'_, F> {
    type Output = u32;

    #[inline(always)]
    fn with_simd<S: Simd>(self, simd: S) -> u32 {
        self.slot(simd, &mut Open::with_capacity(64))
    }
}

impl<F: Fn(u32) -> bool> Look<'_, F> {
    /// The slot of the nearest one, or [`NONE`].
    #[inline(always)]
    fn slot<S: Simd>(&self, simd: S, open: &mut Open) -> u32 {
        let Self { tree, within, enough, .. } = *self;
        if tree.nodes.is_empty() || !self.at.is_finite() {
            return NONE;
        }
        let point = splat(simd, self.at.to_array());
        let ends = [point, point];
        let mut best = Best { square: within, slot: NONE, limit: within };
        open.clear();
        open.push((0, 0.0));
        while let Some((next, square)) = open.pop() {
            // Something nearer may have been found meanwhile.
            if square > best.limit {
                continue;
            }
            let node = &tree.nodes[next as usize];
            let mut squares = [0.0; WIDTH];
            let boxes = within_reach(simd, &ends, &node.ends, 0.0, best.limit, &mut squares);
            let mut leaves = boxes & node.leaves;
            while leaves != 0 {
                let slot = nearest_of(leaves, &squares);
                leaves &= !(1 << slot);
                if squares[slot] <= best.limit {
                    self.in_leaf(simd, &point, node.behind[slot] as usize, &mut best);
                }
            }
            if best.slot != NONE && best.square < enough {
                break;
            }
            wait(boxes & node.inner, &node.behind, &squares, open);
        }
        best.slot
    }

    /// Looks at the triangles of a leaf.
    #[inline(always)]
    fn in_leaf<S: Simd>(&self, simd: S, point: &Lanes<S>, leaf: usize, best: &mut Best) {
        let tree = self.tree;
        let first = leaf * WIDTH;
        let count = (tree.numbers.len() - first).min(WIDTH);
        let leaf = &tree.leaves[leaf];
        let mut squares = [0.0; WIDTH];
        // Boxes of leaves overlap: of more than half of those that are met no triangle is near enough, which its own box
        // tells in a fraction of the time.
        let ends = ends_of(simd, leaf);
        let boxes =
            within_reach(simd, &[*point, *point], &ends, ROUNDING, best.limit, &mut squares);
        if boxes == 0 {
            return;
        }
        let mut near = 0;
        let mut at = 0;
        while at < WIDTH {
            let (v0, a, b) =
                (row::<S>(&leaf.v0, at), row::<S>(&leaf.e1, at), row::<S>(&leaf.e2, at));
            let square = square_between(simd, point, &v0, &a, &b);
            S::as_mut_simd_f32s(&mut squares).0[at / S::F32_LANES] = square;
            let is_near = simd.less_than_or_equal_f32s(square, simd.splat_f32s(best.square));
            near |= bits::<S>(is_near) << at;
            at += S::F32_LANES;
        }
        let mut left = near & ((1 << count) - 1);
        while left != 0 {
            let slot = left.trailing_zeros() as usize;
            left &= left - 1;
            let (square, own) = (squares[slot], (first + slot) as u32);
            let is_better = square < best.square || square <= best.square && own < best.slot;
            if is_better && (self.counts)(tree.numbers[own as usize]) {
                *best = Best { square, slot: own, limit: square * SLACK };
            }
        }
    }
}

/// Of those that have a bit, the one with the least number.
#[inline(always)]
fn nearest_of(mut those: u32, numbers: &Row) -> usize {
    let mut nearest = those.trailing_zeros() as usize;
    those &= those - 1;
    while those != 0 {
        let other = those.trailing_zeros() as usize;
        those &= those - 1;
        nearest = if numbers[other] < numbers[nearest] { other } else { nearest };
    }
    nearest
}

/// Lets those that have a bit wait, the furthest longest.
#[inline(always)]
fn wait(mut those: u32, behind: &[u32; WIDTH], squares: &Row, open: &mut Open) {
    let first = open.len();
    while those != 0 {
        let slot = those.trailing_zeros() as usize;
        those &= those - 1;
        open.push((behind[slot], squares[slot]));
        let mut place = open.len() - 1;
        while place > first && open[place - 1].1 < open[place].1 {
            open.swap(place - 1, place);
            place -= 1;
        }
    }
}
