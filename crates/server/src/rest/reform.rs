//! Another shape for a part, made from its own: looked at, and done; and what is wrong with a shape.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Path, Query, State},
    http::HeaderMap,
    response::Response,
};
use serde::{Deserialize, Serialize};
use speckle_color::bytes_from_rgba;
use speckle_core::ReplaceEdit;
use speckle_mesh::{Geometry, Placement};
use speckle_model::{Part, PartId, SetId};
use speckle_store::ProjectId;
use speckle_tools::{
    bake::watch::Watch,
    layout,
    reform::{
        Given, Reform, ReformReport, Reformed,
        mend::{Finding, look_over},
        reform,
    },
};
use utoipa::{IntoParams, ToSchema};

use super::{hand, part_of};
use crate::{App, body::Said, error::ApiError, wire::frames};

/// What is to become of a part.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReformOrder {
    /// The change of its shape.
    pub reform: Reform,
    /// What else becomes the same, in one step.
    #[serde(default)]
    pub also: Vec<PartId>,
    /// Whether parts stay as they are, and copies beside them get the new shapes.
    #[serde(default)]
    pub beside: bool,
    /// Whether it is only looked at.
    #[serde(default)]
    pub look: bool,
}

/// What a change of shape did, or would do.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ReformAnswer {
    /// By what the shape that it would make is asked for, where it was only looked at.
    look: Option<u32>,
    /// What it does.
    report: ReformReport,
    /// What it does to the others, by their names.
    also: Vec<ReformAlso>,
    /// What the values of its sets belong to from then on.
    placements: Vec<SetPlaced>,
    /// The edges of the islands of a layout that it makes: u, v, u, v.
    #[schema(value_type = Vec<[f32; 4]>)]
    outlines: Vec<[f32; 4]>,
    /// Whether it tells how far off each face is.
    has_heat: bool,
}

/// What a change of shape does to another part.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ReformAlso {
    /// What the part is called.
    part: String,
    /// What it does.
    report: ReformReport,
}

/// What each value of a set belongs to.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct SetPlaced {
    /// The set.
    set: SetId,
    /// What its values belong to.
    placement: Placement,
}

/// A change of shape that was looked at.
pub struct Planned {
    project: ProjectId,
    part: PartId,
    revision: i64,
    reform: Reform,
    reformed: Reformed,
    geometry: Arc<Geometry>,
    /// Other parts, with their names.
    also: Vec<(PartId, String, Reformed)>,
}

/// The most edges that a picture of a layout shows.
pub(super) const MOST_OUTLINES: usize = 12_000;

/// Gives a part another shape.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/parts/{part}/reform",
    params(("project" = i64, Path), ("part" = u32, Path)),
    request_body = ReformOrder,
    responses((status = 200, body = ReformAnswer), (status = 422, body = ApiError))
)]
pub async fn reform_part(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
    Said(order): Said<ReformOrder>,
) -> Result<Json<ReformAnswer>, ApiError> {
    let now = app.now(project).await?;
    let also: Vec<PartId> = order.also.iter().copied().filter(|other| *other != part).collect();
    let is_it = |planned: &Planned| {
        (planned.project, planned.part, planned.revision) == (project, part, now.revision)
            && planned.reform == order.reform
            && planned.also.iter().map(|(id, ..)| *id).eq(also.iter().copied())
    };
    let planned = match app.reforms.take(is_it) {
        Some(planned) => planned,
        None => {
            let own = part_of(&now, part)?;
            let others = also.iter().map(|&other| part_of(&now, other));
            let others = others.collect::<Result<Vec<_>, _>>()?;
            let (watch, give_up) = app.works.watch(&headers);
            let (asked, revision) = (order.reform.clone(), now.revision);
            let done = app.aside(move |_| {
                let given = Given { images: &now.images, parts: &now.parts };
                Ok(reform_all(&own, &others, &asked, given, &watch))
            });
            let done = done.await?;
            drop(give_up);
            let (reformed, geometry, also) = done.map_err(ApiError::bad_request)?;
            let reform = order.reform.clone();
            Planned { project, part, revision, reform, reformed, geometry, also }
        }
    };
    let report = planned.reformed.report.clone();
    let sets = planned.reformed.shape.sets.iter();
    let placements = sets.map(|to| SetPlaced { set: to.id, placement: to.placement }).collect();
    let has_heat = planned.reformed.heat.is_some();
    let mut outlines = Vec::new();
    if let (true, Some(set), Reform::Layout { .. }) =
        (order.look, planned.geometry.mesh().uv_sets().last(), &order.reform)
    {
        outlines = layout::outlines(&planned.geometry, &set.uvs, MOST_OUTLINES);
    }
    let told = planned.also.iter().map(|(_, name, reformed)| ReformAlso {
        part: name.clone(),
        report: reformed.report.clone(),
    });
    let also = told.collect();
    if order.look {
        let look = Some(app.reforms.keep_a_while(planned));
        return Ok(Json(ReformAnswer { look, report, also, placements, outlines, has_heat }));
    }
    let Planned { reformed, also: others, .. } = planned;
    let (beside, called) = (order.beside, reformed.called);
    let edit = |part, reformed| ReplaceEdit::Reform { part, reformed: Box::new(reformed), beside };
    let mut edits = vec![edit(part, reformed)];
    edits.extend(others.into_iter().map(|(id, _, reformed)| edit(id, reformed)));
    let edit = match edits.len() {
        1 => edits.remove(0),
        count => ReplaceEdit::Together { label: format!("{called} {count} parts"), edits },
    };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(Json(ReformAnswer { look: None, report, also, placements, outlines, has_heat }))
}

/// Plans a change of shape for a part, and the same for others; says what cannot be done, and to which.
#[expect(clippy::type_complexity)]
fn reform_all(
    own: &Part,
    others: &[Part],
    asked: &Reform,
    given: Given,
    watch: &Watch,
) -> Result<(Reformed, Arc<Geometry>, Vec<(PartId, String, Reformed)>), String> {
    let reformed = reform(own, asked, given, watch).map_err(|error| error.to_string())?;
    let geometry = Arc::new(Geometry::new(reformed.shape.mesh.clone()));
    let also = others.iter().map(|other| {
        let name = other.traits.name.clone();
        let there = asked.on(own, other).ok_or_else(|| {
            format!("{name} has no set of that name: leave it out, or give it one first")
        })?;
        match reform(other, &there, given, watch) {
            Ok(reformed) => Ok((other.id, name, reformed)),
            Err(error) => Err(format!("{name}: {error}")),
        }
    });
    Ok((reformed, geometry, also.collect::<Result<_, _>>()?))
}

/// What of it.
#[derive(Debug, Deserialize, IntoParams)]
pub struct ReformedQuery {
    /// The set whose values are wanted, four bytes for each element; the shape, as a frame of the live
    /// socket, when left out.
    set: Option<u32>,
    /// Whether what it was planned by is wanted instead: an `f32` for each face of the part as it is.
    #[serde(default)]
    heat: bool,
}

/// The shape of a change that was looked at, or what a set holds on it.
#[utoipa::path(
    get, path = "/api/v1/reforms/{look}",
    params(("look" = u32, Path), ReformedQuery),
    responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = 404, body = ApiError))
)]
pub async fn reformed(
    State(app): State<App>,
    Path(look): Path<u32>,
    Query(ReformedQuery { set, heat }): Query<ReformedQuery>,
) -> Result<Response, ApiError> {
    let found = app.blocking(move |app| {
        Ok(app.reforms.bytes(look, |planned| {
            if heat {
                let heat = planned.reformed.heat.as_ref()?;
                return Some(bytemuck::cast_slice(heat).to_vec().into());
            }
            let Some(set) = set else {
                return Some(frames::geometry(planned.part, &planned.geometry).into_data());
            };
            let own = planned.reformed.shape.sets.iter().find(|to| to.id == SetId(set))?;
            Some(own.values.iter().copied().flat_map(bytes_from_rgba).collect())
        }))
    });
    found.await?
}

/// Looks a part over: what is wrong with its mesh, and where.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/faults",
    params(("project" = i64, Path), ("part" = u32, Path)),
    responses((status = 200, body = [Finding]), (status = 404, body = ApiError))
)]
pub async fn part_faults(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
) -> Result<Json<Vec<Finding>>, ApiError> {
    let now = app.now(project).await?;
    let own = part_of(&now, part)?;
    let (watch, give_up) = app.works.watch(&headers);
    let done = app.aside(move |_| Ok(look_over(&own, &watch))).await?;
    drop(give_up);
    done.map(Json).map_err(|_| ApiError::bad_request("it was given up"))
}
