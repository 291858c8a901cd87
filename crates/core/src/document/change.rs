//! Changes that can be laid on and taken back, and how a document does so.

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use speckle_color::Rgba;
use speckle_mesh::ContentId;
pub use speckle_mesh::reshape::Direction;
use speckle_model::{
    ColorSet, Materials, SetId, color_set::SetTraits, proof::Proof, reshape::PartReshape,
    swatches::Swatch, views::SavedView, volumes::Volume,
};
use speckle_tools::{layers::PrintSetup, stroke::under_hand::StrokeUnderHand};

use super::{
    Document, EditError, ImageRecord, MOST_HELPERS, MOST_SETS, Part, PartId, PartTraits,
    ProjectTraits,
};

/// What an edit did, with all that is needed to take it back and lay it on again.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Change {
    /// For the user: "Skin stroke on Coat".
    pub label: String,
    /// What was done, in order.
    pub steps: Vec<ChangeStep>,
    /// Whether it goes with the change before it: undo takes both back, redo lays both on.
    #[serde(default)]
    pub follows: bool,
}

impl Change {
    /// True when nothing was done.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.steps.is_empty()
    }
}

/// One reversible step.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub enum ChangeStep {
    /// A part came in.
    Part {
        /// Its place in the list.
        index: usize,
        /// The part.
        part: PartRecord,
    },
    /// A part was taken away.
    PartGone {
        /// Its place in the list.
        index: usize,
        /// The part.
        part: PartRecord,
    },
    /// A part changed its place in the list.
    PartMoved {
        /// Its place until then.
        from: usize,
        /// Its place from then on.
        to: usize,
    },
    /// What is said of a part changed.
    PartTraits {
        /// The part.
        part: PartId,
        /// Until then.
        before: PartTraits,
        /// From then on.
        after: PartTraits,
    },
    /// What is said of the project changed.
    ProjectTraits {
        /// Until then.
        before: ProjectTraits,
        /// From then on.
        after: ProjectTraits,
    },
    /// A set came in.
    Set {
        /// The part that got it.
        part: PartId,
        /// Its place in the part's list.
        index: usize,
        /// The set.
        set: ColorSet,
    },
    /// A set was taken away.
    SetGone {
        /// The part that had it.
        part: PartId,
        /// Its place in the part's list.
        index: usize,
        /// The set.
        set: ColorSet,
    },
    /// A set changed its place in the part's list.
    SetMoved {
        /// The part.
        part: PartId,
        /// Its place until then.
        from: usize,
        /// Its place from then on.
        to: usize,
    },
    /// What is said of a set changed.
    SetTraits {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// Until then.
        before: Box<SetTraits>,
        /// From then on.
        after: Box<SetTraits>,
    },
    /// The palette changed.
    Swatches {
        /// Until then.
        before: Vec<Swatch>,
        /// From then on.
        after: Vec<Swatch>,
    },
    /// The saved views changed.
    Views {
        /// Until then.
        before: Vec<SavedView>,
        /// From then on.
        after: Vec<SavedView>,
    },
    /// The volumes changed.
    Volumes {
        /// Until then.
        before: Vec<Volume>,
        /// From then on.
        after: Vec<Volume>,
    },
    /// How it is printed changed.
    Print {
        /// Until then.
        before: Option<Box<PrintSetup>>,
        /// From then on.
        after: Option<Box<PrintSetup>>,
    },
    /// How it is proofed changed.
    Proof {
        /// Until then.
        before: Box<Proof>,
        /// From then on.
        after: Box<Proof>,
    },
    /// Images came in, in place of others.
    Images {
        /// Those taken out.
        gone: Vec<ImageRecord>,
        /// Those that came in.
        come: Vec<ImageRecord>,
    },
    /// A part's mesh changed here and there, with all that lies on it.
    Reshape {
        /// The part.
        part: PartId,
        /// What changed.
        change: Box<PartReshape>,
    },
    /// Values changed.
    Values {
        /// The part.
        part: PartId,
        /// The set.
        set: SetId,
        /// Where, from what, to what.
        patch: Patch,
    },
}

/// A part without its mesh, which is named by its content.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct PartRecord {
    /// Names the part.
    pub id: PartId,
    /// What is said of it.
    #[serde(flatten)]
    pub traits: PartTraits,
    /// Names its mesh.
    pub mesh: ContentId,
    /// What its surfaces are made of.
    #[serde(default)]
    pub materials: Arc<Materials>,
    /// Its sets.
    pub sets: Vec<ColorSet>,
}

/// Changed values of a set: three arrays of one length.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Patch {
    /// The elements, ascending.
    #[serde(with = "speckle_mesh::arrays")]
    pub indices: Vec<u32>,
    /// Their values until then.
    #[serde(with = "speckle_mesh::arrays")]
    pub before: Vec<Rgba>,
    /// Their values from then on.
    #[serde(with = "speckle_mesh::arrays")]
    pub after: Vec<Rgba>,
}

impl Patch {
    /// Where values differ from others, which are as many.
    #[must_use]
    pub fn between(before: &[Rgba], after: &[Rgba]) -> Self {
        let differs = |&i: &u32| before[i as usize] != after[i as usize];
        let indices: Vec<u32> = (0..before.len() as u32).filter(differs).collect();
        let take = |from: &[Rgba]| indices.iter().map(|&i| from[i as usize]).collect();
        let (before, after) = (take(before), take(after));
        Self { indices, before, after }
    }

    fn lay_on(&self, values: &mut [Rgba], direction: Direction) {
        let new = match direction {
            Direction::Forward => &self.after,
            Direction::Backward => &self.before,
        };
        for (&index, &value) in self.indices.iter().zip(new) {
            values[index as usize] = value;
        }
    }

    fn fits(&self, count: usize) -> bool {
        self.before.len() == self.indices.len()
            && self.after.len() == self.indices.len()
            && self.indices.iter().all(|&i| (i as usize) < count)
    }
}

impl Document {
    /// Lays a change on, or takes it back: all of it or nothing.
    ///
    /// # Errors
    /// When a mesh is missing or the change does not fit; the document is then as it was.
    pub fn replay(&mut self, change: &Change, direction: Direction) -> Result<(), EditError> {
        let count = change.steps.len();
        let nth = |n: usize| match direction {
            Direction::Forward => &change.steps[n],
            Direction::Backward => &change.steps[count - 1 - n],
        };
        for n in 0..count {
            if let Err(error) = self.step(nth(n), direction) {
                for made in (0..n).rev() {
                    // A step that was just made is the very one that can be taken back.
                    self.step(nth(made), direction.opposite())?;
                }
                return Err(error);
            }
        }
        self.lay_on_kept(change, direction);
        Ok(())
    }

    fn step(&mut self, step: &ChangeStep, direction: Direction) -> Result<(), EditError> {
        match (step, direction) {
            (ChangeStep::Part { index, part }, Direction::Forward)
            | (ChangeStep::PartGone { index, part }, Direction::Backward) => {
                self.put_part(*index, part)?;
            }
            (ChangeStep::Part { index, part }, Direction::Backward)
            | (ChangeStep::PartGone { index, part }, Direction::Forward) => {
                if self.parts.get(*index).is_none_or(|p| p.id != part.id) {
                    return Err(EditError::DoesNotFit("the part to take away is not in its place"));
                }
                let gone = self.parts.remove(*index);
                self.meshes.entry(gone.geometry.id()).or_insert(gone.geometry);
                // Whoever paints on it alone holds a pointer over nothing now.
                self.strokes.retain(|_, stroke| stroke.leave(|canvas| canvas.part == part.id));
                self.forget_kept();
            }
            (ChangeStep::PartMoved { from, to }, _) => {
                let (from, to) = match direction {
                    Direction::Forward => (*from, *to),
                    Direction::Backward => (*to, *from),
                };
                if from.max(to) >= self.parts.len() {
                    return Err(EditError::DoesNotFit("a part was moved past the end of the list"));
                }
                let part = self.parts.remove(from);
                self.parts.insert(to, part);
            }
            (ChangeStep::PartTraits { part, before, after }, _) => {
                let traits = if direction == Direction::Forward { after } else { before };
                self.part_mut(*part)?.traits = traits.clone();
            }
            (ChangeStep::ProjectTraits { before, after }, _) => {
                self.traits = if direction == Direction::Forward { *after } else { *before };
            }
            (ChangeStep::Swatches { before, after }, _) => {
                let swatches = if direction == Direction::Forward { after } else { before };
                self.swatches.clone_from(swatches);
            }
            (ChangeStep::Views { before, after }, _) => {
                let views = if direction == Direction::Forward { after } else { before };
                self.views.clone_from(views);
            }
            (ChangeStep::Volumes { before, after }, _) => {
                let volumes = if direction == Direction::Forward { after } else { before };
                self.volumes = Arc::new(volumes.clone());
                self.met(before.iter().chain(after).map(|volume| volume.id));
            }
            (ChangeStep::Print { before, after }, _) => {
                let print = if direction == Direction::Forward { after } else { before };
                self.print = print.as_deref().cloned();
            }
            (ChangeStep::Proof { before, after }, _) => {
                let proof = if direction == Direction::Forward { after } else { before };
                self.proof = Proof::clone(proof);
                self.met(before.looks.iter().chain(&after.looks).map(|look| look.id));
            }
            (ChangeStep::Images { gone, come }, Direction::Forward)
            | (ChangeStep::Images { gone: come, come: gone }, Direction::Backward) => {
                self.exchange_images(gone, come)?;
            }
            (ChangeStep::SetMoved { part, from, to }, _) => {
                let (from, to) = match direction {
                    Direction::Forward => (*from, *to),
                    Direction::Backward => (*to, *from),
                };
                let sets = &mut self.part_mut(*part)?.sets;
                if from.max(to) >= sets.len() {
                    return Err(EditError::DoesNotFit("a set was moved past the end of the list"));
                }
                let set = sets.remove(from);
                sets.insert(to, set);
            }
            (ChangeStep::SetTraits { part, set, before, after }, _) => {
                let traits = if direction == Direction::Forward { after } else { before };
                let owner = self.part_mut(*part)?;
                let name = owner.traits.name.clone();
                let target = owner.sets.iter_mut().find(|s| s.id == *set);
                let target = target.ok_or(EditError::NoSuchSet { part: name })?;
                let SetTraits { name, channels, recipes } = SetTraits::clone(traits);
                (target.name, target.channels, target.recipes) = (name, channels, recipes);
            }
            (ChangeStep::Set { part, index, set }, Direction::Forward)
            | (ChangeStep::SetGone { part, index, set }, Direction::Backward) => {
                let owner = self.part_mut(*part)?;
                if owner.sets.len() >= MOST_SETS + MOST_HELPERS {
                    return Err(EditError::DoesNotFit("a part has more sets than it may"));
                }
                if *index > owner.sets.len()
                    || set.values.len() != set.placement.count(owner.geometry.mesh())
                {
                    return Err(EditError::DoesNotFit("a set does not fit its part"));
                }
                owner.sets.insert(*index, set.clone());
                self.met([set.id.0]);
            }
            (ChangeStep::Set { part, index, set }, Direction::Backward)
            | (ChangeStep::SetGone { part, index, set }, Direction::Forward) => {
                let owner = self.part_mut(*part)?;
                if owner.sets.get(*index).is_none_or(|s| s.id != set.id) {
                    return Err(EditError::DoesNotFit("the set to take away is not in its place"));
                }
                owner.sets.remove(*index);
                self.strokes.retain(|_, stroke| stroke.leave(|canvas| canvas.set == set.id));
                self.forget_kept();
            }
            (ChangeStep::Reshape { part, change }, _) => {
                self.step_reshape(*part, change, direction)?
            }
            (ChangeStep::Values { part, set, patch }, _) => {
                let owner = self.part_mut(*part)?;
                let name = owner.traits.name.clone();
                let target = owner.sets.iter_mut().find(|s| s.id == *set);
                let target = target.ok_or(EditError::NoSuchSet { part: name })?;
                if !patch.fits(target.values.len()) {
                    return Err(EditError::DoesNotFit("a patch reaches past the end of its set"));
                }
                patch.lay_on(Arc::make_mut(&mut target.values).as_mut_slice(), direction);
            }
        }
        Ok(())
    }

    fn put_part(&mut self, index: usize, part: &PartRecord) -> Result<(), EditError> {
        let geometry = self.geometry(part.mesh).ok_or(EditError::MissingMesh(part.mesh))?.clone();
        if index > self.parts.len() {
            return Err(EditError::DoesNotFit("a part's place is past the end of the list"));
        }
        if part.sets.len() > MOST_SETS + MOST_HELPERS {
            return Err(EditError::DoesNotFit("a part has more sets than it may"));
        }
        for set in &part.sets {
            if set.values.len() != set.placement.count(geometry.mesh()) {
                return Err(EditError::DoesNotFit("a set's length differs from its part's"));
            }
            self.met([set.id.0]);
        }
        if !part.materials.fit(geometry.mesh().face_count()) {
            return Err(EditError::DoesNotFit("a face has a material that is not there"));
        }
        self.met([part.id.0]);
        let materials = part.materials.clone();
        let (id, traits, sets) = (part.id, part.traits.clone(), part.sets.clone());
        self.parts.insert(index, Part { id, traits, geometry, materials, sets });
        Ok(())
    }

    pub(super) fn part_mut(&mut self, id: PartId) -> Result<&mut Part, EditError> {
        self.parts.iter_mut().find(|part| part.id == id).ok_or(EditError::NoSuchPart)
    }

    /// Brings the kept values of sets with strokes under way up to a change.
    pub(super) fn lay_on_kept(&mut self, change: &Change, direction: Direction) {
        for step in &change.steps {
            if let ChangeStep::Values { set, patch, .. } = step
                && let Some(kept) = self.kept.get_mut(set)
            {
                let now = match direction {
                    Direction::Forward => &patch.after,
                    Direction::Backward => &patch.before,
                };
                // Where no stroke under way has been, the set itself holds the journal's.
                for (&element, &value) in patch.indices.iter().zip(now) {
                    kept.replace(element, value);
                }
            }
        }
    }

    /// Lets go of kept values that no stroke needs any more.
    pub(super) fn forget_kept(&mut self) {
        let strokes = &self.strokes;
        self.kept.retain(|&set, _| strokes.values().any(|stroke| paints(stroke, set)));
    }
}

fn paints(stroke: &StrokeUnderHand, set: SetId) -> bool {
    stroke.canvases().any(|canvas| canvas.set == set)
}
