//! The verdict on a pulse: missed, needless, moves, idle.

use crate::controls::{self, Known};
use crate::fresh::{Expected, Fresh, FreshScope, FreshSpot, render};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;
use vein_plan::{CellKind, Listener, Name, PartKind, Program, Property, Shown, SpotKind};
use vein_runtime::{Cause, Clean, Kept, Pulse, Runtime, ScopeId, Which};
use vein_view::{Batch, NodeId, NodeNumber, Patch, Restored, Tree};

/// What a proof found. A pulse is exact when nothing is listed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Verdict {
    /// How many parts the view has.
    pub parts: usize,
    /// How many of them changed.
    pub changed: usize,
    /// Parts that do not show what the state says, with what they show and what they should.
    pub missed: Vec<String>,
    /// Patches that changed nothing, repeated another, or went where no part is; nodes that
    /// were built again although the same element stands there.
    pub needless: Vec<String>,
    /// How many nodes were moved beyond the fewest possible.
    pub moves: usize,
    /// Parts that were evaluated although nothing they read has changed.
    pub idle: Vec<String>,
    /// Changes that the ledger names but that did not happen, or the other way round.
    pub unrecorded: Vec<String>,
}

impl Verdict {
    /// Whether exactly the right parts were changed.
    pub fn is_exact(&self) -> bool {
        self.missed.is_empty()
            && self.needless.is_empty()
            && self.moves == 0
            && self.idle.is_empty()
            && self.unrecorded.is_empty()
    }

    /// Everything that is not exact, a line each.
    pub fn problems(&self) -> Vec<String> {
        let kinds = [
            ("missed", &self.missed),
            ("needless", &self.needless),
            ("idle", &self.idle),
            ("ledger", &self.unrecorded),
        ];
        let mut problems: Vec<String> = kinds
            .iter()
            .flat_map(|(kind, all)| all.iter().map(move |one| format!("{kind}: {one}")))
            .collect();
        if self.moves > 0 {
            problems.push(format!("moves: {} more than the fewest possible", self.moves));
        }
        problems
    }
}

/// The verdict in one line, as the ledger shows it.
impl std::fmt::Display for Verdict {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            f,
            "{} of {} parts changed · {} missed · {} needless · {} moves",
            self.changed,
            self.parts,
            self.missed.len(),
            self.needless.len(),
            self.moves
        )?;
        if !self.idle.is_empty() {
            write!(f, " · {} idle", self.idle.len())?;
        }
        if !self.unrecorded.is_empty() {
            write!(f, " · {} not in the ledger", self.unrecorded.len())?;
        }
        Ok(())
    }
}

/// Holds every pulse of a page against the view rendered afresh.
pub struct Proof {
    clean: Option<Clean>,
    before: State,
}

/// A view rendered afresh, and where it stands in the tree.
struct State {
    fresh: Fresh,
    /// For each identity: the scope's marked nodes, by what tells nodes apart.
    nodes: FxHashMap<Name, Vec<Option<u64>>>,
    /// Which scope each number belongs to, by identity, and the first number of that scope.
    owners: FxHashMap<NodeNumber, (Name, NodeNumber)>,
    /// For each list, its rows in order.
    lists: FxHashMap<(Name, usize), Vec<Name>>,
    /// Numbers of nodes of markup from data.
    markup: FxHashSet<NodeNumber>,
    /// Which rows hold which node at their top, inner ones first.
    tops: FxHashMap<NodeNumber, Vec<Name>>,
    /// What is known of each control that is bound both ways.
    hands: Known,
}

/// What reached the engine and the tree from outside in a pulse.
pub struct Told<'a> {
    /// The patches that reached the tree, whoever sent them.
    pub applied: &'a Batch,
    /// The nodes of the patches that wrote to a control what it showed already.
    pub echoes: &'a [NodeNumber],
    /// The nodes whose listeners the pulse's event reached.
    pub reached: &'a [NodeNumber],
    /// What has gone back to what it was when it was added, since a form was reset.
    pub restored: &'a [Restored],
}

impl State {
    fn new(runtime: &Runtime, tree: &Tree, clean: Option<Clean>) -> State {
        let fresh = render(runtime, clean);
        let mut state = State {
            nodes: FxHashMap::default(),
            owners: FxHashMap::default(),
            lists: FxHashMap::default(),
            markup: FxHashSet::default(),
            tops: FxHashMap::default(),
            hands: Known::default(),
            fresh,
        };
        for scope in &state.fresh.scopes {
            let Some(kept) = scope.kept else { continue };
            let block = &runtime.program().plans[scope.plan].blocks[scope.block as usize];
            let first = runtime.first_of(kept);
            let numbers = first..first + block.marks();
            let serial = |number: NodeNumber| tree.numbered(number).map(|node| tree.serial(node));
            let nodes = numbers.clone().map(serial).collect();
            state.nodes.insert(scope.identity.clone(), nodes);
            for number in numbers {
                state.owners.insert(number, (scope.identity.clone(), first));
            }
            if block.spots.iter().any(|spot| matches!(spot.kind, SpotKind::Markup { .. })) {
                let held = runtime.held_in(kept).into_iter();
                let markup = held.filter_map(|held| match held {
                    Kept::Markup(nodes) => Some(nodes),
                    _ => None,
                });
                state.markup.extend(markup.flatten());
            }
            for (number, spot) in scope.spots.iter().enumerate() {
                if let FreshSpot::Rows(rows) = spot {
                    let rows =
                        rows.iter().map(|(_, _, row)| state.fresh.scopes[*row].identity.clone());
                    state.lists.insert((scope.identity.clone(), number), rows.collect());
                }
            }
        }
        for scope in &state.fresh.scopes {
            for spot in &scope.spots {
                let FreshSpot::Rows(rows) = spot else { continue };
                for (_, _, row) in rows {
                    let row = &state.fresh.scopes[*row];
                    let Some(kept) = row.kept else { continue };
                    for node in top_nodes(runtime, kept) {
                        state.tops.entry(node).or_default().push(row.identity.clone());
                    }
                }
            }
        }
        // The longer identity is the inner row's.
        state
            .tops
            .values_mut()
            .for_each(|rows| rows.sort_by_key(|row| std::cmp::Reverse(row.len())));
        state
    }
}

/// The numbers of the nodes at the top of a scope.
fn top_nodes(runtime: &Runtime, scope: ScopeId) -> Vec<NodeNumber> {
    let (plan, block) = runtime.block_of(scope);
    let block = &runtime.program().plans[plan].blocks[block as usize];
    let first = runtime.first_of(scope);
    let mut nodes = Vec::new();
    let (mut depth, mut mark) = (0, 0);
    for node in &block.template {
        if depth == 0 && node.is_marked() {
            nodes.push(first + mark);
        }
        mark += u32::from(node.is_marked());
        match node {
            vein_plan::TemplateNode::Open { .. } => depth += 1,
            vein_plan::TemplateNode::Close => depth -= 1,
            _ => {}
        }
    }
    if block.spots.iter().all(|spot| spot.parent.is_some()) {
        return nodes;
    }
    for (spot, held) in block.spots.iter().zip(&runtime.held_in(scope)) {
        if spot.parent.is_some() {
            continue;
        }
        match held {
            Kept::Nothing => {}
            Kept::One { scope, .. } => {
                nodes.extend(scope.iter().flat_map(|scope| top_nodes(runtime, *scope)));
            }
            Kept::Rows(rows) => {
                nodes.extend(rows.iter().flat_map(|row| top_nodes(runtime, row.scope)));
            }
            Kept::Markup(markup) => nodes.extend(markup),
        }
    }
    nodes
}

impl Proof {
    /// Begins with the page as it stands.
    pub fn new(runtime: &Runtime, tree: &Tree, clean: Option<Clean>) -> Proof {
        let mut before = State::new(runtime, tree, clean);
        before.hands = controls::at_first(runtime, tree, &before.fresh);
        Proof { before, clean }
    }

    /// Judges a pulse by what reached engine and tree.
    pub fn judge(
        &mut self,
        runtime: &Runtime,
        pulse: &Pulse,
        told: &Told<'_>,
        tree: &Tree,
    ) -> Verdict {
        let mut after = State::new(runtime, tree, self.clean);
        let (known, happened) = (&self.before.hands, (pulse, told));
        after.hands = controls::after(runtime, tree, &after.fresh, happened, known);
        let restored = told.restored;
        let before = &self.before;
        let by_identity = [before, &after].map(|state| state.fresh.by_identity());
        let judge = Judge { runtime, pulse, before, after: &after, by_identity, tree, restored };
        let mut verdict = judge.verdict(told);
        for node in told.echoes {
            verdict.needless.push(format!("a control was written what it shows, at node {node}"));
        }
        self.before = after;
        verdict
    }
}

struct Judge<'a> {
    runtime: &'a Runtime,
    pulse: &'a Pulse,
    before: &'a State,
    after: &'a State,
    /// The scopes before and after, by their identities.
    by_identity: [FxHashMap<&'a str, usize>; 2],
    tree: &'a Tree,
    restored: &'a [Restored],
}

/// A place that changes by itself: the identity of its scope, and which of it.
type Place = (Name, Which);

impl Judge<'_> {
    fn program(&self) -> &Program {
        self.runtime.program()
    }

    fn verdict(&self, told: &Told<'_>) -> Verdict {
        let parts = self.after.fresh.places(self.program());
        let mut verdict = Verdict { parts, ..Verdict::default() };
        let changed = self.changed();
        verdict.changed = changed.len();
        verdict.missed = self.missed();
        verdict.missed.extend(self.still_heard(told));
        verdict.needless = self.needless(told, &changed);
        verdict.moves = self.moves(told.applied);
        verdict.idle = self.idle();
        verdict.unrecorded = self.unrecorded(&changed);
        // What a control was written counts too, as the ledger lists it.
        if verdict.unrecorded.is_empty() {
            verdict.changed = self.pulse.parts.len();
        }
        verdict
    }

    fn address(&self, state: &State, scope: usize, which: Which) -> String {
        let here = &state.fresh.scopes[scope];
        let plan = &self.program().plans[here.plan];
        let block = &plan.blocks[here.block as usize];
        let own: &Name = match which {
            Which::Part(part) => &block.parts[part as usize].address,
            Which::Spot(spot) => &block.spots[spot as usize].address,
        };
        let page = &self.runtime.plan().name;
        match here.kept {
            Some(kept) => format!("{page} › {}", self.runtime.address_in(kept, own)),
            None => format!("{page} › {own}"),
        }
    }

    /// Everything that shows something else than before, in what stands before and after.
    fn changed(&self) -> FxHashSet<Place> {
        let [before, _] = &self.by_identity;
        let mut changed = FxHashSet::default();
        for scope in &self.after.fresh.scopes {
            let Some(old) = before.get(&*scope.identity) else { continue };
            let old = &self.before.fresh.scopes[*old];
            for (part, (a, b)) in old.parts.iter().zip(&scope.parts).enumerate() {
                if self.went_elsewhere(scope, part as u32).unwrap_or(a != b) {
                    changed.insert((scope.identity.clone(), Which::Part(part as u32)));
                }
            }
            for (spot, (a, b)) in old.spots.iter().zip(&scope.spots).enumerate() {
                let identities = |state: &State, spot: &FreshSpot| match spot {
                    FreshSpot::Nothing | FreshSpot::Markup(_) => Vec::new(),
                    FreshSpot::One(_, inner) => {
                        vec![state.fresh.scopes[*inner].identity.clone()]
                    }
                    FreshSpot::Rows(rows) => rows
                        .iter()
                        .map(|(_, _, row)| state.fresh.scopes[*row].identity.clone())
                        .collect(),
                };
                let markup = |spot: &FreshSpot| match spot {
                    FreshSpot::Markup(nodes) => Some(nodes.clone()),
                    _ => None,
                };
                if identities(self.before, a) != identities(self.after, b) || markup(a) != markup(b)
                {
                    changed.insert((scope.identity.clone(), Which::Spot(spot as u32)));
                }
            }
        }
        changed
    }

    /// Whether a part that is bound one way went back to something else than state says, where it went back
    /// in a reset.
    fn went_elsewhere(&self, scope: &FreshScope, part: u32) -> Option<bool> {
        let first = self.runtime.first_of(scope.kept.filter(|_| !self.restored.is_empty())?);
        let planned = &self.program().plans[scope.plan].blocks[scope.block as usize].parts;
        let (planned, wanted) = (&planned[part as usize], &scope.parts[part as usize]);
        let is_it = |restored: &&Restored| {
            restored.node == first + planned.mark
                && planned.kind == PartKind::Property(restored.property)
        };
        let restored = self.restored.iter().find(is_it).filter(|_| planned.control.is_none());
        restored.map(|restored| restored.held != *wanted)
    }

    /// Every place where the tree is not the view rendered afresh.
    fn missed(&self) -> Vec<String> {
        let mut found = Vec::new();
        let [before, _] = &self.by_identity;
        for (at, scope) in self.after.fresh.scopes.iter().enumerate() {
            let Some(kept) = scope.kept else {
                found.push(format!("{} is not in the view", scope.identity));
                continue;
            };
            let plan = &self.program().plans[scope.plan];
            let block = &plan.blocks[scope.block as usize];
            let first = self.runtime.first_of(kept);
            for (number, (part, wanted)) in block.parts.iter().zip(&scope.parts).enumerate() {
                let node = self.tree.numbered(first + part.mark);
                let shown = node.and_then(|node| shown_at(self.tree, node, &part.kind));
                let hand = node.and_then(|node| {
                    self.after.hands.get(&(self.tree.serial(node), number as u32))
                });
                let means = match (&part.control, &shown, hand) {
                    (_, _, Some(hand)) if hand.waits || hand.invalid => true,
                    (Some(conversion), Some(Shown::Text(text)), _) => {
                        conversion.value(text).is_some_and(|held| held.same(&scope.values[number]))
                    }
                    _ => false,
                };
                // What a person does to a control that is bound one way stands until its part changes.
                let used = match (&part.kind, &part.control, node) {
                    (PartKind::Property(property), None, Some(node)) => {
                        let restored = self.restored.iter();
                        let mut restored = restored.map(|one| self.tree.numbered(one.node));
                        let stays = self.pulse.fault.is_some();
                        self.tree.is_used(node, *property)
                            && (stays || !restored.any(|one| one == Some(node)))
                    }
                    _ => false,
                };
                if shown.as_ref() != Some(wanted) && !means && !used {
                    let shown = shown.map_or("nothing".to_owned(), |shown| shown.to_string());
                    let address = self.address(self.after, at, Which::Part(number as u32));
                    found.push(format!("{address}: shows {shown}, should show {wanted}"));
                }
            }
            // What runs by itself may have written to it since it began.
            let alone = self.program().plans.iter().all(|plan| plan.hooks.is_empty());
            if self.runtime.life_of(kept) > 0
                && !before.contains_key(&*scope.identity)
                && !self.may_have_ended(at)
            {
                found.push(format!("{}: began anew, though nothing ended it", scope.identity));
            }
            if alone && scope.block == 0 && !before.contains_key(&*scope.identity) {
                for (cell, value) in &self.runtime.state_of(kept) {
                    let planned = &plan.cells[*cell as usize];
                    let CellKind::State(first) = planned.kind else { continue };
                    let (wanted, _) = self.after.fresh.evaluate(self.runtime, at, first);
                    let name = &planned.name;
                    // What an instance has of its own begins with what all of its kind share.
                    let own =
                        plan.is_own_id(first) && value.to_text().to_utf8().starts_with(&**name);
                    if !wanted.same(value) && !own {
                        found.push(format!(
                            "{}.{name}: begins as {value}, not {wanted}",
                            scope.identity
                        ));
                    }
                }
            }
        }
        if found.is_empty() {
            // Whatever is no part must be as it was written.
            let invalid = |scope: Option<ScopeId>, part: u32| {
                let scope = scope?;
                let (plan, block) = self.runtime.block_of(scope);
                let block = &self.program().plans[plan].blocks[block as usize];
                let first = self.runtime.first_of(scope);
                let node = self.tree.numbered(first + block.parts[part as usize].mark)?;
                self.after.hands.get(&(self.tree.serial(node), part))
            };
            let invalid = |scope, part| invalid(scope, part).is_some_and(|hand| hand.invalid);
            let wanted = self.after.fresh.document(self.runtime, &invalid);
            found.extend(compare(self.tree, self.tree.root(), &wanted, "the view"));
        }
        found
    }

    /// Patches to what shows the same before and after, second patches to a part, and nodes that
    /// were made again although the same stands there.
    fn needless(&self, told: &Told<'_>, changed: &FxHashSet<Place>) -> Vec<String> {
        let Told { applied, reached, .. } = *told;
        let mut found = Vec::new();
        let mut patched: BTreeMap<(NodeNumber, String), usize> = BTreeMap::new();
        let [before, after] = &self.by_identity;
        for patch in applied.iter() {
            match &patch {
                Patch::Template { .. } | Patch::Move { .. } => {}
                Patch::Done { node, listener } => {
                    let known = self.runtime.listener(*node, *listener);
                    if !known.is_some_and(|known| self.has_happened(*node, known, reached)) {
                        found.push(format!("node {node} lost a listener that has not happened"));
                    }
                }
                Patch::Clone { first, .. } => match self.after.owners.get(first) {
                    _ if self.after.markup.contains(first) => {}
                    Some((identity, _)) if !before.contains_key(&**identity) => {}
                    Some((identity, _)) => {
                        found.push(format!("{identity}: cloned, though it was there"));
                    }
                    None => found.push(format!("a clone at node {first}, which is nothing")),
                },
                Patch::Remove { node } => match self.before.owners.get(node) {
                    _ if self.before.markup.contains(node) => {}
                    Some((identity, _)) if !after.contains_key(&**identity) => {}
                    Some((identity, _)) => {
                        found.push(format!("{identity}: taken away, though it stands there"));
                    }
                    None => found.push(format!("node {node} was taken away, which was nothing")),
                },
                _ => {
                    let target = target(&patch);
                    *patched.entry(target.clone()).or_insert(0) += 1;
                    if patched[&target] > 1 {
                        found.push(format!("node {} {} was patched twice", target.0, target.1));
                    }
                    found.extend(self.needless_patch(&target, changed, after));
                }
            }
        }
        for (identity, nodes) in &self.before.nodes {
            if self.after.nodes.get(identity).is_some_and(|now| now != nodes) {
                found.push(format!("{identity}: its nodes were built again"));
            }
        }
        found
    }

    /// Listeners that were to happen once and did in this pulse, and that the surface has not been told of.
    fn still_heard(&self, told: &Told<'_>) -> Vec<String> {
        let (kind, after, nodes) = match &self.pulse.cause {
            _ if self.pulse.fault.is_some() => return Vec::new(),
            Cause::Event { kind, .. } => (kind, None, told.reached.to_vec()),
            Cause::Settled { kind, node, after, .. } => (kind, Some(*after), vec![*node]),
            _ => return Vec::new(),
        };
        let mut found = Vec::new();
        for node in nodes {
            let identity = |state: &State| state.owners.get(&node).map(|(own, _)| own.clone());
            let stands = identity(self.before).is_some_and(|own| identity(self.after) == Some(own));
            let Some(id) = self.tree.numbered(node).filter(|_| stands) else { continue };
            let all = self.runtime.listeners_on(node).into_iter();
            let same: Vec<_> =
                all.filter(|(_, l)| *l.event == **kind && l.options.quiet == after).collect();
            // Of several it is not known here which was reached.
            if let [(number, listener)] = same[..]
                && listener.options.once
                && !self.tree.is_spent(id, number)
            {
                found.push(format!(
                    "{}: still heard, though it was to happen once",
                    listener.address
                ));
            }
        }
        found
    }

    /// Whether a listener that happens once did in this pulse.
    fn has_happened(&self, node: NodeNumber, listener: &Listener, reached: &[NodeNumber]) -> bool {
        let happened = match &self.pulse.cause {
            Cause::Event { kind, .. } => *kind == *listener.event && reached.contains(&node),
            Cause::Settled { kind, node: on, .. } => *kind == *listener.event && *on == node,
            _ => false,
        };
        happened && listener.options.once
    }

    /// Whether what stands somewhere may have gone and come back within the pulse: what runs by itself has
    /// written to what decides on it.
    fn may_have_ended(&self, scope: usize) -> bool {
        let by = self.after.fresh.decided_by(self.runtime, scope);
        let is_in = |written: &String, path: &String| {
            let rest = written.strip_prefix(path.as_str());
            rest.is_some_and(|rest| rest.is_empty() || rest.starts_with(['.', '[']))
        };
        let mut alone = self.pulse.written.iter().filter(|written| written.by_itself);
        alone.any(|written| by.iter().any(|path| is_in(&written.path, path)))
    }

    fn needless_patch(
        &self,
        (node, what): &(NodeNumber, String),
        changed: &FxHashSet<Place>,
        after: &FxHashMap<&str, usize>,
    ) -> Option<String> {
        let Some((identity, first)) = self.after.owners.get(node) else {
            return Some(format!("a patch to node {node}, where nothing is"));
        };
        let scope = &self.after.fresh.scopes[*after.get(&**identity)?];
        if !self.before.nodes.contains_key(identity) {
            return None;
        }
        let block = &self.program().plans[scope.plan].blocks[scope.block as usize];
        let mark = node - first;
        let part = block
            .parts
            .iter()
            .position(|part| part.mark == mark && (kind_name(&part.kind) == *what));
        let Some(part) = part else {
            let control = block.parts.iter().any(|p| p.mark == mark && p.control.is_some());
            return match control && what == "aria-invalid" {
                true => None,
                false => Some(format!("a patch to node {node} {what}, where no part is")),
            };
        };
        // What a control holds is not known here; that it is not written twice, the page tells.
        if block.parts[part].control.is_some() {
            return None;
        }
        let place = (identity.clone(), Which::Part(part as u32));
        (!changed.contains(&place)).then(|| {
            let shown = &scope.parts[part];
            let at = after.get(&**identity).copied().unwrap_or(0);
            let address = self.address(self.after, at, place.1);
            format!("{address}: patched, though it shows {shown} before and after")
        })
    }

    /// How many rows were moved beyond the fewest possible.
    fn moves(&self, applied: &Batch) -> usize {
        let moved: FxHashSet<NodeNumber> = applied
            .iter()
            .filter_map(|patch| match patch {
                Patch::Move { node, .. } => Some(node),
                _ => None,
            })
            .collect();
        let mut rows: FxHashSet<&Name> = FxHashSet::default();
        for node in &moved {
            let around = self.after.tops.get(node).map_or(&[][..], Vec::as_slice);
            // An outer row was moved when all of its nodes were that were there before.
            let was_there = |n: &NodeNumber| {
                self.before.owners.contains_key(n) || self.before.markup.contains(n)
            };
            let whole = |row: &&Name| {
                let nodes = self.after.tops.iter().filter(|(_, rows)| rows.contains(row));
                nodes.into_iter().all(|(n, _)| moved.contains(n) || !was_there(n))
            };
            let row = around.iter().rev().find(whole).or(around.first());
            rows.extend(row);
        }
        let mut fewest = 0;
        for (list, now) in &self.after.lists {
            let Some(then) = self.before.lists.get(list) else { continue };
            if then == now {
                continue;
            }
            let places: FxHashMap<&Name, usize> =
                then.iter().enumerate().map(|(at, row)| (row, at)).collect();
            let kept: Vec<usize> = now.iter().filter_map(|row| places.get(row).copied()).collect();
            fewest += kept.len() - longest_in_order(&kept);
        }
        rows.len().saturating_sub(fewest)
    }

    /// What was evaluated although nothing that it read has changed.
    fn idle(&self) -> Vec<String> {
        let mut scopes: FxHashMap<ScopeId, usize> = FxHashMap::default();
        for (at, scope) in self.after.fresh.scopes.iter().enumerate() {
            scopes.extend(scope.kept.map(|kept| (kept, at)));
        }
        let [before, _] = &self.by_identity;
        let mut found = Vec::new();
        for place in &self.pulse.evaluated {
            // What stands in a spot is looked at after each round of what runs by itself, and what
            // it read may have changed and changed back. Parts are evaluated once all is quiet.
            if self.pulse.rounds > 0 && matches!(place.which, Which::Spot(_)) {
                continue;
            }
            let Some(now) = scopes.get(&place.scope) else { continue };
            let here = &self.after.fresh.scopes[*now];
            let Some(then) = before.get(&*here.identity) else { continue };
            let block = &self.program().plans[here.plan].blocks[here.block as usize];
            let expr = match place.which {
                Which::Part(part) => block.parts[part as usize].value,
                Which::Spot(spot) => match &block.spots[spot as usize].kind {
                    SpotKind::Branch { choice: id, .. }
                    | SpotKind::Renamed { name: id, .. }
                    | SpotKind::Markup { value: id, .. } => *id,
                    _ => continue,
                },
            };
            let (_, reads) = self.before.fresh.evaluate(self.runtime, *then, expr);
            let differs = reads.iter().any(|read| {
                let old = self.before.fresh.cell(self.runtime, *then, read.cell);
                let new = self.after.fresh.cell(self.runtime, *now, read.cell);
                read.extent.differs(old.at(&read.path), new.at(&read.path))
            });
            if !differs {
                found.push(self.address(self.after, *now, place.which));
            }
        }
        found
    }

    /// Whether the ledger names exactly what changed.
    fn unrecorded(&self, changed: &FxHashSet<Place>) -> Vec<String> {
        let mut identities: FxHashMap<ScopeId, &Name> = FxHashMap::default();
        for scope in &self.after.fresh.scopes {
            identities.extend(scope.kept.map(|kept| (kept, &scope.identity)));
        }
        let [_, after] = &self.by_identity;
        let mut recorded: FxHashSet<Place> = FxHashSet::default();
        let mut found = Vec::new();
        for part in &self.pulse.parts {
            let Some(identity) = identities.get(&part.place.scope) else { continue };
            let place = (Name::clone(identity), part.place.which);
            if !changed.contains(&place) && !self.is_control(&place, after) {
                found.push(format!("{}: recorded, but unchanged", part.address));
            }
            recorded.insert(place);
        }
        for place in changed.difference(&recorded) {
            // A pulse that was taken back records nothing: what it writes is what stood there.
            if self.pulse.fault.is_none() && !self.is_control(place, after) {
                let at = after.get(&*place.0).copied().unwrap_or(0);
                let address = self.address(self.after, at, place.1);
                found.push(format!("{address}: changed, but not recorded"));
            }
        }
        found
    }

    fn is_control(&self, (identity, which): &Place, after: &FxHashMap<&str, usize>) -> bool {
        let (Some(at), Which::Part(part)) = (after.get(&**identity), which) else {
            return false;
        };
        let scope = &self.after.fresh.scopes[*at];
        let block = &self.program().plans[scope.plan].blocks[scope.block as usize];
        block.parts[*part as usize].control.is_some()
    }
}

/// The length of the longest run that is in order, the slow way.
fn longest_in_order(places: &[usize]) -> usize {
    let mut lengths: Vec<usize> = Vec::with_capacity(places.len());
    for (at, place) in places.iter().enumerate() {
        let before = (0..at).filter(|other| places[*other] < *place);
        let longest = before.map(|other| lengths[other]).max().unwrap_or(0);
        lengths.push(longest + 1);
    }
    lengths.into_iter().max().unwrap_or(0)
}

/// What a patch goes to.
pub(crate) fn target(patch: &Patch<'_>) -> (NodeNumber, String) {
    match patch {
        Patch::Text { node, .. } => (*node, String::new()),
        Patch::SetAttribute { node, name, .. } | Patch::RemoveAttribute { node, name } => {
            (*node, (*name).to_owned())
        }
        Patch::SetProperty { node, property, .. } | Patch::SetFlag { node, property, .. } => {
            (*node, property_name(*property))
        }
        Patch::Template { .. } | Patch::Clone { .. } => (0, String::new()),
        Patch::Done { node, .. } => (*node, "listener".into()),
        Patch::Remove { node } | Patch::Move { node, .. } => (*node, "node".into()),
    }
}

fn property_name(property: Property) -> String {
    format!(".{}", property.name())
}

pub(crate) fn kind_name(kind: &PartKind) -> String {
    match kind {
        PartKind::Text => String::new(),
        PartKind::Attribute(name, _) => name.to_string(),
        PartKind::Property(property) => property_name(*property),
    }
}

pub(crate) fn shown_at(tree: &Tree, node: NodeId, kind: &PartKind) -> Option<Shown> {
    Some(match kind {
        PartKind::Text => Shown::Text(tree.text(node)?.into()),
        PartKind::Attribute(name, _) => match tree.attribute(node, name) {
            Some(value) => Shown::Text(value.into()),
            None => Shown::Absent,
        },
        PartKind::Property(property) => tree.set_property(node, *property)?,
    })
}

/// The first difference between what a node holds and what it should hold. Both are counted
/// through: a node that only one of them has is a difference.
fn compare(tree: &Tree, at: NodeId, wanted: &[Expected], place: &str) -> Option<String> {
    let found = tree.children(at);
    if found.len() != wanted.len() {
        return Some(format!("{place} holds {} nodes, should hold {}", found.len(), wanted.len()));
    }
    found.iter().zip(wanted).find_map(|(node, wanted)| match wanted {
        Expected::Text(text) => {
            let found = tree.text(*node);
            (found != Some(text)).then(|| format!("{place} holds {found:?}, should hold {text:?}"))
        }
        Expected::Element { namespace, name, attributes, children } => {
            let found: BTreeMap<Name, String> = tree
                .attributes(*node)
                .map(|(name, value)| (Name::from(name), value.to_owned()))
                .collect();
            let same = tree.name(*node) == Some(&**name)
                && tree.namespace(*node) == Some(*namespace)
                && found == *attributes;
            if !same {
                let described = tree.name(*node).unwrap_or("text");
                return Some(format!(
                    "<{described}> {found:?} in {place} should be <{name}> {attributes:?}"
                ));
            }
            compare(tree, *node, children, &format!("{place} <{name}>"))
        }
    })
}
