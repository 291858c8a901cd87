//! Colors against published numbers, adjustments, ramps, palettes and snapshots.

use glam::Vec3;
use palette::{FromColor, Lab, Oklch, Srgb, color_difference::Ciede2000, white_point::D65};
use speckle_color::{
    Channels, Encoding, Linear,
    ramp::{self, Stop},
};
use speckle_core::{
    ChannelEdit, Document, Edit, HelperEdit, PaintEdit, PartEdit, ProjectEdit, SetEdit,
    document::{Adjustment, ChannelAt, Fill},
};
use speckle_mesh::{Mesh, Placement};
use speckle_model::{
    NewPart, NewSet,
    color_set::Role,
    swatches::{self, Swatch},
    views::SavedView,
};
use speckle_tools::{adjust::How, region::Region, stroke::Coat};

use crate::common::sheet;

/// Sharma, Wu and Dalal, The CIEDE2000 Color-Difference Formula: Implementation Notes,
/// Supplementary Test Data, and Mathematical Observations (2005), table 1: L, a, b twice, and ΔE.
const SHARMA: [[f32; 7]; 34] = [
    [50.0, 2.6772, -79.7751, 50.0, 0.0, -82.7485, 2.0425],
    [50.0, 3.1571, -77.2803, 50.0, 0.0, -82.7485, 2.8615],
    [50.0, 2.8361, -74.0200, 50.0, 0.0, -82.7485, 3.4412],
    [50.0, -1.3802, -84.2814, 50.0, 0.0, -82.7485, 1.0],
    [50.0, -1.1848, -84.8006, 50.0, 0.0, -82.7485, 1.0],
    [50.0, -0.9009, -85.5211, 50.0, 0.0, -82.7485, 1.0],
    [50.0, 0.0, 0.0, 50.0, -1.0, 2.0, 2.3669],
    [50.0, -1.0, 2.0, 50.0, 0.0, 0.0, 2.3669],
    [50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0009, 7.1792],
    [50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0010, 7.1792],
    [50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0011, 7.2195],
    [50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0012, 7.2195],
    [50.0, -0.0010, 2.4900, 50.0, 0.0009, -2.4900, 4.8045],
    [50.0, -0.0010, 2.4900, 50.0, 0.0010, -2.4900, 4.8045],
    [50.0, -0.0010, 2.4900, 50.0, 0.0011, -2.4900, 4.7461],
    [50.0, 2.5, 0.0, 50.0, 0.0, -2.5, 4.3065],
    [50.0, 2.5, 0.0, 73.0, 25.0, -18.0, 27.1492],
    [50.0, 2.5, 0.0, 61.0, -5.0, 29.0, 22.8977],
    [50.0, 2.5, 0.0, 56.0, -27.0, -3.0, 31.9030],
    [50.0, 2.5, 0.0, 58.0, 24.0, 15.0, 19.4535],
    [50.0, 2.5, 0.0, 50.0, 3.1736, 0.5854, 1.0],
    [50.0, 2.5, 0.0, 50.0, 3.2972, 0.0, 1.0],
    [50.0, 2.5, 0.0, 50.0, 1.8634, 0.5757, 1.0],
    [50.0, 2.5, 0.0, 50.0, 3.2592, 0.3350, 1.0],
    [60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644],
    [63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630],
    [61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731],
    [35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645],
    [22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373],
    [36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146],
    [90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441],
    [90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381],
    [6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377],
    [2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082],
];

#[test]
fn color_differences_are_those_of_the_published_pairs() {
    for (row, [l1, a1, b1, l2, a2, b2, delta]) in SHARMA.into_iter().enumerate() {
        let (one, two) = (Lab::<D65, f32>::new(l1, a1, b1), Lab::<D65, f32>::new(l2, a2, b2));
        // Rows 9 to 15 stand at a jump of the formula that single precision may miss by a step.
        let tolerance = if (8..15).contains(&row) { 0.06 } else { 2e-4 };
        for found in [one.difference(two), two.difference(one)] {
            assert!((found - delta).abs() < tolerance, "row {}: {found}", row + 1);
        }
    }
}

/// CSS Color 4: oklch() of the named colors in its sample tables, red, lime, blue and white.
#[test]
fn oklch_is_that_of_css() {
    for (rgb, [l, c, h]) in [
        ([1.0, 0.0, 0.0], [0.627_955, 0.257_683, 29.233_9]),
        ([0.0, 1.0, 0.0], [0.866_44, 0.294_827, 142.495]),
        ([0.0, 0.0, 1.0], [0.452_014, 0.313_214, 264.052]),
        ([1.0, 1.0, 1.0], [1.0, 0.0, f32::NAN]),
    ] {
        let found = Oklch::from_color(Srgb::new(rgb[0], rgb[1], rgb[2]));
        assert!((found.l - l).abs() < 2e-3 && (found.chroma - c).abs() < 2e-3, "{found:?}");
        assert!(h.is_nan() || (found.hue.into_positive_degrees() - h).abs() < 0.3, "{found:?}");
    }
}

fn document(placement: Placement, values: impl Fn(usize) -> [f32; 4]) -> Document {
    let mesh = Mesh::new(sheet(16, 0.0)).unwrap();
    let values = (0..placement.count(&mesh)).map(values).collect();
    let (encoding, ground) = (Encoding::Color, [1.0; 4]);
    let set = NewSet { name: "Coat".into(), placement, encoding, ground, values };
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Deck", mesh, vec![set])])).unwrap();
    document
}

fn adjustment(document: &Document, how: How) -> Adjustment {
    let part = &document.parts()[0];
    let (part, set) = (part.id, part.sets[0].id);
    Adjustment { part, set, channels: Channels::RGB, how, strength: 1.0, within: None }
}

fn adjusted(document: &Document, how: How) -> Vec<[f32; 4]> {
    document.adjusted(&adjustment(document, how)).unwrap()
}

/// Worked by hand from what each says it does.
#[test]
fn adjustments_change_numbers_as_they_say_and_leave_alpha() {
    let level = |i: usize| [i as f32 / 288.0, 0.25, 0.5, 0.3];
    let document = document(Placement::Vertex, level);
    let values = document.parts()[0].sets[0].values.clone();
    let near = |a: f32, b: f32| (a - b).abs() < 1e-5;
    let check = |how: How, expected: &dyn Fn([f32; 4]) -> [f32; 3]| {
        for (old, new) in values.iter().zip(adjusted(&document, how)) {
            let wanted = expected(*old);
            assert!((0..3).all(|i| near(new[i], wanted[i])), "{how:?} {old:?} {new:?} {wanted:?}");
            assert_eq!(new[3].to_bits(), old[3].to_bits(), "alpha was not chosen");
        }
    };
    let each = |v: [f32; 4], f: &dyn Fn(f32) -> f32| [f(v[0]), f(v[1]), f(v[2])];
    check(How::Invert, &|v| each(v, &|x| 1.0 - x));
    check(How::Posterise { steps: 3 }, &|v| each(v, &|x| (x * 2.0).round() / 2.0));
    let levels = How::Levels { from: 0.25, to: 0.75, gamma: 2.0, least: 0.1, greatest: 0.9 };
    check(levels, &|v| each(v, &|x| 0.1 + 0.8 * ((x - 0.25) * 2.0).clamp(0.0, 1.0).sqrt()));
    check(How::Contrast { brightness: 0.1, contrast: 0.0 }, &|v| {
        each(v, &|x| (x + 0.1).clamp(0.0, 1.0))
    });
    check(How::Contrast { brightness: 0.0, contrast: -1.0 }, &|v| each(v, &|_| 0.5));
    // R runs over all of 0–1 already; G and B have no range of their own.
    check(How::Stretch, &|v| [v[0], v[1], v[2]]);
    check(How::Shift { hue: 0.0, chroma: 1.0, lightness: 0.0 }, &|v| [v[0], v[1], v[2]]);
    let grey = adjusted(&document, How::Shift { hue: 0.0, chroma: 0.0, lightness: 0.0 });
    assert!(grey.iter().all(|v| (v[0] - v[1]).abs() < 1e-3 && (v[1] - v[2]).abs() < 1e-3));
    // A full turn of the hue comes back, as far as a screen shows the way.
    let turned = adjusted(&document, How::Shift { hue: 360.0, chroma: 1.0, lightness: 0.0 });
    assert!(values.iter().zip(turned).all(|(a, b)| (0..3).all(|i| (a[i] - b[i]).abs() < 2e-3)));
}

#[test]
fn blur_keeps_the_even_and_the_mean_and_spreads_the_rest() {
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let one = document(placement, |i| if i == 100 { [0.0; 4] } else { [1.0; 4] });
        let after = adjusted(&one, How::Blur { length: 0.0, rounds: 3 });
        let changed = after.iter().filter(|v| v[0] != 1.0).count();
        assert!(changed > 6 && changed < after.len(), "{placement:?} {changed}");
        let even = document(placement, |_| [0.3, 0.6, 0.9, 1.0]);
        let same = adjusted(&even, How::Blur { length: 0.0, rounds: 20 });
        assert_eq!(same, *even.parts()[0].sets[0].values, "even stays even, to the bit");
        let sharp = adjusted(&one, How::Sharpen { length: 0.0, rounds: 1, amount: 1.0 });
        assert_eq!(sharp[100][0], 0.0);
    }
    // Selections keep to the selection, strength to its share.
    let mut document = document(Placement::Vertex, |_| [0.2, 0.2, 0.2, 1.0]);
    let part = document.parts()[0].id;
    let (role, name) = (Role::Selection, "Left".to_owned());
    document
        .apply(HelperEdit::AddHelper { part, role, name, placement: Placement::Vertex })
        .unwrap();
    let selection = document.parts()[0].sets[1].id;
    let region = Region::Band { direction: Vec3::X, from: -2.0, to: -0.1, soft: 0.0 };
    let coat = Coat::new(part, selection, Channels::RGBA, [1.0; 4]);
    let fill = Fill { coat, opacity: 1.0, region, at: None, afresh: true, crisp: false };
    document.apply(PaintEdit::Fill { fill }).unwrap();
    let within =
        Adjustment { within: Some(selection), strength: 0.5, ..adjustment(&document, How::Invert) };
    let label = document.apply(PaintEdit::Adjust { adjustment: within }).unwrap().label;
    assert_eq!(label, "Invert of Coat");
    let part = &document.parts()[0];
    for (point, value) in part.geometry.mesh().positions().iter().zip(part.sets[0].values.iter()) {
        assert!((value[0] - if point.x < -0.1 { 0.5 } else { 0.2 }).abs() < 1e-6);
    }
    let refused =
        |how: How| document.adjusted(&adjustment(&document, how)).unwrap_err().to_string();
    assert!(refused(How::Blur { length: 0.0, rounds: 0 }).contains("between 1 and 1000"));
    assert!(refused(How::Posterise { steps: 1 }).contains("2 to 256"));
    let levels = How::Levels { from: 0.5, to: 0.5, gamma: 1.0, least: 0.0, greatest: 1.0 };
    assert!(refused(levels).contains("below the upper"));
}

#[test]
fn a_color_is_replaced_with_what_is_alike() {
    let red_or_blue = |i: usize| match i % 3 {
        0 => [0.8, 0.1, 0.1, 1.0],
        1 => [0.8, 0.13, 0.1, 1.0],
        _ => [0.1, 0.1, 0.8, 1.0],
    };
    let document = document(Placement::Face, red_or_blue);
    let (from, to) = ([0.8, 0.1, 0.1, 1.0], [0.0, 0.5, 0.0, 1.0]);
    for (i, value) in
        adjusted(&document, How::ReplaceColor { from, to, tolerance: 4.0 }).iter().enumerate()
    {
        assert_eq!(value[..3] == to[..3], i % 3 != 2, "{i}: {value:?}");
    }
    let exact = adjusted(&document, How::ReplaceColor { from, to, tolerance: 0.0 });
    assert_eq!(exact.iter().filter(|v| v[..3] == to[..3]).count(), 256 / 3 + 1);
}

/// White recolored over an occlusion-shaded blue ground is that shading in grey, to 1/255.
#[test]
fn what_is_colorized_can_be_recolored() {
    let mut document = document(Placement::Vertex, |i| [i as f32 / 288.0, 0.0, 0.0, 1.0]);
    let part = document.parts()[0].id;
    let from = ChannelAt { part, set: document.parts()[0].sets[0].id, channel: 0 };
    let blue = [0.1, 0.2, 0.8, 1.0];
    let stops = vec![Stop { at: 0.0, color: [0.0, 0.0, 0.0, 1.0] }, Stop { at: 1.0, color: blue }];
    let change = document
        .apply(ChannelEdit::Colorize { from, name: "Shaded".into(), ramp: stops.clone() })
        .unwrap();
    assert_eq!(change.label, "Colorize into Shaded");
    let made = document.parts()[0].sets[1].clone();
    assert_eq!((made.ground, made.encoding), (blue, Encoding::Color));
    let white = Coat {
        blend: speckle_color::blend::Blend::Recolor,
        ..Coat::new(part, made.id, Channels::RGB, [1.0; 4])
    };
    let fill = Fill {
        coat: white,
        opacity: 1.0,
        region: Region::All,
        at: None,
        afresh: false,
        crisp: false,
    };
    document.apply(PaintEdit::Fill { fill }).unwrap();
    for (i, value) in document.parts()[0].sets[1].values.iter().enumerate() {
        let shade = i as f32 / 288.0;
        let grey = Linear([shade, shade, shade, 1.0]).encoded();
        assert!((0..3).all(|c| (value[c] - grey[c]).abs() < 1.0 / 255.0), "{i} {value:?} {grey:?}");
    }
    // A ramp mixes light between its stops, and stands still beyond them.
    let half = Linear::of(ramp::at(&stops, 0.5, Encoding::Color)).0;
    assert!((half[2] - Linear::of(blue).0[2] / 2.0).abs() < 1e-6);
    assert_eq!(ramp::at(&[Stop { at: 0.5, color: blue }], 0.1, Encoding::Color), blue);
    for bad in [vec![], vec![Stop { at: 2.0, color: blue }], vec![stops[1], stops[0]]] {
        let name = "No".to_owned();
        assert!(document.apply(ChannelEdit::Colorize { from, name, ramp: bad }).is_err());
    }
}

#[test]
fn palettes_are_read_and_written_as_lines_and_nonsense_is_told_with_its_line() {
    let text = "# harbour\n\n255 0 51 Buoy red\n  12 200 7\n0 0 0   Tar  black \n";
    let palette = swatches::from_text(text).unwrap();
    let names: Vec<&str> = palette.iter().map(|s| s.name.as_str()).collect();
    assert_eq!(names, ["Buoy red", "", "Tar black"]);
    assert_eq!(palette[0].color, [1.0, 0.0, 0.2]);
    assert_eq!(swatches::from_text(&swatches::to_text(&palette)).unwrap(), palette);
    for (bad, line, words) in [
        ("1 2 3\n4 5", 2, "blue is missing"),
        ("1 2 x name", 1, "“x” is no number for blue"),
        ("\n\n1 256 3", 3, "goes from 0 to 255"),
        ("NaN 1 1", 1, "goes from 0 to 255"),
    ] {
        let error = swatches::from_text(bad).unwrap_err();
        assert!(error.line == line && error.problem.contains(words), "{error}");
    }
    let mut document = Document::default();
    let many = vec![Swatch::new("", [0.0; 3]); 513];
    let refused =
        document.apply(ProjectEdit::SetPalette { swatches: many }).unwrap_err().to_string();
    assert!(refused.contains("512 colors at most"), "{refused}");
    let off = vec![Swatch::new("", [0.0, 2.0, 0.0])];
    assert!(document.apply(ProjectEdit::SetPalette { swatches: off }).is_err());
    assert!(
        document.apply(ProjectEdit::SetPalette { swatches: palette.clone() }).unwrap().steps.len()
            == 1
    );
    assert_eq!(document.swatches(), swatches::numbered(&[], palette));
    let nameless = SavedView {
        name: " ".into(),
        eye: Vec3::ONE,
        target: Vec3::ZERO,
        parallel_height: None,
        cutaway: None,
    };
    assert!(document.apply(ProjectEdit::SetViews { views: vec![nameless] }).is_err());
}

#[test]
fn snapshots_keep_every_set_and_tell_what_changed_since() {
    let mut document = document(Placement::Corner, |_| [0.5, 0.5, 0.5, 1.0]);
    let part = document.parts()[0].id;
    let take = |name: &str| HelperEdit::TakeSnapshot { name: name.into() };
    document.apply(take("Before")).unwrap();
    assert!(document.apply(take("Before")).unwrap_err().to_string().contains("already"));
    assert!(document.apply(take(" ")).is_err());
    let before = document.parts()[0].sets[0].values.clone();
    let set = document.parts()[0].sets[0].id;
    let fill = |set, region| PaintEdit::Fill {
        fill: Fill {
            coat: Coat::new(part, set, Channels::RGB, [1.0, 0.0, 0.0, 1.0]),
            opacity: 1.0,
            region,
            at: None,
            afresh: false,
            crisp: false,
        },
    };
    let left = Region::Band { direction: Vec3::X, from: -2.0, to: -0.01, soft: 0.0 };
    document.apply(fill(set, left)).unwrap();
    let snapshot = document.parts()[0].sets[1].id;
    let (own, changed) = document.changed_since(part, snapshot).unwrap();
    assert_eq!(own.id, set);
    for (value, by) in own.values.iter().zip(&changed) {
        // Red from middle grey is far more than a just noticeable difference of about 1.
        assert_eq!(*by > 30.0, value[1] == 0.0);
        assert!(value[1] == 0.0 || *by == 0.0);
    }
    // What changed can be covered: back to blue, the rest stays grey.
    let count = changed.iter().filter(|by| **by > 0.0).count();
    let region = Region::Changed { snapshot, tolerance: 5.0 };
    let PaintEdit::Fill { fill: probe } = fill(set, region) else { unreachable!() };
    assert_eq!(document.covered(&probe).unwrap()[0].2.len(), count);
    assert_eq!(document.parts()[0].without_helpers().sets.len(), 1, "it stays at home");
    // Held elsewhere since then, the set still comes back.
    document.apply(SetEdit::ConvertSet { part, set, placement: Placement::Face }).unwrap();
    document.apply(HelperEdit::RestoreSnapshot { name: "Before".into() }).unwrap();
    assert!(document.parts()[0].sets[0].values.iter().all(|v| *v == before[0]));
    // A copy of the part has snapshots of its own sets.
    document.apply(PartEdit::DuplicatePart { part }).unwrap();
    let copy = &document.parts()[1];
    assert_eq!(copy.sets[1].role, Role::Snapshot { of: copy.sets[0].id });
    document.apply(HelperEdit::DeleteSnapshot { name: "Before".into() }).unwrap();
    assert_eq!(document.parts()[0].sets.len() + document.parts()[1].sets.len(), 2);
    let gone = HelperEdit::RestoreSnapshot { name: "Before".into() };
    assert!(document.apply(gone).unwrap_err().to_string().contains("no snapshot called Before"));
}

/// A blue set that was shaded from ½ to 1, and what recoloring takes.
fn shaded() -> (Document, Coat, Vec<f32>) {
    let mesh = Mesh::new(sheet(6, 0.0)).unwrap();
    let blue = [0.2, 0.45, 0.8, 1.0];
    let shading: Vec<f32> = (0..mesh.vertex_count()).map(|v| 0.5 + v as f32 / 96.0).collect();
    let values = shading.iter().map(|s| {
        let Linear([r, g, b, a]) = Linear::of(blue);
        Linear([r * s, g * s, b * s, a]).encoded()
    });
    let own = NewSet {
        name: "Coat".to_owned(),
        placement: Placement::Vertex,
        encoding: Encoding::Color,
        ground: blue,
        values: values.collect(),
    };
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![own])])).unwrap();
    let part = &document.parts()[0];
    let coat = Coat {
        blend: speckle_color::blend::Blend::Recolor,
        ..Coat::new(part.id, part.sets[0].id, Channels::RGB, blue)
    };
    (document, coat, shading)
}

fn fill(document: &mut Document, coat: Coat, opacity: f32) -> speckle_core::Change {
    let fill = Fill { coat, opacity, region: Region::All, at: None, afresh: false, crisp: false };
    document.apply(PaintEdit::Fill { fill }).unwrap()
}

fn recolor(document: &mut Document, coat: &Coat, paint: [f32; 4], opacity: f32) {
    fill(document, Coat { paint, ..*coat }, opacity);
}

/// How far the values of the set are from a color in its shading, at most.
fn off(document: &Document, color: [f32; 4], shading: &[f32]) -> f32 {
    let values = &document.parts()[0].sets[0].values;
    let far = values.iter().zip(shading).map(|(value, s)| {
        let expected = Linear(Linear::of(color).0.map(|x| x * s)).encoded();
        (0..3).map(|k| (value[k] - expected[k]).abs()).fold(0.0, f32::max)
    });
    far.fold(0.0, f32::max)
}

#[test]
fn recolored_twice_is_once_and_back_is_back() {
    let (mut document, coat, shading) = shaded();
    let blue = document.parts()[0].sets[0].ground;
    let red = [0.8, 0.15, 0.1, 1.0];
    for (color, opacity) in
        [(red, 1.0), (red, 1.0), (red, 1.0), (blue, 1.0), ([0.9, 0.9, 0.2, 1.0], 1.0), (blue, 1.0)]
    {
        recolor(&mut document, &coat, color, opacity);
        assert!(off(&document, color, &shading) < 1.0 / 255.0, "{color:?}");
    }
    // Bit by bit it comes to the same.
    for _ in 0..12 {
        recolor(&mut document, &coat, red, 0.5);
    }
    assert!(off(&document, red, &shading) < 1.0 / 255.0);
    // What it was recolored with goes with undo, with another placement, and with the set.
    let layers = |document: &Document| {
        document.parts()[0].sets.iter().filter(|set| set.role.is_layer()).count()
    };
    assert_eq!(layers(&document), 1);
    let edit = SetEdit::ConvertSet { part: coat.part, set: coat.set, placement: Placement::Corner };
    let change = document.apply(edit).unwrap();
    recolor(&mut document, &coat, blue, 1.0);
    let corners = document.parts()[0].geometry.mesh().corner_vertices().to_vec();
    let of_corners: Vec<f32> = corners.iter().map(|&v| shading[v as usize]).collect();
    assert!(off(&document, blue, &of_corners) < 1.0 / 255.0);
    drop(change);
    document.apply(SetEdit::DeleteSet { part: coat.part, set: coat.set }).unwrap();
    assert_eq!(document.parts()[0].sets.len(), 0);
}

#[test]
fn undo_of_a_recolor_and_erasing_bring_back_what_shading_is_read_against() {
    use speckle_mesh::reshape::Direction;
    let (mut document, coat, shading) = shaded();
    let blue = document.parts()[0].sets[0].ground;
    let before = document.parts().to_vec();
    let red = [0.8, 0.15, 0.1, 1.0];
    let change = fill(&mut document, Coat { paint: red, ..coat }, 1.0);
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.parts()[0].sets, before[0].sets);
    recolor(&mut document, &coat, red, 1.0);
    assert!(off(&document, red, &shading) < 1.0 / 255.0);
    // Erased it is the ground color without shading, and takes the next color plainly.
    let erase = Coat { action: speckle_tools::stroke::Action::Erase, ..coat };
    fill(&mut document, erase, 1.0);
    let plain = vec![1.0; shading.len()];
    assert!(off(&document, blue, &plain) < 1.0 / 255.0);
    recolor(&mut document, &coat, red, 1.0);
    assert!(off(&document, red, &plain) < 1.0 / 255.0);
}
