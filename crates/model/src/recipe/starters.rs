//! Good recipes to start from, of our own making.

use super::RecipeFile;

const SHELF: [&str; 9] = [
    include_str!("starters/shade.json"),
    include_str!("starters/edges.json"),
    include_str!("starters/grime.json"),
    include_str!("starters/snow.json"),
    include_str!("starters/sway.json"),
    include_str!("starters/pieces.json"),
    include_str!("starters/sheltered.json"),
    include_str!("starters/rust.json"),
    include_str!("starters/weathered.json"),
];

/// The shelf, in the order it is offered.
#[must_use]
pub fn all() -> Vec<RecipeFile> {
    // A test reads each of them.
    SHELF.iter().filter_map(|json| serde_json::from_str(json).ok()).collect()
}

/// The recipe of a name.
#[must_use]
pub fn named(name: &str) -> Option<RecipeFile> {
    all().into_iter().find(|file| file.name.eq_ignore_ascii_case(name))
}
