//! Normals that a mesh says itself: what goes by them, and what does not.

use std::f32::consts::FRAC_1_SQRT_2;

use glam::Vec3;
use proptest::prelude::*;
use speckle_mesh::{
    Geometry, Mesh, Placement,
    geometry::shading::{self, with_hard_edges},
    mesh::MeshArrays,
};

use crate::{
    bake::{inputs_of, made},
    common::{arrays_of, polygons, sheet},
};

fn cube() -> Mesh {
    let at = |v: u32| Vec3::new((v & 1) as f32, (v >> 1 & 1) as f32, (v >> 2) as f32) * 2.0 - 1.0;
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    polygons((0..8).map(at).collect(), &faces.map(|face| face.to_vec()))
}

/// Facing is the cosine to a direction (handbook formula): by the mesh's own normals where it has such,
/// at every placement; occlusion is of the shape, and does not change.
#[test]
fn light_goes_by_them_and_rays_do_not() {
    let flat = Mesh::new(sheet(4, 0.0)).unwrap();
    let corners = flat.corner_count();
    let leaning = flat.with_normals(vec![Vec3::new(FRAC_1_SQRT_2, 0.0, FRAC_1_SQRT_2); corners]);
    let leaning = leaning.unwrap();
    let facing = r#"{"kind":"facing","direction":{"to":[0,0,1]},"space":"part","half_angle":90,"softness":1}"#;
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let [plain, own] = [&flat, &leaning].map(|mesh| inputs_of(vec![mesh.clone()], placement));
        for (inputs, expected) in [(&plain, 1.0), (&own, FRAC_1_SQRT_2)] {
            for value in made(facing, inputs) {
                assert!((value - expected).abs() < 1e-5, "{value} at {placement:?}");
            }
        }
        let rays = r#"{"kind":"occlusion","rays":64}"#;
        assert_eq!(made(rays, &plain), made(rays, &own), "{placement:?}");
        let normal = made(r#"{"kind":"normal","space":"part"}"#, &own);
        let expected = 0.5 + 0.5 * FRAC_1_SQRT_2;
        assert!(normal.iter().all(|n| (n - expected).abs() < 1e-5));
    }
}

/// Of a cube: below 90° each corner has its own face's, above it the three faces' in equal parts.
#[test]
fn hard_edges_begin_at_the_angle() {
    let geometry = Geometry::new(cube());
    let mesh = geometry.mesh();
    for (degrees, is_round) in
        [(0.0, false), (30.0, false), (89.0, false), (91.0, true), (180.0, true)]
    {
        for (corner, normal) in with_hard_edges(&geometry, degrees).iter().enumerate() {
            let expected = if is_round {
                mesh.corner_position(corner).normalize()
            } else {
                mesh.face_area_vector(corner / 4).normalize()
            };
            assert!(normal.distance(expected) < 1e-6, "{normal} at {corner} by {degrees}°");
        }
    }
}

/// A vertex split for each corner says the same as one that is shared.
#[test]
fn hard_edges_do_not_ask_how_a_file_split_its_vertices() {
    let shared = Geometry::new(cube());
    let arrays = arrays_of(shared.mesh());
    let split = Geometry::new(
        Mesh::new(MeshArrays {
            positions: (0..24).map(|c| shared.mesh().corner_position(c)).collect(),
            corner_vertices: (0..24).collect(),
            ..arrays
        })
        .unwrap(),
    );
    for degrees in [45.0, 120.0] {
        let both = [&shared, &split].map(|geometry| with_hard_edges(geometry, degrees));
        assert!(both[0].iter().zip(&both[1]).all(|(a, b)| a.distance(*b) < 1e-6));
    }
}

#[test]
fn what_leads_nowhere_or_fits_no_mesh_is_refused() {
    let cube = cube();
    assert!(cube.with_normals(vec![Vec3::X; 23]).is_err());
    assert!(cube.with_normals(vec![Vec3::NAN; 24]).is_err());
    let silent = Geometry::new(cube.with_normals(vec![Vec3::ZERO; 24]).unwrap());
    let seen = shading::own_at(&silent, Placement::Vertex).unwrap();
    assert_eq!(seen, *silent.vertex_normals(), "what says nothing goes by the faces");
}

proptest! {
    /// Under any affine map a normal stays square to what it was square to, and on its side.
    #[test]
    fn they_stay_square_to_the_surface(
        axes in prop::array::uniform9(-2.0_f32..2.0),
        n in prop::array::uniform3(-1.0_f32..1.0),
    ) {
        let map = glam::Affine3A::from_mat3(glam::Mat3::from_cols_array(&axes));
        prop_assume!(map.matrix3.determinant().abs() > 0.1 && Vec3::from(n).length() > 0.1);
        let n = Vec3::from(n).normalize();
        let along = n.any_orthonormal_vector();
        // A face square to the normal, which runs the same way.
        let mesh = polygons(vec![Vec3::ZERO, along, n.cross(along)], &[vec![0, 1, 2]]);
        let mesh = mesh.with_normals(vec![n; 3]).unwrap();
        let moved = mesh.transformed(&map).unwrap();
        let flat = moved.face_area_vector(0).normalize();
        let own = moved.normals().unwrap()[0];
        prop_assert!(own.dot(flat) > 0.999, "{} is not {}", own, flat);
    }
}
