//! A mesh's own normals come in, stay as they are said, and go out again wherever a format has room.

use glam::{Quat, Vec3};
use speckle_color::Encoding;
use speckle_formats::{Format, Loss, Shipment, WriteOptions, losses, write};
use speckle_mesh::{
    Geometry, Mesh, Placement, Unit, UpAxis,
    geometry::shading,
    mesh::MeshArrays,
    transform::{Conversion, Transform},
};
use speckle_model::{NewPart, NewSet, Part, ProjectTraits};

use crate::common::{into_parts, read};

/// A box of six quads on shared vertices, with the normals of its faces at the corners but for one
/// face, whose corners lean outwards as if it were round.
fn crate_of_boards() -> Mesh {
    let at = |v: u32| Vec3::new((v & 1) as f32, (v >> 1 & 1) as f32, (v >> 2) as f32) * 2.0 - 1.0;
    let faces: [[u32; 4]; 6] =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let bare = Mesh::new(MeshArrays {
        positions: (0..8).map(at).collect(),
        face_starts: (0..=6).map(|face| 4 * face).collect(),
        corner_vertices: faces.concat(),
        ..MeshArrays::default()
    })
    .unwrap();
    let own = (0..24).map(|corner| {
        let flat = bare.face_area_vector(corner / 4).normalize();
        if corner < 4 { (2.0 * flat + bare.corner_position(corner)).normalize() } else { flat }
    });
    bare.with_normals(own.collect()).unwrap()
}

fn part(mesh: Mesh) -> Part {
    let set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Data, [0.5; 4], &mesh);
    into_parts(vec![NewPart::new("Crate", mesh, vec![set])]).remove(0)
}

/// The normal of each corner of a mesh by the middle of its face and its place, whatever their order.
fn said(mesh: &Mesh) -> Vec<[Vec3; 2]> {
    let own = mesh.normals().expect("it has its own");
    let mut all: Vec<[Vec3; 2]> = Vec::new();
    for face in 0..mesh.face_count() {
        let flat = mesh.face_area_vector(face).normalize();
        for corner in mesh.face_corners(face) {
            all.push([mesh.corner_position(corner) + 0.25 * flat, own[corner].normalize()]);
        }
    }
    all.sort_by(|[a, _], [b, _]| {
        a.to_array()
            .map(|x| (64.0 * x).round())
            .partial_cmp(&b.to_array().map(|x| (64.0 * x).round()))
            .unwrap()
    });
    // Triangles of one face repeat what its corners say.
    all.dedup_by(|[a, n], [b, m]| a.distance(*b) < 1e-4 && n.distance(*m) < 1e-4);
    all
}

fn assert_same(ours: &[[Vec3; 2]], theirs: &[[Vec3; 2]], what: &str) {
    assert_eq!(ours.len(), theirs.len(), "{what}");
    for ([at, normal], [there, other]) in ours.iter().zip(theirs) {
        assert!(at.distance(*there) < 1e-4, "{what}: {at} and {there}");
        assert!(normal.distance(*other) < 1e-4, "{what}: {normal} and {other} at {at}");
    }
}

#[test]
fn they_come_back_from_every_format_with_room() {
    let part = part(crate_of_boards());
    let ours = said(part.geometry.mesh());
    let mut carried = 0;
    for format in Format::ALL {
        let abilities = format.abilities();
        let parts = [part.clone()];
        let shipment = Shipment::of(&parts);
        let options = WriteOptions::default();
        let told: Vec<Loss> = losses(format, &shipment, &options);
        let is_told = told.iter().any(|loss| loss.text.contains("normals are left out"));
        assert_eq!(is_told, !abilities.normals, "{}", abilities.title);
        if !abilities.normals || !abilities.reads {
            continue;
        }
        let export = write(format, &shipment, options).unwrap();
        let name = format!("x.{}", abilities.extension);
        let back = read(&name, &export.bytes).unwrap();
        // Where the format says which way is up and in what unit, that is taken back as it was.
        assert_same(&ours, &said(&back.parts[0].mesh), abilities.title);
        carried += 1;
    }
    assert_eq!(carried, 9);
}

#[test]
fn what_only_says_what_the_faces_say_is_not_kept() {
    let bare = crate_of_boards().with_normals(vec![]).unwrap();
    let part = part(bare);
    let parts = [part];
    // GLB always holds normals: those that the faces make.
    let export = write(Format::Glb, &Shipment::of(&parts), WriteOptions::default()).unwrap();
    let back = read("x.glb", &export.bytes).unwrap();
    assert!(back.parts[0].mesh.normals().is_none());
}

/// Wavefront OBJ by its common description: `f v//vn`, where faces choose normals by number, also
/// counted backwards.
#[test]
fn an_obj_says_them_by_corner() {
    let text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvn 0 0.6 0.8\nvn 0.6 0 0.8\nf 1//1 2//1 3//2\nf 1//-2 3//-1 4//-1\n";
    let part = read("roof.obj", text.as_bytes()).unwrap().parts.remove(0);
    let own = part.mesh.normals().unwrap();
    let [a, b] = [Vec3::new(0.0, 0.6, 0.8), Vec3::new(0.6, 0.0, 0.8)];
    assert_eq!(own, [a, a, b, a, b, b]);
    // One that does not exist says nothing, and neither does one of no length.
    let text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nvn 0 0 0\nvn 0 0.6 0.8\nf 1//1 2//2 3//9\n";
    let part = read("roof.obj", text.as_bytes()).unwrap().parts.remove(0);
    let geometry = Geometry::new(part.mesh);
    let seen = shading::own_at(&geometry, Placement::Corner).unwrap();
    assert_eq!(seen, [Vec3::Z, a, Vec3::Z]);
}

/// ISO/IEC 19775-1, 11.2.3 and 13.3.6: without `normalPerVertex` a normal per face; and under a
/// `Transform` normals go by the inverse transpose, so that they stay square to the surface.
#[test]
fn an_x3d_turns_them_where_it_stands_them() {
    let text = "<X3D><Scene><Transform scale='1 4 1' rotation='0 0 1 1.5707963'><Shape>
          <IndexedFaceSet coordIndex='0 1 2 -1 0 2 3 -1' normalPerVertex='false'>
            <Coordinate point='0 0 0 1 0 0 1 1 1 0 1 1'/>
            <Normal vector='0 0.6 0.8 0 -0.7071 0.7071'/>
          </IndexedFaceSet></Shape></Transform></Scene></X3D>";
    let part = read("slope.x3d", text.as_bytes()).unwrap().parts.remove(0);
    let own = part.mesh.normals().unwrap();
    let turn = Quat::from_rotation_z(std::f32::consts::FRAC_PI_2);
    let expected = |n: Vec3| turn * Vec3::new(n.x, n.y / 4.0, n.z).normalize();
    let [a, b] = [Vec3::new(0.0, 0.6, 0.8), Vec3::new(0.0, -1.0, 1.0)].map(expected);
    for (corner, normal) in own.iter().enumerate() {
        let wanted = if corner < 3 { a } else { b };
        assert!(normal.distance(wanted) < 1e-4, "{normal} at {corner}, not {wanted}");
    }
}

/// glTF 2.0, 3.7.4: a node of negative determinant mirrors, and its faces run the other way; what it
/// says of normals still looks outwards.
#[test]
fn a_mirror_image_keeps_them_outside() {
    let mut parts = [part(crate_of_boards())];
    parts[0].traits.transform =
        Transform { scale: Vec3::new(-1.0, 1.0, 1.0), ..Transform::IDENTITY };
    let outwards = |mesh: &Mesh| {
        let own = mesh.normals().unwrap();
        (0..mesh.face_count()).all(|face| {
            let flat = mesh.face_area_vector(face).normalize();
            mesh.face_corners(face).all(|corner| own[corner].normalize().dot(flat) > 0.5)
        })
    };
    let baked = parts[0].baked().unwrap();
    assert!(outwards(baked.geometry.mesh()));
    for format in [Format::Glb, Format::Dae, Format::Usda, Format::X3d] {
        let export = write(format, &Shipment::of(&parts), WriteOptions::default()).unwrap();
        let name = format!("x.{}", format.extension());
        let back = read(&name, &export.bytes).unwrap();
        let mesh = &back.parts[0].mesh;
        assert!(outwards(mesh), "{name}");
        assert_same(&said(baked.geometry.mesh()), &said(mesh), &name);
    }
}

#[test]
fn another_unit_or_axis_turns_them_and_leaves_their_length() {
    let mesh = crate_of_boards();
    let from = ProjectTraits { unit: Unit::Metre, up: UpAxis::Y };
    let conversion = Conversion::between((from.unit, from.up), (Unit::Millimetre, UpAxis::Z));
    let turned = conversion.mesh(&mesh).unwrap();
    let [own, now] = [&mesh, &turned].map(|mesh| mesh.normals().unwrap());
    for (n, m) in own.iter().zip(now) {
        assert_eq!(*m, Vec3::new(n.x, -n.z, n.y));
    }
}
