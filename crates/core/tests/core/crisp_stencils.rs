//! Stencils that faces are cut along: what comes through is the image, however coarse the mesh is.

use glam::{Vec2, Vec3};
use proptest::prelude::*;
use speckle_color::{Channels, Encoding};
use speckle_core::{
    Change, Document, Edit, PaintEdit,
    document::{Direction, Fill},
};
use speckle_mesh::{
    Mesh, Placement,
    mesh::{MeshArrays, UvSet},
    screen::Screen,
    sight::View,
};
use speckle_model::{NewPart, NewSet, Part};
use speckle_tools::{
    region::Region,
    stencil::{Projection, Stencil, StencilId, StencilUse},
    stroke::{Brush, Coat, Sample, StrokeStart},
};

use crate::finer::assert_goes_back_and_forth;
use crate::{decimating::ball, reshaping::assert_as_fresh};

const IMAGE: StencilId = StencilId(3);
const DOWN: View = View::Parallel { forward: Vec3::NEG_Z };
const PIXELS: usize = 64;

/// A square of two triangles from −1 to 1, whose texture coordinates are 0 to 1.
fn square() -> Mesh {
    let corners = [[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]].map(Vec2::from);
    let corner_vertices = vec![0, 1, 2, 0, 2, 3];
    let uvs = corner_vertices.iter().map(|&v: &u32| (corners[v as usize] + 1.0) / 2.0).collect();
    Mesh::new(MeshArrays {
        positions: corners.map(|at| at.extend(0.0)).to_vec(),
        face_starts: vec![0, 3, 6],
        corner_vertices,
        uv_sets: vec![UvSet { name: "UV".into(), uvs }],
        ..MeshArrays::default()
    })
    .unwrap()
}

/// How much of an image lies within a shape, pixel by pixel, as a pixel's area is covered.
fn image(is_in: impl Fn(Vec2) -> bool) -> Stencil {
    const FINER: usize = 8;
    let share = |i: usize| {
        let (x, y) = (i % PIXELS, i / PIXELS);
        let place = |k: usize| {
            let within =
                Vec2::new((k % FINER) as f32 + 0.5, (k / FINER) as f32 + 0.5) / FINER as f32;
            (Vec2::new(x as f32, y as f32) + within) / PIXELS as f32
        };
        let count = (0..FINER * FINER).filter(|&k| is_in(place(k))).count();
        (255 * count / (FINER * FINER)) as u8
    };
    Stencil::new(PIXELS, PIXELS, (0..PIXELS * PIXELS).map(share).collect()).unwrap()
}

fn document(mesh: &Mesh, placement: Placement, image: Stencil) -> Document {
    let set = NewSet::flooded("Coat", placement, Encoding::Data, [1.0; 4], mesh);
    let mut document = Document::default();
    let part = NewPart::new("Piece", mesh.clone(), vec![set]);
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document.supply_stencil(IMAGE, image.into());
    document
}

fn coat(document: &Document, lay: Projection) -> Coat {
    let part = &document.parts()[0];
    let usage =
        StencilUse { stencil: IMAGE, lay, turn: 0.0, repeat: false, invert: false, hard: false };
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, [0.0; 4]);
    Coat { stencil: Some(usage), ..coat }
}

/// A dab that covers all of the square.
fn stroke(document: &mut Document, coat: Coat, crisp: bool) -> Change {
    let brush = Brush { radius: 4.0, hardness: 1.0, crisp, ..Brush::default() };
    let start = StrokeStart::new(coat, brush, DOWN);
    let above = Sample {
        origin: Vec3::new(0.1, 0.2, 5.0),
        direction: Vec3::NEG_Z,
        held: false,
        pressure: 1.0,
    };
    document.apply(PaintEdit::Stroke { start, samples: vec![above] }).unwrap()
}

fn fill(coat: Coat) -> PaintEdit {
    let fill =
        Fill { coat, opacity: 1.0, region: Region::All, at: None, afresh: false, crisp: true };
    PaintEdit::Fill { fill }
}

/// The ways in which the image can lie so that it is as wide as the square.
fn lays() -> [Projection; 3] {
    let screen = Screen { view: DOWN, right: Vec3::X, up: Vec3::Y };
    [
        Projection::Screen { screen, middle: Vec2::ZERO, width: 2.0 },
        Projection::Uv { uv_set: 0, width: 1.0 },
        Projection::Axes { width: 2.0 },
    ]
}

/// The area that is painted: at faces and corners that all are one or the other, at vertices by what shows between.
fn painted(document: &Document) -> (f64, f64) {
    let part = &document.parts()[0];
    let (mesh, set) = (part.geometry.mesh(), &part.sets[0]);
    let dark = |element: usize| f64::from(1.0 - set.values[element][0]);
    let (mut area, mut between) = (0.0, 0.0);
    for face in 0..mesh.face_count() {
        let own = f64::from(mesh.face_area_vector(face).length()) / 2.0;
        let of: Vec<f64> = match set.placement {
            Placement::Face => vec![dark(face)],
            Placement::Corner => mesh.face_corners(face).map(dark).collect(),
            Placement::Vertex => {
                mesh.face_vertices(face).iter().map(|&v| dark(v as usize)).collect()
            }
        };
        area += own * of.iter().sum::<f64>() / of.len() as f64;
        let (least, most) = of.iter().fold((1.0_f64, 0.0_f64), |(a, b), &x| (a.min(x), b.max(x)));
        assert!(of.iter().all(|x| [0.0, 1.0].contains(x)), "all comes through or nothing: {of:?}");
        between += if most > least { own } else { 0.0 };
    }
    (area, between)
}

/// A disc on two triangles is one, however the image lies and whatever values belong to; what belongs to vertices
/// runs out within a pixel. Undo brings both back.
#[test]
fn an_image_of_a_disc_on_two_triangles_is_a_disc() {
    let radius = 0.35_f32;
    let disc = |at: Vec2| at.distance(Vec2::new(0.55, 0.45)) < radius;
    let circle = std::f64::consts::PI * f64::from(2.0 * radius).powi(2);
    let pixel = 2.0 / PIXELS as f64;
    let rim = std::f64::consts::TAU * f64::from(2.0 * radius) * pixel;
    for placement in [Placement::Face, Placement::Corner, Placement::Vertex] {
        for lay in lays() {
            let mut document = document(&square(), placement, image(disc));
            let before = document.parts()[0].clone();
            let coat = coat(&document, lay);
            let change = stroke(&mut document, coat, true);
            assert!(change.label.ends_with(", mesh finer"), "{}", change.label);
            let (area, between) = painted(&document);
            assert!(
                (area / circle - 1.0).abs() < 0.01,
                "{placement:?} {lay:?}: {area} of {circle}"
            );
            // Faces on the rim are longer than it is wide; a few pixels on either side in all.
            // What belongs to corners differs within a face where no cut was made nearer to an end than a fifth of one.
            let most = if placement == Placement::Vertex { 3.0 * rim } else { 0.05 * rim };
            assert!(between <= most, "{placement:?} {lay:?}: {between} of {most}");
            let after = document.parts()[0].clone();
            assert_as_fresh(&after.geometry);
            assert_eq!(after.geometry.topology().euler_number(), 1);
            assert!(after.geometry.mesh().face_count() < 4_000, "no finer than it has to be");
            assert_goes_back_and_forth(&mut document, &before, &change);
        }
    }
}

/// Straight borders need few faces: a square in the image gives its four sides and corners, and thin lines are not
/// lost on faces that have no corner near them.
#[test]
fn straight_borders_take_few_faces_and_thin_lines_are_found() {
    let block = |at: Vec2| (at - 0.5).abs().max_element() < 0.25;
    let mut document_of_block = document(&square(), Placement::Face, image(block));
    let coat_of_block = coat(&document_of_block, lays()[1]);
    stroke(&mut document_of_block, coat_of_block, true);
    let (area, _) = painted(&document_of_block);
    // A border of 128 pixels of 1 024, a fifth of a pixel off at most.
    assert!((area - 1.0).abs() < 0.025, "{area}");
    let faces = document_of_block.parts()[0].geometry.mesh().face_count();
    assert!(faces < 600, "{faces} faces for a square");

    // A line of two pixels, far from all corners and middles of edges.
    let line =
        |at: Vec2| (at.y - 0.703_125).abs() < 1.0 / PIXELS as f32 && (0.2..0.6).contains(&at.x);
    let mut document = document(&square(), Placement::Face, image(line));
    let coat = coat(&document, lays()[0]);
    stroke(&mut document, coat, true);
    let (area, _) = painted(&document);
    let wanted = 0.8 * 4.0 / PIXELS as f64;
    assert!((area / wanted - 1.0).abs() < 0.1, "{area} of {wanted}");
}

/// A fill goes by the stencil as strokes do, its half tones all or nothing; without *crisp* the mesh stays, and half
/// tones are.
#[test]
fn a_fill_is_cut_along_its_stencil() {
    let half = |at: Vec2| at.x < 0.5;
    for lay in lays() {
        let mut document = document(&square(), Placement::Corner, image(half));
        let coat = coat(&document, lay);
        document.apply(fill(coat)).unwrap();
        let (area, _) = painted(&document);
        assert!((area - 2.0).abs() < 1e-3, "{lay:?}: {area}");
        let inverted = StencilUse { invert: true, ..coat.stencil.unwrap() };
        document.apply(fill(Coat { stencil: Some(inverted), ..coat })).unwrap();
        let (area, _) = painted(&document);
        assert!((area - 4.0).abs() < 1e-3, "{lay:?}: both halves, {area}");
    }
    let grey = Stencil::new(1, 1, vec![100]).unwrap();
    let mut document = document(&square(), Placement::Vertex, grey);
    let coat = coat(&document, lays()[1]);
    let change = stroke(&mut document, coat, false);
    assert!(!change.label.contains("finer"), "{}", change.label);
    let part = &document.parts()[0];
    assert_eq!(part.geometry.mesh().face_count(), 2);
    let met = part.sets[0].values[0][0];
    assert!((met - (1.0 - 100.0 / 255.0)).abs() < 1e-3, "{met}");
}

/// What is behind the eye, or no image at all, cuts nothing; a stencil that is gone is said.
#[test]
fn what_has_no_place_in_the_image_is_not_cut() {
    let all = |_: Vec2| true;
    let mut document = document(&square(), Placement::Face, image(all));
    let below = View::Perspective { eye: Vec3::new(0.0, 0.0, -1.0), forward: Vec3::NEG_Z };
    let screen = Screen { view: below, right: Vec3::X, up: Vec3::Y };
    let lay = Projection::Screen { screen, middle: Vec2::ZERO, width: 0.5 };
    let own = coat(&document, lay);
    let change = document.apply(fill(own)).unwrap();
    assert!(!change.label.contains("finer"), "{}", change.label);
    assert_eq!(document.parts()[0].geometry.mesh().face_count(), 2);
    let gone = StencilUse { stencil: StencilId(9), ..own.stencil.unwrap() };
    assert!(document.apply(fill(Coat { stencil: Some(gone), ..own })).is_err());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Whatever image is laid on a ball from wherever, it stays closed and where it was, and undo brings it back.
    #[test]
    fn any_stencil_leaves_a_closed_surface(
        shares in prop::collection::vec(prop::sample::select(vec![0_u8, 60, 128, 200, 255]), 36),
        lay in 0_usize..3,
        width in 0.6_f32..3.0,
        turn in -180.0_f32..180.0,
        (repeat, invert) in any::<(bool, bool)>(),
        placement in prop::sample::select(vec![Placement::Vertex, Placement::Corner, Placement::Face]),
    ) {
        let mesh = ball(6, 9);
        let uvs = mesh.arrays().corner_vertices.iter().map(|&v| mesh.positions()[v as usize].truncate());
        let mut arrays = mesh.arrays().clone();
        arrays.uv_sets = vec![UvSet { name: "UV".into(), uvs: uvs.collect() }];
        let mesh = Mesh::new(arrays).unwrap();
        let mut document = document(&mesh, placement, Stencil::new(6, 6, shares).unwrap());
        let before = document.parts()[0].clone();
        let lay = match lays()[lay] {
            Projection::Screen { screen, middle, .. } => Projection::Screen { screen, middle, width },
            Projection::Uv { uv_set, .. } => Projection::Uv { uv_set, width },
            Projection::Axes { .. } => Projection::Axes { width },
        };
        let own = coat(&document, lay);
        let usage = StencilUse { turn, repeat, invert, ..own.stencil.unwrap() };
        let change = document.apply(fill(Coat { stencil: Some(usage), ..own })).unwrap();
        let after = &document.parts()[0];
        assert_as_fresh(&after.geometry);
        prop_assert_eq!(after.geometry.topology().euler_number(), 2);
        prop_assert!(after.geometry.topology().is_watertight());
        let area = |part: &Part| {
            let mesh = part.geometry.mesh();
            (0..mesh.face_count()).map(|f| f64::from(mesh.face_area_vector(f).length())).sum::<f64>()
        };
        prop_assert!((area(after) / area(&before) - 1.0).abs() < 1e-3);
        document.replay(&change, Direction::Backward).unwrap();
        prop_assert_eq!(document.parts()[0].geometry.id(), before.geometry.id());
    }
}
