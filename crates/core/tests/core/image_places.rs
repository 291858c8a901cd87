//! Every pixel of an image is found where it lies, whatever its size, its wrap and its turn.

use glam::Vec2;
use proptest::prelude::*;
use speckle_color::Encoding;
use speckle_mesh::{Geometry, Mesh, Placement, mesh::UvSet};
use speckle_model::recipe::source::{Averaged, Wrap};
use speckle_tools::bake::image::{Image, Mapping, Picture, Projected, sampled};

use crate::common::sheet;

/// An image whose pixels tell their own place.
fn map(width: usize, height: usize) -> Image {
    let pixel = |i: usize| [(i % width) as u8, (i / width) as u8, 77, 255];
    let bytes: Vec<u8> = (0..width * height).flat_map(pixel).collect();
    Image::from_rgba(width, height, &bytes).unwrap()
}

fn laid(wrap: Wrap, hard_pixels: bool) -> Mapping {
    let (averaged, encoding) = (Averaged::Point, Encoding::Data);
    Mapping { wrap, hard_pixels, averaged, encoding, ..Mapping::default() }
}

fn picture<'a>(image: &'a Image, uvs: &'a [Vec2]) -> Picture<'a> {
    Picture {
        image: Some(image),
        projected: Projected::Uv(uvs),
        tint: speckle_color::Linear([1.0; 4]),
    }
}

/// What is found at places (0–1 from left to right and from top to bottom), as bytes.
fn found(image: &Image, places: &[Vec2], how: &Mapping) -> Vec<[u8; 3]> {
    let n = (places.len() as f32).sqrt().ceil() as u32;
    let mut arrays = sheet(n, 0.0);
    // Corners take the places in turn; v grows upwards.
    let at = |i: usize| {
        let place = places[i % places.len()];
        Vec2::new(place.x, 1.0 - place.y)
    };
    let uvs: Vec<Vec2> = (0..arrays.corner_vertices.len()).map(at).collect();
    arrays.uv_sets = vec![UvSet { name: "0".into(), uvs: uvs.clone() }];
    let geometry = Geometry::new(Mesh::new(arrays).unwrap());
    let values = sampled(&[picture(image, &uvs)], &[], how, &geometry, Placement::Corner);
    let byte = |x: f32| (x * 255.0).round() as u8;
    values.iter().take(places.len()).map(|v| [byte(v[0]), byte(v[1]), byte(v[2])]).collect()
}

#[test]
fn the_middle_of_each_pixel_has_its_color_also_at_the_rims_of_tiles() {
    // Sides that are no multiples of a tile, and such as are less than one.
    for (width, height) in [(1, 1), (3, 5), (16, 16), (17, 15), (40, 33), (200, 7)] {
        let image = map(width, height);
        assert_eq!(image.size(), [width, height]);
        let places: Vec<Vec2> = (0..width * height)
            .map(|i| {
                let (x, y) = ((i % width) as f32 + 0.5, (i / width) as f32 + 0.5);
                Vec2::new(x / width as f32, y / height as f32)
            })
            .collect();
        for hard in [true, false] {
            let colors = found(&image, &places, &laid(Wrap::Clamp, hard));
            for (i, color) in colors.iter().enumerate() {
                let wanted = [(i % width) as u8, (i / width) as u8, 77];
                assert_eq!(*color, wanted, "{width} × {height}, pixel {i}, hard: {hard}");
            }
        }
    }
}

/// Which pixel of a row a place beyond it shows, by counting.
fn wrapped(wrap: Wrap, i: i64, count: i64) -> i64 {
    match wrap {
        Wrap::Clamp => i.max(0).min(count - 1),
        Wrap::Repeat => ((i % count) + count) % count,
        Wrap::Mirror => {
            let mut i = i;
            while !(0..count).contains(&i) {
                i = if i < 0 { -1 - i } else { 2 * count - 1 - i };
            }
            i
        }
    }
}

proptest! {
    #[test]
    fn beyond_the_image_it_goes_on_as_its_wrap_says(
        (width, height) in (1_usize..40, 1_usize..40),
        (x, y) in (-90_i64..90, -90_i64..90),
        which in 0..3_usize,
    ) {
        let wrap = [Wrap::Clamp, Wrap::Repeat, Wrap::Mirror][which];
        let image = map(width, height);
        let place = Vec2::new((x as f32 + 0.5) / width as f32, (y as f32 + 0.5) / height as f32);
        let color = found(&image, &[place], &laid(wrap, true))[0];
        let wanted = [
            wrapped(wrap, x, width as i64) as u8,
            wrapped(wrap, y, height as i64) as u8,
            77,
        ];
        prop_assert_eq!(color, wanted);
    }

    #[test]
    fn halfway_between_two_pixels_is_half_of_each(
        (width, height) in (2_usize..60, 1_usize..40),
        share in 0.0_f32..1.0,
    ) {
        let image = map(width, height);
        let x = ((width - 1) as f32 * share).floor();
        let place = Vec2::new((x + 1.0) / width as f32, 0.5 / height as f32);
        let color = found(&image, &[place], &laid(Wrap::Clamp, false))[0];
        let middle = x + 0.5;
        prop_assert!((f32::from(color[0]) - middle).abs() <= 0.51, "{color:?} for {middle}");
    }
}

#[test]
fn a_quarter_turn_brings_rows_to_columns() {
    let image = map(8, 8);
    let how = Mapping { turn: std::f32::consts::FRAC_PI_2, ..laid(Wrap::Clamp, true) };
    let places: Vec<Vec2> = (0..64)
        .map(|i| Vec2::new(((i % 8) as f32 + 0.5) / 8.0, ((i / 8) as f32 + 0.5) / 8.0))
        .collect();
    let turned = found(&image, &places, &how);
    // Turned against the clock the right column becomes the upper row: what was at (x, y) from the
    // top is found at (y, 7 − x).
    for (i, color) in turned.iter().enumerate() {
        let (x, y) = (i % 8, i / 8);
        assert_eq!([color[0], color[1]], [(7 - y) as u8, x as u8], "{x}, {y}");
    }
}

/// A quarter to the right and down: what was in the upper left quarter lies in the middle.
#[test]
fn an_image_that_is_moved_goes_to_the_right_and_down() {
    let image = map(8, 8);
    let how = Mapping { offset: Vec2::splat(0.25), ..laid(Wrap::Repeat, true) };
    let middle = |x: f32, y: f32| Vec2::new(x + 0.5, y + 0.5) / 8.0;
    let places = [middle(2.0, 2.0), middle(5.0, 3.0), middle(0.0, 0.0)];
    let pixels = found(&image, &places, &how);
    assert_eq!(pixels.iter().map(|p| [p[0], p[1]]).collect::<Vec<_>>(), [[0, 0], [3, 1], [6, 6]]);
}

#[test]
fn an_image_twice_across_shows_each_pixel_twice() {
    let image = map(10, 4);
    let how = Mapping { repeat: Vec2::new(2.0, 1.0), ..laid(Wrap::Repeat, true) };
    let places: Vec<Vec2> = (0..20).map(|i| Vec2::new((i as f32 + 0.5) / 20.0, 0.125)).collect();
    let reds: Vec<u8> = found(&image, &places, &how).iter().map(|c| c[0]).collect();
    let once: Vec<u8> = (0..10).collect();
    assert_eq!(reds, [once.clone(), once].concat());
}

/// The sum of light over all elements is the image's own, when each pixel belongs to one of them: by
/// area, whatever the placement (the mean of means over equal areas is the mean).
#[test]
fn the_mean_over_a_sheet_is_the_mean_of_the_image() {
    let bytes: Vec<u8> = (0..48_u32 * 48)
        .flat_map(|i| {
            let grey = (i.wrapping_mul(2_654_435_769) >> 24) as u8;
            [grey, grey, grey, 255]
        })
        .collect();
    let image = Image::from_rgba(48, 48, &bytes).unwrap();
    let mean = bytes.chunks(4).map(|p| f64::from(p[0])).sum::<f64>() / (48.0 * 48.0) / 255.0;
    let mut arrays = sheet(6, 0.0);
    let uvs: Vec<Vec2> = arrays
        .corner_vertices
        .iter()
        .map(|&v| (arrays.positions[v as usize].truncate() + 1.0) / 2.0)
        .collect();
    arrays.uv_sets = vec![UvSet { name: "0".into(), uvs: uvs.clone() }];
    let geometry = Geometry::new(Mesh::new(arrays).unwrap());
    let how = Mapping { averaged: Averaged::Footprint, ..laid(Wrap::Clamp, false) };
    for placement in [Placement::Corner, Placement::Face] {
        let values = sampled(&[picture(&image, &uvs)], &[], &how, &geometry, placement);
        let found = values.iter().map(|v| f64::from(v[0])).sum::<f64>() / values.len() as f64;
        assert!((found - mean).abs() < 0.01, "{placement:?}: {found} for {mean}");
    }
    let piece = Mapping { averaged: Averaged::Piece, ..how };
    let values = sampled(&[picture(&image, &uvs)], &[], &piece, &geometry, Placement::Vertex);
    assert!(values.iter().all(|v| v == &values[0]), "one mean for the piece");
    assert!((f64::from(values[0][0]) - mean).abs() < 0.01);
}

/// An image that is transparent on its left: color comes where it is opaque alone, undarkened by what
/// lies in the transparent pixels, and alpha goes into A.
#[test]
fn a_transparent_image_holds_its_color_back_and_fills_alpha() {
    use crate::bake::{image_of, mesh};
    use speckle_core::{Document, Edit};
    use speckle_model::{
        NewPart,
        recipe::{Recipe, Source, Step, Target},
    };
    use speckle_tools::bake::{Inputs, Pantry, made_by, watch::Watch};
    use std::{collections::HashMap, sync::Arc};

    // Black where it is not there; every other pixel of the right half is half there.
    let pixels: Vec<u8> = (0..64 * 64)
        .flat_map(|i| match (i % 64 < 32, i % 2) {
            (true, _) => [0, 0, 0, 0],
            (false, 0) => [255, 128, 64, 255],
            (false, _) => [255, 128, 64, 127],
        })
        .collect();
    let mut arrays = sheet(4, 0.0);
    let uvs = arrays.corner_vertices.iter().map(|&v| {
        let p = arrays.positions[v as usize];
        Vec2::new(p.x, p.y) / 2.0 + 0.5
    });
    arrays.uv_sets = vec![UvSet { name: "0".into(), uvs: uvs.collect() }];
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh(arrays), vec![])])).unwrap();
    let parts = Arc::new(document.parts().to_vec());
    let images = Arc::new(HashMap::from([("Decal".to_owned(), image_of(64, 64, &pixels))]));
    let set = (Placement::Face, Encoding::Data, [0.1, 0.2, 0.3, 0.4]);
    let first = parts[0].id;
    let inputs = Inputs::new(parts, first, set, speckle_mesh::UpAxis::Z, images).unwrap();
    let made = |target: Target| {
        let source: Source = serde_json::from_str(r#"{"kind":"image","image":"Decal"}"#).unwrap();
        let mut recipe = Recipe::new(target);
        recipe.steps.push(Step::new(source));
        let there = vec![[0.1, 0.2, 0.3, 0.4]; 16];
        made_by(&recipe, &there, &inputs, &Pantry::default(), &Watch::default()).unwrap()
    };
    let color = [1.0, 128.0 / 255.0, 64.0 / 255.0];
    let alpha = (1.0 + 127.0 / 255.0) / 2.0;
    for (target, has_alpha) in [(Target::Rgb, false), (Target::Rgba, true), (Target::A, true)] {
        for (face, value) in made(target).into_iter().enumerate() {
            let there = if face % 4 < 2 { 0.0 } else { alpha };
            for k in 0..3 {
                let ground = inputs.ground[k];
                let goal =
                    if target == Target::A { ground } else { ground + (color[k] - ground) * there };
                assert!((value[k] - goal).abs() < 0.01, "{target:?} {face}: {value:?}, not {goal}");
            }
            let goal = if has_alpha { there } else { 0.4 };
            assert!((value[3] - goal).abs() < 0.01, "{target:?} {face}: {value:?}");
        }
    }
}

/// A file of 16 bits keeps them: steps of 1/65535 are told apart, in numbers and in light.
#[test]
fn an_image_of_sixteen_bits_keeps_them() {
    let file = |numbers: &dyn Fn(u32) -> u16| {
        let image = ::image::ImageBuffer::<::image::Luma<u16>, _>::from_fn(256, 1, |x, _| {
            ::image::Luma([numbers(x)])
        });
        let mut file = std::io::Cursor::new(Vec::new());
        image.write_to(&mut file, ::image::ImageFormat::Png).unwrap();
        let read = speckle_color::pixels::read(&file.into_inner()).unwrap();
        Image::from_pixels(&read).unwrap()
    };
    let fine = file(&|x| 20_000 + 3 * x as u16);
    for x in [0, 1, 17, 255] {
        let at = Vec2::new((x as f32 + 0.5) / 256.0, 0.5);
        let expected = (20_000 + 3 * x) as f32 / 65_535.0;
        assert!((fine.plain_at(at)[0] - expected).abs() < 1e-6, "{x}");
    }
    // As bytes these 256 would have been four different ones.
    let coarse = file(&|x| ((20_000 + 3 * x) / 257 * 257) as u16);
    assert_ne!(fine.plain_at(Vec2::splat(0.5)), coarse.plain_at(Vec2::splat(0.5)));
}
