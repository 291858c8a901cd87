//! Where recipes of an open project are made: one at a time, beside the project's thread, so that
//! painting goes on meanwhile.

use std::{
    collections::{HashMap, HashSet},
    sync::{Arc, OnceLock, mpsc::Sender},
    time::{Duration, Instant},
};

use rayon::{ThreadPool, ThreadPoolBuilder};
use speckle_core::{
    Document, PartId, SetId,
    bake::{BakeError, Digest, Pantry, watch::Watch},
    document::{Made, Order},
    recipe::{Remake, Target},
};

use crate::{
    session::Command,
    wire::{RecipeState, RecipeStatus},
};

/// What a recipe makes: channels of a set of a part.
pub type Dish = (PartId, SetId, Target);

/// A recipe being made.
struct Cooking {
    dish: Dish,
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
    ordered: HashSet<Dish>,
    /// What could not be made, from what, and why: it is not tried again from the same.
    failed: HashMap<Dish, (Digest, String)>,
    /// How long each took last, and with how many rays an element.
    took: HashMap<Dish, (Duration, u32)>,
    /// The last that was told.
    told: Vec<RecipeState>,
}

/// A pool of its own: what is painted meanwhile is not to wait for it.
fn pool() -> Option<&'static ThreadPool> {
    static POOL: OnceLock<Option<ThreadPool>> = OnceLock::new();
    let build = || ThreadPoolBuilder::new().thread_name(|i| format!("bake {i}")).build().ok();
    POOL.get_or_init(build).as_ref()
}

impl Kitchen {
    /// Someone asks for a recipe to be made now, whatever it says.
    pub fn order(&mut self, dish: Dish) {
        self.failed.remove(&dish);
        self.ordered.insert(dish);
    }

    /// Someone gives up what is being made; what was there stays, until something changes.
    pub fn give_up(&mut self, dish: Dish) {
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

    /// Starts what has to be made next, and stops what nobody needs any more. `is_shown` says
    /// whether a set is looked at; `is_open` whether recipes may be made unasked now.
    pub fn look_after(
        &mut self,
        document: &Document,
        is_open: bool,
        is_shown: impl Fn(PartId, SetId) -> bool,
        back: &Sender<Command>,
    ) {
        let stale = document.stale(&self.pantry);
        self.ordered.retain(|dish| stale.contains(dish));
        let digest_of = |dish: &Dish, pantry: &Pantry| {
            let order = document.order(dish.0, dish.1, dish.2).ok()?;
            let digest = order.inputs.recipe_digest(&order.recipe, pantry);
            Some((order, digest))
        };
        if let Some(cooking) = &self.cooking {
            let now = digest_of(&cooking.dish, &self.pantry).map(|(_, digest)| digest);
            if now == Some(cooking.digest) {
                return;
            }
            cooking.watch.give_up();
            self.cooking = None;
        }
        for dish in stale {
            let Some((order, digest)) = digest_of(&dish, &self.pantry) else { continue };
            let is_asked = self.ordered.contains(&dish);
            let is_wanted = match order.recipe.remake {
                _ if is_asked => true,
                Remake::AtOnce => is_open,
                Remake::WhenLookedAt => is_open && is_shown(dish.0, dish.1),
                Remake::ByClick => false,
            };
            let has_failed = self.failed.get(&dish).is_some_and(|(from, _)| *from == digest);
            let is_locked = document
                .set(dish.0, dish.1)
                .is_ok_and(|set| (0..4).any(|i| dish.2.channels().0[i] && set.channels[i].locked));
            if is_wanted && !has_failed && !is_locked {
                self.cook(order, digest, back.clone());
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
            let result = match pool() {
                Some(pool) => pool.install(|| order.make(&pantry, &looked_at)),
                None => order.make(&pantry, &looked_at),
            };
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

    /// Takes back what was made; nothing when it was given up meanwhile.
    pub fn take(
        &mut self,
        dish: Dish,
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

    /// How every recipe stands, if that is not what was told last.
    pub fn news(&mut self, document: &Document) -> Option<Vec<RecipeState>> {
        let stale: HashSet<Dish> = document.stale(&self.pantry).into_iter().collect();
        let mut states = Vec::new();
        for part in document.parts() {
            for set in part.products() {
                for own in &set.recipes {
                    let dish = (part.id, set.id, own.recipe.channels);
                    let cooking = self.cooking.as_ref().filter(|cooking| cooking.dish == dish);
                    let failed = self.failed.get(&dish).filter(|_| stale.contains(&dish));
                    let status = match (cooking, failed, stale.contains(&dish)) {
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
                        share: cooking.map_or(0.0, |cooking| cooking.watch.share()),
                        ms: took.as_millis() as u32,
                        rays,
                        message: failed.map(|(_, message)| message.clone()),
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
