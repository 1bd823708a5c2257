//! Scenarios: what a person and a host do with a component, and all that each step changes.
//!
//! | module | what it holds |
//! |---|---|
//! | `read` | from TOML, with the place of everything |
//! | [`play`] | a scenario at work on a page of its own |
//! | `seen` | what a step did, with where it was written |
//! | [`judge`] | what was stated against what was seen |
//! | `accept` | what was seen, written into the scenario's text |
//! | [`record`] | what is done on a page, as a scenario |

mod accept;
mod date;
pub mod judge;
pub mod play;
mod read;
pub mod record;
pub(crate) mod seen;

pub use accept::accept;
pub use judge::{Finding, Pairing, same_address};
pub use play::{Doing, Hands, InMemory, Played, PlayedStep, Player};
pub use read::keys;
pub use record::{Draft, Recording};
pub use seen::{Origin, SeenPart, SeenRun, SeenStep};

use crate::person::Act;
use std::ops::Range;
use vein_plan::Value;

/// A place in the scenario's text, in bytes.
pub type Place = Range<usize>;

/// Something with the place where it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct At<T> {
    /// What was written.
    pub value: T,
    /// Where.
    pub place: Place,
}

/// A mistake in a scenario, or a statement of it that does not hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mistake {
    /// The short name of its kind.
    pub code: &'static str,
    /// Where.
    pub place: Place,
    /// What is wrong, in a sentence.
    pub message: String,
    /// What to say at the place.
    pub label: String,
    /// What to do.
    pub advice: Vec<String>,
    /// What was most likely meant, for that place.
    pub instead: Option<Box<str>>,
}

impl Mistake {
    pub(crate) fn new(code: &'static str, place: &Place, message: impl Into<String>) -> Mistake {
        let (place, message) = (place.clone(), message.into());
        Mistake { code, place, message, label: String::new(), advice: Vec::new(), instead: None }
    }

    pub(crate) fn label(mut self, label: impl Into<String>) -> Mistake {
        self.label = label.into();
        self
    }

    pub(crate) fn advice(mut self, advice: impl Into<String>) -> Mistake {
        self.advice.push(advice.into());
        self
    }

    /// Suggests one of some names in the place of what was written.
    pub(crate) fn nearest<'a>(
        mut self,
        written: &str,
        known: impl IntoIterator<Item = &'a str>,
    ) -> Mistake {
        self.instead = vein_plan::nearest(written, known).map(|near| format!("{near:?}").into());
        self
    }
}

/// A scenario as it was written.
///
/// ```
/// use vein_proof::Scenario;
/// let scenario = Scenario::read("component = 'a-tap'\n[[step]]\nclick = 'button'").unwrap();
/// assert_eq!(scenario.steps.len(), 1);
/// let mistakes = Scenario::read("componnet = 'a-tap'").unwrap_err();
/// assert_eq!(mistakes[0].instead.as_deref(), Some("component"));
/// ```
#[derive(Clone, Debug)]
pub struct Scenario {
    /// What it is about, in a sentence.
    pub title: Option<String>,
    /// The component that is put on a page.
    pub component: At<String>,
    /// Its data.
    pub data: Data,
    /// The language and the time zone that are formatted in.
    pub locale: Option<String>,
    /// As above.
    pub zone: Option<String>,
    /// The time of day when the page is opened, in milliseconds since 1970; else 1970.
    pub date: Option<f64>,
    /// What `Math.random()` begins with; else zero.
    pub seed: Option<u32>,
    /// What the host answers, in the order in which it was written.
    pub answers: Vec<Scripted>,
    /// What the page must be like once it is opened.
    pub opened: Stated,
    /// What is done, in order.
    pub steps: Vec<Step>,
}

/// The data that a component is opened with.
#[derive(Clone, Debug)]
pub enum Data {
    /// None.
    Nothing,
    /// Written in the scenario.
    Inline(At<Value>),
    /// In a JSON file, by its path from the scenario's folder.
    File(At<String>),
}

/// An answer that the host has ready.
#[derive(Clone, Debug)]
pub struct Scripted {
    /// The function.
    pub function: At<String>,
    /// Only for questions with these arguments.
    pub of: Option<Vec<Value>>,
    /// Milliseconds until it comes: from the question on, or from the item before.
    pub after: f64,
    /// The answer, or why there is none.
    pub answer: Result<Value, String>,
    /// Where that was written.
    pub place: Place,
}

/// A step.
#[derive(Clone, Debug)]
pub struct Step {
    /// What is done.
    pub action: Action,
    /// Where that was written.
    pub place: Place,
    /// What the author says about it.
    pub note: Option<String>,
    /// All that it changes, and more that holds afterwards.
    pub stated: Stated,
}

/// What is done in a step.
#[derive(Clone, Debug)]
pub enum Action {
    /// A person does something with the element of a CSS selector; without one, with the element
    /// that has the focus.
    Person(Act, Option<At<String>>),
    /// The host writes to a prop or to state.
    Set(At<String>, At<Value>),
    /// The host calls a handler.
    Call(At<String>, Vec<Value>),
    /// A component on the page gives an event: the event, whose it is, its payload.
    Give(At<String>, Option<At<String>>, Value),
    /// The host answers a question that is open: the function, with which arguments it was asked,
    /// and the answer, or an item of a stream, or why there is none.
    Answer(At<String>, Option<Vec<Value>>, Result<Value, String>),
    /// Time goes by, in milliseconds.
    Wait(f64),
    /// The page is dropped.
    Drop,
}

impl Action {
    /// What is done, in words.
    pub fn shown(&self) -> String {
        let args =
            |args: &[Value]| args.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
        let of = |of: &Option<Vec<Value>>| match of {
            Some(of) => format!("({})", args(of)),
            None => String::new(),
        };
        match self {
            Action::Person(act, on) => {
                let what = match act {
                    Act::Type { text, .. } => format!("type {text:?} into"),
                    Act::Paste(text) => format!("paste {text:?} into"),
                    Act::Choose(options) => format!("choose {} in", options.join(", ")),
                    Act::Press(key) => format!("press {key} on"),
                    act => act.name().to_owned(),
                };
                match on {
                    Some(on) => format!("{what} {}", on.value),
                    None => format!("{what} what has the focus"),
                }
            }
            Action::Set(path, value) => format!("host sets {} to {}", path.value, value.value),
            Action::Call(name, with) => format!("host calls {}({})", name.value, args(with)),
            Action::Give(event, None, _) => format!("{} is given", event.value),
            Action::Give(event, Some(owner), _) => {
                format!("{} gives {}", owner.value, event.value)
            }
            Action::Answer(function, asked, Ok(value)) => {
                format!("host answers {}{} with {value}", function.value, of(asked))
            }
            Action::Answer(function, asked, Err(reason)) => {
                format!("host fails {}{}: {reason}", function.value, of(asked))
            }
            Action::Wait(ms) => format!("wait {ms} ms"),
            Action::Drop => "drop the page".into(),
        }
    }
}

/// What a step states.
#[derive(Clone, Debug, Default)]
pub struct Stated {
    /// Where the changes were written: the whole list.
    pub changes_at: Option<Place>,
    /// All parts that change.
    pub changes: Vec<StatedChange>,
    /// All events that the host is given, in order.
    pub gives: Vec<At<(String, Value)>>,
    /// All questions that the host is asked, in order; not stated, any may be asked.
    pub asks: Option<At<Vec<String>>>,
    /// What stands at paths of state afterwards.
    pub state: Vec<(At<String>, At<Value>)>,
    /// What must be in the view afterwards.
    pub see: Vec<At<Sight>>,
    /// That everything is taken back, and a part of the reason.
    pub fails: Option<At<String>>,
}

/// A change of a part.
#[derive(Clone, Debug)]
pub struct StatedChange {
    /// Where it was written.
    pub place: Place,
    /// Where the part is named in it.
    pub named: Place,
    /// Which part.
    pub part: Which,
    /// What it showed before, where that is stated.
    pub from: Option<Value>,
    /// What it shows afterwards, where that is stated.
    pub to: Option<Value>,
    /// Of a list: how many rows were added, removed and moved, where that is stated.
    pub rows: [Option<usize>; 3],
    /// How many parts that is; at least one where it is not stated.
    pub count: Option<usize>,
}

/// Which parts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Which {
    /// The one of an address, `bed-card[#1] › meter value`; `[*]` stands for any item.
    Address(String),
    /// What of the elements of a CSS selector: `text`, `branch`, `list`, or the name of an attribute
    /// or property.
    Element {
        /// The selector.
        selector: String,
        /// What of it.
        what: String,
    },
}

/// Something that must be in the view.
#[derive(Clone, Debug)]
pub struct Sight {
    /// The CSS selector.
    pub at: At<String>,
    /// What must hold of the first element that it matches, or of all that it matches.
    pub must: Vec<Must>,
}

/// What must hold of an element.
#[derive(Clone, Debug)]
pub enum Must {
    /// Its text, with white space as one space.
    Text(String),
    /// A piece of its text.
    Includes(String),
    /// How many elements the selector matches.
    Count(usize),
    /// Its content as HTML.
    Html(String),
    /// Whether it has the focus.
    Focus(bool),
    /// Whether a person can see it, as far as HTML says.
    Visible(bool),
    /// What a control holds.
    Holds(String),
    /// Whether it is ticked.
    Ticked(bool),
    /// Whether it is disabled.
    Disabled(bool),
    /// An attribute, by its name; `false` for none.
    Attribute(String, Value),
}

impl Scenario {
    /// Reads a scenario.
    ///
    /// # Errors
    /// Every mistake that can be found without its component.
    pub fn read(text: &str) -> Result<Scenario, Vec<Mistake>> {
        read::scenario(text)
    }
}
