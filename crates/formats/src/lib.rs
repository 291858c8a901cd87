//! Open mesh formats in and out: bytes ⇄ parts with color sets.
//!
//! One file per format behind one door: [`read`] and [`write`](fn@write) choose it by the file's name. Readers never
//! panic and never import half a file; what they mended is in [`Import::repairs`], what the file
//! had that is not kept in [`Import::notes`].

pub mod abilities;
mod admit;
mod budget;
mod dae;
mod error;
pub mod folder;
mod format;
mod gltf;
pub mod guess;
pub mod holds;
mod indexed;
mod losses;
pub mod map_file;
pub mod note;
mod numbers;
mod obj;
mod off;
mod package;
mod ply;
pub mod recipient;
mod seams;
pub mod shader;
mod shipment;
mod stl;
pub mod tables;
mod threemf;
mod usd;
mod x3d;
mod xml;

use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{Conversion, Mesh, Unit, UpAxis, mesh::gate};
use speckle_model::{ImageRecord, NewPart, Part, ProjectTraits};

pub use abilities::Abilities;
use admit::{Content, RawPart, RawSet};
pub use budget::Budget;
pub use error::{FormatError, Place};
pub use format::Format;
pub use gate::{Repair, RepairKind};
use guess::Reasons;
pub use losses::{Cure, Loss, LossKind, Weight, losses};
use note::Origin;
pub use numbers::Light;
use numbers::Numbers;
pub use shipment::{Shipment, Splits, Spools, carried};

/// How large a file may be inside. All bounds are on counts, so that a small file cannot ask for a
/// huge memory.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct Limits {
    /// The most vertices, corners or faces all parts may have together.
    pub elements: usize,
    /// The most bytes the files beside a file may have together.
    pub bytes: usize,
    /// The most parts all files may have together.
    pub parts: usize,
    /// How long reading may take.
    pub seconds: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self { elements: 200_000_000, bytes: 4 << 30, parts: 20_000, seconds: 300 }
    }
}

/// What becomes of named groups of faces inside one mesh.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Groups {
    /// Each becomes a part of its own.
    Parts,
    /// They stay in one part, as named selections.
    Selections,
}

/// How to read.
#[derive(Clone, Copy, Debug, Default, Serialize, Deserialize)]
pub struct ReadOptions {
    /// How large a file may be inside.
    pub limits: Limits,
    /// What becomes of groups; by default what the format's files usually want.
    pub groups: Option<Groups>,
    /// How far apart, in the file's numbers, corners of an STL file may lie and still be one vertex.
    /// 0 joins what lies at exactly one place.
    pub weld: f32,
    /// What one step of the file's numbers is; by default what the file or its format says.
    pub unit: Option<Unit>,
    /// The axis that points up in the file; likewise.
    pub up: Option<UpAxis>,
    /// Whether what neither the file nor its format says is guessed by size and shape; else it is
    /// as files of the format usually are.
    pub guess: bool,
}

/// A file being read: how, and what is left to spend.
struct Reading<'a> {
    options: ReadOptions,
    budget: &'a Budget,
}

impl std::ops::Deref for Reading<'_> {
    type Target = ReadOptions;

    fn deref(&self) -> &ReadOptions {
        &self.options
    }
}

/// A file to read, with those beside it that it may name.
#[derive(Clone, Copy)]
pub struct MeshFile<'a> {
    /// Its name; the extension tells the format.
    pub name: &'a str,
    /// Its content.
    pub bytes: &'a [u8],
    /// Looks a file up that lies beside it, by the name it is called in the file.
    pub beside: &'a dyn Fn(&str) -> Option<Vec<u8>>,
}

impl<'a> MeshFile<'a> {
    /// A file with nothing beside it.
    #[must_use]
    pub fn alone(name: &'a str, bytes: &'a [u8]) -> Self {
        Self { name, bytes, beside: &|_| None }
    }

    /// The name without folders and extension.
    fn stem(&self) -> &str {
        let file = self.name.rsplit(['/', '\\']).next().unwrap_or(self.name);
        file.rsplit_once('.').map_or(file, |(stem, _)| stem)
    }

    fn beside(&self, name: &str) -> Result<Vec<u8>, FormatError> {
        (self.beside)(name).ok_or_else(|| {
            FormatError::new(
                Place::File,
                format!("it needs the file {name}, which did not come along"),
                format!("choose {name} together with it"),
            )
        })
    }
}

/// What came out of a file.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Import {
    /// The parts, with the sets the file carries.
    pub parts: Vec<NewPart>,
    /// The images of its materials' base colors.
    pub images: Vec<ImageRecord>,
    /// What was mended or dropped, counted.
    pub repairs: Vec<Repair>,
    /// What the file holds beside, and is not kept.
    pub notes: Vec<String>,
    /// What the numbers mean.
    pub traits: ProjectTraits,
    /// Why they were taken for that.
    pub reasons: Reasons,
    /// Which project it was written from, and when, where the file says so.
    pub origin: Option<Origin>,
    /// In which numbers its colors stood.
    pub light: Light,
    /// Whether the file itself, or its format's standard, says what its numbers mean.
    pub states: bool,
}

impl Import {
    /// Converts all points to another unit and up axis.
    ///
    /// # Errors
    /// When a number grows beyond what 32-bit floats hold.
    pub fn convert(&mut self, to: ProjectTraits) -> Result<(), FormatError> {
        let from = self.traits;
        self.convert_by(Conversion::between((from.unit, from.up), (to.unit, to.up)))?;
        self.traits = to;
        Ok(())
    }

    /// Converts all points.
    ///
    /// # Errors
    /// When a number grows beyond what 32-bit floats hold.
    pub fn convert_by(&mut self, conversion: Conversion) -> Result<(), FormatError> {
        if conversion.is_none() {
            return Ok(());
        }
        for part in &mut self.parts {
            part.mesh = conversion
                .mesh(&part.mesh)
                .map_err(|error| FormatError::of_mesh(&part.name, &error))?;
        }
        for place in self.repairs.iter_mut().flat_map(|repair| &mut repair.places) {
            *place = conversion.point(*place);
        }
        Ok(())
    }
}

/// How precisely a format stores colors.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Depth {
    /// What the format's readers take best: 8 bits in PLY, 32-bit floats in GLB, where linear
    /// values in 8 bits would band in the darks.
    #[default]
    Usual,
    /// 256 steps.
    Bits8,
    /// 65 536 steps; GLB only, PLY takes floats instead.
    Bits16,
    /// 32-bit floats.
    Float,
}

/// How the numbers of a PLY or STL file are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Body {
    /// Little-endian binary.
    #[default]
    Little,
    /// Big-endian binary.
    Big,
    /// Text.
    Ascii,
}

/// How to write.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WriteOptions {
    /// How precisely colors are stored.
    pub depth: Depth,
    /// Whether alpha is written.
    pub alpha: bool,
    /// How the numbers of a PLY or STL file are written.
    pub body: Body,
    /// Whether materials and their images are written.
    pub materials: bool,
    /// What becomes of data sets where viewers take the first set for a color.
    pub data: DataSets,
    /// In which numbers colors are stored; those its readers take them for when left out.
    pub light: Option<Light>,
}

impl WriteOptions {
    /// In which numbers colors are stored, by a format that usually stores them as `usual`.
    fn light(&self, usual: Light) -> Light {
        self.light.unwrap_or(usual)
    }
}

/// What becomes of data sets in glTF, whose viewers multiply `COLOR_0` into the picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum DataSets {
    /// They are written as `COLOR_n` behind the color sets.
    #[default]
    AsColors,
    /// The same, with white in `COLOR_0` where no color set would stand there.
    BehindWhite,
    /// They are attributes of their own names, as `_WEAR`.
    Named,
}

impl Default for WriteOptions {
    fn default() -> Self {
        Self {
            depth: Depth::Usual,
            alpha: true,
            body: Body::Little,
            materials: true,
            data: DataSets::AsColors,
            light: None,
        }
    }
}

/// A written file.
#[derive(Clone, Debug)]
pub struct Export {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// Files that belong beside it, by the names it calls them.
    pub beside: Vec<(String, Vec<u8>)>,
    /// What the format could not carry, or what was changed for it.
    pub losses: Vec<Loss>,
}

/// What a writer makes.
struct Written {
    bytes: Vec<u8>,
    beside: Vec<(String, Vec<u8>)>,
}

impl Written {
    fn alone(bytes: Vec<u8>) -> Self {
        Self { bytes, beside: Vec::new() }
    }
}

/// Reads a file; its format is told by its name. A zip gives all meshes in it.
///
/// # Errors
/// Says what is wrong, where, and what to do.
pub fn read(file: &MeshFile, options: &ReadOptions) -> Result<Import, FormatError> {
    read_within(file, options, &Budget::new(options.limits, file.bytes.len()))
}

/// The same within a budget, which whoever waits can end.
///
/// # Errors
/// Says what is wrong, where, and what to do.
pub fn read_within(
    file: &MeshFile,
    options: &ReadOptions,
    budget: &Budget,
) -> Result<Import, FormatError> {
    let beside = |name: &str| {
        let found = (file.beside)(name);
        budget.earn(found.as_ref().map_or(0, Vec::len));
        found
    };
    let file = &MeshFile { beside: &beside, ..*file };
    if package::is_package(file.name) {
        return package::read_all(file, options, budget);
    }
    let format = Format::that_reads(file.name)?;
    let reading = &Reading { options: *options, budget };
    let content = match format {
        Format::Ply => ply::read::read(file, reading),
        Format::Glb => gltf::read::read_glb(file, reading),
        Format::Gltf => gltf::read::read_gltf(file, reading),
        Format::Obj => obj::read::read(file, reading),
        Format::Stl => stl::read::read(file, reading),
        Format::Off => off::read::read(file, reading),
        Format::ThreeMf => threemf::read::read(file, reading),
        Format::X3d => x3d::read(file, reading),
        Format::Vrml => x3d::read_vrml(file, reading),
        Format::Dae => dae::read::read(file, reading),
        Format::Usda => usd::read::read(file, reading),
        Format::Usdz => usd::read::read_package(file, reading),
    }?;
    let Content { parts: raw_parts, mut repairs, notes, images, traits, origin } = content;
    let groups = options.groups.unwrap_or(format.usual_groups());
    let usual = format.abilities().light(None);
    let numbers = raw_parts.iter().flat_map(RawPart::sets).map(|set| set.numbers);
    let of_colors = |numbers| match numbers {
        Numbers::Color(light) => Some(light),
        Numbers::Data => None,
    };
    let light = numbers.filter_map(of_colors).find(|light| *light != usual).unwrap_or(usual);
    let mut parts = Vec::with_capacity(raw_parts.len());
    for part in raw_parts {
        part.admit(groups, budget, &mut repairs, &mut parts)?;
    }
    let states = traits.is_some() || format.abilities().units != abilities::Says::Nothing;
    let meshes: Vec<&Mesh> = parts.iter().map(|part| &part.mesh).collect();
    let (traits, reasons) = guess::meaning(format, traits, options, &meshes);
    let origin = origin.or_else(|| Origin::find_in(file.bytes));
    Ok(Import { parts, images, repairs, notes, traits, reasons, origin, light, states })
}

/// Writes a shipment as a file of the format.
///
/// # Errors
/// When there is nothing to write, or a part stands where no number leads.
pub fn write(
    format: Format,
    shipment: &Shipment,
    options: WriteOptions,
) -> Result<Export, FormatError> {
    if shipment.parts.is_empty() {
        return Err(FormatError::new(
            Place::File,
            "there is no part to write",
            "bring a mesh in first",
        ));
    }
    let splits = Splits::default();
    let shipment = &Shipment { splits: Some(&splits), ..*shipment };
    let losses = losses(format, shipment, &options);
    let abilities = format.abilities();
    let usual = abilities.light(None);
    let light = shipment.light(format, options.light);
    let options =
        WriteOptions { depth: abilities.depth(options.depth), light: Some(light), ..options };
    // Writers of formats in linear light convert as they go; the others store what they are given.
    let lit: Vec<Part>;
    let mut shipment = *shipment;
    if (usual, light) == (Light::Encoded, Light::Linear) {
        lit = shipment.parts.iter().map(|part| in_linear_light(format, part)).collect();
        shipment.parts = &lit;
    }
    let shipment = &shipment;
    let Written { bytes, beside } = match format {
        // They say where a part stands.
        Format::Glb => gltf::write::write_glb(shipment, options)?,
        Format::Gltf => gltf::write::write_gltf(shipment, options),
        Format::ThreeMf => threemf::write::write(shipment, options)?,
        Format::X3d => x3d::write(shipment, options),
        Format::Vrml => x3d::write_vrml(shipment, options),
        Format::Dae => dae::write::write(shipment, options),
        Format::Usda => usd::write::write_usda(shipment, options),
        Format::Usdz => usd::write::write_usdz(shipment, options)?,
        Format::Ply | Format::Obj | Format::Off | Format::Stl => {
            let placed = shipment.parts.iter().map(Part::baked).collect::<Result<Vec<Part>, _>>();
            let placed = placed.map_err(|error| FormatError::of_mesh("a placed part", &error))?;
            let placed = Shipment { parts: &placed, ..*shipment };
            match format {
                Format::Ply => ply::write::write(&placed, options),
                Format::Obj => obj::write::write(&placed, options),
                Format::Off => off::write::write(&placed, options),
                _ => stl::write::write(&placed, options),
            }
        }
    };
    Ok(Export { bytes, beside, losses })
}

/// A part whose colors are stored as light.
fn in_linear_light(format: Format, part: &Part) -> Part {
    let mut part = part.clone();
    for set in part.sets.iter_mut().filter(|set| format.takes_light(set.placement)) {
        let numbers = Numbers::of(set, Light::Linear);
        let stored: Vec<_> = set.values.par_iter().map(|&value| numbers.stored(value)).collect();
        set.values = stored.into();
        set.ground = numbers.stored(set.ground);
    }
    part
}
