//! Writing PLY: one mesh with its sets at vertices and at faces.

use std::{fmt::Write as _, sync::Arc};

use percent_encoding::{AsciiSet, CONTROLS, utf8_percent_encode};
use speckle_color::{Rgba, bytes_from_rgba};
use speckle_mesh::Placement;
use speckle_model::{ColorSet, Part};

use crate::{
    Body, Depth, Format, Light, Shipment, WriteOptions, Written, carried, note::ChannelNote,
    numbers::Numbers, seams::SplitVertices,
};

/// What is written by the numbers of its bytes in names, beside all that is not ASCII: many readers
/// take heads for ASCII and stumble over anything else.
const IN_NAMES: &AsciiSet = &CONTROLS.add(b'%');

/// One part as it will stand in the file.
struct Share<'a> {
    part: &'a Part,
    split: Arc<SplitVertices>,
}

/// A set of the file: those of all parts that have its name and stand at the same element.
struct Column<'a> {
    name: &'a str,
    numbers: Numbers,
    /// What stands before the names of its properties.
    prefix: String,
    /// The set of each part; white where a part lacks it.
    sets: Vec<Option<&'a ColorSet>>,
    /// Sets of other names that stand in it.
    others: Vec<&'a str>,
}

/// The first sets of parts that come under one name, though they have several: that name, and the
/// others.
pub fn under_one_name(parts: &[Part], light: Light) -> Vec<(&str, Vec<&str>)> {
    let both = [false, true].into_iter().flat_map(|at_faces| columns(parts, light, at_faces));
    both.filter(|column| !column.others.is_empty()).map(|own| (own.name, own.others)).collect()
}

/// The sets at vertices (and corners), or those at faces, over all parts. The first one has the
/// usual names; others have their own in front.
fn columns(parts: &[Part], light: Light, at_faces: bool) -> Vec<Column<'_>> {
    let abilities = Format::Ply.abilities();
    let mut columns: Vec<Column> = Vec::new();
    for (number, part) in parts.iter().enumerate() {
        let own = carried(&abilities, part);
        let own = own.into_iter().filter(|set| (set.placement == Placement::Face) == at_faces);
        for (taken, set) in own.enumerate() {
            let numbers = Numbers::of(set, light);
            // Parts agree on the first set by its place, on others by name.
            let found = match taken {
                0 if columns.first().is_some_and(|first| {
                    first.sets.len() <= number && first.numbers == numbers
                }) =>
                {
                    Some(0)
                }
                _ => columns.iter().position(|c| {
                    c.name == set.name && c.numbers == numbers && c.sets.len() <= number
                }),
            };
            let column = found.unwrap_or_else(|| {
                let prefix = if columns.is_empty() {
                    String::new()
                } else {
                    let plain = |c: char| if c.is_ascii_alphanumeric() { c } else { '_' };
                    format!(
                        "set{}_{}_",
                        columns.len() + 1,
                        set.name.chars().map(plain).collect::<String>()
                    )
                };
                let (sets, others) = Default::default();
                columns.push(Column { name: &set.name, numbers, prefix, sets, others });
                columns.len() - 1
            });
            let column = &mut columns[column];
            column.sets.resize(number, None);
            column.sets.push(Some(set));
            if column.name != set.name && !column.others.contains(&set.name.as_str()) {
                column.others.push(&set.name);
            }
        }
    }
    columns.iter_mut().for_each(|column| column.sets.resize(parts.len(), None));
    columns
}

/// Writes the parts; several are joined into the one mesh that a PLY file holds.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Written {
    let parts = shipment.parts;
    let (light, abilities) = (options.light(Light::Encoded), Format::Ply.abilities());
    let (at_vertices, at_faces) = (columns(parts, light, false), columns(parts, light, true));
    let shares: Vec<Share> = parts
        .iter()
        .enumerate()
        .map(|(number, part)| {
            let sets: Vec<&ColorSet> =
                at_vertices.iter().filter_map(|column| column.sets[number]).collect();
            Share { part, split: shipment.split(part, &sets, abilities.split_by()) }
        })
        .collect();
    let wide_counts = needs_wide_counts(&shares);
    let mut body = Writer { out: Vec::new(), form: options.body, wide_counts };
    let head = head(&shares, shipment, (&at_vertices, &at_faces), options);
    body.out.extend_from_slice(head.as_bytes());
    let (has_uvs, has_normals) = (has_uvs(&shares), has_normals(&shares));
    for (number, share) in shares.iter().enumerate() {
        let mut colors: Vec<_> = at_vertices
            .iter()
            .map(|column| column.sets[number].map(|set| share.split.values(share.part, set)))
            .collect();
        let normals = if has_normals { share.split.normals(share.part) } else { Vec::new() };
        for (n, &vertex) in share.split.vertices.iter().enumerate() {
            for x in share.part.geometry.mesh().positions()[vertex as usize].to_array() {
                body.float(x);
            }
            for x in normals.get(n).map(|normal| normal.to_array()).into_iter().flatten() {
                body.float(x);
            }
            for color in &mut colors {
                let color = color.as_mut().and_then(Iterator::next);
                body.color(color.unwrap_or([1.0; 4]), options);
            }
            body.end_row();
        }
    }
    let mut first_vertex = 0;
    for (number, share) in shares.iter().enumerate() {
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
            for column in &at_faces {
                body.color(column.sets[number].map_or([1.0; 4], |set| set.values[face]), options);
            }
            body.end_row();
        }
        first_vertex += share.split.vertices.len() as u32;
    }
    Written::alone(body.out)
}

fn has_uvs(shares: &[Share]) -> bool {
    shares.iter().any(|share| !share.part.geometry.mesh().uv_sets().is_empty())
}

fn has_normals(shares: &[Share]) -> bool {
    shares.iter().any(|share| share.part.geometry.mesh().normals().is_some())
}

fn head(
    shares: &[Share],
    shipment: &Shipment,
    (at_vertices, at_faces): (&[Column], &[Column]),
    options: WriteOptions,
) -> String {
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

    let mut head = format!("ply\nformat {form} 1.0\n");
    for (element, columns) in [("vertex", at_vertices), ("face", at_faces)] {
        for column in columns {
            let word = column.numbers.word(Light::Encoded);
            // A name's own line breaks would end the comment.
            let name = column.name.split_whitespace().collect::<Vec<_>>().join(" ");
            let name = utf8_percent_encode(&name, IN_NAMES);
            let _ = writeln!(head, "comment color_set {element} {word} {name}");
        }
    }
    if !(at_vertices.is_empty() && at_faces.is_empty()) {
        let light = options.light(Light::Encoded).words();
        let _ = writeln!(head, "comment colors are {light}; data is plain numbers");
    }
    for line in shipment.note.map(ChannelNote::lines).unwrap_or_default() {
        let line = line.replace(['·', '–', '—', '−'], "-").replace('×', "x");
        let _ = writeln!(head, "comment {}", utf8_percent_encode(&line, CONTROLS));
    }
    let colors = |head: &mut String, columns: &[Column]| {
        for column in columns {
            for channel in channels {
                let _ = writeln!(head, "property {number} {}{channel}", column.prefix);
            }
        }
    };
    let _ = writeln!(head, "element vertex {vertices}");
    head.push_str("property float x\nproperty float y\nproperty float z\n");
    if has_normals(shares) {
        head.push_str("property float nx\nproperty float ny\nproperty float nz\n");
    }
    colors(&mut head, at_vertices);
    let _ = writeln!(head, "element face {faces}");
    let count = if needs_wide_counts(shares) { "uint" } else { "uchar" };
    let _ = writeln!(head, "property list {count} int vertex_indices");
    if has_uvs(shares) {
        let _ = writeln!(head, "property list {count} float texcoord");
    }
    colors(&mut head, at_faces);
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
