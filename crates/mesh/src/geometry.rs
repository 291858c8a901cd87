//! A mesh with what is derived from it, each thing computed once, when first asked for.

pub mod bends;
pub mod bvh;
pub mod conduction;
mod curvature;
mod derived;
pub mod fans;
pub mod lanes;
pub mod lists;
pub mod local;
pub mod measure;
pub mod near;
pub mod neighbours;
pub mod normals;
pub mod pieces;
pub mod rays;
mod renewal;
pub mod shading;
pub mod topology;
pub mod triangulate;
mod wide;

use std::fmt;

use bvh::Bvh;
use conduction::Conduction;
use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::{mesh::Mesh, placement::Placement};
use derived::Derived;
use fans::Fans;
use measure::Measures;
use near::NearTree;
use neighbours::Neighbours;
use pieces::Pieces;
use rays::RayTree;
use topology::Topology;
use triangulate::Triangulation;

/// Names a mesh by its content, so that it is stored once and never compared by hand.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct ContentId([u8; 16]);

impl ContentId {
    /// The digest of a mesh's arrays (BLAKE3, its first 128 bits).
    #[must_use]
    pub fn of(mesh: &Mesh) -> Self {
        let mut hasher = blake3::Hasher::new();
        let mut add = |bytes: &[u8]| {
            hasher.update(&(bytes.len() as u64).to_le_bytes());
            hasher.update(bytes);
        };
        add(bytemuck::cast_slice(mesh.positions()));
        add(bytemuck::cast_slice(mesh.face_starts()));
        add(bytemuck::cast_slice(mesh.corner_vertices()));
        for set in mesh.uv_sets() {
            add(set.name.as_bytes());
            add(bytemuck::cast_slice(&set.uvs));
        }
        if let Some(normals) = mesh.normals() {
            add(b"normals");
            add(bytemuck::cast_slice(normals));
        }
        let mut id = [0; 16];
        id.copy_from_slice(&hasher.finalize().as_bytes()[..16]);
        Self(id)
    }

    /// The 16 bytes.
    #[must_use]
    #[inline]
    pub fn as_bytes(&self) -> &[u8; 16] {
        &self.0
    }
}

impl fmt::Debug for ContentId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

/// About how far a mesh reaches: never less than it does, but for a mesh that has changed maybe more,
/// since what is exact takes a look at all of it.
#[derive(Clone, Copy, Debug)]
pub struct Extent {
    /// No vertex that faces use lies below.
    pub min: Vec3,
    /// Nor above.
    pub max: Vec3,
    /// Median length of the edges, as it was when all of them were looked at last.
    pub median_edge: f32,
}

impl Extent {
    /// Length of the diagonal.
    #[must_use]
    #[inline]
    pub fn diagonal(&self) -> f32 {
        self.min.distance(self.max)
    }

    /// Its middle.
    #[must_use]
    #[inline]
    pub fn center(&self) -> Vec3 {
        (self.min + self.max) / 2.0
    }

    fn with(self, point: Vec3) -> Self {
        Self { min: self.min.min(point), max: self.max.max(point), ..self }
    }
}

/// A mesh and its derived data, shared by `Arc`. It changes by [`Geometry::reshape`] and
/// [`Geometry::edit`] only, which keep up what has been derived.
///
/// Some of it is computed on all cores. A task that is itself shared out may ask for it (see
/// [`derived`]), but takes what it needs from outside where it can: else some of it may be computed
/// twice.
#[derive(Clone)]
pub struct Geometry {
    mesh: Mesh,
    id: Derived<ContentId>,
    triangulation: Derived<Triangulation>,
    topology: Derived<Topology>,
    pieces: Derived<Pieces>,
    face_normals: Derived<Vec<Vec3>>,
    vertex_normals: Derived<Vec<Vec3>>,
    fans: Derived<Fans>,
    mean_curvatures: Derived<Vec<f32>>,
    /// Where some vertices are used by no face: the places of the others.
    shown_points: Derived<Option<Vec<Vec3>>>,
    measures: Derived<Measures>,
    extent: Derived<Extent>,
    bends: Derived<Vec<u32>>,
    /// Of vertices, corners and faces.
    neighbours: [Derived<Neighbours>; 3],
    bvh: Derived<Bvh>,
    rays: Derived<RayTree>,
    near: Derived<NearTree>,
    conduction: Derived<Conduction>,
}

impl fmt::Debug for Geometry {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mesh = &self.mesh;
        write!(f, "Geometry({} vertices, {} faces)", mesh.vertex_count(), mesh.face_count())
    }
}

impl Geometry {
    /// Wraps a mesh; nothing is computed yet.
    #[must_use]
    pub fn new(mesh: Mesh) -> Self {
        Self {
            mesh,
            id: Derived::default(),
            triangulation: Derived::default(),
            topology: Derived::default(),
            pieces: Derived::default(),
            face_normals: Derived::default(),
            vertex_normals: Derived::default(),
            fans: Derived::default(),
            mean_curvatures: Derived::default(),
            shown_points: Derived::default(),
            measures: Derived::default(),
            extent: Derived::default(),
            bends: Derived::default(),
            neighbours: Default::default(),
            bvh: Derived::default(),
            rays: Derived::default(),
            near: Derived::default(),
            conduction: Derived::default(),
        }
    }

    /// The mesh itself.
    #[must_use]
    #[inline]
    pub fn mesh(&self) -> &Mesh {
        &self.mesh
    }

    /// The digest of its content.
    #[must_use]
    #[inline]
    pub fn id(&self) -> ContentId {
        *self.id.get_or_compute(|| ContentId::of(&self.mesh))
    }

    /// Every face cut into triangles.
    #[must_use]
    #[inline]
    pub fn triangulation(&self) -> &Triangulation {
        self.triangulation.get_or_compute(|| Triangulation::new(&self.mesh))
    }

    /// What hangs together with what.
    #[must_use]
    #[inline]
    pub fn topology(&self) -> &Topology {
        self.topology.get_or_compute(|| Topology::new(&self.mesh))
    }

    /// What it falls apart into; see [`Pieces`].
    #[must_use]
    #[inline]
    pub fn pieces(&self) -> &Pieces {
        self.pieces.get_or_compute(|| Pieces::by_edges(&self.mesh, self.topology()))
    }

    /// Unit normals of the faces; zero for a face without area.
    #[must_use]
    #[inline]
    pub fn face_normals(&self) -> &[Vec3] {
        self.face_normals.get_or_compute(|| normals::of_faces(&self.mesh))
    }

    /// Unit normals of the vertices; see [`normals::of_vertices`].
    #[must_use]
    #[inline]
    pub fn vertex_normals(&self) -> &[Vec3] {
        self.vertex_normals.get_or_compute(|| {
            normals::of_vertices(&self.mesh, self.topology(), self.face_normals())
        })
    }

    /// Its corners in fans, as far as a surface counts as smooth; see [`Fans`].
    #[must_use]
    #[inline]
    pub fn fans(&self) -> &Fans {
        self.fans.get_or_compute(|| Fans::of(self))
    }

    /// How much it bends at each vertex, per unit of length; see [`curvature::means`].
    #[must_use]
    #[inline]
    pub fn mean_curvatures(&self) -> &[f32] {
        self.mean_curvatures.get_or_compute(|| {
            let triangulation = self.triangulation();
            curvature::means(&self.mesh, self.topology(), triangulation, self.face_normals())
        })
    }

    /// The places of the vertices that faces use, in order: what is seen of the mesh, and counts
    /// for how far it reaches.
    #[must_use]
    #[inline]
    pub fn shown_points(&self) -> &[Vec3] {
        let shown = self.shown_points.get_or_compute(|| {
            let mut is_used = vec![false; self.mesh.vertex_count()];
            self.mesh.corner_vertices().iter().for_each(|&v| is_used[v as usize] = true);
            let points = || self.mesh.positions().iter().zip(&is_used);
            let is_all = is_used.iter().all(|&is_used| is_used);
            (!is_all).then(|| points().filter(|(_, is_used)| **is_used).map(|(&p, _)| p).collect())
        });
        shown.as_deref().unwrap_or(self.mesh.positions())
    }

    /// How heat spreads over it; see [`Conduction`].
    #[must_use]
    #[inline]
    pub fn conduction(&self) -> &Conduction {
        self.conduction
            .get_or_compute(|| Conduction::new(&self.mesh, self.topology(), self.triangulation()))
    }

    /// Bounds, area, volume, edge lengths.
    #[must_use]
    #[inline]
    pub fn measures(&self) -> &Measures {
        self.measures.get_or_compute(|| Measures::new(&self.mesh, self.triangulation()))
    }

    /// About how far it reaches, for what need not be exact.
    #[must_use]
    #[inline]
    pub fn extent(&self) -> Extent {
        *self.extent.get_or_compute(|| {
            let &Measures { min, max, median_edge, .. } = self.measures();
            Extent { min, max, median_edge }
        })
    }

    /// How many edges bend how much; see [`bends::histogram`].
    #[must_use]
    #[inline]
    pub fn bends(&self) -> &[u32] {
        self.bends.get_or_compute(|| bends::histogram(self.topology(), self.face_normals()))
    }

    /// The element of a placement that a corner shows.
    #[must_use]
    #[inline]
    pub fn element_at(&self, placement: Placement, corner: usize) -> usize {
        match placement {
            Placement::Vertex => self.mesh.corner_vertices()[corner] as usize,
            Placement::Corner => corner,
            Placement::Face => self.topology().face_of(corner),
        }
    }

    /// Which elements of a placement lie next to which.
    #[must_use]
    #[inline]
    pub fn neighbours(&self, placement: Placement) -> &Neighbours {
        let slot = match placement {
            Placement::Vertex => 0,
            Placement::Corner => 1,
            Placement::Face => 2,
        };
        let topology = self.topology();
        self.neighbours[slot].get_or_compute(|| Neighbours::new(&self.mesh, topology, placement))
    }

    /// The mean length of the edges at each vertex where the part stands; 0 where no face is.
    #[must_use]
    pub fn mean_edges(&self, to_project: &Affine3A) -> Vec<f32> {
        let neighbours = self.neighbours(Placement::Vertex);
        let points = self.mesh.positions();
        let mean = |vertex: usize| {
            let around = neighbours.of(vertex);
            let edge = |&other: &u32| points[other as usize] - points[vertex];
            let lengths = around.iter().map(edge).map(|e| to_project.transform_vector3(e).length());
            let sum: f32 = lengths.sum();
            sum / around.len().max(1) as f32
        };
        (0..points.len()).into_par_iter().map(mean).collect()
    }

    /// The tree that many rays go through.
    #[must_use]
    #[inline]
    pub fn rays(&self) -> &RayTree {
        self.rays.get_or_compute(|| RayTree::new(&self.mesh, self.triangulation()))
    }

    /// The tree to look in for what is nearest to many points.
    #[must_use]
    #[inline]
    pub fn near(&self) -> &NearTree {
        self.near.get_or_compute(|| NearTree::new(&self.mesh, self.triangulation()))
    }

    /// The tree for rays and ranges.
    #[must_use]
    #[inline]
    pub fn bvh(&self) -> &Bvh {
        self.bvh.get_or_compute(|| Bvh::new(&self.mesh, self.triangulation()))
    }
}
