//! Writing OBJ: an object for each part, colors behind the coordinates.

use std::io::Write as _;

use speckle_core::{Part, Placement};

use crate::{Export, WriteOptions, seams::SplitVertices};

/// Writes the parts.
pub fn write(parts: &[Part], options: WriteOptions) -> Export {
    let mut notes = Vec::new();
    let mut out =
        b"# Jaunty Speckle. Numbers behind a place are its color, sRGB-encoded.\n".to_vec();
    let (mut first_vertex, mut first_uv) = (1, 1);
    for part in parts {
        let name = &part.traits.name;
        let chosen = part.sets.iter().find(|set| set.placement != Placement::Face);
        for set in part.sets.iter().filter(|set| chosen.is_none_or(|c| c.id != set.id)) {
            notes
                .push(format!("{name}: the set {} was left out, OBJ has no room for it", set.name));
        }
        let mesh = part.geometry.mesh();
        let split = SplitVertices::new(part, chosen.as_slice(), false);
        let added = split.vertices.len().saturating_sub(mesh.vertex_count());
        if added > 0 {
            notes.push(format!(
                "{name}: {added} vertices were added where colors change at a corner"
            ));
        }
        // A name's own line breaks would begin another line.
        let name = name.split_whitespace().collect::<Vec<_>>().join(" ");
        let mut line = |args: std::fmt::Arguments| {
            out.write_fmt(args).expect("writing to memory cannot fail");
        };
        line(format_args!("o {name}\n"));
        let mut colors = chosen.map(|set| split.values(part, set));
        for &vertex in &split.vertices {
            let [x, y, z] = mesh.positions()[vertex as usize].to_array();
            match colors.as_mut().and_then(Iterator::next) {
                None => line(format_args!("v {x} {y} {z}\n")),
                Some([r, g, b, a]) if options.alpha && a != 1.0 => {
                    line(format_args!("v {x} {y} {z} {r} {g} {b} {a}\n"));
                }
                Some([r, g, b, _]) => line(format_args!("v {x} {y} {z} {r} {g} {b}\n")),
            }
        }
        let uvs = mesh.uv_sets().first();
        for uv in uvs.iter().flat_map(|set| &set.uvs) {
            line(format_args!("vt {} {}\n", uv.x, uv.y));
        }
        for face in 0..mesh.face_count() {
            line(format_args!("f"));
            for corner in mesh.face_corners(face) {
                let vertex = first_vertex + split.of_corner[corner] as usize;
                match uvs {
                    Some(_) => line(format_args!(" {vertex}/{}", first_uv + corner)),
                    None => line(format_args!(" {vertex}")),
                }
            }
            line(format_args!("\n"));
        }
        first_vertex += split.vertices.len();
        first_uv += uvs.map_or(0, |set| set.uvs.len());
    }
    if parts.iter().any(|part| !part.sets.is_empty()) {
        notes.push("some readers pass over colors in OBJ files".to_owned());
    }
    Export { bytes: out, notes }
}
