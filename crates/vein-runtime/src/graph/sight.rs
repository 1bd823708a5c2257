//! State as the expressions of a scope see it.

use super::Graph;
use crate::scope::ScopeId;
use crate::wakes::Prepared;
use std::cmp::Ordering;
use vein_plan::code::CellId;
use vein_plan::eval::Cells;
use vein_plan::members::Member;
use vein_plan::{Text, Value};

/// The state as an expression of a scope sees it.
pub(crate) struct Sight<'a> {
    pub(crate) graph: &'a mut Graph,
    pub(crate) prepared: &'a Prepared,
    pub(crate) scope: ScopeId,
}

impl Cells for Sight<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        self.graph.cell(self.prepared, self.scope, cell)
    }

    fn see<T>(&mut self, cell: CellId, look: impl FnOnce(&Value) -> T) -> T {
        match self.graph.in_place(self.prepared, self.scope, cell) {
            Some(value) => look(value),
            None => look(&self.graph.cell_anywhere(self.prepared, self.scope, cell)),
        }
    }

    fn ask(&mut self, asked: u32, args: &[Value]) -> Value {
        self.graph.ask(self.scope, asked, args)
    }

    fn calls_too_deep(&mut self, function: u32) {
        let plan = self.prepared.plan(self.graph.scope(self.scope).plan);
        self.graph.calls_too_deep(&plan.functions[function as usize].name);
    }

    fn own_id(&self, name: &Text) -> Text {
        self.graph.own_id(self.scope, name)
    }

    fn date(&self) -> f64 {
        self.graph.date
    }

    fn chance(&mut self) -> f64 {
        // Where something has failed, nothing more is worked out.
        if self.graph.fault.is_some() { 0.0 } else { self.graph.chance.next() }
    }

    fn local(&mut self, member: Member, args: &[Value]) -> Text {
        self.graph.local(member, args)
    }

    fn compare(&self, a: &Text, b: &Text) -> Ordering {
        self.graph.compare_texts(a, b)
    }

    fn spend(&mut self, steps: u64, bytes: u64) -> bool {
        self.graph.spend(steps, bytes)
    }

    fn bytes_left(&self) -> u64 {
        self.graph.bytes_left()
    }
}
