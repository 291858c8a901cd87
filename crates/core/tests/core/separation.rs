//! Faces in a few swatches, as printers with several spools take them.

use std::sync::Arc;

use glam::Vec3;
use palette::{FromColor, Lab, Srgb, color_difference::Ciede2000};
use proptest::prelude::*;
use speckle_color::{Encoding, linear_from_srgb, srgb_from_linear};
use speckle_core::{Document, Edit};
use speckle_mesh::{Placement, Transform};
use speckle_model::{ColorSet, NewPart, NewSet, Part, swatches::Swatch};
use speckle_tools::separation::{Separation, separate};

/// A strip of triangles of one area, with a value at each face.
fn strip(colors: &[[f32; 3]]) -> Part {
    let opaque = |&[r, g, b]: &[f32; 3]| [r, g, b, 1.0];
    painted(Placement::Face, colors.iter().map(opaque).collect(), colors.len())
}

fn painted(placement: Placement, values: Vec<[f32; 4]>, faces: usize) -> Part {
    let mesh = crate::common::strip(faces);
    let set = NewSet {
        name: "Coat".into(),
        placement,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values,
    };
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Strip", mesh, vec![set])])).unwrap();
    document.parts()[0].clone()
}

fn swatch(name: &str, color: [f32; 3]) -> Swatch {
    Swatch::new(name, color)
}

const SAND: [f32; 3] = [0.8, 0.7, 0.4];
const TAR: [f32; 3] = [0.1, 0.1, 0.12];
const BUOY: [f32; 3] = [0.9, 0.2, 0.1];
const SEA: [f32; 3] = [0.1, 0.4, 0.7];

fn spools() -> Vec<Swatch> {
    vec![swatch("Sand", SAND), swatch("Tar", TAR), swatch("Buoy", BUOY), swatch("Sea", SEA)]
}

fn names(separation: &Separation) -> Vec<&str> {
    separation.swatches.iter().map(|swatch| swatch.name.as_str()).collect()
}

/// The definition: for each face the swatch of the least CIEDE2000 (by the crate `palette`, whose
/// formula Sharma's table checks).
#[test]
fn every_face_goes_to_the_swatch_nearest_to_the_eye() {
    let colors: Vec<[f32; 3]> =
        (0..216).map(|i| [i % 6, i / 6 % 6, i / 36].map(|step| step as f32 / 5.0)).collect();
    let separation = separate(&[strip(&colors)], &spools(), 8);
    assert_eq!(names(&separation), ["Sand", "Tar", "Buoy", "Sea"]);
    let lab =
        |color: [f32; 3]| Lab::<palette::white_point::D65, f32>::from_color(Srgb::from(color));
    let mut most = 0.0_f32;
    for (color, &chosen) in colors.iter().zip(&separation.of_faces[0]) {
        let far = |own: &Swatch| lab(*color).difference(lab(own.color));
        let least = separation.swatches.iter().map(far).fold(f32::MAX, f32::min);
        let taken = far(&separation.swatches[usize::from(chosen)]);
        assert!(taken <= least + 1e-4, "{color:?} went to ΔE {taken}, {least} is nearer");
        most = most.max(least);
    }
    assert!((separation.max_difference - most).abs() < 1e-3);
}

#[test]
fn of_a_large_palette_the_spools_are_those_that_serve_the_paint_and_keep_their_order() {
    let mut palette = spools();
    palette.insert(1, swatch("Moss", [0.3, 0.5, 0.2]));
    palette.insert(0, swatch("Snow", [1.0; 3]));
    // Tar and buoy are painted, with a little sea: two spools are those that cover most.
    let colors = [vec![TAR; 30], vec![BUOY; 30], vec![SEA; 2]].concat();
    let two = separate(&[strip(&colors)], &palette, 2);
    assert_eq!(names(&two), ["Tar", "Buoy"]);
    let three = separate(&[strip(&colors)], &palette, 3);
    assert_eq!(names(&three), ["Tar", "Buoy", "Sea"]);
    assert_eq!(three.max_difference, 0.0, "each is its own swatch");
}

#[test]
fn a_spool_that_no_face_needs_is_not_loaded() {
    let separation = separate(&[strip(&[SAND, SAND, SEA])], &spools(), 4);
    assert_eq!(names(&separation), ["Sand", "Sea"]);
    assert_eq!(separation.of_faces, [vec![0, 0, 1]]);
    assert_eq!(separation.faces(0, 0), [0, 1]);
}

#[test]
fn without_a_palette_few_colors_are_the_swatches_themselves() {
    let separation = separate(&[strip(&[TAR, SAND, TAR, TAR])], &[], 4);
    let hex = |color| swatch("", color).hex();
    assert_eq!(names(&separation), [hex(TAR), hex(SAND)], "the one on most of the area first");
    assert_eq!(separation.of_faces, [vec![0, 1, 0, 0]]);
    assert_eq!(separation.mean_difference, 0.0);
}

#[test]
fn without_a_palette_many_colors_gather_around_a_few() {
    // Three clouds of colors, each within a few steps of its middle.
    let cloud = |middle: [f32; 3]| {
        (0..40).map(move |i| middle.map(|x| x + ((i * 7 % 11) as f32 - 5.0) / 255.0))
    };
    let colors: Vec<[f32; 3]> = [SAND, BUOY, SEA].into_iter().flat_map(cloud).collect();
    let separation = separate(&[strip(&colors)], &[], 3);
    assert_eq!(separation.swatches.len(), 3);
    for (i, faces) in separation.of_faces[0].chunks(40).enumerate() {
        assert!(faces.iter().all(|swatch| *swatch == faces[0]), "cloud {i} stays together");
    }
    assert!(separation.max_difference < 5.0, "ΔE {}", separation.max_difference);
}

/// Light adds, codes do not: half black and half white is seen as 0.735 (IEC 61966-2-1 of 0.5).
#[test]
fn a_face_is_seen_in_the_mean_light_of_its_corners() {
    let values = [0.0, 0.0, 1.0].map(|x| [x, x, x, 1.0]).to_vec();
    let part = painted(Placement::Corner, values, 1);
    let third = srgb_from_linear(linear_from_srgb(1.0) / 3.0);
    let palette = [swatch("Mean of codes", [1.0 / 3.0; 3]), swatch("Mean of light", [third; 3])];
    assert_eq!(names(&separate(&[part], &palette, 2)), ["Mean of light"]);
}

#[test]
fn areas_count_where_parts_are_scaled() {
    let mut large = strip(&[BUOY]);
    large.traits.transform = Transform { scale: Vec3::splat(3.0), ..Transform::IDENTITY };
    let separation = separate(&[strip(&[SEA]), large], &spools(), 4);
    assert_eq!(names(&separation), ["Buoy", "Sea"]);
    assert!((separation.areas[0] / separation.areas[1] - 9.0).abs() < 1e-5);
}

#[test]
fn a_part_without_sets_is_as_white_as_paper() {
    let mut bare = strip(&[TAR]);
    bare.sets.clear();
    let separation = separate(&[bare], &[], 2);
    assert_eq!(names(&separation), ["#ffffff"]);
}

#[test]
fn very_many_colors_on_faces_without_area_still_have_spools() {
    let colors: Vec<[f32; 3]> =
        (0..5000).map(|i| [i % 18, i / 18 % 18, i / 324].map(|step| step as f32 / 17.0)).collect();
    let mut flat = strip(&colors);
    let point = flat.geometry.mesh().moved(|_| Vec3::ONE, |n| n).unwrap();
    flat.geometry = Arc::new(speckle_mesh::Geometry::new(point));
    let separation = separate(&[flat], &[], 4);
    assert!((1..=4).contains(&separation.swatches.len()));
    assert_eq!((separation.of_faces[0].len(), separation.mean_difference), (5000, 0.0));
}

/// What a separation shows.
fn shown(part: &Part, separation: &Separation) -> ColorSet {
    separation.shown(0, &part.sets[0])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn no_more_spools_than_are_loaded_and_once_separated_nothing_changes(
        colors in prop::collection::vec(prop::array::uniform3(0.0_f32..=1.0), 1..200),
        most in 1_u8..9,
        has_palette in any::<bool>(),
    ) {
        let mut part = strip(&colors);
        let palette = if has_palette { spools() } else { Vec::new() };
        let separation = separate(std::slice::from_ref(&part), &palette, most);
        prop_assert!(separation.swatches.len() <= usize::from(most));
        let whole: f64 = separation.areas.iter().sum();
        let each = part.geometry.measures().area;
        prop_assert!((whole / each - 1.0).abs() < 1e-4, "{} of {}", whole, each);
        prop_assert!(separation.areas.iter().all(|area| *area > 0.0));
        let set = shown(&part, &separation);
        part.sets[0].values = Arc::clone(&set.values);
        let again = separate(std::slice::from_ref(&part), &separation.swatches, most);
        prop_assert_eq!(again.max_difference, 0.0);
        prop_assert_eq!(shown(&part, &again).values, set.values);
    }
}
