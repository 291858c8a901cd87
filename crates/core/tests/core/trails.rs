//! Distances along a surface, against those that Euclid tells: on triangles of any shape, from several
//! roots, over pieces that stand flush.

use std::sync::Arc;

use glam::Vec3;
use speckle_mesh::{Mesh, Placement};
use speckle_model::Selection;
use speckle_tools::bake::Inputs;

use crate::{
    bake::{inputs_of, made, mesh},
    common::{arrays_of, beside, polygons, sheet},
};

/// n × n quads of −1 to 1, cut into triangles along one diagonal, sheared along x.
fn sheared(n: u32, by: f32) -> Mesh {
    let arrays = sheet(n, 0.0);
    let slide = |p: &Vec3| Vec3::new(p.x + by * p.y, p.y, 0.0);
    let faces: Vec<Vec<u32>> = arrays
        .corner_vertices
        .chunks(4)
        .flat_map(|q| [vec![q[0], q[1], q[2]], vec![q[0], q[2], q[3]]])
        .collect();
    polygons(arrays.positions.iter().map(slide).collect(), &faces)
}

/// The distances from a point of a plane mesh, by how far they are off at most, as a share of the
/// largest.
fn off_by(own: Mesh, from: Vec3) -> f32 {
    let positions = own.positions().to_vec();
    let far = positions.iter().map(|p| p.distance(from)).fold(0.0, f32::max);
    let [x, y, z] = from.to_array();
    let source =
        format!(r#"{{"kind":"trail","root":{{"kind":"point","at":[{x},{y},{z}]}},"reach":{far}}}"#);
    let trail = made(&source, &inputs_of(vec![own], Placement::Vertex));
    let off = positions.iter().zip(trail).map(|(p, t)| (t - p.distance(from) / far).abs());
    off.fold(0.0, f32::max)
}

#[test]
fn on_a_plane_of_sheared_triangles_it_is_the_straight_distance() {
    for by in [0.0, 0.5, -0.5, 1.0, 2.0, -2.0, 3.0, -3.0] {
        for n in [12, 40] {
            // In a vertex, and within a face.
            for from in [Vec3::ZERO, Vec3::new(0.031 + by * 0.02, 0.02, 0.0)] {
                let off = off_by(sheared(n, by), from);
                // 2 % and 143 % of the distance before angles were cut, at ½ and at 3.
                let most = if by.abs() > 1.0 { 0.04 } else { 0.01 };
                assert!(off < most, "sheared by {by}, {n} × {n}, from {from}: {off}");
            }
        }
    }
}

fn with_selection(own: Mesh, faces: Vec<u32>) -> Inputs {
    let inputs = inputs_of(vec![own], Placement::Vertex);
    let mut parts = inputs.parts.to_vec();
    parts[0].traits.selections = Arc::new(vec![Selection { name: "Roots".to_owned(), faces }]);
    Inputs { parts: Arc::new(parts), ..inputs }
}

/// From two far apart quads of a sheet: to each point from the nearer one.
#[test]
fn from_several_roots_each_place_counts_from_its_nearest() {
    const N: u32 = 30;
    let corner = |column: u32, row: u32| {
        let at = |i: u32| 2.0 * i as f32 / N as f32 - 1.0;
        [Vec3::new(at(column), at(row), 0.0), Vec3::new(at(column + 1), at(row + 1), 0.0)]
    };
    let roots = [(3, 4), (24, 20)];
    let faces = roots.map(|(column, row)| row * N + column).to_vec();
    let inputs = with_selection(mesh(sheet(N, 0.0)), faces);
    let source = r#"{"kind":"trail","root":{"kind":"selection","name":"Roots"},"reach":3}"#;
    let trail = made(source, &inputs);
    for (p, t) in inputs.body.geometry.mesh().positions().iter().zip(trail) {
        let to = |(column, row): (u32, u32)| {
            let [low, high] = corner(column, row);
            p.distance(p.clamp(low, high))
        };
        let expected = roots.map(to).into_iter().fold(f32::INFINITY, f32::min) / 3.0;
        // Fronts from a square are round at its corners: there the march is of first order.
        assert!((t - expected).abs() < 0.02, "{p}: {t}, not {expected}");
    }
}

/// Two boards that lie flush, edge to edge with vertices of their own, are not one surface where a third
/// stands between them; what begins on the first does not go over.
#[test]
fn a_trail_stays_on_its_piece() {
    let cube = |low: Vec3| {
        let at = |i: u32| low + Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32);
        let faces =
            [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
        arrays_of(&polygons((0..8).map(at).collect(), &faces.map(|face| face.to_vec())))
    };
    let both = mesh(beside(cube(Vec3::ZERO), cube(Vec3::X)));
    let inputs = with_selection(both, vec![4]);
    let source = |joined: &str| {
        format!(
            r#"{{"kind":"trail","root":{{"kind":"selection","name":"Roots"}},"reach":4,"joined":"{joined}","touch":0.01}}"#
        )
    };
    // The selected side is at x = 0: the first cube's far side is 1 away, the second is not reached.
    let apart = made(&source("apart"), &inputs);
    let positions = inputs.body.geometry.mesh().positions().to_vec();
    for (v, (p, t)) in positions.iter().zip(&apart).enumerate() {
        let expected = if v < 8 { p.x / 4.0 } else { 0.0 };
        assert!((t - expected).abs() < 1e-5, "{v} at {p}: {t}");
    }
    let over = made(&source("goes_on"), &inputs);
    for (p, t) in positions.iter().zip(&over) {
        assert!((t - p.x / 4.0).abs() < 0.01, "at {p}: {t}");
    }
}

/// Two halves of a sheet whose sides lie a millionth apart, as rounding leaves them: the trail goes
/// over the seam, and the seam is no open edge. A gap that can be seen stays one.
#[test]
fn a_trail_goes_over_a_seam_that_rounding_left() {
    const N: u32 = 20;
    for (gap, is_seam) in [(1e-6_f32, true), (1e-3, false)] {
        let half = |side: f32| {
            let mut arrays = sheet(N, 0.0);
            for p in &mut arrays.positions {
                p.x = side * (0.5 + gap / 2.0) + 0.5 * p.x;
            }
            arrays
        };
        let both = mesh(beside(half(-1.0), half(1.0)));
        let inputs = inputs_of(vec![both], Placement::Vertex);
        let trail =
            made(r#"{"kind":"trail","root":{"kind":"point","at":[-1,-1,0]},"reach":3}"#, &inputs);
        let corner = Vec3::new(-1.0 - gap / 2.0, -1.0, 0.0);
        for (p, far) in inputs.body.geometry.mesh().positions().iter().zip(&trail) {
            let expected = if is_seam || p.x < 0.0 { p.distance(corner) / 3.0 } else { 0.0 };
            assert!((far - expected).abs() < 0.008, "{gap}, {p}: {far}, not {expected}");
        }
        let edge = made(r#"{"kind":"trail","root":{"kind":"open_edge"},"reach":3}"#, &inputs);
        let middle = inputs.body.geometry.mesh().positions().iter().zip(&edge);
        let middle = middle.filter(|(p, _)| p.x.abs() < 0.01 && p.y.abs() < 0.1);
        assert!(middle.clone().all(|(_, far)| (*far > 0.2) == is_seam), "{gap}");
    }
}
