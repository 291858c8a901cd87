//! Where the surface is looked at for the elements of a placement.
//!
//! A vertex is looked at where it is, with its normal; a corner at its point, as all corners there
//! whose faces go on smoothly (a fan of them shares its samples); a face at its middle. Rays start a
//! little within the faces where those do not go all around, and from several points of a face that
//! stand for equal areas.

use glam::{Vec2, Vec3};
use rayon::prelude::*;
use speckle_mesh::{
    Geometry, Placement,
    body::Placed,
    geometry::{
        fans::{self, Fans},
        normals, shading,
        triangulate::first_triangle,
    },
};

use super::lattice::over_half_sphere;

/// From how many points of a face rays start.
pub const PER_FACE: usize = 4;

/// Points with normals.
#[derive(Clone, Debug, PartialEq)]
pub struct Samples {
    /// Where.
    pub points: Vec<Vec3>,
    /// Which way the surface looks there, unit length; zero where it has no side.
    pub normals: Vec<Vec3>,
    /// How many samples an element has.
    pub per_element: usize,
    /// Where several elements share theirs, which of them each one has.
    shared: Option<Vec<u32>>,
}

impl Samples {
    /// Those of a placement, in the part's space.
    #[must_use]
    pub fn of(geometry: &Geometry, placement: Placement) -> Self {
        let mesh = geometry.mesh();
        match placement {
            Placement::Vertex => {
                Self::at(mesh.positions().to_vec(), geometry.vertex_normals().to_vec())
            }
            Placement::Corner => Self::of_fans(geometry).0,
            Placement::Face => {
                let middles = (0..mesh.face_count()).into_par_iter().map(|f| mesh.face_centroid(f));
                Self::at(middles.collect(), geometry.face_normals().to_vec())
            }
        }
    }

    /// The same with the normals that light goes by: the mesh's own, where it has such.
    #[must_use]
    pub fn shaded(geometry: &Geometry, placement: Placement) -> Self {
        let samples = Self::of(geometry, placement);
        let Some(normals) = shading::own_at(geometry, placement) else { return samples };
        let mesh = geometry.mesh();
        let points = match placement {
            // Each its own, since each may look another way.
            Placement::Corner => {
                (0..mesh.corner_count()).map(|c| mesh.corner_position(c)).collect()
            }
            Placement::Vertex | Placement::Face => samples.points,
        };
        Self::at(points, normals)
    }

    /// One place for each of some elements.
    #[must_use]
    pub fn at(points: Vec<Vec3>, normals: Vec<Vec3>) -> Self {
        Self { points, normals, per_element: 1, shared: None }
    }

    fn of_fans(geometry: &Geometry) -> (Self, &Fans) {
        let fans = geometry.fans();
        let mesh = geometry.mesh();
        let points = fans.firsts.par_iter().map(|&first| mesh.corner_position(first as usize));
        let normal = |fan| fans::normal_of(geometry, &fans.corners(geometry, fan));
        let normals = (0..fans.count()).into_par_iter().map(normal);
        let samples = Self {
            points: points.collect(),
            normals: normals.collect(),
            per_element: 1,
            shared: Some(fans.of_corners.clone()),
        };
        (samples, fans)
    }

    /// The same where the part stands.
    #[must_use]
    pub fn placed(mut self, placed: &Placed) -> Self {
        self.points.par_iter_mut().for_each(|p| *p = placed.to_project(*p));
        self.normals.par_iter_mut().for_each(|n| *n = placed.normal_to_project(*n));
        self
    }

    /// Where rays start: at vertices and corners a little within their own faces where those do not
    /// go all around, so that none starts in the plane of a neighbour; and with the normal of one
    /// side where a sheet folds back on itself: the one from which more leads away from the part. Of a fin
    /// that decimation left, the other one looks into the solid.
    #[must_use]
    pub fn for_rays(geometry: &Geometry, placement: Placement) -> Self {
        let mesh = geometry.mesh();
        let most = geometry.measures().diagonal() * DRAWN_IN;
        // Asked for before work is shared out: see `Geometry`.
        let topology = geometry.topology();
        let _ = (geometry.triangulation(), geometry.face_normals());
        match placement {
            Placement::Vertex => {
                let mut samples = Self::of(geometry, placement);
                let Self { points, normals, .. } = &mut samples;
                let starts = points.par_iter_mut().enumerate();
                starts.with_min_len(256).for_each(|(vertex, point)| {
                    let own: Vec<u32> =
                        topology.own_corners(mesh, vertex).map(|corner| corner as u32).collect();
                    *point += inward(geometry, &own, most);
                });
                let folds = (0..mesh.vertex_count()).into_par_iter().with_min_len(256);
                let folds: Vec<(usize, [Vec3; 2])> =
                    folds.filter_map(|v| Some((v, normals::sides_of_fold(geometry, v)?))).collect();
                if !folds.is_empty() {
                    let _ = geometry.bvh();
                    let open =
                        |&(v, sides): &(usize, _)| more_open(geometry, points[v], sides, most);
                    let open: Vec<Vec3> = folds.par_iter().map(open).collect();
                    folds.iter().zip(open).for_each(|((v, _), side)| normals[*v] = side);
                }
                samples
            }
            Placement::Corner => {
                let (mut samples, fans) = Self::of_fans(geometry);
                let points = samples.points.par_iter_mut().enumerate().with_min_len(256);
                points.for_each(|(fan, point)| {
                    *point += inward(geometry, &fans.corners(geometry, fan), most);
                });
                samples
            }
            Placement::Face => {
                let faces = (0..mesh.face_count()).into_par_iter();
                let points = faces.flat_map_iter(|face| points_on(geometry, face)).collect();
                let normals = geometry.face_normals().iter().flat_map(|&n| [n; PER_FACE]);
                Self { points, normals: normals.collect(), per_element: PER_FACE, shared: None }
            }
        }
    }

    /// How many elements they are of.
    #[must_use]
    pub fn elements(&self) -> usize {
        self.shared.as_ref().map_or(self.points.len() / self.per_element, Vec::len)
    }

    /// The points of an element.
    #[must_use]
    pub fn points_of(&self, element: usize) -> &[Vec3] {
        let (own, k) =
            (self.shared.as_ref().map_or(element, |s| s[element] as usize), self.per_element);
        &self.points[own * k..(own + 1) * k]
    }

    /// What is found at the points and normals of each element.
    #[must_use]
    pub fn each<T: Copy + Send + Sync>(&self, at: impl Fn(&[Vec3], &[Vec3]) -> T + Sync) -> Vec<T> {
        let k = self.per_element;
        let samples = self.points.par_chunks(k).zip(self.normals.par_chunks(k));
        self.spread(
            samples.with_min_len(256).map(|(points, normals)| at(points, normals)).collect(),
        )
    }

    /// One number for each element: the mean of what is found at its samples.
    #[must_use]
    pub fn mean(&self, at: impl Fn(Vec3, Vec3) -> f32 + Sync) -> Vec<f32> {
        self.each(|points, normals| {
            let sum: f32 = points.iter().zip(normals).map(|(&p, &n)| at(p, n)).sum();
            if points.len() == 1 { sum } else { sum / points.len() as f32 }
        })
    }

    /// The means of numbers found at each sample, for each element.
    #[must_use]
    pub fn gathered(&self, values: Vec<f32>) -> Vec<f32> {
        self.spread(match self.per_element {
            1 => values,
            k => values.par_chunks(k).map(|v| v.iter().sum::<f32>() / k as f32).collect(),
        })
    }

    /// The samples of elements that count, ascending.
    #[must_use]
    pub fn of_those(&self, counts: impl Fn(usize) -> bool) -> Vec<u32> {
        let Some(shared) = &self.shared else {
            let all = 0..self.points.len() as u32;
            return all.filter(|&sample| counts(sample as usize / self.per_element)).collect();
        };
        let mut is_asked = vec![false; self.points.len()];
        let asked = shared.iter().enumerate().filter(|(element, _)| counts(*element));
        asked.for_each(|(_, &own)| is_asked[own as usize] = true);
        (0..self.points.len() as u32).filter(|&sample| is_asked[sample as usize]).collect()
    }

    /// The sums of what is found at each sample, for each element.
    #[must_use]
    pub fn sums(&self, found: Vec<Vec3>) -> Vec<Vec3> {
        self.spread(match self.per_element {
            1 => found,
            k => found.par_chunks(k).map(|v| v.iter().sum()).collect(),
        })
    }

    /// What was found once for all that share it, for each of them.
    fn spread<T: Copy + Send + Sync>(&self, found: Vec<T>) -> Vec<T> {
        match &self.shared {
            None => found,
            Some(shared) => shared.par_iter().map(|&own| found[own as usize]).collect(),
        }
    }
}

/// How far samples of vertices are drawn into their faces at most, as a share of the part's diagonal:
/// many times what rays start off the surface, and nothing to be seen.
const DRAWN_IN: f32 = 1e-4;

/// The same as a share of the way to the middle of a triangle there.
const OF_WAY: f32 = 0.1;

/// From a point into one of the triangles of its corners, where their faces do not go all around it:
/// on the surface itself, so that neither of its sides is left.
fn inward(geometry: &Geometry, corners: &[u32], most: f32) -> Vec3 {
    if fans::goes_around(geometry, corners) {
        return Vec3::ZERO;
    }
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut best = Vec3::ZERO;
    for corner in corners {
        let triangles = triangles_of(geometry, topology.face_of(*corner as usize)).iter();
        for triangle in triangles.filter(|triangle| triangle.contains(corner)) {
            let [a, b, c] = triangle.map(|corner| mesh.corner_position(corner as usize));
            let to_middle = (a + b + c) / 3.0 - mesh.corner_position(*corner as usize);
            // The largest: its middle is the furthest off.
            if to_middle.length_squared() > best.length_squared() {
                best = to_middle;
            }
        }
    }
    let length = best.length();
    if length > 0.0 { best * (most / length).min(OF_WAY) } else { Vec3::ZERO }
}

/// Of two sides of a sheet the one from which, a little off it, clearly more leads away from the part, else
/// the first.
fn more_open(geometry: &Geometry, point: Vec3, sides: [Vec3; 2], off: f32) -> Vec3 {
    let [first, second] = sides.map(|side| {
        let leads_away = |way: &Vec3| geometry.bvh().cast(point + side * off, *way).is_none();
        over_half_sphere(side, RAYS_OF_A_SIDE).filter(leads_away).count()
    });
    if second > first + RAYS_OF_A_SIDE / 16 { sides[1] } else { sides[0] }
}

/// How many rays tell which of two sides is the outer one.
const RAYS_OF_A_SIDE: usize = 32;

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
