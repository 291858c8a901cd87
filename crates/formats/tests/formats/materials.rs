//! Base colors and images of glTF materials, against glTF 2.0 (Khronos), the crate `gltf`, and
//! IEC 61966-2-1.

use base64::prelude::{BASE64_STANDARD, Engine as _};
use serde_json::json;
use speckle_color::Encoding;
use speckle_core::{Document, ImageEdit, PartEdit, RecipeEdit};
use speckle_formats::{MeshFile, ReadOptions};
use speckle_mesh::Placement;
use speckle_model::recipe::RecipeFile;
use speckle_tools::bake::{Pantry, watch::Watch};

/// 2 × 1 pixels: red and blue (BMP, 24 bits, blue first, rows padded to 4).
fn two_pixels() -> Vec<u8> {
    let mut file = b"BM".to_vec();
    let words: [u32; 13] = [62, 0, 54, 40, 2, 1, 24 << 16 | 1, 0, 8, 0, 0, 0, 0];
    file.extend(words.iter().flat_map(|word| word.to_le_bytes()));
    file.extend([0, 0, 255, 255, 0, 0, 0, 0]);
    file
}

/// Two triangles of one mesh, each with a material of its own; the second with an image.
fn file(image: serde_json::Value) -> Vec<u8> {
    let positions = [[0.0_f32, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [1.0, 1.0, 0.0]];
    // glTF counts v downwards; u is all that matters to an image of one row.
    let uvs = [[0.25_f32, 0.5], [0.75, 0.5], [0.75, 0.5], [0.75, 0.5]];
    let mut bytes: Vec<u8> = positions.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
    bytes.extend(uvs.iter().flatten().flat_map(|x| x.to_le_bytes()));
    bytes.extend([0_u16, 1, 2, 2, 1, 3].iter().flat_map(|i| i.to_le_bytes()));
    let picture = bytes.len();
    bytes.extend(two_pixels());
    let uri = format!("data:application/octet-stream;base64,{}", BASE64_STANDARD.encode(&bytes));
    let surface = |indices: usize, material: usize| json!({ "attributes": { "POSITION": 0, "TEXCOORD_0": 1 }, "indices": indices, "material": material });
    let json = json!({
        "asset": { "version": "2.0" }, "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "mesh": 0 }],
        "meshes": [{ "name": "Flag", "primitives": [surface(2, 0), surface(3, 1)] }],
        "accessors": [
            { "bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0] },
            { "bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC2" },
            { "bufferView": 2, "componentType": 5123, "count": 3, "type": "SCALAR" },
            { "bufferView": 2, "byteOffset": 6, "componentType": 5123, "count": 3, "type": "SCALAR" },
        ],
        "bufferViews": [
            { "buffer": 0, "byteLength": 48 }, { "buffer": 0, "byteOffset": 48, "byteLength": 32 },
            { "buffer": 0, "byteOffset": 80, "byteLength": 12 },
            { "buffer": 0, "byteOffset": picture, "byteLength": bytes.len() - picture },
        ],
        "buffers": [{ "byteLength": bytes.len(), "uri": uri }],
        "materials": [
            { "name": "Tar", "pbrMetallicRoughness": { "baseColorFactor": [0.21404114, 0.0, 1.0, 1.0] } },
            { "name": "Cloth", "doubleSided": true, "pbrMetallicRoughness": {
                "baseColorFactor": [1.0, 1.0, 0.21404114, 1.0], "baseColorTexture": { "index": 0 }, "metallicFactor": 0.25 } },
        ],
        "textures": [{ "source": 0 }], "images": [image],
    });
    json.to_string().into_bytes()
}

#[test]
fn base_colors_become_a_set_per_face_and_their_images_the_project_s() {
    let bytes = file(json!({ "bufferView": 3, "mimeType": "image/bmp", "name": "Stripes" }));
    let import = crate::common::read("flag.gltf", &bytes).unwrap();
    let set = import.parts[0].sets.iter().find(|set| set.name == "Material").unwrap();
    assert_eq!((set.placement, set.encoding), (Placement::Face, Encoding::Color));
    // Factors are linear by the standard: 0.21404114 of light is 0.5 as sRGB writes it.
    let wanted = [[0.5, 0.0, 1.0, 1.0], [1.0, 1.0, 0.5, 1.0]];
    for (value, wanted) in set.values.iter().zip(wanted) {
        assert!(value.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 1e-5), "{value:?}");
    }
    // The crate reads the same factor, linear, from the same file.
    let other = gltf::Gltf::from_slice(&bytes).unwrap();
    let factor = other.materials().next().unwrap().pbr_metallic_roughness().base_color_factor();
    assert!((factor[0] - 0.214_041_14).abs() < 1e-7);
    assert_eq!(import.images.len(), 1);
    assert_eq!(
        (import.images[0].name.as_str(), &*import.images[0].file),
        ("Stripes", &two_pixels())
    );
    assert_eq!(import.notes, ["of materials only base colors and their images are kept: 2"]);

    // Recipes take both: the material's color, and the image by the file's own UVs.
    let mut document = Document::default();
    let (parts, images) = (import.parts, import.images);
    document.apply(PartEdit::AddParts { parts, images, traits: None }).unwrap();
    let part = document.parts()[0].id;
    for (recipe, wanted) in [
        (
            r#"{"set":"Mine","placement":"face","encoding":"color","recipes":[{"channels":"RGB","steps":[{"source":{"kind":"material"}}]}]}"#,
            // The image's blue, times the factor.
            [[128, 0, 255], [0, 0, 128]],
        ),
        (
            r#"{"set":"Laid","placement":"corner","encoding":"color","recipes":[{"channels":"RGB","steps":[{"source":{"kind":"image","image":"Stripes","averaged":"point","hard_pixels":true}}]}]}"#,
            [[255, 0, 0], [0, 0, 255]],
        ),
    ] {
        let file = RecipeFile::read(recipe).unwrap();
        document.apply(RecipeEdit::TakeRecipes { part, set: None, file }).unwrap();
        document.make_all(&Pantry::default(), &Watch::default()).unwrap();
        let made = document.parts()[0].products().last().unwrap();
        for (value, wanted) in made.values.iter().zip(wanted) {
            let bytes = [0, 1, 2].map(|i| (value[i] * 255.0).round() as u8);
            assert_eq!(bytes, wanted, "{}", made.name);
        }
    }

    // Another image of the same name makes the material stale, and only that which shows it.
    let mut green = two_pixels();
    green[54..60].copy_from_slice(&[0, 255, 0, 0, 255, 0]);
    let name = "Stripes".to_owned();
    document.apply(ImageEdit::AddImage { name: name.clone(), file: green.into() }).unwrap();
    document.make_all(&Pantry::default(), &Watch::default()).unwrap();
    let mine = |document: &Document| {
        let set = document.parts()[0].products().find(|set| set.name == "Mine").cloned();
        set.unwrap().values[1].map(|x| (x * 255.0).round() as u8)
    };
    assert_eq!(mine(&document), [0, 255, 0, 255]);
    // Without it, the recipe says what it lacks.
    document.apply(ImageEdit::DeleteImage { name }).unwrap();
    let error = document.make_all(&Pantry::default(), &Watch::default()).unwrap_err();
    assert!(error.to_string().contains("Stripes"), "{error}");

    let materials = &document.parts()[0].materials;
    let cloth = materials.of_face(1).unwrap();
    assert_eq!((cloth.name.as_str(), cloth.image.as_deref()), ("Cloth", Some("Stripes")));
    assert_eq!((cloth.metallic, cloth.roughness, cloth.both_sides), (0.25, 1.0, true));
}

#[test]
fn an_obj_file_s_images_come_along_with_their_materials() {
    let obj = b"mtllib flag.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt .25 .5\nvt .75 .5\n\
        usemtl Tar\nf 1/1 2/1 3/1\nusemtl Cloth\nf 3/2 2/2 4/2\nusemtl Gone\nf 1/1 2/1 4/1\n";
    // Options as the MTL description lists them: a switch, three numbers of which one is given.
    let mtl = b"newmtl Tar\nKd 1 0.5 0\nnewmtl Cloth\nKd 1 1 1\n\
        map_Kd -clamp on -s 2 tex\\two pixels.bmp\nnewmtl Gone\nmap_Kd gone.png\n";
    let beside = |name: &str| match name {
        "flag.mtl" => Some(mtl.to_vec()),
        "tex/two pixels.bmp" => Some(two_pixels()),
        _ => None,
    };
    let file = MeshFile { name: "flag.obj", bytes: obj, beside: &beside };
    let import = speckle_formats::read(&file, &ReadOptions::default()).unwrap();
    assert_eq!(import.images.len(), 1);
    assert_eq!(import.notes, ["the image gone.png is left out: choose it together with the file"]);
    let materials = &import.parts[0].materials;
    let images: Vec<Option<&str>> = materials.list.iter().map(|m| m.image.as_deref()).collect();
    assert_eq!(images, [None, Some("tex/two pixels.bmp"), None]);
    assert_eq!(materials.of_faces, [0, 1, 2]);
}

#[test]
fn images_beside_the_file_are_found_and_those_that_cannot_be_had_are_told() {
    let beside = |name: &str| match name {
        "pictures/two pixels.bmp" => Some(two_pixels()),
        "broken.png" => Some(b"no picture".to_vec()),
        _ => None,
    };
    let read = |image: serde_json::Value| {
        let bytes = file(image);
        let file = MeshFile { name: "flag.gltf", bytes: &bytes, beside: &beside };
        speckle_formats::read(&file, &ReadOptions::default()).unwrap()
    };
    let found = read(json!({ "uri": "pictures/two%20pixels.bmp" }));
    assert_eq!(found.images[0].name, "two pixels.bmp");
    for (image, said) in [
        (json!({ "uri": "broken.png" }), "the image broken.png is left out: cannot be read"),
        (json!({ "uri": "gone.png" }), "the image gone.png is left out: "),
        (
            json!({ "bufferView": 9, "name": "Far" }),
            "the image Far is left out: it lies outside of its buffer",
        ),
        (json!({}), "the image flag 1 is left out: it is nowhere"),
    ] {
        let import = read(image);
        assert!(import.images.is_empty());
        assert!(import.notes.iter().any(|note| note.starts_with(said)), "{:?}", import.notes);
        assert_eq!(import.parts.len(), 1, "the shape comes in all the same");
    }
}
