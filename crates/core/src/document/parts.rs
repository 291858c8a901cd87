//! Edits of the list of parts: in, out, copied, renamed, moved, placed.

use std::sync::Arc;

use speckle_mesh::Geometry;
use speckle_model::{
    ColorSet, SetId,
    color_set::Role,
    names::{self, FreeNames},
};

use super::{
    Change, Document, EditError, ImageRecord, MOST_SETS, NewPart, Part, PartId, PartRecord,
    PartTraits, ProjectTraits, Step,
};

impl Document {
    /// A part that may change.
    pub(super) fn unlocked(&self, id: PartId) -> Result<&Part, EditError> {
        let part = self.part(id)?;
        if part.traits.locked {
            return Err(EditError::Locked(part.traits.name.clone()));
        }
        Ok(part)
    }

    fn index_of(&self, id: PartId) -> Result<usize, EditError> {
        self.parts.iter().position(|part| part.id == id).ok_or(EditError::NoSuchPart)
    }

    /// Names for parts to come.
    fn free_names(&self) -> FreeNames {
        FreeNames::beside(self.parts.iter().map(|part| part.traits.name.clone()))
    }

    pub(super) fn change_adding_parts(
        &mut self,
        parts: Vec<NewPart>,
        images: Vec<ImageRecord>,
        traits: Option<ProjectTraits>,
    ) -> Result<Change, EditError> {
        let mut steps = Vec::with_capacity(parts.len());
        let label = match parts.as_slice() {
            [one] => format!("Bring in {}", names::fitted(&one.name)),
            several => format!("Bring in {} parts", several.len()),
        };
        if let Some(after) = traits
            && self.parts.is_empty()
            && after != self.traits
        {
            steps.push(Step::ProjectTraits { before: self.traits, after });
        }
        let (come, called) = self.new_images(images);
        if !come.is_empty() {
            steps.push(Step::Images { gone: Vec::new(), come });
        }
        let mut free = self.free_names();
        for (number, mut new) in parts.into_iter().enumerate() {
            new.materials.rename_images(|name| called.get(name).cloned());
            let wanted = names::fitted(&new.name);
            let name = free.take(if wanted.is_empty() { "Part" } else { &wanted });
            if new.sets.len() > MOST_SETS {
                return Err(EditError::TooManySets { part: name });
            }
            let geometry = Arc::new(Geometry::new(new.mesh));
            let mut sets: Vec<ColorSet> = Vec::with_capacity(new.sets.len());
            for set in new.sets {
                sets.push(self.admit_set(&name, &sets, set, geometry.mesh())?);
            }
            let mesh = geometry.id();
            // Equal meshes are kept once.
            self.meshes.entry(mesh).or_insert(geometry);
            let id = PartId(self.take_id());
            let index = self.parts.len() + number;
            let traits = PartTraits { path: new.path, ..PartTraits::new(name, new.selections) };
            let materials = Arc::new(new.materials);
            steps
                .push(Step::Part { index, part: PartRecord { id, traits, mesh, materials, sets } });
        }
        Ok(Change { label, steps, ..Change::default() })
    }

    pub(super) fn change_renaming(&self, id: PartId, name: &str) -> Result<Change, EditError> {
        let part = self.part(id)?;
        let name = names::proper(name)?;
        if self.parts.iter().any(|other| other.id != id && other.traits.name == name) {
            return Err(EditError::PartNameTaken(name.to_owned()));
        }
        let before = part.traits.clone();
        let after = PartTraits { name: name.to_owned(), ..before.clone() };
        let label = format!("Rename {} to {name}", before.name);
        let steps = if before == after {
            Vec::new()
        } else {
            vec![Step::PartTraits { part: id, before, after }]
        };
        Ok(Change { label, steps, ..Change::default() })
    }

    pub(super) fn change_traits_of(
        &self,
        verb: &str,
        ids: &[PartId],
        alter: impl Fn(&mut PartTraits),
    ) -> Result<Change, EditError> {
        let mut steps = Vec::with_capacity(ids.len());
        let mut only = "";
        for &id in ids {
            let part = self.part(id)?;
            let mut after = part.traits.clone();
            alter(&mut after);
            if after != part.traits {
                only = &part.traits.name;
                steps.push(Step::PartTraits { part: id, before: part.traits.clone(), after });
            }
        }
        let label = match steps.len() {
            0 | 1 => format!("{verb} {only}"),
            several => format!("{verb} {several} parts"),
        };
        Ok(Change { label, steps, ..Change::default() })
    }

    pub(super) fn change_duplicating(&mut self, id: PartId) -> Result<Change, EditError> {
        let index = self.index_of(id)?;
        let mut traits = self.parts[index].traits.clone();
        let wanted = names::fitted(&format!("{} copy", traits.name));
        traits.name = self.free_names().take(&wanted);
        traits.locked = false;
        let mut sets = self.parts[index].sets.clone();
        let mut renewed: Vec<(SetId, SetId)> = Vec::with_capacity(sets.len());
        for set in &mut sets {
            let id = SetId(self.take_id());
            renewed.push((set.id, id));
            set.id = id;
            // Snapshots stand behind what they are of.
            if let Role::Snapshot { of } = &mut set.role
                && let Some((_, new)) = renewed.iter().find(|(old, _)| old == of)
            {
                *of = *new;
            }
        }
        let label = format!("Duplicate {}", self.parts[index].traits.name);
        let (mesh, materials) =
            (self.parts[index].geometry.id(), self.parts[index].materials.clone());
        let part = PartRecord { id: PartId(self.take_id()), traits, mesh, materials, sets };
        Ok(Change {
            label,
            steps: vec![Step::Part { index: index + 1, part }],
            ..Change::default()
        })
    }

    pub(super) fn change_deleting(&mut self, ids: &[PartId]) -> Result<Change, EditError> {
        let mut places = Vec::with_capacity(ids.len());
        for &id in ids {
            self.unlocked(id)?;
            places.push(self.index_of(id)?);
        }
        places.sort_unstable();
        places.dedup();
        let label = match places.as_slice() {
            [one] => format!("Delete {}", self.parts[*one].traits.name),
            several => format!("Delete {} parts", several.len()),
        };
        // A stroke under way on the part has not been kept: what comes back is what was.
        let record = self.record();
        let steps = places
            .into_iter()
            .rev()
            .map(|index| Step::PartGone { index, part: record.parts[index].clone() })
            .collect();
        Ok(Change { label, steps, ..Change::default() })
    }

    pub(super) fn change_moving(&self, id: PartId, to: usize) -> Result<Change, EditError> {
        let from = self.index_of(id)?;
        let to = to.min(self.parts.len() - 1);
        let label = format!("Reorder {}", self.parts[from].traits.name);
        let steps = if from == to { Vec::new() } else { vec![Step::PartMoved { from, to }] };
        Ok(Change { label, steps, ..Change::default() })
    }

    pub(super) fn change_project(&self, after: ProjectTraits) -> Change {
        let before = self.traits;
        let label = if before.unit == after.unit {
            format!("Turn up to {:?}", after.up)
        } else {
            format!("Read lengths as {}", after.unit.symbol())
        };
        let steps =
            if before == after { Vec::new() } else { vec![Step::ProjectTraits { before, after }] };
        Change { label, steps, ..Change::default() }
    }
}
