//! The real program started for a test, and what may be asked of it.

#![allow(dead_code, reason = "each test program uses a part of it")]

use std::{
    fs,
    io::{BufRead, BufReader},
    path::Path,
    process::{Child, Command, Stdio},
    time::Duration,
};

use futures::{SinkExt, StreamExt};
use serde_json::{Value, json};
use speckle_store::Store;
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    net::TcpStream,
};
use tokio_tungstenite::{connect_async_with_config, tungstenite::Message};

/// How much of something: so much in a test, so much where it soaks.
pub fn long(test: u64, soak: u64) -> u64 {
    if std::env::var_os("SPECKLE_SOAK").is_some() { soak } else { test }
}

/// A figure for docs/reliability.md.
pub fn figure(what: &str, value: impl std::fmt::Display) {
    eprintln!("| {what} | {value} |");
}

/// One request; the status and the body.
pub async fn ask(address: &str, head: &str, body: &[u8]) -> (u16, Vec<u8>) {
    let mut stream = TcpStream::connect(address.replace("localhost", "127.0.0.1")).await.unwrap();
    let head = format!(
        "{head} HTTP/1.1\r\nHost: {address}\r\nConnection: close\r\nContent-Length: {}\r\n\r\n",
        body.len()
    );
    stream.write_all(head.as_bytes()).await.unwrap();
    let _ = stream.write_all(body).await;
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer).await;
    let Some(end) = answer.windows(4).position(|w| w == b"\r\n\r\n") else { return (0, answer) };
    let body = answer.split_off(end + 4);
    (String::from_utf8_lossy(&answer[9..12]).parse().unwrap_or(0), body)
}

pub type Socket =
    tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<tokio::net::TcpStream>>;

/// The app; killed when dropped, as a power cut would.
pub struct App {
    pub process: Child,
    /// Its host and port.
    pub address: String,
}

impl Drop for App {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

impl App {
    pub fn start(mut command: Command, data: &Path) -> Self {
        let mut process = command
            .args(["--no-open", "--port", "0", "--data"])
            .arg(data)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(process.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let address = line.split_whitespace().find_map(|w| w.strip_prefix("http://"));
        Self { process, address: address.expect("the address").to_owned() }
    }

    pub fn serving(data: &Path) -> Self {
        let mut command = Command::new(env!("CARGO_BIN_EXE_speckle"));
        command.arg("serve");
        Self::start(command, data)
    }

    /// A bare connection.
    pub async fn connect(&self) -> TcpStream {
        TcpStream::connect(self.address.replace("localhost", "127.0.0.1")).await.unwrap()
    }

    /// A file on its way to be imported.
    pub async fn importing(&self, name: &str, file: &[u8]) -> TcpStream {
        let mut body = format!(
            "--split\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n"
        )
        .into_bytes();
        body.extend_from_slice(file);
        body.extend_from_slice(b"\r\n--split--\r\n");
        let head = format!(
            "POST /api/v1/imports HTTP/1.1\r\nHost: {}\r\nContent-Type: multipart/form-data; boundary=split\r\nConnection: close\r\nContent-Length: {}\r\n\r\n",
            self.address,
            body.len()
        );
        let mut stream = self.connect().await;
        stream.write_all(head.as_bytes()).await.unwrap();
        stream.write_all(&body).await.unwrap();
        stream
    }

    /// A socket that has joined, and its hello.
    pub async fn join(&self, project: i64, hand: &str) -> (Socket, Value) {
        let url = format!("ws://{}/api/v1/projects/{project}/live", self.address);
        // As browsers do: a move of the pointer does not wait for the last one to arrive.
        let mut socket = connect_async_with_config(url, None, true).await.unwrap().0;
        say(&mut socket, json!({ "type": "join", "hand": hand })).await;
        let hello = hear(&mut socket, &["hello"], |_| {}).await.unwrap();
        (socket, hello)
    }
}

pub async fn say(socket: &mut Socket, message: Value) {
    // A server that was killed hears nothing.
    let _ = socket.send(Message::text(message.to_string())).await;
}

/// The next message of one of the types; `None` when the socket is gone.
pub async fn hear(
    socket: &mut Socket,
    kinds: &[&str],
    mut frames: impl FnMut(&[u8]),
) -> Option<Value> {
    loop {
        let next = tokio::time::timeout(Duration::from_secs(60), socket.next()).await;
        match next.expect("an answer").transpose().ok()?? {
            Message::Text(text) => {
                let message: Value = serde_json::from_str(&text).unwrap();
                if kinds.contains(&message["type"].as_str().unwrap()) {
                    return Some(message);
                }
            }
            Message::Binary(bytes) => frames(&bytes),
            _ => {}
        }
    }
}

/// A stroke in a color that only the n-th has, somewhere that n says.
pub async fn stroke(socket: &mut Socket, hello: &Value, n: usize) {
    let part = &hello["outline"]["parts"][0];
    let start = json!({
        "part": part["id"], "set": part["sets"][0]["id"], "channels": [true, true, true, false],
        "paint": [(n % 251) as f32 / 255.0, (n / 251 % 251) as f32 / 255.0, 0.0, 1.0],
        "brush": { "radius": 20.0, "opacity": 1.0, "hardness": 1.0 },
        "view": { "kind": "parallel", "forward": [0.0, 0.0, -1.0] },
    });
    say(socket, json!({ "type": "stroke_begin", "start": start })).await;
    let (x, y) = ((n * 37 % 100) as f32 - 50.0, 40.0 + (n * 53 % 180) as f32);
    for step in 0..4 {
        let sample =
            json!({ "origin": [x + step as f32 * 4.0, y, 900.0], "direction": [0.0, 0.0, -1.0] });
        say(socket, json!({ "type": "stroke_move", "samples": [sample] })).await;
    }
    say(socket, json!({ "type": "stroke_end" })).await;
}

pub fn stocked(data: &Path) -> i64 {
    let store = Store::open(data).unwrap();
    let mut document = speckle_core::Document::default();
    let parts = speckle_demo::piece("bollard").unwrap().make(speckle_demo::Detail::Usual);
    let change = document.apply(speckle_core::Edit::bring_in(parts)).unwrap();
    store.create_with("Bollard", &change, "", 1, &document).unwrap()
}

pub fn is_sound(data: &Path) {
    let store = Store::open(data).unwrap();
    for project in store.projects().unwrap() {
        let file = data.join(format!("{}.speckle", project.id));
        store.project(project.id).unwrap().verify().unwrap();
        let connection = rusqlite::Connection::open(file).unwrap();
        let said: String =
            connection.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
        assert_eq!(said, "ok");
    }
}

/// Where a project stands, by its file.
pub fn revision(data: &Path, project: i64) -> u64 {
    let store = Store::open(data).unwrap();
    store.listed(project).unwrap().revision as u64
}

/// The values of the project's first set in 8-bit steps, by its journal.
pub fn stored(data: &Path, project: i64) -> Vec<[u8; 4]> {
    let opened = Store::open(data).unwrap().open_project(project).unwrap();
    let values = opened.document.parts()[0].sets[0].values.clone();
    values.iter().map(|v| v.map(|x| (x * 255.0).round() as u8)).collect()
}

pub fn resident_bytes(process: u32) -> u64 {
    let status = fs::read_to_string(format!("/proc/{process}/status")).unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap_or("0 kB");
    line.trim().trim_end_matches(" kB").trim().parse::<u64>().unwrap_or(0) * 1024
}

/// Lays a frame's values on what a client holds.
pub fn take(held: &mut Vec<[u8; 4]>, frame: &[u8]) {
    let word = |i: usize| u32::from_le_bytes(frame[4 * i..4 * i + 4].try_into().unwrap());
    let count = word(3) as usize;
    let fours = |from: usize| {
        frame[from..from + 4 * count].chunks_exact(4).map(|c| <[u8; 4]>::try_from(c).unwrap())
    };
    match word(0) {
        2 => *held = fours(32).collect(),
        3 => {
            for (index, value) in fours(32).zip(fours(32 + 4 * count)) {
                held[u32::from_le_bytes(index) as usize] = value;
            }
        }
        _ => {}
    }
}
