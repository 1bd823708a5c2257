//! The real binary: its output, its server, what it writes.

mod bad_tabs;
mod begun;
mod building;
#[path = "../shared/building_of.rs"]
mod building_of;
mod commands;
mod hostile;
mod limits;
mod maps;
mod proving;
#[path = "../shared/running.rs"]
mod running;
mod server;
