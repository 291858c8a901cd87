//! A front that marches over the triangles of a surface (Kimmel and Sethian, Computing Geodesic Paths
//! on Manifolds, 1998).
//!
//! From one point it goes out in circles, and each triangle is laid flat beside the place where the
//! front seems to come from; from a line or a region it goes on in parallel. Where a triangle has an
//! obtuse angle, a front may come from between its two sides: there the surface beyond its long side is
//! laid flat as well, up to a point that cuts the angle in two (the same, section 4).

use std::{cmp::Reverse, collections::BinaryHeap};

use glam::DVec2;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use speckle_mesh::{Geometry, geometry::triangulate::first_triangle};

use crate::bake::watch::{GivenUp, Watch};

/// Where a front starts: vertices with the distance they begin with.
#[derive(Clone, Debug, PartialEq)]
pub struct Start {
    /// Vertices, and how far they are from the root.
    pub seeds: Vec<(u32, f32)>,
    /// Whether all of them lie about one point; else those that lie next to each other are one root,
    /// and one that lies alone is a point.
    pub is_about_a_point: bool,
}

/// A float that can be put in order.
#[derive(Clone, Copy, PartialEq)]
struct Far(f32);

impl Eq for Far {}

impl PartialOrd for Far {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Far {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// The points of a surface as a front meets them: vertices at one point of one piece are one, and
/// pieces that touch have points of their own.
struct Nodes<'a> {
    geometry: &'a Geometry,
    of_corners: Vec<u32>,
    /// A corner of each.
    corners: Vec<u32>,
}

impl<'a> Nodes<'a> {
    fn new(geometry: &'a Geometry) -> Self {
        let (mesh, topology, pieces) = (geometry.mesh(), geometry.topology(), geometry.pieces());
        let (mut of_corners, mut corners) = (vec![0_u32; mesh.corner_count()], Vec::new());
        let mut here: FxHashMap<usize, u32> = FxHashMap::default();
        for vertex in (0..mesh.vertex_count()).filter(|&v| topology.point_of(v) == v) {
            here.clear();
            let mut last = None;
            for &corner in topology.corners_at(vertex) {
                let piece = pieces.of(topology.face_of(corner as usize));
                let node = match last {
                    Some((same, node)) if same == piece => node,
                    _ => *here.entry(piece).or_insert_with(|| {
                        corners.push(corner);
                        corners.len() as u32 - 1
                    }),
                };
                last = Some((piece, node));
                of_corners[corner as usize] = node;
            }
        }
        Self { geometry, of_corners, corners }
    }

    /// The triangles at a node, each as its three nodes and corners, the node itself first.
    fn triangles(&self, node: u32) -> impl Iterator<Item = ([u32; 3], [u32; 3])> + '_ {
        let (mesh, topology) = (self.geometry.mesh(), self.geometry.topology());
        let corner = self.corners[node as usize] as usize;
        let at = topology.corners_at(mesh.corner_vertices()[corner] as usize);
        let own = at.iter().filter(move |&&corner| self.of_corners[corner as usize] == node);
        own.flat_map(move |&corner| {
            let face = topology.face_of(corner as usize);
            let (first, count) = (first_triangle(mesh, face), mesh.face_corners(face).len() - 2);
            let triangles = &self.geometry.triangulation().corners()[first..first + count];
            triangles.iter().filter_map(move |t| {
                let at = t.iter().position(|&c| c == corner)?;
                let turned = [t[at], t[(at + 1) % 3], t[(at + 2) % 3]];
                Some((turned.map(|c| self.of_corners[c as usize]), turned))
            })
        })
    }

    /// How far two nodes are apart. In double precision: triangles are laid flat by their lengths.
    fn length(&self, a: u32, b: u32) -> f64 {
        let [a, b] = [a, b].map(|node| {
            self.geometry.mesh().corner_position(self.corners[node as usize] as usize).as_dvec3()
        });
        a.distance(b)
    }

    /// The node of the one triangle beyond an edge of a triangle.
    fn beyond(&self, edge: [u32; 2], third: u32) -> Option<u32> {
        let others = self.triangles(edge[0]).filter_map(|([_, b, c], _)| match edge[1] {
            e if e == b && c != third => Some(c),
            e if e == c && b != third => Some(b),
            _ => None,
        });
        let others: SmallVec<[u32; 2]> = others.collect();
        if let [only] = others[..] { Some(only) } else { None }
    }

    /// What cuts the obtuse angle at the first node of a triangle in two: the node and how far it is,
    /// laid flat, from each of the three.
    fn cutting(&self, [at, a, b]: [u32; 3]) -> Option<(u32, [f64; 3])> {
        let (to_a, to_b, side) = (self.length(at, a), self.length(at, b), self.length(a, b));
        // The angle is obtuse when its square is missing (law of cosines).
        if to_a * to_a + to_b * to_b >= side * side {
            return None;
        }
        let (own, flat_a) = (DVec2::ZERO, DVec2::new(to_a, 0.0));
        let flat_b = beside(own, flat_a, to_b, side)?;
        // Within a right angle of either side.
        let is_between = |p: DVec2| p.dot(flat_a) > 0.0 && p.dot(flat_b) > 0.0;
        let middle = flat_a.normalize() + flat_b.normalize();
        let ([mut left, mut right], mut third) = ([(a, flat_a), (b, flat_b)], at);
        for _ in 0..MOST_UNFOLDED {
            let next = self.beyond([left.0, right.0], third)?;
            let (to_left, to_right) = (self.length(left.0, next), self.length(right.0, next));
            // On the other side of the edge than what has been laid flat.
            let flat = beside(right.1, left.1, to_right, to_left)?;
            if is_between(flat) {
                let far = [own, flat_a, flat_b].map(|p| p.distance(flat));
                return Some((next, far));
            }
            // On through the side that the middle of the angle goes through.
            (left, right, third) = if middle.perp_dot(flat) > 0.0 {
                (left, (next, flat), right.0)
            } else {
                ((next, flat), right, left.0)
            };
        }
        None
    }
}

/// How many triangles are laid flat at most to cut an angle in two, or to look along a line.
const MOST_UNFOLDED: usize = 24;

/// Through how many edges is looked at most from one point.
const MOST_WINDOWS: usize = 1024;

/// An edge through which a point is seen, which lies at the origin of the plane: its ends, the first
/// one clockwise of the other, and the two lines between which it is seen.
struct Window {
    ends: [(u32, DVec2); 2],
    /// The third node of the triangle before it.
    before: u32,
    lines: [DVec2; 2],
    depth: usize,
}

impl Nodes<'_> {
    /// What is seen from a point along straight lines, over triangles laid flat, with how far it is:
    /// around a point the front's two arms do not tell yet where it comes from.
    fn seen(&self, mut windows: Vec<Window>) -> Vec<(u32, f32)> {
        let mut seen = Vec::new();
        let mut count = 0;
        while let Some(Window { ends: [low, high], before, lines, depth }) = windows.pop() {
            count += 1;
            if count > MOST_WINDOWS || depth > MOST_UNFOLDED {
                continue;
            }
            let Some(next) = self.beyond([low.0, high.0], before) else { continue };
            let (to_low, to_high) = (self.length(low.0, next), self.length(high.0, next));
            let Some(flat) = beside(high.1, low.1, to_high, to_low) else { continue };
            let (after_low, before_high) = (lines[0].perp_dot(flat), flat.perp_dot(lines[1]));
            if after_low >= 0.0 && before_high >= 0.0 {
                seen.push((next, flat.length() as f32));
            }
            let next = (next, flat);
            if after_low > 0.0 {
                let lines = [lines[0], if before_high > 0.0 { flat } else { lines[1] }];
                windows.push(Window { ends: [low, next], before: high.0, lines, depth: depth + 1 });
            }
            if before_high > 0.0 {
                let lines = [if after_low > 0.0 { flat } else { lines[0] }, lines[1]];
                windows.push(Window { ends: [next, high], before: low.0, lines, depth: depth + 1 });
            }
        }
        seen
    }

    /// The edges through which a node looks first.
    fn windows_of(&self, node: u32) -> Vec<Window> {
        let window = |([own, b, c], _): ([u32; 3], [u32; 3])| {
            let (to_b, to_c) = (self.length(own, b), self.length(own, c));
            let flat_b = DVec2::new(to_b, 0.0);
            let flat_c = beside(DVec2::ZERO, flat_b, to_c, self.length(b, c))?;
            Some(Window {
                ends: [(b, flat_b), (c, flat_c)],
                before: own,
                lines: [flat_b, flat_c],
                depth: 0,
            })
        };
        self.triangles(node).filter_map(window).collect()
    }

    /// Those through which a point within a triangle looks first, by how far its nodes are; none where
    /// it lies in another one.
    fn windows_from(&self, t: [u32; 3], far: [f64; 3]) -> Vec<Window> {
        let [ab, bc, ca] = [(0, 1), (1, 2), (2, 0)].map(|(i, j)| self.length(t[i], t[j]));
        let (a, b) = (DVec2::ZERO, DVec2::new(ab, 0.0));
        let Some((c, point)) = beside(a, b, ca, bc).zip(beside(a, b, far[0], far[1])) else {
            return Vec::new();
        };
        let hair = 1e-3 * ab.max(bc).max(ca);
        if (point.distance(c) - far[2]).abs() > hair {
            return Vec::new();
        }
        let flat = [a, b, c].map(|corner| corner - point);
        let sides = [(0, 1), (1, 2), (2, 0)];
        if sides.iter().any(|&(i, j)| flat[i].perp_dot(flat[j]) < -hair * hair) {
            return Vec::new();
        }
        sides
            .into_iter()
            .filter(|&(i, j)| flat[i].perp_dot(flat[j]) > 0.0)
            .map(|(i, j)| Window {
                ends: [(t[i], flat[i]), (t[j], flat[j])],
                before: t[3 - i - j],
                lines: [flat[i], flat[j]],
                depth: 0,
            })
            .collect()
    }
}

/// The point at two distances from the ends of a segment, to the left of it.
fn beside(from: DVec2, to: DVec2, from_first: f64, from_second: f64) -> Option<DVec2> {
    let side = from.distance(to);
    let along = (to - from).try_normalize()?;
    let x = (from_first * from_first - from_second * from_second + side * side) / (2.0 * side);
    let y = (from_first * from_first - x * x).max(0.0).sqrt();
    x.is_finite().then(|| from + along * x + along.perp() * y)
}

/// What a triangle's obtuse angle was cut into: a triangle of a node with one of its own and one
/// further off.
#[derive(Clone, Copy)]
struct Cut {
    free: u32,
    other: u32,
    flat: Flat,
}

/// A triangle laid flat: the length of its side, and where its third point is above it.
#[derive(Clone, Copy)]
struct Flat {
    side: f32,
    x: f32,
    y: f32,
}

impl Flat {
    /// By the distances of the third point from both ends.
    fn new(from_a: f64, from_b: f64, side: f64) -> Option<Self> {
        let x = (from_a * from_a - from_b * from_b + side * side) / (2.0 * side);
        let y = (from_a * from_a - x * x).max(0.0).sqrt();
        x.is_finite().then_some(Self { side: side as f32, x: x as f32, y: y as f32 })
    }

    /// The same from the other end.
    fn turned(self) -> Self {
        Self { x: self.side - self.x, ..self }
    }

    /// How far the third point is from the side itself.
    fn above(self) -> f32 {
        let beside = self.x - self.x.clamp(0.0, self.side);
        beside.hypot(self.y)
    }

    /// From the place the front seems to come from, if the way from there goes through the side.
    fn in_circles(self, da: f32, db: f32) -> Option<f32> {
        let Self { side, x, y } = self;
        let sx = (da * da - db * db + side * side) / (2.0 * side);
        let square = da * da - sx * sx;
        if square < 0.0 {
            return None;
        }
        let sy = -square.sqrt();
        let crossing = sx + (x - sx) * (-sy / (y - sy));
        let is_through = (0.0..=side).contains(&crossing);
        is_through.then(|| (x - sx).hypot(y - sy))
    }

    /// A front that is straight, if it comes through the side.
    fn in_parallel(self, da: f32, db: f32) -> Option<f32> {
        let Self { side, x, y } = self;
        // How fast the distance grows along the side, and so straight up from it.
        let along = (db - da) / side;
        let up = (1.0 - along * along).max(0.0).sqrt();
        if up <= 0.0 {
            return None;
        }
        let crossing = x - y * along / up;
        (0.0..=side).contains(&crossing).then_some(da + along * x + up * y)
    }
}

/// A front that marches over a surface, as often as is wanted: it goes no further than its piece,
/// and remembers nothing of the last march.
pub struct Front<'a> {
    nodes: Nodes<'a>,
    /// At each node, the triangles beside it that angles were cut into.
    cuts: FxHashMap<u32, SmallVec<[Cut; 4]>>,
    far: Vec<f32>,
    is_fixed: Vec<bool>,
    /// Which root the front came from.
    root: Vec<u32>,
    /// The nodes that have a distance.
    met: Vec<u32>,
}

impl<'a> Front<'a> {
    /// Makes ready.
    #[must_use]
    pub fn new(geometry: &'a Geometry) -> Self {
        let nodes = Nodes::new(geometry);
        let count = nodes.corners.len();
        // Asked for before work is shared out: see `Geometry`.
        let triangles = geometry.triangulation().corners();
        let found: Vec<(u32, u32, Cut)> = triangles
            .par_iter()
            .with_min_len(1024)
            .flat_map_iter(|t| {
                let t = t.map(|corner| nodes.of_corners[corner as usize]);
                let turned = [t, [t[1], t[2], t[0]], [t[2], t[0], t[1]]];
                turned.into_iter().flat_map(|t| cuts_of(&nodes, t)).collect::<SmallVec<[_; 4]>>()
            })
            .collect();
        let mut cuts: FxHashMap<u32, SmallVec<[Cut; 4]>> = FxHashMap::default();
        for (a, b, cut) in found {
            cuts.entry(a).or_default().push(cut);
            cuts.entry(b).or_default().push(Cut { other: a, flat: cut.flat.turned(), ..cut });
        }
        let (far, is_fixed) = (vec![f32::INFINITY; count], vec![false; count]);
        Self { nodes, cuts, far, is_fixed, root: vec![0; count], met: Vec::new() }
    }

    /// How far a vertex is by the last march; infinite where no surface led.
    #[must_use]
    pub fn distance(&self, vertex: usize) -> f32 {
        let geometry = self.nodes.geometry;
        let corners = geometry.topology().own_corners(geometry.mesh(), vertex);
        let far = corners.map(|corner| self.far[self.nodes.of_corners[corner] as usize]);
        far.fold(f32::INFINITY, f32::min)
    }

    fn meet(&mut self, node: u32, found: f32, root: u32) -> bool {
        let far = &mut self.far[node as usize];
        if found >= *far {
            return false;
        }
        if *far == f32::INFINITY {
            self.met.push(node);
        }
        *far = found;
        self.root[node as usize] = root;
        true
    }

    /// Marches from a start over all that can be reached.
    ///
    /// # Errors
    /// When it was given up.
    pub fn march(&mut self, start: &Start, watch: &Watch) -> Result<(), GivenUp> {
        for node in self.met.drain(..).map(|node| node as usize) {
            (self.far[node], self.is_fixed[node]) = (f32::INFINITY, false);
        }
        let geometry = self.nodes.geometry;
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        for &(vertex, distance) in &start.seeds {
            for corner in topology.own_corners(mesh, vertex as usize) {
                self.meet(self.nodes.of_corners[corner], distance, 0);
            }
        }
        let is_point = self.roots(start);
        self.look_around(&is_point);
        let mut open: BinaryHeap<_> =
            self.met.iter().map(|&node| Reverse((Far(self.far[node as usize]), node))).collect();
        let mut steps = 0_u32;
        while let Some(Reverse((_, at))) = open.pop() {
            if std::mem::replace(&mut self.is_fixed[at as usize], true) {
                continue;
            }
            steps = steps.wrapping_add(1);
            if steps.is_multiple_of(4096) {
                watch.check()?;
            }
            let mut found: SmallVec<[(u32, f32); 16]> = SmallVec::new();
            for ([_, b, c], _) in self.nodes.triangles(at) {
                for (free, other) in [(c, b), (b, c)] {
                    if self.is_fixed[free as usize] {
                        continue;
                    }
                    let to = self.nodes.length(at, free);
                    let mut nearest = self.far[at as usize] + to as f32;
                    if self.is_fixed[other as usize] {
                        let (side, from) =
                            (self.nodes.length(at, other), self.nodes.length(other, free));
                        let flat = Flat::new(to, from, side);
                        let through =
                            flat.and_then(|flat| self.through(flat, at, other, &is_point));
                        nearest = nearest.min(through.unwrap_or(f32::INFINITY));
                    }
                    found.push((free, nearest));
                }
            }
            for &Cut { free, other, flat } in self.cuts.get(&at).into_iter().flatten() {
                if self.is_fixed[other as usize] && !self.is_fixed[free as usize] {
                    found.extend(self.through(flat, at, other, &is_point).map(|far| (free, far)));
                }
            }
            let root = self.root[at as usize];
            for (free, far) in found {
                if self.meet(free, far, root) {
                    open.push(Reverse((Far(far), free)));
                }
            }
        }
        Ok(())
    }

    /// How far a point is that the front reaches through a side whose ends it has passed.
    fn through(&self, flat: Flat, a: u32, b: u32, is_point: &[bool]) -> Option<f32> {
        let [da, db] = [a, b].map(|node| self.far[node as usize]);
        let [root, other] = [a, b].map(|node| self.root[node as usize]);
        match () {
            // Of two roots each comes by its own way.
            () if root != other => None,
            () if da == 0.0 && db == 0.0 => Some(flat.above()),
            () if is_point[root as usize] => flat.in_circles(da, db),
            () => flat.in_parallel(da, db),
        }
    }

    /// Looks around from roots that are points.
    fn look_around(&mut self, is_point: &[bool]) {
        let far = |node: u32| f64::from(self.far[node as usize]);
        let mut seen = Vec::new();
        for &node in self.met.iter().filter(|&&node| is_point[self.root[node as usize] as usize]) {
            let root = self.root[node as usize];
            let windows = if far(node) == 0.0 {
                self.nodes.windows_of(node)
            } else {
                let is_first = |t: &[u32; 3]| {
                    t[1..].iter().all(|&o| node < o && self.far[o as usize].is_finite())
                };
                let triangles = self.nodes.triangles(node).map(|(t, _)| t).filter(is_first);
                triangles.flat_map(|t| self.nodes.windows_from(t, t.map(far))).collect()
            };
            seen.extend(self.nodes.seen(windows).into_iter().map(|(node, far)| (node, far, root)));
        }
        for (node, far, root) in seen {
            self.meet(node, far, root);
        }
    }

    /// Numbers what starts by its roots, and tells which of them are points.
    fn roots(&mut self, start: &Start) -> Vec<bool> {
        if start.is_about_a_point {
            return vec![true];
        }
        let mut is_point = Vec::new();
        let mut is_numbered: FxHashMap<u32, bool> =
            self.met.iter().map(|&node| (node, false)).collect();
        let mut waiting = Vec::new();
        for &first in &self.met {
            if is_numbered.insert(first, true) == Some(true) {
                continue;
            }
            let mut count = 0;
            waiting.push(first);
            while let Some(node) = waiting.pop() {
                self.root[node as usize] = is_point.len() as u32;
                count += 1;
                for ([_, b, c], _) in self.nodes.triangles(node) {
                    for other in [b, c] {
                        if is_numbered.get(&other) == Some(&false) {
                            is_numbered.insert(other, true);
                            waiting.push(other);
                        }
                    }
                }
            }
            is_point.push(count == 1);
        }
        is_point
    }
}

/// The two triangles that the angle at the first node is cut into, if it is obtuse: each with the
/// nodes at the ends of its side.
fn cuts_of(nodes: &Nodes, t: [u32; 3]) -> SmallVec<[(u32, u32, Cut); 2]> {
    let [at, a, b] = t;
    let Some((middle, [own, from_a, from_b])) = nodes.cutting(t) else { return SmallVec::new() };
    [(a, from_a), (b, from_b)]
        .into_iter()
        .filter_map(|(end, side)| {
            let flat = Flat::new(nodes.length(at, end), own, side)?;
            Some((end, middle, Cut { free: at, other: middle, flat }))
        })
        .collect()
}
