//! What is computed once, when it is first asked for, also by tasks that are shared out among cores.
//!
//! A `OnceLock` alone would do, were it not for this: a worker that computes shares its work out as
//! well, and while it waits for the others' share it takes up another task; when that task asks for
//! the same value, the worker waits for itself, for ever. So nothing is computed under a lock that a
//! worker may wait for: two workers that ask at once may both compute, and the first one's counts.

use std::sync::{Mutex, OnceLock, PoisonError};

/// A value that follows from what does not change.
#[derive(Debug)]
pub struct Derived<T> {
    value: OnceLock<T>,
    /// Held while a thread that is no worker computes, so that others like it wait instead of
    /// computing the same.
    turn: Mutex<()>,
}

impl<T> Default for Derived<T> {
    fn default() -> Self {
        Self { value: OnceLock::new(), turn: Mutex::new(()) }
    }
}

impl<T: Clone> Clone for Derived<T> {
    fn clone(&self) -> Self {
        Self { value: self.value.clone(), turn: Mutex::default() }
    }
}

impl<T> Derived<T> {
    /// The value, if anybody has asked for it.
    pub fn get(&self) -> Option<&T> {
        self.value.get()
    }

    /// What has been computed, to be kept up with what it follows from.
    pub fn get_mut(&mut self) -> Option<&mut T> {
        self.value.get_mut()
    }

    /// The value; computed if nobody has.
    pub fn get_or_compute(&self, compute: impl FnOnce() -> T) -> &T {
        if let Some(value) = self.value.get() {
            return value;
        }
        let is_worker = rayon::current_thread_index().is_some();
        let _turn = (!is_worker).then(|| self.turn.lock().unwrap_or_else(PoisonError::into_inner));
        if let Some(value) = self.value.get() {
            return value;
        }
        let computed = compute();
        self.value.get_or_init(|| computed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rayon::prelude::*;
    use std::{sync::mpsc, time::Duration};

    /// Several tasks are handed to one small pool at once, and all ask for a value that is computed
    /// by sharing out: with a lock around the computing this hangs within some thirty rounds.
    #[test]
    fn workers_never_wait_for_themselves() {
        let (done, waited) = mpsc::channel();
        std::thread::spawn(move || {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(2).build().unwrap();
            for _ in 0..300 {
                let derived = Derived::<u64>::default();
                let compute = || {
                    let numbers = (0..20_000_usize).into_par_iter().with_max_len(50);
                    numbers.map(|n| n as u64).sum::<u64>()
                };
                let ask = || assert_eq!(*derived.get_or_compute(compute), 199_990_000);
                std::thread::scope(|scope| {
                    for _ in 0..6 {
                        scope.spawn(|| pool.install(ask));
                    }
                });
            }
            let _ = done.send(());
        });
        waited.recv_timeout(Duration::from_secs(60)).expect("a worker waits for itself");
    }
}
