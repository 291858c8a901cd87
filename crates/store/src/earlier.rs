//! Files of before every project had one of its own: all projects lay in the same tables, and an
//! exported project was such a file with that project alone. They are read, never changed.

use std::path::Path;

use rusqlite::{Connection, OptionalExtension, params};
use rusqlite_migration::{M, Migrations};
use speckle_core::{Change, document::DocumentRecord};

use crate::{
    ProjectId, StoreError, blob,
    project::{self, ProjectFile},
    tables::{self, Allowance, Kind},
};

const MIGRATIONS: [&str; 4] = [
    include_str!("../migrations/earlier/01-projects.sql"),
    include_str!("../migrations/earlier/02-shelf.sql"),
    include_str!("../migrations/earlier/03-follows.sql"),
    include_str!("../migrations/earlier/04-recipients.sql"),
];

/// A database as it was at a version, with nothing in it.
fn blank(version: usize) -> Result<Connection, StoreError> {
    let mut connection = Connection::open_in_memory()?;
    let steps = MIGRATIONS[..version].iter().map(|sql| M::up(sql)).collect();
    Migrations::new(steps).to_latest(&mut connection)?;
    Ok(connection)
}

/// The version of a file, when it is one of those.
pub fn version(file: &Connection) -> Result<Option<usize>, StoreError> {
    let number = |name: &str| -> Result<i64, StoreError> {
        file.pragma_query_value(None, name, |row| row.get(0)).map_err(|_| StoreError::NoProjectFile)
    };
    let version = number("user_version")? as usize;
    if number("application_id")? != 0 || !(1..=MIGRATIONS.len()).contains(&version) {
        return Ok(None);
    }
    Ok(tables::is_like(file, &blank(version)?)?.then_some(version))
}

/// The projects of a file.
pub fn projects(file: &Connection) -> Result<Vec<ProjectId>, StoreError> {
    let mut query = file.prepare("SELECT id FROM projects ORDER BY id")?;
    let ids = query.query_map([], |row| row.get(0))?;
    Ok(ids.collect::<Result<_, _>>()?)
}

/// Makes a file of ours from the first project of one.
pub fn take_only(file: &Connection, goal: &Path) -> Result<(), StoreError> {
    let first = projects(file)?.first().copied().ok_or(StoreError::NoProjectFile)?;
    take(file, first, goal)
}

/// Makes a file of ours from a project of one.
pub fn take(file: &Connection, id: ProjectId, goal: &Path) -> Result<(), StoreError> {
    type Head = (String, i64, i64, i64, i64, i64, Option<Vec<u8>>);
    let version = version(file)?.ok_or(StoreError::NoProjectFile)?;
    let (name, created_ms, opened_ms, revision, cursor, checkpoint_seq, checkpoint): Head = file
        .query_row(
            "SELECT name, created_ms, opened_ms, revision, cursor, checkpoint_seq, checkpoint
             FROM projects WHERE id = ?1",
            [id],
            |row| {
                Ok((
                    row.get(0)?,
                    row.get(1)?,
                    row.get(2)?,
                    row.get(3)?,
                    row.get(4)?,
                    row.get(5)?,
                    row.get(6)?,
                ))
            },
        )
        .optional()?
        .ok_or(StoreError::NoSuchProject(id))?;
    let end = tables::number(
        file,
        &format!("SELECT coalesce(max(seq), 0) FROM journal WHERE project = {id}"),
    )?;
    if !(0..=end).contains(&cursor) {
        return Err(StoreError::Damaged("its place in the history is not sound".to_owned()));
    }
    let name: String = name.chars().take(speckle_model::LONGEST_NAME).collect();
    let mut own = ProjectFile::create(goal, &name, created_ms)?;
    let transaction = own.connection.transaction()?;
    let mut allowance = Allowance::new();
    let follows = if version >= 3 { "follows" } else { "0" };
    let mut query = file.prepare(&format!(
        "SELECT seq, at_ms, author, change, {follows} FROM journal WHERE project = ?1 ORDER BY seq"
    ))?;
    let mut rows = query.query([id])?;
    while let Some(row) = rows.next()? {
        let (seq, at_ms, author, packed): (i64, i64, String, Vec<u8>) =
            (row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?);
        allowance.unpack(&packed, "change")?;
        let change: Change = blob::unpack(&packed)?;
        let change = Change { follows: row.get(4)?, ..change };
        project::writes::insert_row(&transaction, seq, &change, &author, at_ms)?;
    }
    let meshes = format!("SELECT id, data FROM meshes WHERE project = {id}");
    let columns = [("id", Kind::Bytes), ("data", Kind::Packed)];
    tables::copy_rows(file, &transaction, &meshes, "meshes", &columns, &mut allowance)?;
    if version >= 2 {
        let which = format!("SELECT seq, mesh FROM journal_meshes WHERE project = {id}");
        let columns = [("seq", Kind::Number), ("mesh", Kind::Bytes)];
        tables::copy_rows(file, &transaction, &which, "journal_meshes", &columns, &mut allowance)?;
    } else {
        // Rows of the first version do not say what they brought; the first one answers for all.
        transaction.execute(
            "INSERT INTO journal_meshes SELECT (SELECT min(seq) FROM journal), id FROM meshes
             WHERE EXISTS (SELECT 1 FROM journal)",
            [],
        )?;
    }
    if version >= 4 {
        let who = format!("SELECT name, settings, sent FROM recipients WHERE project = {id}");
        let columns = [("name", Kind::Text), ("settings", Kind::Text), ("sent", Kind::MaybeText)];
        tables::copy_rows(file, &transaction, &who, "recipients", &columns, &mut allowance)?;
    }
    if let Some(packed) = checkpoint {
        allowance.unpack(&packed, "checkpoint")?;
        let record: DocumentRecord = blob::unpack(&packed)?;
        project::writes::insert_checkpoint(&transaction, checkpoint_seq, &record)?;
    }
    project::writes::set_place(&transaction, cursor, revision)?;
    transaction.execute("UPDATE project SET opened_ms = ?1", params![opened_ms])?;
    transaction.commit()?;
    own.finish()
}
