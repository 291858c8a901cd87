//! What makes a print change spools, what would mend it, and mending it.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Path, State},
    http::HeaderMap,
};
use glam::{Affine3A, DVec3, Vec3};
use serde::{Deserialize, Serialize};
use speckle_color::swatch_of;
use speckle_core::{SwatchEdit, document::PartPainted};
use speckle_mesh::UpAxis;
use speckle_model::{
    Part,
    swatches::{self, Swatch},
};
use speckle_store::ProjectId;
use speckle_tools::{
    bake::watch::{GivenUp, Watch},
    layers::{
        Cause, Estimate, Ground, Inside, Layer, Pace, PrintSetup, Remedy, Situation, causes,
        estimate, to_plate,
    },
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
    /// Its layers, in millimetres, to lie beside those that it has now.
    layers: Vec<Layer>,
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

    /// Where chosen causes lie.
    fn lit(&self, order: &ChosenOrder, list: &[Cause]) -> Result<Vec<Vec3>, GivenUp> {
        let now = self.situation(order.of.inside, &order.of.through);
        let then =
            ground_of(self, &now, |ground| Ok(self.with(ground, &now, list, &order.chosen)))?;
        let mut places = Vec::new();
        for (part, (now, then)) in self.parts.iter().zip(now.swatches.iter().zip(&then.swatches)) {
            let (mesh, to_project) = (part.geometry.mesh(), part.traits.transform.to_project());
            let changed = (0..now.len()).filter(|&face| now[face] != then[face]);
            places
                .extend(changed.map(|face| to_project.transform_point3(mesh.face_centroid(face))));
        }
        if !places.is_empty() {
            return Ok(places);
        }
        let (unit, up) = self.traits;
        let scaled = Affine3A::from_scale(Vec3::splat(self.scale as f32));
        let to_project = (scaled * to_plate(unit, up)).inverse();
        let faces: Vec<&[u8]> = now.swatches.iter().map(Vec::as_slice).collect();
        let chosen = order.chosen.iter().filter_map(|&i| list.get(i));
        for layer in chosen.flat_map(|cause| &cause.layers).flat_map(|&(first, last)| first..=last)
        {
            let height = self.counted.cut_at(layer);
            for (swatch, [x0, y0, x1, y1]) in self.cut.drawn(layer, &faces) {
                if now.inside != (Inside::Swatch { swatch }) {
                    let middle = DVec3::new((x0 + x1) / 2.0, (y0 + y1) / 2.0, height);
                    places.push(to_project.transform_point3(middle.as_vec3()));
                }
            }
        }
        Ok(places)
    }

    /// The number of a swatch in which faces can be painted.
    fn number(&self, place: u8) -> Result<u8, ApiError> {
        let swatch = &self.swatches[usize::from(place)];
        if swatch.number > 0 {
            return Ok(swatch.number);
        }
        Err(ApiError::bad_request(format!(
            "faces are painted in the first 16 of the palette, and {} is behind them: move it up",
            swatch.called()
        )))
    }

    /// The swatch that a part's unpainted faces print in.
    fn base(&self, part: &Part) -> u8 {
        swatches::places(&self.swatches, part.traits.base)[0] as u8
    }

    /// Parts as they are painted where their faces have other swatches than before, or no set for them yet.
    /// `rebased` leads from a base swatch to another: what is unpainted in it stays unpainted.
    pub(super) fn painted(
        &self,
        now: &[Vec<u8>],
        rebased: Option<(u8, u8)>,
    ) -> Result<Vec<PartPainted>, ApiError> {
        let mut painted = Vec::new();
        for (part, (before, now)) in self.parts.iter().zip(self.of_faces.iter().zip(now)) {
            let set = part.swatch_set();
            let to = rebased.filter(|(from, _)| set.is_some() && *from == self.base(part));
            let to = to.map(|(_, to)| to);
            if before == now && set.is_some() && to.is_none() {
                continue;
            }
            let face = |i: usize| match set.map(|set| swatch_of(set.values[i])) {
                Some(0) if to == Some(now[i]) => Ok(0),
                // Unpainted in the old base is painted in it, where a speck took it out of the new one.
                Some(number) if before[i] == now[i] && !(number == 0 && to.is_some()) => Ok(number),
                _ => self.number(now[i]),
            };
            painted.push(PartPainted {
                part: part.id,
                mesh: part.geometry.id(),
                numbers: (0..now.len()).map(face).collect::<Result<_, ApiError>>()?,
                base: to.map(|to| self.number(to)).transpose()?,
            });
        }
        Ok(painted)
    }

    /// The palette, where the project has none yet.
    pub(super) fn palette(&self) -> Option<Vec<Swatch>> {
        self.is_new.then(|| self.swatches.clone())
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
        Ok(planned.causes(&order, &watch).map(|list| list.iter().map(told).collect()))
    });
    let list = done.await?.map_err(given_up)?;
    drop(give_up);
    Ok(Json(list))
}

fn told(cause: &Cause) -> CauseTold {
    let (remedy, swatch) = match &cause.remedy {
        Remedy::Sweep(_) => (RemedyKind::Sweep, None),
        Remedy::Base { to, .. } => (RemedyKind::Base, Some(*to)),
        Remedy::Within(Inside::Nearest) => (RemedyKind::Within, None),
        Remedy::Within(Inside::Swatch { swatch }) => (RemedyKind::Within, Some(*swatch)),
        Remedy::Bands(bands) => (RemedyKind::Bands, bands.first().map(|band| band.swatch)),
        Remedy::Inner { .. } => (RemedyKind::Inner, None),
        Remedy::None => (RemedyKind::None, None),
    };
    let layers = cause.layers.iter().map(|&(first, last)| [first, last]).collect();
    let Cause { faces, specks, changes, .. } = *cause;
    CauseTold { remedy, swatch, layers, faces, specks, changes }
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
                Ok(WithRemedies { changes: plan.changes, estimate, layers: plan.layers })
            })
        }))
    });
    let told = done.await?.map_err(given_up)?;
    drop(give_up);
    Ok(Json(told))
}

/// How many places of a cause are told.
const MOST_LIT: usize = 4_000;

/// Where on the model the chosen causes lie, in the project's space: the middles of faces that their remedies
/// would paint; of those that paint none, the stretches of outlines in other swatches than what lies within.
#[utoipa::path(
    post, path = "/api/v1/layers/{look}/lit", params(("look" = u32, Path)),
    request_body = ChosenOrder,
    responses((status = 200, body = Vec<[f32; 3]>), (status = 404, body = ApiError))
)]
pub async fn causes_lit(
    State(app): State<App>,
    Path(look): Path<u32>,
    headers: HeaderMap,
    Said(order): Said<ChosenOrder>,
) -> Result<Json<Vec<[f32; 3]>>, ApiError> {
    let planned = app.prints.get(look).ok_or_else(cut_anew)?;
    let (watch, give_up) = app.works.watch(&headers);
    let done = app.aside(move |_| {
        Ok(planned.causes(&order.of, &watch).and_then(|list| planned.lit(&order, &list)))
    });
    let places = done.await?.map_err(given_up)?;
    drop(give_up);
    let step = places.len().div_ceil(MOST_LIT).max(1);
    Ok(Json(places.into_iter().step_by(step).map(|place| place.to_array()).collect()))
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
    let planned = app.print_of(project, look).await?;
    let now_of = app.now(project).await?;
    let (watch, give_up) = app.works.watch(&headers);
    let of = planned.clone();
    let pace = order.pace.clone();
    let done = app.aside(move |_| {
        Ok(of.causes(&order.of, &watch).and_then(|list| {
            let now = of.situation(order.of.inside, &order.of.through);
            let then =
                ground_of(&of, &now, |ground| Ok(of.with(ground, &now, &list, &order.chosen)))?;
            let chosen = order.chosen.iter().filter_map(|&i| Some(&list.get(i)?.remedy));
            let rebased = chosen.into_iter().find_map(|remedy| match remedy {
                Remedy::Base { from, to } => Some((*from, *to)),
                _ => None,
            });
            Ok((now, then, rebased))
        }))
    });
    let (now, then, rebased) = done.await?.map_err(given_up)?;
    drop(give_up);
    let mut through = then.through;
    let mut bands = Vec::new();
    let [lowest, per_mm] = planned.plate();
    for band in &then.bands {
        let (first, last) = band.layers;
        let range = planned.counted.heights(first, last);
        let [from, to] = range.map(|height| (lowest + height * per_mm) as f32);
        let number = planned.number(band.swatch)?;
        through.push(range);
        bands.push((number, from, to));
    }
    let is_painted = then.swatches != now.swatches || !bands.is_empty();
    let (seams, plate) = now_of.print.map(|print| (print.seams, print.plate)).unwrap_or_default();
    let print = PrintSetup {
        rules: planned.rules.clone(),
        inside: Some(then.inside),
        through: through.clone(),
        height: planned.height,
        pace,
        seams,
        plate,
    };
    // What was painted goes with how it prints: one undo takes both back.
    let edit = SwatchEdit::PaintThrough {
        label: "Mend what changes spools".to_owned(),
        palette: if is_painted { planned.palette() } else { None },
        parts: if is_painted { planned.painted(&then.swatches, rebased)? } else { Vec::new() },
        up: planned.up(),
        bands,
        print: print.into(),
    };
    let changed = app.edit(project, edit, hand(&headers)).await?;
    Ok(Json(Remedied { inside: then.inside, through, changed }))
}
