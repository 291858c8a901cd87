//! One implicit step of heat on coarser and coarser graphs: what is applied to values, what is left, and about
//! what is to be added for that.

use rayon::prelude::*;
use speckle_mesh::geometry::conduction::{self, ALONE, Conduction, SIDE_BY_SIDE};

/// How many nodes one core sums up in a row, whole rows of them: sums are the same on any number of cores.
pub(super) const RUN: usize = 16_384;

/// Several numbers for each node, that spread by themselves: side by side, since looking at a node's edges takes
/// longer than going over what they lead to.
pub(super) type Side<const N: usize> = [f32; N];

/// A sum for each of them.
pub(super) type Sums<const N: usize> = [f64; N];

/// What is found for each of so many, on all cores.
pub(super) fn each<T: Send>(count: usize, of: impl Fn(usize) -> T + Sync) -> Vec<T> {
    (0..count).into_par_iter().with_min_len(1024).map(&of).collect()
}

/// The sums of runs, the same on any number of cores.
fn total<const N: usize>(runs: impl IndexedParallelIterator<Item = Sums<N>>) -> Sums<N> {
    let sums: Vec<Sums<N>> = runs.collect();
    sums.iter().fold([0.0; N], |all, run| plus(all, *run))
}

fn plus<const N: usize>(a: Sums<N>, b: Sums<N>) -> Sums<N> {
    std::array::from_fn(|k| a[k] + b[k])
}

/// How much of the one goes along with the other.
fn products<const N: usize>(a: &Side<N>, b: &Side<N>) -> Sums<N> {
    std::array::from_fn(|k| f64::from(a[k]) * f64::from(b[k]))
}

/// How much of some numbers goes along with others.
fn dot<const N: usize>(a: &[Side<N>], b: &[Side<N>]) -> Sums<N> {
    let run = |(a, b): (&[Side<N>], &[Side<N>])| {
        a.iter().zip(b).fold([0.0; N], |sum, (a, b)| plus(sum, products(a, b)))
    };
    total(a.par_chunks(RUN).zip(b.par_chunks(RUN)).map(run))
}

/// A step on a graph, of a time for each of several: the areas, and what is conducted in that time.
pub(super) struct Level<'a, const N: usize> {
    graph: &'a conduction::Level,
    times: Side<N>,
    /// Of each node, none below the least that counts.
    pub(super) areas: Vec<f32>,
    /// Of each node, its area and all that its edges conduct in the time.
    diagonal: Vec<Side<N>>,
}

impl<'a, const N: usize> Level<'a, N> {
    fn new(graph: &'a conduction::Level, times: Side<N>, least: f32) -> Self {
        let count = graph.areas().len();
        let areas = each(count, |node| graph.areas()[node].max(least));
        let diagonal =
            each(count, |node| times.map(|time| areas[node] + time * graph.conducted()[node]));
        Self { graph, times, areas, diagonal }
    }

    /// Some numbers for each node, by itself and by what is applied to it: of runs on all cores, the sums of
    /// what each makes.
    fn through(
        &self,
        x: &[Side<N>],
        out: &mut [Side<N>],
        make: impl Fn(usize, Side<N>, &mut Side<N>) -> Sums<N> + Sync,
    ) -> Sums<N> {
        total(out.par_chunks_mut(RUN).enumerate().map(|(nth, run)| {
            let mut sum = [0.0; N];
            let first = nth * RUN;
            for (row, outs) in (first / SIDE_BY_SIDE..).zip(run.chunks_mut(SIDE_BY_SIDE)) {
                let mut around = [[0.0_f32; N]; SIDE_BY_SIDE];
                for (others, conduct) in self.graph.row(row) {
                    for side in 0..SIDE_BY_SIDE {
                        let other = &x[others[side] as usize];
                        for k in 0..N {
                            around[side][k] += conduct[side] * other[k];
                        }
                    }
                }
                for ((node, out), around) in (row * SIDE_BY_SIDE..).zip(outs).zip(around) {
                    let (x, diagonal) = (&x[node], &self.diagonal[node]);
                    let applied =
                        std::array::from_fn(|k| diagonal[k] * x[k] - self.times[k] * around[k]);
                    sum = plus(sum, make(node, applied, out));
                }
            }
            sum
        }))
    }

    /// What is applied to numbers, and how much of it goes along with them.
    pub(super) fn applied(&self, x: &[Side<N>], out: &mut [Side<N>]) -> Sums<N> {
        self.through(x, out, |node, applied, out| {
            *out = applied;
            products(&x[node], &applied)
        })
    }

    /// What is left of a right-hand side.
    pub(super) fn left(&self, x: &[Side<N>], right: &[Side<N>], out: &mut [Side<N>]) {
        self.through(x, out, |node, applied, out| {
            *out = std::array::from_fn(|k| right[node][k] - applied[k]);
            [0.0; N]
        });
    }

    /// A step of Jacobi's, held back so that nothing swings; how much of what comes out goes along with the
    /// right-hand side.
    fn smoothed(&self, x: &[Side<N>], right: &[Side<N>], out: &mut [Side<N>]) -> Sums<N> {
        self.through(x, out, |node, applied, out| {
            let (x, right, diagonal) = (&x[node], &right[node], &self.diagonal[node]);
            *out =
                std::array::from_fn(|k| x[k] + HELD_BACK * (right[k] - applied[k]) / diagonal[k]);
            products(out, right)
        })
    }

    /// The same from nothing.
    fn smoothed_from_nothing(&self, right: &[Side<N>], out: &mut [Side<N>]) {
        let runs = out.par_chunks_mut(RUN).zip(right.par_chunks(RUN));
        runs.zip(self.diagonal.par_chunks(RUN)).for_each(|((out, right), diagonal)| {
            for ((out, right), diagonal) in out.iter_mut().zip(right).zip(diagonal) {
                *out = std::array::from_fn(|k| HELD_BACK * right[k] / diagonal[k]);
            }
        });
    }

    /// Goes so far on a way; the square of where that is, summed over the surface.
    pub(super) fn go(
        &self,
        steps: Side<N>,
        [way, next]: [&[Side<N>]; 2],
        [x, left]: [&mut Vec<Side<N>>; 2],
    ) -> Sums<N> {
        let there = x.par_chunks_mut(RUN).zip(left.par_chunks_mut(RUN));
        let ways = way.par_chunks(RUN).zip(next.par_chunks(RUN)).zip(self.areas.par_chunks(RUN));
        total(there.zip(ways).map(|((x, left), ((way, next), areas))| {
            let mut sum = [0.0; N];
            for (left, next) in left.iter_mut().zip(next) {
                (0..N).for_each(|k| left[k] -= steps[k] * next[k]);
            }
            for ((x, way), area) in x.iter_mut().zip(way).zip(areas) {
                (0..N).for_each(|k| x[k] += steps[k] * way[k]);
                sum = plus(sum, squares(x, f64::from(*area)));
            }
            sum
        }))
    }

    /// The squares of numbers, summed over the surface.
    pub(super) fn whole(&self, x: &[Side<N>]) -> Sums<N> {
        total(x.par_chunks(RUN).zip(self.areas.par_chunks(RUN)).map(|(x, areas)| {
            let squares = |(x, area): (&Side<N>, &f32)| squares(x, f64::from(*area));
            x.iter().zip(areas).map(squares).fold([0.0; N], plus)
        }))
    }

    /// How large what is left is beside the areas, were each node by itself.
    pub(super) fn size(&self, left: &[Side<N>]) -> Sums<N> {
        total(left.par_chunks(RUN).zip(self.diagonal.par_chunks(RUN)).map(|(left, diagonals)| {
            let mut sum = [0.0; N];
            for (left, diagonal) in left.iter().zip(diagonals) {
                (0..N).for_each(|k| sum[k] += f64::from(left[k]).powi(2) / f64::from(diagonal[k]));
            }
            sum
        }))
    }

    /// Whether heat goes further than from one node to the next in any of the times.
    fn goes_far(&self) -> bool {
        let whole: f64 = self.areas.iter().map(|&area| f64::from(area)).sum();
        let diagonal = |k| self.diagonal.iter().map(|side| f64::from(side[k])).sum::<f64>();
        (0..N).any(|k| diagonal(k) > FAR * whole)
    }
}

/// The squares of numbers, so many times.
fn squares<const N: usize>(x: &Side<N>, area: f64) -> Sums<N> {
    x.map(|x| area * f64::from(x) * f64::from(x))
}

/// How much of a step of Jacobi's is taken.
const HELD_BACK: f32 = 0.85;

/// How many times the areas all that is conducted has to be for a coarser graph to be of help. Even where heat
/// hardly goes from one point to the next, it goes far where the mesh is much finer than elsewhere.
const FAR: f64 = 1.01;

/// How many steps are taken on the coarsest graph.
const COARSEST_STEPS: usize = 12;

/// A step on coarser and coarser graphs.
pub(super) struct Multigrid<'a, const N: usize> {
    pub(super) levels: Vec<Level<'a, N>>,
}

/// Room to work in on a level: what comes of it, what is left on the way, and what is left for the next one.
pub(super) struct Room<const N: usize> {
    x: Vec<Side<N>>,
    between: Vec<Side<N>>,
    coarse: Vec<Side<N>>,
}

impl<'a, const N: usize> Multigrid<'a, N> {
    pub(super) fn new(conduction: &'a Conduction, times: Side<N>, least: f32) -> Self {
        let mut levels: Vec<Level<N>> = Vec::new();
        for graph in conduction.levels() {
            if !levels.last().is_none_or(Level::goes_far) {
                break;
            }
            levels.push(Level::new(graph, times, least));
        }
        Self { levels }
    }

    /// Room for each level.
    pub(super) fn room(&self) -> Vec<Room<N>> {
        let count = |nth: usize| self.levels.get(nth).map_or(0, |level| level.diagonal.len());
        let room = |nth: usize| {
            let zeros = |count: usize| vec![[0.0; N]; count];
            Room { x: zeros(count(nth)), between: zeros(count(nth)), coarse: zeros(count(nth + 1)) }
        };
        (0..self.levels.len()).map(room).collect()
    }

    /// About what is to be added for what is left; how much of it goes along with that.
    pub(super) fn soft(
        &self,
        left: &[Side<N>],
        out: &mut Vec<Side<N>>,
        room: &mut [Room<N>],
    ) -> Sums<N> {
        std::mem::swap(&mut room[0].x, out);
        let along = self.cycle(0, left, room);
        std::mem::swap(&mut room[0].x, out);
        along
    }

    /// A step before and one after what the coarser graph adds: the same from either side, as
    /// conjugate gradients need it. What comes of it is in the room of the level; how much of it goes along
    /// with the right-hand side.
    fn cycle(&self, nth: usize, right: &[Side<N>], room: &mut [Room<N>]) -> Sums<N> {
        let level = &self.levels[nth];
        let Some((Room { x, between, coarse }, below)) = room.split_first_mut() else {
            return [0.0; N];
        };
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
            *sum = [0.0; N];
            for &member in members(node) {
                (0..N).for_each(|k| sum[k] += between[member as usize][k]);
            }
        });
        self.cycle(nth + 1, coarse, below);
        let added = &below[0].x;
        x.par_iter_mut().with_min_len(1024).zip(together.of()).for_each(|(x, &of)| {
            if of != ALONE {
                (0..N).for_each(|k| x[k] += added[of as usize][k]);
            }
        });
        let along = level.smoothed(x, right, between);
        std::mem::swap(x, between);
        along
    }
}
