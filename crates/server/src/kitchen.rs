//! Where recipes of an open project are made: one at a time, beside the project's thread, so that
//! painting goes on meanwhile.

use std::{
    collections::{HashMap, HashSet},
    sync::{Arc, mpsc::Sender},
    time::{Duration, Instant},
};

use speckle_core::{
    Document,
    document::{Made, Order, RecipeId, Standing},
};
use speckle_model::{Digest, PartId, SetId, recipe::Remake};
use speckle_tools::bake::{BakeError, Pantry, watch::Watch};

use crate::{
    aside::{Pool, in_pool},
    session::command::{ClientId, Command},
    tasted::Tasted,
    wire::{RecipeState, RecipeStatus},
};

/// A recipe being made.
struct Cooking {
    dish: RecipeId,
    digest: Digest,
    watch: Arc<Watch>,
    begun: Instant,
}

/// The recipes of an open project.
#[derive(Default)]
pub struct Kitchen {
    pantry: Arc<Pantry>,
    cooking: Option<Cooking>,
    /// What was asked for by a click.
    ordered: HashSet<RecipeId>,
    /// What could not be made, from what, and why: it is not tried again from the same.
    failed: HashMap<RecipeId, (Digest, String)>,
    /// How long each took last, and with how many rays an element.
    took: HashMap<RecipeId, (Duration, u32)>,
    /// What was made anew by truer rules than before.
    truer: HashSet<RecipeId>,
    /// What clients are waiting to look at: another recipe, or the steps of one that is there.
    trials: HashMap<(ClientId, Option<RecipeId>), (u32, Arc<Watch>)>,
    /// How every recipe stood when they were looked after last.
    standings: Vec<Standing>,
    /// The last that was told.
    told: Vec<RecipeState>,
}

impl Kitchen {
    /// Someone asks for a recipe to be made now, whatever it says.
    pub fn order(&mut self, dish: RecipeId) {
        self.failed.remove(&dish);
        self.ordered.insert(dish);
    }

    /// Someone gives up what is being made; what was there stays, until something changes.
    pub fn give_up(&mut self, dish: RecipeId) {
        self.ordered.remove(&dish);
        if let Some(cooking) = self.cooking.take_if(|cooking| cooking.dish == dish) {
            cooking.watch.give_up();
            let message = BakeError::GivenUp.to_string();
            self.failed.insert(dish, (cooking.digest, message));
        }
    }

    /// Nobody is there any more.
    pub fn close(&mut self) {
        if let Some(cooking) = self.cooking.take() {
            cooking.watch.give_up();
        }
    }

    /// Whether something is being made.
    pub fn is_busy(&self) -> bool {
        self.cooking.is_some()
    }

    /// The recipes that would make something else by now, as they were last looked over.
    pub fn stale(&self) -> Vec<RecipeId> {
        let stale = self.standings.iter().filter(|standing| standing.is_stale);
        stale.map(|standing| standing.id).collect()
    }

    /// Starts what has to be made next, and stops what nobody needs any more. `is_shown` says
    /// whether a set is looked at; `is_open` whether recipes may be made unasked now.
    pub fn look_after(
        &mut self,
        document: &Document,
        is_open: bool,
        is_shown: impl Fn(PartId, SetId) -> bool,
        back: &Sender<Command>,
    ) {
        self.standings = document.standings(&self.pantry);
        let of: HashMap<RecipeId, &Standing> =
            self.standings.iter().map(|standing| (standing.id, standing)).collect();
        let digest_of = |dish: &RecipeId| of.get(dish).map(|standing| standing.digest);
        self.ordered.retain(|dish| of.get(dish).is_some_and(|standing| standing.is_stale));
        // What failed is another recipe by now, or looks at something else.
        self.failed.retain(|dish, (from, _)| digest_of(dish) == Some(*from));
        if let Some(cooking) = &self.cooking {
            if digest_of(&cooking.dish) == Some(cooking.digest) {
                return;
            }
            cooking.watch.give_up();
            self.cooking = None;
        }
        let due = self.standings.iter().filter(|s| s.is_stale && !s.is_circular);
        for (dish, digest) in due.map(|standing| (standing.id, standing.digest)) {
            let Ok(set) = document.set(dish.0, dish.1) else { continue };
            let recipe = set.recipes.iter().find(|own| own.recipe.channels == dish.2);
            let Some(recipe) = recipe.map(|own| &own.recipe) else { continue };
            let is_asked = self.ordered.contains(&dish);
            let is_wanted = match recipe.remake {
                _ if is_asked => true,
                Remake::AtOnce => is_open,
                Remake::WhenLookedAt => is_open && is_shown(dish.0, dish.1),
                Remake::ByClick => false,
            };
            let has_failed = self.failed.get(&dish).is_some_and(|(from, _)| *from == digest);
            let is_locked = (0..4).any(|i| dish.2.channels().0[i] && set.channels[i].locked);
            if is_wanted && !has_failed && !is_locked {
                if let Ok(order) = document.order(dish.0, dish.1, dish.2) {
                    self.cook(order, digest, back.clone());
                }
                return;
            }
        }
    }

    fn cook(&mut self, order: Order, digest: Digest, back: Sender<Command>) {
        let dish = (order.part, order.set, order.recipe.channels);
        let watch = Arc::new(Watch::default());
        let (pantry, looked_at) = (self.pantry.clone(), watch.clone());
        let rays = order.recipe.steps.iter().map(|step| step.source.rays()).max().unwrap_or(0);
        self.took.insert(dish, (Duration::ZERO, rays));
        let made = move || {
            // Something to look at comes first.
            if order.draft(&pantry).is_some()
                && let Ok(draft) =
                    in_pool(Pool::Trials, || Tasted::of(&order, &pantry, &Watch::default()))
            {
                let _ = back.send(Command::Drafted(dish, digest, Box::new(draft)));
            }
            let result = in_pool(Pool::Bakes, || order.make(&pantry, &looked_at));
            // Whoever asked may be gone; then nobody needs it.
            let _ = back.send(Command::Made(dish, digest, result.map(Box::new)));
        };
        let thread = std::thread::Builder::new().name("bake".to_owned()).spawn(made);
        match thread {
            Ok(_) => self.cooking = Some(Cooking { dish, digest, watch, begun: Instant::now() }),
            Err(error) => {
                self.failed.insert(dish, (digest, format!("no thread could be started: {error}")));
            }
        }
    }

    /// Tries another recipe for a client, of which the newest counts; tells the question that is not
    /// wanted any more.
    pub fn try_out(
        &mut self,
        client: ClientId,
        question: u32,
        order: Order,
        back: &Sender<Command>,
    ) -> Option<u32> {
        self.start_trial((client, None), question, order, back)
    }

    /// Likewise the steps of a recipe that is there; the newest question of each recipe counts.
    pub fn taste(
        &mut self,
        client: ClientId,
        question: u32,
        order: Order,
        back: &Sender<Command>,
    ) -> Option<u32> {
        let of = (order.part, order.set, order.recipe.channels);
        self.start_trial((client, Some(of)), question, order, back)
    }

    fn start_trial(
        &mut self,
        whose: (ClientId, Option<RecipeId>),
        question: u32,
        order: Order,
        back: &Sender<Command>,
    ) -> Option<u32> {
        let watch = Arc::new(Watch::default());
        let older = self.trials.insert(whose, (question, watch.clone()));
        let (client, of) = whose;
        let dish = (order.part, order.set, order.recipe.channels);
        let (pantry, heard) = (self.pantry.clone(), back.clone());
        let tried = move || {
            let result =
                in_pool(Pool::Trials, || Tasted::of(&order, &pantry, &watch)).map(|mut tasted| {
                    // The set itself shows what a recipe that is there makes.
                    if of.is_some() {
                        tasted.values.clear();
                    }
                    Box::new(tasted)
                });
            let _ = heard.send(Command::Tried(client, question, dish, result));
        };
        if let Err(error) = std::thread::Builder::new().name("try".to_owned()).spawn(tried) {
            let error = Err(BakeError::Recipe(format!("nothing can be tried now: {error}")));
            let _ = back.send(Command::Tried(client, question, dish, error));
        }
        older.map(|(question, watch)| {
            watch.give_up();
            question
        })
    }

    /// Ends a trial that is still wanted; tells whether it is.
    pub fn end_trial(&mut self, client: ClientId, question: u32) -> bool {
        let is_it =
            |(owner, _): &(ClientId, _), (own, _): &(u32, _)| *owner == client && *own == question;
        let before = self.trials.len();
        self.trials.retain(|whose, trial| !is_it(whose, trial));
        self.trials.len() < before
    }

    /// A client is gone.
    pub fn leave(&mut self, client: ClientId) {
        self.trials.retain(|(owner, _), (_, watch)| {
            if *owner == client {
                watch.give_up();
            }
            *owner != client
        });
    }

    /// Whether a recipe is being made.
    pub fn is_cooking(&self, dish: RecipeId, digest: Digest) -> bool {
        self.cooking.as_ref().is_some_and(|now| now.dish == dish && now.digest == digest)
    }

    /// Takes back what was made; nothing when it was given up meanwhile.
    pub fn take(
        &mut self,
        dish: RecipeId,
        digest: Digest,
        result: Result<Box<Made>, BakeError>,
    ) -> Option<Made> {
        let is_it = |cooking: &mut Cooking| cooking.dish == dish && cooking.digest == digest;
        let cooking = self.cooking.take_if(is_it)?;
        self.ordered.remove(&dish);
        match result {
            Ok(made) => {
                if let Some((took, _)) = self.took.get_mut(&dish) {
                    *took = cooking.begun.elapsed();
                }
                self.failed.remove(&dish);
                Some(*made)
            }
            Err(error) => {
                self.failed.insert(dish, (digest, error.to_string()));
                None
            }
        }
    }

    /// Whether what was made is still what would be made.
    pub fn is_current(&self, order: &Order, made: &Made) -> bool {
        order.inputs.recipe_digest(&order.recipe, &self.pantry) == made.digest
    }

    /// What was made of a recipe came in, by a truer rule than what was there.
    pub fn made_truer(&mut self, dish: RecipeId) {
        self.truer.insert(dish);
    }

    /// How every recipe stands, if that is not what was told last.
    pub fn news(&mut self, document: &Document) -> Option<Vec<RecipeState>> {
        let of: HashMap<RecipeId, &Standing> =
            self.standings.iter().map(|standing| (standing.id, standing)).collect();
        let mut states = Vec::new();
        for part in document.parts() {
            for set in part.products() {
                for own in &set.recipes {
                    let dish = (part.id, set.id, own.recipe.channels);
                    let cooking = self.cooking.as_ref().filter(|cooking| cooking.dish == dish);
                    // What came after they were looked at last has not been made either.
                    let is_stale = of.get(&dish).is_none_or(|standing| standing.is_stale);
                    let is_circular = of.get(&dish).is_some_and(|standing| standing.is_circular);
                    let failed = match (self.failed.get(&dish), is_circular) {
                        (_, true) => Some(BakeError::Circle(set.name.clone()).to_string()),
                        (failed, _) => failed.filter(|_| is_stale).map(|(_, said)| said.clone()),
                    };
                    let status = match (cooking, &failed, is_stale) {
                        (Some(_), ..) => RecipeStatus::Making,
                        (None, Some(_), _) => RecipeStatus::Failed,
                        (None, None, true) => RecipeStatus::Stale,
                        (None, None, false) => RecipeStatus::Fresh,
                    };
                    let (took, rays) = self.took.get(&dish).copied().unwrap_or_default();
                    states.push(RecipeState {
                        part: part.id,
                        set: set.id,
                        channels: own.recipe.channels,
                        status,
                        is_truer: self.truer.contains(&dish),
                        share: cooking.map_or(0.0, |cooking| cooking.watch.share()),
                        ms: took.as_millis() as u32,
                        rays,
                        message: failed,
                        remarks: own
                            .recipe
                            .remarks(set.encoding)
                            .into_iter()
                            .map(|remark| remark.map(str::to_owned))
                            .collect(),
                    });
                }
            }
        }
        (states != self.told).then(|| {
            self.told.clone_from(&states);
            states
        })
    }

    /// How every recipe stood when it was told last.
    pub fn told(&self) -> &[RecipeState] {
        &self.told
    }
}
