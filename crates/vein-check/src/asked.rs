//! What the host answers: functions that are asked, awaited and streamed, state that is filled by
//! them, and what runs by itself.

use crate::diagnostics::{BadTimer, NotLoaded, NotWatchable, WrongAnswer, WrongArguments};
use crate::scope::{CellRole, Checker, Loaded, Purpose, Symbol, Typed};
use crate::types::Ty;
use vein_plan::code::{Body, Expr, Stmt};
use vein_plan::nearest;
use vein_plan::ops::Binary;
use vein_plan::{
    Answers, Asked, CellKind, Extent, Hook, PlanRead, ReadStep, Reads, Source, When, status,
};
use vein_syntax::Span;
use vein_syntax::ast::{self, ExprKind, Ident, TypeExpr, TypedName, Upon};

/// A function of the host, as it was declared.
pub(crate) struct AskedInfo {
    pub(crate) name: String,
    pub(crate) span: Span,
    pub(crate) answers: Answers,
    params: Vec<(String, Ty)>,
    result: Ty,
    pub(crate) used: bool,
}

impl Ty {
    /// The type of the status of what is loaded.
    pub(crate) fn statuses() -> Ty {
        Ty::Literals(status::ALL.map(str::to_owned).into())
    }
}

impl Checker<'_> {
    /// `asks name(…): type` and its like.
    pub(crate) fn declare_asked(
        &mut self,
        answers: Answers,
        ident: &Ident,
        params: &[TypedName],
        result: &TypeExpr,
    ) {
        let params: Vec<(String, Ty)> =
            params.iter().map(|p| (p.ident.name.clone(), self.resolve(&p.ty))).collect();
        let result = self.resolve(result);
        let number = self.asked.len() as u32;
        self.symbols.insert(ident.name.clone(), Symbol::Asked(number));
        self.plan.asked.push(Asked {
            name: ident.name.as_str().into(),
            answers,
            params: params.iter().map(|(n, ty)| (n.as_str().into(), self.tables.ty(ty))).collect(),
            result: self.tables.ty(&result),
        });
        let (name, span) = (ident.name.clone(), ident.span);
        self.asked.push(AskedInfo { name, span, answers, params, result, used: false });
    }

    /// The function of the host that a name stands for, which has to answer in some way.
    fn asked_named(&mut self, callee: &ast::Expr, wanted: Answers) -> Option<u32> {
        let ExprKind::Name(name) = &callee.kind else {
            self.expr(callee);
            let name = self.source(callee.span);
            self.report(WrongAnswer { name, wanted, found: None }, callee.span);
            return None;
        };
        match self.symbols.get(name) {
            Some(Symbol::Asked(asked)) if self.local(name).is_none() => {
                let asked = *asked;
                let info = &mut self.asked[asked as usize];
                info.used = true;
                let found = info.answers;
                if found == wanted {
                    return Some(asked);
                }
                let finding = WrongAnswer { name: name.clone(), wanted, found: Some(found) };
                self.report(finding, callee.span);
            }
            Some(Symbol::Broken) => {}
            Some(_) => {
                let finding = WrongAnswer { name: name.clone(), wanted, found: None };
                self.report(finding, callee.span);
            }
            None => self.unknown_name(name, callee.span, true),
        }
        None
    }

    /// The arguments of a question, when they fit.
    fn asked_arguments(&mut self, asked: u32, args: &[ast::Expr], at: Span) -> Option<Vec<u32>> {
        let info = &self.asked[asked as usize];
        let (name, params) = (info.name.clone(), info.params.clone());
        self.arguments(&name, at, &params, args)
    }

    /// `soil_name(code)` in an expression.
    pub(crate) fn ask(&mut self, callee: &ast::Expr, args: &[ast::Expr]) -> Typed {
        let Some(asked) = self.asked_named(callee, Answers::AtOnce) else { return self.broken() };
        if self.purpose == Purpose::Function {
            let name = self.source(callee.span);
            let advice = "ask where the function is called, and give it the answer";
            return self.not_usable(name, "a question to the host", advice, callee.span);
        }
        let Some(ids) = self.asked_arguments(asked, args, callee.span) else {
            return self.broken();
        };
        let ty = self.asked[asked as usize].result.clone();
        self.typed(Expr::Ask(asked, ids), ty)
    }

    /// `await fetch(…)` in a statement: asks, and gives the local that the answer goes into.
    pub(crate) fn awaited(
        &mut self,
        e: &ast::Expr,
        block: &mut Body,
        name: Option<&Ident>,
    ) -> Option<(u32, Ty)> {
        let ExprKind::Call { callee, args } = &e.kind else {
            let name = self.source(e.span);
            self.report(WrongAnswer { name, wanted: Answers::Later, found: None }, e.span);
            return None;
        };
        let asked = self.asked_named(callee, Answers::Later)?;
        let ids = self.asked_arguments(asked, args, callee.span)?;
        let ty = self.asked[asked as usize].result.clone();
        // Until the answer comes, everything may have become something else.
        self.forget_state();
        let local = match name {
            Some(name) => self.bind_local(name, ty.clone()),
            None => self.new_local(),
        };
        self.emit(Stmt::Await(asked, ids, Some(local)), block);
        Some((local, ty))
    }

    /// Declares the cells of `loads` and `follows`; what is asked is compiled later, when the
    /// names that it reads are known.
    pub(crate) fn declare_source(&mut self, declared: &TypedName) {
        let name = &declared.ident.name;
        let ty = self.resolve(&declared.ty);
        let span = declared.ident.span;
        let mut state = |name: String, ty: Ty, first: Expr| {
            let first = self.push(first);
            self.variable(&Ident { name, span }, ty, CellKind::State(first), 0)
        };
        let value = state(name.clone(), Ty::optional(ty.clone()), Expr::Null);
        let waiting = Expr::String(status::WAITING.into());
        let status = state(format!("{name} is"), Ty::statuses(), waiting);
        let reason = state(format!("{name}.reason"), Ty::String, Expr::String("".into()));
        let info = &mut self.cells[value as usize];
        (info.role, info.read) = (CellRole::Loaded, false);
        info.loaded = Some(Loaded { ty, status, reason });
        self.symbols.insert(name.clone(), Symbol::Cell(value));
    }

    /// What `loads` and `follows` ask.
    pub(crate) fn source_question(&mut self, follows: bool, declared: &TypedName, e: &ast::Expr) {
        let Some(Symbol::Cell(value)) = self.symbols.get(&declared.ident.name).copied() else {
            return;
        };
        let Some(loaded) = self.cells[value as usize].loaded.clone() else { return };
        self.start_frame();
        let wanted = if follows { Answers::Again } else { Answers::Later };
        let ExprKind::Call { callee, args } = &e.kind else {
            let name = self.source(e.span);
            return self.report(WrongAnswer { name, wanted, found: None }, e.span);
        };
        let Some(asked) = self.asked_named(callee, wanted) else { return };
        let Some(ids) = self.asked_arguments(asked, args, callee.span) else { return };
        let result = self.asked[asked as usize].result.clone();
        let why = format!("for `{}`", declared.ident.name);
        self.require(&result, &loaded.ty, e.span, &why);
        let items = ids.into_iter().map(vein_plan::code::Item::One).collect();
        let args = self.push(Expr::List(items));
        self.plan.sources.push(Source {
            asked,
            args,
            reads: Reads::Fixed(Vec::new()),
            value,
            status: loaded.status,
            reason: loaded.reason,
            location: self.location(declared.ident.span),
        });
    }

    /// `forecast is waiting`
    pub(crate) fn is_status(&mut self, of: &ast::Expr, word: &Ident) -> Typed {
        let Some(loaded) = self.loaded(of) else {
            let name = self.source(of.span);
            let before = self.found.len();
            self.expr(of);
            if self.found.len() == before {
                self.report(NotLoaded::Value { name }, of.span);
            }
            return self.broken();
        };
        if !status::ALL.contains(&word.name.as_str()) {
            let nearest = nearest(&word.name, status::ALL).map(str::to_owned);
            self.report(NotLoaded::Status { name: word.name.clone(), nearest }, word.span);
            return self.broken();
        }
        let status = self.push(Expr::Cell(loaded.status));
        let word = self.push(Expr::String(word.name.as_str().into()));
        self.typed(Expr::Binary(Binary::Equal, status, word), Ty::Boolean)
    }

    /// What an expression names, when that is filled by the host's answers.
    fn loaded(&mut self, of: &ast::Expr) -> Option<Loaded> {
        let cell = match &of.kind {
            ExprKind::Name(name) => match self.symbols.get(name) {
                Some(Symbol::Cell(cell)) if self.local(name).is_none() => *cell,
                _ => return None,
            },
            ExprKind::Field { of, name, optional: false } => {
                self.store_named(of)?;
                let value = self.store_value(of, name)?;
                let Expr::Cell(cell) = self.plan.exprs[value.id as usize] else { return None };
                cell
            }
            _ => return None,
        };
        self.cells[cell as usize].read = true;
        self.cells[cell as usize].loaded.clone()
    }

    /// `forecast.reason`, where `forecast` is known to have failed.
    pub(crate) fn reason(&mut self, of: &ast::Expr, name: &Ident) -> Option<Typed> {
        let path = crate::narrow::path_of(of)?;
        if name.name != "reason" || !crate::narrow::is_failed(&self.facts, &path) {
            return None;
        }
        let loaded = self.loaded(of)?;
        Some(self.typed(Expr::Cell(loaded.reason), Ty::String))
    }

    /// `reload forecast`
    pub(crate) fn reload(&mut self, name: &Ident, block: &mut Body) {
        let cell = match self.symbols.get(&name.name) {
            Some(Symbol::Cell(cell)) if self.local(&name.name).is_none() => Some(*cell),
            Some(Symbol::Broken) => return,
            None => return self.unknown_name(&name.name, name.span, false),
            _ => None,
        };
        // The questions are compiled by now; they are in the order of their declarations.
        let source =
            cell.and_then(|cell| self.plan.sources.iter().position(|source| source.value == cell));
        match (source, cell) {
            (Some(source), _) => {
                self.forget(&name.name);
                self.emit(Stmt::Reload(source as u32), block);
            }
            // Its question was wrong, which was reported.
            (None, Some(cell)) if self.cells[cell as usize].loaded.is_some() => {}
            _ => self.report(NotLoaded::Value { name: name.name.clone() }, name.span),
        }
    }

    /// `upon … { … }`
    pub(crate) fn upon(&mut self, upon: &Upon, body: &[ast::Stmt], span: Span) {
        self.start_frame();
        let (when, address) = match upon {
            Upon::Added => (Some(When::Added), "upon added".to_owned()),
            Upon::Removed => (Some(When::Removed), "upon removed".to_owned()),
            Upon::Change(watched) => {
                let names: Vec<String> = watched.iter().map(|e| self.source(e.span)).collect();
                (self.watched(watched, span), format!("upon change ({})", names.join(", ")))
            }
            Upon::Every(period, condition) => {
                let address = format!("upon every ({})", self.source(period.span));
                (Some(self.timer(period, condition.as_ref())), address)
            }
        };
        let body = self.block(body);
        let Some(when) = when else { return };
        let (locals, location) = (self.most_locals, self.location(span));
        let address = address.as_str().into();
        self.plan.hooks.push(Hook { when, locals, body, address, location });
    }

    fn watched(&mut self, watched: &[ast::Expr], span: Span) -> Option<When> {
        let mut reads: Vec<PlanRead> = Vec::new();
        let mut fine = true;
        for e in watched {
            let before = self.found.len();
            let typed = self.expr(e);
            if self.found.len() > before {
                fine = false;
            } else if let Some((cell, path)) = self.path_in_cell(typed.id) {
                let path = path.into_iter().map(ReadStep::Field).collect();
                let read = PlanRead { cell, path, extent: Extent::Whole };
                if !reads.contains(&read) {
                    reads.push(read);
                }
            } else {
                fine = false;
                let written = self.source(e.span);
                self.report(NotWatchable { written: Some(written) }, e.span);
            }
        }
        if watched.is_empty() {
            let end = span.start + "upon change".len() as u32;
            self.report(NotWatchable { written: None }, Span { start: span.start, end });
        }
        (fine && !reads.is_empty()).then_some(When::Changed(Reads::Fixed(reads)))
    }

    fn timer(&mut self, period: &ast::Expr, condition: Option<&ast::Expr>) -> When {
        if let ExprKind::Number(n) = period.kind
            && (n < 1.0 || n.is_nan())
        {
            self.report(BadTimer { written: self.source(period.span) }, period.span);
        }
        let mut every = self.expr_of(period, &Ty::Number, "for a number of milliseconds").id;
        if let Some(condition) = condition {
            let condition = self.condition(condition);
            let never = self.push(Expr::Null);
            every = self.push(Expr::Choose(condition.id, every, never));
        }
        When::Every(every, Reads::Fixed(Vec::new()))
    }

    /// Arguments that fit the parameters of what is called.
    pub(crate) fn arguments(
        &mut self,
        name: &str,
        at: Span,
        params: &[(String, Ty)],
        args: &[ast::Expr],
    ) -> Option<Vec<u32>> {
        if args.len() != params.len() {
            let signature: Vec<String> =
                params.iter().map(|(n, ty)| format!("{n}: {}", self.type_name(ty))).collect();
            let finding = WrongArguments {
                name: name.into(),
                least: params.len(),
                most: Some(params.len()),
                found: args.len(),
                signature: signature.join(", "),
            };
            self.report(finding, at);
            return None;
        }
        let ids = args.iter().zip(params).map(|(arg, (param, ty))| {
            self.expr_of(arg, ty, &format!("for the parameter `{param}`")).id
        });
        Some(ids.collect())
    }
}
