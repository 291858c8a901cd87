//! Reading 3MF: the model is read as it is unpacked, so that it is never whole in memory.

mod scene;
mod values;

use std::{
    collections::HashMap,
    io::{BufRead, BufReader, Cursor, Read},
};

use glam::{Mat4, Vec3};
use quick_xml::{
    Reader as Xml,
    events::{BytesStart, Event},
};
use speckle_color::Rgba;
use speckle_mesh::Unit;
use zip::ZipArchive;

use crate::{
    Budget, Content, FormatError, Limits, MeshFile, Origin, Place, Reading, package,
    xml::{self, broken},
};

use super::{MODEL, USUAL_PLACE};
use values::{color, matrix, no_number, whole};

/// How deep objects may hold each other.
const DEEPEST: usize = 32;

fn damaged(cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::File, cause, "the file is damaged: export it again")
}

/// Reads a 3MF file.
///
/// # Errors
/// With what of the package is missing, or the byte of the model that is wrong.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let mut package = ZipArchive::new(Cursor::new(file.bytes))
        .map_err(|error| damaged(format!("it is no package: {error}")))?;
    let place = place_of_model(&mut package, options.budget)?;
    let mut model = Model::new(options.limits, &place);
    let origin;
    {
        let entry = unpacked(&mut package, &place, options.limits)?;
        let mut source = BufReader::with_capacity(1 << 16, entry);
        let head = source.fill_buf().map_err(|error| damaged(error.to_string()))?;
        origin = Origin::find_in(head);
        model.read(source)?;
    }
    // Objects may lie in other files of the package (3MF Production Extension).
    while model.file + 1 < model.files.len() {
        model.file += 1;
        options.budget.visit()?;
        let place = model.files[model.file].clone();
        let entry = unpacked(&mut package, &place, options.limits)?;
        model.read(BufReader::with_capacity(1 << 16, entry))?;
    }
    Ok(Content { origin, ..model.into_content(file, options.budget)? })
}

/// A file of the package, bounded.
fn unpacked<'a>(
    archive: &'a mut ZipArchive<Cursor<&[u8]>>,
    name: &str,
    limits: Limits,
) -> Result<impl Read + 'a, FormatError> {
    let entry = archive
        .by_name(name)
        .map_err(|error| damaged(format!("the package has no usable {name}: {error}")))?;
    let grows = !package::may_grow(entry.compressed_size(), entry.size());
    if grows || entry.size() > limits.bytes as u64 {
        return Err(FormatError::new(
            Place::File,
            format!("{name} in the package would unpack to {} bytes", entry.size()),
            "this is more than a mesh can need: export it again",
        ));
    }
    // What it says of itself may be wrong.
    let size = entry.size();
    Ok(entry.take(size))
}

fn place_of_model(
    package: &mut ZipArchive<Cursor<&[u8]>>,
    budget: &Budget,
) -> Result<String, FormatError> {
    let mut text = Vec::new();
    if let Ok(mut relationships) = unpacked(package, "_rels/.rels", budget.limits()) {
        relationships.read_to_end(&mut text).map_err(|error| damaged(error.to_string()))?;
        let root = xml::read(&text, budget)?;
        let target = root
            .children
            .iter()
            .find(|child| child.attribute("Type") == Some(MODEL))
            .and_then(|child| child.attribute("Target"));
        if let Some(target) = target {
            return Ok(target.trim_start_matches('/').to_owned());
        }
    }
    Ok(USUAL_PLACE.to_owned())
}

/// Names an object or a group: the file it lies in, and its number there. Files of a package count
/// each for themselves.
type Id = (usize, u32);

/// A place in the package, without the stroke it may begin with.
fn in_package(place: &str) -> String {
    place.trim_start_matches('/').to_owned()
}

#[derive(Default)]
struct Object {
    name: String,
    color_set: String,
    points: Vec<Vec3>,
    triangles: Vec<[u32; 3]>,
    /// Of each triangle the group and the three entries; group `u32::MAX` for the object's own.
    colors: Vec<(u32, [u32; 3])>,
    own: Option<(u32, u32)>,
    parts: Vec<(Id, Mat4)>,
    is_support: bool,
}

struct Model {
    limits: Limits,
    unit: Unit,
    micron: bool,
    /// The files of the package that models are read from, the one that is built first.
    files: Vec<String>,
    /// Which of them is being read.
    file: usize,
    groups: HashMap<Id, Vec<Rgba>>,
    objects: HashMap<Id, Object>,
    items: Vec<(Id, Mat4)>,
    notes: Vec<String>,
    elements: usize,
}

/// What is open while the model is read.
#[derive(Default)]
struct Open {
    object: Option<(u32, Object)>,
    group: Option<(u32, Vec<Rgba>)>,
    says_set: bool,
    is_model: bool,
}

impl Model {
    fn new(limits: Limits, place: &str) -> Self {
        Self {
            limits,
            files: vec![in_package(place)],
            file: 0,
            unit: Unit::Millimetre,
            micron: false,
            groups: HashMap::new(),
            objects: HashMap::new(),
            items: Vec::new(),
            notes: Vec::new(),
            elements: 0,
        }
    }

    /// Which of the files a path leads to; it is read when its turn comes.
    fn file_of(&mut self, path: &str) -> usize {
        let place = in_package(path);
        let known = self.files.iter().position(|file| *file == place);
        known.unwrap_or_else(|| {
            self.files.push(place);
            self.files.len() - 1
        })
    }

    fn read(&mut self, source: impl BufRead) -> Result<(), FormatError> {
        let mut reader = Xml::from_reader(source);
        let mut buffer = Vec::new();
        let mut open = Open::default();
        loop {
            let at = reader.buffer_position();
            buffer.clear();
            let event = reader.read_event_into(&mut buffer).map_err(|error| broken(at, error))?;
            match event {
                Event::Start(tag) => self.begin(&tag, at, &mut open)?,
                Event::Empty(tag) => {
                    self.begin(&tag, at, &mut open)?;
                    self.end(tag.local_name().as_ref(), &mut open);
                }
                Event::End(tag) => self.end(tag.local_name().as_ref(), &mut open),
                Event::Text(text) if open.says_set => {
                    if let Some((_, object)) = &mut open.object {
                        let text = text.decode().map_err(|error| broken(at, error))?;
                        object.color_set.push_str(&text);
                    }
                }
                Event::GeneralRef(entity) if open.says_set => {
                    let name = String::from_utf8_lossy(&entity).into_owned();
                    if let (Some((_, object)), Some(letter)) =
                        (&mut open.object, quick_xml::escape::resolve_xml_entity(&name))
                    {
                        object.color_set.push_str(letter);
                    }
                }
                Event::Eof => break,
                _ => {}
            }
            if self.elements > self.limits.elements {
                return Err(FormatError::too_many(self.limits));
            }
        }
        if !open.is_model {
            return Err(damaged("its model is none: the element model is missing"));
        }
        Ok(())
    }

    fn begin(&mut self, tag: &BytesStart, at: u64, open: &mut Open) -> Result<(), FormatError> {
        let name = tag.local_name();
        match name.as_ref() {
            b"vertex" => self.vertex(tag, at, open)?,
            b"triangle" => self.triangle(tag, at, open)?,
            b"model" => self.model(tag, at, open)?,
            b"object" => open.object = Some(object(tag, at)?),
            b"component" | b"item" => self.item(tag, at, open)?,
            b"colorgroup" | b"basematerials" => {
                let attributes = xml::attributes(tag, at)?;
                let id = attributes.iter().find(|(key, _)| key == "id");
                let id = id.and_then(|(_, value)| value.parse().ok());
                open.group = Some((id.ok_or_else(|| broken(at, "a group has no id"))?, Vec::new()));
            }
            b"color" | b"base" => self.color(tag, at, open)?,
            b"metadata" => {
                let attributes = xml::attributes(tag, at)?;
                open.says_set = open.object.is_some()
                    && attributes.iter().any(|(key, v)| key == "name" && v.ends_with(":color_set"));
            }
            b"texture2d" | b"texture2dgroup" | b"compositematerials" | b"multiproperties" => {
                let note = format!("{} are not kept", String::from_utf8_lossy(name.as_ref()));
                if !self.notes.contains(&note) {
                    self.notes.push(note);
                }
            }
            _ => {}
        }
        Ok(())
    }

    // Most of a file are vertices and triangles: no list of attributes is made for them.
    fn vertex(&mut self, tag: &BytesStart, at: u64, open: &mut Open) -> Result<(), FormatError> {
        self.elements += 1;
        let mut point = [f32::NAN; 3];
        each(tag, at, |key, value| {
            let axis = match key {
                b"x" => 0,
                b"y" => 1,
                b"z" => 2,
                _ => return Ok(()),
            };
            point[axis] = fast_float2::parse(value).map_err(|_| no_number(at, value))?;
            Ok(())
        })?;
        if let Some((_, object)) = &mut open.object {
            object.points.push(point.into());
        }
        Ok(())
    }

    fn triangle(&mut self, tag: &BytesStart, at: u64, open: &mut Open) -> Result<(), FormatError> {
        self.elements += 1;
        let mut vertices = [u32::MAX; 3];
        let (mut group, mut entries) = (u32::MAX, [u32::MAX; 3]);
        each(tag, at, |key, value| {
            let slot = match key {
                b"v1" => &mut vertices[0],
                b"v2" => &mut vertices[1],
                b"v3" => &mut vertices[2],
                b"pid" => &mut group,
                b"p1" => &mut entries[0],
                b"p2" => &mut entries[1],
                b"p3" => &mut entries[2],
                _ => return Ok(()),
            };
            *slot = whole(value).ok_or_else(|| no_number(at, value))?;
            Ok(())
        })?;
        // One alone stands for all three.
        for k in 1..3 {
            if entries[k] == u32::MAX {
                entries[k] = entries[0];
            }
        }
        if let Some((_, object)) = &mut open.object {
            object.triangles.push(vertices);
            object.colors.push((group, entries));
        }
        Ok(())
    }

    fn model(&mut self, tag: &BytesStart, at: u64, open: &mut Open) -> Result<(), FormatError> {
        open.is_model = true;
        let attributes = xml::attributes(tag, at)?;
        let unit = attributes.iter().find(|(key, _)| key == "unit").map(|(_, v)| v.as_str());
        let (unit, micron) = match unit {
            Some("micron") => (Unit::Millimetre, true),
            Some("centimeter") => (Unit::Centimetre, false),
            Some("meter") => (Unit::Metre, false),
            Some("inch") => (Unit::Inch, false),
            Some("foot") => (Unit::Foot, false),
            _ => (Unit::Millimetre, false),
        };
        if self.file == 0 {
            (self.unit, self.micron) = (unit, micron);
        } else if (self.unit, self.micron) != (unit, micron) {
            self.notes.push(format!(
                "{} says another unit than the model it is part of, whose counts",
                self.files[self.file]
            ));
        }
        let needed = attributes.iter().find(|(key, _)| key == "requiredextensions");
        if let Some((_, needed)) =
            needed.filter(|(_, v)| v.split_whitespace().any(|p| p != "m" && p != "p"))
        {
            self.notes.push(format!("of the extensions {needed} only colors are read"));
        }
        Ok(())
    }

    /// What is placed, in another object or by itself.
    fn item(&mut self, tag: &BytesStart, at: u64, open: &mut Open) -> Result<(), FormatError> {
        let (mut id, mut placed) = (None, Mat4::IDENTITY);
        let mut file = self.file;
        for (key, value) in xml::attributes(tag, at)? {
            match key.as_str() {
                "path" => file = self.file_of(&value),
                "objectid" => id = value.parse().ok(),
                "transform" => placed = matrix(&value)?,
                _ => {}
            }
        }
        self.elements += 1;
        let id = (file, id.ok_or_else(|| broken(at, "an item names no object"))?);
        match &mut open.object {
            Some((_, object)) if tag.local_name().as_ref() == b"component" => {
                object.parts.push((id, placed));
            }
            // Only what the first file builds is built.
            _ if self.file == 0 => self.items.push((id, placed)),
            _ => {}
        }
        Ok(())
    }

    fn color(&mut self, tag: &BytesStart, at: u64, open: &mut Open) -> Result<(), FormatError> {
        self.elements += 1;
        let attributes = xml::attributes(tag, at)?;
        let key = if tag.local_name().as_ref() == b"base" { "displaycolor" } else { "color" };
        let value = attributes.iter().find(|(own, _)| own == key);
        if let Some((_, colors)) = &mut open.group {
            let color = value.and_then(|(_, value)| color(value));
            colors.push(color.ok_or_else(|| broken(at, "a color is none"))?);
        }
        Ok(())
    }

    fn end(&mut self, name: &[u8], open: &mut Open) {
        match name {
            b"object" => {
                let file = self.file;
                let object = open.object.take();
                self.objects.extend(object.map(|(id, object)| ((file, id), object)));
            }
            b"colorgroup" | b"basematerials" => {
                let file = self.file;
                self.groups.extend(open.group.take().map(|(id, colors)| ((file, id), colors)));
            }
            b"metadata" => open.says_set = false,
            _ => {}
        }
    }
}

/// An object that begins, by its number.
fn object(tag: &BytesStart, at: u64) -> Result<(u32, Object), FormatError> {
    let (mut id, mut pid, mut pindex) = (None, None, None);
    let mut object = Object::default();
    for (key, value) in xml::attributes(tag, at)? {
        match key.as_str() {
            "id" => id = value.parse().ok(),
            "pid" => pid = value.parse().ok(),
            "pindex" => pindex = value.parse().ok(),
            "name" => object.name = value,
            "type" => object.is_support = value == "support" || value == "solidsupport",
            _ => {}
        }
    }
    object.own = pid.map(|pid| (pid, pindex.unwrap_or(0)));
    let id = id.ok_or_else(|| broken(at, "an object has no id"))?;
    Ok((id, object))
}

/// Hands over each attribute of a tag, by its name without prefix.
fn each(
    tag: &BytesStart,
    at: u64,
    mut take: impl FnMut(&[u8], &[u8]) -> Result<(), FormatError>,
) -> Result<(), FormatError> {
    for attribute in tag.attributes().with_checks(false) {
        let attribute = attribute.map_err(|error| broken(at, error))?;
        take(attribute.key.local_name().as_ref(), attribute.value.trim_ascii())?;
    }
    Ok(())
}
