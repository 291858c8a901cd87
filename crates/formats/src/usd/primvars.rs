//! Primvars: values on a mesh by type, interpolation and index (UsdGeomPrimvar).

use std::sync::Arc;

use glam::{Vec2, Vec3};
use openusd::{
    sdf::Value,
    usd::{Attribute, TimeCode},
};
use speckle_color::Rgba;
use speckle_mesh::{
    Placement,
    mesh::{MeshArrays, UvSet},
};

use super::{
    broken,
    files::{Files, Rows},
};
use crate::{FormatError, Light, RawSet, numbers::Numbers};

/// What the namespace of primvars begins with.
pub const NAMESPACE: &str = "primvars:";

/// What normals are called, as an attribute and as a primvar, which goes before it.
pub const NORMALS: &str = "normals";

/// Which element a row belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Interpolation {
    /// One for all.
    Constant,
    /// One for each face.
    Uniform,
    /// One for each point (`vertex`, and `varying`, which is the same on polygons).
    Vertex,
    /// One for each corner.
    FaceVarying,
}

/// What the numbers are, by their declared type.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Colors, or numbers without a role.
    Values,
    /// Places in an image.
    Uvs,
    /// Directions that the surface looks.
    Normals,
}

/// A primvar of a mesh, its indices resolved.
#[derive(Clone)]
pub struct Primvar {
    /// Its name without the namespace.
    pub name: String,
    /// What it is.
    pub kind: Kind,
    /// Which elements it is for.
    pub interpolation: Interpolation,
    /// A row for each of them.
    pub rows: Rows,
    /// What our own files say of it: its name, and the word for its numbers.
    pub says: [Option<String>; 2],
}

impl Primvar {
    /// Reads an attribute in the namespace; `None` when it holds nothing that sets or UVs are made
    /// of.
    ///
    /// # Errors
    /// When it has no value for one of its indices, or cannot be read.
    pub fn read(
        attribute: &Attribute,
        name: &str,
        files: &Files,
    ) -> Result<Option<Self>, FormatError> {
        let said = |error: anyhow::Error| broken(format!("{name}: {error}"));
        let declared = attribute.type_name().map_err(said)?;
        let declared = declared.as_ref().map(|name| name.as_str()).unwrap_or_default();
        let kind = match declared.trim_end_matches("[]") {
            "texCoord2f" | "texCoord2d" | "texCoord2h" | "float2" | "double2" | "half2" => {
                Kind::Uvs
            }
            "color3f" | "color3d" | "color3h" | "color4f" | "color4d" | "color4h" | "float3"
            | "double3" | "half3" | "float4" | "double4" | "half4" => Kind::Values,
            "float" | "double" | "half" if name == "displayOpacity" => Kind::Values,
            "normal3f" | "normal3d" | "normal3h" => Kind::Normals,
            _ => return Ok(None),
        };
        let value = attribute.get_at::<Value>(TimeCode::EARLIEST).map_err(said)?;
        let Some(rows) = value.and_then(|value| files.rows(value)) else { return Ok(None) };
        let word = attribute.get_metadata::<Value>("interpolation").map_err(said)?;
        // Normals of a mesh that say nothing else are of its points (UsdGeomPointBased).
        let usual = if name == NORMALS { "vertex" } else { "constant" };
        let interpolation = match text(word.as_ref()).unwrap_or(usual) {
            "constant" => Interpolation::Constant,
            "uniform" => Interpolation::Uniform,
            "vertex" | "varying" => Interpolation::Vertex,
            "faceVarying" => Interpolation::FaceVarying,
            _ => return Ok(None),
        };
        let says = attribute.get_metadata::<Value>("customData").map_err(said)?;
        let says = ["name", "encoding"].map(|key| match &says {
            Some(Value::Dictionary(says)) => text(says.get(key)).map(str::to_owned),
            _ => None,
        });
        let beside = attribute.prim().attribute(format!("{NAMESPACE}{name}:indices"));
        let indices = beside.get_at::<Value>(TimeCode::EARLIEST).map_err(said)?;
        let rows = match indices.and_then(|value| files.whole(value)) {
            None => rows,
            Some(indices) => indexed(&rows, &indices)
                .ok_or_else(|| broken(format!("{name}: one of its indices leads to no value")))?,
        };
        Ok(Some(Self { name: name.to_owned(), kind, interpolation, rows, says }))
    }

    /// How many rows there are.
    fn count(&self) -> usize {
        self.rows.numbers.len() / self.rows.width
    }

    /// Whether there is a row for each of the elements it is for.
    fn fits(&self, arrays: &MeshArrays) -> bool {
        let needed = match self.interpolation {
            Interpolation::Constant => 1,
            Interpolation::Uniform => arrays.face_starts.len() - 1,
            Interpolation::Vertex => arrays.positions.len(),
            Interpolation::FaceVarying => arrays.corner_vertices.len(),
        };
        self.count() == needed && self.rows.numbers.len() == needed * self.rows.width
    }

    fn row(&self, at: usize) -> &[f32] {
        &self.rows.numbers[at * self.rows.width..][..self.rows.width]
    }

    /// The same as texture coordinates.
    pub fn uvs(&self, arrays: &MeshArrays) -> Option<UvSet> {
        if self.kind != Kind::Uvs || self.rows.width != 2 || !self.fits(arrays) {
            return None;
        }
        let uv = |at: usize| Vec2::from_slice(self.row(at));
        let corners = 0..arrays.corner_vertices.len();
        let uvs = match self.interpolation {
            Interpolation::FaceVarying => corners.map(uv).collect(),
            Interpolation::Vertex => {
                let vertices = arrays.corner_vertices.iter().map(|&v| v as usize);
                vertices.map(|v| if v < self.count() { uv(v) } else { Vec2::ZERO }).collect()
            }
            Interpolation::Constant | Interpolation::Uniform => return None,
        };
        let is_first = arrays.uv_sets.is_empty();
        let name = if is_first { "UV".to_owned() } else { self.name.clone() };
        Some(UvSet { name, uvs })
    }

    /// The same as normals of the corners.
    pub fn normals(&self, arrays: &MeshArrays) -> Option<Vec<Vec3>> {
        if self.kind != Kind::Normals || self.rows.width != 3 || !self.fits(arrays) {
            return None;
        }
        let at = |row: usize| Vec3::from_slice(self.row(row));
        let corners = 0..arrays.corner_vertices.len();
        let of_faces = || arrays.face_starts.windows(2).zip(0_usize..);
        Some(match self.interpolation {
            Interpolation::Constant => corners.map(|_| at(0)).collect(),
            Interpolation::Uniform => of_faces()
                .flat_map(|(bounds, face)| (bounds[0]..bounds[1]).map(move |_| face))
                .map(at)
                .collect(),
            Interpolation::Vertex => {
                let vertices = arrays.corner_vertices.iter().map(|&v| v as usize);
                vertices.map(|v| if v < self.count() { at(v) } else { Vec3::ZERO }).collect()
            }
            Interpolation::FaceVarying => corners.map(at).collect(),
        })
    }

    /// The same as a set, with the opacity of its elements where that is a primvar of its own.
    pub fn set(&self, opacity: Option<&Self>, arrays: &MeshArrays) -> Option<RawSet> {
        if self.kind != Kind::Values || !(3..=4).contains(&self.rows.width) || !self.fits(arrays) {
            return None;
        }
        let opacity = opacity.filter(|own| own.rows.width == 1 && own.fits(arrays));
        let of_opacity = opacity.map(|own| own.interpolation);
        let color = |at: usize, opacity_at: usize| -> Rgba {
            let row = self.row(at);
            let opacity = opacity.map(|own| own.row(opacity_at)[0]);
            [row[0], row[1], row[2], row.get(3).copied().or(opacity).unwrap_or(1.0)]
        };
        let faces = arrays.face_starts.len() - 1;
        let alike = of_opacity
            .is_none_or(|own| own == self.interpolation || own == Interpolation::Constant);
        let own_opacity =
            |at: usize| if of_opacity == Some(Interpolation::Constant) { 0 } else { at };
        let (placement, values) = match self.interpolation {
            // Each of the two at elements of its own: at the corners both can be.
            _ if !alike => (Placement::Corner, self.at_corners(of_opacity, arrays, color)),
            Interpolation::Constant => (Placement::Face, vec![color(0, own_opacity(0)); faces]),
            Interpolation::Uniform => {
                (Placement::Face, (0..faces).map(|f| color(f, own_opacity(f))).collect())
            }
            Interpolation::Vertex => {
                let points = 0..arrays.positions.len();
                (Placement::Vertex, points.map(|v| color(v, own_opacity(v))).collect())
            }
            Interpolation::FaceVarying => {
                let corners = 0..arrays.corner_vertices.len();
                (Placement::Corner, corners.map(|c| color(c, own_opacity(c))).collect())
            }
        };
        let [name, word] = &self.says;
        let usual = if self.name == "displayColor" { "Color" } else { &self.name };
        let numbers = Numbers::of_word(word.as_deref().unwrap_or_default(), Light::Linear);
        let name = name.as_deref().unwrap_or(usual).to_owned();
        Some(RawSet { name, placement, numbers, values })
    }

    fn at_corners(
        &self,
        of_opacity: Option<Interpolation>,
        arrays: &MeshArrays,
        color: impl Fn(usize, usize) -> Rgba,
    ) -> Vec<Rgba> {
        let mut values = Vec::with_capacity(arrays.corner_vertices.len());
        for (face, bounds) in arrays.face_starts.windows(2).enumerate() {
            for corner in bounds[0] as usize..bounds[1] as usize {
                let vertex = arrays.corner_vertices[corner] as usize;
                let at = |interpolation: Interpolation| match interpolation {
                    Interpolation::Constant => 0,
                    Interpolation::Uniform => face,
                    // One that is not there is for the gate to find.
                    Interpolation::Vertex => vertex.min(arrays.positions.len() - 1),
                    Interpolation::FaceVarying => corner,
                };
                values.push(color(at(self.interpolation), of_opacity.map_or(0, at)));
            }
        }
        values
    }
}

/// A text or a token.
pub fn text(value: Option<&Value>) -> Option<&str> {
    match value? {
        Value::String(text) => Some(text),
        Value::Token(token) => Some(token.as_str()),
        _ => None,
    }
}

fn indexed(rows: &Rows, indices: &[i32]) -> Option<Rows> {
    let Rows { width, numbers } = rows;
    let mut out = Vec::with_capacity(indices.len() * width);
    for &index in indices {
        let start = usize::try_from(index).ok()?.checked_mul(*width)?;
        out.extend_from_slice(numbers.get(start..)?.get(..*width)?);
    }
    Some(Rows { width: *width, numbers: Arc::new(out) })
}
