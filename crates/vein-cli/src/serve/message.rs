//! What a tab and the server say to each other beside patches: JSON, one thing a message.

use crate::told::Told;
use serde::Deserialize;
use serde_json::value::RawValue;
use std::collections::BTreeSet;

/// What a tab says.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub(super) enum Said {
    /// It is there. First of all.
    Hello {
        /// What its page held, when the server went away.
        #[serde(default)]
        kept: Option<Box<RawValue>>,
        /// Which styles it has, if it has them from this server.
        #[serde(default)]
        styles: Option<u64>,
        /// Its host module.
        host: HostModule,
    },
    /// An event.
    Event(Told),
    /// Its host module is another.
    Host(HostModule),
    /// It tells of no events until the page is renewed.
    Held,
    /// It shows what is served by that number.
    Shown(u64),
    /// The host's answer to a question that is answered later.
    Answer(u64, Box<RawValue>),
    /// Why there is none.
    Failed(u64, Box<RawValue>),
    /// A stream has no more to say.
    End(u64),
    /// The host's answer to a question that is answered at once.
    Now(u64, Box<RawValue>),
    /// Why there is none.
    Cannot(u64, Box<RawValue>),
    /// Somebody wants a mistake mended: which, and the token.
    Mend(usize, String),
    /// Somebody wants the page to begin anew.
    Afresh,
    /// A person is about to do something that is recorded.
    Did(Did),
    /// Where the pointer is, and whether that was chosen.
    Pointed(Place, bool),
}

/// An element: the number of a node around it, and the way to it from there by positions among elements.
#[derive(Debug, Deserialize)]
pub(super) struct Place(pub(super) u32, pub(super) Vec<usize>);

/// What a person does.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub(super) enum Did {
    Click(Place),
    Double(Place),
    Press(Place, String),
    /// Types: what stood in the field before, what stands there now, and the keys; an empty one for what no key does.
    Typed(Place, String, String, Vec<String>),
    Chose(Place, Vec<String>),
    Focus(Place),
    Blur(Place),
    /// Something that no scenario can do, in words.
    Cannot(String),
}

/// A tab's host module.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct HostModule {
    /// What it answers.
    pub(super) answers: BTreeSet<String>,
    /// Whether it opens the page by itself.
    pub(super) opens: bool,
}

/// What a tab's host module wants of its page.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Asked {
    /// Which tab, and the token.
    pub(super) tab: u64,
    pub(super) token: String,
    /// How much the tab had said by then.
    pub(super) after: u64,
    /// What it has heard last of what it wants to know of.
    pub(super) heard: u64,
    pub(super) what: Doing,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub(super) enum Doing {
    /// It opens the page, with props of its own beside the project's data.
    Open(Box<RawValue>),
    /// It writes to a path.
    Set(String, Box<RawValue>),
    /// It reads one.
    Get(String),
    /// It calls a handler.
    Call(String, Box<RawValue>),
    /// It wants to know when what stands at a path is another.
    Watch(String),
    /// It does not any more.
    Unwatch(u64),
    /// It wants to know of an event.
    On(String),
    /// It closes the page.
    Close,
    /// The answer to what it was asked in the middle of that.
    Now(u64, Box<RawValue>),
    /// Why there is none.
    Cannot(u64, Box<RawValue>),
}
