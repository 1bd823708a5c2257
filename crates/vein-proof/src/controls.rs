//! Controls that are bound both ways, followed from pulse to pulse from outside the engine: what they hold,
//! whether somebody is using them, whether they are marked.

use crate::fresh::Fresh;
use crate::verdict::{Told, kind_name, shown_at, target};
use rustc_hash::{FxHashMap, FxHashSet};
use vein_plan::{Block, Listener, Shown, Value};
use vein_runtime::{Cause, Pulse, Runtime};
use vein_view::{NodeId, NodeNumber, Tree};

/// A control that is bound both ways, as a pulse leaves it.
pub(crate) struct Hand {
    /// What it holds.
    pub(crate) held: Shown,
    /// What the state shows in it.
    pub(crate) wanted: Shown,
    /// Whether somebody is using it: what it holds was entered and is committed later.
    pub(crate) waits: bool,
    /// Whether what it holds was committed and means no value.
    pub(crate) invalid: bool,
}

/// A control that is bound both ways, seen from outside the engine.
struct Control<'a> {
    block: &'a Block,
    part: u32,
    node: NodeId,
    number: NodeNumber,
    serial: u64,
    held: Option<Shown>,
    wanted: &'a Shown,
    value: &'a Value,
}

/// What is known of controls: by what tells their nodes apart, and their parts.
pub(crate) type Known = FxHashMap<(u64, u32), Hand>;

/// What is known of the controls of a page as it stands, when nothing was seen before.
pub(crate) fn at_first(runtime: &Runtime, tree: &Tree, fresh: &Fresh) -> Known {
    each(runtime, tree, fresh, |control| {
        let marked = tree.attribute(control.node, "aria-invalid") == Some("true");
        // What was entered and waits to be committed says nothing of the mark yet, which is of what was committed before. It may have
        // come to mean what state says by then: what has been committed so has no mark.
        let uncommitted = !control.shows() || (marked && !control.is_nothing());
        let waits = control.is_later() && uncommitted;
        Some(Hand {
            waits,
            invalid: marked && (control.is_nothing() || waits),
            held: control.held.clone()?,
            wanted: control.wanted.clone(),
        })
    })
}

/// What is known of the controls after a pulse.
pub(crate) fn after(
    runtime: &Runtime,
    tree: &Tree,
    fresh: &Fresh,
    (pulse, told): (&Pulse, &Told<'_>),
    before: &Known,
) -> Known {
    let patched: FxHashSet<(NodeNumber, String)> =
        told.applied.iter().map(|p| target(&p)).collect();
    each(runtime, tree, fresh, |control| {
        control.after(pulse, told.reached, &patched, before.get(&control.key()))
    })
}

fn each(
    runtime: &Runtime,
    tree: &Tree,
    fresh: &Fresh,
    work_out: impl Fn(&Control<'_>) -> Option<Hand>,
) -> Known {
    let mut all = Known::default();
    for scope in &fresh.scopes {
        let block = &runtime.program().plans[scope.plan].blocks[scope.block as usize];
        let bound = block.parts.iter().enumerate().filter(|(_, part)| part.control.is_some());
        let Some(kept) = scope.kept.filter(|_| bound.clone().next().is_some()) else { continue };
        let first = runtime.first_of(kept);
        for (at, part) in bound {
            let number = first + part.mark;
            let Some(node) = tree.numbered(number) else { continue };
            let control = Control {
                block,
                part: at as u32,
                node,
                number,
                serial: tree.serial(node),
                held: shown_at(tree, node, &part.kind),
                wanted: &scope.parts[at],
                value: &scope.values[at],
            };
            all.extend(work_out(&control).map(|hand| (control.key(), hand)));
        }
    }
    all
}

impl Control<'_> {
    fn key(&self) -> (u64, u32) {
        (self.serial, self.part)
    }

    fn means(&self) -> Option<Value> {
        let conversion = self.block.parts[self.part as usize].control.as_ref()?;
        match &self.held {
            Some(Shown::Text(text)) => conversion.value(text),
            _ => None,
        }
    }

    /// Whether it holds text that means no value of its type.
    fn is_nothing(&self) -> bool {
        matches!(self.held, Some(Shown::Text(_))) && self.means().is_none()
    }

    /// Whether it holds what the state says, however it is spelt.
    fn shows(&self) -> bool {
        self.held.as_ref() == Some(self.wanted)
            || self.means().is_some_and(|means| means.same(self.value))
    }

    fn commits(&self) -> impl Iterator<Item = &Listener> {
        self.block.listeners.iter().filter(|listener| {
            listener.commit.as_ref().is_some_and(|commit| commit.part == self.part)
        })
    }

    /// Whether what a person enters is committed later than it is entered.
    fn is_later(&self) -> bool {
        self.commits()
            .any(|listener| &*listener.event == "change" || listener.options.quiet.is_some())
    }

    /// Whether a pulse was what this control had to say.
    fn is_committed(&self, pulse: &Pulse, reached: &[NodeNumber]) -> bool {
        self.commits().any(|listener| match &pulse.cause {
            Cause::Event { kind, .. } => {
                let now = *kind == *listener.event && listener.options.quiet.is_none();
                (now || kind == "reset") && reached.contains(&self.number)
            }
            Cause::Settled { kind, node, after, .. } => {
                *kind == *listener.event
                    && listener.options.quiet == Some(*after)
                    && *node == self.number
            }
            _ => false,
        })
    }

    fn after(
        &self,
        pulse: &Pulse,
        reached: &[NodeNumber],
        patched: &FxHashSet<(NodeNumber, String)>,
        before: Option<&Hand>,
    ) -> Option<Hand> {
        let held = self.held.clone()?;
        let wanted = self.wanted.clone();
        // What a pulse that was taken back would have committed was never said.
        let committed = pulse.fault.is_none() && self.is_committed(pulse, reached);
        let same = before.filter(|before| before.wanted == wanted);
        let entered = same.is_some_and(|before| before.waits || before.held != held);
        let own = (self.number, kind_name(&self.block.parts[self.part as usize].kind));
        // What a pulse that was taken back writes is what stood there.
        let patched = pulse.fault.is_none() && patched.contains(&own);
        // What began to wait in a pulse that was taken back does not.
        let said = |listener: &Listener| match &pulse.cause {
            Cause::Event { kind, .. } => *kind == *listener.event,
            _ => false,
        };
        let refused =
            pulse.fault.is_some() && reached.contains(&self.number) && self.commits().any(said);
        let waits = self.is_later() && !committed && !patched && !refused && entered;
        let unchanged = same.filter(|before| !committed && (waits || before.held == held));
        let invalid = match unchanged {
            Some(before) => before.invalid,
            None => held != wanted && self.is_nothing(),
        };
        Some(Hand { held, wanted, waits, invalid })
    }
}
