//! A mesh cut by planes across a direction: the outlines at each height.
//!
//! Whether a point lies above a plane or below is asked once for each, by its height; one on the plane lies
//! above. So a surface without holes is cut into outlines that close, whatever lies on a plane: faces that
//! lie in it are cut nowhere, and an outline never begins or ends at a point (simulation of simplicity;
//! Edelsbrunner and Mücke 1990).

use glam::{Affine3A, DVec2, DVec3};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

use crate::{Geometry, mesh::Mesh};

/// An outline at a height.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline {
    /// Its points; what is inside lies to the left, seen from above.
    pub points: Vec<DVec2>,
    /// The face that each stretch from a point to the next lies on.
    pub faces: Vec<u32>,
    /// Whether it closes: its last stretch leads back to the first point. One that does not has a face fewer
    /// than points.
    pub is_closed: bool,
}

impl Outline {
    /// The area that lies to its left, below 0 where it goes around a hole (shoelace formula; Meister 1769).
    #[must_use]
    pub fn area(&self) -> f64 {
        let Some(&last) = self.points.last() else { return 0.0 };
        let before = std::iter::once(&last).chain(&self.points);
        before.zip(&self.points).map(|(a, b)| a.perp_dot(*b)).sum::<f64>() / 2.0
    }

    /// How long it is.
    #[must_use]
    pub fn length(&self) -> f64 {
        let steps: f64 = self.points.windows(2).map(|pair| pair[0].distance(pair[1])).sum();
        match (self.is_closed, self.points.first(), self.points.last()) {
            (true, Some(first), Some(last)) => steps + last.distance(*first),
            _ => steps,
        }
    }
}

/// A mesh as it stands on a plate, ready to be cut.
pub struct Slicer<'a> {
    geometry: &'a Geometry,
    /// Points as they stand: across, and up.
    places: Vec<DVec3>,
    /// The points of the triangles, by the first vertex at each.
    triangles: Vec<[u32; 3]>,
}

impl<'a> Slicer<'a> {
    /// `to_plate` leads to where z is up.
    #[must_use]
    pub fn new(geometry: &'a Geometry, to_plate: &Affine3A) -> Self {
        let mesh: &Mesh = geometry.mesh();
        let place = |p: &glam::Vec3| to_plate.transform_point3(*p).as_dvec3();
        let places = mesh.positions().par_iter().map(place).collect();
        let mirrors = to_plate.matrix3.determinant() < 0.0;
        let topology = geometry.topology();
        let point = |corner: u32| {
            topology.point_of(mesh.corner_vertices()[corner as usize] as usize) as u32
        };
        let triangle = |corners: &[u32; 3]| {
            let [a, b, c] = corners.map(point);
            // Faces stay outside out.
            if mirrors { [a, c, b] } else { [a, b, c] }
        };
        let triangles = geometry.triangulation().corners().par_iter().map(triangle).collect();
        Self { geometry, places, triangles }
    }

    /// The lowest and the highest height; nothing where there is no surface.
    #[must_use]
    pub fn range(&self) -> Option<(f64, f64)> {
        let heights = self.triangles.iter().flatten().map(|&point| self.places[point as usize].z);
        heights.fold(None, |range, z| {
            Some(range.map_or((z, z), |(low, high): (f64, f64)| (low.min(z), high.max(z))))
        })
    }

    /// The outlines at heights that ascend.
    #[must_use]
    pub fn cut(&self, heights: &[f64]) -> Vec<Vec<Outline>> {
        // Between which heights a triangle is met: above is what is no lower.
        let met = |triangle: &[u32; 3]| {
            let z = triangle.map(|point| self.places[point as usize].z);
            let low = z[0].min(z[1]).min(z[2]);
            let high = z[0].max(z[1]).max(z[2]);
            // Cut by h where low < h and high >= h.
            let from = heights.partition_point(|&h| h <= low);
            let to = heights.partition_point(|&h| h <= high);
            from..to
        };
        let spans: Vec<std::ops::Range<usize>> = self.triangles.par_iter().map(met).collect();
        let mut starts = vec![0_u32; heights.len() + 1];
        for span in &spans {
            span.clone().for_each(|layer| starts[layer + 1] += 1);
        }
        (0..heights.len()).for_each(|layer| starts[layer + 1] += starts[layer]);
        let mut next = starts.clone();
        let mut all = vec![0_u32; starts[heights.len()] as usize];
        for (triangle, span) in (0_u32..).zip(spans) {
            for layer in span {
                all[next[layer] as usize] = triangle;
                next[layer] += 1;
            }
        }
        let layers = (0..heights.len()).into_par_iter().with_max_len(1);
        layers
            .map(|layer| {
                let own = starts[layer] as usize..starts[layer + 1] as usize;
                self.outlines(&all[own], heights[layer])
            })
            .collect()
    }

    /// The outlines of triangles that a plane cuts.
    fn outlines(&self, triangles: &[u32], height: f64) -> Vec<Outline> {
        // From the edge at which a stretch begins to the one at which it ends, by their points.
        let mut stretches: Vec<(u64, u64, u32)> = Vec::with_capacity(triangles.len());
        for &triangle in triangles {
            let points = self.triangles[triangle as usize];
            let is_above = points.map(|point| self.places[point as usize].z >= height);
            let (mut down, mut up) = (None, None);
            for i in 0..3 {
                let j = (i + 1) % 3;
                let edge = key(points[i], points[j]);
                match (is_above[i], is_above[j]) {
                    (true, false) => down = Some(edge),
                    (false, true) => up = Some(edge),
                    _ => {}
                }
            }
            // Seen from outside a face runs around to the left: from where it goes down to where it comes
            // up again, what is inside lies to the left, seen from above.
            if let (Some(down), Some(up)) = (down, up) {
                let face = self.geometry.triangulation().face_of(triangle as usize) as u32;
                stretches.push((down, up, face));
            }
        }
        self.chained(&stretches, height)
    }

    /// Stretches one after the other. Where several begin at an edge, as at one where more than two faces
    /// meet, each is taken once.
    fn chained(&self, stretches: &[(u64, u64, u32)], height: f64) -> Vec<Outline> {
        let mut from: FxHashMap<u64, Vec<u32>> = FxHashMap::default();
        let mut coming: FxHashMap<u64, i32> = FxHashMap::default();
        for (i, &(start, end, _)) in (0_u32..).zip(stretches) {
            from.entry(start).or_default().push(i);
            *coming.entry(end).or_default() += 1;
            *coming.entry(start).or_default() -= 1;
        }
        from.values_mut().for_each(|all| all.reverse());
        let mut is_taken = vec![false; stretches.len()];
        let mut outlines = Vec::new();
        // Those that nothing leads to first: they do not close.
        let opens = |i: &u32| coming[&stretches[*i as usize].0] < 0;
        let all = 0..stretches.len() as u32;
        let (open, rest): (Vec<u32>, Vec<u32>) = all.partition(opens);
        for first in open.into_iter().chain(rest) {
            if is_taken[first as usize] {
                continue;
            }
            let begins = stretches[first as usize].0;
            let (mut at, mut points, mut faces) = (begins, Vec::new(), Vec::new());
            let is_closed = loop {
                let next = from.get_mut(&at).and_then(|all| {
                    while all.last().is_some_and(|&i| is_taken[i as usize]) {
                        all.pop();
                    }
                    all.pop()
                });
                points.push(self.crossing(at, height));
                let Some(next) = next else { break false };
                is_taken[next as usize] = true;
                let (_, end, face) = stretches[next as usize];
                faces.push(face);
                at = end;
                if at == begins {
                    break true;
                }
            };
            if points.len() > 1 {
                outlines.push(Outline { points, faces, is_closed });
            }
        }
        outlines
    }

    /// Where an edge passes a height: the same to the bit whichever face asks.
    fn crossing(&self, edge: u64, height: f64) -> DVec2 {
        let [a, b] = [(edge >> 32) as usize, (edge & 0xffff_ffff) as usize];
        let (a, b) = (self.places[a], self.places[b]);
        let along = ((height - a.z) / (b.z - a.z)).clamp(0.0, 1.0);
        a.truncate().lerp(b.truncate(), along)
    }
}

fn key(a: u32, b: u32) -> u64 {
    u64::from(a.min(b)) << 32 | u64::from(a.max(b))
}
