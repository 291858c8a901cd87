//! The signal pennant: striped cloth that flies from a mast, with a wooden toggle tied to its upper
//! edge, in millimetres. The mast stands at the origin, the cloth flies towards +X.

use std::f32::consts::TAU;

use glam::Vec3;
use speckle_color::Encoding;
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Selection};

use crate::{Detail, lathe::Turned};

/// Dyes and wood, sRGB-encoded.
const BUNTING: [f32; 4] = [0.93, 0.90, 0.83, 1.0];
const RED: [f32; 4] = [0.76, 0.22, 0.15, 1.0];
const ASH: [f32; 4] = [0.74, 0.61, 0.43, 1.0];

const STRIPES: usize = 6;
const LENGTH: f32 = 320.0;
/// Of the hoist and of the fly end.
const HEIGHTS: (f32, f32) = (120.0, 34.0);
const MIDDLE: f32 = 330.0;
const MAST_RADIUS: f32 = 7.0;

pub fn make(detail: Detail) -> Vec<NewPart> {
    let fine = |count: u32| match detail {
        Detail::Light => count / 2,
        Detail::Usual => count,
        Detail::Dense => count * 4,
    };
    vec![cloth(fine), mast(fine)]
}

/// A place on the cloth: along from the hoist and up, both 0–1.
fn at(along: f32, up: f32) -> Vec3 {
    let height = HEIGHTS.0 + (HEIGHTS.1 - HEIGHTS.0) * along;
    let wave = 26.0 * along * (along * 2.3 * TAU - up * 0.9).sin();
    let sag = 22.0 * along * along;
    let x = MAST_RADIUS + LENGTH * along * (1.0 - 0.06 * along);
    Vec3::new(x, MIDDLE + (up - 0.5) * height - sag, wave)
}

fn cloth(fine: impl Fn(u32) -> u32) -> NewPart {
    let (across, rows) = (STRIPES * fine(24) as usize, fine(44) as usize);
    let mut positions = Vec::new();
    for row in 0..=rows {
        for column in 0..=across {
            positions.push(at(column as f32 / across as f32, row as f32 / rows as f32));
        }
    }
    let mut faces: Vec<Vec<u32>> = Vec::new();
    let mut hoist = Vec::new();
    let mut stripes = vec![Vec::new(); STRIPES];
    for row in 0..rows {
        for column in 0..across {
            let face = faces.len() as u32;
            if column == 0 {
                hoist.push(face);
            }
            stripes[column * STRIPES / across].push(face);
            let first = (row * (across + 1) + column) as u32;
            let above = first + across as u32 + 1;
            faces.push(vec![first, first + 1, above + 1, above]);
        }
    }
    // The toggle hangs on the upper edge, a good way along it.
    let knot = at(0.2, 1.0) + Vec3::Y * 2.5;
    let mut toggle = Turned::default();
    let profile =
        [(0.0, -16.0, 0.0), (4.6, -16.0, 2.0), (3.4, 0.0, 8.0), (4.6, 16.0, 2.0), (0.0, 16.0, 0.0)];
    toggle.add(&profile, fine(30), fine(28), |p| knot + Vec3::new(p.y, p.z + 3.2, p.x));
    let first = positions.len() as u32;
    let first_face = faces.len() as u32;
    positions.extend(toggle.positions);
    faces
        .extend(toggle.faces.into_iter().map(|face| face.into_iter().map(|v| first + v).collect()));
    let wood: Vec<u32> = (first_face..faces.len() as u32).collect();

    let mesh = mesh(positions, &faces);
    let mut dye = NewSet::flooded("Dye", Placement::Corner, Encoding::Color, BUNTING, &mesh);
    let mut color = |faces: &[u32], color: [f32; 4]| {
        faces.iter().for_each(|&face| dye.values[mesh.face_corners(face as usize)].fill(color));
    };
    stripes.iter().step_by(2).for_each(|faces| color(faces, RED));
    color(&wood, ASH);
    let named = |name: String, faces: Vec<u32>| Selection { name, faces };
    // Of several groups a face is in, the last one counts for what is told apart.
    let mut selections = vec![named("Hoist".to_owned(), hoist)];
    selections.extend(
        stripes.into_iter().enumerate().map(|(i, faces)| named(format!("Stripe {}", i + 1), faces)),
    );
    selections.push(named("Toggle".to_owned(), wood));
    NewPart { selections, ..NewPart::new("Pennant", mesh, vec![dye]) }
}

fn mast(fine: impl Fn(u32) -> u32) -> NewPart {
    let top = MIDDLE + HEIGHTS.0 / 2.0 + 34.0;
    let (thin, foot) = (MAST_RADIUS - 0.6, 34.0);
    let profile = [
        (0.0, 0.0, 0.0),
        (foot, 0.0, 3.0),
        (foot, 14.0, 5.0),
        (MAST_RADIUS + 5.0, 22.0, 8.0),
        (MAST_RADIUS + 1.0, 60.0, 20.0),
        (thin, top, 1.0),
        (12.0, top + 6.0, 5.0),
        (8.0, top + 20.0, 7.0),
        (0.0, top + 22.0, 0.0),
    ];
    let mut turned = Turned::default();
    turned.add(&profile, fine(120), fine(32), |p| p);
    let mesh = mesh(turned.positions, &turned.faces);
    let coat = NewSet::flooded("Dye", Placement::Corner, Encoding::Color, ASH, &mesh);
    NewPart::new("Mast", mesh, vec![coat])
}

fn mesh(positions: Vec<Vec3>, faces: &[Vec<u32>]) -> Mesh {
    let mut face_starts = vec![0];
    let mut corner_vertices = Vec::new();
    for face in faces {
        corner_vertices.extend_from_slice(face);
        face_starts.push(corner_vertices.len() as u32);
    }
    let arrays = MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
    Mesh::new(arrays).expect("the loom makes well-formed meshes")
}

#[cfg(test)]
mod tests {
    use super::*;
    use speckle_mesh::Geometry;

    #[test]
    fn the_toggle_is_a_piece_of_its_own_that_touches_the_cloth() {
        let parts = make(Detail::Usual);
        let geometry = Geometry::new(parts[0].mesh.clone());
        assert_eq!(geometry.pieces().count(), 2);
        let wood = parts[0].selections.last().expect("the toggle is named");
        let on_wood: Vec<Vec3> =
            wood.faces.iter().map(|&f| parts[0].mesh.face_centroid(f as usize)).collect();
        let edge = at(0.2, 1.0);
        let near = on_wood.iter().map(|p| p.distance(edge)).fold(f32::INFINITY, f32::min);
        assert!(near < 3.0, "{near} mm from the cloth");
        // The waves are those of a cloth and not of a spring.
        assert!(at(1.0, 0.5).z.abs() < LENGTH / 6.0);
    }
}
