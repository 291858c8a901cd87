//! What is wrong with a mesh, found and mended.

use glam::{Affine3A, Vec3};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry, Mesh, MeshError, Placement,
    carry::Carry,
    geometry::{pieces::Pieces, shading, topology::Topology},
    mesh::{MeshArrays, gate},
    remap::Remap,
};
use speckle_model::{ColorSet, Part, color_set::Role};

use super::{build::used, outside};
use crate::bake::watch::{GivenUp, Watch};

/// What is mended, in this order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = MendingRules))]
#[serde(default, deny_unknown_fields)]
pub struct Rules {
    /// Join vertices that lie within this of each other, in the project's unit; 0 joins those at one
    /// place.
    pub weld: Option<f32>,
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
    /// What becomes of the mesh's own normals.
    pub normals: Normals,
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

    let near = near_points(mesh, NEAR * geometry.measures().diagonal());
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
        let (welded, count) = welded(&part, within, &to_project)?;
        (part, mended.welded) = (welded, count);
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
        (part, mended.holes) = closed(&part, most as usize)?;
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

fn check(rules: &Rules) -> Result<(), MendingError> {
    if rules.weld.is_some_and(|within| !(within >= 0.0 && within.is_finite())) {
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

/// For each vertex, the first one that it is drawn together with when all within a distance of each other
/// are, one after the other: the lowest number among those that hang together.
fn near_points(mesh: &Mesh, within: f32) -> Vec<u32> {
    let positions = mesh.positions();
    let place = |p: Vec3| (p + Vec3::ZERO).to_array().map(f32::to_bits);
    let mut joined = Joined((0..positions.len() as u32).collect());
    // Those at one place first: of a crowd one is enough from there on.
    let mut at: FxHashMap<[u32; 3], u32> = FxHashMap::default();
    let mut firsts: Vec<u32> = Vec::new();
    for (vertex, &p) in (0_u32..).zip(positions) {
        let first = *at.entry(place(p)).or_insert(vertex);
        joined.0[vertex as usize] = first;
        if first == vertex {
            firsts.push(vertex);
        }
    }
    drop(at);
    if within > 0.0 {
        join_near(positions, &firsts, within, &mut joined);
    }
    (0..positions.len() as u32).map(|vertex| joined.root(vertex)).collect()
}

/// Joins points within a distance of each other. Cells are so small that all in one are near; of two cells
/// that hang together already no more is asked, so that a great distance costs no more than a small one.
fn join_near(positions: &[Vec3], firsts: &[u32], within: f32, joined: &mut Joined) {
    // The diagonal of a cell.
    let width = 0.999 * within / 3.0_f32.sqrt();
    let cell = |vertex: u32| (positions[vertex as usize] / width).floor().as_i64vec3().to_array();
    let mut in_order: Vec<([i64; 3], u32)> = firsts.par_iter().map(|&v| (cell(v), v)).collect();
    in_order.par_sort_unstable();
    let cells: Vec<&[([i64; 3], u32)]> = in_order.chunk_by(|a, b| a.0 == b.0).collect();
    for own in &cells {
        own.iter().for_each(|&(_, vertex)| joined.join(own[0].1, vertex));
    }
    let number: FxHashMap<[i64; 3], u32> =
        cells.iter().zip(0..).map(|(own, n)| (own[0].0, n)).collect();
    // Half of the cells around, the nearest first; the others find these.
    let mut around: Vec<[i64; 3]> = (-2..=2_i64)
        .flat_map(|x| (-2..=2).flat_map(move |y| (-2..=2).map(move |z| [x, y, z])))
        .filter(|&offset| offset > [0, 0, 0])
        .collect();
    around.sort_by_key(|offset| (offset.iter().map(|x| x * x).sum::<i64>(), *offset));
    for [x, y, z] in around {
        let beside = |(n, own): (usize, &&[([i64; 3], u32)])| {
            let [a, b, c] = own[0].0;
            Some((n, *number.get(&[a + x, b + y, c + z])? as usize))
        };
        let pairs: Vec<(usize, usize)> = cells.par_iter().enumerate().filter_map(beside).collect();
        for (own, other) in pairs {
            let [own, other] = [cells[own], cells[other]];
            if joined.root(own[0].1) == joined.root(other[0].1) {
                continue;
            }
            let at = |&(_, vertex): &([i64; 3], u32)| positions[vertex as usize];
            let is_near = own.iter().any(|a| other.iter().any(|b| at(a).distance(at(b)) <= within));
            if is_near {
                joined.join(own[0].1, other[0].1);
            }
        }
    }
}

/// Which vertices hang together: each leads to one of a lower number, or to itself.
struct Joined(Vec<u32>);

impl Joined {
    fn root(&mut self, mut at: u32) -> u32 {
        let lead = &mut self.0;
        while lead[at as usize] != at {
            lead[at as usize] = lead[lead[at as usize] as usize];
            at = lead[at as usize];
        }
        at
    }

    fn join(&mut self, a: u32, b: u32) {
        let [a, b] = [self.root(a), self.root(b)];
        self.0[a.max(b) as usize] = a.min(b);
    }
}

/// Joins vertices within a distance, in the project's unit, where the first of them is. What differs
/// between them stays: sets per vertex become sets per corner. Faces that lose a corner lose it, and those
/// of fewer than three go. Says how many vertices are fewer.
fn welded(part: &Part, within: f32, to_project: &Affine3A) -> Result<(Part, usize), MendingError> {
    let mesh = part.geometry.mesh();
    let standing = mesh.transformed(to_project)?;
    let lead = near_points(&standing, within);
    let count = (0..lead.len()).filter(|&v| lead[v] as usize != v).count();
    if count == 0 {
        return Ok((part.clone(), 0));
    }
    let mut part = part.clone();
    // A set and its layers stay of one placement.
    let differs = |set: &ColorSet| {
        let value = |vertex: usize| set.values[vertex].map(f32::to_bits);
        set.placement == Placement::Vertex
            && (0..lead.len()).any(|v| value(v) != value(lead[v] as usize))
    };
    let differing: Vec<Role> =
        part.sets.iter().filter(|set| differs(set)).map(|set| set.role).collect();
    let is_owner = |set: &ColorSet| differs(set) || differing.iter().any(|&role| set.owns(role));
    let owners: Vec<ColorSet> = part.sets.iter().filter(|set| is_owner(set)).cloned().collect();
    for set in part.sets.iter_mut().filter(|set| set.placement == Placement::Vertex) {
        if owners.iter().any(|owner| owner.id == set.id || owner.owns(set.role)) {
            let at = |&v: &u32| set.values[v as usize];
            set.values = mesh.corner_vertices().iter().map(at).collect::<Vec<_>>().into();
            set.placement = Placement::Corner;
        }
    }
    let (mut corners, mut faces) = (Vec::new(), Vec::new());
    let mut arrays = MeshArrays { face_starts: vec![0], ..MeshArrays::default() };
    for face in 0..mesh.face_count() {
        let first = corners.len();
        for corner in mesh.face_corners(face) {
            let vertex = lead[mesh.corner_vertices()[corner] as usize];
            if arrays.corner_vertices[first..].last() != Some(&vertex) {
                arrays.corner_vertices.push(vertex);
                corners.push(corner as u32);
            }
        }
        if arrays.corner_vertices.len() > first + 1
            && arrays.corner_vertices[first] == arrays.corner_vertices[corners.len() - 1]
        {
            arrays.corner_vertices.pop();
            corners.pop();
        }
        let own = &arrays.corner_vertices[first..];
        if own.len() < 3 || gate::repeats_a_vertex(own) {
            arrays.corner_vertices.truncate(first);
            corners.truncate(first);
            continue;
        }
        arrays.face_starts.push(corners.len() as u32);
        faces.push(face as u32);
    }
    if faces.is_empty() {
        return Err(MendingError::Nothing);
    }
    arrays.positions = mesh.positions().to_vec();
    // Those that were joined go; loose ones that were there stay.
    let mut number = vec![u32::MAX; lead.len()];
    let kept: Vec<u32> = (0..lead.len() as u32).filter(|&v| lead[v as usize] == v).collect();
    for (new, &old) in (0_u32..).zip(&kept) {
        number[old as usize] = new;
    }
    arrays.positions = kept.iter().map(|&v| mesh.positions()[v as usize]).collect();
    arrays.corner_vertices.iter_mut().for_each(|v| *v = number[*v as usize]);
    let corners = Carry::Copies(corners);
    let welded = Mesh::new(arrays.with_corner_data(mesh.arrays(), &corners))?;
    let remap = Remap { vertices: Carry::Copies(kept), corners, faces: Carry::Copies(faces) };
    Ok((part.remapped(welded, &remap), count))
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Each point with the lowest one of those that it hangs together with, by looking at all pairs.
    fn by_all_pairs(positions: &[Vec3], within: f32) -> Vec<u32> {
        let mut lead: Vec<u32> = (0..positions.len() as u32).collect();
        loop {
            let before = lead.clone();
            for (i, p) in positions.iter().enumerate() {
                for (j, q) in positions.iter().enumerate() {
                    if p == q || p.distance(*q) <= within {
                        lead[i] = lead[i].min(lead[j]);
                    }
                }
            }
            if lead == before {
                return lead;
            }
        }
    }

    proptest! {
        /// In cells, the nearest first, the same hang together as by all pairs, whatever the distance.
        #[test]
        fn what_is_near_hangs_together(
            points in prop::collection::vec(prop::array::uniform3(-1.0_f32..1.0), 3..60),
            within in prop_oneof![Just(0.0_f32), 1e-3_f32..0.1, 0.1_f32..3.0],
            twice in 0_usize..3,
        ) {
            let mut positions: Vec<Vec3> = points.into_iter().map(Vec3::from).collect();
            positions.extend_from_within(..twice);
            let arrays = MeshArrays {
                positions: positions.clone(),
                face_starts: vec![0, 3],
                corner_vertices: vec![0, 1, 2],
                ..MeshArrays::default()
            };
            let mesh = Mesh::new(arrays).unwrap();
            prop_assert_eq!(near_points(&mesh, within), by_all_pairs(&positions, within));
        }
    }
}
