//! The check that a program passes before it may run: every index is inside its table and
//! every child stands before its parent. What passes cannot make the engine go astray.

use crate::code::{CellId, Expr, ExprId, LocalId, Place, PlaceStep, Stmt, StmtId};
use crate::members::{Member, Param};
use crate::program::{
    Block, BlockId, CellKind, Conversion, Given, Next, Plan, Program, ReadStep, Reads, Spot,
    SpotKind, TemplateNode, Type, TypeId,
};

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
        ensure(!self.plan.blocks.is_empty(), || "no markup".into())?;
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
        self.blocks()
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
            self.block(cell.block)?;
            let at_top = cell.block == 0;
            match &cell.kind {
                CellKind::Prop(default) | CellKind::Shared(default) => {
                    ensure(at_top, || "a prop inside the markup".into())?;
                    default.iter().try_for_each(|e| self.reads_before(*e, i))?;
                }
                CellKind::State(init) => {
                    ensure(at_top, || "state inside the markup".into())?;
                    self.reads_before(*init, i)?;
                }
                CellKind::Derived(value, reads) => {
                    self.reads_before(*value, i)?;
                    self.reads(reads)?;
                    ensure(reads.paths().iter().all(|r| (r.cell as usize) < i), || {
                        format!("`{}` reads what comes after it", cell.name)
                    })?;
                }
                CellKind::Item | CellKind::Position | CellKind::Handed => {
                    ensure(!at_top, || "a variable outside its block".into())?;
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

    fn blocks(&self) -> Checked {
        for (number, block) in self.plan.blocks.iter().enumerate() {
            let before = block.parent.is_some_and(|parent| (parent as usize) < number);
            ensure(before || (number == 0 && block.parent.is_none()), || {
                "a block that is written nowhere".into()
            })?;
        }
        for (number, block) in self.plan.blocks.iter().enumerate() {
            self.template(block)?;
            for spot in &block.spots {
                self.spot(number as u32, block, spot)
                    .map_err(|problem| format!("spot `{}`: {problem}", spot.address))?;
            }
        }
        Ok(())
    }

    fn template(&self, block: &Block) -> Checked {
        let (mut open, mut text_marks) = (0usize, Vec::new());
        for node in &block.template {
            match node {
                TemplateNode::Open { marked, .. } => {
                    open += 1;
                    text_marks.extend(marked.then_some(false));
                }
                TemplateNode::TextPart => text_marks.push(true),
                TemplateNode::Text { marked, .. } => text_marks.extend(marked.then_some(true)),
                TemplateNode::Close => {
                    open = open.checked_sub(1).ok_or("an element closed twice")?;
                }
            }
        }
        ensure(open == 0, || "an element left open".into())?;
        for part in &block.parts {
            let is_text = matches!(part.kind, crate::PartKind::Text);
            ensure(text_marks.get(part.mark as usize) == Some(&is_text), || {
                format!("part `{}` on no such node", part.address)
            })?;
            self.expr_id(part.value)?;
            self.reads(&part.reads)?;
            part.control.iter().try_for_each(|conversion| self.conversion(conversion))?;
        }
        for listener in &block.listeners {
            ensure(text_marks.get(listener.mark as usize) == Some(&false), || {
                format!("listener `{}` on no such element", listener.address)
            })?;
            ensure(listener.locals > 0, || "a listener without its event".into())?;
            self.body(&listener.body, listener.locals)?;
            if let Some(commit) = &listener.commit {
                self.place(&commit.place)?;
                self.conversion(&commit.from)?;
                ensure((commit.part as usize) < block.parts.len(), || {
                    "a two-way binding without its part".into()
                })?;
            }
        }
        for spot in &block.spots {
            let is_element = |mark: u32| text_marks.get(mark as usize) == Some(&false);
            ensure(spot.parent.is_none_or(is_element), || "a spot in no element".into())?;
            ensure(
                match spot.next {
                    Next::End => true,
                    Next::Node(mark) => (mark as usize) < text_marks.len(),
                    // Always one that comes later, so that looking for it comes to an end.
                    Next::Spot(next) => {
                        let here = block.spots.iter().position(|s| std::ptr::eq(s, spot));
                        (next as usize) < block.spots.len() && here < Some(next as usize)
                    }
                },
                || "a spot before nothing that there is".into(),
            )?;
        }
        Ok(())
    }

    fn conversion(&self, conversion: &Conversion) -> Checked {
        match conversion {
            Conversion::Picked(own) | Conversion::Member(own) => self.expr_id(*own),
            Conversion::Many(inner) => match **inner {
                Conversion::Many(_) => Err("lists of lists in a control".into()),
                ref inner => self.conversion(inner),
            },
            _ => Ok(()),
        }
    }

    fn spot(&self, number: u32, block: &Block, spot: &Spot) -> Checked {
        let inner = |id: BlockId| {
            self.block(id)?;
            ensure(self.plan.blocks[id as usize].parent == Some(number), || {
                "a block that was written elsewhere".into()
            })
        };
        match &spot.kind {
            SpotKind::Branch { choice, reads, alternatives } => {
                self.expr_id(*choice)?;
                self.reads(reads)?;
                alternatives.iter().try_for_each(|id| inner(*id))
            }
            SpotKind::List { cell, path, by, block } => {
                self.cell(*cell)?;
                path.iter().try_for_each(|name| self.name(*name))?;
                if let Some((by, reads)) = by {
                    self.expr_id(*by)?;
                    self.reads(reads)?;
                }
                inner(*block)
            }
            SpotKind::Component(used) => {
                let plan = self.program.plans.get(used.plan as usize).ok_or("no such component")?;
                for (cell, given) in &used.props {
                    let cell = plan.cells.get(*cell as usize).map(|cell| &cell.kind);
                    ensure(matches!(cell, Some(CellKind::Prop(_) | CellKind::Shared(_))), || {
                        "a value for no prop".into()
                    })?;
                    self.given(given)?;
                }
                for heard in &used.events {
                    ensure((heard.event as usize) < plan.events.len(), || "no such event".into())?;
                    ensure(heard.locals > 0, || "a listener without its event".into())?;
                    self.body(&heard.body, heard.locals)?;
                }
                used.contents.iter().try_for_each(|(_, id)| inner(*id))
            }
            SpotKind::Slot { values, fallback, .. } => {
                values.iter().try_for_each(|(_, given)| self.given(given))?;
                fallback.iter().try_for_each(|id| inner(*id))
            }
            SpotKind::Renamed { name, reads, block: id } => {
                self.expr_id(*name)?;
                self.reads(reads)?;
                inner(*id)?;
                let one = &self.plan.blocks[*id as usize].template;
                ensure(matches!(one.first(), Some(TemplateNode::Open { .. })), || {
                    "a name for no element".into()
                })
            }
            SpotKind::Markup { value, reads } => {
                ensure(block.template.len() > 1, || "markup outside an element".into())?;
                self.expr_id(*value)?;
                self.reads(reads)
            }
        }
    }

    fn given(&self, given: &Given) -> Checked {
        match given {
            Given::Path { cell, path } => {
                self.cell(*cell)?;
                path.iter().try_for_each(|name| self.name(*name))
            }
            Given::Value(value, reads) => {
                self.expr_id(*value)?;
                self.reads(reads)
            }
            Given::Once(value) => self.expr_id(*value),
        }
    }

    fn block(&self, id: BlockId) -> Checked {
        ensure((id as usize) < self.plan.blocks.len(), || "an unknown block".into())
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
        let writable =
            matches!(kind, Some(CellKind::State(_) | CellKind::Shared(_) | CellKind::Item));
        ensure(writable, || "a write to no state".into())?;
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
