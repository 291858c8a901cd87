//! What glTF materials say of color: base colors, and the images of base colors.

use std::collections::{BTreeMap, HashMap};

use serde::Deserialize;
use speckle_color::{Linear, pixels};
use speckle_model::{ImageRecord, Materials};

use super::{accessor::BufferView, buffers::Buffer};
use crate::MeshFile;

/// A material, as far as it is read.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Material {
    /// What it is called.
    pub name: Option<String>,
    pbr_metallic_roughness: Base,
    double_sided: bool,
    extras: serde_json::Value,
}

impl Material {
    /// Whether our own writer put it there because viewers need one.
    pub fn is_filler(&self) -> bool {
        self.extras.get("filler").and_then(serde_json::Value::as_bool) == Some(true)
    }
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", default)]
struct Base {
    base_color_factor: [f32; 4],
    base_color_texture: Option<TextureAt>,
    metallic_factor: f32,
    roughness_factor: f32,
}

impl Default for Base {
    fn default() -> Self {
        Self {
            base_color_factor: [1.0; 4],
            base_color_texture: None,
            metallic_factor: 1.0,
            roughness_factor: 1.0,
        }
    }
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
struct TextureAt {
    index: usize,
    #[serde(default)]
    tex_coord: usize,
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

/// The materials of a mesh's surfaces; none when the file gives none of them any.
pub fn of_surfaces(
    used: &[Option<usize>],
    names: &[String],
    of_faces: &[u32],
    materials: &[Material],
    images: &Images,
) -> Materials {
    let is_chosen = |used: &Option<usize>| {
        used.is_some_and(|m| materials.get(m).is_some_and(|material| !material.is_filler()))
    };
    if !used.iter().any(is_chosen) {
        return Materials::default();
    }
    let list = used.iter().zip(names).map(|(used, name)| {
        let Some(material) = used.and_then(|m| materials.get(m)) else {
            return speckle_model::Material::new(name, [1.0; 4]);
        };
        let base = &material.pbr_metallic_roughness;
        // Factors are light; those of files that say nonsense are kept in bounds.
        let within = |x: f32| if x.is_nan() { 1.0 } else { x.clamp(0.0, 1.0) };
        let texture = base.base_color_texture.as_ref();
        speckle_model::Material {
            name: name.clone(),
            color: Linear(base.base_color_factor.map(within)).encoded(),
            image: texture.and_then(|at| images.of_textures.get(&at.index).cloned()),
            uv_set: texture.map_or(0, |at| at.tex_coord),
            metallic: within(base.metallic_factor),
            roughness: within(base.roughness_factor),
            both_sides: material.double_sided,
        }
    });
    let of_faces = if used.len() > 1 { of_faces.to_vec() } else { Vec::new() };
    Materials { list: list.collect(), of_faces }
}

/// The images of base colors.
#[derive(Default)]
pub struct Images {
    /// Those that could be had, by names no other has.
    pub records: Vec<ImageRecord>,
    /// The name of the image behind each texture.
    of_textures: HashMap<usize, String>,
}

/// The images that give base colors, with a note on each that cannot be had.
pub fn images(
    materials: &[Material],
    textures: &[Texture],
    entries: &[ImageEntry],
    (views, buffers): (&[BufferView], &[Buffer]),
    file: &MeshFile,
    notes: &mut Vec<String>,
) -> Images {
    let mut wanted: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for material in materials {
        let Some(at) = &material.pbr_metallic_roughness.base_color_texture else { continue };
        let Some(source) = textures.get(at.index).and_then(|texture| texture.source) else {
            continue;
        };
        wanted.entry(source).or_default().push(at.index);
    }
    let mut images = Images::default();
    for (index, of) in wanted {
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
            Ok(bytes) => {
                let name = free_name(&name, &images.records);
                images.of_textures.extend(of.into_iter().map(|texture| (texture, name.clone())));
                images.records.push(ImageRecord { name, file: bytes.into() });
            }
            Err(cause) => notes.push(format!("the image {name} is left out: {cause}")),
        }
    }
    images
}

/// The name, or with a number behind it when another image has it.
fn free_name(wanted: &str, taken: &[ImageRecord]) -> String {
    let is_free = |name: &String| taken.iter().all(|other| other.name != *name);
    let numbered = (2..).map(|n| format!("{wanted} {n}"));
    std::iter::once(wanted.to_owned()).chain(numbered).find(is_free).unwrap_or_default()
}
