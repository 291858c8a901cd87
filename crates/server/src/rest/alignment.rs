//! Where a part has to stand to lie on another.

use axum::{
    Json,
    extract::{Path, Query, State},
};
use serde::Deserialize;
use speckle_model::PartId;
use speckle_store::ProjectId;
use speckle_tools::align::{AlignBy, Alignment, align, align_by_pairs};
use utoipa::{IntoParams, ToSchema};

use super::part_of;
use crate::{App, body::Said, error::ApiError};

/// To what, and how.
#[derive(Debug, Deserialize, IntoParams)]
pub struct AlignmentQuery {
    /// The part to lie on.
    to: u32,
    /// By what.
    #[param(inline)]
    by: AlignBy,
}

/// Points of a part, and where they belong.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AlignmentPairs {
    /// The part to lie on.
    to: PartId,
    /// A point of the part that moves, and the one where it belongs, in the project's space.
    #[schema(value_type = Vec<[[f32; 3]; 2]>)]
    pairs: Vec<[[f32; 3]; 2]>,
    /// Whether it may become larger or smaller.
    #[serde(default)]
    scales: bool,
}

/// Finds where a part has to stand so that points of it lie on others; nothing is moved.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/alignment",
    params(("project" = i64, Path), ("part" = u32, Path)),
    request_body = AlignmentPairs,
    responses((status = 200, body = Alignment), (status = 422, body = ApiError))
)]
pub async fn alignment_by_pairs(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    Said(AlignmentPairs { to, pairs, scales }): Said<AlignmentPairs>,
) -> Result<Json<Alignment>, ApiError> {
    let now = app.now(project).await?;
    let (moving, fixed) = (part_of(&now, part)?, part_of(&now, to)?);
    let found = app.aside(move |_| {
        let pairs: Vec<_> = pairs.into_iter().map(|pair| pair.map(glam::Vec3::from)).collect();
        Ok(align_by_pairs(
            (&moving.geometry, &moving.traits.transform),
            (&fixed.geometry, &fixed.traits.transform),
            &pairs,
            scales,
        ))
    });
    let found = found.await?;
    found.map(Json).map_err(|error| ApiError::bad_request(error.to_string()))
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
