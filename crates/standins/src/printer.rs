//! A filament printer with several spools: what is loaded, whether it is plugged in, and its jobs.
//!
//! Jobs take a minute each, whatever is printed: it is their states that are to be seen.

use std::{
    sync::{Arc, Mutex, MutexGuard, PoisonError},
    time::{Duration, Instant},
};

use axum::{
    Json, Router,
    body::Bytes,
    extract::{DefaultBodyLimit, Path, Query, State},
    http::StatusCode,
    routing::{delete, get, put},
};
use serde::{Deserialize, Serialize};

use crate::{answer::Refusal, package};

/// How long a job prints.
const MINUTE: Duration = Duration::from_secs(60);

/// The largest file that it takes.
const MOST_BYTES: usize = 1 << 30;

/// What every ZIP archive begins with, and so every 3MF package (APPNOTE.TXT 4.3.7; 3MF Core 1.3, 2.1).
const ZIP: [u8; 4] = [0x50, 0x4B, 0x03, 0x04];

/// A spool in the printer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Spool {
    /// Where it is loaded, from 1.
    pub slot: u8,
    /// What its maker calls it.
    pub name: String,
    /// Its color as #rrggbb, sRGB-encoded.
    pub color: String,
    /// What it is made of.
    pub material: String,
    /// What is left on it, g.
    pub left: f64,
}

/// How far a job is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JobState {
    /// Others come first.
    Queued,
    /// It prints.
    Printing,
    /// It lies on the plate.
    Done,
    /// It was taken back.
    Cancelled,
}

/// A job.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Job {
    /// Names it.
    pub id: u32,
    /// What it is called.
    pub name: String,
    /// How large its file is.
    pub bytes: usize,
    /// How far it is.
    pub state: JobState,
    /// How much of it is printed, 0–1.
    pub share: f64,
    /// What it covers of the plate: its least and its greatest corner, mm.
    pub covers: [[f64; 3]; 2],
}

/// What the printer tells of itself.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Told {
    /// What it is called.
    pub name: String,
    /// Whether it prints.
    pub busy: bool,
    /// What is loaded.
    pub spools: Vec<Spool>,
    /// Its jobs, the newest last.
    pub jobs: Vec<Job>,
    /// How wide and deep its plate is, and how high it reaches, mm.
    pub plate: [f64; 3],
}

/// How wide and deep the plate is, and how high it reaches, mm.
const PLATE: [f64; 3] = [220.0, 200.0, 240.0];

/// What can be done to it by hand.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Panel {
    /// Whether it is plugged in.
    pub plugged: Option<bool>,
    /// What is loaded from then on.
    pub spools: Option<Vec<Spool>>,
}

struct Kept {
    job: Job,
    /// When it began to print.
    begun: Option<Instant>,
}

struct Printer {
    plugged: bool,
    spools: Vec<Spool>,
    jobs: Vec<Kept>,
}

impl Printer {
    /// Brings jobs up to now: one prints, the next begins when it is done.
    fn catch_up(&mut self) {
        let mut is_free = true;
        for Kept { job, begun } in &mut self.jobs {
            if job.state == JobState::Printing {
                let since = begun.map_or(Duration::ZERO, |begun| begun.elapsed());
                job.share = (since.as_secs_f64() / MINUTE.as_secs_f64()).min(1.0);
                if job.share >= 1.0 {
                    job.state = JobState::Done;
                } else {
                    is_free = false;
                }
            } else if job.state == JobState::Queued && is_free {
                is_free = false;
                job.state = JobState::Printing;
                *begun = Some(Instant::now());
            }
        }
    }

    fn told(&self) -> Told {
        let jobs: Vec<Job> = self.jobs.iter().map(|kept| kept.job.clone()).collect();
        Told {
            name: "Harbour bench printer".to_owned(),
            busy: jobs.iter().any(|job| job.state == JobState::Printing),
            spools: self.spools.clone(),
            jobs,
            plate: PLATE,
        }
    }
}

#[derive(Clone)]
struct Shared(Arc<Mutex<Printer>>);

impl Shared {
    fn lock(&self) -> MutexGuard<'_, Printer> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The printer, where it is plugged in.
    fn plugged(&self) -> Result<MutexGuard<'_, Printer>, Refusal> {
        let mut printer = self.lock();
        if !printer.plugged {
            return Err(Refusal::new(StatusCode::SERVICE_UNAVAILABLE, "it is not plugged in"));
        }
        printer.catch_up();
        Ok(printer)
    }
}

/// What the demo's printer has loaded.
#[must_use]
pub fn usual_spools() -> Vec<Spool> {
    let spool = |slot, name: &str, color: &str, left| {
        let (name, color, material) = (name.to_owned(), color.to_owned(), "PLA".to_owned());
        Spool { slot, name, color, material, left }
    };
    vec![
        spool(1, "Bone white", "#ebe7db", 612.0),
        spool(2, "Brick", "#a93a2c", 340.0),
        spool(3, "Harbour blue", "#2b5a73", 905.0),
        spool(4, "Charcoal", "#2b2e34", 78.0),
    ]
}

/// The printer's service, with some spools loaded.
pub fn service(spools: Vec<Spool>) -> Router {
    let printer = Printer { plugged: true, spools, jobs: Vec::new() };
    Router::new()
        .route("/printer", get(tell))
        .route("/jobs", get(jobs).post(take))
        .route("/jobs/{id}", delete(cancel))
        .route("/panel", put(by_hand))
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .with_state(Shared(Arc::new(Mutex::new(printer))))
}

async fn tell(State(shared): State<Shared>) -> Result<Json<Told>, Refusal> {
    Ok(Json(shared.plugged()?.told()))
}

async fn jobs(State(shared): State<Shared>) -> Result<Json<Vec<Job>>, Refusal> {
    Ok(Json(shared.plugged()?.told().jobs))
}

#[derive(Deserialize)]
struct Named {
    name: String,
}

async fn take(
    State(shared): State<Shared>,
    Query(Named { name }): Query<Named>,
    body: Bytes,
) -> Result<Json<Job>, Refusal> {
    drop(shared.plugged()?);
    let refused = |why: &str| Refusal::new(StatusCode::UNPROCESSABLE_ENTITY, why);
    if !body.starts_with(&ZIP) {
        return Err(refused("it prints 3MF packages only"));
    }
    let covers = tokio::task::spawn_blocking(move || {
        package::opened(&body).map(|import| (package::bounds(&import), body.len()))
    });
    let (covers, bytes) = match covers.await {
        Ok(Ok(covered)) => covered,
        Ok(Err(why)) => return Err(refused(&why)),
        Err(_) => return Err(refused("the package cannot be read")),
    };
    // A line may lie as far beyond as numbers are rounded.
    let is_beyond = |i: usize| covers[0][i] < -0.01 || covers[1][i] > PLATE[i] + 0.01;
    if (0..3).any(is_beyond) {
        let [width, depth, height] = PLATE;
        return Err(refused(&format!(
            "it does not lie on the plate, which is {width} × {depth} mm and {height} mm high"
        )));
    }
    let mut printer = shared.plugged()?;
    let id = printer.jobs.len() as u32 + 1;
    let (state, share) = (JobState::Queued, 0.0);
    let job = Job { id, name, bytes, state, share, covers };
    printer.jobs.push(Kept { job, begun: None });
    printer.catch_up();
    Ok(Json(printer.jobs[id as usize - 1].job.clone()))
}

async fn cancel(State(shared): State<Shared>, Path(id): Path<u32>) -> Result<Json<Job>, Refusal> {
    let mut printer = shared.plugged()?;
    let kept = printer.jobs.iter_mut().find(|kept| kept.job.id == id);
    let kept = kept.ok_or_else(|| Refusal::new(StatusCode::NOT_FOUND, "there is no such job"))?;
    if kept.job.state == JobState::Done {
        return Err(Refusal::new(StatusCode::CONFLICT, "it is printed already"));
    }
    kept.job.state = JobState::Cancelled;
    let job = kept.job.clone();
    printer.catch_up();
    Ok(Json(job))
}

async fn by_hand(State(shared): State<Shared>, Json(panel): Json<Panel>) -> StatusCode {
    let mut printer = shared.lock();
    printer.plugged = panel.plugged.unwrap_or(printer.plugged);
    if let Some(spools) = panel.spools {
        printer.spools = spools;
    }
    StatusCode::NO_CONTENT
}
