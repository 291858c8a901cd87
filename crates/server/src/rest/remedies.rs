//! What makes a print change spools, what would mend it, and mending it.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Path, State},
    http::HeaderMap,
};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use speckle_color::{Encoding, swatch_of};
use speckle_core::{SwatchEdit, document::PartPainted};
use speckle_mesh::UpAxis;
use speckle_model::{
    Part,
    swatches::{self, Swatch},
};
use speckle_store::ProjectId;
use speckle_tools::{
    bake::watch::{GivenUp, Watch},
    layers::{Cause, Estimate, Ground, Inside, Pace, Remedy, Situation, causes, estimate},
    swatching::{self, Making},
    sweep::{self, Regions},
};
use utoipa::ToSchema;

use super::{
    hand,
    layers::{Causes, CausesOrder, Planned, cut_anew},
};
use crate::{App, body::Said, error::ApiError, session::lock};

/// Some of what was found.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ChosenOrder {
    /// How it was looked for.
    of: CausesOrder,
    /// Which, by their places in the list.
    chosen: Vec<usize>,
    /// What the printer takes for what it does.
    #[serde(default)]
    pace: Pace,
}

/// What would mend a cause.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RemedyKind {
    /// Specks take the swatch beside them.
    Sweep,
    /// Hidden unpainted faces, and what lies within, are another swatch.
    Base,
    /// Something else lies within; no swatch: paint goes right through.
    Within,
    /// Bands go through the wall.
    Bands,
    /// Hidden faces take a swatch of the outside.
    Inner,
    /// Nothing but other paint.
    None,
}

/// Why a print changes spools.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CauseTold {
    /// What would mend it.
    remedy: RemedyKind,
    /// The swatch that it is about, by its place.
    swatch: Option<u8>,
    /// The layers it bears on, as ranges, both ends counted in.
    layers: Vec<[usize; 2]>,
    /// How many faces would change.
    faces: usize,
    /// How many specks there are.
    specks: usize,
    /// The changes of spool that there would be.
    changes: usize,
}

/// A print with some remedies.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct WithRemedies {
    /// How often the spool changes.
    changes: usize,
    /// What it takes.
    estimate: Estimate,
}

/// What was done, and what has to be said of the print from then on.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct Remedied {
    /// What lies within.
    inside: Inside,
    /// Where paint goes right through.
    through: Vec<[f64; 2]>,
    /// Whether the project has changed.
    changed: bool,
}

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

fn ground_of<T>(
    planned: &Planned,
    now: &Situation,
    with: impl FnOnce(&Ground) -> Result<T, GivenUp>,
) -> Result<T, GivenUp> {
    let bodies = planned.bodies();
    let unpainted: Vec<Vec<bool>> = planned
        .parts
        .iter()
        .zip(&planned.of_faces)
        .map(|(part, faces)| match part.swatch_set() {
            Some(set) => set.values.iter().map(|&value| swatch_of(value) == 0).collect(),
            None => vec![false; faces.len()],
        })
        .collect();
    let known = (&planned.counted, now);
    with(&Ground::new(&bodies, &planned.cut, known, &unpainted, planned.swatches.len()))
}

impl Planned {
    /// What causes changes; found once for what is asked.
    fn causes(&self, order: &CausesOrder, watch: &Watch) -> Result<Arc<Vec<Cause>>, GivenUp> {
        if let Some(known) = lock(&self.causes).as_ref().filter(|known| known.order == *order) {
            return Ok(known.list.clone());
        }
        let now = self.situation(order.inside, &order.through);
        let list = ground_of(self, &now, |ground| causes(ground, &order.specks, watch))?;
        let list = Arc::new(list);
        *lock(&self.causes) = Some(Causes { order: order.clone(), list: list.clone() });
        Ok(list)
    }

    /// The situation with some remedies, specks first.
    fn with(
        &self,
        ground: &Ground,
        now: &Situation,
        list: &[Cause],
        chosen: &[usize],
    ) -> Situation {
        let mut chosen: Vec<&Remedy> =
            chosen.iter().filter_map(|&i| Some(&list.get(i)?.remedy)).collect();
        chosen.sort_by_key(|remedy| !matches!(remedy, Remedy::Sweep(_)));
        chosen.into_iter().fold(now.clone(), |then, remedy| ground.with(&then, remedy))
    }

    /// The edit that paints what differs between two situations.
    fn painted(&self, before: &[Vec<u8>], now: &[Vec<u8>]) -> Result<Vec<PartPainted>, ApiError> {
        let number = |place: u8| {
            let number = self.swatches[usize::from(place)].number;
            if number > 0 {
                return Ok(number);
            }
            let name = self.swatches[usize::from(place)].called();
            Err(ApiError::bad_request(format!(
                "faces are painted in the first 16 of the palette, and {name} is behind them: move it up"
            )))
        };
        let parts = self.parts.iter().zip(before.iter().zip(now));
        let parts = parts.filter(|(part, (before, now))| {
            // Without bands there is nothing to do where nothing differs; they need sets, though.
            before != now || part.swatch_set().is_none()
        });
        parts
            .map(|(part, (before, now))| {
                let set = part.swatch_set();
                let face = |i: usize| match set {
                    Some(set) if before[i] == now[i] => Ok(swatch_of(set.values[i])),
                    _ => number(now[i]),
                };
                Ok(PartPainted {
                    part: part.id,
                    mesh: part.geometry.id(),
                    numbers: (0..now.len()).map(face).collect::<Result<_, ApiError>>()?,
                    base: None,
                })
            })
            .collect()
    }

    /// The palette, where faces are told apart by colors that are not in it.
    fn palette(&self) -> Option<Vec<Swatch>> {
        (!self.is_painted).then(|| self.swatches.clone())
    }

    fn up(&self) -> Vec3 {
        match self.traits.1 {
            UpAxis::Y => Vec3::Y,
            UpAxis::Z => Vec3::Z,
        }
    }
}

fn given_up(_: GivenUp) -> ApiError {
    ApiError::bad_request("it was given up")
}

/// What makes a print change spools, the most that can be gained first.
#[utoipa::path(
    post, path = "/api/v1/layers/{look}/causes", params(("look" = u32, Path)),
    request_body = CausesOrder,
    responses((status = 200, body = [CauseTold]), (status = 404, body = ApiError))
)]
pub async fn layer_causes(
    State(app): State<App>,
    Path(look): Path<u32>,
    headers: HeaderMap,
    Said(order): Said<CausesOrder>,
) -> Result<Json<Vec<CauseTold>>, ApiError> {
    if let Some(problem) = order.specks.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let planned = app.prints.get(look).ok_or_else(cut_anew)?;
    let (watch, give_up) = app.works.watch(&headers);
    let done = app.aside(move |_| {
        Ok(planned.causes(&order, &watch).map(|list| {
            let told = |cause: &Cause| planned.told_of(cause);
            list.iter().map(told).collect()
        }))
    });
    let list = done.await?.map_err(given_up)?;
    drop(give_up);
    Ok(Json(list))
}

impl Planned {
    fn told_of(&self, cause: &Cause) -> CauseTold {
        let mut specks = 0;
        let (remedy, swatch) = match &cause.remedy {
            Remedy::Sweep(limits) => {
                for body in self.bodies() {
                    let regions = Regions::of(body.geometry, body.of_faces, &body.to_plate);
                    specks += regions.specks(limits).len();
                }
                (RemedyKind::Sweep, None)
            }
            Remedy::Base { to, .. } => (RemedyKind::Base, Some(*to)),
            Remedy::Within(Inside::Nearest) => (RemedyKind::Within, None),
            Remedy::Within(Inside::Swatch { swatch }) => (RemedyKind::Within, Some(*swatch)),
            Remedy::Bands(bands) => (RemedyKind::Bands, bands.first().map(|band| band.swatch)),
            Remedy::Inner { .. } => (RemedyKind::Inner, None),
            Remedy::None => (RemedyKind::None, None),
        };
        let layers = cause.layers.iter().map(|&(first, last)| [first, last]).collect();
        let (faces, changes) = (cause.faces, cause.changes);
        CauseTold { remedy, swatch, layers, faces, specks, changes }
    }
}

/// What a print would take with some remedies.
#[utoipa::path(
    post, path = "/api/v1/layers/{look}/with", params(("look" = u32, Path)),
    request_body = ChosenOrder,
    responses((status = 200, body = WithRemedies), (status = 404, body = ApiError))
)]
pub async fn layers_with(
    State(app): State<App>,
    Path(look): Path<u32>,
    headers: HeaderMap,
    Said(order): Said<ChosenOrder>,
) -> Result<Json<WithRemedies>, ApiError> {
    let planned = app.prints.get(look).ok_or_else(cut_anew)?;
    let (watch, give_up) = app.works.watch(&headers);
    let done = app.aside(move |_| {
        Ok(planned.causes(&order.of, &watch).and_then(|list| {
            let now = planned.situation(order.of.inside, &order.of.through);
            ground_of(&planned, &now, |ground| {
                let then = planned.with(ground, &now, &list, &order.chosen);
                let counted = ground.counted(&then, &watch)?;
                let plan = counted.plan_for(then.inside, &order.pace, &planned.swatches);
                let estimate = estimate(&plan, &order.pace, &planned.swatches);
                Ok(WithRemedies { changes: plan.changes, estimate })
            })
        }))
    });
    let told = done.await?.map_err(given_up)?;
    drop(give_up);
    Ok(Json(told))
}

/// Mends what was chosen.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/layers/{look}/remedies",
    params(("project" = i64, Path), ("look" = u32, Path)),
    request_body = ChosenOrder,
    responses((status = 200, body = Remedied), (status = 404, body = ApiError), (status = 422, body = ApiError))
)]
pub async fn remedy_layers(
    State(app): State<App>,
    Path((project, look)): Path<(ProjectId, u32)>,
    headers: HeaderMap,
    Said(order): Said<ChosenOrder>,
) -> Result<Json<Remedied>, ApiError> {
    let planned = app.prints.get(look).filter(|planned| planned.project == project);
    let planned = planned.ok_or_else(cut_anew)?;
    if app.now(project).await?.revision != planned.revision {
        return Err(cut_anew());
    }
    let (watch, give_up) = app.works.watch(&headers);
    let of = planned.clone();
    let done = app.aside(move |_| {
        Ok(of.causes(&order.of, &watch).and_then(|list| {
            let now = of.situation(order.of.inside, &order.of.through);
            let then =
                ground_of(&of, &now, |ground| Ok(of.with(ground, &now, &list, &order.chosen)))?;
            Ok((now, then))
        }))
    });
    let (now, then) = done.await?.map_err(given_up)?;
    drop(give_up);
    let mut through = then.through;
    let mut bands = Vec::new();
    let [plate, per_mm] = planned.plate();
    for band in &then.bands {
        let (first, last) = band.layers;
        let range = planned.counted.heights(first, last);
        let [from, to] = range.map(|height| (plate + height * per_mm) as f32);
        let swatch = &planned.swatches[usize::from(band.swatch)];
        if swatch.number == 0 {
            return Err(ApiError::bad_request(format!(
                "faces are painted in the first 16 of the palette, and {} is behind them: move it up",
                swatch.called()
            )));
        }
        through.push(range);
        bands.push((swatch.number, from, to));
    }
    let mut changed = false;
    if then.swatches != now.swatches || !bands.is_empty() {
        let edit = SwatchEdit::PaintThrough {
            label: "Mend what changes spools".to_owned(),
            palette: planned.palette(),
            parts: planned.painted(&now.swatches, &then.swatches)?,
            up: planned.up(),
            bands,
        };
        changed = app.edit(project, edit, hand(&headers)).await?;
    }
    Ok(Json(Remedied { inside: then.inside, through, changed }))
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
) -> Result<axum::http::StatusCode, ApiError> {
    if let Some(problem) = order.specks.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let planned = app.prints.get(order.look).filter(|planned| planned.project == project);
    let planned = planned.ok_or_else(cut_anew)?;
    if app.now(project).await?.revision != planned.revision {
        return Err(cut_anew());
    }
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
        parts: planned.painted(&planned.of_faces, &swept)?,
    };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(axum::http::StatusCode::NO_CONTENT)
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
) -> Result<axum::http::StatusCode, ApiError> {
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
        let painted: Vec<Swatch> =
            palette.iter().filter(|swatch| swatch.number > 0).cloned().collect();
        let (found, of_faces) = swatching::made(&parts, &painted, &order.making);
        let is_new = painted.is_empty();
        let found = if is_new { swatches::numbered(&palette, found) } else { found };
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
    Ok(axum::http::StatusCode::NO_CONTENT)
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
) -> Result<axum::http::StatusCode, ApiError> {
    let planned = app.prints.get(look).filter(|planned| planned.project == project);
    let planned = planned.ok_or_else(cut_anew)?;
    if app.now(project).await?.revision != planned.revision {
        return Err(cut_anew());
    }
    let edit = SwatchEdit::PaintFaces {
        label: "Paint in swatches".to_owned(),
        palette: planned.palette(),
        parts: planned.painted(&planned.of_faces, &planned.of_faces)?,
    };
    app.edit(project, edit, hand(&headers)).await?;
    Ok(axum::http::StatusCode::NO_CONTENT)
}
