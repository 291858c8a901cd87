//! What a print takes: material, purge, price and time, by a simple model that is said with it.
//!
//! Material is the volume of each swatch by its density. Each change purges a volume, more of it towards a
//! lighter color, and more between materials (common practice, no source). Time is the volume by a flow, a
//! while for each change, and a while for each layer.

use palette::{FromColor, Lab, Srgb, white_point::D65};
use serde::{Deserialize, Serialize};
use speckle_model::swatches::Swatch;

use super::{Counted, Inside, Plan};

/// What a printer takes for what it does.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Pace {
    /// What a change between like swatches purges, mm³.
    pub purge: f64,
    /// What flows while it prints, mm³/s.
    pub flow: f64,
    /// What a change takes, s.
    pub change: f64,
    /// What going to the next layer takes, s.
    pub layer: f64,
    /// Changes that are known to purge otherwise.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pairs: Vec<PurgedPair>,
}

/// What a change from a swatch to another purges, whatever the model says.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PurgedPair {
    /// Its number, or its place from 1 where swatches have none.
    pub from: u8,
    /// That of the other.
    pub to: u8,
    /// mm³.
    pub purge: f64,
}

impl Default for Pace {
    /// Common practice, no source.
    fn default() -> Self {
        Self { purge: 140.0, flow: 8.0, change: 30.0, layer: 1.5, pairs: Vec::new() }
    }
}

/// How much more is purged towards white than towards black, as a share; and between materials.
const TOWARDS_LIGHT: f64 = 0.5;
const OTHER_MATERIAL: f64 = 1.5;

impl Pace {
    /// What is wrong with it, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let is_some = |x: f64| x.is_finite() && x >= 0.0;
        if !(self.flow > 0.0 && self.flow.is_finite()) {
            Some("what flows while it prints is more than 0 mm³/s")
        } else if !self.pairs.iter().map(|pair| pair.purge).all(is_some)
            || ![self.purge, self.change, self.layer].into_iter().all(is_some)
        {
            Some("what is purged and what a change or a layer takes are numbers from 0 on")
        } else {
            None
        }
    }

    /// What a change from a swatch to another purges by the model, mm³.
    #[must_use]
    pub fn purged(&self, from: &Swatch, to: &Swatch) -> f64 {
        let lightness = |swatch: &Swatch| {
            let lab = Lab::<D65, f32>::from_color(Srgb::from(swatch.color));
            f64::from(lab.l) / 100.0
        };
        let lighter = 1.0 + TOWARDS_LIGHT * (lightness(to) - lightness(from));
        let is_other = from.filament.material != to.filament.material;
        self.purge * lighter * if is_other { OTHER_MATERIAL } else { 1.0 }
    }

    /// What every change between swatches purges, mm³: rows from, columns to.
    #[must_use]
    pub fn matrix(&self, swatches: &[Swatch]) -> Vec<Vec<f64>> {
        let number = |i: usize| match swatches[i].number {
            0 => i as u8 + 1,
            number => number,
        };
        let known = |from: usize, to: usize| {
            let is_it = |pair: &&PurgedPair| (pair.from, pair.to) == (number(from), number(to));
            self.pairs.iter().find(is_it).map(|pair| pair.purge)
        };
        let all = 0..swatches.len();
        let purged = |from: usize, to: usize| {
            known(from, to).unwrap_or_else(|| self.purged(&swatches[from], &swatches[to]))
        };
        all.clone().map(|from| all.clone().map(|to| purged(from, to)).collect()).collect()
    }
}

/// What a swatch takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SwatchCost {
    /// What is printed, mm³.
    pub printed: f64,
    /// What is purged when it comes, mm³.
    pub purged: f64,
    /// Both, g.
    pub grams: f64,
    /// Both, in the user's currency.
    pub price: f64,
}

/// What a print takes.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    /// By swatch.
    pub swatches: Vec<SwatchCost>,
    /// mm³.
    pub purged: f64,
    /// g; of that purged.
    pub grams: f64,
    /// g.
    pub grams_purged: f64,
    /// In the user's currency; 0 while no swatch has a price.
    pub price: f64,
    /// s.
    pub seconds: f64,
    /// s, of each layer.
    pub of_layers: Vec<f64>,
}

impl Counted {
    /// The plan with the fewest changes, and of those with the least purge.
    #[must_use]
    pub fn plan_for(&self, inside: Inside, pace: &Pace, swatches: &[Swatch]) -> Plan {
        let matrix = pace.matrix(swatches);
        let most = matrix.iter().flatten().copied().fold(f64::MIN_POSITIVE, f64::max);
        // So little that all of it together is less than a change.
        let little = 1e-3 / (most * (self.len() as f64 + 1.0) * (swatches.len() as f64 + 1.0));
        self.plan_by(inside, &|from, to| 1.0 + little * matrix[usize::from(from)][usize::from(to)])
    }
}

/// What a plan takes; its swatches are places among these.
#[must_use]
pub fn estimate(plan: &Plan, pace: &Pace, swatches: &[Swatch]) -> Estimate {
    let matrix = pace.matrix(swatches);
    let mut told = vec![SwatchCost::default(); swatches.len()];
    for (swatch, volume) in plan.volumes() {
        told[usize::from(swatch)].printed = volume;
    }
    let mut whole = Estimate::default();
    let mut last: Option<u8> = None;
    for layer in &plan.layers {
        let mut seconds = layer.area * layer.height / pace.flow + pace.layer;
        for &swatch in &layer.order {
            if let Some(last) = last.filter(|last| *last != swatch) {
                let purged = matrix[usize::from(last)][usize::from(swatch)];
                told[usize::from(swatch)].purged += purged;
                seconds += pace.change + purged / pace.flow;
            }
            last = Some(swatch);
        }
        whole.of_layers.push(seconds);
    }
    for (own, swatch) in told.iter_mut().zip(swatches) {
        // g/cm³ are mg/mm³.
        let grams = |volume: f64| volume * f64::from(swatch.filament.density) / 1e3;
        own.grams = grams(own.printed + own.purged);
        own.price = own.grams / 1e3 * f64::from(swatch.filament.price);
        whole.purged += own.purged;
        whole.grams += own.grams;
        whole.grams_purged += grams(own.purged);
        whole.price += own.price;
    }
    whole.seconds = whole.of_layers.iter().sum();
    whole.swatches = told;
    whole
}
