//! What a printer with several spools does: a model cut into layers, the swatches in each, and the order in
//! which they print with the fewest changes.
//!
//! Paint on a face goes so deep into the layer, and what lies further within is one swatch; or right through:
//! then every place has the swatch of the outline nearest to it. Areas are those of the outlines; how swatches
//! share them is counted in cells half a line wide.

mod causes;
mod cells;
mod changes;
mod costs;
mod found;
mod paper;
mod plate;
mod seams;
mod setup;
mod stack;

use std::sync::Arc;

use glam::{Affine3A, Mat3, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{
    Geometry, Unit, UpAxis,
    slice::{Outline, Slicer},
};

pub use causes::{Band, Cause, Ground, Remedy, Situation, causes};
pub use cells::CellMap;
pub use changes::{Costs, best_order};
pub use costs::{Estimate, Pace, PurgedPair, SwatchCost, estimate};
pub use paper::{Swap, chart, page, swap_list};
pub use plate::{BestTurn, Footprint, Plate, PlateTold};
pub use seams::{Seam, SeamMarks, SeamReason};
pub use setup::PrintSetup;
pub use stack::{MOST_RANGES, Range};

use crate::bake::watch::{GivenUp, Watch};
use cells::Cells;
use found::{Found, Stretch, found_in, stretches_of};
use stack::Stack;

/// What lies further within a layer than paint goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LayerInside))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Inside {
    /// Paint goes right through: the swatch of the nearest outline.
    #[default]
    Nearest,
    /// One swatch.
    Swatch {
        /// Its number, from 0.
        swatch: u8,
    },
}

/// How a model is cut. Lengths are in the project's unit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LayerRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// How high a layer is.
    pub layer: f64,
    /// How high the first one is.
    pub first: f64,
    /// How wide a line is.
    pub line: f64,
    /// How deep paint goes from the outline.
    pub depth: f64,
    /// Where layers are higher or lower; of two that overlap, the first says it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ranges: Vec<Range>,
}

impl Rules {
    /// What makes them impossible.
    #[must_use]
    pub fn problem(&self) -> Option<LayerError> {
        let is_length = |x: f64| x.is_finite() && x > 0.0;
        if ![self.layer, self.first, self.line, self.depth].into_iter().all(is_length) {
            return Some(LayerError::Unsound);
        }
        let are_sound = self.ranges.iter().all(Range::is_sound);
        (self.ranges.len() > MOST_RANGES || !are_sound).then_some(LayerError::Ranges)
    }
}

/// Why a model cannot be cut.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum LayerError {
    /// A number makes no sense.
    #[error("the height of layers, the width of lines and the depth of paint are numbers above 0")]
    Unsound,
    /// Ranges of layers make no sense.
    #[error(
        "a range of layers reaches from one height up to another, its layers higher than 0; there are {MOST_RANGES} \
         at most"
    )]
    Ranges,
    /// There is nothing to print.
    #[error("there is nothing to print: no part has a surface")]
    Nothing,
    /// It would be too many layers.
    #[error(
        "it would be {0} layers, more than the {MOST_LAYERS} that are reckoned: take higher ones, or a smaller print"
    )]
    TooMany(usize),
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
}

impl From<GivenUp> for LayerError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// The most layers.
pub const MOST_LAYERS: usize = 20_000;

/// Of no layer, and of all together, more cells are looked at than these: in larger ones they are larger.
const MOST_CELLS: f64 = 4e6;
const CELLS_IN_ALL: f64 = 2e9;

/// A part on the plate.
pub struct Body<'a> {
    /// Its shape.
    pub geometry: &'a Geometry,
    /// To where z is up.
    pub to_plate: Affine3A,
    /// The swatch of each face.
    pub of_faces: &'a [u8],
}

/// How high bodies stand together, in millimetres.
#[must_use]
pub fn height_of(bodies: &[Body]) -> f64 {
    let ranges =
        bodies.iter().filter_map(|body| Slicer::new(body.geometry, &body.to_plate).range());
    let (low, high) = ranges
        .fold((f64::MAX, f64::MIN), |(low, high), range| (low.min(range.0), high.max(range.1)));
    (high - low).max(0.0)
}

/// Scales bodies evenly about the plate's origin.
pub fn scale(bodies: &mut [Body], by: f64) {
    for body in bodies {
        body.to_plate = Affine3A::from_scale(Vec3::splat(by as f32)) * body.to_plate;
    }
}

/// From a project's space to the plate, in millimetres with z up.
#[must_use]
pub fn to_plate(unit: Unit, up: UpAxis) -> Affine3A {
    let turn = match up {
        UpAxis::Z => Mat3::IDENTITY,
        UpAxis::Y => Mat3::from_cols(Vec3::X, Vec3::Z, Vec3::NEG_Y),
    };
    Affine3A::from_mat3(turn * (unit.metres() * 1e3) as f32)
}

/// A layer.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Layer {
    /// Where it begins, above the plate.
    pub bottom: f64,
    /// How high it is.
    pub height: f64,
    /// How large it is.
    pub area: f64,
    /// The swatches in it, ascending, each with its area.
    pub swatches: Vec<(u8, f64)>,
    /// Its swatches in the order in which they print.
    pub order: Vec<u8>,
}

/// All layers of a model.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Plan {
    /// From the plate upwards.
    pub layers: Vec<Layer>,
    /// How often the spool changes.
    pub changes: usize,
    /// In how many layers an outline does not close: the surface has holes there.
    pub open: usize,
    /// In how many layers parts or shells lie within each other.
    pub overlapping: usize,
}

impl Plan {
    /// The volume of each swatch, ascending.
    #[must_use]
    pub fn volumes(&self) -> Vec<(u8, f64)> {
        let mut volumes = std::collections::BTreeMap::new();
        for layer in &self.layers {
            for &(swatch, area) in &layer.swatches {
                *volumes.entry(swatch).or_insert(0.0) += area * layer.height;
            }
        }
        volumes.into_iter().collect()
    }
}

/// The changes of spool in layers whose swatches print in an order.
#[must_use]
pub fn changes<'a>(orders: impl IntoIterator<Item = &'a [u8]>) -> usize {
    let mut last = None;
    let mut count = 0;
    for &swatch in orders.into_iter().flatten() {
        count += usize::from(last.is_some_and(|last| last != swatch));
        last = Some(swatch);
    }
    count
}

/// A model cut into layers, and how swatches lie in each, whatever lies further within.
#[derive(Clone, Debug, PartialEq)]
pub struct Counted {
    layers: Vec<Found>,
    stack: Arc<Stack>,
    lowest: f64,
}

/// Cuts bodies into layers and finds what lies in each. Rules are in millimetres, as the plate is.
///
/// # Errors
/// See [`LayerError`].
pub fn count(bodies: &[Body], rules: &Rules, watch: &Watch) -> Result<Counted, LayerError> {
    let swatches: Vec<&[u8]> = bodies.iter().map(|body| body.of_faces).collect();
    Ok(Cut::of(bodies, rules, watch)?.count(&swatches, watch)?)
}

/// The outlines of all layers, whatever they are painted in.
pub struct Cut {
    /// By body, by layer.
    outlines: Vec<Vec<Vec<Outline>>>,
    rules: Rules,
    stack: Arc<Stack>,
    lowest: f64,
    most_cells: f64,
}

impl Cut {
    /// Cuts bodies. Rules are in millimetres, as the plate is.
    ///
    /// # Errors
    /// See [`LayerError`].
    pub fn of(bodies: &[Body], rules: &Rules, watch: &Watch) -> Result<Self, LayerError> {
        if let Some(problem) = rules.problem() {
            return Err(problem);
        }
        let slicers: Vec<Slicer> =
            bodies.iter().map(|body| Slicer::new(body.geometry, &body.to_plate)).collect();
        let ranges: Vec<(f64, f64)> = slicers.iter().filter_map(Slicer::range).collect();
        let lowest = ranges.iter().map(|range| range.0).fold(f64::MAX, f64::min);
        let highest = ranges.iter().map(|range| range.1).fold(f64::MIN, f64::max);
        if ranges.is_empty() || highest <= lowest {
            return Err(LayerError::Nothing);
        }
        let stack = Stack::new(rules, highest - lowest)?;
        let count = stack.len();
        let middles: Vec<f64> = (0..count).map(|layer| lowest + stack.middle(layer)).collect();
        let most_cells = MOST_CELLS.min(CELLS_IN_ALL / count as f64);
        watch.expect(count as u64 + 1);
        let outlines: Vec<Vec<Vec<Outline>>> =
            slicers.iter().map(|slicer| slicer.cut(&middles)).collect();
        watch.step()?;
        Ok(Self { outlines, rules: rules.clone(), stack: Arc::new(stack), lowest, most_cells })
    }

    /// How many layers there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.outlines.first().map_or(0, Vec::len)
    }

    /// Whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Where a layer's outlines lie, and which swatch its body's faces have.
    fn layer<'a>(&'a self, layer: usize, swatches: &'a [&[u8]]) -> Vec<(&'a [Outline], &'a [u8])> {
        let cut = self.outlines.iter().map(|cut| cut[layer].as_slice());
        cut.zip(swatches.iter().copied()).collect()
    }

    /// The outlines of a layer, each as stretches of one swatch: x, y, x, y in the plate's space. Nothing where
    /// there is no such layer.
    #[must_use]
    pub fn drawn(&self, layer: usize, swatches: &[&[u8]]) -> Vec<(u8, [f64; 4])> {
        if layer >= self.len() {
            return Vec::new();
        }
        let (stretches, _) = stretches_of(&self.layer(layer, swatches));
        let line = |Stretch { from, to, swatch }| (swatch, [from.x, from.y, to.x, to.y]);
        stretches.into_iter().map(line).collect()
    }

    /// A layer seen from above, in at most so many cells, none narrower than half a line; its swatches are
    /// numbers below 64. Nothing where there is no such layer, or nothing in it.
    #[must_use]
    pub fn seen_from_above(&self, layer: usize, swatches: &[&[u8]], most: f64) -> Option<CellMap> {
        if layer >= self.len() {
            return None;
        }
        let stretches = stretches_of(&self.layer(layer, swatches)).0;
        (!stretches.is_empty())
            .then(|| Cells::of(&stretches, self.rules.line / 2.0, most).map(self.rules.depth))
    }

    /// Finds what lies in each layer, by the swatch of each face of each body.
    ///
    /// # Errors
    /// When it is given up.
    pub fn count(&self, swatches: &[&[u8]], watch: &Watch) -> Result<Counted, GivenUp> {
        self.counted(swatches, watch, |_| None)
    }

    /// The same where it is known for other swatches: only layers that a changed face lies in are looked at
    /// again.
    ///
    /// # Errors
    /// When it is given up.
    pub fn recount(
        &self,
        known: &Counted,
        before: &[&[u8]],
        now: &[&[u8]],
        watch: &Watch,
    ) -> Result<Counted, GivenUp> {
        let is_same = |layer: usize| {
            self.outlines.iter().zip(before.iter().zip(now)).all(|(cut, (before, now))| {
                let faces = cut[layer].iter().flat_map(|outline| &outline.faces);
                faces.copied().all(|face| before[face as usize] == now[face as usize])
            })
        };
        self.counted(now, watch, |layer| is_same(layer).then(|| known.layers[layer].clone()))
    }

    fn counted(
        &self,
        swatches: &[&[u8]],
        watch: &Watch,
        known: impl Fn(usize) -> Option<Found> + Sync,
    ) -> Result<Counted, GivenUp> {
        let layers = (0..self.len())
            .into_par_iter()
            .with_max_len(1)
            .map(|layer| {
                watch.step()?;
                let found = || found_in(&self.layer(layer, swatches), &self.rules, self.most_cells);
                Ok(known(layer).unwrap_or_else(found))
            })
            .collect::<Result<_, GivenUp>>()?;
        Ok(Counted { layers, stack: self.stack.clone(), lowest: self.lowest })
    }
}

impl Counted {
    /// How many layers there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.layers.len()
    }

    /// Whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.layers.is_empty()
    }

    /// The height in the plate's space at which the first layer begins.
    #[must_use]
    pub fn lowest(&self) -> f64 {
        self.lowest
    }

    /// From where to where layers reach, above the plate; both are counted in.
    #[must_use]
    pub fn heights(&self, first: usize, last: usize) -> [f64; 2] {
        [self.stack.bottom(first), self.stack.bottom(last + 1)]
    }

    /// The height in the plate's space at which a layer was cut.
    #[must_use]
    pub fn cut_at(&self, layer: usize) -> f64 {
        self.lowest + self.stack.middle(layer)
    }

    /// The same where paint goes right through between heights above the plate.
    #[must_use]
    pub fn through(mut self, ranges: &[[f64; 2]]) -> Self {
        for (layer, found) in self.layers.iter_mut().enumerate() {
            let middle = self.stack.middle(layer);
            found.is_through |= ranges.iter().any(|[from, to]| (*from..*to).contains(&middle));
        }
        self
    }

    /// What prints where, and in the order in which changes cost least; they all cost alike.
    #[must_use]
    pub fn plan(&self, inside: Inside) -> Plan {
        self.plan_by(inside, &|_, _| 1.0)
    }

    /// The same with what each change from a swatch to another costs.
    #[must_use]
    pub fn plan_by(&self, inside: Inside, costs: Costs) -> Plan {
        let areas: Vec<Vec<(u8, f64)>> = self.layers.iter().map(|own| own.areas(inside)).collect();
        let present: Vec<Vec<u8>> =
            areas.iter().map(|areas| areas.iter().map(|(swatch, _)| *swatch).collect()).collect();
        let orders = best_order(&present, costs);
        let changes = changes(orders.iter().map(Vec::as_slice));
        let layers = areas.into_iter().zip(orders).enumerate().map(|(layer, (swatches, order))| {
            let (bottom, height) = (self.stack.bottom(layer), self.stack.height(layer));
            Layer { bottom, height, area: self.layers[layer].area, swatches, order }
        });
        Plan {
            layers: layers.collect(),
            changes,
            open: self.layers.iter().filter(|own| own.is_open).count(),
            overlapping: self.layers.iter().filter(|own| own.overlaps).count(),
        }
    }
}
