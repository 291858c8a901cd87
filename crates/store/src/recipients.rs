//! Who a project is sent to. What a recipient wants and what was sent are the app's own words: this
//! keeps them as they come.

use rusqlite::{OptionalExtension, params};

use crate::{ProjectId, Store, StoreError};

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

impl Store {
    /// The recipients of a project, in the order they came.
    ///
    /// # Errors
    /// When they cannot be read.
    pub fn recipients(&self, project: ProjectId) -> Result<Vec<StoredRecipient>, StoreError> {
        let mut query = self.connection.prepare(
            "SELECT name, settings, sent FROM recipients WHERE project = ?1 ORDER BY rowid",
        )?;
        let rows = query.query_map([project], |row| {
            Ok(StoredRecipient { name: row.get(0)?, settings: row.get(1)?, sent: row.get(2)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Keeps what a recipient wants; what was sent to it stays.
    ///
    /// # Errors
    /// When there is no such project, or it could not be written.
    pub fn set_recipient(
        &self,
        project: ProjectId,
        name: &str,
        settings: &str,
    ) -> Result<(), StoreError> {
        let known = self.connection.query_row(
            "SELECT 1 FROM projects WHERE id = ?1",
            [project],
            |_| Ok(()),
        );
        known.optional()?.ok_or(StoreError::NoSuchProject(project))?;
        self.connection.execute(
            "INSERT INTO recipients (project, name, settings) VALUES (?1, ?2, ?3)
             ON CONFLICT (project, name) DO UPDATE SET settings = excluded.settings",
            params![project, name, settings],
        )?;
        Ok(())
    }

    /// Keeps what was sent to a recipient.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn set_sent(&self, project: ProjectId, name: &str, sent: &str) -> Result<(), StoreError> {
        self.connection.execute(
            "UPDATE recipients SET sent = ?3 WHERE project = ?1 AND name = ?2",
            params![project, name, sent],
        )?;
        Ok(())
    }

    /// Forgets a recipient; one that is not there is forgotten already.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn delete_recipient(&self, project: ProjectId, name: &str) -> Result<(), StoreError> {
        self.connection.execute(
            "DELETE FROM recipients WHERE project = ?1 AND name = ?2",
            params![project, name],
        )?;
        Ok(())
    }
}
