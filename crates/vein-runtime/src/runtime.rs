//! A page at work: opened, dispatched to, written to by the host.

use crate::change::Undo;
use crate::execute::{GivenEvents, Run};
use crate::fault::Fault;
use crate::graph::Graph;
use crate::pulse::{
    Cause, Difference, Effect, Given, Layer, PartChange, PlaceId, Problem, Pulse, ValueChange,
    Which,
};
use crate::scope::{NONE, ScopeId, Slot};
use crate::view::{Clean, Making, View, push_patch};
use crate::wakes::Prepared;
use rustc_hash::FxHashMap;
use std::cmp::Reverse;
use std::sync::Arc;
use vein_plan::code::CellId;
use vein_plan::{CellKind, Listener, Name, Plan, Program, Shown, Step, Value};
use vein_view::{NodeNumber, Patch};

/// The scope of the component that the page shows.
pub(crate) const ROOT_SCOPE: ScopeId = 0;

/// A component on a page, with everything in it.
#[derive(Debug)]
pub struct Runtime {
    pub(crate) view: View,
    next_pulse: u64,
    /// The time of the host's clock, in milliseconds.
    now: f64,
    settling: Vec<Settling>,
    recording: bool,
}

/// An event that waits until nothing more has happened.
#[derive(Debug)]
struct Settling {
    due: f64,
    scope: ScopeId,
    listener: u32,
    event: Value,
    after: u32,
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

impl Runtime {
    /// Opens a component with the values of its props, and gives the pulse that shows it.
    /// Missing values are the defaults; the caller has seen to it that required ones are there.
    /// `clean` makes markup from data safe; without it such markup is shown as text.
    pub fn open(
        program: Arc<Program>,
        plan: usize,
        props: &[(Name, Value)],
        clean: Option<Clean>,
    ) -> (Runtime, Pulse) {
        let graph = Graph::new(Arc::new(Prepared::new(program)));
        let view = View::new(graph, clean);
        let mut runtime =
            Runtime { view, next_pulse: 0, now: 0.0, settling: Vec::new(), recording: true };
        runtime.view.graph.begin();
        runtime.view.root(plan as u32, props);
        let pulse = runtime.settle(Cause::Opened, Vec::new());
        (runtime, pulse)
    }

    /// Whether pulses say what changed, in values and in the view. Without that they cost less;
    /// patches, events and problems are there all the same.
    pub fn record_changes(&mut self, on: bool) {
        self.recording = on;
    }

    /// The compiled component that the page shows.
    pub fn plan(&self) -> &Plan {
        let graph = &self.view.graph;
        graph.prepared.plan(graph.scope(ROOT_SCOPE).plan)
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
        self.view.graph.begin();
        let graph = &mut self.view.graph;
        let value = graph.cell(ROOT_SCOPE, cell);
        // Nothing that the view shows depends on what was worked out only now, but some of it
        // might have: it finds that nothing it read has changed.
        while let Some(key) = graph.parts.pop().or_else(|| {
            let Reverse((_, scope, reader)) = graph.spots.pop()?;
            Some((scope, reader))
        }) {
            let changed = graph.settle_reads(key);
            debug_assert!(!changed, "the view was up to date before the read");
        }
        graph.end();
        value
    }

    /// How many reads are followed from run to run at present.
    pub fn followed_reads(&self) -> usize {
        self.view.graph.followed_reads()
    }

    /// How many scopes there are at present.
    pub fn scopes(&self) -> usize {
        self.view.graph.scopes.len() - self.view.graph.free.len()
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
            if on.is_none() && self.recording {
                on = Some(element_of(&graph.address(scope, &listener.address)).to_owned());
            }
            match listener.options.settle {
                None => now.push((scope, listener, event)),
                Some(after) => {
                    let due = self.now + f64::from(after);
                    later.push(Settling { due, scope, listener: number, event, after });
                }
            }
        }
        let on = on.unwrap_or_else(|| target.to_owned());
        let cause = Cause::Event { kind: kind.into(), on };
        let heard = !now.is_empty() || !later.is_empty();
        let mut pulse = self.hear(cause, now);
        pulse.heard = heard;
        // A pulse that is taken back leaves what waits as it was, too.
        if pulse.fault.is_none() {
            self.settling.retain(|old| {
                later.iter().all(|new| (new.scope, new.listener) != (old.scope, old.listener))
            });
            self.settling.extend(later);
        }
        pulse
    }

    /// Runs listeners in one pulse.
    fn hear(&mut self, cause: Cause, heard: Vec<(ScopeId, &Listener, Value)>) -> Pulse {
        let mut act = |run: &mut Run<'_>, controls: &mut Controls| {
            for (scope, listener, event) in &heard {
                let Some(commit) = &listener.commit else {
                    run.within(*scope, |run| run.body(&listener.body, vec![event.clone()]))?;
                    continue;
                };
                let held = held_by_control(event);
                let accepted = run.within(*scope, |run| run.commit(commit, &held))?;
                controls.push(HeldByControl { scope: *scope, part: commit.part, held, accepted });
            }
            Ok(())
        };
        self.pulse(cause, &mut act)
    }

    /// When the next waiting event is due, in milliseconds of the host's clock.
    pub fn next_due(&self) -> Option<f64> {
        self.settling.iter().map(|waiting| waiting.due).min_by(f64::total_cmp)
    }

    /// The time on the host's clock, in milliseconds since the page was opened.
    pub fn now(&self) -> f64 {
        self.now
    }

    /// Runs what is due next, up to a time; `None` when nothing more is due until then, and
    /// the clock shows that time.
    pub fn run_due(&mut self, until: f64) -> Option<Pulse> {
        let Some(due) = self.next_due().filter(|due| *due <= until) else {
            self.now = until.max(self.now);
            return None;
        };
        let at = self.settling.iter().position(|waiting| waiting.due == due)?;
        let Settling { scope, listener, event, after, .. } = self.settling.remove(at);
        self.now = due.max(self.now);
        let prepared = self.view.graph.prepared.clone();
        let graph = &self.view.graph;
        let (plan, block) = (graph.scope(scope).plan, graph.scope(scope).block);
        let listener = &prepared.plan(plan).blocks[block as usize].listeners[listener as usize];
        let on = element_of(&graph.address(scope, &listener.address)).to_owned();
        let cause = Cause::Settled { kind: listener.event.to_string(), on, after };
        Some(self.hear(cause, vec![(scope, listener, event)]))
    }

    /// Writes to a prop or to state. The caller has checked the value against its type.
    pub fn write(&mut self, cell: CellId, steps: Vec<Step>, value: Value) -> Pulse {
        let name = self.plan().cells[cell as usize].name.to_string();
        let path: String =
            std::iter::once(name).chain(steps.iter().map(|s| s.to_string())).collect();
        let mut steps = Some((steps, value));
        let cause = Cause::Write { path: path.clone() };
        self.pulse(cause, &mut |run, _| {
            let Some((steps, value)) = steps.take() else { return Ok(()) };
            match run.graph.set(ROOT_SCOPE, cell, steps, value) {
                true => Ok(()),
                false => Err(Fault::NoSuchPlace { path: path.clone() }),
            }
        })
    }

    fn pulse(&mut self, cause: Cause, act: &mut Act<'_>) -> Pulse {
        self.view.graph.begin();
        self.view.making = Making::default();
        let mut controls = Controls::new();
        let mut run = Run::new(&mut self.view.graph);
        let result = act(&mut run, &mut controls);
        let given = run.given;
        match result {
            Ok(()) => {
                for HeldByControl { scope, part, held, accepted } in controls {
                    self.holds(scope, part, held.clone(), accepted);
                    if accepted {
                        self.view.making.committed.push((scope, part, held));
                    }
                }
                self.settle(cause, given)
            }
            Err(fault) => {
                self.view.graph.roll_back();
                for HeldByControl { scope, part, held, .. } in controls {
                    self.put_back(scope, part, held);
                }
                let mut pulse = self.record(cause, Vec::new(), Vec::new());
                self.view.end();
                pulse.fault = Some(fault);
                pulse
            }
        }
    }

    /// Notes what a control has come to hold by itself, so that it is not written to it again.
    fn holds(&mut self, scope: ScopeId, part: u32, held: Shown, accepted: bool) {
        let prepared = self.view.graph.prepared.clone();
        let here = self.view.graph.scope(scope);
        let block = &prepared.plan(here.plan).blocks[here.block as usize];
        let mark = block.parts[part as usize].mark;
        if !accepted {
            let address = &block.parts[part as usize].address;
            let part = self.view.graph.address(scope, address);
            let held = held.to_string();
            self.view.making.problems.push(Problem::NoValue { part, held });
        }
        let here = self.view.graph.scope_mut(scope);
        here.shown[part as usize] = held;
        let marked = here.invalid.iter().position(|invalid| *invalid == part);
        match (marked, accepted) {
            (Some(at), true) => {
                here.invalid.remove(at);
            }
            (None, false) => here.invalid.push(part),
            _ => return,
        }
        self.view.making.marks.push((scope, mark, !accepted));
    }

    /// Writes to controls whose own value did not come out as the state's: what was committed
    /// may have been changed again, or may have gone to what another row shows now.
    fn check_controls(&mut self) -> Vec<PartChange> {
        let prepared = self.view.graph.prepared.clone();
        let mut changes = Vec::new();
        for (scope, number, held) in std::mem::take(&mut self.view.making.committed) {
            let here = self.view.graph.scope(scope);
            if !here.alive || here.shown[number as usize] != held {
                continue;
            }
            let (plan, block) = (here.plan, here.block);
            let part = &prepared.plan(plan).blocks[block as usize].parts[number as usize];
            let value = self.view.graph.evaluate_once(scope, part.value);
            let to = part.kind.shown(&value);
            let means = match (&part.control, &held) {
                (Some(conversion), Shown::Text(text)) => {
                    conversion.value(text).is_some_and(|held| held.same(&value))
                }
                _ => false,
            };
            if to == held || means {
                continue;
            }
            let node = self.view.graph.scope(scope).first + part.mark;
            push_patch(&mut self.view.making.patches, node, &part.kind, &to);
            self.view.graph.scope_mut(scope).shown[number as usize] = to.clone();
            changes.push(PartChange {
                place: PlaceId { scope, which: Which::Part(number) },
                address: self.view.graph.address(scope, &part.address),
                effect: Effect::Value { from: held, to },
                because: Vec::new(),
            });
        }
        changes
    }

    /// Marks controls that hold what means no value, and takes marks away, where the controls
    /// still stand.
    fn mark_controls(&mut self) {
        for (scope, mark, on) in std::mem::take(&mut self.view.making.marks) {
            let here = self.view.graph.scope(scope);
            if !here.alive {
                continue;
            }
            let (node, name) = (here.first + mark, "aria-invalid");
            let value = "true";
            self.view.making.patches.push(&match on {
                true => Patch::SetAttribute { node, name, value },
                false => Patch::RemoveAttribute { node, name },
            });
        }
    }

    /// Gives a control back what it showed before a pulse that was taken back.
    fn put_back(&mut self, scope: ScopeId, part: u32, held: Shown) {
        let prepared = self.view.graph.prepared.clone();
        let here = self.view.graph.scope(scope);
        let block = &prepared.plan(here.plan).blocks[here.block as usize];
        let planned = &block.parts[part as usize];
        let shown = &here.shown[part as usize];
        if *shown != held {
            let node = here.first + planned.mark;
            push_patch(&mut self.view.making.patches, node, &planned.kind, shown);
        }
    }

    /// Brings the view up to date, and records what the pulse did.
    fn settle(&mut self, cause: Cause, given: GivenEvents) -> Pulse {
        let opened = cause == Cause::Opened;
        let mut changes: Vec<PartChange> = Vec::new();
        // What a derived value wakes that is worked out only now has not changed what it read, or
        // it would have been looked at before; it has to be told that it is up to date.
        loop {
            changes.extend(self.settle_spots());
            let mut parts = std::mem::take(&mut self.view.graph.parts);
            parts.retain(|(scope, reader)| self.view.is_waiting(*scope, *reader));
            if parts.is_empty() {
                break;
            }
            parts.sort_unstable();
            parts.dedup();
            for (scope, reader) in parts {
                changes.extend(self.settle_part(scope, reader));
            }
        }
        changes.extend(self.check_controls());
        self.mark_controls();
        if changes.len() > 1 {
            let mut keyed: Vec<(Vec<u32>, PartChange)> = changes
                .into_iter()
                .map(|change| (self.view.graph.document_order(change.place), change))
                .collect();
            keyed.sort_by(|(a, _), (b, _)| a.cmp(b));
            changes = keyed.into_iter().map(|(_, change)| change).collect();
        }
        let mut pulse = self.record(cause, given, changes);
        if opened || !self.recording {
            // All is new: nothing followed from anything.
            pulse.values.clear();
        } else {
            self.keep_real_changes(&mut pulse);
        }
        self.view.end();
        let graph = &self.view.graph;
        self.settling.retain(|waiting| graph.scope(waiting.scope).alive);
        pulse
    }

    /// Branches and lists, outer ones before inner ones: nothing is evaluated for what is going
    /// away.
    fn settle_spots(&mut self) -> Vec<PartChange> {
        let mut changes = Vec::new();
        while let Some(Reverse((_, scope, reader))) = self.view.graph.spots.pop() {
            if !self.view.is_waiting(scope, reader) {
                continue;
            }
            let prepared = self.view.graph.prepared.clone();
            let here = self.view.graph.scope(scope);
            let spot = reader - prepared.block(here.plan, here.block).reader_of_spot(0);
            let Some(effect) = self.view.settle_spot(scope, spot) else { continue };
            if !self.recording {
                continue;
            }
            let place = PlaceId { scope, which: Which::Spot(spot) };
            let address = self.view.graph.address_of_spot(scope, spot);
            let because = self.because(scope, reader);
            changes.push(PartChange { place, address, effect, because });
        }
        changes
    }

    fn settle_part(&mut self, scope: ScopeId, reader: u32) -> Option<PartChange> {
        let graph = &mut self.view.graph;
        if !graph.settle_reads((scope, reader)) {
            return None;
        }
        let prepared = graph.prepared.clone();
        let (plan, block) = (graph.scope(scope).plan, graph.scope(scope).block);
        let number = reader - prepared.block(plan, block).reader_of_part(0);
        let part = &prepared.plan(plan).blocks[block as usize].parts[number as usize];
        let value = graph.evaluate((scope, reader), part.value);
        graph.freshen((scope, reader));
        self.view.making.evaluated.push((scope, reader));
        let to = part.kind.shown(&value);
        self.view.report_unsafe(scope, &part.address, &part.kind, &value, &to);
        let shown = &self.view.graph.scope(scope).shown[number as usize];
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
        self.view.clear_invalid(scope, number, part.mark);
        let shown = &mut self.view.graph.scope_mut(scope).shown[number as usize];
        if !self.recording {
            *shown = to;
            return None;
        }
        let from = std::mem::replace(shown, to.clone());
        Some(PartChange {
            place: PlaceId { scope, which: Which::Part(number) },
            address: self.view.graph.address(scope, &part.address),
            effect: Effect::Value { from, to },
            because: self.because(scope, reader),
        })
    }

    fn because(&self, scope: ScopeId, reader: u32) -> Vec<usize> {
        self.view.graph.because((scope, reader)).iter().map(|i| *i as usize).collect()
    }

    fn record(&mut self, cause: Cause, given: GivenEvents, parts: Vec<PartChange>) -> Pulse {
        let number = self.next_pulse;
        self.next_pulse += 1;
        let plan = self.plan();
        let given = given.into_iter().map(|(event, values)| {
            let event = &plan.events[event as usize];
            let names = event.payload.iter().map(|(name, _)| name.clone());
            Given { name: event.name.clone(), payload: names.zip(values).collect() }
        });
        let (given, component) = (given.collect(), plan.name.clone());
        let values = if self.recording { self.value_changes() } else { Vec::new() };
        let making = std::mem::take(&mut self.view.making);
        let graph = &self.view.graph;
        let place = |(scope, reader): (ScopeId, u32)| {
            let here = graph.scope(scope);
            let ready = graph.prepared.block(here.plan, here.block);
            let which = match reader.checked_sub(ready.reader_of_part(0)) {
                Some(part) => Which::Part(part),
                None => Which::Spot(reader - ready.reader_of_spot(0)),
            };
            PlaceId { scope, which }
        };
        Pulse {
            number,
            component,
            cause,
            values,
            parts,
            given,
            patches: making.patches,
            evaluated: match self.recording {
                true => making.evaluated.into_iter().map(place).collect(),
                false => Vec::new(),
            },
            heard: false,
            created: making.created,
            problems: making.problems,
            computed: graph.computed,
            fault: None,
        }
    }

    /// The log in the words of the components, one entry for each write.
    fn value_changes(&self) -> Vec<ValueChange> {
        let graph = &self.view.graph;
        let change = |change: &crate::change::Change| {
            let (plan, at) =
                (graph.scope(change.scope).plan, graph.home(change.scope, change.cell));
            let cell = &graph.prepared.plan(plan).cells[change.cell as usize];
            let steps = change.path.iter().map(|step| step.to_string());
            let owner = graph.name_of(change.scope);
            let root = if owner.is_empty() { String::new() } else { format!("{owner}.") };
            let path = [root, cell.name.to_string()].into_iter().chain(steps).collect();
            let now = match graph.scope(at.0).cells.get(at.1 as usize) {
                Some(Slot::Own(value) | Slot::Derived { value, .. }) => value.at(&change.path),
                _ => None,
            };
            let difference = match &change.undo {
                Undo::Set(old) => {
                    Difference::Value { from: old.clone(), to: now.cloned().unwrap_or_default() }
                }
                Undo::Splice { at, removed, inserted } => {
                    Difference::Items { at: *at, removed: removed.len(), inserted: *inserted }
                }
                Undo::Permute(order) => {
                    let moved = order.iter().enumerate().filter(|(i, from)| *i != **from as usize);
                    Difference::Order { moved: moved.count() }
                }
            };
            let derived =
                matches!(graph.scope(at.0).cells.get(at.1 as usize), Some(Slot::Derived { .. }))
                    || matches!(cell.kind, CellKind::Derived(..));
            let layer = if derived { Layer::Derived } else { Layer::State };
            let because = change.because.iter().map(|i| *i as usize).collect();
            ValueChange { layer, path, inside: !owner.is_empty(), difference, because }
        };
        graph.log.iter().map(change).collect()
    }

    /// Makes one entry of several writes to one place, and drops what came out as it was.
    fn keep_real_changes(&self, pulse: &mut Pulse) {
        let log = &self.view.graph.log;
        if log.len() < 2 && !pulse.values.iter().any(is_no_change) {
            return;
        }
        type Place<'a> = (ScopeId, CellId, &'a [Step]);
        let mut stands_for: Vec<Option<usize>> = Vec::with_capacity(log.len());
        let mut kept: Vec<ValueChange> = Vec::new();
        let mut set: FxHashMap<Place<'_>, usize> = FxHashMap::default();
        for (i, change) in pulse.values.drain(..).enumerate() {
            let (scope, cell, path) = (log[i].scope, log[i].cell, log[i].path.as_slice());
            // A write inside what was already replaced is part of that replacement.
            let earlier = (0..=path.len()).find_map(|len| set.get(&(scope, cell, &path[..len])));
            let kept_as = match earlier {
                Some(earlier) => stands_for[*earlier],
                None if is_no_change(&change) => None,
                None => {
                    kept.push(change);
                    Some(kept.len() - 1)
                }
            };
            stands_for.push(kept_as);
            if matches!(log[i].undo, Undo::Set(_)) {
                set.entry((scope, cell, path)).or_insert(i);
            }
        }
        let renumber = |because: &mut Vec<usize>| {
            let mut renumbered: Vec<usize> =
                because.iter().filter_map(|i| stands_for.get(*i).copied().flatten()).collect();
            renumbered.sort_unstable();
            renumbered.dedup();
            *because = renumbered;
        };
        kept.iter_mut().for_each(|change| renumber(&mut change.because));
        pulse.parts.iter_mut().for_each(|part| renumber(&mut part.because));
        pulse.values = kept;
    }
}

/// What a pulse does first: writes, and what controls have come to hold.
type Act<'a> = dyn FnMut(&mut Run<'_>, &mut Controls) -> Result<(), Fault> + 'a;

/// A control that has come to hold something by itself.
struct HeldByControl {
    scope: ScopeId,
    part: u32,
    held: Shown,
    /// Whether that means a value of the state's type.
    accepted: bool,
}

type Controls = Vec<HeldByControl>;

/// What the event of a two-way binding says that its control holds.
fn held_by_control(event: &Value) -> Shown {
    let Value::Record(record) = event else { return Shown::Absent };
    let held = record.iter().next().map(|(_, value)| value);
    match held {
        Some(Value::Boolean(on)) => Shown::Flag(*on),
        Some(other) => Shown::Text(other.to_shown()),
        None => Shown::Absent,
    }
}

/// Whether it came out as it was, or was worked out for the first time.
fn is_no_change(change: &ValueChange) -> bool {
    let first = change.layer == Layer::Derived && change.because.is_empty();
    first || matches!(&change.difference, Difference::Value { from, to } if from.same(to))
}

/// `button` of `button click`.
fn element_of(address: &str) -> &str {
    address.rsplit_once(' ').map_or(address, |(element, _)| element)
}
