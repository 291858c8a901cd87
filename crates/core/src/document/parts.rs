//! Edits of the list of parts: in, out, copied, renamed, moved, placed.

use std::sync::Arc;

use serde::Deserialize;
use speckle_mesh::{Conversion, Geometry, Transform};
use speckle_model::{
    ColorSet, NewPart, SetId,
    color_set::Role,
    names::{self, FreeNames},
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Document, EditError, ImageRecord, MOST_SETS, Part, PartId, PartRecord,
    PartTraits, ProjectTraits,
    planned::{Family, Planned},
};

/// What changes the list of parts, and what is said of them.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum PartEdit {
    /// Brings parts in. An empty project takes the unit and the up axis they are given in; any
    /// other has had them converted to its own.
    #[serde(skip)]
    AddParts {
        /// The parts.
        parts: Vec<NewPart>,
        /// The images that came with them.
        images: Vec<ImageRecord>,
        /// What their numbers mean, for an empty project.
        traits: Option<ProjectTraits>,
    },
    /// Says that the numbers of parts were taken for something else than they were meant for: their
    /// points are converted, what is painted on them stays.
    ConvertParts {
        /// The parts.
        parts: Vec<PartId>,
        /// What the file's numbers were taken for.
        taken: ProjectTraits,
        /// What they were meant for.
        meant: ProjectTraits,
    },
    /// Gives a part another name.
    RenamePart {
        /// The part.
        part: PartId,
        /// What it will be called.
        name: String,
    },
    /// Shows or hides parts.
    ShowParts {
        /// The parts.
        parts: Vec<PartId>,
        /// Whether they are seen from now on.
        visible: bool,
    },
    /// Locks parts, so that nothing about them changes, or unlocks them.
    LockParts {
        /// The parts.
        parts: Vec<PartId>,
        /// Whether they are locked from now on.
        locked: bool,
    },
    /// Puts a part elsewhere.
    PlacePart {
        /// The part.
        part: PartId,
        /// Where it stands from now on.
        transform: Transform,
    },
    /// Makes a copy of a part, with its sets, behind it in the list.
    DuplicatePart {
        /// The part.
        part: PartId,
    },
    /// Takes parts away.
    DeleteParts {
        /// The parts.
        parts: Vec<PartId>,
    },
    /// Gives a part another place in the list.
    MovePart {
        /// The part.
        part: PartId,
        /// Its place from now on, from 0.
        to: usize,
    },
}

impl Family for PartEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::AddParts { parts, images, traits } => {
                document.change_adding_parts(parts, images, traits)?
            }
            Self::ConvertParts { parts, taken, meant } => {
                let up = document.traits.up;
                let [taken, meant] = [taken, meant].map(|traits| (traits.unit, traits.up));
                let conversion = Conversion::of_misreading(taken, meant, up);
                document.change_converting_parts(&parts, conversion)?
            }
            Self::RenamePart { part, name } => document.change_renaming(part, &name)?,
            Self::ShowParts { parts, visible } => {
                let verb = if visible { "Show" } else { "Hide" };
                document.change_traits_of(verb, &parts, |traits| traits.visible = visible)?
            }
            Self::LockParts { parts, locked } => {
                let verb = if locked { "Lock" } else { "Unlock" };
                document.change_traits_of(verb, &parts, |traits| traits.locked = locked)?
            }
            Self::PlacePart { part, transform } => {
                if let Some(problem) = transform.problem() {
                    return Err(EditError::Transform(problem));
                }
                document.unlocked(part)?;
                document.change_traits_of("Place", &[part], |own| own.transform = transform)?
            }
            Self::DuplicatePart { part } => document.change_duplicating(part)?,
            Self::DeleteParts { parts } => document.change_deleting(&parts)?,
            Self::MovePart { part, to } => document.change_moving(part, to)?,
        };
        Ok(change.into())
    }
}

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
    pub(super) fn free_names(&self) -> FreeNames {
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
            steps.push(ChangeStep::ProjectTraits { before: self.traits, after });
        }
        let (come, called) = self.new_images(images);
        if !come.is_empty() {
            steps.push(ChangeStep::Images { gone: Vec::new(), come });
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
            steps.push(ChangeStep::Part {
                index,
                part: PartRecord { id, traits, mesh, materials, sets },
            });
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
            vec![ChangeStep::PartTraits { part: id, before, after }]
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
                steps.push(ChangeStep::PartTraits { part: id, before: part.traits.clone(), after });
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
            steps: vec![ChangeStep::Part { index: index + 1, part }],
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
            .map(|index| ChangeStep::PartGone { index, part: record.parts[index].clone() })
            .collect();
        Ok(Change { label, steps, ..Change::default() })
    }

    pub(super) fn change_moving(&self, id: PartId, to: usize) -> Result<Change, EditError> {
        let from = self.index_of(id)?;
        let to = to.min(self.parts.len() - 1);
        let label = format!("Reorder {}", self.parts[from].traits.name);
        let steps = if from == to { Vec::new() } else { vec![ChangeStep::PartMoved { from, to }] };
        Ok(Change { label, steps, ..Change::default() })
    }
}
