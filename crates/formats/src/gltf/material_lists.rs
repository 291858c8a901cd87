//! Writing materials, each once, with the images they show.

use std::io::Cursor;

use serde_json::{Value, json};
use speckle_color::Linear;
use speckle_model::{ImageRecord, Material, Part};

use super::file::File;
use crate::Shipment;

/// The materials, textures and images of a file.
#[derive(Default)]
pub struct MaterialLists {
    materials: Vec<Value>,
    textures: Vec<Value>,
    images: Vec<Value>,
    /// The texture of each image, by name.
    of_images: Vec<(String, usize)>,
}

impl MaterialLists {
    /// Puts them into the file, where there are any: empty lists are against the standard.
    pub fn put_into(self, root: &mut Value) {
        let lists =
            [("materials", self.materials), ("textures", self.textures), ("images", self.images)];
        for (name, list) in lists.into_iter().filter(|(_, list)| !list.is_empty()) {
            root[name] = json!(list);
        }
    }

    /// The number of a white material that is no metal: without any, the standard has viewers draw
    /// metal, and colors look nearly black. Its extras tell our reader that nobody chose it.
    pub fn plain(&mut self) -> usize {
        let plain = json!({
            "name": "Plain",
            "pbrMetallicRoughness": { "metallicFactor": 0.0 },
            "extras": { "filler": true },
        });
        self.number(plain)
    }

    fn number(&mut self, value: Value) -> usize {
        let same = self.materials.iter().position(|other| *other == value);
        same.unwrap_or_else(|| {
            self.materials.push(value);
            self.materials.len() - 1
        })
    }

    /// The number of a material.
    pub fn material(
        &mut self,
        material: &Material,
        part: &Part,
        shipment: &Shipment,
        file: &mut File,
    ) -> usize {
        let mut surface = json!({
            "baseColorFactor": Linear::of(material.color).0,
            "metallicFactor": material.metallic,
            "roughnessFactor": material.roughness,
        });
        let has_uvs = material.uv_set < part.geometry.mesh().uv_sets().len();
        let image = material.image.as_ref().filter(|_| has_uvs);
        if let Some(texture) =
            image.and_then(|name| shipment.image(name)).and_then(|image| self.texture(image, file))
        {
            surface["baseColorTexture"] = json!({ "index": texture, "texCoord": material.uv_set });
        }
        let mut value = json!({ "name": material.name, "pbrMetallicRoughness": surface });
        if material.color[3] < 1.0 {
            value["alphaMode"] = json!("BLEND");
        }
        if material.both_sides {
            value["doubleSided"] = json!(true);
        }
        self.number(value)
    }

    fn texture(&mut self, image: &ImageRecord, file: &mut File) -> Option<usize> {
        if let Some((_, texture)) = self.of_images.iter().find(|(name, _)| *name == image.name) {
            return Some(*texture);
        }
        let (bytes, kind) = png_or_jpeg(&image.file)?;
        let view = file.plain(&bytes);
        self.images.push(json!({ "name": image.name, "mimeType": kind, "bufferView": view }));
        self.textures.push(json!({ "source": self.images.len() - 1 }));
        self.of_images.push((image.name.clone(), self.textures.len() - 1));
        Some(self.textures.len() - 1)
    }
}

/// The file itself where it is of a kind that the standard knows, or as PNG.
fn png_or_jpeg(file: &[u8]) -> Option<(Vec<u8>, &'static str)> {
    match image::guess_format(file).ok()? {
        image::ImageFormat::Png => Some((file.to_vec(), "image/png")),
        image::ImageFormat::Jpeg => Some((file.to_vec(), "image/jpeg")),
        _ => {
            let mut out = Cursor::new(Vec::new());
            let read = image::load_from_memory(file).ok()?;
            read.write_to(&mut out, image::ImageFormat::Png).ok()?;
            Some((out.into_inner(), "image/png"))
        }
    }
}
