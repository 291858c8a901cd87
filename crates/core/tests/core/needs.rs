//! What recipes are said to look at, against what they make: whatever changes in a project, where
//! that makes other values the digest is another one, too.

use std::{collections::HashMap, sync::Arc};

use glam::{Vec2, Vec3};
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{Mesh, Placement, UpAxis, mesh::UvSet};
use speckle_model::{
    NewPart, NewSet, Part, Selection,
    color_set::Role,
    recipe::{Mask, Recipe, Source, Step, Target},
};
use speckle_tools::bake::{BakeError, Inputs, Pantry, made_by, watch::Watch};

use crate::{
    bake::image_of,
    common::{beside, materials, sheet},
};

/// What may change between two makings of a recipe.
#[derive(Clone)]
struct World {
    parts: Vec<Part>,
    up: UpAxis,
    encoding: Encoding,
    images: HashMap<String, speckle_tools::image_file::ImageFile>,
}

fn pixels(shift: u8) -> speckle_tools::image_file::ImageFile {
    let rgba: Vec<u8> = (0..64).map(|i: u8| i.wrapping_mul(37).wrapping_add(shift) | 3).collect();
    image_of(4, 4, &rgba)
}

/// Two curved sheets in one part, one more part above them, with all that sources can look at.
fn world() -> World {
    let bent = |x: f32, z: f32| {
        let mut arrays = beside(sheet(4, 0.0), sheet(4, 0.7));
        for p in &mut arrays.positions {
            *p = Vec3::new(p.x + x, p.y + 0.3 * p.z, p.z + z + 0.3 * p.x * p.x + 0.1 * p.y);
        }
        let uvs = arrays.corner_vertices.iter().map(|&v| {
            let p = arrays.positions[v as usize];
            Vec2::new(p.x - x, p.y) / 2.0 + 0.5
        });
        arrays.uv_sets = vec![UvSet { name: "UV".to_owned(), uvs: uvs.collect() }];
        Mesh::new(arrays).unwrap()
    };
    let part = |name: &str, mesh: Mesh| {
        let wear = NewSet {
            name: "Wear".to_owned(),
            placement: Placement::Vertex,
            encoding: Encoding::Data,
            ground: [0.0; 4],
            values: (0..mesh.vertex_count()).map(|v| [v as f32 / 64.0, 0.4, 0.2, 1.0]).collect(),
        };
        let aim = NewSet::flooded("Aim", Placement::Vertex, Encoding::Data, [0.0; 4], &mesh);
        let mut part = NewPart::new(name, mesh, vec![aim, wear]);
        part.selections = vec![Selection { name: "Group".to_owned(), faces: vec![0, 1, 2, 9] }];
        let list = [([0.2, 0.3, 0.4, 1.0], None), ([1.0; 4], Some("Grit"))];
        part.materials = materials(&list, 32);
        part
    };
    let mut document = Document::default();
    let parts = vec![part("Tray", bent(0.0, 0.0)), part("Lid", bent(0.4, 1.6))];
    document.apply(Edit::bring_in(parts)).unwrap();
    let mut parts = document.parts().to_vec();
    for (role, name) in [(Role::Selection, "Marked"), (Role::Mask, "Mask")] {
        let mut own = parts[0].sets[1].clone();
        (own.role, own.name) = (role, name.to_owned());
        own.values = Arc::new((0..50).map(|v| [f32::from(u8::from(v % 7 < 3)); 4]).collect());
        parts[0].sets.push(own);
    }
    let images = HashMap::from([("Grit".to_owned(), pixels(0))]);
    World { parts, up: UpAxis::Z, encoding: Encoding::Data, images }
}

fn inputs(world: &World) -> Inputs {
    let first = world.parts[0].id;
    let set = (Placement::Vertex, world.encoding, [0.0; 4]);
    let images = Arc::new(world.images.clone());
    Inputs::new(Arc::new(world.parts.clone()), first, set, world.up, images).unwrap()
}

/// What comes of a recipe, or why nothing, and the digest of what it looks at. Numbers are told
/// apart from the 16th bit on: parts that move together rub off the last ones.
fn come_of(recipe: &Recipe, world: &World) -> (Result<Vec<[i32; 4]>, BakeError>, [u8; 32]) {
    let (pantry, inputs) = (Pantry::default(), inputs(world));
    let digest = inputs.recipe_digest(recipe, &pantry).0;
    let made = made_by(recipe, &[[0.0; 4]; 50], &inputs, &pantry, &Watch::default());
    let coarse = |values: Vec<[f32; 4]>| {
        values.into_iter().map(|value| value.map(|x| (x * 65_536.0).round() as i32)).collect()
    };
    (made.map(coarse), digest)
}

type Turn = (&'static str, fn(&mut World));

/// All that may change, one at a time.
const TURNS: [Turn; 15] = [
    ("the part moves", |w| w.parts[0].traits.transform.translation = Vec3::new(0.3, 0.0, 0.5)),
    ("the part turns", |w| {
        w.parts[0].traits.transform.rotation_degrees = Vec3::new(40.0, 20.0, 9.0)
    }),
    ("the part is stretched", |w| w.parts[0].traits.transform.scale = Vec3::new(2.0, 1.0, 0.5)),
    ("the other moves", |w| w.parts[1].traits.transform.translation.z = -0.4),
    ("the other goes", |w| w.parts[1].traits.visible = false),
    ("another name", |w| w.parts[1].traits.name = "Cover".to_owned()),
    ("the other axis", |w| w.up = UpAxis::Y),
    ("color", |w| w.encoding = Encoding::Color),
    ("another image", |w| w.images = HashMap::from([("Grit".to_owned(), pixels(90))])),
    ("another set", |w| {
        w.parts[0].sets[1].values = Arc::new(vec![[0.7, 0.1, 0.9, 0.3]; 50]);
    }),
    ("another set of the other", |w| {
        w.parts[1].sets[1].values = Arc::new(vec![[0.6, 0.2, 0.8, 0.4]; 50]);
    }),
    ("another selection", |w| {
        w.parts[0].sets[2].values =
            Arc::new((0..50).map(|v| [f32::from(u8::from(v < 9)); 4]).collect());
    }),
    ("another mask", |w| w.parts[0].sets[3].values = Arc::new(vec![[0.25; 4]; 50])),
    ("other groups", |w| {
        let group = Selection { name: "Group".to_owned(), faces: vec![20, 21] };
        w.parts[0].traits.selections = Arc::new(vec![group]);
    }),
    ("other materials", |w| {
        let mut materials = (*w.parts[0].materials).clone();
        materials.list[0].color = [0.9, 0.1, 0.1, 1.0];
        w.parts[0].materials = Arc::new(materials);
    }),
];

fn step(source: &str) -> Step {
    Step::new(serde_json::from_str::<Source>(source).unwrap())
}

/// Every kind of source there is, in the ways that look at different things.
pub const SOURCES: [&str; 68] = [
    r#"{"kind":"occlusion","rays":16,"other_parts":true,"ground":false}"#,
    r#"{"kind":"occlusion","rays":16,"other_parts":false,"ground":true}"#,
    r#"{"kind":"occlusion","rays":16,"own_shape":false,"falloff":"linear","reach":9,"sky":"up"}"#,
    r#"{"kind":"open_way","rays":16,"space":"world"}"#,
    r#"{"kind":"open_way","rays":16,"space":"tangent"}"#,
    r#"{"kind":"occlusion","rays":16,"reach":2,"falloff":{"curve":[{"x":0,"y":1},{"x":1,"y":0}]}}"#,
    r#"{"kind":"light","rays":16,"sky":[0.2,0.4,0.6]}"#,
    r#"{"kind":"light","rays":16,"bounce":0.5,"lamps":[{"towards":"x"}],"intensity":true}"#,
    r#"{"kind":"light","rays":16,"other_parts":false,"through":0.3}"#,
    r#"{"kind":"streaks","from":"Group","apart":0.5}"#,
    r#"{"kind":"streaks","apart":0.2,"stray":0.5}"#,
    r#"{"kind":"dust","rays":16}"#,
    r#"{"kind":"dust","rays":16,"other_parts":false}"#,
    r#"{"kind":"waterline"}"#,
    r#"{"kind":"wear","width":0.3}"#,
    r#"{"kind":"line","points":[[-0.8,0,0],[0.5,0.4,0]],"reach":2}"#,
    r#"{"kind":"line","points":[[-0.8,0,0],[0.5,0.4,0]],"tells":"progress"}"#,
    r#"{"kind":"rim","of":"Group"}"#,
    r#"{"kind":"rim","of":"Marked"}"#,
    r#"{"kind":"pattern","shows":"bricks"}"#,
    r#"{"kind":"pattern","shows":"waves","space":"world","along":"x"}"#,
    r#"{"kind":"pattern","shows":"checks","space":{"uv":0},"size":0.3}"#,
    r#"{"kind":"pivot","by":"islands"}"#,
    r#"{"kind":"piece_number","by":"materials"}"#,
    r#"{"kind":"normal","space":"tangent"}"#,
    r#"{"kind":"openness","light":"up","rays":16}"#,
    r#"{"kind":"openness","light":"x","rays":16,"other_parts":false}"#,
    r#"{"kind":"thickness","rays":16}"#,
    r#"{"kind":"hollows"}"#,
    r#"{"kind":"ridges","scale":0.3}"#,
    r#"{"kind":"relief","scales":[{"scale":0.5},{"scale":0,"weight":2}]}"#,
    r#"{"kind":"edges","angle":1}"#,
    r#"{"kind":"facing","direction":"up","space":"world","half_angle":90,"softness":1}"#,
    r#"{"kind":"facing","direction":"up","space":"part","half_angle":90,"softness":1}"#,
    r#"{"kind":"facing","direction":"x","space":"part","half_angle":90,"softness":1}"#,
    r#"{"kind":"height_ramp","direction":"up","space":"world"}"#,
    r#"{"kind":"height_ramp","direction":"up","space":"part"}"#,
    r#"{"kind":"between","from":[-1,0,0],"to":[1,0,0],"space":"world"}"#,
    r#"{"kind":"distance","from":{"kind":"selection","name":"Marked"}}"#,
    r#"{"kind":"distance","from":{"kind":"selection","name":"Group"}}"#,
    r#"{"kind":"distance","from":{"kind":"end","towards":"down"}}"#,
    r#"{"kind":"distance","from":{"kind":"part","name":"Lid"},"reach":4}"#,
    r#"{"kind":"trail","root":{"kind":"selection","name":"Marked"}}"#,
    r#"{"kind":"trail","root":{"kind":"end","towards":"up"}}"#,
    r#"{"kind":"joint","between":"parts","width":3}"#,
    r#"{"kind":"joint","between":"pieces","width":3}"#,
    r#"{"kind":"joint","between":"materials","width":3}"#,
    r#"{"kind":"joint","between":"islands","width":3}"#,
    r#"{"kind":"per_piece","by":"islands"}"#,
    r#"{"kind":"per_piece","by":"touching","colors":2}"#,
    r#"{"kind":"per_piece","by":"materials"}"#,
    r#"{"kind":"per_piece","by":"parts"}"#,
    r#"{"kind":"per_piece_shift","by":"pieces"}"#,
    r#"{"kind":"noise","space":"world"}"#,
    r#"{"kind":"noise","space":{"uv":0}}"#,
    r#"{"kind":"noise","space":{"uv":0},"tiles":true,"contrast":1}"#,
    r#"{"kind":"noise","space":"world","stretch":3,"noise":"cell_edges"}"#,
    r#"{"kind":"image","image":"Grit"}"#,
    r#"{"kind":"image","image":"Grit","lay":{"kind":"along","direction":"up"}}"#,
    r#"{"kind":"image","image":"Grit","lay":{"kind":"three_axes"}}"#,
    r#"{"kind":"material"}"#,
    r#"{"kind":"normal","space":"world"}"#,
    r#"{"kind":"position","space":"world"}"#,
    r#"{"kind":"position","space":"part"}"#,
    r#"{"kind":"channel","set":"Wear","channel":"RGB"}"#,
    r#"{"kind":"color","color":[0.1,0.5,0.9]}"#,
    r#"{"kind":"from_part","part":"Lid","set":"Wear","channel":"RGB","within":30}"#,
    r#"{"kind":"from_part","part":"Lid","set":"Wear","channel":"R","along":"normal","within":30}"#,
];

#[test]
fn whatever_makes_other_values_is_looked_at() {
    let mut steps = SOURCES.map(step).to_vec();
    let masks = [
        Mask::Own { invert: false },
        Mask::Selection { name: "Marked".to_owned(), invert: true },
        Mask::Selection { name: "Group".to_owned(), invert: false },
        Mask::Channel { set: "Wear".to_owned(), channel: Target::R, invert: false },
    ];
    steps.extend(masks.map(|mask| Step {
        mask: Some(mask),
        ..step(r#"{"kind":"color","color":[0.1,0.5,0.9]}"#)
    }));
    let whole = world();
    let mut felt = [0; TURNS.len()];
    for step in steps {
        let told = serde_json::to_string(&step).unwrap();
        let recipe = Recipe { steps: vec![step], ..Recipe::new(Target::Rgb) };
        let (before, digest) = come_of(&recipe, &whole);
        assert!(before.is_ok(), "{told}: {before:?}");
        assert_eq!(come_of(&recipe, &whole.clone()).1, digest, "{told}: the same is the same");
        for (nth, (what, turn)) in TURNS.iter().enumerate() {
            let mut turned = whole.clone();
            turn(&mut turned);
            let (after, other) = come_of(&recipe, &turned);
            if after != before {
                felt[nth] += 1;
                assert_ne!(other, digest, "{told}: when {what} it makes something else");
            }
        }
    }
    for ((what, _), count) in TURNS.iter().zip(felt) {
        assert!(count > 0, "nothing looks whether {what}");
    }
}

/// What a recipe does not look at may change without its being made again: a part that only moves
/// is as shaded by itself, and faces up, as before.
#[test]
fn what_does_not_matter_is_not_looked_at() {
    let whole = world();
    let mut moved = whole.clone();
    moved.parts[0].traits.transform.translation = Vec3::new(3.0, 2.0, 1.0);
    moved.parts[1].traits.transform.rotation_degrees.x = 20.0;
    for source in [
        r#"{"kind":"occlusion","other_parts":false,"ground":true}"#,
        r#"{"kind":"openness","light":"up","other_parts":false}"#,
        r#"{"kind":"facing","direction":"up","space":"part","half_angle":90,"softness":1}"#,
        r#"{"kind":"distance","from":{"kind":"end","towards":"down"}}"#,
        r#"{"kind":"image","image":"Grit","lay":{"kind":"along","direction":"up"}}"#,
        r#"{"kind":"material"}"#,
    ] {
        let recipe = Recipe { steps: vec![step(source)], ..Recipe::new(Target::Rgb) };
        let digest = |world: &World| inputs(world).recipe_digest(&recipe, &Pantry::default());
        assert_eq!(digest(&whole), digest(&moved), "{source}");
    }
}
