//! The page of one tab, on a thread of its own: it follows what is served, asks the tab's host, and tells the tab what to show.

use super::follow::Report;
use super::message::{Doing, HostModule, Said};
use super::reading::{Marks, Served, Trouble};
use super::{Ledger, Site, State, locked, pages};
use crate::output;
use crate::project;
use crate::simulated;
use anstream::eprintln;
use anyhow::{Context, Result};
use serde_json::json;
use serde_json::value::RawValue;
use std::collections::{BTreeMap, BTreeSet, HashMap, VecDeque};
use std::future::poll_fn;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::mpsc::{Receiver, Sender};
use std::sync::{Arc, Mutex};
use std::task::Poll;
use std::time::Duration;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender};
use tokio::sync::{oneshot, watch};
use tokio::time::Instant;
use vein::{Cause, Opening, Page, Problem, Pulse, QuestionId, Value};

/// What a page holds is handed to its tab so often at most, where that is much.
const KEPT_EVERY: Duration = Duration::from_millis(250);
/// So much is handed with every pulse.
const LITTLE: usize = 16 << 10;
/// So many answers of a host are remembered.
const MOST_KNOWN: usize = 10_000;
/// So much of what a host module is told may be on its way.
const MOST_TOLD: usize = 10_000;
/// So many notes are shown at once.
const MOST_NOTES: usize = 50;

/// What the next tab is called.
static NUMBER: AtomicU64 = AtomicU64::new(1);

/// What goes to a tab.
pub(super) enum Out {
    Text(String),
    Patches(Vec<u8>),
}

/// What comes from a tab.
pub(super) enum Heard {
    /// By its link.
    Said(Said),
    /// By a request that the tab waits for.
    Asked { after: u64, heard: u64, what: Doing, reply: oneshot::Sender<serde_json::Value> },
}

/// The ways to the page of a tab.
#[derive(Clone)]
pub(super) struct Line {
    pub(super) say: UnboundedSender<Heard>,
    pub(super) answer: Sender<Answered>,
    pub(super) at_once: Arc<AtOnce>,
}

/// The way to a tab.
#[derive(Clone)]
pub(super) struct ToTab {
    link: UnboundedSender<Out>,
    /// While the tab waits for something: what it is told with that.
    with_reply: Arc<Mutex<Option<Vec<serde_json::Value>>>>,
}

impl ToTab {
    pub(super) fn new(link: UnboundedSender<Out>) -> ToTab {
        ToTab { link, with_reply: Arc::default() }
    }

    /// Tells it something; one that is gone hears nothing.
    fn tell(&self, what: &serde_json::Value) {
        match &mut *locked(&self.with_reply) {
            Some(told) => told.push(what.clone()),
            None => drop(self.link.send(Out::Text(what.to_string()))),
        }
    }

    fn patches(&self, pulse: &Pulse) {
        if !pulse.pulse.patches.is_empty() {
            let _ = self.link.send(Out::Patches(pulse.pulse.patches.to_bytes()));
        }
    }
}

/// An answer to a question that was asked at once.
pub(super) type Answered = (u64, Result<Box<RawValue>, String>);

/// The host module of a tab, as far as it is asked at once.
pub(super) struct AtOnce {
    to_tab: ToTab,
    /// While the tab waits for something: how it is asked.
    waits: Mutex<Option<oneshot::Sender<serde_json::Value>>>,
    answers: Mutex<Receiver<Answered>>,
    next: AtomicU64,
    /// What it has answered: always the same for the same arguments.
    known: Mutex<HashMap<(String, String), Value>>,
}

impl AtOnce {
    /// The tab waits for what comes of something.
    pub(super) fn wait_on(&self, reply: oneshot::Sender<serde_json::Value>) {
        *locked(&self.waits) = Some(reply);
    }

    fn ask(&self, name: &str, args: &[Value]) -> Result<Value, String> {
        let args = vein::json::stringify(&Value::list(args.to_vec())).to_string();
        let key = (name.to_owned(), args);
        if let Some(known) = locked(&self.known).get(&key) {
            return Ok(known.clone());
        }
        let answers = locked(&self.answers);
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let args = raw(&key.1);
        match locked(&self.waits).take() {
            // A tab that waits hears nothing but the answer.
            Some(reply) => drop(reply.send(json!({ "ask": [id, name, args] }))),
            None => {
                let ask = json!({ "ask": [id, name, args, "now"] }).to_string();
                let _ = self.to_tab.link.send(Out::Text(ask));
            }
        }
        loop {
            // A tab that sleeps answers when it wakes up; one that is gone, never.
            let Ok((of, answer)) = answers.recv() else {
                return Err("the tab is gone".to_owned());
            };
            if of == id {
                let value = read(&answer?)?;
                let mut known = locked(&self.known);
                if known.len() >= MOST_KNOWN {
                    known.clear();
                }
                known.insert(key, value.clone());
                return Ok(value);
            }
        }
    }
}

fn json_of(value: &Value) -> serde_json::Value {
    raw(&vein::json::stringify(value).to_string())
}

/// JSON that was written here.
fn raw(text: &str) -> serde_json::Value {
    serde_json::from_str(text).unwrap_or_default()
}

fn read(raw: &RawValue) -> Result<Value, String> {
    vein::json::parse(raw.get()).map_err(|error| format!("the answer cannot be read: {error}"))
}

/// What a tab is in the middle of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Stage {
    /// It has not said that it is there.
    Coming,
    /// Its host module opens the page by itself.
    Opening,
    /// It gets its new host module.
    Host,
    /// It was asked to tell of no events any more.
    Holding,
    /// Nothing.
    Shown,
}

pub(super) struct Tab {
    site: Arc<Site>,
    to_tab: ToTab,
    at_once: Arc<AtOnce>,
    now: watch::Receiver<Arc<State>>,
    state: Arc<State>,
    stage: Stage,
    page: Option<Page>,
    /// What of what is served it shows.
    marks: Marks,
    /// With which data the page is, and which of it the host module has given.
    props: Value,
    own_props: Value,
    /// What the host module wants to know of: paths with their values, by numbers, and events.
    watched: BTreeMap<u64, (String, Value)>,
    events: BTreeSet<String>,
    /// What it was told of that, by numbers; what is on its way while it waits for something is told with that.
    host_told: VecDeque<(u64, serde_json::Value)>,
    host_number: u64,
    /// How much the tab has said, and what waits for more of that.
    heard: u64,
    waiting: Vec<(u64, u64, Doing, oneshot::Sender<serde_json::Value>)>,
    closed: bool,
    number: u64,
    /// Where it has its host module from, and what that answers.
    host_address: Option<String>,
    host: BTreeSet<String>,
    /// The questions that the host module works on.
    asked: BTreeMap<u64, QuestionId>,
    /// What its page held before this server.
    before: Option<Value>,
    /// Whether the page is to begin anew.
    afresh: bool,
    /// Why its page cannot be shown with its state.
    failed: Option<String>,
    /// Whatever else should be known, with how often it happened.
    notes: Vec<(String, usize)>,
    report: Option<Report>,
    clock: Instant,
    kept_at: Instant,
    /// How much that was.
    kept_len: usize,
    /// Whether something has happened since what the page holds was handed to the tab.
    stale: bool,
}

impl Tab {
    pub(super) fn new(site: Arc<Site>, to_tab: ToTab, answers: Receiver<Answered>) -> Tab {
        let mut now = site.now.clone();
        let state = now.borrow_and_update().clone();
        let at_once = AtOnce {
            to_tab: to_tab.clone(),
            waits: Mutex::default(),
            answers: Mutex::new(answers),
            next: AtomicU64::new(1),
            known: Mutex::default(),
        };
        Tab {
            site,
            to_tab,
            at_once: Arc::new(at_once),
            now,
            state,
            stage: Stage::Coming,
            page: None,
            marks: Marks::default(),
            props: Value::Null,
            own_props: Value::Null,
            watched: BTreeMap::new(),
            events: BTreeSet::new(),
            host_told: VecDeque::new(),
            host_number: 0,
            heard: 0,
            waiting: Vec::new(),
            closed: false,
            number: NUMBER.fetch_add(1, Ordering::Relaxed),
            host_address: None,
            host: BTreeSet::new(),
            asked: BTreeMap::new(),
            before: None,
            afresh: false,
            failed: None,
            notes: Vec::new(),
            report: None,
            clock: Instant::now(),
            kept_at: Instant::now(),
            kept_len: 0,
            stale: false,
        }
    }

    /// What it is called.
    pub(super) fn number(&self) -> u64 {
        self.number
    }

    pub(super) fn at_once(&self) -> Arc<AtOnce> {
        self.at_once.clone()
    }

    /// Works until the tab is gone.
    pub(super) fn run(mut self, said: UnboundedReceiver<Heard>) {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_time().build();
        let done = runtime.map_err(anyhow::Error::from).and_then(|runtime| {
            self.begin();
            runtime.block_on(self.work(said))
        });
        if let Err(error) = done {
            eprintln!("a tab was let go: {error}");
        }
    }

    fn begin(&mut self) {
        self.host_address = self.state.served.as_deref().and_then(host_address);
        self.to_tab.tell(&json!({ "begin": { "host": self.host_address, "tab": self.number } }));
    }

    async fn work(&mut self, mut said: UnboundedReceiver<Heard>) -> Result<()> {
        loop {
            let mut pulses = Vec::new();
            let due = self.page.as_ref().and_then(Page::next_due);
            let due = due.map(|milliseconds| self.clock + duration(milliseconds));
            let kept = self.stale.then(|| self.kept_at + KEPT_EVERY);
            let next = [due, kept].into_iter().flatten().min();
            let (page, clock) = (&mut self.page, &mut self.clock);
            let mut heard = None;
            tokio::select! {
                biased;
                changed = self.now.changed() => {
                    changed?;
                    let state = self.now.borrow_and_update().clone();
                    self.follow(state);
                }
                one = said.recv() => match one {
                    Some(one) => heard = Some(one),
                    // The tab is gone, whether it said so or not.
                    None => return Ok(()),
                },
                // The clock first: what comes then begins from now.
                came = poll_fn(|cx| {
                    let Some(page) = page else { return Poll::Pending };
                    pulses.extend(moved_on(page, clock));
                    match page.poll_pulse(cx) {
                        Poll::Pending if pulses.is_empty() => Poll::Pending,
                        Poll::Pending => Poll::Ready(None),
                        Poll::Ready(pulse) => Poll::Ready(Some(pulse)),
                    }
                }) => match came {
                    Some(Ok(pulse)) => pulses.push(pulse),
                    Some(Err(error)) => self.note(error.to_string()),
                    None => {}
                },
                () = until(next) => {}
            }
            if let Some(page) = &mut self.page {
                pulses.extend(moved_on(page, &mut self.clock));
            }
            pulses.into_iter().for_each(|pulse| self.happened(&pulse));
            match heard {
                Some(Heard::Said(said)) => {
                    self.heard += 1;
                    self.hear(said);
                }
                Some(Heard::Asked { after, heard, what, reply }) => {
                    self.waiting.push((after, heard, what, reply));
                }
                None => {}
            }
            while let Some(at) = self.waiting.iter().position(|(after, ..)| *after <= self.heard) {
                let (_, heard, what, reply) = self.waiting.remove(at);
                self.host_told.retain(|(number, _)| *number > heard);
                self.drive(what, reply);
            }
            self.ask();
            self.keep();
        }
    }

    fn hear(&mut self, said: Said) {
        match said {
            Said::Hello { kept, styles, host } => {
                self.before = kept.as_deref().and_then(|kept| vein::json::parse(kept.get()).ok());
                let files = self.state.served.as_ref().map_or(0, |served| served.marks.files);
                // A tab that was there before this server knows nothing of its numbers.
                let styles = styles.filter(|_| self.before.is_none()).unwrap_or(u64::MAX);
                self.marks = Marks { styles, files, ..Marks::default() };
                self.tell_trouble();
                self.answered_by(host);
            }
            Said::Host(host) => {
                locked(&self.at_once.known).clear();
                if self.stage == Stage::Host {
                    // Whoever answers is another: the page is opened with it.
                    self.marks.code = u64::MAX;
                    self.answered_by(host);
                }
            }
            Said::Held => {
                if self.stage == Stage::Holding {
                    self.stage = Stage::Shown;
                    self.renew();
                }
            }
            Said::Shown(number) => {
                if let Some(report) = self.report.take_if(|report| report.number == number) {
                    let _ = self.site.reports.send(report);
                }
            }
            Said::Event(told) => {
                if let Some(page) = &mut self.page {
                    let pulse = told.delivered(page.session_mut());
                    match page.follow(pulse) {
                        Ok(pulse) => self.happened(&pulse),
                        Err(error) => self.note(error.to_string()),
                    }
                }
            }
            Said::Answer(id, value) => self.answer(id, read(&value)),
            Said::Failed(id, reason) => self.answer(id, Err(reason)),
            Said::End(id) => {
                if let (Some(question), Some(page)) = (self.asked.remove(&id), &mut self.page) {
                    page.session_mut().finish(question);
                }
            }
            Said::Mend(which, token) => self.mend(which, &token),
            Said::Afresh => {
                self.afresh = true;
                self.marks.code = u64::MAX;
                self.catch_up();
            }
            // They are for who is waiting for them.
            Said::Now(..) | Said::Cannot(..) => {}
        }
    }

    /// Goes on with a host module, which may open the page by itself.
    fn answered_by(&mut self, host: HostModule) {
        self.host = host.answers;
        let opens = host.opens && self.page.is_none() && !self.closed;
        self.stage = if opens { Stage::Opening } else { Stage::Shown };
        self.catch_up();
    }

    /// Does what the host module wants, and says what came of it.
    fn drive(&mut self, what: Doing, reply: oneshot::Sender<serde_json::Value>) {
        self.at_once.wait_on(reply);
        *locked(&self.to_tab.with_reply) = Some(Vec::new());
        let done = self.driven(what);
        self.ask();
        let mut told = locked(&self.to_tab.with_reply).take().unwrap_or_default();
        told.extend(self.host_told.iter().map(|(_, told)| told.clone()));
        // It is gone, where the tab is.
        let Some(reply) = locked(&self.at_once.waits).take() else { return };
        let _ = reply.send(match done {
            Ok(value) => json!({ "value": value, "told": told }),
            Err(error) => json!({ "error": error.to_string(), "told": told }),
        });
    }

    fn driven(&mut self, what: Doing) -> Result<serde_json::Value> {
        if let Doing::Open(props) = &what {
            if self.stage == Stage::Opening {
                self.own_props = read(props).map_err(anyhow::Error::msg)?;
                self.stage = Stage::Shown;
                self.catch_up();
                // What the host has given does not fit: it is told, and may open it with something else.
                if let Some(failed) = self.failed.clone().filter(|_| self.page.is_none()) {
                    anyhow::bail!("{}", failed.lines().nth(1).unwrap_or(&failed).trim());
                }
            }
            return Ok(json!(null));
        }
        let page = self.page.as_mut().context("the page is closed")?;
        let pulse = match what {
            Doing::Set(path, value) => {
                let value = read(&value).map_err(anyhow::Error::msg)?;
                page.session_mut().set(&path, value)?
            }
            Doing::Call(handler, args) => {
                let args = match read(&args).map_err(anyhow::Error::msg)? {
                    Value::List(args) => args.to_vec(),
                    _ => Vec::new(),
                };
                page.session_mut().call(&handler, args)?
            }
            Doing::Get(path) => return Ok(json_of(&page.session_mut().get(&path)?)),
            Doing::Watch(path) => {
                let value = page.session_mut().get(&path)?;
                let id = self.at_once.next.fetch_add(1, Ordering::Relaxed);
                let now = json_of(&value);
                self.watched.insert(id, (path, value));
                return Ok(json!([id, now]));
            }
            Doing::Unwatch(id) => {
                self.watched.remove(&id);
                return Ok(json!(null));
            }
            Doing::On(event) => {
                let runtime = page.session_mut().runtime();
                let known: Vec<&str> =
                    runtime.plan().events.iter().map(|event| &*event.name).collect();
                if !known.contains(&event.as_str()) {
                    let known = known.into_iter().map(str::to_owned).collect();
                    return Err(vein::Error::UnknownEvent { name: event, known }.into());
                }
                self.events.insert(event);
                return Ok(json!(null));
            }
            Doing::Close => {
                let page = self.page.take().context("the page is closed")?;
                self.closed = true;
                self.watched.clear();
                let pulse = page.close()?;
                self.happened(&pulse);
                return Ok(json!({}));
            }
            Doing::Open(_) | Doing::Now(..) | Doing::Cannot(..) => return Ok(json!(null)),
        };
        let pulse = page.follow(pulse)?;
        let fault = pulse.pulse.fault.clone();
        self.happened(&pulse);
        fault.map_or(Ok(json!(null)), |fault| Err(fault.into()))
    }

    /// Tells the host module of what it wants to know of.
    fn tell_host(&mut self, pulse: &Pulse) {
        let mut told = Vec::new();
        for given in pulse.pulse.given.iter().filter(|given| self.events.contains(&*given.name)) {
            let payload = json_of(&Value::record(given.payload.iter().cloned()));
            told.push(("given", json!(&*given.name), payload));
        }
        if let Some(page) = &mut self.page {
            for (id, (path, before)) in &mut self.watched {
                let now = page.session_mut().get(path).unwrap_or_default();
                if !now.same(before) {
                    told.push(("watched", json!(id), json_of(&now)));
                    *before = now;
                }
            }
        }
        for (kind, of, what) in told {
            self.host_number += 1;
            let told = json!({ kind: [of, what, self.host_number] });
            if locked(&self.to_tab.with_reply).is_none() {
                self.to_tab.tell(&told);
            }
            self.host_told.push_back((self.host_number, told));
        }
        let more = self.host_told.len().saturating_sub(MOST_TOLD);
        self.host_told.drain(..more);
    }

    /// The data that the page is opened with.
    fn data(&self, served: &Served) -> Value {
        match (&served.props, &self.own_props) {
            (Value::Record(data), Value::Record(own)) => {
                let data = data.iter().filter(|(name, _)| own.get(name).is_none());
                let all = data.chain(own.iter());
                Value::record(all.map(|(name, value)| (name.clone(), value.clone())))
            }
            (data, Value::Null) => data.clone(),
            (_, own) => own.clone(),
        }
    }

    fn answer(&mut self, id: u64, answer: Result<Value, String>) {
        let (Some(question), Some(page)) = (self.asked.get(&id).copied(), &mut self.page) else {
            return;
        };
        match page.answered(question, answer) {
            Ok(Some(pulse)) => self.happened(&pulse),
            Ok(None) => {}
            Err(error) => self.note(error.to_string()),
        }
    }

    /// Has the mistake mended that somebody clicked on, if it was a page of this server.
    fn mend(&mut self, which: usize, token: &str) {
        let fix = self.state.trouble.get(which).and_then(|trouble| trouble.fix.as_ref());
        if let Some(fix) = fix.filter(|_| token == self.site.token)
            && let Err(error) = fix.write()
        {
            self.note(format!("error: {}", output::told(&error)));
        }
    }

    /// Goes on with what is served now.
    fn follow(&mut self, state: Arc<State>) {
        let failed = state.trouble.is_empty() && self.failed.take().is_some();
        let troubled = failed || state.trouble != self.state.trouble;
        self.state = state;
        if self.stage == Stage::Coming {
            return;
        }
        if troubled {
            self.tell_trouble();
        }
        if self.state.trouble.is_empty() {
            let number = self.state.number;
            self.report = Some(Report { number, kept: 0, lost: Vec::new(), failed: None });
            self.catch_up();
        }
    }

    /// Has the tab show what it does not yet.
    fn catch_up(&mut self) {
        let Some(served) = self.state.served.clone() else { return };
        if self.stage != Stage::Shown || self.closed {
            return;
        }
        let (shown, now) = (self.marks, served.marks);
        if shown.styles != now.styles {
            self.to_tab.tell(&json!({ "styles": pages::sheet(&served) }));
        }
        if shown.files != now.files {
            self.to_tab.tell(&json!({ "files": now.files }));
        }
        self.marks = Marks { code: shown.code, data: shown.data, ..now };
        let host = host_address(&served);
        if self.host_address != host {
            self.stage = Stage::Host;
            self.to_tab.tell(&json!({ "host": host }));
            self.host_address = host;
            return;
        }
        if self.page.is_none() {
            self.open(&served);
        } else if shown.code != now.code {
            self.stage = Stage::Holding;
            self.to_tab.tell(&json!({ "hold": true }));
        } else {
            self.take_data(&served);
            self.shown();
        }
    }

    /// Whoever answers on this page, and how it is proven.
    fn opening(&self, served: &Served) -> Result<Opening, vein::Error> {
        let mut answers = served.answers.clone();
        answers.functions.retain(|name, _| !self.host.contains(name));
        let mut opening = simulated::answered(served.ui.page(&served.component), &answers)?;
        for name in &self.host {
            let (at_once, name) = (self.at_once.clone(), name.clone());
            opening = opening.answer_values(&name.clone(), move |args| at_once.ask(&name, args));
        }
        Ok(opening.proven(self.site.ledger != Ledger::Off))
    }

    /// Opens the page for the first time, perhaps with what it held before this server.
    fn open(&mut self, served: &Arc<Served>) {
        let (before, data) = (self.before.take(), self.data(served));
        let afresh = |why: Option<vein::Error>| {
            let page = self.opening(served)?.open_value(data.clone())?;
            Ok((page, why.map(|why| format!("nothing: {why}")).into_iter().collect()))
        };
        let opened = match &before {
            Some(held) => {
                let opening = self.opening(served);
                match opening.and_then(|opening| opening.open_with(data.clone(), held)) {
                    Ok((page, lost)) => Ok((page, lost.iter().map(ToString::to_string).collect())),
                    Err(why) => afresh(Some(why)),
                }
            }
            None => afresh(None),
        };
        let opened: Result<(Page, Vec<String>), vein::Error> = opened;
        match opened {
            Ok((mut page, lost)) => {
                page.record(self.site.ledger != Ledger::Off);
                let told = if before.is_some() { "again" } else { "first" };
                self.to_tab.tell(&json!({ told: { "title": served.title } }));
                self.to_tab.patches(page.opening());
                self.clock = Instant::now();
                let opening = page.opening().clone();
                self.page = Some(page);
                self.take_over(served);
                self.marks.data = served.marks.data;
                lost.iter().for_each(|lost| self.note(format!("not kept: {lost}")));
                self.happened_quietly(&opening);
                self.shown();
            }
            Err(error) => self.cannot(&served.component, served.misfit(error)),
        }
    }

    /// Opens the page in the place of the one before.
    fn renew(&mut self) {
        let Some(served) = self.state.served.clone() else { return };
        let (opening, data) = (self.opening(&served), self.data(&served));
        let Some(page) = &mut self.page else { return };
        let afresh = std::mem::take(&mut self.afresh);
        let renewed = opening.and_then(|opening| match afresh {
            true => page.begin_anew(opening, data.clone()),
            false => page.renew(opening, data.clone()),
        });
        match renewed {
            Ok(renewed) => {
                page.record(self.site.ledger != Ledger::Off);
                if afresh {
                    self.props = data;
                }
                let mates: Vec<i64> =
                    renewed.mates.nodes.iter().map(|at| at.map_or(-1, i64::from)).collect();
                let held = renewed.mates.held.iter();
                let held: Vec<_> =
                    held.map(|(at, property)| json!([at, property.name()])).collect();
                let told = json!({ "renew": {
                    "mates": runs(&mates), "others": renewed.mates.others, "held": held, "title": served.title,
                } });
                self.to_tab.tell(&told);
                self.to_tab.patches(page.opening());
                let opening = page.opening().clone();
                if let Some(report) = &mut self.report {
                    report.kept = renewed.kept;
                    report.lost = renewed.lost.iter().map(ToString::to_string).collect();
                }
                self.take_over(&served);
                for lost in &renewed.lost {
                    self.note(format!("not kept: {lost}"));
                }
                self.happened_quietly(&opening);
                // Whatever else has been saved meanwhile.
                self.catch_up();
            }
            Err(error) => {
                self.to_tab.tell(&json!({ "release": true }));
                self.marks.code = served.marks.code;
                self.cannot(&served.component, served.misfit(error));
            }
        }
    }

    /// Notes that the page is what is served.
    fn take_over(&mut self, served: &Served) {
        if self.page.is_some() && self.props.is_null() {
            self.props = self.data(served);
        }
        self.marks.code = served.marks.code;
        // What is still so is noted again.
        if !std::mem::take(&mut self.notes).is_empty() {
            self.to_tab.tell(&json!({ "notes": self.notes }));
        }
        if self.failed.take().is_some() {
            self.tell_trouble();
        }
        let missing = served.functions().into_iter().filter(|(name, _)| {
            !self.host.contains(name) && !served.answers.functions.contains_key(name)
        });
        let missing: Vec<String> =
            missing.map(|(_, declared)| project::unanswered(&declared)).collect();
        missing.into_iter().for_each(|missing| self.note(missing));
        served.warnings.iter().for_each(|warning| self.note(warning.clone()));
        self.stale = true;
    }

    /// What is wrong with the page itself is shown as what is wrong with the files.
    fn cannot(&mut self, component: &str, error: anyhow::Error) {
        let error = error.context(format!("`{component}` cannot be shown"));
        let told = format!("error: {}", output::told(&error));
        if let Some(report) = &mut self.report {
            report.failed = Some(told.clone());
        } else {
            eprintln!("{told}");
        }
        self.failed = Some(told);
        self.tell_trouble();
        self.shown();
    }

    /// New data is written as a host writes it.
    fn take_data(&mut self, served: &Served) {
        self.marks.data = served.marks.data;
        let data = self.data(served);
        let Value::Record(now) = &data else { return };
        let fields: Vec<(String, Value)> = now
            .iter()
            .filter(|(name, value)| match &self.props {
                Value::Record(before) => before.get(name).is_none_or(|was| !was.same(value)),
                _ => true,
            })
            .map(|(name, value)| (name.to_string(), value.clone()))
            .collect();
        self.props = data;
        for (name, value) in fields {
            let Some(page) = &mut self.page else { return };
            let pulse = page.session_mut().set(&name, value).map_err(vein::Error::from);
            match pulse.and_then(|pulse| page.follow(pulse)) {
                Ok(pulse) => self.happened(&pulse),
                Err(error) => return self.cannot(&served.component, served.misfit(error)),
            }
        }
    }

    /// Asks the tab to say when it shows what it was told.
    fn shown(&mut self) {
        if let Some(report) = &self.report {
            self.to_tab.tell(&json!({ "show": report.number }));
        }
    }

    /// Tells the tab what keeps it from showing what stands in the files.
    fn tell_trouble(&self) {
        let own =
            self.failed.iter().map(|text| json!({ "text": text, "afresh": self.page.is_some() }));
        let trouble = self.state.trouble.iter().map(|trouble| {
            let Trouble { text, fix } = trouble;
            json!({ "text": text, "fix": fix.as_ref().map(|fix| &fix.title) })
        });
        let all: Vec<_> = trouble.chain(own).collect();
        self.to_tab.tell(&json!({ "trouble": all }));
    }

    /// Tells the tab of something that should be known and keeps it from nothing.
    fn note(&mut self, text: String) {
        match self.notes.iter_mut().find(|(known, _)| *known == text) {
            Some((_, times)) => *times += 1,
            None => self.notes.push((text, 1)),
        }
        if self.notes.len() > MOST_NOTES {
            self.notes.remove(0);
        }
        self.to_tab.tell(&json!({ "notes": self.notes }));
    }

    /// Passes on what a pulse did.
    fn happened(&mut self, pulse: &Pulse) {
        self.to_tab.patches(pulse);
        self.happened_quietly(pulse);
        tell(self.site.ledger, pulse);
    }

    fn happened_quietly(&mut self, pulse: &Pulse) {
        self.stale = true;
        self.tell_host(pulse);
        if let Some(fault) = &pulse.pulse.fault {
            self.note(format!("{}: {fault}; everything was taken back", pulse.pulse.cause));
        }
        for problem in &pulse.pulse.problems {
            let by_hand = matches!(pulse.pulse.cause, Cause::Event { .. } | Cause::Settled { .. });
            // What somebody is typing need not mean anything yet.
            if !(by_hand && matches!(problem, Problem::NoValue { .. })) {
                self.note(format!("warning: {problem}"));
            }
        }
    }

    /// Hands the tab's host what it was not asked yet, and lets go of what nobody waits for.
    fn ask(&mut self) {
        let open = self.page.as_ref().map_or(&[][..], Page::questions);
        let gone: Vec<u64> = self
            .asked
            .iter()
            .filter(|(_, question)| !open.iter().any(|one| one.id == **question))
            .map(|(id, _)| *id)
            .collect();
        for id in gone {
            self.asked.remove(&id);
            self.to_tab.tell(&json!({ "drop": id }));
        }
        for question in open.iter().filter(|one| self.host.contains(&*one.function)) {
            if self.asked.values().any(|known| *known == question.id) {
                continue;
            }
            let id = self.at_once.next.fetch_add(1, Ordering::Relaxed);
            self.asked.insert(id, question.id);
            let args = raw(&vein::json::stringify(&Value::list(question.args.clone())).to_string());
            let how = if question.streams { "again" } else { "later" };
            self.to_tab.tell(&json!({ "ask": [id, &*question.function, args, how] }));
        }
    }

    /// Hands the tab what its page holds, for a server that knows nothing of it.
    fn keep(&mut self) {
        let Some(page) = self.page.as_mut().filter(|_| self.stale) else { return };
        if self.kept_len > LITTLE && self.kept_at.elapsed() < KEPT_EVERY {
            return;
        }
        let held = vein::json::stringify(&page.held()).to_string();
        (self.kept_len, self.kept_at, self.stale) = (held.len(), Instant::now(), false);
        let _ = self.to_tab.link.send(Out::Text(format!("{{\"kept\":{held}}}")));
    }
}

/// Where a tab finds the host module.
fn host_address(served: &Served) -> Option<String> {
    let (first, _) = served.host.first()?;
    Some(format!("/assets/host-{}/{}", served.marks.host, first.display()))
}

/// Numbers that count up by one, as where they begin and how many there are; -1 for none, too.
fn runs(numbers: &[i64]) -> Vec<[i64; 2]> {
    let mut runs: Vec<[i64; 2]> = Vec::new();
    for number in numbers {
        match runs.last_mut() {
            Some([first, count]) if *number == -1 && *first == -1 => *count += 1,
            Some([first, count]) if *first != -1 && *number == *first + *count => *count += 1,
            _ => runs.push([*number, 1]),
        }
    }
    runs
}

/// Moves a page's clock on to now, and runs what has become due.
fn moved_on(page: &mut Page, clock: &mut Instant) -> Vec<Pulse> {
    let elapsed = clock.elapsed();
    *clock += elapsed;
    page.advance(elapsed.as_secs_f64() * 1000.0).unwrap_or_else(|error| {
        eprintln!("{error}");
        Vec::new()
    })
}

fn duration(milliseconds: f64) -> Duration {
    Duration::from_secs_f64((milliseconds.max(0.0) / 1000.0).min(86_400.0))
}

async fn until(due: Option<Instant>) {
    match due {
        Some(due) => tokio::time::sleep_until(due).await,
        None => std::future::pending().await,
    }
}

fn tell(ledger: Ledger, pulse: &Pulse) {
    match ledger {
        Ledger::Off => {
            if let Some(fault) = &pulse.pulse.fault {
                eprintln!("{}: {fault}; everything was taken back", pulse.pulse.cause);
            }
        }
        // The page goes on, whether anybody reads the ledger or not.
        Ledger::Text => {
            let _ = output::try_line(format!("\n{}", output::ledger(pulse)));
        }
        Ledger::Json => {
            let _ = output::try_line(pulse.json());
        }
    }
}
