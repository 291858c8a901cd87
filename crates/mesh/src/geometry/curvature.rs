//! How much a surface bends at each of its points.

use glam::Vec3;
use rayon::prelude::*;

use super::{
    normals,
    topology::Topology,
    triangulate::{Triangulation, first_triangle},
};
use crate::mesh::Mesh;

/// Mean curvature at every vertex, per unit of length: positive where the surface stands out, 1/R on
/// a sphere. Half the divergence of the normals, as they vary linearly over each triangle, averaged
/// over the triangles around; 0 where there are none with an area. However a file split its vertices, the surface
/// bends the same.
pub(super) fn means(
    mesh: &Mesh,
    topology: &Topology,
    triangulation: &Triangulation,
    face_normals: &[Vec3],
) -> Vec<f32> {
    let normals = normals::of_points(mesh, topology, face_normals);
    let positions = mesh.positions();
    let triangles = triangulation.corners();
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
    vertices().map(|v| of_points[topology.point_of(v)]).collect()
}
