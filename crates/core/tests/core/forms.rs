//! A part in another form shows what it showed: cut, split, joined, or some of its faces.

use glam::Vec3;
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{Mesh, Placement, Transform, mesh::MeshArrays};
use speckle_model::{Material, Materials, NewPart, NewSet, Part, Selection};
use speckle_tools::compare::compare;

/// A sheet of 3 × 3 quads with a set of each placement, whose values all differ, two materials and
/// a selection.
fn sheet() -> Part {
    part_of(Mesh::new(crate::common::sheet(3, 0.0)).unwrap())
}

fn part_of(mesh: Mesh) -> Part {
    let sets = [Placement::Vertex, Placement::Corner, Placement::Face].map(|placement| NewSet {
        name: format!("{placement:?}"),
        placement,
        encoding: Encoding::Data,
        ground: [1.0; 4],
        values: (0..placement.count(&mesh)).map(|i| [i as f32 / 64.0, 0.5, 0.25, 1.0]).collect(),
    });
    let mut part = NewPart::new("Sail", mesh, sets.to_vec());
    let faces = part.mesh.face_count() as u32;
    part.materials = Materials {
        list: vec![
            Material::new("Canvas", [0.9, 0.9, 0.8, 1.0]),
            Material::new("Rope", [0.5, 0.4, 0.2, 1.0]),
        ],
        of_faces: (0..faces).map(|face| u32::from(face % 3 == 1)).collect(),
    };
    part.selections =
        vec![Selection { name: "Hem".into(), faces: (0..faces).step_by(2).collect() }];
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document.parts()[0].clone()
}

/// Corner by corner, whatever stands behind it.
fn assert_shows_the_same(a: &Part, b: &Part) {
    let comparison = compare(std::slice::from_ref(a), std::slice::from_ref(b));
    assert_eq!(comparison.max_difference(), Some(0.0), "{comparison:?}");
    assert_eq!(comparison.parts[0].max_distance, Some(0.0));
}

#[test]
fn split_gives_every_corner_a_vertex_and_joined_takes_it_back() {
    let part = sheet();
    let split = part.split();
    assert_eq!(split.geometry.mesh().vertex_count(), 36);
    assert_shows_the_same(&part, &split);
    let joined = split.joined();
    assert_eq!(joined.geometry.mesh().vertex_count(), 16);
    assert_eq!(joined.sets[0].placement, Placement::Vertex, "its values agree at every place");
    assert_shows_the_same(&part, &joined);
}

#[test]
fn vertices_that_meet_with_other_colors_are_joined_and_the_colors_move_to_corners() {
    let mut split = sheet().split();
    let values = std::sync::Arc::make_mut(&mut split.sets[0].values);
    for (i, value) in values.iter_mut().enumerate() {
        value[0] = i as f32 / 36.0;
    }
    let joined = split.joined();
    assert_eq!(joined.geometry.mesh().vertex_count(), 16);
    assert_eq!(joined.sets[0].placement, Placement::Corner);
    assert_shows_the_same(&split, &joined);
}

#[test]
fn a_face_keeps_its_corners_when_two_of_them_are_at_one_place() {
    // A triangle with a doubled tip, and another that shares the place.
    let tip = Vec3::new(1.0, 1.0, 0.0);
    let positions = vec![Vec3::ZERO, Vec3::X, tip, tip, Vec3::new(2.0, 0.0, 0.0), tip];
    let part = part_of(crate::common::polygons(positions, &[vec![0, 1, 2, 3], vec![1, 4, 5]]));
    let joined = part.joined();
    let mesh = joined.geometry.mesh();
    assert_eq!((mesh.face_count(), mesh.corner_count()), (2, 7));
    assert!(mesh.vertex_count() < 6, "the other face's tip is joined");
    assert_shows_the_same(&part, &joined);
}

#[test]
fn negative_zero_is_zero() {
    let positions = vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::new(-0.0, 0.0, -0.0), -Vec3::X];
    let part = part_of(crate::common::polygons(positions, &[vec![0, 1, 2], vec![3, 2, 4]]));
    assert_eq!(part.joined().geometry.mesh().vertex_count(), 4);
}

#[test]
fn some_faces_take_their_vertices_values_materials_and_selections_along() {
    let part = sheet();
    let some = part.of_faces(&[1, 4, 7]).unwrap();
    let (mesh, whole) = (some.geometry.mesh(), part.geometry.mesh());
    assert_eq!((mesh.face_count(), mesh.vertex_count()), (3, 8), "the middle column of quads");
    for (face, old) in [1_usize, 4, 7].into_iter().enumerate() {
        assert_eq!(mesh.face_centroid(face), whole.face_centroid(old));
        assert_eq!(some.sets[2].values[face], part.sets[2].values[old]);
        for (corner, before) in mesh.face_corners(face).zip(whole.face_corners(old)) {
            assert_eq!(some.sets[1].values[corner], part.sets[1].values[before]);
            let [vertex, old] = [mesh.corner_vertices()[corner], whole.corner_vertices()[before]];
            assert_eq!(some.sets[0].values[vertex as usize], part.sets[0].values[old as usize]);
        }
    }
    assert_eq!(some.materials.list.len(), 1, "all three are of rope");
    assert_eq!(some.materials.of_face(2).unwrap().name, "Rope");
    assert_eq!(some.traits.selections[0].faces, [1], "of faces 1, 4 and 7 the hem has 4");
    assert!(part.of_faces(&[]).is_none());
}

#[test]
fn triangles_keep_what_their_polygon_had() {
    let part = sheet();
    let cut = part.triangulated();
    assert_eq!(cut.geometry.mesh().face_count(), 18);
    let hem = &cut.traits.selections[0].faces;
    assert_eq!(*hem, [0, 1, 4, 5, 8, 9, 12, 13, 16, 17]);
    assert_eq!(cut.materials.of_face(2).unwrap().name, "Rope", "both halves of face 1");
    assert_eq!(cut.materials.of_face(3).unwrap().name, "Rope");
    assert_shows_the_same(&part, &cut);
}

/// A mirror image that is turned over so that its faces look outwards has the normals of the
/// mirrored solid: those of the points moved one by one, turned round.
#[test]
fn a_mirrored_part_is_written_with_its_faces_outside_out() {
    let mut part = sheet();
    part.traits.transform = Transform {
        scale: Vec3::new(-1.0, 1.0, 1.0),
        rotation_degrees: Vec3::new(0.0, 0.0, 17.0),
        translation: Vec3::new(5.0, 0.0, 2.0),
    };
    let baked = part.baked().unwrap();
    assert_eq!(baked.traits.transform, Transform::IDENTITY);
    for face in 0..9 {
        let (before, after) = (part.geometry.mesh(), baked.geometry.mesh());
        let moved = part.traits.transform.to_project().transform_point3(before.face_centroid(face));
        assert!(after.face_centroid(face).distance(moved) < 1e-5);
        // The sheet lies flat: seen from above before, from above still.
        assert!(after.face_area_vector(face).z > 0.0 && before.face_area_vector(face).z > 0.0);
    }
    let arrays = MeshArrays::from(baked.geometry.mesh().clone());
    assert_eq!(arrays.corner_vertices[0], 0, "a face's first corner stays the first");
}
