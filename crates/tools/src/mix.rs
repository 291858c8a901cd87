//! What a look makes of the numbers of sets at a place: its material there, before light falls on it.
//!
//! The shading code that looks are written as (`speckle-formats`, `shader/mix.rs`) reckons the same.

use palette::{LinSrgb, Oklab, convert::FromColorUnclamped};
use speckle_color::{Rgba, blend::Blend, linear_from_srgb, srgb_from_linear};
use speckle_model::proof::{Coat, Drive, Factor, Layer, Look};

/// A material at a place.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mixed {
    /// Its color, in linear light.
    pub color: [f32; 3],
    /// How rough it is, 0–1.
    pub rough: f32,
    /// How much of a metal it is, 0–1.
    pub metal: f32,
    /// The light that it gives of its own, linear.
    pub glow: [f32; 3],
}

/// What lies under all layers: a grey of 0.72, encoded.
pub const GROUND: Mixed = Mixed { color: [0.476_999_8; 3], rough: 0.6, metal: 0.0, glow: [0.0; 3] };

/// What a look makes of sets, whose numbers at the place `value_of` knows by name. What a part has not is black,
/// as a shader reads it.
pub fn mixed(look: &Look, value_of: impl Fn(&str) -> Option<Rgba>) -> Mixed {
    let value = |set: &str| value_of(set).unwrap_or([0.0; 4]);
    let layers = look.layers.iter().filter(|layer| !layer.off);
    layers.fold(GROUND, |below, layer| laid_on(below, layer, &value))
}

fn laid_on(below: Mixed, layer: &Layer, value: &impl Fn(&str) -> Rgba) -> Mixed {
    let mask = mask(&layer.drive, value) * layer.strength;
    let mix = |a: f32, b: f32| a + (b - a) * mask;
    let mixed = |a: [f32; 3], b: [f32; 3]| -> [f32; 3] { std::array::from_fn(|i| mix(a[i], b[i])) };
    let coat = coat(&layer.coat, below.color, value);
    let color = if layer.blend == Blend::Normal {
        mixed(below.color, coat.map(linear_from_srgb))
    } else {
        let under = below.color.map(srgb_from_linear);
        let blended = std::array::from_fn(|i| layer.blend.of_number(under[i], coat[i]));
        mixed(under, blended).map(linear_from_srgb)
    };
    let glow = layer.glow.map(|glow| coat.map(|x| linear_from_srgb(x) * glow));
    Mixed {
        color,
        rough: layer.rough.map_or(below.rough, |rough| mix(below.rough, rough)),
        metal: layer.metal.map_or(below.metal, |metal| mix(below.metal, metal)),
        glow: glow.map_or(below.glow, |glow| mixed(below.glow, glow)),
    }
}

fn factor(factor: &Factor, value: &impl Fn(&str) -> Rgba) -> f32 {
    let number = value(&factor.set)[usize::from(factor.channel.min(3))];
    if factor.complement { 1.0 - number } else { number }
}

/// Where a layer lies, 0–1, without its strength.
fn mask(drive: &Drive, value: &impl Fn(&str) -> Rgba) -> f32 {
    let product: f32 = drive.factors.iter().map(|own| factor(own, value)).product();
    let mask = ((product - 0.5) * drive.contrast + 0.5 + drive.offset).clamp(0.0, 1.0);
    if drive.inverted { 1.0 - mask } else { mask }
}

/// The color of a coat, encoded.
fn coat(coat: &Coat, below: [f32; 3], value: &impl Fn(&str) -> Rgba) -> [f32; 3] {
    match coat {
        Coat::Color { color } => *color,
        Coat::Set { set } => {
            let [r, g, b, _] = value(set);
            [r, g, b]
        }
        Coat::Ramp { stops, by } => {
            let along = factor(by, value).clamp(0.0, 1.0) * (stops.len() - 1) as f32;
            let from = (along as usize).min(stops.len() - 2);
            let share = along - from as f32;
            std::array::from_fn(|i| stops[from][i] + (stops[from + 1][i] - stops[from][i]) * share)
        }
        Coat::Shift { set, amounts } => {
            let [r, g, b, _] = value(set);
            let [l, a_, b_] = [r, g, b].map(|x| 2.0 * (x - 0.5));
            let [red, green, blue] = below;
            let mut color = Oklab::from_color_unclamped(LinSrgb::new(red, green, blue));
            color.l += l * amounts[0];
            color.a += a_ * amounts[1];
            color.b += b_ * amounts[2];
            let shifted = LinSrgb::from_color_unclamped(color);
            [shifted.red, shifted.green, shifted.blue].map(|x| srgb_from_linear(x.clamp(0.0, 1.0)))
        }
    }
}
