//! Edges that leave a flood, split next to its border, so that what belongs to vertices runs out there.
//!
//! A vertex belongs to every face around it: without this, what is poured over a face shows on all faces that
//! share a vertex with it, fading to their other ends.

use rustc_hash::FxHashSet;
use smallvec::SmallVec;

use super::{BAND, splitting::Work};

/// What is known of a flood while edges around it are split.
struct Around {
    /// For each face, whether it is flooded.
    is_in: Vec<bool>,
    /// For each vertex, whether a flooded face has it.
    is_painted: Vec<bool>,
    /// Vertices that lie next to a painted one: the flood runs out before them.
    near: FxHashSet<u32>,
}

impl Work<'_, '_> {
    /// Splits edges outside of a flood near its border; `flooded` are its faces.
    pub(super) fn cut_around(&mut self, flooded: &[u32]) {
        let mesh = self.edit.mesh();
        let mut known = Around {
            is_in: vec![false; mesh.face_count()],
            is_painted: vec![false; mesh.vertex_count()],
            near: FxHashSet::default(),
        };
        for &face in flooded {
            known.is_in[face as usize] = true;
            for &vertex in mesh.face_vertices(face as usize) {
                known.is_painted[vertex as usize] = true;
            }
        }
        let is_beside = |face: usize| {
            let has_painted =
                mesh.face_vertices(face).iter().any(|&v| known.is_painted[v as usize]);
            !known.is_in[face] && has_painted
        };
        let beside: Vec<u32> = (0..mesh.face_count())
            .filter(|&face| is_beside(face))
            .map(|face| face as u32)
            .collect();
        known.near = self.near_already(&beside, &known.is_painted);
        // A face between flooded ones gets a point in its middle, by way of its longest edge; then edges between
        // two painted vertices get one that is not; then each edge that leaves the flood is split next to it.
        let beside = self.split_around(beside, &mut known, |work, corners, known| {
            let is_enclosed = corners.iter().all(|&corner| {
                known.is_painted[work.vertex(corner)] && work.is_flooded(corner, known)
            });
            is_enclosed.then(|| (work.longest(corners).0, 0.5))
        });
        let beside = self.split_around(beside, &mut known, |work, corners, known| {
            let between = corners.into_iter().find(|&corner| {
                let ends = work.ends(corner);
                ends.iter().all(|&end| known.is_painted[end]) && !work.is_flooded(corner, known)
            });
            Some((between?, 0.5))
        });
        self.split_around(beside, &mut known, |work, corners, known| {
            corners.into_iter().find_map(|corner| {
                let [from, to] = work.ends(corner);
                let leaves = known.is_painted[from] != known.is_painted[to];
                let (beyond, along) =
                    if known.is_painted[from] { (to, BAND) } else { (from, 1.0 - BAND) };
                let is_whole = leaves && !known.near.contains(&(beyond as u32));
                (is_whole && !work.is_flooded(corner, known)).then_some((corner, along))
            })
        });
    }

    /// Splits edges of faces as long as something names one, and how far along; gives back all those faces and
    /// what has become of them.
    fn split_around(
        &mut self,
        faces: Vec<u32>,
        known: &mut Around,
        which: impl Fn(&Self, [usize; 3], &Around) -> Option<(usize, f32)>,
    ) -> Vec<u32> {
        let mut all = faces.clone();
        let mut waiting = faces;
        while let Some(face) = waiting.pop() {
            if known.is_in[face as usize] {
                continue;
            }
            let Some(corners) = self.corners(face) else { continue };
            let Some((corner, along)) = which(self, corners, known) else { continue };
            let topology = self.edit.geometry().topology();
            let ring: SmallVec<[u32; 4]> =
                topology.around(corner).map(|c| topology.face_of(c) as u32).collect();
            let Some(come) = self.split(corner, along) else { continue };
            // What comes is in where what it comes from is; a vertex is painted where a face around it is.
            let of_ring = ring.iter().map(|&face| known.is_in[face as usize]);
            let of_ring: SmallVec<[bool; 4]> = of_ring.collect();
            known.is_in.extend(of_ring);
            let first = known.is_painted.len();
            known.is_painted.resize(self.edit.mesh().vertex_count(), false);
            let is_near = along.min(1.0 - along) <= BAND;
            known
                .near
                .extend((first..known.is_painted.len()).filter(|_| is_near).map(|v| v as u32));
            for &face in ring.iter().chain(&come).filter(|&&face| known.is_in[face as usize]) {
                for &vertex in self.edit.mesh().face_vertices(face as usize) {
                    known.is_painted[vertex as usize] = true;
                }
            }
            all.extend(&come);
            waiting.extend(come);
            waiting.extend(ring);
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    fn vertex(&self, corner: usize) -> usize {
        self.edit.mesh().corner_vertices()[corner] as usize
    }

    /// The vertices at the ends of the edge that begins at a corner.
    fn ends(&self, corner: usize) -> [usize; 2] {
        [corner, self.next(corner)].map(|corner| self.vertex(corner))
    }

    fn next(&self, corner: usize) -> usize {
        let range = self.edit.mesh().face_corners(self.edit.geometry().topology().face_of(corner));
        if corner + 1 < range.end { corner + 1 } else { range.start }
    }

    /// Whether a flooded face lies at an edge.
    fn is_flooded(&self, corner: usize, known: &Around) -> bool {
        let topology = self.edit.geometry().topology();
        topology.around(corner).any(|c| known.is_in[topology.face_of(c)])
    }

    /// The vertices that an earlier pour put next to those that are painted now: twice the band away at most, by the
    /// longest edge at the painted one.
    fn near_already(&self, beside: &[u32], is_painted: &[bool]) -> FxHashSet<u32> {
        let (mesh, topology) = (self.edit.mesh(), self.edit.geometry().topology());
        let longest = |vertex: usize| {
            let corners = topology.corners_at(vertex).iter().map(|&corner| corner as usize);
            let faces = corners.map(|corner| topology.face_of(corner));
            let lengths = faces.filter_map(|face| Some(self.longest(self.corners(face as u32)?).1));
            lengths.fold(0.0, f32::max)
        };
        let mut near = FxHashSet::default();
        for &face in beside {
            for corner in mesh.face_corners(face as usize) {
                let [from, to] = self.ends(corner);
                let (painted, other) = match (is_painted[from], is_painted[to]) {
                    (true, false) => (from, to),
                    (false, true) => (to, from),
                    _ => continue,
                };
                let length = self.place(corner).distance(self.place(self.next(corner)));
                if length <= 2.0 * BAND * longest(painted) {
                    near.insert(other as u32);
                }
            }
        }
        near
    }
}
