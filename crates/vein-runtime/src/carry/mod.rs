//! What a page holds that nobody could work out again, taken along to another that is opened in its place: after its components
//! were changed, or somewhere else.
//!
//! | module | what it holds |
//! |---|---|
//! | `taking` | taking it from a page |
//! | `handing` | handing it to the scopes of another, while they are made |
//! | `going` | what is found again once they stand: listeners, controls, statements that wait |
//! | `places` | what stands where on a page, by its address |
//! | `written` | as a value that can be written down |

mod going;
mod handing;
mod places;
mod taking;
mod written;

use crate::execute::Activity;
use crate::scope::{QuestionId, ScopeId};
pub(crate) use handing::{Asking, Carrying, Claimed};
use std::sync::Arc;
use vein_plan::{BlockId, Name, Program, Value};

/// What a page holds: state, what was asked, what waits.
#[derive(Clone, Debug)]
pub struct Carried {
    /// The time on the host's clock, in milliseconds since the page was opened.
    pub now: f64,
    /// The time of day then, in milliseconds since 1970.
    pub date: f64,
    /// How far the source of chance has come.
    chance: u32,
    /// How many pulses there were.
    pub pulses: u64,
    /// The components and stores on the page, outer ones before inner ones.
    pub instances: Vec<CarriedInstance>,
    /// Listeners that were to happen once and have.
    pub spent: Vec<Addressed>,
    /// Controls that spell their value in their own way, or hold what means none.
    pub controls: Vec<CarriedControl>,
    /// Of everything that stands on the page, from the top on, how much was added before it.
    order: Vec<u32>,
    /// What only the same process can go on with.
    going: Going,
}

/// A component or a store, as far as it holds something.
#[derive(Clone, Debug)]
pub struct CarriedInstance {
    /// Its address; the page's own has none, a store's is its name.
    pub address: String,
    /// The component that it is.
    pub component: Name,
    /// Whether it is a store.
    pub is_store: bool,
    /// How many were added before it.
    pub added: usize,
    /// Its state by name, with props that nobody gives; of the page's component, all that were given.
    pub values: Vec<(Name, Value)>,
    /// What it has asked to fill its state.
    pub sources: Vec<CarriedSource>,
    /// Its timers that run.
    pub timers: Vec<CarriedTimer>,
}

/// State that the host's answers fill.
#[derive(Clone, Debug)]
pub struct CarriedSource {
    /// The state.
    pub name: Name,
    /// How the function that is asked is declared.
    pub function: String,
    /// What it was asked with.
    pub args: Value,
    /// Whether an answer is still to come, or more of them.
    pub open: bool,
    /// The question, where the same host goes on with it.
    question: Option<QuestionId>,
}

/// A timer that runs.
#[derive(Clone, Debug)]
pub struct CarriedTimer {
    /// How it is declared: `upon every (1000)`.
    pub address: Name,
    /// When it is due next, in milliseconds of the host's clock.
    pub due: f64,
    /// Its period, in milliseconds.
    pub period: f64,
    /// Where it stands in the order in which timers were set: of what is due at one time, what was set first runs first.
    pub order: u64,
}

/// A part or a listener, as the ledger writes it, and which of those that are called so.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Addressed {
    /// What it is called.
    pub address: String,
    /// How many that are called so stand before it.
    pub before: usize,
}

/// A control that is bound both ways and shows something else than its state would have it show.
#[derive(Clone, Debug)]
pub struct CarriedControl {
    /// Which it is.
    pub part: Addressed,
    /// What it holds.
    pub held: String,
    /// Whether that means no value of the state's type.
    pub invalid: bool,
}

/// What goes on in the same process only.
#[derive(Clone, Debug, Default)]
struct Going {
    program: Option<Arc<Program>>,
    next_question: u64,
    /// Statements that wait for an answer, by the address of their scope's component or row.
    statements: Vec<Suspended>,
    /// Events that wait for quiet.
    settling: Vec<Settling>,
}

#[derive(Clone, Debug)]
struct Suspended {
    owner: Addressed,
    plan: u32,
    block: BlockId,
    id: QuestionId,
    activity: Activity,
    function: String,
}

#[derive(Clone, Debug)]
struct Settling {
    listener: Addressed,
    due: f64,
    order: u64,
    event: Value,
    after: u32,
}

/// Something that could not be taken along.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Lost {
    /// State that is not declared any more.
    Undeclared {
        /// Its path: `bed-card[#3].open`.
        path: String,
    },
    /// State whose value does not fit its type any more; it began anew.
    Misfit {
        /// Its path.
        path: String,
        /// What does not fit.
        reason: String,
    },
    /// A component that does not stand where it stood.
    NotThere {
        /// Its address.
        address: String,
    },
    /// Something that waited for the host, and whose code is not the same.
    LetGo {
        /// What it is called.
        what: String,
    },
    /// Something that was asked again.
    AskedAgain {
        /// The path of the state that the answer fills.
        path: String,
    },
}

impl std::fmt::Display for Lost {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Lost::Undeclared { path } => write!(f, "`{path}` is not declared any more"),
            Lost::Misfit { path, reason } => write!(f, "`{path}` begins anew: {reason}"),
            Lost::NotThere { address } => write!(f, "`{address}` does not stand there any more"),
            Lost::LetGo { what } => {
                write!(f, "`{what}` was let go in the middle: it has other code now")
            }
            Lost::AskedAgain { path } => write!(f, "`{path}` is asked for again"),
        }
    }
}

/// Something that is due when it would have been on the page before.
#[derive(Debug)]
pub(crate) struct Due {
    scope: ScopeId,
    due: f64,
    order: u64,
    what: WhatIsDue,
}

#[derive(Debug)]
enum WhatIsDue {
    /// The timer of a hook, which runs by now.
    Timer { hook: u32 },
    /// An event that waits for quiet.
    Settled { listener: u32, event: Value, after: u32 },
}

fn path(address: &str, name: &str) -> String {
    if address.is_empty() { name.to_owned() } else { format!("{address}.{name}") }
}

impl Carried {
    /// The values of the props that the page's component was given or had written to.
    pub(crate) fn props(&self, component: &str) -> &[(Name, Value)] {
        let own = self.instances.iter().find(|one| one.address.is_empty() && !one.is_store);
        own.filter(|own| *own.component == *component).map_or(&[], |own| &own.values)
    }
}
