//! Local changes of a triangle mesh: edges split, collapsed and flipped, one after the other, with the
//! connectivity at hand all the while. Together they are one [`Reshape`], and a [`Remap`] that says
//! where the elements come from.
//!
//! None of them makes a mesh worse than it was: what would fold the surface over, tear it, join what
//! was apart, or pull a seam away from itself is not done, and says so. Faces that are no triangles
//! stay as they are, and so does what lies at their edges.

mod collapse;
mod corner;

use corner::CornerData;
use glam::Vec3;
use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};

use super::{Geometry, renewal::Touched};
use crate::{
    carry::{Carry, Local, Mixes},
    mesh::{Mesh, MeshArrays},
    remap::Remap,
    reshape::{Reshape, Rewrite},
};

/// Old elements with weights that sum to 1.
type Mix = SmallVec<[(u32, f32); 4]>;

/// How far a face may turn when an edge is collapsed or flipped: the least cosine.
const LEAST_TURN: f32 = 0.2;

/// The thinnest triangle that a change may make: its height as a share of its longest edge.
const THINNEST: f32 = 1e-3;

/// Changes of a mesh on their way.
pub struct LocalEdit<'a> {
    geometry: &'a mut Geometry,
    touched: Touched,
    /// How many vertices and faces there were.
    counts: [usize; 2],
    /// What stood where something changed.
    points: FxHashMap<u32, Vec3>,
    triangles: FxHashMap<u32, [u32; 3]>,
    uvs: Vec<FxHashMap<u32, [[f32; 2]; 3]>>,
    normals: FxHashMap<u32, [[f32; 3]; 3]>,
    /// What the elements of now come from, where that is not the one of the same number.
    vertices: FxHashMap<u32, Mix>,
    corners: FxHashMap<u32, [Mix; 3]>,
    faces: FxHashMap<u32, u32>,
    /// Whether nothing was done but splits.
    is_split_alone: bool,
}

impl Geometry {
    /// Changes the mesh here and there, and says what was changed. The connectivity is up to date
    /// after each single change, everything else that is derived after all of them.
    pub fn edit<T>(&mut self, work: impl FnOnce(&mut LocalEdit) -> T) -> (T, Reshape, Remap) {
        self.prepare();
        let counts = [self.mesh.vertex_count(), self.mesh.face_count()];
        let touched = Touched { faces_before: counts[1], ..Touched::default() };
        let uvs = vec![FxHashMap::default(); self.mesh.uv_sets().len()];
        let mut edit = LocalEdit {
            geometry: self,
            touched,
            counts,
            points: FxHashMap::default(),
            triangles: FxHashMap::default(),
            uvs,
            normals: FxHashMap::default(),
            vertices: FxHashMap::default(),
            corners: FxHashMap::default(),
            faces: FxHashMap::default(),
            is_split_alone: true,
        };
        let done = work(&mut edit);
        let (reshape, remap) = edit.finish();
        (done, reshape, remap)
    }
}

/// Whether a triangle is no sliver and looks about the way of a normal.
fn is_sound([a, b, c]: [Vec3; 3], way: Vec3) -> bool {
    let normal = (b - a).cross(c - a);
    let longest = a.distance_squared(b).max(b.distance_squared(c)).max(c.distance_squared(a));
    let is_thin = normal.length() < THINNEST * longest;
    !is_thin && normal.dot(way) > LEAST_TURN * normal.length() * way.length()
}

fn mixed(parts: &[(&Mix, f32)]) -> Mix {
    let mut all = Mix::new();
    for &(mix, share) in parts.iter().filter(|(_, share)| *share > 0.0) {
        for &(element, weight) in mix {
            match all.iter_mut().find(|(other, _)| *other == element) {
                Some((_, sum)) => *sum += weight * share,
                None => all.push((element, weight * share)),
            }
        }
    }
    all
}

impl LocalEdit<'_> {
    /// The mesh as it is now.
    #[must_use]
    pub fn mesh(&self) -> &Mesh {
        &self.geometry.mesh
    }

    /// The shape as it is now; of what is derived, only the connectivity is up to date.
    #[must_use]
    pub fn geometry(&self) -> &Geometry {
        self.geometry
    }

    /// Whether the surface is where it was: edges were split, and nothing else was done.
    #[must_use]
    pub fn is_where_it_was(&self) -> bool {
        self.is_split_alone
    }

    fn face_of(&self, corner: usize) -> usize {
        self.geometry.topology().face_of(corner)
    }

    fn is_triangle(&self, face: usize) -> bool {
        self.mesh().face_corners(face).len() == 3
    }

    /// The corner so many places on in the same triangle.
    fn on(&self, corner: usize, places: usize) -> usize {
        let start = self.mesh().face_corners(self.face_of(corner)).start;
        start + (corner - start + places) % 3
    }

    fn vertex(&self, corner: usize) -> u32 {
        self.mesh().corner_vertices()[corner]
    }

    fn point(&self, corner: usize) -> usize {
        self.geometry.topology().point_of(self.vertex(corner) as usize)
    }

    fn vertex_mix(&self, vertex: u32) -> Mix {
        self.vertices.get(&vertex).cloned().unwrap_or_else(|| smallvec![(vertex, 1.0)])
    }

    fn corner_mix(&self, corner: usize) -> Mix {
        let face = self.face_of(corner);
        let start = self.mesh().face_corners(face).start;
        match self.corners.get(&(face as u32)) {
            Some(mixes) => mixes[corner - start].clone(),
            None => smallvec![(corner as u32, 1.0)],
        }
    }

    fn face_from(&self, face: u32) -> u32 {
        self.faces.get(&face).copied().unwrap_or(face)
    }

    fn data_at(&self, corner: usize) -> CornerData {
        CornerData::at(self.mesh().arrays(), corner)
    }

    /// What is where something is about to change.
    fn remember(&mut self, faces: &[u32], vertices: &[u32]) {
        let mesh = &self.geometry.mesh;
        for &face in faces.iter().filter(|&&face| (face as usize) < self.counts[1]) {
            let corners = mesh.face_corners(face as usize);
            if corners.len() != 3 {
                continue;
            }
            let of = |i: usize| mesh.corner_vertices()[corners.start + i];
            self.triangles.entry(face).or_insert_with(|| [of(0), of(1), of(2)]);
            for (set, kept) in mesh.uv_sets().iter().zip(&mut self.uvs) {
                let of = |i: usize| set.uvs[corners.start + i].to_array();
                kept.entry(face).or_insert_with(|| [of(0), of(1), of(2)]);
            }
            if let Some(normals) = mesh.normals() {
                let of = |i: usize| normals[corners.start + i].to_array();
                self.normals.entry(face).or_insert_with(|| [of(0), of(1), of(2)]);
            }
        }
        for &vertex in vertices.iter().filter(|&&vertex| (vertex as usize) < self.counts[0]) {
            self.points.entry(vertex).or_insert(mesh.positions()[vertex as usize]);
        }
    }

    /// Changes the arrays: `faces` and `vertices` are those that change or go, ascending; those that
    /// have come stand at the end then.
    fn change(&mut self, faces: &[u32], vertices: &[u32], make: impl FnOnce(&mut MeshArrays)) {
        self.remember(faces, vertices);
        let before = [self.mesh().vertex_count(), self.mesh().face_count()];
        let opened = self.geometry.open(faces, vertices);
        self.touched.faces.extend(faces);
        make(self.geometry.mesh.arrays_mut());
        let now = [self.mesh().vertex_count(), self.mesh().face_count()];
        let present = |those: &[u32], before: usize, now: usize| -> Vec<u32> {
            let stay = those.iter().copied().filter(|&each| (each as usize) < now);
            stay.chain(before as u32..now as u32).collect()
        };
        let faces = present(faces, before[1], now[1]);
        let vertices = present(vertices, before[0], now[0]);
        self.geometry.close(opened, &faces, &vertices, &mut self.touched);
    }

    /// Puts a vertex on an edge, the one from a corner to the next of its face, so far along it, and
    /// cuts the triangles around it in two. Returns the number of new faces; none where a polygon or
    /// a crowd is in the way, or the edge is too short for a point between its ends, or one of another
    /// edge stands there.
    pub fn split(&mut self, corner: usize, along: f32) -> Option<usize> {
        let topology = self.geometry.topology();
        let ring: SmallVec<[usize; 4]> = topology.around(corner).collect();
        if !ring.iter().all(|&c| self.is_triangle(self.face_of(c))) {
            return None;
        }
        let ends = [corner, self.on(corner, 1)].map(|c| self.vertex(c) as usize);
        if ends.iter().any(|&v| topology.is_crowded(v)) {
            return None;
        }
        let [from, to] = ends.map(|v| self.mesh().positions()[v]);
        let middle = from.lerp(to, along);
        // What stands there already was apart so far.
        if middle == from || middle == to || !middle.is_finite() || topology.is_taken(middle) {
            return None;
        }
        let start = topology.point_of(ends[0]);

        // A new vertex for each pair of vertices that the edge leads between.
        let count = self.mesh().vertex_count() as u32;
        let mut pairs: SmallVec<[[u32; 2]; 2]> = SmallVec::new();
        let cuts: SmallVec<[(usize, u32, f32); 4]> = ring
            .iter()
            .map(|&c| {
                let along = if self.point(c) == start { along } else { 1.0 - along };
                let [a, b] = [c, self.on(c, 1)].map(|c| self.vertex(c));
                let pair = [a.min(b), a.max(b)];
                let known = pairs.iter().position(|other| *other == pair);
                let nth = known.unwrap_or_else(|| {
                    let along = if a < b { along } else { 1.0 - along };
                    let [low, high] = pair.map(|v| self.vertex_mix(v));
                    self.vertices.insert(
                        count + pairs.len() as u32,
                        mixed(&[(&low, 1.0 - along), (&high, along)]),
                    );
                    pairs.push(pair);
                    pairs.len() - 1
                });
                (c, count + nth as u32, along)
            })
            .collect();

        let mut faces: Vec<u32> = cuts.iter().map(|(c, ..)| self.face_of(*c) as u32).collect();
        let first_new = self.mesh().face_count() as u32;
        let mut added: Vec<([u32; 3], [CornerData; 3])> = Vec::new();
        let mut turned: Vec<(usize, u32, CornerData)> = Vec::new();
        for (new, &(c, vertex, along)) in (first_new..).zip(&cuts) {
            let face = self.face_of(c) as u32;
            let start = self.mesh().face_corners(face as usize).start;
            let (b, third) = (self.on(c, 1), self.on(c, 2));
            let [mix_a, mix_b, mix_third] = [c, b, third].map(|c| self.corner_mix(c));
            let between = mixed(&[(&mix_a, 1.0 - along), (&mix_b, along)]);
            let data_b = self.data_at(b);
            let data = self.data_at(c).lerp(&data_b, along);
            // a, m, c stay where a, b, c were; m, b, c come.
            let mut own = [Mix::new(), Mix::new(), Mix::new()];
            own[c - start] = mix_a;
            own[b - start] = between.clone();
            own[third - start] = mix_third.clone();
            self.corners.insert(face, own);
            self.corners.insert(new, [between, mix_b, mix_third]);
            let from = self.face_from(face);
            self.faces.insert(new, from);
            let triangle = [vertex, self.vertex(b), self.vertex(third)];
            added.push((triangle, [data.clone(), data_b, self.data_at(third)]));
            turned.push((b, vertex, data));
        }
        faces.sort_unstable();
        self.change(&faces, &[], |arrays| {
            arrays.positions.extend(pairs.iter().map(|_| middle));
            for (corner, vertex, data) in turned {
                arrays.corner_vertices[corner] = vertex;
                data.put(arrays, corner);
            }
            for (triangle, data) in added {
                arrays.corner_vertices.extend(triangle);
                arrays.face_starts.push(arrays.corner_vertices.len() as u32);
                data.iter().for_each(|data| data.push(arrays));
            }
        });
        Some(ring.len())
    }

    /// Turns the edge between two triangles, the one from a corner to the next of its face, so that it
    /// leads between their other two vertices. False where that would fold the surface or tear it, or
    /// UVs and normals do not go on across the edge.
    pub fn flip(&mut self, corner: usize) -> bool {
        let topology = self.geometry.topology();
        let Some(other) = topology.only_other(corner) else { return false };
        let [f, g] = [corner, other].map(|c| self.face_of(c));
        if f == g || !self.is_triangle(f) || !self.is_triangle(g) {
            return false;
        }
        let [a, b, c] = [0, 1, 2].map(|i| self.on(corner, i));
        let [b2, a2, d] = [0, 1, 2].map(|i| self.on(other, i));
        let is_same = |one, two| self.vertex(one) == self.vertex(two);
        let goes_on = is_same(a, a2)
            && is_same(b, b2)
            && self.data_at(a) == self.data_at(a2)
            && self.data_at(b) == self.data_at(b2);
        if !goes_on || [a, b, c, d].iter().any(|&c| topology.is_crowded(self.vertex(c) as usize)) {
            return false;
        }
        let end = self.point(d);
        if self.point(c) == end || self.neighbours(self.point(c)).contains(&end) {
            return false;
        }
        let at = [a, b, c, d].map(|c| self.mesh().corner_position(c));
        let normal = |i: usize, j: usize, k: usize| (at[j] - at[i]).cross(at[k] - at[i]);
        let old = normal(0, 1, 2) + normal(1, 0, 3);
        let shapes = [[0, 3, 2], [3, 1, 2]];
        if shapes.iter().any(|&[i, j, k]| !is_sound([at[i], at[j], at[k]], old)) {
            return false;
        }

        let [mix_a, mix_b, mix_c, mix_d] = [a, b, c, d].map(|c| self.corner_mix(c));
        let (mix_a2, mix_b2) = (self.corner_mix(a2), self.corner_mix(b2));
        let mut put = |face: usize, mixes: [(usize, Mix); 3]| {
            let start = self.geometry.mesh.face_corners(face).start;
            let mut own = [Mix::new(), Mix::new(), Mix::new()];
            for (corner, mix) in mixes {
                own[corner - start] = mix;
            }
            self.corners.insert(face as u32, own);
        };
        // a, b, c becomes a, d, c; b, a, d becomes b, c, d.
        put(
            f,
            [(a, mixed(&[(&mix_a, 0.5), (&mix_a2, 0.5)])), (b, mix_d.clone()), (c, mix_c.clone())],
        );
        put(g, [(b2, mixed(&[(&mix_b, 0.5), (&mix_b2, 0.5)])), (a2, mix_c), (d, mix_d)]);
        let (vertex_c, vertex_d) = (self.vertex(c), self.vertex(d));
        let (data_c, data_d) = (self.data_at(c), self.data_at(d));
        let mut faces = [f as u32, g as u32];
        faces.sort_unstable();
        self.change(&faces, &[], |arrays| {
            arrays.corner_vertices[b] = vertex_d;
            arrays.corner_vertices[a2] = vertex_c;
            data_d.put(arrays, b);
            data_c.put(arrays, a2);
        });
        self.is_split_alone = false;
        true
    }

    /// The points that an edge leads to from a point.
    fn neighbours(&self, point: usize) -> SmallVec<[usize; 16]> {
        let mut all: SmallVec<[usize; 16]> = SmallVec::new();
        for &corner in self.geometry.topology().corners_at(point) {
            let range = self.mesh().face_corners(self.face_of(corner as usize));
            let corner = corner as usize;
            let next = if corner + 1 < range.end { corner + 1 } else { range.start };
            let before = if corner > range.start { corner - 1 } else { range.end - 1 };
            all.extend([next, before].map(|c| self.point(c)));
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Whether the surface ends at a point, or branches.
    fn is_at_border(&self, point: usize) -> bool {
        let topology = self.geometry.topology();
        topology.corners_at(point).iter().any(|&corner| {
            let corner = corner as usize;
            [corner, self.on(corner, 2)].into_iter().any(|c| topology.only_other(c).is_none())
        })
    }

    /// Draws an edge, the one from a corner to the next of its face, together to a point so far along
    /// it, and takes the triangles around it away. A border or a seam that it leads away from stays
    /// where it is, whatever `along` says. False where that would fold the surface, tear it, or join
    /// what was apart.
    pub fn collapse(&mut self, corner: usize, along: f32) -> bool {
        let Some(plan) = self.plan_collapse(corner, along) else { return false };
        self.make_collapse(plan);
        self.is_split_alone = false;
        true
    }
}
impl LocalEdit<'_> {
    fn finish(self) -> (Reshape, Remap) {
        let Self {
            geometry,
            mut touched,
            counts,
            points,
            triangles,
            uvs,
            normals,
            vertices,
            corners,
            faces,
            is_split_alone: _,
        } = self;
        touched.from = faces.clone();
        geometry.renew(&touched);
        let mesh = &geometry.mesh;
        let now = [mesh.vertex_count(), mesh.face_count()];
        let start = |face: u32| mesh.face_starts()[face as usize] as usize;
        let reshape = Reshape {
            points: rewrite([counts[0], now[0]], &points, |v| mesh.positions()[v as usize]),
            triangles: rewrite([counts[1], now[1]], &triangles, |face| {
                [0, 1, 2].map(|i| mesh.corner_vertices()[start(face) + i])
            }),
            uvs: (mesh.uv_sets().iter().zip(&uvs))
                .map(|(set, before)| {
                    rewrite([counts[1], now[1]], before, |face| {
                        [0, 1, 2].map(|i| set.uvs[start(face) + i].to_array())
                    })
                })
                .collect(),
            normals: mesh.normals().map(|own| {
                rewrite([counts[1], now[1]], &normals, |face| {
                    [0, 1, 2].map(|i| own[start(face) + i].to_array())
                })
            }),
        };
        let by_corner = corners.into_iter().filter(|(face, _)| (*face as usize) < now[1]);
        let by_corner = by_corner.flat_map(|(face, mixes)| {
            (start(face) as u32..).zip(mixes).collect::<SmallVec<[(u32, Mix); 3]>>()
        });
        let by_face = faces.into_iter().map(|(face, from)| (face, smallvec![(from, 1.0)]));
        let remap = Remap {
            vertices: carry([counts[0], now[0]], vertices.into_iter()),
            corners: carry(
                [counts[1], now[1]].map(|faces| mesh.corner_count() + 3 * faces - 3 * now[1]),
                by_corner,
            ),
            faces: carry([counts[1], now[1]], by_face),
        };
        (reshape, remap)
    }
}

/// Which elements fill the places of those that go, one after the other: from, to. What goes is put
/// in descending order.
fn fills(gone: &mut Vec<u32>, count: usize) -> Vec<[u32; 2]> {
    gone.sort_unstable_by(|a, b| b.cmp(a));
    gone.dedup();
    let last = (0..count as u32).rev();
    gone.iter().zip(last).filter(|(to, from)| *to != from).map(|(&to, from)| [from, to]).collect()
}

fn rewrite<T: Copy + PartialEq>(
    counts: [usize; 2],
    before: &FxHashMap<u32, T>,
    now: impl Fn(u32) -> T,
) -> Rewrite<T> {
    let counts = counts.map(|count| count as u32);
    let [was, is] = counts;
    let is_changed = |&at: &u32| at >= is || before[&at] != now(at);
    let mut at: Vec<u32> = before.keys().copied().filter(is_changed).collect();
    at.extend(was..is);
    at.sort_unstable();
    let before = at.iter().take_while(|at| **at < was).map(|at| before[at]).collect();
    let after = at.iter().take_while(|at| **at < is).map(|&at| now(at)).collect();
    Rewrite { counts, at, before, after }
}

fn carry([was, is]: [usize; 2], mixes: impl Iterator<Item = (u32, Mix)>) -> Carry {
    let is_other = |(element, mix): &(u32, Mix)| {
        (*element as usize) < is && mix.as_slice() != [(*element, 1.0)]
    };
    let mut changed: Vec<(u32, Mix)> = mixes.filter(is_other).collect();
    if was == is && changed.is_empty() {
        return Carry::Same;
    }
    changed.sort_unstable_by_key(|(element, _)| *element);
    let mut of = Mixes::default();
    changed.iter().for_each(|(_, mix)| of.push(mix));
    let at = changed.into_iter().map(|(element, _)| element).collect();
    Carry::Local(Local::new(is, at, of))
}
