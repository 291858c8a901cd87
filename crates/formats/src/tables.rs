//! Numbers as tables for a pipeline: a row for each vertex, corner or face, in CSV or JSON.

use std::{borrow::Cow, fmt::Write as _};

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use speckle_mesh::Placement;
use speckle_model::{ColorSet, Part};

/// What a table is written as.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum TableFile {
    /// Comma-separated values (RFC 4180), a head line first.
    #[default]
    Csv,
    /// One object with columns and rows.
    Json,
}

/// The sets of a placement, with the names their columns have.
fn columns(part: &Part, placement: Placement) -> (Vec<&ColorSet>, Vec<String>) {
    let sets: Vec<&ColorSet> = part.products().filter(|set| set.placement == placement).collect();
    let mut names: Vec<String> = match placement {
        Placement::Vertex => ["vertex", "x", "y", "z"].map(str::to_owned).to_vec(),
        Placement::Corner => ["face", "corner", "vertex"].map(str::to_owned).to_vec(),
        Placement::Face => ["face", "corners"].map(str::to_owned).to_vec(),
    };
    for set in &sets {
        names.extend(["r", "g", "b", "a"].map(|channel| format!("{}.{channel}", set.name)));
    }
    (sets, names)
}

/// Hands over each row: whole numbers first, then others.
fn rows(
    part: &Part,
    placement: Placement,
    sets: &[&ColorSet],
    mut row: impl FnMut(&[u32], &[f32]),
) {
    let mesh = part.geometry.mesh();
    let topology = part.geometry.topology();
    let mut numbers = Vec::new();
    for i in 0..placement.count(mesh) {
        numbers.clear();
        let whole: Vec<u32> = match placement {
            Placement::Vertex => {
                numbers.extend(mesh.positions()[i].to_array());
                vec![i as u32]
            }
            Placement::Corner => {
                let face = topology.face_of(i);
                let nth = i - mesh.face_corners(face).start;
                vec![face as u32, nth as u32, mesh.corner_vertices()[i]]
            }
            Placement::Face => vec![i as u32, mesh.face_corners(i).len() as u32],
        };
        numbers.extend(sets.iter().flat_map(|set| set.values[i]));
        row(&whole, &numbers);
    }
}

/// The table of a part's vertices, corners or faces, numbers as they are stored.
#[must_use]
pub fn table(part: &Part, placement: Placement, file: TableFile) -> String {
    let (sets, names) = columns(part, placement);
    match file {
        TableFile::Csv => {
            let mut out = names.iter().map(|name| quoted(name)).collect::<Vec<_>>().join(",");
            out.push_str("\r\n");
            rows(part, placement, &sets, |whole, numbers| {
                let mut first = true;
                let mut comma = |out: &mut String| {
                    if !std::mem::take(&mut first) {
                        out.push(',');
                    }
                };
                for number in whole {
                    comma(&mut out);
                    let _ = write!(out, "{number}");
                }
                for number in numbers {
                    comma(&mut out);
                    let _ = write!(out, "{number}");
                }
                out.push_str("\r\n");
            });
            out
        }
        TableFile::Json => {
            let mut all: Vec<Value> = Vec::new();
            rows(part, placement, &sets, |whole, numbers| {
                let whole = whole.iter().map(|&n| json!(n));
                all.push(whole.chain(numbers.iter().map(|&n| json!(n))).collect());
            });
            let says: Vec<Value> = sets
                .iter()
                .map(|set| json!({ "name": set.name, "encoding": set.encoding, "channels": set.channels }))
                .collect();
            json!({ "part": part.traits.name, "of": placement, "sets": says, "columns": names, "rows": all })
                .to_string()
        }
    }
}

/// A field between quotes where it needs them.
fn quoted(field: &str) -> Cow<'_, str> {
    if field.contains([',', '"', '\n', '\r']) {
        format!("\"{}\"", field.replace('"', "\"\"")).into()
    } else {
        field.into()
    }
}
