//! One project as a file of its own: an SQLite file like the store's, with that project alone.

use std::path::Path;

use rusqlite::{Connection, OpenFlags, OptionalExtension, params};

use crate::{ProjectId, Store, StoreError};

/// The tables a project lies in, and the columns that are carried over.
const TABLES: [(&str, &str); 4] = [
    ("meshes", "id, data"),
    ("journal", "seq, at_ms, author, label, change, follows"),
    ("journal_meshes", "seq, mesh"),
    ("recipients", "name, settings, sent"),
];

const PROJECT_COLUMNS: &str = "name, created_ms, opened_ms, revision, cursor, checkpoint, \
                               checkpoint_seq, picture, picture_revision";

impl Store {
    /// Writes a project with its whole history to a new file.
    ///
    /// # Errors
    /// When there is no such project, or the file cannot be written.
    pub fn export_project(&self, project: ProjectId, path: &Path) -> Result<(), StoreError> {
        let mut file = Connection::open(path)?;
        Self::migrate(&mut file)?;
        drop(file);
        self.connection.execute("ATTACH DATABASE ?1 AS goal", [path.to_string_lossy().as_ref()])?;
        let copied = self.copy_to_goal(project);
        self.connection.execute_batch("DETACH DATABASE goal")?;
        copied
    }

    fn copy_to_goal(&self, project: ProjectId) -> Result<(), StoreError> {
        let transaction = self.connection.unchecked_transaction()?;
        let columns = PROJECT_COLUMNS;
        let copied = transaction.execute(
            &format!(
                "INSERT INTO goal.projects (id, {columns})
                 SELECT 1, {columns} FROM main.projects WHERE id = ?1"
            ),
            [project],
        )?;
        if copied == 0 {
            return Err(StoreError::NoSuchProject(project));
        }
        for (table, columns) in TABLES {
            transaction.execute(
                &format!(
                    "INSERT INTO goal.{table} (project, {columns})
                     SELECT 1, {columns} FROM main.{table} WHERE project = ?1"
                ),
                [project],
            )?;
        }
        transaction.commit()?;
        Ok(())
    }

    /// Brings a project in from a file that [`Store::export_project`] wrote. The file is not
    /// trusted: its rows are read one by one, and the project is opened before it counts.
    ///
    /// # Errors
    /// When the file is none of ours or is damaged; nothing is then changed.
    pub fn import_project(&mut self, path: &Path, now_ms: i64) -> Result<ProjectId, StoreError> {
        let mut file = Connection::open_with_flags(
            path,
            OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX,
        )?;
        let foreign = |_| StoreError::NoProjectFile;
        file.pragma_update(None, "trusted_schema", false).map_err(foreign)?;
        file.pragma_update(None, "cell_size_check", true).map_err(foreign)?;
        let odd: i64 = file
            .query_row(
                "SELECT count(*) FROM sqlite_schema WHERE type NOT IN ('table', 'index')",
                [],
                |row| row.get(0),
            )
            .map_err(foreign)?;
        let version: i64 =
            file.pragma_query_value(None, "user_version", |row| row.get(0)).map_err(foreign)?;
        if odd > 0 || version == 0 {
            return Err(StoreError::NoProjectFile);
        }
        let sound: String = file.query_row("PRAGMA quick_check(1)", [], |row| row.get(0))?;
        if sound != "ok" {
            return Err(StoreError::Damaged(sound));
        }
        Self::migrate(&mut file)?;
        let source: i64 = file
            .query_row("SELECT id FROM projects ORDER BY id LIMIT 1", [], |row| row.get(0))
            .optional()?
            .ok_or(StoreError::NoProjectFile)?;

        let transaction = self.connection.transaction()?;
        let columns = PROJECT_COLUMNS;
        let places =
            |count: usize| (1..=count).map(|n| format!("?{n}")).collect::<Vec<_>>().join(", ");
        let row: Vec<rusqlite::types::Value> = file.query_row(
            &format!("SELECT {columns} FROM projects WHERE id = ?1"),
            [source],
            |row| (0..9).map(|i| row.get(i)).collect(),
        )?;
        transaction.execute(
            &format!("INSERT INTO projects ({columns}) VALUES ({})", places(9)),
            rusqlite::params_from_iter(row),
        )?;
        let project = transaction.last_insert_rowid();
        transaction.execute(
            "UPDATE projects SET opened_ms = ?2 WHERE id = ?1",
            params![project, now_ms],
        )?;
        for (table, columns) in TABLES {
            let count = columns.split(", ").count();
            let mut from =
                file.prepare(&format!("SELECT {columns} FROM {table} WHERE project = ?1"))?;
            let mut into = transaction.prepare(&format!(
                "INSERT INTO {table} (project, {columns}) VALUES ({})",
                places(count + 1)
            ))?;
            let mut rows = from.query([source])?;
            while let Some(row) = rows.next()? {
                let mut values = vec![rusqlite::types::Value::Integer(project)];
                for i in 0..count {
                    values.push(row.get(i)?);
                }
                into.execute(rusqlite::params_from_iter(values))?;
            }
        }
        transaction.commit()?;
        // What does not open is not kept.
        if let Err(error) = self.open_project(project) {
            self.delete_project(project)?;
            return Err(error);
        }
        Ok(project)
    }
}
