//! What is nearest to a point, and to each of many.
//!
//! The tree is over triangles along Morton's curve (Lauterbach and others, Fast BVH Construction on GPUs,
//! 2009), which takes about a fifth of the time of one that rays go through.

mod each;
mod squares;

use glam::{Vec3, Vec3A};
use obvhs::triangle::Triangle;
use rayon::prelude::*;

use super::{
    bvh::TreeSpace,
    triangulate::Triangulation,
    wide::{Leaf, Node, Pairs, WIDTH, nodes_of},
};
use crate::{mesh::Mesh, morton::Curve};

/// What of a mesh is nearest to a point: the number of its triangle, where on it, and how far away.
pub type Near = (u32, Vec3, f32);

/// A tree over the triangles of a mesh.
#[derive(Clone)]
pub struct NearTree {
    nodes: Vec<Node>,
    /// Along the curve, all but the last one full.
    leaves: Vec<Leaf>,
    /// The number of each triangle, one leaf's after the other's.
    numbers: Vec<u32>,
    curve: Curve,
    /// Where on the curve each leaf begins.
    beginnings: Vec<u64>,
    space: TreeSpace,
}

/// What is so little further off than the nearest is still looked at: what rounding leaves of it.
const SLACK: f32 = 1.0 + 1e-5;

/// Below so many triangles a tree is not shared out.
const ALONE: usize = 4096;

impl NearTree {
    /// Builds the tree.
    #[must_use]
    pub fn new(mesh: &Mesh, triangulation: &Triangulation) -> Self {
        let at = |corner: u32| mesh.corner_position(corner as usize);
        let all = triangulation.corners().par_iter();
        let corners: Vec<[Vec3; 3]> = all.map(|&[a, b, c]| [at(a), at(b), at(c)]).collect();
        let space = TreeSpace::over(corners.iter().flatten());
        let middle = |[a, b, c]: &[Vec3; 3]| (a.min(*b).min(*c) + a.max(*b).max(*c)) / 2.0;
        let middles: Vec<Vec3> = corners.par_iter().map(middle).collect();
        let curve = Curve::finely(&middles);
        let along = curve.order(&middles);
        let triangle = |&(_, number): &(u64, u32)| {
            let [v0, v1, v2] = corners[number as usize].map(|p| Vec3A::from(space.inside(p)));
            Triangle { v0, v1, v2 }
        };
        let triangles: Vec<Triangle> = along.par_iter().map(triangle).collect();
        let mut nodes = Vec::new();
        if !triangles.is_empty() {
            let mut pairs = vec![Pair::default(); 2 * triangles.len().div_ceil(WIDTH) - 1];
            let (root, below) = pairs.split_at_mut(1);
            Stretch { first: 0, along: &along, triangles: &triangles }.fill(&mut root[0], below, 1);
            nodes = nodes_of(&mut Halves(pairs));
        }
        let leaf = |triangles: &[Triangle]| Leaf::of(triangles.iter().copied());
        Self {
            nodes,
            leaves: triangles.par_chunks(WIDTH).map(leaf).collect(),
            beginnings: along.iter().step_by(WIDTH).map(|(at, _)| *at).collect(),
            numbers: along.into_iter().map(|(_, number)| number).collect(),
            curve,
            space,
        }
    }
}

/// A box over triangles in a row; the halves of one lie side by side.
#[derive(Clone, Copy, Default)]
struct Pair {
    min: Vec3,
    max: Vec3,
    /// The first half, or the first slot of what a leaf takes.
    first: u32,
    is_leaf: bool,
}

/// All boxes, the one over everything first.
struct Halves(Vec<Pair>);

impl Pairs for Halves {
    fn ends(&self, node: u32) -> [Vec3; 2] {
        let Pair { min, max, .. } = self.0[node as usize];
        [min, max]
    }

    fn below(&self, node: u32) -> Option<u32> {
        let Pair { first, is_leaf, .. } = self.0[node as usize];
        (!is_leaf).then_some(first)
    }

    fn leaf(&mut self, node: u32) -> u32 {
        self.0[node as usize].first / WIDTH as u32
    }
}

/// Some triangles in a row.
struct Stretch<'a> {
    /// The slot of the first one.
    first: usize,
    along: &'a [(u64, u32)],
    triangles: &'a [Triangle],
}

impl Stretch<'_> {
    /// Fills a node, and those below it, of which the first has a number.
    fn fill(&self, own: &mut Pair, below: &mut [Pair], number: usize) {
        let Self { first, along, triangles } = *self;
        if triangles.len() <= WIDTH {
            let (mut min, mut max) = (Vec3A::INFINITY, Vec3A::NEG_INFINITY);
            for Triangle { v0, v1, v2 } in triangles {
                (min, max) = (min.min(v0.min(*v1).min(*v2)), max.max(v0.max(*v1).max(*v2)));
            }
            *own = Pair { min: min.into(), max: max.into(), first: first as u32, is_leaf: true };
            return;
        }
        let left = self.left();
        let (own_along, other_along) = along.split_at(left);
        let (own_triangles, other_triangles) = triangles.split_at(left);
        let a = Stretch { first, along: own_along, triangles: own_triangles };
        let b = Stretch { first: first + left, along: other_along, triangles: other_triangles };
        let (pair, below) = below.split_at_mut(2);
        let [to_a, to_b] = pair else { return };
        let below_a = 2 * (left.div_ceil(WIDTH) - 1);
        let (of_a, of_b) = below.split_at_mut(below_a);
        let mut fill_a = || a.fill(to_a, of_a, number + 2);
        let mut fill_b = || b.fill(to_b, of_b, number + 2 + below_a);
        if triangles.len() < ALONE {
            fill_a();
            fill_b();
        } else {
            rayon::join(fill_a, fill_b);
        }
        let (min, max) = (to_a.min.min(to_b.min), to_a.max.max(to_b.max));
        *own = Pair { min, max, first: number as u32, is_leaf: false };
    }

    /// How many of them go to the left: up to where the curve goes from one half of their cell to the
    /// other, in whole leaves.
    fn left(&self) -> usize {
        let along = self.along;
        let leaves = along.len().div_ceil(WIDTH);
        let (low, high) = (along[0].0, along[along.len() - 1].0);
        let split = match (low ^ high).checked_ilog2() {
            None => along.len() / 2,
            Some(bit) => along.partition_point(|(key, _)| (key ^ low) >> bit == 0),
        };
        let half = WIDTH / 2;
        WIDTH * ((split + half) / WIDTH).clamp(1, leaves - 1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        geometry::bvh::nearest_on,
        mesh::{Mesh, MeshArrays},
    };

    /// Numbers in 0–1 that are spread without a pattern (Wellons' `lowbias32`).
    fn random(i: u32) -> f32 {
        let mix = |x: u32, shift: u32, by: u32| (x ^ x >> shift).wrapping_mul(by);
        let x = mix(mix(i, 16, 0x7feb_352d), 15, 0x846c_a68b);
        (x ^ x >> 16) as f32 / u32::MAX as f32
    }

    fn place(i: u32) -> Vec3 {
        Vec3::new(random(3 * i), random(3 * i + 1), random(3 * i + 2))
    }

    fn mesh_of(positions: Vec<Vec3>) -> Mesh {
        let corner_vertices = (0..positions.len() as u32).collect();
        let face_starts = (0..=positions.len() as u32 / 3).map(|f| 3 * f).collect();
        let arrays =
            MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
        Mesh::new(arrays).expect("triangles")
    }

    /// Triangles of any kind: slivers, ones that are points or lines, ones that are there twice.
    fn soup(count: u32, size: f32, at: Vec3) -> Mesh {
        let mut positions = Vec::new();
        for i in 0..count {
            let first = place(9 * i);
            let around = |k: u32| first + (place(9 * i + k) - 0.5) * 0.2;
            positions.extend(match i % 8 {
                0 => [first, first, first],
                1 => [first, around(1), first.lerp(around(1), 0.3)],
                2 => [first, around(1), first + (around(1) - first) * 0.5 + place(i) * 1e-4],
                3 => [place(9 * (i - 3)), place(9 * (i - 3)), around(1)],
                _ => [first, around(1), around(2)],
            });
        }
        mesh_of(positions.into_iter().map(|p| p * size + at).collect())
    }

    fn tree(mesh: &Mesh) -> (NearTree, Triangulation) {
        let triangulation = Triangulation::new(mesh);
        (NearTree::new(mesh, &triangulation), triangulation)
    }

    #[test]
    fn each_finds_what_a_look_at_all_finds_whatever_comes_with_it() {
        let cases = [(1.0, Vec3::ZERO), (1e-4, Vec3::ZERO), (50.0, Vec3::splat(2000.0))];
        for ((size, at), count) in cases.into_iter().zip([400, 1, 6]) {
            let mesh = soup(count, size, at);
            let (tree, triangulation) = tree(&mesh);
            let mut points: Vec<Vec3> =
                (0..500).map(|i| (place(i + 7000) * 1.6 - 0.3) * size + at).collect();
            points.extend(mesh.positions().iter().step_by(7));
            let found = tree.nearest_to_each(&points);
            let corners: Vec<[Vec3; 3]> = (triangulation.corners().iter())
                .map(|t| t.map(|c| mesh.corner_position(c as usize)))
                .collect();
            for (i, &point) in points.iter().enumerate() {
                let (triangle, on, far) = found[i].expect("there are triangles");
                let all = corners.iter().map(|&t| nearest_on(point, t).distance(point));
                let least = all.fold(f32::MAX, f32::min);
                let rounding = 1e-6 * (size + at.length());
                assert!((far - least).abs() <= 1e-5 * least + rounding, "{far} for {least}");
                let own = nearest_on(point, corners[triangle as usize]);
                assert!(own.distance(on) <= rounding, "{own} for {on}");
                // By itself, or among others in another order, or one after the other.
                assert_eq!(tree.nearest_to_each(&[point]), [found[i]]);
                let single = tree.nearest(point, f32::MAX, |_| true).expect("there are triangles");
                assert!((single.2 - far).abs() <= 1e-5 * far + rounding);
            }
            for [least, most] in [[0.02, 0.1], [0.0, 0.05], [0.1, 9.0], [0.0, f32::INFINITY]] {
                let [least, most] = [least * size, most * size];
                let room = tree.room_about_each(&points, [least, most]);
                for (room, near) in room.iter().zip(&found) {
                    let expected = near.map_or(most, |(.., far)| far.clamp(least, most));
                    let rounding = 1e-5 * expected + 1e-6 * (size + at.length());
                    assert!((room - expected).abs() <= rounding, "{room} for {expected}");
                }
            }
            let turned: Vec<Vec3> = points.iter().rev().copied().collect();
            assert!(tree.nearest_to_each(&turned).iter().rev().eq(&found));
        }
    }

    /// Sheets of many triangles, in one place and in many: nothing is lost where a tree is shared out, and
    /// what the builder makes of a mesh does not hang on what it is measured in.
    #[test]
    fn all_triangles_are_in_the_tree_and_few_are_looked_at() {
        let n = 120_u32;
        let at = |i: u32| Vec3::new((i % n) as f32, (i / n) as f32, (i % 3) as f32 * 0.1);
        let squares = (0..n * n).filter(|i| i % n + 1 < n && i / n + 1 < n);
        let corners = squares.flat_map(|i| [i, i + 1, i + n + 1, i, i + n + 1, i + n]);
        let corners: Vec<Vec3> = corners.map(at).collect();
        let counts = [1e-4, 1.0, 1e5, 0.0].map(|size: f32| {
            let (tree, triangulation) = tree(&mesh_of(corners.iter().map(|&p| p * size).collect()));
            let mut numbers = tree.numbers.clone();
            numbers.sort_unstable();
            assert!(numbers.into_iter().eq(0..triangulation.corners().len() as u32));
            let mut held: Vec<u32> = (tree.nodes.iter())
                .flat_map(|node| (0..WIDTH).map(move |slot| (node, slot)))
                .filter(|(node, slot)| node.leaves >> slot & 1 == 1)
                .map(|(node, slot)| node.behind[slot])
                .collect();
            held.sort_unstable();
            assert!(held.into_iter().eq(0..tree.leaves.len() as u32));
            let asked = std::cell::Cell::new(0);
            let count = |_| {
                asked.set(asked.get() + 1);
                true
            };
            let point = Vec3::new(57.3, 81.6, 2.0) * size;
            assert!(tree.nearest(point, f32::MAX, count).is_some());
            asked.get()
        });
        assert!(counts[..3].iter().all(|&count| count < 100), "{counts:?} of 28322");
    }

    /// Of triangles of any kind, ones without area as well, no place is nearer than what is told.
    #[test]
    fn no_place_of_a_triangle_is_nearer_than_the_nearest() {
        let mesh = soup(400, 1.0, Vec3::ZERO);
        for (i, corners) in mesh.positions().chunks(3).enumerate() {
            for turn in 0..3 {
                let [a, b, c] = [0, 1, 2].map(|k| corners[(k + turn) % 3]);
                let point = a.lerp(place(i as u32 + 9000), 0.3);
                let on = nearest_on(point, [a, b, c]);
                let far = on.distance(point);
                let steps = || (0..=24).map(|k| k as f32 / 24.0);
                let places = steps().flat_map(|u| steps().map(move |v| (u, v * (1.0 - u))));
                let all = places.map(|(u, v)| (a + (b - a) * u + (c - a) * v).distance(point));
                let least = all.fold(f32::MAX, f32::min);
                assert!(far <= least + 1e-6, "{far} for {least} of {i}, turned by {turn}");
                let sides = [b.distance(a), c.distance(a), c.distance(b)];
                let coarse = sides.into_iter().fold(0.0, f32::max) / 24.0;
                assert!(far >= least - coarse, "{far} for {least} of {i}, turned by {turn}");
            }
        }
    }

    #[test]
    fn nothing_is_near_nowhere() {
        let (tree, _) = tree(&soup(400, 1.0, Vec3::ZERO));
        assert!(tree.nearest_to_each(&[]).is_empty());
        assert_eq!(tree.nearest_to_each(&[Vec3::NAN, Vec3::INFINITY]), [None, None]);
        let far = tree.nearest_to_each(&[Vec3::splat(1e12)]);
        assert!(far[0].is_some_and(|(.., far)| far > 1e12));
    }
}
