//! Rays and sphere ranges against the triangles of a mesh, over one tree.

pub(super) mod tree;

use std::ops::ControlFlow;

use glam::{Vec3, Vec3A};
use obvhs::{BvhBuildParams, aabb::Aabb, ray::Ray, triangle::Triangle};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};

use super::triangulate::{Triangulation, first_triangle};
use crate::mesh::Mesh;
use tree::{DIAGONAL, Tree, meet, nearest_on_triangle};

/// Where a ray meets the surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hit {
    /// Index of the triangle.
    pub triangle: u32,
    /// Index of the face it was cut from.
    pub face: u32,
    /// Multiples of the ray's direction from its origin.
    pub distance: f32,
    /// The point itself.
    pub point: Vec3,
}

/// Bounding volume trees over the triangles of a mesh, both sides of each counting: one over all of
/// them, and smaller ones over what has changed since.
#[derive(Clone)]
pub struct Bvh {
    trees: SmallVec<[Tree; 1]>,
    space: TreeSpace,
    /// Where each triangle stands: its tree, and its slot there. None before anything has changed.
    places: Vec<Place>,
}

/// A ray in the space of the trees. A coordinate of −0 counts as 0: the boxes of a tree would all be
/// missed on that axis.
fn ray(from: Vec3, way: Vec3, [near, far]: [f32; 2]) -> Ray {
    Ray::new(from.into(), (way + Vec3::ZERO).into(), near, far)
}

/// A tree, and a slot in it.
type Place = (u32, u32);

/// A slot that nothing stands in any more.
const GONE: u32 = u32::MAX;

/// A tree of fewer triangles is small: many of them are built anew, as one, in a millisecond or two.
const SMALL: usize = 1_024;

/// The most small trees beside the first one.
const MOST_SMALL: usize = 6;

/// The space of trees over a box: of one size whatever the box's, which builders and rays count on.
#[derive(Clone, Copy)]
pub(super) struct TreeSpace {
    /// What lies at its origin: on each axis the middle, where that lies further off than the box is
    /// large, so that numbers are as fine there as elsewhere; else 0, which rounds nothing.
    pub(super) center: Vec3,
    /// What positions are multiplied by there, a power of two, so that nothing is rounded.
    pub(super) scale: f32,
}

impl TreeSpace {
    /// That of trees over some points.
    pub(super) fn over<'a>(points: impl Iterator<Item = &'a Vec3>) -> Self {
        let none = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        let (min, max) = points.fold(none, |(min, max), &p| (p.min(min), p.max(max)));
        // What lies closer together than numbers there can tell is not spread out any further.
        let most = max.abs().max(min.abs()).max_element().min(f32::MAX);
        let diagonal = (max - min).length().max(most * 1e-7).clamp(1e-30, 1e30);
        let scale = (DIAGONAL / diagonal).log2().round().exp2();
        let (middle, size) = ((min + max) / 2.0, (max - min).length());
        let center = Vec3::select(middle.abs().cmpgt(Vec3::splat(size)), middle, Vec3::ZERO);
        Self { center, scale }
    }

    /// A place as the trees have it.
    #[inline]
    pub(super) fn inside(&self, point: Vec3) -> Vec3 {
        (point - self.center) * self.scale
    }

    /// A place of the trees, as the mesh has it.
    #[inline]
    pub(super) fn outside(&self, point: Vec3) -> Vec3 {
        point / self.scale + self.center
    }
}

/// The point of a triangle nearest to another point.
#[must_use]
pub fn nearest_on(p: Vec3, [a, b, c]: [Vec3; 3]) -> Vec3 {
    let triangle = Triangle { v0: a.into(), v1: b.into(), v2: c.into() };
    tree::nearest_on_triangle(p.into(), &triangle).into()
}

impl Bvh {
    /// Builds the tree.
    #[must_use]
    pub fn new(mesh: &Mesh, triangulation: &Triangulation) -> Self {
        let at = |corner: u32| mesh.corner_position(corner as usize);
        let triangles: Vec<[Vec3; 3]> =
            triangulation.corners().par_iter().map(|t| t.map(at)).collect();
        Self::over(&triangles, |t| triangulation.face_of(t) as u32)
    }

    /// A tree over faces of a mesh.
    #[must_use]
    #[inline]
    pub fn over_faces(mesh: &Mesh, triangulation: &Triangulation, faces: &[u32]) -> Self {
        let (mut triangles, mut of) = (Vec::new(), Vec::new());
        for &face in faces {
            let first = first_triangle(mesh, face as usize);
            let count = mesh.face_corners(face as usize).len() - 2;
            for corners in &triangulation.corners()[first..first + count] {
                triangles.push(corners.map(|c| mesh.corner_position(c as usize)));
                of.push(face);
            }
        }
        Self::over(&triangles, |t| of[t])
    }

    /// A tree over segments, whose numbers take the place of faces.
    #[must_use]
    #[inline]
    pub fn over_segments(segments: &[[Vec3; 2]]) -> Self {
        let triangles: Vec<[Vec3; 3]> = segments.iter().map(|&[a, b]| [a, b, b]).collect();
        Self::over(&triangles, |t| t as u32)
    }

    fn over(corners: &[[Vec3; 3]], face_of: impl Fn(usize) -> u32) -> Self {
        let space = TreeSpace::over(corners.iter().flatten());
        let at = |p: Vec3| Vec3A::from(space.inside(p));
        let triangle = |&[a, b, c]: &[Vec3; 3]| Triangle { v0: at(a), v1: at(b), v2: at(c) };
        let triangles: Vec<Triangle> = corners.par_iter().map(triangle).collect();
        let numbers: Vec<u32> = (0..triangles.len() as u32).collect();
        let tree = Tree::new(&triangles, &numbers, &BvhBuildParams::medium_build(), face_of);
        Self { trees: smallvec![tree], space, places: Vec::new() }
    }

    /// The nearest point within a distance, of the faces that count: its face, where it is, and how
    /// far.
    #[must_use]
    pub fn nearest(
        &self,
        point: Vec3,
        within: f32,
        counts: impl Fn(u32) -> bool,
    ) -> Option<(u32, Vec3, f32)> {
        let from = Vec3A::from(self.space.inside(point));
        let mut best = (within * self.space.scale).powi(2).min(f32::MAX);
        let mut found = None;
        // Boxes with their distances, the nearest looked at first.
        let roots = self.trees.iter().map(|tree| (tree, 0, 0.0));
        let mut open: SmallVec<[(&Tree, u32, f32); 64]> = roots.collect();
        while let Some((tree, index, away)) = open.pop() {
            if away > best {
                continue;
            }
            let Some(node) = tree.nodes.nodes.get(index as usize) else { continue };
            let mut children: SmallVec<[(usize, f32); 8]> = SmallVec::new();
            for child in (0..8).filter(|&child| !node.is_child_empty(child)) {
                let Aabb { min, max, .. } = node.child_aabb(child);
                let away = from.clamp(min, max).distance_squared(from);
                if away <= best {
                    children.push((child, away));
                }
            }
            children.sort_unstable_by(|a, b| b.1.total_cmp(&a.1));
            for &(child, away) in children.iter().rev() {
                if away > best || !node.is_leaf(child) {
                    continue;
                }
                let (first, count) = node.child_primitives(child);
                for slot in first as usize..(first + count) as usize {
                    let face = tree.faces[slot];
                    if face == GONE || !counts(face) {
                        continue;
                    }
                    let nearest = nearest_on_triangle(from, &tree.triangles[slot]);
                    let square = nearest.distance_squared(from);
                    if square <= best {
                        best = square;
                        found = Some((face, nearest));
                    }
                }
            }
            let nodes = children.iter().filter(|(child, _)| !node.is_leaf(*child));
            open.extend(nodes.map(|&(child, away)| (tree, node.child_node_index(child), away)));
        }
        let (face, at) = found?;
        let at = self.space.outside(Vec3::from(at));
        Some((face, at, at.distance(point)))
    }

    /// The nearest point where the ray meets the surface; `None` for a miss or a ray that is none.
    #[must_use]
    #[inline]
    pub fn cast(&self, origin: Vec3, direction: Vec3) -> Option<Hit> {
        self.cast_within(origin, direction, f32::INFINITY)
    }

    /// The same no further than a distance.
    #[must_use]
    pub fn cast_within(&self, origin: Vec3, direction: Vec3, within: f32) -> Option<Hit> {
        let from = self.space.inside(origin);
        let way = direction.try_normalize().filter(|_| from.is_finite())?;
        let mut nearest = None;
        let ray = ray(from, way, [0.0, within * self.space.scale]);
        let _to_the_end = self.traverse(ray, |ray, tree, slot| {
            let t = meet(&tree.triangles[slot], ray);
            if t < ray.tmax {
                ray.tmax = t;
                nearest = Some((tree, slot, t));
            }
            ControlFlow::Continue(())
        });
        let (tree, slot, t) = nearest?;
        let distance = t / self.space.scale / direction.length();
        Some(Hit {
            triangle: tree.numbers[slot],
            face: tree.faces[slot],
            distance,
            point: origin + direction * distance,
        })
    }

    /// True when nothing lies on the segment from `from + skip × (to − from)` to `to`.
    #[must_use]
    #[inline]
    pub fn is_clear(&self, from: Vec3, to: Vec3, skip: f32) -> bool {
        let Some(way) = (to - from).try_normalize() else { return true };
        let length = from.distance(to) * self.space.scale;
        let ray = ray(self.space.inside(from), way, [skip * length, length]);
        let flow = self.traverse(ray, |ray, tree, slot| {
            if meet(&tree.triangles[slot], ray).is_finite() {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        });
        flow.is_continue()
    }

    /// Calls `visit` with the number of every segment or face whose box may be met by a ray before
    /// a distance, in multiples of its direction, until told to stop.
    pub fn visit_along(
        &self,
        origin: Vec3,
        direction: Vec3,
        within: f32,
        mut visit: impl FnMut(u32) -> ControlFlow<()>,
    ) -> ControlFlow<()> {
        let from = self.space.inside(origin);
        let way = direction.try_normalize().filter(|_| from.is_finite());
        let Some(way) = way else { return ControlFlow::Continue(()) };
        let length = within * direction.length() * self.space.scale;
        let ray = ray(from, way, [0.0, length]);
        self.traverse(ray, |_, tree, slot| visit(tree.faces[slot]))
    }

    /// Visits the triangles (by tree and slot) whose boxes a ray meets, nearer boxes of a tree first
    /// on the whole, until told to stop. `visit` may shorten the ray.
    fn traverse<'a>(
        &'a self,
        mut ray: Ray,
        mut visit: impl FnMut(&mut Ray, &'a Tree, usize) -> ControlFlow<()>,
    ) -> ControlFlow<()> {
        self.trees
            .iter()
            .try_for_each(|tree| tree.traverse(&mut ray, |ray, slot| visit(ray, tree, slot)))
    }

    /// The faces that come within `radius` of `center`, each once, ascending.
    #[must_use]
    #[inline]
    pub fn faces_within(&self, center: Vec3, radius: f32) -> Vec<u32> {
        let mut faces = Vec::new();
        self.visit_within(center, radius, |face| faces.push(face));
        faces.sort_unstable();
        faces.dedup();
        faces
    }

    /// Calls `visit` for the face of every triangle in boxes that may count: of each box, `may`
    /// gets the middle and half of the diagonal. A face of several triangles may come several
    /// times.
    #[inline]
    pub fn visit_where(&self, may: impl Fn(Vec3, f32) -> bool, mut visit: impl FnMut(u32)) {
        let may = |&Aabb { min, max, .. }: &Aabb| {
            let middle = self.space.outside(Vec3::from(min.midpoint(max)));
            may(middle, min.distance(max) / 2.0 / self.space.scale)
        };
        for tree in &self.trees {
            tree.visit_where(may, |slot| {
                if tree.faces[slot] != GONE {
                    visit(tree.faces[slot]);
                }
            });
        }
    }

    /// Calls `visit` for every triangle that comes within `radius` of `center`, with its face: a
    /// face of several triangles may come several times.
    pub fn visit_within(&self, center: Vec3, radius: f32, mut visit: impl FnMut(u32)) {
        let center = Vec3A::from(self.space.inside(center));
        let reach = (radius * self.space.scale).powi(2);
        let is_near = |point: Vec3A| point.distance_squared(center) <= reach;
        let may = |&Aabb { min, max, .. }: &Aabb| is_near(center.clamp(min, max));
        for tree in &self.trees {
            tree.visit_where(may, |slot| {
                let is_there = tree.faces[slot] != GONE;
                if is_there && is_near(nearest_on_triangle(center, &tree.triangles[slot])) {
                    visit(tree.faces[slot]);
                }
            });
        }
    }

    /// Exchanges some triangles for others: `old` are the numbers of those that change or go,
    /// `count` is how many there are from then on, and each new one comes with its number, its face,
    /// its corners and the number of one that it may have been cut from.
    pub(super) fn exchange(
        &mut self,
        old: &[u32],
        count: usize,
        new: impl Iterator<Item = (u32, u32, [Vec3; 3], u32)>,
    ) {
        if self.places.is_empty() {
            self.places = vec![(0, 0); self.trees[0].triangles.len()];
            for (slot, &number) in self.trees[0].numbers.iter().enumerate() {
                self.places[number as usize] = (0, slot as u32);
            }
        }
        let mut free: FxHashMap<u32, Place> = FxHashMap::default();
        for &number in old {
            let place = self.places[number as usize];
            self.trees[place.0 as usize].let_go(place.1);
            free.insert(number, place);
        }
        self.places.resize(count, (0, 0));
        let (mut triangles, mut numbers, mut faces) = (Vec::new(), Vec::new(), Vec::new());
        for (number, face, points, from) in new {
            let [v0, v1, v2] = points.map(|point| Vec3A::from(self.space.inside(point)));
            let triangle = Triangle { v0, v1, v2 };
            // Where it lies within what stood there, the boxes above are right as they are.
            if let Some(&place) = free.get(&from)
                && self.trees[place.0 as usize].takes(place.1, &triangle)
            {
                free.remove(&from);
                self.trees[place.0 as usize].put(place.1, triangle, number, face);
                self.places[number as usize] = place;
                continue;
            }
            triangles.push(triangle);
            numbers.push(number);
            faces.push(face);
        }
        if triangles.is_empty() {
            return;
        }
        // When there are many small trees they are joined, so that rays never ask many.
        let small = self.trees[1..].iter().rev().take_while(|tree| tree.alive < SMALL).count();
        for _ in 0..if small >= MOST_SMALL { small } else { 0 } {
            let Some(last) = self.trees.pop() else { break };
            for slot in (0..last.faces.len()).filter(|&slot| last.faces[slot] != GONE) {
                triangles.push(last.triangles[slot]);
                numbers.push(last.numbers[slot]);
                faces.push(last.faces[slot]);
            }
        }
        let tree = Tree::new(&triangles, &numbers, &BvhBuildParams::fast_build(), |i| faces[i]);
        for (slot, &number) in tree.numbers.iter().enumerate() {
            self.places[number as usize] = (self.trees.len() as u32, slot as u32);
        }
        self.trees.push(tree);
    }

    /// Whether so much has changed that one tree over all should be built anew.
    #[must_use]
    #[inline]
    pub(super) fn is_worn(&self) -> bool {
        let changed: usize = self.trees[1..].iter().map(|tree| tree.triangles.len()).sum();
        self.trees.len() > 24 || 8 * changed > self.trees[0].triangles.len()
    }
}
