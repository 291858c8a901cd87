//! Maps: what lies on a pixel is what the surface has there.

use std::sync::Arc;

use glam::{Vec2, Vec3};
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{
    Mesh, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet, Part};
use speckle_tools::{
    bake::image::Image,
    map::{Map, MapChannel, MapError, MapPlan, MapProjection, render},
};

use crate::common::sheet;

fn from(set: &str, channel: usize) -> MapChannel {
    MapChannel::Set { set: set.to_owned(), channel, invert: false }
}

fn plan(size: usize, lay: MapProjection, channels: [MapChannel; 4]) -> MapPlan {
    MapPlan { width: size, height: size, lay, channels, padding: 0, samples: 1 }
}

fn parts(mesh: Mesh, sets: Vec<NewSet>) -> Vec<Part> {
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, sets)])).unwrap();
    document.parts().to_vec()
}

fn set(name: &str, encoding: Encoding, mesh: &Mesh, value: impl Fn(Vec3) -> [f32; 4]) -> NewSet {
    let values = mesh.positions().iter().map(|&p| value(p)).collect();
    let placement = Placement::Vertex;
    NewSet { name: name.to_owned(), placement, encoding, ground: [1.0; 4], values }
}

/// A sheet of 4 × 4 squares with texture coordinates from 0 to 1.
fn unwrapped() -> Mesh {
    let mut arrays: MeshArrays = sheet(4, 0.0);
    let most = arrays.positions.iter().fold(Vec3::splat(f32::MIN), |m, &p| m.max(p));
    let least = arrays.positions.iter().fold(Vec3::splat(f32::MAX), |m, &p| m.min(p));
    let uvs = arrays
        .corner_vertices
        .iter()
        .map(|&v| {
            let at = (arrays.positions[v as usize] - least) / (most - least);
            let flat = [at.x, at.y, at.z].into_iter().filter(|x| x.is_finite()).collect::<Vec<_>>();
            Vec2::new(flat[0], flat[1])
        })
        .collect();
    arrays.uv_sets = vec![UvSet { name: "UV".into(), uvs }];
    Mesh::new(arrays).unwrap()
}

/// The texture coordinate of each vertex.
fn uv_of(mesh: &Mesh) -> Vec<Vec2> {
    let mut at = vec![Vec2::ZERO; mesh.vertex_count()];
    for (corner, &vertex) in mesh.corner_vertices().iter().enumerate() {
        at[vertex as usize] = mesh.uv_sets()[0].uvs[corner];
    }
    at
}

/// A linear field is met exactly by triangles: at the middle of pixel i of n it is (i + ½) / n.
#[test]
fn a_ramp_of_data_is_met_at_the_middle_of_every_pixel() {
    let mesh = unwrapped();
    let values = uv_of(&mesh).iter().map(|uv| [uv.x, uv.y, 0.25, 1.0]).collect();
    let (placement, encoding) = (Placement::Vertex, Encoding::Data);
    let ramp = NewSet { name: "Ramp".into(), placement, encoding, ground: [0.0; 4], values };
    let parts = parts(mesh, vec![ramp]);
    let channels = [
        from("Ramp", 0),
        from("Ramp", 1),
        MapChannel::Constant { value: 0.75 },
        MapChannel::Covered,
    ];
    for samples in [1, 3] {
        let plan =
            MapPlan { samples, ..plan(16, MapProjection::Uv { uv_set: 0 }, channels.clone()) };
        let map = render(&parts, &plan, |_| None).unwrap();
        assert_eq!((map.covered, map.is_color), (1.0, [false; 4]));
        for (i, pixel) in map.pixels.iter().enumerate() {
            let (x, y) = ((i % 16) as f32 + 0.5, (i / 16) as f32 + 0.5);
            let wanted = [x / 16.0, 1.0 - y / 16.0, 0.75, 1.0];
            assert!(
                (0..4).all(|k| (pixel[k] - wanted[k]).abs() < 1e-4),
                "{i}: {pixel:?} {wanted:?}"
            );
        }
    }
    // Turned over, packed from another channel.
    let inverted = MapChannel::Set { set: "Ramp".into(), channel: 0, invert: true };
    let plan = plan(
        4,
        MapProjection::Uv { uv_set: 0 },
        [inverted.clone(), inverted.clone(), inverted.clone(), inverted],
    );
    let map = render(&parts, &plan, |_| None).unwrap();
    assert!((map.pixels[0][2] - (1.0 - 0.125)).abs() < 1e-5);
}

/// Half black and half white over a pixel is half the light, which sRGB (IEC 61966-2-1) writes as
/// 0.7354; as data it is 0.5.
#[test]
fn pixels_are_means_of_light_for_colors_and_plain_for_data() {
    let mesh = unwrapped();
    let uvs = uv_of(&mesh);
    // A corner set: faces left of the middle black, right of it white.
    for (encoding, wanted) in [(Encoding::Color, 0.735_357), (Encoding::Data, 0.5)] {
        let values = (0..mesh.face_count())
            .map(|face| {
                let middle: f32 =
                    mesh.face_vertices(face).iter().map(|&v| uvs[v as usize].x).sum::<f32>()
                        / mesh.face_vertices(face).len() as f32;
                if middle < 0.5 { [0.0, 0.0, 0.0, 1.0] } else { [1.0; 4] }
            })
            .collect();
        let halves = NewSet {
            name: "Halves".into(),
            placement: Placement::Face,
            encoding,
            ground: [1.0; 4],
            values,
        };
        let parts = parts(mesh.clone(), vec![halves]);
        let channels = [0, 1, 2, 3].map(|k| from("Halves", k));
        let plan = MapPlan { samples: 8, ..plan(1, MapProjection::Uv { uv_set: 0 }, channels) };
        let map = render(&parts, &plan, |_| None).unwrap();
        assert!((map.pixels[0][0] - wanted).abs() < 1e-3, "{encoding:?}: {:?}", map.pixels[0]);
        assert_eq!(map.pixels[0][3], 1.0, "alpha is a plain number");
    }
}

#[test]
fn seams_are_padded_with_what_lies_beside_them_as_far_as_asked() {
    // A square in the middle of the map, a quarter of it in all.
    let mut arrays = sheet(1, 0.0);
    let corners = arrays.corner_vertices.len();
    let at = |v: u32| Vec2::new((v % 2) as f32, (v / 2) as f32) * 0.5 + 0.25;
    arrays.uv_sets = vec![UvSet {
        name: "UV".into(),
        uvs: (0..corners).map(|c| at(arrays.corner_vertices[c])).collect(),
    }];
    let mesh = Mesh::new(arrays).unwrap();
    let red = set("Red", Encoding::Color, &mesh, |_| [1.0, 0.0, 0.0, 1.0]);
    let parts = parts(mesh, vec![red]);
    let channels = [from("Red", 0), from("Red", 1), from("Red", 2), MapChannel::Covered];
    for padding in [0, 3, 200] {
        let plan =
            MapPlan { padding, ..plan(32, MapProjection::Uv { uv_set: 0 }, channels.clone()) };
        let map = render(&parts, &plan, |_| None).unwrap();
        assert_eq!(map.covered, 0.25);
        let red = map.pixels.iter().filter(|pixel| pixel[0] == 1.0).count();
        let side = (16 + 2 * padding).min(32);
        assert_eq!(red, side * side, "{padding}");
        let drawn = map.pixels.iter().filter(|pixel| pixel[3] == 1.0).count();
        assert_eq!(drawn, 16 * 16, "what is covered is told before padding");
    }
}

/// Seen from above, what is higher hides what is lower, and the picture is as wide as the part.
#[test]
fn along_an_axis_the_nearest_surface_is_seen() {
    let low = [[0., 0., 0.], [4., 0., 0.], [4., 4., 0.], [0., 4., 0.]];
    let high = [[0., 0., 1.], [2., 0., 1.], [2., 4., 1.], [0., 4., 1.]];
    let mesh = Mesh::new(MeshArrays {
        positions: low.into_iter().chain(high).map(Vec3::from).collect(),
        face_starts: vec![0, 4, 8],
        corner_vertices: (0..8).collect(),
        ..MeshArrays::default()
    })
    .unwrap();
    let height = set("Height", Encoding::Data, &mesh, |p| [p.z, p.z, p.z, 1.0]);
    let parts = parts(mesh, vec![height]);
    let lay = MapProjection::Along { direction: [0.0, 0.0, -1.0], up: [0.0, 1.0, 0.0] };
    let channels = [0, 1, 2, 3].map(|k| from("Height", k));
    let map: Map = render(&parts, &plan(8, lay, channels.clone()), |_| None).unwrap();
    for (i, pixel) in map.pixels.iter().enumerate() {
        assert_eq!(pixel[0], if i % 8 < 4 { 1.0 } else { 0.0 }, "{i}");
    }
    // From below it is the other way round, mirrored, and nothing of the upper sheet is seen.
    let lay = MapProjection::Along { direction: [0.0, 0.0, 1.0], up: [0.0, 1.0, 0.0] };
    let map = render(&parts, &plan(8, lay, channels), |_| None).unwrap();
    assert!(map.pixels.iter().all(|pixel| pixel[0] == 0.0));
}

#[test]
fn channels_are_kept_from_an_image_and_what_is_missing_is_named() {
    let mesh = unwrapped();
    let plain = set("Plain", Encoding::Data, &mesh, |_| [0.5; 4]);
    let parts = parts(mesh, vec![plain]);
    let image = Image::from_rgba(2, 1, &[255, 0, 0, 255, 0, 102, 0, 255]).map(Arc::new);
    let keep = |channel| MapChannel::Kept { image: "old.png".into(), channel };
    let channels = [from("Plain", 0), keep(1), keep(0), MapChannel::Constant { value: 1.0 }];
    let wanted = plan(2, MapProjection::Uv { uv_set: 0 }, channels);
    let map = render(&parts, &wanted, |_| image.clone()).unwrap();
    let bytes = |pixel: [f32; 4]| pixel.map(|x| (x * 255.0).round() as u8);
    assert_eq!(bytes(map.pixels[0]), [128, 0, 255, 255]);
    assert_eq!(bytes(map.pixels[1]), [128, 102, 0, 255]);

    assert_eq!(render(&parts, &wanted, |_| None), Err(MapError::NoImage("old.png".into())));
    let all = |channel: MapChannel| [channel.clone(), channel.clone(), channel.clone(), channel];
    let lay = MapProjection::Uv { uv_set: 0 };
    let gone = plan(2, lay, all(from("Gone", 0)));
    assert_eq!(render(&parts, &gone, |_| None), Err(MapError::NoSet("Gone".into())));
    let second = plan(2, MapProjection::Uv { uv_set: 1 }, all(from("Plain", 0)));
    assert!(render(&parts, &second, |_| None).unwrap_err().to_string().contains("UV set 2"));
    for odd in [
        MapPlan { width: 0, ..gone.clone() },
        MapPlan { height: 100_000, ..gone.clone() },
        MapPlan { samples: 0, ..gone.clone() },
        MapPlan { padding: 10_000, ..gone.clone() },
        plan(2, lay, all(MapChannel::Constant { value: f32::NAN })),
        plan(2, lay, all(from("Plain", 4))),
        plan(
            2,
            MapProjection::Along { direction: [0.0; 3], up: [0.0, 1.0, 0.0] },
            all(from("Plain", 0)),
        ),
    ] {
        assert!(matches!(render(&parts, &odd, |_| None), Err(MapError::Plan(_))), "{odd:?}");
    }
}

/// A sheet laid half a square to the right reaches over the border of the square on one side, and so
/// shows on the other: every pixel is covered, by what lies there.
#[test]
fn what_reaches_over_the_border_of_the_square_shows_on_its_other_side() {
    let straight = unwrapped();
    let mut arrays = MeshArrays::from(straight.clone());
    let shift = Vec2::new(0.5 + 1.0 / 8.0, 3.0);
    arrays.uv_sets[0].uvs.iter_mut().for_each(|uv| *uv += shift);
    let moved = Mesh::new(arrays).unwrap();
    let grey =
        |mesh: &Mesh| set("Grey", Encoding::Data, mesh, |p| [0.5 + 0.4 * p.x, 0.3, 0.0, 1.0]);
    let render = |mesh: Mesh| {
        let own = grey(&mesh);
        let plan = plan(
            16,
            MapProjection::Uv { uv_set: 0 },
            [from("Grey", 0), from("Grey", 1), MapChannel::Covered, MapChannel::Covered],
        );
        render(&parts(mesh, vec![own]), &plan, |_| None).unwrap()
    };
    let (there, here) = (render(straight), render(moved));
    assert_eq!((there.covered, here.covered), (1.0, 1.0));
    for y in 0..16 {
        for x in 0..16 {
            // 10 pixels to the right, and around.
            let (a, b) = (there.pixels[16 * y + x][0], here.pixels[16 * y + (x + 10) % 16][0]);
            assert!((a - b).abs() < 1e-5, "{x}, {y}: {a} {b}");
        }
    }
}
