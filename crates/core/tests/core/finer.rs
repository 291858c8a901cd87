//! Strokes that make the mesh beneath them finer, or cut it along their rim: what they cover is what they
//! look like, and nothing tears.

use std::f64::consts::PI;

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{Channels, Encoding};
use speckle_core::{
    Change, Document, Edit, HandId, PaintEdit,
    document::{Ahead, Direction, Fill},
};
use speckle_mesh::{Geometry, Mesh, Placement, sight::View};
use speckle_model::{NewPart, NewSet, Part};
use speckle_tools::{
    bake::watch::Watch,
    reform::{Given, Reform, reform},
    stroke::{Brush, Coat, Mirror, Sample, StrokeStart},
};

use crate::{
    bunny::bunny,
    common::{arrays_of, polygons, sheet},
    decimating::ball,
    reshaping::assert_as_fresh,
};

pub const BLACK: [f32; 4] = [0.0; 4];

pub fn document(mesh: &Mesh, placement: Placement) -> Document {
    let set = NewSet::flooded("Coat", placement, Encoding::Data, [1.0; 4], mesh);
    let mut document = Document::default();
    let part = NewPart::new("Piece", mesh.clone(), vec![set]);
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document
}

/// A square of two triangles from −1 to 1.
pub fn square() -> Mesh {
    let corners = [[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]];
    let at = corners.map(|[x, y]| Vec3::new(x, y, 0.0));
    polygons(at.to_vec(), &[vec![0, 1, 2], vec![0, 2, 3]])
}

pub fn triangles(mesh: &Mesh) -> Mesh {
    let geometry = Geometry::new(mesh.clone());
    let corners: Vec<u32> = geometry.triangulation().corners().iter().flatten().copied().collect();
    mesh.cut(&corners)
}

pub fn start(document: &Document, brush: Brush, eye: Vec3) -> StrokeStart {
    let part = &document.parts()[0];
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, BLACK);
    let view = View::Perspective { eye, forward: -eye.normalize() };
    StrokeStart::new(coat, brush, view)
}

pub fn sample(eye: Vec3, at: Vec3) -> Sample {
    Sample { origin: eye, direction: at - eye, held: false, pressure: 1.0 }
}

pub const ABOVE: Vec3 = Vec3::new(0.0, 0.0, 6.0);

fn crisp(radius: f32) -> Brush {
    Brush { radius, hardness: 1.0, crisp: true, ..Brush::default() }
}

fn triangle_count(document: &Document) -> usize {
    document.parts().iter().map(|part| part.geometry.mesh().triangle_count()).sum()
}

/// A fill, which makes as many triangles as was told ahead.
pub fn filled(document: &mut Document, fill: Fill) -> Change {
    let before = triangle_count(document);
    let told = document.ahead_of_fill(&fill).map_or(0, Ahead::new_triangles);
    assert_eq!(triangle_count(document), before, "it is only told");
    let change = document.apply(PaintEdit::Fill { fill }).unwrap();
    assert_eq!(triangle_count(document) - before, told);
    change
}

/// A stroke; one of a single dab makes as many triangles as was told ahead.
fn laid(document: &mut Document, start: StrokeStart, samples: Vec<Sample>) -> Change {
    let before = triangle_count(document);
    let told = document.ahead_of_dab(&start, samples[0]).map_or(0, Ahead::new_triangles);
    let is_dab = samples.len() == 1;
    let change = laid_on(document, start, samples);
    assert!(!is_dab || triangle_count(document) - before == told, "{told} were told");
    change
}

fn laid_on(document: &mut Document, start: StrokeStart, samples: Vec<Sample>) -> Change {
    document.apply(PaintEdit::Stroke { start, samples }).unwrap()
}

/// The area that is painted: at faces whole, at vertices by what shows between them.
pub fn painted_area(document: &Document) -> f64 {
    let part = &document.parts()[0];
    let (mesh, set) = (part.geometry.mesh(), &part.sets[0]);
    let dark = |element: usize| f64::from(1.0 - set.values[element][0]);
    (0..mesh.face_count())
        .map(|face| {
            let area = f64::from(mesh.face_area_vector(face).length()) / 2.0;
            area * match set.placement {
                Placement::Face => dark(face),
                Placement::Corner => mesh.face_corners(face).map(dark).sum::<f64>() / 3.0,
                Placement::Vertex => {
                    mesh.face_vertices(face).iter().map(|&v| dark(v as usize)).sum::<f64>() / 3.0
                }
            }
        })
        .sum()
}

/// Undo has the first part's shape and values as they were, and redo as they became, to the bit.
pub fn assert_goes_back_and_forth(document: &mut Document, before: &Part, change: &Change) {
    let after = document.parts()[0].clone();
    document.replay(change, Direction::Backward).unwrap();
    assert_eq!(document.parts()[0].geometry.id(), before.geometry.id());
    assert_eq!(document.parts()[0].sets[0].values, before.sets[0].values);
    document.replay(change, Direction::Forward).unwrap();
    assert_eq!(document.parts()[0].geometry.id(), after.geometry.id());
    assert_eq!(document.parts()[0].sets[0].values, after.sets[0].values);
}

fn smallest_angle(mesh: &Mesh) -> f32 {
    let of_face = |face: usize| {
        let at = mesh.face_corners(face).map(|c| mesh.corner_position(c)).collect::<Vec<_>>();
        let angle = |i: usize| {
            let [a, b, c] = [i, (i + 1) % 3, (i + 2) % 3].map(|i| at[i]);
            (b - a).angle_between(c - a)
        };
        (0..3).map(angle).fold(f32::MAX, f32::min)
    };
    (0..mesh.face_count()).map(of_face).fold(f32::MAX, f32::min)
}

/// A circle painted on two triangles is one: π r² within a thousandth of it, its rim within the tolerance.
/// What belongs to vertices runs out within a hundredth of the radius.
#[test]
fn a_circle_on_two_triangles_is_a_circle() {
    for (placement, within) in
        [(Placement::Face, 1e-3), (Placement::Corner, 1e-3), (Placement::Vertex, 5e-3)]
    {
        for (radius, middle) in [
            (0.4, Vec3::new(0.13, -0.21, 0.0)),
            (0.05, Vec3::new(-0.5, 0.4, 0.0)),
            (0.4, Vec3::ZERO),
        ] {
            let mut document = document(&square(), placement);
            let before = document.parts()[0].clone();
            let stroke = start(&document, crisp(radius), ABOVE);
            let change = laid(&mut document, stroke, vec![sample(ABOVE, middle)]);
            let circle = PI * f64::from(radius).powi(2);
            let area = painted_area(&document);
            assert!((area / circle - 1.0).abs() < within, "{placement:?}: {area} of {circle}");
            let after = document.parts()[0].clone();
            assert_as_fresh(&after.geometry);
            assert_eq!(after.geometry.topology().euler_number(), 1);
            assert!(after.geometry.mesh().positions().iter().all(|p| p.z == 0.0));
            // Every vertex at the rim of painted faces lies on the circle.
            let mesh = after.geometry.mesh();
            if placement == Placement::Face {
                let values = &after.sets[0].values;
                for (face, value) in values.iter().enumerate().filter(|(_, value)| value[0] == 0.0)
                {
                    for corner in mesh.face_corners(face) {
                        let far = mesh.corner_position(corner).distance(middle);
                        assert!(far < radius * 1.003, "{far} in {face}: {value:?}");
                    }
                }
            }
            // One undo takes shape and paint together, and redo brings both.
            document.replay(&change, Direction::Backward).unwrap();
            assert_eq!(document.parts()[0].geometry.id(), before.geometry.id());
            assert_eq!(document.parts()[0].sets[0].values, before.sets[0].values);
            document.replay(&change, Direction::Forward).unwrap();
            assert_eq!(document.parts()[0].geometry.id(), after.geometry.id());
            assert_eq!(document.parts()[0].sets[0].values, after.sets[0].values);
        }
    }
}

/// A band with round ends: 2 r l + π r²; the dabs of 0.2 radii each reach to 1.2 of the way of 1.22.
#[test]
fn a_band_has_straight_edges() {
    let mut document = document(&square(), Placement::Face);
    let stroke = start(&document, crisp(0.2), ABOVE);
    let way = [-0.6, -0.2, 0.2, 0.62].map(|x| sample(ABOVE, Vec3::new(x, 0.1, 0.0)));
    laid(&mut document, stroke, way.to_vec());
    let expected = 2.0 * 0.2 * 1.2 + PI * 0.04;
    // Dabs a fifth of the radius apart leave waves of half a percent of it.
    let area = painted_area(&document);
    assert!((area / expected - 1.0).abs() < 5e-3, "{area} of {expected}");
}

/// A circle as seen covers an ellipse of a slanted square: π r² over the cosine of the slant. What is not
/// seen from there, behind a fold, stays as it is.
#[test]
fn a_slanted_square_is_cut_along_an_ellipse() {
    for degrees in [0.0_f32, 30.0, 60.0] {
        let mut document = document(&square(), Placement::Face);
        let away = Vec3::new(degrees.to_radians().sin(), 0.0, degrees.to_radians().cos());
        let stroke = start(&document, crisp(0.3), ABOVE);
        let stroke = StrokeStart { view: View::Parallel { forward: -away }, ..stroke };
        let at = Sample { origin: 5.0 * away, direction: -away, held: false, pressure: 1.0 };
        laid(&mut document, stroke, vec![at]);
        let ellipse = PI * 0.09 / f64::from(degrees.to_radians().cos());
        let area = painted_area(&document);
        assert!((area / ellipse - 1.0).abs() < 2e-3, "{degrees}°: {area} of {ellipse}");
    }
}

/// What the mesh itself hides is left alone: only the upper of two bent halves is cut.
#[test]
fn what_a_fold_hides_stays_as_it_is() {
    // A strip folded back under itself: both halves look up to the eye that looks from above and through.
    let at = [[-1.0, 0.0, 0.0], [1.0, 0.0, 0.0], [1.0, 1.0, 0.0], [-1.0, 1.0, 0.0]];
    let under = at.map(|[x, y, _]| [x, y, -0.5]);
    let bridge = [[2.0, 0.0, -0.25], [2.0, 1.0, -0.25]];
    let points: Vec<Vec3> = at.into_iter().chain(under).chain(bridge).map(Vec3::from).collect();
    let faces =
        [[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7], [1, 8, 9], [1, 9, 2], [8, 5, 6], [8, 6, 9]];
    let mesh = polygons(points, &faces.map(|face| face.to_vec()));
    let mut document = document(&mesh, Placement::Face);
    let stroke = start(&document, crisp(0.3), ABOVE);
    laid(&mut document, stroke, vec![sample(ABOVE, Vec3::new(-0.2, 0.5, 0.0))]);
    let mesh = document.parts()[0].geometry.mesh().clone();
    let low = (0..mesh.face_count()).filter(|&f| mesh.face_centroid(f).z < -0.45).count();
    let high = (0..mesh.face_count()).filter(|&f| mesh.face_centroid(f).z > -0.05).count();
    assert!(high > 100 && low <= 4, "{high} above, {low} below");
}

/// Longest-edge bisection (Rivara 1997): what is reached is fine enough, no angle is less than half of the
/// smallest there was, and neither shape nor connection change.
#[test]
fn edges_under_the_brush_become_short_enough() {
    for (mesh, name) in [(triangles(&ball(12, 20)), "ball"), (bunny().mesh().clone(), "bunny")] {
        let mut document = document(&mesh, Placement::Vertex);
        let size = document.parts()[0].geometry.measures().diagonal();
        let middle = document.parts()[0].geometry.measures().center();
        let eye = middle + Vec3::Z * 3.0 * size;
        let brush = Brush {
            radius: 0.1 * size,
            hardness: 1.0,
            finer: Some(0.005 * size),
            ..Brush::default()
        };
        let stroke = start(&document, brush, eye);
        let stroke =
            StrokeStart { view: View::Perspective { eye, forward: Vec3::NEG_Z }, ..stroke };
        let change = laid(&mut document, stroke, vec![sample(eye, middle)]);
        let geometry = document.parts()[0].geometry.clone();
        let (fine, before) = (geometry.mesh(), Geometry::new(mesh.clone()));
        assert!(fine.face_count() > mesh.face_count() + 100, "{name}");
        assert_eq!(geometry.topology().euler_number(), before.topology().euler_number());
        assert_eq!(geometry.topology().is_watertight(), before.topology().is_watertight());
        assert!(smallest_angle(fine) > 0.49 * smallest_angle(&mesh), "{name}");
        let hit = geometry.bvh().cast(eye, middle - eye).unwrap();
        let hit = hit.point;
        let mut met = 0;
        for face in 0..fine.face_count() {
            let at: Vec<Vec3> = fine.face_corners(face).map(|c| fine.corner_position(c)).collect();
            let is_near = at.iter().all(|p| p.distance(hit) < 0.099 * size);
            let looks_on = fine.face_area_vector(face).z > 0.0;
            if is_near && looks_on {
                met += 1;
                for i in 0..3 {
                    assert!(at[i].distance(at[(i + 1) % 3]) <= 0.005 * size * 1.0001, "{name}");
                }
            }
        }
        assert!(met > 100, "{name}: {met}");
        assert_as_fresh(&geometry);
        document.replay(&change, Direction::Backward).unwrap();
        assert_eq!(document.parts()[0].geometry.id(), before.id());
    }
}

/// All edges of a part, or of a selection, become short enough; the shape and what lies on it stay.
#[test]
fn whole_parts_are_refined_to_a_length() {
    let mesh = ball(6, 9);
    let document = document(&mesh, Placement::Face);
    let part = &document.parts()[0];
    let refine = |length: f32| {
        reform(part, &Reform::Refine { length, only: None }, Given::default(), &Watch::default())
    };
    let fine = refine(0.1).unwrap().shape.mesh;
    for corner in 0..fine.corner_count() {
        let next = if corner % 3 == 2 { corner - 2 } else { corner + 1 };
        assert!(fine.corner_position(corner).distance(fine.corner_position(next)) <= 0.1);
    }
    let geometry = Geometry::new(fine.clone());
    assert!(geometry.topology().is_watertight());
    assert_eq!(geometry.topology().euler_number(), 2);
    assert!(smallest_angle(&fine) > 0.49 * smallest_angle(&triangles(&mesh)));
    assert!(refine(9.0).unwrap_err().to_string().contains("no edge is longer"));
    assert!(refine(-1.0).is_err() && refine(f32::NAN).is_err());
}

/// How far it is goes up steadily, to the end.
#[test]
fn it_is_told_how_far_whole_parts_are_refined() {
    let document = document(&ball(6, 9), Placement::Face);
    let part = &document.parts()[0];
    let watch = Watch::default();
    let order = Reform::Refine { length: 0.008, only: None };
    let shares = std::thread::scope(|scope| {
        let done = scope.spawn(|| reform(part, &order, Given::default(), &watch).is_ok());
        let mut shares = Vec::new();
        while !done.is_finished() {
            shares.push(watch.share());
            std::thread::yield_now();
        }
        assert!(done.join().unwrap());
        shares
    });
    assert!(shares.is_sorted());
    assert_eq!(watch.share(), 1.0);
}

#[test]
fn quads_under_it_become_triangles_and_come_back() {
    let quads = Mesh::new(sheet(6, 0.0)).unwrap();
    let mut document = document(&quads, Placement::Face);
    let before = document.parts()[0].clone();
    let stroke = start(&document, crisp(0.3), ABOVE);
    let change = laid(&mut document, stroke, vec![sample(ABOVE, Vec3::ZERO)]);
    let circle = PI * 0.09;
    assert!((painted_area(&document) / circle - 1.0).abs() < 1e-3);
    assert!(document.parts()[0].geometry.mesh().all_triangles());
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.parts()[0].geometry.id(), before.geometry.id());
    assert_eq!(document.parts()[0].sets[0].values, before.sets[0].values);
}

/// A stroke past the part changes nothing; nor does one while another hand paints on the same part, but
/// for its paint.
#[test]
fn where_it_cannot_it_leaves_the_mesh_alone() {
    let mut document = document(&square(), Placement::Face);
    let before = document.parts()[0].geometry.id();
    let stroke = start(&document, crisp(0.3), ABOVE);
    let missed = vec![sample(ABOVE, Vec3::new(9.0, 9.0, 0.0))];
    let change = laid(&mut document, stroke, missed);
    assert!(change.steps.is_empty());
    assert_eq!(document.parts()[0].geometry.id(), before);
    let plain = StrokeStart { brush: Brush { crisp: false, ..crisp(0.1) }, ..stroke };
    document.begin_stroke(HandId(1), plain).unwrap();
    document.begin_stroke(HandId(2), stroke).unwrap();
    document.extend_stroke(HandId(2), &[sample(ABOVE, Vec3::new(0.5, 0.2, 0.0))]).unwrap();
    let change = document.end_stroke(HandId(2)).unwrap();
    assert_eq!(change.steps.len(), 1);
    assert_eq!(document.parts()[0].geometry.id(), before);
    document.end_stroke(HandId(1));
    let unsound = Brush { finer: Some(f32::NAN), ..crisp(0.3) };
    let stroke = StrokeStart { brush: unsound, ..stroke };
    assert!(document.begin_stroke(HandId(1), stroke).is_err());
}

/// A pointer put down anew while the last stroke, which cuts the mesh, was never lifted: that one is ended,
/// and the new one goes on on what has become of the mesh.
#[test]
fn a_stroke_that_was_never_lifted_is_ended_before_the_next_begins() {
    for mesh in [square(), Mesh::new(sheet(6, 0.0)).unwrap()] {
        let mut document = document(&mesh, Placement::Face);
        let stroke = start(&document, crisp(0.2), ABOVE);
        let hand = HandId(1);
        document.begin_stroke(hand, stroke).unwrap();
        document.extend_stroke(hand, &[sample(ABOVE, Vec3::new(-0.5, 0.1, 0.0))]).unwrap();
        let earlier = document.begin_stroke(hand, stroke).unwrap().expect("it painted");
        assert!(earlier.label.ends_with("mesh finer"));
        document.extend_stroke(hand, &[sample(ABOVE, Vec3::new(0.5, 0.1, 0.0))]).unwrap();
        document.end_stroke(hand).unwrap();
        let circles = 2.0 * PI * 0.04;
        assert!((painted_area(&document) / circles - 1.0).abs() < 1e-3);
    }
}

/// Where edges are short enough already, quads stay quads, and the step says nothing of the mesh.
#[test]
fn nothing_is_cut_where_nothing_is_too_long() {
    let mut document = document(&Mesh::new(sheet(20, 0.0)).unwrap(), Placement::Face);
    let before = document.parts()[0].geometry.id();
    let brush = Brush { crisp: false, finer: Some(1.0), ..crisp(0.3) };
    let stroke = start(&document, brush, ABOVE);
    let change = laid(&mut document, stroke, vec![sample(ABOVE, Vec3::ZERO)]);
    assert_eq!(change.label, "Skin stroke on Coat");
    assert_eq!(document.parts()[0].geometry.id(), before);
    assert!(painted_area(&document) > 0.2);
}

#[test]
fn in_the_mirror_both_sides_are_cut() {
    let mut document = document(&square(), Placement::Face);
    let stroke = start(&document, crisp(0.2), ABOVE);
    let mirror = Mirror { axes: [true, false, false], ..stroke.mirror };
    let at = Vec3::new(0.5, 0.1, 0.0);
    laid(&mut document, StrokeStart { mirror, ..stroke }, vec![sample(ABOVE, at)]);
    let circles = 2.0 * PI * 0.04;
    assert!((painted_area(&document) / circles - 1.0).abs() < 1e-3);
}

fn any_stroke() -> impl Strategy<Value = (Vec3, Vec<[f32; 2]>, f32, Option<f32>, bool)> {
    (
        prop::array::uniform3(-1.0_f32..1.0).prop_map(Vec3::from),
        prop::collection::vec(prop::array::uniform2(-0.8_f32..0.8), 1..4),
        0.03_f32..0.5,
        prop::option::of(0.04_f32..0.3),
        any::<bool>(),
    )
}

/// How often something is tried: under `cargo xtask soak` as often as ten thousand strokes take, four and a
/// half to a try.
pub fn tries(usual: u32) -> ProptestConfig {
    let soaks = std::env::var_os("SPECKLE_SOAK").is_some();
    ProptestConfig::with_cases(if soaks { 2_400 } else { usual })
}

proptest! {
    #![proptest_config(tries(16))]

    /// Whatever strokes come one after the other: the mesh stays well-formed, closed and of one piece, its
    /// volume what it was; and all undone it is what it was to the bit.
    #[test]
    fn any_strokes_leave_a_closed_mesh(
        strokes in prop::collection::vec(any_stroke(), 1..8),
        at_vertices in any::<bool>(),
    ) {
        let placement = if at_vertices { Placement::Vertex } else { Placement::Face };
        let mesh = triangles(&ball(7, 9));
        let mut document = document(&mesh, placement);
        let before = document.parts()[0].clone();
        let volume = |mesh: &Mesh| -> f64 {
            (0..mesh.face_count())
                .map(|face| {
                    let [a, b, c] = [0, 1, 2].map(|i| {
                        mesh.corner_position(mesh.face_corners(face).start + i).as_dvec3()
                    });
                    a.dot(b.cross(c)) / 6.0
                })
                .sum()
        };
        let whole = volume(&mesh);
        let mut changes = Vec::new();
        for (way, places, radius, finer, crisp) in strokes {
            let eye = 5.0 * way.try_normalize().unwrap_or(Vec3::Z);
            let brush = Brush { radius, hardness: 1.0, finer, crisp, ..Brush::default() };
            let start = start(&document, brush, eye);
            let along = eye.any_orthonormal_vector().normalize();
            let across = along.cross(eye.normalize());
            let samples = places.iter().map(|[u, v]| sample(eye, along * *u + across * *v)).collect();
            changes.push(laid(&mut document, start, samples));
        }
        let geometry = document.parts()[0].geometry.clone();
        prop_assert!(Mesh::new(arrays_of(geometry.mesh())).is_ok());
        prop_assert!(geometry.topology().is_watertight());
        prop_assert_eq!(geometry.topology().euler_number(), 2);
        prop_assert!((volume(geometry.mesh()) - whole).abs() < 1e-4 * whole);
        let after = document.parts()[0].sets[0].values.len();
        prop_assert_eq!(after, placement.count(geometry.mesh()));
        for change in changes.iter().rev() {
            document.replay(change, Direction::Backward).unwrap();
        }
        prop_assert_eq!(document.parts()[0].geometry.id(), before.geometry.id());
        prop_assert_eq!(&document.parts()[0].sets[0].values, &before.sets[0].values);
    }
}
