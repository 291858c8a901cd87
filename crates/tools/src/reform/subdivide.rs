//! Finer faces: flat, by Loop's scheme (1987), or by that of Catmull and Clark (1978).
//!
//! Vertices at one point move as one, however a file split them. Sets, texture coordinates and normals
//! are interpolated along edges and over faces; only the shape is smoothed. Where only some faces are
//! cut, the faces around them are cut so that no edge meets the middle of another.

mod cutting;

use glam::Vec3;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry, Mesh, MeshError,
    geometry::topology::{CROWD, Topology},
    remap::Remap,
};

use cutting::Cutting;

use super::build::{Builder, only};
use crate::bake::watch::{GivenUp, Watch};

/// How new points are placed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Scheme {
    /// On the faces: the shape stays as it is.
    #[default]
    Flat,
    /// Smoothed, for triangles; other faces are cut into such first.
    Loop,
    /// Smoothed; all faces become quads.
    CatmullClark,
}

/// How faces become finer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = SubdivisionRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// How new points are placed.
    pub scheme: Scheme,
    /// Flat: by how many points each edge is cut. Smoothed: how many times.
    pub times: u32,
    /// Edges that bend by so many degrees or more stay sharp when smoothed; rims do in any case.
    #[serde(default)]
    pub creases: Option<f32>,
}

/// More triangles than this are not made: nothing here could show them.
pub const MOST_TRIANGLES: usize = 30_000_000;

/// The most points an edge is cut by.
pub const MOST_CUTS: u32 = 64;

/// The most times a scheme smooths.
pub const MOST_TIMES: u32 = 6;

/// Why faces cannot become finer.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SubdivisionError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(String),
    /// Too much would come of it.
    #[error(
        "{0} triangles would come of it, more than the {MOST_TRIANGLES} that can be shown: take fewer cuts, or only a selection"
    )]
    TooMany(usize),
    /// Nothing is chosen.
    #[error("no face lies in the selection by half or more: choose some, or take the whole part")]
    Nothing,
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}

impl From<GivenUp> for SubdivisionError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// Makes faces finer: all of them, or those that are chosen. Loop's scheme is for meshes of triangles; other
/// faces stay on their own diagonals.
///
/// # Errors
/// See [`SubdivisionError`].
pub fn subdivide(
    geometry: &Geometry,
    chosen: Option<&[bool]>,
    rules: &Rules,
    watch: &Watch,
) -> Result<(Mesh, Remap), SubdivisionError> {
    let most = if rules.scheme == Scheme::Flat { MOST_CUTS } else { MOST_TIMES };
    if !(1..=most).contains(&rules.times) {
        let text = format!("the number of cuts lies between 1 and {most}");
        return Err(SubdivisionError::Unsound(text));
    }
    if rules.creases.is_some_and(|degrees| !(0.0..=180.0).contains(&degrees)) {
        let text = "the angle of creases lies between 0 and 180 degrees".to_owned();
        return Err(SubdivisionError::Unsound(text));
    }
    if chosen.is_some_and(|chosen| !chosen.contains(&true)) {
        return Err(SubdivisionError::Nothing);
    }
    let coming = count(geometry.mesh(), chosen, rules);
    if coming > MOST_TRIANGLES {
        return Err(SubdivisionError::TooMany(coming));
    }
    if rules.scheme == Scheme::Flat {
        return Step::new(geometry, chosen, rules).cut(rules.times as usize + 1, watch);
    }
    let mut chosen = chosen.map(<[bool]>::to_vec);
    let mut whole: Option<(Geometry, Remap)> = None;
    for _ in 0..rules.times {
        let from = whole.as_ref().map_or(geometry, |(geometry, _)| geometry);
        let (mesh, remap) = Step::new(from, chosen.as_deref(), rules).cut(2, watch)?;
        chosen = chosen.map(|chosen| remap.faces.copies(&chosen));
        let remap = whole.map_or_else(|| remap.clone(), |(_, before)| before.then(&remap));
        whole = Some((Geometry::new(mesh), remap));
    }
    let (geometry, remap) = whole.ok_or(SubdivisionError::Nothing)?;
    Ok((geometry.mesh().clone(), remap))
}

/// How many triangles come of it, but for those at the rim of what is chosen.
#[must_use]
pub fn count(mesh: &Mesh, chosen: Option<&[bool]>, rules: &Rules) -> usize {
    let Rules { scheme, times, .. } = rules;
    let of_face = |face: usize| {
        let corners = mesh.face_corners(face).len();
        if chosen.is_some_and(|chosen| !chosen[face]) {
            return corners - 2;
        }
        match scheme {
            Scheme::Flat => (corners - 2).saturating_mul((*times as usize + 1).pow(2)),
            Scheme::Loop => (corners - 2).saturating_mul(4_usize.saturating_pow(*times)),
            // Quads after the first time, two triangles each.
            Scheme::CatmullClark => {
                (2 * corners).saturating_mul(4_usize.saturating_pow(times.saturating_sub(1)))
            }
        }
    };
    (0..mesh.face_count()).map(of_face).fold(0, usize::saturating_add)
}

/// One round of it.
struct Step<'a> {
    geometry: &'a Geometry,
    mesh: &'a Mesh,
    topology: &'a Topology,
    chosen: Option<&'a [bool]>,
    scheme: Scheme,
    /// The cosine of the bend from which on edges are sharp; none are where it is less than −1.
    sharp: f32,
}

impl<'a> Step<'a> {
    fn new(geometry: &'a Geometry, chosen: Option<&'a [bool]>, rules: &Rules) -> Self {
        let sharp = rules.creases.map_or(-2.0, |degrees| degrees.to_radians().cos());
        Self {
            geometry,
            mesh: geometry.mesh(),
            topology: geometry.topology(),
            chosen,
            scheme: rules.scheme,
            sharp,
        }
    }

    fn is_in(&self, face: usize) -> bool {
        self.chosen.is_none_or(|chosen| chosen[face])
    }

    fn point(&self, corner: usize) -> usize {
        self.topology.point_of(self.mesh.corner_vertices()[corner] as usize)
    }

    fn next(&self, corner: usize) -> usize {
        let range = self.mesh.face_corners(self.topology.face_of(corner));
        if corner + 1 == range.end { range.start } else { corner + 1 }
    }

    fn previous(&self, corner: usize) -> usize {
        let range = self.mesh.face_corners(self.topology.face_of(corner));
        if corner == range.start { range.end - 1 } else { corner - 1 }
    }

    fn at(&self, corner: usize) -> Vec3 {
        self.mesh.corner_position(corner)
    }

    /// Whether an edge stays where it is but for its own ends: a rim, a crease, the border of what is
    /// chosen, or one where more than two faces meet.
    fn is_fixed(&self, corner: usize) -> bool {
        let Some(other) = self.topology.only_other(corner) else { return true };
        let [f, g] = [corner, other].map(|c| self.topology.face_of(c));
        let normals = self.geometry.face_normals();
        self.is_in(f) != self.is_in(g) || normals[f].dot(normals[g]) <= self.sharp
    }

    /// Whether an edge is cut.
    fn is_cut(&self, corner: usize) -> bool {
        self.topology.around(corner).any(|c| self.is_in(self.topology.face_of(c)))
    }

    /// Where the middle of an edge comes to lie, the same whichever of its faces asks.
    fn edge_point(&self, corner: usize) -> Vec3 {
        let first = self.topology.around(corner).min().unwrap_or(corner);
        let [a, b] = [first, self.next(first)].map(|c| self.at(c));
        let middle = (a + b) / 2.0;
        let other = self.topology.only_other(first).filter(|_| !self.is_fixed(first));
        let Some(other) = other else { return middle };
        match self.scheme {
            Scheme::Flat => middle,
            Scheme::Loop => {
                let [c, d] = [first, other].map(|c| self.at(self.previous(c)));
                0.375 * (a + b) + 0.125 * (c + d)
            }
            Scheme::CatmullClark => {
                let faces = [first, other].map(|c| self.topology.face_of(c));
                let [f, g] = faces.map(|face| self.mesh.face_centroid(face));
                (a + b + f + g) / 4.0
            }
        }
    }

    /// Where a vertex comes to lie.
    fn vertex_point(&self, vertex: usize) -> Vec3 {
        let at = self.mesh.positions()[vertex];
        let corners = self.topology.corners_at(vertex);
        if self.scheme == Scheme::Flat || corners.len() > CROWD {
            return at;
        }
        let in_all = corners.iter().all(|&c| self.is_in(self.topology.face_of(c as usize)));
        if corners.is_empty() || !in_all {
            return at;
        }
        // The ends of the edges here, each once, and of those that are fixed.
        let mut ends: SmallVec<[(usize, Vec3); 8]> = SmallVec::new();
        let mut fixed: SmallVec<[(usize, Vec3); 4]> = SmallVec::new();
        for &corner in corners {
            let corner = corner as usize;
            let [next, previous] = [self.next(corner), self.previous(corner)];
            for (edge, end) in [(corner, next), (previous, previous)] {
                let point = self.point(end);
                if ends.iter().any(|(known, _)| *known == point) {
                    continue;
                }
                ends.push((point, self.at(end)));
                if self.is_fixed(edge) {
                    fixed.push((point, self.at(end)));
                }
            }
        }
        match fixed.as_slice() {
            [] | [_] => self.smooth_point(at, corners, &ends),
            [(_, a), (_, b)] => {
                let [to_a, to_b] = [*a - at, *b - at].map(Vec3::normalize_or_zero);
                // A corner of a rim or crease: it stays where it turns as sharply as what counts as one.
                if self.sharp > -2.0 && -to_a.dot(to_b) <= self.sharp {
                    at
                } else {
                    (6.0 * at + *a + *b) / 8.0
                }
            }
            _ => at,
        }
    }

    fn smooth_point(&self, at: Vec3, corners: &[u32], ends: &[(usize, Vec3)]) -> Vec3 {
        let n = ends.len() as f32;
        let sum: Vec3 = ends.iter().map(|(_, end)| *end).sum();
        if self.scheme == Scheme::Loop {
            let turn = 0.375 + 0.25 * (std::f32::consts::TAU / n).cos();
            let beta = (0.625 - turn * turn) / n;
            return (1.0 - n * beta) * at + beta * sum;
        }
        let middle = |&c: &u32| self.mesh.face_centroid(self.topology.face_of(c as usize));
        let faces: Vec3 = corners.iter().map(middle).sum::<Vec3>() / corners.len() as f32;
        let edges = (sum / n + at) / 2.0;
        (faces + 2.0 * edges + (n - 3.0) * at) / n
    }

    /// Cuts edges into so many pieces, and the faces with them.
    fn cut(self, pieces: usize, watch: &Watch) -> Result<(Mesh, Remap), SubdivisionError> {
        let mesh = self.mesh;
        // Asked for before the first face needs it.
        let _ = self.geometry.face_normals();
        let mut cutting = Cutting {
            step: &self,
            pieces,
            out: Builder::new(mesh),
            on_edges: FxHashMap::default(),
        };
        for vertex in 0..mesh.vertex_count() {
            cutting.out.vertex(self.vertex_point(vertex), &only(vertex));
        }
        watch.expect(mesh.face_count().div_ceil(FACES) as u64);
        for face in 0..mesh.face_count() {
            if face.is_multiple_of(FACES) {
                watch.step()?;
                if cutting.out.face_count() > MOST_TRIANGLES {
                    return Err(SubdivisionError::TooMany(cutting.out.face_count()));
                }
            }
            cutting.face(face);
        }
        Ok(cutting.out.done(false)?)
    }
}

/// After how many faces it is looked whether it was given up.
const FACES: usize = 4096;
