//! Writing COLLADA.

use std::fmt::Write as _;

use speckle_color::Rgba;
use speckle_mesh::{Placement, Unit, UpAxis};
use speckle_model::{ColorSet, Part};

use super::PROFILE;
use crate::{
    Format, Light, Shipment, WriteOptions, Written, carried, indexed::Indexed, numbers::Numbers,
    xml::escaped,
};

/// Writes the parts.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Written {
    let mut out = String::from(
        "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<COLLADA \
         xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" version=\"1.4.1\">\n",
    );
    asset(shipment, &mut out);
    out.push_str("<library_geometries>\n");
    for (number, part) in shipment.parts.iter().enumerate() {
        geometry(part, number, options, &mut out);
    }
    out.push_str("</library_geometries>\n<library_visual_scenes>\n<visual_scene id=\"scene\">\n");
    for (number, part) in shipment.parts.iter().enumerate() {
        let name = escaped(&part.traits.name);
        let rows = glam::Mat4::from(part.traits.transform.to_project()).transpose().to_cols_array();
        let matrix = rows.map(|x| x.to_string()).join(" ");
        let _ = writeln!(
            out,
            "<node id=\"node{number}\" name=\"{name}\"><matrix>{matrix}</matrix>\
             <instance_geometry url=\"#part{number}\"/></node>"
        );
    }
    out.push_str("</visual_scene>\n</library_visual_scenes>\n");
    out.push_str("<scene><instance_visual_scene url=\"#scene\"/></scene>\n</COLLADA>\n");
    Written::alone(out.into_bytes())
}

fn asset(shipment: &Shipment, out: &mut String) {
    // The schema wants a time; a shipment without a note has none to tell.
    let day = shipment.note.map_or("", |note| &note.origin.date);
    let day = if day.is_empty() { "1970-01-01" } else { day };
    let mut comments = String::new();
    for line in shipment.note.map(|note| note.lines()).unwrap_or_default() {
        let _ = writeln!(comments, "{}", escaped(&line));
    }
    let _ = write!(
        out,
        "<asset><contributor><authoring_tool>Jaunty Speckle</authoring_tool>\
         <comments>{comments}</comments></contributor>\
         <created>{day}T00:00:00Z</created><modified>{day}T00:00:00Z</modified>"
    );
    if let Some(traits) = shipment.traits {
        let name = match traits.unit {
            Unit::Millimetre => "millimeter",
            Unit::Centimetre => "centimeter",
            Unit::Metre => "meter",
            Unit::Inch => "inch",
            Unit::Foot => "foot",
        };
        let up = if traits.up == UpAxis::Z { "Z_UP" } else { "Y_UP" };
        let metres = traits.unit.metres();
        let _ = write!(out, "<unit name=\"{name}\" meter=\"{metres}\"/><up_axis>{up}</up_axis>");
    }
    out.push_str("</asset>\n");
}

/// A source of rows of numbers.
fn source(
    id: &str,
    name: &str,
    params: &[&str],
    rows: usize,
    numbers: &str,
    more: &str,
    out: &mut String,
) {
    let (width, name) = (params.len(), escaped(name));
    let count = rows * width;
    let _ = write!(
        out,
        "<source id=\"{id}\" name=\"{name}\"><float_array id=\"{id}-array\" count=\"{count}\">{numbers}\
         </float_array><technique_common><accessor source=\"#{id}-array\" count=\"{rows}\" stride=\"{width}\">"
    );
    for param in params {
        let _ = write!(out, "<param name=\"{param}\" type=\"float\"/>");
    }
    let _ = writeln!(out, "</accessor></technique_common>{more}</source>");
}

fn geometry(part: &Part, number: usize, options: WriteOptions, out: &mut String) {
    let mesh = part.geometry.mesh();
    let id = format!("part{number}");
    let _ = writeln!(out, "<geometry id=\"{id}\" name=\"{}\"><mesh>", escaped(&part.traits.name));
    let mut numbers = String::new();
    for p in mesh.positions() {
        let _ = write!(numbers, "{} {} {} ", p.x, p.y, p.z);
    }
    source(
        &format!("{id}-positions"),
        "positions",
        &["X", "Y", "Z"],
        mesh.vertex_count(),
        numbers.trim_end(),
        "",
        out,
    );

    // Inputs that share the vertex's index, and those with one of their own.
    let mut inputs = format!("<input semantic=\"VERTEX\" source=\"#{id}-vertices\" offset=\"0\"/>");
    let mut columns: Vec<Vec<u32>> = vec![mesh.corner_vertices().to_vec()];
    let params: &[&str] = if options.alpha { &["R", "G", "B", "A"] } else { &["R", "G", "B"] };
    for (n, set) in carried(&Format::Dae.abilities(), part).into_iter().enumerate() {
        let (values, offset) = listed(part, set, &mut columns);
        let mut numbers = String::new();
        for value in &values {
            for x in &value[..params.len()] {
                let _ = write!(numbers, "{x} ");
            }
        }
        let word = Numbers::of(set, options.light(Light::Encoded)).word(Light::Encoded);
        let more =
            format!("<technique profile=\"{PROFILE}\"><encoding>{word}</encoding></technique>");
        let own = format!("{id}-colors{n}");
        source(&own, &set.name, params, values.len(), numbers.trim_end(), &more, out);
        let _ = write!(
            inputs,
            "<input semantic=\"COLOR\" source=\"#{own}\" offset=\"{offset}\" set=\"{n}\"/>"
        );
    }
    for (n, uvs) in mesh.uv_sets().iter().enumerate() {
        let mut numbers = String::new();
        for uv in &uvs.uvs {
            let _ = write!(numbers, "{} {} ", uv.x, uv.y);
        }
        let own = format!("{id}-uvs{n}");
        source(&own, &uvs.name, &["S", "T"], uvs.uvs.len(), numbers.trim_end(), "", out);
        columns.push((0..mesh.corner_count() as u32).collect());
        let offset = columns.len() - 1;
        let _ = write!(
            inputs,
            "<input semantic=\"TEXCOORD\" source=\"#{own}\" offset=\"{offset}\" set=\"{n}\"/>"
        );
    }
    if let Some(normals) = Indexed::of_normals(part) {
        let mut numbers = String::new();
        for [x, y, z] in normals.values.iter().map(|normal| normal.map(f32::from_bits)) {
            let _ = write!(numbers, "{x} {y} {z} ");
        }
        let own = format!("{id}-normals");
        let (axes, count) = (["X", "Y", "Z"], normals.values.len());
        source(&own, "normals", &axes, count, numbers.trim_end(), "", out);
        columns.push(normals.of_corners);
        let offset = columns.len() - 1;
        let _ =
            write!(inputs, "<input semantic=\"NORMAL\" source=\"#{own}\" offset=\"{offset}\"/>");
    }
    let _ = writeln!(
        out,
        "<vertices id=\"{id}-vertices\"><input semantic=\"POSITION\" source=\"#{id}-positions\"/></vertices>"
    );
    let _ = write!(out, "<polylist count=\"{}\">{inputs}<vcount>", mesh.face_count());
    for face in 0..mesh.face_count() {
        let _ = write!(out, "{} ", mesh.face_corners(face).len());
    }
    out.push_str("</vcount><p>");
    for corner in 0..mesh.corner_count() {
        for column in &columns {
            let _ = write!(out, "{} ", column[corner]);
        }
    }
    out.push_str("</p></polylist>\n</mesh></geometry>\n");
}

/// The colors of a set, and the offset of their index.
fn listed(part: &Part, set: &ColorSet, columns: &mut Vec<Vec<u32>>) -> (Vec<Rgba>, usize) {
    if set.placement == Placement::Vertex {
        return (set.values.to_vec(), 0);
    }
    let indexed = Indexed::new(part, set, |value| value.map(f32::to_bits));
    columns.push(indexed.of_corners);
    (indexed.values.iter().map(|value| value.map(f32::from_bits)).collect(), columns.len() - 1)
}
