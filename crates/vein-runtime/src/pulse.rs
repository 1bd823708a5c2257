//! The record of a pulse: what was done, what followed, and why.

use crate::fault::Fault;
use vein_plan::{Name, Shown, Value};
use vein_view::Batch;

/// What set a pulse off.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Cause {
    /// The page was opened.
    Opened,
    /// An event reached listeners.
    Event {
        /// Its type.
        kind: String,
        /// The element that it reached first.
        on: String,
    },
    /// The host wrote to state or a prop.
    Write {
        /// Where.
        path: String,
    },
    /// An event that had settled.
    Settled {
        /// Its type.
        kind: String,
        /// The element that it was on.
        on: String,
        /// After how many milliseconds.
        after: u32,
    },
}

impl std::fmt::Display for Cause {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Cause::Opened => f.write_str("opened"),
            Cause::Event { kind, on } => write!(f, "{kind} on {on}"),
            Cause::Write { path } => write!(f, "host set {path}"),
            Cause::Settled { kind, on, after } => {
                write!(f, "{kind} on {on}, settled for {after} ms")
            }
        }
    }
}

/// Whether something changed in state or in a derived value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layer {
    /// A prop or held state, that somebody wrote.
    State,
    /// A derived value, that followed.
    Derived,
}

/// How the value at a path changed.
#[derive(Clone, Debug)]
pub enum Difference {
    /// It became another.
    Value {
        /// What it was when the pulse began.
        from: Value,
        /// What it is.
        to: Value,
    },
    /// Items of a list were taken out and put in.
    Items {
        /// From which position on.
        at: usize,
        /// How many were taken out.
        removed: usize,
        /// How many were put in.
        inserted: usize,
    },
    /// Items of a list changed places.
    Order {
        /// How many.
        moved: usize,
    },
}

impl std::fmt::Display for Difference {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Difference::Value { from, to } => write!(f, "{from} → {to}"),
            Difference::Items { at, removed, inserted } => {
                write!(f, "at {at}: {removed} out, {inserted} in")
            }
            Difference::Order { moved } => write!(f, "{moved} items in another order"),
        }
    }
}

/// A change of state or of a derived value.
#[derive(Clone, Debug)]
pub struct ValueChange {
    /// State or derived.
    pub layer: Layer,
    /// The way to it, such as `beds[3].moisture`.
    pub path: String,
    /// How.
    pub difference: Difference,
    /// The changes that led to it, as positions in [`Pulse::values`].
    pub because: Vec<usize>,
}

/// A change of a part of the view.
#[derive(Clone, Debug)]
pub struct PartChange {
    /// The part's number in its component.
    pub part: usize,
    /// Its address inside the component.
    pub address: Name,
    /// What it showed.
    pub from: Shown,
    /// What it shows.
    pub to: Shown,
    /// The changes that led to it, as positions in [`Pulse::values`].
    pub because: Vec<usize>,
}

/// An event that the component gave to the host.
#[derive(Clone, Debug)]
pub struct Given {
    /// Its name.
    pub name: Name,
    /// Its payload, by name.
    pub payload: Vec<(Name, Value)>,
}

/// One pulse, from cause to patches.
#[derive(Clone, Debug)]
pub struct Pulse {
    /// Its number on its page, from zero for the opening.
    pub number: u64,
    /// The component.
    pub component: Name,
    /// What set it off.
    pub cause: Cause,
    /// What changed in state and derived values, in the order in which it happened.
    pub values: Vec<ValueChange>,
    /// What changed in the view, in document order.
    pub parts: Vec<PartChange>,
    /// What was given to the host, in order.
    pub given: Vec<Given>,
    /// The patches.
    pub patches: Batch,
    /// The parts whose expressions were evaluated.
    pub evaluated: Vec<usize>,
    /// How many derived values were computed.
    pub computed: usize,
    /// Why it was taken back, if it was.
    pub fault: Option<Fault>,
}
