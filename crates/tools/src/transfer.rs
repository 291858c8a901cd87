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
mod source;
mod table;
mod trouble;
mod values;
mod votes;

use glam::{Vec3, Vec4};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::Rgba;
use speckle_mesh::{Geometry, MeshError, Placement};
use speckle_model::Part;

pub use gap::Gap;
pub use picture::SourceImage;
pub use report::{SetTransferred, TransferReport};
pub use source::{Source, SourceSet};
pub use speckle_model::recipe::source::Along;
pub use table::{Row, proposal};
pub use trouble::TransferError;

use crate::{bake::watch::Watch, replacing::ColorsTo};
use ground::{Facing, Ground};
use landing::Landing;
use limits::limits;
use search::{Near, Search};
use values::{Met, Work, laid_on};

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

/// Works out what transfers from and to a shape look for, if it has not been.
pub(crate) fn make_ready(geometry: &Geometry) {
    let _ = (geometry.near(), geometry.face_normals(), geometry.extent());
}

/// Works out on all cores what will be asked for of either side: much of each has to be done one thing after another.
fn look_ahead(target: &Ground, sources: &[Ground], along: Along) {
    rayon::join(
        || sources.iter().for_each(|source| source.make_ready(along)),
        || {
            let _ = target.geometry.vertex_normals();
            if sources.iter().any(|source| !target.is(source)) {
                target.make_ready(Along::Nearest);
                let _ = target.geometry.fans();
            }
        },
    );
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
    look_ahead(&target, &grounds, rules.along);
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
    look_ahead(&target, std::slice::from_ref(&ground), rules.along);
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
        let (found, _) = self.ground.near(place, facing);
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
