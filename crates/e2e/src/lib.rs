//! The ground for browser tests: the real app on a port of its own, and a headless Chromium.
//!
//! Everything started here is ended when dropped, also when a test panics.

mod app;
mod browser;
mod controls;

use std::{process::Child, time::Duration};

pub use app::{App, binary, fetch, web_folder};
pub use browser::Browser;

/// How long a test waits for what should come by itself.
pub const PATIENCE: Duration = Duration::from_secs(30);

/// A process that ends with its owner.
struct Owned(Child);

impl Drop for Owned {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}
