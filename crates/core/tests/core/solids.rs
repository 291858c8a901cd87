//! Bodies to be printed whole: volumes, areas and walls by their formulas.

use glam::Vec3;
use proptest::prelude::*;
use speckle_core::{Document, Edit, PartEdit};
use speckle_mesh::{Geometry, Mesh, Transform};
use speckle_model::{NewPart, Part};
use speckle_tools::{
    bake::watch::Watch,
    hollows::hollows,
    solid::{SolidTold, Wanted, measured, piece_volumes},
};

use crate::{
    bunny::{bunny, reference},
    causes::pipe,
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

fn part(mesh: Mesh) -> Part {
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Body", mesh, Vec::new())])).unwrap();
    document.parts()[0].clone()
}

fn told(part: &Part, mm: f64, least: f64) -> SolidTold {
    measured(part, mm, &Wanted { wall: least, drain: 2.0 }, &Watch::default()).unwrap().unwrap()
}

fn plate(size: Vec3) -> Mesh {
    let at = |i: usize| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2 & 1) as f32) * size;
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let faces: Vec<Vec<u32>> = faces.iter().map(|face| face.to_vec()).collect();
    polygons((0..8).map(at).collect(), &faces)
}

/// A tube's wall is the difference of its radii, its volume π (R² − r²) h; of many sides within a thousandth.
#[test]
fn the_wall_of_a_tube_is_the_difference_of_its_radii() {
    let tube = part(pipe(40, 360, 10.0, 8.5, 30.0));
    let all = told(&tube, 1.0, 1.4);
    assert!(all.watertight && all.trapped == 0);
    assert!((all.thinnest.unwrap() - 1.5).abs() < 1.5e-3, "{all:?}");
    assert_eq!(all.thin, 0.0);
    let volume = std::f64::consts::PI * (100.0 - 72.25) * 30.0;
    assert!((all.volume / volume - 1.0).abs() < 1e-3, "{all:?}");
    // Twice as large, and thinner than is wanted on both of its walls, though not at its ends.
    let twice = told(&tube, 2.0, 3.1);
    assert!((twice.thinnest.unwrap() - 3.0).abs() < 3e-3);
    assert!((twice.volume / (8.0 * volume) - 1.0).abs() < 1e-3);
    let walls = std::f64::consts::TAU * 18.5 * 30.0;
    let ends = std::f64::consts::TAU * (100.0 - 72.25);
    assert!((twice.thin - walls / (walls + ends)).abs() < 5e-3, "{}", twice.thin);
}

/// A plate is as thick as it is, by its transform too; a ball is as thick as its diameter everywhere.
#[test]
fn plates_and_balls_are_as_thick_as_they_are() {
    let slab = part(plate(Vec3::new(30.0, 20.0, 1.2)));
    let all = told(&slab, 1.0, 1.0);
    assert!((all.thinnest.unwrap() - 1.2).abs() < 1e-5);
    assert!((all.volume - 720.0).abs() < 1e-3 && (all.area - 1320.0).abs() < 1e-3);
    assert_eq!(all.size.map(|x| (x * 1e4).round() / 1e4), [30.0, 20.0, 1.2]);
    let mut document = Document::default();
    let mesh = plate(Vec3::new(30.0, 20.0, 1.2));
    document.apply(Edit::bring_in(vec![NewPart::new("Slab", mesh, Vec::new())])).unwrap();
    let transform = Transform {
        rotation_degrees: Vec3::new(30.0, 40.0, 50.0),
        scale: Vec3::new(-1.0, 1.0, 2.0),
        ..Transform::IDENTITY
    };
    let id = document.parts()[0].id;
    document.apply(PartEdit::PlacePart { part: id, transform }).unwrap();
    let turned = told(&document.parts()[0], 1.0, 1.0);
    assert!((turned.thinnest.unwrap() - 2.4).abs() < 1e-3, "{turned:?}");
    assert!((turned.volume - 1440.0).abs() < 0.1, "mirrored, and still outside out");
    let ball = part(ball(40, 80));
    let all = told(&ball, 1.0, 0.5);
    assert!((all.thinnest.unwrap() / 2.0 - 1.0).abs() < 0.01, "{all:?}");
}

/// What lies within is told as trapped, what is open as open, what is inside out by its volume.
#[test]
fn what_is_trapped_open_or_inside_out_is_told() {
    let outer = plate(Vec3::splat(10.0));
    let hollow = plate(Vec3::splat(4.0)).moved(|p| p + Vec3::splat(3.0), |n| n).unwrap();
    let (hollow, _) = hollow.turned_over();
    let both = Mesh::new(beside(arrays_of(&outer), arrays_of(&hollow))).unwrap();
    let all = told(&part(both), 1.0, 1.0);
    assert_eq!((all.trapped, all.hollows.len(), all.hollows[0].way_out), (1, 1, None));
    assert!((all.hollows[0].volume / 64.0 - 1.0).abs() < 0.1, "{all:?}");
    assert!((all.trapped_volume - 64.0).abs() < 1e-3 && (all.volume - 936.0).abs() < 1e-2);
    assert!((all.thinnest.unwrap() - 3.0).abs() < 1e-4);
    let open = told(&part(Mesh::new(sheet(4, 0.0)).unwrap()), 1.0, 1.0);
    assert!(!open.watertight && open.thinnest.is_none());
    let (inside_out, _) = plate(Vec3::ONE).turned_over();
    assert!(told(&part(inside_out), 1.0, 1.0).volume < 0.0);
    let watch = Watch::default();
    watch.give_up();
    let wanted = Wanted { wall: 1.0, drain: 1.0 };
    assert!(measured(&part(plate(Vec3::ONE)), 1.0, &wanted, &watch).unwrap().is_err());
}

/// What a bureau asks for goes by the volume and the area of the real thing: those of the bunny, twice as large,
/// by PyPI `trimesh` (`reference/bunny.py`).
#[test]
fn the_volume_of_the_bunny_is_that_of_trimesh() {
    let bunny = part(bunny().mesh().clone());
    let found = told(&bunny, 2.0, 0.0);
    let reference = reference();
    let number = |key: &str| reference[key].as_f64().unwrap();
    assert!((found.volume / (8.0 * number("volume")) - 1.0).abs() < 1e-4, "{}", found.volume);
    assert!((found.area / (4.0 * number("area")) - 1.0).abs() < 1e-4, "{}", found.area);
}

/// Two plates that lie 0.8 apart are 2 thick and leave a gap of 0.8; a ball leaves none; a tube's inside is a gap
/// as wide as its bore.
#[test]
fn gaps_are_as_narrow_as_what_lies_opposite_outside() {
    let size = Vec3::new(30.0, 20.0, 2.0);
    let upper = plate(size).moved(|p| p + Vec3::Z * 2.8, |n| n).unwrap();
    let both = Mesh::new(beside(arrays_of(&plate(size)), arrays_of(&upper))).unwrap();
    let found = told(&part(both), 1.0, 0.5);
    assert!((found.narrowest.unwrap() - 0.8).abs() < 1e-3, "{:?}", found.narrowest);
    assert!((found.thinnest.unwrap() - 2.0).abs() < 1e-3, "{:?}", found.thinnest);
    assert_eq!(told(&part(ball(12, 20)), 1.0, 0.5).narrowest, None);
    let tube = told(&part(pipe(20, 180, 5.0, 4.0, 20.0)), 2.0, 0.5);
    assert!((tube.narrowest.unwrap() / 16.0 - 1.0).abs() < 0.01, "{:?}", tube.narrowest);
}

/// A ball with a bore into it, as a solid of revolution about y: outside radius `outer`, inside `inner`, and an open
/// neck of radius `neck` (0 for none) at the top. Its points follow the half circle that is turned.
fn flask(outer: f32, inner: f32, neck: f32, around: u32) -> Mesh {
    let steps = 90;
    let mut profile = Vec::new();
    let top = |radius: f32| (neck / radius).asin();
    let arc = |radius: f32, from: f32, to: f32| {
        (0..=steps).map(move |step| {
            let angle = from + (to - from) * step as f32 / steps as f32;
            (radius * angle.sin(), radius * angle.cos())
        })
    };
    let pi = std::f32::consts::PI;
    profile.extend(arc(inner, pi, top(inner)));
    profile.extend(arc(outer, top(outer), pi));
    turned(&profile, around)
}

/// A profile of (radius, height), which runs up within and down outside, turned about y.
fn turned(profile: &[(f32, f32)], around: u32) -> Mesh {
    let (mut points, mut faces) = (Vec::new(), Vec::new());
    let mut rings: Vec<Vec<u32>> = Vec::new();
    for &(radius, y) in profile {
        let first = points.len() as u32;
        let count = if radius.abs() < 1e-4 { 1 } else { around };
        for i in 0..count {
            let angle = std::f32::consts::TAU * i as f32 / around as f32;
            let radius = if count == 1 { 0.0 } else { radius };
            points.push(Vec3::new(radius * angle.cos(), y, radius * angle.sin()));
        }
        rings.push((first..first + count).collect());
    }
    for pair in rings.windows(2) {
        let (low, high) = (&pair[0], &pair[1]);
        for i in 0..around as usize {
            let j = (i + 1) % around as usize;
            let at = |ring: &Vec<u32>, i: usize| ring[i % ring.len()];
            let mut face = vec![at(low, i), at(low, j), at(high, j), at(high, i)];
            face.dedup();
            if face.first() == face.last() {
                face.pop();
            }
            if face.len() >= 3 {
                faces.push(face);
            }
        }
    }
    polygons(points, &faces)
}

/// What is in a ball of radius 8 within one of 10 gets out through a neck as wide as it was made; it holds
/// 4/3 π r³, less what lies above the neck.
#[test]
fn a_hollow_drains_through_a_way_as_wide_as_its_neck() {
    let told = |neck: f32, drain: f64| {
        let flask = part(flask(10.0, 8.0, neck, 96));
        let baked = flask.baked().unwrap();
        assert!(baked.geometry.topology().is_watertight());
        hollows(&baked.geometry, 1.0, drain, &Watch::default()).unwrap()
    };
    for neck in [0.6, 1.0, 1.7] {
        let found = told(neck, 4.0);
        let [hollow] = found.as_slice() else { panic!("{found:?}") };
        let way_out = hollow.way_out.unwrap();
        assert!((way_out / f64::from(2.0 * neck) - 1.0).abs() < 0.01, "{neck}: {hollow:?}");
        let [x, y, z] = hollow.place;
        assert!(x.hypot(z) < 0.1 && (7.7..10.0).contains(&y), "{hollow:?}");
        let holds = 4.0 / 3.0 * std::f64::consts::PI * 512.0;
        assert!((hollow.volume / holds - 1.0).abs() < 0.05, "{hollow:?}");
        // One that is no wider than it has to be.
        assert_eq!(told(neck, f64::from(2.0 * neck) * 0.97), []);
    }
    // Without a neck there is no way out.
    let closed = told(0.0, 2.0);
    let [hollow] = closed.as_slice() else { panic!("{closed:?}") };
    assert_eq!(hollow.way_out, None);
    assert!(Vec3::from_array(hollow.place).length() < 0.1, "{hollow:?}");
}

/// Where nothing is hollow nothing is told: a ball, a slab, a tube that is open at both ends, the bunny.
#[test]
fn what_is_not_hollow_is_not_told_to_be() {
    let tube = pipe(40, 120, 10.0, 8.5, 30.0);
    for mesh in [ball(40, 80), plate(Vec3::new(30.0, 20.0, 1.2)), tube, bunny().mesh().clone()] {
        let found = told(&part(mesh), 1.0, 1.0);
        assert_eq!(found.hollows, []);
    }
    // What is open encloses nothing.
    assert_eq!(told(&part(Mesh::new(sheet(4, 0.0)).unwrap()), 1.0, 1.0).hollows, []);
}

/// Two boxes that stand in each other are one body: what lies within is no wall and no gap. A block of 10 with a post of
/// 4 that goes 1 deep into it is 4 thick at the least, and the post's foot is not 1 below the block's top.
#[test]
fn walls_are_those_of_what_pieces_make_together() {
    let block = plate(Vec3::new(10.0, 10.0, 10.0));
    let post =
        plate(Vec3::new(4.0, 4.0, 9.0)).moved(|p| p + Vec3::new(3.0, 3.0, 9.0), |n| n).unwrap();
    let both = Mesh::new(beside(arrays_of(&block), arrays_of(&post))).unwrap();
    let found = told(&part(both), 1.0, 2.0);
    assert!((found.thinnest.unwrap() - 4.0).abs() < 1e-3, "{found:?}");
    assert_eq!((found.thin, found.trapped), (0.0, 0));
}

/// A face that is not flat has its middle off its own triangles: that is no wall.
#[test]
fn faces_that_are_not_flat_are_no_walls() {
    let (size, lift) = (10.0, 0.4);
    let at = |i: usize| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32) * size;
    let mut points: Vec<Vec3> = (0..8).map(at).collect();
    // One corner of the top is higher: its four corners lie in no plane.
    points[7].z += lift;
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let faces: Vec<Vec<u32>> = faces.iter().map(|face| face.to_vec()).collect();
    let found = told(&part(polygons(points, &faces)), 1.0, 5.0);
    assert!((found.thinnest.unwrap() - f64::from(size)).abs() < 0.2, "{found:?}");
    assert_eq!(found.thin, 0.0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    /// A ball with a shell within is hollow wherever it stands and however large it is: it holds what the shell
    /// encloses, and its middle is the shell's; without the shell nothing is.
    #[test]
    fn a_shell_within_is_a_hollow_of_its_volume(
        share in 0.4_f32..0.8, mm in 0.5_f64..20.0,
        at in prop::array::uniform3(-50.0_f32..50.0), off in -0.15_f32..0.15,
    ) {
        let at = Vec3::from_array(at);
        let outer = ball(18, 36).moved(|p| p * 10.0 + at, |n| n).unwrap();
        let middle = at + Vec3::X * off * 10.0;
        let inner = ball(18, 36).moved(|p| p * 10.0 * share + middle, |n| n).unwrap();
        let holds = piece_volumes(&Geometry::new(inner.clone()))[0] * mm.powi(3);
        let shell = Mesh::new(beside(arrays_of(&outer), arrays_of(&inner.turned_over().0))).unwrap();
        let watch = Watch::default();
        let drain = 2.0 * mm;
        let found = hollows(&Geometry::new(shell), mm, drain, &watch).unwrap();
        prop_assert_eq!(found.len(), 1);
        prop_assert!((found[0].volume / holds - 1.0).abs() < 0.06, "{:?} {holds}", found[0]);
        prop_assert!(Vec3::from_array(found[0].place).distance(middle) < 0.2);
        prop_assert_eq!(hollows(&Geometry::new(outer), mm, drain, &watch).unwrap(), vec![]);
        watch.give_up();
        prop_assert!(hollows(&Geometry::new(inner), mm, drain, &watch).is_err());
    }
}
