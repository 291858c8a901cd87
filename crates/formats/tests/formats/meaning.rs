//! What the numbers of a file mean, and where the file comes from: said, fixed by a standard, or
//! guessed with a reason.

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::Encoding;
use speckle_formats::{
    Body, Format, Import, MeshFile, ReadOptions, Shipment, WriteOptions,
    note::Origin,
    recipient::{Goods, Recipient},
    write,
};
use speckle_mesh::{Mesh, Placement, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Part, ProjectTraits};

use crate::common::{into_parts, read};

/// A hut with a flat floor at the bottom of z, walls that lean out, and a gable above.
fn hut(size: f32) -> Part {
    let floor = [[0., 0., 0.], [3., 0., 0.], [3., 2., 0.], [0., 2., 0.]];
    let eaves = [[-0.5, -0.5, 1.], [3.5, -0.5, 1.], [3.5, 2.5, 1.], [-0.5, 2.5, 1.]];
    let ridge = [[0., 1., 2.], [3., 1., 2.]];
    let positions = [&floor[..], &eaves, &ridge].concat();
    let mesh = Mesh::new(MeshArrays {
        positions: positions.into_iter().map(|p: [f32; 3]| Vec3::from(p) * size).collect(),
        face_starts: vec![0, 4, 8, 13, 17, 22, 26, 30],
        corner_vertices: vec![
            0, 3, 2, 1, 0, 1, 5, 4, 1, 2, 6, 9, 5, 2, 3, 7, 6, 3, 0, 4, 8, 7, 4, 5, 9, 8, 6, 7, 8,
            9,
        ],
        ..MeshArrays::default()
    });
    let coat = NewSet {
        name: "Coat".into(),
        placement: Placement::Face,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values: vec![[0.5; 4]; 7],
    };
    into_parts(vec![NewPart::new("Hut", mesh.unwrap(), vec![coat])]).remove(0)
}

fn guessed(format: Format, part: &Part, options: ReadOptions) -> Import {
    let bytes = write(format, &Shipment::of(std::slice::from_ref(part)), WriteOptions::default());
    let name = format!("hut.{}", format.extension());
    let file = bytes.unwrap().bytes;
    speckle_formats::read(&MeshFile::alone(&name, &file), &options).unwrap()
}

const GUESS: fn() -> ReadOptions = || ReadOptions { guess: true, ..ReadOptions::default() };

#[test]
fn what_says_nothing_is_guessed_by_size_with_the_reason() {
    for (size, unit, reason) in [
        (
            0.05,
            Unit::Metre,
            "by its size: it says nothing and is 0.200 long, a speck if it were millimetres",
        ),
        (
            50.0,
            Unit::Millimetre,
            "by its size: it says nothing and is 200 long, a giant if it were metres",
        ),
    ] {
        let import = guessed(Format::Ply, &hut(size), GUESS());
        assert_eq!(import.traits.unit, unit);
        assert_eq!(import.reasons.unit, reason);
        assert!(import.reasons.guessed);
    }
    let printed = guessed(Format::Stl, &hut(0.05), GUESS());
    assert_eq!(printed.traits.unit, Unit::Millimetre);
    assert!(printed.reasons.unit.contains("as printers read STL"));
}

#[test]
fn a_flat_underside_tells_which_way_is_up() {
    let standing = hut(50.0);
    let import = guessed(Format::Ply, &standing, GUESS());
    assert_eq!(import.traits.up, UpAxis::Z);
    assert_eq!(import.reasons.up, "by its flat underside at the bottom of Z");
    // Lying on its back, so that its floor looks along −y.
    let mut lying = standing.clone();
    let turned = standing.geometry.mesh().moved(|p| Vec3::new(p.x, p.z, -p.y), |n| n).unwrap();
    lying.geometry = std::sync::Arc::new(speckle_mesh::Geometry::new(turned));
    let import = guessed(Format::Obj, &lying, GUESS());
    assert_eq!(
        (import.traits.up, import.reasons.up.as_str()),
        (UpAxis::Y, "by its flat underside at the bottom of Y")
    );
    // Nothing flat at any bottom: as files of the format usually are.
    let tip = standing
        .geometry
        .mesh()
        .moved(|p| Vec3::new(p.x + 0.3 * p.y, p.y + 0.3 * p.z, p.z + 0.4 * p.x), |n| n);
    lying.geometry = std::sync::Arc::new(speckle_mesh::Geometry::new(tip.unwrap()));
    let import = guessed(Format::Ply, &lying, GUESS());
    assert_eq!(
        (import.traits.up, import.reasons.up.as_str()),
        (UpAxis::Y, "as files of PLY usually are, it says nothing")
    );
}

#[test]
fn what_is_chosen_said_or_fixed_is_not_guessed() {
    let part = hut(0.05);
    let chosen = ReadOptions { unit: Some(Unit::Inch), up: Some(UpAxis::Y), ..GUESS() };
    let import = guessed(Format::Ply, &part, chosen);
    assert_eq!(import.traits, ProjectTraits { unit: Unit::Inch, up: UpAxis::Y });
    assert_eq!((import.reasons.unit.as_str(), import.reasons.guessed), ("as it was chosen", false));
    for (format, reason) in
        [(Format::Glb, "as GLB (glTF 2.0) always has them"), (Format::ThreeMf, "as the file says")]
    {
        let import = guessed(format, &part, GUESS());
        assert_eq!((import.reasons.unit.as_str(), import.reasons.guessed), (reason, false));
    }
    let plain = guessed(Format::Ply, &part, ReadOptions::default());
    assert_eq!(plain.traits, Format::Ply.usual_traits(), "a script gets the same for every size");
    assert!(!plain.reasons.guessed);
}

#[test]
fn every_format_says_which_project_it_comes_from_and_when() {
    let origin = Origin {
        project: "Nets & <ropes>, revision 2".into(),
        project_id: "19a5-7".into(),
        revision: 41,
        date: "2026-11-26".into(),
    };
    let parts = [hut(5.0)];
    let traits = ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Z };
    let goods = Goods { name: "Hut", parts: &parts, images: &[], palette: &[], looks: &[], traits };
    let binary = Format::ALL.map(|format| Recipient { format, ..Recipient::default() });
    let text = Recipient { format: Format::Stl, body: Body::Ascii, ..Recipient::default() };
    for recipient in binary.into_iter().chain([text]) {
        let format = recipient.format;
        let packed = recipient.pack(&goods, origin.clone()).unwrap();
        let file = &packed.meshes[0].file;
        let found = read(&file.name, &file.bytes).unwrap().origin;
        let found = found.unwrap_or_else(|| panic!("{format:?} does not say it"));
        assert_eq!((found.project_id.as_str(), found.revision), ("19a5-7", 41), "{format:?}");
        assert_eq!(found.date, "2026-11-26");
        // The 80 bytes before the triangles of an STL file hold the beginning of a name.
        let is_cut = format == Format::Stl && recipient.body != Body::Ascii;
        assert!(
            if is_cut {
                origin.project.starts_with(&found.project)
            } else {
                origin.project == found.project
            },
            "{format:?}: {}",
            found.project
        );
    }
}

proptest! {
    #[test]
    fn no_text_makes_the_search_for_an_origin_fall_over(bytes in prop::collection::vec(any::<u8>(), 0..300), cut in 0_usize..90) {
        let origin = Origin { project: "Pier".into(), project_id: "a-1".into(), revision: 3, date: "2026-11-26".into() };
        let mut text = bytes.clone();
        text.extend(origin.line().bytes());
        prop_assert_eq!(Origin::find_in(&text).is_some(), true);
        text.truncate(bytes.len() + cut.min(origin.line().len()));
        let _ = Origin::find_in(&text);
    }
}
