//! What is random: a number or a shift for each piece, and noise.

use rayon::prelude::*;
use speckle_color::noise::Noise;
use speckle_mesh::{Geometry, Placement};
use speckle_model::recipe::source::{Among, NoiseSpace, Space, Triple};

use super::or;
use crate::bake::{
    BakeError,
    field::Field,
    lookup::{Lookup, Plan},
    pieces,
};

pub(super) fn per_piece<'a>(lookup: &mut Lookup<'a>, by: Among, seed: u32) -> Plan<'a> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let (units, own) = lookup.units(by);
    Box::new(move |_| {
        let of = units();
        let value = |face: usize| pieces::random(seed ^ own, of[face])[0];
        Ok(Field::one(pieces::by_face(geometry, placement, value, 0.0)))
    })
}

pub(super) fn per_piece_shift<'a>(
    lookup: &mut Lookup<'a>,
    by: Among,
    amounts: Triple,
    seed: u32,
) -> Plan<'a> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let (units, own) = lookup.units(by);
    Box::new(move |_| {
        let of = units();
        let value = |face: usize| {
            let random = pieces::random(seed ^ own, of[face]);
            std::array::from_fn(|k| 0.5 + (random[k] - 0.5) * amounts[k])
        };
        Ok(Field::three(pieces::by_face(geometry, placement, value, [0.5; 3])))
    })
}

pub(super) fn noise<'a>(
    lookup: &mut Lookup<'a>,
    noise: Noise,
    size: f32,
    space: &NoiseSpace,
) -> Result<Plan<'a>, BakeError> {
    let (geometry, placement) = (lookup.geometry(), lookup.placement());
    let space = match space {
        NoiseSpace::Uv(uv_set) => {
            let uvs = lookup.uvs(*uv_set)?;
            return Ok(Box::new(move |_| {
                let size = or(size, 0.1);
                let at = |c: usize| noise.at((uvs[c] / size).extend(0.0));
                Ok(Field::one(from_corners(geometry, placement, at)))
            }));
        }
        NoiseSpace::Part => Space::Part,
        NoiseSpace::World => Space::World,
    };
    let samples = lookup.samples(space);
    Ok(Box::new(move |_| {
        let size = or(size, super::diagonal(geometry) / 10.0);
        Ok(Field::one(samples().mean(|p, _| noise.at(p / size))))
    }))
}

/// What is found at corners, at the elements of a placement: means at faces and vertices.
fn from_corners(
    geometry: &Geometry,
    placement: Placement,
    at: impl Fn(usize) -> f32 + Sync,
) -> Vec<f32> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    match placement {
        Placement::Corner => (0..mesh.corner_count()).into_par_iter().map(&at).collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| {
                let corners = mesh.face_corners(face);
                let count = corners.len() as f32;
                corners.map(&at).sum::<f32>() / count
            })
            .collect(),
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|v| {
                let (mut sum, mut count) = (0.0, 0.0_f32);
                for corner in topology.own_corners(mesh, v) {
                    sum += at(corner);
                    count += 1.0;
                }
                sum / count.max(1.0)
            })
            .collect(),
    }
}
