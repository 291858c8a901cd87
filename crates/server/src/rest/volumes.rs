//! What volumes meet, and where else they come out.

use axum::{
    Json,
    extract::{Path, State},
};
use glam::Vec3;
use serde::Serialize;
use speckle_mesh::body::{Body, Placed};
use speckle_model::PartId;
use speckle_store::ProjectId;
use speckle_tools::volumes::{Standing, patches};
use utoipa::ToSchema;

use crate::{App, error::ApiError};

/// A volume with all that it meets.
#[derive(Debug, Serialize, ToSchema)]
pub struct VolumeMet {
    /// The volume.
    volume: u32,
    /// The connected patches of surfaces that it meets, the nearest to its middle first: where any other
    /// lies, it comes out elsewhere.
    patches: Vec<PatchMet>,
    /// How many there are.
    count: usize,
}

/// A connected patch of a part's surface.
#[derive(Debug, Serialize, ToSchema)]
pub struct PatchMet {
    /// The part.
    part: PartId,
    /// Whether the part is colored by volumes: it is painted in swatches.
    takes: bool,
    /// How many faces.
    faces: usize,
    /// How large they are, in square steps of the project's unit.
    area: f64,
    /// A place on it.
    #[schema(value_type = [f32; 3])]
    at: Vec3,
}

/// The most patches of a volume that are told.
const MOST_TOLD: usize = 24;

/// Tells what volumes meet.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/volumes",
    params(("project" = i64, Path)),
    responses((status = 200, body = [VolumeMet]), (status = 404, body = ApiError))
)]
pub async fn volumes_met(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Json<Vec<VolumeMet>>, ApiError> {
    let now = app.now(project).await?;
    let met = app.aside(move |_| {
        let standing: Vec<Standing> =
            now.volumes.iter().filter_map(|own| Standing::new(own, &now.parts)).collect();
        let mut met: Vec<Vec<(f32, PatchMet)>> = standing.iter().map(|_| Vec::new()).collect();
        for part in &now.parts {
            let placed = Placed::new(&part.traits.transform);
            let body = Body { geometry: part.geometry.clone(), placed };
            let near = |own: &Standing| own.part() != Some(part.id) && own.may_meet(&body);
            if !standing.iter().any(near) {
                continue;
            }
            let takes = part
                .swatch_set()
                .is_some_and(|set| set.recipes.iter().any(|own| own.recipe.has_volumes()));
            let areas = part.face_areas();
            for (own, met) in standing.iter().zip(&mut met).filter(|(own, _)| near(own)) {
                met.extend(patches(&body, &areas, own).into_iter().map(|patch| {
                    let (faces, area, at) = (patch.faces.len(), patch.area, patch.at);
                    (at.distance(own.middle()), PatchMet { part: part.id, takes, faces, area, at })
                }));
            }
        }
        let told = standing.iter().zip(met).map(|(own, mut met)| {
            met.sort_by(|(a, _), (b, _)| a.total_cmp(b));
            let count = met.len();
            let patches = met.into_iter().take(MOST_TOLD).map(|(_, patch)| patch).collect();
            VolumeMet { volume: own.volume.id, patches, count }
        });
        Ok(told.collect())
    });
    Ok(Json(met.await?))
}
