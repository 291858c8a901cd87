//! Looking on while something long is computed: how far it is, and whether to give up.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// How far a computation is; shared between who computes and who looks on.
#[derive(Debug, Default)]
pub struct Watch {
    done: AtomicU64,
    of: AtomicU64,
    given_up: AtomicBool,
}

/// Someone gave it up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct GivenUp;

impl Watch {
    /// Announces more work, in any measure.
    pub fn expect(&self, more: u64) {
        self.of.fetch_add(more, Ordering::Relaxed);
    }

    /// Says that some of it is done.
    pub fn advance(&self, done: u64) {
        self.done.fetch_add(done, Ordering::Relaxed);
    }

    /// Says that one more is done, and goes on unless it was given up.
    ///
    /// # Errors
    /// When it was.
    pub fn step(&self) -> Result<(), GivenUp> {
        self.advance(1);
        self.check()
    }

    /// How much of what was announced is done, 0–1.
    #[must_use]
    pub fn share(&self) -> f32 {
        let of = self.of.load(Ordering::Relaxed);
        if of == 0 { 0.0 } else { (self.done.load(Ordering::Relaxed) as f32 / of as f32).min(1.0) }
    }

    /// Asks for it to be given up; whoever computes looks often enough.
    pub fn give_up(&self) {
        self.given_up.store(true, Ordering::Relaxed);
    }

    /// Whether it was given up.
    #[must_use]
    pub fn is_given_up(&self) -> bool {
        self.given_up.load(Ordering::Relaxed)
    }

    /// Goes on unless it was given up.
    ///
    /// # Errors
    /// When it was.
    pub fn check(&self) -> Result<(), GivenUp> {
        if self.is_given_up() { Err(GivenUp) } else { Ok(()) }
    }
}
