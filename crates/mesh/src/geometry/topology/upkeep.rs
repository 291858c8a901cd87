//! Connectivity kept up while some faces and points of a mesh change: what is around them is linked
//! anew, and it is then what it would be if all of it had been worked out.

use glam::Vec3;
use rustc_hash::FxHashMap;

use super::{CROWD, Topology, link};
use crate::mesh::Mesh;

/// Which vertices stand at the same point.
#[derive(Clone, Debug)]
pub struct Places {
    /// The first vertex at each place.
    first: FxHashMap<[u32; 3], u32>,
    /// For each vertex, the next one at the same place; the last one leads to some earlier one.
    next: Vec<u32>,
}

impl Places {
    fn new(mesh: &Mesh, point: &[u32]) -> Self {
        let mut next: Vec<u32> = (0..point.len() as u32).collect();
        let mut first = FxHashMap::with_capacity_and_hasher(point.len(), Default::default());
        for (vertex, &leader) in point.iter().enumerate() {
            if vertex == leader as usize {
                first.insert(key(mesh, leader), leader);
            } else {
                next.swap(vertex, leader as usize);
            }
        }
        Self { first, next }
    }
}

fn key(mesh: &Mesh, vertex: u32) -> [u32; 3] {
    bits(mesh.positions()[vertex as usize])
}

/// Adding 0 turns −0 into +0, which is the same place.
fn bits(point: Vec3) -> [u32; 3] {
    point.to_array().map(|x| (x + 0.0).to_bits())
}

/// So many corners or vertices at a point, or faces around an edge, are not kept up.
#[derive(Debug)]
pub struct Crowded;

/// What hangs open while a mesh changes.
#[derive(Debug)]
pub struct Opened {
    /// Corners of faces that stay, at edges of those that change; numbers of before, which they keep.
    beside: Vec<u32>,
    /// Vertices of before at the points of the faces that change.
    around: Vec<u32>,
}

impl Topology {
    /// Makes ready for changes: what takes a look at the whole mesh.
    pub fn prepare(&mut self, mesh: &Mesh) {
        if self.upkeep.is_none() {
            self.upkeep = Some(Places::new(mesh, &self.point));
        }
    }

    /// Whether a vertex stands at a place, once all has been made ready for changes.
    pub fn is_taken(&self, place: Vec3) -> bool {
        self.upkeep.as_ref().is_some_and(|upkeep| upkeep.first.contains_key(&bits(place)))
    }

    /// The vertices at the point of a vertex, from this one on.
    fn together(&self, vertex: u32) -> impl Iterator<Item = u32> + '_ {
        let next = self.upkeep.as_ref().map_or(&[] as &[u32], |upkeep| &upkeep.next);
        let step = move |&v: &u32| next.get(v as usize).copied().filter(|&v| v != vertex);
        std::iter::successors(Some(vertex), step)
    }

    /// Takes out faces and vertices (ascending) that are about to change or to go, in the mesh as it
    /// is still.
    ///
    /// # Errors
    /// When there is a crowd; nothing holds then any more.
    pub fn open(
        &mut self,
        mesh: &Mesh,
        faces: &[u32],
        vertices: &[u32],
    ) -> Result<Opened, Crowded> {
        self.prepare(mesh);
        let is_open = |topology: &Self, corner: u32| {
            faces.binary_search(&(topology.face_of(corner as usize) as u32)).is_ok()
        };
        let corners =
            || faces.iter().flat_map(|&face| mesh.face_corners(face as usize)).map(|c| c as u32);

        // Their edges.
        let mut edges: Vec<(u32, usize)> = Vec::new();
        let mut beside = Vec::new();
        for corner in corners() {
            let (mut count, mut first) = (0, corner);
            for other in self.around(corner as usize) {
                let other = other as u32;
                (count, first) = (count + 1, first.min(other));
                if !is_open(self, other) {
                    beside.push(other);
                }
            }
            if count >= CROWD / 2 {
                return Err(Crowded);
            }
            edges.push((first, count));
        }
        self.count(&mut edges, true);
        beside.sort_unstable();
        beside.dedup();

        // Their corners.
        let mut points: Vec<u32> =
            corners().map(|c| self.point[mesh.corner_vertices()[c as usize] as usize]).collect();
        points.sort_unstable();
        points.dedup();
        let mut around = Vec::with_capacity(points.len());
        let mut left = Vec::new();
        for &point in &points {
            let here = self.at_point.of(point as usize);
            if here.len() > CROWD || self.together(point).nth(CROWD).is_some() {
                return Err(Crowded);
            }
            around.extend(self.together(point));
            left.clear();
            left.extend(here.iter().copied().filter(|&corner| !is_open(self, corner)));
            self.points -= usize::from(left.is_empty());
            self.at_point.set(point as usize, &left);
        }

        // The vertices.
        for &vertex in vertices {
            self.leave(mesh, vertex)?;
        }
        Ok(Opened { beside, around })
    }

    /// Counts edges, each given once or more by its first corner and how many it joins.
    fn count(&mut self, edges: &mut Vec<(u32, usize)>, is_gone: bool) {
        edges.sort_unstable();
        edges.dedup();
        let odd = edges.iter().filter(|(_, count)| *count != 2).count();
        let [all, uneven] = &mut self.edges;
        if is_gone {
            (*all, *uneven) = (*all - edges.len(), *uneven - odd);
        } else {
            (*all, *uneven) = (*all + edges.len(), *uneven + odd);
        }
    }

    /// A vertex leaves its place; those that stay there go on without it.
    fn leave(&mut self, mesh: &Mesh, vertex: u32) -> Result<(), Crowded> {
        let others: Vec<u32> = self.together(vertex).skip(1).take(CROWD + 1).collect();
        if others.len() > CROWD {
            return Err(Crowded);
        }
        let is_first = self.point[vertex as usize] == vertex;
        let Some(upkeep) = &mut self.upkeep else { return Err(Crowded) };
        let Some((&last, &leader)) = others.last().zip(others.iter().min()) else {
            upkeep.first.remove(&key(mesh, vertex));
            return Ok(());
        };
        upkeep.next[last as usize] = upkeep.next[vertex as usize];
        upkeep.next[vertex as usize] = vertex;
        if is_first {
            upkeep.first.insert(key(mesh, vertex), leader);
            others.iter().for_each(|&other| self.point[other as usize] = leader);
            let corners = self.at_point.of(vertex as usize).to_vec();
            self.at_point.set(leader as usize, &corners);
            self.at_point.set(vertex as usize, &[]);
        }
        self.point[vertex as usize] = vertex;
        Ok(())
    }

    /// A vertex comes to a place, as it is now.
    fn arrive(&mut self, mesh: &Mesh, vertex: u32) {
        let Some(upkeep) = &mut self.upkeep else { return };
        let v = vertex as usize;
        (upkeep.next[v], self.point[v]) = (vertex, vertex);
        let leader = upkeep.first.entry(key(mesh, vertex)).or_insert(vertex);
        let before = *leader;
        if before == vertex {
            return;
        }
        upkeep.next.swap(v, before as usize);
        if before < vertex {
            self.point[v] = before;
            return;
        }
        *leader = vertex;
        let others: Vec<u32> = self.together(vertex).skip(1).collect();
        others.into_iter().for_each(|other| self.point[other as usize] = vertex);
        let corners = self.at_point.of(before as usize).to_vec();
        self.at_point.set(v, &corners);
        self.at_point.set(before as usize, &[]);
    }

    /// Puts in the faces and vertices (ascending) that have changed or come, in the mesh as it is
    /// now, and returns the vertices around which anything changed.
    ///
    /// # Errors
    /// When there is a crowd; nothing holds then any more.
    pub fn close(
        &mut self,
        mesh: &Mesh,
        opened: Opened,
        faces: &[u32],
        vertices: &[u32],
    ) -> Result<Vec<u32>, Crowded> {
        let (count, corner_count) = (mesh.vertex_count(), mesh.corner_count());
        self.point.resize(count, 0);
        self.at_point.resize(count);
        if let Some(upkeep) = &mut self.upkeep {
            upkeep.next.resize(count, 0);
        }
        self.across.resize(corner_count, 0);
        self.faces = mesh.face_count();
        if !self.corner_face.is_empty() {
            self.corner_face.resize(corner_count, 0);
            for &face in faces {
                self.corner_face[mesh.face_corners(face as usize)].fill(face);
            }
        }
        vertices.iter().for_each(|&vertex| self.arrive(mesh, vertex));

        let corners =
            || faces.iter().flat_map(|&face| mesh.face_corners(face as usize)).map(|c| c as u32);
        let point = |topology: &Self, corner: usize| {
            topology.point[mesh.corner_vertices()[corner] as usize]
        };
        let mut placed: Vec<(u32, u32)> =
            corners().map(|corner| (point(self, corner as usize), corner)).collect();
        placed.sort_unstable();
        let mut around: Vec<u32> =
            opened.around.into_iter().filter(|&vertex| (vertex as usize) < count).collect();
        around.extend_from_slice(vertices);
        for here in placed.chunk_by(|a, b| a.0 == b.0) {
            let at = here[0].0 as usize;
            let mut all = self.at_point.of(at).to_vec();
            self.points += usize::from(all.is_empty());
            all.extend(here.iter().map(|(_, corner)| *corner));
            if all.len() > CROWD {
                return Err(Crowded);
            }
            all.sort_unstable();
            self.at_point.set(at, &all);
            around.extend(self.together(at as u32).take(CROWD));
        }

        // The edges of what came in, and those that something was taken from.
        let next = |topology: &Self, corner: usize| {
            let range = mesh.face_corners(topology.face_of(corner));
            if corner + 1 < range.end { corner + 1 } else { range.start }
        };
        let before = |topology: &Self, corner: usize| {
            let range = mesh.face_corners(topology.face_of(corner));
            if corner > range.start { corner - 1 } else { range.end - 1 }
        };
        let beside = opened.beside;
        let mut ends: Vec<[u32; 2]> = corners()
            .chain(beside.iter().copied())
            .map(|corner| {
                let corner = corner as usize;
                let [a, b] = [corner, next(self, corner)].map(|corner| point(self, corner));
                [a.min(b), a.max(b)]
            })
            .collect();
        ends.sort_unstable();
        ends.dedup();
        let mut edges = Vec::with_capacity(ends.len());
        let mut met = Vec::new();
        let mut ring: Vec<u32> = Vec::new();
        for [a, b] in ends {
            ring.clear();
            for &corner in self.at_point.of(a as usize) {
                let corner = corner as usize;
                if point(self, next(self, corner)) == b {
                    ring.push(corner as u32);
                }
                let before = before(self, corner);
                if point(self, before) == b {
                    ring.push(before as u32);
                }
            }
            ring.sort_unstable();
            ring.dedup();
            if ring.len() >= CROWD / 2 {
                return Err(Crowded);
            }
            // What comes to an edge that nothing was taken from: it was counted, and is counted anew.
            let is_new = |corner: &u32| {
                let face = self.face_of(*corner as usize) as u32;
                faces.binary_search(&face).is_ok() || beside.binary_search(corner).is_ok()
            };
            let mut stood = ring.iter().filter(|corner| !is_new(corner));
            if let Some(&first) = stood.next() {
                met.push((first, 1 + stood.count()));
            }
            let across = &mut self.across;
            link(ring.iter().copied(), ring.len(), |corner, next| across[corner as usize] = next);
            edges.push((ring[0], ring.len()));
        }
        self.count(&mut met, true);
        self.count(&mut edges, false);
        around.sort_unstable();
        around.dedup();
        Ok(around)
    }

    /// Whether lists have gaps that are worth closing.
    #[must_use]
    pub fn has_gaps(&self) -> bool {
        self.at_point.has_gaps()
    }

    /// Closes them.
    pub fn compact(&mut self) {
        self.at_point.compact();
    }
}
