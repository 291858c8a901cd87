//! Files from elsewhere are read in a process of their own: whatever they do to it, it dies alone,
//! and it ends when whoever asked has left.
//!
//! The question is a length, a JSON head of that length, and the bytes of the files; the answer is
//! MessagePack.

use std::{
    io::{self, BufWriter, Read, Write},
    path::{Path, PathBuf},
    process::Stdio,
    time::Duration,
};

use axum::body::Bytes;
use serde::{Deserialize, Serialize};
use speckle_formats::{FormatError, Import, MeshFile, Place, ReadOptions};
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    process::{Child, Command},
    sync::Semaphore,
    time::timeout,
};

use crate::aside;

/// How many files are read at a time; more wait.
static ROOM: Semaphore = Semaphore::const_new(2);

/// How much longer than reading may take a process is waited for.
const GRACE: Duration = Duration::from_secs(30);

/// The least memory that reading may take, bytes. Large files may take more, up to half of what the
/// machine has.
const LEAST_MEMORY: u64 = 4 << 30;

/// How many times its size a file may take in memory while it is read.
const MOST_GROWTH: u64 = 128;

/// A file to read, with those beside it.
pub struct Asked {
    /// Its name.
    pub name: String,
    /// Its bytes.
    pub bytes: Bytes,
    /// The files beside it, by name.
    pub beside: Vec<(String, Bytes)>,
    /// How to read it.
    pub options: ReadOptions,
}

#[derive(Serialize, Deserialize)]
struct Head {
    name: String,
    bytes: u64,
    beside: Vec<(String, u64)>,
    options: ReadOptions,
}

/// How a program is told to answer.
#[derive(Clone, Debug)]
pub struct ReaderProgram {
    /// The program.
    pub path: PathBuf,
    /// What it is called with.
    pub args: Vec<String>,
}

fn failed(cause: impl Into<String>, remedy: &str) -> FormatError {
    FormatError { place: Place::File, cause: cause.into(), remedy: remedy.to_owned() }
}

/// Has a file read by a process.
pub async fn read(program: &ReaderProgram, asked: Asked) -> Result<Import, FormatError> {
    let _room = ROOM.acquire().await;
    let broke = |error: io::Error| failed(format!("it could not be read: {error}"), "try again");
    let mut child = Command::new(&program.path)
        .args(&program.args)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        // Ends with whoever waits for it.
        .kill_on_drop(true)
        .spawn()
        .map_err(broke)?;
    let limit = Duration::from_secs(asked.options.limits.seconds) + GRACE;
    match timeout(limit, converse(&mut child, &asked)).await {
        Ok(Ok(answer)) => answer,
        Ok(Err(_)) => Err(failed(
            "reading it took more memory than it may, or broke the reader",
            "nothing was changed; reduce the mesh, or export it as another format",
        )),
        Err(_) => Err(failed(
            format!("reading it took longer than {} s", limit.as_secs()),
            "reduce the mesh",
        )),
    }
}

async fn converse(child: &mut Child, asked: &Asked) -> io::Result<Result<Import, FormatError>> {
    let gone = || io::Error::from(io::ErrorKind::BrokenPipe);
    let mut to = child.stdin.take().ok_or_else(gone)?;
    let mut from = child.stdout.take().ok_or_else(gone)?;
    let head = serde_json::to_vec(&Head {
        name: asked.name.clone(),
        bytes: asked.bytes.len() as u64,
        beside: asked.beside.iter().map(|(n, b)| (n.clone(), b.len() as u64)).collect(),
        options: asked.options,
    })?;
    let ask = async move {
        to.write_all(&(head.len() as u32).to_le_bytes()).await?;
        to.write_all(&head).await?;
        to.write_all(&asked.bytes).await?;
        for (_, bytes) in &asked.beside {
            to.write_all(bytes).await?;
        }
        to.shutdown().await
    };
    let mut answer = Vec::new();
    let (asked, _) = tokio::join!(ask, from.read_to_end(&mut answer));
    asked?;
    let understood = tokio::task::spawn_blocking(move || rmp_serde::from_slice(&answer));
    understood.await.map_err(io::Error::other)?.map_err(io::Error::other)
}

/// What the process does: reads the question, and the file, and answers.
///
/// # Errors
/// When the pipes break.
pub fn answer(mut input: impl Read, output: impl Write) -> io::Result<()> {
    // Before any other thread is there, which stands back as this one does.
    aside::stand_back();
    let mut length = [0; 4];
    input.read_exact(&mut length)?;
    let mut take = |bytes: u64| -> io::Result<Vec<u8>> {
        let mut taken = Vec::new();
        (&mut input).take(bytes).read_to_end(&mut taken)?;
        Ok(taken)
    };
    let head: Head = serde_json::from_slice(&take(u32::from_le_bytes(length).into())?)?;
    let all = head.beside.iter().fold(head.bytes, |sum, (_, bytes)| sum.saturating_add(*bytes));
    bound_memory(all);
    let bytes = take(head.bytes)?;
    let beside = head.beside.into_iter().map(|(name, bytes)| Ok((name, take(bytes)?)));
    let beside: Vec<(String, Vec<u8>)> = beside.collect::<io::Result<_>>()?;
    let read = read_here(&head.name, &bytes, &beside, &head.options);
    let mut output = BufWriter::with_capacity(1 << 20, output);
    rmp_serde::encode::write_named(&mut output, &read).map_err(io::Error::other)?;
    output.flush()
}

/// Reads a file in this process.
pub fn read_here<B: AsRef<[u8]>>(
    name: &str,
    bytes: &[u8],
    beside: &[(String, B)],
    options: &ReadOptions,
) -> Result<Import, FormatError> {
    // A file may be named with folders; only its own name came along.
    let beside = |wanted: &str| {
        let own = wanted.rsplit(['/', '\\']).next().unwrap_or(wanted);
        let found = beside.iter().find(|(name, _)| Path::new(name) == Path::new(own));
        found.map(|(_, bytes)| bytes.as_ref().to_vec())
    };
    speckle_formats::read(&MeshFile { name, bytes, beside: &beside }, options)
}

/// Lets the system refuse this process what would take the machine's memory, or far more than files
/// of so many bytes need. Some readers trust the counts that a file states; what asks for more dies.
pub fn bound_memory(bytes: u64) {
    #[cfg(target_os = "linux")]
    {
        use rustix::process::{Resource, Rlimit, setrlimit};
        let info = rustix::system::sysinfo();
        let all = info.totalram as u64 * u64::from(info.mem_unit);
        let needed = bytes.saturating_mul(MOST_GROWTH).max(LEAST_MEMORY);
        let most = Some(needed.min((all / 2).max(LEAST_MEMORY)));
        let _ = setrlimit(Resource::As, Rlimit { current: most, maximum: most });
    }
}
