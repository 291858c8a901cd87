//! One project's file: journal, checkpoint, meshes, picture.

pub(crate) mod writes;

use std::{
    fs,
    path::{Path, PathBuf},
    sync::Arc,
    time::Duration,
};

use rusqlite::{Connection, OpenFlags, OptionalExtension, params};
use rusqlite_migration::{M, Migrations};
use speckle_core::{
    Change, Document,
    document::{Direction, DocumentRecord},
};
use speckle_mesh::{ContentId, Mesh};

use crate::{Opened, Position, Row, StoreError, blob, blob::Digest};
use writes::write_one;
pub use writes::{Checkpoint, Write};

/// Marks our files in SQLite's header, so that no other program's is taken for one.
const APPLICATION: i32 = i32::from_be_bytes(*b"Spkl");

/// A project's file, open. Each one is a connection of its own: readers never wait for a writer.
pub struct ProjectFile {
    pub(crate) connection: Connection,
    path: PathBuf,
    identity: Option<Identity>,
}

/// Which file a path led to when it was opened.
type Identity = (u64, u64);

fn identity(path: &Path) -> Option<Identity> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt;
        fs::metadata(path).ok().map(|data| (data.dev(), data.ino()))
    }
    #[cfg(not(unix))]
    {
        fs::metadata(path).ok().map(|_| (0, 0))
    }
}

/// The head of a project's file.
pub(crate) struct Head {
    pub name: String,
    pub created_ms: i64,
    pub opened_ms: i64,
    pub position: Position,
}

fn migrations() -> Migrations<'static> {
    Migrations::new(vec![M::up(include_str!("../migrations/01-project.sql"))])
}

/// A database of the newest version with nothing in it.
pub(crate) fn blank() -> Result<Connection, StoreError> {
    let mut connection = Connection::open_in_memory()?;
    migrations().to_latest(&mut connection)?;
    Ok(connection)
}

fn head_sum(cursor: i64, revision: i64) -> Digest {
    blob::digest(&[&cursor.to_le_bytes(), &revision.to_le_bytes()])
}

fn row_sum(seq: i64, at_ms: i64, row: &Row, change: &[u8]) -> Digest {
    blob::digest(&[
        &seq.to_le_bytes(),
        &at_ms.to_le_bytes(),
        row.author.as_bytes(),
        row.label.as_bytes(),
        &[u8::from(row.follows)],
        change,
    ])
}

impl ProjectFile {
    /// Makes a file for a project with nothing in it. It is not safe on disk before
    /// [`ProjectFile::finish`].
    pub(crate) fn create(path: &Path, name: &str, now_ms: i64) -> Result<Self, StoreError> {
        let mut connection = Connection::open(path)?;
        // Deleted rows give their room back. Takes effect in a new file only.
        connection.pragma_update(None, "auto_vacuum", "INCREMENTAL")?;
        // Nobody knows of the file before it is finished.
        connection.pragma_update(None, "synchronous", "OFF")?;
        connection.pragma_update_and_check(None, "journal_mode", "MEMORY", |_| Ok(()))?;
        connection.pragma_update(None, "application_id", APPLICATION)?;
        connection.pragma_update(None, "foreign_keys", true)?;
        migrations().to_latest(&mut connection)?;
        connection.execute(
            "INSERT INTO project VALUES (1, ?1, ?2, ?2, 0, 0, ?3)",
            params![name, now_ms, head_sum(0, 0)],
        )?;
        Ok(Self { connection, path: path.to_owned(), identity: identity(path) })
    }

    /// Closes a file that was just made, safe on disk.
    pub(crate) fn finish(self) -> Result<(), StoreError> {
        self.connection.close().map_err(|(_, error)| error)?;
        Ok(fs::File::open(&self.path)?.sync_all()?)
    }

    /// Opens a project's file, to write too or to look only.
    pub(crate) fn open(path: &Path, to_write: bool) -> Result<Self, StoreError> {
        let how = match to_write {
            true => OpenFlags::SQLITE_OPEN_READ_WRITE,
            false => OpenFlags::SQLITE_OPEN_READ_ONLY,
        };
        let mut connection =
            Connection::open_with_flags(path, how | OpenFlags::SQLITE_OPEN_NO_MUTEX)?;
        connection.busy_timeout(Duration::from_secs(5))?;
        // Before anything is written: it may be another program's.
        if !is_ours(&connection)? {
            return Err(StoreError::NoProjectFile);
        }
        if to_write {
            connection.pragma_update_and_check(None, "journal_mode", "WAL", |_| Ok(()))?;
            // In WAL mode only FULL syncs each commit, so that a power cut loses nothing
            // acknowledged.
            connection.pragma_update(None, "synchronous", "FULL")?;
            connection.pragma_update(None, "foreign_keys", true)?;
            migrations().to_latest(&mut connection)?;
        }
        Ok(Self { connection, path: path.to_owned(), identity: identity(path) })
    }

    /// Where it lies.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Bounds the file to so many pages; what needs more is told as a full disk.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn bound_pages(&self, most: u32) -> Result<(), StoreError> {
        let set = |_: &rusqlite::Row| Ok(());
        Ok(self.connection.pragma_update_and_check(None, "max_page_count", most, set)?)
    }

    pub(crate) fn pragma(&self, name: &str) -> Result<i64, StoreError> {
        Ok(self.connection.pragma_query_value(None, name, |row| row.get(0))?)
    }

    pub(crate) fn head(&self) -> Result<Head, StoreError> {
        head_of(&self.connection)
    }

    /// Where the project stands.
    ///
    /// # Errors
    /// When it cannot be read.
    pub fn position(&self) -> Result<Position, StoreError> {
        Ok(self.head()?.position)
    }

    /// What the rows of the journal did, from row 1 on.
    ///
    /// # Errors
    /// When they cannot be read.
    pub fn rows(&self) -> Result<Vec<Row>, StoreError> {
        let mut query =
            self.connection.prepare("SELECT label, author, follows FROM journal ORDER BY seq")?;
        let rows = query.query_map([], |row| {
            Ok(Row { label: row.get(0)?, author: row.get(1)?, follows: row.get(2)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// A row of the journal.
    ///
    /// # Errors
    /// When it is missing or damaged.
    pub fn change(&self, seq: i64) -> Result<Change, StoreError> {
        let stored = self.connection.query_row(
            "SELECT label, author, follows, at_ms, change, sum FROM journal WHERE seq = ?1",
            [seq],
            |row| {
                let own = Row { label: row.get(0)?, author: row.get(1)?, follows: row.get(2)? };
                let (at_ms, change): (i64, Vec<u8>) = (row.get(3)?, row.get(4)?);
                Ok((row_sum(seq, at_ms, &own, &change), change, row.get::<_, Vec<u8>>(5)?))
            },
        );
        let damaged = |what: &str| StoreError::Damaged(format!("row {seq} of its history {what}"));
        let (sum, change, said) = stored.optional()?.ok_or_else(|| damaged("is missing"))?;
        if said != sum {
            return Err(damaged("is not as it was written"));
        }
        blob::unpack(&change)
    }

    /// Lays a journal row onto a document, or takes it back; returns what it was.
    ///
    /// # Errors
    /// When the row or a mesh of it is missing, damaged or does not fit; the document is then as it
    /// was.
    pub fn replay(
        &self,
        seq: i64,
        direction: Direction,
        document: &mut Document,
    ) -> Result<Change, StoreError> {
        let change = self.change(seq)?;
        self.supply_meshes(&change, document)?;
        document.replay(&change, direction)?;
        Ok(change)
    }

    /// Makes the meshes known to a document that a change needs.
    ///
    /// # Errors
    /// When one is missing or damaged.
    pub fn supply_meshes(
        &self,
        change: &Change,
        document: &mut Document,
    ) -> Result<(), StoreError> {
        for id in document.missing_meshes(change) {
            document.supply_mesh(self.mesh(id)?);
        }
        Ok(())
    }

    fn mesh(&self, id: ContentId) -> Result<Mesh, StoreError> {
        let bytes: Vec<u8> = self
            .connection
            .query_row("SELECT data FROM meshes WHERE id = ?1", [id.as_bytes()], |row| row.get(0))
            .optional()?
            .ok_or_else(|| StoreError::Damaged(format!("the mesh {id:?} is missing")))?;
        let mesh: Mesh = blob::unpack(&bytes)?;
        if ContentId::of(&mesh) != id {
            return Err(StoreError::Damaged(format!("the mesh {id:?} is not as it was written")));
        }
        Ok(mesh)
    }

    /// Looks at all that is kept, whether it is as it was written.
    ///
    /// # Errors
    /// With the first thing that is not.
    pub fn verify(&self) -> Result<(), StoreError> {
        let end = self.head()?.position.end;
        (1..=end).try_for_each(|seq| self.change(seq).map(drop))?;
        self.checkpointed()?;
        let mut query = self.connection.prepare("SELECT id, data FROM meshes")?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()? {
            let (id, data): (Vec<u8>, Vec<u8>) = (row.get(0)?, row.get(1)?);
            if *ContentId::of(&blob::unpack(&data)?).as_bytes() != *id {
                return Err(StoreError::Damaged("a mesh is not as it was written".to_owned()));
            }
        }
        Ok(())
    }

    pub(crate) fn checkpoint_seq(&self) -> Result<i64, StoreError> {
        let seq = self.connection.query_row("SELECT seq FROM checkpoint", [], |row| row.get(0));
        Ok(seq.optional()?.unwrap_or(0))
    }

    fn checkpointed(&self) -> Result<Document, StoreError> {
        let stored =
            self.connection.query_row("SELECT seq, data, sum FROM checkpoint", [], |row| {
                Ok((row.get::<_, i64>(0)?, row.get::<_, Vec<u8>>(1)?, row.get::<_, Vec<u8>>(2)?))
            });
        let Some((seq, data, sum)) = stored.optional()? else { return Ok(Document::default()) };
        if sum != blob::digest(&[&seq.to_le_bytes(), &data]) {
            return Err(StoreError::Damaged("its checkpoint is not as it was written".to_owned()));
        }
        let record: DocumentRecord = blob::unpack(&data)?;
        let meshes = record.meshes().map(|id| self.mesh(id)).collect::<Result<_, _>>()?;
        Ok(Document::restore(record, meshes)?)
    }

    /// The document after a row, by way of the checkpoint.
    ///
    /// # Errors
    /// When a row or a mesh on the way is missing or damaged.
    pub fn document_at(&self, seq: i64) -> Result<Document, StoreError> {
        let from = self.checkpoint_seq()?;
        let mut document = self.checkpointed()?;
        for seq in from + 1..=seq {
            self.replay(seq, Direction::Forward, &mut document)?;
        }
        for seq in (seq + 1..=from).rev() {
            self.replay(seq, Direction::Backward, &mut document)?;
        }
        Ok(document)
    }

    /// Opens the project as its journal has it.
    ///
    /// # Errors
    /// When it is damaged.
    pub fn read(&self) -> Result<Opened, StoreError> {
        let Head { name, position, .. } = self.head()?;
        let rows = self.rows()?;
        if rows.len() as i64 != position.end {
            return Err(StoreError::Damaged("a row of its history is missing".to_owned()));
        }
        let document = self.document_at(position.cursor)?;
        let checkpoint_seq = self.checkpoint_seq()?;
        Ok(Opened { document, position, name, rows, checkpoint_seq, notice: None })
    }

    /// Writes all or nothing. When this returns, it is on disk.
    ///
    /// # Errors
    /// When it could not be written; nothing is then changed on disk.
    pub fn write(&mut self, writes: &[Write]) -> Result<(), StoreError> {
        // SQLite would go on writing to a file that nobody finds any more.
        if self.identity.is_none() || identity(&self.path) != self.identity {
            return Err(StoreError::Moved(self.path.clone()));
        }
        let transaction = self.connection.transaction()?;
        let mut is_less = false;
        for write in writes {
            is_less |= write_one(&transaction, write)?;
        }
        transaction.commit()?;
        if is_less {
            // Room that is given back is no reason to fail.
            let _ = self.connection.execute_batch("PRAGMA incremental_vacuum");
        }
        Ok(())
    }

    /// Writes a change that was just laid onto `document` as the row after the cursor.
    ///
    /// # Errors
    /// When it could not be written; nothing is then changed on disk.
    pub fn append(
        &mut self,
        change: &Change,
        author: &str,
        now_ms: i64,
        document: &Document,
    ) -> Result<Position, StoreError> {
        let (position, seq) = (self.position()?, self.checkpoint_seq()?);
        let (change, author) = (Arc::new(change.clone()), author.to_owned());
        self.write(&[Write::change(position, seq, change, author, now_ms, document)])?;
        self.position()
    }

    /// Moves the cursor, after an undo or a redo.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn move_cursor(&mut self, cursor: i64) -> Result<Position, StoreError> {
        let revision = self.position()?.revision + 1;
        self.write(&[Write::Cursor { cursor, revision }])?;
        self.position()
    }

    /// Stores the document as it is at the cursor, so that opening need not replay the journal.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn checkpoint(&mut self, document: &Document) -> Result<(), StoreError> {
        let seq = self.position()?.cursor;
        let checkpoint = Box::new(Checkpoint::of(document));
        self.write(&[Write::Checkpoint { seq, checkpoint }])
    }

    /// The picture of the project, with the revision it shows.
    ///
    /// # Errors
    /// What SQLite reports.
    pub fn picture(&self) -> Result<Option<(Vec<u8>, i64)>, StoreError> {
        let found = self.connection.query_row("SELECT png, revision FROM picture", [], |row| {
            Ok((row.get(0)?, row.get(1)?))
        });
        Ok(found.optional()?)
    }

    /// Keeps a picture of the project (PNG) and the revision it shows.
    ///
    /// # Errors
    /// When it could not be written.
    pub fn set_picture(&self, png: &[u8], revision: i64) -> Result<(), StoreError> {
        self.connection
            .execute("INSERT OR REPLACE INTO picture VALUES (1, ?2, ?1)", params![png, revision])?;
        Ok(())
    }
}

/// The head of a project's file, looked at for soundness.
pub(crate) fn head_of(file: &Connection) -> Result<Head, StoreError> {
    let (name, created_ms, opened_ms, cursor, revision, sum, end) = file.query_row(
        "SELECT name, created_ms, opened_ms, cursor, revision, sum,
                    coalesce((SELECT max(seq) FROM journal), 0)
             FROM project",
        [],
        |row| {
            let sum: Vec<u8> = row.get(5)?;
            let head = (row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?);
            let (name, created, opened, cursor, revision): (String, _, _, i64, i64) = head;
            Ok((name, created, opened, cursor, revision, sum, row.get::<_, i64>(6)?))
        },
    )?;
    if sum != head_sum(cursor, revision) || !(0..=end).contains(&cursor) {
        return Err(StoreError::Damaged("its place in the history is not sound".to_owned()));
    }
    Ok(Head { name, created_ms, opened_ms, position: Position { cursor, end, revision } })
}

/// Whether a database is one of our projects, of this version or an earlier one.
fn is_ours(connection: &Connection) -> Result<bool, StoreError> {
    let number = |name: &str| -> rusqlite::Result<i64> {
        connection.pragma_query_value(None, name, |row| row.get(0))
    };
    // What is no database at all fails on the first read.
    let ours = number("application_id").is_ok_and(|id| id == i64::from(APPLICATION));
    if ours && number("user_version")? > 1 {
        return Err(StoreError::Later);
    }
    Ok(ours)
}
