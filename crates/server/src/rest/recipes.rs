//! Recipes and their images as files, and the shelf of good recipes to start from.

use std::sync::Arc;

use axum::{
    Json,
    body::Bytes,
    extract::{Path, Query, State},
    http::{HeaderMap, StatusCode, header},
    response::{IntoResponse, Response},
};
use serde::Deserialize;
use speckle_color::pixels;
use speckle_core::{ImageEdit, RecipeEdit};
use speckle_formats::recipient::file_stem;
use speckle_model::{
    ColorSet, PartId, SetId,
    recipe::{RecipeFile, Source, starters},
};
use speckle_store::ProjectId;
use utoipa::IntoParams;

use super::{as_file, hand};
use crate::{App, error::ApiError, session::command::Now};

/// The shelf of recipes to start from.
#[utoipa::path(get, path = "/api/v1/recipes", responses((status = 200, body = [RecipeFile])))]
pub async fn shelf() -> Json<Vec<RecipeFile>> {
    Json(starters::all())
}

/// The recipes of a set as a file.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/sets/{set}/recipes",
    params(("project" = i64, Path), ("part" = u32, Path), ("set" = u32, Path)),
    responses((status = 200, body = RecipeFile), (status = 404, body = ApiError))
)]
pub async fn recipes(
    State(app): State<App>,
    Path((project, part, set)): Path<(ProjectId, u32, u32)>,
) -> Result<Response, ApiError> {
    let now = app.now(project).await?;
    let own = set_of(&now, PartId(part), SetId(set))?;
    let file = file_of(own);
    if file.recipes.is_empty() {
        return Err(ApiError::bad_request(format!("{} has no recipe to save", own.name)));
    }
    let json = serde_json::to_string_pretty(&file).unwrap_or_default();
    let name = file_stem(&format!("{} {}", now.name, own.name));
    Ok(as_file(json, "application/json", &format!("{name} recipe.json")))
}

fn set_of(now: &Now, part: PartId, set: SetId) -> Result<&ColorSet, ApiError> {
    let part = now.parts.iter().find(|own| own.id == part);
    let set = part.and_then(|part| part.products().find(|own| own.id == set));
    set.ok_or_else(|| ApiError::bad_request("there is no such set any more".to_owned()))
}

/// What a set is made by. Hand paint belongs to the project and stays there.
fn file_of(set: &ColorSet) -> RecipeFile {
    let mut recipes: Vec<_> = set.recipes.iter().map(|own| own.recipe.clone()).collect();
    for recipe in &mut recipes {
        recipe.steps.retain(|step| !matches!(step.source, Source::HandPaint { .. }));
    }
    RecipeFile {
        version: RecipeFile::VERSION,
        name: set.name.clone(),
        note: String::new(),
        set: set.name.clone(),
        placement: set.placement,
        encoding: set.encoding,
        start: Some(set.ground),
        recipes,
    }
}

#[derive(Debug, Deserialize, IntoParams)]
pub struct TakeQuery {
    /// The set that gets them; the one that the file names when left out.
    set: Option<u32>,
}

/// Gives a part the recipes of a file.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/recipes",
    params(("project" = i64, Path), ("part" = u32, Path), TakeQuery),
    request_body(content = String, content_type = "text/plain"),
    responses((status = 204), (status = 422, body = ApiError))
)]
pub async fn take(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, u32)>,
    Query(query): Query<TakeQuery>,
    headers: HeaderMap,
    body: Bytes,
) -> Result<StatusCode, ApiError> {
    let text = std::str::from_utf8(&body).map_err(|error| {
        let at = error.valid_up_to();
        ApiError::bad_request(format!("byte {at} is no text: choose a recipe saved as JSON"))
    })?;
    let file = RecipeFile::read(text).map_err(ApiError::bad_request)?;
    let edit = RecipeEdit::TakeRecipes { part: PartId(part), set: query.set.map(SetId), file };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Debug, Deserialize, IntoParams)]
pub struct ImageQuery {
    /// What recipes call it.
    name: String,
}

/// Takes an image (PNG, JPEG, WebP, GIF, BMP or TIFF) into the project, in place of the one of the
/// same name.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/images", params(("project" = i64, Path), ImageQuery),
    request_body(content = String, content_type = "application/octet-stream"),
    responses((status = 204), (status = 422, body = ApiError))
)]
pub async fn add_image(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<ImageQuery>,
    headers: HeaderMap,
    body: Bytes,
) -> Result<StatusCode, ApiError> {
    let file = Arc::new(body.to_vec());
    let edit = ImageEdit::AddImage { name: query.name.clone(), file: file.clone() };
    // Here and not where the project's changes are made: it takes as long as the image is large.
    let read = app.aside(move |_| Ok(pixels::read(&file).map(drop))).await?;
    read.map_err(|cause| ApiError::bad_request(format!("the image {} {cause}", query.name)))?;
    app.edit(project, edit, hand(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Debug, Deserialize, IntoParams)]
pub struct ImageFileQuery {
    /// What recipes call it.
    name: String,
    /// Whether it is given as PNG, of 8 bits, whatever file it came from: some are of kinds that browsers do not know.
    #[serde(default)]
    png: bool,
}

/// An image of the project, as the file it came from.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/images", params(("project" = i64, Path), ImageFileQuery),
    responses((status = 200, content_type = "application/octet-stream", body = String), (status = 422, body = ApiError))
)]
pub async fn image(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<ImageFileQuery>,
) -> Result<Response, ApiError> {
    let now = app.now(project).await?;
    let found = now.images.into_iter().find(|image| image.name == query.name);
    let found = found.ok_or_else(|| {
        ApiError::bad_request(format!("there is no image {} any more", query.name))
    })?;
    if query.png {
        let said =
            move |cause: String| ApiError::bad_request(format!("the image {} {cause}", query.name));
        let read = move |_: &_| Ok(pixels::read(&found.file).and_then(|read| read.png()));
        let png = app.aside(read).await?.map_err(said)?;
        return Ok(([(header::CONTENT_TYPE, "image/png")], png).into_response());
    }
    // Browsers tell the kind by the first bytes, and draw nothing that is no picture.
    let head = [(header::CONTENT_TYPE, "application/octet-stream")];
    Ok((head, found.file.to_vec()).into_response())
}
