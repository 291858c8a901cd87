//! Parts in piles, a file each, and their names.

use speckle_model::Part;
use speckle_tools::{
    reform::mend::{MendingError, with_lids},
    separation::Separation,
    solid::piece_volumes,
};

use super::Pile;
use crate::{FormatError, Place};

/// A body for each swatch: the faces in it, of all parts, and nothing else; closed with caps if wanted.
pub(super) fn by_swatch(
    stem: &str,
    parts: &[Part],
    separation: &Separation,
    bodies: bool,
) -> Result<(Vec<Pile>, Caps), FormatError> {
    let mut caps = Caps::default();
    let numbered = separation.swatches.iter().enumerate().map(|(number, swatch)| {
        let name = if swatch.name.is_empty() { "swatch" } else { &swatch.name };
        format!("{stem}-{} {}", number + 1, file_stem(name))
    });
    let mut piles = Vec::new();
    for (swatch, name) in told_apart(numbered).into_iter().enumerate() {
        let mut own = Vec::new();
        for (number, part) in parts.iter().enumerate() {
            let faces = separation.faces(number, swatch as u8);
            let Some(mut part) = part.of_faces(&faces) else { continue };
            // The file has no room for them, and says so by what it is.
            part.sets.clear();
            own.push(if bodies { caps.put_on(part)? } else { part });
        }
        piles.push(Pile { name, parts: own, of_faces: Vec::new() });
    }
    Ok((piles, caps))
}

/// What came of closing the bodies of swatches.
#[derive(Debug, Default)]
pub(super) struct Caps {
    /// How many bodies enclose nothing: flat patches.
    pub(super) flat: usize,
    /// How many stay open.
    pub(super) open: usize,
}

/// A body that encloses less than this share of a ball of its surface is flat.
const FLAT: f64 = 1e-3;

impl Caps {
    /// Closes what is open of a part.
    fn put_on(&mut self, part: Part) -> Result<Part, FormatError> {
        let failed = |error: MendingError| {
            FormatError::new(
                Place::File,
                format!("the swatches of {} cannot be closed: {error}", part.traits.name),
                "send open skins, or mend the part in Gather first",
            )
        };
        let (closed, _) = with_lids(&part).map_err(failed)?;
        let (geometry, mesh) = (&closed.geometry, closed.geometry.mesh());
        let (pieces, topology) = (geometry.pieces(), geometry.topology());
        let mut measured = vec![(0.0_f64, false); pieces.count()];
        for face in 0..mesh.face_count() {
            let (area, is_open) = &mut measured[pieces.of(face)];
            *area += f64::from(mesh.face_area_vector(face).length()) / 2.0;
            *is_open |= mesh.face_corners(face).any(|corner| topology.across(corner) == corner);
        }
        for ((area, is_open), volume) in measured.into_iter().zip(piece_volumes(geometry)) {
            // What a ball of that surface encloses.
            let ball = area * (area / std::f64::consts::PI).sqrt() / 6.0;
            self.open += usize::from(is_open);
            self.flat += usize::from(!is_open && volume.abs() < FLAT * ball);
        }
        Ok(closed)
    }
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
