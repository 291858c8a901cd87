//! Writing USD.

use std::{
    collections::HashSet,
    fmt::Write as _,
    io::{Cursor, Write as _},
};

use speckle_color::{Encoding, Rgba};
use speckle_mesh::{Placement, UpAxis, geometry::shading};
use speckle_model::{ColorSet, Part};
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

use crate::{
    Format, FormatError, Light, Place, Shipment, WriteOptions, Written, carried, numbers::Numbers,
};

/// Files in a package begin at multiples of so many bytes.
const ALIGNMENT: u16 = 64;

/// Writes the parts as text.
pub fn write_usda(shipment: &Shipment, options: WriteOptions) -> Written {
    Written::alone(text(shipment, options).into_bytes())
}

/// Writes the parts as a package: a zip without compression, its files aligned.
///
/// # Errors
/// When the package grows beyond what packages hold.
pub fn write_usdz(shipment: &Shipment, options: WriteOptions) -> Result<Written, FormatError> {
    let text = text(shipment, options);
    let full = |error: &dyn std::fmt::Display| {
        FormatError::new(
            Place::File,
            format!("the package cannot be written: {error}"),
            "send fewer parts at once, or as .usda",
        )
    };
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let how = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Stored)
        .with_alignment(ALIGNMENT);
    zip.start_file("model.usda", how).map_err(|error| full(&error))?;
    zip.write_all(text.as_bytes()).map_err(|error| full(&error))?;
    let package = zip.finish().map_err(|error| full(&error))?;
    Ok(Written::alone(package.into_inner()))
}

fn text(shipment: &Shipment, options: WriteOptions) -> String {
    let mut names = Names::default();
    let root = names.free(shipment.name, "Model");
    let mut out = String::from("#usda 1.0\n(\n");
    if let Some(note) = shipment.note {
        let _ = writeln!(
            out,
            "    customLayerData = {{\n        string jauntySpeckleNote = {}\n    }}",
            quoted(&note.json())
        );
    }
    let _ = writeln!(out, "    defaultPrim = \"{root}\"");
    let origin = shipment.note.map(|note| &note.origin).filter(|origin| !origin.project.is_empty());
    let from = origin.map_or_else(String::new, |origin| format!(", {}", origin.line()));
    let _ = writeln!(out, "    doc = {}", quoted(&format!("Jaunty Speckle{from}")));
    if let Some(traits) = shipment.traits {
        let _ = writeln!(out, "    metersPerUnit = {}", traits.unit.metres());
        let up = if traits.up == UpAxis::Z { "Z" } else { "Y" };
        let _ = writeln!(out, "    upAxis = \"{up}\"");
    }
    let _ = write!(out, ")\n\ndef Xform \"{root}\" (\n    kind = \"component\"\n)\n{{\n");
    let mut names = Names::default();
    for part in shipment.parts {
        mesh(part, &names.free(&part.traits.name, "Part"), options, &mut out);
    }
    out.push_str("}\n");
    out
}

fn mesh(part: &Part, name: &str, options: WriteOptions, out: &mut String) {
    let mesh = part.geometry.mesh();
    let measures = part.geometry.measures();
    let _ = write!(
        out,
        "    def Mesh \"{name}\" (\n        displayName = {}\n    )\n    {{\n",
        quoted(&part.traits.name)
    );
    let (min, max) = (measures.min, measures.max);
    let _ = writeln!(
        out,
        "        float3[] extent = [({}, {}, {}), ({}, {}, {})]",
        min.x, min.y, min.z, max.x, max.y, max.z
    );
    let counts = (0..mesh.face_count()).map(|face| mesh.face_corners(face).len());
    list(out, "int[] faceVertexCounts", counts, |out, count| {
        let _ = write!(out, "{count}");
    });
    list(out, "int[] faceVertexIndices", mesh.corner_vertices().iter(), |out, vertex| {
        let _ = write!(out, "{vertex}");
    });
    list(out, "point3f[] points", mesh.positions().iter(), |out, p| {
        let _ = write!(out, "({}, {}, {})", p.x, p.y, p.z);
    });
    let sets = carried(&Format::Usda.abilities(), part);
    let (of_sets, mut names) = named(&sets);
    for (set, name) in sets.into_iter().zip(of_sets) {
        primvars(set, &name, options, out);
    }
    for (n, uvs) in mesh.uv_sets().iter().enumerate() {
        let name = names.free(if n == 0 { "st" } else { &uvs.name }, "st");
        list(out, &format!("texCoord2f[] primvars:{name}"), uvs.uvs.iter(), |out, uv| {
            let _ = write!(out, "({}, {})", uv.x, uv.y);
        });
        interpolated(out, "faceVarying", None);
    }
    if let Some(normals) = shading::own_at(&part.geometry, Placement::Corner) {
        list(out, "normal3f[] normals", normals.iter(), |out, n| {
            let _ = write!(out, "({}, {}, {})", n.x, n.y, n.z);
        });
        interpolated(out, "faceVarying", None);
    }
    out.push_str("        uniform token subdivisionScheme = \"none\"\n");
    let rows = glam::Mat4::from(part.traits.transform.to_project());
    if rows != glam::Mat4::IDENTITY {
        // Rows of USD's matrices are columns of ours.
        let row = |c: glam::Vec4| format!("({}, {}, {}, {})", c.x, c.y, c.z, c.w);
        let _ = writeln!(
            out,
            "        matrix4d xformOp:transform = ( {}, {}, {}, {} )\n        \
             uniform token[] xformOpOrder = [\"xformOp:transform\"]",
            row(rows.x_axis),
            row(rows.y_axis),
            row(rows.z_axis),
            row(rows.w_axis)
        );
    }
    out.push_str("    }\n");
}

/// The primvar that is shown.
const SHOWN: &str = "displayColor";

/// The primvar that each set of a part is stored as: the first color is the one that is shown.
pub fn primvar_names(sets: &[&ColorSet]) -> Vec<String> {
    named(sets).0
}

fn named(sets: &[&ColorSet]) -> (Vec<String>, Names) {
    let mut names = Names::default();
    for taken in [SHOWN, "displayOpacity"] {
        names.taken.insert(taken.to_owned());
    }
    let first = sets.iter().position(|set| set.encoding == Encoding::Color);
    let of_sets = sets.iter().enumerate().map(|(i, set)| match Some(i) == first {
        true => SHOWN.to_owned(),
        false => names.free(&set.name, "set"),
    });
    let of_sets = of_sets.collect();
    (of_sets, names)
}

/// A set: as the color that is shown, or as a primvar of its own.
fn primvars(set: &ColorSet, name: &str, options: WriteOptions, out: &mut String) {
    let numbers = Numbers::of(set, options.light(Light::Linear));
    let interpolation = match set.placement {
        Placement::Vertex => "vertex",
        Placement::Corner => "faceVarying",
        Placement::Face => "uniform",
    };
    let three = |out: &mut String, value: &Rgba| {
        let [r, g, b, _] = numbers.stored(*value);
        let _ = write!(out, "({r}, {g}, {b})");
    };
    let four = |out: &mut String, value: &Rgba| {
        let [r, g, b, a] = numbers.stored(*value);
        let _ = write!(out, "({r}, {g}, {b}, {a})");
    };
    if name == SHOWN {
        list(out, "color3f[] primvars:displayColor", set.values.iter(), three);
        interpolated(out, interpolation, Some((set, numbers)));
        if options.alpha && set.values.iter().any(|value| value[3] != 1.0) {
            list(out, "float[] primvars:displayOpacity", set.values.iter(), |out, value| {
                let _ = write!(out, "{}", value[3]);
            });
            interpolated(out, interpolation, None);
        }
        return;
    }
    match (set.encoding, options.alpha) {
        (Encoding::Color, true) => {
            list(out, &format!("color4f[] primvars:{name}"), set.values.iter(), four)
        }
        (Encoding::Color, false) => {
            list(out, &format!("color3f[] primvars:{name}"), set.values.iter(), three)
        }
        (Encoding::Data | Encoding::Swatch, true) => {
            list(out, &format!("float4[] primvars:{name}"), set.values.iter(), four)
        }
        (Encoding::Data | Encoding::Swatch, false) => {
            list(out, &format!("float3[] primvars:{name}"), set.values.iter(), three)
        }
    }
    interpolated(out, interpolation, Some((set, numbers)));
}

/// A list of values, with the line still open.
fn list<T>(
    out: &mut String,
    what: &str,
    values: impl Iterator<Item = T>,
    mut write: impl FnMut(&mut String, T),
) {
    let _ = write!(out, "        {what} = [");
    for (i, value) in values.enumerate() {
        if i > 0 {
            out.push_str(", ");
        }
        write(out, value);
    }
    out.push_str("]\n");
}

/// What is said of the primvar just written.
fn interpolated(out: &mut String, interpolation: &str, set: Option<(&ColorSet, Numbers)>) {
    out.pop();
    out.push_str(" (\n");
    if let Some((set, numbers)) = set {
        let word = numbers.word(Light::Linear);
        let _ = write!(
            out,
            "            customData = {{\n                string encoding = \"{word}\"\n                \
             string name = {}\n            }}\n",
            quoted(&set.name)
        );
    }
    let _ = write!(out, "            interpolation = \"{interpolation}\"\n        )\n");
}

/// Names as USD allows them, each once.
#[derive(Default)]
struct Names {
    taken: HashSet<String>,
}

impl Names {
    fn free(&mut self, wanted: &str, usual: &str) -> String {
        let plain = |c: char| if c.is_ascii_alphanumeric() { c } else { '_' };
        let mut name: String = wanted.trim().chars().map(plain).collect();
        if name.chars().all(|c| c == '_') {
            name = usual.to_owned();
        }
        if name.starts_with(|c: char| c.is_ascii_digit()) {
            name.insert(0, '_');
        }
        let numbered = (2..).map(|n| format!("{name}_{n}"));
        let mut names = std::iter::once(name.clone()).chain(numbered);
        let name = names.find(|name| !self.taken.contains(name)).unwrap_or(name);
        self.taken.insert(name.clone());
        name
    }
}

/// A text between quotes, on one line.
fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            c if c.is_control() => out.push(' '),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}
