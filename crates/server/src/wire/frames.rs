//! Binary frames of the live socket, for arrays.
//!
//! A binary frame is eight little-endian `u32` (kind, part, set, then four counts, unused ones 0, and
//! the number of the question that it answers, or 0) and arrays one after the other, each a multiple of four bytes long, so that the browser can lay
//! typed arrays over them without a copy.

use axum::{body::Bytes, extract::ws::Message};
use glam::Vec3;
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use speckle_color::{Rgba, bytes_from_rgba};
use speckle_mesh::{
    Geometry, Placement,
    geometry::shading,
    reshape::{Direction, Reshape},
};
use speckle_model::{ColorSet, PartId, SetId};

/// Kinds of binary frames.
mod kind {
    pub const GEOMETRY: u32 = 1;
    pub const VALUES: u32 = 2;
    pub const PATCH: u32 = 3;
    pub const FOOTPRINT: u32 = 4;
    pub const PLACES: u32 = 5;
    pub const PREVIEW: u32 = 6;
    pub const HEAT: u32 = 7;
    pub const RESHAPE: u32 = 8;
}

fn frame(head: [u32; 8], arrays: &[&[u8]]) -> Message {
    let mut bytes = Vec::with_capacity(32 + arrays.iter().map(|a| a.len()).sum::<usize>());
    bytes.extend_from_slice(bytemuck::cast_slice(&head));
    arrays.iter().for_each(|array| bytes.extend_from_slice(array));
    Message::Binary(Bytes::from(bytes))
}

/// A normal in 16-bit steps, full scale 32 767; the fourth is unused.
fn stepped(normal: Vec3) -> [i16; 4] {
    let [x, y, z] = normal.to_array().map(|x| (x * 32_767.0).round() as i16);
    [x, y, z, 0]
}

/// What the normals of a frame of geometry are of; it stands where others have the set.
mod normals_of {
    /// A direction per vertex, made from the faces around.
    pub const FACES: u32 = 0;
    /// A direction per corner, the mesh's own.
    pub const CORNERS: u32 = 1;
    /// A direction per vertex, the mesh's own.
    pub const VERTICES: u32 = 2;
}

/// The normals of a mesh as its light goes, and what they are of.
fn normals(geometry: &Geometry) -> (u32, Vec<[i16; 4]>) {
    let (of, placement) = if shading::differ_at_vertices(geometry.mesh()) {
        (normals_of::CORNERS, Placement::Corner)
    } else {
        (normals_of::VERTICES, Placement::Vertex)
    };
    match shading::own_at(geometry, placement) {
        Some(own) => (of, own.into_iter().map(stepped).collect()),
        None => {
            let of_faces = geometry.vertex_normals().iter().copied();
            (normals_of::FACES, of_faces.map(stepped).collect())
        }
    }
}

/// Geometry for display. In the place of the set stands what normals are of. Counts: V, C, F, and T,
/// the last two 0 when every face is a triangle of three corners in a row. Arrays: positions `f32`
/// 3 V, normals `i16` 4 V or 4 C (full scale 32 767, fourth unused), vertex of each corner `u32` C,
/// face starts `u32` F + 1 and corners of triangles `u32` 3 T, unless left out.
pub fn geometry(part: PartId, geometry: &Geometry) -> Message {
    let mesh = geometry.mesh();
    let (of, normals) = normals(geometry);
    let (vertices, corners) = (mesh.vertex_count() as u32, mesh.corner_count() as u32);
    let common: [&[u8]; 3] = [
        bytemuck::cast_slice(mesh.positions()),
        bytemuck::cast_slice(&normals),
        bytemuck::cast_slice(mesh.corner_vertices()),
    ];
    if mesh.all_triangles() {
        return frame([kind::GEOMETRY, part.0, of, vertices, corners, 0, 0, 0], &common);
    }
    let triangles = geometry.triangulation().corners();
    let (faces, count) = (mesh.face_count() as u32, triangles.len() as u32);
    let [a, b, c] = common;
    let arrays =
        [a, b, c, bytemuck::cast_slice(mesh.face_starts()), bytemuck::cast_slice(triangles)];
    frame([kind::GEOMETRY, part.0, of, vertices, corners, faces, count, 0], &arrays)
}

/// What has changed of a mesh that is as it is after it. Counts: all vertices and all faces that it
/// has now, vertices and faces that follow. Arrays: vertices `u32`, where they are `f32` 3 each, their
/// normals `i16` 4 each; faces `u32`, their vertices `u32` 3 each. All ascending; faces that change,
/// come or go are triangles. Where the mesh has normals of its own, in the place of the set stands 1,
/// and those of the faces' corners follow, `i16` 4 each.
pub fn reshape(
    part: PartId,
    geometry: &Geometry,
    reshape: &Reshape,
    direction: Direction,
) -> Message {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let (vertex_count, face_count) = (mesh.vertex_count() as u32, mesh.face_count() as u32);
    let (faces, triangles) = reshape.triangles.what_is_new(direction);
    let (moved, _) = reshape.points.what_is_new(direction);
    let (_, gone) = reshape.triangles.what_is_new(direction.opposite());
    // Normals follow from the faces around: those that changed, and those at points that moved.
    let mut near: FxHashSet<u32> = triangles.iter().chain(gone).flatten().copied().collect();
    for &vertex in moved {
        near.insert(vertex);
        for corner in topology.own_corners(mesh, vertex as usize) {
            let face = mesh.face_corners(topology.face_of(corner));
            near.extend(&mesh.corner_vertices()[face]);
        }
    }
    near.retain(|&vertex| vertex < vertex_count);
    let mut vertices: Vec<u32> = near
        .iter()
        .flat_map(|&vertex| topology.corners_at(vertex as usize))
        .map(|&corner| mesh.corner_vertices()[corner as usize])
        .chain(near.iter().copied())
        .collect();
    vertices.sort_unstable();
    vertices.dedup();
    let at = |vertex: &u32| *vertex as usize;
    let places: Vec<Vec3> = vertices.iter().map(|v| mesh.positions()[at(v)]).collect();
    let of_vertex = |v: &u32| stepped(shading::own_of(geometry, Placement::Vertex, at(v)));
    let of_vertices: Vec<[i16; 4]> = vertices.iter().map(of_vertex).collect();
    let of_corner = |c| stepped(shading::own_of(geometry, Placement::Corner, c));
    let has_own = mesh.normals().is_some();
    let corners = faces.iter().filter(|_| has_own).flat_map(|&f| mesh.face_corners(f as usize));
    let of_corners: Vec<[i16; 4]> = corners.map(of_corner).collect();
    let (some, new) = (vertices.len() as u32, faces.len() as u32);
    frame(
        [kind::RESHAPE, part.0, has_own.into(), vertex_count, face_count, some, new, 0],
        &[
            bytemuck::cast_slice(&vertices),
            bytemuck::cast_slice(&places),
            bytemuck::cast_slice(&of_vertices),
            bytemuck::cast_slice(faces),
            bytemuck::cast_slice(triangles),
            bytemuck::cast_slice(&of_corners),
        ],
    )
}

/// All values of a set in 8-bit steps. Count: elements. Array: `u8` 4 per element.
pub fn values(part: PartId, set: &ColorSet) -> Message {
    let bytes: Vec<[u8; 4]> = set.values.par_iter().copied().map(bytes_from_rgba).collect();
    let head = [kind::VALUES, part.0, set.id.0, bytes.len() as u32, 0, 0, 0, 0];
    frame(head, &[bytemuck::cast_slice(&bytes)])
}

/// Changed values of a set. Count: elements. Arrays: indices `u32`, values `u8` 4 each.
pub fn patch(part: PartId, set: SetId, indices: &[u32], values: &[Rgba]) -> Message {
    let bytes: Vec<[u8; 4]> =
        indices.iter().map(|&i| bytes_from_rgba(values[i as usize])).collect();
    let head = [kind::PATCH, part.0, set.0, indices.len() as u32, 0, 0, 0, 0];
    frame(head, &[bytemuck::cast_slice(indices), bytemuck::cast_slice(&bytes)])
}

/// What a set would be, for a question or, where that is 0, by a recipe under way. Count: elements. Array: `u8` 4 per element.
pub fn preview(question: u32, part: PartId, set: SetId, values: &[Rgba]) -> Message {
    let bytes: Vec<[u8; 4]> = values.par_iter().copied().map(bytes_from_rgba).collect();
    let head = [kind::PREVIEW, part.0, set.0, bytes.len() as u32, 0, 0, 0, question];
    frame(head, &[bytemuck::cast_slice(&bytes)])
}

/// The most elements of a footprint that are sent: more dots than that tell no more.
const MOST_DOTS: usize = 20_000;

/// What a dab or a fill would cover; of many elements, every so many. Counts: elements sent, and
/// all that are covered. Array: indices `u32`.
pub fn footprint(
    question: u32,
    part: PartId,
    set: SetId,
    covered: impl ExactSizeIterator<Item = u32>,
) -> Message {
    let all = covered.len();
    let shown: Vec<u32> = covered.step_by(all.div_ceil(MOST_DOTS).max(1)).collect();
    let head = [kind::FOOTPRINT, part.0, set.0, shown.len() as u32, all as u32, 0, 0, question];
    frame(head, &[bytemuck::cast_slice(&shown)])
}

/// A number for each element. Counts: elements, and 0–2 for vertices, corners, faces; the set is 0
/// for edge lengths (the project's unit), else the snapshot that differences are from (CIEDE2000).
/// Array: `f32`.
pub fn heat(
    question: u32,
    part: PartId,
    set: Option<SetId>,
    placement: Placement,
    numbers: &[f32],
) -> Message {
    let set = set.map_or(0, |set| set.0);
    let head = [kind::HEAT, part.0, set, numbers.len() as u32, placement as u32, 0, 0, question];
    frame(head, &[bytemuck::cast_slice(numbers)])
}

/// Places on a part, in its own space. Count: places. Array: `f32` 3 each.
pub fn places(question: u32, part: PartId, places: &[glam::Vec3]) -> Message {
    let head = [kind::PLACES, part.0, 0, places.len() as u32, 0, 0, 0, question];
    frame(head, &[bytemuck::cast_slice(places)])
}
