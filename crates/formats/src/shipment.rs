//! What goes out: parts with their sets, what belongs to them, and what is told beside.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError},
};

use speckle_color::Encoding;
use speckle_mesh::{ContentId, Placement};
use speckle_model::{ColorSet, ImageRecord, Part, ProjectTraits, swatches::Swatch};

use crate::{
    Abilities, Format, Light,
    abilities::Room,
    note::ChannelNote,
    seams::{SplitBy, SplitVertices},
};

/// What goes out.
#[derive(Clone, Copy, Debug)]
pub struct Shipment<'a> {
    /// What the file is called, without extension.
    pub name: &'a str,
    /// The parts, with the sets that go along, the first one first.
    pub parts: &'a [Part],
    /// The images that materials name.
    pub images: &'a [ImageRecord],
    /// What the parts' numbers mean, for formats that have units; `None` writes them as they are.
    pub traits: Option<ProjectTraits>,
    /// What the channels mean, for formats that can say it.
    pub note: Option<&'a ChannelNote>,
    /// The swatches that faces are printed in, for a format that can say it; the first set of each
    /// part shows the same.
    pub spools: Option<Spools<'a>>,
    /// Where vertices that had to be split are kept, so that what is told of a file and what is
    /// written do not both work it out.
    pub splits: Option<&'a Splits>,
}

/// The split vertices of parts: each by its mesh, by the values of the sets it was split for, and
/// whether for UVs too.
#[derive(Debug, Default)]
pub struct Splits(Mutex<HashMap<Splitting, Arc<SplitVertices>>>);

/// Values by where they lie in memory: what goes out stays there until it is written.
type Splitting = (ContentId, Vec<usize>, SplitBy);

/// Which spool prints what.
#[derive(Clone, Copy, Debug)]
pub struct Spools<'a> {
    /// The swatches.
    pub swatches: &'a [Swatch],
    /// For each part the swatch of each face.
    pub of_faces: &'a [Vec<u8>],
}

impl<'a> Shipment<'a> {
    /// Parts alone.
    #[must_use]
    pub fn of(parts: &'a [Part]) -> Self {
        Self {
            name: "model",
            parts,
            images: &[],
            traits: None,
            note: None,
            spools: None,
            splits: None,
        }
    }

    /// In which numbers a format stores the colors, where some are wanted: as usual, where it has
    /// one place to say it for all parts, and some of them have data there.
    #[must_use]
    pub fn light(&self, format: Format, wanted: Option<Light>) -> Light {
        let abilities = format.abilities();
        let usual = abilities.light(None);
        let is_said_once = matches!(format, Format::Obj | Format::Off);
        let disagree = |placements: &[Placement]| {
            let mut encodings = self.parts.iter().flat_map(|part| {
                let own = carried(&abilities, part).into_iter();
                own.filter(|set| placements.contains(&set.placement)).map(|set| set.encoding)
            });
            let first = encodings.next();
            encodings.any(|other| Some(other) != first)
        };
        if is_said_once
            && (disagree(&[Placement::Vertex, Placement::Corner])
                || (format.takes_light(Placement::Face) && disagree(&[Placement::Face])))
        {
            return usual;
        }
        abilities.light(wanted)
    }

    /// A part's vertices, split as far as some of its sets, and what else is asked for, differ at
    /// corners.
    pub(crate) fn split(&self, part: &Part, sets: &[&ColorSet], by: SplitBy) -> Arc<SplitVertices> {
        // What is held at vertices splits none.
        let splitting: Vec<&ColorSet> =
            sets.iter().copied().filter(|set| set.placement != Placement::Vertex).collect();
        let new = || Arc::new(SplitVertices::new(part, &splitting, by));
        let Some(Splits(kept)) = self.splits else { return new() };
        let values = splitting.iter().map(|set| Arc::as_ptr(&set.values) as usize).collect();
        let key = (part.geometry.id(), values, by);
        let lock = || kept.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = lock().get(&key) {
            return found.clone();
        }
        // Not under the lock: it takes as long as the mesh is large.
        let split = new();
        lock().insert(key, split.clone());
        split
    }

    /// The image a material shows.
    pub(crate) fn image(&self, name: &str) -> Option<&'a ImageRecord> {
        self.images.iter().find(|image| image.name == name)
    }
}

/// The sets of a part that a format takes, in the order it has them: what shows at once comes
/// first where viewers look at the first one alone.
#[must_use]
pub fn carried<'a>(abilities: &Abilities, part: &'a Part) -> Vec<&'a ColorSet> {
    let products = || part.products();
    match abilities.sets {
        Room::None => Vec::new(),
        Room::One => products().take(1).collect(),
        Room::VertexAndFace => {
            let at_faces = products().find(|set| set.placement == Placement::Face);
            let at_vertices = products().find(|set| set.placement != Placement::Face);
            at_vertices.into_iter().chain(at_faces).collect()
        }
        Room::Any => {
            let (mut first, then): (Vec<_>, Vec<_>) =
                products().partition(|set| set.encoding == Encoding::Color);
            first.extend(then);
            first
        }
    }
}
