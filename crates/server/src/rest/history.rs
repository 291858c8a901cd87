//! What was done to a project, step by step.

use axum::{
    Json,
    extract::{Path, State},
};
use serde::Serialize;
use speckle_store::ProjectId;
use utoipa::ToSchema;

use crate::{App, error::ApiError};

/// A step of a project's history.
#[derive(Debug, Serialize, ToSchema)]
pub struct HistoryStep {
    /// Its number; the first is 1.
    number: i64,
    /// What was done.
    label: String,
    /// Who did it.
    author: String,
}

/// The steps that are in effect, the last one first. What goes with the step before it is left out.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/steps", params(("project" = i64, Path)),
    responses((status = 200, body = Vec<HistoryStep>), (status = 404, body = ApiError))
)]
pub async fn steps(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Json<Vec<HistoryStep>>, ApiError> {
    let (rows, cursor) = app
        .blocking(move |app| {
            let file = app.store.project(project)?;
            Ok((file.rows()?, file.position()?.cursor))
        })
        .await?;
    let mut steps: Vec<HistoryStep> = Vec::new();
    for (number, row) in (1..=cursor).zip(rows) {
        match steps.last_mut() {
            // It is undone together with that one, and the number says after which all is done.
            Some(last) if row.follows => last.number = number,
            _ => steps.push(HistoryStep { number, label: row.label, author: row.author }),
        }
    }
    steps.reverse();
    Ok(Json(steps))
}
