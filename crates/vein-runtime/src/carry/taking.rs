//! What a page holds, taken from it.

use super::places::{Places, addressed};
use super::{
    Addressed, Carried, CarriedControl, CarriedInstance, CarriedSource, CarriedTimer, Going,
    Settling, Suspended,
};
use crate::clock::{TimerKind, Whose};
use crate::runtime::{ROOT_SCOPE, Runtime};
use crate::scope::{Scope, ScopeId, Slot};
use rustc_hash::FxHashMap;
use vein_plan::{CellKind, Shown};

impl Runtime {
    /// What the page holds that nobody could work out again.
    pub fn carried(&mut self) -> Carried {
        self.note_positions();
        let prepared = self.view.graph.prepared.clone();
        let graph = &self.view.graph;
        let (mut instances, mut spent, mut going) = (Vec::new(), Vec::new(), Going::default());
        let (mut controls, mut settling, mut suspended) = (Vec::new(), Vec::new(), Vec::new());
        for id in self.in_order() {
            let scope = graph.scope(id);
            let plan = prepared.plan(scope.plan);
            if scope.block == 0 {
                instances.push((scope.serial, self.carried_instance(id, scope)));
            }
            controls.extend(self.own_controls(id, scope));
            let Some(wards) = &scope.wards else { continue };
            spent.extend(wards.spent.iter().map(|listener| (id, *listener)));
            for (listener, key) in &wards.settling {
                let Some(timer) = self.waiting.timers.get(key) else { continue };
                let TimerKind::Settled { event, after, .. } = &timer.kind else { continue };
                settling.push(((id, *listener), *key, event.clone(), *after));
            }
            for question in &wards.waiting {
                let Some(open) = self.waiting.questions.get(question) else { continue };
                let Whose::Statements(activity) = &open.whose else { continue };
                let function = &plan.asked[open.asked as usize];
                suspended.push((
                    (id, activity.owner),
                    Suspended {
                        owner: Addressed { address: String::new(), before: 0 },
                        plan: scope.plan,
                        block: scope.block,
                        id: *question,
                        activity: activity.clone(),
                        function: prepared.program.signature(function),
                    },
                ));
            }
        }
        let owners = if suspended.is_empty() { Places::default() } else { self.owners() };
        going.statements.extend(suspended.into_iter().filter_map(|(place, one)| {
            Some(Suspended { owner: addressed(&owners, place)?, ..one })
        }));
        going.program = Some(prepared.program.clone());
        going.next_question = self.waiting.next_question;
        let mut added: Vec<usize> = (0..instances.len()).collect();
        added.sort_by_key(|at| instances[*at].0);
        for (number, at) in added.into_iter().enumerate() {
            instances[at].1.added = number;
        }
        let instances = instances.into_iter().map(|(_, instance)| instance).collect();
        let (now, pulses) = (self.waiting.now, self.next_pulse);
        let (date, chance) = (self.date(), self.view.graph.chance.0);
        let parts = if controls.is_empty() { FxHashMap::default() } else { self.parts() };
        let none = spent.is_empty() && settling.is_empty();
        let listeners = if none { FxHashMap::default() } else { self.listeners() };
        let control = |(place, held, invalid)| {
            Some(CarriedControl { part: addressed(&parts, place)?, held, invalid })
        };
        let controls = controls.into_iter().filter_map(control).collect();
        let spent = spent.into_iter().filter_map(|place| addressed(&listeners, place)).collect();
        going.settling.extend(settling.into_iter().filter_map(|(place, key, event, after)| {
            let (due, order) = (key.0.get(), key.1);
            Some(Settling { listener: addressed(&listeners, place)?, due, order, event, after })
        }));
        let order = self.order();
        Carried { now, date, chance, pulses, instances, spent, controls, order, going }
    }

    /// The controls of a scope that show something of their own: the part, what it holds, and whether that means nothing.
    fn own_controls(&self, id: ScopeId, scope: &Scope) -> Vec<((ScopeId, u32), String, bool)> {
        let graph = &self.view.graph;
        let parts = &graph.prepared.plan(scope.plan).blocks[scope.block as usize].parts;
        let held = (0..).zip(parts).zip(&scope.shown).filter_map(|((number, part), shown)| {
            let (Some(conversion), Shown::Text(held)) = (&part.control, shown) else { return None };
            let invalid = scope.invalid.contains(&number);
            let spelt = conversion.value(held).map(|value| part.kind.shown(&value));
            let own = invalid || spelt.is_some_and(|spelt| spelt != *shown);
            own.then(|| ((id, number), held.to_string(), invalid))
        });
        held.collect()
    }

    fn carried_instance(&self, id: ScopeId, scope: &Scope) -> CarriedInstance {
        let graph = &self.view.graph;
        let prepared = &graph.prepared;
        let plan = prepared.plan(scope.plan);
        let ready = prepared.block(scope.plan, scope.block);
        let cells = ready.cells.iter().zip(&scope.cells);
        let values = cells.filter_map(|(cell, slot)| {
            let cell = &plan.cells[*cell as usize];
            let held = match cell.kind {
                // What stands elsewhere is called otherwise.
                CellKind::State(first) => !plan.is_own_id(first),
                CellKind::Shared(_) => true,
                CellKind::Prop(_) => id == ROOT_SCOPE,
                _ => false,
            };
            match slot {
                Slot::Own(value) if held => Some((cell.name.clone(), value.clone())),
                _ => None,
            }
        });
        let wards = scope.wards.as_ref();
        let asked = wards.iter().flat_map(|wards| plan.sources.iter().zip(&wards.sources));
        let sources = asked.filter_map(|(source, asked)| {
            let (question, args) = asked.as_ref()?;
            Some(CarriedSource {
                name: plan.cells[source.value as usize].name.clone(),
                function: prepared.program.signature(&plan.asked[source.asked as usize]),
                args: args.clone(),
                open: self.is_open(*question),
                question: Some(*question),
            })
        });
        let timers = wards.iter().flat_map(|wards| plan.hooks.iter().zip(&wards.timers));
        let timers = timers.filter_map(|(hook, timer)| {
            let ((due, order), period) = timer.as_ref()?;
            let (address, due, period) = (hook.address.clone(), due.get(), *period);
            Some(CarriedTimer { address, due, period, order: *order })
        });
        CarriedInstance {
            address: graph.name_of(id),
            component: plan.name.clone(),
            is_store: plan.store.is_some(),
            added: 0,
            values: values.collect(),
            sources: sources.collect(),
            timers: timers.collect(),
        }
    }
}
