//! What a format would lose or change of a part.

use rayon::prelude::*;
use speckle_color::Encoding;
use speckle_mesh::{Placement, geometry::shading};
use speckle_model::{ColorSet, Part, words::grouped};

use super::{Loss, LossKind, STEPS, Weight, is_one_array};
use crate::{
    Abilities, DataSets, Depth, Format, Light, Shipment, WriteOptions,
    abilities::{Room, UvRoom},
    shipment::carried,
};

/// What a format would lose or change of a part.
pub(super) fn of_part(
    abilities: &Abilities,
    shipment: &Shipment,
    part: &Part,
    options: &WriteOptions,
) -> Vec<Loss> {
    let sets = carried(abilities, part);
    let mut telling = Telling { abilities, shipment, part, options, sets, losses: Vec::new() };
    telling.of_sets();
    telling.of_placements();
    telling.of_alpha();
    telling.of_precision();
    telling.of_faces_as_materials();
    telling.of_shape();
    telling.of_materials();
    telling.losses
}

/// A part on its way into a file, and what there is to tell of it.
struct Telling<'a> {
    abilities: &'a Abilities,
    shipment: &'a Shipment<'a>,
    part: &'a Part,
    options: &'a WriteOptions,
    /// Those the format takes.
    sets: Vec<&'a ColorSet>,
    losses: Vec<Loss>,
}

impl Telling<'_> {
    fn say(&mut self, kind: LossKind, weight: Weight, text: String, remedy: &str) {
        let part = Some(self.part.traits.name.clone());
        let (remedy, cures) = (remedy.to_owned(), Vec::new());
        self.losses.push(Loss { kind, weight, part, text, remedy, cures });
    }

    /// Sets without room, and data where viewers expect a color.
    fn of_sets(&mut self) {
        let abilities = self.abilities;
        let is_left = |set: &&ColorSet| self.sets.iter().all(|taken| taken.id != set.id);
        let left: Vec<String> =
            self.part.products().filter(is_left).map(|set| set.name.clone()).collect();
        let remedy = match abilities.sets {
            Room::None => "Take a format that carries colors.",
            _ => {
                "Move the set that matters to the first place, or take a format with room for all."
            }
        };
        for name in left {
            let text =
                format!("the set {name} was left out, {} has no room for it", abilities.title);
            self.say(LossKind::Sets, Weight::Lost, text, remedy);
        }
        if abilities.light(None) == Light::Linear
            && let [first, ..] = self.sets.as_slice()
            && self.sets.iter().all(|set| set.encoding == Encoding::Data)
            && is_one_array(abilities)
            && self.options.data == DataSets::AsColors
        {
            let text = format!(
                "viewers multiply COLOR_0 into the picture, and it holds the data of {}: the model will look tinted",
                first.name
            );
            let remedy = "Send white first, or the data as attributes of their own names.";
            self.say(LossKind::Encoding, Weight::Careful, text, remedy);
        }
    }

    /// Vertices that are split, and what is held at faces.
    fn of_placements(&mut self) {
        let (abilities, part) = (self.abilities, self.part);
        let stored = |set: &&ColorSet| abilities.stores(set.placement);
        let splitting: Vec<&ColorSet> =
            self.sets.iter().copied().filter(|set| !stored(set)).collect();
        let mesh = part.geometry.mesh();
        let by = abilities.split_by();
        let splits = (by.uvs && !mesh.uv_sets().is_empty())
            || (by.normals && shading::differ_at_vertices(mesh));
        if !splitting.is_empty() || splits {
            let added = self.shipment.split(part, &splitting, by).added(part);
            if added > 0 {
                let text = format!(
                    "{} vertices were added where colors, UVs or normals change at a corner, {} become {}",
                    grouped(added),
                    grouped(mesh.vertex_count()),
                    grouped(mesh.vertex_count() + added)
                );
                self.say(LossKind::Placement, Weight::Fine, text, "");
            }
        }
        if let Some(set) = splitting.iter().find(|set| set.placement == Placement::Face) {
            let text = format!("the set {} is written at the corners of each face", set.name);
            self.say(LossKind::Placement, Weight::Fine, text, "");
        }
    }

    fn of_alpha(&mut self) {
        if self.abilities.alpha && self.options.alpha {
            return;
        }
        let has_alpha = |set: &&&ColorSet| set.values.par_iter().any(|value| value[3] != 1.0);
        if let Some(set) = self.sets.iter().find(has_alpha) {
            let text = format!("the alpha of {} is left out", set.name);
            let remedy = if self.abilities.alpha {
                "Turn alpha on."
            } else {
                "Move what is in it to another channel, or take a format with alpha."
            };
            self.say(LossKind::Alpha, Weight::Lost, text, remedy);
        }
    }

    /// Numbers between the steps of the file.
    fn of_precision(&mut self) {
        let (abilities, depth) = (self.abilities, self.abilities.depth(self.options.depth));
        let steps = match depth {
            Depth::Float => return,
            Depth::Bits16 => 65_535.0,
            _ => STEPS,
        };
        let is_between = |x: f32| {
            let at = x * steps;
            (at - at.round()).abs() > 1e-3
        };
        let light = self.shipment.light(abilities.format, self.options.light);
        let mut said = Vec::new();
        for set in &self.sets {
            let is_color = set.encoding == Encoding::Color;
            if light == Light::Linear && is_color && steps == STEPS {
                let text = format!(
                    "{} is stored as linear light in 8 bits, which is coarse in the darks",
                    set.name
                );
                said.push((Weight::Careful, text, "Take 16 bits or floats."));
            } else if set.values.par_iter().any(|value| value.iter().any(|&x| is_between(x))) {
                let weight = if is_color { Weight::Fine } else { Weight::Careful };
                let text = format!(
                    "the numbers of {} are rounded to {} steps",
                    set.name,
                    steps as u32 + 1
                );
                let is_finer = |other: &Depth| *other != depth && *other != Depth::Bits8;
                let finer = abilities.depths.iter().any(is_finer);
                said.push((weight, text, if finer { "Take a finer precision." } else { "" }));
            }
        }
        for (weight, text, remedy) in said {
            self.say(LossKind::Depth, weight, text, remedy);
        }
    }

    /// OBJ holds what is at faces as materials.
    fn of_faces_as_materials(&mut self) {
        if self.abilities.format != Format::Obj {
            return;
        }
        let at_faces = self.sets.iter().find(|set| set.placement == Placement::Face);
        let Some((name, encoding)) = at_faces.map(|set| (set.name.clone(), set.encoding)) else {
            return;
        };
        let weight = if encoding == Encoding::Data { Weight::Careful } else { Weight::Fine };
        let text = format!("the set {name} is written as materials, colors of 256 steps");
        self.say(LossKind::Encoding, weight, text, "");
        if !self.part.materials.list.is_empty() && self.options.materials {
            let text = format!("the materials it came with give way to those of {name}");
            let remedy = "Send without the set at faces, or as GLB.";
            self.say(LossKind::Materials, Weight::Careful, text, remedy);
        }
    }

    /// Polygons, and texture coordinates.
    fn of_shape(&mut self) {
        let (abilities, mesh) = (self.abilities, self.part.geometry.mesh());
        if !abilities.polygons && !mesh.all_triangles() {
            let text = format!(
                "polygons were cut, {} faces into {} triangles",
                grouped(mesh.face_count()),
                grouped(mesh.triangle_count())
            );
            self.say(LossKind::Polygons, Weight::Fine, text, "");
        }
        let room = match abilities.uvs {
            UvRoom::None => 0,
            UvRoom::One => 1,
            UvRoom::Any => usize::MAX,
        };
        let there = mesh.uv_sets().len();
        if there > room {
            let text = match room {
                0 => "its UVs are left out".to_owned(),
                _ => format!("of its {there} UV sets the first goes along"),
            };
            self.say(LossKind::Uvs, Weight::Lost, text, "Take a format with room for them.");
        }
        if mesh.normals().is_some() && !abilities.normals {
            let text = "its own normals are left out".to_owned();
            self.say(LossKind::Normals, Weight::Lost, text, "Take a format with room for them.");
        }
    }

    fn of_materials(&mut self) {
        let materials = &self.part.materials.list;
        if materials.is_empty() {
            return;
        }
        if self.abilities.materials && self.options.materials {
            for material in materials {
                let image = material.image.as_ref();
                let Some(image) = image.filter(|image| self.shipment.image(image).is_none()) else {
                    continue;
                };
                let name = &material.name;
                let text = format!("the image {image} of {name} is not in the project any more");
                let remedy = "Bring it in again under its name.";
                self.say(LossKind::Materials, Weight::Careful, text, remedy);
            }
            return;
        }
        let images = materials.iter().filter(|material| material.image.is_some()).count();
        let text = match images {
            0 => "the materials it came with are left out".to_owned(),
            n => format!("the materials it came with are left out, with {n} images"),
        };
        let remedy = if self.abilities.materials {
            "Turn materials on."
        } else {
            "Bake them into a set: source material."
        };
        self.say(LossKind::Materials, Weight::Fine, text, remedy);
    }
}
