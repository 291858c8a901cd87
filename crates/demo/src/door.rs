//! The lighthouse's door: planks with iron straps in a stone frame, all of it with hard edges, in
//! millimetres.

use glam::Vec3;
use speckle_color::Encoding;
use speckle_mesh::{Mesh, Placement, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Selection};

use crate::Detail;

/// Tar paint, sRGB-encoded.
const PAINT: [f32; 4] = [0.28, 0.40, 0.42, 1.0];

/// Two corners of a block.
type Block = [[f32; 3]; 2];

/// Step, jambs, lintel with its cap; x to the right, y up, z towards us.
const STONES: [Block; 6] = [
    [[-260.0, -36.0, -60.0], [260.0, 0.0, 130.0]],
    [[-250.0, 0.0, -60.0], [-160.0, 470.0, 70.0]],
    [[160.0, 0.0, -60.0], [250.0, 470.0, 70.0]],
    [[-250.0, 470.0, -60.0], [250.0, 560.0, 70.0]],
    [[-270.0, 560.0, -60.0], [270.0, 590.0, 30.0]],
    [[-150.0, 0.0, -60.0], [150.0, 4.0, 40.0]],
];

const PLANKS: u32 = 5;

/// Straps across the planks, and what they are bolted on with.
const STRAPS: [f32; 2] = [110.0, 350.0];
const BOLTS: [f32; 4] = [-128.0, -44.0, 44.0, 128.0];

/// A mesh of blocks that grows.
#[derive(Default)]
struct Blocks {
    positions: Vec<Vec3>,
    faces: Vec<[u32; 4]>,
}

impl Blocks {
    /// Adds a block whose sides are cut into squares of about a size; its edges are shared.
    fn add(&mut self, [low, high]: Block, size: f32) {
        let (low, high) = (Vec3::from(low), Vec3::from(high));
        let cut = |k: usize| ((high - low)[k] / size).round().max(1.0) as u32;
        let counts = [cut(0), cut(1), cut(2)];
        let [nx, ny, nz] = counts;
        let first = self.positions.len();
        let mut of_grid = std::collections::HashMap::new();
        let mut vertex = |at: [u32; 3], positions: &mut Vec<Vec3>| {
            *of_grid.entry(at).or_insert_with(|| {
                let share = |k: usize| at[k] as f32 / counts[k] as f32;
                positions.push(low + (high - low) * Vec3::new(share(0), share(1), share(2)));
                positions.len() as u32 - 1
            })
        };
        // Of each side: the axis it is square to, at which end, and the two it lies along, turned so
        // that it looks outwards.
        for (axis, end, [u, v]) in [
            (0, nx, [1, 2]),
            (0, 0, [2, 1]),
            (1, ny, [2, 0]),
            (1, 0, [0, 2]),
            (2, nz, [0, 1]),
            (2, 0, [1, 0]),
        ] {
            for j in 0..counts[v] {
                for i in 0..counts[u] {
                    let corner = |di: u32, dj: u32| {
                        let mut at = [0; 3];
                        (at[axis], at[u], at[v]) = (end, i + di, j + dj);
                        at
                    };
                    let around = [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)];
                    self.faces.push(around.map(|at| vertex(at, &mut self.positions)));
                }
            }
        }
        debug_assert!(self.positions.len() > first);
    }
}

pub fn make(detail: Detail) -> Vec<NewPart> {
    let size = if detail == Detail::Dense { 3.0 } else { 10.0 };
    let mut blocks = Blocks::default();
    let wide = 300.0 / PLANKS as f32;
    for plank in 0..PLANKS {
        let left = -150.0 + wide * plank as f32;
        // No two of them stand quite alike.
        let out = [6.0, 0.0, 4.0, 1.0, 5.0][plank as usize % 5];
        blocks.add([[left + 1.5, 6.0, 0.0], [left + wide - 1.5, 466.0, 24.0 + out]], size / 2.0);
    }
    let planks = blocks.faces.len();
    for height in STRAPS {
        blocks.add([[-146.0, height, 26.0], [146.0, height + 34.0, 38.0]], size);
        for bolt in BOLTS {
            let (x, y) = (bolt, height + 17.0);
            blocks.add([[x - 9.0, y - 9.0, 36.0], [x + 9.0, y + 9.0, 46.0]], size / 2.0);
        }
    }
    // The latch.
    blocks.add([[92.0, 210.0, 26.0], [132.0, 272.0, 36.0]], size);
    blocks.add([[104.0, 232.0, 34.0], [120.0, 248.0, 62.0]], size / 2.0);
    let irons = blocks.faces.len();
    for stone in STONES {
        blocks.add(stone, size * 0.75);
    }
    let group = |name: &str, from: usize, to: usize| Selection {
        name: name.to_owned(),
        faces: (from as u32..to as u32).collect(),
    };
    let groups = vec![
        group("Planks", 0, planks),
        group("Irons", planks, irons),
        group("Stones", irons, blocks.faces.len()),
    ];
    let arrays = MeshArrays {
        face_starts: (0..=blocks.faces.len() as u32).map(|face| 4 * face).collect(),
        corner_vertices: blocks.faces.into_iter().flatten().collect(),
        positions: blocks.positions,
        ..MeshArrays::default()
    };
    #[allow(clippy::expect_used, reason = "a test makes every piece")]
    let mesh = Mesh::new(arrays).expect("blocks fit together");
    let coat = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, PAINT, &mesh);
    let mut part = NewPart::new("Door", mesh, vec![coat]);
    part.selections = groups;
    vec![part]
}
