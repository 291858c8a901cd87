//! Writing glTF: a node and a mesh for each part, with all its sets as `COLOR_n`.

use base64::prelude::{BASE64_STANDARD, Engine as _};
use serde_json::{Map, Value, json};
use speckle_core::{
    Encoding, Part, ProjectTraits, Transform, Unit, UpAxis,
    color::{Rgba, byte_from_unit, linear_rgba},
};

use super::{CHUNK_BIN, CHUNK_HEADER, CHUNK_JSON, HEADER, MAGIC, component};
use crate::{Depth, Export, WriteOptions, seams::SplitVertices};

const ARRAY_BUFFER: u32 = 34962;
const ELEMENT_ARRAY_BUFFER: u32 = 34963;

/// Writes the parts as one binary file.
pub fn write_glb(parts: &[Part], options: WriteOptions) -> Export {
    let (root, bin, notes) = root(parts, options);
    Export { bytes: container(&root, &bin), notes }
}

/// Writes the parts as one text with the arrays embedded.
pub fn write_gltf(parts: &[Part], options: WriteOptions) -> Export {
    let (mut root, bin, notes) = root(parts, options);
    let uri = format!("{}{}", super::EMBEDDED, BASE64_STANDARD.encode(bin));
    root["buffers"][0]["uri"] = json!(uri);
    Export { bytes: root.to_string().into_bytes(), notes }
}

fn root(parts: &[Part], options: WriteOptions) -> (Value, Vec<u8>, Vec<String>) {
    let mut file = File::default();
    let mut notes = Vec::new();
    let mut nodes = Vec::new();
    let mut meshes = Vec::new();
    for part in parts {
        let (mesh, note) = file.mesh(part, options);
        notes.extend(note);
        let mut node = json!({ "name": part.traits.name, "mesh": meshes.len() });
        place(&mut node, &part.traits.transform);
        nodes.push(node);
        meshes.push(mesh);
    }
    let mut roots: Vec<usize> = (0..nodes.len()).collect();
    // The standard's numbers are metres with Y up. A node above the others says so, and theirs stay
    // as they are, to the bit.
    if let Some(ProjectTraits { unit, up }) = options.traits
        && (unit, up) != (Unit::Metre, UpAxis::Y)
    {
        let mut above = json!({ "name": "Units and up axis", "children": roots });
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
    let root = json!({
        "asset": { "version": "2.0", "generator": "Jaunty Speckle" },
        "scene": 0,
        "scenes": [{ "nodes": roots }],
        "nodes": nodes,
        "meshes": meshes,
        "accessors": file.accessors,
        "bufferViews": file.views,
        "buffers": [{ "byteLength": file.bin.len() }],
    });
    (root, file.bin, notes)
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

#[derive(Default)]
struct File {
    bin: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
}

impl File {
    fn mesh(&mut self, part: &Part, options: WriteOptions) -> (Value, Vec<String>) {
        let geometry = &part.geometry;
        let mesh = geometry.mesh();
        let split = SplitVertices::new(part, &part.sets.iter().collect::<Vec<_>>(), true);
        let count = split.vertices.len();
        let mut notes = Vec::new();
        let added = count.saturating_sub(mesh.vertex_count());
        if added > 0 {
            notes.push(format!(
                "{}: {added} vertices were added where colors or UVs change at a corner",
                part.traits.name
            ));
        }
        if !mesh.all_triangles() {
            notes.push(format!(
                "{}: polygons were cut, {} faces into {} triangles",
                part.traits.name,
                mesh.face_count(),
                mesh.triangle_count()
            ));
        }

        let mut attributes = Map::new();
        let positions = || split.vertices.iter().map(|&v| mesh.positions()[v as usize]);
        let (min, max) = positions()
            .fold((glam::Vec3::INFINITY, glam::Vec3::NEG_INFINITY), |(min, max), p| {
                (min.min(p), max.max(p))
            });
        let bytes = positions().flat_map(|p| p.to_array()).flat_map(f32::to_le_bytes).collect();
        let index = self.array(bytes, count, component::F32, "VEC3", false, None);
        self.accessors[index]["min"] = json!(min.to_array());
        self.accessors[index]["max"] = json!(max.to_array());
        attributes.insert("POSITION".to_owned(), json!(index));

        let normals = geometry.vertex_normals();
        let bytes = split
            .vertices
            .iter()
            .flat_map(|&v| normals[v as usize].to_array())
            .flat_map(f32::to_le_bytes)
            .collect();
        let index = self.array(bytes, count, component::F32, "VEC3", false, None);
        attributes.insert("NORMAL".to_owned(), json!(index));

        for (n, uv_set) in mesh.uv_sets().iter().enumerate() {
            let bytes = split
                .of_corners(&uv_set.uvs)
                // glTF counts v downwards, we count it upwards.
                .flat_map(|uv| [uv.x, 1.0 - uv.y])
                .flat_map(f32::to_le_bytes)
                .collect();
            let index = self.array(bytes, count, component::F32, "VEC2", false, None);
            attributes.insert(format!("TEXCOORD_{n}"), json!(index));
        }
        for (n, set) in part.sets.iter().enumerate() {
            let values = split.values(part, set).map(|value| match set.encoding {
                Encoding::Color => linear_rgba(value),
                Encoding::Data => value,
            });
            let index = self.colors(values, count, options);
            attributes.insert(format!("COLOR_{n}"), json!(index));
        }

        let corners = geometry.triangulation().corners();
        let bytes = corners
            .iter()
            .flatten()
            .flat_map(|&corner| split.of_corner[corner as usize].to_le_bytes())
            .collect();
        let indices = self.array(bytes, 3 * corners.len(), component::U32, "SCALAR", false, None);

        let sets: Vec<Value> = part
            .sets
            .iter()
            .map(|set| json!({ "name": set.name, "encoding": set.encoding }))
            .collect();
        let mut out = json!({
            "name": part.traits.name,
            "primitives": [{ "attributes": attributes, "indices": indices, "mode": 4 }],
        });
        if !sets.is_empty() {
            out["extras"] = json!({ "color_sets": sets });
        }
        (out, notes)
    }

    fn colors(
        &mut self,
        values: impl Iterator<Item = Rgba>,
        count: usize,
        options: WriteOptions,
    ) -> usize {
        let channels = if options.alpha { 4 } else { 3 };
        let shape = if options.alpha { "VEC4" } else { "VEC3" };
        let mut bytes = Vec::with_capacity(count * channels * 4);
        let (kind, size) = match options.depth {
            Depth::Usual | Depth::Float => (component::F32, 4),
            Depth::Bits16 => (component::U16, 2),
            Depth::Bits8 => (component::U8, 1),
        };
        // Each vertex begins on four bytes, as the standard demands.
        let stride = (channels * size).next_multiple_of(4);
        for value in values {
            for number in &value[..channels] {
                match kind {
                    component::F32 => bytes.extend(number.to_le_bytes()),
                    component::U16 => {
                        bytes.extend(
                            ((number.clamp(0.0, 1.0) * 65_535.0).round() as u16).to_le_bytes(),
                        );
                    }
                    _ => bytes.push(byte_from_unit(*number)),
                }
            }
            bytes.resize(bytes.len().next_multiple_of(4), 0);
        }
        let padded = (stride != channels * size).then_some(stride);
        self.array(bytes, count, kind, shape, kind != component::F32, padded)
    }

    /// Adds an array with its view and accessor; returns the accessor's index.
    fn array(
        &mut self,
        bytes: Vec<u8>,
        count: usize,
        kind: u32,
        shape: &str,
        normalized: bool,
        stride: Option<usize>,
    ) -> usize {
        let target = if shape == "SCALAR" { ELEMENT_ARRAY_BUFFER } else { ARRAY_BUFFER };
        let mut view = json!({
            "buffer": 0,
            "byteOffset": self.bin.len(),
            "byteLength": bytes.len(),
            "target": target,
        });
        if let Some(stride) = stride {
            view["byteStride"] = json!(stride);
        }
        let mut accessor = json!({
            "bufferView": self.views.len(),
            "componentType": kind,
            "count": count,
            "type": shape,
        });
        if normalized {
            accessor["normalized"] = json!(true);
        }
        self.views.push(view);
        self.accessors.push(accessor);
        self.bin.extend(bytes);
        self.bin.resize(self.bin.len().next_multiple_of(4), 0);
        self.accessors.len() - 1
    }
}
