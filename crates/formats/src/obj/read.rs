//! Reading OBJ: objects become parts, groups what the user says.

use std::{borrow::Cow, collections::HashMap};

use glam::{Vec2, Vec3};
use memchr::memchr;
use speckle_color::Rgba;
use speckle_mesh::{
    Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{Material, Materials};

use super::materials;
use crate::{
    Content, FormatError, Light, MeshFile, Place, RawPart, RawSet, Reading, Repair, RepairKind,
    numbers::Numbers,
};

/// Reads an OBJ file; a part without a name of its own takes the file's.
///
/// # Errors
/// With the line that is wrong.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let mut obj = Obj::new(file.stem());
    let (mut rest, mut line) = (file.bytes, 0);
    while !rest.is_empty() {
        line += 1;
        let mut text = Cow::Borrowed(cut_line(&mut rest));
        let first_line = line;
        while text.last() == Some(&b'\\') {
            // The next line goes on with this one.
            line += 1;
            let mut whole = text.into_owned();
            whole.pop();
            whole.push(b' ');
            whole.extend_from_slice(cut_line(&mut rest));
            text = whole.into();
        }
        obj.line(&text, first_line)?;
        if obj.corner_vertices.len().max(obj.positions.len()) > options.limits.elements {
            return Err(FormatError::too_many(options.limits));
        }
    }
    obj.into_content(file)
}

/// Takes the next line off, without its end.
fn cut_line<'a>(rest: &mut &'a [u8]) -> &'a [u8] {
    let end = memchr(b'\n', rest).unwrap_or(rest.len());
    let line = &rest[..end];
    *rest = &rest[(end + 1).min(rest.len())..];
    line.strip_suffix(b"\r").unwrap_or(line)
}

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\r')
}

fn skip_blanks(mut text: &[u8]) -> &[u8] {
    while let [first, rest @ ..] = text
        && is_blank(*first)
    {
        text = rest;
    }
    text
}

/// Names of faces, in the order they are met.
#[derive(Default)]
struct Names {
    names: Vec<String>,
    number: HashMap<String, u32>,
    /// The name in force for each face.
    faces: Vec<u32>,
    current: u32,
}

impl Names {
    fn new(first: &str) -> Self {
        let mut names = Self::default();
        names.choose(first);
        names
    }

    fn choose(&mut self, name: &str) {
        self.current = *self.number.entry(name.to_owned()).or_insert_with(|| {
            self.names.push(name.to_owned());
            self.names.len() as u32 - 1
        });
    }

    fn push(&mut self) {
        self.faces.push(self.current);
    }
}

struct Obj {
    stem: String,
    positions: Vec<Vec3>,
    /// As many as positions once the first one came, empty before.
    colors: Vec<Rgba>,
    uvs: Vec<Vec2>,
    normals: Vec<Vec3>,
    bad_normals: usize,
    face_starts: Vec<u32>,
    corner_vertices: Vec<u32>,
    /// The UV of each corner, `u32::MAX` for none; empty until the first one comes.
    corner_uvs: Vec<u32>,
    /// The normal of each corner, likewise.
    corner_normals: Vec<u32>,
    objects: Names,
    /// What comments say of the set at the vertices, and of the one at the faces.
    told: [Option<(Option<String>, Numbers)>; 2],
    groups: Names,
    materials: Names,
    libraries: Vec<String>,
    /// The greatest vertex and UV asked for, counted from 1, with the line that did.
    furthest: [(u32, usize); 2],
    lines_and_points: usize,
}

impl Obj {
    fn new(stem: &str) -> Self {
        Self {
            stem: stem.to_owned(),
            positions: Vec::new(),
            colors: Vec::new(),
            uvs: Vec::new(),
            normals: Vec::new(),
            bad_normals: 0,
            face_starts: vec![0],
            corner_vertices: Vec::new(),
            corner_uvs: Vec::new(),
            corner_normals: Vec::new(),
            objects: Names::new(stem),
            told: [None, None],
            groups: Names::new(""),
            materials: Names::new(""),
            libraries: Vec::new(),
            furthest: [(0, 0); 2],
            lines_and_points: 0,
        }
    }

    fn line(&mut self, text: &[u8], line: usize) -> Result<(), FormatError> {
        let text = skip_blanks(text);
        match text {
            [b'v', blank, rest @ ..] if is_blank(*blank) => self.vertex(rest, line),
            [b'f', blank, rest @ ..] if is_blank(*blank) => self.face(rest, line),
            [b'v', b't', blank, rest @ ..] if is_blank(*blank) => {
                let mut numbers = [0.0; 2];
                self.require(&mut numbers, rest, 1, line)?;
                self.uvs.push(numbers.into());
                Ok(())
            }
            [b'v', b'n', blank, rest @ ..] if is_blank(*blank) => {
                let mut numbers = [0.0; 3];
                self.require(&mut numbers, rest, 3, line)?;
                self.normals.push(numbers.into());
                let length = numbers.iter().map(|x| x * x).sum::<f32>();
                self.bad_normals += usize::from(length < 1e-6 || !length.is_finite());
                Ok(())
            }
            [b'#', rest @ ..] => {
                if let Some(told) = rest.trim_ascii().strip_prefix(b"color_set ") {
                    self.tells(&String::from_utf8_lossy(told));
                }
                Ok(())
            }
            [] => Ok(()),
            _ => {
                self.word(&String::from_utf8_lossy(text));
                Ok(())
            }
        }
    }

    /// What a comment of ours says about a set.
    fn tells(&mut self, text: &str) {
        let mut words = text.splitn(3, ' ');
        let (element, word, name) = (words.next(), words.next(), words.next());
        let numbers = Numbers::of_word(word.unwrap_or_default(), Light::Encoded);
        let name = name.map(str::trim).filter(|name| !name.is_empty()).map(str::to_owned);
        match element {
            Some("vertex") => self.told[0] = Some((name, numbers)),
            Some("face") => self.told[1] = Some((name, numbers)),
            _ => {}
        }
    }

    /// Lines that name things; unknown ones are passed over.
    fn word(&mut self, text: &str) {
        let (word, rest) = text.split_once([' ', '\t']).unwrap_or((text, ""));
        let rest = rest.trim();
        match word {
            "o" => self.objects.choose(if rest.is_empty() { &self.stem } else { rest }),
            "g" => self.groups.choose(rest),
            "usemtl" => self.materials.choose(rest),
            "mtllib" => self.libraries.push(rest.to_owned()),
            "l" | "p" => self.lines_and_points += 1,
            _ => {}
        }
    }

    fn require(
        &self,
        into: &mut [f32],
        text: &[u8],
        least: usize,
        line: usize,
    ) -> Result<usize, FormatError> {
        let found = numbers(text, into, line)?;
        if found < least {
            return Err(FormatError::new(
                Place::Line(line),
                format!("{found} numbers stand where {least} are needed"),
                "correct the line, or export the file again",
            ));
        }
        Ok(found)
    }

    fn vertex(&mut self, text: &[u8], line: usize) -> Result<(), FormatError> {
        let mut n = [0.0; 7];
        let found = self.require(&mut n, text, 3, line)?;
        self.positions.push(Vec3::new(n[0], n[1], n[2]));
        if found >= 6 {
            self.colors.resize(self.positions.len() - 1, [1.0; 4]);
            self.colors.push([n[3], n[4], n[5], if found == 7 { n[6] } else { 1.0 }]);
        } else if !self.colors.is_empty() {
            self.colors.push([1.0; 4]);
        }
        Ok(())
    }

    fn face(&mut self, text: &[u8], line: usize) -> Result<(), FormatError> {
        let mut text = skip_blanks(text);
        let first = self.corner_vertices.len();
        while !text.is_empty() && text[0] != b'#' {
            let (vertex, rest) = index(text, self.positions.len(), line)?;
            let (mut uv, mut normal) = (u32::MAX, u32::MAX);
            text = rest;
            if let [b'/', rest @ ..] = text {
                text = rest;
                if !matches!(text, [b'/', ..]) && !text.is_empty() && !is_blank(text[0]) {
                    (uv, text) = index(text, self.uvs.len(), line)?;
                }
                if let [b'/', rest @ ..] = text {
                    (normal, text) = index(rest, self.normals.len(), line)?;
                }
            }
            if vertex >= self.furthest[0].0 {
                self.furthest[0] = (vertex + 1, line);
            }
            if uv != u32::MAX || !self.corner_uvs.is_empty() {
                self.corner_uvs.resize(self.corner_vertices.len(), u32::MAX);
                self.corner_uvs.push(uv);
                if uv != u32::MAX && uv >= self.furthest[1].0 {
                    self.furthest[1] = (uv + 1, line);
                }
            }
            if normal != u32::MAX || !self.corner_normals.is_empty() {
                self.corner_normals.resize(self.corner_vertices.len(), u32::MAX);
                self.corner_normals.push(normal);
            }
            self.corner_vertices.push(vertex);
            if !text.is_empty() && !is_blank(text[0]) {
                return Err(no_index(text, line));
            }
            text = skip_blanks(text);
        }
        if self.corner_vertices.len() == first {
            return Err(FormatError::new(
                Place::Line(line),
                "a face has no vertices",
                "correct the line, or export the file again",
            ));
        }
        self.face_starts.push(self.corner_vertices.len() as u32);
        self.objects.push();
        self.groups.push();
        self.materials.push();
        Ok(())
    }

    fn into_content(mut self, file: &MeshFile) -> Result<Content, FormatError> {
        let have = [("vertex", self.positions.len()), ("UV", self.uvs.len())];
        for ((what, count), (index, line)) in have.into_iter().zip(self.furthest) {
            if index as usize > count {
                return Err(FormatError::new(
                    Place::Line(line),
                    format!("a face uses {what} {index}, but there are only {count}"),
                    "the file is damaged or was cut short: export it again",
                ));
            }
        }
        let mut content = Content::default();
        if self.lines_and_points > 0 {
            content.notes.push("lines and points are not kept".to_owned());
        }
        if self.bad_normals > 0 {
            let (kind, count) = (RepairKind::BadNormal, self.bad_normals);
            content.repairs.push(Repair::new(&self.stem, kind, count, []));
        }
        let mut sets = Vec::new();
        if !self.colors.is_empty() {
            self.colors.resize(self.positions.len(), [1.0; 4]);
            // Some writers count colors to 255.
            let most = self.colors.iter().flatten().fold(0.0_f32, |most, &x| most.max(x));
            if most > 1.5 && most <= 255.0 {
                content.notes.push("colors count to 255 here; they were divided by it".to_owned());
                for color in &mut self.colors {
                    let alpha = if color[3] > 1.5 { color[3] / 255.0 } else { color[3] };
                    *color = [color[0] / 255.0, color[1] / 255.0, color[2] / 255.0, alpha];
                }
            }
            let usual = (None, Numbers::Color(Light::Encoded));
            let (name, numbers) = self.told[0].take().unwrap_or(usual);
            let name = name.unwrap_or_else(|| "Color".to_owned());
            let placement = Placement::Vertex;
            sets.push(RawSet { name, placement, numbers, values: self.colors });
        }
        let made_of = made_of(&self.materials, &self.libraries, file, &mut content);
        let mut of_faces = RawSet::of_materials(&made_of, self.face_starts.len() - 1);
        if let (Some(set), Some((name, numbers))) = (&mut of_faces, self.told[1].take()) {
            set.numbers = numbers;
            set.name = name.unwrap_or_else(|| std::mem::take(&mut set.name));
        }
        sets.extend(of_faces);
        let uvs: Vec<Vec2> = if self.corner_uvs.is_empty() {
            Vec::new()
        } else {
            self.corner_uvs.resize(self.corner_vertices.len(), u32::MAX);
            let at = |&i: &u32| self.uvs.get(i as usize).copied().unwrap_or_default();
            self.corner_uvs.iter().map(at).collect()
        };
        // A normal that does not exist says nothing.
        let normals = if self.corner_normals.is_empty() {
            Vec::new()
        } else {
            self.corner_normals.resize(self.corner_vertices.len(), u32::MAX);
            let at = |&i: &u32| self.normals.get(i as usize).copied().unwrap_or_default();
            self.corner_normals.iter().map(at).collect()
        };
        let uv_sets =
            if uvs.is_empty() { Vec::new() } else { vec![UvSet { name: "UV".to_owned(), uvs }] };
        let arrays = MeshArrays {
            positions: self.positions,
            face_starts: self.face_starts,
            corner_vertices: self.corner_vertices,
            uv_sets,
            normals,
        };
        // A file with one named object or group is called as that.
        let used = |names: &Names| {
            let mut used: Vec<u32> = names.faces.clone();
            used.dedup();
            match used.as_slice() {
                [one] => names.names.get(*one as usize).cloned(),
                _ => None,
            }
        };
        let name = used(&self.objects)
            .filter(|name| *name != self.stem)
            .or_else(|| used(&self.groups).filter(|name| !name.is_empty() && name != "default"))
            .unwrap_or(self.stem);
        let part = RawPart::new(name, arrays, sets)
            .of_objects(&self.objects.names, &self.objects.faces)
            .grouped(&self.groups.names, &self.groups.faces)
            .made_of(made_of);
        content.parts.push(part);
        Ok(content)
    }
}

/// What the faces are made of, with the images that are beside the file.
fn made_of(
    used: &Names,
    libraries: &[String],
    file: &MeshFile,
    content: &mut Content,
) -> Materials {
    let mut found: HashMap<String, Material> = HashMap::new();
    if used.names.len() < 2 {
        return Materials::default();
    }
    for library in libraries {
        match (file.beside)(library) {
            Some(bytes) => materials::read(&bytes, &mut found),
            None => content.notes.push(format!(
                "material colors not read: choose {library} together with the file to have them"
            )),
        }
    }
    if !used.names.iter().any(|name| found.contains_key(name)) {
        return Materials::default();
    }
    let material = |name: &String| {
        let mut material =
            found.get(name).cloned().unwrap_or_else(|| Material::new(name, [1.0; 4]));
        for x in &mut material.color {
            *x = if x.is_nan() { 1.0 } else { x.clamp(0.0, 1.0) };
        }
        material.image = material.image.filter(|image| content.take_image(image, file));
        material
    };
    let whole =
        Materials { list: used.names.iter().map(material).collect(), of_faces: used.faces.clone() };
    // Without what no face has.
    let faces: Vec<u32> = (0..used.faces.len() as u32).collect();
    whole.subset(&faces)
}

/// Reads numbers until the line or the array ends; returns how many there were.
fn numbers(mut text: &[u8], into: &mut [f32], line: usize) -> Result<usize, FormatError> {
    let mut found = 0;
    loop {
        text = skip_blanks(text);
        if text.is_empty() || text[0] == b'#' || found == into.len() {
            return Ok(found);
        }
        match fast_float2::parse_partial::<f32, _>(text) {
            Ok((value, length)) if length == text.len() || is_blank(text[length]) => {
                into[found] = value;
                found += 1;
                text = &text[length..];
            }
            _ => {
                let end = text.iter().position(|&b| is_blank(b)).unwrap_or(text.len()).min(24);
                return Err(FormatError::new(
                    Place::Line(line),
                    format!("{:?} is no number", String::from_utf8_lossy(&text[..end])),
                    "correct the line, or export the file again",
                ));
            }
        }
    }
}

fn no_index(text: &[u8], line: usize) -> FormatError {
    let end = text.iter().position(|&b| is_blank(b)).unwrap_or(text.len()).min(24);
    FormatError::new(
        Place::Line(line),
        format!("{:?} names no vertex", String::from_utf8_lossy(&text[..end])),
        "correct the line, or export the file again",
    )
}

/// Reads an index as files count (from 1, or backwards from −1) and returns it from 0.
fn index(text: &[u8], count: usize, line: usize) -> Result<(u32, &[u8]), FormatError> {
    let (negative, digits) = match text {
        [b'-', rest @ ..] => (true, rest),
        _ => (false, text),
    };
    let length = digits.iter().take_while(|b| b.is_ascii_digit()).count();
    if length == 0 || length > 10 {
        return Err(no_index(text, line));
    }
    let value = digits[..length].iter().fold(0_usize, |sum, b| 10 * sum + usize::from(b - b'0'));
    let from_zero = if negative { count.checked_sub(value) } else { value.checked_sub(1) };
    let found = from_zero.filter(|_| value > 0).and_then(|index| u32::try_from(index).ok());
    match found.filter(|&index| index < u32::MAX) {
        Some(index) => Ok((index, &digits[length..])),
        None => Err(no_index(text, line)),
    }
}
