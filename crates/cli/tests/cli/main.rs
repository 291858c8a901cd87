//! The real program under what goes wrong: kills, faults, attacks. Every test is bounded, and longer
//! where `SPECKLE_SOAK` is set (`cargo xtask soak`), which also prints figures.

mod app;
mod attacks;
mod axes;
mod commands;
mod faults;
mod kept;
mod power_cuts;
mod shapes;
mod transfer;
