//! Recipes being made: all that takes, apart from the document, and what comes back to it.
//!
//! What a recipe makes comes back as a change that goes with the one before it: undo takes both back
//! together.

use std::sync::Arc;

use speckle_color::Rgba;
use speckle_model::{
    Digest, SetId,
    color_set::RULES,
    recipe::{Recipe, Target},
};
use speckle_tools::bake::{BakeError, Inputs, Pantry, taste::Tastes, up_to, watch::Watch};

use super::{
    Change, ChangeStep, Document, EditError, PartId, RecipeId, Standing, hand_paint::top_paint,
};

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
        let is_truer = found.is_by_older_rules();
        (found.made, found.rules) = (Some(digest), RULES);
        let chosen = channels.channels();
        let after: Vec<Rgba> = own
            .values
            .iter()
            .zip(values)
            .map(|(old, new)| std::array::from_fn(|i| if chosen.0[i] { new[i] } else { old[i] }))
            .collect();
        let anew = if is_truer { " anew by a truer rule" } else { "" };
        let label = format!("Make {}{anew}", own.target_name(channels));
        let mut change = Self::all_changed(label, part, &own, &after);
        if traits != own.traits() {
            let (before, after) = (Box::new(own.traits()), Box::new(traits));
            change.steps.push(ChangeStep::SetTraits { part, set, before, after });
        }
        change.follows = true;
        if let Some(beneath) = beneath {
            self.beneath.insert((set, channels.letters()), beneath);
        }
        self.replay(&change, super::Direction::Forward)?;
        Ok(change)
    }
}
