//! What found no source, filled in from around it along the surface.

use std::collections::VecDeque;

use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_color::{Encoding, Rgba};
use speckle_mesh::{Geometry, Placement};

use super::votes::for_each_four;

/// What a node of a graph is joined to, and how well.
type Edges<'a> = &'a [(u32, f32)];

/// Fills in what is missing so that it is harmonic, with what was found held fast: at each point the
/// mean of what is around by how well the surface conducts (the cotangent Laplacian; Pinkall and
/// Polthier 1993), at each face that of those beside it by how long the edges between are and how far
/// apart the middles (finite volumes; Eymard, Gallouët and Herbin 2000). What hangs together with
/// nothing that was found stays missing. Numbers are filled in as they are stored; swatches as shares, of
/// which the largest wins.
pub(super) fn fill(
    geometry: &Geometry,
    (placement, encoding): (Placement, Encoding),
    found: &mut [Option<Rgba>],
) {
    if found.iter().all(Option::is_some) {
        return;
    }
    if encoding != Encoding::Swatch {
        fill_evenly(geometry, placement, found);
        return;
    }
    let mut most: Vec<(f32, Option<Rgba>)> = vec![(-1.0, None); found.len()];
    for_each_four(found.iter().flatten().copied(), |numbers| {
        let mut shares: Vec<Option<Rgba>> =
            found.iter().map(|value| value.map(|value| numbers.shares(value))).collect();
        fill_evenly(geometry, placement, &mut shares);
        for (most, shares) in most.iter_mut().zip(shares) {
            if let Some((share, value)) = shares.and_then(|shares| numbers.most(shares))
                && share > most.0
            {
                *most = (share, Some(value));
            }
        }
    });
    for (value, (_, filled)) in found.iter_mut().zip(most) {
        *value = value.or(filled);
    }
}

fn fill_evenly(geometry: &Geometry, placement: Placement, found: &mut [Option<Rgba>]) {
    if placement == Placement::Face {
        let beside = beside(geometry);
        let filled = harmonic(found, |face| &beside[face]);
        found.copy_from_slice(&filled);
        return;
    }
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let point_of = |element: usize| match placement {
        Placement::Corner => topology.point_of(mesh.corner_vertices()[element] as usize),
        _ => topology.point_of(element),
    };
    // What is known at points: the mean of the elements there.
    let mut sums = vec![([0.0_f32; 4], 0.0_f32); mesh.vertex_count()];
    for (element, value) in found.iter().enumerate() {
        let Some(value) = value else { continue };
        let (sum, count) = &mut sums[point_of(element)];
        sum.iter_mut().zip(value).for_each(|(sum, x)| *sum += x);
        *count += 1.0;
    }
    let mean = |(sum, count): ([f32; 4], f32)| (count > 0.0).then(|| sum.map(|x| x / count));
    let known: Vec<Option<Rgba>> = sums.into_iter().map(mean).collect();
    let graph = geometry.conduction().finest();
    let filled = harmonic(&known, |point| graph.edges(point));
    found.par_iter_mut().enumerate().with_min_len(1024).for_each(|(element, value)| {
        *value = value.or(filled[point_of(element)]);
    });
}

/// The faces beside each face, with the length of the edge between by how far the middles are apart.
fn beside(geometry: &Geometry) -> Vec<SmallVec<[(u32, f32); 4]>> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let of_face = |face: usize| {
        let corners = mesh.face_corners(face);
        let middle = mesh.face_centroid(face);
        let edge = |corner: usize| {
            let next = if corner + 1 == corners.end { corners.start } else { corner + 1 };
            let length = mesh.corner_position(corner).distance(mesh.corner_position(next));
            topology.around(corner).skip(1).map(move |other| {
                let other = topology.face_of(other);
                let apart = middle.distance(mesh.face_centroid(other)).max(f32::MIN_POSITIVE);
                (other as u32, (length / apart).min(f32::MAX))
            })
        };
        corners.clone().flat_map(edge).collect()
    };
    (0..mesh.face_count()).into_par_iter().map(of_face).collect()
}

/// Values at all nodes that hang together with known ones.
fn harmonic<'a>(
    known: &[Option<Rgba>],
    edges: impl Fn(usize) -> Edges<'a> + Sync,
) -> Vec<Option<Rgba>> {
    let mut open: VecDeque<usize> = (0..known.len()).filter(|&i| known[i].is_some()).collect();
    let mut number = vec![u32::MAX; known.len()];
    let mut free: Vec<usize> = Vec::new();
    while let Some(node) = open.pop_front() {
        for &(other, _) in edges(node) {
            let other = other as usize;
            if known[other].is_none() && number[other] == u32::MAX {
                number[other] = free.len() as u32;
                free.push(other);
                open.push_back(other);
            }
        }
    }
    let solved = solved(&free, &number, edges, known);
    let mut filled = known.to_vec();
    for (&node, value) in free.iter().zip(solved) {
        filled[node] = Some(value.map(|x| x as f32));
    }
    filled
}

/// How small what is off has to become beside what it was.
const TOLERANCE: f64 = 1e-12;

/// The least that an edge conducts: no point hangs on nothing.
const LEAST: f64 = 1e-6;

/// Solves for the free points by conjugate gradients, each number of four by itself.
fn solved<'a>(
    free: &[usize],
    number: &[u32],
    edges: impl Fn(usize) -> Edges<'a> + Sync,
    known: &[Option<Rgba>],
) -> Vec<[f64; 4]> {
    let weight = |w: f32| f64::from(w).max(LEAST);
    let diagonal: Vec<f64> = free
        .par_iter()
        .map(|&point| edges(point).iter().map(|&(_, w)| weight(w)).sum::<f64>())
        .collect();
    let mut solved = vec![[0.0; 4]; free.len()];
    for k in 0..4 {
        let right: Vec<f64> = free
            .par_iter()
            .map(|&point| {
                let fixed = |&(other, w): &(u32, f32)| {
                    known[other as usize].map_or(0.0, |value| weight(w) * f64::from(value[k]))
                };
                edges(point).iter().map(fixed).sum()
            })
            .collect();
        let applied = |x: &[f64]| -> Vec<f64> {
            let at = |(i, &point): (usize, &usize)| {
                let around = edges(point).iter().map(|&(other, w)| match number[other as usize] {
                    u32::MAX => 0.0,
                    other => weight(w) * x[other as usize],
                });
                diagonal[i] * x[i] - around.sum::<f64>()
            };
            free.par_iter().enumerate().with_min_len(1024).map(at).collect()
        };
        // In one order, so that the number of cores changes nothing.
        let dot = |a: &[f64], b: &[f64]| -> f64 { a.iter().zip(b).map(|(a, b)| a * b).sum() };
        let softened = |left: &[f64]| -> Vec<f64> {
            left.iter().zip(&diagonal).map(|(left, diagonal)| left / diagonal).collect()
        };
        let mut x = vec![0.0; free.len()];
        let mut left = right;
        let mut soft = softened(&left);
        let mut way = soft.clone();
        let mut rest = dot(&left, &soft);
        let goal = rest * TOLERANCE;
        for _ in 0..20 * (free.len() as f64).sqrt() as usize + 100 {
            if rest <= goal || rest == 0.0 || !rest.is_finite() {
                break;
            }
            let next = applied(&way);
            let step = rest / dot(&way, &next);
            x.iter_mut().zip(&way).for_each(|(x, w)| *x += step * w);
            left.iter_mut().zip(&next).for_each(|(l, n)| *l -= step * n);
            soft = softened(&left);
            let now = dot(&left, &soft);
            let turn = now / rest;
            rest = now;
            way.iter_mut().zip(&soft).for_each(|(w, s)| *w = s + turn * *w);
        }
        solved.iter_mut().zip(x).for_each(|(solved, x)| solved[k] = x);
    }
    solved
}
