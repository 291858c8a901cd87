//! Meshes that would take quadratic time, were nothing done about it: crowds at one point or around
//! one edge, many pieces, many parts. Each is bounded far above what it takes and far below what it
//! would take.

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use glam::Vec3;
use speckle_color::{Channels, Encoding};
use speckle_core::{Document, Edit, HandId};
use speckle_mesh::{
    Geometry, Mesh, Placement, Transform,
    body::{Body, Placed},
    geometry::bvh::nearest_on,
    mesh::MeshArrays,
    scene::{Others, Scene, Stage},
    sight::View,
};
use speckle_model::{NewPart, NewSet, recipe::source::Joined};
use speckle_tools::{
    bake::{trail, watch::Watch},
    stroke::{Brush, Coat, Sample, StrokeStart},
};

use crate::common::{arrays_of, beside, polygons, sheet};

const PATIENCE: Duration = Duration::from_secs(20);

/// What takes long enough to be told from what does not, also on a slow machine.
fn soon<T>(what: &str, work: impl FnOnce() -> T) -> T {
    let begun = Instant::now();
    let done = work();
    assert!(begun.elapsed() < PATIENCE, "{what} took {:?}", begun.elapsed());
    done
}

fn triangles(count: u32, at: impl Fn(u32) -> [Vec3; 3]) -> Mesh {
    Mesh::new(MeshArrays {
        positions: (0..count).flat_map(at).collect(),
        face_starts: (0..=count).map(|face| 3 * face).collect(),
        corner_vertices: (0..3 * count).collect(),
        ..MeshArrays::default()
    })
    .unwrap()
}

fn look_at_everything(geometry: &Geometry) {
    assert!(geometry.vertex_normals().iter().all(|normal| normal.is_finite()));
    for placement in [Placement::Vertex, Placement::Corner, Placement::Face] {
        let neighbours = geometry.neighbours(placement);
        let count = placement.count(geometry.mesh());
        let all: usize = (0..count).map(|element| neighbours.of(element).len()).sum();
        assert!(all < 600 * count, "{all} neighbours of {count} {placement:?}");
    }
    assert!(geometry.bvh().nearest(Vec3::ONE, f32::MAX, |_| true).is_some());
    assert_eq!(
        geometry.mean_edges(&glam::Affine3A::IDENTITY).len(),
        geometry.mesh().vertex_count()
    );
}

#[test]
fn all_vertices_at_one_point_take_no_longer_than_others() {
    let collapsed = triangles(40_000, |_| [Vec3::ONE; 3]);
    soon("a collapsed mesh", || look_at_everything(&Geometry::new(collapsed)));
    // Within a mesh of some size, and the same face over and over.
    let far = [Vec3::ZERO, Vec3::X * 1e3, Vec3::Y * 1e3];
    let within = triangles(40_000, |i| if i == 0 { far } else { [Vec3::new(3.0, 5.0, 7.0); 3] });
    soon("a crowd within a mesh", || look_at_everything(&Geometry::new(within)));
    let same = triangles(40_000, |_| far);
    soon("a face over and over", || look_at_everything(&Geometry::new(same)));
    // All faces around one edge.
    let fan = triangles(40_000, |i| [Vec3::ZERO, Vec3::Z, Vec3::new(1.0, i as f32, 0.0)]);
    let fan = Geometry::new(fan);
    soon("a fan", || look_at_everything(&fan));
    // What is nearest is as near as a look at all of them finds.
    for at in [Vec3::new(0.5, 3.2, 0.3), Vec3::new(1.5, 20_000.4, 0.1), Vec3::new(-2.0, 9.0, 2.0)] {
        let (_, found, _) = fan.bvh().nearest(at, f32::MAX, |_| true).unwrap();
        let faces = fan.mesh().corner_vertices().chunks(3);
        let all = faces.map(|face| {
            let corners = [0, 1, 2].map(|k| fan.mesh().positions()[face[k] as usize]);
            nearest_on(at, corners).distance(at)
        });
        let nearest = all.fold(f32::MAX, f32::min);
        assert!((found.distance(at) - nearest).abs() < 1e-2, "{at}: {found}, {nearest}");
    }
}

/// A cone of so many sides has a crowd at its tip, with shared vertices and with split ones: it is
/// one piece still, and whatever spreads reaches all of it in a few steps.
#[test]
fn a_crowd_hangs_together() {
    const SIDES: u32 = 3_000;
    let rim = |i: u32| {
        let angle = std::f32::consts::TAU * i as f32 / SIDES as f32;
        Vec3::new(angle.cos(), angle.sin(), 0.0)
    };
    let shared = polygons(
        (0..SIDES).map(rim).chain([Vec3::Z]).collect(),
        &(0..SIDES).map(|i| vec![i, (i + 1) % SIDES, SIDES]).collect::<Vec<_>>(),
    );
    let split = triangles(SIDES, |i| [rim(i), rim((i + 1) % SIDES), Vec3::Z]);
    for mesh in [shared, split] {
        let geometry = Geometry::new(mesh);
        let topology = geometry.topology();
        assert_eq!(geometry.pieces().count(), 1);
        for vertex in 0..geometry.mesh().vertex_count() {
            let own: Vec<usize> = topology.own_corners(geometry.mesh(), vertex).collect();
            let all = geometry.mesh().corner_vertices().iter().enumerate();
            let expected = all.filter(|(_, v)| **v as usize == vertex).map(|(corner, _)| corner);
            if vertex % 97 == 0 || own.len() > 2 {
                assert_eq!(own, expected.collect::<Vec<_>>());
            }
        }
        for placement in [Placement::Vertex, Placement::Corner] {
            let neighbours = geometry.neighbours(placement);
            let tip = (0..placement.count(geometry.mesh()))
                .find(|&element| match placement {
                    Placement::Vertex => geometry.mesh().positions()[element] == Vec3::Z,
                    _ => geometry.mesh().corner_position(element) == Vec3::Z,
                })
                .unwrap();
            let mut steps = vec![u32::MAX; placement.count(geometry.mesh())];
            steps[tip] = 0;
            let mut front = std::collections::VecDeque::from([tip]);
            while let Some(element) = front.pop_front() {
                for &other in neighbours.of(element) {
                    if steps[other as usize] == u32::MAX {
                        steps[other as usize] = steps[element] + 1;
                        front.push_back(other as usize);
                    }
                }
            }
            // Half of a binary number's digits, twelve for so many, and a step to the rim.
            assert!(steps.iter().all(|&steps| steps <= 14), "{placement:?}");
        }
    }
}

/// A trail over a disc whose faces all meet in its middle, and have obtuse angles at every other point of its rim: no
/// longer than over others, and by hand as far from the middle as the rim is.
#[test]
fn a_trail_goes_through_a_crowd() {
    const SIDES: u32 = 100_000;
    let rim = |i: u32| {
        let angle = std::f32::consts::TAU * i as f32 / SIDES as f32;
        Vec3::new(angle.cos(), angle.sin(), 0.0) * if i.is_multiple_of(2) { 1.0 } else { 0.9999 }
    };
    let mesh = polygons(
        (0..SIDES).map(rim).chain([Vec3::ZERO]).collect(),
        &(0..SIDES).map(|i| vec![i, (i + 1) % SIDES, SIDES]).collect::<Vec<_>>(),
    );
    let geometry = Geometry::new(mesh);
    let far = |from: u32| {
        let start =
            trail::Start { seeds: vec![trail::Seed::at(from, 0.0)], is_about_a_point: false };
        soon("a trail through a crowd", || {
            trail::distances(&geometry, &start, &Watch::default()).unwrap()
        })
    };
    let from_middle = far(SIDES);
    for i in 0..SIDES {
        assert!((from_middle[i as usize] - rim(i).length()).abs() < 1e-5);
    }
    // From the rim straight through the middle.
    let across = far(0)[(SIDES / 2) as usize];
    assert!((across - 2.0).abs() < 1e-4, "{across}");
}

/// A chain of pieces, each touching the last: the trail goes on from one to the next, and is as far
/// along as they are.
#[test]
fn a_trail_goes_over_many_pieces() {
    const PIECES: u32 = 2_000;
    let link = |i: u32| {
        let mut arrays = sheet(4, 0.0);
        // From x 2 i to 2 i + 2, each a hair above the last.
        for p in &mut arrays.positions {
            *p = Vec3::new(
                p.x + 1.0 + 2.0 * i as f32,
                p.y,
                if i.is_multiple_of(2) { 0.0 } else { 0.001 },
            );
        }
        arrays
    };
    let chain = |links: std::ops::Range<u32>| {
        let first = links.start;
        links.skip(1).fold(link(first), |all, i| beside(all, link(i)))
    };
    // Joined by halves: one by one would be what this test is about.
    let joined = (0..PIECES / 50).map(|i| chain(50 * i..50 * i + 50));
    let mut halves: Vec<MeshArrays> = joined.collect();
    while halves.len() > 1 {
        let last = halves.pop().unwrap();
        let before = halves.pop().unwrap();
        halves.push(beside(before, last));
    }
    let geometry = Geometry::new(Mesh::new(halves.pop().unwrap()).unwrap());
    let at = |v: usize| geometry.mesh().positions()[v];
    let seeds = (0..geometry.mesh().vertex_count()).filter(|&v| at(v).x == 0.0);
    let seeds = seeds.map(|v| trail::Seed::at(v as u32, 0.0)).collect();
    let start = trail::Start { seeds, is_about_a_point: false };
    let laying = trail::Laying { reach: 0.0, joined: Joined::GoesOn, touch: 0.01 };
    let trail = soon("a trail over a chain", || {
        trail::trail(&geometry, &start, laying, &Watch::default()).unwrap()
    });
    for v in (0..geometry.mesh().vertex_count()).step_by(131) {
        let expected = at(v).x / (2.0 * PIECES as f32);
        assert!((trail[v] - expected).abs() < 2e-3, "{}: {} not {expected}", at(v), trail[v]);
    }
}

/// What hides a point is found under one tree over all parts: the same as by asking each.
#[test]
fn a_stage_hides_what_its_parts_hide() {
    let shape = Arc::new(Geometry::new(Mesh::new(sheet(2, 0.0)).unwrap()));
    let random = |n: u32| (n.wrapping_mul(2_654_435_769) >> 8) as f32 / (1 << 24) as f32;
    let placed = |n: u32| {
        let place = Vec3::new(random(6 * n), random(6 * n + 1), random(6 * n + 2)) * 20.0;
        Placed::new(&Transform {
            translation: place - 10.0,
            rotation_degrees: Vec3::new(random(6 * n + 3), random(6 * n + 4), 0.3) * 360.0,
            scale: Vec3::new(1.0, 0.5 + random(6 * n + 5), 0.7),
        })
    };
    let bodies: Vec<Body> =
        (0..60).map(|n| Body { geometry: shape.clone(), placed: placed(n) }).collect();
    let stage = Arc::new(Stage::new(bodies.clone()));
    let view = View::Parallel { forward: Vec3::NEG_Z };
    let (mut hidden, mut seen) = (0, 0);
    for n in 0..2_000 {
        let own = (n % 61 < 60).then_some(n as usize % 61);
        let scene = Scene { others: Others::on(stage.clone(), own), ..Scene::open(view) };
        let end = |k: u32| Vec3::new(random(k), random(k + 1), random(k + 2)) * 24.0 - 12.0;
        let (from, to) = (end(70_000 + 6 * n), end(90_000 + 6 * n));
        let others = || bodies.iter().enumerate().filter(|(i, _)| Some(*i) != own);
        let is_clear = others().all(|(_, body)| {
            let [from, to] = [from, to].map(|p| body.placed.to_part(p));
            body.geometry.bvh().is_clear(from, to, 1e-4)
        });
        assert_eq!(scene.is_clear_of_others(from, to, 1e-4), is_clear);
        let is_behind = others().any(|(_, body)| {
            let hit = body.placed.cast(&body.geometry, from, to - from);
            hit.is_some_and(|hit| hit.distance < 1.0 - 1e-5)
        });
        assert_eq!(scene.is_behind_others(from, to - from, 1.0), is_behind);
        (hidden, seen) = (hidden + u32::from(!is_clear), seen + u32::from(is_clear));
    }
    assert!(hidden > 200 && seen > 200, "{hidden} hidden, {seen} seen: nothing was asked");
}

/// A stroke over two thousand parts at once takes no longer than it should.
#[test]
fn a_stroke_over_many_parts_is_laid_soon() {
    const SIDE: i32 = 45;
    let mesh = Mesh::new(sheet(2, 0.0)).unwrap();
    let set = NewSet::flooded("Coat", Placement::Vertex, Encoding::Color, [1.0; 4], &mesh);
    let parts = (0..SIDE * SIDE).map(|i| {
        let mut arrays = arrays_of(&mesh);
        let middle = Vec3::new((i % SIDE) as f32, (i / SIDE) as f32, 0.0) * 2.5;
        arrays.positions.iter_mut().for_each(|p| *p += middle);
        NewPart::new(format!("Tile {i}"), Mesh::new(arrays).unwrap(), vec![set.clone()])
    });
    let mut document = Document::default();
    document.apply(Edit::bring_in(parts.collect())).unwrap();
    let part = &document.parts()[0];
    let mut coat = Coat::new(part.id, part.sets[0].id, Channels::RGB, [0.0, 0.0, 0.0, 1.0]);
    coat.all_parts = true;
    let brush = Brush { radius: 3.0, apart: true, hardness: 1.0, ..Brush::default() };
    let view = View::Parallel { forward: Vec3::NEG_Z };
    let hand = HandId(1);
    let change = soon("a stroke over many parts", || {
        document.begin_stroke(hand, StrokeStart::new(coat, brush, view)).unwrap();
        for i in 0..40 {
            let origin = Vec3::new(2.5 * i as f32, 2.5 * i as f32, 50.0);
            let (direction, held) = (Vec3::NEG_Z, false);
            let sample = Sample { origin, direction, held, pressure: 1.0 };
            document.extend_stroke(hand, &[sample]).unwrap();
        }
        document.end_stroke(hand).unwrap()
    });
    let painted = change.steps.len();
    assert!((80..400).contains(&painted), "{painted} parts were painted");
}
