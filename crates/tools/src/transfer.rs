//! Values carried from surfaces to another part, wherever the two lie together.
//!
//! Each element of the target is looked up on the source: at the nearest point of it, or along its
//! normal, within a distance and as far as the two look the same way there. Where the source is finer
//! than the target, an element takes the mean of all that lands on the area it stands for, so that a
//! fine pattern does not turn into another one; where it is coarser, what the source shows between its
//! own elements. Means and mixes are of light where the values are colors.

mod fill;
mod gap;
mod ground;
mod landing;
mod limits;
mod picture;
mod report;
mod search;
mod table;
mod votes;

use std::{borrow::Cow, sync::Arc};

use glam::{Vec3, Vec4};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Linear, Rgba};
use speckle_mesh::{Geometry, MeshError, Placement, transform::Transform};
use speckle_model::{
    ColorSet, ImageRecord, Materials, NewPart, NewSet, Part,
    color_set::{ChannelTraits, Role},
};

pub use gap::Gap;
pub(crate) use landing::middles;
pub use picture::SourceImage;
pub use report::{SetTransferred, TransferReport};
pub use speckle_model::recipe::source::Along;
pub use table::{Row, proposal};

use crate::{
    bake::watch::{GivenUp, Watch},
    replacing::{ColorsTo, LAST_BITS, held_as_ours, stands_as_modelled},
};
use ground::{Facing, Ground};
use landing::Landing;
use limits::limits;
use picture::Shown;
use search::{Near, Search};

/// What becomes of elements that find no source.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum WhatIsLost {
    /// They stay as they are.
    #[default]
    Stays,
    /// They are filled in along the surface from those around that found one.
    IsFilled,
}

/// How values are carried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = TransferRules))]
#[serde(default, deny_unknown_fields)]
pub struct Rules {
    /// How places are found.
    pub along: Along,
    /// How far the two surfaces may lie apart, in the project's unit; measured when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub within: Option<f32>,
    /// By how much the two surfaces may look different ways, degrees, 0–180.
    pub angle_degrees: f32,
    /// Where several sources are there: whether they are blended by how near they are, or the nearest
    /// one wins.
    pub blend: bool,
    /// What becomes of elements that find no source.
    pub lost: WhatIsLost,
    /// Whether those elements are kept as a selection.
    pub keep_lost: bool,
    /// Nothing changes but in this selection or group.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub only: Option<String>,
    /// Which sets and channels go where; proposed by name and meaning when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rows: Option<Vec<Row>>,
}

impl Default for Rules {
    fn default() -> Self {
        Self {
            along: Along::Nearest,
            within: None,
            angle_degrees: 90.0,
            blend: false,
            lost: WhatIsLost::Stays,
            keep_lost: false,
            only: None,
            rows: None,
        }
    }
}

impl Rules {
    /// The same for another part: sets of one that rows name mean those of the same name there, or new ones.
    #[must_use]
    pub fn on(&self, own: &Part, other: &Part) -> Self {
        let mut there = self.clone();
        for row in there.rows.iter_mut().flatten() {
            let meant = own.sets.iter().find(|set| Some(set.id) == row.to);
            if let Some(meant) = meant {
                row.name.clone_from(&meant.name);
            }
            row.to = other.products().find(|set| set.name == row.name).map(|set| set.id);
        }
        there
    }
}

/// Why nothing can be transferred.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum TransferError {
    /// There is nothing to take colors from.
    #[error("{0} carries no colors: choose another source, or give it a set first")]
    NoSets(String),
    /// An image cannot be unpacked.
    #[error("the image {name} {cause}")]
    UnreadImage {
        /// Its name.
        name: String,
        /// Why.
        cause: String,
    },
    /// No source was chosen.
    #[error("nothing is chosen to take colors from")]
    NoSource,
    /// No row says what goes where.
    #[error("no set is chosen to go anywhere")]
    NoRows,
    /// A row names a set that no source has.
    #[error("no source has a set {0}")]
    NoSuchSet(String),
    /// A row names a set of the part that is gone.
    #[error("{part} has no set of the number {set} any more: look at the table again")]
    NoTarget {
        /// The part.
        part: String,
        /// The set.
        set: u32,
    },
    /// Numbers of swatches do not go into colors, nor colors into them.
    #[error(
        "{from} and {to} cannot go into each other: one holds swatches; choose another set for it"
    )]
    Unlike {
        /// What would come.
        from: String,
        /// Where it would go.
        to: String,
    },
    /// A row names a channel that there is not.
    #[error("channels are numbered 0 to 3, and there is no {0}")]
    NoChannel(u8),
    /// Two rows want one set.
    #[error("two rows of the table go into {0}: put one of them elsewhere")]
    Twice(String),
    /// A part takes no more sets.
    #[error(
        "{new} sets would be new on {part}, which has room for {room}: let some go into sets that are there, or leave some out"
    )]
    NoRoom {
        /// The part.
        part: String,
        /// How many would be new.
        new: usize,
        /// How many it takes.
        room: usize,
    },
    /// There is no such selection.
    #[error("{part} has no selection or group called {name}")]
    NoSelection {
        /// The part.
        part: String,
        /// Its name.
        name: String,
    },
    /// The surfaces do not meet.
    #[error(
        "nothing of the source lies within {within} of {part}: the nearest point is {nearest} away. Let it reach further, or put the two where they belong"
    )]
    Apart {
        /// The part.
        part: String,
        /// How far was looked, with its unit left to the reader.
        within: f32,
        /// The least distance.
        nearest: f32,
    },
    /// All that is near looks another way.
    #[error(
        "the source lies at {part}, but looks another way everywhere: turn one of them inside out, or let the two look further apart"
    )]
    OtherWay {
        /// The part.
        part: String,
    },
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// The points cannot be brought to where the part stands.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// Someone gave it up.
    #[error("given up")]
    GivenUp,
}

impl From<GivenUp> for TransferError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

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
    fn linear(&self) -> Vec<Vec4> {
        let linear = |&value: &Rgba| Vec4::from_array(self.encoding.linear(value).0);
        self.values.par_iter().with_min_len(1024).map(linear).collect()
    }
}

/// What a transfer comes to.
#[derive(Clone, Debug)]
pub struct Transferred {
    /// Values for the sets of the part.
    pub colors: ColorsTo,
    /// For every vertex whether it found no source.
    pub lost: Vec<bool>,
    /// What it does.
    pub report: TransferReport,
}

/// Plans a transfer.
///
/// # Errors
/// See [`TransferError`].
pub fn transfer(
    part: &Part,
    sources: &[Source],
    rules: &Rules,
    watch: &Watch,
) -> Result<Transferred, TransferError> {
    watch.expect(STEPS);
    carried(part, sources, rules, watch)
}

/// How many steps [`carried`] says it has done.
pub(crate) const STEPS: u64 = 4;

/// The same where the steps are expected already.
pub(crate) fn carried(
    part: &Part,
    sources: &[Source],
    rules: &Rules,
    watch: &Watch,
) -> Result<Transferred, TransferError> {
    if sources.is_empty() {
        return Err(TransferError::NoSource);
    }
    if let Some(bare) = sources.iter().find(|source| source.names().next().is_none()) {
        return Err(TransferError::NoSets(bare.name.clone()));
    }
    if !(0.0..=180.0).contains(&rules.angle_degrees) {
        return Err(TransferError::Unsound("the angle lies between 0° and 180°"));
    }
    if rules.within.is_some_and(|within| !(within.is_finite() && within > 0.0)) {
        return Err(TransferError::Unsound("the distance is a number above 0"));
    }
    let rows = match &rules.rows {
        Some(rows) => rows.clone(),
        None => table::by_itself(part, sources),
    };
    table::check(part, sources, &rows)?;
    let limits = limits(part, rules.only.as_deref())?;
    let target = Ground::new(&part.geometry, &part.traits.transform)?;
    let grounds: Vec<Ground> = sources
        .iter()
        .map(|source| Ground::new(&source.geometry, &source.transform))
        .collect::<Result<_, _>>()?;
    let near: Vec<Near> = grounds.iter().map(|ground| Near::new(&target, ground, rules)).collect();
    let vertices = used_vertices(&part.geometry);
    let gap = Gap::measure(&target, &near, &vertices);
    watch.step()?;
    let within = rules.within.unwrap_or(gap.suggested);
    let searches: Vec<Search> = near.iter().map(|near| Search::new(near, within)).collect();
    let is_lost = |vertex: usize| searches.iter().all(|s| s.distance(vertex).is_none());
    let lost: Vec<bool> = (0..part.geometry.mesh().vertex_count()).map(is_lost).collect();
    let lost_count = vertices.iter().filter(|&&vertex| lost[vertex as usize]).count();
    if lost_count == vertices.len() {
        let part = part.traits.name.clone();
        return Err(if gap.least <= within {
            TransferError::OtherWay { part }
        } else {
            TransferError::Apart { part, within, nearest: gap.least }
        });
    }
    watch.step()?;
    let landings: Vec<Landing> = searches.iter().map(Landing::new).collect();
    let are_averaged: Vec<_> = landings
        .iter()
        .zip(sources)
        .map(|(landing, source)| {
            let set = source.sets.iter().find(|set| rows.iter().any(|row| row.from == set.name));
            set.map(|set| landing.are_averaged(set.placement))
        })
        .collect();
    let is_averaged = |vertex: &&u32| are_averaged.iter().flatten().any(|is| is(**vertex as usize));
    let averaged = vertices.par_iter().with_min_len(1024).filter(is_averaged).count();
    watch.step()?;
    let mut colors = ColorsTo::new();
    let mut told = Vec::new();
    for row in &rows {
        watch.check()?;
        let own = row.to.and_then(|to| part.sets.iter().find(|set| set.id == to));
        let placement = own.map_or(row.placement, |own| own.placement);
        let work = Work { part, sources, searches: &searches, landings: &landings, row };
        let wanted = own.map(|own| own.encoding);
        let (mut found, encoding) = work.values(placement, wanted, rules.blend)?;
        if rules.lost == WhatIsLost::IsFilled {
            fill::fill(&part.geometry, (placement, encoding), &mut found);
        }
        let limits = limits.as_ref().map(|limits| limits.shares(part, placement));
        let new = laid_on(own, row, (placement, encoding), &found, limits.as_deref());
        told.push(SetTransferred::of(own, row, &new));
        colors.push((own.map(|own| own.id), new));
    }
    watch.advance(1);
    let report = TransferReport {
        within,
        vertices: vertices.len(),
        lost: lost_count,
        averaged,
        rows,
        sets: told,
        gap,
    };
    Ok(Transferred { colors, lost, report })
}

/// What each element of a part has of one set of a source, along the surface from those around where
/// it finds no place of its own; nothing where none of those does either.
///
/// # Errors
/// See [`TransferError`].
pub(crate) fn followed(
    part: &Part,
    source: &Source,
    (set, placement): (&str, Placement),
    rules: &Rules,
    watch: &Watch,
) -> Result<Vec<Option<Rgba>>, TransferError> {
    let row = Row {
        from: set.to_owned(),
        to: None,
        name: set.to_owned(),
        placement,
        channels: [0, 1, 2, 3].map(Some),
    };
    let sources = std::slice::from_ref(source);
    let target = Ground::new(&part.geometry, &part.traits.transform)?;
    let ground = Ground::new(&source.geometry, &source.transform)?;
    let near = [Near::new(&target, &ground, rules)];
    watch.check()?;
    let within = match rules.within {
        Some(within) => within,
        None => Gap::measure(&target, &near, &used_vertices(&part.geometry)).suggested,
    };
    let searches = [Search::new(&near[0], within)];
    let landings = [Landing::new(&searches[0])];
    watch.check()?;
    let work = Work { part, sources, searches: &searches, landings: &landings, row: &row };
    let (mut found, encoding) = work.values(placement, None, false)?;
    watch.check()?;
    fill::fill(&part.geometry, (placement, encoding), &mut found);
    Ok(found)
}

/// The colors of a source, place by place.
pub(crate) struct Colors<'a> {
    ground: Ground,
    set: &'a SourceSet,
    linear: Vec<Vec4>,
}

impl<'a> Colors<'a> {
    /// Of a source with one set.
    ///
    /// # Errors
    /// When it cannot be brought to where it stands.
    pub(crate) fn new(source: &'a Source) -> Result<Self, MeshError> {
        let ground = Ground::new(&source.geometry, &source.transform)?;
        ground.make_ready(Along::Nearest);
        let set = &source.sets[0];
        Ok(Self { ground, set, linear: set.linear() })
    }

    /// What it shows nearest to a place, of what looks the same way.
    pub(crate) fn at(&self, place: Vec3, normal: Vec3) -> Vec4 {
        let facing = Facing { normal, least: 0.0 };
        let (found, _) = self.ground.near(place, facing, f32::MAX);
        let Some(found) = found else { return Vec4::ZERO };
        let geometry = &self.ground.geometry;
        let corners = geometry.triangulation().corners()[found.triangle as usize];
        let value =
            |corner: u32| self.linear[geometry.element_at(self.set.placement, corner as usize)];
        corners.into_iter().zip(found.weights).map(|(corner, w)| value(corner) * w).sum()
    }
}

/// The vertices that faces use.
fn used_vertices(geometry: &Geometry) -> Vec<u32> {
    let mesh = geometry.mesh();
    let mut is_used = vec![false; mesh.vertex_count()];
    mesh.corner_vertices().iter().for_each(|&vertex| is_used[vertex as usize] = true);
    (0_u32..).zip(is_used).filter_map(|(vertex, is_used)| is_used.then_some(vertex)).collect()
}

/// What is carried along one row of the table.
struct Work<'a> {
    part: &'a Part,
    sources: &'a [Source],
    searches: &'a [Search<'a>],
    landings: &'a [Landing<'a>],
    row: &'a Row,
}

/// A value that was found, to be added up, and how far away; whether it is one value as it is stored.
#[derive(Clone, Copy, Debug)]
struct Met {
    linear: Vec4,
    exact: Option<Rgba>,
    distance: f32,
}

impl Work<'_> {
    /// What each element of a placement finds, as the source stores it.
    /// An image is what the set that it goes to takes it for.
    fn values(
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
fn laid_on(
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
