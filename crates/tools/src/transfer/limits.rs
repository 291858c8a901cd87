//! What holds a transfer back.

use speckle_mesh::Placement;
use speckle_model::{ColorSet, Part, color_set::convert};

use super::TransferError;
use crate::bake::chosen::Chosen;

/// What holds a transfer back: a selection to stay in, and the part's mask.
pub(super) struct Limits<'a> {
    only: Option<Chosen<'a>>,
    mask: Option<&'a ColorSet>,
}

/// What holds back on a part: none where nothing does.
pub(super) fn limits<'a>(
    part: &'a Part,
    only: Option<&'a str>,
) -> Result<Option<Limits<'a>>, TransferError> {
    let named = |name: &'a str| {
        Chosen::named(part, name).ok_or_else(|| TransferError::NoSelection {
            part: part.traits.name.clone(),
            name: name.to_owned(),
        })
    };
    let (only, mask) = (only.map(named).transpose()?, part.mask());
    Ok((only.is_some() || mask.is_some()).then_some(Limits { only, mask }))
}

impl Limits<'_> {
    /// How much of each element may change.
    pub(super) fn shares(&self, part: &Part, placement: Placement) -> Vec<f32> {
        let mut shares = match &self.only {
            None => vec![1.0; placement.count(part.geometry.mesh())],
            Some(only) => only.shares(placement),
        };
        if let Some(mask) = self.mask {
            let values = convert::values_at(mask, placement, &part.geometry);
            let open = values.iter().map(|value| 1.0 - value[0].clamp(0.0, 1.0));
            shares.iter_mut().zip(open).for_each(|(share, open)| *share *= open);
        }
        shares
    }
}
