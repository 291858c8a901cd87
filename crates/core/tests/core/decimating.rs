//! Fewer triangles: the shape stays near, what lies on it comes along from the original.

use glam::{Vec2, Vec3};
use proptest::prelude::*;
use speckle_color::{Encoding, Rgba, difference::ciede2000};
use speckle_core::{Document, Edit, HelperEdit, ReplaceEdit, document::Direction};
use speckle_mesh::{
    Geometry, Mesh, Placement, Transform,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{NewPart, NewSet, Part, Selection, color_set::Role};
use speckle_tools::{
    bake::watch::Watch,
    decimate::{DecimationError, Goal, Rules, decimate},
    reform::{Given, Reform, reform},
};

use crate::{
    bunny::bunny,
    common::{arrays_of, materials, polygons, sheet},
};

fn rules(goal: Goal) -> Rules {
    Rules { goal, colors: 0.5, creases: 0.5, groups: 0.5, keep_rims: false, even: false }
}

fn coat(mesh: &Mesh, placement: Placement, color: impl Fn(Vec3) -> Rgba) -> NewSet {
    let values = match placement {
        Placement::Vertex => mesh.positions().iter().map(|&p| color(p)).collect(),
        Placement::Corner => {
            (0..mesh.corner_count()).map(|c| color(mesh.corner_position(c))).collect()
        }
        Placement::Face => (0..mesh.face_count()).map(|f| color(mesh.face_centroid(f))).collect(),
    };
    let (encoding, ground) = (Encoding::Color, [1.0; 4]);
    NewSet { name: format!("{placement:?}"), placement, encoding, ground, values }
}

/// A ball of two poles and rows of quads between them.
pub fn ball(rows: usize, around: usize) -> Mesh {
    let mut positions = vec![Vec3::Z, Vec3::NEG_Z];
    for row in 1..rows {
        let (sin, cos) = (std::f32::consts::PI * row as f32 / rows as f32).sin_cos();
        for i in 0..around {
            let (y, x) = (std::f32::consts::TAU * i as f32 / around as f32).sin_cos();
            positions.push(Vec3::new(sin * x, sin * y, cos));
        }
    }
    let at = |row: usize, i: usize| (2 + (row - 1) * around + i % around) as u32;
    let mut faces = Vec::new();
    for i in 0..around {
        faces.push(vec![0, at(1, i), at(1, i + 1)]);
        faces.push(vec![1, at(rows - 1, i + 1), at(rows - 1, i)]);
        for row in 1..rows - 1 {
            faces.push(vec![at(row, i), at(row + 1, i), at(row + 1, i + 1), at(row, i + 1)]);
        }
    }
    polygons(positions, &faces)
}

fn stripes(p: Vec3) -> Rgba {
    let wave = |x: f32| 0.5 + 0.45 * (3.0 * x).sin();
    [wave(p.x), wave(p.y), wave(p.z), 1.0]
}

fn document(mesh: Mesh) -> Document {
    let sets = [Placement::Vertex, Placement::Corner, Placement::Face];
    let sets = sets.map(|placement| coat(&mesh, placement, stripes)).to_vec();
    let mut part = NewPart::new("Ball", mesh, sets);
    let upper = (0..part.mesh.face_count() as u32)
        .filter(|&face| part.mesh.face_centroid(face as usize).z > 0.0);
    part.selections = vec![Selection { name: "Upper".into(), faces: upper.collect() }];
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document
}

fn first(document: &Document) -> Part {
    document.parts()[0].clone()
}

/// A ball with fewer triangles is still about the ball: its volume 4⁄3 π r³, its Euler number 2.
#[test]
fn a_ball_stays_one_and_its_colors_and_groups_come_along() {
    let mut document = document(ball(60, 120));
    let part = first(&document);
    document
        .apply(HelperEdit::AddHelper {
            part: part.id,
            role: Role::Selection,
            name: "Mine".into(),
            placement: Placement::Face,
        })
        .unwrap();
    let part = first(&document);
    let what = Reform::Decimate { rules: rules(Goal::Share { share: 0.1 }), only: None };
    let planned = reform(&part, &what, Given::default(), &Watch::default()).unwrap();
    let report = planned.report.clone();
    let before = part.geometry.mesh().triangle_count();
    assert_eq!(report.triangles[0], before);
    assert!(report.reached && report.triangles[1] <= before / 10 + 1, "{report:?}");
    assert!(report.triangles[1] > before / 12);
    assert!(report.max_distance.is_some_and(|far| far < 0.01 * report.size), "{report:?}");
    for set in &report.sets {
        assert!(set.mean < 4.0, "{set:?}");
    }
    let change = document
        .apply(ReplaceEdit::Reform { part: part.id, reformed: Box::new(planned), beside: false })
        .unwrap();
    assert_eq!(change.label, format!("Decimate Ball to {} triangles", report.triangles[1]));
    let now = first(&document);
    let mesh = now.geometry.mesh();
    let volume = now.geometry.measures().volume;
    let ball = 4.0 / 3.0 * std::f64::consts::PI;
    assert!((volume / ball - 1.0).abs() < 0.02, "{volume} of {ball}");
    let edges = mesh.corner_count() / 2;
    assert_eq!(mesh.vertex_count() + mesh.face_count() - edges, 2, "Euler's number of a ball");
    assert_eq!(now.sets.len(), 4);
    // The colors are what the place shows.
    let set = &now.sets[0];
    let off = set.values.iter().zip(mesh.positions()).map(|(v, &p)| (v[0] - stripes(p)[0]).abs());
    assert!(off.fold(0.0, f32::max) < 0.12);
    let upper = &now.traits.selections[0];
    let is_upper = |face: &u32| mesh.face_centroid(*face as usize).z > -0.1;
    assert!(upper.faces.iter().all(is_upper) && upper.faces.len() > mesh.face_count() / 3);
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(first(&document).geometry.id(), part.geometry.id());
    assert!(first(&document).sets[1].values == part.sets[1].values);
    document.replay(&change, Direction::Forward).unwrap();
    assert_eq!(first(&document).geometry.id(), now.geometry.id());
}

#[test]
fn a_copy_beside_leaves_the_original_alone_and_is_one_step() {
    let mut document = document(ball(20, 40));
    let part = first(&document);
    let what = Reform::Decimate { rules: rules(Goal::Count { triangles: 300 }), only: None };
    let planned = reform(&part, &what, Given::default(), &Watch::default()).unwrap();
    let report = planned.report.clone();
    let reformed = Box::new(planned);
    let edit = ReplaceEdit::Reform { part: part.id, reformed, beside: true };
    let change = document.apply(edit).unwrap();
    assert_eq!(document.parts().len(), 2);
    assert_eq!(first(&document).geometry.id(), part.geometry.id());
    let copy = document.parts()[1].clone();
    assert_eq!(copy.geometry.mesh().triangle_count(), report.triangles[1]);
    assert_eq!(copy.sets.len(), part.sets.len());
    for (own, there) in copy.sets.iter().zip(&part.sets) {
        assert_eq!(own.values.len(), own.placement.count(copy.geometry.mesh()));
        assert_eq!(own.traits(), there.traits());
    }
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.parts().len(), 1);
    document.replay(&change, Direction::Forward).unwrap();
    assert_eq!(document.parts()[1].geometry.id(), copy.geometry.id());
}

/// Texture coordinates and materials keep their seams: what is left has those it had.
#[test]
fn seams_of_textures_and_borders_of_materials_stay() {
    let n = 24;
    let mut arrays = sheet(n, 0.0);
    // Two charts side by side, which meet at x = 0 with other coordinates.
    let uvs: Vec<Vec2> = (0..n * n)
        .flat_map(|face| {
            let is_right = face % n >= n / 2;
            let corners = &arrays.corner_vertices[4 * face as usize..4 * face as usize + 4];
            let at = |&v: &u32| arrays.positions[v as usize].truncate();
            let uv = move |p: Vec2| if is_right { p * 0.5 + Vec2::splat(3.0) } else { p };
            corners.iter().map(at).map(uv).collect::<Vec<_>>()
        })
        .collect();
    arrays.uv_sets = vec![UvSet { name: "Charts".into(), uvs }];
    let mesh = Mesh::new(arrays).unwrap();
    let mut new = NewPart::new("Sheet", mesh, Vec::new());
    new.materials = materials(&[([1.0, 0.0, 0.0, 1.0], None), ([0.0, 0.0, 1.0, 1.0], None)], n * n);
    new.materials.of_faces = (0..n * n).map(|f| u32::from(f / n >= n / 2)).collect();
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![new])).unwrap();
    let part = first(&document);
    let goal = rules(Goal::Share { share: 0.06 });
    let (shape, report) = decimate(&part, None, &goal, &Watch::default()).unwrap();
    assert!(report.triangles[1] < 160, "{report:?}");
    let light = Geometry::new(shape.mesh.clone());
    let mesh = light.mesh();
    for face in 0..mesh.face_count() {
        let middle = mesh.face_centroid(face);
        assert_eq!(shape.materials.of_faces[face], u32::from(middle.y > 0.0), "{middle}");
        for corner in mesh.face_corners(face) {
            let (p, uv) = (mesh.corner_position(corner).truncate(), mesh.uv_sets()[0].uvs[corner]);
            let wanted = if middle.x > 0.0 { p * 0.5 + Vec2::splat(3.0) } else { p };
            assert!(uv.distance(wanted) < 1e-5, "{p} {uv}");
        }
    }
    let area = light.measures().area;
    assert!((area - 4.0).abs() < 1e-3, "{area}");
}

/// A border of color on a flat sheet is nothing to the shape: weighed in, it stays where it is.
#[test]
fn borders_of_color_hold_as_far_as_they_weigh() {
    let mesh = Mesh::new(sheet(60, 0.0)).unwrap();
    let circle = |p: Vec3| match p.length() < 0.6 {
        true => [0.9, 0.1, 0.1, 1.0],
        false => [0.9, 0.9, 0.9, 1.0],
    };
    let set = coat(&mesh, Placement::Vertex, circle);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", mesh, vec![set])])).unwrap();
    let part = first(&document);
    let off = |colors: f32| {
        let rules = Rules { colors, ..rules(Goal::Count { triangles: 500 }) };
        decimate(&part, None, &rules, &Watch::default()).unwrap().1.sets[0].mean
    };
    let (heedless, heedful) = (off(0.0), off(1.0));
    assert!(heedful < 0.5 * heedless, "{heedful} of {heedless}");
}

/// What a part is measured in is nothing to how its colors weigh beside its shape.
#[test]
fn in_metres_and_in_millimetres_the_same_is_left() {
    let planned = |scale: f32| {
        let mesh = ball(40, 60).moved(|p| p * scale, |n| n).unwrap();
        let sides = |p: Vec3| [f32::from(p.x > 0.3 * scale), 0.5, f32::from(p.z > 0.0), 1.0];
        let set = coat(&mesh, Placement::Vertex, sides);
        let mut document = Document::default();
        document.apply(Edit::bring_in(vec![NewPart::new("Ball", mesh, vec![set])])).unwrap();
        let goal = rules(Goal::Share { share: 0.2 });
        decimate(&first(&document), None, &goal, &Watch::default()).unwrap().0.mesh
    };
    // By powers of two, so that nothing is rounded otherwise.
    let [one, small, large] = [1.0, 1.0 / 1024.0, 1024.0].map(planned);
    assert_eq!(one.corner_vertices(), small.corner_vertices());
    assert_eq!(one.corner_vertices(), large.corner_vertices());
}

/// Where there is much to do it is done in two halves first: nothing of that is left to be seen. By hand: the volume of
/// a ball is 4⁄3 π r³, and its Euler number 2.
#[test]
fn halves_leave_no_border_between_them() {
    // Its texture has a seam across the middle, and its faces have vertices of their own on either side of another one.
    let (rows, around) = (120, 240);
    let mut arrays = arrays_of(&ball(rows, around));
    let middles = |arrays: &MeshArrays| -> Vec<Vec3> {
        let faces = arrays.face_starts.windows(2);
        let corners = faces.map(|w| &arrays.corner_vertices[w[0] as usize..w[1] as usize]);
        let mean = |own: &[u32]| {
            own.iter().map(|&v| arrays.positions[v as usize]).sum::<Vec3>() / own.len() as f32
        };
        corners.map(mean).collect()
    };
    let middles = middles(&arrays);
    let (count, mut apart) = (arrays.positions.len() as u32, arrays.positions.clone());
    arrays.positions.append(&mut apart);
    let mut uvs = Vec::new();
    for (face, middle) in middles.iter().enumerate() {
        for corner in arrays.face_starts[face]..arrays.face_starts[face + 1] {
            let vertex = &mut arrays.corner_vertices[corner as usize];
            let p = arrays.positions[*vertex as usize];
            uvs.push(p.truncate() + if middle.y > 0.0 { Vec2::ZERO } else { Vec2::splat(3.0) });
            *vertex += if middle.z > 0.0 { count } else { 0 };
        }
    }
    arrays.uv_sets = vec![UvSet { name: "Halves".into(), uvs }];
    let mesh = Mesh::new(arrays).unwrap();
    let set = coat(&mesh, Placement::Vertex, stripes);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Ball", mesh, vec![set])])).unwrap();
    let part = first(&document);
    assert!(Geometry::new(part.geometry.mesh().clone()).topology().is_watertight());
    for triangles in [4000, 400] {
        let goal = rules(Goal::Count { triangles });
        let (shape, report) = decimate(&part, None, &goal, &Watch::default()).unwrap();
        assert!(report.reached && report.triangles[1] > triangles * 9 / 10, "{report:?}");
        let light = Geometry::new(shape.mesh);
        let topology = light.topology();
        assert!(topology.is_watertight());
        assert_eq!(topology.euler_number(), 2);
        let faces = light.mesh().face_count();
        // As evenly as elsewhere: along the cut no row of small triangles is left standing.
        let small = (0..faces).filter(|&f| {
            light.mesh().face_area_vector(f).length()
                < 0.1 * light.measures().area as f32 / faces as f32
        });
        assert!(small.count() < faces / 20);
        let off = light.measures().volume / (4.0 / 3.0 * std::f64::consts::PI) - 1.0;
        assert!(off.abs() < 20.0 / triangles as f64, "{triangles}: {off}");
        assert!(report.max_distance < 20.0 / triangles as f32, "{report:?}");
    }
}

#[test]
fn a_distance_is_kept_and_open_edges_stay_where_they_are_asked_to() {
    let bunny = bunny();
    let mut document = Document::default();
    let part = NewPart::new("Bunny", bunny.mesh().clone(), Vec::new());
    document.apply(Edit::bring_in(vec![part])).unwrap();
    let mut part = first(&document);
    // Twice as large in the project: so is the distance.
    part.traits.transform = Transform { scale: Vec3::splat(2.0), ..Transform::IDENTITY };
    let size = 2.0 * bunny.measures().diagonal();
    let within = 2e-3 * size;
    let goal = rules(Goal::Error { within });
    let (shape, report) = decimate(&part, None, &goal, &Watch::default()).unwrap();
    assert!(report.triangles[1] < report.triangles[0], "{report:?}");
    // Quadrics measure distances from planes, which are less than those from the surface.
    assert!(report.max_distance < 2.5 * within, "{report:?} within {within}");
    assert!((report.size - size).abs() < 1e-3 * size);
    assert!(shape.sets.is_empty());

    let flat = Mesh::new(sheet(16, 0.0)).unwrap();
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Sheet", flat, Vec::new())])).unwrap();
    let part = first(&document);
    let rim = |mesh: &Mesh| {
        mesh.positions().iter().filter(|p| p.x.abs() == 1.0 || p.y.abs() == 1.0).count()
    };
    let goal = Goal::Count { triangles: 70 };
    let kept = Rules { keep_rims: true, ..rules(goal) };
    let (shape, _) = decimate(&part, None, &kept, &Watch::default()).unwrap();
    assert_eq!(rim(&shape.mesh), 64);
    let (shape, _) = decimate(&part, None, &rules(goal), &Watch::default()).unwrap();
    assert!(rim(&shape.mesh) < 64);
}

#[test]
fn what_cannot_be_is_said() {
    let part = first(&document(ball(6, 8)));
    let said = |goal: Goal| decimate(&part, None, &rules(goal), &Watch::default()).unwrap_err();
    assert!(matches!(said(Goal::Count { triangles: 0 }), DecimationError::Unsound(_)));
    assert!(matches!(said(Goal::Count { triangles: 9_999 }), DecimationError::Few { .. }));
    for share in [0.0, 1.0, f32::NAN, -3.0] {
        assert!(matches!(said(Goal::Share { share }), DecimationError::Unsound(_)), "{share}");
    }
    for within in [0.0, f32::INFINITY, f32::NAN] {
        assert!(matches!(said(Goal::Error { within }), DecimationError::Unsound(_)), "{within}");
    }
    let heavy = Rules { colors: 2.0, ..rules(Goal::Share { share: 0.5 }) };
    let error = decimate(&part, None, &heavy, &Watch::default()).unwrap_err();
    assert!(matches!(error, DecimationError::Unsound(_)));
    // A triangle less than there are is a triangle less, and two are the least.
    let least = decimate(&part, None, &rules(Goal::Count { triangles: 1 }), &Watch::default());
    match least {
        Ok((shape, report)) => {
            assert_eq!(shape.mesh.triangle_count(), report.triangles[1]);
            assert_eq!(report.reached, report.triangles[1] == 1, "{report:?}");
        }
        Err(error) => assert_eq!(error, DecimationError::Nothing("Ball".into())),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Whatever is asked of whatever shape: the mesh is sound, every set fits it, values stay within
    /// what was there.
    #[test]
    fn any_goal_leaves_a_sound_part(
        share in 0.02_f32..0.9, colors in 0.0_f32..1.0, even: bool, keep_rims: bool,
        noise in 0.0_f32..0.3, rows in 4_usize..14,
    ) {
        let bumpy = ball(rows, rows + 3);
        let bumpy = bumpy
            .moved(|p| p * (1.0 + noise * (17.0 * p.x).sin() * (13.0 * p.y).cos()), |n| n)
            .unwrap();
        let document = document(bumpy);
        let part = first(&document);
        let rules = Rules { colors, even, keep_rims, ..rules(Goal::Share { share }) };
        let (shape, report) = match decimate(&part, None, &rules, &Watch::default()) {
            Ok(done) => done,
            // Of fewer than a tetrahedron has nothing may be left, which is said.
            Err(error) => {
                prop_assert_eq!(error, DecimationError::Nothing("Ball".into()));
                prop_assert!(share * (part.geometry.mesh().triangle_count() as f32) < 4.0);
                return Ok(());
            }
        };
        prop_assert_eq!(shape.mesh.triangle_count(), report.triangles[1]);
        prop_assert!(report.triangles[1] <= report.triangles[0]);
        let again = Mesh::new(arrays_of(&shape.mesh));
        prop_assert!(again.is_ok());
        for to in &shape.sets {
            let set = part.sets.iter().find(|set| set.id == to.id).unwrap();
            prop_assert_eq!(to.values.len(), set.placement.count(&shape.mesh));
            prop_assert!(to.values.iter().flatten().all(|x| (0.049..=1.0).contains(x)));
        }
    }
}

/// Of a selection alone: what lies outside stays to the bit, and the count is of what lies within.
#[test]
fn only_what_is_chosen_becomes_fewer() {
    let mut part = document(ball(40, 60)).parts()[0].clone();
    let mesh = part.geometry.mesh();
    let upper = (0..mesh.face_count() as u32).filter(|&f| mesh.face_centroid(f as usize).z > 0.3);
    let faces: Vec<u32> = upper.collect();
    let inside: usize = faces.iter().map(|&f| mesh.face_corners(f as usize).len() - 2).sum();
    let group = Selection { name: "Upper".into(), faces };
    part.traits.selections = vec![group].into();
    let only = Some("Upper".to_owned());
    let what = Reform::Decimate { rules: rules(Goal::Share { share: 0.2 }), only };
    let planned = reform(&part, &what, Given::default(), &Watch::default()).unwrap();
    let [before, after] = planned.report.triangles;
    let wanted = before - inside + inside / 5;
    assert!(after <= wanted + 1 && after > wanted / 2, "{after} of {before}, {inside} within");
    let mesh = part.geometry.mesh();
    let now = planned.shape.mesh.positions();
    // Below the group's rim every vertex is where it was, with its color.
    let own = part.sets.iter().find(|set| set.placement == Placement::Vertex).unwrap();
    let theirs = planned.shape.sets.iter().find(|to| to.id == own.id).unwrap();
    for (vertex, p) in mesh.positions().iter().enumerate().filter(|(_, p)| p.z < 0.2) {
        let found = now.iter().position(|q| q == p).unwrap_or_else(|| panic!("{p} is gone"));
        let off = ciede2000(own.values[vertex], theirs.values[found]);
        assert!(off < 0.5, "{p}: {off}");
    }
    let none =
        Reform::Decimate { rules: rules(Goal::Share { share: 0.2 }), only: Some("Lower".into()) };
    let said = reform(&part, &none, Given::default(), &Watch::default()).unwrap_err().to_string();
    assert!(said.contains("no selection or group called Lower"), "{said}");
}

/// A box from −1 to 1 of n × n quads a side, its edges sharp by normals of its own although sides share vertices there.
fn sharp_box(n: usize) -> Mesh {
    let mut positions: Vec<Vec3> = Vec::new();
    let mut known = std::collections::HashMap::new();
    let (mut faces, mut normals) = (Vec::new(), Vec::new());
    for axis in 0..3 {
        for side in [-1.0_f32, 1.0] {
            let mut at = |i: usize, j: usize| {
                let [u, v] = [i, j].map(|k| 2.0 * k as f32 / n as f32 - 1.0);
                let mut p = Vec3::ZERO;
                (p[axis], p[(axis + 1) % 3], p[(axis + 2) % 3]) = (side, u, v);
                *known.entry(p.to_array().map(|x| (x * n as f32).round() as i32)).or_insert_with(
                    || {
                        positions.push(p);
                        positions.len() as u32 - 1
                    },
                )
            };
            for i in 0..n {
                for j in 0..n {
                    let mut face = vec![at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
                    if side < 0.0 {
                        face.reverse();
                    }
                    faces.push(face);
                    normals.extend([side * Vec3::AXES[axis]; 4]);
                }
            }
        }
    }
    polygons(positions, &faces).with_normals(normals).unwrap()
}

/// Edges that a mesh's own normals make sharp stay sharp: each corner of what is left looks as its side does.
#[test]
fn sharp_edges_by_own_normals_stay_sharp() {
    let mesh = sharp_box(16);
    let set = coat(&mesh, Placement::Face, |_| [0.5; 4]);
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![NewPart::new("Crate", mesh, vec![set])])).unwrap();
    let part = first(&document);
    for share in [0.5, 0.1, 0.02] {
        let rules = rules(Goal::Share { share });
        let (shape, report) = decimate(&part, None, &rules, &Watch::default()).unwrap();
        assert!(report.triangles[1] < 4 * 6 * 16 * 16 / 2, "{report:?}");
        let light = Geometry::new(shape.mesh.clone());
        let own = light.mesh().normals().expect("it keeps normals of its own");
        assert!(light.topology().is_watertight());
        for face in 0..light.mesh().face_count() {
            let side = light.face_normals()[face];
            for corner in light.mesh().face_corners(face) {
                let off = own[corner].angle_between(side).to_degrees();
                assert!(off < 1.0, "{share}: {off}° in face {face}");
            }
        }
    }
}
