//! What recipes may look at: the part, its sets, the others, images.

use std::{collections::HashMap, sync::Arc};

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_color::{Encoding, Rgba, noise};
use speckle_mesh::{
    Geometry, Placement, UpAxis,
    body::{Body, Placed},
};
use speckle_model::{
    ColorSet, Part, PartId, Selection,
    color_set::{Role, convert},
    recipe::{
        Mask, Target,
        source::{Among, Direction, Space},
    },
};

use super::{error::BakeError, field::Field, image, pieces};
use crate::image_file::ImageFile;

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
    pub(super) fn image(&self, name: &str) -> Result<Arc<image::Image>, BakeError> {
        let file = self.images.get(name).ok_or_else(|| BakeError::NoImage(name.to_owned()))?;
        file.image().map_err(|cause| BakeError::UnreadImage { name: name.to_owned(), cause })
    }

    pub(super) fn own(&self) -> &Part {
        // There is one, or there would be no inputs.
        self.parts.iter().find(|own| own.id == self.part).unwrap_or(&self.parts[0])
    }

    pub(super) fn name(&self) -> &str {
        &self.own().traits.name
    }

    pub(super) fn materials(&self) -> &[Selection] {
        &self.own().traits.selections
    }

    /// What a random number for the part itself comes from: its place in the project.
    pub(super) fn part_number(&self, unit: Among) -> u32 {
        if unit == Among::Parts { noise::mix(self.part.0) } else { 0 }
    }

    /// The other visible parts where they stand.
    pub(super) fn visible(&self) -> Vec<Body> {
        let others = self.parts.iter().filter(|p| p.id != self.part && p.traits.visible);
        others
            .map(|p| Body {
                geometry: p.geometry.clone(),
                placed: Placed::new(&p.traits.transform),
            })
            .collect()
    }

    pub(super) fn other(&self, name: &str) -> Result<&Part, BakeError> {
        let found = self.parts.iter().find(|p| p.traits.name == name && p.id != self.part);
        found.ok_or_else(|| BakeError::NoPart(name.to_owned()))
    }

    /// A direction, unit length: in the project's space, or in the part's with the project's up
    /// brought there.
    pub(super) fn direction(&self, direction: Direction, space: Space) -> Vec3 {
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
    pub(super) fn height_axis(&self, direction: Direction, space: Space) -> Vec3 {
        let there = self.direction(direction, Space::World);
        match (direction, space) {
            (Direction::Up | Direction::Down, Space::Part) => {
                self.body.placed.plane_to_part(there).normalize_or(there)
            }
            _ => self.direction(direction, space),
        }
    }

    pub(super) fn uvs(&self, uv_set: usize) -> Result<&[Vec2], BakeError> {
        let sets = self.body.geometry.mesh().uv_sets();
        sets.get(uv_set).map(|set| set.uvs.as_slice()).ok_or_else(|| BakeError::NoUvs {
            part: self.name().to_owned(),
            wanted: uv_set + 1,
            there: sets.len(),
        })
    }

    pub(super) fn set<'a>(&self, part: &'a Part, name: &str) -> Result<&'a ColorSet, BakeError> {
        let found = part.products().find(|set| set.name == name);
        found.ok_or_else(|| BakeError::NoSet {
            part: part.traits.name.clone(),
            set: name.to_owned(),
        })
    }

    /// The values of a set of a part of the same mesh, at our placement.
    pub(super) fn set_values(
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
    pub(super) fn selection(&self, name: &str) -> Result<Chosen<'_>, BakeError> {
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
    pub(super) fn selected(&self, name: &str) -> Result<Vec<f32>, BakeError> {
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

    pub(super) fn selected_vertices(&self, name: &str) -> Result<Vec<u32>, BakeError> {
        self.selected_at(Placement::Vertex, name)
    }

    pub(super) fn selected_faces(&self, name: &str) -> Result<Vec<u32>, BakeError> {
        self.selected_at(Placement::Face, name)
    }

    /// The elements of a placement that are in a selection more than half.
    pub(super) fn selected_at(
        &self,
        placement: Placement,
        name: &str,
    ) -> Result<Vec<u32>, BakeError> {
        let shares = Self { placement, ..self.clone() }.selected(name)?;
        let chosen: Vec<u32> =
            (0..shares.len() as u32).filter(|&i| shares[i as usize] > 0.5).collect();
        if chosen.is_empty() {
            return Err(BakeError::EmptySelection(name.to_owned()));
        }
        Ok(chosen)
    }

    /// What a step's mask lets through at each element.
    pub(super) fn mask(&self, mask: &Mask) -> Result<Vec<f32>, BakeError> {
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

pub(super) enum Chosen<'a> {
    Made(&'a ColorSet),
    Named(&'a [u32]),
}

/// What is found at corners, at the elements of a placement: means at faces and vertices.
pub(super) fn from_corners(
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
