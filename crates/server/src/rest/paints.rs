//! What paint is laid on with: stencils, and the project's palette as a file.

use axum::{
    Json,
    body::Bytes,
    extract::{Path, Query, State},
    http::{HeaderMap, StatusCode},
    response::Response,
};
use serde::{Deserialize, Serialize};
use speckle_color::pixels;
use speckle_core::ProjectEdit;
use speckle_formats::recipient::file_stem;
use speckle_model::swatches::{self, Swatch};
use speckle_store::ProjectId;
use speckle_tools::stencil::{Stencil, StencilId};
use tokio::sync::oneshot;
use utoipa::{IntoParams, ToSchema};

use super::{as_file, gone, hand};
use crate::{App, error::ApiError, session::command::Command};

/// A stencil that was taken in.
#[derive(Debug, Serialize, ToSchema)]
pub struct StencilTaken {
    /// Names it until the project is closed.
    id: StencilId,
    /// Pixels from left to right.
    width: u32,
    /// Pixels from top to bottom.
    height: u32,
}

/// Takes in an image (PNG, JPEG, WebP, GIF, BMP or TIFF) to lay paint on through.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/stencils", params(("project" = i64, Path)),
    request_body(content = String, content_type = "application/octet-stream"),
    responses((status = 200, body = StencilTaken), (status = 422, body = ApiError))
)]
pub async fn stencil(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    bytes: Bytes,
) -> Result<Json<StencilTaken>, ApiError> {
    let (stencil, width, height) = app
        .blocking(move |_| Ok(stencil_of(&bytes)))
        .await?
        .map_err(|cause| ApiError::bad_request(format!("the stencil {cause}")))?;
    let (reply, answer) = oneshot::channel();
    app.send(project, Command::Stencil(stencil.into(), reply)).await?;
    let id = answer.await.map_err(|_| gone())?;
    Ok(Json(StencilTaken { id, width, height }))
}

fn stencil_of(bytes: &[u8]) -> Result<(Stencil, u32, u32), String> {
    let image = pixels::read(bytes)?;
    let stencil = Stencil::from_rgba(image.width, image.height, &image.rgba);
    let stencil = stencil.ok_or_else(|| "has no pixels".to_owned())?;
    Ok((stencil, image.width as u32, image.height as u32))
}

/// How a palette is written.
#[derive(Clone, Copy, Debug, Default, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PaletteForm {
    /// Lines of `r g b name`, 0–255.
    #[default]
    Text,
    /// A JSON array of `{ "name", "color": [r, g, b] }`, 0–1.
    Json,
}

#[derive(Debug, Deserialize, IntoParams)]
pub struct PaletteQuery {
    /// How it is written.
    #[serde(default)]
    #[param(inline)]
    form: PaletteForm,
}

/// The project's palette as a file.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/palette",
    params(("project" = i64, Path), PaletteQuery),
    responses((status = 200, content_type = "text/plain", body = String), (status = 404, body = ApiError))
)]
pub async fn palette(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<PaletteQuery>,
) -> Result<Response, ApiError> {
    let now = app.now(project).await?;
    let name = file_stem(&now.name);
    let (text, media, extension) = match query.form {
        PaletteForm::Text => (swatches::to_text(&now.swatches), "text/plain; charset=utf-8", "txt"),
        PaletteForm::Json => {
            let json = serde_json::to_string_pretty(&now.swatches).unwrap_or_default();
            (json, "application/json", "json")
        }
    };
    Ok(as_file(text, media, &format!("{name} palette.{extension}")))
}

/// Takes a palette in from a file of either form, in place of the one there is.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/palette", params(("project" = i64, Path)),
    request_body(content = String, content_type = "text/plain"),
    responses((status = 204), (status = 422, body = ApiError))
)]
pub async fn read_palette(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    body: Bytes,
) -> Result<StatusCode, ApiError> {
    let refused =
        |cause: String| ApiError::bad_request(format!("the palette cannot be read: {cause}"));
    let text = std::str::from_utf8(&body).map_err(|error| {
        refused(format!("byte {} is no text; choose a text or JSON file", error.valid_up_to()))
    })?;
    let swatches: Vec<Swatch> = if text.trim_start().starts_with(['[', '{']) {
        serde_json::from_str(text).map_err(|error| {
            refused(format!("{error}; it must be a list of {{\"name\", \"color\": [r, g, b]}}"))
        })?
    } else {
        swatches::from_text(text).map_err(|error| refused(error.to_string()))?
    };
    if swatches.is_empty() {
        return Err(refused("there is no color in it".to_owned()));
    }
    app.edit(project, ProjectEdit::SetPalette { swatches }, hand(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}
