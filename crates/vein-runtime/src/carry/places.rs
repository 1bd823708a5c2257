//! What stands where on a page, by its address.

use super::Addressed;
use crate::execute::{Owner, owner_name, owners_in};
use crate::runtime::{ROOT_SCOPE, Runtime};
use crate::scope::{Held, NONE, ScopeId};
use rustc_hash::FxHashMap;
use vein_plan::{BlockId, Name, Plan};
use vein_view::NodeNumber;

/// What stands where on a page, by what it is called.
pub(super) type Places<Which = u32> = FxHashMap<String, Vec<(ScopeId, Which)>>;

/// What a place is called.
pub(super) fn addressed<Which: PartialEq>(
    places: &Places<Which>,
    place: (ScopeId, Which),
) -> Option<Addressed> {
    places.iter().find_map(|(address, same)| {
        let before = same.iter().position(|known| *known == place)?;
        Some(Addressed { address: address.clone(), before })
    })
}

/// Where something stands.
pub(super) fn at(places: &Places, called: &Addressed) -> Option<(ScopeId, u32)> {
    places.get(&called.address)?.get(called.before).copied()
}

impl Runtime {
    /// Has rows that go by their positions know them.
    pub(super) fn note_positions(&mut self) {
        let graph = &mut self.view.graph;
        let lists = graph.scopes.iter().filter(|scope| scope.alive).flat_map(|scope| &scope.held);
        let lists = lists.filter_map(|held| match held {
            Held::List(rows) => Some(rows.rows.clone()),
            _ => None,
        });
        for rows in lists.collect::<Vec<_>>() {
            for (position, row) in (0..).zip(rows) {
                graph.scope_mut(row).position = position;
            }
        }
    }

    /// The nodes at the top of each row and component, by its address and its place among those that are called so.
    pub fn tops(&mut self) -> FxHashMap<(String, usize), Vec<NodeNumber>> {
        self.note_positions();
        let graph = &self.view.graph;
        let (mut tops, mut called) = (FxHashMap::default(), FxHashMap::default());
        for id in self.in_order() {
            let scope = graph.scope(id);
            let (holder, spot) = scope.holder;
            let is_row = holder != NONE && graph.rows(holder, spot).is_some();
            if !is_row && (scope.block != 0 || holder == NONE) {
                continue;
            }
            let address = format!("{} {}", graph.name_of(id), if is_row { "row" } else { "" });
            let before: &mut usize = called.entry(address.clone()).or_default();
            let mut nodes = Vec::new();
            self.view.top_nodes(id, &mut nodes);
            tops.insert((address, *before), nodes);
            *before += 1;
        }
        tops
    }

    /// Of everything that stands on the page, from the top on, how much was added before it.
    pub(super) fn order(&self) -> Vec<u32> {
        let all = self.in_order();
        let mut added: Vec<u32> = (0..all.len() as u32).collect();
        added.sort_by_key(|at| self.view.graph.scope(all[*at as usize]).serial);
        let mut order = vec![0; all.len()];
        for (number, at) in (0..).zip(added) {
            order[at as usize] = number;
        }
        order
    }

    /// Every scope: stores, then what the page shows, as it stands there.
    pub(crate) fn in_order(&self) -> Vec<ScopeId> {
        let graph = &self.view.graph;
        let mut scopes: Vec<ScopeId> = self.store_scopes().into_iter().map(|(_, id)| id).collect();
        let mut open = vec![ROOT_SCOPE];
        while let Some(id) = open.pop() {
            scopes.push(id);
            for held in graph.scope(id).held.iter().rev() {
                match held {
                    Held::Nothing | Held::Markup { .. } => {}
                    Held::List(rows) => open.extend(rows.rows.iter().rev()),
                    Held::Branch { scope, .. }
                    | Held::Component { instance: scope, .. }
                    | Held::Slot { scope, .. }
                    | Held::Renamed { scope, .. } => open.extend((*scope != NONE).then_some(scope)),
                }
            }
        }
        scopes
    }

    /// What stands in the scopes of the page, by its addresses.
    fn places<Which>(
        &self,
        inside: impl Fn(&Plan, BlockId) -> Vec<(Which, Name)>,
    ) -> Places<Which> {
        let graph = &self.view.graph;
        let mut found = Places::default();
        for id in self.in_order() {
            let scope = graph.scope(id);
            for (which, own) in inside(graph.prepared.plan(scope.plan), scope.block) {
                let address = graph.address(id, &own);
                found.entry(address).or_insert_with(Vec::new).push((id, which));
            }
        }
        found
    }

    /// The listeners on the page that something is known of from event to event.
    pub(super) fn listeners(&self) -> Places {
        self.places(|plan, block| {
            let listeners = (0..).zip(&plan.blocks[block as usize].listeners);
            let known =
                listeners.filter(|(_, one)| one.options.once || one.options.quiet.is_some());
            known.map(|(number, one)| (number, one.address.clone())).collect()
        })
    }

    /// The parts on the page that are bound both ways.
    pub(super) fn parts(&self) -> Places {
        self.places(|plan, block| {
            let parts = (0..).zip(&plan.blocks[block as usize].parts);
            let bound = parts.filter(|(_, part)| part.control.is_some());
            bound.map(|(number, part)| (number, part.address.clone())).collect()
        })
    }

    /// Whose statements there are on the page.
    pub(super) fn owners(&self) -> Places<Owner> {
        self.places(|plan, block| {
            let owners = owners_in(plan, block).into_iter();
            owners.map(|owner| (owner, owner_name(plan, block, owner))).collect()
        })
    }
}
