//! Numbers as programs read them again: bytes, folded directions, pieces, tangent frames.

use std::{collections::HashMap, sync::Arc};

use glam::{Vec2, Vec3};
use speckle_color::Encoding;
use speckle_mesh::{Mesh, Placement, UpAxis, mesh::UvSet};
use speckle_model::{
    NewPart,
    recipe::{Recipe, Shaping, Target, shaping::folded},
};
use speckle_tools::{
    bake::{Inputs, Pantry, made_by, watch::Watch},
    image_file::ImageFile,
};

use crate::{
    bake::{image_of, inputs_of, made_of, mesh, source},
    common::{beside, polygons, sheet},
};

fn three(json: &str, inputs: &Inputs) -> Vec<[f32; 3]> {
    let field = Pantry::default().source(&source(json), inputs, &Watch::default()).unwrap();
    (0..field.len()).map(|i| field.at(i)).collect()
}

/// Two halves as bytes make the number again, to one in 65 535.
#[test]
fn a_number_in_two_bytes_comes_back_whole() {
    let half = |half: &str| {
        let json = format!(r#"{{"kind":"byte","half":"{half}"}}"#);
        serde_json::from_str::<Shaping>(&json).unwrap()
    };
    let (high, low) = (half("high"), half("low"));
    for i in 0..=20_000 {
        let x = i as f32 / 20_000.0;
        // As 8 bits hold them.
        let byte = |shaping: &Shaping| (shaping.of(x).unwrap() * 255.0).round();
        let back = (byte(&high) * 256.0 + byte(&low)) / 65_535.0;
        assert!((back - x).abs() <= 0.5 / 65_535.0 + 1e-7, "{x}: {back}");
        assert!((high.of(x).unwrap() * 255.0).fract().min(1.0) < 1e-3 || byte(&high) > 0.0);
    }
}

/// The decoding of Cigolle et al. (A Survey of Efficient Representations for Independent Unit
/// Vectors, JCGT 2014, listing 2, from memory).
fn unfolded([u, v, _]: [f32; 3]) -> Vec3 {
    let e = Vec2::new(u, v) * 2.0 - 1.0;
    let mut way = Vec3::new(e.x, e.y, 1.0 - e.x.abs() - e.y.abs());
    if way.z < 0.0 {
        let sign = |x: f32| if x >= 0.0 { 1.0 } else { -1.0 };
        let (x, y) = (way.x, way.y);
        way.x = (1.0 - y.abs()) * sign(x);
        way.y = (1.0 - x.abs()) * sign(y);
    }
    way.normalize()
}

#[test]
fn a_folded_direction_comes_back() {
    let mut worst = 0.0_f32;
    for i in 0..5000 {
        // Spread over the sphere by the golden angle.
        let z = 1.0 - 2.0 * (i as f32 + 0.5) / 5000.0;
        let (r, turn) = ((1.0 - z * z).sqrt(), i as f32 * 2.399_963);
        let way = Vec3::new(r * turn.cos(), r * turn.sin(), z);
        let two = folded((way * 0.5 + 0.5).to_array());
        assert_eq!(two[2], 0.0);
        assert!(unfolded(two).distance(way) < 1e-5, "{way}");
        let bytes = two.map(|x| (x * 255.0).round() / 255.0);
        worst = worst.max(unfolded(bytes).angle_between(way).to_degrees());
    }
    // Two bytes are good to about a degree (the survey's table: 0.94° at most).
    assert!(worst < 1.0, "{worst}°");
    let recipe: Recipe = serde_json::from_str(
        r#"{"channels":"RGB","steps":[{"source":{"kind":"normal"},"shaping":[{"kind":"fold"}]}]}"#,
    )
    .unwrap();
    let inputs = inputs_of(vec![mesh(sheet(2, 0.0))], Placement::Face);
    let made = made_by(&recipe, &[[0.0; 4]; 4], &inputs, &Pantry::default(), &Watch::default());
    assert_eq!(made.unwrap()[0][..3], [0.5, 0.5, 0.0]);
    assert_eq!(recipe.channels, Target::Rgb);
}

/// So many flat bricks in a row, each 1 long, 1 deep.
fn bricks(count: usize) -> Mesh {
    let one = |i: usize| {
        let mut brick = sheet(1, 0.0);
        brick.positions.iter_mut().for_each(|p| p.x += 3.0 * i as f32);
        brick
    };
    mesh((0..count).map(one).reduce(beside).unwrap())
}

#[test]
fn pieces_have_numbers_from_0_on() {
    let inputs = inputs_of(vec![bricks(40)], Placement::Face);
    let numbers = crate::bake::made(r#"{"kind":"piece_number"}"#, &inputs);
    let whole: Vec<u32> = numbers.iter().map(|x| (x * 255.0).round() as u32).collect();
    assert_eq!(whole, (0..40).collect::<Vec<_>>());
    let many = inputs_of(vec![bricks(300)], Placement::Face);
    let refused = made_of(&source(r#"{"kind":"piece_number"}"#), &many).unwrap_err().to_string();
    assert!(refused.contains("300") && refused.contains("16 bits"), "{refused}");
    let deep = crate::bake::made(r#"{"kind":"piece_number","bits":16}"#, &many);
    let whole: Vec<u32> = deep.iter().map(|x| (x * 65_535.0).round() as u32).collect();
    assert_eq!(whole, (0..300).collect::<Vec<_>>());
    assert!(source(r#"{"kind":"piece_number","bits":12}"#).problem().is_some());
}

#[test]
fn pivots_and_places_are_told_within_a_box() {
    let inputs = inputs_of(vec![bricks(3)], Placement::Vertex);
    let within = r#""within":{"low":[-2,-2,-1],"high":[8,2,1]}"#;
    for (vertex, pivot) in
        three(&format!(r#"{{"kind":"pivot",{within}}}"#), &inputs).into_iter().enumerate()
    {
        let middle = 3.0 * (vertex / 4) as f32;
        let expected = [(middle + 2.0) / 10.0, 0.5, 0.5];
        assert!(Vec3::from(pivot).distance(expected.into()) < 1e-5, "{vertex}: {pivot:?}");
    }
    let foot = three(&format!(r#"{{"kind":"pivot","end":"minus_y",{within}}}"#), &inputs);
    assert!(foot.iter().all(|pivot| (pivot[1] - 0.25).abs() < 1e-5), "{foot:?}");
    let places = three(&format!(r#"{{"kind":"position",{within}}}"#), &inputs);
    let positions = inputs.body.geometry.mesh().positions();
    for (place, p) in places.into_iter().zip(positions) {
        let back = Vec3::from(place) * Vec3::new(10.0, 4.0, 2.0) - Vec3::new(2.0, 2.0, 1.0);
        assert!(back.distance(*p) < 1e-4, "{p}: {back}");
    }
    let flat = source(r#"{"kind":"position","within":{"low":[0,0,0],"high":[1,1,0]}}"#);
    assert!(flat.problem().is_some());
}

/// A sheet that is bent along y by an angle to each side, with U along y and V against x: a roof.
fn roof(degrees: f32) -> Mesh {
    let (sin, cos) = degrees.to_radians().sin_cos();
    let mut own = sheet(2, 0.0);
    own.positions.iter_mut().for_each(|p| *p = Vec3::new(p.x * cos, p.y, -p.x.abs() * sin));
    let uvs = own.corner_vertices.iter().map(|&v| {
        let p = own.positions[v as usize];
        Vec2::new(p.y, -p.x / cos)
    });
    own.uv_sets = vec![UvSet { name: "UV".into(), uvs: uvs.collect() }];
    mesh(own)
}

/// At the ridge of a roof each side looks away from the smooth normal by its angle: along −V and V.
#[test]
fn normals_are_told_in_the_frame_of_their_surface() {
    let degrees = 40.0_f32;
    let inputs = inputs_of(vec![roof(degrees)], Placement::Corner);
    let own = inputs.body.geometry.mesh();
    let normals = three(r#"{"kind":"normal","space":"tangent"}"#, &inputs);
    let (sin, cos) = degrees.to_radians().sin_cos();
    for (corner, normal) in normals.into_iter().enumerate() {
        let told = Vec3::from(normal) * 2.0 - 1.0;
        let p = own.corner_position(corner);
        let side = own.face_centroid(inputs.body.geometry.topology().face_of(corner)).x.signum();
        let expected = if p.x.abs() < 1e-6 {
            // Towards +x is against V, which lies level there.
            Vec3::new(0.0, -side * sin, cos)
        } else {
            Vec3::Z
        };
        assert!(told.distance(expected) < 1e-3, "{p}: {told}, not {expected}");
    }
    // What is in the open looks straight out, whatever way the surface lies.
    let open = inputs_of(vec![roof(0.0)], Placement::Vertex);
    for way in three(r#"{"kind":"open_way","space":"tangent","rays":1024}"#, &open) {
        let way = Vec3::from(way) * 2.0 - 1.0;
        assert!(way.distance(Vec3::Z) < 0.05, "{way}");
    }
    let bare = inputs_of(vec![mesh(sheet(1, 0.0))], Placement::Corner);
    assert!(made_of(&source(r#"{"kind":"normal","space":"tangent"}"#), &bare).is_err());
}

fn with_images(mesh: Mesh, images: HashMap<String, ImageFile>, placement: Placement) -> Inputs {
    let mut document = speckle_core::Document::default();
    let part = NewPart::new("Part", mesh, vec![]);
    document.apply(speckle_core::Edit::bring_in(vec![part])).unwrap();
    let parts = Arc::new(document.parts().to_vec());
    let first = parts[0].id;
    let set = (placement, Encoding::Data, [0.0; 4]);
    Inputs::new(parts, first, set, UpAxis::Z, Arc::new(images)).unwrap()
}

fn plain(color: [u8; 3]) -> ImageFile {
    let [r, g, b] = color;
    image_of(4, 4, &[r, g, b, 255].repeat(16))
}

/// Squares of texture coordinates have images of their own, by their numbers: ten in a row from 1001
/// on. Where there is none, nothing is shown.
#[test]
fn each_tile_shows_its_own_image() {
    // Four squares beside and above each other.
    let mut own = sheet(2, 0.0);
    let uvs = own.corner_vertices.iter().map(|&v| {
        let p = own.positions[v as usize];
        Vec2::new(p.x + 1.0, p.y + 1.0)
    });
    own.uv_sets = vec![UvSet { name: "UV".into(), uvs: uvs.collect() }];
    let images = [
        ("Skin.1001.png", [200, 0, 0]),
        ("Skin.1002.png", [0, 200, 0]),
        ("Skin.1011.png", [0, 0, 200]),
    ];
    let images: HashMap<String, ImageFile> =
        images.into_iter().map(|(name, color)| (name.to_owned(), plain(color))).collect();
    let share = 200.0 / 255.0;
    for placement in [Placement::Face, Placement::Corner] {
        let inputs = with_images(mesh(own.clone()), images.clone(), placement);
        let json = r#"{"kind":"image","image":"Skin.1002.png","tiles":true}"#;
        let field = Pantry::default().source(&source(json), &inputs, &Watch::default()).unwrap();
        let each = field.len() / 4;
        let expected = [Some(0), Some(1), Some(2), None];
        for i in 0..field.len() {
            let color = field.at(i);
            match expected[i / each] {
                Some(k) => {
                    assert!((color[k] - share).abs() < 0.01, "{i}: {color:?}");
                    assert!((field.alpha(i) - 1.0).abs() < 1e-3, "{i}");
                }
                None => assert_eq!(field.alpha(i), 0.0, "{i}"),
            }
        }
    }
    let inputs = with_images(
        mesh(own),
        HashMap::from([("Skin.png".into(), plain([9; 3]))]),
        Placement::Face,
    );
    let none = made_of(&source(r#"{"kind":"image","image":"Skin.png","tiles":true}"#), &inputs);
    assert!(none.is_err_and(|error| error.to_string().contains("1001")));
}

/// Seen along a direction: what is turned away by more than an angle, or hidden, is left out.
#[test]
fn an_image_may_stay_on_what_is_seen() {
    // Two tiles one above the other, and one that stands beside them.
    let at = |x: f32, y: f32, z: f32| Vec3::new(x, y, z);
    let flat = |z: f32| [at(0.0, 0.0, z), at(1.0, 0.0, z), at(1.0, 1.0, z), at(0.0, 1.0, z)];
    let stands = [at(3.0, 0.0, 0.0), at(3.0, 1.0, 0.0), at(3.0, 1.0, 1.0), at(3.0, 0.0, 1.0)];
    let corners = [flat(1.0), flat(0.0), stands].concat();
    let own = polygons(corners, &[vec![0, 1, 2, 3], vec![4, 5, 6, 7], vec![8, 9, 10, 11]]);
    let images = || HashMap::from([("Grit".to_owned(), plain([200, 100, 50]))]);
    let inputs = with_images(own, images(), Placement::Face);
    let alphas = |more: &str| {
        let json = format!(
            r#"{{"kind":"image","image":"Grit","lay":{{"kind":"along","direction":"minus_z"{more}}}}}"#
        );
        let field = Pantry::default().source(&source(&json), &inputs, &Watch::default()).unwrap();
        [0, 1, 2].map(|face| field.alpha(face))
    };
    assert_eq!(alphas(""), [1.0, 1.0, 1.0]);
    assert_eq!(alphas(r#","turned":60"#), [1.0, 1.0, 0.0]);
    assert_eq!(alphas(r#","seen":true"#), [1.0, 0.0, 0.0]);
    assert_eq!(alphas(r#","turned":120"#), [1.0, 1.0, 1.0]);
}
