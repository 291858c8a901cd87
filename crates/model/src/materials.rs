//! What the surfaces of a part are made of, as far as their color goes: as files say it, kept so
//! that recipes can read it and exports can say it again.

use serde::{Deserialize, Serialize};
use speckle_color::Rgba;

/// A material.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Material {
    /// What the file calls it.
    pub name: String,
    /// Its color, sRGB-encoded, with a plain alpha.
    pub color: Rgba,
    /// The image of the project that its color is multiplied by, in light.
    #[serde(default)]
    pub image: Option<String>,
    /// The UV set by which the image lies, from 0.
    #[serde(default)]
    pub uv_set: usize,
    /// How far it is a metal, 0–1.
    #[serde(default)]
    pub metallic: f32,
    /// How rough it is, 0–1.
    #[serde(default = "rough")]
    pub roughness: f32,
    /// Whether it is seen from behind.
    #[serde(default)]
    pub both_sides: bool,
}

fn rough() -> f32 {
    1.0
}

impl Material {
    /// One of a color, rough and no metal.
    #[must_use]
    pub fn new(name: impl Into<String>, color: Rgba) -> Self {
        Self {
            name: name.into(),
            color,
            image: None,
            uv_set: 0,
            metallic: 0.0,
            roughness: rough(),
            both_sides: false,
        }
    }
}

/// The materials of a part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Materials {
    /// Each once.
    pub list: Vec<Material>,
    /// The material of each face; empty when all faces have the first one.
    #[serde(with = "speckle_mesh::arrays")]
    pub of_faces: Vec<u32>,
}

impl Materials {
    /// Whether they tell of each of so many faces, and only what is in the list.
    #[must_use]
    pub fn fit(&self, faces: usize) -> bool {
        let all = self.of_faces.iter().all(|&material| (material as usize) < self.list.len());
        all && (self.of_faces.is_empty() || self.of_faces.len() == faces)
    }

    /// The material of a face.
    #[must_use]
    pub fn of_face(&self, face: usize) -> Option<&Material> {
        self.list.get(self.of_faces.get(face).map_or(0, |&m| m as usize))
    }

    /// Those of some faces, without the materials none of them has.
    #[must_use]
    pub fn subset(&self, faces: &[u32]) -> Self {
        if self.of_faces.is_empty() {
            return self.clone();
        }
        let mut new_number = vec![u32::MAX; self.list.len()];
        let mut list = Vec::new();
        let mut of_faces = Vec::with_capacity(faces.len());
        for &face in faces {
            let old = self.of_faces[face as usize] as usize;
            if new_number[old] == u32::MAX {
                new_number[old] = list.len() as u32;
                list.push(self.list[old].clone());
            }
            of_faces.push(new_number[old]);
        }
        if list.len() == 1 {
            of_faces.clear();
        }
        Self { list, of_faces }
    }

    /// Calls images as the project does.
    pub fn rename_images(&mut self, name_in_project: impl Fn(&str) -> Option<String>) {
        for image in self.list.iter_mut().filter_map(|material| material.image.as_mut()) {
            if let Some(name) = name_in_project(image) {
                *image = name;
            }
        }
    }
}
