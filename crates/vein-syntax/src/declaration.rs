//! Declarations: what a component takes, gives, holds, derives and does.

use crate::ast::{
    Declaration, DeclarationKind, Expr, ExprKind, FunctionBody, Ident, TypeExpr, TypeKind,
    TypedName, Upon,
};
use crate::error::SyntaxErrorKind;
use crate::parser::Parser;
use crate::span::Span;
use crate::token::Tok;
use vein_plan::Answers;

/// Every verb with which a declaration begins.
pub const VERBS: &[&str] = &[
    "shape", "takes", "shares", "gives", "holds", "derives", "does", "asks", "awaits", "streams",
    "loads", "follows", "uses", "names", "upon", "fits", "store", "page",
];

impl Parser<'_> {
    /// Declarations up to the end of the text.
    pub fn declarations(&mut self) -> Vec<Declaration> {
        let mut declarations = Vec::new();
        while !self.at_end() {
            let start = self.span();
            let kind = self.declaration();
            let ended = self.at_end() || self.token().after_break || self.eat(";");
            if !ended {
                self.unexpected("a new line");
            }
            let span = self.since(start);
            declarations.extend(kind.map(|kind| Declaration { kind, span }));
            if self.has_failed() {
                self.skip_declaration();
                self.recovered();
            }
        }
        declarations
    }

    /// Skips to a line that begins with a verb.
    fn skip_declaration(&mut self) {
        while !self.at_end() {
            if self.begins_declaration() {
                return;
            }
            self.advance();
        }
    }

    /// Whether a line begins here with a verb and a name, as no statement does.
    pub(crate) fn begins_declaration(&self) -> bool {
        self.token().after_break
            && matches!(self.tok(), Tok::Name(word) if VERBS.contains(&word.as_str()))
            && matches!(self.ahead(1), Tok::Name(_))
    }

    fn declaration(&mut self) -> Option<DeclarationKind> {
        let verb = self.ident("a declaration, or markup that begins with a tag");
        Some(match verb.name.as_str() {
            "shape" => {
                let name = self.ident("a name for the shape");
                let start = self.span();
                let ty = match self.eat("=") {
                    true => self.ty(),
                    // A record needs no sign before it.
                    false => {
                        let kind = TypeKind::Record(self.fields());
                        TypeExpr { kind, span: self.since(start) }
                    }
                };
                DeclarationKind::Shape(name, ty)
            }
            word @ ("takes" | "shares") => {
                let shares = word == "shares";
                let (prop, default) = self.prop();
                match shares {
                    true => DeclarationKind::Shares(prop, default),
                    false => DeclarationKind::Takes(prop, default),
                }
            }
            "gives" => {
                let name = self.ident("a name for the event");
                DeclarationKind::Gives(name, self.parameters())
            }
            "holds" => {
                let name = self.ident("a name for the state");
                let ty = self.eat(":").then(|| self.ty());
                self.expect("=", "`=` and a first value");
                DeclarationKind::Holds(name, ty, self.expression())
            }
            "derives" => {
                let name = self.ident("a name for the derived value");
                if self.is("(") {
                    return Some(self.function(name));
                }
                let ty = self.eat(":").then(|| self.ty());
                self.expect("=", "`=` and what it is derived from");
                DeclarationKind::Derives(name, ty, self.expression())
            }
            "does" => {
                let name = self.ident("a name for the handler");
                let params = self.parameters();
                DeclarationKind::Does(name, params, self.block())
            }
            word @ ("asks" | "awaits" | "streams") => {
                let answers = match word {
                    "asks" => Answers::AtOnce,
                    "awaits" => Answers::Later,
                    _ => Answers::Again,
                };
                let name = self.ident("a name for what the host answers");
                let params = self.parameters();
                self.expect(":", "`:` and the type of the answer");
                DeclarationKind::Host(answers, name, params, self.ty())
            }
            word @ ("loads" | "follows") => {
                let follows = word == "follows";
                let name = self.typed_name("a name for what comes");
                self.expect("=", "`=` and what is asked: `name(…)`");
                DeclarationKind::Source(follows, name, self.expression())
            }
            "store" => DeclarationKind::Store(self.ident("a name for the store")),
            "uses" => {
                let mut stores = vec![self.store_name()];
                while self.eat(",") {
                    stores.push(self.store_name());
                }
                DeclarationKind::Uses(stores)
            }
            "names" => {
                let mut names = vec![self.ident("a name for an element's id")];
                while self.eat(",") {
                    names.push(self.ident("a name for an element's id"));
                }
                DeclarationKind::Names(names)
            }
            "upon" => self.upon(),
            word if VERBS.contains(&word) => {
                self.skip_other();
                DeclarationKind::Other(verb)
            }
            word => {
                if !word.is_empty() {
                    self.error(SyntaxErrorKind::UnknownDeclaration(word.into()), verb.span);
                }
                self.advance();
                return None;
            }
        })
    }

    /// A function: `(job: Job): number = value`, or statements that return what it gives.
    fn function(&mut self, name: Ident) -> DeclarationKind {
        let params = self.parameters();
        let result = self.eat(":").then(|| self.ty());
        let body = match self.is("{") {
            true => {
                let around = self.set_returns(true);
                let body = FunctionBody::Statements(self.block());
                self.set_returns(around);
                body
            }
            false => {
                self.expect(
                    "=",
                    "`=` and what the function gives, or `{` and statements that return it",
                );
                FunctionBody::Value(self.expression())
            }
        };
        DeclarationKind::Function(name, params, result, body)
    }

    /// A store's name; the name of its file is read as a whole, to be told that it is one.
    fn store_name(&mut self) -> Ident {
        let mut ident = self.ident("a store's name");
        while self.is("-") && !self.token().after_break && matches!(self.ahead(1), Tok::Name(_)) {
            self.advance();
            let more = self.ident("a store's name");
            ident.name = format!("{}-{}", ident.name, more.name);
            ident.span = self.since(ident.span);
        }
        ident
    }

    /// `added { … }`, `removed { … }`, `change (a, b.c) { … }`, `every (1000) while on { … }`
    fn upon(&mut self) -> DeclarationKind {
        let upon = if self.eat_word("added") {
            Upon::Added
        } else if self.eat_word("removed") {
            Upon::Removed
        } else if self.eat_word("change") {
            if !self.is("(") {
                self.unexpected("`(` and what is watched");
                return DeclarationKind::Upon(Upon::Change(Vec::new()), Vec::new());
            }
            Upon::Change(self.arguments())
        } else if self.eat_word("every") {
            let opened = self.span();
            self.expect("(", "`(` and a number of milliseconds");
            let period = self.expression();
            self.close(")", opened, "`)`");
            let condition = self.eat_word("while").then(|| self.expression());
            Upon::Every(period, condition)
        } else {
            self.unexpected("`added`, `removed`, `change (…)` or `every (…)`");
            Upon::Added
        };
        DeclarationKind::Upon(upon, self.block())
    }

    /// Skips a declaration that is not read: to the end of its line, or of its braces.
    fn skip_other(&mut self) {
        let mut open = 0usize;
        while !self.at_end() {
            if open == 0 && self.token().after_break {
                break;
            }
            match self.tok() {
                Tok::Punct("{" | "(") => open += 1,
                Tok::Punct("}" | ")") => open = open.saturating_sub(1),
                _ => {}
            }
            self.advance();
        }
    }

    /// A prop with its default. The type of one that a word, a number or a boolean stands for need not be written.
    fn prop(&mut self) -> (TypedName, Option<Expr>) {
        let ident = self.ident("a name for the prop");
        if ident.name.is_empty() || !self.eat("=") {
            let prop = self.typed(ident);
            return (prop, self.eat("=").then(|| self.expression()));
        }
        let default = self.expression();
        let kind = match type_of(&default) {
            Some(name) => TypeKind::Name(name.into()),
            None => {
                self.error(SyntaxErrorKind::MissingType(ident.name.clone()), ident.span);
                TypeKind::Error
            }
        };
        let ty = TypeExpr { kind, span: default.span };
        (TypedName { ident, ty }, Some(default))
    }

    fn typed_name(&mut self, expected: &'static str) -> TypedName {
        let ident = self.ident(expected);
        self.typed(ident)
    }

    /// A name's type.
    fn typed(&mut self, ident: Ident) -> TypedName {
        let (nothing, next) = (ident.name.is_empty() || self.has_failed(), self.span());
        if !nothing && self.is("?") && *self.ahead(1) == Tok::Punct(":") {
            let instead = "what may be missing has a type with `?`: `crop: string?`";
            let kind = SyntaxErrorKind::NotInLanguage { word: "?:".into(), instead };
            self.error(kind, next);
        } else if !nothing && !self.is(":") {
            self.error(SyntaxErrorKind::MissingType(ident.name.clone()), ident.span);
        } else {
            self.expect(":", "`:` and a type");
        }
        TypedName { ident, ty: self.ty() }
    }

    /// `(a: T, b: U)`; nothing at all stands for no parameters.
    fn parameters(&mut self) -> Vec<TypedName> {
        let opened = self.span();
        if !self.eat("(") {
            return Vec::new();
        }
        let mut params = Vec::new();
        while !self.is(")") && !self.at_end() && !self.has_failed() {
            params.push(self.typed_name("a parameter"));
            if !self.eat(",") {
                break;
            }
        }
        self.close(")", opened, "`,` or `)`");
        params
    }

    /// `{ a: T, b: U }`
    fn fields(&mut self) -> Vec<TypedName> {
        let opened = self.span();
        if !self.expect("{", "`{` and the fields") {
            return Vec::new();
        }
        let mut fields = Vec::new();
        while !self.is("}") && !self.at_end() && !self.has_failed() {
            if self.is("[") {
                let instead = "a dictionary is written by the type of what is in it: `number{}`";
                let kind = SyntaxErrorKind::NotInLanguage { word: "[".into(), instead };
                let span = self.span();
                self.error(kind, span);
                break;
            }
            fields.push(self.typed_name("a field's name"));
            let separated = self.eat(",") || self.eat(";") || self.token().after_break;
            if !separated {
                break;
            }
        }
        self.close("}", opened, "`,` or `}`");
        fields
    }

    /// A type.
    pub fn ty(&mut self) -> TypeExpr {
        let error = |span| TypeExpr { kind: TypeKind::Error, span };
        self.deeper(error, |p| {
            let start = p.span();
            p.eat("|");
            let mut members = vec![p.suffixed_type()];
            while p.eat("|") {
                members.push(p.suffixed_type());
            }
            match members.len() {
                1 => members.remove(0),
                _ => TypeExpr { kind: TypeKind::Union(members), span: p.since(start) },
            }
        })
    }

    fn suffixed_type(&mut self) -> TypeExpr {
        let start = self.span();
        let depth = self.depth();
        let mut ty = self.simple_type(start);
        loop {
            let wrap: fn(Box<TypeExpr>) -> TypeKind =
                if self.is("[") && *self.ahead(1) == Tok::Punct("]") {
                    self.advance();
                    self.advance();
                    TypeKind::List
                } else if self.is("{") && *self.ahead(1) == Tok::Punct("}") {
                    self.advance();
                    self.advance();
                    TypeKind::Dictionary
                } else if self.eat("?") {
                    TypeKind::Optional
                } else {
                    break;
                };
            ty = TypeExpr { kind: wrap(Box::new(ty)), span: self.since(start) };
            if !self.lengthen() {
                break;
            }
        }
        self.set_depth(depth);
        ty
    }

    fn simple_type(&mut self, start: Span) -> TypeExpr {
        let kind = match self.tok() {
            Tok::Name(name) => {
                self.advance();
                if self.is("<") {
                    let instead = match name.as_str() {
                        "Array" | "ReadonlyArray" => "a list is written `number[]`",
                        "Record" | "Map" => {
                            "a dictionary is written by the type of what is in it: `number{}`"
                        }
                        _ => {
                            "types take no others: a list is written `number[]`, what may be missing \
                              `number?`"
                        }
                    };
                    let word = format!("{name}<");
                    self.error(SyntaxErrorKind::NotInLanguage { word, instead }, start);
                }
                TypeKind::Name(name.clone())
            }
            Tok::String(s) => {
                self.advance();
                TypeKind::Literal(s.to_string())
            }
            Tok::Punct("{") => TypeKind::Record(self.fields()),
            Tok::Punct("(") => {
                self.advance();
                let inner = self.ty();
                self.close(")", start, "`)`");
                return inner;
            }
            _ => {
                self.unexpected("a type");
                TypeKind::Error
            }
        };
        let kind = if self.has_failed() { TypeKind::Error } else { kind };
        TypeExpr { kind, span: self.since(start) }
    }
}

/// The type that a literal tells.
fn type_of(value: &Expr) -> Option<&'static str> {
    match &value.kind {
        ExprKind::String(_) | ExprKind::Template(_) => Some("string"),
        ExprKind::Number(_) => Some("number"),
        ExprKind::Boolean(_) => Some("boolean"),
        ExprKind::Unary(_, inner) if matches!(inner.kind, ExprKind::Number(_)) => Some("number"),
        _ => None,
    }
}
