//! What of a compiled component lives beside its view: questions to the host, state that answers
//! fill, and statements that run by themselves.

use crate::code::{Body, CellId, ExprId, LocalId};
use crate::program::{Location, Reads, TypeId};
use crate::value::Name;

/// When a host answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Answers {
    /// At once, and always the same for the same arguments: `asks`.
    AtOnce,
    /// Later, once: `awaits`.
    Later,
    /// Again and again: `streams`.
    Again,
}

impl Answers {
    /// The verb that declares it.
    pub fn verb(self) -> &'static str {
        match self {
            Answers::AtOnce => "asks",
            Answers::Later => "awaits",
            Answers::Again => "streams",
        }
    }
}

/// A function that the host answers.
#[derive(Clone, Debug, PartialEq)]
pub struct Asked {
    /// Its name.
    pub name: Name,
    /// When it is answered.
    pub answers: Answers,
    /// Its parameters.
    pub params: Vec<(Name, TypeId)>,
    /// The type of the answer.
    pub result: TypeId,
}

/// State that is filled by answers of the host. Its three cells are ordinary state that nobody but
/// the host's answers write.
#[derive(Clone, Debug, PartialEq)]
pub struct Source {
    /// Which function of the plan is asked: one that answers later, or again and again.
    pub asked: u32,
    /// What it is asked with: a list.
    pub args: ExprId,
    /// What that reads.
    pub reads: Reads,
    /// The last answer, `null` before the first.
    pub value: CellId,
    /// `'waiting'`, `'ready'` or `'failed'`.
    pub status: CellId,
    /// Why it failed.
    pub reason: CellId,
    /// Where it was written.
    pub location: Location,
}

/// The states of a [`Source`], as its status names them.
pub mod status {
    /// It was asked and not answered yet.
    pub const WAITING: &str = "waiting";
    /// The last question was answered.
    pub const READY: &str = "ready";
    /// The last question was answered with a failure.
    pub const FAILED: &str = "failed";
    /// All of them.
    pub const ALL: [&str; 3] = [WAITING, READY, FAILED];
}

/// Statements that run by themselves.
#[derive(Clone, Debug, PartialEq)]
pub struct Hook {
    /// When.
    pub when: When,
    /// How many locals the statements use.
    pub locals: LocalId,
    /// What happens.
    pub body: Body,
    /// How it was written, such as `upon change (litres)`.
    pub address: Name,
    /// Where it was written.
    pub location: Location,
}

/// When the statements of a [`Hook`] run.
#[derive(Clone, Debug, PartialEq)]
pub enum When {
    /// When the component is added.
    Added,
    /// When it is removed.
    Removed,
    /// When one of these has changed in a pulse. Always fixed.
    Changed(Reads),
    /// Each time that so many milliseconds are over; never while it is `null`.
    Every(ExprId, Reads),
}
