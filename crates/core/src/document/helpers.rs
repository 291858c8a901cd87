//! What serves the work and stays at home: masks, selections, snapshots.

use std::sync::Arc;

use serde::Deserialize;
use speckle_color::{Encoding, difference::delta_e};
use speckle_mesh::Placement;
use speckle_model::{
    ColorSet, SetId,
    color_set::{Role, convert},
    names,
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError, Part, PartId,
    planned::{Family, Planned},
    sets::has_room,
};

/// What keeps masks, selections and snapshots.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum HelperEdit {
    /// Gives a part a mask or a selection, empty at first.
    AddHelper {
        /// The part.
        part: PartId,
        /// Mask or selection.
        role: Role,
        /// What it will be called; a number is added when there is one.
        name: String,
        /// What each value belongs to.
        placement: Placement,
    },
    /// Keeps every set of every part as it is now.
    TakeSnapshot {
        /// What it will be called.
        name: String,
    },
    /// Brings every set back to what it was.
    RestoreSnapshot {
        /// What it is called.
        name: String,
    },
    /// Lets go of a snapshot.
    DeleteSnapshot {
        /// What it is called.
        name: String,
    },
}

impl Family for HelperEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::AddHelper { part, role, name, placement } => {
                document.change_adding_helper(part, role, &name, placement)?
            }
            Self::TakeSnapshot { name } => document.change_taking_snapshot(&name)?,
            Self::RestoreSnapshot { name } => document.change_restoring_snapshot(&name)?,
            Self::DeleteSnapshot { name } => document.change_deleting_snapshot(&name)?,
        };
        Ok(change.into())
    }

    fn why_nothing(&self) -> Option<&'static str> {
        matches!(self, Self::RestoreSnapshot { .. }).then_some("everything is as it was then")
    }
}

impl Document {
    /// How far tools may change each element of a set, 0–1: all that the part's mask leaves.
    /// `None` when nothing is protected; helpers never are.
    pub(super) fn shield(&self, part: &Part, set: &ColorSet) -> Option<Arc<Vec<f32>>> {
        let mask = part.mask().filter(|mask| set.is_product() && mask.id != set.id)?;
        let is_clear = mask.values.iter().all(|value| value[0] <= 0.0);
        (!is_clear).then(|| {
            let values = convert::values_at(mask, set.placement, &part.geometry);
            Arc::new(values.into_iter().map(|value| 1.0 - value[0].clamp(0.0, 1.0)).collect())
        })
    }

    /// A mask or a selection, empty at first; a part has one mask at most.
    pub(super) fn change_adding_helper(
        &mut self,
        part: PartId,
        role: Role,
        name: &str,
        placement: Placement,
    ) -> Result<Change, EditError> {
        let owner = self.unlocked(part)?.clone();
        if !matches!(role, Role::Mask | Role::Selection) {
            return Err(EditError::Channel("only masks and selections are added empty"));
        }
        if role == Role::Mask && owner.mask().is_some() {
            return Err(EditError::Channel("the part has a mask already"));
        }
        let index = has_room(&owner, 1, role)?;
        let taken = |name: &str| owner.sets.iter().any(|set| set.role == role && set.name == name);
        let name = match names::proper(name)? {
            name if taken(name) => (2..).map(|n| format!("{name} {n}")).find(|name| !taken(name)),
            name => Some(name.to_owned()),
        };
        let set = ColorSet {
            id: SetId(self.take_id()),
            name: name.unwrap_or_default(),
            placement,
            encoding: Encoding::Data,
            ground: [0.0; 4],
            channels: Default::default(),
            recipes: Vec::new(),
            role,
            values: Arc::new(vec![[0.0; 4]; placement.count(owner.geometry.mesh())]),
        };
        let label = format!("Add {}", set.called());
        Ok(Change { label, steps: vec![ChangeStep::Set { part, index, set }], ..Change::default() })
    }

    /// Keeps every set of every part as it is now, under one name.
    pub(super) fn change_taking_snapshot(&mut self, name: &str) -> Result<Change, EditError> {
        let name = names::proper(name)?.to_owned();
        if self.snapshots_called(&name).next().is_some() {
            return Err(EditError::SnapshotTaken(name));
        }
        let mut steps = Vec::new();
        for part in self.parts.clone() {
            let products = part.products().count();
            if products == 0 {
                continue;
            }
            let first = has_room(&part, products, Role::Snapshot { of: SetId(0) })?;
            for (index, set) in (first..).zip(part.products()) {
                let role = Role::Snapshot { of: set.id };
                let (id, name) = (SetId(self.take_id()), name.clone());
                let set = ColorSet { id, name, role, recipes: Vec::new(), ..self.as_kept(set) };
                steps.push(ChangeStep::Set { part: part.id, index, set });
            }
        }
        if steps.is_empty() {
            return Err(EditError::Channel("there is no set yet to take a snapshot of"));
        }
        Ok(Change { label: format!("Take snapshot {name}"), steps, ..Change::default() })
    }

    /// Brings every set back to what it was; sets that came later stay as they are.
    pub(super) fn change_restoring_snapshot(&self, name: &str) -> Result<Change, EditError> {
        let mut steps = Vec::new();
        let mut is_known = false;
        for (part, snapshot, of) in self.snapshots_called(name) {
            is_known = true;
            let Some(set) = part.sets.iter().find(|set| set.id == of) else { continue };
            let set = self.as_kept(set);
            let values = convert::values_at(snapshot, set.placement, &part.geometry);
            let change = Self::all_changed(String::new(), part.id, &set, &values);
            if !change.is_empty() {
                self.unlocked(part.id)?;
                super::sets::no_lock(&set, [true; 4])?;
            }
            steps.extend(change.steps);
        }
        if !is_known {
            return Err(EditError::NoSuchSnapshot(name.to_owned()));
        }
        Ok(Change { label: format!("Restore snapshot {name}"), steps, ..Change::default() })
    }

    pub(super) fn change_deleting_snapshot(&self, name: &str) -> Result<Change, EditError> {
        let mut steps = Vec::new();
        for part in &self.parts {
            // From the last one on, so that places stay true.
            for (index, set) in part.sets.iter().enumerate().rev() {
                if matches!(set.role, Role::Snapshot { .. }) && set.name == name {
                    steps.push(ChangeStep::SetGone { part: part.id, index, set: set.clone() });
                }
            }
        }
        if steps.is_empty() {
            return Err(EditError::NoSuchSnapshot(name.to_owned()));
        }
        Ok(Change { label: format!("Delete snapshot {name}"), steps, ..Change::default() })
    }

    fn snapshots_called<'a>(
        &'a self,
        name: &'a str,
    ) -> impl Iterator<Item = (&'a Part, &'a ColorSet, SetId)> {
        self.parts.iter().flat_map(move |part| {
            part.sets.iter().filter_map(move |set| match set.role {
                Role::Snapshot { of } if set.name == name => Some((part, set, of)),
                _ => None,
            })
        })
    }

    /// The set that a snapshot is of, and how far each of its elements is from what it was, as
    /// CIEDE2000; of data sets, which are no colors, the largest difference × 100.
    ///
    /// # Errors
    /// When the snapshot or its set is gone.
    pub fn changed_since(
        &self,
        part: PartId,
        snapshot: SetId,
    ) -> Result<(&ColorSet, Vec<f32>), EditError> {
        let then = self.set(part, snapshot)?;
        let Role::Snapshot { of } = then.role else {
            return Err(EditError::NoSuchSnapshot(then.name.clone()));
        };
        let now = self.set(part, of)?;
        let then = convert::values_at(then, now.placement, &self.part(part)?.geometry);
        Ok((now, delta_e(now.encoding, &then, &now.values)))
    }
}
