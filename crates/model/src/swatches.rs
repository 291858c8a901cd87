//! The project's palette, what its swatches print in, and its plain text.

use std::fmt::Write;

use serde::{Deserialize, Serialize};
use speckle_color::{MOST_PAINTED, Rgba, byte_from_unit};

use crate::names::LONGEST_NAME;

/// The most colors a palette may hold.
pub const MOST_SWATCHES: usize = 512;

/// A named color.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Swatch {
    /// What it is called; may be empty.
    #[serde(default)]
    pub name: String,
    /// R, G and B as a picker shows them, 0–1: what is printed.
    pub color: [f32; 3],
    /// What faces painted in it hold, 1 to 16; 0 of one that only gives its color. It stays when the
    /// palette is put in another order.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub number: u8,
    /// What it is shown in on the stage, where that is not its color: so that like ones are told apart.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub display: Option<[f32; 3]>,
    /// What it is printed from.
    #[serde(default, skip_serializing_if = "Filament::is_usual")]
    pub filament: Filament,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_nothing(number: &u8) -> bool {
    *number == 0
}

/// What a swatch is printed from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Filament {
    /// What it is made of: "PLA"; empty while nobody said.
    pub material: String,
    /// g/cm³.
    pub density: f32,
    /// What a kilogram costs, in the user's currency; 0 while nobody said.
    pub price: f32,
    /// The printer's spool that holds it, from 1.
    pub spool: Option<u8>,
}

/// That of polylactic acid, which most is printed from, g/cm³ (common practice, no source).
pub const USUAL_DENSITY: f32 = 1.24;

impl Default for Filament {
    fn default() -> Self {
        Self { material: String::new(), density: USUAL_DENSITY, price: 0.0, spool: None }
    }
}

impl Filament {
    fn is_usual(&self) -> bool {
        *self == Self::default()
    }

    fn problem(&self) -> Option<&'static str> {
        if self.material.chars().count() > LONGEST_NAME {
            Some("a material's name may have 200 letters at most")
        } else if !(self.density > 0.0 && self.density <= 30.0) {
            Some("a density lies between 0 and 30 g/cm³")
        } else if !(self.price >= 0.0 && self.price.is_finite()) {
            Some("a price is 0 or more")
        } else {
            None
        }
    }
}

impl Swatch {
    /// A color with a name.
    #[must_use]
    pub fn new(name: impl Into<String>, color: [f32; 3]) -> Self {
        Self { name: name.into(), color, ..Self::default() }
    }

    /// Its name, or its color where it has none.
    #[must_use]
    pub fn called(&self) -> String {
        if self.name.is_empty() { self.hex() } else { self.name.clone() }
    }

    /// Its color as `#rrggbb`.
    #[must_use]
    pub fn hex(&self) -> String {
        let [r, g, b] = self.color.map(byte_from_unit);
        format!("#{r:02x}{g:02x}{b:02x}")
    }
}

/// Gives the first sixteen of a palette numbers that faces can be painted in. One that has none takes
/// that of what stood in its place before, where it is free: so a palette read from a file recolors what is
/// painted.
#[must_use]
pub fn numbered(before: &[Swatch], mut after: Vec<Swatch>) -> Vec<Swatch> {
    let mut is_free = [true; MOST_PAINTED as usize + 1];
    is_free[0] = false;
    for swatch in &after {
        if let Some(free) = is_free.get_mut(usize::from(swatch.number)) {
            *free = false;
        }
    }
    for (swatch, before) in after.iter_mut().zip(before).filter(|(own, _)| own.number == 0) {
        if is_free[usize::from(before.number)] {
            is_free[usize::from(before.number)] = false;
            swatch.number = before.number;
        }
    }
    for swatch in after.iter_mut().take(usize::from(MOST_PAINTED)).filter(|own| own.number == 0) {
        if let Some(number) = is_free.iter().position(|free| *free) {
            is_free[number] = false;
            swatch.number = number as u8;
        }
    }
    after
}

/// Those of a palette that faces can be painted in: sixteen at most.
#[must_use]
pub fn paintable(palette: &[Swatch]) -> Vec<Swatch> {
    palette.iter().filter(|swatch| swatch.number > 0).cloned().collect()
}

/// The place in the palette of the swatch that faces of a number show: what is unpainted, or painted in
/// what is gone, shows the base, and that the first where it is gone too.
#[must_use]
pub fn places(palette: &[Swatch], base: u8) -> [usize; 256] {
    let place = |number: u8| palette.iter().position(|own| number > 0 && own.number == number);
    let base = place(base).unwrap_or(0);
    std::array::from_fn(|number| place(number as u8).unwrap_or(base))
}

/// What faces of each number look like in the colors of a palette; white where it is empty.
#[must_use]
pub fn colors(palette: &[Swatch], base: u8) -> [Rgba; 256] {
    places(palette, base).map(|place| {
        let [r, g, b] = palette.get(place).map_or([1.0; 3], |swatch| swatch.color);
        [r, g, b, 1.0]
    })
}

/// A color written as `#rrggbb`.
#[must_use]
pub fn from_hex(written: &str) -> Option<[f32; 3]> {
    let digits =
        written.strip_prefix('#').filter(|digits| digits.len() == 6 && digits.is_ascii())?;
    let number = u32::from_str_radix(digits, 16).ok()?;
    let [_, r, g, b] = number.to_be_bytes();
    Some([r, g, b].map(|byte| f32::from(byte) / 255.0))
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
    let numbers = swatches.iter().map(|swatch| swatch.number).filter(|number| *number > 0);
    let mut is_taken = [false; 256];
    for number in numbers {
        if number > MOST_PAINTED {
            return Some(format!("faces can be painted in {MOST_PAINTED} swatches at most"));
        }
        if std::mem::replace(&mut is_taken[usize::from(number)], true) {
            return Some(format!("two swatches have the number {number}"));
        }
    }
    if let Some(problem) = swatches.iter().find_map(|swatch| swatch.filament.problem()) {
        return Some(problem.to_owned());
    }
    let shown = |s: &Swatch| s.display.is_none_or(|c| c.iter().all(|x| (0.0..=1.0).contains(x)));
    if let Some(i) = swatches.iter().position(|swatch| !shown(swatch)) {
        return Some(format!("what color {} of the palette is shown in lies outside 0–1", i + 1));
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
        swatches.push(Swatch::new(name, color));
    }
    Ok(swatches)
}

/// Writes lines of `r g b name`.
#[must_use]
pub fn to_text(swatches: &[Swatch]) -> String {
    let mut text = String::from("# r g b name, 0-255, sRGB\n");
    for Swatch { name, color, .. } in swatches {
        let [r, g, b] = color.map(byte_from_unit);
        // A name stays on its line.
        let name = name.split_whitespace().collect::<Vec<_>>().join(" ");
        let _ = writeln!(text, "{}", format!("{r} {g} {b} {name}").trim_end());
    }
    text
}
