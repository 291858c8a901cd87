//! The mesh made finer under the pointer while it moves: what is painted is what would be painted on a mesh
//! that was as fine before, hands beside it paint on, and all of it goes back to the bit.

use glam::Vec3;
use proptest::prelude::*;
use speckle_core::{Change, Document, HandId, PaintEdit, PartEdit, document::Direction};
use speckle_mesh::{Geometry, Mesh, Placement, Transform};
use speckle_model::Part;
use speckle_tools::{
    finer::MOST_NEW,
    stroke::{Brush, Sample, StrokeStart},
};

use crate::{
    common::sheet,
    decimating::ball,
    finer::{ABOVE, document, painted_area, sample, square, start, triangles, tries},
    reshaping::assert_as_fresh,
};

const HAND: HandId = HandId(7);

fn fine(radius: f32, edges: f32) -> Brush {
    Brush { radius, hardness: 1.0, finer: Some(edges), ..Brush::default() }
}

/// Moves a pointer on as a session does: the mesh first, then the paint.
fn moved(document: &mut Document, hand: HandId, samples: &[Sample]) -> Option<Change> {
    let finer = document.refine_ahead(hand, samples);
    document.extend_stroke(hand, samples).unwrap();
    finer
}

/// A stroke whose samples come a few at a time; what is kept of it, in order.
fn drawn(
    document: &mut Document,
    start: StrokeStart,
    samples: &[Sample],
    at_once: usize,
) -> Vec<Change> {
    document.begin_stroke(HAND, start).unwrap();
    let mut kept = Vec::new();
    for some in samples.chunks(at_once) {
        kept.extend(moved(document, HAND, some));
    }
    kept.extend(document.end_stroke(HAND));
    document.forget_hand(HAND);
    kept
}

fn assert_is(part: &Part, wanted: &Part) {
    assert_eq!(part.geometry.id(), wanted.geometry.id());
    for (set, wanted) in part.sets.iter().zip(&wanted.sets) {
        assert_eq!(set.values, wanted.values);
    }
}

/// All back, and all on again, to the bit.
fn assert_goes_back_and_forth(document: &mut Document, before: &Part, kept: &[Change]) {
    let after = document.parts()[0].clone();
    for change in kept.iter().rev() {
        document.replay(change, Direction::Backward).unwrap();
    }
    assert_is(&document.parts()[0], before);
    for change in kept {
        document.replay(change, Direction::Forward).unwrap();
    }
    assert_is(&document.parts()[0], &after);
}

fn longest_under(mesh: &Mesh, is_under: impl Fn(Vec3) -> bool) -> f32 {
    let of = |face: usize| {
        let at: Vec<Vec3> = mesh.face_corners(face).map(|c| mesh.corner_position(c)).collect();
        let edges = (0..at.len()).map(|i| at[i].distance(at[(i + 1) % at.len()]));
        if at.iter().any(|p| is_under(*p)) { edges.fold(0.0, f32::max) } else { 0.0 }
    };
    (0..mesh.face_count()).map(of).fold(0.0, f32::max)
}

/// The mesh is fine enough as soon as the pointer has been there, and what was painted on the way is what
/// the same stroke paints on what has become of the mesh. A band's area is 2 r l + π r².
#[test]
fn it_is_fine_where_the_pointer_has_been() {
    for (mesh, placement) in [
        (square(), Placement::Vertex),
        (square(), Placement::Face),
        (Mesh::new(sheet(4, 0.0)).unwrap(), Placement::Vertex),
        (Mesh::new(sheet(4, 0.0)).unwrap(), Placement::Corner),
    ] {
        for at_once in [1, 3, 20] {
            let mut live = document(&mesh, placement);
            let before = live.parts()[0].clone();
            let stroke = start(&live, fine(0.2, 0.04), ABOVE);
            let way: Vec<_> = (0..20)
                .map(|i| sample(ABOVE, Vec3::new(-0.6 + 0.06 * i as f32, 0.1, 0.0)))
                .collect();
            live.begin_stroke(HAND, stroke).unwrap();
            let mut kept: Vec<Change> = Vec::new();
            for (n, some) in way.chunks(at_once).enumerate() {
                kept.extend(moved(&mut live, HAND, some));
                let head = -0.6 + 0.06 * (way.len().min((n + 1) * at_once) - 1) as f32;
                // A dab lies at every fifth of the radius: the last one may be that far behind.
                let is_under = |p: Vec3| p.distance(Vec3::new(head - 0.04, 0.1, 0.0)) < 0.159;
                let longest = longest_under(live.parts()[0].geometry.mesh(), is_under);
                assert!(longest <= 0.04 * 1.0001, "{longest} after {n}");
            }
            let was_finer = kept.len();
            kept.extend(live.end_stroke(HAND));
            assert!(was_finer >= 1 && kept.len() == was_finer + 1);
            let part = live.parts()[0].clone();
            assert_as_fresh(&part.geometry);
            assert_eq!(part.geometry.topology().euler_number(), 1);
            // The end only paints, and says so; what came before says what it did.
            assert_eq!(kept[was_finer].label, "Skin stroke on Coat");
            assert!(kept[..was_finer].iter().all(|c| c.label == "Skin stroke on Coat, mesh finer"));

            let mut again = document(&triangles(part.geometry.mesh()), placement);
            let stroke = start(&again, Brush { finer: None, ..fine(0.2, 0.04) }, ABOVE);
            again.apply(PaintEdit::Stroke { start: stroke, samples: way.clone() }).unwrap();
            assert_eq!(part.sets[0].values, again.parts()[0].sets[0].values);
            let band = 2.0 * 0.2 * 1.12 + std::f64::consts::PI * 0.04;
            let area = painted_area(&live);
            assert!((area / band - 1.0).abs() < 0.06, "{placement:?}: {area} of {band}");
            assert_goes_back_and_forth(&mut live, &before, &kept);
        }
    }
}

/// Another hand's stroke on the same part goes on as if nothing had happened: where both paint, the later
/// one covers. On polygons, which would have to become triangles under it, the mesh waits.
#[test]
fn a_hand_beside_it_paints_on() {
    let mut shared = document(&square(), Placement::Face);
    let before = shared.parts()[0].clone();
    let other = HandId(3);
    let plain = Brush { radius: 0.3, hardness: 1.0, ..Brush::default() };
    let mut theirs = start(&shared, plain, ABOVE);
    theirs.coat.paint = [0.0, 1.0, 0.0, 1.0];
    let ours = start(&shared, fine(0.2, 0.05), ABOVE);
    shared.begin_stroke(HAND, ours).unwrap();
    let mut kept = Vec::new();
    kept.extend(moved(&mut shared, HAND, &[sample(ABOVE, Vec3::new(-0.5, 0.0, 0.0))]));
    shared.begin_stroke(other, theirs).unwrap();
    shared.extend_stroke(other, &[sample(ABOVE, Vec3::new(-0.4, 0.1, 0.0))]).unwrap();
    kept.extend(moved(&mut shared, HAND, &[sample(ABOVE, Vec3::new(0.5, 0.0, 0.0))]));
    kept.extend(shared.end_stroke(other));
    kept.extend(shared.end_stroke(HAND));
    assert_eq!(kept.len(), 4);
    let part = shared.parts()[0].clone();
    let mesh = part.geometry.mesh();
    for (face, value) in part.sets[0].values.iter().enumerate() {
        let middle = mesh.face_centroid(face);
        let is_theirs = middle.distance(Vec3::new(-0.4, 0.1, 0.0)) < 0.29;
        if is_theirs && middle.distance(Vec3::new(-0.5, 0.0, 0.0)) < 0.15 {
            assert_eq!(value[..3], [0.0, 1.0, 0.0], "face {face} at {middle}");
        }
    }
    assert_goes_back_and_forth(&mut shared, &before, &kept);

    let mut shared = document(&Mesh::new(sheet(4, 0.0)).unwrap(), Placement::Face);
    let id = shared.parts()[0].geometry.id();
    shared.begin_stroke(other, StrokeStart { ..theirs }).unwrap();
    let ours = start(&shared, fine(0.2, 0.05), ABOVE);
    shared.begin_stroke(HAND, ours).unwrap();
    assert!(moved(&mut shared, HAND, &[sample(ABOVE, Vec3::ZERO)]).is_none());
    shared.end_stroke(other);
    // Nobody is beside it any more when the pointer is lifted.
    let end = shared.end_stroke(HAND).unwrap();
    assert!(end.label.ends_with("mesh finer"), "{}", end.label);
    assert_ne!(shared.parts()[0].geometry.id(), id);
}

/// Somebody takes back what the stroke did to the mesh while it is under way: it paints on, on what is there.
#[test]
fn it_goes_on_when_what_it_did_is_undone() {
    let mut shared = document(&square(), Placement::Vertex);
    let before = shared.parts()[0].clone();
    let stroke = start(&shared, fine(0.2, 0.05), ABOVE);
    shared.begin_stroke(HAND, stroke).unwrap();
    let first = moved(&mut shared, HAND, &[sample(ABOVE, Vec3::new(-0.5, 0.0, 0.0))]).unwrap();
    shared.replay(&first, Direction::Backward).unwrap();
    assert_eq!(shared.parts()[0].geometry.id(), before.geometry.id());
    let second = moved(&mut shared, HAND, &[sample(ABOVE, Vec3::new(0.5, 0.0, 0.0))]).unwrap();
    let end = shared.end_stroke(HAND).unwrap();
    assert_goes_back_and_forth(&mut shared, &before, &[second, end]);
}

/// A mesh that is locked in the middle of a stroke stays as it is from then on; nothing of
/// what was done before is lost.
#[test]
fn a_part_that_is_locked_meanwhile_is_left_alone() {
    let mut shared = document(&Mesh::new(sheet(4, 0.0)).unwrap(), Placement::Vertex);
    let (id, before) = (shared.parts()[0].id, shared.parts()[0].clone());
    let stroke = start(&shared, fine(0.2, 0.05), ABOVE);
    shared.begin_stroke(HAND, stroke).unwrap();
    let first = moved(&mut shared, HAND, &[sample(ABOVE, Vec3::new(-0.5, 0.0, 0.0))]).unwrap();
    let lock = shared.apply(PartEdit::LockParts { parts: vec![id], locked: true }).unwrap();
    let shape = shared.parts()[0].geometry.id();
    assert!(moved(&mut shared, HAND, &[sample(ABOVE, Vec3::new(0.5, 0.0, 0.0))]).is_none());
    assert_eq!(shared.parts()[0].geometry.id(), shape);
    let end = shared.end_stroke(HAND);
    let kept: Vec<Change> = [first, lock].into_iter().chain(end).collect();
    for change in kept.iter().rev() {
        shared.replay(change, Direction::Backward).unwrap();
    }
    assert_is(&shared.parts()[0], &before);
}

/// A part that is turned and scaled is refined by lengths of the project; in the mirror both sides are.
#[test]
fn lengths_are_those_of_the_project() {
    let mut scaled = document(&square(), Placement::Vertex);
    let id = scaled.parts()[0].id;
    let transform = Transform { scale: Vec3::splat(2.0), ..Transform::IDENTITY };
    scaled.apply(PartEdit::PlacePart { part: id, transform }).unwrap();
    let mut stroke = start(&scaled, fine(0.2, 0.08), ABOVE);
    stroke.mirror.axes = [true, false, false];
    drawn(&mut scaled, stroke, &[sample(ABOVE, Vec3::new(1.0, 0.0, 0.0))], 1);
    let mesh = scaled.parts()[0].geometry.mesh().clone();
    for side in [-0.5, 0.5] {
        let longest = longest_under(&mesh, |p| p.distance(Vec3::new(side, 0.0, 0.0)) < 0.09);
        assert!(longest > 0.01 && longest <= 0.04 * 1.0001, "{longest}");
    }
}

/// However short the edges are to be, no stroke makes more than [`MOST_NEW`] faces.
#[test]
fn there_is_a_bound_to_what_comes() {
    let mut bounded = document(&square(), Placement::Face);
    let stroke = start(&bounded, fine(0.5, 1e-3), ABOVE);
    let way: Vec<_> = (0..8).map(|i| sample(ABOVE, Vec3::X * (0.1 * i as f32 - 0.4))).collect();
    drawn(&mut bounded, stroke, &way, 1);
    let faces = bounded.parts()[0].geometry.mesh().face_count();
    assert!((MOST_NEW..=MOST_NEW + 8).contains(&faces), "{faces}");
}

/// A stroke that is let make so many faces makes no more, says so once, and paints on as the mesh is: as far as it would
/// have with as many as it takes, of which nothing is said. Its rim, which is cut at its end, counts as well.
#[test]
fn a_stroke_that_is_let_make_so_many_stops_there_and_paints_on() {
    let way: Vec<_> = (0..8).map(|i| sample(ABOVE, Vec3::X * (0.15 * i as f32 - 0.6))).collect();
    for crisp in [false, true] {
        let mut counts = Vec::new();
        for most_new in [None, Some(2_000), Some(60_000)] {
            let mut bounded = document(&Mesh::new(sheet(16, 0.0)).unwrap(), Placement::Face);
            let before = bounded.parts()[0].clone();
            let plain = 2 * before.geometry.mesh().face_count();
            let brush = Brush { crisp, ..fine(0.2, 0.01) };
            let stroke = StrokeStart { most_new, ..start(&bounded, brush, ABOVE) };
            bounded.begin_stroke(HAND, stroke).unwrap();
            let mut kept: Vec<Change> = Vec::new();
            for some in way.chunks(1) {
                kept.extend(moved(&mut bounded, HAND, some));
            }
            kept.extend(bounded.end_stroke(HAND));
            let came = bounded.parts()[0].geometry.mesh().face_count() - plain;
            assert_eq!(bounded.take_stopped(HAND), most_new == Some(2_000), "{came}");
            assert!(!bounded.take_stopped(HAND));
            let area = painted_area(&bounded);
            let band = 2.0 * 0.2 * 1.05 + std::f64::consts::PI * 0.04;
            assert!((area / band - 1.0).abs() < 0.2, "{area} of {band}");
            assert_goes_back_and_forth(&mut bounded, &before, &kept);
            counts.push(came);
        }
        assert!((2_000..2_010).contains(&counts[1]), "{counts:?}");
        assert!(counts[0] > 10_000 && counts[0] == counts[2], "{counts:?}");
    }
    // All of it comes at the end where only the rim is cut.
    let mut rimmed = document(&square(), Placement::Face);
    let brush = Brush { radius: 0.4, hardness: 1.0, crisp: true, ..Brush::default() };
    let stroke = StrokeStart { most_new: Some(10), ..start(&rimmed, brush, ABOVE) };
    rimmed.begin_stroke(HAND, stroke).unwrap();
    moved(&mut rimmed, HAND, &[sample(ABOVE, Vec3::ZERO)]);
    rimmed.end_stroke(HAND);
    assert!(rimmed.take_stopped(HAND));
    assert!(rimmed.parts()[0].geometry.mesh().face_count() < 20);
}

/// Where nothing is too long, nothing is done; what only moves color about leaves the mesh alone.
#[test]
fn it_does_nothing_where_nothing_is_to_be_done() {
    let mut quads = document(&Mesh::new(sheet(20, 0.0)).unwrap(), Placement::Face);
    let id = quads.parts()[0].geometry.id();
    let stroke = start(&quads, fine(0.3, 1.0), ABOVE);
    assert_eq!(drawn(&mut quads, stroke, &[sample(ABOVE, Vec3::ZERO)], 1).len(), 1);
    let mut tidying = start(&quads, fine(0.3, 0.01), ABOVE);
    tidying.coat.action = speckle_tools::stroke::Action::Soften;
    drawn(&mut quads, tidying, &[sample(ABOVE, Vec3::X * 0.3)], 1);
    assert_eq!(quads.parts()[0].geometry.id(), id);
    assert!(quads.refine_ahead(HandId(99), &[sample(ABOVE, Vec3::ZERO)]).is_none());
}

/// Two hands: where they go, how fine, how many samples come at once.
fn any_way() -> impl Strategy<Value = (Vec<[f32; 2]>, f32, Option<f32>, usize)> {
    (
        prop::collection::vec(prop::array::uniform2(-0.8_f32..0.8), 1..6),
        0.05_f32..0.4,
        prop::option::weighted(0.8, 0.06_f32..0.3),
        1_usize..4,
    )
}

proptest! {
    #![proptest_config(tries(16))]

    /// Two hands at once, either making the mesh finer as it goes: it stays closed and as if it were made
    /// anew, and all that was kept goes back, and on again, to the bit.
    #[test]
    fn hands_beside_each_other_leave_a_closed_mesh(
        mut ways in prop::collection::vec(any_way(), 2..5),
        at_vertices in any::<bool>(),
    ) {
        let placement = if at_vertices { Placement::Vertex } else { Placement::Corner };
        let mut shared = document(&triangles(&ball(7, 9)), placement);
        let before = shared.parts()[0].clone();
        let mut kept = Vec::new();
        for (n, (_, radius, finer, _)) in ways.iter().enumerate() {
            let brush = Brush { finer: *finer, hardness: 0.5, ..fine(*radius, 1.0) };
            let mut stroke = start(&shared, brush, 5.0 * Vec3::AXES[n % 3]);
            stroke.coat.paint = [0.2 * n as f32, 0.5, 1.0, 1.0];
            shared.begin_stroke(HandId(n as u64), stroke).unwrap();
        }
        while ways.iter().any(|(places, ..)| !places.is_empty()) {
            for (n, (places, _, _, at_once)) in ways.iter_mut().enumerate() {
                let eye = 5.0 * Vec3::AXES[n % 3];
                let (u, v) = (Vec3::AXES[(n + 1) % 3], Vec3::AXES[(n + 2) % 3]);
                let now = places.split_off(places.len().saturating_sub(*at_once));
                let samples: Vec<_> =
                    now.into_iter().map(|[x, y]| sample(eye, u * x + v * y)).collect();
                kept.extend(moved(&mut shared, HandId(n as u64), &samples));
            }
        }
        for n in 0..ways.len() {
            kept.extend(shared.end_stroke(HandId(n as u64)));
        }
        let geometry = shared.parts()[0].geometry.clone();
        assert_as_fresh(&geometry);
        prop_assert!(Geometry::new(geometry.mesh().clone()).topology().is_watertight());
        assert_goes_back_and_forth(&mut shared, &before, &kept);
    }
}
