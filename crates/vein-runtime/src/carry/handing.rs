//! What a page holds, handed to the scopes of another while they are made.

use super::{CarriedInstance, Lost, path};
use crate::clock::{Open, Whose};
use crate::graph::Graph;
use crate::runtime::ROOT_SCOPE;
use crate::scope::{QuestionId, ScopeId, Slot};
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use vein_plan::code::CellId;
use vein_plan::{Answers, CellKind, Name, Program, Value};

/// What is left to hand to the scopes of a page that is being opened.
#[derive(Debug)]
pub(crate) struct Carrying {
    /// By whether it is a store, and its address.
    pub(super) instances: FxHashMap<(bool, String), VecDeque<CarriedInstance>>,
    /// What was found a scope for, but for its values.
    pub(super) found: FxHashMap<ScopeId, CarriedInstance>,
    /// Questions that stay open.
    pub(super) open: Vec<(QuestionId, Open)>,
    pub(crate) lost: Vec<Lost>,
}

impl Carrying {
    pub(crate) fn new(instances: Vec<CarriedInstance>) -> Carrying {
        let mut by_address: FxHashMap<_, VecDeque<CarriedInstance>> = FxHashMap::default();
        for instance in instances {
            let key = (instance.is_store, instance.address.clone());
            by_address.entry(key).or_default().push_back(instance);
        }
        let (found, open, lost) = (FxHashMap::default(), Vec::new(), Vec::new());
        Carrying { instances: by_address, found, open, lost }
    }

    /// Notes that a scope goes on with what stood there before; what of its values was not taken is not declared any more.
    pub(crate) fn goes_on_with(&mut self, scope: ScopeId, claimed: Claimed) {
        let Some(mut instance) = claimed.0 else { return };
        for (name, _) in std::mem::take(&mut instance.values) {
            // What stands beside what is loaded goes with it, and what falls to a root has no name of its own.
            if name.contains(['.', ' ']) {
                continue;
            }
            self.lost.push(Lost::Undeclared { path: path(&instance.address, &name) });
        }
        self.found.insert(scope, instance);
    }

    /// What the component or store at an address held.
    fn claim(&mut self, is_store: bool, address: &str, component: &Name) -> Claimed {
        let key = (is_store, address.to_owned());
        let Some(same) = self.instances.get_mut(&key) else { return Claimed::default() };
        let at = same.iter().position(|instance| instance.component == *component);
        let Some(instance) = at.and_then(|at| same.remove(at)) else { return Claimed::default() };
        if same.is_empty() {
            self.instances.remove(&key);
        }
        Claimed(Some(instance))
    }

    /// Whether a scope goes on with what stood there before.
    pub(crate) fn goes_on(&self, scope: ScopeId) -> bool {
        self.found.contains_key(&scope)
    }
}

impl Graph {
    /// What the component or store that a new scope is held before.
    pub(crate) fn claim(&mut self, scope: ScopeId) -> Claimed {
        if self.carrying.is_none() {
            return Claimed::default();
        }
        let plan = self.prepared.plan(self.scope(scope).plan);
        let (is_store, name, address) =
            (plan.store.is_some(), plan.name.clone(), self.name_of(scope));
        let carrying = self.carrying.as_mut();
        carrying.map_or(Claimed::default(), |carrying| carrying.claim(is_store, &address, &name))
    }

    /// What a cell of a new scope is given, or goes on with where it was given a value of its own, which may have been written to.
    pub(crate) fn given_again(
        &mut self,
        claimed: &mut Claimed,
        scope: ScopeId,
        cell: CellId,
        given: Slot,
    ) -> Slot {
        if self.carrying.is_none() {
            return given;
        }
        let planned = &self.prepared.plan(self.scope(scope).plan).cells[cell as usize];
        let own = matches!((&planned.kind, &given), (CellKind::Shared(_), Slot::Own(_)));
        if own && scope != ROOT_SCOPE {
            return self.claimed(claimed, scope, cell).map_or(given, Slot::Own);
        }
        let name = planned.name.clone();
        claimed.leave(&name);
        given
    }

    /// The value that a cell of a new scope goes on with.
    pub(crate) fn claimed(
        &mut self,
        claimed: &mut Claimed,
        scope: ScopeId,
        cell: CellId,
    ) -> Option<Value> {
        let lost = &mut self.carrying.as_mut()?.lost;
        let plan = self.scopes[scope as usize].plan;
        claimed.value(&self.prepared.program, plan, cell, lost)
    }
}

/// What a component held that is made again.
#[derive(Debug, Default)]
pub(crate) struct Claimed(Option<CarriedInstance>);

impl Claimed {
    /// Leaves a value that comes from outside now.
    pub(crate) fn leave(&mut self, name: &Name) {
        if let Some(instance) = &mut self.0 {
            instance.values.retain(|(known, _)| known != name);
        }
    }

    /// The value of a cell, if there was one that fits it.
    fn value(
        &mut self,
        program: &Program,
        plan: u32,
        cell: CellId,
        lost: &mut Vec<Lost>,
    ) -> Option<Value> {
        let instance = self.0.as_mut()?;
        let cell = &program.plans[plan as usize].cells[cell as usize];
        let at = instance.values.iter().position(|(name, _)| *name == cell.name)?;
        let (name, value) = instance.values.remove(at);
        match program.fit_held(cell.ty, &value, &name) {
            Ok(value) => Some(value),
            Err(misfit) => {
                let (path, reason) = (path(&instance.address, &name), misfit.to_string());
                lost.push(Lost::Misfit { path, reason });
                None
            }
        }
    }
}

impl Graph {
    /// Goes on with what a source has asked before, if it would ask the same; `true` if it need not ask.
    pub(crate) fn asked_before(&mut self, scope: ScopeId, source: u32, args: &Value) -> Asking {
        let here = self.scope(scope);
        let prepared = self.prepared.clone();
        let plan = prepared.plan(here.plan);
        let planned = &plan.sources[source as usize];
        let name = &plan.cells[planned.value as usize].name;
        let asked = &plan.asked[planned.asked as usize];
        let Some(carrying) = &mut self.carrying else { return Asking::Anew };
        let Some(instance) = carrying.found.get_mut(&scope) else { return Asking::Anew };
        let at = instance.sources.iter().position(|source| source.name == *name);
        let Some(before) = at.map(|at| instance.sources.remove(at)) else { return Asking::Anew };
        let same = before.function == prepared.program.signature(asked) && before.args.same(args);
        if !same {
            let path = path(&instance.address, name);
            carrying.lost.push(Lost::AskedAgain { path });
            return Asking::Anew;
        }
        match (before.question, before.open) {
            (None, true) => return Asking::Quietly,
            (Some(id), true) => {
                let (asked, streams) = (planned.asked, asked.answers == Answers::Again);
                let whose = Whose::Source(source);
                carrying.open.push((id, Open { scope, asked, streams, whose }));
            }
            (_, false) => {}
        }
        let id = before.question.unwrap_or(QuestionId(0));
        if let Some(wards) = &mut self.scope_mut(scope).wards {
            wards.sources[source as usize] = Some((id, args.clone()));
        }
        Asking::Not
    }
}

/// How a source goes on.
pub(crate) enum Asking {
    /// It asks, and its state says so.
    Anew,
    /// It asks, and its state stays until there is an answer.
    Quietly,
    /// It has asked.
    Not,
}
