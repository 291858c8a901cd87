//! Which sets and channels go where.

use serde::{Deserialize, Serialize};
use speckle_color::Encoding;
use speckle_mesh::Placement;
use speckle_model::{
    MOST_SETS, Part, SetId,
    color_set::ChannelTraits,
    partners::{Known, partners},
};

use super::{Source, SourceImage, SourceSet, TransferError};

/// A set that goes somewhere.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = TransferRow))]
#[serde(deny_unknown_fields)]
pub struct Row {
    /// What it is called on the source.
    pub from: String,
    /// The part's set that it goes into; a new one when left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<SetId>,
    /// What a new one is called.
    pub name: String,
    /// What each value of a new one belongs to.
    pub placement: Placement,
    /// For each channel the source's that comes there, 0–3; none leaves it as it is.
    pub channels: [Option<u8>; 4],
}

/// All sets of the sources, each name once.
fn known(sources: &[Source]) -> Vec<&SourceSet> {
    let mut sets: Vec<&SourceSet> = Vec::new();
    for set in sources.iter().flat_map(|source| &source.sets) {
        if sets.iter().all(|known| known.name != set.name) {
            sets.push(set);
        }
    }
    sets
}

/// All images of the sources, each name once, but those that are called as a set is.
fn known_images<'a>(sources: &'a [Source], sets: &[&SourceSet]) -> Vec<&'a SourceImage> {
    let mut images: Vec<&SourceImage> = Vec::new();
    for image in sources.iter().flat_map(|source| &source.images) {
        let is_called = sets.iter().any(|set| set.name == image.name);
        if !is_called && images.iter().all(|known| known.name != image.name) {
            images.push(image);
        }
    }
    images
}

/// The table that is gone by where none is given: all sets, or the first image where there is no set.
pub(super) fn by_itself(part: &Part, sources: &[Source]) -> Vec<Row> {
    let sets = known(sources).len().max(1);
    proposal(part, sources).into_iter().take(sets).collect()
}

/// A table to start from: sets go by their names, channels by what they hold where that is said on
/// both sides, else by their places. What the part has no set for becomes a new one. Images come last,
/// each for a new set.
#[must_use]
pub fn proposal(part: &Part, sources: &[Source]) -> Vec<Row> {
    let sets = known(sources);
    let theirs: Vec<Known> = sets.iter().map(|set| (set.name.as_str(), set.placement)).collect();
    let ours: Vec<_> = part.products().collect();
    let partners = partners(&theirs, &part.known_sets());
    let row = |(set, own): (&&SourceSet, Option<usize>)| {
        let own = own.map(|nth| ours[nth]);
        Row {
            from: set.name.clone(),
            to: own.map(|own| own.id),
            name: own.map_or(&set.name, |own| &own.name).clone(),
            placement: own.map_or(set.placement, |own| own.placement),
            channels: match own {
                None => [0, 1, 2, 3].map(Some),
                Some(own) => by_meaning(&own.channels, &set.channels),
            },
        }
    };
    let images = known_images(sources, &sets);
    let image_row = |image: &&SourceImage| {
        let stem = image.name.rsplit_once('.').map_or(image.name.as_str(), |(stem, _)| stem);
        let own = ours.iter().find(|own| own.name == stem);
        Row {
            from: image.name.clone(),
            to: own.map(|own| own.id),
            name: stem.to_owned(),
            placement: own.map_or(Placement::Vertex, |own| own.placement),
            channels: [0, 1, 2, 3].map(Some),
        }
    };
    let images: Vec<Row> = images.iter().map(image_row).collect();
    sets.iter().zip(partners).map(row).chain(images).collect()
}

/// For each channel, the other side's that holds the same.
fn by_meaning(ours: &[ChannelTraits; 4], theirs: &[ChannelTraits; 4]) -> [Option<u8>; 4] {
    let said = |traits: &ChannelTraits| traits.meaning.trim().to_lowercase();
    let position = |wanted: &str| theirs.iter().position(|other| said(other) == wanted);
    std::array::from_fn(|i| {
        let wanted = said(&ours[i]);
        let found = if wanted.is_empty() { None } else { position(&wanted) };
        Some(found.unwrap_or(i) as u8)
    })
}

/// Whether a table can be gone by.
pub(super) fn check(part: &Part, sources: &[Source], rows: &[Row]) -> Result<(), TransferError> {
    if rows.iter().all(|row| row.channels.iter().all(Option::is_none)) {
        return Err(TransferError::NoRows);
    }
    let is_there = |name: &str| sources.iter().any(|source| source.names().any(|is| is == name));
    for (nth, row) in rows.iter().enumerate() {
        if !is_there(&row.from) {
            return Err(TransferError::NoSuchSet(row.from.clone()));
        }
        if let Some(&channel) = row.channels.iter().flatten().find(|&&channel| channel > 3) {
            return Err(TransferError::NoChannel(channel));
        }
        let own = part.products().find(|set| Some(set.id) == row.to);
        if let (Some(to), None) = (row.to, own) {
            let part = part.traits.name.clone();
            return Err(TransferError::NoTarget { part, set: to.0 });
        }
        let from =
            sources.iter().find_map(|source| source.sets.iter().find(|set| set.name == row.from));
        let holds_swatches = from.is_some_and(|from| from.encoding == Encoding::Swatch);
        let takes_swatches = match own {
            Some(own) => own.encoding == Encoding::Swatch,
            None => holds_swatches && row.placement == Placement::Face,
        };
        if holds_swatches != takes_swatches {
            let to = own.map_or(&row.name, |own| &own.name).clone();
            return Err(TransferError::Unlike { from: row.from.clone(), to });
        }
        let is_same = |other: &Row| match row.to {
            Some(_) => other.to == row.to,
            None => other.to.is_none() && other.name == row.name,
        };
        if rows[..nth].iter().any(is_same) {
            return Err(TransferError::Twice(own.map_or(&row.name, |own| &own.name).clone()));
        }
    }
    // Said before anything is looked up, which takes its time.
    let new = rows.iter().filter(|row| row.to.is_none()).count();
    let room = MOST_SETS.saturating_sub(part.products().count());
    if new > room {
        return Err(TransferError::NoRoom { part: part.traits.name.clone(), new, room });
    }
    Ok(())
}
