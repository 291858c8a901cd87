//! What a set of swatches can take: whole numbers, at faces, laid on and not mixed.

use speckle_color::{Encoding, MOST_PAINTED, Rgba, swatch_of, swatch_value};
use speckle_mesh::Placement;
use speckle_model::{
    ColorSet,
    recipe::{Recipe, Step, Target},
};
use speckle_tools::stroke::{Action, Coat};

use super::EditError;

/// Refuses what mixes or bends numbers.
pub(super) fn no_swatches(set: &ColorSet) -> Result<(), EditError> {
    if set.encoding == Encoding::Swatch {
        return Err(EditError::Channel(
            "this set holds swatches, which are laid on whole: paint, pour or span them",
        ));
    }
    Ok(())
}

/// Refuses a recipe that cannot make what a set holds: swatches are made by what lays them on whole, and by
/// nothing else.
pub(super) fn makes(set: &ColorSet, recipe: &Recipe) -> Result<(), EditError> {
    if set.encoding != Encoding::Swatch {
        return match recipe.has_volumes() {
            true => Err(EditError::Channel("volumes color in swatches: choose a set of swatches")),
            false => Ok(()),
        };
    }
    let is_whole = recipe.channels == Target::Rgba && recipe.steps.iter().all(Step::is_whole);
    if is_whole { Ok(()) } else { no_swatches(set) }
}

/// Refuses a coat that a set of swatches cannot take.
pub(super) fn fits(set: &ColorSet, coat: &Coat) -> Result<(), EditError> {
    if set.encoding != Encoding::Swatch {
        return Ok(());
    }
    if coat.action.tidies() {
        return no_swatches(set);
    }
    match coat.action {
        Action::Erase => Ok(()),
        _ => hold(&set.name, &[coat.paint]),
    }
}

pub(super) fn hold(name: &str, values: &[Rgba]) -> Result<(), EditError> {
    holds(name, Placement::Face, Encoding::Swatch, values)
}

/// Refuses values that a set of an encoding cannot hold where it is.
pub(super) fn holds(
    name: &str,
    placement: Placement,
    encoding: Encoding,
    values: &[Rgba],
) -> Result<(), EditError> {
    if encoding != Encoding::Swatch {
        return Ok(());
    }
    if placement != Placement::Face {
        return Err(EditError::Shelved(format!(
            "{name} holds swatches, and a face prints in one only: swatches are held per face"
        )));
    }
    let is_number = |value: &Rgba| {
        let number = swatch_of(*value);
        number <= MOST_PAINTED && *value == swatch_value(number)
    };
    if !values.iter().all(is_number) {
        return Err(EditError::Shelved(format!(
            "{name} holds swatches: choose one of the palette's first {MOST_PAINTED} to paint with"
        )));
    }
    Ok(())
}
