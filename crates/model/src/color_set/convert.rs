//! The same colors at other places: from one placement to another.
//!
//! Vertex → corner and face → corner lose nothing. The other ways average: colors in linear light,
//! data as it is.

use serde::{Deserialize, Serialize};
use speckle_color::{Rgba, mean::Mean};
use speckle_mesh::{Mesh, Placement};

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
pub fn values_at(set: &ColorSet, to: Placement, mesh: &Mesh) -> Vec<Rgba> {
    averaged(set, None, to, mesh)
}

/// Hand paint at each element of another placement, as stored: what lies there counts as much as it
/// covers, channel by channel, so that bare neighbours do not darken it. `coverage` has the paint's
/// placement; where none of it covers, plain means do no harm.
#[must_use]
pub fn paint_at(paint: &ColorSet, coverage: &ColorSet, to: Placement, mesh: &Mesh) -> Vec<Rgba> {
    averaged(paint, Some(&coverage.values), to, mesh)
}

fn averaged(set: &ColorSet, coverage: Option<&[Rgba]>, to: Placement, mesh: &Mesh) -> Vec<Rgba> {
    if to == set.placement {
        return set.values.to_vec();
    }
    if to == Placement::Corner {
        let mut values = vec![set.ground; mesh.corner_count()];
        each_corner(mesh, |face, corner| {
            values[corner] = set.values[element_of(set.placement, mesh, face, corner)];
        });
        return values;
    }
    let mut covered = vec![Mean::default(); to.count(mesh)];
    // Where nothing covers.
    let mut bare = if coverage.is_some() { covered.clone() } else { Vec::new() };
    each_corner(mesh, |face, corner| {
        let from = element_of(set.placement, mesh, face, corner);
        let element = element_of(to, mesh, face, corner);
        let weights = coverage.map_or([1.0; 4], |coverage| coverage[from]);
        covered[element].add(set.values[from], weights, set.encoding);
        if let Some(bare) = bare.get_mut(element) {
            bare.add(set.values[from], [1.0; 4], set.encoding);
        }
    });
    let mean = |element: usize| match bare.get(element) {
        Some(bare) => covered[element].or(*bare),
        None => covered[element],
    };
    (0..covered.len()).map(|element| mean(element).value(set.encoding, set.ground)).collect()
}

/// What is lost when a set's values are held at another placement.
#[must_use]
pub fn loss(set: &ColorSet, to: Placement, mesh: &Mesh) -> Loss {
    let after = values_at(set, to, mesh);
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
