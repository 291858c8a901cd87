//! The command `speckle`: the app in the browser, and jobs without a screen.

mod inspect;

use std::{
    fs,
    net::{IpAddr, Ipv4Addr, SocketAddr},
    path::{Path, PathBuf},
    process::ExitCode,
};

use anyhow::{Context, Result, bail};
use clap::{Args, Parser, Subcommand, ValueEnum};
use speckle_core::{Document, Edit};
use speckle_formats::{Depth, Format, Import, Limits, PlyBody, WriteOptions};
use speckle_server::Config;
use speckle_store::Store;
use tokio::net::TcpListener;

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
    /// Tell what is in a mesh file
    Inspect {
        /// The file (.ply, .glb)
        file: PathBuf,
        /// Print JSON
        #[arg(long)]
        json: bool,
        #[command(flatten)]
        limits: LimitArgs,
    },
    /// Turn a mesh file into one of another format, told by the names' extensions
    Convert {
        /// The file to read (.ply, .glb)
        input: PathBuf,
        /// The file to write (.ply, .glb)
        output: PathBuf,
        /// How precisely colors are stored
        #[arg(long, value_enum, default_value = "usual")]
        depth: DepthArg,
        /// Leave alpha out
        #[arg(long)]
        no_alpha: bool,
        /// How a PLY body is written
        #[arg(long, value_enum, default_value = "little")]
        ply_body: PlyBodyArg,
        #[command(flatten)]
        limits: LimitArgs,
    },
    /// Print the OpenAPI description of the server
    #[command(hide = true)]
    Openapi,
}

#[derive(Args)]
struct LimitArgs {
    /// The most vertices, corners or faces a file may hold
    #[arg(long, default_value_t = Limits::default().elements)]
    max_elements: usize,
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
    /// The file that keeps the projects
    #[arg(long, default_value = "speckle.sqlite")]
    data: PathBuf,
    /// Do not open a browser
    #[arg(long)]
    no_open: bool,
    /// The most megabytes an imported file may have
    #[arg(long, default_value_t = 4096)]
    max_upload_mb: usize,
    #[command(flatten)]
    limits: LimitArgs,
}

#[derive(Clone, Copy, ValueEnum)]
enum DepthArg {
    /// 8 bits in PLY, floats in GLB
    Usual,
    /// 8 bits
    #[value(name = "8")]
    Bits8,
    /// 16 bits (GLB; PLY takes floats)
    #[value(name = "16")]
    Bits16,
    /// 32-bit floats
    Float,
}

#[derive(Clone, Copy, ValueEnum)]
enum PlyBodyArg {
    /// Binary, little-endian
    Little,
    /// Binary, big-endian
    Big,
    /// Text
    Ascii,
}

fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into()),
        )
        .with_writer(std::io::stderr)
        .init();
    match run(Cli::parse().command) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("speckle: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn run(command: Command) -> Result<()> {
    match command {
        Command::Serve(args) => serve(&args, open_store(&args.data)?),
        Command::Demo(args) => {
            let mut store = open_store(&args.data)?;
            stock(&mut store)?;
            serve(&args, store)
        }
        Command::Inspect { file, json, limits } => {
            let (document, import) = bring_in(&file, &limits)?;
            let report = inspect::Report::new(document.parts(), import.repairs, import.notes);
            if json {
                println!("{}", serde_json::to_string_pretty(&report)?);
            } else {
                print!("{report}");
            }
            Ok(())
        }
        Command::Convert { input, output, depth, no_alpha, ply_body, limits } => {
            let format = Format::of_name(&output.to_string_lossy())
                .with_context(|| output.display().to_string())?;
            let (document, import) = bring_in(&input, &limits)?;
            let depth = match depth {
                DepthArg::Usual => Depth::Usual,
                DepthArg::Bits8 => Depth::Bits8,
                DepthArg::Bits16 => Depth::Bits16,
                DepthArg::Float => Depth::Float,
            };
            let ply_body = match ply_body {
                PlyBodyArg::Little => PlyBody::Little,
                PlyBodyArg::Big => PlyBody::Big,
                PlyBodyArg::Ascii => PlyBody::Ascii,
            };
            let options = WriteOptions { depth, alpha: !no_alpha, ply_body };
            let export = speckle_formats::write(format, document.parts(), options)?;
            for note in import.repairs.iter().map(|r| &r.message).chain(&import.notes) {
                eprintln!("{}: {note}", input.display());
            }
            for note in &export.notes {
                eprintln!("{}: {note}", output.display());
            }
            write_whole(&output, &export.bytes)
        }
        Command::Openapi => {
            print!("{}", speckle_server::openapi_json());
            Ok(())
        }
    }
}

/// Reads a file into a document, which vouches for it as it does for an import in the app.
fn bring_in(file: &Path, limits: &LimitArgs) -> Result<(Document, Import)> {
    let shown = file.display();
    let bytes = fs::read(file).with_context(|| format!("{shown} cannot be read"))?;
    let limits = Limits { elements: limits.max_elements };
    let mut import = speckle_formats::read(&file.to_string_lossy(), &bytes, limits)
        .with_context(|| shown.to_string())?;
    let mut document = Document::default();
    document.apply(Edit::AddParts(std::mem::take(&mut import.parts)))?;
    Ok((document, import))
}

/// Writes beside the goal first, so that a full disk leaves no half a file under its name.
fn write_whole(path: &Path, bytes: &[u8]) -> Result<()> {
    let mut partial = path.as_os_str().to_owned();
    partial.push(".partial");
    let partial = PathBuf::from(partial);
    fs::write(&partial, bytes).and_then(|()| fs::rename(&partial, path)).map_err(|error| {
        let _ = fs::remove_file(&partial);
        anyhow::anyhow!("{} cannot be written: {error}", path.display())
    })
}

fn open_store(data: &Path) -> Result<Store> {
    Store::open(data).with_context(|| format!("{} cannot be opened", data.display()))
}

/// Puts the demo pieces on an empty shelf.
fn stock(store: &mut Store) -> Result<()> {
    if !store.projects()?.is_empty() {
        return Ok(());
    }
    let now = std::time::UNIX_EPOCH.elapsed().map_or(0, |d| d.as_millis() as i64);
    for piece in &speckle_demo::PIECES {
        let project = store.create_project(piece.title, now)?;
        let mut document = Document::default();
        let change = document.apply(Edit::AddParts(piece.make()))?;
        store.append(project, &change, "Skerrybank Toyworks", now, &document)?;
    }
    Ok(())
}

fn serve(args: &ServeArgs, store: Store) -> Result<()> {
    let config = Config {
        allowed_hosts: args.allow_host.clone(),
        most_upload: args.max_upload_mb << 20,
        limits: Limits { elements: args.limits.max_elements },
    };
    let runtime = tokio::runtime::Runtime::new()?;
    runtime.block_on(async {
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
        println!("Jaunty Speckle is ready at {shown} (projects in {})", args.data.display());
        if !args.no_open {
            open_browser(&shown);
        }
        speckle_server::serve(listener, store, &config).await?;
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
