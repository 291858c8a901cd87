//! What a skin stroke covers and keeps, as facts of the job.

use glam::Vec3;
use speckle_core::{
    Channels, Document, Edit, EditError, Encoding, Mesh, Placement, StrokeId,
    document::{Direction, NewPart, NewSet},
    mesh::MeshArrays,
    stroke::{Brush, Sample, StrokeStart, View},
};

/// n × n quads from −1 to 1 at the height z.
fn sheet(n: u32, z: f32) -> MeshArrays {
    let at = |i: u32| 2.0 * i as f32 / n as f32 - 1.0;
    MeshArrays {
        positions: (0..=n).flat_map(|y| (0..=n).map(move |x| Vec3::new(at(x), at(y), z))).collect(),
        face_starts: (0..=n * n).map(|f| 4 * f).collect(),
        corner_vertices: (0..n * n)
            .flat_map(|i| {
                let v = i / n * (n + 1) + i % n;
                [v, v + 1, v + n + 2, v + n + 1]
            })
            .collect(),
        uv_sets: Vec::new(),
    }
}

/// Both meshes in one, not joined.
fn beside(mut a: MeshArrays, b: MeshArrays) -> MeshArrays {
    let first = a.positions.len() as u32;
    let corners = a.corner_vertices.len() as u32;
    a.positions.extend(b.positions);
    a.corner_vertices.extend(b.corner_vertices.iter().map(|v| v + first));
    a.face_starts.extend(b.face_starts[1..].iter().map(|start| start + corners));
    a
}

fn document(arrays: MeshArrays, placement: Placement) -> Document {
    let mesh = Mesh::new(arrays).unwrap();
    let values = vec![[1.0; 4]; placement.count(&mesh)];
    let set = NewSet {
        name: "Coat".into(),
        placement,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values,
    };
    let mut document = Document::default();
    document
        .apply(Edit::AddParts(vec![NewPart { name: "Sheet".into(), mesh, sets: vec![set] }]))
        .unwrap();
    document
}

const BLACK: [f32; 4] = [0.0, 0.0, 0.0, 0.0];

fn start(document: &Document, brush: Brush) -> StrokeStart {
    let part = &document.parts()[0];
    StrokeStart {
        part: part.id,
        set: part.sets[0].id,
        channels: Channels::RGB,
        paint: BLACK,
        brush,
        view: View::Perspective { eye: Vec3::new(0.0, 0.0, 6.0), forward: Vec3::NEG_Z },
    }
}

fn hard(radius: f32) -> Brush {
    Brush { radius, opacity: 1.0, hardness: 1.0, build_up: false }
}

/// A pointer over the place (x, y, 0).
fn over(x: f32, y: f32) -> Sample {
    let origin = Vec3::new(0.0, 0.0, 6.0);
    Sample { origin, direction: Vec3::new(x, y, 0.0) - origin, held: false }
}

fn values(document: &Document) -> &[[f32; 4]] {
    &document.parts()[0].sets[0].values
}

fn stroke(document: &mut Document, start: StrokeStart, samples: &[Sample]) {
    document.apply(Edit::Stroke { start, samples: samples.to_vec() }).unwrap();
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
        uv_sets: Vec::new(),
    };
    let mut document = document(split, Placement::Vertex);
    let start = start(&document, hard(0.5));
    stroke(&mut document, start, &[over(0.0, 0.0)]);
    let mesh = document.parts()[0].geometry.mesh();
    for (point, value) in mesh.positions().iter().zip(values(&document)) {
        assert_eq!(value[0] == 0.0, point.length() <= 0.5, "{point}");
    }
    assert_eq!(document.parts()[0].geometry.topology().piece_count(), 1);
}

#[test]
fn the_pointers_speed_does_not_show() {
    let soft = Brush { radius: 0.2, opacity: 0.7, hardness: 0.2, build_up: true };
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
        let brush = Brush { radius: 0.2, opacity: 0.5, hardness: 1.0, build_up };
        let start = start(&document, brush);
        stroke(&mut document, start, &crossing);
        values(&document)[41 * 20 + 20][0]
    };
    assert_eq!(at_middle(false), 0.5);
    assert!(at_middle(true) < 0.01);
}

/// Strokes of several hands on one set: each is undone exactly, whatever was under way meanwhile.
#[test]
fn interleaved_strokes_make_a_straight_journal() {
    let mut document = document(sheet(40, 0.0), Placement::Vertex);
    let ground = values(&document).to_vec();
    let first = StrokeStart { paint: [1.0, 0.0, 0.0, 1.0], ..start(&document, hard(0.3)) };
    let second = StrokeStart { paint: [0.0, 0.0, 1.0, 1.0], ..start(&document, hard(0.3)) };
    let (a, b) = (StrokeId(1), StrokeId(2));
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
        StrokeStart { channels: Channels([false; 4]), ..good },
        StrokeStart { paint: [f32::NAN; 4], ..good },
        StrokeStart { view: View::Parallel { forward: Vec3::ZERO }, ..good },
        StrokeStart { set: speckle_core::SetId(99), ..good },
    ];
    for start in bad {
        assert!(document.apply(Edit::Stroke { start, samples: vec![over(0.0, 0.0)] }).is_err());
    }
    // Samples that are no rays are passed over.
    let nowhere = Sample { origin: Vec3::NAN, direction: Vec3::ZERO, held: false };
    assert!(
        document.apply(Edit::Stroke { start: good, samples: vec![nowhere] }).unwrap().is_empty()
    );
    let part = document.parts()[0].id;
    let add = |name: &str| Edit::AddSet {
        part,
        name: name.into(),
        placement: Placement::Face,
        encoding: Encoding::Data,
        start: [0.5; 4],
    };
    assert!(matches!(document.apply(add("Coat")), Err(EditError::NameTaken { .. })));
    assert_eq!(document.apply(add("  ")).unwrap_err(), EditError::NoName);
    for i in 1..16 {
        document.apply(add(&format!("Set {i}"))).unwrap();
    }
    assert!(matches!(document.apply(add("One more")), Err(EditError::TooManySets { .. })));
    assert!(values(&document).iter().all(|v| *v == [1.0; 4]));
}
