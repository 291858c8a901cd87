//! Reading STL, welded to a mesh.

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::mesh::MeshArrays;

use super::{HEADER, TRIANGLE, weld::weld};
use crate::{
    Content, FormatError, Limits, MeshFile, Origin, Place, RawPart, Reading, Repair, RepairKind,
};

/// How far before its end a text tells where it comes from (bytes).
const TAIL: usize = 4096;

/// Triangles as they stand in the file.
#[derive(Default)]
struct Triangles {
    /// Three for each.
    points: Vec<Vec3>,
    /// What the file says of each; zero where it leaves that to the reader.
    normals: Vec<Vec3>,
    /// The solid of each.
    solids: Vec<u32>,
    names: Vec<String>,
    has_attributes: bool,
}

/// Reads an STL file of either kind; solids of a text file become parts.
///
/// # Errors
/// With the line or byte that is wrong.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let bytes = file.bytes;
    let count = bytes
        .get(HEADER..HEADER + 4)
        .map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as usize);
    let needed = count.map(|count| HEADER + 4 + TRIANGLE * count);
    // Binary files may begin with the letters of a text file: the length tells.
    let says_text =
        bytes.trim_ascii_start().get(..5).is_some_and(|b| b.eq_ignore_ascii_case(b"solid"));
    let triangles = match (count, needed) {
        (Some(count), Some(needed)) if needed == bytes.len() => {
            binary(bytes, count, options.limits)?
        }
        _ if says_text => text(bytes, options.limits)?,
        (Some(count), Some(needed)) if needed < bytes.len() => {
            binary(bytes, count, options.limits)?
        }
        (Some(count), _) => {
            return Err(FormatError::new(
                Place::Byte(bytes.len()),
                format!("{count} triangles are promised, but the file ends here"),
                "it was cut short, or is no STL file: copy or export it again",
            ));
        }
        _ => {
            return Err(FormatError::new(
                Place::Byte(0),
                "it is neither a text that begins with “solid” nor long enough for a binary file",
                "check that this is an STL file",
            ));
        }
    };
    let mut content = content(triangles, file.stem(), options.weld);
    if says_text {
        content.origin = Origin::find_in(&bytes[bytes.len().saturating_sub(TAIL)..]);
    }
    Ok(content)
}

fn content(triangles: Triangles, stem: &str, tolerance: f32) -> Content {
    let Triangles { points, normals, solids, names, has_attributes } = triangles;
    let mut content = Content::default();
    if has_attributes {
        content.notes.push("attribute bytes of triangles not kept".to_owned());
    }
    // Points that are no numbers are never the same as another: they must not be welded.
    let (positions, corner_vertices) = weld(&points, tolerance.max(0.0));
    let against: Vec<usize> = (0..normals.len())
        .into_par_iter()
        .filter(|&i| {
            let [a, b, c] = [0, 1, 2].map(|k| points[3 * i + k]);
            let ours = (b - a).cross(c - a).normalize_or_zero();
            // Zero leaves it to the reader; rounding may tilt a sliver's normal a good deal.
            !normals[i].is_finite() || ours.dot(normals[i].normalize_or_zero()) < -0.1
        })
        .collect();
    if !against.is_empty() {
        let places = against.iter().map(|&i| points[3 * i]);
        content.repairs.push(Repair::new(stem, RepairKind::BadNormal, against.len(), places));
    }
    let joined = points.len() - positions.len();
    if joined > 0 {
        content.repairs.push(Repair::new(stem, RepairKind::Welded, joined, []));
    }
    let arrays = MeshArrays {
        face_starts: (0..=corner_vertices.len() as u32 / 3).map(|face| 3 * face).collect(),
        positions,
        corner_vertices,
        ..MeshArrays::default()
    };
    let name = match names.as_slice() {
        [one] if !one.is_empty() => one.clone(),
        _ => stem.to_owned(),
    };
    content.parts.push(RawPart::new(name, arrays, Vec::new()).of_objects(&names, &solids));
    content
}

fn binary(bytes: &[u8], count: usize, limits: Limits) -> Result<Triangles, FormatError> {
    if count.saturating_mul(3) > limits.elements {
        return Err(FormatError::too_many(limits));
    }
    let records = &bytes[HEADER + 4..HEADER + 4 + TRIANGLE * count];
    let point = |record: &[u8], i: usize| {
        let number = |k: usize| {
            let at = 12 * i + 4 * k;
            f32::from_le_bytes([record[at], record[at + 1], record[at + 2], record[at + 3]])
        };
        Vec3::new(number(0), number(1), number(2))
    };
    let records = records.par_chunks_exact(TRIANGLE);
    Ok(Triangles {
        points: records
            .clone()
            .flat_map_iter(|r| [point(r, 1), point(r, 2), point(r, 3)])
            .collect(),
        normals: records.clone().map(|r| point(r, 0)).collect(),
        has_attributes: records.clone().any(|r| r[48] != 0 || r[49] != 0),
        ..Triangles::default()
    })
}

fn text(bytes: &[u8], limits: Limits) -> Result<Triangles, FormatError> {
    let mut triangles = Triangles::default();
    let mut corners = 0;
    for (number, line) in bytes.split(|&b| b == b'\n').enumerate() {
        let line = line.trim_ascii();
        let place = Place::Line(number + 1);
        let unlike = |found: usize| {
            FormatError::new(
                place,
                format!("a facet has {found} corners where it needs three"),
                "correct the facet, or export the file again",
            )
        };
        if let Some(rest) = word(line, b"vertex") {
            triangles.points.push(three(rest, place)?);
            corners += 1;
        } else if let Some(rest) = word(line, b"facet") {
            if corners != 0 {
                return Err(unlike(corners));
            }
            let normal = word(rest, b"normal").map_or(Ok(Vec3::ZERO), |rest| three(rest, place))?;
            triangles.normals.push(normal);
        } else if word(line, b"endfacet").is_some() {
            if corners != 3 {
                return Err(unlike(corners));
            }
            corners = 0;
            let solid = triangles.names.len().saturating_sub(1) as u32;
            triangles.solids.push(solid);
            if triangles.points.len() > limits.elements {
                return Err(FormatError::too_many(limits));
            }
        } else if let Some(rest) = word(line, b"solid") {
            triangles.names.push(String::from_utf8_lossy(rest).trim().to_owned());
        }
    }
    if corners != 0 || triangles.normals.len() * 3 != triangles.points.len() {
        return Err(FormatError::new(
            Place::Byte(bytes.len()),
            "the file ends in the middle of a facet",
            "it was cut short: copy or export it again",
        ));
    }
    Ok(triangles)
}

/// What follows a word at the beginning of a line, when the word stands there.
fn word<'a>(line: &'a [u8], expected: &[u8]) -> Option<&'a [u8]> {
    let head = line.get(..expected.len())?;
    let rest = &line[expected.len()..];
    let ends = rest.first().is_none_or(u8::is_ascii_whitespace);
    (head.eq_ignore_ascii_case(expected) && ends).then(|| rest.trim_ascii())
}

fn three(mut text: &[u8], place: Place) -> Result<Vec3, FormatError> {
    let mut numbers = [0.0; 3];
    for number in &mut numbers {
        text = text.trim_ascii_start();
        let Ok((value, length)) = fast_float2::parse_partial::<f32, _>(text) else {
            return Err(FormatError::new(
                place,
                "three numbers are needed here",
                "correct the line, or export the file again",
            ));
        };
        *number = value;
        text = &text[length..];
    }
    Ok(numbers.into())
}
