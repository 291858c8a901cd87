//! What recoloring needs to know: with what each element of a set was recolored last.
//!
//! Recolor keeps the shading that is there: the luminance now beside that of the color the set was
//! before it was shaded. The ground color is that at first; once something has been recolored it is
//! what it was recolored with, kept in a layer of its own behind the set. So recoloring twice is
//! recoloring once, and back is back.

use std::sync::Arc;

use speckle_color::{Rgba, blend::Blend};
use speckle_model::{ColorSet, SetId, color_set::Role};
use speckle_tools::stroke::{Action, Coat};

use super::{Change, ChangeStep, Document, EditError, Part, PartId, Patch, sets::has_room};

/// Whether a coat asks for the shading, and changes what it is read against.
fn recolors(coat: &Coat) -> bool {
    coat.blend == Blend::Recolor && coat.action == Action::Paint
}

fn luminance(set: &ColorSet, value: Rgba) -> f32 {
    set.encoding.linear(value).luminance()
}

fn layer_of(owner: &Part, set: SetId) -> Option<&ColorSet> {
    owner.sets.iter().find(|layer| layer.role == Role::Recolored { of: set })
}

impl Document {
    /// The luminance that each element's shading is read against, where a coat asks for it and it is
    /// not that of the ground color.
    ///
    /// # Errors
    /// When the part keeps as many sets as it may, and there has to be one more.
    pub(super) fn lit(
        &self,
        owner: &Part,
        set: &ColorSet,
        coat: &Coat,
    ) -> Result<Option<Arc<Vec<Rgba>>>, EditError> {
        if !recolors(coat) {
            return Ok(None);
        }
        match layer_of(owner, set.id) {
            Some(layer) => Ok(Some(layer.values.clone())),
            None => has_room(owner, 1, Role::Recolored { of: set.id }).map(|_| None),
        }
    }

    /// Lets a change that a coat made of sets keep what they were recolored with.
    /// `afresh`: sets were cleared to their ground color before.
    pub(super) fn with_recolored(
        &mut self,
        mut change: Change,
        coat: &Coat,
        afresh: bool,
    ) -> Change {
        let erases = coat.action == Action::Erase;
        if !recolors(coat) && !erases {
            return change;
        }
        let values: Vec<(PartId, SetId, Patch)> = change
            .steps
            .iter()
            .filter_map(|step| match step {
                ChangeStep::Values { part, set, patch } => Some((*part, *set, patch.clone())),
                _ => None,
            })
            .collect();
        for (part, set, patch) in values {
            let (Ok(owner), Ok(own)) = (self.part(part), self.set(part, set)) else { continue };
            let known = layer_of(owner, set);
            if erases && known.is_none() {
                continue;
            }
            let ground = luminance(own, own.ground);
            let lit_now = |element: u32| match known {
                Some(layer) if !afresh => layer.values[element as usize][0],
                _ => ground,
            };
            let lit = |element: u32, before: Rgba, after: Rgba| {
                let (lit, before) = (lit_now(element), if afresh { own.ground } else { before });
                stored(if erases {
                    lit + (ground - lit) * share_of(own.ground, before, after)
                } else {
                    kept(lit, luminance(own, before), luminance(own, after))
                })
            };
            // What a change costs is what it changed, however large the set is.
            let changed = patch.indices.iter().zip(patch.before.iter().zip(&patch.after));
            let after: Vec<Rgba> =
                changed.map(|(&element, (before, after))| lit(element, *before, *after)).collect();
            let step = match known {
                Some(layer) => {
                    let before = patch.indices.iter().map(|&e| layer.values[e as usize]).collect();
                    let patch = Patch { indices: patch.indices, before, after };
                    ChangeStep::Values { part, set: layer.id, patch }
                }
                None => {
                    let mut lit = vec![stored(ground); own.values.len()];
                    for (&element, value) in patch.indices.iter().zip(after) {
                        lit[element as usize] = value;
                    }
                    let (index, own) = (owner.sets.len(), own.clone());
                    let set = self.new_lit_layer(&own, lit);
                    // Of several sets on one part each has its own place.
                    let newer = |step: &&ChangeStep| matches!(step, ChangeStep::Set { part: other, .. } if *other == part);
                    let index = index + change.steps.iter().filter(newer).count();
                    ChangeStep::Set { part, index, set }
                }
            };
            change.steps.push(step);
        }
        change
    }

    fn new_lit_layer(&mut self, own: &ColorSet, lit: Vec<Rgba>) -> ColorSet {
        let role = Role::Recolored { of: own.id };
        ColorSet {
            id: SetId(self.take_id()),
            name: format!("{} of {}", role.noun(), own.name),
            placement: own.placement,
            encoding: speckle_color::Encoding::Data,
            ground: [0.0; 4],
            channels: Default::default(),
            recipes: Vec::new(),
            role,
            values: Arc::new(lit),
        }
    }
}

fn stored(luminance: f32) -> Rgba {
    [luminance.clamp(0.0, 1.0), 0.0, 0.0, 1.0]
}

/// What the shading is read against from now on: so that it stays what it was, however much of the new
/// color was laid on. Black has none; it stays as it is.
fn kept(lit: f32, before: f32, after: f32) -> f32 {
    if before <= 1e-6 || after <= 1e-6 { lit } else { lit * after / before }
}

/// How much of the way from a value to the ground color was gone.
fn share_of(ground: Rgba, before: Rgba, after: Rgba) -> f32 {
    let far = (0..3)
        .max_by(|&a, &b| (ground[a] - before[a]).abs().total_cmp(&(ground[b] - before[b]).abs()));
    let k = far.unwrap_or(0);
    let whole = ground[k] - before[k];
    if whole.abs() <= 1e-6 { 1.0 } else { ((after[k] - before[k]) / whole).clamp(0.0, 1.0) }
}
