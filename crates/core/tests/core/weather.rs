//! What comes over a surface with time, on shapes where it can be worked out by hand.

use std::sync::Arc;

use glam::Vec3;
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::Selection;
use speckle_tools::bake::Inputs;

use crate::{
    bake::{at, inputs_of, made, made_of, mesh, source, sphere},
    common::{arrays_of, beside, polygons, sheet},
};

/// The inputs of meshes, the first of which has some faces selected as *Source*.
fn selected(meshes: Vec<Mesh>, faces: Vec<u32>, placement: Placement) -> Inputs {
    let mut inputs = inputs_of(meshes, placement);
    let mut parts = (*inputs.parts).clone();
    parts[0].traits.selections = Arc::new(vec![Selection { name: "Source".to_owned(), faces }]);
    inputs.parts = Arc::new(parts);
    inputs
}

/// A sheet of n × n quads from −1 to 1 in x, and whose other direction goes where it is told.
fn slope(n: u32, place: impl Fn(f32, f32) -> Vec3) -> MeshArrays {
    let mut arrays = sheet(n, 0.0);
    arrays.positions.iter_mut().for_each(|p| *p = place(p.x, p.y));
    arrays
}

/// A wall in the plane of x and z, looking at us from −y.
fn wall(n: u32) -> Mesh {
    mesh(slope(n, |x, y| Vec3::new(x, 0.0, y)))
}

/// What four implicit steps of heat make of a line, at a distance from it: Matérn's function for ν = 7/2
/// (Rasmussen and Williams, Gaussian Processes for Machine Learning, 2006, 4.14), 1 on the line.
fn bell(far: f32, deviation: f32) -> f32 {
    let a = far.abs() * 8_f32.sqrt() / deviation;
    (1.0 + a + 2.0 * a * a / 5.0 + a * a * a / 15.0) * (-a).exp()
}

/// A run down a wall: its strength falls evenly from 1, and across it lies a bell whose deviation is a
/// quarter of its width, whichever way the wall is cut.
#[test]
fn a_run_down_a_wall_is_a_bell_across_and_fades_evenly() {
    let n = 80;
    let top = (n - 6) * n + n / 2;
    for placement in [Placement::Vertex, Placement::Face] {
        let inputs = selected(vec![wall(n)], vec![top], placement);
        let json = r#"{"kind":"streaks","from":"Source","apart":1,"length":1.6,"width":0.32}"#;
        let made = made(json, &inputs);
        let geometry = &inputs.body.geometry;
        let place = |i: usize| match placement {
            Placement::Face => geometry.mesh().face_centroid(i),
            _ => geometry.mesh().positions()[i],
        };
        let begin = geometry.mesh().face_centroid(top as usize);
        // The column of the run, by the mean over a row.
        let row = |z: f32| {
            let near = (0..made.len()).map(|i| (place(i).z - z).abs()).fold(f32::MAX, f32::min);
            let own = (0..made.len()).filter(|&i| (place(i).z - z).abs() < near + 1e-4);
            own.map(|i| (place(i), made[i])).collect::<Vec<_>>()
        };
        let middle = {
            let own = row(0.31);
            let whole: f32 = own.iter().map(|(_, v)| v).sum();
            own.iter().map(|(p, v)| p.x * v).sum::<f32>() / whole
        };
        assert!((middle - begin.x).abs() < 0.03, "{middle} beside {begin}");
        let strength = |z: f32| {
            let own = row(z);
            let step = 2.0 / n as f32;
            let whole: f32 = own.iter().map(|(_, v)| v * step).sum();
            // The area of the bell: √2π σ, by so much less as it is higher: √4 Γ(3.5) / Γ(4).
            let area = std::f32::consts::TAU.sqrt() * 0.08 / (2.0 * 3.323_351 / 6.0);
            (own[0].0.z, whole / area)
        };
        let [high, middle_high, low] = [0.61, 0.46, 0.31].map(strength);
        let rate = (high.1 - low.1) / (high.0 - low.0);
        let between = low.1 + rate * (middle_high.0 - low.0);
        assert!((middle_high.1 - between).abs() < 0.02, "{middle_high:?}, not {between}");
        let first = high.1 + rate * (begin.z - high.0);
        assert!((first - 1.0).abs() < 0.05, "{placement:?}: {high:?} {low:?} begins with {first}");
        let longest = 1.0 / rate;
        assert!((0.6..=1.7).contains(&longest), "its length is {longest}");
        for (p, value) in row(0.46) {
            let bell = between * bell(p.x - middle, 0.08);
            assert!((value - bell).abs() < 0.04, "{p}: {value}, not {bell}");
        }
    }
}

/// Water falls only where the sky is seen, from other parts or from the part itself.
#[test]
fn no_water_comes_down_under_a_roof() {
    let ramp = || mesh(slope(24, |x, y| Vec3::new(x, y, 0.4 * y)));
    let roof = polygons(
        [(-1.5, -1.5), (0.0, -1.5), (0.0, 1.5), (-1.5, 1.5)]
            .map(|(x, y)| Vec3::new(x, y, 2.0))
            .into(),
        &[vec![0, 1, 2, 3]],
    );
    let json = r#"{"kind":"streaks","apart":0.1,"width":0.1}"#;
    let inputs = inputs_of(vec![ramp(), roof.clone()], Placement::Vertex);
    let under = |values: &[f32], is_under: bool| {
        let own = inputs.body.geometry.mesh().positions().iter().zip(values);
        let own = own.filter(|(p, _)| if is_under { p.x < -0.2 } else { p.x > 0.2 });
        own.map(|(_, v)| *v).fold(0.0, f32::max)
    };
    let roofed = made(json, &inputs);
    assert!(under(&roofed, true) < 1e-3, "{}", under(&roofed, true));
    assert!(under(&roofed, false) > 0.5);
    let open = made(&json.replace("0.1}", r#"0.1,"other_parts":false}"#), &inputs);
    assert!(under(&open, true) > 0.5);
    // The same roof as a piece of the part itself.
    let own = mesh(beside(arrays_of(&ramp()), arrays_of(&roof)));
    let own = inputs_of(vec![own], Placement::Vertex);
    assert!(under(&made(json, &own)[..625], true) < 1e-3);
}

/// Two slopes meet in a gutter that itself goes down: all water comes there, and down along it.
#[test]
fn water_gathers_in_a_gutter_and_runs_along_it() {
    let gutter = mesh(slope(25, |x, y| Vec3::new(x, y, 0.6 * x.abs() + 0.2 * y)));
    let inputs = inputs_of(vec![gutter], Placement::Vertex);
    let made = made(r#"{"kind":"streaks","apart":0.15,"length":3,"width":0.08}"#, &inputs);
    for y in [-0.9, -0.6, -0.2] {
        let (middle, side) = (
            at(&made, &inputs, Vec3::new(0.0, y, 0.0)),
            at(&made, &inputs, Vec3::new(0.7, y, 0.5)),
        );
        assert!(middle > 0.95, "{y}: {middle}, beside it {side}");
    }
    let mean = |is_own: fn(Vec3) -> bool| {
        let own = inputs.body.geometry.mesh().positions().iter().zip(&made);
        let own: Vec<f32> = own.filter(|(p, _)| is_own(**p)).map(|(_, v)| *v).collect();
        own.iter().sum::<f32>() / own.len() as f32
    };
    let (middle, sides) = (mean(|p| p.x.abs() < 0.05), mean(|p| p.x.abs() > 0.5));
    assert!(middle > 2.0 * sides, "{middle}, beside it {sides}");
}

/// In a bowl it stays at the bottom; over the edge of a table it falls to the floor and wets nothing
/// below the top.
#[test]
fn water_stays_in_a_bowl_and_falls_off_a_table() {
    let bowl = arrays_of(&sphere(1.0, 24, 36).turned_over().0);
    let keep = |p: &Vec3| p.z <= 1e-3;
    let faces: Vec<Vec<u32>> = {
        let whole = mesh(bowl.clone());
        let low = (0..whole.face_count()).map(|f| whole.face_vertices(f).to_vec());
        low.filter(|face| face.iter().all(|&v| keep(&bowl.positions[v as usize]))).collect()
    };
    let inputs = inputs_of(vec![polygons(bowl.positions, &faces)], Placement::Vertex);
    let values = made(r#"{"kind":"streaks","apart":0.1,"length":4,"width":0.1}"#, &inputs);
    assert!(at(&values, &inputs, Vec3::new(0.0, 0.0, -1.0)) > 0.99);
    // A table whose top leans to +x, with a floor below.
    let high = |x: f32| 1.0 - 0.1 * x;
    let corner = |x: f32, y: f32, z: f32| Vec3::new(x, y, z);
    let (n, mut arrays) = (20, sheet(20, 0.0));
    arrays.positions.iter_mut().for_each(|p| *p = corner(0.5 * p.x, 0.5 * p.y, high(0.5 * p.x)));
    let mut under = sheet(n, 0.0);
    under.positions.iter_mut().for_each(|p| *p = corner(0.48 * p.x, -0.48 * p.y, 0.9));
    let mut floor = sheet(40, 0.0);
    floor.positions.iter_mut().for_each(|p| *p = corner(1.5 * p.x, 1.5 * p.y, -0.05 * p.x));
    let table = arrays_of(&welded(beside(arrays, under)));
    let count = table.positions.len();
    // Out of the table's top.
    let top = (0..n * n).collect();
    let inputs = selected(vec![mesh(beside(table, floor))], top, Placement::Vertex);
    let json = r#"{"kind":"streaks","from":"Source","apart":0.1,"length":3,"width":0.12}"#;
    let made = made(json, &inputs);
    let most = |is_own: &dyn Fn(usize, Vec3) -> bool| {
        let own = inputs.body.geometry.mesh().positions().iter().enumerate();
        let own = own.filter(|(i, p)| is_own(*i, **p)).map(|(i, _)| made[i]);
        own.fold(0.0, f32::max)
    };
    assert!(most(&|i, p| i < count && p.z < 0.91 && p.x.abs() < 0.4) < 0.05, "below the top");
    // Of the floor under the table only what falls from the edge is wet; all runs on from there.
    assert!(most(&|i, p| i >= count && p.x.abs() < 0.3 && p.y.abs() < 0.3) < 0.05);
    let wet = most(&|i, p| i >= count && p.x > 0.5 && p.x < 0.9 && p.y.abs() < 0.4);
    assert!(wet > 0.9, "{wet}");
}

/// Below a ledge that is shallower than a run is wide water clings to the wall; below a deep one it
/// does not.
#[test]
fn water_clings_below_a_small_ledge() {
    let n = 40;
    for (deep, is_wet) in [(0.06_f32, true), (0.5, false)] {
        // A wall from −1 to 0, and a block above it that stands out.
        let low = slope(n, |x, y| Vec3::new(x, 0.0, 0.5 * y - 0.5));
        let high = slope(n, |x, y| Vec3::new(x, -deep, 0.25 * y + 0.25));
        let under = slope(n, |x, y| Vec3::new(x, -deep * (0.5 - 0.5 * y), 0.0));
        let under = arrays_of(&mesh(under).turned_over().0);
        let whole = welded(beside(beside(low, high), under));
        let top: Vec<u32> = (n * n + n * n * 3 / 4..2 * n * n).collect();
        let inputs = selected(vec![whole], top, Placement::Vertex);
        let json = r#"{"kind":"streaks","from":"Source","apart":0.1,"length":2,"width":0.1}"#;
        let made = made(json, &inputs);
        let wet = inputs.body.geometry.mesh().positions().iter().zip(&made);
        let wet = wet.filter(|(p, _)| p.y == 0.0 && p.z < -0.2).map(|(_, v)| *v);
        let wet = wet.fold(0.0, f32::max);
        assert_eq!(wet > 0.5, is_wet, "{deep} deep: {wet}");
    }
}

/// Vertices at one point as one.
fn welded(mut arrays: MeshArrays) -> Mesh {
    let place = |p: &Vec3| p.to_array().map(|x| (x * 4096.0).round() as i32);
    let mut first = std::collections::HashMap::new();
    let of: Vec<u32> = arrays
        .positions
        .iter()
        .enumerate()
        .map(|(i, p)| *first.entry(place(p)).or_insert(i as u32))
        .collect();
    arrays.corner_vertices.iter_mut().for_each(|v| *v = of[*v as usize]);
    mesh(arrays)
}

/// Dust: by the slope linear in the cosine; none under a ceiling; what the wind takes is the share
/// that is open to it, a half at the foot of an endless wall, faded by the distance.
#[test]
fn dust_lies_by_slope_cover_and_shelter() {
    let tilted = |degrees: f32| {
        let (sin, cos) = degrees.to_radians().sin_cos();
        inputs_of(vec![mesh(slope(4, |x, y| Vec3::new(x, cos * y, sin * y)))], Placement::Face)
    };
    let on = |degrees: f32, json: &str| made(json, &tilted(degrees))[5];
    for degrees in [0.0_f32, 20.0, 45.0, 59.0, 75.0] {
        let half = 60_f32.to_radians().cos();
        let expected = ((degrees.to_radians().cos() - half) / (1.0 - half)).max(0.0);
        let dust = on(degrees, r#"{"kind":"dust","drift":0,"wind":0}"#);
        assert!((dust - expected).abs() < 1e-3, "{degrees}°: {dust}, not {expected}");
    }
    for (wind, left) in [(0.0, 1.0), (0.4, 0.6), (1.0, 0.0)] {
        let dust = on(0.0, &format!(r#"{{"kind":"dust","wind":{wind}}}"#));
        assert!((dust - left).abs() < 1e-3, "wind {wind}: {dust}, not {left}");
    }
    let tile = mesh(sheet(1, 0.0));
    let ceiling = polygons(
        [(-9.0, -9.0), (9.0, -9.0), (9.0, 9.0), (-9.0, 9.0)]
            .map(|(x, y)| Vec3::new(x, y, 1.0))
            .into(),
        &[vec![0, 1, 2, 3]],
    );
    let under = inputs_of(vec![tile.clone(), ceiling], Placement::Face);
    assert_eq!(made(r#"{"kind":"dust","wind":0}"#, &under)[0], 0.0);
    assert_eq!(made(r#"{"kind":"dust","wind":0,"other_parts":false}"#, &under)[0], 1.0);
    let far = 4000.0;
    let cliff = polygons(
        [(-far, -far), (far, -far), (far, far), (-far, far)]
            .map(|(y, z)| Vec3::new(-1.001, y, z))
            .into(),
        &[vec![0, 1, 2, 3]],
    );
    let foot = inputs_of(vec![tile, cliff], Placement::Vertex);
    let dust = made(r#"{"kind":"dust","drift":0,"wind":1,"shelter":100,"rays":4096}"#, &foot);
    let kept = at(&dust, &foot, Vec3::new(-1.0, 0.0, 0.0));
    assert!((kept - 0.5).abs() < 0.01, "at the foot of a wall {kept} stays");
}

#[test]
fn a_waterline_is_level_and_its_rim_ragged() {
    let wall = wall(60);
    let inputs = inputs_of(vec![wall], Placement::Vertex);
    let places = inputs.body.geometry.mesh().positions();
    let of = |json: &str| made(json, &inputs);
    let water = of(r#"{"kind":"waterline","height":0.2,"splash":0.3,"width":0.2}"#);
    let mut rims = Vec::new();
    for x in (-9..=9).map(|x| x as f32 / 10.0) {
        let column = places.iter().zip(&water).filter(|(p, _)| (p.x - x).abs() < 0.01);
        rims.push(column.filter(|(_, v)| **v > 0.0).map(|(p, _)| p.z).fold(f32::MIN, f32::max));
    }
    for (p, value) in places.iter().zip(&water) {
        assert!(p.z > 0.2 || *value == 1.0, "{p}: {value}");
        assert!(p.z < 0.5 || *value == 0.0, "{p}: {value}");
    }
    let (low, high) = (
        rims.iter().copied().fold(f32::MAX, f32::min),
        rims.iter().copied().fold(f32::MIN, f32::max),
    );
    assert!(high - low > 0.1, "the rim goes from {low} to {high}");
    // A mark that dried: linear below the line.
    let mark = of(r#"{"kind":"waterline","height":0.2,"splash":0.01,"band":0.5}"#);
    for (p, value) in places.iter().zip(&mark).filter(|(p, _)| p.z <= 0.2) {
        let expected = (1.0 - (0.2 - p.z) / 0.5).max(0.0);
        assert!((value - expected).abs() < 1e-5, "{p}: {value}, not {expected}");
    }
    // A third of the way up, from −1 to 1.
    let fitted = of(r#"{"kind":"waterline","splash":0.01}"#);
    assert_eq!(at(&fitted, &inputs, Vec3::new(0.0, 0.0, -0.36)), 1.0);
    assert_eq!(at(&fitted, &inputs, Vec3::new(0.0, 0.0, -0.30)), 0.0);
}

/// A cube of n × n quads a side, from −1 to 1, its vertices shared.
fn cube(n: u32) -> Mesh {
    let sides: [fn(f32, f32) -> Vec3; 6] = [
        |x, y| Vec3::new(x, y, 1.0),
        |x, y| Vec3::new(x, -y, -1.0),
        |x, y| Vec3::new(1.0, x, y),
        |x, y| Vec3::new(-1.0, -x, y),
        |x, y| Vec3::new(-x, 1.0, y),
        |x, y| Vec3::new(x, -1.0, y),
    ];
    welded(sides.into_iter().map(|side| slope(n, side)).reduce(beside).unwrap())
}

/// A square edge is worn to 1, the flat not at all; nor is the inside of a room, nor an edge that a
/// ball does not get to.
#[test]
fn wear_is_where_a_ball_rolls_over_an_edge() {
    let json = r#"{"kind":"wear","width":0.2,"ball":0.5,"broken":0}"#;
    let (edge, face) = (Vec3::new(1.0, 0.0, 1.0), Vec3::new(0.0, 0.0, 1.0));
    for n in [40, 80] {
        let out = inputs_of(vec![cube(n)], Placement::Vertex);
        let worn = made(json, &out);
        assert!((at(&worn, &out, edge) - 1.0).abs() < 0.08, "{n}: {}", at(&worn, &out, edge));
        assert!(at(&worn, &out, face) < 1e-3);
    }
    let room = inputs_of(vec![cube(24).turned_over().0], Placement::Vertex);
    assert!(made(json, &room).into_iter().all(|worn| worn < 1e-3));
    // A wall beside the cube, a tenth away from one of its sides.
    let beside = polygons(
        [(-9.0, -9.0), (9.0, -9.0), (9.0, 9.0), (-9.0, 9.0)]
            .map(|(y, z)| Vec3::new(1.1, y, z))
            .into(),
        &[vec![0, 1, 2, 3]],
    );
    let near = inputs_of(vec![cube(40), beside], Placement::Vertex);
    let worn = made(json, &near);
    assert!(at(&worn, &near, edge) < 0.01, "{}", at(&worn, &near, edge));
    assert!(at(&worn, &near, Vec3::new(-1.0, 0.0, 1.0)) > 0.9);
    let free = made(&json.replace("\"broken\":0", r#""broken":0,"other_parts":false"#), &near);
    assert!(at(&free, &near, edge) > 0.9);
    // Broken up, what is full stays, and nothing grows.
    let whole = made(json, &near);
    let broken = made(&json.replace("\"broken\":0", "\"broken\":1"), &near);
    assert!(broken.iter().zip(&whole).all(|(broken, whole)| broken <= &(whole + 1e-5)));
    assert!(broken.iter().zip(&whole).any(|(broken, whole)| *broken < whole - 0.2));
}

#[test]
fn what_makes_no_sense_is_said() {
    for (json, said) in [
        (r#"{"kind":"streaks","apart":-1}"#, "lengths"),
        (r#"{"kind":"streaks","stray":2}"#, "between 0 and 1"),
        (r#"{"kind":"dust","slope":0}"#, "slope"),
        (r#"{"kind":"dust","wind":-0.1}"#, "between 0 and 1"),
        (r#"{"kind":"dust","rays":0}"#, "rays"),
        (r#"{"kind":"waterline","splash":-1}"#, "lengths"),
        (r#"{"kind":"wear","broken":1.5}"#, "between 0 and 1"),
    ] {
        let problem = source(json).problem();
        assert!(problem.as_ref().is_some_and(|words| words.contains(said)), "{json}: {problem:?}");
    }
    let inputs = selected(vec![wall(2)], vec![], Placement::Vertex);
    for name in ["", "Source", "Other"] {
        let json = format!(r#"{{"kind":"streaks","from":"{name}"}}"#);
        let made = made_of(&source(&json), &inputs);
        assert!(made.is_err(), "{name}");
    }
}
