//! Meshes that are changed here and there: whatever is done, in whatever order, what is derived is
//! what it would be if it had been worked out from nothing, and undo brings every bit back.

use glam::{Vec2, Vec3};
use proptest::{collection::vec, prelude::*};
use speckle_mesh::{
    Geometry, Mesh, Placement,
    carry::Carry,
    geometry::local::LocalEdit,
    mesh::{MeshArrays, UvSet},
    remap::Remap,
    reshape::{Direction, Reshape},
};

use crate::common::arrays_of;

/// A ring of a round section, (n × m) quads cut in two, with UVs whose seams split the vertices; the
/// first `quads` of them are not cut.
pub fn torus(n: u32, m: u32, quads: u32) -> Mesh {
    let at = |i: u32, j: u32| {
        let turn = |k: u32, of: u32| std::f32::consts::TAU * (k % of) as f32 / of as f32;
        let (u, v) = (turn(i, n), turn(j, m));
        Vec3::new((3.0 + v.cos()) * u.cos(), (3.0 + v.cos()) * u.sin(), v.sin())
    };
    let vertex = |i: u32, j: u32| i * (m + 1) + j;
    let grid = || (0..n).flat_map(|i| (0..m).map(move |j| (i, j)));
    let uv = |v: u32| Vec2::new((v / (m + 1)) as f32 / n as f32, (v % (m + 1)) as f32 / m as f32);
    let mut corner_vertices = Vec::new();
    let mut face_starts = vec![0];
    for (quad, (i, j)) in (0..).zip(grid()) {
        let [a, b, c, d] = [vertex(i, j), vertex(i + 1, j), vertex(i + 1, j + 1), vertex(i, j + 1)];
        let faces: &[&[u32]] =
            if quad < quads { &[&[a, b, c, d]] } else { &[&[a, b, c], &[a, c, d]] };
        for face in faces {
            corner_vertices.extend_from_slice(face);
            face_starts.push(corner_vertices.len() as u32);
        }
    }
    Mesh::new(MeshArrays {
        positions: (0..=n).flat_map(|i| (0..=m).map(move |j| at(i, j))).collect(),
        face_starts,
        uv_sets: vec![UvSet {
            name: "Chart".to_owned(),
            uvs: corner_vertices.iter().map(|&v| uv(v)).collect(),
        }],
        // Of its own, sharp along a line.
        normals: (0..corner_vertices.len())
            .map(|c| {
                let side = if 2 * c < corner_vertices.len() { 1.0 } else { 2.0 };
                Vec3::new((corner_vertices[c] as f32).sin(), 0.3, side).normalize()
            })
            .collect(),
        corner_vertices,
    })
    .unwrap()
}

/// An open sheet of triangles with a hill in the middle.
fn hill(n: u32) -> Mesh {
    let side = n + 1;
    let at = |v: u32| {
        let (x, y) = ((v % side) as f32, (v / side) as f32);
        let away = Vec2::new(x, y).distance(Vec2::splat(n as f32 / 2.0));
        Vec3::new(x, y, 3.0 * (-away * away / n as f32).exp())
    };
    let cut = |q: u32| {
        let a = q / n * side + q % n;
        [a, a + 1, a + 1 + side, a, a + 1 + side, a + side]
    };
    Mesh::new(MeshArrays {
        positions: (0..side * side).map(at).collect(),
        face_starts: (0..=2 * n * n).map(|face| 3 * face).collect(),
        corner_vertices: (0..n * n).flat_map(cut).collect(),
        ..MeshArrays::default()
    })
    .unwrap()
}

/// Everything that is derived, asked for once.
fn look_at_everything(geometry: &Geometry) {
    let _ = (geometry.vertex_normals(), geometry.bvh(), geometry.extent());
    let placements = [Placement::Vertex, Placement::Corner, Placement::Face];
    assert!(
        placements.into_iter().all(|placement| !geometry.neighbours(placement).of(0).is_empty())
    );
}

pub fn assert_as_fresh(geometry: &Geometry) {
    let arrays = arrays_of(geometry.mesh());
    let fresh = Geometry::new(Mesh::new(arrays.clone()).expect("a well-formed mesh"));
    let (kept, anew) = (geometry.topology(), fresh.topology());
    for vertex in 0..arrays.positions.len() {
        assert_eq!(kept.point_of(vertex), anew.point_of(vertex), "the point of {vertex}");
        assert_eq!(kept.corners_at(vertex), anew.corners_at(vertex), "corners at {vertex}");
    }
    for corner in 0..arrays.corner_vertices.len() {
        assert_eq!(kept.across(corner), anew.across(corner), "across {corner}");
        assert_eq!(kept.face_of(corner), anew.face_of(corner));
    }
    let counts = |of: &speckle_mesh::geometry::topology::Topology| {
        (of.edge_count(), of.point_count(), of.is_watertight())
    };
    assert_eq!(counts(kept), counts(anew));
    assert_eq!(geometry.pieces().of_faces(), fresh.pieces().of_faces());
    assert_eq!(geometry.face_normals(), fresh.face_normals());
    assert_eq!(geometry.vertex_normals(), fresh.vertex_normals());
    assert_eq!(geometry.triangulation().corners(), fresh.triangulation().corners());
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        for element in 0..placement.count(geometry.mesh()) {
            let around = geometry.neighbours(placement).of(element);
            assert_eq!(around, fresh.neighbours(placement).of(element), "{placement:?} {element}");
        }
    }
    assert_eq!(geometry.id(), fresh.id());
    assert_eq!(geometry.measures(), fresh.measures());
    // The trees may stand in another order, but meet the same.
    for i in 0..40 {
        let angle = i as f32 * 2.4;
        let from = Vec3::new(angle.cos() * 9.0, angle.sin() * 9.0, (i % 9) as f32 - 4.0);
        // What is met exactly at an edge is met in either face, and its place differs by a last bit.
        let way = Vec3::new((i % 5) as f32 + 0.137, (i % 7) as f32 - 0.271, 0.319) - from;
        let [kept, anew] = [geometry, &fresh].map(|of| of.bvh().cast(from, way));
        assert_eq!(kept.is_some(), anew.is_some());
        let apart = kept.zip(anew).map_or(0.0, |(kept, anew)| kept.point.distance(anew.point));
        assert!(apart < 4e-6, "{kept:?}, not {anew:?}");
        if let Some(hit) = kept {
            assert!(hit.face < geometry.mesh().face_count() as u32);
            assert_eq!(geometry.triangulation().face_of(hit.triangle as usize), hit.face as usize);
        }
        let [kept, anew] = [geometry, &fresh].map(|of| of.bvh().faces_within(from / 3.0, 1.0));
        assert_eq!(kept, anew);
        let [kept, anew] = [geometry, &fresh].map(|of| of.bvh().nearest(from, f32::MAX, |_| true));
        assert_eq!(kept.map(|(.., away)| away), anew.map(|(.., away)| away));
    }
}

#[derive(Clone, Copy, Debug)]
pub enum Change {
    Split(f32),
    Flip,
    Collapse(f32),
}

pub fn change() -> impl Strategy<Value = (Change, prop::sample::Index)> {
    let along = prop_oneof![Just(0.5_f32), 0.1_f32..0.9];
    let kind = prop_oneof![
        3 => along.clone().prop_map(Change::Split),
        2 => Just(Change::Flip),
        3 => prop_oneof![Just(0.0_f32), along, Just(1.0)].prop_map(Change::Collapse),
    ];
    (kind, any::<prop::sample::Index>())
}

/// Makes changes, and returns how many could be made.
pub fn make(edit: &mut LocalEdit, changes: &[(Change, prop::sample::Index)]) -> usize {
    let mut made = 0;
    for (change, index) in changes {
        let corner = index.index(edit.mesh().corner_count());
        let before = edit.geometry().topology().euler_number();
        let points = edit.geometry().topology().point_count();
        let did = match *change {
            Change::Split(along) => edit.split(corner, along).is_some(),
            Change::Flip => edit.flip(corner),
            Change::Collapse(along) => edit.collapse(corner, along),
        };
        made += usize::from(did);
        let now = edit.geometry().topology().euler_number();
        assert_eq!(before, now, "{change:?} {points} {}", edit.geometry().topology().point_count());
    }
    made
}

/// What went along says the same as what was done: points and UVs where they are.
fn assert_carried(before: &Mesh, after: &Mesh, remap: &Remap, has_moved_points: bool) {
    let uvs = |mesh: &Mesh| mesh.uv_sets().first().map(|set| set.uvs.clone());
    if let (Some(before), Some(after)) = (uvs(before), uvs(after)) {
        for (wanted, uv) in remap.corners.mixed(&before).iter().zip(&after) {
            assert!(wanted.distance(*uv) < 1e-5, "{wanted} {uv}");
        }
    }
    let points = remap.vertices.mixed(before.positions());
    assert_eq!(points.len(), after.vertex_count());
    for (wanted, point) in points.iter().zip(after.positions()) {
        // Copies at a seam's end are drawn along without being mixed.
        assert!(has_moved_points || wanted.distance(*point) < 1e-4, "{wanted} {point}");
    }
    let faces: Vec<u32> = (0..before.face_count() as u32).collect();
    assert_eq!(remap.faces.copies(&faces).len(), after.face_count());
}

fn work_at(mesh: Mesh, batches: &[Vec<(Change, prop::sample::Index)>]) {
    let mut geometry = Geometry::new(mesh);
    look_at_everything(&geometry);
    let euler = geometry.topology().euler_number();
    let mut states = vec![arrays_of(geometry.mesh())];
    let mut done: Vec<Reshape> = Vec::new();
    for changes in batches {
        let before = geometry.mesh().clone();
        let (made, reshape, remap) = geometry.edit(|edit| make(edit, changes));
        // Changes may undo each other.
        assert!(made > 0 || (reshape.is_none() && remap == Remap::default()));
        let is_drawn = changes.iter().any(|(change, _)| matches!(change, Change::Collapse(_)));
        assert_carried(&before, geometry.mesh(), &remap, is_drawn);
        assert_as_fresh(&geometry);
        assert_eq!(geometry.topology().euler_number(), euler);
        states.push(arrays_of(geometry.mesh()));
        done.push(reshape);
    }
    // All of it back, and on again; what cannot be laid on is refused, and changes nothing.
    for (reshape, state) in done.iter().zip(&states).rev() {
        geometry.reshape(reshape, Direction::Backward).unwrap();
        assert_eq!(&arrays_of(geometry.mesh()), state);
        let [from, to] = reshape.triangles.counts;
        assert!(from == to || geometry.reshape(reshape, Direction::Backward).is_err());
    }
    assert_as_fresh(&geometry);
    for (reshape, state) in done.iter().zip(&states[1..]) {
        let bytes = rmp_serde::to_vec(reshape).unwrap();
        let read: Reshape = rmp_serde::from_slice(&bytes).unwrap();
        geometry.reshape(&read, Direction::Forward).unwrap();
        assert_eq!(&arrays_of(geometry.mesh()), state);
    }
    geometry.tidy();
    assert_as_fresh(&geometry);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn a_mesh_changed_here_and_there_is_what_it_would_be_from_nothing(
        batches in vec(vec(change(), 1..30), 1..5),
        shape in 0..4,
    ) {
        let mesh = match shape {
            0 => torus(9, 7, 0),
            1 => torus(9, 7, 20),
            2 => hill(8),
            _ => torus(4, 3, 0),
        };
        work_at(mesh, &batches);
    }
}

/// Thousands of changes one after the other, with undo and redo between them.
#[test]
fn thousands_of_changes_leave_nothing_behind() {
    let mut geometry = Geometry::new(torus(24, 16, 60));
    look_at_everything(&geometry);
    let mut states = vec![arrays_of(geometry.mesh())];
    let mut done: Vec<Reshape> = Vec::new();
    let mut made = [0; 3];
    // Numerical Recipes' quick generator.
    let mut seed = 1_u32;
    let mut random = |below: usize| {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        ((u64::from(seed) * below as u64) >> 32) as usize
    };
    for batch in 0..120 {
        let (_, reshape, _) = geometry.edit(|edit| {
            for _ in 0..50 {
                let corner = random(edit.mesh().corner_count());
                let along = (random(9) + 1) as f32 / 10.0;
                let kind = random(3);
                made[kind] += usize::from(match kind {
                    0 => edit.split(corner, along).is_some(),
                    1 => edit.flip(corner),
                    _ => edit.collapse(corner, along),
                });
            }
        });
        done.push(reshape);
        states.push(arrays_of(geometry.mesh()));
        // Some steps back and on again.
        let back = random(4).min(done.len());
        for step in (done.len() - back..done.len()).rev() {
            geometry.reshape(&done[step], Direction::Backward).unwrap();
            assert_eq!(arrays_of(geometry.mesh()), states[step]);
        }
        for step in done.len() - back..done.len() {
            geometry.reshape(&done[step], Direction::Forward).unwrap();
            assert_eq!(arrays_of(geometry.mesh()), states[step + 1]);
        }
        if batch % 10 == 0 {
            assert_as_fresh(&geometry);
        }
        if batch % 16 == 5 {
            geometry.tidy();
        }
    }
    assert!(made.iter().all(|&made| made > 200), "splits, flips, collapses: {made:?}");
    assert_as_fresh(&geometry);
    assert_eq!(geometry.topology().euler_number(), 0, "V − E + F of a torus");
    for (reshape, state) in done.iter().zip(&states).rev() {
        geometry.reshape(reshape, Direction::Backward).unwrap();
        assert_eq!(&arrays_of(geometry.mesh()), state);
    }
    assert_as_fresh(&geometry);
}

/// One edge between two triangles of known corners.
#[test]
fn a_split_edge_has_its_values_between_its_ends() {
    let mesh = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X * 4.0, Vec3::Y, -Vec3::Y],
        face_starts: vec![0, 3, 6],
        corner_vertices: vec![0, 1, 2, 1, 0, 3],
        ..MeshArrays::default()
    })
    .unwrap();
    let mut geometry = Geometry::new(mesh);
    let (made, reshape, remap) = geometry.edit(|edit| edit.split(0, 0.25));
    assert_eq!(made, Some(2));
    assert_eq!(geometry.mesh().positions()[4], Vec3::X);
    // Handbook: V − E + F of a disc is 1.
    assert_eq!(geometry.topology().euler_number(), 1);
    assert_eq!(remap.vertices.mixed(&[0.0_f32, 8.0, 1.0, 2.0]), [0.0, 8.0, 1.0, 2.0, 2.0]);
    assert_eq!(remap.faces.copies(&["upper", "lower"]), ["upper", "lower", "upper", "lower"]);
    let corners = remap.corners.mixed(&[0.0_f32, 8.0, 1.0, 16.0, 4.0, 2.0]);
    let by_vertex = |face: usize| -> Vec<(u32, f32)> {
        let corners_of = geometry.mesh().face_corners(face);
        corners_of.map(|c| (geometry.mesh().corner_vertices()[c], corners[c])).collect()
    };
    assert_eq!(by_vertex(0), [(0, 0.0), (4, 2.0), (2, 1.0)]);
    assert_eq!(by_vertex(2), [(4, 2.0), (1, 8.0), (2, 1.0)]);
    assert_eq!(by_vertex(1), [(1, 16.0), (4, 7.0), (3, 2.0)]);
    assert_eq!(by_vertex(3), [(4, 7.0), (0, 4.0), (3, 2.0)]);
    assert!(matches!(remap.vertices, Carry::Local(_)));
    geometry.reshape(&reshape, Direction::Backward).unwrap();
    assert_eq!((geometry.mesh().vertex_count(), geometry.mesh().face_count()), (4, 2));
}

#[test]
fn what_would_spoil_the_surface_is_not_done() {
    // A tetrahedron: no edge of it can go, and none can turn.
    let tetrahedron = Mesh::new(MeshArrays {
        positions: vec![Vec3::ZERO, Vec3::X, Vec3::Y, Vec3::Z],
        face_starts: vec![0, 3, 6, 9, 12],
        corner_vertices: vec![0, 2, 1, 0, 1, 3, 1, 2, 3, 2, 0, 3],
        ..MeshArrays::default()
    })
    .unwrap();
    let mut geometry = Geometry::new(tetrahedron);
    let (any, reshape, _) =
        geometry.edit(|edit| (0..12).any(|corner| edit.collapse(corner, 0.5) || edit.flip(corner)));
    assert!(!any && reshape.is_none());
    // A border stays where it is: what is drawn to it comes to it.
    let mut geometry = Geometry::new(hill(6));
    let border = |geometry: &Geometry| {
        let mesh = geometry.mesh();
        let is_end = |&c: &usize| geometry.topology().across(c) == c;
        let mut points: Vec<[u32; 3]> = (0..mesh.corner_count())
            .filter(is_end)
            .map(|c| mesh.corner_position(c).to_array().map(f32::to_bits))
            .collect();
        points.sort_unstable();
        points
    };
    let before = border(&geometry);
    let (made, ..) = geometry.edit(|edit| {
        let mut made = 0;
        for corner in 0..300 {
            let corner = corner * 7 % edit.mesh().corner_count();
            if edit.geometry().topology().across(corner) != corner {
                made += usize::from(edit.collapse(corner, 0.5));
            }
        }
        made
    });
    assert!(made > 10, "{made}");
    assert_eq!(border(&geometry), before);
    assert_as_fresh(&geometry);
}

#[test]
fn a_change_of_another_mesh_is_refused_and_changes_nothing() {
    let (_, reshape, _) = Geometry::new(hill(6)).edit(|edit| edit.split(0, 0.5));
    let mut other = Geometry::new(torus(5, 4, 0));
    let before = arrays_of(other.mesh());
    assert!(other.reshape(&reshape, Direction::Forward).is_err());
    // One that takes a vertex away under a face.
    let mut geometry = Geometry::new(hill(6));
    let (_, mut reshape, _) = geometry.edit(|edit| edit.collapse(60, 0.5));
    let last = reshape.points.at.len() - 1;
    assert_eq!(reshape.points.counts[0], reshape.points.counts[1] + 1);
    geometry.reshape(&reshape, Direction::Backward).unwrap();
    reshape.triangles.after.iter_mut().for_each(|triangle| triangle[0] = u32::MAX);
    assert!(geometry.reshape(&reshape, Direction::Forward).is_err());
    reshape.triangles.at.clear();
    reshape.triangles.before.clear();
    reshape.triangles.after.clear();
    reshape.triangles.counts = [72, 72];
    let said = geometry.reshape(&reshape, Direction::Forward).unwrap_err();
    assert!(said.0.contains("a face still uses"), "{said} {last}");
    assert_eq!(arrays_of(other.mesh()), before);
    assert_as_fresh(&geometry);
}
