//! What of a glTF document is read (glTF 2.0, 5).

use crate::gltf::{
    accessor::{Accessor, BufferView},
    buffers::BufferEntry,
    materials::{ImageEntry, Material, Texture},
};
use glam::{Mat4, Quat, Vec3};
use serde::Deserialize;
use std::collections::BTreeMap;

use crate::Origin;

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", default)]
#[derive(Default)]
pub(super) struct Root {
    pub(super) asset: Asset,
    pub(super) extensions_required: Vec<String>,
    pub(super) scene: Option<usize>,
    pub(super) scenes: Vec<Scene>,
    pub(super) nodes: Vec<Node>,
    pub(super) meshes: Vec<GltfMesh>,
    pub(super) accessors: Vec<Accessor>,
    pub(super) buffer_views: Vec<BufferView>,
    pub(super) buffers: Vec<BufferEntry>,
    pub(super) materials: Vec<Material>,
    pub(super) textures: Vec<Texture>,
    pub(super) images: Vec<ImageEntry>,
    pub(super) skins: Vec<serde::de::IgnoredAny>,
    pub(super) animations: Vec<serde::de::IgnoredAny>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Asset {
    pub(super) extras: serde_json::Value,
}

impl Asset {
    /// Where a file of ours comes from.
    pub(super) fn origin(&self) -> Option<Origin> {
        let note = self.extras.get("channel_note")?;
        let origin: Origin = serde_json::from_value(note.clone()).ok()?;
        Some(origin).filter(|origin| !origin.project.is_empty())
    }
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Scene {
    pub(super) nodes: Vec<usize>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Node {
    pub(super) name: Option<String>,
    pub(super) mesh: Option<usize>,
    pub(super) skin: Option<usize>,
    pub(super) children: Vec<usize>,
    pub(super) matrix: Option<[f32; 16]>,
    pub(super) translation: Option<[f32; 3]>,
    pub(super) rotation: Option<[f32; 4]>,
    pub(super) scale: Option<[f32; 3]>,
}

impl Node {
    pub(super) fn transform(&self) -> Mat4 {
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
pub(super) struct GltfMesh {
    pub(super) name: Option<String>,
    pub(super) primitives: Vec<Primitive>,
    #[serde(default)]
    pub(super) extras: serde_json::Value,
}

#[derive(Debug, Deserialize)]
pub(super) struct Primitive {
    pub(super) attributes: BTreeMap<String, usize>,
    pub(super) indices: Option<usize>,
    pub(super) material: Option<usize>,
    #[serde(default = "triangles")]
    pub(super) mode: u32,
    #[serde(default)]
    pub(super) targets: Vec<serde::de::IgnoredAny>,
}

/// What our own files say about a set in `extras.color_sets`.
#[derive(Debug, Default, Deserialize)]
pub(super) struct SetExtra {
    pub(super) name: String,
    #[serde(default)]
    pub(super) encoding: String,
    /// The attribute it is stored as, where that is not the next `COLOR_n`.
    pub(super) attribute: Option<String>,
    /// Whether it only stands where receivers look for a color.
    #[serde(default)]
    pub(super) filler: bool,
}

impl SetExtra {
    /// What a mesh of ours says of its sets.
    pub(super) fn of(mesh: &GltfMesh) -> Vec<Self> {
        let told = mesh.extras.get("color_sets");
        told.and_then(|sets| serde_json::from_value(sets.clone()).ok()).unwrap_or_default()
    }

    /// The attributes that hold colors: those that are told of, and further `COLOR_n` that some
    /// surface has.
    pub(super) fn attributes(told: &[Self], mesh: &GltfMesh) -> Vec<String> {
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

pub(super) const TRIANGLES: u32 = 4;
pub(super) const TRIANGLE_STRIP: u32 = 5;
pub(super) const TRIANGLE_FAN: u32 = 6;

pub(super) fn triangles() -> u32 {
    TRIANGLES
}
