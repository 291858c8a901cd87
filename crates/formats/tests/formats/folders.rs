//! Deliveries in folders, and looks in deliveries.

use std::{fs, sync::Arc};

use glam::Vec3;
use speckle_color::Encoding;
use speckle_formats::{
    folder::keep_up,
    note::Origin,
    recipient::{Goods, Recipient},
};
use speckle_mesh::{Mesh, Placement, Unit, UpAxis, mesh::MeshArrays};
use speckle_model::{
    ImageRecord, NewPart, NewSet, Part, ProjectTraits,
    proof::{Coat, Laid, Lay, Layer, Look},
};

use crate::common::into_parts;

fn hut() -> Vec<Part> {
    let arrays = MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::X + Vec3::Y, Vec3::Y],
        face_starts: vec![0, 4],
        corner_vertices: vec![0, 1, 2, 3],
        ..MeshArrays::default()
    };
    let mesh = Mesh::new(arrays).unwrap();
    let set = |name: &str| {
        NewSet::flooded(name, Placement::Vertex, Encoding::Data, [0.2, 0.4, 0.6, 0.8], &mesh)
    };
    into_parts(vec![NewPart::new("Hut", mesh.clone(), vec![set("Coat"), set("Wear")])])
}

const TRAITS: ProjectTraits = ProjectTraits { unit: Unit::Millimetre, up: UpAxis::Y };

fn looks() -> Vec<Look> {
    let laid = Laid {
        image: "Bark: old.png".to_owned(),
        lay: Lay::Uv,
        repeat: [1.0; 2],
        offset: [0.0; 2],
        turn: 0.0,
    };
    let set = Coat::Set { set: "Wear".to_owned() };
    vec![Look::new(
        "Old bark",
        vec![
            Layer { coat: Coat::Image { laid }, ..Layer::of_color("Bark", [0.0; 3]) },
            Layer { coat: set, ..Layer::of_color("Wear", [0.0; 3]) },
        ],
    )]
}

/// Looks go along as code in all languages and as nodes, with their images, which the nodes find under the names that
/// they go by; sets are asked for at the place where the file has them.
#[test]
fn looks_go_along_with_their_images() {
    let parts = hut();
    let looks = looks();
    let images = [
        ImageRecord { name: "Bark: old.png".to_owned(), file: Arc::new(b"bark".to_vec()) },
        ImageRecord { name: "unused.png".to_owned(), file: Arc::new(b"none".to_vec()) },
    ];
    let goods = Goods {
        name: "Hut",
        parts: &parts,
        images: &images,
        palette: &[],
        looks: &looks,
        traits: TRAITS,
    };
    let recipient = Recipient { shaders: true, ..Recipient::default() };
    let packed = recipient.pack(&goods, Origin::default()).unwrap();
    let names: Vec<&str> = packed.files().map(|file| file.name.as_str()).collect();
    for end in ["glsl", "hlsl", "wgsl", "mtlx"] {
        assert!(names.iter().any(|name| name.ends_with(&format!("-look.{end}"))), "{names:?}");
    }
    let image = packed.files().find(|file| file.bytes == b"bark").unwrap();
    assert!(!packed.files().any(|file| file.bytes == b"none"), "{names:?}");
    let nodes = packed.files().find(|file| file.name.ends_with("-look.mtlx")).unwrap();
    let nodes = String::from_utf8(nodes.bytes.clone()).unwrap();
    assert!(nodes.contains(&format!("value=\"{}\"", image.name)), "{nodes}");
    // Wear is the second set.
    assert!(nodes.contains("<input name=\"index\" type=\"integer\" value=\"1\"/>"), "{nodes}");
    // GLB stores vertex colors in linear light (glTF 2.0, 3.7.2.1), data as it is.
    let colors = Recipient { shaders: true, ..Recipient::default() };
    let mut colored = hut();
    colored[0].sets[1].encoding = Encoding::Color;
    let packed = colors.pack(&Goods { parts: &colored, ..goods }, Origin::default()).unwrap();
    let code = |packed: &speckle_formats::recipient::Packed| {
        let file = packed.files().find(|file| file.name.ends_with("-look.glsl")).unwrap();
        String::from_utf8(file.bytes.clone()).unwrap()
    };
    assert!(code(&packed).contains("look_encoded(wear_in_light.rgb)"), "{}", code(&packed));
    let goods = Goods { parts: &parts, ..goods };
    let packed = colors.pack(&goods, Origin::default()).unwrap();
    assert!(!code(&packed).contains("in_light"), "{}", code(&packed));
    let without = Recipient::default().pack(&goods, Origin::default()).unwrap();
    assert!(without.files().all(|file| !file.name.contains("look")));
}

/// Files are there whole, those that are as they should be are left alone, those of before that are wanted no more go,
/// and what others have put there stays.
#[test]
fn a_folder_is_kept_up_to_date() {
    let parts = hut();
    let looks = looks();
    let goods = Goods {
        name: "Hut",
        parts: &parts,
        images: &[],
        palette: &[],
        looks: &looks,
        traits: TRAITS,
    };
    let folder = tempfile::tempdir().unwrap();
    let into = folder.path().join("deliveries").join("hut");
    let with_code = Recipient { shaders: true, ..Recipient::default() };
    let packed = with_code.pack(&goods, Origin::default()).unwrap();
    let first = keep_up(&into, &packed, &[]).unwrap();
    assert_eq!(first.len(), packed.files().count());
    for file in packed.files() {
        assert_eq!(fs::read(into.join(&file.name)).unwrap(), file.bytes);
    }
    fs::write(into.join("mine.txt"), "mine").unwrap();
    let when = |name: &str| fs::metadata(into.join(name)).unwrap().modified().unwrap();
    let before = when(&first[0]);
    std::thread::sleep(std::time::Duration::from_millis(20));
    keep_up(&into, &packed, &first).unwrap();
    assert_eq!(when(&first[0]), before, "it is as it should be");
    let plain = Recipient::default().pack(&goods, Origin::default()).unwrap();
    let second = keep_up(&into, &plain, &first).unwrap();
    assert!(second.len() < first.len());
    let mut there: Vec<String> = fs::read_dir(&into)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    there.sort();
    let mut wanted = second;
    wanted.push("mine.txt".to_owned());
    wanted.sort();
    assert_eq!(there, wanted);
    // Where a file stands in the folder's place nothing can be written, and it says so.
    let blocked = folder.path().join("blocked");
    fs::write(&blocked, "a file").unwrap();
    let trouble = keep_up(&blocked.join("hut"), &plain, &[]).unwrap_err();
    assert!(trouble.contains("cannot be written"), "{trouble}");
    assert_eq!(fs::read(&blocked).unwrap(), b"a file");
}
