//! The formats there are, and what is usual in each.

use serde::{Deserialize, Serialize};
use speckle_mesh::{Placement, Unit, UpAxis};
use speckle_model::ProjectTraits;

use crate::{
    Groups,
    error::{FormatError, Place},
};

/// The formats there are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Format {
    /// Polygon File Format (Turk 1994).
    Ply,
    /// Binary glTF 2.0 (Khronos).
    Glb,
    /// glTF 2.0 as text.
    Gltf,
    /// Wavefront OBJ, with its MTL beside it.
    Obj,
    /// Stereolithography triangles.
    Stl,
    /// Object File Format (Geomview).
    Off,
    /// 3D Manufacturing Format (3MF Consortium).
    #[serde(rename = "3mf")]
    ThreeMf,
    /// Extensible 3D, in XML (ISO/IEC 19775, 19776).
    X3d,
    /// Virtual Reality Modeling Language (ISO/IEC 14772-1).
    #[serde(rename = "wrl")]
    Vrml,
    /// COLLADA 1.4.1 (Khronos).
    Dae,
    /// Universal Scene Description as text.
    Usda,
    /// The same in one package.
    Usdz,
}

impl Format {
    /// Endings of names that are read beside those that are written, with what reads them.
    pub const ALSO_READ: [(&str, Self); 2] = [("usd", Self::Usda), ("usdc", Self::Usda)];

    /// Whether its reader takes memory by counts that a file states, before it looks whether there is
    /// as much: then it is read where the system bounds the memory.
    #[must_use]
    pub fn trusts_counts(self) -> bool {
        matches!(self, Self::Usda | Self::Usdz)
    }

    /// The format that reads files of a name.
    ///
    /// # Errors
    /// Names the extensions that are known.
    pub fn that_reads(name: &str) -> Result<Self, FormatError> {
        let end = name.rsplit_once('.').map_or("", |(_, end)| end);
        let also = Self::ALSO_READ.iter().find(|(also, _)| also.eq_ignore_ascii_case(end));
        also.map_or_else(|| Self::of_name(name), |(_, format)| Ok(*format))
    }

    /// All of them.
    pub const ALL: [Self; 12] = [
        Self::Glb,
        Self::Gltf,
        Self::Ply,
        Self::ThreeMf,
        Self::Usda,
        Self::Usdz,
        Self::Obj,
        Self::X3d,
        Self::Vrml,
        Self::Dae,
        Self::Off,
        Self::Stl,
    ];

    /// The file name extension, without a dot.
    #[must_use]
    pub fn extension(self) -> &'static str {
        match self {
            Self::Ply => "ply",
            Self::Glb => "glb",
            Self::Gltf => "gltf",
            Self::Obj => "obj",
            Self::Stl => "stl",
            Self::Off => "off",
            Self::ThreeMf => "3mf",
            Self::X3d => "x3d",
            Self::Vrml => "wrl",
            Self::Dae => "dae",
            Self::Usda => "usda",
            Self::Usdz => "usdz",
        }
    }

    /// Whether it can be chosen in which numbers sets of a placement are stored: materials, which
    /// are what OBJ has at faces, have their own way.
    pub(crate) fn takes_light(self, placement: Placement) -> bool {
        !(self == Self::Obj && placement == Placement::Face)
    }

    /// The registered media type, or the common one.
    #[must_use]
    pub fn media_type(self) -> &'static str {
        match self {
            Self::Ply | Self::Off | Self::Usda => "application/octet-stream",
            Self::ThreeMf => "model/3mf",
            Self::X3d => "model/x3d+xml",
            Self::Vrml => "model/vrml",
            Self::Dae => "model/vnd.collada+xml",
            Self::Usdz => "model/vnd.usdz+zip",
            Self::Glb => "model/gltf-binary",
            Self::Gltf => "model/gltf+json",
            Self::Obj => "model/obj",
            Self::Stl => "model/stl",
        }
    }

    /// What a file's numbers mean when neither it nor anybody says: by the standard where it has an
    /// answer, by common practice (no source) where a format has no units.
    #[must_use]
    pub fn usual_traits(self) -> ProjectTraits {
        let (unit, up) = match self {
            Self::Glb | Self::Gltf | Self::X3d | Self::Vrml | Self::Dae => (Unit::Metre, UpAxis::Y),
            Self::Usda | Self::Usdz => (Unit::Centimetre, UpAxis::Y),
            Self::Ply | Self::Obj | Self::Off => (Unit::Millimetre, UpAxis::Y),
            Self::Stl | Self::ThreeMf => (Unit::Millimetre, UpAxis::Z),
        };
        ProjectTraits { unit, up }
    }

    /// How groups inside one mesh are usually wanted.
    pub(crate) fn usual_groups(self) -> Groups {
        match self {
            Self::Obj => Groups::Parts,
            // Surfaces of one mesh that differ in material belong together.
            _ => Groups::Selections,
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
                let known = Self::ALL.map(|f| format!(".{}", f.extension())).join(", ");
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
