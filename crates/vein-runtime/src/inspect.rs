//! What the engine keeps, laid open for those who hold it against the truth.

use crate::runtime::{ROOT_SCOPE, Runtime};
use crate::scope::{Held, Key, NONE, ScopeId, Slot};
use vein_plan::{BlockId, CellKind, Shown, Value};
use vein_view::NodeNumber;

/// A scope as the engine keeps it.
#[derive(Clone, Debug)]
pub struct KeptScope {
    /// Its number.
    pub scope: ScopeId,
    /// The component and the block of it.
    pub plan: usize,
    /// The block.
    pub block: BlockId,
    /// How often the same ended here and began anew within one pulse: what runs when something is
    /// removed may bring it back.
    pub life: u32,
    /// The number of its first marked node.
    pub first: NodeNumber,
    /// The values of state and of props that nobody gives, by cell.
    pub state: Vec<(u32, Value)>,
    /// The parts whose controls hold what means no value.
    pub invalid: Vec<u32>,
    /// What its parts show.
    pub shown: Vec<Shown>,
    /// What stands in its spots.
    pub held: Vec<Kept>,
}

/// What stands in a spot.
#[derive(Clone, Debug)]
pub enum Kept {
    /// Nothing.
    Nothing,
    /// An alternative, by its number; or an element that is renamed, or content of a slot.
    One {
        /// Which alternative.
        chosen: u32,
        /// What stands there.
        scope: Option<ScopeId>,
    },
    /// The rows of a list.
    Rows(Vec<KeptRow>),
    /// Markup from data, by its nodes.
    Markup(Vec<NodeNumber>),
}

/// A component or store that stands on a page.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Standing {
    /// What it is called: nothing for the page's own, `tank` for a store, `bench-view[#1] › bed-card[#3]` for one inside.
    pub address: String,
    /// Its scope.
    pub scope: ScopeId,
    /// Its component or store.
    pub plan: usize,
    /// How many components are around it.
    pub depth: usize,
}

/// A row of a list.
#[derive(Clone, Debug)]
pub struct KeptRow {
    /// What tells it apart.
    pub key: Key,
    /// Its scope.
    pub scope: ScopeId,
}

impl Runtime {
    /// The component and the block of each scope that there is, in no order.
    pub fn standing(&self) -> impl Iterator<Item = (u32, BlockId)> {
        let scopes = self.view.graph.scopes.iter().filter(|scope| scope.alive);
        scopes.map(|scope| (scope.plan, scope.block))
    }

    /// The stores and components of the page: stores first, then what it shows, as it stands there.
    pub fn standing_components(&self) -> Vec<Standing> {
        let graph = &self.view.graph;
        let depth = |mut id: ScopeId| {
            let mut depth = 0;
            while graph.scope(id).holder.0 != NONE {
                id = graph.scope(graph.scope(id).holder.0).instance;
                depth += 1;
            }
            depth
        };
        let scopes = self.in_order().into_iter();
        let components = scopes.filter(|id| graph.scope(*id).instance == *id);
        let standing = components.map(|scope| {
            let (address, plan) = (graph.name_of(scope), graph.scope(scope).plan as usize);
            Standing { address, scope, plan, depth: depth(scope) }
        });
        standing.collect()
    }

    /// The nodes at the top of what a scope shows, in order.
    pub fn nodes_of(&self, scope: ScopeId) -> Vec<NodeNumber> {
        let mut nodes = Vec::new();
        self.view.top_nodes(scope, &mut nodes);
        nodes
    }

    /// Where a component inside another was written: the other, its block, the spot there, and which
    /// component it is; by their numbers.
    pub fn given_at(&self, id: ScopeId) -> Option<(u32, BlockId, u32, u32)> {
        let graph = &self.view.graph;
        let (holder, spot) = graph.scope(id).holder;
        let around = (holder != NONE).then(|| graph.scope(holder))?;
        Some((around.plan, around.block, spot, graph.scope(id).plan))
    }

    /// The scope of the component that the page shows.
    pub fn root_scope(&self) -> ScopeId {
        ROOT_SCOPE
    }

    /// The scope of each store of the page, by its plan.
    pub fn store_scopes(&self) -> Vec<(usize, ScopeId)> {
        let stores = self.view.graph.stores.iter();
        let mut stores: Vec<(usize, ScopeId)> =
            stores.map(|(plan, scope)| (*plan as usize, *scope)).collect();
        stores.sort_by_key(|(_, scope)| *scope);
        stores
    }

    /// What the host answers at once to a function of a plan.
    ///
    /// # Errors
    /// What the host said, or an answer that does not fit.
    pub fn answer_at_once(
        &self,
        plan: usize,
        asked: u32,
        args: &[Value],
    ) -> Result<Value, crate::Fault> {
        self.view.graph.answer_at_once(plan as u32, asked, args)
    }

    /// What a function of `Local` gives on this page.
    pub fn local(&self, member: vein_plan::members::Member, args: &[Value]) -> vein_plan::Text {
        self.view.graph.local(member, args)
    }

    /// Which of two texts stands first for people on this page.
    pub fn compare_texts(&self, a: &vein_plan::Text, b: &vein_plan::Text) -> std::cmp::Ordering {
        self.view.graph.compare_texts(a, b)
    }

    /// What each source of a component was asked with, and its question.
    pub fn asked_with(&self, scope: ScopeId) -> Vec<Option<(crate::QuestionId, Value)>> {
        let wards = self.view.graph.scope(scope).wards.as_ref();
        wards.map_or(Vec::new(), |wards| wards.sources.clone())
    }

    /// The path of a cell of a component, as pulses write it: `bed-row[#2].open`.
    pub fn path_of(&self, scope: ScopeId, cell: u32) -> String {
        self.view.graph.path_of(scope, cell).1
    }

    /// The address of a part, without the component that the page shows.
    pub fn address_in(&self, scope: ScopeId, own: &str) -> String {
        self.view.graph.address(scope, own)
    }

    /// The component of a scope, and its block there.
    pub fn block_of(&self, id: ScopeId) -> (usize, BlockId) {
        let scope = self.view.graph.scope(id);
        (scope.plan as usize, scope.block)
    }

    /// The number of a scope's first marked node.
    pub fn first_of(&self, id: ScopeId) -> NodeNumber {
        self.view.graph.scope(id).first
    }

    /// How often the same ended where a scope is and began anew within one pulse.
    pub fn life_of(&self, id: ScopeId) -> u32 {
        self.view.graph.scope(id).life
    }

    /// The values of a scope's state and of its props that nobody gives, by cell.
    pub fn state_of(&self, id: ScopeId) -> Vec<(u32, Value)> {
        let graph = &self.view.graph;
        let scope = graph.scope(id);
        let ready = graph.prepared.block(scope.plan, scope.block);
        let cells = &graph.prepared.plan(scope.plan).cells;
        let state = ready.cells.iter().zip(&scope.cells).filter_map(|(cell, slot)| {
            let kind = &cells[*cell as usize].kind;
            let own = matches!(kind, CellKind::State(_) | CellKind::Prop(_) | CellKind::Shared(_));
            match slot {
                Slot::Own(value) if own => Some((*cell, value.clone())),
                _ => None,
            }
        });
        state.collect()
    }

    /// What stands in a scope's spots.
    pub fn held_in(&self, id: ScopeId) -> Vec<Kept> {
        let graph = &self.view.graph;
        let one = |chosen: u32, scope: ScopeId| Kept::One {
            chosen,
            scope: (scope != NONE).then_some(scope),
        };
        let held = graph.scope(id).held.iter().map(|held| match held {
            Held::Nothing => Kept::Nothing,
            Held::Branch { chosen, scope } => one(*chosen, *scope),
            Held::Component { instance, .. } => one(0, *instance),
            Held::Slot { scope, .. } | Held::Renamed { scope, .. } => one(0, *scope),
            Held::Markup { nodes, .. } => Kept::Markup(nodes.to_vec()),
            Held::List(rows) => {
                let row = |row: &ScopeId| {
                    let key = graph.scope(*row).key.clone();
                    KeptRow { key, scope: *row }
                };
                Kept::Rows(rows.rows.iter().map(row).collect())
            }
        });
        held.collect()
    }

    /// What is kept of a scope.
    pub fn kept(&self, id: ScopeId) -> KeptScope {
        let scope = self.view.graph.scope(id);
        KeptScope {
            scope: id,
            plan: scope.plan as usize,
            block: scope.block,
            life: scope.life,
            first: scope.first,
            state: self.state_of(id),
            invalid: scope.invalid.to_vec(),
            shown: scope.shown.to_vec(),
            held: self.held_in(id),
        }
    }
}
