//! Values of a view rendered afresh: state as it is kept, and the rest once somebody reads it.

use super::{Fresh, FreshScope};
use std::cell::OnceCell;
use vein_plan::budget::{Budget, Spent};
use vein_plan::code::{CellId, ExprId};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::track::Tracked;
use vein_plan::{Given, Read, Value};
use vein_runtime::Runtime;

/// The value of a cell.
pub(super) enum Standing {
    Is(Value),
    /// Worked out once somebody reads it: nobody knows what it costs that nobody reads.
    Later(OnceCell<Value>, Source),
}

/// Where a value comes from.
pub(super) enum Source {
    /// An expression of a scope.
    Expr(usize, ExprId),
    /// A cell as a scope sees it, and the way of fields into it.
    Path(usize, CellId, Box<[u32]>),
}

/// How many values may wait for each other before those that stand further up are worked out first, one by one.
const MOST_WAITING: u32 = 32;

/// A value that is worked out once somebody reads it.
pub(super) fn later(source: Source) -> Standing {
    Standing::Later(OnceCell::new(), source)
}

/// What is given; what was given once is state of whoever received it.
pub(super) fn given_from(at: usize, given: &Given) -> Option<Standing> {
    match given {
        Given::Path { cell, path } => Some(later(Source::Path(at, *cell, path.clone().into()))),
        Given::Value(expr, _) => Some(later(Source::Expr(at, *expr))),
        Given::Once(_) => None,
    }
}

/// What a value may cost that is worked out before anybody reads it.
const FEW: Budget = Budget { steps: 100_000, bytes: 16 << 20, nodes: 0 };

struct Sight<'a> {
    fresh: &'a Fresh,
    runtime: &'a Runtime,
    scope: usize,
    /// What may be used up, and what was.
    budget: Budget,
    spent: Spent,
}

impl Cells for Sight<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        self.see(cell, Value::clone)
    }

    fn see<T>(&mut self, cell: CellId, look: impl FnOnce(&Value) -> T) -> T {
        look(self.fresh.cell(self.runtime, self.scope, cell))
    }

    fn spend(&mut self, steps: u64, bytes: u64) -> bool {
        self.spent.add(&self.budget, steps, bytes, 0).is_ok()
    }

    fn bytes_left(&self) -> u64 {
        self.budget.bytes.saturating_sub(self.spent.bytes)
    }

    /// What the host answers at once is always the same for the same arguments.
    fn ask(&mut self, asked: u32, args: &[Value]) -> Value {
        let plan = self.fresh.scopes[self.scope].plan;
        self.runtime.answer_at_once(plan, asked, args).unwrap_or_default()
    }

    fn local(&mut self, member: vein_plan::members::Member, args: &[Value]) -> vein_plan::Text {
        self.runtime.local(member, args)
    }

    fn compare(&self, a: &vein_plan::Text, b: &vein_plan::Text) -> std::cmp::Ordering {
        self.runtime.compare_texts(a, b)
    }
}

impl Fresh {
    /// The value of a cell as a scope sees it.
    pub fn cell(&self, runtime: &Runtime, scope: usize, cell: CellId) -> &Value {
        const NOTHING: &Value = &Value::Null;
        let program = runtime.program();
        let mut at = Some(scope);
        while let Some(here) = at.map(|at| &self.scopes[at]) {
            if program.plans[here.plan].cells[cell as usize].block == here.block {
                let found = here.cells.iter().position(|(known, _)| *known == cell);
                return found.map_or(NOTHING, |found| self.standing(runtime, here, found));
            }
            at = here.lexical;
        }
        NOTHING
    }

    fn standing<'f>(&'f self, runtime: &Runtime, here: &'f FreshScope, at: usize) -> &'f Value {
        match &here.cells[at].1 {
            Standing::Is(value) => value,
            Standing::Later(value, source) => {
                if let Some(value) = value.get() {
                    return value;
                }
                self.waiting.set(self.waiting.get() + 1);
                if self.waiting.get() > MOST_WAITING {
                    self.work_out_before(runtime, here, at);
                }
                let worked_out =
                    value.get_or_init(|| self.come_from(runtime, source, Budget::ENDLESS).0);
                self.waiting.set(self.waiting.get() - 1);
                worked_out
            }
        }
    }

    /// Works out what stands before a value in its scope, which may read it: a long chain does not fill the machine's
    /// stack then. What costs too much is left to whoever reads it.
    fn work_out_before(&self, runtime: &Runtime, here: &FreshScope, at: usize) {
        for (_, standing) in &here.cells[..at] {
            let Standing::Later(value, source) = standing else { continue };
            if value.get().is_none()
                && let (worked_out, true) = self.come_from(runtime, source, FEW)
            {
                // Whoever is worked out further out stands after it.
                let _ = value.set(worked_out);
            }
        }
    }

    /// What comes from somewhere, and whether the budget was enough.
    fn come_from(&self, runtime: &Runtime, source: &Source, budget: Budget) -> (Value, bool) {
        match source {
            Source::Expr(scope, expr) => {
                let (value, _, is_whole) = self.evaluate_within(runtime, (*scope, *expr), budget);
                (value, is_whole)
            }
            Source::Path(scope, cell, path) => (self.at_path(runtime, *scope, *cell, path), true),
        }
    }

    pub(super) fn at_path(
        &self,
        runtime: &Runtime,
        at: usize,
        cell: CellId,
        path: &[u32],
    ) -> Value {
        let mut value = self.cell(runtime, at, cell);
        for name in path {
            let step = vein_plan::Step::Field(runtime.program().names[*name as usize].clone());
            value = value.child(&step).unwrap_or(&Value::Null);
        }
        value.clone()
    }

    /// An expression's value in a scope and everything that it reads.
    pub fn evaluate(&self, runtime: &Runtime, scope: usize, expr: ExprId) -> (Value, Vec<Read>) {
        let (value, reads, _) = self.evaluate_within(runtime, (scope, expr), Budget::ENDLESS);
        (value, reads)
    }

    /// The same within a budget, and whether that was enough.
    fn evaluate_within(
        &self,
        runtime: &Runtime,
        (scope, expr): (usize, ExprId),
        budget: Budget,
    ) -> (Value, Vec<Read>, bool) {
        let program = runtime.program();
        let mut locals: Vec<(Value, Tracked)> = Vec::new();
        let mut sight = Sight { fresh: self, runtime, scope, budget, spent: Spent::default() };
        let plan = &program.plans[self.scopes[scope].plan];
        let mut run = Evaluation::new(plan, &program.names, &mut sight, &mut locals);
        let value = run.value(expr);
        let reads = run.log.iter().map(|noted| noted.read(&program.names)).collect();
        let is_whole = sight.spent.add(&budget, 0, 0, 0).is_ok();
        (value, reads, is_whole)
    }
}
