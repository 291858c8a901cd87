//! What goes to a printer with several spools: swatches in 3MF, and a file for each in STL.

use std::io::{Cursor, Read as _};

use glam::Vec3;
use speckle_color::Encoding;
use speckle_formats::{
    Format, LossKind, Weight,
    note::{ChannelNote, Origin},
    recipient::{Goods, Packed, Recipient, Vertices},
};
use speckle_mesh::{Mesh, Placement, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Part, ProjectTraits, swatches::Swatch};

use crate::common::{into_parts, read};

const SAND: [f32; 4] = [0.8, 0.6, 0.4, 1.0];
const TAR: [f32; 4] = [0.2, 0.2, 0.2, 1.0];
const SEA: [f32; 4] = [0.0, 0.4, 0.8, 1.0];

/// A tetrahedron with a color at each face, and a set beside it.
fn buoy(name: &str, colors: [[f32; 4]; 4]) -> NewPart {
    let mesh = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X * 9.0, Vec3::Y * 9.0, Vec3::Z * 9.0],
        face_starts: vec![0, 3, 6, 9, 12],
        corner_vertices: vec![0, 2, 1, 0, 1, 3, 1, 2, 3, 2, 0, 3],
        ..MeshArrays::default()
    });
    let set = |name: &str, values: Vec<[f32; 4]>| NewSet {
        name: name.into(),
        placement: Placement::Face,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values,
    };
    let sets = vec![set("Coat", colors.to_vec()), set("Rust", vec![TAR; 4])];
    NewPart::new(name, mesh.unwrap(), sets)
}

fn buoys() -> Vec<Part> {
    into_parts(vec![
        buoy("Bell buoy", [SAND, TAR, TAR, SEA]),
        buoy("Small buoy", [SEA, SEA, SAND, SAND]),
    ])
}

fn palette() -> Vec<Swatch> {
    let swatch = |name: &str, [r, g, b, _]: [f32; 4]| Swatch::new(name, [r, g, b]);
    vec![swatch("Sand & shell", SAND), swatch("Tar", TAR), swatch("Sea", SEA)]
}

fn packed(parts: &[Part], palette: &[Swatch], recipient: &Recipient) -> Packed {
    let traits = ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Z };
    let goods = Goods { name: "Buoys", parts, images: &[], palette, looks: &[], traits };
    recipient.pack(&goods, Origin::default()).unwrap()
}

fn printer(format: Format, spools: u8) -> Recipient {
    Recipient { format, spools, ..Recipient::default() }
}

fn model_of(bytes: &[u8]) -> String {
    let mut package = zip::ZipArchive::new(Cursor::new(bytes)).unwrap();
    let mut text = String::new();
    package.by_name("3D/3dmodel.model").unwrap().read_to_string(&mut text).unwrap();
    text
}

/// 3MF Core 1.3, 5.1: base materials with a name and a display color, chosen by `pid` and `p1`.
#[test]
fn a_3mf_names_its_spools_and_every_triangle_has_one() {
    let parts = buoys();
    let packed = packed(&parts, &palette(), &printer(Format::ThreeMf, 4));
    let model = model_of(&packed.meshes[0].file.bytes);
    let spools = "<basematerials id=\"1\">\n\
        <base name=\"Sand &amp; shell\" displaycolor=\"#CC9966\"/>\n\
        <base name=\"Tar\" displaycolor=\"#333333\"/>\n\
        <base name=\"Sea\" displaycolor=\"#0066CC\"/>\n</basematerials>";
    assert!(model.contains(spools), "{model}");
    assert!(!model.contains("colorgroup"), "a printer with spools is not given smooth color");
    let of = |triangle: &str| {
        let at = model.find(triangle).unwrap() + triangle.len();
        model[at..].split("/>").next().unwrap().trim().to_owned()
    };
    assert_eq!(of("<triangle v1=\"0\" v2=\"2\" v3=\"1\""), "pid=\"1\" p1=\"0\"");
    assert_eq!(of("<triangle v1=\"0\" v2=\"1\" v3=\"3\""), "pid=\"1\" p1=\"1\"");
    // An object's own is what most of its faces have.
    assert!(model.contains("name=\"Bell buoy\" pid=\"1\" pindex=\"1\""), "{model}");
    assert!(model.contains("name=\"Small buoy\" pid=\"1\" pindex=\"0\""), "{model}");

    let back = read("x.3mf", &packed.meshes[0].file.bytes).unwrap();
    let coats: Vec<_> = back.parts.iter().map(|part| part.sets[0].values.clone()).collect();
    let near =
        |a: &[f32; 4], b: &[f32; 4]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 0.5 / 255.0);
    for (found, part) in coats.iter().zip(&parts) {
        assert!(found.iter().zip(part.sets[0].values.iter()).all(|(a, b)| near(a, b)), "{found:?}");
    }
}

#[test]
fn what_spools_change_is_told_with_how_far_it_is() {
    let parts = buoys();
    let told = |packed: &Packed| {
        let found = packed.losses.iter().find(|loss| loss.kind == LossKind::Swatches);
        found.map(|loss| (loss.weight, loss.text.clone()))
    };
    let exact = packed(&parts, &palette(), &printer(Format::ThreeMf, 4));
    let text = "every face is printed in the nearest of 3 swatches: at most ΔE 0.0 from what is painted, 0.0 in the mean";
    assert_eq!(told(&exact), Some((Weight::Fine, text.to_owned())));
    let few = packed(&parts, &palette(), &printer(Format::ThreeMf, 2));
    assert_eq!(few.note.spools.len(), 2);
    assert_eq!(told(&few).unwrap().0, Weight::Careful);
    assert_eq!(told(&packed(&parts, &palette(), &printer(Format::ThreeMf, 0))), None);
    assert_eq!(
        told(&packed(&parts, &palette(), &printer(Format::Glb, 4))),
        None,
        "not its business"
    );
    let mut bare = parts.clone();
    bare[1].sets.clear();
    let losses = packed(&bare, &palette(), &printer(Format::ThreeMf, 4)).losses;
    assert!(
        losses
            .iter()
            .any(|loss| loss.line()
                == "Small buoy: it has no set, and is printed as if it were white")
    );
    // Of several sets the first is printed: the other is said to stay at home.
    for format in [Format::ThreeMf, Format::Stl] {
        let losses = packed(&parts, &palette(), &printer(format, 4)).losses;
        let rust = losses.iter().filter(|loss| loss.kind == LossKind::Sets);
        assert!(rust.clone().all(|loss| loss.text.contains("Rust")) && rust.count() == 2);
    }
}

/// Together the files are the model, triangle by triangle (Möbius: orientation kept), and none twice.
#[test]
fn an_stl_for_each_swatch_holds_its_faces_and_together_they_are_all() {
    let parts = buoys();
    let packed = packed(&parts, &palette(), &printer(Format::Stl, 4));
    let names: Vec<&str> = packed.meshes.iter().map(|mesh| mesh.file.name.as_str()).collect();
    assert_eq!(names, ["Buoys-1 Sand _ shell.stl", "Buoys-2 Tar.stl", "Buoys-3 Sea.stl"]);
    let triangles = |mesh: &Mesh| -> Vec<[[i32; 3]; 3]> {
        let at = |corner: usize| mesh.corner_position(corner).to_array().map(|x| x as i32);
        (0..mesh.face_count()).map(|f| [0, 1, 2].map(|k| at(3 * f + k))).collect()
    };
    let mut found = Vec::new();
    for (mesh, count) in packed.meshes.iter().zip([3, 2, 3]) {
        let back = read(&mesh.file.name, &mesh.file.bytes).unwrap();
        assert_eq!(back.parts[0].mesh.face_count(), count, "{}", mesh.file.name);
        found.extend(triangles(&back.parts[0].mesh));
    }
    let mut wanted: Vec<_> =
        parts.iter().flat_map(|part| triangles(part.geometry.mesh())).collect();
    found.sort_unstable();
    wanted.sort_unstable();
    assert_eq!(found, wanted);
    assert!(packed.losses.iter().any(|loss| loss.text.contains("a skin without thickness")));
    // Without spools, the shape alone.
    let alone = self::packed(&parts, &palette(), &printer(Format::Stl, 0));
    assert_eq!(alone.meshes.len(), 1);
}

#[test]
fn the_note_lists_the_spools_with_their_share() {
    let packed = packed(&buoys(), &palette(), &printer(Format::ThreeMf, 4));
    let shares: f64 = packed.note.spools.iter().map(|spool| spool.share).sum();
    assert!((shares - 1.0).abs() < 1e-9);
    let markdown = packed.note.markdown();
    assert!(markdown.contains("| 2 | Tar | #333333 |"), "{markdown}");
    let beside = packed.beside.iter().find(|file| file.name.ends_with(".json")).unwrap();
    let note: ChannelNote = serde_json::from_slice(&beside.bytes).unwrap();
    assert_eq!(note.spools[0].color, "#cc9966");
    assert!(packed.note.lines().iter().any(|line| line == "spool 3: Sea #0066cc"));
}

#[test]
fn parts_in_files_of_their_own_keep_their_spools() {
    let recipient = Recipient { file_per_part: true, ..printer(Format::ThreeMf, 4) };
    let packed = packed(&buoys(), &palette(), &recipient);
    for (mesh, first) in packed.meshes.iter().zip(["0", "2"]) {
        let model = model_of(&mesh.file.bytes);
        let usual = format!("<triangle v1=\"0\" v2=\"2\" v3=\"1\" pid=\"1\" p1=\"{first}\"/>");
        assert!(model.contains(&usual), "{}: {model}", mesh.file.name);
    }
}

#[test]
fn sets_are_called_in_the_file_as_the_receiver_wants_them() {
    let parts =
        into_parts(vec![buoy("Glocken-Boje №1", [SAND; 4]), buoy("Glocken-Boje_№1", [TAR; 4])]);
    let recipient = Recipient {
        format: Format::Gltf,
        set_names: [("Coat".to_owned(), "Base color".to_owned())].into(),
        plain_names: true,
        ..Recipient::default()
    };
    let packed = packed(&parts, &[], &recipient);
    let back = read("x.gltf", &packed.meshes[0].file.bytes).unwrap();
    let names: Vec<_> = back.parts.iter().map(|part| part.name.as_str()).collect();
    assert_eq!(names, ["Glocken_Boje__1", "Glocken_Boje__1 2"]);
    let sets: Vec<_> = back.parts[0].sets.iter().map(|set| set.name.as_str()).collect();
    assert_eq!(sets, ["Base_color", "Rust"]);
    let told = packed.losses.iter().find(|loss| loss.kind == LossKind::Names).unwrap();
    assert!(told.text.contains("Base color → Base_color"), "{}", told.text);
    let nameless = Recipient {
        set_names: [("Coat".to_owned(), " ".to_owned())].into(),
        ..Recipient::default()
    };
    assert_eq!(nameless.problem(), Some("a set needs a name in the file"));
}

#[test]
fn vertices_go_as_they_are_joined_or_one_for_each_corner() {
    let parts = into_parts(vec![buoy("Bell buoy", [SAND; 4])]);
    let count = |vertices| {
        let recipient = Recipient { format: Format::Ply, vertices, ..Recipient::default() };
        let packed = packed(&parts, &[], &recipient);
        let back = read("x.ply", &packed.meshes[0].file.bytes).unwrap();
        back.parts[0].mesh.vertex_count()
    };
    assert_eq!(count(Vertices::AsTheyAre), 4);
    assert_eq!(count(Vertices::Split), 12);
    let split = parts.iter().map(Part::split).collect::<Vec<_>>();
    let recipient =
        Recipient { format: Format::Ply, vertices: Vertices::Joined, ..Recipient::default() };
    let back = packed(&split, &[], &recipient);
    assert_eq!(back.meshes[0].parts[0].geometry.mesh().vertex_count(), 4);
}

/// A part that is painted in swatches says itself which spool each face prints in, also where two have one color;
/// whoever prints no swatches gets the colors.
#[test]
fn painted_swatches_are_the_spools_and_elsewhere_their_colors() {
    let mut palette = palette();
    palette[2] = Swatch::new("Other tar", [TAR[0], TAR[1], TAR[2]]);
    let palette = speckle_model::swatches::numbered(&[], palette);
    let mut part = buoy("Bell buoy", [SAND; 4]);
    part.sets.push(NewSet {
        name: "Swatches".into(),
        placement: Placement::Face,
        encoding: Encoding::Swatch,
        ground: [0.0; 4],
        values: [0, 2, 3, 1].map(speckle_color::swatch_value).to_vec(),
    });
    let mut parts = into_parts(vec![part]);
    parts[0].traits.base = 2;
    let printed = packed(&parts, &palette, &printer(Format::ThreeMf, 4));
    let model = model_of(&printed.meshes[0].file.bytes);
    let of = |triangle: &str| {
        let at = model.find(triangle).unwrap() + triangle.len();
        model[at..].split("/>").next().unwrap().trim().to_owned()
    };
    // Unpainted is the base, tar; the two of one color are two.
    assert_eq!(of("<triangle v1=\"0\" v2=\"2\" v3=\"1\""), "pid=\"1\" p1=\"1\"");
    assert_eq!(of("<triangle v1=\"0\" v2=\"1\" v3=\"3\""), "pid=\"1\" p1=\"1\"");
    assert_eq!(of("<triangle v1=\"1\" v2=\"2\" v3=\"3\""), "pid=\"1\" p1=\"2\"");
    assert_eq!(of("<triangle v1=\"2\" v2=\"0\" v3=\"3\""), "pid=\"1\" p1=\"0\"");
    let glb = packed(&parts, &palette, &printer(Format::Glb, 0));
    let back = read("x.glb", &glb.meshes[0].file.bytes).unwrap();
    let set = back.parts[0].sets.iter().find(|set| set.name == "Swatches").unwrap();
    assert_eq!(set.encoding, Encoding::Color);
    let mut seen: Vec<[u8; 4]> =
        set.values.iter().copied().map(speckle_color::bytes_from_rgba).collect();
    seen.sort_unstable();
    seen.dedup();
    assert_eq!(seen, [TAR, SAND].map(speckle_color::bytes_from_rgba));
}

/// A square tower 20 × 20 × 30 in three storeys, the middle one in another swatch: closed, each file holds
/// bodies without an open edge, and their volumes are those of the storeys.
#[test]
fn closed_bodies_of_swatches_are_the_whole_together() {
    let level = |z: f32| {
        [(0.0, 0.0), (20.0, 0.0), (20.0, 20.0), (0.0, 20.0)].map(|(x, y)| Vec3::new(x, y, z))
    };
    let positions: Vec<Vec3> = [0.0, 10.0, 20.0, 30.0].into_iter().flat_map(level).collect();
    let mut faces: Vec<[u32; 4]> = vec![[3, 2, 1, 0], [12, 13, 14, 15]];
    let mut colors = vec![SAND, SAND];
    for storey in 0..3 {
        for i in 0..4 {
            let [a, b] = [4 * storey + i, 4 * storey + (i + 1) % 4];
            faces.push([a, b, b + 4, a + 4]);
            colors.push(if storey == 1 { TAR } else { SAND });
        }
    }
    let tower = |positions: Vec<Vec3>, colors: Vec<[f32; 4]>| {
        let mesh = Mesh::new(MeshArrays {
            positions,
            face_starts: (0..=faces.len() as u32).map(|face| 4 * face).collect(),
            corner_vertices: faces.iter().flatten().copied().collect(),
            ..MeshArrays::default()
        });
        let set = NewSet {
            name: "Coat".to_owned(),
            placement: Placement::Face,
            encoding: Encoding::Color,
            ground: [1.0; 4],
            values: colors,
        };
        into_parts(vec![NewPart::new("Tower", mesh.unwrap(), vec![set])])
    };
    for format in [Format::Stl, Format::Obj] {
        let recipient = Recipient { bodies: true, ..printer(format, 4) };
        let packed = packed(&tower(positions.clone(), colors.clone()), &palette(), &recipient);
        let volumes = packed.meshes.iter().map(|file| {
            let parts = read(&file.file.name, &file.file.bytes).unwrap().parts;
            let geometry = speckle_mesh::Geometry::new(parts[0].mesh.clone());
            assert!(geometry.topology().is_watertight());
            geometry.measures().volume
        });
        let volumes: Vec<f64> = volumes.collect();
        assert_eq!(volumes.len(), 2, "{format:?}");
        let is_near = |own: f64, wanted: f64| (own - wanted).abs() < 1e-3;
        assert!(is_near(volumes[0], 8_000.0) && is_near(volumes[1], 4_000.0), "{volumes:?}");
        let skins = packed.losses.iter().filter(|loss| loss.kind == LossKind::Receivers);
        assert_eq!(skins.count(), 0);
    }
    let recipient = Recipient { bodies: true, ..printer(Format::Stl, 4) };
    // One wall alone is flat, and it is told.
    let mut flat = vec![SAND; faces.len()];
    flat[6] = TAR;
    let packed = self::packed(&tower(positions, flat), &palette(), &recipient);
    let told = packed.losses.iter().find(|loss| loss.kind == LossKind::Receivers).unwrap();
    assert!(told.text.starts_with("one flat patch"), "{}", told.text);
}
