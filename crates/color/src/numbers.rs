//! Color numbers: the sRGB transfer function, 8-bit steps and hex.

/// One stored value of a set: R, G, B, A, each nominally 0–1.
pub type Rgba = [f32; 4];

/// Linear light from an sRGB-encoded value, both 0–1. IEC 61966-2-1, with its constants.
#[must_use]
#[inline]
pub fn linear_from_srgb(encoded: f32) -> f32 {
    if encoded <= 0.04045 { encoded / 12.92 } else { ((encoded + 0.055) / 1.055).powf(2.4) }
}

/// The sRGB-encoded value of linear light, both 0–1. IEC 61966-2-1, with its constants.
#[must_use]
#[inline]
pub fn srgb_from_linear(linear: f32) -> f32 {
    if linear <= 0.003_130_8 {
        linear * 12.92
    } else {
        // In single precision the two constants would make white a hair less than 1.
        (1.055 * f64::from(linear.powf(1.0 / 2.4)) - 0.055) as f32
    }
}

/// Numbers that may be added up and averaged: R, G and B as linear light, or plain data, and alpha. What
/// is stored or shown is an [`Rgba`]; the compiler keeps the two apart.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Linear(pub [f32; 4]);

impl Linear {
    /// The light of an sRGB-encoded color; alpha is a plain number and stays.
    #[must_use]
    #[inline]
    pub fn of([r, g, b, a]: Rgba) -> Self {
        Self([linear_from_srgb(r), linear_from_srgb(g), linear_from_srgb(b), a])
    }

    /// The color as sRGB encodes it; alpha stays.
    #[must_use]
    #[inline]
    pub fn encoded(self) -> Rgba {
        let [r, g, b, a] = self.0;
        [srgb_from_linear(r), srgb_from_linear(g), srgb_from_linear(b), a]
    }

    /// Each number times another.
    #[must_use]
    #[inline]
    pub fn times(self, other: Self) -> Self {
        Self(std::array::from_fn(|i| self.0[i] * other.0[i]))
    }

    /// So much of the way to another.
    #[must_use]
    #[inline]
    pub fn towards(self, other: Self, share: f32) -> Self {
        Self(std::array::from_fn(|i| self.0[i] + (other.0[i] - self.0[i]) * share))
    }

    /// Relative luminance (ITU-R BT.709, as sRGB has it).
    #[must_use]
    #[inline]
    pub fn luminance(self) -> f32 {
        let [r, g, b, _] = self.0;
        0.2126 * r + 0.7152 * g + 0.0722 * b
    }
}

/// The nearest of the 256 steps; what lies outside 0–1 is clamped, NaN becomes 0.
#[must_use]
#[inline]
pub fn byte_from_unit(value: f32) -> u8 {
    (value.clamp(0.0, 1.0) * 255.0).round() as u8
}

/// All four channels in 8-bit steps.
#[must_use]
#[inline]
pub fn bytes_from_rgba(value: Rgba) -> [u8; 4] {
    value.map(byte_from_unit)
}

/// A value from 8-bit steps.
#[must_use]
#[inline]
pub fn rgba_from_bytes(bytes: [u8; 4]) -> Rgba {
    bytes.map(|b| f32::from(b) / 255.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// IEC 61966-2-1: both branches meet at the threshold, and every 8-bit value survives.
    #[test]
    fn every_byte_survives_the_way_to_linear_light_and_back() {
        for byte in 0..=255_u8 {
            let encoded = f32::from(byte) / 255.0;
            assert_eq!(byte_from_unit(srgb_from_linear(linear_from_srgb(encoded))), byte);
        }
        assert!((linear_from_srgb(0.04045) - linear_from_srgb(0.040_451)).abs() < 1e-6);
    }

    /// IEC 61966-2-1 evaluated by hand: ((0.5 + 0.055) / 1.055)^2.4 and 0.04 / 12.92.
    #[test]
    fn known_values_of_the_standard() {
        assert!((linear_from_srgb(0.5) - 0.214_041_14).abs() < 1e-6);
        assert!((linear_from_srgb(0.04) - 0.003_095_975).abs() < 1e-8);
        assert_eq!((linear_from_srgb(1.0), srgb_from_linear(1.0)), (1.0, 1.0), "white stays white");
        assert!((srgb_from_linear(0.18) - 0.461_356_1).abs() < 1e-5);
        assert_eq!((linear_from_srgb(1.0), srgb_from_linear(1.0)), (1.0, 1.0));
    }
}
