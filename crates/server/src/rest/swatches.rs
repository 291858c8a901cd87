//! What faces are painted in: swatches made of colors, specks told and swept up.

use axum::{
    Json,
    extract::{Path, State},
    http::{HeaderMap, StatusCode},
};
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, Rgba, swatch_of};
use speckle_core::{SwatchEdit, document::PartPainted};
use speckle_model::{Part, PartId, swatches};
use speckle_store::ProjectId;
use speckle_tools::{
    base::{PaintingWork, painting_work},
    layers::to_plate,
    swatching::{self, Making},
    sweep::{self, Regions},
};
use utoipa::ToSchema;

use super::{hand, layers::cut_anew, part_of};
use crate::{App, body::Said, error::ApiError};

/// A speck, or another region of one swatch.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SpeckTold {
    /// The part it is on, and its largest face: by these it is named.
    part: u32,
    face: u32,
    /// Its swatch, and that of the region with which it has the longest border, by their places.
    swatch: u8,
    beside: Option<u8>,
    /// How many faces.
    faces: usize,
    /// mm².
    area: f64,
    /// mm.
    width: f64,
    /// Where it is, in the project's space.
    place: [f32; 3],
}

/// Which specks are swept up.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SweepOrder {
    /// By what the print is asked for.
    look: u32,
    /// Below what regions are specks.
    specks: sweep::Limits,
    /// The part and the largest face of the only one that is swept up; left out: all.
    only: Option<(u32, u32)>,
}

/// Specks of a print that was cut, the smallest first.
#[utoipa::path(
    post, path = "/api/v1/layers/{look}/specks", params(("look" = u32, Path)),
    request_body = sweep::Limits,
    responses((status = 200, body = [SpeckTold]), (status = 404, body = ApiError))
)]
pub async fn layer_specks(
    State(app): State<App>,
    Path(look): Path<u32>,
    Said(limits): Said<sweep::Limits>,
) -> Result<Json<Vec<SpeckTold>>, ApiError> {
    if let Some(problem) = limits.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let planned = app.prints.get(look).ok_or_else(cut_anew)?;
    let done = app.aside(move |_| {
        let mut all = Vec::new();
        for (part, body) in planned.parts.iter().zip(planned.bodies()) {
            let regions = Regions::of(body.geometry, body.of_faces, &body.to_plate);
            let to_project = part.traits.transform.to_project();
            all.extend(regions.specks(&limits).into_iter().map(|number| {
                let own = &regions.list[number as usize];
                SpeckTold {
                    part: part.id.0,
                    face: own.face,
                    swatch: own.swatch,
                    beside: own.beside,
                    faces: own.faces,
                    area: own.area,
                    width: own.width,
                    place: to_project.transform_point3(own.place).to_array(),
                }
            }));
        }
        all.sort_by(|a, b| a.area.total_cmp(&b.area));
        Ok(all)
    });
    Ok(Json(done.await?))
}

/// Tells what it takes to paint each swatch of a part where it is, the most first: the base is best the
/// first, since what prints in the base needs no paint.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/parts/{part}/painting",
    params(("project" = i64, Path), ("part" = u32, Path)),
    responses((status = 200, body = [PaintingWork]), (status = 404, body = ApiError))
)]
pub async fn painting_of(
    State(app): State<App>,
    Path((project, part)): Path<(ProjectId, PartId)>,
    headers: HeaderMap,
) -> Result<Json<Vec<PaintingWork>>, ApiError> {
    let now = app.now(project).await?;
    let own = part_of(&now, part)?;
    let (watch, give_up) = app.works.watch(&headers);
    let works = app.aside(move |_| {
        let Some(set) = own.swatch_set() else { return Ok(Ok(Vec::new())) };
        // What is unpainted prints in the base, and would have to be painted under another.
        let places = swatches::places(&now.swatches, own.traits.base);
        let number = |value: &Rgba| {
            let place = places[usize::from(swatch_of(*value))];
            now.swatches.get(place).map_or(0, |swatch| swatch.number)
        };
        let numbers: Vec<u8> = set.values.iter().map(number).collect();
        let to_print = to_plate(now.traits.unit, now.traits.up) * own.traits.transform.to_project();
        let works = painting_work(&own.geometry, &numbers, &to_print, &watch);
        Ok(works.map_err(|_| "it was given up".to_owned()))
    });
    let works = works.await?.map_err(ApiError::bad_request)?;
    drop(give_up);
    Ok(Json(works))
}

/// Sweeps specks up: one, or all.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/sweep", params(("project" = i64, Path)),
    request_body = SweepOrder,
    responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError))
)]
pub async fn sweep_up(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Said(order): Said<SweepOrder>,
) -> Result<StatusCode, ApiError> {
    if let Some(problem) = order.specks.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let planned = app.print_of(project, order.look).await?;
    let of = planned.clone();
    let (limits, only) = (order.specks, order.only);
    let done = app.aside(move |_| {
        let swept = of.parts.iter().zip(of.bodies()).map(|(part, body)| {
            let regions = Regions::of(body.geometry, body.of_faces, &body.to_plate);
            let mut specks = regions.specks(&limits);
            if let Some((own, face)) = only {
                specks.retain(|&number| {
                    (part.id.0, regions.list[number as usize].face) == (own, face)
                });
            }
            regions.absorbed(&specks)
        });
        Ok(swept.collect::<Vec<_>>())
    });
    let swept = done.await?;
    let edit = SwatchEdit::PaintFaces {
        label: if only.is_some() { "Sweep a speck" } else { "Sweep specks" }.to_owned(),
        palette: planned.palette(),
        parts: planned.painted(&swept, None)?,
    };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Of what swatches are made, and how.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SwatchesOrder {
    /// The name of the sets whose colors they are made of.
    set: String,
    /// The parts that get them; all that are seen and have such a set when left out.
    parts: Option<Vec<u32>>,
    /// How.
    making: Making,
}

/// Paints parts in swatches made of their colors.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/swatches", params(("project" = i64, Path)),
    request_body = SwatchesOrder,
    responses((status = 204), (status = 422, body = ApiError))
)]
pub async fn make_swatches(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Said(order): Said<SwatchesOrder>,
) -> Result<StatusCode, ApiError> {
    if let Some(problem) = order.making.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let now = app.now(project).await?;
    let parts: Vec<Part> = now
        .parts
        .iter()
        .filter(|part| match &order.parts {
            Some(parts) => parts.contains(&part.id.0),
            None => part.traits.visible && !part.traits.locked,
        })
        .filter_map(|part| {
            let set = part.products().find(|set| set.name == order.set)?.clone();
            (set.encoding != Encoding::Swatch).then(|| Part { sets: vec![set], ..part.clone() })
        })
        .collect();
    if parts.is_empty() {
        let words = format!("no part that is seen has colors in a set {}", order.set);
        return Err(ApiError::bad_request(words));
    }
    let palette = swatches::numbered(&now.swatches, now.swatches.clone());
    let label = format!("Make swatches of {}", order.set);
    let done = app.aside(move |_| {
        let painted = swatches::paintable(&palette);
        let (found, of_faces) = swatching::made(&parts, &painted, &order.making);
        let is_new = painted.is_empty();
        let found = if is_new { swatches::numbered(&[], found) } else { found };
        let parts = parts.iter().zip(of_faces).map(|(part, faces)| PartPainted {
            part: part.id,
            mesh: part.geometry.id(),
            numbers: faces.iter().map(|&place| found[usize::from(place)].number).collect(),
            base: None,
        });
        let parts = parts.collect();
        Ok(SwatchEdit::PaintFaces { label, palette: is_new.then_some(found), parts })
    });
    app.edit(project, done.await?, hand(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Paints in swatches what is seen of a project, as its colors were told apart.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/layers/{look}/swatches",
    params(("project" = i64, Path), ("look" = u32, Path)),
    responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError))
)]
pub async fn paint_swatches(
    State(app): State<App>,
    Path((project, look)): Path<(ProjectId, u32)>,
    headers: HeaderMap,
) -> Result<StatusCode, ApiError> {
    let planned = app.print_of(project, look).await?;
    let edit = SwatchEdit::PaintFaces {
        label: "Paint in swatches".to_owned(),
        palette: planned.palette(),
        parts: planned.painted(&planned.of_faces, None)?,
    };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(StatusCode::NO_CONTENT)
}
