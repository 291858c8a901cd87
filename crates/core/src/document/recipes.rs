//! Recipes of a project's channels, what they make, and how paint by hand goes into them.
//!
//! What a recipe makes comes back as a change that goes with the one before it: undo takes both
//! back together. Hand paint of a step is two sets with roles of their own, values and how much of
//! each channel they cover, so that undo and the journal need nothing more.

use std::sync::Arc;

use serde::Deserialize;
use speckle_color::{Channels, Encoding, Rgba};
use speckle_model::{
    ColorSet, Digest, SetId,
    color_set::{ChannelRecipe, Role, SetTraits, Signed},
    recipe::{self, Recipe, RecipeFile, Source, Target},
};
use speckle_tools::bake::{BakeError, Inputs, Pantry, taste::Tastes, up_to, watch::Watch};
use strum::VariantNames;

use super::{
    Change, Document, Edit, EditError, Part, PartId, Patch, RecipeId, Standing, Step,
    channels::ChannelEdit,
    edit::{Family, Planned},
    recipe_order::would_be_circular,
    sets::has_room,
};

/// What gives sets recipes, or takes them.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum RecipeEdit {
    /// Gives channels a recipe, in place of the one they have.
    SetRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The recipe; its channels say which.
        recipe: Recipe,
    },
    /// Turns what a recipe made into plain paint.
    FreezeRecipe {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The recipe's channels.
        channels: Target,
    },
    /// Gives a set the recipes of a file: the set named, or the one that the file names, which is
    /// made when it is not there.
    TakeRecipes {
        /// The part.
        part: PartId,
        /// The set, when it is another than the file names.
        #[serde(default)]
        set: Option<SetId>,
        /// The recipes.
        file: RecipeFile,
    },
}

impl Family for RecipeEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        match self {
            Self::SetRecipe { part, set, recipe } => {
                document.change_setting_recipe(part, set, recipe).map(Planned::Plain)
            }
            Self::FreezeRecipe { part, set, channels } => {
                document.change_freezing(part, set, channels).map(Planned::Plain)
            }
            Self::TakeRecipes { part, set, file } => {
                document.take_recipes(part, set, file).map(Planned::Done)
            }
        }
    }
}

/// How an edit touched an element.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Touched {
    /// How much of it is new, 0–1.
    pub share: f32,
    /// Whether paint was taken away instead.
    pub erased: bool,
}

impl Touched {
    /// All of it is new.
    pub const ALL: Self = Self { share: 1.0, erased: false };
    /// All of it was taken away.
    pub const CLEARED: Self = Self { share: 1.0, erased: true };
}

/// What a recipe made, on the way back to the document.
#[derive(Clone, Debug)]
pub struct Made {
    /// The part.
    pub part: PartId,
    /// The set.
    pub set: SetId,
    /// What was made.
    pub channels: Target,
    /// All values of the set; those of other channels do not count.
    pub values: Vec<Rgba>,
    /// The values under the uppermost hand paint, when there is any.
    pub beneath: Option<Arc<Vec<Rgba>>>,
    /// What each step made by itself, in small.
    pub tastes: Tastes,
    /// Names all it was made from.
    pub digest: Digest,
}

/// A recipe about to be made: all that takes, apart from the document.
#[derive(Clone)]
pub struct Order {
    /// The part.
    pub part: PartId,
    /// The set.
    pub set: SetId,
    /// What is made.
    pub recipe: Recipe,
    /// What it may look at.
    pub inputs: Inputs,
    /// The set's values now.
    pub there: Arc<Vec<Rgba>>,
}

impl Order {
    /// Makes it.
    ///
    /// # Errors
    /// When something it needs is missing, it makes no sense, or it was given up.
    pub fn make(&self, pantry: &Pantry, watch: &Watch) -> Result<Made, BakeError> {
        let Self { part, set, recipe, inputs, there } = self;
        let digest = inputs.recipe_digest(recipe, pantry);
        let (values, tastes) = self.values(pantry, watch)?;
        let beneath = top_paint(recipe).map(|(at, _)| {
            let beneath = up_to(recipe, at, there, inputs, pantry, watch, None)?;
            Ok::<_, BakeError>(Arc::new(beneath))
        });
        let beneath = beneath.transpose()?;
        let (part, set, channels) = (*part, *set, recipe.channels);
        Ok(Made { part, set, channels, values, beneath, tastes, digest })
    }

    /// All values of the set as they would be, and what each step makes by itself.
    ///
    /// # Errors
    /// As for [`Order::make`].
    pub fn values(&self, pantry: &Pantry, watch: &Watch) -> Result<(Vec<Rgba>, Tastes), BakeError> {
        let Self { recipe, inputs, there, .. } = self;
        let mut tastes = Tastes::of(recipe.steps.len(), there.len());
        let all = usize::MAX;
        let values = up_to(recipe, all, there, inputs, pantry, watch, Some(&mut tastes))?;
        Ok((values, tastes))
    }

    /// The same with fewer rays wherever the rays have not been cast yet; `None` when that would be
    /// all of them.
    #[must_use]
    pub fn draft(&self, pantry: &Pantry) -> Option<Self> {
        let rays = (DRAFT_RAYS / self.there.len().max(1)).clamp(2, 8) as u32;
        let mut draft = self.clone();
        let mut is_less = false;
        for step in draft.recipe.steps.iter_mut().filter(|step| !step.off) {
            if step.source.rays() > rays && !pantry.has(&step.source, &self.inputs) {
                step.source = step.source.with_rays(rays);
                is_less = true;
            }
        }
        is_less.then_some(draft)
    }
}

/// About how many rays a draft may cast, so that it is there at once.
const DRAFT_RAYS: usize = 280_000;

/// The uppermost hand-paint step of a recipe, and its paint.
fn top_paint(recipe: &Recipe) -> Option<(usize, u32)> {
    let steps = recipe.steps.iter().enumerate().rev();
    steps.filter(|(_, step)| !step.off).find_map(|(i, step)| match step.source {
        Source::HandPaint { paint } => Some((i, paint?)),
        _ => None,
    })
}

/// Whether there is room for the hand paint that a stroke over some channels of a set leaves.
///
/// # Errors
/// When the part keeps as many sets as it may.
pub(super) fn has_room_for_paint(
    owner: &Part,
    own: &ColorSet,
    channels: Channels,
) -> Result<(), EditError> {
    let is_met = |recipe: &Recipe| {
        let target = recipe.channels.channels();
        (0..4).any(|i| target.0[i] && channels.0[i])
    };
    let bare = own.recipes.iter().map(|own| &own.recipe);
    let bare = bare.filter(|recipe| is_met(recipe) && top_paint(recipe).is_none()).count();
    match bare {
        0 => Ok(()),
        bare => has_room(owner, 2 * bare, Role::Paint { step: 0 }).map(drop),
    }
}

impl Document {
    /// The order for a recipe of a set.
    ///
    /// # Errors
    /// When it is gone.
    pub fn order(&self, part: PartId, set: SetId, channels: Target) -> Result<Order, EditError> {
        let own = self.set(part, set)?;
        let found = own.recipes.iter().find(|own| own.recipe.channels == channels);
        self.trial(part, set, found.ok_or(EditError::NoSuchRecipe)?.recipe.clone())
    }

    /// Gives channels a recipe, or another one. What was painted there before becomes hand paint on
    /// top of it.
    pub(super) fn change_setting_recipe(
        &mut self,
        part: PartId,
        set: SetId,
        mut recipe: Recipe,
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(part, set)?;
        let own = self.as_kept(own);
        let target = recipe.channels;
        if let Some(problem) = recipe.problem() {
            return Err(EditError::Shelved(problem));
        }
        if !own.is_product() {
            return Err(EditError::Channel("recipes make sets, not masks or selections"));
        }
        super::sets::no_lock(&own, target.channels().0)?;
        let overlaps = |other: Target| {
            other != target && (0..4).any(|i| other.channels().0[i] && target.channels().0[i])
        };
        if let Some(other) = own.recipes.iter().map(|r| r.recipe.channels).find(|&r| overlaps(r)) {
            return Err(EditError::Shelved(format!(
                "{} of {} has a recipe already: freeze that one first",
                other.letters(),
                own.name
            )));
        }
        let old = own.recipes.iter().find(|own| own.recipe.channels == target);
        let is_first = old.is_none();
        let old_paints: Vec<u32> = old.iter().flat_map(|own| own.recipe.paints()).collect();
        let mut steps = Vec::new();
        let mut owner = self.part(part)?.clone();
        // What is painted already stays: it lies on top of what the recipe makes.
        let differs =
            |value: &Rgba| (0..4).any(|i| target.channels().0[i] && value[i] != own.ground[i]);
        let has_paint = recipe.steps.iter().any(|s| matches!(s.source, Source::HandPaint { .. }));
        if is_first && !has_paint && own.values.iter().any(differs) {
            recipe.steps.push(recipe::Step::new(Source::HandPaint { paint: None }));
        }
        let mut known = old_paints.clone();
        for step in &mut recipe.steps {
            let Source::HandPaint { paint } = &mut step.source else { continue };
            // Each step has paint of its own, and none of another recipe.
            if let Some(at) = paint.and_then(|id| known.iter().position(|known| *known == id)) {
                known.remove(at);
                continue;
            }
            let id = self.take_id();
            *paint = Some(id);
            let covers = is_first.then_some(&own);
            for layer in self.new_layers(&owner, &own, id, covers, target)? {
                steps.push(Step::Set { part, index: owner.sets.len(), set: layer.clone() });
                owner.sets.push(layer);
            }
        }
        // Paint of steps that are gone.
        steps.extend(layers_gone(&mut owner, &known));
        if would_be_circular(&self.parts, set, &recipe) {
            return Err(EditError::Shelved(
                "the recipe would look at what it makes itself: choose another channel".to_owned(),
            ));
        }
        let name = own.target_name(target);
        let verb = if is_first { "Give a recipe to" } else { "Change the recipe of" };
        let mut traits = own.traits();
        let old = old.map(|own| &own.recipe);
        if shifts(&recipe) && !old.is_some_and(shifts) && !target.is_single() {
            tell_shifts(&mut traits);
        }
        match traits.recipes.iter_mut().find(|own| own.recipe.channels == target) {
            Some(own) => own.recipe = recipe,
            None => traits.recipes.push(ChannelRecipe { recipe, made: None }),
        }
        if traits != own.traits() {
            let (before, after) = (Box::new(own.traits()), Box::new(traits));
            steps.push(Step::SetTraits { part, set, before, after });
        }
        Ok(Change { label: format!("{verb} {name}"), steps, ..Change::default() })
    }

    /// Gives a set the recipes of a file, and says of channels that nothing is said of what they
    /// hold.
    pub(super) fn take_recipes(
        &mut self,
        part: PartId,
        set: Option<SetId>,
        file: RecipeFile,
    ) -> Result<Change, EditError> {
        if let Some(problem) = file.problem() {
            return Err(EditError::Shelved(problem));
        }
        let title = if file.name.is_empty() { "recipes" } else { &file.name };
        let mut whole = Change { label: format!("Take {title}"), ..Change::default() };
        let named = self.part(part)?.products().find(|own| own.name == file.set.trim());
        let set = match set.or(named.map(|own| own.id)) {
            Some(set) => set,
            None => {
                whole.steps.extend(self.apply(Edit::adding_set_of(part, &file))?.steps);
                let new = self.part(part)?.products().find(|own| own.name == file.set.trim());
                new.map(|own| own.id).ok_or(EditError::NoSuchRecipe)?
            }
        };
        let channels = self.set(part, set)?.channels.clone();
        let mut edits = Vec::new();
        for recipe in file.recipes {
            if let Some(channel) = (0..4).find(|&i| Target::channel(i) == Some(recipe.channels))
                && channels[channel].meaning.is_empty()
            {
                let mut traits = channels[channel].clone();
                traits.meaning = recipe.title().chars().take(80).collect();
                edits.push(Edit::from(ChannelEdit::DescribeChannel { part, set, channel, traits }));
            }
            edits.push(RecipeEdit::SetRecipe { part, set, recipe }.into());
        }
        match self.apply_all(String::new(), edits) {
            Ok(rest) => {
                whole.steps.extend(rest.steps);
                Ok(whole)
            }
            Err(error) => {
                self.replay(&whole, super::Direction::Backward)?;
                Err(error)
            }
        }
    }

    /// Makes all that is stale, at once and as one change.
    ///
    /// # Errors
    /// Why one could not be made; what was made before it stays.
    pub fn make_all(&mut self, pantry: &Pantry, watch: &Watch) -> Result<Change, BakeError> {
        let mut whole = Change { label: "Make".to_owned(), follows: true, ..Change::default() };
        let said = |error: EditError| BakeError::Recipe(error.to_string());
        // What is locked stays as it is.
        let is_open = |document: &Self, (part, set, target): &RecipeId| {
            let channels = target.channels().0;
            document
                .set(*part, *set)
                .is_ok_and(|own| (0..4).all(|i| !channels[i] || !own.channels[i].locked))
        };
        loop {
            let mut due = self.standings(pantry).into_iter();
            let due = due.find(|standing| standing.is_stale && is_open(self, &standing.id));
            let Some(Standing { id: (part, set, channels), is_circular, .. }) = due else { break };
            if is_circular {
                return Err(BakeError::Circle(
                    self.set(part, set).map_err(said)?.target_name(channels),
                ));
            }
            let made = self.order(part, set, channels).map_err(said)?.make(pantry, watch)?;
            whole.steps.extend(self.accept(made).map_err(said)?.steps);
        }
        Ok(whole)
    }

    /// Turns what a recipe made into plain paint.
    pub(super) fn change_freezing(
        &self,
        part: PartId,
        set: SetId,
        channels: Target,
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(part, set)?;
        let own = self.as_kept(own);
        let found = own.recipes.iter().find(|own| own.recipe.channels == channels);
        let gone: Vec<u32> = found.ok_or(EditError::NoSuchRecipe)?.recipe.paints().collect();
        let mut owner = self.part(part)?.clone();
        let mut steps = layers_gone(&mut owner, &gone);
        let mut traits = own.traits();
        traits.recipes.retain(|own| own.recipe.channels != channels);
        let (before, after) = (Box::new(own.traits()), Box::new(traits));
        steps.push(Step::SetTraits { part, set, before, after });
        let label = format!("Freeze {}", own.target_name(channels));
        Ok(Change { label, steps, ..Change::default() })
    }

    /// Takes what a recipe made into its channels, as a change that goes with the one before it.
    ///
    /// # Errors
    /// When the recipe or its set is gone, the channels are locked, or the set has changed its form
    /// meanwhile: then it has to be made again.
    pub fn accept(&mut self, made: Made) -> Result<Change, EditError> {
        let Made { part, set, channels, values, beneath, tastes: _, digest } = made;
        let own = self.as_kept(self.set(part, set)?);
        super::sets::no_lock(&own, channels.channels().0)?;
        let mut traits = own.traits();
        let found = traits.recipes.iter_mut().find(|own| own.recipe.channels == channels);
        let found = found.ok_or(EditError::NoSuchRecipe)?;
        if values.len() != own.values.len() {
            return Err(EditError::DoesNotFit("the set has another placement now"));
        }
        found.made = Some(digest);
        let chosen = channels.channels();
        let after: Vec<Rgba> = own
            .values
            .iter()
            .zip(values)
            .map(|(old, new)| std::array::from_fn(|i| if chosen.0[i] { new[i] } else { old[i] }))
            .collect();
        let label = format!("Make {}", own.target_name(channels));
        let mut change = Self::all_changed(label, part, &own, &after);
        if traits != own.traits() {
            let (before, after) = (Box::new(own.traits()), Box::new(traits));
            change.steps.push(Step::SetTraits { part, set, before, after });
        }
        change.follows = true;
        if let Some(beneath) = beneath {
            self.beneath.insert((set, channels.letters()), beneath);
        }
        self.replay(&change, super::Direction::Forward)?;
        Ok(change)
    }

    /// What lies under the hand paint of a set, where recipes made it; elsewhere its ground color.
    pub(super) fn beneath(&self, set: &ColorSet) -> Option<Arc<Vec<Rgba>>> {
        if set.recipes.is_empty() {
            return None;
        }
        let mut under = vec![set.ground; set.values.len()];
        for own in &set.recipes {
            let target = own.recipe.channels;
            let chosen = target.channels();
            let known = self.beneath.get(&(set.id, target.letters()));
            let known = known.filter(|known| known.len() == under.len());
            // Without paint, what is seen is what was made.
            let own_values = top_paint(&own.recipe).is_none().then_some(&set.values);
            if let Some(values) = known.or(own_values) {
                for (under, value) in under.iter_mut().zip(values.iter()) {
                    (0..4).filter(|&i| chosen.0[i]).for_each(|i| under[i] = value[i]);
                }
            }
        }
        Some(Arc::new(under))
    }

    /// Lets what a change did to channels with recipes go into their hand paint. `touched` says how
    /// each element of a set was touched.
    pub(super) fn with_hand_paint(
        &mut self,
        mut change: Change,
        touched: &dyn Fn(SetId, u32) -> Touched,
    ) -> Result<Change, EditError> {
        let values: Vec<(PartId, SetId, Patch)> = change
            .steps
            .iter()
            .filter_map(|step| match step {
                Step::Values { part, set, patch } => Some((*part, *set, patch.clone())),
                _ => None,
            })
            .filter(|(part, set, _)| self.set(*part, *set).is_ok_and(|s| !s.recipes.is_empty()))
            .collect();
        for (part, set, patch) in values {
            let own = self.set(part, set)?.clone();
            let mut owner = self.part(part)?.clone();
            let mut traits = own.traits();
            for recipe in &mut traits.recipes {
                let recipe = &mut recipe.recipe;
                let chosen = recipe.channels.channels();
                let is_met =
                    patch.before.iter().zip(&patch.after).any(|(before, after)| {
                        (0..4).any(|i| chosen.0[i] && before[i] != after[i])
                    });
                if !is_met {
                    continue;
                }
                let (id, is_new) = match top_paint(recipe) {
                    Some((_, id)) => (id, false),
                    None => {
                        let id = self.take_id();
                        recipe.steps.push(recipe::Step::new(Source::HandPaint { paint: Some(id) }));
                        (id, true)
                    }
                };
                let [mut paint, mut coverage] = if is_new {
                    self.new_layers(&owner, &own, id, None, recipe.channels)?
                } else {
                    let Some(layers) = layers_of(&owner, id) else { continue };
                    layers
                };
                let (old_paint, old_coverage) = (paint.values.clone(), coverage.values.clone());
                let (values, covers) =
                    (Arc::make_mut(&mut paint.values), Arc::make_mut(&mut coverage.values));
                for ((&element, before), after) in
                    patch.indices.iter().zip(&patch.before).zip(&patch.after)
                {
                    let Touched { share, erased } = touched(set, element);
                    let e = element as usize;
                    for i in (0..4).filter(|&i| chosen.0[i]) {
                        lay(
                            &mut values[e][i],
                            &mut covers[e][i],
                            (before[i], after[i]),
                            share,
                            erased,
                        );
                    }
                }
                for (layer, old) in [(paint, old_paint), (coverage, old_coverage)] {
                    if is_new {
                        let index = owner.sets.len();
                        change.steps.push(Step::Set { part, index, set: layer.clone() });
                        owner.sets.push(layer);
                    } else {
                        let patch = Patch::between(&old, &layer.values);
                        if !patch.indices.is_empty() {
                            change.steps.push(Step::Values { part, set: layer.id, patch });
                        }
                    }
                }
            }
            if traits != own.traits() {
                let (before, after) = (Box::new(own.traits()), Box::new(traits));
                change.steps.push(Step::SetTraits { part, set, before, after });
            }
        }
        Ok(change)
    }

    /// The two sets of a new hand-paint step; covering what differs from a set's ground, if one is
    /// given.
    fn new_layers(
        &mut self,
        owner: &Part,
        own: &ColorSet,
        id: u32,
        covers: Option<&ColorSet>,
        target: Target,
    ) -> Result<[ColorSet; 2], EditError> {
        has_room(owner, 2, Role::Paint { step: id })?;
        let chosen = target.channels();
        let coverage: Vec<Rgba> = match covers {
            None => vec![[0.0; 4]; own.values.len()],
            Some(set) => set
                .values
                .iter()
                .map(|value| {
                    std::array::from_fn(|i| {
                        f32::from(u8::from(chosen.0[i] && value[i] != set.ground[i]))
                    })
                })
                .collect(),
        };
        let values = match covers {
            None => Arc::new(vec![[0.0; 4]; own.values.len()]),
            Some(set) => set.values.clone(),
        };
        let layer = |id: u32, role: Role, encoding: Encoding, values: Arc<Vec<Rgba>>| ColorSet {
            id: SetId(id),
            name: format!("{} {} of {}", role.noun(), target.letters(), own.name),
            placement: own.placement,
            encoding,
            ground: [0.0; 4],
            channels: Default::default(),
            recipes: Vec::new(),
            role,
            values,
        };
        let paint = layer(self.take_id(), Role::Paint { step: id }, own.encoding, values);
        let role = Role::Coverage { step: id };
        let coverage = layer(self.take_id(), role, Encoding::Data, Arc::new(coverage));
        Ok([paint, coverage])
    }
}

/// Lays new paint on a layer's value with its coverage, or takes some away. The paint is what would
/// have made the new value of the old one if all of it had counted.
fn lay(value: &mut f32, coverage: &mut f32, (before, after): (f32, f32), share: f32, erased: bool) {
    if erased {
        *coverage *= 1.0 - share;
        return;
    }
    if before == after || share <= 0.0 {
        return;
    }
    let full = (before + (after - before) / share).clamp(0.0, 1.0);
    let kept = *coverage * (1.0 - share);
    let whole = kept + share;
    *value = (*value * kept + full * share) / whole;
    *coverage = whole.min(1.0);
}

/// The paint and the coverage of a hand-paint step.
fn layers_of(owner: &Part, id: u32) -> Option<[ColorSet; 2]> {
    let with = |role: Role| owner.sets.iter().find(|set| set.role == role).cloned();
    Some([with(Role::Paint { step: id })?, with(Role::Coverage { step: id })?])
}

/// The steps that take layers away, the last first; they are taken from the part too.
fn layers_gone(owner: &mut Part, paints: &[u32]) -> Vec<Step> {
    let part = owner.id;
    let mut steps = Vec::new();
    for index in (0..owner.sets.len()).rev() {
        let is_gone = match owner.sets[index].role {
            Role::Paint { step } | Role::Coverage { step } => paints.contains(&step),
            _ => false,
        };
        if is_gone {
            let set = owner.sets.remove(index);
            steps.push(Step::SetGone { part, index, set });
        }
    }
    steps
}

/// Whether a recipe shifts the color of pieces.
fn shifts(recipe: &Recipe) -> bool {
    recipe.steps.iter().any(|step| matches!(step.source, Source::PerPieceShift { .. }))
}

/// Says of R, G and B that they shift colors, and from which neutral number, where nothing is said.
fn tell_shifts(traits: &mut SetTraits) {
    let words = ["lightness shift", "chroma shift", "hue shift, in turns"];
    for (channel, words) in traits.channels.iter_mut().zip(words) {
        if channel.meaning.is_empty() && channel.signed.is_none() {
            channel.meaning = words.to_owned();
            channel.signed = Some(Signed { neutral: 0.5, amount: 1.0 });
        }
    }
}

/// What is said of a set after its channels were swapped: recipes go with what they make.
///
/// # Errors
/// When a recipe makes one of them together with others.
pub(super) fn swapped(
    mut traits: SetTraits,
    (a, b): (usize, usize),
) -> Result<SetTraits, EditError> {
    for own in &mut traits.recipes {
        let target = own.recipe.channels;
        let (has_a, has_b) = (target.channels().0[a], target.channels().0[b]);
        if !has_a && !has_b {
            continue;
        }
        let to = if has_a { b } else { a };
        match (target.is_single(), Target::channel(to)) {
            (true, Some(to)) => own.recipe.channels = to,
            _ => {
                return Err(EditError::Channel(
                    "a recipe makes these channels together: freeze it before they are swapped",
                ));
            }
        }
        own.made = None;
    }
    Ok(traits)
}
