//! The live socket of a project: hands messages between the browser and the session.

use std::{
    sync::atomic::{AtomicU32, Ordering},
    time::Duration,
};

use axum::{
    extract::{
        Path, State, WebSocketUpgrade,
        ws::{Message, WebSocket},
    },
    response::Response,
};
use futures::{SinkExt, StreamExt};
use speckle_store::ProjectId;
use tokio::sync::mpsc;

use crate::{
    App,
    session::{Command, Hand, MOST_QUEUED},
    wire::{self, ClientMessage, HeldMesh, ServerMessage},
};

/// The most bytes one message of the browser may have: thousands of samples fit.
const MOST_MESSAGE: usize = 1 << 20;

static NEXT_CLIENT: AtomicU32 = AtomicU32::new(1);

/// How long a client may take to say who it is.
const PATIENCE: Duration = Duration::from_secs(10);

/// The longest name a hand may have.
const LONGEST_NAME: usize = 60;

/// Opens the socket.
pub async fn socket(
    State(app): State<App>,
    Path(project): Path<ProjectId>,
    upgrade: WebSocketUpgrade,
) -> Response {
    upgrade.max_message_size(MOST_MESSAGE).on_upgrade(move |socket| serve(app, project, socket))
}

async fn serve(app: App, project: ProjectId, socket: WebSocket) {
    let client = NEXT_CLIENT.fetch_add(1, Ordering::Relaxed);
    let (mut out, mut incoming) = socket.split();
    let Some((name, held)) = introduction(&mut incoming).await else { return };
    let (sender, mut messages) = mpsc::channel(MOST_QUEUED);
    let hand = Hand { name, sender };
    if let Err(error) = app.send(project, Command::Join(client, hand, held)).await {
        let refused = match error.is_not_found() {
            true => ServerMessage::Gone,
            false => ServerMessage::Refused { message: error.message },
        };
        let _ = out.send(wire::json(&refused)).await;
        let _ = out.close().await;
        return;
    }
    let writer = tokio::spawn(async move {
        while let Some(message) = messages.recv().await {
            if out.send(message).await.is_err() {
                return;
            }
        }
        let _ = out.close().await;
    });
    while let Some(Ok(message)) = incoming.next().await {
        let Message::Text(text) = message else { continue };
        match serde_json::from_str(&text) {
            Ok(heard) => {
                if app.send(project, Command::Say(client, heard)).await.is_err() {
                    break;
                }
            }
            Err(error) => {
                tracing::warn!("client {client} sent what cannot be understood: {error}");
                break;
            }
        }
    }
    let _ = app.send(project, Command::Leave(client)).await;
    writer.abort();
}

/// A name as it is kept: one line, not too long.
pub fn plain_name(name: &str) -> String {
    let plain = name.chars().filter(|c| !c.is_control()).take(LONGEST_NAME).collect::<String>();
    plain.trim().to_owned()
}

/// The first message, which says who is there.
async fn introduction(
    incoming: &mut (impl StreamExt<Item = Result<Message, axum::Error>> + Unpin),
) -> Option<(String, Vec<HeldMesh>)> {
    let first = tokio::time::timeout(PATIENCE, incoming.next()).await.ok()??.ok()?;
    let Message::Text(text) = first else { return None };
    match serde_json::from_str(&text) {
        Ok(ClientMessage::Join { hand, held }) => Some((plain_name(&hand), held)),
        _ => None,
    }
}
