//! What reading a file may cost. One account for all that a file leads to (what lies beside it or
//! is packed in it, what it places again and again), spent as it is used: so no small file asks for
//! a large memory or a long time.

use std::sync::{
    Arc,
    atomic::{AtomicBool, AtomicUsize, Ordering},
};
use std::time::{Duration, Instant};

use crate::{FormatError, Limits, Place};

/// How much larger in memory than its bytes a file may become; formats that pack well shrink to a
/// tenth, and numbers of one digit in text become four bytes.
const MOST_GROWTH: usize = 64;
/// What any file may cost, bytes: a scene of a few lines may place a tree a thousand times.
const LEAST: usize = 1 << 30;
/// The most things that are visited: parts, and what holds them or is placed.
const MOST_VISITS: usize = 1 << 20;

/// What is left to spend while a file is read.
pub struct Budget {
    limits: Limits,
    memory: AtomicUsize,
    visits: AtomicUsize,
    parts: AtomicUsize,
    end: Option<Instant>,
    given_up: Arc<AtomicBool>,
}

impl Budget {
    /// For a file of so many bytes, those beside it not counted.
    #[must_use]
    pub fn new(limits: Limits, bytes: usize) -> Self {
        Self {
            limits,
            memory: bytes.saturating_mul(MOST_GROWTH).max(LEAST).into(),
            visits: MOST_VISITS.into(),
            parts: limits.parts.into(),
            end: Instant::now().checked_add(Duration::from_secs(limits.seconds)),
            given_up: Arc::default(),
        }
    }

    /// The bounds it was made from.
    #[must_use]
    pub fn limits(&self) -> Limits {
        self.limits
    }

    /// What whoever waits can set to have the reading end.
    #[must_use]
    pub fn given_up(&self) -> Arc<AtomicBool> {
        self.given_up.clone()
    }

    /// More bytes came along.
    pub(crate) fn earn(&self, bytes: usize) {
        self.memory.fetch_add(bytes.saturating_mul(MOST_GROWTH), Ordering::Relaxed);
    }

    /// Spends memory, before it is taken.
    pub(crate) fn memory(&self, bytes: usize) -> Result<(), FormatError> {
        if spend(&self.memory, bytes) {
            return self.look();
        }
        Err(FormatError::new(
            Place::File,
            "it would grow to many times its size in memory",
            "export it again with fewer copies of the same shape, or as another format",
        ))
    }

    /// Visits something that is placed.
    pub(crate) fn visit(&self) -> Result<(), FormatError> {
        if spend(&self.visits, 1) {
            return self.look();
        }
        Err(FormatError::new(
            Place::File,
            format!("it places more than {MOST_VISITS} things"),
            "export it again with fewer, or joined into one mesh",
        ))
    }

    /// Takes a part.
    pub(crate) fn part(&self) -> Result<(), FormatError> {
        self.visit()?;
        if spend(&self.parts, 1) {
            return Ok(());
        }
        Err(FormatError::new(
            Place::File,
            format!("it holds more than {} parts, the limit set for imports", self.limits.parts),
            "join what belongs together, or raise the limit (--max-parts)",
        ))
    }

    /// Whether it goes on.
    pub(crate) fn look(&self) -> Result<(), FormatError> {
        if self.given_up.load(Ordering::Relaxed) {
            return Err(FormatError::new(Place::File, "reading it was given up", "try again"));
        }
        if self.end.is_some_and(|end| Instant::now() > end) {
            return Err(FormatError::new(
                Place::File,
                format!("reading it takes longer than {} s", self.limits.seconds),
                "reduce the mesh, or raise the limit (--max-seconds)",
            ));
        }
        Ok(())
    }
}

/// Takes from an account; false when there is not enough in it.
fn spend(account: &AtomicUsize, amount: usize) -> bool {
    let left = |left: usize| left.checked_sub(amount);
    account.fetch_update(Ordering::Relaxed, Ordering::Relaxed, left).is_ok()
}
