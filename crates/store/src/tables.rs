//! Tables and rows that are not trusted: tables must be ours to the letter, and every value is looked
//! at before it goes into a table of ours.

use rusqlite::{Connection, Transaction, types::Value};

use crate::{StoreError, blob};

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

/// The one number that a query finds.
pub fn number(file: &Connection, query: &str) -> Result<i64, StoreError> {
    Ok(file.query_row(query, [], |row| row.get(0))?)
}
