//! The engine in a browser: plans, state and pulses in WebAssembly, without the compiler.
//!
//! | module | what it holds |
//! |---|---|
//! | [`engine`] | pages at work, told by commands what to do |
//! | [`wire`] | values between the page's script and the engine |
//! | `answering` | functions that are answered here, in Rust |
//! | `boundary` | what the module exports and imports |
//!
//! `vein build` ships this crate as a module of its own. A crate that depends on it and is built
//! for `wasm32-unknown-unknown` has the engine in its own module, and answers what components ask:
//!
//! ```
//! use vein_web::Value;
//!
//! // Called when the module starts, before a page is opened.
//! fn start() {
//!     vein_web::answer("soil_name", |args| Ok(Value::from(format!("soil {}", args[0].to_text()))));
//! }
//! # start();
//! ```
//!
//! There is no clock, no I/O and no text of panics in here: time and answers come from the page.

pub mod answering;
mod boundary;
pub mod engine;
pub mod wire;

pub use answering::{Question, answer, answer_later};
pub use boundary::{vein_answer, vein_begin, vein_do, vein_fetch, vein_inbox};
pub use vein_plan::{Name, Record, Text, Value};

#[cfg(doctest)]
#[doc = include_str!("../../../docs/browser.md")]
struct BrowserGuide;
