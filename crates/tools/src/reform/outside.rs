//! Which faces of a mesh look the wrong way: not as those beside them, or inwards.

use glam::{DVec3, Vec3};
use rayon::prelude::*;
use speckle_mesh::Geometry;

use crate::bake::{
    lattice::over_half_sphere,
    watch::{GivenUp, Watch},
};

/// From how many faces of an open piece rays look for the outside.
const FACES: usize = 64;

/// How many rays each of them sends to either side.
const RAYS: usize = 16;

/// For every face whether it is to be turned over. Within a piece, which hangs together by edges of two faces, all look the same way then; a closed piece outwards by its volume,
/// an open one to the side from which more rays leave the part.
pub(super) fn sides(geometry: &Geometry, watch: &Watch) -> Result<Vec<bool>, GivenUp> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
    let mut turned = vec![false; mesh.face_count()];
    let mut met = vec![false; mesh.face_count()];
    for first in 0..mesh.face_count() {
        if met[first] {
            continue;
        }
        watch.check()?;
        met[first] = true;
        let (mut piece, mut at) = (vec![first], 0);
        let mut is_closed = true;
        while at < piece.len() {
            let face = piece[at];
            at += 1;
            for corner in mesh.face_corners(face) {
                let Some(other) = topology.only_other(corner) else {
                    is_closed = false;
                    continue;
                };
                let beyond = topology.face_of(other);
                if !met[beyond] {
                    met[beyond] = true;
                    // Both run along the edge the same way: one is to be turned.
                    turned[beyond] = turned[face] != (point(corner) == point(other));
                    piece.push(beyond);
                }
            }
        }
        let looks_in = if is_closed {
            volume(geometry, &piece, &turned) < 0.0
        } else {
            leaves_behind(geometry, &piece, &turned)
        };
        if looks_in {
            piece.iter().for_each(|&face| turned[face] = !turned[face]);
        }
    }
    Ok(turned)
}

/// Six times the signed volume of a piece, about its first point (divergence theorem).
fn volume(geometry: &Geometry, piece: &[usize], turned: &[bool]) -> f64 {
    let mesh = geometry.mesh();
    let origin = mesh.corner_position(mesh.face_corners(piece[0]).start);
    let of_face = |&face: &usize| {
        let area = mesh.face_area_vector(face).as_dvec3();
        let at: DVec3 = (mesh.face_centroid(face) - origin).as_dvec3();
        if turned[face] { -area.dot(at) } else { area.dot(at) }
    };
    piece.iter().map(of_face).sum()
}

/// Whether more rays leave the part behind the faces of a piece than before them.
fn leaves_behind(geometry: &Geometry, piece: &[usize], turned: &[bool]) -> bool {
    let (mesh, tree) = (geometry.mesh(), geometry.bvh());
    let normals = geometry.face_normals();
    let off = 1e-4 * geometry.measures().diagonal();
    let step = piece.len().div_ceil(FACES).max(1);
    let free = |&face: &usize| -> [usize; 2] {
        let normal = if turned[face] { -normals[face] } else { normals[face] };
        if normal == Vec3::ZERO {
            return [0, 0];
        }
        [normal, -normal].map(|side| {
            let from = mesh.face_centroid(face) + side * off;
            over_half_sphere(side, RAYS).filter(|&way| tree.cast(from, way).is_none()).count()
        })
    };
    let faces: Vec<&usize> = piece.iter().step_by(step).collect();
    let all: Vec<[usize; 2]> = faces.into_par_iter().map(free).collect();
    let sum = |side: usize| all.iter().map(|both| both[side]).sum::<usize>();
    sum(1) > sum(0)
}
