//! Parts to nodes.

use std::fmt::Write as _;

use speckle_color::Rgba;
use speckle_mesh::{Placement, Unit, UpAxis};
use speckle_model::{ColorSet, Part};

use super::node::{Node, NodeField};
use crate::{Format, Light, Shipment, WriteOptions, carried, indexed::Indexed, numbers::Numbers};

/// The nodes of a scene.
pub fn nodes(shipment: &Shipment, options: WriteOptions) -> Vec<Node> {
    let parts = shipment.parts.iter().map(|part| of_part(part, options));
    let Some(traits) = shipment.traits.filter(|t| (t.unit, t.up) != (Unit::Metre, UpAxis::Y))
    else {
        return parts.collect();
    };
    // The standard's numbers are metres with Y up: a node above the others says what ours are.
    let scale = traits.unit.metres();
    let mut above =
        Node::new("Transform").with("scale", NodeField::One(format!("{scale} {scale} {scale}")));
    if traits.up == UpAxis::Z {
        let quarter = -std::f32::consts::FRAC_PI_2;
        above = above.with("rotation", NodeField::One(format!("1 0 0 {quarter}")));
    }
    vec![parts.fold(above, |above, part| above.holding("children", part))]
}

fn of_part(part: &Part, options: WriteOptions) -> Node {
    let mesh = part.geometry.mesh();
    let set = carried(&Format::X3d.abilities(), part).first().copied();
    let mut faces = Node::new("IndexedFaceSet").with("solid", NodeField::Bool(false));
    if !mesh.all_triangles() {
        faces = faces.with("convex", NodeField::Bool(false));
    }
    if set.is_some_and(|set| set.placement == Placement::Face) {
        faces = faces.with("colorPerVertex", NodeField::Bool(false));
    }
    faces = faces.with("coordIndex", NodeField::Many(by_face(part, mesh.corner_vertices())));
    let mut nodes: Vec<(&'static str, Node)> = Vec::new();
    let mut points = String::new();
    for p in mesh.positions() {
        let _ = write!(points, "{} {} {} ", p.x, p.y, p.z);
    }
    points.pop();
    nodes.push(("coord", Node::new("Coordinate").with("point", NodeField::Many(points))));
    if let Some(set) = set {
        let listed: Vec<Rgba> = if set.placement == Placement::Corner {
            let indexed = Indexed::new(part, set, |value| value.map(f32::to_bits));
            faces = faces.with("colorIndex", NodeField::Many(by_face(part, &indexed.of_corners)));
            indexed.values.iter().map(|value| value.map(f32::from_bits)).collect()
        } else {
            set.values.to_vec()
        };
        let with_alpha = options.alpha && listed.iter().any(|value| value[3] != 1.0);
        let mut colors = String::new();
        for [r, g, b, a] in &listed {
            let _ = write!(colors, "{r} {g} {b} ");
            if with_alpha {
                let _ = write!(colors, "{a} ");
            }
        }
        colors.pop();
        let name = if with_alpha { "ColorRGBA" } else { "Color" };
        nodes.push(("color", Node::new(name).with("color", NodeField::Many(colors))));
    }
    if let Some(uvs) = mesh.uv_sets().first() {
        let own: Vec<u32> = (0..mesh.corner_count() as u32).collect();
        faces = faces.with("texCoordIndex", NodeField::Many(by_face(part, &own)));
        let mut points = String::new();
        for uv in &uvs.uvs {
            let _ = write!(points, "{} {} ", uv.x, uv.y);
        }
        points.pop();
        nodes.push((
            "texCoord",
            Node::new("TextureCoordinate").with("point", NodeField::Many(points)),
        ));
    }
    if let Some(normals) = Indexed::of_normals(part) {
        faces = faces.with("normalIndex", NodeField::Many(by_face(part, &normals.of_corners)));
        let mut vectors = String::new();
        for [x, y, z] in normals.values.iter().map(|normal| normal.map(f32::from_bits)) {
            let _ = write!(vectors, "{x} {y} {z} ");
        }
        vectors.pop();
        nodes.push(("normal", Node::new("Normal").with("vector", NodeField::Many(vectors))));
    }
    for (field, node) in nodes {
        faces = faces.holding(field, node);
    }
    let shape = Node::new("Shape")
        .holding("appearance", Node::new("Appearance").holding("material", Node::new("Material")))
        .holding("geometry", faces);
    let says: Vec<String> =
        set.map(|set| said(set, options.light(Light::Encoded))).into_iter().collect();
    let info = Node::new("WorldInfo")
        .with("title", NodeField::Text(part.traits.name.clone()))
        .with("info", NodeField::Texts(says));
    let transform = part.traits.transform;
    let (axis, angle) = transform.rotation().to_axis_angle();
    let [t, s] = [transform.translation, transform.scale];
    Node::new("Transform")
        .with("translation", NodeField::One(format!("{} {} {}", t.x, t.y, t.z)))
        .with("rotation", NodeField::One(format!("{} {} {} {angle}", axis.x, axis.y, axis.z)))
        .with("scale", NodeField::One(format!("{} {} {}", s.x, s.y, s.z)))
        .holding("children", info)
        .holding("children", shape)
}

/// What a `WorldInfo` of ours says of the set.
fn said(set: &ColorSet, light: Light) -> String {
    let word = Numbers::of(set, light).word(Light::Encoded);
    format!("color_set {word} {}", set.name.split_whitespace().collect::<Vec<_>>().join(" "))
}

/// Numbers by corner, with −1 behind each face.
fn by_face(part: &Part, numbers: &[u32]) -> String {
    let mesh = part.geometry.mesh();
    let mut out = String::with_capacity(8 * numbers.len());
    for face in 0..mesh.face_count() {
        for corner in mesh.face_corners(face) {
            let _ = write!(out, "{} ", numbers[corner]);
        }
        out.push_str("-1 ");
    }
    out.pop();
    out
}
