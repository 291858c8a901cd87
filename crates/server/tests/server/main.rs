//! The server on loopback, asked as a browser asks it.

mod common;
mod deliver;
mod live_recipes;
mod looked;
mod printers;
mod prints;
mod replacement;
mod reshaped;
mod server;
mod standing;
