//! Which swatch each face is painted in.
//!
//! It is a set at faces whose values are the numbers of swatches. Strokes, fills, masks and undo work on it
//! as on any other; what mixes values does not.

use std::sync::Arc;

use glam::Vec3;
use serde::Deserialize;
use speckle_color::{Channels, Encoding, Rgba, swatch_of, swatch_value};
use speckle_mesh::{ContentId, Placement};
use speckle_model::{
    NewSet,
    color_set::Role,
    swatches::{self, Swatch},
};
use speckle_tools::{layers::PrintSetup, region::Region, stroke::Coat};
use strum::VariantNames;

use super::{
    Change, ChangeStep, Direction, Document, EditError, Fill, PaintEdit, PartId, Patch,
    ProjectEdit,
    planned::{Family, Planned},
    sets::{has_room, no_lock},
    whole,
};

/// What a set of swatches is called where nobody says.
const USUAL_NAME: &str = "Swatches";

/// What says in which swatch faces are painted.
#[derive(Clone, Debug, Deserialize, VariantNames)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum SwatchEdit {
    /// Says which swatch unpainted faces of parts print in.
    SetBase {
        /// The parts.
        parts: Vec<PartId>,
        /// The swatch's number; 0 for the palette's first.
        base: u8,
    },
    /// Makes color sets, at faces, of what parts are painted in.
    ColorSwatches {
        /// The parts.
        parts: Vec<PartId>,
        /// What the sets will be called.
        name: String,
    },
    /// Paints every face of parts, each in a swatch; a part without a set for it gets one.
    #[serde(skip)]
    PaintFaces {
        /// What the change is called.
        label: String,
        /// The palette from then on, where it is another.
        palette: Option<Vec<Swatch>>,
        /// What they are painted in.
        parts: Vec<PartPainted>,
    },
    /// Paints faces, then bands of all parts that are seen right through, cutting faces at their ends.
    #[serde(skip)]
    PaintThrough {
        /// What the change is called.
        label: String,
        /// The palette from then on, where it is another.
        palette: Option<Vec<Swatch>>,
        /// What faces are painted in first.
        parts: Vec<PartPainted>,
        /// Which way is up, in the project's space.
        up: Vec3,
        /// The number of a swatch, and from where to where up.
        bands: Vec<(u8, f32, f32)>,
        /// How it is printed from then on.
        print: Box<PrintSetup>,
    },
}

/// A part with the number of a swatch for each face.
#[derive(Clone, Debug)]
pub struct PartPainted {
    /// The part.
    pub part: PartId,
    /// The mesh whose faces they are.
    pub mesh: ContentId,
    /// A number for each.
    pub numbers: Vec<u8>,
    /// The part's base swatch from then on, where it is another.
    pub base: Option<u8>,
}

impl Family for SwatchEdit {
    fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
        let change = match self {
            Self::SetBase { parts, base } => {
                document.is_number(base)?;
                parts.iter().try_for_each(|&part| document.unlocked(part).map(|_| ()))?;
                let change =
                    document.change_traits_of("Set the base swatch of", &parts, |own| {
                        own.base = base
                    })?;
                document.with_numbers(change)
            }
            Self::ColorSwatches { parts, name } => document.change_coloring(&parts, &name)?,
            Self::PaintFaces { label, palette, parts } => {
                document.change_painting(label, palette, parts)?
            }
            Self::PaintThrough { label, palette, parts, up, bands, print } => {
                let painted = Self::PaintFaces { label, palette, parts };
                return Ok(Planned::Done(document.paint_through(painted, up, &bands, *print)?));
            }
        };
        Ok(change.into())
    }

    fn why_nothing(&self) -> Option<&'static str> {
        Some("it is so already")
    }
}

impl Document {
    pub(super) fn is_number(&self, number: u8) -> Result<(), EditError> {
        let palette = swatches::numbered(&self.swatches, self.swatches.clone());
        if number == 0 || palette.iter().any(|swatch| swatch.number == number) {
            return Ok(());
        }
        Err(EditError::Channel("that swatch is not in the palette any more: choose another"))
    }

    /// A change after which swatches have numbers: projects of before have none.
    pub(super) fn with_numbers(&self, mut change: Change) -> Change {
        let before = self.swatches.clone();
        let after = swatches::numbered(&before, before.clone());
        if after != before {
            change.steps.insert(0, ChangeStep::Swatches { before, after });
        }
        change
    }

    /// What makes faces and bases unpainted whose swatches a palette lacks.
    pub(super) fn unpainted_without(
        &self,
        palette: &[Swatch],
    ) -> Result<Vec<ChangeStep>, EditError> {
        let mut is_gone = [false; 256];
        for swatch in self.swatches.iter().filter(|swatch| swatch.number > 0) {
            let stays = palette.iter().any(|own| own.number == swatch.number);
            is_gone[usize::from(swatch.number)] = !stays;
        }
        let mut steps = Vec::new();
        let mut volumes = self.volumes.to_vec();
        volumes
            .iter_mut()
            .filter(|own| is_gone[usize::from(own.swatch)])
            .for_each(|own| own.swatch = 0);
        if volumes != *self.volumes {
            steps.push(ChangeStep::Volumes { before: self.volumes.to_vec(), after: volumes });
        }
        for part in self.parts.iter().filter(|_| is_gone.contains(&true)) {
            if is_gone[usize::from(part.traits.base)] {
                let before = self.unlocked(part.id)?.traits.clone();
                let after = super::PartTraits { base: 0, ..before.clone() };
                steps.push(ChangeStep::PartTraits { part: part.id, before, after });
            }
            for set in part.sets.iter().filter(|set| set.encoding == Encoding::Swatch) {
                let set = self.as_kept(set);
                let is_it = |value: &Rgba| is_gone[usize::from(swatch_of(*value))];
                let indices: Vec<u32> = (0..set.values.len() as u32)
                    .filter(|&face| is_it(&set.values[face as usize]))
                    .collect();
                if indices.is_empty() {
                    continue;
                }
                self.unlocked(part.id)?;
                if set.is_product() {
                    no_lock(&set, [true; 4])?;
                }
                let before = indices.iter().map(|&face| set.values[face as usize]).collect();
                let after = vec![swatch_value(0); indices.len()];
                let patch = Patch { indices, before, after };
                steps.push(ChangeStep::Values { part: part.id, set: set.id, patch });
            }
        }
        Ok(steps)
    }

    fn change_painting(
        &mut self,
        label: String,
        palette: Option<Vec<Swatch>>,
        parts: Vec<PartPainted>,
    ) -> Result<Change, EditError> {
        let mut whole = match palette {
            Some(palette) => self.change_palette(palette)?,
            None => self.with_numbers(Change::default()),
        };
        whole.label = label;
        for PartPainted { part, mesh, numbers, base } in parts {
            let owner = self.unlocked(part)?.clone();
            if owner.geometry.id() != mesh {
                return Err(EditError::DoesNotFit("the mesh has changed meanwhile: look again"));
            }
            let values: Vec<Rgba> = numbers.into_iter().map(swatch_value).collect();
            match owner.swatch_set() {
                Some(set) => {
                    no_lock(set, [true; 4])?;
                    whole::hold(&set.name, &values)?;
                    if values.len() != set.values.len() {
                        return Err(EditError::DoesNotFit("a face has no swatch"));
                    }
                    let change =
                        self.values_changed(String::new(), part, &self.as_kept(set), values)?;
                    whole.steps.extend(change.steps);
                }
                None => {
                    let index = has_room(&owner, 1, Role::Product)?;
                    let taken = |name: &str| owner.products().any(|own| own.name == name);
                    let names = std::iter::once(USUAL_NAME.to_owned())
                        .chain((2..).map(|n| format!("{USUAL_NAME} {n}")));
                    let new = NewSet {
                        name: names.into_iter().find(|name| !taken(name)).unwrap_or_default(),
                        placement: Placement::Face,
                        encoding: Encoding::Swatch,
                        ground: swatch_value(0),
                        values,
                    };
                    let mesh = owner.geometry.mesh();
                    let set = self.admit_set(&owner.traits.name, &owner.sets, new, mesh)?;
                    whole.steps.push(ChangeStep::Set { part, index, set });
                }
            }
            if let Some(base) = base.filter(|base| *base != owner.traits.base) {
                let (before, after) =
                    (owner.traits.clone(), super::PartTraits { base, ..owner.traits });
                whole.steps.push(ChangeStep::PartTraits { part, before, after });
            }
        }
        Ok(whole)
    }

    /// Paints faces and bands, all or nothing.
    fn paint_through(
        &mut self,
        painted: SwatchEdit,
        up: Vec3,
        bands: &[(u8, f32, f32)],
        print: PrintSetup,
    ) -> Result<Change, EditError> {
        let mut whole = self.apply(painted)?;
        match self.apply(ProjectEdit::SetPrint { print: print.into() }) {
            Ok(change) => whole.steps.extend(change.steps),
            Err(error) => {
                self.replay(&whole, Direction::Backward)?;
                return Err(error);
            }
        }
        for &(number, from, to) in bands {
            let region = Region::Band { direction: up, from, to, soft: 0.0 };
            let seen = self.parts.iter().filter(|part| part.traits.visible);
            let coats = seen.filter_map(|part| {
                let set = part.swatch_set()?.id;
                Some(Coat::new(part.id, set, Channels::RGBA, swatch_value(number)))
            });
            for coat in coats.collect::<Vec<_>>() {
                let region = region.clone();
                let fill =
                    Fill { coat, opacity: 1.0, region, at: None, afresh: false, crisp: true };
                match self.apply(PaintEdit::Fill { fill }) {
                    Ok(change) => whole.steps.extend(change.steps),
                    Err(error) => {
                        self.replay(&whole, Direction::Backward)?;
                        return Err(error);
                    }
                }
            }
        }
        Ok(whole)
    }

    fn change_coloring(&mut self, parts: &[PartId], name: &str) -> Result<Change, EditError> {
        let mut steps = Vec::new();
        for &part in parts {
            let owner = self.unlocked(part)?.clone();
            let Some(set) = owner.swatch_set() else { continue };
            let index = has_room(&owner, 1, Role::Product)?;
            let shown = super::Part { sets: vec![self.as_kept(set)], ..owner.clone() };
            let Some(colors) = shown.in_colors(&self.swatches).sets.pop() else { continue };
            let new = NewSet {
                name: name.to_owned(),
                placement: Placement::Face,
                encoding: Encoding::Color,
                ground: colors.ground,
                values: Arc::unwrap_or_clone(colors.values),
            };
            let mesh = owner.geometry.mesh();
            let set = self.admit_set(&owner.traits.name, &owner.sets, new, mesh)?;
            steps.push(ChangeStep::Set { part, index, set });
        }
        if steps.is_empty() {
            return Err(EditError::Channel("no part is painted in swatches yet"));
        }
        let label = "Make colors of swatches".to_owned();
        Ok(Change { label, steps, ..Change::default() })
    }
}
