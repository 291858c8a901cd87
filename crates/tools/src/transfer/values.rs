//! What each element of a part takes from its sources, along one row of the table.

use std::borrow::Cow;

use glam::Vec4;
use rayon::prelude::*;
use speckle_color::{Encoding, Linear, Rgba};
use speckle_mesh::Placement;
use speckle_model::{ColorSet, NewSet, Part};

use super::{
    Row, Source, SourceSet, TransferError, landing::Landing, picture::Shown, search::Search,
};
use crate::replacing::LAST_BITS;

/// What is carried along one row of the table.
pub(super) struct Work<'a> {
    pub(super) part: &'a Part,
    pub(super) sources: &'a [Source],
    pub(super) searches: &'a [Search<'a>],
    pub(super) landings: &'a [Landing<'a>],
    pub(super) row: &'a Row,
}

/// A value that was found, to be added up, and how far away; whether it is one value as it is stored.
#[derive(Clone, Copy, Debug)]
pub(super) struct Met {
    pub(super) linear: Vec4,
    pub(super) exact: Option<Rgba>,
    pub(super) distance: f32,
}

impl Work<'_> {
    /// What each element of a placement finds, as the source stores it.
    /// An image is what the set that it goes to takes it for.
    pub(super) fn values(
        &self,
        placement: Placement,
        wanted: Option<Encoding>,
        blend: bool,
    ) -> Result<(Vec<Option<Rgba>>, Encoding), TransferError> {
        let count = placement.count(self.part.geometry.mesh());
        let mut all: Vec<Vec<Option<Met>>> = Vec::new();
        let mut encoding = None;
        let within = self.searches.first().map_or(1.0, Search::within);
        for ((source, landing), search) in self.sources.iter().zip(self.landings).zip(self.searches)
        {
            let Some(set) = source.sets.iter().find(|set| set.name == self.row.from) else {
                let shown = source.images.iter().find(|image| image.name == self.row.from);
                let Some(shown) = shown else { continue };
                let encoding = *encoding.get_or_insert(wanted.unwrap_or(Encoding::Color));
                let name = || shown.name.clone();
                let unread = |cause| TransferError::UnreadImage { name: name(), cause };
                let image = shown.file.image().map_err(unread)?;
                let uvs = &source.geometry.mesh().uv_sets()[shown.uv_set].uvs;
                all.push(Shown::new(&image, uvs, encoding, search).values(placement));
                continue;
            };
            // Where sources say different things of one name, all are taken for what the first says.
            let encoding = *encoding.get_or_insert(set.encoding);
            let set = SourceSet { encoding, ..set.clone() };
            all.push(landing.values(&set, placement));
        }
        let encoding = encoding.unwrap_or(Encoding::Color);
        let stored =
            |met: Met| met.exact.unwrap_or_else(|| encoding.stored(Linear(met.linear.to_array())));
        let at = |element: usize| {
            let mut met = all.iter().filter_map(|found| found[element]);
            if !blend || encoding == Encoding::Swatch {
                return met.min_by(|a, b| a.distance.total_cmp(&b.distance)).map(stored);
            }
            let first = met.next()?;
            let mut others = met.peekable();
            if others.peek().is_none() {
                return Some(stored(first));
            }
            // Inverse squares (Shepard 1968), levelled off where a surface lies on the part.
            let weight = |met: &Met| {
                let far = met.distance / within;
                1.0 / (far * far + LEVELLED * LEVELLED)
            };
            let (mut sum, mut whole) = (first.linear * weight(&first), weight(&first));
            for other in others {
                sum += other.linear * weight(&other);
                whole += weight(&other);
            }
            Some(stored(Met { linear: sum / whole, exact: None, ..first }))
        };
        Ok(((0..count).into_par_iter().with_min_len(1024).map(at).collect(), encoding))
    }
}

/// How near, as a share of the reach, sources count as lying on the part.
const LEVELLED: f32 = 0.01;

/// The values of a set with what was found laid on it.
pub(super) fn laid_on(
    own: Option<&ColorSet>,
    row: &Row,
    (placement, encoding): (Placement, Encoding),
    found: &[Option<Rgba>],
    limits: Option<&[f32]>,
) -> NewSet {
    let ground = own.map_or([1.0; 4], |own| own.ground);
    let before: Cow<[Rgba]> = match own {
        Some(own) => Cow::Borrowed(&own.values),
        None => Cow::Owned(vec![ground; found.len()]),
    };
    let is_locked: [bool; 4] =
        std::array::from_fn(|i| own.is_some_and(|own| own.channels[i].locked));
    let is_swatch = encoding == Encoding::Swatch;
    let value = |element: usize| {
        let was = before[element];
        let Some(found) = found[element] else { return was };
        let share = limits.map_or(1.0, |limits| limits[element]);
        std::array::from_fn(|i| match row.channels[i] {
            Some(from) if !is_locked[i] => {
                let new = found[usize::from(from)];
                let is_same = (new - was[i]).abs() < LAST_BITS;
                match () {
                    () if is_same || share <= 0.0 => was[i],
                    () if share >= 1.0 => new,
                    () if is_swatch => {
                        if share >= 0.5 {
                            new
                        } else {
                            was[i]
                        }
                    }
                    () => was[i] + (new - was[i]) * share,
                }
            }
            _ => was[i],
        })
    };
    let values = (0..found.len()).into_par_iter().with_min_len(1024).map(value).collect();
    let name = own.map_or(&row.name, |own| &own.name).clone();
    NewSet { name, placement, encoding: own.map_or(encoding, |own| own.encoding), ground, values }
}
