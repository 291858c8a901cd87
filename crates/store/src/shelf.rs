//! The folder of projects: made, listed, copied, brought in, deleted.
//!
//! A file is made under another name and moved into its place when it is whole, so that no crash
//! leaves half a project behind.

use std::{
    fs,
    io::ErrorKind,
    path::{Path, PathBuf},
    sync::{Arc, Mutex, PoisonError},
    time::SystemTime,
};

use speckle_core::{Change, Document};

use crate::{
    Opened, Project, ProjectFile, ProjectId, StoreError, Write, backups, earlier, foreign,
    owner::{self, Owner},
    project::Head,
    rescue,
};

/// How a project's file ends.
const ENDING: &str = "speckle";
/// How a file ends that is not whole yet.
const UNFINISHED: &str = "unfinished";
/// Holds the last number that was given to a project.
const LAST: &str = "last";

/// How much room the store takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DiskUse {
    /// Bytes of all files on disk, backups too.
    pub file: u64,
    /// Bytes within them that their projects will use next.
    pub free: u64,
}

/// A folder of projects. Clones share it.
#[derive(Clone)]
pub struct Store(Arc<Inner>);

struct Inner {
    folder: PathBuf,
    /// None where it is looked at only.
    owner: Option<Mutex<Owner>>,
    /// Held while a number is given to a project.
    numbers: Mutex<()>,
    /// Goes with the store.
    _temporary: Option<tempfile::TempDir>,
}

impl Store {
    /// Opens a folder and owns it from now on, making it when it is not there. A file in which
    /// earlier versions kept all projects is left as it is; its projects are taken over into a
    /// folder beside it, once.
    ///
    /// # Errors
    /// When another process owns it, or it holds other things.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        if !path.is_file() {
            return Self::owning(path, None);
        }
        let folder = folder_beside(path);
        if owner::is_ours(&folder) {
            return Self::owning(&folder, None);
        }
        let file = foreign::open(path)?;
        let not_ours = || StoreError::NotOurs(path.display().to_string());
        if !matches!(earlier::version(&file), Ok(Some(_))) {
            return Err(not_ours());
        }
        // Whole or not at all: a folder half filled would be taken for all there was.
        let unfinished = folder.with_extension(UNFINISHED);
        match fs::remove_dir_all(&unfinished) {
            Err(error) if error.kind() != ErrorKind::NotFound => return Err(error.into()),
            _ => {}
        }
        {
            let filling = Self::owning(&unfinished, None)?;
            for id in earlier::projects(&file)? {
                let (goal, _) = filling.numbered(Some(id))?;
                filling.make(id, &goal, |goal| earlier::take(&file, id, goal))?;
            }
        }
        fs::rename(&unfinished, &folder)?;
        Self::owning(&folder, None)
    }

    /// Opens a folder to look at it only, also while another process owns it.
    ///
    /// # Errors
    /// When it is no folder of projects.
    pub fn look(path: &Path) -> Result<Self, StoreError> {
        let folder = if path.is_file() { folder_beside(path) } else { path.to_owned() };
        if !owner::is_ours(&folder) {
            return Err(StoreError::NotOurs(path.display().to_string()));
        }
        let numbers = Mutex::default();
        Ok(Self(Arc::new(Inner { folder, owner: None, numbers, _temporary: None })))
    }

    /// A store that is gone when dropped.
    ///
    /// # Errors
    /// When no folder can be made for it.
    pub fn temporary() -> Result<Self, StoreError> {
        let folder = tempfile::tempdir()?;
        let path = folder.path().join("projects");
        Self::owning(&path, Some(folder))
    }

    fn owning(folder: &Path, temporary: Option<tempfile::TempDir>) -> Result<Self, StoreError> {
        let owner = Owner::take(folder)?;
        for entry in fs::read_dir(folder)?.flatten() {
            // What a crash left unfinished nobody was told of.
            if entry.path().extension().is_some_and(|ending| ending == UNFINISHED) {
                fs::remove_file(entry.path())?;
            }
        }
        let (folder, owner) = (folder.to_owned(), Some(Mutex::new(owner)));
        Ok(Self(Arc::new(Inner {
            folder,
            owner,
            numbers: Mutex::default(),
            _temporary: temporary,
        })))
    }

    /// Says where the owner can be reached, for whoever finds the folder taken.
    ///
    /// # Errors
    /// When it cannot be written.
    pub fn say_address(&self, address: &str) -> Result<(), StoreError> {
        match &self.0.owner {
            Some(owner) => owner.lock().unwrap_or_else(PoisonError::into_inner).say(address),
            None => Err(StoreError::ReadOnly),
        }
    }

    /// The folder.
    #[must_use]
    pub fn folder(&self) -> &Path {
        &self.0.folder
    }

    pub(crate) fn path(&self, project: ProjectId) -> PathBuf {
        self.0.folder.join(format!("{project}.{ENDING}"))
    }

    /// A project's file, with a connection of its own.
    ///
    /// # Errors
    /// When there is none, or it cannot be opened.
    pub fn project(&self, project: ProjectId) -> Result<ProjectFile, StoreError> {
        let path = self.path(project);
        if !path.exists() {
            return Err(StoreError::NoSuchProject(project));
        }
        ProjectFile::open(&path, self.0.owner.is_some())
    }

    /// Opens a project as its journal has it. Where its file is damaged, as much as can be had of
    /// it is opened instead, and said; the damaged file is kept.
    ///
    /// # Errors
    /// When there is none, or nothing can be had of it.
    pub fn open_project(&self, project: ProjectId) -> Result<Opened, StoreError> {
        let read = self.project(project).and_then(|file| file.read());
        match read {
            Err(StoreError::Damaged(what)) => self.rescued(project, &what),
            Err(StoreError::Sqlite(error)) if crate::is_damage(&error) => {
                self.rescued(project, &error.to_string())
            }
            Err(StoreError::NoProjectFile) => self.rescued(project, "its head cannot be read"),
            other => other,
        }
    }

    fn rescued(&self, project: ProjectId, what: &str) -> Result<Opened, StoreError> {
        if self.0.owner.is_none() {
            return Err(StoreError::Damaged(what.to_owned()));
        }
        rescue::in_place(self, project, what)
    }

    /// All projects, last opened first; what cannot be read is listed by its number.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn projects(&self) -> Result<Vec<Project>, StoreError> {
        let mut projects = Vec::new();
        for id in self.numbers()? {
            match self.listed(id) {
                Ok(project) => projects.push(project),
                // Deleted meanwhile.
                Err(StoreError::NoSuchProject(_)) => {}
                Err(_) => projects.push(Project {
                    id,
                    name: format!("Project {id} (damaged)"),
                    created_ms: 0,
                    opened_ms: 0,
                    revision: 0,
                    bytes: fs::metadata(self.path(id)).map_or(0, |data| data.len() as i64),
                }),
            }
        }
        projects.sort_by_key(|project| std::cmp::Reverse((project.opened_ms, project.id)));
        Ok(projects)
    }

    /// A project as it is listed.
    ///
    /// # Errors
    /// When there is none, or it cannot be read.
    pub fn listed(&self, id: ProjectId) -> Result<Project, StoreError> {
        let path = self.path(id);
        if !path.exists() {
            return Err(StoreError::NoSuchProject(id));
        }
        let file = ProjectFile::open(&path, false)?;
        let Head { name, created_ms, opened_ms, position } = file.head()?;
        let pages = file.pragma("page_count")? - file.pragma("freelist_count")?;
        let bytes = pages * file.pragma("page_size")?;
        Ok(Project { id, name, created_ms, opened_ms, revision: position.revision, bytes })
    }

    /// The numbers of all projects.
    fn numbers(&self) -> Result<Vec<ProjectId>, StoreError> {
        let number = |path: &Path| -> Option<ProjectId> {
            (path.extension()? == ENDING).then_some(())?;
            path.file_stem()?.to_str()?.parse().ok()
        };
        let entries = fs::read_dir(&self.0.folder)?.flatten();
        Ok(entries.filter_map(|entry| number(&entry.path())).collect())
    }

    /// When each project was written to last, without opening any.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn written(&self) -> Result<Vec<(ProjectId, SystemTime)>, StoreError> {
        let when = |path: &Path| fs::metadata(path).and_then(|data| data.modified()).ok();
        let last = |id: ProjectId| {
            let path = self.path(id);
            let mut journal = path.clone().into_os_string();
            journal.push("-wal");
            Some((
                id,
                when(&path)?.max(when(Path::new(&journal)).unwrap_or(SystemTime::UNIX_EPOCH)),
            ))
        };
        Ok(self.numbers()?.into_iter().filter_map(last).collect())
    }

    /// How much room the store takes.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn disk_use(&self) -> Result<DiskUse, StoreError> {
        let free = |id| -> Result<i64, StoreError> {
            let file = ProjectFile::open(&self.path(id), false)?;
            Ok(file.pragma("freelist_count")? * file.pragma("page_size")?)
        };
        let free = self.numbers()?.into_iter().map(|id| free(id).unwrap_or(0)).sum::<i64>();
        Ok(DiskUse { file: bytes_in(&self.0.folder)?, free: free as u64 })
    }

    /// A number that no project had, and where its file is made.
    fn numbered(&self, wanted: Option<ProjectId>) -> Result<(PathBuf, ProjectId), StoreError> {
        if self.0.owner.is_none() {
            return Err(StoreError::ReadOnly);
        }
        let _held = self.0.numbers.lock().unwrap_or_else(PoisonError::into_inner);
        let path = self.0.folder.join(LAST);
        let last = fs::read_to_string(&path).ok().and_then(|said| said.trim().parse().ok());
        let known = self.numbers()?.into_iter().chain(last).max().unwrap_or(0);
        let number = wanted.unwrap_or(known + 1);
        let unfinished = path.with_extension(UNFINISHED);
        fs::write(&unfinished, number.max(known).to_string())?;
        fs::File::open(&unfinished)?.sync_all()?;
        fs::rename(unfinished, path)?;
        Ok((self.0.folder.join(format!("{number}.{UNFINISHED}")), number))
    }

    /// Has a project's file made, and moves it into its place when it is whole and on disk.
    fn make(
        &self,
        number: ProjectId,
        goal: &Path,
        make: impl FnOnce(&Path) -> Result<(), StoreError>,
    ) -> Result<ProjectId, StoreError> {
        let made = make(goal).and_then(|()| {
            fs::rename(goal, self.path(number))?;
            Ok(sync_folder(&self.0.folder)?)
        });
        if made.is_err() {
            for ending in ["", "-wal", "-shm", "-journal"] {
                let mut path = goal.as_os_str().to_owned();
                path.push(ending);
                let _ = fs::remove_file(path);
            }
        }
        made.map(|()| number)
    }

    /// Makes an empty project.
    ///
    /// # Errors
    /// When its name is none, or it could not be written.
    pub fn create_project(&self, name: &str, now_ms: i64) -> Result<ProjectId, StoreError> {
        let name = proper_name(name)?;
        let (goal, number) = self.numbered(None)?;
        self.make(number, &goal, |goal| ProjectFile::create(goal, name, now_ms)?.finish())
    }

    /// Makes a project with its first change; both or neither.
    ///
    /// # Errors
    /// When its name is none, or it could not be written.
    pub fn create_with(
        &self,
        name: &str,
        change: &Change,
        author: &str,
        now_ms: i64,
        document: &Document,
    ) -> Result<ProjectId, StoreError> {
        let name = proper_name(name)?;
        let (goal, number) = self.numbered(None)?;
        self.make(number, &goal, |goal| {
            let mut file = ProjectFile::create(goal, name, now_ms)?;
            if !change.is_empty() {
                file.append(change, author, now_ms, document)?;
            }
            file.finish()
        })
    }

    /// Gives a project another name.
    ///
    /// # Errors
    /// When there is none, or the name is empty or endless.
    pub fn rename_project(&self, project: ProjectId, name: &str) -> Result<(), StoreError> {
        let name = proper_name(name)?.to_owned();
        self.project(project)?.write(&[Write::Name(name)])
    }

    /// Copies a project with its whole history.
    ///
    /// # Errors
    /// When there is none.
    pub fn duplicate_project(
        &self,
        project: ProjectId,
        now_ms: i64,
    ) -> Result<ProjectId, StoreError> {
        let file = self.project(project)?;
        let name = format!("{} copy", file.head()?.name);
        let name: String = name.chars().take(speckle_model::LONGEST_NAME).collect();
        let (goal, number) = self.numbered(None)?;
        self.make(number, &goal, |goal| {
            file.copy_to(goal)?;
            let copy = ProjectFile::open(goal, true)?;
            copy.connection.execute(
                "UPDATE project SET name = ?1, created_ms = ?2, opened_ms = ?2",
                rusqlite::params![name, now_ms],
            )?;
            copy.finish()
        })
    }

    /// Deletes a project with all that belongs to it, its backups too.
    ///
    /// # Errors
    /// When there is none.
    pub fn delete_project(&self, project: ProjectId) -> Result<(), StoreError> {
        if self.0.owner.is_none() {
            return Err(StoreError::ReadOnly);
        }
        let path = self.path(project);
        match fs::remove_file(&path) {
            Err(error) if error.kind() == ErrorKind::NotFound => {
                return Err(StoreError::NoSuchProject(project));
            }
            other => other?,
        }
        for beside in ["-wal", "-shm"] {
            let mut path = path.as_os_str().to_owned();
            path.push(beside);
            let _ = fs::remove_file(path);
        }
        backups::forget(self, project);
        Ok(sync_folder(&self.0.folder)?)
    }

    /// Writes a project with its whole history to a new file.
    ///
    /// # Errors
    /// When there is no such project, or the file cannot be written.
    pub fn export_project(&self, project: ProjectId, path: &Path) -> Result<(), StoreError> {
        self.project(project)?.copy_to(path)
    }

    /// Brings a project in from a file that [`Store::export_project`] wrote, of this version or an
    /// earlier one. The file is not trusted: its rows are read one by one, and the project is
    /// opened before it counts.
    ///
    /// # Errors
    /// When the file is none of ours or is damaged; nothing is then changed.
    pub fn import_project(&self, path: &Path, now_ms: i64) -> Result<ProjectId, StoreError> {
        let (goal, number) = self.numbered(None)?;
        self.make(number, &goal, |goal| foreign::take(path, goal, now_ms))
    }
}

/// A name as it is kept.
fn proper_name(name: &str) -> Result<&str, StoreError> {
    let name = name.trim();
    match name.chars().count() {
        0 => Err(StoreError::NoName),
        many if many > speckle_model::LONGEST_NAME => Err(StoreError::LongName),
        _ => Ok(name),
    }
}

/// The folder that the projects of an earlier version's file are taken over into.
fn folder_beside(file: &Path) -> PathBuf {
    file.with_extension("projects")
}

fn sync_folder(folder: &Path) -> std::io::Result<()> {
    // Elsewhere folders cannot be opened as files, and a rename is safe without.
    #[cfg(unix)]
    fs::File::open(folder)?.sync_all()?;
    let _ = folder;
    Ok(())
}

fn bytes_in(folder: &Path) -> std::io::Result<u64> {
    let mut bytes = 0;
    for entry in fs::read_dir(folder)?.flatten() {
        match entry.metadata() {
            Ok(data) if data.is_dir() => bytes += bytes_in(&entry.path())?,
            Ok(data) => bytes += data.len(),
            // Deleted meanwhile.
            Err(_) => {}
        }
    }
    Ok(bytes)
}
