//! Project files that come from elsewhere. They are not trusted: the tables must be ours to the
//! letter (so that no generated column, constraint or trigger computes anything), what is read is
//! bounded in time and bytes, and rows go one by one into a fresh file of ours.

use std::{
    path::Path,
    time::{Duration, Instant},
};

use rusqlite::{Connection, OpenFlags};

use crate::{
    StoreError, earlier,
    project::{self, Head, ProjectFile},
    tables::{Allowance, Column, Kind, copy_rows, is_like},
};

/// How long reading a file may take.
const PATIENCE: Duration = Duration::from_secs(120);

/// Opens a file from elsewhere to be read, with all its tables and no others.
pub fn open(path: &Path) -> Result<Connection, StoreError> {
    let foreign = |_| StoreError::NoProjectFile;
    let file = Connection::open_with_flags(
        path,
        OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX,
    )
    .map_err(foreign)?;
    file.pragma_update(None, "trusted_schema", false).map_err(foreign)?;
    file.pragma_update(None, "cell_size_check", true).map_err(foreign)?;
    let end = Instant::now() + PATIENCE;
    file.progress_handler(10_000, Some(move || Instant::now() > end)).map_err(foreign)?;
    Ok(file)
}

/// Refuses what SQLite itself finds unsound.
pub fn is_sound(file: &Connection) -> Result<(), StoreError> {
    let said: String = file.query_row("PRAGMA quick_check(1)", [], |row| row.get(0))?;
    if said == "ok" { Ok(()) } else { Err(StoreError::Damaged(said)) }
}

/// The tables that are carried over as they are.
const TABLES: [(&str, &[Column]); 6] = [
    (
        "journal",
        &[
            ("seq", Kind::Number),
            ("at_ms", Kind::Number),
            ("author", Kind::Text),
            ("label", Kind::Text),
            ("follows", Kind::Number),
            ("change", Kind::Packed),
            ("sum", Kind::Bytes),
        ],
    ),
    ("meshes", &[("id", Kind::Bytes), ("data", Kind::Packed)]),
    ("journal_meshes", &[("seq", Kind::Number), ("mesh", Kind::Bytes)]),
    (
        "checkpoint",
        &[
            ("only", Kind::Number),
            ("seq", Kind::Number),
            ("data", Kind::Packed),
            ("sum", Kind::Bytes),
        ],
    ),
    ("picture", &[("only", Kind::Number), ("revision", Kind::Number), ("png", Kind::Bytes)]),
    ("recipients", &[("name", Kind::Text), ("settings", Kind::Text), ("sent", Kind::MaybeText)]),
];

/// Makes a file of ours at `goal` from one that came from elsewhere, and opens it once.
pub fn take(path: &Path, goal: &Path, now_ms: i64) -> Result<(), StoreError> {
    let file = open(path)?;
    let taken = if earlier::version(&file)?.is_some() {
        is_sound(&file)?;
        earlier::take_only(&file, goal)
    } else {
        take_current(&file, goal)
    };
    // The deadline ends a statement as an interrupt.
    taken.map_err(|error| match error {
        StoreError::Sqlite(error)
            if error.sqlite_error_code() == Some(rusqlite::ErrorCode::OperationInterrupted) =>
        {
            StoreError::Damaged(format!("reading it took longer than {} s", PATIENCE.as_secs()))
        }
        other => other,
    })?;
    let mut own = ProjectFile::open(goal, true)?;
    // What does not open is not kept.
    own.read()?;
    own.write(&[project::Write::Opened(now_ms)])?;
    own.finish()
}

fn take_current(file: &Connection, goal: &Path) -> Result<(), StoreError> {
    if !is_like(file, &project::blank()?)? {
        return Err(StoreError::NoProjectFile);
    }
    is_sound(file)?;
    let Head { name, created_ms, position, .. } = project::head_of(file)?;
    if name.chars().count() > speckle_model::LONGEST_NAME {
        return Err(StoreError::LongName);
    }
    let mut own = ProjectFile::create(goal, &name, created_ms)?;
    let transaction = own.connection.transaction()?;
    let mut allowance = Allowance::new();
    for (table, columns) in TABLES {
        let names: Vec<&str> = columns.iter().map(|(name, _)| *name).collect();
        let query = format!("SELECT {} FROM {table}", names.join(", "));
        copy_rows(file, &transaction, &query, table, columns, &mut allowance)?;
    }
    project::writes::set_place(&transaction, position.cursor, position.revision)?;
    transaction.commit()?;
    own.finish()
}
