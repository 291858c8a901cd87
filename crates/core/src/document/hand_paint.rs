//! How paint by hand goes into recipes, and comes out of them.
//!
//! Hand paint of a step is two sets with roles of their own, values and how much of each channel they
//! cover, so that undo and the journal need nothing more.

use std::sync::Arc;

use speckle_color::{Channels, Encoding, Rgba, swatch_of};
use speckle_model::{
    ColorSet, SetId,
    color_set::Role,
    recipe::{self, Recipe, Source, Target},
};

use super::{
    Change, ChangeStep, Document, EditError, Part, PartId, Patch, planned::Touched, sets::has_room,
};

/// The uppermost hand-paint step of a recipe, and its paint.
pub(super) fn top_paint(recipe: &Recipe) -> Option<(usize, u32)> {
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
                ChangeStep::Values { part, set, patch } => Some((*part, *set, patch.clone())),
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
                    if own.encoding == Encoding::Swatch {
                        // Laid on whole, or taken away.
                        let is_paint = !erased && swatch_of(*after) != 0;
                        if is_paint {
                            values[e] = *after;
                        }
                        covers[e] = [f32::from(u8::from(is_paint)); 4];
                        continue;
                    }
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
                        change.steps.push(ChangeStep::Set { part, index, set: layer.clone() });
                        owner.sets.push(layer);
                    } else {
                        let patch = Patch::between(&old, &layer.values);
                        if !patch.indices.is_empty() {
                            change.steps.push(ChangeStep::Values { part, set: layer.id, patch });
                        }
                    }
                }
            }
            if traits != own.traits() {
                let (before, after) = (Box::new(own.traits()), Box::new(traits));
                change.steps.push(ChangeStep::SetTraits { part, set, before, after });
            }
        }
        Ok(change)
    }

    /// The two sets of a new hand-paint step; covering what differs from a set's ground, if one is
    /// given.
    pub(super) fn new_layers(
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
pub(super) fn layers_of(owner: &Part, id: u32) -> Option<[ColorSet; 2]> {
    let with = |role: Role| owner.sets.iter().find(|set| set.role == role).cloned();
    Some([with(Role::Paint { step: id })?, with(Role::Coverage { step: id })?])
}

/// The steps that take layers away, the last first; they are taken from the part too.
pub(super) fn layers_gone(owner: &mut Part, paints: &[u32]) -> Vec<ChangeStep> {
    let part = owner.id;
    let mut steps = Vec::new();
    for index in (0..owner.sets.len()).rev() {
        let is_gone = match owner.sets[index].role {
            Role::Paint { step } | Role::Coverage { step } => paints.contains(&step),
            _ => false,
        };
        if is_gone {
            let set = owner.sets.remove(index);
            steps.push(ChangeStep::SetGone { part, index, set });
        }
    }
    steps
}
