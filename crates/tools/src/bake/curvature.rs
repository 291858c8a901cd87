//! How the surface bends: hollows, ridges, edges.

use glam::Vec3;
use rayon::prelude::*;
use speckle_mesh::{
    Geometry,
    geometry::{bvh::Bvh, normals},
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
/// mean is the curvature at that scale.
///
/// # Errors
/// When it was given up.
pub fn mean(geometry: &Geometry, radius: f32, watch: &Watch) -> Result<Vec<f32>, GivenUp> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    // However a file split its vertices, the surface bends the same.
    let normals = normals::of_points(mesh, topology, geometry.face_normals());
    let positions = mesh.positions();
    let vertices = |t: &[u32; 3]| t.map(|c| mesh.corner_vertices()[c as usize] as usize);
    let triangles = geometry.triangulation().corners();
    // Of each triangle, twice the integral of the mean curvature, and twice the area.
    let integrals: Vec<[f32; 2]> = triangles
        .par_iter()
        .with_min_len(4096)
        .map(|t| {
            let [a, b, c] = vertices(t);
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
    let mut sums = vec![[0.0_f32; 2]; positions.len()];
    for (t, [integral, area]) in triangles.iter().zip(&integrals) {
        for v in vertices(t) {
            let sum = &mut sums[topology.point_of(v)];
            sum[0] += integral;
            sum[1] += area;
        }
    }
    let mut curvature: Vec<f32> = (0..positions.len())
        .into_par_iter()
        .map(|v| {
            let [integral, area] = sums[topology.point_of(v)];
            let mean = integral / area;
            if mean.is_finite() { mean } else { 0.0 }
        })
        .collect();
    if radius > 0.0 {
        // A disc of the radius and heat after this time spread alike: r²/4 on each axis, 2 t.
        watch.check()?;
        Diffusion::new(geometry, watch)?.spread(&mut curvature, radius * radius / 8.0, watch)?;
    }
    Ok(curvature)
}

/// The segments at which the surface bends by an angle (degrees) or more.
#[must_use]
pub fn edges(geometry: &Geometry, angle: f32, bends: Bends) -> Bvh {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = geometry.face_normals();
    let limit = angle.to_radians().cos() + 1e-6;
    let mut segments = Vec::new();
    for a in topology.edges() {
        let Some(b) = topology.only_other(a) else { continue };
        let (f, g) = (topology.face_of(a), topology.face_of(b));
        if normals[f].dot(normals[g]) > limit
            || normals[f] == Vec3::ZERO
            || normals[g] == Vec3::ZERO
        {
            continue;
        }
        // Out when the middle of the one face lies behind the other.
        let is_out = normals[f].dot(mesh.face_centroid(g) - mesh.corner_position(a)) <= 0.0;
        if !matches!((bends, is_out), (Bends::Both, _) | (Bends::Out, true) | (Bends::In, false)) {
            continue;
        }
        let corners = mesh.face_corners(f);
        let next = if a + 1 < corners.end { a + 1 } else { corners.start };
        segments.push([mesh.corner_position(a), mesh.corner_position(next)]);
    }
    Bvh::over_segments(&segments)
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
