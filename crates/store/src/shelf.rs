//! The list of projects: names, sizes, pictures, copies.

use rusqlite::{OptionalExtension, params};

use crate::{Project, ProjectId, Store, StoreError};

/// How much room the store takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DiskUse {
    /// Bytes of the file on disk.
    pub file: u64,
    /// Bytes within it that the next projects will use.
    pub free: u64,
}

impl Store {
    /// All projects, last opened first.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn projects(&self) -> Result<Vec<Project>, StoreError> {
        let mut query = self.connection.prepare(
            "SELECT id, name, created_ms, opened_ms, revision,
                    coalesce(length(checkpoint), 0) + coalesce(length(picture), 0)
                    + (SELECT coalesce(sum(length(change)), 0) FROM journal WHERE project = p.id)
                    + (SELECT coalesce(sum(length(data)), 0) FROM meshes WHERE project = p.id)
             FROM projects p ORDER BY opened_ms DESC, id DESC",
        )?;
        let rows = query.query_map([], |row| {
            Ok(Project {
                id: row.get(0)?,
                name: row.get(1)?,
                created_ms: row.get(2)?,
                opened_ms: row.get(3)?,
                revision: row.get(4)?,
                bytes: row.get(5)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// How much room the store takes.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn disk_use(&self) -> Result<DiskUse, StoreError> {
        let pragma = |name: &str| -> Result<u64, StoreError> {
            Ok(self.connection.pragma_query_value(None, name, |row| row.get::<_, i64>(0))? as u64)
        };
        let page = pragma("page_size")?;
        Ok(DiskUse { file: page * pragma("page_count")?, free: page * pragma("freelist_count")? })
    }

    /// Bounds the file to so many pages; what needs more is told as a full disk.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn bound_pages(&self, most: u32) -> Result<(), StoreError> {
        let set = |_: &rusqlite::Row| Ok(());
        Ok(self.connection.pragma_update_and_check(None, "max_page_count", most, set)?)
    }

    /// Makes an empty project.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn create_project(&self, name: &str, now_ms: i64) -> Result<ProjectId, StoreError> {
        self.connection.execute(
            "INSERT INTO projects (name, created_ms, opened_ms) VALUES (?1, ?2, ?2)",
            params![name, now_ms],
        )?;
        Ok(self.connection.last_insert_rowid())
    }

    /// Gives a project another name.
    ///
    /// # Errors
    /// When there is none, or the name is empty.
    pub fn rename_project(&self, project: ProjectId, name: &str) -> Result<(), StoreError> {
        let name = name.trim();
        if name.is_empty() {
            return Err(StoreError::NoName);
        }
        let done = self
            .connection
            .execute("UPDATE projects SET name = ?2 WHERE id = ?1", params![project, name])?;
        if done == 1 { Ok(()) } else { Err(StoreError::NoSuchProject(project)) }
    }

    /// Remembers that a project was opened.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn touch_project(&self, project: ProjectId, now_ms: i64) -> Result<(), StoreError> {
        self.connection
            .execute("UPDATE projects SET opened_ms = ?2 WHERE id = ?1", [project, now_ms])?;
        Ok(())
    }

    /// Copies a project with its whole history.
    ///
    /// # Errors
    /// When there is none.
    pub fn duplicate_project(
        &mut self,
        project: ProjectId,
        now_ms: i64,
    ) -> Result<ProjectId, StoreError> {
        let transaction = self.connection.transaction()?;
        let copied = transaction.execute(
            "INSERT INTO projects (name, created_ms, opened_ms, revision, cursor, checkpoint,
                                   checkpoint_seq, picture, picture_revision)
             SELECT name || ' copy', ?2, ?2, revision, cursor, checkpoint, checkpoint_seq, picture,
                    picture_revision
             FROM projects WHERE id = ?1",
            [project, now_ms],
        )?;
        if copied == 0 {
            return Err(StoreError::NoSuchProject(project));
        }
        let copy = transaction.last_insert_rowid();
        for statement in [
            "INSERT INTO meshes SELECT ?2, id, data FROM meshes WHERE project = ?1",
            "INSERT INTO journal SELECT ?2, seq, at_ms, author, label, change, follows FROM journal
             WHERE project = ?1",
            "INSERT INTO recipients SELECT ?2, name, settings, sent FROM recipients WHERE project = ?1",
            "INSERT INTO journal_meshes SELECT ?2, seq, mesh FROM journal_meshes WHERE project = ?1",
        ] {
            transaction.execute(statement, [project, copy])?;
        }
        transaction.commit()?;
        Ok(copy)
    }

    /// Deletes a project with all that belongs to it, and gives its room back to the disk.
    ///
    /// # Errors
    /// When there is none.
    pub fn delete_project(&self, project: ProjectId) -> Result<(), StoreError> {
        let gone = self.connection.execute("DELETE FROM projects WHERE id = ?1", [project])?;
        if gone == 0 {
            return Err(StoreError::NoSuchProject(project));
        }
        self.connection.execute_batch("PRAGMA incremental_vacuum")?;
        Ok(())
    }

    /// The picture of a project, with the revision it shows.
    ///
    /// # Errors
    /// When there is no such project.
    pub fn picture(&self, project: ProjectId) -> Result<(Option<Vec<u8>>, i64), StoreError> {
        self.connection
            .query_row(
                "SELECT picture, picture_revision FROM projects WHERE id = ?1",
                [project],
                |row| Ok((row.get(0)?, row.get(1)?)),
            )
            .optional()?
            .ok_or(StoreError::NoSuchProject(project))
    }

    /// Keeps a picture of a project (PNG) and the revision it shows.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn set_picture(
        &self,
        project: ProjectId,
        png: &[u8],
        revision: i64,
    ) -> Result<(), StoreError> {
        self.connection.execute(
            "UPDATE projects SET picture = ?2, picture_revision = ?3 WHERE id = ?1",
            params![project, png, revision],
        )?;
        Ok(())
    }
}
