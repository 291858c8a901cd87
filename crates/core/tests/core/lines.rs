//! Lines on the surface, rims of selections and patterns, where distances are known.

use std::{f32::consts::PI, sync::Arc};

use glam::Vec3;
use speckle_mesh::{Mesh, Placement, Transform};
use speckle_model::{Selection, color_set::Role};
use speckle_tools::bake::Inputs;

use crate::{
    bake::{inputs_of, made, made_of, mesh, source},
    common::sheet,
};

/// A sheet of n × n quads rolled up about the y axis: places x along it lie on an arc of radius 1.
fn rolled(n: u32) -> Mesh {
    let mut arrays = sheet(n, 0.0);
    for p in &mut arrays.positions {
        *p = Vec3::new(p.x.sin(), p.y, p.x.cos());
    }
    mesh(arrays)
}

/// How far values are from what they should be, at most, over places of the flat sheet.
fn worst(values: &[f32], n: u32, expected: impl Fn(Vec3) -> Option<f32>) -> f32 {
    let flat = sheet(n, 0.0).positions.into_iter().zip(values);
    let off = flat.filter_map(|(p, value)| expected(p).map(|expected| (value - expected).abs()));
    off.fold(0.0, f32::max)
}

/// On a flat sheet, and on the same one rolled up, which changes nothing along the surface.
#[test]
fn a_line_tells_how_far_it_is_and_how_far_along() {
    let n = 40;
    let rounded = |x: f32, y: f32| [x.sin(), y, x.cos()];
    for is_rolled in [false, true] {
        let own = if is_rolled { rolled(n) } else { mesh(sheet(n, 0.0)) };
        let inputs = inputs_of(vec![own], Placement::Vertex);
        let at = |x: f32, y: f32| if is_rolled { rounded(x, y) } else { [x, y, 0.0] };
        let points = serde_json::to_string(&[at(0.2, -0.8), at(0.2, 0.8)]).unwrap();
        let far = made(&format!(r#"{{"kind":"line","points":{points},"reach":2}}"#), &inputs);
        let beside = |p: Vec3| (p.y.abs() < 0.75).then(|| (p.x - 0.2).abs() / 2.0);
        let off = worst(&far, n, beside);
        assert!(off < 0.006, "rolled {is_rolled}: {off}");
        let json = format!(r#"{{"kind":"line","points":{points},"tells":"progress"}}"#);
        let along =
            worst(&made(&json, &inputs), n, |p| (p.y.abs() < 0.75).then(|| (p.y + 0.8) / 1.6));
        assert!(along < 0.02, "rolled {is_rolled}: {along}");
        // Beyond its reach it tells nothing.
        let near = made(&json.replace("}", r#","reach":0.3}"#), &inputs);
        let off = worst(&near, n, |p| ((p.x - 0.2).abs() > 0.35).then_some(0.0));
        assert_eq!(off, 0.0);
    }
}

/// Around a closed square the distance is the same on all sides, and progress goes all around.
#[test]
fn a_closed_line_goes_back_to_its_start() {
    let (n, half) = (40, 0.5_f32);
    let inputs = inputs_of(vec![mesh(sheet(n, 0.0))], Placement::Vertex);
    let points =
        format!("[[-{half},-{half},0],[{half},-{half},0],[{half},{half},0],[-{half},{half},0]]");
    let json = format!(r#"{{"kind":"line","points":{points},"closed":true,"reach":1}}"#);
    let off = worst(&made(&json, &inputs), n, |p| {
        // Inside, to the nearest side.
        let inner = p.x.abs().max(p.y.abs());
        (inner < half).then_some(half - inner)
    });
    assert!(off < 0.02, "{off}");
    let told = made(&json.replace("\"reach\":1", r#""tells":"progress""#), &inputs);
    let off = worst(&told, n, |p| {
        let is_on_top = (p.y - half).abs() < 1e-4 && p.x.abs() < half - 0.06;
        is_on_top.then(|| 0.5 + (half - p.x) / 4.0)
    });
    assert!(off < 0.02, "{off}");
}

/// A selection of one half: ½ on its rim, growing within and falling outside as the distance along
/// the surface does, whether faces or vertices are selected, and for a mask too.
#[test]
fn a_rim_is_half_and_grows_inwards() {
    let n = 40;
    let expected = |p: Vec3| Some((0.5 - p.x / (2.0 * 0.4)).clamp(0.0, 1.0));
    let with = |change: &dyn Fn(&mut speckle_model::Part)| -> Inputs {
        let mut inputs = inputs_of(vec![rolled(n)], Placement::Vertex);
        let mut parts = (*inputs.parts).clone();
        change(&mut parts[0]);
        inputs.parts = Arc::new(parts);
        inputs
    };
    let faces = |part: &mut speckle_model::Part| {
        let faces = (0..n * n).filter(|face| face % n < n / 2).collect();
        part.traits.selections = Arc::new(vec![Selection { name: "Half".to_owned(), faces }]);
    };
    let flat = sheet(n, 0.0).positions;
    let by_vertices = |role: Role| {
        let flat = flat.clone();
        move |part: &mut speckle_model::Part| {
            let ground = [0.0; 4];
            let data = speckle_color::Encoding::Data;
            let set = speckle_model::NewSet {
                name: "Half".to_owned(),
                placement: Placement::Vertex,
                encoding: data,
                ground,
                // The rim crosses the edges halfway.
                values: flat.iter().map(|p| [f32::from(u8::from(p.x < -0.01)); 4]).collect(),
            };
            let mut made = crate::bake::inputs_of(vec![rolled(n)], Placement::Vertex);
            let mut document = speckle_core::Document::default();
            let own = speckle_model::NewPart::new("Part", rolled(n), vec![set]);
            document.apply(speckle_core::Edit::bring_in(vec![own])).unwrap();
            made.parts = Arc::new(document.parts().to_vec());
            let mut set = made.parts[0].sets[0].clone();
            set.role = role;
            part.sets.push(set);
        }
    };
    let json = r#"{"kind":"rim","of":"Half","reach":0.4}"#;
    let off = worst(&made(json, &with(&faces)), n, expected);
    assert!(off < 0.01, "faces: {off}");
    // Between the vertices at −0.05 and 0.
    let halfway = |p: Vec3| expected(p + Vec3::X * 0.025);
    let off = worst(&made(json, &with(&by_vertices(Role::Selection))), n, halfway);
    assert!(off < 0.01, "vertices: {off}");
    let masked = made(r#"{"kind":"rim","reach":0.4}"#, &with(&by_vertices(Role::Mask)));
    assert!(worst(&masked, n, halfway) < 0.01);
    let none = made_of(&source(r#"{"kind":"rim"}"#), &with(&faces));
    assert!(none.is_err_and(|error| error.to_string().contains("mask")));
}

/// Numbers that spread by a length go as far on any mesh, and come back by the same; a blur over a
/// length is as wide, and leaves a straight ramp as it is.
#[test]
fn adjustments_reach_as_far_as_a_length() {
    use speckle_color::{Channels, Encoding};
    use speckle_core::{Document, Edit};
    use speckle_tools::adjust::{How, adjusted};
    let length = 0.31;
    for n in [40, 80] {
        let flat = sheet(n, 0.0).positions;
        let set = |value: &dyn Fn(Vec3) -> f32| {
            let values = flat.iter().map(|p| [value(*p); 4]).collect();
            let set = speckle_model::NewSet {
                name: "Half".to_owned(),
                placement: Placement::Vertex,
                encoding: Encoding::Data,
                ground: [0.0; 4],
                values,
            };
            let mut document = Document::default();
            let part = speckle_model::NewPart::new("Part", rolled(n), vec![set]);
            document.apply(Edit::bring_in(vec![part])).unwrap();
            document
        };
        let made = |how: How, value: &dyn Fn(Vec3) -> f32| -> Vec<f32> {
            let document = set(value);
            let part = &document.parts()[0];
            let after = adjusted(how, &part.sets[0], Channels::RGBA, &part.geometry);
            after.into_iter().map(|value| value[0]).collect()
        };
        let is_in = |x: f32| move |p: Vec3| f32::from(u8::from(p.x <= x));
        let edge = 2.0 / n as f32;
        let end = |values: &[f32]| {
            let within = flat.iter().zip(values).filter(|(_, value)| **value > 0.5);
            within.map(|(p, _)| p.x).fold(f32::MIN, f32::max)
        };
        let grown = end(&made(How::Grow { length, rounds: 0 }, &is_in(-0.2)));
        assert!(
            grown <= -0.2 + length + 1e-3 && grown > -0.2 + length - 1.5 * edge,
            "{n}: {grown}"
        );
        let shrunk = end(&made(How::Shrink { length, rounds: 0 }, &is_in(0.3)));
        assert!((shrunk - (0.3 - length)).abs() < 1.5 * edge, "{n}: {shrunk}");
        // Numbers in between spread too: of many, some of them.
        let ramp = |p: Vec3| 0.5 - 0.4 * p.x;
        let spread = made(How::Grow { length, rounds: 0 }, &ramp);
        for (p, value) in flat.iter().zip(&spread).filter(|(p, _)| p.x > -0.6) {
            let expected = ramp(*p - Vec3::X * length);
            assert!(*value <= expected + 0.4 * edge && *value > expected - 0.06, "{p}: {value}");
        }
        let soft = made(How::Blur { length, rounds: 0 }, &ramp);
        for (p, value) in flat.iter().zip(&soft).filter(|(p, _)| p.x.abs() < 0.4) {
            assert!((value - ramp(*p)).abs() < 0.01, "{p}: {value}, not {}", ramp(*p));
        }
        // Over a border it is half as high there, and as wide on either mesh.
        let border = made(How::Blur { length, rounds: 0 }, &is_in(edge / 2.0));
        let slope = |x: f32| {
            let near = flat.iter().zip(&border).filter(|(p, _)| (p.x - x).abs() < 0.55 * edge);
            let (sum, count) = near.fold((0.0, 0.0), |(sum, n), (_, v)| (sum + v, n + 1.0_f32));
            sum / count
        };
        assert!((slope(edge / 2.0) - 0.5).abs() < 0.02, "{n}: {}", slope(edge / 2.0));
        // Beyond one radius next to nothing is left: two deviations.
        assert!(slope(length) < 0.05 && slope(length / 2.0) > 0.1, "{n}: {}", slope(length));
    }
    for how in [
        How::Grow { length: 0.0, rounds: 0 },
        How::Shrink { length: f32::INFINITY, rounds: 0 },
        How::Blur { length: -1.0, rounds: 0 },
    ] {
        assert!(how.problem().is_some(), "{how:?}");
    }
}

/// A trail from where another part touches: the distance to the line in which a wall stands.
#[test]
fn a_trail_begins_where_another_part_touches() {
    let n = 40;
    let mut wall = sheet(2, 0.0);
    wall.positions.iter_mut().for_each(|p| *p = Vec3::new(0.0, 2.0 * p.x, 1.0 + p.y));
    let wall = mesh(wall);
    let inputs = inputs_of(vec![mesh(sheet(n, 0.0)), wall], Placement::Vertex);
    let mut parts = (*inputs.parts).clone();
    parts[1].traits.name = "Wall".to_owned();
    let named = Inputs { parts: Arc::new(parts.clone()), ..inputs.clone() };
    let json = r#"{"kind":"trail","root":{"kind":"part","name":"Wall"},"reach":2,"touch":0.001}"#;
    let off = worst(&made(json, &named), n, |p| Some(p.x.abs() / 2.0));
    assert!(off < 1e-3, "{off}");
    let up = Transform { translation: Vec3::Z, ..Transform::IDENTITY };
    parts[1].traits.transform = up;
    let apart = made_of(&source(json), &Inputs { parts: Arc::new(parts), ..inputs });
    assert!(apart.is_err_and(|error| error.to_string().contains("touch nowhere")));
}

/// Patterns at the middles of faces, by their formulas.
#[test]
fn patterns_come_again() {
    let n = 64;
    let own = mesh(sheet(n, 0.0));
    let inputs = inputs_of(vec![own.clone()], Placement::Face);
    let middles: Vec<Vec3> = (0..own.face_count()).map(|f| own.face_centroid(f)).collect();
    let check = |json: &str, expected: &dyn Fn(Vec3) -> f32| {
        for (p, value) in middles.iter().zip(made(json, &inputs)) {
            let expected = expected(*p);
            assert!((value - expected).abs() < 1e-4, "{json} at {p}: {value}, not {expected}");
        }
    };
    let y = r#""along":"y","size":0.5"#;
    check(&format!(r#"{{"kind":"pattern",{y}}}"#), &|p| 0.5 + 0.5 * (2.0 * PI * p.y / 0.5).cos());
    check(&format!(r#"{{"kind":"pattern","shows":"stripes","share":0.25,{y}}}"#), &|p| {
        f32::from(u8::from((p.y / 0.5).rem_euclid(1.0) < 0.25))
    });
    check(&format!(r#"{{"kind":"pattern","shows":"checks",{y}}}"#), &|p| {
        let cell = (p.x / 0.25).floor() + (p.y / 0.25).floor();
        cell.rem_euclid(2.0)
    });
    let bricks = format!(r#"{{"kind":"pattern","shows":"bricks","share":0.125,{y}}}"#);
    check(&bricks, &|p| {
        let (long, high) = (p.x / 0.5, p.y / 0.25);
        let course = high.floor();
        let long = long - 0.5 * course;
        let near = |x: f32| (x - x.round()).abs();
        f32::from(u8::from(near(long).min(near(high) * 0.5) >= 0.0625))
    });
    // Each brick is one number, and most are others than the one beside.
    let each = made(&bricks.replace("0.125", "0").replace("}", r#","each":true}"#), &inputs);
    let brick = |p: Vec3| {
        let course = (p.y / 0.25).floor();
        ((p.x / 0.5 - 0.5 * course).floor() as i32, course as i32)
    };
    let mut numbers = std::collections::HashMap::new();
    for (p, value) in middles.iter().zip(&each) {
        assert_eq!(numbers.entry(brick(*p)).or_insert(*value), value, "{p}");
    }
    let mut different: Vec<u32> = numbers.values().map(|x| x.to_bits()).collect();
    different.sort_unstable();
    different.dedup();
    assert!(different.len() > numbers.len() * 9 / 10);
    for json in [
        r#"{"kind":"pattern","size":-1}"#,
        r#"{"kind":"pattern","flat":0}"#,
        r#"{"kind":"pattern","share":2}"#,
        r#"{"kind":"pattern","along":{"to":[0,0,0]}}"#,
    ] {
        assert!(source(json).problem().is_some(), "{json}");
    }
}

/// Noise along the surface: on a sheet rolled up, grains follow the roll as far as on the flat one,
/// where those of a stretched space end.
#[test]
fn noise_is_stretched_as_a_direction_runs_over_the_surface() {
    let n = 96;
    let inputs = inputs_of(vec![rolled(n)], Placement::Vertex);
    let change = |values: &[f32], dx: u32, dy: u32| {
        let at = |x: u32, y: u32| values[(y * (n + 1) + x) as usize];
        let cells = (0..n - 4).flat_map(|y| (0..n - 4).map(move |x| (x, y)));
        let sum: f32 = cells.map(|(x, y)| (at(x, y) - at(x + dx, y + dy)).abs()).sum();
        sum / ((n - 4) * (n - 4)) as f32
    };
    let json =
        r#"{"kind":"noise","size":0.08,"stretch":6,"along":"x","contrast":1,"on_surface":true}"#;
    let grains = made(json, &inputs);
    let (along, across) = (change(&grains, 2, 0), change(&grains, 0, 2));
    assert!(across > 2.5 * along, "along {along}, across {across}");
    // They fill the range, and where the sheet is steep too.
    let (low, high) = grains.iter().fold((1.0_f32, 0.0_f32), |(l, h), &x| (l.min(x), h.max(x)));
    assert!(low < 0.05 && high > 0.95, "{low} to {high}");
    let short = made(&json.replace("\"stretch\":6", "\"stretch\":0.1667"), &inputs);
    assert!(change(&short, 2, 0) > 2.5 * change(&short, 0, 2));
    let in_uv = source(r#"{"kind":"noise","on_surface":true,"space":{"uv":0}}"#);
    assert!(in_uv.problem().is_some());
}
