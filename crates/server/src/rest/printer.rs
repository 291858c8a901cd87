//! The printer: what it has loaded, which of that serves the palette, and prints sent to it.

use axum::{
    Json,
    body::Bytes,
    extract::{Path, State},
};
use hyper::Method;
use serde::{Deserialize, Serialize};
use speckle_formats::{Format, recipient::Recipient};
use speckle_model::swatches;
use speckle_store::ProjectId;
use speckle_tools::{
    layers::Plate,
    spools::{LoadedSpool, SpoolMatch, matched},
};
use utoipa::ToSchema;

use super::layers::cut_anew;

use crate::{
    App,
    body::Said,
    error::ApiError,
    outside::{NoAnswer, Outside},
};

/// How the printer tells of a spool.
#[derive(Deserialize)]
struct Spool {
    slot: u8,
    name: String,
    color: String,
    material: String,
    left: f64,
}

/// How far a job of the printer is.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PrintState {
    /// Others come first.
    Queued,
    /// It prints.
    Printing,
    /// It lies on the plate.
    Done,
    /// It was taken back.
    Cancelled,
}

/// A job of the printer.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct PrintJob {
    /// Names it.
    id: u32,
    /// What it is called.
    name: String,
    /// How far it is.
    state: PrintState,
    /// How much of it is printed, 0–1.
    share: f64,
    /// What it covers of the plate: its least and its greatest corner, mm.
    covers: [[f64; 3]; 2],
}

#[derive(Deserialize)]
struct Told {
    name: String,
    busy: bool,
    spools: Vec<Spool>,
    jobs: Vec<PrintJob>,
    plate: [f64; 3],
}

/// What is known of the printer.
#[derive(Clone, Debug, Default, Serialize, ToSchema)]
pub struct PrinterTold {
    /// Whether the server was told of one.
    is_there: bool,
    /// Why it cannot be asked.
    trouble: Option<String>,
    /// What it is called.
    name: String,
    /// Whether it prints.
    busy: bool,
    /// What is loaded.
    spools: Vec<LoadedSpool>,
    /// Its jobs, the newest last.
    jobs: Vec<PrintJob>,
    /// How wide and deep its plate is, and how high it reaches, mm.
    plate: Option<[f64; 3]>,
}

/// The spools that serve a palette.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PaletteMatch {
    /// What is loaded.
    spools: Vec<LoadedSpool>,
    /// For each swatch that faces can be painted in, its number and its spool.
    swatches: Vec<SwatchMatch>,
}

/// The spool that serves a swatch.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SwatchMatch {
    /// The swatch's number.
    number: u8,
    /// Its spool.
    #[serde(flatten)]
    spool: SpoolMatch,
}

impl From<NoAnswer> for ApiError {
    fn from(error: NoAnswer) -> Self {
        Self::bad_request(error.to_string())
    }
}

/// The plate of a printer that does not tell.
const USUAL: [f64; 3] = [200.0, 200.0, 200.0];

fn printer(app: &App) -> Result<&Outside, ApiError> {
    app.printer.as_ref().ok_or_else(|| {
        ApiError::bad_request("no printer is set up: start the server with --printer ADDRESS")
    })
}

async fn told(printer: &Outside) -> Result<PrinterTold, NoAnswer> {
    let Told { name, busy, spools, jobs, plate } = printer.get("/printer").await?;
    let spools = spools.into_iter().filter_map(|spool| {
        let Spool { slot, name, color, material, left } = spool;
        Some(LoadedSpool { slot, name, color: swatches::from_hex(&color)?, material, left })
    });
    let spools = spools.collect();
    let plate = Some(plate);
    Ok(PrinterTold { is_there: true, trouble: None, name, busy, spools, jobs, plate })
}

/// The spools that are loaded; none where the printer does not answer.
pub(super) async fn loaded(printer: &Outside) -> Option<Vec<LoadedSpool>> {
    told(printer).await.ok().map(|told| told.spools)
}

/// What is known of the printer; that it cannot be asked is known too.
#[utoipa::path(get, path = "/api/v1/printer", responses((status = 200, body = PrinterTold)))]
pub async fn printer_now(State(app): State<App>) -> Json<PrinterTold> {
    let Some(printer) = &app.printer else { return Json(PrinterTold::default()) };
    Json(told(printer).await.unwrap_or_else(|error| PrinterTold {
        is_there: true,
        trouble: Some(error.to_string()),
        ..PrinterTold::default()
    }))
}

/// Which of the loaded spools serve a project's palette.
#[utoipa::path(
    get, path = "/api/v1/projects/{project}/spools", params(("project" = i64, Path)),
    responses((status = 200, body = PaletteMatch), (status = 422, body = ApiError))
)]
pub async fn match_spools(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
) -> Result<Json<PaletteMatch>, ApiError> {
    let spools = told(printer(&app)?).await?.spools;
    let palette = app.now(project).await?.swatches;
    let palette = swatches::numbered(&palette, palette.clone());
    let palette: Vec<_> = palette.into_iter().filter(|swatch| swatch.number > 0).collect();
    let colors: Vec<[f32; 3]> = palette.iter().map(|swatch| swatch.color).collect();
    let found = palette.iter().zip(matched(&colors, &spools));
    let swatches = found.map(|(own, spool)| SwatchMatch { number: own.number, spool }).collect();
    Ok(Json(PaletteMatch { spools, swatches }))
}

/// Sends a print that was cut to the printer, as large as it was cut: to where it stands on the plate, else into
/// the middle of the printer's.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/layers/{look}/print",
    params(("project" = i64, Path), ("look" = u32, Path)), request_body = Option<Plate>,
    responses((status = 200, body = PrintJob), (status = 404, body = ApiError), (status = 422, body = ApiError))
)]
pub async fn print(
    State(app): State<App>,
    Path((project, look)): Path<(ProjectId, u32)>,
    Said(plate): Said<Option<Plate>>,
) -> Result<Json<PrintJob>, ApiError> {
    let planned = app.prints.get(look).filter(|planned| planned.project == project);
    let planned = planned.ok_or_else(cut_anew)?;
    let printer = printer(&app)?.clone();
    let recipient = Recipient {
        name: "Printer".to_owned(),
        format: Format::ThreeMf,
        spools: planned.swatches.len().clamp(1, 64) as u8,
        scale: planned.scale,
        materials: false,
        visible_only: true,
        ..Recipient::default()
    };
    let plate = match plate {
        Some(plate) => plate,
        None => {
            Plate { size: told(&printer).await?.plate.unwrap_or(USUAL), at: [0.0; 2], turn: 0.0 }
        }
    };
    let mut now = app.now(project).await?;
    let now = app.aside(move |_| Ok(planned.put_on(&plate, &mut now.parts).map(|()| now)));
    let now = now.await?.map_err(ApiError::bad_request)?;
    let (now, packed) = app.pack(now, recipient, project).await?;
    let file = packed.into_files().into_iter().next();
    let file = file.ok_or_else(|| ApiError::bad_request("there is nothing to print"))?;
    let name = percent_encoding::utf8_percent_encode(&now.name, percent_encoding::NON_ALPHANUMERIC);
    let path = format!("/jobs?name={name}");
    Ok(Json(printer.ask(Method::POST, &path, Bytes::from(file.bytes)).await?))
}

/// Takes a job back.
#[utoipa::path(
    delete, path = "/api/v1/printer/jobs/{job}", params(("job" = u32, Path)),
    responses((status = 200, body = PrintJob), (status = 422, body = ApiError))
)]
pub async fn cancel_print(
    State(app): State<App>,
    Path(job): Path<u32>,
) -> Result<Json<PrintJob>, ApiError> {
    let path = format!("/jobs/{job}");
    Ok(Json(printer(&app)?.ask(Method::DELETE, &path, Bytes::new()).await?))
}
