//! A pulse from its cause to the view: what is done, what follows by itself, and what is shown.
//!
//! First everything is worked out that is no node of the view: state, what watches it, which blocks
//! and rows there are, what runs when they are added and removed, until nothing more follows. Then
//! the view is brought to that, once. Whatever goes wrong on the way, all of it is taken back.

use crate::carry::{Asking, Carrying};
use crate::controls::{Controls, HeldByControl};
use crate::execute::{Owner, Run, Turn};
use crate::fault::{FREE_GENERATIONS, Fault, MOST_ADDED, MOST_ROUNDS};
use crate::graph::ReaderKey;
use crate::pulse::{Cause, Effect, PartChange, PlaceId, Problem, Pulse, Which};
use crate::runtime::{ROOT_SCOPE, Runtime};
use crate::sabotage::Sabotage;
use crate::scope::{Mark, ScopeId, Wards};
use crate::unwinding::Failure;
use crate::view::{Making, Target, push_patch};
use crate::wakes::Prepared;
use smallvec::SmallVec;
use std::cmp::Reverse;
use vein_plan::{Shown, Value, When};
use vein_view::ROOT;

/// What a pulse does first: writes, and what controls have come to hold.
pub(crate) type Act<'a> = dyn FnMut(&mut Run<'_>, &mut Controls) -> Result<(), Fault> + 'a;

impl Runtime {
    /// Runs a pulse.
    pub(crate) fn pulse(&mut self, cause: Cause, act: &mut Act<'_>) -> Pulse {
        self.begin();
        let (mut turn, mut controls) = (Turn::new(self.records()), Controls::new());
        let prepared = self.view.graph.prepared.clone();
        let run = &mut Run::new(&mut self.view.graph, &prepared, &mut turn);
        let done = act(run, &mut controls);
        self.finish_pulse(cause, turn, controls, done)
    }

    /// Goes on with a pulse whose first step was done.
    pub(crate) fn go_on(&mut self, cause: Cause) -> Pulse {
        self.finish_pulse(cause, Turn::new(self.records()), Controls::new(), Ok(()))
    }

    fn finish_pulse(
        &mut self,
        cause: Cause,
        mut turn: Turn,
        controls: Controls,
        done: Result<(), Fault>,
    ) -> Pulse {
        let done = done.and_then(|()| {
            for HeldByControl { scope, part, held, accepted, was } in &controls {
                let Some(accepted) = accepted else { continue };
                self.holds(*scope, *part, held.clone(), *accepted);
                if was.is_some() {
                    self.view.making.overwritten.push((*scope, *part));
                }
                if *accepted {
                    self.view.making.committed.push((*scope, *part, held.clone()));
                }
            }
            turn.acted = self.view.graph.log.len();
            self.follow(&mut turn)
        });
        match done.and_then(|()| self.show()) {
            Ok(changes) => self.commit(cause, turn, changes),
            Err(fault) => {
                self.view.take_back();
                self.view.making = Making::default();
                for HeldByControl { scope, part, held, was, .. } in controls {
                    self.put_back(scope, part, held, was);
                }
                let mut pulse = self.record(cause, Vec::new(), Vec::new());
                self.view.end();
                self.view.graph.keep_up_again();
                pulse.fault = Some(fault);
                pulse
            }
        }
    }

    /// Works out everything that follows by itself.
    pub(crate) fn follow(&mut self, turn: &mut Turn) -> Result<(), Fault> {
        loop {
            self.failed_evaluation()?;
            loop {
                let effects = self.waiting_effects();
                self.failed_evaluation()?;
                if effects.is_empty() {
                    break;
                }
                let mut ran = false;
                for key in effects {
                    if self.view.is_waiting(key.0, key.1) {
                        ran |= self.effect(key, turn)?;
                    }
                }
                self.next_round(ran, turn)?;
            }
            self.settle_spots();
            self.failed_evaluation()?;
            let making = &mut self.view.making;
            let (ended, born) =
                (std::mem::take(&mut making.ended), std::mem::take(&mut making.born));
            if ended.is_empty() && born.is_empty() && self.view.graph.effects.is_empty() {
                return Ok(());
            }
            turn.generations += usize::from(!born.is_empty());
            if turn.generations > FREE_GENERATIONS {
                turn.added_later += born.len();
            }
            let mut ran = false;
            for scope in ended {
                ran |= self.hooks(scope, |when| matches!(when, When::Removed), turn)?;
            }
            for scope in born {
                if self.view.graph.scope(scope).alive {
                    self.begin_component(scope, turn)?;
                    let goes_on = |carrying: &Carrying| carrying.goes_on(scope);
                    if !self.view.graph.carrying.as_deref().is_some_and(goes_on) {
                        ran |= self.hooks(scope, |when| matches!(when, When::Added), turn)?;
                    }
                }
            }
            self.next_round(ran, turn)?;
        }
    }

    fn failed_evaluation(&mut self) -> Result<(), Fault> {
        self.view.graph.fault.take().map_or(Ok(()), Err)
    }

    /// What is asked or runs by itself and may have to, outer components first: what was written to that it reads, or what is derived
    /// of that and has become another. What only has to once others of the same round have run does so in the next.
    fn waiting_effects(&mut self) -> Vec<ReaderKey> {
        let graph = &mut self.view.graph;
        let prepared = graph.prepared.clone();
        // Where a row stands now may be what somebody watches.
        if prepared.lively {
            graph.tell_shifted();
        }
        let mut effects = std::mem::take(&mut graph.effects);
        effects.sort_unstable_by_key(|(scope, reader)| (graph.rank(*scope), *reader));
        effects.dedup();
        effects.retain(|key| {
            graph.scope(key.0).alive
                && match graph.stored_mark(*key) {
                    Mark::Fresh => false,
                    Mark::Perhaps => graph.settle_reads(&prepared, *key),
                    Mark::Stale | Mark::New => true,
                }
        });
        effects
    }

    fn next_round(&self, ran: bool, turn: &mut Turn) -> Result<(), Fault> {
        turn.rounds += usize::from(ran);
        // What is added may add more than one each time: that grows faster than rounds are counted.
        if turn.rounds <= MOST_ROUNDS && turn.added_later <= MOST_ADDED {
            return Ok(());
        }
        // The way from the last time that the same ran before to the last.
        let graph = &self.view.graph;
        let ran = &turn.ran;
        let what = |at: usize| (graph.scope(ran[at].0).plan, ran[at].1);
        let Some(last) = ran.len().checked_sub(1) else {
            return Err(Fault::NoEnd { circle: Vec::new() });
        };
        let first = (0..last).rev().find(|at| what(*at) == what(last)).unwrap_or(0);
        let step = |(scope, hook, from, to): &(ScopeId, u32, usize, usize)| {
            let hook = &graph.prepared.plan(graph.scope(*scope).plan).hooks[*hook as usize];
            let owner = graph.name_of(*scope);
            let name = match owner.as_str() {
                "" => hook.address.to_string(),
                owner => format!("{owner} › {}", hook.address),
            };
            let mut wrote: Vec<String> = Vec::new();
            for change in &graph.log[*from..*to] {
                let (_, path) = graph.written(change);
                let derived = graph.is_derived(change);
                if !derived && !wrote.contains(&path) {
                    wrote.push(path);
                }
            }
            (name, wrote)
        };
        Err(Fault::NoEnd { circle: ran[first + 1..].iter().map(step).collect() })
    }

    /// Runs the hooks of a component that are for some occasion; `true` if there are any.
    fn hooks(
        &mut self,
        scope: ScopeId,
        occasion: fn(&When) -> bool,
        turn: &mut Turn,
    ) -> Result<bool, Fault> {
        let prepared = self.view.graph.prepared.clone();
        let hooks = &prepared.plan(self.view.graph.scope(scope).plan).hooks;
        let mut ran = false;
        for (at, hook) in hooks.iter().enumerate() {
            if occasion(&hook.when) {
                ran = true;
                self.run_hook(scope, at as u32, turn)?;
            }
        }
        Ok(ran)
    }

    fn run_hook(&mut self, scope: ScopeId, hook: u32, turn: &mut Turn) -> Result<(), Fault> {
        let from = self.view.graph.log.len();
        let prepared = self.view.graph.prepared.clone();
        let run = &mut Run::new(&mut self.view.graph, &prepared, turn);
        let done = run.run(scope, Owner::Hook(hook), Vec::new());
        turn.ran.push((scope, hook, from, self.view.graph.log.len()));
        done
    }

    /// Looks at what is asked or runs by itself; `true` if statements ran.
    fn effect(&mut self, key: ReaderKey, turn: &mut Turn) -> Result<bool, Fault> {
        let graph = &mut self.view.graph;
        // What another has done to lists before is seen now, and not once this one has looked.
        graph.tell_shifted();
        let (scope, prepared) = (key.0, graph.prepared.clone());
        if !graph.settle_reads(&prepared, key) {
            return self.failed_evaluation().map(|()| false);
        }
        let here = graph.scope(scope);
        let plan = prepared.plan(here.plan);
        let effect = key.1 - prepared.block(here.plan, here.block).reader_of_effect(0);
        let Some(hook) = (effect as usize).checked_sub(plan.sources.len()) else {
            let args = graph.evaluate(&prepared, key, plan.sources[effect as usize].args);
            graph.freshen(key);
            let asked = self.last_asked(scope, effect, turn);
            if asked.is_none_or(|asked| !asked.same(&args)) {
                turn.ask(&mut self.view.graph, scope, effect, args);
            }
            return self.failed_evaluation().map(|()| false);
        };
        match &plan.hooks[hook].when {
            When::Added | When::Removed => Ok(false),
            When::Changed(_) => {
                graph.causes = SmallVec::from_slice(graph.because(key));
                graph.has_looked(key);
                self.run_hook(scope, hook as u32, turn)?;
                self.view.graph.causes.clear();
                Ok(true)
            }
            When::Every(period, _) => {
                let period = graph.evaluate(&prepared, key, *period);
                graph.freshen(key);
                turn.timers.insert((graph.rank(scope), hook as u32), running(&period));
                self.failed_evaluation().map(|()| false)
            }
        }
    }

    /// What a source was asked with last.
    fn last_asked(&self, scope: ScopeId, source: u32, turn: &Turn) -> Option<Value> {
        let kept = || {
            let wards = self.view.graph.scope(scope).wards.as_ref()?;
            wards.sources[source as usize].as_ref().map(|(_, args)| args.clone())
        };
        turn.asked.get(&(self.view.graph.rank(scope), source)).cloned().or_else(kept)
    }

    /// Begins what a new component asks, watches and does every so often.
    fn begin_component(&mut self, scope: ScopeId, turn: &mut Turn) -> Result<(), Fault> {
        let prepared = self.view.graph.prepared.clone();
        let here = self.view.graph.scope_mut(scope);
        here.begun = true;
        let (plan, ready) = (prepared.plan(here.plan), prepared.block(here.plan, 0));
        if prepared.plans[here.plan as usize].lives.effects {
            let mut wards = Wards::default();
            wards.sources.resize_with(plan.sources.len(), || None);
            wards.timers.resize_with(plan.hooks.len(), || None);
            here.wards = Some(Box::new(wards));
        }
        let graph = &mut self.view.graph;
        // What it sees of lists that others have changed is told to those who have looked before.
        graph.tell_shifted();
        for (at, source) in plan.sources.iter().enumerate() {
            let key = (scope, ready.reader_of_effect(at as u32));
            graph.settle_reads(&prepared, key);
            let args = graph.evaluate_first(&prepared, key, source.args);
            // What was written before it began it has not seen change, here and below.
            graph.has_looked(key);
            match graph.asked_before(scope, at as u32, &args) {
                Asking::Anew => turn.ask(graph, scope, at as u32, args),
                Asking::Quietly => turn.ask_quietly(graph, scope, at as u32, args),
                Asking::Not => {}
            }
        }
        for (at, hook) in plan.hooks.iter().enumerate() {
            let key = (scope, ready.reader_of_effect((plan.sources.len() + at) as u32));
            match &hook.when {
                When::Added | When::Removed => {}
                When::Changed(reads) => {
                    for read in reads.paths() {
                        graph.cell(&prepared, scope, read.cell);
                    }
                    graph.has_looked(key);
                }
                When::Every(period, _) => {
                    graph.settle_reads(&prepared, key);
                    let period = graph.evaluate_first(&prepared, key, *period);
                    graph.has_looked(key);
                    turn.timers.insert((graph.rank(scope), at as u32), running(&period));
                }
            }
        }
        self.failed_evaluation()
    }

    /// Which blocks and rows there are, outer ones before inner ones: nothing is evaluated for what
    /// is going away.
    fn settle_spots(&mut self) {
        while let Some(Reverse(((.., scope), reader))) = self.view.graph.spots.pop() {
            if self.view.graph.is_out() {
                return;
            }
            if !self.view.is_waiting(scope, reader) {
                continue;
            }
            let graph = &self.view.graph;
            let here = graph.scope(scope);
            let spot = reader - graph.prepared.block(here.plan, here.block).reader_of_spot(0);
            self.view.settle_spot(scope, spot);
        }
    }

    /// Brings the view to what everything has come to.
    pub(crate) fn show(&mut self) -> Result<Vec<PartChange>, Fault> {
        if !self.view.graph.scope(ROOT_SCOPE).standing && !self.closing {
            self.view.show_all(Target { parent: ROOT, before: ROOT });
        }
        let prepared = self.view.graph.prepared.clone();
        let mut changes: Vec<PartChange> = Vec::new();
        // What a derived value wakes that is worked out only now has not changed what it read, or
        // it would have been looked at before; it has to be told that it is up to date.
        loop {
            self.settle_spots();
            self.failed_evaluation()?;
            for (scope, spot, effect) in self.view.show_changes() {
                if self.records() {
                    changes.push(self.spot_change(scope, spot, effect));
                }
            }
            self.failed_evaluation()?;
            for key in self.waiting_effects() {
                let changed = self.view.is_waiting(key.0, key.1)
                    && self.view.graph.settle_reads(&prepared, key);
                debug_assert!(!changed, "what runs by itself ran before the view was made");
            }
            let mut parts = std::mem::take(&mut self.view.graph.parts);
            parts.retain(|(scope, reader)| self.view.is_waiting(*scope, *reader));
            if parts.is_empty() {
                break;
            }
            parts.sort_unstable();
            parts.dedup();
            for (scope, reader) in parts {
                changes.extend(self.settle_part(&prepared, scope, reader));
            }
        }
        let controls = self.check_controls();
        if self.records() {
            let change = |(place, effect)| self.part_change(place, effect, Vec::new());
            changes.extend(controls.into_iter().map(change));
        }
        self.mark_controls();
        self.tell_spent();
        // What was used up aside is found at the end at the latest.
        self.view.graph.spend(0, 0);
        self.failed_evaluation()?;
        if changes.len() > 1 {
            let mut keyed: Vec<(Vec<u32>, PartChange)> = changes
                .into_iter()
                .map(|change| (self.view.graph.document_order(change.place), change))
                .collect();
            keyed.sort_by(|(a, _), (b, _)| a.cmp(b));
            changes = keyed.into_iter().map(|(_, change)| change).collect();
        }
        Ok(changes)
    }

    fn spot_change(&self, scope: ScopeId, spot: u32, effect: Effect) -> PartChange {
        let graph = &self.view.graph;
        let here = graph.scope(scope);
        let reader = graph.prepared.block(here.plan, here.block).reader_of_spot(spot);
        let place = PlaceId { scope, which: Which::Spot(spot) };
        self.part_change(place, effect, self.because(scope, reader))
    }

    fn settle_part(
        &mut self,
        prepared: &Prepared,
        scope: ScopeId,
        reader: u32,
    ) -> Option<PartChange> {
        let graph = &mut self.view.graph;
        if graph.is_broken(Sabotage::SkipParts) || !graph.settle_reads(prepared, (scope, reader)) {
            return None;
        }
        let (plan, block) = (graph.scope(scope).plan, graph.scope(scope).block);
        let number = reader - prepared.block(plan, block).reader_of_part(0);
        let part = &prepared.plan(plan).blocks[block as usize].parts[number as usize];
        let value = graph.evaluate(prepared, (scope, reader), part.value);
        graph.freshen((scope, reader));
        self.view.making.evaluated.push((scope, reader));
        let to = part.kind.shown(&value);
        self.view.report_unsafe(scope, &part.address, &part.kind, &value, &to);
        let shown = &self.view.graph.scope(scope).shown[number as usize];
        let later = |listener: &vein_plan::Listener| {
            listener.commit.as_ref().is_some_and(|commit| commit.part == number)
                && (&*listener.event == "change" || listener.options.quiet.is_some())
        };
        if self.view.graph.is_broken(Sabotage::SkipLater)
            && prepared.plan(plan).blocks[block as usize].listeners.iter().any(later)
        {
            return None;
        }
        if *shown == to {
            self.view.clear_invalid(scope, number, part.mark);
            return None;
        }
        // A control that holds another spelling of the value keeps it.
        if let (Some(conversion), Shown::Text(text)) = (&part.control, shown)
            && !self.view.graph.scope(scope).invalid.contains(&number)
            && conversion.value(text).is_some_and(|held| held.same(&value))
        {
            return None;
        }
        let node = self.view.graph.scope(scope).first + part.mark;
        push_patch(&mut self.view.making.patches, node, &part.kind, &to);
        if part.control.is_some() {
            self.view.making.overwritten.push((scope, number));
        }
        self.view.clear_invalid(scope, number, part.mark);
        if !self.records() {
            self.view.set_shown(scope, number, to);
            return None;
        }
        let from = self.view.graph.scope(scope).shown[number as usize].clone();
        self.view.set_shown(scope, number, to.clone());
        let place = PlaceId { scope, which: Which::Part(number) };
        Some(self.part_change(place, Effect::Value { from, to }, self.because(scope, reader)))
    }

    /// Ends a pulse that went well: what waits for the clock and the host is as it says, and what
    /// it let go is gone.
    pub(crate) fn commit(
        &mut self,
        cause: Cause,
        mut turn: Turn,
        changes: Vec<PartChange>,
    ) -> Pulse {
        let opened = cause == Cause::Opened;
        self.forget_entered();
        let mut pulse = self.record(cause, std::mem::take(&mut turn.given), changes);
        pulse.rounds = turn.rounds;
        pulse.ran = std::mem::take(&mut turn.begun);
        let uncaught = std::mem::take(&mut turn.uncaught).into_iter();
        pulse.problems.extend(
            uncaught.map(|Failure { function, reason, .. }| Problem::Uncaught { function, reason }),
        );
        if opened || !self.records() {
            // All is new: nothing followed from anything.
            pulse.values.clear();
        } else {
            self.keep_real_changes(&mut pulse, &turn);
        }
        self.release_wards(&mut pulse);
        self.set_timers(&turn);
        self.ask_questions(turn, &mut pulse);
        self.view.end();
        pulse
    }
}

/// How often a timer runs: at most each millisecond, and not at all without a number.
fn running(period: &Value) -> Option<f64> {
    match period {
        Value::Number(ms) if ms.is_finite() => Some(ms.max(1.0)),
        _ => None,
    }
}
