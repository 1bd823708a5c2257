//! The page of one tab, on a thread of its own: it follows what is served, asks the tab's host, and tells the tab what to show.

mod host;
mod looked;
mod noted;
mod past;
mod recording;
mod state;

use super::asked::Looked;
use super::follow::Report;
use super::line::{Answered, AtOnce, Heard, ToTab, message, raw, read, words};
use super::message::Said;
use super::reading::{Marks, Served, Trouble};
use super::turns::Used;
use super::{Ledger, Site, State, locked, pages};
use crate::output::{self, beside};
use crate::project;
use crate::simulated;
use anyhow::Result;
use host::Host;
use noted::Watch;
use serde_json::json;
use std::future::poll_fn;
use std::hash::{BuildHasher, RandomState};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::mpsc::Receiver;
use std::task::Poll;
use std::time::Duration;
use tokio::sync::mpsc::UnboundedReceiver;
use tokio::sync::watch;
use tokio::time::Instant;
use vein::{Cause, Mates, Page, PageBuilder, Problem, Pulse, Value};

/// What a page holds is handed to its tab so often at most, where that is much.
const KEPT_EVERY: Duration = Duration::from_millis(250);
/// So much is handed with every pulse.
const LITTLE: usize = 16 << 10;
/// What is due is run for so long before anything else is listened to.
const BUSY: Duration = Duration::from_millis(50);
/// So many notes are shown at once.
const MOST_NOTES: usize = 50;

/// What the next tab is called.
static NUMBER: AtomicU64 = AtomicU64::new(1);

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
    /// With which data the page is.
    props: Value,
    /// How much the tab has said, and what waits for more of that.
    heard: u64,
    waiting: Vec<Heard>,
    closed: bool,
    number: u64,
    host: Host,
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
    /// What is noted while a workbench looks at it.
    watch: Option<Box<Watch>>,
    /// What workbenches want to know of a page that is not there yet.
    early: Vec<Looked>,
    /// The page as it was after one of its pulses, while that is shown; the page itself goes on unseen.
    past: Option<(u64, Page)>,
    /// Which of them is to be shown next.
    wanted: Option<u64>,
    /// How much it has worked of late.
    used: Used,
    gone: Arc<AtomicBool>,
}

impl Tab {
    pub(super) fn new(site: Arc<Site>, to_tab: ToTab, answers: Receiver<Answered>) -> Tab {
        let mut now = site.now.clone();
        let state = now.borrow_and_update().clone();
        let at_once = Arc::new(AtOnce::new(site.clone(), to_tab.clone(), answers));
        Tab {
            site,
            to_tab,
            at_once,
            now,
            state,
            stage: Stage::Coming,
            page: None,
            marks: Marks::default(),
            props: Value::Null,
            heard: 0,
            waiting: Vec::new(),
            closed: false,
            number: NUMBER.fetch_add(1, Ordering::Relaxed),
            host: Host::default(),
            before: None,
            afresh: false,
            failed: None,
            notes: Vec::new(),
            report: None,
            clock: Instant::now(),
            kept_at: Instant::now(),
            kept_len: 0,
            stale: false,
            watch: None,
            early: Vec::new(),
            past: None,
            wanted: None,
            used: Used::default(),
            gone: Arc::default(),
        }
    }

    /// What it is called.
    pub(super) fn number(&self) -> u64 {
        self.number
    }

    /// Whether the tab is there no more.
    pub(super) fn gone(&self) -> Arc<AtomicBool> {
        self.gone.clone()
    }

    pub(super) fn at_once(&self) -> Arc<AtOnce> {
        self.at_once.clone()
    }

    /// What its page shows, where that is what the tab shows, too.
    pub(super) fn shown_page(&self) -> Option<String> {
        let page = self.page.as_ref().filter(|_| self.past.is_none());
        page.map(Page::html)
    }

    /// Works until the tab is gone.
    pub(super) fn run(mut self, said: UnboundedReceiver<Heard>) {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_time().build();
        let done = runtime.map_err(anyhow::Error::from).and_then(|runtime| {
            self.begin();
            runtime.block_on(self.work(said))
        });
        if let Err(error) = done {
            beside::error(format!("a tab was let go: {error}"));
        }
    }

    fn begin(&mut self) {
        self.host.address = self.state.served.as_deref().and_then(Host::address_of);
        self.to_tab.tell("begin", json!({ "host": self.host.address, "tab": self.number }));
    }

    async fn work(&mut self, mut said: UnboundedReceiver<Heard>) -> Result<()> {
        while !self.gone.load(Ordering::Relaxed) {
            let mut pulses = Vec::new();
            let due = self.page.as_ref().and_then(Page::next_due);
            let due = due.map(|milliseconds| self.clock + duration(milliseconds));
            let kept = self.stale.then(|| self.kept_at + KEPT_EVERY);
            let told = self.watch.as_ref().and_then(|watch| watch.due());
            let next = [due, kept, told].into_iter().flatten().min();
            let whole = self.records();
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
                    pulses.extend(moved_on(page, clock, whole));
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
            let (site, mut used) = (self.site.clone(), std::mem::take(&mut self.used));
            site.turns.take(&mut used, || self.go_on_with(heard, pulses, whole));
            self.used = used;
        }
        Ok(())
    }

    /// Goes on with what has come meanwhile.
    pub(super) fn go_on_with(&mut self, heard: Option<Heard>, pulses: Vec<Pulse>, whole: bool) {
        let mut pulses = pulses;
        if let Some(page) = &mut self.page {
            pulses.extend(moved_on(page, &mut self.clock, whole));
        }
        pulses.into_iter().for_each(|pulse| self.happened(&pulse));
        match heard {
            Some(Heard::Said(said, room)) => {
                self.heard += 1;
                self.hear(said);
                // More may be said by now.
                drop(room);
            }
            Some(Heard::Looked(looked)) => self.looked(looked),
            Some(Heard::LookedOn(who, id)) => {
                if let Some(watch) = &mut self.watch {
                    watch.got(who, id);
                }
            }
            Some(Heard::LookedEnough(who, id)) => self.enough(who, Some(id)),
            Some(Heard::LookedAway(who)) => self.enough(who, None),
            Some(asked) => self.waiting.push(asked),
            None => {}
        }
        if self.page.is_some() {
            std::mem::take(&mut self.early).into_iter().for_each(|looked| self.looked(looked));
        }
        self.drive_on();
        self.ask();
        self.keep();
        self.tell_benches();
    }

    /// Does what the host module wants, once all has come that the tab had said before.
    fn drive_on(&mut self) {
        let comes = |one: &Heard| matches!(one, Heard::Asked { after, .. } if *after <= self.heard);
        let (now, later) = std::mem::take(&mut self.waiting).into_iter().partition(comes);
        self.waiting = later;
        let now: Vec<Heard> = now;
        for asked in now {
            if let Heard::Asked { heard, what, reply, .. } = asked {
                self.drive(what, heard, reply);
            }
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
                self.at_once.forget();
                if self.stage == Stage::Host {
                    // Whoever answers is another: the page is opened with it.
                    self.marks.code = u64::MAX;
                    self.answered_by(host);
                }
            }
            Said::Held => {
                if self.stage == Stage::Holding {
                    self.stage = Stage::Shown;
                    if !self.went() {
                        self.renew();
                    }
                }
            }
            Said::Shown(number) => {
                if let Some(report) = self.report.take_if(|report| report.number == number) {
                    let _ = self.site.reports.send(report);
                }
            }
            Said::Event(told) => {
                self.go_on();
                if let Some(page) = &mut self.page {
                    // It is shown before it is known whether it was exact.
                    page.session_mut().judge_later(true);
                    let pulse = told.delivered(page.session_mut());
                    page.session_mut().judge_later(false);
                    match page.follow(pulse) {
                        Ok(mut pulse) => {
                            self.to_tab.patches(&pulse);
                            page.session_mut().judge(&mut pulse);
                            self.followed(&pulse);
                        }
                        Err(error) => self.note(error.to_string()),
                    }
                }
            }
            Said::Answer(id, value) => self.answer(id, read(&value)),
            Said::Failed(id, reason) => self.answer(id, Err(words(&reason))),
            Said::End(id) => self.end(id),
            Said::Mend(which, token) => self.mend(which, &token),
            Said::Afresh => {
                self.afresh = true;
                self.marks.code = u64::MAX;
                self.catch_up();
            }
            Said::Did(did) => {
                if let (Some(watch), Some(page)) = (&mut self.watch, &self.page) {
                    watch.recorded.did(page, &did);
                    watch.stale = true;
                }
            }
            Said::Pointed(place, chosen) => self.pointed(&place, chosen),
            // They are for who is waiting for them.
            Said::Now(..) | Said::Cannot(..) => {}
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
            self.to_tab.tell("styles", pages::sheet(&served));
        }
        if shown.files != now.files {
            self.to_tab.tell("files", now.files);
        }
        self.marks = Marks { code: shown.code, data: shown.data, ..now };
        let host = Host::address_of(&served);
        if self.host.address != host {
            self.stage = Stage::Host;
            self.to_tab.tell("host", &host);
            self.host.address = host;
            return;
        }
        if self.page.is_none() {
            self.open(&served);
        } else if shown.code != now.code {
            self.stage = Stage::Holding;
            self.to_tab.tell("hold", true);
        } else {
            self.take_data(&served);
            self.shown();
        }
    }

    /// Whoever answers on this page, and how it is proven.
    fn opening(&self, served: &Served) -> Result<PageBuilder, vein::Error> {
        let mut answers = served.answers.clone();
        answers.functions.retain(|name, _| !self.host.answers.contains(name));
        let mut opening = simulated::answered(served.ui.page(&served.component), &answers)?;
        let log = self.watch.as_ref().filter(|watch| watch.recorded.is_on());
        let log = log.map(|watch| watch.recorded.at_once.clone());
        for name in &self.host.answers {
            let (at_once, name, log) = (self.at_once.clone(), name.clone(), log.clone());
            opening = opening.answer_values(&name.clone(), move |args| {
                let answer = at_once.ask(&name, args);
                if let Some(log) = &log {
                    locked(log).push((name.clone(), args.to_vec(), answer.clone()));
                }
                answer
            });
        }
        let seed = RandomState::new().hash_one(0) as u32;
        Ok(opening.seed(seed).proven(false))
    }

    /// Opens the page for the first time, perhaps with what it held before this server.
    fn open(&mut self, served: &Arc<Served>) {
        let (before, data) = (self.before.take(), self.host.data(served));
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
                let on = self.site.ledger != Ledger::Off;
                page.prove(on);
                page.record(on);
                let told = if before.is_some() { "again" } else { "first" };
                self.to_tab.tell(told, json!({ "title": served.title }));
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
        let (opening, data) = (self.opening(&served), self.host.data(&served));
        let Some(page) = &mut self.page else { return };
        let afresh = std::mem::take(&mut self.afresh);
        let same = self.marks.code == served.marks.code && !afresh;
        let renewed = opening.and_then(|opening| match afresh {
            true => page.begin_anew(opening, data.clone()),
            false => page.renew(opening, data.clone()),
        });
        match renewed {
            Ok(renewed) => {
                // What is shown is perhaps the page as it was.
                let past = self.past.take();
                let mates = past.map(|(_, mut shown)| page.mates(&mut shown));
                let on = self.site.ledger != Ledger::Off;
                let (mut proves, mut records) = (on, on);
                if let Some(watch) = &mut self.watch {
                    (proves, records) = (on || watch.proves(page), true);
                    if !same {
                        watch.recorded.renewed();
                        watch.renewed(page);
                    }
                    if afresh {
                        watch.recorded.begun(page, &served.component);
                    }
                }
                page.prove(proves);
                page.record(records);
                if afresh {
                    self.props = data;
                }
                let opening = page.opening().clone();
                self.tell_renewed(mates.as_ref().unwrap_or(&renewed.mates), &served.title);
                self.to_tab.patches(&opening);
                self.tell_past();
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
                self.to_tab.tell("release", true);
                self.marks.code = served.marks.code;
                self.cannot(&served.component, served.misfit(error));
            }
        }
    }

    /// Says which nodes of the view that is shown stay in the one that comes next.
    fn tell_renewed(&self, mates: &Mates, title: &str) {
        let nodes: Vec<i64> = mates.nodes.iter().map(|at| at.map_or(-1, i64::from)).collect();
        let held = mates.held.iter();
        let held: Vec<_> = held.map(|(at, property)| json!([at, property.name()])).collect();
        let told =
            json!({ "mates": runs(&nodes), "others": mates.others, "held": held, "title": title });
        self.to_tab.tell("renew", told);
    }

    /// Whether what is done is recorded: then time goes by in whole milliseconds.
    fn records(&self) -> bool {
        self.watch.as_ref().is_some_and(|watch| watch.recorded.is_on())
    }

    /// Notes that the page is what is served.
    fn take_over(&mut self, served: &Served) {
        if self.page.is_some() && self.props.is_null() {
            self.props = self.host.data(served);
        }
        self.marks.code = served.marks.code;
        // What is still so is noted again.
        if !std::mem::take(&mut self.notes).is_empty() {
            self.to_tab.tell("notes", &self.notes);
        }
        if self.failed.take().is_some() {
            self.tell_trouble();
        }
        let missing = served.functions().into_iter().filter(|(name, _)| {
            !self.host.answers.contains(name) && !served.answers.functions.contains_key(name)
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
            beside::error(told.to_string());
        }
        self.failed = Some(told);
        self.tell_trouble();
        self.shown();
    }

    /// New data is written as a host writes it.
    fn take_data(&mut self, served: &Served) {
        self.marks.data = served.marks.data;
        let data = self.host.data(served);
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
            if let Some(watch) = &mut self.watch {
                watch.recorded.set(page, &name, &value);
            }
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
            self.to_tab.tell("show", report.number);
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
        self.to_tab.tell("trouble", all);
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
        self.to_tab.tell("notes", &self.notes);
    }

    /// Passes on what a pulse did.
    fn happened(&mut self, pulse: &Pulse) {
        if self.past.is_none() {
            self.to_tab.patches(pulse);
        }
        self.followed(pulse);
    }

    /// Goes on with what a pulse did, which is shown already.
    fn followed(&mut self, pulse: &Pulse) {
        self.happened_quietly(pulse);
        if let (Some(watch), Some(page)) = (&mut self.watch, &mut self.page) {
            watch.note(page, pulse);
            watch.recorded.note(page, pulse);
        }
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
            match problem {
                Problem::NoValue { .. } if by_hand => {}
                // It says how many in each pulse; that it happens is told once.
                Problem::Missed { timer, .. } => self.note(format!(
                    "warning: {timer}: periods are missed, since pulses take longer; the ledger says how many"
                )),
                problem => self.note(format!("warning: {problem}")),
            }
        }
    }

    /// Hands the tab what its page holds, for a server that knows nothing of it.
    fn keep(&mut self) {
        let Some(page) = self.page.as_mut().filter(|_| self.stale) else { return };
        if self.kept_len > LITTLE && self.kept_at.elapsed() < KEPT_EVERY {
            return;
        }
        let held = raw(&page.held());
        (self.kept_len, self.kept_at, self.stale) = (held.get().len(), Instant::now(), false);
        self.to_tab.tell_now(&message("kept", held));
    }
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

/// Moves a page's clock on to now, and runs what has become due, as far as that takes no longer than a while. `clock` is when the page's
/// clock showed what it shows.
fn moved_on(page: &mut Page, clock: &mut Instant, whole: bool) -> Vec<Pulse> {
    let begun = Instant::now();
    let elapsed = begun.duration_since(*clock);
    let elapsed = match whole {
        true => Duration::from_millis(elapsed.as_millis() as u64),
        false => elapsed,
    };
    let (before, milliseconds) = (page.now(), elapsed.as_secs_f64() * 1000.0);
    // What is recorded goes by its own clock.
    if !whole {
        page.set_date(simulated::date() - milliseconds);
    }
    let pulses = page.advance_while(milliseconds, || begun.elapsed() < BUSY);
    // Where it did not come so far, it goes on from there.
    let came = page.now() - before;
    *clock += if came < milliseconds { duration(came) } else { elapsed };
    pulses.unwrap_or_else(|error| {
        beside::error(error.to_string());
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
                beside::error(format!("{}: {fault}; everything was taken back", pulse.pulse.cause));
            }
        }
        // The page goes on, whether anybody reads the ledger or not.
        Ledger::Text => {
            beside::line(format!("\n{}", output::ledger(pulse)));
        }
        Ledger::Json => {
            beside::line(pulse.json().to_string());
        }
    }
}
