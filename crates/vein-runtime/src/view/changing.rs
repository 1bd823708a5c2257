//! Spots that come to hold something else, and scopes that are let go.

use super::{View, chosen};
use crate::pulse::Effect;
use crate::scope::{Held, NONE, ScopeId};
use vein_plan::{Shown, SpotKind};
use vein_view::Patch;

impl View {
    /// Takes a scope and its nodes away.
    pub(super) fn remove(&mut self, id: ScopeId) {
        let mut nodes = Vec::new();
        self.top_nodes(id, &mut nodes);
        for node in nodes {
            self.making.patches.push(&Patch::Remove { node });
        }
        self.release(id);
    }

    /// Lets go of a scope and everything in it; its nodes go with those around them.
    fn release(&mut self, id: ScopeId) {
        let prepared = self.graph.prepared.clone();
        let mut open = vec![id];
        while let Some(id) = open.pop() {
            let held = std::mem::take(&mut self.graph.scope_mut(id).held);
            for held in held {
                match held {
                    Held::Nothing => {}
                    Held::Branch { scope, .. }
                    | Held::Renamed { scope, .. }
                    | Held::Slot { scope, .. }
                    | Held::Component { instance: scope, .. } => {
                        open.extend((scope != NONE).then_some(scope));
                    }
                    Held::List(rows) => open.extend(&rows.rows),
                    Held::Markup { nodes, .. } => {
                        if let Some(first) = nodes.first() {
                            self.released.push((*first, nodes.len() as u32));
                        }
                    }
                }
            }
            let scope = self.graph.scope(id);
            let ready = prepared.block(scope.plan, scope.block);
            if ready.marks > 0 {
                self.released.push((scope.first, ready.marks));
            }
            self.leave_giver(id);
            self.graph.scope_mut(id).alive = false;
            self.graph.dead.push(id);
        }
    }

    /// Content that goes is no longer told of changes where it was written.
    fn leave_giver(&mut self, id: ScopeId) {
        let (parent, holder) = (self.graph.scope(id).parent, self.graph.scope(id).holder.0);
        if parent == NONE || holder == NONE || parent == holder {
            return;
        }
        if !self.graph.scope(parent).alive {
            return;
        }
        for held in &mut self.graph.scope_mut(parent).held {
            if let Held::Component { contents, .. } = held {
                contents.retain(|content| *content != id);
            }
        }
    }

    /// Brings a spot up to date. Gives what changed there.
    pub(crate) fn settle_spot(&mut self, id: ScopeId, spot: u32) -> Option<Effect> {
        let prepared = self.graph.prepared.clone();
        let (plan, block) = (self.graph.scope(id).plan, self.graph.scope(id).block);
        let ready = prepared.block(plan, block);
        let blocks = &prepared.plan(plan).blocks;
        let key = (id, ready.reader_of_spot(spot));
        let run = self.graph.settle_reads(key);
        match &blocks[block as usize].spots[spot as usize].kind {
            SpotKind::List { .. } => {
                self.graph.freshen(key);
                self.reconcile(id, spot, None)
            }
            _ if !run => None,
            SpotKind::Branch { choice, alternatives, .. } => {
                let value = self.graph.evaluate(key, *choice);
                self.graph.freshen(key);
                self.making.evaluated.push(key);
                let to = chosen(&value, alternatives.len());
                let Held::Branch { chosen: from, scope } = self.graph.scope(id).held[spot as usize]
                else {
                    return None;
                };
                if from == to {
                    return None;
                }
                if scope != NONE {
                    self.remove(scope);
                }
                self.graph.scope_mut(id).held[spot as usize] =
                    Held::Branch { chosen: to, scope: NONE };
                let target = self.target(id, spot);
                self.enter_alternative(id, spot, to, alternatives, target);
                let label = |chosen: u32| {
                    let block = alternatives.get(chosen as usize)?;
                    Some(blocks[*block as usize].called.clone())
                };
                Some(Effect::Branch { from: label(from), to: label(to) })
            }
            SpotKind::Renamed { name, block, .. } => {
                let value = self.graph.evaluate(key, *name);
                self.graph.freshen(key);
                self.making.evaluated.push(key);
                let to = vein_plan::shown::renamed(&value);
                self.report_tag(id, spot, &value, to);
                let Held::Renamed { tag: from, scope } = self.graph.scope(id).held[spot as usize]
                else {
                    return None;
                };
                if from == to {
                    return None;
                }
                self.remove(scope);
                let target = self.target(id, spot);
                self.enter_renamed(id, spot, *block, to, target);
                Some(Effect::Branch { from: Some(from.into()), to: Some(to.into()) })
            }
            SpotKind::Markup { value, .. } => {
                let value = self.graph.evaluate(key, *value);
                self.graph.freshen(key);
                self.making.evaluated.push(key);
                let to = value.to_shown();
                let now = self.cleaned(&to);
                let held = &mut self.graph.scope_mut(id).held[spot as usize];
                let Held::Markup { html, cleaned, nodes } = held else { return None };
                if *cleaned == now {
                    *html = to;
                    return None;
                }
                let (from, nodes) = (std::mem::take(html), std::mem::take(nodes));
                for node in &nodes {
                    self.making.patches.push(&Patch::Remove { node: *node });
                }
                if let Some(first) = nodes.first() {
                    self.released.push((*first, nodes.len() as u32));
                }
                let target = self.target(id, spot);
                self.show_markup(id, spot, (to.clone(), now), target);
                Some(Effect::Value { from: Shown::Text(from), to: Shown::Text(to) })
            }
            SpotKind::Component(_) | SpotKind::Slot { .. } => None,
        }
    }
}
