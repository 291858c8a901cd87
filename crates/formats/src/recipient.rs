//! Who reads what goes out: everything about a delivery that is chosen, and the packing of it.

mod missing;
mod packed;
mod piles;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use speckle_mesh::{Conversion, Geometry, Transform, Unit, UpAxis};
use speckle_model::{
    ImageRecord, Part, PartTraits, ProjectTraits, proof::Look as ProofLook, swatches::Swatch,
};
use speckle_tools::separation::{MOST_SPOOLS, separate};

use crate::{
    Body, DataSets, Depth, Format, FormatError, Light, Loss, LossKind, Place, Shipment, Weight,
    WriteOptions, losses,
    note::{ChannelNote, Origin, Spool},
    shader::{Language, Look, Numbers, SetSays, code, look_code_of, look_nodes, material_x, osl},
    shipment::Spools,
    write,
};

use missing::{left_out, losses_of};
pub use packed::{Packed, PackedFile, PackedMesh};
pub use piles::file_stem;
use piles::{by_swatch, plain_name, told_apart};

/// What becomes of vertices, beside what a format asks for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Vertices {
    /// They go as they are.
    #[default]
    AsTheyAre,
    /// Those at exactly one place are joined.
    Joined,
    /// Every corner gets one of its own.
    Split,
}

/// Who reads it, and how they want it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default, deny_unknown_fields)]
pub struct Recipient {
    /// What the user calls it.
    pub name: String,
    /// The format.
    pub format: Format,
    /// How precisely colors are stored.
    pub depth: Depth,
    /// In which numbers colors are stored; those the format's readers take them for when left out.
    pub light: Option<Light>,
    /// Whether alpha goes along.
    pub alpha: bool,
    /// Text or binary, where there is a choice.
    pub body: Body,
    /// Whether materials and their images go along.
    pub materials: bool,
    /// What becomes of data sets where viewers take the first set for a color.
    pub data: DataSets,
    /// The sets that go along, by name and in this order; all of them, as they stand, when empty.
    pub sets: Vec<String>,
    /// What sets are called in the file, by their names in the project, where that differs.
    pub set_names: BTreeMap<String, String>,
    /// Whether names of parts and sets are made of letters of ASCII, digits and `_` alone.
    pub plain_names: bool,
    /// What one step of the numbers shall be; the project's own when left out.
    pub unit: Option<Unit>,
    /// The axis that shall point up; likewise.
    pub up: Option<UpAxis>,
    /// What all lengths are multiplied by, on top of the unit.
    pub scale: f64,
    /// Whether faces of more than three corners are cut, whatever the format.
    pub triangulate: bool,
    /// What becomes of vertices.
    pub vertices: Vertices,
    /// For a format that prints in swatches: how many spools are loaded; with 0 the first set goes
    /// as smooth color.
    pub spools: u8,
    /// Where each swatch is a file of its own: whether its bodies are closed, by caps where they were cut from
    /// others.
    pub bodies: bool,
    /// Whether the parts' places are in their points.
    pub apply_transforms: bool,
    /// Whether hidden parts stay at home.
    pub visible_only: bool,
    /// Whether every part is a file of its own.
    pub file_per_part: bool,
    /// Whether the channel note lies beside the file, as JSON and as Markdown.
    pub note: bool,
    /// Whether shader code for the channels lies beside it: GLSL, HLSL, WGSL, OSL and MaterialX.
    pub shaders: bool,
    /// What that code shows beside the channels.
    pub look: Look,
    /// Whether it is kept up to date in the folder that the server was started with.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub standing: bool,
}

impl Default for Recipient {
    fn default() -> Self {
        Self {
            name: "Real-time shader".to_owned(),
            format: Format::Glb,
            depth: Depth::Usual,
            light: None,
            alpha: true,
            body: Body::Little,
            materials: true,
            data: DataSets::AsColors,
            sets: Vec::new(),
            set_names: BTreeMap::new(),
            plain_names: false,
            unit: None,
            up: None,
            scale: 1.0,
            triangulate: false,
            vertices: Vertices::AsTheyAre,
            spools: 0,
            bodies: false,
            apply_transforms: false,
            visible_only: true,
            file_per_part: false,
            note: true,
            shaders: false,
            look: Look::Channels,
            standing: false,
        }
    }
}

/// The recipients to begin with, each with what it is for.
#[must_use]
pub fn starters() -> Vec<(Recipient, &'static str)> {
    let named =
        |name: &str, format| Recipient { name: name.to_owned(), format, ..Recipient::default() };
    vec![
        (
            named("Real-time shader", Format::Glb),
            "A game engine reads the sets as vertex colors: floats, so that no step is lost.",
        ),
        (
            named("Renderer material", Format::Usda),
            "A renderer reads primvars, each at the elements it was painted on.",
        ),
        (
            Recipient {
                materials: false,
                spools: 4,
                ..named("Several-spool printer", Format::ThreeMf)
            },
            "A filament printer prints every face in one of the spools that are loaded.",
        ),
        (
            Recipient { materials: false, ..named("Full-color printer", Format::ThreeMf) },
            "A printer that mixes colors takes 8 bits at every corner, with the unit.",
        ),
        (
            Recipient { depth: Depth::Float, ..named("Script or lab", Format::Ply) },
            "A program of one's own reads every set as named numbers.",
        ),
        (
            Recipient { visible_only: false, ..named("Archive", Format::X3d) },
            "An open standard in text, readable in many years.",
        ),
    ]
}

/// What there is to send.
#[derive(Clone, Copy, Debug)]
pub struct Goods<'a> {
    /// What the files are called after.
    pub name: &'a str,
    /// All parts of the project.
    pub parts: &'a [Part],
    /// Its images.
    pub images: &'a [ImageRecord],
    /// Its palette, of which spools are loaded.
    pub palette: &'a [Swatch],
    /// Its looks, which go along as code where that is wanted.
    pub looks: &'a [ProofLook],
    /// What its numbers mean.
    pub traits: ProjectTraits,
}

/// What goes into one file.
struct Pile {
    /// What the file is called, without extension.
    name: String,
    parts: Vec<Part>,
    /// For each part the swatch of each face, where the file says it.
    of_faces: Vec<Vec<u8>>,
}

impl Recipient {
    /// What makes it impossible, said for the user.
    #[must_use]
    pub fn problem(&self) -> Option<&'static str> {
        if self.name.trim().is_empty() {
            Some("a recipient needs a name")
        } else if self.name.chars().count() > 80 {
            Some("a recipient's name may have 80 letters at most")
        } else if !(self.scale.is_finite() && self.scale > 0.0) {
            Some("the scale must be a number above 0")
        } else if self.spools > MOST_SPOOLS {
            Some("64 spools are the most that can be told apart")
        } else if self.set_names.values().any(|name| name.trim().is_empty()) {
            Some("a set needs a name in the file")
        } else {
            None
        }
    }

    /// How its files are written.
    fn options(&self) -> WriteOptions {
        WriteOptions {
            depth: self.depth,
            alpha: self.alpha,
            body: self.body,
            materials: self.materials,
            data: self.data,
            light: self.light,
        }
    }

    /// What would be lost or changed on the way to this recipient, as far as its format and its choices alone decide
    /// it; nothing is packed.
    #[must_use]
    pub fn would_lose(&self, goods: &Goods) -> Vec<Loss> {
        let visible = goods.parts.iter().filter(|part| !self.visible_only || part.traits.visible);
        let parts: Vec<Part> = visible
            .map(|part| {
                let mut part = part.without_helpers();
                part.sets.retain(|set| self.sets.is_empty() || self.sets.contains(&set.name));
                part.in_colors(goods.palette)
            })
            .collect();
        let mut found = self.missing(goods.parts);
        let images = goods.images;
        let traits = Some(goods.traits);
        let shipment = Shipment { images, traits, ..Shipment::of(&parts) };
        found.extend(losses(self.format, &shipment, &self.options()));
        found
    }

    /// Packs what there is for this recipient.
    ///
    /// # Errors
    /// When nothing is left to send, or a number grows beyond what files hold.
    pub fn pack(&self, goods: &Goods, origin: Origin) -> Result<Packed, FormatError> {
        if let Some(problem) = self.problem() {
            return Err(FormatError::new(Place::File, problem, "correct the recipient"));
        }
        let traits = ProjectTraits {
            unit: self.unit.unwrap_or(goods.traits.unit),
            up: self.up.unwrap_or(goods.traits.up),
        };
        let parts = self.prepared(goods, traits)?;
        if parts.is_empty() {
            return Err(FormatError::new(
                Place::File,
                "there is no part to send",
                "bring a mesh in first, or show a part: hidden ones stay at home",
            ));
        }
        let separation = (self.spools > 0 && self.format.abilities().swatches)
            .then(|| separate(&parts, goods.palette, self.spools));
        // From here on swatches are colors.
        let parts: Vec<Part> = parts.iter().map(|part| part.in_colors(goods.palette)).collect();
        let options = self.options();
        let light = Shipment::of(&parts).light(self.format, self.light);
        let usual = self.format.abilities().light(None);
        let mut note = ChannelNote::of(&parts, traits, origin)
            .stored(|set| if self.format.takes_light(set.placement) { light } else { usual })
            .called(&parts, self.format, self.data);
        let stem = file_stem(goods.name);
        let mut losses = self.changed_names(goods.parts, &parts);
        losses.extend(self.missing(goods.parts));
        let (piles, swatches) = match separation {
            None => (self.piles(&stem, parts), Vec::new()),
            Some(separation) => {
                note.spools = Spool::all(&separation);
                losses.extend(losses_of(&separation, &parts));
                if self.format.abilities().file_per_swatch {
                    let (piles, caps) = by_swatch(&stem, &parts, &separation, self.bodies)?;
                    losses.extend(left_out(&parts, self.bodies.then_some(&caps)));
                    (piles, Vec::new())
                } else {
                    let mut shown = parts;
                    for (number, part) in shown.iter_mut().enumerate() {
                        if let Some(first) = part.sets.first_mut() {
                            *first = separation.shown(number, first);
                        }
                    }
                    let mut piles = self.piles(&stem, shown);
                    let mut of_faces = separation.of_faces.into_iter();
                    for pile in &mut piles {
                        pile.of_faces = of_faces.by_ref().take(pile.parts.len()).collect();
                    }
                    (piles, separation.swatches)
                }
            }
        };
        let mut packed = Packed { meshes: Vec::new(), beside: Vec::new(), losses, note };
        for Pile { name, parts, of_faces } in piles {
            let spools = (!swatches.is_empty())
                .then_some(Spools { swatches: &swatches, of_faces: &of_faces });
            let shipment = Shipment {
                name: &name,
                parts: &parts,
                images: goods.images,
                traits: Some(traits),
                note: Some(&packed.note),
                spools,
                splits: None,
            };
            let export = write(self.format, &shipment, options)?;
            packed.take(format!("{name}.{}", self.format.extension()), export, parts);
        }
        self.add_notes(&stem, &mut packed);
        if self.shaders {
            self.add_looks(&stem, goods, &mut packed);
        }
        Ok(packed)
    }

    /// The note and the shader code, where they are wanted.
    fn add_notes(&self, stem: &str, packed: &mut Packed) {
        let Packed { beside, note, .. } = packed;
        let file = |end: &str, text: String| PackedFile {
            name: format!("{stem}-channels.{end}"),
            bytes: text.into_bytes(),
        };
        if self.note {
            beside.push(file("json", note.json()));
            beside.push(file("md", note.markdown()));
        }
        if self.shaders {
            let languages =
                Language::ALL.map(|own| file(own.extension(), code(note, &self.look, own)));
            beside.extend(languages);
            beside.push(file("osl", osl(note)));
            beside.push(file("mtlx", material_x(note)));
        }
    }

    /// The looks as code, in all languages and as nodes, with the images that they take.
    fn add_looks(&self, stem: &str, goods: &Goods, packed: &mut Packed) {
        let taken: Vec<&str> =
            goods.looks.iter().flat_map(|look| look.images()).map(|(name, _)| name).collect();
        let images = goods.images.iter().filter(|image| taken.contains(&image.name.as_str()));
        let images: Vec<&ImageRecord> = images.collect();
        let files = told_apart(images.iter().map(|image| {
            let (name, end) = image.name.rsplit_once('.').unwrap_or((&image.name, "png"));
            format!("{stem}-{}.{}", file_stem(name), file_stem(end).to_lowercase())
        }));
        let file_of = |image: &str| {
            let at = images.iter().position(|own| own.name == image);
            at.map_or_else(|| image.to_owned(), |at| files[at].clone())
        };
        let note = packed.note.clone();
        let says =
            |set: &str| SetSays::of(&note, self.set_names.get(set).map_or(set, String::as_str));
        let names =
            told_apart(goods.looks.iter().map(|look| format!("{stem}-{}", file_stem(&look.name))));
        for (look, name) in goods.looks.iter().zip(names) {
            let file = |end: &str, text: String| PackedFile {
                name: format!("{name}-look.{end}"),
                bytes: text.into_bytes(),
            };
            packed.beside.extend(Language::ALL.map(|own| {
                file(own.extension(), look_code_of(look, own, Numbers::Written, says).file())
            }));
            packed.beside.push(file("mtlx", look_nodes(look, says, file_of)));
        }
        let images = images.iter().zip(&files);
        packed.beside.extend(
            images
                .map(|(image, name)| PackedFile { name: name.clone(), bytes: image.file.to_vec() }),
        );
    }

    /// Everything in one file, or each part in its own.
    fn piles(&self, stem: &str, parts: Vec<Part>) -> Vec<Pile> {
        let pile = |name, parts| Pile { name, parts, of_faces: Vec::new() };
        if !self.file_per_part || parts.len() < 2 {
            return vec![pile(stem.to_owned(), parts)];
        }
        let wanted = parts.iter().map(|part| format!("{stem}-{}", file_stem(&part.traits.name)));
        let names = told_apart(wanted);
        names.into_iter().zip(parts).map(|(name, part)| pile(name, vec![part])).collect()
    }

    /// The parts as this recipient wants them.
    fn prepared(&self, goods: &Goods, traits: ProjectTraits) -> Result<Vec<Part>, FormatError> {
        let mut conversion =
            Conversion::between((goods.traits.unit, goods.traits.up), (traits.unit, traits.up));
        conversion.scale *= self.scale;
        let visible = goods.parts.iter().filter(|part| !self.visible_only || part.traits.visible);
        let prepared = visible.map(|part| {
            let mut part = part.without_helpers();
            if !self.sets.is_empty() {
                let find = |name: &String| part.sets.iter().find(|set| set.name == *name).cloned();
                part.sets = self.sets.iter().filter_map(find).collect();
            }
            let placed = |error| FormatError::of_mesh(&part.traits.name, &error);
            if self.apply_transforms || !conversion.is_none() {
                part = part.baked().map_err(placed)?;
            }
            if !conversion.is_none() {
                let mesh = conversion.mesh(part.geometry.mesh());
                let mesh = mesh.map_err(|error| FormatError::of_mesh(&part.traits.name, &error))?;
                part.geometry = Geometry::new(mesh).into();
                let traits = PartTraits { transform: Transform::IDENTITY, ..part.traits.clone() };
                part.traits = traits;
            }
            if self.triangulate {
                part = part.triangulated();
            }
            part = match self.vertices {
                Vertices::AsTheyAre => part,
                Vertices::Joined => part.joined(),
                Vertices::Split => part.split(),
            };
            for set in &mut part.sets {
                if let Some(name) = self.set_names.get(&set.name) {
                    name.trim().clone_into(&mut set.name);
                }
            }
            if self.plain_names {
                let names = told_apart(part.sets.iter().map(|set| plain_name(&set.name)));
                for (set, name) in part.sets.iter_mut().zip(names) {
                    set.name = name;
                }
            }
            Ok(part)
        });
        let mut parts = prepared.collect::<Result<Vec<Part>, FormatError>>()?;
        if self.plain_names {
            let names = told_apart(parts.iter().map(|part| plain_name(&part.traits.name)));
            for (part, name) in parts.iter_mut().zip(names) {
                part.traits.name = name;
            }
        }
        Ok(parts)
    }

    /// Sets that were to go along, and no part has.
    fn missing(&self, parts: &[Part]) -> Vec<Loss> {
        let has =
            |name: &String| parts.iter().any(|part| part.products().any(|set| set.name == *name));
        let missing = self.sets.iter().filter(|name| !has(name));
        let loss = |name: &String| Loss {
            kind: LossKind::Sets,
            weight: Weight::Careful,
            part: None,
            text: format!("no part has a set {name}, which was to go along"),
            remedy: "Choose the sets anew, or give one this name.".to_owned(),
            cures: Vec::new(),
        };
        missing.map(loss).collect()
    }

    /// Names that are other than in the project because they were to be plain.
    fn changed_names(&self, ours: &[Part], theirs: &[Part]) -> Vec<Loss> {
        let mut changed: Vec<String> = Vec::new();
        for part in theirs {
            let Some(own) = ours.iter().find(|own| own.id == part.id) else { continue };
            let mut say = |before: &str, after: &str| {
                let line = format!("{before} → {after}");
                if before != after && !changed.contains(&line) {
                    changed.push(line);
                }
            };
            say(&own.traits.name, &part.traits.name);
            for set in &part.sets {
                if let Some(own) = own.sets.iter().find(|own| own.id == set.id) {
                    let wanted = self.set_names.get(&own.name).unwrap_or(&own.name);
                    say(wanted.trim(), &set.name);
                }
            }
        }
        if changed.is_empty() {
            return Vec::new();
        }
        let text = format!("names are made plain: {}", changed.join(", "));
        vec![Loss::fine(LossKind::Names, text)]
    }
}
