//! What goes out: the formats there are, who a project is sent to, what would be lost, the files, and
//! the proof that they say what the project says.

pub mod recipients;

use std::io::{Cursor, Write as _};

use axum::{
    Json,
    extract::{Path, Query, State},
    http::HeaderValue,
    response::Response,
};
use serde::{Deserialize, Serialize};
use speckle_core::{Document, PartEdit};
use speckle_formats::{
    Abilities, Body, Depth, Format, FormatError, Loss, MeshFile, ReadOptions,
    abilities::Says,
    map_file::MapFile,
    note::{Origin, Spool, day},
    recipient::{Goods, Packed, PackedMesh, Recipient, file_stem},
};
use speckle_mesh::Unit;
use speckle_model::{Part, PartId};
use speckle_store::ProjectId;
use speckle_tools::{
    compare::{Comparison, compare},
    image_file::ImageFile,
    map::{MapPlan, render},
};
use utoipa::{IntoParams, ToSchema};
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

use crate::{
    App,
    body::Said,
    error::ApiError,
    session::{command::Now, now_ms},
};

use super::as_file;
use recipients::{Sent, changes, sent};

/// The formats there are, with what each can carry.
#[utoipa::path(get, path = "/api/v1/formats", responses((status = 200, body = Vec<Abilities>)))]
pub async fn formats() -> Json<Vec<Abilities>> {
    Json(Format::ALL.into_iter().map(Format::abilities).collect())
}

/// What would go out.
#[derive(Debug, Serialize, ToSchema)]
pub struct PackingList {
    /// The files, those of the format first.
    files: Vec<FileEntry>,
    /// The parts.
    parts: Vec<PackedPart>,
    /// What is lost or changed.
    losses: Vec<Loss>,
    /// The spools it is printed with, where it is.
    spools: Vec<Spool>,
    /// The channel note, in Markdown.
    note: String,
    /// The largest extent of all parts, in the unit that goes out.
    size: [f32; 3],
    /// That unit's symbol.
    unit: String,
    /// What has changed since it was sent to this recipient last; none when it never was.
    changed: Option<Vec<String>>,
}

/// A file of a delivery.
#[derive(Debug, Serialize, ToSchema)]
pub struct FileEntry {
    /// What it is called.
    name: String,
    /// How large it is.
    bytes: usize,
}

/// A part of a delivery.
#[derive(Debug, Serialize, ToSchema)]
pub struct PackedPart {
    /// What it is called.
    name: String,
    /// How many faces it has.
    faces: usize,
    /// Its sets, in the order they go.
    sets: Vec<String>,
}

/// Packs without sending: what goes, how large it is, and what is lost.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/packing", params(("project" = i64, Path)),
    request_body = Recipient,
    responses((status = 200, body = PackingList), (status = 422, body = ApiError))
)]
pub async fn packing(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Said(recipient): Said<Recipient>,
) -> Result<Json<PackingList>, ApiError> {
    let (format, name) = (recipient.format, recipient.name.clone());
    let (now, packed) = app.packed(project, recipient).await?;
    let list = app.blocking(move |app| {
        let stored = app.store.project(project)?.recipients()?;
        let last = stored.into_iter().find(|stored| stored.name == name);
        let last = last.and_then(|stored| stored.sent);
        let last = last.and_then(|sent| serde_json::from_str::<Sent>(&sent).ok());
        Ok(listed(&now, packed, format, last.as_ref()))
    });
    Ok(Json(list.await?))
}

/// What is in a delivery, and what has changed since the last one.
fn listed(now: &Now, packed: Packed, format: Format, last: Option<&Sent>) -> PackingList {
    let entry = |part: &Part| PackedPart {
        name: part.traits.name.clone(),
        faces: part.geometry.mesh().face_count(),
        sets: part.sets.iter().map(|set| set.name.clone()).collect(),
    };
    let (mut low, mut high) = (glam::Vec3::INFINITY, glam::Vec3::NEG_INFINITY);
    for part in packed.parts() {
        let to_project = part.traits.transform.to_project();
        for &p in part.geometry.mesh().positions() {
            let p = to_project.transform_point3(p);
            (low, high) = (low.min(p), high.max(p));
        }
    }
    // Where the standard fixes the unit, receivers read that one.
    let unit = match format.abilities().units {
        Says::Fixed => Unit::Metre,
        _ => packed.note.unit,
    };
    let scale = (packed.note.unit.metres() / unit.metres()) as f32;
    PackingList {
        files: packed
            .files()
            .map(|f| FileEntry { name: f.name.clone(), bytes: f.bytes.len() })
            .collect(),
        parts: packed.parts().map(entry).collect(),
        note: packed.note.markdown(),
        size: ((high - low) * scale).to_array(),
        unit: unit.symbol().to_owned(),
        changed: last.map(|last| changes(last, &sent(now, &packed))),
        losses: packed.losses,
        spools: packed.note.spools,
    }
}

/// Sends: the file, or all files in a zip when there are several. The recipient is kept with the
/// project, and what was sent to it.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/deliveries", params(("project" = i64, Path)),
    request_body = Recipient,
    responses((status = 200, content_type = "application/octet-stream", body = String), (status = 422, body = ApiError))
)]
pub async fn deliver(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Said(recipient): Said<Recipient>,
) -> Result<Response, ApiError> {
    let (now, packed) = app.packed(project, recipient.clone()).await?;
    let (name, format) = (recipient.name.trim().to_owned(), recipient.format);
    app.keep(project, recipient).await?;
    app.blocking(move |app| {
        let sent = serde_json::to_string(&sent(&now, &packed)).unwrap_or_default();
        app.store.project(project)?.set_sent(&name, &sent)?;
        Ok(answer(packed, &now.name, format))
    })
    .await?
}

/// Names a file of a delivery.
#[derive(Debug, Deserialize, IntoParams)]
pub struct FileQuery {
    /// Which one, from 0, in the order of the packing list.
    file: usize,
}

/// One file as it would be sent, for whoever wants to look at it alone; nothing is remembered.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/packed", params(("project" = i64, Path), FileQuery),
    request_body = Recipient,
    responses((status = 200, content_type = "application/octet-stream", body = String), (status = 422, body = ApiError))
)]
pub async fn packed_file(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<FileQuery>,
    Said(recipient): Said<Recipient>,
) -> Result<Response, ApiError> {
    let (_, packed) = app.packed(project, recipient).await?;
    let file = packed.into_files().into_iter().nth(query.file);
    let file = file.ok_or_else(|| ApiError::bad_request("the delivery has no such file"))?;
    Ok(as_file(file.bytes, "application/octet-stream", &file.name))
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
    /// How the numbers of a PLY or STL file are written.
    #[serde(default)]
    #[param(inline)]
    body: Body,
    /// Whether hidden parts are left out.
    #[serde(default)]
    visible_only: bool,
    /// The one part to write; all of them when left out.
    part: Option<u32>,
}

fn yes() -> bool {
    true
}

/// The project as a file, without a recipient. The header `speckle-notes` holds, as JSON, what the
/// format could not carry.
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
    let mut now = app.now(project).await?;
    now.parts.retain(|part| query.part.is_none_or(|only| part.id == PartId(only)));
    let recipient = Recipient {
        format: query.format,
        depth: query.depth,
        alpha: query.alpha,
        body: query.body,
        visible_only: query.visible_only,
        note: false,
        ..Recipient::default()
    };
    if let (Some(_), [part]) = (query.part, now.parts.as_slice()) {
        now.name = part.traits.name.clone();
    }
    let (now, packed) = app.pack(now, recipient, project).await?;
    app.blocking(move |_| Ok(answer(packed, &now.name, query.format))).await?
}

/// Proves a delivery: packs it, reads its files alone, as if nothing else were known, and compares
/// what they say with what was packed.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/proof", params(("project" = i64, Path)),
    request_body = Recipient,
    responses((status = 200, body = Comparison), (status = 422, body = ApiError))
)]
pub async fn proof(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Said(recipient): Said<Recipient>,
) -> Result<Json<Comparison>, ApiError> {
    let (_, packed) = app.packed(project, recipient.clone()).await?;
    let limits = app.limits;
    let read = app
        .blocking(move |_| {
            Ok(read_back(&packed, &ReadOptions { limits, ..ReadOptions::default() }))
        })
        .await?;
    read.map(Json).map_err(|error| {
        ApiError::bad_request(format!("what was written cannot be read again: {error}"))
    })
}

/// Reads the files of a delivery alone and compares.
fn read_back(packed: &Packed, options: &ReadOptions) -> Result<Comparison, FormatError> {
    let beside = |name: &str| {
        let found = packed.beside.iter().find(|file| file.name == name);
        found.map(|file| file.bytes.clone())
    };
    let traits = speckle_model::ProjectTraits { unit: packed.note.unit, up: packed.note.up };
    let mut comparison = Comparison::default();
    for PackedMesh { file, parts } in &packed.meshes {
        let file = MeshFile { name: &file.name, bytes: &file.bytes, beside: &beside };
        let format = Format::of_name(file.name)?;
        let abilities = format.abilities();
        let mut options = *options;
        if abilities.units == Says::Nothing {
            // Nobody could know from the file alone: the note beside it tells.
            (options.unit, options.up) = (Some(traits.unit), Some(traits.up));
        }
        let mut import = speckle_formats::read(&file, &options)?;
        import.convert(traits)?;
        let edit = PartEdit::AddParts { parts: import.parts, images: Vec::new(), traits: None };
        // What a reader lets in, the document takes.
        let mut document = Document::default();
        let _ = document.apply(edit);
        comparison.parts.extend(compare(parts, document.parts()).parts);
    }
    Ok(comparison)
}

/// How a map is written.
#[derive(Debug, Deserialize, IntoParams)]
pub struct MapQuery {
    /// The kind of file.
    #[serde(default)]
    #[param(inline)]
    file: MapFile,
}

/// Channels rendered into an image: through UVs, or as seen along a direction. Hidden parts are left
/// out.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/maps", params(("project" = i64, Path), MapQuery),
    request_body = MapPlan,
    responses((status = 200, content_type = "image/png", body = String), (status = 422, body = ApiError))
)]
pub async fn map(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<MapQuery>,
    Said(plan): Said<MapPlan>,
) -> Result<Response, ApiError> {
    let now = app.now(project).await?;
    let name = format!("{}-map.{}", file_stem(&now.name), query.file.extension());
    let written = app
        .aside(move |_| {
            let parts: Vec<Part> =
                now.parts.iter().filter(|part| part.traits.visible).cloned().collect();
            let image = |name: &str| {
                let found = now.images.iter().find(|image| image.name == name)?;
                ImageFile::new(found.file.clone()).ok()?.image().ok()
            };
            Ok(match render(&parts, &plan, image) {
                Ok(map) => query.file.write(&map).map_err(|error| error.to_string()),
                Err(error) => Err(error.to_string()),
            })
        })
        .await?;
    let bytes = written.map_err(ApiError::bad_request)?;
    Ok(as_file(bytes, query.file.media_type(), &name))
}

impl App {
    async fn keep(&self, project: ProjectId, mut recipient: Recipient) -> Result<(), ApiError> {
        recipient.name = recipient.name.trim().to_owned();
        let settings = serde_json::to_string(&recipient).unwrap_or_default();
        self.blocking(move |app| {
            app.store.project(project)?.set_recipient(&recipient.name, &settings)
        })
        .await
    }

    /// What tells a project from all others in the files that are sent.
    pub(super) async fn mark(&self, project: ProjectId) -> Result<String, ApiError> {
        self.blocking(move |app| Ok(app.store.listed(project)?.mark())).await
    }

    pub(crate) async fn packed(
        &self,
        project: ProjectId,
        recipient: Recipient,
    ) -> Result<(Now, Packed), ApiError> {
        let now = self.now(project).await?;
        self.pack(now, recipient, project).await
    }

    pub(super) async fn pack(
        &self,
        now: Now,
        recipient: Recipient,
        project: ProjectId,
    ) -> Result<(Now, Packed), ApiError> {
        let mark = self.mark(project).await?;
        let packed = self
            .aside(move |_| {
                let goods = Goods {
                    name: &now.name,
                    parts: &now.parts,
                    images: &now.images,
                    palette: &now.swatches,
                    looks: &now.proof.looks,
                    traits: now.traits,
                };
                let origin = Origin {
                    project: now.name.clone(),
                    project_id: mark,
                    revision: now.revision,
                    date: day(now_ms()),
                };
                Ok(recipient.pack(&goods, origin).map(|packed| (now, packed)))
            })
            .await?;
        packed.map_err(|error| ApiError::bad_request(format!("{}; {}", error.cause, error.remedy)))
    }
}

/// The one file, or all of them in a zip.
fn answer(packed: Packed, name: &str, format: Format) -> Result<Response, ApiError> {
    // Header values are ASCII: JSON's own escapes keep everything else.
    let lines: Vec<String> = packed.losses.iter().map(Loss::line).collect();
    let notes: String = serde_json::to_string(&lines)
        .unwrap_or_default()
        .encode_utf16()
        .map(|unit| match u8::try_from(unit) {
            Ok(byte) if byte.is_ascii() => char::from(byte).to_string(),
            _ => format!("\\u{unit:04x}"),
        })
        .collect();
    let mut files = packed.into_files();
    let mut response = if files.len() == 1 {
        let file = files.remove(0);
        as_file(file.bytes, format.media_type(), &file.name)
    } else {
        let broken = |error: zip::result::ZipError| {
            ApiError::bad_request(format!("the files cannot be packed: {error}"))
        };
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        for file in files {
            let how = SimpleFileOptions::default()
                .compression_method(CompressionMethod::Deflated)
                .compression_level(Some(2))
                .large_file(file.bytes.len() > u32::MAX as usize);
            zip.start_file(file.name, how).map_err(broken)?;
            zip.write_all(&file.bytes).map_err(|error| broken(error.into()))?;
        }
        let bytes = zip.finish().map_err(broken)?.into_inner();
        as_file(bytes, "application/zip", &format!("{}.zip", file_stem(name)))
    };
    if let Ok(value) = HeaderValue::from_str(&notes) {
        response.headers_mut().insert("speckle-notes", value);
    }
    Ok(response)
}
