//! Light on a part, against the formulas of handbooks.

use glam::Vec3;
use speckle_mesh::{Mesh, Placement};
use speckle_tools::bake::{Pantry, watch::Watch};

use crate::{
    bake::{inputs_of, made, mesh, source},
    common::{polygons, sheet},
};

/// A small square about a middle, with its normal.
fn tile(middle: Vec3, normal: Vec3, half: f32) -> Mesh {
    let (u, v) = normal.normalize().any_orthonormal_pair();
    let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
    let corners = corners.map(|(x, y)| middle + half * (u * x + v * y));
    polygons(corners.to_vec(), &[vec![0, 1, 2, 3]])
}

/// The light on the first face of the first mesh.
fn on(meshes: Vec<Mesh>, json: &str) -> [f32; 3] {
    let inputs = inputs_of(meshes, Placement::Face);
    let json = format!(r#"{{"kind":"light","rays":4096,{json}}}"#);
    Pantry::default().source(&source(&json), &inputs, &Watch::default()).unwrap().at(0)
}

fn tilted(degrees: f32) -> Vec3 {
    let (sin, cos) = degrees.to_radians().sin_cos();
    Vec3::new(sin, 0.0, cos)
}

const DARK_LAMP: &str = r#""lamps":[]"#;

/// Lambert's cosine law, and an even sky over a tilted plane (Liu and Jordan 1963).
#[test]
fn a_plane_gathers_light_by_how_it_is_tilted() {
    for degrees in [0.0_f32, 30.0, 60.0, 120.0] {
        let (cos, plane) =
            (degrees.to_radians().cos(), || vec![tile(Vec3::ZERO, tilted(degrees), 0.01)]);
        let lamp = on(plane(), r#""lamps":[{"strength":0.8,"spread":0}]"#)[0];
        assert!((lamp - 0.8 * cos.max(0.0)).abs() < 1e-3, "{degrees}°: {lamp}");
        let sky = on(plane(), &format!(r#"{DARK_LAMP},"sky":[1,1,1]"#))[1];
        assert!((sky - (1.0 + cos) / 2.0).abs() < 0.01, "{degrees}°: {sky}");
    }
}

/// Colors add up as light, and the luminance is that of ITU-R BT.709.
#[test]
fn lamps_add_up_and_have_colors() {
    let lamps = r#""lamps":[{"color":[1,0,0],"strength":0.4},{"color":[0,1,0],"strength":0.5}]"#;
    let plane = || vec![tile(Vec3::ZERO, Vec3::Z, 0.01)];
    let [r, g, b] = on(plane(), lamps);
    assert!((r - 0.4).abs() < 1e-3 && (g - 0.5).abs() < 1e-3 && b == 0.0, "{r} {g} {b}");
    let grey = on(plane(), &format!(r#"{lamps},"intensity":true"#))[0];
    let expected = 0.2126 * 0.4 + 0.7152 * 0.5;
    assert!((grey - expected).abs() < 1e-3, "{grey}, not {expected}");
    // A half in sRGB is 0.214 of the light (IEC 61966-2-1).
    let half = on(plane(), r#""lamps":[{"color":[0.5,0.5,0.5]}]"#)[0];
    assert!((half - 0.214).abs() < 1e-3, "{half}");
}

/// A wall that no lamp shines on sees an endless lit floor over a half of what it gathers from (the
/// view factor between a small plane and an endless one square to it is ½).
#[test]
fn a_lit_floor_gives_its_light_on_to_a_wall() {
    let wall = || tile(Vec3::new(0.0, 0.0, 0.05), Vec3::X, 0.01);
    let floor = || tile(Vec3::ZERO, Vec3::Z, 4000.0);
    let lamp = r#""lamps":[{"strength":1,"spread":0}]"#;
    assert!(on(vec![wall(), floor()], lamp)[0] < 1e-3);
    for bounce in [0.3, 0.8] {
        let lit = on(vec![wall(), floor()], &format!(r#"{lamp},"bounce":{bounce}"#))[0];
        assert!((lit - bounce / 2.0).abs() < 0.01, "{lit}, not {}", bounce / 2.0);
    }
    let alone = on(vec![wall(), floor()], &format!(r#"{lamp},"bounce":0.8,"other_parts":false"#));
    assert!(alone[0] < 1e-3, "{alone:?}");
    // A floor in the shade gives nothing on.
    let roof = tile(Vec3::new(0.0, 0.0, 50.0), Vec3::NEG_Z, 4000.0);
    let shaded = on(vec![wall(), floor(), roof], &format!(r#"{lamp},"bounce":0.8"#))[0];
    assert!(shaded < 1e-3, "{shaded}");
}

/// Beer and Lambert's law through a slab, lit from behind.
#[test]
fn light_that_comes_through_fades_by_the_way() {
    let slab = |thick: f32| {
        let at = |x: f32, y: f32, z: f32| Vec3::new(x, y, z * thick);
        let corners = [
            at(-1.0, -1.0, 0.0),
            at(1.0, -1.0, 0.0),
            at(1.0, 1.0, 0.0),
            at(-1.0, 1.0, 0.0),
            at(-1.0, -1.0, 1.0),
            at(1.0, -1.0, 1.0),
            at(1.0, 1.0, 1.0),
            at(-1.0, 1.0, 1.0),
        ];
        let faces = [
            vec![3, 2, 1, 0],
            vec![4, 5, 6, 7],
            vec![0, 1, 5, 4],
            vec![1, 2, 6, 5],
            vec![2, 3, 7, 6],
            vec![3, 0, 4, 7],
        ];
        polygons(corners.to_vec(), &faces)
    };
    for (thick, through) in [(0.1_f32, 0.1_f32), (0.05, 0.2), (0.3, 0.1)] {
        let json = format!(r#""through":{through},"lamps":[{{"spread":0}}]"#);
        let below = on(vec![slab(thick)], &json)[0];
        let expected = (-thick / through).exp();
        assert!((below - expected).abs() < 0.005, "{thick}: {below}, not {expected}");
    }
    assert_eq!(on(vec![slab(0.1)], r#""lamps":[{"spread":0}]"#)[0], 0.0);
    // Behind a shade there is no light to come through.
    let shade = tile(Vec3::new(0.0, 0.0, 2.0), Vec3::NEG_Z, 9.0);
    assert_eq!(on(vec![slab(0.1), shade], r#""through":1,"lamps":[{"spread":0}]"#)[0], 0.0);
}

/// The shade of a half of the sky's light is as *openness* tells it, times the cosine.
#[test]
fn soft_shadows_are_those_of_openness() {
    let ground = mesh(sheet(24, 0.0));
    let screen = polygons(
        [(0.0, -9.0), (9.0, -9.0), (9.0, 9.0), (0.0, 9.0)]
            .map(|(x, y)| Vec3::new(x, y, 1.0))
            .into(),
        &[vec![0, 1, 2, 3]],
    );
    let inputs = inputs_of(vec![ground, screen], Placement::Vertex);
    let light = made(
        r#"{"kind":"light","rays":256,"lamps":[{"towards":{"to":[1,0,2]},"spread":20}]}"#,
        &inputs,
    );
    let seen =
        made(r#"{"kind":"openness","rays":256,"light":{"to":[1,0,2]},"spread":20}"#, &inputs);
    let cos = 2.0 / 5_f32.sqrt();
    let mut between = 0;
    for (light, seen) in light.into_iter().zip(seen) {
        assert!((light - seen * cos).abs() < 1e-3, "{light}, not {}", seen * cos);
        between += usize::from(seen > 0.1 && seen < 0.9);
    }
    assert!(between > 20, "{between} in the penumbra");
}

#[test]
fn light_that_makes_no_sense_is_said() {
    for (json, said) in [
        (r#"{"kind":"light","lamps":[]}"#, "no light"),
        (r#"{"kind":"light","lamps":[{"towards":{"to":[0,0,0]}}]}"#, "direction"),
        (r#"{"kind":"light","lamps":[{"strength":-1}]}"#, "strong"),
        (r#"{"kind":"light","lamps":[{"color":[2,0,0]}]}"#, "colors"),
        (r#"{"kind":"light","bounce":2}"#, "share"),
        (r#"{"kind":"light","through":-1}"#, "lengths"),
        (r#"{"kind":"light","lamps":[{},{},{},{},{},{},{},{},{}]}"#, "at most"),
    ] {
        let problem = source(json).problem();
        assert!(problem.as_ref().is_some_and(|words| words.contains(said)), "{json}: {problem:?}");
    }
}
