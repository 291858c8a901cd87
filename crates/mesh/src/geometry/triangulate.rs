//! Cutting faces into triangles by clipping ears, concave and bent faces included. Faces of many
//! corners, where that takes long, are left to the crate `earcut`.
//!
//! Every face of n corners gives exactly n − 2 triangles, even where points coincide or lie on a
//! line: each corner must be drawn, since each may carry a color. So the triangles of face `f`
//! begin at `face_starts[f] − 2 f`, and no table of their starts is needed.

use glam::{Vec2, Vec3};

use crate::mesh::Mesh;

/// The triangles of a mesh, face by face.
#[derive(Clone, Debug)]
pub struct Triangulation {
    /// Three corner indices each.
    corners: Vec<[u32; 3]>,
    /// The face of each triangle; `None` when each face is its own triangle.
    faces: Option<Vec<u32>>,
}

impl Triangulation {
    /// Cuts all faces.
    #[must_use]
    pub fn new(mesh: &Mesh) -> Self {
        let mut corners = Vec::with_capacity(mesh.triangle_count());
        if mesh.all_triangles() {
            corners
                .extend((0..mesh.corner_count() as u32 / 3).map(|t| [3 * t, 3 * t + 1, 3 * t + 2]));
            return Self { corners, faces: None };
        }
        let mut faces = Vec::with_capacity(mesh.triangle_count());
        let mut flat = Vec::new();
        let mut cutter = Cutter::default();
        for face in 0..mesh.face_count() {
            cut_face(mesh, face, &mut flat, &mut cutter, |triangle| corners.push(triangle));
            faces.resize(corners.len(), face as u32);
        }
        Self { corners, faces: Some(faces) }
    }

    /// Cuts some faces anew (ascending), of a mesh that may have other triangles at its end now.
    #[inline]
    pub(super) fn renew(&mut self, mesh: &Mesh, faces: &[u32]) {
        let count = mesh.triangle_count();
        self.corners.resize(count, [0; 3]);
        if let Some(of) = &mut self.faces {
            of.resize(count, 0);
        }
        let (mut flat, mut cutter) = (Vec::new(), Cutter::default());
        for &face in faces {
            let mut triangle = first_triangle(mesh, face as usize);
            cut_face(mesh, face as usize, &mut flat, &mut cutter, |corners| {
                self.corners[triangle] = corners;
                if let Some(of) = &mut self.faces {
                    of[triangle] = face;
                }
                triangle += 1;
            });
        }
    }

    /// Three corner indices per triangle.
    #[must_use]
    #[inline]
    pub fn corners(&self) -> &[[u32; 3]] {
        &self.corners
    }

    /// The face a triangle was cut from.
    #[must_use]
    #[inline]
    pub fn face_of(&self, triangle: usize) -> usize {
        self.faces.as_ref().map_or(triangle, |faces| faces[triangle] as usize)
    }
}

/// The first of the triangles of a face.
#[must_use]
#[inline]
pub fn first_triangle(mesh: &Mesh, face: usize) -> usize {
    mesh.face_starts()[face] as usize - 2 * face
}

fn cut_face(
    mesh: &Mesh,
    face: usize,
    flat: &mut Vec<Vec2>,
    cutter: &mut Cutter,
    mut emit: impl FnMut([u32; 3]),
) {
    let range = mesh.face_corners(face);
    let first = range.start as u32;
    if range.len() == 3 {
        emit([first, first + 1, first + 2]);
        return;
    }
    flatten(mesh, face, flat);
    let emit = |ear: [u32; 3]| emit(ear.map(|i| first + i));
    if range.len() <= MOST_CLIPPED {
        clip_ears(flat, emit);
    } else {
        cutter.cut(flat, emit);
    }
}

/// The face's points in its own plane, counter-clockwise.
fn flatten(mesh: &Mesh, face: usize, flat: &mut Vec<Vec2>) {
    let area = mesh.face_area_vector(face);
    let normal = area.try_normalize().unwrap_or(Vec3::Z);
    let (u, v) = normal.any_orthonormal_pair();
    let (u, v) = if u.cross(v).dot(normal) < 0.0 { (v, u) } else { (u, v) };
    let origin = mesh.corner_position(mesh.face_corners(face).start);
    flat.clear();
    flat.extend(mesh.face_corners(face).map(|corner| {
        let p = mesh.corner_position(corner) - origin;
        Vec2::new(p.dot(u), p.dot(v))
    }));
}

/// The most corners of a face that is clipped here: it takes the square of their number, and the
/// cube where the face winds about itself.
const MOST_CLIPPED: usize = 32;

/// What all faces of many corners of a mesh may take: the sum of the squares of their numbers. Some
/// ten seconds; the rest are cut as fans, which are right where a face is convex.
const MOST_WORK: usize = 10_000_000_000;

/// The most pairs of edges of a face that are looked at for a crossing.
const MOST_PAIRS: usize = 150_000_000;

/// Cuts faces of many corners.
#[derive(Default)]
struct Cutter {
    work: usize,
    earcut: earcut::Earcut<f32>,
    cut: Vec<u32>,
    is_used: Vec<bool>,
}

impl Cutter {
    /// Cuts a counter-clockwise polygon into n − 2 triangles of indices into `points`.
    fn cut(&mut self, points: &[Vec2], mut emit: impl FnMut([u32; 3])) {
        let n = points.len();
        self.work = self.work.saturating_add(n * n);
        if self.work > MOST_WORK || crosses_itself(points) {
            // No way to cut it is right, or there is no time to find it: a fan is done at once.
            (1..n as u32 - 1).for_each(|i| emit([0, i, i + 1]));
            return;
        }
        self.earcut.earcut(points.iter().map(|p| [p.x, p.y]), &[], &mut self.cut);
        self.is_used.clear();
        self.is_used.resize(n, false);
        self.cut.iter().for_each(|&i| self.is_used[i as usize] = true);
        let used: Vec<u32> = (0..n as u32).filter(|&i| self.is_used[i as usize]).collect();
        if used.len() < 3 || self.cut.len() != 3 * (used.len() - 2) {
            (1..n as u32 - 1).for_each(|i| emit([0, i, i + 1]));
            return;
        }
        for triangle in self.cut.chunks_exact(3) {
            // The crate turns them the way of its own axes.
            let [a, b, c] = [triangle[0], triangle[1], triangle[2]];
            let [p, q, r] = [a, b, c].map(|i| points[i as usize]);
            emit(if turn(p, q, r) < 0.0 { [a, c, b] } else { [a, b, c] });
        }
        // It leaves out corners on straight lines. Each has its own flat triangle, so that the
        // color it may carry is drawn.
        for (&from, &to) in used.iter().zip(used.iter().cycle().skip(1)) {
            let to = if to > from { to } else { to + n as u32 };
            (from + 1..to).for_each(|i| emit([from, i, i + 1].map(|i| i % n as u32)));
        }
    }
}

/// Whether edges of a polygon cross; also true when there are too many to tell.
fn crosses_itself(points: &[Vec2]) -> bool {
    let n = points.len();
    let ends = |edge: usize| (points[edge], points[(edge + 1) % n]);
    let mut edges: Vec<(f32, f32, usize)> = (0..n)
        .map(|edge| {
            let (a, b) = ends(edge);
            (a.x.min(b.x), a.x.max(b.x), edge)
        })
        .collect();
    edges.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
    let mut pairs = 0;
    for (nth, &(_, end, edge)) in edges.iter().enumerate() {
        for &(_, _, other) in edges[nth + 1..].iter().take_while(|other| other.0 <= end) {
            pairs += 1;
            if pairs > MOST_PAIRS {
                return true;
            }
            let ((a, b), (c, d)) = (ends(edge), ends(other));
            let apart = a.y.max(b.y) < c.y.min(d.y) || c.y.max(d.y) < a.y.min(b.y);
            if !apart && turn(a, b, c) * turn(a, b, d) < 0.0 && turn(c, d, a) * turn(c, d, b) < 0.0
            {
                return true;
            }
        }
    }
    false
}

fn turn(a: Vec2, b: Vec2, c: Vec2) -> f32 {
    (b - a).perp_dot(c - a)
}

fn in_triangle(p: Vec2, a: Vec2, b: Vec2, c: Vec2) -> bool {
    turn(a, b, p) >= 0.0 && turn(b, c, p) >= 0.0 && turn(c, a, p) >= 0.0
}

/// Clips a counter-clockwise polygon into n − 2 triangles of indices into `points`.
///
/// Among the ears the one with the widest smallest angle is not sought (quadratic time already);
/// but a quad is cut along its shorter diagonal where both are inside. When rounding or a polygon
/// that crosses itself leaves no ear, the least bad corner is cut, so that it always ends.
fn clip_ears(points: &[Vec2], mut emit: impl FnMut([u32; 3])) {
    let mut ring: Vec<u32> = (0..points.len() as u32).collect();
    let at = |ring: &[u32], i: usize| points[ring[i % ring.len()] as usize];
    if let &[a, b, c, d] = points {
        let convex = turn(a, b, c) > 0.0
            && turn(b, c, d) > 0.0
            && turn(c, d, a) > 0.0
            && turn(d, a, b) > 0.0;
        if convex && b.distance_squared(d) < a.distance_squared(c) {
            ring.rotate_left(1);
            // From here on the cut goes from the first to the third of the ring.
        }
        if convex {
            emit([ring[0], ring[1], ring[2]]);
            emit([ring[0], ring[2], ring[3]]);
            return;
        }
    }
    let mut start = 0;
    while ring.len() > 3 {
        let n = ring.len();
        let mut cut = None;
        let mut least_bad = (f32::NEG_INFINITY, start % n);
        for step in 0..n {
            let i = (start + step) % n;
            let (a, b, c) = (at(&ring, i + n - 1), at(&ring, i), at(&ring, i + 1));
            let area = turn(a, b, c);
            let blocked = area <= 0.0
                || (0..n - 3).any(|k| {
                    let p = at(&ring, i + 2 + k);
                    p != a && p != b && p != c && in_triangle(p, a, b, c)
                });
            if !blocked {
                cut = Some(i);
                break;
            }
            // A corner on a straight line is cut without harm; a reflex one would fold over.
            if area <= 0.0 && area > least_bad.0 {
                least_bad = (area, i);
            }
        }
        let i = cut.unwrap_or(least_bad.1);
        emit([ring[(i + n - 1) % n], ring[i], ring[(i + 1) % n]]);
        ring.remove(i);
        start = i;
    }
    emit([ring[0], ring[1], ring[2]]);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::MeshArrays;
    use proptest::prelude::*;

    fn polygon(points: Vec<Vec3>) -> Mesh {
        let n = points.len() as u32;
        Mesh::new(MeshArrays {
            positions: points,
            face_starts: vec![0, n],
            corner_vertices: (0..n).collect(),
            ..MeshArrays::default()
        })
        .unwrap()
    }

    fn areas(mesh: &Mesh) -> Vec<f32> {
        let normal = mesh.face_area_vector(0).normalize();
        let cut = Triangulation::new(mesh);
        assert_eq!(cut.corners().len(), mesh.corner_count() - 2);
        let at = |c: u32| mesh.corner_position(c as usize);
        cut.corners()
            .iter()
            .map(|&[a, b, c]| (at(b) - at(a)).cross(at(c) - at(a)).dot(normal) / 2.0)
            .collect()
    }

    /// The pieces of a correct triangulation are all turned like the face and add up to its area
    /// (shoelace formula).
    #[test]
    fn a_comb_is_cut_without_folding_over() {
        let mut points = vec![Vec3::new(0.0, 5.0, 1.0), Vec3::new(0.0, 0.0, 1.0)];
        for tooth in 0..9 {
            let x = tooth as f32;
            points.push(Vec3::new(x + 0.5, 4.0, 1.0));
            points.push(Vec3::new(x + 1.0, 0.0, 1.0));
        }
        points.push(Vec3::new(9.0, 5.0, 1.0));
        let areas = areas(&polygon(points));
        assert!(areas.iter().all(|&a| a > 0.0), "{areas:?}");
        assert!((areas.iter().sum::<f32>() - (45.0 - 9.0 * 2.0)).abs() < 1e-4);
    }

    #[test]
    fn a_concave_quad_is_cut_at_its_inner_corner() {
        let dart = [[0., 0.], [2., 1.], [0., 2.], [0.6, 1.]].map(|[x, y]| Vec3::new(x, y, 0.0));
        let areas = areas(&polygon(dart.to_vec()));
        assert!(areas.iter().all(|&a| a > 0.0), "{areas:?}");
    }

    /// Corners on straight lines and at one place are drawn too.
    #[test]
    fn every_corner_of_a_large_face_is_drawn() {
        let side = |i: usize, of: usize| i as f32 / of as f32;
        let mut points: Vec<Vec3> = (0..40).map(|i| Vec3::new(side(i, 40), 0.0, 0.0)).collect();
        points.extend((0..7).map(|i| Vec3::new(1.0, side(i, 7), 0.0)));
        points.extend((0..3).map(|_| Vec3::new(1.0, 1.0, 0.0)));
        points.push(Vec3::new(0.5, 0.2, 0.0));
        points.push(Vec3::new(0.0, 1.0, 0.0));
        let mesh = polygon(points);
        let areas = areas(&mesh);
        assert!(areas.iter().all(|&a| a >= 0.0), "{areas:?}");
        assert!((areas.iter().sum::<f32>() - 0.6).abs() < 1e-5, "{}", areas.iter().sum::<f32>());
        let mut drawn = vec![false; mesh.corner_count()];
        let cut = Triangulation::new(&mesh);
        cut.corners().iter().flatten().for_each(|&c| drawn[c as usize] = true);
        assert!(drawn.iter().all(|&is| is));
    }

    /// Star-shaped faces took 20 s at 4 000 corners; and one that crosses itself ends as well.
    #[test]
    fn faces_of_many_corners_are_cut_in_no_time() {
        let n = 16_000;
        let star = |step: usize| {
            let point = |i: usize| {
                let angle = (i * step % n) as f32 / n as f32 * std::f32::consts::TAU;
                (Vec2::from_angle(angle) * [1.0, 3.0][i % 2]).extend(0.0)
            };
            polygon((0..n).map(point).collect())
        };
        let begun = std::time::Instant::now();
        let areas = areas(&star(1));
        // Half the product of two sides and the sine between them, for each of the n wedges.
        let wedge = 1.0 * 3.0 * (std::f64::consts::TAU / n as f64).sin() / 2.0;
        let total: f64 = areas.iter().map(|a| f64::from(a.abs())).sum();
        assert!((total / (wedge * n as f64) - 1.0).abs() < 1e-3, "{total}");
        for step in [3, 7, 7_999] {
            assert_eq!(Triangulation::new(&star(step)).corners().len(), n - 2);
        }
        assert!(begun.elapsed().as_secs() < 10, "{:?}", begun.elapsed());
    }

    proptest! {
        /// Star-shaped polygons in any plane: area by the shoelace formula, no fold.
        #[test]
        fn any_star_keeps_its_area(radii in prop::collection::vec(0.2_f32..3.0, 5..80), tilt in 0.0_f32..3.0) {
            let n = radii.len() as f32;
            let rotation = glam::Quat::from_axis_angle(Vec3::new(1.0, 2.0, 0.5).normalize(), tilt);
            let flat: Vec<Vec2> = radii.iter().enumerate()
                .map(|(i, r)| Vec2::from_angle(i as f32 / n * std::f32::consts::TAU) * *r)
                .collect();
            let shoelace: f32 = (0..flat.len())
                .map(|i| flat[i].perp_dot(flat[(i + 1) % flat.len()]) / 2.0)
                .sum();
            let areas = areas(&polygon(flat.iter().map(|p| rotation * p.extend(0.0)).collect()));
            let total: f32 = areas.iter().sum();
            let unsigned: f32 = areas.iter().map(|a| a.abs()).sum();
            prop_assert!((total - shoelace).abs() < 1e-3 * shoelace);
            prop_assert!((unsigned - shoelace).abs() < 1e-3 * shoelace);
        }
    }
}
