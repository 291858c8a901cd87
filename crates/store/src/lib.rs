//! Projects on disk: a folder with one SQLite file for each.
//!
//! A project's file holds a journal of changes, checkpoints of the document, and meshes. The
//! journal is the history: a row is committed (WAL, synchronous FULL) before anyone is told that it
//! is kept; opening a project lays the rows after its checkpoint onto it. Undo moves a cursor back;
//! a new change after an undo cuts the rows behind the cursor off.
//!
//! Files of their own keep projects apart: what one writes, copies or breaks is no concern of the
//! others, and a project that is handed on is its file. One process at a time owns the folder.

mod backups;
mod blob;
mod earlier;
mod foreign;
mod owner;
mod project;
mod recipients;
mod rescue;
mod shelf;
mod tables;

use std::path::PathBuf;

pub use project::{Checkpoint, ProjectFile, Write};
pub use recipients::StoredRecipient;
pub use rescue::{Diagnosis, diagnose, rescue_to};
pub use shelf::{DiskUse, Store};

use serde::{Deserialize, Serialize};
use speckle_core::{Document, EditError};

/// Names a project in its folder. Never given twice.
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
    File(std::io::Error),
    /// A name with nothing in it.
    #[error("a name is needed")]
    NoName,
    /// A name that nobody would read to its end.
    #[error(
        "the name is longer than {} letters: choose a shorter one",
        speckle_model::LONGEST_NAME
    )]
    LongName,
    /// A file that should be a project is something else.
    #[error("this is no project file: choose one that was exported from here (.speckle)")]
    NoProjectFile,
    /// A project file of a version to come.
    #[error("this project was written by a later version of Jaunty Speckle: use that one")]
    Later,
    /// Stored bytes are not what they should be.
    #[error("the project file is damaged: {0}")]
    Damaged(String),
    /// Another process owns the folder.
    #[error(
        "the projects in {folder} are in use by {who}: end that first, or choose another folder with --data"
    )]
    InUse {
        /// The folder.
        folder: String,
        /// Who owns it.
        who: String,
    },
    /// The folder or file belongs to something else.
    #[error("{0} holds other things than projects: choose an empty or new folder with --data")]
    NotOurs(String),
    /// A project's file was taken away while it was open.
    #[error("the file {} was moved, deleted or replaced while the project was open: put it back, then try again; nothing was changed", .0.display())]
    Moved(PathBuf),
    /// A store that was opened to be looked at only.
    #[error("the projects were opened to be read only")]
    ReadOnly,
}

impl From<rusqlite::Error> for StoreError {
    fn from(error: rusqlite::Error) -> Self {
        match error.sqlite_error_code() {
            Some(rusqlite::ErrorCode::DiskFull) => Self::DiskFull,
            _ => Self::Sqlite(error),
        }
    }
}

impl From<std::io::Error> for StoreError {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::StorageFull => Self::DiskFull,
            _ => Self::File(error),
        }
    }
}

impl From<EditError> for StoreError {
    fn from(error: EditError) -> Self {
        Self::Damaged(error.to_string())
    }
}

/// Whether SQLite says so because the file is not sound.
fn is_damage(error: &rusqlite::Error) -> bool {
    use rusqlite::ErrorCode::{DatabaseCorrupt, NotADatabase, TypeMismatch};
    matches!(error.sqlite_error_code(), Some(DatabaseCorrupt | NotADatabase | TypeMismatch))
        || matches!(
            error,
            rusqlite::Error::QueryReturnedNoRows
                | rusqlite::Error::FromSqlConversionFailure(..)
                | rusqlite::Error::InvalidColumnType(..)
                | rusqlite::Error::IntegralValueOutOfRange(..)
                | rusqlite::Error::SqlInputError { .. }
                | rusqlite::Error::SqliteFailure(..)
        ) && !matches!(
            error.sqlite_error_code(),
            Some(
                rusqlite::ErrorCode::DatabaseBusy
                    | rusqlite::ErrorCode::DatabaseLocked
                    | rusqlite::ErrorCode::DiskFull
                    | rusqlite::ErrorCode::CannotOpen
                    | rusqlite::ErrorCode::OutOfMemory
                    | rusqlite::ErrorCode::PermissionDenied
                    | rusqlite::ErrorCode::ReadOnly
                    | rusqlite::ErrorCode::SystemIoFailure
            )
        )
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
    /// All rows of its journal; the first is row 1.
    pub rows: Vec<Row>,
    /// The row its checkpoint was taken after; 0 when there is none.
    pub checkpoint_seq: i64,
    /// What the user should know: what could not be read, and what was done about it.
    pub notice: Option<String>,
}
