//! Who reads what goes out: everything about a delivery that is chosen, and the packing of it.

use serde::{Deserialize, Serialize};
use speckle_core::{
    Conversion, Geometry, Part, PartTraits, ProjectTraits, Transform, Unit, UpAxis,
    document::ImageRecord,
};

use crate::{
    Body, DataSets, Depth, Format, FormatError, Loss, Place, Shipment, WriteOptions,
    note::{ChannelNote, Origin},
    shader::{Language, code, material_x},
    write,
};

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
    /// What one step of the numbers shall be; the project's own when left out.
    pub unit: Option<Unit>,
    /// The axis that shall point up; likewise.
    pub up: Option<UpAxis>,
    /// What all lengths are multiplied by, on top of the unit.
    pub scale: f64,
    /// Whether faces of more than three corners are cut, whatever the format.
    pub triangulate: bool,
    /// Whether the parts' places are in their points.
    pub apply_transforms: bool,
    /// Whether hidden parts stay at home.
    pub visible_only: bool,
    /// Whether every part is a file of its own.
    pub file_per_part: bool,
    /// Whether the channel note lies beside the file, as JSON and as Markdown.
    pub note: bool,
    /// Whether shader code for the channels lies beside it: GLSL, HLSL, WGSL and MaterialX.
    pub shaders: bool,
}

impl Default for Recipient {
    fn default() -> Self {
        Self {
            name: "Real-time shader".to_owned(),
            format: Format::Glb,
            depth: Depth::Usual,
            alpha: true,
            body: Body::Little,
            materials: true,
            data: DataSets::AsColors,
            sets: Vec::new(),
            unit: None,
            up: None,
            scale: 1.0,
            triangulate: false,
            apply_transforms: false,
            visible_only: true,
            file_per_part: false,
            note: true,
            shaders: false,
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

/// A file that goes out.
#[derive(Clone, Debug)]
pub struct PackedFile {
    /// What it is called.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// A delivery, ready to go.
#[derive(Clone, Debug)]
pub struct Packed {
    /// The files of the format, one or one for each part.
    pub meshes: Vec<PackedFile>,
    /// What lies beside them: materials, images, the note.
    pub beside: Vec<PackedFile>,
    /// What is lost or changed.
    pub losses: Vec<Loss>,
    /// What travels inside, and beside if wanted.
    pub note: ChannelNote,
    /// The parts as they go out.
    pub parts: Vec<Part>,
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
    /// What its numbers mean.
    pub traits: ProjectTraits,
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
        } else {
            None
        }
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
        let note = ChannelNote::of(&parts, traits, origin);
        let options = WriteOptions {
            depth: self.depth,
            alpha: self.alpha,
            body: self.body,
            materials: self.materials,
            data: self.data,
        };
        let stem = file_stem(goods.name);
        let piles: Vec<(String, &[Part])> = if self.file_per_part && parts.len() > 1 {
            // Names that differ in what no file system takes are told apart by a number.
            let mut taken: Vec<String> = Vec::new();
            let mut own = |part: &Part| {
                let wanted = format!("{stem}-{}", file_stem(&part.traits.name));
                let numbered = (2..).map(|n| format!("{wanted} {n}"));
                let is_free =
                    |name: &String| taken.iter().all(|other| !other.eq_ignore_ascii_case(name));
                let mut names = std::iter::once(wanted.clone()).chain(numbered);
                let name = names.find(is_free).unwrap_or(wanted);
                taken.push(name.clone());
                name
            };
            parts.iter().map(|part| (own(part), std::slice::from_ref(part))).collect()
        } else {
            vec![(stem.clone(), parts.as_slice())]
        };
        let (mut meshes, mut losses) = (Vec::new(), Vec::new());
        let mut beside: Vec<PackedFile> = Vec::new();
        for (name, parts) in piles {
            let shipment = Shipment {
                name: &name,
                parts,
                images: goods.images,
                traits: Some(traits),
                note: Some(&note),
            };
            let export = write(self.format, &shipment, options)?;
            losses.extend(
                export.losses.into_iter().filter(|loss| !losses.contains(loss)).collect::<Vec<_>>(),
            );
            let name = format!("{name}.{}", self.format.extension());
            meshes.push(PackedFile { name, bytes: export.bytes });
            // Files of several parts share their images.
            for (name, bytes) in export.beside {
                if beside.iter().all(|other| other.name != name) {
                    beside.push(PackedFile { name, bytes });
                }
            }
        }
        let file = |end: &str, text: String| PackedFile {
            name: format!("{stem}-channels.{end}"),
            bytes: text.into_bytes(),
        };
        if self.note {
            beside.push(file("json", note.json()));
            beside.push(file("md", note.markdown()));
        }
        if self.shaders {
            let languages = Language::ALL.map(|own| file(own.extension(), code(&note, own)));
            beside.extend(languages);
            beside.push(file("mtlx", material_x(&note)));
        }
        Ok(Packed { meshes, beside, losses, note, parts })
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
                let mesh = part.geometry.mesh().moved(|p| conversion.point(p));
                let mesh = mesh.map_err(|error| FormatError::of_mesh(&part.traits.name, &error))?;
                part.geometry = Geometry::new(mesh).into();
                let traits = PartTraits { transform: Transform::IDENTITY, ..part.traits.clone() };
                part.traits = traits;
            }
            Ok(if self.triangulate { part.triangulated() } else { part })
        });
        prepared.collect()
    }
}

/// A name that any file system takes.
#[must_use]
pub fn file_stem(name: &str) -> String {
    let allowed = |c: char| {
        if c.is_ascii_alphanumeric() || matches!(c, ' ' | '-' | '_' | '.' | '(' | ')') {
            c
        } else {
            '_'
        }
    };
    let plain: String = name.trim().chars().map(allowed).take(80).collect();
    let plain = plain.trim_matches(['.', ' ']).to_owned();
    if plain.is_empty() { "model".to_owned() } else { plain }
}
