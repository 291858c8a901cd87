//! Tangent frames: along U, along V and outwards.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_mesh::{
    Geometry, Placement,
    geometry::{normals, topology::CROWD},
};

use crate::bake::{BakeError, lookup::Lookup};

/// A frame: the axes along U, along V and outwards, unit length.
pub(super) type Frame = [Vec3; 3];

/// The frames of the elements of the placement, by the first set of texture coordinates; outwards is
/// the normal of the surface as if it were smooth.
///
/// # Errors
/// When there are no texture coordinates.
pub(super) fn frames<'a>(
    lookup: &mut Lookup<'a>,
) -> Result<impl FnOnce() -> Vec<Frame> + use<'a>, BakeError> {
    let (geometry, placement, uvs) = (lookup.geometry(), lookup.placement(), lookup.uvs(0)?);
    Ok(move || frames_of(geometry, placement, uvs))
}

/// Each is the mean over the triangles around, by their areas, made square to the normal (Lengyel,
/// Foundations of Game Engine Development 2, 2019, section 7.5).
fn frames_of(geometry: &Geometry, placement: Placement, uvs: &[Vec2]) -> Vec<Frame> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = normals::of_points(mesh, topology, geometry.face_normals());
    // Of each face, along U and along V.
    let of_face: Vec<[Vec3; 2]> = (0..mesh.face_count())
        .into_par_iter()
        .map(|face| {
            let corners = mesh.face_corners(face);
            let first = corners.start;
            let sums = (first + 1..corners.end - 1).map(|corner| {
                let [a, b, c] = [first, corner, corner + 1];
                let at = |corner: usize| (mesh.corner_position(corner), uvs[corner]);
                let ((p, s), (q, t), (r, u)) = (at(a), at(b), at(c));
                let (e1, e2, d1, d2) = (q - p, r - p, t - s, u - s);
                let sign = if d1.perp_dot(d2) < 0.0 { -1.0 } else { 1.0 };
                // By the area in the image: where that has none there is no direction.
                [(e1 * d2.y - e2 * d1.y) * sign, (e2 * d1.x - e1 * d2.x) * sign]
            });
            let sum = sums.fold([Vec3::ZERO; 2], |[x, y], [u, v]| [x + u, y + v]);
            let area = mesh.face_area_vector(face).length();
            sum.map(|axis| axis.normalize_or_zero() * area)
        })
        .collect();
    let frame = |normal: Vec3, [u, v]: [Vec3; 2]| {
        let normal = normal.normalize_or(Vec3::Z);
        let along = u.reject_from_normalized(normal);
        let along = along.try_normalize().unwrap_or_else(|| normal.any_orthonormal_vector());
        let across = normal.cross(along);
        [along, if across.dot(v) < 0.0 { -across } else { across }, normal]
    };
    let joined = |faces: &mut dyn Iterator<Item = usize>| {
        faces.map(|face| of_face[face]).fold([Vec3::ZERO; 2], |[x, y], [u, v]| [x + u, y + v])
    };
    match placement {
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|vertex| {
                let own = topology.own_corners(mesh, vertex);
                frame(normals[vertex], joined(&mut own.map(|corner| topology.face_of(corner))))
            })
            .collect(),
        // Corners that share a point and its place in the image share their frame.
        Placement::Corner => (0..mesh.corner_count())
            .into_par_iter()
            .map(|corner| {
                let vertex = mesh.corner_vertices()[corner] as usize;
                let at_point = topology.corners_at(vertex);
                if at_point.len() > CROWD {
                    return frame(normals[vertex], of_face[topology.face_of(corner)]);
                }
                let at_point = at_point.iter().map(|&other| other as usize);
                let same = at_point.filter(|&other| uvs[other] == uvs[corner]);
                frame(normals[vertex], joined(&mut same.map(|other| topology.face_of(other))))
            })
            .collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| {
                let around = mesh.face_vertices(face).iter().map(|&v| normals[v as usize]);
                frame(around.sum(), of_face[face])
            })
            .collect(),
    }
}

/// Directions in the numbers of their frames, −1 to 1 as 0 to 1.
pub(super) fn in_frames(ways: &[Vec3], frames: &[Frame]) -> Vec<[f32; 3]> {
    let share = |(way, frame): (&Vec3, &Frame)| {
        let way = way.normalize_or_zero();
        frame.map(|axis| 0.5 + 0.5 * way.dot(axis))
    };
    ways.par_iter().zip(frames).map(share).collect()
}
