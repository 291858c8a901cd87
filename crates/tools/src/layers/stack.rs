//! Where layers lie over one another, when not all of them are as high.

use serde::{Deserialize, Serialize};

use super::{LayerError, MOST_LAYERS, Rules};

/// Between two heights layers are as high as it says. Millimetres above the plate.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LayerRange))]
#[serde(deny_unknown_fields)]
pub struct Range {
    /// Where they begin.
    pub from: f64,
    /// Where they end.
    pub to: f64,
    /// How high each is.
    pub layer: f64,
}

/// The most ranges of layers of another height.
pub const MOST_RANGES: usize = 64;

/// What is no further apart is at the same height.
const HAIR: f64 = 1e-9;

impl Range {
    /// Whether it reaches from one height up to another.
    pub(super) fn is_sound(&self) -> bool {
        let is_high = self.layer.is_finite() && self.layer > 0.0;
        is_high && self.from >= 0.0 && self.to > self.from && self.to.is_finite()
    }
}

/// Where layers begin and end.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Stack {
    /// Where each begins, and where the last one ends.
    borders: Vec<f64>,
}

impl Stack {
    /// The layers of something so high. What reaches less than half way into a layer does not print. A layer
    /// that would reach over an end of a range ends there, if half of it is left.
    pub(super) fn new(rules: &Rules, height: f64) -> Result<Self, LayerError> {
        let mut borders = vec![0.0, rules.first];
        // Layers of one height are counted from where they begin, so that nothing adds up.
        let (mut start, mut step, mut count) = (rules.first, f64::NAN, 0_usize);
        loop {
            let bottom = if count == 0 { start } else { start + count as f64 * step };
            let own = rules.at(bottom);
            if own != step {
                (start, step, count) = (bottom, own, 0);
            }
            if height - bottom < own / 2.0 {
                break;
            }
            if borders.len() > MOST_LAYERS {
                return Err(LayerError::TooMany(1 + ((height - rules.first) / own) as usize));
            }
            let borders_of = rules.ranges.iter().flat_map(|range| [range.from, range.to]);
            let (least, most) = (bottom + own / 2.0 - HAIR, bottom + own - HAIR);
            let within = borders_of.filter(|border| (least..most).contains(border));
            let top = within.fold(f64::INFINITY, f64::min);
            if top.is_finite() {
                borders.push(top);
                (start, step, count) = (top, f64::NAN, 0);
            } else {
                count += 1;
                borders.push(start + count as f64 * own);
            }
        }
        Ok(Self { borders })
    }

    /// How many layers there are.
    pub(super) fn len(&self) -> usize {
        self.borders.len() - 1
    }

    /// Where a layer begins, above the plate.
    pub(super) fn bottom(&self, layer: usize) -> f64 {
        self.borders[layer.min(self.borders.len() - 1)]
    }

    /// How high it is.
    pub(super) fn height(&self, layer: usize) -> f64 {
        self.bottom(layer + 1) - self.bottom(layer)
    }

    /// The height at which it is cut.
    pub(super) fn middle(&self, layer: usize) -> f64 {
        (self.bottom(layer) + self.bottom(layer + 1)) / 2.0
    }
}

impl Rules {
    /// How high a layer is that begins so far above the plate: the first range that holds it says it.
    fn at(&self, bottom: f64) -> f64 {
        let bottom = bottom + HAIR;
        let range = self.ranges.iter().find(|range| (range.from..range.to).contains(&bottom));
        range.map_or(self.layer, |range| range.layer)
    }
}
