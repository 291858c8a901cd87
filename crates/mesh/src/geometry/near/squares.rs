//! How far points are from boxes and triangles, by squares, lane by lane. No product is rounded in one go with a sum, so
//! that every machine finds the same.

use glam::Vec3;
use pulp::Simd;

use super::SLACK;
use crate::geometry::{
    lanes::{Lanes, bits, load, minus, splat},
    wide::{Leaf, Row, WIDTH},
};

/// The square of a distance within which something is near a point: how far the triangles of a leaf are, by a point of
/// each.
#[inline(always)]
pub(super) fn bound<S: Simd>(simd: S, at: Vec3, leaf: &Leaf) -> f32 {
    let point = splat(simd, at.to_array());
    let mut least = f32::MAX;
    let mut at = 0;
    while at < WIDTH {
        let way = minus(simd, &row::<S>(&leaf.v0, at), &point);
        least = least.min(simd.reduce_min_f32s(dot(simd, &way, &way)));
        at += S::F32_LANES;
    }
    least * SLACK
}

/// As many of the points or edges of a leaf as there are lanes, from one on.
#[inline(always)]
pub(super) fn row<S: Simd>([x, y, z]: &[Row; 3], at: usize) -> Lanes<S> {
    [load::<S>(x, at), load::<S>(y, at), load::<S>(z, at)]
}

/// A bit for each of some boxes that is no further than the root of a limit from another box (the same in every lane),
/// and the squares of how far they are. As much as `slack` further off is as near.
#[inline(always)]
pub(super) fn within_reach<S: Simd>(
    simd: S,
    [low, high]: &[Lanes<S>; 2],
    ends: &[[Row; 3]; 2],
    slack: f32,
    limit: f32,
    squares: &mut Row,
) -> u32 {
    let (zero, slack) = (simd.splat_f32s(0.0), simd.splat_f32s(slack));
    let mut all = 0;
    let mut at = 0;
    while at < WIDTH {
        let mut sum = zero;
        for axis in 0..3 {
            let below = simd.sub_f32s(load::<S>(&ends[0][axis], at), high[axis]);
            let above = simd.sub_f32s(low[axis], load::<S>(&ends[1][axis], at));
            let outside = simd.sub_f32s(simd.max_f32s(below, above), slack);
            let outside = simd.max_f32s(outside, zero);
            sum = simd.add_f32s(sum, simd.mul_f32s(outside, outside));
        }
        S::as_mut_simd_f32s(squares).0[at / S::F32_LANES] = sum;
        let is_near = simd.less_than_or_equal_f32s(sum, simd.splat_f32s(limit));
        all |= bits::<S>(is_near) << at;
        at += S::F32_LANES;
    }
    all
}

/// The ends of the boxes about the triangles of a leaf, to within rounding.
#[inline(always)]
pub(super) fn ends_of<S: Simd>(simd: S, leaf: &Leaf) -> [[Row; 3]; 2] {
    let zero = simd.splat_f32s(0.0);
    let [mut lows, mut highs] = [[[0.0; WIDTH]; 3]; 2];
    for (axis, (lows, highs)) in lows.iter_mut().zip(&mut highs).enumerate() {
        let mut at = 0;
        while at < WIDTH {
            let a = load::<S>(&leaf.e1[axis], at);
            let b = load::<S>(&leaf.e2[axis], at);
            let v0 = load::<S>(&leaf.v0[axis], at);
            let low = simd.add_f32s(v0, simd.min_f32s(simd.min_f32s(a, b), zero));
            let high = simd.add_f32s(v0, simd.max_f32s(simd.max_f32s(a, b), zero));
            S::as_mut_simd_f32s(lows).0[at / S::F32_LANES] = low;
            S::as_mut_simd_f32s(highs).0[at / S::F32_LANES] = high;
            at += S::F32_LANES;
        }
    }
    [lows, highs]
}

/// The squares of how far points are from triangles (a point of each and two edges from it): the nearest of a place on
/// each of its edges and, where that is on the triangle, the foot of the perpendicular.
#[inline(always)]
pub(super) fn square_between<S: Simd>(
    simd: S,
    point: &Lanes<S>,
    v0: &Lanes<S>,
    a: &Lanes<S>,
    b: &Lanes<S>,
) -> S::f32s {
    let (zero, one) = (simd.splat_f32s(0.0), simd.splat_f32s(1.0));
    let c = minus(simd, b, a);
    let (a_a, b_b, a_b) = (dot(simd, a, a), dot(simd, b, b), dot(simd, a, b));
    let from = minus(simd, point, v0);
    let from_b = minus(simd, &from, a);
    let (along_a, along_b) = (dot(simd, &from, a), dot(simd, &from, b));
    let along_c = dot(simd, &from_b, &c);

    let to_a = without(simd, &from, a, share(simd, along_a, a_a));
    let to_b = without(simd, &from, b, share(simd, along_b, b_b));
    let to_c = without(simd, &from_b, &c, share(simd, along_c, dot(simd, &c, &c)));
    let (to_a, to_b) = (dot(simd, &to_a, &to_a), dot(simd, &to_b, &to_b));
    let edges = simd.min_f32s(simd.min_f32s(to_a, to_b), dot(simd, &to_c, &to_c));

    // Without area it is infinite or no number, and no comparison holds.
    let area = simd.sub_f32s(simd.mul_f32s(a_a, b_b), simd.mul_f32s(a_b, a_b));
    let inverse = simd.div_f32s(one, area);
    let u = simd.sub_f32s(simd.mul_f32s(b_b, along_a), simd.mul_f32s(a_b, along_b));
    let v = simd.sub_f32s(simd.mul_f32s(a_a, along_b), simd.mul_f32s(a_b, along_a));
    let (u, v) = (simd.mul_f32s(u, inverse), simd.mul_f32s(v, inverse));
    let is_after = simd.and_m32s(
        simd.greater_than_or_equal_f32s(u, zero),
        simd.greater_than_or_equal_f32s(v, zero),
    );
    let is_before = simd.less_than_or_equal_f32s(simd.add_f32s(u, v), one);
    let to_foot = without(simd, &from, a, u);
    let to_foot = without(simd, &to_foot, b, v);
    let foot = simd.min_f32s(dot(simd, &to_foot, &to_foot), edges);
    simd.select_f32s(simd.and_m32s(is_after, is_before), foot, edges)
}

/// How far along edges the nearest place is, 0–1, by how far it is in their own lengths and the squares of these; an
/// edge without length is a point.
#[inline(always)]
fn share<S: Simd>(simd: S, along: S::f32s, square: S::f32s) -> S::f32s {
    let (zero, one) = (simd.splat_f32s(0.0), simd.splat_f32s(1.0));
    let inverse = simd.min_f32s(simd.div_f32s(one, square), simd.splat_f32s(f32::MAX));
    let inverse = simd.select_f32s(simd.greater_than_f32s(square, zero), inverse, zero);
    let share = simd.mul_f32s(along, inverse);
    simd.min_f32s(simd.max_f32s(share, zero), one)
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
pub(super) fn dot<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> S::f32s {
    let (x, y) = (simd.mul_f32s(a[0], b[0]), simd.mul_f32s(a[1], b[1]));
    simd.add_f32s(simd.add_f32s(x, y), simd.mul_f32s(a[2], b[2]))
}
