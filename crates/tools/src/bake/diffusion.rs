//! Heat that spreads over the surface: means over a surrounding, whatever the mesh is like there.

use std::borrow::Cow;

use rayon::prelude::*;
use speckle_mesh::{
    Geometry, Placement,
    geometry::conduction::{ALONE, Conduction, Graph, Together},
};

use super::watch::{GivenUp, Watch};

/// Heat on a surface.
pub struct Diffusion<'a> {
    geometry: &'a Geometry,
    conduction: Cow<'a, Conduction>,
}

/// How many vertices one core sums up in a row: sums are the same on any number of cores.
const RUN: usize = 16_384;

/// Several steps come near to heat itself, whose peak over an edge hardly depends on how fine the
/// mesh is; a single one is pointed.
const STEPS: usize = 4;

/// How much higher the bell of those steps is over a line than that of heat itself: √k Γ(k − ½) / Γ(k)
/// for k of them.
pub const PEAK: f32 = 1.107_783_8;

/// The most steps towards the answer.
const MOST_STEPS: usize = 400;

/// How small what is off has to become, as a share of the answer (both squared and summed over the
/// surface).
const TOLERANCE: f64 = 1e-3;

impl<'a> Diffusion<'a> {
    /// Makes ready.
    ///
    /// # Errors
    /// When it was given up.
    pub fn new(geometry: &'a Geometry, watch: &Watch) -> Result<Self, GivenUp> {
        watch.check()?;
        let conduction = Cow::Borrowed(geometry.conduction());
        watch.check()?;
        Ok(Self { geometry, conduction })
    }

    /// What lies at each vertex by how much area there is around its point.
    #[must_use]
    pub fn densities(&self, masses: &[f32]) -> Vec<f32> {
        let topology = self.geometry.topology();
        let density = |vertex: usize| {
            let point = topology.point_of(vertex);
            let area = self.conduction.finest().areas()[point];
            if area > 0.0 { masses[point] / area } else { 0.0 }
        };
        (0..masses.len()).into_par_iter().map(density).collect()
    }

    /// Lets nothing through between points that are apart.
    fn cut(&mut self, are_apart: impl Fn(usize, usize) -> bool) {
        self.conduction = Cow::Owned(self.conduction.cut(are_apart));
    }

    /// Means over a disc of a radius about each vertex: it and heat after this time spread alike, r²/4
    /// on each axis, 2 t.
    ///
    /// # Errors
    /// When it was given up.
    pub fn about(&self, values: &mut Vec<f32>, radius: f32, watch: &Watch) -> Result<(), GivenUp> {
        let time = radius * radius / 8.0 / STEPS as f32;
        (0..STEPS).try_for_each(|_| self.spread(values, time, watch))
    }

    /// Lets values at the vertices spread for a time (length²): one step of implicit Euler, solved by
    /// conjugate gradients, each step of which is helped along by what coarser graphs say of it.
    ///
    /// # Errors
    /// When it was given up; the values are then what they were.
    pub fn spread(&self, values: &mut Vec<f32>, time: f32, watch: &Watch) -> Result<(), GivenUp> {
        let least = self.geometry.measures().median_edge.max(f32::MIN_POSITIVE).powi(2) * 1e-6;
        let multigrid = Multigrid::new(&self.conduction, time, least);
        let finest = &multigrid.levels[0];
        // What stands at a point beside its first vertex takes no part: it gets what that has.
        let topology = self.geometry.topology();
        let is_first = |v: usize| topology.point_of(v) == v;
        let start = each(values.len(), |v| if is_first(v) { values[v] } else { 0.0 });
        let right = each(start.len(), |v| finest.area(v) * start[v]);
        // From where it is, or from nothing: what is rough is further from the answer than that.
        let from_there = finest.left(&start, &right);
        let (there, nothing) = (multigrid.soft(&from_there), multigrid.soft(&right));
        let (rest_there, rest_nothing) = (dot(&from_there, &there), dot(&right, &nothing));
        let (mut x, mut left, mut softened, mut rest) = if rest_there <= rest_nothing {
            (start, from_there, there, rest_there)
        } else {
            (vec![0.0; right.len()], right, nothing, rest_nothing)
        };
        let mut way = softened.clone();
        for _ in 0..MOST_STEPS {
            watch.check()?;
            // What is still off, beside what has come out.
            let goal = TOLERANCE * TOLERANCE * finest.whole(&x);
            if rest <= goal || !rest.is_finite() || rest == 0.0 {
                break;
            }
            let next = finest.applied(&way);
            let step = (rest / dot(&way, &next)) as f32;
            if !step.is_finite() {
                break;
            }
            x.par_iter_mut().zip(&way).for_each(|(x, w)| *x += step * w);
            left.par_iter_mut().zip(&next).for_each(|(l, n)| *l -= step * n);
            softened = multigrid.soft(&left);
            let now = dot(&left, &softened);
            let turn = (now / rest) as f32;
            rest = now;
            way.par_iter_mut().zip(&softened).for_each(|(w, s)| *w = s + turn * *w);
        }
        if x.iter().all(|x| x.is_finite()) {
            *values = each(x.len(), |v| x[topology.point_of(v)]);
        }
        Ok(())
    }
}

/// What is found for each of so many, on all cores.
fn each(count: usize, of: impl Fn(usize) -> f32 + Sync) -> Vec<f32> {
    (0..count).into_par_iter().with_min_len(1024).map(&of).collect()
}

/// The same on any number of cores.
fn dot(a: &[f32], b: &[f32]) -> f64 {
    let sums: Vec<f64> = a
        .par_chunks(RUN)
        .zip(b.par_chunks(RUN))
        .map(|(a, b)| a.iter().zip(b).map(|(a, b)| f64::from(*a) * f64::from(*b)).sum())
        .collect();
    sums.iter().sum()
}

/// A step of a time on a graph: the areas, and what is conducted in that time.
struct Level<'a> {
    graph: &'a Graph,
    time: f32,
    /// The least area that counts.
    least: f32,
    /// Of each node, its area and all that its edges conduct in the time.
    diagonal: Vec<f32>,
}

impl<'a> Level<'a> {
    fn new(graph: &'a Graph, time: f32, least: f32) -> Self {
        let conducted = |node: usize| graph.edges(node).iter().map(|(_, w)| w).sum::<f32>();
        let area = |node: usize| graph.areas()[node].max(least);
        let diagonal = each(graph.areas().len(), |node| area(node) + time * conducted(node));
        Self { graph, time, least, diagonal }
    }

    fn area(&self, node: usize) -> f32 {
        self.graph.areas()[node].max(self.least)
    }

    fn applied_at(&self, x: &[f32], node: usize) -> f32 {
        let around: f32 = self.graph.edges(node).iter().map(|&(o, w)| w * x[o as usize]).sum();
        self.diagonal[node] * x[node] - self.time * around
    }

    fn applied(&self, x: &[f32]) -> Vec<f32> {
        each(x.len(), |node| self.applied_at(x, node))
    }

    /// The square of numbers, summed over the surface.
    fn whole(&self, x: &[f32]) -> f64 {
        let run = |(nth, run): (usize, &[f32])| -> f64 {
            let square = |(i, x): (usize, &f32)| {
                f64::from(self.area(nth * RUN + i)) * f64::from(*x) * f64::from(*x)
            };
            run.iter().enumerate().map(square).sum()
        };
        let sums: Vec<f64> = x.par_chunks(RUN).enumerate().map(run).collect();
        sums.iter().sum()
    }

    /// What is left of a right-hand side.
    fn left(&self, x: &[f32], right: &[f32]) -> Vec<f32> {
        each(x.len(), |node| right[node] - self.applied_at(x, node))
    }

    /// A step of Jacobi's, held back so that nothing swings.
    fn smoothed(&self, x: &[f32], right: &[f32]) -> Vec<f32> {
        each(x.len(), |node| {
            let left = right[node] - self.applied_at(x, node);
            x[node] + HELD_BACK * left / self.diagonal[node]
        })
    }

    /// Whether heat goes further than from one node to the next in the time.
    fn goes_far(&self) -> bool {
        let whole: f64 = (0..self.diagonal.len()).map(|node| f64::from(self.area(node))).sum();
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
struct Multigrid<'a> {
    levels: Vec<Level<'a>>,
    /// How each came of the one before.
    togethers: Vec<&'a Together>,
}

impl<'a> Multigrid<'a> {
    fn new(conduction: &'a Conduction, time: f32, least: f32) -> Self {
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

    /// About what is to be added for what is left.
    fn soft(&self, left: &[f32]) -> Vec<f32> {
        let finest = &self.levels[0];
        if self.levels.len() == 1 {
            return each(left.len(), |node| left[node] / finest.diagonal[node]);
        }
        self.cycle(0, left)
    }

    /// A step before and one after what the coarser graph adds: the same from either side, as
    /// conjugate gradients need it.
    fn cycle(&self, nth: usize, right: &[f32]) -> Vec<f32> {
        let level = &self.levels[nth];
        let mut x = each(right.len(), |node| HELD_BACK * right[node] / level.diagonal[node]);
        let Some(together) = self.togethers.get(nth) else {
            for _ in 1..COARSEST_STEPS {
                x = level.smoothed(&x, right);
            }
            return x;
        };
        let left = level.left(&x, right);
        let members = |node: usize| together.members(node).iter();
        let count = self.levels[nth + 1].diagonal.len();
        let coarse_right =
            each(count, |node| members(node).map(|&member| left[member as usize]).sum());
        let coarse = self.cycle(nth + 1, &coarse_right);
        x.par_iter_mut().with_min_len(1024).zip(together.of()).for_each(|(x, &of)| {
            if of != ALONE {
                *x += coarse[of as usize];
            }
        });
        level.smoothed(&x, right)
    }
}

/// Vertex values brought to another placement: of a corner that of its vertex, of a face the mean.
#[must_use]
pub fn placed(geometry: &Geometry, placement: Placement, values: Vec<f32>) -> Vec<f32> {
    let mesh = geometry.mesh();
    let of_face = |face: usize| {
        let vertices = mesh.face_vertices(face);
        vertices.iter().map(|&v| values[v as usize]).sum::<f32>() / vertices.len() as f32
    };
    match placement {
        Placement::Vertex => values,
        Placement::Face => (0..mesh.face_count()).into_par_iter().map(of_face).collect(),
        Placement::Corner => {
            mesh.corner_vertices().par_iter().map(|&v| values[v as usize]).collect()
        }
    }
}

/// Values of N numbers at the elements of a placement, each the mean over a disc of a radius about it;
/// what differs by more than a limit in any does not mix where it meets.
///
/// They spread from point to point. What corners and faces at the points differ by beside that
/// fades as heat's finest wave does, which is two edges long.
///
/// # Errors
/// When it was given up.
pub fn over<const N: usize>(
    values: Vec<[f32; N]>,
    geometry: &Geometry,
    placement: Placement,
    (radius, limit): (f32, f32),
    watch: &Watch,
) -> Result<Vec<[f32; N]>, GivenUp> {
    let points = at_points(&values, geometry, placement);
    let mut diffusion = Diffusion::new(geometry, watch)?;
    if limit.is_finite() {
        diffusion.cut(|a, b| (0..N).any(|k| (points[a][k] - points[b][k]).abs() > limit));
    }
    let mut spread = points.clone();
    for k in 0..N {
        let mut one: Vec<f32> = points.par_iter().map(|value| value[k]).collect();
        diffusion.about(&mut one, radius, watch)?;
        spread.par_iter_mut().zip(&one).for_each(|(value, one)| value[k] = *one);
    }
    let edge = geometry.measures().median_edge.max(f32::MIN_POSITIVE);
    let wave = std::f32::consts::PI / edge;
    let left = (-radius * radius / 8.0 * wave * wave).exp();
    let mesh = geometry.mesh();
    let mean_of = |points: &[[f32; N]], element: usize| -> [f32; N] {
        match placement {
            Placement::Vertex => points[element],
            Placement::Corner => points[mesh.corner_vertices()[element] as usize],
            Placement::Face => {
                let vertices = mesh.face_vertices(element);
                std::array::from_fn(|k| {
                    vertices.iter().map(|&v| points[v as usize][k]).sum::<f32>()
                        / vertices.len() as f32
                })
            }
        }
    };
    Ok(values
        .into_par_iter()
        .enumerate()
        .with_min_len(1024)
        .map(|(element, value)| {
            let (was, is) = (mean_of(&points, element), mean_of(&spread, element));
            std::array::from_fn(|k| is[k] + (value[k] - was[k]) * left)
        })
        .collect())
}

/// The means of what elements have at each point, at all of its vertices: of corners and faces by
/// their faces' areas.
fn at_points<const N: usize>(
    values: &[[f32; N]],
    geometry: &Geometry,
    placement: Placement,
) -> Vec<[f32; N]> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let areas: Vec<f32> = match placement {
        Placement::Vertex => Vec::new(),
        _ => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| mesh.face_area_vector(face).length() / mesh.face_corners(face).len() as f32)
            .collect(),
    };
    let mean = |vertex: usize| {
        if topology.point_of(vertex) != vertex {
            return [0.0; N];
        }
        let (mut sum, mut whole, mut plain, mut count) = ([0.0; N], 0.0, [0.0; N], 0.0_f32);
        for &corner in topology.corners_at(vertex) {
            let element = geometry.element_at(placement, corner as usize);
            let weight = areas.get(topology.face_of(corner as usize)).copied().unwrap_or(1.0);
            for k in 0..N {
                sum[k] += weight * values[element][k];
                plain[k] += values[element][k];
            }
            whole += weight;
            count += 1.0;
        }
        match () {
            () if whole > 0.0 => sum.map(|x| x / whole),
            () if count > 0.0 => plain.map(|x| x / count),
            // No face is there: it keeps what it has.
            () if placement == Placement::Vertex => values[vertex],
            () => [0.0; N],
        }
    };
    let firsts: Vec<[f32; N]> = (0..mesh.vertex_count()).into_par_iter().map(mean).collect();
    (0..mesh.vertex_count()).into_par_iter().map(|v| firsts[topology.point_of(v)]).collect()
}
