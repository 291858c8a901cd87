//! What strokes and fills will add to meshes, found out beside the project's thread: one at a time for a client,
//! of which the newest counts.

use std::collections::HashMap;

use speckle_core::document::Ahead;

use super::{
    Session,
    command::{ClientId, Command},
};
use crate::{
    aside::{Pool, in_pool},
    wire::{self, ServerMessage},
};

/// Of each client whose question is being answered, the newest that came meanwhile.
#[derive(Default)]
pub(super) struct Aheads(HashMap<ClientId, Option<(u32, Ahead)>>);

impl Aheads {
    /// A client goes: nothing more is found out for it.
    pub(super) fn leave(&mut self, client: ClientId) {
        if let Some(next) = self.0.get_mut(&client) {
            *next = None;
        }
    }
}

impl Session {
    /// Finds out what a stroke or fill will add, as soon as what is being found out for the client is.
    pub(super) fn look_ahead(&mut self, client: ClientId, question: u32, ahead: Option<Ahead>) {
        let Some(ahead) = ahead else { return self.tell_ahead(client, question, 0) };
        if let Some(next) = self.aheads.0.get_mut(&client) {
            let older = next.replace((question, ahead));
            return self.let_go(client, older.map(|(question, _)| question));
        }
        self.aheads.0.insert(client, None);
        self.find_out(client, question, ahead);
    }

    fn find_out(&mut self, client: ClientId, question: u32, ahead: Ahead) {
        let back = self.back.clone();
        let work = move || {
            let triangles = in_pool(Pool::Trials, || ahead.new_triangles());
            let _ = back.send(Command::FoundAhead(client, question, triangles));
        };
        if std::thread::Builder::new().name("ahead".to_owned()).spawn(work).is_err() {
            self.aheads.0.remove(&client);
            self.end_question(client, question, Some("nothing can be found out now".to_owned()));
        }
    }

    /// What a stroke or fill will add is known; the newest question of its client comes next.
    pub(super) fn found_ahead(&mut self, client: ClientId, question: u32, triangles: usize) {
        self.tell_ahead(client, question, triangles);
        if let Some(Some((question, ahead))) = self.aheads.0.remove(&client) {
            self.aheads.0.insert(client, None);
            self.find_out(client, question, ahead);
        }
    }

    fn tell_ahead(&mut self, client: ClientId, question: u32, triangles: usize) {
        self.tell(client, wire::json(&ServerMessage::Ahead { question, triangles }));
        self.end_question(client, question, None);
    }
}
