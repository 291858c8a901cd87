//! Where a part has to stand to lie on another.

use axum::{
    Json,
    extract::{Path, Query, State},
};
use serde::Deserialize;
use speckle_model::PartId;
use speckle_store::ProjectId;
use speckle_tools::align::{AlignBy, Alignment, align};
use utoipa::IntoParams;

use super::part_of;
use crate::{App, error::ApiError};

/// To what, and how.
#[derive(Debug, Deserialize, IntoParams)]
pub struct AlignmentQuery {
    /// The part to lie on.
    to: u32,
    /// By what.
    #[param(inline)]
    by: AlignBy,
}

/// Finds where a part has to stand to lie on another; nothing is moved.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/alignment",
    params(("project" = i64, Path), ("part" = u32, Path), AlignmentQuery),
    responses((status = 200, body = Alignment), (status = 404, body = ApiError))
)]
pub async fn alignment(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    Query(AlignmentQuery { to, by }): Query<AlignmentQuery>,
) -> Result<Json<Alignment>, ApiError> {
    let now = app.now(project).await?;
    let (moving, fixed) = (part_of(&now, part)?, part_of(&now, PartId(to))?);
    let found = app.aside(move |_| {
        Ok(align(
            (&moving.geometry, &moving.traits.transform),
            (&fixed.geometry, &fixed.traits.transform),
            by,
        ))
    });
    Ok(Json(found.await?))
}
