//! Texture coordinates made for parts that have none, and what is told of them.

use glam::{Vec2, Vec3};
use speckle_core::{Document, Edit};
use speckle_mesh::{Geometry, Mesh, Transform, mesh::UvSet};
use speckle_model::{NewPart, Part};
use speckle_tools::{
    bake::watch::Watch,
    layout::{Laid, LayoutError, Rules, UvTold, laid_out, outlines, told},
};

use crate::{
    bunny::bunny,
    common::{arrays_of, polygons, sheet},
    decimating::ball,
};

fn laid(mesh: &Mesh, rules: &Rules) -> (Mesh, Laid) {
    let geometry = Geometry::new(mesh.clone());
    let here = Transform::IDENTITY.to_project();
    laid_out(&geometry, &here, rules, &Watch::default()).unwrap()
}

fn part(mesh: Mesh, transform: Transform) -> Part {
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Piece", mesh, vec![])])).unwrap();
    let mut part = document.parts()[0].clone();
    part.traits.transform = transform;
    part
}

fn told_of(mesh: &Mesh) -> UvTold {
    told(&part(mesh.clone(), Transform::IDENTITY)).remove(0)
}

fn cube() -> Mesh {
    let at = |v: u32| Vec3::new((v & 1) as f32, (v >> 1 & 1) as f32, (v >> 2) as f32);
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    polygons((0..8).map(at).collect(), &faces.map(|face| face.to_vec()))
}

#[test]
fn a_cube_becomes_six_squares_of_one_size() {
    let rules = Rules { side: 512, margin: 8, ..Rules::default() };
    let (mesh, told) = laid(&cube(), &rules);
    assert_eq!(told.charts, 6);
    assert_eq!(told.squeezed, [1.0, 1.0]);
    let uvs = &mesh.uv_sets()[0].uvs;
    for face in 0..6 {
        let at: Vec<Vec2> = mesh.face_corners(face).map(|c| uvs[c] * 512.0).collect();
        for i in 0..4 {
            let side = at[(i + 1) % 4] - at[i];
            assert!((side.length() - told.density).abs() < 1e-2, "{} of {face}", side.length());
            // Turning left, as it does seen from outside: no picture is mirrored.
            let next = at[(i + 2) % 4] - at[(i + 1) % 4];
            assert!((side.perp_dot(next) / told.density.powi(2) - 1.0).abs() < 1e-3);
        }
    }
    // Six squares fit three in a row at best.
    assert!(told.density > 512.0 / 3.0 - 3.0 * 8.0 && told.density < 512.0 / 2.44, "{told:?}");
}

/// How near charts of different islands come to each other, pixels; and how many pixels they share.
fn nearness(mesh: &Mesh, side: usize, far: i64) -> (bool, usize) {
    let geometry = Geometry::new(mesh.clone());
    let uvs = &mesh.uv_sets()[0].uvs;
    let islands = speckle_tools::bake::pieces::Units::Islands(uvs).of_faces(&geometry);
    let mut owner = vec![u32::MAX; side * side];
    let mut shared = 0;
    for (triangle, corners) in geometry.triangulation().corners().iter().enumerate() {
        let own = islands[geometry.triangulation().face_of(triangle)];
        let at = corners.map(|c| uvs[c as usize] * side as f32 - 0.5);
        speckle_tools::raster::samples([side; 2], at, |sample, _| {
            shared += usize::from(owner[sample] != u32::MAX && owner[sample] != own);
            owner[sample] = own;
        });
    }
    let at = |x: i64, y: i64| {
        let is_in = (0..side as i64).contains(&x) && (0..side as i64).contains(&y);
        if is_in { owner[y as usize * side + x as usize] } else { u32::MAX }
    };
    let is_near = (0..side as i64).any(|y| {
        (0..side as i64).any(|x| {
            let own = at(x, y);
            own != u32::MAX
                && (-far..=far).any(|dx| {
                    let other = at(x + dx, y);
                    other != u32::MAX && other != own
                })
        })
    });
    (is_near, shared)
}

#[test]
fn charts_lie_beside_each_other_a_margin_apart_and_none_lies_over_itself() {
    for (mesh, most_charts) in [(ball(30, 40), 40), (bunny().mesh().clone(), 600)] {
        for (angle_degrees, margin) in [(50.0, 6), (30.0, 2)] {
            let rules = Rules { angle_degrees, margin, side: 1024, ..Rules::default() };
            let (mesh, laid) = laid(&mesh, &rules);
            let told = told_of(&mesh);
            assert!(!told.beyond);
            assert!(told.shared < 2e-3, "{} is shared", told.shared);
            assert!(
                (told.covered - laid.covered).abs() < 0.02,
                "{} {}",
                told.covered,
                laid.covered
            );
            assert!(told.covered > 0.4, "{} charts cover {}", laid.charts, told.covered);
            assert!(
                laid.charts < if angle_degrees > 40.0 { most_charts } else { 2000 },
                "{laid:?}"
            );
            let (is_near, shared) = nearness(&mesh, 1024, i64::from(margin) - 2);
            assert!(!is_near && shared == 0);
            // No face is smaller than its angle to the chart makes it, and none is larger.
            assert!(laid.squeezed[0] < 1.5 && laid.squeezed[0] >= 1.0, "{laid:?}");
            let dense = told.density.map(|d| d * 1024.0);
            assert!(dense[2] <= laid.density * 1.001, "{dense:?} of {laid:?}");
            assert!(dense[0] > 0.8 * laid.density, "{dense:?} of {laid:?}");
        }
    }
}

/// The same on any number of cores.
#[test]
fn a_layout_is_the_same_on_any_number_of_cores() {
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| laid(&ball(20, 30), &Rules::default()).0)
    };
    assert!(on(1) == on(3));
}

#[test]
fn what_is_told_of_coordinates_is_what_they_are() {
    // Four quads of a unit each, laid over a quarter of the square; twice in one place.
    let mesh = Mesh::new(sheet(2, 0.0)).unwrap();
    let with = |uv: &dyn Fn(usize, Vec3) -> Vec2| {
        let uvs = (0..16).map(|c| uv(c, mesh.corner_position(c))).collect();
        let mut arrays = arrays_of(&mesh);
        arrays.uv_sets = vec![UvSet { name: "Plan".into(), uvs }];
        Mesh::new(arrays).unwrap()
    };
    let quarter = with(&|_, p| (Vec2::new(p.x, p.y) + 1.0) / 4.0);
    let of = told_of(&quarter);
    assert_eq!((of.name.as_str(), of.islands, of.shared, of.beyond), ("Plan", 1, 0.0, false));
    assert!((of.covered - 0.25).abs() < 1e-3);
    // One map lies along four units.
    assert!(of.density.iter().all(|d| (d - 0.25).abs() < 1e-6), "{:?}", of.density);
    let large = Transform { scale: Vec3::splat(5.0), ..Transform::IDENTITY };
    let scaled = told(&part(quarter.clone(), large)).remove(0);
    assert!(scaled.density.iter().all(|d| (d - 0.05).abs() < 1e-6));
    // Half of it over the other half.
    let doubled = with(&|_, p| (Vec2::new(p.x.abs(), p.y) + 1.0) / 4.0);
    assert!((told_of(&doubled).shared - 1.0).abs() < 1e-2);
    assert!(told_of(&with(&|_, p| Vec2::new(p.x, p.y))).beyond);
    assert!(told(&part(mesh, Transform::IDENTITY)).is_empty());

    let geometry = Geometry::new(quarter.clone());
    let edges = outlines(&geometry, &quarter.uv_sets()[0].uvs, 100);
    let around: f32 = edges.iter().map(|[a, b, c, d]| (a - c).hypot(b - d)).sum();
    assert_eq!(edges.len(), 8);
    assert!((around - 2.0).abs() < 1e-6);
    assert_eq!(outlines(&geometry, &quarter.uv_sets()[0].uvs, 4).len(), 4);
}

#[test]
fn a_layout_comes_in_place_of_what_is_there_or_behind_it_and_says_what_cannot_be() {
    let (first, _) = laid(&cube(), &Rules::default());
    let (second, _) = laid(&first, &Rules { replace: false, ..Rules::default() });
    let names: Vec<&str> = second.uv_sets().iter().map(|set| set.name.as_str()).collect();
    assert_eq!(names, ["Layout", "Layout 2"]);
    assert_eq!(laid(&second, &Rules::default()).0.uv_sets().len(), 1);
    let told = |rules: &Rules| {
        let geometry = Geometry::new(ball(60, 80));
        laid_out(&geometry, &Transform::IDENTITY.to_project(), rules, &Watch::default())
            .unwrap_err()
    };
    let tight = Rules { angle_degrees: 10.0, margin: 8, side: 64, ..Rules::default() };
    assert!(matches!(told(&tight), LayoutError::TooMany { side: 64, .. }));
    let steep = Rules { angle_degrees: 90.0, ..Rules::default() };
    assert!(matches!(told(&steep), LayoutError::Unsound(_)));
    let watch = Watch::default();
    watch.give_up();
    let geometry = Geometry::new(cube());
    let here = Transform::IDENTITY.to_project();
    let given_up = laid_out(&geometry, &here, &Rules::default(), &watch);
    assert_eq!(given_up.unwrap_err(), LayoutError::GivenUp);
}
