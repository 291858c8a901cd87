//! Reading glTF: every node with a mesh becomes a part, placed as the scene places it.

mod scheme;
mod surfaces;

use glam::Mat4;

use super::{
    ABOVE_ALL, CHUNK_BIN, CHUNK_HEADER, CHUNK_JSON, HEADER, MAGIC,
    accessor::Arrays,
    buffers::{self, Buffer},
    materials::{self},
};

use crate::{Content, FormatError, MeshFile, Place, Reading, Repair, RepairKind};
use scheme::Root;
use surfaces::Surfaces;

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
