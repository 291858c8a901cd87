//! Colors carried from one surface to another: what is exact, what is averaged, what is lost.

use std::sync::Arc;

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{Encoding, Rgba, difference::ciede2000, srgb_from_linear};
use speckle_core::{ChannelEdit, Document, Edit, ReplaceEdit};
use speckle_mesh::{Mesh, Placement, Transform};
use speckle_model::{NewPart, NewSet, Part, Selection, color_set::ChannelTraits};
use speckle_tools::{
    bake::watch::Watch,
    transfer::{Along, Row, Rules, Source, Transferred, proposal, transfer},
};

use crate::common::{arrays_of, beside, polygons, sheet};

pub const ALL: [Placement; 3] = [Placement::Vertex, Placement::Corner, Placement::Face];

/// A point for each element: where its value is taken.
pub fn places(mesh: &Mesh, placement: Placement) -> Vec<Vec3> {
    match placement {
        Placement::Vertex => mesh.positions().to_vec(),
        Placement::Corner => (0..mesh.corner_count()).map(|c| mesh.corner_position(c)).collect(),
        Placement::Face => (0..mesh.face_count()).map(|f| mesh.face_centroid(f)).collect(),
    }
}

/// A set whose values follow from where they are.
pub fn coat(
    mesh: &Mesh,
    placement: Placement,
    encoding: Encoding,
    value: impl Fn(usize, Vec3) -> Rgba,
) -> NewSet {
    let places = places(mesh, placement);
    let values = places.into_iter().enumerate().map(|(i, p)| value(i, p)).collect();
    NewSet { name: "Coat".into(), placement, encoding, ground: [1.0; 4], values }
}

pub fn document(parts: Vec<NewPart>) -> Document {
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts)).unwrap();
    document
}

/// A part with one set of one value.
pub fn bare(mesh: &Mesh, placement: Placement, encoding: Encoding) -> Part {
    let set = coat(mesh, placement, encoding, |_, _| [1.0; 4]);
    part(mesh, set)
}

pub fn part(mesh: &Mesh, set: NewSet) -> Part {
    document(vec![NewPart::new("Sheet", mesh.clone(), vec![set])]).parts()[0].clone()
}

pub fn flat(n: u32) -> Mesh {
    Mesh::new(sheet(n, 0.0)).unwrap()
}

pub fn carried(to: &Part, from: &[&Part], rules: &Rules) -> Transferred {
    let sources: Vec<Source> = from.iter().map(|part| Source::of(part)).collect();
    transfer(to, &sources, rules, &Watch::default()).unwrap()
}

pub fn values(done: &Transferred) -> &[Rgba] {
    &done.colors[0].1.values
}

pub fn moved(mesh: &Mesh, to: impl Fn(Vec3) -> Vec3) -> Mesh {
    mesh.moved(to, |n| n).unwrap()
}

/// Any numbers, each by its element.
pub fn any_color(i: usize) -> Rgba {
    let x = (i as u32).wrapping_mul(2_654_435_769);
    [x & 255, x >> 8 & 255, x >> 16 & 255, 255].map(|x| x as f32 / 255.0)
}

#[test]
fn a_part_gives_its_twin_every_bit_whatever_values_belong_to() {
    let mesh = flat(6);
    for placement in ALL {
        let from = part(&mesh, coat(&mesh, placement, Encoding::Color, |i, _| any_color(i)));
        let to = bare(&mesh, placement, Encoding::Color);
        let done = carried(&to, &[&from], &Rules::default());
        assert!(values(&done) == from.sets[0].values.as_slice(), "{placement:?}");
        assert_eq!((done.report.lost, done.report.vertices), (0, 49));
        assert_eq!(done.report.sets[0].of, placement.count(&mesh));
    }
}

/// Between the values of a coarser source everything is linear (barycentric coordinates; Möbius 1827),
/// so what is linear over the sheet stays so.
#[test]
fn a_ramp_on_a_coarser_source_stays_a_ramp() {
    let ramp = |_: usize, p: Vec3| [(p.x + 1.0) / 2.0, (p.y + 1.0) / 2.0, 0.25, 1.0];
    let (coarse, fine) = (flat(5), flat(23));
    let from = part(&coarse, coat(&coarse, Placement::Vertex, Encoding::Data, ramp));
    for placement in ALL {
        let to = bare(&fine, placement, Encoding::Data);
        let done = carried(&to, &[&from], &Rules::default());
        for (value, at) in values(&done).iter().zip(places(&fine, placement)) {
            let wanted = ramp(0, at);
            let off = (0..4).map(|i| (value[i] - wanted[i]).abs()).fold(0.0, f32::max);
            assert!(off < 2e-5, "{placement:?} {at}: {value:?} for {wanted:?}");
        }
        assert_eq!(done.report.averaged, 0);
    }
}

/// Black and white in equal parts are half of the light, whatever the pattern (IEC 61966-2-1).
#[test]
fn a_checker_as_fine_as_the_source_becomes_its_mean_and_no_other_pattern() {
    let fine = flat(180);
    let checker = |i: usize, _: Vec3| {
        let is_white = (i % 181 + i / 181).is_multiple_of(2);
        [f32::from(u8::from(is_white)); 3]
    };
    let with_alpha = |i: usize, p: Vec3| {
        let [r, g, b] = checker(i, p);
        [r, g, b, 1.0]
    };
    let from = part(&fine, coat(&fine, Placement::Vertex, Encoding::Color, with_alpha));
    // Of no common measure with the source's rows.
    let coarse = flat(17);
    let grey = srgb_from_linear(0.5);
    for (along, most) in [(Along::Nearest, 2.0), (Along::Normal, 8.0)] {
        let rules = Rules { along, ..Rules::default() };
        for placement in ALL {
            let to = bare(&coarse, placement, Encoding::Color);
            let done = carried(&to, &[&from], &rules);
            let inner = values(&done).iter().zip(places(&coarse, placement));
            for (value, at) in inner.filter(|(_, at)| at.abs().max_element() < 0.99) {
                let off = ciede2000(*value, [grey, grey, grey, 1.0]);
                assert!(off < most, "{along:?} {placement:?} {at}: {value:?}, ΔE {off}");
            }
            assert_eq!(done.report.averaged, 18 * 18);
        }
    }
}

/// Where the source's faces lie within the target's, the mean over the area is the mean of theirs.
#[test]
fn a_face_takes_the_mean_of_the_light_of_all_that_lies_in_it() {
    let (fine, coarse) = (flat(20), flat(4));
    let from = part(&fine, coat(&fine, Placement::Face, Encoding::Color, |i, _| any_color(i)));
    let to = bare(&coarse, Placement::Face, Encoding::Color);
    let done = carried(&to, &[&from], &Rules::default());
    for (face, value) in values(&done).iter().enumerate() {
        let (x, y) = (face % 4 * 5, face / 4 * 5);
        let own = (0..25).map(|i| from.sets[0].values[(y + i / 5) * 20 + x + i % 5]);
        let light = own.map(|v| speckle_color::linear_from_srgb(v[0])).sum::<f32>() / 25.0;
        assert!((value[0] - srgb_from_linear(light)).abs() < 1e-4, "face {face}");
    }
}

/// Two sheets back to back, a hair apart.
fn wall(n: u32, thick: f32) -> Mesh {
    let back = Mesh::new(sheet(n, -thick)).unwrap().turned_over().0;
    Mesh::new(beside(sheet(n, 0.0), arrays_of(&back))).unwrap()
}

#[test]
fn nothing_comes_through_a_thin_wall() {
    let (from, to) = (wall(9, 1e-3), wall(14, 1e-3));
    let sided = |mesh: &Mesh, placement| {
        coat(mesh, placement, Encoding::Color, |_, p| match p.z > -5e-4 {
            true => [0.9, 0.1, 0.1, 1.0],
            false => [0.1, 0.1, 0.9, 1.0],
        })
    };
    let source = part(&from, sided(&from, Placement::Vertex));
    // The target lies a little off, nearer to the wrong side of the source.
    let off = moved(&to, |p| p - Vec3::Z * 6e-4);
    for placement in ALL {
        let target = bare(&off, placement, Encoding::Color);
        let done = carried(&target, &[&source], &Rules::default());
        let wanted = sided(&to, placement).values;
        assert!(values(&done) == wanted.as_slice(), "{placement:?}");
    }
}

/// A box of n × n quads to a side, its vertices shared.
fn block(n: usize) -> Mesh {
    let mut positions: Vec<Vec3> = Vec::new();
    let mut faces = Vec::new();
    for axis in 0..3 {
        for side in [-1.0, 1.0] {
            let at = |i: usize, j: usize| {
                let [u, v] = [i, j].map(|k| 2.0 * k as f32 / n as f32 - 1.0);
                let mut point = Vec3::ZERO;
                point[axis] = side;
                point[(axis + 1) % 3] = u;
                point[(axis + 2) % 3] = v;
                point
            };
            for i in 0..n {
                for j in 0..n {
                    let mut quad = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
                    if side < 0.0 {
                        quad.reverse();
                    }
                    let mut number = |p: Vec3| {
                        let known = positions.iter().position(|q| q.distance(p) < 1e-4);
                        known.unwrap_or_else(|| {
                            positions.push(p);
                            positions.len() - 1
                        }) as u32
                    };
                    faces.push(quad.map(&mut number).to_vec());
                }
            }
        }
    }
    polygons(positions, &faces)
}

/// The color of the side that a place lies on.
fn of_side(p: Vec3) -> Rgba {
    let axis = (0..3).max_by(|&a, &b| p[a].abs().total_cmp(&p[b].abs())).unwrap();
    any_color(2 * axis + usize::from(p[axis] > 0.0))
}

#[test]
fn nothing_bleeds_across_an_edge() {
    let own_sides = |mesh: &Mesh, placement: Placement| {
        let per_face: Vec<Rgba> =
            (0..mesh.face_count()).map(|f| of_side(mesh.face_centroid(f))).collect();
        let per_corner = || {
            let of = |face: usize| mesh.face_corners(face).map(move |_| face);
            (0..mesh.face_count()).flat_map(of).map(|face| per_face[face]).collect()
        };
        if placement == Placement::Face { per_face.clone() } else { per_corner() }
    };
    for (n, m) in [(3, 10), (10, 3), (12, 7)] {
        let (from, to) = (block(n), block(m));
        for source in [Placement::Corner, Placement::Face] {
            let values_of = own_sides(&from, source);
            let set = coat(&from, source, Encoding::Color, |i, _| values_of[i]);
            let source_part = part(&from, set);
            for target in [Placement::Corner, Placement::Face] {
                let to_part = bare(&to, target, Encoding::Color);
                let done = carried(&to_part, &[&source_part], &Rules::default());
                let wanted = own_sides(&to, target);
                let wrong = values(&done).iter().zip(&wanted).filter(|(a, b)| a != b).count();
                assert_eq!(wrong, 0, "{n} to {m}, {source:?} to {target:?}");
            }
        }
    }
}

#[test]
fn corners_of_a_smooth_source_agree_at_each_point() {
    let wave = |p: Vec3| 0.5 + 0.4 * (3.0 * p.x).sin() * (2.0 * p.y).cos();
    for (n, m) in [(7, 19), (40, 9)] {
        let (from, to) = (flat(n), flat(m));
        let set = coat(&from, Placement::Vertex, Encoding::Data, |_, p| [wave(p); 4]);
        let target = bare(&to, Placement::Corner, Encoding::Data);
        let done = carried(&target, &[&part(&from, set)], &Rules::default());
        for corner in 0..to.corner_count() {
            let vertex = to.corner_vertices()[corner];
            let first = to.corner_vertices().iter().position(|&v| v == vertex).unwrap();
            assert_eq!(values(&done)[corner], values(&done)[first]);
        }
    }
}

#[test]
fn parts_meet_where_they_stand_however_they_are_placed() {
    let (from, to) = (block(9), block(5));
    let side = |mesh: &Mesh| {
        coat(mesh, Placement::Face, Encoding::Color, |i, _| of_side(mesh.face_centroid(i)))
    };
    let wanted = side(&to).values;
    let stands =
        |translation, rotation_degrees, scale| Transform { translation, rotation_degrees, scale };
    let turn = Vec3::new(20.0, -50.0, 70.0);
    for scale in [Vec3::splat(3.0), Vec3::new(3.0, 0.5, 1.5), Vec3::new(-2.0, 2.0, 2.0)] {
        let transform = stands(Vec3::new(5.0, -7.0, 2.0), turn, scale);
        let mut source = part(&from, side(&from));
        let mut target = bare(&to, Placement::Face, Encoding::Color);
        source.traits.transform = transform;
        target.traits.transform = transform;
        let done = carried(&target, &[&source], &Rules::default());
        assert!(values(&done) == wanted.as_slice(), "{scale}");
        // The same shape where it stands, as its own points.
        let baked = moved(&from, |p| transform.to_project().transform_point3(p));
        let baked = if transform.mirrors() { baked.turned_over().0 } else { baked };
        let set =
            coat(&baked, Placement::Face, Encoding::Color, |i, _| of_side(from.face_centroid(i)));
        let done = carried(&target, &[&part(&baked, set)], &Rules::default());
        assert!(values(&done) == wanted.as_slice(), "{scale} as its own points");
    }
}

#[test]
fn a_cage_takes_what_lies_outermost_and_the_nearest_what_lies_near() {
    let colored = |z: f32, color: Rgba| {
        let mesh = Mesh::new(sheet(4, z)).unwrap();
        part(&mesh, coat(&mesh, Placement::Vertex, Encoding::Color, |_, _| color))
    };
    let (low, high) = (colored(-0.1, [1.0, 0.0, 0.0, 1.0]), colored(0.3, [0.0, 0.0, 1.0, 1.0]));
    let both = Mesh::new(beside(sheet(4, -0.1), sheet(4, 0.3))).unwrap();
    let set = coat(&both, Placement::Vertex, Encoding::Color, |_, p| match p.z > 0.0 {
        true => [0.0, 0.0, 1.0, 1.0],
        false => [1.0, 0.0, 0.0, 1.0],
    });
    let two_sheets = part(&both, set);
    let target = bare(&flat(5), Placement::Vertex, Encoding::Color);
    for (along, red) in [(Along::Nearest, 1.0), (Along::Normal, 1.0), (Along::Outermost, 0.0)] {
        let rules = Rules { along, within: Some(0.5), ..Rules::default() };
        let done = carried(&target, &[&two_sheets], &rules);
        assert!(values(&done).iter().all(|v| v[0] == red), "{along:?}");
    }
    // Of several parts the nearest wins, or they blend by inverse squares (Shepard 1968): a tenth away
    // counts nine times as much as three tenths.
    let rules = Rules { within: Some(0.5), ..Rules::default() };
    let done = carried(&target, &[&high, &low], &rules);
    assert!(values(&done).iter().all(|v| *v == [1.0, 0.0, 0.0, 1.0]));
    let done = carried(&target, &[&high, &low], &Rules { blend: true, ..rules });
    for value in values(&done) {
        assert!((value[0] - srgb_from_linear(0.9)).abs() < 2e-3, "{value:?}");
        assert!((value[2] - srgb_from_linear(0.1)).abs() < 4e-3, "{value:?}");
    }
}

#[test]
fn channels_go_by_what_they_hold_and_stay_where_they_are_locked_or_masked() {
    let mesh = flat(4);
    let numbers = |_: usize, _: Vec3| [0.1, 0.2, 0.3, 0.4];
    let set = coat(&mesh, Placement::Vertex, Encoding::Data, numbers);
    let ones = coat(&mesh, Placement::Vertex, Encoding::Data, |_, _| [1.0; 4]);
    let mut from = document(vec![NewPart::new("From", mesh.clone(), vec![set])]);
    let mut target = NewPart::new("To", mesh.clone(), vec![ones]);
    target.selections = vec![Selection { name: "Foot".into(), faces: (0..4).collect() }];
    let mut to = document(vec![target]);
    let say = |document: &mut Document, channel: usize, traits: ChannelTraits| {
        let (part, set) = (document.parts()[0].id, document.parts()[0].sets[0].id);
        document.apply(ChannelEdit::DescribeChannel { part, set, channel, traits }).unwrap();
    };
    let holds = |meaning: &str| ChannelTraits { meaning: meaning.into(), ..Default::default() };
    say(&mut from, 2, holds("Wear"));
    say(&mut to, 0, holds("wear "));
    say(&mut to, 3, ChannelTraits { locked: true, ..Default::default() });
    let (from, to) = (from.parts()[0].clone(), to.parts()[0].clone());
    let sources = [Source::of(&from)];
    let rows = proposal(&to, &sources);
    assert_eq!(rows[0].channels, [Some(2), Some(1), Some(2), Some(3)]);
    let done = carried(&to, &[&from], &Rules::default());
    assert!(values(&done).iter().all(|v| *v == [0.3, 0.2, 0.3, 1.0]));
    // A channel that nothing goes into, and a selection to stay in.
    let rows = vec![Row { channels: [None, Some(0), None, None], ..rows[0].clone() }];
    let rules = Rules { rows: Some(rows), only: Some("Foot".into()), ..Rules::default() };
    let done = carried(&to, &[&from], &rules);
    let foot = values(&done).iter().filter(|v| (v[1] - 0.1).abs() < 1e-6).count();
    assert_eq!(foot, 5, "where all faces around are in it; above, half of it counts");
    assert!(values(&done).iter().all(|v| v[0] == 1.0 && v[2] == 1.0 && v[3] == 1.0));
    assert!(values(&done)[10..].iter().all(|v| *v == [1.0; 4]));
    // A part that has no such set gets one.
    let other = {
        let mut part = to.clone();
        part.sets.clear();
        part
    };
    let done = carried(&other, &[&from], &Rules::default());
    assert_eq!((done.colors[0].0, done.report.sets[0].is_new), (None, true));
    assert!(values(&done) == from.sets[0].values.as_slice());
}

#[test]
fn a_snapshot_gives_back_what_a_set_was() {
    let mesh = flat(4);
    let set = coat(&mesh, Placement::Vertex, Encoding::Color, |i, _| any_color(i));
    let mut document = document(vec![NewPart::new("Sail", mesh, vec![set])]);
    let edit = speckle_core::HelperEdit::TakeSnapshot { name: "Before".into() };
    document.apply(edit).unwrap();
    let before = document.parts()[0].sets[0].values.clone();
    let id = document.parts()[0].id;
    let grey = vec![[0.5; 4]; 25];
    let own = document.parts()[0].sets[0].clone();
    let new = NewSet {
        name: own.name,
        placement: own.placement,
        encoding: own.encoding,
        ground: own.ground,
        values: grey,
    };
    let colors = vec![(Some(own.id), new)];
    document.apply(ReplaceEdit::ReplaceColors { part: id, from: "grey".into(), colors }).unwrap();
    let now = document.parts()[0].clone();
    let source = Source::of_snapshot(&now, "Before");
    let done = transfer(&now, &[source], &Rules::default(), &Watch::default()).unwrap();
    assert!(values(&done) == before.as_slice());
    assert!(Source::of_snapshot(&now, "Never").sets.is_empty());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Means and mixes of one color are that color, to the bit, wherever a part is put and however its
    /// meshes are cut; and nothing that is found lies outside of what the source shows.
    #[test]
    fn one_color_stays_itself_and_nothing_overshoots(
        n in 2_u32..40, m in 2_u32..40,
        turn in proptest::array::uniform3(-180.0_f32..180.0),
        from in 0..3_usize, to in 0..3_usize,
    ) {
        let (source_mesh, target_mesh) = (flat(n), flat(m));
        let transform =
            Transform { rotation_degrees: Vec3::from(turn), ..Transform::IDENTITY };
        let one = [0.3, 0.6, 0.1, 0.9];
        let flat_set = coat(&source_mesh, ALL[from], Encoding::Color, |_, _| one);
        let mut source = part(&source_mesh, flat_set);
        let mut target = bare(&target_mesh, ALL[to], Encoding::Color);
        source.traits.transform = transform;
        target.traits.transform = transform;
        let done = carried(&target, &[&source], &Rules::default());
        prop_assert!(values(&done).iter().all(|v| *v == one));
        let wild = coat(&source_mesh, ALL[from], Encoding::Data, |i, _| {
            any_color(i).map(|x| 0.2 + 0.5 * x)
        });
        source.sets[0].values = Arc::new(wild.values);
        source.sets[0].encoding = Encoding::Data;
        let done = carried(&target, &[&source], &Rules::default());
        for value in values(&done).iter().flatten() {
            prop_assert!((0.1999..=0.7001).contains(value), "{}", value);
        }
    }
}

/// Nothing depends on how many cores share the work.
#[test]
fn one_core_comes_to_the_same_bits_as_several() {
    let (from, to) = (flat(90), flat(37));
    let source = part(&from, coat(&from, Placement::Vertex, Encoding::Color, |i, _| any_color(i)));
    let target = bare(&to, Placement::Corner, Encoding::Color);
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| values(&carried(&target, &[&source], &Rules::default())).to_vec())
    };
    assert!(on(1) == on(3));
}

/// Two files may say of one name that it is color and that it is data: numbers stay the numbers they are.
#[test]
fn sources_that_say_different_things_of_one_name_keep_their_numbers() {
    let mesh = flat(4);
    let of = |z: f32, encoding: Encoding, x: f32| {
        let mesh = moved(&mesh, |p| p + Vec3::Z * z);
        part(&mesh, coat(&mesh, Placement::Vertex, encoding, move |i, _| [x + i as f32 * 1e-3; 4]))
    };
    let (near, far) = (of(0.01, Encoding::Data, 0.2), of(-0.02, Encoding::Color, 0.6));
    let to = bare(&flat(7), Placement::Vertex, Encoding::Data);
    let rules = Rules { within: Some(0.1), ..Rules::default() };
    for from in [[&near, &far], [&far, &near]] {
        let done = carried(&to, &from, &rules);
        assert!(values(&done).iter().all(|v| (0.2..0.23).contains(&v[0])), "the nearest, as it is");
    }
}
