//! Statements: what they write, call and give.

use crate::diagnostics::cannot_assign::Target;
use crate::diagnostics::{
    CannotAssign, NameTaken, NeedsType, NoEffect, NothingToCatch, UnknownEvent, WrongArguments,
    WrongType,
};
use crate::members::LIST_EDITS;
use crate::narrow::{facts, path_of};
use crate::scope::{CellRole, Checker, LocalKind, LocalName, Purpose, Symbol, Typed};
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
        self.with_purpose(Purpose::Done, |checker| checker.statement_of(&stmt.kind, block));
        self.at = around;
    }

    fn statement_of(&mut self, kind: &StmtKind, block: &mut Body) {
        match kind {
            StmtKind::Const(name, ty, value) => self.constant(name, ty.as_ref(), value, block),
            StmtKind::Unpack(pattern, value) => {
                let unwritten = Ident { name: String::new(), span: value.span };
                let of = self.value_or_answer(&unwritten, None, value, block);
                let local = self.new_local();
                self.emit(Stmt::Let(local, of.id), block);
                let kept = self.typed(Expr::Local(local), of.ty);
                self.unpack(kept, pattern, value.span);
            }
            StmtKind::Let(name, ty, value) => self.variable_local(name, ty.as_ref(), value, block),
            StmtKind::Assign { target, op, value } => self.assign(target, *op, value, block),
            StmtKind::Fill(target, value) => self.set_if_null(target, value, block),
            StmtKind::Delete(target) => self.delete(target, block),
            StmtKind::If(test, then, otherwise) => self.branch(test, then, otherwise, block),
            StmtKind::For(name, list, body) => self.each(name, list, body, block),
            StmtKind::Try(tried, caught, last) => self.tried(tried, caught.as_ref(), last, block),
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
        let like = ty.as_written_down();
        self.report(NeedsType::Value { name: name.name.clone(), like }, name.span);
        Ty::Error
    }

    /// What a declaration's value is, or the answer that it waits for.
    fn value_or_answer(
        &mut self,
        name: &Ident,
        ty: Option<&ast::TypeExpr>,
        value: &ast::Expr,
        block: &mut Body,
    ) -> Typed {
        let ExprKind::Await(asked) = &value.kind else { return self.named_value(name, ty, value) };
        match self.awaited(asked, block, None) {
            Some((local, found)) => {
                let ty = self.kept_as(name, ty, found, value.span);
                self.typed(Expr::Local(local), ty)
            }
            None => self.broken(),
        }
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
        let first = self.value_or_answer(name, ty, value, block);
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

    /// The value that something of a type is assigned, which an expression reads.
    pub(crate) fn assigned_value(
        &mut self,
        (read, ty): (u32, &Ty),
        target: &ast::Expr,
        op: Option<Binary>,
        value: &ast::Expr,
    ) -> Typed {
        let value = match op {
            None => self.expr_of(value, ty, &format!("for `{}`", self.source(target.span))),
            Some(op) => self.compound(op, (read, ty), target, value),
        };
        let known = if value.ty == Ty::Error { ty } else { &value.ty };
        self.assigned(path_of(target), known);
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
        let Some((to, read, ty)) = self.written_to(target) else {
            self.expr(value);
            return;
        };
        let value = match (&value.kind, op) {
            (ExprKind::Await(asked), None) => {
                let Some((answer, found)) = self.awaited(asked, block, None) else { return };
                let why = format!("for `{}`", self.source(target.span));
                self.require(&found, &ty, value.span, &why);
                self.assigned(path_of(target), &found);
                self.push(Expr::Local(answer))
            }
            _ => self.assigned_value((read, &ty), target, op, value).id,
        };
        let stmt = match to {
            Ok(place) => Stmt::Set(place, value),
            Err(local) => Stmt::Assign(local, value),
        };
        self.emit(stmt, block);
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
        if self.is_entry(written)
            && self.found_again(|checker| checker.expr(written)).ty.may_be_null()
        {
            let (what, ty) = (self.source(written.span), self.type_name(&Ty::optional(current)));
            self.report(crate::diagnostics::MayBeNull { what, ty, dot: None }, written.span);
            self.expr(value);
            return self.broken();
        }
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

    /// `try { … } catch (reason) { … } finally { … }`: of what is known before, state and variables may be others wherever it goes on.
    fn tried(
        &mut self,
        tried: &[ast::Stmt],
        caught: Option<&ast::Catch>,
        last: &[ast::Stmt],
        block: &mut Body,
    ) {
        let at = self.at;
        let before = self.found.len();
        let tried = self.block(tried);
        if caught.is_some() && self.found.len() == before && !self.may_fail(&tried) {
            self.report(NothingToCatch, at);
        }
        let forget = |checker: &mut Self| {
            checker.forget_state();
            checker.forget_variables();
        };
        forget(self);
        let caught = caught.map(|ast::Catch { reason, body }| {
            self.scoped(|checker| {
                let local = match reason {
                    Some(reason) => checker.bind_local(reason, Ty::String),
                    None => checker.new_local(),
                };
                (local, checker.block(body))
            })
        });
        forget(self);
        let last = self.block(last);
        forget(self);
        self.emit(Stmt::Try(tried, caught, last), block);
    }

    /// Whether the host may fail in some statements, as far as they can tell.
    fn may_fail(&self, body: &Body) -> bool {
        let mut open = body.clone();
        while let Some(stmt) = open.pop() {
            let stmt = &self.plan.stmts[stmt as usize];
            if matches!(
                stmt,
                Stmt::Await(..) | Stmt::Call(..) | Stmt::CallStore(..) | Stmt::Give(..)
            ) {
                return true;
            }
            let mut exprs = Vec::new();
            stmt.children(|expr| exprs.push(expr), |inner| open.push(inner));
            while let Some(expr) = exprs.pop() {
                let expr = &self.plan.exprs[expr as usize];
                if matches!(expr, Expr::Ask(..)) {
                    return true;
                }
                expr.children(|child| exprs.push(child));
            }
        }
        false
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
                Some(compare) => {
                    match self.found_again(|checker| checker.comparator(compare, &item)) {
                        Some(function) => ListEdit::Sort(Some(function)),
                        None => return,
                    }
                }
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
    pub(crate) fn place(&mut self, e: &ast::Expr) -> Option<Result<Assignable, Target>> {
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
                self.inside(base, of, index)
            }
            ExprKind::Error => None,
            _ => Some(Err(Target::Other)),
        }
    }

    /// What an assignment writes to, a place of state or else a variable, with what reads it and its type.
    pub(crate) fn written_to(
        &mut self,
        target: &ast::Expr,
    ) -> Option<(Result<Place, u32>, u32, Ty)> {
        if let Some((local, ty)) = self.variable_named(target) {
            return Some((Err(local), self.push(Expr::Local(local)), ty));
        }
        let Assignable { place, read, ty } = self.assignable(target)?;
        Some((Ok(place), read, ty))
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
                    CellRole::Named => Err(Target::Named),
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
}

/// `list.push(…)` and its like.
pub(crate) fn list_edit(e: &ast::Expr) -> Option<(&ast::Expr, &Ident, &[ast::Expr])> {
    let ExprKind::Call { callee, args } = &e.kind else { return None };
    let ExprKind::Field { of, name, optional: false } = &callee.kind else { return None };
    LIST_EDITS.contains(&name.name.as_str()).then_some((of, name, args))
}
