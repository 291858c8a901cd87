//! Writing OFF.

use std::io::Write as _;

use speckle_color::{Rgba, bytes_from_rgba};
use speckle_mesh::Placement;
use speckle_model::ColorSet;

use crate::{
    Depth, Format, Light, Shipment, WriteOptions, Written, carried, note::ChannelNote,
    numbers::Numbers,
};

/// Writes the parts, joined into the one mesh of a file.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Written {
    let abilities = Format::Off.abilities();
    let shares: Vec<_> = shipment
        .parts
        .iter()
        .map(|part| {
            let sets = carried(&abilities, part);
            let find = |at_faces: bool| {
                let mut sets = sets.iter().copied();
                sets.find(|set| (set.placement == Placement::Face) == at_faces)
            };
            let (at_vertices, at_faces) = (find(false), find(true));
            (
                part,
                shipment.split(part, at_vertices.as_slice(), abilities.split_by()),
                at_vertices,
                at_faces,
            )
        })
        .collect();
    let has_vertex_colors = shares.iter().any(|(_, _, at_vertices, _)| at_vertices.is_some());
    let has_face_colors = shares.iter().any(|(.., at_faces)| at_faces.is_some());
    let vertices: usize = shares.iter().map(|(_, split, ..)| split.vertices.len()).sum();
    let faces: usize = shares.iter().map(|(part, ..)| part.geometry.mesh().face_count()).sum();

    let mut out = Vec::new();
    let mut text = |args: std::fmt::Arguments| {
        out.write_fmt(args).expect("writing to memory cannot fail");
    };
    text(format_args!("{}\n", if has_vertex_colors { "COFF" } else { "OFF" }));
    let named = |set: &ColorSet| {
        let word = Numbers::of(set, options.light(Light::Encoded)).word(Light::Encoded);
        format!("{word} {}", set.name.split_whitespace().collect::<Vec<_>>().join(" "))
    };
    if let Some(set) = shares.iter().find_map(|(_, _, at_vertices, _)| *at_vertices) {
        text(format_args!("# color_set vertex {}\n", named(set)));
    }
    if let Some(set) = shares.iter().find_map(|(.., at_faces)| *at_faces) {
        text(format_args!("# color_set face {}\n", named(set)));
    }
    for line in shipment.note.map(ChannelNote::lines).unwrap_or_default() {
        text(format_args!("# {line}\n"));
    }
    text(format_args!("{vertices} {faces} 0\n"));
    let color = |value: Rgba| -> String {
        let channels = if options.alpha { 4 } else { 3 };
        let numbers: Vec<String> = if options.depth == Depth::Bits8 {
            bytes_from_rgba(value)[..channels].iter().map(u8::to_string).collect()
        } else {
            // With a point, which tells them from whole numbers.
            value[..channels].iter().map(|x| format!("{x:?}")).collect()
        };
        numbers.join(" ")
    };
    for (part, split, at_vertices, _) in &shares {
        let mut colors = at_vertices.map(|set| split.values(part, set));
        for &vertex in &split.vertices {
            let [x, y, z] = part.geometry.mesh().positions()[vertex as usize].to_array();
            text(format_args!("{x} {y} {z}"));
            if has_vertex_colors {
                let value = colors.as_mut().and_then(Iterator::next).unwrap_or([1.0; 4]);
                text(format_args!(" {}", color(value)));
            }
            text(format_args!("\n"));
        }
    }
    let mut first = 0;
    for (part, split, _, at_faces) in &shares {
        let mesh = part.geometry.mesh();
        for face in 0..mesh.face_count() {
            let corners = mesh.face_corners(face);
            text(format_args!("{}", corners.len()));
            for corner in corners {
                text(format_args!(" {}", first + split.of_corner[corner] as usize));
            }
            if has_face_colors {
                text(format_args!(" {}", color(at_faces.map_or([1.0; 4], |set| set.values[face]))));
            }
            text(format_args!("\n"));
        }
        first += split.vertices.len();
    }
    Written::alone(out)
}
