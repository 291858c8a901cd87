//! Writing 3MF.

use std::{
    fmt::Write as _,
    io::{Cursor, Write as _},
};

use glam::{Mat4, Quat};
use speckle_color::bytes_from_rgba;
use speckle_mesh::{Unit, UpAxis};
use speckle_model::{ColorSet, Part, ProjectTraits};
use speckle_tools::picture;
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

use super::{CORE, MATERIALS, MODEL, OWN, USUAL_PLACE};
use crate::{
    Format, FormatError, Light, Place, Shipment, WriteOptions, Written, carried, indexed::Indexed,
    numbers::Numbers, xml::escaped,
};

/// Writes the parts, an object and a build item for each.
///
/// # Errors
/// When the package grows beyond what packages hold.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Result<Written, FormatError> {
    let model = model(shipment, options);
    let picture = thumbnail(shipment);
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let content_types = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
        <Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\">\
        <Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>\
        <Default Extension=\"model\" ContentType=\"application/vnd.ms-package.3dmanufacturing-3dmodel+xml\"/>\
        <Default Extension=\"png\" ContentType=\"image/png\"/></Types>";
    let thumbnail = if picture.is_empty() {
        String::new()
    } else {
        "<Relationship Target=\"/Metadata/thumbnail.png\" Id=\"rel1\" Type=\"http://schemas.openxmlformats.org/package/2006/relationships/metadata/thumbnail\"/>".to_owned()
    };
    let relationships = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">\
         <Relationship Target=\"/{USUAL_PLACE}\" Id=\"rel0\" Type=\"{MODEL}\"/>{thumbnail}</Relationships>"
    );
    let mut files: Vec<(&str, &[u8])> = vec![
        ("[Content_Types].xml", content_types.as_bytes()),
        ("_rels/.rels", relationships.as_bytes()),
        (USUAL_PLACE, model.as_bytes()),
    ];
    if !picture.is_empty() {
        files.push(("Metadata/thumbnail.png", &picture));
    }
    let full = |error: &dyn std::fmt::Display| {
        FormatError::new(
            Place::File,
            format!("the package cannot be written: {error}"),
            "send fewer parts at once",
        )
    };
    for (name, bytes) in files {
        // Models are text of few words: a low level loses little and is three times as fast.
        let options = SimpleFileOptions::default()
            .compression_method(CompressionMethod::Deflated)
            .compression_level(Some(2))
            .large_file(bytes.len() > u32::MAX as usize);
        zip.start_file(name, options).map_err(|error| full(&error))?;
        zip.write_all(bytes).map_err(|error| full(&error))?;
    }
    let package = zip.finish().map_err(|error| full(&error))?;
    Ok(Written::alone(package.into_inner()))
}

/// How large the thumbnail is, pixels.
const THUMBNAIL: usize = 256;

fn thumbnail(shipment: &Shipment) -> Vec<u8> {
    let up = shipment.traits.map_or(UpAxis::Z, |traits| traits.up);
    picture::draw(shipment.parts, up, [THUMBNAIL; 2]).png().unwrap_or_default()
}

fn unit_word(unit: Unit) -> &'static str {
    match unit {
        Unit::Millimetre => "millimeter",
        Unit::Centimetre => "centimeter",
        Unit::Metre => "meter",
        Unit::Inch => "inch",
        Unit::Foot => "foot",
    }
}

fn model(shipment: &Shipment, options: WriteOptions) -> String {
    let traits = shipment.traits.unwrap_or(ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Z });
    let corners: usize =
        shipment.parts.iter().map(|part| part.geometry.mesh().corner_count()).sum();
    let mut out = String::with_capacity(64 * corners + 4096);
    let _ = write!(
        out,
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<model unit=\"{}\" xml:lang=\"en-US\" \
         xmlns=\"{CORE}\" xmlns:m=\"{MATERIALS}\" xmlns:s=\"{OWN}\">\n\
         <metadata name=\"Title\">{}</metadata>\n\
         <metadata name=\"Application\">Jaunty Speckle</metadata>\n",
        unit_word(traits.unit),
        escaped(shipment.name),
    );
    if let Some(note) = shipment.note {
        let lines = note.lines().join("; ");
        let _ = writeln!(out, "<metadata name=\"Description\">{}</metadata>", escaped(&lines));
        let _ = writeln!(out, "<metadata name=\"s:note\">{}</metadata>", escaped(&note.json()));
    }
    out.push_str("<resources>\n");
    let mut items = String::new();
    let turned = match traits.up {
        UpAxis::Z => Mat4::IDENTITY,
        // Printers count upwards along z.
        UpAxis::Y => Mat4::from_quat(Quat::from_rotation_x(std::f32::consts::FRAC_PI_2)),
    };
    if let Some(spools) = shipment.spools {
        let _ = writeln!(out, "<basematerials id=\"{SPOOLS}\">");
        for swatch in spools.swatches {
            let color = swatch.hex().to_uppercase();
            let name = if swatch.name.is_empty() { &color } else { &swatch.name };
            let _ = writeln!(out, "<base name=\"{}\" displaycolor=\"{color}\"/>", escaped(name));
        }
        out.push_str("</basematerials>\n");
    }
    for (number, part) in shipment.parts.iter().enumerate() {
        let (colors, object) = (2 * number + 2, 2 * number + 3);
        let palette = match shipment.spools {
            Some(spools) => Palette::of_spools(part, &spools.of_faces[number]),
            None => Palette::of_set(part, colors, options, &mut out),
        };
        object_of(part, object, palette.as_ref(), &mut out);
        let placed = turned * Mat4::from(part.traits.transform.to_project());
        let _ = write!(items, "<item objectid=\"{object}\"");
        if placed != Mat4::IDENTITY {
            // Rows of the standard's matrix are columns of ours.
            let columns = [placed.x_axis, placed.y_axis, placed.z_axis, placed.w_axis];
            let numbers = columns.map(|c| format!("{} {} {}", round(c.x), round(c.y), round(c.z)));
            let _ = write!(items, " transform=\"{}\"", numbers.join(" "));
        }
        items.push_str("/>\n");
    }
    let _ = write!(out, "</resources>\n<build>\n{items}</build>\n</model>\n");
    out
}

/// Without the dust that a quarter turn leaves on zero.
fn round(x: f32) -> f32 {
    if x.abs() < 1e-7 { 0.0 } else { x }
}

/// The resource of all spools; those of parts follow it.
const SPOOLS: usize = 1;

/// What the corners of a part choose their color from.
struct Palette {
    /// The resource.
    id: usize,
    /// The entry of most faces, or any.
    usual: u32,
    of_corners: Vec<u32>,
}

impl Palette {
    /// The spools of a part's faces.
    fn of_spools(part: &Part, of_faces: &[u8]) -> Option<Self> {
        let mesh = part.geometry.mesh();
        let mut counts = [0_usize; 256];
        of_faces.iter().for_each(|&swatch| counts[usize::from(swatch)] += 1);
        let usual = (0..256).max_by_key(|&i| (counts[i], 256 - i)).unwrap_or(0) as u32;
        let of_face =
            |(face, &swatch): (usize, &u8)| mesh.face_corners(face).map(move |_| u32::from(swatch));
        let of_corners = of_faces.iter().enumerate().flat_map(of_face).collect();
        Some(Self { id: SPOOLS, usual, of_corners })
    }

    /// The colors of the set that goes along, written as a group of them.
    fn of_set(part: &Part, id: usize, options: WriteOptions, out: &mut String) -> Option<Self> {
        let set = *carried(&Format::ThreeMf.abilities(), part).first()?;
        let opaque = |[r, g, b, a]: [u8; 4]| [r, g, b, if options.alpha { a } else { 255 }];
        let indexed = Indexed::new(part, set, |value| opaque(bytes_from_rgba(value)));
        let _ = writeln!(out, "<m:colorgroup id=\"{id}\">");
        for [r, g, b, a] in &indexed.values {
            let _ = match a {
                255 => writeln!(out, "<m:color color=\"#{r:02X}{g:02X}{b:02X}\"/>"),
                _ => writeln!(out, "<m:color color=\"#{r:02X}{g:02X}{b:02X}{a:02X}\"/>"),
            };
        }
        out.push_str("</m:colorgroup>\n");
        Some(Self { id, usual: 0, of_corners: indexed.of_corners })
    }
}

fn object_of(part: &Part, object: usize, palette: Option<&Palette>, out: &mut String) {
    let mesh = part.geometry.mesh();
    let set: Option<&ColorSet> = carried(&Format::ThreeMf.abilities(), part).first().copied();
    let _ = write!(
        out,
        "<object id=\"{object}\" type=\"model\" name=\"{}\"",
        escaped(&part.traits.name)
    );
    if let Some(Palette { id, usual, .. }) = palette {
        let _ = write!(out, " pid=\"{id}\" pindex=\"{usual}\"");
    }
    out.push_str(">\n");
    if let Some(set) = set {
        let word = Numbers::of(set, Light::Encoded).word(Light::Encoded);
        let _ = writeln!(
            out,
            "<metadatagroup><metadata name=\"s:color_set\">{word} {}</metadata></metadatagroup>",
            escaped(&set.name)
        );
    }
    out.push_str("<mesh>\n<vertices>\n");
    for p in mesh.positions() {
        let _ = writeln!(out, "<vertex x=\"{}\" y=\"{}\" z=\"{}\"/>", p.x, p.y, p.z);
    }
    out.push_str("</vertices>\n<triangles>\n");
    for triangle in part.geometry.triangulation().corners() {
        let [a, b, c] = triangle.map(|corner| mesh.corner_vertices()[corner as usize]);
        let _ = write!(out, "<triangle v1=\"{a}\" v2=\"{b}\" v3=\"{c}\"");
        if let Some(Palette { id, of_corners, .. }) = palette {
            let [p, q, r] = triangle.map(|corner| of_corners[corner as usize]);
            let _ = if p == q && q == r {
                write!(out, " pid=\"{id}\" p1=\"{p}\"")
            } else {
                write!(out, " pid=\"{id}\" p1=\"{p}\" p2=\"{q}\" p3=\"{r}\"")
            };
        }
        out.push_str("/>\n");
    }
    out.push_str("</triangles>\n</mesh>\n</object>\n");
}
