//! Another shape for a part, made from its own: looked at, and done; and what is wrong with a shape.

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
use speckle_mesh::{Geometry, Placement};
use speckle_model::{PartId, SetId};
use speckle_store::ProjectId;
use speckle_tools::{
    layout,
    reform::{
        Reform, ReformReport, Reformed,
        mend::{Finding, look_over},
        reform,
    },
};
use utoipa::{IntoParams, ToSchema};

use super::{hand, part_of};
use crate::{App, body::Said, error::ApiError, wire::frames};

/// What is to become of a part.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReformOrder {
    /// The change of its shape.
    pub reform: Reform,
    /// Whether the part stays as it is, and a copy beside it gets the new shape.
    #[serde(default)]
    pub beside: bool,
    /// Whether it is only looked at.
    #[serde(default)]
    pub look: bool,
}

/// What a change of shape did, or would do.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ReformAnswer {
    /// By what the shape that it would make is asked for, where it was only looked at.
    look: Option<u32>,
    /// What it does.
    report: ReformReport,
    /// What the values of its sets belong to from then on.
    placements: Vec<SetPlaced>,
    /// The edges of the islands of a layout that it makes: u, v, u, v.
    #[schema(value_type = Vec<[f32; 4]>)]
    outlines: Vec<[f32; 4]>,
}

/// What each value of a set belongs to.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct SetPlaced {
    /// The set.
    set: SetId,
    /// What its values belong to.
    placement: Placement,
}

/// A change of shape that was looked at.
pub struct Planned {
    project: ProjectId,
    part: PartId,
    revision: i64,
    reform: Reform,
    reformed: Reformed,
    geometry: Arc<Geometry>,
}

/// The most edges that a picture of a layout shows.
pub(super) const MOST_OUTLINES: usize = 12_000;

/// Gives a part another shape.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/reform",
    params(("project" = i64, Path), ("part" = u32, Path)),
    request_body = ReformOrder,
    responses((status = 200, body = ReformAnswer), (status = 422, body = ApiError))
)]
pub async fn reform_part(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Said(order): Said<ReformOrder>,
) -> Result<Json<ReformAnswer>, ApiError> {
    let now = app.now(project).await?;
    let is_it = |planned: &Planned| {
        (planned.project, planned.part, planned.revision) == (project, part, now.revision)
            && planned.reform == order.reform
    };
    let planned = match app.reforms.take(is_it) {
        Some(planned) => planned,
        None => {
            let own = part_of(&now, part)?;
            let (watch, give_up) = app.works.watch(&headers);
            let asked = order.reform.clone();
            let images = now.images.clone();
            let done = app.aside(move |_| {
                Ok(reform(&own, &asked, &images, &watch).map(|reformed| {
                    let geometry = Arc::new(Geometry::new(reformed.shape.mesh.clone()));
                    (reformed, geometry)
                }))
            });
            let done = done.await?;
            drop(give_up);
            let (reformed, geometry) =
                done.map_err(|error| ApiError::bad_request(error.to_string()))?;
            let (revision, reform) = (now.revision, order.reform.clone());
            Planned { project, part, revision, reform, reformed, geometry }
        }
    };
    let report = planned.reformed.report.clone();
    let sets = planned.reformed.shape.sets.iter();
    let placements = sets.map(|to| SetPlaced { set: to.id, placement: to.placement }).collect();
    let mut outlines = Vec::new();
    if let (true, Some(set), Reform::Layout { .. }) =
        (order.look, planned.geometry.mesh().uv_sets().last(), &order.reform)
    {
        outlines = layout::outlines(&planned.geometry, &set.uvs, MOST_OUTLINES);
    }
    if order.look {
        let look = Some(app.reforms.keep_a_while(planned));
        return Ok(Json(ReformAnswer { look, report, placements, outlines }));
    }
    let reformed = Box::new(planned.reformed);
    let edit = ReplaceEdit::Reform { part, reformed, beside: order.beside };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(Json(ReformAnswer { look: None, report, placements, outlines }))
}

/// What of it.
#[derive(Debug, Deserialize, IntoParams)]
pub struct ReformedQuery {
    /// The set whose values are wanted, four bytes for each element; the shape, as a frame of the live
    /// socket, when left out.
    set: Option<u32>,
}

/// The shape of a change that was looked at, or what a set holds on it.
#[utoipa::path(
    get, path = "/api/v1/reforms/{look}",
    params(("look" = u32, Path), ReformedQuery),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ApiError))
)]
pub async fn reformed(
    State(app): State<App>,
    Path(look): Path<u32>,
    Query(ReformedQuery { set }): Query<ReformedQuery>,
) -> Result<Response, ApiError> {
    let found = app.blocking(move |app| {
        Ok(app.reforms.bytes(look, |planned| {
            let Some(set) = set else {
                return Some(frames::geometry(planned.part, &planned.geometry).into_data());
            };
            let own = planned.reformed.shape.sets.iter().find(|to| to.id == SetId(set))?;
            Some(own.values.iter().copied().flat_map(bytes_from_rgba).collect())
        }))
    });
    found.await?
}

/// Looks a part over: what is wrong with its mesh, and where.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/faults",
    params(("project" = i64, Path), ("part" = u32, Path)),
    responses((status = 200, body = [Finding]), (status = 404, body = ApiError))
)]
pub async fn part_faults(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
) -> Result<Json<Vec<Finding>>, ApiError> {
    let now = app.now(project).await?;
    let own = part_of(&now, part)?;
    let (watch, give_up) = app.works.watch(&headers);
    let done = app.aside(move |_| Ok(look_over(&own, &watch))).await?;
    drop(give_up);
    done.map(Json).map_err(|_| ApiError::bad_request("it was given up"))
}
