//! Looks: what they make of channels by hand-worked numbers and standards, and how a project keeps them.

use proptest::prelude::*;
use speckle_color::{Rgba, blend::Blend, linear_from_srgb, srgb_from_linear};
use speckle_core::{Document, Edit, ProofEdit, document::Direction};
use speckle_mesh::Mesh;
use speckle_model::{
    NewPart, PartId,
    proof::{Coat, Drive, Factor, LOOK_BLENDS, Layer, Lights, Look, MOST_LAYERS},
};
use speckle_tools::mix::{GROUND, mixed};

use crate::common::sheet;

fn factor(set: &str, channel: u8, complement: bool) -> Factor {
    Factor { set: set.to_owned(), channel, complement }
}

fn layer(name: &str, color: [f32; 3]) -> Layer {
    Layer::of_color(name, color)
}

fn look(name: &str, layers: Vec<Layer>) -> Look {
    Look::new(name, layers)
}

fn encoded(look: &Look, value: Rgba) -> [f32; 3] {
    mixed(look, &|set: &str| (set == "Wear").then_some(value)).color.map(srgb_from_linear)
}

fn are_near(a: [f32; 3], b: [f32; 3], most: f32) -> bool {
    a.iter().zip(b).all(|(a, b)| (a - b).abs() <= most)
}

/// Overlay, multiply and screen of numbers worked by hand from the formulas of W3C Compositing and Blending Level 1,
/// section 10.1: overlay of 0.8 on 0.25 is 2 · 0.25 · 0.8, of 0.8 on 0.75 it is 1 − 2 · 0.25 · 0.2; and 0.5 over
/// anything leaves it as it is.
#[test]
fn overlay_multiply_and_screen_are_those_of_the_standard() {
    let set = Coat::Set { set: "Wear".to_owned() };
    let with = |blend, base| {
        let over = Layer { coat: set.clone(), blend, ..layer("Over", [0.0; 3]) };
        look("Overlay", vec![layer("Base", base), over])
    };
    let base = [0.25, 0.75, 0.4];
    let found = encoded(&with(Blend::Overlay, base), [0.8, 0.8, 0.5, 1.0]);
    assert!(are_near(found, [0.4, 0.9, 0.4], 1e-5), "{found:?}");
    let found = encoded(&with(Blend::Multiply, base), [0.8, 0.2, 1.0, 1.0]);
    assert!(are_near(found, [0.2, 0.15, 0.4], 1e-5), "{found:?}");
    let found = encoded(&with(Blend::Screen, base), [0.8, 0.2, 0.0, 1.0]);
    assert!(are_near(found, [0.85, 0.8, 0.4], 1e-5), "{found:?}");
}

/// Masks by hand: both red and green is their product, a complement what is left, contrast about a half, the offset
/// after it; a plain mix is made in linear light, and a material's other numbers go along.
#[test]
fn masks_are_products_of_channels_with_contrast_and_offset() {
    let drive = |factors, contrast, offset, inverted| Drive { factors, contrast, offset, inverted };
    let with = |drive, strength| {
        let white = Layer {
            drive,
            strength,
            rough: Some(1.0),
            metal: Some(1.0),
            glow: Some(2.0),
            ..layer("White", [1.0; 3])
        };
        let black = Layer { rough: Some(0.0), glow: Some(0.0), ..layer("Black", [0.0; 3]) };
        look("Masks", vec![black, white])
    };
    let value = [0.6, 0.5, 0.9, 0.25];
    let shown = |drive, strength| mixed(&with(drive, strength), &|_: &str| Some(value));
    let both = drive(vec![factor("Wear", 0, false), factor("Wear", 1, false)], 1.0, 0.0, false);
    let found = shown(both.clone(), 1.0);
    for number in [found.color[0], found.rough, found.metal, found.glow[0] / 2.0] {
        assert!((number - 0.3).abs() < 1e-6, "{found:?}");
    }
    assert!((shown(both, 0.5).rough - 0.15).abs() < 1e-6);
    let rest = drive(vec![factor("Wear", 3, true)], 1.0, 0.0, false);
    assert!((shown(rest, 1.0).rough - 0.75).abs() < 1e-6);
    // (0.6 − 0.5) · 3 + 0.5 − 0.2
    let steep = drive(vec![factor("Wear", 0, false)], 3.0, -0.2, false);
    assert!((shown(steep.clone(), 1.0).rough - 0.6).abs() < 1e-6);
    assert!((shown(Drive { inverted: true, ..steep }, 1.0).rough - 0.4).abs() < 1e-6);
    // What a part has not is black, as a shader reads it.
    let missing = with(drive(vec![factor("Gone", 0, false)], 1.0, 0.0, false), 1.0);
    assert_eq!(mixed(&missing, &|_: &str| None).rough, 0.0);
    let hidden = Layer { off: true, ..layer("Off", [1.0; 3]) };
    assert_eq!(mixed(&look("Nothing", vec![hidden]), &|_: &str| None), GROUND);
}

/// #7d2329 is oklab(40.101% 0.1147 0.0453) and #c65d07 oklab(59.686% 0.1009 0.1192) in the examples of CSS Color 4 (its
/// section on Oklab; the numbers from memory): shifted by how far they are apart one becomes the other.
#[test]
fn a_shift_goes_from_color_to_color_in_oklab() {
    let amounts = [0.59686 - 0.40101, 0.1009 - 0.1147, 0.1192 - 0.0453];
    let shift =
        Layer { coat: Coat::Shift { set: "Wear".to_owned(), amounts }, ..layer("Shift", [0.0; 3]) };
    let base = [0x7d, 0x23, 0x29].map(|x| f32::from(x as u8) / 255.0);
    let look = look("Shift", vec![layer("Base", base), shift]);
    let wanted = [0xc6, 0x5d, 0x07].map(|x| f32::from(x as u8) / 255.0);
    let found = encoded(&look, [1.0, 1.0, 1.0, 1.0]);
    // As near as the digits given there.
    assert!(are_near(found, wanted, 2.5 / 255.0), "{found:?} {wanted:?}");
    // The neutral of signed channels leaves it as it is.
    assert!(are_near(encoded(&look, [0.5, 0.5, 0.5, 0.0]), base, 1e-5));
}

/// Half way between two of three colors of a ramp is what lies between them, encoded.
#[test]
fn ramps_go_evenly_through_their_colors() {
    let stops = vec![[0.0, 0.2, 1.0], [0.5, 0.6, 0.0], [1.0, 0.0, 0.2]];
    let by = factor("Wear", 2, true);
    let ramp = Layer { coat: Coat::Ramp { stops, by }, ..layer("Ramp", [0.0; 3]) };
    let look = look("Ramp", vec![ramp]);
    for (at, wanted) in [
        (0.0, [0.0, 0.2, 1.0]),
        (0.25, [0.25, 0.4, 0.5]),
        (0.75, [0.75, 0.3, 0.1]),
        (1.0, [1.0, 0.0, 0.2]),
    ] {
        let found = encoded(&look, [0.0, 0.0, 1.0 - at, 0.0]);
        assert!(are_near(found, wanted, 1e-5), "{at}: {found:?}");
    }
}

fn with_part() -> (Document, PartId) {
    let mut document = Document::default();
    let mesh = Mesh::new(sheet(2, 0.0)).unwrap();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, Vec::new())])).unwrap();
    let id = document.parts()[0].id;
    (document, id)
}

/// Looks are made, changed, worn and removed; each is one change that goes back and forth, and all of it is stored.
#[test]
fn looks_are_kept_worn_and_undone() {
    let (mut document, part) = with_part();
    let of = |name: &str| look(name, vec![layer("Base", [0.5; 3])]);
    let made = document.apply(ProofEdit::SetLook { look: of("Iron"), wear: true }).unwrap();
    assert_eq!(made.label, "Make the look Iron");
    let iron = document.proof().looks[0].id;
    assert!(iron > 0);
    assert_eq!(document.proof().worn_by(part).unwrap().name, "Iron");
    document.apply(ProofEdit::SetLook { look: of("Cloth"), wear: false }).unwrap();
    let cloth = document.proof().looks[1].id;
    assert_ne!(iron, cloth);
    let wear = ProofEdit::WearLook { look: Some(cloth), parts: Some(vec![part]) };
    document.apply(wear).unwrap();
    assert_eq!(document.proof().worn_by(part).unwrap().id, cloth);
    let record = serde_json::to_string(&document.record()).unwrap();
    // Whoever builds it from its changes alone gives no number twice.
    let whole = document.as_change(String::new());
    let mut built = Document::default();
    let mesh = document.parts()[0].geometry.mesh().clone();
    built.supply_mesh(mesh.clone());
    built.replay(&whole, Direction::Forward).unwrap();
    built.apply(ProofEdit::SetLook { look: of("Third"), wear: false }).unwrap();
    let third = built.proof().looks[2].id;
    assert!(third != iron && third != cloth, "{third}");
    let again = Document::restore(serde_json::from_str(&record).unwrap(), vec![mesh]).unwrap();
    assert_eq!(again.proof(), document.proof());
    let removed = document.apply(ProofEdit::RemoveLook { look: cloth }).unwrap();
    assert_eq!(document.proof().worn_by(part).unwrap().id, iron);
    let json = serde_json::to_string(&removed).unwrap();
    let removed: speckle_core::Change = serde_json::from_str(&json).unwrap();
    document.replay(&removed, Direction::Backward).unwrap();
    assert_eq!(document.proof().worn_by(part).unwrap().id, cloth);
    let renamed = ProofEdit::SetLook { look: Look { id: cloth, ..of("Sail cloth") }, wear: false };
    assert_eq!(document.apply(renamed).unwrap().label, "Rename the look Cloth");
    document.apply(ProofEdit::WearLook { look: None, parts: None }).unwrap();
    assert!(document.proof().worn_by(part).is_none());
    let dim = Lights { even: 0.1, ..Lights::default() };
    document.apply(ProofEdit::SetLights { lights: dim.clone() }).unwrap();
    assert_eq!(document.proof().lights, dim);
    let same = document.apply(ProofEdit::SetLights { lights: dim }).unwrap();
    assert!(same.steps.is_empty(), "it is so already");
}

/// What makes no sense is refused in words that name the layer, and nothing is changed.
#[test]
fn looks_that_make_no_sense_are_refused() {
    let (mut document, _) = with_part();
    document
        .apply(ProofEdit::SetLook { look: look("Iron", vec![layer("Base", [0.5; 3])]), wear: true })
        .unwrap();
    let before = document.proof().clone();
    let base = || layer("Rust", [0.5; 3]);
    let many = (0..=MOST_LAYERS).map(|_| base()).collect();
    let factors = (0..9).map(|i| factor(&format!("Set {i}"), 0, false));
    let sets = factors
        .map(|own| Layer { drive: Drive { factors: vec![own], ..Drive::default() }, ..base() });
    for (layers, words) in [
        (vec![Layer { strength: 1.5, ..base() }], "Rust: strength"),
        (vec![Layer { rough: Some(f32::NAN), ..base() }], "Rust: strength"),
        (vec![Layer { blend: Blend::Hue, ..base() }], "one by one"),
        (vec![Layer { coat: Coat::Color { color: [2.0, 0.0, 0.0] }, ..base() }], "colors"),
        (
            vec![Layer {
                coat: Coat::Ramp { stops: vec![[0.0; 3]], by: factor("Wear", 0, false) },
                ..base()
            }],
            "two or three",
        ),
        (
            vec![Layer {
                drive: Drive { factors: vec![factor("Wear", 4, false)], ..Drive::default() },
                ..base()
            }],
            "channel",
        ),
        (vec![Layer { name: " ".to_owned(), ..base() }], "a layer"),
        (sets.collect(), "8 sets"),
        (many, "16 layers"),
    ] {
        let edit = ProofEdit::SetLook { look: look("Odd", layers), wear: false };
        let error = document.apply(edit).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }
    for edit in [
        ProofEdit::SetLook { look: look("Iron", Vec::new()), wear: false },
        ProofEdit::SetLook { look: Look { id: 999, ..look("Gone", Vec::new()) }, wear: false },
        ProofEdit::RemoveLook { look: 999 },
        ProofEdit::WearLook { look: Some(999), parts: None },
        ProofEdit::WearLook { look: None, parts: Some(vec![PartId(999)]) },
        ProofEdit::SetLights { lights: Lights { rim: -1.0, ..Lights::default() } },
    ] {
        assert!(document.apply(edit.clone()).is_err(), "{edit:?}");
    }
    assert_eq!(document.proof(), &before);
}

proptest! {
    /// Whatever channels hold, a material is one: numbers within their ranges, none of them odd; and without any
    /// mask the ground shows.
    #[test]
    fn materials_stay_within_their_ranges(
        value in prop::array::uniform4(0.0_f32..=1.0),
        color in prop::array::uniform3(0.0_f32..=1.0),
        blend in 0..LOOK_BLENDS.len(),
        (contrast, offset, strength) in (-20.0_f32..20.0, -2.0_f32..2.0, 0.0_f32..=1.0),
        inverted: bool,
    ) {
        let drive = Drive { factors: vec![factor("Wear", 1, inverted)], contrast, offset, inverted };
        let over = Layer {
            blend: LOOK_BLENDS[blend],
            drive,
            strength,
            rough: Some(1.0),
            ..layer("Over", color)
        };
        let found = mixed(&look("Any", vec![over.clone()]), &|_: &str| Some(value));
        prop_assert!(found.color.iter().all(|x| (-1e-6..=1.0 + 1e-5).contains(x)), "{found:?}");
        prop_assert!((0.6 - 1e-6..=1.0 + 1e-6).contains(&found.rough), "{found:?}");
        let none = Layer { strength: 0.0, ..over };
        let bare = mixed(&look("None", vec![none]), &|_: &str| Some(value));
        prop_assert!(are_near(bare.color, GROUND.color, 1e-5));
        prop_assert!((GROUND.color[0] - linear_from_srgb(0.72)).abs() < 1e-6);
    }
}
