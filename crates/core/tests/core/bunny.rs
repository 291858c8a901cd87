//! The Stanford bunny (npm `bunny`; Stanford 3D Scanning Repository) against figures by PyPI
//! `trimesh` (`reference/bunny.py` made `reference/bunny.json`), and against brute force.

use std::{fs, path::Path, sync::Arc};

use glam::{DVec3, Vec3};
use serde_json::Value;
use speckle_mesh::{
    Geometry, Mesh, Placement,
    body::{Body, Placed},
    mesh::MeshArrays,
};
use speckle_tools::bake::{
    curvature,
    occlusion::{Blockers, Casting, openness},
    samples::Samples,
    trail,
    watch::Watch,
};

pub fn bunny() -> Geometry {
    let file =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../../../web/node_modules/bunny/index.js");
    let source = fs::read_to_string(&file)
        .unwrap_or_else(|error| panic!("{}: {error}; run `cargo xtask web` first", file.display()));
    let array = |key: &str| -> Value {
        let start = source.find(key).unwrap() + key.len() + 1;
        let end = start + source[start..].find("]]").unwrap() + 2;
        serde_json::from_str(&source[start..end]).unwrap()
    };
    let positions: Vec<[f32; 3]> = serde_json::from_value(array("exports.positions")).unwrap();
    let cells: Vec<[u32; 3]> = serde_json::from_value(array("exports.cells")).unwrap();
    let arrays = MeshArrays {
        positions: positions.into_iter().map(Vec3::from).collect(),
        face_starts: (0..=cells.len() as u32).map(|f| 3 * f).collect(),
        corner_vertices: cells.into_flattened(),
        ..MeshArrays::default()
    };
    Geometry::new(Mesh::new(arrays).unwrap())
}

pub fn reference() -> Value {
    serde_json::from_str(include_str!("../reference/bunny.json")).unwrap()
}

fn close(ours: f64, theirs: &Value, share: f64) {
    let theirs = theirs.as_f64().unwrap();
    assert!((ours - theirs).abs() <= share * theirs.abs(), "{ours} where trimesh has {theirs}");
}

#[test]
fn sizes_and_connectivity_are_those_of_trimesh() {
    let (bunny, reference) = (bunny(), reference());
    let (measures, topology) = (bunny.measures(), bunny.topology());
    close(measures.area, &reference["area"], 1e-6);
    close(measures.volume, &reference["volume"], 1e-5);
    for axis in 0..3 {
        close(measures.min[axis].into(), &reference["bounds"][0][axis], 1e-6);
        close(measures.max[axis].into(), &reference["bounds"][1][axis], 1e-6);
    }
    assert_eq!(topology.euler_number(), reference["euler_number"]);
    assert_eq!(topology.edge_count(), reference["edges"].as_u64().unwrap() as usize);
    assert_eq!(topology.is_watertight(), reference["watertight"]);
    assert_eq!(bunny.pieces().count(), reference["pieces"].as_u64().unwrap() as usize);
}

#[test]
fn rays_hit_where_those_of_trimesh_do() {
    let (bunny, reference) = (bunny(), reference());
    let direction = Vec3::new(0.05, 0.02, -1.0).normalize();
    for (i, theirs) in reference["ray_distances"].as_array().unwrap().iter().enumerate() {
        let hit = bunny.bvh().cast(Vec3::new(0.0, 3.0 + 0.37 * i as f32, 20.0), direction);
        match hit {
            Some(hit) => close(hit.distance.into(), theirs, 1e-5),
            None => assert!(theirs.is_null(), "ray {i} missed, trimesh has {theirs}"),
        }
    }
}

/// Distance of a point to a triangle, by trying its plane, its edges and its corners in double
/// precision; no tree and none of the tree's formulas.
fn distance_to_triangle(p: DVec3, [a, b, c]: [DVec3; 3]) -> f64 {
    let to_edge = |a: DVec3, b: DVec3| {
        let t = ((p - a).dot(b - a) / (b - a).length_squared()).clamp(0.0, 1.0);
        p.distance(a + (b - a) * t)
    };
    let n = (b - a).cross(c - a).normalize();
    let foot = p - n * (p - a).dot(n);
    let inside =
        [(a, b), (b, c), (c, a)].iter().all(|&(a, b)| (b - a).cross(foot - a).dot(n) >= 0.0);
    let edges = to_edge(a, b).min(to_edge(b, c)).min(to_edge(c, a));
    if inside { edges.min(p.distance(foot)) } else { edges }
}

#[test]
fn sphere_ranges_and_rays_are_those_of_brute_force() {
    let bunny = bunny();
    let mesh = bunny.mesh();
    let triangle = |face: usize| {
        [0, 1, 2].map(|i| mesh.corner_position(mesh.face_corners(face).start + i).as_dvec3())
    };
    let mut state = 12_345_u32;
    let mut random = move || {
        // A linear congruential generator (Numerical Recipes) keeps the places the same each time.
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 24) as f32
    };
    let (min, max) = (bunny.measures().min, bunny.measures().max);
    for round in 0..60 {
        let at = min + (max - min) * Vec3::new(random(), random(), random());
        let radius = 0.05 + 2.0 * random();
        let brute: Vec<u32> = (0..mesh.face_count())
            .filter(|&f| distance_to_triangle(at.as_dvec3(), triangle(f)) <= radius.into())
            .map(|f| f as u32)
            .collect();
        let ours = bunny.bvh().faces_within(at, radius);
        assert!(
            ours.len().abs_diff(brute.len()) <= 1,
            "round {round}: {} and {}",
            ours.len(),
            brute.len()
        );

        // Möller and Trumbore (1997) over all triangles, in double precision.
        let direction = (Vec3::new(random(), random(), random()) - 0.5).normalize();
        let (origin, d) = (at.as_dvec3(), direction.as_dvec3());
        let nearest = (0..mesh.face_count())
            .filter_map(|f| {
                let [a, b, c] = triangle(f);
                let (e1, e2) = (b - a, c - a);
                let p = d.cross(e2);
                let det = e1.dot(p);
                let t = origin - a;
                let u = t.dot(p) / det;
                let q = t.cross(e1);
                let v = d.dot(q) / det;
                let distance = e2.dot(q) / det;
                (u >= 0.0 && v >= 0.0 && u + v <= 1.0 && distance > 1e-6).then_some(distance)
            })
            .fold(f64::INFINITY, f64::min);
        match bunny.bvh().cast(at, direction) {
            Some(hit) => assert!((f64::from(hit.distance) - nearest).abs() < 1e-3, "round {round}"),
            None => assert!(nearest.is_infinite(), "round {round}: {nearest}"),
        }
    }
}

/// Pearson's correlation.
fn correlation(a: &[f64], b: &[f64]) -> f64 {
    let mean = |v: &[f64]| v.iter().sum::<f64>() / v.len() as f64;
    let (ma, mb) = (mean(a), mean(b));
    let product = |x: &[f64], y: &[f64], mx: f64, my: f64| -> f64 {
        x.iter().zip(y).map(|(x, y)| (x - mx) * (y - my)).sum()
    };
    product(a, b, ma, mb) / (product(a, a, ma, ma) * product(b, b, mb, mb)).sqrt()
}

/// Against Embree through PyPI `open3d`, and PyPI `libigl`: `reference/bunny_bakes.py` made
/// `reference/bunny_bakes.json`.
#[test]
fn occlusion_curvature_and_trails_are_those_of_embree_and_libigl() {
    let reference: Value =
        serde_json::from_str(include_str!("../reference/bunny_bakes.json")).unwrap();
    let theirs = |key: &str| -> Vec<f64> {
        reference[key].as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
    };
    let every = reference["every"].as_u64().unwrap() as usize;
    let some = |values: &[f32]| -> Vec<f64> {
        values.iter().step_by(every).map(|&x| f64::from(x)).collect()
    };
    let body = Body {
        geometry: Arc::new(bunny()),
        placed: Placed::new(&speckle_mesh::Transform::IDENTITY),
    };
    let geometry = &body.geometry;

    let samples = Samples::of(geometry, Placement::Vertex);
    let few_of = |all: &[Vec3]| all.iter().copied().step_by(every).collect();
    let few = Samples::at(few_of(&samples.points), few_of(&samples.normals));
    let blockers = Blockers::new(&body, true, &[], None);
    let casting = Casting::plain(4096, blockers.hair(), 1);
    let open = openness(&few, &blockers, &casting, &Watch::default()).unwrap();
    let open: Vec<f64> = open.into_iter().map(f64::from).collect();
    let alike = correlation(&open, &theirs("openness"));
    assert!(alike > 0.995, "openness: {alike}");

    // By ranks (Spearman), since slivers make theirs shoot up. On this coarse mesh methods differ:
    // libigl's own two, by cotangents and by quadrics of radius 2, agree by 0.90.
    let ranks = |values: &[f64]| -> Vec<f64> {
        let mut order: Vec<usize> = (0..values.len()).collect();
        order.sort_by(|&a, &b| values[a].total_cmp(&values[b]));
        let mut ranks = vec![0.0; values.len()];
        order.iter().enumerate().for_each(|(rank, &i)| ranks[i] = rank as f64);
        ranks
    };
    let mean = some(&curvature::mean(geometry, 0.0, &Watch::default()).unwrap());
    let alike = correlation(&ranks(&mean), &ranks(&theirs("curvature")));
    assert!(alike > 0.87, "curvature: {alike}");

    let root = reference["root"].as_u64().unwrap() as u32;
    let start = trail::Start { seeds: vec![trail::Seed::at(root, 0.0)], is_about_a_point: true };
    let far = some(&trail::distances(geometry, &start, &Watch::default()).unwrap());
    for (ours, theirs) in far.iter().zip(theirs("geodesic")) {
        assert!((ours - theirs).abs() < 0.02 * theirs + 0.02, "{ours} where libigl has {theirs}");
    }
}
