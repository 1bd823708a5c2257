//! What is noted of a page while a workbench looks at it: pulses, what the page held after each, what was seen.

use super::recording::Recorded;
use crate::serve::asked::{Looked, Query, answer};
use serde_json::{Value as Json, json};
use std::collections::VecDeque;
use std::sync::{Arc, OnceLock};
use std::time::Duration;
use tokio::sync::mpsc::UnboundedSender;
use tokio::time::Instant;
use vein::{Cause, Coverage, History, Page, Pulse, ReachMap};

/// A workbench is told at most so often.
pub(super) const TOLD_EVERY: Duration = Duration::from_millis(40);
/// What takes long to find out, at most so often.
const SELDOM: Duration = Duration::from_millis(400);
/// So many bytes what the page held may take, and so many what its pulses did.
const MOST_HELD: usize = 40 << 20;
const MOST_SAID: usize = 20 << 20;
/// A view of so many nodes is small enough to be proven with every pulse.
const SMALL: usize = 4_000;
/// Of one pulse, so many effects are kept.
const MOST_EFFECTS: usize = 2_000;

/// Something that a workbench wants to know again and again.
pub(super) struct Follower {
    who: u64,
    id: u64,
    pub(super) query: Query,
    to: UnboundedSender<String>,
    sent: Option<Result<Json, String>>,
    /// Whether it has still to say that it has what it was told.
    waits: bool,
    /// Whether it was left out meanwhile.
    left_out: bool,
    told: Option<Instant>,
}

/// A pulse as the ledger tells it.
pub(super) struct Line {
    /// After which of the moments of the history that was.
    pub(super) number: u64,
    pub(super) cause: String,
    pub(super) verdict: String,
    pub(super) wrong: bool,
    /// How many parts have changed.
    pub(super) parts: usize,
    /// What kind, where, what and why.
    pub(super) effects: Vec<[String; 4]>,
    /// What is looked through.
    text: String,
}

impl Line {
    fn of(number: u64, pulse: &Pulse) -> Line {
        let mut effects = pulse.lines();
        let more = effects.len().saturating_sub(MOST_EFFECTS);
        effects.truncate(MOST_EFFECTS);
        if more > 0 {
            let said = format!("and {more} more");
            effects.push(["view".into(), said, String::new(), String::new()]);
        }
        let (verdict, wrong) = match (&pulse.pulse.fault, &pulse.verdict) {
            (Some(fault), _) => (format!("taken back: {fault}"), true),
            (None, None) => (String::new(), false),
            (None, Some(verdict)) if verdict.is_exact() => ("exact".to_owned(), false),
            (None, Some(verdict)) => (verdict.problems().join("; "), true),
        };
        let cause = pulse.pulse.cause.to_string();
        let mut text = cause.to_lowercase();
        for [_, place, ..] in &effects {
            text.push('\n');
            text.push_str(&place.to_lowercase());
        }
        Line { number, cause, verdict, wrong, parts: pulse.pulse.parts.len(), effects, text }
    }

    fn weight(&self) -> usize {
        let effects = self.effects.iter().flatten().map(|text| text.len() + size_of::<String>());
        size_of::<Line>() + self.cause.len() + self.text.len() + effects.sum::<usize>()
    }

    /// How it stands in the list.
    fn short(&self) -> Json {
        let Line { number, cause, verdict, wrong, parts, .. } = self;
        let cause = shortened(cause);
        json!({ "number": number, "cause": cause, "verdict": verdict, "wrong": wrong, "parts": parts })
    }

    /// All of it.
    pub(super) fn whole(&self) -> Json {
        let effects = self.effects.iter().enumerate().map(|(id, [kind, place, what, why])| {
            json!({ "id": id, "kind": kind, "place": place, "what": what, "why": why })
        });
        let mut whole = self.short();
        whole["cause"] = self.cause.as_str().into();
        whole["effects"] = effects.collect();
        whole
    }
}

/// A cause with the end of its address alone: `click on bed-card[#1] › button.water`.
fn shortened(cause: &str) -> String {
    let mut pieces = cause.rsplitn(3, " › ");
    let (Some(last), Some(around), Some(first)) = (pieces.next(), pieces.next(), pieces.next())
    else {
        return cause.to_owned();
    };
    let said = first.split(" › ").next().unwrap_or(first);
    let said = said.rsplit_once(' ').map_or("", |(said, _)| said);
    format!("{said} {around} › {last}")
}

/// What is noted of a page.
pub(super) struct Watch {
    followers: Vec<Follower>,
    pub(super) history: History,
    pub(super) lines: VecDeque<Line>,
    weight: usize,
    pub(super) coverage: Coverage,
    /// What the project's scenarios have seen, once that is known.
    pub(super) by_scenarios: Option<Arc<OnceLock<Coverage>>>,
    /// What can change what, once somebody has asked.
    pub(super) reach: Option<ReachMap>,
    /// Whether pulses are proven, where somebody has said.
    pub(super) proves: Option<bool>,
    /// Which components stand on the page, until that may be others.
    pub(super) tree: Option<Json>,
    pub(super) recorded: Recorded,
    pub(super) points: bool,
    /// The component under the pointer, and how often one was chosen.
    pub(super) pointed: (String, u64),
    pub(super) stale: bool,
    told: Instant,
}

impl Watch {
    pub(super) fn new(page: &mut Page) -> Watch {
        let coverage = Coverage::of(page.session_mut().runtime().program());
        let mut watch = Watch {
            followers: Vec::new(),
            history: History::new(MOST_HELD),
            lines: VecDeque::new(),
            weight: 0,
            coverage,
            by_scenarios: None,
            reach: None,
            proves: None,
            tree: None,
            recorded: Recorded::default(),
            points: false,
            pointed: (String::new(), 0),
            stale: true,
            told: Instant::now(),
        };
        page.record(true);
        watch.history.note(page);
        watch.coverage.look(page.session_mut());
        watch
    }

    /// Whether pulses of a page are to be proven.
    pub(super) fn proves(&self, page: &Page) -> bool {
        self.proves.unwrap_or_else(|| page.tree().len() <= SMALL)
    }

    /// Another program's page has come in the place of the one before.
    pub(super) fn renewed(&mut self, page: &mut Page) {
        page.record(true);
        self.coverage = Coverage::of(page.session_mut().runtime().program());
        self.coverage.look(page.session_mut());
        (self.by_scenarios, self.reach, self.tree) = (None, None, None);
        self.history.note(page);
        self.stale = true;
    }

    /// Notes what a pulse did.
    pub(super) fn note(&mut self, page: &mut Page, pulse: &Pulse) {
        self.history.note(page);
        self.coverage.note(pulse);
        if pulse.pulse.created > 0 || pulse.pulse.parts.iter().any(|part| !is_value(part)) {
            self.tree = None;
        }
        self.coverage.look(page.session_mut());
        let number = self.history.moments().end - 1;
        let line = Line::of(number, pulse);
        self.weight += line.weight();
        self.lines.push_back(line);
        while self.weight > MOST_SAID && self.lines.len() > 1 {
            self.weight -= self.lines.pop_front().map_or(0, |line| line.weight());
        }
        if matches!(pulse.pulse.cause, Cause::Timer { .. } | Cause::Settled { .. }) {
            self.recorded.happened_by_itself();
        }
        self.stale = true;
    }

    /// Forgets what came after a moment.
    pub(super) fn forget_after(&mut self, moment: u64) {
        self.history.forget_after(moment);
        while self.lines.back().is_some_and(|line| line.number > moment) {
            self.weight -= self.lines.pop_back().map_or(0, |line| line.weight());
        }
        self.stale = true;
    }

    /// The last pulses in which something is found.
    pub(super) fn found(&self, find: &str, most: usize) -> Json {
        let find = find.trim().to_lowercase();
        let matching = || self.lines.iter().rev().filter(|line| line.text.contains(&find));
        let lines: Vec<Json> = matching().take(most).map(Line::short).collect();
        json!({ "lines": lines, "all": matching().count() })
    }

    /// Goes on with a question of a workbench.
    pub(super) fn follow(&mut self, looked: Looked) {
        let Looked { who, id, query, to, .. } = looked;
        let (sent, told) = (None, None);
        let (waits, left_out) = (false, false);
        self.followers.push(Follower { who, id, query, to, sent, waits, left_out, told });
        self.stale = true;
    }

    /// A workbench has what it was told.
    pub(super) fn got(&mut self, who: u64, id: u64) {
        let known = self.followers.iter_mut().find(|one| (one.who, one.id) == (who, id));
        if let Some(follower) = known {
            follower.waits = false;
            self.stale |= std::mem::take(&mut follower.left_out);
        }
    }

    /// Nobody wants to know that any more; of all that a workbench wanted, if none is named. `true` if nobody is left.
    pub(super) fn enough(&mut self, who: u64, id: Option<u64>) -> bool {
        self.followers.retain(|one| one.who != who || id.is_some_and(|id| id != one.id));
        self.followers.is_empty()
    }

    /// When workbenches are told next, if there is something.
    pub(super) fn due(&self) -> Option<Instant> {
        self.stale.then(|| self.told + TOLD_EVERY)
    }

    /// Whose questions are to be answered now.
    pub(super) fn take_due(&mut self) -> Vec<usize> {
        let now = Instant::now();
        if !self.stale || now < self.told + TOLD_EVERY {
            return Vec::new();
        }
        (self.stale, self.told) = (false, now);
        let mut due = Vec::new();
        for (at, follower) in self.followers.iter_mut().enumerate() {
            let seldom = matches!(follower.query, Query::Covered(_));
            let early = follower.told.is_some_and(|told| seldom && now < told + SELDOM);
            // What is left out now is looked at again.
            self.stale |= early && !follower.waits;
            follower.left_out |= follower.waits;
            if !follower.waits && !early {
                due.push(at);
            }
        }
        due
    }

    pub(super) fn query(&self, at: usize) -> Query {
        self.followers[at].query.clone()
    }

    /// Tells a workbench, if it is something else than before.
    pub(super) fn tell(&mut self, at: usize, said: Result<Json, String>) {
        let follower = &mut self.followers[at];
        follower.told = Some(Instant::now());
        if follower.sent.as_ref() != Some(&said) {
            let _ = follower.to.send(answer(follower.id, &said));
            (follower.sent, follower.waits) = (Some(said), true);
        }
    }
}

fn is_value(part: &vein::PartChange) -> bool {
    matches!(part.effect, vein::Effect::Value { .. })
}
