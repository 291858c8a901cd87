//! Numbers, colors and matrices as 3MF writes them.

use crate::{
    FormatError,
    xml::{self, broken},
};
use glam::{Mat4, Vec4};
use speckle_color::{Rgba, rgba_from_bytes};

pub(super) fn whole(digits: &[u8]) -> Option<u32> {
    if digits.is_empty() || digits.len() > 10 || !digits.iter().all(u8::is_ascii_digit) {
        return None;
    }
    let value = digits.iter().fold(0_u64, |sum, b| 10 * sum + u64::from(b - b'0'));
    u32::try_from(value).ok().filter(|&value| value < u32::MAX)
}

pub(super) fn no_number(at: u64, value: &[u8]) -> FormatError {
    let shown = String::from_utf8_lossy(&value[..value.len().min(24)]).into_owned();
    broken(at, format!("{shown:?} is no number"))
}

use super::damaged;

/// `#RRGGBB` or `#RRGGBBAA`.
pub(super) fn color(text: &str) -> Option<Rgba> {
    let digits = text.trim().strip_prefix('#')?;
    if !digits.is_ascii() || !matches!(digits.len(), 6 | 8) {
        return None;
    }
    let byte = |i: usize| u8::from_str_radix(digits.get(2 * i..2 * i + 2)?, 16).ok();
    Some(rgba_from_bytes([byte(0)?, byte(1)?, byte(2)?, byte(3).unwrap_or(255)]))
}

pub(super) fn matrix(text: &str) -> Result<Mat4, FormatError> {
    let numbers = xml::floats(text, "a transform")?;
    let column =
        |i: usize, w: f32| Vec4::new(numbers[3 * i], numbers[3 * i + 1], numbers[3 * i + 2], w);
    if numbers.len() != 12 {
        return Err(damaged(format!("a transform has {} numbers instead of 12", numbers.len())));
    }
    Ok(Mat4::from_cols(column(0, 0.0), column(1, 0.0), column(2, 0.0), column(3, 1.0)))
}
