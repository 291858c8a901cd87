//! Whatever the mesh: what is written is read again as it was, as far as the format carries it.

use glam::{Vec2, Vec3};
use proptest::prelude::*;
use speckle_color::Encoding;
use speckle_formats::{Body, Depth, Format, Shipment, WriteOptions, write};
use speckle_mesh::{
    Mesh, Placement,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet};

use crate::common::{into_parts, read};

/// Any well-formed mesh of a few polygons, with a set per vertex, UVs and normals of its own; every vertex
/// is used.
fn part() -> impl Strategy<Value = NewPart> {
    let number = prop_oneof![-1e3_f32..1e3, -1e-3_f32..1e-3, Just(0.0_f32)];
    let point = prop::array::uniform3(number);
    let polygons = prop::collection::vec(3..7_usize, 1..8);
    let unit = || 0.0_f32..=1.0;
    (polygons, any::<[bool; 2]>())
        .prop_flat_map(move |(sizes, with)| {
            let corners: usize = sizes.iter().sum();
            (
                Just(sizes),
                Just(with),
                prop::collection::vec(point.clone(), corners),
                prop::collection::vec(prop::array::uniform4(unit()), corners),
                prop::collection::vec(prop::array::uniform2(-2.0_f32..2.0), corners),
                prop::collection::vec(prop::array::uniform3(-1.0_f32..1.0), corners),
            )
        })
        .prop_map(|(sizes, [with_uvs, with_normals], points, colors, uvs, normals)| {
            let mut face_starts = vec![0];
            for size in &sizes {
                face_starts.push(face_starts[face_starts.len() - 1] + *size as u32);
            }
            let count = points.len();
            let uvs = uvs.into_iter().map(Vec2::from).collect();
            let mesh = Mesh::new(MeshArrays {
                positions: points.into_iter().map(Vec3::from).collect(),
                face_starts,
                // Each face on vertices of its own, and the first one shared with the second.
                corner_vertices: (0..count as u32).collect(),
                uv_sets: if with_uvs { vec![UvSet { name: "UV".into(), uvs }] } else { vec![] },
                normals: if with_normals {
                    normals.into_iter().map(|n| Vec3::from(n).normalize_or(Vec3::X)).collect()
                } else {
                    vec![]
                },
            })
            .unwrap();
            let (placement, encoding) = (Placement::Vertex, Encoding::Data);
            let ground = [1.0; 4];
            let set = NewSet { name: "Values".into(), placement, encoding, ground, values: colors };
            NewPart::new("Any part", mesh, vec![set])
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn ply_and_obj_give_back_every_bit(new in part(), body in 0..3_usize) {
        let parts = into_parts(vec![new]);
        let body = [Body::Ascii, Body::Little, Body::Big][body];
        for (format, name) in [(Format::Ply, "Any part.ply"), (Format::Obj, "x.obj")] {
            let options = WriteOptions { depth: Depth::Float, body, ..WriteOptions::default() };
            let export = write(format, &Shipment::of(&parts), options).unwrap();
            let back = read(name, &export.bytes).unwrap();
            prop_assert_eq!(&back.parts[0].name, "Any part");
            let [theirs, ours] = [&back.parts[0].mesh, parts[0].geometry.mesh()];
            let [bare, own] = [theirs, ours].map(|mesh| mesh.with_normals(vec![]).unwrap());
            prop_assert_eq!(bare, own);
            prop_assert_eq!(theirs.normals().is_some(), ours.normals().is_some());
            for (a, b) in theirs.normals().into_iter().flatten().zip(ours.normals().into_iter().flatten()) {
                prop_assert!(a.distance(*b) < 1e-6);
            }
            prop_assert_eq!(&back.parts[0].sets[0].values, &*parts[0].sets[0].values);
        }
    }

    #[test]
    fn gltf_of_both_kinds_gives_back_the_triangles_with_their_values(new in part()) {
        let parts = into_parts(vec![new]);
        let mesh = parts[0].geometry.mesh();
        let cut = parts[0].geometry.triangulation().corners();
        for (format, name) in [(Format::Glb, "x.glb"), (Format::Gltf, "x.gltf")] {
            let export = write(format, &Shipment::of(&parts), WriteOptions::default()).unwrap();
            let back = read(name, &export.bytes).unwrap();
            let theirs = &back.parts[0];
            prop_assert_eq!(&theirs.sets[0].name, "Values");
            // Triangles over the same point twice are dropped by the gate, and counted.
            let dropped: usize = back.repairs.iter().filter(|r| !r.notice).map(|r| r.count).sum();
            prop_assert_eq!(theirs.mesh.face_count() + dropped, cut.len());
            if dropped > 0 {
                continue;
            }
            for (corner, &ours) in cut.iter().flatten().enumerate() {
                let (ours, vertex) = (ours as usize, theirs.mesh.corner_vertices()[corner]);
                prop_assert_eq!(theirs.mesh.corner_position(corner), mesh.corner_position(ours));
                let value = parts[0].sets[0].values[mesh.corner_vertices()[ours] as usize];
                prop_assert_eq!(theirs.sets[0].values[vertex as usize], value);
                if let (Some(a), Some(b)) = (theirs.mesh.uv_sets().first(), mesh.uv_sets().first()) {
                    prop_assert!(a.uvs[corner].distance(b.uvs[ours]) < 1e-6);
                }
                if let (Some(a), Some(b)) = (theirs.mesh.normals(), mesh.normals()) {
                    prop_assert!(a[corner].distance(b[ours]) < 1e-6);
                }
            }
        }
    }

    #[test]
    fn stl_of_both_kinds_gives_back_the_triangles(new in part()) {
        let parts = into_parts(vec![new]);
        let mesh = parts[0].geometry.mesh();
        let cut = parts[0].geometry.triangulation().corners();
        for body in [Body::Little, Body::Ascii] {
            let options = WriteOptions { body, ..WriteOptions::default() };
            let export = write(Format::Stl, &Shipment::of(&parts), options).unwrap();
            // Triangles that are none after welding are dropped; a mesh of nothing else is refused.
            let Ok(back) = read("x.stl", &export.bytes) else { continue };
            let theirs = &back.parts[0].mesh;
            if theirs.face_count() < cut.len() {
                continue;
            }
            for (corner, &ours) in cut.iter().flatten().enumerate() {
                prop_assert_eq!(theirs.corner_position(corner), mesh.corner_position(ours as usize));
            }
        }
    }
}
