//! What goes on once the scopes of a page stand that is opened in the place of another: timers, listeners, controls, statements that
//! wait.

use super::places::at;
use super::{
    Carried, CarriedControl, CarriedInstance, CarriedTimer, Carrying, Due, Going, Lost, Settling,
    Suspended, WhatIsDue,
};
use crate::clock::{Open, Timer, TimerKind, Whose};
use crate::controls::held_by_control;
use crate::execute::Turn;
use crate::runtime::Runtime;
use crate::scope::ScopeId;
use crate::view::push_patch;
use vein_plan::alike::Code;
use vein_plan::{Answers, Shown, Value, When};
use vein_view::Patch;

impl Runtime {
    /// Begins to open a page with what another held.
    pub(crate) fn take_up(&mut self, carried: &mut Carried) {
        self.waiting.now = carried.now;
        self.set_date(carried.date);
        self.view.graph.chance.0 = carried.chance;
        self.waiting.next_question = carried.going.next_question;
        self.next_pulse = carried.pulses;
        let instances = std::mem::take(&mut carried.instances);
        self.view.graph.carrying = Some(Box::new(Carrying::new(instances)));
    }

    /// Hands a page that is being opened what cannot be handed to its scopes while they are made. Gives what could not be taken
    /// along.
    pub(crate) fn carry_on(&mut self, carried: Carried, turn: &Turn) -> (Vec<Lost>, Vec<Due>) {
        let Some(carrying) = self.view.graph.carrying.take() else { return Default::default() };
        let Carrying { instances, found, open, mut lost } = *carrying;
        for (id, open) in open {
            self.waiting.questions.insert(id, open);
        }
        let mut due: Vec<Due> = Vec::new();
        let mut in_order: Vec<(usize, ScopeId)> = Vec::new();
        for (scope, instance) in found {
            in_order.push((instance.added, scope));
            let plan = self.view.graph.prepared.plan(self.view.graph.scope(scope).plan);
            let mut free: Vec<bool> = vec![true; plan.hooks.len()];
            for CarriedTimer { address, due: at, period, order } in instance.timers {
                let rank = self.view.graph.rank(scope);
                let same = plan.hooks.iter().enumerate().position(|(hook, planned)| {
                    let runs = turn.timers.get(&(rank, hook as u32));
                    let same =
                        matches!(planned.when, When::Every(..)) && planned.address == address;
                    free[hook] && same && runs == Some(&Some(period))
                });
                let Some(hook) = same else { continue };
                free[hook] = false;
                let what = WhatIsDue::Timer { hook: hook as u32 };
                due.push(Due { scope, due: at, order, what });
            }
        }
        // What runs by itself does so in the order in which it was added.
        let all = self.in_order();
        match all.len() == carried.order.len() {
            // So do rows and alternatives, where the same stands on the page.
            true => {
                self.put_in_order(carried.order.iter().map(|at| *at as usize).zip(all).collect())
            }
            false => self.put_in_order(in_order),
        }
        let holds = |one: &CarriedInstance| !(one.values.is_empty() && one.timers.is_empty());
        let gone = instances.into_values().flatten().filter(holds);
        lost.extend(gone.map(|instance| Lost::NotThere { address: instance.address }));
        self.hold_on(&carried.controls);
        self.listen_on(&carried, &mut due);
        self.suspend_again(carried.going, &mut lost);
        lost.sort_by_key(ToString::to_string);
        // Of what is due at one time, what was set first runs first.
        due.sort_by_key(|due| due.order);
        (lost, due)
    }

    /// Has some scopes be those that were added in an order.
    fn put_in_order(&mut self, mut scopes: Vec<(usize, ScopeId)>) {
        scopes.sort_unstable();
        let serial = |(_, scope): &(usize, ScopeId)| self.view.graph.scope(*scope).serial;
        let mut serials: Vec<u64> = scopes.iter().map(serial).collect();
        serials.sort_unstable();
        for ((_, scope), serial) in scopes.into_iter().zip(serials) {
            self.view.graph.scope_mut(scope).serial = serial;
        }
    }

    /// Has something be due when it would have been.
    pub(crate) fn be_due(&mut self, Due { scope, due, what, .. }: Due) {
        match what {
            WhatIsDue::Timer { hook } => self.set_due(scope, hook, due),
            WhatIsDue::Settled { listener, event, after } => {
                let kind = TimerKind::Settled { listener, event, after };
                let key = self.waiting.add(due, Timer { scope, kind });
                let wards = &mut self.view.graph.scope_mut(scope).wards;
                wards.get_or_insert_default().settling.push((listener, key));
            }
        }
    }

    /// Controls that spell their value in their own way still do, as long as state means the same.
    fn hold_on(&mut self, controls: &[CarriedControl]) {
        if controls.is_empty() {
            return;
        }
        let prepared = self.view.graph.prepared.clone();
        let parts = self.parts();
        for CarriedControl { part, held, invalid } in controls {
            let Some((scope, number)) = at(&parts, part) else { continue };
            let here = self.view.graph.scope(scope);
            let part = &prepared.plan(here.plan).blocks[here.block as usize].parts[number as usize];
            let value = self.view.graph.evaluate_once(&prepared, scope, part.value);
            let means = part.control.as_ref().and_then(|conversion| conversion.value(held));
            let same = means.as_ref().is_some_and(|means| means.same(&value));
            // What can be read by now, or means something else, is what state says.
            if (means.is_none() && !*invalid) || (means.is_some() && !same) {
                continue;
            }
            let shown = Shown::Text(held.as_str().into());
            let node = self.view.graph.scope(scope).first + part.mark;
            push_patch(&mut self.view.making.patches, node, &part.kind, &shown);
            self.view.set_shown(scope, number, shown);
            if means.is_none() && self.view.set_invalid(scope, number, true) {
                self.view.making.marks.push((scope, part.mark, true));
            }
        }
        self.mark_controls();
    }

    /// Listeners that have happened stay spent, and events wait on for quiet.
    fn listen_on(&mut self, carried: &Carried, all_due: &mut Vec<Due>) {
        if carried.spent.is_empty() && carried.going.settling.is_empty() {
            return;
        }
        let listeners = self.listeners();
        let spent: Vec<_> =
            carried.spent.iter().filter_map(|listener| at(&listeners, listener)).collect();
        let settling = carried.going.settling.iter();
        let settling: Vec<_> =
            settling.filter_map(|one| Some((at(&listeners, &one.listener)?, one))).collect();
        let prepared = self.view.graph.prepared.clone();
        for (scope, number) in spent {
            let here = self.view.graph.scope_mut(scope);
            let listener =
                &prepared.plan(here.plan).blocks[here.block as usize].listeners[number as usize];
            if listener.options.once {
                here.wards.get_or_insert_default().spent.push(number);
                let (node, listener) = (here.first + listener.mark, number);
                self.view.making.patches.push(&Patch::Done { node, listener });
            }
        }
        for ((scope, number), Settling { due, order, event, after, .. }) in settling {
            let here = self.view.graph.scope(scope);
            let listener =
                &prepared.plan(here.plan).blocks[here.block as usize].listeners[number as usize];
            let Value::Record(fields) = event else { continue };
            let reads = listener.fields.iter().map(|field| field.name());
            let same = reads.eq(fields.iter().map(|(name, _)| &**name));
            if listener.options.quiet != Some(*after) || !same {
                continue;
            }
            if let Some(commit) = &listener.commit {
                let block = &prepared.plan(here.plan).blocks[here.block as usize];
                let part = &block.parts[commit.part as usize];
                let (node, held) = (here.first + part.mark, held_by_control(event));
                push_patch(&mut self.view.making.patches, node, &part.kind, &held);
            }
            let (due, order) = (*due, *order);
            let what = WhatIsDue::Settled { listener: number, event: event.clone(), after: *after };
            all_due.push(Due { scope, due, order, what });
        }
    }

    /// Statements that wait for an answer wait on, where they are the same code.
    fn suspend_again(&mut self, going: Going, lost: &mut Vec<Lost>) {
        let Some(before) = going.program.filter(|_| !going.statements.is_empty()) else { return };
        let prepared = self.view.graph.prepared.clone();
        let owners = self.owners();
        for Suspended { owner: called, plan, block, id, activity, function } in going.statements {
            let old = Code::of(&before, plan as usize);
            let same = owners.get(&called.address).map_or(&[][..], Vec::as_slice);
            // The same one first, then others that are called so: it may stand elsewhere among them.
            let mut some = same.get(called.before).into_iter().chain(same);
            let again = some.find_map(|(scope, owner)| {
                let here = self.view.graph.scope(*scope);
                let new = Code::of(&prepared.program, here.plan as usize);
                let asked = new.plan.asked.iter().position(|asked| {
                    asked.answers == Answers::Later && new.program.signature(asked) == function
                })?;
                let again = activity.again((old, block), (new, here.block), *scope, *owner)?;
                Some((*scope, asked as u32, again))
            });
            let Some((scope, asked, activity)) = again else {
                lost.push(Lost::LetGo { what: called.address });
                continue;
            };
            self.view.graph.scope_mut(scope).wards.get_or_insert_default().waiting.push(id);
            let whose = Whose::Statements(activity);
            self.waiting.questions.insert(id, Open { scope, asked, streams: false, whose });
        }
    }
}
