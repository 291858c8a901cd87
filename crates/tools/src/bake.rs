//! Color computed from the shape: what the steps of a recipe make.
//!
//! A source is the dear part, so what sources make is kept in a [`Pantry`] under a digest of all
//! they looked at ([`Needs`]); shaping and merging are done anew each time. The same digests say
//! whether what a recipe made is still what it would make.

mod answers;
mod around;
pub(crate) mod chosen;
mod contents;
pub mod curvature;
pub mod diffusion;
mod error;
pub mod field;
mod flow;
pub mod image;
mod inputs;
pub(crate) mod lattice;
mod lookup;
mod needs;
pub mod occlusion;
mod pantry;
pub mod pieces;
pub mod samples;
mod sources;
mod stored_image;
pub mod taste;
pub mod trail;
pub mod watch;

use rayon::prelude::*;
use speckle_color::{Encoding, Rgba, swatch_of, swatch_value};
use speckle_model::recipe::{Recipe, Source, Step, Target};

pub use answers::Needs;
pub use error::BakeError;
use field::Field;
pub use inputs::Inputs;
use lookup::Lookup;
pub use lookup::Paint;
pub use pantry::Pantry;
pub use sources::MATERIAL_SET;
use taste::Tastes;
use watch::Watch;

use crate::volumes;

/// What a step makes by itself, before it is merged.
///
/// # Errors
/// When something it needs is missing, or it was given up.
pub fn step(
    step: &Step,
    target: Target,
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
) -> Result<Field, BakeError> {
    looked_at(step, target, inputs, pantry, watch, |_| ())
}

/// The same, `look` seeing what it has come to before each of its shapings, and in the end.
fn looked_at(
    step: &Step,
    target: Target,
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
    mut look: impl FnMut(&Field),
) -> Result<Field, BakeError> {
    watch.check()?;
    let mut field = pantry.source(&step.source, inputs, watch)?;
    if target.is_single() || step.take.is_some() {
        field = match (&field, step.take) {
            (_, Some(take)) => field.taken(take),
            // Of three, a channel takes what stands at its own place; alpha what is there of it, or
            // the luminance where all is.
            (Field::Seen(..), None) if target == Target::A => {
                field.taken(speckle_model::recipe::Take::Alpha)
            }
            (Field::Three(_) | Field::Seen(..), None) => field.taken(match target {
                Target::R => speckle_model::recipe::Take::R,
                Target::G => speckle_model::recipe::Take::G,
                Target::B => speckle_model::recipe::Take::B,
                _ => speckle_model::recipe::Take::Luminance,
            }),
            (Field::One(_), None) => field,
        };
    }
    for shaping in &step.shaping {
        watch.check()?;
        look(&field);
        let geometry = &inputs.body.geometry;
        field = field.shaped(shaping, geometry, inputs.placement, inputs.encoding, watch)?;
    }
    look(&field);
    Ok(match (field, target.is_single()) {
        // A ramp's color cannot go into a single channel.
        (field @ (Field::Three(_) | Field::Seen(..)), true) => {
            field.taken(speckle_model::recipe::Take::Luminance)
        }
        (field, _) => field,
    })
}

/// What a recipe makes of a set: all values, those of channels it does not make as `there`.
///
/// # Errors
/// When something it needs is missing, it makes no sense, or it was given up.
pub fn made_by(
    recipe: &Recipe,
    there: &[Rgba],
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
) -> Result<Vec<Rgba>, BakeError> {
    up_to(recipe, usize::MAX, there, inputs, pantry, watch, None)
}

/// The same with the steps before a number only, and with a taste of each of them if asked for.
///
/// # Errors
/// As for [`made_by`].
pub fn up_to(
    recipe: &Recipe,
    end: usize,
    there: &[Rgba],
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
    mut tastes: Option<&mut Tastes>,
) -> Result<Vec<Rgba>, BakeError> {
    if let Some(problem) = recipe.problem() {
        return Err(BakeError::Recipe(problem));
    }
    let target = recipe.channels;
    let made = target.channels();
    let mut values: Vec<Rgba> = there
        .par_iter()
        .map(|there| std::array::from_fn(|i| if made.0[i] { inputs.ground[i] } else { there[i] }))
        .collect();
    for (i, step, merge, strength) in recipe.counting(inputs.encoding) {
        if i >= end {
            break;
        }
        let said = |error: BakeError| match error {
            BakeError::GivenUp => BakeError::GivenUp,
            error => BakeError::Recipe(format!(
                "{} step {} ({}): {error}",
                target.letters(),
                i + 1,
                step.source.title()
            )),
        };
        let masked = step.mask.as_ref().map(|mask| Lookup::new(inputs).mask(mask)).transpose();
        let mask = masked.map_err(said)?.map(|shares| shares());
        let share = |element: usize| strength * mask.as_ref().map_or(1.0, |mask| mask[element]);
        if let &Source::Volumes { over } = &step.source {
            let volumes = Lookup::new(inputs).volumes(over).map_err(said)?;
            let shows = volumes::showing(&inputs.body, &volumes);
            for (value, shown) in values.iter_mut().zip(shows) {
                if let Some(shown) = (shown as usize).checked_sub(1) {
                    *value = swatch_value(volumes[shown].volume.swatch);
                }
            }
            continue;
        }
        if let Source::HandPaint { paint } = &step.source {
            let Some(paint) = Lookup::new(inputs).paint(*paint) else { continue };
            if let Some(tastes) = &mut tastes {
                tastes.take_paint(i, &paint, target);
            }
            values.par_iter_mut().enumerate().with_min_len(4096).for_each(|(element, value)| {
                let share = share(element);
                let (painted, coverage) = (paint.values[element], paint.coverage[element]);
                if inputs.encoding == Encoding::Swatch {
                    // Whole or not at all; and nobody paints with no swatch.
                    if coverage[0] >= 0.5 && swatch_of(painted) != 0 {
                        *value = painted;
                    }
                    return;
                }
                for k in (0..4).filter(|&k| made.0[k] && coverage[k] > 0.0) {
                    let merged = merge.of(value[k], painted[k]);
                    value[k] = mixed(value[k], merged, share * coverage[k]);
                }
            });
            continue;
        }
        let look = |field: &Field| {
            if let Some(tastes) = &mut tastes {
                tastes.look(i, field);
            }
        };
        let field = looked_at(step, target, inputs, pantry, watch, look).map_err(said)?;
        if let Some(tastes) = &mut tastes {
            tastes.take(i, &field);
        }
        let channels = sources::channels_of(target, &field);
        values.par_iter_mut().enumerate().with_min_len(4096).for_each(|(element, value)| {
            let (numbers, share, alpha) = (field.at(element), share(element), field.alpha(element));
            for k in (0..4).filter(|&k| channels.0[k]) {
                // Where an image is transparent it holds its color back; alpha itself goes into A.
                let (number, share) = match (k, field.is_three()) {
                    (3, true) => (alpha, share),
                    (k, _) => (numbers[k.min(2)], share * alpha),
                };
                let number = number.clamp(0.0, 1.0);
                value[k] = mixed(value[k], merge.of(value[k], number), share);
            }
        });
    }
    Ok(values)
}

fn mixed(a: f32, b: f32, share: f32) -> f32 {
    if share >= 1.0 { b } else { (a + (b - a) * share).clamp(0.0, 1.0) }
}
