//! What a hand does beyond plain paint: in the mirror, over several parts, through stencils, masks
//! and cutaways, and by softening and smearing.

use glam::{Vec2, Vec3};
use speckle_color::{Channels, Encoding, curve::Curve, linear_from_srgb};
use speckle_core::{
    ChannelEdit, Document, Edit, HandId, HelperEdit, PaintEdit, PartEdit, SetEdit,
    document::{Direction, Fill},
};
use speckle_mesh::{
    Mesh, Placement, Transform,
    mesh::{MeshArrays, UvSet},
    screen::Screen,
    sight::{Cutaway, View},
};
use speckle_model::{NewPart, NewSet, color_set::Role};
use speckle_tools::{
    region::Region,
    stencil::{Projection, Stencil, StencilId, StencilUse},
    stroke::{Action, Brush, BuildUp, Coat, Mirror, Reach, Sample, StrokeStart},
};

use crate::common::{beside, sheet};

const DOWN: View = View::Parallel { forward: Vec3::NEG_Z };

/// Parts with one white set each, of the same name.
fn parts(meshes: Vec<(&str, MeshArrays)>, placement: Placement) -> Document {
    let new = |(name, arrays): (&str, MeshArrays)| {
        let mesh = Mesh::new(arrays).unwrap();
        let set = NewSet::flooded("Coat", placement, Encoding::Color, [1.0; 4], &mesh);
        NewPart::new(name, mesh, vec![set])
    };
    let mut document = Document::default();
    document.apply(Edit::bring_in(meshes.into_iter().map(new).collect())).unwrap();
    document
}

fn over(x: f32, y: f32) -> Sample {
    Sample { origin: Vec3::new(x, y, 5.0), direction: Vec3::NEG_Z, held: false, pressure: 1.0 }
}

/// Hard black paint on the first part.
fn black(document: &Document, radius: f32) -> StrokeStart {
    let part = &document.parts()[0];
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, [0.0, 0.0, 0.0, 1.0]);
    StrokeStart::new(coat, Brush { radius, hardness: 1.0, ..Brush::default() }, DOWN)
}

fn stroke(document: &mut Document, start: StrokeStart, samples: &[Sample]) -> String {
    document.apply(PaintEdit::Stroke { start, samples: samples.to_vec() }).unwrap().label
}

/// The places of the vertices of a part that were painted, in the part's space.
fn painted(document: &Document, part: usize) -> Vec<Vec3> {
    let part = &document.parts()[part];
    let points = part.geometry.mesh().positions().iter();
    points.zip(part.sets[0].values.iter()).filter(|(_, v)| v[0] < 1.0).map(|(p, _)| *p).collect()
}

fn raised(arrays: MeshArrays, x: f32, z: f32) -> MeshArrays {
    let positions = arrays.positions.iter().map(|&p| p + Vec3::new(x, 0.0, z)).collect();
    MeshArrays { positions, ..arrays }
}

#[test]
fn a_mirrored_stroke_covers_its_images_to_the_bit() {
    for (axes, images) in [([true, false, false], 2), ([true, true, false], 4), ([false; 3], 1)] {
        let mut document = parts(vec![("Deck", sheet(40, 0.0))], Placement::Vertex);
        let start =
            StrokeStart { mirror: Mirror { axes, of_project: false }, ..black(&document, 0.12) };
        stroke(&mut document, start, &[over(0.52, 0.31), over(0.6, 0.31)]);
        let found = painted(&document, 0);
        let one = found.iter().filter(|p| p.x > 0.0 && p.y > 0.0).count();
        assert!(one > 10);
        assert_eq!(found.len(), one * images, "{axes:?}");
        for p in &found {
            let flipped = |i: usize| if axes[i] { -1.0 } else { 1.0 };
            let image = Vec3::new(p.x * flipped(0), p.y * flipped(1), p.z);
            assert!(found.iter().any(|q| q.distance(image) < 1e-5), "{p} has no image");
        }
    }
    // In the part's own mirror a part that stands elsewhere is painted as if it did not; in the
    // project's, the image falls beside it.
    for of_project in [false, true] {
        let mut document = parts(vec![("Deck", sheet(40, 0.0))], Placement::Vertex);
        let part = document.parts()[0].id;
        let transform = Transform { translation: Vec3::X * 10.0, ..Transform::IDENTITY };
        document.apply(PartEdit::PlacePart { part, transform }).unwrap();
        let mirror = Mirror { axes: [true, false, false], of_project };
        let start = StrokeStart { mirror, ..black(&document, 0.12) };
        stroke(&mut document, start, &[over(10.5, 0.3)]);
        let found = painted(&document, 0);
        assert_eq!(found.iter().any(|p| p.x < 0.0), !of_project);
        assert!(found.iter().any(|p| p.x > 0.0));
    }
    // Where a stroke meets its own image it is laid on once.
    let mut document = parts(vec![("Deck", sheet(40, 0.0))], Placement::Vertex);
    let mut start = black(&document, 0.3);
    start.mirror.axes[0] = true;
    start.brush.opacity = 0.5;
    stroke(&mut document, start, &[over(0.0, 0.0)]);
    assert_eq!(document.parts()[0].sets[0].values[41 * 20 + 20][0], 0.5);
}

#[test]
fn one_stroke_paints_all_visible_parts_that_have_the_set() {
    let meshes = vec![
        ("Left", raised(sheet(20, 0.0), -1.0, 0.0)),
        ("Right", raised(sheet(20, 0.0), 1.05, 0.0)),
        ("Locked", raised(sheet(20, 0.0), 1.05, -0.5)),
        ("Bare", raised(sheet(20, 0.0), 1.05, -1.0)),
    ];
    let mut document = parts(meshes, Placement::Vertex);
    let locked = document.parts()[2].id;
    document.apply(PartEdit::LockParts { parts: vec![locked], locked: true }).unwrap();
    let (bare, set) = (document.parts()[3].id, document.parts()[3].sets[0].id);
    document.apply(SetEdit::RenameSet { part: bare, set, name: "Other".into() }).unwrap();
    let way = [over(-0.6, 0.0), over(0.8, 0.0)];
    for reach in [Reach::Deep, Reach::Skin, Reach::Facet] {
        let mut start = black(&document, 0.4);
        start.brush.reach = reach;
        stroke(&mut document, start, &way);
        assert!(painted(&document, 1).is_empty(), "another part stays unless it is meant");
        document.apply(ChannelEdit::ClearPart { part: start.coat.part }).unwrap();
        start.coat.all_parts = true;
        let label = stroke(&mut document, start, &way);
        assert!(label.ends_with("on Coat of 2 parts"), "{label}");
        assert!(!painted(&document, 1).is_empty(), "{reach:?}");
        assert!(painted(&document, 2).is_empty() && painted(&document, 3).is_empty());
        let parts: Vec<_> = document.parts()[..2].iter().map(|part| part.id).collect();
        for part in parts {
            document.apply(ChannelEdit::ClearPart { part }).unwrap();
        }
        assert!(painted(&document, 0).is_empty());
    }
}

/// Whatever another hand does to the list of parts meanwhile, the journal has all that stays.
#[test]
fn a_part_that_goes_or_moves_takes_no_paint_of_the_others_along() {
    let meshes = vec![
        ("Left", raised(sheet(20, 0.0), -1.0, 0.0)),
        ("Right", raised(sheet(20, 0.0), 1.05, 0.0)),
    ];
    let mut document = parts(meshes, Placement::Vertex);
    let bare = document.record();
    let mesh = |document: &Document, i: usize| document.parts()[i].geometry.mesh().clone();
    let meshes = [mesh(&document, 0), mesh(&document, 1)];
    let (left, right) = (document.parts()[0].id, document.parts()[1].id);
    let mut start = black(&document, 0.4);
    start.coat.all_parts = true;
    let hand = HandId(1);
    document.begin_stroke(hand, start).unwrap();
    document.extend_stroke(hand, &[over(-0.3, 0.0), over(0.3, 0.0)]).unwrap();
    let moved = document.apply(PartEdit::MovePart { part: right, to: 0 }).unwrap();
    document.extend_stroke(hand, &[over(0.3, 0.3)]).unwrap();
    let gone = document.apply(PartEdit::DeleteParts { parts: vec![left] }).unwrap();
    document.extend_stroke(hand, &[over(0.6, 0.3)]).unwrap();
    let stroke = document.end_stroke(hand).unwrap();
    assert_eq!(stroke.steps.len(), 1, "the part that is left");
    let painted = document.parts()[0].sets[0].values.clone();
    assert!(painted.iter().any(|v| v[0] == 0.0));
    // The journal alone leads to the same state, and back.
    let mut replayed = Document::restore(bare, meshes.to_vec()).unwrap();
    for change in [&moved, &gone, &stroke] {
        replayed.replay(change, Direction::Forward).unwrap();
    }
    assert!(replayed.parts()[0].sets[0].values == painted);
    for change in [&stroke, &gone, &moved] {
        document.replay(change, Direction::Backward).unwrap();
    }
    let all_white = |part: &speckle_model::Part| part.sets[0].values.iter().all(|v| *v == [1.0; 4]);
    assert!(document.parts().iter().all(all_white));
}

#[test]
fn what_another_part_hides_is_not_painted_unless_the_brush_goes_through() {
    let meshes = vec![("Deck", sheet(40, 0.0)), ("Awning", raised(sheet(4, 0.0), 1.0, 1.0))];
    let mut document = parts(meshes, Placement::Vertex);
    let start = black(&document, 0.5);
    stroke(&mut document, start, &[over(-0.2, 0.0)]);
    let found = painted(&document, 0);
    assert!(found.iter().all(|p| p.x < 0.01) && found.iter().any(|p| p.x > -0.1));
    // Under the awning the pointer meets the awning.
    stroke(&mut document, start, &[over(0.6, 0.0)]);
    assert_eq!(painted(&document, 0), found);
    let mut through = start;
    through.brush.through = true;
    stroke(&mut document, through, &[over(0.6, 0.0)]);
    assert!(painted(&document, 0).iter().any(|p| p.x > 0.5));
    // With the awning hidden, or cut away, nothing is in the way.
    for cut in [false, true] {
        let part = document.parts()[0].id;
        document.apply(ChannelEdit::ClearPart { part }).unwrap();
        let awning = document.parts()[1].id;
        document.apply(PartEdit::ShowParts { parts: vec![awning], visible: cut }).unwrap();
        let mut start = start;
        let (normal, offset) = (Vec3::Z, 0.5);
        start.coat.cutaway = cut.then_some(Cutaway { normal, offset, covers_hidden: false });
        stroke(&mut document, start, &[over(0.6, 0.0)]);
        assert!(painted(&document, 0).iter().any(|p| p.x > 0.5), "{cut}");
    }
}

/// Two sheets side by side, one a little behind the other: the skin stays on the one it is on,
/// *apart* takes in both, and *through* what lies behind as well.
#[test]
fn the_skin_may_reach_apart_and_through() {
    let three = beside(beside(sheet(20, 0.0), raised(sheet(20, 0.0), 2.1, 0.0)), sheet(20, -1.0));
    let counted = |through: bool, apart: bool| {
        let mut document = parts(vec![("Decks", three.clone())], Placement::Vertex);
        let mut start = black(&document, 0.5);
        (start.brush.through, start.brush.apart) = (through, apart);
        stroke(&mut document, start, &[over(0.8, 0.0)]);
        let found = painted(&document, 0);
        let beside = found.iter().filter(|p| p.x > 1.05).count();
        let behind = found.iter().filter(|p| p.z < -0.5).count();
        (beside > 0, behind > 0)
    };
    assert_eq!(counted(false, false), (false, false));
    assert_eq!(counted(false, true), (true, false));
    assert_eq!(counted(true, true), (true, true));
    assert_eq!(counted(true, false), (false, false), "not connected is not reached");
}

#[test]
fn flow_spacing_and_curves_do_what_they_say() {
    let middle = |brush: Brush, samples: &[Sample]| {
        let mut document = parts(vec![("Deck", sheet(40, 0.0))], Placement::Vertex);
        let start = StrokeStart { brush, ..black(&document, 0.3) };
        stroke(&mut document, start, samples);
        document.parts()[0].sets[0].values[41 * 20 + 20][0]
    };
    let brush = Brush { radius: 0.3, hardness: 1.0, ..Brush::default() };
    // One dab lays on the flow; each more the same share of what is left (hand-worked).
    let building = |flow: f32| Brush { build_up: BuildUp::Dab, flow, ..brush };
    assert!((middle(building(0.5), &[over(0.0, 0.0)]) - 0.5).abs() < 1e-6);
    let held = Sample { held: true, ..over(0.0, 0.0) };
    assert!((middle(building(0.5), &[over(0.0, 0.0), held, held]) - 0.5).abs() < 1e-6);
    let while_held = Brush { build_up: BuildUp::Held, ..building(0.5) };
    assert!((middle(while_held, &[over(0.0, 0.0), held, held]) - 0.125).abs() < 1e-6);
    // A way of 0.9 in dabs one radius apart has four of them, of which two reach its middle.
    let wide = Brush { spacing: 1.0, ..building(0.5) };
    assert!((middle(wide, &[over(-0.45, 0.0), over(0.46, 0.0)]) - 0.25).abs() < 1e-6);
    // Half pressure by a curve that is a quarter there.
    let firm = Curve([0.0, 0.1, 0.25, 0.6, 1.0]);
    let pen = Brush { pressure_opacity: Some(firm), ..brush };
    let half = Sample { pressure: 0.5, ..over(0.0, 0.0) };
    assert!((middle(pen, &[half]) - 0.75).abs() < 1e-6);
    // A falloff drawn by hand: nothing but the hard middle.
    let own = Brush { hardness: 0.1, falloff_curve: Some(Curve([0.0; 5])), ..brush };
    assert_eq!(middle(own, &[over(0.08, 0.0)]), 1.0);
    assert_eq!(own.falloff(0.05), 1.0);
}

/// A curve through points on a line is that line, and never leaves its points' range elsewhere
/// (Fritsch and Carlson 1980).
#[test]
fn curves_go_through_their_points_and_never_beyond() {
    for i in 0..=100 {
        let x = i as f32 / 100.0;
        assert!((Curve::STRAIGHT.at(x) - x).abs() < 1e-6);
    }
    let curve = Curve([0.0, 0.9, 0.2, 0.2, 1.0]);
    for (i, y) in curve.0.iter().enumerate() {
        assert!((curve.at(i as f32 / 4.0) - y).abs() < 1e-6);
    }
    for i in 0..400 {
        let (x, piece) = (i as f32 / 400.0, i / 100);
        let (a, b) = (curve.0[piece], curve.0[piece + 1]);
        let y = curve.at(x);
        assert!(y >= a.min(b) - 1e-6 && y <= a.max(b) + 1e-6, "{x}: {y}");
    }
}

fn half_and_half(placement: Placement) -> Document {
    let mut document = parts(vec![("Deck", sheet(40, 0.0))], placement);
    let (part, set) = (document.parts()[0].id, document.parts()[0].sets[0].id);
    let region = Region::Band { direction: Vec3::X, from: 0.0, to: 2.0, soft: 0.0 };
    let coat = Coat::new(part, set, Channels::RGBA, [0.0, 0.0, 0.0, 1.0]);
    let fill = Fill { coat, opacity: 1.0, region, at: None, afresh: false, crisp: false };
    document.apply(PaintEdit::Fill { fill }).unwrap();
    document
}

/// Light is kept by mixing neighbours far from the rim of the dab: the mean stays what it was, the
/// border gets wide.
#[test]
fn softening_mixes_light_and_leaves_what_is_even_to_the_bit() {
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let mut document = half_and_half(placement);
        let before = document.parts()[0].sets[0].values.clone();
        let mut start = black(&document, 0.6);
        start.coat.action = Action::Soften;
        let label = stroke(&mut document, start, &[over(0.0, 0.0), over(0.0, 0.2)]);
        assert_eq!(label, "Soften on Coat");
        let after = &document.parts()[0].sets[0].values;
        let between = after.iter().filter(|v| v[0] > 0.02 && v[0] < 0.98).count();
        assert!(between > 20, "{placement:?} {between}");
        let light = |values: &[[f32; 4]]| -> f64 {
            values.iter().map(|v| f64::from(linear_from_srgb(v[0]))).sum()
        };
        assert!((light(after) / light(&before) - 1.0).abs() < 0.05);
        let mesh = document.parts()[0].geometry.mesh();
        if placement == Placement::Vertex {
            for ((p, old), new) in mesh.positions().iter().zip(before.iter()).zip(after.iter()) {
                assert!(p.x.abs() < 0.5 || old == new, "{p}");
            }
        }
    }
}

#[test]
fn smearing_carries_color_the_way_the_pointer_goes() {
    let smeared = |from: f32, to: f32| {
        let mut document = half_and_half(Placement::Vertex);
        let mut start = black(&document, 0.3);
        start.coat.action = Action::Smear;
        stroke(&mut document, start, &[over(from, 0.0), over(to, 0.0)]);
        let row = &document.parts()[0].sets[0].values[41 * 20..41 * 21];
        // How far black reaches to the left of the middle, and white to the right of it.
        let black = row[..20].iter().filter(|v| v[0] < 0.9).count();
        let white = row[20..].iter().filter(|v| v[0] > 0.1).count();
        (black, white)
    };
    let (black, white) = smeared(0.5, -0.5);
    assert!(black > 5 && white == 0, "{black} {white}");
    let (black, white) = smeared(-0.5, 0.5);
    assert!(black == 0 && white > 5, "{black} {white}");
}

/// White left half, black right half; alpha halves the upper row.
fn stencil(document: &mut Document) -> StencilId {
    let (white, black, pale) = ([255, 255, 255, 255], [0, 0, 0, 255], [255, 255, 255, 128]);
    let pixels: Vec<u8> = [[pale, black], [white, black]].concat().concat();
    let id = StencilId(7);
    document.supply_stencil(id, Stencil::from_rgba(2, 2, &pixels).unwrap().into());
    id
}

#[test]
fn a_stencil_lets_paint_through_where_it_is_white() {
    let mut arrays = sheet(40, 0.0);
    let uvs = arrays
        .corner_vertices
        .iter()
        .map(|&v| (arrays.positions[v as usize].truncate() + 1.0) / 2.0)
        .collect::<Vec<Vec2>>();
    arrays.uv_sets = vec![UvSet { name: "UV".into(), uvs }];
    let screen = Screen { view: DOWN, right: Vec3::X, up: Vec3::Y };
    let lays = [
        Projection::Screen { screen, middle: Vec2::ZERO, width: 2.0 },
        Projection::Uv { uv_set: 0, width: 1.0 },
        Projection::Axes { width: 2.0 },
    ];
    for lay in lays {
        for (turn, invert) in [(0.0, false), (0.0, true), (180.0, false)] {
            let mut document = parts(vec![("Deck", arrays.clone())], Placement::Vertex);
            let usage = StencilUse {
                stencil: stencil(&mut document),
                lay,
                turn,
                repeat: false,
                invert,
                hard: false,
            };
            let mut start = black(&document, 5.0);
            start.coat.stencil = Some(usage);
            stroke(&mut document, start, &[over(0.0, 0.0)]);
            let at = |x: f32, y: f32| {
                let points = document.parts()[0].geometry.mesh().positions();
                let place = Vec3::new(x, y, 0.0);
                let near = (0..points.len()).min_by(|&a, &b| {
                    points[a].distance(place).total_cmp(&points[b].distance(place))
                });
                document.parts()[0].sets[0].values[near.unwrap()][0]
            };
            let through = |share: f32| 1.0 - if invert { 1.0 - share } else { share };
            let side = if turn == 180.0 { -1.0 } else { 1.0 };
            let pale = 128.0 / 255.0;
            for ((x, y), share) in
                [((-0.8, 0.8), pale), ((-0.8, -0.8), 1.0), ((0.8, 0.8), 0.0), ((0.8, -0.8), 0.0)]
            {
                let value = at(x * side, y * side);
                assert!(
                    (value - through(share)).abs() < 0.01,
                    "{lay:?} {turn} {invert} {x} {y} {value}"
                );
            }
        }
    }
    // A pour goes through it too; one that is gone, or lies nowhere, is told.
    let mut document = parts(vec![("Deck", sheet(4, 0.0))], Placement::Vertex);
    let id = stencil(&mut document);
    let coat = black(&document, 1.0).coat;
    let fill = |stencil: StencilId, lay: Projection| {
        let usage =
            StencilUse { stencil, lay, turn: 0.0, repeat: true, invert: false, hard: false };
        let coat = Coat { stencil: Some(usage), ..coat };
        PaintEdit::Fill {
            fill: Fill {
                coat,
                opacity: 1.0,
                region: Region::All,
                at: None,
                afresh: false,
                crisp: false,
            },
        }
    };
    document.apply(fill(id, lays[0])).unwrap();
    let found = painted(&document, 0);
    assert!(!found.is_empty() && found.len() < 25);
    let refused =
        |document: &mut Document, edit: Edit| document.apply(edit).unwrap_err().to_string();
    assert!(
        refused(&mut document, fill(StencilId(9), lays[0]).into())
            .contains("choose the file again")
    );
    assert!(refused(&mut document, fill(id, lays[1]).into()).contains("no texture coordinates"));
    assert!(
        refused(&mut document, fill(id, Projection::Axes { width: 0.0 }).into())
            .contains("wider than nothing")
    );
    assert_eq!(Stencil::from_rgba(2, 2, &[0; 7]), None);
}

#[test]
fn a_mask_holds_back_strokes_as_much_as_it_covers() {
    let mut document = parts(vec![("Deck", sheet(40, 0.0))], Placement::Corner);
    let part = document.parts()[0].id;
    let (name, placement) = ("Mask".to_owned(), Placement::Vertex);
    document.apply(HelperEdit::AddHelper { part, role: Role::Mask, name, placement }).unwrap();
    let mask = document.parts()[0].mask().unwrap().id;
    let region = Region::Gradient { from: Vec3::X, to: Vec3::NEG_X };
    let coat = Coat::new(part, mask, Channels([true, false, false, false]), [1.0; 4]);
    let fill = Fill { coat, opacity: 1.0, region, at: None, afresh: true, crisp: false };
    document.apply(PaintEdit::Fill { fill }).unwrap();
    let start = black(&document, 5.0);
    stroke(&mut document, start, &[over(0.0, 0.0), over(0.5, 0.5), over(0.0, 0.0)]);
    let part_now = &document.parts()[0];
    let mesh = part_now.geometry.mesh();
    for (corner, value) in part_now.sets[0].values.iter().enumerate() {
        // Fully protected at x = 1, open at x = −1.
        let protected = (mesh.corner_position(corner).x + 1.0) / 2.0;
        assert!((value[0] - protected).abs() < 1e-5, "{corner}: {}", value[0]);
    }
    // The mask itself is painted as any set is.
    let start = StrokeStart { coat, ..start };
    stroke(&mut document, start, &[over(0.0, 0.0)]);
    assert!(document.parts()[0].mask().unwrap().values.iter().all(|v| v[0] == 1.0));
}
