//! Meshes that several tests need.

use glam::Vec3;
use speckle_core::mesh::MeshArrays;

/// n × n quads from −1 to 1 at the height z, row by row.
pub fn sheet(n: u32, z: f32) -> MeshArrays {
    let at = |i: u32| 2.0 * i as f32 / n as f32 - 1.0;
    MeshArrays {
        positions: (0..=n).flat_map(|y| (0..=n).map(move |x| Vec3::new(at(x), at(y), z))).collect(),
        face_starts: (0..=n * n).map(|f| 4 * f).collect(),
        corner_vertices: (0..n * n)
            .flat_map(|i| {
                let v = i / n * (n + 1) + i % n;
                [v, v + 1, v + n + 2, v + n + 1]
            })
            .collect(),
        uv_sets: Vec::new(),
    }
}
