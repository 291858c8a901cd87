//! What each step of a recipe made by itself, in small: a sample to look at, and histograms.

use serde::Serialize;
use speckle_color::{figures::BINS, noise};
use speckle_model::recipe::Target;

use super::{Paint, field::Field};

/// How many elements are looked at.
const SAMPLE: usize = 900;

/// What a step made by itself.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Taste {
    /// At each element of the sample, in steps of 1/255: one number, or three in a row.
    pub values: Vec<u8>,
    /// Whether there are three.
    pub is_color: bool,
    /// For each of its shapings, how many elements fall into each equal step of 0–1 before it; last,
    /// what comes of all of them.
    pub histograms: Vec<Vec<u32>>,
}

/// What the steps of a recipe made.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Tastes {
    /// The elements that were looked at, ascending.
    pub elements: Vec<u32>,
    /// For each step; none for those that are passed over.
    pub steps: Vec<Option<Taste>>,
}

impl Tastes {
    /// Of so many steps, with a sample of so many elements: one out of each equal run of them.
    #[must_use]
    pub fn of(steps: usize, elements: usize) -> Self {
        let count = elements.min(SAMPLE);
        let run = |i: usize| i * elements / count;
        // Not always the first of its run: rows of a regular mesh would line up.
        let pick = |i: usize| {
            let (from, to) = (run(i), run(i + 1));
            (from + noise::mix(i as u32) as usize % (to - from).max(1)) as u32
        };
        Self { elements: (0..count).map(pick).collect(), steps: vec![None; steps] }
    }

    fn taste(&mut self, step: usize) -> &mut Taste {
        self.steps[step].get_or_insert_default()
    }

    /// Looks at what a step has come to before another of its shapings.
    pub fn look(&mut self, step: usize, field: &Field) {
        let mut bins = vec![0; BINS];
        let mut count = |x: f32| bins[((x.max(0.0) * BINS as f32) as usize).min(BINS - 1)] += 1;
        match field {
            Field::One(values) => values.iter().for_each(|&x| count(x)),
            Field::Three(values) | Field::Seen(values, _) => {
                values.iter().flatten().for_each(|&x| count(x))
            }
        }
        self.taste(step).histograms.push(bins);
    }

    /// Takes the sample of what a step came to.
    pub fn take(&mut self, step: usize, field: &Field) {
        let is_color = field.is_three();
        let numbers = if is_color { 3 } else { 1 };
        let at = |&e: &u32| field.at(e as usize).into_iter().take(numbers).map(byte);
        let values = self.elements.iter().flat_map(at).collect();
        let taste = self.taste(step);
        (taste.values, taste.is_color) = (values, is_color);
    }

    /// Takes the sample of what was painted in a step, dark where nothing was.
    pub fn take_paint(&mut self, step: usize, paint: &Paint, target: Target) {
        // Of several channels, those of a color.
        let most = if target.is_single() { 4 } else { 3 };
        let channels: Vec<usize> = (0..most).filter(|&i| target.channels().0[i]).collect();
        let seen = |&e: &u32| {
            let (value, coverage) = (paint.values[e as usize], paint.coverage[e as usize]);
            channels.iter().map(move |&i| byte(value[i] * coverage[i])).collect::<Vec<_>>()
        };
        let values = self.elements.iter().flat_map(seen).collect();
        let taste = self.taste(step);
        (taste.values, taste.is_color) = (values, !target.is_single());
    }
}

fn byte(x: f32) -> u8 {
    (x.clamp(0.0, 1.0) * 255.0).round() as u8
}
