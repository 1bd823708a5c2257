//! The check that a program passes before it may run: every index is inside its table and
//! every child stands before its parent. What passes cannot make the engine go astray.

use crate::code::{CellId, Expr, ExprId, LocalId, Place, PlaceStep, Stmt, StmtId};
use crate::members::{Member, Param};
use crate::program::{CellKind, Plan, Program, ReadStep, Reads, TemplateNode, Type, TypeId};

/// How deep expressions may be nested once compiled.
pub const DEEPEST_EXPRESSION: usize = 1000;

/// How many locals a handler or expression may use.
pub const MOST_LOCALS: LocalId = 1 << 16;

/// What is wrong with a program.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Flaw {
    component: String,
    problem: String,
}

impl std::fmt::Display for Flaw {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.component, self.problem)
    }
}

type Checked = Result<(), String>;

fn ensure(holds: bool, problem: impl FnOnce() -> String) -> Checked {
    if holds { Ok(()) } else { Err(problem()) }
}

/// Checks a program.
///
/// # Errors
/// The first thing that is wrong.
pub fn verify(program: &Program) -> Result<(), Flaw> {
    let flaw = |component: &str| {
        let component = component.to_owned();
        move |problem| Flaw { component, problem }
    };
    types(program).map_err(flaw("types"))?;
    for plan in &program.plans {
        Verifier { program, plan }.plan().map_err(flaw(&plan.name))?;
    }
    Ok(())
}

fn types(program: &Program) -> Checked {
    let fields = |fields: &[(u32, TypeId)], most: usize| {
        ensure(
            fields
                .iter()
                .all(|(name, ty)| (*name as usize) < program.names.len() && (*ty as usize) < most),
            || "a field outside its table".into(),
        )
    };
    for (i, ty) in program.types.iter().enumerate() {
        match ty {
            Type::List(inner) | Type::Optional(inner) => {
                ensure((*inner as usize) < i, || "a type before its parts".into())?;
            }
            Type::Record(record) => fields(record, i)?,
            Type::Shape(shape) => {
                ensure((*shape as usize) < program.shapes.len(), || "an unknown shape".into())?;
            }
            _ => {}
        }
    }
    program.shapes.iter().try_for_each(|shape| fields(&shape.fields, program.types.len()))
}

struct Verifier<'a> {
    program: &'a Program,
    plan: &'a Plan,
}

impl Verifier<'_> {
    fn plan(&self) -> Checked {
        self.expressions()?;
        self.statements()?;
        self.cells()?;
        for event in &self.plan.events {
            event.payload.iter().try_for_each(|(_, ty)| self.ty(*ty))?;
        }
        for handler in &self.plan.handlers {
            handler.params.iter().try_for_each(|(_, ty)| self.ty(*ty))?;
            ensure(handler.params.len() <= (handler.locals as usize), || {
                "fewer locals than parameters".into()
            })?;
            self.body(&handler.body, handler.locals)?;
        }
        self.template()
    }

    fn expressions(&self) -> Checked {
        let mut depths = Vec::with_capacity(self.plan.exprs.len());
        for (i, expr) in self.plan.exprs.iter().enumerate() {
            let mut depth = 0;
            let mut in_order = true;
            expr.children(|child| match depths.get(child as usize) {
                Some(below) => depth = depth.max(*below + 1),
                None => in_order = false,
            });
            ensure(in_order, || format!("expression {i} before its parts"))?;
            ensure(depth <= DEEPEST_EXPRESSION, || format!("expression {i} nested too deeply"))?;
            depths.push(depth);
            self.expression(expr).map_err(|problem| format!("expression {i}: {problem}"))?;
        }
        Ok(())
    }

    fn expression(&self, expr: &Expr) -> Checked {
        ensure(expr.locals().iter().all(|local| *local < MOST_LOCALS), || {
            "a local beyond the limit".into()
        })?;
        match expr {
            Expr::Cell(cell) => self.cell(*cell),
            Expr::Field(_, name) => self.name(*name),
            Expr::Record(fields) => fields.iter().try_for_each(|field| match field {
                crate::code::Field::One(name, _) => self.name(*name),
                crate::code::Field::Spread(_) => Ok(()),
            }),
            Expr::Call(member, ..) => {
                ensure(!member.takes_function() || *member == Member::ToSorted, || {
                    format!("{member:?} without a function")
                })
            }
            Expr::Walk(member, _, function, extra) => {
                ensure(member.takes_function(), || format!("{member:?} with a function"))?;
                let reduces = member.info().params.first() == Some(&Param::Reducer);
                ensure(reduces == extra.is_some(), || "a reduction without a start".into())?;
                ensure(function.params.len() <= 3, || "too many parameters".into())
            }
            _ => Ok(()),
        }
    }

    fn statements(&self) -> Checked {
        for (i, stmt) in self.plan.stmts.iter().enumerate() {
            let (mut exprs, mut in_order) = (Vec::new(), true);
            stmt.children(|e| exprs.push(e), |s| in_order &= (s as usize) < i);
            ensure(in_order, || format!("statement {i} before its parts"))?;
            exprs.iter().try_for_each(|e| self.expr_id(*e))?;
            match stmt {
                Stmt::Set(place, _) | Stmt::Edit(place, _) => self.place(place)?,
                Stmt::Call(handler, _) => {
                    ensure((*handler as usize) < self.plan.handlers.len(), || {
                        "an unknown handler".into()
                    })?;
                }
                Stmt::Give(event, _) => {
                    ensure((*event as usize) < self.plan.events.len(), || {
                        "an unknown event".into()
                    })?;
                }
                _ => {}
            }
        }
        Ok(())
    }

    fn cells(&self) -> Checked {
        for (i, cell) in self.plan.cells.iter().enumerate() {
            self.ty(cell.ty)?;
            match &cell.kind {
                CellKind::Prop(default) => {
                    default.iter().try_for_each(|e| self.reads_before(*e, i))?;
                }
                CellKind::State(init) => self.reads_before(*init, i)?,
                CellKind::Derived(value, reads) => {
                    self.reads_before(*value, i)?;
                    self.reads(reads)?;
                    ensure(reads.paths().iter().all(|r| (r.cell as usize) < i), || {
                        format!("`{}` reads what comes after it", cell.name)
                    })?;
                }
            }
        }
        Ok(())
    }

    /// An initial or derived value may only read cells that stand before it.
    fn reads_before(&self, root: ExprId, cell: usize) -> Checked {
        self.expr_id(root)?;
        let (mut open, mut seen) = (vec![root], vec![false; self.plan.exprs.len()]);
        while let Some(id) = open.pop() {
            if std::mem::replace(&mut seen[id as usize], true) {
                continue;
            }
            let expr = &self.plan.exprs[id as usize];
            if let Expr::Cell(read) = expr {
                ensure((*read as usize) < cell, || "a value that reads itself".into())?;
            }
            expr.children(|child| open.push(child));
        }
        Ok(())
    }

    fn template(&self) -> Checked {
        let (mut open, mut text_marks) = (0usize, Vec::new());
        for node in &self.plan.template {
            match node {
                TemplateNode::Open { marked, .. } => {
                    open += 1;
                    text_marks.extend(marked.then_some(false));
                }
                TemplateNode::TextPart => text_marks.push(true),
                TemplateNode::Text(_) => {}
                TemplateNode::Close => {
                    open = open.checked_sub(1).ok_or("an element closed twice")?;
                }
            }
        }
        ensure(open == 0, || "an element left open".into())?;
        for part in &self.plan.parts {
            let is_text = matches!(part.kind, crate::PartKind::Text);
            ensure(text_marks.get(part.mark as usize) == Some(&is_text), || {
                format!("part `{}` on no such node", part.address)
            })?;
            self.expr_id(part.value)?;
            self.reads(&part.reads)?;
        }
        for listener in &self.plan.listeners {
            ensure(text_marks.get(listener.mark as usize) == Some(&false), || {
                format!("listener `{}` on no such element", listener.address)
            })?;
            ensure(listener.locals > 0, || "a listener without its event".into())?;
            self.body(&listener.body, listener.locals)?;
        }
        Ok(())
    }

    fn body(&self, body: &[StmtId], locals: LocalId) -> Checked {
        ensure(locals <= MOST_LOCALS, || "more locals than the limit".into())?;
        let mut open: Vec<StmtId> = body.to_vec();
        while let Some(id) = open.pop() {
            let stmt = self.plan.stmts.get(id as usize).ok_or("an unknown statement")?;
            if let Stmt::Let(local, _) | Stmt::For(local, ..) = stmt {
                ensure(*local < locals, || "a local outside its handler".into())?;
            }
            stmt.children(|_| {}, |inner| open.push(inner));
        }
        Ok(())
    }

    fn reads(&self, reads: &Reads) -> Checked {
        for read in reads.paths() {
            self.cell(read.cell)?;
            for step in &read.path {
                if let ReadStep::Field(name) = step {
                    self.name(*name)?;
                }
            }
        }
        Ok(())
    }

    fn place(&self, place: &Place) -> Checked {
        let kind = self.plan.cells.get(place.cell as usize).map(|cell| &cell.kind);
        ensure(matches!(kind, Some(CellKind::State(_))), || "a write to no state".into())?;
        place.steps.iter().try_for_each(|step| match step {
            PlaceStep::Field(name) => self.name(*name),
            PlaceStep::Index(e) => self.expr_id(*e),
        })
    }

    fn expr_id(&self, id: ExprId) -> Checked {
        ensure((id as usize) < self.plan.exprs.len(), || "an unknown expression".into())
    }

    fn cell(&self, cell: CellId) -> Checked {
        ensure((cell as usize) < self.plan.cells.len(), || "an unknown cell".into())
    }

    fn name(&self, name: u32) -> Checked {
        ensure((name as usize) < self.program.names.len(), || "an unknown name".into())
    }

    fn ty(&self, ty: TypeId) -> Checked {
        ensure((ty as usize) < self.program.types.len(), || "an unknown type".into())
    }
}
