//! Points moved along their normals or in a direction, by how much a channel says.

use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use speckle_mesh::{Geometry, MeshError, geometry::normals};
use speckle_model::{ImageRecord, Part};

use super::{
    numbers::{By, NumbersError},
    places::{Moved, at_points, from_rims, moved},
};

/// Which way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DisplacementWay))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Way {
    /// Along the normals of the points.
    #[default]
    Normal,
    /// In a direction of the project.
    Direction {
        /// Of any length above 0.
        to: [f32; 3],
    },
}

/// How points are moved.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = DisplacementRules))]
#[serde(deny_unknown_fields)]
pub struct Rules {
    /// What says how far; evenly is a shape grown or shrunk.
    pub by: By,
    /// Which way.
    #[serde(default)]
    pub way: Way,
    /// How far a point goes where the number is 1 above the midpoint, in the project's unit.
    pub amount: f32,
    /// The number that moves nothing, 0–1.
    #[serde(default)]
    pub midpoint: f32,
    /// How steep numbers count about the midpoint; 1 takes them as they are.
    #[serde(default = "one")]
    pub contrast: f32,
    /// Within how far of an open rim, or of the border of what is chosen, it fades to nothing, in the
    /// project's unit.
    #[serde(default)]
    pub fade: f32,
    /// Whether faces may fold over.
    #[serde(default)]
    pub may_fold: bool,
}

fn one() -> f32 {
    1.0
}

/// Why points cannot be moved.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum DisplacementError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// There is nothing that says how far.
    #[error(transparent)]
    Numbers(#[from] NumbersError),
    /// What came of it is no mesh.
    #[error("a point would come to lie where no number leads: take a smaller amount")]
    TooFar(#[from] MeshError),
}

/// Moves the points of a part: all, or those of what is chosen (a share per vertex).
pub(super) fn displace(
    part: &Part,
    chosen: Option<(&[bool], &[f32])>,
    rules: &Rules,
    images: &[ImageRecord],
) -> Result<Moved, DisplacementError> {
    let Rules { by, way, amount, midpoint, contrast, fade, may_fold } = rules;
    let sound = [amount, midpoint, contrast, fade].into_iter().all(|x| x.is_finite());
    if !sound || *fade < 0.0 {
        return Err(DisplacementError::Unsound("amount, midpoint, contrast and fade are numbers"));
    }
    let geometry = &part.geometry;
    // How far, in amounts.
    let shares: Vec<f32> = match by {
        By::Evenly => vec![1.0; geometry.mesh().vertex_count()],
        by => {
            let numbers = by.numbers(part, images)?;
            numbers.into_par_iter().map(|number| contrast * (number - midpoint)).collect()
        }
    };
    let to_project = part.traits.transform.to_project();
    let rims = (*fade > 0.0).then(|| from_rims(geometry, chosen.map(|c| c.0), &to_project));
    let rims = rims.flatten();
    let far = |vertex: usize| {
        let share = chosen.map_or(1.0, |(_, chosen)| chosen[vertex]);
        let fading = rims.as_ref().map_or(1.0, |rims| smooth(rims[vertex] / fade));
        amount * shares[vertex] * share * fading
    };
    let far: Vec<f32> = (0..shares.len()).into_par_iter().map(far).collect();
    let far = at_points(geometry, &far);
    let towards = ways(geometry, part, *way)?;
    let steps = far.par_iter().zip(&towards).map(|(&far, &way)| way * far).collect();
    Ok(moved(geometry, steps, *may_fold, &to_project)?)
}

/// For every vertex, what in the part's space is a step of one unit in the project.
fn ways(geometry: &Geometry, part: &Part, way: Way) -> Result<Vec<Vec3>, DisplacementError> {
    let to_project = part.traits.transform.to_project();
    let unit = |way: Vec3| {
        let length = to_project.transform_vector3(way).length();
        if length > 0.0 { way / length } else { Vec3::ZERO }
    };
    match way {
        Way::Normal => {
            let of =
                normals::of_points(geometry.mesh(), geometry.topology(), geometry.face_normals());
            Ok(of.into_par_iter().map(unit).collect())
        }
        Way::Direction { to } => {
            let to = Vec3::from(to);
            let there = to_project.inverse().transform_vector3(to.normalize_or_zero());
            if !to.is_finite() || there.length() <= 0.0 || !there.is_finite() {
                return Err(DisplacementError::Unsound("the direction needs a length"));
            }
            Ok(vec![unit(there); geometry.mesh().vertex_count()])
        }
    }
}

/// From 0 to 1 without a corner at either end.
fn smooth(x: f32) -> f32 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}
