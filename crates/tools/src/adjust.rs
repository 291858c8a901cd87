//! Adjustments: what a whole set, or what is chosen of it, becomes number by number, color by
//! color, or by looking at what lies around.

mod spreading;

use std::convert::Infallible;

use palette::{Oklab, Srgb, convert::FromColorUnclamped};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{
    Channels, Encoding, Linear, Rgba,
    curve::Curve,
    difference::ciede2000,
    tone::{Levels, posterised},
};
use speckle_mesh::Geometry;
use speckle_model::{ColorSet, recipe::shaping::Around};

use crate::{
    bake::{diffusion, watch::Watch},
    softening::softened,
};
use spreading::Spreading;

/// How values are adjusted. Numbers are those stored, 0–1.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum How {
    /// Spreads the numbers between two over all of 0–1, bends them, and brings them between two
    /// others.
    Levels {
        /// What becomes the least.
        from: f32,
        /// What becomes the greatest.
        to: f32,
        /// 1 bends nothing; more lightens what is in the middle.
        gamma: f32,
        /// The least it becomes.
        least: f32,
        /// The greatest.
        greatest: f32,
    },
    /// By a curve drawn by hand.
    Curve {
        /// From the number to what it becomes.
        curve: Curve,
    },
    /// Lighter or darker, and further from the middle or nearer to it.
    Contrast {
        /// Added, −1 to 1.
        brightness: f32,
        /// −1 leaves an even grey, 0 changes nothing, 1 leaves black and white.
        contrast: f32,
    },
    /// In OKLCH. On data it is reckoned as if the numbers were a color.
    Shift {
        /// Degrees.
        hue: f32,
        /// What the chroma is multiplied with.
        chroma: f32,
        /// Added to the lightness, −1 to 1.
        lightness: f32,
    },
    /// 1 less the number.
    Invert,
    /// The nearest of so many even steps.
    Posterise {
        /// 2 or more.
        steps: u32,
    },
    /// Puts another color in place of one, with what is alike.
    ReplaceColor {
        /// The one.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
        from: Rgba,
        /// The other.
        #[cfg_attr(feature = "schema", schema(value_type = [f32; 4]))]
        to: Rgba,
        /// How unlike it may be and still be replaced wholly, as CIEDE2000; up to twice that it is
        /// replaced less and less.
        tolerance: f32,
    },
    /// Mixes every element with what lies around.
    Blur {
        /// Over a disc of this radius, in the part's unit; 0 to go by rounds.
        #[serde(default)]
        length: f32,
        /// How often with its neighbours, where no length is said.
        #[serde(default)]
        rounds: u32,
    },
    /// Brings every element further from the mean of what lies around.
    Sharpen {
        /// How wide that mean is: the length of a blur.
        #[serde(default)]
        length: f32,
        /// Or its rounds.
        #[serde(default)]
        rounds: u32,
        /// How far, 1 doubles the difference.
        amount: f32,
    },
    /// Spreads each channel's own range over all of 0–1.
    Stretch,
    /// The greatest of all that is around.
    Grow {
        /// Within this length along the surface, in the part's unit; 0 to go by rounds.
        #[serde(default)]
        length: f32,
        /// Or of itself and its neighbours, so often.
        #[serde(default)]
        rounds: u32,
    },
    /// The least, likewise.
    Shrink {
        /// Within this length; 0 to go by rounds.
        #[serde(default)]
        length: f32,
        /// Or so often.
        #[serde(default)]
        rounds: u32,
    },
}

impl How {
    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        let unit = |x: f32| (0.0..=1.0).contains(&x);
        let signed = |x: f32| (-1.0..=1.0).contains(&x);
        match *self {
            Self::Levels { from, to, gamma, least, greatest } => {
                if ![from, to, least, greatest].into_iter().all(unit) {
                    Some("the levels must lie between 0 and 1")
                } else if from >= to {
                    Some("the lower level must lie below the upper one")
                } else if !(0.01..=100.0).contains(&gamma) {
                    Some("gamma must lie between 0.01 and 100")
                } else {
                    None
                }
            }
            Self::Curve { curve } if !curve.is_valid() => {
                Some("a curve's heights must lie between 0 and 100 %")
            }
            Self::Contrast { brightness, contrast } if !signed(brightness) || !signed(contrast) => {
                Some("brightness and contrast must lie between −100 and 100 %")
            }
            Self::Shift { hue, chroma, lightness }
                if !hue.is_finite() || !(0.0..=10.0).contains(&chroma) || !signed(lightness) =>
            {
                Some("hue must be degrees, chroma 0 to 10 times, lightness −100 to 100 %")
            }
            Self::Posterise { steps } if !(2..=256).contains(&steps) => {
                Some("posterise needs 2 to 256 steps")
            }
            Self::ReplaceColor { from, to, tolerance }
                if !from.into_iter().chain(to).all(unit) || !(0.0..=200.0).contains(&tolerance) =>
            {
                Some("the colors must lie between 0 and 1, the tolerance between 0 and 200")
            }
            Self::Blur { length, rounds }
            | Self::Sharpen { length, rounds, .. }
            | Self::Grow { length, rounds }
            | Self::Shrink { length, rounds }
                if !Around::of(length, rounds).is_sound() =>
            {
                Some("say a length of more than 0, or rounds between 1 and 1000")
            }
            Self::Sharpen { amount, .. } if !(0.0..=10.0).contains(&amount) => {
                Some("the amount must lie between 0 and 1000 %")
            }
            _ => None,
        }
    }

    /// What the change is called.
    #[must_use]
    pub fn title(&self) -> &'static str {
        match self {
            Self::Levels { .. } => "Levels",
            Self::Curve { .. } => "Curve",
            Self::Contrast { .. } => "Contrast",
            Self::Shift { .. } => "Shift of color",
            Self::Invert => "Invert",
            Self::Posterise { .. } => "Posterise",
            Self::ReplaceColor { .. } => "Replace color",
            Self::Blur { .. } => "Blur",
            Self::Sharpen { .. } => "Sharpen",
            Self::Stretch => "Stretch",
            Self::Grow { .. } => "Grow",
            Self::Shrink { .. } => "Shrink",
        }
    }
}

/// What the values of a set become; channels that are not chosen come back as they are.
#[must_use]
pub fn adjusted(how: How, set: &ColorSet, channels: Channels, geometry: &Geometry) -> Vec<Rgba> {
    let values = &set.values;
    let each = |f: &(dyn Fn(Rgba) -> Rgba + Sync)| -> Vec<Rgba> {
        values
            .par_chunks(CHUNK)
            .flat_map_iter(|chunk| {
                // Neighbouring elements often have one value: what it becomes is kept for a while.
                let mut known = vec![None; REMEMBERED];
                chunk.iter().map(move |&value| {
                    let slot: &mut Option<(Rgba, Rgba)> = &mut known[slot_of(value)];
                    match slot {
                        Some((old, new)) if *old == value => *new,
                        _ => {
                            let new = chosen(channels, value, f(value));
                            *slot = Some((value, new));
                            new
                        }
                    }
                })
            })
            .collect()
    };
    let numbers = |f: &(dyn Fn(f32) -> f32 + Sync)| {
        each(&|value| std::array::from_fn(|i| if channels.0[i] { f(value[i]) } else { value[i] }))
    };
    match how {
        How::Levels { from, to, gamma, least, greatest } => {
            let levels = Levels { from, to, gamma, least, greatest };
            numbers(&|x| levels.of(x))
        }
        How::Curve { curve } => numbers(&|x| curve.at(x)),
        How::Contrast { brightness, contrast } => {
            // The slope through the middle: 0 at −1, 1 at 0, endless at 1.
            let slope = ((contrast + 1.0) * std::f32::consts::FRAC_PI_4).tan();
            numbers(&|x| {
                let off = x + brightness - 0.5;
                if contrast >= 1.0 {
                    return if off > 0.0 { 1.0 } else { 0.0 };
                }
                (0.5 + off * slope).clamp(0.0, 1.0)
            })
        }
        How::Shift { hue, chroma, lightness } => {
            each(&|value| shifted(value, hue, chroma, lightness))
        }
        How::Invert => numbers(&|x| 1.0 - x),
        How::Posterise { steps } => numbers(&|x| posterised(x, steps)),
        How::ReplaceColor { from, to, tolerance } => each(&|value| {
            let off = ciede2000(value, from);
            let share =
                if off <= tolerance { 1.0 } else { (2.0 - off / tolerance).clamp(0.0, 1.0) };
            mixed(value, to, if share.is_nan() { 0.0 } else { share })
        }),
        How::Stretch => {
            let figures = speckle_color::figures::of_channels(values);
            each(&|value| {
                std::array::from_fn(|i| {
                    let (least, greatest) = (figures[i].min, figures[i].max);
                    let range = greatest - least;
                    if range > 0.0 { (value[i] - least) / range } else { value[i] }
                })
            })
        }
        How::Blur { length, rounds } => {
            let blurred = blurred(set, geometry, Around::of(length, rounds));
            values
                .par_iter()
                .zip(blurred)
                .map(|(&value, blurred)| chosen(channels, value, blurred))
                .collect()
        }
        How::Sharpen { length, rounds, amount } => {
            let blurred = blurred(set, geometry, Around::of(length, rounds));
            let sharp = |(&value, blurred): (&Rgba, Rgba)| {
                let sharp: Rgba = std::array::from_fn(|i| {
                    (value[i] + (value[i] - blurred[i]) * amount).clamp(0.0, 1.0)
                });
                chosen(channels, value, sharp)
            };
            values.par_iter().zip(blurred).map(sharp).collect()
        }
        How::Grow { length, rounds } => {
            let around = Around::of(length, rounds);
            spreading::spread(set, channels, geometry, around, Spreading::Greatest)
        }
        How::Shrink { length, rounds } => {
            let around = Around::of(length, rounds);
            spreading::spread(set, channels, geometry, around, Spreading::Least)
        }
    }
}

/// How many elements one core looks at in a row.
const CHUNK: usize = 65_536;

/// How many values it remembers meanwhile; a power of two.
const REMEMBERED: usize = 1024;

/// Where a value is remembered (multiplicative hashing: Knuth, The Art of Computer Programming 3,
/// 6.4).
fn slot_of(value: Rgba) -> usize {
    let mixed = value
        .iter()
        .fold(0_u32, |sum, x| (sum.rotate_left(5) ^ x.to_bits()).wrapping_mul(2_654_435_769));
    (mixed >> 22) as usize
}

/// The new value in the chosen channels, the old one in the others.
fn chosen(channels: Channels, old: Rgba, new: Rgba) -> Rgba {
    std::array::from_fn(|i| if channels.0[i] { new[i] } else { old[i] })
}

fn mixed(a: Rgba, b: Rgba, share: f32) -> Rgba {
    if share >= 1.0 { b } else { std::array::from_fn(|i| a[i] + (b[i] - a[i]) * share) }
}

fn shifted([r, g, b, a]: Rgba, hue: f32, chroma: f32, lightness: f32) -> Rgba {
    if hue == 0.0 && chroma == 1.0 && lightness == 0.0 {
        return [r, g, b, a];
    }
    // Clamped on the way, nothing would ever be outside.
    let mut color = Oklab::from_color_unclamped(Srgb::new(r, g, b));
    // In OKLab a hue is an angle and a chroma a length: turning and stretching needs no polar form.
    let (sin, cos) = hue.to_radians().sin_cos();
    (color.a, color.b) =
        ((color.a * cos - color.b * sin) * chroma, (color.a * sin + color.b * cos) * chroma);
    color.l = (color.l + lightness).clamp(0.0, 1.0);
    let (a_full, b_full) = (color.a, color.b);
    // What no screen can show is brought back by its chroma, so that hue and lightness stay.
    let inside =
        |c: Srgb<f32>| [c.red, c.green, c.blue].iter().all(|x| (-1e-4..=1.0001).contains(x));
    let mut shown = Srgb::from_color_unclamped(color);
    if !inside(shown) {
        let with = |share: f32| {
            Srgb::from_color_unclamped(Oklab { a: a_full * share, b: b_full * share, ..color })
        };
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..12 {
            let middle = (low + high) / 2.0;
            if inside(with(middle)) { low = middle } else { high = middle }
        }
        shown = with(low);
    }
    [shown.red.clamp(0.0, 1.0), shown.green.clamp(0.0, 1.0), shown.blue.clamp(0.0, 1.0), a]
}

/// Each element mixed with what lies around: colors in linear light.
fn blurred(set: &ColorSet, geometry: &Geometry, around: Around) -> Vec<Rgba> {
    let light: Vec<Rgba> =
        set.values.par_iter().map(|&value| set.encoding.linear(value).0).collect();
    let softened = match around {
        Around::Rounds(rounds) => {
            let neighbours = geometry.neighbours(set.placement);
            let go_on = || Ok::<_, Infallible>(());
            let Ok(softened) = softened(light, neighbours, rounds, f32::INFINITY, go_on);
            softened
        }
        Around::Length(length) => {
            // Nobody gives it up.
            let over = (length, f32::INFINITY);
            let spread = diffusion::over(light, geometry, set.placement, over, &Watch::default());
            // It comes near to what it should be from either side.
            let within = |light: Rgba| light.map(|x| x.clamp(0.0, 1.0));
            spread.unwrap_or_default().into_iter().map(within).collect()
        }
    };
    // What is even all around stays what it is, to the bit: light that did not change is not
    // converted back.
    softened
        .into_par_iter()
        .zip(set.values.par_iter())
        .map(|(light, &before)| {
            let light = Linear(light);
            if set.encoding == Encoding::Data {
                return light.0;
            }
            let was = Linear::of(before);
            let encoded = light.encoded();
            std::array::from_fn(|i| {
                if (light.0[i] - was.0[i]).abs() <= 1e-6 * was.0[i].abs() {
                    before[i]
                } else {
                    encoded[i]
                }
            })
        })
        .collect()
}
