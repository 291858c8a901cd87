//! Heat that spreads over the surface: means over a surrounding, whatever the mesh is like there.

use rayon::prelude::*;
use speckle_mesh::{Geometry, Placement};

use super::watch::{GivenUp, Watch};

/// The surface as heat meets it: the area around each vertex, and how well each edge conducts
/// (cotangents; Pinkall and Polthier 1993; none below 0, so that no vertex ends up beyond what is
/// around it).
pub struct Diffusion<'a> {
    geometry: &'a Geometry,
    areas: Vec<f32>,
    /// As the neighbours of the vertices, one after another.
    starts: Vec<u32>,
    conducts: Vec<f32>,
}

/// How many vertices one core sums up in a row: sums are the same on any number of cores.
const RUN: usize = 16_384;

/// The most steps towards the answer.
const MOST_STEPS: usize = 400;

/// How small what is left has to become, as a share of what it was.
const TOLERANCE: f64 = 1e-4;

impl<'a> Diffusion<'a> {
    /// Works it out.
    ///
    /// # Errors
    /// When it was given up.
    pub fn new(geometry: &'a Geometry, watch: &Watch) -> Result<Self, GivenUp> {
        let (mesh, topology) = (geometry.mesh(), geometry.topology());
        let neighbours = geometry.neighbours(Placement::Vertex);
        let positions = mesh.positions();
        let mut starts = Vec::with_capacity(positions.len() + 1);
        let mut total = 0;
        starts.push(0);
        for v in 0..positions.len() {
            total += neighbours.of(v).len() as u32;
            starts.push(total);
        }
        let mut conducts = vec![0.0_f32; total as usize];
        let mut areas = vec![0.0_f32; positions.len()];
        let mut add = |from: usize, to: usize, weight: f32| {
            if let Ok(i) = neighbours.of(from).binary_search(&(to as u32)) {
                conducts[starts[from] as usize + i] += weight;
            }
        };
        for (i, t) in geometry.triangulation().corners().iter().enumerate() {
            if i.is_multiple_of(RUN) {
                watch.check()?;
            }
            let v = t.map(|c| mesh.corner_vertices()[c as usize] as usize);
            let p = v.map(|v| positions[v]);
            let double = (p[1] - p[0]).cross(p[2] - p[0]).length();
            for i in 0..3 {
                let (a, b, c) = (i, (i + 1) % 3, (i + 2) % 3);
                areas[topology.point_of(v[a])] += double / 6.0;
                let cotangent = (p[a] - p[c]).dot(p[b] - p[c]) / double;
                if cotangent.is_finite() {
                    add(v[a], v[b], cotangent / 2.0);
                    add(v[b], v[a], cotangent / 2.0);
                }
            }
        }
        // Vertices at one point share what is around them.
        let own: Vec<f32> = (0..positions.len()).map(|v| areas[topology.point_of(v)]).collect();
        conducts.par_iter_mut().for_each(|w| *w = w.clamp(0.0, 1e3));
        Ok(Self { geometry, areas: own, starts, conducts })
    }

    /// Lets values at the vertices spread for a time (length²): one step of implicit Euler, solved by
    /// conjugate gradients.
    ///
    /// # Errors
    /// When it was given up; the values are then what they were.
    pub fn spread(&self, values: &mut Vec<f32>, time: f32, watch: &Watch) -> Result<(), GivenUp> {
        let count = values.len();
        let neighbours = self.geometry.neighbours(Placement::Vertex);
        let scale = self.geometry.measures().median_edge.max(f32::MIN_POSITIVE).powi(2) * 1e-6;
        let area = |v: usize| self.areas[v].max(scale);
        let edges = |v: usize| {
            let range = self.starts[v] as usize..self.starts[v + 1] as usize;
            neighbours.of(v).iter().zip(&self.conducts[range])
        };
        let diagonal: Vec<f32> = (0..count)
            .into_par_iter()
            .map(|v| area(v) + time * edges(v).map(|(_, w)| w).sum::<f32>())
            .collect();
        let apply = |x: &[f32], out: &mut Vec<f32>| {
            (0..count)
                .into_par_iter()
                .with_min_len(1024)
                .map(|v| {
                    let around: f32 = edges(v).map(|(&o, w)| w * x[o as usize]).sum();
                    diagonal[v] * x[v] - time * around
                })
                .collect_into_vec(out);
        };
        let dot = |a: &[f32], b: &[f32]| -> f64 {
            let sums: Vec<f64> = a
                .par_chunks(RUN)
                .zip(b.par_chunks(RUN))
                .map(|(a, b)| a.iter().zip(b).map(|(a, b)| f64::from(a * b)).sum())
                .collect();
            sums.iter().sum()
        };
        let (mut x, mut next) = (values.clone(), Vec::new());
        apply(&x, &mut next);
        let mut left: Vec<f32> =
            (0..count).into_par_iter().map(|v| area(v) * values[v] - next[v]).collect();
        let soft = |left: &[f32]| -> Vec<f32> {
            left.par_iter().zip(&diagonal).map(|(l, d)| l / d).collect()
        };
        let mut softened = soft(&left);
        let mut way = softened.clone();
        let mut rest = dot(&left, &softened);
        let goal = rest * TOLERANCE * TOLERANCE;
        for _ in 0..MOST_STEPS {
            watch.check()?;
            if rest <= goal || !rest.is_finite() || rest == 0.0 {
                break;
            }
            apply(&way, &mut next);
            let step = (rest / dot(&way, &next)) as f32;
            if !step.is_finite() {
                break;
            }
            x.par_iter_mut().zip(&way).for_each(|(x, w)| *x += step * w);
            left.par_iter_mut().zip(&next).for_each(|(l, n)| *l -= step * n);
            softened = soft(&left);
            let now = dot(&left, &softened);
            let turn = (now / rest) as f32;
            rest = now;
            way.par_iter_mut().zip(&softened).for_each(|(w, s)| *w = s + turn * *w);
        }
        if x.iter().all(|x| x.is_finite()) {
            *values = x;
        }
        Ok(())
    }
}

/// Vertex values brought to another placement: of a corner at its point drawn towards the middle of
/// its face, of a face the mean.
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
            let topology = geometry.topology();
            let corners = mesh.corner_vertices().par_iter().enumerate();
            let at = |(corner, &v): (usize, &u32)| {
                let own = values[v as usize];
                own + (of_face(topology.face_of(corner)) - own) * 0.25
            };
            corners.map(at).collect()
        }
    }
}
