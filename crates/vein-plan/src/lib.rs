//! What a compiled component is, and what its expressions mean.
//!
//! | module | what it holds |
//! |---|---|
//! | [`value`], [`text`], [`number`], [`json`] | values, with ECMAScript's conversions |
//! | [`ops`], [`members`], [`standard`] | operators and standard members |
//! | [`code`], [`program`] | expressions, statements, components as tables |
//! | [`eval`], [`track`] | the evaluator, and what an evaluation read |
//! | [`calls`] | which functions call which, and how deep |
//! | [`budget`], [`depth`] | what an evaluation may cost, how deep a view may be |
//! | [`shown`] | what a value shows in a part of the view |
//! | [`convert`] | data from and for the host |
//! | [`timeline`] | a value over time |
//! | `nearest` | near misses of names |
//! | [`bytes`], [`codec`], [`verify`] | the binary form, checked when read |
//! | [`alike`] | whether code of two programs is the same |
//!
//! This crate has no I/O, no clock and no interface. Both the engine and the proof evaluate
//! with it, and share nothing else.

pub mod alike;
pub mod budget;
pub mod bytes;
pub mod calls;
pub mod code;
pub mod codec;
pub mod convert;
pub mod depth;
pub mod dom;
pub mod eval;
pub mod json;
pub mod life;
pub mod members;
mod nearest;
pub mod number;
pub mod ops;
pub mod pattern;
pub mod program;
pub mod shown;
mod slot_elements;
pub mod standard;
mod stored;
pub mod text;
pub mod timeline;
pub mod track;
pub mod value;
pub mod verify;

pub use budget::Budget;
pub use codec::LoadError;
pub use convert::{Misfit, to_json};
pub use depth::Depth;
pub use eval::Formats;
pub use life::{Answers, Asked, Hook, Source, When, status};
pub use nearest::nearest;
pub use program::{
    Block, BlockId, Cell, CellKind, Commit, Conversion, Event, EventField, Form, Given, Handler,
    Heard, Listener, ListenerOptions, Location, Namespace, Next, OwnFunction, Part, PartKind, Plan,
    PlanRead, Program, Property, ReadStep, Reads, Shape, Spot, SpotKind, TemplateNode, Type,
    TypeId, Use,
};
pub use shown::Shown;
pub use text::Text;
pub use track::{Extent, Read};
pub use value::{Name, Record, Step, Value};
