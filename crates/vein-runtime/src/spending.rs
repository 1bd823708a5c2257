//! What a pulse uses up, and where it was when there was not enough.

use crate::execute::Owner;
use crate::fault::Fault;
use crate::graph::{Graph, ReaderKey};
use crate::scope::ScopeId;
use crate::wakes::Prepared;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use vein_plan::budget::{Budget, Resource, Spent};
use vein_plan::value::VALUE_BYTES;
use vein_plan::{Step, Value};

/// What is being worked out.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Doing {
    /// Nothing that is known.
    Nothing,
    /// Something that reads: a derived value, a part, a place where things come and go, what is asked or runs by itself.
    Reading(ReaderKey),
    /// Statements of somebody.
    Running(ScopeId, Owner),
    /// The rows of a list, or what else stands in a spot.
    Making(ScopeId, u32),
}

/// Steps that are used up where nobody has the state in hand: what tells items of lists apart is worked out from each alone.
#[derive(Debug, Default)]
pub(crate) struct Aside {
    steps: AtomicU64,
    most: AtomicU64,
}

impl Aside {
    /// Uses up steps. `false` where there are not enough: whoever uses up anything next finds it.
    pub(crate) fn spend(&self, steps: u64) -> bool {
        let before = self.steps.fetch_add(steps, Ordering::Relaxed);
        before.saturating_add(steps) <= self.most.load(Ordering::Relaxed)
    }

    /// Leaves no steps: whoever uses up anything next finds it.
    pub(crate) fn end(&self) {
        self.steps.store(u64::MAX / 2, Ordering::Relaxed);
    }

    /// What was used up since it was asked last: most of the time nothing, which is all that is looked at then.
    #[inline]
    fn take(&self) -> u64 {
        match self.steps.load(Ordering::Relaxed) {
            0 => 0,
            _ => self.steps.swap(0, Ordering::Relaxed),
        }
    }
}

/// What the pulse under way has used up of its budget.
#[derive(Debug)]
pub(crate) struct Purse {
    pub(crate) budget: Budget,
    pub(crate) spent: Spent,
    pub(crate) doing: Doing,
    pub(crate) aside: Arc<Aside>,
    is_empty: bool,
}

impl Purse {
    pub(crate) fn new(budget: Budget) -> Purse {
        let aside = Arc::new(Aside { most: budget.steps.into(), ..Aside::default() });
        Purse { budget, spent: Spent::default(), doing: Doing::Nothing, aside, is_empty: false }
    }

    /// Begins a pulse.
    pub(crate) fn fill(&mut self) {
        (self.spent, self.doing, self.is_empty) = (Spent::default(), Doing::Nothing, false);
        self.aside.steps.store(0, Ordering::Relaxed);
        self.aside.most.store(self.budget.steps, Ordering::Relaxed);
    }

    /// Works without end from now on, as for what was within a budget before; gives what there was.
    pub(crate) fn set_aside(&mut self) -> Purse {
        std::mem::replace(self, Purse::new(Budget::ENDLESS))
    }

    /// Notes what is being worked out; gives what was.
    pub(crate) fn begin(&mut self, doing: Doing) -> Doing {
        std::mem::replace(&mut self.doing, doing)
    }
}

impl Graph {
    /// Uses up steps and bytes. `false` where there is not enough: the pulse fails.
    #[inline]
    pub(crate) fn spend(&mut self, steps: u64, bytes: u64) -> bool {
        self.use_up(steps, bytes, 0)
    }

    /// Uses up nodes, each with what it takes to know of it.
    pub(crate) fn spend_nodes(&mut self, nodes: u64) -> bool {
        self.use_up(0, 0, nodes)
    }

    /// Uses up what it takes to note a write, so that it can be taken back.
    pub(crate) fn spend_write(&mut self, path: &[Step]) {
        self.spend(0, (4 + path.len() as u64) * VALUE_BYTES);
    }

    /// Uses up what a value takes that goes into state, with everything in it: whoever keeps it or sends it on writes it out.
    pub(crate) fn spend_kept(&mut self, value: &Value) -> bool {
        match value {
            Value::List(_) | Value::Record(_) => {
                let bytes = value.bytes(self.bytes_left());
                self.spend(0, bytes)
            }
            _ => true,
        }
    }

    #[inline]
    fn use_up(&mut self, steps: u64, bytes: u64, nodes: u64) -> bool {
        let steps = steps.saturating_add(self.purse.aside.take());
        match self.purse.spent.add(&self.purse.budget, steps, bytes, nodes) {
            Ok(()) => true,
            Err(what) => self.has_run_out(what),
        }
    }

    pub(crate) fn bytes_left(&self) -> u64 {
        self.purse.budget.bytes.saturating_sub(self.purse.spent.bytes)
    }

    /// Whether the pulse has used up more than there is.
    pub(crate) fn is_out(&self) -> bool {
        self.purse.is_empty
    }

    /// Notes that calls of functions stand too deep inside each other: nothing more is worked out.
    #[cold]
    pub(crate) fn calls_too_deep(&mut self, function: &str) {
        self.purse.is_empty = true;
        self.purse.spent.steps = u64::MAX;
        self.ends(Fault::CallsTooDeep { function: function.into() });
    }

    /// Notes that nothing more is worked out. If the host has failed before, that is no longer what ends the pulse: it could
    /// be caught, and nobody could go on.
    fn ends(&mut self, fault: Fault) {
        if matches!(self.fault, None | Some(Fault::Host { .. })) {
            self.fault = Some(fault);
        }
    }

    #[cold]
    fn has_run_out(&mut self, what: Resource) -> bool {
        if !std::mem::replace(&mut self.purse.is_empty, true) {
            let (most, at) = (self.purse.budget.of(what), self.shown_doing());
            self.ends(Fault::OverBudget { what, most, at });
        }
        false
    }

    /// Notes that something reads, from now on; gives what was noted. What nobody has written a name for is worked out for
    /// whoever reads it.
    pub(crate) fn begin_reading(
        &mut self,
        prepared: &Prepared,
        (scope, reader): ReaderKey,
    ) -> Doing {
        let here = self.scope(scope);
        let cell = prepared.block(here.plan, here.block).cells.get(reader as usize);
        let is_own = cell.is_some_and(|cell| prepared.is_own(here.plan, *cell));
        match (is_own, self.purse.doing) {
            (true, around @ (Doing::Reading(_) | Doing::Running(..))) => around,
            _ => self.purse.begin(Doing::Reading((scope, reader))),
        }
    }

    /// What is being worked out, as people call it.
    fn shown_doing(&self) -> String {
        match self.purse.doing {
            Doing::Nothing => String::new(),
            Doing::Reading(key) => self.address_of_reader(key),
            Doing::Running(scope, owner) => self.address_of_owner(scope, owner),
            Doing::Making(scope, spot) => self.address_of_spot(scope, spot),
        }
    }

    /// What reads, as people call it.
    fn address_of_reader(&self, (scope, reader): ReaderKey) -> String {
        let here = self.scope(scope);
        let plan = self.prepared.plan(here.plan);
        let (ready, block) =
            (self.prepared.block(here.plan, here.block), &plan.blocks[here.block as usize]);
        let at = |first: u32| reader.checked_sub(first).map(|at| at as usize);
        let own = match (at(ready.reader_of_effect(0)), at(ready.reader_of_part(0))) {
            (Some(effect), _) => match effect.checked_sub(plan.sources.len()) {
                None => &plan.cells[plan.sources[effect].value as usize].name,
                Some(hook) => &plan.hooks[hook].address,
            },
            (_, Some(part)) => &block.parts[part].address,
            _ => match at(ready.reader_of_spot(0)) {
                Some(spot) => &block.spots[spot].address,
                None => &plan.cells[ready.cells[reader as usize] as usize].name,
            },
        };
        self.address(scope, own)
    }
}
