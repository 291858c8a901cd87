//! What each format can and cannot carry: the one table that the writers, the warnings before
//! sending, the interface and `docs/formats.md` share.

use serde::Serialize;
use speckle_mesh::Placement;

use crate::{Depth, Format, Light, seams::SplitBy};

/// How many sets of a part a format takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Room {
    /// The shape alone.
    None,
    /// One.
    One,
    /// One at the vertices and one at the faces.
    VertexAndFace,
    /// Any number.
    Any,
}

/// What a format says of units or of the axis that points up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Says {
    /// Nothing: whoever reads it guesses.
    Nothing,
    /// Always the same.
    Fixed,
    /// What is wanted.
    Any,
}

/// How many sets of texture coordinates a format takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum UvRoom {
    /// None.
    None,
    /// One.
    One,
    /// Any number.
    Any,
}

/// What a format can carry.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Abilities {
    /// The format.
    pub format: Format,
    /// What it is called.
    pub title: &'static str,
    /// What it is good for.
    pub says: &'static str,
    /// Who describes it.
    pub described_by: &'static str,
    /// The file name extension, without a dot.
    pub extension: &'static str,
    /// Extensions of files that are read beside it, and not written.
    pub also_read: Vec<&'static str>,
    /// Whether files of it are read.
    pub reads: bool,
    /// How many sets of a part it takes.
    pub sets: Room,
    /// The placements it stores as they are; others have their vertices split for it.
    pub placements: &'static [Placement],
    /// Whether alpha goes along.
    pub alpha: bool,
    /// The precisions of colors it knows, the usual one first.
    pub depths: &'static [Depth],
    /// In which numbers it can store colors, the usual ones first: those its readers take them for.
    pub lights: &'static [Light],
    /// Whether parts stay apart.
    pub parts: bool,
    /// Whether faces of more than three corners stay whole.
    pub polygons: bool,
    /// How many sets of texture coordinates it takes.
    pub uvs: UvRoom,
    /// Whether a mesh's own normals go along.
    pub normals: bool,
    /// Whether materials and their images go along.
    pub materials: bool,
    /// What it says of units.
    pub units: Says,
    /// What it says of the axis that points up.
    pub up: Says,
    /// Whether faces can be printed in swatches, one spool each.
    pub swatches: bool,
    /// Whether each swatch is a file of its own then.
    pub file_per_swatch: bool,
    /// Whether there are a text and a binary form to choose from.
    pub bodies: bool,
}

use Placement::{Corner, Face, Vertex};

const ALL: &[Placement] = &[Vertex, Corner, Face];

impl Format {
    /// What the format can carry.
    #[must_use]
    pub fn abilities(self) -> Abilities {
        let plain = Abilities {
            format: self,
            title: "",
            says: "",
            described_by: "",
            extension: self.extension(),
            also_read: Vec::new(),
            reads: true,
            sets: Room::Any,
            placements: ALL,
            alpha: true,
            depths: &[Depth::Float],
            lights: &[Light::Encoded, Light::Linear],
            parts: true,
            polygons: true,
            uvs: UvRoom::One,
            normals: true,
            materials: false,
            units: Says::Nothing,
            up: Says::Nothing,
            swatches: false,
            file_per_swatch: false,
            bodies: false,
        };
        match self {
            Self::Glb | Self::Gltf => Abilities {
                title: if self == Self::Glb { "GLB (glTF 2.0)" } else { "glTF 2.0, one text" },
                says: if self == Self::Glb {
                    "For engines and viewers: every set as COLOR_0, COLOR_1 …, color sets in linear light."
                } else {
                    "The same as GLB with its arrays as text, for pipelines that edit it."
                },
                described_by: "glTF 2.0, Khronos",
                placements: &[Vertex],
                depths: &[Depth::Float, Depth::Bits16, Depth::Bits8],
                lights: &[Light::Linear, Light::Encoded],
                polygons: false,
                uvs: UvRoom::Any,
                materials: true,
                units: Says::Fixed,
                up: Says::Fixed,
                ..plain
            },
            Self::Ply => Abilities {
                title: "PLY",
                says: "For scans and scripts: every set as numbers of its own, as they are shown.",
                described_by: "Greg Turk, 1994",
                placements: &[Vertex, Face],
                depths: &[Depth::Bits8, Depth::Float],
                parts: false,
                bodies: true,
                ..plain
            },
            Self::Obj => Abilities {
                title: "OBJ with MTL",
                says: "One set behind the coordinates, which some readers pass over; a per-face set as materials.",
                described_by: "Wavefront, by its common description",
                sets: Room::VertexAndFace,
                placements: &[Vertex, Face],
                materials: true,
                swatches: true,
                file_per_swatch: true,
                ..plain
            },
            Self::Off => Abilities {
                title: "OFF",
                says: "A plain text of points and faces, with one set per vertex and one per face.",
                described_by: "Geomview",
                sets: Room::VertexAndFace,
                placements: &[Vertex, Face],
                depths: &[Depth::Float, Depth::Bits8],
                parts: false,
                uvs: UvRoom::None,
                normals: false,
                ..plain
            },
            Self::Stl => Abilities {
                title: "STL",
                says: "The shape alone; or a file for each swatch, for printers that take a body per color.",
                described_by: "3D Systems 1989, by its common description",
                sets: Room::None,
                placements: &[],
                alpha: false,
                depths: &[],
                lights: &[],
                parts: false,
                polygons: false,
                uvs: UvRoom::None,
                normals: false,
                swatches: true,
                file_per_swatch: true,
                bodies: true,
                ..plain
            },
            Self::ThreeMf => Abilities {
                title: "3MF",
                says: "For printers: one set per object, as colors of its triangles or as swatches, with the unit.",
                described_by: "3MF Core 1.3 and Materials and Properties 1.2, 3MF Consortium",
                sets: Room::One,
                depths: &[Depth::Bits8],
                lights: &[Light::Encoded],
                polygons: false,
                uvs: UvRoom::None,
                normals: false,
                swatches: true,
                units: Says::Any,
                up: Says::Fixed,
                ..plain
            },
            Self::X3d => Abilities {
                title: "X3D",
                says: "For viewers and archives: one set per shape, at vertices, corners or faces.",
                described_by: "ISO/IEC 19775 and 19776",
                sets: Room::One,
                units: Says::Fixed,
                up: Says::Fixed,
                ..plain
            },
            Self::Vrml => Abilities {
                title: "VRML97",
                says: "The elder of X3D, which many full-color printers still take.",
                described_by: "ISO/IEC 14772-1",
                sets: Room::One,
                alpha: false,
                units: Says::Fixed,
                up: Says::Fixed,
                ..plain
            },
            Self::Dae => Abilities {
                title: "COLLADA 1.4.1",
                says: "For older tools: every set as colors of the corners, with unit and up axis.",
                described_by: "COLLADA 1.4.1, Khronos",
                placements: &[Vertex, Corner],
                uvs: UvRoom::Any,
                units: Says::Any,
                up: Says::Any,
                ..plain
            },
            Self::Usda => Abilities {
                title: "USD, as text",
                says: "For film and renderers: the first color set as displayColor in linear light, the others as primvars; binary files (.usdc, .usd) are read as well.",
                described_by: "USD as usd-core reads it; UsdGeomMesh and UsdGeomPrimvar",
                lights: &[Light::Linear, Light::Encoded],
                uvs: UvRoom::Any,
                units: Says::Any,
                up: Says::Any,
                ..plain
            },
            Self::Usdz => Abilities {
                title: "USDZ",
                says: "USD in one package, for viewers on phones and on the web.",
                ..Self::Usda.abilities()
            },
        }
        .with_format(self)
    }
}

impl Abilities {
    fn with_format(self, format: Format) -> Self {
        let also = Format::ALSO_READ.iter().filter(|(_, other)| *other == format);
        let also_read = also.map(|(extension, _)| *extension).collect();
        Self { format, extension: format.extension(), also_read, ..self }
    }

    /// Whether a placement is stored as it is.
    #[must_use]
    pub fn stores(&self, placement: Placement) -> bool {
        self.placements.contains(&placement)
    }

    /// In which numbers colors are stored, where some are wanted.
    #[must_use]
    pub fn light(&self, wanted: Option<Light>) -> Light {
        let usual = self.lights.first().copied().unwrap_or(Light::Encoded);
        wanted.filter(|light| self.lights.contains(light)).unwrap_or(usual)
    }

    /// The precision that is meant.
    #[must_use]
    pub fn depth(&self, wanted: Depth) -> Depth {
        let usual = self.depths.first().copied().unwrap_or(Depth::Bits8);
        match wanted {
            Depth::Usual => usual,
            known if self.depths.contains(&known) => known,
            // The next finer one there is.
            Depth::Bits16 if self.depths.contains(&Depth::Float) => Depth::Float,
            _ => usual,
        }
    }
}

impl Abilities {
    /// What splits vertices beside colors, where a format's vertices carry everything.
    pub(crate) fn split_by(&self) -> SplitBy {
        match self.format {
            Format::Glb | Format::Gltf => SplitBy { uvs: true, normals: true },
            Format::Ply => SplitBy { normals: true, ..SplitBy::default() },
            _ => SplitBy::default(),
        }
    }
}

/// The table as the documentation shows it, in Markdown.
#[must_use]
pub fn table() -> String {
    let mut out = String::from(
        "| | read | sets | as they are | alpha | numbers | light | parts | polygons | UVs | normals | materials | swatches | unit | up axis |\n\
         |---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n",
    );
    let yes = |is: bool| if is { "yes" } else { "no" };
    let says = |says: Says| match says {
        Says::Nothing => "no",
        Says::Fixed => "fixed",
        Says::Any => "yes",
    };
    for format in Format::ALL {
        let a = format.abilities();
        let placements: Vec<&str> = a
            .placements
            .iter()
            .map(|placement| match placement {
                Vertex => "vertex",
                Corner => "corner",
                Face => "face",
            })
            .collect();
        let depths: Vec<&str> = a
            .depths
            .iter()
            .map(|depth| match depth {
                Depth::Usual | Depth::Bits8 => "8 bits",
                Depth::Bits16 => "16 bits",
                Depth::Float => "float",
            })
            .collect();
        let lights: Vec<&str> = a
            .lights
            .iter()
            .map(|light| match light {
                Light::Encoded => "encoded",
                Light::Linear => "linear",
            })
            .collect();
        let cells = [
            format!("{} (.{})", a.title, a.extension),
            yes(a.reads).to_owned(),
            match a.sets {
                Room::None => "none",
                Room::One => "one",
                Room::VertexAndFace => "one per vertex, one per face",
                Room::Any => "any number",
            }
            .to_owned(),
            placements.join(", "),
            yes(a.alpha).to_owned(),
            depths.join(", "),
            lights.join(", "),
            if a.parts { "apart" } else { "joined" }.to_owned(),
            yes(a.polygons).to_owned(),
            match a.uvs {
                UvRoom::None => "none",
                UvRoom::One => "one",
                UvRoom::Any => "any number",
            }
            .to_owned(),
            yes(a.normals).to_owned(),
            yes(a.materials).to_owned(),
            match (a.swatches, a.file_per_swatch) {
                (true, true) => "a file for each",
                (is, _) => yes(is),
            }
            .to_owned(),
            says(a.units).to_owned(),
            says(a.up).to_owned(),
        ];
        out.push_str(&format!("| {} |\n", cells.join(" | ")));
    }
    out
}
