//! All open projects, and the way to each.

use std::{
    collections::HashMap,
    sync::{
        Arc, Mutex,
        mpsc::{Receiver, Sender, channel},
    },
};

use speckle_store::{ProjectId, Store, StoreError};

use crate::session::{Session, command::Command, lock};

/// A project's place: the way to its session while it is open. Its lock is held while it opens, so
/// that whoever wants the same project waits, and nobody else does.
type Place = Arc<Mutex<Option<Sender<Command>>>>;

/// All open projects.
#[derive(Clone)]
pub struct Sessions {
    store: Store,
    places: Arc<Mutex<HashMap<ProjectId, Place>>>,
}

impl Sessions {
    /// None open yet.
    pub fn new(store: Store) -> Self {
        Self { store, places: Arc::default() }
    }

    fn place(&self, project: ProjectId) -> Place {
        lock(&self.places).entry(project).or_default().clone()
    }

    /// Sends a command to a project, opening it first when it is not; returns the way to it, which
    /// holds for as long as a client is there.
    ///
    /// Blocks while it opens.
    pub fn send(
        &self,
        project: ProjectId,
        command: Command,
    ) -> Result<Sender<Command>, StoreError> {
        let place = self.place(project);
        let mut place = lock(&place);
        // Sessions leave their place under its lock, so a sender found here is heard.
        let command = match &*place {
            Some(sender) => match sender.send(command) {
                Ok(()) => return Ok(sender.clone()),
                Err(unheard) => unheard.0,
            },
            None => command,
        };
        let (sender, commands) = channel();
        let session = Session::open(project, &self.store, sender.clone())?;
        let sessions = self.clone();
        std::thread::Builder::new()
            .name(format!("project {project}"))
            .spawn(move || session.run(&commands, |commands| sessions.leave(project, commands)))?;
        sender.send(command).expect("the session's thread holds the receiver");
        *place = Some(sender.clone());
        Ok(sender)
    }

    /// Lets an idle session leave, unless something has come for it.
    pub fn leave(&self, project: ProjectId, commands: &Receiver<Command>) -> Option<Command> {
        let place = self.place(project);
        let mut place = lock(&place);
        let command = commands.try_recv().ok();
        if command.is_none() {
            *place = None;
        }
        command
    }

    /// Closes a project that is about to be deleted, and tells whoever has it open.
    pub fn close(&self, project: ProjectId) {
        let place = lock(&self.places).remove(&project);
        if let Some(sender) = place.and_then(|place| lock(&place).take()) {
            let _ = sender.send(Command::Gone);
        }
    }

    /// Tells whoever has a project open that it has another name.
    pub fn renamed(&self, project: ProjectId, name: String) {
        if let Some(sender) = &*lock(&self.place(project)) {
            let _ = sender.send(Command::Renamed(name));
        }
    }

    /// Ends every stroke, has all that was done written, and closes every project. Blocks until
    /// that is so.
    pub fn close_all(&self) {
        let places: Vec<Place> = lock(&self.places).drain().map(|(_, place)| place).collect();
        let (closed, all_closed) = channel::<()>();
        for place in places {
            if let Some(sender) = lock(&place).take() {
                let _ = sender.send(Command::Close(closed.clone()));
            }
        }
        drop(closed);
        // Ends when every session has let go of its end.
        let _ = all_closed.recv();
    }
}
