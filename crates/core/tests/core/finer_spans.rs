//! Crisp borders of what is cut out of space or drawn on the screen.

use std::f64::consts::PI;

use glam::{Vec2, Vec3};
use proptest::prelude::*;
use speckle_color::Channels;
use speckle_core::{Document, RecipeEdit, document::Fill};
use speckle_mesh::{Mesh, Placement, Transform, screen::Screen, sight::View};
use speckle_tools::{
    bake::{Pantry, watch::Watch},
    region::{Region, Solid},
    stroke::{Action, Coat},
};

use crate::finer::{
    ABOVE, BLACK, assert_goes_back_and_forth, document, filled, painted_area, square, triangles,
    tries,
};
use crate::{common::sheet, decimating::ball, reshaping::assert_as_fresh};

fn span(document: &Document, region: Region) -> Fill {
    let part = &document.parts()[0];
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, BLACK);
    Fill { coat, opacity: 1.0, region, at: None, afresh: false, crisp: true }
}

fn standing(at: Vec3, scale: Vec3, turn: f32) -> Transform {
    let rotation_degrees = Vec3::new(0.0, 0.0, turn);
    Transform { translation: at, rotation_degrees, scale }
}

fn outline(through: bool, points: &[[f32; 2]]) -> Region {
    let view = View::Perspective { eye: ABOVE, forward: Vec3::NEG_Z };
    let screen = Screen { view, right: Vec3::X, up: Vec3::Y };
    // The square lies six away from the eye: places are tangents.
    let outline = points.iter().map(|&p| Vec2::from(p) / 6.0).collect();
    Region::Lasso { screen, outline, through }
}

const ARROW: [[f32; 2]; 5] = [[-0.6, -0.5], [0.7, -0.1], [-0.5, 0.6], [-0.2, 0.1], [-0.4, -0.1]];

/// The area of an outline (shoelace formula; Meister 1769).
fn shoelace(points: &[[f32; 2]]) -> f64 {
    let pairs = (0..points.len()).map(|i| (points[i], points[(i + 1) % points.len()]));
    let sum: f64 = pairs.map(|(a, b)| f64::from(a[0] * b[1] - a[1] * b[0])).sum();
    sum.abs() / 2.0
}

/// Spans and outlines on two triangles have the areas that they have on paper.
#[test]
fn what_is_cut_out_of_space_or_of_the_screen_has_a_crisp_border_on_two_triangles() {
    let band =
        Region::Band { direction: Vec3::new(3.0, 4.0, 0.0), from: -0.11, to: 0.07, soft: 0.0 };
    // Across the square at its slope of 3 : 4 the band is cut off at two sides that lie 2 apart.
    let across = 0.18 / 0.8 * 2.0;
    let solid = |solid, transform| Region::Solid { solid, transform, soft: 0.0 };
    let at = Vec3::new(0.1, -0.2, 0.0);
    let cases = [
        (band, across, 1e-5),
        (solid(Solid::Sphere, standing(at, Vec3::splat(0.5), 0.0)), PI * 0.25, 1e-3),
        (solid(Solid::Sphere, standing(at, Vec3::new(0.6, 0.3, 0.3), 20.0)), PI * 0.18, 1e-3),
        (solid(Solid::Box, standing(at, Vec3::new(0.5, 0.3, 0.2), 33.0)), 0.6, 2e-3),
        // Around Y, seen from its side.
        (solid(Solid::Cylinder, standing(at, Vec3::new(0.3, 0.5, 0.3), 10.0)), 0.6, 2e-3),
        (solid(Solid::Cone, standing(at, Vec3::new(0.4, 0.5, 0.4), 0.0)), 0.4, 2e-3),
        (outline(false, &ARROW), shoelace(&ARROW), 2e-3),
        (outline(true, &ARROW), shoelace(&ARROW), 2e-3),
    ];
    for placement in [Placement::Face, Placement::Corner, Placement::Vertex] {
        for (region, wanted, within) in &cases {
            let mut document = document(&square(), placement);
            let before = document.parts()[0].clone();
            let fill = span(&document, region.clone());
            let change = filled(&mut document, fill);
            let area = painted_area(&document);
            // What belongs to vertices runs out within a hundredth of its size.
            let within = if placement == Placement::Vertex { 3e-2 } else { *within };
            let title = region.title();
            assert!(
                (area / wanted - 1.0).abs() < within,
                "{title} {placement:?}: {area} of {wanted}"
            );
            assert!(change.label.ends_with(", mesh finer"), "{}", change.label);
            let after = document.parts()[0].clone();
            assert_as_fresh(&after.geometry);
            assert_eq!(after.geometry.topology().euler_number(), 1);
            let faces = after.geometry.mesh().face_count();
            assert!(faces < 6000, "{title} {placement:?}: {faces} faces");
            assert_goes_back_and_forth(&mut document, &before, &change);
        }
    }
}

#[test]
fn an_outline_cuts_what_is_seen_alone_and_nothing_where_it_paints_nothing() {
    for through in [false, true] {
        let mut document = document(&triangles(&ball(20, 30)), Placement::Face);
        let is_back = |mesh: &Mesh, face: usize| mesh.face_centroid(face).z < -0.05;
        let backs = |document: &Document| {
            let mesh = document.parts()[0].geometry.mesh();
            (0..mesh.face_count()).filter(|&face| is_back(mesh, face)).count()
        };
        let before = backs(&document);
        let fill = span(&document, outline(through, &ARROW));
        filled(&mut document, fill);
        assert_eq!(backs(&document) > before, through);
        let part = &document.parts()[0];
        assert_eq!(part.geometry.topology().euler_number(), 2);
        let mesh = part.geometry.mesh();
        let painted = |face: usize| part.sets[0].values[face][0] == 0.0;
        assert_eq!((0..mesh.face_count()).any(|f| is_back(mesh, f) && painted(f)), through);
    }
    // Beside the part there is nothing to paint, and polygons stay whole.
    let mut document = document(&Mesh::new(sheet(3, 0.0)).unwrap(), Placement::Face);
    let before = document.parts()[0].geometry.id();
    let away = standing(Vec3::X * 9.0, Vec3::ONE, 0.0);
    let region = Region::Solid { solid: Solid::Box, transform: away, soft: 0.0 };
    let fill = span(&document, region);
    let change = filled(&mut document, fill);
    assert!(change.steps.is_empty());
    assert_eq!(document.parts()[0].geometry.id(), before);
    // A region without a border is filled as ever.
    let fill = span(&document, Region::All);
    filled(&mut document, fill);
    assert_eq!(document.parts()[0].geometry.id(), before);
}

/// Erasing over a recipe cuts what was painted there, and leaves alone what was not: told before as well.
#[test]
fn what_erasing_over_a_recipe_will_add_is_told() {
    let mut document = document(&square(), Placement::Face);
    let (part, set) = (document.parts()[0].id, document.parts()[0].sets[0].id);
    let recipe = serde_json::json!({ "channels": "RGB", "steps": [{ "source": { "kind": "constant", "value": 0.4 } }] });
    let recipe = serde_json::from_value(recipe).unwrap();
    document.apply(RecipeEdit::SetRecipe { part, set, recipe }).unwrap();
    let make = |document: &mut Document| {
        document.make_all(&Pantry::default(), &Watch::default()).unwrap();
    };
    make(&mut document);
    let solid = |at: Vec3| Region::Solid {
        solid: Solid::Box,
        transform: standing(at, Vec3::splat(0.2), 10.0),
        soft: 0.0,
    };
    let painted = span(&document, solid(Vec3::X * 0.5));
    let erased = |document: &Document, at: Vec3| {
        let fill = span(document, solid(at));
        Fill { coat: Coat { action: Action::Erase, ..fill.coat }, ..fill }
    };
    assert!(!filled(&mut document, painted).steps.is_empty());
    make(&mut document);
    let beside = erased(&document, Vec3::X * -0.5);
    assert!(filled(&mut document, beside).steps.is_empty());
    let there = erased(&document, Vec3::X * 0.6);
    assert!(!filled(&mut document, there).steps.is_empty());
}

proptest! {
    #![proptest_config(tries(12))]

    /// Whatever is cut out of whatever ball, the ball stays one: watertight, with Euler number 2 and the
    /// area it had.
    #[test]
    fn any_crisp_span_keeps_the_surface_whole(
        rings in 3_usize..14, which in 0_usize..5, at in prop::array::uniform3(-0.8_f32..0.8),
        scale in prop::array::uniform3(0.1_f32..0.9), turn in 0.0_f32..180.0,
        points in prop::collection::vec(prop::array::uniform2(-1.1_f32..1.1), 3..9),
    ) {
        let mesh = triangles(&ball(rings, rings + 3));
        let area = |document: &Document| {
            let mesh = document.parts()[0].geometry.mesh();
            (0..mesh.face_count()).map(|f| f64::from(mesh.face_area_vector(f).length())).sum::<f64>()
        };
        let mut document = document(&mesh, Placement::Corner);
        let before = area(&document);
        let solids = [Solid::Box, Solid::Sphere, Solid::Cylinder, Solid::Cone];
        let region = match solids.get(which) {
            Some(&solid) => {
                let transform = standing(Vec3::from(at), Vec3::from(scale), turn);
                Region::Solid { solid, transform, soft: 0.0 }
            }
            None => outline(turn > 90.0, &points),
        };
        let fill = span(&document, region);
        filled(&mut document, fill);
        let geometry = document.parts()[0].geometry.clone();
        assert_as_fresh(&geometry);
        prop_assert_eq!(geometry.topology().euler_number(), 2);
        prop_assert!(geometry.topology().is_watertight());
        prop_assert!((area(&document) / before - 1.0).abs() < 1e-3);
    }
}
