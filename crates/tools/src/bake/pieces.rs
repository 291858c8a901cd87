//! What is told apart: connected pieces, materials; and one random value for each.

use rayon::prelude::*;

use speckle_color::noise::{mix, unit};
use speckle_mesh::{Geometry, Placement};
use speckle_model::Selection;

/// What is told apart on a part.
pub enum Units<'a> {
    /// Connected pieces.
    Pieces,
    /// Nothing: the part is one.
    Part,
    /// Groups that the file named; what is in none is one, too.
    Groups(&'a [Selection]),
    /// The material of each face; empty when all have the first one.
    Materials(&'a [u32]),
}

/// The number of what each face belongs to.
#[must_use]
pub fn of_faces(geometry: &Geometry, units: &Units) -> Vec<u32> {
    let faces = geometry.mesh().face_count();
    match units {
        Units::Pieces => (0..faces).map(|f| geometry.topology().piece_of(f) as u32).collect(),
        Units::Part => vec![0; faces],
        // All are of the first one.
        Units::Materials([]) => vec![0; faces],
        Units::Materials(of_faces) => of_faces.to_vec(),
        Units::Groups(groups) => {
            let mut of = vec![0; faces];
            for (i, selection) in groups.iter().enumerate() {
                for &face in selection.faces.iter().filter(|&&f| (f as usize) < faces) {
                    of[face as usize] = i as u32 + 1;
                }
            }
            of
        }
    }
}

/// How much of each element lies in some faces: of a vertex, the share of its corners that do.
#[must_use]
pub fn shares_of(geometry: &Geometry, placement: Placement, faces: &[u32]) -> Vec<f32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut is_in = vec![0.0_f32; mesh.face_count()];
    faces.iter().for_each(|&face| is_in[face as usize] = 1.0);
    if placement != Placement::Vertex {
        return by_face(geometry, placement, |face| is_in[face], 0.0);
    }
    let share = |vertex: usize| {
        let own = topology.own_corners(mesh, vertex);
        let (sum, count) = own.fold((0.0, 0.0_f32), |(sum, count), corner| {
            (sum + is_in[topology.face_of(corner)], count + 1.0)
        });
        sum / count.max(1.0)
    };
    (0..mesh.vertex_count()).into_par_iter().map(share).collect()
}

/// Three random numbers of 0–1 for a piece.
#[must_use]
pub fn random(seed: u32, piece: u32) -> [f32; 3] {
    let first = mix(mix(seed ^ 0x51ed_270b) ^ piece);
    let second = mix(first ^ 0x68bc_21eb);
    [first, second, mix(second ^ 0x02e5_be93)].map(unit)
}

/// What is said of faces, at the elements of a placement: a vertex has that of its first face, and
/// `loose` when it has none.
#[must_use]
pub fn by_face<T: Copy + Send + Sync>(
    geometry: &Geometry,
    placement: Placement,
    of: impl Fn(usize) -> T + Sync,
    loose: T,
) -> Vec<T> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    match placement {
        Placement::Face => (0..mesh.face_count()).into_par_iter().map(&of).collect(),
        Placement::Corner => {
            (0..mesh.corner_count()).into_par_iter().map(|c| of(topology.face_of(c))).collect()
        }
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                let corner = topology.own_corners(mesh, v).next();
                corner.map_or(loose, |corner| of(topology.face_of(corner)))
            })
            .collect(),
    }
}
