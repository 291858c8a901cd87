//! Images, noise and the steps of recipes: how they merge, what bends them, what is refused.

use crate::bake::{image_of, inputs_of, made, made_of, mesh, source, sphere};
use crate::common::{beside, polygons, sheet};
use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{
    Encoding, byte_from_unit,
    noise::{Kind, Noise},
    srgb_from_linear,
};
use speckle_mesh::{Placement, mesh::UvSet};
use speckle_model::recipe::{Merge, Recipe, Shaping, Source, Step, Target};
use speckle_tools::bake::{self, BakeError, Inputs, Pantry, watch::Watch};
use std::{collections::HashMap, sync::Arc};

#[test]
fn an_image_is_averaged_over_what_belongs_to_each_element() {
    // Squares of one pixel, 64 × 64, black and white: over any whole number of them half the light.
    let n = 64;
    let bytes: Vec<u8> = (0..n * n)
        .flat_map(|i| {
            let on = (i % n + i / n) % 2 == 0;
            [if on { 255 } else { 0 }; 3].into_iter().chain([255])
        })
        .collect();
    let mut arrays = sheet(8, 0.0);
    let uvs = arrays.corner_vertices.iter().map(|&v| {
        let p = arrays.positions[v as usize];
        (p.truncate() + 1.0) / 2.0
    });
    arrays.uv_sets = vec![UvSet { name: "0".into(), uvs: uvs.collect() }];
    let grey = |placement: Placement, encoding: Encoding, json: &str| {
        let mut inputs = inputs_of(vec![mesh(arrays.clone())], placement);
        inputs.encoding = encoding;
        let image = image_of(n as u32, n as u32, &bytes);
        inputs.images = Arc::new(HashMap::from([("checker".to_owned(), image)]));
        made(json, &inputs)
    };
    let by_uv = r#"{"kind":"image","image":"checker"}"#;
    let lit = byte_from_unit(srgb_from_linear(0.5));
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        for x in grey(placement, Encoding::Color, by_uv) {
            assert!(byte_from_unit(x).abs_diff(lit) <= 1, "{placement:?}: {x}");
        }
        for x in grey(placement, Encoding::Data, by_uv) {
            assert!((x - 0.5).abs() < 0.01, "numbers are averaged as they are");
        }
    }
    // Without UVs, seen from above, it is the same.
    let above =
        r#"{"kind":"image","image":"checker","lay":{"kind":"along","direction":"minus_z"}}"#;
    assert!(grey(Placement::Face, Encoding::Data, above).iter().all(|x| (x - 0.5).abs() < 0.01));
    // One point alone is black or white.
    let point = r#"{"kind":"image","image":"checker","averaged":"point","hard_pixels":true}"#;
    assert!(grey(Placement::Vertex, Encoding::Data, point).iter().all(|&x| x == 0.0 || x == 1.0));
    // What is missing is said with what to do.
    let inputs = inputs_of(vec![mesh(sheet(2, 0.0))], Placement::Vertex);
    let missing = made_of(&source(by_uv), &inputs).unwrap_err();
    assert!(missing.to_string().contains("checker is not in the project"));
}

#[test]
fn noise_is_the_same_from_the_same_seed_and_fills_its_range() {
    let inputs = inputs_of(vec![sphere(1.0, 60, 120)], Placement::Vertex);
    for kind in ["value", "gradient", "simplex", "cellular", "ridged", "billowed"] {
        let noise = |seed: u32, octaves: u32| {
            made(
                &format!(
                    r#"{{"kind":"noise","noise":"{kind}","size":0.2,"octaves":{octaves},"seed":{seed}}}"#
                ),
                &inputs,
            )
        };
        let (first, other) = (noise(1, 1), noise(2, 1));
        assert_eq!(first, noise(1, 1));
        assert_ne!(first, other);
        let least = first.iter().copied().fold(1.0, f32::min);
        let greatest = first.iter().copied().fold(0.0, f32::max);
        assert!(least < 0.25 && greatest > 0.75, "{kind}: {least} to {greatest}");
        // It hangs together: next to each other on the sphere it differs by little.
        let geometry = &inputs.body.geometry;
        let neighbours = geometry.neighbours(Placement::Vertex);
        let far = (0..first.len()).map(|v| (first[v] - other[(v * 7919) % other.len()]).abs());
        let near = (0..first.len()).map(|v| (first[v] - first[neighbours.of(v)[0] as usize]).abs());
        let (far, near) = (far.sum::<f32>(), near.sum::<f32>());
        assert!(near < 0.7 * far, "{kind}: {near} {far}");
    }
}

/// Noise of three octaves lies about its middle; with full contrast nearly all of what there can be is
/// there, of every kind, and no more than a hundredth of it is cut off.
#[test]
fn noise_with_contrast_fills_its_range() {
    let inputs = inputs_of(vec![sphere(1.0, 60, 120)], Placement::Vertex);
    let kinds = ["value", "gradient", "simplex", "cellular", "cell_edges", "ridged", "billowed"];
    for kind in kinds {
        let noise = |contrast: f32| {
            let mut values = made(
                &format!(
                    r#"{{"kind":"noise","noise":"{kind}","size":0.2,"octaves":4,"contrast":{contrast}}}"#
                ),
                &inputs,
            );
            values.sort_unstable_by(f32::total_cmp);
            values
        };
        let (plain, full) = (noise(0.0), noise(1.0));
        let last = full.len() - 1;
        assert!(full[last / 50] < 0.12 && full[last - last / 50] > 0.85, "{kind}");
        let cut = full.iter().filter(|&&x| x == 0.0 || x == 1.0).count();
        assert!(cut < full.len() / 30, "{kind}: {cut} of {last}");
        // It is the same noise, spread.
        assert!(full[last] - full[0] >= plain[last] - plain[0], "{kind}");
    }
}

/// What tiles is the same on both sides of a square's border, and so are its slopes.
#[test]
fn noise_that_tiles_goes_on_beyond_the_square() {
    let noise = |kind: Kind, period: u32| Noise {
        period,
        lacunarity: 2.3,
        warp: 0.4,
        ..Noise::new(kind, 4, 5)
    };
    let kinds = [Kind::Value, Kind::Gradient, Kind::Cellular, Kind::CellEdges, Kind::Ridged];
    for kind in kinds {
        for period in [1, 3, 8] {
            let tiled = noise(kind, period);
            let (mut off, mut differs) = (0.0_f32, 0.0_f32);
            for i in 0..200 {
                let at = Vec3::new(0.137 * i as f32, 0.071 * i as f32, 0.0);
                let (here, there) =
                    (tiled.at(at), tiled.at(at + Vec3::new(period as f32, -(period as f32), 0.0)));
                off = off.max((here - there).abs());
                differs = differs.max((here - tiled.at(at + Vec3::X * 0.5)).abs());
            }
            // Places far from the origin have fewer digits.
            assert!(off < 2e-3 && differs > 0.05, "{kind:?}, {period}: {off}, {differs}");
        }
    }
    for (json, says) in [
        (r#"{"kind":"noise","tiles":true}"#, "look it up in UV"),
        (r#"{"kind":"noise","noise":"simplex","tiles":true,"space":{"uv":0}}"#, "choose another"),
        (r#"{"kind":"noise","tiles":true,"stretch":2,"space":{"uv":0}}"#, "at the border"),
        (r#"{"kind":"noise","gain":2}"#, "as fine"),
        (r#"{"kind":"noise","stretch":0}"#, "stretch"),
    ] {
        let problem = source(json).problem().unwrap_or_default();
        assert!(problem.contains(says), "{json}: {problem}");
    }
}

/// Stretched it is another noise, by the direction; unstretched the direction does not matter.
#[test]
fn noise_stretches_along_a_direction() {
    let grain = |stretch: f32, along: &str| {
        let inputs = inputs_of(vec![sphere(1.0, 40, 80)], Placement::Vertex);
        let json = format!(
            r#"{{"kind":"noise","size":0.1,"octaves":1,"stretch":{stretch},"along":"{along}","space":"part"}}"#
        );
        made(&json, &inputs)
    };
    assert_eq!(grain(1.0, "x"), grain(1.0, "up"));
    assert_ne!(grain(3.0, "x"), grain(3.0, "up"));
    // Up is z here.
    assert_eq!(grain(3.0, "z"), grain(3.0, "up"));
}

/// A flat mesh that is fine on the left and coarse on the right.
fn uneven(n: u32) -> speckle_mesh::Mesh {
    let mut arrays = sheet(n, 0.0);
    let bent = |x: f32| 0.75 * x + 0.25 * x * x * x.signum();
    arrays.positions.iter_mut().for_each(|p| p.x = bent(p.x + 0.4 * (1.0 - p.x * p.x)));
    mesh(arrays)
}

fn softened(
    source: &str,
    shaping: &str,
    own: speckle_mesh::Mesh,
    placement: Placement,
) -> Vec<f32> {
    let inputs = inputs_of(vec![own], placement);
    let mut recipe = Recipe::new(Target::R);
    let shaping = serde_json::from_str(shaping).unwrap();
    recipe.steps.push(Step { shaping: vec![shaping], ..Step::new(self::source(source)) });
    let there = vec![[0.0; 4]; placement.count(inputs.body.geometry.mesh())];
    let made = bake::made_by(&recipe, &there, &inputs, &Pantry::default(), &Watch::default());
    made.unwrap().into_iter().map(|value| value[0]).collect()
}

/// Over a length it does not matter how fine the mesh is: a straight ramp stays straight, an edge
/// becomes as wide, on any placement.
#[test]
fn softened_by_a_length_it_is_the_same_on_any_mesh() {
    let ramp = r#"{"kind":"between","from":[-1,0,0],"to":[1,0,0]}"#;
    let soft = r#"{"kind":"soften","length":0.3}"#;
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let own = uneven(40);
        let point = |element: usize| match placement {
            Placement::Vertex => own.positions()[element],
            Placement::Corner => own.corner_position(element),
            Placement::Face => own.face_centroid(element),
        };
        let plain = softened(ramp, r#"{"kind":"gain"}"#, own.clone(), placement);
        let found = softened(ramp, soft, own.clone(), placement);
        for (element, (plain, found)) in plain.into_iter().zip(found).enumerate() {
            // Away from where the surface ends.
            if point(element).x.abs() < 0.5 {
                assert!((plain - found).abs() < 0.005, "{placement:?} {element}: {plain} {found}");
            }
        }
    }
    // An edge, spread: four steps of implicit Euler over a time t = L²/8 each have the variance 2 t/4
    // along an axis, all together L²/4.
    for n in [40, 80] {
        let own = uneven(n);
        let step = r#"{"kind":"between","from":[-0.0001,0,0],"to":[0.0001,0,0]}"#;
        let found = softened(step, soft, own.clone(), Placement::Vertex);
        let mut rows: Vec<(f32, f32)> = own
            .positions()
            .iter()
            .zip(&found)
            .filter(|(p, _)| p.y.abs() < 1e-6)
            .map(|(p, &f)| (p.x, f))
            .collect();
        rows.sort_by(|a, b| a.0.total_cmp(&b.0));
        // The variance of what a step became: ∫ (x − m)² df.
        let moment = |power: i32| -> f32 {
            rows.windows(2)
                .map(|w| (w[1].1 - w[0].1) * ((w[0].0 + w[1].0) / 2.0).powi(power))
                .sum::<f32>()
        };
        let whole = rows[rows.len() - 1].1 - rows[0].1;
        let mean = moment(1) / whole;
        let variance = moment(2) / whole - mean * mean;
        assert!((variance.sqrt() - 0.15).abs() < 0.012, "{n}: {}", variance.sqrt());
    }
}

#[test]
fn softening_keeps_edges_sharpening_goes_the_other_way_and_rounds_are_still_read() {
    let step = r#"{"kind":"between","from":[-0.0001,0,0],"to":[0.0001,0,0]}"#;
    let own = || mesh(sheet(20, 0.0));
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let plain = softened(step, r#"{"kind":"gain"}"#, own(), placement);
        let keeping = r#"{"kind":"soften","length":0.4,"keep_edges":0.2}"#;
        let kept = softened(step, keeping, own(), placement);
        let soft = softened(step, r#"{"kind":"soften","length":0.4}"#, own(), placement);
        let sharp = softened(step, r#"{"kind":"sharpen","length":0.4}"#, own(), placement);
        let apart =
            |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        if placement == Placement::Vertex {
            // The middle row itself is neither.
            assert!(apart(&plain, &kept) < 1e-3, "{}", apart(&plain, &kept));
        }
        assert!(apart(&plain, &soft) > 0.2);
        for ((plain, soft), sharp) in plain.iter().zip(&soft).zip(&sharp) {
            let expected = (plain + (plain - soft)).clamp(0.0, 1.0);
            assert!((sharp - expected).abs() < 1e-5);
        }
        let rounds = softened(step, r#"{"kind":"soften","rounds":3}"#, own(), placement);
        assert!(apart(&plain, &rounds) > 0.1);
    }
    for (shaping, is_sound) in [
        (r#"{"kind":"soften","rounds":1}"#, true),
        (r#"{"kind":"soften","length":2}"#, true),
        (r#"{"kind":"soften"}"#, false),
        (r#"{"kind":"soften","length":-1}"#, false),
        (r#"{"kind":"sharpen","length":1,"amount":20}"#, false),
    ] {
        let shaping: Shaping = serde_json::from_str(shaping).unwrap();
        assert_eq!(shaping.problem().is_none(), is_sound, "{shaping:?}");
    }
}

/// Numbers that a ramp from black to white makes of numbers are the same numbers; of colors they are
/// mixed as light.
#[test]
fn a_ramp_from_black_to_white_changes_no_data() {
    let ramp = r#"{"kind":"ramp","stops":[{"at":0,"color":[0,0,0,1]},{"at":1,"color":[1,1,1,1]}]}"#;
    let shaping = serde_json::from_str(ramp).unwrap();
    let plane = inputs_of(vec![mesh(sheet(4, 0.0))], Placement::Vertex);
    let between = r#"{"kind":"between","from":[-1,0,0],"to":[1,0,0]}"#;
    for (encoding, half) in [(Encoding::Data, 0.5), (Encoding::Color, 0.735_357)] {
        let mut recipe = Recipe::new(Target::R);
        let step = Step::new(source(between));
        recipe.steps.push(Step { shaping: vec![Clone::clone(&shaping)], ..step });
        let inputs = Inputs { encoding, ..plane.clone() };
        let there = vec![[0.0; 4]; 25];
        let made =
            bake::made_by(&recipe, &there, &inputs, &Pantry::default(), &Watch::default()).unwrap();
        for (p, value) in inputs.body.geometry.mesh().positions().iter().zip(made) {
            let expected = (p.x + 1.0) / 2.0;
            if encoding == Encoding::Data {
                assert!((value[0] - expected).abs() < 1e-6, "{p}: {}", value[0]);
            } else if expected == 0.5 {
                // sRGB's curve at ½ (IEC 61966-2-1).
                assert!((value[0] - half).abs() < 1e-4, "{p}: {}", value[0]);
            }
        }
    }
}

#[test]
fn steps_merge_by_their_formulas_and_say_when_they_cover_all() {
    // Worked by hand; screen and overlay by W3C Compositing and Blending Level 1.
    for (merge, expected) in [
        (Merge::Replace, 0.5),
        (Merge::Multiply, 0.4),
        (Merge::Add, 1.0),
        (Merge::Subtract, 0.3),
        (Merge::Darker, 0.5),
        (Merge::Lighter, 0.8),
        (Merge::Mix, 0.65),
        (Merge::Screen, 0.9),
        (Merge::Overlay, 0.8),
    ] {
        let inputs = inputs_of(vec![mesh(sheet(1, 0.0))], Placement::Vertex);
        let mut recipe = Recipe::new(Target::G);
        recipe.steps.push(Step::new(Source::Constant { value: 0.8 }));
        recipe
            .steps
            .push(Step { merge: Some(merge), ..Step::new(Source::Constant { value: 0.5 }) });
        let there = [[0.1, 0.2, 0.3, 0.4]; 4];
        let made =
            bake::made_by(&recipe, &there, &inputs, &Pantry::default(), &Watch::default()).unwrap();
        for value in made {
            assert!((value[1] - expected).abs() < 1e-6, "{merge:?}: {}", value[1]);
            assert_eq!([value[0], value[2], value[3]], [0.1, 0.3, 0.4], "the others stay");
        }
        let covers = recipe.remarks(Encoding::Data)[1].is_some();
        assert_eq!(covers, merge == Merge::Replace);
    }
}

#[test]
fn shaping_bends_numbers_as_drawn() {
    let of = |json: &str, x: f32| serde_json::from_str::<Shaping>(json).unwrap().of(x).unwrap();
    let near = |a: f32, b: f32| assert!((a - b).abs() < 1e-5, "{a} not {b}");
    near(of(r#"{"kind":"levels","from":0.2,"to":0.6}"#, 0.4), 0.5);
    near(of(r#"{"kind":"gain","by":2,"plus":-0.5}"#, 0.5), 0.5);
    near(of(r#"{"kind":"clamp","low":0.2,"high":0.8}"#, 0.9), 0.8);
    near(of(r#"{"kind":"invert"}"#, 0.3), 0.7);
    near(of(r#"{"kind":"gamma","gamma":2}"#, 0.25), 0.5);
    near(of(r#"{"kind":"posterise","steps":3}"#, 0.4), 0.5);
    near(of(r#"{"kind":"threshold","at":0.5}"#, 0.49), 0.0);
    near(of(r#"{"kind":"threshold","at":0.5,"softness":0.2}"#, 0.5), 0.5);
    // Straight between corners, through every point, and never beyond them.
    let curve = |corner: bool| {
        format!(
            r#"{{"kind":"curve","points":[{{"x":0,"y":0,"corner":{corner}}},{{"x":0.5,"y":0.9,"corner":{corner}}},{{"x":1,"y":1,"corner":{corner}}}]}}"#
        )
    };
    near(of(&curve(true), 0.25), 0.45);
    let heights: Vec<f32> = (0..=100).map(|i| of(&curve(false), i as f32 / 100.0)).collect();
    near(heights[50], 0.9);
    assert!(heights.windows(2).all(|w| w[0] <= w[1]));
    assert!((of(&curve(false), 0.25) - 0.45).abs() > 0.02, "smooth, not straight");
}

#[test]
fn the_same_seed_gives_the_same_bits_on_any_number_of_cores() {
    let recipe = r#"{"channels":"RGB","steps":[
        {"source":{"kind":"occlusion","rays":24,"seed":5}},
        {"source":{"kind":"noise","seed":9},"merge":"mix"},
        {"source":{"kind":"ridges","scale":0.3},"shaping":[{"kind":"soften","rounds":3}],"merge":"add"}]}"#;
    let recipe: Recipe = serde_json::from_str(recipe).unwrap();
    let made = |cores: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(cores).build().unwrap();
        pool.install(|| {
            let ball =
                mesh(beside(sheet(12, -1.1), crate::common::arrays_of(&sphere(1.0, 30, 60))));
            let inputs = inputs_of(vec![ball], Placement::Corner);
            let there = vec![[0.0; 4]; inputs.placement.count(inputs.body.geometry.mesh())];
            bake::made_by(&recipe, &there, &inputs, &Pantry::default(), &Watch::default()).unwrap()
        })
    };
    assert_eq!(made(1), made(2));
    assert_eq!(made(1), made(5));
}

#[test]
fn nonsense_is_refused_with_what_to_do() {
    let inputs = inputs_of(vec![sphere(1.0, 6, 8)], Placement::Vertex);
    let refused = |json: &str| {
        let source = source(json);
        let problem = source.problem();
        problem.unwrap_or_else(|| made_of(&source, &inputs).unwrap_err().to_string())
    };
    for (json, words) in [
        (r#"{"kind":"noise","space":{"uv":0}}"#, "has no UV set 1"),
        (r#"{"kind":"trail","root":{"kind":"selection","name":"Leaves"}}"#, "no selection Leaves"),
        (r#"{"kind":"trail","root":{"kind":"open_edge"}}"#, "no open edge"),
        (r#"{"kind":"channel","set":"Old","channel":"R"}"#, "no set Old"),
        (r#"{"kind":"occlusion","rays":0}"#, "between 1 and"),
        (r#"{"kind":"facing","direction":{"to":[0,0,0]}}"#, "needs a length"),
        (r#"{"kind":"distance","from":{"kind":"part","name":"Mast"}}"#, "no part Mast"),
        (r#"{"kind":"material"}"#, "no colors of materials"),
    ] {
        let said = refused(json);
        assert!(said.contains(words), "{json}: {said}");
    }
    let newer = r#"{"version":9,"set":"Shade","recipes":[]}"#;
    let file: speckle_model::recipe::RecipeFile = serde_json::from_str(newer).unwrap();
    assert!(file.problem().unwrap().contains("get a newer app"));
    // Given up, it stops with nothing made.
    let watch = Watch::default();
    watch.give_up();
    let long = source(r#"{"kind":"occlusion","rays":65536}"#);
    assert_eq!(Pantry::default().source(&long, &inputs, &watch), Err(BakeError::GivenUp));
}

/// Sources that need nothing but a mesh, and those that look at UVs and images.
const ALL: [&str; 24] = [
    r#"{"kind":"occlusion","rays":8,"both_sides":true,"ground":true}"#,
    r#"{"kind":"hollows"}"#,
    r#"{"kind":"ridges","scale":0.5}"#,
    r#"{"kind":"edges","angle":10,"width":0.3}"#,
    r#"{"kind":"edges","bends":"in"}"#,
    r#"{"kind":"facing"}"#,
    r#"{"kind":"height_ramp","space":"part"}"#,
    r#"{"kind":"between","from":[0,0,0],"to":[1,0,0]}"#,
    r#"{"kind":"distance","from":{"kind":"point","at":[0,0,0]}}"#,
    r#"{"kind":"trail","root":{"kind":"end","towards":"down"},"joined":"goes_on"}"#,
    r#"{"kind":"trail","root":{"kind":"point","at":[0,0,0]},"joined":"holds"}"#,
    r#"{"kind":"joint"}"#,
    r#"{"kind":"joint","between":"materials"}"#,
    r#"{"kind":"thickness","rays":4}"#,
    r#"{"kind":"openness","rays":4}"#,
    r#"{"kind":"per_piece"}"#,
    r#"{"kind":"per_piece_shift","by":"parts"}"#,
    r#"{"kind":"noise","warp":1}"#,
    r#"{"kind":"noise","noise":"cellular","space":{"uv":0}}"#,
    r#"{"kind":"image","image":"Dots"}"#,
    r#"{"kind":"image","image":"Dots","lay":{"kind":"three_axes"}}"#,
    r#"{"kind":"image","image":"Dots","averaged":"piece","wrap":"mirror"}"#,
    r#"{"kind":"normal"}"#,
    r#"{"kind":"position"}"#,
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(
        std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(24)
    ))]

    /// Whatever the mesh is like: faces without area, on both sides, three to an edge, turned over,
    /// vertices of no face, UVs in one point, surfaces that end.
    #[test]
    fn values_are_numbers_from_0_to_1_on_any_mesh(
        points in prop::collection::vec((-2_i8..3, -2_i8..3, -2_i8..3), 4..14),
        faces in prop::collection::vec((0_usize..99, 0_usize..99, 0_usize..99, 0_usize..99), 1..16),
        uv in 0.0_f32..2.0,
        placement in prop::sample::select(vec![Placement::Vertex, Placement::Corner, Placement::Face]),
    ) {
        let n = points.len();
        let positions = points.iter().map(|&(x, y, z)| Vec3::new(x.into(), y.into(), z.into()));
        let mut given = Vec::new();
        for (a, b, c, d) in faces {
            let mut face: Vec<u32> = Vec::new();
            for v in [a % n, b % n, c % n, d % n] {
                if !face.contains(&(v as u32)) {
                    face.push(v as u32);
                }
            }
            if face.len() > 2 {
                given.push(face);
            }
        }
        prop_assume!(!given.is_empty());
        let mut arrays = crate::common::arrays_of(&polygons(positions.collect(), &given));
        let corners = arrays.corner_vertices.len();
        let uvs = (0..corners).map(|c| glam::Vec2::splat((c as f32 * uv).floor())).collect();
        arrays.uv_sets = vec![UvSet { name: String::new(), uvs }];
        let mut inputs = inputs_of(vec![mesh(arrays), sphere(1.0, 4, 6)], placement);
        let image = image_of(3, 2, &[90; 24]);
        inputs.images = Arc::new(HashMap::from([("Dots".to_owned(), image)]));
        let count = placement.count(inputs.body.geometry.mesh());
        for json in ALL {
            let field = Pantry::default().source(&source(json), &inputs, &Watch::default());
            let field = field.unwrap_or_else(|error| panic!("{json}: {error}"));
            prop_assert_eq!(field.len(), count);
            for i in 0..count {
                for x in field.at(i) {
                    prop_assert!((0.0..=1.0).contains(&x), "{} gives {}", json, x);
                }
            }
        }
    }
}
