//! Many rays against the triangles of a mesh: whether anything is in their way, and how far off it is.

use std::sync::atomic::{AtomicU32, Ordering::Relaxed};

use glam::{Vec3, Vec3A};
use obvhs::{BvhBuildParams, bvh2::Bvh2, triangle::Triangle};
use pulp::Simd;
use rayon::prelude::*;
use smallvec::{SmallVec, smallvec};

use super::{
    bvh::{TreeSpace, tree::binary_tree},
    lanes::{Lanes, MOST_LANES, bits, cross, dot, load, minus, splat},
    triangulate::Triangulation,
    wide::{Leaf, Node, Pairs, Row, WIDTH, nodes_of},
};
use crate::mesh::Mesh;

/// A tree over the triangles of a mesh, both sides of each counting.
#[derive(Clone)]
pub struct RayTree {
    nodes: Vec<Node>,
    leaves: Vec<Leaf>,
    space: TreeSpace,
}

/// As for single rays: none may slip between two triangles.
const EDGE_TOLERANCE: f32 = 1e-5;

/// Some rays, one to a lane.
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

/// One ray, the same in every lane, in the space of the tree.
struct Ray<S: Simd> {
    origin: Lanes<S>,
    direction: Lanes<S>,
    /// One through each coordinate of the direction, and what its product with the origin takes away.
    inverse: Lanes<S>,
    back: Lanes<S>,
    from: S::f32s,
    /// For each axis, which end of a box is met last.
    last: [usize; 3],
}

/// The triangles of a leaf, by number.
type Members = SmallVec<[u32; WIDTH]>;

/// A tree of pairs with a triangle to a leaf, and how many lie below each node.
struct Joined {
    pairs: Bvh2,
    sizes: Vec<u32>,
    /// The nodes that wide leaves stand for.
    leaves: Vec<u32>,
}

impl Pairs for Joined {
    fn ends(&self, node: u32) -> [Vec3; 2] {
        let bounds = &self.pairs.nodes[node as usize].aabb;
        [bounds.min.into(), bounds.max.into()]
    }

    fn below(&self, node: u32) -> Option<u32> {
        let is_large = self.sizes[node as usize] as usize > WIDTH;
        is_large.then(|| self.pairs.nodes[node as usize].first_index)
    }

    fn leaf(&mut self, node: u32) -> u32 {
        self.leaves.push(node);
        self.leaves.len() as u32 - 1
    }
}

impl Joined {
    /// What lies below a node that a leaf takes.
    fn members(&self, node: u32) -> Members {
        let mut members = Members::new();
        let mut open: Members = smallvec![node];
        while let Some(at) = open.pop() {
            let node = &self.pairs.nodes[at as usize];
            let first = node.first_index;
            if node.is_leaf() {
                let own = first as usize..(first + node.prim_count) as usize;
                members.extend_from_slice(&self.pairs.primitive_indices[own]);
            } else {
                open.extend([first + 1, first]);
            }
        }
        members
    }
}

/// How many parts of a tree are counted by themselves, on all cores.
const PARTS: usize = 64;

/// How many triangles lie below each node.
fn sizes(pairs: &Bvh2) -> Vec<u32> {
    let sizes: Vec<AtomicU32> = pairs.nodes.iter().map(|_| AtomicU32::new(0)).collect();
    let size = |node: usize| sizes[node].load(Relaxed);
    // Of nodes in an order in which what is below a node comes after it.
    let count = |order: &[u32]| {
        for &at in order.iter().rev() {
            let node = &pairs.nodes[at as usize];
            let below = node.first_index as usize;
            let inside = || size(below) + size(below + 1);
            let own = if node.is_leaf() { node.prim_count } else { inside() };
            sizes[at as usize].store(own, Relaxed);
        }
    };
    let (top, done) = level_by_level(pairs, 0, PARTS);
    let (top, parts) = top.split_at(done);
    parts.par_iter().for_each(|&part| count(&level_by_level(pairs, part, usize::MAX).0));
    count(top);
    sizes.into_iter().map(AtomicU32::into_inner).collect()
}

/// A node and those below it, level by level, until as many are left to be opened as are said; and how many have been.
fn level_by_level(pairs: &Bvh2, root: u32, most: usize) -> (Vec<u32>, usize) {
    let (mut order, mut next) = (vec![root], 0);
    while next < order.len() && order.len() - next < most {
        let node = &pairs.nodes[order[next] as usize];
        if !node.is_leaf() {
            order.extend([node.first_index, node.first_index + 1]);
        }
        next += 1;
    }
    (order, next)
}

/// Nodes that are still to be looked at.
type Open = SmallVec<[u32; 64]>;

impl RayTree {
    /// Builds the tree.
    #[must_use]
    pub fn new(mesh: &Mesh, triangulation: &Triangulation) -> Self {
        let vertices = mesh.corner_vertices().iter();
        let space = TreeSpace::over(vertices.map(|&vertex| &mesh.positions()[vertex as usize]));
        let at = |corner| Vec3A::from(space.inside(mesh.corner_position(corner as usize)));
        let triangle = |&[a, b, c]: &[u32; 3]| Triangle { v0: at(a), v1: at(b), v2: at(c) };
        let triangles: Vec<Triangle> = triangulation.corners().par_iter().map(triangle).collect();
        let pairs = binary_tree(&triangles, &BvhBuildParams::fast_build());
        if triangles.is_empty() {
            return Self { nodes: Vec::new(), leaves: Vec::new(), space };
        }
        let mut pairs = Joined { sizes: sizes(&pairs), pairs, leaves: Vec::new() };
        let nodes = nodes_of(&mut pairs);
        let leaf =
            |&node: &u32| Leaf::of(pairs.members(node).into_iter().map(|t| triangles[t as usize]));
        Self { nodes, leaves: pairs.leaves.par_iter().map(leaf).collect(), space }
    }

    /// The lanes, of those in `open`, whose ray meets nothing.
    #[inline(always)]
    pub fn still_open<S: Simd>(&self, simd: S, rays: &Rays<S>, open: S::m32s) -> S::m32s {
        let mut columns = [[0.0_f32; MOST_LANES]; 8];
        let [ox, oy, oz] = rays.origin;
        let [dx, dy, dz] = rays.direction;
        let all = [ox, oy, oz, dx, dy, dz, rays.from, rays.to];
        for (column, lanes) in columns.iter_mut().zip(all) {
            simd.partial_store_f32s(&mut column[..S::F32_LANES], lanes);
        }
        let mut is_met = [0.0_f32; MOST_LANES];
        let mut stack = Open::new();
        let mut left = bits::<S>(open);
        while left != 0 {
            let lane = left.trailing_zeros() as usize;
            left &= left - 1;
            let [x, y, z, dx, dy, dz, from, to] = &columns;
            let origin = Vec3::new(x[lane], y[lane], z[lane]);
            let way = Vec3::new(dx[lane], dy[lane], dz[lane]);
            let ray = self.ray(simd, origin, way, from[lane]);
            let met = self.follow::<S, false>(simd, &ray, to[lane] * self.space.scale, &mut stack);
            is_met[lane] = if met.is_some() { 1.0 } else { 0.0 };
        }
        let is_met = simd.partial_load_f32s(&is_met[..S::F32_LANES]);
        simd.and_m32s(open, simd.less_than_f32s(is_met, simd.splat_f32s(0.5)))
    }

    /// How far off the first thing is that a ray meets, in its lengths (which are to be 1); none within a distance.
    #[inline(always)]
    pub fn first<S: Simd>(&self, simd: S, origin: Vec3, way: Vec3, within: f32) -> Option<f32> {
        let ray = self.ray(simd, origin, way, 0.0);
        let mut stack = Open::new();
        let met = self.follow::<S, true>(simd, &ray, within * self.space.scale, &mut stack);
        met.map(|distance| distance / self.space.scale)
    }

    #[inline(always)]
    fn ray<S: Simd>(&self, simd: S, origin: Vec3, way: Vec3, from: f32) -> Ray<S> {
        let at = self.space.inside(origin);
        // None of a coordinate counts as nothing: along an axis is as good as almost along it.
        let tiny = Vec3::splat(1e-20);
        let inverse = 1.0 / Vec3::select(way.abs().cmplt(tiny), tiny, way);
        Ray {
            origin: splat(simd, at.to_array()),
            direction: splat(simd, way.to_array()),
            inverse: splat(simd, inverse.to_array()),
            back: splat(simd, (-at * inverse).to_array()),
            from: simd.splat_f32s(from * self.space.scale),
            last: [0, 1, 2].map(|axis| usize::from(inverse[axis] >= 0.0)),
        }
    }

    /// How far off something is that a ray meets no further than a distance (both in the tree's space): the first
    /// thing, or whatever is met.
    #[inline(always)]
    fn follow<S: Simd, const FIRST: bool>(
        &self,
        simd: S,
        ray: &Ray<S>,
        mut to: f32,
        stack: &mut Open,
    ) -> Option<f32> {
        let Self { nodes, leaves, .. } = self;
        let mut met = None;
        if nodes.is_empty() {
            return met;
        }
        stack.clear();
        let mut at = 0_u32;
        loop {
            let node = &nodes[at as usize];
            let mut near = [0.0_f32; MOST_LANES];
            let boxes = meets(simd, ray, simd.splat_f32s(to), &node.ends, &mut near);
            let mut into = boxes & node.leaves;
            let mut below = boxes & node.inner;
            while into != 0 {
                let slot = into.trailing_zeros() as usize;
                into &= into - 1;
                if FIRST && near[slot] > to {
                    continue;
                }
                let leaf = &leaves[node.behind[slot] as usize];
                if let Some(distance) = in_leaf(simd, ray, simd.splat_f32s(to), leaf) {
                    met = Some(distance);
                    if !FIRST {
                        return met;
                    }
                    to = distance;
                }
            }
            if below == 0 {
                let Some(next) = stack.pop() else { return met };
                at = next;
                continue;
            }
            // The nearest one next.
            let mut next = below.trailing_zeros() as usize;
            below &= below - 1;
            while below != 0 {
                let slot = below.trailing_zeros() as usize;
                below &= below - 1;
                let (nearer, other) =
                    if near[slot] < near[next] { (slot, next) } else { (next, slot) };
                stack.push(node.behind[other]);
                next = nearer;
            }
            at = node.behind[next];
        }
    }
}

/// The boxes that a ray meets, a bit for each, and how far off.
#[inline(always)]
fn meets<S: Simd>(
    simd: S,
    ray: &Ray<S>,
    to: S::f32s,
    ends: &[[Row; 3]; 2],
    distances: &mut Row,
) -> u32 {
    let mut all = 0;
    let mut at = 0;
    while at < MOST_LANES {
        let (mut near, mut far) = (ray.from, to);
        for (axis, &last) in ray.last.iter().enumerate() {
            let (a, b) = (load::<S>(&ends[1 - last][axis], at), load::<S>(&ends[last][axis], at));
            let a = simd.mul_add_e_f32s(a, ray.inverse[axis], ray.back[axis]);
            let b = simd.mul_add_e_f32s(b, ray.inverse[axis], ray.back[axis]);
            near = simd.max_f32s(near, a);
            far = simd.min_f32s(far, b);
        }
        all |= bits::<S>(simd.less_than_or_equal_f32s(near, far)) << at;
        S::as_mut_simd_f32s(distances).0[at / S::F32_LANES] = near;
        at += S::F32_LANES;
    }
    all
}

/// How far off the nearest triangle is that a ray meets (Möller and Trumbore 1997).
#[inline(always)]
fn in_leaf<S: Simd>(simd: S, ray: &Ray<S>, to: S::f32s, leaf: &Leaf) -> Option<f32> {
    let mut nearest = f32::INFINITY;
    let mut at = 0;
    while at < MOST_LANES {
        let Leaf { v0: [x0, y0, z0], e1: [x1, y1, z1], e2: [x2, y2, z2] } = leaf;
        let v0 = [load::<S>(x0, at), load::<S>(y0, at), load::<S>(z0, at)];
        let e1 = [load::<S>(x1, at), load::<S>(y1, at), load::<S>(z1, at)];
        let e2 = [load::<S>(x2, at), load::<S>(y2, at), load::<S>(z2, at)];
        let p = cross(simd, &ray.direction, &e2);
        let inverse = simd.div_f32s(simd.splat_f32s(1.0), dot(simd, &e1, &p));
        let from = minus(simd, &ray.origin, &v0);
        let u = simd.mul_f32s(dot(simd, &from, &p), inverse);
        let q = cross(simd, &from, &e1);
        let v = simd.mul_f32s(dot(simd, &ray.direction, &q), inverse);
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
            simd.greater_than_or_equal_f32s(t, ray.from),
            simd.less_than_or_equal_f32s(t, to),
        );
        let met = simd.and_m32s(inside, reached);
        if bits::<S>(met) != 0 {
            let far = simd.splat_f32s(f32::INFINITY);
            nearest = nearest.min(simd.reduce_min_f32s(simd.select_f32s(met, t, far)));
        }
        at += S::F32_LANES;
    }
    (nearest < f32::INFINITY).then_some(nearest)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{Mesh, MeshArrays};
    use glam::DVec3;
    use pulp::{Arch, WithSimd};

    fn sheet(size: f32) -> (Mesh, Triangulation) {
        let n = 40_u32;
        let at = |i: u32| Vec3::new((i % n) as f32, (i / n) as f32, (i * i % 7) as f32 * 0.3);
        let positions = (0..n * n).map(|i| at(i) * size).collect();
        let squares = (0..n * n).filter(|i| i % n + 1 < n && i / n + 1 < n);
        let corner_vertices: Vec<u32> =
            squares.flat_map(|i| [i, i + 1, i + n + 1, i, i + n + 1, i + n]).collect();
        let face_starts = (0..=corner_vertices.len() as u32 / 3).map(|f| 3 * f).collect();
        let arrays =
            MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
        let mesh = Mesh::new(arrays).expect("a sheet");
        let triangulation = Triangulation::new(&mesh);
        (mesh, triangulation)
    }

    /// What the builder takes for granted of sizes must not make boxes as wide as the whole of a part
    /// that is modelled in metres, or in light years.
    #[test]
    fn boxes_are_as_tight_whatever_a_mesh_is_measured_in() {
        let shares = [1e-4, 1.0, 1e5].map(|size: f32| {
            let (mesh, triangulation) = sheet(size);
            let RayTree { nodes, space, .. } = RayTree::new(&mesh, &triangulation);
            let wide = |node: &Node, slot: usize| {
                let sizes = (0..3).map(|axis| node.ends[1][axis][slot] - node.ends[0][axis][slot]);
                sizes.fold(0.0, f32::max) / space.scale
            };
            let leaves = nodes.iter().flat_map(|node| {
                (0..MOST_LANES).filter(|slot| node.leaves >> slot & 1 == 1).map(|s| wide(node, s))
            });
            leaves.fold(0.0, f32::max) / (39.0 * size)
        });
        // Sixteen triangles, mostly in a row, of 39 squares; all of them if boxes are too wide.
        assert!(shares.iter().all(|&share| share < 0.6), "{shares:?}");
    }

    struct Cast<'a>(&'a RayTree, Vec3, Vec3, f32);

    impl WithSimd for Cast<'_> {
        type Output = (Option<f32>, bool);

        #[inline(always)]
        fn with_simd<S: Simd>(self, simd: S) -> Self::Output {
            let Self(tree, origin, way, within) = self;
            let rays = Rays {
                origin: splat(simd, origin.to_array()),
                direction: splat(simd, way.to_array()),
                from: simd.splat_f32s(0.0),
                to: simd.splat_f32s(within),
            };
            let all = simd.less_than_f32s(simd.splat_f32s(0.0), simd.splat_f32s(1.0));
            let open = bits::<S>(tree.still_open(simd, &rays, all));
            assert!(open == 0 || open.count_ones() as usize == S::F32_LANES);
            (tree.first(simd, origin, way, within), open != 0)
        }
    }

    /// How far off the first triangle is: where the ray meets its plane, if it lies to the left of all three sides.
    fn by_looking_at_all(mesh: &Mesh, origin: Vec3, way: Vec3, within: f32) -> Option<f64> {
        let (origin, way) = (origin.as_dvec3(), way.as_dvec3());
        let corners = mesh.corner_vertices().chunks_exact(3);
        let met = corners.filter_map(|corners| {
            let [a, b, c] = [0, 1, 2].map(|i| mesh.positions()[corners[i] as usize].as_dvec3());
            let normal = (b - a).cross(c - a);
            let far = (a - origin).dot(normal) / way.dot(normal);
            let at = origin + way * far;
            let is_left = |from: DVec3, to: DVec3| (to - from).cross(at - from).dot(normal) >= 0.0;
            let is_in = is_left(a, b) && is_left(b, c) && is_left(c, a);
            (is_in && far >= 0.0 && far <= f64::from(within)).then_some(far)
        });
        met.min_by(f64::total_cmp)
    }

    #[test]
    fn a_ray_meets_what_a_look_at_all_meets() {
        let mut met = 0;
        for size in [1e-3, 1.0, 1e4] {
            let (mesh, triangulation) = sheet(size);
            let tree = RayTree::new(&mesh, &triangulation);
            for i in 0..1_500_u32 {
                // Spread without a pattern: multiples of irrational numbers.
                let share = |step: f32| (i as f32 * step).fract();
                let origin = Vec3::new(share(0.618_034) * 44.0 - 2.0, share(0.414_214) * 44.0, 0.1);
                let origin = (origin + Vec3::Z * (share(0.732_051) * 3.0)) * size;
                let turn = share(0.236_068) * std::f32::consts::TAU;
                let up = share(0.645_751) * 2.0 - 1.0;
                let way = match i % 10 {
                    0 => [Vec3::Z, Vec3::NEG_Z, Vec3::X, Vec3::NEG_Y][i as usize / 10 % 4],
                    _ => Vec3::new(turn.cos(), turn.sin(), up).normalize(),
                };
                let within = if i % 3 == 0 { 4.0 * size } else { f32::MAX };
                let (first, is_open) = Arch::new().dispatch(Cast(&tree, origin, way, within));
                let truth = by_looking_at_all(&mesh, origin, way, within);
                assert_eq!(first.is_none(), is_open);
                assert_eq!(first.is_some(), truth.is_some(), "{i} of {size}");
                let off = first.zip(truth).map_or(0.0, |(a, b)| (f64::from(a) - b).abs());
                assert!(off <= 1e-4 * f64::from(size), "{first:?} {truth:?} {i} of {size}");
                met += usize::from(truth.is_some());
            }
        }
        assert!((1_000..4_000).contains(&met), "{met} of 4500");
    }

    #[test]
    fn nothing_is_met_where_nothing_is() {
        let (mesh, triangulation) = sheet(1.0);
        let tree = RayTree::new(&mesh, &triangulation);
        for origin in [Vec3::splat(f32::NAN), Vec3::splat(1e9)] {
            let cast = Cast(&tree, origin, Vec3::X, f32::MAX);
            assert_eq!(Arch::new().dispatch(cast), (None, true));
        }
    }
}
