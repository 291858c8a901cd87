//! Color computed from the shape: what the steps of a recipe make.
//!
//! A source is the dear part, so what sources make is kept in a [`Pantry`] under a digest of all it
//! depends on; shaping and merging are done anew each time. The same digests say whether what a
//! recipe made is still what it would make.

pub mod curvature;
pub mod diffusion;
pub mod field;
pub mod image;
pub mod occlusion;
mod pantry;
pub mod pieces;
pub mod samples;
pub mod sources;
pub mod taste;
pub mod trail;
pub mod watch;

use std::{collections::HashMap, sync::Arc};

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use serde::Serialize;
use speckle_color::{Channels, Encoding, Rgba, noise};
use speckle_mesh::{
    Geometry, Placement, UpAxis,
    body::{Body, Placed},
};
use speckle_model::{
    ColorSet, Part, PartId, Selection,
    color_set::{Role, convert},
    recipe::{
        Mask, Recipe, Source, Step, Target,
        source::{Among, Direction, NoiseSpace, Root, Space},
    },
};

use crate::image_file::ImageFile;
use field::Field;
pub use pantry::Pantry;
pub use sources::MATERIAL_SET;
use speckle_model::Digest;
use taste::Tastes;
use watch::{GivenUp, Watch};

/// Why a recipe makes nothing; what was there stays.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BakeError {
    /// Someone gave it up.
    #[error("given up: what was there stays")]
    GivenUp,
    /// A step makes no sense.
    #[error("{0}")]
    Recipe(String),
    /// A recipe looks at what it makes.
    #[error(
        "{0} looks at what it makes itself, by way of others: choose another channel in one of them"
    )]
    Circle(String),
    /// The part has no such UV set.
    #[error(
        "the part {part} has no UV set {wanted}: it has {there}. Choose another, or lay the image \
         along an axis, which needs no UVs"
    )]
    NoUvs {
        /// The part's name.
        part: String,
        /// Its number, from 1.
        wanted: usize,
        /// How many there are.
        there: usize,
    },
    /// There is no such image.
    #[error("the image {0} is not in the project: add it to the step, or choose another")]
    NoImage(String),
    /// An image cannot be unpacked.
    #[error("the image {name} {cause}")]
    UnreadImage {
        /// Its name.
        name: String,
        /// Why.
        cause: String,
    },
    /// The part brought no colors of its materials.
    #[error(
        "the part {0} brought no colors of materials: its file had none, or its material file was \
         not chosen together with it"
    )]
    NoMaterial(String),
    /// There is no such set.
    #[error("the part {part} has no set {set}: choose another in the step")]
    NoSet {
        /// The part's name.
        part: String,
        /// The set's name.
        set: String,
    },
    /// There is no such part.
    #[error("there is no part {0}: choose another in the step")]
    NoPart(String),
    /// Numbers cannot go from one mesh to another one by one.
    #[error("the part {0} has another mesh: numbers go between sets of the same mesh only")]
    OtherMesh(String),
    /// There is no such selection.
    #[error("the part {part} has no selection {name}: make one in Paint, or choose another")]
    NoSelection {
        /// The part's name.
        part: String,
        /// The selection's name.
        name: String,
    },
    /// Nothing is selected.
    #[error("the selection {0} is empty: select something in Paint first, or choose another root")]
    EmptySelection(String),
    /// The surface is closed.
    #[error("the part {0} has no open edge: its surface is closed. Choose another root")]
    NoOpenEdge(String),
    /// There is nothing to measure on.
    #[error("the part has no surface to start from")]
    NoSurface,
}

impl From<GivenUp> for BakeError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// All that a recipe may look at. Cheap to copy from a document: the big things are shared.
#[derive(Clone)]
pub struct Inputs {
    /// The part whose set is made.
    pub part: PartId,
    /// Its shape where it stands.
    pub body: Body,
    /// What each value of the set belongs to.
    pub placement: Placement,
    /// Whether its numbers are colors.
    pub encoding: Encoding,
    /// What is there before the first step.
    pub ground: Rgba,
    /// The project's up axis.
    pub up: UpAxis,
    /// Every part of the project.
    pub parts: Arc<Vec<Part>>,
    /// Images by their names.
    pub images: Arc<HashMap<String, ImageFile>>,
}

impl Inputs {
    /// What a set of a part is made from; `None` when there is no such part.
    #[must_use]
    pub fn new(
        parts: Arc<Vec<Part>>,
        part: PartId,
        set: (Placement, Encoding, Rgba),
        up: UpAxis,
        images: Arc<HashMap<String, ImageFile>>,
    ) -> Option<Self> {
        let own = parts.iter().find(|own| own.id == part)?;
        let placed = Placed::new(&own.traits.transform);
        let body = Body { geometry: own.geometry.clone(), placed };
        let (placement, encoding, ground) = set;
        Some(Self { part, body, placement, encoding, ground, up, parts, images })
    }

    /// An image with its pixels.
    fn image(&self, name: &str) -> Result<Arc<image::Image>, BakeError> {
        let file = self.images.get(name).ok_or_else(|| BakeError::NoImage(name.to_owned()))?;
        file.image().map_err(|cause| BakeError::UnreadImage { name: name.to_owned(), cause })
    }

    fn own(&self) -> &Part {
        // There is one, or there would be no inputs.
        self.parts.iter().find(|own| own.id == self.part).unwrap_or(&self.parts[0])
    }

    fn name(&self) -> &str {
        &self.own().traits.name
    }

    fn materials(&self) -> &[Selection] {
        &self.own().traits.selections
    }

    /// What a random number for the part itself comes from: its place in the project.
    fn part_number(&self, unit: Among) -> u32 {
        if unit == Among::Parts { noise::mix(self.part.0) } else { 0 }
    }

    /// The other visible parts where they stand.
    fn visible(&self) -> Vec<Body> {
        let others = self.parts.iter().filter(|p| p.id != self.part && p.traits.visible);
        others
            .map(|p| Body {
                geometry: p.geometry.clone(),
                placed: Placed::new(&p.traits.transform),
            })
            .collect()
    }

    fn other(&self, name: &str) -> Result<&Part, BakeError> {
        let found = self.parts.iter().find(|p| p.traits.name == name && p.id != self.part);
        found.ok_or_else(|| BakeError::NoPart(name.to_owned()))
    }

    /// A direction, unit length: in the project's space, or in the part's with the project's up
    /// brought there.
    fn direction(&self, direction: Direction, space: Space) -> Vec3 {
        let up = match self.up {
            UpAxis::Y => Vec3::Y,
            UpAxis::Z => Vec3::Z,
        };
        let of_project = |v: Vec3| match space {
            Space::World => v,
            Space::Part => self.body.placed.direction_to_part(v).normalize_or(v),
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

    /// What heights along a direction are measured along, unit length. In the part's space that is
    /// not where the project's up is, where the part is scaled unevenly: planes turn another way.
    fn height_axis(&self, direction: Direction, space: Space) -> Vec3 {
        let there = self.direction(direction, Space::World);
        match (direction, space) {
            (Direction::Up | Direction::Down, Space::Part) => {
                self.body.placed.plane_to_part(there).normalize_or(there)
            }
            _ => self.direction(direction, space),
        }
    }

    fn uvs(&self, uv_set: usize) -> Result<&[Vec2], BakeError> {
        let sets = self.body.geometry.mesh().uv_sets();
        sets.get(uv_set).map(|set| set.uvs.as_slice()).ok_or_else(|| BakeError::NoUvs {
            part: self.name().to_owned(),
            wanted: uv_set + 1,
            there: sets.len(),
        })
    }

    fn set<'a>(&self, part: &'a Part, name: &str) -> Result<&'a ColorSet, BakeError> {
        let found = part.products().find(|set| set.name == name);
        found.ok_or_else(|| BakeError::NoSet {
            part: part.traits.name.clone(),
            set: name.to_owned(),
        })
    }

    /// The values of a set of a part of the same mesh, at our placement.
    fn set_values(
        &self,
        part: Option<&str>,
        set: &str,
        channel: Target,
    ) -> Result<Field, BakeError> {
        let owner = match part {
            Some(name) if name != self.name() => self.other(name)?,
            _ => self.own(),
        };
        if owner.geometry.id() != self.body.geometry.id() {
            return Err(BakeError::OtherMesh(owner.traits.name.clone()));
        }
        let set = self.set(owner, set)?;
        let values = convert::values_at(set, self.placement, self.body.geometry.mesh());
        let one = |i: usize| Field::one(values.par_iter().map(|v| v[i]).collect());
        Ok(match channel {
            Target::R => one(0),
            Target::G => one(1),
            Target::B => one(2),
            Target::A => one(3),
            Target::Rgb | Target::Rgba => {
                Field::three(values.par_iter().map(|&[r, g, b, _]| [r, g, b]).collect())
            }
        })
    }

    /// A selection made in the app, or a group that the file named.
    fn selection(&self, name: &str) -> Result<Chosen<'_>, BakeError> {
        let own = self.own();
        let made = own.sets.iter().find(|set| set.role == Role::Selection && set.name == name);
        if let Some(set) = made {
            return Ok(Chosen::Made(set));
        }
        let named = self.materials().iter().find(|selection| selection.name == name);
        named.map(|selection| Chosen::Named(&selection.faces)).ok_or_else(|| {
            BakeError::NoSelection { part: own.traits.name.clone(), name: name.to_owned() }
        })
    }

    /// How much each element is in a selection.
    fn selected(&self, name: &str) -> Result<Vec<f32>, BakeError> {
        let geometry = &self.body.geometry;
        Ok(match self.selection(name)? {
            Chosen::Made(set) => {
                let values = convert::values_at(set, self.placement, geometry.mesh());
                values.par_iter().map(|v| v[0]).collect()
            }
            Chosen::Named(faces) => {
                let mut is_in = vec![0.0; geometry.mesh().face_count()];
                faces.iter().for_each(|&f| is_in[f as usize] = 1.0);
                pieces::by_face(geometry, self.placement, |face| is_in[face], 0.0)
            }
        })
    }

    fn selected_vertices(&self, name: &str) -> Result<Vec<u32>, BakeError> {
        self.selected_at(Placement::Vertex, name)
    }

    fn selected_faces(&self, name: &str) -> Result<Vec<u32>, BakeError> {
        self.selected_at(Placement::Face, name)
    }

    /// The elements of a placement that are in a selection more than half.
    fn selected_at(&self, placement: Placement, name: &str) -> Result<Vec<u32>, BakeError> {
        let shares = Self { placement, ..self.clone() }.selected(name)?;
        let chosen: Vec<u32> =
            (0..shares.len() as u32).filter(|&i| shares[i as usize] > 0.5).collect();
        if chosen.is_empty() {
            return Err(BakeError::EmptySelection(name.to_owned()));
        }
        Ok(chosen)
    }

    /// What a step's mask lets through at each element.
    fn mask(&self, mask: &Mask) -> Result<Vec<f32>, BakeError> {
        let (shares, invert) = match mask {
            Mask::Own { invert } => {
                let count = self.placement.count(self.body.geometry.mesh());
                let shares = match self.own().mask() {
                    None => vec![1.0; count],
                    Some(mask) => {
                        convert::values_at(mask, self.placement, self.body.geometry.mesh())
                            .iter()
                            .map(|v| 1.0 - v[0])
                            .collect()
                    }
                };
                (shares, *invert)
            }
            Mask::Selection { name, invert } => (self.selected(name)?, *invert),
            Mask::Channel { set, channel, invert } => {
                let field = self.set_values(None, set, *channel)?;
                ((0..field.len()).map(|i| field.at(i)[0]).collect(), *invert)
            }
        };
        Ok(if invert { shares.into_iter().map(|x| 1.0 - x).collect() } else { shares })
    }
}

enum Chosen<'a> {
    Made(&'a ColorSet),
    Named(&'a [u32]),
}

/// What is found at corners, at the elements of a placement: means at faces and vertices.
fn from_corners(
    geometry: &Geometry,
    placement: Placement,
    at: impl Fn(usize) -> f32 + Sync,
) -> Vec<f32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    match placement {
        Placement::Corner => (0..mesh.corner_count()).into_par_iter().map(&at).collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| {
                let corners = mesh.face_corners(face);
                let count = corners.len() as f32;
                corners.map(&at).sum::<f32>() / count
            })
            .collect(),
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                let (mut sum, mut count) = (0.0, 0.0_f32);
                for corner in topology.own_corners(mesh, v) {
                    sum += at(corner);
                    count += 1.0;
                }
                sum / count.max(1.0)
            })
            .collect(),
    }
}

/// What was painted by hand in a step: values, and how much of each channel they cover.
pub struct Paint<'a> {
    /// What was painted.
    pub values: &'a Arc<Vec<Rgba>>,
    /// How much of it lies there, by channel, 0–1.
    pub coverage: &'a Arc<Vec<Rgba>>,
}

impl Inputs {
    /// The paint of a step.
    #[must_use]
    pub fn paint(&self, paint: Option<u32>) -> Option<Paint<'_>> {
        let id = paint?;
        let sets = &self.own().sets;
        let with = |role: Role| sets.iter().find(|set| set.role == role);
        let values = with(Role::Paint { step: id })?;
        let coverage = with(Role::Coverage { step: id })?;
        Some(Paint { values: &values.values, coverage: &coverage.values })
    }
}

/// What a step makes by itself, before it is merged.
///
/// # Errors
/// When something it needs is missing, or it was given up.
pub fn step(
    step: &Step,
    target: Target,
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
) -> Result<Field, BakeError> {
    looked_at(step, target, inputs, pantry, watch, |_| ())
}

/// The same, `look` seeing what it has come to before each of its shapings, and in the end.
fn looked_at(
    step: &Step,
    target: Target,
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
    mut look: impl FnMut(&Field),
) -> Result<Field, BakeError> {
    watch.check()?;
    let mut field = pantry.source(&step.source, inputs, watch)?;
    if target.is_single() || step.take.is_some() {
        field = match (&field, step.take) {
            (_, Some(take)) => field.taken(take),
            // Of three, a channel takes what stands at its own place, alpha the luminance.
            (Field::Three(_), None) => field.taken(match target {
                Target::R => speckle_model::recipe::Take::R,
                Target::G => speckle_model::recipe::Take::G,
                Target::B => speckle_model::recipe::Take::B,
                _ => speckle_model::recipe::Take::Luminance,
            }),
            (Field::One(_), None) => field,
        };
    }
    for shaping in &step.shaping {
        watch.check()?;
        look(&field);
        let geometry = &inputs.body.geometry;
        field = field.shaped(shaping, geometry, inputs.placement, inputs.encoding, watch)?;
    }
    look(&field);
    Ok(match (field, target.is_single()) {
        // A ramp's color cannot go into a single channel.
        (field @ Field::Three(_), true) => field.taken(speckle_model::recipe::Take::Luminance),
        (field, _) => field,
    })
}

/// What a recipe makes of a set: all values, those of channels it does not make as `there`.
///
/// # Errors
/// When something it needs is missing, it makes no sense, or it was given up.
pub fn made_by(
    recipe: &Recipe,
    there: &[Rgba],
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
) -> Result<Vec<Rgba>, BakeError> {
    up_to(recipe, usize::MAX, there, inputs, pantry, watch, None)
}

/// The same with the steps before a number only, and with a taste of each of them if asked for.
///
/// # Errors
/// As for [`made_by`].
pub fn up_to(
    recipe: &Recipe,
    end: usize,
    there: &[Rgba],
    inputs: &Inputs,
    pantry: &Pantry,
    watch: &Watch,
    mut tastes: Option<&mut Tastes>,
) -> Result<Vec<Rgba>, BakeError> {
    if let Some(problem) = recipe.problem() {
        return Err(BakeError::Recipe(problem));
    }
    let target = recipe.channels;
    let made = target.channels();
    let mut values: Vec<Rgba> = there
        .par_iter()
        .map(|there| std::array::from_fn(|i| if made.0[i] { inputs.ground[i] } else { there[i] }))
        .collect();
    for (i, step, merge, strength) in recipe.counting(inputs.encoding) {
        if i >= end {
            break;
        }
        let said = |error: BakeError| match error {
            BakeError::GivenUp => BakeError::GivenUp,
            error => BakeError::Recipe(format!(
                "{} step {} ({}): {error}",
                target.letters(),
                i + 1,
                step.source.title()
            )),
        };
        let mask = step.mask.as_ref().map(|mask| inputs.mask(mask)).transpose().map_err(said)?;
        let share = |element: usize| strength * mask.as_ref().map_or(1.0, |mask| mask[element]);
        if let Source::HandPaint { paint } = &step.source {
            let Some(paint) = inputs.paint(*paint) else { continue };
            if let Some(tastes) = &mut tastes {
                tastes.take_paint(i, &paint, target);
            }
            values.par_iter_mut().enumerate().with_min_len(4096).for_each(|(element, value)| {
                let share = share(element);
                let (painted, coverage) = (paint.values[element], paint.coverage[element]);
                for k in (0..4).filter(|&k| made.0[k] && coverage[k] > 0.0) {
                    let merged = merge.of(value[k], painted[k]);
                    value[k] = mixed(value[k], merged, share * coverage[k]);
                }
            });
            continue;
        }
        let look = |field: &Field| {
            if let Some(tastes) = &mut tastes {
                tastes.look(i, field);
            }
        };
        let field = looked_at(step, target, inputs, pantry, watch, look).map_err(said)?;
        if let Some(tastes) = &mut tastes {
            tastes.take(i, &field);
        }
        let channels = sources::channels_of(target, &field);
        values.par_iter_mut().enumerate().with_min_len(4096).for_each(|(element, value)| {
            let (numbers, share) = (field.at(element), share(element));
            for k in (0..4).filter(|&k| channels.0[k]) {
                let number = numbers[k.min(2)].clamp(0.0, 1.0);
                value[k] = mixed(value[k], merge.of(value[k], number), share);
            }
        });
    }
    Ok(values)
}

fn mixed(a: f32, b: f32, share: f32) -> f32 {
    if share >= 1.0 { b } else { (a + (b - a) * share).clamp(0.0, 1.0) }
}

/// All that a source depends on, beside itself.
#[derive(Serialize)]
struct Needs<'a> {
    mesh: [u8; 16],
    placement: Placement,
    source: &'a Source,
    encoding: Option<Encoding>,
    up: Option<[f32; 3]>,
    stands: Option<[f32; 16]>,
    parts: Vec<([u8; 16], [f32; 16], u32)>,
    content: Vec<[u8; 32]>,
}

impl Inputs {
    /// A digest of all that a source depends on: equal digests, equal fields.
    #[must_use]
    pub fn digest(&self, source: &Source, pantry: &Pantry) -> Digest {
        let own = self.own();
        let uses_up = |d: &Direction| matches!(d, Direction::Up | Direction::Down);
        let up = || Some(self.direction(Direction::Up, Space::World).to_array());
        let stands = || Some(own.traits.transform.matrix());
        let mut needs = Needs {
            mesh: *self.body.geometry.id().as_bytes(),
            placement: self.placement,
            source,
            encoding: None,
            up: None,
            stands: None,
            parts: Vec::new(),
            content: Vec::new(),
        };
        let visible = || {
            let others = self.parts.iter().filter(|p| p.id != self.part && p.traits.visible);
            others
                .map(|p| (*p.geometry.id().as_bytes(), p.traits.transform.matrix(), p.id.0))
                .collect()
        };
        let of_set = |set: &ColorSet, on: Channels| pantry.content(&set.values, on);
        let of_selection = |name: &str| match self.selection(name) {
            Ok(Chosen::Made(set)) => vec![of_set(set, Channels::R)],
            Ok(Chosen::Named(faces)) => vec![*blake3::hash(bytemuck::cast_slice(faces)).as_bytes()],
            Err(_) => vec![],
        };
        let of_materials = || {
            let groups = self.materials().iter();
            groups.map(|s| *blake3::hash(bytemuck::cast_slice(&s.faces)).as_bytes()).collect()
        };
        match source {
            Source::Occlusion { other_parts, ground, .. } => {
                if *other_parts {
                    needs.parts = visible();
                }
                if (*other_parts && !needs.parts.is_empty()) || *ground {
                    (needs.up, needs.stands) = (up(), stands());
                }
            }
            Source::Openness { light, other_parts, .. } => {
                if *other_parts {
                    needs.parts = visible();
                }
                if uses_up(light) || !needs.parts.is_empty() {
                    (needs.up, needs.stands) = (up(), stands());
                }
            }
            Source::Facing { direction, space, .. }
            | Source::HeightRamp { direction, space, .. } => {
                if *space == Space::World || uses_up(direction) {
                    (needs.up, needs.stands) = (up(), stands());
                }
            }
            Source::Between { space, .. }
            | Source::Normal { space }
            | Source::Position { space } => {
                needs.stands = if *space == Space::World { stands() } else { None };
            }
            Source::Noise { space, .. } => {
                needs.stands = if *space == NoiseSpace::World { stands() } else { None };
            }
            Source::Distance { from: root, .. } | Source::Trail { root, .. } => match root {
                Root::Selection { name } => needs.content = of_selection(name),
                Root::End { towards } if uses_up(towards) => {
                    (needs.up, needs.stands) = (up(), stands());
                }
                Root::Part { name } => {
                    needs.stands = stands();
                    let other = self.other(name).ok().into_iter();
                    needs.parts = other
                        .map(|p| (*p.geometry.id().as_bytes(), p.traits.transform.matrix(), p.id.0))
                        .collect();
                }
                _ => {}
            },
            Source::Joint { between, .. } => match between {
                Among::Parts => (needs.parts, needs.stands) = (visible(), stands()),
                Among::Materials => needs.content = of_materials(),
                Among::Pieces => {}
            },
            Source::PerPiece { by, .. } | Source::PerPieceShift { by, .. } => match by {
                Among::Materials => needs.content = of_materials(),
                Among::Parts => needs.parts = vec![([0; 16], [0.0; 16], self.part.0)],
                Among::Pieces => {}
            },
            Source::Image { image, .. } => {
                needs.encoding = Some(self.encoding);
                (needs.up, needs.stands) = (up(), stands());
                let picture = self.images.get(image).map(|image| image.digest());
                needs.content = picture.into_iter().collect();
            }
            Source::Channel { set, part, channel } => {
                let owner = match part.as_deref() {
                    Some(name) if name != self.name() => self.other(name).ok(),
                    _ => Some(own),
                };
                let set = owner.and_then(|owner| self.set(owner, set).ok());
                needs.content = set.iter().map(|set| of_set(set, channel.channels())).collect();
            }
            Source::Material => {
                let materials = &own.materials;
                let set = self.set(own, MATERIAL_SET).ok();
                let set = set.filter(|_| materials.list.is_empty());
                let images =
                    materials.list.iter().filter_map(|m| self.images.get(m.image.as_ref()?));
                needs.content = set.iter().map(|set| of_set(set, Channels::RGB)).collect();
                needs.content.extend(images.map(|image| image.digest()));
                needs.content.push(Digest::of(&**materials).0);
            }
            Source::HandPaint { paint } => {
                if let Some(paint) = self.paint(*paint) {
                    let layers = [paint.values, paint.coverage];
                    needs.content = layers.map(|v| pantry.content(v, Channels::RGBA)).to_vec();
                }
            }
            Source::Hollows { .. }
            | Source::Ridges { .. }
            | Source::Edges { .. }
            | Source::Thickness { .. }
            | Source::Constant { .. }
            | Source::Color { .. } => {}
        }
        Digest::of(&needs)
    }

    /// A digest of all that a recipe depends on: what it made is still true while this is the same.
    #[must_use]
    pub fn recipe_digest(&self, recipe: &Recipe, pantry: &Pantry) -> Digest {
        let mut all = Vec::new();
        for step in recipe.steps.iter().filter(|step| !step.off) {
            all.push(Digest::of(step));
            all.push(self.digest(&step.source, pantry));
            let content = match &step.mask {
                None => None,
                Some(Mask::Own { .. }) => {
                    self.own().mask().map(|m| pantry.content(&m.values, Channels::R))
                }
                Some(Mask::Selection { name, .. }) => match self.selection(name) {
                    Ok(Chosen::Made(set)) => Some(pantry.content(&set.values, Channels::R)),
                    _ => None,
                },
                Some(Mask::Channel { set, channel, .. }) => {
                    let set = self.set(self.own(), set).ok();
                    set.map(|set| pantry.content(&set.values, channel.channels()))
                }
            };
            all.push(Digest::of(&content));
        }
        Digest::of(&(recipe.channels, self.ground, self.encoding, self.placement, all))
    }
}
