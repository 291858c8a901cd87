//! Bounds, area, volume and edge lengths.

use glam::{DVec3, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::triangulate::Triangulation;
use crate::mesh::Mesh;

/// How many triangles or corners one core takes in a row.
const RUN: usize = 16_384;

/// Sizes of a mesh, in its own units.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Measures {
    /// Least coordinates of the vertices that faces use.
    pub min: Vec3,
    /// Greatest coordinates of the vertices that faces use.
    pub max: Vec3,
    /// Sum of the triangles' areas.
    pub area: f64,
    /// Enclosed volume by the divergence theorem; negative when the faces are turned inside out,
    /// and without meaning when the surface is open.
    pub volume: f64,
    /// Median length of the faces' edges.
    pub median_edge: f32,
}

impl Measures {
    /// Measures a mesh.
    #[must_use]
    pub fn new(mesh: &Mesh, triangulation: &Triangulation) -> Self {
        let around = |[min, max]: [Vec3; 2], v: &u32| {
            let at = mesh.positions()[*v as usize];
            [min.min(at), max.max(at)]
        };
        let none = || [Vec3::INFINITY, Vec3::NEG_INFINITY];
        let both = |a: [Vec3; 2], b: [Vec3; 2]| [a[0].min(b[0]), a[1].max(b[1])];
        let runs = mesh.corner_vertices().par_chunks(RUN);
        let [min, max] = runs.map(|run| run.iter().fold(none(), around)).reduce(none, both);
        // Volume is taken about the middle, where the least is lost to cancellation.
        let middle = (min.as_dvec3() + max.as_dvec3()) / 2.0;
        let at = |corner: u32| mesh.corner_position(corner as usize).as_dvec3() - middle;
        let of_run = |run: &[[u32; 3]]| {
            run.iter().fold([0.0; 2], |[area, volume], t| {
                let [a, b, c]: [DVec3; 3] = t.map(at);
                let cross = (b - a).cross(c - a);
                [area + cross.length() / 2.0, volume + a.dot(cross) / 6.0]
            })
        };
        // Of runs one after another, so that sums are the same on any number of cores.
        let of_runs: Vec<[f64; 2]> = triangulation.corners().par_chunks(RUN).map(of_run).collect();
        let [area, volume] =
            of_runs.into_iter().fold([0.0; 2], |sum, run| [sum[0] + run[0], sum[1] + run[1]]);
        Self { min, max, area, volume, median_edge: median_edge(mesh) }
    }

    /// Length of the diagonal of the bounds.
    #[must_use]
    pub fn diagonal(&self) -> f32 {
        self.min.distance(self.max)
    }

    /// The middle of the bounds.
    #[must_use]
    pub fn center(&self) -> Vec3 {
        (self.min + self.max) / 2.0
    }

    /// A brush radius to begin with: a twenty-fifth of the part, yet wide enough to hold a few
    /// vertices, and never wider than an eighth of the part.
    #[must_use]
    pub fn starting_radius(&self) -> f32 {
        let size = self.diagonal();
        (size / 25.0).max(3.0 * self.median_edge).min(size / 8.0)
    }
}

fn median_edge(mesh: &Mesh) -> f32 {
    // A sample of some ten thousand faces tells the median well enough on any mesh.
    let step = (mesh.face_count() / 10_000).max(1);
    let mut lengths: Vec<f32> = (0..mesh.face_count())
        .step_by(step)
        .flat_map(|face| {
            let corners = mesh.face_corners(face);
            let (start, n) = (corners.start, corners.len());
            (0..n).map(move |i| {
                mesh.corner_position(start + i).distance(mesh.corner_position(start + (i + 1) % n))
            })
        })
        .collect();
    let middle = lengths.len() / 2;
    *lengths.select_nth_unstable_by(middle, f32::total_cmp).1
}
