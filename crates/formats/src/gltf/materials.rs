//! What glTF materials say of color: base colors, and the images of base colors.

use serde::Deserialize;
use speckle_core::{
    Encoding, Placement,
    color::{Rgba, srgb_rgba},
    document::ImageRecord,
    pixels,
};

use super::{accessor::BufferView, buffers::Buffer};
use crate::{MeshFile, RawSet};

/// A material, as far as it is read.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Material {
    /// What it is called.
    pub name: Option<String>,
    pbr_metallic_roughness: Base,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", default)]
struct Base {
    base_color_factor: [f32; 4],
    base_color_texture: Option<TextureAt>,
}

impl Default for Base {
    fn default() -> Self {
        Self { base_color_factor: [1.0; 4], base_color_texture: None }
    }
}

#[derive(Debug, Deserialize)]
struct TextureAt {
    index: usize,
}

/// An image behind a sampler.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Texture {
    source: Option<usize>,
}

/// Where an image lies.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct ImageEntry {
    name: Option<String>,
    uri: Option<String>,
    buffer_view: Option<usize>,
}

/// The base color of each face's material, when any has one; `faces` names the material of each
/// face.
pub fn base_colors(
    used: &[Option<usize>],
    materials: &[Material],
    faces: &[u32],
) -> Option<RawSet> {
    let factor = |material: &Option<usize>| -> Rgba {
        let found = material.and_then(|m| materials.get(m));
        found.map_or([1.0; 4], |m| m.pbr_metallic_roughness.base_color_factor)
    };
    // Factors are light; those of files that say nonsense are kept in bounds.
    let color = |material| srgb_rgba(factor(material).map(|x| x.clamp(0.0, 1.0)));
    let colors: Vec<Rgba> = used.iter().map(color).collect();
    if colors.iter().all(|color| *color == [1.0; 4]) {
        return None;
    }
    Some(RawSet {
        name: "Material".to_owned(),
        placement: Placement::Face,
        encoding: Encoding::Color,
        values: faces.iter().map(|&surface| colors[surface as usize]).collect(),
    })
}

/// The images that give base colors, with a note on each that cannot be had.
pub fn images(
    materials: &[Material],
    textures: &[Texture],
    entries: &[ImageEntry],
    (views, buffers): (&[BufferView], &[Buffer]),
    file: &MeshFile,
    notes: &mut Vec<String>,
) -> Vec<ImageRecord> {
    let mut wanted: Vec<usize> = materials
        .iter()
        .filter_map(|material| material.pbr_metallic_roughness.base_color_texture.as_ref())
        .filter_map(|at| textures.get(at.index)?.source)
        .collect();
    wanted.sort_unstable();
    wanted.dedup();
    let mut found: Vec<ImageRecord> = Vec::new();
    for index in wanted {
        let Some(entry) = entries.get(index) else { continue };
        let own = entry.name.as_deref().map(str::trim).filter(|name| !name.is_empty());
        let path = entry.uri.as_deref().filter(|uri| !uri.starts_with("data:"));
        let last = path.and_then(|path| path.rsplit('/').next()).map(super::buffers::plain);
        let name = own.map(str::to_owned).or(last);
        let name = name.unwrap_or_else(|| format!("{} {}", file.stem(), index + 1));
        let bytes = match (&entry.uri, entry.buffer_view) {
            (Some(uri), _) => {
                super::buffers::fetch(uri, file).map(|(bytes, _)| bytes).map_err(|e| e.to_string())
            }
            (None, Some(view)) => views
                .get(view)
                .and_then(|view| view.bytes(buffers))
                .map(<[u8]>::to_vec)
                .ok_or_else(|| "it lies outside of its buffer".to_owned()),
            (None, None) => Err("it is nowhere".to_owned()),
        };
        match bytes.and_then(|bytes| pixels::read(&bytes).map(|_| bytes)) {
            Ok(bytes) if found.iter().all(|other| other.name != name) => {
                found.push(ImageRecord { name, file: bytes.into() });
            }
            Ok(_) => notes.push(format!("of two images called {name} the first is kept")),
            Err(cause) => notes.push(format!("the image {name} is left out: {cause}")),
        }
    }
    found
}
