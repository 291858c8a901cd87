//! Which swatch is best left unpainted, as the base of a part: not the one of the largest area, but the one
//! that takes the most work to paint.
//!
//! By hand a patch is a pour once its border is there. So its border takes work, by its length; where it is
//! hidden three times as much, since the part has to be turned or cut open for it; and every patch takes one
//! gesture more, as long as a twentieth of the part is large (a model of ours).

use std::collections::BTreeMap;

use glam::{Affine3A, Vec3};
use serde::Serialize;
use speckle_mesh::{
    Geometry, Transform,
    body::{Body, Placed},
};

use crate::{
    bake::{
        occlusion::{Blockers, Casting, openness},
        samples::Samples,
        watch::{GivenUp, Watch},
    },
    sweep::Regions,
};

/// What it would take to paint a swatch where it is now.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PaintingWork {
    /// The swatch.
    pub swatch: u8,
    /// In how many patches it lies.
    pub patches: usize,
    /// How long their borders with other swatches are together, mm.
    pub border: f64,
    /// mm².
    pub area: f64,
    /// How much of it the part itself hides, 0–1.
    pub hidden: f64,
    /// What it takes, as a length of border in plain sight, mm.
    pub work: f64,
}

/// Of each swatch, how many faces are looked from at most, and by how many rays.
const FACES: usize = 4_000;
const RAYS: u32 = 24;

/// How much more work is what is hidden.
const HIDDEN: f64 = 2.0;

/// How long a gesture is, as a share of the part's size.
const GESTURE: f64 = 0.05;

/// What each swatch takes to paint, the most first, as large as `to_print` makes the part, in mm. The base
/// is best the first; of a part in one swatch it is that.
///
/// # Errors
/// When it was given up.
pub fn painting_work(
    geometry: &std::sync::Arc<Geometry>,
    swatches: &[u8],
    to_print: &Affine3A,
    watch: &Watch,
) -> Result<Vec<PaintingWork>, GivenUp> {
    let regions = Regions::of(geometry, swatches, to_print);
    watch.check()?;
    let size = {
        let measures = geometry.measures();
        f64::from(to_print.transform_vector3(measures.max - measures.min).length())
    };
    let mut works: BTreeMap<u8, PaintingWork> = BTreeMap::new();
    for (number, region) in (0..).zip(&regions.list) {
        let swatch = region.swatch;
        let own = works.entry(swatch).or_insert_with(|| PaintingWork {
            swatch,
            patches: 0,
            border: 0.0,
            area: 0.0,
            hidden: 0.0,
            work: 0.0,
        });
        own.patches += 1;
        own.border += regions.border(number);
        own.area += region.area;
    }
    for own in works.values_mut() {
        own.hidden = hidden(geometry, swatches, own.swatch, watch)?;
        let gestures = own.patches as f64 * GESTURE * size;
        own.work = (own.border + gestures) * (1.0 + HIDDEN * own.hidden);
    }
    let mut works: Vec<PaintingWork> = works.into_values().collect();
    works.sort_by(|a, b| {
        b.work.total_cmp(&a.work).then(b.area.total_cmp(&a.area)).then(a.swatch.cmp(&b.swatch))
    });
    Ok(works)
}

/// How much of what goes out from faces in a swatch the part itself stops, by their areas.
fn hidden(
    geometry: &std::sync::Arc<Geometry>,
    swatches: &[u8],
    swatch: u8,
    watch: &Watch,
) -> Result<f64, GivenUp> {
    let mesh = geometry.mesh();
    let own: Vec<usize> = (0..mesh.face_count()).filter(|&face| swatches[face] == swatch).collect();
    let faces: Vec<usize> = own.iter().copied().step_by(own.len().div_ceil(FACES).max(1)).collect();
    let weights: Vec<f64> =
        faces.iter().map(|&face| f64::from(mesh.face_area_vector(face).length())).collect();
    let points: Vec<Vec3> = faces.iter().map(|&face| mesh.face_centroid(face)).collect();
    let normals: Vec<Vec3> = faces.iter().map(|&face| geometry.face_normals()[face]).collect();
    let body = Body { geometry: geometry.clone(), placed: Placed::new(&Transform::IDENTITY) };
    let blockers = Blockers::new(&body, true, &[], None);
    let casting = Casting::plain(RAYS, blockers.hair(), 0);
    let open = openness(&Samples::at(points, normals), &blockers, &casting, watch)?;
    let all: f64 = weights.iter().sum();
    let stopped: f64 =
        open.iter().zip(&weights).map(|(open, weight)| f64::from(1.0 - open) * weight).sum();
    Ok(if all > 0.0 { stopped / all } else { 0.0 })
}
