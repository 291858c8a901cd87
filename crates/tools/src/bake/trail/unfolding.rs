//! Triangles of a surface laid flat: what lies beyond their edges, and how a front crosses them.

use glam::{DVec2, Vec3};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use speckle_mesh::{Geometry, geometry::lists::grouped};

/// The points of a surface as a front meets them: vertices at one point of one piece are one, and
/// pieces that touch have points of their own.
pub(in crate::bake) struct Nodes<'a> {
    pub(in crate::bake) geometry: &'a Geometry,
    pub(in crate::bake) of_corners: Vec<u32>,
    /// A corner of each.
    pub(in crate::bake) corners: Vec<u32>,
    /// Where each is.
    pub(in crate::bake) points: Vec<Vec3>,
    /// Where the triangles at each begin among those of all, and one past the last.
    starts: Vec<u32>,
    /// The other two nodes of each triangle at a node, in its turn.
    others: Vec<[u32; 2]>,
}

impl<'a> Nodes<'a> {
    pub(in crate::bake) fn new(geometry: &'a Geometry) -> Self {
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
        let points = corners.iter().map(|&corner| mesh.corner_position(corner as usize)).collect();
        // Each corner of a triangle by its node.
        let triangles = geometry.triangulation().corners();
        let node = |nth: usize| of_corners[triangles[nth / 3][nth % 3] as usize];
        let (starts, members) =
            grouped(corners.len(), 3 * triangles.len(), |nth| Some(node(nth) as usize));
        let others = members.par_iter().map(|&nth| {
            let (first, own) = (nth as usize / 3 * 3, nth as usize % 3);
            [1, 2].map(|after| node(first + (own + after) % 3))
        });
        let others = others.collect();
        Self { geometry, of_corners, corners, points, starts, others }
    }

    /// The other two nodes of each triangle at a node, in its turn.
    #[inline]
    pub(in crate::bake) fn around(&self, node: u32) -> &[[u32; 2]] {
        let [from, to] = [0, 1].map(|i| self.starts[node as usize + i] as usize);
        &self.others[from..to]
    }

    /// How far two nodes are apart. In double precision: triangles are laid flat by their lengths.
    pub(super) fn length(&self, a: u32, b: u32) -> f64 {
        let [a, b] = [a, b].map(|node| self.points[node as usize].as_dvec3());
        a.distance(b)
    }

    /// The node of the one triangle beyond an edge of a triangle.
    pub(in crate::bake) fn beyond(&self, edge: [u32; 2], third: u32) -> Option<u32> {
        // At whichever end fewer are: at the other one there may be a crowd.
        let [one, other] = edge.map(|end| self.around(end));
        let (triangles, end) =
            if one.len() <= other.len() { (one, edge[1]) } else { (other, edge[0]) };
        let mut others = triangles.iter().filter_map(|&[b, c]| match end {
            e if e == b && c != third => Some(c),
            e if e == c && b != third => Some(b),
            _ => None,
        });
        let first = others.next()?;
        others.next().is_none().then_some(first)
    }

    /// What cuts the obtuse angle at the first node of a triangle in two: the node and how far it is,
    /// laid flat, from each of the three.
    fn cutting(&self, [at, a, b]: [u32; 3]) -> Option<(u32, [f64; 3])> {
        let [own, one, other] = [at, a, b].map(|node| self.points[node as usize].as_dvec3());
        if (one - own).dot(other - own) >= 0.0 {
            return None;
        }
        let (to_a, to_b, side) = (self.length(at, a), self.length(at, b), self.length(a, b));
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

    /// The two triangles that the angle at the first node is cut into, if it is obtuse: each with the
    /// node at the first end of its side.
    fn cuts_of(&self, t: [u32; 3]) -> SmallVec<[(u32, Cut); 2]> {
        let [at, a, b] = t;
        let Some((middle, [own, from_a, from_b])) = self.cutting(t) else {
            return SmallVec::new();
        };
        let cut = |(end, side): (u32, f64)| {
            let flat = Flat::new(self.length(at, end), own, side)?;
            Some((end, Cut { free: at, other: middle, flat }))
        };
        [(a, from_a), (b, from_b)].into_iter().filter_map(cut).collect()
    }
}

/// How many triangles are laid flat at most to cut an angle in two, or to look along a line.
const MOST_UNFOLDED: usize = 24;

/// Through how many edges is looked at most from one point.
const MOST_WINDOWS: usize = 1024;

/// An edge through which a point is seen, which lies at the origin of the plane: its ends, the first
/// one clockwise of the other, and the two lines between which it is seen.
pub(super) struct Window {
    ends: [(u32, DVec2); 2],
    /// The third node of the triangle before it.
    before: u32,
    lines: [DVec2; 2],
    depth: usize,
}

impl Nodes<'_> {
    /// What is seen from a point along straight lines, over triangles laid flat, with how far it is:
    /// around a point the front's two arms do not tell yet where it comes from.
    pub(super) fn seen(&self, mut windows: Vec<Window>) -> Vec<(u32, f32)> {
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
    pub(super) fn windows_of(&self, node: u32) -> Vec<Window> {
        let window = |&[b, c]: &[u32; 2]| {
            let (to_b, to_c) = (self.length(node, b), self.length(node, c));
            let flat_b = DVec2::new(to_b, 0.0);
            let flat_c = beside(DVec2::ZERO, flat_b, to_c, self.length(b, c))?;
            Some(Window {
                ends: [(b, flat_b), (c, flat_c)],
                before: node,
                lines: [flat_b, flat_c],
                depth: 0,
            })
        };
        self.around(node).iter().filter_map(window).collect()
    }

    /// Those through which a point within a triangle looks first, by how far its nodes are; none where
    /// it lies in another one.
    pub(super) fn windows_from(&self, t: [u32; 3], far: [f64; 3]) -> Vec<Window> {
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

/// The triangles that angles were cut into.
pub(super) struct Cuts {
    /// Where those at each node begin, and one past the last.
    starts: Vec<u32>,
    cuts: Vec<Cut>,
}

impl Cuts {
    pub(super) fn new(nodes: &Nodes) -> Self {
        // Asked for before work is shared out: see `Geometry`.
        let triangles = nodes.geometry.triangulation().corners();
        let found: Vec<(u32, Cut)> = triangles
            .par_iter()
            .with_min_len(1024)
            .flat_map_iter(|t| {
                let t = t.map(|corner| nodes.of_corners[corner as usize]);
                let turned = [t, [t[1], t[2], t[0]], [t[2], t[0], t[1]]];
                turned.into_iter().flat_map(|t| nodes.cuts_of(t)).collect::<SmallVec<[_; 2]>>()
            })
            .collect();
        // Of either end of its side.
        let end = |nth: usize| {
            let (end, cut) = &found[nth / 2];
            if nth.is_multiple_of(2) { *end } else { cut.other }
        };
        let (starts, members) =
            grouped(nodes.corners.len(), 2 * found.len(), |nth| Some(end(nth) as usize));
        let cut = |&nth: &u32| {
            let (end, cut) = found[nth as usize / 2];
            let turned = Cut { other: end, flat: cut.flat.turned(), ..cut };
            if nth.is_multiple_of(2) { cut } else { turned }
        };
        let cuts = members.par_iter().map(cut).collect();
        Self { starts, cuts }
    }

    /// Those at a node.
    pub(super) fn at(&self, node: u32) -> &[Cut] {
        let [from, to] = [0, 1].map(|i| self.starts[node as usize + i] as usize);
        &self.cuts[from..to]
    }
}

/// What a triangle's obtuse angle was cut into: a triangle of a node with one of its own and one
/// further off.
#[derive(Clone, Copy)]
pub(super) struct Cut {
    pub(super) free: u32,
    pub(super) other: u32,
    pub(super) flat: Flat,
}

/// A triangle laid flat: the length of its side, and where its third point is above it.
#[derive(Clone, Copy)]
pub(super) struct Flat {
    side: f32,
    x: f32,
    y: f32,
}

impl Flat {
    /// By the distances of the third point from both ends.
    pub(super) fn new(from_a: f64, from_b: f64, side: f64) -> Option<Self> {
        let x = (from_a * from_a - from_b * from_b + side * side) / (2.0 * side);
        let y = (from_a * from_a - x * x).max(0.0).sqrt();
        x.is_finite().then_some(Self { side: side as f32, x: x as f32, y: y as f32 })
    }

    /// The same from the other end.
    pub(super) fn turned(self) -> Self {
        Self { x: self.side - self.x, ..self }
    }

    /// How far the third point is from the side itself, and from which share of it.
    pub(super) fn above(self) -> (f32, f32) {
        let foot = self.x.clamp(0.0, self.side);
        ((self.x - foot).hypot(self.y), foot / self.side)
    }

    /// From the place the front seems to come from, if the way from there goes through the side.
    /// With the share of the side at which it does.
    pub(super) fn in_circles(self, da: f32, db: f32) -> Option<(f32, f32)> {
        let Self { side, x, y } = self;
        let sx = (da * da - db * db + side * side) / (2.0 * side);
        let square = da * da - sx * sx;
        if square < 0.0 {
            return None;
        }
        let sy = -square.sqrt();
        let crossing = sx + (x - sx) * (-sy / (y - sy));
        let is_through = (0.0..=side).contains(&crossing);
        is_through.then(|| ((x - sx).hypot(y - sy), crossing / side))
    }

    /// A front that is straight, if it comes through the side; with the share at which it does.
    pub(super) fn in_parallel(self, da: f32, db: f32) -> Option<(f32, f32)> {
        let Self { side, x, y } = self;
        // How fast the distance grows along the side, and so straight up from it.
        let along = (db - da) / side;
        let up = (1.0 - along * along).max(0.0).sqrt();
        if up <= 0.0 {
            return None;
        }
        let crossing = x - y * along / up;
        let is_through = (0.0..=side).contains(&crossing);
        is_through.then(|| (da + along * x + up * y, crossing / side))
    }
}
