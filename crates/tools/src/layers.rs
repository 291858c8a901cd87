//! What a printer with several spools does: a model cut into layers, the swatches in each, and the order in
//! which they print with the fewest changes.
//!
//! Paint on a face goes so deep into the layer, or right through: then every place has the swatch of the
//! outline nearest to it. Areas are those of the outlines; how swatches share them is counted in cells half
//! a line wide.

mod cells;
mod changes;

use glam::{Affine3A, DVec2};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{
    Geometry,
    slice::{Outline, Slicer},
};

pub use changes::{Costs, best_order};

use crate::bake::watch::{GivenUp, Watch};
use cells::Cells;

/// How deep paint goes into a layer.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = PaintDepth))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Depth {
    /// Everywhere the swatch of the nearest outline.
    #[default]
    Through,
    /// So far from the outline; the base swatch further within.
    Within {
        /// In the project's unit.
        distance: f64,
    },
}

/// How a model is cut. Lengths are in the project's unit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LayerRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// How high a layer is.
    pub layer: f64,
    /// How high the first one is.
    pub first: f64,
    /// How wide a line is.
    pub line: f64,
    /// How deep paint goes.
    #[serde(default)]
    pub depth: Depth,
}

/// Why a model cannot be cut.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum LayerError {
    /// A number makes no sense.
    #[error("the height of layers, the width of lines and the depth of paint are numbers above 0")]
    Unsound,
    /// There is nothing to print.
    #[error("there is nothing to print: no part has a surface")]
    Nothing,
    /// It would be too many layers.
    #[error(
        "it would be {0} layers, more than the {MOST_LAYERS} that are reckoned: take higher ones"
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

/// A part on the plate.
pub struct Body<'a> {
    /// Its shape.
    pub geometry: &'a Geometry,
    /// To where z is up.
    pub to_plate: Affine3A,
    /// The swatch of each face.
    pub of_faces: &'a [u8],
    /// The swatch of what lies deeper than paint goes.
    pub base: u8,
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

/// Cuts bodies into layers and finds what prints in each; changes cost alike.
///
/// # Errors
/// See [`LayerError`].
pub fn plan(bodies: &[Body], rules: &Rules, watch: &Watch) -> Result<Plan, LayerError> {
    plan_by(bodies, rules, &|_, _| 1.0, watch)
}

/// The same with what each change from a swatch to another costs.
///
/// # Errors
/// See [`LayerError`].
pub fn plan_by(
    bodies: &[Body],
    rules: &Rules,
    costs: Costs,
    watch: &Watch,
) -> Result<Plan, LayerError> {
    let is_length = |x: f64| x.is_finite() && x > 0.0;
    let deep = match rules.depth {
        Depth::Through => f64::INFINITY,
        Depth::Within { distance } if is_length(distance) => distance,
        Depth::Within { .. } => return Err(LayerError::Unsound),
    };
    if ![rules.layer, rules.first, rules.line].into_iter().all(is_length) {
        return Err(LayerError::Unsound);
    }
    let slicers: Vec<Slicer> =
        bodies.iter().map(|body| Slicer::new(body.geometry, &body.to_plate)).collect();
    let ranges: Vec<(f64, f64)> = slicers.iter().filter_map(Slicer::range).collect();
    let lowest = ranges.iter().map(|range| range.0).fold(f64::MAX, f64::min);
    let highest = ranges.iter().map(|range| range.1).fold(f64::MIN, f64::max);
    if ranges.is_empty() || highest <= lowest {
        return Err(LayerError::Nothing);
    }
    // What reaches less than half way into a layer does not print.
    let above = (highest - lowest - rules.first) / rules.layer;
    let count = 1 + above.round().max(0.0) as usize;
    if count > MOST_LAYERS {
        return Err(LayerError::TooMany(count));
    }
    let bottom = |layer: usize| match layer {
        0 => 0.0,
        layer => rules.first + (layer - 1) as f64 * rules.layer,
    };
    let height = |layer: usize| if layer == 0 { rules.first } else { rules.layer };
    let middles: Vec<f64> =
        (0..count).map(|layer| lowest + bottom(layer) + height(layer) / 2.0).collect();
    watch.expect(count as u64 + 1);
    let cut: Vec<Vec<Vec<Outline>>> = slicers.iter().map(|slicer| slicer.cut(&middles)).collect();
    watch.step()?;
    let found: Vec<Found> = (0..count)
        .into_par_iter()
        .with_max_len(1)
        .map(|layer| {
            watch.step()?;
            let own: Vec<(&[Outline], &Body)> =
                cut.iter().zip(bodies).map(|(cut, body)| (cut[layer].as_slice(), body)).collect();
            Ok(found_in(&own, rules.line, deep))
        })
        .collect::<Result<_, GivenUp>>()?;
    let present: Vec<Vec<u8>> = found
        .iter()
        .map(|found| found.swatches.iter().map(|(swatch, _)| *swatch).collect())
        .collect();
    let orders = best_order(&present, costs);
    let changes = changes(orders.iter().map(Vec::as_slice));
    let open = found.iter().filter(|found| found.is_open).count();
    let overlapping = found.iter().filter(|found| found.overlaps).count();
    let layers = found.into_iter().zip(orders).enumerate().map(|(layer, (found, order))| Layer {
        bottom: bottom(layer),
        height: height(layer),
        area: found.area,
        swatches: found.swatches,
        order,
    });
    Ok(Plan { layers: layers.collect(), changes, open, overlapping })
}

/// What lies in a layer.
struct Found {
    area: f64,
    swatches: Vec<(u8, f64)>,
    is_open: bool,
    overlaps: bool,
}

/// A stretch of an outline, with its swatch and the base of what it is the rim of.
#[derive(Clone, Copy)]
struct Stretch {
    from: DVec2,
    to: DVec2,
    swatch: u8,
    base: u8,
}

fn found_in(bodies: &[(&[Outline], &Body)], line: f64, deep: f64) -> Found {
    let (mut area, mut is_open) = (0.0, false);
    let mut stretches: Vec<Stretch> = Vec::new();
    for (outlines, body) in bodies {
        for outline in *outlines {
            // What does not close is closed straight: else the layer has no inside.
            is_open |= !outline.is_closed;
            area += outline.area();
            let points = &outline.points;
            for i in 0..points.len() {
                let (from, to) = (points[i], points[(i + 1) % points.len()]);
                let face = outline.faces.get(i).or(outline.faces.last());
                let swatch = face.map_or(body.base, |&face| body.of_faces[face as usize]);
                stretches.push(Stretch { from, to, swatch, base: body.base });
            }
        }
    }
    if stretches.is_empty() {
        return Found { area: 0.0, swatches: Vec::new(), is_open, overlaps: false };
    }
    let cells = Cells::of(&stretches, line / 2.0);
    let (counts, whole, overlaps) = cells.counted(deep);
    // Where shells lie within each other their outlines count twice: the cells do not.
    let area = if overlaps { whole as f64 * cells.size() } else { area.max(0.0) };
    let mut swatches: Vec<(u8, f64)> = (0..=255_u8)
        .zip(counts)
        .filter(|(_, count)| *count > 0)
        .map(|(swatch, count)| (swatch, area * count as f64 / whole.max(1) as f64))
        .collect();
    if swatches.is_empty() && area > 0.0 {
        // Thinner than a cell everywhere: what most of its outline has.
        let mut lengths = [0.0_f64; 256];
        for stretch in &stretches {
            lengths[usize::from(stretch.swatch)] += stretch.from.distance(stretch.to);
        }
        let most = (0..=255_u8).max_by(|&a, &b| {
            lengths[usize::from(a)].total_cmp(&lengths[usize::from(b)]).then(b.cmp(&a))
        });
        swatches.extend(most.map(|swatch| (swatch, area)));
    }
    Found { area, swatches, is_open, overlaps }
}
