//! Plans at work: state, dependencies, pulses.
//!
//! | module | what it holds |
//! |---|---|
//! | `wakes` | who reads what in each block, known before anything runs |
//! | `lineage` | lists that are derived from lists, as a row of stages |
//! | `scope` | blocks at work: components, alternatives, rows, content of slots |
//! | `graph` | state, who sees a change, and bringing derived values up to date |
//! | `bits` | bits in a row, which are counted |
//! | `rows`, `moves` | which row belongs to which item, and the fewest moves |
//! | `view` | scopes in the view: made, found, moved, taken away |
//! | `change` | the log of a pulse, and taking it back |
//! | `execute` | statements, which may wait for an answer in the middle |
//! | `settle` | a pulse: what is done, what follows by itself, what is shown |
//! | `clock` | timers, and questions that wait for the host's answers |
//! | `carry` | what a page holds, taken along to another in its place |
//! | `record` | what a pulse did, in the words of the components |
//! | `controls` | controls that come to hold something by themselves |
//! | [`answers`] | what the host answers |
//! | `address` | what people call a part |
//! | [`inspect`] | what is kept, for those who check it |
//! | [`runtime`] | opening, dispatching, closing |
//! | `sabotage` | ways to break the engine on purpose, for tests (in debug builds) |
//! | [`host`] | paths, props and values from and for the host |
//! | [`pulse`] | the record of a pulse |
//!
//! The runtime takes plans and knows nothing of their syntax. It has no interface, clock, I/O
//! or thread: events and time come from its host, patches go to it.

mod address;
pub mod answers;
mod bits;
mod carry;
mod chance;
mod change;
mod clock;
mod controls;
mod execute;
pub mod fault;
mod graph;
pub mod host;
pub mod inspect;
mod lineage;
mod moves;
pub mod pulse;
mod record;
mod rows;
pub mod runtime;
mod sabotage;
mod scope;
mod settle;
mod spending;
mod unwinding;
mod view;
mod wakes;

pub use answers::{Answer, Dropped, Host, Question};
pub use carry::{
    Addressed, Carried, CarriedControl, CarriedInstance, CarriedSource, CarriedTimer, Lost,
};
pub use execute::{Owner, Ran};
pub use fault::Fault;
pub use host::HostError;
pub use inspect::{Kept, KeptRow, KeptScope, Standing};
pub use pulse::{
    Cause, Difference, Effect, Given, Layer, PartChange, PlaceId, Problem, Pulse, ValueChange,
    Which, Written,
};
pub use runtime::{Delivery, Resources, Runtime};
pub use sabotage::Sabotage;
pub use scope::{Key, QuestionId, ScopeId};
pub use view::Clean;
