//! Volumes: placed and moved, and made into paint.
//!
//! What a volume colors is made by a recipe of the sets of swatches that it meets
//! ([`Recipe::of_volumes`]): so it lies under what is painted by hand, or over it, is made anew as the
//! volume moves, and is gone without a trace when the volume is.

use serde::Deserialize;
use speckle_color::{Rgba, swatch_of, swatch_value};
use speckle_mesh::body::{Body, Placed};
use speckle_model::{
    PartId, SetId,
    recipe::{Recipe, Target},
    volumes::{self, Volume},
};
use speckle_tools::{
    bake::{Pantry, watch::Watch},
    finer::{Rim, cut_along},
    region::border::Border,
    volumes::{Standing, showing},
};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Direction, Document, EditError, Part, PartPainted, Patch, RecipeEdit,
    SwatchEdit,
    hand_paint::layers_of,
    planned::{Family, Planned},
};

/// What sets volumes, or makes paint of them.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum VolumeEdit {
    /// Replaces the project's volumes. From the first on, every part that is painted in swatches is
    /// colored by those it meets.
    SetVolumes {
        /// The volumes, those that lie over others first.
        volumes: Vec<Volume>,
        /// A part that is to be painted in swatches from then on, if it is not.
        #[serde(default)]
        part: Option<PartId>,
    },
    /// Makes paint of volumes, which go: faces are cut along their borders, and keep their swatches.
    FreezeVolumes {
        /// Their numbers.
        volumes: Vec<u32>,
    },
}

impl Family for VolumeEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let mut whole = Change::default();
        let done = match self {
            Self::SetVolumes { volumes, part } => document.set_volumes(volumes, part, &mut whole),
            Self::FreezeVolumes { volumes } => document.freeze_volumes(&volumes, &mut whole),
        };
        if let Err(error) = done {
            document.replay(&whole, Direction::Backward)?;
            return Err(error);
        }
        Ok(Planned::Done(whole))
    }

    fn why_nothing(&self) -> Option<&'static str> {
        Some("it is so already")
    }
}

impl Document {
    /// The sets that volumes color: part, set, and the number of the paint between volumes that color
    /// unpainted faces and those that color all.
    fn colored_by_volumes(&self) -> Vec<(PartId, SetId, u32)> {
        let of = |part: &Part| {
            let set = part.swatch_set()?;
            let recipe = set.recipes.iter().find(|own| own.recipe.has_volumes())?;
            Some((part.id, set.id, recipe.recipe.paints().next()?))
        };
        self.parts.iter().filter_map(of).collect()
    }

    fn lay_step(&mut self, whole: &mut Change, step: ChangeStep) -> Result<(), EditError> {
        let change = Change { steps: vec![step], ..Change::default() };
        self.replay(&change, Direction::Forward)?;
        whole.steps.extend(change.steps);
        Ok(())
    }

    fn set_volumes(
        &mut self,
        mut volumes: Vec<Volume>,
        part: Option<PartId>,
        whole: &mut Change,
    ) -> Result<(), EditError> {
        if let Some(problem) = volumes::problem(&volumes) {
            return Err(EditError::Shelved(problem));
        }
        for volume in &mut volumes {
            volume.name = volume.name.trim().to_owned();
            self.is_number(volume.swatch)?;
            if volume.id == 0 {
                volume.id = self.take_id();
            }
        }
        let before = self.volumes.to_vec();
        // The same once more is for parts that were not painted in swatches, or locked, until now.
        "Let volumes color more".clone_into(&mut whole.label);
        if volumes != before {
            whole.label = told(&before, &volumes);
            let numbered = self.with_numbers(Change::default());
            self.replay(&numbered, Direction::Forward)?;
            whole.steps.extend(numbered.steps);
            self.lay_step(whole, ChangeStep::Volumes { before, after: volumes })?;
        }
        if self.volumes.is_empty() {
            return self.settle(whole);
        }
        if let Some(part) = part {
            let owner = self.unlocked(part)?;
            if owner.swatch_set().is_none() {
                let mesh = owner.geometry.id();
                let numbers = vec![0; owner.geometry.mesh().face_count()];
                let parts = vec![PartPainted { part, mesh, numbers, base: None }];
                let label = String::new();
                let set = self.apply(SwatchEdit::PaintFaces { label, palette: None, parts })?;
                whole.steps.extend(set.steps);
            }
        }
        let bare = |own: &&Part| {
            !own.traits.locked && own.swatch_set().is_some_and(|set| set.recipes.is_empty())
        };
        let bare = self.parts.iter().filter(bare).filter_map(|own| {
            let set = own.swatch_set()?;
            let is_locked = set.channels.iter().any(|channel| channel.locked);
            (!is_locked).then_some((own.id, set.id))
        });
        for (part, set) in bare.collect::<Vec<_>>() {
            let recipe = Recipe::of_volumes();
            let given = self.apply(RecipeEdit::SetRecipe { part, set, recipe })?;
            whole.steps.extend(given.steps);
        }
        Ok(())
    }

    fn freeze_volumes(&mut self, ids: &[u32], whole: &mut Change) -> Result<(), EditError> {
        let is_frozen = |volume: &Volume| ids.contains(&volume.id);
        let frozen: Vec<Volume> = self.volumes.iter().filter(|v| is_frozen(v)).cloned().collect();
        if frozen.is_empty() || frozen.len() < ids.len() {
            return Err(EditError::Channel("that volume is not there any more"));
        }
        if let Some(idle) = frozen.iter().find(|own| Standing::new(own, &self.parts).is_none()) {
            return Err(EditError::Shelved(format!(
                "{} colors nothing as it is: let it color again, or take it away",
                idle.name
            )));
        }
        whole.label = match frozen.as_slice() {
            [one] => format!("Freeze {}", one.name),
            several => format!("Freeze {} volumes", several.len()),
        };
        for (part, set, paint) in self.colored_by_volumes() {
            let body = body_of(self.part(part)?);
            let met = |own: &Volume| {
                Standing::new(own, &self.parts).is_some_and(|standing| standing.may_meet(&body))
            };
            // What none of them comes near may well be locked.
            if !frozen.iter().any(met) {
                continue;
            }
            self.cut_along_volumes(part, paint, &frozen, whole)?;
            self.paint_volumes(part, set, paint, &is_frozen, whole)?;
        }
        let before = self.volumes.to_vec();
        let after = before.iter().filter(|volume| !is_frozen(volume)).cloned().collect();
        self.lay_step(whole, ChangeStep::Volumes { before, after })?;
        self.settle(whole)
    }

    /// Cuts the faces of a part along the borders of volumes, where those show.
    fn cut_along_volumes(
        &mut self,
        part: PartId,
        paint: u32,
        volumes: &[Volume],
        whole: &mut Change,
    ) -> Result<(), EditError> {
        self.unlocked(part)?;
        for over in [true, false] {
            for volume in Standing::all(volumes, over, &self.parts) {
                let border = Border::of_volume(&volume);
                let faces = |_: &Self, part: &Part| {
                    let body = body_of(part);
                    if !volume.may_meet(&body) {
                        return Vec::new();
                    }
                    let mut faces = border.near(&body);
                    if let Some([values, coverage]) = layers_of(part, paint).filter(|_| !over) {
                        faces.retain(|&face| {
                            let face = face as usize;
                            !is_painted(values.values[face], coverage.values[face])
                        });
                    }
                    faces
                };
                self.cut_under(part, whole, faces, |edit, faces, to_project| {
                    cut_along(edit, faces, to_project, &border, Rim::Once)
                })?;
            }
        }
        Ok(())
    }

    /// Paints what volumes show that go, as if it had been painted by hand.
    fn paint_volumes(
        &mut self,
        part: PartId,
        set: SetId,
        paint: u32,
        is_frozen: &dyn Fn(&Volume) -> bool,
        whole: &mut Change,
    ) -> Result<(), EditError> {
        let owner = self.part(part)?;
        let own = self.set(part, set)?;
        super::sets::no_lock(own, [true; 4])?;
        let Some([values, coverage]) = layers_of(owner, paint) else {
            return Err(EditError::NoSuchRecipe);
        };
        let body = body_of(owner);
        let [over, under] =
            [true, false].map(|over| Standing::all(&self.volumes, over, &self.parts));
        let shows = [&over, &under].map(|kind| showing(&body, kind));
        let (mut painted, mut covers) = (values.values.to_vec(), coverage.values.to_vec());
        for face in 0..painted.len() {
            let shown = |i: usize, kind: &[Standing]| {
                let at = (shows[i][face] as usize).checked_sub(1)?;
                kind.get(at).map(|standing| standing.volume.clone())
            };
            let is_bare = !is_painted(painted[face], covers[face]);
            let volume = shown(0, &over).or_else(|| is_bare.then(|| shown(1, &under)).flatten());
            if let Some(volume) = volume.filter(is_frozen) {
                (painted[face], covers[face]) = (swatch_value(volume.swatch), [1.0; 4]);
            }
        }
        for (layer, after) in [(&values, &painted), (&coverage, &covers)] {
            let patch = Patch::between(&layer.values, after);
            if !patch.indices.is_empty() {
                self.lay_step(whole, ChangeStep::Values { part, set: layer.id, patch })?;
            }
        }
        Ok(())
    }

    /// Makes anew what volumes color, and takes their recipes away where none is left.
    fn settle(&mut self, whole: &mut Change) -> Result<(), EditError> {
        for (part, set, _) in self.colored_by_volumes() {
            let own = self.set(part, set)?;
            if self.part(part)?.traits.locked || own.channels.iter().any(|own| own.locked) {
                continue;
            }
            let said = |error: &dyn std::fmt::Display| EditError::Shelved(error.to_string());
            let made = self.order(part, set, Target::Rgba)?;
            let made = made.make(&Pantry::default(), &Watch::default()).map_err(|e| said(&e))?;
            whole.steps.extend(self.accept(made)?.steps);
            if self.volumes.is_empty() {
                let frozen =
                    self.apply(RecipeEdit::FreezeRecipe { part, set, channels: Target::Rgba })?;
                whole.steps.extend(frozen.steps);
            }
        }
        Ok(())
    }
}

fn body_of(part: &Part) -> Body {
    Body { geometry: part.geometry.clone(), placed: Placed::new(&part.traits.transform) }
}

/// Whether paint of a swatch lies on a face.
fn is_painted(value: Rgba, coverage: Rgba) -> bool {
    coverage[0] >= 0.5 && swatch_of(value) != 0
}

/// What a change of the list is called.
fn told(before: &[Volume], after: &[Volume]) -> String {
    let is_in = |list: &[Volume], id: u32| list.iter().any(|volume| volume.id == id);
    let come: Vec<&Volume> = after.iter().filter(|own| !is_in(before, own.id)).collect();
    let gone: Vec<&Volume> = before.iter().filter(|own| !is_in(after, own.id)).collect();
    match (come.as_slice(), gone.as_slice()) {
        ([one], []) => return format!("Place {}", one.name),
        ([_, ..], []) => return format!("Place {} volumes", come.len()),
        ([], [one]) => return format!("Take {} away", one.name),
        ([], [_, ..]) => return format!("Take {} volumes away", gone.len()),
        _ => {}
    }
    let other = |own: &Volume| before.iter().find(|old| old.id == own.id && *old != own);
    let changed: Vec<(&Volume, &Volume)> =
        after.iter().filter_map(|own| Some((other(own)?, own))).collect();
    match changed.as_slice() {
        [] => "Put volumes in another order".to_owned(),
        [(old, new)] if old.transform != new.transform => format!("Move {}", new.name),
        [(_, new)] => format!("Change {}", new.name),
        several => format!("Change {} volumes", several.len()),
    }
}
