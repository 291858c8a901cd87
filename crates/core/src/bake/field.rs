//! What a step makes before it is merged: one number for each element, or three.

use std::sync::Arc;

use rayon::prelude::*;

use crate::{
    color::{Rgba, linear_rgba, srgb_rgba},
    color_set::{Encoding, Placement},
    geometry::Geometry,
    ramp,
    recipe::{Shaping, Take},
    region::Measure,
};

/// One number for each element, or three.
#[derive(Clone, Debug, PartialEq)]
pub enum Field {
    /// One each.
    One(Arc<Vec<f32>>),
    /// Three each.
    Three(Arc<Vec<[f32; 3]>>),
}

/// Numbers that are none become 0.
fn sound(x: f32) -> f32 {
    if x.is_finite() { x } else { 0.0 }
}

impl Field {
    /// One each.
    #[must_use]
    pub fn one(values: Vec<f32>) -> Self {
        Self::One(Arc::new(values.into_par_iter().map(sound).collect()))
    }

    /// Three each.
    #[must_use]
    pub fn three(values: Vec<[f32; 3]>) -> Self {
        Self::Three(Arc::new(values.into_par_iter().map(|v| v.map(sound)).collect()))
    }

    /// How many elements.
    #[must_use]
    pub fn len(&self) -> usize {
        match self {
            Self::One(values) => values.len(),
            Self::Three(values) => values.len(),
        }
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How much memory it takes, bytes.
    #[must_use]
    pub fn bytes(&self) -> usize {
        match self {
            Self::One(values) => 4 * values.len(),
            Self::Three(values) => 12 * values.len(),
        }
    }

    /// The three numbers of an element; one is all three.
    #[must_use]
    pub fn at(&self, element: usize) -> [f32; 3] {
        match self {
            Self::One(values) => [values[element]; 3],
            Self::Three(values) => values[element],
        }
    }

    /// One of three numbers; what is one already stays.
    #[must_use]
    pub fn taken(self, take: Take) -> Self {
        let Self::Three(values) = &self else { return self };
        Self::one(
            values
                .par_iter()
                .map(|&[r, g, b]| match take {
                    Take::R => r,
                    Take::G => g,
                    Take::B => b,
                    Take::Luminance => Measure::Luminance.of([r, g, b, 1.0], Encoding::Color),
                })
                .collect(),
        )
    }

    /// What shaping makes of it. Colors soften in linear light.
    #[must_use]
    pub fn shaped(
        self,
        shaping: &Shaping,
        geometry: &Geometry,
        placement: Placement,
        encoding: Encoding,
    ) -> Self {
        match shaping {
            Shaping::Ramp { stops } => {
                let color = |x: f32| {
                    let [r, g, b, _] = ramp::at(stops, x.clamp(0.0, 1.0));
                    [r, g, b]
                };
                let first: Vec<[f32; 3]> = match &self {
                    Self::One(values) => values.par_iter().map(|&x| color(x)).collect(),
                    Self::Three(values) => values.par_iter().map(|v| color(v[0])).collect(),
                };
                Self::three(first)
            }
            Shaping::Soften { rounds, keep_edges } => {
                self.mixed(geometry, placement, encoding, *rounds, keep_edges.unwrap_or(f32::MAX))
            }
            Shaping::Sharpen { rounds, amount } => {
                let soft = self.clone().mixed(geometry, placement, encoding, *rounds, f32::MAX);
                let sharp = |x: f32, soft: f32| (x + (x - soft) * amount).clamp(0.0, 1.0);
                match (self, soft) {
                    (Self::One(x), Self::One(soft)) => Self::one(
                        x.par_iter().zip(soft.par_iter()).map(|(&x, &s)| sharp(x, s)).collect(),
                    ),
                    (x, soft) => {
                        let at = |i: usize| {
                            let (x, soft) = (x.at(i), soft.at(i));
                            std::array::from_fn(|k| sharp(x[k], soft[k]))
                        };
                        Self::three((0..x.len()).into_par_iter().map(at).collect())
                    }
                }
            }
            _ => {
                let of = |x: f32| shaping.of(x).unwrap_or(x);
                match &self {
                    Self::One(values) => Self::one(values.par_iter().map(|&x| of(x)).collect()),
                    Self::Three(values) => {
                        Self::three(values.par_iter().map(|v| v.map(of)).collect())
                    }
                }
            }
        }
    }

    /// Each element mixed with those around it that differ by less than a limit, so often.
    fn mixed(
        self,
        geometry: &Geometry,
        placement: Placement,
        encoding: Encoding,
        rounds: u32,
        limit: f32,
    ) -> Self {
        let neighbours = geometry.neighbours(placement);
        let is_light = encoding == Encoding::Color && matches!(self, Self::Three(_));
        match self {
            Self::One(values) => {
                let mut now = values.to_vec();
                let mut next = now.clone();
                for _ in 0..rounds {
                    next.par_iter_mut().enumerate().with_min_len(1024).for_each(|(i, value)| {
                        let own = now[i];
                        let (mut sum, mut count) = (own, 1.0);
                        for &other in neighbours.of(i) {
                            let other = now[other as usize];
                            if (other - own).abs() <= limit {
                                sum += other;
                                count += 1.0;
                            }
                        }
                        *value = sum / count;
                    });
                    std::mem::swap(&mut now, &mut next);
                }
                Self::one(now)
            }
            Self::Three(values) => {
                let lit = |v: [f32; 3], f: fn(Rgba) -> Rgba| {
                    let [r, g, b, _] = f([v[0], v[1], v[2], 1.0]);
                    [r, g, b]
                };
                let mut now: Vec<[f32; 3]> = if is_light {
                    values.par_iter().map(|&v| lit(v, linear_rgba)).collect()
                } else {
                    values.to_vec()
                };
                let mut next = now.clone();
                for _ in 0..rounds {
                    next.par_iter_mut().enumerate().with_min_len(1024).for_each(|(i, value)| {
                        let own = now[i];
                        let (mut sum, mut count) = (own, 1.0);
                        for &other in neighbours.of(i) {
                            let other = now[other as usize];
                            if (0..3).all(|k| (other[k] - own[k]).abs() <= limit) {
                                (0..3).for_each(|k| sum[k] += other[k]);
                                count += 1.0;
                            }
                        }
                        *value = sum.map(|s| s / count);
                    });
                    std::mem::swap(&mut now, &mut next);
                }
                if is_light {
                    now.par_iter_mut().for_each(|v| *v = lit(*v, srgb_rgba));
                }
                Self::three(now)
            }
        }
    }
}
