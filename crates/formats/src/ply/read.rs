//! Reading PLY bodies, text and binary, into parts.

mod rows;
mod stream;

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_color::Rgba;
use speckle_mesh::{
    Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::MOST_SETS;

use super::header::{self, Element, Header, Property, Scalar};
use crate::{
    Body, Content as Found, FormatError, Light, Limits, MeshFile, Place, RawPart, RawSet, Reading,
    numbers::Numbers,
};
use rows::{Row, slot, slot_among};
use stream::{Binary, Stream, Text};

/// Reads a PLY file; the one part it holds takes the name given.
///
/// # Errors
/// With the line (text) or byte (binary) that is wrong.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Found, FormatError> {
    let (bytes, limits) = (file.bytes, options.limits);
    let header = header::parse(bytes)?;
    let at = header.body_start;
    let mut content = Content::default();
    match header.body {
        Body::Ascii => match read_by_all_cores(&header, bytes, limits) {
            Some(whole) => {
                content = whole;
                Ok(())
            }
            None => read_body(&header, &mut Text { bytes, at }, limits, &mut content),
        },
        Body::Little => read_body(&header, &mut Binary::<true> { bytes, at }, limits, &mut content),
        Body::Big => read_body(&header, &mut Binary::<false> { bytes, at }, limits, &mut content),
    }?;
    Ok(content.into_found(file.stem(), &header))
}

/// What a body gives, as it stands in the file.
#[derive(Default)]
struct Content {
    positions: Vec<Vec3>,
    /// Those without a name of their own first, then each group of named ones.
    vertex_colors: Vec<Colors>,
    vertex_uvs: Vec<Vec2>,
    vertex_normals: Vec<Vec3>,
    face_starts: Vec<u32>,
    corner_vertices: Vec<u32>,
    face_colors: Vec<Colors>,
    corner_uvs: Vec<Vec2>,
    notes: Vec<String>,
}

/// The colors that one group of properties gives.
#[derive(Clone, Default)]
struct Colors {
    /// What stands before `red` in the properties' names.
    prefix: String,
    values: Vec<Rgba>,
    /// The type of numbers that do not say by themselves how far they go.
    unsure: Option<Scalar>,
    /// How many of the channels the file has.
    channels: usize,
}

/// From here on floats are no light that is a little too bright, but go to 255.
const NO_FRACTION: f32 = 4.0;

impl Colors {
    /// Brings numbers to 0–1 whose type does not tell how far they go: files declare `int` or
    /// `float` and write 0–255 (seen in files; the format leaves it open).
    fn settle(&mut self, notes: &mut Vec<String>) {
        let Some(scalar) = self.unsure else { return };
        let channels = self.channels;
        let numbers = self.values.iter().flat_map(|value| &value[..channels]);
        let most = numbers.fold(0.0_f32, |most, number| most.max(*number));
        let is_whole = !matches!(scalar, Scalar::F32 | Scalar::F64);
        let full = match most {
            most if !is_whole && most <= NO_FRACTION => return,
            most if most <= 255.0 => 255.0,
            most if most <= 65_535.0 => 65_535.0,
            _ if is_whole => scalar.full_scale(),
            _ => return,
        };
        for value in &mut self.values {
            value[..channels].iter_mut().for_each(|number| *number /= full);
        }
        if !is_whole {
            notes.push(format!("colors go to {most}: they were taken as 0 to {full}"));
        }
    }
}

impl Content {
    fn into_found(mut self, name: &str, header: &Header) -> Found {
        for colors in self.vertex_colors.iter_mut().chain(&mut self.face_colors) {
            colors.settle(&mut self.notes);
        }
        let mut sets = Vec::new();
        for (values, placement, element, usual) in [
            (self.vertex_colors, Placement::Vertex, "vertex", "Color"),
            (self.face_colors, Placement::Face, "face", "Face color"),
        ] {
            // Comments name the sets of an element in the order of their properties.
            let mut told = header.sets.iter().filter(|set| set.element == element);
            for Colors { prefix, values, .. } in values {
                let own = prefix.trim_end_matches('_');
                let usual = if own.is_empty() { usual } else { own };
                let as_usual = (usual, Numbers::Color(Light::Encoded));
                let (name, numbers) = told.next().map_or(as_usual, |set| (&set.name, set.numbers));
                let is_taken = |name: &str| sets.iter().any(|set: &RawSet| set.name == name);
                let mut name = name.to_owned();
                if is_taken(&name) && placement == Placement::Face {
                    name.push_str(" (faces)");
                }
                let numbered = (2..).map(|n| format!("{name} {n}"));
                let name = std::iter::once(name.clone()).chain(numbered).find(|n| !is_taken(n));
                let name = name.unwrap_or_default();
                sets.push(RawSet { name, placement, numbers, values });
            }
        }
        sets.truncate(MOST_SETS);

        let uvs = if self.corner_uvs.len() == self.corner_vertices.len() {
            self.corner_uvs
        } else {
            let at = |&v: &u32| self.vertex_uvs.get(v as usize).copied().unwrap_or_default();
            let count = if self.vertex_uvs.is_empty() { 0 } else { self.corner_vertices.len() };
            self.corner_vertices.iter().take(count).map(at).collect()
        };
        let uv_sets =
            if uvs.is_empty() { vec![] } else { vec![UvSet { name: "UV".to_owned(), uvs }] };
        let at = |&v: &u32| self.vertex_normals.get(v as usize).copied().unwrap_or_default();
        let count = if self.vertex_normals.is_empty() { 0 } else { self.corner_vertices.len() };
        let normals = self.corner_vertices.iter().take(count).map(at).collect();
        let arrays = MeshArrays {
            positions: self.positions,
            face_starts: self.face_starts,
            corner_vertices: self.corner_vertices,
            uv_sets,
            normals,
        };
        let part = RawPart::new(name.to_owned(), arrays, sets);
        Found { parts: vec![part], notes: self.notes, ..Found::default() }
    }
}

/// How many bytes of text are worth a thread of their own.
const PIECE_BYTES: usize = 1 << 18;

/// Reads a text of the usual shape, vertices and then faces with a line for each, piece by piece on
/// all cores. Anything else, also whatever is wrong, is `None`: read in order it is told exactly.
fn read_by_all_cores(header: &Header, bytes: &[u8], limits: Limits) -> Option<Content> {
    let [vertex, face] = header.elements.as_slice() else { return None };
    let body = bytes.get(header.body_start..)?;
    let is_usual = vertex.name == "vertex" && face.name == "face" && body.len() > 2 * PIECE_BYTES;
    if !is_usual || vertex.count.max(face.count) > limits.elements {
        return None;
    }
    let mut pieces: Vec<&[u8]> = Vec::with_capacity(body.len() / PIECE_BYTES + 1);
    let mut rest = body;
    while !rest.is_empty() {
        let from = PIECE_BYTES.min(rest.len());
        let end = memchr::memchr(b'\n', &rest[from..]).map_or(rest.len(), |at| from + at + 1);
        let (piece, behind) = rest.split_at(end);
        pieces.push(piece);
        rest = behind;
    }
    let counts: Vec<usize> =
        pieces.par_iter().map(|piece| memchr::memchr_iter(b'\n', piece).count()).collect();
    // The rows before each piece; the last line may do without its end.
    let mut first_row = 0;
    let jobs: Vec<(usize, usize, &[u8])> = pieces
        .into_iter()
        .zip(counts)
        .map(|(piece, lines)| {
            let open_line = usize::from(piece.last().is_some_and(|&b| b != b'\n'));
            let job = (first_row, lines + open_line, piece);
            first_row += lines + open_line;
            job
        })
        .collect();
    let wanted = vertex.count + face.count;
    let read: Option<Vec<Content>> = jobs
        .into_par_iter()
        .map(|(first, lines, piece)| {
            let rows = lines.min(wanted.saturating_sub(first));
            let vertices = vertex.count.saturating_sub(first).min(rows);
            let mut text = Text { bytes: piece, at: 0 };
            let mut content = Content::default();
            if vertices > 0 {
                let element = Element { count: vertices, ..vertex.clone() };
                read_vertices(&element, &mut text, &mut content).ok()?;
            }
            if rows > vertices {
                let element = Element { count: rows - vertices, ..face.clone() };
                read_faces(&element, &mut text, limits, &mut content).ok()?;
            }
            // Rows that do not end with their lines would leave something over here.
            text.bytes[text.at..].iter().all(u8::is_ascii_whitespace).then_some(content)
        })
        .collect();
    if first_row < wanted {
        return None;
    }
    let mut whole = Content::default();
    whole.face_starts.push(0);
    for piece in read? {
        let before = whole.corner_vertices.len() as u32;
        whole.positions.extend(piece.positions);
        join(&mut whole.vertex_colors, piece.vertex_colors);
        whole.vertex_uvs.extend(piece.vertex_uvs);
        whole.vertex_normals.extend(piece.vertex_normals);
        whole.face_starts.extend(piece.face_starts.iter().skip(1).map(|start| start + before));
        whole.corner_vertices.extend(piece.corner_vertices);
        join(&mut whole.face_colors, piece.face_colors);
        whole.corner_uvs.extend(piece.corner_uvs);
        let new = |note: &String| !whole.notes.contains(note);
        let notes: Vec<String> = piece.notes.into_iter().filter(new).collect();
        whole.notes.extend(notes);
        if whole.corner_vertices.len() > limits.elements {
            return None;
        }
    }
    Some(whole)
}

/// Puts the colors of a piece behind those before it: all pieces have the same properties.
fn join(whole: &mut Vec<Colors>, piece: Vec<Colors>) {
    if whole.is_empty() {
        *whole = piece;
        return;
    }
    for (own, more) in whole.iter_mut().zip(piece) {
        own.values.extend(more.values);
    }
}

fn read_body<S: Stream>(
    header: &Header,
    source: &mut S,
    limits: Limits,
    content: &mut Content,
) -> Result<(), FormatError> {
    for element in &header.elements {
        if element.count > limits.elements {
            return Err(FormatError::too_many(limits));
        }
        let least: usize = element
            .properties
            .iter()
            .map(|p| S::least_size(p.list_count.unwrap_or(p.scalar)))
            .sum();
        if element.count.saturating_mul(least) > source.remaining() + 1 {
            return Err(FormatError::new(
                Place::Line(element.line),
                format!(
                    "{} {} elements are promised, but the file has room for {} at most",
                    element.count,
                    element.name,
                    source.remaining() / least.max(1)
                ),
                "it was cut short: copy or export it again",
            ));
        }
        match element.name.as_str() {
            "vertex" => read_vertices(element, source, content)?,
            "face" => read_faces(element, source, limits, content)?,
            _ => skip(element, source, content)?,
        }
    }
    if header.elements.iter().all(|element| element.name != "vertex") {
        return Err(FormatError::new(
            Place::File,
            "the header declares no vertex element",
            "export it again as a mesh with vertices and faces",
        ));
    }
    Ok(())
}

fn read_vertices<S: Stream>(
    element: &Element,
    source: &mut S,
    content: &mut Content,
) -> Result<(), FormatError> {
    let mut row = Row::new(&element.properties);
    if !(slot::X..slot::X + 3).all(|slot| row.slots.contains(&slot)) {
        return Err(FormatError::new(
            Place::Line(element.line),
            "vertices need the properties x, y and z",
            "export it again with positions",
        ));
    }
    let ignored: Vec<&str> = element
        .properties
        .iter()
        .filter(|p| slot_among(&p.name, &row.prefixes) == slot::REST)
        .map(|p| p.name.as_str())
        .collect();
    if !ignored.is_empty() {
        content.notes.push(format!("vertex properties not kept: {}", ignored.join(", ")));
    }
    content.vertex_colors = row.colors(element.count);
    content.positions.reserve_exact(element.count);
    for _ in 0..element.count {
        for (i, property) in element.properties.iter().enumerate() {
            match property.list_count {
                None => row.put(i, source.scalar(property.scalar)?),
                Some(count) => skip_list(source, count, property.scalar)?,
            }
        }
        content.positions.push(Vec3::new(row.values[0], row.values[1], row.values[2]));
        row.put_colors(&mut content.vertex_colors);
        if row.has_uv {
            content.vertex_uvs.push(Vec2::new(row.values[slot::U], row.values[slot::U + 1]));
        }
        if row.has_normal {
            content.vertex_normals.push(Vec3::from_slice(&row.values[slot::N..]));
        }
    }
    Ok(())
}

fn read_faces<S: Stream>(
    element: &Element,
    source: &mut S,
    limits: Limits,
    content: &mut Content,
) -> Result<(), FormatError> {
    let is_vertices = |p: &Property| {
        p.list_count.is_some() && matches!(p.name.as_str(), "vertex_indices" | "vertex_index")
    };
    if !element.properties.iter().any(is_vertices) {
        return Err(FormatError::new(
            Place::Line(element.line),
            "faces need the list vertex_indices",
            "export it again with faces",
        ));
    }
    let mut row = Row::new(&element.properties);
    let ignored: Vec<&str> = element
        .properties
        .iter()
        .filter(|p| !is_vertices(p) && p.name != "texcoord")
        .filter(|p| {
            let slot = slot_among(&p.name, &row.prefixes);
            let is_color = (slot::R..=slot::A).contains(&slot) || slot >= slot::COUNT;
            !is_color || p.list_count.is_some()
        })
        .map(|p| p.name.as_str())
        .collect();
    if !ignored.is_empty() {
        content.notes.push(format!("face properties not kept: {}", ignored.join(", ")));
    }
    content.face_colors = row.colors(element.count);
    content.face_starts.reserve_exact(element.count + 1);
    content.face_starts.push(0);
    for _ in 0..element.count {
        for (i, property) in element.properties.iter().enumerate() {
            let Some(count) = property.list_count else {
                row.put(i, source.scalar(property.scalar)?);
                continue;
            };
            if is_vertices(property) {
                let length = source.list_length(count, property.scalar)?;
                for _ in 0..length {
                    let index = source.integer(property.scalar)?;
                    let index = u32::try_from(index).map_err(|_| {
                        FormatError::new(
                            source.place(),
                            format!("a face cannot use vertex {index}"),
                            "the file is damaged: export it again",
                        )
                    })?;
                    content.corner_vertices.push(index);
                }
            } else if property.name == "texcoord" {
                let length = source.list_length(count, property.scalar)?;
                for _ in 0..length / 2 {
                    let u = source.scalar(property.scalar)? as f32;
                    content.corner_uvs.push(Vec2::new(u, source.scalar(property.scalar)? as f32));
                }
                if length % 2 == 1 {
                    source.scalar(property.scalar)?;
                }
            } else {
                skip_list(source, count, property.scalar)?;
            }
        }
        if content.corner_vertices.len() > limits.elements {
            return Err(FormatError::too_many(limits));
        }
        content.face_starts.push(content.corner_vertices.len() as u32);
        row.put_colors(&mut content.face_colors);
    }
    Ok(())
}

fn skip_list<S: Stream>(source: &mut S, count: Scalar, item: Scalar) -> Result<(), FormatError> {
    for _ in 0..source.list_length(count, item)? {
        source.scalar(item)?;
    }
    Ok(())
}

fn skip<S: Stream>(
    element: &Element,
    source: &mut S,
    content: &mut Content,
) -> Result<(), FormatError> {
    if element.count == 0 || element.properties.is_empty() {
        return Ok(());
    }
    content.notes.push(format!("{} {} elements not kept", element.count, element.name));
    for _ in 0..element.count {
        for property in &element.properties {
            match property.list_count {
                None => {
                    source.scalar(property.scalar)?;
                }
                Some(count) => skip_list(source, count, property.scalar)?,
            }
        }
    }
    Ok(())
}
