//! Other colors, or another shape, for a part that is there already.

use axum::{
    Json,
    extract::{Multipart, Path, Query, State},
    http::HeaderMap,
};
use serde::{Deserialize, Serialize};
use speckle_core::{Edit, ReplaceEdit};
use speckle_formats::{Format, Import, Light, Repair, abilities::Says, guess::Reasons};
use speckle_mesh::{Unit, UpAxis};
use speckle_model::{NewPart, Part, PartId, ProjectTraits};
use speckle_store::ProjectId;
use speckle_tools::replacing::{Matching, ReplacementReport, colors, held_as_ours, shape};
use utoipa::{IntoParams, ToSchema};

use super::{
    hand, part_of,
    project::{Files, ImportFiles, ImportQuery, OriginSays},
};
use crate::{App, error::ApiError, session::command::Now};

/// What a replacement replaces.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Replaces {
    /// The values of its sets.
    Colors,
    /// Its mesh; what it carries is taken over.
    Shape,
}

/// How to replace.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize, IntoParams)]
pub struct ReplacementQuery {
    /// What is replaced.
    #[param(inline)]
    what: Replaces,
    /// How elements are brought together; by index where that says something when left out.
    #[param(inline)]
    matching: Option<Matching>,
    /// The file's part that is meant; the one of the same name, or the only one, when left out.
    from: Option<String>,
    /// Whether it is only looked at.
    #[serde(default)]
    look: bool,
    /// What one step of the file's numbers is.
    #[param(inline)]
    unit: Option<Unit>,
    /// The axis that points up in the file.
    #[param(inline)]
    up: Option<UpAxis>,
}

/// What a replacement did, or would do.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Replacement {
    /// The file's part that is meant.
    from: String,
    /// All parts in the file.
    parts: Vec<String>,
    /// What it does.
    report: ReplacementReport,
    /// Where the file says it comes from.
    origin: Option<OriginSays>,
    /// What was mended, dropped or noticed.
    repairs: Vec<Repair>,
    /// What the file holds beside, and is not kept.
    notes: Vec<String>,
    /// What the file's numbers were taken for.
    traits: ProjectTraits,
    /// Why they were.
    reasons: Reasons,
}

/// A replacement that was looked at.
#[derive(Debug)]
pub struct Planned {
    of: LookedAt,
    edit: Edit,
    told: Replacement,
}

/// What a replacement depends on.
#[derive(Debug, PartialEq, Eq)]
struct LookedAt {
    project: ProjectId,
    part: PartId,
    revision: i64,
    files: blake3::Hash,
    query: ReplacementQuery,
}

/// Replaces the colors or the shape of a part by a file's.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/replacement",
    params(("project" = i64, Path), ("part" = u32, Path), ReplacementQuery),
    request_body(content = ImportFiles, content_type = "multipart/form-data"),
    responses((status = 200, body = Replacement), (status = 422, body = ApiError))
)]
pub async fn replace(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Query(query): Query<ReplacementQuery>,
    files: Multipart,
) -> Result<Json<Replacement>, ApiError> {
    let files = Files::receive(files).await?;
    let now = app.now(project).await?;
    let of = LookedAt {
        project,
        part,
        revision: now.revision,
        files: files.digest(),
        query: ReplacementQuery { look: false, ..query.clone() },
    };
    let (edit, told) = match app.replacements.take(|planned| planned.of == of) {
        Some(planned) => (planned.edit, planned.told),
        None => app.plan(&of, now, files).await?,
    };
    if query.look {
        app.replacements.keep_a_while(Planned { of, edit, told: told.clone() });
    } else {
        app.edit(project, edit, hand(&headers)).await?;
    }
    Ok(Json(told))
}

impl App {
    /// Reads files and finds out what they would replace.
    async fn plan(
        &self,
        of: &LookedAt,
        now: Now,
        files: Files,
    ) -> Result<(Edit, Replacement), ApiError> {
        let LookedAt { project, part, query, .. } = of;
        let (app, project, part, query) = (self, *project, *part, query.clone());
        let file = files.name.clone();
        // What takes a part's place is most likely in the numbers it left in.
        let own = |says: Says| says == Says::Nothing;
        let abilities = Format::that_reads(&file).ok().map(Format::abilities);
        let is_unit_ours = query.unit.is_none() && abilities.as_ref().is_some_and(|a| own(a.units));
        let is_up_ours = query.up.is_none() && abilities.as_ref().is_some_and(|a| own(a.up));
        let options = ImportQuery {
            unit: query.unit.or(is_unit_ours.then_some(now.traits.unit)),
            up: query.up.or(is_up_ours.then_some(now.traits.up)),
            ..ImportQuery::default()
        };
        let mut import = app.read(files, &options).await?;
        for (is_ours, reason) in
            [(is_unit_ours, &mut import.reasons.unit), (is_up_ours, &mut import.reasons.up)]
        {
            if is_ours {
                "as in the project, the file says nothing".clone_into(reason);
            }
        }
        let own = part_of(&now, part)?;
        let traits = import.traits;
        import
            .convert(now.traits)
            .map_err(|error| ApiError::bad_request(format!("{file}, {error}")))?;
        let says = match import.origin.take() {
            None => None,
            Some(origin) => Some(OriginSays::of(origin, &app.mark(project).await?, now.revision)),
        };
        let Import { parts, images, repairs, notes, reasons, .. } = import;
        let names: Vec<String> = parts.iter().map(|part| part.name.clone()).collect();
        let theirs = choose(&own, parts, query.from.as_deref()).map_err(ApiError::bad_request)?;
        let is_linear = import.light == Light::Linear;
        let from = theirs.name.clone();
        let shown = file.clone();
        let planned = app
            .aside(move |_| {
                let planned = match query.what {
                    Replaces::Colors => {
                        let theirs = if is_linear { held_as_ours(&own, theirs) } else { theirs };
                        colors(&own, &theirs, query.matching).map(|(colors, report)| {
                            (ReplaceEdit::ReplaceColors { part, from: file, colors }, report)
                        })
                    }
                    Replaces::Shape => {
                        shape(&own, theirs, query.matching).map(|(shape, report)| {
                            let shape = Box::new(shape);
                            (ReplaceEdit::ReplaceShape { part, from: file, shape, images }, report)
                        })
                    }
                };
                Ok(planned)
            })
            .await?;
        let (edit, report) =
            planned.map_err(|error| ApiError::bad_request(format!("{shown}: {error}")))?;
        let told = Replacement {
            from,
            parts: names,
            report,
            origin: says,
            repairs,
            notes,
            traits,
            reasons,
        };
        Ok((edit.into(), told))
    }
}

/// The file's part that is meant.
fn choose(own: &Part, mut parts: Vec<NewPart>, from: Option<&str>) -> Result<NewPart, String> {
    let wanted = from.unwrap_or(&own.traits.name);
    let found = parts.iter().position(|part| part.name == wanted);
    match (found, from, parts.len()) {
        (Some(at), ..) => Ok(parts.swap_remove(at)),
        (None, None, 1) => Ok(parts.remove(0)),
        _ => {
            let names: Vec<&str> = parts.iter().map(|part| part.name.as_str()).collect();
            Err(format!("the file has no part {wanted}: choose one of {}", names.join(", ")))
        }
    }
}
