//! Open mesh formats in and out: bytes ⇄ parts with color sets.
//!
//! One file per format behind one door: [`read`] and [`write`](fn@write) choose it by the file's name. Readers never
//! panic and never import half a file; what they mended is in [`Import::repairs`], what the file
//! had that is not kept in [`Import::notes`].

mod glb;
mod ply;
mod seams;

use std::fmt;

use serde::{Deserialize, Serialize};
use speckle_core::{
    Part,
    color::Rgba,
    document::NewPart,
    mesh::{MeshArrays, MeshError, gate},
};

pub use gate::{Repair, RepairKind};

/// The formats there are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Format {
    /// Polygon File Format (Turk 1994).
    Ply,
    /// Binary glTF 2.0 (Khronos).
    Glb,
}

impl Format {
    /// All of them.
    pub const ALL: [Self; 2] = [Self::Ply, Self::Glb];

    /// The file name extension, without a dot.
    #[must_use]
    pub fn extension(self) -> &'static str {
        match self {
            Self::Ply => "ply",
            Self::Glb => "glb",
        }
    }

    /// The registered media type, or the common one.
    #[must_use]
    pub fn media_type(self) -> &'static str {
        match self {
            Self::Ply => "application/octet-stream",
            Self::Glb => "model/gltf-binary",
        }
    }

    /// The format a file name ends in.
    ///
    /// # Errors
    /// Names the extensions that are known.
    pub fn of_name(name: &str) -> Result<Self, FormatError> {
        let extension = name.rsplit_once('.').map_or("", |(_, extension)| extension);
        Self::ALL
            .into_iter()
            .find(|format| format.extension().eq_ignore_ascii_case(extension))
            .ok_or_else(|| {
                let known = Self::ALL.map(|f| format!(".{}", f.extension())).join(" and ");
                FormatError {
                    place: Place::File,
                    cause: if extension.is_empty() {
                        "the name has no extension to tell the format by".to_owned()
                    } else {
                        format!("files ending in .{extension} are not known")
                    },
                    remedy: format!("use one of {known}"),
                }
            })
    }
}

/// How large a file may be inside. All bounds are on counts, so that a small file cannot ask for a
/// huge memory.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// The most vertices, corners or faces all parts may have together.
    pub elements: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self { elements: 200_000_000 }
    }
}

/// Where in a file something is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    /// The file as a whole.
    File,
    /// A line of text, from 1.
    Line(usize),
    /// A byte, from 0.
    Byte(usize),
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::File => write!(f, "the file"),
            Self::Line(line) => write!(f, "line {line}"),
            Self::Byte(byte) => write!(f, "byte {byte}"),
        }
    }
}

/// What is wrong with a file, where, and what to do about it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{place}: {cause}; {remedy}")]
pub struct FormatError {
    /// Where.
    pub place: Place,
    /// What is wrong.
    pub cause: String,
    /// What to do.
    pub remedy: String,
}

impl FormatError {
    fn new(place: Place, cause: impl Into<String>, remedy: impl Into<String>) -> Self {
        Self { place, cause: cause.into(), remedy: remedy.into() }
    }

    fn of_mesh(part: &str, error: &MeshError) -> Self {
        let remedy = match error {
            MeshError::VertexOutOfRange { .. } => {
                "the file is damaged or was cut short: export it again"
            }
            MeshError::NoFaces => "export the model as a surface, with its faces",
            _ => "export it again, or as another format",
        };
        Self::new(Place::File, format!("{part}: {error}"), remedy)
    }

    fn too_many(limits: Limits) -> Self {
        Self::new(
            Place::File,
            format!("it holds more than {} elements, the limit set for imports", limits.elements),
            "raise the limit (--max-elements), or reduce the mesh",
        )
    }
}

/// What came out of a file.
#[derive(Clone, Debug)]
pub struct Import {
    /// The parts, with the sets the file carries.
    pub parts: Vec<NewPart>,
    /// What was mended or dropped, counted.
    pub repairs: Vec<Repair>,
    /// What the file holds beside, and is not kept.
    pub notes: Vec<String>,
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

/// How a PLY body is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum PlyBody {
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
    /// How a PLY body is written.
    pub ply_body: PlyBody,
}

impl Default for WriteOptions {
    fn default() -> Self {
        Self { depth: Depth::Usual, alpha: true, ply_body: PlyBody::Little }
    }
}

/// A written file.
#[derive(Clone, Debug)]
pub struct Export {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// What the format could not carry, or what was changed for it.
    pub notes: Vec<String>,
}

/// Reads a file; its format is told by its name.
///
/// # Errors
/// Says what is wrong, where, and what to do.
pub fn read(name: &str, bytes: &[u8], limits: Limits) -> Result<Import, FormatError> {
    let format = Format::of_name(name)?;
    let file = name.rsplit(['/', '\\']).next().unwrap_or(name);
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    match format {
        Format::Ply => ply::read::read(bytes, stem, limits),
        Format::Glb => glb::read::read(bytes, stem, limits),
    }
}

/// Writes parts as a file of the format.
///
/// # Errors
/// When there is nothing to write.
pub fn write(format: Format, parts: &[Part], options: WriteOptions) -> Result<Export, FormatError> {
    if parts.is_empty() {
        return Err(FormatError::new(
            Place::File,
            "there is no part to write",
            "bring a mesh in first",
        ));
    }
    Ok(match format {
        Format::Ply => ply::write::write(parts, options),
        Format::Glb => glb::write::write(parts, options),
    })
}

/// Values read for one set, before the gate.
struct RawSet {
    name: String,
    placement: speckle_core::Placement,
    encoding: speckle_core::Encoding,
    values: Vec<Rgba>,
}

/// Takes a mesh and its sets through the gate.
fn admit(
    part: &str,
    arrays: MeshArrays,
    sets: Vec<RawSet>,
    repairs: &mut Vec<Repair>,
) -> Result<NewPart, FormatError> {
    use speckle_core::Placement;
    let admitted = gate::admit(arrays, part).map_err(|error| FormatError::of_mesh(part, &error))?;
    repairs.extend(admitted.repairs);
    let mut clamped = 0;
    let sets = sets
        .into_iter()
        .map(|set| {
            let kept = match set.placement {
                Placement::Vertex => &admitted.kept_vertices,
                Placement::Corner => &admitted.kept_corners,
                Placement::Face => &admitted.kept_faces,
            };
            let mut values = gate::keep(set.values, kept.as_deref());
            for number in values.iter_mut().flatten() {
                if !(0.0..=1.0).contains(number) {
                    clamped += 1;
                    *number = if number.is_nan() { 0.0 } else { number.clamp(0.0, 1.0) };
                }
            }
            speckle_core::document::NewSet {
                name: set.name,
                placement: set.placement,
                encoding: set.encoding,
                ground: [1.0; 4],
                values,
            }
        })
        .collect();
    if clamped > 0 {
        repairs.push(Repair::new(part, RepairKind::ColorOutOfRange, clamped));
    }
    Ok(NewPart { name: part.to_owned(), mesh: admitted.mesh, sets })
}
