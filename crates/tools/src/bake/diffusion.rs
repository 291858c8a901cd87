//! Heat that spreads over the surface: means over a surrounding, whatever the mesh is like there.

mod multigrid;

use std::borrow::Cow;

use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement, geometry::conduction::Conduction};

use super::watch::{GivenUp, Watch};
use multigrid::{Multigrid, RUN, dot, each};

/// Heat on a surface.
pub struct Diffusion<'a> {
    geometry: &'a Geometry,
    conduction: Cow<'a, Conduction>,
}

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
        self.spread(values, &self.multigrid(radius), watch)
    }

    /// What it takes to spread over a radius.
    fn multigrid(&self, radius: f32) -> Multigrid<'_> {
        let least = self.geometry.measures().median_edge.max(f32::MIN_POSITIVE).powi(2) * 1e-6;
        Multigrid::new(&self.conduction, radius * radius / 8.0 / STEPS as f32, least)
    }

    fn spread(
        &self,
        values: &mut Vec<f32>,
        multigrid: &Multigrid,
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        (0..STEPS).try_for_each(|_| self.step(values, multigrid, watch))
    }

    /// Lets values at the vertices spread for a time (length²): one step of implicit Euler, solved by
    /// conjugate gradients, each step of which is helped along by what coarser graphs say of it.
    fn step(
        &self,
        values: &mut Vec<f32>,
        multigrid: &Multigrid,
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        let finest = &multigrid.levels[0];
        let mut room = multigrid.room();
        // What stands at a point beside its first vertex takes no part: it gets what that has.
        let topology = self.geometry.topology();
        let is_first = |v: usize| topology.point_of(v) == v;
        let start = each(values.len(), |v| if is_first(v) { values[v] } else { 0.0 });
        let right = each(start.len(), |v| finest.areas[v] * start[v]);
        // From where it is, or from nothing: what is rough is further from the answer than that.
        let mut from_there = vec![0.0; right.len()];
        finest.left(&start, &right, &mut from_there);
        let (mut softened, mut nothing) = (vec![0.0; right.len()], vec![0.0; right.len()]);
        multigrid.soft(&from_there, &mut softened, &mut room);
        multigrid.soft(&right, &mut nothing, &mut room);
        let mut rest = dot(&from_there, &softened);
        let rest_nothing = dot(&right, &nothing);
        let (mut x, mut left) = (start, from_there);
        if rest > rest_nothing {
            x.fill(0.0);
            (left, softened, rest) = (right, nothing, rest_nothing);
        }
        let mut way = softened.clone();
        let mut next = vec![0.0; x.len()];
        // What has come out, beside which what is still off is seen.
        let mut whole = finest.whole(&x);
        for _ in 0..MOST_STEPS {
            watch.check()?;
            if rest <= TOLERANCE * TOLERANCE * whole || !rest.is_finite() || rest == 0.0 {
                break;
            }
            let along = finest.applied(&way, &mut next);
            let step = (rest / along) as f32;
            if !step.is_finite() {
                break;
            }
            whole = finest.go(step, [&way, &next], [&mut x, &mut left]);
            multigrid.soft(&left, &mut softened, &mut room);
            let now = dot(&left, &softened);
            let turn = (now / rest) as f32;
            rest = now;
            let runs = way.par_chunks_mut(RUN).zip(softened.par_chunks(RUN));
            runs.for_each(|(way, softened)| {
                way.iter_mut().zip(softened).for_each(|(w, s)| *w = s + turn * *w);
            });
        }
        if x.iter().all(|x| x.is_finite()) {
            *values = each(x.len(), |v| x[topology.point_of(v)]);
        }
        Ok(())
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
    let multigrid = diffusion.multigrid(radius);
    let mut spread = points.clone();
    for k in 0..N {
        let mut one: Vec<f32> = points.par_iter().map(|value| value[k]).collect();
        diffusion.spread(&mut one, &multigrid, watch)?;
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
