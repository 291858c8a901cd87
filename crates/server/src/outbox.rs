//! What waits to be sent to a client, bounded in bytes: a tab that does not read costs a bounded
//! memory, then its socket, and it may come back.

use std::sync::{
    Arc,
    atomic::{AtomicUsize, Ordering},
};

use axum::extract::ws::Message;
use speckle_mesh::Geometry;
use speckle_model::PartId;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};

use crate::wire;

/// What a message costs beside its bytes.
const OVERHEAD: usize = 64;

/// Something to send.
pub enum Parcel {
    /// A message as it is.
    Ready(Message),
    /// A mesh, turned into a frame when it is its turn: it is shared and never changes, and its
    /// frame is as large as itself.
    Geometry(PartId, Arc<Geometry>),
}

/// The end where messages come in.
pub struct Outbox {
    parcels: UnboundedSender<Parcel>,
    waiting: Arc<AtomicUsize>,
}

/// The end where they go out.
pub struct Outgoing {
    parcels: UnboundedReceiver<Parcel>,
    waiting: Arc<AtomicUsize>,
}

/// An empty one.
pub fn outbox() -> (Outbox, Outgoing) {
    let (sender, receiver) = unbounded_channel();
    let waiting = Arc::new(AtomicUsize::new(0));
    (Outbox { parcels: sender, waiting: waiting.clone() }, Outgoing { parcels: receiver, waiting })
}

impl Outbox {
    /// Takes a message; false when the client is gone, or so many bytes wait already.
    pub fn send(&self, message: Message, most_waiting: usize) -> bool {
        if self.waiting.load(Ordering::Relaxed) > most_waiting {
            return false;
        }
        self.waiting.fetch_add(cost(&message), Ordering::Relaxed);
        self.parcels.send(Parcel::Ready(message)).is_ok()
    }

    /// Takes a mesh; false when the client is gone.
    pub fn send_geometry(&self, part: PartId, geometry: Arc<Geometry>) -> bool {
        self.parcels.send(Parcel::Geometry(part, geometry)).is_ok()
    }
}

impl Outgoing {
    /// The next one; none when nothing will come any more. Nothing is lost when whoever waits for it
    /// takes up something else: what takes time is left to [`Parcel::message`].
    pub async fn next(&mut self) -> Option<Parcel> {
        let parcel = self.parcels.recv().await?;
        if let Parcel::Ready(message) = &parcel {
            self.waiting.fetch_sub(cost(message), Ordering::Relaxed);
        }
        Some(parcel)
    }
}

impl Parcel {
    /// What goes over the socket; none when it could not be made.
    pub async fn message(self) -> Option<Message> {
        match self {
            Self::Ready(message) => Some(message),
            Self::Geometry(part, geometry) => {
                let framed =
                    tokio::task::spawn_blocking(move || wire::frames::geometry(part, &geometry));
                framed.await.ok()
            }
        }
    }
}

fn cost(message: &Message) -> usize {
    OVERHEAD
        + match message {
            Message::Text(text) => text.len(),
            Message::Binary(bytes) | Message::Ping(bytes) | Message::Pong(bytes) => bytes.len(),
            Message::Close(_) => 0,
        }
}
