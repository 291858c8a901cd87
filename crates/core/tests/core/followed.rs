//! What one surface takes from another by way of images, or live, by a recipe.

use std::{collections::HashMap, sync::Arc};

use glam::{Vec2, Vec3};
use speckle_color::{Encoding, Rgba, difference::ciede2000, srgb_from_linear};
use speckle_core::{Document, Edit};
use speckle_mesh::{Mesh, Placement, Transform, UpAxis, mesh::UvSet};
use speckle_model::{ImageRecord, Materials, NewPart, NewSet, Part};
use speckle_tools::{
    bake::{Inputs, watch::Watch},
    transfer::{Rules, Source, TransferError, proposal, transfer},
};

use crate::{
    bake::{made_of, source},
    common::{arrays_of, sheet},
};

const ALL: [Placement; 3] = [Placement::Vertex, Placement::Corner, Placement::Face];

fn png(width: u32, height: u32, pixel: impl Fn(u32, u32) -> [u8; 4]) -> ImageRecord {
    let image = image::RgbaImage::from_fn(width, height, |x, y| image::Rgba(pixel(x, y)));
    let mut file = std::io::Cursor::new(Vec::new());
    image.write_to(&mut file, image::ImageFormat::Png).unwrap();
    ImageRecord { name: "Grain.png".into(), file: Arc::new(file.into_inner()) }
}

/// With texture coordinates by where each corner is.
fn laid(mesh: &Mesh, uv: impl Fn(usize, Vec3) -> Vec2) -> Mesh {
    let uvs = (0..mesh.corner_count()).map(|c| uv(c, mesh.corner_position(c))).collect();
    let mut arrays = arrays_of(mesh);
    arrays.uv_sets = vec![UvSet { name: "UV".into(), uvs }];
    Mesh::new(arrays).unwrap()
}

fn parts(meshes: Vec<(&str, Mesh, Vec<NewSet>)>) -> Vec<Part> {
    let mut document = Document::default();
    let parts = meshes.into_iter().map(|(name, mesh, sets)| NewPart::new(name, mesh, sets));
    document.apply(Edit::bring_in(parts.collect())).unwrap();
    document.parts().to_vec()
}

fn flat(n: u32) -> Mesh {
    Mesh::new(sheet(n, 0.0)).unwrap()
}

/// A square that shows an image whole.
fn shown(image: ImageRecord) -> Source {
    let square = laid(&flat(1), |_, p| Vec2::new(p.x + 1.0, p.y + 1.0) / 2.0);
    let part = &parts(vec![("Square", square, vec![])])[0];
    Source::of(part).showing(&Materials::default(), &[image])
}

/// What an image gives each element of a mesh.
fn seen(from: &Source, mesh: &Mesh, placement: Placement, encoding: Encoding) -> Vec<Rgba> {
    let set = NewSet::flooded("Grain", placement, encoding, [0.2; 4], mesh);
    let target = &parts(vec![("Sail", mesh.clone(), vec![set])])[0];
    let sources = std::slice::from_ref(from);
    let done = transfer(target, sources, &Rules::default(), &Watch::default()).unwrap();
    assert_eq!((done.report.lost, done.report.sets.len()), (0, 1));
    assert_eq!(done.report.sets[0].name, "Grain", "it goes into the set of its name");
    done.colors[0].1.values.clone()
}

/// Black and white in equal parts are half of the light, whatever the pattern (IEC 61966-2-1).
#[test]
fn an_image_finer_than_the_mesh_becomes_its_mean_and_no_other_pattern() {
    let checker = png(256, 256, |x, y| match (x + y) % 2 {
        0 => [0, 0, 0, 255],
        _ => [255; 4],
    });
    let from = shown(checker);
    let (coarse, grey) = (flat(17), srgb_from_linear(0.5));
    for placement in ALL {
        for value in seen(&from, &coarse, placement, Encoding::Color) {
            let off = ciede2000(value, [grey, grey, grey, 1.0]);
            assert!(off < 2.0, "{placement:?}: {value:?}, ΔE {off}");
        }
    }
}

/// Halves of an image cover halves of the faces: each shows the mean of its own (areas, by counting).
#[test]
fn faces_show_the_mean_of_the_pixels_that_lie_in_them() {
    let noise = |x: u32, y: u32| ((x * 37 + y * 101 + x * y * 7) % 256) as u8;
    let from = shown(png(64, 64, |x, y| [noise(x, y), 0, 0, 255]));
    let coarse = flat(4);
    let values = seen(&from, &coarse, Placement::Face, Encoding::Data);
    for (face, value) in values.iter().enumerate() {
        // Rows of faces run upwards, those of the image downwards.
        let (left, top) = (face as u32 % 4 * 16, 48 - face as u32 / 4 * 16);
        let own = (0..256).map(|i| f32::from(noise(left + i % 16, top + i / 16)) / 255.0);
        let mean = own.sum::<f32>() / 256.0;
        assert!((value[0] - mean).abs() < 0.02, "face {face}: {} for {mean}", value[0]);
    }
}

/// Between pixels an image is linear, so that a ramp stays one.
#[test]
fn an_image_coarser_than_the_mesh_is_blended_between_its_pixels() {
    let from = shown(png(16, 16, |x, y| [(x * 16) as u8, (y * 16) as u8, 0, 255]));
    let fine = flat(60);
    for placement in [Placement::Vertex, Placement::Corner] {
        let values = seen(&from, &fine, placement, Encoding::Data);
        for (element, value) in values.iter().enumerate() {
            let p = match placement {
                Placement::Vertex => fine.positions()[element],
                _ => fine.corner_position(element),
            };
            // The middle of the pixel n lies at (n + ½) of 16.
            let at = Vec2::new(p.x + 1.0, 1.0 - p.y) / 2.0 * 16.0 - 0.5;
            if at.min_element() > 0.5 && at.max_element() < 14.5 {
                let wanted = at * 16.0 / 255.0;
                let off = (value[0] - wanted.x).abs().max((value[1] - wanted.y).abs());
                // A corner looks a little within its face.
                assert!(off < if placement == Placement::Corner { 4e-3 } else { 1e-4 }, "{off}");
            }
        }
    }
}

/// A part of an image that the surface does not use never shows.
#[test]
fn nothing_bleeds_over_the_seams_of_an_image() {
    // Two halves of a strip that lie side by side in the image the other way round, a gap of green
    // between them.
    let image = png(256, 128, |x, _| match x {
        0..100 => [200, 0, 0, 255],
        156.. => [0, 0, 200, 255],
        _ => [0, 255, 0, 255],
    });
    let strip = laid(&flat(2), |corner, p| {
        let is_left = corner / 4 % 2 == 0;
        let x = if is_left { 0.95 + 0.3 * p.x } else { 0.05 + 0.3 * p.x };
        Vec2::new(x, (p.y + 1.0) / 2.0)
    });
    let part = &parts(vec![("Strip", strip, vec![])])[0];
    let from = Source::of(part).showing(&Materials::default(), &[image]);
    let fine = flat(14);
    for placement in [Placement::Corner, Placement::Face] {
        let values = seen(&from, &fine, placement, Encoding::Data);
        for (element, value) in values.iter().enumerate() {
            let face = if placement == Placement::Face { element } else { element / 4 };
            let is_left = fine.face_centroid(face).x < 0.0;
            let wanted = if is_left { [0.0, 0.0, 200.0] } else { [200.0, 0.0, 0.0] };
            let off = (0..3).map(|k| (value[k] * 255.0 - wanted[k]).abs()).fold(0.0, f32::max);
            assert!(off < 1.0, "{placement:?} {element}: {value:?} for {wanted:?}");
        }
    }
}

#[test]
fn images_are_offered_after_the_sets_and_taken_by_themselves_where_there_is_none() {
    let ramp = || png(4, 4, |x, _| [x as u8 * 60, 0, 0, 255]);
    let square = laid(&flat(1), |_, p| Vec2::new(p.x, p.y));
    let set = NewSet::flooded("Coat", Placement::Face, Encoding::Color, [0.5; 4], &square);
    let own = parts(vec![("Square", square, vec![set]), ("Sail", flat(3), vec![])]);
    let from = Source::of(&own[0]).showing(&Materials::default(), &[ramp()]);
    let rows = proposal(&own[1], std::slice::from_ref(&from));
    let names: Vec<_> = rows.iter().map(|row| (row.from.as_str(), row.name.as_str())).collect();
    assert_eq!(names, [("Coat", "Coat"), ("Grain.png", "Grain")]);
    let carried = |from: &Source, rules: &Rules| {
        transfer(&own[1], std::slice::from_ref(from), rules, &Watch::default())
    };
    let sets = |rules: &Rules| carried(&from, rules).unwrap().report.sets.len();
    assert_eq!(sets(&Rules::default()), 1, "sets alone, unless it is asked for");
    assert_eq!(sets(&Rules { rows: Some(rows), ..Rules::default() }), 2);

    // Without texture coordinates nothing shows it.
    let bare = Source::of(&own[1]).showing(&Materials::default(), &[ramp()]);
    assert!(matches!(carried(&bare, &Rules::default()), Err(TransferError::NoSets(_))));
    // One that is cut off below its head is told when it is wanted.
    let mut cut = ramp();
    cut.file = Arc::new(cut.file[..50].to_vec());
    let broken = Source { sets: vec![], ..from.clone() }.showing(&Materials::default(), &[cut]);
    let told = carried(&broken, &Rules::default()).unwrap_err().to_string();
    assert!(told.contains("Grain.png"), "{told}");
}

fn ramp(mesh: &Mesh) -> NewSet {
    let values = mesh.positions().iter().map(|p| [(p.x + 1.0) / 2.0, (p.y + 1.0) / 2.0, 0.3, 1.0]);
    NewSet {
        values: values.collect(),
        ..NewSet::flooded("Coat", Placement::Vertex, Encoding::Data, [1.0; 4], mesh)
    }
}

fn recipe_inputs(parts: Vec<Part>, placement: Placement) -> Inputs {
    let first = parts[0].id;
    let set = (placement, Encoding::Data, [0.0; 4]);
    Inputs::new(Arc::new(parts), first, set, UpAxis::Z, Arc::new(HashMap::new())).unwrap()
}

const FROM: &str = r#"{"kind":"from_part","part":"Dense","set":"Coat","channel":"R"}"#;

/// Barycentric interpolation keeps what is linear (Möbius 1827), wherever both stand.
#[test]
fn a_recipe_follows_another_part() {
    let (light, dense) = (flat(7), flat(33));
    let coat = ramp(&dense);
    let mut own = parts(vec![("Light", light.clone(), vec![]), ("Dense", dense, vec![coat])]);
    for placement in ALL {
        let made = made_of(&source(FROM), &recipe_inputs(own.clone(), placement)).unwrap();
        let place = |i: usize| match placement {
            Placement::Vertex => light.positions()[i],
            Placement::Corner => light.corner_position(i),
            Placement::Face => light.face_centroid(i),
        };
        let inner = |p: &Vec3| p.abs().max_element() < 0.99;
        for (i, value) in made.iter().enumerate().filter(|(i, _)| inner(&place(*i))) {
            assert!((value - (place(i).x + 1.0) / 2.0).abs() < 0.02, "{placement:?} {i}");
        }
    }
    // What lies beyond takes what is nearest along the surface, and never jumps.
    let transform = Transform { translation: Vec3::new(1.0, 0.0, 0.1), ..Transform::IDENTITY };
    own[1].traits.transform = transform;
    let within = FROM.replace('}', r#","within":0.2}"#);
    let made = made_of(&source(&within), &recipe_inputs(own.clone(), Placement::Vertex)).unwrap();
    for (value, p) in made.iter().zip(light.positions()) {
        let wanted = (p.x / 2.0).max(0.0);
        assert!((value - wanted).abs() < 0.06, "{p}: {value} for {wanted}");
    }
    own[1].traits.transform.translation = Vec3::Z * 9.0;
    let told = made_of(&source(&within), &recipe_inputs(own, Placement::Vertex)).unwrap_err();
    assert!(told.to_string().contains("nothing of Dense lies near enough to Light"), "{told}");
}
