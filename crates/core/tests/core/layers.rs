//! Models cut into layers, and the order of their swatches, against formulas and all orders.

use std::f64::consts::PI;

use glam::{Affine3A, Quat, Vec3};
use proptest::prelude::*;
use speckle_mesh::{
    Geometry, Mesh, Unit, UpAxis,
    slice::{Outline, Slicer},
};
use speckle_tools::{
    bake::watch::Watch,
    layers::{
        Body, Counted, Inside, LayerError, Range, Rules, best_order, changes, count, to_plate,
    },
};

use crate::{
    bunny::{bunny, reference},
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

fn cut(mesh: &Mesh, heights: &[f64]) -> Vec<Vec<Outline>> {
    let geometry = Geometry::new(mesh.clone());
    Slicer::new(&geometry, &Affine3A::IDENTITY).cut(heights)
}

fn area(outlines: &[Outline]) -> f64 {
    outlines.iter().map(Outline::area).sum()
}

/// A profile (radius by height) turned about z, closed at both ends.
pub fn turned(rings: usize, around: usize, profile: impl Fn(f32) -> (f32, f32)) -> Mesh {
    let mut positions = Vec::new();
    for ring in 0..=rings {
        let (r, z) = profile(ring as f32 / rings as f32);
        for i in 0..around {
            let (sin, cos) = (std::f32::consts::TAU * i as f32 / around as f32).sin_cos();
            positions.push(Vec3::new(r * cos, r * sin, z));
        }
    }
    let at = |ring: usize, i: usize| (ring * around + i % around) as u32;
    let mut faces = Vec::new();
    for ring in 0..rings {
        for i in 0..around {
            faces.push(vec![at(ring, i), at(ring, i + 1), at(ring + 1, i + 1), at(ring + 1, i)]);
        }
    }
    faces.push((0..around).rev().map(|i| at(0, i)).collect());
    faces.push((0..around).map(|i| at(rings, i)).collect());
    polygons(positions, &faces)
}

fn torus(around: usize, across: usize, large: f32, small: f32) -> Mesh {
    let place = |i: usize, j: usize| {
        let (u, v) = [(i, around), (j, across)]
            .map(|(k, n)| std::f32::consts::TAU * k as f32 / n as f32)
            .into();
        let r: f32 = large + small * f32::cos(v);
        Vec3::new(r * f32::cos(u), r * f32::sin(u), small * f32::sin(v))
    };
    let positions = (0..around).flat_map(|i| (0..across).map(move |j| place(i, j))).collect();
    let at = |i: usize, j: usize| (i % around * across + j % across) as u32;
    let faces: Vec<Vec<u32>> = (0..around)
        .flat_map(|i| (0..across).map(move |j| (i, j)))
        .map(|(i, j)| vec![at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)])
        .collect();
    polygons(positions, &faces)
}

/// Sections of solids by their formulas: a cone, a sphere, a torus, within a thousandth.
#[test]
fn sections_have_the_areas_and_lengths_of_their_formulas() {
    let many = 720;
    let cone = turned(8, many, |t| (2.0 - 1.5 * t, 3.0 * t));
    let heights: Vec<f64> = (0..40).map(|i| 0.03 + 0.073 * f64::from(i)).collect();
    for (outlines, z) in cut(&cone, &heights).iter().zip(&heights) {
        let r = 2.0 - 0.5 * z;
        assert_eq!(outlines.len(), 1);
        assert!((area(outlines) / (PI * r * r) - 1.0).abs() < 1e-3, "{z}");
        assert!((outlines[0].length() / (2.0 * PI * r) - 1.0).abs() < 1e-3, "{z}");
    }
    let sphere = ball(400, 400);
    let heights: Vec<f64> = (0..39).map(|i| -0.95 + 0.05 * f64::from(i)).collect();
    for (outlines, z) in cut(&sphere, &heights).iter().zip(&heights) {
        assert!((area(outlines) / (PI * (1.0 - z * z)) - 1.0).abs() < 1e-3, "{z}");
    }
    let ring = torus(500, 240, 3.0, 1.0);
    let heights: Vec<f64> = (0..19).map(|i| -0.9 + 0.1 * f64::from(i)).collect();
    for (outlines, z) in cut(&ring, &heights).iter().zip(&heights) {
        // Two circles, 3 ± √(1 − z²).
        assert_eq!(outlines.len(), 2);
        let wanted = 4.0 * PI * 3.0 * (1.0 - z * z).sqrt();
        assert!((area(outlines) / wanted - 1.0).abs() < 1e-3, "{z}");
        assert!(outlines.iter().any(|outline| outline.area() < 0.0), "one goes around the hole");
    }
}

#[test]
fn shells_within_shells_are_hollow() {
    let inner = ball(60, 80).moved(|p| p * 0.6, |n| n).unwrap().turned_over().0;
    let hollow = Mesh::new(beside(arrays_of(&ball(60, 80)), arrays_of(&inner))).unwrap();
    let [outlines] = cut(&hollow, &[0.1]).try_into().unwrap();
    assert_eq!(outlines.len(), 2);
    let wanted = PI * ((1.0 - 0.01) - (0.36 - 0.01));
    assert!((area(&outlines) / wanted - 1.0).abs() < 5e-3);
}

/// Whatever lies on a plane, outlines close: all small lattices of solids at all heights of their vertices.
#[test]
fn what_lies_on_a_plane_is_cut_once() {
    let cube: Vec<Vec<u32>> =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]
            .map(|face| face.to_vec())
            .to_vec();
    // Each of the four upper corners at one of three heights, each of the lower ones at one of two.
    for code in 0..3_u32.pow(4) * 16 {
        let (upper, lower) = (code / 16, code % 16);
        let at = |v: u32| {
            let (x, y) = ((v & 1) as f32, (v >> 1 & 1) as f32);
            let corner = v & 3;
            let z = match v >> 2 {
                0 => (lower >> corner & 1) as f32 * 0.5,
                _ => 1.0 + (upper / 3_u32.pow(corner) % 3) as f32 * 0.5,
            };
            Vec3::new(x, y, z)
        };
        let mesh = polygons((0..8).map(at).collect(), &cube);
        let heights: Vec<f64> = (0..=8).map(|i| f64::from(i) * 0.25).collect();
        for (outlines, z) in cut(&mesh, &heights).iter().zip(&heights) {
            assert!(outlines.iter().all(|outline| outline.is_closed), "{code} at {z}");
            let own = area(outlines);
            assert!((-1e-9..=1.0 + 1e-9).contains(&own), "{code} at {z}: {own}");
            // All of it between the lower and the upper corners.
            assert!(!(0.51..=1.0).contains(z) || (own - 1.0).abs() < 1e-9, "{code} at {z}: {own}");
        }
    }
}

#[test]
fn what_is_open_is_told_and_a_flat_sheet_is_nothing() {
    let mut faces = arrays_of(&turned(4, 20, |t| (1.0, t)));
    faces.face_starts.pop();
    faces.corner_vertices.truncate(*faces.face_starts.last().unwrap() as usize);
    let tube = Mesh::new(faces).unwrap();
    assert!(cut(&tube, &[0.3])[0].iter().all(|outline| outline.is_closed), "a lid is no wall");
    // One of its walls is gone.
    let mut less = arrays_of(&tube);
    less.face_starts.remove(1);
    less.face_starts.iter_mut().skip(1).for_each(|start| *start -= 4);
    less.corner_vertices.drain(..4);
    let outlines = &cut(&Mesh::new(less).unwrap(), &[0.1])[0];
    assert_eq!(outlines.len(), 1);
    assert!(!outlines[0].is_closed && outlines[0].points.len() == outlines[0].faces.len() + 1);
    assert!(cut(&Mesh::new(sheet(3, 0.0)).unwrap(), &[0.0, 0.1]).iter().all(Vec::is_empty));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Any turn of any mesh at any height: outlines close, run along the surface, and their areas over all
    /// heights sum to the volume (Cavalieri).
    #[test]
    fn layers_sum_to_the_volume(
        x in -3.0_f32..3.0, y in -3.0_f32..3.0, is_bunny in any::<bool>(), layers in 150_usize..260,
    ) {
        let geometry = if is_bunny { bunny() } else { Geometry::new(ball(17, 23)) };
        prop_assume!(geometry.topology().is_watertight());
        let turn = Affine3A::from_quat(Quat::from_rotation_x(x) * Quat::from_rotation_y(y));
        let slicer = Slicer::new(&geometry, &turn);
        let (low, high) = slicer.range().unwrap();
        let step = (high - low) / layers as f64;
        let heights: Vec<f64> = (0..layers).map(|i| low + (i as f64 + 0.5) * step).collect();
        let cut = slicer.cut(&heights);
        prop_assert!(cut.iter().flatten().all(|outline| outline.is_closed));
        let sum: f64 = cut.iter().map(|outlines| area(outlines)).sum::<f64>() * step;
        let volume = geometry.measures().volume.abs();
        prop_assert!((sum / volume - 1.0).abs() < 5e-3, "{} of {}", sum, volume);
    }

    /// The best order is the best of all orders.
    #[test]
    fn the_best_order_is_that_of_all_orders(
        layers in prop::collection::vec(prop::collection::btree_set(0_u8..5, 0..4), 1..5),
        costs in prop::collection::vec(0.1_f64..9.0, 25),
    ) {
        let layers: Vec<Vec<u8>> = layers.into_iter().map(|set| set.into_iter().collect()).collect();
        let cost = |a: u8, b: u8| costs[usize::from(a) * 5 + usize::from(b)];
        let whole = |orders: &[Vec<u8>]| -> f64 {
            let flat: Vec<u8> = orders.iter().flatten().copied().collect();
            let pairs = flat.windows(2).filter(|pair| pair[0] != pair[1]);
            pairs.map(|pair| cost(pair[0], pair[1])).sum()
        };
        let best = best_order(&layers, &cost);
        for (order, layer) in best.iter().zip(&layers) {
            let mut sorted = order.clone();
            sorted.sort_unstable();
            prop_assert_eq!(&sorted, layer);
        }
        let mut least = f64::MAX;
        let mut chosen = Vec::new();
        each_order(&layers, &mut chosen, &mut |orders| least = least.min(whole(orders)));
        prop_assert!((whole(&best) - least).abs() < 1e-9, "{} for {}", whole(&best), least);
    }
}

/// Calls with every order of every layer.
fn each_order(layers: &[Vec<u8>], chosen: &mut Vec<Vec<u8>>, call: &mut impl FnMut(&[Vec<u8>])) {
    let Some(layer) = layers.get(chosen.len()) else { return call(chosen) };
    let mut orders = vec![Vec::new()];
    for _ in 0..layer.len() {
        orders = orders
            .into_iter()
            .flat_map(|order: Vec<u8>| {
                let free = layer.iter().filter(|swatch| !order.contains(swatch)).copied();
                free.map(|swatch| [order.as_slice(), &[swatch]].concat()).collect::<Vec<_>>()
            })
            .collect();
    }
    for order in orders {
        chosen.push(order);
        each_order(layers, chosen, call);
        chosen.pop();
    }
}

pub const FINE: Rules = Rules { layer: 0.2, first: 0.2, line: 0.4, depth: 1.0, ranges: Vec::new() };

pub fn counted(mesh: &Mesh, of_faces: &[u8], rules: &Rules) -> Counted {
    let geometry = Geometry::new(mesh.clone());
    let to_plate = Affine3A::IDENTITY;
    let body = Body { geometry: &geometry, to_plate, of_faces };
    count(&[body], rules, &Watch::default()).unwrap()
}

/// A tower of three bands needs a change at each of two borders where the bands go right through; painted
/// on the outside only, the painted band has two swatches in each of its layers, and with the best order one
/// change in each (common practice, no source).
#[test]
fn a_band_through_a_tower_costs_two_changes_and_a_painted_shell_one_a_layer() {
    let tower = turned(30, 60, |t| (10.0, 30.0 * t));
    let band = |face: usize| u8::from((10.0..20.0).contains(&tower.face_centroid(face).z));
    let of_faces: Vec<u8> = (0..tower.face_count()).map(band).collect();
    let counted = counted(&tower, &of_faces, &FINE);
    let through = counted.plan(Inside::Nearest);
    assert_eq!(through.layers.len(), 150);
    assert_eq!(through.changes, 2);
    assert!(through.layers.iter().all(|layer| layer.swatches.len() == 1));
    let shell = counted.plan(Inside::Swatch { swatch: 0 });
    let both = shell.layers.iter().filter(|layer| layer.swatches.len() == 2).count();
    assert_eq!(both, 50);
    assert_eq!(shell.changes, 50, "one in each layer, the first of them after the base below");
    // Each in the same order would be two a layer, but for the ends.
    let same = shell
        .layers
        .iter()
        .map(|layer| layer.swatches.iter().map(|(swatch, _)| *swatch).collect::<Vec<u8>>());
    let same: Vec<Vec<u8>> = same.collect();
    assert_eq!(changes(same.iter().map(Vec::as_slice)), 100);
    // π (10² − 9²) of the shell's 50 layers, on a grid of 0.2.
    let [(_, base), (_, painted)] = shell.volumes()[..] else { panic!("two swatches") };
    let wanted = PI * 19.0 * 10.0;
    assert!((painted / wanted - 1.0).abs() < 0.02, "{painted} of {wanted}");
    assert!(((base + painted) / (PI * 3000.0) - 1.0).abs() < 3e-3);
    for layer in &shell.layers {
        let sum: f64 = layer.swatches.iter().map(|(_, area)| area).sum();
        assert!((sum / layer.area - 1.0).abs() < 1e-6);
    }
}

/// Finer layers where a band is painted: as many as go in, one change in each, the borders of the band met,
/// and the volumes by formula.
#[test]
fn layers_are_as_high_as_ranges_say() {
    let tower = turned(30, 60, |t| (10.0, 30.0 * t));
    let band = |face: usize| u8::from((10.0..20.0).contains(&tower.face_centroid(face).z));
    let of_faces: Vec<u8> = (0..tower.face_count()).map(band).collect();
    let shell = |ranges: Vec<Range>| {
        let rules = Rules { ranges, ..FINE };
        counted(&tower, &of_faces, &rules).plan(Inside::Swatch { swatch: 0 })
    };
    let range = |from, to, layer| Range { from, to, layer };
    for (ranges, layers, changes) in [
        (vec![range(10.0, 20.0, 0.1)], 200, 100),
        (vec![range(10.0, 20.0, 0.4)], 125, 25),
        // The first of two says it where they overlap.
        (vec![range(10.0, 15.0, 0.1), range(0.0, 20.0, 0.4)], 1 + 25 + 50 + 12 + 1 + 50, 50 + 13),
    ] {
        let plan = shell(ranges.clone());
        assert!(plan.layers.len().abs_diff(layers) <= 1, "{} {ranges:?}", plan.layers.len());
        assert!(plan.changes.abs_diff(changes) <= 1, "{} {ranges:?}", plan.changes);
        for border in [10.0, 20.0] {
            assert!(plan.layers.iter().any(|layer| (layer.bottom - border).abs() < 1e-9));
        }
        let all: f64 = plan.volumes().iter().map(|(_, volume)| volume).sum();
        assert!((all / (PI * 3000.0) - 1.0).abs() < 3e-3, "{all}");
    }
    // A range that begins within a layer ends that layer there, where half of it is left.
    let plan = shell(vec![range(10.15, 12.0, 0.05)]);
    let at = plan.layers.iter().position(|layer| (layer.bottom - 10.15).abs() < 1e-9).unwrap();
    assert!((plan.layers[at - 1].height - 0.15).abs() < 1e-9);
    assert!((plan.layers[at].height - 0.05).abs() < 1e-9);
}

proptest! {
    /// Whatever ranges say, layers lie on one another from the plate to the top.
    #[test]
    fn layers_lie_on_one_another(
        height in 0.3_f32..20.0,
        given in proptest::collection::vec((0.0_f64..20.0, 0.01_f64..9.0, 0.04_f64..0.7), 0..6),
    ) {
        let tower = turned(3, 8, |t| (4.0, height * t));
        let of_faces = vec![0; tower.face_count()];
        let ranges = given.iter().map(|&(from, long, layer)| Range { from, to: from + long, layer });
        let rules = Rules { ranges: ranges.collect(), line: 2.0, ..FINE };
        let plan = counted(&tower, &of_faces, &rules).plan(Inside::Nearest);
        let mut top = 0.0;
        for layer in &plan.layers {
            prop_assert!((layer.bottom - top).abs() < 1e-9);
            prop_assert!(layer.height > 0.0 && layer.height < 1.06);
            top = layer.bottom + layer.height;
        }
        let highest = given.iter().map(|own| own.2).fold(0.2, f64::max);
        prop_assert!((top - f64::from(height)).abs() <= highest / 2.0 + 1e-4, "{top} of {height}");
    }
}

#[test]
fn what_cannot_be_cut_is_said() {
    let tower = turned(3, 12, |t| (1.0, t));
    let geometry = Geometry::new(tower.clone());
    let of_faces = vec![0; tower.face_count()];
    let told = |rules: Rules| {
        let to_plate = Affine3A::IDENTITY;
        let body = Body { geometry: &geometry, to_plate, of_faces: &of_faces };
        count(&[body], &rules, &Watch::default()).unwrap_err()
    };
    assert_eq!(told(Rules { layer: 0.0, ..FINE }), LayerError::Unsound);
    assert_eq!(told(Rules { line: f64::NAN, ..FINE }), LayerError::Unsound);
    assert_eq!(told(Rules { depth: -1.0, ..FINE }), LayerError::Unsound);
    assert!(matches!(told(Rules { layer: 1e-6, ..FINE }), LayerError::TooMany(_)));
    for (from, to, layer) in
        [(1.0, 1.0, 0.1), (-1.0, 1.0, 0.1), (0.0, 1.0, 0.0), (0.0, f64::NAN, 0.1)]
    {
        let ranges = vec![Range { from, to, layer }];
        assert_eq!(told(Rules { ranges, ..FINE }), LayerError::Ranges);
    }
    let ranges = vec![Range { from: 0.3, to: 1.0, layer: 1e-7 }];
    assert!(matches!(told(Rules { ranges, ..FINE }), LayerError::TooMany(_)));
    assert_eq!(count(&[], &FINE, &Watch::default()).unwrap_err(), LayerError::Nothing);
    let watch = Watch::default();
    watch.give_up();
    let to_plate = Affine3A::IDENTITY;
    let body = Body { geometry: &geometry, to_plate, of_faces: &of_faces };
    assert_eq!(count(&[body], &FINE, &watch).unwrap_err(), LayerError::GivenUp);
}

/// Two towers that stand in each other are one, and it is told.
#[test]
fn bodies_within_each_other_count_once() {
    let tower = turned(3, 64, |t| (5.0, 4.0 * t));
    let beside_it = tower.moved(|p| p + Vec3::X * 5.0, |n| n).unwrap();
    let both = Mesh::new(beside(arrays_of(&tower), arrays_of(&beside_it))).unwrap();
    let rules = Rules { line: 0.1, ..FINE };
    let plan = counted(&both, &vec![0; both.face_count()], &rules).plan(Inside::Nearest);
    assert_eq!(plan.overlapping, plan.layers.len());
    // Two circles of radius r a radius apart: 2 π r² less a lens of r² (2π/3 − √3/2).
    let wanted = 25.0 * (2.0 * PI - (2.0 * PI / 3.0 - 3.0_f64.sqrt() / 2.0));
    assert!((plan.layers[5].area / wanted - 1.0).abs() < 5e-3, "{}", plan.layers[5].area);
}

/// Sections of the bunny across its height, by PyPI `trimesh` (`reference/bunny.py`): their areas, and how long
/// their outlines are.
#[test]
fn sections_of_the_bunny_are_those_of_trimesh() {
    let geometry = bunny();
    let sections = reference()["sections"].as_array().unwrap().clone();
    let number = |section: &serde_json::Value, key: &str| section[key].as_f64().unwrap();
    let heights: Vec<f64> = sections.iter().map(|section| number(section, "height")).collect();
    let upright = to_plate(Unit::Millimetre, UpAxis::Y);
    let cut = Slicer::new(&geometry, &upright).cut(&heights);
    assert_eq!(cut.len(), 12);
    for (outlines, section) in cut.iter().zip(&sections) {
        assert!(outlines.iter().all(|outline| outline.is_closed));
        let length: f64 = outlines.iter().map(Outline::length).sum();
        for (ours, theirs) in
            [(area(outlines), number(section, "area")), (length, number(section, "length"))]
        {
            assert!((ours / theirs - 1.0).abs() < 1e-5, "{ours} where trimesh has {theirs}");
        }
    }
}
