//! What a step makes before it is merged: one number for each element, or three.

use std::sync::Arc;

use rayon::prelude::*;
use speckle_color::{Encoding, Measure, linear_from_srgb, ramp, srgb_from_linear};
use speckle_mesh::{Geometry, Placement};
use speckle_model::recipe::{
    Shaping, Take,
    shaping::{Around, folded},
};

use super::{
    diffusion,
    watch::{GivenUp, Watch},
};
use crate::softening::softened;

/// One number for each element, or three.
#[derive(Clone, Debug, PartialEq)]
pub enum Field {
    /// One each.
    One(Arc<Vec<f32>>),
    /// Three each.
    Three(Arc<Vec<[f32; 3]>>),
    /// Three each, and how much of them is there, 0–1: an image that is transparent somewhere.
    Seen(Arc<Vec<[f32; 3]>>, Arc<Vec<f32>>),
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

    /// Three each, of which so much is there; plainly three where all of it is.
    #[must_use]
    pub fn seen(values: Vec<[f32; 3]>, alpha: Vec<f32>) -> Self {
        match (Self::three(values), Self::one(alpha)) {
            (Self::Three(values), Self::One(alpha)) if alpha.iter().any(|&a| a < 1.0) => {
                Self::Seen(values, alpha)
            }
            (values, _) => values,
        }
    }

    /// How much of an element is there, 0–1.
    #[must_use]
    pub fn alpha(&self, element: usize) -> f32 {
        match self {
            Self::One(_) | Self::Three(_) => 1.0,
            Self::Seen(_, alpha) => alpha[element],
        }
    }

    /// Whether there are three numbers each.
    #[must_use]
    pub fn is_three(&self) -> bool {
        !matches!(self, Self::One(_))
    }

    /// How many elements.
    #[must_use]
    pub fn len(&self) -> usize {
        match self {
            Self::One(values) => values.len(),
            Self::Three(values) | Self::Seen(values, _) => values.len(),
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
            Self::Seen(values, _) => 16 * values.len(),
        }
    }

    /// The three numbers of an element; one is all three.
    #[must_use]
    pub fn at(&self, element: usize) -> [f32; 3] {
        match self {
            Self::One(values) => [values[element]; 3],
            Self::Three(values) | Self::Seen(values, _) => values[element],
        }
    }

    /// One of three numbers; what is one already stays.
    #[must_use]
    pub fn taken(self, take: Take) -> Self {
        let values = match (&self, take) {
            (Self::One(_), _) => return self,
            (Self::Seen(_, alpha), Take::Alpha) => return Self::One(alpha.clone()),
            (Self::Three(values) | Self::Seen(values, _), _) => values,
        };
        Self::one(
            values
                .par_iter()
                .map(|&[r, g, b]| match take {
                    Take::R => r,
                    Take::G => g,
                    Take::B => b,
                    Take::Luminance => Measure::Luminance.of([r, g, b, 1.0], Encoding::Color),
                    Take::Alpha => 1.0,
                })
                .collect(),
        )
    }

    /// What shaping makes of it. Colors soften in linear light.
    ///
    /// # Errors
    /// When it was given up.
    pub fn shaped(
        self,
        shaping: &Shaping,
        geometry: &Geometry,
        placement: Placement,
        encoding: Encoding,
        watch: &Watch,
    ) -> Result<Self, GivenUp> {
        if let Self::Seen(values, alpha) = self {
            let shaped = Self::Three(values);
            let shaped = shaped.shaped(shaping, geometry, placement, encoding, watch)?;
            // What is there stays there.
            return Ok(match shaped {
                Self::Three(values) => Self::Seen(values, alpha),
                shaped => shaped,
            });
        }
        Ok(match shaping {
            Shaping::Ramp { stops } => {
                let color = |x: f32| {
                    let [r, g, b, _] = ramp::at(stops, x.clamp(0.0, 1.0), encoding);
                    [r, g, b]
                };
                let first: Vec<[f32; 3]> = match &self {
                    Self::One(values) => values.par_iter().map(|&x| color(x)).collect(),
                    Self::Three(values) | Self::Seen(values, _) => {
                        values.par_iter().map(|v| color(v[0])).collect()
                    }
                };
                Self::three(first)
            }
            Shaping::Soften { length, rounds, keep_edges } => {
                let limit = keep_edges.unwrap_or(f32::INFINITY);
                let around = Around::of(*length, *rounds);
                self.mixed(geometry, placement, encoding, (around, limit), watch)?
            }
            Shaping::Sharpen { length, rounds, amount } => {
                let (soft, around) = (self.clone(), Around::of(*length, *rounds));
                let around = (around, f32::INFINITY);
                let soft = soft.mixed(geometry, placement, encoding, around, watch)?;
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
            Shaping::Fold => {
                Self::three((0..self.len()).into_par_iter().map(|i| folded(self.at(i))).collect())
            }
            _ => {
                let of = |x: f32| shaping.of(x).unwrap_or(x);
                match &self {
                    Self::One(values) => Self::one(values.par_iter().map(|&x| of(x)).collect()),
                    Self::Three(values) | Self::Seen(values, _) => {
                        Self::three(values.par_iter().map(|v| v.map(of)).collect())
                    }
                }
            }
        })
    }

    /// Each element mixed with those around it that differ by no more than a limit.
    fn mixed(
        self,
        geometry: &Geometry,
        placement: Placement,
        encoding: Encoding,
        around: (Around, f32),
        watch: &Watch,
    ) -> Result<Self, GivenUp> {
        Ok(match self {
            Self::One(values) => {
                let values: &[[f32; 1]] = bytemuck::cast_slice(&values);
                let soft = mixed(values.to_vec(), geometry, placement, around, watch)?;
                Self::one(soft.into_iter().flatten().collect())
            }
            // Colors meet as light.
            Self::Three(values) if encoding == Encoding::Color => {
                let light = values.par_iter().map(|v| v.map(linear_from_srgb)).collect();
                let soft = mixed(light, geometry, placement, around, watch)?;
                Self::three(soft.into_par_iter().map(|v| v.map(srgb_from_linear)).collect())
            }
            Self::Three(values) | Self::Seen(values, _) => {
                Self::three(mixed(values.to_vec(), geometry, placement, around, watch)?)
            }
        })
    }
}

fn mixed<const N: usize>(
    values: Vec<[f32; N]>,
    geometry: &Geometry,
    placement: Placement,
    (around, limit): (Around, f32),
    watch: &Watch,
) -> Result<Vec<[f32; N]>, GivenUp> {
    match around {
        Around::Length(length) => {
            diffusion::over(values, geometry, placement, (length, limit), watch)
        }
        Around::Rounds(rounds) => {
            softened(values, geometry.neighbours(placement), rounds, limit, || watch.check())
        }
    }
}
