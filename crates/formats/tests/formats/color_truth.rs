//! A chart of colors and ramps of data through every format: what is shown is what is read again, and
//! no mask ever passes a transfer function.

use glam::Vec3;
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_formats::{
    Abilities, Body, DataSets, Depth, Format, Light, Shipment, WriteOptions, abilities::Room,
    carried, write,
};
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Part};
use speckle_tools::compare::compare;

use crate::common::read;

/// A sheet of n × n squares of two triangles.
fn sheet(n: u32) -> Mesh {
    let side = n + 1;
    let point = |i: u32| Vec3::new((i % side) as f32, (i / side) as f32, 0.25);
    let mut corner_vertices = Vec::new();
    for i in 0..n * n {
        let (x, y) = (i % n, i / n);
        let at = |dx: u32, dy: u32| (y + dy) * side + x + dx;
        corner_vertices.extend([at(0, 0), at(1, 0), at(1, 1), at(0, 0), at(1, 1), at(0, 1)]);
    }
    Mesh::new(MeshArrays {
        positions: (0..side * side).map(point).collect(),
        face_starts: (0..=2 * n * n).map(|f| 3 * f).collect(),
        corner_vertices,
        ..MeshArrays::default()
    })
    .unwrap()
}

/// 4 096 colors, 16 steps of each channel, all of them numbers of 8 bits.
fn chart(i: usize) -> [f32; 4] {
    let step = |shift: usize| ((i >> shift) & 15) as f32 * 17.0 / 255.0;
    [step(8), step(4), step(0), 1.0]
}

/// A ramp of data in all four channels, in steps of 8 bits, with its neutral of 128.
fn ramp(i: usize) -> [f32; 4] {
    [i, 255 - i % 256, i / 2, 128].map(|x| (x % 256) as f32 / 255.0)
}

fn part(placement: Placement, encoding: Encoding) -> Vec<Part> {
    let mesh = sheet(63);
    let value = if encoding == Encoding::Color { chart } else { ramp };
    let values = (0..placement.count(&mesh)).map(|i| value(i % 4096)).collect();
    let name = if encoding == Encoding::Color { "Coat" } else { "Wear" }.to_owned();
    let set = NewSet { name, placement, encoding, ground: [1.0; 4], values };
    into_parts(NewPart::new("Sheet", mesh, vec![set]))
}

fn into_parts(part: NewPart) -> Vec<Part> {
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document.parts().to_vec()
}

/// The largest difference of a number after a file was written and read alone.
fn difference(format: Format, parts: &[Part], depth: Depth, light: Option<Light>) -> f32 {
    let options = WriteOptions { depth, light, ..WriteOptions::default() };
    let export = write(format, &Shipment::of(parts), options).unwrap();
    let name = format!("sheet.{}", format.extension());
    let mut back = read(&name, &export.bytes).unwrap();
    if format == Format::Obj {
        // The MTL beside it holds the colors of faces.
        let beside = |name: &str| {
            export.beside.iter().find(|(own, _)| own == name).map(|(_, bytes)| bytes.clone())
        };
        let file = speckle_formats::MeshFile { name: &name, bytes: &export.bytes, beside: &beside };
        back = speckle_formats::read(&file, &speckle_formats::ReadOptions::default()).unwrap();
    }
    let mut document = Document::default();
    document.apply(Edit::bring_in(back.parts)).unwrap();
    let comparison = compare(parts, document.parts());
    assert_eq!(comparison.parts.len(), 1, "{format:?}: {comparison:?}");
    assert!(comparison.parts[0].max_distance.unwrap() < 1e-5, "{format:?}: {comparison:?}");
    comparison.parts[0].sets[0]
        .max_difference
        .unwrap_or_else(|| panic!("{format:?}: {comparison:?}"))
}

fn takes_colors(abilities: &Abilities) -> bool {
    abilities.reads && abilities.sets != Room::None
}

#[test]
fn every_color_of_the_chart_comes_back_within_a_step() {
    for format in Format::ALL {
        let abilities = format.abilities();
        if !takes_colors(&abilities) {
            continue;
        }
        for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
            let parts = part(placement, Encoding::Color);
            for (&depth, &light) in abilities
                .depths
                .iter()
                .flat_map(|depth| abilities.lights.iter().map(move |light| (depth, light)))
            {
                let found = difference(format, &parts, depth, Some(light));
                // Exact where 8 bits hold the encoded numbers; linear light in 8 bits is coarse,
                // by the slope of the curve at 0 (IEC 61966-2-1): half a step becomes 12.92 of them.
                let allowed = match (light, depth) {
                    (Light::Encoded, Depth::Bits8) => 1e-6,
                    (Light::Linear, Depth::Bits8) => 0.5 * 12.92 / 255.0 + 1e-6,
                    (Light::Linear, Depth::Bits16) => 0.5 / 255.0,
                    (Light::Encoded, Depth::Bits16) => 0.5 / 65_535.0 + 1e-7,
                    _ => 1e-6,
                };
                assert!(found <= allowed, "{format:?} {placement:?} {depth:?} {light:?}: {found}");
            }
        }
    }
}

/// The numbers in the files themselves, by the formula of IEC 61966-2-1 and by a reader that is not
/// ours, the crate `gltf`, and as the words of text files.
#[test]
fn colors_stand_in_the_numbers_that_were_asked_for() {
    let encoded = [0.0, 10.0, 51.0, 128.0, 204.0, 255.0].map(|x: f64| x / 255.0);
    let linear =
        encoded.map(|x| if x <= 0.04045 { x / 12.92 } else { ((x + 0.055) / 1.055).powf(2.4) });
    let mesh = sheet(1);
    let values =
        (0..4).map(|i| [encoded[i], encoded[i + 1], encoded[i + 2], 1.0].map(|x| x as f32));
    let coat = NewSet {
        name: "Coat".into(),
        placement: Placement::Vertex,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values: values.collect(),
    };
    let mask = NewSet { name: "Mask".into(), encoding: Encoding::Data, ..coat.clone() };
    let parts = into_parts(NewPart::new("Sheet", mesh, vec![coat, mask]));
    let file = |format, light| {
        let (depth, body) = (Depth::Float, Body::Ascii);
        let options = WriteOptions { depth, body, light: Some(light), ..WriteOptions::default() };
        write(format, &Shipment::of(&parts), options).unwrap().bytes
    };
    for (light, wanted) in [(Light::Encoded, encoded), (Light::Linear, linear)] {
        let near = |found: f64, wanted: f64| {
            assert!((found - wanted).abs() < 1e-6, "{light:?}: {found} for {wanted}");
        };
        let bytes = file(Format::Glb, light);
        let glb = gltf::Gltf::from_slice(&bytes).unwrap();
        let blob = glb.blob.clone().unwrap();
        let primitive = glb.meshes().next().unwrap().primitives().next().unwrap();
        let reader = primitive.reader(|_| Some(&blob));
        for (set, wanted) in [(0, wanted), (1, encoded)] {
            let colors: Vec<[f32; 4]> = reader.read_colors(set).unwrap().into_rgba_f32().collect();
            assert_eq!(colors.len(), 4);
            for (i, color) in colors.iter().enumerate() {
                (0..3).for_each(|k| near(f64::from(color[k]), wanted[i + k]));
            }
        }
        // The numbers behind the first place, or of the first color, as the text has them.
        let said = format!("comment colors are {}; data is plain numbers", light.words());
        for (format, before) in [
            (Format::Ply, "end_header\n0 0 0.25 "),
            (Format::Obj, "v 0 0 0.25 "),
            (Format::X3d, "<Color color='"),
            (Format::Dae, "-colors0-array\" count=\"16\">"),
            (Format::Usda, "primvars:displayColor = [("),
        ] {
            let text = String::from_utf8(file(format, light)).unwrap();
            assert!(format != Format::Ply || text.contains(&said), "{text}");
            let at =
                text.find(before).unwrap_or_else(|| panic!("{format:?}: {text}")) + before.len();
            let numbers = text[at..].split(|c: char| !matches!(c, '0'..='9' | '.' | 'e' | '-'));
            let numbers =
                numbers.filter(|word| !word.is_empty()).map(|word| word.parse::<f64>().unwrap());
            numbers.take(3).enumerate().for_each(|(k, found)| near(found, wanted[k]));
        }
    }
}

#[test]
fn data_comes_back_to_the_bit_at_the_format_s_depth() {
    for format in Format::ALL {
        let abilities = format.abilities();
        // VRML has no alpha, OBJ no data at faces: its materials are colors.
        if !takes_colors(&abilities) {
            continue;
        }
        for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
            let mut parts = part(placement, Encoding::Data);
            if !abilities.alpha {
                let set = &mut parts[0].sets[0];
                let opaque = set.values.iter().map(|v| [v[0], v[1], v[2], 1.0]).collect::<Vec<_>>();
                set.values = opaque.into();
            }
            for &depth in abilities.depths {
                let found = difference(format, &parts, depth, Some(Light::Linear));
                let allowed = if depth == Depth::Bits16 { 1e-7 } else { 0.0 };
                assert!(found <= allowed, "{format:?} {placement:?} {depth:?}: {found}");
            }
        }
    }
}

#[test]
fn a_part_of_sixteen_sets_goes_where_there_is_room_and_the_rest_is_named() {
    let mesh = sheet(3);
    let sets = (0..16).map(|n| {
        let placement = [Placement::Vertex, Placement::Corner, Placement::Face][n % 3];
        let encoding = if n % 2 == 0 { Encoding::Data } else { Encoding::Color };
        let values = (0..placement.count(&mesh)).map(|i| chart(97 * n + i)).collect();
        NewSet { name: format!("Set {n}"), placement, encoding, ground: [1.0; 4], values }
    });
    let parts = into_parts(NewPart::new("Sheet", mesh.clone(), sets.collect()));
    for format in Format::ALL.into_iter().filter(|format| format.abilities().reads) {
        let abilities = format.abilities();
        let options = WriteOptions { depth: Depth::Float, ..WriteOptions::default() };
        let export = write(format, &Shipment::of(&parts), options).unwrap();
        let taken = carried(&abilities, &parts[0]).len();
        let left_out = export.losses.iter().filter(|loss| loss.text.contains("left out")).count();
        assert_eq!(left_out, 16 - taken, "{format:?}: {:?}", export.losses);
        let name = format!("sheet.{}", format.extension());
        let back = read(&name, &export.bytes).unwrap();
        // A file of its own beside it holds what OBJ says of faces.
        let beside = usize::from(format == Format::Obj);
        assert_eq!(back.parts[0].sets.len(), taken - beside, "{format:?}");
        for set in &back.parts[0].sets {
            let ours = parts[0].sets.iter().find(|own| own.name == set.name);
            let ours = ours.or(parts[0].sets.first().filter(|_| format == Format::Obj));
            let ours = ours.unwrap_or_else(|| panic!("{format:?} made up {}", set.name));
            assert!(
                format == Format::Obj || ours.encoding == set.encoding,
                "{format:?} {}",
                set.name
            );
        }
    }
}

#[test]
fn data_alone_is_warned_of_in_gltf_and_goes_behind_white_or_by_its_name() {
    let parts = part(Placement::Vertex, Encoding::Data);
    for (data, attributes, warned) in [
        (DataSets::AsColors, &["COLOR_0"][..], true),
        (DataSets::BehindWhite, &["COLOR_0", "COLOR_1"][..], false),
        (DataSets::Named, &["_WEAR"][..], false),
    ] {
        let options = WriteOptions { data, ..WriteOptions::default() };
        let export = write(Format::Glb, &Shipment::of(&parts), options).unwrap();
        let is_warned = export.losses.iter().any(|loss| loss.text.contains("multiply COLOR_0"));
        assert_eq!(is_warned, warned, "{data:?}");
        // By the crate gltf, which knows nothing of ours.
        let file = gltf::Gltf::from_slice(&export.bytes).unwrap();
        let primitive = file.meshes().next().unwrap().primitives().next().unwrap();
        let mut names: Vec<String> = primitive
            .attributes()
            .map(|(semantic, _)| semantic.to_string())
            .filter(|name| name.starts_with("COLOR") || name.starts_with('_'))
            .collect();
        names.sort();
        assert_eq!(names, attributes);
        let back = read("sheet.glb", &export.bytes).unwrap();
        let told: Vec<(&str, Encoding)> =
            back.parts[0].sets.iter().map(|set| (set.name.as_str(), set.encoding)).collect();
        assert_eq!(told, [("Wear", Encoding::Data)], "{data:?}: white is left where it was put");
        assert_eq!(back.parts[0].sets[0].values[5], ramp(5));
    }
}
