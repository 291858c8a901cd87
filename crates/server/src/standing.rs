//! Standing deliveries: recipients that a folder is kept up to date for. Whenever a project rests after a change, what
//! they want is packed and written there whole, so that tools that watch files reload by themselves.

use std::{
    collections::HashMap,
    path::{Path, PathBuf},
    sync::{Arc, Mutex},
    time::{Duration, Instant, SystemTime},
};

use serde::Serialize;
use speckle_formats::{
    folder::keep_up,
    recipient::{Recipient, file_stem},
};
use speckle_store::{ProjectId, Store, StoreError};
use utoipa::ToSchema;

use crate::{
    App,
    session::{lock, now_ms},
};

/// How often projects are looked at.
const EVERY: Duration = Duration::from_millis(500);
/// How long a project must have been left alone before it is sent.
const REST: Duration = Duration::from_millis(1500);
/// How long after something went wrong it is tried again.
const AGAIN: Duration = Duration::from_secs(30);

/// What was written for a recipient last.
#[derive(Clone, Debug, Default, Serialize, ToSchema)]
pub struct StandingDelivery {
    /// The recipient's name.
    recipient: String,
    /// The project's revision then.
    revision: i64,
    /// When, in milliseconds since 1970.
    at_ms: i64,
    /// The files that are there.
    files: Vec<String>,
    /// Why the last one could not be written; the files are as before then.
    #[serde(skip_serializing_if = "Option::is_none")]
    trouble: Option<String>,
    /// What it was written by: the recipient as it wants it.
    #[serde(skip)]
    by: String,
    /// When it is tried again after trouble.
    #[serde(skip)]
    again: Option<Instant>,
}

/// The folder, and what was written into it.
#[derive(Debug)]
pub struct Standing {
    folder: PathBuf,
    /// What each project's own folder is called.
    names: Mutex<HashMap<ProjectId, String>>,
    done: Mutex<HashMap<ProjectId, Vec<StandingDelivery>>>,
}

/// A project as it was seen last.
struct Seen {
    name: String,
    revision: i64,
    /// Since when it has this revision.
    since: Instant,
    /// When its file was written to last.
    written: SystemTime,
    /// The recipients that it is kept up to date for, and their settings.
    wanted: Vec<(Recipient, String)>,
}

impl Seen {
    /// Reads what is kept of a project.
    fn read(store: &Store, id: ProjectId, written: SystemTime) -> Result<Self, StoreError> {
        let listed = store.listed(id)?;
        let kept = store.project(id)?.recipients()?;
        let wanted = kept.into_iter().filter_map(|kept| {
            let recipient: Recipient = serde_json::from_str(&kept.settings).ok()?;
            recipient.standing.then_some((recipient, kept.settings))
        });
        Ok(Self {
            name: listed.name,
            revision: listed.revision,
            since: Instant::now(),
            written,
            wanted: wanted.collect(),
        })
    }
}

impl Standing {
    /// A folder that nothing was written into yet.
    pub fn new(folder: PathBuf) -> Arc<Self> {
        Arc::new(Self { folder, names: Mutex::default(), done: Mutex::default() })
    }

    /// Where the deliveries of a project of some name are.
    pub fn folder_of(&self, project: ProjectId, name: &str) -> PathBuf {
        let known = lock(&self.names).get(&project).cloned();
        self.folder.join(known.unwrap_or_else(|| file_stem(name)))
    }

    /// Names folders after projects; of two that are called alike, the later one has its number with it.
    fn name(&self, projects: &[(ProjectId, &str)]) {
        let mut sorted = projects.to_vec();
        sorted.sort_by_key(|(id, _)| *id);
        let mut names: HashMap<ProjectId, String> = HashMap::new();
        for (id, name) in sorted {
            let stem = file_stem(name);
            // As some disks do, whatever is written large or small.
            let is_taken = names.values().any(|own| own.eq_ignore_ascii_case(&stem));
            names.insert(id, if is_taken { format!("{stem}-{id}") } else { stem });
        }
        *lock(&self.names) = names;
    }

    /// What was written of a project.
    pub fn done(&self, project: ProjectId) -> Vec<StandingDelivery> {
        lock(&self.done).get(&project).cloned().unwrap_or_default()
    }

    /// Keeps the folder up to date for as long as it runs.
    pub(crate) async fn keep_up(self: Arc<Self>, app: App) {
        let mut seen: HashMap<ProjectId, Seen> = HashMap::new();
        loop {
            tokio::time::sleep(EVERY).await;
            seen = app.blocking(move |app| Ok(looked(&app.store, seen))).await.unwrap_or_default();
            self.name(&seen.iter().map(|(id, own)| (*id, own.name.as_str())).collect::<Vec<_>>());
            for (&id, own) in &seen {
                if own.since.elapsed() < REST {
                    continue;
                }
                for (recipient, by) in &own.wanted {
                    if self.is_due(id, recipient, by, own.revision) {
                        self.deliver(&app, (id, &own.name), recipient, by).await;
                    }
                }
                let names: Vec<&str> =
                    own.wanted.iter().map(|(recipient, _)| recipient.name.as_str()).collect();
                if let Some(done) = lock(&self.done).get_mut(&id) {
                    done.retain(|done| names.contains(&done.recipient.as_str()));
                }
            }
        }
    }

    fn is_due(&self, project: ProjectId, recipient: &Recipient, by: &str, revision: i64) -> bool {
        let done = self.done(project);
        let Some(last) = done.iter().find(|done| done.recipient == recipient.name) else {
            return true;
        };
        let is_same = last.revision == revision && last.by == by;
        !is_same || last.again.is_some_and(|again| again <= Instant::now())
    }

    async fn deliver(
        &self,
        app: &App,
        project: (ProjectId, &str),
        recipient: &Recipient,
        by: &str,
    ) {
        let (id, name) = project;
        let last = self.done(id).into_iter().find(|done| done.recipient == recipient.name);
        let before = last.map_or_else(Vec::new, |last| last.files);
        let folder = self.folder_of(id, name);
        let (revision, written) = match app.packed(id, recipient.clone()).await {
            Ok((now, packed)) => {
                let (folder, before) = (folder.clone(), before.clone());
                let written = app.blocking(move |_| Ok(keep_up(&folder, &packed, &before))).await;
                (now.revision, written.unwrap_or_else(|error| Err(error.message)))
            }
            Err(error) => {
                let revision = app.now(id).await.map_or(0, |now| now.revision);
                (revision, Err(error.message))
            }
        };
        let (files, trouble) = match written {
            Ok(files) => (files, None),
            Err(trouble) => (before, Some(trouble)),
        };
        let done = StandingDelivery {
            recipient: recipient.name.clone(),
            revision,
            at_ms: now_ms(),
            files,
            again: trouble.is_some().then(|| Instant::now() + AGAIN),
            trouble,
            by: by.to_owned(),
        };
        let mut all = lock(&self.done);
        let of_project = all.entry(id).or_default();
        of_project.retain(|other| other.recipient != done.recipient);
        of_project.push(done);
    }
}

/// Whether what was written then has been read since: clocks of disks tick coarsely.
fn is_past(written: SystemTime) -> bool {
    written.elapsed().is_ok_and(|ago| ago > Duration::from_secs(2))
}

/// The projects as they are now; those whose files were not written to since are as they were.
fn looked(store: &Store, mut seen: HashMap<ProjectId, Seen>) -> HashMap<ProjectId, Seen> {
    // A folder that cannot be read now is read again in a moment.
    let Ok(written) = store.written() else { return seen };
    let mut now = HashMap::new();
    for (id, written) in written {
        let before = seen.remove(&id);
        let own = match before {
            Some(before) if before.written == written && is_past(written) => before,
            before => match Seen::read(store, id, written) {
                Ok(own) => {
                    let since = before.filter(|before| before.revision == own.revision);
                    Seen { since: since.map_or(own.since, |before| before.since), ..own }
                }
                // One that cannot be read is told of on the shelf, and nothing goes out of it.
                Err(_) => continue,
            },
        };
        now.insert(id, own);
    }
    now
}

/// The folder of standing deliveries as it is told.
#[derive(Debug, Serialize, ToSchema)]
pub struct StandingState {
    /// Where what the project's recipients want is kept up to date; none where the server was started without a
    /// folder.
    folder: Option<String>,
    /// What was written for each.
    done: Vec<StandingDelivery>,
}

impl StandingState {
    /// Of a project of some name.
    pub fn of(standing: Option<&Standing>, project: ProjectId, name: &str) -> Self {
        let shown = |path: &Path| path.display().to_string();
        Self {
            folder: standing.map(|own| shown(&own.folder_of(project, name))),
            done: standing.map_or_else(Vec::new, |own| own.done(project)),
        }
    }
}
