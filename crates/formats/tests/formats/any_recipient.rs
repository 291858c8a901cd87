//! Whatever a recipient wants, what goes out is the model: read alone, it has the same triangles at
//! the same places, and every set that is not told to be lost.

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::Encoding;
use speckle_formats::{
    Body, DataSets, Depth, Format, Light, LossKind, MeshFile, ReadOptions,
    abilities::Says,
    note::Origin,
    recipient::{Goods, Packed, Recipient, Vertices},
    shader::Look,
};
use speckle_mesh::{Conversion, Mesh, Placement, Transform, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Part, ProjectTraits};
use speckle_tools::compare::compare;

use crate::common::into_parts;

const HOME: ProjectTraits = ProjectTraits { unit: Unit::Centimetre, up: UpAxis::Z };

/// A roof of two quads and a triangle that share an edge.
fn roof(name: &str, shift: f32, sets: Vec<(Placement, Encoding, u8)>) -> NewPart {
    let points = [
        [0., 0., 0.],
        [2., 0., 0.],
        [2., 1., 1.],
        [0., 1., 1.],
        [2., 2., 0.],
        [0., 2., 0.],
        [1., 1., 3.],
    ];
    let mesh = Mesh::new(MeshArrays {
        positions: points.map(|[x, y, z]| Vec3::new(x + shift, y, z)).to_vec(),
        face_starts: vec![0, 4, 8, 11],
        corner_vertices: vec![0, 1, 2, 3, 3, 2, 4, 5, 2, 6, 3],
        ..MeshArrays::default()
    })
    .unwrap();
    let set = |(number, (placement, encoding, seed)): (usize, (Placement, Encoding, u8))| {
        let value = |i: usize| {
            let byte = |k: usize| ((seed as usize + 37 * i * (k + 1)) % 256) as f32 / 255.0;
            [byte(0), byte(1), byte(2), 1.0]
        };
        NewSet {
            name: ["Coat", "Wear & tear", "3rd"][number].to_owned(),
            placement,
            encoding,
            ground: [1.0; 4],
            values: (0..placement.count(&mesh)).map(value).collect(),
        }
    };
    let sets = sets.into_iter().enumerate().map(set).collect();
    NewPart::new(name, mesh, sets)
}

fn placements() -> impl Strategy<Value = Placement> {
    prop::sample::select(vec![Placement::Vertex, Placement::Corner, Placement::Face])
}

fn parts() -> impl Strategy<Value = Vec<Part>> {
    let encodings = prop::sample::select(vec![Encoding::Color, Encoding::Data]);
    let sets = prop::collection::vec((placements(), encodings, any::<u8>()), 0..4);
    (sets, any::<bool>(), 0.5_f32..2.0, -30.0_f32..30.0).prop_map(
        |(sets, is_hidden, scale, turn)| {
            let mut parts = into_parts(vec![
                roof("Boathouse", 0.0, sets.clone()),
                roof("Boathouse №2", 5.0, sets),
            ]);
            parts[1].traits.visible = !is_hidden;
            parts[1].traits.transform = Transform {
                scale: Vec3::splat(scale),
                rotation_degrees: Vec3::new(turn, 0.0, 2.0 * turn),
                translation: Vec3::new(1.0, 2.0, turn),
            };
            parts
        },
    )
}

fn recipients() -> impl Strategy<Value = Recipient> {
    let how = (
        prop::sample::select(Format::ALL.to_vec()),
        prop::sample::select(vec![Depth::Usual, Depth::Bits8, Depth::Bits16, Depth::Float]),
        prop::sample::select(vec![Body::Little, Body::Big, Body::Ascii]),
        prop::sample::select(vec![DataSets::AsColors, DataSets::BehindWhite, DataSets::Named]),
        prop::sample::select(vec![Vertices::AsTheyAre, Vertices::Joined, Vertices::Split]),
    );
    let numbers = (
        prop::option::of(prop::sample::select(vec![Unit::Millimetre, Unit::Metre, Unit::Inch])),
        prop::option::of(prop::sample::select(vec![UpAxis::Y, UpAxis::Z])),
        prop::sample::select(vec![1.0, 0.5, 100.0]),
        prop::option::of(prop::sample::select(vec![Light::Encoded, Light::Linear])),
    );
    let turns = prop::array::uniform8(any::<bool>());
    (how, numbers, turns, 0_u8..5).prop_map(|(how, (unit, up, scale, light), turns, spools)| {
        let (format, depth, body, data, vertices) = how;
        let [
            alpha,
            triangulate,
            apply_transforms,
            visible_only,
            file_per_part,
            plain,
            note,
            shaders,
        ] = turns;
        Recipient {
            format,
            depth,
            light,
            alpha,
            body,
            data,
            vertices,
            unit,
            up,
            scale,
            triangulate,
            apply_transforms,
            visible_only,
            file_per_part,
            plain_names: plain,
            note,
            shaders,
            spools,
            look: Look::Lit,
            ..Recipient::default()
        }
    })
}

fn pack(recipient: &Recipient, parts: &[Part]) -> Packed {
    let goods = Goods { name: "Slip", parts, images: &[], palette: &[], looks: &[], traits: HOME };
    recipient.pack(&goods, Origin::default()).unwrap()
}

/// The area of what goes out, in the project's square steps: a sum that no cutting, joining or order
/// of parts changes.
fn area(parts: &[Part]) -> f64 {
    let of = |part: &Part| {
        let baked = part.baked().unwrap();
        let mesh = baked.triangulated().geometry.mesh().clone();
        (0..mesh.face_count())
            .map(|f| f64::from(mesh.face_area_vector(f).length()) / 2.0)
            .sum::<f64>()
    };
    parts.iter().map(of).sum()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]

    #[test]
    fn what_goes_out_is_the_model_whatever_is_wanted(parts in parts(), recipient in recipients()) {
        let packed = pack(&recipient, &parts);
        let traits = ProjectTraits {
            unit: recipient.unit.unwrap_or(HOME.unit),
            up: recipient.up.unwrap_or(HOME.up),
        };
        let lengths = recipient.scale * Conversion::between((HOME.unit, HOME.up), (traits.unit, traits.up)).scale;
        let mut back = Vec::new();
        for mesh in &packed.meshes {
            let beside = |name: &str| {
                packed.beside.iter().find(|own| own.name == name).map(|own| own.bytes.clone())
            };
            let file =
                MeshFile { name: &mesh.file.name, bytes: &mesh.file.bytes, beside: &beside };
            let mut import = speckle_formats::read(&file, &ReadOptions::default()).unwrap();
            let abilities = recipient.format.abilities();
            if abilities.units == Says::Nothing {
                import.traits = traits;
            }
            import.convert(traits).unwrap();
            let theirs = into_parts(import.parts);
            // As it was packed, corner by corner.
            let comparison = compare(&mesh.parts, &theirs);
            for part in &comparison.parts {
                prop_assert!(part.max_distance.is_some_and(|far| f64::from(far) < 1e-3 * lengths), "{part:?}");
                // White spools for a part without a set are told; nothing else comes in.
                let own = |name: &str| mesh.parts.iter().any(|p| p.sets.iter().any(|s| s.name == name));
                for set in part.sets.iter().filter(|set| own(&set.name)) {
                    let is_told = packed.losses.iter().any(|loss| {
                        loss.kind == LossKind::Sets && loss.text.contains(&set.name)
                    });
                    match set.max_difference {
                        Some(most) => {
                            let coarse = packed.losses.iter().any(|loss| loss.kind == LossKind::Depth);
                            let most_allowed = if coarse { 0.06 } else { 1.01 / 255.0 };
                            prop_assert!(most <= most_allowed, "{}: {most}", set.name);
                        }
                        None => prop_assert!(is_told, "{} is gone: {:?}", set.name, packed.losses),
                    }
                }
            }
            back.extend(theirs);
        }
        // And as it stands in the project, whatever was cut, split, joined or sorted by swatch.
        let going: Vec<Part> =
            parts.iter().filter(|p| !recipient.visible_only || p.traits.visible).cloned().collect();
        let (wanted, found) = (area(&going) * lengths * lengths, area(&back));
        prop_assert!((found / wanted - 1.0).abs() < 1e-3, "{found} of {wanted}");
        // Every file has a name of its own, and none leads elsewhere.
        let mut names: Vec<String> = packed.files().map(|file| file.name.to_lowercase()).collect();
        prop_assert!(names.iter().all(|name| !name.contains(['/', '\\', ':'])));
        names.sort_unstable();
        names.dedup();
        prop_assert_eq!(names.len(), packed.files().count());
    }

    #[test]
    fn a_recipient_written_down_is_the_same_when_read(recipient in recipients()) {
        let text = serde_json::to_string(&recipient).unwrap();
        prop_assert_eq!(serde_json::from_str::<Recipient>(&text).unwrap(), recipient);
    }
}
