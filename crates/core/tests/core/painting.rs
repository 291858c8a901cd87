//! What a stroke covers and keeps, as facts of the job.

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{Channels, Encoding, blend::Blend, curve::Curve};
use speckle_core::{
    Document, Edit, EditError, HandId, PaintEdit, PartEdit, SetEdit, document::Direction,
};
use speckle_mesh::{Mesh, Placement, Transform, mesh::MeshArrays, sight::View};
use speckle_model::{NewPart, NewSet, names::NameError};
use speckle_tools::stroke::{Action, Brush, BuildUp, Coat, Falloff, Reach, Sample, StrokeStart};

use crate::common::{beside, sheet};

fn document(arrays: MeshArrays, placement: Placement) -> Document {
    let mesh = Mesh::new(arrays).unwrap();
    let set = NewSet::flooded("Coat", placement, Encoding::Color, [1.0; 4], &mesh);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![set])])).unwrap();
    document
}

const BLACK: [f32; 4] = [0.0, 0.0, 0.0, 0.0];

fn start(document: &Document, brush: Brush) -> StrokeStart {
    let part = &document.parts()[0];
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, BLACK);
    let view = View::Perspective { eye: Vec3::new(0.0, 0.0, 6.0), forward: Vec3::NEG_Z };
    StrokeStart::new(coat, brush, view)
}

fn hard(radius: f32) -> Brush {
    Brush { radius, hardness: 1.0, ..Brush::default() }
}

fn painted_with(paint: [f32; 4], start: StrokeStart) -> StrokeStart {
    StrokeStart { coat: Coat { paint, ..start.coat }, ..start }
}

fn acting(action: Action, start: StrokeStart) -> StrokeStart {
    StrokeStart { coat: Coat { action, ..start.coat }, ..start }
}

/// A pointer over the place (x, y, 0).
fn over(x: f32, y: f32) -> Sample {
    let origin = Vec3::new(0.0, 0.0, 6.0);
    Sample { origin, direction: Vec3::new(x, y, 0.0) - origin, held: false, pressure: 1.0 }
}

fn values(document: &Document) -> &[[f32; 4]] {
    &document.parts()[0].sets[0].values
}

fn stroke(document: &mut Document, start: StrokeStart, samples: &[Sample]) {
    document.apply(PaintEdit::Stroke { start, samples: samples.to_vec() }).unwrap();
}

#[test]
fn a_hard_dab_covers_exactly_the_vertices_in_its_circle() {
    let mut document = document(sheet(40, 0.0), Placement::Vertex);
    let start = start(&document, hard(0.33));
    stroke(&mut document, start, &[over(0.1, -0.2)]);
    let mesh = document.parts()[0].geometry.mesh();
    for (point, value) in mesh.positions().iter().zip(values(&document)) {
        let inside = point.distance(Vec3::new(0.1, -0.2, 0.0)) <= 0.33;
        assert_eq!(value[..3] == [0.0; 3], inside, "{point}");
        assert_eq!(value[3], 1.0, "alpha was not chosen");
    }
}

#[test]
fn faces_count_by_their_middle_and_corners_by_a_point_drawn_inward() {
    for placement in [Placement::Face, Placement::Corner] {
        let mut document = document(sheet(20, 0.0), placement);
        let start = start(&document, hard(0.25));
        // Just beside the middle of a face, so that the face under the pointer is inside anyway.
        stroke(&mut document, start, &[over(0.05, 0.05)]);
        let geometry = &document.parts()[0].geometry;
        for (element, value) in values(&document).iter().enumerate() {
            let face = if placement == Placement::Face { element } else { element / 4 };
            let middle = geometry.mesh().face_centroid(face);
            let point = match placement {
                Placement::Face => middle,
                _ => geometry.mesh().corner_position(element).lerp(middle, 0.25),
            };
            let inside = point.distance(Vec3::new(0.05, 0.05, 0.0)) <= 0.25;
            assert_eq!(value[0] == 0.0, inside, "{placement:?} {element}");
        }
    }
    // A circle smaller than a face still colors the face under the pointer.
    let mut document = document(sheet(4, 0.0), Placement::Face);
    let start = start(&document, hard(0.01));
    stroke(&mut document, start, &[over(0.4, 0.4)]);
    assert_eq!(values(&document).iter().filter(|v| v[0] == 0.0).count(), 1);
}

#[test]
fn what_lies_behind_or_is_not_connected_stays() {
    let both = beside(sheet(20, 0.0), sheet(20, -0.5));
    let mut document = document(both, Placement::Vertex);
    let start = start(&document, hard(0.4));
    stroke(&mut document, start, &[over(0.0, 0.0)]);
    let (front, behind) = values(&document).split_at(21 * 21);
    assert!(front.iter().any(|v| v[0] == 0.0));
    assert!(behind.iter().all(|v| v[0] == 1.0));
}

#[test]
fn connected_surface_that_something_hides_stays() {
    // A small awning in front of the sheet's left half: the stroke on the right half must not paint
    // what the awning hides, though it is connected and within the circle.
    let mut awning = sheet(2, 1.0);
    awning.positions.iter_mut().for_each(|p| *p = Vec3::new(0.2 * p.x - 0.3, 0.5 * p.y, 1.0));
    let mut document = document(beside(sheet(40, 0.0), awning), Placement::Vertex);
    let start = start(&document, hard(0.8));
    stroke(&mut document, start, &[over(0.2, 0.0)]);
    let eye = Vec3::new(0.0, 0.0, 6.0);
    let mesh = document.parts()[0].geometry.mesh();
    for (point, value) in mesh.positions()[..41 * 41].iter().zip(values(&document)) {
        let at_awning = eye + (*point - eye) * (5.0 / 6.0);
        let depth = Vec3::new(at_awning.x + 0.3, at_awning.y, 0.0).abs();
        let (hidden, clear) = (depth.x < 0.19 && depth.y < 0.49, depth.x > 0.21 || depth.y > 0.51);
        let inside = point.distance(Vec3::new(0.2, 0.0, 0.0)) < 0.79;
        if inside && hidden {
            assert_eq!(value[0], 1.0, "{point} is hidden");
        } else if inside && clear {
            assert_eq!(value[0], 0.0, "{point} is in sight");
        }
    }
}

#[test]
fn split_vertices_do_not_stop_the_brush() {
    // The same sheet with four vertices of its own for each face, as a file with hard edges has.
    let whole = sheet(20, 0.0);
    let split = MeshArrays {
        positions: whole.corner_vertices.iter().map(|&v| whole.positions[v as usize]).collect(),
        corner_vertices: (0..whole.corner_vertices.len() as u32).collect(),
        face_starts: whole.face_starts,
        ..MeshArrays::default()
    };
    let mut document = document(split, Placement::Vertex);
    let start = start(&document, hard(0.5));
    stroke(&mut document, start, &[over(0.0, 0.0)]);
    let mesh = document.parts()[0].geometry.mesh();
    for (point, value) in mesh.positions().iter().zip(values(&document)) {
        assert_eq!(value[0] == 0.0, point.length() <= 0.5, "{point}");
    }
    assert_eq!(document.parts()[0].geometry.pieces().count(), 1);
}

#[test]
fn the_pointers_speed_does_not_show() {
    let soft = Brush { opacity: 0.7, hardness: 0.2, build_up: BuildUp::Held, ..hard(0.2) };
    let paint = |steps: usize| {
        let mut document = document(sheet(60, 0.0), Placement::Vertex);
        let start = start(&document, soft);
        let samples: Vec<Sample> =
            (0..=steps).map(|i| over(-0.7 + 1.4 * i as f32 / steps as f32, 0.1)).collect();
        stroke(&mut document, start, &samples);
        values(&document).to_vec()
    };
    let (fast, slow) = (paint(1), paint(500));
    let worst = fast.iter().zip(&slow).map(|(a, b)| (a[0] - b[0]).abs()).fold(0.0, f32::max);
    assert!(fast.iter().any(|v| v[0] < 0.8));
    assert!(worst < 0.02, "the same way gave values {worst} apart");
}

#[test]
fn a_stroke_that_crosses_itself_covers_once_unless_it_builds_up() {
    let crossing: Vec<Sample> =
        (0..40).map(|i| over(if i % 2 == 0 { -0.3 } else { 0.3 }, 0.0)).collect();
    let at_middle = |build_up| {
        let mut document = document(sheet(40, 0.0), Placement::Vertex);
        let brush = Brush { opacity: 0.5, build_up, ..hard(0.2) };
        let start = start(&document, brush);
        stroke(&mut document, start, &crossing);
        values(&document)[41 * 20 + 20][0]
    };
    assert_eq!(at_middle(BuildUp::Stroke), 0.5);
    assert!(at_middle(BuildUp::Dab) < 0.01);
}

/// Strokes of several hands on one set: each is undone exactly, whatever was under way meanwhile.
#[test]
fn interleaved_strokes_make_a_straight_journal() {
    let mut document = document(sheet(40, 0.0), Placement::Vertex);
    let ground = values(&document).to_vec();
    let first = painted_with([1.0, 0.0, 0.0, 1.0], start(&document, hard(0.3)));
    let second = painted_with([0.0, 0.0, 1.0, 1.0], start(&document, hard(0.3)));
    let (a, b) = (HandId(1), HandId(2));
    document.begin_stroke(a, first).unwrap();
    document.extend_stroke(a, &[over(-0.2, 0.0)]).unwrap();
    document.begin_stroke(b, second).unwrap();
    document.extend_stroke(b, &[over(0.0, 0.0), over(0.2, 0.0)]).unwrap();
    document.extend_stroke(a, &[over(0.1, 0.0)]).unwrap();
    let change_a = document.end_stroke(a).unwrap();
    document.extend_stroke(b, &[over(0.3, 0.1)]).unwrap();
    let change_b = document.end_stroke(b).unwrap();
    let end = values(&document).to_vec();

    document.replay(&change_b, Direction::Backward).unwrap();
    document.replay(&change_a, Direction::Backward).unwrap();
    assert_eq!(values(&document), ground);
    document.replay(&change_a, Direction::Forward).unwrap();
    document.replay(&change_b, Direction::Forward).unwrap();
    assert_eq!(values(&document), end);
}

#[test]
fn impossible_edits_are_refused_and_change_nothing() {
    let mut document = document(sheet(2, 0.0), Placement::Vertex);
    let good = start(&document, hard(0.3));
    let bad = [
        StrokeStart { brush: hard(f32::NAN), ..good },
        StrokeStart { brush: Brush { opacity: 2.0, ..hard(0.1) }, ..good },
        StrokeStart { coat: Coat { channels: Channels([false; 4]), ..good.coat }, ..good },
        painted_with([f32::NAN; 4], good),
        StrokeStart { view: View::Parallel { forward: Vec3::ZERO }, ..good },
        StrokeStart { coat: Coat { set: speckle_model::SetId(99), ..good.coat }, ..good },
        StrokeStart { brush: hard(0.0), ..good },
        StrokeStart { brush: Brush { spacing: 0.0, ..hard(0.1) }, ..good },
        StrokeStart { brush: Brush { flow: f32::NAN, ..hard(0.1) }, ..good },
        StrokeStart { brush: Brush { falloff_curve: Some(Curve([2.0; 5])), ..hard(0.1) }, ..good },
        acting(
            Action::Smear,
            StrokeStart { brush: Brush { reach: Reach::Facet, ..hard(0.1) }, ..good },
        ),
    ];
    for start in bad {
        assert!(
            document.apply(PaintEdit::Stroke { start, samples: vec![over(0.0, 0.0)] }).is_err()
        );
    }
    // Samples that are no rays are passed over.
    let nowhere = Sample { origin: Vec3::NAN, direction: Vec3::ZERO, held: false, pressure: 1.0 };
    assert!(
        document
            .apply(PaintEdit::Stroke { start: good, samples: vec![nowhere] })
            .unwrap()
            .is_empty()
    );
    let part = document.parts()[0].id;
    let add = |name: &str| SetEdit::AddSet {
        part,
        name: name.into(),
        placement: Placement::Face,
        encoding: Encoding::Data,
        start: [0.5; 4],
    };
    assert!(matches!(document.apply(add("Coat")), Err(EditError::NameTaken { .. })));
    assert_eq!(document.apply(add("  ")).unwrap_err(), EditError::Name(NameError::Empty));
    for i in 1..16 {
        document.apply(add(&format!("Set {i}"))).unwrap();
    }
    assert!(matches!(document.apply(add("One more")), Err(EditError::TooManySets { .. })));
    assert!(values(&document).iter().all(|v| *v == [1.0; 4]));
}

#[test]
fn a_deep_dab_covers_the_ball_hidden_faces_too() {
    // Two sheets, one close behind the other: the ball reaches both, and no further.
    for placement in [Placement::Vertex, Placement::Face] {
        let both = beside(sheet(40, 0.0), sheet(40, -0.2));
        let mut document = document(both, placement);
        let brush = Brush { reach: Reach::Deep, ..hard(0.33) };
        let start = start(&document, brush);
        stroke(&mut document, start, &[over(0.11, -0.2)]);
        let mesh = document.parts()[0].geometry.mesh();
        let under_pointer = 40 * 16 + 22;
        for (element, value) in values(&document).iter().enumerate() {
            let point = match placement {
                Placement::Face => mesh.face_centroid(element),
                _ => mesh.positions()[element],
            };
            let inside = point.distance(Vec3::new(0.11, -0.2, 0.0)) <= 0.33;
            let is_covered = inside || (placement == Placement::Face && element == under_pointer);
            assert_eq!(value[0] == 0.0, is_covered, "{placement:?} {point}");
        }
    }
}

#[test]
fn erasing_brings_the_ground_color_back_and_nothing_else() {
    let mut document = document(sheet(20, 0.0), Placement::Vertex);
    let paint = start(&document, hard(0.5));
    stroke(&mut document, paint, &[over(0.0, 0.0)]);
    assert!(values(&document).iter().any(|v| v[0] == 0.0));
    let erase = acting(Action::Erase, start(&document, hard(0.7)));
    stroke(&mut document, erase, &[over(0.0, 0.0)]);
    assert!(values(&document).iter().all(|v| *v == [1.0; 4]));
}

#[test]
fn the_pens_pressure_scales_the_radius_and_the_opacity_when_asked() {
    let painted = |brush: Brush, pressure: f32| {
        let mut document = document(sheet(40, 0.0), Placement::Vertex);
        let start = start(&document, brush);
        stroke(&mut document, start, &[Sample { pressure, ..over(0.0, 0.0) }]);
        let mesh = document.parts()[0].geometry.mesh();
        let farthest = mesh
            .positions()
            .iter()
            .zip(values(&document))
            .filter(|(_, v)| v[0] < 1.0)
            .map(|(p, _)| p.length())
            .fold(0.0, f32::max);
        (farthest, values(&document)[41 * 20 + 20][0])
    };
    let (plain, radius) =
        (hard(0.6), Brush { pressure_radius: Some(Curve::STRAIGHT), ..hard(0.6) });
    let opacity = Brush { pressure_opacity: Some(Curve::STRAIGHT), ..hard(0.6) };
    assert_eq!(painted(plain, 0.5), painted(plain, 1.0));
    assert!((painted(radius, 0.5).0 - 0.3).abs() < 1e-3);
    assert_eq!(painted(opacity, 0.25).1, 0.75);
    assert!((painted(opacity, 0.25).0 - 0.6).abs() < 1e-3);
}

#[test]
fn a_radius_on_the_screen_is_a_share_of_the_distance() {
    // Six units from the eye a share of 0.05 is 0.3 units; half as far it is half as much.
    for (height, radius) in [(0.0, 0.3), (3.0, 0.15)] {
        let mut document = document(sheet(80, height), Placement::Vertex);
        let start = start(&document, Brush { on_screen: true, ..hard(0.05) });
        stroke(&mut document, start, &[over(0.0, 0.0)]);
        let mesh = document.parts()[0].geometry.mesh();
        for (point, value) in mesh.positions().iter().zip(values(&document)) {
            let inside = point.distance(Vec3::new(0.0, 0.0, height)) <= radius + 1e-5;
            assert_eq!(value[0] == 0.0, inside, "{point}");
        }
    }
}

#[test]
fn every_falloff_runs_from_full_to_nothing_without_a_jump() {
    for falloff in [Falloff::Soft, Falloff::Straight, Falloff::Dome, Falloff::Spike] {
        let brush = Brush { falloff, hardness: 0.3, ..Brush::default() };
        assert_eq!((brush.falloff(0.3), brush.falloff(1.0)), (1.0, 0.0));
        let steps: Vec<f32> = (0..=10_000).map(|i| brush.falloff(i as f32 / 10_000.0)).collect();
        for pair in steps.windows(2) {
            assert!(pair[1] <= pair[0] && pair[0] - pair[1] < 0.02, "{falloff:?} {pair:?}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Where a part stands makes no difference to what a dab covers on it as seen: a sheet that is
    /// scaled, turned and moved is covered as the same sheet with all of that in its points.
    #[test]
    fn a_placed_part_is_covered_as_if_it_had_been_modelled_there(
        turn in prop::array::uniform3(-70.0_f32..70.0),
        shift in prop::array::uniform3(-0.5_f32..0.5),
        scale in prop::array::uniform3(prop_oneof![0.3_f32..3.0, -3.0_f32..-0.3]),
        at in prop::array::uniform2(-0.6_f32..0.6),
        deep in any::<bool>(),
    ) {
        let transform = Transform {
            translation: shift.into(),
            rotation_degrees: turn.into(),
            scale: scale.into(),
        };
        let reach = if deep { Reach::Deep } else { Reach::Skin };
        let brush = Brush { reach, ..hard(0.4) };
        let arrays = sheet(24, 0.0);

        let mut placed = document(arrays.clone(), Placement::Vertex);
        let part = placed.parts()[0].id;
        placed.apply(PartEdit::PlacePart { part, transform }).unwrap();
        let mut modelled = arrays;
        let matrix = transform.to_project();
        modelled.positions.iter_mut().for_each(|p| *p = matrix.transform_point3(*p));
        let mut modelled = document(modelled, Placement::Vertex);

        let (a, b) = (start(&placed, brush), start(&modelled, brush));
        stroke(&mut placed, a, &[over(at[0], at[1])]);
        stroke(&mut modelled, b, &[over(at[0], at[1])]);
        // Rounding may differ for a point right on the rim.
        let unlike = values(&placed).iter().zip(values(&modelled)).filter(|(a, b)| a != b).count();
        prop_assert!(unlike <= 2, "{unlike} vertices differ");
    }
}

#[test]
fn locked_and_hidden_parts_are_not_painted() {
    let mut document = document(sheet(4, 0.0), Placement::Vertex);
    let part = document.parts()[0].id;
    let paint = |document: &mut Document| {
        let start = start(document, hard(0.5));
        document.apply(PaintEdit::Stroke { start, samples: vec![over(0.0, 0.0)] })
    };
    document.apply(PartEdit::LockParts { parts: vec![part], locked: true }).unwrap();
    assert_eq!(paint(&mut document).unwrap_err(), EditError::Locked("Sheet".into()));
    assert!(document.apply(PartEdit::DeleteParts { parts: vec![part] }).is_err());
    document.apply(PartEdit::LockParts { parts: vec![part], locked: false }).unwrap();
    document.apply(PartEdit::ShowParts { parts: vec![part], visible: false }).unwrap();
    assert_eq!(paint(&mut document).unwrap_err(), EditError::Hidden("Sheet".into()));
    assert!(values(&document).iter().all(|v| *v == [1.0; 4]));
}

/// What a hover learned serves the stroke after it, and must not change what that one paints.
#[test]
fn a_stroke_after_hovering_paints_as_one_without() {
    let samples = [over(-0.3, 0.1), over(0.2, -0.2)];
    let mut plain = document(sheet(20, 0.1), Placement::Corner);
    let mut hovered = document(sheet(20, 0.1), Placement::Corner);
    let brush = hard(0.3);
    let start_of = start(&hovered, brush);
    let view_from = |view| StrokeStart { view, ..start_of };
    for sample in [over(0.5, 0.5), samples[1], samples[0]] {
        let covered = hovered.hover(HandId(7), &start_of, &sample).unwrap();
        assert!(!covered.is_empty());
    }
    for document in [&mut plain, &mut hovered] {
        let start = start(document, brush);
        document.begin_stroke(HandId(7), start).unwrap();
        document.extend_stroke(HandId(7), &samples).unwrap();
        document.end_stroke(HandId(7)).unwrap();
    }
    assert!(values(&plain) == values(&hovered));
    // From the other side the same brush covers the same, since nothing is known from there yet.
    let view = View::Perspective { eye: Vec3::new(0.0, 0.0, -6.0), forward: Vec3::Z };
    let back = Sample { origin: Vec3::new(0.0, 0.0, -6.0), direction: Vec3::Z, ..samples[0] };
    let behind = hovered.hover(HandId(7), &view_from(view), &back).unwrap();
    assert_eq!(behind, hovered.hover(HandId(8), &view_from(view), &back).unwrap());
    assert!(!behind.is_empty());
    // A part that moved since is looked at anew: the pointer is beside it now.
    let transform = Transform { translation: Vec3::new(90.0, 0.0, 0.0), ..Transform::IDENTITY };
    hovered.apply(PartEdit::PlacePart { part: start_of.coat.part, transform }).unwrap();
    let covered = hovered.hover(HandId(7), &start_of, &samples[0]).unwrap();
    assert!(covered.is_empty());
}

/// A blend looks at what the stroke met, so crossing itself does not lay it on twice.
#[test]
fn a_blend_is_laid_on_once_however_often_the_stroke_passes() {
    let mut document = document(sheet(10, 0.0), Placement::Vertex);
    let mut half = painted_with([0.5, 0.5, 0.5, 1.0], start(&document, hard(0.5)));
    half.coat.blend = Blend::Multiply;
    let there_and_back = [over(-0.5, 0.0), over(0.5, 0.0), over(-0.5, 0.0)];
    for power in 1..4 {
        stroke(&mut document, half, &there_and_back);
        let middle = values(&document)[60];
        assert!((middle[0] - 0.5_f32.powi(power)).abs() < 1e-6, "{power}: {middle:?}");
    }
    // Erasing lays the ground color on as it is, whatever the blend.
    stroke(&mut document, acting(Action::Erase, half), &there_and_back);
    assert_eq!(values(&document)[60][0], 1.0);
}

/// Two samples are all that a fast pointer sends; no face between them is skipped.
#[test]
fn a_fast_facet_stroke_covers_every_face_it_crosses() {
    const SIDE: u32 = 60;
    let (from, to) = ([-0.93, -0.41], [0.88, 0.67]);
    for parallel in [false, true] {
        let mut document = document(sheet(SIDE, 0.0), Placement::Face);
        let view = View::Parallel { forward: Vec3::NEG_Z };
        let at = |[x, y]: [f32; 2]| match parallel {
            false => over(x, y),
            true => Sample { origin: Vec3::new(x, y, 4.0), direction: Vec3::NEG_Z, ..over(x, y) },
        };
        let reach = Reach::Facet;
        // That another reach builds up while held has no say here.
        let brush = Brush {
            reach,
            build_up: if parallel { BuildUp::Held } else { BuildUp::Stroke },
            ..hard(0.001)
        };
        let mut start = start(&document, brush);
        if parallel {
            start.view = view;
        }
        stroke(&mut document, start, &[at(from), at(to)]);
        let painted = |face: usize| values(&document)[face][0] == 0.0;
        // The cells of the line by walking it in small steps: in steps of a 2000th it may miss
        // slivers that the stroke has, in steps of a millionth it misses none.
        let crossed = |steps: u32| -> std::collections::BTreeSet<usize> {
            let cell = |x: f64| ((x + 1.0) / 2.0 * f64::from(SIDE)) as usize;
            (0..=steps)
                .map(|i| {
                    let t = f64::from(i) / f64::from(steps);
                    let along = |k: usize| f64::from(from[k]) + t * f64::from(to[k] - from[k]);
                    cell(along(1)) * SIDE as usize + cell(along(0))
                })
                .collect()
        };
        let (coarse, fine) = (crossed(2_000), crossed(1_000_000));
        assert!(coarse.len() > 80 && coarse.iter().all(|&face| painted(face)));
        assert!((0..values(&document).len()).all(|face| !painted(face) || fine.contains(&face)));
    }
}

/// Between two samples beside it stands a thin mast: it is painted though neither sample met it.
#[test]
fn what_stands_between_two_samples_is_not_jumped_over() {
    let mut mast = sheet(1, 0.0);
    mast.positions.iter_mut().for_each(|p| p.x *= 0.02);
    let mut document = document(mast, Placement::Vertex);
    let reach = Reach::Facet;
    let start = start(&document, Brush { reach, ..hard(0.1) });
    stroke(&mut document, start, &[over(-0.9, 0.0), over(0.9, 0.1)]);
    assert!(values(&document).iter().all(|value| value[0] == 0.0));
}

#[test]
fn a_corner_stroke_takes_the_nearest_corner_of_each_face_it_crosses() {
    for (placement, count) in [(Placement::Corner, 1), (Placement::Vertex, 1), (Placement::Face, 1)]
    {
        let mut document = document(sheet(2, 0.0), placement);
        let reach = Reach::Corner;
        let start = start(&document, Brush { reach, ..hard(5.0) });
        // Within the first face, near the middle of the sheet.
        stroke(&mut document, start, &[over(-0.1, -0.2)]);
        let painted: Vec<usize> =
            (0..values(&document).len()).filter(|&i| values(&document)[i][0] == 0.0).collect();
        assert_eq!(painted.len(), count);
        let mesh = document.parts()[0].geometry.mesh();
        let place = match placement {
            Placement::Vertex => mesh.positions()[painted[0]],
            Placement::Corner => mesh.corner_position(painted[0]),
            Placement::Face => Vec3::ZERO,
        };
        assert_eq!(place, Vec3::ZERO);
    }
}
