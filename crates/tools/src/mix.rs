//! What a look makes of the numbers of sets at a place: its material there, before light falls on it.
//!
//! The shading code that looks are written as (`speckle-formats`, `shader/mix.rs`) reckons the same.

use glam::Vec3;
use palette::{LinSrgb, Oklab, convert::FromColorUnclamped};
use speckle_color::{Encoding, Rgba, blend::Blend, linear_from_srgb, srgb_from_linear};
use speckle_model::proof::{Coat, Drive, Factor, Laid, Layer, Look};

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
    /// How much light comes through it from behind, 0–1.
    pub through: f32,
    /// How far light bends around it, 0–1.
    pub soft: f32,
    /// Its normal, along the texture's u and v and out of the surface; unit length.
    pub normal: [f32; 3],
}

/// What lies under all layers: a grey of 0.72, encoded.
pub const GROUND: Mixed = Mixed {
    color: [0.476_999_8; 3],
    rough: 0.6,
    metal: 0.0,
    glow: [0.0; 3],
    through: 0.0,
    soft: 0.0,
    normal: [0.0, 0.0, 1.0],
};

/// What a look finds at a place.
pub trait Place {
    /// The numbers of a set, by name, as they are stored.
    fn value(&self, set: &str) -> Option<Rgba>;

    /// The numbers of an image as it lies there: colors in linear light, data as they are; none where there is no
    /// such image.
    fn laid(&self, laid: &Laid, encoding: Encoding) -> Option<Rgba> {
        let _ = (laid, encoding);
        None
    }
}

impl<F: Fn(&str) -> Option<Rgba>> Place for F {
    fn value(&self, set: &str) -> Option<Rgba> {
        self(set)
    }
}

/// What a look makes of what is at a place. A set that a part has not is black, as a shader reads it; an image that
/// is missing is transparent.
pub fn mixed(look: &Look, place: &impl Place) -> Mixed {
    look.shown().fold(GROUND, |below, (_, layer)| laid_on(below, layer, place))
}

/// The numbers of a channel of a set at a place, or its complement.
pub(crate) fn factor(factor: &Factor, place: &impl Place) -> f32 {
    let value = place.value(&factor.set).unwrap_or([0.0; 4]);
    let number = value[usize::from(factor.channel.min(3))];
    if factor.complement { 1.0 - number } else { number }
}

fn laid_on(below: Mixed, layer: &Layer, place: &impl Place) -> Mixed {
    let (coat, alpha) = coat(&layer.coat, below.color, place);
    let mask = mask(&layer.drive, place) * layer.strength * alpha;
    let mix = |a: f32, b: f32| a + (b - a) * mask;
    let mixed = |a: [f32; 3], b: [f32; 3]| -> [f32; 3] { std::array::from_fn(|i| mix(a[i], b[i])) };
    let color = if layer.blend == Blend::Normal {
        mixed(below.color, coat.map(linear_from_srgb))
    } else {
        let under = below.color.map(srgb_from_linear);
        let blended = std::array::from_fn(|i| layer.blend.of_number(under[i], coat[i]));
        mixed(under, blended).map(linear_from_srgb)
    };
    let glow = layer.glow.map(|glow| coat.map(|x| linear_from_srgb(x) * glow));
    let share = |below: f32, own: Option<f32>| own.map_or(below, |own| mix(below, own));
    let normal = layer.normals.as_ref().map_or(below.normal, |own| {
        let [x, y, z, _] = place.laid(&own.laid, Encoding::Data).unwrap_or([0.5, 0.5, 1.0, 1.0]);
        let [x, y, z] = [x, y, z].map(|number| 2.0 * number - 1.0);
        let bent = mixed(below.normal, [x * own.strength, y * own.strength, z]);
        Vec3::from(bent).try_normalize().unwrap_or(Vec3::Z).to_array()
    });
    Mixed {
        color,
        rough: share(below.rough, layer.rough),
        metal: share(below.metal, layer.metal),
        glow: glow.map_or(below.glow, |glow| mixed(below.glow, glow)),
        through: share(below.through, layer.through),
        soft: share(below.soft, layer.soft),
        normal,
    }
}

/// Where a layer lies, 0–1, without its strength.
fn mask(drive: &Drive, place: &impl Place) -> f32 {
    let product: f32 = drive.factors.iter().map(|own| factor(own, place)).product();
    let mask = ((product - 0.5) * drive.contrast + 0.5 + drive.offset).clamp(0.0, 1.0);
    if drive.inverted { 1.0 - mask } else { mask }
}

/// The color of a coat, encoded, and how much of it there is.
fn coat(coat: &Coat, below: [f32; 3], place: &impl Place) -> ([f32; 3], f32) {
    let value = |set: &str| place.value(set).unwrap_or([0.0; 4]);
    let color = match coat {
        Coat::Color { color } => *color,
        Coat::Image { laid } => {
            let [r, g, b, alpha] = place.laid(laid, Encoding::Color).unwrap_or([0.0; 4]);
            return ([r, g, b].map(srgb_from_linear), alpha);
        }
        Coat::Set { set } => {
            let [r, g, b, _] = value(set);
            [r, g, b]
        }
        Coat::Ramp { stops, by } => {
            let along = factor(by, place).clamp(0.0, 1.0) * (stops.len() - 1) as f32;
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
    };
    (color, 1.0)
}
