//! What is wrong, or will be, with a project for whoever receives it.

use axum::{
    Json,
    extract::{Path, Query, State},
    http::HeaderMap,
    response::Response,
};
use serde::Deserialize;
use speckle_core::checks::{Finding, Subject, Taker, Target, check};
use speckle_formats::{
    note::{Origin, day},
    recipient::{Goods, Recipient, file_stem},
};
use speckle_store::ProjectId;
use speckle_tools::spools::LoadedSpool;
use utoipa::IntoParams;

use super::{as_file, printer};
use crate::{
    App,
    error::ApiError,
    report::{Reported, page, takers},
    session::{command::Now, now_ms},
};

/// Whom it is checked for.
#[derive(Debug, Deserialize, IntoParams)]
pub struct CheckQuery {
    /// A shader, when left out.
    #[serde(default, rename = "for")]
    target: Target,
}

/// A project in one page for whoever receives it: pictures of its channels and looks, what channels hold, how a shader
/// reads it, what was found.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/report", params(("project" = i64, Path), CheckQuery),
    responses((status = 200, content_type = "text/html", body = String), (status = 404, body = ApiError))
)]
pub async fn report(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<CheckQuery>,
    headers: HeaderMap,
) -> Result<Response, ApiError> {
    let now = app.now(project).await?;
    let mark = app.mark(project).await?;
    let (watch, give_up) = app.works.watch(&headers);
    let file = format!("{}-report.html", file_stem(&now.name));
    let (takers, loaded) = (app.takers(project, &now).await?, app.loaded(query.target).await);
    let page = app.aside(move |_| {
        let origin = Origin {
            project: now.name.clone(),
            project_id: mark,
            revision: now.revision,
            date: day(now_ms()),
        };
        let reported = Reported {
            subject: subject_of(&now, &takers, loaded.as_deref()),
            images: &now.images,
            origin,
            name: &now.name,
            target: query.target,
        };
        Ok(page(&reported, &watch))
    });
    let page = page.await?.map_err(|_| ApiError::bad_request("it was given up"))?;
    drop(give_up);
    Ok(as_file(page.into_bytes(), "text/html; charset=utf-8", &file))
}

impl App {
    /// The recipients that are kept with a project, with what they are not given.
    async fn takers(&self, project: ProjectId, now: &Now) -> Result<Vec<Taker>, ApiError> {
        let now = now.clone();
        self.aside(move |app| {
            let kept = app.store.project(project)?.recipients()?;
            let kept: Vec<Recipient> =
                kept.iter().filter_map(|kept| serde_json::from_str(&kept.settings).ok()).collect();
            let goods = Goods {
                name: &now.name,
                parts: &now.parts,
                images: &now.images,
                palette: &now.swatches,
                looks: &now.proof.looks,
                traits: now.traits,
            };
            Ok(takers(&kept, &goods))
        })
        .await
    }

    /// The spools that are loaded, for whom that matters, where the printer answers.
    async fn loaded(&self, target: Target) -> Option<Vec<LoadedSpool>> {
        let printer = self.printer.as_ref().filter(|_| target == Target::Spools)?;
        printer::loaded(printer).await
    }
}

fn subject_of<'a>(
    now: &'a Now,
    takers: &'a [Taker],
    loaded: Option<&'a [LoadedSpool]>,
) -> Subject<'a> {
    Subject {
        takers,
        loaded,
        parts: &now.parts,
        palette: &now.swatches,
        proof: &now.proof,
        traits: now.traits,
        stale: &now.stale,
    }
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
    let (takers, loaded) = (app.takers(project, &now).await?, app.loaded(query.target).await);
    let found = app.aside(move |_| {
        Ok(check(&subject_of(&now, &takers, loaded.as_deref()), query.target, &watch))
    });
    let found = found.await?.map_err(|_| ApiError::bad_request("it was given up"))?;
    drop(give_up);
    Ok(Json(found))
}
