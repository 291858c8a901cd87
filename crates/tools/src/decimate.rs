//! Fewer triangles for a part: the shape by quadric edge collapse (crate `meshopt`; Garland and
//! Heckbert 1997), everything that lies on it carried over from the original, never by the collapses.

mod collapse;
mod report;

use std::{
    mem, panic,
    sync::{
        Arc,
        mpsc::{self, RecvTimeoutError},
    },
    thread,
    time::Duration,
};

use glam::Vec3;
use meshopt::SimplifyOptions;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use speckle_mesh::{
    Geometry, Mesh, MeshError, Placement,
    carry::Carry,
    geometry::shading,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{
    ColorSet, NewPart, Part,
    color_set::{Role, convert},
};

use collapse::Collapse;
use report::report;
pub use report::{DecimationReport, SetDecimated};

use crate::{
    bake::{pieces::shares_of, watch::Watch},
    replacing::{Matching, ReplacingError, ShapeTo, shape_with_geometry},
    transfer::{self, Source, TransferError},
};

/// How far triangles become fewer.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DecimationGoal))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Goal {
    /// To so many triangles.
    Count {
        /// How many.
        triangles: usize,
    },
    /// To a share of them.
    Share {
        /// Above 0, and below 1.
        share: f32,
    },
    /// As far as the surface stays within a distance of what it was.
    Error {
        /// In the project's unit.
        within: f32,
    },
}

/// How a part gets fewer triangles.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DecimationRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// How far.
    pub goal: Goal,
    /// How much borders of color weigh beside the shape, 0–1.
    #[serde(default = "half")]
    pub colors: f32,
    /// How much creases weigh, 0–1.
    #[serde(default = "half")]
    pub creases: f32,
    /// How much the borders of selections and groups weigh, 0–1.
    #[serde(default = "half")]
    pub groups: f32,
    /// Whether open edges stay as they are.
    #[serde(default)]
    pub keep_rims: bool,
    /// Whether triangles come out even in size and shape, for a little of the shape.
    #[serde(default)]
    pub even: bool,
}

fn half() -> f32 {
    0.5
}

/// Why a part cannot have fewer triangles.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum DecimationError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// There is nothing to be won.
    #[error("{part} has {there} triangles already: ask for fewer")]
    Few {
        /// The part.
        part: String,
        /// How many it has.
        there: usize,
    },
    /// Nothing would be left.
    #[error("nothing would be left of {0}: ask for less")]
    Nothing(String),
    /// The shape that comes out is none.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// What lies on the part cannot be carried over.
    #[error(transparent)]
    Replacing(#[from] ReplacingError),
    /// Its colors cannot.
    #[error(transparent)]
    Transfer(#[from] TransferError),
}

/// The most numbers beside its place that a vertex is weighed by.
const MOST_NUMBERS: usize = 32;

/// How far numbers that differ by all of their range weigh: as much as a step of this share of the
/// part's size.
const RANGE: f32 = 0.02;

/// The same for normals that look opposite ways.
const TURN: f32 = 0.01;

/// Plans fewer triangles for a part; of chosen faces alone, where such are said: counts and shares are of
/// those then, and all others stay.
///
/// # Errors
/// See [`DecimationError`].
pub fn decimate(
    part: &Part,
    chosen: Option<&[bool]>,
    rules: &Rules,
    watch: &Watch,
) -> Result<(ShapeTo, DecimationReport), DecimationError> {
    let (there, inside) = counts(part, chosen);
    let outside = there - inside;
    watch.expect(COLLAPSING + 2 * transfer::STEPS);
    let mesh = collapsed(part, chosen, rules, watch)?;
    watch.advance(COLLAPSING);
    watch.check().map_err(TransferError::from)?;
    let triangles = [there, mesh.triangle_count()];
    let reached = match rules.goal {
        Goal::Count { triangles: wanted } => triangles[1] <= outside + wanted,
        Goal::Share { share } => {
            (triangles[1] - outside.min(triangles[1])) as f32 <= (share * inside as f32).ceil()
        }
        Goal::Error { .. } => true,
    };
    let (mut shape, _, geometry) = shape_with_geometry(
        part,
        NewPart::new(part.traits.name.clone(), mesh, Vec::new()),
        Some(Matching::Nearest),
    )?;
    watch.check().map_err(TransferError::from)?;
    let light = colored(part, &mut shape, geometry, watch)?;
    let report = report(part, &light, triangles, reached, watch)?;
    Ok((shape, report))
}

/// How many triangles a part has, and how many of them may become fewer.
fn counts(part: &Part, chosen: Option<&[bool]>) -> (usize, usize) {
    let there = part.geometry.mesh().triangle_count();
    let triangulation = part.geometry.triangulation();
    let inside = match chosen {
        None => there,
        Some(chosen) => (0..there).filter(|&t| chosen[triangulation.face_of(t)]).count(),
    };
    (there, inside)
}

/// How long collapsing takes, in steps of a transfer (measured on a scan of 871 k triangles).
const COLLAPSING: u64 = 8;

fn check(part: &Part, rules: &Rules, there: usize) -> Result<(), DecimationError> {
    let is_share = |x: f32| (0.0..=1.0).contains(&x);
    if ![rules.colors, rules.creases, rules.groups].into_iter().all(is_share) {
        return Err(DecimationError::Unsound("weights lie between 0 and 1"));
    }
    match rules.goal {
        Goal::Count { triangles: 0 } => Err(DecimationError::Unsound("the least is one triangle")),
        Goal::Count { triangles } if triangles >= there => {
            Err(DecimationError::Few { part: part.traits.name.clone(), there })
        }
        Goal::Share { share } if !(share > 0.0 && share < 1.0) => {
            Err(DecimationError::Unsound("the share lies between 0 and 1"))
        }
        Goal::Error { within } if !(within > 0.0 && within.is_finite()) => {
            Err(DecimationError::Unsound("the distance is a number above 0"))
        }
        _ => Ok(()),
    }
}

/// A vertex for each place where texture coordinates or materials differ: what lies between such is a
/// seam, and stays one.
struct Wedges {
    /// The mesh's vertex, and a corner there that has the same coordinates.
    of: Vec<(u32, u32)>,
    /// The wedges of the triangles' corners.
    indices: Vec<u32>,
}

impl Wedges {
    fn new(part: &Part) -> Self {
        let mesh = part.geometry.mesh();
        let triangles = part.geometry.triangulation().corners();
        let topology = part.geometry.topology();
        let materials = &part.materials.of_faces;
        let mut number: FxHashMap<(u32, u32, Vec<[u32; 2]>), u32> = FxHashMap::default();
        let mut of = Vec::new();
        let mut indices = Vec::with_capacity(3 * triangles.len());
        if mesh.uv_sets().is_empty() && materials.is_empty() {
            // One for each vertex, as they are.
            let mut first = vec![u32::MAX; mesh.vertex_count()];
            for &corner in triangles.iter().flatten() {
                let vertex = mesh.corner_vertices()[corner as usize];
                if first[vertex as usize] == u32::MAX {
                    first[vertex as usize] = of.len() as u32;
                    of.push((vertex, corner));
                }
                indices.push(first[vertex as usize]);
            }
            return Self { of, indices };
        }
        for &corner in triangles.iter().flatten() {
            let vertex = mesh.corner_vertices()[corner as usize];
            let face = topology.face_of(corner as usize);
            let material = materials.get(face).copied().unwrap_or(0);
            let bits = |set: &UvSet| set.uvs[corner as usize].to_array().map(f32::to_bits);
            let uvs = mesh.uv_sets().iter().map(bits).collect();
            let wedge = *number.entry((vertex, material, uvs)).or_insert_with(|| {
                of.push((vertex, corner));
                of.len() as u32 - 1
            });
            indices.push(wedge);
        }
        Self { of, indices }
    }
}

/// The shape alone with fewer triangles, its vertices some of the original's.
///
/// # Errors
/// See [`DecimationError`].
pub fn collapsed(
    part: &Part,
    chosen: Option<&[bool]>,
    rules: &Rules,
    watch: &Watch,
) -> Result<Mesh, DecimationError> {
    let (there, inside) = counts(part, chosen);
    let outside = there - inside;
    check(part, rules, inside)?;
    let mesh = part.geometry.mesh();
    let mut wedges = Wedges::new(part);
    // About the middle, where numbers are finest.
    let middle = part.geometry.measures().center();
    let place = |&(vertex, _): &(u32, u32)| (mesh.positions()[vertex as usize] - middle).to_array();
    let places: Vec<[f32; 3]> = wedges.of.par_iter().map(place).collect();
    let (numbers, weights) = numbers(part, &wedges, rules);
    let scale = part.traits.transform.mean_scale();
    let size = part.geometry.measures().diagonal();
    let (count, within) = match rules.goal {
        Goal::Count { triangles } => (outside + triangles, f32::MAX),
        Goal::Share { share } => {
            (outside + ((share * inside as f32).ceil() as usize).max(1), f32::MAX)
        }
        Goal::Error { within } => (0, within / scale),
    };
    let mut options = SimplifyOptions::ErrorAbsolute;
    options.set(SimplifyOptions::LockBorder, rules.keep_rims);
    options.set(SimplifyOptions::Regularize, rules.even);
    let weights: Vec<f32> = weights.into_iter().map(|weight| weight * size).collect();
    let mut locks = vec![false; wedges.of.len()];
    if let Some(chosen) = chosen {
        let triangulation = part.geometry.triangulation();
        for (triangle, corners) in wedges.indices.chunks_exact(3).enumerate() {
            if !chosen[triangulation.face_of(triangle)] {
                corners.iter().for_each(|&wedge| locks[wedge as usize] = true);
            }
        }
    }
    let topology = part.geometry.topology();
    let points = wedges.of.iter().map(|&(vertex, _)| topology.point_of(vertex as usize) as u32);
    let collapse = Collapse {
        points: points.collect(),
        indices: mem::take(&mut wedges.indices),
        places,
        numbers,
        weights,
        locks,
        count,
        within,
        options,
    };
    let (ending, ended) = mpsc::channel::<()>();
    let beside = thread::spawn(move || {
        // Goes when it ends, however it does.
        let _ending = ending;
        collapse.run()
    });
    // What colors are looked for by comes meanwhile.
    transfer::make_ready(&part.geometry);
    while ended.recv_timeout(LOOK_IN) == Err(RecvTimeoutError::Timeout) {
        watch.check().map_err(TransferError::from)?;
    }
    let kept = beside.join().unwrap_or_else(|panicked| panic::resume_unwind(panicked))?;
    built(part, &wedges, &kept)
}

/// How often it is looked whether somebody still waits.
const LOOK_IN: Duration = Duration::from_millis(20);

/// The numbers that wedges are weighed by beside their places, and how much each weighs, as a share of
/// the part's size.
fn numbers(part: &Part, wedges: &Wedges, rules: &Rules) -> (Vec<f32>, Vec<f32>) {
    let geometry = &part.geometry;
    let mut columns: Vec<(Vec<f32>, f32)> = Vec::new();
    if rules.creases > 0.0 {
        let normals = geometry.vertex_normals();
        for axis in 0..3 {
            columns.push((normals.iter().map(|n| n[axis]).collect(), TURN * rules.creases));
        }
    }
    let mut chosen = |values: Vec<f32>, weight: f32| {
        // What is the same everywhere says nothing.
        if weight > 0.0 && values.iter().any(|x| *x != values[0]) {
            columns.push((values, weight));
        }
    };
    for group in part.traits.selections.iter() {
        chosen(shares_of(geometry, Placement::Vertex, &group.faces), RANGE * rules.groups);
    }
    let at_vertices = |set: &ColorSet| convert::values_at(set, Placement::Vertex, geometry);
    for set in part.sets.iter().filter(|set| set.role == Role::Selection) {
        let values = at_vertices(set).iter().map(|value| value[0]).collect();
        chosen(values, RANGE * rules.groups);
    }
    for set in part.products().filter(|_| rules.colors > 0.0) {
        let values = at_vertices(set);
        for channel in 0..4 {
            chosen(values.iter().map(|value| value[channel]).collect(), RANGE * rules.colors);
        }
    }
    columns.truncate(MOST_NUMBERS);
    let rows = wedges.of.par_iter().flat_map_iter(|&(vertex, _)| {
        columns.iter().map(move |(values, _)| values[vertex as usize])
    });
    (rows.collect(), columns.iter().map(|(_, weight)| *weight).collect())
}

/// A mesh of the triangles that are left.
fn built(part: &Part, wedges: &Wedges, kept: &[u32]) -> Result<Mesh, DecimationError> {
    let mesh = part.geometry.mesh();
    let mut number = vec![u32::MAX; mesh.vertex_count()];
    let (mut positions, mut corner_vertices): (Vec<Vec3>, Vec<u32>) = Default::default();
    let mut corners: Vec<u32> = Vec::new();
    for triangle in kept.chunks_exact(3) {
        let own = [0, 1, 2].map(|i| wedges.of[triangle[i] as usize]);
        let [a, b, c] = own.map(|(vertex, _)| vertex);
        if a == b || b == c || c == a {
            continue;
        }
        for (vertex, corner) in own {
            let number = &mut number[vertex as usize];
            if *number == u32::MAX {
                *number = positions.len() as u32;
                positions.push(mesh.positions()[vertex as usize]);
            }
            corner_vertices.push(*number);
            corners.push(corner);
        }
    }
    if corners.is_empty() {
        return Err(DecimationError::Nothing(part.traits.name.clone()));
    }
    let arrays = MeshArrays {
        positions,
        face_starts: (0..=corners.len() as u32 / 3).map(|face| 3 * face).collect(),
        corner_vertices,
        ..MeshArrays::default()
    };
    let carried = Carry::from(corners.clone());
    let mut arrays = arrays.with_corner_data(mesh.arrays(), &carried);
    if shading::differ_at_vertices(mesh) {
        arrays.normals = normals_by_side(part, &arrays, &corners);
    }
    Ok(Mesh::new(arrays)?)
}

/// Normals for the corners of triangles that are left, each of which stands for a corner of the original. Which side
/// of a sharp edge that one lay on says nothing of the new triangle: of all that are said at the vertex, the one that
/// looks most as the triangle does is its own.
fn normals_by_side(part: &Part, left: &MeshArrays, stands_for: &[u32]) -> Vec<Vec3> {
    let (mesh, topology) = (part.geometry.mesh(), part.geometry.topology());
    let own = mesh.arrays().normals.as_slice();
    let of_corner = |corner: usize| {
        let start = corner / 3 * 3;
        let [a, b, c] = [0, 1, 2].map(|i| left.positions[left.corner_vertices[start + i] as usize]);
        let across = (b - a).cross(c - a);
        let vertex = mesh.corner_vertices()[stands_for[corner] as usize] as usize;
        let said = topology.own_corners(mesh, vertex).map(|corner| own[corner]);
        let alike = said.map(|normal| (normal.normalize_or_zero().dot(across), normal));
        alike.max_by(|(a, _), (b, _)| a.total_cmp(b)).map_or(Vec3::ZERO, |(_, normal)| normal)
    };
    (0..stands_for.len()).into_par_iter().map(of_corner).collect()
}

/// A part with what is delivered alone, and none of it held fast: locks and masks hold hands, not a
/// change of shape.
fn open_to_all(part: &Part) -> Part {
    let mut open = part.without_helpers();
    open.traits.selections = Arc::default();
    open.sets.iter_mut().flat_map(|set| &mut set.channels).for_each(|own| own.locked = false);
    open
}

/// Lays the colors of the original on the new shape, each the mean of what it stands for; what comes of
/// it as a part.
fn colored(
    part: &Part,
    shape: &mut ShapeTo,
    geometry: Geometry,
    watch: &Watch,
) -> Result<Part, DecimationError> {
    let mut light = open_to_all(part);
    light.geometry = Arc::new(geometry);
    for set in &mut light.sets {
        if let Some(to) = shape.sets.iter().find(|to| to.id == set.id) {
            set.values = Arc::new(to.values.clone());
        }
    }
    if light.sets.is_empty() {
        return Ok(light);
    }
    let found = transfer::carried(&light, &[Source::of(part)], &anywhere(&light), watch)?;
    for (id, new) in found.colors {
        let Some(id) = id else { continue };
        for to in shape.sets.iter_mut().filter(|to| to.id == id) {
            to.values.clone_from(&new.values);
        }
        for set in light.sets.iter_mut().filter(|set| set.id == id) {
            set.values = Arc::new(new.values.clone());
        }
    }
    Ok(light)
}

/// Colors from wherever they lie.
fn anywhere(part: &Part) -> transfer::Rules {
    let size = part.geometry.measures().diagonal() * part.traits.transform.mean_scale();
    transfer::Rules { within: Some(size.max(f32::MIN_POSITIVE)), ..transfer::Rules::default() }
}
