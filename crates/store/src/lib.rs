//! Projects on disk: a journal of changes, checkpoints of the document, and meshes, in one SQLite
//! file.
//!
//! The journal is the history. A row is committed (WAL, synchronous FULL) before anyone is told
//! that it is kept; opening a project lays the rows after its checkpoint onto it. Undo moves a
//! cursor back; a new change after an undo cuts the rows behind the cursor off.

mod blob;
mod file;
mod recipients;
mod shelf;

use std::{path::Path, time::Duration};

pub use recipients::StoredRecipient;
pub use shelf::DiskUse;

use rusqlite::{Connection, OptionalExtension, params};
use rusqlite_migration::{M, Migrations};
use serde::{Deserialize, Serialize};
use speckle_core::{
    Change, Document, EditError, Mesh, Step,
    document::{Direction, DocumentRecord},
};

/// Names a project in the file.
pub type ProjectId = i64;

/// Why the store could not do something.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The disk has no room left.
    #[error("the disk is full: free some room, then try again; nothing was changed")]
    DiskFull,
    /// What SQLite reports.
    #[error("the project file could not be used: {0}")]
    Sqlite(rusqlite::Error),
    /// The file could not be brought up to this version.
    #[error("the project file is of another version: {0}")]
    Migration(#[from] rusqlite_migration::Error),
    /// There is no such project.
    #[error("there is no project {0}")]
    NoSuchProject(ProjectId),
    /// A file beside the store could not be used.
    #[error("a file could not be used: {0}")]
    File(#[from] std::io::Error),
    /// A name with nothing in it.
    #[error("a name is needed")]
    NoName,
    /// A file that should be a project is something else.
    #[error("this is no project file: choose one that was exported from here (.speckle)")]
    NoProjectFile,
    /// Stored bytes are not what they should be.
    #[error("the project file is damaged: {0}")]
    Damaged(String),
}

impl From<rusqlite::Error> for StoreError {
    fn from(error: rusqlite::Error) -> Self {
        match error.sqlite_error_code() {
            Some(rusqlite::ErrorCode::DiskFull) => Self::DiskFull,
            _ => Self::Sqlite(error),
        }
    }
}

impl From<EditError> for StoreError {
    fn from(error: EditError) -> Self {
        Self::Damaged(error.to_string())
    }
}

/// A project in the list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Project {
    /// Names it.
    pub id: ProjectId,
    /// What the user calls it.
    pub name: String,
    /// When it was made, in milliseconds since 1970.
    pub created_ms: i64,
    /// When it was last opened, likewise.
    pub opened_ms: i64,
    /// Counts every change, undo and redo.
    pub revision: i64,
    /// How much room it takes.
    pub bytes: i64,
}

impl Project {
    /// What tells it from all others, whatever it is called, in the files that are sent.
    #[must_use]
    pub fn mark(&self) -> String {
        format!("{:x}-{:x}", self.created_ms, self.id)
    }
}

/// Where a project stands in its journal.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Position {
    /// The last row in effect; 0 before the first.
    pub cursor: i64,
    /// The last row there is.
    pub end: i64,
    /// Counts every change, undo and redo; never goes back.
    pub revision: i64,
}

/// A journal row without its change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// What was done.
    pub label: String,
    /// Who did it.
    pub author: String,
    /// Whether it goes with the row before it.
    pub follows: bool,
}

/// A project as opened.
pub struct Opened {
    /// The project in memory.
    pub document: Document,
    /// Its place in the journal.
    pub position: Position,
    /// Its name.
    pub name: String,
}

/// The file.
pub struct Store {
    connection: Connection,
}

impl Store {
    /// Opens the file, making it when it is not there.
    ///
    /// # Errors
    /// When it cannot be opened or is no project file.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        Self::prepare(Connection::open(path)?)
    }

    /// A store that is gone when dropped; for tests.
    ///
    /// # Errors
    /// When SQLite cannot be set up.
    pub fn in_memory() -> Result<Self, StoreError> {
        Self::prepare(Connection::open_in_memory()?)
    }

    fn prepare(mut connection: Connection) -> Result<Self, StoreError> {
        connection.busy_timeout(Duration::from_secs(5))?;
        // Takes effect in a new file only: deleted projects give their room back.
        connection.pragma_update(None, "auto_vacuum", "INCREMENTAL")?;
        connection.pragma_update_and_check(None, "journal_mode", "WAL", |_| Ok(()))?;
        // In WAL mode only FULL syncs each commit, so that a power cut loses nothing acknowledged.
        connection.pragma_update(None, "synchronous", "FULL")?;
        connection.pragma_update(None, "foreign_keys", true)?;
        Self::migrate(&mut connection)?;
        Ok(Self { connection })
    }

    /// Brings a file up to this version.
    fn migrate(connection: &mut Connection) -> Result<(), StoreError> {
        let migrations = Migrations::new(vec![
            M::up(include_str!("../migrations/01-projects.sql")),
            M::up(include_str!("../migrations/02-shelf.sql")),
            M::up(include_str!("../migrations/03-follows.sql")),
            M::up(include_str!("../migrations/04-recipients.sql")),
        ]);
        Ok(migrations.to_latest(connection)?)
    }

    /// Opens a project as its journal has it.
    ///
    /// # Errors
    /// When there is none, or it is damaged.
    pub fn open_project(&self, project: ProjectId) -> Result<Opened, StoreError> {
        type Stored = (String, Option<Vec<u8>>, i64);
        let (name, checkpoint, checkpoint_seq): Stored = self
            .connection
            .query_row(
                "SELECT name, checkpoint, checkpoint_seq FROM projects WHERE id = ?1",
                [project],
                |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)),
            )
            .optional()?
            .ok_or(StoreError::NoSuchProject(project))?;
        let position = self.position(project)?;
        let mut document = match checkpoint {
            None => Document::default(),
            Some(bytes) => {
                let record: DocumentRecord = blob::unpack(&bytes)?;
                let meshes =
                    record.meshes().map(|id| self.mesh(project, id)).collect::<Result<_, _>>()?;
                Document::restore(record, meshes)?
            }
        };
        for seq in checkpoint_seq + 1..=position.cursor {
            self.replay(project, seq, Direction::Forward, &mut document)?;
        }
        for seq in (position.cursor + 1..=checkpoint_seq).rev() {
            self.replay(project, seq, Direction::Backward, &mut document)?;
        }
        Ok(Opened { document, position, name })
    }

    /// Lays a journal row onto a document, or takes it back; returns what it was.
    ///
    /// # Errors
    /// When the row is missing or does not fit.
    pub fn replay(
        &self,
        project: ProjectId,
        seq: i64,
        direction: Direction,
        document: &mut Document,
    ) -> Result<Change, StoreError> {
        let bytes: Vec<u8> = self
            .connection
            .query_row(
                "SELECT change FROM journal WHERE project = ?1 AND seq = ?2",
                [project, seq],
                |row| row.get(0),
            )
            .optional()?
            .ok_or_else(|| StoreError::Damaged(format!("journal row {seq} is missing")))?;
        let change: Change = blob::unpack(&bytes)?;
        for id in document.missing_meshes(&change) {
            document.supply_mesh(self.mesh(project, id)?);
        }
        document.replay(&change, direction)?;
        Ok(change)
    }

    /// Where the project stands.
    ///
    /// # Errors
    /// When there is none.
    pub fn position(&self, project: ProjectId) -> Result<Position, StoreError> {
        self.connection
            .query_row(
                "SELECT cursor, revision,
                        coalesce((SELECT max(seq) FROM journal WHERE project = ?1), 0)
                 FROM projects WHERE id = ?1",
                [project],
                |row| Ok(Position { cursor: row.get(0)?, revision: row.get(1)?, end: row.get(2)? }),
            )
            .optional()?
            .ok_or(StoreError::NoSuchProject(project))
    }

    /// What a journal row did, for the buttons that undo and redo it.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn row(&self, project: ProjectId, seq: i64) -> Result<Option<Row>, StoreError> {
        let row = self.connection.query_row(
            "SELECT label, author, follows FROM journal WHERE project = ?1 AND seq = ?2",
            [project, seq],
            |row| Ok(Row { label: row.get(0)?, author: row.get(1)?, follows: row.get(2)? }),
        );
        Ok(row.optional()?)
    }

    /// Writes a change that was just laid onto `document` as the row after the cursor, and the
    /// meshes it brought; rows that redo would have brought back are cut off. When this returns,
    /// the change is on disk.
    ///
    /// # Errors
    /// When it could not be written; nothing is then changed on disk.
    pub fn append(
        &mut self,
        project: ProjectId,
        change: &Change,
        author: &str,
        now_ms: i64,
        document: &Document,
    ) -> Result<Position, StoreError> {
        let packed = blob::pack(change)?;
        let Position { cursor, revision, .. } = self.position(project)?;
        let transaction = self.connection.transaction()?;
        let cut = transaction
            .execute("DELETE FROM journal WHERE project = ?1 AND seq > ?2", [project, cursor])?;
        let seq = cursor + 1;
        transaction.execute(
            "INSERT INTO journal (project, seq, at_ms, author, label, change, follows)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
            params![project, seq, now_ms, author, change.label, packed, change.follows],
        )?;
        for step in &change.steps {
            let (Step::Part { part, .. } | Step::PartGone { part, .. }) = step else { continue };
            let id = part.mesh.as_bytes();
            let known = transaction
                .query_row(
                    "SELECT 1 FROM meshes WHERE project = ?1 AND id = ?2",
                    params![project, id],
                    |_| Ok(()),
                )
                .optional()?;
            if known.is_none()
                && let Some(geometry) = document.geometry(part.mesh)
            {
                transaction.execute(
                    "INSERT INTO meshes (project, id, data) VALUES (?1, ?2, ?3)",
                    params![project, id, blob::pack(geometry.mesh())?],
                )?;
            }
            transaction.execute(
                "INSERT OR IGNORE INTO journal_meshes (project, seq, mesh) VALUES (?1, ?2, ?3)",
                params![project, seq, id],
            )?;
        }
        if cut > 0 {
            // Meshes that only rows just cut off brought are out of reach for good.
            transaction.execute(
                "DELETE FROM meshes WHERE project = ?1 AND id NOT IN
                 (SELECT mesh FROM journal_meshes WHERE project = ?1)",
                [project],
            )?;
        }
        transaction.execute(
            "UPDATE projects SET cursor = ?2, revision = ?3 WHERE id = ?1",
            [project, seq, revision + 1],
        )?;
        let checkpoint_seq: i64 = transaction.query_row(
            "SELECT checkpoint_seq FROM projects WHERE id = ?1",
            [project],
            |row| row.get(0),
        )?;
        if checkpoint_seq > cursor {
            // The rows that led from here to the checkpoint were just cut off.
            transaction.execute(
                "UPDATE projects SET checkpoint = ?2, checkpoint_seq = ?3 WHERE id = ?1",
                params![project, blob::pack(&document.record())?, seq],
            )?;
        }
        transaction.commit()?;
        Ok(Position { cursor: seq, end: seq, revision: revision + 1 })
    }

    /// Moves the cursor, after an undo or a redo.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn move_cursor(&mut self, project: ProjectId, cursor: i64) -> Result<Position, StoreError> {
        self.connection.execute(
            "UPDATE projects SET cursor = ?2, revision = revision + 1 WHERE id = ?1",
            [project, cursor],
        )?;
        self.position(project)
    }

    /// Stores the document as it is at the cursor, so that opening need not replay the journal.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn checkpoint(
        &mut self,
        project: ProjectId,
        document: &Document,
    ) -> Result<(), StoreError> {
        self.connection.execute(
            "UPDATE projects SET checkpoint = ?2, checkpoint_seq = cursor
             WHERE id = ?1 AND (checkpoint IS NULL OR checkpoint_seq <> cursor)",
            params![project, blob::pack(&document.record())?],
        )?;
        Ok(())
    }

    fn mesh(&self, project: ProjectId, id: speckle_core::ContentId) -> Result<Mesh, StoreError> {
        let bytes: Vec<u8> = self
            .connection
            .query_row(
                "SELECT data FROM meshes WHERE project = ?1 AND id = ?2",
                params![project, id.as_bytes()],
                |row| row.get(0),
            )
            .optional()?
            .ok_or_else(|| StoreError::Damaged(format!("the mesh {id:?} is missing")))?;
        blob::unpack(&bytes)
    }
}
