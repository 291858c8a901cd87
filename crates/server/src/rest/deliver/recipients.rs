//! Who a project is sent to, and what was sent last.

use crate::{
    App,
    body::Said,
    error::ApiError,
    session::{command::Now, now_ms},
    standing::StandingState,
};
use axum::{
    Json,
    extract::{Path, Query, State},
    http::StatusCode,
};
use serde::{Deserialize, Serialize};
use speckle_formats::recipient::{self, Packed, Recipient};
use speckle_model::Part;
use speckle_store::ProjectId;
use utoipa::{IntoParams, ToSchema};

/// A recipient of a project.
#[derive(Debug, Serialize, ToSchema)]
pub struct RecipientEntry {
    /// What it wants.
    recipient: Recipient,
    /// What it is for, when it is one of those to begin with.
    says: String,
    /// Whether it is kept with the project, or only offered.
    kept: bool,
    /// What was sent to it last.
    sent: Option<Sent>,
}

/// What was sent to a recipient.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct Sent {
    /// The project's revision then.
    revision: i64,
    /// When, in milliseconds since 1970.
    at_ms: i64,
    /// The names of the files.
    files: Vec<String>,
    /// What each set was: its part, its name, and a digest of its numbers.
    sets: Vec<[String; 3]>,
    /// A digest of each part's shape, by name.
    shapes: Vec<[String; 2]>,
}

/// Who a project is sent to: those it keeps, then those to begin with.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/recipients", params(("project" = i64, Path)),
    responses((status = 200, body = Vec<RecipientEntry>))
)]
pub async fn recipients(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Json<Vec<RecipientEntry>>, ApiError> {
    let stored = app.blocking(move |app| app.store.project(project)?.recipients()).await?;
    let starters = recipient::starters();
    let says = |name: &str| {
        let found = starters.iter().find(|(own, _)| own.name == name);
        found.map_or("", |(_, says)| says).to_owned()
    };
    let mut entries: Vec<RecipientEntry> = stored
        .into_iter()
        .filter_map(|stored| {
            let recipient: Recipient = serde_json::from_str(&stored.settings).ok()?;
            let sent = stored.sent.and_then(|sent| serde_json::from_str(&sent).ok());
            Some(RecipientEntry { says: says(&recipient.name), recipient, kept: true, sent })
        })
        .collect();
    for (recipient, says) in starters {
        if entries.iter().all(|entry| entry.recipient.name != recipient.name) {
            entries.push(RecipientEntry {
                recipient,
                says: says.to_owned(),
                kept: false,
                sent: None,
            });
        }
    }
    Ok(Json(entries))
}

/// Keeps what a recipient wants.
#[utoipa::path(
    put, path = "/api/v1/projects/{project}/recipients", params(("project" = i64, Path)),
    request_body = Recipient, responses((status = 204), (status = 422, body = ApiError))
)]
pub async fn keep_recipient(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Said(recipient): Said<Recipient>,
) -> Result<StatusCode, ApiError> {
    if let Some(problem) = recipient.problem() {
        return Err(ApiError::bad_request(problem));
    }
    app.keep(project, recipient).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Names a recipient.
#[derive(Debug, Deserialize, IntoParams)]
pub struct NamedRecipient {
    /// Its name.
    name: String,
}

/// Forgets a recipient, with what was sent to it.
#[utoipa::path(
    delete, path = "/api/v1/projects/{project}/recipients",
    params(("project" = i64, Path), NamedRecipient), responses((status = 204))
)]
pub async fn forget_recipient(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    Query(query): Query<NamedRecipient>,
) -> Result<StatusCode, ApiError> {
    app.blocking(move |app| app.store.project(project)?.delete_recipient(&query.name)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The folder that is kept up to date for recipients that want that, and what was written there.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/standing", params(("project" = i64, Path)),
    responses((status = 200, body = StandingState), (status = 404, body = ApiError))
)]
pub async fn standing(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Json<StandingState>, ApiError> {
    let listed = app.blocking(move |app| app.store.listed(project)).await?;
    Ok(Json(StandingState::of(app.standing.as_deref(), project, &listed.name)))
}

/// What is remembered of a delivery.
pub(super) fn sent(now: &Now, packed: &Packed) -> Sent {
    let digest = |bytes: &[u8]| blake3::hash(bytes).to_hex()[..16].to_owned();
    let sets = packed.parts().flat_map(|part| {
        part.sets.iter().map(move |set| {
            let values = digest(bytemuck::cast_slice(&set.values));
            [part.traits.name.clone(), set.name.clone(), values]
        })
    });
    let shape = |part: &Part| {
        let id = part.geometry.id();
        let stands = part.traits.transform.matrix();
        let both = [id.as_bytes().as_slice(), bytemuck::cast_slice(&stands)].concat();
        [part.traits.name.clone(), digest(&both)]
    };
    Sent {
        revision: now.revision,
        at_ms: now_ms(),
        files: packed.files().map(|file| file.name.clone()).collect(),
        sets: sets.collect(),
        shapes: packed.parts().map(shape).collect(),
    }
}

/// What is other than it was, said for the user.
pub(super) fn changes(last: &Sent, now: &Sent) -> Vec<String> {
    let mut changes = Vec::new();
    for [part, shape] in &now.shapes {
        match last.shapes.iter().find(|[name, _]| name == part) {
            None => changes.push(format!("{part} is new")),
            Some([_, before]) if before != shape => {
                changes.push(format!("the shape or place of {part} has changed"));
            }
            Some(_) => {}
        }
    }
    for [part, set, values] in &now.sets {
        match last.sets.iter().find(|[p, s, _]| p == part && s == set) {
            None if last.shapes.iter().any(|[name, _]| name == part) => {
                changes.push(format!("{set} of {part} is new"));
            }
            Some([.., before]) if before != values => {
                changes.push(format!("{set} of {part} has changed"));
            }
            _ => {}
        }
    }
    for [part, set, _] in &last.sets {
        let is_there = now.sets.iter().any(|[p, s, _]| p == part && s == set);
        if !is_there && now.shapes.iter().any(|[name, _]| name == part) {
            changes.push(format!("{set} of {part} does not go along any more"));
        }
    }
    for [part, _] in &last.shapes {
        if now.shapes.iter().all(|[name, _]| name != part) {
            changes.push(format!("{part} does not go along any more"));
        }
    }
    changes
}
