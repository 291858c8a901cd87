//! A print bureau: what it prints in, what that costs, and orders on their way.
//!
//! An order is the real file: the bureau reads it, says what it found, and refuses what it cannot print. It
//! ships a minute after it took an order.

use std::{
    sync::{Arc, Mutex, MutexGuard, PoisonError},
    time::{Duration, Instant},
};

use axum::{
    Json, Router,
    body::Bytes,
    extract::{DefaultBodyLimit, Path, Query, State},
    http::StatusCode,
    routing::{delete, get, post},
};
use serde::{Deserialize, Serialize};
use speckle_mesh::Geometry;
use speckle_model::NewPart;

use crate::{answer::Refusal, package};

/// How long each state of an order lasts.
const STAGE: Duration = Duration::from_secs(20);

/// The largest file that it takes.
const MOST_BYTES: usize = 256 << 20;

/// What it prints in.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Material {
    /// Names it.
    pub key: String,
    /// What it is called.
    pub name: String,
    /// Whether it carries color.
    pub colored: bool,
    /// For each cm³ of the body, and of the box around it.
    pub per_cm3: f64,
    /// Likewise.
    pub per_box_cm3: f64,
    /// No body costs less.
    pub minimum: f64,
    /// The thinnest wall, mm.
    pub wall: f64,
    /// How wide the way out of a hollow is at least, mm; 0 where nothing is left in it.
    pub drain: f64,
    /// The largest body, mm, in any position.
    pub most: [f64; 3],
    /// The smallest, mm.
    pub least: f64,
}

/// A body to be priced.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Item {
    /// What it is called.
    pub name: String,
    /// The key of a material.
    pub material: String,
    /// How many.
    pub quantity: u32,
    /// cm³.
    pub volume: f64,
    /// mm.
    pub size: [f64; 3],
    /// mm; left out where nothing lies opposite.
    pub thinnest: Option<f64>,
}

/// What a body costs.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Priced {
    /// One of them; nothing where it is refused.
    pub each: f64,
    /// All of them.
    pub price: f64,
    /// Why it cannot be printed.
    pub refusal: Option<String>,
}

/// What some bodies cost.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Quote {
    /// In the order they were asked for.
    pub items: Vec<Priced>,
    /// All that are not refused.
    pub total: f64,
    /// What prices are in.
    pub currency: String,
}

/// How far an order is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum OrderState {
    /// It was taken.
    Taken,
    /// It is being printed.
    Printing,
    /// It is on its way.
    Shipped,
    /// It was taken back.
    Cancelled,
}

/// What the bureau read from a file.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Read {
    /// How many bodies.
    pub bodies: usize,
    /// How many triangles.
    pub triangles: usize,
    /// Whether there is any color in it.
    pub colored: bool,
    /// cm³.
    pub volume: f64,
    /// mm.
    pub size: [f64; 3],
}

/// An order.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Order {
    /// Names it.
    pub id: u32,
    /// What it is called.
    pub name: String,
    /// The key of its material.
    pub material: String,
    /// How many.
    pub quantity: u32,
    /// What it costs.
    pub price: f64,
    /// How far it is.
    pub state: OrderState,
    /// What was read.
    pub read: Read,
}

/// What it prints in.
#[must_use]
pub fn materials() -> Vec<Material> {
    vec![
        Material {
            key: "full_color_stone".to_owned(),
            name: "Full-color stone".to_owned(),
            colored: true,
            per_cm3: 1.1,
            per_box_cm3: 0.04,
            minimum: 9.0,
            wall: 2.0,
            drain: 3.5,
            most: [250.0, 200.0, 150.0],
            least: 5.0,
        },
        Material {
            key: "full_color_resin".to_owned(),
            name: "Full-color resin".to_owned(),
            colored: true,
            per_cm3: 3.4,
            per_box_cm3: 0.0,
            minimum: 15.0,
            wall: 1.0,
            drain: 2.5,
            most: [190.0, 190.0, 120.0],
            least: 2.0,
        },
        Material {
            key: "white_powder".to_owned(),
            name: "White powder".to_owned(),
            colored: false,
            per_cm3: 0.5,
            per_box_cm3: 0.02,
            minimum: 4.0,
            wall: 0.8,
            drain: 2.0,
            most: [330.0, 330.0, 400.0],
            least: 3.0,
        },
    ]
}

/// What an item costs, or why it is refused.
#[must_use]
pub fn priced(item: &Item) -> Priced {
    let refused = |why: String| Priced { each: 0.0, price: 0.0, refusal: Some(why) };
    let all = materials();
    let Some(material) = all.iter().find(|material| material.key == item.material) else {
        return refused(format!("there is no material {}", item.material));
    };
    let sorted = |mut sizes: [f64; 3]| {
        sizes.sort_by(f64::total_cmp);
        sizes
    };
    let (size, most) = (sorted(item.size), sorted(material.most));
    let [_, _, longest] = size;
    if (0..3).any(|i| size[i] > most[i]) {
        let [a, b, c] = material.most;
        return refused(format!(
            "it is too large: {a} × {b} × {c} mm are the most in {}",
            material.name
        ));
    }
    if longest < material.least {
        return refused(format!(
            "it is too small: {} mm are the least in {}",
            material.least, material.name
        ));
    }
    if item.volume <= 0.0 {
        return refused("it encloses nothing".to_owned());
    }
    if let Some(thinnest) = item.thinnest.filter(|thinnest| *thinnest < material.wall) {
        return refused(format!(
            "its walls are down to {thinnest:.2} mm, and {} mm are the least in {}",
            material.wall, material.name
        ));
    }
    if !(1..=1000).contains(&item.quantity) {
        return refused("between 1 and 1000 are printed at once".to_owned());
    }
    let boxed = item.size.iter().product::<f64>() / 1e3;
    let each =
        (item.volume * material.per_cm3 + boxed * material.per_box_cm3).max(material.minimum);
    let each = (each * 100.0).round() / 100.0;
    Priced { each, price: each * f64::from(item.quantity), refusal: None }
}

struct Kept {
    order: Order,
    taken: Instant,
}

#[derive(Clone, Default)]
struct Shared(Arc<Mutex<Vec<Kept>>>);

impl Shared {
    fn orders(&self) -> MutexGuard<'_, Vec<Kept>> {
        let mut orders = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        for Kept { order, taken } in orders.iter_mut() {
            if order.state != OrderState::Cancelled {
                order.state = match taken.elapsed().as_secs() / STAGE.as_secs() {
                    0 => OrderState::Taken,
                    1 | 2 => OrderState::Printing,
                    _ => OrderState::Shipped,
                };
            }
        }
        orders
    }
}

/// The bureau's service.
pub fn service() -> Router {
    Router::new()
        .route("/materials", get(async || Json(materials())))
        .route("/quotes", post(quote))
        .route("/orders", get(orders).post(take))
        .route("/orders/{id}", delete(cancel))
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .with_state(Shared::default())
}

async fn quote(body: Bytes) -> Result<Json<Quote>, Refusal> {
    let items: Vec<Item> = serde_json::from_slice(&body)
        .map_err(|error| Refusal::new(StatusCode::UNPROCESSABLE_ENTITY, error.to_string()))?;
    let items: Vec<Priced> = items.iter().map(priced).collect();
    let total = items.iter().map(|item| item.price).sum();
    Ok(Json(Quote { items, total, currency: "EUR".to_owned() }))
}

async fn orders(State(shared): State<Shared>) -> Json<Vec<Order>> {
    Json(shared.orders().iter().map(|kept| kept.order.clone()).collect())
}

#[derive(Deserialize)]
struct Wanted {
    name: String,
    material: String,
    quantity: u32,
    /// As whoever orders measured it; walls are not looked at twice.
    thinnest: Option<f64>,
}

async fn take(
    State(shared): State<Shared>,
    Query(wanted): Query<Wanted>,
    body: Bytes,
) -> Result<Json<Order>, Refusal> {
    let unread = |why: String| Refusal::new(StatusCode::UNPROCESSABLE_ENTITY, why);
    let done = tokio::task::spawn_blocking(move || read(&body)).await;
    let read = done.map_err(|_| unread("the file cannot be read".to_owned()))?.map_err(unread)?;
    let Wanted { name, material, quantity, thinnest } = wanted;
    let item = Item {
        name: name.clone(),
        material: material.clone(),
        quantity,
        volume: read.volume,
        size: read.size,
        thinnest,
    };
    let Priced { price, refusal, .. } = priced(&item);
    if let Some(refusal) = refusal {
        return Err(unread(refusal));
    }
    let mut orders = shared.orders();
    let id = orders.len() as u32 + 1;
    let state = OrderState::Taken;
    let order = Order { id, name, material, quantity, price, state, read };
    orders.push(Kept { order: order.clone(), taken: Instant::now() });
    Ok(Json(order))
}

async fn cancel(State(shared): State<Shared>, Path(id): Path<u32>) -> Result<Json<Order>, Refusal> {
    let mut orders = shared.orders();
    let kept = orders.iter_mut().find(|kept| kept.order.id == id);
    let kept = kept.ok_or_else(|| Refusal::new(StatusCode::NOT_FOUND, "there is no such order"))?;
    if kept.order.state == OrderState::Shipped {
        return Err(Refusal::new(StatusCode::CONFLICT, "it is on its way already"));
    }
    kept.order.state = OrderState::Cancelled;
    Ok(Json(kept.order.clone()))
}

/// What is in the package of an order.
fn read(bytes: &[u8]) -> Result<Read, String> {
    let import = package::opened(bytes)?;
    let mm = import.traits.unit.metres() * 1e3;
    let [low, high] = package::bounds(&import);
    let (mut triangles, mut volume, mut colored) = (0, 0.0, false);
    for NewPart { name, mesh, sets, materials, .. } in &import.parts {
        let geometry = Geometry::new(mesh.clone());
        if !geometry.topology().is_watertight() {
            return Err(format!("{name} is not closed: it cannot be printed"));
        }
        for corners in geometry.triangulation().corners() {
            let [a, b, c] = corners.map(|corner| mesh.corner_position(corner as usize).as_dvec3());
            volume += a.dot(b.cross(c)) / 6.0;
        }
        triangles += geometry.triangulation().corners().len();
        colored |= !sets.is_empty() || !materials.list.is_empty();
    }
    let size = std::array::from_fn(|axis| high[axis] - low[axis]);
    let bodies = import.parts.len();
    Ok(Read { bodies, triangles, colored, volume: volume * mm * mm * mm / 1e3, size })
}
