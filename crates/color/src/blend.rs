//! How paint meets what is there: the blend modes of W3C Compositing and Blending Level 1, on the
//! numbers as stored; adding and subtracting; and *recolor*, which keeps the shading.

use serde::{Deserialize, Serialize};

use crate::{
    channels::Encoding,
    numbers::{Linear, Rgba},
};

/// A way of blending.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Blend {
    /// The paint itself.
    #[default]
    Normal,
    /// The product.
    Multiply,
    /// The product of the complements.
    Screen,
    /// Multiply where it is dark, screen where it is light.
    Overlay,
    /// The smaller number.
    Darken,
    /// The greater number.
    Lighten,
    /// Brightened to show the paint.
    ColorDodge,
    /// Darkened to show the paint.
    ColorBurn,
    /// Multiply for dark paint, screen for light.
    HardLight,
    /// Likewise, softer.
    SoftLight,
    /// How far both are apart.
    Difference,
    /// Likewise, with less contrast.
    Exclusion,
    /// The paint's hue.
    Hue,
    /// The paint's saturation.
    Saturation,
    /// The paint's hue and saturation.
    Color,
    /// The paint's luminosity.
    Luminosity,
    /// The sum, at most 1.
    Add,
    /// The paint taken away, at least 0.
    Subtract,
    /// The paint in the shading that is there: paint × luminance ÷ luminance of the ground color,
    /// in linear light.
    Recolor,
}

/// What a set is as far as blending goes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Base {
    /// Whether its numbers are colors.
    pub encoding: Encoding,
    /// Its ground color.
    pub ground: Rgba,
}

impl Base {
    /// The same with a grey ground of such a luminance, in light.
    #[must_use]
    #[inline]
    pub fn lit(self, luminance: f32) -> Self {
        let ground = self.encoding.stored(Linear([luminance, luminance, luminance, 1.0]));
        Self { ground, ..self }
    }
}

impl Blend {
    /// What full paint makes of a stored value. Modes that look at whole colors lay alpha on as it
    /// is; the others blend it like the rest, since it may hold any mask.
    #[must_use]
    #[inline]
    pub fn of(self, base: Base, there: Rgba, paint: Rgba) -> Rgba {
        let [r, g, b, _] = there;
        let [pr, pg, pb, pa] = paint;
        let (below, above) = ([r, g, b], [pr, pg, pb]);
        let whole = match self {
            Self::Recolor => return recolored(base, there, paint),
            Self::Hue => {
                with_luminosity(with_saturation(above, saturation(below)), luminosity(below))
            }
            Self::Saturation => {
                with_luminosity(with_saturation(below, saturation(above)), luminosity(below))
            }
            Self::Color => with_luminosity(above, luminosity(below)),
            Self::Luminosity => with_luminosity(below, luminosity(above)),
            _ => return std::array::from_fn(|i| self.of_number(there[i], paint[i])),
        };
        [whole[0], whole[1], whole[2], pa]
    }

    /// One number over another, where numbers are blended one by one; the others show the source. The
    /// formulas are those of the standard's section 10.1, with the backdrop `b` and the source `s`.
    #[must_use]
    pub fn of_number(self, b: f32, s: f32) -> f32 {
        match self {
            Self::Multiply => b * s,
            Self::Screen => b + s - b * s,
            Self::Overlay => Self::HardLight.of_number(s, b),
            Self::Darken => b.min(s),
            Self::Lighten => b.max(s),
            Self::ColorDodge if b <= 0.0 => 0.0,
            Self::ColorDodge if s >= 1.0 => 1.0,
            Self::ColorDodge => (b / (1.0 - s)).min(1.0),
            Self::ColorBurn if b >= 1.0 => 1.0,
            Self::ColorBurn if s <= 0.0 => 0.0,
            Self::ColorBurn => 1.0 - ((1.0 - b) / s).min(1.0),
            Self::HardLight if s <= 0.5 => b * 2.0 * s,
            Self::HardLight => Self::Screen.of_number(b, 2.0 * s - 1.0),
            Self::SoftLight if s <= 0.5 => b - (1.0 - 2.0 * s) * b * (1.0 - b),
            Self::SoftLight => {
                let d = if b <= 0.25 { ((16.0 * b - 12.0) * b + 4.0) * b } else { b.sqrt() };
                b + (2.0 * s - 1.0) * (d - b)
            }
            Self::Difference => (b - s).abs(),
            Self::Exclusion => b + s - 2.0 * b * s,
            Self::Add => (b + s).min(1.0),
            Self::Subtract => (b - s).max(0.0),
            Self::Normal
            | Self::Hue
            | Self::Saturation
            | Self::Color
            | Self::Luminosity
            | Self::Recolor => s,
        }
    }
}

type Rgb = [f32; 3];

/// Lum(C) of the standard's section 10.2.
fn luminosity([r, g, b]: Rgb) -> f32 {
    0.3 * r + 0.59 * g + 0.11 * b
}

/// Sat(C).
fn saturation(c: Rgb) -> f32 {
    c.into_iter().fold(f32::MIN, f32::max) - c.into_iter().fold(f32::MAX, f32::min)
}

/// SetLum(C, l), with ClipColor.
fn with_luminosity(c: Rgb, wanted: f32) -> Rgb {
    let more = wanted - luminosity(c);
    let c = c.map(|x| x + more);
    let l = luminosity(c);
    let (low, high) =
        (c.into_iter().fold(f32::MAX, f32::min), c.into_iter().fold(f32::MIN, f32::max));
    let c = if low < 0.0 { c.map(|x| l + (x - l) * l / (l - low)) } else { c };
    if high > 1.0 { c.map(|x| l + (x - l) * (1.0 - l) / (high - l)) } else { c }
}

/// SetSat(C, s): the least number becomes 0, the greatest s, and the middle stays in proportion.
fn with_saturation(c: Rgb, wanted: f32) -> Rgb {
    let least = c.into_iter().fold(f32::MAX, f32::min);
    let range = saturation(c);
    if range > 0.0 { c.map(|x| (x - least) * wanted / range) } else { [0.0; 3] }
}

fn recolored(base: Base, there: Rgba, paint: Rgba) -> Rgba {
    let light = |value: Rgba| base.encoding.linear(value);
    let ground = light(base.ground).luminance();
    // On a black ground there is no shading to keep.
    if ground <= 1e-6 {
        return paint;
    }
    let shade = light(there).luminance() / ground;
    let Linear([r, g, b, alpha]) = light(paint);
    let [r, g, b] = [r, g, b].map(|x| (x * shade).clamp(0.0, 1.0));
    base.encoding.stored(Linear([r, g, b, alpha]))
}

#[cfg(test)]
mod tests {
    use super::*;

    const PLAIN: Base = Base { encoding: Encoding::Color, ground: [1.0; 4] };

    /// White over an occlusion-shaded blue ground is that shading in grey, to 1/255.
    #[test]
    fn recolor_keeps_the_shading() {
        let ground = [0.1, 0.2, 0.8, 1.0];
        let base = Base { encoding: Encoding::Color, ground };
        for step in 0..=20 {
            let shade = step as f32 / 20.0;
            let [r, g, b, _] = Linear::of(ground).0.map(|x| x * shade);
            let there = Linear([r, g, b, 1.0]).encoded();
            let white = Blend::Recolor.of(base, there, [1.0; 4]);
            let grey = Linear([shade, shade, shade, 1.0]).encoded();
            let off = white.iter().zip(grey).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            assert!(off < 1.0 / 255.0, "{shade}: {white:?}");
        }
        // A black ground has no shading; data is reckoned with as it is.
        let black = Base { ground: [0.0, 0.0, 0.0, 1.0], ..base };
        assert_eq!(Blend::Recolor.of(black, [0.3; 4], [0.5; 4]), [0.5; 4]);
        let data = Base { encoding: Encoding::Data, ground: [1.0; 4] };
        assert_eq!(
            Blend::Recolor.of(data, [0.5; 4], [0.5, 1.0, 0.0, 0.25]),
            [0.25, 0.5, 0.0, 0.25]
        );
    }

    /// Worked by hand from the formulas of W3C Compositing and Blending Level 1, section 10.
    #[test]
    fn single_numbers_blend_as_the_formulas_say() {
        for (blend, below, above, result) in [
            (Blend::Multiply, 0.5, 0.25, 0.125),
            (Blend::Screen, 0.5, 0.25, 0.625),
            (Blend::Overlay, 0.25, 0.5, 0.25),
            (Blend::Overlay, 0.75, 0.5, 0.75),
            (Blend::HardLight, 0.5, 0.75, 0.75),
            (Blend::ColorDodge, 0.25, 0.5, 0.5),
            (Blend::ColorDodge, 0.0, 1.0, 0.0),
            (Blend::ColorBurn, 0.75, 0.5, 0.5),
            (Blend::ColorBurn, 1.0, 0.0, 1.0),
            (Blend::SoftLight, 0.25, 1.0, 0.5),
            (Blend::SoftLight, 0.5, 0.0, 0.25),
            (Blend::Difference, 0.25, 0.75, 0.5),
            (Blend::Exclusion, 0.5, 0.5, 0.5),
            (Blend::Add, 0.75, 0.5, 1.0),
            (Blend::Subtract, 0.25, 0.5, 0.0),
        ] {
            let got = blend.of(PLAIN, [below; 4], [above; 4]);
            assert!(got.iter().all(|x| (x - result).abs() < 1e-6), "{blend:?}: {got:?}");
        }
    }

    #[test]
    fn whole_colors_take_hue_saturation_or_luminosity_from_the_paint() {
        // Luminosity of pure red is 0.3: grey takes it on, and red with grey's luminosity 0.5 is
        // lightened until its mean fits.
        let grey = Blend::Luminosity.of(PLAIN, [0.5, 0.5, 0.5, 1.0], [1.0, 0.0, 0.0, 1.0]);
        assert!(grey[..3].iter().all(|x| (x - 0.3).abs() < 1e-6));
        let red = Blend::Color.of(PLAIN, [0.5, 0.5, 0.5, 1.0], [1.0, 0.0, 0.0, 1.0]);
        assert!((luminosity([red[0], red[1], red[2]]) - 0.5).abs() < 1e-6 && red[0] == 1.0);
        assert_eq!(Blend::Hue.of(PLAIN, [0.4, 0.4, 0.4, 1.0], [0.0, 1.0, 0.0, 0.5])[3], 0.5);
    }
}
