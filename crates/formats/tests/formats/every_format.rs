//! Any small mesh with sets of any placement, through every format that has room for them: points and
//! numbers are those that went in; and the same numbers as tables and as images.

use std::io::Cursor;

use glam::{Vec2, Vec3};
use image::GenericImageView;
use proptest::prelude::*;
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_formats::{
    Depth, Format, Shipment, WriteOptions,
    abilities::Room,
    map_file::MapFile,
    tables::{TableFile, table},
    write,
};
use speckle_mesh::{
    Mesh, Placement, Transform, Unit, UpAxis,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet, Part, ProjectTraits};
use speckle_tools::{
    compare::compare,
    map::{MapChannel, MapPlan, MapProjection, render},
};

use crate::common::{into_parts, read};

/// A fan of triangles and quads around a point, never folded, with a set per placement.
fn fan() -> impl Strategy<Value = NewPart> {
    let number = 0.0_f32..=1.0;
    (
        prop::collection::vec((3..5_usize, 0.5_f32..2.0), 2..7),
        prop::collection::vec(prop::array::uniform4(number), 64),
    )
        .prop_map(|(spokes, numbers)| {
            let n = spokes.len();
            let mut positions = vec![Vec3::ZERO];
            let (mut face_starts, mut corner_vertices) = (vec![0_u32], Vec::new());
            let at = |turn: f32, far: f32| Vec3::new(turn.cos() * far, turn.sin() * far, far / 4.0);
            let step = std::f32::consts::TAU / (n as f32 + 1.0);
            for (i, (corners, far)) in spokes.iter().enumerate() {
                let turn = step * i as f32;
                let first = positions.len() as u32;
                corner_vertices.push(0);
                for k in 0..corners - 1 {
                    let share = k as f32 / (corners - 2) as f32;
                    positions.push(at(turn + step * 0.9 * share, *far));
                    corner_vertices.push(first + k as u32);
                }
                face_starts.push(corner_vertices.len() as u32);
            }
            let mesh = Mesh::new(MeshArrays {
                positions,
                face_starts,
                corner_vertices,
                ..MeshArrays::default()
            })
            .unwrap();
            let set = |name: &str, placement: Placement, encoding, from: usize| {
                let values =
                    (0..placement.count(&mesh)).map(|i| numbers[(from + i) % 64]).collect();
                NewSet { name: name.to_owned(), placement, encoding, ground: [1.0; 4], values }
            };
            let sets = vec![
                set("Coat", Placement::Corner, Encoding::Color, 0),
                set("Wear", Placement::Vertex, Encoding::Data, 11),
                set("Panels", Placement::Face, Encoding::Color, 23),
            ];
            NewPart::new("Fan", mesh, sets)
        })
}

fn placed(new: NewPart, first: usize) -> Vec<Part> {
    let mut parts = into_parts(vec![new]);
    parts[0].sets.rotate_left(first);
    parts[0].traits.transform = Transform {
        translation: Vec3::new(3.0, -1.0, 0.5),
        rotation_degrees: Vec3::new(10.0, 20.0, 30.0),
        scale: Vec3::splat(2.0),
    };
    parts
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn what_finds_room_comes_back(new in fan(), first in 0..3_usize, inches in any::<bool>(), z_up in any::<bool>()) {
        let parts = placed(new, first);
        let traits = ProjectTraits {
            unit: if inches { Unit::Inch } else { Unit::Metre },
            up: if z_up { UpAxis::Z } else { UpAxis::Y },
        };
        for format in Format::ALL {
            let abilities = format.abilities();
            if abilities.sets == Room::None || format == Format::Obj {
                continue;
            }
            let mut parts = parts.clone();
            if !abilities.alpha {
                for set in &mut parts[0].sets {
                    set.values = set.values.iter().map(|v| [v[0], v[1], v[2], 1.0]).collect::<Vec<_>>().into();
                }
            }
            let shipment = Shipment { traits: Some(traits), ..Shipment::of(&parts) };
            let options = WriteOptions { depth: Depth::Float, ..WriteOptions::default() };
            let export = write(format, &shipment, options).unwrap();
            let mut back = read(&format!("Fan.{}", format.extension()), &export.bytes).unwrap();
            if abilities.units == speckle_formats::abilities::Says::Nothing {
                back.traits = traits;
            }
            back.convert(traits).unwrap();
            let mut document = Document::default();
            document.apply(Edit::bring_in(back.parts)).unwrap();
            let comparison = compare(&parts, document.parts());
            let part = &comparison.parts[0];
            prop_assert!(part.max_distance.unwrap() < 1e-4, "{format:?}: {part:?}");
            let taken: Vec<String> =
                speckle_formats::carried(&abilities, &parts[0]).iter().map(|set| set.name.clone()).collect();
            for set in part.sets.iter().filter(|set| taken.contains(&set.name)) {
                // 3MF has 8 bits.
                let allowed = if format == Format::ThreeMf { 0.501 / 255.0 } else { 2e-6 };
                let found = set.max_difference.unwrap();
                prop_assert!(found <= allowed, "{format:?}: {set:?}");
            }
        }
    }

    /// A table lists the numbers as they are: read again, they are the same bits.
    #[test]
    fn tables_hold_the_same_bits(new in fan()) {
        let parts = into_parts(vec![new]);
        for (placement, name, columns) in [(Placement::Vertex, "Wear", 8), (Placement::Corner, "Coat", 7), (Placement::Face, "Panels", 6)] {
            let text = table(&parts[0], placement, TableFile::Csv);
            let set = parts[0].sets.iter().find(|set| set.name == name).unwrap();
            let rows: Vec<Vec<&str>> = text.lines().skip(1).map(|line| line.split(',').collect()).collect();
            prop_assert_eq!(rows.len(), set.values.len());
            for (row, value) in rows.iter().zip(set.values.iter()) {
                prop_assert_eq!(row.len(), columns);
                let numbers: Vec<f32> = row[columns - 4..].iter().map(|text| text.parse().unwrap()).collect();
                prop_assert_eq!(&numbers[..], &value[..]);
            }
            let json: serde_json::Value = serde_json::from_str(&table(&parts[0], placement, TableFile::Json)).unwrap();
            prop_assert_eq!(json["rows"].as_array().unwrap().len(), rows.len());
            prop_assert_eq!(json["columns"].as_array().unwrap().len(), columns);
        }
    }
}

/// PNG and EXR by the crate `image`: encoded numbers in PNG, linear light in EXR (IEC 61966-2-1:
/// 0.5 is 0.21404 of light), data as it is in both.
#[test]
fn maps_are_written_in_the_numbers_of_their_format() {
    let mesh = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::new(1.0, 1.0, 0.0), Vec3::Y],
        face_starts: vec![0, 4],
        corner_vertices: vec![0, 1, 2, 3],
        uv_sets: vec![UvSet {
            name: "UV".into(),
            uvs: [[0., 0.], [1., 0.], [1., 1.], [0., 1.]].map(Vec2::from).to_vec(),
        }],
        ..MeshArrays::default()
    })
    .unwrap();
    let set = |name: &str, encoding| {
        NewSet::flooded(name, Placement::Vertex, encoding, [0.5, 0.25, 1.0, 0.5], &mesh)
    };
    let parts = into_parts(vec![NewPart::new(
        "Tile",
        mesh.clone(),
        vec![set("Coat", Encoding::Color), set("Wear", Encoding::Data)],
    )]);
    let from = |set: &str, channel| MapChannel::Set { set: set.to_owned(), channel, invert: false };
    let plan = MapPlan {
        width: 3,
        height: 2,
        lay: MapProjection::Uv { uv_set: 0 },
        channels: [from("Coat", 0), from("Wear", 0), from("Coat", 2), from("Coat", 3)],
        padding: 0,
        samples: 2,
    };
    let map = render(&parts, &plan, |_| None).unwrap();
    assert_eq!(map.is_color, [true, false, true, false]);
    let open = |file: MapFile| {
        image::load(
            Cursor::new(file.write(&map).unwrap()),
            if file == MapFile::Exr {
                image::ImageFormat::OpenExr
            } else {
                image::ImageFormat::Png
            },
        )
        .unwrap()
    };
    let eight = open(MapFile::Png8);
    assert_eq!((eight.dimensions(), eight.get_pixel(1, 1).0), ((3, 2), [128, 128, 255, 128]));
    let sixteen = open(MapFile::Png16).into_rgba16();
    assert_eq!(sixteen.get_pixel(2, 0).0, [32_768, 32_768, 65_535, 32_768]);
    let light = open(MapFile::Exr).into_rgba32f();
    let [r, g, b, a] = light.get_pixel(0, 0).0;
    assert!((r - 0.214_041_14).abs() < 1e-5 && (b - 1.0).abs() < 1e-6, "{r} {b}");
    assert_eq!((g, a), (0.5, 0.5));
}
