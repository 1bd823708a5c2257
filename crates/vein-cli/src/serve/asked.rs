//! What a workbench wants to know of a tab, and have it do.

use serde::Deserialize;
use tokio::sync::mpsc::UnboundedSender;

/// What a workbench says.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub(super) enum FromBench {
    /// That it is a page of this server. First of all.
    Token(String),
    /// It asks something of a tab, once: by which number, the tab, and what.
    Ask(u64, u64, Query),
    /// It wants to know, again and again.
    Follow(u64, u64, Query),
    /// It wants to know which tabs there are.
    Tabs(u64),
    /// It does not want to know any more.
    Drop(u64),
    /// It has what it was told, and can be told more.
    Got(u64),
}

/// What is wanted.
#[derive(Clone, Debug, Deserialize, PartialEq)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub(super) enum Query {
    /// The components and stores, as they stand.
    Tree,
    /// What one of them holds, with what is inside some paths.
    State(String, Vec<String>),
    /// The last pulses in which something is found, so many at most.
    Ledger(String, usize),
    /// Which pulses can be gone back to, and which is shown.
    Time,
    /// What is being recorded, and what was.
    Recording,
    /// What was seen to change, and by scenarios; of all, or only what neither has seen.
    Covered(bool),
    /// What is under the pointer.
    Pointed,
    /// All of a pulse.
    Entry(u64),
    /// What can change parts, or be changed: `state`, `handler` or `part`.
    Ways(Kind),
    /// What one of them can change, or can be changed by.
    Reach(Kind, String),
    /// Something is marked on the page.
    Mark(Marked, String),
    /// A value is written to a path, as JSON.
    Put(String, String),
    /// The page is shown as it was after a pulse.
    Go(u64),
    /// Pulses are proven from now on, or not.
    Prove(bool),
    /// Whether the page tells what is under the pointer.
    Point(bool),
    /// A recording begins or ends.
    Record(Recorder),
    /// What was recorded is written into the project, by a name.
    Save(u64, String),
    /// A place in a file is opened in the editor.
    Open(String),
}

#[derive(Clone, Copy, Debug, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "lowercase")]
pub(super) enum Kind {
    State,
    Handler,
    Part,
}

#[derive(Clone, Copy, Debug, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "lowercase")]
pub(super) enum Marked {
    Nothing,
    /// A component, by its address.
    Component,
    /// The parts that a pulse has changed, by its number.
    Pulse,
    /// The parts that state or a handler can change, by its name.
    State,
    Handler,
    /// A part, by its address on the map.
    Part,
}

#[derive(Clone, Copy, Debug, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "lowercase")]
pub(super) enum Recorder {
    Begin,
    /// What was recorded is a scenario, and another begins.
    Cut,
    End,
}

/// Something that a workbench wants of a tab.
pub(super) struct Looked {
    /// Which workbench, and which of its questions.
    pub(super) who: u64,
    pub(super) id: u64,
    pub(super) query: Query,
    /// Whether it wants to know again and again.
    pub(super) follows: bool,
    pub(super) to: UnboundedSender<String>,
}

/// An answer as a workbench is told it.
pub(super) fn answer(id: u64, answer: &Result<serde_json::Value, String>) -> String {
    match answer {
        Ok(value) => serde_json::json!({ "answer": [id, value] }),
        Err(reason) => serde_json::json!({ "failed": [id, reason] }),
    }
    .to_string()
}
