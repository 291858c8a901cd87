//! What can be had of a damaged project: as much of its history as is sound, up to the state it
//! was in, or as near to it as possible.

use std::{
    fmt, fs,
    path::{Path, PathBuf},
};

use rusqlite::Transaction;
use speckle_core::{Change, Document, document::Direction};

use crate::{
    Opened, ProjectFile, ProjectId, Store, StoreError, Write, backups, project,
    tables::{self, Allowance, Kind},
};

/// What is said of a project's file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnosis {
    /// The project's name, where it can be read.
    pub name: Option<String>,
    /// The row its state was made by, by what it says itself.
    pub cursor: Option<i64>,
    /// The rows of its history.
    pub rows: i64,
    /// The rows that cannot be read, with why.
    pub broken: Vec<(i64, String)>,
    /// What else is wrong.
    pub problems: Vec<String>,
    /// The last row whose state can be had.
    pub reach: i64,
}

impl Diagnosis {
    /// Whether nothing is wrong.
    #[must_use]
    pub fn is_sound(&self) -> bool {
        self.broken.is_empty() && self.problems.is_empty()
    }
}

impl fmt::Display for Diagnosis {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = self.name.as_deref().unwrap_or("a project whose name cannot be read");
        write!(f, "{name}: {} changes", self.rows)?;
        if self.is_sound() {
            return write!(f, ", sound");
        }
        for (seq, why) in &self.broken {
            write!(f, "\n  change {seq}: {why}")?;
        }
        for problem in &self.problems {
            write!(f, "\n  {problem}")?;
        }
        match self.cursor {
            Some(cursor) if cursor <= self.reach => write!(f, "\n  its state can be had whole"),
            Some(cursor) => write!(f, "\n  it can be had as of change {} of {cursor}", self.reach),
            None => write!(f, "\n  it can be had as of change {}", self.reach),
        }
    }
}

/// A run of sound rows, with the state before the first of them.
struct Run {
    /// None where that is an empty project.
    base: Option<Document>,
    /// The first row.
    from: i64,
    /// The last row.
    to: i64,
}

/// Looks for the run of rows that leads nearest to the state the project was in.
fn best_run(file: &ProjectFile, cursor: Option<i64>, end: i64) -> Run {
    // From the beginning.
    let mut document = Document::default();
    let mut to = 0;
    while to < end && file.replay(to + 1, Direction::Forward, &mut document).is_ok() {
        to += 1;
    }
    let first = Run { base: None, from: 1, to };
    let wanted = cursor.unwrap_or(end);
    if first.to >= wanted {
        return first;
    }
    // From the checkpoint, as far back and forth as rows are sound.
    let Ok(at) = file.checkpoint_seq() else { return first };
    let Ok(mut base) = file.document_at(at) else { return first };
    let Ok(mut ahead) = file.document_at(at) else { return first };
    let (mut from, mut to) = (at, at);
    while from > 0 && file.replay(from, Direction::Backward, &mut base).is_ok() {
        from -= 1;
    }
    while to < end && file.replay(to + 1, Direction::Forward, &mut ahead).is_ok() {
        to += 1;
    }
    let leads = |run: &Run| wanted.clamp(run.from - 1, run.to);
    let second = Run { base: Some(base), from: from + 1, to };
    let gap = |run: &Run| wanted - leads(run);
    if gap(&second).abs() < gap(&first).abs() { second } else { first }
}

/// How many rows a file has, also where its head cannot be read.
fn end_of(file: &ProjectFile) -> Result<i64, StoreError> {
    let end = tables::number(&file.connection, "SELECT coalesce(max(seq), 0) FROM journal")?;
    Ok(end.clamp(0, 1 << 32))
}

/// Says what is wrong with a project's file; changes nothing.
///
/// # Errors
/// When it cannot be opened as a project's file at all.
pub fn diagnose(path: &Path) -> Result<Diagnosis, StoreError> {
    let file = ProjectFile::open(path, false)?;
    let head = file.head();
    let mut problems = Vec::new();
    let end = end_of(&file).unwrap_or_else(|error| {
        problems.push(error.to_string());
        0
    });
    let said =
        file.connection.query_row("PRAGMA quick_check(5)", [], |row| row.get::<_, String>(0));
    match said {
        Ok(said) if said == "ok" => {}
        Ok(said) => problems.push(said),
        Err(error) => problems.push(error.to_string()),
    }
    if let Err(error) = &head {
        problems.push(error.to_string());
    }
    let broken = (1..=end).filter_map(|seq| Some((seq, file.change(seq).err()?.to_string())));
    let broken: Vec<_> = broken.collect();
    if let Err(error) = file.checkpoint_seq().and_then(|seq| file.document_at(seq)) {
        problems.push(error.to_string());
    }
    let cursor = head.as_ref().ok().map(|head| head.position.cursor);
    let run = best_run(&file, cursor, end);
    let reach = cursor.unwrap_or(end).clamp(run.from - 1, run.to);
    if broken.is_empty() && problems.is_empty() && Some(reach) != cursor {
        problems.push("its history does not lead to where it stands".to_owned());
    }
    Ok(Diagnosis {
        name: head.ok().map(|head| head.name),
        cursor,
        rows: end,
        broken,
        problems,
        reach,
    })
}

/// Makes a sound file of what can be had of a damaged one; tells the row whose state it is in, and
/// the row that was wanted.
///
/// # Errors
/// When nothing can be had of it.
pub fn rescue_to(path: &Path, goal: &Path) -> Result<(i64, i64), StoreError> {
    let file = ProjectFile::open(path, false)?;
    let head = file.head().ok();
    let end = end_of(&file)?;
    let cursor = head.as_ref().map(|head| head.position.cursor);
    let run = best_run(&file, cursor, end);
    let wanted = cursor.unwrap_or(end);
    let reach = wanted.clamp(run.from - 1, run.to);
    if run.to == 0 && run.base.is_none() && wanted > 0 {
        return Err(StoreError::Damaged("nothing of it can be read".to_owned()));
    }
    let text =
        |query: &str| file.connection.query_row(query, [], |row| row.get::<_, String>(0)).ok();
    let name = text("SELECT name FROM project").unwrap_or_else(|| "Rescued project".to_owned());
    let name: String = name.chars().take(speckle_model::LONGEST_NAME).collect();
    let created = head.as_ref().map_or(0, |head| head.created_ms);
    let mut own = ProjectFile::create(goal, &name, created)?;
    if let Some(head) = &head {
        own.write(&[Write::Opened(head.opened_ms)])?;
    }

    // Rows are written anew from what they hold, so that nothing unsound comes along.
    let mut document = Document::default();
    let author = |seq: i64| {
        file.connection
            .query_row("SELECT author, at_ms FROM journal WHERE seq = ?1", [seq], |row| {
                Ok((row.get(0)?, row.get(1)?))
            })
            .unwrap_or_default()
    };
    let mut shift = 0;
    if let Some(base) = &run.base {
        let whole = base.as_change("What could be read of earlier changes".to_owned());
        supply_from(base, &whole, &mut document);
        document.replay(&whole, Direction::Forward)?;
        own.append(&whole, "", 0, &document)?;
        // The first sound row becomes row 2.
        shift = run.from - 2;
    }
    for seq in run.from..=run.to {
        let change = file.replay(seq, Direction::Forward, &mut document)?;
        let (author, at_ms): (String, i64) = author(seq);
        own.append(&change, &author, at_ms, &document)?;
    }
    let transaction = own.connection.transaction()?;
    let revision = head.map_or(end, |head| head.position.revision) + 1;
    project::writes::set_place(&transaction, reach - shift, revision)?;
    let _ = recipients(&file, &transaction);
    transaction.commit()?;
    own.finish()?;
    ProjectFile::open(goal, false)?.read()?;
    Ok((reach, wanted))
}

/// Makes the meshes of one document known to another.
fn supply_from(from: &Document, change: &Change, to: &mut Document) {
    for id in to.missing_meshes(change) {
        if let Some(geometry) = from.geometry(id) {
            to.supply_mesh(geometry.mesh().clone());
        }
    }
}

fn recipients(file: &ProjectFile, into: &Transaction) -> Result<(), StoreError> {
    let columns = [("name", Kind::Text), ("settings", Kind::Text), ("sent", Kind::MaybeText)];
    let query = "SELECT name, settings, sent FROM recipients";
    let mut allowance = Allowance::new();
    tables::copy_rows(&file.connection, into, query, "recipients", &columns, &mut allowance)
}

/// Puts what can be had of a damaged project in its place, from its file or from a backup, and opens
/// it. The damaged file is kept beside.
pub fn in_place(store: &Store, id: ProjectId, what: &str) -> Result<Opened, StoreError> {
    let path = store.path(id);
    let kept = store.folder().join("damaged");
    fs::create_dir_all(&kept)?;
    let goal = kept.join(format!("{id}.unfinished"));
    let _ = fs::remove_file(&goal);
    let rescued = rescue_to(&path, &goal);
    let lost = rescued.as_ref().map_or(i64::MAX, |(reach, wanted)| wanted - reach);
    let reach = rescued.as_ref().map_or(-1, |(reach, _)| *reach);
    let sound = |path: &PathBuf| {
        ProjectFile::open(path, false).and_then(|file| file.read()).map(|read| read.position.cursor)
    };
    let backup = backups::of(store, id)
        .into_iter()
        .find_map(|path| Some((sound(&path).ok()?, path)))
        .filter(|(cursor, _)| lost != 0 && *cursor > reach);
    let from = match (&backup, &rescued) {
        (Some((_, backup)), _) => {
            ProjectFile::open(backup, false)?.copy_to(&goal.with_extension("backup"))?;
            fs::rename(goal.with_extension("backup"), &goal)?;
            "as it was when its last backup was taken".to_owned()
        }
        (None, Ok((reach, wanted))) if reach == wanted => "whole".to_owned(),
        (None, Ok((reach, wanted))) => format!(
            "as of change {reach} of {wanted}; the {} after it could not be read",
            wanted - reach
        ),
        (None, Err(_)) => return Err(StoreError::Damaged(what.to_owned())),
    };
    // What was committed last may stand beside the file still.
    let number = (1..).find(|n| !kept.join(format!("{id}-{n}.speckle")).exists()).unwrap_or(1);
    let aside = kept.join(format!("{id}-{number}.speckle"));
    for ending in ["-wal", ""] {
        let with = |path: &Path| {
            let mut path = path.as_os_str().to_owned();
            path.push(ending);
            PathBuf::from(path)
        };
        if with(&path).exists() {
            fs::copy(with(&path), with(&aside))?;
        }
    }
    for ending in ["-wal", "-shm"] {
        let mut beside = path.as_os_str().to_owned();
        beside.push(ending);
        let _ = fs::remove_file(beside);
    }
    fs::rename(&goal, &path)?;
    let mut opened = store.project(id)?.read()?;
    opened.notice = Some(format!(
        "The file of this project was damaged ({what}). It is open {from}. The damaged file is \
         kept as {}",
        aside.display()
    ));
    Ok(opened)
}
