//! Recipes as files, images of the project, drafts, and what each step makes by itself.

use std::sync::Arc;

use speckle_color::Encoding;
use speckle_core::{
    Document, Edit, EditError, ImageEdit, RecipeEdit, SetEdit,
    document::{Direction, DocumentRecord},
};
use speckle_mesh::{Mesh, Placement};
use speckle_model::{
    NewPart, NewSet, PartId,
    names::NameError,
    recipe::{Recipe, RecipeFile, Shaping, Source, Step, Target, starters},
};
use speckle_tools::bake::{Pantry, watch::Watch};

use crate::common::sheet;

/// A flat part of 8 × 8 quads with a color set.
fn tray() -> (Document, PartId) {
    let mesh = Mesh::new(sheet(8, 0.0)).unwrap();
    let set = NewSet::flooded("Coat", Placement::Corner, Encoding::Color, [1.0; 4], &mesh);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Tray", mesh, vec![set])])).unwrap();
    let part = document.parts()[0].id;
    (document, part)
}

/// 2 × 1 pixels, black and white, as portable as an image gets (BMP, 24 bits, rows padded to 4).
fn two_pixels() -> Vec<u8> {
    let mut file = b"BM".to_vec();
    let words: [u32; 13] = [62, 0, 54, 40, 2, 1, 24 << 16 | 1, 0, 8, 0, 0, 0, 0];
    file.extend(words.iter().flat_map(|word| word.to_le_bytes()));
    file.extend([0, 0, 0, 255, 255, 255, 0, 0]);
    file
}

fn record(document: &Document) -> DocumentRecord {
    document.record()
}

#[test]
fn images_are_replaced_taken_out_undone_and_kept() {
    let (mut document, _) = tray();
    let add =
        |name: &str, file: Vec<u8>| ImageEdit::AddImage { name: name.into(), file: file.into() };
    let added = document.apply(add(" sky.bmp ", two_pixels())).unwrap();
    assert_eq!(added.label, "Add image sky.bmp");
    assert_eq!(document.image("sky.bmp").unwrap().size(), [2, 1]);
    assert!(document.apply(add("sky.bmp", two_pixels())).unwrap().is_empty(), "it is the same");

    let mut other = two_pixels();
    other[54] = 9;
    let first = document.image("sky.bmp").unwrap().digest();
    let replaced = document.apply(add("sky.bmp", other)).unwrap();
    assert_eq!(replaced.label, "Replace image sky.bmp");
    assert_ne!(document.image("sky.bmp").unwrap().digest(), first);
    document.replay(&replaced, Direction::Backward).unwrap();
    assert_eq!(document.image("sky.bmp").unwrap().digest(), first);

    // A document built again from its record has it too.
    let mesh = document.parts()[0].geometry.mesh().clone();
    let again = Document::restore(record(&document), vec![mesh]).unwrap();
    assert_eq!(again.image_files(), document.image_files());
    assert_eq!(again.image("sky.bmp").unwrap().digest(), first);

    let gone = document.apply(ImageEdit::DeleteImage { name: "sky.bmp".into() }).unwrap();
    assert!(document.image("sky.bmp").is_none() && document.image_files().is_empty());
    document.replay(&gone, Direction::Backward).unwrap();
    assert_eq!(document.image_files().len(), 1);

    let refused = document.apply(add("x.png", b"no image".to_vec())).unwrap_err();
    assert!(refused.to_string().contains("the image x.png cannot be read"), "{refused}");
    assert_eq!(
        document.apply(add("  ", two_pixels())).unwrap_err(),
        EditError::Name(NameError::Empty)
    );
    let missing = document.apply(ImageEdit::DeleteImage { name: "none".into() }).unwrap_err();
    assert_eq!(missing.to_string(), "there is no image none any more");
    for i in 1..64 {
        document.apply(add(&format!("{i}.bmp"), two_pixels())).unwrap();
    }
    let full = document.apply(add("one more", two_pixels())).unwrap_err();
    assert!(full.to_string().contains("64 images at most"), "{full}");
}

#[test]
fn a_file_makes_its_set_says_what_channels_hold_and_leaves_nothing_behind_when_refused() {
    let (mut document, part) = tray();
    for file in starters::all() {
        let before = document.parts()[0].sets.len();
        let set = file.set.clone();
        let change =
            document.apply(RecipeEdit::TakeRecipes { part, set: None, file: file.clone() });
        let change = change.unwrap_or_else(|error| panic!("{}: {error}", file.name));
        assert_eq!(change.label, format!("Take {}", file.name));
        let own = document.parts()[0].products().find(|own| own.name == set).unwrap().clone();
        assert_eq!(own.recipes.len(), file.recipes.len());
        for recipe in file.recipes.iter().filter(|recipe| recipe.channels.is_single()) {
            let channel = (0..4).find(|&i| recipe.channels.channels().0[i]).unwrap();
            assert_eq!(own.channels[channel].meaning, recipe.title());
        }
        document.make_all(&Pantry::default(), &Watch::default()).unwrap();
        // One undo takes all of it back.
        let made = document.parts()[0].sets.clone();
        document.replay(&change, Direction::Backward).unwrap_or_else(|error| {
            // What was made afterwards has to go first; the app undoes both together.
            assert!(matches!(error, EditError::DoesNotFit(_)), "{error}");
        });
        assert!(document.parts()[0].sets.len() <= made.len());
        if document.parts()[0].sets.len() != before {
            let id = own.id;
            document.apply(SetEdit::DeleteSet { part, set: id }).unwrap();
        }
    }

    // Two recipes, of which the second cannot be: neither is there, nor the set.
    let before = document.parts()[0].sets.clone();
    let file = |channels: Target, source: Source| Recipe {
        steps: vec![Step::new(source)],
        ..Recipe::new(channels)
    };
    let loops = Source::Channel { set: "Both".into(), channel: Target::G, part: None };
    let both = RecipeFile {
        recipes: vec![file(Target::R, Source::Constant { value: 1.0 }), file(Target::G, loops)],
        ..RecipeFile::read(r#"{"set":"Both","recipes":[]}"#).unwrap()
    };
    let refused =
        document.apply(RecipeEdit::TakeRecipes { part, set: None, file: both }).unwrap_err();
    assert!(refused.to_string().contains("would look at what it makes itself"), "{refused}");
    assert!(document.parts()[0].sets == before);
}

#[test]
fn a_draft_saves_rays_only_where_they_have_not_been_cast() {
    let (mut document, part) = tray();
    let file = RecipeFile::read(
        r#"{"set":"Shade","recipes":[{"channels":"R","steps":[
            {"source":{"kind":"occlusion","rays":200}},
            {"source":{"kind":"thickness","rays":3}},
            {"source":{"kind":"openness","rays":90},"off":true}]}]}"#,
    )
    .unwrap();
    document.apply(RecipeEdit::TakeRecipes { part, set: None, file }).unwrap();
    let set = document.parts()[0].products().last().unwrap().id;
    let pantry = Pantry::default();
    let order = document.order(part, set, Target::R).unwrap();
    let draft = order.draft(&pantry).unwrap();
    let rays: Vec<u32> = draft.recipe.steps.iter().map(|step| step.source.rays()).collect();
    assert_eq!(rays, [8, 3, 90], "of those that count, what is more than 8");
    // Once they are cast, a draft would be all of it.
    order.make(&pantry, &Watch::default()).unwrap();
    assert!(order.draft(&pantry).is_none());
    let mut shaped = document.order(part, set, Target::R).unwrap();
    shaped.recipe.steps[0].shaping.push(Shaping::Invert);
    assert!(shaped.draft(&pantry).is_none(), "shaping casts no rays");
}

#[test]
fn each_step_tells_what_it_makes_by_itself() {
    let (mut document, part) = tray();
    let file = RecipeFile::read(
        r#"{"set":"Mix","placement":"vertex","recipes":[{"channels":"RGB","steps":[
            {"source":{"kind":"height_ramp","direction":"x"},"shaping":[{"kind":"clamp","low":0.5}]},
            {"source":{"kind":"color","color":[1,0.5,0]},"merge":"multiply"},
            {"source":{"kind":"constant","value":0.2},"off":true},
            {"source":{"kind":"hand_paint"}}]}]}"#,
    )
    .unwrap();
    document.apply(RecipeEdit::TakeRecipes { part, set: None, file }).unwrap();
    let set = document.parts()[0].products().last().unwrap().id;
    let order = document.order(part, set, Target::Rgb).unwrap();
    let (values, tastes) = order.values(&Pantry::default(), &Watch::default()).unwrap();
    assert_eq!(values.len(), 81);
    // Fewer elements than a sample takes: all of them, each once.
    assert!(tastes.elements.iter().copied().eq(0..81));
    let ramp = tastes.steps[0].as_ref().unwrap();
    assert!(!ramp.is_color && ramp.values.len() == 81);
    let column = |v: usize| v % 9;
    for (v, &value) in ramp.values.iter().enumerate() {
        let wanted = (column(v) as f32 / 8.0).max(0.5) * 255.0;
        assert!((f32::from(value) - wanted).abs() <= 0.5, "{v}: {value}");
    }
    let [before, after] = [&ramp.histograms[0], &ramp.histograms[1]];
    assert_eq!((before.iter().sum::<u32>(), after.iter().sum::<u32>()), (81, 81));
    assert_eq!((before[0], after[0], after[32]), (9, 0, 45), "half of the columns are clamped");
    // The second by itself, not as it comes out of the merge.
    let color = tastes.steps[1].as_ref().unwrap();
    assert!(color.is_color && color.values.chunks(3).all(|c| c == [255, 128, 0]));
    assert!(tastes.steps[2].is_none(), "it is off");
    let paint = tastes.steps[3].as_ref().unwrap();
    assert!(paint.is_color && paint.values.iter().all(|&v| v == 0), "nothing is painted yet");

    // A sample of many: one out of each run, in order, and not always the first.
    let many = speckle_tools::bake::taste::Tastes::of(1, 90_000);
    assert_eq!(many.elements.len(), 900);
    assert!(many.elements.iter().enumerate().all(|(i, &e)| (e as usize) / 100 == i));
    assert!(many.elements.iter().any(|&e| e % 100 > 50));
    assert!(Arc::new(many).steps[0].is_none());
}

#[test]
fn a_source_that_still_lacks_a_choice_can_be_kept_and_says_what_to_choose() {
    let (mut document, part) = tray();
    let set = document.parts()[0].sets[0].id;
    for (source, said) in [
        (r#"{"kind":"image","image":""}"#, "choose an image"),
        (r#"{"kind":"channel","set":" ","channel":"R"}"#, "choose a set"),
        (r#"{"kind":"trail","root":{"kind":"selection","name":""}}"#, "choose a selection"),
        (r#"{"kind":"distance","from":{"kind":"part","name":""}}"#, "choose a part"),
    ] {
        let source: Source = serde_json::from_str(source).unwrap();
        let recipe = Recipe { steps: vec![Step::new(source)], ..Recipe::new(Target::Rgb) };
        document.apply(RecipeEdit::SetRecipe { part, set, recipe }).unwrap();
        let order = document.order(part, set, Target::Rgb).unwrap();
        let error = order.make(&Pantry::default(), &Watch::default()).unwrap_err().to_string();
        assert!(error.starts_with("RGB step 1 (") && error.contains(said), "{error}");
    }
}

#[test]
fn a_shift_of_color_says_in_the_channels_how_it_is_meant() {
    let (mut document, part) = tray();
    let file = starters::named("Each piece its own").unwrap();
    let change = document.apply(RecipeEdit::TakeRecipes { part, set: None, file }).unwrap();
    let own = document.parts()[0].products().last().unwrap();
    let said: Vec<&str> = own.channels.iter().map(|channel| channel.meaning.as_str()).collect();
    assert_eq!(said, ["lightness shift", "chroma shift", "hue shift, in turns", ""]);
    for channel in &own.channels[..3] {
        let signed = channel.signed.unwrap();
        assert_eq!((signed.neutral, signed.amount), (0.5, 1.0));
    }
    assert!(own.channels[3].signed.is_none());
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.parts()[0].sets.len(), 1);
}

#[test]
fn a_curve_gives_a_number_for_whatever_it_is_asked() {
    use speckle_color::curve::{Curve, Point, through};
    let point = |x: f32, y: f32, corner: bool| Point { x, y, corner };
    let points = [point(0.2, 0.1, false), point(0.5, 0.9, true), point(0.8, 0.4, false)];
    for x in [f32::NAN, f32::NEG_INFINITY, f32::INFINITY, -1.0, 0.0, 0.2, 0.5, 0.8, 2.0] {
        let y = through(&points, x);
        assert!((0.1..=0.9).contains(&y), "{x}: {y}");
        assert!((0.0..=1.0).contains(&Curve::STRAIGHT.at(x)), "{x}");
    }
    // Through its points, level beyond them, straight on both sides of a corner.
    assert_eq!([0.2, 0.5, 0.8].map(|x| through(&points, x)), [0.1, 0.9, 0.4]);
    assert_eq!([through(&points, 0.0), through(&points, 1.0)], [0.1, 0.4]);
    assert!((through(&points, 0.65) - 0.65).abs() < 1e-6, "between a corner and the end");
    // Without points nothing is bent.
    assert_eq!(through(&[], 0.3), 0.3);
}
