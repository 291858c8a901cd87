//! What hangs together, held against looking at everything, for soups of faces that no modeller would leave: vertices at
//! one place, edges of three faces and of one, faces wound against each other and folded flat.

use std::collections::BTreeMap;

use glam::Vec3;
use proptest::{collection::vec, prelude::*, sample::subsequence};
use speckle_mesh::Geometry;

use crate::common::polygons;

/// Places of a coarse grid, so that many are taken twice; 0 comes with either sign.
fn place() -> impl Strategy<Value = Vec3> {
    let number = || prop::sample::select(vec![-0.0_f32, 0.0, 1.0, 2.0]);
    (number(), number(), prop::sample::select(vec![0.0_f32, 0.0, 0.0, 1.0]))
        .prop_map(|(x, y, z)| Vec3::new(x, y, z))
}

/// Faces of three or four out of so many vertices, in any order.
fn faces(vertices: usize) -> impl Strategy<Value = Vec<Vec<u32>>> {
    let all: Vec<u32> = (0..vertices as u32).collect();
    vec(subsequence(all, 3..=4).prop_shuffle(), 1..40)
}

/// Of faces that may meet themselves at a place, or of none that does.
fn soup(is_plain: bool) -> impl Strategy<Value = Geometry> {
    let positions = vec(place(), 6..14);
    let soups = positions.prop_flat_map(|positions| {
        let count = positions.len();
        (Just(positions), faces(count))
    });
    soups.prop_filter_map("no face is left", move |(positions, mut faces)| {
        let at = |vertex: u32| positions[vertex as usize];
        let is_apart = |face: &Vec<u32>| {
            face.iter().all(|&v| face.iter().filter(|&&other| at(other) == at(v)).count() == 1)
        };
        faces.retain(|face| !is_plain || is_apart(face));
        (!faces.is_empty()).then(|| Geometry::new(polygons(positions, &faces)))
    })
}

/// The corner after one in its face.
fn after(geometry: &Geometry, corner: usize) -> usize {
    let own = geometry.mesh().face_corners(geometry.topology().face_of(corner));
    if corner + 1 == own.end { own.start } else { corner + 1 }
}

/// The corners around each edge, ascending, by the points it joins.
fn edges(geometry: &Geometry) -> BTreeMap<[usize; 2], Vec<usize>> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
    let mut edges: BTreeMap<[usize; 2], Vec<usize>> = BTreeMap::new();
    for corner in 0..mesh.corner_count() {
        let mut ends = [corner, after(geometry, corner)].map(point);
        ends.sort_unstable();
        edges.entry(ends).or_default().push(corner);
    }
    edges
}

proptest! {
    #[test]
    fn points_edges_and_what_lies_around_them(geometry in soup(false)) {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        for (vertex, at) in mesh.positions().iter().enumerate() {
            let first = mesh.positions().iter().position(|other| other == at);
            prop_assert_eq!(Some(topology.point_of(vertex)), first);
            let is_here = |&c: &usize| {
                topology.point_of(mesh.corner_vertices()[c] as usize) == first.unwrap_or(vertex)
            };
            let here: Vec<u32> = (0..mesh.corner_count()).filter(is_here).map(|c| c as u32).collect();
            prop_assert_eq!(topology.corners_at(vertex), &here[..]);
        }
        let edges = edges(&geometry);
        prop_assert_eq!(topology.edge_count(), edges.len());
        prop_assert_eq!(topology.is_watertight(), edges.values().all(|around| around.len() == 2));
        for around in edges.values() {
            for (nth, &corner) in around.iter().enumerate() {
                prop_assert_eq!(topology.across(corner), around[(nth + 1) % around.len()]);
            }
        }
    }

    #[test]
    fn fans_are_what_smooth_edges_join(geometry in soup(true)) {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let point = |corner: usize| topology.point_of(mesh.corner_vertices()[corner] as usize);
        let mut fan: Vec<usize> = (0..mesh.corner_count()).collect();
        for around in edges(&geometry).values() {
            for &a in around {
                for &b in around {
                    let [one, other] = [a, b].map(|c| geometry.face_normals()[topology.face_of(c)]);
                    if one.dot(other) <= 45_f32.to_radians().cos() {
                        continue;
                    }
                    for mine in [a, after(&geometry, a)] {
                        let theirs = [b, after(&geometry, b)].into_iter().find(|&c| point(c) == point(mine));
                        let Some(theirs) = theirs else { continue };
                        let [from, to] = [fan[mine].max(fan[theirs]), fan[mine].min(fan[theirs])];
                        fan.iter_mut().filter(|f| **f == from).for_each(|f| *f = to);
                    }
                }
            }
        }
        let fans = geometry.fans();
        let firsts: Vec<usize> =
            fans.of_corners.iter().map(|&own| fans.firsts[own as usize] as usize).collect();
        prop_assert_eq!(firsts, fan);
    }
}
