//! Looks as their receivers draw them, for `cargo xtask conformance`: a sheet of tiles, each of its own numbers, and
//! what every look makes of each, which the renderer of MaterialX is asked about.

use std::{f32::consts::TAU, path::Path};

use glam::{Quat, Vec2, Vec3};
use serde_json::json;
use speckle_color::{Encoding, Rgba, linear_from_srgb};
use speckle_formats::{
    DataSets, Depth, Format, Light, Shipment, WriteOptions,
    note::{ChannelNote, Origin},
    shader::{SetSays, look_nodes},
    write,
};
use speckle_mesh::{
    Mesh, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{
    NewPart, NewSet, ProjectTraits,
    proof::{Laid, Lay, Look},
};
use speckle_tools::mix::{Mixed, Place, mixed};

use crate::looks::every_layer;

/// Tiles along each side of the sheet.
const SIDE: usize = 8;
/// How wide a tile is beside its place, so that none lies before another.
const WIDTH: f32 = 0.6;
/// Pixels of the image along each side.
const PIXELS: u32 = 256;
const SETS: [&str; 3] = ["2nd float!", "mask", "Höhe"];

/// A tile: where its middle is, how it is turned, what is stored there.
struct Tile {
    middle: Vec3,
    turn: Quat,
    uv: Vec2,
    stored: [Rgba; 3],
}

/// Numbers without an order, the same each time: the fractions of multiples of a power of the plastic number, which
/// fill the square evenly (Roberts 2018, from memory).
fn scattered(n: usize) -> f32 {
    (0.5 + n as f64 * 0.754_877_666_246_692_7).fract() as f32
}

fn tiles() -> Vec<Tile> {
    let tile = |n: usize| {
        let random = |k: usize| scattered(31 * n + k);
        let at = [n % SIDE, n / SIDE].map(|i| i as f32 + 0.5);
        let axis = Vec3::new(random(0) - 0.5, random(1) - 0.5, 0.2).normalize();
        Tile {
            middle: Vec3::new(at[0], at[1], random(2)),
            // Not so far that one looks at its edge.
            turn: Quat::from_axis_angle(axis, 0.125 * TAU * random(3)),
            uv: Vec2::new(2.0 * random(4) - 0.5, 2.0 * random(5) - 0.5),
            // Numbers of 8 bits, which images carry as they are.
            stored: std::array::from_fn(|set| {
                std::array::from_fn(|i| (255.0 * random(6 + 4 * set + i)).round() / 255.0)
            }),
        }
    };
    (0..SIDE * SIDE).map(tile).collect()
}

/// The sheet as a part. Colors are kept in `mask`, which the file stores in linear light.
fn sheet(tiles: &[Tile]) -> NewPart {
    let corners = [[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]]
        .map(|[x, y]| Vec3::new(x, y, 0.0) * WIDTH);
    let n = tiles.len() as u32;
    let mesh = Mesh::new(MeshArrays {
        positions: tiles
            .iter()
            .flat_map(|tile| corners.map(|corner| tile.middle + tile.turn * corner))
            .collect(),
        face_starts: (0..=n).map(|i| 4 * i).collect(),
        corner_vertices: (0..4 * n).collect(),
        uv_sets: vec![UvSet {
            name: "UV".to_owned(),
            uvs: tiles.iter().flat_map(|tile| [tile.uv; 4]).collect(),
        }],
        normals: Vec::new(),
    })
    .unwrap();
    let set = |i: usize| {
        let encoding = if i == 1 { Encoding::Color } else { Encoding::Data };
        let values = tiles.iter().flat_map(|tile| [tile.stored[i]; 4]).collect();
        let flooded = NewSet::flooded(SETS[i], Placement::Vertex, encoding, [0.0; 4], &mesh);
        NewSet { values, ..flooded }
    };
    NewPart::new("Sheet", mesh.clone(), [0, 1, 2].map(set).into())
}

/// What a look finds on a tile, with an image that is `image_at` everywhere.
struct On<'a>(&'a Tile);

/// The image: red along u, green along v, both from and back to a half, so that it goes on where it is repeated.
fn image_at(at: Vec2) -> Rgba {
    let wave = |x: f32| 0.5 + 0.4 * (TAU * x).sin();
    [wave(at.x), wave(at.y), 0.25, 0.5 + 0.5 * wave(at.x + at.y)]
}

impl Place for On<'_> {
    fn value(&self, set: &str) -> Option<Rgba> {
        SETS.iter().position(|own| *own == set).map(|i| self.0.stored[i])
    }

    /// As `docs/proofs.md` says: turned about its middle, repeated, then moved right and down.
    fn laid(&self, laid: &Laid, encoding: Encoding) -> Option<Rgba> {
        // Normals are not looked at here.
        (encoding == Encoding::Color).then_some(())?;
        let read = |[x, y]: [f32; 2]| {
            let (sin, cos) = laid.turn.to_radians().sin_cos();
            let (x, y) = (x - 0.5, y - 0.5);
            let turned = [cos * x - sin * y + 0.5, sin * x + cos * y + 0.5];
            let [r, g, b, a] = image_at(Vec2::new(
                turned[0] * laid.repeat[0] - laid.offset[0],
                turned[1] * laid.repeat[1] + laid.offset[1],
            ));
            [linear_from_srgb(r), linear_from_srgb(g), linear_from_srgb(b), a]
        };
        let Lay::ThreeAxes { width } = laid.lay else { return Some(read(self.0.uv.into())) };
        let [x, y, z] = (self.0.middle / width).to_array();
        let shares = (self.0.turn * Vec3::Z).powf(4.0).to_array();
        let sides = [read([z, y]), read([x, z]), read([x, y])];
        let all: f32 = shares.iter().sum();
        Some(std::array::from_fn(|i| {
            (0..3).map(|axis| sides[axis][i] * shares[axis]).sum::<f32>() / all
        }))
    }
}

#[test]
#[ignore = "writes files for `cargo xtask conformance`"]
fn looks_for_conformance() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../..");
    let folder = root.join("target/conformance/looks");
    std::fs::create_dir_all(&folder).unwrap();
    let tiles = tiles();
    let parts = crate::common::into_parts(vec![sheet(&tiles)]);
    let options = WriteOptions { depth: Depth::Float, ..WriteOptions::default() };
    let written = write(Format::Glb, &Shipment::of(&parts), options).unwrap().bytes;
    std::fs::write(folder.join("sheet.glb"), written).unwrap();
    // In the order in which the file has them: colors first.
    for (n, set) in [1, 0, 2].into_iter().enumerate() {
        let numbers = image::RgbaImage::from_fn(PIXELS, PIXELS, |x, y| {
            let [x, y] = [x, PIXELS - 1 - y].map(|i| i as usize * SIDE / PIXELS as usize);
            let tile = &tiles[y * SIDE + x];
            image::Rgba(speckle_color::bytes_from_rgba(tile.stored[set]))
        });
        numbers.save(folder.join(format!("colors-{n}.png"))).unwrap();
    }
    let side = PIXELS as f32;
    let image = image::RgbaImage::from_fn(PIXELS, PIXELS, |x, y| {
        let at = Vec2::new((x as f32 + 0.5) / side, 1.0 - (y as f32 + 0.5) / side);
        image::Rgba(speckle_color::bytes_from_rgba(image_at(at)))
    });
    image.save(folder.join("image.png")).unwrap();

    let note = ChannelNote::of(&parts, ProjectTraits::default(), Origin::default())
        .called(&parts, Format::Glb, DataSets::AsColors)
        .stored(|_| Light::Linear);
    let all = every_layer();
    let alone = all.layers.iter().map(|layer| Look::new("alone", vec![layer.clone()]));
    for (i, look) in alone.chain([all.clone()]).enumerate() {
        let text = look_nodes(&look, |set| SetSays::of(&note, set), |_| "image.png".to_owned());
        std::fs::write(folder.join(format!("look-{i}.mtlx")), text).unwrap();
        let wanted: Vec<_> = tiles
            .iter()
            .map(|tile| {
                let Mixed { color, rough, metal, glow, .. } = mixed(&look, &On(tile));
                json!({
                    "at": [tile.middle.x, tile.middle.y],
                    "look_color": color,
                    "look_rough": vec![rough; 3],
                    "look_metal": vec![metal; 3],
                    "look_glow": glow,
                })
            })
            .collect();
        let wanted = json!({ "side": SIDE, "tiles": wanted });
        std::fs::write(folder.join(format!("look-{i}.json")), wanted.to_string()).unwrap();
    }
}
