//! Transfers that find nothing, here or anywhere, and what becomes of it.

use std::f32::consts::PI;

use glam::Vec3;
use speckle_color::Encoding;
use speckle_core::{PartEdit, ReplaceEdit, document::Direction};
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{MOST_SETS, NewPart, color_set::Role};
use speckle_tools::{
    bake::watch::Watch,
    transfer::{Row, Rules, Source, TransferError, WhatIsLost, proposal, transfer},
};

use crate::transfer::{
    ALL, any_color, bare, carried, coat, document, flat, moved, part, places, values,
};
use crate::{
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

/// The left half of a sheet.
fn half(n: u32) -> Mesh {
    let mut arrays = sheet(n, 0.0);
    let faces: Vec<Vec<u32>> = (0..n * n)
        .filter(|f| f % n < n / 2)
        .map(|f| arrays.corner_vertices[4 * f as usize..4 * f as usize + 4].to_vec())
        .collect();
    let positions = std::mem::take(&mut arrays.positions);
    polygons(positions, &faces)
}

#[test]
fn what_finds_nothing_stays_is_counted_and_can_be_kept_as_a_selection() {
    let (from, to) = (half(16), flat(12));
    let red = [0.8, 0.1, 0.1, 1.0];
    let source = part(&from, coat(&from, Placement::Vertex, Encoding::Color, |_, _| red));
    let grey = coat(&to, Placement::Vertex, Encoding::Color, |_, _| [0.5, 0.5, 0.5, 1.0]);
    let mut document = document(vec![NewPart::new("Sail", to.clone(), vec![grey])]);
    let target = document.parts()[0].clone();
    let rules = Rules { within: Some(0.05), keep_lost: true, ..Rules::default() };
    let done = carried(&target, &[&source], &rules);
    let is_far = |p: &Vec3| p.x > 0.05;
    let wanted = to.positions().iter().filter(|p| is_far(p)).count();
    assert_eq!((done.report.lost, wanted), (6 * 13, 6 * 13));
    for (value, at) in values(&done).iter().zip(to.positions()) {
        assert_eq!(value[0], if is_far(at) { 0.5 } else { 0.8 });
    }
    let edit = ReplaceEdit::TransferColors {
        part: target.id,
        from: "Half".into(),
        colors: done.colors,
        lost: Some(done.lost),
    };
    let change = document.apply(edit).unwrap();
    assert_eq!(change.label, "Transfer from Half to Sail");
    let now = &document.parts()[0];
    let lost = now.sets.iter().find(|set| set.role == Role::Selection).unwrap();
    assert_eq!(lost.name, "Lost");
    assert_eq!(lost.values.iter().filter(|v| v[0] == 1.0).count(), wanted);
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.parts()[0].sets.len(), 1);
    assert!(document.parts()[0].sets[0].values == target.sets[0].values);
    document.replay(&change, Direction::Forward).unwrap();
    assert_eq!(document.parts()[0].sets.len(), 2);
}

/// A ring between two radii, its triangles even in the logarithm of the radius.
fn ring(rows: usize, around: usize, inner: f32, outer: f32) -> Mesh {
    let mut positions = Vec::new();
    for row in 0..=rows {
        let radius = inner * (outer / inner).powf(row as f32 / rows as f32);
        for i in 0..around {
            let angle = 2.0 * PI * i as f32 / around as f32;
            positions.push(Vec3::new(radius * angle.cos(), radius * angle.sin(), 0.0));
        }
    }
    let at = |row: usize, i: usize| (row * around + i % around) as u32;
    let faces: Vec<Vec<u32>> = (0..rows * around)
        .flat_map(|n| {
            let (row, i) = (n / around, n % around);
            let [a, b, c, d] = [at(row, i), at(row + 1, i), at(row + 1, i + 1), at(row, i + 1)];
            [vec![a, b, c], vec![a, c, d]]
        })
        .collect();
    polygons(positions, &faces)
}

/// Between two rings that are held the solution of Laplace's equation is ln(r ⁄ a) ⁄ ln(b ⁄ a) (Courant
/// and Hilbert, Methods of Mathematical Physics, IV).
#[test]
fn what_is_lost_is_filled_in_harmonically() {
    let mesh = ring(24, 90, 1.0, 5.0);
    // Only the first and the last row have a source.
    let row = |n: i32| 5.0_f32.powf(n as f32 / 24.0);
    let rims = [ring(1, 90, row(0), row(1)), ring(1, 90, row(23), row(24))];
    let [inner, outer] = rims.each_ref().map(arrays_of);
    let rims = Mesh::new(beside(inner, outer)).unwrap();
    let wanted = |p: Vec3| p.length().ln() / 5.0_f32.ln();
    let source = part(&rims, coat(&rims, Placement::Vertex, Encoding::Data, |_, p| [wanted(p); 4]));
    let rules = Rules { within: Some(0.002), lost: WhatIsLost::IsFilled, ..Rules::default() };
    for placement in ALL {
        let done = carried(&bare(&mesh, placement, Encoding::Data), &[&source], &rules);
        assert_eq!(done.report.lost, 21 * 90);
        // A face has the mean of its corners, which is not what is in its middle.
        let most = if placement == Placement::Face { 4e-3 } else { 2e-3 };
        for (value, at) in values(&done).iter().zip(places(&mesh, placement)) {
            let off = (value[0] - wanted(at)).abs();
            assert!(off < most, "{placement:?} {at}: {value:?} for {}", wanted(at));
        }
    }
}

#[test]
fn what_cannot_be_is_said_with_what_to_do() {
    let mesh = flat(3);
    let part_of =
        |mesh: &Mesh| part(mesh, coat(mesh, Placement::Vertex, Encoding::Color, |_, _| [0.5; 4]));
    let (to, near) = (part_of(&mesh), part_of(&mesh));
    let said =
        |from: &[Source], rules: &Rules| transfer(&to, from, rules, &Watch::default()).unwrap_err();
    let plain = Rules::default();
    assert_eq!(said(&[], &plain), TransferError::NoSource);
    let mut bare = near.clone();
    bare.sets.clear();
    assert!(matches!(said(&[Source::of(&bare)], &plain), TransferError::NoSets(_)));
    let far = part_of(&moved(&mesh, |p| p + Vec3::Z * 30.0));
    let reach = Rules { within: Some(2.0), ..Rules::default() };
    match said(&[Source::of(&far)], &reach) {
        TransferError::Apart { within, nearest, .. } => {
            assert_eq!(within, 2.0);
            assert!((nearest - 30.0).abs() < 1e-3);
        }
        other => panic!("{other}"),
    }
    // Nothing is said of a reach: what lies far apart is told instead of being brought along from there.
    assert!(matches!(said(&[Source::of(&far)], &plain), TransferError::Apart { .. }));
    let turned = part_of(&mesh.turned_over().0);
    assert!(matches!(said(&[Source::of(&turned)], &plain), TransferError::OtherWay { .. }));
    let every_way = Rules { angle_degrees: 180.0, ..Rules::default() };
    assert_eq!(carried(&to, &[&turned], &every_way).report.lost, 0);
    let sources = [Source::of(&near)];
    let row = proposal(&to, &sources).remove(0);
    let with = |rows: Vec<Row>| Rules { rows: Some(rows), ..Rules::default() };
    assert!(matches!(
        said(&sources, &with(vec![row.clone(), row.clone()])),
        TransferError::Twice(_)
    ));
    let unknown = Row { from: "Rust".into(), ..row.clone() };
    assert!(matches!(said(&sources, &with(vec![unknown])), TransferError::NoSuchSet(_)));
    assert_eq!(said(&sources, &with(Vec::new())), TransferError::NoRows);
    let fifth = Row { channels: [Some(4), None, None, None], ..row.clone() };
    assert_eq!(said(&sources, &with(vec![fifth])), TransferError::NoChannel(4));
    // All that would be new has to find room, before anything is looked up.
    let crowd: Vec<Row> = (0..MOST_SETS)
        .map(|nth| Row { to: None, name: format!("Copy {nth}"), ..row.clone() })
        .collect();
    match said(&sources, &with(crowd)) {
        TransferError::NoRoom { new, room, .. } => {
            assert_eq!((new, room), (MOST_SETS, MOST_SETS - 1))
        }
        other => panic!("{other}"),
    }
    let nowhere = Rules { only: Some("Bow".into()), ..Rules::default() };
    assert!(matches!(said(&sources, &nowhere), TransferError::NoSelection { .. }));
    let endless = Rules { within: Some(f32::NAN), ..Rules::default() };
    assert!(matches!(said(&sources, &endless), TransferError::Unsound(_)));
    let watch = Watch::default();
    watch.give_up();
    let given_up = transfer(&to, &sources, &plain, &watch);
    assert_eq!(given_up.unwrap_err(), TransferError::GivenUp);
}

/// Whether a part is shown makes no difference to what it gives.
#[test]
fn a_hidden_source_gives_what_it_has() {
    let mesh = flat(3);
    let set = coat(&mesh, Placement::Vertex, Encoding::Color, |i, _| any_color(i));
    let mut document = document(vec![NewPart::new("Sail", mesh.clone(), vec![set])]);
    let id = document.parts()[0].id;
    document.apply(PartEdit::ShowParts { parts: vec![id], visible: false }).unwrap();
    let target = bare(&mesh, Placement::Vertex, Encoding::Color);
    let done = carried(&target, &[&document.parts()[0]], &Rules::default());
    assert!(values(&done) == document.parts()[0].sets[0].values.as_slice());
}

/// Points without faces belong to nothing, and a target of two triangles is no worse than any other.
#[test]
fn stray_points_and_the_smallest_targets_do_no_harm() {
    let from = flat(30);
    let set = coat(&from, Placement::Vertex, Encoding::Color, |i, _| any_color(i));
    let source = part(&from, set);
    let mut arrays: MeshArrays = sheet(1, 0.0);
    arrays.positions.push(Vec3::splat(900.0));
    let to = Mesh::new(arrays).unwrap();
    let done =
        carried(&bare(&to, Placement::Vertex, Encoding::Color), &[&source], &Rules::default());
    assert_eq!((done.report.vertices, done.report.lost), (4, 0));
    assert_eq!(values(&done)[4], [1.0; 4], "where nothing is, nothing changes");
}

/// A reach that is suggested takes in what bulges apart on one surface, however coarse one of the two is, and never more
/// than a quarter of the part: what lies further off is told to be apart.
#[test]
fn the_reach_that_is_suggested_knows_near_from_apart() {
    let (fine, coarse) = (ball(40, 80), ball(8, 16));
    let part_of =
        |mesh: &Mesh| part(mesh, coat(mesh, Placement::Vertex, Encoding::Color, |_, _| [0.5; 4]));
    let (to, from) = (part_of(&fine), part_of(&coarse));
    let done = carried(&to, &[&from], &Rules::default());
    assert_eq!(done.report.lost, 0, "all of the finer one lies on the coarser one");
    for far in [0.0_f32, 2.5, 40.0] {
        let away = part_of(&moved(&coarse, |p| p + Vec3::X * far));
        let told = transfer(&to, &[Source::of(&away)], &Rules::default(), &Watch::default());
        // Balls of radius 1: side by side they are half a radius apart.
        match (far > 0.0, told) {
            (false, Ok(done)) => assert_eq!(done.report.lost, 0),
            (true, Ok(done)) => {
                assert!(done.report.lost > done.report.vertices / 2, "{far}: {:?}", done.report);
            }
            (true, Err(TransferError::Apart { nearest, .. })) => {
                assert!((nearest - (far - 2.0)).abs() < 0.1, "{far}: {nearest}");
            }
            // What is near of a ball that stands beside looks at the other one.
            (true, Err(TransferError::OtherWay { .. })) => assert_eq!(far, 2.5),
            (_, Err(other)) => panic!("{far}: {other}"),
        }
    }
}
