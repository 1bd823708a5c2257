//! Controls that come to hold something by themselves: what a person typed, ticked or chose.

use crate::pulse::{Effect, PlaceId, Problem, Which};
use crate::runtime::Runtime;
use crate::sabotage::Sabotage;
use crate::scope::ScopeId;
use crate::view::push_patch;
use vein_plan::{Shown, Value};
use vein_view::Patch;

/// A control that has come to hold something by itself.
pub(crate) struct HeldByControl {
    pub(crate) scope: ScopeId,
    pub(crate) part: u32,
    pub(crate) held: Shown,
    /// Whether that means a value of the state's type; `None` while it is not known, or nobody asks.
    pub(crate) accepted: Option<bool>,
    /// What it held before, where that may be other than what the engine knows, since its form was reset.
    pub(crate) was: Option<Shown>,
}

pub(crate) type Controls = Vec<HeldByControl>;

/// What the event of a two-way binding says that its control holds.
pub(crate) fn held_by_control(event: &Value) -> Shown {
    let Value::Record(record) = event else { return Shown::Absent };
    let held = record.iter().next().map(|(_, value)| value);
    match held {
        Some(Value::Boolean(on)) => Shown::Flag(*on),
        Some(other) => Shown::Text(other.to_shown()),
        None => Shown::Absent,
    }
}

impl Runtime {
    /// Notes what a control has come to hold by itself, so that it is not written to it again.
    pub(crate) fn holds(&mut self, scope: ScopeId, part: u32, held: Shown, accepted: bool) {
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
        self.view.set_shown(scope, part, held);
        if !self.view.graph.is_broken(Sabotage::NoMarks)
            && self.view.set_invalid(scope, part, !accepted)
        {
            self.view.making.marks.push((scope, mark, !accepted));
        }
    }

    /// Writes to controls whose own value did not come out as the state's: what was committed
    /// may have been changed again, or may have gone to what another row shows now.
    pub(crate) fn check_controls(&mut self) -> Vec<(PlaceId, Effect)> {
        let prepared = self.view.graph.prepared.clone();
        let mut changes = Vec::new();
        for (scope, number, held) in std::mem::take(&mut self.view.making.committed) {
            let here = self.view.graph.scope(scope);
            if !here.alive || here.shown[number as usize] != held {
                continue;
            }
            let (plan, block) = (here.plan, here.block);
            let part = &prepared.plan(plan).blocks[block as usize].parts[number as usize];
            let value = self.view.graph.evaluate_once(&prepared, scope, part.value);
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
            self.view.set_shown(scope, number, to.clone());
            let place = PlaceId { scope, which: Which::Part(number) };
            changes.push((place, Effect::Value { from: held, to }));
        }
        changes
    }

    /// Marks controls that hold what means no value, and takes marks away, where the controls
    /// still stand. What was marked and came to mean one within a pulse is as it was.
    pub(crate) fn mark_controls(&mut self) {
        let mut marks: Vec<(ScopeId, u32, bool)> = Vec::new();
        for (scope, mark, on) in std::mem::take(&mut self.view.making.marks) {
            match marks.iter().position(|known| (known.0, known.1) == (scope, mark)) {
                Some(at) => {
                    marks.remove(at);
                }
                None => marks.push((scope, mark, on)),
            }
        }
        for (scope, mark, on) in marks {
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

    /// Has the surface forget listeners that were to happen once and have, where they still stand.
    pub(crate) fn tell_spent(&mut self) {
        // They are kept until the pulse ends: it may yet be taken back.
        for at in 0..self.view.graph.spent.len() {
            let (scope, listener) = self.view.graph.spent[at];
            let here = self.view.graph.scope(scope);
            if here.alive && !self.view.graph.is_broken(Sabotage::UntoldOnce) {
                let block = &self.view.graph.prepared.plan(here.plan).blocks[here.block as usize];
                let node = here.first + block.listeners[listener as usize].mark;
                self.view.making.patches.push(&Patch::Done { node, listener });
            }
        }
    }

    /// Gives a control back what it showed before a pulse that was taken back.
    pub(crate) fn put_back(&mut self, scope: ScopeId, part: u32, held: Shown, was: Option<Shown>) {
        let prepared = self.view.graph.prepared.clone();
        let here = self.view.graph.scope(scope);
        let block = &prepared.plan(here.plan).blocks[here.block as usize];
        let planned = &block.parts[part as usize];
        let shown = was.as_ref().unwrap_or(&here.shown[part as usize]);
        if *shown != held {
            let node = here.first + planned.mark;
            push_patch(&mut self.view.making.patches, node, &planned.kind, shown);
        }
    }
}
