//! What is derived from a mesh, kept up while some of the mesh changes: only what is around the change
//! is worked out anew, and all of it is then what it would be if it had been worked out from nothing.
//! Sums over the whole mesh are not kept up but made again when they are asked for.

use rustc_hash::{FxHashMap, FxHashSet};

use super::{
    Extent, Geometry, normals,
    topology::{CROWD, Topology, upkeep::Opened},
    triangulate::first_triangle,
};
use crate::{
    mesh::Mesh,
    placement::Placement,
    reshape::{Direction, Misfit, Reshape},
};

/// What a change met.
#[derive(Debug, Default)]
pub(crate) struct Touched {
    /// Faces that changed, came or went: numbers of before and of now alike.
    pub faces: FxHashSet<u32>,
    /// Vertices that anything changed around, by their numbers of now; some may be gone.
    pub around: FxHashSet<u32>,
    /// Which face of before a face of now was cut from.
    pub from: FxHashMap<u32, u32>,
    /// How many faces there were.
    pub faces_before: usize,
    /// Whether there was a crowd, and connectivity was not kept up.
    pub is_crowded: bool,
}

impl Geometry {
    /// Lays a change on, or takes it back.
    ///
    /// # Errors
    /// When it does not fit; everything is then as it was.
    pub fn reshape(&mut self, reshape: &Reshape, direction: Direction) -> Result<(), Misfit> {
        let _ = self.topology();
        self.mesh.check_reshape(reshape, direction)?;
        let listed = reshape.triangles.old(direction);
        let [_, count] = reshape.points.counts(direction);
        let moved = reshape.points.old(direction);
        let mut faces: FxHashSet<u32> = listed.iter().copied().collect();
        let topology = self.topology();
        for &vertex in moved {
            for corner in topology.own_corners(&self.mesh, vertex as usize) {
                let face = topology.face_of(corner) as u32;
                if vertex as usize >= count && listed.binary_search(&face).is_err() {
                    return Err(Misfit("it takes a vertex away that a face still uses"));
                }
                faces.insert(face);
            }
        }
        let mut touched = Touched { faces_before: self.mesh.face_count(), ..Touched::default() };
        touched.faces.extend(&faces);
        let [_, face_count] = reshape.triangles.counts(direction);
        let mut old: Vec<u32> = faces.iter().copied().collect();
        faces.extend(reshape.triangles.what_is_new(direction).0);
        let mut new: Vec<u32> =
            faces.into_iter().filter(|&face| (face as usize) < face_count).collect();
        old.sort_unstable();
        new.sort_unstable();
        let opened = self.open(&old, moved);
        self.mesh.reshape(reshape, direction)?;
        self.close(opened, &new, reshape.points.what_is_new(direction).0, &mut touched);
        self.renew(&touched);
        Ok(())
    }

    /// Takes faces and vertices out of the connectivity, in the mesh as it is still.
    pub(crate) fn open(&mut self, faces: &[u32], vertices: &[u32]) -> Option<Opened> {
        self.topology.get_mut()?.open(&self.mesh, faces, vertices).ok()
    }

    /// Puts them in again, in the mesh as it is now.
    pub(crate) fn close(
        &mut self,
        opened: Option<Opened>,
        faces: &[u32],
        vertices: &[u32],
        touched: &mut Touched,
    ) {
        touched.faces.extend(faces);
        let topology = self.topology.get_mut();
        let closed = topology.zip(opened).and_then(|(topology, opened)| {
            topology.close(&self.mesh, opened, faces, vertices).ok()
        });
        match closed {
            Some(around) => touched.around.extend(around),
            None => {
                touched.is_crowded = true;
                self.topology = Default::default();
                let _ = self.topology();
            }
        }
    }

    /// Makes ready for changes: what takes a look at the whole mesh.
    pub fn prepare(&mut self) {
        let _ = self.topology();
        if let Some(topology) = self.topology.get_mut() {
            topology.prepare(&self.mesh);
        }
    }

    /// Works out anew what follows from what was touched.
    pub(crate) fn renew(&mut self, touched: &Touched) {
        self.id = Default::default();
        self.shown_points = Default::default();
        self.measures = Default::default();
        self.bends = Default::default();
        self.pieces = Default::default();
        self.fans = Default::default();
        self.mean_curvatures = Default::default();
        self.rays = Default::default();
        self.near = Default::default();
        self.conduction = Default::default();
        if touched.is_crowded {
            self.triangulation = Default::default();
            self.face_normals = Default::default();
            self.vertex_normals = Default::default();
            self.neighbours = Default::default();
            self.bvh = Default::default();
            self.extent = Default::default();
            return;
        }
        let mesh = &self.mesh;
        let Some(topology) = self.topology.get_mut() else { return };
        let present = |all: &FxHashSet<u32>, count: usize| -> Vec<u32> {
            let mut some: Vec<u32> =
                all.iter().copied().filter(|&each| (each as usize) < count).collect();
            some.sort_unstable();
            some
        };
        let faces = present(&touched.faces, mesh.face_count());
        let around = present(&touched.around, mesh.vertex_count());

        if let Some(triangulation) = self.triangulation.get_mut() {
            triangulation.renew(mesh, &faces);
        }
        if let Some(own) = self.face_normals.get_mut() {
            own.resize(mesh.face_count(), Default::default());
            for &face in &faces {
                own[face as usize] = normals::of_face(mesh, face as usize);
            }
            if let Some(of_vertices) = self.vertex_normals.get_mut() {
                of_vertices.resize(mesh.vertex_count(), Default::default());
                for &vertex in &around {
                    let vertex = vertex as usize;
                    of_vertices[vertex] = normals::of_vertex(mesh, topology, own, vertex);
                }
            }
        }
        for (placement, neighbours) in [Placement::Vertex, Placement::Corner, Placement::Face]
            .into_iter()
            .zip(&mut self.neighbours)
        {
            if let Some(neighbours) = neighbours.get_mut() {
                neighbours.renew(mesh, topology, placement, &around);
            }
        }
        if let Some(extent) = self.extent.get_mut() {
            let points = around.iter().map(|&vertex| mesh.positions()[vertex as usize]);
            *extent = points.fold(*extent, Extent::with);
        }
        if let (Some(bvh), Some(triangulation)) = (self.bvh.get_mut(), self.triangulation.get_mut())
        {
            let old = triangles_of(mesh, touched, touched.faces_before);
            let new = faces.iter().flat_map(|&face| {
                let first = first_triangle(mesh, face as usize);
                let count = mesh.face_corners(face as usize).len() - 2;
                (first..first + count).map(move |triangle| (face, triangle))
            });
            let new = new.map(|(face, triangle)| {
                let corners = triangulation.corners()[triangle];
                let from = touched.from.get(&face).copied().unwrap_or(face);
                let from = if from == face { triangle as u32 } else { first_of(mesh, from) };
                let points = corners.map(|corner| mesh.corner_position(corner as usize));
                (triangle as u32, face, points, from)
            });
            bvh.exchange(&old, mesh.triangle_count(), new);
        }
    }

    /// Puts in order what changes left behind, when there is time for it.
    pub fn tidy(&mut self) {
        if let Some(topology) = self.topology.get_mut().filter(|topology| topology.has_gaps()) {
            topology.compact();
        }
        for neighbours in &mut self.neighbours {
            if let Some(lists) =
                neighbours.get_mut().map(|own| own.lists()).filter(|l| l.has_gaps())
            {
                lists.compact();
            }
        }
    }

    /// What one tree over all of it is grown from, elsewhere: a copy with nothing that is as large as
    /// the tree. See [`Self::take_tree`].
    #[must_use]
    pub fn seed(&self) -> Self {
        Self { triangulation: self.triangulation.clone(), ..Self::new(self.mesh.clone()) }
    }

    /// Takes the tree that a seed of what it still is has grown.
    pub fn take_tree(&mut self, grown: Self) {
        debug_assert!(self.mesh == grown.mesh, "of the same mesh");
        self.bvh = grown.bvh;
    }

    /// Whether the tree for rays has changed so much that a new one is worth its time.
    #[must_use]
    pub fn is_worn(&self) -> bool {
        self.bvh.get().is_some_and(|bvh| bvh.is_worn())
    }
}

/// The first triangle of a face that is there, or was or will be: polygons neither move nor come nor
/// go, so beyond the end there are triangles only.
fn first_of(mesh: &Mesh, face: u32) -> u32 {
    let starts = mesh.face_starts();
    let last = starts.len() as u32 - 1;
    let inside = face.min(last);
    starts[inside as usize] - 2 * inside + (face - inside)
}

/// The triangles that the touched faces had, ascending.
fn triangles_of(mesh: &Mesh, touched: &Touched, faces_before: usize) -> Vec<u32> {
    let mut all = Vec::with_capacity(touched.faces.len());
    for &face in touched.faces.iter().filter(|&&face| (face as usize) < faces_before) {
        let first = first_of(mesh, face);
        let count = match (face as usize) < mesh.face_count() {
            true => mesh.face_corners(face as usize).len() as u32 - 2,
            false => 1,
        };
        all.extend(first..first + count);
    }
    all.sort_unstable();
    all
}

impl Topology {
    /// Whether so many faces meet at the point of a vertex that it is better left alone.
    #[must_use]
    pub(crate) fn is_crowded(&self, vertex: usize) -> bool {
        self.corners_at(vertex).len() > CROWD / 2
    }
}
