//! The record of a pulse: what was done, what followed, and why.

use crate::answers::{Dropped, Question};
use crate::execute::Ran;
use crate::fault::Fault;
use crate::scope::ScopeId;
use vein_plan::{BlockId, Name, Shown, Value};
use vein_view::{Batch, NodeNumber};

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
        /// That element's node.
        node: NodeNumber,
        /// After how many milliseconds.
        after: u32,
    },
    /// A timer.
    Timer {
        /// Which, and of whom.
        on: String,
    },
    /// The host answered.
    Answered {
        /// What was asked.
        function: String,
        /// What the answer goes to.
        to: String,
        /// Whether the answer was that there is none.
        failed: bool,
    },
    /// The host called a handler.
    Called {
        /// Which.
        name: String,
    },
    /// The host had a component give one of its events.
    Emitted {
        /// The event.
        name: String,
        /// Whose; nothing for the page's own component.
        owner: String,
    },
    /// The page was closed.
    Closed,
}

impl std::fmt::Display for Cause {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Cause::Opened => f.write_str("opened"),
            Cause::Event { kind, on } => write!(f, "{kind} on {on}"),
            Cause::Write { path } => write!(f, "host set {path}"),
            Cause::Settled { kind, on, after, .. } => {
                write!(f, "{kind} on {on}, settled for {after} ms")
            }
            Cause::Timer { on } => write!(f, "timer {on}"),
            Cause::Answered { function, to, failed: false } => {
                write!(f, "answer of {function} for {to}")
            }
            Cause::Answered { function, to, failed: true } => {
                write!(f, "failed answer of {function} for {to}")
            }
            Cause::Called { name } => write!(f, "host called {name}"),
            Cause::Emitted { name, owner } if owner.is_empty() => write!(f, "{name} was given"),
            Cause::Emitted { name, owner } => write!(f, "{name} was given by {owner}"),
            Cause::Closed => f.write_str("closed"),
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
    /// A key came to a dictionary, went from it, or went and came again.
    Entry {
        /// What stood there when the pulse began.
        from: Option<Value>,
        /// What stands there.
        to: Option<Value>,
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
            Difference::Entry { from, to } => match (from, to) {
                (None, Some(to)) => write!(f, "added: {to}"),
                (Some(from), None) => write!(f, "{from} → deleted"),
                (Some(from), Some(to)) => write!(f, "{from} → {to}, at the end"),
                (None, None) => f.write_str("added and deleted"),
            },
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
    /// The way to it, such as `beds[3].moisture`, or `bed-row[#3].dry` in a component inside.
    pub path: String,
    /// Whether it stands in a component inside the one that the page shows.
    pub inside: bool,
    /// How.
    pub difference: Difference,
    /// The changes that led to it, as positions in [`Pulse::values`].
    pub because: Vec<usize>,
}

/// A change of a part of the view.
#[derive(Clone, Debug)]
pub struct PartChange {
    /// The part.
    pub place: PlaceId,
    /// The component that it was written in, by its number in the program.
    pub plan: u32,
    /// The block of that.
    pub block: BlockId,
    /// Its node; of what comes and goes, the one around it.
    pub node: NodeNumber,
    /// Its address, without the component that the page shows.
    pub address: String,
    /// What changed.
    pub effect: Effect,
    /// The changes that led to it, as positions in [`Pulse::values`].
    pub because: Vec<usize>,
}

/// A part, a branch or a list somewhere on the page, while it is there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PlaceId {
    /// The scope that it belongs to.
    pub scope: ScopeId,
    /// The spot or part of the scope's block.
    pub which: Which,
}

/// A spot or a part of a block, by its number there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Which {
    /// A branch, a list, an element that is renamed, or markup from data.
    Spot(u32),
    /// A text, an attribute or a property.
    Part(u32),
}

/// What changed in a part.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Effect {
    /// What it shows.
    Value {
        /// What it showed.
        from: Shown,
        /// What it shows.
        to: Shown,
    },
    /// Which alternative stands there, or what an element is.
    Branch {
        /// What stood there.
        from: Option<Name>,
        /// What stands there.
        to: Option<Name>,
    },
    /// Which items a list shows, and in which order.
    List {
        /// How many rows were made.
        added: usize,
        /// How many were taken away.
        removed: usize,
        /// How many were moved.
        moved: usize,
    },
}

impl Effect {
    /// What was there and what is there, as a ledger shows it; of a list, what happened.
    pub fn sides(&self) -> (String, String) {
        match self {
            Effect::Value { from, to } => (from.to_string(), to.to_string()),
            Effect::Branch { from, to } => {
                let shown = |side: &Option<Name>| side.as_deref().unwrap_or("nothing").to_owned();
                (shown(from), shown(to))
            }
            Effect::List { added, removed, moved } => {
                let mut said = Vec::new();
                for (count, what) in [(added, "added"), (removed, "removed"), (moved, "moved")] {
                    if *count > 0 {
                        said.push(format!("{count} {what}"));
                    }
                }
                (String::new(), said.join(", "))
            }
        }
    }
}

impl std::fmt::Display for Effect {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match (self.sides(), self) {
            ((_, said), Effect::List { .. }) => f.write_str(&said),
            ((from, to), _) => write!(f, "{from} → {to}"),
        }
    }
}

/// Something that was survived and that somebody should know of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Problem {
    /// Two items of a list have the same identity.
    SameIdentity {
        /// The list's address.
        list: String,
        /// The identity.
        key: String,
        /// The position of one.
        first: u32,
        /// The position of the other.
        second: u32,
    },
    /// An address was not shown because following it could run something.
    UnsafeUrl {
        /// The part's address.
        part: String,
        /// The address that was not shown.
        url: String,
    },
    /// An element was to get a name that it cannot have.
    UnknownElement {
        /// The spot's address.
        part: String,
        /// The name.
        name: String,
    },
    /// What a control holds means no value of the state's type; state stays as it is.
    NoValue {
        /// The part's address.
        part: String,
        /// What the control holds.
        held: String,
    },
    /// More stands inside each other than may.
    TooDeep {
        /// The component that was not shown any more.
        component: Name,
        /// How much may.
        most: u32,
        /// Of what.
        of: &'static str,
    },
    /// A timer whose pulses, or those beside it, take longer than its period.
    Missed {
        /// Which, and of whom.
        timer: String,
        /// How many of its periods were left out.
        periods: u64,
    },
    /// The host could not answer, and statements that waited for it have a `finally` but no `catch`.
    Uncaught {
        /// The function.
        function: String,
        /// Why.
        reason: String,
    },
    /// The host's answer does not fit its type.
    WrongAnswer {
        /// The function.
        function: String,
        /// What does not fit, and where.
        reason: String,
    },
}

impl std::fmt::Display for Problem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Problem::SameIdentity { list, key, first, second } => {
                write!(f, "{list}: the items at {first} and {second} have the same identity, {key}")
            }
            Problem::UnsafeUrl { part, url } => {
                write!(f, "{part}: the address {url:?} could run something and is not shown")
            }
            Problem::UnknownElement { part, name } => {
                write!(f, "{part}: no element can become {name:?}; it is a `div`")
            }
            Problem::NoValue { part, held } => {
                write!(f, "{part}: {held} means no value of its type; state stays as it is")
            }
            Problem::Missed { timer, periods } => {
                write!(f, "{timer}: {periods} of its periods were missed, since pulses take longer")
            }
            Problem::WrongAnswer { function, reason } => {
                write!(f, "the answer of `{function}` does not fit: {reason}")
            }
            Problem::Uncaught { function, reason } => {
                write!(
                    f,
                    "the host could not answer `{function}`, and nothing caught that: {reason}"
                )
            }
            Problem::TooDeep { component, most, of } => {
                write!(f, "{component}: more than {most} {of} stand inside each other")
            }
        }
    }
}

/// An event that the component gave to the host.
#[derive(Clone, Debug)]
pub struct Given {
    /// Its name.
    pub name: Name,
    /// Its payload, by name.
    pub payload: Vec<(Name, Value)>,
}

/// State that was written in a pulse.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Written {
    /// The way to it.
    pub path: String,
    /// Whether it was written by what runs or is asked by itself, after all that set the pulse off.
    pub by_itself: bool,
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
    /// What the host is asked now.
    pub questions: Vec<Question>,
    /// Questions and streams that nobody waits for any more.
    pub dropped: Vec<Dropped>,
    /// The patches.
    pub patches: Batch,
    /// The places whose expressions were evaluated, of those that were there before.
    pub evaluated: Vec<PlaceId>,
    /// Whether a listener heard the event, where one set it off.
    pub heard: bool,
    /// How many scopes were made.
    pub created: usize,
    /// What was survived.
    pub problems: Vec<Problem>,
    /// How many derived values were computed.
    pub computed: usize,
    /// Whose statements were begun, in order; nothing where changes are not recorded.
    pub ran: Vec<Ran>,
    /// The paths of all state that was written, where something ran by itself or came out as it was: rows
    /// that went meanwhile have come back as others, and a control may hold what did not last.
    pub written: Vec<Written>,
    /// In how many rounds something ran by itself. What stands where is worked out after each.
    pub rounds: usize,
    /// Why it was taken back, if it was.
    pub fault: Option<Fault>,
}
