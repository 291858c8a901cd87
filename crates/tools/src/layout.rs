//! Texture coordinates for a part that has none, or none that are good for maps: its faces grouped into
//! charts that look one way, each laid flat along that way, and all packed into the unit square.
//!
//! A chart grows from a face over edges to those that look most alike (region growing; Sander, Wood,
//! Gortler, Snyder and Hoppe 2003), and is seen straight on: lengths are never longer than on the
//! surface, and shorter by the cosine of how far a face looks away at most.

mod charts;
mod packing;
mod told;

use glam::{Affine3A, Vec2};
use serde::{Deserialize, Serialize};
use speckle_mesh::{Geometry, Mesh, MeshError, mesh::UvSet};

pub use charts::MOST_ANGLE;
pub use told::{UvTold, outlines, told};

use crate::bake::watch::{GivenUp, Watch};

/// How a part is laid out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LayoutRules))]
#[serde(default, deny_unknown_fields)]
pub struct Rules {
    /// By how much a face may look another way than its chart does, degrees, 10–75.
    pub angle_degrees: f32,
    /// How far charts stay apart, pixels of the map.
    pub margin: u32,
    /// How many pixels the map has on each side, 64–8192.
    pub side: u32,
    /// Whether it takes the place of the texture coordinates that are there; else it comes behind them.
    pub replace: bool,
}

impl Default for Rules {
    fn default() -> Self {
        Self { angle_degrees: 50.0, margin: 8, side: 2048, replace: true }
    }
}

/// Why a part was not laid out.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum LayoutError {
    /// A number makes no sense.
    #[error("{0}")]
    Unsound(&'static str),
    /// More charts than there is room for.
    #[error(
        "{charts} charts do not fit on {side} × {side} pixels with {margin} between them: take a larger \
         map, a smaller margin, or a greater angle, which makes fewer charts"
    )]
    TooMany {
        /// How many.
        charts: usize,
        /// The side of the map, pixels.
        side: u32,
        /// The margin, pixels.
        margin: u32,
    },
    /// There is nothing to lay out.
    #[error("the part has no surface to lay out")]
    NoSurface,
    /// What came of it is no mesh.
    #[error(transparent)]
    Mesh(#[from] MeshError),
    /// It was given up.
    #[error("it was given up")]
    GivenUp,
}

impl From<GivenUp> for LayoutError {
    fn from(_: GivenUp) -> Self {
        Self::GivenUp
    }
}

/// What came of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Laid {
    /// How many charts there are.
    pub charts: usize,
    /// The share of the square that charts cover.
    pub covered: f32,
    /// Pixels of the map along a unit of the project, where the surface faces its chart.
    pub density: f32,
    /// By how much faces are smaller on the map than they would be seen straight on, in the mean and at
    /// most: 1 for not at all.
    pub squeezed: [f32; 2],
}

/// A mesh with a layout of its own.
///
/// # Errors
/// See [`LayoutError`].
pub fn laid_out(
    geometry: &Geometry,
    to_project: &Affine3A,
    rules: &Rules,
    watch: &Watch,
) -> Result<(Mesh, Laid), LayoutError> {
    if !(10.0..=MOST_ANGLE).contains(&rules.angle_degrees) {
        return Err(LayoutError::Unsound("the angle lies between 10° and 75°"));
    }
    if !(64..=8192).contains(&rules.side) || rules.margin > rules.side / 8 {
        return Err(LayoutError::Unsound(
            "the map has 64 to 8192 pixels on each side, and the margin is an eighth of that at most",
        ));
    }
    let mesh = geometry.mesh();
    if mesh.face_count() == 0 {
        return Err(LayoutError::NoSurface);
    }
    let surface = charts::Surface::new(geometry, to_project);
    watch.expect(mesh.face_count() as u64);
    let charts = surface.charts(rules.angle_degrees, watch)?;
    watch.check()?;
    let flat: Vec<charts::Flat> = charts.iter().map(|chart| surface.laid_flat(chart)).collect();
    let sizes: Vec<Vec2> = flat.iter().map(|chart| chart.size).collect();
    let packed = packing::packed(&sizes, rules.side, rules.margin, watch)?;
    let packed = packed.ok_or(LayoutError::TooMany {
        charts: charts.len(),
        side: rules.side,
        margin: rules.margin,
    })?;
    let mut uvs = vec![Vec2::ZERO; mesh.corner_count()];
    for ((chart, flat), &at) in charts.iter().zip(&flat).zip(&packed.places) {
        for &face in &chart.faces {
            for corner in mesh.face_corners(face as usize) {
                let place = flat.place(surface.place(corner));
                uvs[corner] = (at + place * packed.scale) / rules.side as f32;
            }
        }
    }
    let laid = surface.laid(&charts, packed.scale, rules.side);
    let mut arrays = mesh.arrays().clone();
    if rules.replace {
        arrays.uv_sets.clear();
    }
    let name = free_name(&arrays.uv_sets);
    arrays.uv_sets.push(UvSet { name, uvs });
    Ok((Mesh::new(arrays)?, laid))
}

fn free_name(there: &[UvSet]) -> String {
    let is_free = |name: &String| there.iter().all(|set| set.name != *name);
    let numbered = (2..).map(|n| format!("Layout {n}"));
    std::iter::once("Layout".to_owned()).chain(numbered).find(is_free).unwrap_or_default()
}
