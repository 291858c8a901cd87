//! How far two colors are apart for the eye.

use palette::{FromColor, Lab, Srgb, color_difference::Ciede2000, white_point::D65};
use rayon::prelude::*;

use crate::{channels::Encoding, numbers::Rgba};

/// CIEDE2000 between two sRGB-encoded colors; alpha does not count.
#[must_use]
pub fn ciede2000(a: Rgba, b: Rgba) -> f32 {
    let lab = |c: Rgba| Lab::<D65, f32>::from_color(Srgb::new(c[0], c[1], c[2]));
    if a[..3] == b[..3] { 0.0 } else { lab(a).difference(lab(b)) }
}

/// The differences of two arrays of one length: of colors as CIEDE2000, of data as their largest
/// difference × 100, so that one scale serves both; of swatches as 100 where they differ.
#[must_use]
pub fn delta_e(encoding: Encoding, a: &[Rgba], b: &[Rgba]) -> Vec<f32> {
    let of_data = |a: Rgba, b: Rgba| {
        let largest = a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        100.0 * largest
    };
    a.par_iter()
        .zip(b)
        .map(|(&a, &b)| match encoding {
            Encoding::Color => ciede2000(a, b).max(100.0 * (a[3] - b[3]).abs()),
            Encoding::Data => of_data(a, b),
            Encoding::Swatch => {
                if a == b {
                    0.0
                } else {
                    100.0
                }
            }
        })
        .collect()
}
