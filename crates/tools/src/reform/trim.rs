//! A part cut in two where a channel passes a threshold, along a smooth line through the faces.

use glam::Vec3;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry, Mesh, MeshError, geometry::triangulate::first_triangle, remap::Remap,
};
use speckle_model::{ImageRecord, Part};

use super::{
    build::{Builder, Mix, between, only},
    numbers::{By, NumbersError},
    places::at_points,
};

/// Where a part is cut.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = TrimmingRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// What says where.
    pub by: By,
    /// The number at the cut.
    pub threshold: f32,
    /// Whether what lies above it stays; else what lies below.
    #[serde(default)]
    pub keep_above: bool,
    /// Whether what is cut off is kept as a part of its own.
    #[serde(default)]
    pub keep_both: bool,
}

/// Why nothing is cut.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum TrimmingError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// There is nothing that says where.
    #[error(transparent)]
    Numbers(#[from] NumbersError),
    /// All would stay, or all would go.
    #[error("the whole part lies {0} the threshold: nothing would be cut, try another")]
    OneSide(&'static str),
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}

/// Both sides of a cut.
pub(super) struct Trimmed {
    /// What stays.
    pub(super) stays: (Mesh, Remap),
    /// What is cut off.
    pub(super) goes: (Mesh, Remap),
    /// How many faces were cut through.
    pub(super) cut: usize,
}

/// A number nearer to the threshold than this lies on it: slivers are no use to anyone.
const ON_IT: f32 = 1e-3;

pub(super) fn trim(
    part: &Part,
    rules: &Rules,
    images: &[ImageRecord],
) -> Result<Trimmed, TrimmingError> {
    if !(0.0..=1.0).contains(&rules.threshold) {
        return Err(TrimmingError::Unsound("the threshold lies between 0 and 1"));
    }
    if rules.by == By::Evenly {
        return Err(TrimmingError::Unsound("a cut needs a channel or an image that says where"));
    }
    let geometry = &part.geometry;
    let numbers = rules.by.numbers(part, images)?;
    // How far above the threshold, where that stays.
    let sign = if rules.keep_above { 1.0 } else { -1.0 };
    let heights: Vec<f32> = at_points(geometry, &numbers)
        .into_iter()
        .map(|number| sign * (number - rules.threshold))
        .map(|height| if height.abs() < ON_IT { 0.0 } else { height })
        .collect();
    let mesh = geometry.mesh();
    let mut cutting =
        Cutting { geometry, heights: &heights, sides: [Side::new(mesh), Side::new(mesh)], cut: 0 };
    for face in 0..mesh.face_count() {
        cutting.face(face);
    }
    let Cutting { sides: [stays, goes], cut, .. } = cutting;
    let word = |is_above: bool| if is_above == rules.keep_above { "above" } else { "below" };
    if goes.out.face_count() == 0 {
        return Err(TrimmingError::OneSide(word(true)));
    }
    if stays.out.face_count() == 0 {
        return Err(TrimmingError::OneSide(word(false)));
    }
    Ok(Trimmed { stays: stays.out.done(true)?, goes: goes.out.done(true)?, cut })
}

/// One side of the cut on its way.
struct Side<'a> {
    out: Builder<'a>,
    /// The vertices on cut edges, by the two that an edge joins.
    on_edges: FxHashMap<[u32; 2], u32>,
}

impl<'a> Side<'a> {
    /// All old vertices are there at first; what no face uses goes in the end.
    fn new(mesh: &'a Mesh) -> Self {
        let mut out = Builder::new(mesh);
        for (vertex, &at) in mesh.positions().iter().enumerate() {
            out.vertex(at, &only(vertex));
        }
        Self { out, on_edges: FxHashMap::default() }
    }
}

struct Cutting<'a> {
    geometry: &'a Geometry,
    /// Of vertices, the same at one point; what is 0 lies on the cut.
    heights: &'a [f32],
    /// What stays, what goes.
    sides: [Side<'a>; 2],
    cut: usize,
}

impl Cutting<'_> {
    fn face(&mut self, face: usize) {
        let mesh = self.geometry.mesh();
        let height = |&v: &u32| self.heights[v as usize];
        let heights: SmallVec<[f32; 8]> = mesh.face_vertices(face).iter().map(height).collect();
        let is_above = heights.iter().any(|&height| height > 0.0);
        let is_below = heights.iter().any(|&height| height < 0.0);
        if is_above && is_below {
            self.cut += 1;
            let (first, count) = (first_triangle(mesh, face), heights.len() - 2);
            for triangle in first..first + count {
                let corners = self.geometry.triangulation().corners()[triangle];
                self.triangle(face, corners.map(|c| c as usize));
            }
            return;
        }
        let corners: SmallVec<[(u32, Mix); 8]> =
            mesh.face_corners(face).map(|c| (mesh.corner_vertices()[c], only(c))).collect();
        self.sides[usize::from(is_below)].out.face(face, &corners);
    }

    fn triangle(&mut self, face: usize, corners: [usize; 3]) {
        let mesh = self.geometry.mesh();
        let vertex = |corner: usize| mesh.corner_vertices()[corner];
        let height = |corner: usize| self.heights[vertex(corner) as usize];
        let heights = corners.map(height);
        for side in 0..2 {
            let sign = if side == 0 { 1.0 } else { -1.0 };
            let mut outline: SmallVec<[(u32, Mix); 4]> = SmallVec::new();
            for i in 0..3 {
                let [a, b] = [i, (i + 1) % 3];
                if heights[a] * sign >= 0.0 {
                    outline.push((vertex(corners[a]), only(corners[a])));
                }
                if heights[a] * heights[b] < 0.0 {
                    let along = heights[a] / (heights[a] - heights[b]);
                    let vertex = self.on_edge(side, corners[a], corners[b]);
                    outline.push((vertex, between(corners[a], corners[b], along)));
                }
            }
            // What only touches the cut lies on the other side.
            if outline.len() < 3 || !heights.iter().any(|&height| height * sign > 0.0) {
                continue;
            }
            for last in 2..outline.len() {
                let triangle =
                    [outline[0].clone(), outline[last - 1].clone(), outline[last].clone()];
                self.sides[side].out.face(face, &triangle);
            }
        }
    }

    /// The vertex where the cut passes an edge: at the same place to the bit whichever face asks.
    fn on_edge(&mut self, side: usize, from: usize, to: usize) -> u32 {
        let (mesh, topology) = (self.geometry.mesh(), self.geometry.topology());
        let [a, b] = [from, to].map(|corner| mesh.corner_vertices()[corner]);
        let key = [a.min(b), a.max(b)];
        let Side { out, on_edges } = &mut self.sides[side];
        *on_edges.entry(key).or_insert_with(|| {
            let point = |vertex: u32| topology.point_of(vertex as usize);
            let (low, high) = if point(a) <= point(b) { (a, b) } else { (b, a) };
            let [p, q] = [low, high].map(|v| mesh.positions()[v as usize]);
            let [h, k] = [low, high].map(|v| self.heights[v as usize]);
            let along = h / (h - k);
            let at: Vec3 = p + (q - p) * along;
            out.vertex(at, &between(low as usize, high as usize, along))
        })
    }
}
