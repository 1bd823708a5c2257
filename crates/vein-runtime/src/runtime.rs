//! A page at work: opened, dispatched to, written to by the host, closed.

use crate::answers::{Formatting, Functions, Host};
use crate::carry::{Carried, Lost};
use crate::chance::Chance;
use crate::clock::Waiting;
use crate::controls::{Controls, HeldByControl, held_by_control};
use crate::execute::{Owner, Run, Turn};
use crate::fault::Fault;
use crate::graph::Graph;
use crate::pulse::{Cause, Pulse};
use crate::record::element_of;
use crate::scope::{NONE, ScopeId};
use crate::spending::Purse;
use crate::view::View;
use crate::wakes::Prepared;
use std::cmp::Reverse;
use std::sync::Arc;
use vein_plan::code::CellId;
use vein_plan::{Budget, Listener, Name, PartKind, Plan, Program, Shown, Step, Value};
use vein_view::{NodeNumber, Restored};

/// The scope of the component that the page shows. Its stores are made after it, and are there
/// before anything of it is worked out.
pub(crate) const ROOT_SCOPE: ScopeId = 0;

/// A component on a page, with everything in it.
#[derive(Debug)]
pub struct Runtime {
    pub(crate) view: View,
    pub(crate) waiting: Waiting,
    pub(crate) next_pulse: u64,
    pub(crate) recording: bool,
    pub(crate) closing: bool,
    seed: u32,
}

/// A listener that an event reached, with the fields of the event that it reads.
#[derive(Clone, Debug)]
pub struct Delivery {
    /// The element that it is on.
    pub node: NodeNumber,
    /// The listener's number in its block.
    pub listener: u32,
    /// A record of the fields.
    pub event: Value,
}

/// What a reset has given back to a part.
pub(crate) struct Held {
    scope: ScopeId,
    part: u32,
    listener: Option<u32>,
    was: Shown,
    held: Shown,
}

/// What there is of everything that comes and goes on a page. Once the page is closed, there is
/// nothing of it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Resources {
    /// Components, rows, alternatives and content of slots.
    pub scopes: usize,
    /// Timers, and events that wait for quiet.
    pub timers: usize,
    /// Questions without an answer.
    pub questions: usize,
    /// Streams that are followed.
    pub streams: usize,
    /// Components that are told of changes of stores.
    pub subscriptions: usize,
    /// Reads that are followed from run to run.
    pub reads: usize,
}

impl Resources {
    /// Whether there is nothing of anything.
    pub fn is_nothing(&self) -> bool {
        *self == Resources::default()
    }
}

/// A page that is dropped is closed. Where assertions are on, it must leave nothing behind.
impl Drop for Runtime {
    fn drop(&mut self) {
        let broken = self.view.graph.sabotage.is_some();
        if self.closing || std::thread::panicking() || broken {
            return;
        }
        self.close();
        debug_assert!(self.resources().is_nothing(), "left over: {:?}", self.resources());
    }
}

impl Runtime {
    /// Opens a component with the values of its props, and gives the pulse that shows it.
    /// Missing values are the defaults; the caller has seen to it that required ones are there.
    ///
    /// # Errors
    /// What went wrong while everything was worked out for the first time.
    pub fn open(
        program: Arc<Program>,
        plan: usize,
        props: &[(Name, Value)],
        host: Host,
    ) -> Result<(Runtime, Pulse), Fault> {
        let (runtime, pulse, _) = Runtime::open_carrying(program, plan, props, host, None)?;
        Ok((runtime, pulse))
    }

    /// As [`Runtime::open`], in the place of a page that was there before: what stands at its address goes on with the state that it
    /// held, with its timers, questions and streams. Gives also what could not be taken along.
    ///
    /// # Errors
    /// What went wrong while everything was worked out.
    pub fn open_carrying(
        program: Arc<Program>,
        plan: usize,
        props: &[(Name, Value)],
        host: Host,
        carried: Option<Carried>,
    ) -> Result<(Runtime, Pulse, Vec<Lost>), Fault> {
        let prepared = Arc::new(Prepared::new(program.clone()));
        let mut graph = Graph::new(prepared.clone());
        let functions = prepared.functions.iter().map(|name| host.functions.get(name).cloned());
        graph.functions = Functions(functions.collect());
        graph.formats = Formatting(host.formats);
        graph.purse = Purse::new(host.budget);
        graph.chance = Chance(host.seed);
        let stores = program.with_all_inside(plan).into_iter();
        let stores: Vec<u32> = stores
            .filter(|plan| program.plans[*plan].store.is_some())
            .map(|plan| plan as u32)
            .collect();
        let mut runtime = Runtime {
            view: View::new(graph, host.clean),
            waiting: Waiting::default(),
            next_pulse: 0,
            recording: !host.quiet,
            closing: false,
            seed: host.seed,
        };
        runtime.set_date(host.date.unwrap_or(0.0));
        let carried = carried.map(|mut carried| {
            runtime.take_up(&mut carried);
            if let Some(date) = host.date {
                runtime.set_date(date);
            }
            carried
        });
        runtime.begin();
        runtime.view.open(plan as u32, props, &stores);
        let mut turn = Turn::new(runtime.records());
        let worked_out = runtime.follow(&mut turn).and_then(|()| runtime.show());
        // What cannot be opened is no page, and there is nothing to close.
        runtime.closing = worked_out.is_err();
        let changes = worked_out?;
        let (lost, due) = match carried {
            Some(carried) => runtime.carry_on(carried, &turn),
            None => Default::default(),
        };
        let pulse = runtime.commit(Cause::Opened, turn, changes);
        due.into_iter().for_each(|due| runtime.be_due(due));
        Ok((runtime, pulse, lost))
    }

    /// What chance began with.
    pub fn seed(&self) -> u32 {
        self.seed
    }

    /// Begins a pulse.
    pub(crate) fn begin(&mut self) {
        self.view.graph.date = self.date().floor();
        self.view.begin();
    }

    /// Closes the page: everything on it is removed, and what runs then runs. Afterwards there is
    /// nothing left of it, and it cannot be used any more.
    pub fn close(&mut self) -> Pulse {
        self.closing = true;
        let end = |runtime: &mut Runtime| {
            runtime.begin();
            let mut stores: Vec<ScopeId> = runtime.view.graph.stores.values().copied().collect();
            stores.sort_unstable();
            runtime.view.take_nodes(ROOT_SCOPE);
            runtime.view.release(ROOT_SCOPE);
            // The stores go last, those that others use after them.
            for store in stores.into_iter().rev() {
                runtime.view.release(store);
            }
        };
        end(self);
        let mut pulse = self.go_on(Cause::Closed);
        if let Some(fault) = pulse.fault.take() {
            // Whatever went wrong in what runs at the end: it is the end.
            end(self);
            self.view.making.ended.clear();
            pulse = self.go_on(Cause::Closed);
            pulse.fault = Some(fault);
        }
        self.view.graph.stores.clear();
        pulse
    }

    /// Whether pulses say what changed, in values and in the view. Without that they cost less;
    /// patches, events and problems are there all the same.
    pub fn record_changes(&mut self, on: bool) {
        self.recording = on;
    }

    /// What each pulse may use up from now on.
    pub fn allow(&mut self, budget: Budget) {
        self.view.graph.purse.budget = budget;
    }

    /// Whether pulses say what changed.
    #[inline]
    pub(crate) fn records(&self) -> bool {
        self.recording
    }

    /// The compiled component that the page shows.
    pub fn plan(&self) -> &Plan {
        self.plan_of(ROOT_SCOPE)
    }

    /// The program that it is part of.
    pub fn program(&self) -> &Arc<Program> {
        &self.view.graph.prepared.program
    }

    /// Which of the program's components it is.
    pub fn plan_number(&self) -> usize {
        self.view.graph.scope(ROOT_SCOPE).plan as usize
    }

    /// The value of a cell of the page's component, brought up to date.
    pub fn value(&mut self, cell: CellId) -> Value {
        self.value_in(ROOT_SCOPE, cell)
    }

    /// The value of a cell of some scope, brought up to date.
    pub fn value_in(&mut self, scope: ScopeId, cell: CellId) -> Value {
        self.view.graph.begin();
        let prepared = self.view.graph.prepared.clone();
        let graph = &mut self.view.graph;
        let value = graph.cell(&prepared, scope, cell);
        // Nothing that the view shows depends on what was worked out only now, but some of it
        // might have: it finds that nothing it read has changed.
        while let Some(key) = graph.parts.pop().or_else(|| {
            let Reverse(((.., scope), reader)) = graph.spots.pop()?;
            Some((scope, reader))
        }) {
            let changed = graph.settle_reads(&prepared, key);
            debug_assert!(!changed, "the view was up to date before the read");
        }
        for key in std::mem::take(&mut graph.effects) {
            graph.settle_reads(&prepared, key);
        }
        match graph.fault {
            None => graph.end(),
            Some(_) => {
                graph.roll_back();
                graph.keep_up_again();
            }
        }
        value
    }

    /// What was asked with something else than would be asked with by now, since nobody noticed that it has changed. Nothing,
    /// unless the engine is wrong.
    #[doc(hidden)]
    pub fn unasked(&mut self) -> Vec<String> {
        let prepared = self.view.graph.prepared.clone();
        let mut unasked = Vec::new();
        for scope in self.live() {
            for (source, asked) in self.asked_with(scope).into_iter().enumerate() {
                let Some((_, asked)) = asked else { continue };
                let plan = prepared.plan(self.view.graph.scope(scope).plan);
                self.view.graph.begin();
                let now =
                    self.view.graph.evaluate_once(&prepared, scope, plan.sources[source].args);
                let failed = self.view.graph.fault.take().is_some();
                self.view.graph.roll_back();
                self.view.graph.keep_up_again();
                if !failed && !now.same(&asked) {
                    unasked.push(format!("{source} of {scope}: {asked:?}, now {now:?}"));
                }
            }
        }
        unasked
    }

    /// Derived values that count as up to date, and are something else than their expression gives, worked out from
    /// state alone. None, unless the engine is wrong: a pulse that failed may have left such a one, and nobody may
    /// ever read it.
    #[doc(hidden)]
    pub fn outdated(&mut self) -> Vec<String> {
        self.live().into_iter().flat_map(|scope| self.view.graph.outdated_in(scope)).collect()
    }

    pub(crate) fn live(&self) -> Vec<ScopeId> {
        let live = (0..).zip(&self.view.graph.scopes).filter(|(_, scope)| scope.alive);
        live.map(|(number, _)| number).collect()
    }

    /// From now on holds whatever is read of a derived value against what its expression gives by then, worked out
    /// from state alone.
    #[doc(hidden)]
    pub fn check_reads(&mut self) {
        self.view.graph.misread = Some(Vec::new());
    }

    /// What was read since, and is something else.
    #[doc(hidden)]
    pub fn misread(&self) -> &[String] {
        self.view.graph.misread.as_deref().unwrap_or_default()
    }

    /// How many times a value was kept up with the list that it is derived from, and how many times one was worked out as a
    /// whole that can be kept up.
    #[doc(hidden)]
    pub fn kept_up(&self) -> (usize, usize) {
        self.view.graph.kept_up
    }

    /// How many reads are followed from run to run at present.
    pub fn followed_reads(&self) -> usize {
        self.view.graph.followed_reads()
    }

    /// How many scopes there are at present.
    pub fn scopes(&self) -> usize {
        self.view.graph.scopes.len() - self.view.graph.free.len()
    }

    /// The listener of a number on a node, as a surface knows it that has applied so many batches with
    /// patches in them: none, if the node's number was another's then.
    pub fn listener_seen(&self, node: NodeNumber, number: u32, seen: u32) -> Option<&Listener> {
        self.listener(node, number).filter(|_| self.has_seen(node, seen))
    }

    /// Whether a surface that has applied so many batches with patches in them means by a number the node that
    /// has it now.
    pub fn has_seen(&self, node: NodeNumber, seen: u32) -> bool {
        self.view.graph.given_out.get(node as usize).is_some_and(|given_out| *given_out <= seen)
    }

    /// How many batches with patches in them there were so far.
    pub fn batches(&self) -> u32 {
        self.view.graph.batches
    }

    /// The listeners that stand on a node, with their numbers.
    pub fn listeners_on(&self, node: NodeNumber) -> Vec<(u32, &Listener)> {
        let Some((first, listeners)) = self.listeners_around(node) else { return Vec::new() };
        let numbered = (0..).zip(listeners);
        numbered.filter(|(_, listener)| first + listener.mark == node).collect()
    }

    /// The listener of a number, if it stands on a node.
    pub fn listener(&self, node: NodeNumber, number: u32) -> Option<&Listener> {
        let (first, listeners) = self.listeners_around(node)?;
        listeners.get(number as usize).filter(|listener| first + listener.mark == node)
    }

    /// The listeners of the block that a node belongs to, and the block's first number.
    fn listeners_around(&self, node: NodeNumber) -> Option<(NodeNumber, &[Listener])> {
        let graph = &self.view.graph;
        let scope = *graph.owners.get(node as usize).filter(|scope| **scope != NONE)?;
        let scope = graph.scope(scope);
        let block = &graph.prepared.plan(scope.plan).blocks[scope.block as usize];
        Some((scope.first, &block.listeners))
    }

    /// Runs the listeners that an event reached, all in one pulse. Listeners that wait for
    /// quiet are noted for [`Runtime::run_due`]. `target` is how the record calls the element where
    /// the event reached nobody.
    pub fn dispatch(&mut self, kind: &str, target: &str, deliveries: Vec<Delivery>) -> Pulse {
        self.dispatch_with(kind, target, deliveries, &[])
    }

    /// Runs the listeners that a form's `reset` reached, and then has state follow the controls that have gone
    /// back to what they held when they were added, all in one pulse. Those that are not bound both ways come
    /// to show what state says.
    pub fn reset(
        &mut self,
        target: &str,
        deliveries: Vec<Delivery>,
        restored: &[Restored],
    ) -> Pulse {
        self.dispatch_with("reset", target, deliveries, restored)
    }

    fn dispatch_with(
        &mut self,
        kind: &str,
        target: &str,
        deliveries: Vec<Delivery>,
        restored: &[Restored],
    ) -> Pulse {
        let prepared = self.view.graph.prepared.clone();
        let (mut now, mut later) = (Vec::new(), Vec::new());
        let mut on = None;
        for Delivery { node, listener: number, event } in deliveries {
            let graph = &self.view.graph;
            let Some(scope) = graph.owners.get(node as usize).copied() else { continue };
            if scope == NONE {
                continue;
            }
            let (plan, block) = (graph.scope(scope).plan, graph.scope(scope).block);
            let block = &prepared.plan(plan).blocks[block as usize];
            let Some(listener) = block.listeners.get(number as usize) else { continue };
            if on.is_none() && self.records() {
                on = Some(element_of(&graph.address(scope, &listener.address)).to_owned());
            }
            match listener.options.quiet {
                None => now.push((scope, number, event)),
                Some(after) => later.push((scope, number, event, after)),
            }
        }
        let restored: Vec<Held> =
            restored.iter().filter_map(|restored| self.restored(restored)).collect();
        let on = on.unwrap_or_else(|| target.to_owned());
        let cause = Cause::Event { kind: kind.into(), on };
        let heard = !now.is_empty() || !later.is_empty() || !restored.is_empty();
        let mut pulse = self.hear(cause, now, &restored);
        pulse.heard = heard;
        if pulse.fault.is_some() {
            self.take_out(later, &mut pulse);
            return pulse;
        }
        for (scope, listener, event, after) in later {
            if self.view.graph.scope(scope).alive {
                self.wait_for_quiet(scope, listener, event, after);
            }
        }
        pulse
    }

    /// The part that a control's property shows, and the listener that is its way back, if it has one.
    fn restored(&self, restored: &Restored) -> Option<Held> {
        let Restored { node, property, was, held } = restored;
        let graph = &self.view.graph;
        let scope = *graph.owners.get(*node as usize).filter(|scope| **scope != NONE)?;
        let here = graph.scope(scope);
        let block = &graph.prepared.plan(here.plan).blocks[here.block as usize];
        let part = block.parts.iter().position(|part| {
            here.first + part.mark == *node && part.kind == PartKind::Property(*property)
        })? as u32;
        let back = |listener: &Listener| listener.commit.as_ref().is_some_and(|c| c.part == part);
        let listener = block.listeners.iter().position(back).map(|at| at as u32);
        Some(Held { scope, part, listener, was: was.clone(), held: held.clone() })
    }

    /// A pulse that is taken back leaves what waits as it was, too, and what was entered to wait is taken out
    /// of its controls again.
    fn take_out(&mut self, later: Vec<(ScopeId, u32, Value, u32)>, pulse: &mut Pulse) {
        let prepared = self.view.graph.prepared.clone();
        for (scope, listener, event, _) in later {
            let here = self.view.graph.scope(scope);
            let block = &prepared.plan(here.plan).blocks[here.block as usize];
            if let Some(commit) = &block.listeners[listener as usize].commit {
                self.put_back(scope, commit.part, held_by_control(&event), None);
            }
        }
        let late = std::mem::take(&mut self.view.making.patches);
        self.view.graph.batches += u32::from(pulse.patches.is_empty() && !late.is_empty());
        late.iter().for_each(|patch| pulse.patches.push(&patch));
    }

    /// Runs listeners in one pulse.
    pub(crate) fn hear(
        &mut self,
        cause: Cause,
        heard: Vec<(ScopeId, u32, Value)>,
        restored: &[Held],
    ) -> Pulse {
        let prepared = self.view.graph.prepared.clone();
        let listener_of = |graph: &Graph, scope: ScopeId, number: u32| -> &Listener {
            let here = graph.scope(scope);
            let block = &prepared.plan(here.plan).blocks[here.block as usize];
            &block.listeners[number as usize]
        };
        let mut act = |run: &mut Run<'_>, controls: &mut Controls| {
            // First what the controls have come to hold, whatever comes of it.
            for (scope, number, event) in &heard {
                if let Some(commit) = &listener_of(run.graph, *scope, *number).commit {
                    let (held, part) = (held_by_control(event), commit.part);
                    let (scope, accepted, was) = (*scope, None, None);
                    controls.push(HeldByControl { scope, part, held, accepted, was });
                }
            }
            let first_restored = controls.len();
            for Held { scope, part, was, held, listener } in restored {
                let (scope, part, held, accepted) = (*scope, *part, held.clone(), None);
                // One that is bound one way shows what state says, whatever comes of the pulse.
                let was = listener.and(Some(was.clone()));
                controls.push(HeldByControl { scope, part, held, accepted, was });
            }
            let mut committed = 0;
            for (scope, number, event) in &heard {
                let (scope, number) = (*scope, *number);
                let listener = listener_of(run.graph, scope, number);
                let control = committed;
                committed += usize::from(listener.commit.is_some());
                if !run.graph.may_happen(scope, number, listener.options.once) {
                    continue;
                }
                let Some(commit) = &listener.commit else {
                    run.run(scope, Owner::Listener(number), vec![event.clone()])?;
                    continue;
                };
                run.begins(scope, Owner::Listener(number));
                let control = &mut controls[control];
                control.accepted =
                    Some(run.within(scope, |run| run.commit(commit, &control.held))?);
            }
            for (Held { scope, listener, .. }, control) in
                restored.iter().zip(&mut controls[first_restored..])
            {
                control.accepted = Some(true);
                let Some(number) = *listener else { continue };
                run.begins(*scope, Owner::Listener(number));
                if let Some(commit) = &listener_of(run.graph, *scope, number).commit {
                    control.accepted =
                        Some(run.within(*scope, |run| run.commit(commit, &control.held))?);
                }
            }
            Ok(())
        };
        self.pulse(cause, &mut act)
    }

    /// Calls a handler of the page's component, or of a store.
    pub(crate) fn call_in(
        &mut self,
        scope: ScopeId,
        handler: u32,
        name: String,
        args: Vec<Value>,
    ) -> Pulse {
        let mut args = Some(args);
        self.pulse(Cause::Called { name }, &mut |run, _| {
            run.call_handler(scope, handler, args.take().unwrap_or_default())
        })
    }

    /// Has a component on the page give one of its events. The caller has checked the payload.
    pub(crate) fn give_in(&mut self, scope: ScopeId, event: u32, args: Vec<Value>) -> Pulse {
        let owner = self.view.graph.name_of(scope);
        let name = self.plan_of(scope).events[event as usize].name.to_string();
        let mut args = Some(args);
        self.pulse(Cause::Emitted { name, owner }, &mut |run, _| {
            run.within(scope, |run| run.give(event, args.take().unwrap_or_default()))
        })
    }

    /// Writes to a prop or to state of the page's component or of a store. The caller has checked
    /// the value against its type.
    pub(crate) fn write(
        &mut self,
        (scope, cell): (ScopeId, CellId),
        path: String,
        steps: Vec<Step>,
        value: Value,
    ) -> Pulse {
        let mut steps = Some((steps, value));
        let cause = Cause::Write { path: path.clone() };
        self.pulse(cause, &mut |run, _| {
            let Some((steps, value)) = steps.take() else { return Ok(()) };
            match run.graph.set(scope, cell, steps, value) {
                true => Ok(()),
                false => Err(Fault::NoSuchPlace { path: path.clone() }),
            }
        })
    }
}
