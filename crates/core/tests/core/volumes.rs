//! Volumes: what they color while they stand, and what is left of them.

use std::f64::consts::PI;

use glam::Vec3;
use speckle_color::{Channels, swatch_of, swatch_value};
use speckle_core::{
    Change, Document, Edit, EditError, PaintEdit, PartEdit, ProjectEdit, RecipeEdit, SwatchEdit,
    VolumeEdit,
    document::{Direction, Fill},
};
use speckle_mesh::{
    Mesh, Transform,
    body::{Body, Placed},
    mesh::MeshArrays,
    solid::Solid,
};
use speckle_model::{
    NewPart, Part, PartId,
    recipe::{Recipe, Source, Step, Target},
    swatches::Swatch,
    volumes::{Shape, Volume},
};
use speckle_tools::{
    bake::{Pantry, watch::Watch},
    region::Region,
    stroke::{Action, Coat},
    volumes::{Standing, patches},
};

use crate::common::{beside, polygons, sheet};

fn document(arrays: MeshArrays) -> Document {
    let mut document = Document::default();
    let mesh = Mesh::new(arrays).unwrap();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, Vec::new())])).unwrap();
    let palette = [("Chalk", [0.9, 0.88, 0.82]), ("Tile red", [0.7, 0.2, 0.16])];
    let palette = palette.into_iter().chain([("Slate", [0.16, 0.18, 0.21])]);
    let swatches = palette.map(|(name, color)| Swatch::new(name, color)).collect();
    document.apply(ProjectEdit::SetPalette { swatches }).unwrap();
    document
}

fn standing(at: Vec3, scale: Vec3, turn: f32) -> Transform {
    Transform { translation: at, rotation_degrees: Vec3::new(0.0, 0.0, turn), scale }
}

fn volume(solid: Solid, transform: Transform, swatch: u8) -> Volume {
    let shape = Shape::Solid { solid };
    let name = format!("{solid:?} {swatch}");
    Volume { id: 0, name, shape, transform, swatch, over: false, off: false }
}

/// Sets volumes, and makes what they color, as one change.
fn set(document: &mut Document, volumes: Vec<Volume>) -> Change {
    let part = Some(document.parts()[0].id);
    let mut change = document.apply(VolumeEdit::SetVolumes { volumes, part }).unwrap();
    change.steps.extend(made(document));
    change
}

fn made(document: &mut Document) -> Vec<speckle_core::document::ChangeStep> {
    document.make_all(&Pantry::default(), &Watch::default()).unwrap().steps
}

fn numbers(document: &Document) -> Vec<u8> {
    let set = document.parts()[0].swatch_set().unwrap();
    assert!(set.values.iter().all(|&value| value == swatch_value(swatch_of(value))), "whole");
    set.values.iter().map(|&value| swatch_of(value)).collect()
}

fn body(part: &Part) -> Body {
    Body { geometry: part.geometry.clone(), placed: Placed::new(&part.traits.transform) }
}

fn painted(document: &Document, number: u8) -> f64 {
    let part = &document.parts()[0];
    let areas = part.swatch_areas(part.swatch_set().unwrap());
    areas.into_iter().find(|(own, _)| *own == number).map_or(0.0, |(_, area)| area)
}

fn fill(document: &mut Document, number: u8, action: Action, from: f32, to: f32) {
    let part = &document.parts()[0];
    let set = part.swatch_set().unwrap().id;
    let coat = Coat::new(part.id, set, Channels::RGBA, swatch_value(number));
    let coat = Coat { action, ..coat };
    let region = Region::Band { direction: Vec3::X, from, to, soft: 0.0 };
    let fill = Fill { coat, opacity: 1.0, region, at: None, afresh: false, crisp: false };
    document.apply(PaintEdit::Fill { fill }).unwrap();
}

/// The sections of solids have the areas that they have on paper, once faces are cut along them.
#[test]
fn what_is_frozen_is_as_large_as_the_solid_s_section() {
    let at = Vec3::new(0.1, -0.2, 0.0);
    let cases = [
        (Solid::Sphere, standing(at, Vec3::splat(0.5), 0.0), PI * 0.25),
        (Solid::Sphere, standing(at, Vec3::new(0.6, 0.3, 0.3), 20.0), PI * 0.18),
        (Solid::Box, standing(at, Vec3::new(0.5, 0.3, 0.2), 33.0), 0.6),
        (Solid::Cylinder, standing(at, Vec3::new(0.3, 0.5, 0.3), 10.0), 0.6),
        (Solid::Cone, standing(at, Vec3::new(0.4, 0.5, 0.4), 0.0), 0.4),
    ];
    for (solid, transform, wanted) in cases {
        let mut document = document(sheet(2, 0.0));
        let before = document.record();
        let placed = set(&mut document, vec![volume(solid, transform, 2)]);
        let ids: Vec<u32> = document.volumes().iter().map(|volume| volume.id).collect();
        let live = document.parts()[0].clone();
        let frozen = document.apply(VolumeEdit::FreezeVolumes { volumes: ids }).unwrap();
        assert_eq!(frozen.label, format!("Freeze {solid:?} 2"));
        let area = painted(&document, 2);
        assert!((area / wanted - 1.0).abs() < 2e-3, "{solid:?}: {area} of {wanted}");
        let part = document.parts()[0].clone();
        assert!(document.volumes().is_empty());
        assert!(part.sets.iter().all(|set| set.recipes.is_empty() && set.is_product()));
        // It is paint now, and stays so.
        assert!(made(&mut document).is_empty());
        document.replay(&frozen, Direction::Backward).unwrap();
        assert_eq!(document.parts()[0].geometry.id(), live.geometry.id());
        assert_eq!(document.parts()[0].sets[0].values, live.sets[0].values);
        assert_eq!(document.volumes().len(), 1);
        document.replay(&frozen, Direction::Forward).unwrap();
        assert_eq!(document.parts()[0].sets[0].values, part.sets[0].values);
        document.replay(&frozen, Direction::Backward).unwrap();
        document.replay(&placed, Direction::Backward).unwrap();
        let parts = |record: &speckle_core::document::DocumentRecord| {
            let record = serde_json::to_value(record).unwrap();
            (record["parts"].clone(), record["volumes"].clone())
        };
        assert_eq!(parts(&document.record()), parts(&before));
    }
}

#[test]
fn volumes_color_under_paint_or_over_it_and_leave_no_trace() {
    let mut document = document(sheet(20, 0.0));
    let middle = standing(Vec3::ZERO, Vec3::splat(0.5), 0.0);
    set(&mut document, vec![volume(Solid::Box, standing(Vec3::X * 9.0, Vec3::ONE, 0.0), 1)]);
    fill(&mut document, 3, Action::Paint, 0.0, 1.0);
    made(&mut document);
    let bare = numbers(&document);
    assert!(bare.contains(&0) && bare.contains(&3) && !bare.contains(&1), "it stands elsewhere");
    // Under what is painted, in place of what is not.
    let own = document.volumes()[0].clone();
    set(&mut document, vec![Volume { transform: middle, ..own.clone() }]);
    let mesh = document.parts()[0].geometry.mesh().clone();
    let is_in = |face: usize| mesh.face_centroid(face).abs().max_element() <= 0.5;
    for (face, number) in numbers(&document).into_iter().enumerate() {
        let wanted = if bare[face] == 0 && is_in(face) { 1 } else { bare[face] };
        assert_eq!(number, wanted);
    }
    // What is taken away lets it show, as soon as it is taken away.
    fill(&mut document, 3, Action::Erase, 0.0, 0.3);
    let erased = numbers(&document);
    made(&mut document);
    assert_eq!(erased, numbers(&document));
    for (face, number) in erased.iter().enumerate() {
        let x = mesh.face_centroid(face).x;
        let is_bare = x < 0.3;
        let wanted = if !is_bare { 3 } else { u8::from(is_in(face)) };
        assert_eq!(*number, wanted, "{x}");
    }
    // Over it.
    set(&mut document, vec![Volume { transform: middle, over: true, ..own.clone() }]);
    let over = numbers(&document);
    assert!((0..over.len()).all(|face| (over[face] == 1) == is_in(face)));
    // What is painted meanwhile is there when it goes.
    fill(&mut document, 2, Action::Paint, -0.2, 0.0);
    made(&mut document);
    for (face, number) in numbers(&document).into_iter().enumerate() {
        let is_painted = !is_in(face) && (-0.2..0.0).contains(&mesh.face_centroid(face).x);
        assert_eq!(number, if is_painted { 2 } else { over[face] });
    }
    set(&mut document, Vec::new());
    for (face, number) in numbers(&document).into_iter().enumerate() {
        let x = mesh.face_centroid(face).x;
        let wanted = if x >= 0.3 { 3 } else { 2 * u8::from((-0.2..0.0).contains(&x)) };
        assert_eq!(number, wanted, "{x}");
    }
    assert!(document.parts()[0].sets.iter().all(|set| set.recipes.is_empty() && set.is_product()));
}

#[test]
fn the_first_of_several_lies_over_the_others() {
    let mut document = document(sheet(20, 0.0));
    let left = volume(Solid::Box, standing(Vec3::X * -0.2, Vec3::splat(0.4), 0.0), 1);
    let right = volume(Solid::Box, standing(Vec3::X * 0.2, Vec3::splat(0.4), 0.0), 2);
    set(&mut document, vec![left, right]);
    let mesh = document.parts()[0].geometry.mesh().clone();
    let both = (0..mesh.face_count()).find(|&face| {
        let middle = mesh.face_centroid(face).abs();
        middle.x < 0.15 && middle.y < 0.3
    });
    let both = both.unwrap();
    assert_eq!(numbers(&document)[both], 1);
    let turned: Vec<Volume> = document.volumes().iter().rev().cloned().collect();
    let change = set(&mut document, turned.clone());
    assert_eq!(change.label, "Put volumes in another order");
    assert_eq!(numbers(&document)[both], 2);
    // The upper is frozen: the other stays as it is, and stays live.
    let upper = document.volumes()[0].id;
    document.apply(VolumeEdit::FreezeVolumes { volumes: vec![upper] }).unwrap();
    assert_eq!(document.volumes().len(), 1);
    assert!((painted(&document, 2) - 0.64).abs() < 1e-3);
    assert!((painted(&document, 1) - 0.32).abs() < 0.05, "{}", painted(&document, 1));
    set(&mut document, Vec::new());
    assert_eq!(painted(&document, 1), 0.0);
    assert!((painted(&document, 2) - 0.64).abs() < 1e-3);
}

/// A ball of many sides is nearly a ball, whatever says what lies in it.
#[test]
fn a_part_is_a_volume_of_its_shape() {
    let mut document = document(sheet(60, 0.0));
    let ball = ball(24, 48);
    let new = vec![NewPart::new("Ball", ball, Vec::new())];
    document.apply(Edit::bring_in(new)).unwrap();
    let part = document.parts()[1].id;
    let transform = standing(Vec3::new(0.2, 0.1, 0.0), Vec3::new(0.5, 0.4, 0.5), 25.0);
    let shape = Shape::Part { part };
    let of_part = Volume { shape, ..volume(Solid::Sphere, transform, 2) };
    set(&mut document, vec![of_part]);
    let wanted = PI * 0.5 * 0.4;
    let by_faces = painted(&document, 2);
    assert!((by_faces / wanted - 1.0).abs() < 0.02, "{by_faces} of {wanted}");
    let frozen = document.volumes()[0].id;
    let freeze = VolumeEdit::FreezeVolumes { volumes: vec![frozen] };
    let change = document.apply(freeze).unwrap();
    // Its section is a polygon of 48 sides in the ball (48 / 2 · sin(2π / 48) of r²).
    let wanted = wanted * 24.0 * (PI / 24.0).sin() / PI;
    let area = painted(&document, 2);
    assert!((area / wanted - 1.0).abs() < 2e-3, "{area} of {wanted}");
    document.replay(&change, Direction::Backward).unwrap();
    // Without the part it has no shape, and colors nothing.
    let gone = document.apply(PartEdit::DeleteParts { parts: vec![part] }).unwrap();
    made(&mut document);
    assert_eq!(painted(&document, 2), 0.0);
    document.replay(&gone, Direction::Backward).unwrap();
    made(&mut document);
    assert!((painted(&document, 2) - by_faces).abs() < 1e-9);
}

fn ball(rings: u32, sides: u32) -> Mesh {
    let at = |ring: u32, side: u32| {
        let (up, around) = (
            std::f32::consts::PI * ring as f32 / rings as f32,
            std::f32::consts::TAU * side as f32 / sides as f32,
        );
        Vec3::new(up.sin() * around.cos(), up.sin() * around.sin(), up.cos())
    };
    let place = |ring: u32, side: u32| 1 + (ring - 1) * sides + side % sides;
    let mut points = vec![Vec3::Z];
    points.extend((1..rings).flat_map(|ring| (0..sides).map(move |side| at(ring, side))));
    points.push(Vec3::NEG_Z);
    let last = points.len() as u32 - 1;
    let mut faces = Vec::new();
    for side in 0..sides {
        faces.push(vec![0, place(1, side), place(1, side + 1)]);
        faces.push(vec![last, place(rings - 1, side + 1), place(rings - 1, side)]);
        for ring in 1..rings - 1 {
            let [a, b] = [place(ring, side), place(ring, side + 1)];
            faces.push(vec![a, a + sides, b + sides, b]);
        }
    }
    polygons(points, &faces)
}

/// Two sheets, one tenth apart: what goes through both is told, what stops between is not.
#[test]
fn where_a_volume_comes_out_elsewhere_is_told() {
    let document = document(beside(sheet(20, 0.0), sheet(20, -0.1)));
    let part = &document.parts()[0];
    let areas = part.face_areas();
    let of = |depth: f32| {
        let transform = standing(Vec3::ZERO, Vec3::new(0.3, 0.3, depth), 0.0);
        let mut volume = volume(Solid::Box, transform, 1);
        volume.id = 1;
        let standing = Standing::new(&volume, document.parts()).unwrap();
        patches(&body(part), &areas, &standing)
    };
    let near = of(0.05);
    assert_eq!(near.len(), 1);
    assert!((near[0].area - 0.36).abs() < 1e-6 && near[0].at.z == 0.0);
    let through = of(0.2);
    assert_eq!(through.len(), 2);
    assert_eq!(through[0], near[0]);
    assert!((through[1].at.z + 0.1).abs() < 1e-6);
}

#[test]
fn what_cannot_be_is_refused_and_nothing_changes() {
    let mut document = document(sheet(4, 0.0));
    let good = || volume(Solid::Sphere, standing(Vec3::ZERO, Vec3::splat(0.5), 0.0), 1);
    let part = document.parts()[0].id;
    let refused = |document: &mut Document, edit: Edit| {
        let before = serde_json::to_value(document.record()).unwrap();
        let error = document.apply(edit).unwrap_err();
        let mut after = serde_json::to_value(document.record()).unwrap();
        after["next_id"] = before["next_id"].clone();
        assert_eq!(after, before, "{error}");
        error.to_string()
    };
    let set = |volumes: Vec<Volume>, part: Option<PartId>| -> Edit {
        VolumeEdit::SetVolumes { volumes, part }.into()
    };
    let cases = [
        (vec![Volume { swatch: 9, ..good() }], "not in the palette"),
        (vec![Volume { swatch: 40, ..good() }], "first 16"),
        (vec![Volume { name: " ".to_owned(), ..good() }], "name"),
        (vec![volume(Solid::Box, standing(Vec3::NAN, Vec3::ONE, 0.0), 1)], "finite numbers"),
        (vec![volume(Solid::Box, standing(Vec3::ZERO, Vec3::ZERO, 0.0), 1)], "a scale must lie"),
        (vec![Volume { id: 7, ..good() }, Volume { id: 7, ..good() }], "twice"),
        (vec![good(); 257], "256 volumes at most"),
    ];
    for (volumes, words) in cases {
        let said = refused(&mut document, set(volumes, Some(part)));
        assert!(said.contains(words), "{said}");
    }
    let said = refused(&mut document, set(vec![good()], Some(PartId(99))));
    assert!(said.contains("no such part") || said.contains("gone"), "{said}");
    let freeze = VolumeEdit::FreezeVolumes { volumes: vec![3] };
    assert!(refused(&mut document, freeze.into()).contains("not there any more"));
    // Swatches are made by what lays them on whole, colors by anything else.
    self::set(&mut document, vec![good()]);
    let own = document.parts()[0].swatch_set().unwrap().id;
    document
        .apply(SwatchEdit::ColorSwatches { parts: vec![part], name: "Colors".to_owned() })
        .unwrap();
    let colors = document.parts()[0].sets.iter().find(|s| s.name == "Colors").unwrap().id;
    let recipe = |source| Recipe { steps: vec![Step::new(source)], ..Recipe::new(Target::Rgba) };
    let volumes = recipe(Source::Volumes { over: false });
    let give = |set, recipe| RecipeEdit::SetRecipe { part, set, recipe };
    let said = refused(&mut document, give(colors, volumes).into());
    assert!(said.contains("choose a set of swatches"), "{said}");
    let said = refused(&mut document, give(own, recipe(Source::Constant { value: 0.5 })).into());
    assert!(said.contains("laid on whole"), "{said}");
    // A locked part keeps a volume from being frozen, and nothing of it is cut.
    let lock = PartEdit::LockParts { parts: vec![part], locked: true };
    document.apply(lock).unwrap();
    let frozen = document.volumes()[0].id;
    let error = document.apply(VolumeEdit::FreezeVolumes { volumes: vec![frozen] }).unwrap_err();
    assert!(matches!(error, EditError::Locked(_)), "{error}");
}

#[test]
fn a_swatch_that_goes_leaves_volumes_without() {
    let mut document = document(sheet(20, 0.0));
    let transform = standing(Vec3::ZERO, Vec3::splat(0.5), 0.0);
    set(&mut document, vec![volume(Solid::Sphere, transform, 2)]);
    assert!(painted(&document, 2) > 0.7);
    let less = document.swatches().iter().filter(|s| s.number != 2).cloned().collect();
    let change = document.apply(ProjectEdit::SetPalette { swatches: less }).unwrap();
    made(&mut document);
    assert_eq!(document.volumes()[0].swatch, 0);
    assert!(numbers(&document).iter().all(|number| *number == 0));
    document.replay(&change, Direction::Backward).unwrap();
    made(&mut document);
    assert!(painted(&document, 2) > 0.7);
}

/// A part that is painted in swatches later, or unlocked, takes color once it is told to; one that no volume
/// comes near may be locked while others are frozen; and what colors nothing is not frozen into nothing.
#[test]
fn others_join_in_and_what_is_far_off_may_be_locked() {
    let mut document = document(sheet(10, 0.0));
    let far = sheet(4, 0.0);
    let positions = far.positions.iter().map(|&p| p + Vec3::X * 9.0).collect();
    let far = Mesh::new(MeshArrays { positions, ..far }).unwrap();
    document.apply(Edit::bring_in(vec![NewPart::new("Far", far, Vec::new())])).unwrap();
    let far = document.parts()[1].id;
    let ball = |at: Vec3| volume(Solid::Sphere, standing(at, Vec3::splat(0.5), 0.0), 2);
    set(&mut document, vec![ball(Vec3::ZERO), ball(Vec3::X * 9.0)]);
    let volumes = document.volumes().to_vec();
    let is_colored = |document: &Document| {
        let set = document.parts()[1].swatch_set();
        set.is_some_and(|set| set.values.iter().any(|&value| swatch_of(value) == 2))
    };
    assert!(!is_colored(&document));
    let join = VolumeEdit::SetVolumes { volumes: volumes.clone(), part: Some(far) };
    let change = document.apply(join).unwrap();
    made(&mut document);
    assert!(is_colored(&document));
    assert_eq!(change.label, "Let volumes color more");
    document.apply(PartEdit::LockParts { parts: vec![far], locked: true }).unwrap();
    let freeze = |id: u32| VolumeEdit::FreezeVolumes { volumes: vec![id] };
    assert!(matches!(document.apply(freeze(volumes[1].id)), Err(EditError::Locked(_))));
    document.apply(freeze(volumes[0].id)).unwrap();
    assert!((painted(&document, 2) / (PI * 0.25) - 1.0).abs() < 2e-3);
    let off = Volume { off: true, ..volumes[1].clone() };
    document.apply(VolumeEdit::SetVolumes { volumes: vec![off], part: None }).unwrap();
    let error = document.apply(freeze(volumes[1].id)).unwrap_err();
    assert!(error.to_string().contains("colors nothing"), "{error}");
}

/// Whoever builds a project from its changes alone, as it is opened, gives no volume a number that another has.
#[test]
fn numbers_of_volumes_are_given_once() {
    let mut document = document(sheet(8, 0.0));
    let small = || volume(Solid::Box, standing(Vec3::ZERO, Vec3::splat(0.2), 0.0), 2);
    set(&mut document, vec![small()]);
    let whole = document.as_change(String::new());
    let mut again = Document::default();
    again.supply_mesh(document.parts()[0].geometry.mesh().clone());
    again.replay(&whole, Direction::Forward).unwrap();
    let first = again.volumes()[0].clone();
    let second = Volume { name: "Another".to_owned(), ..small() };
    again
        .apply(VolumeEdit::SetVolumes { volumes: vec![first.clone(), second], part: None })
        .unwrap();
    assert_ne!(again.volumes()[1].id, first.id);
}
