//! What a printer with several spools would do with a project: layers, swatches, changes.

pub mod paper;

use std::sync::{Arc, Mutex};

use axum::{
    Json,
    extract::{Path, Query, State},
    http::{HeaderMap, header},
    response::{IntoResponse, Response},
};
use glam::Affine3A;
use serde::{Deserialize, Serialize};
use speckle_color::byte_from_unit;
use speckle_mesh::{Unit, UpAxis};
use speckle_model::{
    Part,
    swatches::{self, Swatch},
};
use speckle_store::ProjectId;
use speckle_tools::{
    bake::watch::Watch,
    layers::{
        Body, Cause, Counted, Cut, Estimate, Inside, LayerError, Pace, Plan, Rules, Situation,
        estimate, height_of, scale, to_plate,
    },
    separation::{MOST_SPOOLS, separate},
    sweep::Limits,
};
use utoipa::{IntoParams, ToSchema};

use crate::{App, body::Said, error::ApiError, session::command::Now};

/// How a project is cut into layers.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LayersOrder {
    /// In millimetres.
    rules: Rules,
    /// How many swatches at most: those of the palette, or of the colors. What is painted in swatches has
    /// them all.
    most: u8,
    /// What lies further within than paint goes. Left out: the base swatch of the first part.
    inside: Option<Inside>,
    /// Heights above the plate, mm, between which paint goes right through.
    #[serde(default)]
    through: Vec<[f64; 2]>,
    /// How high the print is, mm. Left out: as high as the model where a printer could hold that, else 120.
    height: Option<f64>,
    /// What the printer takes for what it does.
    #[serde(default)]
    pace: Pace,
}

/// What is looked for in a print that was cut.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CausesOrder {
    /// What lies further within than paint goes. Left out: the base swatch of the first part.
    pub(super) inside: Option<Inside>,
    /// Heights above the plate, mm, between which paint goes right through.
    #[serde(default)]
    pub(super) through: Vec<[f64; 2]>,
    /// Below what regions are specks.
    pub(super) specks: Limits,
}

/// What was found last.
pub struct Causes {
    pub(super) order: CausesOrder,
    pub(super) list: Arc<Vec<Cause>>,
}

/// How high prints are, mm, of which nothing is said: a printer on a table holds them.
const HEIGHTS: std::ops::RangeInclusive<f64> = 2.0..=400.0;
const USUAL_HEIGHT: f64 = 120.0;

/// A swatch of a print.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct LayerSwatch {
    /// What it is called.
    name: String,
    /// Its color, sRGB-encoded, as #rrggbb.
    color: String,
    /// What faces painted in it hold; 0 where it is a color of the paint only.
    number: u8,
    /// The printer's spool that holds it.
    spool: Option<u8>,
    /// How much of it is printed, mm³.
    volume: f64,
    /// How often the spool would change if it lay within.
    changes_within: usize,
}

/// What a print comes to.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct LayersTold {
    /// By what a layer's outlines are asked for.
    look: u32,
    /// Its swatches.
    swatches: Vec<LayerSwatch>,
    /// Whether its faces are painted in swatches; else they are told apart by their colors.
    is_painted: bool,
    /// What lies within.
    inside: Inside,
    /// How often the spool changes where paint goes right through.
    changes_through: usize,
    /// What each change from a swatch to another purges, mm³: rows from, columns to.
    purges: Vec<Vec<f64>>,
    /// What it takes.
    estimate: Estimate,
    /// Its layers, in millimetres.
    plan: Plan,
    /// How high the print is, mm, and how much larger than the model.
    height: f64,
    scale: f64,
    /// The height of the plate in the project's unit, along its up axis, and how long a millimetre is there.
    plate: [f64; 2],
}

/// A project that was cut.
pub struct Planned {
    pub(super) project: ProjectId,
    pub(super) revision: i64,
    pub(super) rules: Rules,
    most: u8,
    /// As it was asked for.
    pub(super) height: Option<f64>,
    /// How much larger than the model it is, and how high.
    pub(super) scale: f64,
    stands: f64,
    pub(super) cut: Arc<Cut>,
    pub(super) counted: Counted,
    pub(super) parts: Vec<Part>,
    pub(super) of_faces: Vec<Vec<u8>>,
    pub(super) swatches: Vec<Swatch>,
    pub(super) is_painted: bool,
    /// Whether the swatches are made of the colors, as the project's palette has none.
    pub(super) is_new: bool,
    pub(super) traits: (Unit, UpAxis),
    /// What was found last to cause changes.
    pub(super) causes: Mutex<Option<Causes>>,
}

impl Planned {
    pub(super) fn bodies(&self) -> Vec<Body<'_>> {
        let (unit, up) = self.traits;
        let mut bodies = bodies(&self.parts, &self.of_faces, to_plate(unit, up));
        scale(&mut bodies, self.scale);
        bodies
    }

    /// The height of the plate in the project's unit, and how long a millimetre is there.
    pub(super) fn plate(&self) -> [f64; 2] {
        let per_mm = 1e-3 / self.traits.0.metres() / self.scale;
        [self.counted.lowest() * per_mm, per_mm]
    }

    /// What lies within unless it is said.
    pub(super) fn usual_inside(&self) -> Inside {
        let base =
            self.parts.first().filter(|_| self.is_painted).map_or(0, |part| part.traits.base);
        Inside::Swatch { swatch: swatches::places(&self.swatches, base)[0] as u8 }
    }

    /// What it is counted by now.
    pub(super) fn situation(&self, inside: Option<Inside>, through: &[[f64; 2]]) -> Situation {
        Situation {
            swatches: self.of_faces.clone(),
            inside: inside.unwrap_or_else(|| self.usual_inside()),
            through: through.to_vec(),
            bands: Vec::new(),
        }
    }

    fn told(&self, order: &LayersOrder, look: u32) -> LayersTold {
        let inside = order.inside.unwrap_or_else(|| self.usual_inside());
        let counted = self.counted.clone().through(&order.through);
        let plan = counted.plan_for(inside, &order.pace, &self.swatches);
        let estimate = estimate(&plan, &order.pace, &self.swatches);
        let swatches = self.swatches.iter().enumerate().map(|(i, swatch)| {
            let [r, g, b] = swatch.color.map(byte_from_unit);
            LayerSwatch {
                name: swatch.called(),
                color: format!("#{r:02x}{g:02x}{b:02x}"),
                number: if self.is_painted { swatch.number } else { 0 },
                spool: swatch.filament.spool,
                volume: estimate.swatches[i].printed,
                changes_within: counted.plan(Inside::Swatch { swatch: i as u8 }).changes,
            }
        });
        LayersTold {
            look,
            swatches: swatches.collect(),
            is_painted: self.is_painted,
            inside,
            height: self.stands,
            scale: self.scale,
            changes_through: counted.plan(Inside::Nearest).changes,
            plate: self.plate(),
            purges: order.pace.matrix(&self.swatches),
            estimate,
            plan,
        }
    }
}

fn bodies<'a>(parts: &'a [Part], of_faces: &'a [Vec<u8>], to_plate: Affine3A) -> Vec<Body<'a>> {
    let body = |(part, of_faces): (&'a Part, &'a Vec<u8>)| Body {
        geometry: &part.geometry,
        to_plate: to_plate * part.traits.transform.to_project(),
        of_faces,
    };
    parts.iter().zip(of_faces).map(body).collect()
}

/// Cuts what is seen of a project into layers, and tells what they come to.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/layers", params(("project" = i64, Path)),
    request_body = LayersOrder,
    responses((status = 200, body = LayersTold), (status = 422, body = ApiError))
)]
pub async fn layers(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Said(order): Said<LayersOrder>,
) -> Result<Json<LayersTold>, ApiError> {
    if !(1..=MOST_SPOOLS).contains(&order.most) {
        let words = format!("between 1 and {MOST_SPOOLS} swatches can be asked for");
        return Err(ApiError::bad_request(words));
    }
    if let Some(problem) = order.pace.problem() {
        return Err(ApiError::bad_request(problem));
    }
    let now = app.now(project).await?;
    let is_cut_so = |planned: &Arc<Planned>| {
        (planned.project, &planned.rules, planned.height) == (project, &order.rules, order.height)
    };
    let is_it = |planned: &Arc<Planned>| {
        is_cut_so(planned) && (planned.revision, planned.most) == (now.revision, order.most)
    };
    let (look, planned) = match app.prints.again(is_it) {
        Some(known) => known,
        None => {
            let (watch, give_up) = app.works.watch(&headers);
            let asked = order.clone();
            // Where shapes are what they were, only what was painted is counted again.
            let known = app.prints.find(|planned| is_cut_so(planned) && planned.stands_so(&now));
            let done = app.aside(move |_| Ok(cut(project, now, &asked, known.as_deref(), &watch)));
            let done = done.await?;
            drop(give_up);
            let planned = Arc::new(done.map_err(ApiError::bad_request)?);
            // What was cut is not lost by a question that makes no sense.
            (app.prints.keep_a_while(planned.clone()), planned)
        }
    };
    if let Some(Inside::Swatch { swatch }) = order.inside
        && usize::from(swatch) >= planned.swatches.len()
    {
        return Err(ApiError::bad_request("the swatch that lies within is gone: choose another"));
    }
    let told = app.blocking(move |_| Ok(planned.told(&order, look)));
    Ok(Json(told.await?))
}

impl Planned {
    /// Whether what is seen of a project has the shapes that were cut, where they stood.
    fn stands_so(&self, now: &Now) -> bool {
        let of = |part: &Part| (part.id, part.geometry.id(), part.traits.transform);
        let seen = now.parts.iter().filter(|part| part.traits.visible);
        (now.traits.unit, now.traits.up) == self.traits
            && seen.map(of).eq(self.parts.iter().map(of))
    }
}

/// What a print is told apart by.
struct Told {
    swatches: Vec<Swatch>,
    /// Of each face of each part.
    of_faces: Vec<Vec<u8>>,
    is_painted: bool,
    /// Whether the swatches are made of the colors, as the palette has none.
    is_new: bool,
}

/// The swatches of parts. They have the numbers that they have, or would get, in the palette.
fn told_apart(parts: &[Part], palette: &[Swatch], most: u8) -> Told {
    let is_new = palette.is_empty();
    let palette = swatches::numbered(palette, palette.to_vec());
    let separated = separate(parts, &palette, most);
    let is_painted = parts.iter().any(|part| part.swatch_set().is_some());
    if !is_painted || is_new {
        let found = separated.swatches;
        let swatches = if is_new { swatches::numbered(&[], found) } else { found };
        return Told { swatches, of_faces: separated.of_faces, is_painted, is_new };
    }
    // All that faces can be painted in, so that what comes into use later needs no other places.
    let swatches = swatches::paintable(&palette);
    let place = |found: &Swatch| swatches.iter().position(|own| own.number == found.number);
    let places: Vec<u8> =
        separated.swatches.iter().map(|own| place(own).unwrap_or(0) as u8).collect();
    let of_faces = separated.of_faces.into_iter();
    let of_faces =
        of_faces.map(|faces| faces.iter().map(|&own| places[usize::from(own)]).collect());
    let of_faces = of_faces.collect();
    Told { swatches, of_faces, is_painted, is_new }
}

fn cut(
    project: ProjectId,
    now: Now,
    order: &LayersOrder,
    known: Option<&Planned>,
    watch: &Watch,
) -> Result<Planned, String> {
    let LayersOrder { rules, most, height, .. } = order;
    let (most, height) = (*most, *height);
    let traits = (now.traits.unit, now.traits.up);
    let parts: Vec<Part> = now.parts.into_iter().filter(|part| part.traits.visible).collect();
    let Told { swatches, of_faces, is_painted, is_new } = told_apart(&parts, &now.swatches, most);
    let mut bodies = bodies(&parts, &of_faces, to_plate(traits.0, traits.1));
    let own = height_of(&bodies);
    let stands = match height {
        Some(height) if !(height.is_finite() && height > 0.0) => {
            return Err("a print is higher than 0 mm".to_owned());
        }
        Some(height) => height,
        None if HEIGHTS.contains(&own) => own,
        None => USUAL_HEIGHT,
    };
    let by = if own > 0.0 { stands / own } else { 1.0 };
    scale(&mut bodies, by);
    let (cut, counted) = match known {
        Some(known) => {
            let (before, after) = (slices(&known.of_faces), slices(&of_faces));
            let counted = known.cut.recount(&known.counted, &before, &after, watch);
            (known.cut.clone(), counted.map_err(LayerError::from))
        }
        None => {
            let cut = Cut::of(&bodies, rules, watch).map_err(|error| error.to_string())?;
            let counted = cut.count(&slices(&of_faces), watch).map_err(LayerError::from);
            (Arc::new(cut), counted)
        }
    };
    let counted = counted.map_err(|error| error.to_string())?;
    drop(bodies);
    Ok(Planned {
        project,
        revision: now.revision,
        rules: rules.clone(),
        most,
        height,
        scale: by,
        stands,
        cut,
        counted,
        parts,
        of_faces,
        swatches,
        is_painted,
        is_new,
        traits,
        causes: Mutex::default(),
    })
}

fn slices(of: &[Vec<u8>]) -> Vec<&[u8]> {
    of.iter().map(Vec::as_slice).collect()
}

/// Which layer.
#[derive(Debug, Deserialize, IntoParams)]
pub struct LayerQuery {
    /// Its number, from 0 at the plate.
    layer: usize,
}

/// A stretch of an outline.
#[derive(Debug, Serialize, ToSchema)]
pub struct LayerStretch {
    /// Its swatch, from 0.
    swatch: u8,
    /// From where to where, seen from above, mm: x, y, x, y.
    #[schema(value_type = [f64; 4])]
    line: [f64; 4],
}

/// The outlines of a layer.
#[utoipa::path(
    get, path = "/api/v1/layers/{look}", params(("look" = u32, Path), LayerQuery),
    responses((status = 200, body = [LayerStretch]), (status = 404, body = ApiError))
)]
pub async fn layer_outlines(
    State(app): State<App>,
    Path(look): Path<u32>,
    Query(LayerQuery { layer }): Query<LayerQuery>,
) -> Result<Json<Vec<LayerStretch>>, ApiError> {
    let found = app.blocking(move |app| {
        let planned = app.prints.get(look).filter(|planned| layer < planned.counted.len());
        Ok(planned.map(|planned| planned.cut.drawn(layer, &slices(&planned.of_faces))))
    });
    let lines = found.await?.ok_or_else(cut_anew)?;
    Ok(Json(lines.into_iter().map(|(swatch, line)| LayerStretch { swatch, line }).collect()))
}

/// The most cells that a layer is shown in.
const MOST_SHOWN: f64 = 160_000.0;

/// A layer seen from above, as it is counted: five little-endian numbers of 32 bits (where the first cell begins
/// in x and y and how wide one is, mm, as floats; how many stand in a row, and how many rows), and a byte for
/// each cell by rows from the lowest y: a swatch, with 64 added where paint does not go so deep, or 255 outside.
#[utoipa::path(
    get, path = "/api/v1/layers/{look}/cells", params(("look" = u32, Path), LayerQuery),
    responses((status = 200, content_type = "application/octet-stream", body = String), (status = 404, body = ApiError))
)]
pub async fn layer_cells(
    State(app): State<App>,
    Path(look): Path<u32>,
    Query(LayerQuery { layer }): Query<LayerQuery>,
) -> Result<Response, ApiError> {
    let found = app.blocking(move |app| {
        let planned = app.prints.get(look);
        Ok(planned.and_then(|planned| {
            planned.cut.seen_from_above(layer, &slices(&planned.of_faces), MOST_SHOWN)
        }))
    });
    let map = found.await?.ok_or_else(cut_anew)?;
    let down = map.cells.len() / map.across.max(1);
    let mut bytes = Vec::with_capacity(20 + map.cells.len());
    for number in [map.least[0], map.least[1], map.side] {
        bytes.extend((number as f32).to_le_bytes());
    }
    for count in [map.across, down] {
        bytes.extend((count as u32).to_le_bytes());
    }
    bytes.extend(map.cells);
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
}

impl App {
    /// A print of a project that was cut as it is now.
    pub(super) async fn print_of(
        &self,
        project: ProjectId,
        look: u32,
    ) -> Result<Arc<Planned>, ApiError> {
        let planned = self.prints.get(look).filter(|planned| planned.project == project);
        let planned = planned.ok_or_else(cut_anew)?;
        match self.now(project).await?.revision == planned.revision {
            true => Ok(planned),
            false => Err(cut_anew()),
        }
    }
}

pub(super) fn cut_anew() -> ApiError {
    ApiError::new(axum::http::StatusCode::NOT_FOUND, "the layers were cut anew: ask again")
}
