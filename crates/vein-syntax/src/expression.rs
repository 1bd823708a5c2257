//! Expressions: a typed subset of ECMAScript's, with its precedence.

use crate::ast::{Expr, ExprKind, Ident, Pattern, RecordItem, TemplatePiece};
use crate::error::SyntaxErrorKind;
use crate::parser::Parser;
use crate::span::Span;
use crate::token::Tok;
use vein_plan::ops::{Binary, Logical, Unary};

#[derive(Clone, Copy)]
enum Operator {
    Binary(Binary),
    Logical(Logical),
    In,
}

/// Operators with two operands: how they are written, how strongly they bind, what they are.
const OPERATORS: &[(&str, u8, Operator)] = &[
    ("??", 1, Operator::Logical(Logical::Coalesce)),
    ("||", 2, Operator::Logical(Logical::Or)),
    ("&&", 3, Operator::Logical(Logical::And)),
    ("===", 4, Operator::Binary(Binary::Equal)),
    ("!==", 4, Operator::Binary(Binary::NotEqual)),
    ("==", 4, Operator::Binary(Binary::Equal)),
    ("!=", 4, Operator::Binary(Binary::NotEqual)),
    ("<", 5, Operator::Binary(Binary::Less)),
    ("<=", 5, Operator::Binary(Binary::LessOrEqual)),
    (">", 5, Operator::Binary(Binary::Greater)),
    (">=", 5, Operator::Binary(Binary::GreaterOrEqual)),
    ("in", 5, Operator::In),
    ("+", 6, Operator::Binary(Binary::Add)),
    ("-", 6, Operator::Binary(Binary::Subtract)),
    ("*", 7, Operator::Binary(Binary::Multiply)),
    ("/", 7, Operator::Binary(Binary::Divide)),
    ("%", 7, Operator::Binary(Binary::Remainder)),
    ("**", 8, Operator::Binary(Binary::Power)),
];

const POWER: u8 = 8;
const EXPECTED_VALUE: &str = "a value";

fn expr(kind: ExprKind, span: Span) -> Expr {
    Expr { kind, span }
}

fn error(span: Span) -> Expr {
    expr(ExprKind::Error, span)
}

impl Parser<'_> {
    /// An expression.
    pub fn expression(&mut self) -> Expr {
        self.deeper(error, |p| if p.begins_arrow() { p.arrow() } else { p.choose() })
    }

    /// Whether an arrow function begins here: `name =>` or `(…) =>`.
    fn begins_arrow(&self) -> bool {
        match self.tok() {
            Tok::Name(_) => *self.ahead(1) == Tok::Punct("=>"),
            Tok::Punct("(") => {
                let mut i = 1;
                loop {
                    if matches!(self.ahead(i), Tok::Punct("{" | "[")) {
                        let Some(after) = self.after_pattern(i) else { return false };
                        match self.ahead(after) {
                            Tok::Punct(",") => i = after + 1,
                            Tok::Punct(")") => return *self.ahead(after + 1) == Tok::Punct("=>"),
                            _ => return false,
                        }
                        continue;
                    }
                    match (self.ahead(i), self.ahead(i + 1)) {
                        (Tok::Name(_), Tok::Punct(",")) => i += 2,
                        (Tok::Name(_), Tok::Punct(")")) => {
                            return *self.ahead(i + 2) == Tok::Punct("=>");
                        }
                        (Tok::Punct(")"), Tok::Punct("=>")) => return true,
                        _ => return false,
                    }
                }
            }
            _ => false,
        }
    }

    /// What comes after brackets that have nothing but names in them, if these stand here.
    fn after_pattern(&self, from: usize) -> Option<usize> {
        let (mut open, mut at) = (0usize, from);
        loop {
            match self.ahead(at) {
                Tok::Punct("{" | "[") => open += 1,
                Tok::Punct("}" | "]") if open == 1 => return Some(at + 1),
                Tok::Punct("}" | "]") => open -= 1,
                Tok::Name(_) | Tok::Punct("," | ":" | "..." | "=") => {}
                _ => return None,
            }
            at += 1;
        }
    }

    /// `{ id, crop: name }` or `[first, , ...rest]`
    pub(crate) fn pattern(&mut self) -> Pattern {
        let opened = self.span();
        if self.eat("{") {
            let mut fields = Vec::new();
            while !self.is("}") && !self.at_end() && !self.has_failed() {
                if self.is("...") {
                    self.not_in_pattern("...", "name the fields that are meant: `{ id, crop }`");
                    break;
                }
                let field = self.ident("a field's name");
                let name = match self.eat(":") {
                    true => self.name_in_pattern(),
                    false => field.clone(),
                };
                fields.push((field, name));
                self.no_default();
                if !self.eat(",") {
                    break;
                }
            }
            self.close("}", opened, "`,` or `}`");
            return Pattern::Fields(fields);
        }
        self.expect("[", "`{` or `[`");
        let (mut items, mut rest) = (Vec::new(), None);
        while !self.is("]") && !self.at_end() && !self.has_failed() {
            if self.eat("...") {
                rest = Some(self.name_in_pattern());
                break;
            }
            if self.is(",") {
                items.push(None);
            } else {
                items.push(Some(self.name_in_pattern()));
                self.no_default();
            }
            if !self.eat(",") {
                break;
            }
        }
        self.close("]", opened, "`,` or `]`");
        Pattern::Items(items, rest)
    }

    fn name_in_pattern(&mut self) -> Ident {
        if self.is("{") || self.is("[") {
            let instead = "take apart what is inside in a step of its own: `const { a } = b`";
            self.not_in_pattern("{", instead);
        }
        self.ident("a name")
    }

    fn no_default(&mut self) {
        if self.is("=") {
            self.not_in_pattern("=", "say what stands for nothing where it is read: `name ?? 0`");
        }
    }

    fn not_in_pattern(&mut self, word: &str, instead: &'static str) {
        let span = self.span();
        self.error(SyntaxErrorKind::NotInLanguage { word: word.into(), instead }, span);
    }

    /// A name that nobody writes, for what is taken apart at once.
    pub(crate) fn unwritten(&self, at: Span) -> Ident {
        Ident { name: format!("{{{}", at.start), span: at }
    }

    /// A parameter of an arrow function; one that is taken apart says how.
    fn parameter(&mut self, apart: &mut Vec<(Ident, Pattern)>) -> Ident {
        if !self.is("{") && !self.is("[") {
            return self.ident("a parameter");
        }
        let start = self.span();
        let pattern = self.pattern();
        let name = self.unwritten(self.since(start));
        apart.push((name.clone(), pattern));
        name
    }

    fn arrow(&mut self) -> Expr {
        let start = self.span();
        let (mut params, mut apart) = (Vec::new(), Vec::new());
        if self.eat("(") {
            while !self.is(")") {
                if self.has_failed() {
                    break;
                }
                params.push(self.parameter(&mut apart));
                self.eat(",");
            }
            self.advance();
        } else {
            params.push(self.ident("a parameter"));
        }
        self.advance();
        if self.is("{") {
            let span = self.span();
            self.error(
                SyntaxErrorKind::NotInLanguage {
                    word: "{".into(),
                    instead: "an arrow function here is one expression; to give a record, write \
                              `=> ({ … })`; statements stand in a handler, `does name() { … }`",
                },
                span,
            );
            self.skip_braces();
            return expr(ExprKind::Error, self.since(start));
        }
        let within = self.set_in_function(true);
        let body = self.expression();
        self.set_in_function(within);
        let body = apart.into_iter().rev().fold(body, |body, (name, pattern)| {
            let span = body.span;
            expr(ExprKind::Unpack(name, pattern, Box::new(body)), span)
        });
        expr(ExprKind::Arrow(params, Box::new(body)), self.since(start))
    }

    fn choose(&mut self) -> Expr {
        let start = self.span();
        let test = self.binary(0);
        if !self.eat("?") {
            return test;
        }
        let then = self.expression();
        self.expect(":", "`:` and what is meant otherwise");
        let otherwise = self.expression();
        let kind = ExprKind::Choose(Box::new(test), Box::new(then), Box::new(otherwise));
        expr(kind, self.since(start))
    }

    fn operator(&self) -> Option<(&'static str, u8, Operator)> {
        let written = match self.tok() {
            Tok::Punct(punct) => punct,
            Tok::Name(word) if word == "in" => "in",
            _ => return None,
        };
        OPERATORS.iter().find(|(operator, ..)| *operator == written).copied()
    }

    fn binary(&mut self, least: u8) -> Expr {
        let start = self.span();
        let depth = self.depth();
        let mut left = self.unary();
        while let Some((written, strength, operator)) = self.operator() {
            if strength < least || (strength == POWER && least > POWER) || !self.lengthen() {
                break;
            }
            self.refuse_mixed(written, &left);
            let op_span = self.advance().span;
            // `**` groups to the right, all others to the left.
            let next = if strength == POWER { strength } else { strength + 1 };
            let right = self.deeper(error, |p| p.binary(next));
            let span = self.since(start);
            let (left_box, right) = (Box::new(left), Box::new(right));
            left = match operator {
                Operator::Binary(op) => {
                    expr(ExprKind::Binary { op, left: left_box, right, op_span }, span)
                }
                Operator::Logical(op) => expr(ExprKind::Logical(op, left_box, right), span),
                Operator::In => expr(ExprKind::In(left_box, right), span),
            };
        }
        self.set_depth(depth);
        left
    }

    /// ECMAScript has `-a ** b` and `a || b ?? c` only with parentheses.
    fn refuse_mixed(&mut self, written: &str, left: &Expr) {
        let mixed = match &left.kind {
            ExprKind::Unary(..) => written == "**",
            ExprKind::Logical(Logical::Coalesce, ..) => matches!(written, "||" | "&&"),
            ExprKind::Logical(..) => written == "??",
            _ => false,
        };
        if mixed && !self.is_parenthesised(left.span) {
            self.unexpected("parentheses that say what belongs together before");
        }
    }

    fn unary(&mut self) -> Expr {
        let start = self.span();
        let op = match self.tok() {
            Tok::Punct("!") => Some(Unary::Not),
            Tok::Punct("-") => Some(Unary::Negate),
            Tok::Punct("+") => Some(Unary::Plus),
            _ => None,
        };
        if let Some(op) = op {
            self.advance();
            let of = self.deeper(error, Self::unary);
            return expr(ExprKind::Unary(op, Box::new(of)), self.since(start));
        }
        if self.is_word("await") && !matches!(self.ahead(1), Tok::Punct(p) if *p != "(") {
            self.advance();
            let of = self.deeper(error, Self::unary);
            return expr(ExprKind::Await(Box::new(of)), self.since(start));
        }
        self.postfix()
    }

    fn postfix(&mut self) -> Expr {
        let start = self.span();
        let depth = self.depth();
        let mut of = self.primary();
        let mut has_optional = false;
        loop {
            let optional = self.is("?.");
            let line_break = self.token().after_break;
            let kind = match self.tok() {
                Tok::Punct("." | "?.") => {
                    self.advance();
                    has_optional |= optional;
                    if optional && self.is("[") {
                        self.index(of, true)
                    } else {
                        let name = self.ident("a field's name");
                        ExprKind::Field { of: Box::new(of), name, optional }
                    }
                }
                Tok::Punct("[") if !line_break => self.index(of, false),
                Tok::Punct("(") if !line_break => {
                    let refused = self.refuse_call(&of);
                    let args = self.arguments();
                    match refused {
                        true => ExprKind::Error,
                        false => ExprKind::Call { callee: Box::new(of), args },
                    }
                }
                _ => break,
            };
            of = expr(kind, self.since(start));
            if !self.lengthen() {
                break;
            }
        }
        self.set_depth(depth);
        if has_optional {
            let span = of.span;
            of = expr(ExprKind::Chain(Box::new(of)), span);
        }
        if self.is_word("is") && !self.token().after_break && matches!(self.ahead(1), Tok::Name(_))
        {
            self.advance();
            let state = self.ident("`waiting`, `ready` or `failed`");
            of = expr(ExprKind::Is(Box::new(of), state), self.since(start));
        }
        of
    }

    /// Calls that only make sense with statements inside them.
    fn refuse_call(&mut self, callee: &Expr) -> bool {
        let (word, span) = match &callee.kind {
            ExprKind::Name(name) => (name.as_str(), callee.span),
            ExprKind::Field { name, .. } => (name.name.as_str(), name.span),
            _ => return false,
        };
        let is_field = matches!(callee.kind, ExprKind::Field { .. });
        let instead = match word {
            "forEach" if is_field => "write a loop: `for (const item of list) { … }`",
            "setTimeout" | "setInterval" if !is_field => {
                "declare what happens with time: `upon every (500) while waiting { … }`; to wait until somebody \
                 has stopped typing, `input=\"->(quiet 300) …\"`"
            }
            "requestAnimationFrame" | "queueMicrotask" if !is_field => {
                "everything that follows from an event is done at once; what takes time is a transition of CSS"
            }
            _ => return false,
        };
        self.error(SyntaxErrorKind::NotInLanguage { word: word.into(), instead }, span);
        true
    }

    /// Skips from an opening brace to behind the one that closes it.
    fn skip_braces(&mut self) {
        let mut open = 0usize;
        while !self.at_end() {
            match self.tok() {
                Tok::Punct("{") => open += 1,
                Tok::Punct("}") => open -= 1,
                _ => {}
            }
            self.advance();
            if open == 0 {
                return;
            }
        }
    }

    fn index(&mut self, of: Expr, optional: bool) -> ExprKind {
        let opened = self.advance().span;
        let index = self.expression();
        self.close("]", opened, "`]`");
        ExprKind::Index { of: Box::new(of), index: Box::new(index), optional }
    }

    /// `(a, b)`, with a comma allowed at the end.
    pub(crate) fn arguments(&mut self) -> Vec<Expr> {
        let opened = self.advance().span;
        let mut args = Vec::new();
        while !self.is(")") && !self.at_end() && !self.has_failed() {
            args.push(self.expression());
            if !self.eat(",") {
                break;
            }
        }
        self.close(")", opened, "`,` or `)`");
        args
    }

    fn primary(&mut self) -> Expr {
        let start = self.span();
        let kind = match self.tok() {
            Tok::Number(n) => ExprKind::Number(*n),
            Tok::String(s) => ExprKind::String(s.clone()),
            Tok::Pattern(source, flags) => ExprKind::Pattern(source.clone(), flags.clone()),
            Tok::TemplateStart => return self.template(),
            Tok::Punct("(") => {
                self.advance();
                let mut inner = self.expression();
                self.close(")", start, "`)`");
                inner.span = self.since(start);
                self.note_parentheses(inner.span);
                return inner;
            }
            Tok::Punct("[") => return self.list(),
            Tok::Punct("{") => return self.record(),
            Tok::Name(name) => match name.as_str() {
                "null" => ExprKind::Null,
                "true" => ExprKind::Boolean(true),
                "false" => ExprKind::Boolean(false),
                word => match refused_word(word) {
                    Some(instead) => {
                        self.error(
                            SyntaxErrorKind::NotInLanguage { word: word.into(), instead },
                            start,
                        );
                        ExprKind::Error
                    }
                    None => ExprKind::Name(name.clone()),
                },
            },
            Tok::Punct("<") if matches!(self.ahead(1), Tok::Name(_)) => {
                self.error(SyntaxErrorKind::MarkupInValue { each: self.is_in_function() }, start);
                return error(start);
            }
            _ => {
                self.unexpected(EXPECTED_VALUE);
                return error(start);
            }
        };
        self.advance();
        expr(kind, start)
    }

    fn list(&mut self) -> Expr {
        let start = self.advance().span;
        let mut items = Vec::new();
        while !self.is("]") && !self.at_end() && !self.has_failed() {
            let spread = self.eat("...");
            items.push((self.expression(), spread));
            if !self.eat(",") {
                break;
            }
        }
        self.close("]", start, "`,` or `]`");
        expr(ExprKind::List(items), self.since(start))
    }

    fn record(&mut self) -> Expr {
        let start = self.advance().span;
        let mut items = Vec::new();
        while !self.is("}") && !self.at_end() && !self.has_failed() {
            if self.eat("...") {
                items.push(RecordItem::Spread(self.expression()));
            } else if self.is("[") {
                let opened = self.advance().span;
                let key = self.expression();
                self.close("]", opened, "`]`");
                self.expect(":", "`:` and a value");
                items.push(RecordItem::Key(key, self.expression()));
            } else {
                let name = self.field_name();
                let value = if self.eat(":") {
                    self.expression()
                } else {
                    expr(ExprKind::Name(name.name.clone()), name.span)
                };
                items.push(RecordItem::Field(name, value));
            }
            if !self.eat(",") {
                break;
            }
        }
        self.close("}", start, "`,` or `}`");
        expr(ExprKind::Record(items), self.since(start))
    }

    fn field_name(&mut self) -> Ident {
        let name = match self.tok() {
            Tok::String(s) => s.to_string(),
            Tok::Number(n) => vein_plan::Value::Number(*n).to_text().to_string(),
            _ => return self.ident("a field's name"),
        };
        let span = self.advance().span;
        Ident { name, span }
    }

    fn template(&mut self) -> Expr {
        let start = self.advance().span;
        let mut pieces = Vec::new();
        loop {
            match self.tok() {
                Tok::TemplateText(text) => {
                    self.advance();
                    if !text.is_empty() {
                        pieces.push(TemplatePiece::Text(text.clone()));
                    }
                }
                Tok::TemplateOpen => {
                    self.advance();
                    pieces.push(TemplatePiece::Expr(self.expression()));
                    if *self.tok() == Tok::TemplateClose {
                        self.advance();
                    } else {
                        self.unexpected("`}`");
                        break;
                    }
                }
                Tok::TemplateEnd => {
                    self.advance();
                    break;
                }
                _ => break,
            }
        }
        expr(ExprKind::Template(pieces), self.since(start))
    }
}

/// Words of ECMAScript that have no place in an expression here.
fn refused_word(word: &str) -> Option<&'static str> {
    Some(match word {
        "undefined" => "there is only `null`",
        "function" => "write an arrow function, or declare a handler with `does`",
        "new" | "class" | "this" | "super" => {
            "there are no classes: use records, and the names that are declared; in handlers `Date.now()` is the time"
        }
        "delete" => "it is a statement of its own: `delete litres[key]`",
        "in" => "it stands between a key and a dictionary: `key in litres`",
        "typeof" | "instanceof" | "void" => "types are known before anything runs",
        _ => return None,
    })
}
