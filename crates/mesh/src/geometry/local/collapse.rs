//! An edge collapsed into a point, where that tears nothing, folds nothing over and draws no border or seam away.

use glam::Vec3;
use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};

use super::{CornerData, LocalEdit, Mix, fills, is_sound, mixed};
use crate::mesh::MeshArrays;

/// An edge that can be collapsed.
pub(super) struct Collapse {
    /// The corners around it.
    ring: SmallVec<[usize; 2]>,
    /// The points at its ends.
    ends: [usize; 2],
    along: f32,
    to: Vec3,
    /// The vertices that become one: which stays, which goes.
    pairs: SmallVec<[[u32; 2]; 2]>,
    /// The corners at both ends, of the faces that stay.
    stay: [SmallVec<[usize; 16]>; 2],
}

impl LocalEdit<'_> {
    pub(super) fn plan_collapse(&self, corner: usize, along: f32) -> Option<Collapse> {
        let topology = self.geometry.topology();
        let ring: SmallVec<[usize; 2]> = topology.around(corner).collect();
        let start = self.point(corner);
        let end = self.point(self.on_any(corner)?);
        let is_crowded = [start, end].into_iter().any(|point| topology.is_crowded(point));
        if start == end || ring.len() > 2 || is_crowded {
            return None;
        }
        let at = |point: usize| topology.corners_at(point).iter().map(|&c| c as usize);
        if !at(start).chain(at(end)).all(|c| self.is_triangle(self.face_of(c))) {
            return None;
        }
        let in_ring = |c: usize| ring.iter().any(|&r| self.face_of(r) == self.face_of(c));

        // Only what lies around the edge may lie around both its ends (Dey, Edelsbrunner, Guha and
        // Nekhayev, Topology Preserving Edge Contraction, 1999).
        let opposite: SmallVec<[usize; 2]> =
            ring.iter().map(|&c| self.point(self.on(c, 2))).collect();
        let around_end = self.neighbours(end);
        let both = self.neighbours(start).into_iter().filter(|point| around_end.contains(point));
        if both.clone().count() != opposite.len() || !both.clone().all(|p| opposite.contains(&p)) {
            return None;
        }
        let borders = [start, end].map(|point| self.is_at_border(point));
        if borders == [true, true] && ring.len() == 2 {
            return None;
        }

        // Which vertices become one.
        let mut pairs: SmallVec<[[u32; 2]; 2]> = SmallVec::new();
        for &c in &ring {
            let [a, b] = [c, self.on(c, 1)];
            let pair = if self.point(a) == start { [a, b] } else { [b, a] };
            let pair = pair.map(|c| self.vertex(c));
            if !pairs.contains(&pair) {
                pairs.push(pair);
            }
        }
        let is_twice = |i: usize| pairs.len() == 2 && pairs[0][i] == pairs[1][i];
        if is_twice(0) || is_twice(1) {
            return None;
        }
        let has_others = |point: usize, i: usize| {
            at(point).any(|c| pairs.iter().all(|pair| pair[i] != self.vertex(c)))
        };
        let seams = [has_others(start, 0), has_others(end, 1)];
        let along = match (borders, seams) {
            ([true, false], _) | ([false, false], [true, false]) => 0.0,
            ([false, true], _) | ([false, false], [false, true]) => 1.0,
            (_, [false, false]) => along.clamp(0.0, 1.0),
            _ => return None,
        };
        // What is held at its place for the border must not have a seam drawn to it.
        if (along == 0.0 && seams[1]) || (along == 1.0 && seams[0]) {
            return None;
        }

        let positions = self.mesh().positions();
        let to = match along {
            0.0 => positions[start],
            1.0 => positions[end],
            _ => positions[start].lerp(positions[end], along),
        };
        let is_at_end = to == positions[start] || to == positions[end];
        if !to.is_finite() || (!is_at_end && topology.is_taken(to)) {
            return None;
        }
        let stay = [start, end]
            .map(|point| at(point).filter(|&c| !in_ring(c)).collect::<SmallVec<[usize; 16]>>());
        // A piece is not to vanish, and no face to lie on another.
        if stay[0].is_empty() && stay[1].is_empty() {
            return None;
        }
        let ends_of = |c: usize| {
            let [a, b] = [1, 2].map(|i| self.point(self.on(c, i)));
            [a.min(b), a.max(b)]
        };
        if stay[0].iter().any(|&c| stay[1].iter().any(|&other| ends_of(c) == ends_of(other))) {
            return None;
        }
        for &c in stay.iter().flatten() {
            let [old, b, d] = [0, 1, 2].map(|i| self.mesh().corner_position(self.on(c, i)));
            let normal = (b - old).cross(d - old);
            if normal != Vec3::ZERO && !is_sound([to, b, d], normal) {
                return None;
            }
        }
        // Vertices that fill a place must be no polygon's, and faces neither.
        let last_face = self.mesh().face_count() - 1;
        let fill = (0..ring.len()).all(|n| last_face >= n && self.is_triangle(last_face - n));
        (fill && last_face + 1 > ring.len()).then_some(Collapse {
            ring,
            ends: [start, end],
            along,
            to,
            pairs,
            stay,
        })
    }

    /// The next corner, if the face is a triangle.
    fn on_any(&self, corner: usize) -> Option<usize> {
        self.is_triangle(self.face_of(corner)).then(|| self.on(corner, 1))
    }

    /// For the corners at an end that stay, which of the faces around the edge lies nearer, going
    /// around the end.
    fn sides(&self, plan: &Collapse, end: usize) -> FxHashMap<usize, usize> {
        let topology = self.geometry.topology();
        let point = plan.ends[end];
        let mut side: FxHashMap<usize, usize> = FxHashMap::default();
        let mut open: SmallVec<[usize; 16]> = SmallVec::new();
        for (nth, &c) in plan.ring.iter().enumerate() {
            let face = self.face_of(c);
            side.insert(face, nth);
            open.push(face);
        }
        let mut next = 0;
        while let Some(&face) = open.get(next) {
            next += 1;
            let own = side[&face];
            for c in self.mesh().face_corners(face) {
                if self.point(c) != point && self.point(self.on(c, 1)) != point {
                    continue;
                }
                for other in topology.around(c).map(|c| self.face_of(c)) {
                    side.entry(other).or_insert_with(|| {
                        open.push(other);
                        own
                    });
                }
            }
        }
        side
    }

    pub(super) fn make_collapse(&mut self, plan: Collapse) {
        let along = plan.along;
        // Values first, while everything is still there.
        for &[stays, goes] in &plan.pairs {
            let mixes = [stays, goes].map(|v| self.vertex_mix(v));
            self.vertices.insert(stays, mixed(&[(&mixes[0], 1.0 - along), (&mixes[1], along)]));
        }
        let mut changed: Vec<(u32, [Mix; 3])> = Vec::new();
        let mut moved: Vec<(usize, CornerData)> = Vec::new();
        for end in 0..2 {
            // How far this end is drawn to the other one.
            let drawn = if end == 0 { along } else { 1.0 - along };
            if drawn == 0.0 {
                continue;
            }
            let sides = self.sides(&plan, end);
            for &c in &plan.stay[end] {
                let face = self.face_of(c);
                let ring = plan.ring[sides.get(&face).copied().unwrap_or(0)];
                let there = [ring, self.on(ring, 1)]
                    .into_iter()
                    .find(|&c| self.point(c) == plan.ends[1 - end]);
                let Some(there) = there else { continue };
                let mix =
                    mixed(&[(&self.corner_mix(c), 1.0 - drawn), (&self.corner_mix(there), drawn)]);
                let start = self.mesh().face_corners(face).start;
                let mut own = [0, 1, 2].map(|i| self.corner_mix(start + i));
                own[c - start] = mix;
                changed.push((face as u32, own));
                moved.push((c, self.data_at(c).lerp(&self.data_at(there), drawn)));
            }
        }
        self.corners.extend(changed);

        let topology = self.geometry.topology();
        let at_ends = || plan.ends.iter().flat_map(|&point| topology.corners_at(point));
        let mut faces: Vec<u32> = at_ends().map(|&c| self.face_of(c as usize) as u32).collect();
        let mut vertices: Vec<u32> = at_ends().map(|&c| self.vertex(c as usize)).collect();
        let drawn = vertices.clone();

        // The last ones fill the places of those that go.
        let mut gone: Vec<u32> = plan.ring.iter().map(|&c| self.face_of(c) as u32).collect();
        let face_moves = fills(&mut gone, self.mesh().face_count());
        faces.extend(face_moves.iter().flat_map(|[from, to]| [*from, *to]));
        let mut leave: Vec<u32> = plan.pairs.iter().map(|pair| pair[1]).collect();
        let mut vertex_moves = fills(&mut leave, self.mesh().vertex_count());
        let may_move = |&[from, _]: &[u32; 2]| {
            let mut corners = topology.own_corners(self.mesh(), from as usize);
            !topology.is_crowded(from as usize)
                && corners.all(|c| self.is_triangle(self.face_of(c)))
        };
        if !vertex_moves.iter().all(may_move) {
            // What a polygon uses keeps its number: those that go stay, used by nothing.
            (vertex_moves, leave) = (Vec::new(), Vec::new());
        }
        for &[from, to] in &vertex_moves {
            let corners = topology.own_corners(self.mesh(), from as usize);
            faces.extend(corners.map(|c| self.face_of(c) as u32));
            vertices.extend([from, to]);
        }
        for list in [&mut faces, &mut vertices] {
            list.sort_unstable();
            list.dedup();
        }
        for &[from, to] in &face_moves {
            let start = self.mesh().face_corners(from as usize).start as u32;
            let same = || [0, 1, 2].map(|i| smallvec![(start + i, 1.0)]);
            let corners = self.corners.remove(&from).unwrap_or_else(same);
            self.corners.insert(to, corners);
            let source = self.faces.remove(&from).unwrap_or(from);
            self.faces.insert(to, source);
        }
        for &[from, to] in &vertex_moves {
            let mix = self.vertex_mix(from);
            self.vertices.remove(&from);
            self.vertices.insert(to, mix);
        }

        self.change(&faces, &vertices, |arrays| {
            for (corner, data) in moved {
                data.put(arrays, corner);
            }
            let MeshArrays { positions, face_starts, corner_vertices, uv_sets, normals } = arrays;
            for &vertex in &drawn {
                positions[vertex as usize] = plan.to;
            }
            let joined = plan.pairs.iter().map(|&[stays, goes]| [goes, stays]);
            for [from, to] in joined.chain(vertex_moves.iter().copied()) {
                for &face in &faces {
                    let start = face_starts[face as usize] as usize;
                    let own = &mut corner_vertices[start..start + 3];
                    own.iter_mut().filter(|v| **v == from).for_each(|v| *v = to);
                }
            }
            for &[from, to] in &vertex_moves {
                positions[to as usize] = positions[from as usize];
            }
            positions.truncate(positions.len() - leave.len());
            for &[from, to] in &face_moves {
                let [from, to] = [from, to].map(|face| face_starts[face as usize] as usize);
                corner_vertices.copy_within(from..from + 3, to);
                uv_sets.iter_mut().for_each(|set| set.uvs.copy_within(from..from + 3, to));
                if !normals.is_empty() {
                    normals.copy_within(from..from + 3, to);
                }
            }
            face_starts.truncate(face_starts.len() - gone.len());
            let corners = corner_vertices.len() - 3 * gone.len();
            corner_vertices.truncate(corners);
            uv_sets.iter_mut().for_each(|set| set.uvs.truncate(corners));
            normals.truncate(corners);
        });
        let [vertex_count, face_count] = [self.mesh().vertex_count(), self.mesh().face_count()];
        for vertex in vertex_count..vertex_count + leave.len() {
            self.vertices.remove(&(vertex as u32));
        }
        for face in face_count..face_count + gone.len() {
            self.corners.remove(&(face as u32));
            self.faces.remove(&(face as u32));
        }
    }
}
