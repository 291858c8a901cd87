//! Finer faces: flat, by Loop's scheme (1987), or by that of Catmull and Clark (1978).
//!
//! Vertices at one point move as one, however a file split them. Sets, texture coordinates and normals
//! are interpolated along edges and over faces; only the shape is smoothed. Where only some faces are
//! cut, the faces around them are cut so that no edge meets the middle of another.

use glam::Vec3;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry, Mesh, MeshError,
    geometry::{
        topology::{CROWD, Topology},
        triangulate::first_triangle,
    },
    remap::Remap,
};

use super::build::{Builder, Mix, between, mean, only};
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

/// The new mesh on its way.
struct Cutting<'a> {
    step: &'a Step<'a>,
    pieces: usize,
    out: Builder<'a>,
    /// The first of the vertices on the edge between two, counted from the one of the lower number.
    on_edges: FxHashMap<[u32; 2], u32>,
}

/// A corner of a new face: its vertex, and the old corners that it is a mix of.
type Corner = (u32, Mix);

impl Cutting<'_> {
    fn face(&mut self, face: usize) {
        let (step, mesh) = (self.step, self.step.mesh);
        let corners = mesh.face_corners(face);
        if !step.is_in(face) {
            return self.rim(face);
        }
        let quads = mesh.face_corners(face).len() == 4 && is_convex(mesh, face);
        match step.scheme {
            Scheme::CatmullClark => self.around_middle(face),
            Scheme::Flat if quads => self.quad_grid(face, [0, 1, 2, 3].map(|i| corners.start + i)),
            Scheme::Flat | Scheme::Loop => {
                let first = first_triangle(mesh, face);
                for triangle in 0..corners.len() - 2 {
                    let own = step.geometry.triangulation().corners()[first + triangle];
                    self.triangle_grid(face, own.map(|c| c as usize));
                }
            }
        }
    }

    /// The corner so many pieces on from one old corner of a face to another, which an edge or a
    /// diagonal joins.
    fn on_edge(&mut self, from: usize, to: usize, piece: usize) -> Corner {
        let (step, pieces) = (self.step, self.pieces);
        let along = piece as f32 / pieces as f32;
        let vertex = |corner: usize| step.mesh.corner_vertices()[corner];
        if piece == 0 || piece == pieces {
            let corner = if piece == 0 { from } else { to };
            return (vertex(corner), only(corner));
        }
        let [a, b] = [from, to].map(vertex);
        let (low, high) = if a < b { (from, to) } else { (to, from) };
        let first = match self.on_edges.get(&[vertex(low), vertex(high)]) {
            Some(&first) => first,
            None => {
                let first = self.put_on_edge(low, high);
                self.on_edges.insert([vertex(low), vertex(high)], first);
                first
            }
        };
        let nth = if low == from { piece } else { pieces - piece };
        (first + nth as u32 - 1, between(from, to, along))
    }

    fn put_on_edge(&mut self, low: usize, high: usize) -> u32 {
        let (step, pieces) = (self.step, self.pieces);
        let [a, b] = [low, high].map(|c| step.mesh.corner_vertices()[c] as usize);
        // From the lower point, so that copies of an edge are cut at the same places to the bit.
        let [p, q] = [low, high].map(|c| step.point(c));
        let edge = if step.next(low) == high {
            Some(low)
        } else if step.next(high) == low {
            Some(high)
        } else {
            None
        };
        let mut first = 0;
        for piece in 1..pieces {
            let along = piece as f32 / pieces as f32;
            let at = match edge {
                Some(edge) if step.scheme != Scheme::Flat => step.edge_point(edge),
                _ if p <= q => step.at(low) + (step.at(high) - step.at(low)) * along,
                _ => {
                    let back = (pieces - piece) as f32 / pieces as f32;
                    step.at(high) + (step.at(low) - step.at(high)) * back
                }
            };
            let vertex = self.out.vertex(at, &between(a, b, along));
            if piece == 1 {
                first = vertex;
            }
        }
        first
    }

    /// A triangle in rows of smaller ones.
    fn triangle_grid(&mut self, face: usize, [a, b, c]: [usize; 3]) {
        let n = self.pieces;
        let mut rows: Vec<Vec<Corner>> = Vec::with_capacity(n + 1);
        for i in 0..=n {
            // From the edge a–b to the edge a–c, i pieces away from a.
            let row = (0..=i).map(|j| match (i, j) {
                (0, _) => self.on_edge(a, b, 0),
                (i, 0) => self.on_edge(a, b, i),
                (i, j) if i == j => self.on_edge(a, c, i),
                (i, j) if i == n => self.on_edge(b, c, j),
                (i, j) => {
                    let [i, j] = [i, j].map(|x| x as f32 / n as f32);
                    self.within(&[(a, 1.0 - i), (b, i - j), (c, j)])
                }
            });
            rows.push(row.collect());
        }
        for i in 0..n {
            for j in 0..=i {
                let [own, beside] = [rows[i][j].clone(), rows[i + 1][j + 1].clone()];
                self.out.face(face, &[own.clone(), rows[i + 1][j].clone(), beside.clone()]);
                if j < i {
                    self.out.face(face, &[own, beside, rows[i][j + 1].clone()]);
                }
            }
        }
    }

    fn quad_grid(&mut self, face: usize, [a, b, c, d]: [usize; 4]) {
        let n = self.pieces;
        let mut rows: Vec<Vec<Corner>> = Vec::with_capacity(n + 1);
        for i in 0..=n {
            let row = (0..=n).map(|j| match (i, j) {
                (0, j) => self.on_edge(a, b, j),
                (i, j) if i == n => self.on_edge(d, c, j),
                (i, 0) => self.on_edge(a, d, i),
                (i, j) if j == n => self.on_edge(b, c, i),
                (i, j) => {
                    let [v, u] = [i, j].map(|x| x as f32 / n as f32);
                    let (w, z) = (1.0 - u, 1.0 - v);
                    self.within(&[(a, w * z), (b, u * z), (c, u * v), (d, w * v)])
                }
            });
            rows.push(row.collect());
        }
        for i in 0..n {
            for j in 0..n {
                let quad = [(i, j), (i, j + 1), (i + 1, j + 1), (i + 1, j)];
                self.out.face(face, &quad.map(|(i, j)| rows[i][j].clone()));
            }
        }
    }

    /// A new corner within a face: a mix of old ones.
    fn within(&mut self, mix: &[(usize, f32)]) -> Corner {
        let step = self.step;
        let at = mix.iter().map(|&(corner, weight)| step.at(corner) * weight).sum();
        let vertex =
            |&(corner, weight): &(usize, f32)| (step.mesh.corner_vertices()[corner], weight);
        let vertices: Mix = mix.iter().map(vertex).collect();
        let corners = mix.iter().map(|&(corner, weight)| (corner as u32, weight)).collect();
        (self.out.vertex(at, &vertices), corners)
    }

    /// The corners of a face with those on its cut edges between them.
    fn outline(&mut self, face: usize) -> Vec<Corner> {
        let step = self.step;
        let mut all = Vec::new();
        for corner in step.mesh.face_corners(face) {
            all.push(self.on_edge(corner, corner, 0));
            if step.is_cut(corner) {
                for piece in 1..self.pieces {
                    all.push(self.on_edge(corner, step.next(corner), piece));
                }
            }
        }
        all
    }

    fn middle(&mut self, face: usize) -> Corner {
        let (mesh, corners) = (self.step.mesh, self.step.mesh.face_corners(face));
        let vertices = mesh.face_vertices(face).iter().map(|&v| v as usize);
        let vertex = self.out.vertex(mesh.face_centroid(face), &mean(vertices));
        (vertex, mean(corners))
    }

    /// A quad for each corner of a face, with the face's middle.
    fn around_middle(&mut self, face: usize) {
        let step = self.step;
        let middle = self.middle(face);
        for corner in step.mesh.face_corners(face) {
            let [next, previous] = [step.next(corner), step.previous(corner)];
            let quad = [
                self.on_edge(corner, corner, 0),
                self.on_edge(corner, next, 1),
                middle.clone(),
                self.on_edge(previous, corner, 1),
            ];
            self.out.face(face, &quad);
        }
    }

    /// A face that is not chosen, and takes up what its edges got.
    fn rim(&mut self, face: usize) {
        let (step, mesh) = (self.step, self.step.mesh);
        let corners = mesh.face_corners(face);
        let cut: SmallVec<[usize; 4]> =
            corners.clone().filter(|&corner| step.is_cut(corner)).collect();
        let outline = self.outline(face);
        if cut.is_empty() || corners.len() > 3 {
            // Polygons take points on their edges as corners.
            return self.out.face(face, &outline);
        }
        if let [one] = cut.as_slice() {
            let apex = step.previous(*one);
            let top = self.on_edge(apex, apex, 0);
            for piece in 0..self.pieces {
                let [a, b] =
                    [piece, piece + 1].map(|piece| self.on_edge(*one, step.next(*one), piece));
                self.out.face(face, &[top.clone(), a, b]);
            }
            return;
        }
        let middle = self.middle(face);
        for (i, own) in outline.iter().enumerate() {
            let next = outline[(i + 1) % outline.len()].clone();
            self.out.face(face, &[middle.clone(), own.clone(), next]);
        }
    }
}

/// Whether a face turns the same way at each of its corners.
fn is_convex(mesh: &Mesh, face: usize) -> bool {
    let normal = mesh.face_area_vector(face);
    let corners = mesh.face_corners(face);
    let count = corners.len();
    let at = |i: usize| mesh.corner_position(corners.start + i % count);
    (0..count).all(|i| {
        let [a, b, c] = [at(i), at(i + 1), at(i + 2)];
        (b - a).cross(c - b).dot(normal) > 0.0
    })
}
