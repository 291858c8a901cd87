//! Writing OBJ: an object for each part, colors behind the coordinates, and an MTL beside it with
//! the materials of the faces, or with a color for each face.

use std::{
    collections::{BTreeMap, HashSet},
    io::Write as _,
};

use speckle_color::bytes_from_rgba;
use speckle_mesh::Placement;
use speckle_model::{Material, Part};

use crate::{
    Format, Light, Shipment, WriteOptions, Written, carried, indexed::Indexed, note::ChannelNote,
    numbers::Numbers,
};

/// Writes the parts.
pub fn write(shipment: &Shipment, options: WriteOptions) -> Written {
    let mut stuff = MaterialTable::default();
    let mut body = Vec::new();
    let (mut first_vertex, mut first_uv, mut first_normal) = (1, 1, 1);
    let abilities = Format::Obj.abilities();
    for part in shipment.parts {
        let sets = carried(&abilities, part);
        let chosen = sets.iter().copied().find(|set| set.placement != Placement::Face);
        let mesh = part.geometry.mesh();
        let split = shipment.split(part, chosen.as_slice(), abilities.split_by());
        let of_faces = stuff.of_faces(part, options);
        let mut line = |args: std::fmt::Arguments| {
            body.write_fmt(args).expect("writing to memory cannot fail");
        };
        line(format_args!("o {}\n", one_line(&part.traits.name)));
        let mut colors = chosen.map(|set| split.values(part, set));
        for &vertex in &split.vertices {
            let [x, y, z] = mesh.positions()[vertex as usize].to_array();
            match colors.as_mut().and_then(Iterator::next) {
                None => line(format_args!("v {x} {y} {z}\n")),
                Some([r, g, b, a]) if options.alpha && a != 1.0 => {
                    line(format_args!("v {x} {y} {z} {r} {g} {b} {a}\n"));
                }
                Some([r, g, b, _]) => line(format_args!("v {x} {y} {z} {r} {g} {b}\n")),
            }
        }
        let uvs = mesh.uv_sets().first();
        for uv in uvs.iter().flat_map(|set| &set.uvs) {
            line(format_args!("vt {} {}\n", uv.x, uv.y));
        }
        let normals = Indexed::of_normals(part);
        for normal in normals.iter().flat_map(|normals| &normals.values) {
            let [x, y, z] = normal.map(f32::from_bits);
            line(format_args!("vn {x} {y} {z}\n"));
        }
        let mut current = None;
        for face in 0..mesh.face_count() {
            if let Some(of_faces) = &of_faces
                && current != Some(of_faces[face])
            {
                current = Some(of_faces[face]);
                line(format_args!("usemtl {}\n", stuff.names[of_faces[face] as usize]));
            }
            line(format_args!("f"));
            for corner in mesh.face_corners(face) {
                let vertex = first_vertex + split.of_corner[corner] as usize;
                let uv = uvs.map(|_| first_uv + corner);
                let own = normals.as_ref().map(|own| own.of_corners[corner] as usize);
                match (uv, own.map(|own| first_normal + own)) {
                    (Some(uv), Some(normal)) => line(format_args!(" {vertex}/{uv}/{normal}")),
                    (Some(uv), None) => line(format_args!(" {vertex}/{uv}")),
                    (None, Some(normal)) => line(format_args!(" {vertex}//{normal}")),
                    (None, None) => line(format_args!(" {vertex}")),
                }
            }
            line(format_args!("\n"));
        }
        first_vertex += split.vertices.len();
        first_uv += uvs.map_or(0, |set| set.uvs.len());
        first_normal += normals.map_or(0, |normals| normals.values.len());
    }
    let light = options.light(Light::Encoded);
    let mut head =
        format!("# Jaunty Speckle. Numbers behind a place are its color, {}.\n", light.words());
    for line in shipment.note.map(ChannelNote::lines).unwrap_or_default() {
        head.push_str(&format!("# {line}\n"));
    }
    for at_faces in [false, true] {
        // Kd is a color as it is shown, whatever stands behind a place.
        let (element, light) = if at_faces { ("face", Light::Encoded) } else { ("vertex", light) };
        if let Some((name, numbers)) = agreed(shipment.parts, light, at_faces) {
            let (word, name) = (numbers.word(Light::Encoded), one_line(name));
            head.push_str(format!("# color_set {element} {word} {name}").trim_end());
            head.push('\n');
        }
    }
    let mut beside = Vec::new();
    if !stuff.names.is_empty() {
        let library = format!("{}.mtl", shipment.name);
        head.push_str(&format!("mtllib {library}\n"));
        beside = stuff.files(library, shipment);
    }
    Written { bytes: [head.into_bytes(), body].concat(), beside }
}

/// What the set at the faces, or the other one, is on all parts that have one, and what it is called
/// if all call it the same: the file has one place to say it.
fn agreed(parts: &[Part], light: Light, at_faces: bool) -> Option<(&str, Numbers)> {
    let abilities = Format::Obj.abilities();
    let mut said = parts.iter().filter_map(|part| {
        let sets = carried(&abilities, part);
        let set = sets.into_iter().find(|set| (set.placement == Placement::Face) == at_faces)?;
        Some((set.name.as_str(), Numbers::of(set, light)))
    });
    let (mut name, numbers) = said.next()?;
    for (other, theirs) in said {
        if theirs != numbers {
            return None;
        }
        if other != name {
            name = "";
        }
    }
    Some((name, numbers))
}

/// A name's own line breaks would begin another line.
fn one_line(name: &str) -> String {
    name.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The materials of a file, each once and by a name no other has.
#[derive(Default)]
struct MaterialTable {
    names: Vec<String>,
    taken: HashSet<String>,
    materials: Vec<Material>,
    /// Numbers of plain colors.
    of_colors: BTreeMap<[u8; 4], u32>,
}

impl MaterialTable {
    /// The material of each face: by the part's set at the faces, or what the part came with.
    fn of_faces(&mut self, part: &Part, options: WriteOptions) -> Option<Vec<u32>> {
        let at_faces = part.products().find(|set| set.placement == Placement::Face);
        if let Some(set) = at_faces {
            let number = |value: &[f32; 4]| {
                let mut bytes = bytes_from_rgba(*value);
                if !options.alpha {
                    bytes[3] = 255;
                }
                if let Some(number) = self.of_colors.get(&bytes) {
                    return *number;
                }
                let [r, g, b, a] = bytes;
                let name = match a {
                    255 => format!("color_{r:02X}{g:02X}{b:02X}"),
                    _ => format!("color_{r:02X}{g:02X}{b:02X}{a:02X}"),
                };
                let number = self.add(Material::new(name, bytes.map(|x| f32::from(x) / 255.0)));
                self.of_colors.insert(bytes, number);
                number
            };
            return Some(set.values.iter().map(number).collect());
        }
        if !options.materials || part.materials.list.is_empty() {
            return None;
        }
        let own: Vec<u32> =
            part.materials.list.iter().map(|material| self.push(material.clone())).collect();
        let of_face = |face: usize| part.materials.of_faces.get(face).map_or(0, |&m| m as usize);
        Some((0..part.geometry.mesh().face_count()).map(|face| own[of_face(face)]).collect())
    }

    fn push(&mut self, material: Material) -> u32 {
        let same = self.materials.iter().position(|other| *other == material);
        same.map_or_else(|| self.add(material), |same| same as u32)
    }

    fn add(&mut self, material: Material) -> u32 {
        let wanted = match one_line(&material.name) {
            name if name.is_empty() => "material".to_owned(),
            name => name,
        };
        let numbered = (2..).map(|n| format!("{wanted} {n}"));
        let mut names = std::iter::once(wanted.clone()).chain(numbered);
        let name = names.find(|name| !self.taken.contains(name)).unwrap_or(wanted);
        self.taken.insert(name.clone());
        self.names.push(name);
        self.materials.push(material);
        self.names.len() as u32 - 1
    }

    /// The MTL and the images it names.
    fn files(self, library: String, shipment: &Shipment) -> Vec<(String, Vec<u8>)> {
        let mut text = String::from("# Jaunty Speckle. Kd is sRGB-encoded.\n");
        let mut images: Vec<(String, Vec<u8>)> = Vec::new();
        // Images of other folders may be called the same.
        let mut file_of_image: BTreeMap<&str, String> = BTreeMap::new();
        for (name, material) in self.names.iter().zip(&self.materials) {
            let [r, g, b, a] = material.color;
            text.push_str(&format!("newmtl {name}\nKd {r} {g} {b}\n"));
            if a < 1.0 {
                text.push_str(&format!("d {a}\n"));
            }
            let image = material.image.as_ref().and_then(|image| shipment.image(image));
            if let Some(image) = image {
                let file = file_of_image.entry(&image.name).or_insert_with(|| {
                    let wanted = file_of(&image.name, &image.file);
                    let numbered = (2..).map(|n| format!("{n}-{wanted}"));
                    let is_free = |name: &String| images.iter().all(|(other, _)| other != name);
                    let mut names = std::iter::once(wanted.clone()).chain(numbered);
                    let file = names.find(is_free).unwrap_or(wanted);
                    images.push((file.clone(), image.file.to_vec()));
                    file
                });
                text.push_str(&format!("map_Kd {file}\n"));
            }
        }
        let mut files = vec![(library, text.into_bytes())];
        files.extend(images);
        files
    }
}

/// A file name for an image, with the extension of its kind and without folders.
fn file_of(name: &str, file: &[u8]) -> String {
    let own = name.rsplit(['/', '\\']).next().unwrap_or(name);
    let kind = image::guess_format(file).ok();
    let extension = kind.and_then(|kind| kind.extensions_str().first()).copied();
    let has_one = kind.is_some_and(|kind| {
        let end = own.rsplit_once('.').map(|(_, end)| end.to_ascii_lowercase());
        end.is_some_and(|end| kind.extensions_str().contains(&end.as_str()))
    });
    match extension {
        Some(extension) if !has_one => format!("{}.{extension}", one_line(own)),
        _ => one_line(own),
    }
}
