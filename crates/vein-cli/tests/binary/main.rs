//! The real binary: its output, its server, and its pages in a real browser.

mod browser;
mod building;
mod commands;
mod ecmascript;
mod elements;
#[path = "../../../vein-proof/tests/proof/generate.rs"]
mod generate;
#[path = "../../../vein-proof/tests/proof/hostile.rs"]
mod hostile;
mod proving;
mod running;
mod rust_host;
mod server;
mod views;
