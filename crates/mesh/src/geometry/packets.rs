//! Many rays at once: whether anything is in the way of each of a packet of them.
//!
//! Rays that start near each other and go about the same way meet the same boxes, so each box is
//! tested for a whole packet in one go (Wald, Slusallek, Benthin and Wagner, Interactive Rendering
//! with Coherent Ray Tracing, 2001), with whatever vector unit the machine has.

use glam::{Vec3, Vec3A};
use obvhs::{BvhBuildParams, bvh2::leaf_collapser, triangle::Triangle};
use pulp::Simd;
use rayon::prelude::*;
use smallvec::{SmallVec, smallvec};

use super::{
    bvh::{TreeSpace, tree::binary_tree},
    triangulate::Triangulation,
};
use crate::mesh::Mesh;

/// A tree of pairs of boxes over the triangles of a mesh, both sides of each counting.
#[derive(Clone)]
pub struct Packets {
    nodes: Vec<Node>,
    triangles: Vec<Flat>,
    space: TreeSpace,
}

/// A box; the children of one lie side by side.
#[derive(Clone, Copy, Default)]
pub(super) struct Node {
    pub(super) min: [f32; 3],
    /// The first child, or the first triangle of a leaf.
    pub(super) first: u32,
    pub(super) max: [f32; 3],
    /// How many triangles a leaf has; 0 for what has children.
    pub(super) count: u32,
}

/// A triangle: a point and two edges from it.
#[derive(Clone, Copy)]
pub(super) struct Flat {
    pub(super) v0: [f32; 3],
    pub(super) e1: [f32; 3],
    pub(super) e2: [f32; 3],
}

impl Flat {
    #[inline]
    pub(super) fn triangle(&self) -> Triangle {
        let v0 = Vec3A::from_array(self.v0);
        let (v1, v2) = (v0 + Vec3A::from_array(self.e1), v0 + Vec3A::from_array(self.e2));
        Triangle { v0, v1, v2 }
    }
}

/// The most triangles in a leaf.
const LEAF: u32 = 4;

/// What a step into a box costs, in tests of a triangle.
const STEP_COST: f32 = 1.0;

/// As for single rays: none may slip between two triangles.
const EDGE_TOLERANCE: f32 = 1e-5;

/// Three coordinates of a packet of rays. What works on lanes is written out, without closures: a
/// closure is a function of its own, in which the vector unit is not known to be there.
pub type Lanes<S> = [<S as Simd>::f32s; 3];

/// A packet of rays, one to a lane.
#[derive(Clone, Copy)]
pub struct Rays<S: Simd> {
    /// Where they start.
    pub origin: Lanes<S>,
    /// Where they go, unit length.
    pub direction: Lanes<S>,
    /// The first bit of the way that is not looked at.
    pub from: S::f32s,
    /// How far they go.
    pub to: S::f32s,
}

impl Packets {
    /// Builds the tree.
    #[must_use]
    pub fn new(mesh: &Mesh, triangulation: &Triangulation) -> Self {
        let points: Vec<[Vec3; 3]> = triangulation
            .corners()
            .par_iter()
            .map(|corners| corners.map(|corner| mesh.corner_position(corner as usize)))
            .collect();
        let space = TreeSpace::over(points.iter().flatten());
        let at = |point: Vec3| Vec3A::from(space.inside(point));
        let triangle = |&[a, b, c]: &[Vec3; 3]| Triangle { v0: at(a), v1: at(b), v2: at(c) };
        let triangles: Vec<Triangle> = points.par_iter().map(triangle).collect();
        let mut tree = binary_tree(&triangles, &BvhBuildParams::fast_build());
        leaf_collapser::collapse(&mut tree, LEAF, STEP_COST);
        let flat = |&index: &u32| {
            let Triangle { v0, v1, v2 } = triangles[index as usize];
            Flat { v0: v0.into(), e1: (v1 - v0).into(), e2: (v2 - v0).into() }
        };
        Self {
            nodes: tree
                .nodes
                .iter()
                .map(|node| Node {
                    min: node.aabb.min.into(),
                    first: node.first_index,
                    max: node.aabb.max.into(),
                    count: node.prim_count,
                })
                .collect(),
            triangles: tree.primitive_indices.par_iter().map(flat).collect(),
            space,
        }
    }

    /// The lanes, of those in `open`, whose ray meets something; the others keep their place in
    /// `open`, which is what is returned.
    #[inline(always)]
    pub fn still_open<S: Simd>(&self, simd: S, rays: &Rays<S>, mut open: S::m32s) -> S::m32s {
        if self.nodes.is_empty() || !any(simd, open) {
            return open;
        }
        let [dx, dy, dz] = rays.direction;
        let [ox, oy, oz] = rays.origin;
        let Vec3 { x, y, z } = self.space.center;
        let (cx, cy, cz) = (simd.splat_f32s(x), simd.splat_f32s(y), simd.splat_f32s(z));
        let scale = simd.splat_f32s(self.space.scale);
        let ox = simd.mul_f32s(simd.sub_f32s(ox, cx), scale);
        let oy = simd.mul_f32s(simd.sub_f32s(oy, cy), scale);
        let oz = simd.mul_f32s(simd.sub_f32s(oz, cz), scale);
        let (from, to) = (simd.mul_f32s(rays.from, scale), simd.mul_f32s(rays.to, scale));
        let rays = &Rays { origin: [ox, oy, oz], direction: rays.direction, from, to };
        let (ix, iy, iz) = (inverse(simd, dx), inverse(simd, dy), inverse(simd, dz));
        let inverse = [ix, iy, iz];
        let back = [
            simd.neg_f32s(simd.mul_f32s(ox, ix)),
            simd.neg_f32s(simd.mul_f32s(oy, iy)),
            simd.neg_f32s(simd.mul_f32s(oz, iz)),
        ];
        // The way most of them go decides which of two boxes comes first.
        let way = [simd.reduce_sum_f32s(dx), simd.reduce_sum_f32s(dy), simd.reduce_sum_f32s(dz)];
        let mut stack: SmallVec<[u32; 64]> = smallvec![];
        let mut at = 0_u32;
        if self.nodes[0].count > 0 {
            return self.leaf(simd, rays, open, &self.nodes[0]);
        }
        loop {
            let first = self.nodes[at as usize].first as usize;
            let (a, b) = (&self.nodes[first], &self.nodes[first + 1]);
            let box_a = meets_box(simd, rays, &inverse, &back, a);
            let box_b = meets_box(simd, rays, &inverse, &back, b);
            let mut meets_a = any(simd, simd.and_m32s(open, box_a));
            let mut meets_b = any(simd, simd.and_m32s(open, box_b));
            if meets_a && a.count > 0 {
                open = self.leaf(simd, rays, open, a);
                meets_a = false;
            }
            if meets_b && b.count > 0 {
                open = self.leaf(simd, rays, open, b);
                meets_b = false;
            }
            if !any(simd, open) {
                return open;
            }
            let (first, second) = (first as u32, first as u32 + 1);
            at = match (meets_a, meets_b) {
                (true, false) => first,
                (false, true) => second,
                (true, true) => {
                    let apart = |i: usize| b.min[i] + b.max[i] - a.min[i] - a.max[i];
                    let is_forward = (0..3).map(|i| apart(i) * way[i]).sum::<f32>() >= 0.0;
                    let (near, far) = if is_forward { (first, second) } else { (second, first) };
                    stack.push(far);
                    near
                }
                (false, false) => match stack.pop() {
                    Some(next) => next,
                    None => return open,
                },
            };
        }
    }

    #[inline(always)]
    fn leaf<S: Simd>(&self, simd: S, rays: &Rays<S>, mut open: S::m32s, leaf: &Node) -> S::m32s {
        let first = leaf.first as usize;
        for triangle in &self.triangles[first..first + leaf.count as usize] {
            open = simd.and_m32s(open, misses(simd, rays, triangle));
        }
        open
    }
}

/// Whether any lane is true.
#[inline(always)]
pub(super) fn any<S: Simd>(simd: S, mask: S::m32s) -> bool {
    simd.first_true_m32s(mask) < S::F32_LANES
}

#[inline(always)]
fn meets_box<S: Simd>(
    simd: S,
    rays: &Rays<S>,
    inverse: &Lanes<S>,
    back: &Lanes<S>,
    node: &Node,
) -> S::m32s {
    let (mut near, mut far) = (rays.from, rays.to);
    for i in 0..3 {
        let a = simd.mul_add_e_f32s(simd.splat_f32s(node.min[i]), inverse[i], back[i]);
        let b = simd.mul_add_e_f32s(simd.splat_f32s(node.max[i]), inverse[i], back[i]);
        near = simd.max_f32s(near, simd.min_f32s(a, b));
        far = simd.min_f32s(far, simd.max_f32s(a, b));
    }
    simd.less_than_or_equal_f32s(near, far)
}

/// The lanes whose ray does not meet a triangle (Möller and Trumbore 1997).
#[inline(always)]
fn misses<S: Simd>(simd: S, rays: &Rays<S>, triangle: &Flat) -> S::m32s {
    let (v0, e1, e2) =
        (splat(simd, triangle.v0), splat(simd, triangle.e1), splat(simd, triangle.e2));
    let p = cross(simd, &rays.direction, &e2);
    let inverse = simd.div_f32s(simd.splat_f32s(1.0), dot(simd, &e1, &p));
    let from = [
        simd.sub_f32s(rays.origin[0], v0[0]),
        simd.sub_f32s(rays.origin[1], v0[1]),
        simd.sub_f32s(rays.origin[2], v0[2]),
    ];
    let u = simd.mul_f32s(dot(simd, &from, &p), inverse);
    let q = cross(simd, &from, &e1);
    let v = simd.mul_f32s(dot(simd, &rays.direction, &q), inverse);
    let t = simd.mul_f32s(dot(simd, &e2, &q), inverse);
    let least = simd.splat_f32s(-EDGE_TOLERANCE);
    let most = simd.splat_f32s(1.0 + EDGE_TOLERANCE);
    // A triangle without area gives NaN or infinity, and no comparison holds.
    let inside = simd.and_m32s(
        simd.and_m32s(
            simd.greater_than_or_equal_f32s(u, least),
            simd.greater_than_or_equal_f32s(v, least),
        ),
        simd.less_than_or_equal_f32s(simd.add_f32s(u, v), most),
    );
    let reached = simd.and_m32s(
        simd.greater_than_or_equal_f32s(t, rays.from),
        simd.less_than_or_equal_f32s(t, rays.to),
    );
    simd.not_m32s(simd.and_m32s(inside, reached))
}

/// The dot products of the lanes.
#[inline(always)]
pub fn dot<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> S::f32s {
    let first = simd.mul_f32s(a[0], b[0]);
    simd.mul_add_e_f32s(a[2], b[2], simd.mul_add_e_f32s(a[1], b[1], first))
}

#[inline(always)]
pub(super) fn splat<S: Simd>(simd: S, [x, y, z]: [f32; 3]) -> Lanes<S> {
    [simd.splat_f32s(x), simd.splat_f32s(y), simd.splat_f32s(z)]
}

/// One through each coordinate, none of which counts as nothing: a ray along an axis is as good as
/// almost along it.
#[inline(always)]
fn inverse<S: Simd>(simd: S, direction: S::f32s) -> S::f32s {
    let tiny = simd.splat_f32s(1e-20);
    let is_tiny = simd.less_than_f32s(simd.abs_f32s(direction), tiny);
    simd.div_f32s(simd.splat_f32s(1.0), simd.select_f32s(is_tiny, tiny, direction))
}

#[inline(always)]
fn cross<S: Simd>(simd: S, a: &Lanes<S>, b: &Lanes<S>) -> Lanes<S> {
    [
        simd.negate_mul_add_e_f32s(a[2], b[1], simd.mul_f32s(a[1], b[2])),
        simd.negate_mul_add_e_f32s(a[0], b[2], simd.mul_f32s(a[2], b[0])),
        simd.negate_mul_add_e_f32s(a[1], b[0], simd.mul_f32s(a[0], b[1])),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{Mesh, MeshArrays};

    /// What the builder takes for granted of sizes must not make boxes as wide as the whole of a part
    /// that is modelled in metres, or in light years.
    #[test]
    fn boxes_are_as_tight_whatever_a_mesh_is_measured_in() {
        let n = 40_u32;
        let shares = [1e-4, 1.0, 1e5].map(|size: f32| {
            let at = |i: u32| Vec3::new((i % n) as f32, (i / n) as f32, (i % 3) as f32 * 0.1);
            let positions = (0..n * n).map(|i| at(i) * size).collect();
            let squares = (0..n * n).filter(|i| i % n + 1 < n && i / n + 1 < n);
            let corner_vertices: Vec<u32> =
                squares.flat_map(|i| [i, i + 1, i + n + 1, i, i + n + 1, i + n]).collect();
            let face_starts = (0..=corner_vertices.len() as u32 / 3).map(|f| 3 * f).collect();
            let arrays =
                MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
            let mesh = Mesh::new(arrays).expect("a sheet");
            let packets = Packets::new(&mesh, &Triangulation::new(&mesh));
            let wide = |node: &Node| {
                (Vec3::from_array(node.max) - Vec3::from_array(node.min)).max_element()
            };
            let leaves = packets.nodes.iter().filter(|node| node.count > 0);
            leaves.map(wide).fold(0.0, f32::max) / wide(&packets.nodes[0])
        });
        // At most four triangles in a row, of 39 squares.
        assert!(shares.iter().all(|&share| share < 0.15), "{shares:?}");
    }
}
