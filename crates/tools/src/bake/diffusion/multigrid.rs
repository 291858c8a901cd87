//! One implicit step of heat on coarser and coarser graphs: what is applied to values, what is left, and about
//! what is to be added for that.

use rayon::prelude::*;
use speckle_mesh::geometry::conduction::{self, ALONE, Conduction, SIDE_BY_SIDE};

/// How many nodes one core sums up in a row, whole rows of them: sums are the same on any number of cores.
pub(super) const RUN: usize = 16_384;

/// What is found for each of so many, on all cores.
pub(super) fn each(count: usize, of: impl Fn(usize) -> f32 + Sync) -> Vec<f32> {
    (0..count).into_par_iter().with_min_len(1024).map(&of).collect()
}

/// The same on any number of cores.
pub(super) fn dot(a: &[f32], b: &[f32]) -> f64 {
    let sums: Vec<f64> = a
        .par_chunks(RUN)
        .zip(b.par_chunks(RUN))
        .map(|(a, b)| a.iter().zip(b).map(|(a, b)| f64::from(*a) * f64::from(*b)).sum())
        .collect();
    sums.iter().sum()
}

/// A step of a time on a graph: the areas, and what is conducted in that time.
pub(super) struct Level<'a> {
    graph: &'a conduction::Level,
    time: f32,
    /// Of each node, none below the least that counts.
    pub(super) areas: Vec<f32>,
    /// Of each node, its area and all that its edges conduct in the time.
    diagonal: Vec<f32>,
}

impl<'a> Level<'a> {
    fn new(graph: &'a conduction::Level, time: f32, least: f32) -> Self {
        let count = graph.areas().len();
        let areas = each(count, |node| graph.areas()[node].max(least));
        let diagonal = each(count, |node| areas[node] + time * graph.conducted()[node]);
        Self { graph, time, areas, diagonal }
    }

    /// Some numbers for each node, by itself and by what is applied to it: of runs on all cores, the sums of
    /// what each makes.
    fn through(
        &self,
        x: &[f32],
        out: &mut [f32],
        make: impl Fn(usize, f32, &mut f32) -> f64 + Sync,
    ) -> f64 {
        let runs = out.par_chunks_mut(RUN).enumerate().map(|(nth, run)| {
            let mut sum = 0.0;
            let first = nth * RUN;
            for (row, outs) in (first / SIDE_BY_SIDE..).zip(run.chunks_mut(SIDE_BY_SIDE)) {
                let mut around = [0.0_f32; SIDE_BY_SIDE];
                for (others, conduct) in self.graph.row(row) {
                    for side in 0..SIDE_BY_SIDE {
                        around[side] += conduct[side] * x[others[side] as usize];
                    }
                }
                for ((node, out), around) in (row * SIDE_BY_SIDE..).zip(outs).zip(around) {
                    let applied = self.diagonal[node] * x[node] - self.time * around;
                    sum += make(node, applied, out);
                }
            }
            sum
        });
        let sums: Vec<f64> = runs.collect();
        sums.iter().sum()
    }

    /// What is applied to numbers, and how much of it goes along with them.
    pub(super) fn applied(&self, x: &[f32], out: &mut [f32]) -> f64 {
        self.through(x, out, |node, applied, out| {
            *out = applied;
            f64::from(x[node]) * f64::from(applied)
        })
    }

    /// What is left of a right-hand side.
    pub(super) fn left(&self, x: &[f32], right: &[f32], out: &mut [f32]) {
        self.through(x, out, |node, applied, out| {
            *out = right[node] - applied;
            0.0
        });
    }

    /// A step of Jacobi's, held back so that nothing swings; how much of what comes out goes along with the
    /// right-hand side.
    fn smoothed(&self, x: &[f32], right: &[f32], out: &mut [f32]) -> f64 {
        self.through(x, out, |node, applied, out| {
            *out = x[node] + HELD_BACK * (right[node] - applied) / self.diagonal[node];
            f64::from(*out) * f64::from(right[node])
        })
    }

    /// The same from nothing.
    fn smoothed_from_nothing(&self, right: &[f32], out: &mut [f32]) {
        let runs = out.par_chunks_mut(RUN).zip(right.par_chunks(RUN));
        runs.zip(self.diagonal.par_chunks(RUN)).for_each(|((out, right), diagonal)| {
            for ((out, right), diagonal) in out.iter_mut().zip(right).zip(diagonal) {
                *out = HELD_BACK * right / diagonal;
            }
        });
    }

    /// Goes so far on a way; the square of where that is, summed over the surface.
    pub(super) fn go(
        &self,
        step: f32,
        [way, next]: [&[f32]; 2],
        [x, left]: [&mut Vec<f32>; 2],
    ) -> f64 {
        let there = x.par_chunks_mut(RUN).zip(left.par_chunks_mut(RUN));
        let ways = way.par_chunks(RUN).zip(next.par_chunks(RUN)).zip(self.areas.par_chunks(RUN));
        let runs = there.zip(ways).map(|((x, left), ((way, next), areas))| {
            left.iter_mut().zip(next).for_each(|(left, next)| *left -= step * next);
            let mut sum = 0.0;
            for ((x, way), area) in x.iter_mut().zip(way).zip(areas) {
                *x += step * way;
                sum += f64::from(*area) * f64::from(*x) * f64::from(*x);
            }
            sum
        });
        let sums: Vec<f64> = runs.collect();
        sums.iter().sum()
    }

    /// The square of numbers, summed over the surface.
    pub(super) fn whole(&self, x: &[f32]) -> f64 {
        let square = |(x, area): (&f32, &f32)| f64::from(*area) * f64::from(*x) * f64::from(*x);
        let runs = x.par_chunks(RUN).zip(self.areas.par_chunks(RUN));
        let sums: Vec<f64> = runs.map(|(x, areas)| x.iter().zip(areas).map(square).sum()).collect();
        sums.iter().sum()
    }

    /// How large what is left is beside the areas, were each node by itself.
    pub(super) fn size(&self, left: &[f32]) -> f64 {
        let square = |(x, d): (&f32, &f32)| f64::from(*x) * f64::from(*x) / f64::from(*d);
        let runs = left.par_chunks(RUN).zip(self.diagonal.par_chunks(RUN));
        let sums: Vec<f64> = runs.map(|(x, ds)| x.iter().zip(ds).map(square).sum()).collect();
        sums.iter().sum()
    }

    /// Whether heat goes further than from one node to the next in the time.
    fn goes_far(&self) -> bool {
        let whole: f64 = self.areas.iter().map(|&area| f64::from(area)).sum();
        let diagonal: f64 = self.diagonal.iter().map(|&d| f64::from(d)).sum();
        diagonal > FAR * whole
    }
}

/// How much of a step of Jacobi's is taken.
const HELD_BACK: f32 = 0.85;

/// How many times the areas all that is conducted has to be for a coarser graph to be of help. Even where heat
/// hardly goes from one point to the next, it goes far where the mesh is much finer than elsewhere.
const FAR: f64 = 1.01;

/// How many steps are taken on the coarsest graph.
const COARSEST_STEPS: usize = 12;

/// A step of a time on coarser and coarser graphs.
pub(super) struct Multigrid<'a> {
    pub(super) levels: Vec<Level<'a>>,
}

/// Room to work in on a level: what comes of it, what is left on the way, and what is left for the next one.
pub(super) struct Room {
    x: Vec<f32>,
    between: Vec<f32>,
    coarse: Vec<f32>,
}

impl<'a> Multigrid<'a> {
    pub(super) fn new(conduction: &'a Conduction, time: f32, least: f32) -> Self {
        let mut levels: Vec<Level> = Vec::new();
        for graph in conduction.levels() {
            if !levels.last().is_none_or(Level::goes_far) {
                break;
            }
            levels.push(Level::new(graph, time, least));
        }
        Self { levels }
    }

    /// Room for each level.
    pub(super) fn room(&self) -> Vec<Room> {
        let count = |nth: usize| self.levels.get(nth).map_or(0, |level| level.diagonal.len());
        let room = |nth: usize| {
            let zeros = |count: usize| vec![0.0; count];
            Room { x: zeros(count(nth)), between: zeros(count(nth)), coarse: zeros(count(nth + 1)) }
        };
        (0..self.levels.len()).map(room).collect()
    }

    /// About what is to be added for what is left; how much of it goes along with that.
    pub(super) fn soft(&self, left: &[f32], out: &mut Vec<f32>, room: &mut [Room]) -> f64 {
        std::mem::swap(&mut room[0].x, out);
        let along = self.cycle(0, left, room);
        std::mem::swap(&mut room[0].x, out);
        along
    }

    /// A step before and one after what the coarser graph adds: the same from either side, as
    /// conjugate gradients need it. What comes of it is in the room of the level; how much of it goes along
    /// with the right-hand side.
    fn cycle(&self, nth: usize, right: &[f32], room: &mut [Room]) -> f64 {
        let level = &self.levels[nth];
        let Some((Room { x, between, coarse }, below)) = room.split_first_mut() else { return 0.0 };
        level.smoothed_from_nothing(right, x);
        let together = level.graph.together().filter(|_| !below.is_empty());
        let Some(together) = together else {
            // One by itself is all there is to go by; a coarsest one of others is gone over to its end.
            let mut along = dot(x, right);
            for _ in 1..if nth == 0 { 1 } else { COARSEST_STEPS } {
                along = level.smoothed(x, right, between);
                std::mem::swap(x, between);
            }
            return along;
        };
        level.left(x, right, between);
        let members = |node: usize| together.members(node).iter();
        let sums = coarse.par_iter_mut().with_min_len(1024).enumerate();
        sums.for_each(|(node, sum)| {
            *sum = members(node).map(|&member| between[member as usize]).sum();
        });
        self.cycle(nth + 1, coarse, below);
        let added = &below[0].x;
        x.par_iter_mut().with_min_len(1024).zip(together.of()).for_each(|(x, &of)| {
            if of != ALONE {
                *x += added[of as usize];
            }
        });
        let along = level.smoothed(x, right, between);
        std::mem::swap(x, between);
        along
    }
}
