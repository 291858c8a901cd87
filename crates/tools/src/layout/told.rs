//! What texture coordinates are good for: how finely maps show the surface, and whether faces share them.

use glam::Vec2;
use rayon::prelude::*;
use serde::Serialize;
use speckle_mesh::Geometry;
use speckle_model::Part;

use crate::{bake::pieces::Units, raster::samples};

/// What there is to say of a set of texture coordinates.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct UvTold {
    /// What it is called.
    pub name: String,
    /// How many islands there are.
    pub islands: usize,
    /// The share of the square that they cover.
    pub covered: f32,
    /// The share of what is covered that several faces share.
    pub shared: f32,
    /// Whether some of it lies beyond the square.
    pub beyond: bool,
    /// How many maps side by side lie along a unit of the project: in the mean over the surface, and
    /// below that on 5 and on 95 % of it. Times the pixels of a map's side, its texel density.
    pub density: [f32; 3],
}

/// Samples along each side of the square, to measure what is covered.
const SIDE: usize = 1024;

/// What there is to say of each set of a part's texture coordinates.
#[must_use]
pub fn told(part: &Part) -> Vec<UvTold> {
    let (geometry, mesh) = (&part.geometry, part.geometry.mesh());
    let to_project = part.traits.transform.to_project();
    let triangles = geometry.triangulation().corners();
    let of_set = |set: &speckle_mesh::mesh::UvSet| {
        let uv = |corner: u32| set.uvs[corner as usize];
        let mut counts = vec![0_u8; SIDE * SIDE];
        let mut is_met = vec![false; SIDE * SIDE];
        let mut densities: Vec<(f32, f32)> = triangles
            .par_iter()
            .map(|&corners| {
                let [a, b, c] = corners.map(|corner| {
                    to_project.transform_point3(mesh.corner_position(corner as usize))
                });
                let area = (b - a).cross(c - a).length();
                let [a, b, c] = corners.map(uv);
                ((b - a).perp_dot(c - a).abs() / area, area)
            })
            .filter(|(ratio, _)| ratio.is_finite())
            .map(|(ratio, area)| (ratio.sqrt(), area))
            .collect();
        for &corners in triangles {
            let at = corners.map(|corner| uv(corner) * SIDE as f32 - Vec2::splat(0.5));
            // Each by itself: what lies over others is counted as well.
            samples([SIDE; 2], at, |at, shares| {
                is_met[at] = true;
                // What lies on an edge is in both faces beside it.
                let is_inside = shares.iter().all(|&share| share > 1e-4);
                counts[at] = counts[at].saturating_add(u8::from(is_inside));
            });
        }
        let met = is_met.iter().filter(|&&is_met| is_met).count();
        let many = counts.iter().filter(|&&count| count > 1).count();
        let islands = Units::Islands(&set.uvs).of_faces(geometry);
        let islands = islands.iter().max().map_or(0, |&most| most as usize + 1);
        densities.par_sort_by(|a, b| a.0.total_cmp(&b.0));
        UvTold {
            name: set.name.clone(),
            islands,
            covered: met as f32 / counts.len() as f32,
            shared: many as f32 / met.max(1) as f32,
            beyond: set.uvs.iter().any(|uv| uv.min_element() < -1e-4 || uv.max_element() > 1.0001),
            density: summed(&densities),
        }
    };
    mesh.uv_sets().iter().map(of_set).collect()
}

/// The edges of the islands of a set of texture coordinates, from where to where: u, v, u, v. Of more
/// than `most` every so many are left out.
#[must_use]
pub fn outlines(geometry: &Geometry, uvs: &[Vec2], most: usize) -> Vec<[f32; 4]> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let next = |corner: usize| {
        let range = mesh.face_corners(topology.face_of(corner));
        if corner + 1 == range.end { range.start } else { corner + 1 }
    };
    let is_rim = |&corner: &usize| {
        let other = topology.across(corner);
        other == corner || uvs[corner] != uvs[next(other)] || uvs[next(corner)] != uvs[other]
    };
    let rims: Vec<usize> = (0..mesh.corner_count()).into_par_iter().filter(is_rim).collect();
    let every = rims.len().div_ceil(most.max(1)).max(1);
    let segment = |&corner: &usize| {
        let (from, to) = (uvs[corner], uvs[next(corner)]);
        [from.x, from.y, to.x, to.y]
    };
    rims.iter().step_by(every).map(segment).collect()
}

/// The mean by area, and what 5 and 95 % of the area lie below; of numbers that ascend.
fn summed(densities: &[(f32, f32)]) -> [f32; 3] {
    let whole: f64 = densities.iter().map(|(_, area)| f64::from(*area)).sum();
    let sum: f64 = densities.iter().map(|&(d, area)| f64::from(d) * f64::from(area)).sum();
    let below = |share: f64| {
        let mut so_far = 0.0;
        let found = densities.iter().find(|(_, area)| {
            so_far += f64::from(*area);
            so_far >= share * whole
        });
        found.map_or(0.0, |(density, _)| *density)
    };
    [(sum / whole.max(f64::MIN_POSITIVE)) as f32, below(0.05), below(0.95)]
}
