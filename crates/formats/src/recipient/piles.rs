//! Parts in piles, a file each, and their names.

use speckle_model::Part;
use speckle_tools::separation::Separation;

use super::Pile;

/// A body for each swatch: the faces in it, of all parts, and nothing else.
pub(super) fn by_swatch(stem: &str, parts: &[Part], separation: &Separation) -> Vec<Pile> {
    let numbered = separation.swatches.iter().enumerate().map(|(number, swatch)| {
        let name = if swatch.name.is_empty() { "swatch" } else { &swatch.name };
        format!("{stem}-{} {}", number + 1, file_stem(name))
    });
    let pile = |(swatch, name): (usize, String)| {
        let own = parts.iter().enumerate().filter_map(|(number, part)| {
            let mut part = part.of_faces(&separation.faces(number, swatch as u8))?;
            // The file has no room for them, and says so by what it is.
            part.sets.clear();
            Some(part)
        });
        Pile { name, parts: own.collect(), of_faces: Vec::new() }
    };
    told_apart(numbered).into_iter().enumerate().map(pile).collect()
}

/// Names that no file system takes for one another: where two are the same but for their case, the
/// second gets a number.
pub(super) fn told_apart(wanted: impl Iterator<Item = String>) -> Vec<String> {
    let mut taken: Vec<String> = Vec::new();
    for name in wanted {
        let is_free = |name: &String| taken.iter().all(|other| !other.eq_ignore_ascii_case(name));
        let numbered = (2..).map(|n| format!("{name} {n}"));
        let found = std::iter::once(name.clone()).chain(numbered).find(is_free);
        taken.push(found.unwrap_or(name));
    }
    taken
}

/// A name that any program takes as a word.
pub(super) fn plain_name(name: &str) -> String {
    let plain: String =
        name.trim().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    match plain.chars().next() {
        None => "_".to_owned(),
        Some(first) if first.is_ascii_digit() => format!("_{plain}"),
        Some(_) => plain,
    }
}

/// A name that any file system takes.
#[must_use]
pub fn file_stem(name: &str) -> String {
    let allowed = |c: char| {
        if c.is_ascii_alphanumeric() || matches!(c, ' ' | '-' | '_' | '.' | '(' | ')') {
            c
        } else {
            '_'
        }
    };
    let plain: String = name.trim().chars().map(allowed).take(80).collect();
    let plain = plain.trim_matches(['.', ' ']).to_owned();
    if plain.is_empty() { "model".to_owned() } else { plain }
}
