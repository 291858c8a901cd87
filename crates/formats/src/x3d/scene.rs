//! Nodes to parts.

use std::collections::HashMap;

use glam::{Mat3, Mat4, Quat, Vec2, Vec3};
use speckle_color::Rgba;
use speckle_mesh::{
    Placement,
    mesh::{MeshArrays, UvSet},
};

use crate::{
    Content, FormatError, Light, MeshFile, Place, RawPart, RawSet, Reading,
    admit::turn_normals,
    indexed::plainest,
    numbers::Numbers,
    xml::{self, Element},
};

fn broken(cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::File, cause, "the file is damaged: export it again")
}

/// How deep nodes may lie in each other, those that are used again counted where they are used.
const DEEPEST: usize = 256;

/// Reads the parts of a scene.
///
/// # Errors
/// Says which node is wrong, and how.
pub fn read(root: Element, file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let mut defined = HashMap::new();
    define(&root, &mut defined);
    let mut scene = Scene { defined, content: Content::default(), file, options, elements: 0 };
    let top = root.child("Scene").unwrap_or(&root);
    scene.group(top, Mat4::IDENTITY, 0)?;
    if scene.content.parts.is_empty() {
        return Err(FormatError::new(
            Place::File,
            "no mesh of faces is in it",
            "export it again with its surfaces as IndexedFaceSet",
        ));
    }
    Ok(scene.content)
}

fn define<'a>(element: &'a Element, defined: &mut HashMap<&'a str, &'a Element>) {
    if let Some(name) = element.attribute("DEF") {
        defined.insert(name, element);
    }
    element.children.iter().for_each(|child| define(child, defined));
}

struct Scene<'a, 'f> {
    defined: HashMap<&'a str, &'a Element>,
    content: Content,
    file: &'f MeshFile<'f>,
    options: &'f Reading<'f>,
    elements: usize,
}

impl<'a> Scene<'a, '_> {
    /// The node itself, or the one it stands for.
    fn meant(&self, element: &'a Element) -> &'a Element {
        let used = element.attribute("USE").and_then(|name| self.defined.get(name));
        used.copied().unwrap_or(element)
    }

    fn group(&mut self, group: &'a Element, placed: Mat4, depth: usize) -> Result<(), FormatError> {
        self.options.budget.visit()?;
        if depth > DEEPEST {
            return Err(broken("nodes lie too deep in each other, or hold themselves"));
        }
        let info = group.child("WorldInfo");
        for child in &group.children {
            let node = self.meant(child);
            match node.name.as_str() {
                "Transform" | "MatrixTransform" => {
                    self.group(node, placed * transform(node)?, depth + 1)?;
                }
                "Group" | "StaticGroup" | "Collision" | "Anchor" | "Billboard" | "Switch"
                | "LOD" => {
                    self.group(node, placed, depth + 1)?;
                }
                "Shape" => self.shape(node, info, placed)?,
                _ => {}
            }
        }
        Ok(())
    }

    fn shape(
        &mut self,
        shape: &'a Element,
        info: Option<&'a Element>,
        placed: Mat4,
    ) -> Result<(), FormatError> {
        for child in &shape.children {
            let node = self.meant(child);
            self.options.budget.visit()?;
            let made = match node.name.as_str() {
                "IndexedFaceSet" | "IndexedTriangleSet" | "TriangleSet" => {
                    self.faces(node, info)?
                }
                name if name.ends_with("Set")
                    || matches!(
                        name,
                        "Box" | "Sphere" | "Cone" | "Cylinder" | "ElevationGrid" | "Extrusion"
                    ) =>
                {
                    let note = format!("{name} is not kept: only faces are");
                    if !self.content.notes.contains(&note) {
                        self.content.notes.push(note);
                    }
                    None
                }
                _ => None,
            };
            let Some((mut arrays, sets)) = made else { continue };
            if placed != Mat4::IDENTITY {
                arrays.positions.iter_mut().for_each(|p| *p = placed.transform_point3(*p));
                turn_normals(&mut arrays.normals, Mat3::from_mat4(placed));
            }
            let title = info.and_then(|info| info.attribute("title")).map(str::trim);
            let own = title.filter(|title| !title.is_empty()).or(shape.attribute("DEF"));
            let name = own.map_or_else(
                || match self.content.parts.len() {
                    0 => self.file.stem().to_owned(),
                    n => format!("{} {}", self.file.stem(), n + 1),
                },
                str::to_owned,
            );
            let part = RawPart::new(name, arrays, sets);
            let part = if placed.determinant() < 0.0 { part.turned_over() } else { part };
            self.content.take_part(part, self.options.budget)?;
        }
        Ok(())
    }

    fn faces(
        &mut self,
        node: &'a Element,
        info: Option<&'a Element>,
    ) -> Result<Option<(MeshArrays, Vec<RawSet>)>, FormatError> {
        let within: Vec<&Element> = node.children.iter().map(|child| self.meant(child)).collect();
        let find = |names: &[&str]| {
            within.iter().copied().find(|child| names.contains(&child.name.as_str()))
        };
        let points = numbers(find(&["Coordinate", "CoordinateDouble"]), "point", 3)?;
        let positions: Vec<Vec3> = points.chunks_exact(3).map(Vec3::from_slice).collect();
        let mut corners = Corners::read(node, positions.len())?;
        self.elements += corners.vertices.len().max(positions.len());
        if self.elements > self.options.limits.elements {
            return Err(FormatError::too_many(self.options.limits));
        }
        if corners.vertices.is_empty() {
            return Ok(None);
        }
        if !flag(node, "ccw", true) {
            corners.turn_over();
        }
        let uv_sets = uv_sets(node, find(&["TextureCoordinate"]), &corners)?;
        let normals = normals(node, find(&["Normal"]), &corners)?;
        let arrays = MeshArrays {
            positions,
            face_starts: corners.face_starts.clone(),
            corner_vertices: corners.vertices.clone(),
            uv_sets,
            normals,
        };
        let colors: Vec<Rgba> = match (find(&["Color"]), find(&["ColorRGBA"])) {
            (Some(node), _) => {
                let numbers = numbers(Some(node), "color", 3)?;
                numbers.chunks_exact(3).map(|c| [c[0], c[1], c[2], 1.0]).collect()
            }
            (None, Some(node)) => {
                let numbers = numbers(Some(node), "color", 4)?;
                numbers.chunks_exact(4).map(|c| [c[0], c[1], c[2], c[3]]).collect()
            }
            _ => Vec::new(),
        };
        let told = info.and_then(|info| info.attribute("info")).and_then(told);
        let set = (!colors.is_empty()).then(|| set_of(node, colors, told, &corners, &arrays));
        Ok(Some((arrays, set.transpose()?.into_iter().collect())))
    }
}

/// The numbers of a field, so many to a row.
fn numbers(owner: Option<&Element>, field: &str, width: usize) -> Result<Vec<f32>, FormatError> {
    let text = owner.and_then(|owner| owner.attribute(field)).unwrap_or_default();
    let numbers = xml::floats(text, field)?;
    if !numbers.len().is_multiple_of(width) {
        let count = numbers.len();
        return Err(broken(format!("{field} has {count} numbers, no multiple of {width}")));
    }
    Ok(numbers)
}

fn list(node: &Element, field: &str) -> Result<Vec<i64>, FormatError> {
    xml::integers(node.attribute(field).unwrap_or_default(), field)
}

fn flag(node: &Element, field: &str, usual: bool) -> bool {
    node.attribute(field).map_or(usual, |text| text.trim().eq_ignore_ascii_case("true"))
}

/// The corners of some faces.
struct Corners {
    face_starts: Vec<u32>,
    vertices: Vec<u32>,
    /// Where each corner's index stands in the list.
    places: Vec<usize>,
}

impl Corners {
    fn read(node: &Element, points: usize) -> Result<Self, FormatError> {
        let (mut face_starts, mut vertices, mut places) = (vec![0_u32], Vec::new(), Vec::new());
        let vertex = |index: i64| u32::try_from(index).unwrap_or(u32::MAX);
        if node.name == "IndexedFaceSet" {
            let indices = list(node, "coordIndex")?;
            for (place, &index) in indices.iter().enumerate() {
                if index >= 0 {
                    vertices.push(vertex(index));
                    places.push(place);
                }
                let is_last = place + 1 == indices.len();
                let open = vertices.len() as u32 > face_starts[face_starts.len() - 1];
                if open && (index < 0 || is_last) {
                    face_starts.push(vertices.len() as u32);
                }
            }
            return Ok(Self { face_starts, vertices, places });
        }
        let indices: Vec<i64> = if node.name == "TriangleSet" {
            (0..points as i64).collect()
        } else {
            list(node, "index")?
        };
        for triangle in indices.chunks_exact(3) {
            for &index in triangle {
                places.push(vertices.len());
                vertices.push(vertex(index));
            }
            face_starts.push(vertices.len() as u32);
        }
        Ok(Self { face_starts, vertices, places })
    }

    /// Corners that run the other way round.
    fn turn_over(&mut self) {
        for bounds in self.face_starts.windows(2) {
            let face = bounds[0] as usize..bounds[1] as usize;
            self.vertices[face.clone()].reverse();
            self.places[face].reverse();
        }
    }

    /// The entry of a list that belongs to a corner; without a list, by the points'.
    fn entry(&self, index: &[i64], corner: usize) -> i64 {
        if index.is_empty() {
            i64::from(self.vertices[corner])
        } else {
            index.get(self.places[corner]).copied().unwrap_or(-1)
        }
    }
}

fn uv_sets(
    node: &Element,
    owner: Option<&Element>,
    corners: &Corners,
) -> Result<Vec<UvSet>, FormatError> {
    let points = numbers(owner, "point", 2)?;
    let index = list(node, "texCoordIndex")?;
    if points.is_empty() {
        return Ok(Vec::new());
    }
    let points: Vec<Vec2> = points.chunks_exact(2).map(Vec2::from_slice).collect();
    let uv = |corner: usize| {
        let entry = usize::try_from(corners.entry(&index, corner)).ok();
        entry.and_then(|i| points.get(i)).copied().unwrap_or_default()
    };
    let uvs = (0..corners.vertices.len()).map(uv).collect();
    Ok(vec![UvSet { name: "UV".to_owned(), uvs }])
}

/// The normals of the corners, where a node says them: by point, by corner or by face.
fn normals(
    node: &Element,
    owner: Option<&Element>,
    corners: &Corners,
) -> Result<Vec<Vec3>, FormatError> {
    let vectors = numbers(owner, "vector", 3)?;
    let vectors: Vec<Vec3> = vectors.chunks_exact(3).map(Vec3::from_slice).collect();
    if vectors.is_empty() {
        return Ok(Vec::new());
    }
    let index = list(node, "normalIndex")?;
    let at = |entry: i64| {
        let found = usize::try_from(entry).ok().and_then(|i| vectors.get(i));
        found.copied().unwrap_or_default()
    };
    if flag(node, "normalPerVertex", true) {
        return Ok((0..corners.vertices.len()).map(|c| at(corners.entry(&index, c))).collect());
    }
    let of_face = |face: usize| match index.as_slice() {
        [] => at(face as i64),
        index => at(index.get(face).copied().unwrap_or(-1)),
    };
    let faces = corners.face_starts.windows(2).zip(0_usize..);
    Ok(faces.flat_map(|(own, face)| (own[0]..own[1]).map(move |_| of_face(face))).collect())
}

/// A set of colors, at the plainest placement that holds them.
fn set_of(
    node: &Element,
    colors: Vec<Rgba>,
    told: Option<(Numbers, String)>,
    corners: &Corners,
    arrays: &MeshArrays,
) -> Result<RawSet, FormatError> {
    let usual = (Numbers::Color(Light::Encoded), "Color".to_owned());
    let (numbers, name) = told.unwrap_or(usual);
    let index = list(node, "colorIndex")?;
    let color = |entry: i64| {
        let found = usize::try_from(entry).ok().and_then(|i| colors.get(i));
        found.copied().ok_or_else(|| {
            broken(format!("color {entry} is used, but there are only {}", colors.len()))
        })
    };
    if !flag(node, "colorPerVertex", true) {
        let entry = |face: usize| match index.as_slice() {
            [] => face as i64,
            index => index.get(face).copied().unwrap_or(-1),
        };
        let faces = 0..arrays.face_starts.len() - 1;
        let values = faces.map(|face| color(entry(face))).collect::<Result<_, _>>()?;
        return Ok(RawSet { name, placement: Placement::Face, numbers, values });
    }
    let at_corners = 0..corners.vertices.len();
    let values = at_corners.map(|corner| color(corners.entry(&index, corner)));
    let values = values.collect::<Result<Vec<_>, _>>()?;
    if index.is_empty() && colors.len() == arrays.positions.len() {
        return Ok(RawSet { name, placement: Placement::Vertex, numbers, values: colors });
    }
    Ok(plainest(name, numbers, values, arrays))
}

/// What a `WorldInfo` of ours says of a set.
fn told(info: &str) -> Option<(Numbers, String)> {
    let said = info.split('"').find_map(|text| text.trim().strip_prefix("color_set "))?;
    let (word, name) = said.split_once(' ')?;
    let numbers = Numbers::of_word(word, Light::Encoded);
    Some((numbers, name.trim().to_owned())).filter(|(_, name)| !name.is_empty())
}

fn transform(node: &Element) -> Result<Mat4, FormatError> {
    let vector = |name: &str, usual: Vec3| -> Result<Vec3, FormatError> {
        let Some(text) = node.attribute(name) else { return Ok(usual) };
        match xml::floats(text, name)?.as_slice() {
            [x, y, z] => Ok(Vec3::new(*x, *y, *z)),
            numbers => Err(broken(format!("{name} needs three numbers, not {}", numbers.len()))),
        }
    };
    let turn = |name: &str| -> Result<Quat, FormatError> {
        let Some(text) = node.attribute(name) else { return Ok(Quat::IDENTITY) };
        match xml::floats(text, name)?.as_slice() {
            [x, y, z, angle] => {
                let axis = Vec3::new(*x, *y, *z).try_normalize();
                Ok(axis.map_or(Quat::IDENTITY, |axis| Quat::from_axis_angle(axis, *angle)))
            }
            numbers => Err(broken(format!("{name} needs four numbers, not {}", numbers.len()))),
        }
    };
    // ISO/IEC 14772-1, 6.52: T × C × R × SR × S × −SR × −C.
    let (center, oriented) = (vector("center", Vec3::ZERO)?, turn("scaleOrientation")?);
    Ok(Mat4::from_translation(vector("translation", Vec3::ZERO)? + center)
        * Mat4::from_quat(turn("rotation")? * oriented)
        * Mat4::from_scale(vector("scale", Vec3::ONE)?)
        * Mat4::from_quat(oriented.inverse())
        * Mat4::from_translation(-center))
}
