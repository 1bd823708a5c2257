//! Spots that come to hold something else, and scopes that are let go.
//!
//! What stands where is worked out first, in as many rounds as what runs by itself needs. Only then
//! is the view brought to what has come of it, so that nothing is made or moved twice.

use super::{InView, Undo, View, Was, chosen};
use crate::pulse::Effect;
use crate::sabotage::Sabotage;
use crate::scope::{Held, NONE, ScopeId};
use crate::wakes::Prepared;
use vein_plan::{Shown, SpotKind};
use vein_view::Patch;

impl View {
    /// Lets go of a scope and everything in it. What it was stays until the pulse ends: it may be
    /// taken back, and what runs when it is removed looks at it.
    pub(crate) fn release(&mut self, id: ScopeId) {
        let prepared = self.graph.prepared.clone();
        let mut open = vec![id];
        let first = self.making.ended.len();
        while let Some(id) = open.pop() {
            // What runs by itself still looks at it.
            if prepared.lively {
                for spot in 0..self.graph.scope(id).held.len() as u32 {
                    self.graph.keep_items(id, spot);
                }
            }
            for held in &self.graph.scope(id).held {
                match held {
                    Held::Nothing | Held::Markup { .. } => {}
                    Held::Branch { scope, .. }
                    | Held::Renamed { scope, .. }
                    | Held::Slot { scope, .. }
                    | Held::Component { instance: scope, .. } => {
                        open.extend((*scope != NONE).then_some(*scope));
                    }
                    Held::List(rows) => open.extend(&rows.rows),
                }
            }
            if let Some((giver, spot, at)) = self.leave_giver(id) {
                self.note(|| Undo::Content(giver, spot, at, id));
            }
            self.graph.leave_stores(id);
            let scope = self.graph.scope_mut(id);
            scope.alive = false;
            let told = scope.begun && scope.block == 0;
            if told && prepared.plans[scope.plan as usize].lives.removed {
                self.making.ended.push(id);
            }
            self.graph.dead.push(id);
        }
        // Inner ones are told before outer ones.
        self.making.ended[first..].reverse();
    }

    /// Content that goes is no longer told of changes where it was written. Gives where it was.
    pub(super) fn leave_giver(&mut self, id: ScopeId) -> Option<(ScopeId, usize, usize)> {
        let (parent, holder) = (self.graph.scope(id).parent, self.graph.scope(id).holder.0);
        if parent == NONE || holder == NONE || parent == holder {
            return None;
        }
        let giver = self.graph.scope_mut(parent);
        if !giver.alive {
            return None;
        }
        for (spot, held) in giver.held.iter_mut().enumerate() {
            if let Held::Component { contents, .. } = held
                && let Some(at) = contents.iter().position(|content| *content == id)
            {
                contents.remove(at);
                return Some((parent, spot, at));
            }
        }
        None
    }

    /// Puts something else into a spot and keeps what the view shows there.
    fn hold(&mut self, id: ScopeId, spot: u32, held: Held) {
        let scope = self.graph.scope_mut(id);
        let (depth, standing) = (scope.depth, scope.standing);
        let before = std::mem::replace(&mut scope.held[spot as usize], held);
        if standing {
            self.was.entry((depth, id, spot)).or_insert(Was::Held(before));
        }
    }

    /// Works out what a spot has come to hold.
    pub(crate) fn settle_spot(&mut self, id: ScopeId, spot: u32) {
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let ready = prepared.block(plan, block);
        let blocks = &prepared.plan(plan).blocks;
        let key = (id, ready.reader_of_spot(spot));
        let run = self.graph.settle_reads(&prepared, key);
        let kind = &blocks[block as usize].spots[spot as usize].kind;
        let (expr, block) = match kind {
            SpotKind::List { .. } => {
                self.graph.freshen(key);
                return self.reconcile(id, spot);
            }
            SpotKind::Component(_) | SpotKind::Slot { .. } => return,
            _ if !run => return,
            SpotKind::Branch { choice, .. } => (*choice, 0),
            SpotKind::Renamed { name, block, .. } => (*name, *block),
            SpotKind::Markup { value, .. } => (*value, 0),
        };
        let value = self.graph.evaluate(&prepared, key, expr);
        self.graph.freshen(key);
        self.making.evaluated.push(key);
        match (kind, &self.graph.scope(id).held[spot as usize]) {
            (SpotKind::Branch { alternatives, .. }, Held::Branch { chosen: from, scope }) => {
                let (from, scope, to) = (*from, *scope, chosen(&value, alternatives.len()));
                if from != to || self.graph.is_broken(Sabotage::BeginAnew) {
                    if scope != NONE {
                        self.release(scope);
                    }
                    self.hold(id, spot, Held::Branch { chosen: to, scope: NONE });
                    self.enter_alternative(&prepared, id, spot, to, alternatives);
                }
            }
            (SpotKind::Renamed { .. }, Held::Renamed { tag: from, scope }) => {
                let (from, scope, to) = (*from, *scope, vein_plan::shown::renamed(&value));
                self.report_tag(id, spot, &value, to);
                if from != to {
                    self.release(scope);
                    self.hold(id, spot, Held::Renamed { tag: to, scope: NONE });
                    self.enter_renamed(&prepared, id, spot, block, to);
                }
            }
            (SpotKind::Markup { .. }, Held::Markup { cleaned, .. }) => {
                let html = value.to_shown();
                let now = self.cleaned(&html);
                if *cleaned != now {
                    self.hold(
                        id,
                        spot,
                        Held::Markup { html, cleaned: now, nodes: Default::default() },
                    );
                }
            }
            _ => {}
        }
    }

    /// Brings the view to what its spots have come to hold, outer ones first. Gives what changed.
    pub(crate) fn show_changes(&mut self) -> Vec<(ScopeId, u32, Effect)> {
        let keys: Vec<(u32, ScopeId, u32)> = self.was.keys().copied().collect();
        let mut changes = Vec::new();
        for key in keys {
            let (_, id, spot) = key;
            // What is gone with something around it is kept until the pulse ends.
            if !self.graph.scope(id).alive {
                continue;
            }
            let Some(was) = self.was.remove(&key) else { continue };
            let effect = match &was {
                Was::Rows { rows, pieces } => self.show_rows(id, spot, rows, pieces),
                Was::Held(held) if self.is_back(id, spot, held) => None,
                Was::Held(held) => self.show_held(id, spot, held),
            };
            changes.extend(effect.map(|effect| (id, spot, effect)));
            self.note(|| Undo::Was(id, spot, was));
        }
        changes
    }

    /// Whether a spot has come back to what the view shows there: to nothing, or to the same markup.
    fn is_back(&mut self, id: ScopeId, spot: u32, was: &Held) -> bool {
        match (was, &mut self.graph.scope_mut(id).held[spot as usize]) {
            (Held::Branch { scope: NONE, .. }, Held::Branch { scope: NONE, .. }) => true,
            (
                Held::Markup { cleaned: before, nodes: shown, .. },
                Held::Markup { cleaned, nodes, .. },
            ) if before == cleaned => {
                nodes.clone_from(shown);
                true
            }
            _ => false,
        }
    }

    fn show_held(&mut self, id: ScopeId, spot: u32, was: &Held) -> Option<Effect> {
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let blocks = &prepared.plan(plan).blocks;
        let kind = &blocks[block as usize].spots[spot as usize].kind;
        match was {
            Held::Branch { scope, .. } | Held::Renamed { scope, .. } if *scope != NONE => {
                self.take_nodes(*scope);
            }
            Held::Markup { nodes, .. } => {
                for node in nodes {
                    self.making.patches.push(&Patch::Remove { node: *node });
                }
                if let Some(first) = nodes.first() {
                    self.released.push((*first, nodes.len() as u32));
                }
            }
            _ => {}
        }
        let target = self.target(id, spot);
        self.show_spot(&prepared, id, spot, target);
        let now = &self.graph.scope(id).held[spot as usize];
        Some(match (kind, was, now) {
            (
                SpotKind::Branch { alternatives, .. },
                Held::Branch { chosen: from, .. },
                Held::Branch { chosen: to, .. },
            ) => {
                let label = |chosen: u32| {
                    let block = alternatives.get(chosen as usize)?;
                    Some(blocks[*block as usize].called.clone())
                };
                Effect::Branch { from: label(*from), to: label(*to) }
            }
            (_, Held::Renamed { tag: from, .. }, Held::Renamed { tag: to, .. }) => {
                Effect::Branch { from: Some((*from).into()), to: Some((*to).into()) }
            }
            (_, Held::Markup { html: from, .. }, Held::Markup { html: to, .. }) => {
                Effect::Value { from: Shown::Text(from.clone()), to: Shown::Text(to.clone()) }
            }
            _ => return None,
        })
    }

    /// Takes the nodes of a scope out of the view.
    pub(crate) fn take_nodes(&mut self, id: ScopeId) {
        let mut nodes = Vec::new();
        self.top_nodes(id, &mut nodes);
        for node in nodes {
            self.making.patches.push(&Patch::Remove { node });
        }
    }

    /// Shows what stands in a spot whose nodes are not there yet.
    pub(super) fn show_spot(
        &mut self,
        prepared: &Prepared,
        id: ScopeId,
        spot: u32,
        target: super::Target,
    ) {
        match self.in_view(id, spot) {
            InView::Nothing => {}
            InView::One(scope) => self.show(prepared, scope, target),
            InView::Rows(rows) => {
                let rows = rows.to_vec();
                rows.into_iter().for_each(|row| self.show(prepared, row, target));
            }
            InView::Nodes(_) => self.show_markup(id, spot, target),
        }
    }
}
