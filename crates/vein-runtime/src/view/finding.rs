//! Where nodes stand among their neighbours.

use super::{InView, Target, View, Was};
use crate::scope::{Held, NONE, ScopeId};
use crate::wakes::Top;
use vein_plan::Next;
use vein_view::{NodeNumber, ROOT};

impl View {
    /// What stood in a spot when the pulse began, where it has come to hold something else.
    pub(super) fn was_in(&self, id: ScopeId, spot: u32) -> Option<&Was> {
        self.was.get(&(self.graph.scope(id).depth, id, spot))
    }

    /// What the view shows in a spot, whatever the spot has come to hold in this pulse.
    pub(super) fn in_view(&self, id: ScopeId, spot: u32) -> InView<'_> {
        let scope = self.graph.scope(id);
        let held = if self.was.is_empty() { None } else { self.was_in(id, spot) };
        let held = match held {
            Some(Was::Rows { rows, .. }) => return InView::Rows(rows),
            Some(Was::Held(held)) => held,
            None => &scope.held[spot as usize],
        };
        match held {
            Held::Nothing => InView::Nothing,
            Held::Branch { scope, .. }
            | Held::Renamed { scope, .. }
            | Held::Slot { scope, .. }
            | Held::Component { instance: scope, .. } => match *scope {
                NONE => InView::Nothing,
                scope => InView::One(scope),
            },
            Held::List(rows) => InView::Rows(&rows.rows),
            Held::Markup { nodes, .. } => InView::Nodes(nodes),
        }
    }

    /// The first node that stands in a scope.
    pub(super) fn first_node(&self, id: ScopeId) -> Option<NodeNumber> {
        let scope = self.graph.scope(id);
        if !scope.standing {
            return None;
        }
        let ready = self.graph.prepared.block(scope.plan, scope.block);
        ready.top.iter().find_map(|top| match top {
            Top::Node(mark) => Some(scope.first + mark),
            Top::Spot(spot) => self.first_in_spot(id, *spot),
        })
    }

    fn first_in_spot(&self, id: ScopeId, spot: u32) -> Option<NodeNumber> {
        match self.in_view(id, spot) {
            InView::Nothing => None,
            InView::One(scope) => self.first_node(scope),
            InView::Rows(rows) => rows.iter().find_map(|row| self.first_node(*row)),
            InView::Nodes(nodes) => nodes.first().copied(),
        }
    }

    /// All nodes at the top of a scope, in order.
    pub(crate) fn top_nodes(&self, id: ScopeId, out: &mut Vec<NodeNumber>) {
        let scope = self.graph.scope(id);
        if !scope.standing {
            return;
        }
        let ready = self.graph.prepared.block(scope.plan, scope.block);
        for top in &ready.top {
            match top {
                Top::Node(mark) => out.push(scope.first + mark),
                Top::Spot(spot) => match self.in_view(id, *spot) {
                    InView::Nothing => {}
                    InView::One(scope) => self.top_nodes(scope, out),
                    InView::Rows(rows) => rows.iter().for_each(|row| self.top_nodes(*row, out)),
                    InView::Nodes(nodes) => out.extend(nodes),
                },
            }
        }
    }

    /// Where nodes of a spot go that come after everything that stands in it.
    pub(super) fn target(&mut self, id: ScopeId, spot: u32) -> Target {
        let prepared = self.graph.prepared.clone();
        let (mut id, mut spot) = (id, spot);
        let mut before = None;
        loop {
            let scope = self.graph.scope(id);
            let block = &prepared.plan(scope.plan).blocks[scope.block as usize];
            let this = &block.spots[spot as usize];
            let (first, parent) = (scope.first, this.parent);
            let mut next = this.next;
            while before.is_none() {
                match next {
                    Next::End => break,
                    Next::Node(mark) => before = Some(first + mark),
                    Next::Spot(after) => {
                        before = self.first_in_spot(id, after);
                        next = block.spots[after as usize].next;
                    }
                }
            }
            if let Some(mark) = parent {
                return Target { parent: first + mark, before: before.unwrap_or(ROOT) };
            }
            let row = id;
            (id, spot) = self.graph.scope(id).holder;
            if id == NONE {
                return Target { parent: ROOT, before: before.unwrap_or(ROOT) };
            }
            // The rows after this one.
            if before.is_none()
                && let Some(at) = self.graph.row_in_view(row)
                && let Some(rows) = self.graph.rows(id, spot)
            {
                let later = rows.rows.get(at as usize + 1..).unwrap_or(&[]);
                before = later.iter().find_map(|row| self.first_node(*row));
            }
        }
    }
}
