//! The app's server: REST under `/api/v1`, a live socket per project, and the front end.

mod aside;
mod body;
mod error;
pub mod facts;
mod guard;
mod keeper;
mod kitchen;
mod live;
mod outbox;
mod outside;
pub mod reader;
pub mod report;
mod rest;
mod serve;
mod session;
mod sessions;
pub mod standing;
mod tasted;
mod web;
pub mod wire;

use std::{
    sync::{Arc, Mutex, mpsc::Sender},
    time::Duration,
};

use axum::{Router, extract::DefaultBodyLimit, http::StatusCode, middleware, routing::any};
use session::command::Command;
use sessions::Sessions;
use speckle_demo::Detail;
use speckle_formats::Limits;
use speckle_store::{ProjectId, Store, StoreError};
use tokio::net::TcpListener;
use tokio_util::task::TaskTracker;
use tower_http::{timeout::RequestBodyTimeoutLayer, trace::TraceLayer};
use utoipa::OpenApi;
use utoipa_axum::{router::OpenApiRouter, routes};

use aside::{Pool, in_pool};
use error::ApiError;
use outside::Outside;
use reader::ReaderProgram;
pub use rest::looked::Looked;
use rest::{
    alignment, bureau, checks,
    deliver::{self, recipients},
    history, layers, looks, paints, plate, printer, project, recipes, reform, remedies,
    replacement, seams, shelf, swatches, transfer, uvs, volumes, works,
};
use standing::Standing;

/// How to serve.
#[derive(Clone, Debug)]
pub struct Config {
    /// Names beside `localhost`, `127.0.0.1` and `[::1]` under which the server may be reached.
    pub allowed_hosts: Vec<String>,
    /// The most bytes an imported file may have.
    pub most_upload: usize,
    /// How large a file may be inside.
    pub limits: Limits,
    /// Which program reads files that come in, in a process of its own; without one they are read
    /// in this.
    pub reader: Option<ReaderProgram>,
    /// Where a printer is reached, as `http://host:port`.
    pub printer: Option<String>,
    /// Where a print bureau is reached, likewise.
    pub bureau: Option<String>,
    /// The folder that is kept up to date for recipients that want that.
    pub into: Option<std::path::PathBuf>,
    /// How finely a demo piece is cut for who does not ask for a dense one.
    pub detail: Detail,
}

impl Default for Config {
    fn default() -> Self {
        Self {
            allowed_hosts: Vec::new(),
            most_upload: 4 << 30,
            limits: Limits::default(),
            reader: None,
            printer: None,
            bureau: None,
            into: None,
            detail: Detail::default(),
        }
    }
}

/// What every handler shares.
#[derive(Clone)]
struct App {
    store: Store,
    sessions: Sessions,
    /// Every live socket.
    sockets: TaskTracker,
    allowed_hosts: Arc<[String]>,
    limits: Limits,
    reader: Option<Arc<ReaderProgram>>,
    most_upload: usize,
    printer: Option<Outside>,
    bureau: Option<Outside>,
    standing: Option<Arc<Standing>>,
    detail: Detail,
    /// Pictures are drawn one at a time: they are many, and nobody waits for them.
    drawing: Arc<Mutex<()>>,
    /// The replacement that was looked at last and may be done next.
    replacements: Looked<replacement::Planned>,
    /// The transfer, likewise.
    transfers: Looked<transfer::Planned>,
    /// The change of shape, likewise.
    reforms: Looked<reform::Planned>,
    /// Prints that were looked at.
    prints: Looked<Arc<layers::Planned>>,
    /// What is being worked out for somebody who may ask how far it is.
    works: works::Works,
}

impl App {
    /// True when a `Host` value names this server.
    fn allows(&self, host: &str) -> bool {
        let name = guard::name_of(host);
        matches!(name, "localhost" | "127.0.0.1" | "[::1]")
            || self.allowed_hosts.iter().any(|allowed| allowed.eq_ignore_ascii_case(name))
    }

    /// Runs what waits for the disk or computes, away from the threads that serve requests.
    async fn blocking<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Self) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, ApiError> {
        let app = self.clone();
        let done = tokio::task::spawn_blocking(move || work(&app)).await;
        done.map_err(|error| {
            tracing::error!("a task failed: {error}");
            ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, "something failed inside: try again")
        })?
        .map_err(ApiError::from)
    }

    /// Runs what goes through a whole project, away from the threads that serve requests and
    /// standing back for whoever paints meanwhile.
    async fn aside<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Self) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, ApiError> {
        self.blocking(move |app| in_pool(Pool::Projects, || work(app))).await
    }

    async fn send(
        &self,
        project: ProjectId,
        command: Command,
    ) -> Result<Sender<Command>, ApiError> {
        self.blocking(move |app| app.sessions.send(project, command)).await
    }
}

#[derive(OpenApi)]
#[openapi(
    info(title = "Jaunty Speckle", description = "Vertex, corner and face color for meshes."),
    components(schemas(
        speckle_core::checks::Target,
        wire::ClientMessage,
        wire::ServerMessage,
        speckle_model::recipe::RecipeFile
    ))
)]
struct ApiDocument;

fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(ApiDocument::openapi())
        .routes(routes!(shelf::projects, shelf::create))
        .routes(routes!(shelf::rename, shelf::delete))
        .routes(routes!(shelf::copy))
        .routes(routes!(shelf::project_picture))
        .routes(routes!(shelf::project_file))
        .routes(routes!(shelf::import_file))
        .routes(routes!(shelf::pieces, shelf::open_piece))
        .routes(routes!(shelf::piece_picture))
        .routes(routes!(project::import_new))
        .routes(routes!(project::import))
        .routes(routes!(project::edit))
        .routes(routes!(project::conversion))
        .routes(routes!(replacement::replace))
        .routes(routes!(alignment::alignment, alignment::alignment_by_pairs))
        .routes(routes!(reform::reform_part))
        .routes(routes!(reform::reformed))
        .routes(routes!(reform::part_faults))
        .routes(routes!(uvs::part_uvs))
        .routes(routes!(uvs::corner_uvs))
        .routes(routes!(uvs::image_of_colors))
        .routes(routes!(volumes::volumes_met))
        .routes(routes!(checks::checks))
        .routes(routes!(checks::report))
        .routes(routes!(looks::code_of_look))
        .routes(routes!(looks::file_of_look))
        .routes(routes!(looks::nodes_of_look))
        .routes(routes!(works::work))
        .routes(routes!(layers::layers))
        .routes(routes!(layers::layer_outlines))
        .routes(routes!(layers::layer_cells))
        .routes(routes!(seams::layer_seams))
        .routes(routes!(plate::layer_plate))
        .routes(routes!(layers::paper::layers_paper))
        .routes(routes!(remedies::layer_causes))
        .routes(routes!(remedies::layers_with))
        .routes(routes!(remedies::causes_lit))
        .routes(routes!(remedies::remedy_layers))
        .routes(routes!(swatches::layer_specks))
        .routes(routes!(swatches::sweep_up))
        .routes(routes!(swatches::painting_of))
        .routes(routes!(swatches::paint_swatches))
        .routes(routes!(swatches::make_swatches))
        .routes(routes!(printer::printer_now))
        .routes(routes!(printer::match_spools))
        .routes(routes!(printer::print))
        .routes(routes!(printer::cancel_print))
        .routes(routes!(bureau::bureau_now))
        .routes(routes!(bureau::quote))
        .routes(routes!(bureau::order))
        .routes(routes!(bureau::cancel_order))
        .routes(routes!(history::steps))
        .routes(routes!(transfer::transfer_to))
        .routes(routes!(transfer::transfer_from_file))
        .routes(routes!(transfer::transferred))
        .routes(routes!(deliver::formats))
        .routes(routes!(
            recipients::recipients,
            recipients::keep_recipient,
            recipients::forget_recipient
        ))
        .routes(routes!(recipients::standing))
        .routes(routes!(deliver::packing))
        .routes(routes!(deliver::packed_file))
        .routes(routes!(deliver::deliver))
        .routes(routes!(deliver::export))
        .routes(routes!(deliver::proof))
        .routes(routes!(deliver::map))
        .routes(routes!(paints::stencil))
        .routes(routes!(paints::palette, paints::read_palette))
        .routes(routes!(recipes::shelf))
        .routes(routes!(recipes::recipes))
        .routes(routes!(recipes::take))
        .routes(routes!(recipes::image, recipes::add_image))
}

/// The OpenAPI description, as the front end's types are made from.
///
/// # Panics
/// Never: the description is plain data.
#[must_use]
pub fn openapi_json() -> String {
    let (_, api) = routes().split_for_parts();
    api.to_pretty_json().expect("the description is plain data") + "\n"
}

/// How long a client may take between two pieces of what it sends.
const BODY: Duration = Duration::from_secs(30);

/// Everything the server answers to.
pub fn router(store: Store, config: &Config) -> Router {
    made(store, config).0
}

fn made(store: Store, config: &Config) -> (Router, Sessions, TaskTracker) {
    let app = App {
        sessions: Sessions::new(store.clone()),
        sockets: TaskTracker::new(),
        store,
        allowed_hosts: config.allowed_hosts.clone().into(),
        limits: config.limits,
        reader: config.reader.clone().map(Arc::new),
        most_upload: config.most_upload,
        printer: config.printer.as_deref().map(|address| Outside::new("the printer", address)),
        bureau: config.bureau.as_deref().map(|address| Outside::new("the print bureau", address)),
        drawing: Arc::default(),
        replacements: Looked::default(),
        transfers: Looked::default(),
        reforms: Looked::default(),
        prints: Looked::default(),
        works: works::Works::default(),
        standing: config.into.clone().map(Standing::new),
        detail: config.detail,
    };
    if let Some(standing) = app.standing.clone() {
        tokio::spawn(standing.keep_up(app.clone()));
    }
    let (sessions, sockets) = (app.sessions.clone(), app.sockets.clone());
    let (rest, _) = routes().split_for_parts();
    let router = rest
        .route("/api/v1/projects/{project}/live", any(live::socket))
        .fallback(web::serve)
        .layer(DefaultBodyLimit::max(config.most_upload))
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(middleware::from_fn(error::in_our_shape))
        .layer(middleware::from_fn_with_state(app.clone(), guard::check))
        .layer(TraceLayer::new_for_http())
        .with_state(app);
    (router, sessions, sockets)
}

/// Serves until the process is told to stop.
///
/// # Errors
/// When the listener fails.
pub async fn serve(listener: TcpListener, store: Store, config: &Config) -> std::io::Result<()> {
    let (router, sessions, sockets) = made(store, config);
    serve::until(listener, router, sessions, sockets, serve::told_to_stop()).await
}
