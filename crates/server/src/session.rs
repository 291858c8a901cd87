//! An open project: one thread that owns the document, takes commands in order and tells every
//! client what came of them.
//!
//! A change is acknowledged (`Kept`) only after its journal row is on disk. When it cannot be
//! written, it is taken back from the document too, and everyone sees that: see [`journal`].

mod aheads;
mod answers;
pub mod command;
mod journal;
mod shapes;
mod telling;

use std::{
    collections::{HashMap, VecDeque},
    sync::{
        Mutex, MutexGuard, PoisonError,
        mpsc::{Receiver, RecvTimeoutError, Sender},
    },
    time::{Duration, SystemTime, UNIX_EPOCH},
};

use axum::extract::ws::{CloseFrame, Message};
use speckle_core::{
    Change, Document, HandId,
    document::{Direction, Made},
};
use speckle_model::{
    ColorSet, PartId, SetId,
    color_set::{ChannelRecipe, Role},
};
use speckle_store::{Checkpoint, Position, ProjectFile, ProjectId, Row, Store, StoreError, Write};
use speckle_tools::{stencil::StencilId, stroke::Sample};

use crate::{
    facts::Facts,
    keeper::Keeper,
    kitchen::Kitchen,
    tasted::Tasted,
    wire::{self, ClientMessage, HeldMesh, ServerMessage},
};

use aheads::Aheads;
use command::{ClientId, Command, Hand, Now};
use journal::{Asked, Pending};
use shapes::Shapes;

/// Bytes a client may lag behind before it is dropped, beside twice the values of the project; it
/// then reconnects and starts afresh.
const MOST_WAITING: usize = 32 << 20;

/// The most clients of a project.
pub const MOST_CLIENTS: usize = 64;

/// How often it is told how far a recipe is.
const LOOK_IN: Duration = Duration::from_millis(150);

/// How long a project without clients stays open.
const IDLE: Duration = Duration::from_secs(20);

/// Locks a thing that is only ever put in whole, so that a thread that panicked left no half of it.
pub fn lock<T>(shared: &Mutex<T>) -> MutexGuard<'_, T> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Milliseconds since 1970.
pub fn now_ms() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_millis() as i64)
}

/// An open project.
pub struct Session {
    project: ProjectId,
    name: String,
    document: Document,
    /// Where it stands, what is being written included.
    position: Position,
    /// All rows of its journal, likewise.
    rows: Vec<Row>,
    /// The row that the checkpoint was taken after, likewise.
    checkpoint_seq: i64,
    /// What is being written, in order.
    pending: VecDeque<Pending>,
    keeper: Keeper,
    /// Its file, for reading.
    file: ProjectFile,
    store: Store,
    /// What whoever comes first should know.
    notice: Option<String>,
    /// Bytes that may wait for a client.
    most_waiting: usize,
    clients: HashMap<ClientId, Hand>,
    /// How many stencils came so far.
    stencils: u32,
    kitchen: Kitchen,
    aheads: Aheads,
    /// The way to this session, for what is made beside it.
    back: Sender<Command>,
    shapes: Shapes,
    /// Whether something changed that recipes may depend on.
    are_recipes_due: bool,
    /// The set each client looks at.
    looking: HashMap<ClientId, (PartId, SetId)>,
    /// What was made while someone was painting: it comes in when the pointers are lifted.
    waiting: Vec<Made>,
    /// The revision at which what a client's stroke has done so far was last kept.
    under_way: HashMap<ClientId, i64>,
    /// Whether the project was deleted.
    is_gone: bool,
    /// Let go when all is written, where the server stops.
    closing: Option<Sender<()>>,
}

impl Session {
    /// Opens a project.
    pub fn open(
        project: ProjectId,
        store: &Store,
        back: Sender<Command>,
    ) -> Result<Self, StoreError> {
        let opened = store.open_project(project)?;
        let mut session = Self {
            project,
            name: opened.name,
            document: opened.document,
            position: opened.position,
            rows: opened.rows,
            checkpoint_seq: opened.checkpoint_seq,
            pending: VecDeque::new(),
            keeper: Keeper::start(project, store.project(project)?, back.clone())?,
            file: store.project(project)?,
            store: store.clone(),
            notice: opened.notice,
            most_waiting: MOST_WAITING,
            clients: HashMap::new(),
            stencils: 0,
            kitchen: Kitchen::default(),
            aheads: Aheads::default(),
            back,
            shapes: Shapes::default(),
            are_recipes_due: true,
            looking: HashMap::new(),
            waiting: Vec::new(),
            under_way: HashMap::new(),
            is_gone: false,
            closing: None,
        };
        session.measure();
        Ok(session)
    }

    /// Runs until nobody needs it any more. When nobody is here it asks whether it may leave, or what
    /// has come for it meanwhile.
    pub fn run(
        mut self,
        commands: &Receiver<Command>,
        leave: impl Fn(&Receiver<Command>) -> Option<Command>,
    ) {
        loop {
            let patience = match (self.kitchen.is_busy(), self.shapes.is_untold()) {
                (true, _) => LOOK_IN,
                (false, true) => shapes::REST,
                (false, false) => IDLE,
            };
            let heard = commands.recv_timeout(patience);
            match heard {
                Ok(command) => {
                    self.take(command);
                    if self.is_gone || self.is_closed() {
                        return self.keeper.finish();
                    }
                    self.look_after_recipes();
                    self.settle();
                }
                Err(RecvTimeoutError::Timeout) if self.shapes.is_untold() => {
                    self.settle();
                    self.tell_recipes();
                }
                Err(RecvTimeoutError::Timeout) if self.kitchen.is_busy() => {
                    self.tell_recipes();
                    if self.clients.is_empty() {
                        self.kitchen.close();
                    }
                }
                Err(RecvTimeoutError::Timeout)
                    if !self.clients.is_empty() || !self.pending.is_empty() => {}
                Err(RecvTimeoutError::Disconnected) => return self.keeper.finish(),
                Err(RecvTimeoutError::Timeout) => match leave(commands) {
                    Some(command) => self.take(command),
                    None => {
                        self.keeper.finish();
                        let Self { store, project, .. } = self;
                        if let Err(error) = store.back_up(project) {
                            tracing::warn!("no backup of project {project}: {error}");
                        }
                        return;
                    }
                },
            }
        }
    }

    /// Whether the server stops and all that was done is written.
    fn is_closed(&self) -> bool {
        self.closing.is_some() && self.pending.is_empty()
    }

    /// Ends all strokes, tells everyone, and waits for what is being written.
    fn close(&mut self, closing: Sender<()>) {
        let clients: Vec<ClientId> = self.clients.keys().copied().collect();
        for client in clients {
            self.end_stroke(client);
        }
        self.checkpoint();
        self.kitchen.close();
        // 1001 is "going away" (RFC 6455, 7.4.1).
        let away = CloseFrame { code: 1001, reason: "the server stops".into() };
        self.tell_all(&Message::Close(Some(away)));
        self.closing = Some(closing);
    }

    /// Has the document written as it is, so that it opens fast.
    fn checkpoint(&mut self) {
        let seq = self.position.cursor;
        if self.checkpoint_seq != seq {
            self.document.tidy();
            let checkpoint = Box::new(Checkpoint::of(&self.document));
            self.keeper.write(Write::Checkpoint { seq, checkpoint });
            self.checkpoint_seq = seq;
        }
    }

    /// How far clients may lag behind depends on how much there is to tell.
    fn measure(&mut self) {
        let sets = self.document.parts().iter().flat_map(|part| &part.sets);
        let values: usize = sets.map(|set| 4 * set.values.len()).sum();
        self.most_waiting = MOST_WAITING + 2 * values;
    }

    fn take(&mut self, command: Command) {
        match command {
            Command::Join(client, hand, held) => self.join(client, hand, &held),
            Command::Leave(client) => {
                self.end_stroke(client);
                self.clients.remove(&client);
                self.looking.remove(&client);
                self.under_way.remove(&client);
                self.kitchen.leave(client);
                self.aheads.leave(client);
                self.document.forget_hand(hand_of(client));
                self.tell_present();
                if self.clients.is_empty() {
                    self.checkpoint();
                }
            }
            Command::Say(client, message, _permit) => self.hear(client, message),
            Command::Kept(last) => self.kept(last),
            Command::NotKept(failed, error) => self.not_kept(failed, &error),
            Command::Close(closing) => self.close(closing),
            Command::Edit(edit, author, reply) => match self.document.apply(edit) {
                Ok(change) => self.keep(change, &author, Asked::Request(reply)),
                Err(error) => drop(reply.send(Err(error.to_string()))),
            },
            Command::Parts(reply) => {
                let _ = reply.send(Now {
                    name: self.name.clone(),
                    traits: self.document.traits(),
                    revision: self.position.revision,
                    parts: self.document.parts().to_vec(),
                    swatches: self.document.swatches().to_vec(),
                    volumes: self.document.volumes().to_vec(),
                    print: self.document.print().cloned(),
                    proof: self.document.proof().clone(),
                    stale: self.kitchen.stale(),
                    images: self.document.image_files().to_vec(),
                });
            }
            Command::Stencil(stencil, reply) => {
                self.stencils += 1;
                let id = StencilId(self.stencils);
                self.document.supply_stencil(id, stencil);
                let _ = reply.send(id);
            }
            Command::Made(dish, digest, result) => {
                if let Some(made) = self.kitchen.take(dish, digest, result) {
                    let tasted = Tasted { tastes: made.tastes.clone(), ..Tasted::default() };
                    self.tell_tasted(None, dish, &tasted);
                    self.waiting.push(made);
                }
                self.are_recipes_due = true;
            }
            Command::Drafted(dish, digest, tasted) => {
                if self.kitchen.is_cooking(dish, digest) {
                    self.tell_tasted(None, dish, &tasted);
                }
            }
            Command::Tried(client, question, dish, result) => {
                // One that is not open any more has been answered.
                if self.kitchen.end_trial(client, question) {
                    if let Ok(tasted) = &result {
                        self.tell_tasted(Some((client, question)), dish, tasted);
                    }
                    self.end_question(client, question, result.err().map(|e| e.to_string()));
                }
            }
            Command::FoundAhead(client, question, triangles) => {
                self.found_ahead(client, question, triangles);
            }
            Command::Grown(part, name, grown) => self.grown(part, &name, *grown),
            Command::Renamed(name) => {
                self.name.clone_from(&name);
                self.tell_all(&wire::json(&ServerMessage::Renamed { name }));
            }
            Command::Gone => {
                self.tell_all(&wire::json(&ServerMessage::Gone));
                self.clients.clear();
                self.kitchen.close();
                self.is_gone = true;
            }
        }
    }

    fn join(&mut self, client: ClientId, hand: Hand, held: &[HeldMesh]) {
        if self.closing.is_some() || self.clients.len() >= MOST_CLIENTS {
            let message = match self.closing {
                Some(_) => "the server stops: come back when it runs again".to_owned(),
                None => format!("{MOST_CLIENTS} windows have this project open: close some"),
            };
            let refused = wire::json(&ServerMessage::Refused { message });
            hand.outbox.send(refused, self.most_waiting);
            return;
        }
        self.clients.insert(client, hand);
        self.keeper.write(Write::Opened(now_ms()));
        let hello = ServerMessage::Hello {
            client,
            name: self.name.clone(),
            facts: Box::new(Facts::told()),
            outline: self.outline(),
            history: self.history(),
        };
        self.tell(client, wire::json(&hello));
        if let Some(message) = self.notice.take() {
            self.tell(client, wire::json(&ServerMessage::Notice { message }));
        }
        let recipes = self.kitchen.told().to_vec();
        self.tell(client, wire::json(&ServerMessage::Recipes { recipes }));
        self.are_recipes_due = true;
        for part in self.document.parts().to_vec() {
            let has_mesh = held
                .iter()
                .any(|held| held.part == part.id && held.mesh == self.shapes.name(&part));
            if !has_mesh {
                self.tell_geometry(Some(client), &part);
            }
            self.tell_sets(&part, |session, message| session.tell(client, message));
            // The first hover should find the tree grown; whoever needs it sooner waits for it.
            std::thread::spawn(move || {
                let _ = part.geometry.bvh();
            });
        }
        self.tell_present();
    }

    fn hear(&mut self, client: ClientId, message: ClientMessage) {
        let hand = hand_of(client);
        match message {
            // Whoever is here has joined already; beats end where messages come in.
            ClientMessage::Join { .. } | ClientMessage::Beat => {}
            ClientMessage::MakeRecipe { part, set, channels } => {
                self.kitchen.order((part, set, channels));
                self.are_recipes_due = true;
            }
            ClientMessage::GiveUp { part, set, channels } => {
                self.kitchen.give_up((part, set, channels));
                self.are_recipes_due = true;
            }
            ClientMessage::Looking { part, set } => {
                self.looking.insert(client, (part, set));
                self.are_recipes_due = true;
            }
            ClientMessage::StrokeBegin { start } => match self.document.begin_stroke(hand, start) {
                // One that was under way went with its part.
                Ok(None) => drop(self.under_way.remove(&client)),
                Ok(Some(earlier)) => self.keep_stroke(client, Some(earlier)),
                Err(error) => self.refuse(client, error.to_string()),
            },
            ClientMessage::StrokeMove { samples } => self.extend_stroke(client, &samples),
            ClientMessage::StrokeEnd => self.end_stroke(client),
            ClientMessage::Ask { question, about } => self.answer(client, question, about),
            ClientMessage::Undo => self.travel(client, Direction::Backward),
            ClientMessage::Redo => self.travel(client, Direction::Forward),
        }
    }

    fn extend_stroke(&mut self, client: ClientId, samples: &[Sample]) {
        if let Some(finer) = self.document.refine_ahead(hand_of(client), samples) {
            self.keep_of_stroke(client, finer, Asked::Nobody);
            self.under_way.insert(client, self.position.revision);
        }
        match self.document.extend_stroke(hand_of(client), samples) {
            Ok(changed) => {
                for (part, set, changed) in changed.into_iter().filter(|(.., c)| !c.is_empty()) {
                    if let Ok(painted) = self.document.set(part, set) {
                        let message = wire::frames::patch(part, set, &changed, &painted.values);
                        self.tell_all(&message);
                    }
                }
            }
            Err(error) => self.refuse(client, error.to_string()),
        }
    }

    fn end_stroke(&mut self, client: ClientId) {
        let hand = hand_of(client);
        if self.document.is_painting(hand) {
            let targets = self.document.stroke_targets(hand);
            let reshapes = self.document.stroke_reshapes(hand);
            let change = self.document.end_stroke(hand);
            if reshapes && change.is_none() {
                // What was seen of it was taken back.
                for (part, set) in targets {
                    if let Ok(set) = self.document.set(part, set).cloned() {
                        self.tell_all(&wire::frames::values(part, &set));
                    }
                }
            }
            self.keep_stroke(client, change);
        }
    }

    fn keep_stroke(&mut self, client: ClientId, change: Option<Change>) {
        match change {
            None => self.tell(client, wire::json(&ServerMessage::Nothing)),
            Some(change) => self.keep_of_stroke(client, change, Asked::Client(client)),
        }
        if self.document.take_stopped(hand_of(client)) {
            self.tell(client, wire::json(&ServerMessage::Stopped));
        }
        self.under_way.remove(&client);
    }

    /// Has a change of a client's stroke kept. It goes with what was kept of the stroke before, unless
    /// somebody did something in between.
    fn keep_of_stroke(&mut self, client: ClientId, change: Change, asked: Asked) {
        let follows = self.under_way.get(&client) == Some(&self.position.revision);
        let author = self.clients.get(&client).map_or("", |hand| &hand.name).to_owned();
        self.keep(Change { follows, ..change }, &author, asked);
    }

    /// Takes in what was made, has made what is stale, and tells how recipes stand.
    fn look_after_recipes(&mut self) {
        let is_painting = self.document.is_anyone_painting();
        if !is_painting && !self.waiting.is_empty() {
            for made in std::mem::take(&mut self.waiting) {
                // Whoever changed it meanwhile has it made again.
                let (part, set, channels) = (made.part, made.set, made.channels);
                let Ok(order) = self.document.order(part, set, channels) else { continue };
                if !self.kitchen.is_current(&order, &made) {
                    continue;
                }
                let is_truer = self.document.set(part, set).is_ok_and(|own| {
                    let of = own.recipes.iter().find(|own| own.recipe.channels == channels);
                    of.is_some_and(ChannelRecipe::is_by_older_rules)
                });
                match self.document.accept(made) {
                    Ok(change) => {
                        if is_truer {
                            self.kitchen.made_truer((part, set, channels));
                        }
                        self.keep(change, "", Asked::Nobody);
                    }
                    Err(error) => tracing::warn!("what was made is of no use: {error}"),
                }
            }
        }
        if !self.are_recipes_due || is_painting {
            return;
        }
        self.are_recipes_due = false;
        // A new row would cut off what redo brings back: after an undo recipes wait to be asked.
        let is_open = self.position.cursor == self.position.end && !self.clients.is_empty();
        let looking: Vec<(PartId, SetId)> = self.looking.values().copied().collect();
        let is_shown = |part, set| looking.contains(&(part, set));
        self.kitchen.look_after(&self.document, is_open, is_shown, &self.back);
        self.tell_recipes();
    }
}

/// Whether a set's values stay here: snapshots until they are asked for, hand paint for good.
fn stays_here(set: &ColorSet) -> bool {
    matches!(set.role, Role::Snapshot { .. }) || set.role.is_layer()
}

fn hand_of(client: ClientId) -> HandId {
    HandId(u64::from(client))
}
