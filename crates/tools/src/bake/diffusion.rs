//! Heat that spreads over the surface: means over a surrounding, whatever the mesh is like there.

mod multigrid;

use std::borrow::Cow;

use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement, geometry::conduction::Conduction};

use super::watch::{GivenUp, Watch};
use multigrid::{Multigrid, RUN, Room, Side, each};

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
        self.about_each(values.as_chunks_mut::<1>().0, [radius], watch)
    }

    /// Several numbers at each vertex, each over a disc of its own radius: together they take less than one after
    /// another.
    ///
    /// # Errors
    /// When it was given up.
    pub fn about_each<const N: usize>(
        &self,
        values: &mut [[f32; N]],
        radii: [f32; N],
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        self.abreast(values, &self.multigrid(radii), watch)
    }

    /// However many numbers at each vertex, over one radius.
    fn about_some<const N: usize>(
        &self,
        values: &mut [[f32; N]],
        radius: f32,
        watch: &Watch,
    ) -> Result<(), GivenUp> {
        // A vector unit takes four.
        const ABREAST: usize = 4;
        let multigrid = self.multigrid([radius; ABREAST]);
        for first in (0..N).step_by(ABREAST) {
            let own = |value: &[f32; N]| -> Side<ABREAST> {
                std::array::from_fn(|k| value.get(first + k).copied().unwrap_or(0.0))
            };
            let mut some: Vec<_> = values.par_iter().map(own).collect();
            self.abreast(&mut some, &multigrid, watch)?;
            values.par_iter_mut().zip(&some).for_each(|(value, some)| {
                value[first..].iter_mut().zip(some).for_each(|(value, some)| *value = *some);
            });
        }
        Ok(())
    }

    /// What it takes to spread over radii.
    fn multigrid<const N: usize>(&self, radii: [f32; N]) -> Multigrid<'_, N> {
        let least = self.geometry.measures().median_edge.max(f32::MIN_POSITIVE).powi(2) * 1e-6;
        let times = radii.map(|radius| radius * radius / 8.0 / STEPS as f32);
        Multigrid::new(&self.conduction, times, least)
    }

    fn abreast<const N: usize>(
        &self,
        values: &mut [Side<N>],
        multigrid: &Multigrid<N>,
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
/// conjugate gradients, each step of which is helped along by what coarser graphs say of it. Of several that
/// spread side by side each goes its own way, and stays where it is once it is there.
fn step<const N: usize>(
    start: Vec<Side<N>>,
    multigrid: &Multigrid<N>,
    room: &mut [Room<N>],
    watch: &Watch,
) -> Result<Vec<Side<N>>, GivenUp> {
    let Some(finest) = multigrid.levels.first().filter(|_| !start.is_empty()) else {
        return Ok(start);
    };
    let mut left = each(start.len(), |v| start[v].map(|x| finest.areas[v] * x));
    let mut next = vec![[0.0; N]; start.len()];
    // From where it is, or from nothing: what is rough is further from the answer than that.
    finest.left(&start, &left, &mut next);
    let (by_it, by_nothing) = (finest.size(&next), finest.size(&left));
    let is_near: [bool; N] = std::array::from_fn(|k| by_it[k] <= by_nothing[k]);
    let picked = |k: usize, near: f32, far: f32| if is_near[k] { near } else { far };
    let mut x = each(start.len(), |v| std::array::from_fn(|k| picked(k, start[v][k], 0.0)));
    left.par_iter_mut().with_min_len(1024).zip(&next).for_each(|(left, next)| {
        (0..N).for_each(|k| left[k] = picked(k, next[k], left[k]));
    });
    let mut softened = vec![[0.0; N]; start.len()];
    let mut rest = multigrid.soft(&left, &mut softened, room);
    let mut way = softened.clone();
    // What has come out, beside which what is still off is seen.
    let mut whole = finest.whole(&x);
    let mut is_there = [false; N];
    for done in 0..MOST_STEPS {
        watch.check()?;
        for k in 0..N {
            let is_near = done >= LEAST_STEPS && rest[k] <= TOLERANCE * TOLERANCE * whole[k];
            is_there[k] |= is_near || !rest[k].is_finite() || rest[k] == 0.0;
        }
        if is_there == [true; N] {
            break;
        }
        let along = finest.applied(&way, &mut next);
        let steps = std::array::from_fn(|k| {
            let step = (rest[k] / along[k]) as f32;
            is_there[k] |= !step.is_finite();
            if is_there[k] { 0.0 } else { step }
        });
        whole = finest.go(steps, [&way, &next], [&mut x, &mut left]);
        let now = multigrid.soft(&left, &mut softened, room);
        let turns: Side<N> =
            std::array::from_fn(|k| if is_there[k] { 0.0 } else { (now[k] / rest[k]) as f32 });
        rest = now;
        let runs = way.par_chunks_mut(RUN).zip(softened.par_chunks(RUN));
        runs.for_each(|(way, softened)| {
            for (way, softened) in way.iter_mut().zip(softened) {
                (0..N).for_each(|k| way[k] = softened[k] + turns[k] * way[k]);
            }
        });
    }
    let is_sound: [bool; N] =
        std::array::from_fn(|k| rest[k].is_finite() && x.iter().all(|x| x[k].is_finite()));
    if is_sound != [true; N] {
        x.iter_mut().zip(&start).for_each(|(x, start)| {
            (0..N).for_each(|k| x[k] = if is_sound[k] { x[k] } else { start[k] });
        });
    }
    Ok(x)
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
    match N {
        1 => diffusion.about(spread.as_flattened_mut(), radius, watch)?,
        _ => diffusion.about_some(&mut spread, radius, watch)?,
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
