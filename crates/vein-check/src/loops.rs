//! Loops of statements: what they go over, and where that is written to.

use crate::diagnostics::WrongType;
use crate::diagnostics::cannot_assign::Target;
use crate::scope::{CellRole, Checker, LocalKind, LocalName, Symbol};
use crate::statement::list_edit;
use crate::types::Ty;
use vein_plan::code::{Body, Expr, Function, Place, PlaceStep, Stmt};
use vein_plan::members::Member;
use vein_plan::ops::Binary;
use vein_syntax::Span;
use vein_syntax::ast::{self, ExprKind, Ident, StmtKind};

impl Checker<'_> {
    /// `for (const name of list) …`
    pub(crate) fn each(
        &mut self,
        name: &Ident,
        list: &ast::Expr,
        body: &[ast::Stmt],
        block: &mut Body,
    ) {
        if writes_to(body, &name.name)
            && self.list_source(list).is_ok()
            && let Some((source, members)) =
                chain_of(list).filter(|(_, members)| !members.is_empty())
        {
            return self.each_in_source(name, (source, &members), body, block);
        }
        let (read, ty, place) = self.looped_over(list);
        let item = self.item_of(ty, list.span);
        let (read, place) = self.freeze(read, place, block);
        let index = self.new_local();
        let position = self.push(Expr::Local(index));
        let body = self.round((name, item), (read, position), place, body);
        self.emit(Stmt::For(index, read, body), block);
    }

    /// A loop over what members hand on of a list in state, where statements write to its items: by their positions in
    /// that list, which are found when the loop begins.
    fn each_in_source(
        &mut self,
        name: &Ident,
        (source, members): (&ast::Expr, &[Handed<'_>]),
        body: &[ast::Stmt],
        block: &mut Body,
    ) {
        let (read, ty, place) = self.looped_over(source);
        let item = self.item_of(ty, source.span);
        let (read, place) = self.freeze(read, place, block);
        let all = self.all_positions(read);
        let positions = members
            .iter()
            .fold(all, |positions, member| self.positions_in((read, &item), positions, member));
        let (kept, index, at) = (self.new_local(), self.new_local(), self.new_local());
        self.emit(Stmt::Let(kept, positions), block);
        let (kept, index_read) = (self.push(Expr::Local(kept)), self.push(Expr::Local(index)));
        let one = self.push(Expr::Index(kept, index_read));
        let position = self.push(Expr::Local(at));
        let inner = self.round((name, item), (read, position), place, body);
        // The list may have become shorter.
        let length = self.push(Expr::Call(Member::ListLength, Some(read), Vec::new()));
        let stands = self.push(Expr::Binary(Binary::Less, position, length));
        let begins = self.push_stmt(Stmt::Let(at, one));
        let guarded = self.push_stmt(Stmt::If(stands, inner, Vec::new()));
        self.emit(Stmt::For(index, kept, vec![begins, guarded]), block);
    }

    /// What a loop goes over: the expression that reads it, its type, and where it stands.
    fn looped_over(&mut self, list: &ast::Expr) -> (u32, Ty, Result<Place, Target>) {
        let found = match self.place(list) {
            Some(Ok(found)) => (found.read, found.ty, Ok(found.place)),
            Some(Err(why)) => {
                let typed = self.found_again(|checker| checker.expr(list));
                (typed.id, typed.ty, Err(why))
            }
            None => (self.broken().id, Ty::Error, Err(Target::Other)),
        };
        self.mark_read(list);
        found
    }

    fn item_of(&mut self, list: Ty, at: Span) -> Ty {
        match list {
            Ty::List(item) => *item,
            Ty::Error => Ty::Error,
            other => {
                let (expected, found) = ("a list".into(), self.type_name(&other));
                self.report(WrongType { expected, found, why: String::new(), nearest: None }, at);
                Ty::Error
            }
        }
    }

    /// What a loop does with the item at a position of a list.
    fn round(
        &mut self,
        (name, item): (&Ident, Ty),
        (list, position): (u32, u32),
        place: Result<Place, Target>,
        body: &[ast::Stmt],
    ) -> Body {
        let current = self.push(Expr::Index(list, position));
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
        body
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
        (member, args): &Handed<'_>,
    ) -> u32 {
        let (walk, names, body) = match (*member, args) {
            (
                Member::Filter | Member::ToSorted,
                [ast::Expr { kind: ExprKind::Arrow(names, body), .. }],
            ) => (*member, names, body),
            _ => {
                let args = args.iter();
                let args =
                    args.map(|arg| self.expr_of(arg, &Ty::Number, "for a position").id).collect();
                return self.push(Expr::Call(*member, Some(positions), args));
            }
        };
        let function = self.scoped(|checker| {
            let mut params = Vec::new();
            for name in names {
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
            let body = match walk {
                Member::Filter => checker.condition(body),
                _ => checker.expr_of(body, &Ty::Number, "for what the function gives"),
            };
            Function { params, body: body.id }
        });
        self.push(Expr::Walk(walk, positions, function, None))
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
                    CellRole::Named => Err(Target::Named),
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

/// A member that hands items on, and what it is given.
type Handed<'e> = (Member, &'e [ast::Expr]);

/// The list that a chain of members starts at which hand its items on, and these members in order; `None` where one is
/// called in a way that has no positions: by the name of a function, or to sort items as strings.
fn chain_of(list: &ast::Expr) -> Option<(&ast::Expr, Vec<Handed<'_>>)> {
    let (mut at, mut members) = (list, Vec::new());
    while let ExprKind::Call { callee, args } = &at.kind {
        let ExprKind::Field { of, name, optional: false } = &callee.kind else { return None };
        let takes = |most: usize| match args.as_slice() {
            [ast::Expr { kind: ExprKind::Arrow(names, _), .. }] => names.len() <= most,
            _ => false,
        };
        let member = match name.name.as_str() {
            "filter" if takes(1) => Member::Filter,
            "toSorted" if takes(2) => Member::ToSorted,
            "slice" if args.len() <= 2 => Member::ListSlice,
            "toReversed" if args.is_empty() => Member::ToReversed,
            _ => return None,
        };
        members.push((member, args.as_slice()));
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
        StmtKind::Assign { target, .. } | StmtKind::Fill(target, _) | StmtKind::Delete(target) => {
            root(target) == Some(name)
        }
        StmtKind::If(_, then, otherwise) => writes_to(then, name) || writes_to(otherwise, name),
        StmtKind::Try(tried, caught, last) => {
            let caught = caught.iter().any(|caught| writes_to(&caught.body, name));
            writes_to(tried, name) || caught || writes_to(last, name)
        }
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
