//! What a printer with several spools would do with a project: layers, swatches, changes.

use std::sync::Arc;

use axum::{
    Json,
    extract::{Path, Query, State},
    http::HeaderMap,
};
use glam::Affine3A;
use serde::{Deserialize, Serialize};
use speckle_color::{Rgba, byte_from_unit};
use speckle_mesh::{Unit, UpAxis};
use speckle_model::Part;
use speckle_store::ProjectId;
use speckle_tools::{
    layers::{Body, Counted, Inside, Plan, Rules, count, drawn, height_of, scale, to_plate},
    separation::{MOST_SPOOLS, separate},
};
use utoipa::{IntoParams, ToSchema};

use crate::{App, body::Said, error::ApiError, session::command::Now};

/// How a project is cut into layers.
#[derive(Clone, Debug, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LayersOrder {
    /// In millimetres.
    rules: Rules,
    /// How many swatches at most: those of the palette, or of the colors.
    most: u8,
    /// What lies further within than paint goes.
    #[serde(default)]
    inside: Inside,
    /// How high the print is, mm. Left out: as high as the model where a printer could hold that, else 120.
    height: Option<f64>,
}

/// How high prints are, mm, of which nothing is said: a printer on a table holds them.
const HEIGHTS: std::ops::RangeInclusive<f64> = 5.0..=400.0;
const USUAL_HEIGHT: f64 = 120.0;

/// A swatch of a print.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct LayerSwatch {
    /// What it is called.
    name: String,
    /// Its color, sRGB-encoded, as #rrggbb.
    color: String,
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
    /// How often the spool changes where paint goes right through.
    changes_through: usize,
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
    project: ProjectId,
    revision: i64,
    rules: Rules,
    most: u8,
    /// As it was asked for.
    height: Option<f64>,
    /// How much larger than the model it is, and how high.
    scale: f64,
    stands: f64,
    counted: Counted,
    parts: Vec<Part>,
    of_faces: Vec<Vec<u8>>,
    swatches: Vec<(String, Rgba)>,
    traits: (Unit, UpAxis),
}

impl Planned {
    fn bodies(&self) -> Vec<Body<'_>> {
        let (unit, up) = self.traits;
        let mut bodies = bodies(&self.parts, &self.of_faces, to_plate(unit, up));
        scale(&mut bodies, self.scale);
        bodies
    }

    fn told(&self, inside: Inside, look: u32) -> LayersTold {
        let plan = self.counted.plan(inside);
        let volumes = plan.volumes();
        let swatches = self.swatches.iter().enumerate().map(|(i, (name, color))| {
            let [r, g, b, _] = color.map(byte_from_unit);
            let own = volumes.iter().find(|(swatch, _)| usize::from(*swatch) == i);
            LayerSwatch {
                name: name.clone(),
                color: format!("#{r:02x}{g:02x}{b:02x}"),
                volume: own.map_or(0.0, |(_, volume)| *volume),
                changes_within: self.counted.plan(Inside::Swatch { swatch: i as u8 }).changes,
            }
        });
        let per_mm = 1e-3 / self.traits.0.metres() / self.scale;
        LayersTold {
            look,
            swatches: swatches.collect(),
            height: self.stands,
            scale: self.scale,
            changes_through: self.counted.plan(Inside::Nearest).changes,
            plate: [self.counted.lowest() * per_mm, per_mm],
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
    let now = app.now(project).await?;
    let is_it = |planned: &Arc<Planned>| {
        (planned.project, planned.revision, planned.most) == (project, now.revision, order.most)
            && (planned.rules, planned.height) == (order.rules, order.height)
    };
    let planned = match app.prints.take(is_it) {
        Some(planned) => planned,
        None => {
            let (watch, give_up) = app.works.watch(&headers);
            let asked = order.clone();
            let done = app.aside(move |_| Ok(cut(project, now, &asked, &watch)));
            let done = done.await?;
            drop(give_up);
            Arc::new(done.map_err(ApiError::bad_request)?)
        }
    };
    if let Inside::Swatch { swatch } = order.inside
        && usize::from(swatch) >= planned.swatches.len()
    {
        return Err(ApiError::bad_request("the swatch that lies within is gone: choose another"));
    }
    let inside = order.inside;
    let told = app.blocking(move |app| {
        let mut told = planned.told(inside, 0);
        told.look = app.prints.keep_a_while(planned);
        Ok(told)
    });
    Ok(Json(told.await?))
}

fn cut(
    project: ProjectId,
    now: Now,
    order: &LayersOrder,
    watch: &speckle_tools::bake::watch::Watch,
) -> Result<Planned, String> {
    let LayersOrder { rules, most, height, .. } = *order;
    let parts: Vec<Part> = now.parts.into_iter().filter(|part| part.traits.visible).collect();
    let separated = separate(&parts, &now.swatches, most);
    let traits = (now.traits.unit, now.traits.up);
    let mut bodies = bodies(&parts, &separated.of_faces, to_plate(traits.0, traits.1));
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
    let counted = count(&bodies, &rules, watch).map_err(|error| error.to_string())?;
    drop(bodies);
    let swatches = separated.swatches.iter().map(|swatch| {
        let [r, g, b] = swatch.color;
        (swatch.name.clone(), [r, g, b, 1.0])
    });
    let swatches = swatches.collect();
    let of_faces = separated.of_faces;
    Ok(Planned {
        project,
        revision: now.revision,
        rules,
        most,
        height,
        scale: by,
        stands,
        counted,
        parts,
        of_faces,
        swatches,
        traits,
    })
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
        Ok(planned.map(|planned| drawn(&planned.bodies(), planned.counted.cut_at(layer))))
    });
    let lines = found.await?.ok_or_else(|| {
        ApiError::new(axum::http::StatusCode::NOT_FOUND, "the layers were cut anew: ask again")
    })?;
    Ok(Json(lines.into_iter().map(|(swatch, line)| LayerStretch { swatch, line }).collect()))
}
