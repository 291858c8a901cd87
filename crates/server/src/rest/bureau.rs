//! Full-color prints: what is looked at before, what the print bureau asks for them, and orders.

use axum::{
    Json,
    body::Bytes,
    extract::{Path, State},
    http::HeaderMap,
};
use hyper::Method;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use serde::{Deserialize, Serialize};
use speckle_formats::{Format, recipient::Recipient};
use speckle_model::{Part, PartId};
use speckle_store::ProjectId;
use speckle_tools::solid::{SolidTold, Wanted, measured};
use utoipa::ToSchema;

use crate::{App, body::Said, error::ApiError, outside::Outside, session::command::Now};

/// What the bureau prints in.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct BureauMaterial {
    /// Names it.
    key: String,
    /// What it is called.
    name: String,
    /// Whether it carries color.
    colored: bool,
    /// For each cm³ of the body, and of the box around it.
    per_cm3: f64,
    /// Likewise.
    per_box_cm3: f64,
    /// No body costs less.
    minimum: f64,
    /// The thinnest wall, mm.
    wall: f64,
    /// How wide the way out of a hollow is at least, mm; 0 where nothing is left in it.
    drain: f64,
    /// The largest body, mm, in any position.
    most: [f64; 3],
    /// The smallest, mm.
    least: f64,
}

/// How far an order is.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BureauState {
    /// It was taken.
    Taken,
    /// It is being printed.
    Printing,
    /// It is on its way.
    Shipped,
    /// It was taken back.
    Cancelled,
}

/// What the bureau read from the file of an order.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct BureauRead {
    /// How many bodies.
    bodies: usize,
    /// How many triangles.
    triangles: usize,
    /// Whether there is any color in it.
    colored: bool,
    /// cm³.
    volume: f64,
    /// mm.
    size: [f64; 3],
}

/// An order.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct BureauOrder {
    /// Names it.
    id: u32,
    /// What it is called.
    name: String,
    /// The key of its material.
    material: String,
    /// How many.
    quantity: u32,
    /// What it costs.
    price: f64,
    /// How far it is.
    state: BureauState,
    /// What was read.
    read: BureauRead,
}

/// What is known of the bureau.
#[derive(Clone, Debug, Default, Serialize, ToSchema)]
pub struct BureauTold {
    /// Whether the server was told of one.
    is_there: bool,
    /// Why it cannot be asked.
    trouble: Option<String>,
    /// What it prints in.
    materials: Vec<BureauMaterial>,
    /// What was ordered, the newest last.
    orders: Vec<BureauOrder>,
}

/// A part to be printed.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct QuoteItem {
    /// The part.
    part: u32,
    /// The key of a material.
    material: String,
    /// How many.
    quantity: u32,
}

/// What is to be priced.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct QuoteOrder {
    /// Each part with its material.
    items: Vec<QuoteItem>,
    /// How much larger than the model it is printed.
    scale: f64,
    /// The thinnest wall that is wanted, mm.
    wall: f64,
    /// How wide a way out of every hollow is wanted, mm; 0 for none.
    #[serde(default)]
    drain: f64,
}

/// What a part is as a body, and what it costs.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct QuotedItem {
    /// The part.
    part: u32,
    /// What was looked at.
    checks: SolidTold,
    /// One of them; 0 where it is refused.
    each: f64,
    /// All of them.
    price: f64,
    /// Why it cannot be printed.
    refusal: Option<String>,
}

/// What some parts cost.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct QuoteTold {
    /// In the order they were asked for.
    items: Vec<QuotedItem>,
    /// All that are not refused.
    total: f64,
    /// What prices are in.
    currency: String,
}

#[derive(Serialize)]
struct Item<'a> {
    name: &'a str,
    material: &'a str,
    quantity: u32,
    volume: f64,
    size: [f64; 3],
    thinnest: Option<f64>,
}

#[derive(Deserialize)]
struct Priced {
    each: f64,
    price: f64,
    refusal: Option<String>,
}

#[derive(Deserialize)]
struct Quote {
    items: Vec<Priced>,
    total: f64,
    currency: String,
}

fn bureau(app: &App) -> Result<Outside, ApiError> {
    app.bureau.clone().ok_or_else(|| {
        ApiError::bad_request("no print bureau is set up: start the server with --bureau ADDRESS")
    })
}

/// What is known of the print bureau; that it cannot be asked is known too.
#[utoipa::path(get, path = "/api/v1/bureau", responses((status = 200, body = BureauTold)))]
pub async fn bureau_now(State(app): State<App>) -> Json<BureauTold> {
    let Some(bureau) = &app.bureau else { return Json(BureauTold::default()) };
    let asked = async {
        let (materials, orders) = (bureau.get("/materials").await?, bureau.get("/orders").await?);
        Ok::<_, crate::outside::NoAnswer>(BureauTold {
            is_there: true,
            trouble: None,
            materials,
            orders,
        })
    };
    Json(asked.await.unwrap_or_else(|error| BureauTold {
        is_there: true,
        trouble: Some(error.to_string()),
        ..BureauTold::default()
    }))
}

/// Looks at parts as bodies to be printed.
async fn checked(
    app: &App,
    project: ProjectId,
    headers: &HeaderMap,
    order: &QuoteOrder,
) -> Result<(Now, Vec<SolidTold>), ApiError> {
    if !(order.scale > 0.0 && order.scale.is_finite()) {
        return Err(ApiError::bad_request("a print is larger than nothing"));
    }
    let now = app.now(project).await?;
    let part_of =
        |item: &QuoteItem| now.parts.iter().find(|part| part.id == PartId(item.part)).cloned();
    let parts: Option<Vec<Part>> = order.items.iter().map(part_of).collect();
    let parts = parts.ok_or_else(|| ApiError::bad_request("a part is gone: choose anew"))?;
    let mm = now.traits.unit.metres() * 1e3 * order.scale;
    let wanted = Wanted { wall: order.wall, drain: order.drain };
    let (watch, give_up) = app.works.watch(headers);
    let done = app.aside(move |_| {
        let measured = parts.iter().map(|part| {
            let told = measured(part, mm, &wanted, &watch).map_err(|error| error.to_string())?;
            told.map_err(|_| "it was given up".to_owned())
        });
        Ok(measured.collect::<Result<Vec<SolidTold>, String>>())
    });
    let checks = done.await?.map_err(ApiError::bad_request)?;
    drop(give_up);
    Ok((now, checks))
}

/// Looks at parts as bodies to be printed, and asks the bureau for its prices.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/quote", params(("project" = i64, Path)),
    request_body = QuoteOrder,
    responses((status = 200, body = QuoteTold), (status = 422, body = ApiError))
)]
pub async fn quote(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Said(order): Said<QuoteOrder>,
) -> Result<Json<QuoteTold>, ApiError> {
    let bureau = bureau(&app)?;
    let (now, checks) = checked(&app, project, &headers, &order).await?;
    let name = |id: u32| {
        let part = now.parts.iter().find(|part| part.id == PartId(id));
        part.map_or("", |part| part.traits.name.as_str())
    };
    let items: Vec<Item> = order
        .items
        .iter()
        .zip(&checks)
        .map(|(item, checks)| Item {
            name: name(item.part),
            material: &item.material,
            quantity: item.quantity,
            volume: checks.volume / 1e3,
            size: checks.size,
            thinnest: checks.thinnest,
        })
        .collect();
    let body = serde_json::to_vec(&items).unwrap_or_default();
    let Quote { items: priced, total, currency } =
        bureau.ask(Method::POST, "/quotes", Bytes::from(body)).await?;
    let items = order.items.iter().zip(checks).zip(priced).map(|((item, checks), priced)| {
        let Priced { each, price, refusal } = priced;
        QuotedItem { part: item.part, checks, each, price, refusal }
    });
    Ok(Json(QuoteTold { items: items.collect(), total, currency }))
}

/// Orders parts, each as a file of its own.
#[utoipa::path(
    post, path = "/api/v1/projects/{project}/orders", params(("project" = i64, Path)),
    request_body = QuoteOrder,
    responses((status = 200, body = [BureauOrder]), (status = 422, body = ApiError))
)]
pub async fn order(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    headers: HeaderMap,
    Said(order): Said<QuoteOrder>,
) -> Result<Json<Vec<BureauOrder>>, ApiError> {
    let bureau = bureau(&app)?;
    let (_, checks) = checked(&app, project, &headers, &order).await?;
    let mut taken = Vec::new();
    for (QuoteItem { part, material, quantity }, checks) in order.items.iter().zip(checks) {
        let mut now = app.now(project).await?;
        now.parts.retain(|own| own.id == PartId(*part));
        let Some(own) = now.parts.first() else {
            return Err(ApiError::bad_request("a part is gone: choose anew"));
        };
        let name = utf8_percent_encode(&own.traits.name, NON_ALPHANUMERIC).to_string();
        let recipient = Recipient {
            name: "Bureau".to_owned(),
            format: Format::ThreeMf,
            scale: order.scale,
            materials: false,
            visible_only: false,
            ..Recipient::default()
        };
        let (_, packed) = app.pack(now, recipient, project).await?;
        let file = packed.into_files().into_iter().next();
        let file = file.ok_or_else(|| ApiError::bad_request("there is nothing to print"))?;
        let material = utf8_percent_encode(material, NON_ALPHANUMERIC);
        let thinnest = checks.thinnest.map_or_else(String::new, |wall| format!("&thinnest={wall}"));
        let path = format!("/orders?name={name}&material={material}&quantity={quantity}{thinnest}");
        taken.push(bureau.ask(Method::POST, &path, Bytes::from(file.bytes)).await?);
    }
    Ok(Json(taken))
}

/// Takes an order back.
#[utoipa::path(
    delete, path = "/api/v1/bureau/orders/{order}", params(("order" = u32, Path)),
    responses((status = 200, body = BureauOrder), (status = 422, body = ApiError))
)]
pub async fn cancel_order(
    State(app): State<App>,
    Path(order): Path<u32>,
) -> Result<Json<BureauOrder>, ApiError> {
    let path = format!("/orders/{order}");
    Ok(Json(bureau(&app)?.ask(Method::DELETE, &path, Bytes::new()).await?))
}
