//! Plans at work: state, dependencies, pulses.
//!
//! | module | what it holds |
//! |---|---|
//! | `wakes` | who reads what in each block, known before anything runs |
//! | `scope` | blocks at work: components, alternatives, rows, content of slots |
//! | `graph` | state, who sees a change, and bringing derived values up to date |
//! | `rows`, `moves` | which row belongs to which item, and the fewest moves |
//! | `view` | scopes in the view: made, found, moved, taken away |
//! | `change` | the log of a pulse, and taking it back |
//! | `execute` | statements |
//! | `address` | what people call a part |
//! | [`inspect`] | what is kept, for those who check it |
//! | [`runtime`] | opening, dispatching, settling |
//! | [`host`] | paths, props and values from and for the host |
//! | [`pulse`] | the record of a pulse |
//!
//! The runtime takes plans and knows nothing of their syntax. It has no interface, clock, I/O
//! or thread: events and time come from its host, patches go to it.

mod address;
mod change;
mod execute;
pub mod fault;
mod graph;
pub mod host;
pub mod inspect;
mod moves;
pub mod pulse;
mod rows;
pub mod runtime;
mod scope;
mod view;
mod wakes;

pub use fault::Fault;
pub use host::HostError;
pub use inspect::{Kept, KeptRow, KeptScope};
pub use pulse::{
    Cause, Difference, Effect, Given, Layer, PartChange, PlaceId, Problem, Pulse, ValueChange,
    Which,
};
pub use runtime::{Delivery, Runtime};
pub use scope::{Key, ScopeId};
pub use view::{Clean, DEEPEST_COMPONENTS};
