//! What a session has changed and the disk does not hold yet, and how it moves in its history.
//!
//! A change is on everyone's stage at once and acknowledged (`kept`) when its row is on disk. Until
//! then it stands here, with all that is needed to take it back.

use std::sync::Arc;

use speckle_core::{Change, document::Direction};
use speckle_store::{Position, Row, StoreError, Write};
use tokio::sync::oneshot;

use super::{
    Session,
    command::{ClientId, Serial},
    now_ms,
};
use crate::wire::{self, Deed, History, ServerMessage};

/// Something that is being written.
pub(super) struct Pending {
    serial: Serial,
    what: What,
    /// What is said when it is kept; nothing where more follows that belongs to it.
    label: Option<String>,
    /// The history as it is when it is kept.
    history: History,
    /// Where the project stood before it.
    before: Position,
    /// Who is told when it cannot be kept.
    asked: Asked,
}

enum What {
    /// A change, and the rows that it cut off.
    Change { change: Arc<Change>, cut: Vec<Row>, checkpoint_seq: i64 },
    /// An undo or redo of a row.
    Travel { change: Arc<Change>, direction: Direction },
}

/// Who waits for something to be kept.
pub(super) enum Asked {
    /// A client, by its socket.
    Client(ClientId),
    /// A request.
    Request(oneshot::Sender<Result<bool, String>>),
    /// Nobody: it was made in the background.
    Nobody,
}

impl Session {
    /// Has a change written that was just laid onto the document, and tells everyone what it did.
    pub(super) fn keep(&mut self, change: Change, author: &str, asked: Asked) {
        if change.is_empty() {
            if let Asked::Request(reply) = asked {
                let _ = reply.send(Ok(false));
            }
            return;
        }
        self.are_recipes_due = true;
        let before = self.position;
        let change = Arc::new(change);
        let checkpoint_seq = self.checkpoint_seq;
        let author = author.to_owned();
        let row =
            Row { label: change.label.clone(), author: author.clone(), follows: change.follows };
        let write =
            Write::change(before, checkpoint_seq, change.clone(), author, now_ms(), &self.document);
        let cut = self.rows.split_off(before.cursor as usize);
        self.rows.push(row);
        let seq = before.cursor + 1;
        self.position = Position { cursor: seq, end: seq, revision: before.revision + 1 };
        if checkpoint_seq > before.cursor {
            self.checkpoint_seq = seq;
        }
        self.tell_change(&change, Direction::Forward);
        let label = Some(change.label.clone());
        let what = What::Change { change, cut, checkpoint_seq };
        self.push(write, what, label, before, asked);
    }

    fn push(
        &mut self,
        write: Write,
        what: What,
        label: Option<String>,
        before: Position,
        asked: Asked,
    ) {
        let serial = self.keeper.write(write);
        let history = self.history();
        self.pending.push_back(Pending { serial, what, label, history, before, asked });
    }

    /// Everything up to a serial number is on disk.
    pub(super) fn kept(&mut self, last: Serial) {
        while let Some(pending) = self.pending.pop_front_if(|pending| pending.serial <= last) {
            if let Some(label) = pending.label {
                let by = match pending.asked {
                    Asked::Client(client) => Some(client),
                    Asked::Request(_) | Asked::Nobody => None,
                };
                let history = pending.history;
                self.tell_all(&wire::json(&ServerMessage::Kept { label, by, history }));
            }
            if let Asked::Request(reply) = pending.asked {
                let _ = reply.send(Ok(true));
            }
        }
    }

    /// Something could not be written: it is taken back, and with it all that was built on it.
    pub(super) fn not_kept(&mut self, failed: Serial, error: &StoreError) {
        let mut taken_back = Vec::new();
        while let Some(pending) = self.pending.pop_back_if(|pending| pending.serial >= failed) {
            let (change, direction) = match &pending.what {
                What::Change { change, .. } => (change.clone(), Direction::Backward),
                What::Travel { change, direction } => (change.clone(), direction.opposite()),
            };
            if let Err(second) = self.document.replay(&change, direction) {
                tracing::error!("project {} could not be taken back: {second}", self.project);
            }
            if let What::Change { cut, checkpoint_seq, .. } = pending.what {
                self.rows.pop();
                self.rows.extend(cut);
                self.checkpoint_seq = checkpoint_seq;
            }
            self.position = pending.before;
            self.tell_change(&change, direction);
            taken_back.push((change.label.clone(), pending.asked));
        }
        self.keeper.go_on();
        self.are_recipes_due = true;
        for (label, asked) in taken_back.into_iter().rev() {
            let message = format!("“{label}” could not be kept: {error}");
            match asked {
                Asked::Client(client) => self.refuse(client, message),
                Asked::Request(reply) => drop(reply.send(Err(message))),
                Asked::Nobody => tracing::error!("{message}"),
            }
        }
    }

    /// Undoes or redoes the last deed, with all rows that belong to it, or none of them.
    pub(super) fn travel(&mut self, client: ClientId, direction: Direction) {
        // The stroke under one's own hand is what one would expect to lose first.
        self.end_stroke(client);
        let rows = self.rows_of_deed(direction);
        if rows.is_empty() {
            return self.tell(client, wire::json(&ServerMessage::Nothing));
        }
        let mut changes = Vec::with_capacity(rows.len());
        for seq in &rows {
            match self.change_of(*seq) {
                Ok(change) => changes.push(change),
                Err(error) => return self.refuse(client, error.to_string()),
            }
        }
        for (done, change) in changes.iter().enumerate() {
            if let Err(error) = self.document.replay(change, direction) {
                let back = direction.opposite();
                for change in changes[..done].iter().rev() {
                    if self.document.replay(change, back).is_ok() {
                        self.tell_change(change, back);
                    }
                }
                return self.refuse(client, error.to_string());
            }
            // As it lies on the mesh that there is now, which the next one may change.
            self.tell_change(change, direction);
        }
        let did = if direction == Direction::Backward { "Undid" } else { "Redid" };
        let deed = changes.iter().find(|change| !change.follows).or(changes.first());
        let label = deed.map(|change| format!("{did}: {}", change.label));
        let last = rows.len().saturating_sub(1);
        for (n, (seq, change)) in rows.into_iter().zip(changes).enumerate() {
            self.are_recipes_due = true;
            let before = self.position;
            let cursor = if direction == Direction::Backward { seq - 1 } else { seq };
            let revision = before.revision + 1;
            self.position = Position { cursor, revision, ..before };
            let label = label.clone().filter(|_| n == last);
            let what = What::Travel { change, direction };
            let write = Write::Cursor { cursor, revision };
            let asked = if n == last { Asked::Client(client) } else { Asked::Nobody };
            self.push(write, what, label, before, asked);
        }
    }

    /// The rows that the next undo or redo moves over, in that order.
    fn rows_of_deed(&self, direction: Direction) -> Vec<i64> {
        let Position { cursor, end, .. } = self.position;
        let follows = |seq: i64| self.rows[seq as usize - 1].follows;
        match direction {
            Direction::Backward => {
                let first = (1..=cursor).rev().find(|&seq| !follows(seq) || seq == 1);
                first.map_or_else(Vec::new, |first| (first..=cursor).rev().collect())
            }
            Direction::Forward if cursor < end => {
                let more = (cursor + 2..=end).take_while(|&seq| follows(seq));
                std::iter::once(cursor + 1).chain(more).collect()
            }
            Direction::Forward => Vec::new(),
        }
    }

    /// What a row did, whether it is on disk yet or not.
    fn change_of(&mut self, seq: i64) -> Result<Arc<Change>, StoreError> {
        let at_hand = self.pending.iter().rev().find_map(|pending| match &pending.what {
            What::Change { change, .. } if pending.before.cursor + 1 == seq => Some(change.clone()),
            _ => None,
        });
        if let Some(change) = at_hand {
            return Ok(change);
        }
        let change = self.file.change(seq)?;
        self.file.supply_meshes(&change, &mut self.document)?;
        Ok(Arc::new(change))
    }

    pub(super) fn history(&self) -> History {
        let Position { cursor, end, revision } = self.position;
        // What follows a deed goes with it.
        let deed = |seq: i64| {
            let rows = &self.rows[..seq as usize];
            let own = rows.iter().rev().find(|row| !row.follows).or(rows.first());
            own.map(|row| Deed { label: row.label.clone(), hand: row.author.clone() })
        };
        History {
            revision,
            undo: (cursor > 0).then(|| deed(cursor)).flatten(),
            redo: (cursor < end).then(|| deed(cursor + 1)).flatten(),
        }
    }
}
