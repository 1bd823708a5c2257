//! The ways between a tab and its page: the link, requests that the tab waits for, and questions that the page waits for.

use super::asked::Looked;
use super::message::{Doing, Said};
use super::{Site, locked};
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::{BTreeMap, HashMap};
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, Sender};
use std::sync::{Arc, Mutex};
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};
use tokio::sync::{Notify, OwnedSemaphorePermit, oneshot};
use vein::{Pulse, Value};

/// So many answers of a host are remembered.
const MOST_KNOWN: usize = 10_000;

/// What goes to a tab by its link.
pub(super) enum Out {
    Text(String),
    Patches(Vec<u8>),
}

impl Out {
    pub(super) fn len(&self) -> usize {
        match self {
            Out::Text(text) => text.len(),
            Out::Patches(patches) => patches.len(),
        }
    }
}

/// So many bytes wait for a tab to read them. One that lets more wait is let go: it comes back, and begins with what is there then.
pub(super) const MOST_UNREAD: usize = 64 << 20;

/// So many bytes of what a tab has said wait for its page. One that says more is let go.
pub(super) const MOST_UNHEARD: usize = 16 << 20;

/// What goes to a tab, as long as it reads.
pub(super) struct Link {
    out: UnboundedSender<Out>,
    unread: AtomicUsize,
    full: Notify,
}

impl Link {
    pub(super) fn new() -> (Arc<Link>, UnboundedReceiver<Out>) {
        let (out, read) = unbounded_channel();
        (Arc::new(Link { out, unread: AtomicUsize::new(0), full: Notify::new() }), read)
    }

    fn send(&self, out: Out) {
        let len = out.len();
        if self.unread.fetch_add(len, Ordering::Relaxed) + len > MOST_UNREAD {
            self.full.notify_one();
            return;
        }
        let _ = self.out.send(out);
    }

    /// Notes that so much was read.
    pub(super) fn was_read(&self, len: usize) {
        self.unread.fetch_sub(len, Ordering::Relaxed);
    }

    /// Waits until more waits to be read than may.
    pub(super) async fn is_full(&self) {
        self.full.notified().await;
    }
}

/// What comes from a tab.
pub(super) enum Heard {
    /// By its link, with the room that it takes among what waits.
    Said(Said, OwnedSemaphorePermit),
    /// By a request that the tab waits for.
    Asked { after: u64, heard: u64, what: Doing, reply: oneshot::Sender<Reply> },
    /// A workbench wants something.
    Looked(Looked),
    /// It has what it was told last of a question, by its number and the question's.
    LookedOn(u64, u64),
    /// It does not want to know that any more.
    LookedEnough(u64, u64),
    /// It is gone.
    LookedAway(u64),
}

/// What came of something that a tab waits for.
#[derive(Serialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum Reply {
    /// It was done, with what the tab is told beside that.
    Value(Box<RawValue>, Vec<Box<RawValue>>),
    /// It cannot be done.
    Error(String, Vec<Box<RawValue>>),
    /// The host has to answer something first: which question, the function and its arguments.
    Ask(u64, String, Box<RawValue>),
}

/// The ways to the page of a tab.
#[derive(Clone)]
pub(super) struct Line {
    pub(super) say: UnboundedSender<Heard>,
    pub(super) answer: Sender<Answered>,
    pub(super) at_once: Arc<AtOnce>,
    /// Whether the tab is gone: what it said before is nobody's any more.
    pub(super) gone: Arc<AtomicBool>,
}

/// The way to a tab.
#[derive(Clone)]
pub(super) struct ToTab {
    link: Arc<Link>,
    /// While the tab waits for something: what it is told with that.
    with_reply: Arc<Mutex<Option<Vec<Box<RawValue>>>>>,
}

impl ToTab {
    pub(super) fn new(link: Arc<Link>) -> ToTab {
        ToTab { link, with_reply: Arc::default() }
    }

    /// Tells it something; one that is gone hears nothing.
    pub(super) fn tell(&self, kind: &str, what: impl Serialize) {
        let told = message(kind, what);
        match &mut *locked(&self.with_reply) {
            Some(all) => all.push(told),
            None => self.tell_now(&told),
        }
    }

    /// Tells it something by the link, whether it waits for something or not.
    pub(super) fn tell_now(&self, told: &RawValue) {
        self.link.send(Out::Text(told.get().to_owned()));
    }

    pub(super) fn patches(&self, pulse: &Pulse) {
        if !pulse.pulse.patches.is_empty() {
            self.link.send(Out::Patches(pulse.pulse.patches.to_bytes()));
        }
    }

    /// Keeps what it is told from now on for what it waits for.
    pub(super) fn begin_reply(&self) {
        *locked(&self.with_reply) = Some(Vec::new());
    }

    /// What it is to be told with that.
    pub(super) fn end_reply(&self) -> Vec<Box<RawValue>> {
        locked(&self.with_reply).take().unwrap_or_default()
    }

    /// Whether it waits for something.
    pub(super) fn waits(&self) -> bool {
        locked(&self.with_reply).is_some()
    }
}

/// An answer to a question that was asked at once.
pub(super) type Answered = (u64, Result<Box<RawValue>, Box<RawValue>>);

/// The host module of a tab, as far as it is asked at once.
pub(super) struct AtOnce {
    to_tab: ToTab,
    site: Arc<Site>,
    /// While the tab waits for something: how it is asked.
    waits: Mutex<Option<oneshot::Sender<Reply>>>,
    answers: Mutex<Receiver<Answered>>,
    next: AtomicU64,
    /// What it has answered: always the same for the same arguments.
    known: Mutex<HashMap<(String, String), Value>>,
}

impl AtOnce {
    pub(super) fn new(site: Arc<Site>, to_tab: ToTab, answers: Receiver<Answered>) -> AtOnce {
        let (answers, next) = (Mutex::new(answers), AtomicU64::new(1));
        AtOnce { to_tab, site, waits: Mutex::default(), answers, next, known: Mutex::default() }
    }

    /// A number for something that the tab is told of and has to come back to.
    pub(super) fn number(&self) -> u64 {
        self.next.fetch_add(1, Ordering::Relaxed)
    }

    /// The tab waits for what comes of something.
    pub(super) fn wait_on(&self, reply: oneshot::Sender<Reply>) {
        *locked(&self.waits) = Some(reply);
    }

    /// Says what came of what the tab waits for.
    pub(super) fn reply(&self, reply: Reply) {
        // It is gone, where the tab is.
        if let Some(waits) = locked(&self.waits).take() {
            let _ = waits.send(reply);
        }
    }

    /// Forgets what was answered: whoever answers is another.
    pub(super) fn forget(&self) {
        locked(&self.known).clear();
    }

    /// Asks, and waits for the answer.
    pub(super) fn ask(&self, name: &str, args: &[Value]) -> Result<Value, String> {
        let args = raw(&Value::list(args.to_vec()));
        let key = (name.to_owned(), args.get().to_owned());
        if let Some(known) = locked(&self.known).get(&key) {
            return Ok(known.clone());
        }
        let answers = locked(&self.answers);
        let id = self.number();
        match locked(&self.waits).take() {
            // A tab that waits hears nothing but the answer.
            Some(reply) => drop(reply.send(Reply::Ask(id, name.to_owned(), args))),
            None => self.to_tab.tell_now(&message("ask", (id, name, args, "now"))),
        }
        loop {
            // A tab that sleeps answers when it wakes up; one that is gone, never.
            let Ok((of, answer)) = self.site.turns.aside(|| answers.recv()) else {
                return Err("the tab is gone".to_owned());
            };
            if of != id {
                continue;
            }
            let value = read(&answer.map_err(|reason| words(&reason))?)?;
            let mut known = locked(&self.known);
            if known.len() >= MOST_KNOWN {
                known.clear();
            }
            known.insert(key, value.clone());
            return Ok(value);
        }
    }
}

/// Something that a tab is told: one name, and what it says.
pub(super) fn message(kind: &str, what: impl Serialize) -> Box<RawValue> {
    let told = serde_json::to_string(&BTreeMap::from([(kind, what)]));
    written(told.unwrap_or_default())
}

/// A value as JSON, to the halves of characters in it.
pub(super) fn raw(value: &Value) -> Box<RawValue> {
    written(vein::json::stringify(value).to_string())
}

/// JSON that was written here.
fn written(json: String) -> Box<RawValue> {
    RawValue::from_string(json).unwrap_or_else(|_| RawValue::NULL.to_owned())
}

/// A value that a tab gives.
pub(super) fn read(raw: &RawValue) -> Result<Value, String> {
    vein::json::parse(raw.get()).map_err(|error| format!("the answer cannot be read: {error}"))
}

/// Why a tab gives none.
pub(super) fn words(raw: &RawValue) -> String {
    read(raw).map_or_else(|error| error, |reason| reason.to_text().to_string())
}
