//! Hollows of a body from which what is left of the printing cannot get out: room in which a ball as wide as a
//! drain fits, but from where it cannot reach the outside, with the widest way out there is.
//!
//! The body is laid into cells. How far the air in each is from the surface is found by the exact distance
//! transform of Felzenszwalb and Huttenlocher (2012); the widest way out of a hollow is grown cell by cell, the
//! most open first (a widest path; Pollack 1960), and its narrowest place is measured on the surface itself.

use std::collections::{BinaryHeap, VecDeque};

use glam::{Affine3A, DVec2, DVec3};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use speckle_mesh::{
    Geometry,
    slice::{Outline, Slicer},
};

use crate::bake::watch::{GivenUp, Watch};

/// The most cells a body is laid into.
const MOST_CELLS: f64 = 2e6;

/// How many cells a drain is wide, where there are enough of them.
const ACROSS: f64 = 6.0;

/// No more hollows are told than these, the largest first.
const MOST_TOLD: usize = 32;

/// A hollow that does not drain. Lengths are in millimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Hollow {
    /// How much it holds, mm³.
    pub volume: f64,
    /// How wide the widest way out of it is; none where there is none.
    pub way_out: Option<f64>,
    /// Where that is narrowest, or the middle of the hollow where there is none, in the project's space.
    pub place: [f32; 3],
}

/// The hollows of a closed body from which a ball as wide as `drain` cannot get out, the largest first: `mm` is how
/// long a step of the geometry's unit is.
///
/// # Errors
/// When it was given up.
pub fn hollows(
    geometry: &Geometry,
    mm: f64,
    drain: f64,
    watch: &Watch,
) -> Result<Vec<Hollow>, GivenUp> {
    let measures = geometry.measures();
    let size = (measures.max - measures.min).as_dvec3();
    let usable = geometry.topology().is_watertight() && drain > 0.0 && mm > 0.0;
    if !(usable && size.min_element() > 0.0 && size.is_finite()) {
        return Ok(Vec::new());
    }
    let radius = drain / mm / 2.0;
    let coarsest = (size.element_product() / MOST_CELLS).cbrt();
    let cell = (2.0 * radius / ACROSS).max(coarsest);
    if 2.0 * cell > size.min_element() {
        // In what is so small no drain has room.
        return Ok(Vec::new());
    }
    let air = Air::around(geometry, cell, watch)?;
    // Cells that are narrower than the least ball they can tell are not told apart.
    let radius = radius.max(cell);
    let fits = |at: usize| air.clearance[at] as f64 * cell >= radius;
    let is_free = air.reached(fits);
    watch.check()?;
    let mut seen = is_free.clone();
    let mut found = Vec::new();
    for start in 0..air.clearance.len() {
        if seen[start] || !fits(start) {
            continue;
        }
        let hollow = air.hanging_together(start, &mut seen, fits);
        watch.check()?;
        let way = air.way_out(&hollow, &is_free);
        let narrowest = way.as_ref().ok().map(|way| air.narrowest(geometry, way, &is_free));
        if narrowest.is_some_and(|(_, width)| width >= drain / mm) {
            continue;
        }
        let middle = || {
            let sum: DVec3 = hollow.iter().map(|&at| air.middle(at)).sum();
            sum / hollow.len() as f64
        };
        let cells = match way {
            Ok(_) => air.room_about(&hollow, radius),
            Err(all) => {
                all.iter().for_each(|&at| seen[at] = true);
                all.len() as f64
            }
        };
        found.push(Hollow {
            volume: cells * cell.powi(3) * mm.powi(3),
            way_out: narrowest.map(|(_, width)| width * mm),
            place: narrowest.map_or_else(middle, |(place, _)| place).as_vec3().to_array(),
        });
    }
    found.sort_by(|a, b| b.volume.total_cmp(&a.volume));
    found.truncate(MOST_TOLD);
    Ok(found)
}

/// The cells of a box about a body.
struct Air {
    /// How many along x, y and z.
    counts: [usize; 3],
    /// Where the first one begins, and how long they are.
    corner: DVec3,
    cell: f64,
    /// How far the middle of each lies from the body, in cells; 0 within.
    clearance: Vec<f32>,
}

impl Air {
    fn around(geometry: &Geometry, cell: f64, watch: &Watch) -> Result<Self, GivenUp> {
        let measures = geometry.measures();
        let (low, high) = (measures.min.as_dvec3(), measures.max.as_dvec3());
        // Two cells of air all around, and planes away from where faces are wont to lie.
        let corner = low - DVec3::splat(2.0 * cell) - DVec3::new(0.137, 0.171, 0.153) * cell;
        let counts = ((high - corner) / cell).to_array().map(|n| n.ceil() as usize + 2);
        let [nx, ny, nz] = counts;
        let heights: Vec<f64> = (0..nz).map(|z| corner.z + (z as f64 + 0.5) * cell).collect();
        let layers = Slicer::new(geometry, &Affine3A::IDENTITY).cut(&heights);
        watch.check()?;
        let mut squared = vec![0.0_f32; nx * ny * nz];
        squared.par_chunks_mut(nx * ny).zip(&layers).for_each(|(slab, outlines)| {
            for y in 0..ny {
                let row = &mut slab[y * nx..(y + 1) * nx];
                air_of_row(row, outlines, corner.y + (y as f64 + 0.5) * cell, corner.x, cell);
            }
        });
        spread(&mut squared, counts);
        watch.check()?;
        // Between the middle of the nearest cell that is full and the surface lies half a cell.
        let clear = |squared: f32| if squared > 0.0 { squared.sqrt() - 0.5 } else { 0.0 };
        let clearance = squared.into_par_iter().map(clear).collect();
        Ok(Self { counts, corner, cell, clearance })
    }

    fn middle(&self, at: usize) -> DVec3 {
        let [nx, ny, _] = self.counts;
        let place = [at % nx, at / nx % ny, at / (nx * ny)].map(|n| n as f64 + 0.5);
        self.corner + DVec3::from_array(place) * self.cell
    }

    /// The cells that share a side with one.
    fn beside(&self, at: usize) -> impl Iterator<Item = usize> {
        let [nx, ny, nz] = self.counts;
        let [x, y, z] = [at % nx, at / nx % ny, at / (nx * ny)];
        let steps = [
            (x > 0, -1),
            (x + 1 < nx, 1),
            (y > 0, -(nx as isize)),
            (y + 1 < ny, nx as isize),
            (z > 0, -((nx * ny) as isize)),
            (z + 1 < nz, (nx * ny) as isize),
        ];
        let inside = steps.into_iter().filter(|&(is_inside, _)| is_inside);
        inside.filter_map(move |(_, step)| at.checked_add_signed(step))
    }

    /// What can be reached from outside through cells that `fits` says.
    fn reached(&self, fits: impl Fn(usize) -> bool) -> Vec<bool> {
        let mut is_reached = vec![false; self.clearance.len()];
        // The first cell is air, with nothing about it but air.
        is_reached[0] = true;
        let mut next = VecDeque::from([0]);
        while let Some(at) = next.pop_front() {
            for beside in self.beside(at) {
                let is_far = self.is_margin(beside);
                if !is_reached[beside] && (is_far || fits(beside)) {
                    is_reached[beside] = true;
                    next.push_back(beside);
                }
            }
        }
        is_reached
    }

    /// Whether a cell lies at the end of the box, where everything is outside.
    fn is_margin(&self, at: usize) -> bool {
        let [nx, ny, nz] = self.counts;
        let ends = [(at % nx, nx), (at / nx % ny, ny), (at / (nx * ny), nz)];
        ends.iter().any(|&(n, count)| n == 0 || n + 1 == count)
    }

    /// The cells that hang together with one through those that fit; they are seen.
    fn hanging_together(
        &self,
        start: usize,
        seen: &mut [bool],
        fits: impl Fn(usize) -> bool,
    ) -> Vec<usize> {
        seen[start] = true;
        let mut own = vec![start];
        let mut at = 0;
        while let Some(&cell) = own.get(at) {
            for beside in self.beside(cell) {
                if !seen[beside] && fits(beside) {
                    seen[beside] = true;
                    own.push(beside);
                }
            }
            at += 1;
        }
        own
    }

    /// The widest way from a hollow to what is free, through air; where there is none, all the air there is.
    fn way_out(&self, hollow: &[usize], is_free: &[bool]) -> Result<Vec<usize>, Vec<usize>> {
        let mut from: FxHashMap<usize, usize> = FxHashMap::default();
        let mut next: BinaryHeap<(u32, usize)> = BinaryHeap::new();
        // As a whole number, so that it can be told which is more: bits of floats from 0 on ascend.
        let width = |at: usize| self.clearance[at].to_bits();
        for &at in hollow {
            from.insert(at, at);
            next.push((width(at), at));
        }
        while let Some((_, at)) = next.pop() {
            if is_free[at] {
                let mut way = vec![at];
                let mut last = at;
                while from[&last] != last {
                    last = from[&last];
                    way.push(last);
                }
                way.reverse();
                return Ok(way);
            }
            for beside in self.beside(at) {
                if self.clearance[beside] > 0.0 && !from.contains_key(&beside) {
                    from.insert(beside, at);
                    next.push((width(beside), beside));
                }
            }
        }
        Err(from.into_keys().collect())
    }

    /// Where a way is narrowest, and how wide it is there, measured on the surface: across the way, from where
    /// there is most room.
    fn narrowest(&self, geometry: &Geometry, way: &[usize], is_free: &[bool]) -> (DVec3, f64) {
        let inner = way.iter().take_while(|&&at| !is_free[at]).count().max(1);
        let least =
            |a: &usize, b: &usize| self.clearance[way[*a]].total_cmp(&self.clearance[way[*b]]);
        let at = (0..inner).min_by(least).unwrap_or(0);
        let (before, after) = (at.saturating_sub(4), (at + 4).min(way.len() - 1));
        let along = (self.middle(way[after]) - self.middle(way[before])).normalize_or(DVec3::Z);
        let (u, v) = along.any_orthonormal_pair();
        let room = |place: DVec3| {
            let nearest = geometry.bvh().nearest(place.as_vec3(), f32::INFINITY, |_| true);
            nearest.map_or(0.0, |(_, met, _)| met.as_dvec3().distance(place))
        };
        let mut place = self.middle(way[at]);
        let mut best = room(place);
        // As far as there is room there is no wall between.
        let mut step = self.cell.min(0.9 * best);
        let (start, most) = (place, 4.0 * self.cell);
        while step > self.cell / 256.0 {
            let tries = [u, -u, v, -v].map(|side| place + side * step);
            // Into the open there is ever more room: what is narrow is near to where it was found.
            let near = tries.into_iter().filter(|place| place.distance(start) <= most);
            let better = near.map(|place| (place, room(place)));
            match better.max_by(|a, b| a.1.total_cmp(&b.1)) {
                Some((there, wider)) if wider > best => (place, best) = (there, wider),
                _ => step /= 2.0,
            }
        }
        (place, 2.0 * best)
    }

    /// How many cells of air a ball covers that rolls through a hollow.
    fn room_about(&self, hollow: &[usize], radius: f64) -> f64 {
        let [nx, ny, _] = self.counts;
        let places = |at: usize| [at % nx, at / nx % ny, at / (nx * ny)];
        let (mut low, mut high) = ([usize::MAX; 3], [0; 3]);
        for &at in hollow {
            for (axis, n) in places(at).into_iter().enumerate() {
                low[axis] = low[axis].min(n);
                high[axis] = high[axis].max(n);
            }
        }
        let reach = (radius / self.cell).ceil() as usize + 1;
        let low = low.map(|n| n.saturating_sub(reach));
        let high: [usize; 3] =
            std::array::from_fn(|axis| (high[axis] + reach + 1).min(self.counts[axis]));
        let own: [usize; 3] = std::array::from_fn(|axis| high[axis] - low[axis]);
        let mut squared = vec![f32::INFINITY; own.iter().product()];
        for &at in hollow {
            let [x, y, z] = places(at);
            squared[((z - low[2]) * own[1] + y - low[1]) * own[0] + x - low[0]] = 0.0;
        }
        spread(&mut squared, own);
        // What a ball about the middle of a cell covers reaches as far as its clearance says.
        let most = (radius / self.cell + 0.5).powi(2) as f32;
        let mut count = 0.0;
        for z in 0..own[2] {
            for y in 0..own[1] {
                let row = ((z + low[2]) * ny + y + low[1]) * nx + low[0];
                for x in 0..own[0] {
                    let is_near = squared[(z * own[1] + y) * own[0] + x] <= most;
                    if is_near && self.clearance[row + x] > 0.0 {
                        count += 1.0;
                    }
                }
            }
        }
        count
    }
}

/// Says where a row of cells along x is air: the distance to the body is 0 within, and not known yet outside.
fn air_of_row(row: &mut [f32], outlines: &[Outline], y: f64, x0: f64, cell: f64) {
    let mut turns = vec![0_i32; row.len() + 1];
    let mut pass = |a: DVec2, b: DVec2| {
        let up = match (a.y <= y, b.y <= y) {
            (true, false) => 1,
            (false, true) => -1,
            _ => return,
        };
        let x = a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y);
        let first = ((x - x0) / cell + 0.5).floor().clamp(0.0, row.len() as f64);
        turns[first as usize] += up;
    };
    for outline in outlines {
        let points = &outline.points;
        for pair in points.windows(2) {
            pass(pair[0], pair[1]);
        }
        if let (Some(&last), Some(&first)) = (points.last(), points.first()) {
            pass(last, first);
        }
    }
    let mut around = 0;
    for (cell, turn) in row.iter_mut().zip(turns) {
        around += turn;
        *cell = if around == 0 { f32::INFINITY } else { 0.0 };
    }
}

/// Makes of cells that are 0 or infinite the squared distance to the nearest that is 0, in cells.
fn spread(squared: &mut [f32], counts: [usize; 3]) {
    let [nx, ny, nz] = counts;
    squared.par_chunks_mut(nx * ny).for_each(|slab| {
        let mut line = Line::default();
        slab.chunks_mut(nx).for_each(|row| line.spread(row));
        let mut column = vec![0.0; ny];
        for x in 0..nx {
            (0..ny).for_each(|y| column[y] = slab[y * nx + x]);
            line.spread(&mut column);
            (0..ny).for_each(|y| slab[y * nx + x] = column[y]);
        }
    });
    let seen: &[f32] = squared;
    let upright: Vec<Vec<f32>> = (0..ny)
        .into_par_iter()
        .map(|y| {
            let mut line = Line::default();
            let mut wall = vec![0.0; nx * nz];
            for (x, column) in wall.chunks_mut(nz).enumerate() {
                (0..nz).for_each(|z| column[z] = seen[(z * ny + y) * nx + x]);
                line.spread(column);
            }
            wall
        })
        .collect();
    squared.par_chunks_mut(nx * ny).enumerate().for_each(|(z, slab)| {
        for (y, wall) in upright.iter().enumerate() {
            (0..nx).for_each(|x| slab[y * nx + x] = wall[x * nz + z]);
        }
    });
}

/// Room to work in along a line.
#[derive(Default)]
struct Line {
    /// The parabolas of the lower envelope: where each stands, how high, and from where on it is the lowest.
    hull: Vec<(f32, f32, f32)>,
}

impl Line {
    /// The least of `values[q] + (p − q)²` over all q, at every p (Felzenszwalb and Huttenlocher 2012, algorithm 1).
    fn spread(&mut self, values: &mut [f32]) {
        self.hull.clear();
        for (q, &height) in values.iter().enumerate() {
            if height.is_infinite() {
                continue;
            }
            let q = q as f32;
            let mut from = f32::NEG_INFINITY;
            while let Some(&(p, below, since)) = self.hull.last() {
                from = ((height + q * q) - (below + p * p)) / (2.0 * (q - p));
                if from > since {
                    break;
                }
                self.hull.pop();
                from = f32::NEG_INFINITY;
            }
            self.hull.push((q, height, from));
        }
        if self.hull.is_empty() {
            return;
        }
        let mut own = 0;
        for (p, value) in values.iter_mut().enumerate() {
            let p = p as f32;
            while self.hull.get(own + 1).is_some_and(|&(_, _, from)| from <= p) {
                own += 1;
            }
            let (q, height, _) = self.hull[own];
            *value = height + (p - q) * (p - q);
        }
    }
}
