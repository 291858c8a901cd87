//! What is written into a project's file, a transaction at a time.

use rusqlite::{OptionalExtension, Transaction, params};
use speckle_core::{Change, ChangeStep, Document, document::DocumentRecord};
use speckle_mesh::{ContentId, Geometry};
use std::sync::Arc;

use super::{head_sum, row_sum};
use crate::{Position, Row, StoreError, blob};

/// A document as it is at a row of the journal: opening starts from there.
pub struct Checkpoint {
    record: DocumentRecord,
    /// The meshes that it names, also those that no row brought: a mesh that was changed here and
    /// there is nowhere else.
    meshes: Vec<Arc<Geometry>>,
}

impl Checkpoint {
    /// Of a document as it is.
    #[must_use]
    pub fn of(document: &Document) -> Self {
        let record = document.record();
        let meshes = record.meshes().filter_map(|id| document.geometry(id).cloned()).collect();
        Self { record, meshes }
    }
}

/// What is written to a project's file, in order, several at once in one transaction.
pub enum Write {
    /// A change that was laid onto the document.
    Change {
        /// Its row.
        seq: i64,
        /// The project's revision from then on.
        revision: i64,
        /// What was done.
        change: Arc<Change>,
        /// Who did it.
        author: String,
        /// When, in milliseconds since 1970.
        at_ms: i64,
        /// The meshes of the parts it brings or takes away.
        meshes: Vec<Arc<Geometry>>,
        /// The document after it, where it cuts off the way to the checkpoint.
        checkpoint: Option<Box<Checkpoint>>,
    },
    /// An undo or a redo.
    Cursor {
        /// The last row in effect from then on.
        cursor: i64,
        /// The project's revision from then on.
        revision: i64,
    },
    /// The document as it is at a row, so that opening need not replay the journal.
    Checkpoint {
        /// The row.
        seq: i64,
        /// The document.
        checkpoint: Box<Checkpoint>,
    },
    /// The project has another name.
    Name(String),
    /// When the project was opened last.
    Opened(i64),
}

impl Write {
    /// A change that was just laid onto `document`, as the row after `position`'s cursor.
    #[must_use]
    pub fn change(
        position: Position,
        checkpoint_seq: i64,
        change: Arc<Change>,
        author: String,
        at_ms: i64,
        document: &Document,
    ) -> Self {
        let meshes = brought(&change).filter_map(|id| document.geometry(id).cloned()).collect();
        // The rows that lead from here to a later checkpoint are about to be cut off.
        let checkpoint =
            (checkpoint_seq > position.cursor).then(|| Box::new(Checkpoint::of(document)));
        let (seq, revision) = (position.cursor + 1, position.revision + 1);
        Self::Change { seq, revision, change, author, at_ms, meshes, checkpoint }
    }
}

/// Lays one write into a transaction; tells whether something was taken away.
pub(super) fn write_one(transaction: &Transaction, write: &Write) -> Result<bool, StoreError> {
    match write {
        Write::Change { seq, revision, change, author, at_ms, meshes, checkpoint } => {
            let cut = transaction.execute("DELETE FROM journal WHERE seq >= ?1", [seq])?;
            insert_row(transaction, *seq, change, author, *at_ms)?;
            for id in brought(change) {
                insert_mesh(transaction, *seq, id, meshes)?;
            }
            set_place(transaction, *seq, *revision)?;
            if let Some(checkpoint) = checkpoint {
                insert_checkpoint(transaction, *seq, &checkpoint.record)?;
                keep_meshes(transaction, *seq, checkpoint)?;
            }
            if cut > 0 {
                // Meshes that only rows just cut off brought are out of reach for good.
                sweep_meshes(transaction)?;
            }
            Ok(cut > 0)
        }
        Write::Cursor { cursor, revision } => {
            set_place(transaction, *cursor, *revision)?;
            Ok(false)
        }
        Write::Checkpoint { seq, checkpoint } => {
            let gone = forget_meshes(transaction)?;
            insert_checkpoint(transaction, *seq, &checkpoint.record)?;
            keep_meshes(transaction, *seq, checkpoint)?;
            if gone > 0 {
                sweep_meshes(transaction)?;
            }
            Ok(false)
        }
        Write::Name(name) => {
            transaction.execute("UPDATE project SET name = ?1", [name])?;
            Ok(false)
        }
        Write::Opened(at_ms) => {
            transaction.execute("UPDATE project SET opened_ms = ?1", [at_ms])?;
            Ok(false)
        }
    }
}

pub(crate) fn set_place(
    transaction: &Transaction,
    cursor: i64,
    revision: i64,
) -> Result<(), StoreError> {
    transaction.execute(
        "UPDATE project SET cursor = ?1, revision = ?2, sum = ?3",
        params![cursor, revision, head_sum(cursor, revision)],
    )?;
    Ok(())
}

pub(crate) fn insert_row(
    transaction: &Transaction,
    seq: i64,
    change: &Change,
    author: &str,
    at_ms: i64,
) -> Result<(), StoreError> {
    let packed = blob::pack(change)?;
    let row =
        Row { label: change.label.clone(), author: author.to_owned(), follows: change.follows };
    transaction.execute(
        "INSERT INTO journal (seq, at_ms, author, label, follows, change, sum)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
        params![
            seq,
            at_ms,
            row.author,
            row.label,
            row.follows,
            packed,
            row_sum(seq, at_ms, &row, &packed)
        ],
    )?;
    Ok(())
}

pub(super) fn insert_mesh(
    transaction: &Transaction,
    seq: i64,
    id: ContentId,
    at_hand: &[Arc<Geometry>],
) -> Result<(), StoreError> {
    let known = transaction
        .query_row("SELECT 1 FROM meshes WHERE id = ?1", [id.as_bytes()], |_| Ok(()))
        .optional()?;
    if known.is_none()
        && let Some(geometry) = at_hand.iter().find(|geometry| geometry.id() == id)
    {
        transaction.execute(
            "INSERT INTO meshes (id, data) VALUES (?1, ?2)",
            params![id.as_bytes(), blob::pack(geometry.mesh())?],
        )?;
    }
    transaction.execute(
        "INSERT OR IGNORE INTO journal_meshes (seq, mesh) VALUES (?1, ?2)",
        params![seq, id.as_bytes()],
    )?;
    Ok(())
}

pub(super) fn sweep_meshes(transaction: &Transaction) -> Result<(), StoreError> {
    let all = "DELETE FROM meshes WHERE id NOT IN (SELECT mesh FROM journal_meshes)";
    transaction.execute(all, [])?;
    Ok(())
}

/// The meshes of a checkpoint that no row up to it brought stay as long as its row does.
pub(super) fn keep_meshes(
    transaction: &Transaction,
    seq: i64,
    Checkpoint { record, meshes }: &Checkpoint,
) -> Result<(), StoreError> {
    let known = "SELECT EXISTS (SELECT 1 FROM journal_meshes WHERE mesh = ?1 AND seq <= ?2)";
    // Before the first row there is nothing.
    for id in record.meshes().filter(|_| seq > 0) {
        let is_known: bool =
            transaction.query_row(known, params![id.as_bytes(), seq], |row| row.get(0))?;
        if !is_known {
            insert_mesh(transaction, seq, id, meshes)?;
        }
    }
    Ok(())
}

/// Lets go of the meshes that stay for the last checkpoint's sake alone; how many.
pub(super) fn forget_meshes(transaction: &Transaction) -> Result<usize, StoreError> {
    let last = "SELECT seq, change FROM journal WHERE seq = (SELECT seq FROM checkpoint)";
    let row = |row: &rusqlite::Row| Ok((row.get(0)?, row.get(1)?));
    let Some((seq, change)): Option<(i64, Vec<u8>)> =
        transaction.query_row(last, [], row).optional()?
    else {
        return Ok(0);
    };
    // What cannot be read is not here to be judged: its meshes stay.
    let Ok(change) = blob::unpack::<Change>(&change) else { return Ok(0) };
    let mut query = transaction.prepare("SELECT mesh FROM journal_meshes WHERE seq = ?1")?;
    let mut others =
        query.query_map([seq], |row| row.get::<_, Vec<u8>>(0))?.collect::<Result<Vec<_>, _>>()?;
    let is = |mesh: &[u8], id: ContentId| *id.as_bytes() == *mesh;
    others.retain(|mesh| !brought(&change).any(|id| is(mesh, id)));
    if others.is_empty() {
        return Ok(0);
    }
    // In files of earlier versions the first row answers for the meshes of all rows.
    let data: Vec<u8> =
        transaction.query_row("SELECT data FROM checkpoint", [], |row| row.get(0))?;
    let Ok(record) = blob::unpack::<DocumentRecord>(&data) else { return Ok(0) };
    others.retain(|mesh| record.meshes().any(|id| is(mesh, id)));
    let forget = "DELETE FROM journal_meshes WHERE seq = ?1 AND mesh = ?2";
    let gone = others.iter().map(|mesh| transaction.execute(forget, params![seq, mesh]));
    Ok(gone.sum::<Result<usize, _>>()?)
}

/// The meshes that a change brings, or would bring back.
pub(super) fn brought(change: &Change) -> impl Iterator<Item = ContentId> + '_ {
    change.steps.iter().filter_map(|step| match step {
        ChangeStep::Part { part, .. } | ChangeStep::PartGone { part, .. } => Some(part.mesh),
        _ => None,
    })
}

pub(crate) fn insert_checkpoint(
    transaction: &Transaction,
    seq: i64,
    record: &DocumentRecord,
) -> Result<(), StoreError> {
    let data = blob::pack(record)?;
    let sum = blob::digest(&[&seq.to_le_bytes(), &data]);
    transaction.execute(
        "INSERT OR REPLACE INTO checkpoint VALUES (1, ?1, ?2, ?3)",
        params![seq, data, sum],
    )?;
    Ok(())
}
