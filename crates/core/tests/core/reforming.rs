//! Finer, mended, moved, smoothed and trimmed shapes, against their formulas.

use std::f32::consts::PI;

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{Encoding, Rgba};
use speckle_core::{Document, Edit, PartEdit, ReplaceEdit, SetEdit, document::Direction};
use speckle_mesh::{
    Geometry, Mesh, Placement, Transform,
    mesh::{MeshArrays, UvSet},
};
use speckle_model::{
    ColorSet, ImageRecord, NewPart, NewSet, Part, Selection, SetId, color_set::Role,
};
use speckle_tools::{
    bake::watch::Watch,
    reform::{
        Given, Reform, ReformError, Reformed, detail, displace, drape,
        mend::{self, Fault, look_over},
        numbers::By,
        parting, reform, smooth,
        subdivide::{self, Scheme},
        trim,
    },
};

use crate::{
    bunny::bunny,
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

fn cube() -> Mesh {
    let at = |v: u32| Vec3::new((v & 1) as f32, (v >> 1 & 1) as f32, (v >> 2) as f32) * 2.0 - 1.0;
    let faces =
        [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    polygons((0..8).map(at).collect(), &faces.map(|face| face.to_vec()))
}

fn octahedron() -> Mesh {
    let points = [Vec3::X, Vec3::Y, Vec3::NEG_X, Vec3::NEG_Y, Vec3::Z, Vec3::NEG_Z];
    let around = |i: u32| [vec![i, (i + 1) % 4, 4], vec![(i + 1) % 4, i, 5]];
    polygons(points.to_vec(), &(0..4).flat_map(around).collect::<Vec<_>>())
}

/// The same with a vertex of its own for every corner.
fn torn(mesh: &Mesh) -> Mesh {
    let corners = 0..mesh.corner_count();
    Mesh::new(MeshArrays {
        positions: corners.clone().map(|c| mesh.corner_position(c)).collect(),
        corner_vertices: corners.map(|c| c as u32).collect(),
        ..arrays_of(mesh)
    })
    .unwrap()
}

/// Volume and area of a mesh.
fn extent(mesh: &Mesh) -> [f64; 2] {
    let geometry = Geometry::new(mesh.clone());
    let of = |triangle: &[u32; 3]| {
        let [a, b, c] = triangle.map(|corner| mesh.corner_position(corner as usize).as_dvec3());
        [a.dot(b.cross(c)) / 6.0, (b - a).cross(c - a).length() / 2.0]
    };
    let all = geometry.triangulation().corners().iter().map(of);
    all.fold([0.0; 2], |[v, s], [w, t]| [v + w, s + t])
}

/// A part with the place as the value of a data set at every placement, and a group.
fn document(mesh: Mesh) -> Document {
    let value = |p: Vec3| -> Rgba { (0.25 * p + 0.5).extend(1.0).to_array() };
    let set = |placement: Placement| {
        let values = match placement {
            Placement::Vertex => mesh.positions().iter().map(|&p| value(p)).collect(),
            Placement::Corner => {
                (0..mesh.corner_count()).map(|c| value(mesh.corner_position(c))).collect()
            }
            Placement::Face => {
                (0..mesh.face_count()).map(|f| value(mesh.face_centroid(f))).collect()
            }
        };
        let (name, encoding, ground) = (format!("{placement:?}"), Encoding::Data, [0.0; 4]);
        NewSet { name, placement, encoding, ground, values }
    };
    let sets = [Placement::Vertex, Placement::Corner, Placement::Face].map(set).to_vec();
    let mut part = NewPart::new("Piece", mesh, sets);
    let upper = (0..part.mesh.face_count()).filter(|&f| part.mesh.face_centroid(f).z > 0.1);
    let faces = upper.map(|f| f as u32).collect();
    part.selections = vec![Selection { name: "Upper".into(), faces }];
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part])).unwrap();
    document
}

fn part(mesh: Mesh) -> Part {
    document(mesh).parts()[0].clone()
}

fn planned(part: &Part, what: &Reform) -> Result<Reformed, ReformError> {
    reform(part, what, Given::default(), &Watch::default())
}

fn finer(scheme: Scheme, times: u32, creases: Option<f32>, only: Option<&str>) -> Reform {
    let rules = subdivide::Rules { scheme, times, creases };
    Reform::Subdivide { rules, only: only.map(str::to_owned) }
}

fn mesh_of(part: &Part, what: &Reform) -> Mesh {
    planned(part, what).unwrap().shape.mesh
}

/// The mask of Catmull and Clark (1978) on a cube: faces' middles stay, edges come to ¾, corners to 5⁄9;
/// in the limit corners to ½ (Halstead, Kass and DeRose 1993: (n²v + 4Σe + Σf) ⁄ n(n + 5)).
#[test]
fn a_cube_is_rounded_as_the_scheme_says() {
    let part = part(cube());
    let once = mesh_of(&part, &finer(Scheme::CatmullClark, 1, None, None));
    assert_eq!((once.vertex_count(), once.face_count()), (26, 24));
    assert!((once.positions()[7] - Vec3::splat(5.0 / 9.0)).length() < 1e-6);
    let has = |mesh: &Mesh, p: Vec3| mesh.positions().iter().any(|q| q.distance(p) < 1e-6);
    assert!(has(&once, Vec3::new(0.75, 0.75, 0.0)) && has(&once, Vec3::Z));
    let often = mesh_of(&part, &finer(Scheme::CatmullClark, 5, None, None));
    assert!((often.positions()[7] - Vec3::splat(0.5)).length() < 1e-3);
    // Kept sharp, it stays a cube; and so does one whose vertices a file split.
    let sharp = mesh_of(&part, &finer(Scheme::CatmullClark, 3, Some(60.0), None));
    let [volume, area] = extent(&sharp);
    assert!((volume - 8.0).abs() < 1e-5 && (area - 24.0).abs() < 1e-5);
    let twin = self::part(torn(&cube()));
    let round = mesh_of(&twin, &finer(Scheme::CatmullClark, 2, None, None));
    let welded = mesh_of(&part, &finer(Scheme::CatmullClark, 2, None, None));
    assert_eq!(extent(&round), extent(&welded));
    assert!(Geometry::new(round).topology().is_watertight());
}

/// Loop's mask (1987) on an octahedron: edges ⅜ of both ends and ⅛ of the others, corners of valence 4
/// 1 − 4β with β = ¼ (⅝ − (⅜)²); in the limit (ωv + Σ) ⁄ (ω + n), ω = 3 ⁄ 8β.
#[test]
fn an_octahedron_is_rounded_as_the_scheme_says() {
    let part = part(octahedron());
    let once = mesh_of(&part, &finer(Scheme::Loop, 1, None, None));
    assert_eq!((once.vertex_count(), once.face_count()), (18, 32));
    let beta = (0.625 - 0.375_f32.powi(2)) / 4.0;
    assert!((once.positions()[0] - Vec3::X * (1.0 - 4.0 * beta)).length() < 1e-6);
    let edge = Vec3::new(0.375, 0.375, 0.0);
    assert!(once.positions().iter().any(|p| p.distance(edge) < 1e-6));
    let omega = 3.0 / (8.0 * beta);
    let often = mesh_of(&part, &finer(Scheme::Loop, 6, None, None));
    assert!((often.positions()[0].x - omega / (omega + 4.0)).abs() < 1e-3);
    assert_eq!(Geometry::new(often).topology().euler_number(), 2);
}

/// Flat cuts change neither volume nor area, and a linear field stays itself at every placement.
#[test]
fn flat_cuts_leave_shape_and_fields_as_they_are() {
    for (mesh, name) in [(cube(), "cube"), (octahedron(), "octahedron"), (ball(8, 12), "ball")] {
        let [volume, area] = extent(&mesh);
        let faces = mesh.triangle_count();
        for times in [1, 2, 5] {
            let part = part(mesh.clone());
            let planned = planned(&part, &finer(Scheme::Flat, times, None, None)).unwrap();
            let fine = &planned.shape.mesh;
            assert_eq!(fine.triangle_count(), faces * (times as usize + 1).pow(2), "{name}");
            let [now, there] = extent(fine);
            assert!((now - volume).abs() < 1e-5 * volume && (there - area).abs() < 1e-5 * area);
            let geometry = Geometry::new(fine.clone());
            assert!(geometry.topology().is_watertight(), "{name} by {times}");
            assert_eq!(geometry.topology().euler_number(), 2);
            let value = |p: Vec3| 0.25 * p + 0.5;
            for to in &planned.shape.sets {
                for (element, own) in to.values.iter().enumerate() {
                    let at = match to.placement {
                        Placement::Vertex => fine.positions()[element],
                        Placement::Corner => fine.corner_position(element),
                        Placement::Face => continue,
                    };
                    let is = Vec3::new(own[0], own[1], own[2]);
                    assert!(is.distance(value(at)) < 1e-5, "{name}: {is} at {at}");
                }
            }
        }
    }
}

/// Where only some faces are cut, those beside take up the new points: nothing tears, and of a flat cut
/// the area stays.
#[test]
fn a_selection_is_cut_without_tearing_at_its_border() {
    for mesh in [
        cube(),
        octahedron(),
        ball(10, 16),
        mesh_of(&part(cube()), &finer(Scheme::Loop, 2, None, None)),
    ] {
        let part = part(mesh.clone());
        for scheme in [Scheme::Flat, Scheme::Loop, Scheme::CatmullClark] {
            let fine = mesh_of(&part, &finer(scheme, 2, None, Some("Upper")));
            let geometry = Geometry::new(fine.clone());
            assert!(geometry.topology().is_watertight(), "{scheme:?}");
            assert_eq!(geometry.topology().euler_number(), 2, "{scheme:?}");
            assert!(fine.face_count() > mesh.face_count());
            if scheme == Scheme::Flat {
                let [area, before] = [&fine, &mesh].map(|mesh| extent(mesh)[1]);
                assert!((area - before).abs() < 1e-5 * before);
            }
            // What lies far below is as it was.
            let lowest = mesh.positions().iter().copied().min_by(|a, b| a.z.total_cmp(&b.z));
            assert!(fine.positions().contains(&lowest.unwrap()));
        }
    }
    let part = part(cube());
    let none = planned(&part, &finer(Scheme::Flat, 1, None, Some("Lower"))).unwrap_err();
    assert!(none.to_string().contains("no selection or group called Lower"), "{none}");
    let many = planned(&part, &finer(Scheme::CatmullClark, 7, None, None)).unwrap_err();
    assert!(many.to_string().contains("between 1 and 6"), "{many}");
    let ball = self::part(ball(400, 800));
    let many = planned(&ball, &finer(Scheme::Flat, 20, None, None)).unwrap_err();
    assert!(many.to_string().contains("more than the 30000000"), "{many}");
}

fn by_channel(part: &Part, channel: u8) -> By {
    By::Channel { set: part.sets[0].id, channel: Some(channel) }
}

fn displaced(by: By, amount: f32) -> displace::Rules {
    displace::Rules {
        by,
        way: displace::Way::Normal,
        amount,
        midpoint: 0.0,
        contrast: 1.0,
        fade: 0.0,
        may_fold: false,
    }
}

/// A sphere moved along its normals by a constant is the bigger sphere; by a ramp about its midpoint half
/// of it goes in, half out.
#[test]
fn a_sphere_grows_by_what_is_asked() {
    let part = part(ball(60, 90));
    let moved =
        |rules: displace::Rules| planned(&part, &Reform::Displace { rules, only: None }).unwrap();
    let larger = moved(displaced(By::Evenly, 0.25));
    assert!((larger.report.max_distance.unwrap() - 0.25).abs() < 1e-5);
    for p in larger.shape.mesh.positions() {
        assert!((p.length() - 1.25).abs() < 1e-3, "{}", p.length());
    }
    let volume = extent(&larger.shape.mesh)[0];
    assert!((volume / f64::from(4.0 / 3.0 * PI * 1.25_f32.powi(3)) - 1.0).abs() < 5e-3);
    let ramp = moved(displace::Rules {
        midpoint: 0.5,
        contrast: 2.0,
        ..displaced(by_channel(&part, 2), 0.2)
    });
    for (p, q) in ramp.shape.mesh.positions().iter().zip(part.geometry.mesh().positions()) {
        let expected = 1.0 + 0.2 * 2.0 * 0.25 * q.z;
        assert!((p.length() - expected).abs() < 1e-3, "{} at {q}", p.length());
    }
    let up = displace::Way::Direction { to: [0.0, 0.0, 3.0] };
    let lifted = moved(displace::Rules { way: up, ..displaced(By::Evenly, 0.5) });
    let pairs = lifted.shape.mesh.positions().iter().zip(part.geometry.mesh().positions());
    assert!(pairs.into_iter().all(|(p, q)| p.distance(*q + Vec3::Z * 0.5) < 1e-6));
}

/// A sheet fades to nothing at its rim; a dent deeper than the ball is wide folds no face over, and says
/// how many points it held back.
#[test]
fn displacement_fades_at_rims_and_folds_nothing_over() {
    let flat = part(Mesh::new(sheet(40, 0.0)).unwrap());
    let rules = displace::Rules { fade: 0.5, ..displaced(By::Evenly, 0.3) };
    let planned_flat = planned(&flat, &Reform::Displace { rules, only: None }).unwrap();
    for p in planned_flat.shape.mesh.positions() {
        let t = ((1.0 - p.x.abs().max(p.y.abs())) / 0.5).clamp(0.0, 1.0);
        assert!((p.z - 0.3 * t * t * (3.0 - 2.0 * t)).abs() < 1e-4, "{p}");
    }
    let ball = part(ball(30, 40));
    // Every other point sideways by more than an edge is long.
    let mut ball = ball;
    let count = ball.geometry.mesh().vertex_count();
    ball.sets[0].values = (0..count).map(|v| [(v % 2) as f32; 4]).collect::<Vec<_>>().into();
    let way = displace::Way::Direction { to: [1.0, 0.5, 0.2] };
    let sideways = displace::Rules { way, ..displaced(by_channel(&ball, 2), 0.5) };
    let folds = displace::Rules { may_fold: true, ..sideways.clone() };
    let planned_to = |rules| planned(&ball, &Reform::Displace { rules, only: None }).unwrap();
    let planned = planned_to(sideways);
    let folded = Geometry::new(planned_to(folds).shape.mesh);
    let pairs = ball.geometry.face_normals().iter().zip(folded.face_normals());
    assert!(pairs.into_iter().any(|(a, b)| a.dot(*b) < 0.0), "it would fold over");
    let [before, after] =
        [ball.geometry.mesh(), &planned.shape.mesh].map(|mesh| Geometry::new(mesh.clone()));
    for (a, b) in before.face_normals().iter().zip(after.face_normals()) {
        assert!(a.dot(*b) > 0.0);
    }
    assert!(planned.report.notes.iter().any(|note| note.contains("less far than asked")));
    // The twin with split vertices stays together.
    let torn = part(torn(ball.geometry.mesh()));
    let deep = Reform::Displace { rules: displaced(by_channel(&torn, 2), -0.3), only: None };
    let mesh = self::planned(&torn, &deep).unwrap().shape.mesh;
    assert!(Geometry::new(mesh).topology().is_watertight());
}

/// Taubin (1995): noise goes, the volume stays; without it a ball shrinks. Rims stay where they are.
#[test]
fn bumps_go_and_the_volume_stays() {
    let rough = ball(40, 60);
    let noise = |i: usize| 1.0 + 0.02 * ((i * 7919 % 101) as f32 / 50.0 - 1.0);
    let mut arrays = arrays_of(&rough);
    arrays.positions.iter_mut().enumerate().for_each(|(i, p)| *p *= noise(i));
    let part = part(Mesh::new(arrays).unwrap());
    let spread = |mesh: &Mesh| {
        let mean: f32 =
            mesh.positions().iter().map(|p| p.length()).sum::<f32>() / mesh.vertex_count() as f32;
        let sum: f32 = mesh.positions().iter().map(|p| (p.length() / mean - 1.0).powi(2)).sum();
        (sum / mesh.vertex_count() as f32).sqrt()
    };
    let smoothed = |keep_volume| {
        let rules = smooth::Rules { rounds: 20, keep_volume, keep_rims: true };
        mesh_of(&part, &Reform::Smooth { rules, only: None })
    };
    let [kept, shrunk] = [true, false].map(smoothed);
    let [before, after, less] = [&rough, &kept, &shrunk].map(|mesh| extent(mesh)[0]);
    assert!((after / before - 1.0).abs() < 0.01, "{before} to {after}");
    assert!(less < 0.98 * before, "{before} to {less}");
    assert!(spread(&kept) < 0.4 * spread(part.geometry.mesh()));
    let bent = beside(sheet(10, 0.0), sheet(4, 2.0));
    let mut bent = bent;
    bent.positions[60].z = 0.5;
    let sheet = self::part(Mesh::new(bent).unwrap());
    let rules = smooth::Rules { rounds: 50, keep_volume: false, keep_rims: true };
    let flat = mesh_of(&sheet, &Reform::Smooth { rules, only: None });
    assert!(flat.positions()[60].z < 0.01);
    assert_eq!(flat.positions()[0], Vec3::new(-1.0, -1.0, 0.0));
}

/// A square cut where x passes a number: the area of each side is exact, the cut lies on the line, and
/// values there are those of the line. Both sides are one step of undo.
#[test]
fn a_square_is_cut_along_a_straight_line() {
    let mut document = document(Mesh::new(sheet(7, 0.0)).unwrap());
    let part = document.parts()[0].clone();
    // x = 0.3 is 0.25 x + 0.5 = 0.575 in the set.
    let rules = trim::Rules {
        by: by_channel(&part, 0),
        threshold: 0.575,
        keep_above: true,
        keep_both: true,
    };
    let planned = planned(&part, &Reform::Trim { rules }).unwrap();
    let areas = [&planned.shape.mesh, &planned.rest[0].1.mesh].map(|m| extent(m)[1]);
    assert!((areas[0] - 1.4).abs() < 1e-5 && (areas[1] - 2.6).abs() < 1e-5, "{areas:?}");
    let least = planned.shape.mesh.positions().iter().map(|p| p.x).fold(f32::MAX, f32::min);
    assert!((least - 0.3).abs() < 1e-6);
    for to in planned.shape.sets.iter().filter(|to| to.placement == Placement::Vertex) {
        for (value, p) in to.values.iter().zip(planned.shape.mesh.positions()) {
            assert!((value[0] - (0.25 * p.x + 0.5)).abs() < 1e-5);
        }
    }
    let reformed = Box::new(planned);
    let change =
        document.apply(ReplaceEdit::Reform { part: part.id, reformed, beside: false }).unwrap();
    assert_eq!(document.parts().len(), 2);
    let whole: f64 = document.parts().iter().map(|part| extent(part.geometry.mesh())[1]).sum();
    assert!((whole - 4.0).abs() < 1e-5);
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.parts().len(), 1);
    assert_eq!(document.parts()[0].geometry.id(), part.geometry.id());
    let rules = trim::Rules {
        threshold: 0.1,
        ..trim::Rules {
            by: by_channel(&part, 0),
            threshold: 0.0,
            keep_above: true,
            keep_both: false,
        }
    };
    let nothing = self::planned(&part, &Reform::Trim { rules }).unwrap_err();
    assert!(nothing.to_string().contains("lies above the threshold"), "{nothing}");
}

/// A ball is cut at a height: both open rims close to circles of the radius there, √(1 − z²).
#[test]
fn a_ball_is_cut_along_a_circle() {
    let part = part(ball(64, 96));
    let rules = trim::Rules {
        by: by_channel(&part, 2),
        threshold: 0.5 + 0.25 * 0.6,
        keep_above: false,
        keep_both: false,
    };
    let mesh = mesh_of(&part, &Reform::Trim { rules });
    let rim: Vec<&Vec3> = mesh.positions().iter().filter(|p| p.z > 0.6 - 1e-4).collect();
    assert!(rim.len() >= 96);
    assert!(rim.iter().all(|p| (p.truncate().length() - 0.8).abs() < 2e-3));
    let geometry = Geometry::new(mesh);
    assert_eq!(geometry.topology().euler_number(), 1, "a disc, folded into a bowl");
}

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

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever is chosen of whatever is cut how often: nothing tears, and all that lies on it fits.
    #[test]
    fn any_selection_of_any_ball_is_cut_without_tearing(
        rows in 3_usize..9,
        around in 3_usize..12,
        chosen in prop::collection::vec(any::<bool>(), 120),
        scheme in prop::sample::select(vec![Scheme::Flat, Scheme::Loop, Scheme::CatmullClark]),
        times in 1_u32..3,
        split in any::<bool>(),
    ) {
        let whole = ball(rows, around);
        let mesh = if split { torn(&whole) } else { whole };
        let mut part = part(mesh.clone());
        let faces = (0..mesh.face_count()).filter(|&f| f == 0 || chosen[f % 120]).map(|f| f as u32);
        let traits = &mut part.traits;
        traits.selections = vec![Selection { name: "Any".into(), faces: faces.collect() }].into();
        let planned = planned(&part, &finer(scheme, times, None, Some("Any"))).unwrap();
        let fine = Geometry::new(planned.shape.mesh.clone());
        prop_assert!(fine.topology().is_watertight());
        prop_assert_eq!(fine.topology().euler_number(), 2);
        for to in &planned.shape.sets {
            prop_assert_eq!(to.values.len(), to.placement.count(fine.mesh()));
        }
    }
}

fn image(pixel: impl Fn(u32) -> u8) -> ImageRecord {
    let image = image::RgbaImage::from_fn(64, 2, |x, _| image::Rgba([pixel(x), 0, 0, 255]));
    let mut file = std::io::Cursor::new(Vec::new());
    image.write_to(&mut file, image::ImageFormat::Png).unwrap();
    ImageRecord { name: "Relief.png".into(), file: std::sync::Arc::new(file.into_inner()) }
}

/// A square whose first texture coordinate is its x.
fn laid_out(n: u32) -> Part {
    let mesh = Mesh::new(sheet(n, 0.0)).unwrap();
    let uvs = (0..mesh.corner_count()).map(|c| (mesh.corner_position(c).truncate() + 1.0) / 2.0);
    let uv_sets = vec![UvSet { name: "UV".into(), uvs: uvs.collect() }];
    part(Mesh::new(MeshArrays { uv_sets, ..arrays_of(&mesh) }).unwrap())
}

/// An image that rises evenly lifts a square into a slope, and cuts it where it passes a half.
#[test]
fn an_image_says_how_far_points_go_and_where_a_part_is_cut() {
    let part = laid_out(32);
    let images = [image(|x| (x * 4) as u8)];
    let by = || By::Image { image: "Relief.png".into(), uv_set: 0, channel: Some(0) };
    let of = |what: &Reform, images: &[ImageRecord]| {
        reform(&part, what, Given { images, parts: &[] }, &Watch::default())
    };
    let slope = Reform::Displace { rules: displaced(by(), 2.0), only: None };
    let moved = of(&slope, &images).unwrap();
    for p in moved.shape.mesh.positions().iter().filter(|p| p.x.abs() < 0.9) {
        // The middle of pixel n, of number 4 n, lies at n + ½.
        let wanted = 2.0 * 4.0 * ((p.x + 1.0) * 32.0 - 0.5) / 255.0;
        assert!((p.z - wanted).abs() < 0.02, "{p}: {wanted}");
    }
    let rules =
        trim::Rules { by: by(), threshold: 126.0 / 255.0, keep_above: true, keep_both: false };
    let cut = of(&Reform::Trim { rules }, &images).unwrap();
    // That is between pixels 31 and 32: in the middle.
    assert!((extent(&cut.shape.mesh)[1] - 2.0).abs() < 0.02);
    let gone = of(&slope, &[]).unwrap_err().to_string();
    assert!(gone.contains("the image Relief.png is not in the project"), "{gone}");
    let bare = self::part(Mesh::new(sheet(3, 0.0)).unwrap());
    let bare = reform(&bare, &slope, Given { images: &images, parts: &[] }, &Watch::default())
        .unwrap_err()
        .to_string();
    assert!(bare.contains("lay it out for images first"), "{bare}");
}

fn fallen(sides: f32, step: f32) -> drape::Rules {
    drape::Rules {
        sides: [sides; 2],
        step,
        turn: 0.0,
        falls: [0.0, 0.0, -1.0],
        offset: 0.0,
        stiffness: 0,
        flat_edge: 0.0,
        warp: 0.0,
        seed: 0,
    }
}

/// A sheet that falls on a ball has its height (x² + y² + z² = 1) over it, and that of the ground beside.
#[test]
fn a_sheet_lies_on_what_is_below() {
    let ball = part(ball(200, 300));
    let laid = |rules: drape::Rules| planned(&ball, &Reform::Drape { rules });
    let plain = laid(fallen(3.0, 0.05)).unwrap();
    let height = |p: &Vec3| (1.0 - p.x * p.x - p.y * p.y).max(0.0).sqrt();
    let is_on = |p: &Vec3| p.truncate().length() < 0.85;
    assert_eq!(plain.shape.mesh.vertex_count(), 61 * 61);
    for p in plain.shape.mesh.positions() {
        if is_on(p) {
            assert!((p.z - height(p)).abs() < 2e-3, "{p}");
        } else if p.truncate().length() > 1.08 {
            assert!((p.z + 1.0).abs() < 2e-3, "{p}");
        }
    }
    // It looks up, and takes the numbers of what it lies on: their place, in this part.
    assert!((0..3600).all(|f| plain.shape.mesh.face_area_vector(f).z > 0.0));
    for (value, p) in plain.shape.sets[0].values.iter().zip(plain.shape.mesh.positions()) {
        let off = (Vec3::from_slice(value) - (0.25 * p + 0.5)).length();
        // Towards the steep rim an element stands for much of what lies below.
        let is_flat = p.truncate().length() < 0.7;
        assert!(!is_flat || off < 4e-3, "{p}: {value:?}");
    }
    let stiff = laid(drape::Rules { stiffness: 60, offset: 0.1, ..fallen(3.0, 0.05) }).unwrap();
    let pairs = stiff.shape.mesh.positions().iter().zip(plain.shape.mesh.positions());
    assert!(pairs.clone().all(|(stiff, plain)| stiff.z > plain.z + 0.1 - 1e-5));
    assert!(pairs.clone().any(|(stiff, plain)| stiff.z > plain.z + 0.3), "it spans what is beside");
    let flat = laid(drape::Rules { flat_edge: 1.0, ..fallen(1.6, 0.1) }).unwrap();
    for p in flat.shape.mesh.positions().iter().filter(|p| p.truncate().abs().max_element() > 0.79)
    {
        assert!((p.z + 1.0).abs() < 2e-3, "{p}");
    }
    let turned = laid(drape::Rules { turn: 30.0, warp: 0.02, ..fallen(1.0, 0.1) }).unwrap();
    let is_off = |p: &Vec3| (p.z - height(p)).abs() < 2e-3;
    assert!(turned.shape.mesh.positions().iter().all(is_off));
    let up = drape::Rules { falls: [0.0, 0.0, 1.0], ..fallen(1.0, 0.1) };
    let below = laid(up).unwrap();
    assert!(below.shape.mesh.positions().iter().all(|p| (p.z + height(p)).abs() < 2e-3));
    let many = laid(fallen(100.0, 0.001)).unwrap_err().to_string();
    assert!(many.contains("take a wider step"), "{many}");
    let none = laid(drape::Rules { falls: [0.0; 3], ..fallen(1.0, 0.1) }).unwrap_err().to_string();
    assert!(none.contains("needs a length"), "{none}");
}

/// A dark stroke across a light image needs a fine mesh along its two edges, and nowhere else.
#[test]
fn a_mesh_becomes_as_fine_as_an_image_needs_it_and_nowhere_finer() {
    let part = laid_out(8);
    let stroke = |x: u32| if (20..26).contains(&x) { 10 } else { 240 };
    let images = [image(stroke)];
    let given = Given { images: &images, parts: &[] };
    let rules = |difference: f32, shortest: f32| {
        let of = detail::For::Image { image: "Relief.png".into(), uv_set: 0 };
        Reform::Detail { rules: detail::Rules { of, difference, shortest } }
    };
    let of = |what: &Reform| reform(&part, what, given, &Watch::default());
    let fine = of(&rules(3.0, 0.004)).unwrap();
    let mesh = &fine.shape.mesh;
    // An edge that is split splits the longer ones beside it first: a few rows around become finer too.
    // The edges of the stroke lie at 20/64 and 26/64 of the square, pixels are 1/32 wide.
    let edges = [20.0_f32, 26.0].map(|x| x / 32.0 - 1.0);
    let near = |p: Vec3| edges.iter().any(|x| (p.x - x).abs() < 0.55);
    let area = |face: usize| mesh.face_area_vector(face).length() / 2.0;
    for face in (0..mesh.face_count()).filter(|&face| !near(mesh.face_centroid(face))) {
        // Of the quads of a sixteenth, cut into two.
        assert!(area(face) > 0.03 - 1e-6, "{}", mesh.face_centroid(face));
    }
    let heat = fine.heat.unwrap();
    assert_eq!(heat.len(), 64, "one for each quad, though they were cut");
    assert!(heat.iter().any(|&off| off > 20.0) && heat.iter().any(|&off| off < 0.1));
    let finest = (0..mesh.face_count()).map(area).fold(f32::MAX, f32::min);
    assert!(finest < 0.001, "{finest}");
    assert!(mesh.face_count() < 20_000, "{}", mesh.face_count());
    assert!((extent(mesh)[1] - 4.0).abs() < 1e-5);
    assert_eq!(Geometry::new(mesh.clone()).topology().euler_number(), 1);
    // All of it is within the difference, unless edges may not be so short.
    assert!(!fine.report.notes.iter().any(|note| note.contains("stay coarser")));
    let coarse = of(&rules(3.0, 0.1)).unwrap();
    assert!(coarse.shape.mesh.face_count() < mesh.face_count());
    assert!(coarse.report.notes.iter().any(|note| note.contains("stay coarser")));
    // What is one color needs nothing.
    let plain = [image(|_| 99)];
    let given = Given { images: &plain, parts: &[] };
    let none = reform(&part, &rules(3.0, 0.004), given, &Watch::default()).unwrap_err();
    assert!(none.to_string().contains("within the difference already"), "{none}");
}

/// The same by the colors of another part, which lies a little off.
#[test]
fn a_mesh_becomes_as_fine_as_another_part_needs_it() {
    let light = Mesh::new(sheet(6, 0.0)).unwrap();
    let dense = Mesh::new(sheet(90, 0.01)).unwrap();
    let values = dense.positions().iter().map(|p| {
        let is_in = (p.truncate() - glam::Vec2::new(0.4, 0.3)).length() < 0.3;
        if is_in { [0.8, 0.1, 0.1, 1.0] } else { [0.9, 0.9, 0.8, 1.0] }
    });
    let coat = NewSet {
        name: "Coat".into(),
        placement: Placement::Vertex,
        encoding: Encoding::Color,
        ground: [1.0; 4],
        values: values.collect(),
    };
    let mut document = Document::default();
    let new = vec![NewPart::new("Light", light, vec![]), NewPart::new("Dense", dense, vec![coat])];
    document.apply(Edit::bring_in(new)).unwrap();
    let of = |part: &str, set: &str| {
        let of = detail::For::Part { part: part.into(), set: set.into() };
        let what = Reform::Detail { rules: detail::Rules { of, difference: 4.0, shortest: 0.02 } };
        let given = Given { images: &[], parts: document.parts() };
        reform(&document.parts()[0], &what, given, &Watch::default())
    };
    let fine = of("Dense", "Coat").unwrap();
    let mesh = &fine.shape.mesh;
    for face in 0..mesh.face_count() {
        let far = (mesh.face_centroid(face).truncate() - glam::Vec2::new(0.4, 0.3)).length();
        let is_at_rim = (far - 0.3).abs() < 0.7;
        assert!(is_at_rim || mesh.face_area_vector(face).length() > 0.05, "{far}");
    }
    assert!(mesh.face_count() > 500);
    assert!(of("Dense", "Film").unwrap_err().to_string().contains("no set Film on a part Dense"));
    assert!(of("Light", "Coat").unwrap_err().to_string().contains("for its own colors"));
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

/// What is split is all there, and joined again it is what it was.
#[test]
fn a_part_is_split_and_joined_again() {
    let two = beside(arrays_of(&cube()), {
        let mut other = arrays_of(&octahedron());
        other.positions.iter_mut().for_each(|p| *p += Vec3::X * 5.0);
        other
    });
    let mut document = document(Mesh::new(two).unwrap());
    let before = document.parts()[0].clone();
    let whole = extent(before.geometry.mesh());
    let do_it = |document: &mut Document, what: &Reform| {
        let part = document.parts()[0].clone();
        let given = Given { images: &[], parts: document.parts() };
        let reformed = Box::new(reform(&part, what, given, &Watch::default()).unwrap());
        let edit = ReplaceEdit::Reform { part: part.id, reformed, beside: false };
        document.apply(edit).unwrap()
    };
    let into = parting::SplitInto::Pieces;
    let split = do_it(&mut document, &Reform::Split { into });
    let names: Vec<&str> = document.parts().iter().map(|p| p.traits.name.as_str()).collect();
    assert_eq!(names, ["Piece", "Piece piece 2"]);
    let faces: Vec<usize> =
        document.parts().iter().map(|p| p.geometry.mesh().face_count()).collect();
    assert_eq!(faces, [8, 6], "the larger stays");
    for part in document.parts() {
        assert_eq!(part.sets.len(), 3);
        for (value, p) in part.sets[0].values.iter().zip(part.geometry.mesh().positions()) {
            assert!((Vec3::from_slice(value) - (0.25 * p + 0.5)).length() < 1e-6);
        }
    }
    // The other stands elsewhere, mirrored; joined, everything is where it was seen.
    let other = document.parts()[1].id;
    let transform = Transform {
        translation: Vec3::new(1.0, 2.0, 3.0),
        scale: Vec3::new(-2.0, 1.0, 1.0),
        ..Transform::IDENTITY
    };
    document.apply(PartEdit::PlacePart { part: other, transform }).unwrap();
    let film = SetEdit::AddSet {
        part: other,
        name: "Film".into(),
        placement: Placement::Face,
        encoding: Encoding::Data,
        start: [0.2; 4],
    };
    document.apply(film).unwrap();
    let joined = do_it(&mut document, &Reform::Join { with: vec![other] });
    assert_eq!(document.parts().len(), 1);
    let part = &document.parts()[0];
    let [volume, area] = extent(part.geometry.mesh());
    assert!(volume > 0.0 && (volume - (whole[0] + 8.0)).abs() < 1e-4, "twice the cube: {volume}");
    assert!(area > whole[1]);
    assert_eq!(part.sets.len(), 4);
    let film = part.sets.iter().find(|set| set.name == "Film").unwrap();
    assert!(film.values[8..].iter().all(|value| *value == [0.2; 4]));
    document.replay(&joined, Direction::Backward).unwrap();
    assert_eq!(document.parts().len(), 2);
    let settled = do_it(&mut document, &Reform::Join { with: vec![other] });
    assert!(settled.label.starts_with("Join Piece"));
    document.replay(&settled, Direction::Backward).unwrap();
    let _ = split;
    let alone = |what: &Reform| planned(&before, what).unwrap_err().to_string();
    let into = parting::SplitInto::Materials;
    assert!(alone(&Reform::Split { into }).contains("all of Piece is one of those"));
    assert!(alone(&Reform::Join { with: vec![] }).contains("choose the parts"));
    assert!(alone(&Reform::Join { with: vec![other] }).contains("is gone"));
    assert!(alone(&Reform::Settle).contains("say already"));
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
