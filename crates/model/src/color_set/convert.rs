//! The same colors at other places: from one placement to another.
//!
//! Vertex → corner and face → corner lose nothing. The other ways average: colors in linear light,
//! data as it is.

use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Rgba, linear_rgba, srgb_rgba};
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

/// A mean of numbers in one channel.
#[derive(Clone, Copy, Default)]
struct Mean {
    sum: f64,
    weight: f64,
    /// The number, while all were the same: a mean of their light would round.
    same: Option<f32>,
}

impl Mean {
    fn add(&mut self, number: f32, light: f32, weight: f32) {
        if weight <= 0.0 {
            return;
        }
        self.same = match (self.weight > 0.0, self.same) {
            (false, _) => Some(number),
            (true, same) => same.filter(|same| *same == number),
        };
        self.sum += f64::from(light * weight);
        self.weight += f64::from(weight);
    }
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
    let is_color = set.encoding == Encoding::Color;
    let mut covered = vec![[Mean::default(); 4]; to.count(mesh)];
    // Where nothing covers.
    let mut bare = if coverage.is_some() { covered.clone() } else { Vec::new() };
    each_corner(mesh, |face, corner| {
        let from = element_of(set.placement, mesh, face, corner);
        let element = element_of(to, mesh, face, corner);
        let value = set.values[from];
        let light = if is_color { linear_rgba(value) } else { value };
        let weights = coverage.map_or([1.0; 4], |coverage| coverage[from]);
        for i in 0..4 {
            covered[element][i].add(value[i], light[i], weights[i]);
            if let Some(bare) = bare.get_mut(element) {
                bare[i].add(value[i], light[i], 1.0);
            }
        }
    });
    (0..covered.len())
        .map(|element| {
            let of = |i: usize| {
                let covered = covered[element][i];
                let bare = bare.get(element).map(|bare| bare[i]);
                if covered.weight > 0.0 { covered } else { bare.unwrap_or(covered) }
            };
            let means: [Mean; 4] = std::array::from_fn(of);
            let light = means.map(|mean| (mean.sum / mean.weight.max(f64::MIN_POSITIVE)) as f32);
            let numbers = if is_color { srgb_rgba(light) } else { light };
            std::array::from_fn(|i| match means[i] {
                mean if mean.weight == 0.0 => set.ground[i],
                mean => mean.same.unwrap_or(numbers[i]),
            })
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
