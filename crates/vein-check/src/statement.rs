//! Statements: what they write, call and give.

use crate::diagnostics::cannot_assign::Target;
use crate::diagnostics::{
    CannotAssign, NameTaken, NeedsType, NoEffect, UnknownEvent, WrongArguments, WrongType,
};
use crate::members::LIST_EDITS;
use crate::narrow::{facts, path_of};
use crate::scope::{CellRole, Checker, LocalKind, LocalName, Symbol, Typed};
use crate::types::Ty;
use vein_plan::code::{Body, Expr, Function, ListEdit, Place, PlaceStep, Stmt};
use vein_plan::members::Member;
use vein_plan::nearest;
use vein_plan::ops::Binary;
use vein_syntax::Span;
use vein_syntax::ast::{self, ExprKind, Ident, StmtKind};

/// Something that can be assigned.
pub(crate) struct Assignable {
    pub(crate) place: Place,
    /// The expression that reads it.
    pub(crate) read: u32,
    pub(crate) ty: Ty,
}

impl Checker<'_> {
    /// Statements in a scope of their own.
    pub(crate) fn block(&mut self, stmts: &[ast::Stmt]) -> Body {
        self.scoped(|checker| {
            let mut block = Vec::new();
            for stmt in stmts {
                checker.statement(stmt, &mut block);
            }
            block
        })
    }

    pub(crate) fn emit(&mut self, stmt: Stmt, block: &mut Body) {
        let id = self.push_stmt(stmt);
        block.push(id);
    }

    fn statement(&mut self, stmt: &ast::Stmt, block: &mut Body) {
        let around = std::mem::replace(&mut self.at, stmt.span);
        self.statement_of(&stmt.kind, block);
        self.at = around;
    }

    fn statement_of(&mut self, kind: &StmtKind, block: &mut Body) {
        match kind {
            StmtKind::Const(name, ty, value) => self.constant(name, ty.as_ref(), value, block),
            StmtKind::Unpack(pattern, value) => {
                let of = match &value.kind {
                    ExprKind::Await(asked) => self
                        .awaited(asked, block, None)
                        .map(|(local, ty)| self.typed(Expr::Local(local), ty)),
                    _ => Some(self.expr(value)),
                };
                let of = of.unwrap_or_else(|| self.broken());
                let local = self.new_local();
                self.emit(Stmt::Let(local, of.id), block);
                let kept = self.typed(Expr::Local(local), of.ty);
                self.unpack(kept, pattern, value.span);
            }
            StmtKind::Let(name, ty, value) => self.variable_local(name, ty.as_ref(), value, block),
            StmtKind::Assign { target, op, value } => self.assign(target, *op, value, block),
            StmtKind::If(test, then, otherwise) => self.branch(test, then, otherwise, block),
            StmtKind::For(name, list, body) => self.each(name, list, body, block),
            StmtKind::Return(_) => self.emit(Stmt::Return, block),
            StmtKind::Give(name, args) => self.give(name, args, block),
            StmtKind::Reload(name) => self.reload(name, block),
            StmtKind::Expr(e) => self.effect(e, block),
        }
    }

    /// Tells of a name that is there already among those of the innermost block.
    pub(crate) fn not_taken_here(&mut self, name: &Ident) {
        let here = &self.locals[self.scope_start.min(self.locals.len())..];
        if let Some(earlier) = here.iter().find(|l| l.name == name.name).map(|l| l.span) {
            let finding =
                NameTaken { name: name.name.clone(), first: Some(earlier), elsewhere: None };
            self.report(finding, name.span);
        }
    }

    /// The value of a constant or variable, with its type where that was written.
    pub(crate) fn named_value(
        &mut self,
        name: &Ident,
        ty: Option<&ast::TypeExpr>,
        value: &ast::Expr,
    ) -> Typed {
        let Some(ty) = ty else { return self.expr(value) };
        let ty = self.resolve(ty);
        let value = self.expr_of(value, &ty, &format!("for `{}`", name.name));
        Typed { id: value.id, ty }
    }

    /// The type of a variable: what is assigned later fits it, too.
    pub(crate) fn type_of_variable(&mut self, name: &Ident, is_written: bool, ty: Ty) -> Ty {
        let ty = if is_written { ty } else { ty.widened() };
        if ty.is_settled() {
            return ty;
        }
        let list = matches!(ty, Ty::List(_));
        self.report(NeedsType::Value { name: name.name.clone(), list }, name.span);
        Ty::Error
    }

    /// `let name = value`
    fn variable_local(
        &mut self,
        name: &Ident,
        ty: Option<&ast::TypeExpr>,
        value: &ast::Expr,
        block: &mut Body,
    ) {
        self.not_taken_here(name);
        let first = match &value.kind {
            ExprKind::Await(asked) => self.awaited(asked, block, None).map(|(local, found)| {
                let id = self.push(Expr::Local(local));
                let Some(ty) = ty else { return Typed { id, ty: found } };
                let ty = self.resolve(ty);
                self.require(&found, &ty, value.span, &format!("for `{}`", name.name));
                Typed { id, ty }
            }),
            _ => Some(self.named_value(name, ty, value)),
        };
        let first = first.unwrap_or_else(|| self.broken());
        let ty = self.type_of_variable(name, ty.is_some(), first.ty);
        let local = self.bind_variable(name, ty.clone());
        let ty = self.tables.ty(&ty);
        self.emit(Stmt::Vary(local, ty, first.id), block);
    }

    /// `name = value`, where the name was declared by `let`: the name's own, and its type.
    pub(crate) fn variable_named(&self, target: &ast::Expr) -> Option<(u32, Ty)> {
        let ExprKind::Name(name) = &target.kind else { return None };
        match &self.local(name)?.what {
            LocalKind::Variable(local, ty) => Some((*local, ty.clone())),
            _ => None,
        }
    }

    /// The value that a variable is assigned.
    pub(crate) fn assigned_value(
        &mut self,
        (local, ty): (u32, &Ty),
        target: &ast::Expr,
        op: Option<Binary>,
        value: &ast::Expr,
    ) -> Typed {
        let why = format!("for `{}`", self.source(target.span));
        let value = match op {
            None => self.expr_of(value, ty, &why),
            Some(op) => {
                let read = self.push(Expr::Local(local));
                self.compound(op, (read, ty), target, value)
            }
        };
        let known = if value.ty == Ty::Error { ty.clone() } else { value.ty.clone() };
        self.assigned(path_of(target), &known);
        value
    }

    fn constant(
        &mut self,
        name: &Ident,
        ty: Option<&ast::TypeExpr>,
        value: &ast::Expr,
        block: &mut Body,
    ) {
        self.not_taken_here(name);
        // `const last = list.pop()`: the item first, then the change.
        if let Some((list, method, args)) = list_edit(value)
            && matches!(method.name.as_str(), "pop" | "shift")
        {
            if let Some(target) = self.assignable(list) {
                let at = if method.name == "pop" { -1.0 } else { 0.0 };
                let at = self.push(Expr::Number(at));
                let item = match &target.ty {
                    Ty::List(item) => (**item).clone(),
                    _ => Ty::Error,
                };
                let read = self.push(Expr::Call(Member::ListAt, Some(target.read), vec![at]));
                let found = Ty::optional(item);
                let kept = self.kept_as(name, ty, found, value.span);
                let local = self.bind_local(name, kept);
                self.emit(Stmt::Let(local, read), block);
                self.edit(target, list, method, args, block);
            } else {
                self.bind_local(name, Ty::Error);
            }
            return;
        }
        if let ExprKind::Await(asked) = &value.kind {
            match self.awaited(asked, block, Some(name)) {
                Some((local, found)) => {
                    let kept = self.kept_as(name, ty, found, value.span);
                    if let Some(LocalName { what, .. }) = self.locals.last_mut() {
                        *what = LocalKind::Value(local, kept);
                    }
                }
                None => {
                    self.bind_local(name, Ty::Error);
                }
            }
            return;
        }
        let value = self.named_value(name, ty, value);
        let local = self.bind_local(name, value.ty);
        self.emit(Stmt::Let(local, value.id), block);
    }

    /// The type of a constant whose value was found, where one was written.
    fn kept_as(&mut self, name: &Ident, ty: Option<&ast::TypeExpr>, found: Ty, at: Span) -> Ty {
        let Some(ty) = ty else { return found };
        let ty = self.resolve(ty);
        self.require(&found, &ty, at, &format!("for `{}`", name.name));
        ty
    }

    fn assign(
        &mut self,
        target: &ast::Expr,
        op: Option<Binary>,
        value: &ast::Expr,
        block: &mut Body,
    ) {
        if let Some((local, ty)) = self.variable_named(target) {
            if let (ExprKind::Await(asked), None) = (&value.kind, op) {
                let Some((answer, found)) = self.awaited(asked, block, None) else { return };
                self.require(
                    &found,
                    &ty,
                    value.span,
                    &format!("for `{}`", self.source(target.span)),
                );
                self.assigned(path_of(target), &found);
                let answer = self.push(Expr::Local(answer));
                return self.emit(Stmt::Assign(local, answer), block);
            }
            let value = self.assigned_value((local, &ty), target, op, value);
            return self.emit(Stmt::Assign(local, value.id), block);
        }
        let Some(assignable) = self.assignable(target) else {
            self.expr(value);
            return;
        };
        let why = format!("for `{}`", self.source(target.span));
        if let (ExprKind::Await(asked), None) = (&value.kind, op) {
            let Some((local, ty)) = self.awaited(asked, block, None) else { return };
            self.require(&ty, &assignable.ty, value.span, &why);
            self.assigned(path_of(target), &ty);
            let value = self.push(Expr::Local(local));
            return self.emit(Stmt::Set(assignable.place, value), block);
        }
        let value = match op {
            None => self.expr_of(value, &assignable.ty, &why),
            Some(op) => self.compound(op, (assignable.read, &assignable.ty), target, value),
        };
        let narrowed = if value.ty == Ty::Error { assignable.ty } else { value.ty };
        self.assigned(path_of(target), &narrowed);
        self.emit(Stmt::Set(assignable.place, value.id), block);
    }

    /// `target += value`
    fn compound(
        &mut self,
        op: Binary,
        (read, ty): (u32, &Ty),
        written: &ast::Expr,
        value: &ast::Expr,
    ) -> Typed {
        let current = self.narrowed(path_of(written), ty.clone());
        let why = format!("for `{}`", self.source(written.span));
        let value = if op == Binary::Add && current.is_text() {
            let value = self.expr(value);
            self.showable(&value.ty, written.span);
            self.require(&Ty::String, ty, written.span, &why);
            Typed { id: value.id, ty: Ty::String }
        } else {
            self.require(&current, &Ty::Number, written.span, "for an operator on numbers");
            self.expr_of(value, &Ty::Number, &why)
        };
        let ty = value.ty.clone();
        self.typed(Expr::Binary(op, read, value.id), ty)
    }

    fn branch(
        &mut self,
        test: &ast::Expr,
        then: &[ast::Stmt],
        otherwise: &[ast::Stmt],
        block: &mut Body,
    ) {
        let condition = self.condition(test);
        let then_block = self.knowing(facts(test, true), |checker| checker.block(then));
        let else_block = self.knowing(facts(test, false), |checker| checker.block(otherwise));
        self.emit(Stmt::If(condition.id, then_block, else_block), block);
        self.forget_state();
        self.forget_variables();
        let leaves = |stmts: &[ast::Stmt]| {
            stmts.last().is_some_and(|s| matches!(s.kind, StmtKind::Return(_)))
        };
        // After `if (!note) return`, the note is there.
        if leaves(then) {
            self.facts.extend(facts(test, false));
        } else if leaves(otherwise) {
            self.facts.extend(facts(test, true));
        }
    }

    /// The items of a list that `filter`, `slice`, `toSorted` and `toReversed` make of one in state, where statements write to
    /// them: by their positions in that list, which are found when the loop begins. `None` for any other loop.
    fn each_in_source(
        &mut self,
        name: &Ident,
        list: &ast::Expr,
        body: &[ast::Stmt],
        block: &mut Body,
    ) -> Option<()> {
        if !writes_to(body, &name.name) || self.list_source(list).is_err() {
            return None;
        }
        let (source, members) = chain_of(list)?;
        if members.is_empty() {
            return None;
        }
        let Ok(found) = self.place(source)? else { return None };
        let Ty::List(item) = found.ty.clone() else { return None };
        self.mark_read(list);
        let (read, place) = self.freeze(found.read, Ok(found.place), block);
        let Ok(place) = place else { return None };
        let mut positions = self.all_positions(read);
        for (member, args) in members {
            positions = self.positions_in((read, &item), positions, member, args);
        }
        let (kept, index) = (self.new_local(), self.new_local());
        self.emit(Stmt::Let(kept, positions), block);
        let (kept, index_read) = (self.push(Expr::Local(kept)), self.push(Expr::Local(index)));
        let (at, one) = (self.new_local(), self.push(Expr::Index(kept, index_read)));
        let position = self.push(Expr::Local(at));
        let current = self.push(Expr::Index(read, position));
        let mut place = place;
        place.steps.push(PlaceStep::Index(position));
        let inner = self.scoped(|checker| {
            checker.forget_state();
            checker.forget_variables();
            checker.forget(&name.name);
            checker.locals.push(LocalName {
                name: name.name.clone(),
                span: name.span,
                what: LocalKind::Item(current, *item, Ok(place)),
            });
            checker.block(body)
        });
        self.forget_state();
        self.forget_variables();
        // The list may have become shorter.
        let length = self.push(Expr::Call(Member::ListLength, Some(read), Vec::new()));
        let stands = self.push(Expr::Binary(Binary::Less, position, length));
        let guarded = self.push_stmt(Stmt::If(stands, inner, Vec::new()));
        let begins = self.push_stmt(Stmt::Let(at, one));
        self.emit(Stmt::For(index, kept, vec![begins, guarded]), block);
        Some(())
    }

    /// The positions of a list, from zero.
    fn all_positions(&mut self, list: u32) -> u32 {
        let length = self.push(Expr::Call(Member::ListLength, Some(list), Vec::new()));
        let nothings = self.push(Expr::Call(Member::OfLength, None, vec![length]));
        let (item, at) = (self.new_local(), self.new_local());
        let body = self.push(Expr::Local(at));
        let function = Function { params: vec![item, at], body };
        self.push(Expr::Walk(Member::Map, nothings, function, None))
    }

    /// Those positions that a member leaves, in its order.
    fn positions_in(
        &mut self,
        (list, item): (u32, &Ty),
        positions: u32,
        member: &Ident,
        args: &[ast::Expr],
    ) -> u32 {
        let takes_function = match member.name.as_str() {
            "filter" => Some((Member::Filter, 1, None)),
            "toSorted" if !args.is_empty() => Some((Member::ToSorted, 2, Some(Ty::Number))),
            _ => None,
        };
        let Some((walk, items, want)) = takes_function else {
            let member = match member.name.as_str() {
                "slice" => Member::ListSlice,
                _ => Member::ToReversed,
            };
            let args = args.iter().take(2);
            let args =
                args.map(|arg| self.expr_of(arg, &Ty::Number, "for a position").id).collect();
            return self.push(Expr::Call(member, Some(positions), args));
        };
        let Some(ast::Expr { kind: ExprKind::Arrow(names, body), .. }) = args.first() else {
            return positions;
        };
        let function = self.scoped(|checker| {
            let mut params = Vec::new();
            for (at, name) in names.iter().enumerate() {
                if at >= items {
                    params.push(checker.bind_local(name, Ty::Number));
                    continue;
                }
                let position = checker.new_local();
                params.push(position);
                let read = checker.push(Expr::Local(position));
                let read = checker.push(Expr::Index(list, read));
                checker.forget(&name.name);
                checker.locals.push(LocalName {
                    name: name.name.clone(),
                    span: name.span,
                    what: LocalKind::Part(read, item.clone()),
                });
            }
            let body = match &want {
                Some(want) => checker.expr_of(body, want, "for what the function gives"),
                None => checker.condition(body),
            };
            Function { params, body: body.id }
        });
        self.push(Expr::Walk(walk, positions, function, None))
    }

    fn each(&mut self, name: &Ident, list: &ast::Expr, body: &[ast::Stmt], block: &mut Body) {
        if self.each_in_source(name, list, body, block).is_some() {
            return;
        }
        let (read, ty, place) = match self.place(list) {
            Some(Ok(found)) => (found.read, found.ty.clone(), Ok(found.place)),
            Some(Err(why)) => {
                let typed = self.expr(list);
                (typed.id, typed.ty, Err(why))
            }
            None => (self.broken().id, Ty::Error, Err(Target::Other)),
        };
        self.mark_read(list);
        let item = match ty {
            Ty::List(item) => *item,
            Ty::Error => Ty::Error,
            other => {
                let found = self.type_name(&other);
                let expected = "a list".into();
                self.report(
                    WrongType { expected, found, why: String::new(), nearest: None },
                    list.span,
                );
                Ty::Error
            }
        };
        let (read, place) = self.freeze(read, place, block);
        let index = self.new_local();
        let position = self.push(Expr::Local(index));
        let current = self.push(Expr::Index(read, position));
        let place = place.map(|mut place| {
            place.steps.push(PlaceStep::Index(position));
            place
        });
        let body = self.scoped(|checker| {
            checker.forget_state();
            checker.forget_variables();
            checker.forget(&name.name);
            checker.locals.push(LocalName {
                name: name.name.clone(),
                span: name.span,
                what: LocalKind::Item(current, item, place),
            });
            checker.block(body)
        });
        self.forget_state();
        self.forget_variables();
        self.emit(Stmt::For(index, read, body), block);
    }

    /// Works out the positions on the way to a list once, before a loop over it begins.
    fn freeze(
        &mut self,
        read: u32,
        place: Result<Place, Target>,
        block: &mut Body,
    ) -> (u32, Result<Place, Target>) {
        let Ok(mut place) = place else {
            if self.is_read_in_place(read) {
                return (read, place);
            }
            // A list that has no place is worked out once, as in ECMAScript.
            let local = self.new_local();
            self.emit(Stmt::Let(local, read), block);
            return (self.push(Expr::Local(local)), place);
        };
        let mut read = self.push(Expr::Cell(place.cell));
        for step in &mut place.steps {
            read = match step {
                PlaceStep::Field(name) => self.push(Expr::Field(read, *name)),
                PlaceStep::Index(index) => {
                    let local = self.new_local();
                    self.emit(Stmt::Let(local, *index), block);
                    *index = self.push(Expr::Local(local));
                    self.push(Expr::Index(read, *index))
                }
            };
        }
        (read, Ok(place))
    }

    /// Whether an expression only goes to where something stands, and works out nothing.
    fn is_read_in_place(&self, mut read: u32) -> bool {
        loop {
            match &self.plan.exprs[read as usize] {
                Expr::Cell(_) | Expr::Local(_) => return true,
                Expr::Field(of, _) | Expr::Index(of, _) => read = *of,
                _ => return false,
            }
        }
    }

    fn give(&mut self, name: &Ident, args: &[ast::Expr], block: &mut Body) {
        let Some(event) = self.events.iter().position(|event| event.name == name.name) else {
            let known: Vec<String> = self.events.iter().map(|e| e.name.clone()).collect();
            let near = nearest(&name.name, known.iter().map(String::as_str)).map(str::to_owned);
            self.report(
                UnknownEvent {
                    name: name.name.clone(),
                    nearest: near,
                    given: true,
                    component: None,
                    known: Vec::new(),
                },
                name.span,
            );
            args.iter().for_each(|arg| {
                self.expr(arg);
            });
            return;
        };
        self.events[event].given = true;
        let payload = self.events[event].payload.clone();
        if let Some(ids) = self.arguments(&name.name, name.span, &payload, args) {
            self.emit(Stmt::Give(event as u32, ids), block);
            self.forget_state();
        }
    }

    /// An expression that stands as a statement: it has to do something.
    fn effect(&mut self, e: &ast::Expr, block: &mut Body) {
        if let Some((list, method, args)) = list_edit(e) {
            match self.place(list) {
                Some(Ok(found)) if matches!(found.ty, Ty::List(_)) => {
                    return self.edit(found, list, method, args, block);
                }
                Some(Ok(_)) => {}
                Some(Err(target)) => return self.refuse(target, list.span),
                None => return,
            }
        }
        match &e.kind {
            ExprKind::Error => {}
            ExprKind::Await(asked) => {
                self.awaited(asked, block, None);
            }
            ExprKind::Call { callee, args } => match &callee.kind {
                ExprKind::Name(name) => self.call_handler(name, callee.span, args, e, block),
                ExprKind::Field { of, name, .. } => {
                    if let Some(store) = self.store_named(of) {
                        return self.call_in_store(store, name, args, block);
                    }
                    let before = self.found.len();
                    let typed = self.expr(e);
                    if self.found.len() == before && typed.ty != Ty::Error {
                        self.report(NoEffect::Discarded { method: name.name.clone() }, name.span);
                    }
                }
                _ => {
                    self.expr(e);
                }
            },
            _ => {
                let before = self.found.len();
                let typed = self.expr(e);
                if self.found.len() == before && typed.ty != Ty::Error {
                    self.report(NoEffect::Statement, e.span);
                }
            }
        }
    }

    fn call_handler(
        &mut self,
        name: &str,
        at: Span,
        args: &[ast::Expr],
        e: &ast::Expr,
        block: &mut Body,
    ) {
        match self.symbols.get(name) {
            Some(Symbol::Handler(handler)) if self.local(name).is_none() => {
                let handler = *handler;
                self.handlers[handler as usize].called = true;
                let params = self.handlers[handler as usize].params.clone();
                if let Some(ids) = self.arguments(name, at, &params, args) {
                    self.emit(Stmt::Call(handler, ids), block);
                    self.forget_state();
                }
            }
            _ => {
                let before = self.found.len();
                let typed = self.expr(e);
                if self.found.len() == before && typed.ty != Ty::Error {
                    self.report(NoEffect::Statement, e.span);
                }
            }
        }
    }

    /// A handler named without parentheses: it gets the values that the event is about.
    pub(crate) fn bare_handler(&mut self, name: &Ident, values: Vec<Typed>, block: &mut Body) {
        let Some(Symbol::Handler(handler)) = self.symbols.get(&name.name).copied() else {
            match self.symbols.get(&name.name) {
                None => self.unknown_name(&name.name, name.span, true),
                Some(Symbol::Broken) => {}
                Some(_) => self.report(NoEffect::Statement, name.span),
            }
            return;
        };
        self.handlers[handler as usize].called = true;
        let params = self.handlers[handler as usize].params.clone();
        if params.len() > values.len() {
            let signature: Vec<String> =
                params.iter().map(|(n, ty)| format!("{n}: {}", self.type_name(ty))).collect();
            let finding = WrongArguments {
                name: name.name.clone(),
                least: params.len(),
                most: Some(params.len()),
                found: values.len(),
                signature: signature.join(", "),
            };
            return self.report(finding, name.span);
        }
        for (value, (param, ty)) in values.iter().zip(&params) {
            let why = format!("for the parameter `{param}`");
            self.require(&value.ty, ty, name.span, &why);
        }
        let ids = values.iter().take(params.len()).map(|value| value.id).collect();
        self.emit(Stmt::Call(handler, ids), block);
    }

    fn edit(
        &mut self,
        target: Assignable,
        list: &ast::Expr,
        method: &Ident,
        args: &[ast::Expr],
        block: &mut Body,
    ) {
        let item = match &target.ty {
            Ty::List(item) => (**item).clone(),
            _ => Ty::Error,
        };
        let (least, most, signature) = match method.name.as_str() {
            "push" | "unshift" => (1, None, "item, …"),
            "splice" => (1, None, "start, count, item, …"),
            "sort" => (0, Some(1), "(a, b) => a - b"),
            _ => (0, Some(0), ""),
        };
        if args.len() < least || most.is_some_and(|most| args.len() > most) {
            let (name, found) = (method.name.clone(), args.len());
            let signature = signature.into();
            self.report(WrongArguments { name, least, most, found, signature }, method.span);
            return;
        }
        let why = format!("for an item of `{}`", self.source(list.span));
        let edit = match method.name.as_str() {
            "push" => ListEdit::Push(self.items(args, &item, &why)),
            "unshift" => ListEdit::Unshift(self.items(args, &item, &why)),
            "pop" => ListEdit::Pop,
            "shift" => ListEdit::Shift,
            "reverse" => ListEdit::Reverse,
            "splice" => {
                let start = self.expr_of(&args[0], &Ty::Number, "for a position").id;
                let count =
                    args.get(1).map(|count| self.expr_of(count, &Ty::Number, "for a count").id);
                ListEdit::Splice(
                    start,
                    count,
                    self.items(args.get(2..).unwrap_or(&[]), &item, &why),
                )
            }
            _ => match args.first() {
                None => ListEdit::Sort(None),
                Some(compare) => match self.comparator(compare, &item) {
                    Some(function) => ListEdit::Sort(Some(function)),
                    None => return,
                },
            },
        };
        self.assigned(path_of(list), &Ty::Error);
        self.emit(Stmt::Edit(target.place, edit), block);
    }

    fn items(&mut self, args: &[ast::Expr], item: &Ty, why: &str) -> Vec<u32> {
        args.iter().map(|arg| self.expr_of(arg, item, why).id).collect()
    }

    fn comparator(&mut self, e: &ast::Expr, item: &Ty) -> Option<Function> {
        let ExprKind::Arrow(names, body) = &e.kind else {
            let typed = self.expr(e);
            let (expected, found) = ("a function `(a, b) => …`".into(), self.type_name(&typed.ty));
            self.report(
                WrongType { expected, found, why: "for `sort`".into(), nearest: None },
                e.span,
            );
            return None;
        };
        Some(self.scoped(|checker| {
            let params =
                names.iter().take(2).map(|name| checker.bind_local(name, item.clone())).collect();
            let body = checker.expr_of(body, &Ty::Number, "for what the function gives").id;
            Function { params, body }
        }))
    }

    /// The state that an expression names, or a report of why it cannot be assigned.
    pub(crate) fn assignable(&mut self, target: &ast::Expr) -> Option<Assignable> {
        match self.place(target) {
            Some(Ok(found)) => Some(found),
            Some(Err(why)) => {
                self.refuse(why, target.span);
                None
            }
            None => None,
        }
    }

    fn refuse(&mut self, target: Target, span: Span) {
        let name = match target {
            Target::Prop
            | Target::Derived
            | Target::Variable
            | Target::Function
            | Target::Handler
            | Target::Made
            | Target::Handed
            | Target::Store
            | Target::Loaded => {
                let source = self.source(span);
                source.split(['.', '[']).next().unwrap_or("").to_owned()
            }
            _ => self.source(span),
        };
        self.report(CannotAssign { name, target }, span);
    }

    /// The place that an expression names. `Some(Err(_))` says why it cannot be assigned;
    /// `None` means that something else was wrong and has been reported.
    fn place(&mut self, e: &ast::Expr) -> Option<Result<Assignable, Target>> {
        match &e.kind {
            ExprKind::Name(name) => self.root(name, e.span),
            ExprKind::Field { of, name, optional: false } => {
                let base = match self.place(of)? {
                    Ok(base) => base,
                    Err(why) => return Some(Err(why)),
                };
                let ty = self.narrowed(path_of(of), base.ty.clone());
                let fields = self.project.shapes.fields(&ty).map(<[_]>::to_vec);
                let Some(fields) = fields else {
                    return self.no_way_into(of, &ty, name);
                };
                let Some((_, ty)) = fields.iter().find(|(field, _)| *field == name.name) else {
                    let known = fields.iter().map(|(field, _)| field.clone()).collect();
                    self.unknown_field(name, &ty, known);
                    return None;
                };
                let number = self.tables.name(&name.name);
                let mut place = base.place;
                place.steps.push(PlaceStep::Field(number));
                let read = self.push(Expr::Field(base.read, number));
                Some(Ok(Assignable { place, read, ty: ty.clone() }))
            }
            ExprKind::Index { of, index, optional: false } => {
                let base = match self.place(of)? {
                    Ok(base) => base,
                    Err(why) => return Some(Err(why)),
                };
                let index = self.expr_of(index, &Ty::Number, "for a position").id;
                match base.ty {
                    Ty::List(item) => {
                        let mut place = base.place;
                        place.steps.push(PlaceStep::Index(index));
                        let read = self.push(Expr::Index(base.read, index));
                        Some(Ok(Assignable { place, read, ty: *item }))
                    }
                    Ty::Error => None,
                    other => {
                        let (expected, found) = ("a list".into(), self.type_name(&other));
                        let finding =
                            WrongType { expected, found, why: String::new(), nearest: None };
                        self.report(finding, of.span);
                        None
                    }
                }
            }
            ExprKind::Error => None,
            _ => Some(Err(Target::Other)),
        }
    }

    fn no_way_into(
        &mut self,
        of: &ast::Expr,
        ty: &Ty,
        name: &Ident,
    ) -> Option<Result<Assignable, Target>> {
        if ty.may_be_null() {
            let (what, ty) = (self.source(of.span), self.type_name(ty));
            self.report(crate::diagnostics::MayBeNull { what, ty, dot: None }, of.span);
        } else if name.name == "length" && matches!(ty, Ty::List(_) | Ty::String) {
            return Some(Err(Target::Length));
        } else if *ty != Ty::Error {
            self.unknown_field(name, ty, Vec::new());
        }
        None
    }

    fn root(&mut self, name: &str, span: Span) -> Option<Result<Assignable, Target>> {
        if let Some(local) = self.local(name).cloned() {
            return Some(match local.what {
                LocalKind::Value(..) => Err(Target::Constant),
                LocalKind::Part(..) => Err(Target::Constant),
                LocalKind::Variable(..) => Err(Target::Variable),
                LocalKind::Event | LocalKind::Payload(_) => Err(Target::Event),
                LocalKind::Item(read, ty, place) => place.map(|place| {
                    let root = self.roots.get(&place.cell).copied().unwrap_or(place.cell);
                    self.cells[root as usize].assigned = true;
                    Assignable { place, read, ty }
                }),
            });
        }
        match self.symbols.get(name) {
            Some(Symbol::Cell(cell)) => {
                let cell = *cell;
                let info = &mut self.cells[cell as usize];
                Some(match info.role {
                    CellRole::Prop => Err(Target::Prop),
                    CellRole::Derived => Err(Target::Derived),
                    CellRole::Variable => Err(Target::Other),
                    CellRole::Loaded => Err(Target::Loaded),
                    CellRole::Stored => Err(Target::Store),
                    CellRole::State | CellRole::Shared => {
                        info.assigned = true;
                        let ty = info.ty.clone();
                        let read = self.push(Expr::Cell(cell));
                        Ok(Assignable { place: Place { cell, steps: Vec::new() }, read, ty })
                    }
                })
            }
            Some(Symbol::Handler(_) | Symbol::Asked(_)) => Some(Err(Target::Handler)),
            Some(Symbol::Function(_)) => Some(Err(Target::Function)),
            Some(Symbol::Store(store)) => {
                self.stores[*store as usize].used = true;
                Some(Err(Target::Store))
            }
            Some(Symbol::Broken) => None,
            None => {
                self.unknown_name(name, span, false);
                None
            }
        }
    }

    /// The state that the items of a list stand in, or why they cannot be assigned.
    pub(crate) fn list_source(&self, list: &ast::Expr) -> Result<u32, Target> {
        match &list.kind {
            ExprKind::Name(name) => {
                if let Some(local) = self.local(name) {
                    return match &local.what {
                        LocalKind::Item(_, _, place) => {
                            let cell = place.as_ref().map_err(|why| *why)?.cell;
                            Ok(self.roots.get(&cell).copied().unwrap_or(cell))
                        }
                        _ => Err(Target::Other),
                    };
                }
                let cell = match self.symbols.get(name) {
                    Some(Symbol::Cell(cell)) => cell,
                    Some(Symbol::Store(_)) => return Err(Target::Store),
                    _ => return Err(Target::Other),
                };
                match self.cells[*cell as usize].role {
                    CellRole::State | CellRole::Shared => Ok(*cell),
                    CellRole::Prop => Err(Target::Prop),
                    CellRole::Derived => match self.sources.get(name) {
                        Some(from) => self.list_source(from),
                        None => Err(Target::Derived),
                    },
                    CellRole::Variable => Err(Target::Other),
                    CellRole::Loaded => Err(Target::Loaded),
                    CellRole::Stored => Err(Target::Store),
                }
            }
            ExprKind::Field { of, optional: false, .. } => self.list_source(of),
            ExprKind::Call { callee, .. } => match &callee.kind {
                ExprKind::Field { of, name, optional: false }
                    if matches!(
                        name.name.as_str(),
                        "filter" | "slice" | "toSorted" | "toReversed"
                    ) =>
                {
                    self.list_source(of)
                }
                _ => Err(Target::Made),
            },
            _ => Err(Target::Made),
        }
    }

    /// A loop over state reads it.
    pub(crate) fn mark_read(&mut self, list: &ast::Expr) {
        crate::names::free_names(list, &mut |name| match self.symbols.get(name) {
            Some(Symbol::Cell(cell)) => self.cells[*cell as usize].read = true,
            Some(Symbol::Store(store)) => self.stores[*store as usize].used = true,
            _ => {}
        });
    }
}

/// The list that a chain of members starts at which hand its items on, and these members in order; `None` where one is
/// called in a way that has no positions: by the name of a function, or to sort items as strings.
type Chain<'e> = (&'e ast::Expr, Vec<(&'e Ident, &'e [ast::Expr])>);

fn chain_of(list: &ast::Expr) -> Option<Chain<'_>> {
    let (mut at, mut members) = (list, Vec::new());
    while let ExprKind::Call { callee, args } = &at.kind {
        let ExprKind::Field { of, name, optional: false } = &callee.kind else { return None };
        let is_arrow = |most: usize| match args.as_slice() {
            [ast::Expr { kind: ExprKind::Arrow(names, _), .. }] => names.len() <= most,
            _ => false,
        };
        let fits = match name.name.as_str() {
            "filter" => is_arrow(1),
            "toSorted" => is_arrow(2),
            "slice" => args.len() <= 2,
            "toReversed" => args.is_empty(),
            _ => false,
        };
        if !fits {
            return None;
        }
        members.push((name, args.as_slice()));
        at = of;
    }
    members.reverse();
    Some((at, members))
}

/// Whether statements write to something of a name.
fn writes_to(body: &[ast::Stmt], name: &str) -> bool {
    fn root(e: &ast::Expr) -> Option<&str> {
        match &e.kind {
            ExprKind::Name(name) => Some(name),
            ExprKind::Field { of, .. } | ExprKind::Index { of, .. } => root(of),
            _ => None,
        }
    }
    body.iter().any(|stmt| match &stmt.kind {
        StmtKind::Assign { target, .. } => root(target) == Some(name),
        StmtKind::If(_, then, otherwise) => writes_to(then, name) || writes_to(otherwise, name),
        // What is inside of its items is written through them.
        StmtKind::For(_, list, inner) => {
            let source = chain_of(list).map_or(list, |(source, _)| source);
            writes_to(inner, name) || root(source) == Some(name)
        }
        StmtKind::Expr(e) | StmtKind::Const(_, _, e) | StmtKind::Let(_, _, e) => {
            list_edit(e).is_some_and(|(list, ..)| root(list) == Some(name))
        }
        _ => false,
    })
}

/// `list.push(…)` and its like.
fn list_edit(e: &ast::Expr) -> Option<(&ast::Expr, &Ident, &[ast::Expr])> {
    let ExprKind::Call { callee, args } = &e.kind else { return None };
    let ExprKind::Field { of, name, optional: false } = &callee.kind else { return None };
    LIST_EDITS.contains(&name.name.as_str()).then_some((of, name, args))
}
