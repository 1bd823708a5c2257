//! Components as ECMAScript: plans in, modules out. What they mean is what the evaluator of `vein-plan` makes of
//! them; here is how a browser's own engine is told so, in as few words as it takes.
//!
//! Beside the compiler stand the engine's hand-written modules (`engine/`). Of these, whatever a piece of code uses is
//! put beside it, function by function, and nothing else ([`engine`]).

mod cells;
pub mod code;
mod component;
pub mod engine;
mod expression;
mod face;
mod given;
mod hanging;
mod keeping;
pub mod kind;
mod listeners;
mod lives;
pub mod map;
mod members;
mod moves;
mod own;
mod parts;
mod readers;
pub mod short;
mod shown;
mod spots;
mod statement;
pub mod template;
mod tokens;
mod types;
mod writing;

pub use component::{Compiled, Driven, component};
pub use expression::{Names, Writer};
pub use own::name_in as property;
pub use statement::waits;
