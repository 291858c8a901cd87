//! The project's palette, and its plain text.

use std::fmt::Write;

use serde::{Deserialize, Serialize};
use speckle_color::byte_from_unit;

use crate::names::LONGEST_NAME;

/// The most colors a palette may hold.
pub const MOST_SWATCHES: usize = 512;

/// A named color.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Swatch {
    /// What it is called; may be empty.
    #[serde(default)]
    pub name: String,
    /// R, G and B as a picker shows them, 0–1.
    pub color: [f32; 3],
}

impl Swatch {
    /// Its color as `#rrggbb`.
    #[must_use]
    pub fn hex(&self) -> String {
        let [r, g, b] = self.color.map(byte_from_unit);
        format!("#{r:02x}{g:02x}{b:02x}")
    }
}

/// A line that cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {problem}")]
pub struct PaletteError {
    /// Counted from 1.
    pub line: usize,
    /// What is wrong, and what should stand there.
    pub problem: String,
}

/// What makes a palette impossible, said for the user.
#[must_use]
pub fn problem(swatches: &[Swatch]) -> Option<String> {
    if swatches.len() > MOST_SWATCHES {
        return Some(format!(
            "a palette holds {MOST_SWATCHES} colors at most, these are {}",
            swatches.len()
        ));
    }
    if swatches.iter().any(|swatch| swatch.name.chars().count() > LONGEST_NAME) {
        return Some(format!("a color's name may have {LONGEST_NAME} letters at most"));
    }
    let off = swatches.iter().position(|s| !s.color.iter().all(|x| (0.0..=1.0).contains(x)));
    off.map(|i| format!("color {} of the palette lies outside 0–1", i + 1))
}

/// Reads lines of `r g b name`, with numbers from 0 to 255; empty lines and lines that begin with
/// `#` do not count.
///
/// # Errors
/// With the first line that is neither.
pub fn from_text(text: &str) -> Result<Vec<Swatch>, PaletteError> {
    let mut swatches = Vec::new();
    for (i, line) in text.lines().enumerate() {
        let line = line.trim().trim_start_matches('\u{feff}');
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let wrong = |problem: String| PaletteError { line: i + 1, problem };
        let mut words = line.split_whitespace();
        let mut color = [0.0; 3];
        for (value, name) in color.iter_mut().zip(["red", "green", "blue"]) {
            let word = words.next().ok_or_else(|| {
                wrong(format!("{name} is missing: write three numbers from 0 to 255 and a name"))
            })?;
            let number: f32 = word.parse().map_err(|_| {
                wrong(format!(
                    "“{}” is no number for {name}",
                    word.chars().take(20).collect::<String>()
                ))
            })?;
            if !(0.0..=255.0).contains(&number) {
                return Err(wrong(format!("{name} is {word}, but goes from 0 to 255")));
            }
            *value = number / 255.0;
        }
        if swatches.len() == MOST_SWATCHES {
            return Err(wrong(format!("a palette holds {MOST_SWATCHES} colors at most")));
        }
        let name = words.collect::<Vec<_>>().join(" ");
        swatches.push(Swatch { name, color });
    }
    Ok(swatches)
}

/// Writes lines of `r g b name`.
#[must_use]
pub fn to_text(swatches: &[Swatch]) -> String {
    let mut text = String::from("# r g b name, 0-255, sRGB\n");
    for Swatch { name, color } in swatches {
        let [r, g, b] = color.map(byte_from_unit);
        // A name stays on its line.
        let name = name.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ = writeln!(text, "{}", format!("{r} {g} {b} {name}").trim_end());
    }
    text
}
