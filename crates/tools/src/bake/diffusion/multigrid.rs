//! One implicit step of heat on coarser and coarser graphs: what is applied to values, what is left, and about
//! what is to be added for that.

use rayon::prelude::*;
use speckle_mesh::geometry::conduction::{ALONE, Conduction, Graph, Together};

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

/// How many nodes are looked at side by side: what each sums up is in its own order.
const SIDE_BY_SIDE: usize = 8;

/// A step of a time on a graph: the areas, and what is conducted in that time.
pub(super) struct Level {
    time: f32,
    /// Of each node, none below the least that counts.
    pub(super) areas: Vec<f32>,
    /// Of each node, its area and all that its edges conduct in the time.
    diagonal: Vec<f32>,
    /// Of each row of nodes, where its edges begin, and one past the last.
    starts: Vec<u32>,
    /// One edge of each node of a row, to which other, and how well it conducts; those that have fewer than
    /// others go to themselves, and conduct nothing.
    edges: Vec<([u32; SIDE_BY_SIDE], [f32; SIDE_BY_SIDE])>,
}

impl Level {
    fn new(graph: &Graph, time: f32, least: f32) -> Self {
        let count = graph.areas().len();
        let conducted = |node: usize| graph.edges(node).iter().map(|(_, w)| w).sum::<f32>();
        let areas = each(count, |node| graph.areas()[node].max(least));
        let diagonal = each(count, |node| areas[node] + time * conducted(node));
        let row = |row: usize| (row * SIDE_BY_SIDE..count).take(SIDE_BY_SIDE);
        let rows = count.div_ceil(SIDE_BY_SIDE);
        let lengths = (0..rows).into_par_iter().with_min_len(1024);
        let lengths = lengths.map(|nth| row(nth).map(|node| graph.edges(node).len()).max());
        let mut starts = vec![0_u32];
        for length in lengths.collect::<Vec<_>>() {
            starts.push(starts[starts.len() - 1] + length.unwrap_or(0) as u32);
        }
        let edges = (0..rows).into_par_iter().with_min_len(1024).flat_map_iter(|nth| {
            let length = (starts[nth + 1] - starts[nth]) as usize;
            (0..length).map(move |edge| {
                let (mut others, mut conduct) = ([0; SIDE_BY_SIDE], [0.0; SIDE_BY_SIDE]);
                for (side, node) in row(nth).enumerate() {
                    let own = graph.edges(node).get(edge);
                    (others[side], conduct[side]) = own.copied().unwrap_or((node as u32, 0.0));
                }
                (others, conduct)
            })
        });
        let edges = edges.collect();
        Self { time, areas, diagonal, starts, edges }
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
                let own = self.starts[row] as usize..self.starts[row + 1] as usize;
                for (others, conduct) in &self.edges[own] {
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

    /// A step of Jacobi's, held back so that nothing swings.
    fn smoothed(&self, x: &[f32], right: &[f32], out: &mut [f32]) {
        self.through(x, out, |node, applied, out| {
            *out = x[node] + HELD_BACK * (right[node] - applied) / self.diagonal[node];
            0.0
        });
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

    /// Whether heat goes further than from one node to the next in the time.
    fn goes_far(&self) -> bool {
        let whole: f64 = self.areas.iter().map(|&area| f64::from(area)).sum();
        let diagonal: f64 = self.diagonal.iter().map(|&d| f64::from(d)).sum();
        diagonal > FAR * whole
    }
}

/// How much of a step of Jacobi's is taken.
const HELD_BACK: f32 = 0.7;

/// How many times the areas all that is conducted has to be for coarser graphs to be of help.
const FAR: f64 = 30.0;

/// How many steps are taken on the coarsest graph.
const COARSEST_STEPS: usize = 12;

/// A step of a time on coarser and coarser graphs.
pub(super) struct Multigrid<'a> {
    pub(super) levels: Vec<Level>,
    /// How each came of the one before.
    togethers: Vec<&'a Together>,
}

/// Room to work in on a level: what comes of it, what is left on the way, and what is left for the next one.
pub(super) struct Room {
    x: Vec<f32>,
    between: Vec<f32>,
    coarse: Vec<f32>,
}

impl<'a> Multigrid<'a> {
    pub(super) fn new(conduction: &'a Conduction, time: f32, least: f32) -> Self {
        let mut levels = vec![Level::new(conduction.finest(), time, least)];
        let mut togethers = Vec::new();
        for (together, graph) in conduction.coarser() {
            if !levels.last().is_some_and(Level::goes_far) {
                break;
            }
            levels.push(Level::new(graph, time, least));
            togethers.push(together);
        }
        Self { levels, togethers }
    }

    /// Room for each level; none where there is only one.
    pub(super) fn room(&self) -> Vec<Room> {
        let count = |nth: usize| self.levels.get(nth).map_or(0, |level| level.diagonal.len());
        let room = |nth: usize| {
            let zeros = |count: usize| vec![0.0; count];
            Room { x: zeros(count(nth)), between: zeros(count(nth)), coarse: zeros(count(nth + 1)) }
        };
        if self.togethers.is_empty() {
            Vec::new()
        } else {
            (0..self.levels.len()).map(room).collect()
        }
    }

    /// About what is to be added for what is left.
    pub(super) fn soft(&self, left: &[f32], out: &mut Vec<f32>, room: &mut [Room]) {
        if let Some(finest) = room.first_mut() {
            std::mem::swap(&mut finest.x, out);
            self.cycle(0, left, room);
            std::mem::swap(&mut room[0].x, out);
            return;
        }
        let runs = out.par_chunks_mut(RUN).zip(left.par_chunks(RUN));
        runs.zip(self.levels[0].diagonal.par_chunks(RUN)).for_each(|((out, left), diagonal)| {
            for ((out, left), diagonal) in out.iter_mut().zip(left).zip(diagonal) {
                *out = left / diagonal;
            }
        });
    }

    /// A step before and one after what the coarser graph adds: the same from either side, as
    /// conjugate gradients need it. What comes of it is in the room of the level.
    fn cycle(&self, nth: usize, right: &[f32], room: &mut [Room]) {
        let level = &self.levels[nth];
        let Some((Room { x, between, coarse }, below)) = room.split_first_mut() else { return };
        level.smoothed_from_nothing(right, x);
        let Some(together) = self.togethers.get(nth) else {
            for _ in 1..COARSEST_STEPS {
                level.smoothed(x, right, between);
                std::mem::swap(x, between);
            }
            return;
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
        level.smoothed(x, right, between);
        std::mem::swap(x, between);
    }
}
