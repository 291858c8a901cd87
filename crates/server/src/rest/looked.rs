//! What was looked at last, and may be done next.

use std::{
    sync::{Arc, Mutex},
    time::{Duration, Instant},
};

use crate::session::lock;

/// How long a plan is kept for being done: it may be as large as the part.
const WHILE: Duration = Duration::from_secs(120);

/// The last plan that was looked at: done next, nothing is read and found a second time.
pub struct Looked<T>(Arc<Mutex<Option<(Instant, T)>>>);

impl<T> Clone for Looked<T> {
    fn clone(&self) -> Self {
        Self(self.0.clone())
    }
}

impl<T> Default for Looked<T> {
    fn default() -> Self {
        Self(Arc::default())
    }
}

impl<T: Send + 'static> Looked<T> {
    /// Keeps what was looked at, until something else is, or nobody wants it any more.
    pub fn keep_a_while(&self, what: T) {
        let at = Instant::now();
        *lock(&self.0) = Some((at, what));
        let kept = self.0.clone();
        tokio::spawn(async move {
            tokio::time::sleep(WHILE).await;
            let mut kept = lock(&kept);
            if kept.as_ref().is_some_and(|(own, _)| *own == at) {
                *kept = None;
            }
        });
    }

    /// What is kept, if it is what is meant; nothing is kept then.
    pub fn take(&self, is_it: impl FnOnce(&T) -> bool) -> Option<T> {
        lock(&self.0).take().map(|(_, what)| what).filter(is_it)
    }

    /// Takes a look at what is kept.
    pub fn see<R>(&self, look: impl FnOnce(&T) -> Option<R>) -> Option<R> {
        lock(&self.0).as_ref().and_then(|(_, what)| look(what))
    }
}
