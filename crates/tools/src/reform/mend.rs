//! What is wrong with a mesh, found and mended.

use glam::Vec3;
use rustc_hash::{FxHashMap, FxHashSet};
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry, Mesh, MeshError,
    carry::Carry,
    geometry::{pieces::Pieces, shading, topology::Topology},
    mesh::MeshArrays,
    remap::Remap,
};
use speckle_model::Part;

mod lids;
mod weld;

use super::{build::used, outside};
use crate::bake::watch::{GivenUp, Watch};
use weld::{near_points, on_rims, welded};

/// What is mended, in this order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = MendingRules))]
#[serde(default, deny_unknown_fields)]
pub struct Rules {
    /// Join vertices that lie within this of each other, in the project's unit; 0 joins those at one
    /// place.
    pub weld: Option<f32>,
    /// Join vertices of open rims that lie within this of each other, in the project's unit.
    pub stitch: Option<f32>,
    /// Drop faces without area, and those that stand there twice.
    pub degenerate: bool,
    /// Drop faces that lie back to back with another one.
    pub double_walls: bool,
    /// Drop vertices that no face uses.
    pub loose: bool,
    /// Have the faces of each piece look the same way, and outwards.
    pub winding: bool,
    /// Close holes of up to so many edges.
    pub holes: Option<u32>,
    /// By what.
    pub lids: Lids,
    /// What becomes of the mesh's own normals.
    pub normals: Normals,
}

/// By what a hole is closed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = MendingLids))]
#[serde(rename_all = "snake_case")]
pub enum Lids {
    /// One face from rim to rim.
    #[default]
    Flat,
    /// As fine as what is around, and going on as that does.
    Smooth,
}

/// What becomes of a mesh's own normals.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = MendingNormals))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Normals {
    /// They stay.
    #[default]
    Keep,
    /// They go: light goes by the faces.
    Forget,
    /// They are made anew: smooth, but at edges that bend by more than an angle.
    HardEdges {
        /// In degrees.
        degrees: f32,
    },
}

/// What kind of thing is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Fault {
    /// Vertices that lie nearly at one place.
    Near,
    /// Vertices that lie exactly at one place, as files split them at seams.
    Split,
    /// Faces without area, or that stand there twice.
    Degenerate,
    /// Faces back to back.
    DoubleWall,
    /// Vertices that no face uses.
    Loose,
    /// Edges whose two faces look to different sides.
    Winding,
    /// Pieces that look inwards.
    InsideOut,
    /// Holes: rims of open edges that close.
    Hole,
    /// Edges where more than two faces meet.
    Branching,
}

/// Something that is wrong.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Finding {
    /// What.
    pub fault: Fault,
    /// How many.
    pub count: usize,
    /// Where, in the part's space; of many, the first ones.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<[f32; 3]>))]
    pub places: Vec<Vec3>,
    /// Of holes, how many edges the largest has.
    pub largest: Option<usize>,
}

/// How many places are told of each fault.
const MOST_PLACES: usize = 200;

/// Vertices nearer than this share of the part's size are taken to be meant at one place.
const NEAR: f32 = 1e-5;

/// Why nothing was mended.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum MendingError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// Nothing would be left.
    #[error("no face would be left: take a smaller distance")]
    Nothing,
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
}

impl From<GivenUp> for MendingError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// How much was mended of what.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Mended {
    pub(super) welded: usize,
    pub(super) stitched: usize,
    pub(super) degenerate: usize,
    pub(super) double_walls: usize,
    pub(super) loose: usize,
    pub(super) turned: usize,
    pub(super) holes: usize,
}

/// Looks a part over: all that is wrong with its mesh.
///
/// # Errors
/// When it was given up.
pub fn look_over(part: &Part, watch: &Watch) -> Result<Vec<Finding>, GivenUp> {
    let geometry = &part.geometry;
    watch.expect(3);
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut all = Vec::new();
    let mut say = |fault, places: Vec<Vec3>, largest| {
        let count = places.len();
        if count > 0 {
            let places = places.into_iter().take(MOST_PLACES).collect();
            all.push(Finding { fault, count, places, largest });
        }
    };
    let at = |vertex: usize| mesh.positions()[vertex];
    let is_used = |vertex: usize| !topology.corners_at(vertex).is_empty();

    let near = near_points(mesh.positions(), NEAR * geometry.measures().diagonal());
    let others = |vertex: &usize| near[*vertex] as usize != *vertex && is_used(*vertex);
    let same_place = |vertex: &usize| topology.point_of(*vertex) != *vertex;
    let moved = |vertex: &usize| {
        let first = near[*vertex] as usize;
        topology.point_of(first) != topology.point_of(*vertex)
    };
    let vertices = || 0..mesh.vertex_count();
    say(Fault::Near, vertices().filter(others).filter(moved).map(at).collect(), None);
    say(Fault::Split, vertices().filter(same_place).map(at).collect(), None);
    watch.step()?;

    let degenerate = degenerate(geometry);
    let middle = |face: usize| mesh.face_centroid(face);
    let faces = || 0..mesh.face_count();
    say(Fault::Degenerate, faces().filter(|&f| degenerate[f]).map(middle).collect(), None);
    let doubled = double_walls(geometry);
    say(Fault::DoubleWall, faces().filter(|&f| doubled[f]).map(middle).collect(), None);
    let loose = vertices().filter(|&v| topology.own_corners(mesh, v).next().is_none());
    say(Fault::Loose, loose.map(at).collect(), None);
    watch.step()?;

    let edge_middle = |corner: usize| {
        (mesh.corner_position(corner) + mesh.corner_position(next(geometry, corner))) / 2.0
    };
    let askew = topology.edges().filter(|&corner| is_askew(geometry, corner));
    say(Fault::Winding, askew.map(edge_middle).collect(), None);
    let sides = outside::sides(geometry, watch)?;
    watch.step()?;
    let pieces = Pieces::by_edges(mesh, topology);
    let mut met: FxHashSet<usize> = FxHashSet::default();
    let inside_out = faces().filter(|&f| sides[f] && met.insert(pieces.of(f)));
    say(Fault::InsideOut, inside_out.map(middle).collect(), None);
    let holes = holes(geometry);
    let largest = holes.iter().map(Vec::len).max();
    let places = holes.iter().map(|hole| {
        let sum: Vec3 = hole.iter().map(|&corner| mesh.corner_position(corner as usize)).sum();
        sum / hole.len() as f32
    });
    say(Fault::Hole, places.collect(), largest);
    let branching = topology.edges().filter(|&corner| topology.around(corner).nth(2).is_some());
    say(Fault::Branching, branching.map(edge_middle).collect(), None);
    Ok(all)
}

/// Mends a part.
pub(super) fn mend(
    part: &Part,
    rules: &Rules,
    watch: &Watch,
) -> Result<(Part, Mended), MendingError> {
    check(rules)?;
    watch.expect(3);
    let mut mended = Mended::default();
    let mut part = part.clone();
    if let Some(within) = rules.weld {
        let to_project = part.traits.transform.to_project();
        (part, mended.welded) = welded(&part, within, &to_project, None)?;
        watch.check()?;
    }
    if let Some(within) = rules.stitch {
        let to_project = part.traits.transform.to_project();
        let rims = on_rims(&part.geometry);
        (part, mended.stitched) = welded(&part, within, &to_project, Some(&rims))?;
        watch.check()?;
    }
    watch.step()?;
    if rules.degenerate {
        let gone = degenerate(&part.geometry);
        (part, mended.degenerate) = without(&part, &gone)?;
    }
    if rules.double_walls {
        let gone = double_walls(&part.geometry);
        (part, mended.double_walls) = without(&part, &gone)?;
    }
    watch.check()?;
    if rules.winding {
        let turned = outside::sides(&part.geometry, watch)?;
        mended.turned = turned.iter().filter(|&&turned| turned).count();
        if mended.turned > 0 {
            part = turned_over(&part, &turned)?;
        }
    }
    if let Some(most) = rules.holes {
        let faces = part.geometry.mesh().face_count();
        (part, mended.holes) = closed(&part, most as usize)?;
        if mended.holes > 0 && rules.lids == Lids::Smooth {
            part = lids::smoothed(&part, faces)?;
        }
    }
    watch.check()?;
    if rules.loose {
        let mut arrays = part.geometry.mesh().arrays().clone();
        let before = arrays.positions.len();
        let kept = used(&mut arrays);
        mended.loose = before - kept.len();
        if mended.loose > 0 {
            let remap = Remap { vertices: Carry::Copies(kept), ..Remap::default() };
            part = part.remapped(Mesh::new(arrays)?, &remap);
        }
    }
    match rules.normals {
        Normals::Keep => {}
        Normals::Forget => {
            let mesh = part.geometry.mesh().with_normals(Vec::new())?;
            part = part.remapped(mesh, &Remap::default());
        }
        Normals::HardEdges { degrees } => {
            let normals = shading::with_hard_edges(&part.geometry, degrees);
            let mesh = part.geometry.mesh().with_normals(normals)?;
            part = part.remapped(mesh, &Remap::default());
        }
    }
    Ok((part, mended))
}

/// The part with a flat lid on every hole, whatever its size, and how many those are.
///
/// # Errors
/// When what comes of it is no mesh.
pub fn with_lids(part: &Part) -> Result<(Part, usize), MendingError> {
    closed(part, usize::MAX)
}

fn check(rules: &Rules) -> Result<(), MendingError> {
    if [rules.weld, rules.stitch].into_iter().flatten().any(|x| !(x >= 0.0 && x.is_finite())) {
        return Err(MendingError::Unsound("the distance to weld within is a number from 0 on"));
    }
    if let Normals::HardEdges { degrees } = rules.normals
        && !(0.0..=180.0).contains(&degrees)
    {
        return Err(MendingError::Unsound(
            "the angle of hard edges lies between 0 and 180 degrees",
        ));
    }
    Ok(())
}

fn next(geometry: &Geometry, corner: usize) -> usize {
    let range = geometry.mesh().face_corners(geometry.topology().face_of(corner));
    if corner + 1 == range.end { range.start } else { corner + 1 }
}

/// Whether the two faces at an edge run along it the same way: one of them looks to the wrong side.
fn is_askew(geometry: &Geometry, corner: usize) -> bool {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
    topology.only_other(corner).is_some_and(|other| point(corner) == point(other))
}

/// Faces without area, and all but the first over the same points in the same order.
fn degenerate(geometry: &Geometry) -> Vec<bool> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = geometry.face_normals();
    let mut met: FxHashSet<Vec<u32>> = FxHashSet::default();
    (0..mesh.face_count())
        .map(|face| normals[face] == Vec3::ZERO || !met.insert(from_least(mesh, topology, face)))
        .collect()
}

/// The points of a face in order, from the least on.
fn from_least(mesh: &Mesh, topology: &Topology, face: usize) -> Vec<u32> {
    let point = |&vertex: &u32| topology.point_of(vertex as usize) as u32;
    let mut points: Vec<u32> = mesh.face_vertices(face).iter().map(point).collect();
    let least = (0..points.len()).min_by_key(|&i| points[i]).unwrap_or_default();
    points.rotate_left(least);
    points
}

/// Of faces that lie back to back over the same points, the later ones.
fn double_walls(geometry: &Geometry) -> Vec<bool> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut met: FxHashSet<Vec<u32>> = FxHashSet::default();
    let is_double = |face: usize| {
        let own = from_least(mesh, topology, face);
        let mut back = own.clone();
        back[1..].reverse();
        let is = met.contains(&back);
        met.insert(own);
        is
    };
    (0..mesh.face_count()).map(is_double).collect()
}

/// The part without some faces; says how many those are.
fn without(part: &Part, gone: &[bool]) -> Result<(Part, usize), MendingError> {
    let mesh = part.geometry.mesh();
    let faces: Vec<u32> = (0..gone.len() as u32).filter(|&f| !gone[f as usize]).collect();
    let count = gone.len() - faces.len();
    if count == 0 {
        return Ok((part.clone(), 0));
    }
    if faces.is_empty() {
        return Err(MendingError::Nothing);
    }
    let corners: Vec<u32> = faces
        .iter()
        .flat_map(|&face| mesh.face_corners(face as usize))
        .map(|corner| corner as u32)
        .collect();
    let mut face_starts = vec![0_u32];
    for &face in &faces {
        let count = mesh.face_corners(face as usize).len() as u32;
        face_starts.push(face_starts[face_starts.len() - 1] + count);
    }
    let corners = Carry::Copies(corners);
    let arrays = MeshArrays {
        positions: mesh.positions().to_vec(),
        face_starts,
        corner_vertices: corners.copies(mesh.corner_vertices()),
        ..MeshArrays::default()
    };
    let less = Mesh::new(arrays.with_corner_data(mesh.arrays(), &corners))?;
    let remap = Remap { corners, faces: Carry::Copies(faces), ..Remap::default() };
    Ok((part.remapped(less, &remap), count))
}

/// The part with some of its faces the other way round.
fn turned_over(part: &Part, turned: &[bool]) -> Result<Part, MendingError> {
    let mesh = part.geometry.mesh();
    let mut corners: Vec<u32> = (0..mesh.corner_count() as u32).collect();
    for face in (0..mesh.face_count()).filter(|&face| turned[face]) {
        let range = mesh.face_corners(face);
        corners[range.start + 1..range.end].reverse();
    }
    let corners = Carry::Copies(corners);
    let arrays = MeshArrays {
        positions: mesh.positions().to_vec(),
        face_starts: mesh.face_starts().to_vec(),
        corner_vertices: corners.copies(mesh.corner_vertices()),
        ..MeshArrays::default()
    };
    let mut arrays = arrays.with_corner_data(mesh.arrays(), &corners);
    if !arrays.normals.is_empty() {
        for face in (0..mesh.face_count()).filter(|&face| turned[face]) {
            arrays.normals[mesh.face_corners(face)].iter_mut().for_each(|n| *n = -*n);
        }
    }
    Ok(part.remapped(Mesh::new(arrays)?, &Remap { corners, ..Remap::default() }))
}

/// The rims that close: each as corners at its points, in the order that the face at the first of them
/// runs. Faces beside it may look to different sides.
fn holes(geometry: &Geometry) -> Vec<Vec<u32>> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize) as u32;
    let is_open = |&corner: &usize| topology.across(corner) == corner;
    // The two open edges at a point, by the corners they begin at; where more meet, none goes on.
    let mut ends: FxHashMap<u32, SmallVec<[u32; 2]>> = FxHashMap::default();
    for corner in (0..mesh.corner_count()).filter(is_open) {
        for end in [corner, next(geometry, corner)] {
            ends.entry(point(end)).or_default().push(corner as u32);
        }
    }
    let mut met: FxHashSet<u32> = FxHashSet::default();
    let mut all = Vec::new();
    for corner in (0..mesh.corner_count()).filter(is_open) {
        let (mut rim, mut edge, mut at) = (Vec::new(), corner, point(corner));
        while met.insert(edge as u32) {
            let far = next(geometry, edge);
            let [here, there] = if point(edge) == at { [edge, far] } else { [far, edge] };
            rim.push(here as u32);
            at = point(there);
            let on = match ends[&at].as_slice() {
                [a, b] => {
                    if *a as usize == edge {
                        *b
                    } else {
                        *a
                    }
                }
                _ => break,
            };
            edge = on as usize;
        }
        if rim.len() > 2 && at == point(corner) && edge == corner {
            all.push(rim);
        }
    }
    all
}

/// Closes holes of up to so many edges by a face each, cut into triangles where all others are such; says
/// how many. What lies on the new faces is what lies at the rim.
fn closed(part: &Part, most: usize) -> Result<(Part, usize), MendingError> {
    let geometry = &part.geometry;
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let holes = holes(geometry);
    let small: Vec<&Vec<u32>> = holes.iter().filter(|hole| hole.len() <= most).collect();
    if small.is_empty() {
        return Ok((part.clone(), 0));
    }
    let mut arrays = MeshArrays {
        positions: mesh.positions().to_vec(),
        face_starts: mesh.face_starts().to_vec(),
        corner_vertices: mesh.corner_vertices().to_vec(),
        ..MeshArrays::default()
    };
    let mut corners: Vec<u32> = (0..mesh.corner_count() as u32).collect();
    let mut faces: Vec<u32> = (0..mesh.face_count() as u32).collect();
    for hole in &small {
        // The other way round than the faces beside it.
        let rim: Vec<u32> = hole.iter().rev().copied().collect();
        let face = topology.face_of(rim[0] as usize) as u32;
        arrays.corner_vertices.extend(rim.iter().map(|&c| mesh.corner_vertices()[c as usize]));
        corners.extend(&rim);
        arrays.face_starts.push(arrays.corner_vertices.len() as u32);
        faces.push(face);
    }
    let count = small.len();
    let corners = Carry::Copies(corners);
    let mut arrays = arrays.with_corner_data(mesh.arrays(), &corners);
    let old = mesh.corner_count();
    // What the rim's faces look like says nothing of a lid.
    arrays.normals.iter_mut().skip(old).for_each(|normal| *normal = Vec3::ZERO);
    let whole = Mesh::new(arrays)?;
    let remap = Remap { corners, faces: Carry::Copies(faces), ..Remap::default() };
    let closed = part.remapped(whole, &remap);
    Ok((if mesh.all_triangles() { closed.triangulated() } else { closed }, count))
}
