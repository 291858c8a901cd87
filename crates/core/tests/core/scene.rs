//! What is seen from where: cutaways, outlines, screens and neighbours, against reckoning by hand
//! and by brute force.

use std::{collections::BTreeSet, sync::Arc};

use glam::{Affine3A, Vec2, Vec3};
use proptest::prelude::*;
use speckle_color::Measure;
use speckle_mesh::{
    Geometry, Mesh, Placement, Transform,
    body::{Body, Placed},
    scene::{Others, Scene, SightLines, Stage},
    screen::{Screen, is_inside},
    sight::{Cutaway, View},
};
use speckle_tools::{region::Solid, stencil::Stencil, stroke::Mirror};

use crate::common::{polygons, sheet};

/// Four sheets over one another, at heights 0, 1, 2 and 3, seen from above.
fn floors() -> Body {
    let arrays =
        (1..4).fold(sheet(4, 0.0), |all, z| crate::common::beside(all, sheet(4, z as f32)));
    let geometry = Arc::new(Geometry::new(Mesh::new(arrays).unwrap()));
    Body { geometry, placed: Placed::new(&Transform::IDENTITY) }
}

fn cut(height: f32) -> Option<Cutaway> {
    Some(Cutaway { normal: Vec3::Z, offset: height, covers_hidden: false })
}

#[test]
fn a_line_of_sight_meets_the_first_thing_beyond_the_cutaway() {
    let body = floors();
    let view = View::Parallel { forward: Vec3::NEG_Z };
    for (height, met) in [(9.0, Some(3.0)), (2.5, Some(2.0)), (0.5, Some(0.0)), (-1.0, None)] {
        let scene = Scene { cutaway: cut(height), ..Scene::open(view) };
        // From above, from within what is hidden, and along a slant.
        for (origin, direction) in [
            (Vec3::new(0.1, 0.1, 10.0), Vec3::NEG_Z),
            (Vec3::new(0.1, 0.1, 3.5), Vec3::NEG_Z * 4.0),
            (Vec3::new(-0.5, 0.1, 10.0), Vec3::new(0.05, 0.0, -1.0)),
        ] {
            let hit = scene.cast(&body, origin, direction);
            assert_eq!(hit.map(|(hit, _)| hit.point.z.round()), met, "{height} {origin}");
            if let Some((hit, distance)) = hit {
                assert!((origin + direction * distance).distance(hit.point) < 1e-4);
            }
        }
        // Upwards from below, what comes first is seen as long as it is not cut away.
        let up = scene.cast(&body, Vec3::new(0.1, 0.1, -5.0), Vec3::Z);
        assert_eq!(up.is_some(), height > 0.0, "{height}");
    }
}

#[test]
fn sight_lines_end_at_the_cutaway_and_at_other_parts() {
    let body = floors();
    let others = |height: f32| {
        let transform = Transform { translation: Vec3::Z * height, ..Transform::IDENTITY };
        let mesh = Mesh::new(sheet(2, 0.0)).unwrap();
        let placed = Placed::new(&transform);
        let other = Body { geometry: Arc::new(Geometry::new(mesh)), placed };
        Others::on(Arc::new(Stage::new(vec![body.clone(), other])), Some(0))
    };
    for view in [
        View::Parallel { forward: Vec3::NEG_Z },
        View::Perspective { eye: Vec3::new(0.0, 0.0, 50.0), forward: Vec3::NEG_Z },
    ] {
        let clear = |scene: &Scene, z: f32| {
            SightLines::new(&body.geometry, &body.placed, scene).is_clear(Vec3::new(0.3, 0.2, z))
        };
        let open = Scene::open(view);
        assert!(clear(&open, 3.0) && !clear(&open, 2.0) && !clear(&open, 0.0));
        // Cut open between the second and the third floor, the second is seen and the third gone.
        let opened = Scene { cutaway: cut(1.5), ..open.clone() };
        assert!(clear(&opened, 1.0) && !clear(&opened, 0.0) && !clear(&opened, 2.0));
        let covered = Scene { others: others(20.0), ..open.clone() };
        assert!(!clear(&covered, 3.0), "another part is in the way");
        let below = Scene { others: others(-20.0), ..open.clone() };
        assert!(clear(&below, 3.0), "another part is behind");
        let both = Scene { others: others(20.0), cutaway: cut(3.5), ..open };
        assert!(clear(&both, 3.0), "what is cut away hides nothing");
        let direction = Vec3::NEG_Z;
        assert!(covered.is_behind_others(Vec3::Z * 30.0, direction, 27.0));
        assert!(!covered.is_behind_others(Vec3::Z * 10.0, direction, 7.0));
    }
}

#[test]
fn a_mirrored_scene_looks_from_the_other_side() {
    let mirror = Mirror { axes: [true, false, true], of_project: true };
    let images = mirror.images(&Transform::IDENTITY);
    let flips: Vec<Vec3> = images.iter().map(|image| image.transform_vector3(Vec3::ONE)).collect();
    assert_eq!(flips, [[-1.0, 1.0, 1.0], [1.0, 1.0, -1.0], [-1.0, 1.0, -1.0]].map(Vec3::from));
    let (eye, forward) = (Vec3::new(3.0, 1.0, 2.0), Vec3::NEG_X);
    let scene = Scene {
        cutaway: Some(Cutaway { normal: Vec3::X, offset: 0.5, covers_hidden: true }),
        ..Scene::open(View::Perspective { eye, forward })
    };
    let seen = scene.mirrored(&images[0]);
    let View::Perspective { eye, forward } = seen.view else { panic!("still a perspective") };
    assert_eq!((eye, forward), (Vec3::new(-3.0, 1.0, 2.0), Vec3::X));
    let cutaway = seen.cutaway.unwrap();
    assert!(cutaway.depth(Vec3::new(-0.6, 0.0, 0.0)) > 0.0 && cutaway.covers_hidden);
    assert!(cutaway.depth(Vec3::new(-0.4, 0.0, 0.0)) < 0.0);
    // In the mirror of a part that stands elsewhere, the plane goes through its origin.
    let transform = Transform { translation: Vec3::X * 4.0, ..Transform::IDENTITY };
    let own = Mirror { axes: [true, false, false], of_project: false }.images(&transform);
    assert!(own[0].transform_point3(Vec3::X * 5.0).distance(Vec3::X * 3.0) < 1e-5);
    assert!(Affine3A::abs_diff_eq(&(own[0] * own[0]), Affine3A::IDENTITY, 1e-5));
}

/// Similar triangles: what is twice as far looks half as large.
#[test]
fn the_screen_shows_places_as_a_pinhole_does() {
    let (eye, forward) = (Vec3::new(0.0, 0.0, 10.0), Vec3::NEG_Z);
    let screen = |view| Screen { view, right: Vec3::X, up: Vec3::Y };
    let pinhole = screen(View::Perspective { eye, forward });
    for depth in [1.0, 2.0, 8.0] {
        let place = pinhole.place(Vec3::new(0.5, -0.25, 10.0 - depth)).unwrap();
        assert!((place - Vec2::new(0.5, -0.25) / depth).length() < 1e-6);
    }
    assert_eq!(pinhole.place(Vec3::Z * 11.0), None, "behind the eye");
    let parallel = screen(View::Parallel { forward });
    assert_eq!(parallel.place(Vec3::new(0.5, -0.25, 99.0)), Some(Vec2::new(0.5, -0.25)));
    assert!(pinhole.is_valid() && !Screen { up: Vec3::ZERO, ..pinhole }.is_valid());
}

/// A star drawn in one line crosses itself: its points are inside, its middle, gone around twice,
/// is not (even–odd rule, as in SVG 2, `fill-rule`).
#[test]
fn an_outline_that_crosses_itself_is_filled_by_the_even_odd_rule() {
    let star: Vec<Vec2> =
        (0..5).map(|i| Vec2::from_angle(std::f32::consts::TAU * 0.4 * i as f32)).collect();
    assert!(!is_inside(&star, Vec2::ZERO));
    for point in &star {
        assert!(is_inside(&star, *point * 0.8) && !is_inside(&star, *point * 1.2));
    }
    assert!(!is_inside(&[], Vec2::ZERO));
}

/// Pixels blend between their middles; beside the image nothing comes through, unless it repeats.
#[test]
fn stencils_are_read_between_the_middles_of_their_pixels() {
    let ramp = Stencil::new(2, 1, vec![0, 255]).unwrap();
    let at = |x: f32, repeat: bool| ramp.at(Vec2::new(x, 0.5), repeat);
    assert_eq!((at(0.25, false), at(0.75, false), at(0.1, false)), (0.0, 1.0, 0.0));
    assert!((at(0.5, false) - 0.5).abs() < 1e-6 && (at(0.4, false) - 0.3).abs() < 1e-6);
    assert_eq!((at(-0.01, false), at(1.01, false)), (0.0, 0.0));
    for x in [0.1, 0.37, 0.9] {
        assert!((at(x + 3.0, true) - at(x, true)).abs() < 1e-4, "it goes on as it began");
    }
    assert!((at(0.0, true) - 0.5).abs() < 1e-6, "and blends where it meets itself");
    assert_eq!(Stencil::new(2, 2, vec![0; 3]), None);
    // Half a grey lets half of it through: luminance is encoded again (IEC 61966-2-1).
    let grey = [0.5, 0.5, 0.5, 1.0];
    let read = Measure::Luminance.of(grey, speckle_color::Encoding::Color);
    assert!((read - 0.5).abs() < 1e-5, "{read}");
    assert_ne!(Solid::Box, Solid::Cone);
}

/// A random surface of triangles over few points: edges with one, two or more faces.
fn tangle() -> impl Strategy<Value = Mesh> {
    let triangle = prop::array::uniform3(0..9_u32);
    prop::collection::vec(triangle, 1..24).prop_filter_map("a triangle", |triangles| {
        let faces: Vec<Vec<u32>> = triangles
            .into_iter()
            .filter(|[a, b, c]| a != b && b != c && c != a)
            .map(|face| face.to_vec())
            .collect();
        let points = (0..9).map(|i| Vec3::new((i % 3) as f32, (i / 3) as f32, (i * i) as f32));
        (!faces.is_empty()).then(|| polygons(points.collect(), &faces))
    })
}

proptest! {
    /// By brute force over all pairs: vertices share an edge, faces share an edge, corners follow
    /// each other in a face or meet at a point.
    #[test]
    fn neighbours_are_those_that_brute_force_finds(mesh in tangle()) {
        let geometry = Geometry::new(mesh.clone());
        let edges = |face: usize| -> BTreeSet<(u32, u32)> {
            let around = mesh.face_vertices(face);
            (0..3).map(|i| (around[i], around[(i + 1) % 3])).map(|(a, b)| (a.min(b), a.max(b))).collect()
        };
        let faces = 0..mesh.face_count();
        let all: BTreeSet<(u32, u32)> = faces.clone().flat_map(edges).collect();
        let vertices = geometry.neighbours(Placement::Vertex);
        for v in 0..mesh.vertex_count() as u32 {
            let found: BTreeSet<u32> = vertices.of(v as usize).iter().copied().collect();
            let expected = (0..mesh.vertex_count() as u32).filter(|&w| all.contains(&(v.min(w), v.max(w))));
            prop_assert_eq!(found, expected.collect::<BTreeSet<u32>>());
        }
        let by_face = geometry.neighbours(Placement::Face);
        for f in faces.clone() {
            let found: BTreeSet<usize> = by_face.of(f).iter().map(|&g| g as usize).collect();
            let expected = faces.clone().filter(|&g| g != f && !edges(f).is_disjoint(&edges(g)));
            prop_assert_eq!(found, expected.collect::<BTreeSet<usize>>());
        }
        let by_corner = geometry.neighbours(Placement::Corner);
        for c in 0..mesh.corner_count() {
            let found: BTreeSet<usize> = by_corner.of(c).iter().map(|&d| d as usize).collect();
            let point = mesh.corner_vertices()[c];
            let expected = (0..mesh.corner_count()).filter(|&d| d != c && (d / 3 == c / 3 || mesh.corner_vertices()[d] == point));
            prop_assert_eq!(found, expected.collect::<BTreeSet<usize>>());
        }
    }

    /// A point is inside a convex outline when it lies on one side of all of its edges.
    #[test]
    fn convex_outlines_hold_what_lies_on_one_side_of_their_edges(
        n in 3..12_usize, turn in 0.0_f32..6.3, x in -1.5_f32..1.5, y in -1.5_f32..1.5,
    ) {
        let outline: Vec<Vec2> = (0..n)
            .map(|i| Vec2::from_angle(turn + std::f32::consts::TAU * i as f32 / n as f32))
            .collect();
        let point = Vec2::new(x, y);
        let sides: Vec<f32> = (0..n)
            .map(|i| (outline[(i + 1) % n] - outline[i]).perp_dot(point - outline[i]))
            .collect();
        prop_assume!(sides.iter().all(|side| side.abs() > 1e-4));
        prop_assert_eq!(is_inside(&outline, point), sides.iter().all(|side| *side > 0.0));
    }
}

/// The mean edge at each vertex of a square sheet: 1 and 1 at a corner, three 1s at a rim.
#[test]
fn the_density_is_the_mean_length_of_the_edges_at_a_vertex() {
    let mesh = polygons(
        vec![Vec3::ZERO, Vec3::X * 3.0, Vec3::new(3.0, 4.0, 0.0), Vec3::Y * 4.0],
        &[vec![0, 1, 2], vec![0, 2, 3]],
    );
    let geometry = Geometry::new(mesh);
    // Sides 3 and 4, diagonal 5 (Pythagoras).
    assert_eq!(geometry.mean_edges(&Affine3A::IDENTITY), [4.0, 3.5, 4.0, 3.5]);
    // Four times as wide: sides 12 and 4, diagonal √160.
    let wide = Affine3A::from_scale(Vec3::new(4.0, 1.0, 1.0));
    let diagonal = 160.0_f32.sqrt();
    for (mean, by_hand) in geometry.mean_edges(&wide).iter().zip([
        (12.0 + 4.0 + diagonal) / 3.0,
        8.0,
        (12.0 + 4.0 + diagonal) / 3.0,
        8.0,
    ]) {
        assert!((mean - by_hand).abs() < 1e-5, "{mean} {by_hand}");
    }
}
