//! Adjusting a set, and what it would look like before.

use serde::{Deserialize, Serialize};
use speckle_color::{Channels, Rgba};
use speckle_model::{SetId, color_set::convert};
use speckle_tools::adjust::{self, How};

use super::{Change, Document, EditError, PartId, strokes::open_channels, whole::no_swatches};

/// What is adjusted, and how.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Adjustment {
    /// The part.
    pub part: PartId,
    /// The set.
    pub set: SetId,
    /// The channels; others stay bit-identical.
    pub channels: Channels,
    /// How.
    pub how: How,
    /// How much of it, 0–1.
    #[serde(default = "whole")]
    pub strength: f32,
    /// The selection that it keeps to; everywhere when left out.
    #[serde(default)]
    pub within: Option<SetId>,
}

fn whole() -> f32 {
    1.0
}

impl Document {
    /// The values a set would have.
    ///
    /// # Errors
    /// When the target is gone or locked, or the adjustment makes no sense.
    pub fn adjusted(&self, adjustment: &Adjustment) -> Result<Vec<Rgba>, EditError> {
        let Adjustment { part, set, channels, how, strength, within } = *adjustment;
        if let Some(problem) = how.problem() {
            return Err(EditError::Stroke(problem));
        }
        if !(0.0..=1.0).contains(&strength) {
            return Err(EditError::Stroke("the strength must lie between 0 and 100 %"));
        }
        let (_, own, geometry) = self.own_set(part, set)?;
        let channels = open_channels(own, channels)?;
        no_swatches(own)?;
        let own = self.as_kept(own);
        let mut after = adjust::adjusted(how, &own, channels, geometry);
        let mut keep = |shares: &mut dyn Iterator<Item = f32>| {
            for ((value, before), share) in after.iter_mut().zip(own.values.iter()).zip(shares) {
                if share < 1.0 {
                    *value = std::array::from_fn(|i| before[i] + (value[i] - before[i]) * share);
                }
            }
        };
        if strength < 1.0 {
            keep(&mut std::iter::repeat(strength));
        }
        if let Some(within) = within {
            let selection = self.set(part, within)?;
            let shares = convert::values_at(selection, own.placement, geometry);
            keep(&mut shares.into_iter().map(|value| value[0].clamp(0.0, 1.0)));
        }
        if let Some(shield) = self.shield(self.part(part)?, &own) {
            keep(&mut shield.iter().copied());
        }
        Ok(after)
    }

    pub(super) fn change_adjusting(&self, adjustment: &Adjustment) -> Result<Change, EditError> {
        let after = self.adjusted(adjustment)?;
        let own = self.as_kept(self.set(adjustment.part, adjustment.set)?);
        let label = format!("{} of {}", adjustment.how.title(), own.name);
        Ok(Self::all_changed(label, adjustment.part, &own, &after))
    }
}
