//! The real binary: its output, its server, and its pages in a real browser.

mod browser;
mod commands;
mod running;
mod server;
mod views;
