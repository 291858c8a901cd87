//! What values come from: parts, parts of files, and parts as they were.

use std::sync::Arc;

use glam::Vec4;
use rayon::prelude::*;
use speckle_color::{Encoding, Rgba};
use speckle_mesh::{Geometry, Placement, transform::Transform};
use speckle_model::{
    ColorSet, ImageRecord, Materials, NewPart, NewSet, Part,
    color_set::{ChannelTraits, Role},
};

use super::SourceImage;
use crate::replacing::{held_as_ours, stands_as_modelled};

/// A surface that values come from.
#[derive(Clone, Debug)]
pub struct Source {
    /// What it is called, for the user.
    pub name: String,
    /// Its shape.
    pub geometry: Arc<Geometry>,
    /// Where it stands.
    pub transform: Transform,
    /// What it carries.
    pub sets: Vec<SourceSet>,
    /// What it can show by its texture coordinates.
    pub images: Vec<SourceImage>,
}

/// Values on a source.
#[derive(Clone, Debug)]
pub struct SourceSet {
    /// What it is called.
    pub name: String,
    /// What each value belongs to.
    pub placement: Placement,
    /// Whether the numbers are colors.
    pub encoding: Encoding,
    /// What its channels hold.
    pub channels: [ChannelTraits; 4],
    /// As they are stored.
    pub values: Arc<Vec<Rgba>>,
}

impl Source {
    /// A part with its sets.
    #[must_use]
    pub fn of(part: &Part) -> Self {
        Self {
            name: part.traits.name.clone(),
            geometry: part.geometry.clone(),
            transform: part.traits.transform,
            sets: part.products().map(|set| SourceSet::of(set, set.name.clone())).collect(),
            images: Vec::new(),
        }
    }

    /// A part with one of its sets.
    pub(crate) fn of_set(part: &Part, set: &ColorSet) -> Self {
        let (geometry, transform) = (part.geometry.clone(), part.traits.transform);
        let sets = vec![SourceSet::of(set, set.name.clone())];
        Self { name: part.traits.name.clone(), geometry, transform, sets, images: Vec::new() }
    }

    /// With images that it shows by its texture coordinates, as far as it has such.
    #[must_use]
    pub fn showing(mut self, materials: &Materials, images: &[ImageRecord]) -> Self {
        let there = self.geometry.mesh().uv_sets().len();
        if there > 0 {
            self.images = SourceImage::on(materials, images).filter(|i| i.uv_set < there).collect();
        }
        self
    }

    /// The names of all that it carries and shows.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        let sets = self.sets.iter().map(|set| set.name.as_str());
        sets.chain(self.images.iter().map(|image| image.name.as_str()))
    }

    /// A part of a file, which may hold it where it stands in the project, or as it was modelled: what
    /// lies nearer to the part that it goes to is meant.
    #[must_use]
    pub fn of_file(part: &Part, theirs: NewPart, is_linear: bool, file: &str) -> Self {
        let theirs = if is_linear { held_as_ours(part, theirs) } else { theirs };
        let transform = match stands_as_modelled(part, &theirs.mesh) {
            true => part.traits.transform,
            false => Transform::IDENTITY,
        };
        let set = |set: NewSet| SourceSet {
            name: set.name,
            placement: set.placement,
            encoding: set.encoding,
            channels: Default::default(),
            values: Arc::new(set.values),
        };
        Self {
            name: format!("{} of {file}", theirs.name),
            geometry: Arc::new(Geometry::new(theirs.mesh)),
            transform,
            sets: theirs.sets.into_iter().map(set).collect(),
            images: Vec::new(),
        }
    }

    /// A part with its sets as they were when a snapshot was taken, under the names they have now.
    #[must_use]
    pub fn of_snapshot(part: &Part, snapshot: &str) -> Self {
        let was = |set: &ColorSet| {
            let Role::Snapshot { of } = set.role else { return None };
            let now = part.sets.iter().find(|now| now.id == of)?;
            (set.name == snapshot).then(|| SourceSet::of(set, now.name.clone()))
        };
        let name = format!("{} as of {snapshot}", part.traits.name);
        Self { name, sets: part.sets.iter().filter_map(was).collect(), ..Self::of(part) }
    }
}

impl SourceSet {
    fn of(set: &ColorSet, name: String) -> Self {
        Self {
            name,
            placement: set.placement,
            encoding: set.encoding,
            channels: set.channels.clone(),
            values: set.values.clone(),
        }
    }

    /// What may be added up of each value.
    pub(super) fn linear(&self) -> Vec<Vec4> {
        let linear = |&value: &Rgba| Vec4::from_array(self.encoding.linear(value).0);
        self.values.par_iter().with_min_len(1024).map(linear).collect()
    }
}
