//! What a pulse did, in the words of the components.

use crate::change::{Change, Undo};
use crate::execute::{GivenEvents, Turn};
use crate::graph::Graph;
use crate::pulse::{
    Cause, Difference, Effect, Given, Layer, PartChange, PlaceId, Pulse, ValueChange, Which,
    Written,
};
use crate::runtime::Runtime;
use crate::scope::{NONE, ScopeId, Slot};
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;
use vein_plan::code::CellId;
use vein_plan::{CellKind, Step, Value};
use vein_view::{NodeNumber, ROOT};

impl Graph {
    /// The node that a spot stands in.
    fn node_around(&self, scope: ScopeId, spot: u32) -> NodeNumber {
        let (mut scope, mut spot) = (scope, spot);
        loop {
            let here = self.scope(scope);
            let block = &self.prepared.plan(here.plan).blocks[here.block as usize];
            if let Some(mark) = block.spots[spot as usize].parent {
                return here.first + mark;
            }
            (scope, spot) = here.holder;
            if scope == NONE {
                return ROOT;
            }
        }
    }

    /// Whose cell it is, by name, and the path of the cell with that name in front: `bed-row[#2].open`.
    pub(crate) fn path_of(&self, scope: ScopeId, cell: CellId) -> (String, String) {
        let name = &self.prepared.plan(self.scope(scope).plan).cells[cell as usize].name;
        let owner = self.name_of(scope);
        let path = if owner.is_empty() { name.to_string() } else { format!("{owner}.{name}") };
        (owner, path)
    }

    /// What was written: the name of whose state it is, and the way to it with that name in front.
    pub(crate) fn written(&self, change: &Change) -> (String, String) {
        let (owner, mut path) = self.path_of(change.scope, change.cell);
        change.path.iter().for_each(|step| path.push_str(&step.to_string()));
        (owner, path)
    }

    /// Whether it was done to what is kept of a derived value, which is told of as a whole.
    fn is_kept_in_place(&self, change: &Change) -> bool {
        let whole = change.path.is_empty() && matches!(change.undo, Undo::Set(_));
        !whole && self.is_derived(change)
    }

    /// What has become of a derived value to which several things were done in place, told with the first of them.
    fn whole_change(
        &self,
        write: usize,
        change: &Change,
        told: &mut Vec<(ScopeId, CellId)>,
    ) -> ValueChange {
        let place = (change.scope, change.cell);
        let (home, at) = self.home(change.scope, change.cell);
        let now = match self.scope(home).cells.get(at as usize) {
            Some(Slot::Derived { value, .. }) => value.clone(),
            _ => Value::Null,
        };
        let mut from = now.clone();
        if !told.contains(&place) {
            told.push(place);
            let own = self.log[write..].iter().filter(|other| (other.scope, other.cell) == place);
            own.rev().for_each(|other| other.undo.clone().undo(&other.path, &mut from));
        }
        let (owner, path) = self.path_of(change.scope, change.cell);
        ValueChange {
            layer: Layer::Derived,
            path,
            inside: !owner.is_empty(),
            difference: Difference::Value { from, to: now },
            because: change.because.iter().map(|i| *i as usize).collect(),
        }
    }

    /// Whether it was a derived value that followed.
    pub(crate) fn is_derived(&self, change: &Change) -> bool {
        let (home, at) = self.home(change.scope, change.cell);
        let cell = &self.prepared.plan(self.scope(change.scope).plan).cells[change.cell as usize];
        matches!(self.scope(home).cells.get(at as usize), Some(Slot::Derived { .. }))
            || matches!(cell.kind, CellKind::Derived(..))
    }
}

impl Runtime {
    /// The record of a change of a part.
    pub(crate) fn part_change(
        &self,
        place: PlaceId,
        effect: Effect,
        because: Vec<usize>,
    ) -> PartChange {
        let graph = &self.view.graph;
        let here = graph.scope(place.scope);
        let block = &graph.prepared.plan(here.plan).blocks[here.block as usize];
        let (own, node) = match place.which {
            Which::Part(part) => {
                let part = &block.parts[part as usize];
                (&part.address, here.first + part.mark)
            }
            Which::Spot(spot) => {
                let planned = &block.spots[spot as usize];
                (&planned.address, graph.node_around(place.scope, spot))
            }
        };
        PartChange {
            place,
            plan: here.plan,
            block: here.block,
            node,
            address: graph.address(place.scope, own),
            effect,
            because,
        }
    }

    pub(crate) fn because(&self, scope: ScopeId, reader: u32) -> Vec<usize> {
        self.view.graph.because((scope, reader)).iter().map(|i| *i as usize).collect()
    }

    pub(crate) fn record(
        &mut self,
        cause: Cause,
        given: GivenEvents,
        parts: Vec<PartChange>,
    ) -> Pulse {
        let number = self.next_pulse;
        self.next_pulse += 1;
        let plan = self.plan();
        let given = given.into_iter().map(|(event, values)| {
            let event = &plan.events[event as usize];
            let names = event.payload.iter().map(|(name, _)| name.clone());
            Given { name: event.name.clone(), payload: names.zip(values).collect() }
        });
        let (given, component) = (given.collect(), plan.name.clone());
        let values = if self.records() { self.value_changes() } else { Vec::new() };
        let making = std::mem::take(&mut self.view.making);
        self.view.graph.batches += u32::from(!making.patches.is_empty());
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
            questions: Vec::new(),
            dropped: Vec::new(),
            patches: making.patches,
            evaluated: match self.records() {
                true => making.evaluated.into_iter().map(place).collect(),
                false => Vec::new(),
            },
            heard: false,
            created: making.created,
            problems: making.problems,
            computed: graph.computed,
            ran: Vec::new(),
            written: Vec::new(),
            rounds: 0,
            fault: None,
        }
    }

    /// The log in the words of the components, one entry for each write.
    fn value_changes(&self) -> Vec<ValueChange> {
        let graph = &self.view.graph;
        let mut whole = Vec::new();
        let change = |(write, change): (usize, &Change)| {
            if graph.is_kept_in_place(change) {
                return graph.whole_change(write, change, &mut whole);
            }
            let at = graph.home(change.scope, change.cell);
            let (owner, path) = graph.written(change);
            let now = match graph.scope(at.0).cells.get(at.1 as usize) {
                Some(Slot::Own(value) | Slot::Derived { value, .. }) => value.at(&change.path),
                _ => None,
            };
            let difference = match &change.undo {
                Undo::Set(old) => {
                    Difference::Value { from: old.clone(), to: now.cloned().unwrap_or_default() }
                }
                Undo::Add => Difference::Entry { from: None, to: now.cloned() },
                Undo::Take { removed, .. } => {
                    Difference::Entry { from: Some(removed.clone()), to: now.cloned() }
                }
                Undo::Splice { at, removed, inserted } => {
                    Difference::Items { at: *at, removed: removed.len(), inserted: *inserted }
                }
                Undo::Permute(order) => {
                    let moved = order.iter().enumerate().filter(|(i, from)| *i != **from as usize);
                    Difference::Order { moved: moved.count() }
                }
            };
            let layer = if graph.is_derived(change) { Layer::Derived } else { Layer::State };
            let because = change.because.iter().map(|i| *i as usize).collect();
            ValueChange { layer, path, inside: !owner.is_empty(), difference, because }
        };
        graph.log.iter().enumerate().map(change).collect()
    }

    /// Makes one entry of several writes to one place, and drops what came out as it was.
    pub(crate) fn keep_real_changes(&self, pulse: &mut Pulse, turn: &Turn) {
        let unchanged = pulse.values.iter().any(is_no_change);
        if pulse.rounds > 0 || unchanged {
            let all = pulse.values.iter().enumerate();
            let state = all.filter(|(_, change)| change.layer == Layer::State);
            let written = state.map(|(at, change)| Written {
                path: change.path.clone(),
                by_itself: at >= turn.acted,
            });
            pulse.written = written.collect();
        }
        let log = &self.view.graph.log;
        let gone = || log.iter().any(|change| !self.view.graph.scope(change.scope).alive);
        let is_own = |change: &Change| {
            let graph = &self.view.graph;
            graph.prepared.is_own(graph.scope(change.scope).plan, change.cell)
        };
        // What is derived in what has just come was never anything else.
        let made: FxHashSet<ScopeId> = self.view.made.iter().map(|(id, _)| *id).collect();
        let is_new =
            |change: &ValueChange, scope| change.layer == Layer::Derived && made.contains(&scope);
        if log.len() < 2 && !unchanged && made.is_empty() && !gone() && !log.iter().any(is_own) {
            return;
        }
        type Place<'a> = (ScopeId, CellId, &'a [Step]);
        let mut stands_for: Vec<SmallVec<[usize; 2]>> = Vec::with_capacity(log.len());
        let mut kept: Vec<ValueChange> = Vec::new();
        let mut set: FxHashMap<Place<'_>, usize> = FxHashMap::default();
        for (i, change) in pulse.values.drain(..).enumerate() {
            let in_place = self.view.graph.is_kept_in_place(&log[i]);
            let path = if in_place { &[] } else { log[i].path.as_slice() };
            let (scope, cell) = (log[i].scope, log[i].cell);
            // A write inside what was already replaced is part of that replacement.
            let earlier = (0..=path.len()).find_map(|len| set.get(&(scope, cell, &path[..len])));
            let kept_as = match earlier {
                // In place of what nobody is told of stands what it follows from.
                _ if is_own(&log[i]) || is_new(&change, scope) => {
                    change.because.iter().flat_map(|at| stands_for[*at].clone()).collect()
                }
                Some(earlier) => stands_for[*earlier].clone(),
                // What is gone has no state.
                None if is_no_change(&change) || !self.view.graph.scope(scope).alive => {
                    SmallVec::new()
                }
                None => {
                    kept.push(change);
                    SmallVec::from_slice(&[kept.len() - 1])
                }
            };
            stands_for.push(kept_as);
            let undo = &log[i].undo;
            if in_place || matches!(undo, Undo::Set(_)) || undo.is_of_keys() {
                set.entry((scope, cell, path)).or_insert(i);
            }
        }
        let renumber = |because: &mut Vec<usize>| {
            let mut renumbered: Vec<usize> =
                because.iter().filter_map(|i| stands_for.get(*i)).flatten().copied().collect();
            renumbered.sort_unstable();
            renumbered.dedup();
            *because = renumbered;
        };
        kept.iter_mut().for_each(|change| renumber(&mut change.because));
        pulse.parts.iter_mut().for_each(|part| renumber(&mut part.because));
        pulse.values = kept;
    }
}

/// Whether it came out as it was, or was worked out for the first time.
fn is_no_change(change: &ValueChange) -> bool {
    let first = change.layer == Layer::Derived && change.because.is_empty();
    first
        || match &change.difference {
            Difference::Value { from, to } => from.same(to),
            Difference::Entry { from, to } => from.is_none() && to.is_none(),
            Difference::Items { .. } | Difference::Order { .. } => false,
        }
}

/// `button` of `button click`.
pub(crate) fn element_of(address: &str) -> &str {
    address.rsplit_once(' ').map_or(address, |(element, _)| element)
}
