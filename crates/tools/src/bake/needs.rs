//! What sources and recipes look at, in one number.

use speckle_model::{
    Digest,
    recipe::{Recipe, Source},
};

use super::{
    answers::Needs,
    contents::Contents,
    error::BakeError,
    inputs::Inputs,
    lookup::{Lookup, Plan},
    sources,
};

/// What a source is to do, or why it cannot; and all it looked at for that, in one number.
pub(super) fn planned<'a>(
    source: &'a Source,
    inputs: &'a Inputs,
    contents: &Contents,
) -> (Digest, Result<Plan<'a>, BakeError>) {
    let mut lookup = Lookup::new(inputs);
    let plan = sources::planned(source, &mut lookup);
    if let Err(error) = &plan {
        lookup.miss(error);
    }
    (Digest::of(&(source, lookup.needs().digest(contents))), plan)
}

impl Inputs {
    /// What a recipe looks at.
    #[must_use]
    pub fn needs<'a>(&'a self, recipe: &'a Recipe) -> Needs<'a> {
        let mut lookup = Lookup::new(self);
        lookup.ground();
        lookup.encoding();
        for step in recipe.steps.iter().filter(|step| !step.off) {
            if let Err(error) = sources::planned(&step.source, &mut lookup) {
                lookup.miss(&error);
            }
            if let Some(Err(error)) = step.mask.as_ref().map(|mask| lookup.mask(mask).map(drop)) {
                lookup.miss(&error);
            }
        }
        lookup.needs()
    }
}
