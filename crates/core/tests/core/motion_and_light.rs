//! What looks do with images, how they move what wears them, and what light makes of them: by formulas and closed
//! forms.

use std::{collections::HashMap, f32::consts::PI, sync::Arc};

use glam::{Vec2, Vec3};
use speckle_color::{Encoding, Rgba};
use speckle_core::{Document, Edit, ProofEdit, SetEdit, document::Direction};
use speckle_mesh::{Mesh, Placement, UpAxis, mesh::UvSet};
use speckle_model::{
    NewPart, NewSet, PartId,
    proof::{
        Coat, Disturb, Drive, Factor, Laid, Lamp, Lay, Layer, Lights, Look, Motion, NormalMap,
        Proof, Push, Sway, Tie, Wind,
    },
};
use speckle_tools::{
    bake::image::Image,
    lit::Lit,
    mix::{GROUND, Mixed, Place, mixed},
    motion::{moved, noise, swing, way},
    picture::{Shown, draw_shown},
};

use crate::common::{arrays_of, sheet};

fn factor(channel: u8) -> Factor {
    Factor { set: "Moves".to_owned(), channel, complement: false }
}

fn laid(lay: Lay) -> Laid {
    Laid { image: "an image".to_owned(), lay, repeat: [1.0; 2], offset: [0.0; 2], turn: 0.0 }
}

/// A place with an image of one color, and sets of one value.
struct Spot {
    image: Option<Rgba>,
    value: Rgba,
}

impl Place for Spot {
    fn value(&self, set: &str) -> Option<Rgba> {
        (set == "Moves").then_some(self.value)
    }

    fn laid(&self, _: &Laid, _: Encoding) -> Option<Rgba> {
        self.image
    }
}

/// An image counts by its alpha times the mask; a missing one leaves what is below as it is.
#[test]
fn images_are_laid_on_where_they_are_opaque() {
    let image = Layer {
        coat: Coat::Image { laid: laid(Lay::Uv) },
        strength: 0.5,
        rough: Some(1.0),
        ..Layer::of_color("Image", [0.0; 3])
    };
    let look = Look::new("Image", vec![Layer::of_color("Black", [0.0; 3]), image]);
    let spot = |image| mixed(&look, &Spot { image, value: [0.0; 4] });
    let found = spot(Some([0.8, 0.4, 0.2, 0.5]));
    for (number, wanted) in found.color.into_iter().zip([0.2, 0.1, 0.05]) {
        assert!((number - wanted).abs() < 1e-6, "{found:?}");
    }
    assert!((found.rough - (0.6 + 0.4 * 0.25)).abs() < 1e-6);
    let none = spot(None);
    assert_eq!((none.color, none.rough), ([0.0; 3], 0.6));
}

/// A normal map of (1, ½, 1) ⁄ leans by 45° towards u, one as steep as its strength says by its tangent.
#[test]
fn normal_maps_lean_as_they_say() {
    let of = |strength, image| {
        let map = NormalMap { laid: laid(Lay::Uv), strength };
        let layer = Layer { normals: Some(map), ..Layer::of_color("Bent", [0.5; 3]) };
        let spot = Spot { image: Some(image), value: [0.0; 4] };
        Vec3::from(mixed(&Look::new("Bent", vec![layer]), &spot).normal)
    };
    assert!(of(1.0, [0.5, 0.5, 1.0, 1.0]).abs_diff_eq(Vec3::Z, 1e-6));
    assert!(of(1.0, [1.0, 0.5, 1.0, 1.0]).abs_diff_eq(Vec3::new(0.5, 0.0, 0.5).normalize(), 1e-6));
    let steep = of(3.0, [0.5, 0.75, 0.75, 1.0]);
    assert!((steep.y / steep.z - 3.0).abs() < 1e-5, "{steep}");
}

/// The formula of sway, by hand: half of the way at the start of a swing, all of it a quarter later without gusts; and
/// with gusts of 1, where the slow wave is highest, none of the swing is left.
#[test]
fn sway_goes_by_its_formula() {
    let wind = Wind { strength: 1.5, speed: 0.5, direction: 90.0, gusts: 0.0 };
    assert!((swing(&wind, 0.0, 0.0) - 0.5).abs() < 1e-6);
    assert!((swing(&wind, 0.5, 0.0) - 1.0).abs() < 1e-6);
    assert!((swing(&wind, 0.0, 0.75) - 0.0).abs() < 1e-6);
    let gusty = Wind { gusts: 1.0, ..wind };
    let at = 0.25 / (0.37 * 0.5);
    assert!((swing(&gusty, at, 0.0) - 0.5).abs() < 1e-5, "{}", swing(&gusty, at, 0.0));
    // In front of a model with y up is z, to its right x.
    assert!(way(&wind, UpAxis::Y).abs_diff_eq(Vec3::X, 1e-6));
    assert!(way(&Wind { direction: 0.0, ..wind }, UpAxis::Y).abs_diff_eq(Vec3::Z, 1e-6));
    assert!(way(&Wind { direction: 0.0, ..wind }, UpAxis::Z).abs_diff_eq(Vec3::NEG_Y, 1e-6));

    let motion = Motion {
        sway: Some(Sway { by: factor(0), far: 40.0, phase: Some(factor(1)) }),
        push: Some(Push { by: factor(2), far: 8.0, signed: true }),
        disturb: None,
    };
    let spot = Spot { image: None, value: [0.25, 0.25, 0.75, 0.0] };
    let found = moved(&motion, &spot, (Vec3::ONE, Vec3::Y), (&wind, Vec3::X), 0.0);
    // ¼ · 40 · 1.5 · 1 downwind, and (2 · ¾ − 1) · 8 along the normal.
    assert!(found.abs_diff_eq(Vec3::new(15.0, 4.0, 0.0), 1e-5), "{found}");
    let still = Spot { image: None, value: [0.0, 0.0, 0.5, 0.0] };
    let found = moved(&motion, &still, (Vec3::ONE, Vec3::Y), (&wind, Vec3::X), 3.0);
    assert!(found.length() < 1e-6, "{found}");
}

/// Noise is as smooth as it is wide, stays between −1 and 1, and leans to no side: over many places its mean is near 0
/// and its variance that of numbers spread evenly over −1 to 1, lessened by what lies between corners (a third at
/// corners, an eighth of that at the least in the middle of eight).
#[test]
fn noise_is_smooth_and_leans_to_no_side() {
    let places = (0..20_000).map(|i| {
        let i = i as f32;
        Vec3::new(i * 0.377, (i * 0.113) % 71.0, -(i * 0.071) % 53.0)
    });
    let found: Vec<Vec3> = places.clone().map(noise).collect();
    let mean = found.iter().sum::<Vec3>() / found.len() as f32;
    assert!(mean.abs().max_element() < 0.02, "{mean}");
    let variance = found.iter().map(|v| *v * *v).sum::<Vec3>() / found.len() as f32;
    assert!(
        variance.min_element() > 1.0 / 24.0 && variance.max_element() < 1.0 / 3.0,
        "{variance}"
    );
    assert!(found.iter().all(|v| v.abs().max_element() <= 1.0));
    for place in places.take(2000) {
        // The steepest of Perlin's quintic is 15/8 of what it goes.
        let step = (noise(place + Vec3::X * 1e-3) - noise(place)).abs().max_element();
        assert!(step < 2.0 * 1.9e-3 + 1e-5, "{place}: {step}");
    }
    let spot = Spot { image: None, value: [1.0, 0.5, 0.0, 0.0] };
    let disturb = Some(Disturb { by: factor(1), far: 6.0, width: 4.0, speed: 0.5 });
    let motion = Motion { disturb, ..Motion::default() };
    let at = Vec3::new(3.0, 5.0, 7.0);
    let found = moved(&motion, &spot, (at, Vec3::Y), (&Wind::default(), Vec3::X), 2.0);
    assert!(found.abs_diff_eq(noise(at / 4.0 + Vec3::ONE) * 3.0, 1e-6));
}

fn lamps(lamps: Vec<Lamp>) -> Lit {
    Lit::of(&Lights { lamps, rim: 0.0, even: 0.0, ..Lights::default() }, UpAxis::Y)
}

fn from_front(strength: f32) -> Vec<Lamp> {
    vec![Lamp { turn: 0.0, height: 0.0, strength, color: [1.0; 3] }]
}

/// All of a matt surface is in its color: what mirrors is taken away by looking at how it differs from black.
fn matt(lit: &Lit, of: &Mixed, normal: Vec3, sight: Vec3) -> f32 {
    lit.seen(of, normal, sight).x - lit.seen(&Mixed { color: [0.0; 3], ..*of }, normal, sight).x
}

/// A Lambert sphere lit from the eye is as bright as the cosine, and its whole disc two thirds of its middle.
#[test]
fn a_matt_sphere_is_lambert_s() {
    let lit = lamps(from_front(0.9));
    let white = Mixed { color: [1.0; 3], rough: 1.0, ..GROUND };
    let (mut sum, mut count) = (0.0, 0);
    for i in 0..200 {
        for j in 0..200 {
            let p = (Vec2::new(i as f32, j as f32) + 0.5) / 100.0 - 1.0;
            if p.length_squared() >= 1.0 {
                continue;
            }
            let normal = p.extend((1.0 - p.length_squared()).sqrt());
            let found = matt(&lit, &white, normal, Vec3::Z);
            assert!((found - 0.9 * normal.z).abs() < 1e-4, "{normal}: {found}");
            sum += found;
            count += 1;
        }
    }
    let mean = sum / count as f32;
    assert!((mean - 0.9 * 2.0 / 3.0).abs() < 0.005, "{mean}");
}

/// In a white furnace a white surface is invisible, however rough or metal it is and wherever it is seen from.
#[test]
fn nothing_is_lost_in_a_white_furnace() {
    let lit =
        Lit::of(&Lights { lamps: Vec::new(), rim: 0.0, even: 1.0, ..Lights::default() }, UpAxis::Y);
    for rough in [0.05, 0.3, 0.6, 1.0] {
        for metal in [0.0, 0.5, 1.0] {
            for angle in [0.0_f32, 30.0, 60.0, 80.0] {
                let (sin, cos) = angle.to_radians().sin_cos();
                let white = Mixed { color: [1.0; 3], rough, metal, ..GROUND };
                let found = lit.seen(&white, Vec3::Z, Vec3::new(sin, 0.0, cos)).x;
                assert!((found - 1.0).abs() < 0.01, "{rough} {metal} {angle}°: {found}");
            }
        }
    }
}

/// Light that bends around a soft surface, and light that comes through a thin one, is light that is missing elsewhere:
/// over all directions of a lamp as much comes back as of a plain matt surface, ∫ cos over the half space = π.
#[test]
fn soft_and_thin_surfaces_give_no_more_than_they_get() {
    let all = |of: &Mixed| {
        let mut sum = 0.0_f64;
        let (rows, columns) = (120, 60);
        for row in 0..rows {
            // Evenly over the sphere: by height.
            let height = (row as f32 + 0.5) / rows as f32 * 2.0 - 1.0;
            for column in 0..columns {
                let turn = column as f32 / columns as f32 * 360.0;
                let lamp = Lamp {
                    turn,
                    height: height.asin().to_degrees(),
                    strength: 1.0,
                    color: [1.0; 3],
                };
                sum += f64::from(matt(&lamps(vec![lamp]), of, Vec3::Y, Vec3::Y));
            }
        }
        sum / f64::from(rows * columns) * 4.0 * f64::from(PI)
    };
    let white = Mixed { color: [1.0; 3], rough: 1.0, ..GROUND };
    for of in [
        white,
        Mixed { soft: 1.0, ..white },
        Mixed { through: 1.0, ..white },
        Mixed { through: 0.4, soft: 0.5, ..white },
    ] {
        let found = all(&of);
        assert!((found - f64::from(PI)).abs() < 0.03, "{of:?}: {found}");
    }
    // Where it faces away, a plain one is dark, a soft one is lit just beyond its edge, reddest.
    let lit = lamps(from_front(1.0));
    let away = Vec3::new(0.0, 0.98, -0.2).normalize();
    assert_eq!(matt(&lit, &white, away, Vec3::Y), 0.0);
    let soft = lit.seen(&Mixed { soft: 1.0, ..white }, away, Vec3::Y);
    assert!(soft.x > soft.y && soft.y >= soft.z && soft.x > 0.01, "{soft}");
    // All of the light through a leaf: half of it on either side.
    let thin = Mixed { through: 1.0, ..white };
    assert!((matt(&lit, &thin, Vec3::NEG_Z, Vec3::NEG_Z) - 0.5).abs() < 1e-5);
    assert!((matt(&lit, &thin, Vec3::Z, Vec3::Z) - 0.5).abs() < 1e-5);
}

/// A sheet of 1 × 1 with texture coordinates all over it, seen from the front, from where pictures are taken.
fn textured() -> Mesh {
    let mut arrays = sheet(1, 0.0);
    let uvs = arrays.corner_vertices.iter().map(|&v| {
        let p = arrays.positions[v as usize];
        Vec2::new(p.x, if p.y == 0.0 { p.z } else { p.y })
    });
    arrays.uv_sets = vec![UvSet { name: "UV".to_owned(), uvs: uvs.collect() }];
    Mesh::new(arrays).unwrap()
}

/// Pictures draw looks: a glow of an image shows the image's colors in the dark, whatever the light.
#[test]
fn pictures_show_looks_with_their_images() {
    let mesh = textured();
    let set =
        NewSet::flooded("Paint", Placement::Vertex, Encoding::Color, [0.2, 0.9, 0.2, 1.0], &mesh);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![set])])).unwrap();
    let bytes: Vec<u8> = std::iter::repeat_n([200_u8, 40, 90, 255], 16).flatten().collect();
    let image = Arc::new(Image::from_rgba(4, 4, &bytes).unwrap());
    let images = HashMap::from([("an image".to_owned(), image)]);
    for lay in [Lay::Uv, Lay::ThreeAxes { width: 0.3 }] {
        let glowing = Layer {
            coat: Coat::Image { laid: Laid { turn: 20.0, repeat: [3.0, 2.0], ..laid(lay) } },
            glow: Some(1.0),
            ..Layer::of_color("Glow", [0.0; 3])
        };
        let look = Look::new("Glow", vec![glowing]);
        let dark = Lights { lamps: Vec::new(), rim: 0.0, even: 0.0, ..Lights::default() };
        let proof = Proof { lights: dark, ..Proof::default() };
        let shown = Shown::Look { proof: &proof, look: Some(&look), images: &images };
        let pixels = draw_shown(document.parts(), UpAxis::Y, [64, 48], shown).rgba;
        let seen: Vec<&[u8]> = pixels.chunks(4).filter(|p| p[3] == 255).collect();
        assert!(seen.len() > 40, "{} pixels", seen.len());
        for pixel in seen {
            for (found, wanted) in pixel.iter().zip([200_u8, 40, 90]) {
                assert!(found.abs_diff(wanted) <= 1, "{pixel:?}");
            }
        }
    }
    // Channels in grey, sets in their colors.
    let of = |shown| {
        let pixels = draw_shown(document.parts(), UpAxis::Y, [64, 48], shown).rgba;
        let seen: Vec<[u8; 4]> =
            pixels.chunks(4).filter(|p| p[3] == 255).map(|p| [p[0], p[1], p[2], p[3]]).collect();
        seen[seen.len() / 2]
    };
    let green = of(Shown::Set { set: "Paint", palette: &[] });
    assert!(green[1] > green[0] + 60, "{green:?}");
    let grey = of(Shown::Channel { set: "Paint", channel: 1 });
    assert!(grey[0] == grey[1] && grey[1] == grey[2] && grey[0] > green[0], "{grey:?} {green:?}");
}

/// A normal map that leans by 45° towards u lets a sheet catch light along it, and none from the other side; seen from
/// its front alone, its back is not drawn.
#[test]
fn pictures_bend_normals_and_leave_backs_out() {
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", textured(), Vec::new())])).unwrap();
    let drawn = |turn: f32, red: u8, one_sided: bool, flipped: bool| {
        let bytes: Vec<u8> = std::iter::repeat_n([red, 128, 255, 255], 4).flatten().collect();
        let image = Arc::new(Image::from_rgba(2, 2, &bytes).unwrap());
        let images = HashMap::from([("an image".to_owned(), image)]);
        let map = NormalMap { laid: laid(Lay::Uv), strength: 1.0 };
        let white =
            Layer { rough: Some(1.0), normals: Some(map), ..Layer::of_color("White", [1.0; 3]) };
        let look = Look { one_sided, ..Look::new("Bent", vec![white]) };
        let lamp = Lamp { turn, height: 0.0, strength: 1.0, color: [1.0; 3] };
        let lights = Lights { lamps: vec![lamp], rim: 0.0, even: 0.0, ..Lights::default() };
        let proof = Proof { lights, ..Proof::default() };
        let mut part = document.parts()[0].clone();
        if flipped {
            part.traits.transform.rotation_degrees = Vec3::new(0.0, 180.0, 0.0);
        }
        let shown = Shown::Look { proof: &proof, look: Some(&look), images: &images };
        let pixels = draw_shown(&[part], UpAxis::Y, [64, 48], shown).rgba;
        let seen: Vec<u8> = pixels.chunks(4).filter(|p| p[3] == 255).map(|p| p[1]).collect();
        (seen.len(), seen.get(seen.len() / 2).copied().unwrap_or_default())
    };
    // Light that grazes it: cos 45° of it is caught where it leans, encoded 0.86, beside what mirrors.
    let (count, bright) = drawn(90.0, 255, false, false);
    assert!(count > 40 && (210..=245).contains(&bright), "{count} {bright}");
    let (_, dark) = drawn(-90.0, 255, false, false);
    assert!(dark < 5, "{dark}");
    let (_, other) = drawn(-90.0, 0, false, false);
    assert!(other.abs_diff(bright) < 24, "{other} {bright}");
    assert!(drawn(90.0, 255, true, false).0 > 40);
    assert_eq!(drawn(90.0, 255, true, true).0, 0, "its back");
    assert!(drawn(90.0, 255, false, true).0 > 40);
}

fn with_parts(count: usize) -> (Document, Vec<PartId>) {
    let mesh = Mesh::new(arrays_of(&Mesh::new(sheet(2, 0.0)).unwrap())).unwrap();
    let parts = (0..count).map(|i| NewPart::new(format!("Part {i}"), mesh.clone(), Vec::new()));
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts.collect())).unwrap();
    let ids = document.parts().iter().map(|part| part.id).collect();
    (document, ids)
}

/// One wind blows for all, single parts have their own, and a part follows a vertex of another, which follows none.
#[test]
fn parts_have_winds_and_are_tied() {
    let (mut document, ids) = with_parts(3);
    let gale = Wind { strength: 2.0, ..Wind::default() };
    let calm = Wind { strength: 0.0, ..Wind::default() };
    document.apply(ProofEdit::SetWind { wind: Some(gale), parts: None }).unwrap();
    document.apply(ProofEdit::SetWind { wind: Some(calm), parts: Some(vec![ids[1]]) }).unwrap();
    let winds = |document: &Document| [0, 1].map(|i| document.proof().wind_of(ids[i]).strength);
    assert_eq!(winds(&document), [2.0, 0.0]);
    document.apply(ProofEdit::SetWind { wind: None, parts: Some(vec![ids[1]]) }).unwrap();
    assert_eq!(winds(&document), [2.0, 2.0]);
    assert!(document.proof().stirred.is_empty(), "nothing is left to be said of it");

    let tie = |part: usize, to: usize, vertex| ProofEdit::TiePart {
        part: ids[part],
        tie: Some(Tie { to: ids[to], vertex }),
    };
    assert_eq!(document.apply(tie(1, 0, 3)).unwrap().label, "Tie Part 1 to Part 0");
    assert_eq!(document.proof().tied(ids[1]), Some(Tie { to: ids[0], vertex: 3 }));
    for (edit, words) in [
        (tie(0, 0, 0), "is tied itself"),
        (tie(2, 1, 0), "is tied itself"),
        (tie(0, 2, 0), "others are tied to Part 0"),
        (tie(2, 0, 9999), "no such vertex"),
    ] {
        let error = document.apply(edit).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }
    let record = serde_json::to_string(&document.record()).unwrap();
    let mesh = document.parts()[0].geometry.mesh().clone();
    let again = Document::restore(serde_json::from_str(&record).unwrap(), vec![mesh]).unwrap();
    assert_eq!(again.proof(), document.proof());
    document.apply(ProofEdit::TiePart { part: ids[1], tie: None }).unwrap();
    assert!(document.proof().stirred.is_empty());
    for wind in [
        Wind { strength: -1.0, ..gale },
        Wind { speed: f32::NAN, ..gale },
        Wind { gusts: 1.5, ..gale },
    ] {
        assert!(document.apply(ProofEdit::SetWind { wind: Some(wind), parts: None }).is_err());
    }
}

/// Images and motions that make no sense are refused in words.
#[test]
fn odd_images_and_motions_are_refused() {
    let (mut document, _) = with_parts(1);
    let image = |laid| Layer { coat: Coat::Image { laid }, ..Layer::of_color("Rust", [0.5; 3]) };
    let normals = |laid, strength| Layer {
        normals: Some(NormalMap { laid, strength }),
        ..Layer::of_color("Rust", [0.5; 3])
    };
    let good = || laid(Lay::Uv);
    let many = (0..9).map(|i| image(Laid { image: format!("image {i}"), ..good() }));
    for (layers, words) in [
        (vec![image(Laid { image: " ".to_owned(), ..good() })], "choose an image"),
        (vec![image(laid(Lay::ThreeAxes { width: 0.0 }))], "wider than nothing"),
        (vec![image(Laid { repeat: [0.0, 1.0], ..good() })], "at least once"),
        (vec![image(Laid { turn: f32::INFINITY, ..good() })], "at least once"),
        (vec![normals(laid(Lay::ThreeAxes { width: 1.0 }), 1.0)], "texture coordinates"),
        (vec![normals(good(), 40.0)], "bent by"),
        (many.collect(), "8 images"),
    ] {
        let edit = ProofEdit::SetLook { look: Look::new("Odd", layers), wear: false };
        let error = document.apply(edit).unwrap_err().to_string();
        assert!(error.contains(words), "{words}: {error}");
    }
    let disturb = |width, speed| Motion {
        disturb: Some(Disturb { by: factor(0), far: 1.0, width, speed }),
        ..Motion::default()
    };
    let sway = |far, channel| Motion {
        sway: Some(Sway { by: factor(channel), far, phase: None }),
        ..Motion::default()
    };
    for motion in [disturb(0.0, 1.0), disturb(1.0, -1.0), sway(f32::NAN, 0), sway(1.0, 7)] {
        let look = Look { motion, ..Look::new("Odd", Vec::new()) };
        assert!(document.apply(ProofEdit::SetLook { look, wear: false }).is_err());
    }
    assert!(document.proof().looks.is_empty());
}

/// A set that is called otherwise is asked for by its new name, by masks, coats, layers that are off, and motion; while
/// another part has one of the old name, looks stay with that. Undo brings all of it back.
#[test]
fn looks_follow_a_set_that_is_renamed() {
    let mesh = Mesh::new(sheet(2, 0.0)).unwrap();
    let set =
        |name: &str| NewSet::flooded(name, Placement::Vertex, Encoding::Data, [0.5; 4], &mesh);
    let part = |name: &str| NewPart::new(name, mesh.clone(), vec![set("Moves")]);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part("One"), part("Two")])).unwrap();
    let masked = Layer {
        coat: Coat::Ramp { stops: vec![[0.0; 3], [1.0; 3]], by: factor(0) },
        drive: Drive { factors: vec![factor(1)], ..Drive::default() },
        ..Layer::of_color("Masked", [0.0; 3])
    };
    let off = Layer {
        off: true,
        coat: Coat::Set { set: "Moves".to_owned() },
        ..Layer::of_color("Off", [0.0; 3])
    };
    let sway = Sway { by: factor(0), far: 1.0, phase: Some(factor(2)) };
    let motion = Motion { sway: Some(sway), ..Motion::default() };
    let look = Look { motion, ..Look::new("Look", vec![masked, off]) };
    document.apply(ProofEdit::SetLook { look, wear: true }).unwrap();
    let before = document.proof().clone();
    let rename = |document: &mut Document, at: usize| {
        let part = &document.parts()[at];
        let (part, set) = (part.id, part.sets[0].id);
        document.apply(SetEdit::RenameSet { part, set, name: "Weights".to_owned() }).unwrap()
    };
    rename(&mut document, 0);
    assert_eq!(document.proof(), &before, "the other part has it still");
    let change = rename(&mut document, 1);
    let json = serde_json::to_string(&document.proof().looks).unwrap();
    assert!(!json.contains("Moves"), "{json}");
    assert_eq!(json.matches("Weights").count(), 5, "{json}");
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.proof(), &before);
}
