//! Meshes that several tests need.

use glam::Vec3;
use speckle_mesh::{Mesh, mesh::MeshArrays};
use speckle_model::{Materials, materials::Material};

/// A mesh of polygons, each given by its vertices.
pub fn polygons(positions: Vec<Vec3>, faces: &[Vec<u32>]) -> Mesh {
    let mut face_starts = vec![0];
    let mut corner_vertices = Vec::new();
    for face in faces {
        corner_vertices.extend_from_slice(face);
        face_starts.push(corner_vertices.len() as u32);
    }
    Mesh::new(MeshArrays { positions, face_starts, corner_vertices, ..MeshArrays::default() })
        .unwrap()
}

/// Both meshes in one, not joined.
pub fn beside(mut a: MeshArrays, b: MeshArrays) -> MeshArrays {
    let (first, corners) = (a.positions.len() as u32, a.corner_vertices.len() as u32);
    a.positions.extend(b.positions);
    a.corner_vertices.extend(b.corner_vertices.iter().map(|v| v + first));
    a.face_starts.extend(b.face_starts[1..].iter().map(|start| start + corners));
    a
}

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
        ..MeshArrays::default()
    }
}

/// The arrays of a mesh.
pub fn arrays_of(mesh: &Mesh) -> MeshArrays {
    MeshArrays::from(mesh.clone())
}

/// A row of triangles of one area, zigzag between y = 0 and y = 1.
pub fn strip(triangles: usize) -> Mesh {
    let point = |i: usize| Vec3::new(i as f32 / 2.0, (i % 2) as f32, 0.0);
    let face = |i: usize| {
        let [a, b, c] = [0, 1, 2].map(|k| (i + k) as u32);
        if i.is_multiple_of(2) { vec![a, c, b] } else { vec![a, b, c] }
    };
    let faces: Vec<Vec<u32>> = (0..triangles).map(face).collect();
    polygons((0..triangles + 2).map(point).collect(), &faces)
}

/// Materials of these colors and images; those of faces by turns.
pub fn materials(list: &[([f32; 4], Option<&str>)], faces: u32) -> Materials {
    let material = |&(color, image): &([f32; 4], Option<&str>)| Material {
        name: format!("{color:?}"),
        color,
        image: image.map(str::to_owned),
        uv_set: 0,
        metallic: 0.0,
        roughness: 1.0,
        both_sides: false,
    };
    let count = list.len() as u32;
    let of_faces = (0..faces).map(|face| face % count).collect();
    Materials { list: list.iter().map(material).collect(), of_faces }
}
