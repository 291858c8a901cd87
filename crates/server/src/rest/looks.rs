//! Looks as shading code.

use axum::{Json, extract::State, response::Response};
use serde::Deserialize;
use speckle_formats::{
    note::{ChannelNote, Origin},
    recipient::file_stem,
    shader::{Language, LookCode, Numbers, SetSays, look_code_of, look_nodes},
};
use speckle_model::proof::Look;
use speckle_store::ProjectId;
use utoipa::ToSchema;

use super::as_file;
use crate::{App, body::Said, error::ApiError};

/// A look that is wanted as code.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LookOrder {
    /// The look, as it is or as it would be.
    look: Look,
    /// In which language.
    language: Language,
    /// Whether its numbers stand in an array `look_numbers`, so that they can change without the code.
    #[serde(default)]
    in_array: bool,
    /// The project whose sets it takes, so that what their channels hold is said.
    #[serde(default)]
    project: Option<ProjectId>,
}

impl LookOrder {
    /// What is known of the sets that it takes.
    async fn note(&self, app: &App) -> Result<Option<ChannelNote>, ApiError> {
        if let Some(problem) = self.look.problem() {
            return Err(ApiError::bad_request(problem));
        }
        let Some(project) = self.project else { return Ok(None) };
        let now = app.now(project).await?;
        Ok(Some(ChannelNote::of(&now.parts, now.traits, Origin::default())))
    }

    async fn code(&self, app: &App) -> Result<LookCode, ApiError> {
        let note = self.note(app).await?;
        let numbers = if self.in_array { Numbers::InArray } else { Numbers::Written };
        let says = |set: &str| SetSays::of(note.as_ref()?, set);
        Ok(look_code_of(&self.look, self.language, numbers, says))
    }
}

/// A look as code: a function that takes the numbers of sets and gives the material there.
#[utoipa::path(
    post, path = "/api/v1/looks/code", request_body = LookOrder,
    responses((status = 200, body = LookCode), (status = 422, body = ApiError))
)]
pub async fn code_of_look(
    State(app): State<App>,
    Said(order): Said<LookOrder>,
) -> Result<Json<LookCode>, ApiError> {
    order.code(&app).await.map(Json)
}

/// The same as a file.
#[utoipa::path(
    post, path = "/api/v1/looks/file", request_body = LookOrder,
    responses((status = 200, content_type = "text/plain"), (status = 422, body = ApiError))
)]
pub async fn file_of_look(
    State(app): State<App>,
    Said(order): Said<LookOrder>,
) -> Result<Response, ApiError> {
    let code = order.code(&app).await?;
    let name = format!("{}.{}", code.function, order.language.extension());
    Ok(as_file(code.file().into_bytes(), "text/plain; charset=utf-8", &name))
}

/// A look as a MaterialX document, whatever language is named. Images are meant by their names in the project.
#[utoipa::path(
    post, path = "/api/v1/looks/nodes", request_body = LookOrder,
    responses((status = 200, content_type = "application/mtlx+xml", body = String), (status = 422, body = ApiError))
)]
pub async fn nodes_of_look(
    State(app): State<App>,
    Said(order): Said<LookOrder>,
) -> Result<Response, ApiError> {
    let note = order.note(&app).await?;
    let says = |set: &str| SetSays::of(note.as_ref()?, set);
    let text = look_nodes(&order.look, says, str::to_owned);
    let name = format!("{}.mtlx", file_stem(&order.look.name));
    Ok(as_file(text.into_bytes(), "application/mtlx+xml", &name))
}
