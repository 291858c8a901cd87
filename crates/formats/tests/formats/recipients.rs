//! Packing for recipients: what goes, in which order, unit and place, and what is said beside it.

use glam::Vec3;
use speckle_color::Encoding;
use speckle_formats::{
    Format, LossKind, Weight,
    abilities::table,
    note::{ChannelNote, Origin, day},
    recipient::{Goods, Recipient, starters},
};
use speckle_mesh::{Mesh, Placement, Transform, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{
    ImageRecord, Material, Materials, NewPart, NewSet, Part, ProjectTraits,
    color_set::{ChannelTraits, Signed},
};
use speckle_tools::compare::compare;

use crate::common::{into_parts, read};

/// A square of one quad, 2 × 4 × 0, with a color set per corner and a data set per vertex.
fn plank(name: &str) -> NewPart {
    let positions = [[0., 0., 0.], [2., 0., 0.], [2., 4., 0.], [0., 4., 0.]];
    let mesh = Mesh::new(MeshArrays {
        positions: positions.map(Vec3::from).to_vec(),
        face_starts: vec![0, 4],
        corner_vertices: vec![0, 1, 2, 3],
        ..MeshArrays::default()
    })
    .unwrap();
    let set = |name: &str, placement, encoding, last: f32| NewSet {
        name: name.to_owned(),
        placement,
        encoding,
        ground: [1.0; 4],
        values: [0.0, 0.25, 0.5, last].map(|x| [x, 1.0 - x, 0.5, 1.0]).to_vec(),
    };
    let wear = set("Wear", Placement::Vertex, Encoding::Data, 1.0);
    let coat = set("Coat", Placement::Corner, Encoding::Color, 0.8);
    NewPart::new(name, mesh, vec![wear, coat])
}

fn planks() -> Vec<Part> {
    let mut parts = into_parts(vec![plank("Deck"), plank("Keel")]);
    parts[1].traits.transform =
        Transform { translation: Vec3::new(10.0, 0.0, 3.0), ..Transform::IDENTITY };
    parts[0].sets[0].channels[0] = ChannelTraits {
        meaning: "sway".to_owned(),
        low: "still".to_owned(),
        high: "free | loose".to_owned(),
        signed: Some(Signed { neutral: 0.5, amount: 2.0 }),
        locked: false,
    };
    parts
}

const OURS: ProjectTraits = ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Z };

fn goods(parts: &[Part]) -> Goods<'_> {
    Goods { name: "Herring: drifter", parts, images: &[], palette: &[], looks: &[], traits: OURS }
}

fn origin() -> Origin {
    Origin {
        project: "Herring drifter".into(),
        project_id: "a-1".into(),
        revision: 12,
        date: "2026-11-26".into(),
    }
}

#[test]
fn sets_go_in_the_wanted_order_and_files_are_named_for_any_system() {
    let parts = planks();
    let recipient = Recipient {
        format: Format::Ply,
        sets: vec!["Coat".into(), "Wear".into(), "Gone".into()],
        file_per_part: true,
        ..Recipient::default()
    };
    let packed = recipient.pack(&goods(&parts), origin()).unwrap();
    let names: Vec<&str> = packed.files().map(|file| file.name.as_str()).collect();
    assert_eq!(
        names,
        [
            "Herring_ drifter-Deck.ply",
            "Herring_ drifter-Keel.ply",
            "Herring_ drifter-channels.json",
            "Herring_ drifter-channels.md"
        ]
    );
    let order: Vec<&str> =
        packed.meshes[0].parts[0].sets.iter().map(|set| set.name.as_str()).collect();
    assert_eq!(order, ["Coat", "Wear"]);
    assert!(packed.losses.iter().all(|loss| loss.kind != LossKind::Parts), "each has a file");
    let gone = "no part has a set Gone, which was to go along";
    assert!(packed.losses.iter().any(|loss| loss.text == gone));

    let alone = Recipient { sets: vec!["Wear".into()], note: false, ..recipient };
    let packed = alone.pack(&goods(&parts), origin()).unwrap();
    assert!(packed.beside.is_empty());
    assert_eq!(packed.parts().nth(1).unwrap().sets.len(), 1);
}

/// One inch is 25.4 mm exactly (international yard and pound agreement, 1959).
#[test]
fn points_go_in_the_wanted_unit_axis_and_scale() {
    let parts = planks();
    let recipient = Recipient {
        format: Format::Obj,
        unit: Some(Unit::Inch),
        up: Some(UpAxis::Y),
        scale: 25.4,
        ..Recipient::default()
    };
    let packed = recipient.pack(&goods(&parts), origin()).unwrap();
    let back = read("x.obj", &packed.meshes[0].file.bytes).unwrap();
    // z up becomes y up: (x, y, z) → (x, z, −y); a millimetre in inches times 25.4 is 1.
    let keel = &back.parts[1].mesh;
    let wanted = [[10., 3., 0.], [12., 3., 0.], [12., 3., -4.], [10., 3., -4.]];
    for (found, wanted) in keel.positions().iter().zip(wanted) {
        assert!(found.distance(Vec3::from(wanted)) < 1e-5, "{found} {wanted:?}");
    }
}

#[test]
fn every_starter_packs_and_its_files_say_the_same_when_read_alone() {
    let parts = planks();
    for (recipient, says) in starters() {
        assert!(!says.is_empty() && recipient.problem().is_none());
        let packed = recipient.pack(&goods(&parts), origin()).unwrap();
        let file = &packed.meshes[0].file;
        let mut back = read(&file.name, &file.bytes).unwrap();
        if recipient.format == Format::Ply {
            back.traits = OURS;
        }
        back.convert(OURS).unwrap();
        let theirs = into_parts(back.parts);
        let comparison = compare(&packed.meshes[0].parts, &theirs);
        for part in &comparison.parts {
            assert!(part.max_distance.unwrap() < 1e-4, "{}: {part:?}", recipient.name);
            // What finds no room is told.
            for set in &part.sets {
                let is_told = packed
                    .losses
                    .iter()
                    .any(|loss| loss.weight == Weight::Lost && loss.text.contains(&set.name));
                match set.max_difference {
                    Some(difference) => {
                        assert!(difference < 1.0 / 255.0, "{}: {set:?}", recipient.name)
                    }
                    None => assert!(
                        is_told,
                        "{}: {} is gone, {:?}",
                        recipient.name, set.name, packed.losses
                    ),
                }
            }
        }
    }
}

#[test]
fn the_note_tells_meaning_ends_decoding_and_where_it_comes_from() {
    let parts = planks();
    let packed = Recipient::default().pack(&goods(&parts), origin()).unwrap();
    let file = |end: &str| {
        let found = packed.beside.iter().find(|file| file.name.ends_with(end)).unwrap();
        String::from_utf8(found.bytes.clone()).unwrap()
    };
    let note: ChannelNote = serde_json::from_str(&file("json")).unwrap();
    assert_eq!(note, packed.note);
    let sway = &note.sets[0].channels[0];
    assert_eq!(sway.decode, "value = (r − 0.5) × 2");
    assert_eq!((sway.range, sway.made.as_str()), ([0.0, 1.0], "by hand, or as it came"));
    let text = file("md");
    for said in [
        "Revision 12, 2026-11-26",
        "+Z is up",
        "free \\| loose",
        "plain numbers, never to be gamma-corrected",
    ] {
        assert!(text.contains(said), "{said}: {text}");
    }
    // glTF 2.0, 3.2: application data goes into extras.
    let root = gltf::Gltf::from_slice(&packed.meshes[0].file.bytes).unwrap();
    let extras = root.as_json().asset.extras.as_ref().unwrap().get();
    assert!(
        extras.contains("\"project_id\":\"a-1\"") && extras.contains("free | loose"),
        "{extras}"
    );
}

#[test]
fn what_cannot_be_is_refused_with_what_to_do() {
    let parts = planks();
    for recipient in [
        Recipient { name: " ".into(), ..Recipient::default() },
        Recipient { scale: 0.0, ..Recipient::default() },
        Recipient { scale: f64::NAN, ..Recipient::default() },
    ] {
        assert!(recipient.pack(&goods(&parts), origin()).is_err());
    }
    let mut hidden = parts;
    hidden.iter_mut().for_each(|part| part.traits.visible = false);
    let error = Recipient::default().pack(&goods(&hidden), origin()).unwrap_err();
    assert!(error.remedy.contains("hidden ones stay at home"), "{error}");
    assert!(
        serde_json::from_str::<Recipient>(r#"{"formt":"ply"}"#).is_err(),
        "typing errors are told"
    );
}

#[test]
fn polygons_are_cut_with_their_corners_where_that_is_wanted() {
    let parts = planks();
    let recipient = Recipient { format: Format::Usda, triangulate: true, ..Recipient::default() };
    let packed = recipient.pack(&goods(&parts), origin()).unwrap();
    let mesh = packed.meshes[0].parts[0].geometry.mesh();
    assert_eq!((mesh.face_count(), mesh.corner_count()), (2, 6));
    let comparison = compare(&parts, &packed.meshes[0].parts);
    assert_eq!(comparison.max_difference(), Some(0.0));
}

/// Days of the calendar from a table, by `date -u -d @…` of coreutils.
#[test]
fn days_are_those_of_the_calendar() {
    for (seconds, wanted) in [
        (0, "1970-01-01"),
        (951_782_400, "2000-02-29"),
        (1_709_164_800, "2024-02-29"),
        (1_735_689_599, "2024-12-31"),
        (4_107_542_400, "2100-03-01"),
    ] {
        assert_eq!(day(seconds * 1000), wanted);
    }
}

#[test]
fn the_documented_table_is_the_one_that_the_code_goes_by() {
    let documented = include_str!("../../../../docs/formats.md");
    assert!(
        documented.contains(&table()),
        "put what `speckle formats` prints into docs/formats.md"
    );
}

/// Files never take each other's place: names that differ in what no file system takes, and images
/// that several files share.
#[test]
fn files_of_a_delivery_have_names_of_their_own() {
    let mut parts = into_parts(vec![plank("Deck: fore"), plank("Deck? fore")]);
    let mut pixel = std::io::Cursor::new(Vec::new());
    image::RgbaImage::new(1, 1).write_to(&mut pixel, image::ImageFormat::Png).unwrap();
    let other = [pixel.get_ref().as_slice(), b"more"].concat();
    let images = [("a/wood.png", pixel.into_inner()), ("b/wood.png", other)]
        .map(|(name, file)| ImageRecord { name: name.into(), file: file.into() });
    let wood =
        |image: &str| Material { image: Some(image.into()), ..Material::new(image, [1.0; 4]) };
    for part in &mut parts {
        let list = vec![wood("a/wood.png"), wood("b/wood.png")];
        part.materials = Materials { list, of_faces: vec![] }.into();
    }
    let recipient =
        Recipient { format: Format::Obj, file_per_part: true, note: false, ..Recipient::default() };
    let packed = recipient.pack(&Goods { images: &images, ..goods(&parts) }, origin()).unwrap();
    let mut names: Vec<&str> = packed.files().map(|file| file.name.as_str()).collect();
    assert_eq!(
        &names[..2],
        ["Herring_ drifter-Deck_ fore.obj", "Herring_ drifter-Deck_ fore 2.obj"]
    );
    let count = names.len();
    names.sort_unstable();
    names.dedup();
    assert_eq!((names.len(), count), (6, 6), "two meshes, two libraries, two images: {names:?}");
}

/// What is said to be left out is left out: 3MF without alpha is opaque.
#[test]
fn alpha_that_shall_stay_at_home_does() {
    let mut parts = planks();
    let set = &mut parts[0].sets[1];
    set.values = set.values.iter().map(|v| [v[0], v[1], v[2], 0.4]).collect::<Vec<_>>().into();
    for (alpha, wanted) in [(true, 102), (false, 255)] {
        let recipient = Recipient {
            format: Format::ThreeMf,
            sets: vec!["Coat".into()],
            alpha,
            ..Recipient::default()
        };
        let packed = recipient.pack(&goods(&parts), origin()).unwrap();
        let is_told = packed.losses.iter().any(|loss| loss.kind == LossKind::Alpha);
        assert_eq!(is_told, !alpha);
        let back = read("x.3mf", &packed.meshes[0].file.bytes).unwrap();
        assert_eq!((back.parts[0].sets[0].values[0][3] * 255.0).round() as i32, wanted);
    }
}
