//! What is wrong, or will be, with a project for whoever receives it.

use axum::{
    Json,
    extract::{Path, Query, State},
    http::HeaderMap,
};
use serde::Deserialize;
use speckle_core::checks::{Finding, Subject, Target, check};
use speckle_store::ProjectId;
use utoipa::IntoParams;

use crate::{App, error::ApiError};

/// Whom it is checked for.
#[derive(Debug, Deserialize, IntoParams)]
pub struct CheckQuery {
    /// A shader, when left out.
    #[serde(default, rename = "for")]
    target: Target,
}

/// Checks a project.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/checks", params(("project" = i64, Path), CheckQuery),
    responses((status = 200, body = [Finding]), (status = 404, body = ApiError))
)]
pub async fn checks(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<CheckQuery>,
    headers: HeaderMap,
) -> Result<Json<Vec<Finding>>, ApiError> {
    let now = app.now(project).await?;
    let (watch, give_up) = app.works.watch(&headers);
    let found = app.aside(move |_| {
        let subject = Subject {
            parts: &now.parts,
            palette: &now.swatches,
            proof: &now.proof,
            traits: now.traits,
            stale: &now.stale,
        };
        Ok(check(&subject, query.target, &watch))
    });
    let found = found.await?.map_err(|_| ApiError::bad_request("it was given up"))?;
    drop(give_up);
    Ok(Json(found))
}
