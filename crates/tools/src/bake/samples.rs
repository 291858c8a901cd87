//! Where the surface is looked at for the elements of a placement.
//!
//! A vertex is looked at where it is, with its normal; a corner at its point drawn a quarter of the
//! way towards the middle of its face, with the face's normal; a face at several points that stand
//! for equal areas.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement, body::Placed, placement::point_of};

/// How many points of a face are looked at.
pub const PER_FACE: usize = 4;

/// Points with normals, `per_element` for each element in turn.
#[derive(Clone, Debug, PartialEq)]
pub struct Samples {
    /// Where.
    pub points: Vec<Vec3>,
    /// Which way the surface looks there, unit length; zero where it has no side.
    pub normals: Vec<Vec3>,
    /// How many samples an element has.
    pub per_element: usize,
}

impl Samples {
    /// Those of a placement, in the part's space.
    #[must_use]
    pub fn of(geometry: &Geometry, placement: Placement) -> Self {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let faces = geometry.face_normals();
        match placement {
            Placement::Vertex => Self {
                points: mesh.positions().to_vec(),
                normals: geometry.vertex_normals().to_vec(),
                per_element: 1,
            },
            Placement::Corner => {
                let corners = (0..mesh.corner_count()).into_par_iter();
                Self {
                    points: corners
                        .clone()
                        .map(|c| point_of(mesh, topology, placement, c))
                        .collect(),
                    normals: corners.map(|c| faces[topology.face_of(c)]).collect(),
                    per_element: 1,
                }
            }
            Placement::Face => {
                let points = (0..mesh.face_count())
                    .into_par_iter()
                    .flat_map_iter(|face| points_on(geometry, face))
                    .collect();
                let normals = faces.iter().flat_map(|&n| [n; PER_FACE]).collect();
                Self { points, normals, per_element: PER_FACE }
            }
        }
    }

    /// The same where the part stands.
    #[must_use]
    pub fn placed(mut self, placed: &Placed) -> Self {
        self.points.par_iter_mut().for_each(|p| *p = placed.to_project(*p));
        self.normals.par_iter_mut().for_each(|n| *n = placed.normal_to_project(*n));
        self
    }

    /// How many elements they are of.
    #[must_use]
    pub fn elements(&self) -> usize {
        self.points.len() / self.per_element
    }

    /// One number for each element: the mean of what is found at its samples.
    #[must_use]
    pub fn mean(&self, at: impl Fn(Vec3, Vec3) -> f32 + Sync) -> Vec<f32> {
        let k = self.per_element;
        let points = self.points.par_chunks(k).zip(self.normals.par_chunks(k));
        let mean = |(points, normals): (&[Vec3], &[Vec3])| {
            let sum: f32 = points.iter().zip(normals).map(|(&p, &n)| at(p, n)).sum();
            if k == 1 { sum } else { sum / k as f32 }
        };
        points.with_min_len(256).map(mean).collect()
    }

    /// The means of numbers found at each sample.
    #[must_use]
    pub fn gathered(&self, values: Vec<f32>) -> Vec<f32> {
        match self.per_element {
            1 => values,
            k => values.par_chunks(k).map(|v| v.iter().sum::<f32>() / k as f32).collect(),
        }
    }
}

/// Points of a face that stand for equal areas: places of equal shares along its triangles, spread
/// within each by the golden ratio.
fn points_on(geometry: &Geometry, face: usize) -> [Vec3; PER_FACE] {
    let mesh = geometry.mesh();
    let first = mesh.face_starts()[face] as usize - 2 * face;
    let count = mesh.face_corners(face).len() - 2;
    let triangles = &geometry.triangulation().corners()[first..first + count];
    let at = |[a, b, c]: [u32; 3]| [a, b, c].map(|corner| mesh.corner_position(corner as usize));
    let area = |t: [u32; 3]| {
        let [a, b, c] = at(t);
        (b - a).cross(c - a).length()
    };
    let whole: f32 = triangles.iter().map(|&t| area(t)).sum();
    std::array::from_fn(|i| {
        let share = (i as f32 + 0.5) / PER_FACE as f32;
        let mut left = share * whole;
        let mut on = triangles[0];
        let mut along = share;
        for &triangle in triangles {
            let own = area(triangle);
            on = triangle;
            if own > 0.0 {
                along = (left / own).clamp(0.0, 1.0);
                if left <= own {
                    break;
                }
            }
            left -= own;
        }
        let across = (i as f32 * 0.618_034 + 0.5).fract();
        let [a, b, c] = at(on);
        // Uniform on a triangle (Turk, Generating Random Points in Triangles, 1990).
        let root = along.sqrt();
        let Vec2 { x, y } = Vec2::new(root * (1.0 - across), root * across);
        a + (b - a) * x + (c - a) * y
    })
}
