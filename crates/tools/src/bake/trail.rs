//! Distance along the surface from a root.
//!
//! A front marches over the triangles (Kimmel and Sethian, Computing Geodesic Paths on Manifolds,
//! 1998). From one point it goes out in circles, and each triangle is laid flat beside the place
//! where the front seems to come from; from a line or a region it goes on in parallel.

use std::{cmp::Reverse, collections::BinaryHeap};

use glam::Vec3;
use speckle_mesh::{Geometry, Mesh};
use speckle_model::recipe::source::Joined;

use super::watch::{GivenUp, Watch};

/// Where a front starts: vertices with the distance they begin with.
#[derive(Clone, Debug, PartialEq)]
pub struct Start {
    /// Vertices, and how far they are from the root.
    pub seeds: Vec<(u32, f32)>,
    /// Whether the root is one point.
    pub is_point: bool,
}

/// How a trail is laid.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Laying {
    /// The distance of 1; 0 for the furthest of each piece, with what is joined to it.
    pub reach: f32,
    /// What becomes of pieces that touch another.
    pub joined: Joined,
    /// How near is touching.
    pub touch: f32,
}

/// A float that can be put in order.
#[derive(Clone, Copy, PartialEq)]
struct Far(f32);

impl Eq for Far {}

impl PartialOrd for Far {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Far {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// Distances of all vertices from seeds, infinite where no surface leads. Vertices at one point
/// count as one.
///
/// # Errors
/// When it was given up.
pub fn distances(geometry: &Geometry, start: &Start, watch: &Watch) -> Result<Vec<f32>, GivenUp> {
    let mut front = Front::new(geometry);
    front.march(start, watch)?;
    Ok((0..geometry.mesh().vertex_count()).map(|vertex| front.distance(vertex)).collect())
}

/// A front that marches over a surface, as often as is wanted: it goes no further than its piece,
/// and remembers nothing of the last march.
struct Front<'a> {
    geometry: &'a Geometry,
    /// By points, each under its first vertex.
    far: Vec<f32>,
    is_fixed: Vec<bool>,
    /// The points that have a distance.
    met: Vec<u32>,
}

impl<'a> Front<'a> {
    fn new(geometry: &'a Geometry) -> Self {
        let count = geometry.mesh().vertex_count();
        let (far, is_fixed) = (vec![f32::INFINITY; count], vec![false; count]);
        Self { geometry, far, is_fixed, met: Vec::new() }
    }

    /// Of a vertex, after the last march; infinite where no surface led.
    fn distance(&self, vertex: usize) -> f32 {
        self.far[self.geometry.topology().point_of(vertex)]
    }

    fn march(&mut self, start: &Start, watch: &Watch) -> Result<(), GivenUp> {
        for point in self.met.drain(..).map(|point| point as usize) {
            (self.far[point], self.is_fixed[point]) = (f32::INFINITY, false);
        }
        let Self { geometry, far, is_fixed, met } = self;
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let triangulation = geometry.triangulation();
        let positions = mesh.positions();
        let mut open = BinaryHeap::new();
        for &(vertex, distance) in &start.seeds {
            let point = topology.point_of(vertex as usize);
            if distance < far[point] {
                if far[point] == f32::INFINITY {
                    met.push(point as u32);
                }
                far[point] = distance;
                open.push(Reverse((Far(distance), point as u32)));
            }
        }
        let is_root = |v: usize, far: &[f32]| far[v] == 0.0;
        let mut steps = 0_u32;
        while let Some(Reverse((_, vertex))) = open.pop() {
            let vertex = vertex as usize;
            if std::mem::replace(&mut is_fixed[vertex], true) {
                continue;
            }
            steps = steps.wrapping_add(1);
            if steps.is_multiple_of(4096) {
                watch.check()?;
            }
            for &corner in topology.corners_at(vertex) {
                let face = topology.face_of(corner as usize);
                let first = mesh.face_starts()[face] as usize - 2 * face;
                let count = mesh.face_corners(face).len() - 2;
                for triangle in &triangulation.corners()[first..first + count] {
                    let points = triangle
                        .map(|c| topology.point_of(mesh.corner_vertices()[c as usize] as usize));
                    let Some(at) = points.iter().position(|&p| p == vertex) else { continue };
                    let (b, c) = (points[(at + 1) % 3], points[(at + 2) % 3]);
                    for (other, free) in [(b, c), (c, b)] {
                        if is_fixed[free] {
                            continue;
                        }
                        let p = positions[free];
                        let (pa, pb) = (positions[vertex], positions[other]);
                        let mut found = far[vertex] + p.distance(pa);
                        if is_fixed[other] {
                            found = found.min(far[other] + p.distance(pb));
                            let both_roots = is_root(vertex, far) && is_root(other, far);
                            let front = if both_roots {
                                above_segment(p, pa, pb)
                            } else if start.is_point {
                                in_circles(p, pa, pb, far[vertex], far[other])
                            } else {
                                in_parallel(p, pa, pb, far[vertex], far[other])
                            };
                            found = found.min(front.unwrap_or(f32::INFINITY));
                        }
                        if found < far[free] {
                            if far[free] == f32::INFINITY {
                                met.push(free as u32);
                            }
                            far[free] = found;
                            open.push(Reverse((Far(found), free as u32)));
                        }
                    }
                }
            }
        }
        Ok(())
    }
}

fn above_segment(p: Vec3, a: Vec3, b: Vec3) -> Option<f32> {
    let along = b - a;
    let t = ((p - a).dot(along) / along.length_squared()).clamp(0.0, 1.0);
    t.is_finite().then(|| p.distance(a + along * t))
}

/// The triangle laid flat: the length of its side, and where its third point is above it.
fn flat(p: Vec3, a: Vec3, b: Vec3) -> Option<(f32, f32, f32)> {
    let side = a.distance(b);
    let along = (b - a).try_normalize()?;
    let x = (p - a).dot(along);
    let y = (p - a - along * x).length();
    Some((side, x, y))
}

/// From the place the front seems to come from, if the way from there goes through the side.
fn in_circles(p: Vec3, a: Vec3, b: Vec3, da: f32, db: f32) -> Option<f32> {
    let (side, x, y) = flat(p, a, b)?;
    let sx = (da * da - db * db + side * side) / (2.0 * side);
    let square = da * da - sx * sx;
    if square < 0.0 {
        return None;
    }
    let sy = -square.sqrt();
    let crossing = sx + (x - sx) * (-sy / (y - sy));
    let is_through = (0.0..=side).contains(&crossing);
    is_through.then(|| ((x - sx).powi(2) + (y - sy).powi(2)).sqrt())
}

/// A front that is straight, if it comes through the side.
fn in_parallel(p: Vec3, a: Vec3, b: Vec3, da: f32, db: f32) -> Option<f32> {
    let (side, x, y) = flat(p, a, b)?;
    // How fast the distance grows along the side, and so straight up from it.
    let along = (db - da) / side;
    let up = (1.0 - along * along).max(0.0).sqrt();
    if up <= 0.0 {
        return None;
    }
    let crossing = x - y * along / up;
    (0.0..=side).contains(&crossing).then_some(da + along * x + up * y)
}

/// The trail at every vertex, 0–1.
///
/// # Errors
/// When it was given up.
pub fn trail(
    geometry: &Geometry,
    start: &Start,
    laying: Laying,
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let mut far = distances(geometry, start, watch)?;
    let pieces = topology.piece_count();
    // Of each vertex, its piece; of loose ones, none.
    let mut piece_of = vec![u32::MAX; mesh.vertex_count()];
    for face in 0..mesh.face_count() {
        for &v in mesh.face_vertices(face) {
            piece_of[v as usize] = topology.piece_of(face) as u32;
        }
    }
    let mut vertices_of: Vec<Vec<u32>> = vec![Vec::new(); pieces];
    for (v, &piece) in piece_of.iter().enumerate() {
        if piece != u32::MAX {
            vertices_of[piece as usize].push(v as u32);
        }
    }
    // What each piece shares its reach with.
    let mut group: Vec<usize> = (0..pieces).collect();
    let mut is_reached: Vec<bool> =
        vertices_of.iter().map(|own| own.iter().any(|&v| far[v as usize].is_finite())).collect();
    if laying.joined != Joined::Apart {
        let bvh = geometry.bvh();
        let mut front = Front::new(geometry);
        let boxes: Vec<[Vec3; 2]> = vertices_of.iter().map(|own| bounds(mesh, own)).collect();
        let touch = Vec3::splat(laying.touch);
        // Wave by wave: what touches what is reached is reached next.
        let mut newest: Vec<usize> = (0..pieces).filter(|&piece| is_reached[piece]).collect();
        loop {
            watch.check()?;
            let mut wave = Vec::new();
            let may_touch = |&piece: &usize| {
                let [low, high] = [boxes[piece][0] - touch, boxes[piece][1] + touch];
                newest.iter().any(|&other| {
                    low.cmple(boxes[other][1]).all() && high.cmpge(boxes[other][0]).all()
                })
            };
            for piece in (0..pieces).filter(|&piece| !is_reached[piece]).filter(may_touch) {
                let mut seeds = Vec::new();
                for &v in &vertices_of[piece] {
                    let point = mesh.positions()[v as usize];
                    let near = bvh.nearest(point, laying.touch, |face| {
                        is_reached[topology.piece_of(face as usize)]
                    });
                    if let Some((face, at, distance)) = near {
                        let value = within_face(geometry, face as usize, at, &far);
                        seeds.push((v, value, distance, topology.piece_of(face as usize)));
                    }
                }
                if !seeds.is_empty() {
                    wave.push((piece, seeds));
                }
            }
            if wave.is_empty() {
                break;
            }
            newest = wave.iter().map(|(piece, _)| *piece).collect();
            for (piece, seeds) in wave {
                is_reached[piece] = true;
                let nearest = seeds
                    .iter()
                    .min_by(|a, b| a.2.total_cmp(&b.2))
                    .copied()
                    .unwrap_or((0, 0.0, 0.0, 0));
                group[piece] = group[nearest.3];
                match laying.joined {
                    Joined::Holds => {
                        for &v in &vertices_of[piece] {
                            far[v as usize] = nearest.1;
                        }
                    }
                    _ => {
                        let seeds =
                            seeds.iter().map(|&(v, value, distance, _)| (v, value + distance));
                        let start = Start { seeds: seeds.collect(), is_point: false };
                        front.march(&start, watch)?;
                        for &v in &vertices_of[piece] {
                            far[v as usize] = front.distance(v as usize);
                        }
                    }
                }
            }
        }
    }
    let mut reach = vec![laying.reach; pieces];
    if laying.reach <= 0.0 {
        reach.fill(0.0);
        for (piece, own) in vertices_of.iter().enumerate() {
            let finite = own.iter().map(|&v| far[v as usize]).filter(|far| far.is_finite());
            let most = finite.fold(0.0, f32::max);
            reach[group[piece]] = reach[group[piece]].max(most);
        }
    }
    let value = |(&far, &piece): (&f32, &u32)| {
        if piece == u32::MAX || !far.is_finite() {
            return 0.0;
        }
        let reach = reach[group[piece as usize]];
        if reach > 0.0 { (far / reach).clamp(0.0, 1.0) } else { 0.0 }
    };
    Ok(far.iter().zip(&piece_of).map(value).collect())
}

fn bounds(mesh: &Mesh, vertices: &[u32]) -> [Vec3; 2] {
    let points = vertices.iter().map(|&v| mesh.positions()[v as usize]);
    points.fold([Vec3::INFINITY, Vec3::NEG_INFINITY], |[low, high], p| [low.min(p), high.max(p)])
}

/// A vertex value at a point of a face: by how near its corners are.
fn within_face(geometry: &Geometry, face: usize, at: Vec3, values: &[f32]) -> f32 {
    let mesh = geometry.mesh();
    let (mut sum, mut weights) = (0.0, 0.0);
    for &v in mesh.face_vertices(face) {
        let weight = 1.0 / (mesh.positions()[v as usize].distance_squared(at) + 1e-12);
        if values[v as usize].is_finite() {
            sum += weight * values[v as usize];
            weights += weight;
        }
    }
    if weights > 0.0 { sum / weights } else { 0.0 }
}
