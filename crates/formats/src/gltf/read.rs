//! Reading glTF: every node with a mesh becomes a part, placed as the scene places it.

use std::collections::BTreeMap;

use glam::{Mat4, Quat, Vec2, Vec3};
use rustc_hash::FxHashMap;
use serde::Deserialize;
use smallvec::SmallVec;
use speckle_color::Rgba;
use speckle_mesh::{
    Placement,
    carry::Carry,
    mesh::{MeshArrays, UvSet, gate},
};
use speckle_model::MOST_SETS;
use speckle_tools::bake::MATERIAL_SET;

use super::{
    ABOVE_ALL, CHUNK_BIN, CHUNK_HEADER, CHUNK_JSON, HEADER, MAGIC,
    accessor::{Accessor, Arrays, BufferView, Rows},
    buffers::{self, Buffer, BufferEntry},
    materials::{self, ImageEntry, Images, Material, Texture},
};
use crate::{
    Content, FormatError, Light, MeshFile, Origin, Place, RawPart, RawSet, Reading, Repair,
    RepairKind, numbers::Numbers,
};

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", default)]
#[derive(Default)]
struct Root {
    asset: Asset,
    extensions_required: Vec<String>,
    scene: Option<usize>,
    scenes: Vec<Scene>,
    nodes: Vec<Node>,
    meshes: Vec<GltfMesh>,
    accessors: Vec<Accessor>,
    buffer_views: Vec<BufferView>,
    buffers: Vec<BufferEntry>,
    materials: Vec<Material>,
    textures: Vec<Texture>,
    images: Vec<ImageEntry>,
    skins: Vec<serde::de::IgnoredAny>,
    animations: Vec<serde::de::IgnoredAny>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Asset {
    extras: serde_json::Value,
}

impl Asset {
    /// Where a file of ours comes from.
    fn origin(&self) -> Option<Origin> {
        let note = self.extras.get("channel_note")?;
        let origin: Origin = serde_json::from_value(note.clone()).ok()?;
        Some(origin).filter(|origin| !origin.project.is_empty())
    }
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Scene {
    nodes: Vec<usize>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Node {
    name: Option<String>,
    mesh: Option<usize>,
    skin: Option<usize>,
    children: Vec<usize>,
    matrix: Option<[f32; 16]>,
    translation: Option<[f32; 3]>,
    rotation: Option<[f32; 4]>,
    scale: Option<[f32; 3]>,
}

impl Node {
    fn transform(&self) -> Mat4 {
        match &self.matrix {
            Some(matrix) => Mat4::from_cols_array(matrix),
            None => Mat4::from_scale_rotation_translation(
                self.scale.map_or(Vec3::ONE, Vec3::from),
                self.rotation.map_or(Quat::IDENTITY, Quat::from_array),
                self.translation.map_or(Vec3::ZERO, Vec3::from),
            ),
        }
    }
}

#[derive(Debug, Deserialize)]
struct GltfMesh {
    name: Option<String>,
    primitives: Vec<Primitive>,
    #[serde(default)]
    extras: serde_json::Value,
}

#[derive(Debug, Deserialize)]
struct Primitive {
    attributes: BTreeMap<String, usize>,
    indices: Option<usize>,
    material: Option<usize>,
    #[serde(default = "triangles")]
    mode: u32,
    #[serde(default)]
    targets: Vec<serde::de::IgnoredAny>,
}

/// What our own files say about a set in `extras.color_sets`.
#[derive(Debug, Default, Deserialize)]
struct SetExtra {
    name: String,
    #[serde(default)]
    encoding: String,
    /// The attribute it is stored as, where that is not the next `COLOR_n`.
    attribute: Option<String>,
    /// Whether it only stands where receivers look for a color.
    #[serde(default)]
    filler: bool,
}

impl SetExtra {
    /// What a mesh of ours says of its sets.
    fn of(mesh: &GltfMesh) -> Vec<Self> {
        let told = mesh.extras.get("color_sets");
        told.and_then(|sets| serde_json::from_value(sets.clone()).ok()).unwrap_or_default()
    }

    /// The attributes that hold colors: those that are told of, and further `COLOR_n` that some
    /// surface has.
    fn attributes(told: &[Self], mesh: &GltfMesh) -> Vec<String> {
        let mut numbered = 0;
        let mut next = || {
            numbered += 1;
            format!("COLOR_{}", numbered - 1)
        };
        let mut names: Vec<String> =
            told.iter().map(|set| set.attribute.clone().unwrap_or_else(&mut next)).collect();
        let has = |name: &String| mesh.primitives.iter().any(|p| p.attributes.contains_key(name));
        loop {
            let name = next();
            if !has(&name) {
                return names;
            }
            names.push(name);
        }
    }
}

const TRIANGLES: u32 = 4;
const TRIANGLE_STRIP: u32 = 5;
const TRIANGLE_FAN: u32 = 6;

fn triangles() -> u32 {
    TRIANGLES
}

fn broken(cause: impl Into<String>) -> FormatError {
    FormatError::new(Place::File, cause, "the file is damaged: export it again")
}

/// Reads a file whose arrays are in its binary chunk.
///
/// # Errors
/// With the byte or the object that is wrong.
pub fn read_glb(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    let (json, bin, bin_start) = chunks(file.bytes)?;
    let chunk = Buffer { bytes: bin.into(), name: "the binary chunk".to_owned(), start: bin_start };
    read(json, HEADER + CHUNK_HEADER, Some(chunk), file, options)
}

/// Reads a file whose arrays are embedded in its text, or in files beside it.
///
/// # Errors
/// With the line or the object that is wrong, or the file that is missing.
pub fn read_gltf(file: &MeshFile, options: &Reading) -> Result<Content, FormatError> {
    read(file.bytes, 0, None, file, options)
}

fn read(
    json: &[u8],
    json_start: usize,
    chunk: Option<Buffer<'_>>,
    file: &MeshFile,
    options: &Reading,
) -> Result<Content, FormatError> {
    let limits = options.limits;
    let root: Root = serde_json::from_slice(json).map_err(|error| {
        let place = match chunk {
            Some(_) => Place::Byte(json_start),
            None => Place::Line(error.line()),
        };
        let cause = format!("the JSON cannot be read: {error}");
        FormatError::new(place, cause, "the file is damaged: export it again")
    })?;
    if let Some(needed) = root.extensions_required.iter().find(|name| !is_harmless(name)) {
        return Err(FormatError::new(
            Place::File,
            format!("it cannot be read without the extension {needed}"),
            "export it again without compression or other required extensions",
        ));
    }
    let buffers = buffers::load(&root.buffers, chunk, file, limits)?;
    let arrays = Arrays {
        accessors: &root.accessors,
        views: &root.buffer_views,
        buffers: &buffers,
        budget: options.budget,
    };
    let mut content = Content { origin: root.asset.origin(), ..Content::default() };
    let places = (root.buffer_views.as_slice(), buffers.as_slice());
    let (textures, images) = (&root.textures, &root.images);
    let images =
        materials::images(&root.materials, textures, images, places, file, &mut content.notes);
    let count = root.materials.iter().filter(|material| !material.is_filler()).count();
    if count > 0 {
        content
            .notes
            .push(format!("of materials only base colors and their images are kept: {count}"));
    }
    for (what, count) in [("skins", root.skins.len()), ("animations", root.animations.len())] {
        if count > 0 {
            content.notes.push(format!("{what} not kept: {count}"));
        }
    }

    let mut elements = 0_usize;
    for Placed { mesh, name: node_name, path, transform } in placed_meshes(&root)? {
        let Some(gltf_mesh) = root.meshes.get(mesh) else {
            return Err(broken(format!("mesh {mesh} is used but not there")));
        };
        let part_name = node_name
            .or(gltf_mesh.name.as_deref())
            .filter(|name| !name.trim().is_empty())
            .map_or_else(|| format!("{} {}", file.stem(), content.parts.len() + 1), str::to_owned);
        let mut raw = Surfaces::default();
        raw.read(gltf_mesh, &root.materials, &arrays, &mut content.notes, &part_name)?;
        elements += raw.positions.len().max(raw.corner_vertices.len());
        if elements > limits.elements {
            return Err(FormatError::too_many(limits));
        }
        if raw.corner_vertices.is_empty() {
            continue;
        }
        raw.place(transform);
        if !raw.bad_normals.is_empty() {
            let places = raw.bad_normals.iter().map(|&v| raw.positions[v]);
            let (kind, count) = (RepairKind::BadNormal, raw.bad_normals.len());
            content.repairs.push(Repair::new(&part_name, kind, count, places));
        }
        let part = raw.into_part(part_name, gltf_mesh, &root.materials, &images);
        let part = part.within(path.into_iter().map(str::to_owned).collect());
        content.take_part(part, options.budget)?;
    }
    content.images = images.records;
    if content.parts.is_empty() {
        return Err(FormatError::new(
            Place::File,
            "no mesh with triangles is in it",
            "export it again with its surfaces",
        ));
    }
    Ok(content)
}

/// The JSON chunk, the binary chunk and where the latter begins.
fn chunks(bytes: &[u8]) -> Result<(&[u8], &[u8], usize), FormatError> {
    let word = |at: usize| -> Option<u32> {
        Some(u32::from_le_bytes(bytes.get(at..at.checked_add(4)?)?.try_into().ok()?))
    };
    let cut = |at: usize| {
        FormatError::new(
            Place::Byte(at),
            "the file ends in the middle of a chunk",
            "it was cut short: copy or export it again",
        )
    };
    if word(0) != Some(MAGIC) {
        let cause = "it does not begin with the letters glTF";
        let remedy = "check that this is a binary glTF file (.glb)";
        return Err(FormatError::new(Place::Byte(0), cause, remedy));
    }
    if word(4) != Some(2) {
        return Err(FormatError::new(
            Place::Byte(4),
            "it is not of glTF version 2",
            "export it again as glTF 2.0",
        ));
    }
    let mut at = HEADER;
    let (mut json, mut bin) = (None, None);
    while at < bytes.len() {
        let length = word(at).ok_or_else(|| cut(at))? as usize;
        let kind = word(at + 4).ok_or_else(|| cut(at))?;
        let start = at + CHUNK_HEADER;
        let end = start.checked_add(length).ok_or_else(|| cut(at))?;
        let content = bytes.get(start..end).ok_or_else(|| cut(at))?;
        match kind {
            CHUNK_JSON if json.is_none() => json = Some(content),
            CHUNK_BIN if bin.is_none() => bin = Some((content, start)),
            _ => {}
        }
        at = end;
    }
    let json = json.ok_or_else(|| cut(HEADER))?;
    let (bin, bin_start) = bin.unwrap_or((&[], bytes.len()));
    Ok((json, bin, bin_start))
}

/// A mesh where the scene places it.
struct Placed<'a> {
    mesh: usize,
    /// Its node's name.
    name: Option<&'a str>,
    /// The names of the nodes above, the outermost first.
    path: Vec<&'a str>,
    transform: Mat4,
}

/// How many names of nodes above a part are kept.
const DEEPEST: usize = 16;

/// Whether a file can be read without an extension that it requires: shape and colors stand where
/// they stand without it. Quantized positions are ordinary integer accessors, which are read anyway.
fn is_harmless(extension: &str) -> bool {
    const OF_LOOK_AND_MOTION: [&str; 8] = [
        "KHR_materials_",
        "KHR_texture_",
        "EXT_texture_",
        "KHR_lights_",
        "EXT_lights_",
        "KHR_animation_",
        "KHR_xmp_",
        "KHR_node_",
    ];
    extension == "KHR_mesh_quantization"
        || OF_LOOK_AND_MOTION.iter().any(|start| extension.starts_with(start))
}

fn placed_meshes(root: &Root) -> Result<Vec<Placed<'_>>, FormatError> {
    if root.nodes.is_empty() {
        let alone = |mesh| Placed { mesh, name: None, path: Vec::new(), transform: Mat4::IDENTITY };
        return Ok((0..root.meshes.len()).map(alone).collect());
    }
    let roots: Vec<usize> = match root.scenes.get(root.scene.unwrap_or(0)) {
        Some(scene) => scene.nodes.clone(),
        None => {
            let mut is_child = vec![false; root.nodes.len()];
            for &child in root.nodes.iter().flat_map(|node| &node.children) {
                *is_child
                    .get_mut(child)
                    .ok_or_else(|| broken("a node names a child that is not there"))? = true;
            }
            (0..root.nodes.len()).filter(|&node| !is_child[node]).collect()
        }
    };
    let mut placed = Vec::new();
    let mut seen = vec![false; root.nodes.len()];
    let mut parents: Vec<Option<usize>> = vec![None; root.nodes.len()];
    let mut open: Vec<(usize, Mat4)> =
        roots.into_iter().rev().map(|n| (n, Mat4::IDENTITY)).collect();
    while let Some((index, parent)) = open.pop() {
        let node = root
            .nodes
            .get(index)
            .ok_or_else(|| broken(format!("node {index} is used but not there")))?;
        if std::mem::replace(&mut seen[index], true) {
            return Err(broken(format!("node {index} is in the scene twice, or holds itself")));
        }
        let transform = parent * node.transform();
        if let Some(mesh) = node.mesh {
            let above = std::iter::successors(parents[index], |&node| parents[node]);
            let names = above.filter_map(|node| root.nodes[node].name.as_deref());
            let mut path: Vec<&str> =
                names.filter(|name| *name != ABOVE_ALL).take(DEEPEST).collect();
            path.reverse();
            // A skinned mesh stands where its joints say; the node's own transform does not count
            // (glTF 2.0, 3.7.3.3).
            let transform = if node.skin.is_some() { Mat4::IDENTITY } else { transform };
            placed.push(Placed { mesh, name: node.name.as_deref(), path, transform });
        }
        for &child in &node.children {
            if let Some(parent) = parents.get_mut(child) {
                *parent = Some(index);
            }
        }
        open.extend(node.children.iter().rev().map(|&child| (child, transform)));
    }
    Ok(placed)
}

/// A mesh as it stands in the file, its primitives joined.
#[derive(Default)]
struct Surfaces {
    positions: Vec<Vec3>,
    corner_vertices: Vec<u32>,
    /// By vertex; empty where no primitive so far had the set.
    colors: Vec<Vec<Rgba>>,
    uvs: Vec<Vec<Vec2>>,
    /// The vertex whose UVs each corner has.
    uv_vertices: Vec<u32>,
    /// The surface of each face, by its material's name; empty while there is one surface.
    face_surfaces: Vec<u32>,
    surface_names: Vec<String>,
    /// The material of each surface.
    surface_materials: Vec<Option<usize>>,
    /// Vertices whose normal is zero or no number.
    bad_normals: Vec<usize>,
    /// By vertex, to the bit, where the file has some.
    normals: Vec<Option<[u32; 3]>>,
}

impl Surfaces {
    fn read(
        &mut self,
        mesh: &GltfMesh,
        materials: &[Material],
        arrays: &Arrays,
        notes: &mut Vec<String>,
        name: &str,
    ) -> Result<(), FormatError> {
        let color_attributes = SetExtra::attributes(&SetExtra::of(mesh), mesh);
        for primitive in &mesh.primitives {
            if !(TRIANGLES..=TRIANGLE_FAN).contains(&primitive.mode) {
                notes.push(format!("{name}: points and lines are not kept"));
                continue;
            }
            if !primitive.targets.is_empty() {
                notes.push(format!("{name}: morph targets are not kept"));
            }
            let Some(&position) = primitive.attributes.get("POSITION") else {
                notes.push(format!("{name}: a surface without positions was left out"));
                continue;
            };
            let rows = arrays.floats(position)?;
            if rows.width != 3 {
                return Err(broken(format!("{name}: positions need three numbers each")));
            }
            let first = self.positions.len();
            let count = rows.len();
            self.positions.extend((0..count).map(|i| Vec3::from_slice(rows.row(i))));
            if self.positions.len() > arrays.budget.limits().elements {
                return Err(FormatError::too_many(arrays.budget.limits()));
            }

            let of_vertices = |what: &str, index: usize| -> Result<Rows, FormatError> {
                let rows = arrays.floats(index)?;
                if rows.len() == count {
                    Ok(rows)
                } else {
                    Err(broken(format!(
                        "{name}: {what} has {} rows for {count} vertices",
                        rows.len()
                    )))
                }
            };
            self.colors.resize_with(color_attributes.len(), || vec![[1.0; 4]; first]);
            for (n, attribute) in color_attributes.iter().enumerate() {
                match primitive.attributes.get(attribute) {
                    Some(&index) => {
                        let rows = of_vertices("a color", index)?;
                        if rows.width < 3 {
                            return Err(broken(format!(
                                "{name}: a color needs three or four numbers"
                            )));
                        }
                        self.colors[n].extend((0..count).map(|i| {
                            let row = rows.row(i);
                            [row[0], row[1], row[2], row.get(3).copied().unwrap_or(1.0)]
                        }));
                    }
                    None => self.colors[n].resize(first + count, [1.0; 4]),
                }
            }
            for n in 0.. {
                let uv = primitive.attributes.get(&format!("TEXCOORD_{n}"));
                if uv.is_none() && n >= self.uvs.len() {
                    break;
                }
                if n == self.uvs.len() {
                    self.uvs.push(vec![Vec2::ZERO; first]);
                }
                match uv {
                    Some(&index) => {
                        let rows = of_vertices("a UV", index)?;
                        if rows.width != 2 {
                            return Err(broken(format!("{name}: a UV needs two numbers")));
                        }
                        // glTF counts v downwards, we count it upwards.
                        self.uvs[n].extend((0..count).map(|i| {
                            let row = rows.row(i);
                            Vec2::new(row[0], 1.0 - row[1])
                        }));
                    }
                    None => self.uvs[n].resize(first + count, Vec2::ZERO),
                }
            }
            if let Some(&index) = primitive.attributes.get("NORMAL") {
                let rows = of_vertices("a normal", index)?;
                let unusable = |&i: &usize| {
                    let length = rows.row(i).iter().map(|x| x * x).sum::<f32>();
                    length < 1e-6 || !length.is_finite()
                };
                self.bad_normals.extend((0..count).filter(unusable).map(|i| first + i));
                self.normals.resize(first, None);
                self.normals.extend((0..count).map(|i| match *rows.row(i) {
                    [x, y, z, ..] => Some([x, y, z].map(f32::to_bits)),
                    _ => None,
                }));
            }
            self.normals.resize(first + count, None);
            self.add_triangles(primitive, arrays, first as u32, count)?;
            let material = primitive.material.and_then(|m| materials.get(m));
            let named = material.filter(|own| !own.is_filler()).and_then(|own| own.name.clone());
            let surface = self.surface_names.len() as u32;
            self.surface_materials.push(primitive.material);
            self.surface_names.push(named.unwrap_or_else(|| format!("Surface {}", surface + 1)));
            self.face_surfaces.resize(self.corner_vertices.len() / 3, surface);
        }
        Ok(())
    }

    fn add_triangles(
        &mut self,
        primitive: &Primitive,
        arrays: &Arrays,
        first: u32,
        count: usize,
    ) -> Result<(), FormatError> {
        let indices = match primitive.indices {
            Some(index) => arrays.indices(index)?,
            None => (0..count as u32).collect(),
        };
        if let Some(bad) = indices.iter().find(|&&i| i as usize >= count) {
            return Err(broken(format!(
                "a triangle uses vertex {bad}, but there are only {count}"
            )));
        }
        let out = &mut self.corner_vertices;
        match primitive.mode {
            TRIANGLES => {
                out.extend(indices.chunks_exact(3).flatten().map(|i| first + i));
            }
            TRIANGLE_STRIP => {
                for (i, w) in indices.windows(3).enumerate() {
                    let (b, c) = if i % 2 == 0 { (w[1], w[2]) } else { (w[2], w[1]) };
                    out.extend([first + w[0], first + b, first + c]);
                }
            }
            _ => {
                for w in indices.get(1..).unwrap_or_default().windows(2) {
                    out.extend([first + w[0], first + w[1], first + indices[0]]);
                }
            }
        }
        Ok(())
    }

    fn place(&mut self, transform: Mat4) {
        if transform == Mat4::IDENTITY {
            return;
        }
        for point in &mut self.positions {
            *point = transform.transform_point3(*point);
        }
        if transform.determinant() < 0.0 {
            // A mirrored mesh is turned inside out otherwise.
            self.corner_vertices.chunks_exact_mut(3).for_each(|triangle| triangle.swap(1, 2));
        }
    }

    /// Joins vertices that differ by their UVs alone: one in the mesh that was written, they are
    /// copies because glTF has no UVs at corners. Where normals differ, an edge is meant to be hard.
    /// A triangle that would lose a corner keeps its vertices.
    fn join_seams(&mut self) {
        // Position and normal, to the bit, and those that differ there by their colors.
        type Copies = SmallVec<[u32; 2]>;
        let mut at: FxHashMap<[[u32; 3]; 2], Copies> = FxHashMap::default();
        let mut number_of: Vec<u32> = (0..self.positions.len() as u32).collect();
        for (vertex, normal) in self.normals.iter().enumerate() {
            let Some(normal) = *normal else { continue };
            let place = [self.positions[vertex].to_array().map(f32::to_bits), normal];
            let bits = |of: &[Rgba], vertex: usize| of[vertex].map(f32::to_bits);
            let copies = at.entry(place).or_default();
            let same = copies.iter().find(|&&other| {
                self.colors.iter().all(|of| bits(of, vertex) == bits(of, other as usize))
            });
            match same {
                Some(&other) => number_of[vertex] = other,
                None => copies.push(vertex as u32),
            }
        }
        for triangle in self.corner_vertices.chunks_exact(3) {
            if gate::repeats_a_vertex(&[0, 1, 2].map(|i| number_of[triangle[i] as usize])) {
                triangle.iter().for_each(|&vertex| number_of[vertex as usize] = vertex);
            }
        }
        self.uv_vertices = self.corner_vertices.clone();
        // Those that stand for others, and those that nobody joined.
        let kept: Vec<u32> = (0..self.positions.len() as u32)
            .filter(|&vertex| number_of[vertex as usize] == vertex)
            .collect();
        let mut place_of = vec![u32::MAX; self.positions.len()];
        for (place, &vertex) in (0_u32..).zip(&kept) {
            place_of[vertex as usize] = place;
        }
        let kept = Carry::Copies(kept);
        self.positions = kept.copies(&self.positions);
        for values in &mut self.colors {
            *values = kept.copies(values);
        }
        for vertex in &mut self.corner_vertices {
            *vertex = place_of[number_of[*vertex as usize] as usize];
        }
    }

    fn into_part(
        mut self,
        name: String,
        mesh: &GltfMesh,
        materials: &[Material],
        images: &Images,
    ) -> RawPart {
        if self.uvs.is_empty() {
            self.uv_vertices = self.corner_vertices.clone();
        } else {
            self.join_seams();
        }
        let told = SetExtra::of(mesh);
        let mut sets: Vec<RawSet> = Vec::new();
        for (n, values) in self.colors.into_iter().enumerate() {
            let told = told.get(n);
            if told.is_some_and(|set| set.filler) || sets.len() >= MOST_SETS {
                continue;
            }
            let word = told.map_or("color", |set| set.encoding.as_str());
            let numbers = Numbers::of_word(word, Light::Linear);
            let usual = if n == 0 { "Color".to_owned() } else { format!("Color {}", n + 1) };
            let name = told
                .map(|set| set.name.trim().to_owned())
                .filter(|name| !name.is_empty() && sets.iter().all(|other| other.name != *name))
                .unwrap_or(usual);
            sets.push(RawSet { name, placement: Placement::Vertex, numbers, values });
        }
        let (used, names) = (&self.surface_materials, &self.surface_names);
        let made_of = materials::of_surfaces(used, names, &self.face_surfaces, materials, images);
        if sets.len() < MOST_SETS && sets.iter().all(|set| set.name != MATERIAL_SET) {
            sets.extend(RawSet::of_materials(&made_of, self.corner_vertices.len() / 3));
        }
        let corners = &self.corner_vertices;
        let uv_sets = self
            .uvs
            .iter()
            .enumerate()
            .map(|(n, uvs)| UvSet {
                name: if n == 0 { "UV".to_owned() } else { format!("UV {}", n + 1) },
                uvs: self.uv_vertices.iter().map(|&v| uvs[v as usize]).collect(),
            })
            .collect();
        let arrays = MeshArrays {
            face_starts: (0..=corners.len() as u32 / 3).map(|face| 3 * face).collect(),
            positions: self.positions,
            uv_sets,
            corner_vertices: self.corner_vertices,
        };
        RawPart::new(name, arrays, sets)
            .grouped(&self.surface_names, &self.face_surfaces)
            .made_of(made_of)
    }
}
