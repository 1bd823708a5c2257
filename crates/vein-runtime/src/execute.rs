//! Statements at work.

use crate::fault::{DEEPEST_CALLS, Fault, MOST_STATEMENTS};
use crate::graph::{Graph, ListEdit, Sight};
use crate::scope::{NONE, ScopeId};
use crate::wakes::Prepared;
use smallvec::SmallVec;
use std::sync::Arc;
use vein_plan::code::{
    ExprId, Function, ListEdit as PlannedEdit, LocalId, Place, PlaceStep, Stmt, StmtId,
};
use vein_plan::eval::Evaluation;
use vein_plan::{Name, Record, SpotKind, Step, Value};

/// What a run of statements gave to the host: the event's number and its values.
pub(crate) type GivenEvents = Vec<(u32, Vec<Value>)>;

/// Statements that run on an instance.
pub(crate) struct Run<'a> {
    pub(crate) graph: &'a mut Graph,
    pub(crate) given: GivenEvents,
    /// The scope whose names the statements use.
    scope: ScopeId,
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
        Run { graph, given: Vec::new(), scope: 0, prepared, statements: 0, calls: 0 }
    }

    /// Goes on in another scope, and comes back.
    pub(crate) fn within<T>(&mut self, scope: ScopeId, run: impl FnOnce(&mut Self) -> T) -> T {
        let outer = std::mem::replace(&mut self.scope, scope);
        let result = run(self);
        self.scope = outer;
        result
    }

    fn plan(&self) -> u32 {
        self.graph.scope(self.scope).plan
    }

    /// Runs a body with its first locals.
    pub(crate) fn body(&mut self, body: &[StmtId], first: Vec<Value>) -> Result<(), Fault> {
        let mut locals: Locals = first.into_iter().map(|value| (value, ())).collect();
        self.block(body, &mut locals).map(|_| ())
    }

    fn evaluate<T>(
        &mut self,
        locals: &mut Locals,
        run: impl FnOnce(&mut Evaluation<'_, Sight<'_>, ()>) -> T,
    ) -> T {
        let prepared = self.prepared.clone();
        let cells = &mut Sight { scope: self.scope, graph: self.graph };
        run(&mut Evaluation {
            exprs: &prepared.plan(cells.graph.scope(cells.scope).plan).exprs,
            names: &prepared.program.names,
            cells,
            locals,
            log: Vec::new(),
        })
    }

    fn value(&mut self, expr: ExprId, locals: &mut Locals) -> Value {
        self.evaluate(locals, |run| run.value(expr))
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
        let plan = prepared.plan(self.plan());
        match &plan.stmts[id as usize] {
            Stmt::Let(local, value) => {
                let value = self.value(*value, locals);
                Self::bind(*local, value, locals);
            }
            Stmt::Set(place, value) => {
                let path = self.path(place, locals);
                let value = self.value(*value, locals);
                if !self.graph.set(self.scope, place.cell, path, value) {
                    let path = self.path(place, locals);
                    return Err(Fault::NoSuchPlace { path: self.shown(place, &path)() });
                }
            }
            Stmt::Edit(place, edit) => self.edit(place, edit, locals)?,
            Stmt::If(test, then, otherwise) => {
                let test = self.value(*test, locals).truthy();
                return self.block(if test { then } else { otherwise }, locals);
            }
            Stmt::For(position, list, body) => return self.each(*position, *list, body, locals),
            Stmt::Call(handler, args) => {
                let handler = &plan.handlers[*handler as usize];
                let args = self.values(args, locals);
                // A handler knows the names of its component, not those of the markup.
                let instance = self.graph.scope(self.scope).instance;
                self.called(&handler.name, instance, |run| run.body(&handler.body, args))?;
            }
            Stmt::Give(event, args) => {
                let args = self.values(args, locals);
                self.give(*event, args)?;
            }
            Stmt::Return => return Ok(Flow::Returned),
        }
        Ok(Flow::On)
    }

    /// Runs something that was called, in a scope of its own.
    fn called(
        &mut self,
        name: &str,
        scope: ScopeId,
        run: impl FnOnce(&mut Self) -> Result<(), Fault>,
    ) -> Result<(), Fault> {
        if self.calls >= DEEPEST_CALLS {
            return Err(Fault::HandlersTooDeep { handler: name.to_owned() });
        }
        self.calls += 1;
        self.within(scope, run)?;
        self.calls -= 1;
        Ok(())
    }

    /// Gives an event to the parent, which does at once what it does then; at the top of the
    /// page, to the host.
    fn give(&mut self, event: u32, args: Vec<Value>) -> Result<(), Fault> {
        let prepared = self.prepared.clone();
        let instance = self.graph.scope(self.scope).instance;
        let (holder, spot) = self.graph.scope(instance).holder;
        if holder == NONE {
            self.given.push((event, args));
            return Ok(());
        }
        let declared = &prepared.plan(self.graph.scope(instance).plan).events[event as usize];
        let (plan, block) = (self.graph.scope(holder).plan, self.graph.scope(holder).block);
        let spot = &prepared.plan(plan).blocks[block as usize].spots[spot as usize];
        let SpotKind::Component(used) = &spot.kind else { return Ok(()) };
        for heard in used.events.iter().filter(|heard| heard.event == event) {
            let names = declared.payload.iter().map(|(name, _)| Name::clone(name));
            let payload = Value::Record(Arc::new(Record::new(names.zip(args.iter().cloned()))));
            self.called(&declared.name, holder, |run| run.body(&heard.body, vec![payload]))?;
        }
        Ok(())
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

    /// What a two-way binding writes when its control has come to hold something else. `false`
    /// when that means no value of the state's type.
    pub(crate) fn commit(
        &mut self,
        commit: &vein_plan::Commit,
        held: &vein_plan::Shown,
    ) -> Result<bool, Fault> {
        use vein_plan::{Conversion, Shown};
        let mut locals = Locals::new();
        let value = match (&commit.from, held) {
            (Conversion::Flag, Shown::Flag(on)) => (*on).into(),
            (Conversion::Picked(own), Shown::Flag(true)) => self.value(*own, &mut locals),
            (Conversion::Member(own), Shown::Flag(on)) => {
                let own = self.value(*own, &mut locals);
                return self.set_member(commit, own, *on).map(|()| true);
            }
            (from, Shown::Text(text)) => match from.value(text) {
                Some(value) => value,
                None => return Ok(false),
            },
            _ => return Ok(true),
        };
        let path = self.path(&commit.place, &mut locals);
        let shown = self.shown(&commit.place, &path);
        match self.graph.set(self.scope, commit.place.cell, path, value) {
            true => Ok(true),
            false => Err(Fault::NoSuchPlace { path: shown() }),
        }
    }

    /// Puts a value into a list or takes it out, once.
    fn set_member(
        &mut self,
        commit: &vein_plan::Commit,
        own: Value,
        on: bool,
    ) -> Result<(), Fault> {
        let cell = commit.place.cell;
        let path = self.path(&commit.place, &mut Locals::new());
        let nowhere = self.shown(&commit.place, &path);
        let root = self.graph.cell(self.scope, cell);
        let Some(Value::List(items)) = root.at(&path) else {
            return Err(Fault::NoSuchPlace { path: nowhere() });
        };
        let (at, len) = (items.iter().position(|item| item.same_or_zero(&own)), items.len());
        drop(root);
        let change = match (at, on) {
            (None, true) => ListEdit::Splice { at: len, remove: 0, insert: vec![own] },
            (Some(at), false) => ListEdit::Splice { at, remove: 1, insert: Vec::new() },
            _ => return Ok(()),
        };
        match self.graph.change_list(self.scope, cell, path, change) {
            true => Ok(()),
            false => Err(Fault::NoSuchPlace { path: nowhere() }),
        }
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
        let name = self.prepared.plan(self.plan()).cells[place.cell as usize].name.clone();
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
        let root = self.graph.cell(self.scope, place.cell);
        let Some(Value::List(items)) = root.at(&path) else {
            return Err(Fault::NoSuchPlace { path: nowhere() });
        };
        let len = items.len();
        let sorted = match edit {
            PlannedEdit::Sort(function) => self.sorted(items, function.as_ref(), locals),
            _ => Vec::new(),
        };
        // Nobody else may hold the list when it is changed in place.
        drop(root);
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
            PlannedEdit::Sort(_) => ListEdit::Permute(sorted),
        };
        if self.graph.change_list(self.scope, place.cell, path, change) {
            Ok(())
        } else {
            Err(Fault::NoSuchPlace { path: nowhere() })
        }
    }

    fn sorted(
        &mut self,
        items: &[Value],
        function: Option<&Function>,
        locals: &mut Locals,
    ) -> Vec<u32> {
        let order = self.evaluate(locals, |run| run.sorted_order(items, &(), function));
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
