//! The same colors at other places: from one placement to another.
//!
//! Vertex → corner and face → corner lose nothing. The other ways average: colors in linear light,
//! data as it is. At a vertex each corner counts by its angle, so that how the faces around were cut
//! does not show.

use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_color::{Rgba, mean::Mean};
use speckle_mesh::{Geometry, Mesh, Placement, geometry::normals};

use super::ColorSet;

/// Two stored numbers that differ by less show as the same 8-bit step.
const SAME: f32 = 0.5 / 255.0;

/// What a conversion loses, counted at the corners, where every placement can be read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Loss {
    /// How many corners there are.
    pub corners: usize,
    /// How many of them would look different, by half an 8-bit step or more.
    pub changed: usize,
    /// The largest difference of any of their numbers, 0–1.
    pub largest: f32,
}

/// The element a corner reads its value from.
fn element_of(placement: Placement, mesh: &Mesh, face: usize, corner: usize) -> usize {
    match placement {
        Placement::Vertex => mesh.corner_vertices()[corner] as usize,
        Placement::Corner => corner,
        Placement::Face => face,
    }
}

/// Calls `visit` with the face and the index of every corner.
fn each_corner(mesh: &Mesh, mut visit: impl FnMut(usize, usize)) {
    for face in 0..mesh.face_count() {
        for corner in mesh.face_corners(face) {
            visit(face, corner);
        }
    }
}

/// Values at each element of another placement, as stored. What no face uses keeps the ground.
#[must_use]
pub fn values_at(set: &ColorSet, to: Placement, geometry: &Geometry) -> Vec<Rgba> {
    averaged(set, None, to, geometry)
}

/// Hand paint at each element of another placement, as stored: what lies there counts as much as it
/// covers, channel by channel, so that bare neighbours do not darken it. `coverage` has the paint's
/// placement; where none of it covers, plain means do no harm.
#[must_use]
pub fn paint_at(
    paint: &ColorSet,
    coverage: &ColorSet,
    to: Placement,
    geometry: &Geometry,
) -> Vec<Rgba> {
    averaged(paint, Some(&coverage.values), to, geometry)
}

fn averaged(
    set: &ColorSet,
    coverage: Option<&[Rgba]>,
    to: Placement,
    geometry: &Geometry,
) -> Vec<Rgba> {
    let (mesh, topology) = (geometry.mesh(), geometry.topology());
    let from = |corner: usize| element_of(set.placement, mesh, topology.face_of(corner), corner);
    let mean = |corners: &mut dyn Iterator<Item = (usize, f32)>| {
        let mut covered = Mean::default();
        // Where nothing covers; and where no corner has an angle.
        let (mut bare, mut plain) = (Mean::default(), Mean::default());
        for (corner, weight) in corners {
            let value = from(corner);
            let weights = coverage.map_or([1.0; 4], |coverage| coverage[value]);
            covered.add(set.values[value], weights.map(|w| w * weight), set.encoding);
            if coverage.is_some() {
                bare.add(set.values[value], [weight; 4], set.encoding);
            }
            plain.add(set.values[value], [1.0; 4], set.encoding);
        }
        covered.or(bare).or(plain).value(set.encoding, set.ground)
    };
    match to {
        _ if to == set.placement => set.values.to_vec(),
        Placement::Corner => (0..mesh.corner_count())
            .into_par_iter()
            .map(|corner| set.values[from(corner)])
            .collect(),
        Placement::Face => (0..mesh.face_count())
            .into_par_iter()
            .map(|face| mean(&mut mesh.face_corners(face).map(|corner| (corner, 1.0))))
            .collect(),
        Placement::Vertex => (0..mesh.vertex_count())
            .into_par_iter()
            .map(|vertex| {
                let corners = topology.own_corners(mesh, vertex);
                let angle = |corner| normals::corner_angle(mesh, topology, corner);
                mean(&mut corners.map(|corner| (corner, angle(corner))))
            })
            .collect(),
    }
}

/// What is lost when a set's values are held at another placement.
#[must_use]
pub fn loss(set: &ColorSet, to: Placement, geometry: &Geometry) -> Loss {
    let (mesh, after) = (geometry.mesh(), values_at(set, to, geometry));
    let mut loss = Loss { corners: mesh.corner_count(), ..Loss::default() };
    each_corner(mesh, |face, corner| {
        let old = set.values[element_of(set.placement, mesh, face, corner)];
        let new = after[element_of(to, mesh, face, corner)];
        let difference = old.iter().zip(new).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        loss.changed += usize::from(difference >= SAME);
        loss.largest = loss.largest.max(difference);
    });
    loss
}
