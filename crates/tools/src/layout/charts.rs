//! Faces grouped into charts that can be laid flat without lying over themselves.

use std::{cmp::Reverse, collections::BinaryHeap};

use glam::{Affine3A, I64Vec2, Vec2, Vec3};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use speckle_mesh::Geometry;

use super::Laid;
use crate::bake::watch::{GivenUp, Watch};

/// The most that a face may look another way than its chart, degrees.
pub const MOST_ANGLE: f32 = 75.0;

/// By how much more a face may look away where a small chart goes into its neighbour, degrees.
const MERGED: f32 = 12.0;

/// A chart smaller than this share of the surface is small.
const SMALL: f32 = 0.01;

/// How often the ways that faces look are averaged with those around, before charts grow: noise on scans
/// makes no charts of its own.
const CALMED: usize = 3;

/// Corners are rounded to so many steps along the longer side of a chart, so that neighbours never
/// overlap or gape.
const STEPS: f32 = (1 << 20) as f32;

/// Faces that are laid flat together.
pub(super) struct Chart {
    /// The first is where it grew from.
    pub(super) faces: Vec<u32>,
    /// Which way it looks, unit length.
    axis: Vec3,
}

/// A surface as it stands in the project.
pub(super) struct Surface<'a> {
    geometry: &'a Geometry,
    to_project: &'a Affine3A,
    /// The area vector of each face, twice as long as its area.
    areas: Vec<Vec3>,
}

/// How a chart is laid flat.
pub(super) struct Flat {
    across: Vec3,
    up: Vec3,
    least: Vec2,
    /// How wide and how high it is, in the project's unit.
    pub(super) size: Vec2,
}

impl Flat {
    /// Where a point comes to lie, from the chart's lower left.
    pub(super) fn place(&self, p: Vec3) -> Vec2 {
        Vec2::new(p.dot(self.across), p.dot(self.up)) - self.least
    }
}

impl<'a> Surface<'a> {
    pub(super) fn new(geometry: &'a Geometry, to_project: &'a Affine3A) -> Self {
        let mesh = geometry.mesh();
        let area = |face: usize| {
            let corners = mesh.face_corners(face);
            let at = |corner: usize| to_project.transform_point3(mesh.corner_position(corner));
            let origin = at(corners.start);
            let fan = (corners.start + 1..corners.end.saturating_sub(1))
                .map(|c| (at(c) - origin).cross(at(c + 1) - origin));
            fan.sum()
        };
        let areas = (0..mesh.face_count()).into_par_iter().map(area).collect();
        Self { geometry, to_project, areas }
    }

    /// Where a corner stands in the project.
    pub(super) fn place(&self, corner: usize) -> Vec3 {
        self.to_project.transform_point3(self.geometry.mesh().corner_position(corner))
    }

    fn beside(&self, face: u32) -> impl Iterator<Item = u32> + '_ {
        let topology = self.geometry.topology();
        let corners = self.geometry.mesh().face_corners(face as usize);
        let across = corners.flat_map(|corner| topology.around(corner).skip(1));
        across.map(|corner| topology.face_of(corner) as u32)
    }

    /// The ways that faces look, averaged with those around.
    fn calm(&self) -> Vec<Vec3> {
        let mut calm = self.areas.clone();
        for _ in 0..CALMED {
            let mean = |face: usize| {
                let around: Vec3 = self.beside(face as u32).map(|f| calm[f as usize]).sum();
                calm[face] + around
            };
            calm = (0..calm.len()).into_par_iter().with_min_len(1024).map(mean).collect();
        }
        calm.into_iter().map(Vec3::normalize_or_zero).collect()
    }

    /// All faces in charts.
    pub(super) fn charts(&self, degrees: f32, watch: &Watch) -> Result<Vec<Chart>, GivenUp> {
        let calm = self.calm();
        let least = degrees.to_radians().cos();
        let mut of = vec![u32::MAX; self.areas.len()];
        let mut seeds: Vec<u32> = (0..self.areas.len() as u32).collect();
        let size = |face: u32| self.areas[face as usize].length_squared();
        seeds.sort_by(|&a, &b| size(b).total_cmp(&size(a)).then(a.cmp(&b)));
        let mut charts: Vec<Chart> = Vec::new();
        while !seeds.is_empty() {
            for &seed in &seeds {
                if of[seed as usize] != u32::MAX {
                    continue;
                }
                watch.check()?;
                let number = charts.len() as u32;
                let grown = self.grown(seed, number, &mut of, &calm, least);
                let (chart, left) = self.without_overlaps(grown);
                left.iter().for_each(|&face| of[face as usize] = u32::MAX);
                watch.advance(chart.faces.len() as u64);
                charts.push(chart);
            }
            // What lay over others grows by itself.
            seeds.retain(|&face| of[face as usize] == u32::MAX);
        }
        self.merge_small(&mut charts, &mut of, (degrees + MERGED).to_radians().cos(), watch)?;
        charts.retain(|chart| !chart.faces.is_empty());
        Ok(charts)
    }

    /// A chart grown from a face, the most alike first.
    fn grown(&self, seed: u32, number: u32, of: &mut [u32], calm: &[Vec3], least: f32) -> Vec<u32> {
        let mut sum = self.areas[seed as usize];
        let mut axis = calm[seed as usize];
        let mut faces = Vec::new();
        // How far each looks away when it is found; never negative, so that its bits sort as it does.
        let away = |face: u32, axis: Vec3| (1.0 - calm[face as usize].dot(axis)).max(0.0).to_bits();
        let mut open = BinaryHeap::from([(Reverse(0), Reverse(seed))]);
        while let Some((_, Reverse(face))) = open.pop() {
            if of[face as usize] != u32::MAX {
                continue;
            }
            let own = self.areas[face as usize];
            let is_flat = own == Vec3::ZERO;
            let is_alike =
                calm[face as usize].dot(axis) >= least && own.dot(axis) >= UPRIGHT * own.length();
            if face != seed && !is_flat && !is_alike {
                continue;
            }
            of[face as usize] = number;
            faces.push(face);
            sum += own;
            if faces.len() > 1 {
                axis = sum.normalize_or(axis);
            }
            let free = self.beside(face).filter(|&other| of[other as usize] == u32::MAX);
            open.extend(free.map(|other| (Reverse(away(other, axis)), Reverse(other))));
        }
        faces
    }

    fn axis_of(&self, faces: &[u32]) -> Vec3 {
        let sum: Vec3 = faces.iter().map(|&face| self.areas[face as usize]).sum();
        sum.normalize_or(Vec3::Z)
    }

    /// A chart of those faces that lie flat beside each other, and the others.
    fn without_overlaps(&self, faces: Vec<u32>) -> (Chart, Vec<u32>) {
        let axis = self.axis_of(&faces);
        let over = self.overlapping(&faces, axis);
        if over.is_empty() {
            return (Chart { faces, axis }, Vec::new());
        }
        let (left, faces): (Vec<u32>, Vec<u32>) =
            faces.into_iter().partition(|face| over.contains(face));
        (Chart { axis: self.axis_of(&faces), faces }, left)
    }

    /// Which faces would lie over others that come before them, or with their back to the eye.
    fn overlapping(&self, faces: &[u32], axis: Vec3) -> FxHashSet<u32> {
        let mut over = FxHashSet::default();
        if faces.len() < 2 {
            return over;
        }
        let flat = self.flat(faces, axis.any_orthonormal_vector(), axis);
        let longest = flat.size.max_element().max(f32::MIN_POSITIVE);
        let across = ((8.0 * faces.len() as f32).sqrt().ceil() as i64).clamp(16, 2048);
        let cell = STEPS as i64 / across + 1;
        let mut owner: FxHashMap<(i64, i64), u32> = FxHashMap::default();
        let place = |corner: usize| {
            let p = flat.place(self.place(corner)) / longest * STEPS;
            I64Vec2::new(p.x.round() as i64, p.y.round() as i64)
        };
        let triangles = self.geometry.triangulation().corners();
        let starts = self.geometry.mesh().face_starts();
        for (nth, &face) in faces.iter().enumerate() {
            let first = starts[face as usize] as usize - 2 * face as usize;
            let count = self.geometry.mesh().face_corners(face as usize).len() - 2;
            let mut own = Vec::new();
            for &corners in &triangles[first..first + count] {
                let at = corners.map(|corner| place(corner as usize));
                if turn(at[0], at[1], at[2]) < 0 && nth > 0 {
                    over.insert(face);
                }
                cells(at, cell, |x, y| own.push((x, y)));
            }
            let is_taken = own.iter().any(|at| owner.get(at).is_some_and(|&other| other != face));
            if nth > 0 && is_taken {
                over.insert(face);
            }
            if !over.contains(&face) {
                owner.extend(own.into_iter().map(|at| (at, face)));
            }
        }
        over
    }

    /// Small charts go into the neighbour with which they share most, where that still lies flat.
    fn merge_small(
        &self,
        charts: &mut [Chart],
        of: &mut [u32],
        least: f32,
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        let area = |face: &u32| self.areas[*face as usize].length();
        let whole: f32 = self.areas.iter().map(|area| area.length()).sum();
        let mut order: Vec<(usize, f32)> = (charts.iter().enumerate())
            .map(|(i, chart)| (i, chart.faces.iter().map(area).sum::<f32>()))
            .filter(|(_, area)| *area < SMALL * whole)
            .collect();
        order.sort_by(|a, b| a.1.total_cmp(&b.1).then(a.0.cmp(&b.0)));
        // As long as all that came before, about.
        watch.expect(order.len() as u64);
        for (small, _) in order {
            watch.step()?;
            let mut shared: FxHashMap<u32, u32> = FxHashMap::default();
            for &face in &charts[small].faces {
                for other in self.beside(face).map(|other| of[other as usize]) {
                    if other as usize != small {
                        *shared.entry(other).or_default() += 1;
                    }
                }
            }
            let mut neighbours: Vec<(u32, u32)> = shared.into_iter().collect();
            neighbours.sort_by_key(|&(other, edges)| (Reverse(edges), other));
            for (other, _) in neighbours {
                let large = &charts[other as usize];
                let is_alike = |face: &u32| {
                    let own = self.areas[*face as usize];
                    own.dot(large.axis) >= least * own.length()
                };
                if !charts[small].faces.iter().all(is_alike) {
                    continue;
                }
                let mut both = large.faces.clone();
                both.extend(&charts[small].faces);
                let axis = large.axis;
                if !self.overlapping(&both, axis).is_empty() {
                    continue;
                }
                for &face in &charts[small].faces {
                    of[face as usize] = other;
                }
                charts[small].faces.clear();
                charts[other as usize] = Chart { faces: both, axis };
                break;
            }
        }
        Ok(())
    }

    /// A chart in the smallest box that it fits, of some turns.
    pub(super) fn laid_flat(&self, chart: &Chart) -> Flat {
        let first = chart.axis.any_orthonormal_vector();
        let second = chart.axis.cross(first);
        let turned = (0..TURNS).map(|turn| {
            let angle = std::f32::consts::FRAC_PI_2 * turn as f32 / TURNS as f32;
            let across = first * angle.cos() + second * angle.sin();
            self.flat(&chart.faces, across, chart.axis)
        });
        let smallest =
            turned.min_by(|a, b| a.size.element_product().total_cmp(&b.size.element_product()));
        smallest.unwrap_or_else(|| self.flat(&chart.faces, first, chart.axis))
    }

    fn flat(&self, faces: &[u32], across: Vec3, axis: Vec3) -> Flat {
        let up = axis.cross(across);
        let (mut least, mut most) = (Vec2::MAX, Vec2::MIN);
        for corner in faces.iter().flat_map(|&f| self.geometry.mesh().face_corners(f as usize)) {
            let p = self.place(corner);
            let p = Vec2::new(p.dot(across), p.dot(up));
            (least, most) = (least.min(p), most.max(p));
        }
        Flat { across, up, least, size: (most - least).max(Vec2::ZERO) }
    }

    /// How well charts lie on a map at so many pixels along a unit.
    pub(super) fn laid(&self, charts: &[Chart], scale: f32, side: u32) -> Laid {
        let (mut seen, mut whole, mut worst) = (0.0_f64, 0.0_f64, 1.0_f32);
        for chart in charts {
            for &face in &chart.faces {
                let own = self.areas[face as usize];
                let (facing, area) = (own.dot(chart.axis), own.length());
                seen += f64::from(facing);
                whole += f64::from(area);
                if area > 0.0 {
                    worst = worst.max(area / facing.max(1e-3 * area));
                }
            }
        }
        let pixels = seen / 2.0 * f64::from(scale) * f64::from(scale);
        Laid {
            charts: charts.len(),
            covered: (pixels / f64::from(side) / f64::from(side)) as f32,
            density: scale,
            squeezed: [(whole / seen.max(f64::MIN_POSITIVE)) as f32, worst],
        }
    }
}

/// How many turns of a quarter are tried for the smallest box.
const TURNS: usize = 18;

/// The least cosine between a face and its chart.
const UPRIGHT: f32 = 0.17;

/// Twice the area of a triangle, above 0 where it turns left.
fn turn(a: I64Vec2, b: I64Vec2, c: I64Vec2) -> i64 {
    (b - a).perp_dot(c - a)
}

/// The cells of a grid whose middles lie in a triangle; on an edge, in one of the two beside it (the
/// top-left rule, Direct3D 11 functional specification, 3.4.2.1).
fn cells(mut at: [I64Vec2; 3], cell: i64, mut each: impl FnMut(i64, i64)) {
    match turn(at[0], at[1], at[2]) {
        0 => return,
        back if back < 0 => at.swap(1, 2),
        _ => {}
    }
    let of = |least: i64| (least - cell / 2).div_euclid(cell);
    let [left, right] = [at.iter().map(|p| p.x).min(), at.iter().map(|p| p.x).max()];
    let [low, high] = [at.iter().map(|p| p.y).min(), at.iter().map(|p| p.y).max()];
    let span = |from: Option<i64>, to: Option<i64>| of(from.unwrap_or(0))..=of(to.unwrap_or(0)) + 1;
    let is_in = |p: I64Vec2| {
        (0..3).all(|i| {
            let (a, b) = (at[i], at[(i + 1) % 3]);
            let side = turn(a, b, p);
            let way = b - a;
            side > 0 || side == 0 && (way.y < 0 || way.y == 0 && way.x < 0)
        })
    };
    for y in span(low, high) {
        for x in span(left, right) {
            if is_in(I64Vec2::new(x * cell + cell / 2, y * cell + cell / 2)) {
                each(x, y);
            }
        }
    }
}
