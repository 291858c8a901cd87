//! Writing STL: the shape alone.

use std::io::Write as _;

use glam::Vec3;
use speckle_model::Part;

use super::HEADER;
use crate::{Body, Origin, Shipment, WriteOptions, Written};

/// Writes the parts: a solid for each in a text file, all in one in a binary file.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Written {
    Written::alone(match options.body {
        Body::Ascii => text(shipment),
        _ => binary(shipment),
    })
}

/// Where it comes from, if anybody knows.
fn origin<'a>(shipment: &Shipment<'a>) -> Option<&'a Origin> {
    shipment.note.map(|note| &note.origin).filter(|own| !own.project.is_empty())
}

/// What the head of a binary file says: where it comes from, with as much of the project's name as
/// finds room.
fn head(shipment: &Shipment) -> Vec<u8> {
    let usual = b"Jaunty Speckle".to_vec();
    let Some(origin) = origin(shipment) else { return usual };
    let cut = |letters: usize| {
        let project = origin.project.chars().take(letters).collect();
        Origin { project, ..origin.clone() }.line().into_bytes()
    };
    let fits = (0..HEADER).rev().map(cut).find(|line| line.len() < HEADER);
    fits.unwrap_or(usual)
}

/// The normal and the three points of each triangle of a part.
fn triangles(part: &Part) -> impl Iterator<Item = [Vec3; 4]> + '_ {
    let mesh = part.geometry.mesh();
    part.geometry.triangulation().corners().iter().map(|corners| {
        let [a, b, c] = corners.map(|corner| mesh.corner_position(corner as usize));
        [(b - a).cross(c - a).normalize_or_zero(), a, b, c]
    })
}

fn binary(shipment: &Shipment) -> Vec<u8> {
    let parts = shipment.parts;
    let count: usize = parts.iter().map(|part| part.geometry.mesh().triangle_count()).sum();
    let mut out = head(shipment);
    out.resize(HEADER, b' ');
    out.extend((count as u32).to_le_bytes());
    for row in parts.iter().flat_map(triangles) {
        out.extend(row.iter().flat_map(|p| p.to_array()).flat_map(f32::to_le_bytes));
        out.extend([0, 0]);
    }
    out
}

fn text(shipment: &Shipment) -> Vec<u8> {
    let parts = shipment.parts;
    let mut out = Vec::new();
    let mut line =
        |args: std::fmt::Arguments| out.write_fmt(args).expect("writing to memory cannot fail");
    for (number, part) in parts.iter().enumerate() {
        let name = part.traits.name.split_whitespace().collect::<Vec<_>>().join(" ");
        line(format_args!("solid {name}\n"));
        for [n, a, b, c] in triangles(part) {
            line(format_args!("facet normal {} {} {}\nouter loop\n", n.x, n.y, n.z));
            for p in [a, b, c] {
                line(format_args!("vertex {} {} {}\n", p.x, p.y, p.z));
            }
            line(format_args!("endloop\nendfacet\n"));
        }
        // Readers take a solid's name from where it begins: where the last one ends there is room
        // to say where all of them come from.
        let origin = origin(shipment).filter(|_| number + 1 == parts.len());
        let from = origin.map_or_else(String::new, |origin| format!(" {}", origin.line()));
        line(format_args!("endsolid {name}{from}\n"));
    }
    out
}
