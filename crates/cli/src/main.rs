//! The command `speckle`: the app in the browser, and jobs without a screen.

#![deny(clippy::print_stdout, reason = "a full disk behind a pipe is no reason to panic: say!")]

#[macro_use]
mod out;

mod bake;
mod check;
mod compare;
mod convert;
mod deliver;
mod doctor;
mod inspect;
mod layers;
mod maps;
mod quote;
mod reading;
mod reform;
mod report;
mod source;
mod swatches;
mod transfer;
mod watch;

use std::{
    fs,
    net::{IpAddr, Ipv4Addr, SocketAddr},
    path::{Path, PathBuf},
    process::ExitCode,
    time::Duration,
};

use anyhow::{Context, Result, bail};
use clap::{Args, CommandFactory, Parser, Subcommand, ValueEnum};
use mimalloc::MiMalloc;
use speckle_demo::Detail;
use speckle_formats::Limits;
use speckle_server::{Config, reader::ReaderProgram};
use speckle_standins::{bureau, printer};
use speckle_store::Store;
use tokio::net::TcpListener;
use tracing_subscriber::{
    filter::{LevelFilter, Targets},
    layer::SubscriberExt,
    util::SubscriberInitExt,
};

use bake::{BakeArgs, RecipeCommand};
use compare::CompareArgs;
use convert::ConvertArgs;
use deliver::DeliverArgs;
use doctor::DoctorArgs;
use maps::{MapArgs, TableArgs};
use reading::ReadArgs;
use reform::{
    DecimateArgs, DisplaceArgs, LayoutArgs, MendArgs, RefineArgs, SmoothArgs, SubdivideArgs,
    TrimArgs,
};
use transfer::TransferArgs;
use watch::WatchArgs;

/// Meshes and what is derived from them come and go by tens of megabytes: an allocator that keeps them for what comes
/// next spares the system to hand out, and to empty, every page anew.
#[global_allocator]
static ALLOCATOR: MiMalloc = MiMalloc;

/// Vertex, corner and face color for meshes.
#[derive(Parser)]
#[command(name = "speckle", version, arg_required_else_help = true)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the app on this machine
    Serve(ServeArgs),
    /// Serve the app with the demo pieces on the shelf
    Demo(ServeArgs),
    /// Serve a simulated printer with several spools, for trying things out without one
    Printer {
        /// Port to listen on; 0 takes a free one
        #[arg(long, default_value_t = 0)]
        port: u16,
    },
    /// Tell what is in mesh files
    Inspect {
        /// The files (.glb, .gltf, .ply, .3mf, .usda, .obj, .x3d, .wrl, .dae, .off, .stl)
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// Print JSON: an object for one file, a list for several
        #[arg(long)]
        json: bool,
        #[command(flatten)]
        reading: ReadArgs,
    },
    /// Turn mesh files into another format, told by the names' extensions
    Convert(ConvertArgs),
    /// Send projects or files to a recipient
    Deliver(DeliverArgs),
    /// Keep a folder up to date with what a recipient wants of a project, for as long as this runs
    Watch(WatchArgs),
    /// Print the recipients there are to begin with
    Recipients,
    /// Tell how far two files are from each other, point by point
    Compare(CompareArgs),
    /// Carry colors from files to others, by where they lie
    Transfer(TransferArgs),
    /// Give files fewer triangles, with their colors
    Decimate(DecimateArgs),
    /// Make the faces of files finer, flat or smoothed
    Subdivide(SubdivideArgs),
    /// Split the longer edges of files until none is longer than a length
    Refine(RefineArgs),
    /// Mend what is wrong with files, or tell what is
    Mend(MendArgs),
    /// Move the points of files by what a channel says
    Displace(DisplaceArgs),
    /// Smooth the bumps of files away
    Smooth(SmoothArgs),
    /// Cut files in two along a number of a channel
    Trim(TrimArgs),
    /// Tell what a printer with several spools would do: layers, swatches, changes
    Layers(layers::LayersArgs),
    /// Make swatches of the colors of files, for printers with several spools
    Swatches(swatches::SwatchesArgs),
    /// Tell specks too small or too narrow to print, or sweep them up
    Sweep(swatches::SweepArgs),
    /// Look at files as bodies to be printed whole, with what a simulated bureau asks for them
    Quote(quote::QuoteArgs),
    /// Tell what is wrong, or will be, with files for whoever receives them; exits with 2 when something is
    Check(check::CheckArgs),
    /// Write a file as one page for whoever receives it: pictures, channels, looks, code, checks
    Report(report::ReportArgs),
    /// Lay files out for images: texture coordinates in charts, packed
    Layout(LayoutArgs),
    /// Render channels into an image, by UVs or as seen along an axis
    RenderMap(MapArgs),
    /// Write the numbers at vertices, corners or faces as a table
    Table(TableArgs),
    /// Print what each format can carry, as a table in Markdown
    Formats,
    /// Make channels by a recipe
    Bake(BakeArgs),
    /// Tell about recipes
    #[command(subcommand)]
    Recipe(RecipeCommand),
    /// Print what makes a shell complete the words of this command
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
    /// Print the OpenAPI description of the server
    #[command(hide = true)]
    Openapi,
    /// Read a file from standard input for the server
    #[command(hide = true)]
    ReadForServer,
    /// Tell what is wrong with project files, and save what can be had of them
    Doctor(DoctorArgs),
}

#[derive(Args)]
struct LimitArgs {
    /// The most vertices, corners or faces a file may hold
    #[arg(long, default_value_t = Limits::default().elements)]
    max_elements: usize,
    /// The most parts a file may hold
    #[arg(long, default_value_t = Limits::default().parts)]
    max_parts: usize,
    /// How long reading a file may take, seconds
    #[arg(long, default_value_t = Limits::default().seconds)]
    max_seconds: u64,
}

impl LimitArgs {
    fn limits(&self) -> Limits {
        let Self { max_elements: elements, max_parts: parts, max_seconds: seconds } = *self;
        Limits { elements, parts, seconds, ..Limits::default() }
    }
}

#[derive(Args)]
struct ServeArgs {
    /// Port to listen on; 0 takes a free one
    #[arg(long, default_value_t = 4870)]
    port: u16,
    /// Address to listen on; anything but loopback lets other machines in
    #[arg(long, default_value_t = IpAddr::V4(Ipv4Addr::LOCALHOST))]
    address: IpAddr,
    /// A further name under which browsers may reach the app
    #[arg(long)]
    allow_host: Vec<String>,
    /// The folder that keeps the projects, or the file in which earlier versions kept them
    /// [default: speckle.projects]
    #[arg(long)]
    data: Option<PathBuf>,
    /// Do not open a browser
    #[arg(long)]
    no_open: bool,
    /// The most megabytes an imported file may have
    #[arg(long, default_value_t = 4096)]
    max_upload_mb: usize,
    /// How finely the demo pieces are cut
    #[arg(long, value_enum, default_value_t = DetailArg::Usual)]
    detail: DetailArg,
    /// Where a printer with several spools is reached, as http://host:port; `simulated` for one of our own
    #[arg(long)]
    printer: Option<String>,
    /// Where a print bureau is reached, likewise
    #[arg(long)]
    bureau: Option<String>,
    /// A folder to keep up to date for recipients that want that: whenever a project rests after a change, what
    /// they want is written there whole
    #[arg(long)]
    into: Option<PathBuf>,
    #[command(flatten)]
    limits: LimitArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum DetailArg {
    /// Coarsely, for a machine that draws without a graphics card
    Light,
    /// Tens of thousands of triangles each
    Usual,
    /// As finely as scans: a million triangles for the drifter
    Dense,
}

impl From<DetailArg> for Detail {
    fn from(detail: DetailArg) -> Self {
        match detail {
            DetailArg::Light => Self::Light,
            DetailArg::Usual => Self::Usual,
            DetailArg::Dense => Self::Dense,
        }
    }
}

impl ServeArgs {
    fn data(&self) -> PathBuf {
        self.data.clone().unwrap_or_else(usual_data)
    }
}

fn main() -> ExitCode {
    let asked = std::env::var("RUST_LOG").ok().and_then(|asked| asked.parse().ok());
    let told = asked.unwrap_or_else(|| Targets::new().with_default(LevelFilter::WARN));
    tracing_subscriber::fmt()
        .with_max_level(LevelFilter::TRACE)
        .with_writer(std::io::stderr)
        .finish()
        .with(told)
        .init();
    match run(Cli::parse().command) {
        Ok(code) => code,
        Err(error) => {
            eprintln!("speckle: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn run(command: Command) -> Result<ExitCode> {
    let done: Result<()> = match command {
        Command::Serve(args) => serve(&args, open_store(&args.data())?),
        Command::Demo(args) => {
            let store = open_store(&args.data())?;
            stock(&store, args.detail.into())?;
            // The demo has a printer and a bureau of its own.
            serve(
                &ServeArgs {
                    printer: args.printer.clone().or(Some(OWN.into())),
                    bureau: args.bureau.clone().or(Some(OWN.into())),
                    ..args
                },
                store,
            )
        }
        Command::Printer { port } => stand_in(port),
        Command::Inspect { files, json, reading } => inspect::run(&files, json, &reading),
        Command::Convert(args) => convert::run(&args),
        Command::Deliver(args) => deliver::run(&args),
        Command::Report(args) => report::run(&args),
        Command::Watch(args) => watch::run(&args),
        Command::Recipients => deliver::recipients(),
        Command::Compare(args) => compare::run(&args),
        Command::Decimate(args) => reform::decimate(&args),
        Command::Subdivide(args) => reform::subdivide(&args),
        Command::Refine(args) => reform::refine(&args),
        Command::Mend(args) => reform::mend(&args),
        Command::Displace(args) => reform::displace(&args),
        Command::Smooth(args) => reform::smooth(&args),
        Command::Trim(args) => reform::trim(&args),
        Command::Layers(args) => layers::run(&args),
        Command::Swatches(args) => swatches::run(&args),
        Command::Sweep(args) => swatches::sweep(&args),
        Command::Quote(args) => quote::run(&args),
        Command::Check(args) => return check::run(&args),
        Command::Layout(args) => reform::layout(&args),
        Command::Transfer(args) => transfer::run(&args),
        Command::RenderMap(args) => maps::render_map(&args),
        Command::Table(args) => maps::tables(&args),
        Command::Formats => {
            crate::say_all!("{}", speckle_formats::abilities::table());
            Ok(())
        }
        Command::Bake(args) => bake::run(&args),
        Command::Recipe(command) => bake::recipe(&command),
        Command::Completions { shell } => {
            clap_complete::generate(shell, &mut Cli::command(), "speckle", &mut std::io::stdout());
            Ok(())
        }
        Command::ReadForServer => {
            Ok(speckle_server::reader::answer(std::io::stdin().lock(), std::io::stdout().lock())?)
        }
        Command::Doctor(args) => doctor::run(&args),
        Command::Openapi => {
            crate::say_all!("{}", speckle_server::openapi_json());
            Ok(())
        }
    };
    done.map(|()| ExitCode::SUCCESS)
}

fn open_store(data: &Path) -> Result<Store> {
    if let Some(folder) = data.parent() {
        fs::create_dir_all(folder)
            .with_context(|| format!("{} cannot be made", folder.display()))?;
    }
    Store::open(data).with_context(|| format!("{} cannot be opened", data.display()))
}

/// Where projects are kept unless it is said: earlier versions kept them all in one file, which is
/// taken over from where it lies.
fn usual_data() -> PathBuf {
    let (folder, earlier) = (PathBuf::from("speckle.projects"), PathBuf::from("speckle.sqlite"));
    if !folder.exists() && earlier.is_file() { earlier } else { folder }
}

/// Puts the demo pieces on an empty shelf.
fn stock(store: &Store, detail: Detail) -> Result<()> {
    if !store.projects()?.is_empty() {
        return Ok(());
    }
    let now = std::time::UNIX_EPOCH.elapsed().map_or(0, |d| d.as_millis() as i64);
    for piece in &speckle_demo::PIECES {
        let (document, change) = piece.project(detail);
        store.create_with(piece.title, &change, "Skerrybank Toyworks", now, &document)?;
    }
    Ok(())
}

fn serve(args: &ServeArgs, store: Store) -> Result<()> {
    let mut config = Config {
        allowed_hosts: args.allow_host.clone(),
        most_upload: args.max_upload_mb << 20,
        limits: Limits { bytes: args.max_upload_mb << 20, ..args.limits.limits() },
        reader: std::env::current_exe()
            .ok()
            .map(|path| ReaderProgram { path, args: vec!["read-for-server".to_owned()] }),
        printer: args.printer.clone(),
        bureau: args.bureau.clone(),
        into: args.into.clone(),
        detail: args.detail.into(),
    };
    let runtime = tokio::runtime::Runtime::new()?;
    let served = runtime.block_on(async {
        if config.printer.as_deref() == Some(OWN) {
            let service = printer::service(printer::usual_spools());
            config.printer = Some(format!("http://{}", speckle_standins::spawn(service).await?));
        }
        if config.bureau.as_deref() == Some(OWN) {
            let service = bureau::service();
            config.bureau = Some(format!("http://{}", speckle_standins::spawn(service).await?));
        }
        let wanted = SocketAddr::new(args.address, args.port);
        let listener = match TcpListener::bind(wanted).await {
            Ok(listener) => listener,
            Err(error) => bail!("{wanted} cannot be listened on: {error}; choose another --port"),
        };
        let address = listener.local_addr()?;
        let shown = if address.ip().is_loopback() || address.ip().is_unspecified() {
            format!("http://localhost:{}", address.port())
        } else {
            format!("http://{address}")
        };
        store.say_address(&shown)?;
        crate::say!(
            "Jaunty Speckle is ready at {shown} (projects in {})",
            store.folder().display()
        );
        if !args.no_open {
            open_browser(&shown);
        }
        speckle_server::serve(listener, store, &config).await?;
        Ok(())
    });
    // What still computes for somebody is not waited for: nobody is there any more.
    runtime.shutdown_timeout(Duration::from_secs(1));
    served
}

/// In the place of an address: one that is simulated, in this process.
const OWN: &str = "simulated";

/// Serves a simulated printer alone.
fn stand_in(port: u16) -> Result<()> {
    let runtime = tokio::runtime::Runtime::new()?;
    runtime.block_on(async {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await?;
        crate::say!("A simulated printer listens at http://{}", listener.local_addr()?);
        let service = printer::service(printer::usual_spools());
        speckle_standins::serve(listener, service).await?;
        Ok(())
    })
}

/// Shows the address in the user's browser where there is one; the address is printed anyway.
fn open_browser(address: &str) {
    let opener = if cfg!(target_os = "macos") { "open" } else { "xdg-open" };
    let quiet = std::process::Stdio::null;
    let _ = std::process::Command::new(opener)
        .arg(address)
        .stdin(quiet())
        .stdout(quiet())
        .stderr(quiet())
        .spawn();
}
