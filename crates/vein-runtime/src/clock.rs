//! What waits for the host's clock and for the host's answers, on behalf of scopes.

use crate::answers::{Dropped, Question};
use crate::execute::{Activity, Turn};
use crate::pulse::{Cause, Problem, Pulse};
use crate::record::element_of;
use crate::runtime::{Resources, Runtime};
use crate::sabotage::Sabotage;
use crate::scope::{Millis, QuestionId, ScopeId, TimerKey};
use crate::unwinding::Failure;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use vein_plan::{Answers, Value, status};

/// Everything that waits.
#[derive(Debug, Default)]
pub(crate) struct Waiting {
    /// The time of the host's clock.
    pub(crate) now: f64,
    /// The time of day when that began, in milliseconds since 1970.
    pub(crate) began: f64,
    pub(crate) timers: BTreeMap<TimerKey, Timer>,
    pub(crate) questions: FxHashMap<QuestionId, Open>,
    next_timer: u64,
    pub(crate) next_question: u64,
}

/// What happens when its time has come.
#[derive(Debug)]
pub(crate) struct Timer {
    pub(crate) scope: ScopeId,
    pub(crate) kind: TimerKind,
}

#[derive(Debug)]
pub(crate) enum TimerKind {
    /// A hook that runs every so many milliseconds, and how many of its periods were left out.
    Every { hook: u32, period: f64, missed: u64 },
    /// An event that waited until nothing more has happened.
    Settled { listener: u32, event: Value, after: u32 },
}

/// A question that is not answered, or answered again and again.
#[derive(Clone, Debug)]
pub(crate) struct Open {
    pub(crate) scope: ScopeId,
    /// Which function of the scope's plan was asked.
    pub(crate) asked: u32,
    pub(crate) streams: bool,
    pub(crate) whose: Whose,
}

#[derive(Clone, Debug)]
pub(crate) enum Whose {
    Source(u32),
    Statements(Activity),
}

impl Waiting {
    pub(crate) fn add(&mut self, due: f64, timer: Timer) -> TimerKey {
        let key = (Millis::new(due), self.next_timer);
        self.next_timer += 1;
        self.timers.insert(key, timer);
        key
    }

    pub(crate) fn count(&self) -> (usize, usize, usize) {
        let streams = self.questions.values().filter(|open| open.streams);
        let streams = streams.count();
        (self.timers.len(), self.questions.len() - streams, streams)
    }
}

impl Runtime {
    /// The time on the host's clock, in milliseconds since the page was opened.
    pub fn now(&self) -> f64 {
        self.waiting.now
    }

    /// The time of day on the page's clock, in milliseconds since 1970: what `Date.now()` gives, but for fractions.
    pub fn date(&self) -> f64 {
        self.waiting.began + self.waiting.now
    }

    /// Sets the time of day; the clock goes on from there.
    pub fn set_date(&mut self, date: f64) {
        self.waiting.began = date - self.waiting.now;
    }

    /// When the next timer or waiting event is due, in milliseconds of the host's clock.
    pub fn next_due(&self) -> Option<f64> {
        self.waiting.timers.keys().next().map(|(due, _)| due.get())
    }

    /// Runs what is due next, up to a time; `None` when nothing more is due until then, and
    /// the clock shows that time. What is due at one time runs in the order in which it was set; a
    /// timer runs once for each of its periods, however far the clock jumps.
    pub fn run_due(&mut self, until: f64) -> Option<Pulse> {
        let waiting = &mut self.waiting;
        let next = waiting.timers.first_key_value().map(|(key, _)| *key);
        let Some(key) = next.filter(|(due, _)| due.get() <= until) else {
            waiting.now = until.max(waiting.now);
            return None;
        };
        let timer = waiting.timers.remove(&key)?;
        waiting.now = key.0.get().max(waiting.now);
        let scope = timer.scope;
        let prepared = self.view.graph.prepared.clone();
        let here = self.view.graph.scope_mut(scope);
        let (plan, block) = (prepared.plan(here.plan), here.block as usize);
        match timer.kind {
            TimerKind::Settled { listener: number, event, after } => {
                if let Some(wards) = &mut here.wards {
                    wards.settling.retain(|(_, settling)| *settling != key);
                }
                let listener = &plan.blocks[block].listeners[number as usize];
                let address = self.view.graph.address(scope, &listener.address);
                let on = element_of(&address).to_owned();
                let node = self.view.graph.scope(scope).first + listener.mark;
                let kind = listener.event.to_string();
                let cause = Cause::Settled { kind, on, node, after };
                Some(self.hear(cause, vec![(scope, number, event)], &[]))
            }
            TimerKind::Every { hook, period, missed } => {
                let kind = TimerKind::Every { hook, period, missed: 0 };
                let again = self.waiting.add(key.0.get() + period, Timer { scope, kind });
                let stale = self.view.graph.is_broken(Sabotage::StaleTimers);
                let wards = &mut self.view.graph.scope_mut(scope).wards;
                if let Some(wards) = wards.as_mut().filter(|_| !stale) {
                    wards.timers[hook as usize] = Some((again, period));
                }
                let address = &plan.hooks[hook as usize].address;
                let timer = self.view.graph.address(scope, address);
                let cause = Cause::Timer { on: timer.clone() };
                let owner = crate::execute::Owner::Hook(hook);
                let mut pulse = self.pulse(cause, &mut |run, _| run.run(scope, owner, Vec::new()));
                if missed > 0 {
                    pulse.problems.push(Problem::Missed { timer, periods: missed });
                }
                Some(pulse)
            }
        }
    }

    /// Leaves out the periods of timers that have gone by until a time, but for the last of each: for a host that cannot keep up
    /// with them. The next pulse of such a timer says how many those were.
    pub fn skip_missed(&mut self, until: f64) {
        let due = self.waiting.timers.iter().take_while(|((due, _), _)| due.get() <= until);
        let late = due.filter_map(|(key, timer)| match timer.kind {
            TimerKind::Every { period, .. } if key.0.get() + period <= until => Some(*key),
            _ => None,
        });
        for key in late.collect::<Vec<_>>() {
            let Some(Timer { scope, kind: TimerKind::Every { hook, period, missed } }) =
                self.waiting.timers.remove(&key)
            else {
                continue;
            };
            let gone = ((until - key.0.get()) / period).floor();
            let kind = TimerKind::Every { hook, period, missed: missed + gone as u64 };
            let again = self.waiting.add(key.0.get() + gone * period, Timer { scope, kind });
            if let Some(wards) = &mut self.view.graph.scope_mut(scope).wards {
                wards.timers[hook as usize] = Some((again, period));
            }
        }
    }

    /// Has an event wait until nothing more has happened for a time.
    pub(crate) fn wait_for_quiet(
        &mut self,
        scope: ScopeId,
        listener: u32,
        event: Value,
        after: u32,
    ) {
        let due = self.waiting.now + f64::from(after);
        let kind = TimerKind::Settled { listener, event, after };
        let key = self.waiting.add(due, Timer { scope, kind });
        let wards = self.view.graph.scope_mut(scope).wards.get_or_insert_default();
        if let Some(at) = wards.settling.iter().position(|(known, _)| *known == listener) {
            let (_, old) = wards.settling.remove(at);
            self.waiting.timers.remove(&old);
        }
        wards.settling.push((listener, key));
    }

    /// What was entered into controls that the pulse has written to is not there any more: it is not
    /// committed once it has settled.
    pub(crate) fn forget_entered(&mut self) {
        let commits = self.view.graph.is_broken(Sabotage::LateCommits);
        for (scope, part) in std::mem::take(&mut self.view.making.overwritten) {
            let prepared = self.view.graph.prepared.clone();
            let here = self.view.graph.scope_mut(scope);
            let listeners = &prepared.plan(here.plan).blocks[here.block as usize].listeners;
            let Some(wards) = &mut here.wards else { continue };
            wards.settling.retain(|(listener, key)| {
                let commit = listeners[*listener as usize].commit.as_ref();
                let gone = commit.is_some_and(|commit| commit.part == part) && !commits;
                if gone {
                    self.waiting.timers.remove(key);
                }
                !gone
            });
        }
    }

    /// Ends what waits on behalf of the scopes that the pulse lets go.
    pub(crate) fn release_wards(&mut self, pulse: &mut Pulse) {
        for at in 0..self.view.graph.dead.len() {
            let scope = self.view.graph.dead[at];
            let Some(wards) = self.view.graph.scope_mut(scope).wards.take() else { continue };
            let timers = wards.timers.iter().flatten().map(|(key, _)| key);
            let keeps = |way| self.view.graph.is_broken(way);
            let (keeps_timers, keeps_questions) =
                (keeps(Sabotage::KeepTimers), keeps(Sabotage::KeepQuestions));
            for key in timers.chain(wards.settling.iter().map(|(_, key)| key)) {
                if !keeps_timers {
                    self.waiting.timers.remove(key);
                }
            }
            let sources = wards.sources.iter().flatten().map(|(id, _)| id);
            for id in sources.chain(&wards.waiting).filter(|_| !keeps_questions) {
                self.drop_question(*id, pulse);
            }
        }
    }

    fn drop_question(&mut self, id: QuestionId, pulse: &mut Pulse) {
        let Some(open) = self.waiting.questions.remove(&id) else { return };
        let plan = self.view.graph.prepared.plan(self.view.graph.scope(open.scope).plan);
        let function = plan.asked[open.asked as usize].name.clone();
        pulse.dropped.push(Dropped { id, function });
    }

    /// Starts and stops timers as the pulse found that they run.
    pub(crate) fn set_timers(&mut self, turn: &Turn) {
        let endless = self.view.graph.is_broken(Sabotage::EndlessTimer);
        for (((.., scope), hook), period) in &turn.timers {
            let here = self.view.graph.scope_mut(*scope);
            let Some(wards) = here.wards.as_mut().filter(|_| here.alive) else { continue };
            let timer = &mut wards.timers[*hook as usize];
            let goes_on = period.is_none() && endless;
            if timer.map(|(_, period)| period) == *period || goes_on {
                continue;
            }
            if let Some((key, _)) = timer.take() {
                self.waiting.timers.remove(&key);
            }
            if let Some(period) = *period {
                let due = self.waiting.now + period;
                let kind = TimerKind::Every { hook: *hook, period, missed: 0 };
                *timer = Some((self.waiting.add(due, Timer { scope: *scope, kind }), period));
            }
        }
    }

    /// Has a timer that runs be due at another time.
    pub(crate) fn set_due(&mut self, scope: ScopeId, hook: u32, due: f64) {
        let wards = &mut self.view.graph.scope_mut(scope).wards;
        let timer = wards.as_mut().and_then(|wards| wards.timers[hook as usize].as_mut());
        let Some((key, period)) = timer else { return };
        self.waiting.timers.remove(key);
        let kind = TimerKind::Every { hook, period: *period, missed: 0 };
        *key = self.waiting.add(due, Timer { scope, kind });
    }

    /// Asks what the pulse found that has to be asked.
    pub(crate) fn ask_questions(&mut self, turn: Turn, pulse: &mut Pulse) {
        let prepared = self.view.graph.prepared.clone();
        for (((.., scope), source), args) in turn.asked {
            let here = self.view.graph.scope_mut(scope);
            let plan = prepared.plan(here.plan);
            let asked = plan.sources[source as usize].asked;
            let streams = plan.asked[asked as usize].answers == Answers::Again;
            let Some(wards) = here.wards.as_mut().filter(|_| here.alive) else { continue };
            let id = self.waiting.next_id();
            let old = wards.sources[source as usize].replace((id, args.clone()));
            let late = self.view.graph.is_broken(Sabotage::LateAnswers);
            if let Some((old, _)) = old.filter(|_| !late) {
                self.drop_question(old, pulse);
            }
            let open = Open { scope, asked, streams, whose: Whose::Source(source) };
            let args = match args {
                Value::List(args) => args.to_vec(),
                _ => Vec::new(),
            };
            self.put(id, open, args, pulse);
        }
        for (asked, args, activity) in turn.waiting {
            let scope = activity.scope;
            let here = self.view.graph.scope_mut(scope);
            if !here.alive {
                continue;
            }
            let id = self.waiting.next_id();
            here.wards.get_or_insert_default().waiting.push(id);
            let whose = Whose::Statements(activity);
            let open = Open { scope, asked, streams: false, whose };
            self.put(id, open, args, pulse);
        }
    }

    fn put(&mut self, id: QuestionId, open: Open, args: Vec<Value>, pulse: &mut Pulse) {
        let plan = self.view.graph.prepared.plan(self.view.graph.scope(open.scope).plan);
        let (function, streams) = (plan.asked[open.asked as usize].name.clone(), open.streams);
        self.waiting.questions.insert(id, open);
        pulse.questions.push(Question { id, function, streams, args });
    }

    /// Whether a question is still open.
    pub fn is_open(&self, id: QuestionId) -> bool {
        self.waiting.questions.contains_key(&id)
    }

    /// Answers a question; a stream may be answered again and again. `None` when nobody waits for
    /// the answer any more: it was asked again since, or the component is gone. An answer that does
    /// not fit its type is a failure, and a problem of the pulse says what does not fit, and where.
    pub fn answer(&mut self, id: QuestionId, answer: Result<Value, String>) -> Option<Pulse> {
        let Open { scope, asked, .. } = self.waiting.questions.get(&id)?;
        let program = self.program();
        let plan = &program.plans[self.view.graph.scope(*scope).plan as usize];
        let asked = &plan.asked[*asked as usize];
        let function = asked.name.to_string();
        match answer.map(|value| program.fit(asked.result, &value, &function)) {
            Ok(Ok(value)) => self.answered(id, Ok(value)),
            Err(reason) => self.answered(id, Err(reason)),
            Ok(Err(misfit)) => {
                let reason = misfit.to_string();
                let mut pulse = self.answered(id, Err(reason.clone()))?;
                pulse.problems.push(Problem::WrongAnswer { function, reason });
                Some(pulse)
            }
        }
    }

    fn answered(&mut self, id: QuestionId, answer: Result<Value, String>) -> Option<Pulse> {
        let Open { scope, asked, streams, whose } = self.waiting.questions.get(&id)?.clone();
        let prepared = self.view.graph.prepared.clone();
        let plan = prepared.plan(self.view.graph.scope(scope).plan);
        let function = plan.asked[asked as usize].name.to_string();
        let failed = answer.is_err();
        let pulse = match whose {
            Whose::Source(source) => {
                let planned = &plan.sources[source as usize];
                let name = &plan.cells[planned.value as usize].name;
                let to = self.view.graph.address(scope, name);
                let cause = Cause::Answered { function, to, failed };
                self.pulse(cause, &mut |run, _| {
                    let mut set = |cell, value| run.graph.set(scope, cell, Vec::new(), value);
                    let (status, reason) = match &answer {
                        Ok(value) => {
                            set(planned.value, value.clone());
                            (status::READY, "")
                        }
                        Err(reason) => (status::FAILED, reason.as_str()),
                    };
                    set(planned.status, Value::from(status));
                    set(planned.reason, Value::from(reason));
                    Ok(())
                })
            }
            Whose::Statements(activity) => {
                let to = activity.shown(&self.view.graph);
                let cause = Cause::Answered { function: function.clone(), to, failed };
                self.pulse(cause, &mut |run, _| {
                    let failure = |reason: String| {
                        let function = function.clone();
                        Failure { function, reason, late: true }
                    };
                    run.resume(activity.clone(), answer.clone().map_err(failure))
                })
            }
        };
        // A stream goes on until it fails. A pulse that was taken back leaves the question open,
        // but for one that is answered with a failure.
        let spent = if pulse.fault.is_some() { failed } else { failed || !streams };
        if spent {
            self.waiting.questions.remove(&id);
            let keeps = self.view.graph.is_broken(Sabotage::KeepWaiting);
            if let Some(wards) = &mut self.view.graph.scope_mut(scope).wards {
                wards.waiting.retain(|waiting| *waiting != id || keeps);
            }
        }
        Some(pulse)
    }

    /// Ends a stream that has no more to say: the last that it said stays.
    pub fn finish(&mut self, id: QuestionId) {
        self.waiting.questions.remove(&id);
    }

    /// What is known of timers and questions in one of the two places that know of them alone: the tables of what
    /// waits, and the scopes on whose behalf it does. Nothing, unless the engine is wrong.
    #[doc(hidden)]
    pub fn astray(&self) -> Vec<String> {
        let (graph, mut astray) = (&self.view.graph, Vec::new());
        let wards = |scope: ScopeId| {
            let here = graph.scope(scope);
            here.wards.as_ref().filter(|_| here.alive)
        };
        for (key, Timer { scope, kind }) in &self.waiting.timers {
            let known = wards(*scope).is_some_and(|wards| match kind {
                TimerKind::Every { hook, period, .. } => {
                    wards.timers[*hook as usize] == Some((*key, *period))
                }
                TimerKind::Settled { listener, .. } => wards.settling.contains(&(*listener, *key)),
            });
            astray.extend((!known).then(|| format!("{kind:?} of {scope}")));
        }
        for (id, Open { scope, whose, .. }) in &self.waiting.questions {
            let known = wards(*scope).is_some_and(|wards| match whose {
                Whose::Source(source) => {
                    wards.sources[*source as usize].as_ref().is_some_and(|(known, _)| known == id)
                }
                Whose::Statements(_) => wards.waiting.contains(id),
            });
            astray.extend((!known).then(|| format!("{id:?} of {scope}")));
        }
        let live = graph.scopes.iter().filter(|scope| scope.alive);
        for wards in live.filter_map(|scope| scope.wards.as_ref()) {
            let timers = wards.timers.iter().flatten().map(|(key, _)| key);
            for key in timers.chain(wards.settling.iter().map(|(_, key)| key)) {
                let waits = self.waiting.timers.contains_key(key);
                astray.extend((!waits).then(|| format!("{key:?}, which does not wait")));
            }
            let gone = wards.waiting.iter().filter(|id| !self.is_open(**id));
            astray.extend(gone.map(|id| format!("{id:?}, which nobody answers")));
        }
        astray
    }

    /// What there is at present of everything that comes and goes.
    pub fn resources(&self) -> Resources {
        let graph = &self.view.graph;
        let (timers, questions, streams) = self.waiting.count();
        Resources {
            scopes: self.scopes(),
            timers,
            questions,
            streams,
            subscriptions: graph.users.values().map(Vec::len).sum::<usize>(),
            reads: graph.followed_reads(),
        }
    }
}

impl Waiting {
    fn next_id(&mut self) -> QuestionId {
        self.next_question += 1;
        QuestionId(self.next_question)
    }
}
