//! Edits that lay other colors over a part, or give it another shape.

use std::sync::Arc;

use speckle_mesh::{Conversion, Geometry, Placement};
use speckle_model::{SetId, color_set::Role, names};
use speckle_tools::{
    reform::Reformed,
    replacing::{ColorsTo, ShapeTo},
};

use super::{
    Change, ChangeStep, Direction, Document, EditError, ImageRecord, NewSet, Part, PartId,
    PartRecord, PartTraits, Patch,
    parts::PartEdit,
    planned::{Family, Planned, Touched},
    sets::SetEdit,
};

/// What brings other colors, or another shape, from elsewhere.
#[derive(Clone, Debug)]
pub enum ReplaceEdit {
    /// Lays other colors over a part's sets, as [`speckle_tools::replacing::colors`] planned them.
    ReplaceColors {
        /// The part.
        part: PartId,
        /// What they come from, for the user.
        from: String,
        /// The values.
        colors: ColorsTo,
    },
    /// Lays what came from other surfaces over a part's sets, as
    /// [`speckle_tools::transfer::transfer`] planned it.
    TransferColors {
        /// The part.
        part: PartId,
        /// What they come from, for the user.
        from: String,
        /// The values.
        colors: ColorsTo,
        /// For every vertex whether it found no source: kept as a selection, where that is wanted.
        lost: Option<Vec<bool>>,
    },
    /// Gives a part another shape, as [`speckle_tools::replacing::shape`] planned it.
    ReplaceShape {
        /// The part.
        part: PartId,
        /// What it comes from, for the user.
        from: String,
        /// The shape, with the values of all its sets.
        shape: Box<ShapeTo>,
        /// The images of its materials.
        images: Vec<ImageRecord>,
    },
    /// Gives a part another shape made from its own, as [`speckle_tools::reform::reform`] planned it.
    Reform {
        /// The part.
        part: PartId,
        /// The shape, and what the change is called.
        reformed: Box<Reformed>,
        /// Whether the part stays as it is, and a copy beside it gets the shape.
        beside: bool,
    },
    /// Several of them, one after the other, as one change: all or none.
    Together {
        /// What the change is called.
        label: String,
        /// What is done.
        edits: Vec<ReplaceEdit>,
    },
}

/// What the selection of what found no source is called.
const LOST: &str = "Lost";

impl Family for ReplaceEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        match self {
            Self::ReplaceColors { part, from, colors } => {
                document.replace_colors(part, &from, colors).map(Planned::Done)
            }
            Self::TransferColors { part, from, colors, lost } => {
                document.transfer_colors(part, &from, colors, lost).map(Planned::Done)
            }
            Self::ReplaceShape { part, from, shape, images } => {
                let label = format!("Shape of {} from {from}", document.part(part)?.traits.name);
                Ok(document.change_replacing_shape(part, label, *shape, images)?.into())
            }
            Self::Reform { part, reformed, beside } => {
                document.reform(part, *reformed, beside).map(Planned::Done)
            }
            Self::Together { label, edits } => {
                let mut whole = Change { label, ..Change::default() };
                for edit in edits {
                    match document.apply(edit) {
                        Ok(change) => whole.steps.extend(change.steps),
                        Err(error) => {
                            document.replay(&whole, Direction::Backward)?;
                            return Err(error);
                        }
                    }
                }
                Ok(Planned::Done(whole))
            }
        }
    }
}

impl Document {
    /// Lays planned colors over a part's sets, as one change; none of them when one does not fit.
    pub(super) fn replace_colors(
        &mut self,
        part: PartId,
        from: &str,
        colors: ColorsTo,
    ) -> Result<Change, EditError> {
        let own = self.unlocked(part)?;
        let mesh = own.geometry.mesh();
        for (_, new) in &colors {
            let (got, needed) = (new.values.len(), new.placement.count(mesh));
            if got != needed {
                return Err(EditError::WrongLength { set: new.name.clone(), got, needed });
            }
        }
        let label = format!("Colors of {} from {from}", own.traits.name);
        self.lay_all_over(part, label, colors)
    }

    /// Lays what was transferred over a part's sets, and keeps what was lost as a selection.
    fn transfer_colors(
        &mut self,
        part: PartId,
        from: &str,
        colors: ColorsTo,
        lost: Option<Vec<bool>>,
    ) -> Result<Change, EditError> {
        let mut change = self.replace_colors(part, from, colors)?;
        change.label = format!("Transfer from {from} to {}", self.part(part)?.traits.name);
        let Some(lost) = lost.filter(|lost| lost.contains(&true)) else { return Ok(change) };
        match self.selection_of(part, LOST, &lost) {
            Ok(selection) => {
                self.replay(&selection, Direction::Forward)?;
                change.steps.extend(selection.steps);
                Ok(change)
            }
            Err(error) => {
                self.replay(&change, Direction::Backward)?;
                Err(error)
            }
        }
    }

    /// A new selection of vertices.
    fn selection_of(
        &mut self,
        part: PartId,
        name: &str,
        is_in: &[bool],
    ) -> Result<Change, EditError> {
        let mut change =
            self.change_adding_helper(part, Role::Selection, name, Placement::Vertex)?;
        for step in &mut change.steps {
            if let ChangeStep::Set { set, .. } = step {
                if set.values.len() != is_in.len() {
                    return Err(EditError::DoesNotFit(
                        "the part got another shape meanwhile: transfer again",
                    ));
                }
                let value = |&is_in: &bool| [f32::from(u8::from(is_in)), 0.0, 0.0, 0.0];
                set.values = Arc::new(is_in.iter().map(value).collect());
            }
        }
        Ok(change)
    }

    /// Lays values over sets, or makes new ones of them, all or none.
    fn lay_all_over(
        &mut self,
        part: PartId,
        label: String,
        colors: ColorsTo,
    ) -> Result<Change, EditError> {
        let mut whole = Change { label, ..Change::default() };
        for (set, new) in colors {
            let laid = match set {
                None => self.change_adding_set(part, new).and_then(|change| {
                    self.replay(&change, Direction::Forward)?;
                    whole.steps.extend(change.steps);
                    Ok(())
                }),
                Some(set) => self.lay_over(part, set, new, &mut whole),
            };
            if let Err(error) = laid {
                self.replay(&whole, Direction::Backward)?;
                return Err(error);
            }
        }
        Ok(whole)
    }

    /// Lays values over a set, held where they belong; what is done goes into the change as it is
    /// done.
    fn lay_over(
        &mut self,
        part: PartId,
        set: SetId,
        new: NewSet,
        whole: &mut Change,
    ) -> Result<(), EditError> {
        if self.set(part, set)?.placement != new.placement {
            let edit = SetEdit::ConvertSet { part, set, placement: new.placement };
            whole.steps.extend(self.apply(edit)?.steps);
        }
        let own = self.as_kept(self.set(part, set)?);
        let is_locked: [bool; 4] = std::array::from_fn(|i| own.channels[i].locked);
        let mut after = new.values;
        for (value, before) in after.iter_mut().zip(own.values.iter()) {
            (0..4).filter(|&i| is_locked[i]).for_each(|i| value[i] = before[i]);
        }
        let patch = Patch::between(&own.values, &after);
        if patch.indices.is_empty() {
            return Ok(());
        }
        let change =
            Change { steps: vec![ChangeStep::Values { part, set, patch }], ..Change::default() };
        let change = self.with_hand_paint(change, &|_, _| Touched::ALL)?;
        self.replay(&change, Direction::Forward)?;
        whole.steps.extend(change.steps);
        Ok(())
    }

    /// Gives a part, or a copy beside it, another shape, and what was cut off to a copy of its own.
    fn reform(
        &mut self,
        part: PartId,
        reformed: Reformed,
        beside: bool,
    ) -> Result<Change, EditError> {
        let Reformed { shape, rest, sets, gone, stands, called, named, report, .. } = reformed;
        let [before, after] = report.triangles;
        let size = if before == after || named.is_some() {
            String::new()
        } else {
            format!(" to {after} triangles")
        };
        let label = format!("{called} {}{size}", self.part(part)?.traits.name);
        let mut whole = Change { label, ..Change::default() };
        let done = || {
            for (named, shape) in rest {
                self.shape_beside(part, shape, named, &mut whole)?;
            }
            if beside {
                return self.shape_beside(part, shape, named, &mut whole);
            }
            let label = whole.label.clone();
            let change = self.change_replacing_shape(part, label, shape, Vec::new())?;
            self.replay(&change, Direction::Forward)?;
            whole.steps.extend(change.steps);
            if let Some(transform) = stands {
                whole.steps.extend(self.apply(PartEdit::PlacePart { part, transform })?.steps);
            }
            for set in sets {
                let change = self.change_adding_set(part, set)?;
                self.replay(&change, Direction::Forward)?;
                whole.steps.extend(change.steps);
            }
            if !gone.is_empty() {
                whole.steps.extend(self.apply(PartEdit::DeleteParts { parts: gone })?.steps);
            }
            Ok(())
        };
        match done() {
            Ok(()) => Ok(whole),
            Err(error) => {
                self.replay(&whole, Direction::Backward)?;
                Err(error)
            }
        }
    }

    /// Lays a copy of a part beside it that has another shape; what is done goes into the change as it is
    /// done.
    fn shape_beside(
        &mut self,
        part: PartId,
        shape: ShapeTo,
        named: Option<String>,
        whole: &mut Change,
    ) -> Result<(), EditError> {
        let there: Vec<PartId> = self.parts.iter().map(|own| own.id).collect();
        whole.steps.extend(self.apply(PartEdit::DuplicatePart { part })?.steps);
        let (copy, shape) = self.copied(part, &there, shape)?;
        let label = whole.label.clone();
        let change = self.change_replacing_shape(copy, label, shape, Vec::new())?;
        self.replay(&change, Direction::Forward)?;
        whole.steps.extend(change.steps);
        if let Some(name) = named {
            let name = self.free_names().take(&names::fitted(&name));
            whole.steps.extend(self.apply(PartEdit::RenamePart { part: copy, name })?.steps);
        }
        Ok(())
    }

    /// The copy of a part that has just come, with a shape whose sets are the copy's own.
    fn copied(
        &self,
        part: PartId,
        there: &[PartId],
        mut shape: ShapeTo,
    ) -> Result<(PartId, ShapeTo), EditError> {
        let changed = EditError::DoesNotFit("the part changed meanwhile: look at it again");
        let copy = self.parts.iter().find(|own| !there.contains(&own.id));
        let Some(copy) = copy else { return Err(changed) };
        let own = self.part(part)?.sets.iter().zip(&copy.sets);
        for (own, new) in own {
            let to = shape.sets.iter_mut().find(|to| to.id == own.id);
            to.ok_or_else(|| changed.clone())?.id = new.id;
        }
        Ok((copy.id, shape))
    }

    /// Puts a part of the same name and sets in the place of one, on another mesh.
    pub(super) fn change_replacing_shape(
        &mut self,
        id: PartId,
        label: String,
        shape: ShapeTo,
        images: Vec<ImageRecord>,
    ) -> Result<Change, EditError> {
        let ShapeTo { mesh, selections, mut materials, sets: mut values } = shape;
        let part = self.unlocked(id)?.clone();
        let index = self.parts.iter().position(|own| own.id == id).unwrap_or_default();
        let kept: Vec<_> = part.sets.iter().map(|set| self.as_kept(set)).collect();
        let mut sets = kept.clone();
        for set in &mut sets {
            let to = values.iter_mut().find(|to| to.id == set.id).ok_or(EditError::DoesNotFit(
                "the part got another set meanwhile: bring the shape in again",
            ))?;
            set.placement = to.placement;
            set.values = Arc::new(std::mem::take(&mut to.values));
        }
        let geometry = Arc::new(Geometry::new(mesh));
        if let Some(set) =
            sets.iter().find(|set| set.values.len() != set.placement.count(geometry.mesh()))
        {
            let (got, needed) = (set.values.len(), set.placement.count(geometry.mesh()));
            return Err(EditError::WrongLength { set: set.name.clone(), got, needed });
        }
        let mut steps = Vec::new();
        let (come, called) = self.new_images(images);
        if !come.is_empty() {
            steps.push(ChangeStep::Images { gone: Vec::new(), come });
        }
        materials.rename_images(|name| called.get(name).cloned());
        let record =
            |mesh, traits, materials, sets| PartRecord { id, traits, mesh, materials, sets };
        let before = record(part.geometry.id(), part.traits.clone(), part.materials, kept);
        let traits = PartTraits { selections: Arc::new(selections), ..part.traits };
        let after = record(geometry.id(), traits, Arc::new(materials), sets);
        self.meshes.entry(after.mesh).or_insert(geometry);
        steps.push(ChangeStep::PartGone { index, part: before });
        steps.push(ChangeStep::Part { index, part: after });
        Ok(Change { label, steps, ..Change::default() })
    }

    /// Brings the points of parts to what they were meant for: a file's unit or axis was taken for
    /// another. Everything painted on them stays.
    pub(super) fn change_converting_parts(
        &mut self,
        ids: &[PartId],
        conversion: Conversion,
    ) -> Result<Change, EditError> {
        let label = match ids {
            [one] => format!("Read {} in another unit or axis", self.part(*one)?.traits.name),
            several => format!("Read {} parts in another unit or axis", several.len()),
        };
        let mut steps = Vec::new();
        for &id in ids.iter().filter(|_| !conversion.is_none()) {
            let part = self.unlocked(id)?.clone();
            let index = self.parts.iter().position(|own| own.id == id).unwrap_or_default();
            let mesh = conversion.mesh(part.geometry.mesh());
            let mesh = mesh.map_err(|_| EditError::TooFar(part.traits.name.clone()))?;
            let geometry = Arc::new(Geometry::new(mesh));
            let sets = part.sets.iter().map(|set| self.as_kept(set)).collect();
            let Part { traits, materials, .. } = part;
            let before = PartRecord { id, traits, mesh: part.geometry.id(), materials, sets };
            let after = PartRecord { mesh: geometry.id(), ..before.clone() };
            self.meshes.entry(after.mesh).or_insert(geometry);
            steps.push(ChangeStep::PartGone { index, part: before });
            steps.push(ChangeStep::Part { index, part: after });
        }
        Ok(Change { label, steps, ..Change::default() })
    }
}
