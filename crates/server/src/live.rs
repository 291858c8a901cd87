//! The live socket of a project: hands messages between the browser and the session.

use std::{
    sync::{
        Arc,
        atomic::{AtomicU32, Ordering},
    },
    time::Duration,
};

use axum::{
    extract::{
        Path, State, WebSocketUpgrade,
        ws::{CloseFrame, Message, WebSocket},
    },
    response::Response,
};
use futures::{SinkExt, StreamExt};
use speckle_model::json;
use speckle_store::ProjectId;
use tokio::{
    sync::{Semaphore, mpsc},
    time::{MissedTickBehavior, interval, timeout},
};

use crate::{
    App,
    outbox::outbox,
    session::command::{Command, Hand},
    wire::{self, ClientMessage, HeldMesh, ServerMessage},
};

/// The most bytes one message of the browser may have: thousands of samples fit.
const MOST_MESSAGE: usize = 1 << 20;

static NEXT_CLIENT: AtomicU32 = AtomicU32::new(1);

/// How long a client may take to say who it is.
const PATIENCE: Duration = Duration::from_secs(10);

/// How long a client may take to read a message.
const STALL: Duration = Duration::from_secs(30);

/// How often a client is told that the server is there.
const BEAT: Duration = Duration::from_secs(3);

/// How long a client may be silent, who answers every beat: a line that broke somewhere on the way
/// says nothing of it.
const SILENCE: Duration = Duration::from_secs(30);

/// How many messages of a client may wait for the session: one that sends thousands waits for
/// itself, not others for it.
const MOST_UNHEARD: usize = 8;

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
    let _open = app.sockets.token();
    let client = NEXT_CLIENT.fetch_add(1, Ordering::Relaxed);
    let (mut out, mut incoming) = socket.split();
    let Some((name, held)) = introduction(&mut incoming).await else { return };
    let (outbox, mut outgoing) = outbox();
    let joined = app.send(project, Command::Join(client, Hand { name, outbox }, held)).await;
    let session = match joined {
        Ok(session) => session,
        Err(error) => {
            let refused = match error.is_not_found() {
                true => ServerMessage::Gone,
                false => ServerMessage::Refused { message: error.message },
            };
            let _ = out.send(wire::json(&refused)).await;
            let _ = out.close().await;
            return;
        }
    };
    let (tell_wrong, mut wrong) = mpsc::channel(1);
    let writer = tokio::spawn(async move {
        let mut beats = interval(BEAT);
        beats.set_missed_tick_behavior(MissedTickBehavior::Delay);
        loop {
            let message = tokio::select! {
                biased;
                Some(wrong) = wrong.recv() => Message::Close(Some(wrong)),
                parcel = outgoing.next() => match parcel {
                    Some(parcel) => match parcel.message().await {
                        Some(message) => message,
                        None => continue,
                    },
                    None => break,
                },
                _ = beats.tick() => wire::json(&ServerMessage::Beat),
            };
            let is_last = matches!(message, Message::Close(_));
            // Whoever does not read costs memory: it may come back.
            if !matches!(timeout(STALL, out.send(message)).await, Ok(Ok(()))) || is_last {
                return;
            }
        }
        let _ = out.close().await;
    });
    let room = Arc::new(Semaphore::new(MOST_UNHEARD));
    while let Ok(Some(Ok(message))) = timeout(SILENCE, incoming.next()).await {
        let Message::Text(text) = message else { continue };
        match json::read(text.as_bytes()) {
            Ok(ClientMessage::Beat) => {}
            Ok(heard) => {
                let Ok(permit) = room.clone().acquire_owned().await else { break };
                if session.send(Command::Say(client, heard, permit)).is_err() {
                    break;
                }
            }
            Err(error) => {
                tracing::warn!("client {client} sent what cannot be understood: {error}");
                let mut reason = format!("a message cannot be understood: {error}");
                // A control frame holds 125 bytes, two of them the code (RFC 6455, 5.5).
                reason.truncate(reason.floor_char_boundary(120));
                // 1007 is "not consistent with the type of the message" (7.4.1).
                let _ = tell_wrong.try_send(CloseFrame { code: 1007, reason: reason.into() });
                let _ = session.send(Command::Leave(client));
                let _ = timeout(STALL, writer).await;
                return;
            }
        }
    }
    let _ = session.send(Command::Leave(client));
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
    let first = timeout(PATIENCE, incoming.next()).await.ok()??.ok()?;
    let Message::Text(text) = first else { return None };
    match json::read(text.as_bytes()) {
        Ok(ClientMessage::Join { hand, held }) => Some((plain_name(&hand), held)),
        _ => None,
    }
}
