//! Checks: each has a model that has the fault and one that has not, and remedies do what they say. That over the whole
//! demo world nothing is told that is not so is tried in `speckle-demo`.

use std::collections::BTreeSet;

use glam::Vec3;
use speckle_color::{Encoding, Rgba, blend::Blend, swatch_value};
use speckle_core::{
    ChannelEdit, Document, Edit, ProjectEdit, ProofEdit, RecipeEdit, SetEdit, SwatchEdit,
    checks::{Check, Finding, Remedy, Subject, Taker, Target, check},
    document::PartPainted,
};
use speckle_mesh::{Mesh, Placement};
use speckle_model::{
    NewPart, NewSet, Part,
    color_set::ChannelTraits,
    proof::{Coat, Drive, Factor, Layer, Look},
    swatches::{Filament, Swatch},
};
use speckle_tools::{
    bake::{Pantry, watch::Watch},
    spools::LoadedSpool,
};

use crate::{
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

fn found(document: &Document, target: Target) -> Vec<Finding> {
    let stale = document.stale(&Pantry::default());
    let subject = Subject::of(document, &stale, &[]);
    check(&subject, target, &Watch::default()).unwrap()
}

fn kinds(document: &Document, target: Target) -> BTreeSet<Check> {
    found(document, target).iter().map(|finding| finding.check).collect()
}

/// A set of one value.
type Flat = (&'static str, Placement, Encoding, Rgba);

/// Parts with such sets.
fn with(parts: &[(&str, &[Flat])]) -> Document {
    let part = |(name, sets): &(&str, &[Flat])| {
        let mesh = ball(12, 16);
        let set = |&(name, placement, encoding, start): &Flat| {
            NewSet::flooded(name, placement, encoding, start, &mesh)
        };
        let sets = sets.iter().map(set).collect();
        NewPart::new(*name, mesh.clone(), sets)
    };
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts.iter().map(part).collect())).unwrap();
    document
}

const COLOR: (Placement, Encoding) = (Placement::Vertex, Encoding::Color);
const DATA: (Placement, Encoding) = (Placement::Vertex, Encoding::Data);
const SAND: Rgba = [0.8, 0.7, 0.5, 1.0];

fn set(name: &'static str, (placement, encoding): (Placement, Encoding), start: Rgba) -> Flat {
    (name, placement, encoding, start)
}

/// The same project, with values in the first set of a part that change from element to element, and no words.
fn vary(document: &mut Document, part: usize, of: impl Fn(usize) -> Rgba) {
    let copy = |at: usize, own: &Part| {
        let mesh = own.geometry.mesh();
        let sets = own.sets.iter().enumerate().map(|(i, set)| {
            let flat =
                NewSet::flooded(set.name.clone(), set.placement, set.encoding, set.ground, mesh);
            let is_varied = at == part && i == 0;
            let count = set.values.len();
            NewSet {
                values: if is_varied { (0..count).map(&of).collect() } else { set.values.to_vec() },
                ..flat
            }
        });
        NewPart::new(&own.traits.name, mesh.clone(), sets.collect())
    };
    let parts = document.parts().iter().enumerate().map(|(at, own)| copy(at, own));
    let others: Vec<NewPart> = parts.collect();
    *document = Document::default();
    document.apply(Edit::bring_in(others)).unwrap();
}

/// Does what a finding says mends it, and looks again.
fn mend(document: &mut Document, target: Target, wanted: Check) {
    let all = found(document, target);
    let finding = all.iter().find(|own| own.check == wanted).unwrap_or_else(|| panic!("{all:?}"));
    let Some(Remedy::Edit { edit, .. }) = &finding.remedy else { panic!("{finding:?}") };
    let edit: Edit = serde_json::from_value(edit.clone()).unwrap();
    document.apply(edit).unwrap();
    let left = found(document, target);
    assert!(left.iter().all(|own| own.key != finding.key), "{left:?}");
}

#[test]
fn sets_that_are_not_alike_are_told_and_mended() {
    let alike = with(&[
        ("Hull", &[set("Paint", COLOR, SAND), set("Wear", DATA, SAND)]),
        ("Mast", &[set("Paint", COLOR, SAND), set("Wear", DATA, SAND)]),
    ]);
    assert_eq!(found(&alike, Target::Shader), []);
    let mut lacking = with(&[
        ("Hull", &[set("Paint", COLOR, SAND), set("Wear", DATA, SAND)]),
        ("Mast", &[set("Paint", COLOR, SAND)]),
    ]);
    assert_eq!(kinds(&lacking, Target::Shader), BTreeSet::from([Check::MissingSet]));
    mend(&mut lacking, Target::Shader, Check::MissingSet);
    let mut named = with(&[
        ("Hull", &[set("Wear mask", DATA, SAND)]),
        ("Mast", &[set("wear_mask", DATA, SAND)]),
    ]);
    assert_eq!(kinds(&named, Target::Shader), BTreeSet::from([Check::UnlikeNames]));
    mend(&mut named, Target::Shader, Check::UnlikeNames);
    let mut ordered = with(&[
        ("Hull", &[set("Paint", COLOR, SAND), set("Wear", DATA, SAND), set("Sway", DATA, SAND)]),
        ("Mast", &[set("Wear", DATA, SAND), set("Paint", COLOR, SAND), set("Sway", DATA, SAND)]),
    ]);
    assert_eq!(kinds(&ordered, Target::Archive), BTreeSet::from([Check::UnlikeOrder]));
    mend(&mut ordered, Target::Shader, Check::UnlikeOrder);
    let mut placed = with(&[
        ("Hull", &[set("Paint", COLOR, SAND)]),
        ("Mast", &[set("Paint", (Placement::Face, Encoding::Color), SAND)]),
    ]);
    assert_eq!(kinds(&placed, Target::Shader), BTreeSet::from([Check::UnlikePlacement]));
    mend(&mut placed, Target::Shader, Check::UnlikePlacement);
    // One part alone has nobody to be unlike.
    assert_eq!(found(&with(&[("Hull", &[set("Paint", COLOR, SAND)])]), Target::Shader), []);
}

#[test]
fn what_sets_hold_is_told() {
    for (value, is_blank) in [([1.0; 4], true), ([0.0, 0.0, 0.0, 1.0], true), (SAND, false)] {
        let document = with(&[("Hull", &[set("Paint", COLOR, value)])]);
        assert_eq!(kinds(&document, Target::Archive).contains(&Check::Blank), is_blank);
    }
    let mut blank = with(&[("Hull", &[set("Paint", COLOR, SAND), set("Wear", DATA, [0.0; 4])])]);
    mend(&mut blank, Target::Shader, Check::Blank);
    assert_eq!(blank.parts()[0].sets.len(), 1);
    // Data that changes means something that nobody said; colors mean themselves.
    let changing = |i: usize| [0.5, (i % 7) as f32 / 7.0, 0.2, 1.0];
    let mut wear = with(&[("Hull", &[set("Wear", DATA, SAND)])]);
    vary(&mut wear, 0, changing);
    let all = found(&wear, Target::Shader);
    assert_eq!((all.len(), all[0].check, all[0].count), (1, Check::NoMeaning, 1), "{all:?}");
    assert!(all[0].says.contains("what G means"), "{all:?}");
    let (part, own) = (wear.parts()[0].id, wear.parts()[0].sets[0].id);
    let traits = ChannelTraits { meaning: "salt".to_owned(), ..ChannelTraits::default() };
    wear.apply(ChannelEdit::DescribeChannel { part, set: own, channel: 1, traits }).unwrap();
    assert_eq!(found(&wear, Target::Shader), []);
    let mut paint = with(&[("Hull", &[set("Paint", COLOR, SAND)])]);
    vary(&mut paint, 0, |i| [0.5, i as f32 / 200.0, 0.2, 1.0]);
    assert_eq!(found(&paint, Target::Shader), []);
    vary(&mut paint, 0, |i| if i == 5 { [1.5, 0.0, 0.0, 1.0] } else { SAND });
    let all = found(&paint, Target::Archive);
    assert_eq!((all[0].check, all[0].count), (Check::OutOfRange, 1), "{all:?}");
    let wanted = paint.parts()[0].geometry.mesh().positions()[5];
    assert!(Vec3::from_array(all[0].place.unwrap()).distance(wanted) < 1e-6);
    let names: Vec<String> = (0..9).map(|i| format!("Set {i}")).collect();
    let mut many = with(&[("Hull", &[])]);
    let part = many.parts()[0].id;
    for name in names {
        let (placement, encoding) = COLOR;
        many.apply(SetEdit::AddSet { part, name, placement, encoding, start: SAND }).unwrap();
    }
    assert_eq!(kinds(&many, Target::Shader), BTreeSet::from([Check::TooManySets]));
    assert_eq!(kinds(&many, Target::Archive), BTreeSet::new());
}

fn meaning(document: &mut Document, part: usize, channel: usize, words: &str) {
    let own = &document.parts()[part];
    let traits = ChannelTraits { meaning: words.to_owned(), ..ChannelTraits::default() };
    let (part, set) = (own.id, own.sets[0].id);
    document.apply(ChannelEdit::DescribeChannel { part, set, channel, traits }).unwrap();
}

#[test]
fn sway_that_holds_nowhere_or_tears_is_told() {
    let mut cloth = with(&[("Cloth", &[set("Motion", DATA, SAND)])]);
    vary(&mut cloth, 0, |i| [0.1 + (i % 5) as f32 / 10.0, 0.0, 0.0, 0.0]);
    meaning(&mut cloth, 0, 0, "sway weight");
    assert_eq!(kinds(&cloth, Target::Shader), BTreeSet::from([Check::NowhereStill]));
    vary(&mut cloth, 0, |i| [(i % 5) as f32 / 10.0, 0.0, 0.0, 0.0]);
    meaning(&mut cloth, 0, 0, "sway weight");
    assert_eq!(found(&cloth, Target::Shader), []);
    // Two parts at one place: all of their points meet.
    let both = |other: f32| {
        let mut both = with(&[
            ("Cloth", &[set("Motion", DATA, [0.0; 4])]),
            ("Toggle", &[set("Motion", DATA, [0.0; 4])]),
        ]);
        vary(&mut both, 0, |i| [(i % 5) as f32 / 10.0, 0.0, 0.0, 0.0]);
        vary(&mut both, 1, |i| [(i % 5) as f32 / 10.0 + other, 0.0, 0.0, 0.0]);
        for part in 0..2 {
            meaning(&mut both, part, 0, "sway");
        }
        both
    };
    assert_eq!(found(&both(0.0), Target::Shader), []);
    let all = found(&both(0.2), Target::Shader);
    assert_eq!(all[0].check, Check::Torn, "{all:?}");
    assert_eq!(all[0].count, ball(12, 16).positions().len(), "{all:?}");
}

fn layer(coat: Coat, blend: Blend) -> Layer {
    Layer { coat, blend, ..Layer::of_color("Layer", [0.0; 3]) }
}

#[test]
fn looks_that_ask_for_what_is_not_there_are_told() {
    let wears = |document: &mut Document, layer: Layer| {
        let look = Look::new("Look", vec![layer]);
        document.apply(ProofEdit::SetLook { look, wear: true }).unwrap();
    };
    let factors = vec![Factor { set: "Gone".to_owned(), channel: 0, complement: false }];
    let mut missing = with(&[("Hull", &[set("Wear", DATA, SAND)])]);
    let driven = Layer {
        drive: Drive { factors, ..Drive::default() },
        ..layer(Coat::Color { color: [0.5; 3] }, Blend::Normal)
    };
    wears(&mut missing, driven.clone());
    assert_eq!(kinds(&missing, Target::Shader), BTreeSet::from([Check::LookWithoutSet]));
    // What is off, or not worn, asks for nothing.
    let mut off = with(&[("Hull", &[set("Wear", DATA, SAND)])]);
    wears(&mut off, Layer { off: true, ..driven });
    assert_eq!(found(&off, Target::Shader), []);
    let over = || layer(Coat::Set { set: "Wear".to_owned() }, Blend::Overlay);
    for (encoding, value, is_told) in [
        (Encoding::Data, [0.5, 0.5, 0.5, 1.0], false),
        (Encoding::Data, [0.9, 0.9, 0.8, 1.0], true),
        (Encoding::Color, [0.5, 0.5, 0.5, 1.0], true),
    ] {
        let mut document = with(&[("Hull", &[set("Wear", (Placement::Vertex, encoding), value)])]);
        wears(&mut document, over());
        assert_eq!(kinds(&document, Target::Shader).contains(&Check::NotNeutral), is_told);
    }
}

#[test]
fn stale_recipes_are_told() {
    let mut document = with(&[("Hull", &[set("Wear", DATA, SAND)])]);
    let file = r#"{"name":"Wear","set":"Wear","placement":"vertex","encoding":"data","start":[0,0,0,1],
        "recipes":[{"name":"height","channels":"R","steps":[{"source":{"kind":"constant","value":0.5}}]}]}"#;
    let file = speckle_model::recipe::RecipeFile::read(file).unwrap();
    let part = document.parts()[0].id;
    let own = Some(document.parts()[0].sets[0].id);
    document.apply(RecipeEdit::TakeRecipes { part, set: own, file }).unwrap();
    assert!(kinds(&document, Target::Spools).contains(&Check::Stale));
    document.make_all(&Pantry::default(), &Watch::default()).unwrap();
    assert!(!kinds(&document, Target::Spools).contains(&Check::Stale));
}

fn bodies(meshes: Vec<Mesh>) -> Document {
    let mut document = Document::default();
    let part = |mesh: Mesh| {
        let sets = vec![NewSet::flooded("Paint", Placement::Vertex, Encoding::Color, SAND, &mesh)];
        NewPart::new("Body", mesh, sets)
    };
    document.apply(Edit::bring_in(meshes.into_iter().map(part).collect())).unwrap();
    document
}

/// A ball as large as a print.
fn large() -> Mesh {
    ball(24, 48).moved(|p| p * 20.0, |n| n).unwrap()
}

#[test]
fn bodies_that_cannot_be_printed_are_told() {
    let sound = bodies(vec![large()]);
    for target in [Target::Spools, Target::FullColor] {
        assert_eq!(found(&sound, target), [], "{target:?}");
    }
    let open = bodies(vec![Mesh::new(sheet(4, 0.0)).unwrap()]);
    assert_eq!(kinds(&open, Target::Spools), BTreeSet::from([Check::Hole]));
    // Two blocks that share an edge: more than two faces meet there; and one face that looks to the other side.
    let block = |from: u32| {
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]
            .map(|face: [u32; 4]| face.map(|corner| corner + from).to_vec())
    };
    let place = |i: usize, from: Vec3| {
        let at = Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32);
        (at + from) * 20.0
    };
    let corners = |from: Vec3| (0..8).map(move |i| place(i, from));
    let two: Vec<Vec3> = corners(Vec3::ZERO).chain(corners(Vec3::new(1.0, 1.0, 0.0))).collect();
    let both = polygons(two.clone(), &[block(0), block(8)].concat());
    assert_eq!(kinds(&bodies(vec![both]), Target::Spools), BTreeSet::from([Check::Tangled]));
    let mut turned = block(0);
    turned[0].reverse();
    let turned = bodies(vec![polygons(two[..8].to_vec(), &turned)]);
    assert!(kinds(&turned, Target::Spools).contains(&Check::Tangled));
    let inward = bodies(vec![large().turned_over().0]);
    assert_eq!(kinds(&inward, Target::Spools), BTreeSet::from([Check::InsideOut]));
    // A shell within: what is in it cannot get out; a thin one is thin besides.
    let within = |share: f32| {
        let inner = large().moved(|p| p * share, |n| n).unwrap().turned_over().0;
        Mesh::new(beside(arrays_of(&large()), arrays_of(&inner))).unwrap()
    };
    let hollow = found(&bodies(vec![within(0.6)]), Target::FullColor);
    assert_eq!((hollow.len(), hollow[0].check), (1, Check::Hollow), "{hollow:?}");
    let thin = kinds(&bodies(vec![within(0.98)]), Target::FullColor);
    assert_eq!(thin, BTreeSet::from([Check::Thin, Check::Hollow]));
    let mut bare = bodies(vec![large(), large().moved(|p| p + Vec3::X * 50.0, |n| n).unwrap()]);
    assert_eq!(found(&bare, Target::FullColor), []);
    let own = &bare.parts()[1];
    let (part, set) = (own.id, own.sets[0].id);
    bare.apply(SetEdit::DeleteSet { part, set }).unwrap();
    assert_eq!(kinds(&bare, Target::FullColor), BTreeSet::from([Check::Bare]));
}

#[test]
fn swatches_that_do_not_print_well_are_told() {
    let swatch = |number: u8, name: &str, color: [f32; 3], spool: Option<u8>| Swatch {
        number,
        filament: Filament { spool, ..Filament::default() },
        ..Swatch::new(name, color)
    };
    let painted = |swatches: Vec<Swatch>, of: &dyn Fn(usize) -> u8, both: bool| {
        let mut document = bodies(if both { vec![large(), large()] } else { vec![large()] });
        document.apply(ProjectEdit::SetPalette { swatches }).unwrap();
        let part = &document.parts()[0];
        let painted = PartPainted {
            part: part.id,
            mesh: part.geometry.id(),
            numbers: (0..part.geometry.mesh().face_count()).map(of).collect(),
            base: Some(1),
        };
        let label = "Paint".to_owned();
        document
            .apply(SwatchEdit::PaintFaces { label, palette: None, parts: vec![painted] })
            .unwrap();
        assert_eq!(document.parts()[0].swatch_set().unwrap().values[0], swatch_value(of(0)));
        document
    };
    let chalk = || swatch(1, "Chalk", [0.9, 0.88, 0.82], Some(1));
    let red = || swatch(2, "Red", [0.7, 0.2, 0.16], Some(2));
    let half = |face: usize| if face < 576 { 1 } else { 2 };
    assert_eq!(found(&painted(vec![chalk(), red()], &half, false), Target::Spools), []);
    let speck = |face: usize| if face == 0 { 2 } else { 1 };
    let small = painted(vec![chalk(), red()], &speck, false);
    let all = found(&small, Target::Spools);
    assert_eq!((all.len(), all[0].check, all[0].count), (1, Check::Specks, 1), "{all:?}");
    let near = vec![chalk(), swatch(2, "Lime", [0.9, 0.88, 0.8], Some(2))];
    assert_eq!(
        kinds(&painted(near, &half, false), Target::Spools),
        BTreeSet::from([Check::NearLike])
    );
    let unloaded = vec![chalk(), swatch(2, "Red", [0.7, 0.2, 0.16], None)];
    assert_eq!(
        kinds(&painted(unloaded, &half, false), Target::Spools),
        BTreeSet::from([Check::NoSpool])
    );
    let other = painted(vec![chalk(), red()], &half, true);
    assert_eq!(kinds(&other, Target::Spools), BTreeSet::from([Check::NotInSwatches]));
}

/// What is silenced is told last, with its reason, until it is told again; it goes with the project.
#[test]
fn findings_are_silenced_with_a_reason() {
    let mut document = with(&[("Hull", &[set("Paint", COLOR, SAND)]), ("Mast", &[])]);
    let key = found(&document, Target::Shader)[0].key.clone();
    let silence = |reason: Option<&str>| ProofEdit::SilenceCheck {
        key: key.clone(),
        reason: reason.map(str::to_owned),
    };
    assert!(document.apply(silence(Some("  "))).is_err());
    document.apply(silence(Some("The mast is wood."))).unwrap();
    let all = found(&document, Target::Shader);
    assert_eq!(all[0].silenced.as_deref(), Some("The mast is wood."));
    document.apply(silence(None)).unwrap();
    assert_eq!(found(&document, Target::Shader)[0].silenced, None);
}

/// A look with two layers, where R and where G of Wear say.
fn sharing() -> Look {
    let factor = |channel| Factor { set: "Wear".to_owned(), channel, complement: false };
    let layer = |name: &str, channel| Layer {
        drive: Drive { factors: vec![factor(channel)], ..Drive::default() },
        ..Layer::of_color(name, [0.5; 3])
    };
    Look::new("Shared", vec![layer("Moss", 0), layer("Salt", 1)])
}

/// Masks that share a surface add up to 1 at most; layers that are turned about or steeper lie over each other as they
/// are meant to.
#[test]
fn masks_that_share_a_surface_are_told_where_they_add_up_to_more() {
    let of = |value: Rgba, look: Look| {
        let mut document = with(&[("Hull", &[set("Wear", DATA, value)])]);
        document.apply(ProofEdit::SetLook { look, wear: true }).unwrap();
        document
    };
    let is_told = |document: &Document| kinds(document, Target::Shader).contains(&Check::Overfull);
    let over = of([0.7, 0.6, 0.0, 0.0], sharing());
    let all = found(&over, Target::Shader);
    let told = all.iter().find(|own| own.check == Check::Overfull).unwrap();
    assert!(told.says.contains("R and G of Wear on Hull add up to 1.30"), "{}", told.says);
    assert_eq!(told.count, ball(12, 16).positions().len());
    assert!(!is_told(&of([0.5, 0.5, 1.0, 1.0], sharing())));
    let mut steeper = sharing();
    steeper.layers[1].drive.contrast = 2.0;
    assert!(!is_told(&of([0.7, 0.6, 0.0, 0.0], steeper)));
}

/// Of noise from vertex to vertex all of the spread lies between neighbours, of a ramp over the model next to nothing.
#[test]
fn colors_finer_than_the_mesh_are_told() {
    let of = |value: &dyn Fn(usize) -> Rgba| {
        let mut document = with(&[("Hull", &[set("Coat", COLOR, SAND)])]);
        vary(&mut document, 0, value);
        kinds(&document, Target::Shader).contains(&Check::TooFine)
    };
    let speck = |i: usize| {
        let mixed = (i as u64 + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        f32::from(u8::from((mixed ^ (mixed >> 29)).wrapping_mul(0xBF58_476D_1CE4_E5B9) >> 63 == 1))
    };
    assert!(of(&|i| [speck(i), speck(i + 1000), speck(i + 2000), 1.0]));
    let mesh = ball(12, 16);
    let heights: Vec<f32> = mesh.positions().iter().map(|p| 0.5 + 0.5 * p.y).collect();
    assert!(!of(&|i| [heights[i].clamp(0.0, 1.0), 0.4, 0.2, 1.0]));
}

/// A set is taken by a look, by a recipient that names it, or by one that takes all.
#[test]
fn sets_that_nobody_takes_are_told() {
    let mut document =
        with(&[("Hull", &[set("Wear", DATA, [0.2, 0.1, 0.0, 0.0]), set("Coat", COLOR, SAND)])]);
    document.apply(ProofEdit::SetLook { look: sharing(), wear: true }).unwrap();
    let told = |takers: &[&[&str]]| {
        let taker = |sets: &&[&str]| Taker {
            name: "Shader".to_owned(),
            sets: sets.iter().map(|name| (*name).to_owned()).collect(),
            lost: Vec::new(),
        };
        let takers: Vec<Taker> = takers.iter().map(taker).collect();
        let subject = Subject::of(&document, &[], &takers);
        let all = check(&subject, Target::Shader, &Watch::default()).unwrap();
        all.into_iter().filter(|own| own.check == Check::Unused).collect::<Vec<_>>()
    };
    let one = told(&[&["Wear"]]);
    assert_eq!(one.len(), 1);
    assert!(one[0].says.contains("takes Coat of Hull"), "{}", one[0].says);
    assert!(told(&[]).is_empty(), "nobody was named");
    assert!(told(&[&["Wear"], &[]]).is_empty(), "one takes all");
    assert!(told(&[&["Coat"]]).is_empty());
    // Its remedy takes it away.
    let Some(Remedy::Edit { edit, .. }) = &one[0].remedy else { panic!("{:?}", one[0].remedy) };
    let mut document = document;
    document.apply(serde_json::from_value::<Edit>(edit.clone()).unwrap()).unwrap();
    assert!(document.parts()[0].sets.iter().all(|own| own.name != "Coat"));
}

/// Paint that a later step replaces everywhere is told; where the step mixes, or counts within a mask, it is seen.
#[test]
fn paint_beneath_a_recipe_is_told() {
    let of = |merge: &str, mask: &str| {
        let mut document = with(&[("Hull", &[set("Wear", DATA, [0.0; 4])])]);
        let json = format!(
            "{{\"name\": \"All\", \"set\": \"Wear\", \"placement\": \"vertex\", \"encoding\": \"data\", \"recipes\": \
             [{{\"channels\": \"R\", \"steps\": [{{\"source\": {{\"kind\": \"hand_paint\"}}}}, {{\"source\": {{\"kind\": \
             \"constant\", \"value\": 0.5}}, \"merge\": \"{merge}\"{mask}}}]}}]}}"
        );
        let file = speckle_model::recipe::RecipeFile::read(&json).unwrap();
        let part = document.parts()[0].id;
        document.apply(RecipeEdit::TakeRecipes { part, set: None, file }).unwrap();
        kinds(&document, Target::Archive).contains(&Check::HiddenPaint)
    };
    assert!(of("replace", ""));
    assert!(!of("multiply", ""));
    assert!(!of("replace", ", \"strength\": 0.5"));
    assert!(!of("replace", ", \"mask\": {\"kind\": \"own\"}"));
}

/// What is gone on the way to a recipient is told with its name; a spool that is not where it is said to be, or is of
/// another color, likewise.
#[test]
fn what_recipients_and_printers_lack_is_told() {
    let document = with(&[("Hull", &[set("Coat", COLOR, SAND)])]);
    let taker = |lost: &[&str]| Taker {
        name: "Old viewer".to_owned(),
        sets: Vec::new(),
        lost: lost.iter().map(|words| (*words).to_owned()).collect(),
    };
    let told = |takers: &[Taker]| {
        let subject = Subject::of(&document, &[], takers);
        check(&subject, Target::Archive, &Watch::default()).unwrap()
    };
    assert!(told(&[taker(&[])]).iter().all(|own| own.check != Check::Lost));
    let all = told(&[taker(&["alpha of Coat"])]);
    let lost = all.iter().find(|own| own.check == Check::Lost).unwrap();
    assert!(lost.says.contains("Old viewer: alpha of Coat"), "{}", lost.says);

    let painted =
        with(&[("Hull", &[set("Print", (Placement::Face, Encoding::Swatch), swatch_value(1))])]);
    let palette = [Swatch {
        number: 1,
        filament: Filament { spool: Some(2), ..Filament::default() },
        ..Swatch::new("Sand", [0.8, 0.7, 0.5])
    }];
    let spool = |slot, color| LoadedSpool {
        slot,
        name: "Tar".to_owned(),
        color,
        material: "PLA".to_owned(),
        left: 1.0,
    };
    let told = |loaded: Option<&[LoadedSpool]>| {
        let subject = Subject { palette: &palette, loaded, ..Subject::of(&painted, &[], &[]) };
        let all = check(&subject, Target::Spools, &Watch::default()).unwrap();
        let mut all = all.into_iter().filter(|own| own.check == Check::NotLoaded);
        all.next().map(|own| own.says)
    };
    assert_eq!(told(None), None, "no printer says anything");
    assert_eq!(told(Some(&[spool(2, [0.8, 0.7, 0.5])])), None);
    assert!(told(Some(&[spool(1, [0.8, 0.7, 0.5])])).unwrap().contains("slot 2, which is empty"));
    assert!(told(Some(&[spool(2, [0.1, 0.1, 0.1])])).unwrap().contains("holds Tar now"));
}
