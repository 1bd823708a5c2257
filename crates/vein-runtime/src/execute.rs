//! Statements at work.

use crate::fault::{DEEPEST_CALLS, Fault, MOST_STATEMENTS};
use crate::graph::{Graph, ListEdit, Prepared};
use smallvec::SmallVec;
use std::sync::Arc;
use vein_plan::code::{
    ExprId, Function, ListEdit as PlannedEdit, LocalId, Place, PlaceStep, Stmt, StmtId,
};
use vein_plan::eval::Evaluation;
use vein_plan::{Step, Value};

/// What a run of statements gave to the parent: the event's number and its values.
pub(crate) type GivenEvents = Vec<(u32, Vec<Value>)>;

/// Statements that run on an instance.
pub(crate) struct Run<'a> {
    pub(crate) graph: &'a mut Graph,
    pub(crate) given: GivenEvents,
    prepared: Arc<Prepared>,
    statements: u64,
    calls: usize,
}

/// Whether a block ran to its end.
#[derive(PartialEq)]
enum Flow {
    On,
    Returned,
}

type Locals = Vec<(Value, ())>;

impl<'a> Run<'a> {
    pub(crate) fn new(graph: &'a mut Graph) -> Run<'a> {
        let prepared = graph.prepared.clone();
        Run { graph, given: Vec::new(), prepared, statements: 0, calls: 0 }
    }

    /// Runs a body with its first locals.
    pub(crate) fn body(&mut self, body: &[StmtId], first: Vec<Value>) -> Result<(), Fault> {
        let mut locals: Locals = first.into_iter().map(|value| (value, ())).collect();
        self.block(body, &mut locals).map(|_| ())
    }

    fn evaluation<'r>(&'r mut self, locals: &'r mut Locals) -> Evaluation<'r, Graph, ()> {
        Evaluation {
            exprs: &self.prepared.program.plans[self.prepared.plan].exprs,
            names: &self.prepared.program.names,
            cells: self.graph,
            locals,
            log: Vec::new(),
        }
    }

    fn value(&mut self, expr: ExprId, locals: &mut Locals) -> Value {
        self.evaluation(locals).value(expr)
    }

    fn values(&mut self, exprs: &[ExprId], locals: &mut Locals) -> Vec<Value> {
        exprs.iter().map(|expr| self.value(*expr, locals)).collect()
    }

    fn bind(local: LocalId, value: Value, locals: &mut Locals) {
        let at = local as usize;
        if locals.len() <= at {
            locals.resize(at + 1, (Value::Null, ()));
        }
        locals[at] = (value, ());
    }

    fn block(&mut self, block: &[StmtId], locals: &mut Locals) -> Result<Flow, Fault> {
        for stmt in block {
            if self.statement(*stmt, locals)? == Flow::Returned {
                return Ok(Flow::Returned);
            }
        }
        Ok(Flow::On)
    }

    fn statement(&mut self, id: StmtId, locals: &mut Locals) -> Result<Flow, Fault> {
        self.statements += 1;
        if self.statements > MOST_STATEMENTS {
            return Err(Fault::TooManyStatements);
        }
        let prepared = self.prepared.clone();
        match &prepared.plan().stmts[id as usize] {
            Stmt::Let(local, value) => {
                let value = self.value(*value, locals);
                Self::bind(*local, value, locals);
            }
            Stmt::Set(place, value) => {
                let path = self.path(place, locals);
                let value = self.value(*value, locals);
                let shown = self.shown(place, &path);
                if !self.graph.set(place.cell, path, value, SmallVec::new()) {
                    return Err(Fault::NoSuchPlace { path: shown() });
                }
            }
            Stmt::Edit(place, edit) => self.edit(place, edit, locals)?,
            Stmt::If(test, then, otherwise) => {
                let test = self.value(*test, locals).truthy();
                return self.block(if test { then } else { otherwise }, locals);
            }
            Stmt::For(position, list, body) => return self.each(*position, *list, body, locals),
            Stmt::Call(handler, args) => {
                let handler = &prepared.plan().handlers[*handler as usize];
                let args = self.values(args, locals);
                if self.calls >= DEEPEST_CALLS {
                    return Err(Fault::HandlersTooDeep { handler: handler.name.to_string() });
                }
                self.calls += 1;
                self.body(&handler.body, args)?;
                self.calls -= 1;
            }
            Stmt::Give(event, args) => {
                let args = self.values(args, locals);
                self.given.push((*event, args));
            }
            Stmt::Return => return Ok(Flow::Returned),
        }
        Ok(Flow::On)
    }

    /// Goes over as many positions as the list had at first, fewer if it becomes shorter.
    fn each(
        &mut self,
        position: LocalId,
        list: ExprId,
        body: &[StmtId],
        locals: &mut Locals,
    ) -> Result<Flow, Fault> {
        let at_first = self.value(list, locals).list_len();
        for i in 0..at_first {
            if i >= self.value(list, locals).list_len() {
                break;
            }
            Self::bind(position, Value::Number(i as f64), locals);
            if self.block(body, locals)? == Flow::Returned {
                return Ok(Flow::Returned);
            }
        }
        Ok(Flow::On)
    }

    /// The path that a place means now. A position that is none leads nowhere.
    fn path(&mut self, place: &Place, locals: &mut Locals) -> Vec<Step> {
        let step = |step: &PlaceStep| match step {
            PlaceStep::Field(name) => {
                Step::Field(self.prepared.program.names[*name as usize].clone())
            }
            PlaceStep::Index(index) => {
                let at = self.value(*index, locals).to_number();
                let fits = at >= 0.0 && at.fract() == 0.0 && at < f64::from(u32::MAX);
                Step::Index(if fits { at as u32 } else { u32::MAX })
            }
        };
        place.steps.iter().map(step).collect()
    }

    /// How a path is written, worked out only when it is needed.
    fn shown(&self, place: &Place, path: &[Step]) -> impl FnOnce() -> String + use<> {
        let name = self.prepared.plan().cells[place.cell as usize].name.clone();
        let path: SmallVec<[Step; 4]> = path.iter().cloned().collect();
        move || std::iter::once(name.to_string()).chain(path.iter().map(Step::to_string)).collect()
    }

    fn edit(
        &mut self,
        place: &Place,
        edit: &PlannedEdit,
        locals: &mut Locals,
    ) -> Result<(), Fault> {
        let path = self.path(place, locals);
        let nowhere = self.shown(place, &path);
        let root = &self.graph.values[place.cell as usize];
        let Some(Value::List(items)) = root.at(&path) else {
            return Err(Fault::NoSuchPlace { path: nowhere() });
        };
        let len = items.len();
        let change = match edit {
            PlannedEdit::Push(items) => {
                ListEdit::Splice { at: len, remove: 0, insert: self.values(items, locals) }
            }
            PlannedEdit::Unshift(items) => {
                ListEdit::Splice { at: 0, remove: 0, insert: self.values(items, locals) }
            }
            PlannedEdit::Pop => ListEdit::Splice {
                at: len.saturating_sub(1),
                remove: len.min(1),
                insert: Vec::new(),
            },
            PlannedEdit::Shift => {
                ListEdit::Splice { at: 0, remove: len.min(1), insert: Vec::new() }
            }
            PlannedEdit::Splice(start, count, items) => {
                let start = relative(self.value(*start, locals).to_number(), len);
                let count = match count {
                    Some(count) => clamp(self.value(*count, locals).to_number(), len - start),
                    None => len - start,
                };
                let insert = self.values(items, locals);
                ListEdit::Splice { at: start, remove: count, insert }
            }
            PlannedEdit::Reverse => ListEdit::Permute((0..len as u32).rev().collect()),
            PlannedEdit::Sort(function) => {
                ListEdit::Permute(self.sorted(items.to_vec(), function.as_ref(), locals))
            }
        };
        if self.graph.change_list(place.cell, path, change) {
            Ok(())
        } else {
            Err(Fault::NoSuchPlace { path: nowhere() })
        }
    }

    fn sorted(
        &mut self,
        items: Vec<Value>,
        function: Option<&Function>,
        locals: &mut Locals,
    ) -> Vec<u32> {
        let order = self.evaluation(locals).sorted_order(&items, &(), function);
        order.into_iter().map(|at| at as u32).collect()
    }
}

/// A position as `splice` takes it: negative counts from the end.
fn relative(n: f64, len: usize) -> usize {
    let n = if n.is_nan() { 0.0 } else { n.trunc() };
    clamp(if n < 0.0 { len as f64 + n } else { n }, len)
}

fn clamp(n: f64, most: usize) -> usize {
    if n.is_nan() || n <= 0.0 { 0 } else { n.min(most as f64) as usize }
}
