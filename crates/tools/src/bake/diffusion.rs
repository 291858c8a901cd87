//! Heat that spreads over the surface: means over a surrounding, whatever the mesh is like there.

mod multigrid;

use std::borrow::Cow;

use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement, geometry::conduction::Conduction};

use super::watch::{GivenUp, Watch};
use multigrid::{Multigrid, RUN, Room, each};

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

/// The most steps towards the answer, and the least: where the mesh is much finer in places, what is off over long
/// ways is not told by the first.
const MOST_STEPS: usize = 400;
const LEAST_STEPS: usize = 3;

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
    pub fn about(&self, values: &mut [f32], radius: f32, watch: &Watch) -> Result<(), GivenUp> {
        self.spread(values, &self.multigrid(radius), watch)
    }

    /// What it takes to spread over a radius.
    fn multigrid(&self, radius: f32) -> Multigrid<'_> {
        let least = self.geometry.measures().median_edge.max(f32::MIN_POSITIVE).powi(2) * 1e-6;
        Multigrid::new(&self.conduction, radius * radius / 8.0 / STEPS as f32, least)
    }

    fn spread(
        &self,
        values: &mut [f32],
        multigrid: &Multigrid,
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        let points = self.conduction.points();
        let mut room = multigrid.room();
        let mut x = each(points.len(), |node| values[points[node] as usize]);
        for _ in 0..STEPS {
            x = step(x, multigrid, &mut room, watch)?;
        }
        points.iter().zip(&x).for_each(|(&point, &x)| values[point as usize] = x);
        // What stands at a point beside its first vertex gets what that has.
        let topology = self.geometry.topology();
        for vertex in 0..values.len() {
            values[vertex] = values[topology.point_of(vertex)];
        }
        Ok(())
    }
}

/// Lets values at the nodes spread for a time (length²): one step of implicit Euler, solved by
/// conjugate gradients, each step of which is helped along by what coarser graphs say of it.
fn step(
    start: Vec<f32>,
    multigrid: &Multigrid,
    room: &mut [Room],
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let Some(finest) = multigrid.levels.first().filter(|_| !start.is_empty()) else {
        return Ok(start);
    };
    let mut left = each(start.len(), |v| finest.areas[v] * start[v]);
    let mut next = vec![0.0; start.len()];
    // From where it is, or from nothing: what is rough is further from the answer than that.
    finest.left(&start, &left, &mut next);
    let is_near = finest.size(&next) <= finest.size(&left);
    let mut x = if is_near { start.clone() } else { vec![0.0; start.len()] };
    if is_near {
        std::mem::swap(&mut left, &mut next);
    }
    let mut softened = vec![0.0; start.len()];
    let mut rest = multigrid.soft(&left, &mut softened, room);
    let mut way = softened.clone();
    // What has come out, beside which what is still off is seen.
    let mut whole = finest.whole(&x);
    for done in 0..MOST_STEPS {
        watch.check()?;
        let is_there = done >= LEAST_STEPS && rest <= TOLERANCE * TOLERANCE * whole;
        if is_there || !rest.is_finite() || rest == 0.0 {
            break;
        }
        let along = finest.applied(&way, &mut next);
        let step = (rest / along) as f32;
        if !step.is_finite() {
            break;
        }
        whole = finest.go(step, [&way, &next], [&mut x, &mut left]);
        let now = multigrid.soft(&left, &mut softened, room);
        let turn = (now / rest) as f32;
        rest = now;
        let runs = way.par_chunks_mut(RUN).zip(softened.par_chunks(RUN));
        runs.for_each(|(way, softened)| {
            way.iter_mut().zip(softened).for_each(|(w, s)| *w = s + turn * *w);
        });
    }
    Ok(if x.iter().all(|x| x.is_finite()) { x } else { start })
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
    let is_by_itself = |vertex| topology.point_of(vertex) == vertex;
    if placement == Placement::Vertex && (0..mesh.vertex_count()).all(is_by_itself) {
        return values.to_vec();
    }
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
