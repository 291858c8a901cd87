//! Finer, mended, moved, smoothed and trimmed shapes, against their formulas.

use std::f32::consts::PI;

use glam::Vec3;
use proptest::prelude::*;
use speckle_color::{Encoding, Rgba};
use speckle_core::{Document, Edit, PartEdit, ReplaceEdit, SetEdit, document::Direction};
use speckle_mesh::{Geometry, Mesh, Placement, Transform, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet, Part, Selection};
use speckle_tools::{
    bake::watch::Watch,
    reform::{
        Given, Reform, ReformError, Reformed, displace,
        numbers::By,
        parting, reform, smooth,
        subdivide::{self, Scheme},
        trim,
    },
};

use crate::{
    common::{arrays_of, beside, polygons, sheet},
    decimating::ball,
};

pub fn cube() -> Mesh {
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
pub fn torn(mesh: &Mesh) -> Mesh {
    let corners = 0..mesh.corner_count();
    Mesh::new(MeshArrays {
        positions: corners.clone().map(|c| mesh.corner_position(c)).collect(),
        corner_vertices: corners.map(|c| c as u32).collect(),
        ..arrays_of(mesh)
    })
    .unwrap()
}

/// Volume and area of a mesh.
pub fn extent(mesh: &Mesh) -> [f64; 2] {
    let geometry = Geometry::new(mesh.clone());
    let of = |triangle: &[u32; 3]| {
        let [a, b, c] = triangle.map(|corner| mesh.corner_position(corner as usize).as_dvec3());
        [a.dot(b.cross(c)) / 6.0, (b - a).cross(c - a).length() / 2.0]
    };
    let all = geometry.triangulation().corners().iter().map(of);
    all.fold([0.0; 2], |[v, s], [w, t]| [v + w, s + t])
}

/// A part with the place as the value of a data set at every placement, and a group.
pub fn document(mesh: Mesh) -> Document {
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

pub fn part(mesh: Mesh) -> Part {
    document(mesh).parts()[0].clone()
}

pub fn planned(part: &Part, what: &Reform) -> Result<Reformed, ReformError> {
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

pub fn displaced(by: By, amount: f32) -> displace::Rules {
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
