//! How the surface bends: hollows, ridges, edges.

use glam::Vec3;
use rayon::prelude::*;
use smallvec::SmallVec;
use speckle_mesh::{Geometry, geometry::bvh::Bvh};
use speckle_model::recipe::source::Bends;

use super::{
    diffusion::Diffusion,
    watch::{GivenUp, Watch},
};

/// Mean curvature at every vertex ([`Geometry::mean_curvatures`]), per unit of length; over a surrounding of a radius, if
/// one is given, as heat spreads.
///
/// By Gauss's theorem the mean of a divergence over a patch is what flows through its rim, so the
/// mean is the curvature at that scale: 1/R on a sphere. Normals turn over an edge that bends by an
/// angle φ from one side's to the other's, 2 sin φ/2 apart; spread by heat of four steps, half of that
/// comes to 5/16 √8 sin φ/2 = 0.88 sin φ/2 ÷ radius on the edge itself, however fine the mesh is.
///
/// # Errors
/// When it was given up.
pub fn mean(geometry: &Geometry, radius: f32, watch: &Watch) -> Result<Vec<f32>, GivenUp> {
    let mut curvature = geometry.mean_curvatures().to_vec();
    if radius > 0.0 {
        watch.check()?;
        Diffusion::new(geometry, watch)?.about(&mut curvature, radius, watch)?;
    }
    Ok(curvature)
}

/// The mean curvature times the scale, at several scales, each with its weight: the weighted mean at
/// every vertex. A scale of 0 is the finest the mesh shows.
///
/// # Errors
/// When it was given up.
pub fn at_scales(
    geometry: &Geometry,
    scales: &[(f32, f32)],
    watch: &Watch,
) -> Result<Vec<f32>, GivenUp> {
    let finest = geometry.mean_curvatures();
    watch.check()?;
    let is_spread = scales.iter().any(|(scale, _)| *scale > 0.0);
    let diffusion = is_spread.then(|| Diffusion::new(geometry, watch)).transpose()?;
    let whole: f32 = scales.iter().map(|(_, weight)| weight).sum();
    let with_share = |(scale, weight): (f32, f32)| {
        let length = if scale > 0.0 { scale } else { geometry.measures().median_edge };
        (scale, if whole > 0.0 { weight / whole * length } else { 0.0 })
    };
    let mut sum = vec![0.0; finest.len()];
    let spreading = Spreading { finest, diffusion: diffusion.as_ref(), watch };
    // Two at once take less than one after the other.
    let (pairs, single) = scales.as_chunks::<2>();
    for pair in pairs {
        spreading.add(&mut sum, pair.map(with_share))?;
    }
    for &scale in single {
        spreading.add(&mut sum, [with_share(scale)])?;
    }
    Ok(sum)
}

/// Curvature at the finest scale, on its way to others.
struct Spreading<'a> {
    finest: &'a [f32],
    /// Nothing where no scale is above the finest.
    diffusion: Option<&'a Diffusion<'a>>,
    watch: &'a Watch,
}

impl Spreading<'_> {
    /// Adds the curvature at some scales, each by its share.
    fn add<const N: usize>(&self, sum: &mut [f32], scales: [(f32, f32); N]) -> Result<(), GivenUp> {
        let mut values: Vec<[f32; N]> = self.finest.par_iter().map(|&x| [x; N]).collect();
        if let Some(diffusion) = self.diffusion {
            diffusion.about_each(&mut values, scales.map(|(scale, _)| scale), self.watch)?;
        }
        let shares = scales.map(|(_, share)| share);
        sum.par_iter_mut().zip(&values).for_each(|(sum, values)| {
            shares.iter().zip(values).for_each(|(share, value)| *sum += share * value);
        });
        Ok(())
    }
}

/// The segments at which the surface bends by an angle (degrees) or more.
#[must_use]
pub fn edges(geometry: &Geometry, angle: f32, bends: Bends) -> Bvh {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = geometry.face_normals();
    let limit = angle.to_radians().cos() + 1e-6;
    let mut segments = Vec::new();
    let bends_at = |[a, b]: [usize; 2]| {
        let (f, g) = (topology.face_of(a), topology.face_of(b));
        let has_sides = normals[f] != Vec3::ZERO && normals[g] != Vec3::ZERO;
        if !has_sides || normals[f].dot(normals[g]) > limit {
            return false;
        }
        // Out when the middle of the one face lies behind the other.
        let is_out = normals[f].dot(mesh.face_centroid(g) - mesh.corner_position(a)) <= 0.0;
        matches!((bends, is_out), (Bends::Both, _) | (Bends::Out, true) | (Bends::In, false))
    };
    for a in topology.edges() {
        let around: SmallVec<[usize; 4]> = topology.around(a).collect();
        if !going_on(geometry, &around).into_iter().any(bends_at) {
            continue;
        }
        let corners = mesh.face_corners(topology.face_of(a));
        let next = if a + 1 < corners.end { a + 1 } else { corners.start };
        segments.push([mesh.corner_position(a), mesh.corner_position(next)]);
    }
    Bvh::over_segments(&segments)
}

/// Which faces around an edge go on into which, each by the corner the edge begins at: those that
/// share its vertices before others, and that bend less before those that bend more. One that is left
/// over where three sheets meet is held against the one it bends from least.
fn going_on(geometry: &Geometry, around: &[usize]) -> SmallVec<[[usize; 2]; 4]> {
    match *around {
        [a, b] => return SmallVec::from_slice(&[[a, b]]),
        [_] => return SmallVec::new(),
        _ => {}
    }
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let normals = geometry.face_normals();
    let ends = |corner: usize| {
        let range = mesh.face_corners(topology.face_of(corner));
        let next = if corner + 1 == range.end { range.start } else { corner + 1 };
        let mut ends = [corner, next].map(|c| mesh.corner_vertices()[c]);
        ends.sort_unstable();
        ends
    };
    let mut pairs: SmallVec<[(bool, f32, [usize; 2]); 8]> = SmallVec::new();
    for (i, &a) in around.iter().enumerate() {
        for &b in &around[i + 1..] {
            let flat = normals[topology.face_of(a)].dot(normals[topology.face_of(b)]);
            pairs.push((ends(a) != ends(b), -flat, [a, b]));
        }
    }
    pairs.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut taken: SmallVec<[usize; 8]> = SmallVec::new();
    let mut found = SmallVec::new();
    for &(_, _, pair) in &pairs {
        if !pair.iter().any(|corner| taken.contains(corner)) {
            taken.extend(pair);
            found.push(pair);
        }
    }
    for &(_, _, pair) in &pairs {
        if pair.iter().any(|corner| !taken.contains(corner)) {
            taken.extend(pair);
            found.push(pair);
        }
    }
    found
}

/// The segments where the surface ends.
#[must_use]
pub fn open_edges(geometry: &Geometry) -> Vec<[usize; 2]> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let is_end = |&corner: &usize| topology.across(corner) == corner;
    let ends = (0..mesh.corner_count()).filter(is_end).map(|corner| {
        let corners = mesh.face_corners(topology.face_of(corner));
        let next = if corner + 1 < corners.end { corner + 1 } else { corners.start };
        [corner, next].map(|c| mesh.corner_vertices()[c] as usize)
    });
    ends.collect()
}
