//! What recipes make, against formulas and handbooks.

use std::{collections::HashMap, f32::consts::PI, sync::Arc};

use glam::Vec3;
use speckle_color::Encoding;
use speckle_core::{Document, Edit, PartEdit};
use speckle_mesh::{Mesh, Placement, Transform, UpAxis, mesh::MeshArrays};
use speckle_model::{NewPart, recipe::Source};
use speckle_tools::{
    bake::{self, BakeError, Inputs, Pantry, watch::Watch},
    image_file::ImageFile,
};

use crate::common::{beside, polygons, sheet};

/// The inputs of a project of meshes, for the first of them.
pub fn inputs_of(meshes: Vec<Mesh>, placement: Placement) -> Inputs {
    let mut document = Document::default();
    let parts = meshes.into_iter().map(|mesh| NewPart::new("Part", mesh, vec![])).collect();
    document.apply(Edit::bring_in(parts)).unwrap();
    let parts = Arc::new(document.parts().to_vec());
    let first = parts[0].id;
    let set = (placement, Encoding::Data, [0.0; 4]);
    Inputs::new(parts, first, set, UpAxis::Z, Arc::default()).unwrap()
}

pub fn source(json: &str) -> Source {
    serde_json::from_str(json).unwrap()
}

/// What a source makes, one number each.
pub fn made(json: &str, inputs: &Inputs) -> Vec<f32> {
    made_of(&source(json), inputs).unwrap()
}

pub fn made_of(source: &Source, inputs: &Inputs) -> Result<Vec<f32>, BakeError> {
    let field = Pantry::default().source(source, inputs, &Watch::default())?;
    Ok((0..field.len()).map(|i| field.at(i)[0]).collect())
}

/// The value at the vertex nearest to a point.
pub fn at(values: &[f32], inputs: &Inputs, point: Vec3) -> f32 {
    let positions = inputs.body.geometry.mesh().positions();
    let nearest = (0..positions.len())
        .min_by(|&a, &b| positions[a].distance(point).total_cmp(&positions[b].distance(point)));
    values[nearest.unwrap()]
}

pub fn mesh(arrays: MeshArrays) -> Mesh {
    Mesh::new(arrays).unwrap()
}

/// A sphere of latitudes and longitudes, its poles on z.
pub fn sphere(radius: f32, rings: u32, sides: u32) -> Mesh {
    turned(sides, rings, |t| {
        let angle = PI * t;
        (radius * angle.sin(), -radius * angle.cos())
    })
}

/// A profile (distance from the z axis and height, for 0–1) turned about the z axis; where the
/// distance is 0 it closes in a point.
fn turned(sides: u32, rings: u32, profile: impl Fn(f32) -> (f32, f32)) -> Mesh {
    let mut positions = Vec::new();
    let mut starts = Vec::new();
    for ring in 0..=rings {
        let (r, z) = profile(ring as f32 / rings as f32);
        starts.push((positions.len() as u32, r.abs() < 1e-6));
        let count = if r.abs() < 1e-6 { 1 } else { sides };
        positions.extend((0..count).map(|i| {
            let angle = 2.0 * PI * i as f32 / sides as f32;
            Vec3::new(r * angle.cos(), r * angle.sin(), z)
        }));
    }
    let mut faces = Vec::new();
    for ring in 0..rings as usize {
        let at = |(first, is_point): (u32, bool), i: u32| {
            if is_point { first } else { first + i % sides }
        };
        let (low, high) = (starts[ring], starts[ring + 1]);
        for i in 0..sides {
            let mut face = vec![at(low, i), at(low, i + 1), at(high, i + 1), at(high, i)];
            face.dedup();
            if face.first() == face.last() {
                face.pop();
            }
            faces.push(face);
        }
    }
    polygons(positions, &faces)
}

const MANY: &str = r#"{"kind":"occlusion","rays":4096}"#;

#[test]
fn occlusion_meets_the_closed_forms() {
    // View factors (Howell, A Catalog of Radiation Heat Transfer Configuration Factors): an open
    // plane sees all of the sky, and nothing is seen from within a closed box.
    let plane = inputs_of(vec![mesh(sheet(2, 0.0))], Placement::Vertex);
    assert!(made(MANY, &plane).iter().all(|&open| open == 1.0));
    let inside = polygons(
        (0..8).map(|i| Vec3::new((i & 1) as f32, (i >> 1 & 1) as f32, (i >> 2) as f32)).collect(),
        &[
            vec![0, 1, 3, 2],
            vec![4, 6, 7, 5],
            vec![0, 4, 5, 1],
            vec![2, 3, 7, 6],
            vec![0, 2, 6, 4],
            vec![1, 5, 7, 3],
        ],
    );
    let inside = inputs_of(vec![inside], Placement::Face);
    assert!(made(MANY, &inside).iter().all(|&open| open < 0.002));

    // At the foot of an endless wall: half of the sky.
    let far = 2000.0;
    let corner = polygons(
        vec![
            Vec3::new(-far, 0.0, 0.0),
            Vec3::new(far, 0.0, 0.0),
            Vec3::new(far, far, 0.0),
            Vec3::new(-far, far, 0.0),
            Vec3::new(far, -0.01, far),
            Vec3::new(-far, -0.01, far),
            Vec3::new(-far, -0.01, -far),
            Vec3::new(far, -0.01, -far),
        ],
        &[vec![0, 1, 2, 3], vec![6, 5, 4, 7]],
    );
    // The middle of a small tile at the foot looks up.
    let tile = polygons(
        [(-0.1, 0.0), (0.1, 0.0), (0.1, 0.1), (-0.1, 0.1)]
            .map(|(x, y)| Vec3::new(x, y, 0.001))
            .to_vec(),
        &[vec![0, 1, 2, 3]],
    );
    let wall = inputs_of(vec![tile, corner], Placement::Face);
    let open = made(MANY, &wall)[0];
    assert!((open - 0.5).abs() < 0.01, "{open}");

    // In the middle of the bottom of a round pit of radius r and depth h: r² / (r² + h²).
    for (r, h) in [(1.0_f32, 0.5_f32), (1.0, 1.0), (0.5, 2.0)] {
        let pit =
            turned(
                256,
                40,
                |t| if t < 0.5 { (r * 2.0 * t, 0.0) } else { (r, h * (2.0 * t - 1.0)) },
            );
        // Seen from within: the bottom looks up and the wall inwards.
        let (pit, _) = pit.turned_over();
        let pit = if normal_up(&pit) { pit } else { pit.turned_over().0 };
        let inputs = inputs_of(vec![pit], Placement::Vertex);
        let open = at(&made(MANY, &inputs), &inputs, Vec3::ZERO);
        let expected = r * r / (r * r + h * h);
        assert!((open - expected).abs() < 0.01, "r {r}, h {h}: {open}, not {expected}");
    }

    // Under the middle of a parallel disc of radius r at a height h: h² / (h² + r²) is open.
    for (r, h) in [(1.0_f32, 1.0_f32), (2.0, 0.5)] {
        let disc = turned(512, 2, |t| (r * t, h));
        let floor = polygons(
            [(-0.01, -0.01), (0.01, -0.01), (0.01, 0.01), (-0.01, 0.01)]
                .map(|(x, y)| Vec3::new(x, y, 0.0))
                .to_vec(),
            &[vec![0, 1, 2, 3]],
        );
        let inputs = inputs_of(vec![floor, disc], Placement::Face);
        let open = made(MANY, &inputs)[0];
        let expected = h * h / (h * h + r * r);
        assert!((open - expected).abs() < 0.01, "r {r}, h {h}: {open}, not {expected}");
    }
}

fn normal_up(mesh: &Mesh) -> bool {
    mesh.face_area_vector(0).z > 0.0
}

#[test]
fn the_mean_curvature_of_solids_is_that_of_the_formulas() {
    // do Carmo, Differential Geometry of Curves and Surfaces, 3.3: sphere 1/R, cylinder 1/(2R),
    // torus (R + 2 r cos v) / (2 r (R + r cos v)).
    let geometry = |mesh: Mesh| speckle_mesh::Geometry::new(mesh);
    let middle = |values: &[f32]| {
        let mut sorted = values.to_vec();
        sorted.sort_by(f32::total_cmp);
        sorted[sorted.len() / 2]
    };
    let mean = |mesh: Mesh| bake::curvature::mean(&geometry(mesh), 0.0, &Watch::default()).unwrap();
    for radius in [0.5, 3.0] {
        let found = middle(&mean(sphere(radius, 48, 96)));
        assert!((found * radius - 1.0).abs() < 0.02, "sphere {radius}: {found}");
        let found = middle(&mean(turned(96, 40, |t| (radius, 4.0 * radius * t))));
        assert!((found * radius * 2.0 - 1.0).abs() < 0.02, "cylinder {radius}: {found}");
    }
    let (big, small) = (2.0_f32, 0.7_f32);
    let torus = turned(160, 80, |t| {
        let v = -2.0 * PI * t;
        (big + small * v.cos(), -small * v.sin())
    });
    let torus = geometry(torus);
    let found = bake::curvature::mean(&torus, 0.0, &Watch::default()).unwrap();
    let positions = torus.mesh().positions();
    for (v, p) in positions.iter().enumerate() {
        // The seam of this mesh is open: its normals are one-sided there.
        let cos = (p.truncate().length() - big) / small;
        if cos > 0.98 {
            continue;
        }
        let expected = (big + 2.0 * small * cos) / (2.0 * small * (big + small * cos));
        assert!((found[v] - expected).abs() < 0.03, "{p}: {} not {expected}", found[v]);
    }
    // On a saddle z = (x² − y²) / 2 the mean vanishes at the middle.
    let mut saddle = sheet(40, 0.0);
    saddle.positions.iter_mut().for_each(|p| p.z = (p.x * p.x - p.y * p.y) / 2.0);
    let inputs = inputs_of(vec![mesh(saddle)], Placement::Vertex);
    let found = bake::curvature::mean(&inputs.body.geometry, 0.0, &Watch::default()).unwrap();
    assert!(at(&found, &inputs, Vec3::ZERO).abs() < 1e-3);
}

#[test]
fn curvature_at_a_scale_is_what_flows_through_the_rim() {
    // A sphere bends the same at every scale.
    let ball = speckle_mesh::Geometry::new(sphere(1.0, 48, 96));
    let found = bake::curvature::mean(&ball, 0.3, &Watch::default()).unwrap();
    assert!(found.iter().all(|h| (h - 1.0).abs() < 0.03));
    // A small bump on a plane is a ridge at its own scale and next to nothing at a large one.
    let mut bump = sheet(80, 0.0);
    for p in &mut bump.positions {
        p.z = 0.02 * (-(p.x * p.x + p.y * p.y) / 0.005).exp();
    }
    let inputs = inputs_of(vec![mesh(bump)], Placement::Vertex);
    let small = bake::curvature::mean(&inputs.body.geometry, 0.05, &Watch::default()).unwrap();
    let large = bake::curvature::mean(&inputs.body.geometry, 0.6, &Watch::default()).unwrap();
    let (small, large) = (at(&small, &inputs, Vec3::ZERO), at(&large, &inputs, Vec3::ZERO));
    assert!(small > 1.0 && large.abs() < 0.1 * small, "{small} {large}");
}

#[test]
fn a_trail_follows_great_circles_and_straight_lines() {
    // On a sphere the way from the pole is the angle: Snyder, Map Projections, 1987, 5-3.
    let ball = speckle_mesh::Geometry::new(sphere(1.0, 60, 120));
    let start =
        bake::trail::Start { seeds: vec![bake::trail::Seed::at(0, 0.0)], is_about_a_point: true };
    let far = bake::trail::distances(&ball, &start, &Watch::default()).unwrap();
    for (v, p) in ball.mesh().positions().iter().enumerate() {
        let expected = p.angle_between(ball.mesh().positions()[0]);
        assert!((far[v] - expected).abs() < 0.02, "{p}: {} not {expected}", far[v]);
    }
    // From another place too, where the triangles do not lie along the way.
    let root = 60 * 30 + 7;
    let start = bake::trail::Start {
        seeds: vec![bake::trail::Seed::at(root, 0.0)],
        is_about_a_point: true,
    };
    let far = bake::trail::distances(&ball, &start, &Watch::default()).unwrap();
    let from = ball.mesh().positions()[root as usize];
    for (v, p) in ball.mesh().positions().iter().enumerate() {
        let expected = p.angle_between(from);
        assert!(
            (far[v] - expected).abs() < 0.015 * expected + 0.005,
            "{p}: {} not {expected}",
            far[v]
        );
    }
    // On a plane it is the straight line, whatever way the triangles go.
    let flat = speckle_mesh::Geometry::new(mesh(sheet(30, 0.0)));
    let start =
        bake::trail::Start { seeds: vec![bake::trail::Seed::at(0, 0.0)], is_about_a_point: true };
    let far = bake::trail::distances(&flat, &start, &Watch::default()).unwrap();
    for (v, p) in flat.mesh().positions().iter().enumerate() {
        let expected = p.distance(Vec3::new(-1.0, -1.0, 0.0));
        assert!((far[v] - expected).abs() < 0.01, "{p}: {} not {expected}", far[v]);
    }
    // From a whole edge it goes on in parallel.
    let inputs = inputs_of(vec![mesh(sheet(30, 0.0))], Placement::Vertex);
    let trail = made(r#"{"kind":"trail","root":{"kind":"end","towards":"minus_x"}}"#, &inputs);
    for (v, p) in inputs.body.geometry.mesh().positions().iter().enumerate() {
        assert!((trail[v] - (p.x + 1.0) / 2.0).abs() < 1e-3);
    }
}

/// The same sheet with a vertex far away that no face uses.
fn with_a_loose_vertex(mut arrays: MeshArrays) -> MeshArrays {
    arrays.positions.push(Vec3::splat(1000.0));
    arrays
}

/// What no face uses does not stretch what the surface reaches over.
#[test]
fn loose_vertices_reach_nowhere() {
    for json in [
        r#"{"kind":"height_ramp","direction":"x"}"#,
        r#"{"kind":"position"}"#,
        r#"{"kind":"distance","from":{"kind":"end","towards":"x"},"reach":1}"#,
        r#"{"kind":"occlusion","ground":true,"rays":16}"#,
        r#"{"kind":"image","image":"Dots","lay":{"kind":"along","direction":"minus_z"}}"#,
    ] {
        let values = [sheet(8, 0.0), with_a_loose_vertex(sheet(8, 0.0))].map(|arrays| {
            let mut inputs = inputs_of(vec![mesh(arrays)], Placement::Vertex);
            let dots: Vec<u8> = (0..64).map(|i| i * 3).collect();
            inputs.images = Arc::new(HashMap::from([("Dots".to_owned(), image_of(4, 4, &dots))]));
            made(json, &inputs)[..81].to_vec()
        });
        assert_eq!(values[0], values[1], "{json}");
    }
}

/// The inputs of a project of parts that stand somewhere, for the first of them.
fn inputs_placed(parts: Vec<(Mesh, Transform)>) -> Inputs {
    let mut document = Document::default();
    let (meshes, transforms): (Vec<_>, Vec<_>) = parts.into_iter().unzip();
    let named = |(i, mesh)| NewPart::new(format!("Part {i}"), mesh, vec![]);
    let parts = meshes.into_iter().enumerate().map(named).collect();
    document.apply(Edit::bring_in(parts)).unwrap();
    for (i, transform) in transforms.into_iter().enumerate() {
        let part = document.parts()[i].id;
        document.apply(PartEdit::PlacePart { part, transform }).unwrap();
    }
    let parts = Arc::new(document.parts().to_vec());
    let first = parts[0].id;
    let set = (Placement::Vertex, Encoding::Data, [0.0; 4]);
    Inputs::new(parts, first, set, UpAxis::Z, Arc::default()).unwrap()
}

/// Distances to a part that is scaled unevenly are those to its points where they stand: by brute
/// force over a dense copy of it.
#[test]
fn what_is_near_is_near_where_parts_are_scaled_unevenly() {
    let own = Transform { translation: Vec3::Z * 1.5, ..Transform::IDENTITY };
    let theirs = Transform {
        rotation_degrees: Vec3::new(30.0, 50.0, 10.0),
        scale: Vec3::new(4.0, 0.5, 0.25),
        ..Transform::IDENTITY
    };
    let inputs = inputs_placed(vec![(mesh(sheet(6, 0.0)), own), (sphere(1.0, 200, 400), theirs)]);
    let other = inputs.parts[1].geometry.mesh().positions();
    let points: Vec<Vec3> = other
        .iter()
        .map(|&p| {
            own.to_project().inverse().transform_point3(theirs.to_project().transform_point3(p))
        })
        .collect();
    let brute: Vec<f32> = inputs
        .body
        .geometry
        .mesh()
        .positions()
        .iter()
        .map(|p| points.iter().map(|q| p.distance(*q)).fold(f32::MAX, f32::min))
        .collect();
    let distance = r#"{"kind":"distance","from":{"kind":"part","name":"Part 1"},"reach":4}"#;
    for (found, far) in made(distance, &inputs).iter().zip(&brute) {
        assert!((found - (far / 4.0).min(1.0)).abs() < 5e-3, "{found} {far}");
    }
    let joint = r#"{"kind":"joint","between":"parts","width":3,"offset":0}"#;
    for (found, far) in made(joint, &inputs).iter().zip(&brute) {
        assert!((found - (1.0 - far / 3.0).clamp(0.0, 1.0)).abs() < 5e-3, "{found} {far}");
    }
}

/// A lying sheet over the ground, turned and scaled unevenly within its part: the ground is level
/// still, so that from straight above it nothing is hidden, and heights are the project's.
#[test]
fn the_ground_is_level_under_a_part_that_is_scaled_unevenly() {
    let placed = Transform {
        rotation_degrees: Vec3::new(0.0, 40.0, 0.0),
        scale: Vec3::new(3.0, 1.0, 0.4),
        ..Transform::IDENTITY
    };
    let inputs = inputs_placed(vec![(sphere(1.0, 24, 48), placed)]);
    let ramp = made(r#"{"kind":"height_ramp","direction":"up","space":"part"}"#, &inputs);
    let world = made(r#"{"kind":"height_ramp","direction":"up","space":"world"}"#, &inputs);
    for (part, world) in ramp.iter().zip(&world) {
        assert!((part - world).abs() < 1e-4, "{part} {world}");
    }
    // At the lowest place all of the sky is hidden, at the highest none of it.
    let open = made(r#"{"kind":"occlusion","ground":true,"rays":256}"#, &inputs);
    let end = |best: fn(f32, f32) -> bool| {
        (1..world.len()).fold(0, |at, i| if best(world[i], world[at]) { i } else { at })
    };
    assert!(open[end(|a, b| a < b)] < 0.02, "{}", open[end(|a, b| a < b)]);
    assert!(open[end(|a, b| a > b)] > 0.99, "{}", open[end(|a, b| a > b)]);
}

#[test]
fn what_touches_a_piece_goes_on_from_it_or_moves_as_one() {
    // A cloth from x −1 to 1, and a toggle that touches it at x = 0, standing up from it.
    let cloth = sheet(20, 0.0);
    let mut toggle = sheet(4, 0.0);
    for p in &mut toggle.positions {
        *p = Vec3::new(0.0, p.x * 0.1, 0.3 * (p.y + 1.0) + 0.01);
    }
    let both = mesh(beside(cloth, toggle));
    let inputs = inputs_of(vec![both], Placement::Vertex);
    let trail = |joined: &str| {
        let root = r#"{"kind":"end","towards":"minus_x"}"#;
        made(
            &format!(r#"{{"kind":"trail","root":{root},"joined":"{joined}","touch":0.05}}"#),
            &inputs,
        )
    };
    let held = trail("holds");
    let on = trail("goes_on");
    for held in &held[21 * 21..] {
        assert!((held - 0.5).abs() < 0.02, "the toggle moves as the cloth does at its joint");
    }
    // 0.6 up from the middle of a way of 2: from 1.0 to 1.61 of the furthest, which is the cloth's end.
    let top = at(&on, &inputs, Vec3::new(0.0, 0.0, 0.61));
    assert!((top - 1.61 / 2.0).abs() < 0.03, "{top}");
}

#[test]
fn facing_and_height_are_what_their_formulas_say() {
    let inputs = inputs_of(vec![sphere(1.0, 24, 48)], Placement::Vertex);
    let positions = inputs.body.geometry.mesh().positions();
    // The normal of the unit sphere is the point itself: the cosine is its height.
    let up = made(r#"{"kind":"facing"}"#, &inputs);
    let around = made(r#"{"kind":"facing","half_angle":180}"#, &inputs);
    let sharp = made(r#"{"kind":"facing","half_angle":60,"softness":0}"#, &inputs);
    let height = made(r#"{"kind":"height_ramp"}"#, &inputs);
    let typed = made(r#"{"kind":"height_ramp","from":0.5,"to":-0.5}"#, &inputs);
    for (v, p) in positions.iter().enumerate() {
        assert!((up[v] - p.z.max(0.0)).abs() < 0.01);
        assert!((around[v] - (1.0 + p.z) / 2.0).abs() < 0.01);
        if (p.z - 0.5).abs() > 0.02 {
            assert_eq!(sharp[v], f32::from(u8::from(p.z > 0.5)));
        }
        assert!((height[v] - (p.z + 1.0) / 2.0).abs() < 1e-4);
        assert!((typed[v] - (0.5 - p.z).clamp(0.0, 1.0)).abs() < 1e-4);
    }
}

#[test]
fn distances_joints_and_thickness_are_in_units() {
    // Two sheets 0.25 apart, each the other's neighbour.
    let apart = mesh(beside(sheet(8, 0.0), sheet(8, 0.25)));
    let inputs = inputs_of(vec![apart, sphere(0.5, 12, 24)], Placement::Face);
    let joint = made(r#"{"kind":"joint","width":0.5}"#, &inputs);
    assert!(joint.iter().all(|&j| (j - 0.5).abs() < 1e-4));
    let off = made(r#"{"kind":"joint","width":0.5,"offset":0.25}"#, &inputs);
    assert!(off.iter().all(|&j| (j - 1.0).abs() < 1e-4));
    let point =
        made(r#"{"kind":"distance","from":{"kind":"point","at":[0,0,0]},"reach":2}"#, &inputs);
    assert!(point.iter().all(|&d| (0.0..=1.0).contains(&d)));
    // From the middle of a face 7/8 off in x and y: the samples lie around it.
    let expected = (2.0 * 0.875_f32.powi(2)).sqrt() / 2.0;
    assert!((point[0] - expected).abs() < 0.02, "{} not {expected}", point[0]);
    let ball =
        made(r#"{"kind":"distance","from":{"kind":"part","name":"Part 2"},"reach":2}"#, &inputs);
    assert!((ball[0] - (2.0 * expected - 0.5) / 2.0).abs() < 0.02, "{}", ball[0]);
    let edge = made(r#"{"kind":"distance","from":{"kind":"open_edge"},"reach":1}"#, &inputs);
    assert!(edge[0] < 0.2 && edge[8 * 4 + 4] > 0.7);

    // A slab 0.2 thick: rays by the cosine go 2 × 0.2 on the mean (∫ 2 cos θ sin θ / cos θ dθ), and
    // less where a reach ends them.
    let mut slab = beside(sheet(8, 0.1), sheet(8, -0.1));
    let corners = slab.corner_vertices.len();
    slab.corner_vertices[corners / 2..].chunks_mut(4).for_each(<[u32]>::reverse);
    slab.positions.iter_mut().for_each(|p| *p *= Vec3::new(100.0, 100.0, 1.0));
    let inputs = inputs_of(vec![mesh(slab)], Placement::Vertex);
    let thick = made(r#"{"kind":"thickness","rays":4096,"reach":100}"#, &inputs);
    let middle = at(&thick, &inputs, Vec3::new(0.0, 0.0, 0.1)) * 100.0;
    assert!((middle - 0.4).abs() < 0.02, "{middle}");
}

#[test]
fn a_light_is_seen_whole_halfway_or_not_at_all() {
    // A wall beside a floor hides half of a light low enough to be halved by its top.
    let wall = polygons(
        [(1.0, -50.0, -1.0), (1.0, 50.0, -1.0), (1.0, 50.0, 1.0), (1.0, -50.0, 1.0)]
            .map(Vec3::from)
            .to_vec(),
        &[vec![0, 1, 2, 3]],
    );
    let tile = polygons(
        [(-0.001, -0.001), (0.001, -0.001), (0.001, 0.001), (-0.001, 0.001)]
            .map(|(x, y)| Vec3::new(x, y, 0.0))
            .to_vec(),
        &[vec![0, 1, 2, 3]],
    );
    let inputs = inputs_of(vec![tile, wall], Placement::Face);
    let open = |x: f32, z: f32| {
        let light = format!(
            r#"{{"kind":"openness","light":{{"to":[{x},0,{z}]}},"spread":10,"rays":4096}}"#
        );
        made(&light, &inputs)[0]
    };
    assert!((open(1.0, 1.0) - 0.5).abs() < 0.02, "its middle just over the top");
    assert_eq!(open(1.0, 3.0), 1.0);
    assert_eq!(open(3.0, 1.0), 0.0);
    assert_eq!(open(0.0, -1.0), 0.0, "from below");
}

pub fn image_of(width: u32, height: u32, rgba: &[u8]) -> ImageFile {
    let mut file = std::io::Cursor::new(Vec::new());
    let image = image::RgbaImage::from_raw(width, height, rgba.to_vec()).unwrap();
    image.write_to(&mut file, image::ImageFormat::Png).unwrap();
    ImageFile::new(Arc::new(file.into_inner())).unwrap()
}
