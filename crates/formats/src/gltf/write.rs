//! Writing glTF: a node and a mesh for each part, with all its sets as `COLOR_n`.

use std::collections::BTreeMap;

use base64::prelude::{BASE64_STANDARD, Engine as _};
use glam::Vec3;
use rayon::prelude::*;
use serde_json::{Map, Value, json};
use speckle_color::{Encoding, Rgba, byte_from_unit};
use speckle_mesh::{Transform, Unit, UpAxis};
use speckle_model::{ColorSet, Part, ProjectTraits};

use super::{
    CHUNK_BIN, CHUNK_HEADER, CHUNK_JSON, HEADER, MAGIC, component, file::File,
    material_lists::MaterialLists,
};
use crate::{
    DataSets, Depth, Format, FormatError, Light, Place, Shipment, WriteOptions, Written, carried,
    numbers::Numbers, seams::SplitVertices,
};

/// Writes the parts as one binary file.
///
/// # Errors
/// When it would be longer than the format can say.
pub fn write_glb(shipment: &Shipment, options: WriteOptions) -> Result<Written, FormatError> {
    let (root, bin) = root(shipment, options);
    // Lengths are 32-bit numbers; the text is small beside the arrays.
    if bin.len() > (u32::MAX - (1 << 28)) as usize {
        return Err(FormatError::new(
            Place::File,
            format!("{} bytes are more than a GLB can hold", bin.len()),
            "send fewer parts or sets, one file for each part, or glTF as text",
        ));
    }
    Ok(Written::alone(container(&root, &bin)))
}

/// Writes the parts as one text with the arrays embedded.
pub fn write_gltf(shipment: &Shipment, options: WriteOptions) -> Written {
    let (mut root, bin) = root(shipment, options);
    let uri = format!("{}{}", super::EMBEDDED, BASE64_STANDARD.encode(bin));
    root["buffers"][0]["uri"] = json!(uri);
    Written::alone(root.to_string().into_bytes())
}

fn root(shipment: &Shipment, options: WriteOptions) -> (Value, Vec<u8>) {
    let mut file = File::default();
    let mut lists = MaterialLists::default();
    let mut nodes = Vec::new();
    let mut meshes = Vec::new();
    for part in shipment.parts {
        let mesh = file.mesh(part, shipment, &mut lists, options);
        let mut node = json!({ "name": part.traits.name, "mesh": meshes.len() });
        place(&mut node, &part.traits.transform);
        nodes.push(node);
        meshes.push(mesh);
    }
    let mut roots = grouped(shipment.parts, &mut nodes);
    // The standard's numbers are metres with Y up. A node above the others says so, and theirs stay
    // as they are, to the bit.
    if let Some(ProjectTraits { unit, up }) = shipment.traits
        && (unit, up) != (Unit::Metre, UpAxis::Y)
    {
        let mut above = json!({ "name": super::ABOVE_ALL, "children": roots });
        if unit != Unit::Metre {
            above["scale"] = json!([unit.metres(), unit.metres(), unit.metres()]);
        }
        if up == UpAxis::Z {
            let quarter = std::f32::consts::FRAC_1_SQRT_2;
            above["rotation"] = json!([-quarter, 0.0, 0.0, quarter]);
        }
        roots = vec![nodes.len()];
        nodes.push(above);
    }
    let mut asset = json!({ "version": "2.0", "generator": "Jaunty Speckle" });
    if let Some(note) = shipment.note {
        asset["extras"] = json!({ "channel_note": note });
    }
    let mut root = json!({
        "asset": asset,
        "scene": 0,
        "scenes": [{ "nodes": roots }],
        "nodes": nodes,
        "meshes": meshes,
        "accessors": file.accessors,
        "bufferViews": file.views,
        "buffers": [{ "byteLength": file.bin.len() }],
    });
    lists.put_into(&mut root);
    (root, file.bin)
}

/// Puts the nodes of parts below nodes for the groups they stand in; returns those that stand in
/// none, and the outermost groups.
fn grouped(parts: &[Part], nodes: &mut Vec<Value>) -> Vec<usize> {
    let mut roots = Vec::new();
    let mut groups: BTreeMap<&[String], usize> = BTreeMap::new();
    for (number, part) in parts.iter().enumerate() {
        let (path, mut below) = (&part.traits.path, number);
        let mut is_met = false;
        for depth in (1..=path.len()).rev() {
            let group = *groups.entry(&path[..depth]).or_insert_with(|| {
                nodes.push(json!({ "name": path[depth - 1], "children": [] }));
                nodes.len() - 1
            });
            let children = nodes[group]["children"].as_array_mut();
            let is_new = children.as_ref().is_some_and(|list| list.is_empty());
            if let Some(children) = children {
                children.push(json!(below));
            }
            below = group;
            if !is_new {
                is_met = true;
                break;
            }
        }
        if !is_met {
            roots.push(below);
        }
    }
    roots
}

/// Says in a node where its part stands.
fn place(node: &mut Value, transform: &Transform) {
    let identity = Transform::IDENTITY;
    if transform.translation != identity.translation {
        node["translation"] = json!(transform.translation.to_array());
    }
    if transform.rotation_degrees != identity.rotation_degrees {
        node["rotation"] = json!(transform.rotation().to_array());
    }
    if transform.scale != identity.scale {
        node["scale"] = json!(transform.scale.to_array());
    }
}

fn container(root: &Value, bin: &[u8]) -> Vec<u8> {
    let mut json = root.to_string().into_bytes();
    json.resize(json.len().next_multiple_of(4), b' ');
    // Every array was padded as it was written.
    debug_assert!(bin.len().is_multiple_of(4), "the binary chunk ends on four bytes");
    let length = HEADER + CHUNK_HEADER + json.len() + CHUNK_HEADER + bin.len();
    let mut out = Vec::with_capacity(length);
    let word = |out: &mut Vec<u8>, value: u32| out.extend(value.to_le_bytes());
    word(&mut out, MAGIC);
    word(&mut out, 2);
    word(&mut out, length as u32);
    word(&mut out, json.len() as u32);
    word(&mut out, CHUNK_JSON);
    out.extend(json);
    word(&mut out, bin.len() as u32);
    word(&mut out, CHUNK_BIN);
    out.extend_from_slice(bin);
    out
}

/// What the white set in front of data is called.
const WHITE: &str = "White";

/// An attribute of an application's own: an underscore and capitals, as the standard asks.
fn attribute_name(set: &str, taken: &[String]) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
    let name: String = std::iter::once('_').chain(set.chars().map(plain)).collect();
    let numbered = (2..).map(|n| format!("{name}_{n}"));
    let mut names = std::iter::once(name.clone()).chain(numbered);
    names.find(|name| !taken.contains(name)).unwrap_or(name)
}

/// Whether white stands before the sets in `COLOR_0`, so that viewers do not multiply data into the
/// picture.
fn is_behind_white(sets: &[&ColorSet], data: DataSets) -> bool {
    let is_tinted = sets.first().is_some_and(|set| set.encoding == Encoding::Data);
    is_tinted && data == DataSets::BehindWhite
}

/// The attribute that each set of a part is stored as.
pub fn attribute_names(sets: &[&ColorSet], data: DataSets) -> Vec<String> {
    let mut colors = usize::from(is_behind_white(sets, data));
    let mut names: Vec<String> = Vec::with_capacity(sets.len());
    for set in sets {
        names.push(if set.encoding == Encoding::Data && data == DataSets::Named {
            attribute_name(&set.name, &names)
        } else {
            colors += 1;
            format!("COLOR_{}", colors - 1)
        });
    }
    names
}

impl File {
    fn mesh(
        &mut self,
        part: &Part,
        shipment: &Shipment,
        lists: &mut MaterialLists,
        options: WriteOptions,
    ) -> Value {
        let geometry = &part.geometry;
        let mesh = geometry.mesh();
        let sets = carried(&Format::Glb.abilities(), part);
        let split = shipment.split(part, &sets, Format::Glb.abilities().split_by());
        let count = split.vertices.len();

        let mut attributes = Map::new();
        let positions: Vec<Vec3> =
            split.vertices.iter().map(|&v| mesh.positions()[v as usize]).collect();
        let (min, max) = positions
            .par_iter()
            .fold(
                || (Vec3::INFINITY, Vec3::NEG_INFINITY),
                |(min, max), &p| (min.min(p), max.max(p)),
            )
            .reduce(|| (Vec3::INFINITY, Vec3::NEG_INFINITY), |a, b| (a.0.min(b.0), a.1.max(b.1)));
        let index = self.floats(&positions, "VEC3");
        self.accessors[index]["min"] = json!(min.to_array());
        self.accessors[index]["max"] = json!(max.to_array());
        attributes.insert("POSITION".to_owned(), json!(index));

        let index = self.floats(&split.normals(part), "VEC3");
        attributes.insert("NORMAL".to_owned(), json!(index));

        for (n, uv_set) in mesh.uv_sets().iter().enumerate() {
            // glTF counts v downwards, we count it upwards.
            let uvs: Vec<[f32; 2]> =
                split.of_corners(&uv_set.uvs).map(|uv| [uv.x, 1.0 - uv.y]).collect();
            let index = self.floats(&uvs, "VEC2");
            attributes.insert(format!("TEXCOORD_{n}"), json!(index));
        }
        let mut told = Vec::new();
        if is_behind_white(&sets, options.data) {
            let index = self.colors(&vec![[1.0; 4]; count], options);
            attributes.insert("COLOR_0".to_owned(), json!(index));
            told.push(json!({ "name": WHITE, "encoding": Encoding::Color, "filler": true }));
        }
        for (set, attribute) in sets.iter().zip(attribute_names(&sets, options.data)) {
            let numbers = Numbers::of(set, options.light(Light::Linear));
            let values = split.stored(part, set, |value| numbers.stored(value));
            let index = self.colors(&values, options);
            let mut says = json!({ "name": set.name, "encoding": numbers.word(Light::Linear) });
            if set.encoding == Encoding::Data && options.data == DataSets::Named {
                says["attribute"] = json!(attribute);
            }
            attributes.insert(attribute, json!(index));
            told.push(says);
        }

        let mut out = json!({
            "name": part.traits.name,
            "primitives": self.primitives(part, &split, &attributes, shipment, lists, options),
        });
        if !told.is_empty() {
            out["extras"] = json!({ "color_sets": told });
        }
        out
    }

    /// The triangles: in one piece, or one for each material.
    fn primitives(
        &mut self,
        part: &Part,
        split: &SplitVertices,
        attributes: &Map<String, Value>,
        shipment: &Shipment,
        lists: &mut MaterialLists,
        options: WriteOptions,
    ) -> Vec<Value> {
        let corners = part.geometry.triangulation().corners();
        let materials = &part.materials;
        let with_materials = options.materials && !materials.list.is_empty();
        let count = if with_materials { materials.list.len() } else { 1 };
        let mut pieces: Vec<Vec<u32>> = vec![Vec::new(); count];
        let topology = part.geometry.topology();
        if count == 1 {
            let flat = corners.par_iter().flatten_iter();
            pieces[0] = flat.map(|&corner| split.of_corner[corner as usize]).collect();
        } else {
            for triangle in corners {
                let face = topology.face_of(triangle[0] as usize);
                let indices = triangle.map(|corner| split.of_corner[corner as usize]);
                pieces[materials.of_faces[face] as usize].extend(indices);
            }
        }
        let mut primitives = Vec::new();
        for (number, own) in pieces.iter().enumerate().filter(|(_, own)| !own.is_empty()) {
            let bytes = bytemuck::cast_slice(own);
            let indices = self.array(bytes, own.len(), component::U32, "SCALAR", false, None);
            let mut primitive = json!({ "attributes": attributes, "indices": indices, "mode": 4 });
            if with_materials {
                let material = &materials.list[number];
                primitive["material"] = json!(lists.material(material, part, shipment, self));
            } else {
                primitive["material"] = json!(lists.plain());
            }
            primitives.push(primitive);
        }
        primitives
    }

    fn colors(&mut self, values: &[Rgba], options: WriteOptions) -> usize {
        let count = values.len();
        let shape = if options.alpha { "VEC4" } else { "VEC3" };
        // Each vertex begins on four bytes, as the standard demands.
        match (options.depth, options.alpha) {
            (Depth::Usual | Depth::Float, true) => self.floats(values, shape),
            (Depth::Usual | Depth::Float, false) => {
                let rows: Vec<[f32; 3]> = values.iter().map(|&[r, g, b, _]| [r, g, b]).collect();
                self.floats(&rows, shape)
            }
            (Depth::Bits16, alpha) => {
                let step = |x: f32| (x.clamp(0.0, 1.0) * 65_535.0).round() as u16;
                let rows: Vec<[u16; 4]> = values.par_iter().map(|value| value.map(step)).collect();
                let stride = (!alpha).then_some(8);
                let bytes = bytemuck::cast_slice(&rows);
                self.array(bytes, count, component::U16, shape, true, stride)
            }
            (Depth::Bits8, alpha) => {
                let rows: Vec<[u8; 4]> =
                    values.par_iter().map(|value| value.map(byte_from_unit)).collect();
                let stride = (!alpha).then_some(4);
                let bytes = bytemuck::cast_slice(&rows);
                self.array(bytes, count, component::U8, shape, true, stride)
            }
        }
    }
}
