//! Where the layers of a print begin.

use axum::{
    Json,
    extract::{Path, State},
    http::HeaderMap,
};
use glam::{Affine3A, Vec3};
use serde::Serialize;
use speckle_tools::layers::{Seam, SeamMarks, SeamReason, to_plate};
use utoipa::ToSchema;

use super::layers::cut_anew;
use crate::{App, body::Said, error::ApiError};

/// Where a layer begins.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SeamTold {
    /// The layer, from 0.
    layer: usize,
    /// In the project's space.
    at: [f32; 3],
    /// Why there.
    reason: SeamReason,
    /// Whether it was to be avoided there, and there is no other place.
    avoided: bool,
}

/// Where the layers of a print that was cut begin, as far as they have outlines.
#[utoipa::path(
    post, path = "/api/v1/layers/{look}/seams", params(("look" = u32, Path)),
    request_body = SeamMarks,
    responses((status = 200, body = [SeamTold]), (status = 404, body = ApiError))
)]
pub async fn layer_seams(
    State(app): State<App>,
    Path(look): Path<u32>,
    headers: HeaderMap,
    Said(marks): Said<SeamMarks>,
) -> Result<Json<Vec<SeamTold>>, ApiError> {
    let planned = app.prints.get(look).ok_or_else(cut_anew)?;
    let (watch, give_up) = app.works.watch(&headers);
    let told = app.aside(move |_| {
        let on_plate: Vec<Affine3A> = planned.bodies().iter().map(|body| body.to_plate).collect();
        let (unit, up) = planned.traits;
        let scaled = Affine3A::from_scale(Vec3::splat(planned.scale as f32));
        let to_project = (scaled * to_plate(unit, up)).inverse();
        let seams = planned.cut.seams(&planned.parts, &on_plate, &marks, &watch);
        Ok(seams.map(|seams| {
            let told = |seam: Seam| SeamTold {
                layer: seam.layer,
                at: to_project.transform_point3(seam.at.as_vec3()).to_array(),
                reason: seam.reason,
                avoided: seam.avoided,
            };
            seams.into_iter().map(told).collect::<Vec<_>>()
        }))
    });
    let told = told.await?.map_err(|_| ApiError::bad_request("it was given up"))?;
    drop(give_up);
    Ok(Json(told))
}
