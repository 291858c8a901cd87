//! Threads for what takes long: they stand back for whoever paints or looks meanwhile.

use std::sync::OnceLock;

use rayon::{ThreadPool, ThreadPoolBuilder};

/// What waits for a pool's threads waits for nothing else in it.
#[derive(Clone, Copy)]
pub enum Pool {
    /// What is tried and looked at while it is tried: at full pace.
    Trials,
    /// Recipes that are made.
    Bakes,
    /// Whole projects that are copied, written, read or drawn.
    Projects,
}

/// How far threads stand back (the scheduler's nice value).
const STAND_BACK: i32 = 12;

/// Has this thread, and those it starts, stand back.
pub fn stand_back() {
    // Linux alone has this for single threads; elsewhere all share alike.
    #[cfg(target_os = "linux")]
    {
        let own = Some(rustix::thread::gettid());
        let _ = rustix::process::setpriority_process(own, STAND_BACK);
    }
}

/// Computes in a pool of its own, and waits for it.
pub fn in_pool<T: Send>(pool: Pool, work: impl FnOnce() -> T + Send) -> T {
    static POOLS: [OnceLock<Option<ThreadPool>>; 3] = [const { OnceLock::new() }; 3];
    let stand_back = move |_| {
        if !matches!(pool, Pool::Trials) {
            stand_back();
        }
    };
    let build = || {
        let name = ["trial", "bake", "project work"][pool as usize];
        let pool = ThreadPoolBuilder::new().thread_name(move |i| format!("{name} {i}"));
        pool.start_handler(stand_back).build().ok()
    };
    match POOLS[pool as usize].get_or_init(build) {
        Some(pool) => pool.install(work),
        None => work(),
    }
}
