//! Where the surface is looked at for the elements of a placement.
//!
//! A vertex is looked at where it is, with its normal; a corner at its point drawn a quarter of the
//! way towards the middle of its face, with the face's normal; a face at several points that stand
//! for equal areas.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_mesh::{
    Geometry, Placement,
    body::Placed,
    geometry::{normals, triangulate::first_triangle},
    placement::point_of,
};

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

    /// The same as rays start from them: those of vertices a little within their own faces where
    /// those do not go all around, so that none starts in the plane of a neighbour; and with the
    /// normal of one side where a sheet folds back on itself.
    #[must_use]
    pub fn for_rays(geometry: &Geometry, placement: Placement) -> Self {
        let mut samples = Self::of(geometry, placement);
        if placement != Placement::Vertex {
            return samples;
        }
        let most = geometry.measures().diagonal() * DRAWN_IN;
        // Asked for before work is shared out: see `Geometry`.
        let _ = (geometry.topology(), geometry.triangulation(), geometry.face_normals());
        let Self { points, normals, .. } = &mut samples;
        let starts = points.par_iter_mut().zip(normals.par_iter_mut()).enumerate();
        starts.with_min_len(256).for_each(|(vertex, (point, normal))| {
            *point += inward(geometry, vertex, most);
            if let Some(side) = normals::of_larger_side(geometry, vertex) {
                *normal = side;
            }
        });
        samples
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

/// How far samples of vertices are drawn into their faces at most, as a share of the part's diagonal:
/// many times what rays start off the surface, and nothing to be seen.
const DRAWN_IN: f32 = 1e-4;

/// The same as a share of the way to the middle of a triangle there.
const OF_WAY: f32 = 0.1;

/// From a vertex into one of its own triangles, where its faces do not go all around it: on the
/// surface itself, so that neither of its sides is left.
fn inward(geometry: &Geometry, vertex: usize, most: f32) -> Vec3 {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let vertex_of = |corner: usize| mesh.corner_vertices()[corner] as usize;
    let goes_on = |edge: usize| {
        topology.around(edge).filter(|&other| other != edge).any(|other| {
            let range = mesh.face_corners(topology.face_of(other));
            let end = if other + 1 == range.end { range.start } else { other + 1 };
            vertex_of(other) == vertex || vertex_of(end) == vertex
        })
    };
    let is_inner = topology.own_corners(mesh, vertex).all(|corner| {
        let range = mesh.face_corners(topology.face_of(corner));
        let previous = if corner == range.start { range.end - 1 } else { corner - 1 };
        // Each edge at the vertex is that of the corner itself or of the one before.
        goes_on(corner) && goes_on(previous)
    });
    if is_inner {
        return Vec3::ZERO;
    }
    let mut best = Vec3::ZERO;
    for corner in topology.own_corners(mesh, vertex) {
        let triangles = triangles_of(geometry, topology.face_of(corner)).iter();
        for triangle in triangles.filter(|triangle| triangle.contains(&(corner as u32))) {
            let [a, b, c] = triangle.map(|corner| mesh.corner_position(corner as usize));
            let to_middle = (a + b + c) / 3.0 - mesh.positions()[vertex];
            // The largest: its middle is the furthest off.
            if to_middle.length_squared() > best.length_squared() {
                best = to_middle;
            }
        }
    }
    let length = best.length();
    if length > 0.0 { best * (most / length).min(OF_WAY) } else { Vec3::ZERO }
}

/// The triangles that a face was cut into.
fn triangles_of(geometry: &Geometry, face: usize) -> &[[u32; 3]] {
    let mesh = geometry.mesh();
    let first = first_triangle(mesh, face);
    &geometry.triangulation().corners()[first..first + mesh.face_corners(face).len() - 2]
}

/// Points of a face that stand for equal areas: places of equal shares along its triangles, spread
/// within each by the golden ratio.
fn points_on(geometry: &Geometry, face: usize) -> [Vec3; PER_FACE] {
    let (mesh, triangles) = (geometry.mesh(), triangles_of(geometry, face));
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
