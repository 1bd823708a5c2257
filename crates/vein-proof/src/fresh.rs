//! The view rendered afresh from state, without anything of the engine but the meaning of
//! expressions. It is slow and simple on purpose: the engine is held against it.

use std::sync::Arc;
use vein_plan::code::CellId;
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::track::Tracked;
use vein_plan::{CellKind, PartKind, Plan, Program, Read, Shown, Value};
use vein_runtime::Runtime;
use vein_view::{Batch, Patch, ROOT, Template, Tree};

/// A view rendered afresh.
pub struct Fresh {
    /// The values of all cells, derived ones worked out anew.
    pub values: Vec<Value>,
    /// What each part shows.
    pub parts: Vec<Shown>,
}

struct Values<'a>(&'a [Value]);

impl Cells for Values<'_> {
    fn cell(&mut self, cell: CellId) -> Value {
        self.0[cell as usize].clone()
    }
}

/// Works out every derived value and every part from props and state.
pub fn render(program: &Program, plan: &Plan, state: &[Value]) -> Fresh {
    let mut values = state.to_vec();
    for (i, cell) in plan.cells.iter().enumerate() {
        // A derived value stands after those that it reads.
        if let CellKind::Derived(expr, _) = cell.kind {
            values[i] = evaluate(program, plan, &values, expr).0;
        }
    }
    let parts = plan.parts.iter().map(|part| {
        let (value, _) = evaluate(program, plan, &values, part.value);
        part.kind.shown(&value)
    });
    Fresh { parts: parts.collect(), values }
}

/// An expression's value and everything that it read.
pub fn evaluate(
    program: &Program,
    plan: &Plan,
    values: &[Value],
    expr: vein_plan::code::ExprId,
) -> (Value, Vec<Read>) {
    let mut locals: Vec<(Value, Tracked)> = Vec::new();
    let mut run = Evaluation {
        exprs: &plan.exprs,
        names: &program.names,
        cells: &mut Values(values),
        locals: &mut locals,
        log: Vec::new(),
    };
    let value = run.value(expr);
    (value, run.log)
}

impl Fresh {
    /// The tree that shows this view, built from nothing.
    pub fn tree(&self, plan: &Plan) -> Tree {
        let mut tree = Tree::default();
        let root = tree.root();
        tree.insert(&Arc::new(Template::of(plan)), root, ROOT + 1);
        let mut batch = Batch::default();
        for (part, shown) in plan.parts.iter().zip(&self.parts) {
            let node = Runtime::node_of_mark(part.mark);
            match (&part.kind, shown) {
                (PartKind::Text, Shown::Text(text)) => batch.push(&Patch::Text { node, text }),
                (PartKind::Attribute(name, _), Shown::Text(value)) => {
                    batch.push(&Patch::SetAttribute { node, name, value });
                }
                (PartKind::Property(property), Shown::Text(value)) => {
                    batch.push(&Patch::SetProperty { node, property: *property, value });
                }
                (PartKind::Property(property), Shown::Flag(on)) => {
                    batch.push(&Patch::SetFlag { node, property: *property, on: *on });
                }
                _ => {}
            }
        }
        // The template was made from the same plan, so every node is there.
        let _ = tree.apply(&batch);
        tree
    }
}
