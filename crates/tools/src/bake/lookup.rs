//! What recipes look at, written down while they look.
//!
//! A source is planned before it is made. To plan it, it asks a [`Lookup`] for all it needs beside
//! the mesh and the placement; the [`Plan`] that comes of it has nothing but the answers. So a
//! digest of the answers names all that the source depends on, and no second list can forget
//! something.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_color::{Channels, Encoding, Rgba, noise};
use speckle_mesh::{
    Geometry, Placement, UpAxis,
    body::{Body, Placed},
};
use speckle_model::{
    ColorSet, Materials, Part,
    color_set::{Role, convert},
    recipe::{
        Mask, Target,
        source::{Among, Direction, Space},
    },
    volumes::Volume,
};

use super::{
    answers::{Answer, Needs},
    chosen::{Chosen, ChosenBy},
    error::BakeError,
    field::Field,
    inputs::Inputs,
    pieces::Units,
    samples::Samples,
    stored_image::{StoredImage, tile_of},
    watch::Watch,
};
use crate::{
    transfer,
    volumes::{Form, Standing},
};

/// What is left to be done when all that it takes has been looked up.
pub(super) type Plan<'a> = Box<dyn FnOnce(&Watch) -> Result<Field, BakeError> + 'a>;

/// Looks things up, and writes down what it was told.
pub(super) struct Lookup<'a> {
    inputs: &'a Inputs,
    needs: Needs<'a>,
}

impl<'a> Lookup<'a> {
    pub(super) fn new(inputs: &'a Inputs) -> Self {
        let mesh = *inputs.body.geometry.id().as_bytes();
        let placement = inputs.placement;
        let needs = Needs { mesh, placement, answers: Vec::new(), sets: Vec::new() };
        Self { inputs, needs }
    }

    /// All that was looked at.
    pub(super) fn needs(self) -> Needs<'a> {
        self.needs
    }

    /// What is there before the first step.
    pub(super) fn ground(&mut self) -> Rgba {
        self.note(Answer::Numbers(self.inputs.ground.to_vec()));
        self.inputs.ground
    }

    fn note(&mut self, answer: Answer<'a>) {
        self.needs.answers.push(answer);
    }

    /// Something was missing: that is an answer, too.
    pub(super) fn miss(&mut self, error: &BakeError) {
        self.note(Answer::Missing(error.to_string()));
    }

    fn stands(&mut self, part: &Part) {
        self.note(Answer::Numbers(part.traits.transform.matrix().to_vec()));
    }

    fn own(&self) -> &'a Part {
        // There is one, or there would be no inputs.
        let parts = &self.inputs.parts;
        parts.iter().find(|own| own.id == self.inputs.part).unwrap_or(&parts[0])
    }

    /// The part's name, for what is said of it.
    pub(super) fn name(&self) -> &'a str {
        &self.own().traits.name
    }

    /// The part's shape.
    pub(super) fn geometry(&self) -> &'a Geometry {
        &self.inputs.body.geometry
    }

    /// What each number belongs to.
    pub(super) fn placement(&self) -> Placement {
        self.inputs.placement
    }

    /// Whether the numbers are colors.
    pub(super) fn encoding(&mut self) -> Encoding {
        self.note(Answer::Encoding(self.inputs.encoding));
        self.inputs.encoding
    }

    /// Where the part stands, where that matters.
    pub(super) fn placed(&mut self, space: Space) -> Option<&'a Placed> {
        (space == Space::World).then(|| {
            self.stands(self.own());
            &self.inputs.body.placed
        })
    }

    /// Where the surface is to be looked at.
    pub(super) fn samples(&mut self, space: Space) -> impl FnOnce() -> Samples + use<'a> {
        self.samples_by(Samples::of, space)
    }

    /// The same with the normals that light goes by: the mesh's own, where it has such.
    pub(super) fn shaded_samples(&mut self, space: Space) -> impl FnOnce() -> Samples + use<'a> {
        self.samples_by(Samples::shaded, space)
    }

    fn samples_by(
        &mut self,
        of: fn(&Geometry, Placement) -> Samples,
        space: Space,
    ) -> impl FnOnce() -> Samples + use<'a> {
        let (geometry, placement) = (self.geometry(), self.placement());
        let placed = self.placed(space);
        move || {
            let samples = of(geometry, placement);
            match placed {
                None => samples,
                Some(placed) => samples.placed(placed),
            }
        }
    }

    /// Where rays are to start, in the part's space.
    pub(super) fn ray_samples(&self) -> impl FnOnce() -> Samples + use<'a> {
        let (geometry, placement) = (self.geometry(), self.placement());
        move || Samples::for_rays(geometry, placement)
    }

    /// The part, and the other visible parts if they count, where they stand.
    pub(super) fn around(&mut self, others_count: bool) -> (&'a Body, Vec<Body>) {
        let part = self.inputs.part;
        let others = self.inputs.parts.iter().filter(|p| p.id != part && p.traits.visible);
        let others: Vec<Body> =
            others.filter(|_| others_count).map(|other| self.standing(other)).collect();
        if !others.is_empty() {
            self.stands(self.own());
        }
        (&self.inputs.body, others)
    }

    fn standing(&mut self, part: &Part) -> Body {
        self.note(Answer::Mesh(*part.geometry.id().as_bytes()));
        self.stands(part);
        Body { geometry: part.geometry.clone(), placed: Placed::new(&part.traits.transform) }
    }

    fn named(&self, name: &str) -> Result<&'a Part, BakeError> {
        let part = self.inputs.part;
        let found = self.inputs.parts.iter().find(|p| p.traits.name == name && p.id != part);
        found.ok_or_else(|| BakeError::NoPart(name.to_owned()))
    }

    /// The part, and another one by its name, where they stand.
    pub(super) fn other(&mut self, name: &str) -> Result<(&'a Body, Body), BakeError> {
        let other = self.named(name)?;
        self.stands(self.own());
        Ok((&self.inputs.body, self.standing(other)))
    }

    fn towards(&self, direction: Direction, space: Space) -> Vec3 {
        let up = match self.inputs.up {
            UpAxis::Y => Vec3::Y,
            UpAxis::Z => Vec3::Z,
        };
        let of_project = |v: Vec3| match space {
            Space::World => v,
            Space::Part => self.inputs.body.placed.direction_to_part(v).normalize_or(v),
        };
        match direction {
            Direction::Up => of_project(up),
            Direction::Down => of_project(-up),
            Direction::X => Vec3::X,
            Direction::MinusX => Vec3::NEG_X,
            Direction::Y => Vec3::Y,
            Direction::MinusY => Vec3::NEG_Y,
            Direction::Z => Vec3::Z,
            Direction::MinusZ => Vec3::NEG_Z,
            Direction::To(to) => Vec3::from(to.0).normalize_or(up),
        }
    }

    /// A direction, unit length: in the project's space, or in the part's with the project's up
    /// brought there.
    pub(super) fn direction(&mut self, direction: Direction, space: Space) -> Vec3 {
        let towards = self.towards(direction, space);
        self.note(Answer::Numbers(towards.to_array().to_vec()));
        towards
    }

    /// What heights along a direction are measured along, unit length. In the part's space that is
    /// not where the project's up is, where the part is scaled unevenly: planes turn another way.
    pub(super) fn height_axis(&mut self, direction: Direction, space: Space) -> Vec3 {
        let axis = match (direction, space) {
            (Direction::Up | Direction::Down, Space::Part) => {
                let there = self.towards(direction, Space::World);
                self.inputs.body.placed.plane_to_part(there).normalize_or(there)
            }
            _ => self.towards(direction, space),
        };
        self.note(Answer::Numbers(axis.to_array().to_vec()));
        axis
    }

    /// A set of texture coordinates of the mesh, an entry per corner.
    pub(super) fn uvs(&self, uv_set: usize) -> Result<&'a [Vec2], BakeError> {
        let sets = self.geometry().mesh().uv_sets();
        sets.get(uv_set).map(|set| set.uvs.as_slice()).ok_or_else(|| BakeError::NoUvs {
            part: self.name().to_owned(),
            wanted: uv_set + 1,
            there: sets.len(),
        })
    }

    /// An image, to be unpacked when it is made.
    pub(super) fn image(&mut self, name: &str) -> Result<StoredImage<'a>, BakeError> {
        let found = self.inputs.images.get_key_value(name);
        let (name, file) = found.ok_or_else(|| BakeError::NoImage(name.to_owned()))?;
        self.note(Answer::Image(file.digest()));
        Ok(StoredImage { name, file })
    }

    /// The images that are named like one but for the number of their tile, with that number.
    pub(super) fn image_tiles(
        &mut self,
        name: &str,
    ) -> Result<Vec<(u32, StoredImage<'a>)>, BakeError> {
        let (before, _, after) = tile_of(name).ok_or_else(|| BakeError::NoTile(name.to_owned()))?;
        let others = self.inputs.images.iter().filter_map(|(other, file)| {
            let (own_before, number, own_after) = tile_of(other)?;
            let is_one = own_before == before && own_after == after;
            is_one.then_some((number, StoredImage { name: other, file }))
        });
        let mut tiles: Vec<(u32, StoredImage)> = others.collect();
        tiles.sort_unstable_by_key(|(number, image)| (*number, image.name));
        for (number, image) in &tiles {
            self.note(Answer::Numbers(vec![*number as f32]));
            self.note(Answer::Image(image.file.digest()));
        }
        if tiles.is_empty() { Err(BakeError::NoImage(name.to_owned())) } else { Ok(tiles) }
    }

    /// The part's materials.
    pub(super) fn materials(&mut self) -> &'a Materials {
        let materials = &self.own().materials;
        self.note(Answer::Materials(materials));
        materials
    }

    /// What is told apart, and what random numbers for the part itself come from beside a seed.
    pub(super) fn units(&mut self, by: Among) -> Result<(Units<'a>, u32), BakeError> {
        let units = match by {
            Among::Pieces => Units::Pieces,
            Among::Touching => Units::Touching,
            Among::Islands => Units::Islands(self.uvs(0)?),
            Among::Parts => Units::Part,
            Among::Materials => {
                let groups = &self.own().traits.selections;
                self.note(Answer::Groups(groups));
                match groups.as_slice() {
                    // Some files give faces materials, and no groups by their names.
                    [] => Units::Materials(self.materials()),
                    groups => Units::Groups(groups),
                }
            }
        };
        let own = match by {
            Among::Parts => {
                self.note(Answer::Part(self.inputs.part));
                noise::mix(self.inputs.part.0)
            }
            _ => 0,
        };
        Ok((units, own))
    }

    fn values_of(&mut self, set: &'a ColorSet, channels: Channels) {
        self.note(Answer::Values(&set.values, channels, set.placement));
        // It says how they are averaged where they come to another placement.
        self.note(Answer::Encoding(set.encoding));
        if self.placement() == Placement::Vertex && set.placement != Placement::Vertex {
            self.note(Answer::ByAngles);
        }
    }

    fn set_of(
        &mut self,
        part: &'a Part,
        name: &str,
        channels: Target,
    ) -> Result<&'a ColorSet, BakeError> {
        let found = part.products().find(|set| set.name == name);
        let set = found.ok_or_else(|| BakeError::NoSet {
            part: part.traits.name.clone(),
            set: name.to_owned(),
        })?;
        self.needs.sets.push((part.id, set.id, channels));
        self.values_of(set, channels.channels());
        Ok(set)
    }

    /// Channels of a set of a part of the same mesh, brought to our placement.
    pub(super) fn set(
        &mut self,
        part: Option<&str>,
        name: &str,
        channels: Target,
    ) -> Result<impl FnOnce() -> Field + use<'a>, BakeError> {
        let owner = match part {
            Some(part) if part != self.name() => self.named(part)?,
            _ => self.own(),
        };
        let set = self.set_of(owner, name, channels)?;
        if owner.geometry.id() != self.geometry().id() {
            return Err(BakeError::OtherMesh(owner.traits.name.clone()));
        }
        let (placement, geometry) = (self.placement(), self.geometry());
        Ok(move || {
            let values = convert::values_at(set, placement, geometry);
            let one = |i: usize| Field::one(values.par_iter().map(|v| v[i]).collect());
            match channels {
                Target::R => one(0),
                Target::G => one(1),
                Target::B => one(2),
                Target::A => one(3),
                Target::Rgb | Target::Rgba => {
                    Field::three(values.par_iter().map(|&[r, g, b, _]| [r, g, b]).collect())
                }
            }
        })
    }

    /// A set of another part, wherever that stands, as something to carry values from; and the part
    /// itself, where it stands.
    pub(super) fn carried_from(
        &mut self,
        part: &str,
        set: &str,
        channels: Target,
    ) -> Result<(&'a Part, transfer::Source), BakeError> {
        let owner = self.named(part)?;
        let set = self.set_of(owner, set, channels)?;
        self.note(Answer::Mesh(*owner.geometry.id().as_bytes()));
        self.stands(owner);
        self.stands(self.own());
        Ok((self.own(), transfer::Source::of_set(owner, set)))
    }

    /// A selection made in the app, or a group that the file named.
    pub(super) fn selection(&mut self, name: &'a str) -> Result<Chosen<'a>, BakeError> {
        let own = self.own();
        let chosen = Chosen::named(own, name).ok_or_else(|| BakeError::NoSelection {
            part: own.traits.name.clone(),
            name: name.to_owned(),
        })?;
        match chosen.by {
            ChosenBy::Set(set) => self.values_of(set, Channels::R),
            ChosenBy::Faces(faces) => {
                self.note(Answer::Faces(faces));
                if self.placement() == Placement::Vertex {
                    self.note(Answer::ByAngles);
                }
            }
        }
        Ok(chosen)
    }

    /// What the part's mask protects.
    pub(super) fn own_mask(&mut self) -> Result<Chosen<'a>, BakeError> {
        let own = self.own();
        let mask = own.mask().ok_or_else(|| BakeError::NoMask(own.traits.name.clone()))?;
        self.values_of(mask, Channels::R);
        Ok(Chosen { name: &mask.name, geometry: self.geometry(), by: ChosenBy::Set(mask) })
    }

    /// What a step's mask lets through at each element.
    pub(super) fn mask(&mut self, mask: &'a Mask) -> Result<Shares<'a>, BakeError> {
        let (geometry, placement) = (self.geometry(), self.placement());
        let (shares, invert): (Shares, bool) = match mask {
            Mask::Own { invert } => {
                let own = self.own().mask();
                if let Some(own) = own {
                    self.values_of(own, Channels::R);
                }
                let all = move || vec![1.0; placement.count(geometry.mesh())];
                let shares = move || {
                    own.map_or_else(all, |own| {
                        let values = convert::values_at(own, placement, geometry);
                        values.iter().map(|v| 1.0 - v[0]).collect()
                    })
                };
                (Box::new(shares), *invert)
            }
            Mask::Selection { name, invert } => {
                let chosen = self.selection(name)?;
                (Box::new(move || chosen.shares(placement)), *invert)
            }
            Mask::Channel { set, channel, invert } => {
                let field = self.set(None, set, *channel)?;
                let shares = move || {
                    let field = field();
                    (0..field.len()).map(|i| field.at(i)[0]).collect()
                };
                (Box::new(shares), *invert)
            }
        };
        if !invert {
            return Ok(shares);
        }
        Ok(Box::new(move || shares().into_iter().map(|x| 1.0 - x).collect()))
    }

    /// The volumes of one kind that stand near the part: those that color painted faces too, or unpainted
    /// ones alone.
    pub(super) fn volumes(&mut self, over: bool) -> Result<Vec<Standing>, BakeError> {
        if self.encoding() != Encoding::Swatch {
            let words = "volumes color in swatches: choose a set of swatches";
            return Err(BakeError::Recipe(words.to_owned()));
        }
        let mut volumes = Standing::all(&self.inputs.volumes, over, &self.inputs.parts);
        volumes.retain(|volume| volume.may_meet(&self.inputs.body));
        for standing in &volumes {
            let Volume { transform, swatch, .. } = &standing.volume;
            self.note(Answer::Numbers(transform.matrix().to_vec()));
            self.note(Answer::Numbers(vec![f32::from(*swatch)]));
            self.note(match standing.form() {
                Form::Body(geometry) => Answer::Mesh(*geometry.id().as_bytes()),
                Form::Solid(solid) => Answer::Numbers(vec![f32::from(*solid as u8)]),
            });
        }
        if !volumes.is_empty() {
            self.stands(self.own());
        }
        Ok(volumes)
    }

    /// What was painted by hand in a step.
    pub(super) fn paint(&mut self, paint: Option<u32>) -> Option<Paint<'a>> {
        let (id, own) = (paint?, self.own());
        let with = |role: Role| own.sets.iter().find(|set| set.role == role);
        let layers = [with(Role::Paint { step: id })?, with(Role::Coverage { step: id })?];
        for layer in layers {
            self.note(Answer::Values(&layer.values, Channels::RGBA, layer.placement));
        }
        let [values, coverage] = layers.map(|layer| &layer.values);
        Some(Paint { values, coverage })
    }
}

/// What was painted by hand in a step: values, and how much of each channel they cover.
pub struct Paint<'a> {
    /// What was painted.
    pub values: &'a [Rgba],
    /// How much of it lies there, by channel, 0–1.
    pub coverage: &'a [Rgba],
}

/// How much each element counts, when it is asked for.
pub(super) type Shares<'a> = Box<dyn FnOnce() -> Vec<f32> + 'a>;
