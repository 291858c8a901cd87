//! One project: files in, edits, files out.

use std::collections::HashMap;

use axum::{
    Json,
    body::Bytes,
    extract::{Multipart, Path, Query, State, multipart::MultipartError},
    http::{HeaderMap, StatusCode},
};
use serde::{Deserialize, Serialize};
use speckle_core::{Edit, PartEdit};
use speckle_formats::{Groups, Import, ReadOptions, Repair, guess::Reasons, note::Origin};
use speckle_mesh::{Placement, Unit, UpAxis};
use speckle_model::{
    Part, PartId, ProjectTraits, SetId,
    color_set::convert::{self, Loss},
};
use speckle_store::ProjectId;
use utoipa::{IntoParams, ToSchema};

use super::hand;
use crate::{
    App,
    body::Said,
    error::ApiError,
    reader::{self, Asked},
};

/// What an import did.
#[derive(Debug, Serialize, ToSchema)]
pub struct ImportReport {
    /// The project it went into.
    project: ProjectId,
    /// The file's name.
    file: String,
    /// The parts that came in.
    parts: Vec<ImportedPart>,
    /// What was mended, dropped or noticed.
    repairs: Vec<Repair>,
    /// What the file holds beside, and is not kept.
    notes: Vec<String>,
    /// What the file's numbers were taken for.
    traits: ProjectTraits,
    /// Why they were.
    reasons: Reasons,
    /// Whether the project has taken its own unit and up axis from there.
    is_first: bool,
    /// How large it all is, in the project's unit.
    size: [f32; 3],
    /// Where the file says it comes from.
    origin: Option<OriginSays>,
}

/// What a file says of where it comes from, and how that stands to the project.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OriginSays {
    /// What it says.
    #[serde(flatten)]
    origin: Origin,
    /// Whether it is this project.
    is_own: bool,
    /// How many changes were made here since; negative when the file has seen more.
    since: i64,
}

impl OriginSays {
    /// How an origin stands to a project.
    pub(super) fn of(origin: Origin, mark: &str, revision: i64) -> Self {
        let (is_own, since) = (origin.project_id == mark, revision - origin.revision);
        Self { origin, is_own, since }
    }
}

/// A part as it came in.
#[derive(Debug, Serialize, ToSchema)]
pub struct ImportedPart {
    /// Names it within the project.
    id: PartId,
    /// Its name.
    name: String,
    /// How many vertices.
    vertices: usize,
    /// How many faces.
    faces: usize,
    /// The names of its sets.
    sets: Vec<String>,
    /// How many named groups of faces it has.
    selections: usize,
}

/// How to take a file in; what is left out is as the format's files usually are.
#[derive(Debug, Default, Deserialize, IntoParams)]
pub struct ImportQuery {
    /// What becomes of named groups inside one mesh.
    #[param(inline)]
    pub groups: Option<Groups>,
    /// How far apart corners of an STL file may lie and still be one vertex, in the file's numbers.
    pub weld: Option<f32>,
    /// What one step of the file's numbers is.
    #[param(inline)]
    pub unit: Option<Unit>,
    /// The axis that points up in the file.
    #[param(inline)]
    pub up: Option<UpAxis>,
}

/// The files of an import.
#[derive(ToSchema)]
#[allow(dead_code, reason = "describes a body that is read field by field")]
pub struct ImportFiles {
    /// The mesh file; its name's extension tells the format.
    #[schema(format = Binary, value_type = String)]
    file: Vec<u8>,
    /// Files that the mesh file names: materials, arrays.
    #[schema(value_type = Option<Vec<String>>)]
    beside: Vec<Vec<u8>>,
}

/// Makes a project of a mesh file.
#[utoipa::path(
    post, path = "/api/v1/imports", params(ImportQuery),
    request_body(content = ImportFiles, content_type = "multipart/form-data"),
    responses((status = 200, body = ImportReport), (status = 422, body = ApiError))
)]
pub async fn import_new(
    State(app): State<App>,
    headers: HeaderMap,
    Query(query): Query<ImportQuery>,
    files: Multipart,
) -> Result<Json<ImportReport>, ApiError> {
    let files = Files::receive(files).await?;
    let (file, stem) = (files.name.clone(), files.stem());
    let import = app.read(files, &query).await?;
    let says = import.origin.clone().map(|origin| OriginSays::of(origin, "", 0));
    let report = ImportReport { origin: says, ..report(file, &import) };
    let edit = PartEdit::AddParts {
        parts: import.parts,
        images: import.images,
        traits: Some(import.traits),
    };
    let (project, parts) = app.project_with(stem, edit, hand(&headers)).await?;
    let report = ImportReport { project, is_first: true, ..report };
    Ok(Json(report.with_names_of(&parts)))
}

/// Brings a mesh file into a project, converted to its unit and up axis.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/imports",
    params(("project" = i64, Path), ImportQuery),
    request_body(content = ImportFiles, content_type = "multipart/form-data"),
    responses((status = 200, body = ImportReport), (status = 422, body = ApiError))
)]
pub async fn import(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Query(query): Query<ImportQuery>,
    files: Multipart,
) -> Result<Json<ImportReport>, ApiError> {
    let files = Files::receive(files).await?;
    let file = files.name.clone();
    let mut import = app.read(files, &query).await?;
    let now = app.now(project).await?;
    let traits = import.traits;
    if !now.parts.is_empty() {
        import
            .convert(now.traits)
            .map_err(|error| ApiError::bad_request(format!("{file}, {error}")))?;
    }
    let says = match import.origin.take() {
        None => None,
        Some(origin) => Some(OriginSays::of(origin, &app.mark(project).await?, now.revision)),
    };
    let is_first = now.parts.is_empty();
    let report = ImportReport { traits, origin: says, is_first, ..report(file, &import) };
    let edit =
        PartEdit::AddParts { parts: import.parts, images: import.images, traits: Some(traits) };
    app.edit(project, edit, hand(&headers)).await?;
    let report = ImportReport { project, ..report };
    Ok(Json(report.with_names_of(&app.now(project).await?.parts)))
}

impl ImportReport {
    /// Calls the parts as the project does: a name that was taken got a number. New parts stand at
    /// the end of the list.
    fn with_names_of(mut self, parts: &[Part]) -> Self {
        let first = parts.len().saturating_sub(self.parts.len());
        for (imported, part) in self.parts.iter_mut().zip(&parts[first..]) {
            let name = &part.traits.name;
            for repair in self.repairs.iter_mut().filter(|repair| repair.part == imported.name) {
                repair.part.clone_from(name);
            }
            imported.name.clone_from(name);
            imported.id = part.id;
        }
        self
    }
}

fn report(file: String, import: &Import) -> ImportReport {
    ImportReport {
        project: 0,
        file,
        parts: import
            .parts
            .iter()
            .map(|part| ImportedPart {
                id: PartId(0),
                name: part.name.clone(),
                vertices: part.mesh.vertex_count(),
                faces: part.mesh.face_count(),
                sets: part.sets.iter().map(|set| set.name.clone()).collect(),
                selections: part.selections.len(),
            })
            .collect(),
        repairs: import.repairs.clone(),
        notes: import.notes.clone(),
        traits: import.traits,
        reasons: import.reasons.clone(),
        is_first: false,
        size: size(import),
        origin: None,
    }
}

/// The largest extent of all parts together.
fn size(import: &Import) -> [f32; 3] {
    let points = || import.parts.iter().flat_map(|part| part.mesh.positions());
    let low = points().fold(glam::Vec3::INFINITY, |low, p| low.min(*p));
    let high = points().fold(glam::Vec3::NEG_INFINITY, |high, p| high.max(*p));
    (high - low).max(glam::Vec3::ZERO).to_array()
}

/// The files of a request.
pub(super) struct Files {
    /// The name of the mesh file.
    pub name: String,
    bytes: Bytes,
    beside: HashMap<String, Bytes>,
}

impl Files {
    /// Receives them.
    pub async fn receive(mut parts: Multipart) -> Result<Self, ApiError> {
        let unreadable = |error: MultipartError| ApiError::new(error.status(), error.body_text());
        let mut main = None;
        let mut beside = HashMap::new();
        while let Some(field) = parts.next_field().await.map_err(unreadable)? {
            let is_main = field.name() == Some("file");
            let name = field.file_name().unwrap_or_default().to_owned();
            let bytes = field.bytes().await.map_err(unreadable)?;
            if is_main && main.is_none() {
                main = Some((name, bytes));
            } else {
                beside.insert(name, bytes);
            }
        }
        let (name, bytes) =
            main.ok_or_else(|| ApiError::bad_request("no file came along: choose one"))?;
        Ok(Self { name, bytes, beside })
    }

    /// A digest of all of them and their names.
    pub fn digest(&self) -> blake3::Hash {
        let mut hasher = blake3::Hasher::new();
        let mut beside: Vec<_> = self.beside.iter().collect();
        beside.sort_unstable_by_key(|(name, _)| *name);
        for (name, bytes) in std::iter::once((&self.name, &self.bytes)).chain(beside) {
            hasher.update(blake3::hash(name.as_bytes()).as_bytes());
            hasher.update(blake3::hash(bytes).as_bytes());
        }
        hasher.finalize()
    }

    fn stem(&self) -> String {
        self.name.rsplit_once('.').map_or(self.name.as_str(), |(stem, _)| stem).to_owned()
    }
}

/// What came of an edit.
#[derive(Debug, Serialize, ToSchema)]
pub struct Edited {
    /// Whether anything is other than it was.
    changed: bool,
    /// Why nothing is, where a hand would wonder.
    why: Option<&'static str>,
}

/// Makes an edit.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/edits", params(("project" = i64, Path)),
    request_body = Edit,
    responses((status = 200, body = Edited), (status = 422, body = ApiError))
)]
pub async fn edit(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Said(edit): Said<Edit>,
) -> Result<Json<Edited>, ApiError> {
    let why = edit.why_nothing();
    let changed = app.edit(project, edit, hand(&headers)).await?;
    let why = why.filter(|_| !changed);
    Ok(Json(Edited { changed, why }))
}

#[derive(Debug, Deserialize, IntoParams)]
pub struct ConversionQuery {
    /// What each value would belong to.
    to: Placement,
}

/// What would be lost if a set's values were held at another placement.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/sets/{set}/conversion",
    params(("project" = i64, Path), ("part" = u32, Path), ("set" = u32, Path), ConversionQuery),
    responses((status = 200, body = Loss), (status = 404, body = ApiError))
)]
pub async fn conversion(
    State(app): State<App>,
    Path((project, part, set)): Path<(ProjectId, PartId, SetId)>,
    Query(query): Query<ConversionQuery>,
) -> Result<Json<Loss>, ApiError> {
    let parts = app.now(project).await?.parts;
    let found = parts.into_iter().find(|found| found.id == part).and_then(|part| {
        let set = part.sets.into_iter().find(|found| found.id == set)?;
        Some((part.geometry, set))
    });
    let (geometry, set) = found.ok_or_else(|| {
        ApiError::new(StatusCode::NOT_FOUND, "the part or its set is gone from the project")
    })?;
    let loss = tokio::task::spawn_blocking(move || convert::loss(&set, query.to, &geometry));
    loss.await.map(Json).map_err(|_| super::gone())
}

impl App {
    /// Reads a file away from the threads that serve requests.
    pub(super) async fn read(&self, files: Files, query: &ImportQuery) -> Result<Import, ApiError> {
        let options = ReadOptions {
            limits: self.limits,
            groups: query.groups,
            weld: query.weld.filter(|weld| weld.is_finite()).unwrap_or(0.0),
            unit: query.unit,
            up: query.up,
            guess: true,
        };
        let shown = files.name.clone();
        let Files { name, bytes, beside } = files;
        let beside: Vec<(String, Bytes)> = beside.into_iter().collect();
        let read = match &self.reader {
            Some(program) => reader::read(program, Asked { name, bytes, beside, options }).await,
            None => {
                self.blocking(move |_| Ok(reader::read_here(&name, &bytes, &beside, &options)))
                    .await?
            }
        };
        read.map_err(|error| ApiError::bad_request(format!("{shown}, {error}")))
    }
}
