//! Solids whose sizes are known by formula (any handbook of geometry).

use std::f64::consts::{PI, TAU};

use glam::{DVec3, Vec3};
use speckle_mesh::{Geometry, Mesh, MeshError, mesh::MeshArrays};

use crate::common::polygons;

fn geometry(positions: Vec<Vec3>, faces: &[Vec<u32>]) -> Geometry {
    Geometry::new(polygons(positions, faces))
}

/// A box of six quads, its lower corner and size given; outward faces.
fn cuboid(low: Vec3, size: Vec3) -> (Vec<Vec3>, Vec<Vec<u32>>) {
    let positions = (0..8)
        .map(|i| low + size * Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32))
        .collect();
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    (positions, faces.map(|face| face.to_vec()).to_vec())
}

/// A closed surface of quads over two angles, both going round.
fn round_grid(n: u32, m: u32, at: impl Fn(f64, f64) -> DVec3) -> Geometry {
    let positions = (0..n * m)
        .map(|i| {
            at(TAU * f64::from(i / m) / f64::from(n), TAU * f64::from(i % m) / f64::from(m))
                .as_vec3()
        })
        .collect();
    let v = |i: u32, j: u32| i % n * m + j % m;
    let faces: Vec<Vec<u32>> = (0..n)
        .flat_map(|i| (0..m).map(move |j| vec![v(i, j), v(i + 1, j), v(i + 1, j + 1), v(i, j + 1)]))
        .collect();
    geometry(positions, &faces)
}

fn close(a: f64, b: f64, share: f64) {
    assert!((a - b).abs() <= share * b.abs(), "{a} is not {b}");
}

#[test]
fn a_box_has_the_area_and_volume_of_a_box() {
    // Far from the origin, where careless sums would lose the volume to rounding.
    let (positions, faces) = cuboid(Vec3::new(2000.0, -3000.0, 500.0), Vec3::new(2.0, 3.0, 4.0));
    let solid = geometry(positions, &faces);
    close(solid.measures().area, 52.0, 1e-4);
    close(solid.measures().volume, 24.0, 1e-4);
    assert_eq!(solid.measures().max - solid.measures().min, Vec3::new(2.0, 3.0, 4.0));
    assert!(solid.topology().is_watertight());
    assert_eq!((solid.topology().edge_count(), solid.topology().euler_number()), (12, 2));
    assert_eq!(solid.triangulation().corners().len(), 12);
    // Inside out, the volume is negative.
    let (positions, mut faces) = cuboid(Vec3::ZERO, Vec3::ONE);
    faces.iter_mut().for_each(|face| face.reverse());
    close(geometry(positions, &faces).measures().volume, -1.0, 1e-6);
}

/// Torus: area 4 π² R r, volume 2 π² R r², Euler number 0.
#[test]
fn a_torus_has_a_handle_and_its_normals_point_away_from_its_core() {
    let (big, small) = (3.0, 1.0);
    let torus = round_grid(160, 80, |u, v| {
        let ring = DVec3::new(u.cos(), u.sin(), 0.0);
        ring * (big + small * v.cos()) + DVec3::Z * (small * v.sin())
    });
    close(torus.measures().area, 4.0 * PI * PI * big * small, 2e-3);
    close(torus.measures().volume, 2.0 * PI * PI * big * small * small, 2e-3);
    assert_eq!(torus.topology().euler_number(), 0);
    assert!(torus.topology().is_watertight());
    for (point, normal) in torus.mesh().positions().iter().zip(torus.vertex_normals()) {
        let core = Vec3::new(point.x, point.y, 0.0).normalize() * big as f32;
        assert!((*point - core).normalize().dot(*normal) > 0.999, "{point}");
    }
}

#[test]
fn open_and_branching_surfaces_are_not_watertight_and_pieces_are_counted() {
    let (positions, mut faces) = cuboid(Vec3::ZERO, Vec3::ONE);
    let lid = faces.pop();
    assert!(!geometry(positions.clone(), &faces).topology().is_watertight());
    faces.extend(lid);
    // A fin on an edge gives that edge three faces.
    let mut finned = positions.clone();
    finned.push(Vec3::new(2.0, 2.0, 0.0));
    let mut branching = faces.clone();
    branching.push(vec![3, 7, 8]);
    let branching = geometry(finned, &branching);
    assert!(!branching.topology().is_watertight());
    let corner = branching.mesh().face_corners(6).start;
    assert_eq!(branching.topology().around(corner).count(), 3);

    let (second, more) = cuboid(Vec3::new(5.0, 0.0, 0.0), Vec3::ONE);
    let mut both = positions;
    both.extend(second);
    faces.extend(more.iter().map(|face| face.iter().map(|v| v + 8).collect::<Vec<u32>>()));
    let both = geometry(both, &faces);
    assert_eq!(both.pieces().count(), 2);
    assert_eq!((both.pieces().of(0), both.pieces().of(11)), (0, 1));
    assert_eq!(both.topology().euler_number(), 4);
}

/// A file that splits every vertex by face (hard edges) is one surface all the same, and its edges
/// stay hard under the light; one that splits a smooth surface at a seam stays smooth there.
#[test]
fn split_vertices_join_for_connectivity_and_keep_hard_edges() {
    let (positions, faces) = cuboid(Vec3::ZERO, Vec3::ONE);
    let split: Vec<Vec3> = faces.iter().flatten().map(|&v| positions[v as usize]).collect();
    let own: Vec<Vec<u32>> = (0..6).map(|f| (4 * f..4 * f + 4).collect()).collect();
    let solid = geometry(split, &own);
    assert!(solid.topology().is_watertight());
    assert_eq!((solid.topology().point_count(), solid.pieces().count()), (8, 1));
    for (vertex, normal) in solid.vertex_normals().iter().enumerate() {
        assert!(normal.dot(solid.face_normals()[vertex / 4]) > 0.9999);
    }

    // A cylinder wall whose first and last columns lie on each other.
    let column = |i: u32| TAU as f32 * (i % 24) as f32 / 24.0;
    let positions: Vec<Vec3> = (0..=24)
        .flat_map(|i| [0.0, 1.0].map(|z| Vec3::new(column(i).cos(), column(i).sin(), z)))
        .collect();
    let faces: Vec<Vec<u32>> =
        (0..24).map(|i| vec![2 * i, 2 * i + 2, 2 * i + 3, 2 * i + 1]).collect();
    let wall = geometry(positions, &faces);
    for (point, normal) in wall.mesh().positions().iter().zip(wall.vertex_normals()) {
        assert!(Vec3::new(point.x, point.y, 0.0).dot(*normal) > 0.999, "{point} {normal}");
    }
}

#[test]
fn a_brush_begins_at_a_size_that_fits_the_part() {
    // A fine mesh: a twenty-fifth of it. A coarse one: a few edges, but no more than an eighth.
    let ball = |n| {
        round_grid(n, n, |u, v| {
            DVec3::new(u.cos(), u.sin(), 0.0) * (2.0 + v.cos()) + DVec3::Z * v.sin()
        })
    };
    let (fine, coarse) = (ball(300), ball(12));
    let share = |g: &Geometry| g.measures().starting_radius() / g.measures().diagonal();
    assert!((share(&fine) - 0.04).abs() < 1e-6);
    assert!((share(&coarse) - 0.125).abs() < 1e-6);
    // From far away a unit in single precision is coarse, and the radius still is a number.
    assert!(fine.measures().median_edge > 0.0 && fine.measures().median_edge.is_finite());
}

#[test]
fn arrays_that_contradict_each_other_are_no_mesh() {
    let good = MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y],
        face_starts: vec![0, 3],
        corner_vertices: vec![0, 1, 2],
        ..MeshArrays::default()
    };
    assert!(Mesh::new(good.clone()).is_ok());
    let bad = |change: fn(&mut MeshArrays)| {
        let mut arrays = good.clone();
        change(&mut arrays);
        Mesh::new(arrays).unwrap_err()
    };
    assert_eq!(bad(|a| a.face_starts = vec![0]), MeshError::NoFaces);
    assert!(matches!(bad(|a| a.face_starts = vec![0, 2]), MeshError::Inconsistent(_)));
    assert!(matches!(bad(|a| a.face_starts = vec![0, 9, 3]), MeshError::Inconsistent(_)));
    assert!(matches!(bad(|a| a.face_starts = vec![1, 3]), MeshError::Inconsistent(_)));
    assert_eq!(bad(|a| a.positions[1].x = f32::INFINITY), MeshError::NotFinite(1));
    assert_eq!(bad(|a| a.corner_vertices[2] = 1), MeshError::DegenerateFace(0));
    // What is stored is vouched for again when it is read.
    let bytes = rmp_serde::to_vec_named(&good).unwrap();
    assert!(rmp_serde::from_slice::<Mesh>(&bytes).is_ok());
    let mut torn = good;
    torn.corner_vertices[0] = 7;
    let bytes = rmp_serde::to_vec_named(&torn).unwrap();
    assert!(rmp_serde::from_slice::<Mesh>(&bytes).is_err());
}

/// Faces around one diagonal, all with the same bounding box: no two of them are nearest.
#[test]
fn rays_find_their_way_among_thousands_of_equal_boxes() {
    let blades = 20_000_u32;
    let turn = |i: u32| PI * f64::from(i) / f64::from(blades);
    // Within the cube around the diagonal from (0, 0, 0) to (1, 1, 1).
    let (across, up) = (DVec3::new(1.0, -1.0, 0.0) / 6.0, DVec3::new(1.0, 1.0, -2.0) / 8.0);
    let tips = (0..blades)
        .map(|i| (DVec3::splat(0.5) + across * turn(i).cos() + up * turn(i).sin()).as_vec3());
    let positions = [Vec3::ZERO, Vec3::ONE].into_iter().chain(tips).collect();
    let faces: Vec<Vec<u32>> = (0..blades).map(|i| vec![0, 1, i + 2]).collect();
    let wheel = geometry(positions, &faces);
    for i in [0, 1, 777, blades - 1] {
        // From the tip's side, straight at the middle of the blade.
        let tip = wheel.mesh().positions()[i as usize + 2];
        let target = (Vec3::ONE + tip) / 3.0;
        let normal = (tip - Vec3::ZERO).cross(Vec3::ONE).normalize();
        let hit = wheel.bvh().cast(target + normal * 1e-4, -normal).unwrap();
        assert!(hit.point.distance(target) < 1e-4);
    }
    assert!(wheel.bvh().cast(Vec3::new(2.0, -1.0, 0.0), Vec3::Z).is_none());
}

/// A scene in kilometres or in thousandths of a hair is met like one in metres.
#[test]
fn rays_meet_scenes_of_any_size() {
    for size in [1e-18_f32, 1e-6, 1.0, 1e6, 1e15] {
        let (positions, faces) = cuboid(Vec3::splat(-0.5 * size), Vec3::splat(size));
        let solid = geometry(positions, &faces);
        // From within a thousandth of the wall to far away, with directions of any length.
        for (away, stride) in [(1e-3, 1.0), (3.0, 250.0), (1e4, 1e-3)] {
            let origin = Vec3::new(0.1, 0.2, 0.5 + away) * size;
            let hit = solid.bvh().cast(origin, Vec3::NEG_Z * stride).unwrap();
            let error = (hit.point - Vec3::new(0.1, 0.2, 0.5) * size).abs().max_element();
            assert!(error <= 1e-6 * size * (1.0 + away), "{size} {away}: {error}");
            close(f64::from(hit.distance * stride), f64::from(away * size), 1e-3);
        }
        let [near, far] = [0.4, 3.0].map(|z| Vec3::new(0.1, 0.2, z) * size);
        assert!(!solid.bvh().is_clear(near, far, 0.0));
        assert!(solid.bvh().is_clear(near, near - Vec3::Z * 0.8 * size, 0.0));
        // The wall lies in the part of the way that is left out.
        assert!(solid.bvh().is_clear(near, far, 0.1));
    }
}

/// A ray along an axis meets the same whether its other coordinates are 0 or −0, as they come of
/// directions that were turned around.
#[test]
fn a_coordinate_of_minus_zero_is_none() {
    let (mut positions, mut faces) = (Vec::new(), Vec::new());
    for i in 0..5 {
        let (more, own) = cuboid(Vec3::splat(2.0 * i as f32), Vec3::ONE);
        let first = positions.len() as u32;
        faces.extend(own.into_iter().map(|face| face.iter().map(|v| v + first).collect()));
        positions.extend(more);
    }
    let solid = geometry(positions, &faces);
    let middle = Vec3::splat(4.4);
    for axis in 0..3 {
        for sign in [1.0, -1.0] {
            let way = |zero: f32| {
                let mut way = [zero; 3];
                way[axis] = sign;
                Vec3::from(way)
            };
            let far = |zero: f32| solid.bvh().cast(middle, way(zero)).map(|hit| hit.distance);
            let expected = if sign > 0.0 { 0.6 } else { 0.4 };
            assert!(far(0.0).is_some_and(|far| (far - expected).abs() < 1e-5), "{:?}", far(0.0));
            assert_eq!(far(0.0), far(-0.0), "along {}", way(-0.0));
            let end = |zero: f32| middle + way(zero) * 3.0;
            assert!(!solid.bvh().is_clear(middle, end(-0.0), 0.0));
        }
    }
}
