//! Surfaces brought to where others lie.

use std::sync::Arc;

use glam::Vec3;
use proptest::prelude::*;
use speckle_mesh::{Geometry, Mesh, Transform, body::Placed};
use speckle_tools::align::{AlignBy, PairsError, align, align_by_pairs};

use crate::{bunny::bunny, common::sheet};

fn stands(translation: Vec3, rotation_degrees: Vec3) -> Transform {
    Transform { translation, rotation_degrees, scale: Vec3::ONE }
}

/// How far the farthest point of a shape lies from where another transform has it.
fn off(geometry: &Geometry, a: &Transform, b: &Transform) -> f32 {
    let (a, b) = (a.to_project(), b.to_project());
    let points = geometry.shown_points().iter();
    points.map(|&p| a.transform_point3(p).distance(b.transform_point3(p))).fold(0.0, f32::max)
}

/// Wherever the bunny (npm `bunny`; Stanford 3D Scanning Repository) was moved and however it was
/// turned, it finds back to a ten thousandth of its size.
#[test]
fn random_motions_of_the_bunny_are_taken_back() {
    let bunny = Arc::new(bunny());
    let size = bunny.measures().diagonal();
    let home = Transform::IDENTITY;
    let mut seed = 12_345_u32;
    let mut random = || {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (seed >> 8) as f32 / (1 << 24) as f32 * 2.0 - 1.0
    };
    for _ in 0..6 {
        let by = Vec3::new(random(), random(), random()) * size;
        let turn = Vec3::new(random(), random(), random()) * 180.0;
        let away = stands(by, turn);
        let found = align((&bunny, &away), (&bunny, &home), AlignBy::BestFit);
        let far = off(&bunny, &found.transform, &home);
        assert!(far < 1e-4 * size, "{by} {turn}: {far} of {size}");
        assert!(found.residual < 1e-4 * size && found.before > found.residual);
    }
}

/// A part of a surface is brought to the whole by what it shares with it.
#[test]
fn a_cut_shape_and_a_scaled_one_are_brought_along() {
    let bunny = bunny();
    let size = bunny.measures().diagonal();
    // Nine tenths of its faces.
    let mesh = bunny.mesh();
    let faces = 9 * mesh.face_count() / 10;
    let cut: Vec<u32> = (0..3 * faces as u32).collect();
    let part = Geometry::new(mesh.cut(&cut));
    let away = stands(Vec3::new(0.02, -0.03, 0.01) * size, Vec3::new(8.0, -5.0, 12.0));
    let found = align((&part, &away), (&bunny, &Transform::IDENTITY), AlignBy::BestFit);
    let far = off(&part, &found.transform, &Transform::IDENTITY);
    assert!(far < 2e-3 * size, "{far} of {size}");
    // By boxes, another size comes along, and an uneven scale stays one.
    let scale = Vec3::splat(0.01);
    let small = Transform { translation: Vec3::ONE, scale, ..Transform::IDENTITY };
    let found = align((&bunny, &small), (&bunny, &Transform::IDENTITY), AlignBy::Bounds);
    assert!(off(&bunny, &found.transform, &Transform::IDENTITY) < 1e-5 * size);
}

#[test]
fn what_nothing_holds_stays_where_it_is() {
    let flat = Geometry::new(Mesh::new(sheet(6, 0.0)).unwrap());
    let lifted = stands(Vec3::Z * 0.25, Vec3::ZERO);
    let found = align((&flat, &lifted), (&flat, &Transform::IDENTITY), AlignBy::BestFit);
    // A sheet slides along itself freely; it has come down, and is nowhere else.
    assert!(off(&flat, &found.transform, &Transform::IDENTITY) < 1e-3, "{:?}", found.transform);
    assert!(found.residual < 1e-6 && (found.before - 0.25).abs() < 1e-3, "{found:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    /// Boxes of one shape fall together whatever its size and place.
    #[test]
    fn boxes_fall_together(scale in 0.01_f32..50.0, by in proptest::array::uniform3(-9.0_f32..9.0)) {
        let flat = Geometry::new(Mesh::new(sheet(3, 0.4)).unwrap());
        let away = Transform {
            translation: Vec3::from(by),
            scale: Vec3::splat(scale),
            ..Transform::IDENTITY
        };
        let found = align((&flat, &away), (&flat, &Transform::IDENTITY), AlignBy::Bounds);
        prop_assert!(off(&flat, &found.transform, &Transform::IDENTITY) < 1e-3);
    }
}

/// Three pairs of points say exactly where a body stands (Horn 1987), and more of them the best in the
/// mean of the squares.
#[test]
fn three_pairs_of_points_say_where_a_part_stands() {
    let geometry = bunny();
    let points = geometry.mesh().positions();
    let size = geometry.measures().diagonal();
    let own = Transform {
        translation: Vec3::new(0.3, -0.2, 0.1) * size,
        rotation_degrees: Vec3::new(20.0, -70.0, 130.0),
        scale: Vec3::splat(0.7),
    };
    for (rotation_degrees, factor) in
        [(Vec3::new(10.0, 20.0, 30.0), 1.0), (Vec3::new(-170.0, 88.0, 3.0), 2.5), (Vec3::ZERO, 0.2)]
    {
        let goal = Transform {
            translation: Vec3::new(-1.0, 2.0, 0.5) * size,
            rotation_degrees,
            scale: own.scale * factor,
        };
        let [from, to] = [own, goal].map(|t| Placed::new(&t));
        let pair = |i: usize| [from.to_project(points[i]), to.to_project(points[i])];
        let pairs = [pair(0), pair(points.len() / 3), pair(points.len() / 2)];
        let scales = factor != 1.0;
        let found = align_by_pairs((&geometry, &own), (&geometry, &goal), &pairs, scales).unwrap();
        let now = Placed::new(&found.transform);
        for &p in points.iter().step_by(97) {
            let off = now.to_project(p).distance(to.to_project(p));
            assert!(off < 1e-5 * size * goal.scale.x.max(1.0), "{off} of {size}");
        }
        assert!(found.residual < 1e-5 * size * goal.scale.x.max(1.0));
    }
    let at = |x: f32| [Vec3::X * x, Vec3::Y * x];
    let of =
        |pairs: &[[Vec3; 2]]| align_by_pairs((&geometry, &own), (&geometry, &own), pairs, false);
    assert_eq!(of(&[at(0.0), at(1.0)]).unwrap_err(), PairsError::Few);
    assert_eq!(of(&[at(0.0), at(1.0), at(3.0)]).unwrap_err(), PairsError::OnALine);
    let nowhere = [Vec3::splat(f32::NAN), Vec3::ZERO];
    assert_eq!(of(&[at(0.0), at(1.0), nowhere]).unwrap_err(), PairsError::Few);
    // Off by as much to either side, they meet in the middle.
    let corners = [Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::ONE];
    let pairs: Vec<[Vec3; 2]> = (corners.iter().enumerate())
        .flat_map(|(i, &p)| {
            [-0.1, 0.1].map(|off| [p, p + Vec3::Z + off * [Vec3::X, Vec3::Y][i % 2]])
        })
        .collect();
    let here = Transform::IDENTITY;
    let found = align_by_pairs((&geometry, &here), (&geometry, &here), &pairs, false).unwrap();
    assert!(found.transform.translation.distance(Vec3::Z) < 1e-5);
    assert!(found.transform.rotation_degrees.length() < 1e-3);
}
