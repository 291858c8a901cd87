//! Copies of a project's file, taken when nobody has it open, for the day its file is damaged.

use std::{
    fs,
    path::{Path, PathBuf},
};

use crate::{ProjectFile, ProjectId, Store, StoreError, is_damage};

/// How much of a copy is written before it is waited for, bytes.
const A_BIT: u64 = 4 << 20;

/// How many steps of SQLite's machine lie between two looks at a copy: about as many as rows.
const STEPS: i32 = 50;

/// How many are kept of a project.
const MOST: usize = 3;

impl Store {
    /// Takes a backup of a project unless the newest one is as it is, or the project is damaged;
    /// tells whether it did.
    ///
    /// # Errors
    /// When it cannot be read, or the backup cannot be written.
    pub fn back_up(&self, project: ProjectId) -> Result<bool, StoreError> {
        let file = ProjectFile::open(&self.path(project), false)?;
        let revision = file.position()?.revision;
        let folder = folder_of(self, project);
        if list(&folder).first().is_some_and(|(newest, _)| *newest == revision) {
            return Ok(false);
        }
        fs::create_dir_all(&folder)?;
        let unfinished = folder.join("unfinished");
        let _ = fs::remove_file(&unfinished);
        file.copy_to(&unfinished)?;
        if let Err(error) = ProjectFile::open(&unfinished, false)?.verify() {
            // An older backup that is sound is worth more.
            let _ = fs::remove_file(unfinished);
            return match error {
                StoreError::Damaged(_) => Ok(false),
                StoreError::Sqlite(error) if is_damage(&error) => Ok(false),
                other => Err(other),
            };
        }
        fs::rename(unfinished, folder.join(format!("{revision}.speckle")))?;
        for (_, path) in list(&folder).into_iter().skip(MOST) {
            let _ = fs::remove_file(path);
        }
        Ok(true)
    }
}

impl ProjectFile {
    /// Copies it whole to a new file, safe on disk. Whoever writes meanwhile does not wait.
    pub(crate) fn copy_to(&self, goal: &Path) -> Result<(), StoreError> {
        // SQLite takes an empty file for a new one too, but not what a crash left.
        if fs::metadata(goal).is_ok_and(|data| data.len() == 0) {
            fs::remove_file(goal)?;
        }
        // On disk bit by bit: where much is handed over at once, everyone else's next commit waits
        // until all of it is written.
        let path = goal.to_owned();
        let mut on_disk = 0;
        let onto_disk = move || {
            let length = fs::metadata(&path).map_or(0, |data| data.len());
            if length > on_disk + A_BIT
                && let Ok(file) = fs::File::open(&path)
                && file.sync_data().is_ok()
            {
                on_disk = length;
            }
            false
        };
        self.connection.progress_handler(STEPS, Some(onto_disk))?;
        let copied = self.connection.execute("VACUUM INTO ?1", [goal.to_string_lossy().as_ref()]);
        self.connection.progress_handler(0, None::<fn() -> bool>)?;
        copied?;
        Ok(fs::File::open(goal)?.sync_all()?)
    }
}

fn folder_of(store: &Store, project: ProjectId) -> PathBuf {
    store.folder().join("backups").join(project.to_string())
}

/// The backups in a folder with their revisions, the newest first.
fn list(folder: &Path) -> Vec<(i64, PathBuf)> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let mut found: Vec<(i64, PathBuf)> = entries
        .filter_map(|entry| {
            let path = entry.path();
            let revision = path.file_stem()?.to_str()?.parse().ok()?;
            Some((revision, path))
        })
        .collect();
    found.sort_by_key(|(revision, _)| std::cmp::Reverse(*revision));
    found
}

/// The backups of a project, the newest first.
pub fn of(store: &Store, project: ProjectId) -> Vec<PathBuf> {
    list(&folder_of(store, project)).into_iter().map(|(_, path)| path).collect()
}

/// Deletes the backups of a project that is gone.
pub fn forget(store: &Store, project: ProjectId) {
    let _ = fs::remove_dir_all(folder_of(store, project));
}
