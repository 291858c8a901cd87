//! How the surface bends: hollows, ridges, edges.

use glam::Vec3;
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_mesh::{
    Geometry,
    geometry::{bvh::Bvh, normals, triangulate::first_triangle},
};
use speckle_model::recipe::source::Bends;

use super::{
    diffusion::Diffusion,
    watch::{GivenUp, Watch},
};

/// Mean curvature at every vertex, per unit of length: positive where the surface stands out, 1/R on
/// a sphere. Half the divergence of the normals, as they vary linearly over each triangle, averaged
/// over the triangles around; and over a surrounding of a radius, if one is given, as heat spreads.
///
/// By Gauss's theorem the mean of a divergence over a patch is what flows through its rim, so the
/// mean is the curvature at that scale: 1/R on a sphere. Normals turn over an edge that bends by an
/// angle φ from one side's to the other's, 2 sin φ/2 apart; spread by heat of four steps, half of that
/// comes to 5/16 √8 sin φ/2 = 0.88 sin φ/2 ÷ radius on the edge itself, however fine the mesh is.
///
/// # Errors
/// When it was given up.
pub fn mean(geometry: &Geometry, radius: f32, watch: &Watch) -> Result<Vec<f32>, GivenUp> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    // However a file split its vertices, the surface bends the same.
    let normals = normals::of_points(mesh, topology, geometry.face_normals());
    let positions = mesh.positions();
    let triangles = geometry.triangulation().corners();
    // Of each triangle, twice the integral of the mean curvature, and twice the area.
    let integrals: Vec<[f32; 2]> = triangles
        .par_iter()
        .with_min_len(4096)
        .map(|t| {
            let [a, b, c] = t.map(|c| mesh.corner_vertices()[c as usize] as usize);
            let (pa, pb, pc) = (positions[a], positions[b], positions[c]);
            let across = (pb - pa).cross(pc - pa);
            let double = across.length();
            let Some(up) = across.try_normalize() else { return [0.0; 2] };
            // The gradient of what is 1 at a corner and 0 at the others, times the double area.
            let gradient = |from: Vec3, to: Vec3| up.cross(to - from);
            let divergence = normals[a].dot(gradient(pb, pc))
                + normals[b].dot(gradient(pc, pa))
                + normals[c].dot(gradient(pa, pb));
            [divergence / 2.0, double]
        })
        .collect();
    // Each point takes what the triangles around it have, in their order.
    let of_point = |vertex: usize| {
        let mut sum = [0.0_f32; 2];
        let corners = match topology.point_of(vertex) == vertex {
            true => topology.corners_at(vertex),
            false => &[],
        };
        for &corner in corners {
            let face = topology.face_of(corner as usize);
            let first = first_triangle(mesh, face);
            let own = first..first + mesh.face_corners(face).len() - 2;
            for (t, [integral, area]) in triangles[own.clone()].iter().zip(&integrals[own]) {
                if t.contains(&corner) {
                    sum[0] += integral;
                    sum[1] += area;
                }
            }
        }
        let mean = sum[0] / sum[1];
        if mean.is_finite() { mean } else { 0.0 }
    };
    let vertices = || (0..positions.len()).into_par_iter().with_min_len(1024);
    let of_points: Vec<f32> = vertices().map(of_point).collect();
    let mut curvature: Vec<f32> = vertices().map(|v| of_points[topology.point_of(v)]).collect();
    if radius > 0.0 {
        watch.check()?;
        Diffusion::new(geometry, watch)?.about(&mut curvature, radius, watch)?;
    }
    Ok(curvature)
}

/// The mean curvature times the scale, at several scales, each with its weight: the weighted mean at
/// every vertex. A scale of 0 is the finest the mesh shows.
///
/// # Errors
/// When it was given up.
pub fn at_scales(
    geometry: &Geometry,
    scales: &[(f32, f32)],
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let finest = mean(geometry, 0.0, watch)?;
    let is_spread = scales.iter().any(|(scale, _)| *scale > 0.0);
    let diffusion = is_spread.then(|| Diffusion::new(geometry, watch)).transpose()?;
    let whole: f32 = scales.iter().map(|(_, weight)| weight).sum();
    let mut sum = vec![0.0; finest.len()];
    for &(scale, weight) in scales {
        let mut values = finest.clone();
        if let Some(diffusion) = diffusion.as_ref().filter(|_| scale > 0.0) {
            diffusion.about(&mut values, scale, watch)?;
        }
        let length = if scale > 0.0 { scale } else { geometry.measures().median_edge };
        let share = if whole > 0.0 { weight / whole } else { 0.0 };
        sum.par_iter_mut().zip(&values).for_each(|(sum, value)| *sum += share * length * value);
    }
    Ok(sum)
}

/// The segments at which the surface bends by an angle (degrees) or more.
#[must_use]
pub fn edges(geometry: &Geometry, angle: f32, bends: Bends) -> Bvh {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = geometry.face_normals();
    let limit = angle.to_radians().cos() + 1e-6;
    let mut segments = Vec::new();
    let bends_at = |[a, b]: [usize; 2]| {
        let (f, g) = (topology.face_of(a), topology.face_of(b));
        let has_sides = normals[f] != Vec3::ZERO && normals[g] != Vec3::ZERO;
        if !has_sides || normals[f].dot(normals[g]) > limit {
            return false;
        }
        // Out when the middle of the one face lies behind the other.
        let is_out = normals[f].dot(mesh.face_centroid(g) - mesh.corner_position(a)) <= 0.0;
        matches!((bends, is_out), (Bends::Both, _) | (Bends::Out, true) | (Bends::In, false))
    };
    for a in topology.edges() {
        let around: SmallVec<[usize; 4]> = topology.around(a).collect();
        if !going_on(geometry, &around).into_iter().any(bends_at) {
            continue;
        }
        let corners = mesh.face_corners(topology.face_of(a));
        let next = if a + 1 < corners.end { a + 1 } else { corners.start };
        segments.push([mesh.corner_position(a), mesh.corner_position(next)]);
    }
    Bvh::over_segments(&segments)
}

/// Which faces around an edge go on into which, each by the corner the edge begins at: those that
/// share its vertices before others, and that bend less before those that bend more. One that is left
/// over where three sheets meet is held against the one it bends from least.
fn going_on(geometry: &Geometry, around: &[usize]) -> SmallVec<[[usize; 2]; 4]> {
    match *around {
        [a, b] => return SmallVec::from_slice(&[[a, b]]),
        [_] => return SmallVec::new(),
        _ => {}
    }
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = geometry.face_normals();
    let ends = |corner: usize| {
        let range = mesh.face_corners(topology.face_of(corner));
        let next = if corner + 1 == range.end { range.start } else { corner + 1 };
        let mut ends = [corner, next].map(|c| mesh.corner_vertices()[c]);
        ends.sort_unstable();
        ends
    };
    let mut pairs: SmallVec<[(bool, f32, [usize; 2]); 8]> = SmallVec::new();
    for (i, &a) in around.iter().enumerate() {
        for &b in &around[i + 1..] {
            let flat = normals[topology.face_of(a)].dot(normals[topology.face_of(b)]);
            pairs.push((ends(a) != ends(b), -flat, [a, b]));
        }
    }
    pairs.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut taken: SmallVec<[usize; 8]> = SmallVec::new();
    let mut found = SmallVec::new();
    for &(_, _, pair) in &pairs {
        if !pair.iter().any(|corner| taken.contains(corner)) {
            taken.extend(pair);
            found.push(pair);
        }
    }
    for &(_, _, pair) in &pairs {
        if pair.iter().any(|corner| !taken.contains(corner)) {
            taken.extend(pair);
            found.push(pair);
        }
    }
    found
}

/// The segments where the surface ends.
#[must_use]
pub fn open_edges(geometry: &Geometry) -> Vec<[usize; 2]> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let is_end = |&corner: &usize| topology.across(corner) == corner;
    let ends = (0..mesh.corner_count()).filter(is_end).map(|corner| {
        let corners = mesh.face_corners(topology.face_of(corner));
        let next = if corner + 1 < corners.end { corner + 1 } else { corners.start };
        [corner, next].map(|c| mesh.corner_vertices()[c] as usize)
    });
    ends.collect()
}
