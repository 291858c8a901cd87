//! Project files that come from elsewhere. They are not trusted: the tables must be ours to the
//! letter (so that no generated column, constraint or trigger computes anything), what is read is
//! bounded in time and bytes, and rows go one by one into a fresh file of ours.

use std::{
    path::Path,
    time::{Duration, Instant},
};

use rusqlite::{Connection, OpenFlags, Transaction, types::Value};

use crate::{
    StoreError, blob, earlier,
    project::{self, Head, ProjectFile},
};

/// How long reading a file may take.
const PATIENCE: Duration = Duration::from_secs(120);

/// The most bytes all blobs of a project may unpack to.
const MOST_UNPACKED: usize = 16 << 30;

/// A column with its type.
pub type Column = (&'static str, Kind);

/// What a column holds; anything else is refused.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A whole number.
    Number,
    /// A text of a bounded length.
    Text,
    /// A text or nothing.
    MaybeText,
    /// Bytes.
    Bytes,
    /// A packed value.
    Packed,
}

/// The longest text of a row.
const LONGEST: usize = 1 << 20;

/// What is left to read.
pub struct Allowance {
    unpacked: usize,
}

impl Allowance {
    /// For a whole project.
    pub fn new() -> Self {
        Self { unpacked: MOST_UNPACKED }
    }

    /// Spends what a packed value unpacks to.
    pub fn unpack(&mut self, packed: &[u8], name: &str) -> Result<(), StoreError> {
        let left = self.unpacked.checked_sub(blob::promised(packed));
        self.unpacked = left.ok_or_else(|| {
            StoreError::Damaged(format!("{name} would unpack to more than a project may hold"))
        })?;
        Ok(())
    }

    /// Checks a value of a row from elsewhere.
    pub fn check(&mut self, value: &Value, (name, kind): Column) -> Result<(), StoreError> {
        let odd = |what: &str| StoreError::Damaged(format!("{name} {what}"));
        match (kind, value) {
            (Kind::Number, Value::Integer(_)) | (Kind::MaybeText, Value::Null) => Ok(()),
            (Kind::Text | Kind::MaybeText, Value::Text(text)) if text.len() <= LONGEST => Ok(()),
            (Kind::Text | Kind::MaybeText, Value::Text(_)) => Err(odd("is too long")),
            (Kind::Bytes, Value::Blob(_)) => Ok(()),
            (Kind::Packed, Value::Blob(bytes)) => self.unpack(bytes, name),
            _ => Err(odd("is of another kind than it should be")),
        }
    }
}

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

/// The statements that made a database's tables, and how many other things it holds.
fn tables(connection: &Connection) -> rusqlite::Result<Vec<String>> {
    let mut query = connection.prepare(
        "SELECT type, coalesce(sql, '') FROM sqlite_schema WHERE name NOT LIKE 'sqlite_%'",
    )?;
    let rows = query.query_map([], |row| {
        let (kind, sql): (String, String) = (row.get(0)?, row.get(1)?);
        let words: Vec<&str> = sql.split_whitespace().collect();
        Ok(format!("{kind} {}", words.join(" ")))
    })?;
    let mut tables = rows.collect::<Result<Vec<_>, _>>()?;
    tables.sort();
    Ok(tables)
}

/// Whether a file's tables are those of a database of ours, to the letter.
pub fn is_like(file: &Connection, ours: &Connection) -> Result<bool, StoreError> {
    Ok(tables(file).map_err(|_| StoreError::NoProjectFile)? == tables(ours)?)
}

/// Refuses what SQLite itself finds unsound.
pub fn is_sound(file: &Connection) -> Result<(), StoreError> {
    let said: String = file.query_row("PRAGMA quick_check(1)", [], |row| row.get(0))?;
    if said == "ok" { Ok(()) } else { Err(StoreError::Damaged(said)) }
}

/// Copies rows that a query finds, checked, into a table.
pub fn copy_rows(
    file: &Connection,
    into: &Transaction,
    query: &str,
    table: &str,
    columns: &[Column],
    allowance: &mut Allowance,
) -> Result<(), StoreError> {
    let names: Vec<&str> = columns.iter().map(|(name, _)| *name).collect();
    let places: Vec<String> = (1..=columns.len()).map(|n| format!("?{n}")).collect();
    let mut insert = into.prepare(&format!(
        "INSERT INTO {table} ({}) VALUES ({})",
        names.join(", "),
        places.join(", ")
    ))?;
    let mut query = file.prepare(query)?;
    let mut rows = query.query([])?;
    while let Some(row) = rows.next()? {
        let mut values = Vec::with_capacity(columns.len());
        for (number, column) in columns.iter().enumerate() {
            let value: Value = row.get(number)?;
            allowance.check(&value, *column)?;
            values.push(value);
        }
        insert.execute(rusqlite::params_from_iter(values))?;
    }
    Ok(())
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
    if name.chars().count() > speckle_core::LONGEST_NAME {
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
    project::set_place(&transaction, position.cursor, position.revision)?;
    transaction.commit()?;
    own.finish()
}

/// The one number that a query finds.
pub fn number(file: &Connection, query: &str) -> Result<i64, StoreError> {
    Ok(file.query_row(query, [], |row| row.get(0))?)
}
