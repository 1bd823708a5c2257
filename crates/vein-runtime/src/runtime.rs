//! A component at work: opened, dispatched to, written to by the host.

use crate::change::Undo;
use crate::execute::{GivenEvents, Run};
use crate::fault::Fault;
use crate::graph::{Graph, Prepared};
use crate::pulse::{Cause, Difference, Given, Layer, PartChange, Pulse, ValueChange};
use rustc_hash::FxHashMap;
use std::sync::Arc;
use vein_plan::code::CellId;
use vein_plan::eval::Cells;
use vein_plan::{CellKind, Name, PartKind, Plan, Program, Shown, Step, Value};
use vein_view::{Batch, NodeNumber, Patch, ROOT, Template};

/// The number of a component's first node.
const FIRST_NODE: NodeNumber = ROOT + 1;

/// A component on a page.
#[derive(Debug)]
pub struct Runtime {
    pub(crate) graph: Graph,
    shown: Vec<Shown>,
    next_pulse: u64,
    /// The time of the host's clock, in milliseconds.
    now: f64,
    settling: Vec<Settling>,
}

/// An event that waits until nothing more has happened.
#[derive(Debug)]
struct Settling {
    due: f64,
    listener: u32,
    event: Value,
    after: u32,
}

/// A listener that an event reached, with the fields of the event that it reads.
#[derive(Clone, Debug)]
pub struct Delivery {
    /// The listener's number in its component.
    pub listener: u32,
    /// A record of the fields.
    pub event: Value,
}

impl Runtime {
    /// Opens a component with the values of its props, and gives the pulse that shows it.
    /// Missing values are the defaults; the caller has seen to it that required ones are there.
    pub fn open(program: Arc<Program>, plan: usize, props: &[(Name, Value)]) -> (Runtime, Pulse) {
        let prepared = Arc::new(Prepared::new(program, plan));
        let mut runtime = Runtime {
            graph: Graph::new(prepared),
            shown: Vec::new(),
            next_pulse: 0,
            now: 0.0,
            settling: Vec::new(),
        };
        let pulse = runtime.show(props);
        (runtime, pulse)
    }

    /// The compiled component.
    pub fn plan(&self) -> &Plan {
        self.graph.prepared.plan()
    }

    /// The program that it is part of.
    pub fn program(&self) -> &Arc<Program> {
        &self.graph.prepared.program
    }

    /// Which of the program's components it is.
    pub fn plan_number(&self) -> usize {
        self.graph.prepared.plan
    }

    /// The values of all cells as they are kept; derived ones may be out of date while nothing
    /// shows them.
    pub fn values(&self) -> &[Value] {
        &self.graph.values
    }

    /// The value of a cell, brought up to date.
    pub fn value(&mut self, cell: CellId) -> Value {
        self.graph.begin();
        let value = self.graph.cell(cell);
        self.graph.end();
        value
    }

    /// How many reads are followed from run to run at present.
    pub fn followed_reads(&self) -> usize {
        self.graph.followed_reads()
    }

    /// The nodes that parts and listeners refer to.
    pub fn node_of_mark(mark: u32) -> NodeNumber {
        FIRST_NODE + mark
    }

    fn show(&mut self, props: &[(Name, Value)]) -> Pulse {
        self.graph.begin();
        let prepared = self.graph.prepared.clone();
        let plan = prepared.plan();
        for (i, cell) in plan.cells.iter().enumerate() {
            let given = props.iter().find(|(name, _)| *name == cell.name);
            let value = match (&cell.kind, given) {
                (CellKind::Prop(_), Some((_, value))) => value.clone(),
                (CellKind::Prop(Some(first)) | CellKind::State(first), _) => {
                    self.graph.evaluate_once(*first)
                }
                (CellKind::Prop(None) | CellKind::Derived(..), _) => continue,
            };
            self.graph.values[i] = value;
        }
        let mut patches = Batch::default();
        let template = Box::new(Template::of(plan));
        patches.push(&Patch::Template { number: 0, template });
        patches.push(&Patch::Clone { template: 0, parent: ROOT, first: FIRST_NODE });
        self.shown = plan
            .parts
            .iter()
            .map(|part| match part.kind {
                PartKind::Text => Shown::Text(String::new()),
                _ => Shown::Absent,
            })
            .collect();
        self.graph.waiting = (0..plan.parts.len()).map(|i| self.graph.reader_of_part(i)).collect();
        self.settle(Cause::Opened, patches, Vec::new())
    }

    /// Runs the listeners that an event reached, all in one pulse. Listeners that wait for
    /// quiet are noted for [`Runtime::run_due`]. `target` is how the record calls the element where
    /// the event reached nobody.
    pub fn dispatch(&mut self, kind: &str, target: &str, deliveries: Vec<Delivery>) -> Pulse {
        let prepared = self.graph.prepared.clone();
        let listeners = &prepared.plan().listeners;
        let reached = deliveries.first().and_then(|first| listeners.get(first.listener as usize));
        let on = reached.map_or(target, |listener| element_of(&listener.address)).to_owned();
        let (mut now, mut later) = (Vec::new(), Vec::new());
        for Delivery { listener: number, event } in deliveries {
            let Some(listener) = listeners.get(number as usize) else { continue };
            match listener.options.settle {
                None => now.push((listener, event)),
                Some(after) => {
                    let due = self.now + f64::from(after);
                    later.push(Settling { due, listener: number, event, after });
                }
            }
        }
        let pulse = self.pulse(Cause::Event { kind: kind.into(), on }, |run| {
            now.into_iter().try_for_each(|(listener, event)| run.body(&listener.body, vec![event]))
        });
        // A pulse that is taken back leaves what waits as it was, too.
        if pulse.fault.is_none() {
            self.settling.retain(|old| later.iter().all(|new| new.listener != old.listener));
            self.settling.extend(later);
        }
        pulse
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
        let Settling { listener, event, after, .. } = self.settling.remove(at);
        self.now = due.max(self.now);
        let prepared = self.graph.prepared.clone();
        let listener = &prepared.plan().listeners[listener as usize];
        let (kind, on) = (listener.event.to_string(), element_of(&listener.address).to_owned());
        let act = |run: &mut Run<'_>| run.body(&listener.body, vec![event]);
        Some(self.pulse(Cause::Settled { kind, on, after }, act))
    }

    /// Writes to a prop or to state. The caller has checked the value against its type.
    pub fn write(&mut self, cell: CellId, steps: Vec<Step>, value: Value) -> Pulse {
        let name = self.plan().cells[cell as usize].name.to_string();
        let path: String =
            std::iter::once(name).chain(steps.iter().map(|s| s.to_string())).collect();
        self.pulse(Cause::Write { path: path.clone() }, |run| {
            if run.graph.set(cell, steps, value, smallvec::SmallVec::new()) {
                Ok(())
            } else {
                Err(Fault::NoSuchPlace { path })
            }
        })
    }

    fn pulse(
        &mut self,
        cause: Cause,
        act: impl FnOnce(&mut Run<'_>) -> Result<(), Fault>,
    ) -> Pulse {
        self.graph.begin();
        let mut run = Run::new(&mut self.graph);
        let result = act(&mut run);
        let given = run.given;
        match result {
            Ok(()) => self.settle(cause, Batch::default(), given),
            Err(fault) => {
                self.graph.roll_back();
                let mut pulse = self.record(cause, Batch::default(), Vec::new());
                pulse.fault = Some(fault);
                pulse
            }
        }
    }

    /// Brings the parts up to date that are waiting, and records what the pulse did.
    fn settle(&mut self, cause: Cause, mut patches: Batch, given: GivenEvents) -> Pulse {
        let prepared = self.graph.prepared.clone();
        let plan = prepared.plan();
        let mut waiting = std::mem::take(&mut self.graph.waiting);
        waiting.sort_unstable();
        waiting.dedup();
        let (mut parts, mut evaluated) = (Vec::new(), Vec::new());
        for reader in waiting {
            let number = self.graph.part_of_reader(reader);
            if !self.graph.settle_reads(reader) {
                continue;
            }
            let part = &plan.parts[number];
            let value = self.graph.evaluate(reader, part.value);
            evaluated.push(number);
            let to = part.kind.shown(&value);
            let because = self.graph.because(reader).iter().map(|i| *i as usize).collect();
            self.graph.part_is_fresh(reader);
            if self.shown[number] == to {
                continue;
            }
            push_patch(&mut patches, Self::node_of_mark(part.mark), &part.kind, &to);
            let from = std::mem::replace(&mut self.shown[number], to.clone());
            parts.push(PartChange {
                part: number,
                address: part.address.clone(),
                from,
                to,
                because,
            });
        }
        let mut pulse = self.record(cause, patches, given);
        pulse.parts = parts;
        pulse.evaluated = evaluated;
        if pulse.cause == Cause::Opened {
            // All is new: nothing followed from anything.
            pulse.values.clear();
            pulse.parts.iter_mut().for_each(|part| part.because.clear());
        } else {
            self.keep_real_changes(&mut pulse);
        }
        self.graph.end();
        pulse
    }

    fn record(&mut self, cause: Cause, patches: Batch, given: GivenEvents) -> Pulse {
        let number = self.next_pulse;
        self.next_pulse += 1;
        let prepared = self.graph.prepared.clone();
        let plan = prepared.plan();
        let given = given.into_iter().map(|(event, values)| {
            let event = &plan.events[event as usize];
            let names = event.payload.iter().map(|(name, _)| name.clone());
            Given { name: event.name.clone(), payload: names.zip(values).collect() }
        });
        Pulse {
            number,
            component: plan.name.clone(),
            cause,
            values: self.value_changes(plan),
            parts: Vec::new(),
            given: given.collect(),
            patches,
            evaluated: Vec::new(),
            computed: self.graph.computed,
            fault: None,
        }
    }

    /// The log in the words of the component, one entry for each write.
    fn value_changes(&self, plan: &Plan) -> Vec<ValueChange> {
        let change = |change: &crate::change::Change| {
            let cell = &plan.cells[change.cell as usize];
            let steps = change.path.iter().map(|step| step.to_string());
            let path = std::iter::once(cell.name.to_string()).chain(steps).collect();
            let now = self.graph.values[change.cell as usize].at(&change.path);
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
            let layer = match cell.kind {
                CellKind::Derived(..) => Layer::Derived,
                _ => Layer::State,
            };
            let because = change.because.iter().map(|i| *i as usize).collect();
            ValueChange { layer, path, difference, because }
        };
        self.graph.log.iter().map(change).collect()
    }

    /// Makes one entry of several writes to one place, and drops what came out as it was.
    fn keep_real_changes(&self, pulse: &mut Pulse) {
        let log = &self.graph.log;
        if log.len() < 2 && !pulse.values.iter().any(is_nothing) {
            return;
        }
        let mut stands_for: Vec<Option<usize>> = Vec::with_capacity(log.len());
        let mut kept: Vec<ValueChange> = Vec::new();
        let mut set: FxHashMap<(CellId, &[Step]), usize> = FxHashMap::default();
        for (i, change) in pulse.values.drain(..).enumerate() {
            let (cell, path) = (log[i].cell, log[i].path.as_slice());
            // A write inside what was already replaced is part of that replacement.
            let earlier = (0..=path.len()).find_map(|len| set.get(&(cell, &path[..len])));
            let kept_as = match earlier {
                Some(earlier) => stands_for[*earlier],
                None if is_nothing(&change) => None,
                None => {
                    kept.push(change);
                    Some(kept.len() - 1)
                }
            };
            stands_for.push(kept_as);
            if matches!(log[i].undo, Undo::Set(_)) {
                set.entry((cell, path)).or_insert(i);
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

fn is_nothing(change: &ValueChange) -> bool {
    matches!(&change.difference, Difference::Value { from, to } if from.same(to))
}

/// `button` of `button click`.
fn element_of(address: &str) -> &str {
    address.rsplit_once(' ').map_or(address, |(element, _)| element)
}

fn push_patch(patches: &mut Batch, node: NodeNumber, kind: &PartKind, shown: &Shown) {
    match (kind, shown) {
        (PartKind::Text, Shown::Text(text)) => patches.push(&Patch::Text { node, text }),
        (PartKind::Attribute(name, _), Shown::Text(value)) => {
            patches.push(&Patch::SetAttribute { node, name, value });
        }
        (PartKind::Attribute(name, _), _) => {
            patches.push(&Patch::RemoveAttribute { node, name });
        }
        (PartKind::Property(property), Shown::Text(value)) => {
            patches.push(&Patch::SetProperty { node, property: *property, value });
        }
        (PartKind::Property(property), shown) => {
            let on = *shown == Shown::Flag(true);
            patches.push(&Patch::SetFlag { node, property: *property, on });
        }
        (PartKind::Text, _) => patches.push(&Patch::Text { node, text: "" }),
    }
}
