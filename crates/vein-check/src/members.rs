//! Members and calls in expressions: the standard's strings, numbers, arrays, `Math` and `JSON`.

use crate::diagnostics::too_deep::DEEPEST_TYPE;
use crate::diagnostics::{BadPattern, NoEffect, TooDeep, UnknownField, WrongArguments, WrongType};
use crate::scope::{Checker, Links, LocalKind, LocalName, Purpose, Symbol, Typed};
use crate::types::Ty;
use vein_plan::code::{Expr, Function, LocalId};
use vein_plan::members::{MEMBERS, Member, MemberInfo, Param, Receiver, Returns, find};
use vein_plan::nearest;
use vein_plan::pattern::{Mistake, Pattern};
use vein_syntax::Span;
use vein_syntax::ast::{self, ExprKind, Ident};

/// Methods that change a list in place.
pub(crate) const LIST_EDITS: &[&str] =
    &["push", "pop", "shift", "unshift", "splice", "sort", "reverse"];

/// A function given as an argument, compiled.
pub(crate) struct Given {
    pub(crate) function: Function,
    pub(crate) ty: Ty,
}

impl Checker<'_> {
    /// What a member is called on, for a type.
    fn receiver(ty: &Ty) -> Option<Receiver> {
        match ty {
            Ty::String | Ty::Literals(_) => Some(Receiver::String),
            Ty::Number => Some(Receiver::Number),
            Ty::List(_) => Some(Receiver::List),
            _ => None,
        }
    }

    fn unknown_member(&mut self, name: &Ident, on: Receiver, ty: String) -> Typed {
        let known: Vec<&str> =
            MEMBERS.iter().filter(|info| info.on == on).map(|info| info.name).collect();
        let near = nearest(&name.name, known.iter().copied()).map(str::to_owned);
        let known = known.into_iter().map(str::to_owned).collect();
        self.report(UnknownField { name: name.name.clone(), ty, nearest: near, known }, name.span);
        self.broken()
    }

    /// A member that the standard does not have, or that changes a list where it is read.
    fn no_member(&mut self, ty: &Ty, on: Receiver, name: &Ident) -> Typed {
        if on == Receiver::List && LIST_EDITS.contains(&name.name.as_str()) {
            self.report(NoEffect::EditAsValue { method: name.name.clone() }, name.span);
            return self.broken();
        }
        let ty = self.type_name(ty);
        self.unknown_member(name, on, ty)
    }

    /// A member that is read: `length`.
    pub(crate) fn property(&mut self, base: Typed, name: &Ident) -> Typed {
        let Some(on) = Self::receiver(&base.ty) else {
            return self.unknown_field(name, &base.ty, Vec::new());
        };
        match find(on, &name.name) {
            Some(info) if info.property => {
                self.typed(Expr::Call(info.member, Some(base.id), Vec::new()), Ty::Number)
            }
            Some(info) => {
                let advice = format!("call it: `.{}({})`", info.name, signature(info));
                self.not_usable(name.name.clone(), "a method", &advice, name.span)
            }
            None => self.no_member(&base.ty, on, name),
        }
    }

    /// `Math.PI`, `Math.round(…)`, `JSON.stringify(…)`; `None` when this is something else.
    pub(crate) fn namespace_member(
        &mut self,
        of: &ast::Expr,
        name: &Ident,
        args: Option<(&[ast::Expr], Span)>,
    ) -> Option<Typed> {
        let ExprKind::Name(root) = &of.kind else { return None };
        if root == "Array" && self.local(root).is_none() && !self.symbols.contains_key(root) {
            return Some(self.list_from(name, args));
        }
        if root == "Object" && self.local(root).is_none() && !self.symbols.contains_key(root) {
            return Some(self.of_object(name, args));
        }
        let on = match root.as_str() {
            "Date" => Receiver::Date,
            "Math" => Receiver::Math,
            "JSON" => Receiver::Json,
            "Local" => Receiver::Local,
            "Number" => Receiver::Numbers,
            _ => return None,
        };
        if self.local(root).is_some() || self.symbols.contains_key(root) {
            return None;
        }
        let Some(info) = find(on, &name.name) else {
            return Some(self.unknown_member(name, on, root.clone()));
        };
        if info.member.is_of_the_moment()
            && let Some(refused) = self.not_at_a_moment(info, of.span.to(name.span))
        {
            return Some(refused);
        }
        Some(match (args, info.property) {
            (None, true) => self.typed(Expr::Call(info.member, None, Vec::new()), Ty::Number),
            (Some((args, span)), false) => self.standard(info, None, args, span),
            (None, false) => {
                let advice = format!("call it: `{root}.{}({})`", info.name, signature(info));
                self.not_usable(name.name.clone(), "a function", &advice, name.span)
            }
            (Some(_), true) => {
                let advice = format!("read it: `{root}.{}`", info.name);
                self.not_usable(name.name.clone(), "a constant", &advice, name.span)
            }
        })
    }

    /// Refuses what gives something else each time where nobody knows when, or how often, it is worked out.
    fn not_at_a_moment(&mut self, info: &MemberInfo, at: Span) -> Option<Typed> {
        let (what, state, example) = match info.member {
            Member::Now => ("the time", "moment", "Date.now()"),
            _ => ("chance", "pick", "Math.random()"),
        };
        let advice = match self.purpose {
            Purpose::Done => return None,
            Purpose::Shown => format!(
                "what is shown follows state, so have a handler write it there: `holds {state} = 0` and `upon added {{ {state} = \
                 {example} }}`, or `upon every (1000) {{ … }}`"
            ),
            Purpose::Function => format!(
                "a function gives the same for the same: take it as an argument, `({state}: number)`, and give it `{example}`"
            ),
            Purpose::Found | Purpose::Apart => {
                format!(
                    "it is looked at more than once: work it out before, `const {state} = {example}`"
                )
            }
        };
        Some(self.not_usable(example.into(), what, &advice, at))
    }

    /// `Object.keys(dictionary)` and its like, `Object.groupBy(list, item => key)`
    fn of_object(&mut self, name: &Ident, args: Option<(&[ast::Expr], Span)>) -> Typed {
        const KNOWN: [&str; 4] = ["keys", "values", "entries", "groupBy"];
        let found = find(Receiver::Dictionary, &name.name).or_else(|| {
            let groups = name.name == "groupBy";
            groups.then(|| Member::GroupBy.info())
        });
        let Some(info) = found else {
            let near = nearest(&name.name, KNOWN).map(str::to_owned);
            let (known, ty) = (KNOWN.map(str::to_owned).to_vec(), "Object".to_owned());
            let name_text = name.name.clone();
            self.report(UnknownField { name: name_text, ty, nearest: near, known }, name.span);
            return self.broken();
        };
        let takes = match info.member {
            Member::GroupBy => "list, item => key",
            _ => "dictionary",
        };
        let Some((args, span)) = args else {
            let advice = format!("call it: `Object.{}({takes})`", info.name);
            return self.not_usable(name.name.clone(), "a function", &advice, name.span);
        };
        let wanted = info.required + 1;
        if args.len() != wanted {
            let (name_text, signature) = (name.name.clone(), takes.to_owned());
            let finding = WrongArguments {
                name: name_text,
                least: wanted,
                most: Some(wanted),
                found: args.len(),
                signature,
            };
            self.report(finding, name.span);
            return self.broken();
        }
        let of = self.expr(&args[0]);
        let fits = match info.member {
            Member::GroupBy => matches!(of.ty, Ty::List(_)),
            _ => matches!(of.ty, Ty::Dictionary(_)),
        };
        if !fits && of.ty != Ty::Error {
            let expected = match (info.member, &of.ty) {
                (Member::GroupBy, _) => "a list".into(),
                (_, Ty::Record(_) | Ty::Shape(_)) => {
                    "a dictionary (the fields of a record are known as they are written)".into()
                }
                _ => "a dictionary".to_owned(),
            };
            let found = self.type_name(&of.ty);
            let finding = WrongType { expected, found, why: why(info), nearest: None };
            self.report(finding, args[0].span);
        }
        if !fits {
            return self.broken();
        }
        self.standard(info, Some(of), &args[1..], span)
    }

    /// `Array.from({ length: n }, (_, at) => …)`, `Array.from(list, item => …)`
    fn list_from(&mut self, name: &Ident, args: Option<(&[ast::Expr], Span)>) -> Typed {
        let Some((args, span)) = args.filter(|_| name.name == "from") else {
            let (known, ty) = (vec!["from".to_owned()], "Array".to_owned());
            let near = nearest(&name.name, ["from"]).map(str::to_owned);
            self.report(
                UnknownField { name: name.name.clone(), ty, nearest: near, known },
                name.span,
            );
            return self.broken();
        };
        let signature = "{ length: n }, (_, at) => …";
        if args.is_empty() || args.len() > 2 {
            let (least, most, found) = (1, Some(2), args.len());
            let finding = WrongArguments {
                name: "from".into(),
                least,
                most,
                found,
                signature: signature.into(),
            };
            self.report(finding, name.span);
            return self.broken();
        }
        let list = match &args[0].kind {
            ExprKind::Record(items) => match items.as_slice() {
                [ast::RecordItem::Field(field, length)] if field.name == "length" => {
                    let length = self.expr_of(length, &Ty::Number, "for `length`");
                    let list = Expr::Call(Member::OfLength, None, vec![length.id]);
                    self.typed(list, Ty::list(Ty::Null))
                }
                _ => self.expr(&args[0]),
            },
            _ => self.expr(&args[0]),
        };
        let item = match &list.ty {
            Ty::List(item) => (**item).clone(),
            Ty::Error => return self.broken(),
            other => {
                let found = self.type_name(other);
                let expected = "`{ length: n }` or a list".into();
                let why = "for `from`".into();
                self.report(WrongType { expected, found, why, nearest: None }, args[0].span);
                return self.broken();
            }
        };
        let Some(function) = args.get(1) else { return Typed { id: list.id, ty: list.ty } };
        let Some(map) = find(Receiver::List, "map") else { return self.broken() };
        match self.function(function, &[item, Ty::Number], map, None) {
            Some(given) => {
                let ty = Ty::list(given.ty.widened());
                let ty = self.not_too_deep(ty, span);
                self.typed(Expr::Walk(Member::Map, list.id, given.function, None), ty)
            }
            None => self.broken(),
        }
    }

    /// A call in an expression.
    pub(crate) fn call(
        &mut self,
        callee: &ast::Expr,
        args: &[ast::Expr],
        span: Span,
        links: &mut Links,
    ) -> Typed {
        match &callee.kind {
            ExprKind::Field { of, name, optional: false }
                if matches!(of.kind, ExprKind::Pattern(..)) =>
            {
                self.test_pattern(of, name, args)
            }
            ExprKind::Field { of, name, optional } => {
                if let Some(result) = self.namespace_member(of, name, Some((args, span))) {
                    return result;
                }
                if let Some(store) = self.store_named(of) {
                    if let Some(function) = self.store_function(store, name) {
                        return self.apply(function, name.span, args);
                    }
                    if self.store_handler(store, name).is_some() {
                        let advice = "a handler changes state and gives no value: call it from an \
                                      event or a handler";
                        let name = name.name.clone();
                        self.not_usable(name, "a store's handler", advice, span);
                    }
                    return self.broken();
                }
                let base = self.guarded(of, *optional, Some(name.span), links);
                self.method(base, name, args, span)
            }
            ExprKind::Name(name) => self.global(name, callee.span, args, span),
            ExprKind::Error => self.broken(),
            _ => {
                let name = self.source(callee.span);
                self.not_usable(
                    name,
                    "a value",
                    "only members and declared names are called",
                    callee.span,
                )
            }
        }
    }

    /// `/…/.test(text)`
    fn test_pattern(&mut self, of: &ast::Expr, name: &Ident, args: &[ast::Expr]) -> Typed {
        if name.name != "test" {
            let (known, ty) = (vec!["test".to_owned()], "regular expression".to_owned());
            let near = nearest(&name.name, ["test"]).map(str::to_owned);
            let name_text = name.name.clone();
            self.report(UnknownField { name: name_text, ty, nearest: near, known }, name.span);
            return self.broken();
        }
        let [text] = args else {
            let (name_text, signature) = ("test".to_owned(), "text".to_owned());
            let (least, most, found) = (1, Some(1), args.len());
            let finding = WrongArguments { name: name_text, least, most, found, signature };
            self.report(finding, name.span);
            return self.broken();
        };
        let text = self.expr_of(text, &Ty::String, "for `test`");
        match self.pattern(of, None) {
            Some((args, ..)) => {
                self.typed(Expr::Call(Member::PatternTest, Some(text.id), args), Ty::Boolean)
            }
            None => self.broken(),
        }
    }

    /// The source and the flags of a regular expression, whether it is for all, and how many groups it has. Reports what is
    /// wrong with it; `all` says whether it has to be for all.
    fn pattern(&mut self, e: &ast::Expr, all: Option<bool>) -> Option<(Vec<u32>, bool, usize)> {
        let ExprKind::Pattern(source, flags) = &e.kind else { return None };
        if let Err(flag) = Pattern::known_flags(flags) {
            let (problem, instead) = match flag {
                'm' => (
                    "lines are not told apart in it".to_owned(),
                    r"take the text apart before: `text.split('\n')`".to_owned(),
                ),
                flag => (
                    format!("`{flag}` is no flag of it, or stands there twice"),
                    "the flags are `g`, `i` and `s`; `u` is meant anyway".to_owned(),
                ),
            };
            self.report(BadPattern { problem, instead }, e.span);
            return None;
        }
        let is_for_all = flags.contains('g');
        if all.is_some_and(|all| all && !is_for_all) {
            let problem = "`replaceAll` is for all of them".to_owned();
            self.report(
                BadPattern { problem, instead: format!("write `/{source}/{flags}g`") },
                e.span,
            );
            return None;
        }
        match Pattern::new(source, flags) {
            Ok(pattern) => {
                let flags: String = flags.chars().filter(|flag| *flag != 'g').collect();
                let args = [source.as_str(), &flags];
                let args = args.map(|arg| self.push(Expr::String(arg.into()))).to_vec();
                Some((args, is_for_all, pattern.groups()))
            }
            Err(mistake) => {
                let at = e.span.start + 1 + mistake.at as u32;
                let len = source[mistake.at..].chars().next().map_or(1, char::len_utf8) as u32;
                let span = Span { start: at, end: at + len };
                let Mistake { problem, instead, .. } = mistake;
                self.report(BadPattern { problem, instead }, span);
                None
            }
        }
    }

    /// A member of a text that is given a regular expression.
    fn with_pattern(&mut self, base: Typed, name: &Ident, args: &[ast::Expr]) -> Typed {
        let known: &[(&str, usize, &str)] = &[
            ("match", 1, "/…/"),
            ("search", 1, "/…/"),
            ("replace", 2, "/…/, text"),
            ("replaceAll", 2, "/…/g, text"),
            ("split", 2, "/…/, number?"),
        ];
        let Some((member, most, signature)) = known.iter().find(|(known, ..)| *known == name.name)
        else {
            self.report(
                UnknownField {
                    name: name.name.clone(),
                    ty: "string".into(),
                    nearest: None,
                    known: known.iter().map(|(known, ..)| (*known).to_owned()).collect(),
                },
                name.span,
            );
            return self.broken();
        };
        let least = if *member == "split" { 1 } else { *most };
        if args.len() < least || args.len() > *most {
            let finding = WrongArguments {
                name: name.name.clone(),
                least,
                most: Some(*most),
                found: args.len(),
                signature: (*signature).into(),
            };
            self.report(finding, name.span);
            return self.broken();
        }
        let pattern = self.pattern(&args[0], (*member == "replaceAll").then_some(true));
        let want = if *member == "split" { Ty::Number } else { Ty::String };
        let why = format!("for `{member}`");
        let more = args.get(1).map(|arg| self.expr_of(arg, &want, &why).id);
        let Some((mut given, all, groups)) = pattern else { return self.broken() };
        given.extend(more);
        let texts = || Ty::list(Ty::String);
        let (member, ty) = match (*member, all) {
            ("match", true) => (Member::PatternAll, Ty::optional(texts())),
            ("match", false) => {
                let found = Ty::list(Ty::optional(Ty::String));
                (Member::PatternFirst, Ty::optional(found))
            }
            ("search", _) => (Member::PatternSearch, Ty::Number),
            ("split", _) if groups > 0 => {
                (Member::PatternSplit, Ty::list(Ty::optional(Ty::String)))
            }
            ("split", _) => (Member::PatternSplit, texts()),
            (_, true) => (Member::PatternReplaceAll, Ty::String),
            (_, false) => (Member::PatternReplace, Ty::String),
        };
        self.typed(Expr::Call(member, Some(base.id), given), ty)
    }

    fn method(&mut self, base: Typed, name: &Ident, args: &[ast::Expr], span: Span) -> Typed {
        if base.ty == Ty::Error || name.name.is_empty() {
            return self.broken();
        }
        if base.ty.is_text() {
            if matches!(args.first().map(|arg| &arg.kind), Some(ExprKind::Pattern(..))) {
                return self.with_pattern(base, name, args);
            }
            if matches!(name.name.as_str(), "match" | "search" | "replace" | "matchAll") {
                let advice = match name.name.as_str() {
                    "replace" => {
                        "`replaceAll(text, other)` takes a text; `replace` a regular expression as it is written: `replace(/…/, other)`"
                    }
                    "matchAll" => "write `match(/…/g)`",
                    _ => {
                        "it takes a regular expression as it is written: `match(/…/)`, `search(/…/)`"
                    }
                };
                return self.not_usable(
                    name.name.clone(),
                    "for regular expressions",
                    advice,
                    name.span,
                );
            }
        }
        if matches!(base.ty, Ty::Dictionary(_)) {
            return self.no_field_of_dictionary(name);
        }
        let Some(on) = Self::receiver(&base.ty) else {
            let known = self.project.shapes.fields(&base.ty).unwrap_or(&[]);
            let known: Vec<String> = known.iter().map(|(field, _)| field.clone()).collect();
            if known.contains(&name.name) {
                return self.not_usable(
                    name.name.clone(),
                    "a field",
                    "read it without `()`",
                    name.span,
                );
            }
            return self.unknown_field(name, &base.ty, known);
        };
        match find(on, &name.name) {
            Some(info) if info.property => {
                let advice = format!("read it: `.{}`", info.name);
                self.not_usable(name.name.clone(), "a property", &advice, name.span)
            }
            // Items are told apart in the same way wherever the page is shown.
            Some(info)
                if info.member == Member::LocaleCompare && self.purpose == Purpose::Apart =>
            {
                let advice =
                    "items are told apart in the same way in each language: by a field as it is";
                self.not_usable(name.name.clone(), "an order for people", advice, name.span)
            }
            Some(info) => self.standard(info, Some(base), args, span),
            None => self.no_member(&base.ty, on, name),
        }
    }

    fn global(&mut self, name: &str, at: Span, args: &[ast::Expr], span: Span) -> Typed {
        if self.local(name).is_none() && !self.symbols.contains_key(name) {
            if let Some(info) = find(Receiver::Global, name) {
                return self.standard(info, None, args, span);
            }
            self.unknown_name(name, at, true);
            return self.broken();
        }
        match self.symbols.get(name) {
            Some(Symbol::Handler(handler)) if self.local(name).is_none() => {
                self.handlers[*handler as usize].called = true;
                let advice = "a handler changes state and gives no value: call it from an event";
                self.not_usable(name.into(), "a handler", advice, at)
            }
            Some(Symbol::Broken) => self.broken(),
            Some(Symbol::Function(function)) if self.local(name).is_none() => {
                let function = *function;
                self.apply(function, at, args)
            }
            Some(Symbol::Asked(_)) if self.local(name).is_none() => {
                let callee = ast::Expr { kind: ExprKind::Name(name.into()), span: at };
                self.ask(&callee, args)
            }
            _ => {
                if let Some(Symbol::Cell(cell)) = self.symbols.get(name) {
                    self.cells[*cell as usize].read = true;
                }
                self.not_usable(name.into(), "a value", "read it without `()`", at)
            }
        }
    }

    /// A call of a standard member.
    fn standard(
        &mut self,
        info: &'static MemberInfo,
        base: Option<Typed>,
        args: &[ast::Expr],
        span: Span,
    ) -> Typed {
        let most = if info.rest { None } else { Some(info.params.len()) };
        if args.len() < info.required || most.is_some_and(|most| args.len() > most) {
            let finding = WrongArguments {
                name: info.name.into(),
                least: info.required,
                most,
                found: args.len(),
                signature: signature(info),
            };
            let at = self.call_name(span, info.name).unwrap_or(span);
            self.report(finding, at);
            return self.broken();
        }
        let item = match base.as_ref().map(|base| &base.ty) {
            Some(Ty::List(item)) => (**item).clone(),
            _ => Ty::Error,
        };
        let list = base.as_ref().map_or(Ty::Error, |base| base.ty.clone());
        let value = match &list {
            Ty::Dictionary(value) => (**value).clone(),
            _ => Ty::Error,
        };
        let mut ids = Vec::new();
        let mut given: Option<Given> = None;
        let mut first: Option<Typed> = None;
        // The start of a reduction tells what its function takes.
        let initial = match info.member {
            Member::Reduce => {
                let typed = self.expr(&args[1]);
                Some(Typed { id: typed.id, ty: typed.ty.widened() })
            }
            _ => None,
        };
        for (i, arg) in args.iter().enumerate() {
            let param = info.params[i.min(info.params.len() - 1)];
            let position = Ty::Number;
            match param {
                Param::Number => ids.push(self.expr_of(arg, &Ty::Number, &why(info)).id),
                Param::String => ids.push(self.expr_of(arg, &Ty::String, &why(info)).id),
                Param::Strings => {
                    ids.push(self.expr_of(arg, &Ty::list(Ty::String), &why(info)).id);
                }
                Param::Item => {
                    let want = Ty::optional(item.clone());
                    let into = matches!(info.member, Member::With | Member::ToSpliced);
                    let want = if into { &item } else { &want };
                    ids.push(self.expr_of(arg, want, &why(info)).id);
                }
                Param::SameList => ids.push(self.expr_of(arg, &list, &why(info)).id),
                Param::Any => {
                    let typed = self.expr(arg);
                    ids.push(typed.id);
                    first = Some(typed);
                }
                Param::Initial => {}
                Param::Predicate | Param::Mapper | Param::ListMapper => {
                    given = self.function(arg, &[item.clone(), position], info, None);
                }
                Param::Comparator => {
                    let params = [item.clone(), item.clone()];
                    given = self.found_again(|checker| {
                        checker.function(arg, &params, info, Some(&Ty::Number))
                    });
                }
                Param::Reducer => {
                    let so_far = initial.as_ref().map_or(Ty::Error, |typed| typed.ty.clone());
                    let params = [so_far.clone(), item.clone(), position];
                    given = self.function(arg, &params, info, Some(&so_far));
                }
            }
        }
        if first.as_ref().is_some_and(|typed| typed.ty == Ty::Error) {
            return self.broken();
        }
        let wants_function = info.member.takes_function() && !args.is_empty();
        let ty = match (info.returns, &given) {
            (_, None) if wants_function => return self.broken(),
            (Returns::String, _) => Ty::String,
            (Returns::MaybeString, _) => Ty::optional(Ty::String),
            (Returns::Strings, _) => Ty::list(Ty::String),
            (Returns::Number, _) => Ty::Number,
            (Returns::MaybeNumber, _) => Ty::optional(Ty::Number),
            (Returns::Flattened, _) => match item {
                Ty::List(_) | Ty::Error | Ty::Never => item,
                other => {
                    let found = format!("{}[]", self.type_name(&other));
                    let expected = "a list of lists".into();
                    let finding = WrongType { expected, found, why: why(info), nearest: None };
                    self.report(finding, span);
                    Ty::Error
                }
            },
            (Returns::Boolean, _) => Ty::Boolean,
            (Returns::SameList, _) => list,
            (Returns::MaybeItem, _) => Ty::optional(item),
            (Returns::Accumulated, _) => initial.as_ref().map_or(Ty::Error, |t| t.ty.clone()),
            (Returns::Mapped, Some(given)) => Ty::list(given.ty.clone().widened()),
            (Returns::FlatMapped, Some(given)) => match &given.ty {
                Ty::List(inner) => Ty::list((**inner).clone()),
                Ty::Error => Ty::Error,
                other => {
                    let found = self.type_name(other);
                    let expected = "a function that gives a list".into();
                    let finding = WrongType { expected, found, why: why(info), nearest: None };
                    self.report(finding, args[0].span);
                    Ty::Error
                }
            },
            (Returns::Groups, Some(given)) => {
                let key = given.ty.clone().widened();
                if !matches!(key, Ty::Number | Ty::String | Ty::Error) {
                    let found = self.type_name(&key);
                    let expected = "a function that gives a text or a number".into();
                    let finding = WrongType { expected, found, why: why(info), nearest: None };
                    self.report(finding, args[0].span);
                    return self.broken();
                }
                Ty::dictionary(list)
            }
            // Those that are given regular expressions are not called in this way.
            (Returns::Found | Returns::FoundAll | Returns::Pieces, _) => Ty::Error,
            (Returns::Values, _) => Ty::list(value),
            (Returns::Entries, _) => Ty::list(Ty::Entry(Box::new(value))),
            (Returns::Mapped | Returns::FlatMapped | Returns::Groups, None) => Ty::Error,
        };
        let receiver = base.map(|base| base.id);
        let expr = match (given, receiver) {
            (Some(given), Some(receiver)) => {
                Expr::Walk(info.member, receiver, given.function, initial.map(|t| t.id))
            }
            _ => Expr::Call(info.member, receiver, ids),
        };
        self.typed(expr, ty)
    }

    /// Where the name of what is called stands inside the span of a call.
    fn call_name(&self, span: Span, name: &str) -> Option<Span> {
        let call = self.text.get(span.range())?;
        let at = span.start as usize + call.rfind(&format!("{name}("))?;
        Some(Span::new(at, at + name.len()))
    }

    /// An arrow function whose parameters have these types.
    fn function(
        &mut self,
        arg: &ast::Expr,
        params: &[Ty],
        info: &MemberInfo,
        want: Option<&Ty>,
    ) -> Option<Given> {
        if let Some(function) = self.function_named(arg) {
            return self.passed(function, arg, params, info, want);
        }
        let ExprKind::Arrow(names, body) = &arg.kind else {
            let typed = self.expr(arg);
            if typed.ty != Ty::Error {
                let found = self.type_name(&typed.ty);
                let expected = format!("a function such as `{}`", signature(info));
                let finding = WrongType { expected, found, why: why(info), nearest: None };
                self.report(finding, arg.span);
            }
            return None;
        };
        if names.len() > params.len() {
            let finding = WrongArguments {
                name: format!("the function in {}", info.name),
                least: 0,
                most: Some(params.len()),
                found: names.len(),
                signature: signature(info),
            };
            self.report(finding, arg.span);
            return None;
        }
        let (params, body) = self.scoped(|checker| {
            let bound: Vec<LocalId> = names
                .iter()
                .zip(params)
                .map(|(name, ty)| checker.bind_local(name, ty.clone()))
                .collect();
            let body = match want {
                Some(want) => checker.expr_of(body, want, "for what the function gives"),
                None => checker.expr(body),
            };
            (bound, body)
        });
        Some(Given { function: Function { params, body: body.id }, ty: body.ty })
    }

    /// The type of a name that takes it from a value, unless it is nested deeper than anybody means.
    pub(crate) fn not_too_deep(&mut self, ty: Ty, at: Span) -> Ty {
        if !ty.is_deeper_than(DEEPEST_TYPE) {
            return ty;
        }
        self.report(TooDeep, at);
        Ty::Error
    }

    /// Declares a local name.
    pub(crate) fn bind_local(&mut self, name: &Ident, ty: Ty) -> LocalId {
        let local = self.new_local();
        let ty = self.not_too_deep(ty, name.span);
        self.forget(&name.name);
        self.locals.push(LocalName {
            name: name.name.clone(),
            span: name.span,
            what: LocalKind::Value(local, ty),
        });
        local
    }
}

pub(crate) fn why(info: &MemberInfo) -> String {
    format!("for `{}`", info.name)
}

/// How a member is called, for messages.
pub(crate) fn signature(info: &MemberInfo) -> String {
    let shown: Vec<String> = info
        .params
        .iter()
        .enumerate()
        .map(|(i, param)| {
            let name = match param {
                Param::Number => "number",
                Param::String => "string",
                Param::Item => "item",
                Param::SameList => "list",
                Param::Any => "value",
                Param::Strings => "strings",
                Param::Predicate => "item => …",
                Param::Mapper => "item => …",
                Param::ListMapper => "item => […]",
                Param::Comparator => "(a, b) => a - b",
                Param::Reducer => "(sum, item) => …",
                Param::Initial => "start",
            };
            let rest = if info.rest { "..." } else { "" };
            if i < info.required { format!("{rest}{name}") } else { format!("{rest}{name}?") }
        })
        .collect();
    shown.join(", ")
}
