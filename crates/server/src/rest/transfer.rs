//! Colors carried to a part from others: parts, snapshots, other projects, what was once, files.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Multipart, Path, Query, State},
    http::{HeaderMap, StatusCode},
    response::Response,
};
use bytemuck::cast_slice;
use serde::{Deserialize, Serialize};
use speckle_color::{bytes_from_rgba, difference::delta_e};
use speckle_core::ReplaceEdit;
use speckle_formats::Light;
use speckle_model::{NewPart, Part, PartId};
use speckle_store::ProjectId;
use speckle_tools::{
    bake::watch::Watch,
    transfer::{Row, Rules, Source, TransferReport, Transferred, proposal, transfer},
};
use utoipa::{IntoParams, ToSchema};

use super::{
    hand, part_of,
    project::{Files, ImportFiles, ImportQuery},
};
use crate::{App, body::Said, error::ApiError, session::command::Now};

/// What colors come from.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum TransferFrom {
    /// Another part of the project.
    Part {
        /// Which.
        part: PartId,
    },
    /// The part itself as it was when a snapshot was taken.
    Snapshot {
        /// What the snapshot is called.
        name: String,
    },
    /// A part as it was after a step of the history, whatever its mesh was then.
    Earlier {
        /// Which part.
        part: PartId,
        /// The number of the step.
        step: i64,
    },
    /// A part of another project.
    Project {
        /// Which project.
        project: i64,
        /// What the part is called there.
        part: String,
    },
    /// A part of the file that comes along; the one of the same name, or the first, when left out.
    File {
        /// What it is called there.
        part: Option<String>,
    },
}

/// What is to be carried, and how.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TransferOrder {
    /// What colors come from: several, where the nearest counts, or all by how near they are.
    pub from: Vec<TransferFrom>,
    /// How they are carried.
    #[serde(default)]
    pub rules: Rules,
    /// What else they go to, in one step: into the sets of the same names there.
    #[serde(default)]
    pub also: Vec<PartId>,
    /// Whether it is only looked at.
    #[serde(default)]
    pub look: bool,
}

/// What a transfer did, or would do.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Transfer {
    /// By what the values that it would make are asked for, where it was only looked at.
    look: Option<u32>,
    /// What colors come from, for the user.
    from: String,
    /// The names of all sets there, and of images that show by its texture coordinates.
    sets: Vec<String>,
    /// Which of them would go where by themselves.
    proposal: Vec<Row>,
    /// The names of all parts of the file, where one came along.
    parts: Vec<String>,
    /// What it does.
    report: TransferReport,
    /// What it does to the others.
    also: Vec<TransferAlso>,
}

/// What a transfer does to another part.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct TransferAlso {
    /// What the part is called.
    part: String,
    /// What it does.
    report: TransferReport,
}

/// A transfer that was looked at.
pub struct Planned {
    of: LookedAt,
    part: Part,
    told: Transfer,
    done: Transferred,
    also: Vec<(PartId, String, Transferred)>,
}

/// What a transfer depends on.
#[derive(PartialEq)]
struct LookedAt {
    project: ProjectId,
    part: PartId,
    revision: i64,
    file: Option<blake3::Hash>,
    order: TransferOrder,
}

/// Gives up what nobody waits for any more.
pub(super) struct GiveUp(pub(super) Arc<Watch>);

impl Drop for GiveUp {
    fn drop(&mut self) {
        self.0.give_up();
    }
}

/// Carries colors to a part.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/transfer",
    params(("project" = i64, Path), ("part" = u32, Path)),
    request_body = TransferOrder,
    responses((status = 200, body = Transfer), (status = 422, body = ApiError))
)]
pub async fn transfer_to(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Said(order): Said<TransferOrder>,
) -> Result<Json<Transfer>, ApiError> {
    app.carry((project, part), order, None, &headers).await
}

/// How colors of a file are carried.
#[derive(Debug, Deserialize, IntoParams)]
pub struct TransferFileQuery {
    /// A `TransferOrder` as JSON.
    order: String,
}

/// Carries colors of a file to a part, which is read for this alone.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/transfer/file",
    params(("project" = i64, Path), ("part" = u32, Path), TransferFileQuery),
    request_body(content = ImportFiles, content_type = "multipart/form-data"),
    responses((status = 200, body = Transfer), (status = 422, body = ApiError))
)]
pub async fn transfer_from_file(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Query(query): Query<TransferFileQuery>,
    files: Multipart,
) -> Result<Json<Transfer>, ApiError> {
    let order = serde_json::from_str(&query.order).map_err(|error| {
        ApiError::bad_request(format!("the request cannot be understood: {error}"))
    })?;
    let files = Files::receive(files).await?;
    app.carry((project, part), order, Some(files), &headers).await
}

/// What is wanted of a transfer that was looked at.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Wanted {
    /// What a set would hold: four bytes for each element.
    Values,
    /// How far it would change: an `f32` for each element, CIEDE2000 or hundredths.
    Heat,
    /// Which vertices find no source: an `f32` for each, 0 or 1.
    Lost,
}

/// Which of it.
#[derive(Debug, Deserialize, IntoParams)]
pub struct WantedQuery {
    /// What is wanted.
    #[param(inline)]
    what: Wanted,
    /// Of which set, in the order of the report.
    #[serde(default)]
    set: usize,
}

/// Numbers of a transfer that was looked at.
#[utoipa::path(
    get, path = "/api/v1/transfers/{look}",
    params(("look" = u32, Path), WantedQuery),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ApiError))
)]
pub async fn transferred(
    State(app): State<App>,
    Path(look): Path<u32>,
    Query(WantedQuery { what, set }): Query<WantedQuery>,
) -> Result<Response, ApiError> {
    let found = app.blocking(move |app| {
        Ok(app.transfers.bytes(look, |planned| {
            if matches!(what, Wanted::Lost) {
                let lost = planned.done.lost.iter().map(|&lost| f32::from(u8::from(lost)));
                return Some(cast_slice(&lost.collect::<Vec<f32>>()).to_vec().into());
            }
            let (own, new) = planned.done.colors.get(set)?;
            if matches!(what, Wanted::Values) {
                return Some(new.values.iter().copied().flat_map(bytes_from_rgba).collect());
            }
            let own = planned.part.sets.iter().find(|set| Some(set.id) == *own)?;
            let heat = delta_e(own.encoding, &own.values, &new.values);
            Some(cast_slice(&heat).to_vec().into())
        }))
    });
    found.await?
}

impl App {
    async fn carry(
        &self,
        (project, part): (ProjectId, PartId),
        order: TransferOrder,
        files: Option<Files>,
        headers: &HeaderMap,
    ) -> Result<Json<Transfer>, ApiError> {
        let now = self.now(project).await?;
        let (is_look, order) = (order.look, TransferOrder { look: false, ..order });
        let file = files.as_ref().map(Files::digest);
        let of = LookedAt { project, part, revision: now.revision, file, order };
        let planned = match self.transfers.take(|planned| planned.of == of) {
            Some(planned) => planned,
            None => self.plan_transfer(of, now, files, headers).await?,
        };
        if is_look {
            let told = planned.told.clone();
            let look = Some(self.transfers.keep_a_while(planned));
            return Ok(Json(Transfer { look, ..told }));
        }
        let Planned { told, done, of, also, .. } = planned;
        let keeps = of.order.rules.keep_lost;
        let edit = |part, done: Transferred| ReplaceEdit::TransferColors {
            part,
            from: told.from.clone(),
            colors: done.colors,
            lost: keeps.then_some(done.lost),
        };
        let mut edits = vec![edit(part, done)];
        edits.extend(also.into_iter().map(|(id, _, done)| edit(id, done)));
        let edit = match edits.len() {
            1 => edits.remove(0),
            count => {
                let label = format!("Transfer from {} to {count} parts", told.from);
                ReplaceEdit::Together { label, edits }
            }
        };
        self.edit(project, edit, hand(headers)).await?;
        Ok(Json(told))
    }

    async fn plan_transfer(
        &self,
        of: LookedAt,
        now: Now,
        files: Option<Files>,
        headers: &HeaderMap,
    ) -> Result<Planned, ApiError> {
        let own = part_of(&now, of.part)?;
        let (mut sources, mut parts) = (Vec::new(), Vec::new());
        let mut from_file = match files {
            None => None,
            Some(files) => Some(self.read_sources(files, &own, &now).await?),
        };
        for from in &of.order.from {
            sources.push(match from {
                TransferFrom::File { part } => {
                    let there = from_file
                        .take()
                        .ok_or_else(|| ApiError::bad_request("no file came along: choose one"))?;
                    parts = there.iter().map(|(name, _)| name.clone()).collect();
                    chosen(there, part.as_deref(), &own)?
                }
                from => self.source(of.project, from, &own, &now).await?,
            });
        }
        let from = match sources.as_slice() {
            [one] => one.name.clone(),
            several => format!("{} surfaces", several.len()),
        };
        let others = self.others_of(&of, &sources, &now).await?;
        let proposal = proposal(&own, &sources);
        let sets = proposal.iter().map(|row| row.from.clone()).collect();
        let (watch, give_up) = self.works.watch(headers);
        let (part, rules) = (own.clone(), of.order.rules.clone());
        let done = self.aside(move |_| {
            let done = transfer(&part, &sources, &rules, &watch).map_err(|e| e.to_string());
            let also = others.into_iter().map(|(other, sources)| {
                let name = other.traits.name.clone();
                let there = rules.on(&part, &other);
                match transfer(&other, &sources, &there, &watch) {
                    Ok(done) => Ok((other.id, name, done)),
                    Err(error) => Err(format!("{name}: {error}")),
                }
            });
            Ok(done.and_then(|done| Ok((done, also.collect::<Result<Vec<_>, _>>()?))))
        });
        let done = done.await?;
        drop(give_up);
        let (done, also) = done.map_err(ApiError::bad_request)?;
        let report = done.report.clone();
        let others = also.iter().map(|(_, name, done): &(_, String, Transferred)| TransferAlso {
            part: name.clone(),
            report: done.report.clone(),
        });
        let others = others.collect();
        let told = Transfer { look: None, from, sets, proposal, parts, report, also: others };
        Ok(Planned { of, part: own, told, done, also })
    }

    /// The other parts that colors go to, each with what they come from there: a snapshot and an earlier
    /// state are its own, and it gives itself nothing.
    async fn others_of(
        &self,
        of: &LookedAt,
        sources: &[Source],
        now: &Now,
    ) -> Result<Vec<(Part, Vec<Source>)>, ApiError> {
        let mut others = Vec::new();
        for &id in of.order.also.iter().filter(|id| **id != of.part) {
            let other = part_of(now, id)?;
            let mut own = Vec::new();
            for (from, source) in of.order.from.iter().zip(sources) {
                own.push(match from {
                    TransferFrom::Part { part } if *part == id => continue,
                    TransferFrom::Snapshot { .. } => {
                        self.source(of.project, from, &other, now).await?
                    }
                    TransferFrom::Earlier { part, step } if *part == of.part => {
                        let from = TransferFrom::Earlier { part: id, step: *step };
                        self.source(of.project, &from, &other, now).await?
                    }
                    _ => source.clone(),
                });
            }
            others.push((other, own));
        }
        Ok(others)
    }

    async fn source(
        &self,
        project: ProjectId,
        from: &TransferFrom,
        own: &Part,
        now: &Now,
    ) -> Result<Source, ApiError> {
        let gone = |what: String| ApiError::new(StatusCode::NOT_FOUND, what);
        match from {
            TransferFrom::Part { part } => {
                let found = now.parts.iter().find(|other| other.id == *part);
                found
                    .map(|found| Source::of(found).showing(&found.materials, &now.images))
                    .ok_or_else(|| gone("the source is gone: choose another".into()))
            }
            TransferFrom::Snapshot { name } => Ok(Source::of_snapshot(own, name)),
            TransferFrom::Earlier { part, step } => {
                let (part, step) = (*part, *step);
                let found = self.aside(move |app| {
                    let file = app.store.project(project)?;
                    let is_there = (0..=file.position()?.cursor).contains(&step);
                    is_there.then(|| file.document_at(step)).transpose()
                });
                let document = found.await?.ok_or_else(|| {
                    let message = format!("there is no step {step}, or it is undone");
                    ApiError::bad_request(message + ": choose another")
                })?;
                let then = document.parts().iter().find(|other| other.id == part);
                let then = then.ok_or_else(|| {
                    gone(format!("after step {step} the part was not there: choose a later one"))
                })?;
                let name = format!("{} after step {step}", then.traits.name);
                Ok(Source { name, ..Source::of(then) })
            }
            TransferFrom::Project { project, part } => {
                let other = self.now(*project).await?;
                let found = other.parts.iter().find(|other| other.traits.name == *part);
                let found = found
                    .ok_or_else(|| gone(format!("{} has no part called {part}", other.name)))?;
                let name = format!("{part} of {}", other.name);
                let source = Source::of(found).showing(&found.materials, &other.images);
                Ok(Source { name, ..source })
            }
            TransferFrom::File { .. } => {
                Err(ApiError::bad_request("no file came along: choose one"))
            }
        }
    }

    /// The parts of a file as sources, brought to the project's unit and axis.
    async fn read_sources(
        &self,
        files: Files,
        own: &Part,
        now: &Now,
    ) -> Result<Vec<(String, Source)>, ApiError> {
        let file = files.name.clone();
        let mut import = self.read(files, &ImportQuery::default()).await?;
        import
            .convert(now.traits)
            .map_err(|error| ApiError::bad_request(format!("{file}, {error}")))?;
        let is_linear = import.light == Light::Linear;
        let theirs = import.parts.into_iter();
        let named = |part: NewPart| {
            let (name, materials) = (part.name.clone(), part.materials.clone());
            let source = Source::of_file(own, part, is_linear, &file);
            (name, source.showing(&materials, &import.images))
        };
        Ok(theirs.map(named).collect())
    }
}

/// The part of a file that is meant.
fn chosen(
    mut there: Vec<(String, Source)>,
    wanted: Option<&str>,
    own: &Part,
) -> Result<Source, ApiError> {
    let name = wanted.unwrap_or(&own.traits.name);
    let found = there.iter().position(|(other, _)| other == name);
    match (found, wanted) {
        (Some(at), _) => Ok(there.swap_remove(at).1),
        (None, None) if !there.is_empty() => Ok(there.swap_remove(0).1),
        _ => {
            let names: Vec<&str> = there.iter().map(|(name, _)| name.as_str()).collect();
            let names = names.join(", ");
            Err(ApiError::bad_request(format!(
                "the file has no part {name}: choose one of {names}"
            )))
        }
    }
}
