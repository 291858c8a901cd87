//! The same colors at other places: from one placement to another.
//!
//! Vertex → corner and face → corner lose nothing. The other ways average: colors in linear light,
//! data as it is.

use serde::{Deserialize, Serialize};

use super::{ColorSet, Encoding, Placement};
use crate::{
    color::{Rgba, linear_rgba, srgb_rgba},
    mesh::Mesh,
};

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
    let is_color = set.encoding == Encoding::Color;
    let mut first = vec![None; to.count(mesh)];
    let mut sums = vec![[0.0_f64; 5]; first.len()];
    each_corner(mesh, |face, corner| {
        let value = set.values[element_of(set.placement, mesh, face, corner)];
        let element = element_of(to, mesh, face, corner);
        // Equal values stay exactly what they are: a mean of their light would round.
        match first[element] {
            None => first[element] = Some((value, true)),
            Some((seen, true)) if seen != value => first[element] = Some((seen, false)),
            Some(_) => {}
        }
        let light = if is_color { linear_rgba(value) } else { value };
        let [r, g, b, a, count] = &mut sums[element];
        for (sum, x) in [r, g, b, a].into_iter().zip(light) {
            *sum += f64::from(x);
        }
        *count += 1.0;
    });
    first
        .into_iter()
        .zip(sums)
        .map(|(first, [r, g, b, a, count])| match first {
            None => set.ground,
            Some((value, true)) => value,
            Some((_, false)) => {
                let mean = [r, g, b, a].map(|sum| (sum / count) as f32);
                if is_color { srgb_rgba(mean) } else { mean }
            }
        })
        .collect()
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
