//! Plans at work: state, dependencies, pulses.
//!
//! | module | what it holds |
//! |---|---|
//! | `wakes` | who reads what, as a tree of paths |
//! | `graph` | state, marks, and bringing derived values up to date |
//! | `change` | the log of a pulse, and taking it back |
//! | `execute` | statements |
//! | [`runtime`] | opening, dispatching, settling |
//! | [`host`] | paths, props and values from and for the host |
//! | [`pulse`] | the record of a pulse |
//!
//! The runtime takes plans and knows nothing of their syntax. It has no interface, clock, I/O
//! or thread: events and time come from its host, patches go to it.

mod change;
mod execute;
pub mod fault;
mod graph;
pub mod host;
pub mod pulse;
pub mod runtime;
mod wakes;

pub use fault::Fault;
pub use host::HostError;
pub use pulse::{Cause, Difference, Given, Layer, PartChange, Pulse, ValueChange};
pub use runtime::{Delivery, Runtime};
