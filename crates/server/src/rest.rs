//! Everything that is not live: projects, import, edits, export, demo pieces.

use axum::{
    Json,
    body::Bytes,
    extract::{Path, Query, State},
    http::{HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use serde::{Deserialize, Serialize};
use speckle_core::{
    Edit, Encoding, Part, PartId, Placement,
    stroke::{Sample, StrokeStart},
};
use speckle_formats::{Depth, Format, Import, PlyBody, Repair, WriteOptions};
use speckle_store::ProjectId;
use tokio::sync::oneshot;
use utoipa::{IntoParams, ToSchema};

use crate::{
    App,
    error::ApiError,
    session::{Command, lock, now_ms},
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

/// What an import did.
#[derive(Debug, Serialize, ToSchema)]
pub struct ImportReport {
    /// The project it went into.
    project: ProjectId,
    /// The file's name.
    file: String,
    /// The parts that came in.
    parts: Vec<ImportedPart>,
    /// What was mended or dropped.
    repairs: Vec<Repair>,
    /// What the file holds beside, and is not kept.
    notes: Vec<String>,
}

/// A part as it came in.
#[derive(Debug, Serialize, ToSchema)]
pub struct ImportedPart {
    /// Its name.
    name: String,
    /// How many vertices.
    vertices: usize,
    /// How many faces.
    faces: usize,
    /// The names of its sets.
    sets: Vec<String>,
}

/// The name of a file that is sent.
#[derive(Debug, Deserialize, IntoParams)]
pub struct FileName {
    /// With its extension, which tells the format.
    name: String,
}

/// Which piece to open.
#[derive(Debug, Deserialize, ToSchema)]
pub struct OpenPiece {
    /// Its key.
    piece: String,
}

/// An edit as REST takes it.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum EditRequest {
    /// Gives a part one more set.
    AddSet {
        /// The part.
        part: PartId,
        /// What the set will be called.
        name: String,
        /// What each value belongs to.
        placement: Placement,
        /// Whether the numbers are colors or plain data.
        encoding: Encoding,
        /// The value it is flooded with.
        start: [f32; 4],
    },
    /// A whole stroke.
    Stroke {
        /// What it is made with.
        start: StrokeStart,
        /// Where the pointer went.
        samples: Vec<Sample>,
    },
}

impl From<EditRequest> for Edit {
    fn from(request: EditRequest) -> Self {
        match request {
            EditRequest::AddSet { part, name, placement, encoding, start } => {
                Self::AddSet { part, name, placement, encoding, start }
            }
            EditRequest::Stroke { start, samples } => Self::Stroke { start, samples },
        }
    }
}

/// How to export.
#[derive(Debug, Deserialize, IntoParams)]
pub struct ExportQuery {
    /// The format.
    #[param(inline)]
    format: Format,
    /// How precisely colors are stored.
    #[serde(default)]
    #[param(inline)]
    depth: Depth,
    /// Whether alpha is written.
    #[serde(default = "yes")]
    alpha: bool,
    /// How a PLY body is written.
    #[serde(default)]
    #[param(inline)]
    ply_body: PlyBody,
}

fn yes() -> bool {
    true
}

/// Lists the projects, last opened first.
#[utoipa::path(get, path = "/api/v1/projects", responses((status = 200, body = [ProjectCard])))]
pub async fn projects(State(app): State<App>) -> Result<Json<Vec<ProjectCard>>, ApiError> {
    let projects = app.blocking(|app| lock(&app.store).projects()).await?;
    Ok(Json(
        projects
            .into_iter()
            .map(|p| ProjectCard {
                id: p.id,
                name: p.name,
                created_ms: p.created_ms,
                opened_ms: p.opened_ms,
            })
            .collect(),
    ))
}

/// Lists the demo pieces.
#[utoipa::path(get, path = "/api/v1/pieces", responses((status = 200, body = [PieceCard])))]
pub async fn pieces() -> Json<Vec<PieceCard>> {
    let card = |p: &speckle_demo::Piece| PieceCard {
        key: p.key.to_owned(),
        title: p.title.to_owned(),
        blurb: p.blurb.to_owned(),
    };
    Json(speckle_demo::PIECES.iter().map(card).collect())
}

/// Makes a project of a demo piece.
#[utoipa::path(post, path = "/api/v1/pieces", request_body = OpenPiece, responses((status = 200, body = Made), (status = 422, body = ApiError)))]
pub async fn open_piece(
    State(app): State<App>,
    Json(request): Json<OpenPiece>,
) -> Result<Json<Made>, ApiError> {
    let piece = speckle_demo::piece(&request.piece).ok_or_else(|| {
        ApiError::bad_request(format!("there is no demo piece {}", request.piece))
    })?;
    let parts = app.blocking(|_| Ok(piece.make())).await?;
    let id = app.project_with(piece.title.to_owned(), Edit::AddParts(parts)).await?;
    Ok(Json(Made { id }))
}

/// Makes a project of a mesh file.
#[utoipa::path(
    post, path = "/api/v1/imports", params(FileName),
    request_body(content = String, content_type = "application/octet-stream", description = "the file's bytes"),
    responses((status = 200, body = ImportReport), (status = 422, body = ApiError))
)]
pub async fn import_new(
    State(app): State<App>,
    Query(file): Query<FileName>,
    bytes: Bytes,
) -> Result<Json<ImportReport>, ApiError> {
    let import = app.read(file.name.clone(), bytes).await?;
    let stem = file.name.rsplit_once('.').map_or(file.name.as_str(), |(stem, _)| stem);
    let report = report(file.name.clone(), &import);
    let project = app.project_with(stem.to_owned(), Edit::AddParts(import.parts)).await?;
    Ok(Json(ImportReport { project, ..report }))
}

/// Brings a mesh file into a project.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/imports",
    params(("project" = i64, Path), FileName),
    request_body(content = String, content_type = "application/octet-stream", description = "the file's bytes"),
    responses((status = 200, body = ImportReport), (status = 422, body = ApiError))
)]
pub async fn import(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(file): Query<FileName>,
    bytes: Bytes,
) -> Result<Json<ImportReport>, ApiError> {
    let import = app.read(file.name.clone(), bytes).await?;
    let report = report(file.name, &import);
    app.edit(project, Edit::AddParts(import.parts)).await?;
    Ok(Json(ImportReport { project, ..report }))
}

fn report(file: String, import: &Import) -> ImportReport {
    ImportReport {
        project: 0,
        file,
        parts: import
            .parts
            .iter()
            .map(|part| ImportedPart {
                name: part.name.clone(),
                vertices: part.mesh.vertex_count(),
                faces: part.mesh.face_count(),
                sets: part.sets.iter().map(|set| set.name.clone()).collect(),
            })
            .collect(),
        repairs: import.repairs.clone(),
        notes: import.notes.clone(),
    }
}

/// Makes an edit.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/edits", params(("project" = i64, Path)),
    request_body = EditRequest,
    responses((status = 204), (status = 422, body = ApiError))
)]
pub async fn edit(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Json(request): Json<EditRequest>,
) -> Result<StatusCode, ApiError> {
    app.edit(project, request.into()).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes a project with all that belongs to it.
#[utoipa::path(delete, path = "/api/v1/projects/{project}", params(("project" = i64, Path)), responses((status = 204), (status = 404, body = ApiError)))]
pub async fn delete(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<StatusCode, ApiError> {
    app.blocking(move |app| {
        app.sessions.close(project);
        lock(&app.store).delete_project(project)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The project as a file. The header `speckle-notes` holds, as JSON, what the format could not
/// carry.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/export",
    params(("project" = i64, Path), ExportQuery),
    responses((status = 200, content_type = "application/octet-stream", body = String), (status = 422, body = ApiError))
)]
pub async fn export(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<ExportQuery>,
) -> Result<Response, ApiError> {
    let (name, parts) = app.parts(project).await?;
    let options = WriteOptions { depth: query.depth, alpha: query.alpha, ply_body: query.ply_body };
    let format = query.format;
    let export = app
        .blocking(move |_| Ok(speckle_formats::write(format, &parts, options)))
        .await?
        .map_err(|error| ApiError::bad_request(format!("{}; {}", error.cause, error.remedy)))?;
    let file = format!("{}.{}", file_name(&name), format.extension());
    // Header values are ASCII: JSON's own escapes keep everything else.
    let notes: String = serde_json::to_string(&export.notes)
        .unwrap_or_default()
        .encode_utf16()
        .map(|unit| match u8::try_from(unit) {
            Ok(byte) if byte.is_ascii() => char::from(byte).to_string(),
            _ => format!("\\u{unit:04x}"),
        })
        .collect();
    let mut response = export.bytes.into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(format.media_type()));
    if let Ok(value) = HeaderValue::from_str(&format!("attachment; filename=\"{file}\"")) {
        headers.insert(header::CONTENT_DISPOSITION, value);
    }
    if let Ok(value) = HeaderValue::from_str(&notes) {
        headers.insert("speckle-notes", value);
    }
    Ok(response)
}

/// A file name every system takes: letters, digits, blanks, dots and dashes.
fn file_name(name: &str) -> String {
    let plain: String = name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() || " .-_".contains(c) { c } else { '-' })
        .collect();
    let plain = plain.trim_matches([' ', '.', '-']);
    if plain.is_empty() { "mesh".to_owned() } else { plain.to_owned() }
}

impl App {
    /// Reads a file away from the threads that serve requests.
    async fn read(&self, name: String, bytes: Bytes) -> Result<Import, ApiError> {
        let limits = self.limits;
        let shown = name.clone();
        self.blocking(move |_| Ok(speckle_formats::read(&name, &bytes, limits)))
            .await?
            .map_err(|error| ApiError::bad_request(format!("{shown}, {error}")))
    }

    /// Makes a project and its first edit, or nothing at all.
    async fn project_with(&self, name: String, first: Edit) -> Result<ProjectId, ApiError> {
        let project =
            self.blocking(move |app| lock(&app.store).create_project(&name, now_ms())).await?;
        let edited = self.edit(project, first).await;
        if edited.is_err() {
            self.blocking(move |app| {
                app.sessions.close(project);
                lock(&app.store).delete_project(project)
            })
            .await?;
        }
        edited.map(|()| project)
    }

    async fn edit(&self, project: ProjectId, edit: Edit) -> Result<(), ApiError> {
        let (reply, answer) = oneshot::channel();
        self.send(project, Command::Edit(edit, "you".to_owned(), reply)).await?;
        answer.await.map_err(|_| gone())?.map_err(ApiError::bad_request)
    }

    async fn parts(&self, project: ProjectId) -> Result<(String, Vec<Part>), ApiError> {
        let (reply, answer) = oneshot::channel();
        self.send(project, Command::Parts(reply)).await?;
        answer.await.map_err(|_| gone())
    }
}

fn gone() -> ApiError {
    ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, "the project closed unexpectedly: try again")
}
