//! Reading COLLADA.

use std::collections::HashMap;

use glam::{Mat3, Mat4, Quat, Vec2, Vec3};
use speckle_color::Rgba;
use speckle_mesh::{
    Placement, Unit, UpAxis,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{MOST_SETS, ProjectTraits};

use super::PROFILE;
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

/// How deep nodes may lie in each other, instances counted where they stand.
const DEEPEST: usize = 128;

/// Reads a COLLADA file.
///
/// # Errors
/// With the byte of XML that is wrong, or what in it.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let root = xml::read(file.bytes, options.budget)?;
    if root.name != "COLLADA" {
        return Err(FormatError::new(
            Place::File,
            format!("it begins with {} instead of COLLADA", root.name),
            "check that this is a COLLADA file",
        ));
    }
    let mut ids = HashMap::new();
    collect(&root, &mut ids);
    let mut reader = Reader {
        ids,
        file,
        options,
        content: Content { traits: Some(traits(&root)), ..Content::default() },
        elements: 0,
    };
    let scene = root
        .child("scene")
        .and_then(|scene| scene.child("instance_visual_scene"))
        .and_then(|instance| reader.referred(instance, "url"));
    match scene {
        Some(scene) => {
            for node in scene.all("node") {
                reader.node(node, Mat4::IDENTITY, 0)?;
            }
        }
        None => {
            for library in root.all("library_geometries") {
                for geometry in library.all("geometry") {
                    reader.geometry(geometry, None, Mat4::IDENTITY)?;
                }
            }
        }
    }
    if reader.content.parts.is_empty() {
        return Err(FormatError::new(
            Place::File,
            "no mesh with faces is in it",
            "export it again with its surfaces",
        ));
    }
    Ok(reader.content)
}

fn collect<'a>(element: &'a Element, ids: &mut HashMap<&'a str, &'a Element>) {
    if let Some(id) = element.attribute("id") {
        ids.insert(id, element);
    }
    element.children.iter().for_each(|child| collect(child, ids));
}

/// What the numbers mean: metres with Y up where the file says nothing. A unit between ours is
/// brought to the nearest; Z is up or Y is.
fn traits(root: &Element) -> ProjectTraits {
    let asset = root.child("asset");
    let metres = asset
        .and_then(|asset| asset.child("unit")?.attribute("meter"))
        .and_then(|text| text.trim().parse::<f64>().ok());
    let near = |unit: &Unit| (unit.metres() / metres.unwrap_or(1.0) - 1.0).abs() < 1e-3;
    let unit = Unit::ALL.into_iter().find(near).unwrap_or(Unit::Metre);
    let up = asset.and_then(|asset| asset.child("up_axis")).map(|up| up.text.trim());
    ProjectTraits { unit, up: if up == Some("Z_UP") { UpAxis::Z } else { UpAxis::Y } }
}

struct Reader<'a, 'f> {
    ids: HashMap<&'a str, &'a Element>,
    file: &'f MeshFile<'f>,
    options: &'f Reading<'f>,
    content: Content,
    elements: usize,
}

/// A list of rows.
struct Rows {
    numbers: Vec<f32>,
    width: usize,
}

impl Rows {
    fn row(&self, index: usize) -> Option<&[f32]> {
        self.numbers.get(index.checked_mul(self.width)?..)?.get(..self.width)
    }
}

impl<'a> Reader<'a, '_> {
    fn referred(&self, element: &Element, attribute: &str) -> Option<&'a Element> {
        self.ids.get(element.attribute(attribute)?.strip_prefix('#')?).copied()
    }

    fn node(&mut self, node: &'a Element, above: Mat4, depth: usize) -> Result<(), FormatError> {
        self.options.budget.visit()?;
        if depth > DEEPEST {
            return Err(broken("nodes lie too deep in each other, or hold themselves"));
        }
        let mut placed = above;
        for step in &node.children {
            placed *= match step.name.as_str() {
                "matrix" | "translate" | "rotate" | "scale" => transform(step)?,
                _ => continue,
            };
        }
        for child in &node.children {
            match child.name.as_str() {
                "instance_geometry" => {
                    if let Some(geometry) = self.referred(child, "url") {
                        self.geometry(geometry, node.attribute("name"), placed)?;
                    }
                }
                "instance_node" => {
                    if let Some(other) = self.referred(child, "url") {
                        self.node(other, placed, depth + 1)?;
                    }
                }
                "node" => self.node(child, placed, depth + 1)?,
                _ => {}
            }
        }
        Ok(())
    }

    fn source(&self, source: &Element) -> Result<Rows, FormatError> {
        let array = source.child("float_array").ok_or_else(|| broken("a source has no numbers"))?;
        let numbers = xml::floats(&array.text, "a source")?;
        let accessor = source.child("technique_common").and_then(|t| t.child("accessor"));
        let number = |name: &str, usual: usize| {
            let text = accessor.and_then(|accessor| accessor.attribute(name));
            text.and_then(|text| text.trim().parse::<usize>().ok()).unwrap_or(usual)
        };
        let width = number("stride", 1).max(1);
        let from = number("offset", 0).min(numbers.len());
        Ok(Rows { numbers: numbers[from..].to_vec(), width })
    }

    fn geometry(
        &mut self,
        geometry: &'a Element,
        name: Option<&str>,
        placed: Mat4,
    ) -> Result<(), FormatError> {
        let Some(mesh) = geometry.child("mesh") else {
            self.content.notes.push("curves are not kept".to_owned());
            return Ok(());
        };
        let vertices = mesh.child("vertices");
        let positions = vertices
            .and_then(|v| v.all("input").find(|i| i.attribute("semantic") == Some("POSITION")))
            .and_then(|input| self.referred(input, "source"))
            .ok_or_else(|| broken("a mesh has no positions"))?;
        let positions = self.source(positions)?;
        if positions.width < 3 {
            return Err(broken("positions need three numbers each"));
        }
        let points: Vec<Vec3> =
            positions.numbers.chunks_exact(positions.width).map(Vec3::from_slice).collect();
        let mut faces = Faces { face_starts: vec![0], ..Faces::default() };
        for piece in &mesh.children {
            match piece.name.as_str() {
                "triangles" | "polylist" | "polygons" => self.faces(piece, vertices, &mut faces)?,
                "lines" | "linestrips" | "trifans" | "tristrips" => {
                    let note = format!("{} are not kept", piece.name);
                    if !self.content.notes.contains(&note) {
                        self.content.notes.push(note);
                    }
                }
                _ => {}
            }
        }
        self.elements += faces.corner_vertices.len().max(points.len());
        if self.elements > self.options.limits.elements {
            return Err(FormatError::too_many(self.options.limits));
        }
        self.options.budget.visit()?;
        if faces.corner_vertices.is_empty() {
            return Ok(());
        }
        let corners = faces.corner_vertices.len();
        let mut uv_sets = Vec::new();
        for (n, mut uvs) in faces.uvs.into_iter().enumerate() {
            uvs.resize(corners, Vec2::ZERO);
            let name = if n == 0 { "UV".to_owned() } else { format!("UV {}", n + 1) };
            uv_sets.push(UvSet { name, uvs });
        }
        let mut arrays = MeshArrays {
            positions: points,
            face_starts: faces.face_starts,
            corner_vertices: faces.corner_vertices,
            uv_sets,
            normals: faces.normals,
        };
        let mut sets: Vec<RawSet> = Vec::new();
        for (n, column) in faces.colors.into_iter().enumerate().take(MOST_SETS) {
            let mut values = column.values;
            values.resize(corners, [1.0; 4]);
            let usual = if n == 0 { "Color".to_owned() } else { format!("Color {}", n + 1) };
            let name = Some(column.name)
                .filter(|name| !name.trim().is_empty() && sets.iter().all(|s| s.name != *name))
                .unwrap_or(usual);
            if column.is_by_vertex {
                let mut at = vec![[1.0; 4]; arrays.positions.len()];
                for (&vertex, value) in arrays.corner_vertices.iter().zip(&values) {
                    if let Some(slot) = at.get_mut(vertex as usize) {
                        *slot = *value;
                    }
                }
                let placement = Placement::Vertex;
                sets.push(RawSet { name, placement, numbers: column.numbers, values: at });
            } else {
                sets.push(plainest(name, column.numbers, values, &arrays));
            }
        }
        if placed != Mat4::IDENTITY {
            arrays.positions.iter_mut().for_each(|p| *p = placed.transform_point3(*p));
            turn_normals(&mut arrays.normals, Mat3::from_mat4(placed));
        }
        let name = name.or(geometry.attribute("name")).filter(|name| !name.trim().is_empty());
        let name = name.unwrap_or(self.file.stem()).to_owned();
        let part = RawPart::new(name, arrays, sets);
        let is_mirrored = placed.determinant() < 0.0;
        let part = if is_mirrored { part.turned_over() } else { part };
        self.content.take_part(part, self.options.budget)?;
        Ok(())
    }

    fn faces(
        &self,
        piece: &'a Element,
        vertices: Option<&'a Element>,
        faces: &mut Faces,
    ) -> Result<(), FormatError> {
        let mut stride = 1;
        let mut vertex_offset = None;
        let mut colors: Vec<(usize, Rows, &Element)> = Vec::new();
        let mut uvs: Vec<(usize, Rows)> = Vec::new();
        let mut normals: Option<(usize, Rows)> = None;
        // Inputs of `vertices` go by the vertex's index.
        let own = piece.all("input").map(|input| (input, None));
        let shared =
            vertices.into_iter().flat_map(|v| v.all("input")).map(|input| (input, Some(())));
        let own: Vec<_> = own.collect();
        for (input, _) in &own {
            let offset = offset_of(input)?;
            stride = stride.max(offset + 1);
            if input.attribute("semantic") == Some("VERTEX") {
                vertex_offset = Some(offset);
            }
        }
        let vertex_offset = vertex_offset.ok_or_else(|| broken("faces have no vertices"))?;
        for (input, shared) in own.into_iter().chain(shared) {
            let offset = if shared.is_some() { vertex_offset } else { offset_of(input)? };
            let Some(source) = self.referred(input, "source") else { continue };
            match input.attribute("semantic") {
                Some("COLOR") => colors.push((offset, self.source(source)?, source)),
                Some("NORMAL") => normals = Some((offset, self.source(source)?)),
                Some("TEXCOORD") => uvs.push((offset, self.source(source)?)),
                _ => {}
            }
        }
        let mut indices: Vec<i64> = Vec::new();
        let mut sizes: Vec<usize> = Vec::new();
        for p in piece.all("p") {
            let own = xml::integers(&p.text, "corners")?;
            if piece.name == "polygons" {
                sizes.push(own.len() / stride);
            }
            indices.extend(own);
        }
        match piece.name.as_str() {
            "triangles" => sizes = vec![3; indices.len() / stride / 3],
            "polylist" => {
                let text = piece.child("vcount").map_or("", |vcount| vcount.text.as_str());
                let counts = xml::integers(text, "vcount")?;
                sizes = counts.iter().map(|&n| usize::try_from(n).unwrap_or(0)).collect();
            }
            _ => {}
        }
        let whole = sizes.iter().try_fold(0_usize, |sum, &size| sum.checked_add(size));
        if whole.is_none_or(|whole| whole.saturating_mul(stride) > indices.len()) {
            return Err(broken("faces need more corners than there are"));
        }
        let first = faces.corner_vertices.len();
        let mut at = 0;
        for size in sizes {
            for _ in 0..size {
                let row = &indices[at..at + stride];
                at += stride;
                let vertex = u32::try_from(row[vertex_offset]).unwrap_or(u32::MAX);
                faces.corner_vertices.push(vertex);
                for (n, (offset, rows, source)) in colors.iter().enumerate() {
                    let value = usize::try_from(row[*offset]).ok().and_then(|i| rows.row(i));
                    let value = value.filter(|value| value.len() >= 3).ok_or_else(|| {
                        broken(format!("a corner uses color {}, which is not there", row[*offset]))
                    })?;
                    let value =
                        [value[0], value[1], value[2], value.get(3).copied().unwrap_or(1.0)];
                    let column = faces.column(n, first, source, *offset == vertex_offset);
                    column.values.push(value);
                }
                if let Some((offset, rows)) = &normals {
                    faces.normals.resize(faces.corner_vertices.len() - 1, Vec3::ZERO);
                    let value = usize::try_from(row[*offset]).ok().and_then(|i| rows.row(i));
                    let value = value.filter(|v| v.len() >= 3);
                    faces.normals.push(value.map_or(Vec3::ZERO, Vec3::from_slice));
                }
                for (n, (offset, rows)) in uvs.iter().enumerate() {
                    if faces.uvs.len() <= n {
                        faces.uvs.push(vec![Vec2::ZERO; first]);
                    }
                    let value = usize::try_from(row[*offset]).ok().and_then(|i| rows.row(i));
                    let uv = value
                        .filter(|v| v.len() >= 2)
                        .map_or(Vec2::ZERO, |v| Vec2::new(v[0], v[1]));
                    faces.uvs[n].push(uv);
                }
            }
            faces.face_starts.push(faces.corner_vertices.len() as u32);
        }
        // What a piece lacks is white in it.
        let now = faces.corner_vertices.len();
        faces.colors.iter_mut().for_each(|column| column.values.resize(now, [1.0; 4]));
        faces.uvs.iter_mut().for_each(|uvs| uvs.resize(now, Vec2::ZERO));
        if !faces.normals.is_empty() {
            faces.normals.resize(now, Vec3::ZERO);
        }
        Ok(())
    }
}

#[derive(Default)]
struct Faces {
    face_starts: Vec<u32>,
    corner_vertices: Vec<u32>,
    colors: Vec<Column>,
    uvs: Vec<Vec<Vec2>>,
    /// Of each corner, where some piece says them.
    normals: Vec<Vec3>,
}

/// The colors of one number over all pieces of a mesh, by corner.
struct Column {
    name: String,
    numbers: Numbers,
    values: Vec<Rgba>,
    is_by_vertex: bool,
}

impl Faces {
    fn column(&mut self, n: usize, first: usize, source: &Element, by_vertex: bool) -> &mut Column {
        if self.colors.len() <= n {
            let told = source
                .all("technique")
                .find(|technique| technique.attribute("profile") == Some(PROFILE))
                .and_then(|technique| technique.child("encoding"));
            let word = told.map_or("color", |encoding| encoding.text.trim());
            // Names of files that are not ours are the writer's own affair.
            let name = told.and_then(|_| source.attribute("name")).unwrap_or_default();
            self.colors.push(Column {
                name: name.to_owned(),
                numbers: Numbers::of_word(word, Light::Encoded),
                values: vec![[1.0; 4]; first],
                is_by_vertex: true,
            });
        }
        let column = &mut self.colors[n];
        column.is_by_vertex &= by_vertex;
        column
    }
}

fn offset_of(input: &Element) -> Result<usize, FormatError> {
    let offset = input.attribute("offset").unwrap_or("0").trim().parse::<usize>();
    offset.ok().filter(|&offset| offset < 64).ok_or_else(|| broken("an input has no usable offset"))
}

fn transform(step: &Element) -> Result<Mat4, FormatError> {
    let numbers = xml::floats(&step.text, &step.name)?;
    Ok(match (step.name.as_str(), numbers.as_slice()) {
        ("matrix", numbers) if numbers.len() == 16 => Mat4::from_cols_slice(numbers).transpose(),
        ("translate", [x, y, z]) => Mat4::from_translation(Vec3::new(*x, *y, *z)),
        ("scale", [x, y, z]) => Mat4::from_scale(Vec3::new(*x, *y, *z)),
        ("rotate", [x, y, z, degrees]) => {
            let axis = Vec3::new(*x, *y, *z).try_normalize();
            axis.map_or(Mat4::IDENTITY, |axis| {
                Mat4::from_quat(Quat::from_axis_angle(axis, degrees.to_radians()))
            })
        }
        (name, numbers) => {
            return Err(broken(format!("{name} does not take {} numbers", numbers.len())));
        }
    })
}
