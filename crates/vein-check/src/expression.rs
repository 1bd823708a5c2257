//! Expressions: names resolved, types worked out, and the compiled form built on the way.

use crate::diagnostics::{
    AwaitMisplaced, ConditionSettled, MayBeNull, MissingField, NotUsableHere, UnknownField,
    UnknownName, WrongType,
};
use crate::narrow::{Fact, facts, path_of};
use crate::scope::{CellRole, Checker, Links, LocalKind, LocalName, Symbol, Typed};
use crate::types::Ty;
use vein_plan::code::{Expr, Field, Item, Piece};
use vein_plan::members::Member;
use vein_plan::nearest;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_syntax::Span;
use vein_syntax::ast::{self, ExprKind, Ident, Pattern, RecordItem, TemplatePiece};

impl Typed {
    /// The type of what stays of the first side, where the second does not take its place.
    pub(crate) fn what_stays(&self, op: Logical) -> Ty {
        match op {
            // A falsy boolean, number or string stays what it is; a falsy list is `null`.
            Logical::And => match self.ty.without_null() {
                ty if ty.is_compound() => Ty::Null,
                _ => self.ty.clone(),
            },
            Logical::Or | Logical::Coalesce => self.ty.without_null(),
        }
    }
}

/// What is known where the second side is worked out.
pub(crate) fn left_facts(op: Logical, a: &ast::Expr) -> Vec<Fact> {
    match op {
        Logical::And => facts(a, true),
        Logical::Or => facts(a, false),
        Logical::Coalesce => Vec::new(),
    }
}

impl Checker<'_> {
    /// An expression whose value must fit a type; `why` says for what.
    pub(crate) fn expr_of(&mut self, e: &ast::Expr, want: &Ty, why: &str) -> Typed {
        let typed = self.expr_wanted(e, Some(want));
        self.require(&typed.ty, want, e.span, why);
        typed
    }

    pub(crate) fn require(&mut self, found: &Ty, want: &Ty, span: Span, why: &str) -> bool {
        if self.fits(found, want) {
            return true;
        }
        if found.may_be_null() && self.fits(&found.without_null(), want) {
            let (what, ty) = (self.source(span), self.type_name(found));
            self.report(MayBeNull { what, ty, dot: None }, span);
            return false;
        }
        let near = match (found, want.without_null()) {
            (Ty::Literals(words), Ty::Literals(all)) if words.len() == 1 => {
                nearest(&words[0], all.iter().map(String::as_str)).map(|word| format!("'{word}'"))
            }
            _ => None,
        };
        let finding = WrongType {
            expected: format!("`{}`", self.type_name(want)),
            found: self.type_name(found),
            why: why.into(),
            nearest: near,
        };
        self.report(finding, span);
        false
    }

    pub(crate) fn wrong(&mut self, expected: &str, found: &Ty, span: Span) {
        let found = self.type_name(found);
        let finding =
            WrongType { expected: expected.into(), found, why: String::new(), nearest: None };
        self.report(finding, span);
    }

    /// An expression.
    pub(crate) fn expr(&mut self, e: &ast::Expr) -> Typed {
        self.expr_wanted(e, None)
    }

    /// An expression; what is wanted of it helps with literals.
    pub(crate) fn expr_wanted(&mut self, e: &ast::Expr, want: Option<&Ty>) -> Typed {
        match &e.kind {
            ExprKind::Null => self.typed(Expr::Null, Ty::Null),
            ExprKind::Boolean(b) => self.typed(Expr::Boolean(*b), Ty::Boolean),
            ExprKind::Number(n) => self.typed(Expr::Number(*n), Ty::Number),
            ExprKind::String(s) => {
                self.typed(Expr::String(s.clone()), Ty::Literals(vec![s.to_string()]))
            }
            ExprKind::Pattern(..) => {
                let advice = "it stands where it is used: `/…/.test(text)`, `text.match(/…/)`, `replace`, `search`, `split`";
                let name = self.source(e.span);
                self.not_usable(name, "a regular expression", advice, e.span)
            }
            ExprKind::Template(pieces) => self.template(pieces),
            ExprKind::Name(name) => self.name(name, e.span),
            ExprKind::Chain(inner) => self.chain(inner),
            ExprKind::Field { .. } | ExprKind::Index { .. } | ExprKind::Call { .. } => {
                self.link(e, &mut Vec::new())
            }
            ExprKind::Unary(op, of) => self.unary(*op, of),
            ExprKind::Binary { op, left, right, .. } => self.binary(*op, left, right, e.span),
            ExprKind::Logical(op, a, b) => self.logical(*op, a, b, want),
            ExprKind::Choose(test, then, otherwise) => self.choose(test, then, otherwise, want),
            ExprKind::In(key, of) => self.has_key(key, of),
            ExprKind::List(items) => self.list(items, want),
            ExprKind::Record(items) => self.record(items, want, e.span),
            ExprKind::Arrow(..) => {
                let name = self.source(e.span);
                let advice = "functions are given to members such as `filter` and `map`";
                self.not_usable(name, "a function", advice, e.span)
            }
            ExprKind::Unpack(of, pattern, body) => {
                let (at, of) = (of.span, self.name(&of.name, of.span));
                self.scoped(|checker| {
                    checker.unpack(of, pattern, at);
                    checker.expr_wanted(body, want)
                })
            }
            ExprKind::Await(_) => {
                let word = Span { start: e.span.start, end: e.span.start + "await".len() as u32 };
                self.report(AwaitMisplaced, word);
                self.broken()
            }
            ExprKind::Is(of, word) => self.is_status(of, word),
            ExprKind::Error => self.broken(),
        }
    }

    /// Names for parts of a value.
    pub(crate) fn unpack(&mut self, of: Typed, pattern: &Pattern, at: Span) {
        let Some(first) = pattern.names().next() else { return };
        if of.ty.may_be_null() {
            let (what, ty) = (self.source(at), self.type_name(&of.ty));
            self.report(MayBeNull { what, ty, dot: None }, at);
            // Nothing more can be said of what is in it.
            for name in pattern.names() {
                let part = self.broken();
                self.name_part(name, part);
            }
            return;
        }
        match pattern {
            Pattern::Fields(fields) => {
                for (field, name) in fields {
                    let part = self.field(of.clone(), field);
                    self.name_part(name, part);
                }
            }
            Pattern::Items(items, rest) => {
                let item = match &of.ty {
                    Ty::List(item) => Ty::optional((**item).clone()),
                    Ty::Entry(value) if items.len() <= 2 && rest.is_none() => (**value).clone(),
                    Ty::Error => Ty::Error,
                    other => {
                        let expected = match other {
                            Ty::Entry(_) => "two names, of the key and of what stands there",
                            _ => "a list",
                        };
                        self.wrong(expected, other, first.span);
                        Ty::Error
                    }
                };
                for (at, name) in items.iter().enumerate() {
                    let Some(name) = name else { continue };
                    let position = self.push(Expr::Number(at as f64));
                    let part = match (&of.ty, at) {
                        (Ty::Entry(_), 0) => Ty::String,
                        _ => item.clone(),
                    };
                    let part = self.typed(Expr::Index(of.id, position), part);
                    self.name_part(name, part);
                }
                if let Some(name) = rest {
                    let from = self.push(Expr::Number(items.len() as f64));
                    let slice = Expr::Call(Member::ListSlice, Some(of.id), vec![from]);
                    let ty = if item == Ty::Error { Ty::Error } else { of.ty.clone() };
                    let part = self.typed(slice, ty);
                    self.name_part(name, part);
                }
            }
        }
    }

    fn name_part(&mut self, name: &Ident, part: Typed) {
        self.not_taken_here(name);
        let ty = self.not_too_deep(part.ty, name.span);
        self.forget(&name.name);
        self.locals.push(LocalName {
            name: name.name.clone(),
            span: name.span,
            what: LocalKind::Part(part.id, ty),
        });
    }

    pub(crate) fn not_usable(
        &mut self,
        name: String,
        what: &'static str,
        advice: &str,
        span: Span,
    ) -> Typed {
        self.report(NotUsableHere { name, what, advice: advice.into() }, span);
        self.broken()
    }

    fn name(&mut self, name: &str, span: Span) -> Typed {
        if let Some(local) = self.local(name).cloned() {
            return match local.what {
                LocalKind::Value(id, ty) | LocalKind::Variable(id, ty) => {
                    let ty = self.narrowed(Some(name.into()), ty);
                    self.typed(Expr::Local(id), ty)
                }
                LocalKind::Part(id, ty) | LocalKind::Item(id, ty, ..) => {
                    Typed { id, ty: self.narrowed(Some(name.into()), ty) }
                }
                LocalKind::Event | LocalKind::Payload(_) => {
                    let advice = "read one of its fields: `event.value`, `event.key`";
                    self.not_usable(name.into(), "an event", advice, span)
                }
            };
        }
        match self.symbols.get(name) {
            Some(Symbol::Cell(cell)) => {
                let cell = *cell;
                self.cells[cell as usize].read = true;
                let ty = self.type_of_cell(cell, name);
                self.typed(Expr::Cell(cell), ty)
            }
            Some(Symbol::Store(store)) => {
                self.stores[*store as usize].used = true;
                let advice = format!("read one of its values, `{name}.…`, or call a handler");
                self.not_usable(name.into(), "a store", &advice, span)
            }
            Some(Symbol::Asked(asked)) => {
                self.asked[*asked as usize].used = true;
                let advice = format!("call it: `{name}(…)`");
                self.not_usable(name.into(), "a function", &advice, span)
            }
            Some(Symbol::Function(function)) => {
                self.functions[*function as usize].called = true;
                let advice = format!("call it: `{name}(…)`");
                self.not_usable(name.into(), "a function", &advice, span)
            }
            Some(Symbol::Handler(handler)) => {
                self.handlers[*handler as usize].called = true;
                let advice = format!("bind it to an event: `click=\"-> {name}()\"`");
                self.not_usable(name.into(), "a handler", &advice, span)
            }
            Some(Symbol::Broken) => self.broken(),
            None if matches!(
                name,
                "Math" | "Array" | "JSON" | "Local" | "Number" | "Object" | "String" | "Boolean"
            ) =>
            {
                let advice = match name {
                    "Math" => "use one of its members: `Math.round(…)`",
                    "JSON" => "use its member: `JSON.stringify(…)`",
                    "Array" => "use its member: `Array.from({ length: n }, (_, at) => …)`",
                    "Object" => "use one of its members: `Object.keys(…)`",
                    "Local" => "use one of its members: `Local.number(…)`",
                    _ => "call it with a value",
                };
                self.not_usable(name.into(), "a standard name", advice, span)
            }
            None => {
                self.unknown_name(name, span, false);
                self.broken()
            }
        }
    }

    pub(crate) fn unknown_name(&mut self, name: &str, span: Span, called: bool) {
        let store = self.project.store_names.contains_key(name);
        // A store that is not used is told of once.
        if store && self.symbols.insert(name.into(), Symbol::Broken).is_some() {
            return;
        }
        let known = self.known_names();
        let near = nearest(name, known.iter().map(String::as_str)).map(str::to_owned);
        self.report(UnknownName { name: name.into(), nearest: near, called, store }, span);
    }

    fn template(&mut self, pieces: &[TemplatePiece]) -> Typed {
        let pieces = pieces
            .iter()
            .map(|piece| match piece {
                TemplatePiece::Text(text) => Piece::Static(text.clone()),
                TemplatePiece::Expr(e) => Piece::Value(self.shown(e)),
            })
            .collect();
        self.typed(Expr::Concat(pieces), Ty::String)
    }

    /// A chain with `?.`: each one binds what it guards, and the rest is read from that.
    fn chain(&mut self, inner: &ast::Expr) -> Typed {
        let mut links = Vec::new();
        let end = self.link(inner, &mut links);
        let mut id = end.id;
        for (of, local) in links.into_iter().rev() {
            id = self.push(Expr::Unless(of, local, id));
        }
        let ty = match end.ty {
            Ty::Error => Ty::Error,
            ty => Ty::optional(ty),
        };
        Typed { id, ty: self.narrowed(path_of(inner), ty) }
    }

    /// One link of a chain of fields, positions and calls.
    fn link(&mut self, e: &ast::Expr, links: &mut Links) -> Typed {
        match &e.kind {
            ExprKind::Field { of, name, optional } => {
                if let Some(constant) = self.namespace_member(of, name, None) {
                    return constant;
                }
                if let Some(field) = self.event_field(of, name) {
                    return field;
                }
                if let Some(value) = self.store_value(of, name) {
                    return value;
                }
                if let Some(reason) = self.reason(of, name) {
                    return reason;
                }
                let base = self.guarded(of, *optional, Some(name.span), links);
                let field = self.field(base, name);
                Typed { id: field.id, ty: self.narrowed(path_of(e), field.ty) }
            }
            ExprKind::Index { of, index, optional } => {
                let base = self.guarded(of, *optional, None, links);
                self.indexed(base, of, index, path_of(e))
            }
            ExprKind::Call { callee, args } => self.call(callee, args, e.span, links),
            _ => self.expr(e),
        }
    }

    /// What a link hangs on. It must be there, or `?.` must say what happens when it is not.
    pub(crate) fn guarded(
        &mut self,
        of: &ast::Expr,
        optional: bool,
        dot_before: Option<Span>,
        links: &mut Links,
    ) -> Typed {
        let base = self.link(of, links);
        if optional && base.ty != Ty::Error {
            if !base.ty.may_be_null() {
                self.settled(true, format!("`{}` is never `null`", self.source(of.span)), of.span);
                return base;
            }
            let local = self.new_local();
            links.push((base.id, local));
            return self.typed(Expr::Local(local), base.ty.without_null());
        }
        if base.ty.may_be_null() {
            let (what, ty) = (self.source(of.span), self.type_name(&base.ty));
            let dot = dot_before.map(|name| Span { start: of.span.end, end: name.start });
            self.report(MayBeNull { what, ty, dot }, of.span);
            return self.broken();
        }
        base
    }

    fn field(&mut self, base: Typed, name: &Ident) -> Typed {
        if base.ty == Ty::Error || name.name.is_empty() {
            return self.broken();
        }
        if matches!(base.ty, Ty::Dictionary(_)) {
            return self.no_field_of_dictionary(name);
        }
        if let Some(fields) = self.project.shapes.fields(&base.ty) {
            if let Some((_, ty)) = fields.iter().find(|(field, _)| *field == name.name) {
                let ty = ty.clone();
                let number = self.tables.name(&name.name);
                return self.typed(Expr::Field(base.id, number), ty);
            }
            let known: Vec<String> = fields.iter().map(|(field, _)| field.clone()).collect();
            return self.unknown_field(name, &base.ty, known);
        }
        self.property(base, name)
    }

    pub(crate) fn unknown_field(&mut self, name: &Ident, ty: &Ty, known: Vec<String>) -> Typed {
        let near = nearest(&name.name, known.iter().map(String::as_str)).map(str::to_owned);
        let known = if known.len() <= 16 { known } else { Vec::new() };
        let finding =
            UnknownField { name: name.name.clone(), ty: self.type_name(ty), nearest: near, known };
        self.report(finding, name.span);
        self.broken()
    }

    /// A field of the event that a listener is about.
    fn event_field(&mut self, of: &ast::Expr, name: &Ident) -> Option<Typed> {
        let ExprKind::Name(root) = &of.kind else { return None };
        match &self.local(root)?.what {
            LocalKind::Event => {}
            LocalKind::Payload(payload) => {
                let payload = payload.clone();
                return Some(self.payload_field(&payload, name));
            }
            _ => return None,
        }
        let fields = vein_plan::EventField::ALL;
        let Some(field) = fields.iter().find(|field| field.name() == name.name) else {
            let known: Vec<String> = fields.iter().map(|f| f.name().to_owned()).collect();
            let near = nearest(&name.name, known.iter().map(String::as_str)).map(str::to_owned);
            let ty = "event".into();
            self.report(
                UnknownField { name: name.name.clone(), ty, nearest: near, known },
                name.span,
            );
            return Some(self.broken());
        };
        if !self.event_fields.contains(field) {
            self.event_fields.push(*field);
        }
        let ty = match field.ty() {
            vein_plan::Type::Boolean => Ty::Boolean,
            vein_plan::Type::Number => Ty::Number,
            _ => Ty::String,
        };
        let event = self.push(Expr::Local(0));
        let number = self.tables.name(field.name());
        Some(self.typed(Expr::Field(event, number), ty))
    }

    /// A field of the payload of a component's event.
    fn payload_field(&mut self, payload: &[(String, Ty)], name: &Ident) -> Typed {
        let Some((_, ty)) = payload.iter().find(|(field, _)| *field == name.name) else {
            let known: Vec<String> = payload.iter().map(|(field, _)| field.clone()).collect();
            let near = nearest(&name.name, known.iter().map(String::as_str)).map(str::to_owned);
            let (name_text, ty) = (name.name.clone(), "event".into());
            let finding = UnknownField { name: name_text, ty, nearest: near, known };
            self.report(finding, name.span);
            return self.broken();
        };
        let event = self.push(Expr::Local(0));
        let number = self.tables.name(&name.name);
        self.typed(Expr::Field(event, number), ty.clone())
    }

    fn unary(&mut self, op: Unary, of: &ast::Expr) -> Typed {
        if op == Unary::Not {
            let test = self.condition(of);
            return self.typed(Expr::Unary(op, test.id), Ty::Boolean);
        }
        let of = self.expr_of(of, &Ty::Number, "for an operator on numbers");
        self.typed(Expr::Unary(op, of.id), Ty::Number)
    }

    fn binary(&mut self, op: Binary, left: &ast::Expr, right: &ast::Expr, span: Span) -> Typed {
        match op {
            Binary::Add => self.add(left, right),
            Binary::Equal | Binary::NotEqual => self.equality(op, left, right, span),
            Binary::Less | Binary::LessOrEqual | Binary::Greater | Binary::GreaterOrEqual => {
                self.comparison(op, left, right, span)
            }
            _ => {
                let why = "for an operator on numbers";
                let a = self.expr_of(left, &Ty::Number, why);
                let b = self.expr_of(right, &Ty::Number, why);
                self.typed(Expr::Binary(op, a.id, b.id), Ty::Number)
            }
        }
    }

    fn add(&mut self, left: &ast::Expr, right: &ast::Expr) -> Typed {
        let (a, b) = (self.expr(left), self.expr(right));
        let text = a.ty.is_text() || b.ty.is_text();
        for (typed, side) in [(&a, left), (&b, right)] {
            if text {
                self.showable(&typed.ty, side.span);
                if typed.ty.may_be_null() {
                    let (what, ty) = (self.source(side.span), self.type_name(&typed.ty));
                    self.report(MayBeNull { what, ty, dot: None }, side.span);
                }
            } else {
                self.require(&typed.ty, &Ty::Number, side.span, "for `+` on numbers or strings");
            }
        }
        let ty = if text { Ty::String } else { Ty::Number };
        self.typed(Expr::Binary(Binary::Add, a.id, b.id), ty)
    }

    fn equality(&mut self, op: Binary, left: &ast::Expr, right: &ast::Expr, span: Span) -> Typed {
        let (a, b) = (self.expr(left), self.expr(right));
        let unequal = |checker: &mut Self, because: String| {
            checker.settled(op == Binary::NotEqual, because, span);
        };
        let names = [self.type_name(&a.ty), self.type_name(&b.ty)];
        match (&a.ty, &b.ty) {
            (Ty::Null, other) | (other, Ty::Null) if *other != Ty::Error => {
                if !other.may_be_null() {
                    let side = if a.ty == Ty::Null { right } else { left };
                    let because = format!("`{}` is never `null`", self.source(side.span));
                    unequal(self, because);
                }
            }
            (one, other) => match (one.without_null(), other.without_null()) {
                (Ty::Literals(some), Ty::Literals(all))
                    if !some.iter().any(|word| all.contains(word)) =>
                {
                    unequal(
                        self,
                        format!("`{}` and `{}` have no word in common", names[0], names[1]),
                    );
                }
                (one, other) if self.project.shapes.join(&one, &other).is_none() => {
                    let expected = format!("two values of one type, such as `{}`", names[0]);
                    let finding = WrongType {
                        expected,
                        found: names[1].clone(),
                        why: String::new(),
                        nearest: None,
                    };
                    self.report(finding, span);
                }
                _ => {}
            },
        }
        self.typed(Expr::Binary(op, a.id, b.id), Ty::Boolean)
    }

    fn comparison(&mut self, op: Binary, left: &ast::Expr, right: &ast::Expr, span: Span) -> Typed {
        let (a, b) = (self.expr(left), self.expr(right));
        let nullable = [(&a, left), (&b, right)].into_iter().find(|(t, _)| t.ty.may_be_null());
        let broken = a.ty == Ty::Error || b.ty == Ty::Error;
        let both = |fits: fn(&Ty) -> bool| fits(&a.ty) && fits(&b.ty);
        if let Some((typed, side)) = nullable {
            let (what, ty) = (self.source(side.span), self.type_name(&typed.ty));
            self.report(MayBeNull { what, ty, dot: None }, side.span);
        } else if !broken && !both(|ty| *ty == Ty::Number) && !both(Ty::is_text) {
            let found = format!("{}` and `{}", self.type_name(&a.ty), self.type_name(&b.ty));
            let expected = "two numbers or two strings".into();
            self.report(WrongType { expected, found, why: String::new(), nearest: None }, span);
        }
        self.typed(Expr::Binary(op, a.id, b.id), Ty::Boolean)
    }

    fn logical(&mut self, op: Logical, a: &ast::Expr, b: &ast::Expr, want: Option<&Ty>) -> Typed {
        let first = self.expr(a);
        self.first_side(op, &first, a);
        let known = left_facts(op, a);
        let second = self.knowing(known, |checker| checker.expr_wanted(b, want));
        let left = first.what_stays(op);
        let ty = match self.project.shapes.join(&left, &second.ty) {
            Some(ty) => ty,
            // As a test alone, `a && b` may mix types.
            None if op != Logical::Coalesce => Ty::Boolean,
            None => {
                self.require(&second.ty, &left, b.span, "like the value before `??`");
                Ty::Error
            }
        };
        if ty == Ty::Boolean && (first.ty != Ty::Boolean || second.ty != Ty::Boolean) {
            return self.tested(op, first, second);
        }
        self.typed(Expr::Logical(op, first.id, second.id), ty)
    }

    /// Reports a first side that decides nothing.
    pub(crate) fn first_side(&mut self, op: Logical, first: &Typed, e: &ast::Expr) {
        if op != Logical::Coalesce {
            self.can_turn_out(first, e);
        } else if !first.ty.may_be_null() && first.ty != Ty::Error {
            let because = format!("`{}` is never `null`", self.source(e.span));
            self.settled(true, because, e.span);
        }
    }

    /// `a && b` over different types, as the boolean that a test makes of it.
    fn tested(&mut self, op: Logical, a: Typed, b: Typed) -> Typed {
        if a.ty == Ty::Error || b.ty == Ty::Error {
            return self.broken();
        }
        let both = self.push(Expr::Logical(op, a.id, b.id));
        let negated = self.push(Expr::Unary(Unary::Not, both));
        self.typed(Expr::Unary(Unary::Not, negated), Ty::Boolean)
    }

    fn choose(
        &mut self,
        test: &ast::Expr,
        then: &ast::Expr,
        otherwise: &ast::Expr,
        want: Option<&Ty>,
    ) -> Typed {
        let condition = self.condition(test);
        let a = self.knowing(facts(test, true), |checker| checker.expr_wanted(then, want));
        let b = self.knowing(facts(test, false), |checker| checker.expr_wanted(otherwise, want));
        let ty = match self.project.shapes.join(&a.ty, &b.ty) {
            Some(ty) => ty,
            None => {
                self.require(&b.ty, &a.ty, otherwise.span, "like the other outcome");
                Ty::Error
            }
        };
        self.typed(Expr::Choose(condition.id, a.id, b.id), ty)
    }

    /// A condition: anything that can turn out truthy or falsy.
    pub(crate) fn condition(&mut self, e: &ast::Expr) -> Typed {
        let typed = self.expr(e);
        self.can_turn_out(&typed, e);
        typed
    }

    /// Reports a condition that can only turn out one way.
    fn can_turn_out(&mut self, typed: &Typed, e: &ast::Expr) {
        let what = self.source(e.span);
        let settled = match (&e.kind, &typed.ty) {
            (ExprKind::Boolean(b), _) => Some((*b, String::new())),
            (ExprKind::Number(n), _) => Some((*n != 0.0, "a number that never changes".into())),
            (_, Ty::Null) => Some((false, format!("`{what}` is always `null`"))),
            (_, Ty::List(_)) => Some((
                true,
                format!(
                    "`{what}` is a list, which is never falsy; `.length` is 0 when it is empty"
                ),
            )),
            (_, Ty::Dictionary(_)) => Some((
                true,
                format!(
                    "`{what}` is a dictionary, which is never falsy; `Object.keys({what}).length` is 0 when it is empty"
                ),
            )),
            (_, Ty::Record(_) | Ty::Shape(_) | Ty::Entry(_)) => {
                Some((true, format!("`{what}` is a record, which is never falsy")))
            }
            (_, Ty::Literals(words)) if words.iter().all(|word| !word.is_empty()) => {
                Some((true, format!("`{what}` is never empty")))
            }
            _ => None,
        };
        if let Some((outcome, because)) = settled {
            self.settled(outcome, because, e.span);
        }
    }

    fn settled(&mut self, outcome: bool, because: String, span: Span) {
        self.report(ConditionSettled { outcome, because }, span);
    }

    fn list(&mut self, items: &[(ast::Expr, bool)], want: Option<&Ty>) -> Typed {
        let wanted_item = match want.map(Ty::without_null) {
            Some(Ty::List(item)) => Some(*item),
            _ => None,
        };
        let mut ty = Ty::Never;
        let mut parts = Vec::new();
        for (e, spread) in items {
            let item = if *spread {
                let typed = self.expr_wanted(e, want);
                parts.push(Item::Spread(typed.id));
                match typed.ty {
                    Ty::List(item) => *item,
                    Ty::Error => Ty::Error,
                    other => {
                        self.wrong("a list", &other, e.span);
                        Ty::Error
                    }
                }
            } else {
                let typed = self.expr_wanted(e, wanted_item.as_ref());
                parts.push(Item::One(typed.id));
                typed.ty
            };
            let item = if wanted_item.is_some() { item } else { item.widened() };
            ty = match self.project.shapes.join(&ty, &item) {
                Some(joined) => joined,
                None => {
                    self.require(&item, &ty, e.span, "like the items before it");
                    Ty::Error
                }
            };
        }
        self.typed(Expr::List(parts), Ty::list(ty))
    }

    fn record(&mut self, items: &[RecordItem], want: Option<&Ty>, span: Span) -> Typed {
        let want = want.map(Ty::without_null);
        let has_keys = items.iter().any(|item| matches!(item, RecordItem::Key(..)));
        match &want {
            Some(Ty::Dictionary(value)) => return self.dictionary(items, Some(value)),
            None if has_keys => return self.dictionary(items, None),
            _ => {}
        }
        let wanted: Option<Vec<(String, Ty)>> =
            want.as_ref().and_then(|ty| self.project.shapes.fields(ty)).map(<[_]>::to_vec);
        let mut fields: Vec<(String, Ty)> = Vec::new();
        let mut parts = Vec::new();
        let mut broken = false;
        for item in items {
            match item {
                RecordItem::Field(name, value) => {
                    let wanted_field = wanted.as_ref().map(|wanted| {
                        (wanted, wanted.iter().find(|(n, _)| *n == name.name).map(|(_, ty)| ty))
                    });
                    if let (Some((wanted, None)), Some(ty)) = (wanted_field, &want) {
                        let known = wanted.iter().map(|(n, _)| n.clone()).collect();
                        self.unknown_field(name, ty, known);
                        broken = true;
                        continue;
                    }
                    let ty = wanted_field.and_then(|(_, ty)| ty);
                    let typed = match ty {
                        Some(ty) => {
                            let why = format!("for the field `{}`", name.name);
                            let before = self.found.len();
                            let mut typed = self.expr_of(value, ty, &why);
                            if self.found.len() == before {
                                typed.ty = ty.clone();
                            } else {
                                typed.ty = Ty::Error;
                            }
                            typed
                        }
                        None => {
                            let typed = self.expr(value);
                            Typed { id: typed.id, ty: typed.ty.widened() }
                        }
                    };
                    parts.push(Field::One(self.tables.name(&name.name), typed.id));
                    set(&mut fields, &name.name, typed.ty);
                }
                RecordItem::Key(key, value) => {
                    self.key(key);
                    self.expr(value);
                    let (name, advice) = (self.source(key.span), "write the names of the fields");
                    self.not_usable(name, "a key where a record is wanted", advice, key.span);
                    broken = true;
                }
                RecordItem::Spread(value) => {
                    let typed = self.expr(value);
                    match self.project.shapes.fields(&typed.ty) {
                        Some(spread) => {
                            for (name, ty) in spread.iter().cloned() {
                                set(&mut fields, &name, ty);
                            }
                        }
                        None if typed.ty == Ty::Error => broken = true,
                        None => {
                            let ty = typed.ty.clone();
                            self.wrong("a record", &ty, value.span);
                            broken = true;
                        }
                    }
                    parts.push(Field::Spread(typed.id));
                }
            }
        }
        if broken {
            return self.broken();
        }
        let ty = match (want, wanted) {
            (Some(want), Some(wanted)) => {
                self.fill(&wanted, &mut fields, &mut parts, &want, span);
                if self.fits(&Ty::Record(fields.clone()), &want) {
                    want
                } else {
                    Ty::Record(fields)
                }
            }
            _ => Ty::Record(fields),
        };
        self.typed(Expr::Record(parts), ty)
    }

    /// Nullable fields may be left out; others that are missing are reported.
    fn fill(
        &mut self,
        wanted: &[(String, Ty)],
        fields: &mut Vec<(String, Ty)>,
        parts: &mut Vec<Field>,
        ty: &Ty,
        span: Span,
    ) {
        let mut missing = Vec::new();
        for (name, wanted) in wanted {
            if fields.iter().any(|(field, _)| field == name) {
                continue;
            }
            if wanted.may_be_null() {
                let null = self.push(Expr::Null);
                parts.push(Field::One(self.tables.name(name), null));
            } else {
                missing.push(name.clone());
            }
            fields.push((name.clone(), wanted.clone()));
        }
        if !missing.is_empty() {
            let ty = self.type_name(ty);
            self.report(MissingField { ty, missing }, span);
        }
    }

    /// The role of the cell that a name stands for.
    pub(crate) fn role(&self, name: &str) -> Option<CellRole> {
        match self.symbols.get(name) {
            Some(Symbol::Cell(cell)) => Some(self.cells[*cell as usize].role),
            _ => None,
        }
    }
}

/// Sets a field in place, as a later field of the same name replaces an earlier one.
fn set(fields: &mut Vec<(String, Ty)>, name: &str, ty: Ty) {
    match fields.iter_mut().find(|(field, _)| field == name) {
        Some((_, slot)) => *slot = ty,
        None => fields.push((name.into(), ty)),
    }
}
