//! The tide stone: a boulder from the foot of the harbour wall as a scan would bring it, dense, with
//! texture coordinates and an image: dry rock above, weed below, barnacles between. In millimetres.

use std::f32::consts::{PI, TAU};

use glam::{Vec2, Vec3};
use speckle_color::{
    Encoding,
    noise::{Kind, Noise},
    pixels::Pixels,
};
use speckle_mesh::{
    Mesh, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet};

use crate::Detail;

/// What recipes call the image.
pub const IMAGE: &str = "tide stone.png";

/// What the light copy is called.
pub const LIGHT: &str = "Light copy";

/// Which way the light copy lost its color.
const HOLE: Vec3 = Vec3::new(-0.35, 0.75, 0.55);

const PLAIN: [f32; 4] = [0.72, 0.71, 0.69, 1.0];
const SIZE: (usize, usize) = (1024, 512);

fn noise(kind: Kind, octaves: u32, seed: u32) -> Noise {
    Noise { warp: 0.3, ..Noise::new(kind, octaves, seed) }
}

/// The way out of the middle at a place of the image: across and up, 0–1.
fn way(uv: Vec2) -> Vec3 {
    let (around, up) = (uv.x * TAU, (uv.y - 0.5) * PI);
    Vec3::new(up.cos() * around.cos(), up.sin(), -up.cos() * around.sin())
}

/// How much of a barnacle there is, 0–1: little cones in a belt.
fn barnacles(way: Vec3) -> f32 {
    let belt = 1.0
        - ((way.y + 0.05 + 0.2 * noise(Kind::Gradient, 3, 9).at(way * 2.0) - 0.1) / 0.2).powi(2);
    let cell = noise(Kind::Cellular, 1, 21).at(way * 16.0);
    (1.0 - cell * 2.6).clamp(0.0, 1.0) * (belt * 3.0).clamp(0.0, 1.0)
}

fn place(way: Vec3) -> Vec3 {
    let lumps = noise(Kind::Gradient, 4, 2).at(way * 1.7) - 0.5;
    let cracks = (noise(Kind::Cellular, 2, 7).at(way * 2.4) - 0.4).min(0.0);
    let out = 1.0 + 0.38 * lumps + 0.16 * cracks + 0.018 * barnacles(way);
    let stone = way * out * Vec3::new(96.0, 64.0, 78.0);
    // It lies flat where it was broken out of its bed.
    Vec3::new(stone.x, stone.y.max(-40.0 + 0.08 * stone.x) + 42.0, stone.z)
}

fn color(way: Vec3) -> Vec3 {
    let grain = noise(Kind::Gradient, 5, 3).at(way * 9.0);
    let stain = noise(Kind::Value, 4, 12).at(way * 3.0);
    let dry = Vec3::new(0.58, 0.55, 0.50).lerp(Vec3::new(0.76, 0.72, 0.66), grain);
    let wet = Vec3::new(0.17, 0.18, 0.18).lerp(Vec3::new(0.30, 0.30, 0.28), grain);
    let weed = Vec3::new(0.20, 0.27, 0.10).lerp(Vec3::new(0.42, 0.47, 0.17), stain);
    let lichen = Vec3::new(0.80, 0.62, 0.20);
    let shell = Vec3::new(0.86, 0.83, 0.77);
    let line = way.y + 0.25 * (stain - 0.5);
    let step = |from: f32, to: f32| {
        let t = ((line - from) / (to - from)).clamp(0.0, 1.0);
        t * t * (3.0 - 2.0 * t)
    };
    let stone = wet.lerp(dry, step(0.02, 0.22));
    let grown = stone.lerp(weed, (1.0 - step(-0.32, -0.08)) * (0.35 + stain).min(1.0));
    let spots = ((noise(Kind::Cellular, 2, 31).at(way * 5.0) - 0.28) * -9.0).clamp(0.0, 1.0);
    let dotted = grown.lerp(lichen, spots * step(0.35, 0.6));
    dotted.lerp(shell, barnacles(way).sqrt() * 0.9)
}

/// The dense scan, and the light copy of it that lost some of its color on the way.
pub fn make(detail: Detail) -> Vec<NewPart> {
    let scan = mesh(match detail {
        Detail::Light => 60,
        Detail::Usual => 120,
        Detail::Dense => 480,
    });
    let light = mesh(36);
    let coat = NewSet::flooded("Surface", Placement::Vertex, Encoding::Color, PLAIN, &scan);
    let mut worn = NewSet::flooded("Surface", Placement::Vertex, Encoding::Color, PLAIN, &light);
    for (value, p) in worn.values.iter_mut().zip(light.positions()) {
        // About where its middle is; what looks towards the hole is bare.
        let way = ((*p - Vec3::Y * 42.0) / Vec3::new(96.0, 64.0, 78.0)).normalize_or(Vec3::Y);
        if way.dot(HOLE.normalize()) < 0.86 {
            *value = color(way).extend(1.0).to_array();
        }
    }
    vec![NewPart::new("Tide stone", scan, vec![coat]), NewPart::new(LIGHT, light, vec![worn])]
}

/// A stone of so many rows of faces from its foot to its top.
fn mesh(rows: u32) -> Mesh {
    let around = rows * 2;
    let mut positions = Vec::new();
    // Rows of one point more than there are ways around: the image has a seam, the stone has none.
    let uv = |row: u32, step: u32| Vec2::new(step as f32 / around as f32, row as f32 / rows as f32);
    let south = place(way(Vec2::ZERO));
    let north = place(way(Vec2::Y));
    positions.push(south);
    for row in 1..rows {
        positions.extend((0..around).map(|step| place(way(uv(row, step)))));
    }
    positions.push(north);
    let last = positions.len() as u32 - 1;
    let vertex = |row: u32, step: u32| match row {
        0 => 0,
        row if row == rows => last,
        row => 1 + (row - 1) * around + step % around,
    };
    let (mut corner_vertices, mut face_starts, mut uvs) = (Vec::new(), vec![0], Vec::new());
    for row in 0..rows {
        for step in 0..around {
            let corners = [(row, step), (row, step + 1), (row + 1, step + 1), (row + 1, step)];
            let first = corner_vertices.len();
            for (row, step) in corners {
                let vertex = vertex(row, step);
                if corner_vertices[first..].contains(&vertex) {
                    continue;
                }
                corner_vertices.push(vertex);
                uvs.push(uv(row, step));
            }
            face_starts.push(corner_vertices.len() as u32);
        }
    }
    let uv_sets = vec![UvSet { name: "Scan".to_owned(), uvs }];
    Mesh::new(MeshArrays {
        positions,
        face_starts,
        corner_vertices,
        uv_sets,
        ..MeshArrays::default()
    })
    .expect("the quarry makes well-formed meshes")
}

/// The image as a PNG file.
pub fn image() -> Vec<u8> {
    let (width, height) = SIZE;
    let mut rgba = Vec::with_capacity(width * height * 4);
    for y in 0..height {
        for x in 0..width {
            let uv =
                Vec2::new((x as f32 + 0.5) / width as f32, 1.0 - (y as f32 + 0.5) / height as f32);
            let color = color(way(uv)).clamp(Vec3::ZERO, Vec3::ONE);
            rgba.extend(color.extend(1.0).to_array().map(|c| (c * 255.0).round() as u8));
        }
    }
    Pixels::of_bytes([width, height], rgba).png().expect("writing to memory cannot fail")
}

#[cfg(test)]
mod tests {
    use super::*;
    use speckle_mesh::Geometry;

    #[test]
    fn the_stone_is_one_closed_piece_with_an_image_all_around() {
        let geometry = Geometry::new(make(Detail::Usual).remove(0).mesh);
        assert!(geometry.topology().is_watertight());
        assert_eq!(geometry.pieces().count(), 1);
        assert_eq!(geometry.topology().euler_number(), 2);
        assert!(geometry.measures().volume > 0.0);
        let uvs = &geometry.mesh().uv_sets()[0].uvs;
        assert!(uvs.iter().all(|uv| (0.0..=1.0).contains(&uv.x) && (0.0..=1.0).contains(&uv.y)));
    }
}
