//! What another part has, carried over where the two lie together.

use rayon::prelude::*;
use speckle_color::Rgba;
use speckle_model::recipe::{Target, source::FromPart};

use crate::{
    bake::{
        BakeError,
        field::Field,
        lookup::{Lookup, Plan},
    },
    transfer::{Rules, TransferError, followed},
};

/// A channel of another part. What lies too far from it goes by what is around, along the surface;
/// a piece of which nothing lies near has 0.
pub(super) fn from_part<'a>(
    lookup: &mut Lookup<'a>,
    from: &'a FromPart,
) -> Result<Plan<'a>, BakeError> {
    let (own, source) = lookup.carried_from(&from.part, &from.set, from.channel)?;
    let placement = lookup.placement();
    let within = (from.within > 0.0).then_some(from.within);
    let rules = Rules { along: from.along, within, angle_degrees: from.angle, ..Rules::default() };
    Ok(Box::new(move |watch| {
        let found = followed(own, &source, (&from.set, placement), &rules, watch);
        let found = found.map_err(|error| match error {
            TransferError::GivenUp => BakeError::GivenUp,
            other => BakeError::Recipe(other.to_string()),
        })?;
        if found.iter().all(Option::is_none) {
            let (part, other) = (own.traits.name.clone(), from.part.clone());
            return Err(BakeError::FarApart { part, other });
        }
        let values = found.into_par_iter().map(Option::unwrap_or_default);
        let one = |i: usize| move |value: Rgba| value[i];
        Ok(match from.channel {
            Target::R => Field::one(values.map(one(0)).collect()),
            Target::G => Field::one(values.map(one(1)).collect()),
            Target::B => Field::one(values.map(one(2)).collect()),
            Target::A => Field::one(values.map(one(3)).collect()),
            Target::Rgb | Target::Rgba => {
                Field::three(values.map(|[r, g, b, _]| [r, g, b]).collect())
            }
        })
    }))
}
