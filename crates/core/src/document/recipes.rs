//! Recipes of a project's channels: given, taken, frozen.

use serde::Deserialize;
use speckle_color::Rgba;
use speckle_model::{
    SetId,
    color_set::{ChannelRecipe, RULES, SetTraits, Signed},
    recipe::{self, Recipe, RecipeFile, Source, Target},
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, Edit, EditError, PartId,
    channels::ChannelEdit,
    hand_paint::layers_gone,
    planned::{Family, Planned},
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

impl Document {
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
        super::whole::makes(&own, &recipe)?;
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
                steps.push(ChangeStep::Set { part, index: owner.sets.len(), set: layer.clone() });
                owner.sets.push(layer);
            }
        }
        // Paint of steps that are gone.
        steps.extend(layers_gone(&mut owner, &known));
        if self.would_be_circular(set, &recipe) {
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
            Some(own) => (own.recipe, own.rules) = (recipe, RULES),
            None => traits.recipes.push(ChannelRecipe { recipe, made: None, rules: RULES }),
        }
        if traits != own.traits() {
            let (before, after) = (Box::new(own.traits()), Box::new(traits));
            steps.push(ChangeStep::SetTraits { part, set, before, after });
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
        steps.push(ChangeStep::SetTraits { part, set, before, after });
        let label = format!("Freeze {}", own.target_name(channels));
        Ok(Change { label, steps, ..Change::default() })
    }
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
