//! The server on loopback, and a client of it.
use std::{
    net::SocketAddr,
    time::{Duration, Instant},
};

use futures::{SinkExt, StreamExt};
use serde_json::{Value, json};
use speckle_core::{Document, Edit};
use speckle_server::{Config, router};
use speckle_store::Store;
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    net::{TcpListener, TcpStream},
};
use tokio_tungstenite::{connect_async, tungstenite::Message};

pub type Socket = tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<TcpStream>>;

pub async fn serve(store: Store) -> SocketAddr {
    serve_with(store, Config::default()).await
}

pub async fn serve_with(store: Store, config: Config) -> SocketAddr {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let config = Config { most_upload: 1 << 20, ..config };
    tokio::spawn(async move { axum::serve(listener, router(store, &config)).await });
    address
}

/// One request; the status and the body.
pub async fn ask(address: SocketAddr, head: &str, body: &[u8]) -> (u16, Vec<u8>) {
    let mut stream = TcpStream::connect(address).await.unwrap();
    let head = format!("{head}\r\nConnection: close\r\nContent-Length: {}\r\n\r\n", body.len());
    stream.write_all(head.as_bytes()).await.unwrap();
    let _ = stream.write_all(body).await;
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer).await;
    let end = answer.windows(4).position(|w| w == b"\r\n\r\n").unwrap();
    let body = answer.split_off(end + 4);
    let status = String::from_utf8_lossy(&answer[9..12]).parse().unwrap();
    (status, body)
}

pub async fn post(address: SocketAddr, path: &str, body: Value) -> (u16, Value) {
    let head = format!("POST {path} HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/json");
    let (status, body) = ask(address, &head, body.to_string().as_bytes()).await;
    (status, serde_json::from_slice(&body).unwrap_or(Value::Null))
}

/// What is answered to a question, as JSON.
pub async fn get(address: SocketAddr, path: &str) -> (u16, Value) {
    let head = format!("GET {path} HTTP/1.1\r\nHost: {address}");
    let (status, body) = ask(address, &head, b"").await;
    (status, serde_json::from_slice(&body).unwrap_or(Value::Null))
}

/// Sends something by a verb; the status and what was said.
pub async fn send(address: SocketAddr, verb: &str, path: &str, body: &Value) -> (u16, Value) {
    let head =
        format!("{verb} {path} HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/json");
    let (status, body) = ask(address, &head, body.to_string().as_bytes()).await;
    (status, serde_json::from_slice(&body).unwrap_or(Value::Null))
}

/// Brings in the bare bollard, with one set and no recipes.
pub async fn bollard(address: SocketAddr) -> i64 {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("bollard.speckle");
    let store = Store::temporary().unwrap();
    let parts = speckle_demo::piece("bollard").unwrap().make(speckle_demo::Detail::Usual);
    let mut document = Document::default();
    let change = document.apply(Edit::bring_in(parts)).unwrap();
    let project = store.create_with("Mooring bollard", &change, "Puffin", 0, &document).unwrap();
    store.export_project(project, &path).unwrap();
    let import = format!("POST /api/v1/projects/file HTTP/1.1\r\nHost: {address}");
    let (status, made) = ask(address, &import, &std::fs::read(path).unwrap()).await;
    assert_eq!(status, 200);
    serde_json::from_slice::<Value>(&made).unwrap()["id"].as_i64().unwrap()
}

pub async fn join(address: SocketAddr, project: i64) -> Socket {
    join_as(address, project, "Puffin", json!([])).await
}

pub async fn join_as(address: SocketAddr, project: i64, hand: &str, held: Value) -> Socket {
    let url = format!("ws://{address}/api/v1/projects/{project}/live");
    let mut socket = connect_async(url).await.unwrap().0;
    say(&mut socket, json!({ "type": "join", "hand": hand, "held": held })).await;
    socket
}

/// The numbers of the first part and its first set.
pub async fn first_of(address: SocketAddr, project: i64) -> (u64, u64) {
    let mut socket = join(address, project).await;
    let hello = hear(&mut socket, "hello", |_| {}).await;
    let part = &hello["outline"]["parts"][0];
    (part["id"].as_u64().unwrap(), part["sets"][0]["id"].as_u64().unwrap())
}

/// Sends a mesh file as a browser does.
pub async fn send_file(address: SocketAddr, path: &str, name: &str, bytes: &[u8]) -> (u16, Value) {
    let head = format!(
        "POST {path} HTTP/1.1\r\nHost: {address}\r\nContent-Type: multipart/form-data; boundary=split"
    );
    let mut body = format!(
        "--split\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n"
    )
    .into_bytes();
    body.extend_from_slice(bytes);
    body.extend_from_slice(b"\r\n--split--\r\n");
    let (status, body) = ask(address, &head, &body).await;
    (status, serde_json::from_slice(&body).unwrap_or(Value::Null))
}

/// The next JSON message of a type; frames before it are handed to `frames`.
pub async fn hear(socket: &mut Socket, kind: &str, frames: impl FnMut(&[u8])) -> Value {
    hear_any(socket, &[kind], frames).await
}

/// The next JSON message of some types.
pub async fn hear_any(socket: &mut Socket, kinds: &[&str], mut frames: impl FnMut(&[u8])) -> Value {
    let limit = Instant::now() + Duration::from_secs(20);
    loop {
        let left = limit.saturating_duration_since(Instant::now());
        let message = tokio::time::timeout(left, socket.next()).await;
        match message.unwrap_or_else(|_| panic!("waited in vain for {kinds:?}")).unwrap().unwrap() {
            Message::Text(text) => {
                let message: Value = serde_json::from_str(&text).unwrap();
                if kinds.iter().any(|kind| message["type"] == *kind) {
                    return message;
                }
            }
            Message::Binary(bytes) => frames(&bytes),
            _ => {}
        }
    }
}

/// The first JSON message of each of some types, in whichever order they come.
pub async fn hear_each<const N: usize>(
    socket: &mut Socket,
    kinds: [&str; N],
    mut frames: impl FnMut(&[u8]),
) -> [Value; N] {
    let mut heard = [const { Value::Null }; N];
    while heard.contains(&Value::Null) {
        let message = hear_any(socket, &kinds, &mut frames).await;
        let kind = kinds.iter().position(|kind| message["type"] == *kind).unwrap();
        if heard[kind].is_null() {
            heard[kind] = message;
        }
    }
    heard
}

/// The acknowledgement of what begins with a label: others may be on their way still.
pub async fn kept(socket: &mut Socket, label: &str, mut frames: impl FnMut(&[u8])) -> Value {
    loop {
        let kept = hear(socket, "kept", &mut frames).await;
        if kept["label"].as_str().unwrap().starts_with(label) {
            return kept;
        }
    }
}

pub async fn say(socket: &mut Socket, message: Value) {
    socket.send(Message::text(message.to_string())).await.unwrap();
}

/// Asks by the live socket.
pub async fn inquire(socket: &mut Socket, question: u32, about: Value) {
    say(socket, json!({ "type": "ask", "question": question, "about": about })).await;
}

/// Values of the first set as a client holds them, by what frames say.
#[derive(Default, Clone, PartialEq)]
pub struct Held(pub Vec<[u8; 4]>);

impl Held {
    pub fn take(&mut self, frame: &[u8]) {
        let word = |i: usize| u32::from_le_bytes(frame[4 * i..4 * i + 4].try_into().unwrap());
        let count = word(3) as usize;
        let fours = |from: usize| {
            frame[from..from + 4 * count].chunks_exact(4).map(|c| c.try_into().unwrap())
        };
        match word(0) {
            2 => self.0 = fours(32).collect(),
            3 => {
                for (index, value) in fours(32).zip(fours(32 + 4 * count)) {
                    self.0[u32::from_le_bytes(index) as usize] = value;
                }
            }
            _ => {}
        }
    }
}

pub fn stroke(hello: &Value, paint: [f32; 4]) -> Value {
    let part = &hello["outline"]["parts"][0];
    json!({ "type": "stroke_begin", "start": {
        "part": part["id"], "set": part["sets"][0]["id"], "channels": [true, true, true, false],
        "paint": paint,
        "brush": { "radius": 30.0, "opacity": 1.0, "hardness": 0.5 },
        "view": { "kind": "perspective", "eye": [0.0, 130.0, 900.0], "forward": [0.0, 0.0, -1.0] },
    }})
}

pub fn moved(points: &[[f32; 2]]) -> Value {
    let samples: Vec<Value> = points
        .iter()
        .map(|[x, y]| json!({ "origin": [0.0, 130.0, 900.0], "direction": [x, y, -900.0] }))
        .collect();
    json!({ "type": "stroke_move", "samples": samples })
}

/// A PNG of one white pixel, as PNG (ISO/IEC 15948) writes it.
pub const WHITE_PIXEL: &[u8] = &[
    0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0x00, 0x00, 0x00, 0x0d, 0x49, 0x48, 0x44, 0x52,
    0x00, 0x00, 0x00, 0x01, 0x00, 0x00, 0x00, 0x01, 0x08, 0x00, 0x00, 0x00, 0x00, 0x3a, 0x7e, 0x9b,
    0x55, 0x00, 0x00, 0x00, 0x0a, 0x49, 0x44, 0x41, 0x54, 0x78, 0xda, 0x63, 0xf8, 0x0f, 0x00, 0x01,
    0x01, 0x01, 0x00, 0x1c, 0xb0, 0x8c, 0x99, 0x00, 0x00, 0x00, 0x00, 0x49, 0x45, 0x4e, 0x44, 0xae,
    0x42, 0x60, 0x82,
];
