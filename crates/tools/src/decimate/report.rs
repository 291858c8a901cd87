//! What a decimation comes to, measured from either side.

use glam::Vec3;
use rayon::prelude::*;
use serde::Serialize;
use speckle_mesh::Geometry;
use speckle_model::Part;

use super::{DecimationError, anywhere, open_to_all};
use crate::{
    bake::watch::Watch,
    transfer::{self, Source, TransferReport},
};

/// How far a set is from what it was, by what is seen at the original's elements.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SetDecimated {
    /// Its name.
    pub name: String,
    /// The mean: CIEDE2000 of colors, of data hundredths of the range.
    pub mean: f32,
    /// What 95 % are off by at most.
    pub most_of_them: f32,
    /// The most any is off by.
    pub most: f32,
}

/// What a decimation does.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct DecimationReport {
    /// Triangles until then and from then on.
    pub triangles: [usize; 2],
    /// Vertices, likewise.
    pub vertices: [usize; 2],
    /// Whether it came as far as was asked.
    pub reached: bool,
    /// The mean distance of the original's vertices from the new surface, in the project's unit.
    pub mean_distance: f32,
    /// The largest distance between the two surfaces, looked for from either side.
    pub max_distance: f32,
    /// What the diagonal of the part is, in the project's unit.
    pub size: f32,
    /// How its sets have fared.
    pub sets: Vec<SetDecimated>,
}

pub(super) fn report(
    part: &Part,
    light: &Part,
    triangles: [usize; 2],
    reached: bool,
    watch: &Watch,
) -> Result<DecimationReport, DecimationError> {
    let scale = part.traits.transform.mean_scale();
    let mesh = light.geometry.mesh();
    let middles = (0..mesh.face_count()).into_par_iter().map(|face| mesh.face_centroid(face));
    let [_, back] = far(&middles.collect::<Vec<Vec3>>(), &part.geometry).map(|far| far * scale);
    let mut sets = Vec::new();
    let [mean, there] = if light.sets.is_empty() {
        far(part.geometry.shown_points(), &light.geometry).map(|far| far * scale)
    } else {
        // Seen from the original: what the new one shows where its elements were, and how far off that is.
        let original = open_to_all(part);
        let seen = transfer::carried(&original, &[Source::of(light)], &anywhere(part), watch)?;
        let TransferReport { gap, sets: seen, .. } = seen.report;
        sets.extend(seen.into_iter().map(|set| SetDecimated {
            name: set.name,
            mean: set.mean,
            most_of_them: set.most_of_them,
            most: set.most,
        }));
        [gap.mean, gap.largest]
    };
    Ok(DecimationReport {
        triangles,
        vertices: [part, light].map(|part| part.geometry.shown_points().len()),
        reached,
        mean_distance: mean,
        max_distance: there.max(back),
        size: part.geometry.measures().diagonal() * scale,
        sets,
    })
}

/// How far points lie from a surface: in the mean, and at most.
fn far(points: &[Vec3], surface: &Geometry) -> [f32; 2] {
    let near = surface.near().nearest_to_each(points);
    let far: Vec<f32> = near.into_iter().map(|near| near.map_or(0.0, |(.., far)| far)).collect();
    let sum: f64 = far.iter().map(|&x| f64::from(x)).sum();
    [(sum / far.len().max(1) as f64) as f32, far.into_iter().fold(0.0, f32::max)]
}
