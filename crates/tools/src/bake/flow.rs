//! Water that runs down a surface: drop by drop, the steepest way over each triangle.
//!
//! A drop goes straight over a triangle. Where it comes to an edge beyond which the surface leads
//! back, it follows the edge, as in a gutter; from a point it goes on along the steepest of all that
//! is there. On the level each goes a way of its own. Where there is no way down it stays; where the surface looks down it clings to what goes
//! on below, if that is near, or falls to what lies there.

use glam::Vec3;
use rayon::prelude::*;
use speckle_color::noise::{self, Kind, Noise};
use speckle_mesh::{Geometry, geometry::triangulate::first_triangle};

use super::{
    around::Around,
    trail::Nodes,
    watch::{GivenUp, Watch},
};

/// Where drops begin.
#[derive(Clone, Copy)]
pub(super) enum Rain<'a> {
    /// Wherever the sky is seen straight above.
    FromAbove,
    /// Out of some faces.
    OutOf(&'a [u32]),
}

/// How they run.
#[derive(Clone, Copy)]
pub(super) struct Runs {
    /// Which way is down, unit length.
    pub(super) down: Vec3,
    /// How far apart they begin.
    pub(super) apart: f32,
    /// How far the longest goes.
    pub(super) length: f32,
    /// How far they stray, 0–1.
    pub(super) stray: f32,
    /// Over which length they stray to one side.
    pub(super) grain: f32,
    /// How far off a surface may be that they cling to below a ledge.
    pub(super) cling: f32,
    pub(super) seed: u32,
}

/// The most drops.
const MOST_DROPS: f64 = 2e5;

/// The most triangles a drop goes over.
const MOST_STEPS: usize = 20_000;

/// Over how many triangles in a row it may go without getting anywhere.
const MOST_STILL: usize = 64;

/// How often a drop falls at most.
const MOST_FALLS: usize = 64;

/// How far a face looks down, as the sine of the angle, where water does not cling any more.
const OVERHANGS: f32 = 0.5;

/// How steep the least way down is.
const LEAST: f32 = 1e-4;

/// How far runs turn aside at most, radians.
const MOST_TURN: f32 = 1.2;

/// How much the shortest run falls short of the longest.
const SHORTEST: f32 = 0.6;

/// What all drops leave at each vertex: strength times length. A drop begins with the strength 1 and
/// loses it evenly until its end; where it stays before, it leaves there what it has.
///
/// # Errors
/// When it was given up.
pub(super) fn left_behind(
    geometry: &Geometry,
    around: &Around,
    rain: Rain,
    runs: &Runs,
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let nodes = Nodes::new(geometry);
    let drops = drops(geometry, rain, runs);
    watch.expect(drops.len() as u64);
    let stray = Noise::new(Kind::Gradient, 2, runs.seed ^ 0x57a7_1c55);
    let falling = Falling { geometry, around, nodes: &nodes, runs, stray };
    let left: Vec<Vec<(u32, f32)>> = drops
        .par_chunks(256)
        .map(|chunk| {
            watch.check()?;
            let mut left = Vec::new();
            for drop in chunk {
                if matches!(rain, Rain::FromAbove) && !falling.is_rained_on(drop) {
                    continue;
                }
                falling.run(drop, &mut left);
            }
            watch.advance(chunk.len() as u64);
            Ok(left)
        })
        .collect::<Result<_, GivenUp>>()?;
    let topology = geometry.topology();
    let mut sums = vec![0.0; geometry.mesh().vertex_count()];
    // One after another, so that sums are the same on any number of cores.
    for (node, mass) in left.into_iter().flatten() {
        let corner = nodes.corners[node as usize] as usize;
        sums[topology.point_of(geometry.mesh().corner_vertices()[corner] as usize)] += mass;
    }
    Ok(sums)
}

/// A drop before it runs.
struct Drop {
    triangle: u32,
    at: Vec3,
    length: f32,
    /// Which way it goes on the level, unit length.
    heading: Vec3,
}

/// Drops spread by chance: on what looks up by the area that is seen from above, or evenly over faces
/// they come out of.
fn drops(geometry: &Geometry, rain: Rain, runs: &Runs) -> Vec<Drop> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let triangles = geometry.triangulation().corners();
    let is_in = match rain {
        Rain::FromAbove => Vec::new(),
        Rain::OutOf(faces) => {
            let mut is_in = vec![false; mesh.face_count()];
            faces.iter().for_each(|&face| is_in[face as usize] = true);
            is_in
        }
    };
    let corners = |t: &[u32; 3]| t.map(|corner| mesh.corner_position(corner as usize));
    let area = |t: &[u32; 3]| {
        let [a, b, c] = corners(t);
        let double = (b - a).cross(c - a);
        f64::from(match rain {
            Rain::FromAbove => (-double.dot(runs.down)).max(0.0) / 2.0,
            Rain::OutOf(_) if is_in[topology.face_of(t[0] as usize)] => double.length() / 2.0,
            Rain::OutOf(_) => 0.0,
        })
    };
    let whole: f64 = triangles.iter().map(area).sum();
    let count = (whole / f64::from(runs.apart * runs.apart)).clamp(1.0, MOST_DROPS).round();
    let each = whole / count;
    let mut drops = Vec::new();
    if !(each.is_finite() && each > 0.0) {
        return drops;
    }
    let random = |drop: u32, nth: u32| {
        let own = noise::mix(noise::mix(runs.seed ^ 0x0d20_9b17) ^ drop);
        noise::unit(noise::mix(own.wrapping_add(nth.wrapping_mul(0x9e37_79b9))))
    };
    let level: [Vec3; 2] = runs.down.any_orthonormal_pair().into();
    let mut sum = 0.0;
    for (triangle, t) in triangles.iter().enumerate() {
        sum += area(t) / each;
        // Each has a stretch of the areas in a row to itself, and lies somewhere on it.
        loop {
            let nth = drops.len() as u32;
            if f64::from(nth) + f64::from(random(nth, 0)) >= sum || f64::from(nth) >= count {
                break;
            }
            let [a, b, c] = corners(t);
            // Uniform on a triangle (Turk, Generating Random Points in Triangles, 1990).
            let (root, across) = (random(nth, 1).sqrt(), random(nth, 2));
            let at = a + (b - a) * (root * (1.0 - across)) + (c - a) * (root * across);
            let length = runs.length * (1.0 - SHORTEST * random(nth, 3));
            let (sin, cos) = (random(nth, 4) * std::f32::consts::TAU).sin_cos();
            let heading = level[0] * cos + level[1] * sin;
            drops.push(Drop { triangle: triangle as u32, at, length, heading });
        }
    }
    drops
}

/// What drops run over.
struct Falling<'a> {
    geometry: &'a Geometry,
    around: &'a Around<'a>,
    nodes: &'a Nodes<'a>,
    runs: &'a Runs,
    stray: Noise,
}

/// Where a drop is.
enum Place {
    /// On a triangle of three nodes.
    On([u32; 3], Vec3),
    /// At a node.
    At(u32),
    /// Under a face that looks down.
    Under(Vec3),
    /// Where it stays, on a triangle.
    Pool([u32; 3], Vec3),
    /// Gone from the surface.
    Off,
}

/// Where a drop goes from a node.
enum Way {
    /// Over a triangle whose first node it is.
    Over([u32; 3]),
    /// Along an edge to another node.
    Along(u32),
}

/// A drop that runs, and what it leaves.
struct Running<'a> {
    /// How far it goes in all, and how far it has gone.
    length: f32,
    gone: f32,
    heading: Vec3,
    left: &'a mut Vec<(u32, f32)>,
}

impl Running<'_> {
    fn is_at_its_end(&self) -> bool {
        self.gone >= self.length
    }

    /// Goes so far over a triangle, by the shares that its nodes have in the middle of the way.
    fn goes(&mut self, nodes: [u32; 3], shares: [f32; 3], far: f32) {
        let far = far.min(self.length - self.gone).max(0.0);
        let strength = 1.0 - (self.gone + far / 2.0) / self.length;
        for (node, share) in nodes.into_iter().zip(shares) {
            let mass = share * strength * far;
            if mass > 0.0 {
                self.left.push((node, mass));
            }
        }
        self.gone += far;
    }
}

impl Falling<'_> {
    fn place(&self, node: u32) -> Vec3 {
        self.nodes.points[node as usize]
    }

    fn normal(&self, t: [u32; 3]) -> Vec3 {
        let [a, b, c] = t.map(|node| self.place(node));
        (b - a).cross(c - a).normalize_or_zero()
    }

    fn nodes_of(&self, triangle: u32) -> [u32; 3] {
        let corners = self.geometry.triangulation().corners()[triangle as usize];
        corners.map(|corner| self.nodes.of_corners[corner as usize])
    }

    fn is_rained_on(&self, drop: &Drop) -> bool {
        let up = -self.runs.down;
        let normal = self.normal(self.nodes_of(drop.triangle));
        self.around.is_open(drop.at + normal * self.around.hair(), up)
    }

    /// The way down over a face, unit length, and how steep it is; a little aside where runs stray. On
    /// the level each drop has its own.
    fn way_down(&self, normal: Vec3, at: Vec3, heading: Vec3) -> Option<(Vec3, f32)> {
        let down = self.runs.down - normal * normal.dot(self.runs.down);
        let steep = down.length();
        if steep <= LEAST {
            let way = heading.reject_from(normal).try_normalize()?;
            return Some((way, 2.0 * LEAST));
        }
        let way = down / steep;
        if self.runs.stray <= 0.0 {
            return Some((way, steep));
        }
        let side = 2.0 * self.stray.at(at / self.runs.grain.max(f32::MIN_POSITIVE)) - 1.0;
        let (sin, cos) = (side * 2.0 * self.runs.stray * MOST_TURN).clamp(-1.5, 1.5).sin_cos();
        Some((way * cos + normal.cross(way) * sin, steep))
    }

    fn run(&self, drop: &Drop, left: &mut Vec<(u32, f32)>) {
        let mut running = Running { length: drop.length, gone: 0.0, heading: drop.heading, left };
        let mut place = Place::On(self.nodes_of(drop.triangle), drop.at);
        let (mut falls, mut still) = (0, 0);
        for _ in 0..MOST_STEPS {
            let before = running.gone;
            if running.is_at_its_end() || still > MOST_STILL {
                return;
            }
            place = match place {
                Place::On(t, at) => self.over(t, at, None, &mut running),
                Place::At(node) => self.at_node(node, &mut running),
                Place::Under(at) if falls < MOST_FALLS => {
                    falls += 1;
                    self.clings(at).unwrap_or_else(|| self.falls(at))
                }
                Place::Pool(t, at) => {
                    let rest = running.length - running.gone;
                    running.goes(t, shares_of(t.map(|node| self.place(node)), at), rest);
                    return;
                }
                Place::Under(_) | Place::Off => return,
            };
            still = if running.gone > before { 0 } else { still + 1 };
        }
    }

    /// Over a triangle to one of its sides; from one of its nodes, to the side opposite.
    fn over(&self, t: [u32; 3], at: Vec3, from: Option<usize>, running: &mut Running) -> Place {
        let normal = self.normal(t);
        if normal.dot(self.runs.down) > OVERHANGS {
            return Place::Under(at);
        }
        let Some((way, _)) = self.way_down(normal, at, running.heading) else {
            return Place::Pool(t, at);
        };
        let p = t.map(|node| self.place(node));
        let mut out = None;
        for i in 0..3 {
            if from.is_some_and(|from| (from + 1) % 3 != i) {
                continue;
            }
            let (start, end) = (p[i], p[(i + 1) % 3]);
            let inward = normal.cross(end - start);
            let rate = way.dot(inward);
            if rate < 0.0 {
                let far = ((at - start).dot(inward) / -rate).max(0.0);
                if out.is_none_or(|(least, _)| far < least) {
                    out = Some((far, i));
                }
            }
        }
        let Some((far, side)) = out else { return Place::Pool(t, at) };
        let to = at + way * far.min(running.length - running.gone);
        running.goes(t, shares_of(p, (at + to) / 2.0), far);
        let [i, j, k] = [side, (side + 1) % 3, (side + 2) % 3].map(|n| t[n]);
        let Some(beyond) = self.nodes.beyond([i, j], k) else { return Place::Under(to) };
        let next = [j, i, beyond];
        let next_normal = self.normal(next);
        if next_normal.dot(self.runs.down) > OVERHANGS {
            return Place::Under(to);
        }
        let inward = next_normal.cross(self.place(i) - self.place(j));
        match self.way_down(next_normal, to, running.heading) {
            Some((way, _)) if way.dot(inward) > 0.0 => Place::On(next, to),
            // It leads back, or nowhere: along the edge, if that goes down.
            _ => {
                let (a, b) = (self.place(i), self.place(j));
                let (lower, end) = if (b - a).dot(self.runs.down) > 0.0 { (j, b) } else { (i, a) };
                let along = end - to;
                if along.dot(self.runs.down) <= LEAST * along.length() {
                    return Place::Pool(t, to);
                }
                running.goes(t, shares_of(p, (to + end) / 2.0), along.length());
                Place::At(lower)
            }
        }
    }

    fn at_node(&self, node: u32, running: &mut Running) -> Place {
        let at = self.place(node);
        let mut best: Option<(f32, Way, [u32; 3])> = None;
        let mut offer = |steep: f32, way: Way, t: [u32; 3]| {
            if steep > LEAST && best.as_ref().is_none_or(|(most, ..)| steep > *most) {
                best = Some((steep, way, t));
            }
        };
        let mut looks = Vec3::ZERO;
        let triangles = self.nodes.around(node).iter().map(|&[b, c]| [node, b, c]);
        let some = triangles.clone().next();
        for t in triangles {
            let normal = self.normal(t);
            looks += normal;
            let [to_b, to_c] = [t[1], t[2]].map(|other| self.place(other) - at);
            for (other, to) in [(t[1], to_b), (t[2], to_c)] {
                offer(to.normalize_or_zero().dot(self.runs.down), Way::Along(other), t);
            }
            if normal.dot(self.runs.down) > OVERHANGS {
                continue;
            }
            let Some((way, steep)) = self.way_down(normal, at, running.heading) else { continue };
            let is_between = way.dot(normal.cross(to_b)) > 0.0 && way.dot(normal.cross(to_c)) < 0.0;
            if is_between {
                offer(steep, Way::Over(t), t);
            }
        }
        match best {
            Some((_, Way::Over(t), _)) => self.over(t, at, Some(0), running),
            Some((_, Way::Along(other), t)) => {
                let p = t.map(|node| self.place(node));
                let end = self.place(other);
                running.goes(t, shares_of(p, (at + end) / 2.0), at.distance(end));
                Place::At(other)
            }
            None if looks.normalize_or_zero().dot(self.runs.down) > LEAST => Place::Under(at),
            None => some.map_or(Place::Off, |t| Place::Pool(t, at)),
        }
    }

    /// The surface that goes on below a ledge, if one is near enough.
    fn clings(&self, at: Vec3) -> Option<Place> {
        let (mesh, down) = (self.geometry.mesh(), self.runs.down);
        let normals = self.geometry.face_normals();
        let from = at + down * (4.0 * self.around.hair());
        // What ends at the ledge as it does itself is no way on.
        let is_below = |face: u32| {
            let lowest = mesh
                .face_vertices(face as usize)
                .iter()
                .map(|&vertex| (mesh.positions()[vertex as usize] - at).dot(down));
            normals[face as usize].dot(down) < OVERHANGS
                && lowest.fold(0.0, f32::max) > 8.0 * self.around.hair()
        };
        let (face, on, _) = self.geometry.bvh().nearest(from, self.runs.cling, is_below)?;
        let own = self.geometry.triangulation().corners();
        let first = first_triangle(mesh, face as usize);
        let triangles = first..first + mesh.face_corners(face as usize).len() - 2;
        let off = |triangle: &usize| {
            let corners = own[*triangle].map(|corner| mesh.corner_position(corner as usize));
            on.distance(at_shares(corners, shares_of(corners, on)))
        };
        let triangle = triangles.min_by(|a, b| off(a).total_cmp(&off(b)))?;
        Some(Place::On(self.nodes_of(triangle as u32), on))
    }

    /// What it falls on, straight below.
    fn falls(&self, at: Vec3) -> Place {
        let down = self.runs.down;
        let from = at + down * (4.0 * self.around.hair());
        let Some(met) = self.around.cast(from, down, f32::MAX) else { return Place::Off };
        let Some(triangle) = met.own_triangle else { return Place::Off };
        let t = self.nodes_of(triangle);
        if self.normal(t).dot(down) >= 0.0 {
            return Place::Off;
        }
        Place::On(t, from + down * met.distance)
    }
}

/// The point in a triangle of which so much belongs to each of its corners.
fn at_shares([a, b, c]: [Vec3; 3], shares: [f32; 3]) -> Vec3 {
    a * shares[0] + b * shares[1] + c * shares[2]
}

/// How much of a point in a triangle belongs to each of its corners.
fn shares_of([a, b, c]: [Vec3; 3], p: Vec3) -> [f32; 3] {
    let normal = (b - a).cross(c - a);
    let whole = normal.length_squared();
    if whole <= f32::MIN_POSITIVE {
        return [1.0 / 3.0; 3];
    }
    let share = |x: Vec3, y: Vec3| ((x - p).cross(y - p).dot(normal) / whole).clamp(0.0, 1.0);
    let shares = [share(b, c), share(c, a), share(a, b)];
    let sum: f32 = shares.iter().sum();
    if sum > 0.0 { shares.map(|s| s / sum) } else { [1.0 / 3.0; 3] }
}
