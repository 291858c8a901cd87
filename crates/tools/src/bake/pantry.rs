//! What sources made, kept for the next time.

use std::{
    collections::HashMap,
    sync::{Mutex, PoisonError},
};

use speckle_model::{
    Digest,
    color_set::RULES_OF_ALL,
    recipe::{Recipe, Source},
};

use super::{
    answers::Needs, contents::Contents, error::BakeError, field::Field, inputs::Inputs,
    needs::planned, watch::Watch,
};

/// How much is kept, bytes.
const ROOM: usize = 1 << 29;

/// Fields that sources made, by all they depend on; the longest unused go first.
#[derive(Default)]
pub struct Pantry {
    kept: Mutex<Kept>,
    contents: Contents,
}

#[derive(Default)]
struct Kept {
    fields: HashMap<Digest, (Field, u64)>,
    bytes: usize,
    clock: u64,
}

impl Pantry {
    /// What a source makes, from what is kept if it is there.
    ///
    /// # Errors
    /// When something it needs is missing, or it was given up.
    pub fn source(
        &self,
        source: &Source,
        inputs: &Inputs,
        watch: &Watch,
    ) -> Result<Field, BakeError> {
        let (digest, plan) = planned(source, inputs, &self.contents);
        let plan = plan?;
        {
            let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
            kept.clock += 1;
            let clock = kept.clock;
            if let Some((field, used)) = kept.fields.get_mut(&digest) {
                *used = clock;
                return Ok(field.clone());
            }
        }
        let field = plan(watch)?;
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.clock += 1;
        let clock = kept.clock;
        kept.bytes += field.bytes();
        if let Some((old, _)) = kept.fields.insert(digest, (field.clone(), clock)) {
            kept.bytes -= old.bytes();
        }
        while kept.bytes > ROOM && kept.fields.len() > 1 {
            let oldest = kept.fields.iter().min_by_key(|(_, (_, used))| *used).map(|(d, _)| *d);
            let Some((field, _)) = oldest.and_then(|oldest| kept.fields.remove(&oldest)) else {
                break;
            };
            kept.bytes -= field.bytes();
        }
        Ok(field)
    }

    /// A digest of a recipe and what it is known to look at.
    #[must_use]
    pub fn digest(&self, recipe: &Recipe, needs: &Needs) -> Digest {
        let steps: Vec<_> = recipe.steps.iter().filter(|step| !step.off).collect();
        Digest::of(&(RULES_OF_ALL, recipe.channels, steps, needs.digest(&self.contents)))
    }

    /// Whether what a source makes is at hand.
    #[must_use]
    pub fn has(&self, source: &Source, inputs: &Inputs) -> bool {
        let (digest, _) = planned(source, inputs, &self.contents);
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).fields.contains_key(&digest)
    }
}

impl Inputs {
    /// A digest of a recipe and all it looks at: what it made is still true while this is the same.
    #[must_use]
    pub fn recipe_digest(&self, recipe: &Recipe, pantry: &Pantry) -> Digest {
        pantry.digest(recipe, &self.needs(recipe))
    }
}
