//! Good recipes to start from, of our own making.

use super::{Recipe, RecipeFile};

/// The shelf: names and recipes, in the order they are offered.
#[must_use]
pub fn all() -> Vec<RecipeFile> {
    Vec::new()
}

/// The recipe of a name.
#[must_use]
pub fn named(name: &str) -> Option<RecipeFile> {
    all().into_iter().find(|file| file.name.eq_ignore_ascii_case(name))
}

/// What a starter makes of a single channel.
#[must_use]
pub fn first_of(file: &RecipeFile) -> Option<&Recipe> {
    file.recipes.first()
}
