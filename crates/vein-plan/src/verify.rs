//! The check that a program passes before it may run: every index is inside its table and
//! every child stands before its parent. What passes cannot make the engine go astray.

use crate::calls::{self, DEEPEST_CALLS, Deep};
use crate::code::{CellId, Expr, ExprId, LocalId, Place, PlaceStep, Stmt, StmtId};
use crate::life::{Answers, Asked, Hook, Source, When};
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
        let deep = calls::depths(&plan.exprs, &plan.functions);
        let highest = highest_cells(plan);
        let (exprs, stmts) = (Vec::new(), Vec::new());
        let mut verifier = Verifier { program, plan, deep, highest, exprs, stmts };
        verifier.plan().map_err(flaw(&plan.name))?;
    }
    stores_end(program).map_err(flaw("stores"))
}

/// Stores that read each other must not do so in a circle.
fn stores_end(program: &Program) -> Checked {
    let uses = |plan: u32| program.plans[plan as usize].stores_read();
    let mut done = vec![false; program.plans.len()];
    for start in 0..program.plans.len() as u32 {
        let mut way = vec![(start, uses(start))];
        while let Some((plan, left)) = way.last_mut() {
            let Some(next) = left.pop() else {
                done[*plan as usize] = true;
                way.pop();
                continue;
            };
            ensure(way.iter().all(|(plan, _)| *plan != next), || "a circle of stores".into())?;
            if !done[next as usize] {
                way.push((next, uses(next)));
            }
        }
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
            Type::List(inner)
            | Type::Optional(inner)
            | Type::Dictionary(inner)
            | Type::Entry(inner) => {
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

/// For each function, the last of the cells that it reads, itself or in functions that it calls.
fn highest_cells(plan: &Plan) -> Vec<Option<CellId>> {
    let calls = calls::calls(&plan.exprs, &plan.functions);
    let mut highest = vec![None; plan.functions.len()];
    for group in calls::groups(&calls) {
        let own = group.iter().flat_map(|at| {
            let body = plan.functions[*at as usize].body;
            calls::expressions(&plan.exprs, body).into_iter().filter_map(|id| {
                match &plan.exprs[id as usize] {
                    Expr::Cell(cell) => Some(*cell),
                    _ => None,
                }
            })
        });
        let called = group.iter().flat_map(|at| &calls[*at as usize]);
        let last = own.max().max(called.filter_map(|at| highest[*at as usize]).max());
        group.iter().for_each(|at| highest[*at as usize] = last);
    }
    highest
}

struct Verifier<'a> {
    program: &'a Program,
    plan: &'a Plan,
    /// For each function, how deep it goes, and the last of the cells that it reads, itself or in functions that it calls.
    deep: Vec<Deep>,
    highest: Vec<Option<CellId>>,
    /// For each expression and statement, the innermost block whose cells it uses.
    exprs: Vec<BlockId>,
    stmts: Vec<BlockId>,
}

impl Verifier<'_> {
    fn plan(&mut self) -> Checked {
        ensure(!self.plan.blocks.is_empty(), || "no markup".into())?;
        self.block_parents()?;
        self.plan.cells.iter().try_for_each(|cell| self.block(cell.block))?;
        self.expressions()?;
        self.functions()?;
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
            self.body(&handler.body, handler.locals, 0)?;
        }
        if self.plan.store.is_some() {
            let empty = Block::default();
            let shows = self.plan.blocks.iter().any(|block| *block != empty);
            ensure(!shows && self.plan.events.is_empty(), || {
                "a store that shows something".into()
            })?;
        }
        self.plan.asked.iter().try_for_each(|asked| {
            asked.params.iter().try_for_each(|(_, ty)| self.ty(*ty))?;
            self.ty(asked.result)
        })?;
        self.plan.sources.iter().try_for_each(|source| self.source(source))?;
        self.plan.hooks.iter().try_for_each(|hook| self.hook(hook))?;
        self.blocks()
    }

    /// What is asked, where it may answer in one of these ways.
    fn asked(&self, asked: u32, args: usize, answers: &[Answers]) -> Result<&Asked, String> {
        let found = self.plan.asked.get(asked as usize).ok_or("a question to nobody")?;
        ensure(answers.contains(&found.answers), || "an answer at another time".into())?;
        ensure(found.params.len() == args, || "a question with other arguments".into())?;
        Ok(found)
    }

    fn source(&self, source: &Source) -> Checked {
        self.expr(source.args, 0)?;
        self.reads(&source.reads, 0)?;
        let Expr::List(args) = &self.plan.exprs[source.args as usize] else {
            return Err("a question without arguments".into());
        };
        self.asked(source.asked, args.len(), &[Answers::Later, Answers::Again])?;
        for cell in [source.value, source.status, source.reason] {
            let cell = self.plan.cells.get(cell as usize).map(|cell| &cell.kind);
            ensure(matches!(cell, Some(CellKind::State(_))), || "an answer to no state".into())?;
        }
        Ok(())
    }

    fn hook(&self, hook: &Hook) -> Checked {
        match &hook.when {
            When::Added | When::Removed => {}
            When::Changed(reads) => {
                ensure(matches!(reads, Reads::Fixed(_)), || "a watch of what may differ".into())?;
                self.reads(reads, 0)?;
            }
            When::Every(period, reads) => {
                self.expr(*period, 0)?;
                self.reads(reads, 0)?;
            }
        }
        self.body(&hook.body, hook.locals, 0)
    }

    fn block_parents(&self) -> Checked {
        for (number, block) in self.plan.blocks.iter().enumerate() {
            let before = block.parent.is_some_and(|parent| (parent as usize) < number);
            ensure(before || (number == 0 && block.parent.is_none()), || {
                "a block that is written nowhere".into()
            })?;
        }
        Ok(())
    }

    /// Whether what belongs to a block is seen from another: it is the same, or around it.
    fn is_around(&self, outer: BlockId, mut inner: BlockId) -> bool {
        // Parents stand before their blocks.
        while inner > outer {
            inner = self.plan.blocks[inner as usize].parent.unwrap_or(0);
        }
        inner == outer
    }

    /// The inner one of two blocks.
    fn inner(&self, a: BlockId, b: BlockId) -> Result<BlockId, String> {
        let (outer, inner) = (a.min(b), a.max(b));
        ensure(self.is_around(outer, inner), || "a use of values of two blocks".into())?;
        Ok(inner)
    }

    fn expressions(&mut self) -> Checked {
        let mut depths = Vec::with_capacity(self.plan.exprs.len());
        for (i, expr) in self.plan.exprs.iter().enumerate() {
            let (mut depth, mut in_order, mut uses) = (0, true, Vec::new());
            expr.children(|child| match depths.get(child as usize) {
                Some(below) => {
                    depth = depth.max(*below + 1);
                    uses.push(self.exprs[child as usize]);
                }
                None => in_order = false,
            });
            if let Expr::Apply(function, _) = expr
                && let Some(deep) = self.deep.get(*function as usize)
                && !deep.is_circular
            {
                depth = depth.max(deep.levels as usize);
            }
            ensure(in_order, || format!("expression {i} before its parts"))?;
            ensure(depth <= DEEPEST_EXPRESSION, || format!("expression {i} nested too deeply"))?;
            depths.push(depth);
            self.expression(expr).map_err(|problem| format!("expression {i}: {problem}"))?;
            if let Expr::Cell(cell) = expr {
                uses.push(self.plan.cells[*cell as usize].block);
            }
            let innermost = uses.into_iter().try_fold(0, |a, b| self.inner(a, b))?;
            self.exprs.push(innermost);
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
            Expr::Ask(asked, args) => {
                self.asked(*asked, args.len(), &[Answers::AtOnce]).map(|_| ())
            }
            Expr::Apply(function, args) => {
                let function = self.plan.functions.get(*function as usize);
                let function = function.ok_or("a call of no function")?;
                ensure(function.params.len() == args.len(), || "a call with other arguments".into())
            }
            _ => Ok(()),
        }
    }

    fn functions(&self) -> Checked {
        for (function, deep) in self.plan.functions.iter().zip(&self.deep) {
            function.params.iter().try_for_each(|(_, ty)| self.ty(*ty))?;
            self.ty(function.result)?;
            let params = function.params.len() as LocalId;
            ensure(params <= function.locals && function.locals <= MOST_LOCALS, || {
                format!("`{}` has other locals", function.name)
            })?;
            ensure(function.levels == deep.counted() && deep.levels <= DEEPEST_CALLS, || {
                format!("`{}` goes another way down", function.name)
            })?;
            self.expr(function.body, 0)?;
        }
        Ok(())
    }

    fn statements(&mut self) -> Checked {
        for (i, stmt) in self.plan.stmts.iter().enumerate() {
            let (mut exprs, mut inner) = (Vec::new(), Vec::new());
            stmt.children(|e| exprs.push(e), |s| inner.push(s));
            ensure(inner.iter().all(|s| (*s as usize) < i), || {
                format!("statement {i} before its parts")
            })?;
            exprs.iter().try_for_each(|e| self.expr_id(*e))?;
            let mut uses: Vec<BlockId> = exprs.iter().map(|e| self.exprs[*e as usize]).collect();
            uses.extend(inner.iter().map(|s| self.stmts[*s as usize]));
            match stmt {
                Stmt::Set(place, _) | Stmt::Edit(place, _) | Stmt::Delete(place) => {
                    uses.push(self.place(place)?)
                }
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
                Stmt::CallStore(store, handler, _) => {
                    let handlers = self.store(*store)?.handlers.len();
                    ensure((*handler as usize) < handlers, || "an unknown handler".into())?;
                }
                Stmt::Vary(_, ty, _) => self.ty(*ty)?,
                Stmt::Await(asked, args, _) => {
                    self.asked(*asked, args.len(), &[Answers::Later])?;
                }
                Stmt::Reload(source) => {
                    ensure((*source as usize) < self.plan.sources.len(), || {
                        "an unknown source".into()
                    })?;
                }
                _ => {}
            }
            let innermost = uses.into_iter().try_fold(0, |a, b| self.inner(a, b))?;
            self.stmts.push(innermost);
        }
        Ok(())
    }

    fn store(&self, plan: u32) -> Result<&Plan, String> {
        let plan = self.program.plans.get(plan as usize).filter(|plan| plan.store.is_some());
        Ok(plan.ok_or("a use of no store")?)
    }

    fn cells(&self) -> Checked {
        for (i, cell) in self.plan.cells.iter().enumerate() {
            self.ty(cell.ty)?;
            let at_top = cell.block == 0;
            match &cell.kind {
                CellKind::Prop(default) | CellKind::Shared(default) => {
                    ensure(at_top, || "a prop inside the markup".into())?;
                    default.iter().try_for_each(|e| self.reads_before(*e, i))?;
                    default.iter().try_for_each(|e| self.expr(*e, 0))?;
                }
                CellKind::State(init) => {
                    ensure(at_top, || "state inside the markup".into())?;
                    self.reads_before(*init, i)?;
                    self.expr(*init, 0)?;
                }
                CellKind::Derived(value, reads) => {
                    self.reads_before(*value, i)?;
                    self.expr(*value, cell.block)?;
                    self.reads(reads, cell.block)?;
                    ensure(reads.paths().iter().all(|r| (r.cell as usize) < i), || {
                        format!("`{}` reads what comes after it", cell.name)
                    })?;
                }
                CellKind::Store(store, found) => {
                    ensure(at_top, || "a store inside the markup".into())?;
                    let there = self.store(*store)?.cells.get(*found as usize);
                    let own = |kind: &CellKind| {
                        matches!(kind, CellKind::State(_) | CellKind::Derived(..))
                    };
                    ensure(
                        there.is_some_and(|there| own(&there.kind) && there.ty == cell.ty),
                        || format!("`{}` is nothing in its store", cell.name),
                    )?;
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
        for id in calls::expressions(&self.plan.exprs, root) {
            let last = match &self.plan.exprs[id as usize] {
                Expr::Cell(read) => Some(*read),
                Expr::Apply(function, _) => self.highest[*function as usize],
                _ => None,
            };
            let before = last.is_none_or(|last| (last as usize) < cell);
            ensure(before, || "a value that reads itself".into())?;
        }
        Ok(())
    }

    fn blocks(&self) -> Checked {
        for (number, block) in self.plan.blocks.iter().enumerate() {
            self.template(number as BlockId, block)?;
            for spot in &block.spots {
                self.spot(number as u32, block, spot)
                    .map_err(|problem| format!("spot `{}`: {problem}", spot.address))?;
            }
        }
        Ok(())
    }

    fn template(&self, number: BlockId, block: &Block) -> Checked {
        // The mark of each open element that has one; for each marked node whether it is text,
        // and in which element it stands.
        let (mut open, mut text_marks) = (Vec::<Option<u32>>::new(), Vec::new());
        let mut around: Vec<Option<Option<u32>>> = Vec::new();
        for node in &block.template {
            if node.is_marked() {
                around.push(open.last().copied());
            } else {
                // What stands at the top is taken away and moved by its number.
                let inside = !open.is_empty() || matches!(node, TemplateNode::Close);
                ensure(inside, || "a node at the top without a number".into())?;
            }
            match node {
                TemplateNode::Open { marked, .. } => {
                    open.push(marked.then_some(text_marks.len() as u32));
                    text_marks.extend(marked.then_some(false));
                }
                TemplateNode::TextPart => text_marks.push(true),
                TemplateNode::Text { marked, .. } => text_marks.extend(marked.then_some(true)),
                TemplateNode::Close => {
                    open.pop().ok_or("an element closed twice")?;
                }
            }
        }
        ensure(open.is_empty(), || "an element left open".into())?;
        for part in &block.parts {
            let is_text = matches!(part.kind, crate::PartKind::Text);
            ensure(text_marks.get(part.mark as usize) == Some(&is_text), || {
                format!("part `{}` on no such node", part.address)
            })?;
            self.expr(part.value, number)?;
            self.reads(&part.reads, number)?;
            part.control.iter().try_for_each(|conversion| self.conversion(conversion, number))?;
        }
        for listener in &block.listeners {
            ensure(text_marks.get(listener.mark as usize) == Some(&false), || {
                format!("listener `{}` on no such element", listener.address)
            })?;
            ensure(listener.locals > 0, || "a listener without its event".into())?;
            self.body(&listener.body, listener.locals, number)?;
            if let Some(commit) = &listener.commit {
                self.seen(self.place(&commit.place)?, number)?;
                self.conversion(&commit.from, number)?;
                let part = block.parts.get(commit.part as usize);
                ensure(part.is_some_and(|part| part.mark == listener.mark), || {
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
                    Next::Node(mark) => around.get(mark as usize) == Some(&spot.parent.map(Some)),
                    // Always one that comes later, so that looking for it comes to an end.
                    Next::Spot(next) => {
                        let here = block.spots.iter().position(|s| std::ptr::eq(s, spot));
                        let sibling = block.spots.get(next as usize);
                        sibling.is_some_and(|after| after.parent == spot.parent)
                            && here < Some(next as usize)
                    }
                },
                || "a spot before nothing that there is".into(),
            )?;
        }
        Ok(())
    }

    fn conversion(&self, conversion: &Conversion, from: BlockId) -> Checked {
        match conversion {
            Conversion::Picked(own) | Conversion::Member(own) => self.expr(*own, from),
            Conversion::Many(inner) => match **inner {
                Conversion::Many(_) => Err("lists of lists in a control".into()),
                ref inner => self.conversion(inner, from),
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
                self.expr(*choice, number)?;
                self.reads(reads, number)?;
                alternatives.iter().try_for_each(|id| inner(*id))
            }
            SpotKind::List { cell, path, by, block } => {
                self.cell_from(*cell, number)?;
                path.iter().try_for_each(|name| self.name(*name))?;
                inner(*block)?;
                if let Some((by, reads)) = by {
                    self.expr(*by, *block)?;
                    self.reads(reads, *block)?;
                }
                Ok(())
            }
            SpotKind::Component(used) => {
                let plan = self.program.plans.get(used.plan as usize).ok_or("no such component")?;
                ensure(plan.store.is_none(), || "a store in the markup".into())?;
                for (cell, given) in &used.props {
                    let cell = plan.cells.get(*cell as usize).map(|cell| &cell.kind);
                    ensure(matches!(cell, Some(CellKind::Prop(_) | CellKind::Shared(_))), || {
                        "a value for no prop".into()
                    })?;
                    self.given(given, number)?;
                }
                for heard in &used.events {
                    ensure((heard.event as usize) < plan.events.len(), || "no such event".into())?;
                    ensure(heard.locals > 0, || "a listener without its event".into())?;
                    self.body(&heard.body, heard.locals, number)?;
                }
                used.contents.iter().try_for_each(|(_, id)| inner(*id))
            }
            SpotKind::Slot { values, fallback, .. } => {
                values.iter().try_for_each(|(_, given)| self.given(given, number))?;
                fallback.iter().try_for_each(|id| inner(*id))
            }
            SpotKind::Renamed { name, reads, block: id } => {
                self.expr(*name, number)?;
                self.reads(reads, number)?;
                inner(*id)?;
                let one = &self.plan.blocks[*id as usize].template;
                ensure(matches!(one.first(), Some(TemplateNode::Open { .. })), || {
                    "a name for no element".into()
                })
            }
            SpotKind::Markup { value, reads } => {
                ensure(block.template.len() > 1, || "markup outside an element".into())?;
                self.expr(*value, number)?;
                self.reads(reads, number)
            }
        }
    }

    fn given(&self, given: &Given, from: BlockId) -> Checked {
        match given {
            Given::Path { cell, path } => {
                self.cell_from(*cell, from)?;
                path.iter().try_for_each(|name| self.name(*name))
            }
            Given::Value(value, reads) => {
                self.expr(*value, from)?;
                self.reads(reads, from)
            }
            Given::Once(value) => self.expr(*value, from),
        }
    }

    fn block(&self, id: BlockId) -> Checked {
        ensure((id as usize) < self.plan.blocks.len(), || "an unknown block".into())
    }

    fn body(&self, body: &[StmtId], locals: LocalId, from: BlockId) -> Checked {
        ensure(locals <= MOST_LOCALS, || "more locals than the limit".into())?;
        let mut open: Vec<StmtId> = body.to_vec();
        while let Some(id) = open.pop() {
            let stmt = self.plan.stmts.get(id as usize).ok_or("an unknown statement")?;
            self.seen(self.stmts[id as usize], from)?;
            if let Stmt::Let(local, _)
            | Stmt::Vary(local, ..)
            | Stmt::Assign(local, _)
            | Stmt::For(local, ..)
            | Stmt::Await(_, _, Some(local))
            | Stmt::Try(_, Some((local, _)), _) = stmt
            {
                ensure(*local < locals, || "a local outside its handler".into())?;
            }
            stmt.children(|_| {}, |inner| open.push(inner));
        }
        Ok(())
    }

    fn reads(&self, reads: &Reads, from: BlockId) -> Checked {
        for read in reads.paths() {
            self.cell_from(read.cell, from)?;
            for step in &read.path {
                if let ReadStep::Field(name) = step {
                    self.name(*name)?;
                }
            }
        }
        Ok(())
    }

    /// Checks a place and gives the innermost block whose cells it uses.
    fn place(&self, place: &Place) -> Result<BlockId, String> {
        let cell = self.plan.cells.get(place.cell as usize).filter(|cell| {
            matches!(cell.kind, CellKind::State(_) | CellKind::Shared(_) | CellKind::Item)
        });
        let mut innermost = cell.ok_or("a write to no state")?.block;
        for step in &place.steps {
            match step {
                PlaceStep::Field(name) => self.name(*name)?,
                PlaceStep::Index(e) => {
                    self.expr_id(*e)?;
                    innermost = self.inner(innermost, self.exprs[*e as usize])?;
                }
            }
        }
        Ok(innermost)
    }

    /// An expression that is evaluated in a block sees what it uses.
    fn expr(&self, id: ExprId, from: BlockId) -> Checked {
        self.expr_id(id)?;
        self.seen(self.exprs[id as usize], from)
    }

    fn seen(&self, block: BlockId, from: BlockId) -> Checked {
        ensure(self.is_around(block, from), || "a value that is not seen from there".into())
    }

    fn cell_from(&self, cell: CellId, from: BlockId) -> Checked {
        self.cell(cell)?;
        self.seen(self.plan.cells[cell as usize].block, from)
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
