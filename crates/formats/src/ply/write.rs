//! Writing PLY: one mesh with one set per vertex and one per face.

use std::fmt::Write as _;

use speckle_core::{
    ColorSet, Encoding, Part, Placement,
    color::{Rgba, bytes_from_rgba},
};

use crate::{Body, Depth, Export, WriteOptions, seams::SplitVertices};

/// One part as it will stand in the file.
struct Share<'a> {
    part: &'a Part,
    split: SplitVertices,
    at_vertices: Option<&'a ColorSet>,
    at_faces: Option<&'a ColorSet>,
}

/// Writes the parts; several are joined into the one mesh that a PLY file holds.
pub fn write(parts: &[Part], options: WriteOptions) -> Export {
    let mut notes = Vec::new();
    let shares: Vec<Share> = parts
        .iter()
        .map(|part| {
            let at_faces = part.sets.iter().find(|s| s.placement == Placement::Face);
            let at_vertices = part.sets.iter().find(|s| s.placement != Placement::Face);
            for set in &part.sets {
                let is = |chosen: Option<&ColorSet>| chosen.is_some_and(|c| c.id == set.id);
                if !is(at_faces) && !is(at_vertices) {
                    notes.push(format!(
                        "{}: the set {} was left out, PLY has no room for it",
                        part.traits.name, set.name
                    ));
                }
            }
            let split = SplitVertices::new(part, at_vertices.as_slice(), false);
            let added = split.vertices.len().saturating_sub(part.geometry.mesh().vertex_count());
            if added > 0 {
                notes.push(format!(
                    "{}: {added} vertices were added where colors change at a corner",
                    part.traits.name
                ));
            }
            Share { part, split, at_vertices, at_faces }
        })
        .collect();
    if parts.len() > 1 {
        notes.push(format!("{} parts were joined: a PLY file holds one mesh", parts.len()));
    }

    let wide_counts = needs_wide_counts(&shares);
    let mut body = Writer { out: Vec::new(), form: options.body, wide_counts };
    body.out.extend_from_slice(head(&shares, options).as_bytes());
    let has_vertex_colors = shares.iter().any(|share| share.at_vertices.is_some());
    let has_face_colors = shares.iter().any(|share| share.at_faces.is_some());
    let has_uvs = has_uvs(&shares);
    for share in &shares {
        let mut colors = share.at_vertices.map(|set| share.split.values(share.part, set));
        for &vertex in &share.split.vertices {
            for x in share.part.geometry.mesh().positions()[vertex as usize].to_array() {
                body.float(x);
            }
            let color = colors.as_mut().and_then(Iterator::next);
            if has_vertex_colors {
                body.color(color.unwrap_or([1.0; 4]), options);
            }
            body.end_row();
        }
    }
    let mut first_vertex = 0;
    for share in &shares {
        let mesh = share.part.geometry.mesh();
        for face in 0..mesh.face_count() {
            let corners = mesh.face_corners(face);
            body.count(corners.len());
            for corner in corners.clone() {
                body.index(first_vertex + share.split.of_corner[corner]);
            }
            if has_uvs {
                let uvs = mesh.uv_sets().first().map(|set| &set.uvs[corners.clone()]);
                body.count(uvs.map_or(0, |uvs| 2 * uvs.len()));
                for uv in uvs.into_iter().flatten() {
                    body.float(uv.x);
                    body.float(uv.y);
                }
            }
            if has_face_colors {
                body.color(share.at_faces.map_or([1.0; 4], |set| set.values[face]), options);
            }
            body.end_row();
        }
        first_vertex += share.split.vertices.len() as u32;
    }
    Export { bytes: body.out, notes }
}

fn has_uvs(shares: &[Share]) -> bool {
    shares.iter().any(|share| !share.part.geometry.mesh().uv_sets().is_empty())
}

fn head(shares: &[Share], options: WriteOptions) -> String {
    let form = match options.body {
        Body::Ascii => "ascii",
        Body::Little => "binary_little_endian",
        Body::Big => "binary_big_endian",
    };
    let number = if is_float(options) { "float" } else { "uchar" };
    let channels: &[&str] =
        if options.alpha { &["red", "green", "blue", "alpha"] } else { &["red", "green", "blue"] };
    let vertices: usize = shares.iter().map(|share| share.split.vertices.len()).sum();
    let faces: usize = shares.iter().map(|share| share.part.geometry.mesh().face_count()).sum();
    let at_vertices = shares.iter().find_map(|share| share.at_vertices);
    let at_faces = shares.iter().find_map(|share| share.at_faces);

    let mut head = format!("ply\nformat {form} 1.0\n");
    for (element, set) in [("vertex", at_vertices), ("face", at_faces)] {
        if let Some(set) = set {
            let encoding = if set.encoding == Encoding::Data { "data" } else { "color" };
            // A name's own line breaks would end the comment.
            let name = set.name.split_whitespace().collect::<Vec<_>>().join(" ");
            let _ = writeln!(head, "comment color_set {element} {encoding} {name}");
        }
    }
    let colors = |head: &mut String| {
        for channel in channels {
            let _ = writeln!(head, "property {number} {channel}");
        }
    };
    let _ = writeln!(head, "element vertex {vertices}");
    head.push_str("property float x\nproperty float y\nproperty float z\n");
    if at_vertices.is_some() {
        colors(&mut head);
    }
    let _ = writeln!(head, "element face {faces}");
    let count = if needs_wide_counts(shares) { "uint" } else { "uchar" };
    let _ = writeln!(head, "property list {count} int vertex_indices");
    if has_uvs(shares) {
        let _ = writeln!(head, "property list {count} float texcoord");
    }
    if at_faces.is_some() {
        colors(&mut head);
    }
    head.push_str("end_header\n");
    head
}

fn is_float(options: WriteOptions) -> bool {
    matches!(options.depth, Depth::Float | Depth::Bits16)
}

/// True when 8 bits, which readers take best, do not hold the longest list (two UV numbers for each
/// corner).
fn needs_wide_counts(shares: &[Share]) -> bool {
    shares
        .iter()
        .flat_map(|share| share.part.geometry.mesh().face_starts().windows(2))
        .any(|bounds| 2 * (bounds[1] - bounds[0]) > u32::from(u8::MAX))
}

/// The body, value by value, in one of the three forms.
struct Writer {
    out: Vec<u8>,
    form: Body,
    wide_counts: bool,
}

impl Writer {
    fn text(&mut self, value: impl std::fmt::Display) {
        use std::io::Write as _;
        write!(self.out, "{value} ").expect("writing to memory cannot fail");
    }

    fn float(&mut self, value: f32) {
        match self.form {
            Body::Ascii => self.text(value),
            Body::Little => self.out.extend(value.to_le_bytes()),
            Body::Big => self.out.extend(value.to_be_bytes()),
        }
    }

    fn index(&mut self, value: u32) {
        match self.form {
            Body::Ascii => self.text(value),
            Body::Little => self.out.extend(value.to_le_bytes()),
            Body::Big => self.out.extend(value.to_be_bytes()),
        }
    }

    fn byte(&mut self, value: u8) {
        match self.form {
            Body::Ascii => self.text(value),
            Body::Little | Body::Big => self.out.push(value),
        }
    }

    fn count(&mut self, value: usize) {
        if self.wide_counts { self.index(value as u32) } else { self.byte(value as u8) }
    }

    fn color(&mut self, color: Rgba, options: WriteOptions) {
        let channels = if options.alpha { 4 } else { 3 };
        if is_float(options) {
            color[..channels].iter().for_each(|&value| self.float(value));
        } else {
            bytes_from_rgba(color)[..channels].iter().for_each(|&value| self.byte(value));
        }
    }

    fn end_row(&mut self) {
        if self.form == Body::Ascii {
            self.out.pop();
            self.out.push(b'\n');
        }
    }
}
