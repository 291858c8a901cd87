//! Distance along the surface from a root, over pieces that may touch.

mod front;
pub mod seams;
mod unfolding;

use glam::Vec3;
use speckle_mesh::{Geometry, Mesh};
use speckle_model::recipe::source::Joined;

use super::watch::{GivenUp, Watch};
use front::Front;
pub use front::{Seed, Start};
pub(super) use unfolding::Nodes;

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

/// Distances of all vertices from seeds, infinite where no surface leads. Vertices at one point of
/// one piece count as one.
///
/// # Errors
/// When it was given up.
pub fn distances(geometry: &Geometry, start: &Start, watch: &Watch) -> Result<Vec<f32>, GivenUp> {
    let mut front = Front::new(geometry);
    front.march(start, watch)?;
    Ok((0..geometry.mesh().vertex_count()).map(|vertex| front.distance(vertex)).collect())
}

/// The same no further than a distance: infinite beyond it.
///
/// # Errors
/// When it was given up.
pub fn distances_within(
    geometry: &Geometry,
    start: &Start,
    within: f32,
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let mut front = Front::new(geometry);
    front.within = within;
    front.march(start, watch)?;
    let vertices = 0..geometry.mesh().vertex_count();
    let far = vertices.map(|vertex| front.distance(vertex));
    Ok(far.map(|far| if far <= within { far } else { f32::INFINITY }).collect())
}

/// Distances of all vertices as [`distances`] tells them, each with what the nearest seed told.
///
/// # Errors
/// When it was given up.
pub fn told(
    geometry: &Geometry,
    start: &Start,
    watch: &Watch,
) -> Result<(Vec<f32>, Vec<f32>), GivenUp> {
    let mut front = Front::new(geometry);
    front.march(start, watch)?;
    Ok((0..geometry.mesh().vertex_count()).map(|vertex| front.told(vertex)).unzip())
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
    let mut front = Front::new(geometry);
    front.march(start, watch)?;
    let mut laid = Laid::new(geometry, &front);
    if laying.joined != Joined::Apart {
        laid.go_on(&mut front, laying, watch)?;
    }
    Ok(laid.shares(laying.reach))
}

/// A trail on its way over the pieces of a mesh.
struct Laid<'a> {
    geometry: &'a Geometry,
    /// Of each vertex.
    far: Vec<f32>,
    /// Of each vertex, its piece; of loose ones, none.
    piece_of: Vec<Option<u32>>,
    vertices_of: Vec<Vec<u32>>,
    is_reached: Vec<bool>,
    /// The piece that each shares its reach with.
    shares_with: Vec<usize>,
}

/// Where a trail comes into a piece from one it touches.
struct Entry {
    vertex: u32,
    /// How far along the trail is on the other piece there.
    value: f32,
    /// How far it is from there.
    gap: f32,
    from: usize,
}

impl<'a> Laid<'a> {
    fn new(geometry: &'a Geometry, front: &Front) -> Self {
        let (mesh, pieces) = (geometry.mesh(), geometry.pieces());
        let far: Vec<f32> = (0..mesh.vertex_count()).map(|v| front.distance(v)).collect();
        let mut piece_of = vec![None; mesh.vertex_count()];
        for face in 0..mesh.face_count() {
            for &v in mesh.face_vertices(face) {
                piece_of[v as usize] = Some(pieces.of(face) as u32);
            }
        }
        let mut vertices_of: Vec<Vec<u32>> = vec![Vec::new(); pieces.count()];
        for (v, piece) in piece_of.iter().enumerate() {
            if let Some(piece) = piece {
                vertices_of[*piece as usize].push(v as u32);
            }
        }
        let is_reached = |own: &Vec<u32>| own.iter().any(|&v| far[v as usize].is_finite());
        let is_reached = vertices_of.iter().map(is_reached).collect();
        let shares_with = (0..pieces.count()).collect();
        Self { geometry, far, piece_of, vertices_of, is_reached, shares_with }
    }

    /// Wave by wave: what touches what is reached is reached next.
    fn go_on(&mut self, front: &mut Front, laying: Laying, watch: &Watch) -> Result<(), GivenUp> {
        let mesh = self.geometry.mesh();
        let boxes: Vec<[Vec3; 2]> = self.vertices_of.iter().map(|own| bounds(mesh, own)).collect();
        let pieces = boxes.len();
        let mut newest: Vec<usize> = (0..pieces).filter(|&piece| self.is_reached[piece]).collect();
        while !newest.is_empty() {
            watch.check()?;
            let may_touch = |piece: usize| {
                let touch = Vec3::splat(laying.touch);
                let [low, high] = [boxes[piece][0] - touch, boxes[piece][1] + touch];
                newest.iter().any(|&other| {
                    low.cmple(boxes[other][1]).all() && high.cmpge(boxes[other][0]).all()
                })
            };
            let wave: Vec<(usize, Vec<Entry>)> = (0..pieces)
                .filter(|&piece| !self.is_reached[piece] && may_touch(piece))
                .map(|piece| (piece, self.entries(piece, laying.touch)))
                .filter(|(_, entries)| !entries.is_empty())
                .collect();
            newest = wave.iter().map(|(piece, _)| *piece).collect();
            for (piece, entries) in wave {
                self.enter(piece, &entries, laying.joined, front, watch)?;
            }
        }
        Ok(())
    }

    /// Where a piece touches others that are reached.
    fn entries(&self, piece: usize, touch: f32) -> Vec<Entry> {
        let (geometry, pieces) = (self.geometry, self.geometry.pieces());
        let entry = |&vertex: &u32| {
            let point = geometry.mesh().positions()[vertex as usize];
            let is_reached = |face: u32| self.is_reached[pieces.of(face as usize)];
            let (face, at, gap) = geometry.bvh().nearest(point, touch, is_reached)?;
            let value = within_face(geometry, face as usize, at, &self.far);
            Some(Entry { vertex, value, gap, from: pieces.of(face as usize) })
        };
        self.vertices_of[piece].iter().filter_map(entry).collect()
    }

    fn enter(
        &mut self,
        piece: usize,
        entries: &[Entry],
        joined: Joined,
        front: &mut Front,
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        self.is_reached[piece] = true;
        let Some(nearest) = entries.iter().min_by(|a, b| a.gap.total_cmp(&b.gap)) else {
            return Ok(());
        };
        self.shares_with[piece] = self.shares_with[nearest.from];
        if joined == Joined::Holds {
            self.vertices_of[piece].iter().for_each(|&v| self.far[v as usize] = nearest.value);
            return Ok(());
        }
        let seed = |entry: &Entry| Seed::at(entry.vertex, entry.value + entry.gap);
        let seeds = entries.iter().map(seed).collect();
        front.march(&Start { seeds, is_about_a_point: false }, watch)?;
        for &v in &self.vertices_of[piece] {
            self.far[v as usize] = front.distance(v as usize);
        }
        Ok(())
    }

    /// Distances as shares of a reach; without one, of the furthest of each piece and of what it is
    /// joined to.
    fn shares(&self, reach: f32) -> Vec<f32> {
        let mut reaches = vec![reach.max(0.0); self.vertices_of.len()];
        if reach <= 0.0 {
            for (own, &with) in self.vertices_of.iter().zip(&self.shares_with) {
                let far = own.iter().map(|&v| self.far[v as usize]).filter(|far| far.is_finite());
                reaches[with] = far.fold(reaches[with], f32::max);
            }
        }
        let share = |(&far, piece): (&f32, &Option<u32>)| {
            let Some(piece) = piece.filter(|_| far.is_finite()) else { return 0.0 };
            let reach = reaches[self.shares_with[piece as usize]];
            if reach > 0.0 { (far / reach).clamp(0.0, 1.0) } else { 0.0 }
        };
        self.far.iter().zip(&self.piece_of).map(share).collect()
    }
}

fn bounds(mesh: &Mesh, vertices: &[u32]) -> [Vec3; 2] {
    let points = vertices.iter().map(|&v| mesh.positions()[v as usize]);
    points.fold([Vec3::INFINITY, Vec3::NEG_INFINITY], |[low, high], p| [low.min(p), high.max(p)])
}

/// A vertex value at a point of a face: by how near its corners are.
fn within_face(geometry: &Geometry, face: usize, at: Vec3, values: &[f32]) -> f32 {
    let mesh = geometry.mesh();
    let square = |v: u32| mesh.positions()[v as usize].distance_squared(at);
    let vertices = mesh.face_vertices(face);
    let furthest = vertices.iter().map(|&v| square(v)).fold(f32::MIN_POSITIVE, f32::max);
    let (mut sum, mut weights) = (0.0, 0.0);
    for &v in vertices {
        // Almost at a vertex nothing else counts.
        let weight = 1.0 / (square(v) / furthest + 1e-12);
        if values[v as usize].is_finite() {
            sum += weight * values[v as usize];
            weights += weight;
        }
    }
    if weights > 0.0 { sum / weights } else { 0.0 }
}
