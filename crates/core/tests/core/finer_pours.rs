//! Crisp borders of pours on what belongs to vertices: beyond the last edge the paint runs out at once.

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::Channels;
use speckle_core::{Document, PaintEdit, document::Fill};
use speckle_mesh::{Geometry, Mesh, Placement};
use speckle_tools::{
    region::Region,
    stroke::{Coat, Sample},
};

use crate::{
    common::polygons,
    decimating::ball,
    finer::{BLACK, assert_goes_back_and_forth, document, filled, painted_area, triangles, tries},
    reforming::cube,
    reshaping::assert_as_fresh,
};

/// A pour up to creases, from where a point is seen from outside.
fn pour(document: &Document, degrees: f32, from: Vec3) -> Fill {
    let part = &document.parts()[0];
    let coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, BLACK);
    let at = Sample { origin: from, direction: -from, held: false, pressure: 1.0 };
    let region = Region::Crease { degrees };
    Fill { coat, opacity: 1.0, region, at: Some(at), afresh: false, crisp: true }
}

fn poured(document: &mut Document, degrees: f32, from: Vec3, crisp: bool) -> f64 {
    let fill = Fill { crisp, ..pour(document, degrees, from) };
    filled(document, fill);
    painted_area(document)
}

/// One side of a cube with shared corners is painted, and the others are not: the paint runs out within a
/// hundredth of their edges, half of it painted on the way. Without the cut it fades over all four of them.
#[test]
fn a_side_of_a_cube_is_painted_and_its_neighbours_are_not() {
    let mesh = cube();
    let side = Geometry::new(mesh.clone()).measures().area / 6.0;
    let from = Vec3::new(0.21, 0.13, 40.0);
    let soft = poured(&mut document(&mesh, Placement::Vertex), 30.0, from, false);
    assert!(soft > 2.5 * side, "{soft}");

    let mut painted = document(&mesh, Placement::Vertex);
    let crisp = poured(&mut painted, 30.0, from, true);
    assert!((side..1.03 * side).contains(&crisp), "{crisp} of {side}");
    let part = &painted.parts()[0];
    assert_as_fresh(&part.geometry);
    assert!(part.geometry.topology().is_watertight());
    let first = part.geometry.mesh().face_count();
    assert!(first < 80, "{first}");

    // Again there, nothing is cut, and the next side meets the first without going over it.
    let again = poured(&mut painted, 30.0, from, true);
    assert!((again - crisp).abs() < 1e-6);
    assert_eq!(painted.parts()[0].geometry.mesh().face_count(), first);
    let both = poured(&mut painted, 30.0, Vec3::new(40.0, 0.13, 0.21), true);
    assert!((2.0 * side..2.05 * side).contains(&both), "{both} of {side}");
}

/// Corners and faces end at the edge already: nothing is cut for them.
#[test]
fn what_ends_at_an_edge_is_not_cut() {
    for placement in [Placement::Corner, Placement::Face] {
        let mesh = triangles(&cube());
        let mut document = document(&mesh, placement);
        let area = poured(&mut document, 30.0, Vec3::new(0.21, 0.13, 40.0), true);
        let side = Geometry::new(mesh.clone()).measures().area / 6.0;
        assert!((area - side).abs() < 1e-4 * side, "{area}");
        assert_eq!(document.parts()[0].geometry.mesh().face_count(), mesh.face_count());
    }
}

/// A flat notch of one triangle between two that stand up: all three of its vertices are painted, and it stays bare.
#[test]
fn a_face_that_is_enclosed_stays_bare() {
    let at = [[-1.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.5, 0.0], [0.0, 0.4, 0.9]];
    let at = at.map(|at| Vec3::from(at) - Vec3::new(0.0, 0.5, 0.3)).to_vec();
    // A tetrahedron: poured over three of its sides, which bend by less than the angle, the fourth is enclosed.
    let mesh = polygons(at, &[vec![0, 2, 1], vec![0, 1, 3], vec![1, 2, 3], vec![2, 0, 3]]);
    let geometry = Geometry::new(mesh.clone());
    let bends = |a: usize, b: usize| {
        geometry.face_normals()[a].angle_between(geometry.face_normals()[b]).to_degrees()
    };
    let upper = [bends(1, 2), bends(2, 3), bends(3, 1)].into_iter().fold(0.0, f32::max);
    let lower = [bends(0, 1), bends(0, 2), bends(0, 3)].into_iter().fold(180.0, f32::min);
    assert!(upper + 1.0 < lower, "{upper} {lower}");
    let three: f64 = (1..4).map(|face| f64::from(mesh.face_area_vector(face).length()) / 2.0).sum();
    let mut document = document(&mesh, Placement::Vertex);
    let area = poured(&mut document, upper + 0.5, Vec3::new(0.1, 0.6, 9.0), true);
    assert!((three..1.04 * three).contains(&area), "{area} of {three}");
    assert!(document.parts()[0].geometry.topology().is_watertight());
}

proptest! {
    #![proptest_config(tries(24))]

    /// Any pour leaves the surface whole, as if it had been read from a file, and one undo takes it back.
    #[test]
    fn any_crisp_pour_keeps_the_surface_whole(
        from in (-1.0_f32..1.0, -1.0_f32..1.0, -1.0_f32..1.0).prop_map(Vec3::from),
        degrees in 5.0_f32..40.0,
        n in 6..14_usize,
    ) {
        prop_assume!(from.length() > 0.2);
        let mesh: Mesh = ball(n, 2 * n);
        let mut document = document(&mesh, Placement::Vertex);
        let before = document.parts()[0].clone();
        let fill = pour(&document, degrees, from.normalize() * 9.0);
        let change = document.apply(PaintEdit::Fill { fill });
        if let Ok(change) = change {
            let geometry = document.parts()[0].geometry.clone();
            assert_as_fresh(&geometry);
            prop_assert!(geometry.topology().is_watertight());
            prop_assert_eq!(geometry.topology().euler_number(), 2);
            assert_goes_back_and_forth(&mut document, &before, &change);
        }
    }
}
