//! Recipes in a project: baked and painted live together.

use glam::Vec3;
use speckle_color::{Channels, Encoding};
use speckle_core::{
    ChannelEdit, Document, Edit, EditError, HelperEdit, PaintEdit, PartEdit, RecipeEdit,
    ReplaceEdit, SetEdit,
    document::{Direction, Fill},
};
use speckle_mesh::{Mesh, Placement, Transform, sight::View};
use speckle_model::{
    NewPart, NewSet, PartId, SetId,
    color_set::ChannelTraits,
    recipe::{Merge, Recipe, Source, Step, Target},
};
use speckle_tools::{
    bake::{Pantry, watch::Watch},
    region::Region,
    replacing::{Matching, shape},
    stroke::{Action, Brush, Coat, Reach, Sample, StrokeStart},
};

use crate::common::sheet;

/// A project with a flat part of 8 × 8 quads, and a data set per vertex that starts black.
struct Table {
    document: Document,
    pantry: Pantry,
    part: PartId,
    set: SetId,
}

impl Table {
    fn new() -> Self {
        let mesh = Mesh::new(sheet(8, 0.0)).unwrap();
        let set = NewSet::flooded("Wear", Placement::Vertex, Encoding::Data, [0.0; 4], &mesh);
        let mut document = Document::default();
        document.apply(Edit::bring_in(vec![NewPart::new("Tray", mesh, vec![set])])).unwrap();
        let part = &document.parts()[0];
        let (part, set) = (part.id, part.sets[0].id);
        Self { document, pantry: Pantry::default(), part, set }
    }

    fn cook(&mut self, recipe: Recipe) {
        let (part, set) = (self.part, self.set);
        self.document.apply(RecipeEdit::SetRecipe { part, set, recipe }).unwrap();
        self.remake();
    }

    /// Makes everything again that is not what it should be, as the app does.
    fn remake(&mut self) {
        while let Some(&(part, set, channels)) = self.document.stale(&self.pantry).first() {
            let order = self.document.order(part, set, channels).unwrap();
            let made = order.make(&self.pantry, &Watch::default()).unwrap();
            assert!(self.document.accept(made).unwrap().follows);
        }
    }

    fn values(&self, channel: usize) -> Vec<f32> {
        let set = self.document.set(self.part, self.set).unwrap();
        set.values.iter().map(|value| value[channel]).collect()
    }

    /// A dab on the middle, on one channel.
    fn dab(&mut self, channel: usize, action: Action, paint: f32, opacity: f32) {
        let channels = Channels(std::array::from_fn(|i| i == channel));
        let mut coat = Coat::new(self.part, self.set, channels, [paint; 4]);
        coat.action = action;
        let brush =
            Brush { reach: Reach::Skin, radius: 0.4, hardness: 1.0, opacity, ..Brush::default() };
        let start = StrokeStart::new(coat, brush, View::Parallel { forward: Vec3::NEG_Z });
        let origin = Vec3::new(0.01, 0.01, 5.0);
        let sample = Sample { origin, direction: Vec3::NEG_Z, held: false, pressure: 1.0 };
        self.document.apply(PaintEdit::Stroke { start, samples: vec![sample] }).unwrap();
    }
}

/// What an older version made is made once more, and says why; what this one made is not.
#[test]
fn what_was_made_by_older_rules_is_made_anew_and_says_so() {
    use speckle_core::{Change, document::ChangeStep};
    use speckle_model::{Digest, color_set::RULES};
    let mut table = Table::new();
    table.cook(Recipe { steps: vec![constant(0.5)], ..Recipe::new(Target::R) });
    let (part, set) = (table.part, table.set);
    let before = table.document.set(part, set).unwrap().traits();
    let mut older = before.clone();
    (older.recipes[0].rules, older.recipes[0].made) = (0, Some(Digest::of(&"then")));
    let step = ChangeStep::SetTraits { part, set, before: before.into(), after: older.into() };
    let change = Change { steps: vec![step], ..Change::default() };
    table.document.replay(&change, Direction::Forward).unwrap();
    let label = |table: &mut Table| {
        let (part, set, channels) = table.document.stale(&table.pantry)[0];
        let order = table.document.order(part, set, channels).unwrap();
        let made = order.make(&table.pantry, &Watch::default()).unwrap();
        table.document.accept(made).unwrap().label
    };
    assert_eq!(label(&mut table), "Make R of Wear anew by a truer rule");
    assert_eq!(table.document.set(part, set).unwrap().recipes[0].rules, RULES);
    let recipe = Recipe { steps: vec![constant(0.7)], ..Recipe::new(Target::R) };
    table.document.apply(RecipeEdit::SetRecipe { part, set, recipe }).unwrap();
    assert_eq!(label(&mut table), "Make R of Wear");
}

/// A light copy follows its dense original: painting that makes the recipe's channel stale, moving it
/// as well, and undo leads back to what was there.
#[test]
fn a_part_follows_another_live() {
    let mut table = Table::new();
    let mesh = Mesh::new(sheet(40, 0.05)).unwrap();
    let set = NewSet::flooded("Grit", Placement::Corner, Encoding::Data, [0.0; 4], &mesh);
    let from = NewPart::new("Dense", mesh, vec![set]);
    table.document.apply(Edit::bring_in(vec![from])).unwrap();
    let source = r#"{"kind":"from_part","part":"Dense","set":"Grit","channel":"G"}"#;
    let steps = vec![Step::new(serde_json::from_str(source).unwrap())];
    table.cook(recipe(Target::R, steps));
    assert!(table.values(0).iter().all(|&x| x == 0.0));
    let dense = &table.document.parts()[1];
    let (own, theirs) = ((table.part, table.set), (dense.id, dense.sets[0].id));
    (table.part, table.set) = theirs;
    table.dab(1, Action::Paint, 1.0, 1.0);
    (table.part, table.set) = own;
    assert_eq!(table.document.stale(&table.pantry), [(own.0, own.1, Target::R)]);
    table.remake();
    let painted = |values: Vec<f32>| values.iter().filter(|&&x| x > 0.5).count();
    // 0.4 of 2 across, at steps of a quarter: a middle, four beside it, and perhaps four more.
    assert!((5..=9).contains(&painted(table.values(0))));
    let transform = Transform { translation: Vec3::X * 0.5, ..Transform::IDENTITY };
    table.document.apply(PartEdit::PlacePart { part: theirs.0, transform }).unwrap();
    assert_eq!(table.document.stale(&table.pantry), [(own.0, own.1, Target::R)]);
    table.remake();
    assert_eq!(table.values(0)[4 * 9 + 4 + 2], 1.0, "the dab came along");
    assert_eq!(table.values(0)[4 * 9 + 4 - 1], 0.0);
}

fn constant(value: f32) -> Step {
    Step::new(Source::Constant { value })
}

fn recipe(channels: Target, steps: Vec<Step>) -> Recipe {
    Recipe { steps, ..Recipe::new(channels) }
}

/// The vertex in the middle, and one at the rim.
const MIDDLE: usize = 40;
const RIM: usize = 0;

#[test]
fn paint_stays_when_the_bake_below_changes_and_gives_way_when_erased() {
    let mut table = Table::new();
    table.cook(recipe(Target::B, vec![constant(0.25)]));
    assert!(table.values(2).iter().all(|&x| x == 0.25));
    assert!(table.values(0).iter().all(|&x| x == 0.0), "the others stay");

    table.dab(2, Action::Paint, 1.0, 1.0);
    table.remake();
    assert_eq!((table.values(2)[MIDDLE], table.values(2)[RIM]), (1.0, 0.25));
    let set = table.document.set(table.part, table.set).unwrap();
    let own = set.recipes[0].recipe.clone();
    assert_eq!(own.steps.len(), 2, "a hand-paint step came on top");

    // Another bake below: the paint is still there.
    let mut other = own.clone();
    other.steps[0] = constant(0.5);
    table.cook(other);
    assert_eq!((table.values(2)[MIDDLE], table.values(2)[RIM]), (1.0, 0.5));

    // Half of the paint erased: half of the bake shows, and all of it in the end.
    table.dab(2, Action::Erase, 0.0, 0.5);
    table.remake();
    assert!((table.values(2)[MIDDLE] - 0.75).abs() < 1e-6, "{}", table.values(2)[MIDDLE]);
    table.dab(2, Action::Erase, 0.0, 1.0);
    assert_eq!(table.values(2)[MIDDLE], 0.5, "it shows at once, before anything is made again");
    table.remake();
    assert!(table.values(2).iter().all(|&x| x == 0.5));
}

#[test]
fn a_half_covered_place_follows_the_bake_by_half() {
    let mut table = Table::new();
    table.cook(recipe(Target::R, vec![constant(0.0)]));
    table.dab(0, Action::Paint, 1.0, 0.5);
    let seen = table.values(0);
    table.remake();
    for (a, b) in seen.iter().zip(table.values(0)) {
        assert!((a - b).abs() < 1e-6, "what is seen while painting is what is made");
    }
    let mut own = table.document.set(table.part, table.set).unwrap().recipes[0].recipe.clone();
    own.steps[0] = constant(0.8);
    table.cook(own);
    // Half of 1 over half of 0.8.
    assert!((table.values(0)[MIDDLE] - 0.9).abs() < 1e-5, "{}", table.values(0)[MIDDLE]);
}

#[test]
fn pours_go_into_the_paint_and_clearing_brings_the_bake_back() {
    let mut table = Table::new();
    let channels = Channels([false, true, false, false]);
    table.cook(recipe(Target::G, vec![constant(0.3)]));
    let fill = Fill {
        coat: Coat::new(table.part, table.set, channels, [1.0; 4]),
        opacity: 0.5,
        region: Region::All,
        at: None,
        afresh: false,
        crisp: false,
    };
    table.document.apply(PaintEdit::Fill { fill: fill.clone() }).unwrap();
    table.remake();
    assert!(table.values(1).iter().all(|x| (x - 0.65).abs() < 1e-6));
    let erase = Fill { coat: Coat { action: Action::Erase, ..fill.coat }, opacity: 1.0, ..fill };
    table.document.apply(PaintEdit::Fill { fill: erase }).unwrap();
    assert!(table.values(1).iter().all(|x| (x - 0.3).abs() < 1e-6));
    table.dab(1, Action::Paint, 1.0, 1.0);
    let (part, set) = (table.part, table.set);
    table.document.apply(ChannelEdit::ClearChannels { part, set, channels }).unwrap();
    table.remake();
    assert!(table.values(1).iter().all(|x| (x - 0.3).abs() < 1e-6));
}

#[test]
fn what_was_painted_before_lies_on_top_of_a_first_recipe() {
    let mut table = Table::new();
    table.dab(3, Action::Paint, 1.0, 1.0);
    let painted = table.values(3);
    table.cook(recipe(Target::A, vec![constant(0.1)]));
    for (x, painted) in table.values(3).iter().zip(&painted) {
        assert_eq!(*x, if *painted == 0.0 { 0.1 } else { *painted });
    }
    // Frozen, it is plain paint, and its layers are gone.
    let (part, set) = (table.part, table.set);
    let made = table.values(3);
    table.document.apply(RecipeEdit::FreezeRecipe { part, set, channels: Target::A }).unwrap();
    assert_eq!(table.values(3), made);
    assert_eq!(table.document.part(part).unwrap().sets.len(), 1);
    assert!(table.document.set(part, set).unwrap().recipes.is_empty());
}

#[test]
fn every_change_goes_back_to_the_bit() {
    let mut table = Table::new();
    let (part, set) = (table.part, table.set);
    let state = |table: &Table| {
        table
            .document
            .part(part)
            .unwrap()
            .sets
            .iter()
            .map(|s| (s.id, s.values.to_vec(), s.recipes.clone()))
            .collect::<Vec<_>>()
    };
    let first = state(&table);
    let mut changes = vec![
        table
            .document
            .apply(RecipeEdit::SetRecipe {
                part,
                set,
                recipe: recipe(Target::Rgb, vec![constant(0.4)]),
            })
            .unwrap(),
    ];
    let stale = table.document.stale(&table.pantry)[0];
    let made = table.document.order(stale.0, stale.1, stale.2).unwrap();
    let made = made.make(&table.pantry, &Watch::default()).unwrap();
    changes.push(table.document.accept(made).unwrap());
    let coat = Coat::new(part, set, Channels::RGBA, [0.9, 0.1, 0.5, 1.0]);
    let fill =
        Fill { coat, opacity: 0.7, region: Region::All, at: None, afresh: false, crisp: false };
    changes.push(table.document.apply(PaintEdit::Fill { fill }).unwrap());
    changes.push(
        table
            .document
            .apply(SetEdit::ConvertSet { part, set, placement: Placement::Face })
            .unwrap(),
    );
    changes.push(table.document.apply(SetEdit::DeleteSet { part, set }).unwrap());
    assert!(table.document.part(part).unwrap().sets.is_empty(), "its paint goes with it");
    for change in changes.iter().rev() {
        table.document.replay(change, Direction::Backward).unwrap();
    }
    assert_eq!(state(&table), first);
}

#[test]
fn stale_is_what_would_be_made_otherwise_and_nothing_else() {
    let mut table = Table::new();
    let (part, set) = (table.part, table.set);
    table.cook(recipe(
        Target::R,
        vec![Step::new(Source::HeightRamp {
            direction: speckle_model::recipe::source::Direction::X,
            space: speckle_model::recipe::source::Space::World,
            from: None,
            to: None,
        })],
    ));
    table.cook(recipe(
        Target::G,
        vec![Step::new(Source::Channel { set: "Wear".into(), channel: Target::R, part: None })],
    ));
    table.cook(recipe(Target::B, vec![constant(0.5)]));
    // A world-space step waits for where the part stands, and what looks at it for what it makes.
    let transform =
        Transform { rotation_degrees: Vec3::new(0.0, 0.0, 90.0), ..Transform::IDENTITY };
    table.document.apply(PartEdit::PlacePart { part, transform }).unwrap();
    assert_eq!(table.document.stale(&table.pantry), [(part, set, Target::R)]);
    table.dab(3, Action::Paint, 1.0, 1.0);
    assert_eq!(table.document.stale(&table.pantry), [(part, set, Target::R)], "alpha is nobody's");
    let order = table.document.order(part, set, Target::R).unwrap();
    let made = order.make(&table.pantry, &Watch::default()).unwrap();
    table.document.accept(made).unwrap();
    assert_eq!(table.document.stale(&table.pantry), [(part, set, Target::G)]);
    table.remake();
    assert_eq!(table.values(0), table.values(1));
}

#[test]
fn recipes_that_cannot_be_are_refused() {
    let mut table = Table::new();
    let (part, set) = (table.part, table.set);
    let looks =
        |channel: Target| Step::new(Source::Channel { set: "Wear".into(), channel, part: None });
    let mut give =
        |recipe: Recipe| table.document.apply(RecipeEdit::SetRecipe { part, set, recipe });
    let itself = give(recipe(Target::R, vec![looks(Target::R)])).unwrap_err();
    assert!(itself.to_string().contains("look at what it makes itself"));
    give(recipe(Target::R, vec![looks(Target::G)])).unwrap();
    let around = give(recipe(Target::G, vec![looks(Target::R)])).unwrap_err();
    assert!(around.to_string().contains("look at what it makes itself"), "in a circle");
    let both = give(recipe(Target::Rgb, vec![constant(0.5)])).unwrap_err();
    assert!(both.to_string().contains("freeze that one first"));
    let wrong = give(recipe(Target::B, vec![constant(7.0)])).unwrap_err();
    assert!(wrong.to_string().contains("step 1 (Constant)"), "{wrong}");
    let strength = Step { strength: Some(2.0), merge: Some(Merge::Add), ..constant(0.5) };
    assert!(give(recipe(Target::B, vec![strength])).is_err());
    let gone = RecipeEdit::FreezeRecipe { part, set, channels: Target::A };
    assert_eq!(table.document.apply(gone).unwrap_err(), EditError::NoSuchRecipe);
}

/// Recipes that look at each other over parts, and such that come to do so by another name: none is
/// made for ever.
#[test]
fn a_circle_over_parts_is_refused_or_told() {
    let mut table = Table::new();
    let (part, set) = (table.part, table.set);
    let mesh = Mesh::new(sheet(8, 0.0)).unwrap();
    let wear = NewSet::flooded("Wear", Placement::Vertex, Encoding::Data, [0.0; 4], &mesh);
    table.document.apply(Edit::bring_in(vec![NewPart::new("Twin", mesh, vec![wear])])).unwrap();
    let twin = table.document.parts()[1].clone();
    let (twin, twins) = (twin.id, twin.sets[0].id);
    let looks = |part: &str, channel: Target| {
        Step::new(Source::Channel { set: "Wear".into(), channel, part: Some(part.into()) })
    };
    let give = |part, set, recipe| RecipeEdit::SetRecipe { part, set, recipe };

    // At its own channel, under its own name.
    let own = recipe(Target::R, vec![looks("Tray", Target::R)]);
    let error = table.document.apply(give(part, set, own)).unwrap_err();
    assert!(error.to_string().contains("look at what it makes itself"), "{error}");
    // By way of the other part.
    let to_twin = recipe(Target::R, vec![looks("Twin", Target::G)]);
    table.document.apply(give(part, set, to_twin)).unwrap();
    let back = recipe(Target::G, vec![looks("Tray", Target::R)]);
    let error = table.document.apply(give(twin, twins, back.clone())).unwrap_err();
    assert!(error.to_string().contains("look at what it makes itself"), "{error}");
    // A step that is off looks at nothing.
    let mut off = back;
    off.steps[0].off = true;
    table.document.apply(give(twin, twins, off)).unwrap();
    table.remake();

    // Those that others look at come first, over parts too.
    let half = recipe(Target::G, vec![constant(0.5)]);
    table.document.apply(give(twin, twins, half)).unwrap();
    assert_eq!(table.document.stale(&table.pantry)[0], (twin, twins, Target::G));
    table.remake();
    assert!(table.values(0).iter().all(|&x| x == 0.5));

    // Under another name they look at each other: nothing is made, and it is said.
    let elsewhere = recipe(Target::G, vec![constant(0.25), looks("Lid", Target::R)]);
    table.document.apply(give(twin, twins, elsewhere)).unwrap();
    let renamed = PartEdit::RenamePart { part, name: "Lid".into() };
    table.document.apply(renamed).unwrap();
    assert!(table.document.stale(&table.pantry).is_empty());
    let standings = table.document.standings(&table.pantry);
    assert_eq!(standings.iter().filter(|standing| standing.is_circular).count(), 2);
    let error = table.document.make_all(&table.pantry, &Watch::default()).unwrap_err();
    assert!(error.to_string().contains("looks at what it makes itself"), "{error}");
}

/// What is said of paint held elsewhere: it covers as much as it did, and where it covers it has its
/// color, not a mean with the bare ground beside it.
#[test]
fn paint_that_is_held_elsewhere_keeps_its_color() {
    for (to, is_shape) in [(Placement::Face, false), (Placement::Vertex, true)] {
        let mut table = Table::new();
        let (part, set) = (table.part, table.set);
        table.cook(recipe(Target::R, vec![constant(0.8)]));
        table.dab(0, Action::Paint, 0.6, 1.0);
        table.remake();
        if is_shape {
            // Twice as fine: most new vertices lie between old ones.
            let theirs = NewPart::new("Tray", Mesh::new(sheet(16, 0.0)).unwrap(), vec![]);
            let own = table.document.parts()[0].clone();
            let (shape, _) = shape(&own, theirs, Some(Matching::Nearest)).unwrap();
            let (from, images) = ("finer.ply".to_owned(), Vec::new());
            let shape = Box::new(shape);
            table.document.apply(ReplaceEdit::ReplaceShape { part, from, shape, images }).unwrap();
        } else {
            table.document.apply(SetEdit::ConvertSet { part, set, placement: to }).unwrap();
        }
        // Another bake below shows through where the paint does not cover, and nowhere darkens it.
        let mut other = table.document.set(part, set).unwrap().recipes[0].recipe.clone();
        other.steps[0] = constant(0.6);
        table.cook(other);
        let values = table.values(0);
        assert!(values.iter().all(|x| (x - 0.6).abs() < 1e-5), "{values:?}");
    }
}

#[test]
fn copies_on_other_parts_are_plain_and_take_paint() {
    let mut table = Table::new();
    table.cook(recipe(Target::R, vec![constant(0.4)]));
    table.dab(0, Action::Paint, 1.0, 1.0);
    table.remake();
    let mesh = Mesh::new(sheet(8, 3.0)).unwrap();
    table.document.apply(Edit::bring_in(vec![NewPart::new("Lid", mesh, vec![])])).unwrap();
    let (part, set, lid) = (table.part, table.set, table.document.parts()[1].id);
    table.document.apply(SetEdit::CopySet { part, set, to: vec![lid] }).unwrap();
    // A recipe there would look for hand paint that is not on that part.
    assert!(table.document.parts()[1].sets[0].recipes.is_empty());
    table
        .document
        .apply(SetEdit::DeleteSet { part: lid, set: table.document.parts()[1].sets[0].id })
        .unwrap();
    table.document.apply(SetEdit::MakePartsAgree).unwrap();
    assert!(table.document.parts()[1].sets[0].recipes.is_empty());
    assert!(table.document.stale(&table.pantry).is_empty());
}

/// A recipe, its paint and what the numbers mean go with a swapped channel; the other's numbers are
/// plain paint still.
#[test]
fn a_swapped_channel_takes_its_recipe_and_paint_along() {
    let mut table = Table::new();
    table.cook(recipe(Target::R, vec![constant(0.25)]));
    table.dab(0, Action::Paint, 1.0, 1.0);
    table.dab(1, Action::Paint, 0.5, 1.0);
    table.remake();
    let (red, green) = (table.values(0), table.values(1));
    let (part, set) = (table.part, table.set);
    let swap = table.document.apply(ChannelEdit::SwapChannels { part, set, a: 0, b: 1 }).unwrap();
    assert_eq!((table.values(0), table.values(1)), (green.clone(), red.clone()));
    let recipes = table.document.set(part, set).unwrap().recipes.clone();
    assert_eq!((recipes.len(), recipes[0].recipe.channels), (1, Target::G));
    table.remake();
    assert_eq!((table.values(0), table.values(1)), (green.clone(), red.clone()));
    // Another bake below: the paint is where it was, on the channel where it is now.
    let mut own = recipes[0].recipe.clone();
    own.steps[0] = constant(0.75);
    table.cook(own);
    assert_eq!((table.values(1)[MIDDLE], table.values(1)[RIM]), (1.0, 0.75));
    assert_eq!(table.values(0), green);
    assert!(swap.steps.len() >= 4, "values, what is said of them, and two layers");
}

#[test]
fn layers_of_a_recipe_are_no_sets_to_be_edited() {
    let mut table = Table::new();
    table.cook(recipe(Target::R, vec![constant(0.25)]));
    table.dab(0, Action::Paint, 1.0, 1.0);
    let part = table.part;
    let layers: Vec<SetId> = table.document.parts()[0].sets[1..].iter().map(|s| s.id).collect();
    assert_eq!(layers.len(), 2);
    for set in layers {
        let channels = Channels::RGB;
        let coat = Coat::new(part, set, channels, [1.0; 4]);
        let start =
            StrokeStart::new(coat, Brush::default(), View::Parallel { forward: Vec3::NEG_Z });
        for edit in [
            Edit::from(SetEdit::DeleteSet { part, set }),
            SetEdit::DuplicateSet { part, set }.into(),
            SetEdit::RenameSet { part, set, name: "Mine".into() }.into(),
            ChannelEdit::ClearChannels { part, set, channels }.into(),
            SetEdit::ConvertSet { part, set, placement: Placement::Face }.into(),
            SetEdit::MoveSet { part, set, to: 0 }.into(),
            PaintEdit::Stroke { start, samples: Vec::new() }.into(),
        ] {
            assert_eq!(table.document.apply(edit).unwrap_err(), EditError::Layer);
        }
    }
}

/// Paint that has no place to stay would be gone at the next making: it is refused before.
#[test]
fn a_stroke_whose_paint_has_no_room_is_refused() {
    let mut table = Table::new();
    table.cook(recipe(Target::R, vec![constant(0.25)]));
    let part = table.part;
    for n in 0..255 {
        let (role, name) = (speckle_model::color_set::Role::Selection, format!("S{n}"));
        let placement = Placement::Face;
        table.document.apply(HelperEdit::AddHelper { part, role, name, placement }).unwrap();
    }
    let coat = Coat::new(part, table.set, Channels::RGB, [1.0; 4]);
    let view = View::Parallel { forward: Vec3::NEG_Z };
    let start = StrokeStart::new(coat, Brush::default(), view);
    let refused =
        table.document.apply(PaintEdit::Stroke { start, samples: Vec::new() }).unwrap_err();
    assert!(matches!(refused, EditError::TooManyHelpers { .. }), "{refused}");
    // Where no recipe is, there is nothing to be kept.
    let plain = Coat { channels: Channels([false, true, false, false]), ..coat };
    let start = StrokeStart::new(plain, Brush::default(), view);
    table.document.apply(PaintEdit::Stroke { start, samples: Vec::new() }).unwrap();
}

#[test]
fn a_locked_recipe_does_not_keep_the_others_from_being_made() {
    let mut table = Table::new();
    let (part, set) = (table.part, table.set);
    for channel in [Target::R, Target::G] {
        let recipe = recipe(channel, vec![constant(0.25)]);
        table.document.apply(RecipeEdit::SetRecipe { part, set, recipe }).unwrap();
    }
    let own = table.document.set(part, set).unwrap();
    let traits = ChannelTraits { locked: true, ..own.channels[0].clone() };
    table.document.apply(ChannelEdit::DescribeChannel { part, set, channel: 0, traits }).unwrap();
    table.document.make_all(&table.pantry, &Watch::default()).unwrap();
    assert_eq!((table.values(0)[RIM], table.values(1)[RIM]), (0.0, 0.25));
}
