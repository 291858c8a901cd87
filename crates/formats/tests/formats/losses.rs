//! What is lost is said before anything is written: when it is lost, and not when it is not.

use glam::{Vec2, Vec3};
use speckle_color::Encoding;
use speckle_formats::{
    Body, Cure, Depth, Format, Light, Loss, LossKind, Shipment, Weight, WriteOptions, losses, write,
};
use speckle_mesh::{
    Mesh, Placement, Unit, UpAxis,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{ImageRecord, Material, Materials, NewPart, NewSet, Part, ProjectTraits};

use crate::common::into_parts;

/// What a square has that may be lost.
#[derive(Clone, Copy, Default)]
struct With {
    alpha: bool,
    between_steps: bool,
    quads: bool,
    uv_sets: usize,
    material: bool,
    sets: usize,
}

fn square(with: With) -> Vec<Part> {
    let corner_vertices = if with.quads { vec![0, 1, 2, 3] } else { vec![0, 1, 2, 0, 2, 3] };
    let corners = corner_vertices.len();
    let uv = |c: usize| Vec2::new(c as f32 / 8.0, 0.5);
    let mesh = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::new(1.0, 1.0, 0.0), Vec3::Y],
        face_starts: if with.quads { vec![0, 4] } else { vec![0, 3, 6] },
        corner_vertices,
        uv_sets: (0..with.uv_sets)
            .map(|n| UvSet { name: format!("UV {n}"), uvs: (0..corners).map(uv).collect() })
            .collect(),
        ..MeshArrays::default()
    })
    .unwrap();
    let number = if with.between_steps { 0.1234 } else { 0.2 };
    let value = [number, 0.0, 1.0, if with.alpha { 0.4 } else { 1.0 }];
    let sets = (0..with.sets).map(|n| NewSet {
        name: format!("Set {n}"),
        placement: Placement::Vertex,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values: vec![value; 4],
    });
    let mut part = NewPart::new("Square", mesh, sets.collect());
    if with.material {
        let image = Some("planks.png".to_owned());
        let list = vec![Material { image, ..Material::new("Oak", [1.0; 4]) }];
        part.materials = Materials { list, of_faces: vec![] };
    }
    into_parts(vec![part])
}

fn told(format: Format, parts: &[Part], options: WriteOptions) -> Vec<Loss> {
    losses(format, &Shipment::of(parts), &options)
}

fn kinds(losses: &[Loss]) -> Vec<LossKind> {
    losses.iter().map(|loss| loss.kind).collect()
}

const ONE_SET: With =
    With { alpha: false, between_steps: false, quads: false, uv_sets: 0, material: false, sets: 1 };

#[test]
fn nothing_is_said_where_nothing_is_lost() {
    let parts = square(ONE_SET);
    for format in Format::ALL {
        let options = WriteOptions { depth: Depth::Float, ..WriteOptions::default() };
        let told = told(format, &parts, options);
        let expected = match format {
            Format::Stl => vec![LossKind::Sets],
            Format::Obj => vec![LossKind::Receivers],
            _ => vec![],
        };
        assert_eq!(kinds(&told), expected, "{format:?}: {told:?}");
    }
}

#[test]
fn each_loss_is_said_by_the_formats_that_have_it_and_by_no_other() {
    use Format::{Glb, Gltf, Obj, Off, Ply, Stl, ThreeMf, Vrml, X3d};
    let has = |with: With, kind: LossKind, formats: &[Format]| {
        let parts = square(with);
        for format in Format::ALL {
            let told = told(
                format,
                &parts,
                WriteOptions { depth: Depth::Float, ..WriteOptions::default() },
            );
            let is_told = told.iter().any(|loss| loss.kind == kind);
            assert_eq!(is_told, formats.contains(&format), "{kind:?} {format:?}: {told:?}");
            for loss in told.iter().filter(|loss| loss.weight == Weight::Lost) {
                assert!(!loss.remedy.is_empty(), "what helps is said: {loss:?}");
            }
        }
    };
    has(With { alpha: true, ..ONE_SET }, LossKind::Alpha, &[Vrml]);
    has(With { between_steps: true, ..ONE_SET }, LossKind::Depth, &[ThreeMf]);
    has(With { quads: true, ..ONE_SET }, LossKind::Polygons, &[Glb, Gltf, ThreeMf, Stl]);
    has(With { sets: 2, ..ONE_SET }, LossKind::Sets, &[ThreeMf, X3d, Vrml, Obj, Off, Stl]);
    has(With { uv_sets: 1, ..ONE_SET }, LossKind::Uvs, &[ThreeMf, Off, Stl]);
    has(With { uv_sets: 2, ..ONE_SET }, LossKind::Uvs, &[ThreeMf, Off, Stl, Ply, Obj, X3d, Vrml]);
    // Where materials go along, their image is missing here.
    has(With { material: true, ..ONE_SET }, LossKind::Materials, &Format::ALL);
}

#[test]
fn options_and_the_project_decide_as_well() {
    let parts = square(With { alpha: true, between_steps: true, material: true, ..ONE_SET });
    let image = ImageRecord { name: "planks.png".into(), file: vec![].into() };
    let images = [image];
    let shipment = Shipment { images: &images, ..Shipment::of(&parts) };
    let of = |options: &WriteOptions| kinds(&losses(Format::Glb, &shipment, options));
    let plain = WriteOptions::default();
    assert_eq!(of(&plain), []);
    assert_eq!(of(&WriteOptions { alpha: false, ..plain }), [LossKind::Alpha]);
    assert_eq!(of(&WriteOptions { materials: false, ..plain }), [LossKind::Materials]);
    // Linear light in 8 bits is coarse in the darks; 16 bits round, and that is fine.
    let eight = losses(Format::Glb, &shipment, &WriteOptions { depth: Depth::Bits8, ..plain });
    assert!(eight[0].text.contains("coarse in the darks") && eight[0].weight == Weight::Careful);
    let sixteen = losses(Format::Glb, &shipment, &WriteOptions { depth: Depth::Bits16, ..plain });
    assert_eq!((sixteen[0].kind, sixteen[0].weight), (LossKind::Depth, Weight::Fine));

    // Colors in other numbers than usual are told, also where that cannot be had.
    for (format, light, said) in [
        (Format::Glb, Light::Encoded, Some("takes them for linear light and shows them lighter")),
        (Format::Glb, Light::Linear, None),
        (Format::Ply, Light::Linear, Some("takes them for sRGB-encoded and shows them darker")),
        (Format::Ply, Light::Encoded, None),
        (
            Format::ThreeMf,
            Light::Linear,
            Some("colors stay sRGB-encoded in 3MF: it knows no others"),
        ),
        (Format::Stl, Light::Linear, None),
    ] {
        let told = losses(format, &shipment, &WriteOptions { light: Some(light), ..plain });
        let told = told.iter().find(|loss| loss.kind == LossKind::Light);
        assert_eq!(told.is_some(), said.is_some(), "{format:?} {light:?}: {told:?}");
        let fits = told.zip(said).is_none_or(|(loss, said)| loss.text.contains(said));
        assert!(fits, "{format:?}: {told:?}");
    }
    let mut mixed = [parts.clone(), parts.clone()].concat();
    mixed[1].sets[0].encoding = Encoding::Data;
    for format in [Format::Obj, Format::Off] {
        let options = WriteOptions { light: Some(Light::Linear), ..plain };
        let export = write(format, &Shipment::of(&mixed), options).unwrap();
        assert!(export.losses.iter().any(|loss| loss.text.contains("some parts have data there")));
        let text = String::from_utf8_lossy(&export.bytes).into_owned();
        assert!(!text.contains(" linear "), "{text}");
    }

    // Formats without units say that they cannot tell them; those with units do not.
    let traits = Some(ProjectTraits { unit: Unit::Inch, up: UpAxis::Z });
    for (format, is_told) in
        [(Format::Ply, true), (Format::Stl, true), (Format::Usda, false), (Format::Glb, false)]
    {
        let shipment = Shipment { traits, ..shipment };
        let told = losses(format, &shipment, &plain);
        let units = told.iter().find(|loss| loss.kind == LossKind::Units);
        assert_eq!(units.is_some(), is_told, "{format:?}");
        assert!(units.is_none_or(|loss| loss.text.contains("1 in and that +Z is up")), "{units:?}");
    }

    // Parts are joined where a file holds one mesh; text STL keeps its solids apart.
    let two = [parts.clone(), parts].concat();
    for (format, body, is_told) in [
        (Format::Ply, Body::Little, true),
        (Format::Off, Body::Little, true),
        (Format::Stl, Body::Little, true),
        (Format::Stl, Body::Ascii, false),
        (Format::Obj, Body::Little, false),
        (Format::ThreeMf, Body::Little, false),
    ] {
        let told = losses(format, &Shipment::of(&two), &WriteOptions { body, ..plain });
        assert_eq!(
            told.iter().any(|loss| loss.kind == LossKind::Parts),
            is_told,
            "{format:?} {body:?}"
        );
    }
}

/// Each cure alone makes what it is offered for go away, whatever the format.
#[test]
fn cures_undo_what_they_are_offered_for() {
    let parts =
        square(With { alpha: true, between_steps: true, material: true, sets: 2, ..ONE_SET });
    let mut other = parts.clone();
    other[0].sets.iter_mut().for_each(|set| set.encoding = Encoding::Data);
    let said = |format, parts: &[Part], options: &WriteOptions| {
        losses(format, &Shipment::of(parts), options)
    };
    let mut offered = Vec::new();
    for format in Format::ALL {
        let plain = WriteOptions::default();
        let coarse = WriteOptions { depth: Depth::Bits8, alpha: false, materials: false, ..plain };
        let usual = format.abilities().light(None);
        let lights = [Light::Encoded, Light::Linear];
        let light = lights.into_iter().find(|light| *light != usual);
        for options in [plain, coarse, WriteOptions { light, ..plain }] {
            for parts in [&parts, &other, &[parts.clone(), parts.clone()].concat()] {
                for loss in said(format, parts, &options) {
                    for &cure in &loss.cures {
                        let mut cured = options;
                        let mut left = parts.as_slice();
                        match cure {
                            Cure::Alpha => cured.alpha = true,
                            Cure::Materials => cured.materials = true,
                            Cure::Depth(depth) => cured.depth = depth,
                            Cure::Data(data) => cured.data = data,
                            Cure::UsualLight => cured.light = None,
                            Cure::FilePerPart => left = &parts[..1],
                        }
                        let is_same =
                            |other: &Loss| (other.kind, &other.text) == (loss.kind, &loss.text);
                        let after = said(format, left, &cured);
                        assert!(!after.iter().any(is_same), "{format:?}: {cure:?} leaves {loss:?}");
                        offered.push(std::mem::discriminant(&cure));
                    }
                }
            }
        }
    }
    offered.sort_by_key(|cure| format!("{cure:?}"));
    offered.dedup();
    assert_eq!(offered.len(), 6, "each of them was offered somewhere");
}

/// Materials of glTF, by the crate `gltf`: one primitive each, the image once.
#[test]
fn materials_go_out_as_they_came_in_each_once() {
    let mut parts = square(With { uv_sets: 1, sets: 0, ..ONE_SET });
    let mut pixel = std::io::Cursor::new(Vec::new());
    image::RgbaImage::from_pixel(1, 1, image::Rgba([200, 100, 50, 255]))
        .write_to(&mut pixel, image::ImageFormat::Bmp)
        .unwrap();
    let images = [ImageRecord { name: "planks".into(), file: pixel.into_inner().into() }];
    let oak = Material {
        image: Some("planks".into()),
        metallic: 0.25,
        roughness: 0.5,
        ..Material::new("Oak", [1.0; 4])
    };
    let tar = Material { both_sides: true, ..Material::new("Tar", [0.5, 0.0, 1.0, 0.5]) };
    parts[0].materials = Materials { list: vec![oak, tar], of_faces: vec![1, 0] }.into();
    let shipment = Shipment { images: &images, ..Shipment::of(&parts) };
    let export = write(Format::Glb, &shipment, WriteOptions::default()).unwrap();
    let (file, _, read) = gltf::import_slice(&export.bytes).unwrap();
    // A bitmap is none of the standard's kinds of images: it went out as PNG, with the same color.
    assert_eq!((read.len(), &read[0].pixels[..3]), (1, &[200, 100, 50][..]));
    let primitives: Vec<_> = file.meshes().next().unwrap().primitives().collect();
    let told: Vec<(String, f32, bool)> = primitives
        .iter()
        .map(|primitive| {
            let material = primitive.material();
            let base = material.pbr_metallic_roughness();
            (material.name().unwrap().to_owned(), base.roughness_factor(), material.double_sided())
        })
        .collect();
    assert_eq!(told, [("Oak".to_owned(), 0.5, false), ("Tar".to_owned(), 1.0, true)]);
    // IEC 61966-2-1: 0.5 is 0.21404114 of light; alpha stays.
    let factor = primitives[1].material().pbr_metallic_roughness().base_color_factor();
    assert!((factor[0] - 0.214_041_14).abs() < 1e-6 && factor[3] == 0.5);

    // And OBJ: an MTL and the image beside it, read again as they were.
    let export =
        write(Format::Obj, &Shipment { name: "deck", ..shipment }, WriteOptions::default())
            .unwrap();
    let names: Vec<&str> = export.beside.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["deck.mtl", "planks.bmp"]);
    let beside =
        |name: &str| export.beside.iter().find(|(own, _)| own == name).map(|(_, b)| b.clone());
    let file =
        speckle_formats::MeshFile { name: "deck.obj", bytes: &export.bytes, beside: &beside };
    let back = speckle_formats::read(&file, &speckle_formats::ReadOptions::default()).unwrap();
    let materials = &back.parts[0].materials;
    let first = materials.of_face(0).unwrap();
    assert_eq!((first.name.as_str(), first.color), ("Tar", [0.5, 0.0, 1.0, 0.5]));
    assert_eq!(materials.of_face(1).unwrap().image.as_deref(), Some("planks.bmp"));
}
