//! Faces painted in swatches: whole numbers that nothing mixes.

use glam::Vec3;
use speckle_color::{Channels, Encoding, Rgba, swatch_of, swatch_value};
use speckle_core::{
    Document, Edit, EditError, HelperEdit, PaintEdit, PartEdit, ProjectEdit, SetEdit, SwatchEdit,
    document::{Adjustment, Direction, Fill, PartPainted},
};
use speckle_mesh::{Mesh, Placement, sight::View};
use speckle_model::{
    NewPart, NewSet, SetId,
    color_set::Role,
    swatches::{self, Swatch},
};
use speckle_tools::{
    adjust::How,
    bake::watch::Watch,
    region::Region,
    separation::separate,
    stroke::{Action, Brush, Coat, Falloff, Sample, StrokeStart},
    swatching::{Making, made},
    transfer::{self, Rules, Source, WhatIsLost},
};

use crate::common::sheet;

const CHALK: [f32; 3] = [0.9, 0.88, 0.82];
const TILE: [f32; 3] = [0.7, 0.2, 0.16];
const SLATE: [f32; 3] = [0.16, 0.18, 0.21];

/// A sheet of 20 × 20 squares with a set of swatches, and a palette of three.
fn document() -> Document {
    let mut document = Document::default();
    let mesh = Mesh::new(sheet(20, 0.0)).unwrap();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, Vec::new())])).unwrap();
    let palette = [("Chalk", CHALK), ("Tile red", TILE), ("Slate", SLATE)];
    let swatches = palette.map(|(name, color)| Swatch::new(name, color)).to_vec();
    document.apply(ProjectEdit::SetPalette { swatches }).unwrap();
    let part = document.parts()[0].id;
    document
        .apply(SetEdit::AddSet {
            part,
            name: "Swatches".to_owned(),
            placement: Placement::Face,
            encoding: Encoding::Swatch,
            start: swatch_value(0),
        })
        .unwrap();
    document
}

fn numbers(document: &Document) -> Vec<u8> {
    let set = document.parts()[0].swatch_set().unwrap();
    assert!(set.values.iter().all(|&value| value == swatch_value(swatch_of(value))), "whole");
    set.values.iter().map(|&value| swatch_of(value)).collect()
}

fn coat(document: &Document, number: u8) -> Coat {
    let part = &document.parts()[0];
    let set = part.swatch_set().unwrap().id;
    Coat::new(part.id, set, Channels::RGB, swatch_value(number))
}

fn over(x: f32, y: f32) -> Sample {
    let origin = Vec3::new(0.0, 0.0, 6.0);
    Sample { origin, direction: Vec3::new(x, y, 0.0) - origin, held: false, pressure: 1.0 }
}

fn stroke(document: &mut Document, coat: Coat, brush: Brush, at: (f32, f32)) {
    let view = View::Perspective { eye: Vec3::new(0.0, 0.0, 6.0), forward: Vec3::NEG_Z };
    let start = StrokeStart::new(coat, brush, view);
    document.apply(PaintEdit::Stroke { start, samples: vec![over(at.0, at.1)] }).unwrap();
}

fn band(coat: Coat, from: f32, to: f32) -> PaintEdit {
    let region = Region::Band { direction: Vec3::X, from, to, soft: 0.0 };
    let fill = Fill { coat, opacity: 1.0, region, at: None, afresh: false, crisp: false };
    PaintEdit::Fill { fill }
}

/// The numbers that a page sends are those that the core stores, to the bit.
#[test]
fn a_number_over_255_is_the_same_in_single_and_double_precision() {
    for number in 0..=255_u8 {
        let sent = (f64::from(number) / 255.0) as f32;
        assert_eq!([sent; 4], swatch_value(number));
        assert_eq!(swatch_of([sent; 4]), number);
    }
}

/// With a straight falloff half of the paint lies at half of the radius.
#[test]
fn a_soft_stroke_paints_faces_whole_as_far_as_half_of_it_goes() {
    let mut document = document();
    let soft = Brush { radius: 0.8, hardness: 0.0, falloff: Falloff::Straight, ..Brush::default() };
    let coat = coat(&document, 2);
    stroke(&mut document, coat, soft, (0.03, 0.04));
    let mesh = document.parts()[0].geometry.mesh().clone();
    for (face, number) in numbers(&document).into_iter().enumerate() {
        let far = mesh.face_centroid(face).distance(Vec3::new(0.03, 0.04, 0.0));
        assert_eq!(number == 2, far <= 0.4, "{far}");
    }
    // A second one in another swatch, and back to unpainted.
    let coat = self::coat(&document, 3);
    stroke(&mut document, coat, Brush { radius: 0.2, ..soft }, (0.03, 0.04));
    let painted = numbers(&document);
    assert!(painted.contains(&3) && painted.contains(&2));
    let eraser = Coat { action: Action::Erase, ..coat };
    stroke(&mut document, eraser, Brush { radius: 3.0, ..soft }, (0.0, 0.0));
    assert!(numbers(&document).iter().all(|number| *number == 0));
}

#[test]
fn pours_and_masks_and_selections_work_on_whole_numbers() {
    let mut document = document();
    let part = document.parts()[0].id;
    document.apply(band(coat(&document, 1), -0.5, 0.5)).unwrap();
    document.apply(band(coat(&document, 2), 0.0, 0.5)).unwrap();
    let before = numbers(&document);
    // Numbers beside each other are no more alike than others: a patch stops between 1 and 2.
    let at = Some(over(-0.2, 0.0));
    let region = Region::Patch { tolerance: 0.5 };
    let coat = coat(&document, 3);
    let fill = Fill { coat, opacity: 1.0, region, at, afresh: false, crisp: false };
    let pour = document.apply(PaintEdit::Fill { fill }).unwrap();
    let wanted: Vec<u8> = before.iter().map(|&n| if n == 1 { 3 } else { n }).collect();
    assert_eq!(numbers(&document), wanted);
    document.replay(&pour, Direction::Backward).unwrap();
    assert_eq!(numbers(&document), before);
    // A mask that protects by 0.4 lets all through, one by 0.6 nothing.
    let add = HelperEdit::AddHelper {
        part,
        role: Role::Mask,
        name: "Mask".to_owned(),
        placement: Placement::Face,
    };
    document.apply(add).unwrap();
    let mask = document.parts()[0].mask().unwrap().id;
    for (protects, wanted) in [(0.6, &before), (0.4, &vec![3; before.len()])] {
        let own = Coat::new(part, mask, Channels::R, [protects; 4]);
        let fill = |coat| PaintEdit::Fill {
            fill: Fill {
                coat,
                opacity: 1.0,
                region: Region::All,
                at: None,
                afresh: false,
                crisp: false,
            },
        };
        document.apply(fill(own)).unwrap();
        document.apply(fill(coat)).unwrap();
        assert_eq!(&numbers(&document), wanted, "{protects}");
    }
}

#[test]
fn what_would_mix_numbers_is_refused_with_words() {
    let mut document = document();
    let (part, set) = (document.parts()[0].id, document.parts()[0].sets[0].id);
    let refused = |document: &mut Document, edit: Edit| -> String {
        document.apply(edit).map(|_| ()).unwrap_err().to_string()
    };
    let how = How::Posterise { steps: 4 };
    let adjustment =
        Adjustment { part, set, channels: Channels::RGBA, how, strength: 1.0, within: None };
    assert!(refused(&mut document, PaintEdit::Adjust { adjustment }.into()).contains("whole"));
    let edit = SetEdit::ConvertSet { part, set, placement: Placement::Vertex };
    assert!(refused(&mut document, edit.into()).contains("per face"));
    let odd = Coat { paint: [0.5, 0.4, 0.3, 1.0], ..coat(&document, 1) };
    assert!(refused(&mut document, band(odd, 0.0, 1.0).into()).contains("palette"));
    let far = coat(&document, 17);
    assert!(refused(&mut document, band(far, 0.0, 1.0).into()).contains("16"));
    let soften = Coat { action: Action::Soften, ..coat(&document, 1) };
    let view = View::Parallel { forward: Vec3::NEG_Z };
    let start = StrokeStart::new(soften, Brush::default(), view);
    let edit = PaintEdit::Stroke { start, samples: vec![over(0.0, 0.0)] };
    assert!(refused(&mut document, edit.into()).contains("whole"));
    let add = SetEdit::AddSet {
        part,
        name: "Other".to_owned(),
        placement: Placement::Corner,
        encoding: Encoding::Swatch,
        start: swatch_value(0),
    };
    assert!(matches!(document.apply(add), Err(EditError::Shelved(_))));
    assert!(numbers(&document).iter().all(|number| *number == 0));
}

/// Numbers belong to swatches, not to places in the palette.
#[test]
fn a_palette_in_another_order_changes_nothing_and_a_swatch_that_goes_leaves_faces_unpainted() {
    let mut document = document();
    document.apply(band(coat(&document, 2), -0.5, 0.0)).unwrap();
    let part = document.parts()[0].id;
    document.apply(SwatchEdit::SetBase { parts: vec![part], base: 2 }).unwrap();
    let before = numbers(&document);
    let shown = |document: &Document| {
        document.parts()[0].in_colors(document.swatches()).sets[0].values.to_vec()
    };
    let colors = shown(&document);
    let rgba = |[r, g, b]: [f32; 3]| -> Rgba { [r, g, b, 1.0] };
    assert!(colors.iter().all(|color| *color == rgba(TILE)), "painted in it, or bare");
    let mut turned = document.swatches().to_vec();
    turned.reverse();
    document.apply(ProjectEdit::SetPalette { swatches: turned.clone() }).unwrap();
    assert_eq!((numbers(&document), shown(&document)), (before.clone(), colors));
    turned.retain(|swatch| swatch.number != 2);
    let gone = document.apply(ProjectEdit::SetPalette { swatches: turned }).unwrap();
    assert!(numbers(&document).iter().all(|number| *number == 0));
    assert_eq!(document.parts()[0].traits.base, 0);
    assert!(shown(&document).iter().all(|color| *color == rgba(SLATE)), "now the first");
    document.replay(&gone, Direction::Backward).unwrap();
    assert_eq!((numbers(&document), document.parts()[0].traits.base), (before, 2));
    let away = SwatchEdit::SetBase { parts: vec![part], base: 9 };
    assert!(document.apply(away).is_err());
}

#[test]
fn a_palette_gets_numbers_by_place_and_two_of_one_number_are_refused() {
    let of = |numbers: &[u8]| -> Vec<Swatch> {
        let swatch = |&number: &u8| Swatch { number, ..Swatch::new("", CHALK) };
        numbers.iter().map(swatch).collect()
    };
    let numbered = |before: &[u8], after: &[u8]| -> Vec<u8> {
        swatches::numbered(&of(before), of(after)).iter().map(|swatch| swatch.number).collect()
    };
    assert_eq!(numbered(&[], &[0, 0, 0]), [1, 2, 3]);
    assert_eq!(numbered(&[3, 1], &[0, 0, 0]), [3, 1, 2], "a palette of a file takes the places");
    assert_eq!(numbered(&[1, 2], &[2, 0]), [2, 1]);
    let many = numbered(&[], &[0; 20]);
    assert_eq!(many[..16], (1..=16).collect::<Vec<u8>>());
    assert_eq!(many[16..], [0; 4]);
    assert!(swatches::problem(&of(&[1, 1])).unwrap().contains("two swatches"));
    assert!(swatches::problem(&of(&[17])).unwrap().contains("16"));
}

/// Painted in two swatches of one color, they stay two; what prints is what was painted.
#[test]
fn spools_go_by_what_is_painted_and_not_by_what_it_looks_like() {
    let mut document = document();
    let mut twins = document.swatches().to_vec();
    twins[2].color = TILE;
    document.apply(ProjectEdit::SetPalette { swatches: twins }).unwrap();
    document.apply(band(coat(&document, 2), -0.5, 0.0)).unwrap();
    document.apply(band(coat(&document, 3), 0.0, 0.5)).unwrap();
    let separated = separate(document.parts(), document.swatches(), 1);
    let names: Vec<&str> = separated.swatches.iter().map(|own| own.name.as_str()).collect();
    assert_eq!(names, ["Chalk", "Tile red", "Slate"]);
    let wanted: Vec<u8> =
        numbers(&document).iter().map(|&n| if n == 0 { 0 } else { n - 1 }).collect();
    assert_eq!(separated.of_faces[0], wanted);
    assert_eq!(separated.max_difference, 0.0);
}

/// Carried to a mesh of other faces each takes the swatch that covers most of it.
#[test]
fn a_transfer_carries_whole_numbers_by_what_covers_most() {
    let mut document = document();
    document.apply(band(coat(&document, 1), -2.0, -0.2)).unwrap();
    document.apply(band(coat(&document, 3), -0.2, 2.0)).unwrap();
    let coarse = Mesh::new(sheet(7, 0.0)).unwrap();
    document.apply(Edit::bring_in(vec![NewPart::new("Coarse", coarse, Vec::new())])).unwrap();
    let (from, to) = (&document.parts()[0], &document.parts()[1]);
    let sources = [Source::of(from)];
    let rules = Rules { lost: WhatIsLost::IsFilled, ..Rules::default() };
    let done = transfer::transfer(to, &sources, &rules, &Watch::default()).unwrap();
    let [(None, set)] = &done.colors[..] else { panic!("one new set") };
    assert_eq!((set.encoding, set.placement), (Encoding::Swatch, Placement::Face));
    let mesh = to.geometry.mesh();
    for (face, &value) in set.values.iter().enumerate() {
        let x = mesh.face_centroid(face).x;
        if (x + 0.2).abs() > 0.05 {
            assert_eq!(value, swatch_value(if x < -0.2 { 1 } else { 3 }), "{x}");
        }
    }
}

#[test]
fn faces_are_painted_at_once_with_a_palette_and_a_base_and_made_colors_again() {
    let mut document = document();
    let part = &document.parts()[0];
    let count = part.geometry.mesh().face_count();
    let painted: Vec<u8> = (0..count).map(|face| (face % 3) as u8).collect();
    let edit = |numbers: Vec<u8>| SwatchEdit::PaintFaces {
        label: "Sweep specks".to_owned(),
        palette: None,
        parts: vec![PartPainted {
            part: part.id,
            mesh: part.geometry.id(),
            numbers,
            base: Some(3),
        }],
    };
    let (all, few) = (edit(painted.clone()), edit(vec![1; 5]));
    let (id, set): (_, SetId) = (part.id, part.sets[0].id);
    assert!(document.apply(few).is_err());
    let change = document.apply(all).unwrap();
    assert_eq!((numbers(&document), document.parts()[0].traits.base), (painted.clone(), 3));
    document.apply(SwatchEdit::ColorSwatches { parts: vec![id], name: "Look".to_owned() }).unwrap();
    let look = document.parts()[0].sets[1].clone();
    assert_eq!(look.encoding, Encoding::Color);
    for (value, number) in look.values.iter().zip(&painted) {
        let [r, g, b] = [SLATE, CHALK, TILE][usize::from(*number)];
        assert_eq!(*value, [r, g, b, 1.0]);
    }
    document.apply(SetEdit::DeleteSet { part: id, set: look.id }).unwrap();
    document.replay(&change, Direction::Backward).unwrap();
    assert!(numbers(&document).iter().all(|number| *number == 0));
    // A mesh that has changed meanwhile is not painted by numbers of the old one.
    document.apply(PartEdit::DuplicatePart { part: id }).unwrap();
    assert!(document.set(id, set).is_ok());
}

/// Between black and white, light of a half is mixed of equal parts; a quarter of one in four (Bayer 1973): in
/// a pattern the mean over the sheet is the color, and without it all faces have the nearest.
#[test]
fn gradients_are_mixed_by_a_pattern_to_the_light_they_have() {
    let ends = [Swatch::new("Black", [0.0; 3]), Swatch::new("White", [1.0; 3])];
    for (light, sixteenths) in [(0.5_f32, 8), (0.25, 4), (0.75, 12), (0.03, 0)] {
        let mesh = Mesh::new(sheet(16, 0.0)).unwrap();
        let grey = speckle_color::srgb_from_linear(light);
        let color = [grey, grey, grey, 1.0];
        let set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, color, &mesh);
        let mut document = Document::default();
        document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![set])])).unwrap();
        let plain = Making { most: 2, smallest: 0.0, smooth: 0, dither: None };
        let (found, faces) = made(document.parts(), &ends, &plain);
        assert_eq!(found.len(), 1, "one is nearest to all");
        assert!(faces[0].iter().all(|own| *own == 0));
        // The sheet is 2 wide: a cell is a face.
        let making = Making { dither: Some(0.125), ..plain };
        let parts = document.parts();
        let both = [parts[0].clone(), black_and_white()];
        let (found, faces) = made(&both, &ends, &making);
        let white = found.iter().position(|own| own.name == "White").unwrap() as u8;
        let whites = faces[0].iter().filter(|own| **own == white).count();
        assert_eq!(whites, 16 * sixteenths, "{light}");
    }
}

/// A part that needs both ends, so that both are among the swatches.
fn black_and_white() -> speckle_model::Part {
    let mesh = Mesh::new(sheet(2, 1.0)).unwrap();
    let mut set =
        NewSet::flooded("Coat", Placement::Face, Encoding::Color, [0.0, 0.0, 0.0, 1.0], &mesh);
    set.values[0] = [1.0; 4];
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Ends", mesh, vec![set])])).unwrap();
    document.parts()[0].clone()
}

/// A speck of another color goes by its area, a tooth of a border by smoothing.
#[test]
fn specks_and_teeth_of_borders_go_when_swatches_are_made() {
    let mesh = Mesh::new(sheet(20, 0.0)).unwrap();
    let mut set =
        NewSet::flooded("Coat", Placement::Face, Encoding::Color, [0.9, 0.9, 0.9, 1.0], &mesh);
    let red = [0.8, 0.1, 0.1, 1.0];
    let at = |x: f32, y: f32| {
        let near = |&face: &usize| mesh.face_centroid(face).distance(Vec3::new(x, y, 0.0)) < 0.01;
        (0..mesh.face_count()).find(near).unwrap()
    };
    for face in 0..mesh.face_count() {
        if mesh.face_centroid(face).x > 0.0 {
            set.values[face] = red;
        }
    }
    let (speck, tooth) = (at(-0.55, 0.55), at(-0.05, 0.05));
    set.values[speck] = red;
    set.values[tooth] = red;
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh.clone(), vec![set])])).unwrap();
    let of = |smallest: f64, smooth: u8| {
        let (found, faces) =
            made(document.parts(), &[], &Making { most: 2, smallest, smooth, dither: None });
        let red = found.iter().position(|own| own.color[1] < 0.5).unwrap() as u8;
        [faces[0][speck] == red, faces[0][tooth] == red]
    };
    assert_eq!(of(0.0, 0), [true, true]);
    assert_eq!(of(0.02, 0), [false, true], "the tooth is part of the red half");
    assert_eq!(of(0.0, 1), [false, false]);
}
