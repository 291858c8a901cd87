//! Reading USD's text.

use glam::{EulerRot, Mat4, Quat, Vec2, Vec3};
use speckle_core::{
    Placement, ProjectTraits, Unit, UpAxis,
    color::Rgba,
    document::MOST_SETS,
    mesh::{MeshArrays, UvSet},
};

use super::layer::{self, Attribute, Named, Prim, Value};
use crate::{
    Content, FormatError, Light, MeshFile, Origin, Place, RawPart, RawSet, Reading,
    numbers::Numbers, package,
};

fn broken(cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::File, cause, "the file is damaged: export it again")
}

/// Reads a USD text.
///
/// # Errors
/// With the line that is wrong, or the mesh.
pub fn read(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let layer = layer::read(file.bytes, options.limits)?;
    let mut content = Content { traits: Some(traits(&layer.says)), ..Content::default() };
    let mut elements = 0;
    for prim in &layer.children {
        walk(prim, Mat4::IDENTITY, options, &mut elements, &mut content)?;
    }
    if content.parts.is_empty() {
        return Err(FormatError::new(
            Place::File,
            "no mesh with faces is in it",
            "export it again with its surfaces as meshes, in one file",
        ));
    }
    Ok(content)
}

/// Reads the text layer of a package; its images and binary layers are not read.
///
/// # Errors
/// When there is none, or it is wrong.
pub fn read_package(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let files = package::unpacked(file.bytes, options.budget)?;
    let layer = files.iter().find(|(name, _)| name.to_ascii_lowercase().ends_with(".usda"));
    let (_, bytes) = layer.ok_or_else(|| {
        FormatError::new(
            Place::File,
            "the package has no layer in text: binary ones (.usdc) are not read",
            "export it as .usda, or as another format",
        )
    })?;
    let content = read(&MeshFile { bytes, ..*file }, options)?;
    Ok(Content { origin: Origin::find_in(bytes), ..content })
}

fn number(says: &Named, name: &str) -> Option<f32> {
    match says.get(name) {
        Some(Value::Numbers(numbers)) => numbers.first().copied(),
        _ => None,
    }
}

fn text<'a>(says: &'a Named, name: &str) -> Option<&'a str> {
    match says.get(name) {
        Some(Value::Texts(texts)) => texts.first().map(String::as_str),
        _ => None,
    }
}

/// Centimetres with Y up where nothing is said. A unit between ours is brought to the nearest.
fn traits(says: &Named) -> ProjectTraits {
    let metres = f64::from(number(says, "metersPerUnit").unwrap_or(0.01));
    let near = |unit: &Unit| (unit.metres() / metres - 1.0).abs() < 1e-3;
    let unit = Unit::ALL.into_iter().find(near).unwrap_or(Unit::Centimetre);
    let up = if text(says, "upAxis") == Some("Z") { UpAxis::Z } else { UpAxis::Y };
    ProjectTraits { unit, up }
}

fn walk(
    prim: &Prim,
    above: Mat4,
    options: &Reading,
    elements: &mut usize,
    content: &mut Content,
) -> Result<(), FormatError> {
    if prim.specifier != "def" {
        return Ok(());
    }
    if prim.says.contains_key("references") || prim.says.contains_key("payload") {
        let note = format!("{}: what it refers to in other files is not kept", prim.name);
        content.notes.push(note);
    }
    let placed = above * transform(prim)?;
    match prim.kind.as_str() {
        "Mesh" => {
            if let Some(part) = mesh(prim, placed, options, elements)? {
                content.take_part(part, options.budget)?;
            }
        }
        "" | "Xform" | "Scope" | "SkelRoot" | "Material" | "Shader" | "GeomSubset" => {}
        other => {
            let note = format!("{other} is not kept: only meshes are");
            if !content.notes.contains(&note) {
                content.notes.push(note);
            }
        }
    }
    for child in &prim.children {
        walk(child, placed, options, elements, content)?;
    }
    Ok(())
}

fn numbers<'a>(prim: &'a Prim, name: &str) -> &'a [f32] {
    match prim.attributes.get(name) {
        Some(Attribute { value: Value::Numbers(numbers), .. }) => numbers,
        _ => &[],
    }
}

/// The steps of a prim's transform, in the order it says.
fn transform(prim: &Prim) -> Result<Mat4, FormatError> {
    let order = match prim.attributes.get("xformOpOrder") {
        Some(Attribute { value: Value::Texts(order), .. }) => order.as_slice(),
        _ => &[],
    };
    let mut placed = Mat4::IDENTITY;
    for step in order {
        let (step, is_inverse) = match step.strip_prefix("!invert!") {
            Some(step) => (step, true),
            None => (step.as_str(), false),
        };
        let values = numbers(prim, step);
        let kind = step.split(':').nth(1).unwrap_or_default();
        let turn = |order| {
            let [x, y, z] = [0, 1, 2].map(|i| values[i].to_radians());
            let angles = match order {
                EulerRot::XYZ => (x, y, z),
                EulerRot::XZY => (x, z, y),
                EulerRot::YXZ => (y, x, z),
                EulerRot::YZX => (y, z, x),
                EulerRot::ZXY => (z, x, y),
                _ => (z, y, x),
            };
            // Named from the first turn to the last; ours are written from the outermost.
            let [a, b, c] = match order {
                EulerRot::XYZ => [Vec3::X, Vec3::Y, Vec3::Z],
                EulerRot::XZY => [Vec3::X, Vec3::Z, Vec3::Y],
                EulerRot::YXZ => [Vec3::Y, Vec3::X, Vec3::Z],
                EulerRot::YZX => [Vec3::Y, Vec3::Z, Vec3::X],
                EulerRot::ZXY => [Vec3::Z, Vec3::X, Vec3::Y],
                _ => [Vec3::Z, Vec3::Y, Vec3::X],
            };
            Mat4::from_quat(
                Quat::from_axis_angle(c, angles.2)
                    * Quat::from_axis_angle(b, angles.1)
                    * Quat::from_axis_angle(a, angles.0),
            )
        };
        let own = match (kind, values.len()) {
            // Rows of USD's matrices are columns of ours.
            ("transform", 16) => Mat4::from_cols_slice(values),
            ("translate", 3) => Mat4::from_translation(Vec3::from_slice(values)),
            ("scale", 3) => Mat4::from_scale(Vec3::from_slice(values)),
            ("scale", 1) => Mat4::from_scale(Vec3::splat(values[0])),
            ("rotateX", 1) => Mat4::from_rotation_x(values[0].to_radians()),
            ("rotateY", 1) => Mat4::from_rotation_y(values[0].to_radians()),
            ("rotateZ", 1) => Mat4::from_rotation_z(values[0].to_radians()),
            ("rotateXYZ", 3) => turn(EulerRot::XYZ),
            ("rotateXZY", 3) => turn(EulerRot::XZY),
            ("rotateYXZ", 3) => turn(EulerRot::YXZ),
            ("rotateYZX", 3) => turn(EulerRot::YZX),
            ("rotateZXY", 3) => turn(EulerRot::ZXY),
            ("rotateZYX", 3) => turn(EulerRot::ZYX),
            // The real part stands first.
            ("orient", 4) => Mat4::from_quat(
                Quat::from_xyzw(values[1], values[2], values[3], values[0]).normalize(),
            ),
            (_, 0) => continue,
            (kind, count) => {
                return Err(broken(format!(
                    "{}: {kind} of {count} numbers is not known",
                    prim.name
                )));
            }
        };
        placed *= if is_inverse { own.inverse() } else { own };
    }
    Ok(placed)
}

fn integers<'a>(prim: &'a Prim, name: &str) -> &'a [i64] {
    match prim.attributes.get(name) {
        Some(Attribute { value: Value::Integers(numbers), .. }) => numbers,
        _ => &[],
    }
}

/// An index; one that cannot be is for the gate to find.
fn index(number: i64) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

fn mesh(
    prim: &Prim,
    placed: Mat4,
    options: &Reading,
    elements: &mut usize,
) -> Result<Option<RawPart>, FormatError> {
    let name = text(&prim.says, "displayName").unwrap_or(&prim.name).to_owned();
    let points = numbers(prim, "points");
    let corner_vertices: Vec<u32> =
        integers(prim, "faceVertexIndices").iter().map(|&i| index(i)).collect();
    *elements += corner_vertices.len().max(points.len() / 3);
    if *elements > options.limits.elements {
        return Err(FormatError::too_many(options.limits));
    }
    let mut face_starts = vec![0_u32];
    let mut sum = 0_u64;
    for &count in integers(prim, "faceVertexCounts") {
        sum += u64::from(index(count));
        if sum > corner_vertices.len() as u64 {
            break;
        }
        face_starts.push(sum as u32);
    }
    if sum != corner_vertices.len() as u64 {
        return Err(broken(format!(
            "{name}: its faces need {sum} corners, but {} are there",
            corner_vertices.len()
        )));
    }
    if corner_vertices.is_empty() {
        return Ok(None);
    }
    let mut arrays = MeshArrays {
        positions: points.chunks_exact(3).map(Vec3::from_slice).collect(),
        face_starts,
        corner_vertices,
        uv_sets: Vec::new(),
    };
    let mut sets = Vec::new();
    // What is shown comes first, then the others by their names.
    let shown = "primvars:displayColor";
    let others = prim.attributes.keys().map(String::as_str);
    let others = others.filter(|key| key.starts_with("primvars:") && *key != shown);
    for key in std::iter::once(shown).chain(others) {
        let Some(attribute) = prim.attributes.get(key) else { continue };
        let own = key.trim_start_matches("primvars:");
        if own == "displayOpacity" || own.contains(':') {
            continue;
        }
        let Value::Numbers(values) = &attribute.value else { continue };
        let opacity = if key == shown { numbers(prim, "primvars:displayOpacity") } else { &[] };
        let indices = integers(prim, &format!("{key}:indices"));
        if let Some(uvs) = uvs(own, values, indices, attribute, &arrays) {
            arrays.uv_sets.push(uvs);
        } else if let Some(set) = set(own, values, opacity, indices, attribute, &arrays)
            && sets.len() < MOST_SETS
        {
            sets.push(set);
        }
    }
    if placed != Mat4::IDENTITY {
        arrays.positions.iter_mut().for_each(|p| *p = placed.transform_point3(*p));
    }
    let is_left = matches!(
        prim.attributes.get("orientation"),
        Some(Attribute { value: Value::Texts(texts), .. }) if texts.first().is_some_and(|t| t == "leftHanded")
    );
    let part = RawPart::new(name, arrays, sets);
    Ok(Some(if is_left != (placed.determinant() < 0.0) { part.turned_over() } else { part }))
}

/// The rows of a primvar, by its indices where it has any.
fn rows<'a>(values: &'a [f32], width: usize, indices: &[i64]) -> Option<Vec<&'a [f32]>> {
    if indices.is_empty() {
        return Some(values.chunks_exact(width).collect());
    }
    indices.iter().map(|&i| values.get(index(i) as usize * width..)?.get(..width)).collect()
}

fn uvs(
    name: &str,
    values: &[f32],
    indices: &[i64],
    attribute: &Attribute,
    arrays: &MeshArrays,
) -> Option<UvSet> {
    let interpolation = text(&attribute.says, "interpolation").unwrap_or("constant");
    let (corners, points) = (arrays.corner_vertices.len(), arrays.positions.len());
    let rows = rows(values, 2, indices)?;
    let whole = indices.is_empty() && !values.len().is_multiple_of(2);
    let uv = |row: &&[f32]| Vec2::new(row[0], row[1]);
    let uvs: Vec<Vec2> = match interpolation {
        _ if whole => return None,
        "faceVarying" if rows.len() == corners => rows.iter().map(uv).collect(),
        "vertex" | "varying" if rows.len() == points => {
            let at = |&v: &u32| rows.get(v as usize).map_or(Vec2::ZERO, uv);
            arrays.corner_vertices.iter().map(at).collect()
        }
        _ => return None,
    };
    let name = if arrays.uv_sets.is_empty() { "UV".to_owned() } else { name.to_owned() };
    Some(UvSet { name, uvs })
}

fn set(
    name: &str,
    values: &[f32],
    opacity: &[f32],
    indices: &[i64],
    attribute: &Attribute,
    arrays: &MeshArrays,
) -> Option<RawSet> {
    let interpolation = text(&attribute.says, "interpolation").unwrap_or("constant");
    let (placement, count) = match interpolation {
        "vertex" | "varying" => (Placement::Vertex, arrays.positions.len()),
        "faceVarying" => (Placement::Corner, arrays.corner_vertices.len()),
        "uniform" => (Placement::Face, arrays.face_starts.len() - 1),
        "constant" => (Placement::Face, 1),
        _ => return None,
    };
    // Three or four numbers each; others are no colors.
    let width = match indices.len() {
        0 => values.len() / count.max(1),
        _ => [4, 3].into_iter().find(|&w| values.len().is_multiple_of(w))?,
    };
    if !(3..=4).contains(&width) {
        return None;
    }
    let rows = rows(values, width, indices)?;
    if rows.len() != count {
        return None;
    }
    let says = match attribute.says.get("customData") {
        Some(Value::Dictionary(says)) => Some(says),
        _ => None,
    };
    let word = says.and_then(|says| text(says, "encoding")).unwrap_or_default();
    let numbers = Numbers::of_word(word, Light::Linear);
    let usual = if name == "displayColor" { "Color" } else { name };
    let name = says.and_then(|says| text(says, "name")).unwrap_or(usual);
    let color = |(i, row): (usize, &&[f32])| -> Rgba {
        let single = opacity.first().copied().filter(|_| opacity.len() == 1);
        let alpha = row.get(3).or(opacity.get(i)).copied().or(single).unwrap_or(1.0);
        [row[0], row[1], row[2], alpha]
    };
    let mut values: Vec<Rgba> = rows.iter().enumerate().map(color).collect();
    if interpolation == "constant" {
        values = vec![values[0]; arrays.face_starts.len() - 1];
    }
    Some(RawSet { name: name.to_owned(), placement, numbers, values })
}
