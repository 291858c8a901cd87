//! The app itself, started as a user starts it.

use std::{
    io::{BufRead, BufReader},
    path::{Path, PathBuf},
    process::{Command, Stdio},
};

use anyhow::{Context, Result, bail};
use serde_json::Value;
use speckle_store::{ProjectId, Store};
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    net::TcpStream,
};

use crate::Owned;

/// The app, serving a project file.
pub struct App {
    _process: Owned,
    /// Where it is reached.
    pub address: String,
}

impl App {
    /// Starts the built `speckle serve` on a free port.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start(data: &Path) -> Result<Self> {
        Self::start_at(data, 0)
    }

    /// Likewise, on a port of one's choice.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start_at(data: &Path, port: u16) -> Result<Self> {
        Self::of(serve(data)?.args(["--port", &port.to_string()]))
    }

    /// Likewise, on a free port, with a printer that it may ask.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start_with_printer(data: &Path, printer: &Self) -> Result<Self> {
        Self::of(serve(data)?.args(["--port", "0", "--printer", &printer.address]))
    }

    /// Likewise, on a free port, with a simulated print bureau.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start_with_bureau(data: &Path) -> Result<Self> {
        Self::of(serve(data)?.args(["--port", "0", "--bureau", "simulated"]))
    }

    /// Likewise, on a free port, with a folder that it keeps up to date for recipients.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start_into(data: &Path, into: &Path) -> Result<Self> {
        Self::of(serve(data)?.args(["--port", "0", "--into"]).arg(into))
    }

    /// Starts it on a free port with demo pieces as a user finds them.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn start_as_usual(data: &Path) -> Result<Self> {
        Self::of(serve_with(data, "usual")?.args(["--port", "0"]))
    }

    /// Starts a simulated printer on a free port.
    ///
    /// # Errors
    /// When it is not built or does not start.
    pub fn printer() -> Result<Self> {
        Self::of(Command::new(binary()?).arg("printer"))
    }

    /// Starts what says in its first line where it is reached.
    fn of(command: &mut Command) -> Result<Self> {
        let mut process = command.stdout(Stdio::piped()).spawn()?;
        let out = process.stdout.take().context("the app's output is piped")?;
        let process = Owned(process);
        let mut line = String::new();
        BufReader::new(out).read_line(&mut line)?;
        let address = line.split_whitespace().find(|word| word.starts_with("http://"));
        let address = address.with_context(|| format!("the app said: {line:?}"))?.to_owned();
        Ok(Self { _process: process, address })
    }

    /// Brings in a project that is made in a store of its own; tells its number.
    ///
    /// # Errors
    /// When it cannot be made, or the app refuses it.
    pub async fn bring_in(
        &self,
        make: impl FnOnce(&Store) -> Result<ProjectId>,
    ) -> Result<ProjectId> {
        let folder = tempfile::tempdir()?;
        let file = folder.path().join("project.speckle");
        let store = Store::temporary()?;
        let project = make(&store)?;
        store.export_project(project, &file)?;
        let bytes = std::fs::read(file)?;
        let host = self.address.trim_start_matches("http://");
        let mut stream = TcpStream::connect(host.replace("localhost", "127.0.0.1")).await?;
        let head = format!(
            "POST /api/v1/projects/file HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\
             Content-Length: {}\r\n\r\n",
            bytes.len()
        );
        stream.write_all(head.as_bytes()).await?;
        stream.write_all(&bytes).await?;
        let mut answer = String::new();
        stream.read_to_string(&mut answer).await?;
        let body = answer.split_once("\r\n\r\n").map_or("", |(_, body)| body);
        let made: Value = serde_json::from_str(body).context(answer.clone())?;
        made["id"].as_i64().context(answer)
    }
}

/// Pieces of the shelf are cut coarsely: what is tested is drawn without a graphics card.
fn serve(data: &Path) -> Result<Command> {
    serve_with(data, "light")
}

fn serve_with(data: &Path, detail: &str) -> Result<Command> {
    let mut command = Command::new(binary()?);
    command.args(["serve", "--no-open", "--detail", detail, "--data"]).arg(data);
    Ok(command)
}

/// The program as this build made it, beside the test's own binary.
///
/// # Errors
/// When it is not there.
pub fn binary() -> Result<PathBuf> {
    let mut folder = std::env::current_exe()?;
    folder.pop();
    folder.pop();
    let binary = folder.join("speckle");
    if !binary.exists() {
        bail!("{} is not built: run `cargo xtask test`", binary.display());
    }
    Ok(binary)
}

/// The front end's folder, where node's packages are.
#[must_use]
pub fn web_folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web")
}

/// The body of a GET, past the browser.
///
/// # Errors
/// When the server does not answer 200.
pub fn fetch(address: &str, path: &str) -> Result<Vec<u8>> {
    use std::io::{Read, Write};
    let host = address.trim_start_matches("http://");
    let mut stream = std::net::TcpStream::connect(host)?;
    write!(stream, "GET {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n")?;
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer)?;
    let end = answer.windows(4).position(|w| w == b"\r\n\r\n").context("an answer has a head")?;
    let body = answer.split_off(end + 4);
    let head = String::from_utf8_lossy(&answer);
    if !head.starts_with("HTTP/1.1 200") {
        bail!("{path} was answered with {head}");
    }
    Ok(body)
}
