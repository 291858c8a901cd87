//! What sources and recipes look at, in one number.

use speckle_model::{
    Digest,
    recipe::{Recipe, Source},
};

use super::{
    contents::Contents,
    error::BakeError,
    inputs::Inputs,
    look::{Look, Needs, Plan},
    sources,
};

/// What a source is to do, or why it cannot; and all it looked at for that, in one number.
pub(super) fn planned<'a>(
    source: &'a Source,
    inputs: &'a Inputs,
    contents: &Contents,
) -> (Digest, Result<Plan<'a>, BakeError>) {
    let mut look = Look::new(inputs);
    let plan = sources::planned(source, &mut look);
    if let Err(error) = &plan {
        look.miss(error);
    }
    (Digest::of(&(source, look.needs().digest(contents))), plan)
}

impl Inputs {
    /// What a recipe looks at.
    #[must_use]
    pub fn needs<'a>(&'a self, recipe: &'a Recipe) -> Needs<'a> {
        let mut look = Look::new(self);
        look.ground();
        look.encoding();
        for step in recipe.steps.iter().filter(|step| !step.off) {
            if let Err(error) = sources::planned(&step.source, &mut look) {
                look.miss(&error);
            }
            if let Some(Err(error)) = step.mask.as_ref().map(|mask| look.mask(mask).map(drop)) {
                look.miss(&error);
            }
        }
        look.needs()
    }
}
