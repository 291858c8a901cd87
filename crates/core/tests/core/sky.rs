//! What rays find, against integrals over the sky: falloffs by distance, even rays, light from above,
//! the open way, a light that sets.

use std::f32::consts::PI;

use glam::Vec3;
use speckle_mesh::{Mesh, Placement};

use crate::{
    bake::{inputs_of, made, made_of, mesh, source},
    common::{polygons, sheet},
};

/// A square about a middle, looking along z.
fn square(middle: Vec3, half: f32) -> Mesh {
    let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
    polygons(
        corners.map(|(x, y)| middle + half * Vec3::new(x, y, 0.0)).to_vec(),
        &[vec![0, 1, 2, 3]],
    )
}

/// A tile under an endless ceiling at the height 1.
fn under_a_ceiling(json: &str) -> f32 {
    let ceiling = square(Vec3::Z, 4000.0);
    made(json, &inputs_of(vec![square(Vec3::ZERO, 0.01), ceiling], Placement::Face))[0]
}

/// A ray at the cosine u meets the ceiling 1/u away. With the density 2u (matt) or 1 (even) it
/// shades by 1 − d/R, or by the square of that: integrals by hand.
#[test]
fn shade_falls_off_by_distance() {
    for reach in [1.5_f32, 3.0, 20.0] {
        let u = 1.0 / reach;
        for (falloff, spread, shade) in [
            ("none", "cosine", 1.0 - u * u),
            ("linear", "cosine", (1.0 - u) * (1.0 - u)),
            ("quadratic", "cosine", 1.0 - u * u - 4.0 * u * (1.0 - u) - 2.0 * u * u * u.ln()),
            ("none", "even", 1.0 - u),
            ("linear", "even", 1.0 - u + u * u.ln()),
        ] {
            let json = format!(
                r#"{{"kind":"occlusion","rays":8192,"reach":{reach},"falloff":"{falloff}","spread":"{spread}"}}"#
            );
            let open = under_a_ceiling(&json);
            let expected = 1.0 - shade;
            assert!((open - expected).abs() < 0.01, "{json}: {open}, not {expected}");
        }
    }
    // By a curve: a straight one is the linear falloff, and one that falls at a half is none to there.
    let by = |points: &str| {
        under_a_ceiling(&format!(
            r#"{{"kind":"occlusion","rays":8192,"reach":3,"falloff":{{"curve":[{points}]}}}}"#
        ))
    };
    let u = 1.0_f32 / 3.0;
    let straight = by(r#"{"x":0,"y":1},{"x":1,"y":0}"#);
    assert!((straight - (1.0 - (1.0 - u) * (1.0 - u))).abs() < 0.01, "{straight}");
    let corner = r#""corner":true"#;
    let steep = by(&format!(
        r#"{{"x":0,"y":1,{corner}}},{{"x":0.5,"y":1,{corner}}},{{"x":0.501,"y":0,{corner}}},{{"x":1,"y":0,{corner}}}"#
    ));
    // No further than 1.5: all but (1 / 1.5)².
    assert!((steep - 4.0 / 9.0).abs() < 0.01, "{steep}");
    let rising = source(
        r#"{"kind":"occlusion","reach":1,"falloff":{"curve":[{"x":0,"y":0.5},{"x":1,"y":1}]}}"#,
    );
    assert!(rising.problem().is_some_and(|said| said.contains("falloff")));
    let endless = source(r#"{"kind":"occlusion","falloff":"linear"}"#);
    let sheet = inputs_of(vec![mesh(sheet(1, 0.0))], Placement::Face);
    assert!(endless.problem().is_some_and(|said| said.contains("reach")), "{endless:?}");
    assert!(
        made_of(&source(r#"{"kind":"occlusion","falloff":"linear","reach":1}"#), &sheet).is_ok()
    );
}

/// A tile at the foot of an endless wall that stands where x is less than 0.
fn at_a_wall(json: &str) -> [f32; 3] {
    let far = 4000.0;
    let wall = polygons(
        vec![
            Vec3::new(-0.002, -far, -far),
            Vec3::new(-0.002, far, -far),
            Vec3::new(-0.002, far, far),
            Vec3::new(-0.002, -far, far),
        ],
        &[vec![0, 1, 2, 3]],
    );
    let tile = square(Vec3::new(0.0, 0.0, 0.0), 0.001);
    let inputs = inputs_of(vec![tile, wall], Placement::Vertex);
    let field = speckle_tools::bake::Pantry::default()
        .source(&source(json), &inputs, &speckle_tools::bake::watch::Watch::default())
        .unwrap();
    field.at(0)
}

/// Of the cosine-weighted sky, E|x| = 4/3π and E z = 2/3: by hand.
#[test]
fn light_that_comes_from_a_side_counts_by_its_way() {
    let light =
        |sky: &str| at_a_wall(&format!(r#"{{"kind":"occlusion","rays":16384,"sky":{sky}}}"#))[0];
    let shift = 2.0 / (3.0 * PI);
    for (sky, expected) in
        [(r#""x""#, 0.5 + shift), (r#""minus_x""#, 0.5 - shift), (r#""y""#, 0.5), (r#""up""#, 0.5)]
    {
        assert!((light(sky) - expected).abs() < 0.01, "{sky}: {}, not {expected}", light(sky));
    }
    let way = at_a_wall(r#"{"kind":"open_way","rays":16384}"#).map(|x| 2.0 * x - 1.0);
    let expected = Vec3::new(2.0 / (3.0 * PI), 0.0, 1.0 / 3.0).normalize();
    assert!(Vec3::from(way).distance(expected) < 0.02, "{way:?}, not {expected}");
    // In the open it is where the surface looks.
    let open = inputs_of(vec![square(Vec3::ZERO, 1.0)], Placement::Face);
    let up = made(r#"{"kind":"open_way","rays":256}"#, &open);
    assert!((up[0] - 0.5).abs() < 0.01);
}

#[test]
fn a_part_may_be_shaded_by_others_alone() {
    let room = |json: &str| under_a_ceiling(json);
    let alone = r#"{"kind":"occlusion","rays":512,"own_shape":false,"other_parts":false}"#;
    assert_eq!(room(alone), 1.0);
    assert!(room(r#"{"kind":"occlusion","rays":512,"own_shape":false}"#) < 0.01);
    // A bowl shades itself, unless it is told not to.
    let bowl = crate::bake::sphere(1.0, 12, 18).turned_over().0;
    let bowl = inputs_of(vec![bowl], Placement::Vertex);
    let most = |json: &str| made(json, &bowl).into_iter().fold(0.0, f32::max);
    assert!(most(r#"{"kind":"occlusion","rays":256}"#) < 0.01);
    assert_eq!(most(r#"{"kind":"occlusion","rays":256,"own_shape":false}"#), 1.0);
}

/// What of a round light stands above the horizon, as the area of a segment of a circle: with t the
/// height of its middle as a share of its radius, ½ + (asin t + t √(1 − t²)) / π.
#[test]
fn a_light_sets_bit_by_bit() {
    let spread = 6.0_f32;
    let mut last = 1.0;
    for height in [7.0_f32, 5.0, 3.0, 1.0, 0.0, -1.0, -3.0, -5.0, -7.0] {
        let (sin, cos) = height.to_radians().sin_cos();
        let json = format!(
            r#"{{"kind":"openness","light":{{"to":[{cos},0,{sin}]}},"spread":{spread},"rays":4096}}"#
        );
        for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
            let ground = inputs_of(vec![mesh(sheet(2, 0.0))], placement);
            let seen = made(&json, &ground)[0];
            let t = (height.to_radians().tan() / spread.to_radians().sin()).clamp(-1.0, 1.0);
            let expected = 0.5 + (t.asin() + t * (1.0 - t * t).sqrt()) / PI;
            assert!((seen - expected).abs() < 0.015, "{height}°: {seen}, not {expected}");
            assert!(seen <= last + 0.015);
            last = seen;
        }
    }
}
