//! Edits of the sets of parts: named, copied, reordered, taken away, held elsewhere.

use std::{collections::BTreeSet, sync::Arc};

use serde::Deserialize;
use speckle_color::{Encoding, Rgba};
use speckle_mesh::{Geometry, Mesh, Placement};
use speckle_model::{
    ColorSet, SetId,
    color_set::{ChannelTraits, Role, SetTraits, convert},
    names,
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError, MOST_HELPERS, MOST_SETS, NewSet, Part, PartId, Patch,
    planned::{Family, Planned},
    whole,
};

/// What changes the sets of parts.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum SetEdit {
    /// Gives a part one more set, flooded with one value.
    AddSet {
        /// The part.
        part: PartId,
        /// What the set will be called.
        name: String,
        /// What each value belongs to.
        placement: Placement,
        /// Whether the numbers are colors or plain data.
        encoding: Encoding,
        /// The value it is flooded with: its ground color.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
        start: Rgba,
    },
    /// Gives a set another name.
    RenameSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// What it will be called.
        name: String,
    },
    /// Makes a copy of a set, behind it.
    DuplicateSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
    },
    /// Takes a set away.
    DeleteSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
    },
    /// Gives a set another place; receivers read the first one first.
    MoveSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// Its place from now on, from 0.
        to: usize,
    },
    /// Gives other parts a set of the same name: with its values where the mesh is the same, else
    /// flooded with its ground color. Parts that have one are left alone.
    CopySet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// The parts that get it.
        to: Vec<PartId>,
    },
    /// Gives every part the sets that any part has, flooded with their ground colors.
    MakePartsAgree,
    /// Holds a set's values at another placement.
    ConvertSet {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// What each value belongs to from now on.
        placement: Placement,
    },
}

impl Family for SetEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::AddSet { part, name, placement, encoding, start } => {
                let mesh = document.part(part)?.geometry.mesh();
                let set = NewSet::flooded(name, placement, encoding, start, mesh);
                let change = document.change_adding_set(part, set)?;
                document.with_numbers(change)
            }
            Self::RenameSet { part, set, name } => {
                document.change_renaming_set(part, set, &name)?
            }
            Self::DuplicateSet { part, set } => document.change_duplicating_set(part, set)?,
            Self::DeleteSet { part, set } => document.change_deleting_set(part, set)?,
            Self::MoveSet { part, set, to } => document.change_moving_set(part, set, to)?,
            Self::CopySet { part, set, to } => document.change_copying_set(part, set, &to)?,
            Self::MakePartsAgree => document.change_making_agree()?,
            Self::ConvertSet { part, set, placement } => {
                document.change_converting_set(part, set, placement)?
            }
        };
        Ok(change.into())
    }

    fn why_nothing(&self) -> Option<&'static str> {
        matches!(self, Self::MakePartsAgree).then_some("every part has all sets already")
    }
}

impl Document {
    /// A set of a part that may change, with its place and the part's shape.
    pub(super) fn own_set(
        &self,
        part: PartId,
        set: SetId,
    ) -> Result<(usize, &ColorSet, &Arc<Geometry>), EditError> {
        let owner = self.unlocked(part)?;
        let index = owner.sets.iter().position(|s| s.id == set);
        let index =
            index.ok_or_else(|| EditError::NoSuchSet { part: owner.traits.name.clone() })?;
        if owner.sets[index].role.is_layer() {
            return Err(EditError::Layer);
        }
        Ok((index, &owner.sets[index], &owner.geometry))
    }

    pub(super) fn change_adding_set(
        &mut self,
        part: PartId,
        set: NewSet,
    ) -> Result<Change, EditError> {
        let owner = self.unlocked(part)?.clone();
        let products = has_room(&owner, 1, Role::Product)?;
        let set = self.admit_set(&owner.traits.name, &owner.sets, set, owner.geometry.mesh())?;
        Ok(Change {
            label: format!("Add set {}", set.name),
            steps: vec![ChangeStep::Set { part, index: products, set }],
            ..Change::default()
        })
    }

    pub(super) fn admit_set(
        &mut self,
        part: &str,
        beside: &[ColorSet],
        new: NewSet,
        mesh: &Mesh,
    ) -> Result<ColorSet, EditError> {
        let NewSet { name, placement, encoding, ground, values } = new;
        let name = names::proper(&name)?.to_owned();
        let needed = placement.count(mesh);
        whole::holds(&name, placement, encoding, &values)?;
        if values.len() != needed {
            Err(EditError::WrongLength { set: name, got: values.len(), needed })
        } else if beside.iter().any(|other| other.is_product() && other.name == name) {
            Err(EditError::NameTaken { part: part.to_owned(), name })
        } else {
            let id = SetId(self.take_id());
            let (channels, recipes, role) = Default::default();
            let values = Arc::new(values);
            Ok(ColorSet { id, name, placement, encoding, ground, channels, recipes, role, values })
        }
    }

    pub(super) fn change_renaming_set(
        &self,
        part: PartId,
        set: SetId,
        name: &str,
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(part, set)?;
        let name = names::proper(name)?.to_owned();
        let owner = self.part(part)?;
        let is_same = |other: &&ColorSet| other.id != set && other.role == own.role;
        if owner.sets.iter().filter(is_same).any(|other| other.name == name) {
            return Err(EditError::NameTaken { part: owner.traits.name.clone(), name });
        }
        let label = format!("Rename {} to {name}", own.name);
        // Looks mean sets by name: they follow, where nothing else is called so.
        let is_left = |other: &Part| {
            other.products().any(|set| (other.id, set.id) != (part, own.id) && set.name == own.name)
        };
        let mut steps = Vec::new();
        if own.is_product() && !self.parts().iter().any(is_left) {
            let after = self.proof.with_set_renamed(&own.name, &name);
            if after != self.proof {
                let before = self.proof.clone();
                steps.push(ChangeStep::Proof { before: before.into(), after: after.into() });
            }
        }
        let mut change = traits_changed(label, part, own, SetTraits { name, ..own.traits() });
        change.steps.extend(steps);
        Ok(change)
    }

    pub(super) fn change_duplicating_set(
        &mut self,
        part: PartId,
        set: SetId,
    ) -> Result<Change, EditError> {
        let (index, own, _) = self.own_set(part, set)?;
        let mut copy = self.as_kept(own);
        let owner = self.part(part)?;
        has_room(owner, 1, copy.role)?;
        let taken = |name: &str| owner.sets.iter().any(|other| other.name == name);
        let label = format!("Duplicate {}", copy.name);
        let names = std::iter::once(format!("{} copy", copy.name))
            .chain((2..).map(|n| format!("{} copy {n}", copy.name)));
        copy.name = names.into_iter().find(|name| !taken(name)).unwrap_or_default();
        copy.id = SetId(self.take_id());
        copy.channels.iter_mut().for_each(|channel| channel.locked = false);
        // A copy is plain paint: what is made again is the one.
        copy.recipes.clear();
        Ok(Change {
            label,
            steps: vec![ChangeStep::Set { part, index: index + 1, set: copy }],
            ..Change::default()
        })
    }

    pub(super) fn change_deleting_set(
        &self,
        part: PartId,
        set: SetId,
    ) -> Result<Change, EditError> {
        let (index, own, _) = self.own_set(part, set)?;
        no_lock(own, [true; 4])?;
        // What it was like once goes with it. From the last one on, so that places stay true.
        let owner = self.part(part)?;
        let helpers = owner.sets.iter().enumerate().rev();
        let helpers = helpers.filter(|(_, other)| own.owns(other.role));
        let mut steps: Vec<ChangeStep> = helpers
            .map(|(index, set)| ChangeStep::SetGone { part, index, set: set.clone() })
            .collect();
        steps.push(ChangeStep::SetGone { part, index, set: self.as_kept(own) });
        Ok(Change { label: format!("Delete {}", own.called()), steps, ..Change::default() })
    }

    pub(super) fn change_moving_set(
        &self,
        part: PartId,
        set: SetId,
        to: usize,
    ) -> Result<Change, EditError> {
        let (from, own, _) = self.own_set(part, set)?;
        let owner = self.part(part)?;
        let products = owner.products().count();
        // Helpers stand behind the others, and stay there.
        let to = if own.is_product() {
            to.min(products - 1)
        } else {
            to.clamp(products, owner.sets.len() - 1)
        };
        let label = format!("Reorder {}", own.name);
        let steps = if from == to { vec![] } else { vec![ChangeStep::SetMoved { part, from, to }] };
        Ok(Change { label, steps, ..Change::default() })
    }

    /// A set of the same name on other parts: with its values where the mesh is the same, else
    /// flooded with its ground color. Parts that have such a set are left alone.
    pub(super) fn change_copying_set(
        &mut self,
        part: PartId,
        set: SetId,
        to: &[PartId],
    ) -> Result<Change, EditError> {
        let source = self.as_kept(self.set(part, set)?);
        let mesh = self.part(part)?.geometry.id();
        let mut steps = Vec::new();
        let to: BTreeSet<PartId> = to.iter().copied().filter(|&other| other != part).collect();
        for other in to {
            let owner = self.unlocked(other)?;
            if owner.products().any(|own| own.name == source.name) {
                continue;
            }
            let index = has_room(owner, 1, source.role)?;
            let values = if owner.geometry.id() == mesh {
                source.values.clone()
            } else {
                Arc::new(vec![source.ground; source.placement.count(owner.geometry.mesh())])
            };
            let id = SetId(self.take_id());
            let set = ColorSet { id, values, recipes: Vec::new(), ..source.clone() };
            steps.push(ChangeStep::Set { part: other, index, set });
        }
        let parts = match steps.len() {
            1 => "one part".to_owned(),
            several => format!("{several} parts"),
        };
        Ok(Change { label: format!("Copy {} to {parts}", source.name), steps, ..Change::default() })
    }

    /// Gives every part the sets that any part has, flooded with their ground colors.
    pub(super) fn change_making_agree(&mut self) -> Result<Change, EditError> {
        let mut planned: Vec<(ColorSet, PartId)> = Vec::new();
        for part in &self.parts {
            for set in part.products() {
                if !planned.iter().any(|(known, _)| known.name == set.name) {
                    let (values, recipes) = Default::default();
                    let named = ColorSet { values, recipes, ..set.clone() };
                    planned.push((named, part.id));
                }
            }
        }
        let parts: Vec<_> = self.parts.iter().map(|part| part.id).collect();
        let mut steps = Vec::new();
        for id in parts {
            let lacking: Vec<ColorSet> = {
                let part = self.part(id)?;
                let lacks =
                    |set: &&(ColorSet, PartId)| !part.products().any(|own| own.name == set.0.name);
                planned.iter().filter(lacks).map(|(set, _)| set.clone()).collect()
            };
            if lacking.is_empty() {
                continue;
            }
            let owner = self.unlocked(id)?;
            let first = has_room(owner, lacking.len(), Role::Product)?;
            let geometry = owner.geometry.clone();
            for (index, set) in (first..).zip(lacking) {
                let values = vec![set.ground; set.placement.count(geometry.mesh())];
                let mut channels = set.channels.clone();
                channels.iter_mut().for_each(|channel| channel.locked = false);
                let (id_of_set, values) = (SetId(self.take_id()), Arc::new(values));
                let set = ColorSet { id: id_of_set, channels, values, ..set };
                steps.push(ChangeStep::Set { part: id, index, set });
            }
        }
        Ok(Change { label: "Make the parts agree".to_owned(), steps, ..Change::default() })
    }

    pub(super) fn change_converting_set(
        &self,
        part: PartId,
        set: SetId,
        placement: Placement,
    ) -> Result<Change, EditError> {
        let (index, own, geometry) = self.own_set(part, set)?;
        no_lock(own, [true; 4])?;
        let old = self.as_kept(own);
        let label = format!("Hold {} {}", old.name, placement.words());
        whole::holds(&old.name, placement, old.encoding, &[])?;
        if old.placement == placement {
            return Ok(Change { label, steps: Vec::new(), ..Change::default() });
        }
        let values = Arc::new(convert::values_at(&old, placement, geometry));
        let new = ColorSet { placement, values, ..old.clone() };
        let mut steps = vec![
            ChangeStep::SetGone { part, index, set: old },
            ChangeStep::Set { part, index, set: new },
        ];
        // Its layers lie where it does.
        let owner = self.part(part)?;
        for (index, layer) in owner.sets.iter().enumerate() {
            if layer.role.is_layer() && own.owns(layer.role) {
                let values = Arc::new(match owner.coverage_of(layer) {
                    Some(coverage) => convert::paint_at(layer, coverage, placement, geometry),
                    None => convert::values_at(layer, placement, geometry),
                });
                let new = ColorSet { placement, values, ..layer.clone() };
                steps.push(ChangeStep::SetGone { part, index, set: layer.clone() });
                steps.push(ChangeStep::Set { part, index, set: new });
            }
        }
        Ok(Change { label, steps, ..Change::default() })
    }

    /// What would be lost if a set were held at another placement.
    ///
    /// # Errors
    /// When the set is gone.
    pub fn conversion_loss(
        &self,
        part: PartId,
        set: SetId,
        to: Placement,
    ) -> Result<convert::Loss, EditError> {
        let set = self.as_kept(self.set(part, set)?);
        Ok(convert::loss(&set, to, &self.part(part)?.geometry))
    }

    pub(super) fn change_describing_channel(
        &self,
        part: PartId,
        set: SetId,
        channel: usize,
        traits: ChannelTraits,
    ) -> Result<Change, EditError> {
        let (_, own, _) = self.own_set(part, set)?;
        let before = own.channels.get(channel).ok_or(EditError::NoSuchChannel)?;
        if let Some(problem) = traits.problem() {
            return Err(EditError::Channel(problem));
        }
        let was_locked = before.locked;
        let mut after = own.traits();
        after.channels[channel] = traits;
        let name = after.channel_name(channel);
        let label = match (was_locked, after.channels[channel].locked) {
            (false, true) => format!("Lock {name}"),
            (true, false) => format!("Unlock {name}"),
            _ => format!("Describe {name}"),
        };
        Ok(traits_changed(label, part, own, after))
    }

    /// A set as the journal has it, without strokes that are still under way.
    pub(super) fn as_kept(&self, set: &ColorSet) -> ColorSet {
        let mut set = set.clone();
        let kept = self.kept.get(&set.id).map_or(&[][..], |kept| kept.values());
        if !kept.is_empty() {
            let values = Arc::make_mut(&mut set.values);
            kept.iter().for_each(|&(element, value)| values[element as usize] = value);
        }
        set
    }
}

/// Refuses when a channel that would change is locked.
pub(super) fn no_lock(set: &ColorSet, written: [bool; 4]) -> Result<(), EditError> {
    let locked = (0..4).find(|&i| written[i] && set.channels[i].locked);
    locked.map_or(Ok(()), |i| Err(EditError::LockedChannel(set.channel_name(i))))
}

fn traits_changed(label: String, part: PartId, set: &ColorSet, after: SetTraits) -> Change {
    let before = set.traits();
    let steps = if before == after {
        Vec::new()
    } else {
        let (before, after) = (Box::new(before), Box::new(after));
        vec![ChangeStep::SetTraits { part, set: set.id, before, after }]
    };
    Change { label, steps, ..Change::default() }
}

/// Where the next of several more sets of a role stands.
///
/// # Errors
/// When there would be too many.
pub(super) fn has_room(part: &Part, more: usize, role: Role) -> Result<usize, EditError> {
    let name = || part.traits.name.clone();
    let products = part.products().count();
    if role == Role::Product {
        let is_room = products + more <= MOST_SETS;
        return is_room.then_some(products).ok_or_else(|| EditError::TooManySets { part: name() });
    }
    let is_room = part.sets.len() - products + more <= MOST_HELPERS;
    is_room.then_some(part.sets.len()).ok_or_else(|| EditError::TooManyHelpers { part: name() })
}

impl Document {
    /// The change from a set's values to others: written where they differ, and as far as the
    /// part's mask lets them.
    pub(super) fn values_changed(
        &self,
        label: String,
        part: PartId,
        set: &ColorSet,
        mut after: Vec<Rgba>,
    ) -> Result<Change, EditError> {
        if let Some(shield) = self.shield(self.part(part)?, set) {
            for ((value, before), open) in after.iter_mut().zip(set.values.iter()).zip(&*shield) {
                *value = set.encoding.between(*before, *value, *open);
            }
        }
        Ok(Self::all_changed(label, part, set, &after))
    }

    /// The change from a set's values to others, whatever protects them.
    pub(super) fn all_changed(
        label: String,
        part: PartId,
        set: &ColorSet,
        after: &[Rgba],
    ) -> Change {
        let patch = Patch::between(&set.values, after);
        let steps = if patch.indices.is_empty() {
            Vec::new()
        } else {
            vec![ChangeStep::Values { part, set: set.id, patch }]
        };
        Change { label, steps, ..Change::default() }
    }
}
