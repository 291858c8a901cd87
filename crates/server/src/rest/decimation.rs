//! Fewer triangles for a part: looked at, and done.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Path, Query, State},
    http::HeaderMap,
    response::Response,
};
use serde::{Deserialize, Serialize};
use speckle_color::bytes_from_rgba;
use speckle_core::ReplaceEdit;
use speckle_mesh::Geometry;
use speckle_model::{PartId, SetId};
use speckle_store::ProjectId;
use speckle_tools::{
    bake::watch::Watch,
    decimate::{DecimationReport, Rules, decimate},
    replacing::ShapeTo,
};
use utoipa::{IntoParams, ToSchema};

use super::{hand, part_of, transfer::GiveUp};
use crate::{App, body::Said, error::ApiError, wire::frames};

/// What is to become of a part.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DecimationOrder {
    /// How far, and what weighs in.
    pub rules: Rules,
    /// Whether the part stays as it is, and a copy beside it gets fewer triangles.
    #[serde(default)]
    pub beside: bool,
    /// Whether it is only looked at.
    #[serde(default)]
    pub look: bool,
}

/// What a decimation did, or would do.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Decimation {
    /// By what the shape that it would make is asked for, where it was only looked at.
    look: Option<u32>,
    /// What it does.
    report: DecimationReport,
}

/// A decimation that was looked at.
pub struct Planned {
    project: ProjectId,
    part: PartId,
    revision: i64,
    rules: Rules,
    shape: ShapeTo,
    geometry: Arc<Geometry>,
    report: DecimationReport,
}

/// Gives a part fewer triangles.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/decimation",
    params(("project" = i64, Path), ("part" = u32, Path)),
    request_body = DecimationOrder,
    responses((status = 200, body = Decimation), (status = 422, body = ApiError))
)]
pub async fn decimate_part(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Said(order): Said<DecimationOrder>,
) -> Result<Json<Decimation>, ApiError> {
    let now = app.now(project).await?;
    let rules = &order.rules;
    let is_it = |planned: &Planned| {
        (planned.project, planned.part, planned.revision) == (project, part, now.revision)
            && planned.rules == *rules
    };
    let planned = match app.decimations.take(is_it) {
        Some(planned) => planned,
        None => {
            let own = part_of(&now, part)?;
            let watch = Arc::new(Watch::default());
            let give_up = GiveUp(watch.clone());
            let asked = order.rules.clone();
            let done = app.aside(move |_| Ok(decimate(&own, &asked, &watch))).await?;
            drop(give_up);
            let (shape, report) = done.map_err(|error| ApiError::bad_request(error.to_string()))?;
            let geometry = Arc::new(Geometry::new(shape.mesh.clone()));
            let (revision, rules) = (now.revision, order.rules.clone());
            Planned { project, part, revision, rules, shape, geometry, report }
        }
    };
    let report = planned.report.clone();
    if order.look {
        let look = Some(app.decimations.keep_a_while(planned));
        return Ok(Json(Decimation { look, report }));
    }
    let shape = Box::new(planned.shape);
    let edit = ReplaceEdit::Decimate { part, shape, beside: order.beside };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(Json(Decimation { look: None, report }))
}

/// What of it.
#[derive(Debug, Deserialize, IntoParams)]
pub struct DecimatedQuery {
    /// The set whose values are wanted, four bytes for each element; the shape, as a frame of the live
    /// socket, when left out.
    set: Option<u32>,
}

/// The shape of a decimation that was looked at, or what a set holds on it.
#[utoipa::path(
    get, path = "/api/v1/decimations/{look}",
    params(("look" = u32, Path), DecimatedQuery),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ApiError))
)]
pub async fn decimated(
    State(app): State<App>,
    Path(look): Path<u32>,
    Query(DecimatedQuery { set }): Query<DecimatedQuery>,
) -> Result<Response, ApiError> {
    let found = app.blocking(move |app| {
        Ok(app.decimations.bytes(look, |planned| {
            let Some(set) = set else {
                return Some(frames::geometry(planned.part, &planned.geometry).into_data());
            };
            let own = planned.shape.sets.iter().find(|(id, _)| *id == SetId(set))?;
            Some(own.1.iter().copied().flat_map(bytes_from_rgba).collect())
        }))
    });
    found.await?
}
