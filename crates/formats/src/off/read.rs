//! Reading OFF.

use glam::Vec3;
use speckle_color::Rgba;
use speckle_mesh::{Placement, mesh::MeshArrays};

use crate::{
    Content, FormatError, Light, Limits, MeshFile, Place, RawPart, RawSet, Reading,
    numbers::Numbers,
};

fn broken(line: usize, cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::Line(line), cause, "correct the line, or export the file again")
}

/// Reads an OFF file.
///
/// # Errors
/// With the line that is wrong.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let mut lines = Lines { rest: file.bytes, line: 0, comments: Vec::new() };
    let head = Head::read(&mut lines, options.limits)?;
    let (positions, at_vertices) = vertices(&mut lines, &head)?;
    let (face_starts, corner_vertices, at_faces) = faces(&mut lines, &head, options.limits)?;
    let mut content = Content::default();
    if head.has_uvs {
        content.notes.push("texture coordinates are not kept".to_owned());
    }
    let mut sets = Vec::new();
    for (colors, placement, count, element, usual) in [
        (at_vertices, Placement::Vertex, head.vertices, "vertex", "Color"),
        (at_faces, Placement::Face, head.faces, "face", "Face color"),
    ] {
        let Some(values) = colors.finished(count) else { continue };
        let told = lines.comments.iter().find_map(|comment| {
            let rest = comment.strip_prefix("color_set ")?.strip_prefix(element)?.trim();
            rest.split_once(' ')
        });
        let (word, name) = told.unwrap_or(("color", usual));
        let numbers = Numbers::of_word(word, Light::Encoded);
        let is_taken = sets.iter().any(|set: &RawSet| set.name == name);
        let name = if is_taken { format!("{name} (faces)") } else { name.to_owned() };
        sets.push(RawSet { name, placement, numbers, values });
    }
    let arrays = MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() };
    content.take_part(RawPart::new(file.stem().to_owned(), arrays, sets), options.budget)?;
    Ok(content)
}

/// What the first lines say.
struct Head {
    vertices: usize,
    faces: usize,
    /// How many numbers of a normal stand behind each point.
    normals: usize,
    has_uvs: bool,
}

impl Head {
    fn read(lines: &mut Lines, limits: Limits) -> Result<Self, FormatError> {
        let no_head = || broken(1, "it does not begin with a line that says OFF");
        let first = lines.next().ok_or_else(no_head)?;
        let mut words = first.split_ascii_whitespace();
        let kind = words.next().unwrap_or_default();
        let Some(before) = kind.strip_suffix("OFF") else { return Err(no_head()) };
        if before.contains(['4', 'n']) || words.clone().any(|word| word == "BINARY") {
            return Err(FormatError::new(
                Place::Line(1),
                "binary files and points of other than three numbers are not read",
                "export it again as a text of three-dimensional points",
            ));
        }
        // The counts stand behind the word, or on a line of their own.
        let counts: Vec<usize> = words.map_while(|word| word.parse().ok()).collect();
        let counts = if counts.is_empty() {
            let text = lines.next().ok_or_else(|| broken(lines.line, "the counts are missing"))?;
            text.split_ascii_whitespace().map_while(|word| word.parse().ok()).collect()
        } else {
            counts
        };
        let [vertices, faces, ..] = *counts.as_slice() else {
            return Err(broken(lines.line, "the numbers of vertices and faces stand here"));
        };
        if vertices.max(faces) > limits.elements {
            return Err(FormatError::too_many(limits));
        }
        // Each takes a line of at least a few letters.
        if vertices.saturating_add(faces) > lines.rest.len() {
            return Err(FormatError::new(
                Place::Line(lines.line),
                format!(
                    "{vertices} vertices and {faces} faces are promised, but the file ends first"
                ),
                "it was cut short: copy or export it again",
            ));
        }
        let (normals, has_uvs) = (3 * usize::from(before.contains('N')), before.starts_with("ST"));
        Ok(Self { vertices, faces, normals, has_uvs })
    }
}

fn vertices(lines: &mut Lines, head: &Head) -> Result<(Vec<Vec3>, Colors), FormatError> {
    let mut positions = Vec::with_capacity(head.vertices);
    let mut colors = Colors::default();
    for row in 0..head.vertices {
        let text = lines.promised()?;
        let mut numbers: Vec<Number> = Vec::with_capacity(10);
        for word in text.split_ascii_whitespace() {
            numbers.push(Number::parse(word, lines.line)?);
        }
        if numbers.len() < 3 {
            return Err(broken(lines.line, "a vertex needs three numbers"));
        }
        positions.push(Vec3::new(numbers[0].value, numbers[1].value, numbers[2].value));
        let from = (3 + head.normals).min(numbers.len());
        let uvs = if head.has_uvs { 2 } else { 0 };
        colors.put(row, &numbers[from..numbers.len().saturating_sub(uvs).max(from)]);
    }
    Ok((positions, colors))
}

/// Where faces begin, their vertices, and their colors.
type Faces = (Vec<u32>, Vec<u32>, Colors);

fn faces(lines: &mut Lines, head: &Head, limits: Limits) -> Result<Faces, FormatError> {
    let mut face_starts = vec![0];
    let mut corner_vertices = Vec::with_capacity(3 * head.faces);
    let mut colors = Colors::default();
    for row in 0..head.faces {
        let text = lines.promised()?;
        let mut words = text.split_ascii_whitespace();
        let count: usize = words
            .next()
            .and_then(|word| word.parse().ok())
            .ok_or_else(|| broken(lines.line, "a face begins with the number of its corners"))?;
        for nth in 0..count {
            let index = words.next().and_then(|word| word.parse::<u32>().ok());
            let index = index.ok_or_else(|| {
                broken(lines.line, format!("corner {} of {count} names no vertex", nth + 1))
            })?;
            corner_vertices.push(index);
        }
        if corner_vertices.len() > limits.elements {
            return Err(FormatError::too_many(limits));
        }
        face_starts.push(corner_vertices.len() as u32);
        let color: Vec<Number> =
            words.map(|word| Number::parse(word, lines.line)).collect::<Result<_, _>>()?;
        colors.put(row, &color);
    }
    Ok((face_starts, corner_vertices, colors))
}

/// Lines with something on them, without comments, which are kept aside.
struct Lines<'a> {
    rest: &'a [u8],
    line: usize,
    comments: Vec<String>,
}

impl Lines<'_> {
    /// The next line, which the counts promise.
    fn promised(&mut self) -> Result<String, FormatError> {
        self.next().ok_or_else(|| {
            FormatError::new(
                Place::Line(self.line),
                "the file ends before all of its vertices and faces",
                "it was cut short: copy or export it again",
            )
        })
    }

    fn next(&mut self) -> Option<String> {
        while !self.rest.is_empty() {
            let end = memchr::memchr(b'\n', self.rest).unwrap_or(self.rest.len());
            let line = &self.rest[..end];
            self.rest = &self.rest[(end + 1).min(self.rest.len())..];
            self.line += 1;
            let text = String::from_utf8_lossy(line);
            let (text, comment) = text.split_once('#').unwrap_or((&text, ""));
            if !comment.is_empty() && self.comments.len() < 64 {
                self.comments.push(comment.trim().to_owned());
            }
            if !text.trim().is_empty() {
                return Some(text.trim().to_owned());
            }
        }
        None
    }
}

/// A number, and whether it was written as a whole one.
#[derive(Clone, Copy)]
struct Number {
    value: f32,
    is_whole: bool,
}

impl Number {
    fn parse(word: &str, line: usize) -> Result<Self, FormatError> {
        let value = fast_float2::parse::<f32, _>(word).map_err(|_| {
            let shown: String = word.chars().take(24).collect();
            broken(line, format!("{shown:?} is no number"))
        })?;
        Ok(Self { value, is_whole: word.bytes().all(|b| b.is_ascii_digit()) })
    }
}

/// Colors of rows, of which some may have none.
#[derive(Default)]
struct Colors {
    values: Vec<Rgba>,
    /// Whether any number has a point: then they count to 1.
    has_points: bool,
}

impl Colors {
    fn put(&mut self, row: usize, numbers: &[Number]) {
        // One number alone would be the entry of a palette that is not there.
        if numbers.len() < 3 {
            return;
        }
        self.values.resize(row, [f32::NAN; 4]);
        let channel = |i: usize| numbers.get(i).map_or(f32::NAN, |number| number.value);
        self.values.push(std::array::from_fn(channel));
        self.has_points |= numbers.iter().take(4).any(|number| !number.is_whole);
    }

    fn finished(mut self, count: usize) -> Option<Vec<Rgba>> {
        if self.values.is_empty() {
            return None;
        }
        self.values.resize(count, [f32::NAN; 4]);
        // Whole numbers of 0 and 1 alone are no bytes either.
        let most = self.values.iter().flatten().fold(0.0_f32, |most, &x| most.max(x));
        let full = if self.has_points || most <= 1.0 { 1.0 } else { 255.0 };
        let number = |x: f32| if x.is_nan() { 1.0 } else { x / full };
        Some(self.values.into_iter().map(|value| value.map(number)).collect())
    }
}
