//! Who a project is sent to. What a recipient wants and what was sent are the app's own words: this
//! keeps them as they come.

use rusqlite::params;

use crate::{ProjectFile, StoreError};

/// A recipient as it is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredRecipient {
    /// What the user calls it.
    pub name: String,
    /// What it wants, as JSON.
    pub settings: String,
    /// What was sent to it last, as JSON.
    pub sent: Option<String>,
}

impl ProjectFile {
    /// The recipients of a project, in the order they came.
    ///
    /// # Errors
    /// When they cannot be read.
    pub fn recipients(&self) -> Result<Vec<StoredRecipient>, StoreError> {
        let mut query = self
            .connection
            .prepare("SELECT name, settings, sent FROM recipients ORDER BY rowid")?;
        let rows = query.query_map([], |row| {
            Ok(StoredRecipient { name: row.get(0)?, settings: row.get(1)?, sent: row.get(2)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Keeps what a recipient wants; what was sent to it stays.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn set_recipient(&self, name: &str, settings: &str) -> Result<(), StoreError> {
        self.connection.execute(
            "INSERT INTO recipients (name, settings) VALUES (?1, ?2)
             ON CONFLICT (name) DO UPDATE SET settings = excluded.settings",
            params![name, settings],
        )?;
        Ok(())
    }

    /// Keeps what was sent to a recipient.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn set_sent(&self, name: &str, sent: &str) -> Result<(), StoreError> {
        self.connection
            .execute("UPDATE recipients SET sent = ?2 WHERE name = ?1", params![name, sent])?;
        Ok(())
    }

    /// Forgets a recipient; one that is not there is forgotten already.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn delete_recipient(&self, name: &str) -> Result<(), StoreError> {
        self.connection.execute("DELETE FROM recipients WHERE name = ?1", [name])?;
        Ok(())
    }
}
