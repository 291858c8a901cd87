//! Meshes that are torn, doubled, turned or full of holes, and what mends them.

use glam::Vec3;
use speckle_core::{ReplaceEdit, document::Direction};
use speckle_mesh::{Geometry, Mesh, Placement, Transform};
use speckle_model::{ColorSet, Part, SetId, color_set::Role};
use speckle_tools::{
    bake::watch::Watch,
    reform::{
        Reform, ReformError, Reformed,
        mend::{self, Fault, look_over},
        parting,
    },
};

use crate::reforming::{cube, document, extent, part, planned, torn};
use crate::{
    bunny::bunny,
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

fn mended(part: &Part, rules: mend::Rules) -> Result<Reformed, ReformError> {
    planned(part, &Reform::Mend { rules })
}

fn faults(part: &Part) -> Vec<(Fault, usize)> {
    let all = look_over(part, &Watch::default()).unwrap();
    all.into_iter().map(|finding| (finding.fault, finding.count)).collect()
}

#[test]
fn split_vertices_are_welded_and_lose_no_color() {
    let torn_cube = part(torn(&cube()));
    assert_eq!(faults(&torn_cube), [(Fault::Split, 16)]);
    let rules = mend::Rules { weld: Some(0.0), ..mend::Rules::default() };
    let planned = mended(&torn_cube, rules).unwrap();
    assert_eq!(planned.shape.mesh.vertex_count(), 8);
    assert_eq!(planned.report.notes, ["16 vertices are joined to others."]);
    // All copies held the same: the set stays at the vertices.
    assert_eq!(planned.shape.sets[0].placement, Placement::Vertex);

    let mut differing = torn_cube.clone();
    let values = (0..24).map(|i| [i as f32 / 24.0; 4]).collect::<Vec<_>>();
    differing.sets[0].values = values.clone().into();
    let rules = mend::Rules { weld: Some(1e-3), ..mend::Rules::default() };
    let planned = mended(&differing, rules).unwrap();
    assert_eq!(planned.shape.sets[0].placement, Placement::Corner);
    assert_eq!(planned.shape.sets[0].values, values);
}

/// A set whose copies agree goes to the corners with a layer of its own whose copies do not, and the other
/// way round: hand paint and its set stay of one placement.
#[test]
fn a_set_and_its_layers_are_welded_alike() {
    for which in 0..2 {
        let mut torn_cube = part(torn(&cube()));
        torn_cube.sets.truncate(1);
        let own = torn_cube.sets[0].clone();
        torn_cube.sets.push(ColorSet {
            id: SetId(own.id.0 + 100),
            role: Role::Recolored { of: own.id },
            ..own
        });
        let values = (0..24).map(|i| [i as f32 / 24.0; 4]).collect::<Vec<_>>();
        torn_cube.sets[which].values = values.into();
        let rules = mend::Rules { weld: Some(0.0), ..mend::Rules::default() };
        let planned = mended(&torn_cube, rules).unwrap();
        let placements: Vec<Placement> = planned.shape.sets.iter().map(|to| to.placement).collect();
        assert_eq!(placements, [Placement::Corner; 2]);
    }
}

#[test]
fn near_vertices_are_welded_by_a_distance_and_not_beyond() {
    let mut arrays = torn(&cube());
    let mut moved = arrays_of(&arrays);
    moved.positions.iter_mut().enumerate().for_each(|(i, p)| p.x += 1e-4 * (i % 3) as f32);
    arrays = Mesh::new(moved).unwrap();
    let part = part(arrays);
    let weld = |within| mended(&part, mend::Rules { weld: Some(within), ..mend::Rules::default() });
    assert_eq!(weld(3e-4).unwrap().shape.mesh.vertex_count(), 8);
    // Some stand at one place all the same.
    assert_eq!(weld(1e-6).unwrap().shape.mesh.vertex_count(), 18);
    assert!(weld(10.0).unwrap_err().to_string().contains("no face would be left"));
    assert!(weld(f32::NAN).is_err());
    assert!(Geometry::new(weld(3e-4).unwrap().shape.mesh).topology().is_watertight());
}

/// Faces of a closed surface turned at random look outwards again: the volume is that of the whole
/// (divergence theorem). An open bowl looks to where rays leave it.
#[test]
fn faces_are_turned_to_the_outside() {
    let closed = ball(12, 20);
    let volume = extent(&closed)[0];
    let turned = |mesh: &Mesh, is: &dyn Fn(usize) -> bool| {
        let mut arrays = arrays_of(mesh);
        for face in (0..mesh.face_count()).filter(|&face| is(face)) {
            arrays.corner_vertices[mesh.face_corners(face)].reverse();
        }
        Mesh::new(arrays).unwrap()
    };
    let rules = mend::Rules { winding: true, ..mend::Rules::default() };
    for (is, name) in [
        (&(|f: usize| f.is_multiple_of(3)) as &dyn Fn(usize) -> bool, "some"),
        (&|_| true, "all"),
        (&|f| f * 7 % 11 < 6, "more"),
    ] {
        let part = part(turned(&closed, is));
        let found = faults(&part);
        assert!(
            found.iter().any(|(f, _)| matches!(f, Fault::Winding | Fault::InsideOut)),
            "{name}"
        );
        let planned = mended(&part, rules.clone()).unwrap();
        assert!((extent(&planned.shape.mesh)[0] - volume).abs() < 1e-6, "{name}");
        assert_eq!(faults(&self::part(planned.shape.mesh)), []);
    }
    // The lower half of the ball, looking inwards.
    let lower: Vec<usize> =
        (0..closed.face_count()).filter(|&f| closed.face_centroid(f).z < 0.0).collect();
    let faces: Vec<Vec<u32>> =
        lower.iter().map(|&f| closed.face_vertices(f).iter().rev().copied().collect()).collect();
    let bowl = part(polygons(closed.positions().to_vec(), &faces));
    let planned = mended(&bowl, mend::Rules { loose: true, ..rules }).unwrap();
    for face in 0..planned.shape.mesh.face_count() {
        let mesh = &planned.shape.mesh;
        assert!(mesh.face_area_vector(face).dot(mesh.face_centroid(face)) > 0.0);
    }
    assert!(planned.report.notes.iter().any(|note| note.contains("loose")));
}

#[test]
fn holes_are_closed_up_to_a_length() {
    let whole = ball(12, 20);
    let without: Vec<Vec<u32>> = (0..whole.face_count())
        .filter(|f| ![50, 51, 120].contains(f))
        .map(|f| whole.face_vertices(f).to_vec())
        .collect();
    let part = part(polygons(whole.positions().to_vec(), &without));
    let found = look_over(&part, &Watch::default()).unwrap();
    let holes = found.iter().find(|finding| finding.fault == Fault::Hole).unwrap();
    assert_eq!((holes.count, holes.largest), (2, Some(6)));
    let close = |most| mended(&part, mend::Rules { holes: Some(most), ..mend::Rules::default() });
    let all = close(6).unwrap();
    assert!(Geometry::new(all.shape.mesh.clone()).topology().is_watertight());
    assert!((extent(&all.shape.mesh)[0] / extent(&whole)[0] - 1.0).abs() < 0.01);
    assert_eq!(all.report.notes, ["2 holes are closed."]);
    let small = close(5).unwrap();
    assert!(!Geometry::new(small.shape.mesh).topology().is_watertight());
    // What lies on a lid is what lies at its rim.
    for to in &all.shape.sets {
        assert_eq!(to.values.len(), to.placement.count(&all.shape.mesh));
    }
    assert!(close(2).unwrap_err().to_string().contains("nothing would change"));
}

#[test]
fn what_is_of_no_use_goes() {
    let mut arrays = arrays_of(&cube());
    // A face that stands there twice, one back to back, one without area, and a loose vertex.
    let [first, second] = [[0, 2, 3, 1], [5, 4, 6, 7]];
    arrays.corner_vertices.extend(first.iter().chain(&second));
    arrays.positions.extend([Vec3::new(0.0, -1.0, -1.0), Vec3::splat(9.0)]);
    arrays.corner_vertices.extend([0, 8, 1]);
    arrays.face_starts.extend([28, 32, 35]);
    let part = part(Mesh::new(arrays).unwrap());
    let found = faults(&part);
    for fault in [Fault::Degenerate, Fault::DoubleWall, Fault::Loose, Fault::Branching] {
        assert!(found.iter().any(|(own, _)| *own == fault), "{fault:?} in {found:?}");
    }
    let rules =
        mend::Rules { degenerate: true, double_walls: true, loose: true, ..mend::Rules::default() };
    let planned = mended(&part, rules).unwrap();
    assert_eq!(planned.shape.mesh.face_count(), 6);
    assert_eq!(planned.shape.mesh.vertex_count(), 8);
    assert!((extent(&planned.shape.mesh)[0] - 8.0).abs() < 1e-6);
    assert_eq!(faults(&self::part(planned.shape.mesh)), []);
}

#[test]
fn normals_are_made_and_forgotten_in_one_step_each() {
    let part = part(cube());
    let rules = |normals| mend::Rules { normals, ..mend::Rules::default() };
    let sharp = mended(&part, rules(mend::Normals::HardEdges { degrees: 30.0 })).unwrap();
    let own = sharp.shape.mesh.normals().unwrap();
    assert!((0..24).all(|c| own[c] == sharp.shape.mesh.face_area_vector(c / 4).normalize()));
    let mut document = document(cube());
    let id = document.parts()[0].id;
    let reformed = Box::new(sharp);
    let change = document.apply(ReplaceEdit::Reform { part: id, reformed, beside: false }).unwrap();
    assert_eq!(change.label, "Mend Piece");
    let now = document.parts()[0].clone();
    let forgotten = mended(&now, rules(mend::Normals::Forget)).unwrap();
    assert!(forgotten.shape.mesh.normals().is_none());
    document.replay(&change, Direction::Backward).unwrap();
    assert!(document.parts()[0].geometry.mesh().normals().is_none());
    assert!(mended(&part, rules(mend::Normals::Forget)).is_err(), "it had none");
    assert!(mended(&part, rules(mend::Normals::HardEdges { degrees: 200.0 })).is_err());
}

/// Stanford's bunny with holes torn into it at some vertices: closed, it holds water, as before (its Euler
/// number is 2).
#[test]
fn a_torn_bunny_is_closed() {
    let whole = bunny();
    let mesh = whole.mesh();
    assert_eq!(whole.topology().euler_number(), 2);
    let torn_at = [7_u32, 99, 1234];
    let faces: Vec<Vec<u32>> = (0..mesh.face_count())
        .map(|face| mesh.face_vertices(face).to_vec())
        .filter(|face| face.iter().all(|vertex| !torn_at.contains(vertex)))
        .collect();
    let part = part(polygons(mesh.positions().to_vec(), &faces));
    let found = look_over(&part, &Watch::default()).unwrap();
    let holes = found.iter().find(|finding| finding.fault == Fault::Hole).unwrap();
    assert_eq!(holes.count, 3);
    let most = holes.largest.unwrap() as u32;
    let rules = mend::Rules { holes: Some(most), loose: true, ..mend::Rules::default() };
    let closed = Geometry::new(mended(&part, rules).unwrap().shape.mesh);
    assert!(closed.topology().is_watertight(), "{found:?}");
    assert_eq!(closed.topology().euler_number(), 2);
    assert_eq!(closed.mesh().vertex_count(), mesh.vertex_count() - 3);
}

/// A ball without its cap, closed smooth, is nearly the ball again; flat, it is cut off.
#[test]
fn a_smooth_lid_goes_on_as_the_surface_does() {
    let whole = ball(40, 60);
    let is_below = |face: &u32| whole.face_centroid(*face as usize).z < 0.8;
    let faces: Vec<u32> = (0..whole.face_count() as u32).filter(is_below).collect();
    let open = part(whole.clone()).of_faces(&faces).unwrap();
    let closed = |lids: mend::Lids| {
        let rules = mend::Rules { holes: Some(200), lids, ..mend::Rules::default() };
        planned(&open, &Reform::Mend { rules }).unwrap().shape.mesh
    };
    let (flat, smooth) = (closed(mend::Lids::Flat), closed(mend::Lids::Smooth));
    for mesh in [&flat, &smooth] {
        let topology = Geometry::new(mesh.clone());
        assert!(topology.topology().is_watertight());
        assert_eq!(topology.topology().euler_number(), 2);
    }
    let whole_volume = 4.0 / 3.0 * std::f64::consts::PI;
    let [flat_off, smooth_off] =
        [&flat, &smooth].map(|mesh| (extent(mesh)[0] / whole_volume - 1.0).abs());
    assert!(smooth_off < 0.25 * flat_off, "{smooth_off} of {flat_off}");
    let highest = |mesh: &Mesh| mesh.positions().iter().map(|p| p.z).fold(f32::MIN, f32::max);
    assert!(highest(&flat) < 0.85);
    assert!(highest(&smooth) > 0.93, "{}", highest(&smooth));
    // What was there stays where it was.
    let open = open.geometry.mesh();
    assert_eq!(&smooth.positions()[..open.vertex_count()], open.positions());
}

/// Two halves a hair apart: their rims are joined, what lies as near within them is not.
#[test]
fn rims_are_stitched_and_nothing_else_is_joined() {
    let half = |left: bool| {
        let mut arrays = sheet(4, 0.0);
        for p in &mut arrays.positions {
            p.x = if left { p.x - 1.0005 } else { p.x + 1.0005 };
        }
        arrays
    };
    let part = part(Mesh::new(beside(half(true), half(false))).unwrap());
    let rules = mend::Rules { stitch: Some(0.01), ..mend::Rules::default() };
    let whole = planned(&part, &Reform::Mend { rules }).unwrap();
    let geometry = Geometry::new(whole.shape.mesh.clone());
    assert_eq!(whole.shape.mesh.vertex_count(), 2 * 25 - 5);
    assert_eq!(geometry.topology().euler_number(), 1);
    assert!(
        whole.report.notes.iter().any(|note| note == "5 vertices of rims are joined to others.")
    );
    // So wide a reach joins rims to rims; inner vertices stay all the same.
    let rules = mend::Rules { stitch: Some(0.6), ..mend::Rules::default() };
    let far = planned(&part, &Reform::Mend { rules }).unwrap().shape.mesh;
    let inner = |mesh: &Mesh| {
        let is = |p: &&Vec3| (p.x.abs() - 1.0).abs() < 0.6 && p.y.abs() < 0.6;
        mesh.positions().iter().filter(is).count()
    };
    assert_eq!(inner(&far), inner(part.geometry.mesh()));
}

#[test]
fn what_is_not_manifold_is_set_apart_and_points_take_in_where_a_part_stands() {
    // Three sheets along one edge, and a fourth that is none of it.
    let points = [[0.0, 0.0], [1.0, 0.0], [-1.0, 0.5], [-1.0, -0.5], [2.0, 0.0]];
    let at = |i: usize, z: f32| Vec3::new(points[i][0], points[i][1], z);
    let positions = (0..5).flat_map(|i| [at(i, 0.0), at(i, 1.0)]).collect();
    let quad = |a: u32, b: u32| vec![2 * a, 2 * b, 2 * b + 1, 2 * a + 1];
    let mesh = polygons(positions, &[quad(0, 1), quad(0, 2), quad(0, 3), quad(1, 4)]);
    let mut part = part(mesh);
    let into = parting::SplitInto::NotManifold;
    let apart = planned(&part, &Reform::Split { into }).unwrap();
    assert_eq!(apart.shape.mesh.face_count(), 3);
    assert_eq!(apart.rest.len(), 1);
    assert_eq!(apart.rest[0].0.as_deref(), Some("Piece rest"));
    part.traits.transform = Transform {
        translation: Vec3::new(3.0, 0.0, 1.0),
        rotation_degrees: Vec3::new(0.0, 90.0, 0.0),
        scale: Vec3::new(2.0, 1.0, 0.5),
    };
    let settled = planned(&part, &Reform::Settle).unwrap();
    assert_eq!(settled.stands, Some(Transform::IDENTITY));
    let to_project = part.traits.transform.to_project();
    let pairs = settled.shape.mesh.positions().iter().zip(part.geometry.mesh().positions());
    for (now, was) in pairs {
        assert!(now.distance(to_project.transform_point3(*was)) < 1e-5);
    }
}
