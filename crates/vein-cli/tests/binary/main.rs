//! The real binary: its output, its server, and its pages in a real browser.

mod browser;
mod commands;
mod running;
mod server;
#[path = "../../../vein-proof/tests/proof/hostile.rs"]
mod hostile;
mod views;
