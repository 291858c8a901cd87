//! Faces whose corners run the other way round (ISO/IEC 19775-1, 11.2.3: `ccw`): they look the other
//! way, and what belongs to a corner stays with it.

use glam::{Vec2, Vec3};
use speckle_mesh::Placement;
use speckle_model::NewPart;

use crate::common::read;

/// A square of two triangles that share an edge, with a texture coordinate and a color at each
/// corner that tell where it is.
fn square(ccw: &str, more: &str) -> NewPart {
    let text = format!(
        "<X3D><Scene><Shape>
          <IndexedFaceSet ccw='{ccw}' coordIndex='0 1 2 -1 0 2 3 -1' texCoordIndex='0 1 2 -1 0 2 3 -1' {more}>
            <Coordinate point='0 0 0 1 0 0 1 1 0 0 1 0'/>
            <TextureCoordinate point='0 0 1 0 1 1 0 1'/>
            <ColorRGBA color='0 0 0 1 1 0 0 1 1 1 0 1 0 1 0 1'/>
          </IndexedFaceSet></Shape></Scene></X3D>"
    );
    read("square.x3d", text.as_bytes()).unwrap().parts.remove(0)
}

/// Red and green as the place of each corner.
fn assert_in_place(part: &NewPart) {
    let set = &part.sets[0];
    for (corner, &vertex) in part.mesh.corner_vertices().iter().enumerate() {
        let at = part.mesh.positions()[vertex as usize];
        let element = match set.placement {
            Placement::Vertex => vertex as usize,
            Placement::Corner => corner,
            Placement::Face => continue,
        };
        let [r, g, ..] = set.values[element];
        assert_eq!(Vec2::new(r, g), at.truncate(), "the color at corner {corner}");
        assert_eq!(part.mesh.uv_sets()[0].uvs[corner], at.truncate(), "the UV at corner {corner}");
    }
}

#[test]
fn corners_keep_what_is_theirs_whichever_way_they_run() {
    for (ccw, up) in [("true", Vec3::Z), ("false", Vec3::NEG_Z)] {
        for more in ["", "colorIndex='0 1 2 -1 0 2 3 -1'"] {
            let part = square(ccw, more);
            assert_in_place(&part);
            for face in 0..2 {
                let normal = part.mesh.face_area_vector(face).normalize();
                assert_eq!(normal, up, "ccw {ccw}, {more}");
            }
        }
    }
}

#[test]
fn colors_of_faces_go_by_their_list_or_by_their_order() {
    for (more, reds) in [
        ("colorPerVertex='false'", [0.0, 1.0]),
        ("colorPerVertex='false' colorIndex='1 3'", [1.0, 0.0]),
    ] {
        for ccw in ["true", "false"] {
            let part = square(ccw, more);
            let set = &part.sets[0];
            assert_eq!(set.placement, Placement::Face);
            assert_eq!([set.values[0][0], set.values[1][0]], reds, "{more}, ccw {ccw}");
        }
    }
}

/// The nodes that are made of triangles alone: with a list of their own, and point by point.
#[test]
fn triangle_sets_are_read_by_list_and_by_order() {
    let points = "<Coordinate point='0 0 0 1 0 0 1 1 0 0 0 0 1 1 0 0 1 0'/>";
    for (node, index) in [("TriangleSet", ""), ("IndexedTriangleSet", "index='0 1 2 3 4 5'")] {
        for (ccw, up) in [("true", Vec3::Z), ("false", Vec3::NEG_Z)] {
            let text = format!(
                "<X3D><Scene><Shape><{node} ccw='{ccw}' {index}>{points}</{node}></Shape></Scene></X3D>"
            );
            let part = read("set.x3d", text.as_bytes()).unwrap().parts.remove(0);
            assert_eq!(part.mesh.face_count(), 2, "{node}");
            assert!(
                (0..2).all(|face| part.mesh.face_area_vector(face).normalize() == up),
                "{node}"
            );
        }
    }
}

#[test]
fn what_does_not_fit_is_told_with_its_number() {
    for (more, says) in [
        ("colorIndex='0 1 9 -1 0 2 3 -1'", "color 9 is used, but there are only 4"),
        ("colorPerVertex='false' colorIndex='0 7'", "color 7 is used, but there are only 4"),
    ] {
        let text = format!(
            "<X3D><Scene><Shape><IndexedFaceSet coordIndex='0 1 2 -1 0 2 3 -1' {more}>
               <Coordinate point='0 0 0 1 0 0 1 1 0 0 1 0'/>
               <Color color='0 0 0 1 0 0 1 1 0 0 1 0'/></IndexedFaceSet></Shape></Scene></X3D>"
        );
        let error = read("square.x3d", text.as_bytes()).unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
}
