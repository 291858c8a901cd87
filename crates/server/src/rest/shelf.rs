//! The list of projects and the demo pieces, with their pictures and files.

use axum::{
    Json,
    body::Body,
    extract::{Path, State},
    http::{HeaderMap, HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use serde::{Deserialize, Serialize};
use speckle_demo::{Detail, Piece};
use speckle_formats::recipient::file_stem;
use speckle_store::{ProjectId, StoreError};
use speckle_tools::picture::card;
use utoipa::ToSchema;

use super::hand;
use crate::{
    App,
    aside::{Pool, in_pool},
    body::{Said, to_file},
    error::ApiError,
    session::{lock, now_ms},
};

/// A project on the shelf.
#[derive(Debug, Serialize, ToSchema)]
pub struct ProjectCard {
    /// Names it.
    id: ProjectId,
    /// What the user calls it.
    name: String,
    /// When it was made, in milliseconds since 1970.
    created_ms: i64,
    /// When it was last opened, likewise.
    opened_ms: i64,
    /// Counts every change, undo and redo.
    revision: i64,
    /// How many bytes it takes on disk.
    bytes: i64,
}

/// The shelf.
#[derive(Debug, Serialize, ToSchema)]
pub struct Shelf {
    /// The projects, last opened first.
    projects: Vec<ProjectCard>,
    /// Bytes of the file that keeps them.
    file_bytes: u64,
    /// Bytes within it that wait for the next projects.
    free_bytes: u64,
}

/// A piece of the demo world.
#[derive(Debug, Serialize, ToSchema)]
pub struct PieceCard {
    /// Names it.
    key: String,
    /// What the user reads.
    title: String,
    /// What it is good for.
    blurb: String,
}

/// A project that was just made.
#[derive(Debug, Serialize, ToSchema)]
pub struct Made {
    /// Names it.
    id: ProjectId,
}

/// Which piece to open.
#[derive(Debug, Deserialize, ToSchema)]
pub struct OpenPiece {
    /// Its key.
    piece: String,
    /// Whether it is cut as finely as a scan.
    #[serde(default)]
    dense: bool,
}

/// What a project is to be called.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Naming {
    /// Its name.
    name: String,
}

/// The shelf: projects, last opened first, and the room they take.
#[utoipa::path(get, path = "/api/v1/projects", responses((status = 200, body = Shelf)))]
pub async fn projects(State(app): State<App>) -> Result<Json<Shelf>, ApiError> {
    let (projects, room) =
        app.blocking(|app| Ok((app.store.projects()?, app.store.disk_use()?))).await?;
    let projects = projects
        .into_iter()
        .map(|p| ProjectCard {
            id: p.id,
            name: p.name,
            created_ms: p.created_ms,
            opened_ms: p.opened_ms,
            revision: p.revision,
            bytes: p.bytes,
        })
        .collect();
    Ok(Json(Shelf { projects, file_bytes: room.file, free_bytes: room.free }))
}

/// Makes an empty project.
#[utoipa::path(post, path = "/api/v1/projects", request_body = Naming, responses((status = 200, body = Made), (status = 422, body = ApiError)))]
pub async fn create(
    State(app): State<App>,
    Said(naming): Said<Naming>,
) -> Result<Json<Made>, ApiError> {
    let name = naming.name.trim().to_owned();
    if name.is_empty() {
        return Err(StoreError::NoName.into());
    }
    let id = app.blocking(move |app| app.store.create_project(&name, now_ms())).await?;
    Ok(Json(Made { id }))
}

/// Gives a project another name.
#[utoipa::path(patch, path = "/api/v1/projects/{project}", params(("project" = i64, Path)), request_body = Naming, responses((status = 204), (status = 422, body = ApiError)))]
pub async fn rename(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Said(naming): Said<Naming>,
) -> Result<StatusCode, ApiError> {
    app.blocking(move |app| {
        app.store.rename_project(project, &naming.name)?;
        app.sessions.renamed(project, naming.name.trim().to_owned());
        Ok(())
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Copies a project with its whole history.
#[utoipa::path(post, path = "/api/v1/projects/{project}/copy", params(("project" = i64, Path)), responses((status = 200, body = Made), (status = 404, body = ApiError)))]
pub async fn copy(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Json<Made>, ApiError> {
    let id = app.aside(move |app| app.store.duplicate_project(project, now_ms())).await?;
    Ok(Json(Made { id }))
}

/// Deletes a project with all that belongs to it.
#[utoipa::path(delete, path = "/api/v1/projects/{project}", params(("project" = i64, Path)), responses((status = 204), (status = 404, body = ApiError)))]
pub async fn delete(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<StatusCode, ApiError> {
    app.blocking(move |app| {
        app.sessions.close(project);
        app.store.delete_project(project)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A small picture of a project (PNG).
#[utoipa::path(get, path = "/api/v1/projects/{project}/picture", params(("project" = i64, Path)), responses((status = 200, content_type = "image/png", body = String), (status = 404, body = ApiError)))]
pub async fn project_picture(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Response, ApiError> {
    let kept = app
        .blocking(move |app| {
            let file = app.store.project(project)?;
            let revision = file.position()?.revision;
            Ok(file.picture()?.filter(|(_, of)| *of == revision).map(|(png, _)| png))
        })
        .await?;
    if let Some(png) = kept {
        return Ok(as_picture(png));
    }
    let now = app.now(project).await?;
    let png = app
        .blocking(move |app| {
            let _one = lock(&app.drawing);
            let file = app.store.project(project)?;
            // Whoever asked before may have had it drawn meanwhile.
            if let Some((png, _)) = file.picture()?.filter(|(_, of)| *of == now.revision) {
                return Ok(png);
            }
            // No lock is taken in the pool: a worker that waits there takes up other work.
            let png =
                in_pool(Pool::Projects, || card(&now.parts, &now.swatches, now.traits.up).png())
                    .expect("writing to memory cannot fail");
            file.set_picture(&png, now.revision)?;
            Ok(png)
        })
        .await?;
    Ok(as_picture(png))
}

/// Lists the demo pieces.
#[utoipa::path(get, path = "/api/v1/pieces", responses((status = 200, body = [PieceCard])))]
pub async fn pieces() -> Json<Vec<PieceCard>> {
    let card = |p: &Piece| PieceCard {
        key: p.key.to_owned(),
        title: p.title.to_owned(),
        blurb: p.blurb.to_owned(),
    };
    Json(speckle_demo::PIECES.iter().map(card).collect())
}

fn piece_of(key: &str) -> Result<&'static Piece, ApiError> {
    speckle_demo::piece(key)
        .ok_or_else(|| ApiError::bad_request(format!("there is no demo piece {key}")))
}

/// Makes a project of a demo piece.
#[utoipa::path(post, path = "/api/v1/pieces", request_body = OpenPiece, responses((status = 200, body = Made), (status = 422, body = ApiError)))]
pub async fn open_piece(
    State(app): State<App>,
    headers: HeaderMap,
    Said(request): Said<OpenPiece>,
) -> Result<Json<Made>, ApiError> {
    let piece = piece_of(&request.piece)?;
    let detail = if request.dense { Detail::Dense } else { app.detail };
    let author = hand(&headers);
    let id = app
        .blocking(move |app| {
            let (document, change) = piece.project(detail);
            app.store.create_with(piece.title, &change, &author, now_ms(), &document)
        })
        .await?;
    Ok(Json(Made { id }))
}

/// A small picture of a demo piece (PNG).
#[utoipa::path(get, path = "/api/v1/pieces/{piece}/picture", params(("piece" = String, Path)), responses((status = 200, content_type = "image/png", body = String), (status = 422, body = ApiError)))]
pub async fn piece_picture(Path(key): Path<String>) -> Result<Response, ApiError> {
    Ok(as_picture(piece_of(&key)?.picture))
}

fn as_picture(png: impl Into<Body>) -> Response {
    // The address carries the revision, so that another picture has another address.
    let head = [(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "max-age=60")];
    (head, png.into()).into_response()
}

/// A project with its whole history as one file.
#[utoipa::path(get, path = "/api/v1/projects/{project}/file", params(("project" = i64, Path)), responses((status = 200, content_type = "application/vnd.sqlite3", body = String), (status = 404, body = ApiError)))]
pub async fn project_file(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Response, ApiError> {
    let (name, file) = app
        .aside(move |app| {
            let folder = tempfile::tempdir()?;
            let path = folder.path().join("project.speckle");
            app.store.export_project(project, &path)?;
            // Unlinked while it is open: gone when it is sent, however that ends.
            Ok((app.store.listed(project)?.name, std::fs::File::open(path)?))
        })
        .await?;
    let length = file.metadata().map_err(StoreError::from)?.len();
    let stream = tokio_util::io::ReaderStream::new(tokio::fs::File::from_std(file));
    let mut response = Body::from_stream(stream).into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("application/vnd.sqlite3"));
    headers.insert(header::CONTENT_LENGTH, length.into());
    let disposition = format!("attachment; filename=\"{}.speckle\"", file_stem(&name));
    if let Ok(value) = HeaderValue::from_str(&disposition) {
        headers.insert(header::CONTENT_DISPOSITION, value);
    }
    Ok(response)
}

/// Brings a project in that was exported as one file.
#[utoipa::path(
    post, path = "/api/v1/projects/file",
    request_body(content = String, content_type = "application/octet-stream", description = "the file's bytes"),
    responses((status = 200, body = Made), (status = 422, body = ApiError))
)]
pub async fn import_file(State(app): State<App>, body: Body) -> Result<Json<Made>, ApiError> {
    let folder = tempfile::tempdir().map_err(StoreError::from)?;
    let path = folder.path().join("project.speckle");
    let mut file = std::fs::File::create(&path).map_err(StoreError::from)?;
    to_file(body, &mut file, app.most_upload).await?;
    drop(file);
    let id = app
        .aside(move |app| {
            let imported = app.store.import_project(&path, now_ms());
            drop(folder);
            imported
        })
        .await?;
    Ok(Json(Made { id }))
}
