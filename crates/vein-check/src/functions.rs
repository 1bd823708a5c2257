//! Functions of one's own: declared, called, passed to members of lists, and taken over from stores.

use crate::diagnostics::{NeedsType, TooDeep, WrongArguments, WrongReturn, WrongType};
use crate::members::{Given, signature, why};
use crate::narrow::{Fact, facts};
use crate::scope::{Checker, LocalKind, LocalName, Purpose, Symbol, Typed};
use crate::stores::Params;
use crate::types::Ty;
use rustc_hash::FxHashMap as HashMap;
use std::sync::Arc;
use vein_plan::calls::{self, DEEPEST_CALLS};
use vein_plan::code::{Expr, ExprId, Function, Item, LocalId};
use vein_plan::members::MemberInfo;
use vein_plan::{CellKind, OwnFunction};
use vein_syntax::Span;
use vein_syntax::ast::{self, ExprKind, FunctionBody, Ident, StmtKind, TypeExpr, TypedName};

/// A declaration of a function.
pub(crate) struct DeclaredFunction<'t> {
    pub(crate) ident: &'t Ident,
    pub(crate) params: &'t [TypedName],
    pub(crate) body: &'t FunctionBody,
    number: u32,
}

/// A function, as far as it is known.
pub(crate) struct FunctionInfo {
    pub(crate) name: String,
    pub(crate) span: Span,
    pub(crate) params: Params,
    /// What it gives, once that is known.
    pub(crate) result: Option<Ty>,
    pub(crate) called: bool,
}

/// The functions of a store, as others take them over.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct StoreFunctions {
    /// Those that can be called by name, with their numbers in the plan.
    named: Vec<(String, u32)>,
    /// Parameters and result of each.
    types: Vec<(Params, Ty)>,
    functions: Vec<OwnFunction>,
    exprs: Vec<Expr>,
    /// For each cell of the store, where that is: a plan, and the cell there; what it is called, and its type.
    cells: Vec<((u32, u32), String, Ty)>,
}

impl StoreFunctions {
    /// The function of a name.
    pub(crate) fn named(&self, name: &str) -> Option<u32> {
        self.named.iter().find(|(known, _)| known == name).map(|(_, number)| *number)
    }

    /// The names of all.
    pub(crate) fn names(&self) -> impl Iterator<Item = String> + '_ {
        self.named.iter().map(|(name, _)| name.clone())
    }
}

/// More statements than anybody writes in a function: each is worked out inside the one before.
const MOST_STATEMENTS: usize = 200;

/// What statements of a function come to: names for values, and what is returned at the end, if that is always so.
#[derive(Default)]
struct Returned {
    names: Vec<(ExprId, LocalId)>,
    value: Option<Typed>,
}

/// Statements that are still to come: those of a block, inside of others.
#[derive(Clone)]
struct Rest<'t> {
    stmts: &'t [ast::Stmt],
    /// Where the names of the block begin, and those of the one around it.
    names: usize,
    around: usize,
}

/// What all statements of a function have in common.
struct Wanted<'t> {
    ty: Option<Ty>,
    why: &'t str,
    /// How many statements there may still be.
    left: usize,
}

impl Checker<'_> {
    /// `derives price(job: Job) = …`
    pub(crate) fn declare_function<'t>(
        &mut self,
        ident: &'t Ident,
        params: &'t [TypedName],
        result: Option<&TypeExpr>,
        body: &'t FunctionBody,
    ) -> DeclaredFunction<'t> {
        let types: Params =
            params.iter().map(|p| (p.ident.name.clone(), self.resolve(&p.ty))).collect();
        let result = result.map(|ty| self.resolve(ty));
        let number = self.new_function(ident.name.clone(), ident.span, types, result);
        self.symbols.insert(ident.name.clone(), Symbol::Function(number));
        DeclaredFunction { ident, params, body, number }
    }

    fn new_function(
        &mut self,
        name: String,
        span: Span,
        params: Params,
        result: Option<Ty>,
    ) -> u32 {
        let number = self.functions.len() as u32;
        self.plan.functions.push(OwnFunction {
            name: name.as_str().into(),
            params: params.iter().map(|(n, ty)| (n.as_str().into(), self.tables.ty(ty))).collect(),
            result: self.tables.ty(result.as_ref().unwrap_or(&Ty::Null)),
            locals: 0,
            body: 0,
            levels: 0,
            location: self.location(span),
        });
        self.functions.push(FunctionInfo { name, span, params, result, called: false });
        number
    }

    /// Functions that call each other in a circle have to say what they give; then they need not stand after each other.
    pub(crate) fn functions_in_circles(
        &mut self,
        functions: &[DeclaredFunction<'_>],
        first: usize,
        reads: &mut [Vec<usize>],
    ) {
        if functions.is_empty() {
            return;
        }
        let leads: Vec<Vec<u32>> =
            reads.iter().map(|reads| reads.iter().map(|to| *to as u32).collect()).collect();
        for group in calls::groups(&leads) {
            let alone = group.len() == 1 && !leads[group[0] as usize].contains(&group[0]);
            if alone || group.iter().any(|at| (*at as usize) < first) {
                continue;
            }
            for at in &group {
                let number = functions[*at as usize - first].number as usize;
                if self.functions[number].result.is_none() {
                    let FunctionInfo { name, span, .. } = &self.functions[number];
                    let (finding, span) = (NeedsType::Function { name: name.clone() }, *span);
                    self.report(finding, span);
                    self.functions[number].result = Some(Ty::Error);
                }
                reads[*at as usize].retain(|to| !group.contains(&(*to as u32)));
            }
        }
    }

    /// What a function gives, compiled.
    pub(crate) fn compile_function(&mut self, declared: &DeclaredFunction<'_>) {
        self.start_frame();
        let number = declared.number as usize;
        let params = self.functions[number].params.clone();
        for (param, (_, ty)) in declared.params.iter().zip(params) {
            self.not_taken_here(&param.ident);
            let local = self.new_local();
            self.locals.push(LocalName {
                name: param.ident.name.clone(),
                span: param.ident.span,
                what: LocalKind::Value(local, ty),
            });
        }
        let want = self.functions[number].result.clone().filter(|ty| *ty != Ty::Error);
        let why = format!("for what `{}` gives", declared.ident.name);
        let before = self.found.len();
        let around = std::mem::replace(&mut self.purpose, Purpose::Function);
        let given = match declared.body {
            FunctionBody::Value(e) => match &want {
                Some(want) => self.expr_of(e, want, &why),
                None => self.expr(e),
            },
            FunctionBody::Statements(stmts) => {
                let mut wanted = Wanted { ty: want, why: &why, left: MOST_STATEMENTS };
                let (names, around) = (self.locals.len(), self.scope_start);
                let rest = vec![Rest { stmts, names, around }];
                let returned = self.returned(rest, &mut wanted);
                match returned.value {
                    Some(value) => {
                        Typed { id: self.within(returned.names, value.id), ty: value.ty }
                    }
                    None if wanted.left == 0 => self.broken(),
                    None => {
                        let name = declared.ident.name.clone();
                        self.report(WrongReturn::Missing { name }, declared.ident.span);
                        self.broken()
                    }
                }
            }
        };
        self.purpose = around;
        // What comes after an `if` may be on both ways: it is told of once.
        for finding in self.found.split_off(before) {
            if !self.found[before..].contains(&finding) {
                self.found.push(finding);
            }
        }
        let ty = self.not_too_deep(given.ty, declared.ident.span);
        let result = self.functions[number].result.get_or_insert(ty).clone();
        let function = &mut self.plan.functions[number];
        (function.body, function.locals) = (given.id, self.most_locals);
        function.result = self.tables.ty(&result);
    }

    /// Names for values, and what is worked out with them.
    fn within(&mut self, names: Vec<(ExprId, LocalId)>, inner: ExprId) -> ExprId {
        names
            .into_iter()
            .rev()
            .fold(inner, |inner, (value, local)| self.push(Expr::With(value, local, inner)))
    }

    /// A name that can be assigned.
    pub(crate) fn bind_variable(&mut self, name: &Ident, ty: Ty) -> LocalId {
        let local = self.bind_local(name, ty);
        if let Some(LocalName { what, .. }) = self.locals.last_mut()
            && let LocalKind::Value(local, ty) = what
        {
            *what = LocalKind::Variable(*local, std::mem::replace(ty, Ty::Error));
        }
        local
    }

    /// What a name holds from here on.
    fn rebind(&mut self, name: &str, to: LocalId) {
        let local = self.locals.iter_mut().rev().find(|local| local.name == name);
        if let Some(LocalName { what: LocalKind::Variable(local, _), .. }) = local {
            *local = to;
        }
    }

    /// What all variables hold by now.
    fn variables(&self) -> Vec<(usize, LocalId)> {
        let locals = self.locals.iter().enumerate();
        let held = locals.filter_map(|(at, local)| match local.what {
            LocalKind::Variable(id, _) => Some((at, id)),
            _ => None,
        });
        held.collect()
    }

    /// What statements of a function return. Each assignment gives a name a value of its own, so that all of it is one
    /// expression.
    fn returned(&mut self, mut rest: Vec<Rest<'_>>, wanted: &mut Wanted<'_>) -> Returned {
        let mut found = Returned::default();
        while let Some(here) = rest.last_mut() {
            let Some((stmt, after)) = here.stmts.split_first() else {
                self.locals.truncate(here.names);
                self.scope_start = here.around;
                rest.pop();
                continue;
            };
            here.stmts = after;
            if wanted.left <= 1 {
                if std::mem::take(&mut wanted.left) == 1 {
                    self.report(TooDeep, stmt.span);
                }
                return found;
            }
            wanted.left -= 1;
            match &stmt.kind {
                StmtKind::Const(name, ty, value) => {
                    self.not_taken_here(name);
                    let value = self.named_value(name, ty.as_ref(), value);
                    let local = self.bind_local(name, value.ty);
                    found.names.push((value.id, local));
                }
                StmtKind::Unpack(pattern, value) => {
                    let (at, value) = (value.span, self.expr(value));
                    let local = self.new_local();
                    found.names.push((value.id, local));
                    let kept = self.typed(Expr::Local(local), value.ty);
                    self.unpack(kept, pattern, at);
                }
                StmtKind::Let(name, ty, value) => {
                    self.not_taken_here(name);
                    let value = self.named_value(name, ty.as_ref(), value);
                    let ty = self.type_of_variable(name, ty.is_some(), value.ty);
                    let local = self.bind_variable(name, ty);
                    found.names.push((value.id, local));
                }
                StmtKind::Assign { target, op, value } => {
                    let Some((local, ty)) = self.variable_named(target) else {
                        self.report(WrongReturn::Acts, stmt.span);
                        continue;
                    };
                    let read = self.push(Expr::Local(local));
                    let value = self.assigned_value((read, &ty), target, *op, value);
                    let next = self.new_local();
                    if let ExprKind::Name(name) = &target.kind {
                        self.rebind(name, next);
                    }
                    found.names.push((value.id, next));
                }
                StmtKind::If(test, then, otherwise) => {
                    let condition = self.condition(test);
                    let chosen = self.new_local();
                    found.names.push((condition.id, chosen));
                    let chosen = self.push(Expr::Local(chosen));
                    if !may_return(then) && !may_return(otherwise) {
                        self.merge_ways((chosen, test), (then, otherwise), wanted, &mut found);
                        continue;
                    }
                    let (one, other) = (
                        self.one_way(facts(test, true), then, &rest, wanted),
                        self.one_way(facts(test, false), otherwise, &rest, wanted),
                    );
                    if let (Some(one), Some(other)) = (one, other) {
                        found.value = Some(self.one_or_other(chosen, one, other, test.span));
                    }
                    if let (true, Some(after)) =
                        (always_returns(std::slice::from_ref(stmt)), after.first())
                    {
                        self.report(WrongReturn::NeverReached, after.span);
                    }
                    return found;
                }
                StmtKind::Return(Some(value)) => {
                    found.value = Some(match &wanted.ty {
                        Some(want) => {
                            let value = self.expr_of(value, want, wanted.why);
                            Typed { id: value.id, ty: want.clone() }
                        }
                        None => self.expr(value),
                    });
                    if let Some(after) = after.first() {
                        self.report(WrongReturn::NeverReached, after.span);
                    }
                    return found;
                }
                StmtKind::Return(None) => {
                    self.report(WrongReturn::Nothing, stmt.span);
                    found.value = Some(self.broken());
                    return found;
                }
                StmtKind::For(_, list, _) => {
                    self.expr(list);
                    self.report(WrongReturn::Loops, stmt.span);
                }
                StmtKind::Try(..) => self.report(WrongReturn::Catches, stmt.span),
                StmtKind::Give(..)
                | StmtKind::Reload(_)
                | StmtKind::Fill(..)
                | StmtKind::Delete(_)
                | StmtKind::Expr(_) => {
                    self.report(WrongReturn::Acts, stmt.span);
                }
            }
        }
        found
    }

    /// One way of an `if` that may return, with what comes after it: what that gives.
    fn one_way(
        &mut self,
        known: Vec<Fact>,
        stmts: &[ast::Stmt],
        rest: &[Rest<'_>],
        wanted: &mut Wanted<'_>,
    ) -> Option<Typed> {
        let around = (self.locals.clone(), self.facts.clone(), self.scope_start);
        self.facts.extend(known);
        let here = Rest { stmts, names: self.locals.len(), around: self.scope_start };
        self.scope_start = self.locals.len();
        let mut all = rest.to_vec();
        all.push(here);
        let returned = self.returned(all, wanted);
        (self.locals, self.facts, self.scope_start) = around;
        let value = returned.value?;
        Some(Typed { id: self.within(returned.names, value.id), ty: value.ty })
    }

    /// An `if` that returns nothing: what the names hold that it assigns.
    fn merge_ways(
        &mut self,
        (chosen, test): (ExprId, &ast::Expr),
        (then, otherwise): (&[ast::Stmt], &[ast::Stmt]),
        wanted: &mut Wanted<'_>,
        found: &mut Returned,
    ) {
        let before = self.variables();
        let [one, other] = [(then, true), (otherwise, false)].map(|(stmts, holds)| {
            let (names, held) = self.knowing(facts(test, holds), |checker| {
                let rest = Rest { stmts, names: checker.locals.len(), around: checker.scope_start };
                let returned = checker.returned(vec![rest], wanted);
                (returned.names, checker.variables())
            });
            for (at, id) in &before {
                self.hold(*at, *id);
            }
            (names, held)
        });
        self.forget_variables();
        let differ: Vec<(usize, LocalId, LocalId)> = one
            .1
            .iter()
            .zip(&other.1)
            .filter(|((at, one), (_, other))| {
                before.iter().any(|(known, id)| known == at && (id, id) != (one, other))
            })
            .map(|((at, one), (_, other))| (*at, *one, *other))
            .collect();
        let locals = |checker: &mut Self, ids: Vec<LocalId>| -> ExprId {
            let read: Vec<ExprId> =
                ids.into_iter().map(|id| checker.push(Expr::Local(id))).collect();
            match read.as_slice() {
                [alone] => *alone,
                _ => checker.push(Expr::List(read.into_iter().map(Item::One).collect())),
            }
        };
        if differ.is_empty() {
            return;
        }
        let held = locals(self, differ.iter().map(|(_, one, _)| *one).collect());
        let yes = self.within(one.0, held);
        let held = locals(self, differ.iter().map(|(_, _, other)| *other).collect());
        let no = self.within(other.0, held);
        let (all, both) = (self.push(Expr::Choose(chosen, yes, no)), self.new_local());
        found.names.push((all, both));
        if let [(at, ..)] = differ.as_slice() {
            return self.hold(*at, both);
        }
        for (number, (at, ..)) in differ.iter().enumerate() {
            let (list, position) =
                (self.push(Expr::Local(both)), self.push(Expr::Number(number as f64)));
            let (one, own) = (self.push(Expr::Index(list, position)), self.new_local());
            found.names.push((one, own));
            self.hold(*at, own);
        }
    }

    /// One value or another.
    fn one_or_other(&mut self, test: ExprId, one: Typed, other: Typed, span: Span) -> Typed {
        let ty = match self.project.shapes.join(&one.ty, &other.ty) {
            Some(ty) => ty,
            None => {
                let expected =
                    format!("one type on all ways, such as `{}`", self.type_name(&one.ty));
                let found = self.type_name(&other.ty);
                let why = "for what the function gives".into();
                self.report(WrongType { expected, found, why, nearest: None }, span);
                Ty::Error
            }
        };
        self.typed(Expr::Choose(test, one.id, other.id), ty)
    }

    /// A call of a function.
    pub(crate) fn apply(&mut self, function: u32, at: Span, args: &[ast::Expr]) -> Typed {
        let info = &mut self.functions[function as usize];
        info.called = true;
        let (name, params, result) = (info.name.clone(), info.params.clone(), info.result.clone());
        let ids = self.arguments(&name, at, &params, args);
        match (ids, result) {
            (Some(ids), Some(ty)) if ty != Ty::Error => self.typed(Expr::Apply(function, ids), ty),
            // Why it gives nothing was reported.
            _ => self.broken(),
        }
    }

    /// The function that an expression names without calling it.
    pub(crate) fn function_named(&mut self, e: &ast::Expr) -> Option<u32> {
        match &e.kind {
            ExprKind::Name(name) if self.local(name).is_none() => match self.symbols.get(name) {
                Some(Symbol::Function(function)) => Some(*function),
                _ => None,
            },
            ExprKind::Field { of, name, optional: false } => {
                let store = self.store_named(of)?;
                self.store_function(store, name)
            }
            _ => None,
        }
    }

    /// A function whose name is given to a member of a list, as an arrow function that calls it.
    pub(crate) fn passed(
        &mut self,
        function: u32,
        arg: &ast::Expr,
        given: &[Ty],
        info: &MemberInfo,
        want: Option<&Ty>,
    ) -> Option<Given> {
        let known = &mut self.functions[function as usize];
        known.called = true;
        let (name, params, result) =
            (known.name.clone(), known.params.clone(), known.result.clone());
        if params.len() > given.len() {
            let finding = WrongArguments {
                name: format!("the function in {}", info.name),
                least: 0,
                most: Some(given.len()),
                found: params.len(),
                signature: signature(info),
            };
            self.report(finding, arg.span);
            return None;
        }
        let mut fits = true;
        for (ty, (param, wanted)) in given.iter().zip(&params) {
            fits &= self.require(
                ty,
                wanted,
                arg.span,
                &format!("for the parameter `{param}` of `{name}`"),
            );
        }
        let ty = result.filter(|ty| fits && *ty != Ty::Error)?;
        if let Some(want) = want
            && !self.require(&ty, want, arg.span, &why(info))
        {
            return None;
        }
        let locals: Vec<LocalId> = params.iter().map(|_| self.new_local()).collect();
        let args = locals.iter().map(|local| self.push(Expr::Local(*local))).collect();
        let body = self.push(Expr::Apply(function, args));
        Some(Given { function: Function { params: locals, body }, ty })
    }

    /// A function of a store, taken over to where it is called.
    pub(crate) fn store_function(&mut self, store: u32, name: &Ident) -> Option<u32> {
        let used = &mut self.stores[store as usize];
        let facts = used.facts.as_ref()?;
        let (plan, functions) = (facts.plan, facts.functions.clone());
        let function = functions.named(&name.name)?;
        used.used = true;
        let (prefix, span) = (used.name.clone(), used.span);
        Some(self.take_over(plan, &functions, function, (&prefix, span)))
    }

    /// Copies a function of a store, with those that it calls.
    fn take_over(
        &mut self,
        plan: u32,
        there: &Arc<StoreFunctions>,
        function: u32,
        (store, span): (&str, Span),
    ) -> u32 {
        let mut open = Vec::new();
        let place = |checker: &mut Self, function: u32, open: &mut Vec<(u32, u32)>| -> u32 {
            if let Some(known) = checker.copied.get(&(plan, function)) {
                return *known;
            }
            let (params, result) = there.types[function as usize].clone();
            let name = &there.functions[function as usize].name;
            let name =
                if name.contains('.') { name.to_string() } else { format!("{store}.{name}") };
            let own = checker.new_function(name, span, params, Some(result));
            checker.functions[own as usize].called = true;
            checker.copied.insert((plan, function), own);
            open.push((function, own));
            own
        };
        let number = place(self, function, &mut open);
        while let Some((function, own)) = open.pop() {
            let planned = &there.functions[function as usize];
            let mut copies: HashMap<ExprId, ExprId> = HashMap::default();
            for id in calls::expressions(&there.exprs, planned.body) {
                let copy = there.exprs[id as usize].with_children(|child| copies[&child]);
                let copy = match copy {
                    Expr::Cell(cell) => {
                        let (at, name, ty) = there.cells[cell as usize].clone();
                        Expr::Cell(self.stands_for(at, name, ty, span))
                    }
                    Expr::Apply(called, args) => Expr::Apply(place(self, called, &mut open), args),
                    copy => copy,
                };
                copies.insert(id, self.push(copy));
            }
            let body = copies.get(&planned.body).copied().unwrap_or(0);
            let function = &mut self.plan.functions[own as usize];
            (function.body, function.locals) = (body, planned.locals);
        }
        number
    }

    /// What others take over of the store that was checked.
    pub(crate) fn store_functions(&self) -> StoreFunctions {
        if self.functions.is_empty() {
            return StoreFunctions::default();
        }
        let own = self.symbols.iter().filter_map(|(name, symbol)| match symbol {
            Symbol::Function(number) => Some((name.clone(), *number)),
            _ => None,
        });
        let mut named: Vec<(String, u32)> = own.collect();
        named.sort();
        let store = self.plan.store.as_deref().unwrap_or_default();
        let cells =
            (0..).zip(&self.cells).map(|(at, info)| match &self.plan.cells[at as usize].kind {
                CellKind::Store(plan, cell) => ((*plan, *cell), info.name.clone(), info.ty.clone()),
                _ => ((self.own.number, at), format!("{store}.{}", info.name), info.ty.clone()),
            });
        let types = self.functions.iter().map(|function| {
            (function.params.clone(), function.result.clone().unwrap_or(Ty::Error))
        });
        StoreFunctions {
            named,
            types: types.collect(),
            functions: self.plan.functions.clone(),
            exprs: self.plan.exprs.clone(),
            cells: cells.collect(),
        }
    }

    /// How deep each function goes.
    pub(crate) fn count_levels(&mut self) {
        let deep = calls::depths(&self.plan.exprs, &self.plan.functions);
        let calls = calls::calls(&self.plan.exprs, &self.plan.functions);
        let is_too_deep = |at: usize| deep[at].levels > DEEPEST_CALLS;
        for (number, called) in calls.iter().enumerate() {
            self.plan.functions[number].levels = deep[number].counted();
            let span = self.functions[number].span;
            // Of functions that call each other the first is told of.
            let is_first = called.iter().all(|other| !is_too_deep(*other as usize));
            if is_too_deep(number) && (is_first || deep[number].is_circular) {
                self.report(TooDeep, span);
            }
        }
    }

    /// Has a variable hold something else from here on.
    fn hold(&mut self, at: usize, to: LocalId) {
        if let LocalKind::Variable(local, _) = &mut self.locals[at].what {
            *local = to;
        }
    }
}

/// Whether statements return on some way.
fn may_return(stmts: &[ast::Stmt]) -> bool {
    stmts.iter().any(|stmt| match &stmt.kind {
        StmtKind::Return(_) => true,
        StmtKind::If(_, then, otherwise) => may_return(then) || may_return(otherwise),
        _ => false,
    })
}

/// Whether they return on all ways.
fn always_returns(stmts: &[ast::Stmt]) -> bool {
    stmts.iter().any(|stmt| match &stmt.kind {
        StmtKind::Return(_) => true,
        StmtKind::If(_, then, otherwise) => always_returns(then) && always_returns(otherwise),
        _ => false,
    })
}
