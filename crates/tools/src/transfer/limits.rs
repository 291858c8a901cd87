//! What holds a transfer back.

use speckle_mesh::Placement;
use speckle_model::{
    ColorSet, Part,
    color_set::{Role, convert},
};

use super::TransferError;
use crate::bake::pieces::shares_of;

/// What holds a transfer back: a selection to stay in, and the part's mask.
pub(super) struct Limits<'a> {
    only: Option<Only<'a>>,
    mask: Option<&'a ColorSet>,
}

enum Only<'a> {
    Set(&'a ColorSet),
    Faces(&'a [u32]),
}

/// What holds back on a part: none where nothing does.
pub(super) fn limits<'a>(
    part: &'a Part,
    only: Option<&str>,
) -> Result<Option<Limits<'a>>, TransferError> {
    let only = match only {
        None => None,
        Some(name) => {
            let is_it = |set: &&ColorSet| set.role == Role::Selection && set.name == name;
            let made = part.sets.iter().find(is_it).map(Only::Set);
            let group = || {
                let groups = part.traits.selections.iter();
                groups.clone().find(|group| group.name == name).map(|g| Only::Faces(&g.faces))
            };
            Some(made.or_else(group).ok_or_else(|| TransferError::NoSelection {
                part: part.traits.name.clone(),
                name: name.to_owned(),
            })?)
        }
    };
    let mask = part.mask();
    Ok((only.is_some() || mask.is_some()).then_some(Limits { only, mask }))
}

impl Limits<'_> {
    /// How much of each element may change.
    pub(super) fn shares(&self, part: &Part, placement: Placement) -> Vec<f32> {
        let first = |set: &ColorSet| -> Vec<f32> {
            let values = convert::values_at(set, placement, &part.geometry);
            values.iter().map(|value| value[0].clamp(0.0, 1.0)).collect()
        };
        let mut shares = match self.only {
            None => vec![1.0; placement.count(part.geometry.mesh())],
            Some(Only::Set(set)) => first(set),
            Some(Only::Faces(faces)) => shares_of(&part.geometry, placement, faces),
        };
        if let Some(mask) = self.mask {
            shares.iter_mut().zip(first(mask)).for_each(|(share, mask)| *share *= 1.0 - mask);
        }
        shares
    }
}
